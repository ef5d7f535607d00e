#include "compare_view.hpp"

#include <QEvent>
#include <QHeaderView>
#include <QLabel>
#include <cmath>

#include "apply/readout.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

constexpr double whitest = 6; ///< CIEDE2000 that a difference shows white
constexpr int read_side = 5;  ///< pixels of a picture whose mean is told
constexpr int compare_caption = 38, cell_gap = 6;

/// What the place under the pointer reads, in one line.
QString reading_words(const apply::Readout& r) {
    return QObject::tr("%1 %2 %3 %   L* %4  a* %5  b* %6   %7 stops")
        .arg(r.percent[0], 0, 'f', 1)
        .arg(r.percent[1], 0, 'f', 1)
        .arg(r.percent[2], 0, 'f', 1)
        .arg(r.lab[0], 0, 'f', 1)
        .arg(r.lab[1], 0, 'f', 1)
        .arg(r.lab[2], 0, 'f', 1)
        .arg((r.stops < 0 ? QString::fromUtf8("\u2212") : "+") + QString::number(std::abs(r.stops), 'f', 1));
}

} // namespace

CompareView::CompareView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      pictures_(desk.job, desk.chains, desk.tasks, desk.notices),
      seen_(new QTabBar),
      scale_(new QLabel),
      empty_(new FlowLabel),
      grid_(new QWidget),
      table_(plain_table({{tr("Picture"), tr("The first is what the others are compared with")},
                          {tr("\u0394E"), tr("Mean CIEDE2000 to the first picture, noise smoothed. The same frame, or "
                                             "chart shots laid over each other by the chart's plane")}},
                         tr("Pictures beside each other"))),
      setups_(new QComboBox),
      offer_(new QListWidget),
      frames_(new QPushButton(tr("Before and after"))) {
    arrange("compare", make_evidence(), make_choice());
    connect(&desk_.chains, &Chains::followed, this, [this] {
        if (isVisible()) show_setup(setup_);
    });
}

PictureView* CompareView::picture() {
    for (const Cell& c : cells_)
        if (c.picture->hasFocus() || c.picture->underMouse()) return c.picture;
    return cells_.empty() ? nullptr : cells_.front().picture;
}

QWidget* CompareView::make_evidence() {
    auto* evidence = new QWidget;
    auto* column = new QVBoxLayout(evidence);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    const std::pair<QString, QString> names[] = {
        {tr("Grid"), tr("All of them, with one zoom; the pointer reads the same place in each")},
        {tr("One by one"), tr("One at a time in the same place; X or Space goes on")},
        {tr("Split"), tr("The first left of the line, the next right of it")},
        {tr("Difference"), tr("CIEDE2000 of each place to the first picture")}};
    for (const auto& [name, tooltip] : names) seen_->setTabToolTip(seen_->addTab(name), tooltip);
    seen_->setDrawBase(false);
    seen_->setUsesScrollButtons(false);
    seen_->setObjectName("compareSeen");
    seen_->setAccessibleName(tr("How the pictures are seen"));
    scale_->setProperty("dim", true);
    row->addWidget(seen_);
    row->addStretch();
    row->addWidget(scale_);
    column->addLayout(row);
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setProperty("dim", true);
    empty_->setParent(grid_);
    grid_->setMinimumSize(320, 240);
    grid_->installEventFilter(this);
    column->addWidget(grid_, 1);
    connect(seen_, &QTabBar::currentChanged, this, [this] {
        bring_differences();
        show_pictures();
    });
    return evidence;
}

