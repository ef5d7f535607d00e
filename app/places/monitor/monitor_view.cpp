#include "places/monitor/monitor_view.hpp"

#include <QDate>
#include <QFileDialog>
#include <QFormLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QScreen>
#include <QSignalBlocker>

#include "model/pictures/screen_colour.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

constexpr double stand_in_pace = 25; ///< a stand-in's display shows at once

const std::pair<const char*, const char*> targets[] = {{"srgb", QT_TRANSLATE_NOOP("MonitorView", "sRGB")},
                                                       {"display-p3", QT_TRANSLATE_NOOP("MonitorView", "Display P3")},
                                                       {"oprgb", QT_TRANSLATE_NOOP("MonitorView", "opRGB")},
                                                       {"bt709", QT_TRANSLATE_NOOP("MonitorView", "BT.709, video")}};
const char* backlights[] = {QT_TRANSLATE_NOOP("MonitorView", "not known"),
                            QT_TRANSLATE_NOOP("MonitorView", "white LED"),
                            QT_TRANSLATE_NOOP("MonitorView", "white LED, wide phosphors"),
                            QT_TRANSLATE_NOOP("MonitorView", "RGB LED"),
                            QT_TRANSLATE_NOOP("MonitorView", "fluorescent tubes"),
                            QT_TRANSLATE_NOOP("MonitorView", "OLED")};

QString verdict_word(display::Verdict verdict) {
    return verdict == display::Verdict::pass      ? QObject::tr("Pass")
           : verdict == display::Verdict::caution ? QObject::tr("Caution")
                                                  : QObject::tr("Not for colour");
}

QString space_name(const std::string& id) {
    return id == "srgb"         ? QString("sRGB")
           : id == "display-p3" ? QString("Display P3")
           : id == "oprgb"      ? QString("opRGB")
           : id == "bt709"      ? QString("BT.709")
                                : QString("BT.2020");
}

QString percent(double share) { return QString::number(100 * share, 'f', 1) + " %"; }

void fill(QTableWidget* table, const std::vector<QStringList>& rows) {
    table->setRowCount(static_cast<int>(rows.size()));
    for (int r = 0; r < static_cast<int>(rows.size()); ++r)
        for (int c = 0; c < rows[static_cast<std::size_t>(r)].size(); ++c) {
            auto* item = new QTableWidgetItem(rows[static_cast<std::size_t>(r)][c]);
            item->setToolTip(item->text());
            table->setItem(r, c, item);
        }
}

} // namespace

MonitorView::MonitorView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      pattern_(new PatternWindow(desk.monitors, this)),
      monitors_(new QComboBox),
      target_(new QComboBox),
      backlight_(new QComboBox),
      instrument_(new QComboBox),
      version_(new QComboBox),
      kind_(new QComboBox),
      seen_(new QTabBar),
      evidence_(new QStackedWidget),
      curve_(new EotfPlot),
      greys_(new GreyPlot),
      gamut_(new GamutPlot),
      verdict_(new Figure(tr("What it can be trusted for"))),
      words_(new FlowLabel),
      room_words_(new FlowLabel),
      faults_(plain_table({{tr("Control to turn"), tr("The display's own controls come first")}, {tr("Because"), {}}},
                          tr("What to turn"))),
      gamuts_(plain_table({{tr("Space"), {}},
                           {tr("Shown"), tr("Share of the space's u'v' triangle that the display shows")},
                           {tr("Size"), tr("Area of the display's triangle over the space's")}},
                          tr("Gamut"))),
      history_(plain_table({{tr("Checked"), {}},
                            {tr("White"), {}},
                            {tr("Light"), tr("Of white, cd/m\u00b2")},
                            {tr("Gamma"), {}},
                            {tr("\u0394E"), tr("Mean CIEDE2000 of all patches")},
                            {tr("Since the one before"), {}}},
                           tr("History of this display"))),
      all_(plain_table({{tr("Display"), {}},
                        {tr("White"), {}},
                        {tr("Light"), tr("Of white, cd/m\u00b2")},
                        {tr("sRGB"), {}},
                        {tr("P3"), {}},
                        {tr("opRGB"), {}},
                        {tr("Due"), {}}},
                       tr("All displays"))) {
    side()->addWidget(make_head());
    side()->addWidget(verdict_);
    words_->setObjectName("monitorWords");
    side()->addWidget(words_);
    auto* actions = side_row();
    check_ = side_button(
        tr("Check this display"), {},
        tr("Shows patches full screen, on the screen that this window stands on, and reads them (Ctrl+Return)"), true,
        actions);
    check_->setObjectName("monitorCheck");
    auto* values = side_button(tr("Import measured values \u2026"), "table",
                               tr("A table of R G B and X Y Z, CSV or CGATS, from another instrument"), false, actions);
    actions->addStretch();
    actions = side_row();
    profile_ = side_button(tr("Write its profile \u2026"), "export",
                           tr("A profile of this display, read back before it is kept; Refero uses it for this "
                              "screen at once"),
                           false, actions);
    profile_->setObjectName("monitorProfile");
    version_->addItems({tr("ICC 2"), tr("ICC 4")});
    version_->setToolTip(tr("Version 2 is read everywhere"));
    version_->setAccessibleName(tr("Version of the profile"));
    kind_->addItems({tr("as pays"), tr("matrix"), tr("table")});
    kind_->setToolTip(tr("A table beside matrix and curves pays where a display's channels do not add up, as with a "
                         "fourth, white channel; not every program reads it"));
    kind_->setAccessibleName(tr("Kind of profile"));
    actions->addWidget(kind_);
    actions->addWidget(version_);
    actions->addStretch();
    connect(check_, &QPushButton::clicked, this, &MonitorView::check);
    connect(values, &QPushButton::clicked, this, &MonitorView::bring);
    connect(profile_, &QPushButton::clicked, this, &MonitorView::write_profile);
    connect(&desk_.kit, &KitDocument::changed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&desk_.monitors, &Monitors::ended, this, [this] {
        activateWindow();
        refresh();
    });
    arrange("monitor", make_evidence(), make_proof());
}

