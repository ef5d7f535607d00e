#include "proof_page.hpp"

#include <cmath>

#include "ui/widgets/flow_label.hpp"

#include <QFileDialog>
#include <QLabel>
#include <QSignalBlocker>

namespace refero::app {

ProofPage::ProofPage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      swatches_(new Swatches),
      left_out_(new Figure(tr("Mean CIEDE2000, patches held out"))),
      words_(new FlowLabel),
      facts_(new Facts),
      bars_(new ProofPlot),
      shifts_(new ShiftPlot),
      table_(new PatchTable({tr("\u0394E"), tr("L*"), tr("C*"), tr("h, \u00b0")}, {2, 2, 2, 1})),
      views_(new QTabWidget),
      lightness_(new LightnessPlot),
      casts_(new CastPlot),
      wheel_(new HueWheel),
      on_(new QComboBox) {
    table_->setToolTip(tr("CIEDE2000, and corrected minus reference in CIELAB (D50): lightness, chroma, and "
                          "the hue angle of what is no grey"));
    side()->addWidget(left_out_);
    words_->setObjectName("proofWords");
    words_->setToolTip(tr("Levels of just noticeable and acceptable difference: Paravina and others 2015"));
    side()->addWidget(words_);
    add_due();
    auto* row = side_row();
    auto* label = new QLabel(tr("&on"));
    label->setBuddy(on_);
    prove_ = side_button(
        tr("Check accuracy on this chart shot"), {},
        tr("Keeps the differences that the correction leaves on this setup's own chart shot (Ctrl+Return)"), true, row);
    row->addWidget(label);
    row->addWidget(on_, 1);
    on_->setObjectName("proveOn");
    on_->setAccessibleName(tr("Check accuracy on"));
    on_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    on_->setToolTip(tr(
        "Another frame of a chart: of this setup, of another day, or another chart. The correction has not seen it"));
    connect(on_, &QComboBox::activated, this, &ProofPage::prove_on);
    prove_->setObjectName("proveButton");
    connect(prove_, &QPushButton::clicked, this, [this] { desk_.setups.prove(setup_); });

    auto* seen = new QSplitter(Qt::Vertical);
    seen->setHandleWidth(8);
    seen->setChildrenCollapsible(false);
    auto* pairs = new QWidget;
    auto* column = new QVBoxLayout(pairs);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* key = new QLabel(tr("Reference outside, corrected inside."));
    key->setToolTip(tr("Click a patch anywhere to see it everywhere"));
    key->setProperty("dim", true);
    column->addWidget(swatches_, 1);
    column->addWidget(key);
    seen->addWidget(pairs);
    views_->setObjectName("proofViews");
    views_->setDocumentMode(true);
    facts_->setContentsMargins(10, 8, 10, 8);
    views_->addTab(bars_, tr("Patches"));
    views_->addTab(facts_, tr("Figures"));
    views_->addTab(shifts_, tr("a* b*"));
    views_->addTab(wheel_, tr("Hues"));
    views_->addTab(lightness_, tr("Lightness"));
    views_->addTab(casts_, tr("Neutrals"));
    connect(views_, &QTabWidget::currentChanged, this, &ProofPage::show_view);
    seen->addWidget(views_);
    seen->setSizes({340, 300});
    for (auto* source : {table_}) connect(source, &PatchTable::patch_chosen, this, &ProofPage::choose);
    connect(bars_, &ProofPlot::patch_chosen, this, &ProofPage::choose);
    connect(swatches_, &Swatches::patch_chosen, this, &ProofPage::choose);
    arrange("proof", seen, table_);
}

void ProofPage::choose(const QString& id) {
    swatches_->select_patch(id);
    bars_->select_patch(id);
    table_->select_patch(id);
}

void ProofPage::show_setup(Id setup) {
    const bool other = shows_another(setup);
    setup_ = setup;
    refresh_due();
    const Chain& s = desk_.chains.at(setup);
    if (other || elsewhere_of_ != s.correction) {
        elsewhere_.reset();
        on_file_.clear();
    }
    show_others(s);
    show_proof(s, elsewhere_ ? elsewhere_.get() : s.proof.get());
}

// Every frame of a chart that the job has, and any other.
void ProofPage::show_others(const Chain& s) {
    const QSignalBlocker quiet(on_);
    on_->clear();
    on_->addItem(tr("its own chart shot"), QString());
    for (const shoot::ChartShotRecord& shot : desk_.job.shoot().chart_shots)
        if (const shoot::FrameRecord* row = desk_.job.frame(shot.frame);
            row && shot.id != s.chart_shot && row->problem.empty() && row->kind != shoot::FrameKind::clip)
            on_->addItem(tr("%1, %2").arg(QString::fromStdString(fs::path(row->path).filename().string()),
                                          desk_.chains.title_of(shot.setup)),
                         QString::fromStdString(row->path));
    if (!on_file_.isEmpty() && on_->findData(on_file_) < 0) on_->addItem(QFileInfo(on_file_).fileName(), on_file_);
    on_->addItem(tr("another frame \u2026"), QString("?"));
    on_->setCurrentIndex(std::max(0, on_->findData(on_file_)));
    on_->setEnabled(s.correction && !s.balance_only());
}

void ProofPage::prove_on(int index) {
    QString file = on_->itemData(index).toString();
    if (file == "?") {
        file = QFileDialog::getOpenFileName(this, tr("A frame of a chart"), last_folder());
        if (file.isEmpty()) return show_others(desk_.chains.at(setup_));
    }
    on_file_ = file;
    elsewhere_.reset();
    if (file.isEmpty()) return show_setup(setup_);
    elsewhere_of_ = desk_.chains.at(setup_).correction;
    desk_.setups.prove_on(setup_, file.toStdString(),
                          [this, file, setup = setup_](std::shared_ptr<const prove::Proof> proof) {
                              if (file != on_file_ || setup != setup_ || !desk_.chains.has(setup)) return;
                              elsewhere_ = proof;
                              show_setup(setup);
                          });
}

void ProofPage::show_view() {
    if (!desk_.chains.has(setup_)) return;
    const prove::Proof* proof = elsewhere_ ? elsewhere_.get() : desk_.chains.at(setup_).proof.get();
    const QWidget* shown = views_->currentWidget(); // bars and figures are always up to date
    if (shown == shifts_) shifts_->set(proof);
    else if (shown == wheel_) wheel_->set(proof);
    else if (shown == lightness_) lightness_->set(proof);
    else if (shown == casts_) casts_->set(proof);
}

void ProofPage::show_proof(const Chain& s, const prove::Proof* proof) {
    std::optional<chart::Definition> definition;
    if (s.shot) definition = s.shot->definition;
    else if (s.correction && !s.correction->reading.chart.empty()) try {
            definition = chart::find_definition(s.correction->reading.chart);
        } catch (const Error&) {}
    swatches_->set(definition ? &*definition : nullptr, proof);
    bars_->set(proof, s.correction ? s.correction->cross_validated : fit::Statistics{},
               elsewhere_ || s.taken_from ? tr("there") : tr("fitted"));
    show_view();
    std::vector<PatchRow> rows;
    if (proof)
        for (const auto& p : proof->patches) {
            constexpr double min_chroma = 5; // nearer to grey a hue angle is noise
            const bool grey = std::hypot(p.reference_lab[1], p.reference_lab[2]) < min_chroma;
            rows.push_back({QString::fromStdString(p.id),
                            colour_of_lab(p.reference_lab),
                            {p.delta_e_2000, p.lightness, p.chroma, grey ? NAN : p.hue_deg}});
        }
    table_->set(rows);
    if (!proof) {
        prove_->hide();
        left_out_->set("\u2013", tr("Accuracy is not checked yet. Fit a correction first."));
        words_->clear();
        facts_->set({});
        return;
    }
    prove_->setVisible(s.correction && !s.proved && !elsewhere_);
    const auto& f = proof->delta_e_2000;
    const auto& c = s.correction->cross_validated;
    if (elsewhere_) {
        left_out_->set(
            QString::number(f.mean, 'f', 2),
            tr("On %1: evidence, the correction has not seen this frame.").arg(QFileInfo(on_file_).fileName()));
        words_->setText(QString::fromStdString(prove::in_words(*proof, *s.correction)));
        facts_->set(
            {{tr("There"), tr("mean %1, median %2,\n95 % %3, max %4")
                               .arg(f.mean, 0, 'f', 2)
                               .arg(f.median, 0, 'f', 2)
                               .arg(f.p95, 0, 'f', 2)
                               .arg(f.max, 0, 'f', 2)},
             {tr("Exposure"),
              tr("%1 stops to be\nas bright as the reference").arg(QString::asprintf("%+.2f", proof->exposure_stops))},
             {tr("Counted"),
              tr("%1 patches").arg(std::count_if(proof->patches.begin(), proof->patches.end(), [](const auto& p) {
                  return p.fitted;
              }))}});
        return;
    }
    if (s.taken_from) {
        left_out_->set(QString::number(f.mean, 'f', 2),
                       tr("A correction of %1, on this setup's own chart shot: it was not fitted to it.")
                           .arg(desk_.chains.title_of(s.taken_from)));
        facts_->set({{tr("Here"), tr("mean %1, median %2,\n95 % %3, max %4")
                                      .arg(f.mean, 0, 'f', 2)
                                      .arg(f.median, 0, 'f', 2)
                                      .arg(f.p95, 0, 'f', 2)
                                      .arg(f.max, 0, 'f', 2)}});
        return;
    }
    left_out_->set(QString::number(c.mean, 'f', 2),
                   s.correction_stale() ? tr("Stale: %1.").arg(QString::fromStdString(s.stale.front().why))
                                        : tr("Evidence: each patch was predicted without being seen."));
    words_->setText(QString::fromStdString(prove::in_words(*proof, *s.correction)));
    draw_again(s);
    show_facts(s);
}

void ProofPage::show_facts(const Chain& s) {
    const prove::Proof& proof = *s.proof;
    const fit::Correction& c = *s.correction;
    const auto row = [](const fit::Statistics& v) {
        return QObject::tr("mean %1, median %2,\n95 % %3, max %4")
            .arg(v.mean, 0, 'f', 2)
            .arg(v.median, 0, 'f', 2)
            .arg(v.p95, 0, 'f', 2)
            .arg(v.max, 0, 'f', 2);
    };
    const auto list = [](const std::vector<std::string>& ids) {
        QStringList all;
        for (const std::string& id : ids) all << QString::fromStdString(id);
        return all.size() > 5 ? all.mid(0, 4).join(", ") + QObject::tr(" and %1 more").arg(all.size() - 4)
                              : all.join(", ");
    };
    std::vector<std::pair<QString, QString>> facts{{tr("Held out"), row(c.cross_validated)},
                                                   {tr("Fitted"), row(proof.delta_e_2000)}};
    if (c.unseen.max > 0)
        facts.emplace_back(tr("Other colours"),
                           tr("about %1 expected on\nother surfaces").arg(c.unseen.mean, 0, 'f', 1));
    facts.emplace_back(
        tr("Sure to"),
        uncertainty_ ? tr("\u00b1 %1 a patch, by noise\nand choice of patches").arg(uncertainty_->typical, 0, 'f', 2)
                     : tr("being drawn \u2026"));
    std::vector<std::string> changed;
    for (const prove::Neighbours& n : prove::merged_or_torn(proof))
        changed.push_back(n.a + (n.merged() ? " \u2192 " : " \u2194 ") + n.b);
    facts.emplace_back(tr("Neighbours"),
                       changed.empty() ? tr("keep their distances") : tr("moved: %1").arg(list(changed)));
    const auto beyond = prove::outside(proof, "srgb");
    facts.emplace_back(tr("Beyond sRGB"), beyond.empty() ? tr("none") : list(beyond));
    if (metamerism_)
        facts.emplace_back(tr("Camera"),
                           tr("sees this light's colours\nlike the eye to %1 of 100").arg(std::lround(*metamerism_)));
    if (s.nominal()) facts.emplace_back(tr("Values"), tr("nominal, not of the\ncard in hand"));
    facts.emplace_back(tr("Counted"), tr("%1 of %2 patches")
                                          .arg(std::count_if(proof.patches.begin(), proof.patches.end(),
                                                             [](const auto& p) { return p.fitted; }))
                                          .arg(proof.patches.size()));
    facts_->set(facts);
}

void ProofPage::draw_again(const Chain& s) {
    if (drawn_for_ == s.correction) return;
    drawn_for_ = s.correction;
    uncertainty_.reset();
    metamerism_.reset();
    const auto correction = s.correction;
    desk_.tasks.run({}, tr("How sure the correction is"),
                    [this, correction](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                        const prove::Uncertainty u =
                            prove::uncertainty(*correction, fit::bootstrap(*correction, 200, progress, stop));
                        const auto index = prove::metamerism_index(*correction);
                        return [this, correction, u, index] {
                            if (drawn_for_ != correction) return;
                            uncertainty_ = u;
                            metamerism_ = index;
                            if (desk_.chains.has(setup_) && desk_.chains.at(setup_).correction == correction &&
                                desk_.chains.at(setup_).proof)
                                show_facts(desk_.chains.at(setup_));
                        };
                    });
}

} // namespace refero::app
