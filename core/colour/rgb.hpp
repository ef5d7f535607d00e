// RGB spaces derived from their primaries, and transfer functions.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "colour/quantities.hpp"

namespace refero::colour {

/// Transfer functions. decode(): code value to linear light; encode(): linear light to code value.
/// Those with an odd extension below zero keep numbers outside 0 to 1 apart instead of clipping them.
enum class Transfer {
    linear,
    srgb,    ///< IEC 61966-2-1; odd extension
    bt709,   ///< ITU-R BT.709-6 OETF and its inverse; odd extension
    bt1886,  ///< ITU-R BT.1886 EOTF with black 0 and white 1 (gamma 2.4); odd extension
    oprgb,   ///< gamma 563/256 (IEC 61966-2-5); odd extension
    romm,    ///< ISO 22028-2: gamma 1.8, straight below 1/512; odd extension
    hlg,     ///< ITU-R BT.2100 OETF, scene light 0 to 1
    pq,      ///< SMPTE ST 2084; linear 1 = 10,000 cd/m2
    acescct, ///< Academy S-2016-001; linear AP1 may exceed 1
};

double decode(Transfer transfer, double code);
double encode(Transfer transfer, double linear);
/// By name: linear srgb bt709 bt1886 oprgb romm hlg pq acescct. Throws Error(usage) listing the names.
Transfer transfer_named(std::string_view name);
std::string_view name_of(Transfer transfer);

/// A linear RGB space with the transfer function that its integer files carry.
struct RgbSpace {
    std::string name;
    Chromaticity red, green, blue, white;
    Transfer transfer = Transfer::linear;

    /// Linear RGB to XYZ relative to the space's own white, Y = 1 (SMPTE RP 177).
    Mat3 to_xyz() const;
    /// Linear RGB to XYZ relative to D50, by Bradford.
    Mat3 to_xyz_d50() const;
};

/// Names: srgb display-p3 oprgb bt709 linear-bt709 bt2020 romm acescg xyz-d50. Throws Error(usage) listing the names.
/// xyz-d50 is the identity: its "RGB" is XYZ relative to D50.
const RgbSpace& rgb_space(std::string_view name);
const std::vector<RgbSpace>& rgb_spaces();

} // namespace refero::colour
