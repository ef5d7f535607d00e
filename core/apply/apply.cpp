#include "apply/apply.hpp"

#include <atomic>
#include <cmath>

#include <Eigen/LU>
#include <tbb/parallel_for.h>

namespace refero::apply {

namespace {

using Vec3f = Eigen::Vector3f;
using Mat3f = Eigen::Matrix3f;

template<class PixelFunction>
Picture map_pixels(const frame::Frame& f, const std::string& space, const Progress& progress,
                   const std::stop_token& stop, PixelFunction pixel) {
    Picture p;
    p.width = f.width;
    p.height = f.height;
    p.space = space;
    p.rgb.resize(f.rgb.size());
    std::atomic<int> done{0};
    tbb::parallel_for(0, f.height, [&](int y) {
        if (stop.stop_requested()) return;
        const float* in = f.at(0, y);
        float* out = &p.rgb[static_cast<std::size_t>(y) * f.width * 3];
        for (int x = 0; x < f.width; ++x, in += 3, out += 3) {
            const Vec3f v = pixel(Vec3f(in[0], in[1], in[2]));
            out[0] = v[0];
            out[1] = v[1];
            out[2] = v[2];
        }
        if (const int rows = ++done; progress && rows % 256 == 0) progress(static_cast<double>(rows) / f.height);
    });
    throw_if_stopped(stop);
    return p;
}

/// A curve of balanced values, at 1024 points and straight beyond: per pixel its slopes would take too long.
class Table {
public:
    explicit Table(const balance::Curve& curve) {
        if (curve.in.empty()) return;
        top_ = static_cast<float>(curve.in.back());
        for (int i = 0; i <= size; ++i) value_.push_back(static_cast<float>(curve(curve.in.back() * i / size)));
        low_ = static_cast<float>(-curve(-1));
        high_ = static_cast<float>(curve(curve.in.back() + 1) - curve.out.back());
    }
    float operator()(float v) const {
        if (value_.empty()) return v;
        if (!(v > 0)) return low_ * v;
        if (v >= top_) return value_.back() + high_ * (v - top_);
        const float at = v / top_ * size;
        const int i = std::min(static_cast<int>(at), size - 1);
        return value_[static_cast<std::size_t>(i)] +
               (at - static_cast<float>(i)) *
                   (value_[static_cast<std::size_t>(i) + 1] - value_[static_cast<std::size_t>(i)]);
    }

private:
    static constexpr int size = 1024;
    std::vector<float> value_;
    float top_ = 1, low_ = 1, high_ = 1;
};

// From the clipping point on, balanced colour fades to the neutral of its largest channel.
Vec3f calm_highlights(const Vec3f& camera, const Vec3f& balanced) {
    constexpr float begin = 0.985f;
    const float top = camera.maxCoeff();
    if (top < begin) return balanced;
    const float t = std::min(1.0f, (top - begin) / (0.998f - begin));
    return balanced + t * t * (3 - 2 * t) * (Vec3f::Constant(balanced.maxCoeff()) - balanced);
}

} // namespace

Picture corrected(const frame::Frame& f, const fit::Correction& c, const std::string& space, const Progress& progress,
                  std::stop_token stop) {
    const colour::Mat3 from_xyz =
        colour::rgb_space(space).to_xyz_d50().inverse() * balance::matrix_of(c.finish, c.light);
    const Eigen::Matrix<float, 3, Eigen::Dynamic> m = (from_xyz * c.coefficients).cast<float>();
    const Vec3f gain = (c.balance.exposure * c.balance.gains).cast<float>();
    const Mat3f linear = m.leftCols<3>();
    const bool calm = f.is_raw;
    const std::array<Table, 3> curves{Table(c.balance.curves[0]), Table(c.balance.curves[1]),
                                      Table(c.balance.curves[2])};
    const bool curved = c.balance.curved();
    const auto balanced = [=, &curves](const Vec3f& v) {
        Vec3f b = gain.cwiseProduct(v);
        if (curved) b = Vec3f(curves[0](b[0]), b[1], curves[2](b[2]));
        return calm ? calm_highlights(v, b) : b;
    };
    if (fit::is_matrix(c.model))
        return map_pixels(f, space, progress, stop, [=](const Vec3f& v) -> Vec3f { return linear * balanced(v); });
    if (c.model == fit::Model::spectral) { // worth a way of its own, in single precision: most frames go this way
        const Eigen::Matrix<float, 3, 7> bent = m.rightCols<7>();
        return map_pixels(f, space, progress, stop, [=](const Vec3f& v) -> Vec3f {
            const Vec3f b = balanced(v);
            return linear * b + bent * fit::cubic_of<float>(b.cwiseMax(0));
        });
    }
    return map_pixels(f, space, progress, stop, [&, model = c.model](const Vec3f& v) -> Vec3f {
        return m * fit::features(model, balanced(v).cast<double>()).cast<float>();
    });
}

Picture uncorrected(const frame::Frame& f, const colour::Vec3& gains, const std::string& space, std::stop_token stop) {
    const Vec3f gain = gains.cast<float>();
    const bool calm = f.is_raw;
    return map_pixels(f, space, {}, stop, [=](const Vec3f& v) -> Vec3f {
        const Vec3f b = gain.cwiseProduct(v);
        return calm ? calm_highlights(v, b) : b;
    });
}

Picture rendered(const frame::Frame& f, const std::function<colour::Vec3(const colour::Vec3&)>& rendering,
                 const std::string& space, std::stop_token stop) {
    const colour::Mat3 from_xyz = colour::rgb_space(space).to_xyz_d50().inverse();
    return map_pixels(f, space, {}, stop,
                      [&](const Vec3f& v) -> Vec3f { return (from_xyz * rendering(v.cast<double>())).cast<float>(); });
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

frame::Frame smaller(const frame::Frame& f, int most_width) {
    const int n = (f.width + most_width - 1) / most_width;
    if (n <= 1) return f;
    frame::Frame s;
    s.full_width = f.full_width;
    s.full_height = f.full_height;
    s.cell = f.cell * n;
    s.is_raw = f.is_raw;
    s.encoding = f.encoding;
    s.metadata = f.metadata;
    s.camera_from_xyz = f.camera_from_xyz;
    s.file = f.file;
    s.width = f.width / n;
    s.height = f.height / n;
    s.rgb.resize(static_cast<std::size_t>(s.width) * s.height * 3);
    if (!f.clipped.empty()) s.clipped.resize(static_cast<std::size_t>(s.width) * s.height);
    tbb::parallel_for(0, s.height, [&](int y) {
        for (int x = 0; x < s.width; ++x) {
            Vec3f sum = Vec3f::Zero();
            std::uint8_t clipped = 0;
            for (int v = y * n; v < (y + 1) * n; ++v)
                for (int u = x * n; u < (x + 1) * n; ++u) {
                    const float* p = f.at(u, v);
                    sum += Vec3f(p[0], p[1], p[2]);
                    if (!f.clipped.empty()) clipped |= f.clipped[static_cast<std::size_t>(v) * f.width + u];
                }
            Eigen::Map<Vec3f>(s.at(x, y)) = sum / static_cast<float>(n * n);
            if (!s.clipped.empty()) s.clipped[static_cast<std::size_t>(y) * s.width + x] = clipped;
        }
    });
    return s;
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
