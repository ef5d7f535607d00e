// A straight line by least squares.
#pragma once

#include <optional>
#include <utility>
#include <vector>

namespace refero {

struct Line {
    double slope = 0, offset = 0;
    double spread = 0; ///< n times the sum of squares of x about its mean: how well the slope is held
};

/// y = offset + slope x through points (x, y); nothing where all x are one.
inline std::optional<Line> line_through(const std::vector<std::pair<double, double>>& points) {
    double x = 0, y = 0, xx = 0, xy = 0;
    for (const auto& [px, py] : points) {
        x += px;
        y += py;
        xx += px * px;
        xy += px * py;
    }
    const auto n = static_cast<double>(points.size());
    const double d = n * xx - x * x;
    if (!(d > 1e-12)) return std::nullopt;
    const double slope = (n * xy - x * y) / d;
    return Line{slope, (y - slope * x) / n, d};
}

} // namespace refero
