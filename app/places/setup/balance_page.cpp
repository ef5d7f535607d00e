#include "balance_page.hpp"
#include "model/text.hpp"

#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QSignalBlocker>
#include <cmath>

#include "ui/widgets/plain_table.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

QString name_of_white(const std::string& white) {
    if (const auto spot = balance::spot_from(white)) return qt(spot->name);
    return white == balance::all_neutrals ? QObject::tr("All neutrals") : qt(white);
}

/// Greys side by side, casts made strong.
QIcon strip_of(const std::vector<colour::Vec3>& neutrals, const QSize& size) {
    QPixmap pixmap(size);
    QPainter p(&pixmap);
    const int n = static_cast<int>(neutrals.size());
    for (int i = 0; i < n; ++i)
        p.fillRect(QRect(size.width() * i / n, 0, size.width() / n + 1, size.height()),
                   colour_of(neutrals[static_cast<std::size_t>(i)]));
    return QIcon(pixmap);
}

QString short_name(const look::Look& look) {
    return look.name.empty() ? QObject::tr("With the look") : QObject::tr("With the look %1").arg(qt(look.name));
}

constexpr QSize strip_size(108, 16);
constexpr int live_width = 900; // of the picture that follows a slider

} // namespace

BalancePage::BalancePage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      picture_(new PictureView),
      light_(new Figure(tr("Light"))),
      facts_(new Facts),
      white_(new QComboBox),
      plot_(new NeutralPlot),
      candidates_(plain_table(
          {{tr("On"), tr("Double-click to balance on it")},
           {tr("Neutrals"),
            tr("All usable neutrals as it leaves them, lightest first; casts shown four times as strong")},
           {tr("Off by"),
            tr("How far red or blue of any usable neutral are from green, at most, in points of display codes (0 to "
               "100). Common practice: within 1")},
           {tr("Light"), tr("Correlated colour temperature, if this were truly neutral")},
           {tr("Duv"), tr("Distance from the black-body line: positive is greenish")},
           {tr(""), {}}},
          tr("What to balance on"))),
      exposures_(plain_table(
          {{tr("School"), tr("Where white and black come to lie, in code values of a display-referred picture")},
           {tr("Asks for"), tr("Beyond the correction, which lets the white patch read its own reference value")},
           {tr("Black then"), tr("Code value at which the darkest neutral comes to lie. It reflects some 3 %: a "
                                 "picture whose numbers are right does not show it as black")},
           {tr("To its place"), tr("Light that would have to be taken off everywhere, in percent of white. Not done: "
                                   "it hides what is in the shadows. Left to the look")},
           {tr("Would clip"), tr("Patches of which a channel would pass full scale")}},
          tr("What schools of exposure ask for"))),
      frame_(new QComboBox),
      preset_(new QComboBox),
      kelvin_(new QDoubleSpinBox),
      green_(new QDoubleSpinBox),
      curves_(new QCheckBox(tr("Bring the &greys together"))),
      plots_(new QTabWidget),
      tabs_(new QTabWidget),
      scopes_(new Scopes),
      finish_(new FinishPanel),
      look_(new LookPanel(desk)) {
    auto* top = side_row();
    top->addWidget(light_, 1);
    top->addWidget(facts_, 1);
    make_choices();
    auto* seen = new QSplitter(Qt::Vertical);
    seen->setHandleWidth(8);
    seen->setChildrenCollapsible(false);
    plots_->setObjectName("balancePlots");
    plots_->setDocumentMode(true);
    plots_->addTab(plot_, tr("Neutral ladder"));
    plots_->addTab(scopes_, tr("Scopes"));
    seen->addWidget(picture_part());
    seen->addWidget(plots_);
    seen->setSizes({400, 250});
    fill_tabs();
    arrange("balance", seen, tabs_);
    connect(plot_, &NeutralPlot::patch_chosen, picture_, &PictureView::select_patch);
    connect(scopes_, &Scopes::region_wanted, picture_, &PictureView::pick_region);
    connect(picture_, &PictureView::picked, this, [this](const std::vector<chart::Point>& at) {
        if (at.size() == 1) return desk_.setups.take_spot(setup_, frame_->currentData().toLongLong(), at[0]);
        picture_->set_region(scopes_->take_region(at[0], at[1]));
    });
}

