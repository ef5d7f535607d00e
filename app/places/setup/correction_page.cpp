#include "correction_page.hpp"

#include <QDateTime>
#include <QHeaderView>
#include <QSignalBlocker>

#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

QString words_of(fit::Model model) {
    switch (model) {
    case fit::Model::diagonal: return QObject::tr("Balance only");
    case fit::Model::matrix: return QObject::tr("Matrix 3 \u00d7 3");
    case fit::Model::spectral: return QObject::tr("Spectral");
    case fit::Model::root_polynomial_2: return QObject::tr("Root-polynomial 2");
    case fit::Model::root_polynomial_3: return QObject::tr("Root-polynomial 3");
    case fit::Model::lut: return QObject::tr("Matrix and smooth residual");
    }
    return {};
}

constexpr int column_count = 8; // of the candidates' table
constexpr int candidate_height = 40;

} // namespace

CorrectionPage::CorrectionPage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      picture_(new PictureView),
      left_out_(new Figure(tr("Mean CIEDE2000, patches held out"))),
      choice_(new FlowLabel),
      differs_(new FlowLabel),
      model_(new QComboBox),
      intent_(new QComboBox),
      frame_(new QComboBox),
      compare_(new QComboBox),
      strong_(new QCheckBox(tr("Colours \u00d7 3"))),
      tabs_(new QTabWidget),
      elsewhere_(new ElsewherePanel(desk)),
      weights_(new WeightsPanel(desk)),
      renderings_(new RenderingsPanel(desk)),
      scopes_(new Scopes),
      ramps_(new RampView),
      words_(new FlowLabel) {
    side()->addWidget(left_out_);
    side()->addWidget(choice_);
    differs_->setObjectName("differs");
    side()->addWidget(differs_);
    add_due();
    auto* action = side_row();
    fit_ = side_button(tr("Fit the correction"), {}, tr("Fits every model and cross-validates it (Ctrl+Return)"), true,
                       action);
    fit_->setObjectName("fitButton");
    make_choices(action);

    auto* view = new QWidget;
    auto* column = new QVBoxLayout(view);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addLayout(picture_bar());
    column->addWidget(picture_, 1);
    fill_tabs();
    arrange("correction", view, tabs_);
}

void CorrectionPage::make_choices(QHBoxLayout* action) {
    auto* controls = side_row();
    const auto add = [controls](const QString& text, QComboBox* box, const QString& tooltip) {
        auto* label = new QLabel(text);
        label->setBuddy(box);
        box->setToolTip(tooltip);
        controls->addWidget(label);
        controls->addWidget(box, 1);
    };
    add(tr("&Model"), model_,
        tr("Colour model; by default the one that predicts left-out patches best, the simpler one in a tie"));
    model_->addItem(tr("by cross-validation"), "");
    for (const auto m : fit::all_models) model_->addItem(words_of(m), QString::fromStdString(fit::name_of(m)));
    add(tr("Made f&or"), intent_,
        tr("Which colours the fit cares for most: all alike, skin, strong colours, greens, earths and yellows"));
    for (const auto& [intent, words] : std::initializer_list<std::pair<fit::Intent, QString>>{
             {fit::Intent::even, tr("even")},
             {fit::Intent::people, tr("people: skin first")},
             {fit::Intent::textiles, tr("textiles: strong colours first")},
             {fit::Intent::plants, tr("plants: greens first")},
             {fit::Intent::paint, tr("paint: earths and yellows first")}})
        intent_->addItem(words, qt(fit::name_of(intent)));
    average_ = new QCheckBox;
    average_->setObjectName("average");
    average_->setToolTip(tr("The fit takes the mean of all good chart shots of this setup, each at the exposure of the "
                            "latest; noise falls, and a patch is taken from the shots in which it is good"));
    action->addWidget(average_);
    action->addStretch();
    panels_ = new QCheckBox;
    panels_->setObjectName("panels");
    panels_->setToolTip(tr("The hues of the other chart in this frame join the fit as samples"));
    action->addWidget(panels_);
    connect(panels_, &QCheckBox::clicked, this, [this](bool on) {
        Settings s = desk_.chains.at(setup_).settings;
        s.panels = on;
        desk_.setups.change(setup_, s, on ? tr("Fit with the other chart's hues") : tr("Fit to one chart alone"));
    });
    connect(average_, &QCheckBox::clicked, this, [this](bool on) {
        Settings s = desk_.chains.at(setup_).settings;
        s.average = on;
        desk_.setups.change(setup_, s, on ? tr("All chart shots averaged") : tr("The latest chart shot alone"));
    });
    connect(fit_, &QPushButton::clicked, this, [this] { desk_.setups.fit(setup_); });
    connect(model_, &QComboBox::activated, this, [this] {
        Settings s = desk_.chains.at(setup_).settings;
        const std::string name = model_->currentData().toString().toStdString();
        s.model = name.empty() ? std::nullopt : std::optional(fit::model_named(name));
        desk_.setups.change(setup_, s, tr("Model"));
    });
    connect(intent_, &QComboBox::activated, this, [this] {
        Settings s = desk_.chains.at(setup_).settings;
        s.intent = fit::intent_named(intent_->currentData().toString().toStdString());
        desk_.setups.change(setup_, s, tr("Rendering"));
    });
}

