// From scattered flat regions to lattices.
#include <set>

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <tbb/parallel_for.h>

#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"

namespace refero::find {

namespace {

// Could the region be the flat part of a patch in a lattice of this pitch?
bool fits(const Region& r, double pitch) {
    return r.area < most_patch_area * pitch * pitch && r.area > least_patch_area * pitch * pitch;
}

double cross(const Point& a, const Point& b) { return a.x() * b.y() - a.y() * b.x(); }

// Many cells that fill a rectangle: a sheared lattice has as many but fills it badly.
double worth(const Lattice& l) {
    const double n = static_cast<double>(l.cells.size());
    return n * n / ((l.u1 - l.u0 + 1) * (l.v1 - l.v0 + 1));
}

// The same cells on other steps: u + across v, v + down u.
Lattice stepped(const Lattice& l, int across, int down) {
    Lattice other;
    other.u0 = other.v0 = std::numeric_limits<int>::max();
    other.u1 = other.v1 = std::numeric_limits<int>::min();
    for (const auto& [place, region] : l.cells) {
        const int u = place.first + across * place.second, v = place.second + down * place.first;
        other.cells.push_back({{u, v}, region});
        other.u0 = std::min(other.u0, u);
        other.u1 = std::max(other.u1, u);
        other.v0 = std::min(other.v0, v);
        other.v1 = std::max(other.v1, v);
    }
    Eigen::Matrix3d back = Eigen::Matrix3d::Identity();
    back(0, 1) = -across;
    back(1, 0) = -down;
    other.pixels_from_place.matrix = l.pixels_from_place.matrix * back;
    return other;
}

// Steps along a diagonal make a lattice of the same places, sheared. Those that fill a rectangle about as well.
std::vector<Lattice> sheared(const Lattice& l) {
    std::vector<Lattice> all;
    for (const auto& [across, down] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}})
        if (Lattice other = stepped(l, across, down); worth(other) >= 0.75 * worth(l)) all.push_back(std::move(other));
    return all;
}

// The same cells on the shortest steps there are (Gauss's reduction), where these are others.
std::optional<Lattice> reduced(const Lattice& l) {
    std::optional<Lattice> other;
    for (int round = 0; round < 8; ++round) {
        const Lattice& now = other ? *other : l;
        const Point middle((now.u0 + now.u1) / 2.0, (now.v0 + now.v1) / 2.0);
        const Point a = now.pixels_from_place(middle + Point(0.5, 0)) - now.pixels_from_place(middle - Point(0.5, 0));
        const Point b = now.pixels_from_place(middle + Point(0, 0.5)) - now.pixels_from_place(middle - Point(0, 0.5));
        const bool b_longer = a.squaredNorm() < b.squaredNorm();
        const double times = a.dot(b) / std::min(a.squaredNorm(), b.squaredNorm());
        if (!(std::abs(times) > 0.5 && std::abs(times) < 20)) break;
        const int k = static_cast<int>(std::lround(times));
        other = b_longer ? stepped(now, k, 0) : stepped(now, 0, k);
    }
    return other;
}

struct Search {
    const std::vector<Region>& regions;
    const Near& near;
    int most_side;            ///< cells along a lattice at most
    mutable long lookups = 0; ///< places that were looked for

    std::optional<std::size_t> region_at(const Point& p, double reach, double pitch) const {
        return near.nearest(p, reach, [&](std::size_t i) { return fits(regions[i], pitch); });
    }

    /// Two steps from a region to neighbours, and how well its surroundings repeat them: of six places how many are
    /// taken, less what they are off.
    struct Steps {
        Point a, b;
        double score = 0;
    };
    std::vector<Steps> steps(std::size_t seed) const {
        const Region& r = regions[seed];
        std::vector<std::pair<double, Point>> around;
        near.within(r.centre, 6 * std::sqrt(r.area), [&](std::size_t i, double d) {
            if (i != seed && fits(r, d) && fits(regions[i], d)) around.emplace_back(d, regions[i].centre - r.centre);
        });
        if (around.size() < 3) return {};
        std::partial_sort(around.begin(),
                          around.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(8, around.size())),
                          around.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        if (around.size() > 8) around.resize(8);
        std::vector<Steps> all;
        for (std::size_t i = 0; i < around.size(); ++i)
            for (std::size_t k = i + 1; k < around.size(); ++k) {
                const Point &a = around[i].second, &b = around[k].second;
                const double la = around[i].first, lb = around[k].first;
                if (std::abs(cross(a, b)) < 0.5 * la * lb || lb > 3.2 * la) continue;
                const double reach = 0.2 * la;
                double repeated = 0;
                int places = 0, left = 6;
                for (const Point& p : {Point(-a), Point(-b), Point(a + b), Point(-a - b), Point(a - b), Point(b - a)}) {
                    if (places + left-- < 3) break;
                    if (const auto there = region_at(r.centre + p, reach, la)) {
                        ++places;
                        repeated += 1 - 0.5 * (regions[*there].centre - r.centre - p).norm() / reach;
                    }
                }
                if (places >= 3) all.push_back({a, b, repeated - 0.7 * (la + lb) / around[0].first});
            }
        std::sort(all.begin(), all.end(), [](const Steps& a, const Steps& b) { return a.score > b.score; });
        std::vector<Steps> best;
        for (const Steps& s : all) {
            // The same lattice cell another way round is no news.
            const auto along = [](const Point& p, const Point& q) {
                return std::abs(cross(p, q)) < 0.2 * p.norm() * q.norm() &&
                       std::abs(p.norm() - q.norm()) < 0.2 * q.norm();
            };
            const bool known = std::any_of(best.begin(), best.end(), [&](const Steps& o) {
                return (along(s.a, o.a) && along(s.b, o.b)) || (along(s.a, o.b) && along(s.b, o.a));
            });
            if (!known) best.push_back(s);
            if (best.size() == 3) break;
        }
        return best;
    }