void BalancePage::make_choices() {
    auto* row = side_row();
    curves_->setObjectName("curves");
    curves_->setToolTip(
        tr("Where white is right and the greys are not, a smooth curve for red and one for blue bring them to "
           "green.\nA fault of the recording's own curves: see first whether another mode or raw avoids it"));
    connect(curves_, &QCheckBox::clicked, this, [this](bool on) {
        Settings s = desk_.chains.at(setup_).settings;
        s.curves = on;
        desk_.setups.change(setup_, s, on ? tr("Greys brought together by curves") : tr("No curves"));
    });
    auto* label = new QLabel(tr("&Balance on"));
    label->setBuddy(white_);
    row->addWidget(label);
    row->addWidget(white_, 1);
    row->addWidget(curves_);
    white_->setToolTip(tr("The neutral that becomes neutral and reads its reference luminance"));
    white_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(white_, &QComboBox::activated, this, [this] { balance_on(white_->currentData().toString()); });
}

void BalancePage::fill_tabs() {
    tabs_->setObjectName("balanceTabs");
    tabs_->setDocumentMode(true);
    tabs_->addTab(candidates_tab(), tr("What to balance on"));
    tabs_->addTab(exposures_, tr("Where white and black lie"));
    tabs_->addTab(finish_, tr("After the correction"));
    tabs_->addTab(look_, tr("Look"));
    codes_ = new CodesPanel;
    tabs_->addTab(codes_, tr("Codes"));
    connect(codes_, &CodesPanel::patch_chosen, picture_, &PictureView::select_patch);
    exposures_->setObjectName("exposures");
    connect(tabs_, &QTabWidget::currentChanged, this, [this] {
        if (tabs_->currentWidget() == finish_ || tabs_->currentWidget() == look_) plots_->setCurrentWidget(scopes_);
        if (tabs_->currentWidget() == look_) look_->show_setup(setup_);
        render(false);
    });
    connect(look_, &LookPanel::moving, this, [this] { render(true); });
    connect(look_, &LookPanel::settled, this, [this](const look::Look& look, const QString& what) {
        Settings s = desk_.chains.at(setup_).settings;
        s.look = look;
        desk_.setups.change(setup_, s, what);
        render(false);
    });
    connect(finish_, &FinishPanel::moving, this, [this] { render(true); });
    connect(finish_, &FinishPanel::settled, this, [this](const look::Adjustments& finish, const QString& what) {
        Settings s = desk_.chains.at(setup_).settings;
        s.finish = finish;
        desk_.setups.change(setup_, s, what);
        render(false);
    });
}

QWidget* BalancePage::picture_part() {
    auto* view = new QWidget;
    auto* column = new QVBoxLayout(view);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* bar = new QHBoxLayout;
    auto* label = new QLabel(tr("F&rame"));
    label->setBuddy(frame_);
    frame_->setObjectName("balanceFrame");
    frame_->setMinimumWidth(230);
    frame_->setToolTip(tr("The chart shot, or another frame of this setup: one of a card, to balance on"));
    bar->addWidget(label);
    bar->addWidget(frame_);
    bar->addStretch();
    spot_ = new QPushButton(tr("Balance on a spot \u2026"));
    spot_->setObjectName("pickSpot");
    spot_->setToolTip(tr("Click something neutral in the picture: a card, paint, paper. It joins the things to balance "
                         "on, where their disagreement is seen"));
    connect(spot_, &QPushButton::clicked, this, [this] { picture_->pick({tr("Click something neutral")}); });
    bar->addWidget(spot_);
    column->addLayout(bar);
    column->addWidget(picture_, 1);
    picture_->keep_chart_in_view(true);
    connect(frame_, &QComboBox::activated, this, [this] { show_setup(setup_); });
    return view;
}

