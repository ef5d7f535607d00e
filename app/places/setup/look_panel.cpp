#include "look_panel.hpp"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "page.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

using Step = double look::HueStep::*;
constexpr Step step_values[] = {&look::HueStep::shift_deg, &look::HueStep::saturation, &look::HueStep::lightness};
constexpr double step_most[] = {look::most_shift_deg, look::most_saturation, look::most_lightness};

} // namespace

LookPanel::LookPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      choice_(new QComboBox),
      on_(new QCheckBox(tr("O&n"))),
      curve_(new LookCurve),
      ring_(new LookRing),
      hue_(new QLabel),
      words_(new FlowLabel) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 8, 6, 6);
    column->setSpacing(6);
    column->addLayout(choice_row());
    auto* drawn = new QHBoxLayout;
    drawn->setSpacing(10);
    curve_->setObjectName("lookCurve");
    ring_->setObjectName("lookRing");
    drawn->addWidget(curve_, 1);
    drawn->addWidget(ring_, 1);
    column->addLayout(drawn, 3);
    column->addLayout(step_row());
    words_->setObjectName("lookWords");
    column->addWidget(words_);
    column->addWidget(evidence(), 3);
    connect(curve_, &LookCurve::moving, this, [this] {
        take();
        emit moving();
    });
    connect(ring_, &LookRing::moving, this, [this] {
        take();
        emit moving();
    });
    const auto settled_by_hand = [this](const QString& what) {
        take();
        settle(look_, what);
    };
    connect(curve_, &LookCurve::settled, this, settled_by_hand);
    connect(ring_, &LookRing::settled, this, settled_by_hand);
    connect(ring_, &LookRing::chosen_changed, this, &LookPanel::show_step);
    connect(&desk_.kit, &KitDocument::changed, this, [this] {
        if (isVisible()) show_choice();
    });
}

QHBoxLayout* LookPanel::choice_row() {
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("Loo&k"));
    label->setBuddy(choice_);
    choice_->setObjectName("lookChoice");
    choice_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice_->setMinimumContentsLength(8);
    choice_->setPlaceholderText(tr("a look of its own"));
    choice_->setToolTip(tr("Looks that the kit keeps for this client, and for anybody"));
    on_->setObjectName("lookOn");
    on_->setToolTip(tr("Off: pictures and files are without the look, and it is kept"));
    keep_ = new QPushButton(tr("Keep \u2026"));
    keep_->setObjectName("lookKeep");
    keep_->setToolTip(tr("Keeps the look in the kit under a name, for the next job of this client"));
    auto* file = new QPushButton(tr("Bring \u2026"));
    file->setObjectName("lookBring");
    file->setToolTip(tr("A LUT or an ASC CDL that is imported, from display codes to display codes. The curve and the "
                        "ring come after it"));
    row->addWidget(label);
    row->addWidget(choice_, 1);
    row->addWidget(on_);
    row->addWidget(keep_);
    row->addWidget(file);
    connect(choice_, &QComboBox::activated, this, [this](int i) {
        if (i == 0) return settle({}, tr("No look"));
        const operations::LookOfKit& known = known_[static_cast<std::size_t>(i - 1)];
        settle(known.look, tr("Look %1").arg(qt(known.name)));
    });
    connect(on_, &QCheckBox::clicked, this, [this](bool on) {
        look::Look look = look_;
        look.on = on;
        settle(look, on ? tr("Look on") : tr("Look off"));
    });
    connect(keep_, &QPushButton::clicked, this, &LookPanel::keep);
    connect(file, &QPushButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getOpenFileName(
            this, tr("Import a look"), last_folder(),
            tr("Looks (*.cube *.clf *.ctf *.spi3d *.3dl *.cdl *.cc *.ccc *.json);;All files (*)"));
        if (!chosen.isEmpty()) bring(chosen.toStdString());
    });
    return row;
}

