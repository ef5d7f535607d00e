// Two cameras' pictures of one arrangement laid over each other.
#pragma once

#include "apply/apply.hpp"
#include "chart/geometry.hpp"
#include "scope/scope.hpp"

namespace refero::operations {

/// Two pictures of one size: the other's is laid on the lead's by the plane of the chart that both show; what lies off
/// that plane then follows features of the scene, where that makes both more alike (docs/methods.md, Matching).
struct Beside {
    apply::Picture lead, other;      ///< the other is black outside its frame
    std::vector<float> delta_e_2000; ///< of each pixel, both smoothed by 2 px; below 0 outside
    double mean = 0;                 ///< of those inside
    int features = 0; ///< that tell how what lies off the chart's plane is shifted; 0: laid by the plane alone
};
/// Corners are in pixels of their pictures. Both pictures are renderings in one space. Throws Error(usage).
Beside beside(const apply::Picture& lead, const chart::Corners& lead_corners, const apply::Picture& other,
              const chart::Corners& other_corners, std::stop_token stop = {});

/// Both in one picture, in upright strips, so many that colours that differ show their edges.
apply::Picture in_strips(const Beside& both, int strips);
/// The differences as a picture of greys: black for none, white from `full` CIEDE2000 on; the same space's linear
/// codes, so that equal steps look equal.
apply::Picture as_difference(const Beside& both, double full);

/// What both show in a part of the pictures, without the pixels that the other does not cover.
struct PartOfBoth {
    /// One camera's part, in the space's codes (0 to 1).
    struct Seen {
        colour::Vec3 mean{0, 0, 0};              ///< code of the mean light
        scope::Trace colours;                    ///< on the vectorscope, BT.709
        std::array<std::vector<double>, 3> tone; ///< codes in their order at equal shares of the pixels, R, G, B
    };
    Seen lead, other;
    double delta_e_2000 = 0; ///< between both means
    double each = 0;         ///< the mean of the pixels' own, smoothed as in Beside
};
/// Corners are opposite ones in pixels of the pictures. Throws Error(usage) where too few pixels show both.
PartOfBoth part_of(const Beside& both, const chart::Point& corner, const chart::Point& opposite);

} // namespace refero::operations
