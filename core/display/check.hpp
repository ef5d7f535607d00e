// The course of a display's check: which patches are shown, in which order, and whether a reading can be believed.
#pragma once

#include "display/display.hpp"

namespace refero::display {

/// One patch to show.
struct Shown {
    std::string name;
    colour::Vec3 rgb{0, 0, 0};
    double settle_s = 0.4;     ///< from showing to reading
    bool after_black = false;  ///< black is shown before it, so that what was there has gone
    bool control = false;      ///< white or black again: is everything still as it was?
    bool verification = false; ///< skin and memory colours: no part of the profile
};
/// White and black, a ladder of greys, primaries and secondaries with their ramps, skin and memory colours; every now
/// and then white and black again.
std::vector<Shown> sequence();

/// A check under way, as a plain value: kept, it can be gone on with.
struct Check {
    std::vector<Shown> steps = sequence();
    std::vector<Patch> read; ///< of the first steps, in their order

    bool done() const { return read.size() == steps.size(); }
    const Shown& next() const { return steps[read.size()]; }
    /// Takes the reading of the next patch. Empty: it is believed. Else why not, in words, and nothing is kept; where a
    /// control says that everything since the one before is doubtful, the check goes back to that.
    std::string take(const colour::Vec3& xyz);

private:
    int doubted_ = 0;            ///< readings of this patch that were not believed
    colour::Vec3 last_{0, 0, 0}; ///< the last of them
    std::string doubt(const colour::Vec3& xyz) const;
};

} // namespace refero::display
