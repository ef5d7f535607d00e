// Charts whose patches lie on no lattice: three neighbouring patches and three regions make an affine map, which the
// patches about them prove or not (point pattern matching by local affine frames).
#include <numeric>

#include <Eigen/LU>

#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"
#include "find/internal/straight.hpp"

namespace refero::find {

namespace {

using colour::Vec3;

Point middle_of(const chart::Patch& p) { return {p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}; }
double parallelogram(const Point& a, const Point& b) { return a.x() * b.y() - a.y() * b.x(); }

/// Brightness by which patches and regions are told apart at a glance.
double brightness_of(double luminance) { return std::log(std::max(0.01, luminance)); }

struct Anchor {
    std::array<std::size_t, 3> patch; ///< indices in the definition: the corner of the frame first
    std::vector<std::size_t> about;   ///< the patches nearest to it, nearest first
};

/// Patches spread over the chart, each with two neighbours that make a frame of the plane.
std::vector<Anchor> anchors_of(const Grid& grid) {
    const auto& patches = grid.definition->patches;
    std::vector<Anchor> all;
    const std::size_t stride = 1 + grid.patch.size() / max_anchors;
    for (std::size_t n = 0; n < grid.patch.size(); n += stride) {
        const std::size_t i = grid.patch[n];
        const Point at = middle_of(patches[i]);
        std::vector<std::size_t> near;
        for (const std::size_t k : grid.patch)
            if (k != i) near.push_back(k);
        std::stable_sort(near.begin(), near.end(), [&](std::size_t a, std::size_t b) {
            return (middle_of(patches[a]) - at).squaredNorm() < (middle_of(patches[b]) - at).squaredNorm();
        });
        const Point first = middle_of(patches[near[0]]) - at;
        for (std::size_t k = 1; k < near.size(); ++k) {
            const Point second = middle_of(patches[near[k]]) - at;
            if (std::abs(parallelogram(first, second)) < 0.5 * first.norm() * second.norm()) continue; // 30 degrees
            Anchor a{{i, near[0], near[k]}, {}};
            for (const std::size_t o : near)
                if (o != near[0] && o != near[k] && a.about.size() < 8) a.about.push_back(o);
            all.push_back(std::move(a));
            break;
        }
    }
    return all;
}

class PatternSearch {
public:
    PatternSearch(const Grid& grid, const Ground& ground) : grid_(grid), ground_(ground), d_(*grid.definition) {
        for (const chart::Patch& p : d_.patches) middles_.push_back(middle_of(p));
        for (const Vec3& xyz : grid.xyz) known_.push_back(brightness_of(xyz[1]));
        for (const Vec3& rgb : ground.colour) seen_.push_back(brightness_of(rgb.sum() / 3));
    }

    /// Regions that may be neighbours of this one, nearest first.
    std::vector<std::size_t> neighbours(std::size_t region) const {
        const Region& r = ground_.regions[region];
        std::vector<std::pair<double, std::size_t>> near;
        ground_.near.within(r.centre, 5 * std::sqrt(r.area), [&](std::size_t i, double distance) {
            const double ratio = ground_.regions[i].area / r.area;
            if (i != region && ratio > 1 / 12.0 && ratio < 12 && distance > 0.4 * std::sqrt(r.area))
                near.emplace_back(distance, i);
        });
        std::sort(near.begin(), near.end());
        if (near.size() > max_neighbours) near.resize(max_neighbours);
        std::vector<std::size_t> all;
        for (const auto& [distance, i] : near) all.push_back(i);
        return all;
    }

    bool of_size(std::size_t region, std::size_t patch, double scale) const {
        const chart::Patch& p = d_.patches[patch];
        const double ratio = ground_.regions[region].area / (p.w_mm * p.h_mm * scale);
        return ratio > 0.15 && ratio < 1.35;
    }
    bool as_bright(std::size_t region, std::size_t patch, std::size_t other_region, std::size_t other_patch) const {
        return std::abs(seen_[region] - seen_[other_region] - known_[patch] + known_[other_patch]) < max_log_brightness;
    }

