#include "frames_view.hpp"

#include <QApplication>
#include <QFileDialog>
#include <QHeaderView>
#include <QMenu>
#include <QStyle>
#include <QVBoxLayout>
#include <numeric>

#include "clip_panel.hpp"
#include "operations/handover/plate.hpp"
#include "places/setup/page.hpp"
#include "ui/theme.hpp"

namespace refero::app {

void FramesView::share_width() {
    // Where all frames are of the job's day, the room of their dates goes to the reasons.
    const int taken = model_->tells_days() ? 152 : 84;
    const std::array<int, FramesModel::column_count> least{80, 104, taken, 156, 172, 56, 118, 190, 312 - taken};
    const int room = table_->width() - 2 * table_->frameWidth() - style()->pixelMetric(QStyle::PM_ScrollBarExtent);
    const double all = std::accumulate(least.begin(), least.end(), 0), more = std::max(1.0, room / all);
    for (int c = 0; !own_widths_ && c < FramesModel::column_count - 1; ++c) // the last takes what is left
        table_->setColumnWidth(c, static_cast<int>(more * least[static_cast<std::size_t>(c)]));
}

void FramesView::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    layout()->activate();
    share_width();
}

FramesView::FramesView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      model_(new FramesModel(desk, this)),
      table_(new QTableView),
      filter_(new QLineEdit),
      summary_(new QLabel),
      empty_(new QLabel),
      setups_(new QComboBox),
      put_(new QPushButton(tr("Put into"))),
      chart_(new QPushButton(tr("Is the chart shot"))),
      watch_(new QPushButton(icon("folder"), tr("Watch a folder \u2026"))),
      clip_(new ClipPanel(desk)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 12, 14, 12);
    auto* head = new QHBoxLayout;
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    auto* title = new QLabel(tr("Frames"));
    title->setFont(title_font());
    words->addWidget(title);
    summary_->setProperty("dim", true);
    words->addWidget(summary_);
    head->addLayout(words, 1);
    filter_->setPlaceholderText(tr("Filter: file, camera, setup, why"));
    filter_->setClearButtonEnabled(true);
    filter_->setFixedWidth(230);
    head->addWidget(filter_);
    watch_->setToolTip(
        tr("New frames in this folder and below come in by themselves: a card, or the folder of a tethered camera"));
    watch_->setObjectName("watchButton");
    head->addWidget(watch_);
    layout->addLayout(head);

    set_up_table();
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setProperty("dim", true);
    layout->addWidget(empty_, 1);
    layout->addWidget(table_, 1);
    layout->addWidget(clip_);
    layout->addLayout(make_actions());

    filter_->setAccessibleName(tr("Filter of the frames"));
    connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
        model_->set_filter(text);
        tell();
    });
    connect(watch_, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder to watch"), last_folder());
        if (!folder.isEmpty()) desk_.frames.open({folder.toStdString()}, 0);
        tell();
    });
    connect(&desk.chains, &Chains::frames_changed, this, &FramesView::tell);
    connect(&desk.frames, &Frames::missing_changed, this, [this] {
        table_->viewport()->update();
        tell();
    });
    connect(&desk.chains, &Chains::structure_changed, this, &FramesView::fill_setups);
    fill_setups();
    tell();
}

void FramesView::set_up_table() {
    table_->setModel(model_);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->setSortingEnabled(true);
    table_->sortByColumn(FramesModel::taken, Qt::DescendingOrder);
    table_->setShowGrid(false);
    table_->setWordWrap(false);
    table_->setIconSize({60, 36});
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(40);
    table_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->setContextMenuPolicy(Qt::CustomContextMenu);
    table_->setAccessibleName(tr("Frames of the job"));
    table_->horizontalHeader()->setStretchLastSection(true);
    share_width();
    connect(table_->horizontalHeader(), &QHeaderView::sectionResized, this, [this] {
        if (QApplication::mouseButtons() & Qt::LeftButton) own_widths_ = true; // pulled by hand: they stay
    });
    connect(table_, &QWidget::customContextMenuRequested, this, &FramesView::menu_at);
    connect(table_, &QTableView::activated, this, [this](const QModelIndex& i) {
        const shoot::FrameRecord* f = desk_.job.frame(model_->id_at(i.row()));
        if (f && f->setup) emit setup_opened(f->setup);
    });
    connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &FramesView::tell);
}

QLayout* FramesView::make_actions() {
    auto* row = new QHBoxLayout;
    put_->setToolTip(tr("Puts the chosen frames into this setup"));
    put_->setObjectName("putButton");
    setups_->setMinimumWidth(240);
    setups_->setObjectName("setupBox");
    setups_->setAccessibleName(tr("Setup"));
    row->addWidget(put_);
    row->addWidget(setups_);
    row->addSpacing(12);
    chart_->setToolTip(tr("The chosen frame is the chart shot of this setup"));
    row->addWidget(chart_);
    row->addStretch();
    auto* hint = new QLabel(tr("Bold: put there by hand. More by the right mouse button."));
    hint->setProperty("dim", true);
    row->addWidget(hint);
    connect(put_, &QPushButton::clicked, this, [this] {
        if (!chosen().empty()) desk_.frames.assign(chosen(), setups_->currentData().toLongLong());
    });
    connect(chart_, &QPushButton::clicked, this, [this] {
        const auto frames = chosen();
        if (frames.size() == 1)
            desk_.frames.make_chart_shot(frames.front(), setups_->currentData().toLongLong(),
                                         clip_->isVisible() ? clip_->position_s() : 0);
    });
    return row;
}

