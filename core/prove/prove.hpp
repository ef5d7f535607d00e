// Proof: the colour differences that a correction leaves on a reading.
#pragma once

#include <map>

#include "fit/fit.hpp"

namespace refero::prove {

struct PatchProof {
    std::string id;
    colour::Vec3 reference_lab, corrected_lab; ///< CIELAB, D50
    double delta_e_2000 = 0;
    double lightness = 0, chroma = 0, hue_deg = 0; ///< corrected minus reference, CIELAB
    colour::Vec3 terms{0, 0, 0}; ///< of CIEDE2000: lightness, chroma, hue (with the rotation term); their squares sum to its square
    bool fitted = true; ///< false: clipped or unreadable, the correction did not learn from it
};

struct Proof {
    std::vector<PatchProof> patches; ///< in the reading's order; patches without reference are left out
    fit::Statistics delta_e_2000;    ///< over the patches that are readable and not clipped
    double exposure_stops = 0;       ///< by how much the reading was scaled
};

/// Levels of CIEDE2000 that half of observers see, and accept, side by side: Paravina, Ghinea, Herrera et al., J. Esthetic and
/// Restorative Dentistry 27, 2015 (from memory).
inline constexpr double seen_by_half = 0.8, accepted_by_half = 1.8;

/// Two patches that are neighbours in the reference, and how far apart they came to lie.
struct Neighbours {
    std::string a, b;
    double reference = 0, corrected = 0; ///< CIEDE2000 between them
    bool merged() const { return corrected < reference; }
};
/// Neighbours that moved together to less than 0.65 of their distance, or apart to over 1.5 times; the most changed first.
std::vector<Neighbours> merged_or_torn(const Proof& proof);
/// Patches whose corrected colour lies outside an RGB space (a channel below -0.2 % or above 100.2 %).
std::vector<std::string> outside(const Proof& proof, const std::string& space);

/// What noise and choice of patches leave open, from draws of fit::bootstrap.
struct Uncertainty {
    double mean_low = 0, mean_high = 0;   ///< 95 % of the mean CIEDE2000 on the patches
    std::map<std::string, double> patch;  ///< CIEDE2000 by which a patch's corrected colour may differ, root mean square
    double typical = 0;                   ///< the same over all patches
};
Uncertainty uncertainty(const fit::Correction& correction, const std::vector<fit::Coefficients>& draws);

/// A verdict in one or two sentences: what the eye makes of the figures, and what stands out.
std::string in_words(const Proof& proof, const fit::Correction& correction);

/// With `scale_exposure` the reading is multiplied so that the correction's white patch reads its reference Y.
/// Throws Error(input) when no patch can be compared.
Proof against(const fit::Correction& correction, const read::Reading& reading, const chart::Reference& reference, bool scale_exposure);

} // namespace refero::prove
