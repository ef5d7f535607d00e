// A chart that is not known yet, read off a picture: its lattice of patches, gaps and bars, and what they look like.
#pragma once

#include "chart/geometry.hpp"
#include "frame/frame.hpp"

namespace refero::find {

struct Taught {
    chart::Definition definition; ///< ids by rows and columns, bars after them; roles by their looks; millimetres
    chart::Reference reference;   ///< as the picture shows them, nominal: enough to find the chart, no measurement
    chart::Corners corners;       ///< of the patch array, full-size pixels
    int columns = 0, rows = 0;    ///< of the lattice
    int bars = 0;                 ///< patches of another size
};
/// `about` are four corners about the card, in the order top-left, top-right, bottom-right, bottom-left as it is to be
/// read; they need not be exact for cards whose patches lie on one lattice; other arrangements of rectangles are
/// straightened by them. `width_mm` is the patch array's; 0: a pitch of 20 mm is taken. Throws Error(input)
/// where no lattice of at least six patches lies in it.
Taught teach(const frame::Frame& frame, const chart::Corners& about, double width_mm = 0, std::stop_token stop = {});
/// A proposal for `about` where nobody gave it: the outline of the card with most patches in the frame, a little wider;
/// `known` charts are passed over. Throws Error(input) where none is seen.
chart::Corners outline_of_card(const frame::Frame& frame, const std::vector<chart::Corners>& known = {},
                               std::stop_token stop = {});

} // namespace refero::find
