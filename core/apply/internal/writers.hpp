// Shared by the sources of this room only: one writer a file format.
#pragma once

#include <cstdint>

#include "apply/apply.hpp"

namespace refero::apply {

/// A picture ready to be written: code values of its space, made as they are wanted, each row once.
struct Codes {
    int width = 0, height = 0;
    int bits = 16;                                                 ///< of a value; 16 in this machine's order
    std::function<const std::uint8_t*(int first, int rows)> strip; ///< good until the next call
    std::vector<unsigned char> icc;
    frame::Metadata metadata;
};

/// Writes `file` as it is named. Throws Error(internal), naming `target`, when it cannot.
void write_tiff(const Codes& codes, const std::filesystem::path& file, const std::filesystem::path& target);
/// A whole file's bytes. Throws Error(internal).
std::string png_bytes(const Codes& codes);
std::string jpeg_bytes(const Codes& codes);
/// Half floats, or whole ones, linear; the space's primaries, unless it has none (XYZ).
void write_exr(const Strips& picture, const frame::Metadata& metadata, bool whole_floats,
               const std::filesystem::path& file, const std::filesystem::path& target);

/// What copy_dng wrote behind the file, or nothing.
std::string dng_record(const std::filesystem::path& file);
/// Its attribute imageUniqueID, or nothing.
std::string exr_image_id(const std::filesystem::path& file);

} // namespace refero::apply
