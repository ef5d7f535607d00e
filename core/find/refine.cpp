// Corners to sub-pixel accuracy: the patches' edges are laid on the frame's edges by Gauss-Newton.
#include <Eigen/Cholesky>

#include "find/internal.hpp"

namespace refero::find {

namespace {

// Sum of the channels at a place, bilinear; pixel coordinates of the frame's own grid.
std::optional<double> level_at(const frame::Frame& f, const Point& p) {
    const double x = p.x() - 0.5, y = p.y() - 0.5;
    const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
    if (ix < 0 || iy < 0 || ix + 1 >= f.width || iy + 1 >= f.height) return std::nullopt;
    const auto sum = [&](int px, int py) {
        const float* v = f.at(px, py);
        return std::sqrt(std::max(0.0, static_cast<double>(v[0] + v[1] + v[2])));
    };
    const double u = x - ix, w = y - iy;
    return std::lerp(std::lerp(sum(ix, iy), sum(ix + 1, iy), u), std::lerp(sum(ix, iy + 1), sum(ix + 1, iy + 1), u), w);
}

struct Edge {
    Point mm;       // a point on a patch's side
    Point outward;  // unit, millimetres
};

struct Seen {
    Point mm;
    Point normal;   // unit, pixels
    double offset;  // measured minus expected, along the normal, pixels
    double weight;
};

// Where the step lies on a line across the side: the middle of its gradient.
std::optional<Seen> look(const frame::Frame& f, const Homography& map, const Edge& e, double reach_mm) {
    const Point inside = map(e.mm - reach_mm * e.outward), outside = map(e.mm + reach_mm * e.outward), middle = map(e.mm);
    const double length = (outside - inside).norm();
    if (!(length > 0.5) || length > 400) return std::nullopt;
    const Point normal = (outside - inside) / length;
    const int steps = std::clamp(static_cast<int>(length * 3), 8, 120);
    double sum = 0, moment = 0, total = 0;
    std::optional<double> before;
    const double first = (inside - middle).dot(normal), last = (outside - middle).dot(normal);
    for (int i = 0; i <= steps; ++i) {
        const double t = std::lerp(first, last, static_cast<double>(i) / steps);
        const auto v = level_at(f, middle + t * normal);
        if (!v) return std::nullopt;
        if (before) {
            const double g = *v - *before, at = t - (last - first) / steps / 2;
            total += g;
            sum += g * g;
            moment += g * g * at;
        }
        before = v;
    }
    if (std::abs(total) < 0.02 || sum <= 0) return std::nullopt;
    return Seen{e.mm, normal, moment / sum, std::min(1.0, std::abs(total) / 0.1)};
}

} // namespace

Corners refine(const chart::Definition& d, const Corners& full, const frame::Frame& f) {
    std::vector<Edge> edges;
    double gap_mm = 1e9;
    for (const chart::Patch& p : d.patches) {
        for (const double s : {0.2, 0.35, 0.5, 0.65, 0.8}) {
            edges.push_back({{p.x_mm + s * p.w_mm, p.y_mm}, {0, -1}});
            edges.push_back({{p.x_mm + s * p.w_mm, p.y_mm + p.h_mm}, {0, 1}});
            edges.push_back({{p.x_mm, p.y_mm + s * p.h_mm}, {-1, 0}});
            edges.push_back({{p.x_mm + p.w_mm, p.y_mm + s * p.h_mm}, {1, 0}});
        }
        for (const chart::Patch& o : d.patches)
            if (o.x_mm > p.x_mm + p.w_mm - 1e-6) gap_mm = std::min(gap_mm, o.x_mm - p.x_mm - p.w_mm);
    }
    const double side_mm = std::min(d.patches[0].w_mm, d.patches[0].h_mm);
    if (gap_mm > side_mm) gap_mm = 0.2 * side_mm;
    const double reach_mm = std::max(0.5 * gap_mm, 0.05 * side_mm);

    Corners corners;
    for (std::size_t i = 0; i < 4; ++i) corners[i] = full[i] / f.cell;
    Corners last = corners;
    for (int round = 0; round < 6; ++round) {
        const Homography map = chart::pixels_from_mm(d, corners);
        std::vector<Seen> seen;
        for (const Edge& e : edges)
            if (const auto s = look(f, map, e, reach_mm)) seen.push_back(*s);
        if (seen.size() < 24) return full;
        std::vector<double> sizes;
        for (const Seen& s : seen) sizes.push_back(std::abs(s.offset));
        std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
        const double spread = std::max(0.02, 1.5 * sizes[sizes.size() / 2]);

        std::array<Homography, 8> moved;
        constexpr double h = 1e-3;
        for (int k = 0; k < 8; ++k) {
            Corners c = corners;
            c[static_cast<std::size_t>(k / 2)][k % 2] += h;
            moved[static_cast<std::size_t>(k)] = chart::pixels_from_mm(d, c);
        }
        Eigen::Matrix<double, 8, 8> a = 1e-9 * Eigen::Matrix<double, 8, 8>::Identity();
        Eigen::Matrix<double, 8, 1> b = Eigen::Matrix<double, 8, 1>::Zero();
        for (const Seen& s : seen) {
            Eigen::Matrix<double, 8, 1> j;
            const Point here = map(s.mm);
            for (int k = 0; k < 8; ++k) j[k] = (moved[static_cast<std::size_t>(k)](s.mm) - here).dot(s.normal) / h;
            const double w = s.weight / (1 + std::pow(s.offset / (2 * spread), 2));
            a += w * j * j.transpose();
            b += w * j * s.offset;
        }
        const Eigen::Matrix<double, 8, 1> step = a.ldlt().solve(b);
        if (!step.allFinite()) return full;
        last = corners;
        for (int k = 0; k < 8; ++k) corners[static_cast<std::size_t>(k / 2)][k % 2] += step[k];
        if (!chart::is_convex(corners)) return full;
        if (step.cwiseAbs().maxCoeff() < 0.01) break;
    }
    // A refinement that wanders off did not hold on to the chart's edges.
    const double side = std::sqrt(std::abs(chart::signed_area(full))) / f.cell;
    for (std::size_t i = 0; i < 4; ++i)
        if ((corners[i] - full[i] / f.cell).norm() > 0.12 * side) return full;
    for (Point& p : corners) p *= f.cell;
    return corners;
}

} // namespace refero::find
