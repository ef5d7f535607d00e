// Which chart, and which way round: by colour, after solving for light, camera and exposure at once.
#include <numeric>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/SVD>

#include "base/statistics.hpp"
#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"

namespace refero::find {

namespace {

using colour::Vec3;

// Values close together are one row or column.
std::vector<double> levels(std::vector<double> values, double tolerance) {
    std::sort(values.begin(), values.end());
    std::vector<double> distinct;
    for (const double v : values)
        if (distinct.empty() || v - distinct.back() > tolerance) distinct.push_back(v);
    return distinct;
}

// Runs of levels that follow each other at one pitch, the commonest.
std::vector<std::vector<double>> even_runs(const std::vector<double>& v) {
    if (v.size() < 2) return {};
    double pitch = 0;
    std::size_t most = 0;
    const auto same = [](double a, double b) { return std::abs(a - b) < 0.05 * b; };
    for (std::size_t i = 1; i < v.size(); ++i) {
        std::size_t alike = 0;
        for (std::size_t k = 1; k < v.size(); ++k) alike += same(v[k] - v[k - 1], v[i] - v[i - 1]);
        if (alike > most) {
            most = alike;
            pitch = v[i] - v[i - 1];
        }
    }
    std::vector<std::vector<double>> runs{{v[0]}};
    for (std::size_t i = 1; i < v.size(); ++i) {
        if (!same(v[i] - v[i - 1], pitch)) runs.emplace_back();
        runs.back().push_back(v[i]);
    }
    std::erase_if(runs, [](const auto& r) { return r.size() < 2; });
    return runs;
}

Vec3 pixel(const Picture& picture, const Point& q) {
    const int x = static_cast<int>(std::floor(q.x())), y = static_cast<int>(std::floor(q.y()));
    if (!(x >= 0 && y >= 0 && x < picture.linear.cols && y < picture.linear.rows)) return Vec3::Constant(NAN);
    const cv::Vec3f& v = picture.linear.at<cv::Vec3f>(y, x);
    return {v[0], v[1], v[2]};
}

struct Sample {
    Vec3 mean;
    double spread = 0; // relative, within the patch
};

Sample sample(const Picture& picture, const Homography& from_mm, const chart::Patch& p) {
    Sample s{Vec3::Zero()};
    Vec3 squares = Vec3::Zero();
    int inside = 0;
    constexpr int n = 5;
    for (int v = 0; v < n; ++v)
        for (int u = 0; u < n; ++u) {
            const Vec3 c = pixel(picture, from_mm({p.x_mm + p.w_mm * (0.32 + 0.36 * u / (n - 1)),
                                                   p.y_mm + p.h_mm * (0.32 + 0.36 * v / (n - 1))}));
            if (!c.allFinite()) continue;
            s.mean += c;
            squares += c.cwiseProduct(c);
            ++inside;
        }
    if (inside < n * n / 2) return {Vec3::Constant(NAN)};
    s.mean /= inside;
    const double variance = (squares / inside - s.mean.cwiseProduct(s.mean)).sum();
    s.spread = std::sqrt(std::max(0.0, variance)) / std::max(1e-6, s.mean.norm());
    return s;
}

// The most that an even patch of this mean may spread: the picture's noise is about the same in square roots, so that
// dark patches have more for their brightness; one channel's is that of the mean of three times the root of three.
double even_spread(const Vec3& mean, const Picture& picture) {
    double shown = 0;
    for (int c = 0; c < 3; ++c)
        shown +=
            std::sqrt(std::clamp(mean[c] * static_cast<double>(picture.gain[static_cast<std::size_t>(c)]), 0.0, 1.5)) /
            3;
    return 0.15 + std::min(0.35, 2 * 1.73 * picture.noise / std::max(0.05, shown));
}

// XYZ (D50) of linear RGB with the primaries of BT.709: a camera under any light is not far from it, row by row.
const colour::Mat3& xyz_from_plain_rgb() {
    static const colour::Mat3 m =
        (colour::Mat3() << 0.4360, 0.3851, 0.1431, 0.2225, 0.7169, 0.0606, 0.0139, 0.0971, 0.7141).finished();
    return m;
}

/// The smallest singular value of a matrix that could be a camera's, balanced; 0 of others.
double apart(const colour::Mat3& camera_from_xyz) {
    colour::Mat3 m = camera_from_xyz * xyz_from_plain_rgb();
    const Vec3 white = m.rowwise().sum();
    if (!(white.minCoeff() > 0)) return 0;
    m = white.cwiseInverse().asDiagonal() * m;
    if (!(m.diagonal().minCoeff() > 0.1)) return 0;
    const Vec3 singular = m.jacobiSvd().singularValues();
    return m.determinant() > 0 && singular[0] < 4 ? singular[2] : 0;
}

struct Seen {
    Vec3 rgb, xyz;
    double u = 0, v = 0; ///< place on the chart, about -1 to 1
};

/// What is seen must not run against what is known, or across it: a quick look at brightness, and at red against blue.
class Agreement {
public:
    void add(double seen, double known) {
        n_ += 1;
        x_ += seen;
        y_ += known;
        xx_ += seen * seen;
        yy_ += known * known;
        xy_ += seen * known;
    }
    bool holds(double correlation) const {
        const double of_x = xx_ - x_ * x_ / n_, of_y = yy_ - y_ * y_ / n_;
        if (of_y < 0.1 * n_) return true; // all about the same: nothing can be said
        return xy_ - x_ * y_ / n_ > correlation * std::sqrt(of_x * of_y);
    }

private:
    double n_ = 0, x_ = 0, y_ = 0, xx_ = 0, yy_ = 0, xy_ = 0;
};
struct Look {
    double brightness = 0, redness = 0;
    static Look of(double red, double blue, double sum, double floor) {
        return {std::log(std::max(floor, sum)),
                std::clamp(std::log(std::max(floor, red) / std::max(floor, blue)), -2.5, 2.5)};
    }
};

/// Flat ground, burnt out or crushed to one code: a camera can be made up that sees any chart there.
bool all_alike(const std::vector<Seen>& seen) {
    Vec3 mean = Vec3::Zero();
    for (const Seen& s : seen) mean += s.rgb / static_cast<double>(seen.size());
    const auto others = std::count_if(seen.begin(), seen.end(), [&](const Seen& s) {
        return (s.rgb - mean).norm() > alike * (s.rgb.norm() + mean.norm());
    });
    return 3 * others < std::ssize(seen);
}

// Camera RGB = A XYZ under a light that may slope, one row of A at a time, on relative residuals; reweighted, so that
// covered patches do not decide; a patch's lightness counts less than its colour, for shadows. Clipped channels count
// only if they should not be. Residuals, one a patch, into `residual`.
ColourFit explain(const std::vector<Seen>& seen, std::size_t patches, std::vector<double>& residual, int rounds = 5) {
    ColourFit fit;
    const std::size_t n = seen.size();
    residual.assign(n, 1);
    if (n < 6) return fit;
    double level = 0;
    for (const Seen& s : seen) level = std::max(level, std::min(1.0, s.rgb.sum() / 3));
    if (!(level > 1e-5)) return fit;
    // About how bright each patch is or should be: a dark thing over a light patch must not weigh like a black patch.
    std::vector<double> ratio, bright(n);
    for (const Seen& s : seen) ratio.push_back(s.rgb.sum() / 3 / std::max(0.01, s.xyz[1]));
    const double usual_ratio = median(ratio);
    for (std::size_t i = 0; i < n; ++i)
        bright[i] = std::max(seen[i].rgb.sum() / 3, usual_ratio * seen[i].xyz[1]) + 0.03 * level;
    std::vector<double> weight(n, 1), light(n, 0), lightness(n, 0);
    colour::Mat3 a;
    for (int round = 0; round < rounds; ++round) {
        for (int c = 0; c < 3; ++c) {
            colour::Mat3 xx = 1e-9 * colour::Mat3::Identity();
            Vec3 sx = Vec3::Zero();
            for (std::size_t i = 0; i < n; ++i) {
                if (seen[i].rgb[c] > clipped_code) continue;
                const double w = weight[i] / (bright[i] * bright[i]);
                const Vec3 x = std::exp(light[i]) * seen[i].xyz;
                xx += w * x * x.transpose();
                sx += w * seen[i].rgb[c] * x;
            }
            a.row(c) = xx.ldlt().solve(sx).transpose();
        }
        // Lightness off by a slope of the light and by a contrast that is not the scene's (finished pictures).
        Eigen::Matrix4d slope = 1e-3 * Eigen::Matrix4d::Identity();
        slope(3, 3) = 3;
        Eigen::Vector4d right = Eigen::Vector4d::Zero();
        for (std::size_t i = 0; i < n; ++i) {
            const Vec3 expected = a * seen[i].xyz, &rgb = seen[i].rgb;
            double s = std::exp(light[i]);
            Vec3 off;
            lightness[i] = 0;
            if (rgb.maxCoeff() <= clipped_code) {
                s = std::clamp(rgb.dot(expected) / std::max(1e-12, expected.squaredNorm()), 0.2, 5.0);
                off = rgb - s * expected;
                lightness[i] = std::log(s);
                const Eigen::Vector4d place(1, seen[i].u, seen[i].v, std::log(std::max(0.02, seen[i].xyz[1]) / 0.3));
                slope += weight[i] * place * place.transpose();
                right += weight[i] * lightness[i] * place;
            } else {
                for (int c = 0; c < 3; ++c)
                    off[c] = rgb[c] > clipped_code ? std::max(0.0, clipped_code - s * expected[c])
                                                   : rgb[c] - s * expected[c];
            }
            residual[i] = off.norm() / (std::min(rgb.norm(), 1.7) + 0.05 * level);
        }
        const Eigen::Vector4d plane = slope.ldlt().solve(right);
        for (std::size_t i = 0; i < n; ++i) {
            light[i] = std::clamp(
                plane.dot(Eigen::Vector4d(1, seen[i].u, seen[i].v, std::log(std::max(0.02, seen[i].xyz[1]) / 0.3))),
                -2.0, 2.0);
            if (seen[i].rgb.maxCoeff() <= clipped_code)
                residual[i] = std::hypot(residual[i], 0.5 * (lightness[i] - light[i]));
            weight[i] = 1 / (1 + std::pow(residual[i] / 0.12, 2));
        }
    }
    const double parted = apart(a);
    fit.plausible = parted > least_apart && !all_alike(seen);
    fit.far_fetched = parted < usually_apart;
    for (const double r : residual) {
        fit.within += r < explained;
        fit.evidence += std::log1p(60 * std::exp(-0.5 * std::pow(r / 0.07, 2)));
    }
    // Twelve numbers were fitted to three a patch: what any four patches would agree on says nothing.
    fit.evidence = std::max(0.0, fit.evidence - 4 * std::log(60));
    fit.within /= static_cast<double>(patches);
    std::vector<double> sorted = residual;
    std::sort(sorted.begin(), sorted.end());
    const auto counted = static_cast<std::size_t>(std::ceil(0.75 * static_cast<double>(n)));
    double sum = 0;
    for (std::size_t i = 0; i < counted; ++i) sum += std::min(sorted[i], 1.0);
    fit.misfit = sum / static_cast<double>(counted);
    return fit;
}

} // namespace

namespace {

/// All patches that make regions, and how far they are from each other.
Grid pattern_of(const chart::Definition& d, std::vector<Vec3> xyz) {
    Grid g;
    g.definition = &d;
    g.xyz = std::move(xyz);
    g.pattern = true;
    std::vector<double> distances;
    for (std::size_t i = 0; i < d.patches.size(); ++i) {
        const chart::Patch& p = d.patches[i];
        if (std::max(p.w_mm, p.h_mm) > max_aspect_of_region * std::min(p.w_mm, p.h_mm)) continue;
        g.patch.push_back(i);
        double least = INFINITY;
        for (const chart::Patch& o : d.patches)
            if (&o != &p)
                least = std::min(least, std::hypot(o.x_mm + o.w_mm / 2 - p.x_mm - p.w_mm / 2,
                                                   o.y_mm + o.h_mm / 2 - p.y_mm - p.h_mm / 2));
        distances.push_back(least);
    }
    if (!distances.empty()) g.pitch_x_mm = g.pitch_y_mm = median(distances);
    return g;
}

} // namespace

std::vector<Grid> grids_of(const chart::Definition& d) {
    if (d.patches.size() < 8) return {};
    std::vector<Vec3> xyz;
    try {
        const chart::Reference reference = chart::reference_of(d);
        for (const chart::Patch& p : d.patches) xyz.push_back(reference.xyz.at(p.id));
    } catch (const Error&) { return {}; }
    // The commonest size of patch makes the lattice; bars and titles follow.
    const auto same_size = [](const chart::Patch& a, const chart::Patch& b) {
        return std::abs(a.w_mm - b.w_mm) < 0.05 * a.w_mm && std::abs(a.h_mm - b.h_mm) < 0.05 * a.h_mm;
    };
    std::vector<std::size_t> common;
    for (const chart::Patch& kind : d.patches) {
        std::vector<std::size_t> alike;
        for (std::size_t i = 0; i < d.patches.size(); ++i)
            if (same_size(kind, d.patches[i])) alike.push_back(i);
        if (alike.size() > common.size()) common = alike;
    }
    const auto middle = [&](std::size_t i) {
        return Point(d.patches[i].x_mm + d.patches[i].w_mm / 2, d.patches[i].y_mm + d.patches[i].h_mm / 2);
    };
    std::vector<double> xs, ys;
    for (const std::size_t i : common) {
        xs.push_back(middle(i).x());
        ys.push_back(middle(i).y());
    }
    const double tolerance_x = 0.3 * d.patches[common[0]].w_mm, tolerance_y = 0.3 * d.patches[common[0]].h_mm;
    std::vector<Grid> grids;
    for (const auto& columns : even_runs(levels(xs, tolerance_x)))
        for (const auto& rows : even_runs(levels(ys, tolerance_y))) {
            Grid g;
            g.definition = &d;
            g.xyz = xyz;
            g.columns = static_cast<int>(columns.size());
            g.rows = static_cast<int>(rows.size());
            g.first_x_mm = columns[0];
            g.first_y_mm = rows[0];
            g.pitch_x_mm = (columns.back() - columns[0]) / (g.columns - 1);
            g.pitch_y_mm = (rows.back() - rows[0]) / (g.rows - 1);
            for (const std::size_t i : common) {
                const Point p = middle(i);
                const auto u = std::lround((p.x() - g.first_x_mm) / g.pitch_x_mm),
                           v = std::lround((p.y() - g.first_y_mm) / g.pitch_y_mm);
                if (u < 0 || v < 0 || u >= g.columns || v >= g.rows ||
                    std::abs(p.x() - g.first_x_mm - u * g.pitch_x_mm) > tolerance_x ||
                    std::abs(p.y() - g.first_y_mm - v * g.pitch_y_mm) > tolerance_y)
                    continue;
                g.patch.push_back(i);
                g.place.emplace_back(u, v);
            }
            if (g.patch.size() >= 8) grids.push_back(std::move(g));
        }
    std::stable_sort(grids.begin(), grids.end(),
                     [](const Grid& a, const Grid& b) { return a.patch.size() > b.patch.size(); });
    if (grids.size() > 4) grids.resize(4);
    const auto most = grids.empty() ? 0 : grids.front().patch.size();
    if (static_cast<double>(most) < block_share * static_cast<double>(d.patches.size()))
        if (Grid whole = pattern_of(d, std::move(xyz)); whole.patch.size() >= 8) grids.push_back(std::move(whole));
    return grids;
}

namespace {

struct Shown {
    std::vector<Seen> seen;
    std::vector<std::size_t> patch; ///< of each of them
    std::vector<bool> even;
};

/// The patches that lie within the picture, as it shows them.
Shown shown_at(const Grid& grid, const Corners& corners, const Picture& picture) {
    const chart::Definition& d = *grid.definition;
    const Homography map = chart::pixels_from_mm(d, corners);
    Shown laid;
    for (std::size_t i = 0; i < d.patches.size(); ++i) {
        const chart::Patch& p = d.patches[i];
        const Sample s = sample(picture, map, p);
        if (!s.mean.allFinite()) continue;
        laid.even.push_back(s.spread < even_spread(s.mean, picture) || s.mean.maxCoeff() < 0.01);
        laid.patch.push_back(i);
        laid.seen.push_back({s.mean, grid.xyz[i], 2 * (p.x_mm + p.w_mm / 2) / d.width_mm - 1,
                             2 * (p.y_mm + p.h_mm / 2) / d.height_mm - 1});
    }
    return laid;
}

} // namespace

ColourFit colour_fit(const Grid& grid, const Corners& corners, const Picture& picture) {
    const Shown laid = shown_at(grid, corners, picture);
    const std::size_t all = grid.definition->patches.size();
    std::vector<double> residual;
    ColourFit fit = explain(laid.seen, all, residual);
    fit.even_share =
        static_cast<double>(std::count(laid.even.begin(), laid.even.end(), true)) / static_cast<double>(all);
    return fit;
}

std::vector<bool> hidden_patches(const Grid& grid, const Corners& corners, const Picture& picture) {
    const Shown laid = shown_at(grid, corners, picture);
    std::vector<double> residual;
    explain(laid.seen, grid.definition->patches.size(), residual);
    std::vector<bool> hidden(grid.definition->patches.size(), true);
    for (std::size_t i = 0; i < laid.patch.size(); ++i)
        hidden[laid.patch[i]] = residual[i] > explained || !laid.even[i];
    return hidden;
}

double best_other(Match& match, const Picture& picture) {
    const Grid& grid = *match.grid;
    const chart::Definition& d = *grid.definition;
    double other = 0;
    for (int round = 0; round < 6; ++round) {
        std::vector<Corners> all; // and, after the first so many, those that share most patches with this one
        const Homography map = chart::pixels_from_mm(d, match.corners);
        for (int v = -1; v <= 1; ++v)
            for (int u = -1; u <= 1; ++u) {
                if (!u && !v) continue;
                const double x = u * grid.pitch_x_mm, y = v * grid.pitch_y_mm;
                all.push_back({map({x, y}), map({x + d.width_mm, y}), map({x + d.width_mm, y + d.height_mm}),
                               map({x, y + d.height_mm})});
            }
        const Corners& q = match.corners;
        for (std::size_t turn = 0; turn < 4; ++turn)
            for (const bool mirrored : {false, true})
                if (turn || mirrored) {
                    Corners turned;
                    for (std::size_t i = 0; i < 4; ++i) turned[i] = q[(mirrored ? 3 + turn - i : i + turn) % 4];
                    all.push_back(turned);
                }
        const std::size_t others = all.size();
        // One side a pitch further out or in.
        for (const double step : {-1.0, 1.0}) {
            const double x = step * grid.pitch_x_mm, y = step * grid.pitch_y_mm, w = d.width_mm, h = d.height_mm;
            all.push_back({map({x, 0}), map({w, 0}), map({w, h}), map({x, h})});
            all.push_back({map({0, 0}), map({w + x, 0}), map({w + x, h}), map({0, h})});
            all.push_back({map({0, y}), map({w, y}), map({w, h}), map({0, h})});
            all.push_back({map({0, 0}), map({w, 0}), map({w, h + y}), map({0, h + y})});
        }
        other = 0;
        std::optional<Corners> best;
        ColourFit best_fit;
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (!chart::is_convex(all[i])) continue;
            const ColourFit fit = colour_fit(grid, all[i], picture);
            if (i < others) other = std::max(other, fit.evidence);
            if (fit.plausible && fit.evidence > std::max(match.fit.evidence, best_fit.evidence)) {
                best = all[i];
                best_fit = fit;
            }
        }
        if (!best) break;
        match.corners = *best;
        match.fit = best_fit;
    }
    return other;
}

