// What a display does, from measured patches, and its profile.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "fit/fit.hpp"

namespace refero::screen {

/// One patch that was shown and measured.
struct Patch {
    colour::Vec3 rgb{0, 0, 0}; ///< codes, 0 to 1
    colour::Vec3 xyz{0, 0, 0}; ///< absolute, cd/m2
};
/// A table with the columns R G B (0 to 1; 0 to 255 is understood) and X Y Z (cd/m2): CSV with a header line, or CGATS
/// with RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z. Throws Error(input) where white, black, three greys or a primary are
/// missing, or a value is none.
std::vector<Patch> load(const std::filesystem::path& file);

struct Display {
    colour::Chromaticity white;
    colour::Temperature light;       ///< of its white
    double luminance = 0, black = 0; ///< cd/m2
    double contrast = 0;             ///< white over black; infinite where black is none
    double gamma = 0;  ///< of the greys between 10 and 90 % of code, black subtracted: least squares in logarithms
    std::string curve; ///< the standard curve nearest to the greys: srgb, bt1886, 2.2, 2.4
    double grey_tracking = 0; ///< largest CIELAB chroma of a grey from 20 % of code up, relative to its own white
    std::map<std::string, double> coverage; ///< share of a space's u'v' triangle that it shows
    fit::Statistics delta_e_2000; ///< all patches, as the target space has them, relative to the display's white
    std::string verdict;          ///< pass, caution, fail
    std::string words, advice;
    colour::Mat3 to_xyz_d50;                   ///< linear RGB to XYZ relative to D50, for its profile
    std::array<std::vector<double>, 3> curves; ///< light of each channel at even steps of code
};
/// `target`: srgb, display-p3, oprgb or bt709 (whose display curve is BT.1886). Throws Error(usage) for others.
Display look(const std::vector<Patch>& patches, const std::string& target);
/// A display profile, ICC version 2, of matrix and curves.
void write_profile(const Display& display, const std::string& title, const std::filesystem::path& file,
                   Existing existing);

} // namespace refero::screen
