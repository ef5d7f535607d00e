#include "apply/look_rows.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/LU>

namespace refero::apply {

namespace {

using Vec3f = Eigen::Vector3f;

constexpr int steps = 1 << 11; ///< of a table: three of them stay near the processor
constexpr int angles = 720;    ///< of the whole ring

/// A value of a table with one step more than it has; `at` from 0 to 1.
float in_table(const std::vector<float>& table, float at) {
    const float place = at * steps;
    const auto i = static_cast<std::size_t>(place);
    return table[i] + (place - static_cast<float>(i)) * (table[i + 1] - table[i]);
}

std::vector<float> tabulated(const std::function<double(double)>& f) {
    std::vector<float> table;
    for (int i = 0; i <= steps + 1; ++i) table.push_back(static_cast<float>(f(static_cast<double>(i) / steps)));
    return table;
}

} // namespace

LookRows::LookRows(const look::Look& look, const colour::RgbSpace& space) : look_(look) {
    brought_.brought = look.brought;
    const colour::Mat3 to = colour::rgb_space("srgb").to_xyz_d50().inverse() * space.to_xyz_d50();
    to_look_ = to.cast<float>();
    from_look_ = to.inverse().cast<float>();
    encode_ = tabulated([](double root) { return colour::encode(colour::Transfer::srgb, root * root); });
    decode_ = tabulated([](double code) { return colour::decode(colour::Transfer::srgb, code); });
    if (!look.curve.empty()) curve_ = tabulated([&](double code) { return look::on_look_curve(look.curve, code); });
    if (look.ring == decltype(look.ring){}) return;
    for (int i = 0; i <= angles + 1; ++i) {
        const look::HueStep s = look::step_at(look, 360.0 * i / angles);
        const double turn = s.shift_deg * std::numbers::pi / 180;
        ring_.emplace_back(
            Eigen::Vector4d(std::cos(turn), std::sin(turn), std::max(0.0, 1 + s.saturation / 100), s.lightness / 100)
                .cast<float>());
    }
}

void LookRows::through_brought(Vec3f& code) const { code = look::looked(brought_, code.cast<double>()).cast<float>(); }

void LookRows::through_ring(Vec3f& code) const {
    const float y = 0.2126f * code[0] + 0.7152f * code[1] + 0.0722f * code[2];
    const float cb = (code[2] - y) / 1.8556f, cr = (code[0] - y) / 1.5748f, square = cb * cb + cr * cr;
    if (!(square > 0)) return;
    const float turn = std::atan2(cr, cb) * (angles / (2 * std::numbers::pi_v<float>)),
                at = turn < 0 ? turn + angles : turn;
    const auto i = static_cast<std::size_t>(at);
    const Eigen::Vector4f s = ring_[i] + (at - static_cast<float>(i)) * (ring_[i + 1] - ring_[i]);
    const float out_cb = s[2] * (cb * s[0] - cr * s[1]), out_cr = s[2] * (cb * s[1] + cr * s[0]);
    const float luma = y * (1 + s[3] * static_cast<float>(look::strength_of(std::sqrt(square))));
    code[0] = luma + 1.5748f * out_cr;
    code[2] = luma + 1.8556f * out_cb;
    code[1] = (luma - 0.2126f * code[0] - 0.0722f * code[2]) / 0.7152f;
}

void LookRows::operator()(float* rgb, std::size_t n) const {
    const auto encoded = [this](float light) {
        if (light >= 0 && light <= 1) return in_table(encode_, std::sqrt(light));
        return static_cast<float>(colour::encode(colour::Transfer::srgb, light));
    };
    const auto decoded = [this](float code) {
        if (code >= 0 && code <= 1) return in_table(decode_, code);
        return static_cast<float>(colour::decode(colour::Transfer::srgb, code));
    };
    const auto curved = [this](float code) {
        if (code >= 0 && code <= 1) return in_table(curve_, code);
        return static_cast<float>(look::on_look_curve(look_.curve, code));
    };
    for (std::size_t i = 0; i < n; ++i) {
        Eigen::Map<Vec3f> pixel(rgb + 3 * i);
        if (!pixel.allFinite()) continue;
        Vec3f code = (to_look_ * pixel).unaryExpr(encoded);
        if (look_.brought) through_brought(code);
        if (!curve_.empty()) code = code.unaryExpr(curved).eval();
        if (!ring_.empty()) through_ring(code);
        pixel = from_look_ * code.unaryExpr(decoded);
    }
}

} // namespace refero::apply
