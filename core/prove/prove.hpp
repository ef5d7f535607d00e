// Proof: the colour differences that a correction leaves on a reading.
#pragma once

#include <functional>
#include <map>
#include <optional>

#include "fit/fit.hpp"

namespace refero::prove {

/// Any way from camera RGB to XYZ relative to D50: a correction, or one made elsewhere.
using Rendering = std::function<colour::Vec3(const colour::Vec3&)>;

struct PatchProof {
    std::string id;
    colour::Vec3 reference_lab, corrected_lab; ///< CIELAB, D50
    double delta_e_2000 = 0;
    double lightness = 0, chroma = 0, hue_deg = 0; ///< corrected minus reference, CIELAB
    colour::Vec3 terms{
        0, 0, 0}; ///< of CIEDE2000: lightness, chroma, hue (with the rotation term); their squares sum to its square
    bool fitted = true; ///< false: clipped or unreadable, the correction did not learn from it
};

struct Proof {
    std::vector<PatchProof> patches; ///< in the reading's order; patches without reference are left out
    fit::Statistics delta_e_2000;    ///< over the patches that are readable and not clipped
    double exposure_stops = 0;       ///< by how much the reading was scaled
};

/// Levels of CIEDE2000 that half of observers see, and accept, side by side: Paravina, Ghinea, Herrera et al., J.
/// Esthetic and Restorative Dentistry 27, 2015 (from memory).
inline constexpr double seen_by_half = 0.8, accepted_by_half = 1.8;

/// Two patches that are neighbours in the reference, and how far apart they came to lie.
struct Neighbours {
    std::string a, b;
    double reference = 0, corrected = 0; ///< CIEDE2000 between them
    bool merged() const { return corrected < reference; }
};
/// Neighbours that moved together to less than 0.65 of their distance, or apart to over 1.5 times; the most changed
/// first.
std::vector<Neighbours> merged_or_torn(const Proof& proof);
/// Patches whose corrected colour lies outside an RGB space (a channel below -0.2 % or above 100.2 %).
std::vector<std::string> outside(const Proof& proof, const std::string& space);

/// What noise and choice of patches leave open, from draws of fit::bootstrap.
struct Uncertainty {
    double mean_low = 0, mean_high = 0;  ///< 95 % of the mean CIEDE2000 on the patches
    std::map<std::string, double> patch; ///< CIEDE2000 by which a patch's corrected colour may differ, root mean square
    double typical = 0;                  ///< the same over all patches
};
Uncertainty uncertainty(const fit::Correction& correction, const std::vector<fit::Coefficients>& draws);

/// Colours on straight ways through the camera's space between patches of neighbouring hues, as a rendering shows them.
struct Ramp {
    std::string from, to;
    std::vector<colour::Vec3> xyz; ///< D50, from the first to the second
    double roughness = 1;          ///< its largest step over the mean step, CIEDE2000; even ramps stay below about 2
    bool turns = false;            ///< hue runs back somewhere, by more than 4 degrees: a hue that is not there
};
/// Between the colours (chroma above 20) of a reading in the order of their hues, once around.
std::vector<Ramp> ramps(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
                        int steps = 48);

/// How alike camera and eye see colours under this light: 100 minus 5.5 times the mean CIELAB difference that one
/// matrix leaves on the chart's colours (after the sensitivity metamerism index of ISO 17321-1, whose test colours and
/// lights are its own; the factor from memory). 100: a matrix is enough. None without spectral reference values or with
/// fewer than 8 colours.
std::optional<double> metamerism_index(const fit::Correction& correction);

/// A verdict in one or two sentences: what the eye makes of the figures, and what stands out.
std::string in_words(const Proof& proof, const fit::Correction& correction);

/// With `white` the reading is multiplied so that this patch reads its reference Y, by a few steps, as the rendering
/// need not be linear. Throws Error(input) when no patch can be compared.
Proof against(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
              const std::string& white);

/// With `scale_exposure` the reading is multiplied so that the correction's white patch reads its reference Y.
/// Throws Error(input) when no patch can be compared.
Proof against(const fit::Correction& correction, const read::Reading& reading, const chart::Reference& reference,
              bool scale_exposure);

} // namespace refero::prove
