// What is thought neutral besides a chart's patches, and curves of the channels.
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

} // namespace refero::balance
