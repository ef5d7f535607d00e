// Where a flat chart lies in a frame: four corners, and the projective map that they define.
#pragma once

#include <array>

#include <Eigen/Core>

#include "chart/chart.hpp"

namespace refero::chart {

using Point = Eigen::Vector2d;

/// Outer corners of the patch array in the chart's own order top-left, top-right, bottom-right, bottom-left;
/// pixels of the upright full-size image, origin at the outer corner of the first pixel.
using Corners = std::array<Point, 4>;

/// A projective map of the plane.
struct Homography {
    Eigen::Matrix3d matrix = Eigen::Matrix3d::Identity();
    Point operator()(const Point& p) const;
    Homography inverse() const;
};

/// The map that takes four points to four points. Throws Error(usage) when three of them lie on a line.
Homography homography(const Corners& from, const Corners& to);

/// Millimetres of the patch array to pixels of the full-size image.
Homography pixels_from_mm(const Definition& definition, const Corners& corners);

/// The corners of a patch, its sides shrunk to `share` about its centre, in pixels; order as Corners.
Corners patch_quad(const Patch& patch, const Homography& pixels_from_mm, double share = 1.0);

/// The corners of a chart that faces the camera, from the middles of its first and last patch, in pixels.
/// Throws Error(usage) when these are one patch or one place.
Corners corners_from_first_and_last(const Definition& definition, const Point& first, const Point& last);

/// Area of a quadrilateral in square pixels, positive when its order runs clockwise on screen (unmirrored).
double signed_area(const Corners& quad);
/// True if the quadrilateral is convex and of some area.
bool is_convex(const Corners& quad);

/// Angle between the chart's normal and the line of sight in degrees, for a pinhole camera of the given 35 mm
/// equivalent focal length; 0 = unknown, then 40 degrees across the long side are assumed.
double tilt_deg(const Definition& definition, const Corners& corners, int full_width, int full_height,
                double focal_35mm_mm);
/// The same between the chart's normal and the camera's axis: 0 where chart and sensor are parallel.
double sensor_tilt_deg(const Definition& definition, const Corners& corners, int full_width, int full_height,
                       double focal_35mm_mm);

} // namespace refero::chart
