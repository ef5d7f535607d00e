// A part of a picture made straight, and the flat rectangles in it: shared by what is taught.
#pragma once

#include "find/internal/steps.hpp"

namespace refero::find {

/// Pixels per place unit, straightened: place (u0 - card_margin) is at pixel 0.
struct Straight {
    cv::Mat codes; ///< CV_32FC3, square root of balanced light
    Homography frame_from_px;
    double pitch = 0;
    cv::Mat inside; ///< CV_8U, within the corners that were given
};

struct Box {
    double x0, y0, x1, y1; ///< pixels of the straightened picture
    double width() const { return x1 - x0; }
    double height() const { return y1 - y0; }
    Point middle() const { return {(x0 + x1) / 2, (y0 + y1) / 2}; }
};

/// Within the quadrilateral, its rim included.
bool within(const Corners& quad, const Point& point);
/// `from` and `to` are the corners of what is made straight, in places.
Straight straightened(const std::vector<Picture>& pyramid, const Homography& full_from_place, const Point& from,
                      const Point& to, const Corners& about);
/// Flat rectangles, their sides where the picture changes most.
std::vector<Box> boxes_in(const Straight& straight);

} // namespace refero::find
