// What is thought neutral besides a chart's patches, curves of the channels, and the finish after a correction.
#include <algorithm>
#include <cmath>
#include <cstdio>

#include <Eigen/LU>

#include "balance/balance.hpp"
#include "base/statistics.hpp"

namespace refero::balance {

// Fritsch and Carlson, "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal. 17(2), 1980; slopes by weighted
// harmonic means (Fritsch and Butland 1984).
double Curve::operator()(double v) const {
    if (in.empty()) return v;
    const auto n = in.size();
    const auto x = [&](std::size_t i) { return i ? in[i - 1] : 0.0; };
    const auto y = [&](std::size_t i) { return i ? out[i - 1] : 0.0; };
    const auto chord = [&](std::size_t i) { return (y(i + 1) - y(i)) / (x(i + 1) - x(i)); };
    const auto slope = [&](std::size_t i) {
        if (i == 0) return chord(0);
        if (i == n) return chord(n - 1);
        const double h0 = x(i) - x(i - 1), h1 = x(i + 1) - x(i), a = 2 * h1 + h0, b = h1 + 2 * h0;
        return (a + b) / (a / chord(i - 1) + b / chord(i));
    };
    if (v <= 0) return slope(0) * v;
    if (v >= in.back()) return out.back() + slope(n) * (v - in.back());
    const auto i = static_cast<std::size_t>(std::upper_bound(in.begin(), in.end(), v) - in.begin());
    const double h = x(i + 1) - x(i), t = (v - x(i)) / h;
    return y(i) * (1 + 2 * t) * (1 - t) * (1 - t) + h * slope(i) * t * (1 - t) * (1 - t) +
           y(i + 1) * t * t * (3 - 2 * t) + h * slope(i + 1) * t * t * (t - 1);
}

Vec3 Balance::operator()(const Vec3& camera_rgb) const {
    const Vec3 v = scaled(camera_rgb);
    return curved() ? Vec3(curves[0](v[0]), v[1], curves[2](v[2])) : v;
}

std::string text_of(const Spot& s) {
    return formatted("rgb {:.6g} {:.6g} {:.6g} {}", s.camera_rgb[0], s.camera_rgb[1], s.camera_rgb[2], s.name);
}

std::optional<Spot> spot_from(const std::string& text) {
    Spot s;
    int used = 0;
    if (std::sscanf(text.c_str(), "rgb %lf %lf %lf %n", &s.camera_rgb[0], &s.camera_rgb[1], &s.camera_rgb[2], &used) !=
            3 ||
        !(s.camera_rgb.minCoeff() > 0) || !s.camera_rgb.allFinite())
        return std::nullopt;
    s.name = text.substr(static_cast<std::size_t>(used));
    return s;
}

std::vector<Preset> presets() {
    // On the daylight locus from 4000 K up, on Planck's below.
    std::vector<Preset> all;
    for (const auto& [kind, kelvin] : std::initializer_list<std::pair<const char*, double>>{{"Incandescent", 3000},
                                                                                            {"Fluorescent", 4000},
                                                                                            {"Daylight", 5500},
                                                                                            {"Flash", 5500},
                                                                                            {"Open shade", 7000}}) {
        const double duv = kelvin > 4500 ? colour::correlated_temperature(colour::daylight_locus(kelvin)).duv : 0;
        all.push_back({kind, {kelvin, duv}});
    }
    return all;
}

Spot spot_of(colour::Temperature light, const colour::Mat3& camera_from_xyz) {
    Vec3 rgb = camera_from_xyz * colour::xyz_from(colour::chromaticity_of(light));
    if (!(rgb.minCoeff() > 0))
        throw Error(ErrorKind::input,
                    formatted("by its matrix the camera cannot see a light of {:.0f} K", light.kelvin), {},
                    "Choose a light between 2000 and 12000 K");
    rgb *= 0.5 / rgb.maxCoeff();
    return {rgb, formatted("{:.0f} K, {:+.1f} green", light.kelvin, 1000 * light.duv)};
}

namespace {

constexpr double mired(double kelvin) { return 1e6 / kelvin; }
colour::Temperature d50() {
    static const colour::Temperature t = colour::correlated_temperature(colour::chromaticity_of(colour::white_d50));
    return t;
}

} // namespace

colour::Mat3 matrix_of(const Finish& f, const std::optional<colour::Temperature>& light) {
    if (!(std::abs(f.warmer_mired) <= 100 && std::abs(f.greener) <= 20 && std::abs(f.stops) <= 8 && f.light_kept >= 0 &&
          f.light_kept <= 1))
        throw Error(
            ErrorKind::usage, "the step is too large", {},
            "Up to 8 stops, 100 mired warmer or cooler, 20 thousandths of Duv, and a share of the light from 0 to 1");
    colour::Mat3 m = std::exp2(f.stops) * colour::Mat3::Identity();
    const double share = light ? f.light_kept : 0;
    if (f.warmer_mired == 0 && f.greener == 0 && share == 0) return m;
    // The white that neutrals get: its distance from D50 in mired and across Planck's locus is the step's. Along the
    // daylight locus the latter hardly changes.
    double target_mired = mired(d50().kelvin) + f.warmer_mired, duv = d50().duv + f.greener / 1000;
    if (share > 0) {
        target_mired += share * (mired(light->kelvin) - mired(d50().kelvin));
        duv += share * (light->duv - d50().duv);
    }
    const double kelvin = 1e6 / std::clamp(target_mired, 40.0, 600.0);
    if (share == 0 && f.greener == 0 && kelvin >= 4000 && kelvin <= 25000)
        duv = colour::correlated_temperature(colour::daylight_locus(kelvin)).duv;
    return m * colour::adaptation(colour::white_d50,
                                  colour::xyz_from(colour::chromaticity_of(colour::Temperature{kelvin, duv})));
}

std::string in_words(const Finish& f) {
    std::string words;
    const auto add = [&](const std::string& part) { words += (words.empty() ? "" : ", ") + part; };
    if (f.stops != 0) add(formatted("{:+.2f} stops", f.stops));
    if (f.warmer_mired != 0)
        add(formatted("{:.0f} mired {}", std::abs(f.warmer_mired), f.warmer_mired > 0 ? "warmer" : "cooler"));
    if (f.greener != 0) add(formatted("{:.1f} towards {}", std::abs(f.greener), f.greener > 0 ? "green" : "magenta"));
    if (f.light_kept > 0) add(formatted("{:.0f} % of the light's colour kept", 100 * f.light_kept));
    return words;
}

Finish step_of_patch(const Vec3& reference_xyz) {
    const colour::Temperature patch = colour::correlated_temperature(colour::chromaticity_of(reference_xyz));
    Finish f;
    f.warmer_mired = mired(d50().kelvin) - mired(patch.kelvin);
    f.greener = 1000 * (d50().duv - patch.duv);
    return f;
}

} // namespace refero::balance