QWidget* CompareView::make_choice() {
    side()->addWidget(table_);
    table_->setObjectName("compareChosen");
    table_->horizontalHeader()->setStretchLastSection(false);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table_->setMinimumHeight(7 * 26);
    auto* row = side_row();
    auto* first = side_button(tr("Compare with this one"), "", tr("The chosen row becomes the first"), false, row);
    auto* out = side_button(tr("Take out"), "", tr("Takes the chosen row out (Delete)"), false, row);
    out->setShortcut(Qt::Key_Delete);
    auto* none = side_button(tr("Begin anew"), "", tr("Takes all out"), false, row);
    row->addStretch();
    const auto at = [this] { return static_cast<std::size_t>(std::max(0, table_->currentRow())); };
    connect(first, &QPushButton::clicked, this, [this, at] {
        if (at() >= chosen_.size()) return;
        auto all = chosen_;
        std::rotate(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(at()),
                    all.begin() + static_cast<std::ptrdiff_t>(at()) + 1);
        choose(all);
        table_->setCurrentCell(0, 0);
    });
    connect(out, &QPushButton::clicked, this, [this, at] {
        if (at() >= chosen_.size()) return;
        auto all = chosen_;
        all.erase(all.begin() + static_cast<std::ptrdiff_t>(at()));
        choose(all);
    });
    connect(none, &QPushButton::clicked, this, [this] { choose({}); });
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int now) {
        if (now < 0 || seen_->currentIndex() != static_cast<int>(Seen::flip)) return;
        flipped_ = static_cast<std::size_t>(now);
        show_pictures();
    });

    auto* choice = new QWidget;
    auto* column = new QVBoxLayout(choice);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* head = new QHBoxLayout;
    auto* label = new QLabel(tr("&Of"));
    label->setBuddy(setups_);
    setups_->setObjectName("compareSetup");
    setups_->setAccessibleName(tr("Setup whose pictures are offered"));
    setups_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    frames_->setToolTip(tr("This setup's chart shot and first frames, each balanced and corrected"));
    frames_->setObjectName("compareFrames");
    head->addWidget(label);
    head->addWidget(setups_, 1);
    head->addWidget(frames_);
    column->addLayout(head);
    offer_->setObjectName("compareOffer");
    offer_->setAccessibleName(tr("Pictures that can be set beside each other"));
    offer_->setToolTip(tr("Tick up to eight"));
    column->addWidget(offer_, 1);
    connect(setups_, &QComboBox::activated, this, [this] {
        setup_ = setups_->currentData().toLongLong();
        fill_offer();
    });
    connect(frames_, &QPushButton::clicked, this, [this] {
        std::vector<Compared> all;
        for (const Compared& c : offered_)
            if (c.as != Compared::As::version && all.size() < most) all.push_back(c);
        choose(all);
    });
    connect(offer_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        const Compared one = offered_[static_cast<std::size_t>(offer_->row(item))];
        auto all = chosen_;
        const auto there = std::find(all.begin(), all.end(), one);
        if (item->checkState() == Qt::Checked && there == all.end()) {
            if (all.size() == most)
                desk_.notices.tell(tr("Eight pictures are beside each other already: take one out first."));
            else all.push_back(one);
        } else if (item->checkState() == Qt::Unchecked && there != all.end()) all.erase(there);
        choose(all);
    });
    return choice;
}

CompareView::Cell CompareView::make_cell() {
    Cell c;
    c.widget = new QWidget(grid_);
    auto* column = new QVBoxLayout(c.widget);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    c.picture = new PictureView;
    c.picture->setMinimumSize(60, 40);
    c.caption = new QLabel;
    c.caption->setFont(small_font());
    c.caption->setFixedHeight(compare_caption - 2);
    c.caption->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    c.caption->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    column->addWidget(c.picture, 1);
    column->addWidget(c.caption);
    connect(c.picture, &PictureView::moved, this, [this, p = c.picture] { follow(p); });
    connect(c.picture, &PictureView::flipped, this, &CompareView::flip);
    connect(c.picture, &PictureView::pointed, this, [this](const std::optional<QPointF>& share) {
        for (std::size_t i = 0; i < cells_.size(); ++i) tell(i, share);
    });
    return c;
}

void CompareView::showEvent(QShowEvent*) { show_setup(setup_); }

void CompareView::resizeEvent(QResizeEvent* event) {
    Page::resizeEvent(event);
    arrange_cells();
}

bool CompareView::eventFilter(QObject* watched, QEvent* event) {
    if (watched == grid_ && event->type() == QEvent::Resize) arrange_cells();
    return Page::eventFilter(watched, event);
}

