// Corners by direct alignment: the chart is drawn with the colours that its patches show, blurred as the picture is,
// and moved until the difference is least. Lucas and Kanade, "An Iterative Image Registration Technique", IJCAI 1981;
// the plane's eight-parameter motion and robust weights as in Baker and Matthews, IJCV 56(3), 2004.
#include <Eigen/Cholesky>

#include "base/statistics.hpp"
#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"

namespace refero::find {

namespace {

using Rgb = Eigen::Vector3f;

std::optional<Rgb> bilinear(const cv::Mat& m, const Point& q) {
    const double px = q.x() - 0.5, py = q.y() - 0.5;
    const int x = static_cast<int>(std::floor(px)), y = static_cast<int>(std::floor(py));
    if (!(x >= 0 && y >= 0 && x + 1 < m.cols && y + 1 < m.rows)) return std::nullopt;
    const auto u = static_cast<float>(px - x), v = static_cast<float>(py - y);
    const auto at = [&](int dx, int dy) { return Eigen::Map<const Rgb>(m.ptr<float>(y + dy) + 3 * (x + dx)); };
    return Rgb((1 - v) * ((1 - u) * at(0, 0) + u * at(1, 0)) + v * ((1 - u) * at(0, 1) + u * at(1, 1)));
}

double normal_integral(double x) { return 0.5 * static_cast<double>(std::erfc(static_cast<float>(-x * M_SQRT1_2))); }

/// A place on the chart that is compared, and the patches that may show there.
struct Spot {
    Point mm;
    std::vector<std::size_t> patches;
    std::vector<float> share; ///< of each of them, as seen through the blur
    float gap = 0;            ///< share of what lies between patches
};

class Drawing {
public:
    Drawing(const chart::Definition& d, const std::vector<bool>& hidden)
        : d_(d),
          colour_(d.patches.size(), Rgb::Zero()) {
        // Places on a grid over each patch and half of the gaps around it, but not near the array's outer edge, where
        // something unknown shines in.
        const int n = d.patches.size() > 60 ? 5 : 7;
        for (std::size_t i = 0; i < d.patches.size(); ++i) {
            const chart::Patch& p = d.patches[i];
            side_mm_ = std::min({side_mm_, p.w_mm, p.h_mm});
            if (!hidden.empty() && hidden[i]) continue;
            std::vector<std::size_t> near{i};
            double gap_x = 0.5 * p.w_mm, gap_y = 0.5 * p.h_mm;
            for (std::size_t k = 0; k < d.patches.size(); ++k) {
                const chart::Patch& q = d.patches[k];
                const double dx = std::max(q.x_mm - p.x_mm - p.w_mm, p.x_mm - q.x_mm - q.w_mm),
                             dy = std::max(q.y_mm - p.y_mm - p.h_mm, p.y_mm - q.y_mm - q.h_mm);
                if (k == i || dx > 0.6 * p.w_mm || dy > 0.6 * p.h_mm) continue;
                near.push_back(k);
                if (dy < 0) gap_x = std::min(gap_x, dx);
                if (dx < 0) gap_y = std::min(gap_y, dy);
            }
            const std::vector<double> across = places(n, gap_x, p.w_mm), down = places(n, gap_y, p.h_mm);
            for (const double v : down)
                for (const double u : across) {
                    Spot s;
                    s.mm = {p.x_mm + u, p.y_mm + v};
                    s.patches = near;
                    const double rim_x = 0.3 * p.w_mm, rim_y = 0.3 * p.h_mm;
                    if (s.mm.x() < rim_x || s.mm.y() < rim_y || s.mm.x() > d.width_mm - rim_x ||
                        s.mm.y() > d.height_mm - rim_y)
                        continue;
                    spots_.push_back(std::move(s));
                }
        }
    }

    const std::vector<Spot>& spots() const { return spots_; }
    float brightest() const {
        float most = 0;
        for (const Rgb& c : colour_) most = std::max(most, c.norm());
        return most;
    }

