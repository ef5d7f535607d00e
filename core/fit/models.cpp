// The models: their features, slopes and behaviour.
#include <cmath>

#include <Eigen/LU>

#include "fit/internal.hpp"

namespace refero::fit {

std::string name_of(Model m) {
    switch (m) {
    case Model::diagonal: return "diagonal";
    case Model::matrix: return "matrix";
    case Model::spectral: return "spectral";
    case Model::root_polynomial_2: return "root-polynomial-2";
    case Model::root_polynomial_3: return "root-polynomial-3";
    case Model::lut: return "lut";
    }
    return "";
}

Model model_named(const std::string& name) {
    std::string known = "auto";
    for (const Model m : all_models) {
        if (name == name_of(m)) return m;
        known += " " + name_of(m);
    }
    throw Error(ErrorKind::usage, "unknown model '" + name + "'", {}, "Known: " + known);
}

namespace {

// Chromaticities (red and blue over the sum) about neutral on which the radial functions sit: two rings of a hexagonal grid.
constexpr double grid_step = 0.12, reach = 0.12;
constexpr std::size_t centre_count = 18;
const std::array<std::array<double, 2>, centre_count>& centres() {
    static const auto all = [] {
        std::array<std::array<double, 2>, centre_count> c{};
        std::size_t n = 0;
        for (int v = -2; v <= 2; ++v)
            for (int u = -2; u <= 2; ++u)
                if ((u || v) && std::abs(u + v) <= 2) c[n++] = {1.0 / 3 + grid_step * (u + 0.5 * v), 1.0 / 3 + grid_step * std::sqrt(0.75) * v};
        return c;
    }();
    return all;
}

double bell(double r, double b, const std::array<double, 2>& centre) {
    const double x = (r - centre[0]) / reach, y = (b - centre[1]) / reach;
    return std::exp(-0.5 * (x * x + y * y));
}

} // namespace

Features features(Model model, const Vec3& rgb) {
    Features f(model == Model::lut ? 3 + static_cast<Eigen::Index>(centre_count) : model == Model::root_polynomial_3 || model == Model::spectral ? 13 : is_matrix(model) ? 3 : 6);
    f.head<3>() = rgb;
    if (is_matrix(model)) return f;
    const double r = std::max(rgb[0], 0.0), g = std::max(rgb[1], 0.0), b = std::max(rgb[2], 0.0); // light below zero is noise
    if (model == Model::lut) {
        static const auto at_neutral = [] {
            std::array<double, centre_count> v;
            for (std::size_t k = 0; k < centre_count; ++k) v[k] = bell(1.0 / 3, 1.0 / 3, centres()[k]);
            return v;
        }();
        const double sum = r + g + b;
        for (std::size_t k = 0; k < centre_count; ++k) f[3 + static_cast<Eigen::Index>(k)] = sum > 0 ? sum / 3 * (bell(r / sum, b / sum, centres()[k]) - at_neutral[k]) : 0;
    } else if (model == Model::root_polynomial_2) {
        f[3] = std::sqrt(r * g), f[4] = std::sqrt(g * b), f[5] = std::sqrt(r * b);
    } else {
        f.tail<10>() = roots_of(Vec3(r, g, b), model == Model::spectral ? softness : 0.0);
    }
    return f;
}

Mat3 slope(Model model, const Coefficients& c, const Vec3& rgb) {
    if (is_matrix(model)) return c.leftCols<3>();
    Mat3 j;
    for (int k = 0; k < 3; ++k) {
        Vec3 up = rgb, down = rgb;
        const double step = 1e-4 * std::max(rgb[k], 1e-6);
        up[k] += step, down[k] -= step;
        j.col(k) = c * (features(model, up) - features(model, down)) / (2 * step);
    }
    return j;
}

namespace {

// Models are homogeneous: their slope depends on chromaticity alone, so the faces where a channel is 1 stand for all levels.
template <class Visit> void over_chromaticities(Visit visit) {
    constexpr int n = 25;
    for (int face = 0; face < 3; ++face)
        for (int i = 0; i < n; ++i)
            for (int k = 0; k < n; ++k) {
                Vec3 rgb;
                rgb[face] = 1;
                rgb[(face + 1) % 3] = std::exp2(-6.0 * i / (n - 1));
                rgb[(face + 2) % 3] = std::exp2(-6.0 * k / (n - 1));
                if (!visit(rgb)) return;
            }
}

} // namespace

bool folds(Model model, const Coefficients& c) {
    if (is_matrix(model)) return c.leftCols<3>().determinant() <= 0;
    const double least = 0.03 * slope(model, c, Vec3::Ones()).determinant();
    bool folded = least <= 0;
    if (!folded)
        over_chromaticities([&](const Vec3& rgb) { return !(folded = slope(model, c, rgb).determinant() < least); });
    return folded;
}

double noise_gain(Model model, const Coefficients& c) {
    static const Mat3 from_xyz = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    return (from_xyz * slope(model, c, Vec3::Ones())).norm() / std::sqrt(3.0);
}

double bend(Model model, const Coefficients& c) {
    if (is_matrix(model)) return 0;
    const Mat3 middle = slope(model, c, Vec3::Ones());
    double most = 0;
    // Over what surfaces show: to three stops between channels.
    over_chromaticities([&](const Vec3& rgb) {
        if (rgb.minCoeff() > 0.12) most = std::max(most, (slope(model, c, rgb) - middle).norm() / middle.norm());
        return true;
    });
    return most;
}

std::string name_of(Intent i) { return i == Intent::colorimetric ? "colorimetric" : i == Intent::skin ? "skin" : "chroma"; }

Intent intent_named(const std::string& name) {
    for (const Intent i : {Intent::colorimetric, Intent::skin, Intent::chroma})
        if (name == name_of(i)) return i;
    throw Error(ErrorKind::usage, "unknown intent '" + name + "'", {}, "Known: colorimetric skin chroma");
}

} // namespace refero::fit
