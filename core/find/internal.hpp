// Shared by the sources of this room only.
#pragma once

#include <map>
#include <optional>

#include <opencv2/core.hpp>

#include "find/find.hpp"

namespace refero::find {

using chart::Corners;
using chart::Homography;
using chart::Point;

/// The frame made small for the search. Coordinates are pixels of this picture, origin at the outer corner.
struct Picture {
    cv::Mat linear;   ///< CV_32FC3, camera RGB
    cv::Mat display;  ///< CV_32FC3, balanced by percentiles, gamma 2.2, about 0 to 1
    double scale = 1; ///< picture pixels per full-size pixel
};
Picture picture_of(const frame::Frame& frame, int longest_side);
/// Noise of the picture to search in, standard deviation of `display` on flat ground.
double noise_of(const Picture& picture);
/// Takes noise out of `display` and leaves steps where they are; `linear`, which only patches' middles are read from, is
/// blurred.
void take_noise_out(Picture& picture, double noise);

/// A flat quadrilateral region.
struct Region {
    Point centre;
    Corners corners; ///< of the region, order arbitrary but cyclic
    double area = 0; ///< square pixels
};
std::vector<Region> flat_quadrilaterals(const Picture& picture);

/// Regions at integer places of one lattice, and the map from places to pixels.
struct Lattice {
    std::map<std::pair<int, int>, std::size_t> cells; ///< place to region
    Homography pixels_from_place;
};
std::vector<Lattice> lattices(const std::vector<Region>& regions, std::size_t least_cells);

/// A definition as a regular grid: place of each patch, and its colour.
struct Grid {
    const chart::Definition* definition = nullptr;
    int columns = 0, rows = 0;
    std::vector<std::pair<int, int>> place; ///< column, row of each patch
    double first_x_mm = 0, first_y_mm = 0, pitch_x_mm = 0, pitch_y_mm = 0; ///< of patch centres
    std::vector<colour::Vec3> xyz;
};
std::optional<Grid> grid_of(const chart::Definition& definition);

/// The best assignment of a grid to a lattice by colour; corners in picture pixels.
struct Match {
    const Grid* grid = nullptr;
    Corners corners;
    double misfit = 1;   ///< mean relative colour residual, 0 = perfect
    double runner_up = 1; ///< of the best assignment in another orientation
};
std::optional<Match> identify(const Grid& grid, const Lattice& lattice, const Picture& picture);
/// Mean relative colour residual of the chart at these corners (picture pixels), and the share of even patches.
struct ColourFit {
    double misfit = 1;
    double even_share = 0;
};
ColourFit colour_fit(const Grid& grid, const Corners& corners, const Picture& picture);

/// Moves corners (full-size pixels) so that the patches' edges lie on the frame's edges; sub-pixel.
Corners refine(const chart::Definition& definition, const Corners& corners, const frame::Frame& frame);

} // namespace refero::find
