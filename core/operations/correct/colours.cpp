#include "operations/correct/colours.hpp"

#include <cmath>
#include <sstream>

#include "base/statistics.hpp"

namespace refero::operations {

namespace {

using colour::Vec3;

// A click (shares of the mean, over the channels). Texture of cloth stays below these, an edge exceeds them.
constexpr double max_halves_apart = 0.25;                   ///< between the two halves of the square, across or down
constexpr double max_sheen_share = 0.03, sheen_times = 1.6; ///< of the pixels, so many times the median
constexpr double min_signal = 0.002, max_signal = 0.97;     ///< 1 = saturation

/// Two aims that a camera cannot tell apart are of different colours from here on, CIEDE2000.
constexpr double other_colour = 3;

double apart(const Vec3& a, const Vec3& b) {
    return colour::delta_e_2000(colour::lab_from_xyz(a), colour::lab_from_xyz(b));
}

std::optional<colour::Spectrum> spectrum_from(const std::string& text) {
    if (text.empty()) return std::nullopt;
    colour::Spectrum s;
    std::stringstream in(text);
    std::string value;
    int n = 0;
    for (; n < colour::Spectrum::size && std::getline(in, value, ','); ++n) s[n] = std::atof(value.c_str());
    return n == colour::Spectrum::size ? std::optional(s) : std::nullopt;
}

std::string text_of(const colour::Spectrum& s) {
    std::string text;
    for (int i = 0; i < colour::Spectrum::size; ++i) text += formatted("{}{:.5f}", i ? "," : "", s[i]);
    return text;
}

double beyond(const Vec3& xyz, const std::string& space) {
    const Vec3 rgb = colour::rgb_space(space).to_xyz_d50().inverse() * xyz;
    const Vec3 inside = rgb.cwiseMax(0).cwiseMin(1);
    return (inside - rgb).cwiseAbs().maxCoeff() < 1e-6 ? 0 : apart(xyz, colour::rgb_space(space).to_xyz_d50() * inside);
}

} // namespace

ColourAim aim_of(const Vec3& xyz, const std::string& illuminant, int observer) {
    if (!(xyz.allFinite() && xyz.minCoeff() >= 0 && xyz[1] > 0 && xyz[1] <= 1.5))
        throw Error(ErrorKind::usage, "this is no colour of a surface", {},
                    "Y is 100 for the perfect diffuser, and no value is negative");
    if (observer != 2 && observer != 10)
        throw Error(ErrorKind::usage, formatted("there is no observer of {} degrees", observer), {}, "Known: 2 10");
    if (illuminant == "d50" && observer == 2) return {.xyz = xyz};
    const colour::Spectrum light =
        illuminant == "d50"   ? colour::illuminant_d(50)
        : illuminant == "d65" ? colour::illuminant_d(65)
        : illuminant == "a"
            ? colour::illuminant_a()
            : throw Error(ErrorKind::usage, "unknown illuminant '" + illuminant + "'", {}, "Known: d50 d65 a");
    const auto& cmf = observer == 10 ? colour::observer_1964() : colour::observer_1931();
    // The smoothest surface of these values, sought by what it gives under that light: from the adapted values on, a
    // step at a time, and the best of them kept.
    const Vec3 white = colour::xyz_of(colour::Spectrum::constant(1), light, cmf);
    Vec3 at_d50 = colour::adaptation(white, colour::white_d50) * xyz, best = at_d50;
    double least = INFINITY;
    constexpr int steps = 40;
    for (int round = 0; round < steps; ++round) {
        const Vec3 gives = colour::xyz_of(colour::smooth_reflectance(at_d50), light, cmf);
        if (const double off = (gives - xyz).cwiseAbs().maxCoeff(); off < least) {
            least = off;
            best = at_d50;
        }
        at_d50 = (at_d50.array() * (xyz.array().max(1e-6) / gives.array().max(1e-6)).pow(0.7)).matrix();
    }
    at_d50 = best;
    return {.xyz = at_d50, .source = illuminant + (observer == 10 ? ", 10 degrees" : "")};
}

Clicked clicked(const frame::Frame& f, double x, double y, double radius_px) {
    const double radius = radius_px > 0 ? radius_px : 0.01 * std::max(f.full_width, f.full_height);
    const int x0 = static_cast<int>((x - radius) / f.cell), x1 = static_cast<int>((x + radius) / f.cell),
              y0 = static_cast<int>((y - radius) / f.cell), y1 = static_cast<int>((y + radius) / f.cell);
    if (x0 < 0 || y0 < 0 || x1 >= f.width || y1 >= f.height)
        throw Error(ErrorKind::usage, "this place is not in the frame", f.file, "Click where the colour is");
    std::array<std::vector<double>, 3> values;
    std::array<std::array<Vec3, 2>, 2> halves; // left and right, upper and lower
    std::array<std::array<int, 2>, 2> counts{};
    for (auto& h : halves) h = {Vec3::Zero(), Vec3::Zero()};
    int clipped = 0, all = 0;
    for (int v = y0; v <= y1; ++v)
        for (int u = x0; u <= x1; ++u, ++all) {
            const Vec3 rgb(f.at(u, v)[0], f.at(u, v)[1], f.at(u, v)[2]);
            const std::size_t at = static_cast<std::size_t>(v) * f.width + u;
            clipped += (at < f.clipped.size() && f.clipped[at]) || rgb.maxCoeff() > max_signal;
            for (std::size_t c = 0; c < 3; ++c) values[c].push_back(rgb[static_cast<Eigen::Index>(c)]);
            const std::size_t right = 2 * u > x0 + x1, lower = 2 * v > y0 + y1;
            halves[0][right] += rgb;
            ++counts[0][right];
            halves[1][lower] += rgb;
            ++counts[1][lower];
        }
    Clicked k;
    k.rgb = {median(values[0]), median(values[1]), median(values[2])};
    if (clipped > all / 50)
        throw Error(ErrorKind::input, "this place is clipped: its colour is not known", f.file,
                    "Click where it is darker, or expose less");
    if (k.rgb.maxCoeff() < min_signal)
        throw Error(ErrorKind::input, "this place is too dark to tell its colour", f.file,
                    "Click where there is light");
    for (std::size_t way = 0; way < 2; ++way) {
        const Vec3 a = halves[way][0] / std::max(1, counts[way][0]), b = halves[way][1] / std::max(1, counts[way][1]);
        const double level = std::max(min_signal, (a + b).maxCoeff() / 2);
        if ((a - b).cwiseAbs().maxCoeff() > max_halves_apart * level)
            throw Error(ErrorKind::input, "this place lies on an edge: two colours meet in it", f.file,
                        "Click within one colour, or give a smaller --radius");
    }
    const double bright = std::max(k.rgb[1], min_signal);
    const auto shiny =
        std::count_if(values[1].begin(), values[1].end(), [&](double v) { return v > sheen_times * bright; });
    k.sheen = static_cast<double>(shiny) > max_sheen_share * all;
    for (std::size_t c = 0; c < 3; ++c)
        k.error[static_cast<Eigen::Index>(c)] = 1.25 * robust_sd(values[c], k.rgb[static_cast<Eigen::Index>(c)]) /
                                                std::sqrt(static_cast<double>(all)); // of a median
    return k;
}

shoot::Change add_colour(const shoot::Shoot& shoot, const std::string& name, const ColourAim& aim) {
    if (name.empty())
        throw Error(ErrorKind::usage, "a colour needs a name", {}, "Write: colour add \"jacket\" --lab 30,20,-10");
    for (const shoot::NamedColourRecord& c : shoot.colours)
        if (to_lower(c.name) == to_lower(name))
            throw Error(ErrorKind::usage, "there is a colour '" + c.name + "' already", {}, "Choose another name");
    shoot::Change change("Colour " + name);
    change.add(shoot::NamedColourRecord{.name = name,
                                        .x = 100 * aim.xyz[0],
                                        .y = 100 * aim.xyz[1],
                                        .z = 100 * aim.xyz[2],
                                        .uncertainty = aim.uncertainty,
                                        .spectrum = aim.spectrum ? text_of(*aim.spectrum) : std::string(),
                                        .source = aim.source});
    return change;
}

std::vector<ColourExpected> expected_of(const shoot::Shoot& shoot, const Chain& chain, const std::string& space,
                                        bool weightings) {
    std::vector<ColourExpected> all(shoot.colours.size());
    std::vector<Vec3> aims;
    std::vector<std::optional<colour::Spectrum>> spectra;
    for (const shoot::NamedColourRecord& c : shoot.colours) {
        aims.emplace_back(c.x / 100, c.y / 100, c.z / 100);
        spectra.push_back(spectrum_from(c.spectrum));
    }
    for (std::size_t i = 0; i < aims.size(); ++i) all[i].beyond_space = beyond(aims[i], space);
    if (!chain.correction || aims.empty()) return all;

    struct Rendering {
        std::string name;
        fit::Foretelling foretelling;
    };
    std::vector<Rendering> renderings;
    for (const InForce& by : in_force(shoot, chain))
        renderings.push_back({by.rendering, fit::Foretelling(*by.correction)});
    if (weightings && !chain.balance_only())
        for (const fit::Intent intent :
             {fit::Intent::even, fit::Intent::people, fit::Intent::textiles, fit::Intent::plants, fit::Intent::paint}) {
            if (intent == chain.correction->intent) continue;
            try {
                Chain as = chain;
                as.settings.intent = intent;
                renderings.push_back({fit::name_of(intent), fit::Foretelling(fit(fit_request(shoot, as)))});
            } catch (const Error&) { // a weighting that cannot be fitted is none to choose
            }
        }
    if (renderings.empty() || !renderings.front().foretelling.known()) return all;
    const fit::Foretelling& own = renderings.front().foretelling;
    std::vector<Vec3> seen;
    for (std::size_t i = 0; i < aims.size(); ++i) {
        const auto e = own.expected(aims[i], spectra[i] ? &*spectra[i] : nullptr);
        all[i].delta_e_2000 = e.delta_e_2000;
        all[i].radius = e.radius;
        all[i].best_delta_e_2000 = e.delta_e_2000;
        seen.push_back(e.balanced);
        for (std::size_t k = 1; k < renderings.size(); ++k) {
            if (!renderings[k].foretelling.known()) continue;
            const double left =
                renderings[k].foretelling.expected(aims[i], spectra[i] ? &*spectra[i] : nullptr).delta_e_2000;
            if (left >= all[i].best_delta_e_2000) continue;
            all[i].best_delta_e_2000 = left;
            all[i].best = renderings[k].name;
        }
    }
    // Two colours that give camera values nearer than the noise while their aims are apart: no correction can part
    // them.
    const auto confuse = [&](std::size_t i, const Vec3& other, const Vec3& other_aim, const std::string& name) {
        if (!all[i].reachable || apart(aims[i], other_aim) <= other_colour) return;
        const Vec3 noise = own.noise_at(seen[i]);
        if (((seen[i] - other).cwiseAbs().array() < noise.array()).all()) {
            all[i].reachable = false;
            all[i].confused_with = name;
        }
    };
    for (std::size_t i = 0; i < aims.size(); ++i) {
        for (std::size_t k = 0; k < aims.size(); ++k)
            if (k != i) confuse(i, seen[k], aims[k], shoot.colours[k].name);
        for (const read::PatchReading& p : chain.correction->reading.patches)
            if (const auto at = chain.correction->reference.xyz.find(p.id); at != chain.correction->reference.xyz.end())
                confuse(i, chain.correction->balance(Vec3(p.mean.data())), at->second, "patch " + p.id);
    }
    return all;
}

} // namespace refero::operations
