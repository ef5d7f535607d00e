#include <charconv>
#include <cmath>
#include <sstream>

#include <Eigen/LU>

#include "base/statistics.hpp"
#include "chart/measured.hpp"
#include "colour/rgb.hpp"
#include "display/internal/measure.hpp"

namespace refero::display {

namespace fs = std::filesystem;
using colour::Chromaticity;
using colour::Vec3;

namespace {

std::vector<std::string> words_of(const std::string& line) {
    std::vector<std::string> words;
    std::string word;
    for (const char c : line + ",")
        if (c == ',' || c == ';' || c == '\t' || c == ' ' || c == '\r') {
            if (!word.empty()) words.push_back(word);
            word.clear();
        } else if (c != '"') word += c;
    return words;
}

double area_of(const std::vector<Uv>& p) {
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Uv &a = p[i], &b = p[(i + 1) % p.size()];
        sum += a.u * b.v - b.u * a.v;
    }
    return std::abs(sum) / 2;
}

/// The part of one convex polygon that lies in a triangle (Sutherland and Hodgman 1974).
std::vector<Uv> common(std::vector<Uv> subject, std::array<Uv, 3> clip) {
    const double turn =
        (clip[1].u - clip[0].u) * (clip[2].v - clip[0].v) - (clip[1].v - clip[0].v) * (clip[2].u - clip[0].u);
    if (turn < 0) std::swap(clip[1], clip[2]);
    for (std::size_t k = 0; k < 3; ++k) {
        const Uv a = clip[k], b = clip[(k + 1) % 3];
        const auto side = [&](const Uv& p) { return (b.u - a.u) * (p.v - a.v) - (b.v - a.v) * (p.u - a.u); };
        std::vector<Uv> kept;
        for (std::size_t i = 0; i < subject.size(); ++i) {
            const Uv p = subject[i], q = subject[(i + 1) % subject.size()];
            const double sp = side(p), sq = side(q);
            if (sp >= 0) kept.push_back(p);
            if ((sp >= 0) != (sq >= 0)) {
                const double t = sp / (sp - sq);
                kept.push_back({p.u + t * (q.u - p.u), p.v + t * (q.v - p.v)});
            }
        }
        subject = std::move(kept);
    }
    return subject;
}

/// Light of a channel over code, in even steps: from the greys, taken apart into channels, where there are enough of
/// them, else from its own ramp. Between measured codes by a monotone curve over the light's 2.4th root, which is
/// nearly straight.
std::vector<double> ramp_of(const std::vector<Patch>& patches, int channel, const Vec3& black,
                            const colour::Mat3& channels) {
    constexpr double root = 2.4;
    constexpr std::size_t enough = 8;
    constexpr int size = 1024;
    const colour::Mat3 apart = channels.inverse();
    std::map<double, std::vector<double>> greys, own;
    for (const Patch& p : patches) {
        bool alone = p.rgb[channel] > 1e-3;
        for (int c = 0; c < 3; ++c) alone = alone && (c == channel || p.rgb[c] < 1e-3);
        const double light = std::max(0.0, (apart * (p.xyz - black))[channel]);
        if (alone) own[p.rgb[channel]].push_back(light);
        if (is_grey(p) && p.rgb[1] > 1e-3) greys[p.rgb[1]].push_back(light);
    }
    balance::Curve curve;
    double low = 0;
    for (auto& [code, values] : greys.size() >= enough || own.size() < 4 ? greys : own) {
        low = std::max(low + 1e-6, std::pow(median(values), 1 / root));
        curve.in.push_back(code);
        curve.out.push_back(low);
    }
    const double full = curve.out.back();
    for (double& v : curve.out) v /= full;
    std::vector<double> steps;
    for (int i = 0; i < size; ++i)
        steps.push_back(std::pow(std::clamp(curve(static_cast<double>(i) / (size - 1)), 0.0, 1.0), root));
    return steps;
}

/// A space as people call it.
std::string title_of(const std::string& space) {
    return space == "srgb"         ? "sRGB"
           : space == "display-p3" ? "Display P3"
           : space == "oprgb"      ? "opRGB"
           : space == "bt709"      ? "BT.709"
                                   : space;
}

/// The exponent that a display curve comes to between 10 and 90 % of code: least squares in logarithms.
double exponent_of(colour::Transfer curve) {
    double xx = 0, xy = 0;
    for (double code = 0.1; code < 0.905; code += 0.05) {
        xx += std::log(code) * std::log(code);
        xy += std::log(code) * std::log(colour::decode(curve, code));
    }
    return xy / xx;
}

} // namespace

