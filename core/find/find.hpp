// Finds charts in a frame: structure first (a lattice of evenly spaced quadrilaterals), colour for identity.
#pragma once

#include <string>
#include <vector>

#include "chart/geometry.hpp"
#include "frame/frame.hpp"

namespace refero::find {

/// Where a chart is in a frame.
struct Placement {
    std::string chart;         ///< id of the definition
    chart::Corners corners;    ///< pixels of the upright full-size image
    double confidence = 0;     ///< 0 to 1
    double tilt_deg = 0;       ///< see chart::tilt_deg
    double frame_fraction = 0; ///< area of the corners' quadrilateral over the frame's
    bool mirrored = false;
};

/// A placement from corners given by hand: confidence 1, the rest computed.
/// Throws Error(usage) when the corners do not span a convex area.
Placement placement_from(const chart::Definition& definition, const chart::Corners& corners, const frame::Frame& frame);

/// Corners given roughly, up to about a third of a pitch off, laid on the patches that the frame shows, to sub-pixel
/// accuracy; unchanged where nothing holds.
chart::Corners snapped(const chart::Definition& definition, const chart::Corners& rough, const frame::Frame& frame);

/// All charts of these definitions in the frame, most confident first; empty when there is none.
/// Definitions without a reference or without a regular grid are passed over.
std::vector<Placement> locate(const frame::Frame& frame, const std::vector<chart::Definition>& definitions,
                              std::stop_token stop = {});

/// What to do about a frame in which no chart was found: the exposure first, where it hides what there is.
std::string remedy_for(const frame::Frame& frame);

} // namespace refero::find
