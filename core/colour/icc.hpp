// ICC profiles of the matrix and curves kind (ICC.1:2001-04, version 2.4: the most widely read; ICC.1:2010, version
// 4.3), made by lcms2.
#pragma once

#include <string>
#include <vector>

#include "colour/rgb.hpp"

namespace refero::colour {

enum class IccClass { input, display };

/// The profile of an RGB whose linear values go to XYZ (D50) by `to_xyz_d50` and whose codes are decoded by
/// `transfer`. Throws Error(internal) when lcms2 cannot make it.
std::vector<unsigned char> icc_profile(IccClass kind, const Mat3& to_xyz_d50, Transfer transfer,
                                       const std::string& title, const std::string& copyright, int version = 2);

} // namespace refero::colour