QWidget* BalancePage::candidates_tab() {
    connect(candidates_, &QTableWidget::cellActivated, this, [this](int row) {
        if (const auto* item = candidates_->item(row, 0); item->flags() & Qt::ItemIsEnabled)
            balance_on(item->data(Qt::UserRole).toString());
    });
    connect(candidates_, &QTableWidget::currentCellChanged, this, [this] { show_chosen(); });
    candidates_->setIconSize(strip_size);
    candidates_->setObjectName("balanceCandidates");
    kelvin_->setRange(2000, 12000);
    kelvin_->setSingleStep(100);
    kelvin_->setDecimals(0);
    kelvin_->setSuffix(tr(" K"));
    kelvin_->setToolTip(tr("Correlated colour temperature of the light, as cameras offer it"));
    kelvin_->setAccessibleName(tr("Colour temperature"));
    green_->setAccessibleName(tr("Tint"));
    green_->setRange(-20, 20);
    green_->setSingleStep(0.5);
    green_->setDecimals(1);
    green_->setPrefix(tr("green "));
    green_->setToolTip(tr("Tint: thousandths of Duv; negative is magenta"));
    preset_->setObjectName("lightPreset");
    const auto take_preset = [this] {
        kelvin_->setValue(preset_->currentData().toPointF().x());
        green_->setValue(preset_->currentData().toPointF().y());
    };
    connect(preset_, &QComboBox::activated, this, take_preset);
    show_presets(nullptr);
    preset_->setCurrentIndex(2);
    take_preset();
    add_light_ = new QPushButton(tr("Add"));
    add_light_->setObjectName("addLight");
    add_light_->setToolTip(
        tr("Adds a light of this temperature to the things to balance on: a fixed preset, as one school has it"));
    connect(add_light_, &QPushButton::clicked, this, [this] {
        const Chain& s = desk_.chains.at(setup_);
        if (!s.shot || !s.shot->frame.camera_from_xyz) return;
        try {
            add_spot(balance::spot_of({kelvin_->value(), green_->value() / 1000}, *s.shot->frame.camera_from_xyz));
        } catch (const Error& e) { desk_.notices.tell(QString::fromUtf8(e.what())); }
    });
    grade_ = new QPushButton(tr("Grade a card \u2026"));
    grade_->setObjectName("gradeCard");
    connect(grade_, &QPushButton::clicked, this, &BalancePage::grade_chosen);
    forget_ = new QPushButton(tr("Remove"));
    forget_->setToolTip(tr("Takes the chosen spot or light out of the list"));
    connect(forget_, &QPushButton::clicked, this, &BalancePage::forget_chosen);
    auto* tab = new QWidget;
    auto* column = new QVBoxLayout(tab);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(candidates_, 1);
    auto* row = new QHBoxLayout;
    for (QWidget* w : std::initializer_list<QWidget*>{preset_, kelvin_, green_, add_light_}) row->addWidget(w);
    row->addStretch();
    row->addWidget(grade_);
    row->addWidget(forget_);
    column->addLayout(row);
    return tab;
}

/// Lights as cameras offer them, and the balances that this camera stores.
void BalancePage::show_presets(const shoot::CameraRecord* camera) {
    QStringList names;
    QVariantList lights;
    for (const balance::Preset& p : balance::presets()) {
        names << tr(p.kind.c_str());
        lights << QPointF(p.light.kelvin, 1000 * p.light.duv);
    }
    for (const shoot::StoredBalanceRecord& b : desk_.kit.kit().balances) {
        const shoot::CameraRecord* of = shoot::record(desk_.kit.kit().cameras, b.camera);
        if (!camera || !of || of->uid != camera->uid) continue;
        names << (b.number ? tr("stored %1: %2").arg(b.number).arg(qt(b.name)) : tr("stored: %1").arg(qt(b.name)));
        lights << QPointF(b.kelvin, 0); // a camera's own tint has a unit of its own
    }
    if (preset_->count() == names.size() && preset_->itemText(preset_->count() - 1) == names.back()) return;
    const QSignalBlocker quiet(preset_);
    const int kept = preset_->currentIndex();
    preset_->clear();
    for (qsizetype i = 0; i < names.size(); ++i) preset_->addItem(names[i], lights[i]);
    preset_->setCurrentIndex(std::clamp(kept, 0, preset_->count() - 1));
}

void BalancePage::add_spot(const balance::Spot& spot) {
    Settings s = desk_.chains.at(setup_).settings;
    const std::string text = balance::text_of(spot);
    if (std::find(s.spots.begin(), s.spots.end(), text) != s.spots.end()) return;
    s.spots.push_back(text);
    desk_.setups.change(setup_, s, tr("%1 to balance on").arg(qt(spot.name)));
}

std::string BalancePage::chosen_spot() const {
    const auto* item = candidates_->item(candidates_->currentRow(), 0);
    const std::string white = item ? item->data(Qt::UserRole).toString().toStdString() : std::string();
    return balance::spot_from(white) ? white : std::string();
}

