// Scopes: what a finished picture measures as, on its display codes: histogram, waveform, parade, vectorscope.
// Source: Rec. ITU-R BT.601-7 and BT.709-6 (luma and colour-difference signals).
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <Eigen/Core>

namespace refero::scope {

/// 0xffRRGGBB, row by row, as apply::display_codes gives them.
struct Codes {
    int width = 0, height = 0;
    std::span<const std::uint32_t> code;
};
/// Part of a picture: a quadrilateral in its pixels. None: all of it.
using Part = std::optional<std::array<Eigen::Vector2d, 4>>;

/// How luma and colour difference are formed.
enum class Standard { bt709, bt601 };
/// Luma and colour difference (Y' 0 to 1, Cb and Cr -0.5 to 0.5) of R'G'B' codes 0 to 1.
Eigen::Vector3d ycbcr(const Eigen::Vector3d& codes, Standard standard);

/// Red, green, blue, luma.
enum class Signal { red, green, blue, luma };
inline constexpr int signal_count = 4;

/// Pixels by code value, for each signal.
using Histogram = std::array<std::array<std::uint32_t, 256>, signal_count>;
Histogram histogram(const Codes& codes, const Part& part, Standard standard);

/// How many pixels lie at each place of a scope; row 0 on top.
struct Trace {
    int width = 0, height = 0;
    std::vector<std::uint32_t> count;
    std::uint32_t at(int x, int y) const {
        return count[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
    }
};
/// Code values (255 on top) of one signal over the part's columns from left to right.
Trace waveform(const Codes& codes, const Part& part, Signal signal, Standard standard, int columns = 256);
/// Colour difference: Cb to the right, Cr upwards, 256 x 256, the whole range of both; neutral at (128, 128).
Trace vectorscope(const Codes& codes, const Part& part, Standard standard);
/// Where a colour lies on that vectorscope, in its pixels; `strength` times as far from the centre.
Eigen::Vector2d on_vectorscope(const Eigen::Vector3d& codes, Standard standard, double strength = 1);

/// A colour bar's place.
struct Target {
    std::string name; ///< R, G, B, Yl, Cy, Mg
    Eigen::Vector2d cb_cr;
};
/// Colour bars of this amplitude (75 %: those of the usual bars).
std::array<Target, 6> targets(Standard standard, double amplitude = 0.75);
/// Angle of the line that skin of every tone lies near, from Cb towards Cr, degrees (common practice: the +I axis of
/// NTSC).
inline constexpr double skin_line_deg = 123;

} // namespace refero::scope
