// Exposures of one mode, and modes beside each other.
#include <cmath>

#include <Eigen/LU>

#include "base/statistics.hpp"
#include "match/match.hpp"

namespace refero::match {

using colour::Vec3;

namespace {

Vec3 mean_of(const read::PatchReading& p) { return {p.mean[0], p.mean[1], p.mean[2]}; }

/// Signal to noise of one pixel of green at the grey nearest to 18 %.
double snr_of(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition) {
    const read::PatchReading* best = nullptr;
    double nearest = 1e300;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !balance::is_neutral(definition, p.id, xyz->second) || p.pixels == 0 ||
            p.clipped > read::most_clipped)
            continue;
        if (const double off = std::abs(std::log(xyz->second[1] / 0.18)); off < nearest) {
            nearest = off;
            best = &p;
        }
    }
    return best && best->mean[1] > 0 ? 20 * std::log10(best->mean[1] / std::max(1e-9, best->sd[1])) : 0;
}

} // namespace

std::vector<Exposure> series(const std::vector<read::Reading>& frames, std::size_t key,
                             const chart::Reference& reference, const chart::Definition* definition,
                             const std::function<colour::Mat3(const balance::Balance&)>& own_colours) {
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
        if (!ratios.empty()) {
            e.stops = median(ratios);
            const double level = std::exp2(-e.stops);
            double worst = 0;
            for (const read::PatchReading& p : frame.patches) {
                const read::PatchReading* there = frames[key].find(p.id);
                if (!there || !p.usable() || !there->usable()) continue;
                const Vec3 was = colour::lab_from_xyz(to_xyz * balance(mean_of(*there))),
                           is = colour::lab_from_xyz(to_xyz * balance(level * mean_of(p)));
                e.drift.push_back({p.id, is[1] - was[1], is[2] - was[2]});
                const auto xyz = reference.xyz.find(p.id);
                if (xyz != reference.xyz.end() && balance::is_neutral(definition, p.id, xyz->second))
                    worst = std::max({worst, std::abs(is[1] - was[1]), std::abs(is[2] - was[2])});
            }
            if (!e.clipped.empty()) e.why = "clipped";
            else if (e.snr_db < least_snr_db) e.why = "noisy";
            else if (worst > most_drift) e.why = "its greys drift";
        } else e.why = e.clipped.empty() ? "its greys cannot be read" : "clipped";
        e.usable = e.why.empty();
        all.push_back(std::move(e));
    }
    return all;
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
