// A correction on frames.
#pragma once

#include "fit/fit.hpp"

namespace refero::apply {

/// A finished picture: linear RGB of a space, 1 = perfect diffuser; not clipped.
struct Picture {
    int width = 0, height = 0;
    std::vector<float> rgb; ///< interleaved
    std::string space;      ///< name in colour::rgb_space
};

/// Corrects every pixel. Where a raw frame is clipped, colour fades to neutral, so that highlights do not tint.
Picture corrected(const frame::Frame& frame, const fit::Correction& correction, const std::string& space,
                  const Progress& progress = {}, std::stop_token stop = {});
/// The frame with no more than a neutral balance and its exposure (gains), for the picture "before".
Picture uncorrected(const frame::Frame& frame, const colour::Vec3& gains, const std::string& space,
                    std::stop_token stop = {});

/// A frame by any way from camera RGB to XYZ (D50): slower than a correction, for looking at those made elsewhere.
Picture rendered(const frame::Frame& frame, const std::function<colour::Vec3(const colour::Vec3&)>& rendering,
                 const std::string& space, std::stop_token stop = {});

/// The picture with its colours so many times as far from grey of their luminance: to look at faults, never to hand on.
Picture exaggerated(const Picture& picture, double times);

/// The frame in small: means of squares of whole pixels, so many that it is at most this wide. What is clipped stays
/// clipped.
frame::Frame smaller(const frame::Frame& frame, int most_width);

/// 8-bit display codes (0xffRRGGBB) of a picture, clipped, by the space's transfer function.
std::vector<std::uint32_t> display_codes(const Picture& picture);

/// The same for one colour, XYZ relative to D50, in sRGB.
std::uint32_t display_code(const colour::Vec3& xyz_d50);
/// Gains that make a frame viewable before anything is known of its balance: the 98th percentile of each channel
/// goes to 0.85. For looking only.
colour::Vec3 viewing_gains(const frame::Frame& frame);

enum class Format { tiff, exr, png, jpeg };
Format format_named(const std::string& name);
std::string extension_of(Format format); ///< ".tif" ...

/// TIFF and PNG 16-bit, JPEG 8-bit quality 95, all with the space's encoding and ICC profile; EXR half, linear. What
/// the metadata says of the shot goes with them (EXIF; EXR's standard attributes). Written whole or not at all.
void write(const Picture& picture, const std::filesystem::path& file, Format format, const frame::Metadata& metadata,
           Existing existing = Existing::replace);

} // namespace refero::apply
