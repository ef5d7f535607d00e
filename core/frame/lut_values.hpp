// What LUT and CDL files hold as numbers.
#pragma once

#include <filesystem>

#include <OpenColorIO/OpenColorIO.h>

namespace refero::frame {

/// Refuses a LUT, CLF or CDL with numbers that nothing can be worked out with: not finite, or beyond what any light or
/// code comes to (1e6 in size). Throws Error(input) naming the first of them.
void check_values(const OCIO_NAMESPACE::ConstProcessorRcPtr& processor, const std::filesystem::path& file);

} // namespace refero::frame
