// Exposures of one mode, and modes beside each other.
#include <cmath>
#include <numeric>

#include <Eigen/LU>

#include "base/statistics.hpp"
#include "match/match.hpp"

namespace refero::match {

using colour::Vec3;

namespace {

Vec3 mean_of(const read::PatchReading& p) { return {p.mean[0], p.mean[1], p.mean[2]}; }

/// Signal to noise of one pixel of green at the grey nearest to 20 %.
double snr_of(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition) {
    const read::PatchReading* best = nullptr;
    double nearest = 1e300;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !balance::is_neutral(definition, p.id, xyz->second) || p.pixels == 0 ||
            p.clipped > read::most_clipped)
            continue;
        if (const double off = std::abs(std::log(xyz->second[1] / 0.2)); off < nearest) {
            nearest = off;
            best = &p;
        }
    }
    return best && best->mean[1] > 0 ? 20 * std::log10(best->mean[1] / std::max(1e-9, best->sd[1])) : 0;
}

double mean_of(const std::vector<double>& values) {
    return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

/// Where a drift of a* and b* leads; empty below half a unit.
std::string direction_of(double a, double b) {
    constexpr double least = 0.5;
    if (std::hypot(a, b) < least) return {};
    // Hue angles of colours in CIELAB, about.
    constexpr std::pair<double, const char*> hues[] = {{20, "to red"},     {60, "to orange"}, {100, "to yellow"},
                                                       {150, "to green"},  {210, "to cyan"},  {285, "to blue"},
                                                       {330, "to magenta"}};
    const double hue = std::atan2(b, a) * 180 / 3.14159265358979323846;
    return std::min_element(std::begin(hues), std::end(hues),
                            [&](const auto& x, const auto& y) {
                                return std::abs(std::remainder(x.first - hue, 360.0)) <
                                       std::abs(std::remainder(y.first - hue, 360.0));
                            })
        ->second;
}

/// How far one pixel's noise on a patch moves a* and b*, to first order, channels being independent.
double chroma_noise(const read::PatchReading& p, double level, const colour::Mat3& to_xyz,
                    const balance::Balance& balance) {
    const Vec3 at = colour::lab_from_xyz(to_xyz * balance(level * mean_of(p)));
    double sum = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        Vec3 moved = mean_of(p);
        moved[static_cast<Eigen::Index>(c)] += p.sd[c];
        const Vec3 lab = colour::lab_from_xyz(to_xyz * balance(level * moved));
        sum += std::pow(lab[1] - at[1], 2) + std::pow(lab[2] - at[2], 2);
    }
    return std::sqrt(sum);
}

bool has_role(const chart::Definition* definition, const std::string& id, const char* role) {
    const int at = definition ? definition->index_of(id) : -1;
    return at >= 0 && definition->patches[static_cast<std::size_t>(at)].role == role;
}

/// Levelled to the key frame: how its colours drifted and how noisy its skins are.
void level(Exposure& e, const read::Reading& frame, const read::Reading& key, const chart::Reference& reference,
           const chart::Definition* definition, const colour::Mat3& to_xyz, const balance::Balance& balance,
           const inspect::Limits& limits) {
    const double level = std::exp2(-e.stops);
    double worst = 0;
    std::vector<double> greys_a, greys_b, skins;
    for (const read::PatchReading& p : frame.patches) {
        const read::PatchReading* there = key.find(p.id);
        if (!there || !p.usable() || !there->usable()) continue;
        const Vec3 was = colour::lab_from_xyz(to_xyz * balance(mean_of(*there))),
                   is = colour::lab_from_xyz(to_xyz * balance(level * mean_of(p)));
        e.drift.push_back({p.id, is[1] - was[1], is[2] - was[2]});
        if (has_role(definition, p.id, "skin")) skins.push_back(chroma_noise(p, level, to_xyz, balance));
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !balance::is_neutral(definition, p.id, xyz->second)) continue;
        worst = std::max(worst, std::hypot(is[1] - was[1], is[2] - was[2]));
        greys_a.push_back(is[1] - was[1]);
        greys_b.push_back(is[2] - was[2]);
    }
    if (!greys_a.empty()) {
        e.grey_delta_a = mean_of(greys_a);
        e.grey_delta_b = mean_of(greys_b);
        e.direction = direction_of(e.grey_delta_a, e.grey_delta_b);
    }
    if (!skins.empty()) e.skin_noise = mean_of(skins);
    if (!e.clipped.empty()) e.why = "clipped";
    else if (e.snr_db < limits.at("series noise").caution) e.why = "noisy";
    else if (worst > limits.at("series drift").caution) e.why = "its greys drift";
}

/// Stops between two frames by the darker half of what both show: the brighter may be at an end.
std::optional<double> stops_by_darks(const read::Reading& frame, const read::Reading& key) {
    std::vector<std::pair<double, double>> level_and_stops;
    for (const read::PatchReading& p : frame.patches) {
        const read::PatchReading* there = key.find(p.id);
        if (there && p.usable() && there->usable() && p.mean[1] > 0 && there->mean[1] > 0)
            level_and_stops.emplace_back(p.mean[1], std::log2(p.mean[1] / there->mean[1]));
    }
    if (level_and_stops.size() < 4) return {};
    std::sort(level_and_stops.begin(), level_and_stops.end());
    std::vector<double> darker;
    for (std::size_t i = 0; i < level_and_stops.size() / 2; ++i) darker.push_back(level_and_stops[i].second);
    return median(darker);
}

constexpr double piled = 0.985;     ///< of the highest signal: patches above it have reached the same end ...
constexpr double overshoots = 1.25; ///< ... if they should be so many times as bright

