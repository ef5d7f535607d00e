#pragma once

#include <filesystem>

#include "chart/chart.hpp"

namespace refero::app {

/// A chart of one's own as a print-ready PDF, one page, true to size: registration marks at the corners of the patch
/// array, its id, title and date, and the caution that a print needs measuring. Colours are sRGB. Throws Error(input)
/// where a patch has no value, Error(internal) where the file cannot be written whole; nothing that exists is replaced
/// unless `existing` says so.
void print_chart(const chart::Definition& definition, const chart::Reference& reference,
                 const std::filesystem::path& file, Existing existing);

} // namespace refero::app