void BalancePage::show_chosen() {
    const auto* item = candidates_->item(candidates_->currentRow(), 0);
    const std::string spot = chosen_spot();
    if (item && spot.empty()) picture_->select_patch(item->data(Qt::UserRole).toString());
    const auto grade = spot.empty() || !desk_.chains.has(setup_) ? std::nullopt : desk_.setups.grade(setup_, spot);
    grade_->setEnabled(grade.has_value());
    grade_->setToolTip(
        grade ? tr("By the correction this spot is %1. Keeps that with a card of the kit").arg(grade->second)
              : tr("Choose a spot on a card in the list: how far from neutral it is by this setup's correction is kept "
                   "with the card in the kit"));
    const auto& own = desk_.chains.at(setup_).settings.spots;
    forget_->setEnabled(std::find(own.begin(), own.end(), spot) != own.end());
}

void BalancePage::grade_chosen() {
    QMenu menu;
    for (const shoot::CardRecord& card : desk_.kit.kit().cards)
        menu.addAction(qt(card.name))->setData(qlonglong(card.id));
    if (menu.isEmpty())
        return desk_.notices.tell(tr("The kit has no cards yet. Add one under Kit, then grade it here."));
    if (const QAction* action = menu.exec(grade_->mapToGlobal(QPoint(0, grade_->height()))))
        desk_.setups.keep_grade(setup_, chosen_spot(), action->data().toLongLong());
}

void BalancePage::forget_chosen() {
    const std::string spot = chosen_spot();
    Settings s = desk_.chains.at(setup_).settings;
    std::erase(s.spots, spot);
    if (s.white == spot) s.white.clear();
    desk_.setups.change(setup_, s, tr("Remove %1").arg(name_of_white(spot)));
}

void BalancePage::balance_on(const QString& white) {
    Settings s = desk_.chains.at(setup_).settings;
    if (s.white == white.toStdString()) return;
    s.white = white.toStdString();
    desk_.setups.change(
        setup_, s,
        tr("Balance on %1").arg(white.isEmpty() ? tr("the second-lightest neutral") : name_of_white(s.white)));
}

/// Greys and tints of the other charts, as things to balance on: a tint gives the repeatable warm or cool step.
static std::vector<std::string> panel_spots(const Chain& s) {
    std::vector<std::string> all;
    for (const store::Panel& panel : s.panels)
        for (const chart::Patch& p : panel.definition.patches)
            if (const auto* seen = panel.reading.find(p.id);
                seen && seen->usable() && (p.role == "neutral" || p.role == "warm" || p.role == "cool"))
                all.push_back(balance::text_of(
                    balance::Spot{{seen->mean[0], seen->mean[1], seen->mean[2]}, operations::panel_id(panel, p.id)}));
    return all;
}

void BalancePage::show_candidates(const Chain& s) {
    const QSignalBlocker quiet(candidates_);
    const int row = candidates_->currentRow();
    candidates_->setRowCount(0);
    if (!s.shot || !s.reference) return show_chosen();
    const std::string chosen = !s.settings.white.empty() ? s.settings.white : s.balance ? s.balance->white_patch : "";
    const auto& matrix = s.shot->frame.camera_from_xyz;
    std::vector<std::string> more = panel_spots(s);
    more.insert(more.end(), s.settings.spots.begin(), s.settings.spots.end());
    const auto all =
        balance::candidates(s.shot->reading, *s.reference, &s.shot->definition, matrix ? &*matrix : nullptr, more);
    candidates_->setRowCount(static_cast<int>(all.size()));
    for (int r = 0; r < candidates_->rowCount(); ++r) {
        const balance::Candidate& c = all[static_cast<std::size_t>(r)];
        const bool in_use = c.white == chosen;
        const QString texts[] = {name_of_white(c.white),
                                 QString(),
                                 c.balance ? tr("%1").arg(c.off_points, 0, 'f', 1) : QString(),
                                 c.light ? tr("%1 K").arg(qRound(c.light->kelvin / 10) * 10) : QString(),
                                 c.light ? QString::asprintf("%+.4f", c.light->duv) : QString(),
                                 in_use ? tr("in use") : qt(c.refused)};
        for (int k = 0; k < 6; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            if (k == 0) item->setData(Qt::UserRole, qt(c.white));
            if (k == 1 && c.balance) item->setIcon(strip_of(c.neutrals, strip_size));
            if (!c.balance) item->setFlags(Qt::NoItemFlags);
            QFont f = candidates_->font();
            f.setWeight(in_use ? QFont::DemiBold : QFont::Normal);
            item->setFont(f);
            candidates_->setItem(r, k, item);
        }
    }
    candidates_->setCurrentCell(std::min(row, candidates_->rowCount() - 1), 0);
    show_chosen();
}

