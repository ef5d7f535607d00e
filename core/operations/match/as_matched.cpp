#include "operations/match/as_matched.hpp"

#include <cmath>

#include "shoot/time.hpp"

namespace refero::operations {

namespace {

double time_of(const shoot::Shoot& shoot, const Chain& c) {
    return c.chart_frame.id ? shoot::time_in_job(shoot, c.chart_frame) : NAN;
}

} // namespace

Chain as_matched(const shoot::Shoot& shoot, const std::vector<Chain>& all, const Chain& chain,
                 const std::string& lead_camera, std::stop_token stop) {
    const auto camera_of = [&](const Chain& c) { return shoot::name_in(shoot.cameras, c.row.camera); };
    if (camera_of(chain) == lead_camera) return chain;
    const Chain* lead = nullptr;
    double nearest = INFINITY;
    bool known = false;
    for (const Chain& c : all) {
        if (camera_of(c) != lead_camera) continue;
        known = true;
        if (c.row.light != chain.row.light || !c.correction) continue;
        const double apart = std::abs(time_of(shoot, c) - time_of(shoot, chain));
        if (lead && !(apart < nearest)) continue;
        lead = &c;
        nearest = std::isfinite(apart) ? apart : INFINITY;
    }
    if (!lead)
        throw Error(ErrorKind::usage,
                    known ? lead_camera + " has no correction under " + chain.light_name
                          : "there is no camera '" + lead_camera + "' to match to",
                    {}, known ? "Fit it first" : "Name the lead as the board has it");
    Chain matched = chain;
    if (const auto kept = kept_match(shoot, *lead, chain); kept && kept->stale.empty() && kept->correction) {
        matched.correction = kept->correction;
        matched.correction_id = kept->row;
    } else
        matched.correction =
            std::make_shared<const fit::Correction>(match(match_request(*lead, chain), stop).correction);
    return matched;
}

} // namespace refero::operations
