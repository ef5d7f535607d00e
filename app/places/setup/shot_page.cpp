#include "shot_page.hpp"

#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QScrollArea>
#include <QTabWidget>

#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

QString exposure_text(double seconds) {
    if (seconds <= 0) return {};
    return seconds < 0.3 ? QObject::tr("1/%1 s").arg(qRound(1 / seconds)) : QObject::tr("%1 s").arg(seconds, 0, 'g', 2);
}

} // namespace

ShotPage::ShotPage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      picture_(new PictureView),
      verdict_(new QLabel),
      advice_(new FlowLabel),
      findings_(new QListWidget),
      found_(new FlowLabel),
      facts_(new Facts),
      frames_(new QListWidget),
      hint_(new QLabel) {
    make_verdict();
    make_placing();
    arrange("shot", picture_, make_evidence());
}

void ShotPage::make_verdict() {
    // Read from two metres away.
    QFont huge = figure_font();
    huge.setPointSizeF(1.7 * huge.pointSizeF());
    verdict_->setFont(huge);
    verdict_->setObjectName("verdict");
    QFont large = title_font();
    large.setPointSizeF(1.15 * large.pointSizeF());
    advice_->setFont(large);
    findings_->setAccessibleName(tr("Findings of the gate"));
    findings_->setToolTip(tr("Choose a finding to see its patch"));
    findings_->setWordWrap(true);
    findings_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    findings_->setStyleSheet("QListView::item { padding: 3px 6px; }");
    side()->setSpacing(6);
    side()->addWidget(verdict_);
    side()->addWidget(advice_);
    auto* first = side_row();
    next_ = side_button(QString(), {}, tr("The next step of this setup (Ctrl+Return)"), true, first);
    next_->setObjectName("nextButton");
    connect(next_, &QPushButton::clicked, this, &ShotPage::next_wanted);
    card_ = side_button(tr("Click the card"), "find",
                        tr("The square about the place that you click on sets balance and exposure"), false, first);
    card_->setObjectName("cardButton");
    middle_ = side_button(tr("Middle of the frame"), {},
                          tr("For a diffuser before the lens: the frame's middle half sets balance and exposure"),
                          false, first);
    middle_->setObjectName("middleButton");
    first->addStretch();
    connect(card_, &QPushButton::clicked, this, [this] { picture_->pick({tr("Click the card")}); });
    connect(middle_, &QPushButton::clicked, this, [this] { desk_.cards.balance_on(setup_, std::nullopt); });
    connect(findings_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item && !item->data(Qt::UserRole).toString().isEmpty())
            picture_->select_patch(item->data(Qt::UserRole).toString());
    });
}

