#include "scope/scope.hpp"

#include <algorithm>
#include <cmath>

namespace refero::scope {

namespace {

struct Luma {
    double r, b; // of red and blue; the rest is green's
};
// BT.709-6, item 3.2; BT.601-7, item 2.5.1.
constexpr Luma luma_of(Standard s) { return s == Standard::bt709 ? Luma{0.2126, 0.0722} : Luma{0.299, 0.114}; }

/// Calls use(x, r, g, b) for each pixel of the part.
template<class Use>
void for_each_pixel(const Codes& c, const Part& part, Use use) {
    int top = 0, bottom = c.height;
    if (part) {
        double low = INFINITY, high = -INFINITY;
        for (const auto& p : *part) {
            low = std::min(low, p.y());
            high = std::max(high, p.y());
        }
        top = std::clamp(static_cast<int>(std::floor(low)), 0, c.height);
        bottom = std::clamp(static_cast<int>(std::ceil(high)), 0, c.height);
    }
    for (int y = top; y < bottom; ++y) {
        int left = 0, right = c.width;
        if (part) { // where the row's middle crosses the sides
            double low = INFINITY, high = -INFINITY;
            for (std::size_t i = 0; i < 4; ++i) {
                const Eigen::Vector2d &a = (*part)[i], &b = (*part)[(i + 1) % 4];
                const double t = (y + 0.5 - a.y()) / (b.y() - a.y());
                if (!(t >= 0 && t <= 1)) continue;
                const double x = a.x() + t * (b.x() - a.x());
                low = std::min(low, x);
                high = std::max(high, x);
            }
            left = std::clamp(static_cast<int>(std::lround(std::min(low, 1e6))), 0, c.width);
            right = std::clamp(static_cast<int>(std::lround(std::max(high, -1e6))), 0, c.width);
        }
        const std::uint32_t* row = c.code.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(c.width);
        for (int x = left; x < right; ++x) use(x, row[x] >> 16 & 255, row[x] >> 8 & 255, row[x] & 255);
    }
}

/// Luma in whole codes, by 16-bit weights.
struct WholeLuma {
    std::uint32_t r, g, b;
    explicit WholeLuma(Standard s)
        : r(static_cast<std::uint32_t>(std::lround(65536 * luma_of(s).r))),
          g(0),
          b(static_cast<std::uint32_t>(std::lround(65536 * luma_of(s).b))) {
        g = 65536 - r - b;
    }
    std::uint32_t operator()(std::uint32_t red, std::uint32_t green, std::uint32_t blue) const {
        return (r * red + g * green + b * blue + 32768) >> 16;
    }
};

} // namespace

Eigen::Vector3d ycbcr(const Eigen::Vector3d& c, Standard s) {
    const auto [r, b] = luma_of(s);
    const double y = r * c[0] + (1 - r - b) * c[1] + b * c[2];
    return {y, (c[2] - y) / (2 * (1 - b)), (c[0] - y) / (2 * (1 - r))};
}

Histogram histogram(const Codes& codes, const Part& part, Standard standard) {
    Histogram h{};
    const WholeLuma luma(standard);
    for_each_pixel(codes, part, [&](int, std::uint32_t r, std::uint32_t g, std::uint32_t b) {
        ++h[0][r];
        ++h[1][g];
        ++h[2][b];
        ++h[3][luma(r, g, b)];
    });
    return h;
}

Trace waveform(const Codes& codes, const Part& part, Signal signal, Standard standard, int columns) {
    Trace t{columns, 256, std::vector<std::uint32_t>(static_cast<std::size_t>(columns) * 256)};
    double left = 0, right = codes.width;
    if (part) {
        left = right = (*part)[0].x();
        for (const auto& p : *part) {
            left = std::min(left, p.x());
            right = std::max(right, p.x());
        }
    }
    const WholeLuma luma(standard);
    std::vector<int> column(static_cast<std::size_t>(codes.width));
    for (int x = 0; x < codes.width; ++x)
        column[static_cast<std::size_t>(x)] =
            std::clamp(static_cast<int>((x + 0.5 - left) / std::max(1.0, right - left) * columns), 0, columns - 1);
    for_each_pixel(codes, part, [&](int x, std::uint32_t r, std::uint32_t g, std::uint32_t b) {
        const std::uint32_t v = signal == Signal::red     ? r
                                : signal == Signal::green ? g
                                : signal == Signal::blue  ? b
                                                          : luma(r, g, b);
        ++t.count[(255 - v) * static_cast<std::size_t>(columns) +
                  static_cast<std::size_t>(column[static_cast<std::size_t>(x)])];
    });
    return t;
}

Eigen::Vector2d on_vectorscope(const Eigen::Vector3d& codes, Standard standard, double strength) {
    const Eigen::Vector3d v = ycbcr(codes, standard);
    return {128 + strength * 256 * v[1], 128 - strength * 256 * v[2]};
}

Trace vectorscope(const Codes& codes, const Part& part, Standard standard) {
    Trace t{256, 256, std::vector<std::uint32_t>(65536)};
    const auto [lr, lb] = luma_of(standard);
    const auto red = static_cast<float>(lr), blue = static_cast<float>(lb), green = 1 - red - blue;
    const float to_cb = 256 / (255 * 2 * (1 - blue)), to_cr = 256 / (255 * 2 * (1 - red));
    for_each_pixel(codes, part, [&](int, std::uint32_t r, std::uint32_t g, std::uint32_t b) {
        const float y = red * static_cast<float>(r) + green * static_cast<float>(g) + blue * static_cast<float>(b);
        const int u = std::clamp(static_cast<int>(128.5f + to_cb * (static_cast<float>(b) - y)), 0, 255),
                  v = std::clamp(static_cast<int>(128.5f - to_cr * (static_cast<float>(r) - y)), 0, 255);
        ++t.count[static_cast<std::size_t>(v) * 256 + static_cast<std::size_t>(u)];
    });
    return t;
}

std::array<Target, 6> targets(Standard standard, double amplitude) {
    std::array<Target, 6> all{{{"R", {}}, {"Yl", {}}, {"G", {}}, {"Cy", {}}, {"B", {}}, {"Mg", {}}}};
    constexpr int bars[6][3] = {{1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 1, 1}, {0, 0, 1}, {1, 0, 1}};
    for (std::size_t i = 0; i < 6; ++i)
        all[i].cb_cr = ycbcr(amplitude * Eigen::Vector3d(bars[i][0], bars[i][1], bars[i][2]), standard).tail<2>();
    return all;
}

} // namespace refero::scope
