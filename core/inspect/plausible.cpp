#include "inspect/internal/plausible.hpp"
#include "inspect/internal/figures.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/Cholesky>

namespace refero::inspect {

using colour::Spectrum;
using colour::Vec3;

namespace {

Eigen::MatrixXd camera_covariance() {
    constexpr int n = Spectrum::size;
    Eigen::MatrixXd k(n, n);
    const auto part = [](double nm, double length, double size) {
        return size * size * std::exp(-0.5 * std::pow(nm / length, 2));
    };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const double nm = Spectrum::step_nm * (i - j);
            k(i, j) = part(nm, prior.smooth_nm, prior.smooth_size) + part(nm, prior.spiky_nm, prior.spiky_size);
        }
    return k;
}

} // namespace

Estimate combined(const Estimate& a, const Estimate& b) {
    const Eigen::MatrixXd wa = a.covariance.inverse(), wb = b.covariance.inverse(), both = (wa + wb).inverse();
    Estimate e{both * (wa * a.value + wb * b.value), both};
    const Eigen::VectorXd apart = a.value - b.value;
    const double birge =
        apart.dot((a.covariance + b.covariance).ldlt().solve(apart)) / static_cast<double>(apart.size());
    e.covariance *= std::max(1.0, birge);
    return e;
}

Surfaces surfaces_of(const std::vector<Vec3>& xyz, const std::vector<const Spectrum*>& spectra) {
    static const Eigen::MatrixXd k = camera_covariance();
    const auto n = static_cast<Eigen::Index>(xyz.size());
    Eigen::MatrixXd r(n + 1, Spectrum::size);
    Surfaces s{{}, Eigen::VectorXd(n), Eigen::MatrixXd(n, n), Eigen::VectorXd(n)};
    std::vector<Vec3> lab;
    for (Eigen::Index i = 0; i < n; ++i) {
        const auto at = static_cast<std::size_t>(i);
        r.row(i) = (spectra[at] ? *spectra[at] : colour::smooth_reflectance(xyz[at])).vector().transpose();
        lab.push_back(colour::lab_from_xyz(xyz[at]));
        s.paint[i] = std::hypot(lab[at][1], lab[at][2]) / prior.usual_chroma * (spectra[at] ? 0.5 : 1);
        s.y[i] = xyz[at][1];
    }
    r.row(n).setOnes();
    s.camera = r * k * r.transpose();
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index j = 0; j < n; ++j) {
            const Vec3 d = lab[static_cast<std::size_t>(i)] - lab[static_cast<std::size_t>(j)];
            const double tone = std::pow(d[0] / prior.style_lightness, 2),
                         chroma = (d[1] * d[1] + d[2] * d[2]) / std::pow(prior.style_chroma, 2);
            s.style(i, j) = prior.style_tone * prior.style_tone * std::exp(-0.5 * tone) +
                            prior.style_colour * prior.style_colour * std::exp(-0.5 * (tone + chroma));
        }
    // A style bends what a camera saw: what all patches have alike is the camera's, or style alone would explain all.
    const Eigen::VectorXd mean = s.style.rowwise().mean();
    const double of_all = mean.mean();
    s.style.colwise() -= mean;
    s.style.rowwise() -= mean.transpose();
    s.style.array() += of_all;
    return s;
}

Channel::Channel(const Surfaces& s, const Eigen::VectorXd& seen, const Eigen::VectorXd& noise,
                 const Eigen::MatrixXd& regressors, const Freedom& freedom, bool finished,
                 const Eigen::VectorXd& doubted) {
    const Eigen::Index n = seen.size();
    // Every signal over itself is 1: errors are relative, and the light is a regressor of the logarithm.
    std::vector<double> levels;
    for (Eigen::Index i = 0; i < n; ++i) levels.push_back(seen[i] / std::max(0.02, s.y[i]));
    std::nth_element(levels.begin(), levels.begin() + n / 2, levels.end());
    const double level = std::max(1e-9, levels[static_cast<std::size_t>(n / 2)]);
    const Eigen::VectorXd over = (seen.array().max(0.003 * level)).inverse();
    const Eigen::VectorXd one = seen.cwiseProduct(over);
    Eigen::MatrixXd c =
        std::pow(level * freedom.camera, 2) * (over.asDiagonal() * s.camera.topLeftCorner(n, n) * over.asDiagonal());
    if (finished) c += s.style;
    for (Eigen::Index i = 0; i < n; ++i)
        c(i, i) += std::pow(freedom.paint * s.paint[i], 2) + std::pow(prior.neutral_paint, 2) +
                   std::pow(noise[i] * over[i], 2) + std::pow(prior.deepest * level * over[i], 2) +
                   doubted[i] * doubted[i];
    const Eigen::VectorXd stray = level * over;
    const double stray_size = finished ? 2 * prior.veil : prior.veil;
    c += stray_size * stray_size * stray * stray.transpose();
    c += prior.slope * prior.slope * regressors * regressors.transpose();
    const Eigen::LLT<Eigen::MatrixXd> root(c);
    inverse_ = root.solve(Eigen::MatrixXd::Identity(n, n));
    solved_ = inverse_ * one;
    log_likelihood = -0.5 * one.dot(solved_) - root.matrixLLT().diagonal().array().log().sum();
    const double slope2 = prior.slope * prior.slope;
    slopes.value = slope2 * regressors.transpose() * solved_;
    slopes.covariance = slope2 * Eigen::MatrixXd::Identity(regressors.cols(), regressors.cols()) -
                        slope2 * slope2 * regressors.transpose() * inverse_ * regressors;
    const double veil2 = stray_size * stray_size;
    veil = level * veil2 * stray.dot(solved_);
    veil_sd = level * std::sqrt(std::max(0.0, veil2 - veil2 * veil2 * stray.dot(inverse_ * stray)));
    white = std::pow(level * freedom.camera, 2) * s.camera.row(n).head(n).transpose().cwiseProduct(over).dot(solved_);
    left = solved_.cwiseQuotient(inverse_.diagonal());
    left_sd = (inverse_.diagonal().cwiseInverse() - doubted.cwiseAbs2()).cwiseMax(1e-10).cwiseSqrt();
    expected = (one - left).cwiseQuotient(over);
    expected_sd = left_sd.cwiseQuotient(over);
}

std::pair<double, double> Channel::score(const Eigen::VectorXd& regressor) const {
    const Eigen::VectorXd through = inverse_ * regressor;
    return {regressor.dot(solved_), regressor.dot(through)};
}

} // namespace refero::inspect
