#include "fit/foretell.hpp"

#include <cmath>
#include <numeric>

#include "fit/internal/lesson.hpp"

namespace refero::fit {

namespace {

// Chosen with refero-foretell-bench on other seeds than the reported ones.
/// Surfaces count by how near their colour lies, CIELAB, by this standard deviation.
constexpr double near_lab = 9;
/// What is left on patches held out tells the scale of a radius, and plausible surfaces about a colour, over those of
/// all colours, its shape: their quantile counts by this power.
constexpr double of_held_out = 5, of_held_out_for_aims = 4.8, shape_power = 0.6, at_least = 0.25;
/// What estimated sensitivities put wrong even where the spectrum is known, over what is left on patches held out.
constexpr double of_spectra_times = 3;
constexpr double coverage = 0.95;
/// Nominal values of the chart differ from the card in hand by so much, CIEDE2000.
constexpr double nominal_apart = 0.3;
/// Share of the variance that measurements of one surface have in common.
constexpr double shared_variance = 0.02;
/// Metamers of an aim: so many plausible spectra are moved to its XYZ.
constexpr std::size_t metamers = 160;

Vec3 lab_of(const Vec3& xyz) { return colour::lab_from_xyz(xyz); }

/// The value below which a share of the weight lies.
double weighted_quantile(std::vector<std::pair<double, double>> value_weight, double share) {
    std::sort(value_weight.begin(), value_weight.end());
    double all = 0, sum = 0;
    for (const auto& [value, weight] : value_weight) all += weight;
    for (const auto& [value, weight] : value_weight) {
        sum += weight;
        if (sum >= share * all) return value;
    }
    return value_weight.empty() ? 0 : value_weight.back().first;
}

} // namespace

struct Foretelling::Surfaces {
    Reflectances reflectance;
    Eigen::Matrix3Xd xyz, lab;           ///< true
    Eigen::Matrix3Xd balanced;           ///< as the camera sees them
    Eigen::Matrix3Xd made_xyz, made_lab; ///< by the correction
    Sensitivities sensitivities;
    double spread = 1; ///< the quantile of what the correction leaves on all of them
};

Foretelling::Foretelling(Foretelling&&) noexcept = default;
Foretelling::~Foretelling() = default;

Foretelling::Foretelling(const Correction& correction) : correction_(correction) {
    correction_.finish = {}; // neither is part of what is foretold
    correction_.look = {};
    const bool finished =
        !correction.encoding.empty() && correction.encoding != "linear" && correction.encoding != "raw";
    if (finished) return;
    const Lesson lesson(correction_);
    if (lesson.size() < Lesson::least_for_surfaces) return;
    auto s = std::make_unique<Surfaces>();
    std::tie(s->reflectance, s->sensitivities) = lesson.surfaces_and_sensitivities();
    const Eigen::Index n = s->reflectance.cols();
    if (n == 0) return;
    s->balanced = s->sensitivities * s->reflectance;
    s->xyz = lesson.surface_colours();
    s->made_xyz.resize(3, n);
    s->lab.resize(3, n);
    s->made_lab.resize(3, n);
    for (Eigen::Index i = 0; i < n; ++i) {
        s->made_xyz.col(i) = correction_.coefficients * features(correction_.model, s->balanced.col(i));
        s->lab.col(i) = lab_of(s->xyz.col(i));
        s->made_lab.col(i) = lab_of(s->made_xyz.col(i));
    }
    std::vector<std::pair<double, double>> left;
    for (Eigen::Index i = 0; i < n; ++i) left.emplace_back(colour::delta_e_2000(s->made_lab.col(i), s->lab.col(i)), 1);
    s->spread = std::max(0.05, weighted_quantile(left, coverage));
    surfaces_ = std::move(s);
    known_ = true;
}

Foretelling::Measured Foretelling::measured(const Vec3& camera_rgb, const Vec3& error) const {
    const Surfaces& s = *surfaces_;
    const Vec3 made = correction_(camera_rgb), made_lab = lab_of(made);
    // Where plausible surfaces of about this colour truly lie, against where the correction puts them.
    std::vector<double> weight(static_cast<std::size_t>(s.xyz.cols()));
    double sum = 0;
    Vec3 shift = Vec3::Zero();
    for (Eigen::Index i = 0; i < s.xyz.cols(); ++i) {
        const double d = (s.made_lab.col(i) - made_lab).squaredNorm();
        const double w = std::exp(-0.5 * d / (near_lab * near_lab));
        weight[static_cast<std::size_t>(i)] = w;
        sum += w;
        shift += w * (s.lab.col(i) - s.made_lab.col(i));
    }
    Measured m;
    m.xyz = made;
    constexpr double enough = 3; // surfaces nearby; with fewer their shift is no more than chance
    shift *= 1 / std::max(sum, 1e-12) * (sum / (sum + enough));
    m.xyz = colour::xyz_from_lab(made_lab + shift);
    std::vector<std::pair<double, double>> left;
    for (Eigen::Index i = 0; i < s.xyz.cols(); ++i)
        if (const double w = weight[static_cast<std::size_t>(i)]; w > 1e-4)
            left.emplace_back(colour::delta_e_2000(Vec3(s.made_lab.col(i)) + shift, s.lab.col(i)), w);
    // Far from all plausible colours the whole population has to stand for them.
    if (sum < 1)
        for (Eigen::Index i = 0; i < s.xyz.cols(); ++i)
            left.emplace_back(colour::delta_e_2000(s.made_lab.col(i), s.lab.col(i)), 0.01);
    const double metamerism =
        std::max(at_least, of_held_out * correction_.cross_validated.mean *
                               std::pow(weighted_quantile(left, coverage) / s.spread, shape_power));
    // Noise by the slope of the correction: two standard deviations of each channel, added as squares.
    double noise2 = 0;
    for (int c = 0; c < 3; ++c) {
        Vec3 moved = camera_rgb;
        moved[c] += 2 * error[c];
        noise2 += std::pow(colour::delta_e_2000(lab_of(correction_(moved)), made_lab), 2);
    }
    const double nominal = correction_.reference.nominal ? nominal_apart : 0;
    m.radius = std::sqrt(metamerism * metamerism + noise2 + nominal * nominal);
    return m;
}

Foretelling::Expected Foretelling::expected(const Vec3& aim, const colour::Spectrum* spectrum) const {
    const Surfaces& s = *surfaces_;
    const Vec3 aim_lab = lab_of(aim);
    std::vector<std::pair<Vec3, double>> seen; // balanced camera RGB of plausible surfaces of this colour, and weights
    if (spectrum) seen.emplace_back(s.sensitivities * spectrum->vector(), 1);
    else {
        std::vector<std::pair<double, Eigen::Index>> nearest;
        for (Eigen::Index i = 0; i < s.xyz.cols(); ++i) nearest.emplace_back((s.lab.col(i) - aim_lab).squaredNorm(), i);
        const std::size_t n = std::min(metamers, nearest.size());
        std::partial_sort(nearest.begin(), nearest.begin() + static_cast<std::ptrdiff_t>(n), nearest.end());
        const colour::Spectrum smooth_aim = colour::smooth_reflectance(aim);
        for (std::size_t k = 0; k < n; ++k) {
            const Eigen::Index i = nearest[k].second;
            // Moved to the aim by what the smoothest spectra of both differ.
            const Eigen::VectorXd to = smooth_aim.vector() - colour::smooth_reflectance(s.xyz.col(i)).vector();
            const Eigen::VectorXd moved = (s.reflectance.col(i) + to).cwiseMax(0.002).cwiseMin(0.998);
            seen.emplace_back(s.sensitivities * moved,
                              std::exp(-0.5 * nearest[k].first / std::pow(2 * near_lab, 2)) + 1e-6);
        }
    }
    Vec3 mean_lab = Vec3::Zero(), balanced = Vec3::Zero();
    double sum = 0;
    std::vector<std::pair<Vec3, double>> delivered;
    for (const auto& [rgb, weight] : seen) {
        const Vec3 lab = lab_of(correction_.coefficients * features(correction_.model, rgb));
        delivered.emplace_back(lab, weight);
        mean_lab += weight * lab;
        balanced += weight * rgb;
        sum += weight;
    }
    Expected e;
    mean_lab /= sum;
    e.balanced = balanced / sum;
    e.delivered = colour::xyz_from_lab(mean_lab);
    std::vector<std::pair<double, double>> apart;
    double left = 0;
    for (const auto& [lab, weight] : delivered) {
        apart.emplace_back(colour::delta_e_2000(lab, mean_lab), weight);
        left += weight * colour::delta_e_2000(lab, aim_lab);
    }
    e.delta_e_2000 = left / sum;
    // The estimate of the sensitivities is as good as the patches are foretold: that much is added even to a spectrum.
    const double fitted = correction_.cross_validated.mean;
    const double shape = std::pow(weighted_quantile(apart, coverage) / s.spread, shape_power);
    e.radius = std::max(at_least, fitted * (spectrum ? of_spectra_times : of_held_out_for_aims * shape));
    return e;
}

Vec3 Foretelling::noise_at(const Vec3& balanced) const {
    // A line through the variances of the patches, by their signal: photons and what the camera adds.
    Vec3 out = Vec3::Zero();
    for (int c = 0; c < 3; ++c) {
        double sx = 0, sy = 0, sxx = 0, sxy = 0, n = 0;
        for (const read::PatchReading& p : correction_.reading.patches) {
            const double noise = p.noise[static_cast<std::size_t>(c)] > 0 ? p.noise[static_cast<std::size_t>(c)]
                                                                          : p.sd[static_cast<std::size_t>(c)];
            const Vec3 scaled = correction_.balance.scaled(Vec3::Unit(c) * noise);
            const double x = correction_.balance(Vec3(p.mean.data()))[c], y = scaled[c] * scaled[c];
            sx += x;
            sy += y;
            sxx += x * x;
            sxy += x * y;
            ++n;
        }
        if (n < 2) continue;
        const double slope = std::max(0.0, (n * sxy - sx * sy) / std::max(1e-12, n * sxx - sx * sx));
        const double floor = std::max(0.0, (sy - slope * sx) / n);
        out[c] = std::sqrt(floor + slope * std::max(0.0, balanced[c]));
    }
    return out;
}

Foretelling::Measured put_together(const std::vector<Foretelling::Measured>& all) {
    Foretelling::Measured m;
    if (all.empty()) return m;
    Vec3 lab = Vec3::Zero();
    double sum = 0;
    for (const Foretelling::Measured& one : all) {
        const double w = 1 / (one.radius * one.radius);
        lab += w * lab_of(one.xyz);
        sum += w;
    }
    const auto n = static_cast<double>(all.size());
    m.xyz = colour::xyz_from_lab(lab / sum);
    const double alone = 1 / sum * n; // of one of them, in the mean
    m.radius = std::sqrt(alone * (shared_variance + (1 - shared_variance) / n));
    // They must agree: what parts them beyond their radii widens the whole.
    double parted = 0;
    for (const Foretelling::Measured& one : all)
        parted += std::pow(colour::delta_e_2000(lab_of(one.xyz), lab_of(m.xyz)), 2) / n;
    m.radius = std::max(m.radius, std::sqrt(parted));
    return m;
}

} // namespace refero::fit
