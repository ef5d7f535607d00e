// Least squares on CIEDE2000, and its statistics.
#include <algorithm>
#include <cmath>
#include <numeric>

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <ceres/ceres.h>

#include "fit/internal/training.hpp"

namespace refero::fit {

Statistics statistics(std::vector<double> v) {
    Statistics s;
    if (v.empty()) return s;
    std::sort(v.begin(), v.end());
    const auto quantile = [&](double q) {
        const double at = q * static_cast<double>(v.size() - 1);
        const auto i = static_cast<std::size_t>(at);
        return i + 1 < v.size() ? std::lerp(v[i], v[i + 1], at - static_cast<double>(i)) : v[i];
    };
    s.mean = std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
    s.median = quantile(0.5);
    s.p95 = quantile(0.95);
    s.max = v.back();
    return s;
}

namespace {

constexpr double step = 1e-5; // of XYZ, for differences

// Neutral stays neutral: blue's coefficients are what the others leave of white. Only the others are free.
constexpr Eigen::Index bound = 2;

Eigen::Index index_of(Eigen::Index free) { return free < bound ? free : free + 1; }

/// Features of neutral (1, 1, 1), by the number of features.
Eigen::VectorXd at_neutral(Eigen::Index count) {
    for (const Model m : all_models)
        if (const Features f = features(m, Vec3::Ones()); f.size() == count) return f;
    throw Error(ErrorKind::internal, "no model has so many features");
}

Coefficients complete(const Eigen::Ref<const Coefficients>& free, const Eigen::VectorXd& neutral) {
    Coefficients c(3, free.cols() + 1);
    Vec3 rest = colour::white_d50;
    for (Eigen::Index k = 0; k < free.cols(); ++k) {
        c.col(index_of(k)) = free.col(k);
        rest -= neutral[index_of(k)] * free.col(k);
    }
    c.col(bound) = rest;
    return c;
}

struct DeltaE final : ceres::CostFunction {
    const Samples& samples;
    Eigen::VectorXd neutral;
    explicit DeltaE(const Samples& s) : samples(s), neutral(at_neutral(s.phi.rows())) {
        mutable_parameter_block_sizes()->push_back(static_cast<int>(3 * (s.phi.rows() - 1)));
        set_num_residuals(static_cast<int>(3 * s.size()));
    }
    bool Evaluate(double const* const* parameters, double* residuals, double** jacobians) const override {
        const Eigen::Index free = samples.phi.rows() - 1;
        const Coefficients c = complete(Eigen::Map<const Coefficients>(parameters[0], 3, free), neutral);
        for (Eigen::Index i = 0; i < samples.size(); ++i) {
            const double w = std::sqrt(samples.weight[i]);
            const Vec3 lab = samples.lab.col(i), xyz = c * samples.phi.col(i);
            const auto components = [&](const Vec3& v) {
                return Vec3(w * colour::delta_e_2000_components(lab, colour::lab_from_xyz(v)));
            };
            const Vec3 here = components(xyz);
            Eigen::Map<Vec3>(residuals + 3 * i) = here;
            if (!jacobians || !jacobians[0]) continue;
            Mat3 by_xyz;
            for (int k = 0; k < 3; ++k) by_xyz.col(k) = (components(xyz + step * Vec3::Unit(k)) - here) / step;
            Eigen::Map<Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> j(
                jacobians[0] + 9 * free * i, 3, 3 * free);
            for (Eigen::Index k = 0; k < free; ++k)
                j.middleCols<3>(3 * k) =
                    (samples.phi(index_of(k), i) - neutral[index_of(k)] * samples.phi(bound, i)) * by_xyz;
        }
        return true;
    }
};

} // namespace

Samples samples_of(const Eigen::Matrix3Xd& xyz) {
    Samples s;
    s.xyz = xyz;
    s.lab.resize(3, xyz.cols());
    s.weight = Eigen::VectorXd::Ones(xyz.cols());
    for (Eigen::Index i = 0; i < xyz.cols(); ++i) {
        s.lab.col(i) = colour::lab_from_xyz(xyz.col(i));
        Mat3 j;
        for (int k = 0; k < 3; ++k)
            j.col(k) =
                colour::delta_e_2000_components(s.lab.col(i), colour::lab_from_xyz(xyz.col(i) + step * Vec3::Unit(k))) /
                step;
        s.metric.push_back(j.transpose() * j);
    }
    return s;
}

Eigen::MatrixXd features_of(Model model, const Eigen::Matrix3Xd& rgb) {
    Eigen::MatrixXd phi(features(model, Vec3::Ones()).size(), rgb.cols());
    for (Eigen::Index i = 0; i < rgb.cols(); ++i) phi.col(i) = features(model, rgb.col(i));
    return phi;
}

namespace {

/// Normal equations of the free coefficients, lower half.
std::pair<Eigen::MatrixXd, Eigen::VectorXd> normal_equations(const Samples& s, double ridge) {
    const Eigen::Index free = s.phi.rows() - 1, size = 3 * free;
    const Eigen::VectorXd neutral = at_neutral(s.phi.rows());
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(size, size);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(size), f(free);
    for (Eigen::Index i = 0; i < s.size(); ++i) {
        if (s.weight[i] <= 0) continue;
        const Mat3 m = s.weight[i] * s.metric[static_cast<std::size_t>(i)];
        for (Eigen::Index k = 0; k < free; ++k) f[k] = s.phi(index_of(k), i) - neutral[index_of(k)] * s.phi(bound, i);
        const Vec3 target = m * (s.xyz.col(i) - s.phi(bound, i) * colour::white_d50);
        for (Eigen::Index k = 0; k < free; ++k) {
            b.segment<3>(3 * k) += f[k] * target;
            for (Eigen::Index l = 0; l <= k; ++l) a.block<3, 3>(3 * k, 3 * l) += f[k] * f[l] * m;
        }
    }
    const double all = a.trace() / static_cast<double>(size);
    for (Eigen::Index k = 0; k < size; ++k) a(k, k) += (k < 6 ? 1e-9 : std::max(1e-9, ridge)) * all;
    return {a, b};
}

/// Free coefficients as one column, and back.
Eigen::VectorXd column_of(const Coefficients& c) {
    Eigen::VectorXd x(3 * (c.cols() - 1));
    for (Eigen::Index k = 0; k + 1 < c.cols(); ++k) x.segment<3>(3 * k) = c.col(index_of(k));
    return x;
}
Coefficients from_column(const Eigen::VectorXd& x, const Eigen::VectorXd& neutral) {
    return complete(Eigen::Map<const Coefficients>(x.data(), 3, x.size() / 3), neutral);
}

} // namespace

Coefficients solve(const Samples& s, double ridge) {
    const auto [a, b] = normal_equations(s, ridge);
    return from_column(a.selfadjointView<Eigen::Lower>().ldlt().solve(b), at_neutral(s.phi.rows()));
}

Eigen::VectorXd Slopes::determinants(const Coefficients& c) const {
    const Eigen::Matrix3Xd r = c * by_channel[0], g = c * by_channel[1], b = c * by_channel[2];
    Eigen::VectorXd d(r.cols());
    for (Eigen::Index i = 0; i < d.size(); ++i) d[i] = r.col(i).dot(Vec3(g.col(i)).cross(Vec3(b.col(i))));
    return d;
}

std::pair<Coefficients, double> unfolded(Model model, const Samples& samples, double ridge, const Coefficients& best,
                                         const Coefficients& start) {
    // A logarithmic barrier (Boyd and Vandenberghe 2004, ch. 11) where a slope nears its least; it begins smoothly, so
    // that most colours cost nothing. The barrier's own curvature is left out of Newton's steps, as in Gauss and
    // Newton's method.
    constexpr double begin = 0.3; // of neutral's determinant
    constexpr int tightenings = 4, steps = 6;
    const Slopes& slopes = slopes_of(model, false);
    const Eigen::VectorXd neutral = at_neutral(best.cols()), goal = column_of(best);
    const Eigen::MatrixXd cost = normal_equations(samples, ridge).first.selfadjointView<Eigen::Lower>();
    const Eigen::Index free = best.cols() - 1, size = 3 * free;

    Eigen::VectorXd x = column_of(start), room;
    Coefficients c = start;
    const double unit = slopes.at(c, 0).determinant();
    // A little more than the least, for what lies between the colours looked at.
    const double least = std::min(1.15 * least_slope, 0.99 * slopes.determinants(c).minCoeff() / unit);
    const auto room_of = [&](const Coefficients& k) {
        return Eigen::VectorXd((slopes.determinants(k).array() - least * slopes.at(k, 0).determinant()) / unit);
    };
    const auto loss = [&](const Eigen::VectorXd& at) { return (at - goal).dot(cost * (at - goal)); };
    const auto barrier = [&](const Eigen::VectorXd& r) {
        return (r.array() < begin).select(r.array() / begin - 1 - (r.array() / begin).log(), 0.0).sum();
    };
    /// Gradient of a colour's determinant over `unit`, as 3 x free.
    const auto gradient = [&](Eigen::Index i) {
        const Mat3 j = slopes.at(c, i);
        const std::array<Vec3, 3> cofactors{Vec3(j.col(1)).cross(Vec3(j.col(2))), Vec3(j.col(2)).cross(Vec3(j.col(0))),
                                            Vec3(j.col(0)).cross(Vec3(j.col(1)))};
        Coefficients v = Coefficients::Zero(3, free);
        for (std::size_t k = 0; k < 3; ++k) {
            const auto by = slopes.by_channel[k].col(i);
            for (Eigen::Index f = 0; f < free; ++f)
                v.col(f) += (by[index_of(f)] - neutral[index_of(f)] * by[bound]) / unit * cofactors[k];
        }
        return v;
    };

    room = room_of(c);
    const double first = loss(x);
    if (room.minCoeff() <= 0 || !(first > 0)) return {start, 1};
    double strength = 0.3 * first / static_cast<double>(std::max<Eigen::Index>(1, (room.array() < begin).count()));
    for (int round = 0; round < tightenings; ++round, strength /= 8)
        for (int n = 0; n < steps; ++n) {
            Eigen::MatrixXd a = 2 * cost;
            Eigen::VectorXd down = 2 * cost * (goal - x);
            const Coefficients of_neutral = least * gradient(0);
            Eigen::MatrixXd pushes(size, (room.array() < begin).count());
            for (Eigen::Index i = 0, at = 0; i < room.size(); ++i) {
                if (room[i] >= begin) continue;
                const Coefficients v = gradient(i) - of_neutral;
                const Eigen::Map<const Eigen::VectorXd> column(v.data(), size);
                down += strength * (1 / room[i] - 1 / begin) * column;
                pushes.col(at++) = column / room[i];
            }
            if (pushes.cols() > 0) a.selfadjointView<Eigen::Lower>().rankUpdate(pushes, strength);
            const Eigen::VectorXd step = a.selfadjointView<Eigen::Lower>().ldlt().solve(down);
            const double now = loss(x) + strength * barrier(room);
            bool moved = false;
            for (double length = 1; length > 1e-3 && !moved; length /= 2) {
                const Eigen::VectorXd there = x + length * step;
                const Coefficients k = from_column(there, neutral);
                const Eigen::VectorXd r = room_of(k);
                if (r.minCoeff() > 0 && loss(there) + strength * barrier(r) < now) {
                    x = there;
                    c = k;
                    room = r;
                    moved = true;
                }
            }
            if (!moved || down.dot(step) < 0.1 * strength) break;
        }
    return {c, std::sqrt(loss(x) / first)};
}

Coefficients refine(const Samples& samples, const Coefficients& start) {
    Coefficients free(3, start.cols() - 1);
    for (Eigen::Index k = 0; k < free.cols(); ++k) free.col(k) = start.col(index_of(k));
    auto* cost = new DeltaE(samples);
    const Eigen::VectorXd neutral = cost->neutral;
    ceres::Problem problem;
    problem.AddResidualBlock(cost, nullptr, free.data());
    ceres::Solver::Options options;
    options.linear_solver_type = ceres::DENSE_QR;
    options.logging_type = ceres::SILENT;
    options.max_num_iterations = 30;
    options.function_tolerance = 1e-5;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    return complete(free, neutral);
}

double delta_e(const Coefficients& c, const Samples& s, Eigen::Index i) {
    return colour::delta_e_2000(s.lab.col(i), colour::lab_from_xyz(c * s.phi.col(i)));
}

} // namespace refero::fit
