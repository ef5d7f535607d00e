#include "plan_view.hpp"
#include "model/text.hpp"

#include <QFileDialog>
#include <QHeaderView>
#include <QLineEdit>
#include <QPrintDialog>
#include <QPrinter>
#include <QRegularExpression>
#include <QSplitter>
#include <QTimer>
#include <QVBoxLayout>

#include "places/board/board_model.hpp"
#include "places/setup/page.hpp"
#include "plan/shot_list.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shot_list_page.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

/// The kind of light that a name speaks of.
shoot::LightKind kind_named(const QString& name) {
    const QString n = name.toLower();
    const std::pair<const char*, shoot::LightKind> words[] = {{"window", shoot::LightKind::window},
                                                              {"tungsten", shoot::LightKind::tungsten},
                                                              {"incandescent", shoot::LightKind::tungsten},
                                                              {"halogen", shoot::LightKind::tungsten},
                                                              {"flash", shoot::LightKind::flash},
                                                              {"strobe", shoot::LightKind::flash},
                                                              {"led", shoot::LightKind::led},
                                                              {"panel", shoot::LightKind::led},
                                                              {"fluorescent", shoot::LightKind::fluorescent},
                                                              {"tube", shoot::LightKind::fluorescent},
                                                              {"shade", shoot::LightKind::shade},
                                                              {"sun", shoot::LightKind::sun},
                                                              {"daylight", shoot::LightKind::sun},
                                                              {"outdoor", shoot::LightKind::sun},
                                                              {"candle", shoot::LightKind::candle},
                                                              {"discharge", shoot::LightKind::discharge},
                                                              {"mixed", shoot::LightKind::mixed}};
    for (const auto& [word, kind] : words)
        if (n.contains(word)) return kind;
    return shoot::LightKind::window;
}

/// Usual colours of kinds of light (common practice): daylight about 5500 K, incandescent 3000, open shade 6500 to
/// 7000.
double usual_kelvin(shoot::LightKind kind) {
    switch (kind) {
    case shoot::LightKind::tungsten: return 3000;
    case shoot::LightKind::shade: return 6800;
    case shoot::LightKind::window: return 6000;
    case shoot::LightKind::sun:
    case shoot::LightKind::flash: return 5500;
    case shoot::LightKind::candle: return 1900;
    default: return 0;
    }
}

template<class T>
const T* by_name(const std::vector<T>& list, const QString& name) {
    for (const T& row : list)
        if (qt(row.name).compare(name, Qt::CaseInsensitive) == 0) return &row;
    return nullptr;
}

} // namespace

PlanView::PlanView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      matrix_(new QTableWidget),
      cameras_(new QComboBox),
      lights_(new QComboBox),
      lenses_(new QComboBox),
      cards_(new QComboBox),
      empty_(new QLabel),
      details_title_(new FlowLabel),
      right_(new QTabWidget),
      list_(new QTextBrowser),
      forms_(new QStackedWidget),
      lens_of_row_(new QComboBox),
      mode_of_row_(new QComboBox),
      place_of_light_(new QComboBox),
      card_of_setup_(new QComboBox),
      holding_(new FlowLabel) {
    auto* outer = new QHBoxLayout(this);
    outer->setContentsMargins(14, 12, 14, 12);
    outer->setSpacing(12);
    make_forms();
    outer->addWidget(make_left());
    auto* split = new QSplitter;
    split->setHandleWidth(10);
    split->setChildrenCollapsible(false);
    split->addWidget(make_middle());
    split->addWidget(make_right());
    split->setSizes({560, 430});
    outer->addWidget(split, 1);
    connect(&desk.chains, &Chains::structure_changed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&desk.job, &JobDocument::history_changed, this, [this] {
        if (isVisible()) refresh();
    });
}

