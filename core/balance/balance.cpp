#include "balance/balance.hpp"
#include "base/statistics.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include <Eigen/LU>

namespace refero::balance {

namespace {

constexpr double neutral_chroma = 6; // CIELAB; nominal greys of a printed chart stay below

double brightest(const read::PatchReading& p) { return *std::max_element(p.mean.begin(), p.mean.end()); }
double darkest(const read::PatchReading& p) { return *std::min_element(p.mean.begin(), p.mean.end()); }

bool too_bright(const read::PatchReading& p) { return p.clipped > 0 || brightest(p) >= near_clipping; }
bool too_dark(const read::PatchReading& p) { return !p.pixels || !(darkest(p) >= least_signal); }

struct Neutral {
    const read::PatchReading* patch;
    double Y;
    bool usable() const { return !too_bright(*patch) && !too_dark(*patch); }
};

/// Lightest first.
std::vector<Neutral> neutrals_of(const read::Reading& reading, const chart::Reference& reference,
                                 const chart::Definition* definition) {
    std::vector<Neutral> all;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) continue;
        if (is_neutral(definition, p.id, xyz->second)) all.push_back({&p, xyz->second.y()});
    }
    std::stable_sort(all.begin(), all.end(), [](const Neutral& a, const Neutral& b) { return a.Y > b.Y; });
    return all;
}

} // namespace

bool is_neutral(const chart::Definition* definition, const std::string& id, const Vec3& xyz) {
    const int index = definition ? definition->index_of(id) : -1;
    return index >= 0 ? definition->patches[static_cast<std::size_t>(index)].role == "neutral"
                      : colour::lch_from(colour::lab_from_xyz(xyz))[1] < neutral_chroma;
}

std::string choose_white(const read::Reading& reading, const chart::Reference& reference,
                         const chart::Definition* definition) {
    const std::vector<Neutral> all = neutrals_of(reading, reference, definition);
    std::vector<const Neutral*> usable;
    for (const Neutral& n : all)
        if (n.usable()) usable.push_back(&n);
    if (usable.empty())
        throw Error(ErrorKind::input,
                    !all.empty() ? "every neutral patch is clipped or too dark to balance on"
                                 : "the chart has no neutral patch to balance on",
                    {},
                    !all.empty() ? "Expose the chart again so that its greys lie between 1 % and 95 % of saturation"
                                 : "Name a patch to balance on");
    // The lightest of all neutrals is usually white; if it was passed over already, the lightest left will do.
    return usable[usable.size() > 1 && all.size() == usable.size() ? 1 : 0]->patch->id;
}

Balance balanced_on(const read::Reading& reading, const chart::Reference& reference,
                    const chart::Definition* definition, const std::string& white) {
    const auto spot = spot_from(white);
    Balance b =
        on_patch(reading, reference,
                 white.empty() || white == all_neutrals || spot ? choose_white(reading, reference, definition) : white);
    if (spot) {
        // Its gains, with green of the white patch where it was.
        b.gains = Vec3(spot->camera_rgb[1] / spot->camera_rgb[0], 1, spot->camera_rgb[1] / spot->camera_rgb[2]);
        return b;
    }
    if (white != all_neutrals) return b;
    std::vector<double> red, blue;
    for (const Neutral& n : neutrals_of(reading, reference, definition))
        if (n.usable()) {
            red.push_back(n.patch->mean[1] / n.patch->mean[0]);
            blue.push_back(n.patch->mean[1] / n.patch->mean[2]);
        }
    b.gains = Vec3(mean_median(red), 1, mean_median(blue));
    return b;
}

std::vector<Candidate> candidates(const read::Reading& reading, const chart::Reference& reference,
                                  const chart::Definition* definition, const colour::Mat3* camera_from_xyz,
                                  const std::vector<std::string>& more) {
    const std::vector<Neutral> all = neutrals_of(reading, reference, definition);
    std::vector<Candidate> found;
    constexpr double cast_times = 4;
    const colour::Mat3 to_xyz = colour::rgb_space("linear-bt709").to_xyz_d50();
    const auto add = [&](const std::string& white) {
        Candidate c;
        c.white = white;
        try {
            c.balance = balanced_on(reading, reference, definition, white);
            if (camera_from_xyz) c.light = light_of(*c.balance, *camera_from_xyz);
            for (const Neutral& n : all) {
                if (!n.usable()) continue;
                const Vec3 rgb = (*c.balance)(Vec3(n.patch->mean.data()));
                c.neutrals.push_back(
                    to_xyz * (Vec3::Constant(rgb[1]) + cast_times * (rgb - Vec3::Constant(rgb[1]))).cwiseMax(0));
                c.off_points = std::max(c.off_points, off_points(rgb));
            }
        } catch (const Error& e) {
            c.balance.reset();
            c.refused = e.message();
        }
        found.push_back(std::move(c));
    };
    if (std::count_if(all.begin(), all.end(), [](const Neutral& n) { return n.usable(); }) > 1) add(all_neutrals);
    for (const Neutral& n : all) add(n.patch->id);
    for (const std::string& text : more) add(text);
    return found;
}