void ShotPage::make_placing() {
    auto* actions = side_row();
    chart_ = new QComboBox;
    chart_->setObjectName("chartChoice");
    chart_->setAccessibleName(tr("Chart to look for"));
    chart_->setToolTip(tr("Which chart to look for in this shot"));
    chart_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(chart_, &QComboBox::activated, this, [this](int index) {
        Settings s = desk_.chains.at(setup_).settings;
        s.chart = chart_->itemData(index).toString().toStdString();
        if (s.chart.empty()) s.corners.reset();
        desk_.setups.change(setup_, s, tr("Look for %1").arg(chart_->itemText(index).toLower()));
    });
    by_hand_ = side_button(tr("Place by hand"), "find",
                           tr("For a chart that is not found, or cut off by the frame's edge"), false, actions);
    snap_ = side_button(tr("Snap to the patches"), "find",
                        tr("Moves the corners so that the patches' edges lie on the picture's"), false, actions);
    connect(snap_, &QPushButton::clicked, this, &ShotPage::snap);
    refuse_ = side_button(QString(), "cancel", QString(), false, actions);
    refuse_->setObjectName("refuseButton");
    connect(refuse_, &QPushButton::clicked, this, [this] {
        if (!desk_.chains.at(setup_).refused.empty() && desk_.chains.at(setup_).shot)
            return desk_.setups.accept(setup_);
        QMenu why(this);
        for (const QString& reason :
             {tr("a shadow falls on it"), tr("glare or sheen"), tr("a finger or dirt on a patch"), tr("out of focus"),
              tr("clipped or too dark"), tr("tilted or too small"), tr("in other light than the subject"),
              tr("another reason")})
            why.addAction(reason, this, [this, reason] { desk_.setups.refuse(setup_, reason); });
        why.exec(refuse_->mapToGlobal(QPoint(0, 0)));
    });
    again_ = side_button(tr("Find the chart again"), "reset", tr("Forgets the corners given by hand"), false, actions);
    actions->addWidget(chart_, 1);
    auto* ways = new QMenu(by_hand_);
    ways->addAction(tr("Drag four corners"), this, &ShotPage::place_by_hand);
    ways->addAction(tr("Click the first and the last patch"), this, [this] {
        const chart::Definition d = chart::find_definition(chosen_chart());
        picture_->pick({tr("Click the middle of patch %1").arg(QString::fromStdString(d.patches.front().id)),
                        tr("Now the middle of patch %1").arg(QString::fromStdString(d.patches.back().id))});
    });
    ways->addSeparator();
    ways->addAction(tr("Teach this chart \u2026"), this, [this] {
        picture_->pick({tr("Click just outside the card's top left patch"), tr("Now outside the top right patch"),
                        tr("Outside the bottom right patch"), tr("Outside the bottom left patch")});
    });
    by_hand_->setMenu(ways);
    connect(picture_, &PictureView::picked, this, [this](const std::vector<chart::Point>& at) {
        if (at.size() == 4) desk_.cards.teach(setup_, {at[0], at[1], at[2], at[3]});
        else if (at.size() == 1) desk_.cards.balance_on(setup_, at[0]);
        else place_from_two(at[0], at[1]);
    });
    connect(again_, &QPushButton::clicked, this, [this] {
        Settings s = desk_.chains.at(setup_).settings;
        s.corners.reset();
        s.chart.clear();
        desk_.setups.change(setup_, s, tr("Find the chart"));
        desk_.readings.want(setup_); // also where that was cancelled
    });
    connect(picture_, &PictureView::corners_moved, this, [this](const chart::Corners& corners) {
        const Chain& state = desk_.chains.at(setup_);
        Settings s = state.settings;
        if (s.chart.empty()) s.chart = chosen_chart();
        s.corners = corners;
        desk_.setups.change(setup_, s, tr("Move a corner"));
    });
}

QWidget* ShotPage::make_evidence() {
    auto* tabs = new QTabWidget;
    tabs->setObjectName("shotTabs");
    tabs->setDocumentMode(true);
    auto* found = new QWidget;
    auto* proof = new QVBoxLayout(found);
    proof->setContentsMargins(0, 6, 0, 0);
    for (QWidget* w : std::initializer_list<QWidget*>{findings_, found_, facts_}) proof->addWidget(w);
    proof->addStretch();
    auto* seen = new QScrollArea; // many findings, and the facts below them
    seen->setWidgetResizable(true);
    seen->setFrameShape(QFrame::NoFrame);
    seen->viewport()->setAutoFillBackground(false);
    seen->setWidget(found);
    found->setAutoFillBackground(false); // setWidget() turns it on
    tabs->addTab(seen, tr("What the gate sees"));
    auto* grid = new QWidget;
    auto* column = new QVBoxLayout(grid);
    column->setContentsMargins(0, 6, 0, 0);
    hint_->setText(tr("None yet. Drop frames taken in the same setup onto the window to see them corrected."));
    hint_->setProperty("dim", true);
    column->addWidget(hint_);
    frames_->setViewMode(QListView::IconMode);
    frames_->setIconSize({168, 112});
    frames_->setGridSize({186, 140});
    frames_->setResizeMode(QListView::Adjust);
    frames_->setMovement(QListView::Static);
    frames_->setWordWrap(true);
    frames_->setAccessibleName(tr("Frames of this setup"));
    frames_->setToolTip(tr("Open a frame to see it before and after the correction"));
    column->addWidget(frames_, 1);
    connect(frames_, &QListWidget::itemActivated, this,
            [this](QListWidgetItem* item) { emit frame_chosen(item->data(Qt::UserRole).toLongLong()); });
    values_ = new ValuesPanel(desk_);
    tabs->addTab(values_, tr("Values of this chart"));
    tabs->addTab(grid, tr("Frames of this setup"));
    return tabs;
}