QWidget* PlanView::make_left() {
    auto* panel = new QFrame;
    panel->setProperty("panel", true);
    panel->setFixedWidth(262);
    auto* column = new QVBoxLayout(panel);
    column->setContentsMargins(14, 12, 14, 12);
    auto* title = new QLabel(tr("The shoot"));
    title->setFont(title_font());
    column->addWidget(title);
    brief_ = std::make_unique<RecordForm<shoot::JobSettingsRecord>>(
        panel,
        [this](const shoot::JobSettingsRecord& b, const QString& what) { update_row(b, tr("Plan: %1").arg(what)); });
    brief_->text(tr("Title"), &shoot::JobSettingsRecord::title);
    brief_->text(tr("Client"), &shoot::JobSettingsRecord::client,
                 tr("Jobs for one client form a series; their chart shots are compared in Kit"));
    brief_->day(tr("Date"), &shoot::JobSettingsRecord::date);
    brief_->choice(tr("Lenses"), &shoot::JobSettingsRecord::lens_school, {tr("each its own"), tr("one for all")},
                   tr("Two schools. Strict: each lens has its own colour. Common: differences between lenses are "
                      "negligible outside the studio."));
    brief_->choice(tr("Chart"), &shoot::JobSettingsRecord::share_school, {tr("a tenth of it"), tr("fills the frame")},
                   tr("Two schools. A smaller chart has too few pixels, one that fills the frame meets vignetting."));
    brief_->choice(tr("Turned chart"), &shoot::JobSettingsRecord::turn_school,
                   {tr("a slight turn is fine"), tr("any turn refused")},
                   tr("The gate judges the better of the angles to the camera and to the sensor, or the worse one"));
    brief_->choice(tr("Balance"), &shoot::JobSettingsRecord::balance_school,
                   {tr("from a card"), tr("by Kelvin"), tr("automatic")},
                   tr("How white balance is set in the camera; automatic will do for raw only, corrected from the "
                      "chart afterwards"));
    brief_->choice(tr("Video"), &shoot::JobSettingsRecord::exposure_school, {tr("as metered"), tr("one stop over")},
                   tr("Exposure of log video"));
    brief_->choice(
        tr("Frames follow"), &shoot::JobSettingsRecord::stretch_school,
        {tr("the nearest (usual)"), tr("the chart before"), tr("the chart after"), tr("the nearest chart"),
         tr("both, by time")},
        tr("Which chart shot a frame is corrected by where a light has several: the last before it, the next "
           "after it, the nearest in time, or what lies between both neighbours"));
    brief_->choice(
        tr("Exposure"), &shoot::JobSettingsRecord::frame_exposure,
        {tr("by settings"), tr("the chart's"), tr("as shot"), tr("levelled"), tr("by a region")},
        tr("What sets the brightness of developed frames: the chart shot's exposure for frames that the camera was set "
           "alike for and as shot for all others; the chart's for every frame; none; the camera's settings evened out; "
           "or "
           "a region that was marked for the stretch"));
    brief_->flag(tr("The cameras are to be matched"), &shoot::JobSettingsRecord::matching,
                 tr("Suggests an arrangement to put before all of them"));
    brief_->flag(tr("Plan fallbacks"), &shoot::JobSettingsRecord::fallbacks,
                 tr("One correction per camera and common kind of light, for what could not be shot"));
    brief_->number(tr("ISO apart"), &shoot::JobSettingsRecord::iso_stops, 0.3, 8, 1, tr("stops"),
                   tr("Frames that far from the chart shot's ISO make its correction stale"));
    brief_->number(tr("Good for"), &shoot::JobSettingsRecord::light_days, 0, 3650, 0, tr("days"),
                   tr("So long a correction holds for the same light"));
    brief_->number(tr("Chart's life"), &shoot::JobSettingsRecord::chart_years, 0.5, 50, 1, tr("years"),
                   tr("Older patches are to be compared or replaced"));
    column->addWidget(brief_->widget());
    column->addStretch();
    return panel;
}

