// White balance and exposure from the neutrals of a reading.
#pragma once

#include <optional>
#include <string>
#include <vector>

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

/// Patches of the role neutral, or without a definition those whose reference has a chroma below 6.
bool is_neutral(const chart::Definition* definition, const std::string& id, const Vec3& xyz);

/// A neutral that is brighter than this in any channel is too near clipping to balance on.
inline constexpr double near_clipping = 0.95;

/// The patch to balance on: the second-lightest usable neutral (the lightest if there is no other). Clipped, nearly
/// clipped and unreadable ones are passed over. Throws Error(input) when none is left, saying why.
std::string choose_white(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition);

/// Balance on one patch. Throws Error(usage) when the patch is unknown, Error(input) when it is clipped or dark.
Balance on_patch(const read::Reading& reading, const chart::Reference& reference, const std::string& patch_id);

/// What stands for all usable neutrals together where a patch's id may stand.
inline constexpr const char* all_neutrals = "neutrals";
/// Balance on a patch by its id, on the chosen one (empty), or on all usable neutrals together ("neutrals"): gains by the
/// median of their ratios, exposure on the chosen one. Throws as the others do.
Balance balanced_on(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition, const std::string& white);

/// One thing to balance on, to be compared with the others.
struct Candidate {
    std::string white;                        ///< patch id, or "neutrals"
    std::optional<Balance> balance;           ///< none where it cannot be balanced on ...
    std::string refused;                      ///< ... and why
    std::optional<colour::Temperature> light; ///< as it tells it, by the camera's matrix
    double off_percent = 0;                   ///< how far red or blue of any usable neutral are off green after it, at most, in percent of green
    std::vector<Vec3> neutrals;               ///< XYZ (D50, Y = 1) of the usable neutrals after it, lightest first, their casts four times as strong: to look at
};
/// All neutrals together first, then each neutral, lightest first. `camera_from_xyz` may be null.
std::vector<Candidate> candidates(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition, const colour::Mat3* camera_from_xyz);

/// Where a school puts white and black, in code values of a display-referred picture (sRGB), 0 to 1.
struct ExposureTarget {
    std::string name;
    double white = 0, black = -1; ///< black below zero: left where it is
};
/// Named schools (common practice): white 90 % and black 4 %, white 96 % and black 4 %, 8-bit 230 and 10, 18 % grey by its reflectance.
std::vector<ExposureTarget> exposure_targets();
/// What a target asks for beyond the correction's own exposure, which puts the white patch at its reference luminance.
struct ExposureAsk {
    double stops = 0;
    double black_percent = 0;         ///< linear light that black is above (negative: below) its place then, percent of white; not forced
    double black_code = 0;            ///< where black comes to lie, code value 0 to 1
    std::vector<std::string> clipped; ///< patches that a channel of would pass 1
};
/// Needs a light and a dark neutral; nothing without them.
std::optional<ExposureAsk> asked(const ExposureTarget& target, const Balance& balance, const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition);

/// Colour of the light, from the camera's own matrix (XYZ of the scene to camera RGB).
colour::Temperature light_of(const Balance& balance, const colour::Mat3& camera_from_xyz);

/// Spread of R, G, B of a balanced neutral, in percentage points of full scale.
double neutral_spread_percent(const Vec3& balanced_rgb);

} // namespace refero::balance