QWidget* MonitorView::make_head() {
    auto* head = new QWidget;
    auto* grid = new QGridLayout(head);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(6);
    const auto add = [&](int row, int column, const QString& name, QComboBox* box, const QString& tooltip) {
        auto* label = new QLabel(name);
        label->setBuddy(box);
        box->setToolTip(tooltip);
        box->setAccessibleName(QString(name).remove('&'));
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        grid->addWidget(label, row, column);
        grid->addWidget(box, row, column + 1);
    };
    add(0, 0, tr("&Display"), monitors_, tr("The displays of the kit"));
    monitors_->setObjectName("monitorChoice");
    auto* fresh = new QPushButton(tr("New \u2026"));
    fresh->setToolTip(tr("Names the display that this window stands on"));
    grid->addWidget(fresh, 0, 2, 1, 2, Qt::AlignLeft);
    for (const auto& [id, name] : targets) target_->addItem(tr(name), QString(id));
    add(1, 0, tr("&Aim"), target_, tr("What it is to show: the space in which pictures are edited on it"));
    for (const char* b : backlights) backlight_->addItem(tr(b));
    add(1, 2, tr("&Backlight"), backlight_,
        tr("What makes its light: instruments are set to it, and it says what the display can be"));
    for (const display::DisplayModel& d : display::displays()) instrument_->addItem(tr("stand-in: %1").arg(qt(d.name)));
    add(2, 0, tr("&Instrument"), instrument_,
        tr("A stand-in for a colorimeter, before simulated displays; values of a real one are brought as a table"));
    instrument_->setObjectName("monitorInstrument");
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    connect(fresh, &QPushButton::clicked, this, &MonitorView::new_monitor);
    connect(monitors_, &QComboBox::activated, this, [this] { show_setup(monitors_->currentData().toLongLong()); });
    connect(target_, &QComboBox::activated, this, [this] {
        edit([&](shoot::MonitorRecord& m) { m.target = target_->currentData().toString().toStdString(); });
    });
    connect(backlight_, &QComboBox::activated, this,
            [this](int at) { edit([&](shoot::MonitorRecord& m) { m.backlight = at ? backlights[at] : ""; }); });
    connect(instrument_, &QComboBox::activated, this, [this](int at) {
        desk_.monitors.use_instrument(at);
        desk_.monitors.forget();
        std::get<GuidePanel*>(proof_)->set_target(target_->currentData().toString().toStdString());
        refresh();
    });
    return head;
}