Ground::Ground(const Picture& p, const std::vector<Region>& r, const Near& n) : picture(p), regions(r), near(n) {
    for (const Region& region : regions) {
        const double step = 0.2 * std::sqrt(region.area);
        Vec3 sum = Vec3::Zero();
        int inside = 0;
        for (int v = -1; v <= 1; ++v)
            for (int u = -1; u <= 1; ++u)
                if (const Vec3 c = pixel(picture, region.centre + step * Point(u, v)); c.allFinite()) {
                    sum += c;
                    ++inside;
                }
        colour.push_back(sum / std::max(1, inside));
    }
}

std::vector<Match> identify(const Grid& grid, const Lattice& lattice, const Ground& ground, std::size_t most) {
    const chart::Definition& d = *grid.definition;
    // A lattice with a small part of the grid cannot be told.
    const auto least_inside =
        std::max<std::size_t>(6, static_cast<std::size_t>(0.3 * static_cast<double>(grid.patch.size())));
    std::vector<Match> best;
    if (lattice.cells.size() < least_inside) return best;
    // Most of the lattice, or most of the chart: its surroundings may go on in the same steps.
    const auto least_seen = static_cast<std::size_t>(
        std::min(0.62 * static_cast<double>(lattice.cells.size()), 0.8 * static_cast<double>(grid.patch.size())));
    // Cells by place, and how bright things are and should be.
    const int width = lattice.u1 - lattice.u0 + 1, height = lattice.v1 - lattice.v0 + 1;
    std::vector<int> region_at(static_cast<std::size_t>(width * height), -1);
    std::vector<Look> looks(region_at.size()), known(grid.patch.size());
    for (const auto& [place, region] : lattice.cells) {
        const auto at = static_cast<std::size_t>((place.second - lattice.v0) * width + place.first - lattice.u0);
        region_at[at] = static_cast<int>(region);
        const Vec3& rgb = ground.colour[region];
        looks[at] = Look::of(rgb[0], rgb[2], rgb.sum(), 1e-3);
    }
    for (std::size_t i = 0; i < known.size(); ++i) {
        const Vec3& xyz = grid.xyz[grid.patch[i]];
        known[i] = Look::of(xyz[0], xyz[2], xyz[1], 0.01);
    }
    // How many cells lie above and to the left of a place, for counting those of a window.
    std::vector<std::size_t> sums(static_cast<std::size_t>((width + 1) * (height + 1)));
    const auto sum_at = [&](int u, int v) -> std::size_t& {
        return sums[static_cast<std::size_t>(std::clamp(v, 0, height) * (width + 1) + std::clamp(u, 0, width))];
    };
    for (int v = 0; v < height; ++v)
        for (int u = 0; u < width; ++u)
            sum_at(u + 1, v + 1) = sum_at(u + 1, v) + sum_at(u, v + 1) - sum_at(u, v) +
                                   (region_at[static_cast<std::size_t>(v * width + u)] >= 0);
    const std::size_t enough = std::max(least_inside, least_seen);
    std::vector<std::pair<std::size_t, std::size_t>> pairs; // index in grid.patch, place in region_at
    std::vector<Seen> seen, few;
    std::vector<double> residual;
    for (int symmetry = 0; symmetry < 8; ++symmetry) {
        const bool swap = symmetry & 1;
        const int su = symmetry & 2 ? -1 : 1, sv = symmetry & 4 ? -1 : 1;
        const int nu = swap ? grid.rows : grid.columns, nv = swap ? grid.columns : grid.rows;
        for (int ou = lattice.u0 - nu + 1; ou <= lattice.u1; ++ou)
            for (int ov = lattice.v0 - nv + 1; ov <= lattice.v1; ++ov) {
                const int u0 = ou - lattice.u0, v0 = ov - lattice.v0;
                if (sum_at(u0 + nu, v0 + nv) + sum_at(u0, v0) - sum_at(u0 + nu, v0) - sum_at(u0, v0 + nv) < enough)
                    continue;
                pairs.clear();
                Agreement brightness, redness;
                for (std::size_t i = 0; i < grid.patch.size(); ++i) {
                    int a = swap ? grid.place[i].second : grid.place[i].first,
                        b = swap ? grid.place[i].first : grid.place[i].second;
                    if (su < 0) a = nu - 1 - a;
                    if (sv < 0) b = nv - 1 - b;
                    const int u = u0 + a, v = v0 + b;
                    if (u < 0 || v < 0 || u >= width || v >= height) continue;
                    const auto at = static_cast<std::size_t>(v * width + u);
                    if (region_at[at] < 0) continue;
                    pairs.emplace_back(i, at);
                    brightness.add(looks[at].brightness, known[i].brightness);
                    redness.add(looks[at].redness, known[i].redness);
                }
                if (pairs.size() < enough || !brightness.holds(0.45) || !redness.holds(0.3)) continue;
                seen.clear();
                for (const auto& [i, at] : pairs)
                    seen.push_back({ground.colour[static_cast<std::size_t>(region_at[at])], grid.xyz[grid.patch[i]],
                                    2.0 * grid.place[i].first / grid.columns - 1,
                                    2.0 * grid.place[i].second / grid.rows - 1});
                // A first look at a few tells most of the rest that cannot be.
                few.clear();
                const std::size_t stride = 1 + seen.size() / 30;
                for (std::size_t i = 0; i < seen.size(); i += stride) few.push_back(seen[i]);
                if (explain(few, grid.patch.size(), residual, 2).evidence < 1) continue;
                const ColourFit fit = explain(seen, grid.patch.size(), residual);
                if (fit.evidence < 5 || (best.size() == most && fit.evidence < best.back().fit.evidence)) continue;
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
                const Corners corners{map(place_of(left, top)), map(place_of(right, top)), map(place_of(right, bottom)),
                                      map(place_of(left, bottom))};
                if (!chart::is_convex(corners)) continue;
                best.push_back({&grid, corners, fit});
                std::sort(best.begin(), best.end(),
                          [](const Match& a, const Match& b) { return a.fit.evidence > b.fit.evidence; });
                if (best.size() > most) best.pop_back();
            }
    }
    return best;
}

