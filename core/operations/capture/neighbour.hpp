// A card measured through the known chart beside it: values with the radius that holds the true ones.
#pragma once

#include "fit/foretell.hpp"
#include "operations/correct/pipeline.hpp"

namespace refero::operations {

/// A picture that shows both.
struct NeighbourShot {
    std::filesystem::path file;
    ShotOptions options;                          ///< of the picture: encoding, position in a clip
    std::vector<find::Placement> placements = {}; ///< of the card's panels, where they are known; else it is found
};

struct NeighbourValue {
    std::string id;
    colour::Vec3 xyz = colour::Vec3::Zero(); ///< D50, 2 degrees, Y = 1 for the perfect diffuser
    double radius = 0;                       ///< CIEDE2000, holds the true value with 95 %
    int pictures = 0;                        ///< that show the patch unclipped
};
struct Neighbour {
    std::vector<NeighbourValue> values; ///< of the patches that could be measured
    std::vector<std::string> missing;   ///< ids of the others: clipped or outside in all pictures
    std::string provenance;             ///< "through grid24, 2 cameras, 3 lights, 2026-05-04"
    bool sure = true; ///< radii come from the cameras' estimated sensitivities; else from what the fits leave
};
/// `card` as it was taught; `known` is id or file of the chart beside it. Throws Error(not_found) naming the picture in
/// which either is not seen, Error(input) where the gate refuses the known chart.
Neighbour measured_beside(const std::vector<NeighbourShot>& shots, const chart::Definition& card,
                          const std::string& known, std::stop_token stop = {});

/// The known chart of a frame, and the correction fitted on it there. Throws Error(not_found) where it is not seen,
/// Error(input) where the gate refuses it.
fit::Correction fitted_through(const frame::Frame& frame, const std::string& known, std::stop_token stop = {});

/// Patch by patch against values of another time or source.
struct Ageing {
    std::string id;
    double delta_e_2000 = 0, radius = 0;
    bool beyond() const { return delta_e_2000 > radius; }
};
std::vector<Ageing> ageing(const Neighbour& now, const chart::Reference& then);

/// The values as a chart's reference.
chart::Reference reference_of(const Neighbour& neighbour);

} // namespace refero::operations
