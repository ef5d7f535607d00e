#include "operations/correct/look.hpp"

#include <cmath>

#include <Eigen/LU>

#include "colour/rgb.hpp"

namespace refero::operations {

using colour::Vec3;

namespace {

constexpr double colourful = 8; ///< CIELAB chroma from which on a patch counts as a colour

Vec3 codes_of_xyz(const Vec3& xyz) {
    static const colour::Mat3 from_xyz = colour::rgb_space("srgb").to_xyz_d50().inverse();
    return balance::code_points(from_xyz * xyz);
}

double off_green(const Vec3& points) {
    return std::max(std::abs(points[0] - points[1]), std::abs(points[2] - points[1]));
}

/// Of hue, from one CIELAB colour to another; 0 for greys.
double turned_deg(const Vec3& from, const Vec3& to) {
    if (std::min(std::hypot(from[1], from[2]), std::hypot(to[1], to[2])) < 1) return 0;
    constexpr double degrees = 57.29577951308232;
    return std::remainder((std::atan2(to[2], to[1]) - std::atan2(from[2], from[1])) * degrees, 360.0);
}

bool leaves_range(const Vec3& points) { return points.minCoeff() < -0.2 || points.maxCoeff() > 100.2; }

} // namespace

look::ScopePoint scope_point(const Vec3& xyz_d50) { return look::scope_of(codes_of_xyz(xyz_d50) / 100); }

LookSeen look_seen(const Chain& c, const look::Look& look) {
    LookSeen seen;
    seen.cautions = look::cautions_of(look);
    if (!c.correction || !c.shot) return seen;
    fit::Correction without = *c.correction, with = without;
    without.look = {};
    with.look = look;
    double chroma[2] = {0, 0}, lightest[2] = {-1e9, -1e9}, darkest[2] = {1e9, 1e9};
    for (const chart::Patch& p : c.shot->definition.patches) {
        const read::PatchReading* r = c.shot->reading.find(p.id);
        if (!r || !r->usable()) continue;
        const Vec3 rgb(r->mean.data());
        const LookSeen::Patch patch{p.id, without.shown(rgb), with.shown(rgb), p.role == "neutral"};
        const Vec3 before = codes_of_xyz(patch.without), after = codes_of_xyz(patch.with);
        if (patch.neutral) {
            seen.spread_without = std::max(seen.spread_without, off_green(before));
            seen.spread_with = std::max(seen.spread_with, off_green(after));
            for (const int k : {0, 1}) {
                const double code = (k ? after : before)[1];
                lightest[k] = std::max(lightest[k], code);
                darkest[k] = std::min(darkest[k], code);
            }
        }
        if (leaves_range(after) && !leaves_range(before)) seen.clipped.push_back(p.id);
        prove::PatchProof proof{.id = p.id,
                                .reference_lab = colour::lab_from_xyz(patch.without),
                                .corrected_lab = colour::lab_from_xyz(patch.with)};
        if (const double was = std::hypot(proof.reference_lab[1], proof.reference_lab[2]); was > colourful) {
            chroma[0] += was;
            chroma[1] += std::hypot(proof.corrected_lab[1], proof.corrected_lab[2]);
        }
        proof.lightness = proof.corrected_lab[0] - proof.reference_lab[0];
        proof.chroma = std::hypot(proof.corrected_lab[1], proof.corrected_lab[2]) -
                       std::hypot(proof.reference_lab[1], proof.reference_lab[2]);
        proof.hue_deg = turned_deg(proof.reference_lab, proof.corrected_lab);
        proof.delta_e_2000 = colour::delta_e_2000(proof.reference_lab, proof.corrected_lab);
        seen.moved_by.patches.push_back(std::move(proof));
        seen.patches.push_back(patch);
    }
    if (chroma[0] > 0) seen.chroma_ratio = chroma[1] / chroma[0];
    if (lightest[0] > darkest[0] + 1) {
        seen.contrast = (lightest[1] - darkest[1]) / (lightest[0] - darkest[0]);
        seen.black = darkest[1];
        seen.white = lightest[1];
    }
    seen.moved = prove::merged_or_torn(seen.moved_by);
    if (c.reference)
        seen.ramps = prove::ramps([&](const Vec3& rgb) { return with.shown(rgb); }, c.shot->reading, *c.reference);
    return seen;
}

std::vector<LookStep> look_steps(const Chain& c, const LookSeen& seen) {
    std::vector<LookStep> all;
    const auto percent = [](const std::optional<double>& v) { return v ? formatted("{:.1f} %", *v) : std::string(); };
    all.push_back({"Black", percent(seen.black), "0 to 5 %", seen.black && *seen.black >= 0 && *seen.black <= 5});
    all.push_back({"Highlights", percent(seen.white), "90 to 98 %, nothing clipped",
                   seen.white && *seen.white >= 90 && *seen.white <= 98 && seen.clipped.empty()});
    double off = 0;
    for (const chart::Patch& p : c.shot ? c.shot->definition.patches : std::vector<chart::Patch>()) {
        const read::PatchReading* r = c.shot->reading.find(p.id);
        if (p.role == "neutral" && r && r->usable() && c.balance)
            off = std::max(off, balance::off_points((*c.balance)(Vec3(r->mean.data()))));
    }
    all.push_back({"Balance", c.balance ? formatted("greys within {:.1f} points", off) : "", "within 1 point",
                   c.balance && off <= balance::most_off_points});
    const bool proved = c.correction && !c.balance_only();
    all.push_back({"Correction", proved ? formatted("dE {:.2f} held out", c.correction->cross_validated.mean) : "",
                   "in force and fresh", proved && !c.correction_stale()});
    all.push_back({"Contrast", formatted("x {:.2f}", seen.contrast), "to taste", {}});
    all.push_back({"Saturation", formatted("x {:.2f}", seen.chroma_ratio), "to taste", {}});
    all.push_back({"Balance, again", formatted("greys within {:.1f} points", seen.spread_with),
                   "no worse than before the look", seen.spread_with <= seen.spread_without + 0.5});
    return all;
}

shoot::Change keep_look(const shoot::Kit& kit, const look::Look& look, const std::string& name,
                        const std::string& client) {
    look::Look kept = look;
    kept.name = name;
    kept.on = true;
    shoot::KeptLookRecord row{.name = name, .client = client, .content = look::to_json(kept)};
    shoot::Change c("Keep the look " + name, name);
    for (const shoot::KeptLookRecord& k : kit.looks)
        if (k.name == name && k.client == client) {
            row.id = k.id;
            c.update(row);
            return c;
        }
    c.add(row);
    return c;
}

std::vector<LookOfKit> looks_for(const shoot::Kit& kit, const std::string& client) {
    std::vector<LookOfKit> all;
    for (const shoot::KeptLookRecord& k : kit.looks)
        if (k.client.empty() || k.client == client) try {
                all.push_back({k.id, k.name, look::look_from_json(k.content)});
            } catch (const Error&) { // of a newer Refero
            }
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    return all;
}

} // namespace refero::operations
