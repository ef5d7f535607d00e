// The checks, each a small function from what was measured to a finding.
#include <cmath>
#include <numbers>
#include <set>

#include <Eigen/LU>

#include "base/statistics.hpp"
#include "colour/rgb.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/shot.hpp"

namespace refero::inspect {

using chart::Point;

Finding against(const Limit& l, Check check, double value, const std::string& advice,
                std::vector<std::string> patches) {
    Finding f{check, Status::pass, value, l.caution, l.unit, std::move(patches), ""};
    const auto passed = [&](double limit) { return l.lower ? value < limit : value >= limit; };
    if (!std::isfinite(value)) f.value = 0;
    else if (passed(l.reshoot)) {
        f.status = Status::reshoot;
        f.limit = l.reshoot;
    } else if (passed(l.caution)) f.status = Status::caution;
    if (f.status == Status::pass) f.patches.clear();
    else f.advice = advice;
    return f;
}

namespace {

/// The limit in force where the value is known to `sd` only.
Limit in_force(Limit l, double sd) {
    const double growth = std::max(1.0, unknown_in_limit * sd / l.caution);
    l.caution *= growth;
    l.reshoot = std::max(l.reshoot, l.caution * std::min(l.reshoot / l.caution * growth, 1.5));
    return l;
}

Finding against(const Limit& usual, Check check, double value, double sd, const std::string& advice,
                const std::string& unknown) {
    const Limit l = in_force(usual, sd);
    Finding f = against(l, check, value, advice);
    if (f.status == Status::pass && (!std::isfinite(value) || !(l.caution <= most_growth * usual.caution))) {
        f.status = Status::unknown;
        f.advice = unknown;
    }
    return f;
}

const Finding& worse(const Finding& a, const Finding& b) { return b.status > a.status ? b : a; }

/// "the left", "the lower right": the side of the frame that a direction across the chart points to.
std::string side_of(const Shot& s, double x, double y) {
    const chart::Homography map = chart::pixels_from_mm(s.definition, s.placement.corners);
    const Point middle(s.definition.width_mm / 2, s.definition.height_mm / 2);
    const Point d = map(middle + Point(x * s.definition.width_mm, y * s.definition.height_mm) * 0.3) - map(middle);
    const double angle = std::atan2(d.y(), d.x()) * 180 / std::numbers::pi;
    const char* names[] = {"right", "lower right", "bottom", "lower left", "left", "upper left", "top", "upper right"};
    return names[static_cast<int>(std::lround((angle + 360) / 45)) % 8];
}

std::string list(const std::vector<std::string>& ids) {
    std::string all;
    for (std::size_t i = 0; i < ids.size() && i < 6; ++i) all += (i ? ", " : "") + ids[i];
    return ids.size() > 6 ? all + formatted(" and {} more", ids.size() - 6) : all;
}

Finding size(const Shot& s) {
    const double share = 100 * s.placement.frame_fraction;
    const std::string nearer =
        "Move the camera nearer or use a longer lens, and leave the chart in the subject's light";
    const Finding pixels = against(s.limits.at("size pixels"), Check::size, s.patch_px, nearer),
                  small = against(s.limits.at("size small"), Check::size, share, nearer),
                  large = against(s.limits.at("size large"), Check::size, share,
                                  "Step back or use a shorter lens: the frame's corners are darkened by the lens");
    return worse(worse(small, pixels), large);
}

Finding tilt(const Shot& s) {
    // Facing the camera and lying parallel to its sensor are both good practice: either will do, but for the strict.
    const double sight = s.placement.tilt_deg,
                 sensor = chart::sensor_tilt_deg(s.definition, s.placement.corners, s.frame.full_width,
                                                 s.frame.full_height, s.frame.metadata.focal_35mm_mm);
    const Limit& limit = s.limits.at("tilt");
    const double angle = limit.larger ? std::max(sight, sensor) : std::min(sight, sensor);
    return against(limit, Check::tilt, angle,
                   formatted("Turn the chart by {:.0f} degrees: it stands {:.0f} degrees off the line of sight, {:.0f} "
                             "off the sensor's plane",
                             angle, sight, sensor));
}

Finding rotation(const Shot& s) {
    const Point along =
        s.placement.corners[1] - s.placement.corners[0] + s.placement.corners[2] - s.placement.corners[3];
    double turn =
        std::abs(std::atan2(along.y(), s.placement.mirrored ? -along.x() : along.x()) * 180 / std::numbers::pi);
    return against(s.limits.at("rotation"), Check::rotation, turn,
                   turn > 135 ? "The chart is upside down: turn it the right way up" : "Turn the chart upright");
}

Finding mirrored(const Shot& s) {
    return against(s.limits.at("mirrored"), Check::mirrored, s.placement.mirrored ? 1 : 0,
                   "The frame is mirrored: check how it came in, or whether it was shot in a mirror");
}

Finding focus(const Shot& s) {
    double sigma = s.blur;
    // What sampling alone does: a cell's box, and the bilinear look between cells.
    if (std::isfinite(sigma)) sigma = std::sqrt(std::max(0.0, sigma * sigma - 0.25 * s.frame.cell * s.frame.cell));
    return against(s.limits.at("focus"), Check::focus, 100 * 2.563 * sigma / s.patch_px,
                   "Focus on the chart, and hold it still");
}

/// True where noise alone takes so many pixels of a patch over the edge. A binned green is the mean of two sites, each
/// noisier.
bool clipped_by_noise(const Shot& s, const read::PatchReading& p) {
    double expected = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        const double full = s.frame.clips_at, room = (full - p.mean[c]) / std::max(1e-9, p.noise[c]);
        if (room < 1 || p.mean[c] > 0.95 * full) return false;
        const int sites = s.frame.cell == 2 && c == 1 ? 2 : 1;
        expected += sites * 0.5 * std::erfc(room / std::sqrt(2.0 * sites));
    }
    return p.clipped < 2 * expected; // twice: what is cut off is missing from mean and noise
}

/// True where the light on the whole chart would leave the patch well below the edge: a lamp shines back from it alone.
/// What a finished picture should show is not known so well: there the rest of the patch tells.
bool clipped_by_reflection(const Shot& s, const read::PatchReading& p) {
    const auto xyz = s.reference.xyz.find(p.id);
    const auto at = static_cast<std::size_t>(&p - s.reading.patches.data());
    if (s.finished()) {
        const int patch = s.definition.index_of(p.id);
        if (patch < 0 || p.clipped > most_covered) return false;
        const Spots spots = spots_of(s, s.definition.patches[static_cast<std::size_t>(patch)]);
        return spots.bright > 0 && spots.bright < most_covered && spots.rest.mean() < 0.6 * s.frame.clips_at;
    }
    return s.light.usable && xyz != s.reference.xyz.end() && s.light.expected[at].maxCoeff() < 0.7 * s.frame.clips_at;
}

/// A finished picture ends where its space does: a strong colour that clips there says nothing of the exposure, nor
/// does a light one that a saturated style takes beyond white.
bool clipped_by_style(const Shot& s, const read::PatchReading& p) {
    static const colour::Mat3 to_rgb = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    const auto xyz = s.reference.xyz.find(p.id);
    if (!s.finished() || xyz == s.reference.xyz.end()) return false;
    const colour::Vec3 lab = colour::lab_from_xyz(xyz->second);
    const double most = (to_rgb * xyz->second).maxCoeff(), grey = xyz->second[1];
    return std::hypot(lab[1], lab[2]) > strong_chroma || grey + most_saturation * (most - grey) > 1;
}

Finding clipping(const Shot& s) {
    const auto clips = [&](const read::PatchReading& p) {
        return p.pixels > 0 && p.clipped > read::most_clipped && !clipped_by_noise(s, p) &&
               !clipped_by_reflection(s, p);
    };
    // A strong colour no darker than a pale one that clips is too light as well, whatever the style.
    double too_light = INFINITY;
    for (const read::PatchReading& p : s.reading.patches)
        if (clips(p) && !clipped_by_style(s, p) && luminance(s, p.id) > 0)
            too_light = std::min(too_light, luminance(s, p.id));
    std::vector<std::string> ids;
    bool worst = false;
    for (const read::PatchReading& p : s.reading.patches) {
        if (!clips(p) || (clipped_by_style(s, p) && luminance(s, p.id) < too_light)) continue;
        ids.push_back(p.id);
        worst = worst || p.clipped > 0.5;
    }
    // How far over: by the neutrals that are not clipped, else by a third of a stop at least.
    double stops = 1.0 / 3;
    const auto greys = neutrals(s);
    for (const auto* g : greys)
        if (g->usable() && luminance(s, g->id) > 0 && !greys.empty()) {
            const double white = *std::max_element(g->mean.begin(), g->mean.end()) / luminance(s, g->id) *
                                 luminance(s, greys.front()->id);
            stops = std::max(stops, std::log2(white / (0.9 * s.frame.clips_at)));
            break;
        }
    Finding f = against(s.limits.at("clipping"), Check::clipping, static_cast<double>(ids.size()),
                        formatted("Close down {:.1f} stops, or take light away: {} clipped", std::ceil(stops * 3) / 3,
                                  (list(ids) + (ids.size() == 1 ? " is" : " are"))),
                        ids);
    if (f.status == Status::reshoot && !worst) f.status = Status::caution;
    return f;
}

/// True where a shadow's edge crosses a patch: its halves differ, and nothing covers it.
bool on_shadow_edge(const Shot& s, const chart::Patch& p) {
    const auto& crossed = s.edge.patches;
    if (std::find(crossed.begin(), crossed.end(), p.id) != crossed.end()) return true;
    if (s.light.step <= 0) return false;
    const double angle = s.light.step_angle_deg * std::numbers::pi / 180, c = std::cos(angle), n = std::sin(angle);
    const double x = (p.x_mm + p.w_mm / 2) / s.definition.width_mm - 0.5,
                 y = (p.y_mm + p.h_mm / 2) / s.definition.height_mm - 0.5;
    // The step is known between two patches only, and its direction to some 15 degrees.
    const double reach =
        1.1 * (std::abs(c) * p.w_mm / s.definition.width_mm + std::abs(n) * p.h_mm / s.definition.height_mm) + 0.04;
    return std::abs(x * c + y * n - s.light.step_at) < reach;
}

/// True where a sheen, dirt or a shadow's edge lies on a patch: what it spreads there is no noise.
bool spread_by_more(const Shot& s, const std::string& id) {
    const int at = s.definition.index_of(id);
    if (at < 0 || s.spots.empty()) return false;
    const Spots& spots = s.spots[static_cast<std::size_t>(at)];
    return std::max({spots.bright, spots.dark, spots.other}) > least_spot ||
           on_shadow_edge(s, s.definition.patches[static_cast<std::size_t>(at)]);
}

/// Signal to noise of one pixel on the darkest of three neutrals and more; NaN where there are fewer, or something lies
/// on it, as where it is lighter than the next.
double signal_of_black(const Shot& s) {
    const auto greys = neutrals(s);
    if (greys.size() < 3 || spread_by_more(s, greys.back()->id)) return NAN;
    const read::PatchReading &black = *greys.back(), &next = *greys[greys.size() - 2];
    return black.mean[1] < next.mean[1] ? std::pow(10, read::snr_db(black, 1) / 20) : NAN;
}
bool black_drowns(const Shot& s) { return signal_of_black(s) < s.limits.at("underexposure black").caution; }

Finding underexposure(const Shot& s) {
    const double stops = s.white > 0 ? std::log2(0.9 * s.frame.clips_at / s.white) : NAN;
    Finding f = against(
        s.limits.at("underexposure"), Check::underexposure, stops,
        formatted("Open up {:.1f} stops, or bring the light closer", std::max(0.0, std::round((stops - 0.3) * 3) / 3)));
    const auto greys = neutrals(s);
    if (greys.size() >= 3)
        f = worse(f, against(s.limits.at("underexposure black"), Check::underexposure, signal_of_black(s),
                             "The black patch drowns in noise: open up, or bring more light", {greys.back()->id}));
    return f;
}

/// Enough patches are left by clipping to tell how the light changes across the chart.
bool slopes_told(const Shot& s) {
    const auto clipped = std::count_if(s.reading.patches.begin(), s.reading.patches.end(),
                                       [](const auto& p) { return p.clipped > read::most_clipped; });
    return s.light.usable && 4 * clipped < std::ssize(s.reading.patches);
}

constexpr const char* few_tell = "Too few patches are left to tell: mend what else is found, then look again";

/// What would tell more than this frame: a finished picture's style hides much.
std::string untold(const Shot& s) {
    return s.finished() ? "This cannot be judged in a finished picture: record raw" : few_tell;
}

Finding evenness(const Shot& s) {
    const Explained& e = s.light;
    const double across = std::abs(e.slope_x) + std::abs(e.slope_y);
    return against(
        s.limits.at("evenness"), Check::evenness, slopes_told(s) ? across : NAN, e.slope_sd,
        formatted("The light falls off by {:.0f} % towards the {}: turn the chart to the light or move the lamp back",
                  100 * (1 - std::exp2(-across)), side_of(s, -e.slope_x, -e.slope_y)),
        untold(s));
}

Finding shadow(const Shot& s) {
    std::vector<std::string> dark;
    const std::vector<std::string> at_edge = crossed_by_shadow(s.definition, s.light);
    const std::set<std::string> crossed(at_edge.begin(), at_edge.end());
    for (const chart::Patch& p : s.definition.patches) {
        const double x = (p.x_mm + p.w_mm / 2) / s.definition.width_mm - 0.5,
                     y = (p.y_mm + p.h_mm / 2) / s.definition.height_mm - 0.5;
        const double angle = s.light.step_angle_deg * std::numbers::pi / 180;
        if (s.light.step > 0 && (x * std::cos(angle) + y * std::sin(angle) > s.light.step_at || crossed.contains(p.id)))
            dark.push_back(p.id);
    }
    double stops = s.light.usable ? s.light.step : NAN;
    if (!(stops > 0) && s.edge.stops > 0) {
        stops = s.edge.stops;
        dark = s.edge.dark;
        for (const std::string& id : s.edge.patches)
            if (std::find(dark.begin(), dark.end(), id) == dark.end()) dark.push_back(id);
    }
    return against(s.limits.at("shadow"), Check::shadow, stops,
                   "A shadow falls across the chart (" + list(dark) + "): move what casts it, or the chart", dark);
}

Finding mixed_light(const Shot& s) {
    const Explained& e = s.light;
    const double warm = std::abs(e.warm_x) + std::abs(e.warm_y), green = std::abs(e.green_x) + std::abs(e.green_y);
    // The slope that passes its limit by more.
    const double usual = std::log2(1 + s.limits.at("mixed_light").caution / 100);
    const bool by_warmth =
        warm / std::max(usual, unknown_in_limit * e.warm_sd) >= green / std::max(usual, unknown_in_limit * e.green_sd);
    const auto percent = [](double log2) { return 100 * (std::exp2(log2) - 1); };
    const double sd = percent(by_warmth ? e.warm_sd : e.green_sd);
    return against(
        s.limits.at("mixed_light"), Check::mixed_light, slopes_told(s) ? percent(by_warmth ? warm : green) : NAN, sd,
        formatted("Two lights of different colour fall on the chart ({} towards the {}): shade one of them, or match "
                  "their colours",
                  by_warmth ? "warmer" : "greener",
                  by_warmth ? side_of(s, e.warm_x, e.warm_y).c_str() : side_of(s, e.green_x, e.green_y)),
        untold(s));
}

Finding noise(const Shot& s) {
    // The grey nearest to 20 % that nothing lies on, if there is one.
    const auto worth = [&](const read::PatchReading* g) {
        return std::pair(spread_by_more(s, g->id), std::abs(luminance(s, g->id) - 0.2));
    };
    const read::PatchReading* grey = nullptr;
    for (const auto* g : neutrals(s))
        if (g->usable() && (!grey || worth(g) < worth(grey))) grey = g;
    const double db = grey ? read::snr_db(*grey, 1) : NAN;
    return against(s.limits.at("noise"), Check::noise, db, "More light or a lower ISO: the patches are noisy",
                   grey ? std::vector<std::string>{grey->id} : std::vector<std::string>{});
}

colour::Vec3 seen_of(const read::PatchReading& r) { return {r.mean[0], r.mean[1], r.mean[2]}; }

/// What lies on single patches.
struct OnPatches {
    std::map<std::string, double> growth;                     ///< of the limit in force, by patch
    std::vector<std::pair<double, std::string>> shiny, dirty; ///< percent, and the patch; worst first
};

/// In the depths of a finished picture compression makes spots of its own.
bool too_dark_for_spots(const Shot& s) { return s.finished() && is_alarm(underexposure(s).status); }

/// A lamp's reflection lightens part of a patch, softly or in the light's own colour.
bool shines(const Shot& s, const Spots& spots, const colour::Vec3& expected) {
    if (!(spots.bright > 0)) return false;
    if (s.finished() && spots.soft) return ((spots.brighter - spots.rest).array() > 0).all();
    if (!is_of_the_light(s, spots.brighter, spots.rest)) return false;
    // With an outline the lesser part lies on the rest; a style tells no more.
    if (s.finished() && spots.bright > 0.5) return false;
    return spots.bright > spots.dark || (s.light.usable && !darkened(s, spots, expected));
}

OnPatches on_patches(const Shot& s) {
    OnPatches found;
    const bool too_dark = too_dark_for_spots(s);
    auto& [growth, shiny, dirty] = found;
    const std::vector<Around> around = around_patches(s);
    const bool step = s.light.step > 0;
    for (std::size_t i = 0; i < s.reading.patches.size(); ++i) {
        const read::PatchReading& r = s.reading.patches[i];
        const int at = s.definition.index_of(r.id);
        // What lies on a patch is seen within it, also where the light is not explained.
        if (at < 0 || r.pixels == 0 || (!s.light.usable && !s.finished())) continue;
        const chart::Patch& patch = s.definition.patches[static_cast<std::size_t>(at)];
        if (on_shadow_edge(s, patch)) continue;
        if (r.clipped > read::most_clipped) {
            if (clipped_by_reflection(s, r)) shiny.emplace_back(100 * r.clipped, r.id);
            continue;
        }
        const Spots& spots = s.spots[static_cast<std::size_t>(at)];
        // How far off, in what is known of it: a limit that grows, the value measured against the usual one.
        const double usual = s.limits.at("occlusion").caution,
                     limit = s.light.usable ? in_force(s.limits.at("occlusion"), 100 * s.light.residual_sd[i]).caution
                                            : usual;
        const bool means_tell = !s.finished() && std::isfinite(s.light.residual[i]); // else the pixels alone
        const double residual = means_tell ? 100 * s.light.residual[i] * usual / limit : 0, bright = 100 * spots.bright,
                     dark = 100 * spots.dark;
        growth[r.id] = limit / usual;
        const bool all_of_it = residual >= usual;
        if (all_of_it && is_of_the_light(s, seen_of(r), s.light.expected[i]))
            shiny.emplace_back(std::max(residual, bright), r.id);
        else if (!all_of_it && shines(s, spots, s.light.expected[i]))
            shiny.emplace_back(std::max(bright, std::min(dark, 100 - dark)), r.id);
        else if (const Around& gaps = around[static_cast<std::size_t>(at)];
                 !step && !too_dark && gaps.odd >= 2 && 2 * gaps.odd > gaps.gaps &&
                 !is_of_the_light(s, gaps.odd_mean, gaps.usual))
            dirty.emplace_back(std::max(residual, 100.0), r.id); // what covers it covers the gaps about it, too
        else {
            const double share = std::max({bright, dark, 100 * spots.other});
            dirty.emplace_back(std::max(residual, 1.6 * std::min(share, 100 - share)), r.id);
        }
    }
    std::vector<std::size_t> lain_on;
    for (const auto& [by, id] : dirty)
        if (by >= s.limits.at("occlusion").caution)
            lain_on.push_back(static_cast<std::size_t>(s.definition.index_of(id)));
    for (const std::size_t i : covered_beside(s, lain_on)) {
        const std::string& id = s.definition.patches[i].id;
        std::erase_if(dirty, [&](const auto& d) { return d.second == id; });
        dirty.emplace_back(100, id);
        lain_on.push_back(i);
    }
    // What covers its neighbour does not shine.
    std::erase_if(shiny, [&](const auto& shines) {
        const auto& [by, id] = shines;
        if (!covered_as_beside(s, static_cast<std::size_t>(s.definition.index_of(id)), lain_on)) return false;
        dirty.emplace_back(1.6 * std::min(by, std::max(0.0, 100 - by)), id);
        return true;
    });
    std::sort(shiny.rbegin(), shiny.rend());
    std::sort(dirty.rbegin(), dirty.rend());
    return found;
}

std::vector<std::string> beyond(const std::vector<std::pair<double, std::string>>& all, double limit) {
    std::vector<std::string> ids;
    for (const auto& [by, id] : all)
        if (by >= limit) ids.push_back(id);
    return ids;
}

/// What covers part of the chart looks like a step or a slope of the light, or a veil: the light is explained once more
/// without what it lies on.
void explain_beside(Shot& s, const OnPatches& on) {
    std::vector<std::size_t> covered;
    for (const std::string& id : beyond(on.dirty, s.limits.at("occlusion").caution))
        covered.push_back(static_cast<std::size_t>(s.definition.index_of(id)));
    if (covered.empty()) return;
    std::vector<bool> out(s.definition.patches.size(), false);
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = std::any_of(covered.begin(), covered.end(),
                             [&](std::size_t k) { return i == k || (covered.size() > 1 && beside(s, i, k)); });
    read::Reading reading = s.reading;
    for (read::PatchReading& r : reading.patches)
        if (const int at = s.definition.index_of(r.id); at >= 0 && out[static_cast<std::size_t>(at)]) r.pixels = 0;
    ChartPixels pixels = s.pixels;
    for (std::size_t i = 0; i < out.size(); ++i)
        if (out[i]) pixels.patches[i].blocks.clear();
    std::erase_if(pixels.gaps, [&](const Gap& g) { return out[g.one] || out[g.other]; });
    s.light = explain(reading, s.definition, s.reference, s.finished(), &pixels);
}

/// Glare: veiling light on all patches, or a sheen on some; occlusion: what light and camera do not explain.
std::pair<Finding, Finding> glare_and_occlusion(const Shot& s, const OnPatches& on) {
    // Out of focus, neighbours light one another's patches; a shadow, or noise that the black drowns in, darkens or
    // lightens the darks: what looks like stray light is not told from these.
    const bool told =
        !is_alarm(focus(s).status) && !is_alarm(shadow(s).status) && !black_drowns(s) && !too_dark_for_spots(s);
    const double veil = s.light.usable && told ? 100 * std::max(0.0, s.light.veil.mean()) / s.light.level : NAN;
    const Finding glare =
        against(s.limits.at("glare"), Check::glare, veil, 100 * s.light.veil_sd / std::max(1e-9, s.light.level),
                "Stray light lies over the whole chart: shade the lens, tilt the chart away from the lamp", untold(s));
    const auto& [growth, shiny, dirty] = on;
    const auto shiny_ids = beyond(shiny, s.limits.at("glare spot").caution),
               dirty_ids = beyond(dirty, s.limits.at("occlusion").caution);
    const Finding spot = against(
        s.limits.at("glare spot"), Check::glare, shiny.empty() ? 0 : shiny.front().first,
        "A lamp shines back from " + list(shiny_ids) + ": tilt the chart a little, or move the lamp aside", shiny_ids);
    Finding occlusion =
        against(s.limits.at("occlusion"), Check::occlusion, dirty.empty() ? 0 : dirty.front().first,
                "Look at " + list(dirty_ids) + ": move the finger, wipe off the dirt, or use another chart", dirty_ids);
    if (!dirty.empty() && !s.finished()) {
        // As measured, beside the limit in force for that patch; a burnt-out one has the usual limit.
        const auto of_it = growth.find(dirty.front().second);
        const double by = of_it == growth.end() ? 1 : of_it->second;
        occlusion.value *= by;
        occlusion.limit *= by;
    }
    std::vector<double> grown;
    for (const auto& [id, by] : growth) grown.push_back(by);
    // What covers a patch wholly, or fades it, shows in its mean alone, and a style hides that.
    if (occlusion.status == Status::pass && (s.finished() || grown.empty() || median(grown) > most_growth)) {
        occlusion.status = Status::unknown;
        occlusion.advice = untold(s);
    }
    return {!is_alarm(spot.status) && glare.status == Status::unknown ? glare : worse(glare, spot), occlusion};
}

/// Where most patches are off at once, it is not the light: the values, or the chart, are others.
Finding values(const Shot& s) {
    std::vector<double> off;
    for (const double residual : s.light.residual)
        if (std::isfinite(residual)) off.push_back(100 * residual);
    const bool told = !s.finished() && s.light.usable && off.size() >= 8;
    Finding f = against(s.limits.at("reference"), Check::reference, told ? median(off) : NAN,
                        "Most patches differ from their values: check that the right chart is chosen, and its values");
    if (!told) {
        f.status = Status::unknown;
        f.advice = untold(s);
    }
    return f;
}

Finding found(const Shot& s) { return {Check::found, Status::pass, s.placement.confidence, 0, "confidence", {}, ""}; }

} // namespace