void CorrectionPage::fill_tabs() {
    tabs_->setObjectName("correctionTabs");
    tabs_->setDocumentMode(true);
    tabs_->addTab(candidates_tab(), tr("Candidates"));
    tabs_->addTab(renderings_, tr("Renderings"));
    tabs_->addTab(versions_tab(), tr("Versions"));
    tabs_->addTab(elsewhere_, tr("Imported"));
    tabs_->addTab(weights_, tr("Weights"));
    tabs_->addTab(ramps_, tr("Ramps"));
    tabs_->addTab(scopes_, tr("Scopes"));
    connect(tabs_, &QTabWidget::currentChanged, this, &CorrectionPage::show_tab);
    connect(elsewhere_, &ElsewherePanel::compare, this, &CorrectionPage::compare_with);
    connect(renderings_, &RenderingsPanel::chosen, this, [this](Id row) {
        Comparison with;
        with.with = row ? Comparison::With::version : Comparison::With::balance;
        with.version = row;
        compare_with(with);
    });
    connect(scopes_, &Scopes::region_wanted, picture_, &PictureView::pick_region);
    connect(picture_, &PictureView::picked, this,
            [this](const std::vector<chart::Point>& at) { picture_->set_region(scopes_->take_region(at[0], at[1])); });
}

QHBoxLayout* CorrectionPage::picture_bar() {
    auto* bar = new QHBoxLayout;
    bar->setContentsMargins(0, 0, 0, 0);
    const auto add = [bar](const QString& text, QComboBox* box) {
        auto* label = new QLabel(text);
        label->setBuddy(box);
        // Long names are cut where there is little room, and spelt out in the list that opens.
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(6);
        box->setMaximumWidth(260);
        bar->addWidget(label);
        bar->addWidget(box, 1);
    };
    add(tr("F&rame"), frame_);
    compare_->setObjectName("compareWith");
    compare_->setToolTip(tr("What the correction in force is seen beside, left of the split"));
    add(tr("&Beside"), compare_);
    bar->addStretch(0);
    strong_->setObjectName("strongColours");
    strong_->setToolTip(
        tr("Both pictures and their scopes with three times the chroma, so that faults are seen. Never handed over"));
    bar->addWidget(strong_);
    auto* flip = new QPushButton(icon("flip"), tr("Flip"));
    flip->setToolTip(tr("Before alone, after alone, both with the split (Space)"));
    bar->addWidget(flip);
    connect(flip, &QPushButton::clicked, picture_, &PictureView::flip);
    connect(frame_, &QComboBox::activated, this, &CorrectionPage::show_pictures);
    connect(strong_, &QCheckBox::toggled, this, &CorrectionPage::show_pictures);
    connect(compare_, &QComboBox::activated, this,
            [this](int i) { compare_with(comparisons_[static_cast<std::size_t>(i)]); });
    return bar;
}

void CorrectionPage::show_tab() {
    if (!desk_.chains.has(setup_)) return;
    const Chain& s = desk_.chains.at(setup_);
    const QWidget* front = tabs_->currentWidget();
    if (front == elsewhere_) elsewhere_->show_setup(setup_);
    else if (front == weights_) weights_->show_setup(setup_);
    else if (front == renderings_) renderings_->show_setup(setup_);
    else if (front == ramps_)
        ramps_->set(s.correction ? prove::ramps([&](const colour::Vec3& rgb) { return (*s.correction)(rgb); },
                                                s.correction->reading, s.correction->reference)
                                 : std::vector<prove::Ramp>());
}

