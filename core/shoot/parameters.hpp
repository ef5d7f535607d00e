// The figures that decide when light counts as the same, in one place: for repeats of a chart shot, for stretches, and
// for where a chart shot belongs. Distances between colours of light are in mireds, which are about even to the eye.
#pragma once

namespace refero::shoot {

// Two chart shots are repeats of one when all of these hold. Limits by trial on simulated daylight: a repeat by hand
// within minutes stays below them, a light that drifts by a visible step does not.
inline constexpr double max_repeat_apart_s = 600; ///< between two shots, s
inline constexpr double max_repeat_mired = 8;     ///< about 250 K at 5500 K
inline constexpr double max_repeat_duv = 0.003;   ///< distance across the Planckian locus, CIE 1960 u, v
inline constexpr double max_repeat_stops = 0.15;  ///< level of the light, camera settings taken out
// From here on two chart shots of one setup are told to be of different lights.
inline constexpr double min_other_light_mired = 25; ///< about 750 K at 5500 K
inline constexpr double min_other_light_duv = 0.006;
// A light that moved no faster and no farther than this between two chart shots drifted; else it is another lamp.
inline constexpr double max_drift_mired_per_min = 0.5; ///< daylight moves by 18 mired an hour, common practice
inline constexpr double max_drift_mired = 60;
// Charts that two cameras shot within this time are of one light: within three minutes of each other, with clocks that
// are off by up to three minutes, common practice.
inline constexpr double max_together_s = 480;
// Which planned light a chart shot was made under. A camera's own matrix tells temperature to about a tenth.
inline constexpr double near_light_mired = 45;  ///< within it a light that is still to be shot may be meant
inline constexpr double alike_light_mired = 20; ///< by so much it may be farther off than the nearest light

} // namespace refero::shoot
