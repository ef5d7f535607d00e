// Shared by the sources of this room only.
#pragma once

#include "frame/frame.hpp"

namespace refero::frame {

Frame read_raw(const std::filesystem::path& file, Size size, const std::stop_token& stop);
Frame read_raster(const std::filesystem::path& file, const std::optional<Encoding>& encoding,
                  const std::stop_token& stop);

/// Turns pixels upright by EXIF orientation (1 to 8); swaps the sizes where it turns by a quarter.
void make_upright(Frame& frame, int orientation);

} // namespace refero::frame