QWidget* PlanView::make_middle() {
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    auto* bar = new QHBoxLayout;
    const auto add_box = [&](QComboBox* box, const QString& hint, const QString& tooltip, auto&& add) {
        box->setEditable(true);
        box->setInsertPolicy(QComboBox::NoInsert);
        box->lineEdit()->setPlaceholderText(hint);
        box->setToolTip(tooltip);
        box->setAccessibleName(hint);
        box->setMinimumWidth(100);
        const auto take = [this, box, add] {
            const QString name = box->currentText().trimmed();
            if (name.isEmpty()) return;
            (this->*add)(name);
            box->setCurrentIndex(-1);
            box->clearEditText();
        };
        connect(box->lineEdit(), &QLineEdit::returnPressed, this, take);
        connect(box, &QComboBox::activated, this, take);
        bar->addWidget(box, 1);
    };
    add_box(cameras_, tr("Add a camera"), tr("A camera of the kit, or a new name; Return adds it"),
            &PlanView::add_camera);
    add_box(lights_, tr("Add a light"), tr("A light of the kit, or a new name; its kind is told by the name"),
            &PlanView::add_light);
    add_box(lenses_, tr("Add a lens"),
            tr("A lens with its focal length in the name, such as 50 mm; the distance to the chart follows from it"),
            &PlanView::add_lens);
    add_box(cards_, tr("Add a chart"), tr("A chart or card of the kit, or a new name"), &PlanView::add_card);
    all_ = new QPushButton(tr("Plan all"));
    all_->setToolTip(tr("Ticks every combination of camera and light"));
    all_->setObjectName("planAllButton");
    connect(all_, &QPushButton::clicked, this, &PlanView::plan_all);
    column->addLayout(bar);
    empty_->setText(tr("Type the cameras and the lights of the shoot above, each with Return,\na lens and a chart to "
                       "know the distances.\nThen tick the combinations that are to be shot."));
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setProperty("dim", true);
    column->addWidget(empty_, 1);
    matrix_->setSelectionMode(QAbstractItemView::SingleSelection);
    matrix_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    matrix_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    matrix_->horizontalHeader()->setFixedHeight(44);
    matrix_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch); // over the width that there is
    matrix_->horizontalHeader()->setMinimumSectionSize(104);
    matrix_->verticalHeader()->setDefaultSectionSize(58);
    // A frame, not a reversal, so that ticks are seen in the chosen cell too.
    matrix_->setStyleSheet("QTableView::item:selected { background: palette(alternate-base); color: palette(text); "
                           "border: 2px solid palette(text); }");
    matrix_->setAccessibleName(tr("Combinations of camera and light; Space ticks"));
    column->addWidget(matrix_, 1);
    connect(matrix_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (!filling_) toggled(item->row(), item->column());
    });
    connect(matrix_, &QTableWidget::currentCellChanged, this, [this] {
        if (!filling_) show_details();
    });
    connect(matrix_->horizontalHeader(), &QHeaderView::sectionClicked, this, [this](int c) {
        matrix_->setCurrentCell(0, c);
        show_details();
        forms_->setCurrentIndex(1);
    });
    connect(matrix_->verticalHeader(), &QHeaderView::sectionClicked, this, [this](int r) {
        matrix_->setCurrentCell(r, 0);
        show_details();
        forms_->setCurrentIndex(0);
    });
    auto* foot = new QHBoxLayout;
    another_ = new QPushButton(tr("Another lens or mode for this camera"));
    another_->setToolTip(tr("Adds a row for the same camera"));
    connect(another_, &QPushButton::clicked, this, [this] { add_row_like(matrix_->currentRow()); });
    foot->addWidget(another_);
    auto* keep = new QPushButton(tr("Keep in the kit"));
    keep->setToolTip(tr("Puts cameras, lights and charts of this job into the kit, for other jobs"));
    connect(keep, &QPushButton::clicked, &desk_.setups, &Setups::keep_in_kit);
    foot->addWidget(keep);
    foot->addStretch();
    foot->addWidget(all_);
    column->addLayout(foot);
    return middle;
}

