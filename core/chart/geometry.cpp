#include "chart/geometry.hpp"
#include <complex>

#include <cmath>
#include <numbers>

#include <Eigen/Geometry>
#include <Eigen/LU>

namespace refero::chart {

Point Homography::operator()(const Point& p) const {
    const Eigen::Vector3d q = matrix * Eigen::Vector3d(p.x(), p.y(), 1);
    return {q.x() / q.z(), q.y() / q.z()};
}

Homography Homography::inverse() const { return {matrix.inverse()}; }

Homography homography(const Corners& from, const Corners& to) {
    // Direct linear transform with h33 = 1: exact for four points.
    Eigen::Matrix<double, 8, 8> a = Eigen::Matrix<double, 8, 8>::Zero();
    Eigen::Matrix<double, 8, 1> b;
    for (int i = 0; i < 4; ++i) {
        const double x = from[i].x(), y = from[i].y(), u = to[i].x(), v = to[i].y();
        a.row(2 * i) << x, y, 1, 0, 0, 0, -u * x, -u * y;
        a.row(2 * i + 1) << 0, 0, 0, x, y, 1, -v * x, -v * y;
        b[2 * i] = u;
        b[2 * i + 1] = v;
    }
    const Eigen::FullPivLU<Eigen::Matrix<double, 8, 8>> lu(a);
    if (!lu.isInvertible()) throw Error(ErrorKind::usage, "the four corners do not span an area");
    const Eigen::Matrix<double, 8, 1> h = lu.solve(b);
    Homography map;
    map.matrix << h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], 1;
    return map;
}

Homography pixels_from_mm(const Definition& d, const Corners& corners) {
    return homography({Point(0, 0), Point(d.width_mm, 0), Point(d.width_mm, d.height_mm), Point(0, d.height_mm)},
                      corners);
}

Corners patch_quad(const Patch& p, const Homography& map, double share) {
    const double cx = p.x_mm + p.w_mm / 2, cy = p.y_mm + p.h_mm / 2;
    const double hw = p.w_mm / 2 * share, hh = p.h_mm / 2 * share;
    return {map({cx - hw, cy - hh}), map({cx + hw, cy - hh}), map({cx + hw, cy + hh}), map({cx - hw, cy + hh})};
}

Corners corners_from_first_and_last(const Definition& d, const Point& first, const Point& last) {
    const auto middle = [](const Patch& p) { return std::complex<double>(p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2); };
    const std::complex<double> from = middle(d.patches.front()), along = middle(d.patches.back()) - from;
    const std::complex<double> start(first.x(), first.y()), to = std::complex<double>(last.x(), last.y()) - start;
    if (std::abs(along) < 1e-9 || std::abs(to) < 1)
        throw Error(ErrorKind::usage, "the first and the last patch are at one place", {},
                    "Drag the four corners instead");
    // A similarity of the plane is a complex factor.
    const auto at = [&](double x, double y) {
        const std::complex<double> p = start + (std::complex<double>(x, y) - from) * (to / along);
        return Point(p.real(), p.imag());
    };
    return {at(0, 0), at(d.width_mm, 0), at(d.width_mm, d.height_mm), at(0, d.height_mm)};
}

double signed_area(const Corners& q) {
    double sum = 0;
    for (int i = 0; i < 4; ++i) {
        const Point &a = q[i], &b = q[(i + 1) % 4];
        sum += a.x() * b.y() - a.y() * b.x();
    }
    return sum / 2;
}

bool is_convex(const Corners& q) {
    double sign = 0;
    for (int i = 0; i < 4; ++i) {
        const Point e = q[(i + 1) % 4] - q[i], f = q[(i + 2) % 4] - q[(i + 1) % 4];
        const double cross = e.x() * f.y() - e.y() * f.x();
        if (std::abs(cross) < 1e-9 || sign * cross < 0) return false;
        sign = cross;
    }
    return true;
}

namespace {

/// The chart's normal, and directions from the camera to places in the frame, camera at the origin looking along z.
struct Sight {
    Eigen::Matrix3d k_inverse;
    Homography map;
    Eigen::Vector3d normal;

    Sight(const Definition& d, const Corners& corners, int full_width, int full_height, double focal_35mm_mm)
        : map(pixels_from_mm(d, corners)) {
        const double long_side = std::max(full_width, full_height);
        const double focal_px = focal_35mm_mm > 0 ? focal_35mm_mm / 36.0 * long_side
                                                  : long_side / 2 / std::tan(20 * std::numbers::pi / 180);
        // With the image's origin in the middle, K^-1 H has the chart's axes as its first two columns (Zhang 2000,
        // eq. 2).
        k_inverse << 1 / focal_px, 0, -full_width / 2.0 / focal_px, 0, 1 / focal_px, -full_height / 2.0 / focal_px, 0,
            0, 1;
        const Eigen::Matrix3d h = k_inverse * map.matrix;
        normal = h.col(0).cross(h.col(1)).normalized();
    }
    double from_normal_deg(const Eigen::Vector3d& direction) const {
        return std::acos(std::min(1.0, std::abs(normal.dot(direction.normalized())))) * 180 / std::numbers::pi;
    }
};

} // namespace

double tilt_deg(const Definition& d, const Corners& corners, int full_width, int full_height, double focal_35mm_mm) {
    const Sight sight(d, corners, full_width, full_height, focal_35mm_mm);
    const Point centre_px = sight.map(Point(d.width_mm / 2, d.height_mm / 2));
    return sight.from_normal_deg(sight.k_inverse * Eigen::Vector3d(centre_px.x(), centre_px.y(), 1));
}

double sensor_tilt_deg(const Definition& d, const Corners& corners, int full_width, int full_height,
                       double focal_35mm_mm) {
    return Sight(d, corners, full_width, full_height, focal_35mm_mm).from_normal_deg(Eigen::Vector3d::UnitZ());
}

} // namespace refero::chart
