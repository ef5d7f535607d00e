#include "operations/display/displays.hpp"

#include <chrono>
#include <cmath>

namespace refero::operations {

shoot::Change keep_check(const shoot::MonitorRecord& monitor, const display::Display& d,
                         const std::vector<display::Patch>& patches, const std::string& source) {
    shoot::Change c("Check " + monitor.name, monitor.name);
    c.add(shoot::MonitorCheckRecord{.monitor = monitor.id,
                                    .at = utc_now(),
                                    .source = source,
                                    .kelvin = d.light.kelvin,
                                    .duv = d.light.duv,
                                    .luminance = d.luminance,
                                    .black = d.black,
                                    .gamma = d.gamma,
                                    .grey_tracking = d.grey_tracking,
                                    .delta_e = d.delta_e_2000.mean,
                                    .verdict = d.verdict,
                                    .content = display::to_csv(patches)});
    shoot::MonitorRecord now = monitor;
    now.calibrated = utc_now().substr(0, 10);
    c.update(now);
    return c;
}

const shoot::MonitorCheckRecord* newest_check(const shoot::Kit& kit, shoot::Id monitor) {
    const shoot::MonitorCheckRecord* newest = nullptr;
    for (const shoot::MonitorCheckRecord& c : kit.monitor_checks)
        if (c.monitor == monitor && (!newest || c.at >= newest->at)) newest = &c;
    return newest;
}

display::Display display_of(const shoot::MonitorCheckRecord& check, const std::string& target) {
    return display::look(display::parse(check.content, "check of " + check.at), target);
}

std::string drift_words(const shoot::MonitorCheckRecord& before, const shoot::MonitorCheckRecord& now) {
    // Chosen by us: what a check repeats by itself is well below.
    constexpr double kelvin = 150, duv = 0.002, share = 0.08, gamma = 0.06;
    std::string words;
    const auto add = [&](const std::string& text) { words += (words.empty() ? "" : ", ") + text; };
    if (std::abs(now.kelvin - before.kelvin) > kelvin)
        add(formatted("white {:.0f} K {}", std::abs(now.kelvin - before.kelvin),
                      now.kelvin > before.kelvin ? "bluer" : "yellower"));
    if (std::abs(now.duv - before.duv) > duv) add(now.duv > before.duv ? "greener" : "more magenta");
    if (before.luminance > 0 && std::abs(now.luminance / before.luminance - 1) > share)
        add(formatted("{:.0f} % {}", 100 * std::abs(now.luminance / before.luminance - 1),
                      now.luminance > before.luminance ? "brighter" : "darker"));
    if (std::abs(now.gamma - before.gamma) > gamma)
        add(formatted("gamma {:.2f} after {:.2f}", now.gamma, before.gamma));
    return words;
}

std::optional<int> days_to_due(const shoot::MonitorRecord& monitor, const std::string& today) {
    const auto day = [](const std::string& text) -> std::optional<std::chrono::sys_days> {
        int y = 0, m = 0, d = 0;
        if (std::sscanf(text.c_str(), "%d-%d-%d", &y, &m, &d) != 3) return {};
        return std::chrono::sys_days(std::chrono::year{y} / m / d);
    };
    const auto last = day(monitor.calibrated), now = day(today);
    if (!last || !now) return {};
    const auto interval = std::chrono::days(monitor.before_each_project ? 1 : static_cast<int>(monitor.interval_days));
    return static_cast<int>((*last + interval - *now).count());
}

std::map<std::string, double> shown_by_all(const shoot::Kit& kit) {
    std::map<std::string, double> least;
    for (const shoot::MonitorRecord& m : kit.monitors)
        if (const shoot::MonitorCheckRecord* c = newest_check(kit, m.id)) try {
                for (const auto& [space, share] : display_of(*c, m.target.empty() ? "srgb" : m.target).coverage) {
                    const auto at = least.emplace(space, share).first;
                    at->second = std::min(at->second, share);
                }
            } catch (const Error&) { // a damaged check says nothing
            }
    return least;
}

} // namespace refero::operations
