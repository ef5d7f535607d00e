// Shared by the sources of this room only.
#pragma once

#include "frame/clip.hpp"

namespace refero::frame {

/// What the module of clips gives.
struct ClipReader::Open {
    virtual ~Open() = default;
    virtual const Clip& clip() const = 0;
    virtual Frame still(double position_s, const StillOptions& options, const std::stop_token& stop) = 0;
    virtual std::optional<Frame> next(const StillOptions& options, const std::stop_token& stop) = 0;
    virtual double shown_s() const = 0;
    virtual Kept keep() const = 0;
    virtual void look_among(Among pictures) = 0;
};

// Functions of the modules, by the names under which they are found.
// NOLINTNEXTLINE(clang-diagnostic-return-type-c-linkage)
extern "C" Frame refero_read_raster(const std::filesystem::path& file, const ReadOptions& options,
                                    const std::stop_token& stop);
// NOLINTNEXTLINE(clang-diagnostic-return-type-c-linkage)
extern "C" Metadata refero_describe_raster(const std::filesystem::path& file);
extern "C" ClipReader::Open* refero_open_clip(const std::filesystem::path& file);

/// Numbered pictures read one by one, with the same cuts and sizes as a clip's.
ClipReader::Open* open_sequence(const std::filesystem::path& name);
/// The largest JPEG in a raw file (LibRaw); empty where there is none.
std::string raw_thumbnail(const std::filesystem::path& file);
Frame read_raw(const std::filesystem::path& file, Size size, const std::stop_token& stop);
Frame read_raster(const std::filesystem::path& file, const ReadOptions& options, const std::stop_token& stop);
/// What the header of an EXR or DPX says; never throws for what it does not say.
Metadata describe_raster(const std::filesystem::path& file);
Frame read_still(const std::filesystem::path& file, const ReadOptions& options, const std::stop_token& stop);
/// Of what kind the raw data in a DNG are compressed (Exiv2).
bool is_lossy_raw(const std::filesystem::path& file);

/// Throws Error(input) where a picture needs more memory than may be taken of what is free now.
void require_memory(const std::filesystem::path& file, std::int64_t pixels, double bytes_a_pixel);

/// Turns pixels upright by EXIF orientation (1 to 8); swaps the sizes where it turns by a quarter.
void make_upright(Frame& frame, int orientation);

} // namespace refero::frame
