// What covers a patch or shines on it, by its own pixels and the gaps about it.
#include <cmath>

#include "base/statistics.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/shot.hpp"

namespace refero::inspect {

using chart::Point;

std::vector<const read::PatchReading*> neutrals(const Shot& s) {
    std::vector<std::pair<double, const read::PatchReading*>> all;
    for (const chart::Patch& p : s.definition.patches) {
        const auto* r = s.reading.find(p.id);
        const auto xyz = s.reference.xyz.find(p.id);
        if (p.role == "neutral" && r && r->pixels > 0 && xyz != s.reference.xyz.end())
            all.emplace_back(-xyz->second[1], r);
    }
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<const read::PatchReading*> sorted;
    for (const auto& [y, r] : all) sorted.push_back(r);
    return sorted;
}

double luminance(const Shot& s, const std::string& id) {
    const auto at = s.reference.xyz.find(id);
    return at == s.reference.xyz.end() ? 0 : at->second[1];
}

namespace {

/// What is as light as the patch and of another colour: shares of the channels that are clearly not the usual ones.
void look_for_other_colour(Spots& spots, const std::vector<colour::Vec3>& v, std::size_t row, double level) {
    const auto count = static_cast<double>(v.size());
    for (const colour::Vec3& each : v) spots.mean += each / count;
    if (!(spots.mean.mean() > too_dark_to_tell * level)) return;
    std::vector<colour::Vec3> share;
    for (const colour::Vec3& each : v) share.push_back(each / std::max(1e-6, each.sum()));
    std::vector<bool> odd(v.size());
    for (Eigen::Index c = 0; c < 3; ++c) {
        std::vector<double> all, steps;
        for (std::size_t i = 0; i < share.size(); ++i) {
            all.push_back(share[i][c]);
            if (i % row) steps.push_back(std::abs(share[i][c] - share[i - 1][c]));
        }
        const double usual = median(all),
                     reach = std::max(other_colour, other_colour_noises * sd_per_mad * median(steps) / std::sqrt(2.0));
        for (std::size_t i = 0; i < share.size(); ++i) odd[i] = odd[i] || std::abs(share[i][c] - usual) > reach;
    }
    double found = 0;
    for (std::size_t i = 0; i < v.size(); ++i)
        if (odd[i]) {
            ++found;
            spots.other_mean += v[i];
        }
    if (found > 0) spots.other_mean /= found;
    spots.other = found / count;
}

/// One tone up to a step, and another from there on. `sorted`: levels in their order, `reach`: the least step that is
/// one, `at`: where each level lies, mm.
void look_for_two_tones(Spots& spots, const std::vector<double>& sorted, double reach, const std::vector<double>& level,
                        const std::vector<colour::Vec3>& v, const std::vector<Point>& at) {
    const double low = sorted[sorted.size() / 20], high = sorted[sorted.size() - 1 - sorted.size() / 20],
                 middle = (low + high) / 2, near = tone_between * (high - low);
    if (high - low < reach) return;
    double unsure = 0;
    std::array<double, 2> sum{}, count{};
    std::array<Point, 2> place{Point::Zero(), Point::Zero()};
    std::array<colour::Vec3, 2> seen{colour::Vec3::Zero(), colour::Vec3::Zero()};
    for (std::size_t i = 0; i < level.size(); ++i) {
        const std::size_t lighter = level[i] > middle;
        unsure += std::abs(level[i] - middle) < near;
        sum[lighter] += level[i];
        place[lighter] += at[i];
        seen[lighter] += v[i];
        ++count[lighter];
    }
    if (unsure > most_tone_between * static_cast<double>(level.size())) return;
    if ((seen[0] / seen[0].sum() - seen[1] / seen[1].sum()).cwiseAbs().maxCoeff() > tone_one_colour) return;
    spots.stops = std::log2(sum[1] / count[1] / std::max(1e-6, sum[0] / count[0]));
    place[0] /= count[0];
    place[1] /= count[1];
    spots.to_dark = (place[0] - place[1]).normalized();
    spots.border = (place[0] + place[1]) / 2;
}

/// Between dark and bright lies a slope as wide as no outline is. `row`: levels a row, `px`: frame pixels a level.
bool is_soft(const std::vector<double>& level, std::size_t row, double low, double high, double px, double blur_px) {
    double between = 0, outline = 0;
    const double middle = (low + high) / 2;
    for (std::size_t i = 0; i < level.size(); ++i) {
        between += std::abs(level[i] - middle) < (high - low) / 4;
        outline += i % row && (level[i] > middle) != (level[i - 1] > middle);
        outline += i >= row && (level[i] > middle) != (level[i - row] > middle);
    }
    // A slanted outline is crossed in both directions.
    return between * px >
           soft_in_blurs * std::max(1.0, std::isfinite(blur_px) ? blur_px : 0) * outline * std::numbers::pi / 4;
}

} // namespace

Spots spots_of(const Shot& s, const chart::Patch& patch) {
    const chart::Homography map = chart::pixels_from_mm(s.definition, s.placement.corners);
    // Neighbours bleed in by the blur: the sides are left out.
    const double margin =
        std::max({least_spot_margin, std::isfinite(s.blur) ? blurs_of_spot_margin * s.blur / s.patch_px : 0.0,
                  s.finished() ? finished_reach_px / s.patch_px : 0.0});
    if (margin > most_spot_margin) return {};
    std::vector<colour::Vec3> v;
    std::vector<double> level;
    std::vector<Point> places;
    const int n = std::clamp(static_cast<int>((1 - 2 * margin) * s.patch_px / s.frame.cell), 4, 40);
    const double inner = 1 - 2 * margin;
    for (int r = 0; r < n; ++r)
        for (int c = 0; c < n; ++c) {
            const Point mm(patch.x_mm + patch.w_mm * (margin + inner * (c + 0.5) / n),
                           patch.y_mm + patch.h_mm * (margin + inner * (r + 0.5) / n)),
                q = map(mm) / s.frame.cell;
            const int x = static_cast<int>(std::floor(q.x())), y = static_cast<int>(std::floor(q.y()));
            if (x < 0 || y < 0 || x >= s.frame.width || y >= s.frame.height) continue;
            const float* p = s.frame.at(x, y);
            v.emplace_back(p[0], p[1], p[2]);
            level.push_back(v.back().mean());
            places.push_back(mm);
        }
    if (v.size() < 12) return {};
    // Against its dark or its light part: a soft sheen lies on most of a patch. Noise by neighbours alone.
    std::vector<double> sorted = level, steps;
    std::sort(sorted.begin(), sorted.end());
    for (std::size_t i = 1; i < level.size(); ++i)
        if (i % static_cast<std::size_t>(n)) steps.push_back(std::abs(level[i] - level[i - 1]));
    const double low = sorted[sorted.size() / 5], high = sorted[sorted.size() - 1 - sorted.size() / 5],
                 noise = sd_per_mad * median(steps) / std::sqrt(2.0);
    const double most_even = s.finished() ? 0.16 : 0.09, darkest = s.finished() ? 0.012 : 0.006;
    const double reach = std::max((s.finished() ? finished_spot_noises : raw_spot_noises) * noise,
                                  most_even * low + darkest * s.light.level);
    Spots spots;
    colour::Vec3 bright = colour::Vec3::Zero(), rest = colour::Vec3::Zero();
    for (std::size_t i = 0; i < v.size(); ++i) {
        if (level[i] > low + reach) {
            ++spots.bright;
            bright += v[i];
        } else rest += v[i];
        spots.dark += level[i] < high - reach;
    }
    if (spots.bright > 0) {
        spots.brighter = bright / spots.bright;
        spots.rest = rest / std::max(1.0, static_cast<double>(v.size()) - spots.bright);
    }
    spots.bright /= static_cast<double>(v.size());
    spots.dark /= static_cast<double>(v.size());
    if (s.finished()) {
        const std::size_t few = sorted.size() / 50; // of the brightest, which may be noise
        spots.soft = v.size() == static_cast<std::size_t>(n) * n &&
                     is_soft(level, static_cast<std::size_t>(n), low, sorted[sorted.size() - 1 - few],
                             inner * s.patch_px / n, s.blur);
        look_for_other_colour(spots, v, static_cast<std::size_t>(n), s.light.level);
        look_for_two_tones(spots, sorted, reach, level, v, places);
    }
    return spots;
}

Edge edge_of(const Shot& s) {
    std::vector<std::pair<double, std::string>> all;
    for (std::size_t i = 0; i < s.spots.size(); ++i)
        if (const Spots& p = s.spots[i]; p.stops > least_edge_stops && p.other < of_one_colour)
            all.emplace_back(p.stops, s.definition.patches[i].id);
    if (all.size() < least_edge_patches) return {};
    std::vector<double> by;
    for (const auto& [stops, id] : all) by.push_back(stops);
    Edge edge{median(by), {}, {}};
    Point way = Point::Zero(), border = Point::Zero();
    for (const auto& [stops, id] : all) {
        if (std::abs(stops - edge.stops) >= edge_alike * edge.stops) continue;
        const Spots& p = s.spots[static_cast<std::size_t>(s.definition.index_of(id))];
        way += p.to_dark;
        border += p.border;
        edge.patches.push_back(id);
    }
    // All of it darkens towards one side.
    const auto crossed = static_cast<double>(edge.patches.size());
    if (edge.patches.size() < least_edge_patches || way.norm() < one_way * crossed) return {};
    border /= crossed;
    for (const chart::Patch& p : s.definition.patches)
        if (way.dot(Point(p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2) - border) > 0) edge.dark.push_back(p.id);
    return edge;
}

bool beside(const Shot& s, std::size_t one, std::size_t other) {
    const chart::Patch &p = s.definition.patches[one], &q = s.definition.patches[other];
    return std::abs(p.x_mm + p.w_mm / 2 - q.x_mm - q.w_mm / 2) < cover_beside * std::max(p.w_mm, q.w_mm) &&
           std::abs(p.y_mm + p.h_mm / 2 - q.y_mm - q.h_mm / 2) < cover_beside * std::max(p.h_mm, q.h_mm);
}

namespace {

bool alike(const Shot& s, const colour::Vec3& a, const colour::Vec3& b) {
    return ((a - b).cwiseAbs().array() <= cover_alike * (b.array() + 0.02 * s.light.level)).all();
}

} // namespace

std::vector<std::size_t> covered_beside(const Shot& s, const std::vector<std::size_t>& dirty) {
    const std::vector<Spots>& spots = s.spots;
    std::vector<std::size_t> covered;
    for (std::size_t i = 0; i < spots.size(); ++i) {
        if (spots[i].mean.isZero() || std::find(dirty.begin(), dirty.end(), i) != dirty.end()) continue;
        const bool like_one = std::any_of(dirty.begin(), dirty.end(), [&](std::size_t k) {
            return beside(s, i, k) && spots[k].other > 0 && alike(s, spots[k].other_mean, spots[i].mean);
        });
        if (like_one) covered.push_back(i);
    }
    return covered;
}

bool covered_as_beside(const Shot& s, std::size_t patch, const std::vector<std::size_t>& dirty) {
    const Spots& here = s.spots[patch];
    return std::any_of(dirty.begin(), dirty.end(), [&](std::size_t k) {
        if (k == patch || !beside(s, patch, k)) return false;
        const Spots& there = s.spots[k];
        for (const colour::Vec3& a : {there.mean, there.other_mean, there.brighter, there.rest})
            for (const colour::Vec3& b : {here.brighter, here.rest})
                if (!a.isZero() && !b.isZero() && alike(s, a, b)) return true;
        return false;
    });
}

namespace {

/// Light on the chart for a picture's values: a finished picture's style is bent back by what it made of the neutrals.
colour::Vec3 unbent(const Shot& s, const colour::Vec3& value) {
    const auto greys = neutrals(s);
    if (!s.finished() || greys.size() < least_unbending) return value;
    colour::Vec3 light;
    for (Eigen::Index c = 0; c < 3; ++c) {
        // Lightest first; beyond the ladder's ends in proportion.
        double y = value[c] / std::max(1e-6, greys.front()->mean[static_cast<std::size_t>(c)]) *
                   luminance(s, greys.front()->id);
        for (std::size_t i = 0; i < greys.size(); ++i) {
            const double seen = std::max(1e-6, greys[i]->mean[static_cast<std::size_t>(c)]),
                         next = i + 1 < greys.size() ? greys[i + 1]->mean[static_cast<std::size_t>(c)] : 0;
            if (value[c] > seen || next >= seen) continue;
            const double to = luminance(s, greys[i]->id),
                         from = i + 1 < greys.size() ? luminance(s, greys[i + 1]->id) : 0;
            y = std::lerp(from, to, (std::max(0.0, value[c]) - next) / (seen - next));
            if (value[c] >= next) break;
        }
        light[c] = y;
    }
    return light;
}

} // namespace

bool is_of_the_light(const Shot& s, const colour::Vec3& seen, const colour::Vec3& without) {
    const colour::Vec3 white = s.finished() ? colour::Vec3::Ones() : s.light.white,
                       added = unbent(s, seen) - unbent(s, without);
    const double alike = s.finished() ? of_light_finished : of_light_raw;
    return added.minCoeff() > 0 && added.dot(white) > alike * added.norm() * white.norm();
}

/// Part of a neutral patch is darker than it should be, rather than part of it lighter. On a coloured one what dirt
/// takes away is of the patch's colour.
bool darkened(const Shot& s, const Spots& spots, const colour::Vec3& expected) {
    const colour::Vec3 rest = unbent(s, spots.rest);
    if (s.finished() && rest.sum() < neutral_rest * rest.norm() * std::sqrt(3.0)) return false;
    const double should = std::max(1e-6, expected.mean());
    return std::abs(std::log(spots.brighter.mean() / should)) < std::abs(std::log(spots.rest.mean() / should));
}

std::vector<Around> around_patches(const Shot& s) {
    std::vector<Around> all(s.definition.patches.size());
    const std::vector<Gap>& gaps = s.pixels.gaps;
    if (gaps.size() < least_gaps) return all;
    const double floor = 0.01 * s.light.level;
    colour::Vec3 usual;
    std::vector<double> levels;
    for (Eigen::Index c = 0; c < 3; ++c) {
        std::vector<double> of;
        for (const Gap& g : gaps) of.push_back(g.lines.front()[c]);
        usual[c] = median(of);
    }
    const auto level_of = [&](const colour::Vec3& v) { return std::log(std::max(0.0, v.mean()) + floor); };
    for (const Gap& g : gaps) levels.push_back(level_of(g.lines.front()));
    const double middle = median(levels), limit = std::max(odd_strip, 6 * robust_sd(levels, middle));
    for (const Gap& g : gaps) {
        const auto off = [&](const colour::Vec3& v) { return std::abs(level_of(v) - middle); };
        const colour::Vec3& likest = *std::min_element(g.lines.begin(), g.lines.end(),
                                                       [&](const auto& v, const auto& w) { return off(v) < off(w); });
        for (const std::size_t patch : {g.one, g.other}) {
            ++all[patch].gaps;
            if (off(likest) < limit) continue;
            ++all[patch].odd;
            all[patch].odd_mean += likest;
        }
    }
    for (Around& a : all) {
        if (a.odd) a.odd_mean /= a.odd;
        a.usual = usual;
    }
    return all;
}

} // namespace refero::inspect
