// Which chart, and which way round: by colour, after solving for light, camera and exposure at once.
#include <Eigen/Cholesky>
#include <Eigen/LU>

#include "find/internal.hpp"

namespace refero::find {

namespace {

// Values close together are one row or column.
std::vector<double> levels(std::vector<double> values, double tolerance) {
    std::sort(values.begin(), values.end());
    std::vector<double> distinct;
    for (const double v : values)
        if (distinct.empty() || v - distinct.back() > tolerance) distinct.push_back(v);
    return distinct;
}

bool even(const std::vector<double>& v) {
    for (std::size_t i = 2; i < v.size(); ++i)
        if (std::abs((v[i] - v[i - 1]) - (v[1] - v[0])) > 0.05 * (v[1] - v[0])) return false;
    return v.size() >= 2;
}

struct Sample {
    colour::Vec3 mean;
    double spread = 0; // relative, within the patch
};

Sample sample(const Picture& picture, const Homography& from_mm, const chart::Patch& p) {
    Sample s{colour::Vec3::Zero()};
    colour::Vec3 squares = colour::Vec3::Zero();
    int inside = 0;
    constexpr int n = 5;
    for (int v = 0; v < n; ++v)
        for (int u = 0; u < n; ++u) {
            const Point q = from_mm({p.x_mm + p.w_mm * (0.3 + 0.4 * u / (n - 1)), p.y_mm + p.h_mm * (0.3 + 0.4 * v / (n - 1))});
            const int x = static_cast<int>(std::floor(q.x())), y = static_cast<int>(std::floor(q.y()));
            if (!(x >= 0 && y >= 0 && x < picture.linear.cols && y < picture.linear.rows)) continue;
            const cv::Vec3f& value = picture.linear.at<cv::Vec3f>(y, x);
            const colour::Vec3 c(value[0], value[1], value[2]);
            s.mean += c;
            squares += c.cwiseProduct(c);
            ++inside;
        }
    if (inside < n * n / 2) return {colour::Vec3::Constant(NAN)};
    s.mean /= inside;
    const double variance = (squares / inside - s.mean.cwiseProduct(s.mean)).sum();
    s.spread = std::sqrt(std::max(0.0, variance)) / std::max(1e-6, s.mean.norm());
    return s;
}

} // namespace

std::optional<Grid> grid_of(const chart::Definition& d) {
    if (d.patches.size() < 8) return std::nullopt;
    Grid g;
    g.definition = &d;
    std::vector<double> xs, ys;
    for (const chart::Patch& p : d.patches) xs.push_back(p.x_mm + p.w_mm / 2), ys.push_back(p.y_mm + p.h_mm / 2);
    const auto columns = levels(xs, 0.3 * d.patches[0].w_mm), rows = levels(ys, 0.3 * d.patches[0].h_mm);
    if (!even(columns) || !even(rows)) return std::nullopt;
    g.columns = static_cast<int>(columns.size()), g.rows = static_cast<int>(rows.size());
    g.first_x_mm = columns[0], g.first_y_mm = rows[0];
    g.pitch_x_mm = (columns.back() - columns[0]) / (g.columns - 1);
    g.pitch_y_mm = (rows.back() - rows[0]) / (g.rows - 1);
    for (std::size_t i = 0; i < d.patches.size(); ++i)
        g.place.emplace_back(std::lround((xs[i] - g.first_x_mm) / g.pitch_x_mm), std::lround((ys[i] - g.first_y_mm) / g.pitch_y_mm));
    try {
        const chart::Reference reference = chart::reference_of(d);
        for (const chart::Patch& p : d.patches) g.xyz.push_back(reference.xyz.at(p.id));
    } catch (const Error&) {
        return std::nullopt;
    }
    return g;
}

ColourFit colour_fit(const Grid& grid, const Corners& corners, const Picture& picture) {
    const chart::Definition& d = *grid.definition;
    const Homography map = chart::pixels_from_mm(d, corners);
    std::vector<colour::Vec3> seen, known;
    int even_patches = 0;
    for (std::size_t i = 0; i < d.patches.size(); ++i) {
        const Sample s = sample(picture, map, d.patches[i]);
        if (!s.mean.allFinite()) continue;
        if (s.spread < 0.15 || s.mean.maxCoeff() < 0.01) ++even_patches;
        if (s.mean.maxCoeff() > 0.99) continue; // clipped: says nothing of colour
        seen.push_back(s.mean);
        known.push_back(grid.xyz[i]);
    }
    ColourFit fit;
    fit.even_share = static_cast<double>(even_patches) / static_cast<double>(d.patches.size());
    if (seen.size() < 8 || seen.size() < 0.6 * static_cast<double>(d.patches.size())) return fit;
    double level = 0;
    for (const auto& s : seen) level = std::max(level, s.sum() / 3);
    if (!(level > 1e-5)) return fit;
    // Camera RGB = A XYZ, relative residuals, reweighted so that a few covered patches do not decide.
    std::vector<double> weight(seen.size(), 1), residual(seen.size());
    for (int round = 0; round < 4; ++round) {
        colour::Mat3 rx = colour::Mat3::Zero(), xx = 1e-9 * colour::Mat3::Identity();
        for (std::size_t i = 0; i < seen.size(); ++i) {
            const double w = weight[i] / std::pow(seen[i].sum() / 3 + 0.03 * level, 2);
            rx += w * seen[i] * known[i].transpose();
            xx += w * known[i] * known[i].transpose();
        }
        const colour::Mat3 a = rx * xx.inverse();
        double sum = 0;
        for (std::size_t i = 0; i < seen.size(); ++i) {
            residual[i] = (seen[i] - a * known[i]).norm() / (seen[i].norm() + 0.05 * level);
            sum += std::min(residual[i], 1.0);
            weight[i] = 1 / (1 + std::pow(residual[i] / 0.15, 2));
        }
        fit.misfit = sum / static_cast<double>(seen.size());
    }
    return fit;
}

std::optional<Match> identify(const Grid& grid, const Lattice& lattice, const Picture& picture) {
    int u0 = 1 << 20, u1 = -u0, v0 = u0, v1 = -u0;
    for (const auto& [place, region] : lattice.cells) {
        u0 = std::min(u0, place.first), u1 = std::max(u1, place.first);
        v0 = std::min(v0, place.second), v1 = std::max(v1, place.second);
    }
    const chart::Definition& d = *grid.definition;
    Match best;
    best.grid = &grid;
    std::array<double, 8> best_of{};
    best_of.fill(1);
    for (int symmetry = 0; symmetry < 8; ++symmetry) {
        const bool swap = symmetry & 1;
        const int su = symmetry & 2 ? -1 : 1, sv = symmetry & 4 ? -1 : 1;
        const int nu = swap ? grid.rows : grid.columns, nv = swap ? grid.columns : grid.rows;
        if (nu < (u1 - u0 + 1) / 2 || nv < (v1 - v0 + 1) / 2) continue;
        for (int ou = u1 - nu + 1 - 2; ou <= u0 + 2; ++ou)
            for (int ov = v1 - nv + 1 - 2; ov <= v0 + 2; ++ov) {
                std::size_t inside = 0;
                for (const auto& [place, region] : lattice.cells)
                    inside += place.first >= ou && place.first < ou + nu && place.second >= ov && place.second < ov + nv;
                if (inside < 0.8 * static_cast<double>(lattice.cells.size()) || inside < 6) continue;
                // Chart place (column, row) to lattice place.
                const auto place_of = [&](double column, double row) {
                    double a = swap ? row : column, b = swap ? column : row;
                    if (su < 0) a = nu - 1 - a;
                    if (sv < 0) b = nv - 1 - b;
                    return Point(ou + a, ov + b);
                };
                const double left = -grid.first_x_mm / grid.pitch_x_mm, top = -grid.first_y_mm / grid.pitch_y_mm;
                const double right = left + d.width_mm / grid.pitch_x_mm, bottom = top + d.height_mm / grid.pitch_y_mm;
                const auto& map = lattice.pixels_from_place;
                const Corners corners{map(place_of(left, top)), map(place_of(right, top)), map(place_of(right, bottom)), map(place_of(left, bottom))};
                if (!chart::is_convex(corners)) continue;
                const double misfit = colour_fit(grid, corners, picture).misfit;
                best_of[static_cast<std::size_t>(symmetry)] = std::min(best_of[static_cast<std::size_t>(symmetry)], misfit);
                if (misfit < best.misfit) {
                    best.misfit = misfit;
                    best.corners = corners;
                }
            }
    }
    if (best.misfit >= 1) return std::nullopt;
    std::sort(best_of.begin(), best_of.end());
    best.runner_up = best_of[1];
    return best;
}

} // namespace refero::find