std::vector<Id> FramesView::chosen() const {
    std::vector<Id> all;
    for (const QModelIndex& i : table_->selectionModel()->selectedRows()) all.push_back(model_->id_at(i.row()));
    return all;
}

void FramesView::choose(const std::vector<Id>& frames) {
    table_->clearSelection();
    for (int r = 0; r < model_->rowCount(); ++r)
        if (std::find(frames.begin(), frames.end(), model_->id_at(r)) != frames.end())
            table_->selectionModel()->select(model_->index(r, 0),
                                             QItemSelectionModel::Select | QItemSelectionModel::Rows);
}

void FramesView::fill_setups() {
    const QVariant kept = setups_->currentData();
    setups_->clear();
    for (const Id id : desk_.chains.ids()) setups_->addItem(desk_.chains.title_of(id), qlonglong(id));
    setups_->addItem(tr("no setup"), qlonglong(0));
    setups_->setCurrentIndex(std::max(0, setups_->findData(kept)));
}

void FramesView::tell() {
    const auto& frames = desk_.job.shoot().frames;
    std::size_t all = 0, lost = 0, unreadable = 0;
    for (const shoot::FrameRecord& f : frames) {
        if (f.same_as) continue;
        ++all;
        lost += !f.setup && f.problem.empty();
        unreadable += !f.problem.empty();
    }
    QStringList parts{all == 1 ? tr("1 frame") : tr("%1 frames").arg(all)};
    if (lost) parts << tr("%1 without a setup").arg(lost);
    if (unreadable) parts << tr("%1 unreadable").arg(unreadable);
    if (desk_.frames.missing()) parts << tr("%1 not where they were").arg(desk_.frames.missing());
    if (const int changed = desk_.frames.changed()) parts << tr("%1 cut or replaced since").arg(changed);
    if (const auto watched = desk_.watcher.folders(); !watched.empty()) {
        QStringList names;
        for (const fs::path& w : watched) names << QString::fromStdString(w.filename().string());
        parts << tr("watching %1").arg(names.join(", "));
    }
    summary_->setText(parts.join(", "));
    const bool none = model_->rowCount() == 0;
    empty_->setText(all ? tr("No frame holds these words.")
                        : tr("No frames yet.\nWatch a folder, or drop frames here; each one finds its setup by camera, "
                             "lens, mode and time."));
    empty_->setVisible(none);
    table_->setVisible(!none);
    const auto picked = chosen();
    put_->setEnabled(!picked.empty() && setups_->count() > 1);
    put_->setText(picked.size() > 1 ? tr("Put %1 frames into").arg(picked.size()) : tr("Put into"));
    chart_->setEnabled(picked.size() == 1 && setups_->currentData().toLongLong());
    clip_->set_frame(picked.size() == 1 ? picked.front() : 0);
}

void FramesView::menu_at(const QPoint& at) {
    const auto picked = chosen();
    if (picked.empty()) return;
    QMenu menu(this);
    menu.addAction(tr("Let them find their setups"), this, [=, this] { desk_.frames.let_assign(picked); });
    menu.addAction(tr("Look at the file again"), this, [=, this] { desk_.frames.look_again(picked); })
        ->setToolTip(tr("What could not be read, or has changed since it came in, is read as it is now"));
    if (picked.size() == 1)
        menu.addAction(tr("Shows no chart after all"), this, [=, this] { desk_.frames.make_ordinary(picked.front()); });
    menu.addAction(tr("Both show the same moment (sets the clocks)"), this,
                   [=, this] { desk_.frames.same_moment(picked[0], picked[1]); })
        ->setEnabled(picked.size() == 2);
    QMenu* effects = menu.addMenu(tr("For effects"));
    effects->setToolTip(tr("Parts of an effects set, written on the setup's page Handover as neutral plates"));
    const auto part = [&](const QString& words, std::optional<operations::PlateRole> role) {
        effects->addAction(words, this,
                           [=, this] { desk_.frames.give_role(picked, role ? shoot::name_of(*role) : std::string()); });
    };
    part(tr("Plate: effects are put into it"), operations::PlateRole::plate);
    part(tr("Clean plate: without what will be replaced"), operations::PlateRole::clean);
    part(tr("Reference object: a grey or mirror ball"), operations::PlateRole::object);
    part(tr("None"), std::nullopt);
    menu.addSeparator();
    menu.addAction(tr("Remove from the job (the files stay)"), this, [=, this] { desk_.frames.remove(picked); });
    menu.exec(table_->viewport()->mapToGlobal(at));
}

} // namespace refero::app