QHBoxLayout* LookPanel::step_row() {
    auto* row = new QHBoxLayout;
    hue_->setMinimumWidth(58);
    row->addWidget(hue_);
    const std::pair<QString, QString> words[] = {
        {tr("shift"), tr("\u00b0")}, {tr("saturation"), tr(" %")}, {tr("lightness"), tr(" %")}};
    const QString tooltips[] = {tr("Counter-clockwise on the vectorscope, degrees"), tr("Percent of saturation to add"),
                                tr("Percent of luma to add, as far as a colour is strong")};
    for (std::size_t k = 0; k < step_.size(); ++k) {
        auto* spin = step_[k] = new QDoubleSpinBox;
        spin->setObjectName("lookStep" + QString::number(k));
        spin->setRange(-step_most[k], step_most[k]);
        spin->setDecimals(0);
        spin->setSuffix(words[k].second);
        spin->setKeyboardTracking(false);
        spin->setAccessibleName(words[k].first);
        spin->setToolTip(tooltips[k]);
        auto* label = new QLabel(words[k].first);
        label->setProperty("dim", true);
        row->addWidget(label);
        row->addWidget(spin, 1);
        connect(spin, &QDoubleSpinBox::valueChanged, this, [this, k](double v) {
            look::Look look = look_;
            look.ring[static_cast<std::size_t>(ring_->chosen())].*step_values[k] = v;
            settle(look, tr("Look: %1").arg(hue_->text()));
        });
    }
    return row;
}

QWidget* LookPanel::evidence() {
    tabs_ = new QTabWidget;
    tabs_->setObjectName("lookTabs");
    tabs_->setDocumentMode(true);
    tabs_->setMinimumHeight(150);
    tabs_->addTab(patches_ = new Swatches, tr("Patches"));
    tabs_->addTab(ramps_ = new RampView, tr("Ramps"));
    tabs_->addTab(steps_ = plain_table({{tr("Step"), tr("A flat recording worked up, in the usual order")},
                                        {tr("Now"), {}},
                                        {tr("Aim"), {}},
                                        {tr(""), {}}},
                                       tr("From a flat recording")),
                  tr("From a flat recording"));
    patches_->setToolTip(tr("Each patch as it was, with the look set in"));
    steps_->setObjectName("lookSteps");
    steps_->verticalHeader()->setDefaultSectionSize(21);
    connect(tabs_, &QTabWidget::currentChanged, this, &LookPanel::show_evidence);
    return tabs_;
}

void LookPanel::take() {
    look_.curve = curve_->points();
    look_.ring = ring_->ring();
    if (look_.changes_nothing()) look_.name.clear();
    show_step();
    show_evidence();
}

void LookPanel::settle(const look::Look& look, const QString& what) {
    look_ = look;
    if (!look_.changes_nothing() && what != tr("Look off")) look_.on = true;
    show_look();
    emit settled(look_, what);
}

void LookPanel::bring(const fs::path& file) {
    desk_.renderings.bring_look(file, [this, of = setup_](const look::Look& brought) {
        if (of != setup_) return;
        look::Look look = brought;
        if (look.brought && look.curve.empty() && look.ring == LookRing::Ring{}) { // what is drawn stays after it
            look.curve = look_.curve;
            look.ring = look_.ring;
        }
        settle(look, tr("Look %1").arg(qt(look.name)));
    });
}

void LookPanel::keep() {
    bool sure = false;
    const QString name = QInputDialog::getText(this, tr("Keep the look"), tr("Name of the look:"), QLineEdit::Normal,
                                               qt(look_.name), &sure)
                             .trimmed();
    if (!sure || name.isEmpty()) return;
    desk_.renderings.keep_look(look_, name);
    look::Look named = look_;
    named.name = name.toStdString();
    settle(named, tr("Look kept as %1").arg(name));
}

void LookPanel::show_choice() {
    const QSignalBlocker quiet(choice_);
    known_ = desk_.renderings.looks();
    choice_->clear();
    choice_->addItem(tr("no look"));
    int now = look_.changes_nothing() ? 0 : -1;
    for (const operations::LookOfKit& k : known_) {
        choice_->addItem(qt(k.name));
        look::Look kept = k.look;
        kept.on = look_.on;
        if (kept == look_) now = choice_->count() - 1;
    }
    choice_->setCurrentIndex(now);
    if (now < 0 && look_.brought) choice_->setPlaceholderText(qt(look_.brought->name));
    else choice_->setPlaceholderText(tr("a look of its own"));
}

