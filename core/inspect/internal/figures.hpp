// The figures that decide in this room, in one table. Where nothing else is said, the unit is a share, and they were
// chosen by trial on those cameras, lights and styles of bench/gate_set.cpp that choose; docs/benchmarks.md reports
// others. The limits of the checks are in limits.cpp, since plan and kit may change them.
#pragma once

#include <array>
#include <cstddef>

namespace refero::inspect {

// What is likely (plausible.cpp).

/// What cameras, lights, paints and picture styles are like.
struct Prior {
    double smooth_nm = 32, smooth_size = 0.05; ///< camera times light as a density over the bands of 5 nm: its smooth
    double spiky_nm = 9, spiky_size = 0.02;    ///< part and its lines; a flat response would be 1 / 81 in each
    double usual_chroma = 50;                  ///< CIELAB, of paint whose relative uncertainty is Freedom::paint
    double neutral_paint = 0.003;              ///< relative uncertainty of greys
    double deepest = 0.0015;                   ///< signal that no black is known better than, share of white
    double veil = 0.06;                        ///< stray light, share of white
    double slope = 1;                          ///< of the light, natural logarithm across the chart
    double style_tone = 0.5, style_colour = 0.35, style_lightness = 22, style_chroma = 30; ///< logarithm; CIELAB
};
inline constexpr Prior prior;

// How a reading is explained, and what stays odd (explain.cpp).

inline constexpr double out_of_use = 100; ///< doubt of a patch that tells nothing, relative
inline constexpr int least_patches = 8, least_to_be_odd = 12;
inline constexpr double dark_share = 0.02; ///< of white: relative to no less than that
inline constexpr double most_noise = 3;    ///< of a patch's mean, times the usual one at its signal
/// Candidates for what is not known of camera and paint; the likeliest is taken.
inline constexpr std::array<double, 4> camera_freedoms{0.35, 1, 2.5, 6};
inline constexpr std::array<double, 3> paint_doubts{0.006, 0.025, 0.08};
inline constexpr double odd_doubt = 1;                            ///< of a patch that is odd
inline constexpr double odd_from_sd = 4.5;                        ///< standard deviations from which on a patch is odd
inline constexpr double odd_from = 0.05;                          ///< and of its signal
inline constexpr int odd_candidates = 3;                          ///< of the most surprising, tried in each round
inline constexpr double odd_better = 3;                           ///< log-likelihood that all must gain without it
inline constexpr double mixed_into_light = 0.25;                  ///< of a slope of colour, by a picture's style
inline constexpr double odd_residual = 0.12, odd_residual_sd = 6; ///< of a fit: relative; standard deviations
inline constexpr double finished_black = 0.004, finished_white = 0.93; ///< linear display values that style clips near

// A shadow's edge (explain.cpp, pixels.cpp).

inline constexpr int step_angles = 16, step_cuts = 22; ///< places tried by the means of patches, of half a turn
inline constexpr int seen_angles = 24, seen_cuts = 30; ///< and by their pixels
inline constexpr int lines_laid_finely = 8;            ///< of them, between the places tried
inline constexpr double most_of_line = 0.3;            ///< natural logarithm of a block that a line is laid by
inline constexpr double patch_reach = 0.25;            ///< of a patch's size: the half that is sampled
inline constexpr double block_reach = 0.5;
inline constexpr double least_step = 0.04;          ///< natural logarithm; a smaller step is a slope's stand-in
inline constexpr double deepest_step = 4.2;         ///< of a shadow; what is darker lies on the chart
inline constexpr double step_evidence = 9;          ///< log-likelihood that it must gain: the places searched, and more
inline constexpr double most_shown = 12;            ///< of that evidence from the pixels at the edge
inline constexpr double most_shown_by_several = 30; ///< where three patches and more show it that found it
inline constexpr int least_sure_witnesses = 2;      ///< of a raw file, where the step is surely seen
inline constexpr double surely_seen_sd = 15;        ///< standard deviations of it
inline constexpr int least_witnesses = 3;           ///< patches whose insides show it in a finished picture
inline constexpr double most_agree = 0.55;          ///< of all that the edge crosses
inline constexpr double seen_from_sd = 1.5;         ///< standard deviations of it
inline constexpr double least_seen_step = 0.07;     ///< natural logarithm of the picture's values
inline constexpr double most_disagreed = 4;         ///< standard deviations between its size by pixels and by means
inline constexpr double strip_evidence = 12;        ///< log-likelihood that the strips between the patches must gain
inline constexpr double denied = 30;                ///< of it where the pixels at the edge show none
inline constexpr double step_beyond = 0.25;         ///< of the step's whole width: blocks that lie clearly on one side
inline constexpr double least_step_share = 0.1;     ///< of a patch's blocks on either side

// Insides of patches (pixels.cpp).

inline constexpr double least_margin = 0.13;      ///< of a patch at each side: placement and the print's edge
inline constexpr double blurs_of_margin = 2.2;    ///< standard deviations of blur that neighbours bleed in
inline constexpr double most_margin = 0.3;        ///< of a patch; with more nothing is left to look at
inline constexpr int most_blocks = 5;             ///< along a side
inline constexpr int samples_of_block = 10;       ///< along its side
inline constexpr double texture = 0.004;          ///< natural logarithm, of blocks: print and dust
inline constexpr double darkest = 0.004;          ///< signal below which a logarithm says nothing
inline constexpr std::size_t least_regressed = 6; ///< patches for a slope inside them

// Strips between patches (gaps.cpp).

inline constexpr int gap_samples = 20;         ///< along a strip
inline constexpr double beside_share = 0.25;   ///< of a patch's size, by which neighbours may be shifted
inline constexpr double least_gap_px = 3;      ///< cells
inline constexpr double blurs_of_gap = 4;      ///< standard deviations of blur that a gap must be wide
inline constexpr double dark_strip = 0.0008;   ///< signal below which a logarithm says nothing
inline constexpr std::size_t least_spots = 24; ///< for slopes and steps
inline constexpr double spots_of_evidence = 2; ///< neighbouring spots that say the same
inline constexpr int robust_rounds = 5;
inline constexpr double least_scatter = 0.01; ///< natural logarithm

// The blur (blur.cpp).

inline constexpr int edge_samples = 48; ///< across an edge between two patches
inline constexpr int edge_lines = 9;    ///< side by side, of which the mean is taken

// What covers a patch (covers.cpp).

inline constexpr double least_spot_margin = 0.12, most_spot_margin = 0.35; ///< of a patch at each side
inline constexpr double blurs_of_spot_margin = 3; ///< standard deviations that a light neighbour shows on a dark patch
/// A finished picture's sharpening and compression reach farther, and its noise is coarser than a pixel.
inline constexpr double finished_reach_px = 2.5;
inline constexpr double finished_spot_noises = 9, raw_spot_noises = 6; ///< standard deviations that make a spot
inline constexpr double soft_in_blurs = 3; ///< standard deviations of blur; an outline's middle half is 1.35 wide
inline constexpr double other_colour = 0.08, other_colour_noises = 9; ///< of a channel's share; standard deviations
inline constexpr double too_dark_to_tell = 0.03;                      ///< of the light's level
inline constexpr double tone_between = 0.25, most_tone_between = 0.2; ///< two tones: of the step, of the patch
inline constexpr double tone_one_colour = 0.06; ///< shares of the channels: a style bends them with the light
inline constexpr double of_one_colour = 0.05;   ///< of a patch: less of another colour is none
inline constexpr double least_edge_stops = 0.1, edge_alike = 0.3; ///< stops; of the step of all
inline constexpr std::size_t least_edge_patches = 2;              ///< that one edge crosses
inline constexpr double one_way = 0.8;                            ///< of them darken towards one side
inline constexpr double cover_alike = 0.12, cover_beside = 1.3;   ///< of a channel; of a patch's side
inline constexpr std::size_t least_unbending = 4;                 ///< neutrals that tell of a style
/// Cosines; a style bends what is added, and not all of that is unbent.
inline constexpr double of_light_raw = 0.992, of_light_finished = 0.98;
inline constexpr double neutral_rest = 0.97; ///< cosine
inline constexpr double odd_strip = 0.35;    ///< natural logarithm from the usual strip
inline constexpr std::size_t least_gaps = 8; ///< strips that tell what is usual

// Findings (judge.cpp).

/// Standard deviations of what is unknown of camera, light, style and chart that a limit keeps away from: so far a
/// clean shot strays no farther, and a fault of 1.2 times the limit stays a fault.
inline constexpr double unknown_in_limit = 5;
inline constexpr double most_growth = 3;              ///< a limit that had to grow more tells nothing below it
inline constexpr double least_spot = 0.03;            ///< of a patch; less is noise, or a speck that spreads little
inline constexpr double most_covered = 0.7;           ///< of a patch by a reflection
inline constexpr double strong_chroma = 18;           ///< CIELAB; what clips there clips at the space's edge
inline constexpr double most_saturation = 1.3;        ///< of picture styles, common practice
inline constexpr double least_steep_luminance = 0.05; ///< below, stray light flattens as much
inline constexpr double least_steepness = 0.6;        ///< of the greys in logarithms; flatter is a log curve
inline constexpr int coarse_raw_bits = 12;            ///< common practice: 14 where the camera offers it

} // namespace refero::inspect
