// A colorimeter's stand-in: simulated displays, and an instrument before them with noise and drift. It ships in place
// of a device; nothing here is a measurement.
#pragma once

#include <random>

#include "display/display.hpp"

namespace refero::display {

/// How a display makes light of codes.
struct DisplayModel {
    std::string name, backlight;
    std::array<colour::Chromaticity, 3> primaries;
    colour::Chromaticity white;
    double luminance = 120, black = 0.12; ///< cd/m2
    /// Of each channel: an exponent; 0: sRGB's curve.
    std::array<double, 3> gamma{2.2, 2.2, 2.2};
    colour::Vec3 gain{1, 1, 1};   ///< of each channel's full light
    colour::Vec3 offset{0, 0, 0}; ///< added to codes below full: greys drift
    double mixing = 0;            ///< share of each channel's light that a neighbour's code adds
    double white_channel = 0;     ///< share of white's light that a fourth channel gives, where all three are lit
};
/// Absolute XYZ, cd/m2, of codes 0 to 1.
colour::Vec3 light_of(const DisplayModel& display, const colour::Vec3& rgb);
/// Those that ship: wide, like sRGB, tired, badly set.
const std::vector<DisplayModel>& displays();

class SimulatedColorimeter {
public:
    explicit SimulatedColorimeter(DisplayModel display, unsigned seed = 1)
        : display_(std::move(display)),
          random_(seed) {}
    /// One reading, XYZ in cd/m2: noise of 0.2 % and 0.002 cd/m2, and a slow drift of the backlight.
    colour::Vec3 measure(const colour::Vec3& rgb);
    /// Light of the room on the screen, cd/m2, and the share of the screen that the instrument still sees.
    void disturb(double room, double sees) {
        room_ = room;
        sees_ = sees;
    }
    const DisplayModel& display() const { return display_; }
    DisplayModel& controls() { return display_; } ///< what the display's own controls change

private:
    DisplayModel display_;
    std::mt19937 random_;
    double room_ = 0, sees_ = 1;
    int readings_ = 0;
};

} // namespace refero::display
