// How a copy of a raw file that Refero made is known: its Software tag is the camera's.
#pragma once

#include <string_view>

namespace refero::frame {

/// Stands behind the last byte that any tag of a DNG copy names, before the record of how it was made.
inline constexpr std::string_view copy_mark = "\nRefero copy ";
/// Digits of that record.
inline constexpr std::size_t copy_record_digits = 32;

} // namespace refero::frame