QWidget* PlanView::make_right() {
    auto* details = new QWidget;
    auto* column = new QVBoxLayout(details);
    column->setContentsMargins(12, 12, 12, 12);
    details_title_->setFont(title_font());
    column->addWidget(details_title_);
    auto* kinds = new QHBoxLayout;
    const QString names[] = {tr("Camera"), tr("Light"), tr("Setup")};
    for (int i = 0; i < 3; ++i) {
        auto* b = new QToolButton;
        b->setText(names[i]);
        b->setProperty("flat", true);
        b->setCheckable(true);
        b->setAutoExclusive(true);
        b->setChecked(i == 2);
        connect(b, &QToolButton::clicked, this, [this, i] { forms_->setCurrentIndex(i); });
        connect(forms_, &QStackedWidget::currentChanged, b, [b, i](int now) { b->setChecked(now == i); });
        kinds->addWidget(b);
    }
    kinds->addStretch();
    column->addLayout(kinds);
    column->addWidget(forms_, 1);
    forms_->setCurrentIndex(2);
    auto* page = new QWidget;
    auto* page_column = new QVBoxLayout(page);
    page_column->setContentsMargins(0, 8, 0, 0);
    list_->setOpenLinks(false);
    list_->setAccessibleName(tr("Shot list"));
    list_->setStyleSheet("QTextBrowser { background: #fff; color: #000; border: none; padding: 8px; }");
    page_column->addWidget(list_, 1);
    auto* buttons = new QHBoxLayout;
    const auto button = [&](const QString& text, const QString& tooltip, auto&& action) {
        auto* b = new QPushButton(text);
        b->setToolTip(tooltip);
        connect(b, &QPushButton::clicked, this, action);
        buttons->addWidget(b);
        return b;
    };
    button(tr("Print \u2026"), tr("One page where it fits (Ctrl+P)"), [this] { print(); });
    button(tr("Save as PDF \u2026"), tr("One page of A4 where it fits"), [this] {
        save(true);
    })->setProperty("primary", true);
    button(tr("Save as text \u2026"), tr("Plain text, for a phone"), [this] { save(false); });
    page_column->addLayout(buttons);
    right_->addTab(page, tr("Shot list"));
    right_->addTab(details, tr("Details"));
    right_->setDocumentMode(true);
    return right_;
}

void PlanView::refresh() {
    filling_ = true;
    brief_->set(desk_.job.shoot().brief());
    fill_boxes();
    fill_matrix();
    fill_list();
    filling_ = false;
    show_details();
}

void PlanView::fill_boxes() {
    const auto fill = [](QComboBox* box, const auto& kit, const auto& job) {
        const QString typed = box->currentText();
        box->clear();
        for (const auto& row : kit)
            if (!by_name(job, qt(row.name))) box->addItem(qt(row.name));
        box->setCurrentIndex(-1);
        box->setEditText(typed);
    };
    fill(cameras_, desk_.kit.kit().cameras, desk_.job.shoot().cameras);
    fill(lights_, desk_.kit.kit().lights, desk_.job.shoot().lights);
    fill(cards_, desk_.kit.kit().cards, desk_.job.shoot().cards);
}

