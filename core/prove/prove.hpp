// Proof: the colour differences that a correction leaves on a reading.
#pragma once

#include "fit/fit.hpp"

namespace refero::prove {

struct PatchProof {
    std::string id;
    colour::Vec3 reference_lab, corrected_lab; ///< CIELAB, D50
    double delta_e_2000 = 0;
    double lightness = 0, chroma = 0, hue_deg = 0; ///< corrected minus reference, CIELAB
    bool fitted = true; ///< false: clipped or unreadable, the correction did not learn from it
};

struct Proof {
    std::vector<PatchProof> patches; ///< in the reading's order; patches without reference are left out
    fit::Statistics delta_e_2000;    ///< over the patches that are readable and not clipped
    double exposure_stops = 0;       ///< by how much the reading was scaled
};

/// With `scale_exposure` the reading is multiplied so that the correction's white patch reads its reference Y.
/// Throws Error(input) when no patch can be compared.
Proof against(const fit::Correction& correction, const read::Reading& reading, const chart::Reference& reference, bool scale_exposure);

} // namespace refero::prove
