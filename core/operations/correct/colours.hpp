// The colours that a job is about: what each correction in force is expected to leave on them.
#pragma once

#include "fit/foretell.hpp"
#include "operations/correct/renderings.hpp"

namespace refero::operations {

/// An aim, before it is a job's.
struct ColourAim {
    colour::Vec3 xyz = colour::Vec3::Zero(); ///< D50, 2 degrees, Y = 1 for the perfect diffuser
    std::optional<colour::Spectrum> spectrum;
    double uncertainty = 0; ///< CIEDE2000 radius, 95 %
    std::string source;     ///< in words
};
/// From values under another illuminant or of another observer. Names: d50 d65 a; observers 2 and 10. Taken to D50 and
/// 2 degrees by the smoothest reflectance that has them. Throws Error(usage) for other names and impossible values.
ColourAim aim_of(const colour::Vec3& xyz, const std::string& illuminant, int observer);
/// A square about a place of a frame, through the correction. Throws Error(input) on an edge, for a clipped or dark
/// place; `sheen` is set where it is shiny.
struct Clicked {
    colour::Vec3 rgb = colour::Vec3::Zero(), error = colour::Vec3::Zero(); ///< camera RGB, robust mean
    bool sheen = false;
};
Clicked clicked(const frame::Frame& frame, double x, double y, double radius_px = 0);

/// A named colour joins the job. Throws Error(usage) for an empty name or one that is there already.
shoot::Change add_colour(const shoot::Shoot& shoot, const std::string& name, const ColourAim& aim);

/// What a chain's correction is expected to make of a named colour.
struct ColourExpected {
    std::optional<double> delta_e_2000; ///< none where sensitivities cannot be estimated
    std::optional<double> radius;
    std::string best; ///< the rendering or weighting that leaves least: a rendering's name, "" the own
    double best_delta_e_2000 = 0;
    bool reachable = true;
    std::string confused_with; ///< hopeless: the colour that the camera cannot tell it from
    double beyond_space = 0;   ///< CIEDE2000 beyond the space that is delivered in; 0: inside
};
/// All named colours by one chain; in the order of the job's. `space`: of delivery. Shipped weightings are tried only
/// where `weightings` (it fits anew).
std::vector<ColourExpected> expected_of(const shoot::Shoot& shoot, const Chain& chain, const std::string& space,
                                        bool weightings = true);

} // namespace refero::operations
