// Blur of a chart shot from the patches' sides: a line from patch to patch crosses two steps of known places.
#include <cmath>

#include <Eigen/Cholesky>

#include "base/statistics.hpp"
#include "inspect/inspect.hpp"
#include "inspect/internal/figures.hpp"

namespace refero::inspect {

using chart::Point;

namespace {

std::optional<double> level_at(const frame::Frame& f, const Point& full) {
    const double x = full.x() / f.cell - 0.5, y = full.y() / f.cell - 0.5;
    const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
    if (ix < 0 || iy < 0 || ix + 1 >= f.width || iy + 1 >= f.height) return std::nullopt;
    const auto sum = [&](int px, int py) {
        const float* v = f.at(px, py);
        return static_cast<double>(v[0] + v[1] + v[2]);
    };
    const double u = x - ix, w = y - iy;
    return std::lerp(std::lerp(sum(ix, iy), sum(ix + 1, iy), u), std::lerp(sum(ix, iy + 1), sum(ix + 1, iy + 1), u), w);
}

/// Share of a blurred half plane that begins at `edge` seen at `t`.
double side(double t, double edge, double sigma) { return 0.5 * std::erfc((edge - t) / (sigma * std::sqrt(2.0))); }

/// Sum of squares that is left when the profile is patch, gap, patch, blurred by sigma.
double misfit(const std::vector<double>& t, const std::vector<double>& v, double first, double second, double sigma,
              bool gap) {
    const int n = gap ? 3 : 2;
    Eigen::MatrixXd a(static_cast<Eigen::Index>(t.size()), n);
    Eigen::VectorXd b(static_cast<Eigen::Index>(t.size()));
    for (Eigen::Index i = 0; i < b.size(); ++i) {
        const double s1 = side(t[static_cast<std::size_t>(i)], first, sigma),
                     s2 = side(t[static_cast<std::size_t>(i)], second, sigma);
        a(i, 0) = 1 - s1;
        a(i, n - 1) = s2;
        if (gap) a(i, 1) = s1 - s2;
        b[i] = v[static_cast<std::size_t>(i)];
    }
    const Eigen::VectorXd x =
        (a.transpose() * a + 1e-12 * Eigen::MatrixXd::Identity(n, n)).ldlt().solve(a.transpose() * b);
    return (a * x - b).squaredNorm();
}

} // namespace

double blur_px(const frame::Frame& f, const find::Placement& placement, const chart::Definition& d) {
    const chart::Homography map = chart::pixels_from_mm(d, placement.corners);
    std::vector<double> blurs;
    for (const chart::Patch& p : d.patches)
        for (const chart::Patch& o : d.patches) {
            const bool beside =
                std::abs(o.y_mm - p.y_mm) < 0.2 * p.h_mm && o.x_mm > p.x_mm && o.x_mm - p.x_mm < 1.6 * p.w_mm;
            const bool below =
                std::abs(o.x_mm - p.x_mm) < 0.2 * p.w_mm && o.y_mm > p.y_mm && o.y_mm - p.y_mm < 1.6 * p.h_mm;
            if (!beside && !below) continue;
            std::vector<double> t, v;
            double first = 0, second = 0, contrast = 0, noise = 0;
            // Mean over lines side by side: less noise, and the line lies where the homography says.
            const Point from(p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2), to(o.x_mm + o.w_mm / 2, o.y_mm + o.h_mm / 2);
            const Point across = beside ? Point(0, p.h_mm) : Point(p.w_mm, 0);
            const double length = (map(to) - map(from)).norm();
            const double begin = beside ? (p.w_mm / 2) / (to.x() - from.x()) : (p.h_mm / 2) / (to.y() - from.y());
            const double end =
                beside ? (o.x_mm - from.x()) / (to.x() - from.x()) : (o.y_mm - from.y()) / (to.y() - from.y());
            for (int i = 0; i <= edge_samples; ++i) {
                const double s = static_cast<double>(i) / edge_samples;
                double sum = 0;
                int n = 0;
                for (int k = 0; k < edge_lines; ++k)
                    if (const auto l =
                            level_at(f, map(from + s * (to - from) + (0.5 * k / (edge_lines - 1) - 0.25) * across))) {
                        sum += *l;
                        ++n;
                    }
                if (n == edge_lines) {
                    t.push_back(s * length);
                    v.push_back(sum / n);
                }
            }
            if (t.size() < edge_samples - 4 || length < 4) continue;
            first = begin * length;
            second = end * length;
            const auto [low, high] = std::minmax_element(v.begin(), v.end());
            contrast = *high - *low;
            for (std::size_t i = 1; i < 8; ++i) noise = std::max(noise, std::abs(v[i] - v[i - 1]));
            if (contrast < 0.02 || contrast < 6 * noise || contrast < 0.15 * *high) continue;
            const bool gap = second - first > 0.02 * length;
            double best = 1e300, sigma = NAN;
            for (double s = 0.25; s < 0.5 * length; s *= 1.18)
                if (const double m = misfit(t, v, first, second, s, gap); m < best) {
                    best = m;
                    sigma = s;
                }
            if (std::isfinite(sigma) && best < 0.02 * contrast * contrast * static_cast<double>(t.size()))
                blurs.push_back(sigma);
        }
    if (blurs.size() < 4) return NAN;
    return median(blurs);
}

} // namespace refero::inspect