std::array<Curve, 3> curves_of(const Balance& balance, const read::Reading& reading, const chart::Reference& reference,
                               const chart::Definition* definition) {
    std::array<Curve, 3> curves;
    std::vector<Neutral> all = neutrals_of(reading, reference, definition);
    std::erase_if(all, [](const Neutral& n) { return !n.usable(); });
    if (all.size() < 3) return curves;
    for (const int c : {0, 2}) {
        Curve& curve = curves[static_cast<std::size_t>(c)];
        for (auto n = all.rbegin(); n != all.rend(); ++n) {
            const Vec3 rgb = balance.scaled(Vec3(n->patch->mean.data()));
            // Two greys of about one level say the same; a step backwards is noise.
            if (!curve.in.empty() && (rgb[c] < 1.02 * curve.in.back() || rgb[1] <= curve.out.back())) continue;
            curve.in.push_back(rgb[c]);
            curve.out.push_back(rgb[1]);
        }
    }
    return curves;
}

std::vector<ExposureTarget> exposure_targets() {
    return {{"White 90 %, black 4 %", 0.90, 0.04},
            {"White 96 %, black 4 %", 0.96, 0.04},
            {"8-bit white 230, black 10", 230 / 255.0, 10 / 255.0},
            {"18 % grey by its reflectance", 0, -1}};
}

ExposureTarget exposure_target(const std::string& name) {
    std::string known;
    for (const ExposureTarget& t : exposure_targets()) {
        if (t.name == name) return t;
        known += "'" + t.name + "', ";
    }
    double percent = 0;
    char sign = 0;
    if (std::sscanf(name.c_str(), "%lf %c", &percent, &sign) == 2 && sign == '%' && percent >= 50 && percent <= 100)
        return {name, percent / 100, -1};
    throw Error(ErrorKind::usage, "unknown exposure target '" + name + "'", {},
                "Known: " + known + "or a white of your own such as '92 %', from 50 % to 100 %");
}

std::optional<ExposureAsk> asked(const ExposureTarget& target, const Balance& balance, const read::Reading& reading,
                                 const chart::Reference& reference, const chart::Definition* definition) {
    std::vector<Neutral> all = neutrals_of(reading, reference, definition);
    std::erase_if(all, [](const Neutral& n) { return n.patch->pixels == 0 || n.patch->clipped > read::most_clipped; });
    if (all.size() < 2) return std::nullopt;
    const auto level = [&](const Neutral& n) { return balance(Vec3(n.patch->mean.data())).mean(); };
    ExposureAsk a;
    double factor = 1;
    if (target.white > 0) {
        factor = colour::decode(colour::Transfer::srgb, target.white) / level(all.front());
    } else {
        // The neutral nearest to 18 %, scaled to it: both read against their reflectance.
        const Neutral& grey = *std::min_element(all.begin(), all.end(), [](const Neutral& x, const Neutral& y) {
            return std::abs(std::log(std::max(1e-4, x.Y) / 0.18)) < std::abs(std::log(std::max(1e-4, y.Y) / 0.18));
        });
        factor = grey.Y / level(grey);
    }
    a.stops = std::log2(factor);
    const double black = factor * level(all.back());
    a.black_code = colour::encode(colour::Transfer::srgb, black);
    if (target.black >= 0) a.black_percent = 100 * (black - colour::decode(colour::Transfer::srgb, target.black));
    for (const read::PatchReading& p : reading.patches)
        if (p.pixels && (factor * balance(Vec3(p.mean.data()))).maxCoeff() > 1) a.clipped.push_back(p.id);
    return a;
}

Balance on_patch(const read::Reading& reading, const chart::Reference& reference, const std::string& id) {
    const read::PatchReading* p = reading.find(id);
    const auto xyz = reference.xyz.find(id);
    if (!p || xyz == reference.xyz.end())
        throw Error(ErrorKind::usage, "there is no patch '" + id + "' to balance on", {}, "Name a patch of the chart");
    if (too_bright(*p))
        throw Error(ErrorKind::input, "patch " + id + " is clipped or nearly so: it cannot set the balance", {},
                    "Choose a darker neutral");
    if (too_dark(*p))
        throw Error(ErrorKind::input, "patch " + id + " is too dark to set the balance", {},
                    "Choose a lighter neutral");
    Balance b;
    b.white_patch = id;
    b.gains = Vec3(p->mean[1] / p->mean[0], 1, p->mean[1] / p->mean[2]);
    b.exposure = xyz->second.y() / p->mean[1];
    return b;
}

colour::Temperature light_of(const Balance& balance, const colour::Mat3& camera_from_xyz) {
    const Vec3 xyz = camera_from_xyz.inverse() * balance.gains.cwiseInverse();
    return colour::correlated_temperature(colour::chromaticity_of(xyz));
}

Vec3 code_points(const Vec3& rgb) {
    return rgb.unaryExpr([](double v) { return 100 * colour::encode(colour::Transfer::srgb, v); });
}

double off_points(const Vec3& rgb) {
    const Vec3 code = code_points(rgb);
    return std::max(std::abs(code[0] - code[1]), std::abs(code[2] - code[1]));
}

std::string cast_of(const Vec3& rgb) {
    const Vec3 code = code_points(rgb);
    std::string words;
    for (const auto& [name, off] : {std::pair("red", code[0] - code[1]), std::pair("blue", code[2] - code[1])})
        if (std::abs(off) > most_off_points)
            words += formatted("{}{} {:.1f} {} green", words.empty() ? "" : ", ", name, std::abs(off),
                               off > 0 ? "over" : "under");
    return words;
}

} // namespace refero::balance
