// Which of its own controls would bring a display where it should be.
#include <Eigen/LU>

#include "colour/rgb.hpp"
#include "display/internal/measure.hpp"

namespace refero::display {

using colour::Vec3;

namespace {

/// Light that each channel would have to give for the wanted white, relative to what it gives; green at full.
Vec3 wanted_gains(const colour::Mat3& primaries, const Vec3& white, const colour::Chromaticity& wanted) {
    const Vec3 xyz(wanted.x / wanted.y, 1, (1 - wanted.x - wanted.y) / wanted.y);
    const Vec3 is = primaries.inverse() * white, should = primaries.inverse() * xyz;
    return should.cwiseQuotient(is);
}

/// How far logarithms of three gains are from being alike but for one shared factor.
double spread_of(const Vec3& logs) { return (logs.array() - logs.mean()).matrix().norm(); }

const char* channel_name(int c) { return c == 0 ? "red" : c == 1 ? "green" : "blue"; }

/// A white that is off: by its temperature, along the locus, or by one channel that is weak or strong.
std::optional<Fault> white_fault(const colour::Mat3& primaries, const Vec3& white, const Display& d,
                                 const colour::Chromaticity& target) {
    if (distance(uv_of(white), uv_of(target)) < aims.white_off) return {};
    const Vec3 logs = wanted_gains(primaries, white, target).array().log();
    const double wanted = colour::correlated_temperature(target).kelvin;
    // One channel: the two others agree. Where red or blue gave more or less, the white leaves the daylight locus.
    int channel = 0;
    double least = 1e300, amount = 0;
    for (int c = 0; c < 3; ++c) {
        const double a = logs[(c + 1) % 3], b = logs[(c + 2) % 3];
        if (const double off = std::abs(a - b) / std::sqrt(2.0); off < least) {
            least = off;
            channel = c;
            amount = std::exp(logs[c] - (a + b) / 2);
        }
    }
    // A temperature: what is left when it was at another one of the target's kind. Along the daylight locus, or at
    // the target's distance from Planck's.
    double left = 1e300;
    for (double k = 4000; k <= 12000; k *= 1.005) {
        const Vec3 then = wanted_gains(primaries, white, colour::daylight_locus(k));
        left = std::min(left, spread_of(then.array().log()));
    }
    // Two temperatures may be told apart from one weak channel only as far as it leaves the locus.
    if (left < least)
        return Fault{"white", "colour temperature",
                     formatted("white is {:.0f} K, {:.0f} K {} than it should be", d.light.kelvin,
                               std::abs(d.light.kelvin - wanted), d.light.kelvin > wanted ? "bluer" : "yellower"),
                     d.light.kelvin - wanted};
    return Fault{channel_name(channel), formatted("gain of {}", channel_name(channel)),
                 formatted("{} gives {:.0f} % of the light that it should", channel_name(channel), 100 / amount),
                 1 / amount - 1};
}

/// Largest chroma of the greys below white, relative to their own white, and by how much the channels part.
double grey_drift(const std::vector<Patch>& patches, const Vec3& white, const Vec3& black) {
    const colour::Mat3 adapt = colour::adaptation(white / white[1], colour::white_d50);
    double most = 0;
    for (const Patch& p : patches) {
        if (!is_grey(p) || p.rgb[1] < 0.2) continue;
        const Vec3 lab = colour::lab_from_xyz(adapt * (p.xyz - black + black[1] * white / white[1]) / white[1]);
        most = std::max(most, std::hypot(lab[1], lab[2]));
    }
    return most;
}

} // namespace

std::vector<Fault> faults_of(const std::vector<Patch>& patches, const Display& d,
                             const colour::Chromaticity& target_white, double target_gamma) {
    std::vector<Fault> all;
    const Vec3 white = *shown(patches, Vec3::Ones()), black = shown(patches, Vec3::Zero()).value_or(Vec3::Zero());
    colour::Mat3 primaries;
    for (int c = 0; c < 3; ++c) primaries.col(c) = *shown(patches, Vec3::Unit(c)) - black;
    if (const auto f = white_fault(primaries, white - black, d, target_white)) all.push_back(*f);
    if (std::abs(d.gamma - target_gamma) > aims.gamma_off)
        all.push_back({"gamma", "gamma",
                       formatted("its gamma is {:.2f} in place of {:.2f}: middle tones are too {}", d.gamma,
                                 target_gamma, d.gamma < target_gamma ? "light" : "dark"),
                       d.gamma});
    if (const double drift = grey_drift(patches, white, black); drift > aims.good_grey)
        all.push_back({"greys", "offset of each channel (bias), else a profile",
                       formatted("greys are tinted by up to {:.1f} against its own white", drift), drift});
    if (d.luminance < aims.least_luminance)
        all.push_back({"brightness", "brightness of the backlight",
                       formatted("white is {:.0f} cd/m2, below {:.0f}", d.luminance, aims.least_luminance),
                       d.luminance});
    if (d.luminance > aims.most_luminance)
        all.push_back({"brightness", "brightness of the backlight",
                       formatted("white is {:.0f} cd/m2, above {:.0f}", d.luminance, aims.most_luminance),
                       d.luminance});
    if (d.contrast < aims.least_contrast)
        all.push_back({"black", "black level, and the light of the room",
                       formatted("black is {:.2f} cd/m2: contrast is {:.0f} to 1", d.black, d.contrast), d.black});
    return all;
}

Guide guide(const Vec3& white, const Vec3& black, const Vec3& grey, const std::array<Vec3, 3>& channels,
            const std::string& target) {
    constexpr double gain_done = 0.02, gamma_done = 0.12; ///< near enough
    const colour::RgbSpace& space = colour::rgb_space(target);
    Guide g;
    g.white = colour::correlated_temperature(colour::chromaticity_of(white));
    g.luminance = white[1];
    colour::Mat3 primaries;
    for (int c = 0; c < 3; ++c) primaries.col(c) = channels[static_cast<std::size_t>(c)] - black;
    g.turn = wanted_gains(primaries, white - black, space.white);
    g.turn /= g.turn.maxCoeff();
    g.gamma = std::log((grey[1] - black[1]) / (white[1] - black[1])) / std::log(0.5);
    g.asked_gamma = std::log(colour::decode(target_curve(target), 0.5)) / std::log(0.5);
    for (int c = 0; c < 3 && g.next.empty(); ++c)
        if (g.turn[c] < 1 - gain_done)
            g.next = formatted("turn {} down by {:.0f} %", channel_name(c), 100 * (1 - g.turn[c]));
    if (!g.next.empty()) return g;
    if (g.luminance > aims.most_luminance) g.next = "turn the brightness down";
    else if (g.luminance < aims.least_luminance) g.next = "turn the brightness up";
    else if (std::abs(g.gamma - g.asked_gamma) > gamma_done)
        g.next = g.gamma < g.asked_gamma ? "set the gamma higher" : "set the gamma lower";
    else g.next = "its controls have done what they can: check the display and write its profile";
    return g;
}

std::vector<std::string> room_words(const Room& room, const Display& d) {
    // ISO 3664:2009, monitors: at most 64 lx on the desk, better 32; the surround neutral and darker than the picture;
    // ISO 12646: white of the display not below a sheet of paper under that light. From memory.
    std::vector<std::string> all;
    constexpr double most_lux = 64, good_lux = 32, paper = 0.85;
    if (room.lux > most_lux)
        all.push_back(formatted("The room is too bright: {:.0f} lx, at most {:.0f} is asked for", room.lux, most_lux));
    else if (room.lux > good_lux)
        all.push_back(formatted("Darker is better: {:.0f} lx, {:.0f} is recommended", room.lux, good_lux));
    if (const double sheet = paper * room.lux / 3.14159265358979323846; d.luminance < 2 * sheet)
        all.push_back(formatted("Paper on the desk shines with {:.0f} cd/m2 beside a white of {:.0f}: darken the room",
                                sheet, d.luminance));
    if (!room.neutral) all.push_back("Coloured walls and clothes tint the eye: keep grey what is around the picture");
    if (!room.lamps_d50) all.push_back("Light the room near D50, or keep its lamps off the screen");
    return all;
}

} // namespace refero::display
