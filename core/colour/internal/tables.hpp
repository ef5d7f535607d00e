// Published tables used by the spectrum sources; private to the room. Written down from memory; the tests check the
// chromaticities and temperatures that follow from them against CIE 15.
#pragma once

#include <array>

namespace refero::colour::tables {

/// x-bar, y-bar, z-bar of the CIE 1931 observer, 380 to 780 nm by 5 nm (CIE 15:2018, table T.1).
extern const std::array<std::array<double, 3>, 81> observer_1931;
/// S0, S1, S2 of CIE daylight, 380 to 780 nm by 10 nm (CIE 15:2018, table T.2).
extern const std::array<std::array<double, 3>, 41> daylight;

} // namespace refero::colour::tables