    /// Step across and down at a place, pixels; the shorter one.
    static double pitch_at(const Homography& map, double u, double v) {
        const auto& m = map.matrix;
        const double w = m(2, 0) * u + m(2, 1) * v + m(2, 2);
        const Point at((m(0, 0) * u + m(0, 1) * v + m(0, 2)) / w, (m(1, 0) * u + m(1, 1) * v + m(1, 2)) / w);
        const Point across = m.topLeftCorner<2, 1>() - m(2, 0) * at, down = m.block<2, 1>(0, 1) - m(2, 1) * at;
        return std::sqrt(std::min(across.squaredNorm(), down.squaredNorm())) / std::abs(w);
    }

    /// The regions at integer places within the bounds, each the nearest to its place.
    Cells cells_of(const Homography& map, int u0, int u1, int v0, int v1, const std::vector<bool>& taken) const {
        Cells cells;
        lookups += static_cast<long>(u1 - u0 + 1) * (v1 - v0 + 1);
        for (int v = v0; v <= v1; ++v)
            for (int u = u0; u <= u1; ++u) {
                const double pitch = pitch_at(map, u, v);
                if (!(pitch > 2 && pitch < 1000)) continue;
                if (const auto i = near.nearest(map({static_cast<double>(u), static_cast<double>(v)}), 0.22 * pitch,
                                                [&](std::size_t k) { return !taken[k] && fits(regions[k], pitch); }))
                    cells.push_back({{u, v}, *i});
            }
        return cells;
    }

    std::optional<Homography> fit(const Cells& cells) const {
        std::set<int> columns, rows;
        std::vector<Point> places, points;
        for (const auto& [place, region] : cells) {
            columns.insert(place.first);
            rows.insert(place.second);
            places.emplace_back(place.first, place.second);
            points.push_back(regions[region].centre);
        }
        if (columns.size() < 2 || rows.size() < 2 || cells.size() < 4) return std::nullopt;
        Homography map;
        if (cells.size() < 8 || columns.size() < 3 || rows.size() < 2) { // too few for perspective
            Eigen::Matrix3d xx = Eigen::Matrix3d::Zero();
            Eigen::Matrix<double, 3, 2> xy = Eigen::Matrix<double, 3, 2>::Zero();
            for (std::size_t i = 0; i < places.size(); ++i) {
                const Eigen::Vector3d x(places[i].x(), places[i].y(), 1);
                xx += x * x.transpose();
                xy += x * points[i].transpose();
            }
            map.matrix.topRows<2>() = xx.inverse().operator*(xy).transpose();
            return map;
        }
        return projective_fit(places, points);
    }

    /// A lattice from two steps at a region.
    std::optional<Lattice> grow(std::size_t seed, const Point& a, const Point& b,
                                const std::vector<bool>& taken) const {
        const Region& like = regions[seed];
        Lattice l;
        l.pixels_from_place.matrix << a.x(), b.x(), like.centre.x(), a.y(), b.y(), like.centre.y(), 0, 0, 1;
        l.u0 = l.v0 = -1;
        l.u1 = l.v1 = 1;
        return grow(std::move(l), taken);
    }

