// What a setup's patches read as in a display-referred picture (sRGB), at each stage of the chain.
#pragma once

#include "operations/correct/chain.hpp"

namespace refero::operations {

enum class Stage { balanced, corrected, finished };
inline constexpr auto names(Stage) { return std::array{"balanced", "corrected", "finished"}; }

struct PatchCodes {
    std::string id;
    colour::Vec3 points{0, 0, 0}; ///< codes, 0 to 100, not clipped
    std::string cast;             ///< of a neutral, in words; empty: none
    bool neutral = false;
    bool clipped = false; ///< a code lies outside 0 to 100
};
/// Of every usable patch, in the chart's order; empty where the chain has not come so far.
std::vector<PatchCodes> codes_of(const Chain& chain, Stage stage);

} // namespace refero::operations
