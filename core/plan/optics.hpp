// Optics of a chart in front of a camera: where it is held, and what is in focus.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/records.hpp"

namespace refero::plan {

/// Distance of the subject from the lens for a magnification (image over object size), thin lens: f (1 + 1/m), in mm.
double thin_lens_distance_mm(double focal_mm, double magnification);

/// Nearest and farthest distance from the lens in acceptable focus, in mm; the farthest may be infinite.
/// docs/methods.md, Depth of field. `confusion_mm` is the diameter of the circle of confusion on the sensor.
struct DepthOfField {
    double near_mm = 0, far_mm = 0;
};
DepthOfField depth_of_field(double focal_mm, double f_number, double distance_mm, double confusion_mm);
/// Sensor diagonal / 1500, common practice (0.029 mm on 36 x 24 mm).
double confusion_mm(const shoot::CameraRecord& camera);

/// How a chart is held so that it covers a share of the frame.
struct Holding {
    double share = 0; ///< of the frame's area
    double magnification = 0;
    double distance_mm = 0;    ///< from the lens (thin lens)
    double from_sensor_mm = 0; ///< distance + image distance
    double patch_px = 0;       ///< shorter side of the smallest patch
    DepthOfField depth;
    double largest_tilt_deg = 0; ///< at which the chart's far edges leave the depth of field; 90: none does
    bool too_near = false;       ///< nearer than the lens focuses
};
/// Share of the frame that a school wants: 0.1, or for "fill" what leaves a tenth free along the tighter side.
double wanted_share(const shoot::CameraRecord& camera, const shoot::CardRecord& card, shoot::ShareSchool school);
Holding hold(const shoot::CameraRecord& camera, const shoot::LensRecord& lens, const shoot::CardRecord& card,
             double smallest_patch_mm, double f_number, double share);
/// Share of the frame that a card covers at a distance from the sensor.
double share_at(const shoot::CameraRecord& camera, const shoot::LensRecord& lens, const shoot::CardRecord& card,
                double from_sensor_mm);
/// Shorter side of the smallest patch of a card, mm; of its definition where it is installed, else guessed by its size.
double smallest_patch_mm(const shoot::CardRecord& card);

} // namespace refero::plan