colour::Transfer target_curve(const std::string& target) {
    if (target != "srgb" && target != "display-p3" && target != "oprgb" && target != "bt709")
        throw Error(ErrorKind::usage, "unknown target '" + target + "'", {}, "Known: srgb display-p3 oprgb bt709");
    return target == "bt709" ? colour::Transfer::bt1886 : colour::rgb_space(target).transfer;
}

std::optional<Vec3> shown(const std::vector<Patch>& patches, const Vec3& rgb) {
    Vec3 sum = Vec3::Zero();
    int n = 0;
    for (const Patch& p : patches)
        if ((p.rgb - rgb).cwiseAbs().maxCoeff() < 2e-3) {
            sum += p.xyz;
            ++n;
        }
    return n ? std::optional<Vec3>(sum / n) : std::nullopt;
}

std::vector<Patch> load(const fs::path& file) { return parse(read_file(file, 16 << 20), file); }

std::string to_csv(const std::vector<Patch>& patches) {
    std::string text = "R,G,B,X,Y,Z\n";
    for (const Patch& p : patches)
        text += formatted("{:.6f},{:.6f},{:.6f},{:.5f},{:.5f},{:.5f}\n", p.rgb[0], p.rgb[1], p.rgb[2], p.xyz[0],
                          p.xyz[1], p.xyz[2]);
    return text;
}

std::vector<Patch> parse(const std::string& text, const fs::path& file) {
    const auto wrong = [&](const std::string& what, const std::string& remedy) {
        throw Error(ErrorKind::input, what, file, remedy);
    };
    const bool cgats = text.find("BEGIN_DATA_FORMAT") != std::string::npos;
    std::istringstream lines(text);
    std::string line;
    std::array<int, 6> column{-1, -1, -1, -1, -1, -1};
    bool in_format = false, in_data = !cgats, have_names = false;
    std::vector<Patch> patches;
    int number = 0;
    double most = 0;
    while (std::getline(lines, line)) {
        ++number;
        const auto words = words_of(line);
        if (words.empty()) continue;
        if (cgats) {
            if (words[0] == "BEGIN_DATA_FORMAT") in_format = true;
            else if (words[0] == "END_DATA_FORMAT") in_format = false;
            else if (words[0] == "BEGIN_DATA") in_data = true;
            else if (words[0] == "END_DATA") break;
            if (words[0].starts_with("BEGIN_") || words[0].starts_with("END_")) continue;
        }
        if ((cgats && in_format) || (!cgats && !have_names)) {
            for (std::size_t i = 0; i < words.size(); ++i) {
                const std::string name = to_lower(words[i]);
                const char* names[6][2] = {{"r", "rgb_r"}, {"g", "rgb_g"}, {"b", "rgb_b"},
                                           {"x", "xyz_x"}, {"y", "xyz_y"}, {"z", "xyz_z"}};
                for (std::size_t k = 0; k < 6; ++k)
                    if (name == names[k][0] || name == names[k][1]) column[k] = static_cast<int>(i);
            }
            have_names = true;
            for (const int c : column)
                if (!cgats && c < 0)
                    wrong("a column is missing", "Name the columns R, G, B, X, Y and Z in the first line");
            continue;
        }
        if (!in_data) continue;
        Patch p;
        for (std::size_t k = 0; k < 6; ++k) {
            const int c = column[k];
            if (c < 0) wrong("a column is missing", "Give RGB_R RGB_G RGB_B and XYZ_X XYZ_Y XYZ_Z");
            double v = NAN;
            if (static_cast<std::size_t>(c) < words.size()) {
                const std::string& w = words[static_cast<std::size_t>(c)];
                const auto [end, problem] = std::from_chars(w.data(), w.data() + w.size(), v);
                if (problem != std::errc() || end != w.data() + w.size()) v = NAN;
            }
            if (!is_reasonable(v) || v < -1)
                wrong(formatted("line {}: a value is no number", number), "Correct this line");
            (k < 3 ? p.rgb : p.xyz)[static_cast<Eigen::Index>(k % 3)] = k < 3 ? v : std::max(v, 0.0);
        }
        most = std::max(most, p.rgb.maxCoeff());
        patches.push_back(p);
    }
    if (most > 1.001) // codes of eight bits, or percent as CGATS has them
        for (Patch& p : patches) p.rgb /= most > 100.5 ? 255 : 100;
    if (!shown(patches, Vec3::Ones())) wrong("white is missing", "Measure R = G = B = 1, too");
    for (int c = 0; c < 3; ++c)
        if (!shown(patches, Vec3::Unit(c)))
            wrong("a primary is missing", "Measure red, green and blue alone at full code, too");
    const Vec3 white = *shown(patches, Vec3::Ones());
    constexpr double least_white = 2; // cd/m2: no display is looked at below
    if (white[1] < least_white)
        wrong(formatted("white has {:.2f}: these are no values in cd/m2", white[1]),
              "Give X Y Z in cd/m2, not scaled to the white");
    // One display shows one code alike, and blue has most Z, green most Y, red more X than Z.
    constexpr double most_apart = 0.15;
    for (const Patch& p : patches)
        if ((p.rgb - Vec3::Ones()).norm() < 1e-3 && std::abs(p.xyz[1] / white[1] - 1) > most_apart)
            wrong(formatted("white was measured as {:.0f} and as {:.0f} cd/m2: two displays are mixed, or it changed",
                            p.xyz[1], white[1]),
                  "Give the values of one display, measured in one go");
    const Vec3 red = *shown(patches, Vec3::Unit(0)), green = *shown(patches, Vec3::Unit(1)),
               blue = *shown(patches, Vec3::Unit(2));
    if (!(green[1] > blue[1] && green[1] > red[1] && blue[2] > blue[1] && red[0] > red[2]))
        wrong("red, green and blue do not have the light of these colours: the columns are in another order",
              "Check the names of the columns");
    if (std::count_if(patches.begin(), patches.end(), is_grey) < 4)
        wrong("there are too few greys", "Measure a ladder of greys from black to white");
    return patches;
}

