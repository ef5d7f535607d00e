// The small picture that a camera put into its raw file.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace refero::frame {

struct Preview {
    std::string jpeg;    ///< a whole JPEG file
    int orientation = 1; ///< as EXIF counts them: how it has to be turned
};
/// The smallest one that is at least so wide, pixels, else the largest (Exiv2, LibRaw); none where the file holds none
/// that can be taken out. Never throws for a readable file.
std::optional<Preview> embedded_preview(const std::filesystem::path& file, int least_width);

} // namespace refero::frame
