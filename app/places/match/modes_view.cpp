#include "places/match/modes_view.hpp"

#include <QFileDialog>
#include <QHeaderView>
#include <QSignalBlocker>

#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

QString mode_title(const shoot::Shoot& shoot, const Chain& c) {
    QStringList parts{qt(shoot::name_in(shoot.cameras, c.row.camera))};
    for (const std::string& part : {shoot::name_in(shoot.lenses, c.row.lens), shoot::name_in(shoot.modes, c.row.mode)})
        if (!part.empty()) parts << qt(part);
    return parts.join(", ");
}

QString number_or_dash(double v, int digits, bool known = true) {
    return known && std::isfinite(v) ? QString::number(v, 'f', digits) : QString::fromUtf8("\u2013");
}

constexpr int through_column = 7;

} // namespace

ModesView::ModesView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      lights_(new QComboBox),
      purposes_(new QComboBox),
      caption_(new QLabel),
      plot_(new ShiftPlot),
      figure_(new Figure(tr("Mean CIEDE2000 from the reference, by balance alone"))),
      words_(new FlowLabel),
      table_(plain_table({{tr("Camera and mode"), tr("In the order of what they are wanted for")},
                          {tr("Light"), tr("Correlated colour temperature that its greys show")},
                          {tr("Duv"), tr("Off the Planckian locus: above 0 greenish, below magenta")},
                          {tr("\u0394E"), tr("Mean CIEDE2000 of all patches from the reference, by balance alone")},
                          {tr("Skin"), tr("CIEDE2000 of the mean of the skins")},
                          {tr("Chroma"), tr("Of the colours, times their reference: how saturated it draws")},
                          {tr("dB"), tr("The grey nearest 20 % over the noise of one pixel")},
                          {tr("Through"), tr("Mean CIEDE2000 through the look that is tried, exposed by its grey")},
                          {tr("Corrected"), tr("Mean CIEDE2000 that its correction leaves, patches held out")}},
                         tr("Modes and cameras under this light"))) {
    auto* row = side_row();
    const auto add = [&](const QString& name, QComboBox* box, const QString& tooltip) {
        auto* label = new QLabel(name);
        label->setBuddy(box);
        box->setToolTip(tooltip);
        box->setAccessibleName(QString(name).remove('&'));
        row->addWidget(label);
        row->addWidget(box, 1);
    };
    add(tr("&Light"), lights_, tr("Modes and cameras are compared under one light"));
    purposes_->addItems({tr("skin"), tr("textiles and objects"), tr("room for grading")});
    add(tr("Best &for"), purposes_,
        tr("Skin: by the skins. Textiles and objects: by what a correction leaves, else by the worst patches. Room for "
           "grading: by the noise"));
    lights_->setObjectName("modesLight");
    purposes_->setObjectName("modesPurpose");
    side()->addWidget(figure_);
    words_->setObjectName("modesWords");
    side()->addWidget(words_);
    auto* actions = side_row();
    open_ = side_button(tr("Open its setup"), {}, tr("To its chain: fit it, or look at its proof"), true, actions);
    through_ =
        side_button(tr("Try a look \u2026"), {},
                    tr("Each mode through one look, LUT or profile that is imported: on codes as the mode records "
                       "them, of raw files on balanced ones"),
                    false, actions);
    through_->setObjectName("modesThrough");
    without_ =
        side_button(tr("Without it"), {}, tr("Back to what each mode makes by its balance alone"), false, actions);
    without_->setObjectName("modesWithout");
    actions->addStretch();
    connect(through_, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(
            this, tr("Import a look or LUT"), last_folder(),
            tr("Looks (*.cube *.clf *.ctf *.spi3d *.3dl *.cdl *.cc *.ccc *.icc *.icm);;All files (*)"));
        if (!file.isEmpty()) try_look(file.toStdString());
    });
    connect(without_, &QPushButton::clicked, this, [this] { try_look({}); });
    connect(open_, &QPushButton::clicked, this, [this] { emit setup_opened(setup_); });
    connect(lights_, &QComboBox::activated, this, [this] {
        setup_ = 0;
        try_look(look_);
        fill_modes();
    });
    connect(purposes_, &QComboBox::activated, this, &ModesView::fill_modes);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int at) {
        if (at < 0 || at >= std::ssize(rows_)) return;
        setup_ = rows_[static_cast<std::size_t>(at)].setup;
        show_mode();
    });
    connect(table_, &QTableWidget::cellActivated, this, [this] { emit setup_opened(setup_); });
    connect(&desk_.chains, &Chains::followed, this, [this] {
        if (isVisible()) show_setup(0);
    });
    table_->setObjectName("modesTable");
    table_->horizontalHeader()->setStretchLastSection(false);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    auto* evidence = new QWidget;
    auto* column = new QVBoxLayout(evidence);
    column->setContentsMargins(0, 6, 0, 0);
    column->addWidget(caption_);
    column->addWidget(plot_, 1);
    arrange("modes", evidence, table_);
}