QWidget* CorrectionPage::versions_tab() {
    versions_ = plain_table({{tr("Made"), tr("Newest first; the first is in force")},
                             {tr("Model"), {}},
                             {tr("Held out"), tr("Mean CIEDE2000 on patches held out, of its own chart shot")},
                             {tr("On this chart shot"),
                              tr("Mean CIEDE2000 on the chart shot in force, exposure scaled to the white patch")},
                             {tr(""), {}}},
                            tr("Kept versions"));
    versions_->setObjectName("versions");
    for (const int k : {2, 3}) versions_->horizontalHeaderItem(k)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    bring_back_ = new QPushButton(tr("Put this one in force"));
    bring_back_->setObjectName("bringBack");
    connect(versions_, &QTableWidget::currentCellChanged, this, [this](int row) {
        const auto* item = versions_->item(row, 0);
        bring_back_->setEnabled(row > 0);
        if (!item || row <= 0) return;
        Comparison with;
        with.with = Comparison::With::version;
        with.version = item->data(Qt::UserRole).toLongLong();
        compare_with(with);
    });
    connect(bring_back_, &QPushButton::clicked, this, [this] {
        if (const auto* item = versions_->item(versions_->currentRow(), 0))
            desk_.setups.bring_back(setup_, item->data(Qt::UserRole).toLongLong());
    });
    auto* tab = new QWidget;
    auto* column = new QVBoxLayout(tab);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(versions_, 1);
    auto* row = new QHBoxLayout;
    auto* note =
        new QLabel(tr("Choose one to see it beside the correction in force: by the split, by flipping, by numbers."));
    note->setProperty("dim", true);
    row->addWidget(note);
    row->addStretch();
    row->addWidget(bring_back_);
    column->addLayout(row);
    return tab;
}

QWidget* CorrectionPage::candidates_tab() {
    auto* below = new QWidget;
    auto* rows = new QVBoxLayout(below);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    candidates_ = plain_table(
        {{tr("Model"), tr("Simplest first. All keep neutral neutral and scale with exposure.")},
         {tr("Fitted"), tr("Mean CIEDE2000 on the patches that the model saw: always too kind")},
         {tr("Held out"), tr("Mean CIEDE2000 on each patch when the fit did not see it")},
         {tr("Worst"), tr("The patch that is predicted worst when held out")},
         {tr("Hue"), tr("Mean CIEDE2000 on each patch when all patches of about its hue were held out")},
         {tr("Other colours"),
          tr("Mean CIEDE2000 expected on a thousand plausible surfaces, through the camera's estimated sensitivities")},
         {tr("Neutrals"), tr("Chroma that is left on the neutral patches, mean")},
         {tr("Noise"), tr("Noise in the corrected picture over that of the balanced one")}},
        tr("Candidates"));
    candidates_->setObjectName("candidates");
    candidates_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    candidates_->setStyleSheet(
        "QHeaderView::section { padding-left: 3px; padding-right: 4px; } QTableView::item { padding: 0 4px; }");
    candidates_->verticalHeader()->setDefaultSectionSize(candidate_height);
    candidates_->horizontalHeader()->setStretchLastSection(false);
    for (int k = 1; k < column_count; ++k)
        candidates_->horizontalHeaderItem(k)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    candidates_->setSelectionMode(QAbstractItemView::NoSelection);
    candidates_->setFocusPolicy(Qt::NoFocus);
    words_->setProperty("dim", true);
    rows->addWidget(candidates_, 1);
    rows->addWidget(words_);
    return below;
}

QString CorrectionPage::name_of(const Comparison& with) const {
    switch (with.with) {
    case Comparison::With::balance: return tr("balance alone");
    case Comparison::With::standard: return tr("raw file's own matrix");
    case Comparison::With::elsewhere: return QString::fromStdString(with.other.file.filename().string());
    case Comparison::With::version:
        if (const auto* row = shoot::record(desk_.job.shoot().corrections, with.version); row && !row->name.empty())
            return tr("rendering %1").arg(qt(row->name));
        for (int r = 0; r < versions_->rowCount(); ++r)
            if (versions_->item(r, 0)->data(Qt::UserRole).toLongLong() == with.version)
                return tr("version of %1").arg(versions_->item(r, 0)->text());
        return tr("an earlier version");
    }
    return {};
}