    /// Grows ring by ring; the map is fitted anew to all cells after each.
    std::optional<Lattice> grow(Lattice l, const std::vector<bool>& taken) const {
        std::size_t before = 0;
        for (int ring = 0; ring < 60; ++ring) {
            l.cells = cells_of(l.pixels_from_place, l.u0, l.u1, l.v0, l.v1, taken);
            const auto map = fit(l.cells);
            if (!map) return std::nullopt;
            l.pixels_from_place = *map;
            // Once more with the better map; a side goes on where enough of the next row, or the one after, is there.
            l.cells = cells_of(l.pixels_from_place, l.u0, l.u1, l.v0, l.v1, taken);
            const auto filled = [&](int u_from, int u_to, int v_from, int v_to) {
                const auto more = cells_of(l.pixels_from_place, u_from, u_to, v_from, v_to, taken);
                return more.size() >= std::max<std::size_t>(2, static_cast<std::size_t>(
                                                                   0.3 * (std::max(u_to - u_from, v_to - v_from) + 1)));
            };
            if (l.cells.size() < 4) return std::nullopt;
            const int u0 = l.u0, u1 = l.u1, v0 = l.v0, v1 = l.v1;
            for (const int far : {1, 2}) {
                if (l.u0 == u0 && filled(u0 - far, u0 - far, v0, v1)) l.u0 = u0 - far;
                if (l.u1 == u1 && filled(u1 + far, u1 + far, v0, v1)) l.u1 = u1 + far;
                if (l.v0 == v0 && filled(u0, u1, v0 - far, v0 - far)) l.v0 = v0 - far;
                if (l.v1 == v1 && filled(u0, u1, v1 + far, v1 + far)) l.v1 = v1 + far;
            }
            if (l.u0 == u0 && l.u1 == u1 && l.v0 == v0 && l.v1 == v1 && l.cells.size() == before) break;
            if (std::max(l.u1 - l.u0, l.v1 - l.v0) > most_side) break; // a wall of tiles
            before = l.cells.size();
        }
        if (const auto map = fit(l.cells)) l.pixels_from_place = *map;
        return l;
    }

    /// Steps of a finer lattice whose every second, or every diagonal, place this one is.
    std::optional<std::pair<Point, Point>> finer(const Lattice& l, std::size_t seed) const {
        const auto share = [&](double du, double dv) {
            int there = 0, all = 0;
            for (const auto& [place, region] : l.cells) {
                const double u = place.first + du, v = place.second + dv;
                if (u > l.u1 || v > l.v1) continue;
                ++all;
                there += region_at(l.pixels_from_place({u, v}), 0.15 * pitch_at(l.pixels_from_place, u, v),
                                   0.6 * pitch_at(l.pixels_from_place, u, v))
                             .has_value();
            }
            return all ? static_cast<double>(there) / all : 0.0;
        };
        Place at{0, 0};
        for (const auto& [place, region] : l.cells)
            if (region == seed) at = place;
        const double u = at.first, v = at.second;
        const Point here = l.pixels_from_place({u, v}), a = l.pixels_from_place({u + 0.5, v}) - here,
                    b = l.pixels_from_place({u, v + 0.5}) - here;
        const bool across = share(0.5, 0) > half_places, down = share(0, 0.5) > half_places;
        if (across || down) return std::pair{Point(across ? a : Point(2 * a)), Point(down ? b : Point(2 * b))};
        if (share(0.5, 0.5) > half_places) return std::pair{Point(a + b), Point(a - b)};
        return std::nullopt;
    }
};

} // namespace

Near near_of(const std::vector<Region>& regions) {
    double sum = 0;
    Point most(0, 0);
    for (const Region& r : regions) {
        sum += std::sqrt(r.area);
        most = most.cwiseMax(r.centre);
    }
    Near near(std::max(4.0, 1.5 * sum / std::max<double>(1, static_cast<double>(regions.size()))), most.x(), most.y());
    for (std::size_t i = 0; i < regions.size(); ++i) near.add(regions[i].centre, i);
    return near;
}

