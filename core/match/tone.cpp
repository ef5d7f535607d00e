// A camera's own picture as a target: its tone curve and its colour apart.
#include <cmath>

#include "colour/rgb.hpp"
#include "match/match.hpp"

namespace refero::match {

using colour::Vec3;

namespace {

constexpr std::size_t fewest_greys = 4;
constexpr double least_step = 0.004; ///< between codes of two greys: a code of eight bits

double code_of_light(double light) { return colour::encode(colour::Transfer::srgb, light); }

/// The code that the curve takes to another one; it does not fall.
double before_curve(const std::vector<std::array<double, 2>>& curve, double wanted) {
    double low = -0.5, high = 2.5;
    for (int i = 0; i < 60; ++i) {
        const double middle = (low + high) / 2;
        (look::on_look_curve(curve, middle) < wanted ? low : high) = middle;
    }
    return (low + high) / 2;
}

} // namespace

std::optional<Tone> tone_of(const read::Reading& other, const chart::Reference& picture,
                            const chart::Definition* definition, const balance::Balance& balance) {
    std::vector<std::array<double, 2>> greys; // codes: as balanced, and as the picture shows them
    for (const read::PatchReading& p : other.patches) {
        const auto shown = picture.xyz.find(p.id);
        if (!p.usable() || shown == picture.xyz.end() || !balance::is_neutral(definition, p.id, shown->second))
            continue;
        const Vec3 rgb = balance(Vec3(p.mean[0], p.mean[1], p.mean[2]));
        if (rgb[1] > 0 && shown->second[1] > 0)
            greys.push_back({code_of_light(rgb[1]), code_of_light(shown->second[1])});
    }
    std::sort(greys.begin(), greys.end());
    if (greys.size() < fewest_greys) return std::nullopt;
    Tone tone;
    tone.curve.push_back({0, 0});
    for (const auto& [in, out] : greys)
        if (in > tone.curve.back()[0] + least_step && out >= tone.curve.back()[1]) tone.curve.push_back({in, out});
    if (tone.curve.size() < fewest_greys) return std::nullopt;
    for (const auto& [in, out] : greys) {
        tone.greys_before += 100 * std::abs(in - out) / static_cast<double>(greys.size());
        tone.greys_after +=
            100 * std::abs(look::on_look_curve(tone.curve, in) - out) / static_cast<double>(greys.size());
    }
    return tone;
}

chart::Reference without_tone(const chart::Reference& picture, const Tone& tone) {
    const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50(), from_xyz = to_xyz.inverse();
    chart::Reference r = picture;
    for (auto& [id, xyz] : r.xyz) {
        const Vec3 rgb = from_xyz * xyz;
        xyz = to_xyz * rgb.unaryExpr([&](double light) {
            return colour::decode(colour::Transfer::srgb, before_curve(tone.curve, code_of_light(light)));
        });
    }
    return r;
}

} // namespace refero::match