namespace {

/// Greys: exponent, nearest standard curve, tracking.
void look_at_greys(Display& d, const std::vector<Patch>& patches, const Vec3& white, const Vec3& black) {
    double xx = 0, xy = 0;
    std::map<std::string, double> off;
    for (const Patch& p : patches) {
        if (!is_grey(p)) continue;
        const double code = p.rgb[1], light = (p.xyz[1] - black[1]) / (white[1] - black[1]);
        if (code >= 0.1 && code <= 0.9 && light > 0) {
            xx += std::log(code) * std::log(code);
            xy += std::log(code) * std::log(light);
            for (const auto& [name, value] :
                 {std::pair("srgb", colour::decode(colour::Transfer::srgb, code)),
                  std::pair("2.2", std::pow(code, 2.2)), std::pair("2.4", std::pow(code, 2.4))})
                off[name] += std::pow(std::log(light / value), 2);
            // BT.1886 with the display's own black.
            const double g = 1 / 2.4, b = std::pow(black[1], g), w = std::pow(white[1], g);
            const double lit = std::pow(b + (w - b) * code, 2.4);
            off["bt1886"] += std::pow(std::log(std::max(1e-9, lit - black[1]) / (light * (white[1] - black[1]))), 2);
        }
        if (code >= 0.2) {
            const Vec3 relative = colour::adaptation(white / white[1], colour::white_d50) * p.xyz / white[1];
            const Vec3 lab = colour::lab_from_xyz(relative);
            d.grey_tracking = std::max(d.grey_tracking, std::hypot(lab[1], lab[2]));
        }
    }
    d.gamma = xx > 0 ? xy / xx : NAN;
    if (!off.empty())
        d.curve = std::min_element(off.begin(), off.end(), [](const auto& a, const auto& b) {
                      return a.second < b.second;
                  })->first;
}

/// Its own triangle in every space's.
void look_at_gamut(Display& d, const colour::Mat3& primaries) {
    std::array<Uv, 3> own;
    for (int c = 0; c < 3; ++c) own[static_cast<std::size_t>(c)] = uv_of(primaries.col(c));
    for (const char* name : {"srgb", "display-p3", "oprgb", "bt709", "bt2020"}) {
        const colour::RgbSpace& s = colour::rgb_space(name);
        const std::array<Uv, 3> theirs{uv_of(s.red), uv_of(s.green), uv_of(s.blue)};
        d.area[name] = area_of({own.begin(), own.end()}) / area_of({theirs.begin(), theirs.end()});
        d.coverage[name] = area_of(common({own.begin(), own.end()}, theirs)) / area_of({theirs.begin(), theirs.end()});
    }
}

/// What it can be trusted for, and what to do first.
void say_in_words(Display& d, const std::string& target, const Vec3& white) {
    const colour::RgbSpace& space = colour::rgb_space(target);
    const Uv is = uv_of(white), aim = uv_of(space.white);
    const double white_off = distance(is, aim);
    std::vector<std::string> bad, soft;
    const auto say = [&](bool fails, bool warns, const std::string& words) {
        if (fails) bad.push_back(words);
        else if (warns) soft.push_back(words);
    };
    say(white_off > 4 * aims.white_off, white_off > aims.white_off,
        formatted("set its white to {} (it is {:.0f} K, Duv {:+.4f})", target == "romm" ? "D50" : "D65", d.light.kelvin,
                  d.light.duv));
    say(false, d.luminance < aims.least_luminance,
        formatted("turn its brightness up: {:.0f} cd/m2 is below {:.0f}", d.luminance, aims.least_luminance));
    say(false, d.luminance > aims.most_luminance,
        formatted("turn its brightness down: {:.0f} cd/m2 is above {:.0f} for judging prints and pictures", d.luminance,
                  aims.most_luminance));
    say(false, d.contrast < aims.least_contrast,
        formatted("darken the room, or check its black level: contrast is {:.0f} to 1", d.contrast));
    say(d.grey_tracking > aims.most_grey, d.grey_tracking > aims.good_grey,
        formatted("profile it: its greys are tinted by up to {:.1f}", d.grey_tracking));
    say(d.coverage[target] < 0.85, d.coverage[target] < 0.95,
        formatted("edit in a smaller space: it shows {:.0f} % of {}", 100 * d.coverage[target], title_of(target)));
    say(d.delta_e_2000.mean > aims.most_difference, d.delta_e_2000.mean > aims.good_difference,
        formatted("calibrate and profile it: colours are off by {:.1f} on average", d.delta_e_2000.mean));
    d.verdict = !bad.empty() ? Verdict::fail : !soft.empty() ? Verdict::caution : Verdict::pass;
    bad.insert(bad.end(), soft.begin(), soft.end());
    if (!d.black_measured) bad.push_back("measure black, too (R = G = B = 0): contrast and blacks are not judged");
    for (const std::string& b : bad) d.advice += (d.advice.empty() ? "" : "; ") + b;
    std::string whole;
    for (const char* name : {"srgb", "display-p3", "oprgb"})
        if (d.coverage[name] > 0.97) whole += (whole.empty() ? "" : ", ") + title_of(name);
    d.words = d.verdict == Verdict::pass      ? "It can be trusted for judging colour"
              : d.verdict == Verdict::caution ? "It can be trusted for most work once what is advised is done"
                                              : "Do not judge colour on it as it is";
    d.words += whole.empty() ? ". It shows no editing space fully" : ". It fully shows " + whole;
}

} // namespace

