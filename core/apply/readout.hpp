// What a place in a finished picture reads.
#pragma once

#include "apply/apply.hpp"

namespace refero::apply {

/// Code values of a picture by its space's transfer function, 16 bits a value, clipped; interleaved.
std::vector<std::uint16_t> deep_codes(const Picture& picture);
/// The picture that such codes show.
Picture picture_of(const std::vector<std::uint16_t>& codes, int width, int height, const std::string& space);

/// A colour as programs tell it.
struct Readout {
    std::array<double, 3> percent{};         ///< of the code range
    std::array<int, 3> eight{}, sixteen{};   ///< codes of so many bits
    colour::Vec3 lab = colour::Vec3::Zero(); ///< CIELAB, D50
    double stops = 0;               ///< of luminance over middle grey, 18 % of the perfect diffuser; below -15: black
    bool high = false, low = false; ///< a channel is at the end of its range: what lies beyond is not told
};
/// The mean, in light, of a square of `side` pixels about a place that is in the picture; less of it at the rim.
Readout readout(const std::vector<std::uint16_t>& codes, int width, int height, int x, int y, int side,
                const std::string& space);

} // namespace refero::apply
