#include "look/look.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/LU>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "balance/balance.hpp"
#include "colour/rgb.hpp"

namespace refero::look {

namespace {

constexpr double degrees_per_radian = 180 / std::numbers::pi;
constexpr std::size_t most_curve_points = 16;

double encoded(double light) { return colour::encode(colour::Transfer::srgb, light); }
double decoded(double code) { return colour::decode(colour::Transfer::srgb, code); }

Vec3 through(const Cdl& c, const Vec3& code) {
    Vec3 v;
    for (int k = 0; k < 3; ++k) v[k] = std::pow(std::clamp(code[k] * c.slope[k] + c.offset[k], 0.0, 1.0), c.power[k]);
    const double luma = 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
    return (Vec3::Constant(luma) + c.saturation * (v - Vec3::Constant(luma))).cwiseMax(0).cwiseMin(1);
}

/// Tetrahedral interpolation (Kasson, Plouffe and Nin 1993).
Vec3 through(const Brought& lut, const Vec3& code) {
    const int n = lut.size;
    Vec3 t;
    Eigen::Vector3i at;
    for (int k = 0; k < 3; ++k) {
        const double place = std::clamp(code[k], 0.0, 1.0) * (n - 1);
        at[k] = std::min(static_cast<int>(place), n - 2);
        t[k] = place - at[k];
    }
    std::array<int, 3> order{0, 1, 2};
    std::sort(order.begin(), order.end(), [&](int a, int b) { return t[a] > t[b]; });
    Vec3 sum = Vec3::Zero();
    double before = 1;
    for (std::size_t k = 0; k < 4; ++k) {
        const double next = k < 3 ? t[order[k]] : 0;
        const std::size_t node = 3 * ((static_cast<std::size_t>(at[2]) * n + at[1]) * n + at[0]);
        for (int c = 0; c < 3; ++c) sum[c] += (before - next) * lut.nodes[node + static_cast<std::size_t>(c)];
        before = next;
        if (k < 3) ++at[order[k]];
    }
    return sum / 65535;
}

constexpr std::string_view base64 = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/// 16-bit words, low byte first, three of them in eight digits (RFC 4648).
std::string digits_of(const std::vector<std::uint16_t>& words) {
    std::string text;
    text.reserve(words.size() * 8 / 3 + 8);
    std::uint32_t bits = 0;
    int held = 0;
    for (const std::uint16_t word : words)
        for (const std::uint32_t byte : {std::uint32_t{word} & 255u, std::uint32_t{word} >> 8}) {
            bits = bits << 8 | byte;
            for (held += 8; held >= 6; held -= 6) text += base64[bits >> (held - 6) & 63];
        }
    if (held) text += base64[bits << (6 - held) & 63];
    return text;
}

std::vector<std::uint16_t> words_of(const std::string& digits) {
    std::vector<std::uint16_t> words;
    words.reserve(digits.size() * 3 / 8);
    std::uint32_t bits = 0, low = 0;
    int held = 0;
    bool high = false;
    for (const char c : digits) {
        const auto digit = base64.find(c);
        if (digit == std::string_view::npos) throw Error(ErrorKind::input, "the LUT of this look is damaged");
        bits = bits << 6 | static_cast<std::uint32_t>(digit);
        held += 6;
        if (held < 8) continue;
        held -= 8;
        const std::uint32_t byte = bits >> held & 255;
        if (high) words.push_back(static_cast<std::uint16_t>(byte << 8 | low));
        low = byte;
        high = !high;
    }
    return words;
}

void require(bool good, const std::string& what) {
    if (!good) throw Error(ErrorKind::input, "this look cannot be used: " + what, {}, "Draw or bring it anew");
}

nlohmann::ordered_json json_of(const Vec3& v) { return {v[0], v[1], v[2]}; }
Vec3 vec_from(const nlohmann::json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

} // namespace

bool Look::changes_nothing() const {
    return curve.empty() && !brought && ring == std::array<HueStep, look_hues.size()>{};
}

bool Look::operator==(const Look& o) const {
    return name == o.name && on == o.on && curve == o.curve && ring == o.ring &&
           (brought == o.brought || (brought && o.brought && *brought == *o.brought));
}

double on_look_curve(const std::vector<std::array<double, 2>>& points, double code) {
    if (points.empty()) return code;
    const auto [x0, y0] = points.front();
    if (points.size() == 1) return code + y0 - x0;
    // The curve of the balance room begins at 0, 0.
    balance::Curve from_first;
    for (std::size_t i = 1; i < points.size(); ++i) {
        from_first.in.push_back(points[i][0] - x0);
        from_first.out.push_back(points[i][1] - y0);
    }
    return y0 + from_first(code - x0);
}

ScopePoint scope_of(const Vec3& c) { // Rec. ITU-R BT.709-6
    const double y = 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
    return {y, (c[2] - y) / 1.8556, (c[0] - y) / 1.5748};
}

Vec3 code_of(const ScopePoint& p) {
    const double r = p.luma + 1.5748 * p.cr, b = p.luma + 1.8556 * p.cb;
    return {r, (p.luma - 0.2126 * r - 0.0722 * b) / 0.7152, b};
}

HueStep step_at(const Look& look, double angle_deg) {
    const double at = std::fmod(std::fmod(angle_deg, 360) + 360, 360) / look_hue_reach;
    const auto low = static_cast<std::size_t>(at) % look_hues.size(), high = (low + 1) % look_hues.size();
    const double share = 0.5 * (1 - std::cos(std::numbers::pi * (at - std::floor(at))));
    const HueStep &a = look.ring[low], &b = look.ring[high];
    return {a.shift_deg + share * (b.shift_deg - a.shift_deg), a.saturation + share * (b.saturation - a.saturation),
            a.lightness + share * (b.lightness - a.lightness)};
}

double strength_of(double radius) {
    constexpr double half = 0.1; // of which half is given: about a pale wall's
    return radius * radius / (radius * radius + half * half);
}

Vec3 looked(const Look& look, const Vec3& code) {
    if (look.empty()) return code;
    Vec3 v = code;
    if (look.brought) v = look.brought->cdl ? through(*look.brought->cdl, v) : through(*look.brought, v);
    if (!look.curve.empty()) v = v.unaryExpr([&](double c) { return on_look_curve(look.curve, c); });
    if (look.ring == std::array<HueStep, look_hues.size()>{}) return v;
    ScopePoint p = scope_of(v);
    const double radius = std::hypot(p.cb, p.cr), angle = std::atan2(p.cr, p.cb) * degrees_per_radian;
    const HueStep step = step_at(look, angle);
    const double to = (angle + step.shift_deg) / degrees_per_radian;
    const double out = radius * std::max(0.0, 1 + step.saturation / 100);
    return code_of({p.luma * (1 + step.lightness / 100 * strength_of(radius)), out * std::cos(to), out * std::sin(to)});
}

Vec3 looked_xyz(const Look& look, const Vec3& xyz_d50) {
    if (look.empty()) return xyz_d50;
    static const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50(), from_xyz = to_xyz.inverse();
    return to_xyz * looked(look, Vec3(from_xyz * xyz_d50).unaryExpr(&encoded)).unaryExpr(&decoded);
}

void check(const Look& look) {
    require(look.curve.size() <= most_curve_points, "its curve has too many points");
    for (std::size_t i = 0; i < look.curve.size(); ++i) {
        require(std::abs(look.curve[i][0]) <= 2 && std::abs(look.curve[i][1]) <= 2,
                "a point of its curve lies too far");
        require(i == 0 || look.curve[i][0] > look.curve[i - 1][0] + 1e-6, "its curve runs backwards");
        require(i == 0 || look.curve[i][1] >= look.curve[i - 1][1], "its curve falls");
    }
    for (std::size_t k = 0; k < look_hues.size(); ++k)
        require(std::abs(look.ring[k].shift_deg) <= most_shift_deg &&
                    std::abs(look.ring[k].saturation) <= most_saturation &&
                    std::abs(look.ring[k].lightness) <= most_lightness,
                std::string("its step of ") + look_hues[k] + " is too large");
    if (!look.brought) return;
    const Brought& b = *look.brought;
    if (b.cdl)
        require(b.cdl->slope.allFinite() && b.cdl->offset.allFinite() && b.cdl->power.allFinite() &&
                    b.cdl->slope.minCoeff() >= 0 && b.cdl->power.minCoeff() > 0 && b.cdl->saturation >= 0 &&
                    b.cdl->saturation <= 16,
                "its CDL");
    else
        require(b.size >= 2 && b.size <= most_brought_size &&
                    b.nodes.size() == 3 * static_cast<std::size_t>(b.size) * b.size * b.size,
                "its LUT is not whole");
}

std::vector<std::string> cautions_of(const Look& look) {
    std::vector<std::string> all;
    for (std::size_t i = 1; i < look.curve.size(); ++i)
        if (look.curve[i][1] <= look.curve[i - 1][1]) {
            all.emplace_back("The curve is level in places: tones are merged there");
            break;
        }
    for (std::size_t k = 0; k < look_hues.size(); ++k) {
        bool folds = false;
        for (double a = 0; a < look_hue_reach && !folds; a += 1) {
            const double at = look_hue_reach * static_cast<double>(k) + a;
            folds = step_at(look, at + 1).shift_deg - step_at(look, at).shift_deg <= -1;
        }
        if (folds)
            all.push_back(std::string("Hues between ") + look_hues[k] + " and " +
                          look_hues[(k + 1) % look_hues.size()] + " change places: shift both the same way, or less");
    }
    return all;
}

std::string in_words(const Look& look) {
    std::string words;
    const auto add = [&](const std::string& part) { words += (words.empty() ? "" : ", ") + part; };
    if (look.brought) add(look.brought->name);
    if (!look.curve.empty()) add(formatted("curve of {} points", look.curve.size()));
    for (std::size_t k = 0; k < look_hues.size(); ++k) {
        const HueStep& s = look.ring[k];
        if (s == HueStep{}) continue;
        std::string step = look_hues[k];
        if (s.shift_deg != 0) step += formatted(" {:+.0f} degrees", s.shift_deg);
        if (s.saturation != 0) step += formatted(" {:+.0f} % saturation", s.saturation);
        if (s.lightness != 0) step += formatted(" {:+.0f} % lightness", s.lightness);
        add(step);
    }
    if (words.empty()) return {};
    if (!look.name.empty()) words = look.name + ": " + words;
    return look.on ? words : words + " (switched off)";
}

std::string to_json(const Look& look) {
    nlohmann::ordered_json j{{"refero_look", 1}, {"name", look.name}, {"on", look.on}};
    if (!look.curve.empty()) j["curve"] = look.curve;
    for (std::size_t k = 0; k < look_hues.size(); ++k)
        if (const HueStep& s = look.ring[k]; !(s == HueStep{}))
            j["hues"][look_hues[k]] = {
                {"shift_deg", s.shift_deg}, {"saturation", s.saturation}, {"lightness", s.lightness}};
    if (const auto& b = look.brought) {
        j["brought"]["name"] = b->name;
        if (b->cdl)
            j["brought"]["cdl"] = {{"slope", json_of(b->cdl->slope)},
                                   {"offset", json_of(b->cdl->offset)},
                                   {"power", json_of(b->cdl->power)},
                                   {"saturation", b->cdl->saturation}};
        else j["brought"]["lut"] = {{"size", b->size}, {"codes", digits_of(b->nodes)}};
    }
    return j.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

namespace {

/// What is not known would be lost without a word. Throws Error(input).
void require_known(const nlohmann::json& object, const std::string& where, const std::vector<std::string>& known) {
    if (!object.is_object()) throw Error(ErrorKind::input, "this look is damaged: " + where + " is no object");
    for (const auto& [key, value] : object.items())
        if (std::find(known.begin(), known.end(), key) == known.end())
            throw Error(ErrorKind::input, formatted("{} of this look has '{}', which is not known", where, key), {},
                        formatted("Known are {}", fmt::join(known, ", ")));
}

} // namespace

Look look_from_json(const std::string& text) {
    const auto j = nlohmann::json::parse(text, nullptr, false);
    if (!j.is_object() || !j.contains("refero_look"))
        throw Error(ErrorKind::input, "this is no look", {}, "Give a look that Refero kept, a LUT or a CDL");
    Look look;
    try {
        if (j["refero_look"] != 1) throw Error(ErrorKind::input, "this look is of a newer Refero", {}, "Update Refero");
        require_known(j, "the whole", {"refero_look", "name", "on", "curve", "hues", "brought"});
        if (j.contains("hues"))
            require_known(j["hues"], "hues", std::vector<std::string>(look_hues.begin(), look_hues.end()));
        look.name = j.value("name", "");
        look.on = j.value("on", true);
        if (j.contains("curve")) j["curve"].get_to(look.curve);
        for (std::size_t k = 0; k < look_hues.size(); ++k)
            if (j.contains("hues") && j["hues"].contains(look_hues[k])) {
                const auto& s = j["hues"][look_hues[k]];
                require_known(s, look_hues[k], {"shift_deg", "saturation", "lightness"});
                look.ring[k] = {s.value("shift_deg", 0.0), s.value("saturation", 0.0), s.value("lightness", 0.0)};
            }
        if (j.contains("brought")) {
            const auto& b = j["brought"];
            Brought brought{b.value("name", ""), {}, 0, {}};
            if (b.contains("cdl"))
                brought.cdl = Cdl{vec_from(b["cdl"].at("slope")), vec_from(b["cdl"].at("offset")),
                                  vec_from(b["cdl"].at("power")), b["cdl"].at("saturation")};
            else {
                brought.size = b.at("lut").at("size");
                brought.nodes = words_of(b["lut"].at("codes"));
            }
            look.brought = std::make_shared<const Brought>(std::move(brought));
        }
    } catch (const nlohmann::json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this look is damaged: ") + problem.what(), {},
                    "Draw or bring it anew");
    }
    check(look);
    return look;
}

} // namespace refero::look
