// Other looks at a rendering: ramps between hues, and how alike camera and eye see.
#include <algorithm>
#include <cmath>

#include "prove/prove.hpp"

namespace refero::prove {

using colour::Vec3;

std::vector<Ramp> ramps(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
                        int steps) {
    struct Stop {
        double hue;
        const read::PatchReading* patch;
    };
    std::vector<Stop> stops;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !p.usable()) continue;
        const Vec3 lch = colour::lch_from(colour::lab_from_xyz(xyz->second));
        if (lch[1] > 20) stops.push_back({lch[2], &p});
    }
    std::sort(stops.begin(), stops.end(), [](const Stop& a, const Stop& b) { return a.hue < b.hue; });
    std::vector<Ramp> all;
    for (std::size_t i = 0; i < stops.size() && stops.size() > 2; ++i) {
        const Stop &a = stops[i], &b = stops[(i + 1) % stops.size()];
        Ramp r{a.patch->id, b.patch->id, {}};
        double largest = 0, sum = 0, furthest = -INFINITY, hue = 0;
        Vec3 before;
        for (int k = 0; k <= steps; ++k) {
            const Vec3 rgb = Vec3(a.patch->mean.data()) +
                             static_cast<double>(k) / steps * (Vec3(b.patch->mean.data()) - Vec3(a.patch->mean.data()));
            r.xyz.push_back(rendering(rgb));
            const Vec3 lab = colour::lab_from_xyz(r.xyz.back()), lch = colour::lch_from(lab);
            if (k) {
                const double step = colour::delta_e_2000(before, lab);
                largest = std::max(largest, step);
                sum += step;
                if (lch[1] > 6) hue += std::remainder(lch[2] - colour::lch_from(before)[2], 360.0);
            }
            furthest = std::max(furthest, hue);
            r.turns = r.turns || furthest - hue > 4;
            before = lab;
        }
        // From one hue to the next the way may be the longer one around; then it runs down all along.
        if (hue < -4) r.turns = false;
        r.roughness = sum > 1e-9 ? largest * steps / sum : 1;
        all.push_back(std::move(r));
    }
    return all;
}

std::optional<double> metamerism_index(const fit::Correction& c) {
    if (c.reference.spectrum.empty()) return std::nullopt;
    const fit::Correction matrix = fit::as_matrix(c);
    double sum = 0;
    int colours = 0;
    for (const PatchProof& p : against(matrix, c.reading, c.reference, false).patches)
        if (p.fitted && colour::lch_from(p.reference_lab)[1] > 10) {
            sum += colour::delta_e_76(p.reference_lab, p.corrected_lab);
            ++colours;
        }
    return colours < 8 ? std::nullopt : std::optional(100 - 5.5 * sum / colours);
}

} // namespace refero::prove