void CompareView::show_setup(Id setup) {
    const Id now = desk_.chains.has(setup) ? setup : 0;
    const auto gone = std::erase_if(chosen_, [&](const Compared& c) {
        return !desk_.chains.has(c.setup) || !desk_.job.frame(c.frame) ||
               (c.as == Compared::As::version && !shoot::record(desk_.job.shoot().corrections, c.version));
    });
    const QString made_for = made_of();
    if (now == setup_ && !gone && made_for == made_for_ && pictures_.offered(now) == offered_ && !offered_.empty())
        return; // what is seen holds
    setup_ = now;
    if (made_for != made_for_) {
        made_.clear();
        ++round_;
    }
    made_for_ = made_for;
    fill_setups();
    fill_offer();
    if (chosen_.empty() && setup_) {
        std::vector<Compared> begin;
        for (const Compared& c : offered_)
            if (c.frame == desk_.chains.at(setup_).chart_frame.id && c.as != Compared::As::version) begin.push_back(c);
        choose(begin);
    } else {
        choose(chosen_);
    }
}

// Corrections and balances that the chosen pictures are developed with.
QString CompareView::made_of() const {
    QString all;
    for (const Compared& c : chosen_) {
        const Chain& chain = desk_.chains.at(c.setup);
        all += QString("%1|%2|").arg(c.setup).arg(chain.correction_id) + qt(sha256_of_text(chain.correction_content)) +
               (chain.balance ? QString::number(chain.balance->gains[0], 'g', 9) : QString()) + "|";
    }
    return all;
}

void CompareView::fill_setups() {
    const QSignalBlocker quiet(setups_);
    setups_->clear();
    setups_->addItem(tr("all setups: their chart shots"), qlonglong(0));
    for (const Id id : desk_.chains.ids())
        if (const Chain& c = desk_.chains.at(id); c.chart_frame.id || !c.frames.empty())
            setups_->addItem(qt(c.title), qlonglong(id));
    setups_->setCurrentIndex(std::max(0, setups_->findData(qlonglong(setup_))));
}

void CompareView::fill_offer() {
    const QSignalBlocker quiet(offer_);
    offered_ = pictures_.offered(setup_);
    frames_->setEnabled(setup_ && !offered_.empty());
    offer_->clear();
    for (const Compared& c : offered_) {
        const auto [setup, what] = pictures_.name_of(c);
        auto* item = new QListWidgetItem(setup_ ? what : setup + ": " + what);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
        const bool taken = std::find(chosen_.begin(), chosen_.end(), c) != chosen_.end();
        item->setCheckState(taken ? Qt::Checked : Qt::Unchecked);
        item->setSizeHint({0, 26});
        offer_->addItem(item);
    }
}

void CompareView::choose(const std::vector<Compared>& pictures) {
    chosen_ = pictures;
    if (chosen_.size() > most) chosen_.resize(most);
    made_for_ = made_of();
    flipped_ = std::min(flipped_, chosen_.empty() ? 0 : chosen_.size() - 1);
    {
        const QSignalBlocker quiet(offer_);
        for (int i = 0; i < offer_->count(); ++i) {
            const bool taken =
                std::find(chosen_.begin(), chosen_.end(), offered_[static_cast<std::size_t>(i)]) != chosen_.end();
            offer_->item(i)->setCheckState(taken ? Qt::Checked : Qt::Unchecked);
        }
    }
    let_go_of_others();
    fill_chosen();
    bring();
    bring_differences();
    show_pictures();
}

void CompareView::let_go_of_others() {
    std::erase_if(made_,
                  [&](const auto& m) { return std::find(chosen_.begin(), chosen_.end(), m.first) == chosen_.end(); });
    for (auto& [one, m] : made_) { // of another first picture
        m.difference = {};
        m.differs_asked = false;
    }
}

CompareView::Made& CompareView::made(const Compared& one) {
    for (auto& [which, m] : made_)
        if (which == one) return m;
    return made_.emplace_back(one, Made{}).second;
}

