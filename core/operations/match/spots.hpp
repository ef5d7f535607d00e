// Places of a master found again in what was delivered, and their colours there.
#pragma once

#include <optional>

#include "chart/geometry.hpp"
#include "frame/frame.hpp"

namespace refero::operations {

/// Where a place lies in the other picture.
struct PlaceFound {
    std::optional<chart::Point> at; ///< pixels; none: it was not found
    std::string reason;             ///< why not, or how
};
/// By the plane of a chart whose corners are known in both pictures, else as pictures of one framing: scaled, and laid
/// on exactly by what is seen around it (normalised cross-correlation).
PlaceFound place_in(const frame::Frame& master, const frame::Frame& delivered, const chart::Point& place,
                    const std::optional<std::pair<chart::Corners, chart::Corners>>& charts);

/// The colour of a place of a finished picture, XYZ relative to D50, Y = 1 for white. Throws as clicked() does.
colour::Vec3 colour_at(const frame::Frame& picture, const chart::Point& place, double radius_px = 0);

} // namespace refero::operations
