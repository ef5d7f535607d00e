#include "display/simulated_colorimeter.hpp"

#include <cmath>

#include <Eigen/LU>

#include "colour/rgb.hpp"

namespace refero::display {

using colour::Vec3;

namespace {

// Of the stand-in; customary sizes for instruments of this kind, from memory.
constexpr double noise_share = 0.002, noise_floor = 0.002; ///< cd/m2
constexpr double drift_share = 0.004;                      ///< of light, over a check
constexpr int drift_readings = 80;

Vec3 xyz_of(const colour::Chromaticity& c) { return {c.x / c.y, 1, (1 - c.x - c.y) / c.y}; }

DisplayModel display_like(const char* space, std::string name, std::string backlight) {
    const colour::RgbSpace& s = colour::rgb_space(space);
    DisplayModel d;
    d.name = std::move(name);
    d.backlight = std::move(backlight);
    d.primaries = {s.red, s.green, s.blue};
    d.white = s.white;
    return d;
}

} // namespace

Vec3 light_of(const DisplayModel& d, const Vec3& rgb) {
    colour::Mat3 primaries;
    for (int c = 0; c < 3; ++c) primaries.col(c) = xyz_of(d.primaries[static_cast<std::size_t>(c)]);
    const Vec3 full = primaries.inverse() * xyz_of(d.white) * (d.luminance - d.black);
    Vec3 light;
    for (int c = 0; c < 3; ++c) {
        const double code =
            std::clamp(rgb[c] + d.offset[c] * rgb[c] * (1 - rgb[c]) * 4 * (1 - rgb[c]), 0.0, 1.0); // none at both ends
        const double g = d.gamma[static_cast<std::size_t>(c)];
        light[c] = g > 0 ? std::pow(code, g) : colour::decode(colour::Transfer::srgb, code);
    }
    Vec3 mixed = light;
    for (int c = 0; c < 3; ++c)
        mixed[c] = (1 - d.mixing) * light[c] + d.mixing * (light[(c + 1) % 3] + light[(c + 2) % 3]) / 2;
    mixed = (1 - d.white_channel) * mixed + Vec3::Constant(d.white_channel * mixed.minCoeff());
    return primaries * full.cwiseProduct(d.gain).cwiseProduct(mixed) + d.black * xyz_of(d.white);
}

const std::vector<DisplayModel>& displays() {
    static const std::vector<DisplayModel> all = [] {
        DisplayModel wide = display_like("oprgb", "wide", "white LED, wide phosphors");
        wide.primaries[0] = colour::rgb_space("display-p3").red;
        wide.luminance = 140;
        wide.black = 0.13;
        DisplayModel plain = display_like("srgb", "like sRGB", "white LED");
        plain.gamma = {0, 0, 0};
        plain.luminance = 120;
        DisplayModel tired = display_like("srgb", "tired", "fluorescent tubes");
        tired.luminance = 68;
        tired.black = 0.25;
        tired.gain = {1, 0.97, 0.82};
        tired.gamma = {2.25, 2.2, 2.3};
        DisplayModel badly = display_like("srgb", "badly set", "white LED");
        badly.white = colour::daylight_locus(7300);
        badly.luminance = 260;
        badly.gamma = {1.9, 1.9, 1.9};
        badly.black = 0.3;
        DisplayModel fourth = display_like("display-p3", "with a white channel", "none, light of its own");
        fourth.luminance = 150;
        fourth.black = 0.01;
        fourth.white_channel = 0.35;
        return std::vector{wide, plain, tired, badly, fourth};
    }();
    return all;
}

Vec3 SimulatedColorimeter::measure(const Vec3& rgb) {
    std::normal_distribution<double> noise(0, 1);
    const double drift = 1 - drift_share * std::min(1.0, static_cast<double>(readings_++) / drift_readings);
    Vec3 xyz = sees_ * drift * light_of(display_, rgb) + room_ * xyz_of(colour::daylight_locus(5000));
    for (int c = 0; c < 3; ++c)
        xyz[c] = std::max(0.0, xyz[c] * (1 + noise_share * noise(random_)) + noise_floor * noise(random_));
    return xyz;
}

} // namespace refero::display