    /// Draws with another blur from now on, standard deviation.
    void set_blur(double sigma_mm) {
        for (Spot& s : spots_) {
            s.share.clear();
            s.gap = 1;
            for (const std::size_t k : s.patches) {
                const chart::Patch& p = d_.patches[k];
                const auto part = [&](double at, double from, double length) {
                    const double a = (at - from) / sigma_mm, b = a - length / sigma_mm;
                    return a < -4 || b > 4 ? 0.0 : a > 4 && b < -4 ? 1.0 : normal_integral(a) - normal_integral(b);
                };
                const double across = part(s.mm.x(), p.x_mm, p.w_mm);
                const auto w = across > 0 ? static_cast<float>(across * part(s.mm.y(), p.y_mm, p.h_mm)) : 0.0f;
                s.share.push_back(w);
                s.gap -= w;
            }
        }
    }

    /// Takes the patches' and the gaps' colours from the picture.
    void look(const cv::Mat& linear, const Homography& map) {
        for (std::size_t i = 0; i < d_.patches.size(); ++i) {
            const chart::Patch& p = d_.patches[i];
            if (const auto c = bilinear(linear, map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}))) colour_[i] = *c;
        }
        Rgb sum = Rgb::Zero();
        float weight = 0;
        for (const Spot& s : spots_) {
            if (s.gap < 0.25f) continue;
            if (const auto c = bilinear(linear, map(s.mm))) {
                sum += s.gap * (*c - patches_at(s));
                weight += s.gap * s.gap;
            }
        }
        gap_ = weight > 0 ? Rgb((sum / weight).cwiseMax(0)) : Rgb::Zero();
    }

    /// Draws with the blur that explains the picture best, shares of the smallest patch's side; false where too few
    /// places lie within it.
    bool set_best_blur(const cv::Mat& linear, const Homography& map, std::initializer_list<double> shares) {
        double best = 0, least = INFINITY;
        for (const double share : shares) {
            set_blur(share * side_mm_);
            look(linear, map);
            std::vector<double> off;
            for (const Spot& s : spots_)
                if (const auto seen = bilinear(linear, map(s.mm)))
                    off.push_back(static_cast<double>((*seen - at(s)).norm() / (seen->norm() + 1e-4f)));
            if (off.size() < 16) return false;
            const double m = median(std::move(off));
            if (m < least) {
                least = m;
                best = share;
            }
        }
        set_blur(best * side_mm_);
        return true;
    }

    Rgb at(const Spot& s) const { return patches_at(s) + std::max(0.0f, s.gap) * gap_; }

private:
    /// `n` places over a patch's side and half of the gap at either end, and its edges where none of them lies: between
    /// two places an edge is not felt. mm from the patch's corner.
    static std::vector<double> places(int n, double gap, double side) {
        std::vector<double> all;
        for (int i = 0; i < n; ++i) all.push_back(-gap / 2 + (side + gap) * (i + 0.5) / n);
        for (const double edge : {0.0, side})
            if (std::none_of(all.begin(), all.end(),
                             [&](double at) { return std::abs(at - edge) < 0.02 * (side + gap); }))
                all.push_back(edge);
        return all;
    }
    Rgb patches_at(const Spot& s) const {
        Rgb c = Rgb::Zero();
        for (std::size_t i = 0; i < s.patches.size(); ++i)
            if (s.share[i] > 0) c += s.share[i] * colour_[s.patches[i]];
        return c;
    }

    const chart::Definition& d_;
    std::vector<Spot> spots_;
    std::vector<Rgb> colour_;
    Rgb gap_ = Rgb::Zero();
    double side_mm_ = 1e9;
};

} // namespace