double wandered_percent(const read::Reading& a, const read::Reading& b, const chart::Definition& d) {
    const auto balance_of = [&](const read::Reading& r) {
        colour::Vec3 sum = colour::Vec3::Zero();
        for (const chart::Patch& p : d.patches)
            if (const auto* seen = r.find(p.id); p.role == "neutral" && seen && seen->usable())
                sum += colour::Vec3(seen->mean[0], seen->mean[1], seen->mean[2]);
        return colour::Vec3(sum / sum[1]);
    };
    const colour::Vec3 here = balance_of(a), there = balance_of(b);
    const double red = std::abs(std::log(here[0] / there[0])), blue = std::abs(std::log(here[2] / there[2]));
    return std::isfinite(red) && std::isfinite(blue) ? 100 * std::expm1(std::max(red, blue)) : NAN;
}

Judgement no_chart(const find::Hidden& hidden) {
    Judgement j;
    j.verdict = Status::reshoot;
    j.findings.push_back(
        {Check::found, Status::reshoot, 0, 0, "confidence", {}, "No chart was found: " + hidden.remedy});
    for (const Check check : {Check::size, Check::tilt, Check::rotation, Check::focus, Check::clipping,
                              Check::underexposure, Check::evenness, Check::shadow, Check::glare, Check::occlusion,
                              Check::mixed_light, Check::mirrored, Check::noise, Check::recording, Check::reference})
        j.findings.push_back({check, Status::unknown, 0, 0, "", {}, ""});
    for (Finding& f : j.findings) {
        if (f.check == Check::clipping && hidden.clipped_percent > 0)
            f = {f.check, Status::reshoot, hidden.clipped_percent, find::Hidden::clipped_limit, "% of the frame",
                 {},      hidden.remedy};
        if (f.check == Check::underexposure && hidden.light_percent < 100)
            f = {
                f.check, Status::reshoot, hidden.light_percent, find::Hidden::light_limit, "%, nearly all of the frame",
                {},      hidden.remedy};
    }
    return j;
}