void ShotPage::place_by_hand() {
    const Chain& state = desk_.chains.at(setup_);
    const auto frame = desk_.pictures.of(setup_).frame;
    if (!frame) return;
    const double w = frame->full_width, h = frame->full_height;
    Settings s = state.settings;
    s.chart = chosen_chart();
    s.corners = chart::Corners{chart::Point(0.3 * w, 0.3 * h), chart::Point(0.7 * w, 0.3 * h),
                               chart::Point(0.7 * w, 0.7 * h), chart::Point(0.3 * w, 0.7 * h)};
    desk_.setups.change(setup_, s, tr("Place the corners"));
}

void ShotPage::place_from_two(const chart::Point& first, const chart::Point& last) {
    desk_.notices.guarded([&] {
        const chart::Definition d = chart::find_definition(chosen_chart());
        desk_.setups.place(setup_, d.id, chart::corners_from_first_and_last(d, first, last),
                           tr("Place the chart by its first and last patch"));
    });
}

void ShotPage::snap() {
    const Settings& s = desk_.chains.at(setup_).settings;
    if (s.corners) desk_.setups.place(setup_, s.chart, *s.corners, tr("Snap the corners"));
}

std::string ShotPage::chosen_chart() const {
    const Chain& state = desk_.chains.at(setup_);
    return !state.settings.chart.empty() ? state.settings.chart : state.shot ? state.shot->definition.id : "grid24";
}

void ShotPage::show_chart_choice(const Chain& s) {
    const QString now = QString::fromStdString(s.settings.chart);
    const bool by_hand = s.settings.corners.has_value();
    if (chart_->count() == 0 || chart_->property("byHand").toBool() != by_hand || chart_->findData(now) < 0) {
        chart_->clear();
        if (!by_hand) chart_->addItem(tr("Any chart"), QString());
        for (const chart::Definition& d : chart::installed())
            if (d.variant_of.empty() && (by_hand || d.patches.size() >= 8))
                chart_->addItem(QString::fromStdString(d.title), QString::fromStdString(d.id));
        if (chart_->findData(now) < 0) chart_->addItem(now, now); // a definition file of its own
        chart_->setProperty("byHand", by_hand);
    }
    chart_->setCurrentIndex(chart_->findData(now));
}

/// A finding's gravity as a shape: a cross for what refuses, a triangle for a caution, a broken ring for what is not
/// known.
static QIcon mark_of(inspect::Status status, const QColor& ink) {
    constexpr int size = 32;
    QPixmap pixmap(size, size);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    QPen pen(ink, 3.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin);
    if (status == inspect::Status::unknown) {
        pen.setDashPattern({1.6, 1.9});
        painter.setPen(pen);
        painter.drawEllipse(6, 6, 20, 20);
    } else if (status == inspect::Status::caution) {
        painter.setPen(pen);
        painter.drawPolygon(QPolygonF({{16, 6}, {27, 25}, {5, 25}}));
    } else {
        painter.setPen(pen);
        painter.drawLine(8, 8, 24, 24);
        painter.drawLine(24, 8, 8, 24);
    }
    return QIcon(pixmap);
}

/// The shot shows a card of one surface, touched in one place.
static bool of_card(const Chain& s) { return s.shot && s.shot->definition.patches.size() == 1; }