Corners align(const chart::Definition& d, const Corners& rough, const Picture& picture,
              const std::vector<bool>& hidden) {
    Drawing drawing(d, hidden);
    const auto& spots = drawing.spots();
    if (spots.size() < 16) return rough;
    Corners corners = rough;
    for (int round = 0; round < 14; ++round) {
        const Homography map = chart::pixels_from_mm(d, corners);
        // Dark patches are noisy for their brightness.
        const float floor = 0.15f * drawing.brightest() + 1e-4f;
        // Once more when the corners lie better.
        if (round == 0 && !drawing.set_best_blur(picture.linear, map, {0.05, 0.15})) return rough;
        if (round == 3 && !drawing.set_best_blur(picture.linear, map, {0.03, 0.08, 0.14, 0.22})) return rough;
        drawing.look(picture.linear, map);
        std::array<Homography, 8> moved;
        constexpr double h = 1e-3;
        for (int k = 0; k < 8; ++k) {
            Corners c = corners;
            c[static_cast<std::size_t>(k / 2)][k % 2] += h;
            moved[static_cast<std::size_t>(k)] = chart::pixels_from_mm(d, c);
        }
        struct Line {
            Eigen::Matrix<double, 3, 8> j;
            Eigen::Vector3d r;
        };
        std::vector<Line> lines;
        std::vector<double> sizes;
        for (const Spot& s : spots) {
            const Point at = map(s.mm);
            const auto seen = bilinear(picture.linear, at);
            const auto left = bilinear(picture.linear, at - Point(0.6, 0)),
                       right = bilinear(picture.linear, at + Point(0.6, 0));
            const auto above = bilinear(picture.linear, at - Point(0, 0.6)),
                       below = bilinear(picture.linear, at + Point(0, 0.6));
            if (!seen || !left || !right || !above || !below) continue;
            const Rgb drawn = drawing.at(s);
            const float scale = 1 / (0.5f * (seen->norm() + drawn.norm()) + floor);
            Eigen::Matrix<double, 3, 2> gradient;
            gradient << (scale / 1.2f * (*right - *left)).cast<double>(),
                (scale / 1.2f * (*below - *above)).cast<double>();
            Line line;
            for (int k = 0; k < 8; ++k) line.j.col(k) = gradient * (moved[static_cast<std::size_t>(k)](s.mm) - at) / h;
            line.r = (scale * (drawn - *seen)).cast<double>();
            sizes.push_back(line.r.norm());
            lines.push_back(line);
        }
        if (lines.size() < 24) return rough;
        const double spread = std::max(0.01, 1.5 * median(sizes));
        Eigen::Matrix<double, 8, 8> a = 1e-9 * Eigen::Matrix<double, 8, 8>::Identity();
        Eigen::Matrix<double, 8, 1> b = Eigen::Matrix<double, 8, 1>::Zero();
        for (const Line& line : lines) {
            const double w = 1 / (1 + line.r.squaredNorm() / (4 * spread * spread));
            a += w * line.j.transpose() * line.j;
            b += w * line.j.transpose() * line.r;
        }
        const Eigen::Matrix<double, 8, 1> step = a.ldlt().solve(b);
        if (!step.allFinite()) return rough;
        for (int k = 0; k < 8; ++k) corners[static_cast<std::size_t>(k / 2)][k % 2] += step[k];
        if (!chart::is_convex(corners)) return rough;
        if (step.cwiseAbs().maxCoeff() < 0.005 && round > 3) break;
    }
    // What wandered off did not hold on to the chart.
    const double pitch = std::sqrt(std::abs(chart::signed_area(rough)) / static_cast<double>(d.patches.size()));
    for (std::size_t i = 0; i < 4; ++i)
        if ((corners[i] - rough[i]).norm() > 1.2 * pitch) return rough;
    return corners;
}

double misfit_of(const chart::Definition& d, const Corners& corners, const Picture& picture,
                 const std::vector<bool>& hidden) {
    Drawing drawing(d, hidden);
    const Homography map = chart::pixels_from_mm(d, corners);
    if (!drawing.set_best_blur(picture.linear, map, {0.03, 0.08, 0.14, 0.22})) return 1;
    drawing.look(picture.linear, map);
    const float floor = 0.15f * drawing.brightest() + 1e-4f;
    double sum = 0, count = 0;
    for (const Spot& s : drawing.spots()) {
        const auto seen = bilinear(picture.linear, map(s.mm));
        if (!seen) continue;
        const Rgb drawn = drawing.at(s);
        const auto off = static_cast<double>((drawn - *seen).norm() / (0.5f * (seen->norm() + drawn.norm()) + floor));
        sum += off > clearly_off;
        ++count;
    }
    return count > 0 ? sum / count : 1;
}

} // namespace refero::find
