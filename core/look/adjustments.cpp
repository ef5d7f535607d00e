// Adjustments after a correction: exposure, warmth and tint to leave neutral, as one matrix and in words.
#include "look/adjustments.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/LU>

#include "base/base.hpp"

namespace refero::look {

namespace {

constexpr double mired(double kelvin) { return 1e6 / kelvin; }
colour::Temperature d50() {
    static const colour::Temperature t = colour::correlated_temperature(colour::chromaticity_of(colour::white_d50));
    return t;
}

} // namespace

colour::Mat3 matrix_of(const Adjustments& f, const std::optional<colour::Temperature>& light) {
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

std::string in_words(const Adjustments& f) {
    std::string words;
    const auto add = [&](const std::string& part) { words += (words.empty() ? "" : ", ") + part; };
    if (f.stops != 0) add(formatted("{:+.2f} stops", f.stops));
    if (f.warmer_mired != 0)
        add(formatted("{:.0f} mired {}", std::abs(f.warmer_mired), f.warmer_mired > 0 ? "warmer" : "cooler"));
    if (f.greener != 0) add(formatted("{:.1f} towards {}", std::abs(f.greener), f.greener > 0 ? "green" : "magenta"));
    if (f.light_kept > 0) add(formatted("{:.0f} % of the light's colour kept", 100 * f.light_kept));
    return words;
}

Adjustments step_of_patch(const Vec3& reference_xyz) {
    const colour::Temperature patch = colour::correlated_temperature(colour::chromaticity_of(reference_xyz));
    Adjustments f;
    f.warmer_mired = mired(d50().kelvin) - mired(patch.kelvin);
    f.greener = 1000 * (d50().duv - patch.duv);
    return f;
}

} // namespace refero::look