namespace {

/// A card is one surface: it tells of clipping, exposure and noise, and whether the light lies evenly on it.
Judgement judge_card(Shot& s) {
    const std::string& id = s.definition.patches.front().id;
    const read::PatchReading* card = s.reading.find(id);
    const double y = luminance(s, id);
    if (card && y > 0) s.white = 0.9 / y * *std::max_element(card->mean.begin(), card->mean.end());
    double low = INFINITY, high = -INFINITY;
    for (const PatchPixels& patch : s.pixels.patches)
        for (const PatchPixels::Block& b : patch.blocks) {
            low = std::min(low, b.light);
            high = std::max(high, b.light);
        }
    constexpr double stops = 1 / std::numbers::ln2;
    Judgement j = no_chart();
    const std::vector<Finding> told{
        found(s),
        clipping(s),
        underexposure(s),
        against(s.limits.at("evenness"), Check::evenness, stops * (high - low),
                "Light or texture differs across the square: choose a spot in the middle of the card"),
        noise(s),
        recording(s)};
    for (Finding& f : j.findings)
        for (const Finding& t : told)
            if (t.check == f.check) f = t;
    std::stable_sort(j.findings.begin(), j.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.status > b.status; });
    j.verdict = std::max(Status::pass, j.findings.front().status);
    return j;
}

} // namespace