QWidget* MonitorView::make_evidence() {
    auto* seen = new QWidget;
    auto* column = new QVBoxLayout(seen);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    for (const QString& name : {tr("Curve"), tr("Greys"), tr("Gamut")}) seen_->addTab(name);
    seen_->setDrawBase(false);
    seen_->setObjectName("monitorSeen");
    seen_->setAccessibleName(tr("What the plot shows"));
    column->addWidget(seen_, 0, Qt::AlignLeft);
    for (QWidget* w : std::initializer_list<QWidget*>{curve_, greys_, gamut_}) evidence_->addWidget(w);
    column->addWidget(evidence_, 1);
    connect(seen_, &QTabBar::currentChanged, evidence_, &QStackedWidget::setCurrentIndex);
    return seen;
}

QWidget* MonitorView::make_room() {
    auto* page = new QWidget;
    auto* form = new QFormLayout(page);
    form->setContentsMargins(8, 8, 8, 8);
    auto* lux = new QDoubleSpinBox;
    lux->setRange(0, 5000);
    lux->setDecimals(0);
    lux->setValue(32);
    lux->setSuffix(tr(" lx"));
    lux->setToolTip(tr("Measured on the desk, the display being off"));
    auto* neutral = new QCheckBox(tr("walls, clothes and desk are grey"));
    auto* lamps = new QCheckBox(tr("the room's light is near D50, or off"));
    neutral->setChecked(true);
    lamps->setChecked(true);
    form->addRow(tr("&Light of the room"), lux);
    form->addRow(neutral);
    form->addRow(lamps);
    room_words_->setObjectName("roomWords");
    form->addRow(room_words_);
    auto* rule = new QLabel(tr("After ISO 3664 and ISO 12646."));
    rule->setProperty("dim", true);
    form->addRow(rule);
    connect(lux, &QDoubleSpinBox::valueChanged, this, &MonitorView::show_room);
    for (QCheckBox* box : {neutral, lamps}) connect(box, &QCheckBox::toggled, this, &MonitorView::show_room);
    room_ = {lux, {neutral, lamps}};
    return page;
}

QWidget* MonitorView::make_proof() {
    auto* tabs = new QTabWidget;
    tabs->setDocumentMode(true);
    tabs->setObjectName("monitorProof");
    auto* facts = new Facts;
    facts->setContentsMargins(8, 8, 8, 8);
    auto* guide = new GuidePanel(desk_.monitors);
    tabs->addTab(faults_, tr("What to turn"));
    tabs->addTab(guide, tr("Guide"));
    tabs->addTab(facts, tr("Figures"));
    tabs->addTab(gamuts_, tr("Gamut"));
    tabs->addTab(make_room(), tr("Room"));
    tabs->addTab(history_, tr("History"));
    tabs->addTab(all_, tr("All displays"));
    proof_ = {facts, guide, tabs};
    return tabs;
}

void MonitorView::edit(const std::function<void(shoot::MonitorRecord&)>& change) {
    const shoot::MonitorRecord* m = desk_.monitors.at(setup_);
    if (!m) return;
    shoot::MonitorRecord now = *m;
    change(now);
    desk_.monitors.change(now);
    refresh();
}

void MonitorView::new_monitor() {
    const QString about = screen() && !screen()->model().isEmpty() ? screen()->model() : tr("Display");
    const QString name = QInputDialog::getText(
        this, tr("New display"), tr("Name of the display that this window stands on"), QLineEdit::Normal, about);
    if (name.trimmed().isEmpty()) return;
    show_setup(desk_.monitors.add(name.trimmed(), identity_of(screen())));
}

void MonitorView::show_setup(Id monitor) {
    if (desk_.monitors.at(monitor)) setup_ = monitor;
    const auto& all = desk_.kit.kit().monitors;
    if (!desk_.monitors.at(setup_)) setup_ = all.empty() ? 0 : all.front().id;
    {
        const QSignalBlocker quiet(monitors_);
        monitors_->clear();
        for (const shoot::MonitorRecord& m : all) monitors_->addItem(qt(m.name), qlonglong(m.id));
        if (all.empty()) monitors_->addItem(tr("none yet"), qlonglong(0));
        monitors_->setCurrentIndex(std::max(0, monitors_->findData(qlonglong(setup_))));
    }
    const shoot::MonitorRecord none;
    const shoot::MonitorRecord* m = desk_.monitors.at(setup_);
    const shoot::MonitorCheckRecord* newest = m ? operations::newest_check(desk_.kit.kit(), setup_) : nullptr;
    target_->setCurrentIndex(std::max(0, target_->findData(qt(m ? m->target : "srgb"))));
    const auto backlight = std::find_if(std::begin(backlights), std::end(backlights),
                                        [&](const char* b) { return m && m->backlight == b; });
    backlight_->setCurrentIndex(backlight == std::end(backlights) ? 0 : static_cast<int>(backlight - backlights));
    for (QWidget* w : std::initializer_list<QWidget*>{target_, backlight_, check_}) w->setEnabled(m);
    profile_->setEnabled(newest);
    version_->setEnabled(newest);
    kind_->setEnabled(newest);
    check_->setText(m && desk_.monitors.can_go_on(setup_) ? tr("Go on with the check")
                    : newest                              ? tr("Check it again")
                                                          : tr("Check this display"));
    std::get<GuidePanel*>(proof_)->set_target(target_->currentData().toString().toStdString());
    show_display(m ? *m : none, newest);
    show_history(m ? *m : none);
    show_all();
    show_room();
}

