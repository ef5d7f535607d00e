// How finely the simulator works, in one table. Cameras, lights and surfaces are in set.cpp, scenes in their
// descriptions.
#pragma once

namespace refero::simulate {

inline constexpr double body_margin_mm = 10;              ///< of a chart's body about its patches
inline constexpr int truth_samples = 40;                  ///< along each side of a patch's central half
inline constexpr int studio_step_px = 16;                 ///< of the grid on which a studio's light is worked out
inline constexpr int source_rings = 3, source_spokes = 8; ///< elements of a round source
inline constexpr int reflector_cells = 5;                 ///< of a reflector along each side

} // namespace refero::simulate