void PlanView::fill_matrix() {
    const shoot::Shoot& s = desk_.job.shoot();
    const int r0 = std::max(0, matrix_->currentRow()), c0 = std::max(0, matrix_->currentColumn());
    rows_ = shoot::rigs(s);
    columns_ = shoot::lights_in_order(s);
    std::erase_if(waiting_, [&](const shoot::Rig& r) {
        return !shoot::record(s.cameras, r.camera) || std::find(rows_.begin(), rows_.end(), r) != rows_.end();
    });
    // A camera without a setup has a row too.
    for (const shoot::CameraRecord& c : s.cameras) {
        const auto of_camera = [&](const shoot::Rig& r) { return r.camera == c.id; };
        if (std::none_of(rows_.begin(), rows_.end(), of_camera) &&
            std::none_of(waiting_.begin(), waiting_.end(), of_camera))
            waiting_.push_back(
                {c.id,
                 s.brief().lens_school == shoot::LensSchool::each_lens && !s.lenses.empty() ? s.lenses.front().id : 0,
                 s.modes.empty() ? 0 : s.modes.front().id});
    }
    rows_.insert(rows_.end(), waiting_.begin(), waiting_.end());
    std::stable_sort(rows_.begin(), rows_.end(), [&](const shoot::Rig& a, const shoot::Rig& b) {
        return shoot::record(s.cameras, a.camera)->position < shoot::record(s.cameras, b.camera)->position;
    });
    matrix_->setRowCount(static_cast<int>(rows_.size()));
    matrix_->setColumnCount(static_cast<int>(columns_.size()));
    empty_->setVisible(rows_.empty() || columns_.empty());
    matrix_->setVisible(!rows_.empty() || !columns_.empty());
    for (int c = 0; c < matrix_->columnCount(); ++c) {
        const shoot::LightRecord& l = *shoot::record(s.lights, columns_[static_cast<std::size_t>(c)]);
        const QString place = qt(shoot::name_in(s.places, l.place));
        matrix_->setHorizontalHeaderItem(
            c, new QTableWidgetItem(qt(l.name) + "\n" + (place.isEmpty() ? qt(shoot::words_for(l.kind)) : place)));
    }
    for (int r = 0; r < matrix_->rowCount(); ++r) {
        const shoot::Rig& rig = rows_[static_cast<std::size_t>(r)];
        const QString lens = qt(shoot::name_in(s.lenses, rig.lens)), mode = qt(shoot::name_in(s.modes, rig.mode));
        matrix_->setVerticalHeaderItem(r, new QTableWidgetItem(qt(shoot::name_in(s.cameras, rig.camera)) + "\n" +
                                                               (lens.isEmpty() ? tr("any lens") : lens) + "\n" + mode));
        for (int c = 0; c < matrix_->columnCount(); ++c) {
            const shoot::SetupRecord* setup = shoot::setup_at(s, rig, columns_[static_cast<std::size_t>(c)]);
            auto* item =
                new QTableWidgetItem(setup ? words_for(desk_.chains.has(setup->id) ? desk_.chains.at(setup->id).state
                                                                                   : shoot::State::to_shoot) +
                                                 (setup->balance_only ? tr("\nbalance only") : QString())
                                           : QString());
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
            item->setCheckState(setup ? Qt::Checked : Qt::Unchecked);
            matrix_->setItem(r, c, item);
        }
    }
    matrix_->setCurrentCell(std::min(r0, matrix_->rowCount() - 1), std::min(c0, matrix_->columnCount() - 1));
    all_->setEnabled(!rows_.empty() && !columns_.empty());
    another_->setEnabled(!rows_.empty());
}

void PlanView::fill_list() {
    const plan::ShotList list = plan::shot_list(desk_.job.shoot());
    const QString html = list.groups.empty() ? tr("<p style='color:#555'>The shot list appears here once combinations "
                                                  "are ticked.</p>")
                                             : shot_list_html(list, 8.5);
    if (std::exchange(listed_, html) == html) return;
    QTimer::singleShot(0, this, [this, html] { // laid out after the matrix is seen
        if (listed_ == html) list_->setHtml(html);
    });
}

void PlanView::add_camera(const QString& name) {
    desk_.notices.guarded(
        [&] { desk_.job.change(operations::add_camera(desk_.job.shoot(), desk_.kit.kit(), name.toStdString())); });
}

void PlanView::add_light(const QString& name) {
    shoot::LightRecord light{.name = name.toStdString(), .kind = kind_named(name)};
    light.kelvin = usual_kelvin(light.kind);
    desk_.notices.guarded([&] { desk_.job.change(operations::add_light(desk_.job.shoot(), desk_.kit.kit(), light)); });
}

void PlanView::add_lens(const QString& name) {
    shoot::LensRecord lens{.name = name.toStdString()};
    static const QRegularExpression focal("(\\d+(?:\\.\\d+)?)(?:\\s*-\\s*(\\d+(?:\\.\\d+)?))?");
    if (const auto m = focal.match(name); m.hasMatch() && m.captured(1).toDouble() >= 1) {
        lens.focal_mm = m.captured(1).toDouble();
        lens.focal_max_mm = m.captured(2).isEmpty() ? lens.focal_mm : m.captured(2).toDouble();
    }
    desk_.notices.guarded([&] { desk_.job.change(operations::add_lens(desk_.job.shoot(), lens)); });
}

void PlanView::add_card(const QString& name) {
    desk_.notices.guarded(
        [&] { desk_.job.change(operations::add_card(desk_.job.shoot(), desk_.kit.kit(), name.toStdString())); });
}