void CorrectionPage::compare_with(const Comparison& with) {
    with_ = with;
    show_comparisons(desk_.chains.at(setup_));
    show_pictures();
}

void CorrectionPage::show_comparisons(const Chain& s) {
    const QSignalBlocker quiet(compare_);
    comparisons_ = {Comparison{}};
    if (s.shot && s.shot->frame.camera_from_xyz) comparisons_.push_back({Comparison::With::standard, 0, {}, 1});
    for (int r = 1; r < versions_->rowCount(); ++r)
        comparisons_.push_back(
            {Comparison::With::version, versions_->item(r, 0)->data(Qt::UserRole).toLongLong(), {}, 1});
    for (const shoot::CorrectionRecord& r : s.renderings)
        comparisons_.push_back({Comparison::With::version, r.id, {}, 1});
    for (const prove::Named& n : s.settings.others) comparisons_.push_back({Comparison::With::elsewhere, 0, n, 1});
    // What is gone is no longer compared with; a file that is used otherwise now, is so.
    auto found = std::find(comparisons_.begin(), comparisons_.end(), with_);
    if (found == comparisons_.end())
        found = std::find_if(comparisons_.begin(), comparisons_.end(), [&](const Comparison& c) {
            return c.with == Comparison::With::elsewhere && with_.with == c.with && c.other.file == with_.other.file;
        });
    if (found == comparisons_.end()) found = comparisons_.begin();
    with_ = *found;
    compare_->clear();
    for (const Comparison& c : comparisons_) compare_->addItem(name_of(c));
    compare_->setCurrentIndex(static_cast<int>(found - comparisons_.begin()));
}

void CorrectionPage::show_versions(const Chain& s) {
    std::string now = formatted("{}|{}", s.id, static_cast<const void*>(s.shot.get()));
    for (const shoot::CorrectionRecord& c : desk_.job.shoot().corrections)
        if (c.setup == s.id) now += formatted("|{}", c.id);
    if (now == versions_of_) return;
    versions_of_ = now;
    desk_.setups.versions(s.id, [this, now](const std::vector<Version>& all) {
        if (now == versions_of_) fill_versions(all);
    });
}