void CompareView::fill_chosen() {
    const QSignalBlocker quiet(table_);
    const int row = table_->currentRow();
    table_->setRowCount(static_cast<int>(chosen_.size()));
    for (std::size_t i = 0; i < chosen_.size(); ++i) {
        const auto [setup, what] = pictures_.name_of(chosen_[i]);
        const Made& m = made(chosen_[i]);
        const QString figure = i == 0                          ? tr("first")
                               : !m.difference.picture.empty() ? QString::number(m.difference.mean, 'f', 2)
                               : pictures_.can_be_laid(chosen_[0], chosen_[i]) ? QString::fromUtf8("\u2026")
                                                                               : QString::fromUtf8("\u2013");
        const QString name = QString("%1  %2: %3").arg(i + 1).arg(setup, what);
        for (int k = 0; k < 2; ++k) {
            auto* item = new QTableWidgetItem(k == 0 ? name : figure);
            item->setToolTip(k == 0 ? name
                             : figure == QString::fromUtf8("\u2013")
                                 ? tr("Two frames without a chart in both cannot be laid over each other")
                                 : QString());
            if (k == 1) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            table_->setItem(static_cast<int>(i), k, item);
        }
    }
    if (!chosen_.empty()) table_->setCurrentCell(std::clamp(row, 0, static_cast<int>(chosen_.size()) - 1), 0);
}

void CompareView::bring() {
    for (const Compared& one : chosen_) {
        Made& m = made(one);
        if (std::exchange(m.asked, true)) continue;
        pictures_.show(one, [this, one, round = round_](const Rendition& picture) {
            if (round != round_ || std::find(chosen_.begin(), chosen_.end(), one) == chosen_.end()) return;
            made(one).picture = picture;
            bring_differences();
            show_pictures();
        });
    }
}

// The figures of all, whatever is seen: they stand in the table.
void CompareView::bring_differences() {
    if (chosen_.empty()) return;
    const Compared first = chosen_.front();
    if (made(first).picture.empty()) return;
    for (std::size_t i = 1; i < chosen_.size(); ++i) {
        const Compared one = chosen_[i];
        Made& m = made(one);
        if (m.picture.empty() || std::exchange(m.differs_asked, true)) continue;
        const Rendition lead = made(first).picture;
        pictures_.difference(first, lead, one, m.picture, whitest, [this, first, one](const PictureDifference& d) {
            if (chosen_.empty() || chosen_.front() != first ||
                std::find(chosen_.begin(), chosen_.end(), one) == chosen_.end())
                return;
            made(one).difference = d;
            fill_chosen();
            if (seen_->currentIndex() == static_cast<int>(Seen::difference)) show_pictures();
        });
    }
}

std::vector<std::size_t> CompareView::shown() const {
    std::vector<std::size_t> all;
    switch (static_cast<Seen>(seen_->currentIndex())) {
    case Seen::grid:
        for (std::size_t i = 0; i < chosen_.size(); ++i) all.push_back(i);
        break;
    case Seen::difference:
        for (std::size_t i = 1; i < chosen_.size(); ++i) all.push_back(i);
        break;
    case Seen::flip:
        if (!chosen_.empty()) all.push_back(flipped_);
        break;
    case Seen::split:
        if (chosen_.size() > 1) all.push_back(0);
        break;
    }
    return all;
}

// So many columns that the pictures are largest.
void CompareView::arrange_cells() {
    empty_->setGeometry(grid_->rect().adjusted(40, 40, -40, -40));
    const auto n = static_cast<int>(shown().size());
    if (n == 0) return;
    constexpr double aspect = 1.5;
    int columns = 1;
    double most_area = 0;
    for (int c = 1; c <= n; ++c) {
        const int rows = (n + c - 1) / c;
        const double w = (grid_->width() - (c - 1) * cell_gap) / static_cast<double>(c),
                     h = (grid_->height() - (rows - 1) * cell_gap) / static_cast<double>(rows) - compare_caption,
                     area = std::min(w, h * aspect);
        if (area > most_area) {
            most_area = area;
            columns = c;
        }
    }
    const int rows = (n + columns - 1) / columns;
    for (int i = 0; i < n; ++i) {
        const int c = i % columns, r = i / columns;
        const auto edge = [](int k, int of, int length) { return k * (length + cell_gap) / of; };
        const int x = edge(c, columns, grid_->width()), y = edge(r, rows, grid_->height());
        cells_[static_cast<std::size_t>(i)].widget->setGeometry(x, y,
                                                                edge(c + 1, columns, grid_->width()) - cell_gap - x,
                                                                edge(r + 1, rows, grid_->height()) - cell_gap - y);
    }
}

