// A look: what is done to the finished picture for taste, after correction and finish. A LUT or CDL made elsewhere
// first, then a curve, then a ring of eight hues; all on display codes (sRGB's curve and primaries), so that it is the
// same for every camera. docs/methods.md, Look.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "colour/colour.hpp"

namespace refero::look {

using colour::Vec3;

/// ASC CDL 1.2: (code * slope + offset) ^ power, then saturation about BT.709's luma; codes from 0 to 1, clipped.
struct Cdl {
    Vec3 slope{1, 1, 1}, offset{0, 0, 0}, power{1, 1, 1};
    double saturation = 1;
    bool operator==(const Cdl&) const = default;
};

/// Made elsewhere, display codes to display codes. A LUT knows 0 to 1 only: what lies outside is clipped before it.
struct Brought {
    std::string name;                 ///< the file's
    std::optional<Cdl> cdl;           ///< else a LUT
    int size = 0;                     ///< nodes along each side
    std::vector<std::uint16_t> nodes; ///< red, green, blue of each, 65535 = 1; red runs fastest
    bool operator==(const Brought&) const = default;
};
inline constexpr int most_brought_size = 33; ///< finer LUTs are kept at this size

/// What happens to a range of hues: a raised cosine about its centre, 0 at the next ones.
struct HueStep {
    double shift_deg = 0;  ///< counter-clockwise on the vectorscope
    double saturation = 0; ///< percent to add
    double lightness = 0;  ///< percent of luma to add, as far as a colour is strong
    bool operator==(const HueStep&) const = default;
};
/// Centres every 45 degrees on the vectorscope (BT.709 colour difference), counter-clockwise from +Cb.
inline constexpr std::array look_hues{"blue", "purple", "magenta", "red", "orange", "yellow", "green", "cyan"};
inline constexpr double look_hue_reach = 360.0 / look_hues.size();
inline constexpr double most_shift_deg = 40, most_saturation = 100, most_lightness = 50;

struct Look {
    std::string name;
    bool on = true;
    std::vector<std::array<double, 2>> curve; ///< display codes in and out, in ascending, out not falling; none: as is
    std::array<HueStep, look_hues.size()> ring{};
    std::shared_ptr<const Brought> brought;
    /// True where nothing is changed, also where it is switched off.
    bool empty() const { return !on || changes_nothing(); }
    bool changes_nothing() const;
    bool operator==(const Look& other) const;
};

/// Smooth, monotone where its points are, straight beyond them. `points`: as Look::curve; none: as it is.
double on_look_curve(const std::vector<std::array<double, 2>>& points, double code);
/// One colour in display codes (sRGB), which may lie outside 0 to 1; not clipped.
Vec3 looked(const Look& look, const Vec3& code);
/// The same, XYZ to XYZ, both relative to D50.
Vec3 looked_xyz(const Look& look, const Vec3& xyz_d50);
/// The step of a hue, between its two neighbours' centres.
HueStep step_at(const Look& look, double angle_deg);
/// What the ring alone does to a colour of luma and colour difference.
struct ScopePoint {
    double luma = 0, cb = 0, cr = 0;
};
ScopePoint scope_of(const Vec3& code);
Vec3 code_of(const ScopePoint& point);
/// How much of the ring's lightness a colour gets, by the radius of its colour difference.
double strength_of(double radius);

/// Refused where a number cannot be: Error(input) that says which.
void check(const Look& look);
/// What a viewer of the picture would stumble on, a sentence each: tones that merge, hues that change places.
std::vector<std::string> cautions_of(const Look& look);
/// "curve of 4 points, red +10 % saturation" ...; empty for none.
std::string in_words(const Look& look);
/// JSON, docs/formats.md. from: Error(input) for what is no look.
std::string to_json(const Look& look);
Look look_from_json(const std::string& text);

} // namespace refero::look
