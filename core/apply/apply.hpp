// A correction on frames.
#pragma once

#include "fit/fit.hpp"

namespace refero::apply {

/// A finished picture: linear RGB of a space, 1 = perfect diffuser; not clipped.
struct Picture {
    int width = 0, height = 0;
    std::vector<float> rgb;     ///< interleaved
    std::string space;          ///< name in colour::rgb_space
    double white_luminance = 0; ///< cd/m2 of 1.0, for EXR's `whiteLuminance`; 0: not told
};

/// Parts of a correction; what is left out stays as the camera recorded it.
struct Parts {
    bool balance = true;  ///< else the balance in the raw file, or none
    bool exposure = true; ///< else as exposed
    bool colour = true;   ///< else the raw file's own matrix, or the picture's primaries
    bool finish = true;
    bool look = true;
    bool operator==(const Parts&) const = default;
};
/// "balance,exposure,colour,finish,look" or some of them. Throws Error(usage) for others.
Parts parts_named(const std::string& list);
std::string text_of(const Parts& parts);
/// What is done with colours that a space does not hold: cut off channel by channel, or brought in along lines of
/// constant luminance and dominant wavelength, smoothly (docs/methods.md, Gamut).
enum class Gamut { clip, map };
Gamut gamut_named(const std::string& name);

/// Corrects every pixel. Where a raw frame is clipped, colour fades to neutral, so that highlights do not tint.
Picture corrected(const frame::Frame& frame, const fit::Correction& correction, const std::string& space,
                  const Progress& progress = {}, std::stop_token stop = {}, const Parts& parts = {},
                  Gamut gamut = Gamut::clip);
/// The frame with no more than a neutral balance and its exposure (gains), for the picture "before".
Picture uncorrected(const frame::Frame& frame, const colour::Vec3& gains, const std::string& space,
                    std::stop_token stop = {});

/// A frame by any way from camera RGB to XYZ (D50): slower than a correction, for looking at those made elsewhere.
Picture rendered(const frame::Frame& frame, const std::function<colour::Vec3(const colour::Vec3&)>& rendering,
                 const std::string& space, std::stop_token stop = {});

/// The picture with its colours so many times as far from grey of their luminance: to look at faults, never to hand on.
Picture exaggerated(const Picture& picture, double times);

/// Where a frame's input saturates and where the picture made of it leaves its range.
struct Clipping {
    std::vector<std::uint8_t> bits; ///< of each pixel: 0 to 2, the input's R, G, B; 3 to 5, the output's
    std::array<double, 6> shares{}; ///< of the picture's pixels, in the order of the bits
};
/// A frame of another size than the picture, or one that does not know its saturation, says nothing of its input.
Clipping clipping_of(const Picture& picture, const frame::Frame& frame);

/// 8-bit display codes (0xffRRGGBB) of a picture, clipped, by the space's transfer function.
std::vector<std::uint32_t> display_codes(const Picture& picture);

/// The same for one colour, XYZ relative to D50, in sRGB.
std::uint32_t display_code(const colour::Vec3& xyz_d50);
/// Gains that make a frame viewable before anything is known of its balance: the 98th percentile of each channel
/// goes to 0.85. For looking only.
colour::Vec3 viewing_gains(const frame::Frame& frame);

/// dng: no picture but a copy of a raw file that bears the balance, see copy_dng. From prores on: clips, see
/// clip_writer.hpp.
enum class Format { tiff, exr, png, jpeg, dng, prores, prores4444, dnxhr, h264, h265, ffv1 };
inline constexpr auto names(Format) {
    return std::array{"tiff", "exr", "png", "jpeg", "dng", "prores", "prores4444", "dnxhr", "h264", "h265", "ffv1"};
}
inline constexpr bool is_clip(Format format) { return format >= Format::prores; }
/// Throws Error(usage) for unknown names.
Format format_named(const std::string& name);
std::string extension_of(Format format); ///< ".tif" ..., of clips that of the usual container

/// Of a sample.
enum class Depth { usual, eight, sixteen, half, full };
/// "8", "16", "half" or "float"; empty: usual. Throws Error(usage) for others, and for what a format does not hold.
Depth depth_named(const std::string& name, Format format);

/// A picture as writers want it, some rows at a time, each once and in their order: it never exists as a whole.
struct Strips {
    int width = 0, height = 0;
    std::string space;
    double white_luminance = 0;                            ///< see Picture
    std::function<const float*(int first, int rows)> rows; ///< linear RGB, interleaved; good until the next call
};
/// The same as `corrected`, in the frame's own memory. Rows throw Error(cancelled).
Strips strips_of(frame::Frame&& frame, const fit::Correction& correction, const std::string& space, const Parts& parts,
                 Gamut gamut, std::stop_token stop = {});
/// Of a picture that outlives them.
Strips strips_of(const Picture& picture);

/// TIFF and PNG 16-bit unless told 8, JPEG 8-bit quality 95, all with the space's encoding and ICC profile; EXR half
/// unless told float, linear. What the metadata says of the shot goes with them (EXIF, XMP; EXR's standard attributes).
/// Written whole or not at all.
void write(const Strips& picture, const std::filesystem::path& file, Format format, const frame::Metadata& metadata,
           Existing existing = Existing::replace, Depth depth = Depth::usual);

/// What a copy of a DNG says otherwise than the DNG.
struct DngChanges {
    std::optional<colour::Vec3> gains;  ///< that make neutral equal: AsShotNeutral is their inverse
    std::vector<unsigned char> profile; ///< a DNG camera profile that joins the file's own, and is chosen; or empty
    std::string profile_name;
    std::string record; ///< how it was made, see image_id_of
};
/// Copies a DNG; its image data stay bit for bit where they are. Throws Error(input) for what is no DNG, or is damaged.
void copy_dng(const std::filesystem::path& source, const std::filesystem::path& target, const DngChanges& changes,
              Existing existing = Existing::replace);

/// EXIF ImageUniqueID of a picture, or EXR's attribute of that name, or what a copy of a DNG was made by; empty where
/// it has none or cannot be read.
std::string image_id_of(const std::filesystem::path& file);

} // namespace refero::apply
