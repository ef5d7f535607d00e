#include "model/monitors.hpp"

namespace refero::app {

Monitors::Monitors(KitDocument& kit, Notices& notices)
    : kit_(kit),
      notices_(notices),
      instrument_(display::displays().front()) {
    settling_.setSingleShot(true);
    connect(&settling_, &QTimer::timeout, this, &Monitors::read);
}

const shoot::MonitorRecord* Monitors::at(Id monitor) const { return shoot::record(kit_.kit().monitors, monitor); }

Id Monitors::add(const QString& name, const QString& screen) {
    shoot::Change c("New monitor", name.toStdString());
    const Id provisional = c.add(shoot::MonitorRecord{.name = name.toStdString(), .screen = screen.toStdString()});
    const auto ids = kit_.change(c);
    return ids ? ids->at(provisional) : 0;
}

void Monitors::change(const shoot::MonitorRecord& monitor) {
    kit_.change(shoot::put("Monitor " + monitor.name, monitor));
}

QString Monitors::instrument_name() const {
    return tr("stand-in before the display \"%1\"").arg(qt(instrument_.display().name));
}

void Monitors::use_instrument(int index) {
    const auto& all = display::displays();
    if (index >= 0 && index < static_cast<int>(all.size()))
        instrument_ =
            display::SimulatedColorimeter(all[static_cast<std::size_t>(index)], static_cast<unsigned>(index) + 1);
}

void Monitors::begin(Id monitor) {
    if (!at(monitor)) return notices_.tell(tr("Name the display first."));
    if (monitor != monitor_ || check_.done()) check_ = {};
    monitor_ = monitor;
    running_ = true;
    show_next();
}

void Monitors::leave() {
    settling_.stop();
    running_ = false;
    emit ended();
}

void Monitors::go_on() {
    if (running_) show_next();
}

void Monitors::show_next() {
    const display::Shown& next = check_.next();
    emit shows(next.rgb, tr("%1 of %2: %3").arg(check_.read.size() + 1).arg(check_.steps.size()).arg(qt(next.name)));
    settling_.start(static_cast<int>(1000 * next.settle_s * (next.after_black ? 2 : 1) / pace_));
}

void Monitors::read() {
    if (!running_) return;
    const std::string why = check_.take(instrument_.measure(check_.next().rgb));
    if (!why.empty()) return emit doubted(qt(why));
    if (!check_.done()) return show_next();
    running_ = false;
    if (const shoot::MonitorRecord* m = at(monitor_))
        notices_.guarded([&] {
            const display::Display d = display::look(check_.read, m->target.empty() ? "srgb" : m->target);
            kit_.change(operations::keep_check(*m, d, check_.read, instrument_name().toStdString()));
        });
    emit ended();
}

void Monitors::bring(Id monitor, const fs::path& table) {
    const shoot::MonitorRecord* m = at(monitor);
    if (!m) return notices_.tell(tr("Name the display first."));
    notices_.guarded([&] {
        const auto patches = display::load(table);
        kit_.change(operations::keep_check(*m, display::look(patches, m->target.empty() ? "srgb" : m->target), patches,
                                           table.filename().string()));
    });
}

void Monitors::write_profile(Id monitor, const fs::path& file, const display::ProfileOptions& options) {
    const shoot::MonitorRecord* m = at(monitor);
    const shoot::MonitorCheckRecord* c = m ? operations::newest_check(kit_.kit(), monitor) : nullptr;
    if (!c) return notices_.tell(tr("Check the display first: its profile is made from what was measured."));
    notices_.guarded([&] {
        display::write_profile(operations::display_of(*c, m->target), m->name + ", " + c->at.substr(0, 10), file,
                               Existing::replace, options);
        shoot::MonitorRecord now = *m;
        now.profile = fs::absolute(file).string();
        change(now);
    });
}

} // namespace refero::app
