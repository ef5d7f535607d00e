// A set with real geometry: lamps of some size, a reflector, a glossy chart. Metres, seen by the camera: x to the
// right, y up, z from the chart towards the camera; the chart's middle is the origin.
#pragma once

#include <optional>
#include <vector>

#include <Eigen/Core>

#include "colour/spectrum.hpp"

namespace refero::simulate {

using Point3 = Eigen::Vector3d;

/// A round source that shines alike in all directions (each element after Lambert), facing the chart.
struct Lamp {
    Point3 at{-1.2, 0.5, 1.2};
    double radius_m = 0.1;
    double strength = 1;                   ///< irradiance at 1 m of a surface that faces it
    std::optional<colour::Spectrum> light; ///< none: the scene's own
};
/// A white card that sends on what falls on it, after Lambert; it faces the chart's middle.
struct Reflector {
    Point3 at{1, 0, 0.6};
    double size_m = 0.8; ///< of its side
    double reflectance = 0.9;
};
struct Studio {
    std::vector<Lamp> lamps{Lamp{}};
    std::optional<Reflector> reflector;
    double camera_m = 2;       ///< from the chart's middle, on the z axis
    double chart_turn_deg = 0; ///< about the vertical: its normal turns towards +x
    double gloss = 0.04;       ///< share of light that its surface reflects as a mirror does (Fresnel, about 1.5)
    double rough_deg = 7;      ///< spread of that reflection
};

/// Light at a place of the chart's plane: the irradiance over that of one lamp of strength 1 that faces it at 1 m; and
/// the mirrored light, as a share of what a perfect diffuser there would show at irradiance 1.
struct LightAt {
    double diffuse = 0, mirrored = 0;
};
/// `place`: metres on the chart from its middle, x to the right, y up. Inverse square and cosine laws over elements of
/// each source (Lambert 1760); the mirrored part is a Gaussian lobe about the mirror direction.
LightAt light_at(const Studio& studio, const Eigen::Vector2d& place);

} // namespace refero::simulate
