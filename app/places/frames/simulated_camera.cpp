#include "simulated_camera.hpp"

#include <QDateTime>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include "operations/demo/simulated_camera.hpp"
#include "plan/shot_list.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

SimulatedCamera::SimulatedCamera(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      setups_(new QComboBox),
      what_(new QComboBox),
      mistake_(new QComboBox),
      stops_(new QDoubleSpinBox),
      tilt_(new QDoubleSpinBox),
      share_(new QDoubleSpinBox),
      shutter_(new QPushButton(tr("Press the shutter"))),
      told_(new FlowLabel) {
    setObjectName("taskStrip");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(262);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 12, 14, 12);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(tr("Simulated camera"));
    title->setFont(title_font());
    head->addWidget(title, 1);
    auto* close = new QPushButton(tr("Close"));
    connect(close, &QPushButton::clicked, this, &SimulatedCamera::closed);
    head->addWidget(close);
    column->addLayout(head);
    auto* about = new FlowLabel(tr("Stands in for a tethered camera: a real DNG drops into the watched folder."));
    about->setProperty("dim", true);
    column->addWidget(about);
    const auto add = [&](const QString& text, QWidget* field, const QString& tooltip) {
        auto* label = new QLabel(text);
        label->setProperty("dim", true);
        label->setBuddy(field);
        field->setToolTip(tooltip);
        field->setAccessibleName(text);
        column->addSpacing(4);
        column->addWidget(label);
        column->addWidget(field);
    };
    add(tr("Setup"), setups_, tr("Whose camera and light; those still to be shot come first"));
    what_->addItems({tr("the chart"), tr("a sheet of the collection")});
    add(tr("Before the camera"), what_, {});
    stops_->setRange(-8, 4);
    stops_->setSingleStep(1.0 / 3);
    stops_->setDecimals(1);
    stops_->setSuffix(tr(" stops"));
    add(tr("Exposure, from the metered"), stops_, {});
    tilt_->setRange(0, 60);
    tilt_->setValue(3);
    tilt_->setDecimals(0);
    tilt_->setSuffix("\u00b0");
    add(tr("Tilt of the chart"), tilt_, {});
    share_->setRange(0.2, 80);
    share_->setValue(10);
    share_->setDecimals(1);
    share_->setSuffix(" %");
    add(tr("Share of the frame"), share_, {});
    for (const char* name : names(operations::Mistake{})) mistake_->addItem(tr(name));
    add(tr("Mistake"), mistake_, tr("What people do; the frame comes in with it"));
    column->addSpacing(10);
    shutter_->setProperty("primary", true);
    shutter_->setMinimumHeight(48);
    shutter_->setToolTip(tr("Exposes a frame"));
    column->addWidget(shutter_);
    told_->setProperty("dim", true);
    column->addWidget(told_);
    column->addStretch();
    connect(shutter_, &QPushButton::clicked, this, &SimulatedCamera::release);
    connect(&desk.chains, &Chains::structure_changed, this, [this] {
        if (isVisible()) fill();
    });
    connect(&desk.chains, &Chains::setup_changed, this, [this] {
        if (isVisible()) fill();
    });
}

fs::path SimulatedCamera::folder() const {
    const auto watched = desk_.watcher.folders();
    return watched.empty() ? desk_.job.file().parent_path() / (desk_.job.file().stem().string() + " camera")
                           : watched.front();
}

void SimulatedCamera::fill() {
    const QVariant kept = setups_->currentData();
    const bool was_open = setups_->currentText().endsWith("*");
    setups_->clear();
    std::vector<Id> order;
    for (const plan::LightGroup& g : plan::shot_list(desk_.job.shoot()).groups)
        for (const plan::PlannedShot& p : g.shots)
            if (!p.done) order.push_back(p.setup);
    const std::size_t open = order.size();
    for (const Id id : desk_.chains.ids())
        if (std::find(order.begin(), order.end(), id) == order.end()) order.push_back(id);
    for (std::size_t i = 0; i < order.size(); ++i)
        setups_->addItem(desk_.chains.title_of(order[i]) + (i < open ? " *" : ""), qlonglong(order[i]));
    // The next one to shoot comes up by itself once the chosen one is shot.
    const int at = setups_->findData(kept);
    setups_->setCurrentIndex(at >= 0 && !(was_open && !setups_->itemText(at).endsWith("*")) ? at
                             : setups_->count()                                             ? 0
                                                                                            : -1);
    shutter_->setEnabled(setups_->count() > 0);
    if (!setups_->count()) told_->setText(tr("Plan a setup first."));
    else if (told_->text() == tr("Plan a setup first.")) told_->clear();
}

void SimulatedCamera::release() {
    const Id setup = setups_->currentData().toLongLong();
    if (!setup) return;
    const fs::path folder = this->folder();
    std::error_code ec;
    fs::create_directories(folder, ec);
    if (desk_.watcher.folders().empty()) desk_.watcher.watch({folder});
    operations::Exposure x;
    x.chart = what_->currentIndex() == 0;
    x.stops = stops_->value();
    x.tilt_deg = tilt_->value();
    x.share = share_->value() / 100;
    x.mistake = static_cast<operations::Mistake>(mistake_->currentIndex());
    x.seed = static_cast<std::uint64_t>(QDateTime::currentMSecsSinceEpoch()) + ++shots_;
    x.taken = QDateTime::currentDateTime().toString(Qt::ISODate).toStdString();
    const shoot::Shoot shoot = [&] { // what the camera needs to know of the job
        shoot::Shoot s;
        s.briefs = desk_.job.shoot().briefs;
        s.cameras = desk_.job.shoot().cameras;
        s.lenses = desk_.job.shoot().lenses;
        s.lights = desk_.job.shoot().lights;
        s.setups = desk_.job.shoot().setups;
        return s;
    }();
    shutter_->setEnabled(false);
    told_->setText(tr("Exposing \u2026"));
    desk_.tasks.run(
        {}, tr("The simulated camera exposes"),
        [self = QPointer<SimulatedCamera>(this), shoot, setup, x, folder](std::stop_token stop,
                                                                          const Progress&) -> Tasks::Then {
            const auto rendering = simulate::render(operations::simulated_scene(shoot, setup, x), stop);
            const fs::path file = operations::next_file(shoot, setup, folder);
            simulate::write(rendering, file);
            return [self, file] {
                if (!self) return;
                self->told_->setText(tr("%1 is on its way").arg(QString::fromStdString(file.filename().string())));
            };
        },
        [self = QPointer<SimulatedCamera>(this)](const TaskEnd& end) {
            if (!self) return;
            self->shutter_->setEnabled(true);
            if (end.how == TaskEnd::How::failed) self->told_->setText(end.problem);
            if (end.how == TaskEnd::How::cancelled) self->told_->setText(tr("The exposure was cancelled."));
        });
}

} // namespace refero::app