bool settle(Match& match, const Ground& ground) {
    const chart::Definition& d = *match.grid->definition;
    std::size_t held = 0;
    for (int round = 0; round < 4; ++round) {
        const Homography map = chart::pixels_from_mm(d, match.corners);
        std::vector<Seen> seen;
        std::vector<Point> mm, px;
        double pitch = 0;
        std::vector<std::size_t> patches = match.grid->patch;
        if (round > 0) { // the rest of the chart, once the block lies
            patches.resize(d.patches.size());
            std::iota(patches.begin(), patches.end(), std::size_t{0});
        }
        for (const std::size_t i : patches) {
            const chart::Patch& p = d.patches[i];
            const Point middle(p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2), at = map(middle);
            const double across = std::min((map(middle + Point(match.grid->pitch_x_mm / 2, 0)) -
                                            map(middle - Point(match.grid->pitch_x_mm / 2, 0)))
                                               .norm(),
                                           (map(middle + Point(0, match.grid->pitch_y_mm / 2)) -
                                            map(middle - Point(0, match.grid->pitch_y_mm / 2)))
                                               .norm());
            pitch += across / static_cast<double>(patches.size());
            const auto region = ground.near.nearest(at, 0.3 * across, [&](std::size_t k) {
                return ground.regions[k].area <
                           2 * across * across * std::max(1.0, std::max(p.w_mm / p.h_mm, p.h_mm / p.w_mm)) &&
                       ground.regions[k].area > 0.02 * across * across;
            });
            if (!region) continue;
            seen.push_back({ground.colour[*region], match.grid->xyz[i], 2 * middle.x() / d.width_mm - 1,
                            2 * middle.y() / d.height_mm - 1});
            mm.push_back(middle);
            px.push_back(ground.regions[*region].centre);
        }
        std::vector<double> residual;
        explain(seen, match.grid->patch.size(), residual);
        for (std::size_t i = mm.size(); i-- > 0;)
            if (residual[i] > explained) {
                mm.erase(mm.begin() + static_cast<std::ptrdiff_t>(i));
                px.erase(px.begin() + static_cast<std::ptrdiff_t>(i));
            }
        if (mm.size() < 6) return false;
        // Wrong regions lose their weight as the map settles on the right ones.
        std::vector<double> weight(mm.size());
        std::optional<Homography> fitted_map = map;
        for (int again = 0; again < 3; ++again) {
            for (std::size_t i = 0; i < mm.size(); ++i)
                weight[i] =
                    1 / (1 + std::pow(((*fitted_map)(mm[i]) - px[i]).norm() / ((again ? 0.07 : 0.15) * pitch), 2));
            fitted_map = projective_fit(mm, px, weight);
            if (!fitted_map) return false;
        }
        const Homography& fitted = *fitted_map;
        match.corners = {fitted({0, 0}), fitted({d.width_mm, 0}), fitted({d.width_mm, d.height_mm}),
                         fitted({0, d.height_mm})};
        if (!chart::is_convex(match.corners)) return false;
        if (round > 0 && mm.size() == held) break;
        held = mm.size();
    }
    return static_cast<double>(held) >= 0.3 * static_cast<double>(match.grid->patch.size());
}

} // namespace refero::find
