#include "display/check.hpp"
#include "display/internal/measure.hpp"

namespace refero::display {

using colour::Vec3;

namespace {

// What can be believed; chosen by us, well above an instrument's noise and a warm display's drift.
constexpr double control_share = 0.04;     ///< of white's light
constexpr double control_white_uv = 0.005; ///< of white's u' and v'
constexpr double black_rise = 0.15;        ///< cd/m2, or half of black again
constexpr double order_share = 0.03;       ///< by which a brighter code may be darker
constexpr double alike_share = 0.02;       ///< of two readings of one patch
constexpr int patches_between_controls = 10;

bool grey(const Vec3& rgb) { return rgb[0] == rgb[1] && rgb[1] == rgb[2]; }

bool alike(const Vec3& a, const Vec3& b) { return (a - b).norm() < alike_share * std::max(a.norm(), b.norm()) + 0.02; }

} // namespace

std::vector<Shown> sequence() {
    std::vector<Shown> plain;
    const auto add = [&](std::string name, const Vec3& rgb, bool verification = false) {
        plain.push_back({.name = std::move(name), .rgb = rgb, .verification = verification});
        // Dark patches settle slowly, and what was bright before them glows on.
        if (rgb.maxCoeff() < 0.3) {
            plain.back().settle_s = 0.8;
            plain.back().after_black = true;
        }
    };
    for (int i = 18; i >= 1; --i) add(formatted("grey {}", i * 100 / 19), Vec3::Constant(i / 19.0));
    const char* names[] = {"red", "green", "blue"};
    for (int c = 0; c < 3; ++c)
        for (const double share : {1.0, 0.75, 0.5, 0.25})
            add(formatted("{} {:.0f}", names[c], 100 * share), share * Vec3::Unit(c));
    add("cyan", {0, 1, 1});
    add("magenta", {1, 0, 1});
    add("yellow", {1, 1, 0});
    // Skin and memory colours, sRGB codes by eye: what a picture must not show wrongly.
    add("skin, dark", {0.45, 0.32, 0.26}, true);
    add("skin, middle", {0.70, 0.53, 0.44}, true);
    add("skin, light", {0.89, 0.74, 0.65}, true);
    add("sky", {0.42, 0.58, 0.77}, true);
    add("leaf", {0.36, 0.47, 0.24}, true);
    add("orange", {0.87, 0.49, 0.18}, true);
    add("brick", {0.62, 0.28, 0.22}, true);
    add("sea", {0.13, 0.42, 0.48}, true);
    std::vector<Shown> all;
    const auto control = [&](bool first) {
        all.push_back({"white", Vec3::Ones(), first ? 1.5 : 0.6, false, !first});
        all.push_back({"black", Vec3::Zero(), 1.2, false, !first});
    };
    control(true);
    for (std::size_t i = 0; i < plain.size(); ++i) {
        if (i && i % patches_between_controls == 0) control(false);
        all.push_back(plain[i]);
    }
    control(false);
    return all;
}

std::string Check::doubt(const Vec3& xyz) const {
    if (!xyz.allFinite() || xyz.minCoeff() < -0.5) return "this is no reading: the instrument gave no light";
    const Shown& step = next();
    if (read.empty())
        return xyz[1] < 5 ? "white gives almost no light: lay the instrument on the patch, and wake the display" : "";
    const Vec3& white = read[0].xyz;
    if (read.size() == 1)
        return xyz[1] > 0.1 * white[1] ? "black is far too bright: darken the room, and lay the instrument flat" : "";
    const Vec3& black = read[1].xyz;
    if (step.control && step.rgb[0] > 0.5) {
        const Uv was = uv_of(white), is = uv_of(xyz);
        if (std::abs(xyz[1] / white[1] - 1) > control_share || distance(is, was) > control_white_uv)
            return formatted("white is {:.0f} % of what it was: the instrument was moved, or the display changed",
                             100 * xyz[1] / white[1]);
        return {};
    }
    if (step.control)
        return xyz[1] > std::max(1.5 * black[1], black[1] + black_rise)
                   ? "black is brighter than it was: light of the room falls on the screen"
                   : "";
    if (xyz[1] > (1 + control_share) * white[1] + 0.2) return "this is brighter than white: the patch was not shown";
    // A grey lies between its neighbours.
    if (grey(step.rgb))
        for (const Patch& p : read) {
            if (!grey(p.rgb) || p.rgb[0] == step.rgb[0]) continue;
            const bool brighter = p.rgb[0] > step.rgb[0];
            const double room = order_share * std::max(p.xyz[1], xyz[1]) + 0.1;
            if (brighter ? xyz[1] > p.xyz[1] + room : xyz[1] < p.xyz[1] - room)
                return "this grey is out of order with those before: read it again, with the instrument at rest";
        }
    return {};
}

std::string Check::take(const Vec3& xyz) {
    std::string why = doubt(xyz);
    const Shown& step = next();
    // What is read alike twice is what the display does, but for controls and the two that all else rests on.
    if (!why.empty() && !step.control && read.size() >= 2 && doubted_ > 0 && xyz.allFinite() && alike(xyz, last_))
        why.clear();
    if (why.empty()) {
        read.push_back({step.rgb, xyz.cwiseMax(0)});
        doubted_ = 0;
        return {};
    }
    ++doubted_;
    last_ = xyz;
    if (step.control && doubted_ > 1) { // not a slip: what was read since the last control is doubtful
        std::size_t back = read.size();
        while (back > 2 && !(steps[back - 1].control && steps[back - 1].rgb[0] < 0.5)) --back;
        read.resize(back);
        doubted_ = 0;
        why += ". Put it right; the patches since the last control are read again";
    }
    return why;
}

} // namespace refero::display
