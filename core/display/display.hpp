// What a display does, from measured patches, and its profile.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/names.hpp"
#include "fit/fit.hpp"

namespace refero::display {

/// One patch that was shown and measured.
struct Patch {
    colour::Vec3 rgb{0, 0, 0}; ///< codes, 0 to 1
    colour::Vec3 xyz{0, 0, 0}; ///< absolute, cd/m2
};
/// A table with the columns R G B (0 to 1; 0 to 255 is understood) and X Y Z (cd/m2): CSV with a header line, or CGATS
/// with RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z. Throws Error(input) where white, three greys or a primary are missing, or
/// a value is none. Black may be missing: what rests on it is then not told.
std::vector<Patch> load(const std::filesystem::path& file);

/// Something that the display's own controls can mend.
struct Fault {
    std::string what;    ///< white, gamma, red, green, blue, greys, brightness, black
    std::string control; ///< the control to turn
    std::string words;   ///< how far off, and which way
    double amount = 0;   ///< kelvin, exponent, share of a channel's light, CIELAB chroma, cd/m2
};

/// What a display can be trusted for: colour; most work once what is advised is done; nothing that is judged by colour.
enum class Verdict { pass, caution, fail };
inline constexpr auto names(Verdict) { return std::array{"pass", "caution", "fail"}; }
inline constexpr Verdict when_unknown(Verdict) { return Verdict::fail; }
using refero::name_of;

struct Display {
    colour::Chromaticity white;
    colour::Temperature light;       ///< of its white
    double luminance = 0, black = 0; ///< cd/m2
    bool black_measured = false;     ///< else `black` is 0 and `contrast` not a number
    double contrast = 0;             ///< white over black; infinite where black was measured as 0
    double gamma = 0;  ///< of the greys between 10 and 90 % of code, black subtracted: least squares in logarithms
    std::string curve; ///< the standard curve nearest to the greys: srgb, bt1886, 2.2, 2.4
    double white_off_d50 = 0, white_off_d65 = 0; ///< of the white, in u'v'
    double grey_tracking = 0; ///< largest CIELAB chroma of a grey from 20 % of code up, relative to its own white
    std::map<std::string, double> coverage; ///< share of a space's u'v' triangle that it shows
    fit::Statistics delta_e_2000;       ///< all patches, as the target space has them, relative to the display's white
    fit::Statistics after_profile;      ///< the same patches as its profile predicts them
    std::map<std::string, double> area; ///< of its u'v' triangle over a space's
    std::vector<Fault> faults;          ///< what its own controls can mend
    Verdict verdict = Verdict::fail;
    std::string words, advice;
    colour::Mat3 to_xyz_d50;                   ///< linear RGB to XYZ relative to D50, for its profile
    std::array<std::vector<double>, 3> curves; ///< light of each channel at even steps of code
    /// What the channels do beyond adding up, as a fourth, white channel makes them: XYZ relative to D50 of each
    /// channel and of each two channels, above the weakest of all three. Nothing on greys.
    Eigen::Matrix<double, 3, 6> beyond = Eigen::Matrix<double, 3, 6>::Zero();
    fit::Statistics after_table; ///< as after_profile, of a profile with a table, each patch left out in turn
    bool table_pays = false;     ///< the display does not add up, and a table says better what it does
};
/// `target`: srgb, display-p3, oprgb or bt709 (whose display curve is BT.1886). Throws Error(usage) for others.
Display look(const std::vector<Patch>& patches, const std::string& target);
/// "black 0.120 cd/m2; contrast 1000 to 1", or that it was not measured.
std::string black_in_words(const Display& display);
struct ProfileOptions {
    int icc_version = 2;       ///< 2 or 4
    std::optional<bool> table; ///< with a table beside matrix and curves; none: where it pays
};
/// A display profile, read back and compared before it is in its place. Throws Error(usage) for other versions.
void write_profile(const Display& display, const std::string& title, const std::filesystem::path& file,
                   Existing existing, const ProfileOptions& options = {});

/// The room in which colour is judged: what ISO 3664:2009 and ISO 12646 ask for, as far as it is not kept.
struct Room {
    double lux = 32;       ///< on the desk, the display being off
    bool neutral = true;   ///< walls, clothes and what surrounds the picture are grey
    bool lamps_d50 = true; ///< the light is near D50
};
std::vector<std::string> room_words(const Room& room, const Display& display);

/// While its controls are turned: how far each has to go.
struct Guide {
    colour::Temperature white;
    double luminance = 0;
    colour::Vec3 turn{1, 1,
                      1}; ///< share of its light that each channel is to keep: they are turned down to the weakest
    double gamma = 0, asked_gamma = 0; ///< at code 50 %
    std::string next;                  ///< the next thing to turn, in words
};
/// From readings of white, black, middle grey (code 50 %) and the three channels at full. Throws Error(usage) for
/// other targets than look().
Guide guide(const colour::Vec3& white, const colour::Vec3& black, const colour::Vec3& grey,
            const std::array<colour::Vec3, 3>& channels, const std::string& target);

/// Measured patches as CSV, as load() takes them.
std::string to_csv(const std::vector<Patch>& patches);
/// The same as load(), of a text; `name` stands in errors.
std::vector<Patch> parse(const std::string& text, const std::filesystem::path& name);

} // namespace refero::display