void BalancePage::show_exposures(const Chain& s) {
    exposures_->setRowCount(0);
    if (!s.shot || !s.reference || !s.balance) return;
    for (const balance::ExposureTarget& target : balance::exposure_targets()) {
        const auto ask = balance::asked(target, *s.balance, s.shot->reading, *s.reference, &s.shot->definition);
        if (!ask) continue;
        QStringList clipped;
        for (const std::string& id : ask->clipped) clipped << qt(id);
        const QString texts[] = {tr(target.name.c_str()), tr("%1 stops").arg(QString::asprintf("%+.2f", ask->stops)),
                                 tr("%1 %").arg(100 * ask->black_code, 0, 'f', 1),
                                 target.black < 0 ? QString("\u2013")
                                                  : tr("%1 % off").arg(ask->black_percent, 0, 'f', 1),
                                 clipped.isEmpty() ? tr("nothing") : clipped.join(", ")};
        const int r = exposures_->rowCount();
        exposures_->insertRow(r);
        for (int k = 0; k < 5; ++k) exposures_->setItem(r, k, new QTableWidgetItem(texts[k]));
    }
}

void BalancePage::show_frames(const Chain& s) {
    const QSignalBlocker quiet(frame_);
    const QVariant kept = frame_->currentData();
    frame_->clear();
    frame_->addItem(tr("Chart shot"), qlonglong(0));
    for (const Id f : s.frames)
        if (const shoot::FrameRecord* row = desk_.job.frame(f))
            frame_->addItem(QString::fromStdString(fs::path(row->path).filename().string()), qlonglong(f));
    frame_->setCurrentIndex(std::max(0, frame_->findData(kept)));
}

// The pixels once for each frame: the whole ones, and few of them to follow a slider.
void BalancePage::load_pixels() {
    const Id frame = frame_->currentData().toLongLong();
    if (small_ && pixels_setup_ == setup_ && pixels_frame_ == frame && pixels_of_ == desk_.pictures.of(setup_).frame)
        return render(false);
    pixels_setup_ = setup_;
    pixels_frame_ = frame;
    pixels_of_ = desk_.pictures.of(setup_).frame;
    small_.reset();
    whole_.reset();
    const auto take = [this, request = ++request_](std::shared_ptr<const frame::Frame>& to, bool live) {
        return [this, request, &to, live](std::shared_ptr<const frame::Frame> pixels) {
            if (request != request_) return; // another frame was asked for meanwhile
            to = pixels;
            render(live);
        };
    };
    desk_.pictures.pixels(setup_, frame, live_width, take(small_, true));
    desk_.pictures.pixels(setup_, frame, 0, take(whole_, false));
}

void BalancePage::render(bool live) {
    const std::shared_ptr<const frame::Frame> pixels = live || !whole_ ? small_ : whole_;
    if (!pixels || !desk_.chains.has(setup_) || !desk_.chains.at(setup_).balance) return;
    const Chain& s = desk_.chains.at(setup_);
    const bool finishing = tabs_->currentWidget() == finish_ && s.correction;
    const bool looking = tabs_->currentWidget() == look_ && s.correction;
    fit::Correction alone = finishing || looking ? *s.correction : fit::balance_alone(*s.balance, s.light);
    alone.look = {};
    if (!looking) alone.finish = {};
    fit::Correction finished = alone;
    if (looking) finished.look = look_->look();
    else finished.finish = finish_->finish();
    const bool changed = looking ? !finished.look.empty() : !finished.finish.empty();
    const auto make = [pixels, alone, finished, changed] {
        return std::pair(rendition_of(apply::corrected(*pixels, alone, "srgb"), *pixels),
                         changed ? rendition_of(apply::corrected(*pixels, finished, "srgb"), *pixels) : Rendition{});
    };
    const auto show = [this, request = ++rendered_,
                       names = std::pair(looking     ? tr("Without the look")
                                         : finishing ? tr("The correction alone")
                                                     : tr("Balanced only"),
                                         looking ? short_name(finished.look)
                                                 : tr("Finished: %1").arg(qt(look::in_words(finished.finish))))](
                          const std::pair<Rendition, Rendition>& made) {
        if (request != rendered_) return;
        picture_->set_names(names.first, names.second);
        picture_->set_picture(made.first);
        picture_->set_after(made.second);
        const auto measured = [](const Rendition& r) {
            return r.empty() ? QImage() : r.small(std::min(live_width, r.levels.front().width()));
        };
        scopes_->set(measured(made.first), measured(made.second), made.first.full_width);
    };
    if (pixels == small_) return show(make());
    desk_.tasks.run_quietly({}, [make, show](std::stop_token, const Progress&) -> Tasks::Then {
        return [show, made = make()] { show(made); };
    });
}

