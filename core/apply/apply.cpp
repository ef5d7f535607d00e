#include "apply/apply.hpp"

#include <atomic>
#include <cmath>
#include <sstream>

#include <Eigen/LU>
#include <tbb/parallel_for.h>

#include "apply/kernel.hpp"
#include "apply/look_rows.hpp"

namespace refero::apply {

namespace {

using Vec3f = Eigen::Vector3f;
using Mat3f = Eigen::Matrix3f;

// Distances from grey beyond which colours are drawn in, so that the rim of the space is never passed.
constexpr float knee = 0.8f;

float drawn_in(float distance) {
    if (distance <= knee) return 1;
    const float over = (distance - knee) / (1 - knee);
    return (knee + (1 - knee) * over / (1 + over)) / distance;
}

/// Along the line to the grey of the same luminance, as far as the farthest channel asks for.
void map_row(int n, const Vec3f& luminance, float* out) {
    for (int i = 0; i < n; ++i) {
        Eigen::Map<Vec3f> v(out + 3 * i);
        const float grey = std::clamp(luminance.dot(v), 0.0f, 1.0f);
        if (grey <= 0 || grey >= 1) {
            v.setConstant(grey);
            continue;
        }
        const float below = (grey - v.minCoeff()) / grey, above = (v.maxCoeff() - grey) / (1 - grey);
        const float k = std::min(drawn_in(below), drawn_in(above));
        if (k < 1) v = Vec3f::Constant(grey) + k * (v - Vec3f::Constant(grey));
    }
}

/// Balance and coefficients that the chosen parts come to.
struct Chosen {
    colour::Vec3 gains;
    fit::Model model;
    fit::Coefficients to_xyz;
    bool curved;
};

Chosen chosen_of(const frame::Frame& f, const fit::Correction& c, const Parts& parts) {
    Chosen all{c.balance.gains, c.model, c.coefficients, c.balance.curved() && parts.balance};
    if (!parts.balance) all.gains = f.as_shot.value_or(colour::Vec3::Ones());
    if (!parts.colour) {
        balance::Balance own = c.balance;
        own.gains = all.gains;
        all.model = fit::Model::diagonal;
        all.to_xyz = f.camera_from_xyz ? fit::own_colours(own, *f.camera_from_xyz)
                                       : colour::rgb_space("linear-bt709").to_xyz_d50();
    }
    if (parts.exposure) all.gains *= c.balance.exposure;
    return all;
}

} // namespace

Parts parts_named(const std::string& list) {
    Parts p{false, false, false, false, false};
    std::istringstream names(list);
    for (std::string name; std::getline(names, name, ',');) {
        if (name == "balance") p.balance = true;
        else if (name == "exposure") p.exposure = true;
        else if (name == "colour") p.colour = true;
        else if (name == "finish") p.finish = true;
        else if (name == "look") p.look = true;
        else
            throw Error(ErrorKind::usage, "unknown part '" + name + "'", {},
                        "Known: balance exposure colour finish look, with commas between them");
    }
    if (p == Parts{false, false, false, false, false})
        throw Error(ErrorKind::usage, "no part of the correction is named");
    return p;
}

std::string text_of(const Parts& p) {
    std::string text;
    for (const auto& [on, name] :
         {std::pair(p.balance, "balance"), std::pair(p.exposure, "exposure"), std::pair(p.colour, "colour"),
          std::pair(p.finish, "finish"), std::pair(p.look, "look")})
        if (on) text += (text.empty() ? "" : ",") + std::string(name);
    return text;
}

Gamut gamut_named(const std::string& name) {
    if (name == "clip") return Gamut::clip;
    if (name == "map") return Gamut::map;
    throw Error(ErrorKind::usage, "unknown way with colours outside '" + name + "'", {}, "Known: clip map");
}

Kernel kernel_of(const frame::Frame& f, const fit::Correction& c, const colour::RgbSpace& to, const Parts& parts) {
    const Chosen chosen = chosen_of(f, c, parts);
    colour::Mat3 from_xyz = to.to_xyz_d50().inverse();
    if (parts.finish) from_xyz = from_xyz * look::matrix_of(c.finish, c.light);
    const Eigen::Matrix<float, 3, Eigen::Dynamic, Eigen::RowMajor> m = (from_xyz * chosen.to_xyz).cast<float>();
    Kernel kernel{.curved = chosen.curved, .calm = f.is_raw, .model = chosen.model};
    kernel.coefficients.assign(m.data(), m.data() + m.size());
    for (std::size_t k = 0; k < 3; ++k) {
        kernel.gains[k] = static_cast<float>(chosen.gains[static_cast<Eigen::Index>(k)]);
        if (chosen.curved) kernel.curves[k] = table_of(c.balance.curves[k]);
    }
    return kernel;
}

namespace {

using Then = std::function<void(float* row)>;

/// Row by row from `in` to `out`, which may be the same; `then` is done to each row.
void rows_through(const Kernel& kernel, int width, int height, const float* in, float* all, const Progress& progress,
                  const std::stop_token& stop, const Then& then = {}) {
    std::atomic<int> done{0};
    tbb::parallel_for(tbb::blocked_range<int>(0, height, 8), [&](const tbb::blocked_range<int>& rows) {
        for (int y = rows.begin(); y < rows.end(); ++y) {
            if (stop.stop_requested()) return;
            const std::size_t at = static_cast<std::size_t>(y) * width * 3;
            correct_pixels(kernel, in + at, static_cast<std::size_t>(width), all + at);
            if (then) then(all + at);
            if (const int n = ++done; progress && n % 256 == 0) progress(static_cast<double>(n) / height);
        }
    });
    throw_if_stopped(stop);
}

/// Look and gamut on a row; nothing where neither has anything to do.
Then after(const fit::Correction& c, const colour::RgbSpace& to, int width, const Parts& parts, Gamut gamut) {
    const Vec3f luminance = to.to_xyz().row(1).transpose().cast<float>();
    const bool map = gamut == Gamut::map && to.name != "xyz-d50";
    const auto look = parts.look && !c.look.empty() ? std::make_shared<const LookRows>(c.look, to) : nullptr;
    if (!map && !look) return {};
    return [=](float* row) {
        if (look) (*look)(row, static_cast<std::size_t>(width));
        if (map) map_row(width, luminance, row);
    };
}

} // namespace

Picture corrected(const frame::Frame& f, const fit::Correction& c, const std::string& space, const Progress& progress,
                  std::stop_token stop, const Parts& parts, Gamut gamut) {
    const colour::RgbSpace& to = colour::rgb_space(space);
    Picture p{f.width, f.height, std::vector<float>(f.rgb.size()), space};
    rows_through(kernel_of(f, c, to, parts), f.width, f.height, f.rgb.data(), p.rgb.data(), progress, stop,
                 after(c, to, f.width, parts, gamut));
    return p;
}

Strips strips_of(frame::Frame&& f, const fit::Correction& c, const std::string& space, const Parts& parts, Gamut gamut,
                 std::stop_token stop) {
    const colour::RgbSpace& to = colour::rgb_space(space);
    const int width = f.width, height = f.height;
    const auto kernel = std::make_shared<const Kernel>(kernel_of(f, c, to, parts));
    const auto rgb = std::make_shared<std::vector<float>>(std::move(f.rgb));
    f.clipped = {}; // of no more use, and large
    return {width, height, space, 0,
            [=, then = after(c, to, width, parts, gamut)](int first, int rows) -> const float* {
                float* at = rgb->data() + static_cast<std::size_t>(first) * width * 3;
                rows_through(*kernel, width, rows, at, at, {}, stop, then);
                return at;
            }};
}

Strips strips_of(const Picture& p) {
    return {p.width, p.height, p.space, p.white_luminance, [&p](int first, int) -> const float* {
                return p.rgb.data() + static_cast<std::size_t>(first) * p.width * 3;
            }};
}

Clipping clipping_of(const Picture& p, const frame::Frame& f) {
    constexpr float least = -0.002f, most = 1.002f; // beyond rounding: what an 8-bit code would show as its end
    const std::size_t n = p.rgb.size() / 3;
    Clipping c;
    c.bits.resize(n);
    const bool input = f.width == p.width && f.height == p.height && f.clipped.size() == n;
    std::array<std::size_t, 6> counts{};
    for (std::size_t i = 0; i < n; ++i) {
        std::uint8_t bits = input ? f.clipped[i] & 7 : 0;
        for (std::size_t k = 0; k < 3; ++k)
            if (const float v = p.rgb[3 * i + k]; v < least || v > most) bits |= static_cast<std::uint8_t>(8u << k);
        c.bits[i] = bits;
        for (std::size_t k = 0; k < 6; ++k) counts[k] += (bits >> k) & 1;
    }
    for (std::size_t k = 0; k < 6; ++k) c.shares[k] = n ? static_cast<double>(counts[k]) / static_cast<double>(n) : 0;
    return c;
}

Picture uncorrected(const frame::Frame& f, const colour::Vec3& gains, const std::string& space, std::stop_token stop) {
    Kernel kernel{.calm = f.is_raw, .coefficients = {1, 0, 0, 0, 1, 0, 0, 0, 1}};
    for (std::size_t k = 0; k < 3; ++k) kernel.gains[k] = static_cast<float>(gains[static_cast<Eigen::Index>(k)]);
    Picture p{f.width, f.height, std::vector<float>(f.rgb.size()), space};
    rows_through(kernel, f.width, f.height, f.rgb.data(), p.rgb.data(), {}, stop);
    return p;
}

Picture rendered(const frame::Frame& f, const std::function<colour::Vec3(const colour::Vec3&)>& rendering,
                 const std::string& space, std::stop_token stop) {
    const colour::Mat3 from_xyz = colour::rgb_space(space).to_xyz_d50().inverse();
    Picture p{f.width, f.height, std::vector<float>(f.rgb.size()), space};
    tbb::parallel_for(0, f.height, [&](int y) {
        if (stop.stop_requested()) return;
        const float* in = f.at(0, y);
        float* out = &p.rgb[static_cast<std::size_t>(y) * f.width * 3];
        for (int x = 0; x < f.width; ++x, in += 3) {
            const colour::Vec3 v = from_xyz * rendering(colour::Vec3(in[0], in[1], in[2]));
            for (int c = 0; c < 3; ++c) *out++ = static_cast<float>(v[c]);
        }
    });
    throw_if_stopped(stop);
    return p;
}

Picture exaggerated(const Picture& picture, double times) {
    Picture p = picture;
    const Vec3f luminance = colour::rgb_space(p.space).to_xyz().row(1).transpose().cast<float>();
    const auto k = static_cast<float>(times);
    tbb::parallel_for(std::size_t{0}, static_cast<std::size_t>(p.width) * p.height, [&](std::size_t i) {
        Eigen::Map<Vec3f> v(&p.rgb[3 * i]);
        const float grey = luminance.dot(v);
        v = Vec3f::Constant(grey) + k * (v - Vec3f::Constant(grey));
    });
    return p;
}

std::vector<std::uint32_t> display_codes(const Picture& p) {
    const colour::Transfer transfer = colour::rgb_space(p.space).transfer;
    constexpr int n = 8192; // codes by the root of linear light: finer than 8 bits everywhere
    std::vector<std::uint8_t> table(n + 1);
    for (int i = 0; i <= n; ++i) {
        const double l = static_cast<double>(i) / n;
        table[static_cast<std::size_t>(i)] =
            static_cast<std::uint8_t>(std::lround(255 * colour::encode(transfer, l * l)));
    }
    std::vector<std::uint32_t> codes(static_cast<std::size_t>(p.width) * p.height);
    tbb::parallel_for(0, p.height, [&](int y) {
        const std::size_t row = static_cast<std::size_t>(y) * p.width;
        for (std::size_t i = row; i < row + p.width; ++i) {
            std::uint32_t code = 0xff;
            for (int c = 0; c < 3; ++c) {
                const float v = std::clamp(p.rgb[i * 3 + c], 0.0f, 1.0f); // NaN goes to 0 by the cast below
                code = code << 8 | table[static_cast<std::size_t>(v >= 0 ? std::sqrt(v) * n + 0.5f : 0)];
            }
            codes[i] = code;
        }
    });
    return codes;
}

std::uint32_t display_code(const colour::Vec3& xyz_d50) {
    const colour::RgbSpace& space = colour::rgb_space("srgb");
    const colour::Vec3 rgb = space.to_xyz_d50().inverse() * xyz_d50;
    std::uint32_t code = 0xff;
    for (int c = 0; c < 3; ++c)
        code = code << 8 | static_cast<std::uint32_t>(
                               std::lround(255 * colour::encode(space.transfer, std::clamp(rgb[c], 0.0, 1.0))));
    return code;
}

colour::Vec3 viewing_gains(const frame::Frame& f) {
    colour::Vec3 gains;
    std::vector<float> values;
    for (int c = 0; c < 3; ++c) {
        values.clear();
        for (std::size_t i = static_cast<std::size_t>(c); i < f.rgb.size(); i += 3 * 97) values.push_back(f.rgb[i]);
        if (values.empty()) return colour::Vec3::Ones();
        const auto high = values.begin() + static_cast<std::ptrdiff_t>(0.98 * static_cast<double>(values.size() - 1));
        std::nth_element(values.begin(), high, values.end());
        gains[c] = 0.85 / std::max(*high, 1e-4f);
    }
    return gains;
}

} // namespace refero::apply
