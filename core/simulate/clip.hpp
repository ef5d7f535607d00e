// Clips of the simulated set: renderings shown one after the other, each for some seconds.
#pragma once

#include "simulate/simulate.hpp"

namespace refero::simulate {

struct Shown {
    const Rendering* rendering;
    double seconds;
};

/// Writes a clip (H.264, 10 bit, 4:2:2, BT.709 matrix, narrow range) as a camera would: balanced on the light, through
/// the mode's curve. All renderings are of one size. The container follows the name (.mkv, .mov, .mp4).
void write_clip(const std::vector<Shown>& parts, colour::Transfer transfer, double frames_per_second,
                const std::filesystem::path& target);

} // namespace refero::simulate