void ModesView::show_setup(Id setup) {
    if (setup && desk_.chains.has(setup)) setup_ = setup;
    if (!desk_.chains.has(setup_)) setup_ = 0;
    fill_lights();
    fill_modes();
}

void ModesView::rank_for(Purpose purpose) {
    purposes_->setCurrentIndex(static_cast<int>(purpose));
    fill_modes();
}

void ModesView::try_look(const fs::path& look) {
    look_ = look;
    tried_.clear();
    fill_modes();
    if (look.empty()) return;
    desk_.matches.try_look(desk_.matches.under(lights_->currentData().toLongLong()), look,
                           [this, look](const std::map<Id, Matches::Through>& all) {
                               if (look != look_) return;
                               tried_ = all;
                               fill_modes();
                           });
}

void ModesView::fill_lights() {
    const QSignalBlocker quiet(lights_);
    const QVariant was = setup_ ? QVariant(qlonglong(desk_.chains.at(setup_).row.light)) : lights_->currentData();
    lights_->clear();
    int most = 0, at = 0;
    for (const shoot::LightRecord& l : desk_.job.shoot().lights)
        if (const int n = static_cast<int>(desk_.matches.under(l.id).size()); n > 0) {
            if (n > most) at = lights_->count();
            most = std::max(most, n);
            lights_->addItem(qt(l.name), qlonglong(l.id));
        }
    const int kept = lights_->findData(was);
    lights_->setCurrentIndex(kept >= 0 ? kept : at);
}

void ModesView::fill_modes() {
    rows_.clear();
    for (const Id id : desk_.matches.under(lights_->currentData().toLongLong())) {
        const Chain& c = desk_.chains.at(id);
        if (auto seen = desk_.matches.mode_seen(id))
            rows_.push_back({id, std::move(*seen), c.correction ? c.correction->cross_validated.mean : 0});
    }
    const auto worth = [&](const Row& r) {
        switch (purpose()) {
        case Purpose::skin: return r.seen.look.skin_chroma > 0 ? r.seen.look.skin_delta_e : INFINITY;
        case Purpose::objects: return r.corrected > 0 ? r.corrected : 100 + r.seen.look.delta_e_2000.p95;
        default: return -r.seen.look.snr_db;
        }
    };
    std::stable_sort(rows_.begin(), rows_.end(), [&](const Row& a, const Row& b) { return worth(a) < worth(b); });
    const QSignalBlocker quiet(table_);
    table_->setRowCount(static_cast<int>(rows_.size()));
    int chosen = 0;
    for (int i = 0; i < table_->rowCount(); ++i) {
        const Row& r = rows_[static_cast<std::size_t>(i)];
        const match::ModeLook& look = r.seen.look;
        const QString texts[] = {mode_title(desk_.job.shoot(), desk_.chains.at(r.setup)),
                                 look.light ? tr("%1 K").arg(qRound(look.light->kelvin)) : number_or_dash(NAN, 0),
                                 look.light ? QString::asprintf("%+.4f", look.light->duv) : number_or_dash(NAN, 0),
                                 number_or_dash(look.delta_e_2000.mean, 2),
                                 number_or_dash(look.skin_delta_e, 2, look.skin_chroma > 0),
                                 number_or_dash(look.chroma_ratio, 2),
                                 number_or_dash(look.snr_db, 0),
                                 through_text(r.setup),
                                 number_or_dash(r.corrected, 2, r.corrected > 0)};
        for (int k = 0; k < 9; ++k) table_->setItem(i, k, new QTableWidgetItem(texts[k]));
        if (r.setup == setup_) chosen = i;
    }
    // A look brings its own balance: the light's columns give way.
    table_->setColumnHidden(through_column, look_.empty());
    for (const int light : {1, 2}) table_->setColumnHidden(light, !look_.empty());
    without_->setVisible(!look_.empty());
    table_->setCurrentCell(rows_.empty() ? -1 : chosen, 0);
    setup_ = rows_.empty() ? 0 : rows_[static_cast<std::size_t>(chosen)].setup;
    show_mode();
}