void CorrectionPage::fill_versions(const std::vector<Version>& all) {
    const QSignalBlocker quiet(versions_);
    versions_->setRowCount(static_cast<int>(all.size()));
    for (int r = 0; r < versions_->rowCount(); ++r) {
        const Version& v = all[static_cast<std::size_t>(r)];
        const QString made = QDateTime::fromString(qt(v.made), Qt::ISODate).toLocalTime().toString("yyyy-MM-dd HH:mm");
        const QString texts[] = {
            made, v.model ? qt(fit::name_of(*v.model)) : QString(), QString::number(v.left_out, 'f', 2),
            v.here > 0 ? QString::number(v.here, 'f', 2) : QString("\u2013"), r == 0 ? tr("in force") : QString()};
        for (int k = 0; k < 5; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            if (k == 0) item->setData(Qt::UserRole, qlonglong(v.id));
            item->setTextAlignment((k == 2 || k == 3 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            versions_->setItem(r, k, item);
        }
    }
    bring_back_->setEnabled(versions_->currentRow() > 0);
}

void CorrectionPage::choose_frame(Id frame) {
    frame_->setCurrentIndex(frame_->findData(qlonglong(frame)));
    show_pictures();
}

void CorrectionPage::show_setup(Id setup) {
    const Chain& s = desk_.chains.at(setup);
    const bool other = shows_another(setup);
    setup_ = setup;
    refresh_due();
    if (other || frame_->count() != static_cast<int>(s.frames.size()) + 1) {
        const QSignalBlocker quiet(frame_);
        const qlonglong kept = other ? 0 : frame_->currentData().toLongLong();
        frame_->clear();
        frame_->addItem(
            tr("Chart shot, %1").arg(QString::fromStdString(fs::path(s.chart_frame.path).filename().string())),
            qlonglong(0));
        for (const Id f : s.frames)
            if (const shoot::FrameRecord* row = desk_.job.frame(f))
                frame_->addItem(QString::fromStdString(fs::path(row->path).filename().string()), qlonglong(f));
        frame_->setCurrentIndex(std::max(0, frame_->findData(kept)));
    }
    {
        const QSignalBlocker one(model_), two(intent_);
        model_->setCurrentIndex(std::max(
            0,
            model_->findData(s.settings.model ? QString::fromStdString(fit::name_of(*s.settings.model)) : QString())));
        intent_->setCurrentIndex(
            std::max(0, intent_->findData(QString::fromStdString(fit::name_of(s.settings.intent)))));
    }
    const int shots = desk_.setups.good_shots(setup);
    average_->setText(tr("Average %1 chart shots").arg(shots));
    average_->setVisible(shots > 1);
    average_->setChecked(s.settings.average);
    panels_->setVisible(!s.panels.empty());
    if (!s.panels.empty()) panels_->setText(tr("Hues of %1, too").arg(qt(s.panels.front().definition.id)));
    panels_->setChecked(s.settings.panels);
    const bool fitting = desk_.tasks.busy(Doing::fitting, s.id);
    fit_->setEnabled(s.balance && !fitting && s.refused.empty());
    fit_->setText(fitting ? tr("Fitting \u2026") : !s.correction ? tr("Fit the correction") : tr("Fit it again"));
    if (s.correction) {
        left_out_->set(
            QString::number(s.correction->cross_validated.mean, 'f', 2),
            s.correction->unseen.max > 0
                ? tr("about %1 expected on other colours; %2 on the patches that the fit has seen, always too kind")
                      .arg(s.correction->unseen.mean, 0, 'f', 1)
                      .arg(s.correction->fit.mean, 0, 'f', 2)
                : tr("%1 on the patches that the fit has seen, always too kind").arg(s.correction->fit.mean, 0, 'f', 2),
            tr("Leave-one-out cross-validation: each patch predicted by a fit that did not see it"));
        choice_->setText(
            s.correction_stale()
                ? tr("Stale: %1. %2.")
                      .arg(QString::fromStdString(s.stale.front().why), QString::fromStdString(s.stale.front().remedy))
                : tr("%1 on %2.")
                      .arg(words_of(s.correction->model), QString::fromStdString(s.correction->balance.white_patch)));
    } else {
        left_out_->set("\u2013", s.balance ? tr("Not fitted yet.") : tr("A balanced reading is needed first."));
        choice_->clear();
    }
    show_candidates(s);
    show_versions(s);
    show_comparisons(s);
    show_tab();
    scopes_->set_chart(s.shot ? scope::Part(s.shot->placement.corners) : scope::Part());
    show_pictures();
}

void CorrectionPage::show_candidates(const Chain& s) {
    const auto count = s.correction ? static_cast<int>(s.correction->candidates.size()) : 0;
    candidates_->setRowCount(count);
    for (int i = 0; i < count; ++i) {
        const fit::Candidate& c = s.correction->candidates[static_cast<std::size_t>(i)];
        const bool chosen = c.model == s.correction->model;
        const auto number = [](double v) { return QString::number(v, 'f', 2); };
        const auto known = [&](double v, const fit::Statistics& of) {
            return of.max > 0 ? number(v) : QString("\u2013");
        };
        const QString verdict =
            !c.withdrawn.empty() ? tr("withdrawn: %1").arg(QString::fromStdString(c.withdrawn))
            : c.kept < 1
                ? tr("%1held back to %2 %").arg(chosen ? tr("chosen, ") : QString()).arg(std::lround(100 * c.kept))
            : chosen ? tr("chosen")
                     : QString();
        const QString texts[column_count] = {
            words_of(c.model) + (verdict.isEmpty() ? QString() : "\n" + verdict),
            number(c.fit.mean),
            number(c.cross_validated.mean),
            QString("%1  %2").arg(QString::fromStdString(c.worst)).arg(c.cross_validated.max, 0, 'f', 1),
            known(c.by_hue.mean, c.by_hue),
            known(c.unseen.mean, c.unseen),
            number(c.neutral),
            QString("\u00d7 %1").arg(c.noise_gain, 0, 'f', 1)};
        for (int k = 0; k < column_count; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            if (k == 0) item->setToolTip(verdict);
            item->setTextAlignment((k > 0 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            QFont f = candidates_->font();
            f.setWeight(chosen ? QFont::DemiBold : QFont::Normal);
            item->setFont(f);
            candidates_->setItem(i, k, item);
        }
    }
    if (!s.correction) return words_->setText(tr("The candidates appear here once they are fitted."));
    QString words = QString::fromStdString(s.correction->choice);
    if (!words.isEmpty() && !words.endsWith('.')) words += ".";
    if (!s.correction->left_out.empty()) {
        QStringList ids;
        for (const std::string& id : s.correction->left_out)
            if (std::find(s.correction->odd.begin(), s.correction->odd.end(), id) == s.correction->odd.end())
                ids << QString::fromStdString(id);
        if (!ids.isEmpty()) words += tr(" Not fitted: %1.").arg(ids.join(", "));
        QStringList odd;
        for (const std::string& id : s.correction->odd) odd << QString::fromStdString(id);
        if (!odd.isEmpty())
            words += tr(" Not fitted, because no light and camera explain it: %1. Look for dirt, a finger or a "
                        "reflection there.")
                         .arg(odd.join(", "));
    }
    for (const std::string& caution : s.correction->cautions)
        words += " " + QString::fromStdString(caution) + (caution.ends_with('.') ? "" : ".");
    if (const QString nominal = nominal_words(s); !nominal.isEmpty()) words += " " + nominal;
    words_->setText(words);
    words_->setToolTip(words);
}

void CorrectionPage::show_differences(const Chain& s) {
    QStringList all;
    const shoot::FrameRecord* row = desk_.job.frame(frame_->currentData().toLongLong());
    if (row && s.correction) {
        frame::Metadata m{
            .make = row->make, .model = row->model, .lens = row->lens_name, .serial_number = row->serial_number};
        m.exposure_s = row->exposure_s;
        m.f_number = row->f_number;
        m.iso = row->iso;
        m.flash = row->flash;
        for (const std::string& how : fit::differences(*s.correction, m)) all << QString::fromStdString(how);
    }
    differs_->setText(all.isEmpty() ? QString()
                                    : tr("This frame differs from the chart shot: %1.").arg(all.join("; ")));
    differs_->setVisible(!differs_->text().isEmpty());
}

void CorrectionPage::show_pictures() {
    const Chain& s = desk_.chains.at(setup_);
    show_differences(s);
    const Id frame = frame_->currentData().toLongLong();
    if (!desk_.pictures.of(setup_).frame) {
        shown_any_ = false;
        scopes_->set({}, {}, 0);
        return picture_->set_picture({}, desk_.tasks.busy(Doing::reading, setup_) ||
                                                 desk_.tasks.busy(Doing::looking, setup_)
                                             ? tr("Reading the frame \u2026")
                                             : tr("No chart shot yet."));
    }
    Comparison with = with_;
    with.chroma = strong_->isChecked() ? 3 : 1;
    const bool same_frame = shown_setup_ == setup_ && shown_frame_ == frame;
    if (same_frame && shown_correction_ == s.correction && shown_with_ == with && shown_any_) return;
    if (!same_frame) {
        picture_->set_region({});
        scopes_->set_region({});
    }
    shown_setup_ = setup_;
    shown_frame_ = frame;
    shown_correction_ = s.correction;
    shown_with_ = with;
    shown_any_ = true;
    const QString strong = strong_->isChecked() ? tr(", colours \u00d7 3") : QString();
    QString finish;
    if (s.correction)
        for (const QString& part : {qt(look::in_words(s.correction->finish)),
                                    s.correction->look.empty()        ? QString()
                                    : s.correction->look.name.empty() ? tr("with a look")
                                                                      : tr("look %1").arg(qt(s.correction->look.name))})
            if (!part.isEmpty()) finish += tr("; %1").arg(part);
    picture_->set_names(tr("Before: %1%2").arg(name_of(with), strong), tr("After: corrected%1%2").arg(finish, strong));
    desk_.pictures.preview(setup_, frame, with,
                           [this, request = ++request_](const Rendition& before, const Rendition& after) {
                               if (request != request_) return; // another picture was asked for meanwhile
                               picture_->set_picture(before);
                               picture_->set_after(after);
                               const auto small = [](const Rendition& r) {
                                   constexpr int measured = 900;
                                   return r.empty() ? QImage() : r.small(std::min(measured, r.levels.front().width()));
                               };
                               scopes_->set(small(before), small(after), before.full_width);
                           });
}

} // namespace refero::app