Status status_of(const std::vector<Finding>& findings, Check check) {
    const auto f =
        std::find_if(findings.begin(), findings.end(), [&](const Finding& each) { return each.check == check; });
    return f == findings.end() ? Status::unknown : f->status;
}

Judgement judge(const frame::Frame& frame, const find::Placement& placement, const read::Reading& reading,
                const chart::Definition& d, const chart::Reference& reference, const Limits& limits) {
    Shot s{frame, placement, reading, d, reference, limits, {}, {}};
    const chart::Homography map = chart::pixels_from_mm(d, placement.corners);
    s.patch_px = INFINITY;
    for (const chart::Patch& p : d.patches) {
        const chart::Corners q = chart::patch_quad(p, map);
        for (std::size_t i = 0; i < 4; ++i) s.patch_px = std::min(s.patch_px, (q[(i + 1) % 4] - q[i]).norm());
    }
    s.blur = blur_px(frame, placement, d);
    s.pixels = {pixels_of(frame, placement, d, s.blur), gaps_of(frame, placement, d, s.blur)};
    if (d.patches.size() == 1) return judge_card(s);
    s.light = explain(reading, d, reference, s.finished(), &s.pixels);
    s.white = NAN;
    // Something may lie on the lightest.
    if (const auto greys = neutrals(s); !greys.empty())
        for (const read::PatchReading* g : greys)
            s.white = std::fmax(s.white, *std::max_element(g->mean.begin(), g->mean.end()));
    else if (s.light.usable) s.white = s.light.level;
    s.spots.resize(d.patches.size());
    if (!too_dark_for_spots(s))
        for (std::size_t i = 0; i < d.patches.size(); ++i) s.spots[i] = spots_of(s, d.patches[i]);
    if (s.finished()) s.edge = edge_of(s);
    const OnPatches on = on_patches(s);
    if (s.finished()) explain_beside(s, on);
    const auto [glare, occlusion] = glare_and_occlusion(s, on);
    // In the order in which they matter when several are equally bad.
    Judgement j;
    j.findings = {found(s),  values(s),   clipping(s), focus(s),       size(s),     underexposure(s),
                  shadow(s), occlusion,   glare,       mixed_light(s), evenness(s), tilt(s),
                  noise(s),  mirrored(s), rotation(s), recording(s)};
    const auto hush = [&](std::initializer_list<Check> checks, const char* why) {
        for (Finding& f : j.findings)
            if (std::find(checks.begin(), checks.end(), f.check) != checks.end()) {
                f.status = Status::unknown;
                f.patches.clear();
                f.advice = why;
            }
    };
    // With wrong values nothing can be said of the light; where neighbours run into each other, nothing of one patch.
    if (is_alarm(status_of(j.findings, Check::reference)))
        hush({Check::shadow, Check::occlusion, Check::glare, Check::mixed_light, Check::evenness},
             "Not told before the chart and its values are right");
    if (status_of(j.findings, Check::focus) == Status::reshoot)
        hush({Check::shadow, Check::occlusion, Check::glare}, "Not told before the chart is sharp");
    if (s.patch_px < s.limits.at("size pixels").reshoot)
        hush({Check::shadow, Check::occlusion, Check::glare}, "Not told before the chart is larger in the frame");
    std::stable_sort(j.findings.begin(), j.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.status > b.status; });
    j.verdict = std::max(Status::pass, j.findings.front().status);
    j.light = std::move(s.light);
    return j;
}

} // namespace refero::inspect