std::string black_in_words(const Display& d) {
    if (!d.black_measured) return "black was not measured";
    if (!std::isfinite(d.contrast)) return "black 0: less light than the instrument can tell";
    return formatted("black {:.3f} cd/m2; contrast {:.0f} to 1", d.black, d.contrast);
}

Display look(const std::vector<Patch>& patches, const std::string& target) {
    const colour::Transfer curve = target_curve(target);
    Display d;
    const Vec3 white = *shown(patches, Vec3::Ones()), black = shown(patches, Vec3::Zero()).value_or(Vec3::Zero());
    d.white = colour::chromaticity_of(white);
    d.light = colour::correlated_temperature(d.white);
    d.luminance = white[1];
    d.black = black[1];
    d.black_measured = shown(patches, Vec3::Zero()).has_value();
    d.contrast = !d.black_measured ? NAN : black[1] > 0 ? white[1] / black[1] : INFINITY;
    look_at_greys(d, patches, white, black);
    colour::Mat3 primaries;
    for (int c = 0; c < 3; ++c) primaries.col(c) = (*shown(patches, Vec3::Unit(c)) - black) / (white[1] - black[1]);
    look_at_gamut(d, primaries);
    // All patches as the target space has them.
    const colour::RgbSpace& space = colour::rgb_space(target);
    const colour::Mat3 adapt = colour::adaptation(white / white[1], colour::white_d50), to_xyz = space.to_xyz_d50();
    std::vector<double> all;
    for (const Patch& p : patches) {
        const Vec3 light = p.rgb.unaryExpr([&](double v) { return colour::decode(curve, v); });
        all.push_back(
            colour::delta_e_2000(colour::lab_from_xyz(to_xyz * light), colour::lab_from_xyz(adapt * p.xyz / white[1])));
    }
    d.delta_e_2000 = fit::statistics(all);
    // For its profile: primaries scaled so that they sum to white.
    const Vec3 sum = primaries.inverse() * (white - black) / (white[1] - black[1]);
    d.to_xyz_d50 = adapt * primaries * sum.asDiagonal();
    for (int c = 0; c < 3; ++c)
        d.curves[static_cast<std::size_t>(c)] = ramp_of(patches, c, black, primaries * (white[1] - black[1]));
    profile_it(d, patches, adapt, black, white);
    d.white_off_d50 = distance(uv_of(white), uv_of(colour::white_d50));
    d.white_off_d65 = distance(uv_of(white), uv_of(colour::rgb_space("srgb").white));
    d.faults = faults_of(patches, d, space.white, exponent_of(curve));
    say_in_words(d, target, white);
    return d;
}

} // namespace refero::display