void ShotPage::show_verdict(const Chain& s) {
    const bool waiting = desk_.tasks.busy(Doing::making, s.id) || (desk_.tasks.busy(Doing::reading, s.id) && !s.shot);
    verdict_->setText(waiting ? QString() : gate_words(s));
    verdict_->setVisible(!waiting);
    advice_->setText(remedy_of(s));
    advice_->setVisible(!advice_->text().isEmpty());
    const QString next = s.shot && s.refused.empty() ? next_of(s, s.current(), desk_.tasks) : QString();
    next_->setText(next);
    next_->setVisible(!next.isEmpty());
    const QSignalBlocker quiet(findings_);
    findings_->clear();
    for (const shoot::FindingRecord& f : s.findings) {
        const inspect::Status status = f.status;
        if (status == inspect::Status::pass) continue;
        if (status == inspect::Status::unknown && of_card(s)) continue; // a card is one surface: it tells but little
        QString check = qt(inspect::name_of(f.check)).replace('_', ' ');
        check[0] = check[0].toUpper();
        const QString words = status == inspect::Status::unknown
                                  ? tr("%1: cannot be told from this frame").arg(check)
                                  : tr("%1: %2 %3, limit %4")
                                        .arg(check, QString::number(f.value, 'g', 3), QString::fromStdString(f.unit),
                                             QString::number(f.limit, 'g', 3));
        auto* item = new QListWidgetItem(mark_of(status, findings_->palette().color(QPalette::Text)), words, findings_);
        item->setData(Qt::UserRole, QString::fromStdString(f.patches).section(' ', 0, 0));
        item->setToolTip(QString::fromStdString(f.advice));
        if (f.status == inspect::Status::reshoot) {
            QFont bold = findings_->font();
            bold.setWeight(QFont::DemiBold);
            item->setFont(bold);
        }
    }
    findings_->setVisible(findings_->count() > 0);
    int height = 8;
    for (int i = 0; i < findings_->count(); ++i) height += findings_->sizeHintForRow(i);
    findings_->setFixedHeight(std::min(330, height));
    found_->setText(!s.shot              ? QString()
                    : of_card(s)         ? tr("The square that was touched sets balance and exposure.")
                    : s.settings.corners ? tr("%1, corners by hand. Fine steps: choose a corner, then the arrow keys.")
                                               .arg(QString::fromStdString(s.shot->placement.chart))
                                         : tr("%1 found, %2 % sure. Drag a corner if it is off.")
                                               .arg(QString::fromStdString(s.shot->placement.chart))
                                               .arg(100 * s.shot->placement.confidence, 0, 'f', 0));
    found_->setVisible(s.shot != nullptr);
}

