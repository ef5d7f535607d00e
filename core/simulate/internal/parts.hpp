// Functions of this room that lie in modules, by the names under which they are found (frame/module.hpp).
#pragma once

#include "simulate/clip.hpp"

namespace refero::simulate {

/// A TIFF of 16 bits or an EXR of floats: linear RGB, as the camera would have left it.
extern "C" void refero_write_raster(const Scene& scene, const std::string& exif_time, const std::vector<float>& pixels,
                                    const std::filesystem::path& target, const std::filesystem::path& file, bool tiff);
/// `codes`: of each part, 16 bits.
extern "C" void refero_encode_clip(const std::vector<Shown>& parts,
                                   const std::vector<std::vector<std::uint16_t>>& codes, colour::Transfer transfer,
                                   double frames_per_second, const std::filesystem::path& target);

} // namespace refero::simulate