void LookPanel::show_step() {
    const look::HueStep& s = look_.ring[static_cast<std::size_t>(ring_->chosen())];
    hue_->setText(tr(look::look_hues[static_cast<std::size_t>(ring_->chosen())]));
    for (std::size_t k = 0; k < step_.size(); ++k) {
        const QSignalBlocker quiet(step_[k]);
        step_[k]->setValue(s.*step_values[k]);
    }
}

void LookPanel::show_look() {
    curve_->set(look_.curve);
    ring_->set(look_.ring);
    on_->setChecked(look_.on && !look_.changes_nothing());
    on_->setEnabled(!look_.changes_nothing());
    keep_->setEnabled(!look_.changes_nothing());
    show_choice();
    show_step();
    show_evidence();
}

QString LookPanel::words_of(const operations::LookSeen& seen) const {
    if (seen.patches.empty()) return tr("A correction and its reading show what a look does. Fit one first.");
    if (look_.changes_nothing())
        return tr(
            "No look yet. Press on the curve or pull a hue; what it does to the chart's colours is seen at once.");
    QStringList parts{tr("Greys off neutral by %1 points, %2 before")
                          .arg(seen.spread_with, 0, 'f', 1)
                          .arg(seen.spread_without, 0, 'f', 1),
                      tr("colours \u00d7 %1").arg(seen.chroma_ratio, 0, 'f', 2)};
    QStringList merged, torn;
    constexpr int most_named = 3;
    for (const prove::Neighbours& n : seen.moved) (n.merged() ? merged : torn) << tr("%1 and %2").arg(qt(n.a), qt(n.b));
    if (!merged.isEmpty()) parts << tr("merges %1").arg(QStringList(merged.mid(0, most_named)).join(", "));
    if (!torn.isEmpty()) parts << tr("parts %1").arg(QStringList(torn.mid(0, most_named)).join(", "));
    QStringList out;
    for (const std::string& id : seen.clipped) out << qt(id);
    if (!out.isEmpty()) parts << tr("drives out of range: %1").arg(out.join(", "));
    QString words = parts.join(tr("; ")) + tr(".");
    for (const std::string& caution : seen.cautions) words += " " + qt(caution) + tr(".");
    return look_.on ? words : tr("Switched off. With it: ") + words;
}

void LookPanel::show_evidence() {
    look::Look on = look_;
    on.on = true;
    const operations::LookSeen seen = desk_.renderings.seen(setup_, on);
    words_->setText(words_of(seen));
    ring_->set_patches(seen.patches);
    std::vector<double> greys;
    for (const auto& p : seen.patches)
        if (p.neutral) greys.push_back(operations::scope_point(p.without).luma);
    curve_->set_greys(std::move(greys));
    if (!desk_.chains.has(setup_)) return;
    const Chain& s = desk_.chains.at(setup_);
    patches_->set(s.shot ? &s.shot->definition : nullptr, seen.patches.empty() ? nullptr : &seen.moved_by);
    ramps_->set(seen.ramps);
    const std::vector<operations::LookStep> steps = desk_.renderings.steps(setup_, seen);
    steps_->setRowCount(static_cast<int>(steps.size()));
    for (int r = 0; r < steps_->rowCount(); ++r) {
        const operations::LookStep& step = steps[static_cast<std::size_t>(r)];
        const QString texts[] = {tr("%1. %2").arg(r + 1).arg(qt(step.what)), qt(step.figure), qt(step.aim),
                                 !step.met   ? QString()
                                 : *step.met ? tr("met")
                                             : tr("not yet")};
        for (int c = 0; c < 4; ++c) steps_->setItem(r, c, new QTableWidgetItem(texts[c]));
    }
    steps_->resizeColumnsToContents();
}

void LookPanel::show_setup(Id setup) {
    if (curve_->is_dragged() || ring_->is_dragged()) return;
    setup_ = setup;
    setEnabled(desk_.chains.has(setup) && desk_.chains.at(setup).correction != nullptr);
    look_ = desk_.chains.has(setup) ? desk_.chains.at(setup).settings.look : look::Look();
    show_look();
}

} // namespace refero::app
