// From scattered quadrilaterals to lattices.
#include <deque>
#include <set>

#include <Eigen/LU>
#include <opencv2/calib3d.hpp>

#include "find/internal.hpp"

namespace refero::find {

namespace {

using Place = std::pair<int, int>;

// The two side vectors of a region, u the more horizontal one in its own cyclic order.
std::pair<Point, Point> sides(const Region& r) {
    const Corners& q = r.corners;
    return {Point((q[1] - q[0] + q[2] - q[3]) / 2), Point((q[3] - q[0] + q[2] - q[1]) / 2)};
}

struct Grown {
    std::map<Place, std::size_t> cells;
    std::map<Place, std::pair<Point, Point>> step; // local pitch vectors
};

bool alike(const Region& a, const Region& b) { return a.area < 2.6 * b.area && b.area < 2.6 * a.area; }

// The nearest region along `direction` from `from`, one to two side lengths away and hardly off the line.
std::optional<std::size_t> neighbour(const std::vector<Region>& regions, std::size_t from, const Point& along, const Point& across) {
    Eigen::Matrix2d basis;
    basis << along, across;
    const Eigen::Matrix2d inverse = basis.inverse();
    std::optional<std::size_t> best;
    double nearest = 2.0;
    for (std::size_t i = 0; i < regions.size(); ++i) {
        if (i == from || !alike(regions[i], regions[from])) continue;
        const Point d = inverse * (regions[i].centre - regions[from].centre);
        if (d.x() > 0.85 && d.x() < nearest && std::abs(d.y()) < 0.3) {
            nearest = d.x();
            best = i;
        }
    }
    return best;
}

Grown grow(const std::vector<Region>& regions, std::size_t seed) {
    Grown g;
    const auto [u, v] = sides(regions[seed]);
    if (std::abs(u.x() * v.y() - u.y() * v.x()) < 1e-6) return g;
    const auto right = neighbour(regions, seed, u, v), down = neighbour(regions, seed, v, u);
    const auto left = neighbour(regions, seed, -u, v), up = neighbour(regions, seed, -v, u);
    std::optional<Point> pu, pv;
    if (right) pu = regions[*right].centre - regions[seed].centre;
    else if (left) pu = regions[seed].centre - regions[*left].centre;
    if (down) pv = regions[*down].centre - regions[seed].centre;
    else if (up) pv = regions[seed].centre - regions[*up].centre;
    if (!pu || !pv) return g;

    std::set<std::size_t> used{seed};
    g.cells[{0, 0}] = seed;
    g.step[{0, 0}] = {*pu, *pv};
    std::deque<Place> queue{{0, 0}};
    while (!queue.empty()) {
        const Place at = queue.front();
        queue.pop_front();
        const auto [su, sv] = g.step[at];
        const Region& here = regions[g.cells[at]];
        const double reach = 0.28 * std::min(su.norm(), sv.norm());
        // Neighbours, and one step further where a patch was missed.
        for (const auto& [du, dv] : {Place{1, 0}, Place{-1, 0}, Place{0, 1}, Place{0, -1}, Place{2, 0}, Place{-2, 0}, Place{0, 2}, Place{0, -2}, Place{1, 1}, Place{-1, -1}, Place{1, -1}, Place{-1, 1}}) {
            const Place next{at.first + du, at.second + dv};
            if (g.cells.contains(next)) continue;
            const Point expected = here.centre + du * su + dv * sv;
            double nearest = reach;
            std::optional<std::size_t> best;
            for (std::size_t i = 0; i < regions.size(); ++i) {
                if (used.contains(i) || !alike(regions[i], here)) continue;
                const double distance = (regions[i].centre - expected).norm();
                if (distance < nearest) nearest = distance, best = i;
            }
            if (!best) continue;
            used.insert(*best);
            g.cells[next] = *best;
            // Perspective changes the pitch slowly: carry it on, mended along the direction just walked.
            Point nu = su, nv = sv;
            const Point walked = regions[*best].centre - here.centre;
            if (dv == 0) nu = 0.5 * su + 0.5 * walked / du;
            if (du == 0) nv = 0.5 * sv + 0.5 * walked / dv;
            g.step[next] = {nu, nv};
            queue.push_back(next);
        }
    }
    return g;
}

std::optional<Homography> fit(const std::map<Place, std::size_t>& cells, const std::vector<Region>& regions, double tolerance,
                              std::map<Place, std::size_t>& kept) {
    std::vector<cv::Point2d> places, points;
    std::set<int> columns, rows;
    for (const auto& [place, region] : cells) {
        places.emplace_back(place.first, place.second);
        points.emplace_back(regions[region].centre.x(), regions[region].centre.y());
        columns.insert(place.first), rows.insert(place.second);
    }
    if (columns.size() < 2 || rows.size() < 2) return std::nullopt;
    cv::Mat inlier;
    const cv::Mat h = cv::findHomography(places, points, cv::RANSAC, tolerance, inlier, 500, 0.995);
    if (h.empty()) return std::nullopt;
    std::size_t i = 0;
    for (const auto& cell : cells)
        if (inlier.at<uchar>(static_cast<int>(i++))) kept.insert(cell);
    Homography map;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) map.matrix(r, c) = h.at<double>(r, c);
    return map;
}

} // namespace

std::vector<Lattice> lattices(const std::vector<Region>& regions, std::size_t least_cells) {
    std::vector<Lattice> all;
    std::set<std::size_t> taken;
    for (std::size_t seed = 0; seed < regions.size(); ++seed) {
        if (taken.contains(seed)) continue;
        const Grown g = grow(regions, seed);
        if (g.cells.size() < least_cells) continue;
        Lattice lattice;
        const auto map = fit(g.cells, regions, 0.12 * std::sqrt(regions[seed].area), lattice.cells);
        if (!map || lattice.cells.size() < least_cells) continue;
        lattice.pixels_from_place = *map;
        for (const auto& [place, region] : lattice.cells) taken.insert(region);
        all.push_back(std::move(lattice));
    }
    std::stable_sort(all.begin(), all.end(), [](const Lattice& a, const Lattice& b) { return a.cells.size() > b.cells.size(); });
    if (all.size() > 12) all.resize(12);
    return all;
}

} // namespace refero::find