void CompareView::show_pictures() {
    const auto seen = static_cast<Seen>(seen_->currentIndex());
    const auto all = shown();
    while (cells_.size() < all.size()) cells_.push_back(make_cell());
    scale_->setText(seen == Seen::difference ? tr("CIEDE2000 to picture 1: black 0, white %1 and more").arg(whitest)
                    : seen == Seen::flip && !chosen_.empty()
                        ? tr("%1 of %2; X goes on").arg(flipped_ + 1).arg(chosen_.size())
                        : QString());
    const QString what =
        desk_.chains.count() == 0 ? tr("Open a job with chart shots first.")
        : chosen_.empty() ? tr("Tick pictures at the right: a frame before and after, renderings and kept versions, or "
                               "several cameras' frames of one arrangement.")
                          : tr("Two pictures are needed for this: tick another.");
    empty_->setText(what);
    empty_->setVisible(all.empty());
    for (std::size_t i = 0; i < cells_.size(); ++i) {
        Cell& c = cells_[i];
        c.widget->setVisible(i < all.size());
        if (i >= all.size()) continue;
        const Compared& one = chosen_[all[i]];
        const Made& m = made(one);
        const bool differs = seen == Seen::difference;
        c.picture->set_after({});
        if (differs && !m.picture.empty() && !pictures_.can_be_laid(chosen_.front(), one))
            c.picture->set_picture({}, tr("Another frame without the chart: it cannot be laid over the first."));
        else c.picture->set_picture(differs ? m.difference.picture : m.picture, tr("Developing \u2026"));
        if (seen == Seen::split) {
            const auto first = pictures_.name_of(chosen_[0]), second = pictures_.name_of(chosen_[1]);
            c.picture->set_names(first.first + ": " + first.second, second.first + ": " + second.second);
            c.picture->set_after(made(chosen_[1]).picture);
        }
        if (place_) c.picture->go_to(*place_);
        tell(i, std::nullopt);
    }
    arrange_cells();
}

void CompareView::tell(std::size_t cell, const std::optional<QPointF>& share) {
    const auto all = shown();
    if (cell >= all.size()) return;
    const std::size_t i = all[cell];
    const auto [setup, what] = pictures_.name_of(chosen_[i]);
    QString words = QString("%1  %2: %3").arg(i + 1).arg(setup, what);
    const auto seen = static_cast<Seen>(seen_->currentIndex());
    if (seen == Seen::split) words = tr("X flips; the line is dragged");
    if (seen == Seen::difference && !made(chosen_[i]).difference.picture.empty())
        words += tr("\nmean %1").arg(made(chosen_[i]).difference.mean, 0, 'f', 2);
    const Rendition& r = made(chosen_[i]).picture;
    if (share && seen != Seen::difference && seen != Seen::split && r.deep) {
        const QSize size = r.levels.front().size();
        words +=
            "\n" +
            reading_words(apply::readout(*r.deep, size.width(), size.height(),
                                         std::clamp(static_cast<int>(share->x() * size.width()), 0, size.width() - 1),
                                         std::clamp(static_cast<int>(share->y() * size.height()), 0, size.height() - 1),
                                         read_side, "srgb"));
    }
    cells_[cell].caption->setText(words);
    cells_[cell].caption->setToolTip(words);
}

void CompareView::follow(PictureView* moved) {
    if (std::exchange(following_, true)) return;
    place_ = moved->place();
    for (const Cell& c : cells_)
        if (c.picture != moved && c.widget->isVisible()) c.picture->go_to(*place_);
    following_ = false;
}

void CompareView::flip() {
    if (chosen_.empty()) return;
    if (static_cast<Seen>(seen_->currentIndex()) == Seen::split) return cells_.front().picture->flip();
    if (static_cast<Seen>(seen_->currentIndex()) != Seen::flip) return show_as(Seen::flip);
    flipped_ = (flipped_ + 1) % chosen_.size();
    table_->setCurrentCell(static_cast<int>(flipped_), 0);
    show_pictures();
}

} // namespace refero::app