// Hartley and Zisserman, "Multiple View Geometry", 2nd ed., algorithm 4.2, with weights.
std::optional<Homography> projective_fit(const std::vector<Point>& from, const std::vector<Point>& to,
                                         const std::vector<double>& weight) {
    const auto norm = [&](const std::vector<Point>& points) {
        Point middle = Point::Zero();
        for (const Point& p : points) middle += p / static_cast<double>(points.size());
        double distance = 0;
        for (const Point& p : points) distance += (p - middle).norm() / static_cast<double>(points.size());
        Eigen::Matrix3d m = Eigen::Matrix3d::Identity();
        m(0, 0) = m(1, 1) = M_SQRT2 / std::max(1e-12, distance);
        m.topRightCorner<2, 1>() = -m(0, 0) * middle;
        return m;
    };
    if (from.size() < 4) return std::nullopt;
    const Eigen::Matrix3d a = norm(from), b = norm(to);
    // With the points' middle at the origin the last element is not 0 and can be set to 1.
    Eigen::Matrix<double, 8, 8> xx = Eigen::Matrix<double, 8, 8>::Zero();
    Eigen::Matrix<double, 8, 1> xy = Eigen::Matrix<double, 8, 1>::Zero();
    for (std::size_t i = 0; i < from.size(); ++i) {
        const Point x = (a * from[i].homogeneous()).hnormalized(), y = (b * to[i].homogeneous()).hnormalized();
        const double w = weight.empty() ? 1.0 : weight[i];
        for (int k = 0; k < 2; ++k) {
            Eigen::Matrix<double, 8, 1> row = Eigen::Matrix<double, 8, 1>::Zero();
            row.segment<3>(3 * k) << x.x(), x.y(), 1;
            row.tail<2>() = -y[k] * x;
            xx += w * row * row.transpose();
            xy += w * y[k] * row;
        }
    }
    Eigen::Matrix<double, 9, 1> h;
    h << xx.ldlt().solve(xy), 1;
    Homography map;
    map.matrix = b.inverse() * Eigen::Map<const Eigen::Matrix<double, 3, 3, Eigen::RowMajor>>(h.data()) * a;
    if (!map.matrix.allFinite() || std::abs(map.matrix(2, 2)) < 1e-12) return std::nullopt;
    map.matrix /= map.matrix(2, 2);
    return map;
}

std::vector<Lattice> lattices(const std::vector<Region>& regions, const Near& near, const Extent& extent) {
    const auto& [least_cells, most_cells, most_side] = extent;
    std::vector<Lattice> all;
    std::vector<bool> taken(regions.size());
    const Search search{regions, near, most_side};
    // The most regular surroundings first.
    std::vector<std::vector<Search::Steps>> steps(regions.size());
    tbb::parallel_for(std::size_t{0}, regions.size(), [&](std::size_t i) { steps[i] = search.steps(i); });
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < regions.size(); ++i)
        if (!steps[i].empty()) order.push_back(i);
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return steps[a][0].score > steps[b][0].score; });
    // Which of them hold a region: the same regions once more, from another seed, are no news.
    std::vector<std::vector<std::size_t>> holders(regions.size());
    const auto again = [&](const Lattice& l) {
        std::vector<std::size_t> common(all.size());
        for (const auto& [place, region] : l.cells)
            for (const std::size_t holder : holders[region]) ++common[holder];
        for (std::size_t i = 0; i < all.size(); ++i)
            if (5 * common[i] >= 4 * l.cells.size() && worth(l) < 1.1 * worth(all[i])) return true;
        return false;
    };
    const auto keep = [&](Lattice& l) {
        if (l.cells.size() > most_cells) return;
        for (const auto& [place, region] : l.cells) holders[region].push_back(all.size());
        all.push_back(std::move(l));
    };
    int grown_from = 0;
    for (const std::size_t seed : order) {
        if (taken[seed]) continue;
        if (++grown_from > most_seeds || search.lookups > most_lookups) break;
        std::optional<Lattice> lattice;
        std::vector<Lattice> others;
        const auto take = [&](std::optional<Lattice> other) {
            if (other && (!lattice || worth(*other) > worth(*lattice))) lattice = std::move(other);
        };
        for (const auto& [a, b, score] : steps[seed]) {
            auto grown = search.grow(seed, a, b, taken);
            if (!grown) continue;
            std::optional<Lattice> lesser;
            if (grown->cells.size() >= 4)
                if (const auto finer = search.finer(*grown, seed)) {
                    // Blurred gaps between patches can look like patches: the coarser one is kept, too.
                    take(search.grow(seed, finer->first, finer->second, taken));
                    lesser = grown;
                }
            take(std::move(grown));
            if (lesser && lesser->cells.size() >= least_cells) others.push_back(std::move(*lesser));
        }
        if (!lattice || lattice->cells.size() < least_cells) continue;
        if (auto shorter = reduced(*lattice))
            if (auto grown = search.grow(std::move(*shorter), taken);
                grown && 10 * grown->cells.size() >= 7 * lattice->cells.size()) {
                others.push_back(std::move(*lattice));
                lattice = std::move(grown);
            }
        if (again(*lattice)) continue;
        for (Lattice& other : sheared(*lattice))
            if (auto grown = search.grow(std::move(other), taken); grown && grown->cells.size() >= least_cells)
                others.push_back(std::move(*grown));
        // A lattice with many holes may be a wrong one: its regions stay free for others.
        if (worth(*lattice) > 0.55 * static_cast<double>(lattice->cells.size()))
            for (const auto& [place, region] : lattice->cells) taken[region] = true;
        keep(*lattice);
        for (Lattice& other : others) keep(other);
    }
    std::stable_sort(all.begin(), all.end(), [](const Lattice& a, const Lattice& b) { return worth(a) > worth(b); });
    if (all.size() > most_lattices) all.resize(most_lattices);
    return all;
}

} // namespace refero::find
