// The radial functions of the model `lut`: chromaticities (red and blue over the sum) about neutral on which they sit,
// two rings of a hexagonal grid.
#pragma once

#include <array>
#include <cstddef>

namespace refero::fit {

inline constexpr std::size_t radial_centre_count = 18;
inline constexpr double radial_reach = 0.12; ///< standard deviation of each
const std::array<std::array<double, 2>, radial_centre_count>& radial_centres();
/// Of each, at neutral.
const std::array<double, radial_centre_count>& radial_at_neutral();

} // namespace refero::fit
