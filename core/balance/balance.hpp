// White balance and exposure from the neutrals of a reading.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "read/read.hpp"

namespace refero::balance {

using colour::Vec3;

/// A monotone, smooth curve through 0 and ascending points (Fritsch and Carlson 1980), straight beyond them. Empty:
/// identity.
struct Curve {
    std::vector<double> in, out; ///< of equal length, above 0
    double operator()(double v) const;
};

/// Camera RGB times `gains` times `exposure` puts the white patch at equal channels and its reference Y; the curves
/// then bring each channel of the greys to green, where the channels' tone curves differ.
struct Balance {
    std::string white_patch;
    Vec3 gains{1, 1, 1};         ///< green = 1
    double exposure = 1;         ///< factor, after the gains
    std::array<Curve, 3> curves; ///< green's stays empty
    bool curved() const { return !curves[0].in.empty() || !curves[2].in.empty(); }
    Vec3 scaled(const Vec3& camera_rgb) const { return exposure * gains.cwiseProduct(camera_rgb); }
    Vec3 operator()(const Vec3& camera_rgb) const;
};

/// Patches of the role neutral, or without a definition those whose reference has a chroma below 6.
bool is_neutral(const chart::Definition* definition, const std::string& id, const Vec3& xyz);

/// A neutral that is brighter than this in any channel is too near clipping to balance on.
inline constexpr double near_clipping = 0.95;
/// One that is darker than this in any channel has drowned.
inline constexpr double least_signal = 0.004;

/// The patch to balance on: the second-lightest usable neutral (the lightest if there is no other). Clipped, nearly
/// clipped and unreadable ones are passed over. Throws Error(input) when none is left, saying why.
std::string choose_white(const read::Reading& reading, const chart::Reference& reference,
                         const chart::Definition* definition);

/// Balance on one patch. Throws Error(usage) when the patch is unknown, Error(input) when it is clipped or dark.
Balance on_patch(const read::Reading& reading, const chart::Reference& reference, const std::string& patch_id);

/// Something thought neutral that is no patch: a card in another frame, a spot of the picture, a kind of light by its
/// temperature. As text it stands where a patch's id may stand.
struct Spot {
    Vec3 camera_rgb{0, 0, 0};
    std::string name;
};
std::string text_of(const Spot& spot);                  ///< "rgb R G B NAME"
std::optional<Spot> spot_from(const std::string& text); ///< none if it is no such text
/// A grey card or diffuser in a frame.
struct Card {
    Vec3 camera_rgb{0, 0, 0}; ///< robust mean
    double clipped = 0;       ///< share of its pixels
    double noise = 0;         ///< of one pixel of green, share of its mean
    double uneven = 0;        ///< darkest to lightest of its parts, share of its mean
};
/// The square about a place (full-size pixels), `radius_px` to each side; 0: one percent of the frame's longer side.
/// Throws Error(usage) outside the frame, Error(input) when it is clipped or drowned.
Card card_at(const frame::Frame& frame, double x, double y, double radius_px = 0);
/// Beyond it a square is no single surface, or a card's edge lies in it; of `uneven`.
inline constexpr double most_uneven = 0.3;
/// The same of the middle half of a frame, where a lens's own fall-off adds to the light's: about a stop.
inline constexpr double most_uneven_in_middle = 0.6;
/// Throws Error(input) where a square is no single surface.
void check_single_surface(const Card& card, const std::filesystem::path& file);
/// The square that card_at looks at, for a frame of a size (full-size pixels).
chart::Corners square_about(int full_width, int full_height, const chart::Point& at, double radius_px = 0);
/// The middle half of a frame.
chart::Corners middle_half(int full_width, int full_height);
/// The middle half of a frame, for a diffuser before the lens. Throws as the other does.
Card card_in_middle(const frame::Frame& frame);
/// Balance and exposure that make the card neutral, of luminance `grey` (0 to 1).
Balance on_card(const Card& card, double grey);
/// Camera RGB of a square of the frame (full-size pixels, see card_at), as something to balance
/// on. Throws Error(usage) outside the frame, Error(input) when the spot is clipped or drowned.
Spot spot_at(const frame::Frame& frame, double x, double y);
/// The light of a kind, as cameras offer it.
struct Preset {
    std::string kind; ///< "Daylight" ...
    colour::Temperature light;
};
/// Common practice: incandescent 3000 K, daylight 5500 K, open shade 7000 K; fluorescent 4000 K and flash 5500 K from
/// memory.
std::vector<Preset> presets();
/// What a light of a temperature looks like to a camera, named "5500 K" with its tint in thousandths of Duv.
Spot spot_of(colour::Temperature light, const colour::Mat3& camera_from_xyz);

/// What stands for all usable neutrals together where a patch's id may stand.
inline constexpr const char* all_neutrals = "neutrals";
/// Balance on a patch by its id, on the chosen one (empty), on all usable neutrals together ("neutrals": gains by the
/// median of their ratios), or on a spot's text; of the latter two the exposure is by the chosen patch. Throws as the
/// others do.
Balance balanced_on(const read::Reading& reading, const chart::Reference& reference,
                    const chart::Definition* definition, const std::string& white);

/// Curves that bring red and blue of the usable neutrals to their green; all empty with fewer than three.
std::array<Curve, 3> curves_of(const Balance& balance, const read::Reading& reading, const chart::Reference& reference,
                               const chart::Definition* definition);
/// Codes of a balanced colour in a display-referred picture (sRGB), 0 to 100 points, not clipped.
Vec3 code_points(const Vec3& balanced_rgb);
/// How far red or blue of a balanced grey are off green, points of those codes, the larger one.
double off_points(const Vec3& balanced_rgb);
/// A grey's cast in words, "red 1.3 over green, blue 2.0 under green"; empty within `most_off_points`.
std::string cast_of(const Vec3& balanced_rgb);
/// Common practice: neutrals within 1 % of display codes after balance, not of linear light. Beyond it curves are
/// offered.
inline constexpr double most_off_points = 1;

/// One thing to balance on, to be compared with the others.
struct Candidate {
    std::string white;                        ///< patch id, or "neutrals"
    std::optional<Balance> balance;           ///< none where it cannot be balanced on ...
    std::string refused;                      ///< ... and why
    std::optional<colour::Temperature> light; ///< as it tells it, by the camera's matrix
    double off_points = 0;      ///< of the usable neutral that is farthest off after it, see balance::off_points
    std::vector<Vec3> neutrals; ///< XYZ (D50, Y = 1) of the usable neutrals after it, lightest first, their casts four
                                ///< times as strong: to look at
};
/// All neutrals together first, then each neutral, lightest first, then the texts of `more`. `camera_from_xyz` may be
/// null.
std::vector<Candidate> candidates(const read::Reading& reading, const chart::Reference& reference,
                                  const chart::Definition* definition, const colour::Mat3* camera_from_xyz,
                                  const std::vector<std::string>& more = {});

/// Where a school puts white and black, in code values of a display-referred picture (sRGB), 0 to 1.
struct ExposureTarget {
    std::string name;
    double white = 0, black = -1; ///< white 0: by the 18 % grey; black below zero: left where it is
};
/// By a school's name, or "N %" for a white of one's own (50 to 100 %). Throws Error(usage) listing the schools.
ExposureTarget exposure_target(const std::string& name);
/// Named schools (common practice): white 90 % and black 4 %, white 96 % and black 4 %, 8-bit 230 and 10, 18 % grey by
/// its reflectance.
std::vector<ExposureTarget> exposure_targets();
/// What a target asks for beyond the correction's own exposure, which puts the white patch at its reference luminance.
struct ExposureAsk {
    double stops = 0;
    double black_percent =
        0; ///< linear light that black is above (negative: below) its place then, percent of white; not forced
    double black_code = 0;            ///< where black comes to lie, code value 0 to 1
    std::vector<std::string> clipped; ///< patches that a channel of would pass 1
};
/// Needs a light and a dark neutral; nothing without them.
std::optional<ExposureAsk> asked(const ExposureTarget& target, const Balance& balance, const read::Reading& reading,
                                 const chart::Reference& reference, const chart::Definition* definition);

/// Colour of the light, from the camera's own matrix (XYZ of the scene to camera RGB).
colour::Temperature light_of(const Balance& balance, const colour::Mat3& camera_from_xyz);

} // namespace refero::balance
