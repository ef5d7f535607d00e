// Adjustments: what is done to the picture after the correction, to leave neutral on purpose.
#pragma once

#include <optional>
#include <string>

#include "colour/colour.hpp"

namespace refero::look {

using colour::Vec3;

/// What is done to the picture after the correction, kept apart from it: proofs do not see it.
struct Adjustments {
    double stops = 0;        ///< exposure
    double warmer_mired = 0; ///< step along the daylight locus; positive: warmer
    double greener = 0;      ///< thousandths of Duv; positive: greener, negative: more magenta
    double light_kept = 0;   ///< share of the light's own colour, 0 (neutral) to 1 (as it was)
    bool empty() const { return *this == Adjustments{}; }
    bool operator==(const Adjustments&) const = default;
};
/// XYZ to XYZ, both relative to D50: exposure, and Bradford adaptation to the white that the neutrals shall have.
/// `light` may be none, then nothing of it is kept. Throws Error(usage) outside 100 mired and 20 thousandths of Duv.
colour::Mat3 matrix_of(const Adjustments& finish, const std::optional<colour::Temperature>& light);
/// "+0.30 stops, 15 mired warmer" ...; empty for none.
std::string in_words(const Adjustments& finish);
/// The step that balancing on a tinted patch stands for: the bluer the patch, the warmer the picture.
Adjustments step_of_patch(const Vec3& reference_xyz);

} // namespace refero::look