void ModesView::show_mode() {
    const auto at = std::find_if(rows_.begin(), rows_.end(), [&](const Row& r) { return r.setup == setup_; });
    open_->setEnabled(at != rows_.end());
    if (at == rows_.end()) {
        figure_->set(QString::fromUtf8("\u2013"), desk_.job.is_open() ? tr("No chart is read yet: shoot one chart in "
                                                                           "each mode, under one light.")
                                                                      : tr("Open a job first."));
        words_->clear();
        caption_->clear();
        plot_->set(nullptr);
        return;
    }
    const match::ModeLook& look = at->seen.look;
    caption_->setText(tr("%1: where its balance alone puts each patch")
                          .arg(mode_title(desk_.job.shoot(), desk_.chains.at(at->setup))));
    QString words =
        look.chroma_ratio > 1.03 ? tr("Draws colours %1 % too saturated.").arg(100 * look.chroma_ratio - 100, 0, 'f', 0)
        : look.chroma_ratio < 0.97 ? tr("Draws colours %1 % too pale.").arg(100 - 100 * look.chroma_ratio, 0, 'f', 0)
                                   : tr("Draws colours as saturated as they are.");
    if (look.skin_chroma > 0)
        words += " " + tr("Skins: %1 off, at a hue of %2\u00b0.")
                           .arg(look.skin_delta_e, 0, 'f', 1)
                           .arg(look.skin_hue_deg, 0, 'f', 0);
    figure_->set(QString::number(look.delta_e_2000.mean, 'f', 2), words);
    // The order, and its reason.
    const Row& best = rows_.front();
    const QString name = mode_title(desk_.job.shoot(), desk_.chains.at(best.setup));
    const auto because = [&](const Row& r) {
        return purpose() == Purpose::skin
                   ? tr("its skins are %1 off")
                         .arg(number_or_dash(r.seen.look.skin_delta_e, 1, r.seen.look.skin_chroma > 0))
               : purpose() == Purpose::grading
                   ? tr("its grey stands %1 dB over its noise").arg(number_or_dash(r.seen.look.snr_db, 0))
               : r.corrected > 0
                   ? tr("its correction leaves %1").arg(r.corrected, 0, 'f', 2)
                   : tr("95 % of its patches are within %1, uncorrected").arg(r.seen.look.delta_e_2000.p95, 0, 'f', 1);
    };
    QString order = tr("Best for %1: %2, %3.").arg(purposes_->currentText(), name, because(best));
    if (rows_.size() > 1)
        order +=
            " " +
            tr("Next: %1, %2.").arg(mode_title(desk_.job.shoot(), desk_.chains.at(rows_[1].setup)), because(rows_[1]));
    const auto through = tried_.find(setup_);
    if (through != tried_.end()) order += " " + words_through(through->second);
    words_->setText(order);
    const bool shown_through = through != tried_.end() && through->second.tried;
    if (shown_through)
        caption_->setText(tr("%1 through %2: where it puts each patch")
                              .arg(mode_title(desk_.job.shoot(), desk_.chains.at(at->setup)), name_of_file(look_)));
    plot_->set(shown_through ? &through->second.tried->proof : &at->seen.patches);
}

QString ModesView::through_text(Id setup) const {
    const auto at = tried_.find(setup);
    if (at == tried_.end()) return number_or_dash(NAN, 0);
    return at->second.tried ? QString::number(at->second.tried->proof.delta_e_2000.mean, 'f', 2)
                            : tr("cannot be tried");
}

QString ModesView::words_through(const Matches::Through& through) const {
    if (!through.tried) return tr("%1 cannot be tried on it: %2").arg(name_of_file(look_), through.problem);
    const operations::LookTried& t = *through.tried;
    QString words = tr("Through %1: %2").arg(name_of_file(look_)).arg(t.proof.delta_e_2000.mean, 0, 'f', 2);
    if (std::abs(t.proof.exposure_stops) >= 0.005)
        words += tr(", exposed by %1 stops").arg(QString::asprintf("%+.2f", t.proof.exposure_stops));
    if (!t.changed.empty())
        words += tr("; merges or parts %n pair(s) of patches", nullptr, static_cast<int>(t.changed.size()));
    if (t.turned) words += tr("; a hue runs back on %n ramp(s)", nullptr, t.turned);
    return words + tr(".");
}

} // namespace refero::app
