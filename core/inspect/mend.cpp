#include <cmath>
#include <numbers>
#include <set>

#include "inspect/inspect.hpp"

namespace refero::inspect {

Mended mended(const read::Reading& reading, const chart::Definition& d, const chart::Reference& reference,
              const std::vector<Finding>& findings) {
    Mended m{reading, {}, {}};
    const auto bad = [&](const char* check) {
        const auto f =
            std::find_if(findings.begin(), findings.end(), [&](const Finding& each) { return each.check == check; });
        return f != findings.end() && is_alarm(f->status) ? &*f : nullptr;
    };
    const Finding *shadow = bad("shadow"), *evenness = bad("evenness"), *glare = bad("glare"),
                  *occlusion = bad("occlusion");
    if (!shadow && !evenness && !glare && !occlusion) return m;
    const Explained e = explain(reading, d, reference);
    if (!e.usable) return m;
    const auto centre = [&](const chart::Patch& p) {
        return std::pair((p.x_mm + p.w_mm / 2) / d.width_mm - 0.5, (p.y_mm + p.h_mm / 2) / d.height_mm - 0.5);
    };

    std::set<std::string> out;
    const auto list = [](const std::vector<std::string>& ids) {
        std::string words;
        for (const std::string& id : ids) words += (words.empty() ? "" : " ") + id;
        return words;
    };
    if (shadow && e.step > 0) {
        // All that lies beyond the edge, and what the edge may cross.
        const double angle = e.step_angle_deg * std::numbers::pi / 180, c = std::cos(angle), n = std::sin(angle);
        std::vector<std::string> dark;
        for (const chart::Patch& p : d.patches) {
            const auto [x, y] = centre(p);
            const double reach = 0.55 * (std::abs(c) * p.w_mm / d.width_mm + std::abs(n) * p.h_mm / d.height_mm);
            if (x * c + y * n > e.step_at - reach) {
                dark.push_back(p.id);
                out.insert(p.id);
            }
        }
        m.words.push_back("Left out, in a shadow or at its edge: " + list(dark));
    }
    for (const Finding* f : {glare, occlusion})
        if (f && !f->patches.empty()) {
            out.insert(f->patches.begin(), f->patches.end());
            m.words.push_back(std::string(f == glare ? "Left out, shone on: " : "Left out, covered or soiled: ") +
                              list(f->patches));
        }
    m.left_out.assign(out.begin(), out.end());
    int rest = 0;
    for (const read::PatchReading& p : reading.patches)
        rest += p.usable() && reference.xyz.contains(p.id) && !out.contains(p.id);
    if (rest < 8)
        throw Error(ErrorKind::input,
                    formatted("only {} patches of this shot are in good light, too few to fit to", rest), {},
                    "Shoot the chart again: " + (shadow      ? shadow
                                                 : glare     ? glare
                                                 : occlusion ? occlusion
                                                             : evenness)
                                                    ->advice);

    const bool flatten = evenness || shadow, veil = glare && glare->patches.empty();
    if (veil)
        m.words.push_back(formatted("Stray light of {:.1f} % of white was subtracted from every patch",
                                    100 * e.veil.mean() / e.level));
    if (flatten && std::hypot(e.slope_x, e.slope_y) > 0.03)
        m.words.push_back(formatted("The light falls off by {:.1f} stops across the chart; it was divided out",
                                    std::abs(e.slope_x) + std::abs(e.slope_y)));
    for (read::PatchReading& p : m.reading.patches) {
        const int at = d.index_of(p.id);
        if (at < 0 || !p.pixels) continue;
        const auto [x, y] = centre(d.patches[static_cast<std::size_t>(at)]);
        const double light = flatten ? std::exp2(e.slope_x * x + e.slope_y * y) : 1;
        for (std::size_t c = 0; c < 3; ++c) {
            p.mean[c] = (p.mean[c] - (veil ? e.veil[static_cast<Eigen::Index>(c)] : 0)) / light;
            p.sd[c] /= light;
            p.error[c] /= light;
            p.noise[c] /= light;
        }
    }
    return m;
}

} // namespace refero::inspect