void PlanView::plan_all() { desk_.job.change(operations::plan_all(desk_.job.shoot(), rows_, columns_)); }

void PlanView::toggled(int row, int column) {
    const shoot::Rig rig = rows_[static_cast<std::size_t>(row)];
    const Id light = columns_[static_cast<std::size_t>(column)];
    const shoot::SetupRecord* setup = shoot::setup_at(desk_.job.shoot(), rig, light);
    const bool on = matrix_->item(row, column)->checkState() == Qt::Checked;
    if (on && !setup) desk_.job.change(operations::plan_setup(desk_.job.shoot(), rig, light));
    if (!on && setup) {
        const QString title = desk_.chains.title_of(setup->id);
        const bool evidence = desk_.chains.at(setup->id).chart_shot != 0;
        waiting_.push_back(rig); // the row stays even if this was its last setup
        desk_.job.change(operations::take_out(desk_.job.shoot(), setup->id));
        if (evidence)
            desk_.notices.tell(
                tr("%1 is out of the plan, with its chart shot and correction. Ctrl+Z brings it back.").arg(title));
    }
}

void PlanView::add_row_like(int row) {
    if (row < 0 || row >= static_cast<int>(rows_.size())) return;
    const shoot::Shoot& s = desk_.job.shoot();
    shoot::Rig rig = rows_[static_cast<std::size_t>(row)];
    // The first lens or mode that this camera has no row with, else a new lens.
    for (const shoot::LensRecord& l : s.lenses)
        if (shoot::Rig other{rig.camera, l.id, rig.mode}; std::find(rows_.begin(), rows_.end(), other) == rows_.end()) {
            waiting_.push_back(other);
            return refresh();
        }
    for (const shoot::ModeRecord& m : s.modes)
        if (shoot::Rig other{rig.camera, rig.lens, m.id}; std::find(rows_.begin(), rows_.end(), other) == rows_.end()) {
            waiting_.push_back(other);
            return refresh();
        }
    if (const auto ids = desk_.job.change(shoot::added("Add a lens", operations::unnamed_lens(s))))
        rig.lens = ids->begin()->second;
    waiting_.push_back(rig);
    refresh();
}

void PlanView::save(bool pdf) {
    const QString base = last_folder() + "/" +
                         qt(desk_.job.shoot().brief().title).simplified().replace(' ', '-').toLower() + "-shot-list";
    const QString name = QFileDialog::getSaveFileName(this, tr("Save the shot list"), base + (pdf ? ".pdf" : ".txt"),
                                                      pdf ? tr("PDF (*.pdf)") : tr("Text (*.txt)"));
    if (name.isEmpty()) return;
    remember_folder(QFileInfo(name).path());
    if (pdf) save_pdf(name.toStdString());
    else save_text(name.toStdString());
}

void PlanView::save_pdf(const fs::path& file) {
    try {
        const int pages = save_shot_list_pdf(plan::shot_list(desk_.job.shoot()), file);
        desk_.job.note(tr("Shot list saved as %1").arg(qt(file.filename().string())));
        desk_.notices.tell(pages == 1
                               ? tr("The shot list is in %1").arg(qt(file.string()))
                               : tr("The shot list is in %1; it takes %2 pages").arg(qt(file.string())).arg(pages));
    } catch (const Error& e) { desk_.notices.tell(QString::fromUtf8(e.what())); }
}

void PlanView::save_text(const fs::path& file) {
    try {
        write_whole(file, plan::as_text(plan::shot_list(desk_.job.shoot())));
        desk_.job.note(tr("Shot list saved as %1").arg(qt(file.filename().string())));
        desk_.notices.tell(tr("The shot list is in %1").arg(qt(file.string())));
    } catch (const Error& e) { desk_.notices.tell(QString::fromUtf8(e.what())); }
}

void PlanView::print() {
    QPrinter printer(QPrinter::HighResolution);
    QPrintDialog dialog(&printer, this);
    if (dialog.exec() != QDialog::Accepted) return;
    paint_shot_list(plan::shot_list(desk_.job.shoot()), printer);
    desk_.job.note(tr("Shot list printed"));
}

} // namespace refero::app