void BalancePage::show_setup(Id setup) {
    if (setup != setup_) {
        picture_->set_region({});
        scopes_->set_region({});
    }
    setup_ = setup;
    const Chain& s = desk_.chains.at(setup);
    show_frames(s);
    finish_->set(s, desk_.kit.kit());
    if (tabs_->currentWidget() == look_) look_->show_setup(setup);
    const bool chart_frame = frame_->currentData().toLongLong() == 0;
    if (!s.balance || (chart_frame && !desk_.pictures.of(setup_).frame)) {
        small_.reset();
        whole_.reset();
        picture_->set_picture(desk_.pictures.of(setup_).picture, tr("There is nothing to balance yet."));
        picture_->set_after({});
        scopes_->set({}, {}, 0);
    } else {
        load_pixels();
    }
    const auto corners = s.shot && chart_frame ? std::optional(s.shot->placement.corners) : std::nullopt;
    picture_->set_chart(s.shot ? &s.shot->definition : nullptr, corners, false);
    scopes_->set_chart(corners ? scope::Part(*corners) : scope::Part());
    show_presets(shoot::record(desk_.job.shoot().cameras, s.row.camera));
    spot_->setEnabled(s.balance.has_value());
    add_light_->setEnabled(s.shot && s.shot->frame.camera_from_xyz);
    if (s.balance) picture_->select_patch(QString::fromStdString(s.balance->white_patch));
    {
        const QSignalBlocker quiet(white_);
        white_->clear();
        white_->addItem(
            s.balance && s.settings.white.empty()
                ? tr("second-lightest usable neutral (%1)").arg(QString::fromStdString(s.balance->white_patch))
                : tr("second-lightest usable neutral"),
            "");
        white_->addItem(tr("all usable neutrals"), balance::all_neutrals);
        if (s.shot)
            for (const chart::Patch& p : s.shot->definition.patches)
                if (p.role == "neutral") white_->addItem(QString::fromStdString(p.id), QString::fromStdString(p.id));
        std::vector<std::string> spots = panel_spots(s);
        spots.insert(spots.end(), s.settings.spots.begin(), s.settings.spots.end());
        for (const std::string& spot : spots) white_->addItem(name_of_white(spot), qt(spot));
        white_->setCurrentIndex(std::max(0, white_->findData(QString::fromStdString(s.settings.white))));
        white_->setEnabled(s.shot != nullptr);
    }
    plot_->set(s);
    show_candidates(s);
    show_exposures(s);
    codes_->set(s);
    curves_->setChecked(s.settings.curves);
    curves_->setVisible(s.settings.curves || (s.balance && plot_->largest_points() > balance::most_off_points));
    if (!s.balance) {
        light_->set("\u2013", qt(s.balance_problem));
        facts_->set({});
        return;
    }
    if (s.light)
        light_->set(tr("%1 K").arg(qRound(s.light->kelvin / 10) * 10),
                    tr("Duv %1: %2")
                        .arg(s.light->duv, 0, 'f', 4)
                        .arg(std::abs(s.light->duv) < 0.003 ? tr("near the black-body line")
                             : s.light->duv > 0             ? tr("on the green side")
                                                            : tr("on the magenta side")),
                    tr("Correlated colour temperature and distance from the black-body line, by the raw file's own "
                       "colour matrix"));
    else light_->set("\u2013", tr("The file has no colour matrix to tell the light's colour by."));
    const auto& b = *s.balance;
    facts_->set({{tr("Gains"), tr("%1  1.000  %2").arg(b.gains[0], 0, 'f', 3).arg(b.gains[2], 0, 'f', 3)},
                 {tr("Exposure"), tr("%1 stops").arg(QString::asprintf("%+.2f", std::log2(b.exposure)))},
                 {tr("Neutrals"), tr("within %1 points of neutral").arg(plot_->largest_points(), 0, 'f', 1)}});
}

} // namespace refero::app
