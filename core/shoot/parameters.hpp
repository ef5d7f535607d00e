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
// Across a break in the day less will do for another lamp: daylight that moved by no more than this.
inline constexpr double max_slow_drift_mired_per_min = 0.3; ///< 18 mired an hour, common practice
inline constexpr double max_slow_drift_mired = 20;
inline constexpr double max_slow_drift_stops = 1;
// Charts that two cameras shot within this time are of one light: within three minutes of each other, with clocks that
// are off by up to three minutes, common practice.
inline constexpr double max_together_s = 480;
// Which planned light a chart shot was made under. A camera's own matrix tells temperature to about a tenth.
inline constexpr double near_light_mired = 45;  ///< within it a light that is still to be shot may be meant
inline constexpr double alike_light_mired = 20; ///< by so much it may be farther off than the nearest light

// Which frames a chart shot can stand for. Frames that are nearer together than this are of one moment, s.
inline constexpr double max_moment_s = 2;
// A break: no camera shot for so long, and for so many times the usual pause. Lights are at least a quarter of an hour
// apart, less what clocks are off (common practice).
inline constexpr double min_break_s = 660;
inline constexpr double break_paces = 2.5;
// An automatic balance wanders by up to 200 K under one light (common practice), at the chart shot and at the frame; of
// the medians of two runs less is left. Both limits must be exceeded.
inline constexpr double max_balance_wander_k = 450;
inline constexpr double min_other_balance_k = 250;
inline constexpr double min_other_balance_mired = 8;
inline constexpr double max_preset_spread = 0.01;    ///< relative: a balance that varies by less is a preset's
inline constexpr double min_other_level_stops = 1.0; ///< between the medians of two runs

} // namespace refero::shoot
