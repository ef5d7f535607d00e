// Scopes: colour bars lie where the standards put them, and counts are where the pixels are.
#include "scope/scope.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace refero::scope {
namespace {

using Eigen::Vector3d;

struct Bar {
    const char* name;
    int r, g, b;
    int y, cb, cr;
};
// Bars of 75 % in 8-bit codes, as the standards' quantisation gives them: Y' = 16 + 219 y, C = 128 + 224 c
// (Rec. ITU-R BT.601-7, 2.5.3; BT.709-6, 3.4 to 3.6). Codes as tabulated in colour-bar standards, from memory.
constexpr Bar bars_601[] = {{"Yl", 1, 1, 0, 162, 44, 142}, {"Cy", 0, 1, 1, 131, 156, 44}, {"G", 0, 1, 0, 112, 72, 58},
                            {"Mg", 1, 0, 1, 84, 184, 198}, {"R", 1, 0, 0, 65, 100, 212},  {"B", 0, 0, 1, 35, 212, 114}};
constexpr Bar bars_709[] = {{"Yl", 1, 1, 0, 168, 44, 136}, {"Cy", 0, 1, 1, 145, 147, 44}, {"G", 0, 1, 0, 133, 63, 52},
                            {"Mg", 1, 0, 1, 63, 193, 204}, {"R", 1, 0, 0, 51, 109, 212},  {"B", 0, 0, 1, 28, 212, 120}};

template<std::size_t n>
void compare(const Bar (&bars)[n], Standard standard) {
    for (const Bar& b : bars) {
        const Vector3d v = ycbcr(0.75 * Vector3d(b.r, b.g, b.b), standard);
        EXPECT_NEAR(16 + 219 * v[0], b.y, 0.6) << b.name;
        EXPECT_NEAR(128 + 224 * v[1], b.cb, 0.6) << b.name;
        EXPECT_NEAR(128 + 224 * v[2], b.cr, 0.6) << b.name;
        for (const Target& t : targets(standard))
            if (t.name == b.name) {
                EXPECT_NEAR(t.cb_cr[0], v[1], 1e-12);
                EXPECT_NEAR(t.cb_cr[1], v[2], 1e-12);
            }
    }
}
TEST(Vectorscope, bars_lie_where_bt601_puts_them) { compare(bars_601, Standard::bt601); }
TEST(Vectorscope, bars_lie_where_bt709_puts_them) { compare(bars_709, Standard::bt709); }

// Common practice: neutrals in the centre, skin of every tone near one line.
TEST(Vectorscope, neutrals_lie_in_the_centre_and_skin_near_its_line) {
    for (const double v : {0.0, 0.3, 0.9})
        EXPECT_LT((on_vectorscope(Vector3d::Constant(v), Standard::bt709) - Eigen::Vector2d(128, 128)).norm(), 1e-9);
    for (const Vector3d& skin : {Vector3d(0.77, 0.59, 0.51), Vector3d(0.45, 0.32, 0.27), Vector3d(0.92, 0.78, 0.70)}) {
        const Vector3d v = ycbcr(skin, Standard::bt709);
        EXPECT_NEAR(std::atan2(v[2], v[1]) * 180 / std::numbers::pi, skin_line_deg, 12);
    }
}

std::vector<std::uint32_t> picture(int width, int height, const std::function<Vector3d(int, int)>& code) {
    std::vector<std::uint32_t> all;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const Vector3d c = code(x, y);
            all.push_back(0xff000000u | static_cast<std::uint32_t>(c[0]) << 16 | static_cast<std::uint32_t>(c[1]) << 8 |
                          static_cast<std::uint32_t>(c[2]));
        }
    return all;
}

TEST(Scopes, counts_are_where_the_pixels_are) {
    const auto p =
        picture(200, 100, [](int x, int) { return x < 100 ? Vector3d(200, 100, 50) : Vector3d(10, 20, 30); });
    const Codes codes{200, 100, p};
    const Histogram h = histogram(codes, {}, Standard::bt709);
    EXPECT_EQ(h[0][200], 10000u);
    EXPECT_EQ(h[1][20], 10000u);
    EXPECT_EQ(h[3][static_cast<std::size_t>(std::lround(0.2126 * 200 + 0.7152 * 100 + 0.0722 * 50))], 10000u);
    const Trace w = waveform(codes, {}, Signal::red, Standard::bt709, 100);
    EXPECT_EQ(w.at(0, 255 - 200), 200u); // two columns of 100 pixels
    EXPECT_EQ(w.at(99, 255 - 10), 200u);
    EXPECT_EQ(w.at(99, 255 - 200), 0u);
    const Trace v = vectorscope(codes, {}, Standard::bt709);
    const auto at = on_vectorscope(Vector3d(200, 100, 50) / 255, Standard::bt709);
    EXPECT_EQ(v.at(static_cast<int>(std::lround(at[0])), static_cast<int>(std::lround(at[1]))), 10000u);
}

// A part turned by 45 degrees: only what lies in it counts.
TEST(Scopes, a_part_counts_what_lies_in_it) {
    const auto p = picture(200, 200, [](int x, int y) {
        return std::abs(x + 0.5 - 100) + std::abs(y + 0.5 - 100) < 50 ? Vector3d(250, 250, 250) : Vector3d(0, 0, 0);
    });
    const Codes codes{200, 200, p};
    const Part diamond = std::array<Eigen::Vector2d, 4>{Eigen::Vector2d(100, 50), {150, 100}, {100, 150}, {50, 100}};
    const Histogram h = histogram(codes, diamond, Standard::bt709);
    EXPECT_NEAR(h[0][250], 5000, 120); // its area, to the pixels on its sides
    EXPECT_LT(h[0][0], 110u);          // and hardly anything beside it
    // Wholly outside, and partly.
    const Part away = std::array<Eigen::Vector2d, 4>{Eigen::Vector2d(300, 50), {350, 50}, {350, 90}, {300, 90}};
    EXPECT_EQ(histogram(codes, away, Standard::bt709)[0][0], 0u);
    const Part edge = std::array<Eigen::Vector2d, 4>{Eigen::Vector2d(-50, -50), {20, -50}, {20, 10}, {-50, 10}};
    EXPECT_EQ(histogram(codes, edge, Standard::bt709)[0][0], 200u);
}

} // namespace
} // namespace refero::scope
