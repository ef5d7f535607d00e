#include "balance/balance.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/LU>

namespace refero::balance {

namespace {

constexpr double neutral_chroma = 6; // CIELAB; nominal greys of a printed chart stay below
constexpr double least_signal = 0.004;

double brightest(const read::PatchReading& p) { return *std::max_element(p.mean.begin(), p.mean.end()); }
double darkest(const read::PatchReading& p) { return *std::min_element(p.mean.begin(), p.mean.end()); }

bool too_bright(const read::PatchReading& p) { return p.clipped > 0 || brightest(p) >= near_clipping; }
bool too_dark(const read::PatchReading& p) { return !p.pixels || !(darkest(p) >= least_signal); }

} // namespace

std::string choose_white(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition) {
    std::vector<std::pair<double, std::string>> usable;
    int neutrals = 0;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) continue;
        const int index = definition ? definition->index_of(p.id) : -1;
        const bool neutral = index >= 0 ? definition->patches[static_cast<std::size_t>(index)].role == "neutral"
                                        : colour::lch_from(colour::lab_from_xyz(xyz->second))[1] < neutral_chroma;
        if (!neutral) continue;
        ++neutrals;
        if (!too_bright(p) && !too_dark(p)) usable.emplace_back(xyz->second.y(), p.id);
    }
    if (usable.empty())
        throw Error(ErrorKind::input, neutrals ? "every neutral patch is clipped or too dark to balance on" : "the chart has no neutral patch to balance on", {},
                    neutrals ? "Expose the chart again so that its greys lie between 1 % and 95 % of saturation" : "Name a patch with --white");
    std::sort(usable.rbegin(), usable.rend());
    // The lightest of all neutrals is usually white; if it was passed over already, the lightest left will do.
    const bool lightest_left = neutrals > static_cast<int>(usable.size());
    return usable[usable.size() > 1 && !lightest_left ? 1 : 0].second;
}

Balance on_patch(const read::Reading& reading, const chart::Reference& reference, const std::string& id) {
    const read::PatchReading* p = reading.find(id);
    const auto xyz = reference.xyz.find(id);
    if (!p || xyz == reference.xyz.end())
        throw Error(ErrorKind::usage, "there is no patch '" + id + "' to balance on", {}, "Name a patch of the chart");
    if (too_bright(*p))
        throw Error(ErrorKind::input, "patch " + id + " is clipped or nearly so: it cannot set the balance", {}, "Choose a darker neutral");
    if (too_dark(*p)) throw Error(ErrorKind::input, "patch " + id + " is too dark to set the balance", {}, "Choose a lighter neutral");
    Balance b;
    b.white_patch = id;
    b.gains = Vec3(p->mean[1] / p->mean[0], 1, p->mean[1] / p->mean[2]);
    b.exposure = xyz->second.y() / p->mean[1];
    return b;
}

colour::Temperature light_of(const Balance& balance, const colour::Mat3& camera_from_xyz) {
    const Vec3 xyz = camera_from_xyz.inverse() * balance.gains.cwiseInverse();
    return colour::correlated_temperature(colour::chromaticity_of(xyz));
}

double neutral_spread_percent(const Vec3& rgb) { return 100 * (rgb.maxCoeff() - rgb.minCoeff()); }

} // namespace refero::balance
