#include "places/monitor/guide_panel.hpp"
#include "ui/widgets/flow_label.hpp"

#include <QFormLayout>
#include <QGroupBox>
#include <QSignalBlocker>
#include <QVBoxLayout>

namespace refero::app {

namespace {
constexpr int read_every_ms = 400;
} // namespace

GuidePanel::GuidePanel(Monitors& monitors, QWidget* parent)
    : QWidget(parent),
      monitors_(monitors),
      white_(new QLabel),
      light_(new QLabel),
      gains_(new QLabel),
      gamma_(new QLabel),
      words_(new FlowLabel),
      reading_(new QPushButton(tr("Read white again and again"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 8, 8, 8);
    auto* about =
        new FlowLabel(tr("Turn the display's own controls in this order, while white is read: colour temperature or "
                         "gains, then brightness, then gamma. A profile mends only what is left."));
    column->addWidget(about);
    reading_->setCheckable(true);
    reading_->setObjectName("guideRead");
    reading_->setToolTip(tr("The instrument lies on the middle of the screen; the patches are shown there"));
    column->addWidget(reading_, 0, Qt::AlignLeft);
    auto* form = new QFormLayout;
    form->addRow(tr("White"), white_);
    form->addRow(tr("Light of white"), light_);
    form->addRow(tr("Channels to turn"), gains_);
    form->addRow(tr("Middle grey"), gamma_);
    column->addLayout(form);
    words_->setObjectName("guideWords");
    column->addWidget(words_);
    auto* own = new QGroupBox(tr("Controls of the stand-in's display"));
    own->setToolTip(tr("A real display has them on its own case or in its menu"));
    auto* rows = new QFormLayout(own);
    const std::tuple<QString, double, double, double, int, QString> ranges[] = {
        {tr("&Brightness"), 20, 400, 5, 0, tr(" cd/m\u00b2")},
        {tr("&Red gain"), 0.5, 1.5, 0.01, 2, {}},
        {tr("&Green gain"), 0.5, 1.5, 0.01, 2, {}},
        {tr("B&lue gain"), 0.5, 1.5, 0.01, 2, {}},
        {tr("G&amma"), 1.4, 3, 0.05, 2, {}}};
    for (std::size_t k = 0; k < controls_.size(); ++k) {
        const auto& [name, low, high, step, decimals, unit] = ranges[k];
        auto* box = new QDoubleSpinBox;
        box->setDecimals(decimals);
        box->setRange(low, high);
        box->setSingleStep(step);
        box->setSuffix(unit);
        box->setAccessibleName(QString(name).remove('&'));
        rows->addRow(name, box);
        connect(box, &QDoubleSpinBox::valueChanged, this, &GuidePanel::controls_changed);
        controls_[k] = box;
    }
    controls_[0]->setObjectName("guideBrightness");
    controls_[3]->setObjectName("guideBlue");
    column->addWidget(own);
    column->addStretch();
    connect(reading_, &QPushButton::toggled, this, &GuidePanel::set_reading);
    timer_.setInterval(read_every_ms);
    connect(&timer_, &QTimer::timeout, this, &GuidePanel::read);
    show_controls();
}

void GuidePanel::set_target(const std::string& target) {
    target_ = target.empty() ? "srgb" : target;
    show_controls();
}

void GuidePanel::set_reading(bool on) {
    const QSignalBlocker quiet(reading_);
    reading_->setChecked(on);
    if (on) {
        timer_.start();
        read();
    } else timer_.stop();
}

void GuidePanel::show_controls() {
    const display::DisplayModel& d = monitors_.instrument().display();
    const double values[] = {d.luminance, d.gain[0], d.gain[1], d.gain[2], d.gamma[1] > 0 ? d.gamma[1] : 2.2};
    for (std::size_t k = 0; k < controls_.size(); ++k) {
        const QSignalBlocker quiet(controls_[k]);
        controls_[k]->setValue(values[k]);
    }
}

void GuidePanel::controls_changed() {
    display::DisplayModel& d = monitors_.instrument().controls();
    d.luminance = controls_[0]->value();
    for (int c = 0; c < 3; ++c) d.gain[c] = controls_[static_cast<std::size_t>(c) + 1]->value();
    if (sender() == controls_[4]) d.gamma.fill(controls_[4]->value());
    if (timer_.isActive()) read();
}

void GuidePanel::read() {
    using colour::Vec3;
    display::SimulatedColorimeter& instrument = monitors_.instrument();
    const Vec3 white = instrument.measure(Vec3::Ones()), black = instrument.measure(Vec3::Zero()),
               grey = instrument.measure(Vec3::Constant(0.5));
    const display::Guide g = display::guide(
        white, black, grey,
        {instrument.measure(Vec3::Unit(0)), instrument.measure(Vec3::Unit(1)), instrument.measure(Vec3::Unit(2))},
        target_);
    white_->setText(tr("%1 K, Duv %2").arg(g.white.kelvin, 0, 'f', 0).arg(QString::asprintf("%+.4f", g.white.duv)));
    light_->setText(tr("%1 cd/m\u00b2, 80 to 160 asked for").arg(g.luminance, 0, 'f', 0));
    gains_->setText(tr("red %1 %, green %2 %, blue %3 % to keep")
                        .arg(100 * g.turn[0], 0, 'f', 0)
                        .arg(100 * g.turn[1], 0, 'f', 0)
                        .arg(100 * g.turn[2], 0, 'f', 0));
    gamma_->setText(tr("gamma %1, %2 asked for").arg(g.gamma, 0, 'f', 2).arg(g.asked_gamma, 0, 'f', 2));
    words_->setText(tr("Next: %1.").arg(qt(g.next)));
}

} // namespace refero::app
