#include "match/recipe.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/LU>
#include <nlohmann/json.hpp>

#include "base/line.hpp"
#include "colour/rgb.hpp"

namespace refero::match {

using colour::Vec3;

namespace {

constexpr double degrees = 180 / std::numbers::pi;

struct Scope : look::ScopePoint {
    double angle() const { return std::atan2(cr, cb) * degrees; }
    double saturation() const { return std::hypot(cb, cr); }
};
Scope scope_of(const Vec3& code) { return {look::scope_of(code)}; }

Vec3 encoded(const Vec3& light) {
    return light.unaryExpr([](double v) { return colour::encode(colour::Transfer::srgb, v); });
}

Vec3 lab_of(const Vec3& code) {
    static const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50();
    return colour::lab_from_xyz(to_xyz *
                                code.unaryExpr([](double v) { return colour::decode(colour::Transfer::srgb, v); }));
}

double turned(double deg) { return std::remainder(deg, 360.0); }

struct Patch {
    std::string id, role;
    Vec3 code, target; ///< codes
    double strength() const { return scope_of(target).saturation(); }
};

double residual_of(const std::vector<Patch>& patches) {
    double sum = 0;
    for (const Patch& p : patches) sum += colour::delta_e_2000(lab_of(p.code), lab_of(p.target));
    return patches.empty() ? 0 : sum / static_cast<double>(patches.size());
}

/// Offset, gain and gamma of one channel by least squares on the greys, gamma by search.
void level(const std::vector<Patch>& greys, int channel, Recipe& recipe) {
    double best = 1e300;
    for (double gamma = 0.5; gamma <= 2.0001; gamma += 0.01) {
        std::vector<std::pair<double, double>> points;
        for (const Patch& p : greys)
            points.emplace_back(std::pow(std::max(p.code[channel], 0.0), gamma), p.target[channel]);
        const auto line = line_through(points);
        if (!line) continue;
        const double gain = line->slope, offset = line->offset;
        double cost = 0;
        for (const Patch& p : greys) {
            const double made = offset + gain * std::pow(std::max(p.code[channel], 0.0), gamma);
            cost += std::pow(made - p.target[channel], 2);
        }
        if (cost < best) {
            best = cost;
            recipe.gain[channel] = gain;
            recipe.offset[channel] = offset;
            recipe.gamma[channel] = gamma;
        }
    }
}

Vec3 levelled(const Recipe& r, const Vec3& code) {
    Vec3 out;
    for (int c = 0; c < 3; ++c) out[c] = r.offset[c] + r.gain[c] * std::pow(std::max(code[c], 0.0), r.gamma[c]);
    return out;
}

/// How much a colour belongs to a range of hues, a raised cosine: 1 at its centre, 0 at the next ones.
double belongs(double angle, double centre, double reach) {
    const double off = std::abs(turned(angle - centre));
    return off < reach ? 0.5 * (1 + std::cos(std::numbers::pi * off / reach)) : 0;
}

Vec3 moved(const Vec3& code, const std::vector<HueMove>& moves, double reach, bool saturation, bool hue) {
    Scope s = scope_of(code);
    double factor = 1, turn = 0;
    for (const HueMove& m : moves) {
        const double share = belongs(s.angle(), m.centre_deg, reach);
        if (saturation) factor += share * m.saturation_percent / 100;
        if (hue) turn += share * m.hue_deg;
    }
    const double angle = (s.angle() + turn) / degrees, strength = s.saturation() * factor;
    s.cb = strength * std::cos(angle);
    s.cr = strength * std::sin(angle);
    return look::code_of(s);
}

/// What moves leave on the patches, with a little against large ones: few patches stand for many colours.
double left_by(const std::vector<Patch>& patches, const std::vector<HueMove>& moves, double reach) {
    constexpr double against = 0.01, usual_percent = 10, usual_deg = 5;
    double sum = 0, size = 0;
    for (const Patch& p : patches)
        sum += colour::delta_e_2000(lab_of(moved(moved(p.code, moves, reach, true, false), moves, reach, false, true)),
                                    lab_of(p.target));
    for (const HueMove& m : moves)
        size += std::pow(m.saturation_percent / usual_percent, 2) + std::pow(m.hue_deg / usual_deg, 2);
    return sum / static_cast<double>(patches.size()) + against * size / static_cast<double>(moves.size());
}

/// Each number in turn up and down by steps that grow smaller, as long as less is left.
void refine(const std::vector<Patch>& patches, std::vector<HueMove>& moves, double reach) {
    double left = left_by(patches, moves, reach);
    for (double step = 1; step > 0.03; step /= 2)
        for (bool better = true; better;) {
            better = false;
            for (HueMove& m : moves) {
                if (m.patches == 0) continue;
                for (double HueMove::*number : {&HueMove::saturation_percent, &HueMove::hue_deg})
                    for (const double by : {step, -step}) {
                        const double was = m.*number;
                        m.*number += by * (number == &HueMove::hue_deg ? 4 : 8);
                        if (const double now = left_by(patches, moves, reach); now < left - 1e-6) {
                            left = now;
                            better = true;
                        } else m.*number = was;
                    }
            }
        }
}

constexpr double least_strength = 0.03; ///< of a colour whose hue says something

/// Saturation first, hue second, each from the patches of the range.
std::vector<HueMove> moves_for(const std::vector<Patch>& patches, std::vector<HueMove> moves, double reach) {
    const auto learn = [&](bool saturation) {
        for (HueMove& m : moves) {
            double weight = 0, sum = 0;
            m.patches = 0;
            for (const Patch& p : patches) {
                const Scope here = scope_of(moved(p.code, moves, reach, !saturation, false)),
                            there = scope_of(p.target);
                if (here.saturation() < least_strength || there.saturation() < least_strength) continue;
                const double share = belongs(here.angle(), m.centre_deg, reach) * there.saturation();
                if (share <= 0) continue;
                weight += share;
                ++m.patches;
                sum += share * (saturation ? std::log(there.saturation() / here.saturation())
                                           : turned(there.angle() - here.angle()));
            }
            if (weight <= 0) continue;
            if (saturation) m.saturation_percent = std::clamp(100 * std::expm1(sum / weight), -80.0, 200.0);
            else m.hue_deg = std::clamp(sum / weight, -60.0, 60.0);
        }
    };
    learn(true);
    learn(false);
    refine(patches, moves, reach);
    // What one move alone does to the hues beside it.
    for (HueMove& m : moves) {
        double sum = 0;
        int n = 0;
        for (const Patch& p : patches) {
            const double off = std::abs(turned(scope_of(p.code).angle() - m.centre_deg));
            if (off < reach / 2 || off > 1.5 * reach || scope_of(p.code).saturation() < least_strength) continue;
            sum += colour::delta_e_2000(lab_of(p.code), lab_of(moved(p.code, {m}, reach, true, true)));
            ++n;
        }
        m.drag = n ? sum / n : 0;
    }
    return moves;
}

std::vector<HueMove> hues(int count) {
    std::vector<HueMove> all;
    if (count == 6) {
        const std::pair<const char*, Vec3> bars[] = {{"red", {1, 0, 0}},   {"yellow", {1, 1, 0}},
                                                     {"green", {0, 1, 0}}, {"cyan", {0, 1, 1}},
                                                     {"blue", {0, 0, 1}},  {"magenta", {1, 0, 1}}};
        for (const auto& [name, rgb] : bars) all.push_back({.name = name, .centre_deg = scope_of(rgb).angle()});
    } else {
        const char* names[] = {"blue", "purple", "magenta", "red", "orange", "yellow", "green", "cyan"};
        for (int k = 0; k < 8; ++k) all.push_back({.name = names[k], .centre_deg = turned(45.0 * k)});
    }
    return all;
}

} // namespace

Recipe recipe_of(const std::map<std::string, Vec3>& recorded, const std::map<std::string, Vec3>& balanced,
                 const chart::Reference& target, const chart::Definition* definition, const balance::Balance& balance,
                 const std::optional<colour::Temperature>& light, const std::vector<Between>& between) {
    Recipe r;
    r.gains = balance.gains;
    r.stops = std::log2(balance.exposure);
    r.light = light;
    const colour::Mat3 from_xyz = colour::rgb_space("srgb").to_xyz_d50().inverse();
    std::vector<Patch> patches, before;
    for (const auto& [id, rgb] : balanced) {
        const auto xyz = target.xyz.find(id);
        if (xyz == target.xyz.end()) continue;
        const int at = definition ? definition->index_of(id) : -1;
        std::string role = at >= 0 ? definition->patches[static_cast<std::size_t>(at)].role : std::string();
        if (!definition && balance::is_neutral(nullptr, id, xyz->second)) role = "neutral";
        patches.push_back({id, role, encoded(rgb), encoded(from_xyz * xyz->second)});
        before.push_back(patches.back());
        if (const auto raw = recorded.find(id); raw != recorded.end()) before.back().code = encoded(raw->second);
    }
    r.steps.push_back({"as recorded", residual_of(before)});
    r.steps.push_back({"balance", residual_of(patches)});
    std::vector<Patch> surfaces;
    for (const Between& b : between) surfaces.push_back({"", "", encoded(b.balanced), encoded(from_xyz * b.target)});
    std::vector<Patch> greys;
    for (const Patch& p : patches)
        if (p.role == "neutral") greys.push_back(p);
    if (greys.size() >= 3)
        for (int c = 0; c < 3; ++c) level(greys, c, r);
    for (const double in : {0.0, 0.1, 0.25, 0.5, 0.75, 0.9, 1.0}) {
        const Vec3 out = levelled(r, Vec3::Constant(in));
        r.points.push_back({in, out[0], out[1], out[2]});
    }
    for (Patch& p : patches) p.code = levelled(r, p.code);
    for (Patch& p : surfaces) p.code = levelled(r, p.code);
    r.steps.push_back({"exposure and contrast", residual_of(patches)});
    // Skin: on its own hue, as narrow as its neighbours allow.
    std::vector<Patch> skins;
    for (const Patch& p : patches)
        if (p.role == "skin") skins.push_back(p);
    if (!skins.empty()) {
        constexpr double reach = 30;
        double cb = 0, cr = 0;
        for (const Patch& p : skins) {
            cb += scope_of(p.code).cb;
            cr += scope_of(p.code).cr;
        }
        r.skin = moves_for(skins, {{.name = "skin", .centre_deg = std::atan2(cr, cb) * degrees}}, reach).front();
        for (std::vector<Patch>* all : {&patches, &surfaces})
            for (Patch& p : *all)
                p.code = moved(moved(p.code, {*r.skin}, reach, true, false), {*r.skin}, reach, false, true);
        r.steps.push_back({"skin", residual_of(patches)});
    }
    std::vector<Patch> taught = patches; // the chart's own count more, as long as there are few
    taught.insert(taught.end(), patches.begin(), patches.end());
    taught.insert(taught.end(), surfaces.begin(), surfaces.end());
    for (const int count : {6, 8}) {
        const double reach = count == 6 ? 60 : 45;
        const auto moves = moves_for(taught, hues(count), reach);
        std::vector<Patch> after = patches;
        for (Patch& p : after) p.code = moved(moved(p.code, moves, reach, true, false), moves, reach, false, true);
        r.steps.push_back({count == 6 ? "six hues" : "eight hues", residual_of(after)});
        (count == 6 ? r.six : r.eight) = moves;
    }
    return r;
}

std::string to_json(const Recipe& r) {
    using Json = nlohmann::ordered_json;
    const auto vec = [](const Vec3& v) { return Json{v[0], v[1], v[2]}; };
    const auto move = [](const HueMove& m) {
        return Json{{"name", m.name},
                    {"centre_deg", m.centre_deg},
                    {"saturation_percent", m.saturation_percent},
                    {"hue_deg", m.hue_deg},
                    {"drag", m.drag},
                    {"patches", m.patches}};
    };
    Json j{{"refero_recipe", 1},
           {"balance",
            {{"gains", vec(r.gains)},
             {"stops", r.stops},
             {"kelvin", r.light ? Json(r.light->kelvin) : Json()},
             {"duv", r.light ? Json(r.light->duv) : Json()}}},
           {"levels", {{"offset", vec(r.offset)}, {"gain", vec(r.gain)}, {"gamma", vec(r.gamma)}}},
           {"curve_points", r.points}};
    j["skin"] = r.skin ? move(*r.skin) : Json();
    for (const HueMove& m : r.six) j["six_hues"].push_back(move(m));
    for (const HueMove& m : r.eight) j["eight_hues"].push_back(move(m));
    for (const Step& s : r.steps) j["steps"].push_back({{"step", s.name}, {"residual", s.residual}});
    return j.dump(1);
}

std::string in_words(const Recipe& r) {
    std::string text = formatted(
        "Balance: red x {:.3f}, green x {:.3f}, blue x {:.3f}{}\n", r.gains[0], r.gains[1], r.gains[2],
        r.light ? formatted("; the light is {:.0f} K, Duv {:+.4f}", r.light->kelvin, r.light->duv) : std::string());
    text += formatted("Exposure: {:+.2f} stops\n", r.stops);
    const char* channels[] = {"Red", "Green", "Blue"};
    for (int c = 0; c < 3; ++c)
        text += formatted("{}: gain {:.3f}, offset {:+.3f}, gamma {:.2f}\n", channels[c], r.gain[c],
                          std::round(1000 * r.offset[c]) / 1000 + 0.0, // no minus before a zero
                          r.gamma[c]);
    text += "Curve points (code in: red, green, blue, percent):\n";
    for (const auto& p : r.points)
        text += formatted("  {:5.1f}: {:5.1f} {:5.1f} {:5.1f}\n", 100 * p[0], 100 * p[1], 100 * p[2], 100 * p[3]);
    const auto add = [&](const HueMove& m) {
        if (m.patches == 0) return;
        text += formatted("  {:<8} saturation {:+.0f} %, hue {:+.1f} degrees; drags its neighbours by {:.1f} dE\n",
                          m.name, m.saturation_percent, m.hue_deg, m.drag);
    };
    if (r.skin) {
        text += "Skin:\n";
        add(*r.skin);
    }
    text += "Six hues, saturation first, hue second:\n";
    for (const HueMove& m : r.six) add(m);
    text += "Or eight hues:\n";
    for (const HueMove& m : r.eight) add(m);
    text += "What is left after each step, mean CIEDE2000:\n";
    for (const Step& s : r.steps) text += formatted("  {:<22} {:.2f}\n", s.name, s.residual);
    return text;
}

} // namespace refero::match
