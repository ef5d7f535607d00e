// Least squares on CIEDE2000, and its statistics.
#include <algorithm>
#include <cmath>
#include <numeric>

#include <Eigen/Cholesky>
#include <ceres/ceres.h>

#include "fit/internal.hpp"

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
    for (Eigen::Index k = 0; k < free.cols(); ++k) c.col(index_of(k)) = free.col(k), rest -= neutral[index_of(k)] * free.col(k);
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
            const auto components = [&](const Vec3& v) { return Vec3(w * colour::delta_e_2000_components(lab, colour::lab_from_xyz(v))); };
            const Vec3 here = components(xyz);
            Eigen::Map<Vec3>(residuals + 3 * i) = here;
            if (!jacobians || !jacobians[0]) continue;
            Mat3 by_xyz;
            for (int k = 0; k < 3; ++k) by_xyz.col(k) = (components(xyz + step * Vec3::Unit(k)) - here) / step;
            Eigen::Map<Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> j(jacobians[0] + 9 * free * i, 3, 3 * free);
            for (Eigen::Index k = 0; k < free; ++k) j.middleCols<3>(3 * k) = (samples.phi(index_of(k), i) - neutral[index_of(k)] * samples.phi(bound, i)) * by_xyz;
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
        for (int k = 0; k < 3; ++k) j.col(k) = colour::delta_e_2000_components(s.lab.col(i), colour::lab_from_xyz(xyz.col(i) + step * Vec3::Unit(k))) / step;
        s.metric.push_back(j.transpose() * j);
    }
    return s;
}

Eigen::MatrixXd features_of(Model model, const Eigen::Matrix3Xd& rgb) {
    Eigen::MatrixXd phi(features(model, Vec3::Ones()).size(), rgb.cols());
    for (Eigen::Index i = 0; i < rgb.cols(); ++i) phi.col(i) = features(model, rgb.col(i));
    return phi;
}

Coefficients solve(const Samples& s, double ridge) {
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
    const Eigen::VectorXd x = a.selfadjointView<Eigen::Lower>().ldlt().solve(b);
    return complete(Eigen::Map<const Coefficients>(x.data(), 3, free), neutral);
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

double delta_e(const Coefficients& c, const Samples& s, Eigen::Index i) { return colour::delta_e_2000(s.lab.col(i), colour::lab_from_xyz(c * s.phi.col(i))); }

} // namespace refero::fit
