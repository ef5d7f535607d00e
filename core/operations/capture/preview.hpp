// The small picture in a raw file, searched before the raw data are read: most frames show no chart.
#pragma once

#include <optional>

#include "frame/frame.hpp"

namespace refero::operations {

/// The JPEG that a raw file holds, as a finished picture in sRGB, upright; none where it is missing, smaller than a
/// megapixel, or has no colour to know a chart by.
std::optional<frame::Frame> preview_of(const std::filesystem::path& raw_file);

/// True where the raw file's picture is fit to be searched and shows none of the installed charts.
bool preview_rules_out_chart(const std::filesystem::path& raw_file);

} // namespace refero::operations