void MonitorView::show_display(const shoot::MonitorRecord& m, const shoot::MonitorCheckRecord* check) {
    shown_ = {m.id, std::nullopt};
    std::vector<display::Patch> patches;
    if (check)
        desk_.notices.guarded([&] {
            patches = display::parse(check->content, "check of " + check->at);
            shown_.second = display::look(patches, m.target.empty() ? "srgb" : m.target);
        });
    const display::Display* d = shown_.second ? &*shown_.second : nullptr;
    curve_->set(patches, d, m.target.empty() ? "srgb" : m.target);
    greys_->set(patches, d);
    gamut_->set(patches, d);
    std::vector<QStringList> faults, gamuts;
    if (!d) {
        verdict_->set("\u2013",
                      m.id
                          ? tr("Not checked yet. Let it warm up for half an hour, and set its kind of backlight first.")
                          : tr("Name the display that this window stands on with New \u2026"));
        words_->clear();
        std::get<Facts*>(proof_)->set({});
    } else {
        verdict_->set(verdict_word(d->verdict), qt(d->words) + ".");
        const auto due = operations::days_to_due(m, utc_now());
        QString words = tr("Checked %1 with %2.").arg(qt(check->at).left(10), qt(check->source));
        if (due) words += " " + (*due < 0 ? tr("Due since %1 days.").arg(-*due) : tr("Due in %1 days.").arg(*due));
        if (!m.profile.empty())
            words += " " +
                     tr("Its profile is used for its screen: %1. For the desktop, add the file in its colour settings.")
                         .arg(name_of_file(m.profile));
        words_->setText(words);
        for (const display::Fault& f : d->faults) faults.push_back({qt(f.control), qt(f.words)});
        if (faults.empty()) faults.push_back({tr("none"), tr("its own controls are where they should be")});
        for (const QString& a : qt(d->advice).split("; ", Qt::SkipEmptyParts)) faults.push_back({tr("then"), a});
        for (const auto& [space, share] : d->coverage)
            gamuts.push_back({space_name(space), percent(share), percent(d->area.at(space))});
        std::get<Facts*>(proof_)->set(
            {{tr("White"), tr("%1 K, Duv %2\nx %3, y %4")
                               .arg(d->light.kelvin, 0, 'f', 0)
                               .arg(QString::asprintf("%+.4f", d->light.duv))
                               .arg(d->white.x, 0, 'f', 4)
                               .arg(d->white.y, 0, 'f', 4)},
             {tr("Off D50, D65"),
              tr("%1, %2 in u'v'").arg(d->white_off_d50, 0, 'f', 4).arg(d->white_off_d65, 0, 'f', 4)},
             {tr("Light"), tr("%1 cd/m\u00b2, black %2")
                               .arg(d->luminance, 0, 'f', 1)
                               .arg(d->black_measured ? QString::number(d->black, 'f', 3) : tr("not measured"))},
             {tr("Contrast"), std::isfinite(d->contrast) ? tr("%1 to 1").arg(d->contrast, 0, 'f', 0)
                              : d->black_measured        ? tr("beyond measure")
                                                         : tr("not known: black was not measured")},
             {tr("Curve"), tr("gamma %1, nearest to %2").arg(d->gamma, 0, 'f', 2).arg(qt(d->curve))},
             {tr("Greys"), tr("tinted by %1 at most").arg(d->grey_tracking, 0, 'f', 1)},
             {tr("CIEDE2000"), tr("mean %1, most %2 as it is;\nmean %3 as its profile has it, %4 with a table%5")
                                   .arg(d->delta_e_2000.mean, 0, 'f', 2)
                                   .arg(d->delta_e_2000.max, 0, 'f', 2)
                                   .arg(d->after_profile.mean, 0, 'f', 2)
                                   .arg(d->after_table.mean, 0, 'f', 2)
                                   .arg(d->table_pays ? tr(", which pays") : QString())}});
    }
    fill(faults_, faults);
    fill(gamuts_, gamuts);
}

