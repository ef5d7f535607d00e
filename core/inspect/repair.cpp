#include <cmath>
#include <numbers>
#include <set>

#include "inspect/inspect.hpp"

namespace refero::inspect {

namespace {

constexpr int fewest_patches = 8; ///< that a correction can be fitted to; chosen by us

std::string in_a_row(const std::vector<std::string>& ids) {
    std::string text;
    for (const std::string& id : ids) text += (text.empty() ? "" : " ") + id;
    return text;
}

chart::Point centre_of(const chart::Patch& p, const chart::Definition& d) {
    return {(p.x_mm + p.w_mm / 2) / d.width_mm - 0.5, (p.y_mm + p.h_mm / 2) / d.height_mm - 0.5};
}

/// Patches of a reading that can be fitted to, without some of them.
int count_usable(const read::Reading& reading, const chart::Reference& reference,
                 const std::set<std::string>& without) {
    int n = 0;
    for (const read::PatchReading& p : reading.patches)
        n += p.usable() && reference.xyz.contains(p.id) && !without.contains(p.id);
    return n;
}

} // namespace

std::vector<std::string> crossed_by_shadow(const chart::Definition& d, const Explained& e) {
    constexpr double reach = 0.55; // of a patch: an edge that just touches it may be soft
    std::vector<std::string> ids;
    if (!(e.step > 0)) return ids;
    const double angle = e.step_angle_deg * std::numbers::pi / 180, c = std::cos(angle), s = std::sin(angle);
    for (const chart::Patch& p : d.patches) {
        const chart::Point at = centre_of(p, d);
        const double far = reach * (std::abs(c) * p.w_mm / d.width_mm + std::abs(s) * p.h_mm / d.height_mm);
        if (std::abs(at.x() * c + at.y() * s - e.step_at) < far) ids.push_back(p.id);
    }
    return ids;
}

Repair repaired(const read::Reading& reading, const chart::Definition& d, const chart::Reference& reference,
                const std::vector<Finding>& findings, const Explained& e, bool finished) {
    Repair r{reading, {}, {}};
    const auto alarm = [&](Check check) {
        const auto f =
            std::find_if(findings.begin(), findings.end(), [&](const Finding& each) { return each.check == check; });
        return f != findings.end() && is_alarm(f->status) ? &*f : nullptr;
    };
    const Finding *shadow = alarm(Check::shadow), *evenness = alarm(Check::evenness), *glare = alarm(Check::glare),
                  *occlusion = alarm(Check::occlusion);
    if (!shadow && !evenness && !glare && !occlusion) return r;

    // What lies on single patches goes in any case; of a shadow's two sides the one that leaves enough.
    std::set<std::string> out;
    for (const Finding* f : {glare, occlusion})
        if (f && !f->patches.empty()) {
            out.insert(f->patches.begin(), f->patches.end());
            r.words.push_back(std::string(f == glare ? "Left out, shone on: " : "Left out, covered or soiled: ") +
                              in_a_row(f->patches));
        }
    std::set<std::string> levelled; // in the shadow, brought up to the light outside it
    if (shadow && !shadow->patches.empty()) {
        std::set<std::string> with_dark = out;
        with_dark.insert(shadow->patches.begin(), shadow->patches.end());
        const bool few_lit = count_usable(reading, reference, with_dark) < fewest_patches;
        if (!few_lit) {
            out = with_dark;
            r.words.push_back("Left out, in a shadow or at its edge: " + in_a_row(shadow->patches));
        } else if (!finished && e.usable && e.step > 0) {
            const std::vector<std::string> crossed = crossed_by_shadow(d, e);
            levelled.insert(shadow->patches.begin(), shadow->patches.end());
            for (const std::string& id : crossed) {
                levelled.erase(id);
                out.insert(id);
            }
            r.words.push_back(
                formatted("Most of the chart lies in a shadow of {:.1f} stops, which was divided out; left "
                          "out, at its edge: {}",
                          e.step, in_a_row(crossed)));
        } else { // what would be left cannot stand for a style that bends every colour otherwise
            r.words.push_back("Most of the chart lies in a shadow: too little would be left, and nothing was left out");
        }
    }
    r.left_out.assign(out.begin(), out.end());
    if (const int rest = count_usable(reading, reference, out); rest < fewest_patches)
        throw Error(ErrorKind::input,
                    formatted("only {} patches of this shot are in good light, too few to fit to", rest), {},
                    "Shoot the chart again: " + (shadow      ? shadow
                                                 : glare     ? glare
                                                 : occlusion ? occlusion
                                                             : evenness)
                                                    ->advice);
    // A picture style hides how much light fell on a patch: nothing is divided by a guess.
    if (finished || !e.usable) return r;
    const bool flatten = evenness || shadow, stray = glare && glare->patches.empty();
    if (stray)
        r.words.push_back(formatted("Stray light of {:.1f} % of white was subtracted from every patch",
                                    100 * e.veil.mean() / e.level));
    constexpr double slope_told = 0.03; // stops; less is as good as even
    if (flatten && std::hypot(e.slope_x, e.slope_y) > slope_told)
        r.words.push_back(formatted("The light falls off by {:.1f} stops across the chart; it was divided out",
                                    std::abs(e.slope_x) + std::abs(e.slope_y)));
    for (read::PatchReading& p : r.reading.patches) {
        const int at = d.index_of(p.id);
        if (at < 0 || !p.pixels) continue;
        const chart::Point centre = centre_of(d.patches[static_cast<std::size_t>(at)], d);
        const double slope = flatten ? e.slope_x * centre.x() + e.slope_y * centre.y() : 0,
                     light = std::exp2(slope - (levelled.contains(p.id) ? e.step : 0));
        for (std::size_t c = 0; c < 3; ++c) {
            p.mean[c] = (p.mean[c] - (stray ? e.veil[static_cast<Eigen::Index>(c)] : 0)) / light;
            p.sd[c] /= light;
            p.error[c] /= light;
            p.noise[c] /= light;
        }
    }
    return r;
}

} // namespace refero::inspect
