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
    // The Newton step's matrix is [A B; B^T 0] with A tridiagonal: slopes, and what the constraint adds on the
    // diagonal.
    // A level spectrum has no slope, so that A alone is singular at the start: it is stiffened a little.
    constexpr double stiff = 1e-7;
    const auto ends = [](int i) { return i == 0 || i == n - 1 ? 2.0 : 4.0; };
    using Columns = Eigen::Matrix<double, n, 4>;
    const auto solved = [&](const Eigen::Matrix<double, n, 1>& diagonal, Columns right) {
        Eigen::Matrix<double, n, 1> pivot = diagonal;
        for (int i = 1; i < n; ++i) {
            const double share = -2 / pivot[i - 1];
            pivot[i] += 2 * share;
            right.row(i) -= share * right.row(i - 1);
        }
        right.row(n - 1) /= pivot[n - 1];
        for (int i = n - 2; i >= 0; --i) right.row(i) = (right.row(i) + 2 * right.row(i + 1)) / pivot[i];
        return right;
    };
    Eigen::Matrix<double, n, 1> z = Eigen::Matrix<double, n, 1>::Zero();
    Vec3 lambda = Vec3::Zero();
    for (int iteration = 0; iteration < 60; ++iteration) {
        const Eigen::Array<double, n, 1> t = z.array().tanh(), half_sech2 = (1 - t.square()) / 2;
        const Eigen::Matrix<double, n, 1> wl = weights.transpose() * lambda;
        Eigen::Matrix<double, n, 1> f = half_sech2 * wl.array(), diagonal;
        for (int i = 0; i < n; ++i) {
            f[i] += ends(i) * z[i] - 2 * (i > 0 ? z[i - 1] : 0) - 2 * (i < n - 1 ? z[i + 1] : 0);
            diagonal[i] = ends(i) + stiff - 2 * half_sech2[i] * t[i] * wl[i];
        }
        const Vec3 miss = weights * ((t + 1) / 2).matrix() - xyz;
        if (std::max(f.cwiseAbs().maxCoeff(), miss.cwiseAbs().maxCoeff()) < 1e-10) {
            Spectrum s;
            s.vector() = (t + 1) / 2;
            return s;
        }
        const Eigen::Matrix<double, n, 3> b = half_sech2.matrix().asDiagonal() * weights.transpose();
        Columns right;
        right << f, b;
        const Columns x = solved(diagonal, right);
        const Vec3 change = (b.transpose() * x.rightCols<3>()).inverse() * (miss - b.transpose() * x.col(0));
        const Eigen::Matrix<double, n, 1> step = -x.col(0) - x.rightCols<3>() * change;
        if (!step.allFinite()) return std::nullopt;
        z += step;
        lambda += change;
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
