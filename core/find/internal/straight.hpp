// A part of a picture made straight, and the rectangles in it: shared by what is taught.
#pragma once

#include "find/internal/steps.hpp"

namespace refero::find {

/// Pixels per place unit, straightened: place `from` is at pixel 0.
struct Straight {
    cv::Mat codes; ///< CV_32FC3, square root of balanced light
    Homography frame_from_px;
    double pitch = 0; ///< pixels of a place unit
    cv::Mat inside;   ///< CV_8U, within the corners that were given
};

struct Box {
    double x0 = 0, y0 = 0, x1 = 0, y1 = 0; ///< pixels of the straightened picture
    double width() const { return x1 - x0; }
    double height() const { return y1 - y0; }
    double area() const { return width() * height(); }
    Point middle() const { return {(x0 + x1) / 2, (y0 + y1) / 2}; }
};
/// Fraction of the smaller one that both cover.
double common_fraction(const Box& a, const Box& b);

/// Within the quadrilateral, its rim included.
bool within(const Corners& quad, const Point& point);
/// `from` and `to` are the corners of what is made straight, in places.
Straight straightened(const std::vector<Picture>& pyramid, const Homography& full_from_place, const Point& from,
                      const Point& to, const Corners& about);
/// Flat rectangles, their sides where the picture changes most. One that others fill is left out for them.
std::vector<Box> boxes_in(const Straight& straight);
/// The map of the picture's pixels after which the boxes' sides run along its rows and columns: corners by hand are as
/// exact as the hand. Nothing where they are too few to tell.
std::optional<Homography> squared_up(const Straight& straight, const std::vector<Box>& boxes);

/// Rows in equal steps across, and of one height.
struct Block {
    std::vector<std::size_t> rows;
    double first_px = 0, pitch_px = 0, side_px = 0; ///< left edge of a column, from each column to the next, width
    double height_px = 0;
    long column(const Box& b) const { return std::lround((b.x0 - first_px) / pitch_px); }
    bool holds(const Box& b) const; ///< of its size and on its steps
};
/// A card's rectangles, row by row from the top, each from the left.
struct Arrangement {
    Straight straight;
    std::vector<std::vector<Box>> rows;
    std::vector<Block> blocks;
    std::size_t patches() const;
};
/// What lies in the corners, straightened by a map of places to the frame, then by its own sides. Rows and columns
/// whose steps are alike are evened out, and what a regular grid lacks is filled in.
Arrangement arranged(const std::vector<Picture>& pyramid, const Homography& full_from_place, const Point& from,
                     const Point& to, const Corners& about);

} // namespace refero::find
