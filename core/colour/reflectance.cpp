// Reflectances that stand for tristimulus values.
#include <optional>

#include "colour/spectrum.hpp"

#include <Eigen/LU>

namespace refero::colour {

// One Newton search of LHTSS: rho = (tanh z + 1) / 2, minimal slope of z, XYZ as constraint.
static std::optional<Spectrum> lhtss(const Vec3& xyz) {
    constexpr int n = Spectrum::size;
    static const Eigen::Matrix<double, 3, n> weights = [] {
        const Spectrum d50 = illuminant_d(50);
        Eigen::Matrix<double, 3, n> t;
        for (int c = 0; c < 3; ++c) t.row(c) = (observer_1931()[c] * d50).vector().transpose();
        return Eigen::Matrix<double, 3, n>(t / t.row(1).sum());
    }();
    Eigen::MatrixXd slope = Eigen::MatrixXd::Zero(n, n);
    for (int i = 0; i < n; ++i) {
        slope(i, i) = i == 0 || i == n - 1 ? 2 : 4;
        if (i > 0) slope(i, i - 1) = slope(i - 1, i) = -2;
    }
    Eigen::VectorXd z = Eigen::VectorXd::Zero(n);
    Vec3 lambda = Vec3::Zero();
    for (int iteration = 0; iteration < 60; ++iteration) {
        const Eigen::VectorXd t = z.array().tanh();
        const Eigen::VectorXd half_sech2 = (1 - t.array().square()) / 2;
        const Eigen::VectorXd wl = weights.transpose() * lambda;
        Eigen::VectorXd f(n + 3);
        f.head(n) = slope * z + half_sech2.cwiseProduct(wl);
        f.tail(3) = weights * ((t.array() + 1) / 2).matrix() - xyz;
        if (f.cwiseAbs().maxCoeff() < 1e-10) {
            Spectrum s;
            s.vector() = (t.array() + 1) / 2;
            return s;
        }
        Eigen::MatrixXd j = Eigen::MatrixXd::Zero(n + 3, n + 3);
        j.topLeftCorner(n, n) = slope;
        j.topLeftCorner(n, n).diagonal() -= (2 * half_sech2.array() * t.array() * wl.array()).matrix();
        const Eigen::MatrixXd b = half_sech2.asDiagonal() * weights.transpose();
        j.topRightCorner(n, 3) = b;
        j.bottomLeftCorner(3, n) = b.transpose();
        const Eigen::VectorXd step = j.partialPivLu().solve(-f);
        if (!step.allFinite()) return std::nullopt;
        z += step.head(n);
        lambda += step.tail(3);
        if (z.cwiseAbs().maxCoeff() > 1e3) return std::nullopt;
    }
    return std::nullopt;
}

Spectrum smooth_reflectance(const Vec3& xyz) {
    for (double share = 1; share > 0.05; share -= 0.05) {
        const double Y = std::clamp(xyz.y(), 0.001, 0.995);
        const Vec3 target = share * xyz + (1 - share) * Y * white_d50;
        if (const auto s = lhtss(target)) return *s;
    }
    return Spectrum::constant(std::clamp(xyz.y(), 0.0, 1.0));
}

} // namespace refero::colour
