#include "desk/monitors.hpp"

namespace refero::app {

Monitors::Monitors(KitDocument& kit, Notices& notices)
    : kit_(kit),
      notices_(notices),
      instrument_(screen::displays().front()) {
    settling_.setSingleShot(true);
    connect(&settling_, &QTimer::timeout, this, &Monitors::read);
}

const plan::Monitor* Monitors::at(Id monitor) const { return plan::record(kit_.kit().monitors, monitor); }

Id Monitors::add(const QString& name, const QString& screen) {
    plan::Change c("New monitor", name.toStdString());
    const Id provisional = c.add(plan::Monitor{.name = name.toStdString(), .screen = screen.toStdString()});
    const auto ids = kit_.change(c);
    return ids ? ids->at(provisional) : 0;
}

void Monitors::change(const plan::Monitor& monitor) { kit_.change(plan::put("Monitor " + monitor.name, monitor)); }

QString Monitors::instrument_name() const {
    return tr("stand-in before the display \"%1\"").arg(qt(instrument_.display().name));
}

void Monitors::use_instrument(int index) {
    const auto& all = screen::displays();
    if (index >= 0 && index < static_cast<int>(all.size()))
        instrument_ = screen::StandIn(all[static_cast<std::size_t>(index)], static_cast<unsigned>(index) + 1);
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
    const screen::Shown& next = check_.next();
    emit shows(next.rgb, tr("%1 of %2: %3").arg(check_.read.size() + 1).arg(check_.steps.size()).arg(qt(next.name)));
    settling_.start(static_cast<int>(1000 * next.settle_s * (next.after_black ? 2 : 1) / pace_));
}

void Monitors::read() {
    if (!running_) return;
    const std::string why = check_.take(instrument_.measure(check_.next().rgb));
    if (!why.empty()) return emit doubted(qt(why));
    if (!check_.done()) return show_next();
    running_ = false;
    if (const plan::Monitor* m = at(monitor_))
        notices_.guarded([&] {
            const screen::Display d = screen::look(check_.read, m->target.empty() ? "srgb" : m->target);
            kit_.change(work::keep_check(*m, d, check_.read, instrument_name().toStdString()));
        });
    emit ended();
}

void Monitors::bring(Id monitor, const fs::path& table) {
    const plan::Monitor* m = at(monitor);
    if (!m) return notices_.tell(tr("Name the display first."));
    notices_.guarded([&] {
        const auto patches = screen::load(table);
        kit_.change(work::keep_check(*m, screen::look(patches, m->target.empty() ? "srgb" : m->target), patches,
                                     table.filename().string()));
    });
}

void Monitors::write_profile(Id monitor, const fs::path& file, const screen::ProfileOptions& options) {
    const plan::Monitor* m = at(monitor);
    const plan::MonitorCheck* c = m ? work::newest_check(kit_.kit(), monitor) : nullptr;
    if (!c) return notices_.tell(tr("Check the display first: its profile is made from what was measured."));
    notices_.guarded([&] {
        screen::write_profile(work::display_of(*c, m->target), m->name + ", " + c->at.substr(0, 10), file,
                              Existing::replace, options);
        plan::Monitor now = *m;
        now.profile = fs::absolute(file).string();
        change(now);
    });
}

} // namespace refero::app
