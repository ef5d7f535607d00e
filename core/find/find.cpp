#include "find/find.hpp"

#include <algorithm>

#include "find/internal.hpp"

namespace refero::find {

namespace {

/// Largest mean relative colour residual of a chart that is taken for real. Chosen by trial on simulated frames of
/// the built-in cameras under tungsten to daylight.
constexpr double most_misfit = 0.20;
/// A true orientation explains the colours clearly better than any other.
constexpr double most_misfit_ratio = 0.75;
constexpr double least_even_share = 0.7;
constexpr int search_sides[] = {1100, 2200};
/// From here on noise hides the patches' flatness.
constexpr double noisy = 0.012;

bool overlap(const Placement& a, const Placement& b) {
    const auto centre = [](const Corners& q) { return Point((q[0] + q[1] + q[2] + q[3]) / 4); };
    const double reach = std::sqrt(std::abs(chart::signed_area(a.corners))) / 2;
    return (centre(a.corners) - centre(b.corners)).norm() < reach;
}

double confidence_of(const Match& m) {
    const double fit = std::clamp(1 - m.misfit / most_misfit, 0.0, 1.0);
    const double clear = std::clamp(1 - m.misfit / std::max(1e-6, m.runner_up), 0.0, 1.0);
    return std::clamp(0.4 + 0.3 * fit + 0.3 * clear, 0.0, 1.0);
}

std::vector<Placement> search(const frame::Frame& frame, const std::vector<Grid>& grids, const Picture& picture, const std::stop_token& stop) {
    throw_if_stopped(stop);
    const auto regions = flat_quadrilaterals(picture);
    throw_if_stopped(stop);
    std::vector<Placement> found;
    for (const Lattice& lattice : lattices(regions, 6)) {
        throw_if_stopped(stop);
        for (const Grid& grid : grids) {
            auto match = identify(grid, lattice, picture);
            if (!match || match->misfit > 2 * most_misfit) continue;
            Corners full;
            for (std::size_t i = 0; i < 4; ++i) full[i] = match->corners[i] / picture.scale;
            full = refine(*grid.definition, full, frame);
            Corners small;
            for (std::size_t i = 0; i < 4; ++i) small[i] = full[i] * picture.scale;
            const ColourFit fit = colour_fit(grid, small, picture);
            match->misfit = fit.misfit;
            if (fit.misfit > most_misfit || fit.even_share < least_even_share ||
                fit.misfit > most_misfit_ratio * match->runner_up || !chart::is_convex(full))
                continue;
            Placement p = placement_from(*grid.definition, full, frame);
            p.confidence = confidence_of(*match);
            found.push_back(p);
        }
    }
    // An unmirrored explanation goes before a mirrored one, then by confidence.
    std::stable_sort(found.begin(), found.end(), [](const Placement& a, const Placement& b) {
        if (overlap(a, b) && a.mirrored != b.mirrored && std::abs(a.confidence - b.confidence) < 0.1) return !a.mirrored;
        return a.confidence > b.confidence;
    });
    std::vector<Placement> distinct;
    for (const Placement& p : found)
        if (std::none_of(distinct.begin(), distinct.end(), [&](const Placement& d) { return overlap(d, p); }))
            distinct.push_back(p);
    return distinct;
}

} // namespace

Placement placement_from(const chart::Definition& definition, const Corners& corners, const frame::Frame& frame) {
    if (!chart::is_convex(corners) || std::abs(chart::signed_area(corners)) < 16)
        throw Error(ErrorKind::usage, "the four corners do not span a convex area", {},
                    "Give them in the chart's order: top-left, top-right, bottom-right, bottom-left");
    Placement p;
    p.chart = definition.id;
    p.corners = corners;
    p.confidence = 1;
    p.mirrored = chart::signed_area(corners) < 0;
    p.frame_fraction = std::abs(chart::signed_area(corners)) / (static_cast<double>(frame.full_width) * frame.full_height);
    p.tilt_deg = chart::tilt_deg(definition, corners, frame.full_width, frame.full_height, frame.metadata.focal_35mm_mm);
    return p;
}

std::vector<Placement> locate(const frame::Frame& frame, const std::vector<chart::Definition>& definitions, std::stop_token stop) {
    std::vector<Grid> grids;
    for (const chart::Definition& d : definitions)
        if (auto grid = grid_of(d)) grids.push_back(std::move(*grid));
    if (grids.empty() || frame.width < 16 || frame.height < 16) return {};
    int done_side = 0;
    for (const int side : search_sides) {
        const int used = std::min(side, std::max(frame.width, frame.height));
        if (used == done_side) break;
        done_side = used;
        Picture picture = picture_of(frame, used);
        auto found = search(frame, grids, picture, stop);
        if (!found.empty()) return found;
        if (const double noise = noise_of(picture); noise > noisy) {
            take_noise_out(picture, noise);
            found = search(frame, grids, picture, stop);
            if (!found.empty()) return found;
        }
    }
    return {};
}

} // namespace refero::find
