// Time codes as recordings bear them (SMPTE ST 12-1): "10:00:00:00", with ";" before the frames where numbers are
// dropped to keep up with the clock (29.97 and 59.94 pictures a second).
#pragma once

#include <cstdint>
#include <string>

namespace refero::frame {

/// The code so many pictures after `start`; empty where `start` is no time code or the rate is not known.
std::string timecode_after(const std::string& start, double frames_per_second, long pictures);
/// The 32 bits in which headers of pictures hold it: binary-coded decimals, hours first; 0 where it is none, and for
/// pictures from 40 on: beyond 30 a second the header has no number for each.
std::uint32_t packed_timecode(const std::string& code);
/// And back; empty where the bits are no time of a day.
std::string unpacked_timecode(std::uint32_t bits);

} // namespace refero::frame
