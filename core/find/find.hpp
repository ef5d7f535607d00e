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

/// What hides a chart in a frame in which none was found, and what to do about it.
struct Hidden {
    static constexpr double clipped_limit = 2; ///< percent of the frame: a chart in it may be burnt out
    static constexpr double light_limit = 1;   ///< percent
    double clipped_percent = 0;                ///< of the frame; 0 where it is too little to hide a chart
    double light_percent = 100; ///< that nineteen of twenty pixels stay under; 100 where it is enough to see by
    std::string remedy = "Check that the whole chart is in the frame, or give its corners by hand";
};
Hidden hidden_in(const frame::Frame& frame);

/// Error(not_found): no chart was found in this frame.
class NoChart : public Error {
public:
    explicit NoChart(const frame::Frame& frame) : NoChart(frame, hidden_in(frame)) {}
    const Hidden& hidden() const { return hidden_; }

private:
    NoChart(const frame::Frame& frame, const Hidden& hidden)
        : Error(ErrorKind::not_found, "no chart was found", frame.file, hidden.remedy),
          hidden_(hidden) {}
    Hidden hidden_;
};

} // namespace refero::find