    /// The map that this region and its neighbours make of an anchor's patches, grown over the chart; the best of them.
    void try_at(std::size_t region, const std::vector<Anchor>& anchors, std::vector<Match>& best,
                std::size_t most) const {
        const std::vector<std::size_t> near = neighbours(region);
        const Point p = ground_.regions[region].centre;
        for (const Anchor& a : anchors) {
            const auto [pi, qi, ri] = a.patch;
            Eigen::Matrix2d mm;
            mm << middles_[qi] - middles_[pi], middles_[ri] - middles_[pi];
            const Eigen::Matrix2d back = mm.inverse();
            for (const std::size_t q : near) {
                if (!as_bright(region, pi, q, qi)) continue;
                for (const std::size_t r : near) {
                    if (r == q || !as_bright(region, pi, r, ri)) continue;
                    Eigen::Matrix2d px;
                    px << ground_.regions[q].centre - p, ground_.regions[r].centre - p;
                    const Eigen::Matrix2d affine = px * back;
                    const double scale = std::abs(affine.determinant()), sum = affine.squaredNorm();
                    if (scale * (max_squeeze + 1 / max_squeeze) < sum) continue; // sides 1 to max_squeeze
                    if (!of_size(region, pi, scale) || !of_size(q, qi, scale) || !of_size(r, ri, scale)) continue;
                    Homography map;
                    map.matrix.topLeftCorner<2, 2>() = affine;
                    map.matrix.topRightCorner<2, 1>() = p - affine * middles_[pi];
                    if (agreeing(map, a.about, region, pi) < 0.6 * static_cast<double>(a.about.size())) continue;
                    keep(grown(map, a), best, most);
                }
            }
        }
    }

private:
    /// The region that lies where a patch should, or nothing.
    std::optional<std::size_t> region_at(const Homography& map, std::size_t patch, double reach) const {
        const chart::Patch& p = d_.patches[patch];
        const Point at = map(middles_[patch]), right = map(middles_[patch] + Point(p.w_mm / 2, 0)),
                    below = map(middles_[patch] + Point(0, p.h_mm / 2));
        const double area = 4 * std::abs(parallelogram(right - at, below - at)),
                     side = 2 * std::min((right - at).norm(), (below - at).norm());
        return ground_.near.nearest(at, reach * side, [&](std::size_t k) {
            const double ratio = ground_.regions[k].area / std::max(1e-9, area);
            return ratio > 0.12 && ratio < 1.5;
        });
    }
    double agreeing(const Homography& map, const std::vector<std::size_t>& patches, std::size_t region,
                    std::size_t patch) const {
        int agree = 0, missed = 0;
        const auto allowed = static_cast<int>(0.4 * static_cast<double>(patches.size()));
        for (const std::size_t k : patches) {
            const auto there = region_at(map, k, 0.3);
            if (there && as_bright(*there, k, region, patch)) ++agree;
            else if (++missed > allowed) return 0;
        }
        return agree;
    }

    /// From the anchor outwards: each round fits the map to more patches.
    std::optional<Match> grown(Homography map, const Anchor& a) const {
        std::vector<std::size_t> order = grid_.patch;
        const Point from = middles_[a.patch[0]];
        std::stable_sort(order.begin(), order.end(), [&](std::size_t x, std::size_t y) {
            return (middles_[x] - from).squaredNorm() < (middles_[y] - from).squaredNorm();
        });
        std::vector<Point> mm, px;
        for (std::size_t count = 9;; count = std::min(order.size(), count * 8 / 5)) {
            mm.clear();
            px.clear();
            for (std::size_t i = 0; i < count && i < order.size(); ++i)
                if (const auto there = region_at(map, order[i], 0.35)) {
                    mm.push_back(middles_[order[i]]);
                    px.push_back(ground_.regions[*there].centre);
                }
            if (mm.size() < 6 || 2 * mm.size() < std::min(count, order.size())) return std::nullopt;
            const auto fitted = projective_fit(mm, px);
            if (!fitted) return std::nullopt;
            map = *fitted;
            if (count >= order.size()) break;
        }
        const double w = d_.width_mm, h = d_.height_mm;
        Match m{&grid_, {map({0, 0}), map({w, 0}), map({w, h}), map({0, h})}, {}, 0};
        if (!chart::is_convex(m.corners)) return std::nullopt;
        m.fit = colour_fit(grid_, m.corners, ground_.picture);
        if (m.fit.evidence < 5) return std::nullopt;
        return m;
    }

    static void keep(std::optional<Match> m, std::vector<Match>& best, std::size_t most) {
        if (!m) return;
        for (Match& known : best) { // the same place once more
            double off = 0;
            for (std::size_t i = 0; i < 4; ++i) off += (known.corners[i] - m->corners[i]).norm() / 4;
            if (off > 0.1 * std::sqrt(std::abs(chart::signed_area(m->corners)))) continue;
            if (m->fit.evidence > known.fit.evidence) known = *m;
            return;
        }
        best.push_back(*m);
        std::sort(best.begin(), best.end(),
                  [](const Match& a, const Match& b) { return a.fit.evidence > b.fit.evidence; });
        if (best.size() > most) best.pop_back();
    }

    const Grid& grid_;
    const Ground& ground_;
    const chart::Definition& d_;
    std::vector<Point> middles_;
    std::vector<double> known_, seen_;
};

} // namespace

std::vector<Match> identify_pattern(const Grid& grid, const Ground& ground, std::size_t most) {
    const std::vector<Anchor> anchors = anchors_of(grid);
    const PatternSearch search(grid, ground);
    std::vector<Match> best;
    for (std::size_t region = 0; region < ground.regions.size(); ++region) {
        const Point& p = ground.regions[region].centre;
        const bool explained_already = std::any_of(best.begin(), best.end(), [&](const Match& m) {
            return m.fit.evidence > least_evidence_per_patch * static_cast<double>(grid.xyz.size()) &&
                   within(m.corners, p);
        });
        if (!explained_already) search.try_at(region, anchors, best, most);
    }
    return best;
}

} // namespace refero::find
