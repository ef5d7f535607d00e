#include "operations/correct/stretches.hpp"

#include <cmath>

#include "shoot/board.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

namespace {

/// From here on the corrections of two neighbours part so far that what lies between them needs both: about the
/// smallest mean difference over a chart that people see side by side (common practice).
constexpr double max_apart_delta_e = 1;

std::vector<shoot::Stretch> all_of(const shoot::Shoot& shoot, const Chain& chain, std::size_t& at) {
    std::vector<shoot::Stretch> all = shoot::stretches(shoot, chain.id);
    const auto own =
        std::find_if(all.begin(), all.end(), [&](const shoot::Stretch& s) { return s.key == chain.stretch; });
    if (own == all.end())
        throw Error(ErrorKind::usage, chain.title + " has no good chart shot: there are no stretches", {},
                    "Shoot the chart first");
    at = static_cast<std::size_t>(own - all.begin());
    return all;
}

shoot::ChartShotRecord with(const shoot::Shoot& shoot, shoot::Id shot, shoot::Joining joining) {
    shoot::ChartShotRecord row = *shoot::record(shoot.chart_shots, shot);
    row.joining = joining;
    return row;
}

double left_by(const fit::Correction& correction, const Chain& on) {
    return prove::against(correction, on.shot->reading, *on.reference, false).delta_e_2000.mean;
}

} // namespace

shoot::Change join_stretch(const shoot::Shoot& shoot, const Chain& chain) {
    std::size_t at = 0;
    const auto all = all_of(shoot, chain, at);
    if (at == 0)
        throw Error(ErrorKind::usage, "the first stretch of " + chain.title + " has none before it", {},
                    "Choose the later one of the two");
    shoot::Change c("Join two stretches of " + chain.title, chain.title);
    c.update(with(shoot, all[at].shots.front(), shoot::Joining::with_the_one_before));
    return c;
}

shoot::Change part_stretch(const shoot::Shoot& shoot, const Chain& chain) {
    std::size_t at = 0;
    const auto all = all_of(shoot, chain, at);
    if (all[at].shots.size() < 2)
        throw Error(ErrorKind::usage, "this stretch of " + chain.title + " has one chart shot: it cannot be parted", {},
                    "Shoot the chart again when the light has changed");
    shoot::Change c("Part a stretch of " + chain.title, chain.title);
    c.update(with(shoot, all[at].shots.back(), shoot::Joining::apart));
    return c;
}

shoot::Change divide_by_time(const shoot::Shoot& shoot, shoot::Id setup, bool divided) {
    shoot::SetupRecord row = *shoot::record(shoot.setups, setup);
    row.divided = divided;
    return shoot::put(divided ? "Divide by time" : "One chart shot for all the time", row, shoot::title_of(shoot, row));
}

std::vector<Drift> drifts(const std::vector<const Chain*>& stretches) {
    std::vector<Drift> all;
    const Chain* before = nullptr;
    for (const Chain* now : stretches) {
        if (!now->shot || !now->correction || !now->reference) continue;
        if (before) {
            Drift d;
            d.from = before->stretch_id();
            d.to = now->stretch_id();
            d.delta_e_2000 = std::max(left_by(*before->correction, *now) - left_by(*now->correction, *now),
                                      left_by(*now->correction, *before) - left_by(*before->correction, *before));
            const double hours =
                (shoot::seconds_of(now->chart_frame.taken) - shoot::seconds_of(before->chart_frame.taken)) / 3600;
            if (before->light && now->light && hours > 0)
                d.mired_per_hour = (1e6 / now->light->kelvin - 1e6 / before->light->kelvin) / hours;
            if (d.delta_e_2000 > max_apart_delta_e)
                d.advice =
                    formatted("Between {} and {} the light changed so far that each chart shot is {:.1f} off at the "
                              "other's time. Let frames take what lies between both, or shoot the chart more often",
                              d.from, d.to, d.delta_e_2000);
            all.push_back(std::move(d));
        }
        before = now;
    }
    return all;
}

} // namespace refero::operations