void MonitorView::show_history(const shoot::MonitorRecord& m) {
    std::vector<QStringList> rows;
    const shoot::MonitorCheckRecord* before = nullptr;
    for (const shoot::MonitorCheckRecord& c : desk_.kit.kit().monitor_checks) {
        if (c.monitor != m.id) continue;
        const QString drift = before ? qt(operations::drift_words(*before, c)) : QString();
        rows.insert(rows.begin(), {qt(c.at).left(16).replace('T', ' '), tr("%1 K").arg(c.kelvin, 0, 'f', 0),
                                   QString::number(c.luminance, 'f', 0), QString::number(c.gamma, 'f', 2),
                                   QString::number(c.delta_e, 'f', 2),
                                   !before           ? tr("the first")
                                   : drift.isEmpty() ? tr("as it was")
                                                     : drift});
        before = &c;
    }
    fill(history_, rows);
}

void MonitorView::show_all() {
    std::vector<QStringList> rows;
    for (const shoot::MonitorRecord& m : desk_.kit.kit().monitors) {
        const shoot::MonitorCheckRecord* c = operations::newest_check(desk_.kit.kit(), m.id);
        QStringList row{qt(m.name)};
        if (c) try {
                const display::Display d = operations::display_of(*c, m.target.empty() ? "srgb" : m.target);
                row << tr("%1 K").arg(c->kelvin, 0, 'f', 0) << QString::number(c->luminance, 'f', 0);
                for (const char* s : {"srgb", "display-p3", "oprgb"}) row << percent(d.coverage.at(s));
            } catch (const Error&) { c = nullptr; }
        if (!c)
            row << tr("not checked") << ""
                << ""
                << ""
                << "";
        const auto due = operations::days_to_due(m, utc_now());
        row << (!due ? tr("now") : *due < 0 ? tr("since %1 days").arg(-*due) : tr("in %1 days").arg(*due));
        rows.push_back(row);
    }
    if (const auto all = operations::shown_by_all(desk_.kit.kit()); rows.size() > 1 && !all.empty())
        rows.push_back({tr("What all show"), "", "", percent(all.at("srgb")), percent(all.at("display-p3")),
                        percent(all.at("oprgb")), ""});
    fill(all_, rows);
}

void MonitorView::show_room() {
    if (!shown_.second)
        return room_words_->setText(tr("Check the display first: the room is judged beside its white."));
    const auto words = display::room_words(
        {room_.first->value(), room_.second[0]->isChecked(), room_.second[1]->isChecked()}, *shown_.second);
    QStringList all;
    for (const std::string& w : words) all << qt(w) + ".";
    room_words_->setText(all.isEmpty() ? tr("The room's rules are kept.") : all.join("\n"));
}

void MonitorView::check() {
    if (!desk_.monitors.at(setup_)) return;
    desk_.monitors.set_pace(stand_in_pace);
    pattern_->begin(this);
    desk_.monitors.begin(setup_);
}

void MonitorView::bring() {
    const QString file = QFileDialog::getOpenFileName(this, tr("Values of a display"), last_folder(),
                                                      tr("Tables (*.csv *.cgats *.txt *.ti3);;All files (*)"));
    if (!file.isEmpty()) desk_.monitors.bring(setup_, file.toStdString());
}

void MonitorView::write_profile() {
    const shoot::MonitorRecord* m = desk_.monitors.at(setup_);
    if (!m) return;
    const QString name = qt(m->name).toLower().replace(' ', '-').remove('/') + ".icc";
    const QString file =
        QFileDialog::getSaveFileName(this, tr("Write its profile"), last_folder() + "/" + name, tr("Profile (*.icc)"));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    desk_.monitors.write_profile(
        setup_, file.toStdString(),
        {version_->currentIndex() == 0 ? 2 : 4,
         kind_->currentIndex() == 0 ? std::nullopt : std::optional(kind_->currentIndex() == 2)});
}

} // namespace refero::app
