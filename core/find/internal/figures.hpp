// The figures that decide in this room, in one table. Where nothing else is said they were chosen by trial on simulated
// frames of refero-find-bench, of other seeds than the reported ones.
#pragma once

#include <array>
#include <cstddef>

namespace refero::find {

// Pictures and regions (find.cpp, regions.cpp).

/// Pixels along the longer side of the finest picture that is searched, and of the coarsest.
inline constexpr int finest_side = 3000, coarsest_side = 150;
inline constexpr int steepness_limits = 8; ///< limits of steepness that are tried, each 1.5 times the one before
inline constexpr std::ptrdiff_t most_regions = 6000; ///< of a picture
/// A picture that is flat, as log curves put a scene: its codes keep clear of black and white, but for a few pixels.
inline constexpr double flat_black = 0.06, flat_white = 0.87, flat_few = 0.005; // codes; share of the pixels beyond

// Lattices (lattice.cpp).

/// So many regions and places are looked at before the search ends: walls of tiles have no end of them.
inline constexpr int most_seeds = 300;
inline constexpr long most_lookups = 300000;
inline constexpr std::size_t most_lattices = 20;
/// Area of a region that may be the flat part of a patch, squares of the pitch: not a speck, not a whole wall.
inline constexpr double least_patch_area = 0.035, most_patch_area = 3;
inline constexpr double half_places = 0.4; ///< of places between, from which on the pitch is half of what it seemed

// Patches on no lattice (point_pattern.cpp).

inline constexpr double block_share = 0.6;       ///< of a chart's patches: a block of so many is found as a lattice
inline constexpr std::size_t max_anchors = 24;   ///< of a chart: patches that a map is begun from
inline constexpr std::size_t max_neighbours = 9; ///< of a region that are tried as neighbouring patches
inline constexpr double max_squeeze = 3;         ///< of an affine map: a chart seen at 70 degrees
/// Natural logarithm of how much brighter one patch may be beside another than it should be: shadows and curves.
inline constexpr double max_log_brightness = 0.9;
inline constexpr double max_aspect_of_region = 3.7; ///< of a patch whose flat part is a region (regions.cpp)

// How well a chart explains what is seen (identify.cpp).

inline constexpr double clipped_code = 0.985; ///< of the channel's white
/// Smallest singular value of a camera's matrix from balanced BT.709, and what it has in common light: broad bands
/// behind green glass have 0.07.
inline constexpr double least_apart = 0.05, usually_apart = 0.1;
inline constexpr double alike = 0.05;    ///< of their sum: two colours that differ by less are one
inline constexpr double explained = 0.3; ///< relative residual; from here on a patch is not explained

// What a chart that is taken for real must reach (find.cpp).

/// Nats, of about 4 at most; chance reaches 2 on charts with many neutrals.
inline constexpr double least_evidence_per_patch = 2.2;
inline constexpr double least_clear_per_patch = 1.6; ///< where no other place or way round has more than ...
inline constexpr double clear_share = 0.6;           ///< ... this share of the evidence
inline constexpr double least_margin = 4;            ///< nats over any other place or way round ...
inline constexpr double nearly_share = 0.94;         ///< ... which may have no more than this share of the evidence
/// Nats per patch, asked of far-fetched cameras; below it corners may lie beside the chart's, and others are tried,
/// which must exceed it by ...
inline constexpr double surely_laid = 2.9;
/// ... so many: a little is won by shunning covered patches, too.
inline constexpr double clearly_better = 0.5;
inline constexpr double clearly_off = 0.15;      ///< relative: a place that is not as it is drawn
inline constexpr double lies_better = 0.8;       ///< so many times the places that are off, and corners lie better
inline constexpr double most_misfit = 0.16;      ///< relative, of the patches that are explained
inline constexpr double least_within = 0.62;     ///< of the patches are explained
inline constexpr double least_even_share = 0.75; ///< of the patches are even
inline constexpr double most_tilt_deg = 80;      ///< no patch shows its own colour beyond it
inline constexpr int most_doubtful = 12;         ///< candidates that may fail before the search ends
inline constexpr std::size_t at_a_time = 2;      ///< of them, beside each other

// Cards that are taught (teach.cpp, straight.cpp, arrangement.cpp), chosen on cards that refero-cards-bench makes up.

inline constexpr double least_side_share = 0.018; ///< of the straightened picture's longer side: print is smaller
inline constexpr double edge_reach = 0.2;         ///< of a side: how far from a flat region its edge may lie
inline constexpr int least_clear_sides = 3;       ///< of a rectangle: texture has none
inline constexpr double fills = 0.72;             ///< fraction of its box that a rectangle's flat region fills
/// Of the largest change nearby, and of the changes on the patch itself: its own edge is no less than both.
inline constexpr double clear_change = 0.05, noise_change = 3;
/// Of a side, beyond which nothing is evened out; a side so far out is the neighbour's.
inline constexpr double widest_gap = 0.4;
/// Limits of flatness, times two and a half of what the flatter two fifths of the card reach.
inline constexpr std::array flatness_factors{0.35f, 0.6f, 1.0f, 1.7f, 3.0f, 5.0f};
inline constexpr double run_together = 0.55;    ///< of a rectangle that others fill: they are the patches
inline constexpr double ground_share = 0.4;     ///< of the card: a larger flat rectangle is its ground
inline constexpr double smallest_share = 0.1;   ///< of the usual patch's area: print is smaller
inline constexpr double alike_size = 0.1;       ///< relative: sides that differ by less are of one size
inline constexpr double snap = 0.05;            ///< of a side: what is off its row or step by less is evened out
inline constexpr double fullness = 0.75;        ///< of a grid's places, from which on it has no holes
inline constexpr double card_margin = 1.2;      ///< pitches looked at about a lattice: bars lie beside it
inline constexpr double card_px = 1000;         ///< of the straightened picture's longer side, at most
inline constexpr std::size_t likely_cards = 3;  ///< lattices of a scale whose patches are looked for
inline constexpr double usual_pitch_mm = 20;    ///< where no size is given
inline constexpr double places_across = 12;     ///< a card of no lattice is straightened in so many places
inline constexpr double max_aspect = 12;        ///< of a card's outline, and the inverse
inline constexpr std::size_t least_patches = 6; ///< of a card
inline constexpr double lattice_share = 0.7;    ///< of a card's patches: a grid that holds them names them
inline constexpr double equal_ratio = 0.05;     ///< of balanced channels: greys of one card agree so far
inline constexpr double lightest_grey = 0.9;    ///< luminance of the lightest grey, where nothing says what it is

} // namespace refero::find