void ShotPage::show_setup(Id setup) {
    setup_ = setup;
    const Chain& s = desk_.chains.at(setup);
    refuse_->setVisible(s.chart_shot != 0);
    refuse_->setText(s.refused.empty() ? tr("Refuse this chart shot \u2026") : tr("Accept it after all"));
    refuse_->setToolTip(s.refused.empty() ? tr("It is not used any more; a correction fitted to it turns stale")
                                          : tr("Takes the refusal back"));
    picture_->set_picture(desk_.pictures.of(setup).picture,
                          desk_.tasks.busy(Doing::making, setup) ? tr("The frame is being made \u2026")
                          : desk_.tasks.busy(Doing::reading, setup) || desk_.tasks.busy(Doing::looking, setup)
                              ? tr("Reading the frame \u2026")
                          : s.problem.empty()
                              ? tr("No chart shot yet.\nDrop a frame that shows the chart onto the window.")
                              : qt(s.problem));
    std::optional<chart::Corners> corners = s.settings.corners;
    if (!corners && s.shot) corners = s.shot->placement.corners;
    std::optional<chart::Definition> by_hand;
    if (!s.shot && corners) by_hand = chart::find_definition(s.settings.chart);
    picture_->set_chart(s.shot ? &s.shot->definition : by_hand ? &*by_hand : nullptr, corners, !of_card(s));
    const bool card = s.balance_only() && s.chart_shot && (s.refused.empty() || s.refused == s.problem) &&
                      desk_.pictures.of(setup).frame;
    card_->setVisible(card);
    card_->setText(s.shot ? tr("Click another spot") : tr("Click the card"));
    middle_->setVisible(card);
    refuse_->setVisible(s.chart_shot != 0 && !(card && !s.shot));
    // One click is all that is asked for.
    if (!card || s.shot || asked_for_card_ == s.chart_shot) {
        if (!card) asked_for_card_ = 0;
    } else if (!desk_.tasks.busy(Doing::reading, setup)) {
        asked_for_card_ = s.chart_shot;
        picture_->pick({tr("Click the card")});
    }
    by_hand_->setVisible(desk_.pictures.of(setup).frame && !corners && !card);
    snap_->setVisible(desk_.pictures.of(setup).frame && s.settings.corners && !of_card(s));
    chart_->setVisible(s.chart_shot != 0);
    show_chart_choice(s);
    again_->setVisible(s.settings.corners.has_value() && !of_card(s));
    show_verdict(s);
    values_->show_chain(s);
    const shoot::FrameRecord& m = s.chart_frame;
    std::vector<std::pair<QString, QString>> facts;
    if (s.shot && s.reference)
        facts.emplace_back(tr("Values"),
                           s.nominal() ? tr("nominal: bring those of the card in hand") : tr("of the card in hand"));
    if (s.shot && !of_card(s)) {
        facts.emplace_back(tr("Tilt"), tr("%1\u00b0").arg(s.shot->placement.tilt_deg, 0, 'f', 1));
        facts.emplace_back(tr("Share of frame"), tr("%1 %").arg(100 * s.shot->placement.frame_fraction, 0, 'f', 1));
        if (s.shot->placement.mirrored) facts.emplace_back(tr("Mirrored"), tr("yes: check how the frame came in"));
    }
    if (m.id) {
        facts.emplace_back(tr("Camera"), QString::fromStdString(m.model));
        facts.emplace_back(tr("Lens"), QString::fromStdString(m.lens_name));
        facts.emplace_back(tr("Exposure"), QStringList{exposure_text(m.exposure_s),
                                                       m.f_number > 0 ? tr("f/%1").arg(m.f_number) : QString(),
                                                       m.iso > 0 ? tr("ISO %1").arg(m.iso) : QString()}
                                               .filter(QRegularExpression("."))
                                               .join(", "));
        facts.emplace_back(tr("Taken"), QString::fromStdString(m.taken).replace('T', ' '));
        if (s.shot)
            facts.emplace_back(tr("Size"),
                               tr("%1 \u00d7 %2").arg(s.shot->frame.full_width).arg(s.shot->frame.full_height));
        facts.emplace_back(tr("File"), QString::fromStdString(fs::path(m.path).filename().string()));
        facts.emplace_back(tr("Here because"), QString::fromStdString(m.reason));
    }
    facts_->set(facts);

    if (setup == shown_setup_ && s.frames == shown_frames_) return;
    shown_setup_ = setup;
    shown_frames_ = s.frames;
    frames_->clear();
    QPixmap blank(frames_->iconSize());
    blank.fill(Theme::now().raised);
    hint_->setVisible(s.frames.empty());
    // A setup can have thousands: the first ones here, all of them in the list of frames.
    constexpr std::size_t most = 200;
    for (std::size_t k = 0; k < std::min(most, s.frames.size()); ++k) {
        const shoot::FrameRecord* row = desk_.job.frame(s.frames[k]);
        auto* item =
            new QListWidgetItem(QIcon(blank), QString::fromStdString(fs::path(row->path).filename().string()), frames_);
        item->setData(Qt::UserRole, qlonglong(row->id));
        item->setToolTip(QString::fromStdString(row->path + "\n" + row->reason));
        desk_.pictures.thumbnail(row->id, [this, setup, id = row->id](const QImage& image) {
            if (setup != setup_) return;
            for (int i = 0; i < frames_->count(); ++i)
                if (frames_->item(i)->data(Qt::UserRole).toLongLong() == id) {
                    QIcon picture(QPixmap::fromImage(image));
                    picture.addPixmap(QPixmap::fromImage(image), QIcon::Selected);
                    frames_->item(i)->setIcon(picture);
                }
        });
    }
}

} // namespace refero::app
