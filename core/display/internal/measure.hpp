// Shared by the sources of the room.
#pragma once

#include <cmath>

#include "colour/rgb.hpp"
#include "display/display.hpp"

namespace refero::display {

struct Uv {
    double u = 0, v = 0;
};
inline Uv uv_of(const colour::Vec3& xyz) {
    const double d = xyz[0] + 15 * xyz[1] + 3 * xyz[2];
    return {4 * xyz[0] / d, 9 * xyz[1] / d};
}
inline Uv uv_of(const colour::Chromaticity& c) { return uv_of(colour::Vec3(c.x / c.y, 1, (1 - c.x - c.y) / c.y)); }
inline double distance(const Uv& a, const Uv& b) { return std::hypot(a.u - b.u, a.v - b.v); }

inline bool is_grey(const Patch& p) {
    return std::abs(p.rgb[0] - p.rgb[1]) < 1e-3 && std::abs(p.rgb[2] - p.rgb[1]) < 1e-3;
}
/// The display curve of a space: BT.709 pictures are seen by BT.1886. Throws Error(usage) for other targets than
/// look().
colour::Transfer target_curve(const std::string& target);

/// Mean of all measurements of one code.
std::optional<colour::Vec3> shown(const std::vector<Patch>& patches, const colour::Vec3& rgb);

/// What a display for judging colour keeps to. ISO 3664:2009 and ISO 12646 ask for 80 to 160 cd/m2 and a white within
/// 0.005 of the aim in u' and v'; the others are customary figures, from memory.
struct Aims {
    double least_luminance = 80, most_luminance = 160; ///< cd/m2
    double least_contrast = 300;
    double good_grey = 2, most_grey = 4;             ///< CIELAB chroma
    double good_difference = 2, most_difference = 4; ///< mean CIEDE2000
    double white_off = 0.005;                        ///< in u', v'
    double gamma_off = 0.15;                         ///< of the exponent
    double channel_off = 0.05;                       ///< share of a channel's light
};
inline constexpr Aims aims;

/// What a profile makes of the patches, without and with a table: fills `beyond`, `after_profile`, `after_table` and
/// `table_pays`. `adapt`: from the display's white to D50.
void profile_it(Display& display, const std::vector<Patch>& patches, const colour::Mat3& adapt,
                const colour::Vec3& black, const colour::Vec3& white);

/// What the display's own controls can mend. `target_gamma`: the exponent that the target's curve comes to.
std::vector<Fault> faults_of(const std::vector<Patch>& patches, const Display& display,
                             const colour::Chromaticity& target_white, double target_gamma);

} // namespace refero::display