/// The end of one channel; none where nothing piles up, or where that is known.
std::optional<double> plateau_of(const std::vector<read::Reading>& frames, std::size_t key, std::size_t channel,
                                 const std::vector<std::optional<double>>& stops) {
    double top = 0;
    for (const read::Reading& f : frames)
        for (const read::PatchReading& p : f.patches)
            if (p.pixels > 0) top = std::max(top, p.mean[channel]);
    constexpr int least_patches = 3, least_frames = 2;
    std::vector<double> there;
    int at = 0, known = 0;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        bool any = false;
        for (const read::PatchReading& p : frames[i].patches) {
            const read::PatchReading* before = frames[key].find(p.id);
            if (!stops[i] || i == key || !before || p.pixels == 0 || p.mean[channel] < piled * top ||
                before->mean[channel] * std::exp2(*stops[i]) < overshoots * top)
                continue;
            there.push_back(p.mean[channel]);
            known += p.clipped > read::most_clipped;
            any = true;
        }
        at += any;
    }
    const auto n = static_cast<int>(there.size());
    if (n < least_patches || at < least_frames || 2 * known > n) return {};
    return median(there);
}

} // namespace

std::optional<double> find_plateau(std::vector<read::Reading>& frames, std::size_t key) {
    std::vector<std::optional<double>> stops;
    for (const read::Reading& f : frames) stops.push_back(stops_by_darks(f, frames.at(key)));
    std::array<std::optional<double>, 3> ends;
    std::optional<double> lowest;
    for (std::size_t c = 0; c < 3; ++c) {
        ends[c] = plateau_of(frames, key, c, stops);
        if (ends[c] && (!lowest || *ends[c] < *lowest)) lowest = ends[c];
    }
    for (read::Reading& f : frames)
        for (read::PatchReading& p : f.patches)
            for (std::size_t c = 0; c < 3; ++c)
                if (ends[c] && p.mean[c] > piled * *ends[c]) p.clipped = 1;
    return lowest;
}

std::vector<Exposure> series(const std::vector<read::Reading>& frames, std::size_t key,
                             const chart::Reference& reference, const chart::Definition* definition,
                             const std::function<colour::Mat3(const balance::Balance&)>& own_colours,
                             const inspect::Limits& limits) {
    const balance::Balance balance = balance::balanced_on(frames[key], reference, definition, balance::all_neutrals);
    const colour::Mat3 to_xyz = own_colours(balance);
    std::vector<Exposure> all;
    for (const read::Reading& frame : frames) {
        Exposure e;
        // Levels by the greys that both frames can be read on.
        std::vector<double> ratios;
        for (const read::PatchReading& p : frame.patches) {
            const read::PatchReading* there = frames[key].find(p.id);
            const auto xyz = reference.xyz.find(p.id);
            if (p.pixels > 0 && p.clipped > read::most_clipped) e.clipped.push_back(p.id);
            if (!there || !p.usable() || !there->usable() || xyz == reference.xyz.end() ||
                !balance::is_neutral(definition, p.id, xyz->second) || !(p.mean[1] > 0) || !(there->mean[1] > 0))
                continue;
            ratios.push_back(std::log2(p.mean[1] / there->mean[1]));
        }
        e.snr_db = snr_of(frame, reference, definition);
        if (ratios.empty()) e.why = e.clipped.empty() ? "its greys cannot be read" : "clipped";
        else {
            e.stops = median(ratios);
            level(e, frame, frames[key], reference, definition, to_xyz, balance, limits);
        }
        e.usable = e.why.empty();
        all.push_back(std::move(e));
    }
    return all;
}

std::optional<std::pair<double, double>> usable_stops(const std::vector<Exposure>& exposures, std::size_t key) {
    if (!exposures.at(key).usable) return {};
    std::vector<std::size_t> order(exposures.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(),
              [&](std::size_t a, std::size_t b) { return exposures[a].stops < exposures[b].stops; });
    const auto at = std::find(order.begin(), order.end(), key);
    auto low = at, high = at;
    while (low != order.begin() && exposures[*std::prev(low)].usable) --low;
    while (std::next(high) != order.end() && exposures[*std::next(high)].usable) ++high;
    return std::pair(exposures[*low].stops, exposures[*high].stops);
}

ModeLook look_of(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const std::function<colour::Mat3(const balance::Balance&)>& own_colours) {
    ModeLook look;
    const balance::Balance balance = balance::balanced_on(reading, reference, definition, {});
    const colour::Mat3 to_xyz = own_colours(balance);
    std::vector<double> off, ratios;
    Vec3 skin = Vec3::Zero(), wanted_skin = Vec3::Zero();
    int skins = 0;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (!p.usable() || xyz == reference.xyz.end()) continue;
        const Vec3 lab = colour::lab_from_xyz(to_xyz * balance(mean_of(p))), wanted = colour::lab_from_xyz(xyz->second);
        off.push_back(colour::delta_e_2000(wanted, lab));
        const double chroma = std::hypot(wanted[1], wanted[2]);
        if (chroma > 15) ratios.push_back(std::hypot(lab[1], lab[2]) / chroma);
        const int at = definition ? definition->index_of(p.id) : -1;
        if (at >= 0 && definition->patches[static_cast<std::size_t>(at)].role == "skin") {
            skin += lab;
            wanted_skin += wanted;
            ++skins;
        }
    }
    look.delta_e_2000 = fit::statistics(off);
    if (!ratios.empty()) look.chroma_ratio = median(ratios);
    if (skins) {
        skin /= skins;
        const Vec3 lch = colour::lch_from(skin);
        look.skin_delta_e = colour::delta_e_2000(wanted_skin / skins, skin);
        look.skin_chroma = lch[1];
        look.skin_hue_deg = lch[2];
    }
    look.snr_db = snr_of(reading, reference, definition);
    return look;
}

} // namespace refero::match
