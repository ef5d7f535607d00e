// The models: their features, slopes and behaviour.
#include <cmath>

#include <Eigen/LU>

#include "fit/internal/training.hpp"
#include "fit/radial.hpp"

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

const std::array<std::array<double, 2>, radial_centre_count>& radial_centres() {
    constexpr double grid_step = 0.12;
    static const auto all = [] {
        std::array<std::array<double, 2>, radial_centre_count> c{};
        std::size_t n = 0;
        for (int v = -2; v <= 2; ++v)
            for (int u = -2; u <= 2; ++u)
                if ((u || v) && std::abs(u + v) <= 2)
                    c[n++] = {1.0 / 3 + grid_step * (u + 0.5 * v), 1.0 / 3 + grid_step * std::sqrt(0.75) * v};
        return c;
    }();
    return all;
}

namespace {

double bell(double r, double b, const std::array<double, 2>& centre) {
    const double x = (r - centre[0]) / radial_reach, y = (b - centre[1]) / radial_reach;
    return std::exp(-0.5 * (x * x + y * y));
}

Eigen::Index size_of(Model m) {
    switch (m) {
    case Model::root_polynomial_2: return 6;
    case Model::spectral: return 10;
    case Model::root_polynomial_3: return 13;
    case Model::lut: return 3 + static_cast<Eigen::Index>(radial_centre_count);
    default: return 3;
    }
}

} // namespace

const std::array<double, radial_centre_count>& radial_at_neutral() {
    static const auto all = [] {
        std::array<double, radial_centre_count> v{};
        for (std::size_t k = 0; k < v.size(); ++k) v[k] = bell(1.0 / 3, 1.0 / 3, radial_centres()[k]);
        return v;
    }();
    return all;
}

Features features(Model model, const Vec3& rgb) {
    Features f(size_of(model));
    f.head<3>() = rgb;
    if (is_matrix(model)) return f;
    const double r = std::max(rgb[0], 0.0), g = std::max(rgb[1], 0.0),
                 b = std::max(rgb[2], 0.0); // light below zero is noise
    if (model == Model::lut) {
        const double sum = r + g + b;
        for (std::size_t k = 0; k < radial_centre_count; ++k)
            f[3 + static_cast<Eigen::Index>(k)] =
                sum > 0 ? sum / 3 * (bell(r / sum, b / sum, radial_centres()[k]) - radial_at_neutral()[k]) : 0;
    } else if (model == Model::root_polynomial_2) {
        f[3] = std::sqrt(r * g);
        f[4] = std::sqrt(g * b);
        f[5] = std::sqrt(r * b);
    } else if (model == Model::spectral) {
        f.tail<7>() = cubic_of(Vec3(r, g, b));
    } else {
        const Vec3 s = Vec3(r, g, b).cwiseSqrt();
        const double cr = std::cbrt(r), cg = std::cbrt(g), cb = std::cbrt(b);
        f.tail<10>() << s[0] * s[1], s[1] * s[2], s[0] * s[2], cr * cg * cg, cg * cb * cb, cr * cb * cb, cg * cr * cr,
            cb * cg * cg, cb * cr * cr, cr * cg * cb;
    }
    return f;
}

namespace {

/// Of features by each channel, a step to both sides of a colour.
std::array<Features, 3> derivatives(Model model, const Vec3& rgb) {
    std::array<Features, 3> all;
    for (int k = 0; k < 3; ++k) {
        Vec3 up = rgb, down = rgb;
        const double step = 1e-4 * std::max(rgb[k], 1e-6);
        up[k] += step;
        down[k] -= step;
        all[static_cast<std::size_t>(k)] = (features(model, up) - features(model, down)) / (2 * step);
    }
    return all;
}

} // namespace

Mat3 slope(Model model, const Coefficients& c, const Vec3& rgb) {
    if (is_matrix(model)) return c.leftCols<3>();
    const auto d = derivatives(model, rgb);
    Mat3 j;
    for (int k = 0; k < 3; ++k) j.col(k) = c * d[static_cast<std::size_t>(k)];
    return j;
}

const Slopes& slopes_of(Model model, bool fine) {
    // Models are homogeneous: their slope depends on chromaticity alone, so the faces where a channel is 1 stand for
    // all levels.
    const auto over = [](int n) {
        std::array<Slopes, all_models.size()> s;
        for (const Model m : all_models) {
            Slopes& own = s[static_cast<std::size_t>(m)];
            for (auto& d : own.by_channel) d.resize(size_of(m), 3 * n * n);
            own.colour.resize(3, 3 * n * n);
            Eigen::Index at = 0;
            for (int face = 0; face < 3; ++face)
                for (int i = 0; i < n; ++i)
                    for (int k = 0; k < n; ++k, ++at) {
                        Vec3 rgb;
                        rgb[face] = 1;
                        rgb[(face + 1) % 3] = std::exp2(-6.0 * i / (n - 1));
                        rgb[(face + 2) % 3] = std::exp2(-6.0 * k / (n - 1));
                        own.colour.col(at) = rgb;
                        const auto d = derivatives(m, rgb);
                        for (std::size_t c = 0; c < 3; ++c) own.by_channel[c].col(at) = d[c];
                    }
        }
        return s;
    };
    static const auto coarsely = over(13), finely = over(25);
    return (fine ? finely : coarsely)[static_cast<std::size_t>(model)];
}

bool folds(Model model, const Coefficients& c) {
    if (is_matrix(model)) return c.leftCols<3>().determinant() <= 0;
    const Eigen::VectorXd d = slopes_of(model).determinants(c);
    return d[0] <= 0 || d.minCoeff() < least_slope * d[0];
}

double noise_gain(Model model, const Coefficients& c) {
    static const Mat3 from_xyz = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    return (from_xyz * slope(model, c, Vec3::Ones())).norm() / std::sqrt(3.0);
}

double bend(Model model, const Coefficients& c) {
    if (is_matrix(model)) return 0;
    const Slopes& s = slopes_of(model);
    const Mat3 middle = s.at(c, 0);
    double most = 0;
    for (Eigen::Index i = 0; i < s.colour.cols(); ++i) // over what surfaces show: to three stops between channels
        if (s.colour.col(i).minCoeff() > 0.12) most = std::max(most, (s.at(c, i) - middle).norm() / middle.norm());
    return most;
}

std::string name_of(Intent i) {
    switch (i) {
    case Intent::even: return "even";
    case Intent::people: return "people";
    case Intent::textiles: return "textiles";
    case Intent::plants: return "plants";
    case Intent::paint: return "paint";
    }
    return {};
}

Intent intent_named(const std::string& name) {
    for (const Intent i : all_intents)
        if (name == name_of(i)) return i;
    if (name == "colorimetric") return Intent::even;
    if (name == "skin") return Intent::people;
    if (name == "chroma") return Intent::textiles;
    throw Error(ErrorKind::usage, "unknown intent '" + name + "'", {}, "Known: even people textiles plants paint");
}

bool is_of_kind(Intent intent, const Vec3& xyz) {
    const Vec3 lch = colour::lch_from(colour::lab_from_xyz(xyz));
    const double chroma = lch[1], hue = lch[2];
    switch (intent) {
    case Intent::even: return false;
    case Intent::people: return chart::likely_role(xyz) == "skin";
    case Intent::textiles: return chroma > 40;
    case Intent::plants: return chroma > 8 && hue > 95 && hue < 165;
    case Intent::paint: return chroma > 20 && hue > 30 && hue < 100;
    }
    return false;
}

} // namespace refero::fit
