#include "apply/apply.hpp"

#include <atomic>
#include <cmath>

#include <Eigen/LU>
#include <tbb/parallel_for.h>

namespace refero::apply {

namespace {

using Vec3f = Eigen::Vector3f;
using Mat3f = Eigen::Matrix3f;

template <class PixelFunction>
Picture map_pixels(const frame::Frame& f, const std::string& space, const Progress& progress, const std::stop_token& stop, PixelFunction pixel) {
    Picture p;
    p.width = f.width, p.height = f.height, p.space = space;
    p.rgb.resize(f.rgb.size());
    std::atomic<int> done{0};
    tbb::parallel_for(0, f.height, [&](int y) {
        if (stop.stop_requested()) return;
        const float* in = f.at(0, y);
        float* out = &p.rgb[static_cast<std::size_t>(y) * f.width * 3];
        for (int x = 0; x < f.width; ++x, in += 3, out += 3) {
            const Vec3f v = pixel(Vec3f(in[0], in[1], in[2]));
            out[0] = v[0], out[1] = v[1], out[2] = v[2];
        }
        if (const int rows = ++done; progress && rows % 256 == 0) progress(static_cast<double>(rows) / f.height);
    });
    throw_if_stopped(stop);
    return p;
}

// From the clipping point on, balanced colour fades to the neutral of its largest channel.
Vec3f calm_highlights(const Vec3f& camera, const Vec3f& balanced) {
    constexpr float begin = 0.985f;
    const float top = camera.maxCoeff();
    if (top < begin) return balanced;
    const float t = std::min(1.0f, (top - begin) / (0.998f - begin));
    return balanced + t * t * (3 - 2 * t) * (Vec3f::Constant(balanced.maxCoeff()) - balanced);
}

} // namespace

Picture corrected(const frame::Frame& f, const fit::Correction& c, const std::string& space, const Progress& progress, std::stop_token stop) {
    const colour::Mat3 from_xyz = colour::rgb_space(space).to_xyz_d50().inverse();
    const Eigen::Matrix<float, 3, Eigen::Dynamic> m = (from_xyz * c.coefficients).cast<float>();
    const Vec3f gain = (c.balance.exposure * c.balance.gains).cast<float>();
    const Mat3f linear = m.leftCols<3>();
    const bool calm = f.is_raw;
    const auto balanced = [=](const Vec3f& v) {
        const Vec3f b = gain.cwiseProduct(v);
        return calm ? calm_highlights(v, b) : b;
    };
    if (fit::is_matrix(c.model))
        return map_pixels(f, space, progress, stop, [=](const Vec3f& v) -> Vec3f { return linear * balanced(v); });
    if (m.cols() == 6) { // the roots of degree 2 are worth a way of their own: every frame goes this way
        const Mat3f roots = m.rightCols<3>();
        return map_pixels(f, space, progress, stop, [=](const Vec3f& v) -> Vec3f {
            const Vec3f b = balanced(v), p = b.cwiseMax(0);
            return linear * b + roots * Vec3f(std::sqrt(p[0] * p[1]), std::sqrt(p[1] * p[2]), std::sqrt(p[0] * p[2]));
        });
    }
    return map_pixels(f, space, progress, stop, [&, model = c.model](const Vec3f& v) -> Vec3f { return m * fit::features(model, balanced(v).cast<double>()).cast<float>(); });
}

Picture uncorrected(const frame::Frame& f, const colour::Vec3& gains, const std::string& space, std::stop_token stop) {
    const Vec3f gain = gains.cast<float>();
    const bool calm = f.is_raw;
    return map_pixels(f, space, {}, stop, [=](const Vec3f& v) -> Vec3f {
        const Vec3f b = gain.cwiseProduct(v);
        return calm ? calm_highlights(v, b) : b;
    });
}

std::vector<std::uint32_t> display_codes(const Picture& p) {
    const colour::Transfer transfer = colour::rgb_space(p.space).transfer;
    constexpr int n = 8192; // codes by the root of linear light: finer than 8 bits everywhere
    std::vector<std::uint8_t> table(n + 1);
    for (int i = 0; i <= n; ++i) {
        const double l = static_cast<double>(i) / n;
        table[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(std::lround(255 * colour::encode(transfer, l * l)));
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
    for (int c = 0; c < 3; ++c) code = code << 8 | static_cast<std::uint32_t>(std::lround(255 * colour::encode(space.transfer, std::clamp(rgb[c], 0.0, 1.0))));
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
