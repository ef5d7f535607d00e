// White balance and exposure from the neutrals of a reading.
#pragma once

#include <optional>
#include <string>

#include "read/read.hpp"

namespace refero::balance {

using colour::Vec3;

/// Camera RGB times `gains` times `exposure` puts the white patch at equal channels and its reference Y.
struct Balance {
    std::string white_patch;
    Vec3 gains{1, 1, 1}; ///< green = 1
    double exposure = 1; ///< factor, after the gains
    Vec3 operator()(const Vec3& camera_rgb) const { return exposure * gains.cwiseProduct(camera_rgb); }
};

/// A neutral that is brighter than this in any channel is too near clipping to balance on.
inline constexpr double near_clipping = 0.95;

/// The patch to balance on: the second-lightest usable neutral (the lightest if there is no other). Neutrals are
/// patches of that role, or without a definition those whose reference has a chroma below 6. Clipped, nearly
/// clipped and unreadable ones are passed over. Throws Error(input) when none is left, saying why.
std::string choose_white(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition);

/// Balance on one patch. Throws Error(usage) when the patch is unknown, Error(input) when it is clipped or dark.
Balance on_patch(const read::Reading& reading, const chart::Reference& reference, const std::string& patch_id);

/// Colour of the light, from the camera's own matrix (XYZ of the scene to camera RGB).
colour::Temperature light_of(const Balance& balance, const colour::Mat3& camera_from_xyz);

/// Spread of R, G, B of a balanced neutral, in percentage points of full scale.
double neutral_spread_percent(const Vec3& balanced_rgb);

} // namespace refero::balance
