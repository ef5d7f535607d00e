// Frames: pixels in memory, and reading them from raw and raster files.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/base.hpp"
#include "colour/colour.hpp"

namespace refero::frame {

/// Where on Earth a frame was taken (WGS 84).
struct Position {
    double latitude_deg = 0, longitude_deg = 0; ///< north and east are positive
    std::optional<double> altitude_m;           ///< above the sea
};

/// What the file says about the shot; empty texts and zeros where it says nothing.
struct Metadata {
    std::string make, model, lens, serial_number;
    std::string unique_model; ///< DNG's UniqueCameraModel, where the file has it
    std::string taken;        ///< "YYYY-MM-DDThh:mm:ss", local time of the camera
    std::string fraction;     ///< of that second, digits after the point (EXIF SubSecTimeOriginal); empty: not told
    double exposure_s = 0;    ///< exposure time
    double f_number = 0;
    double iso = 0;
    double focal_mm = 0;
    double focal_35mm_mm = 0;           ///< 35 mm equivalent focal length
    double baseline_exposure_stops = 0; ///< DNG's BaselineExposure; 0 where the file has none
    int orientation = 1;                ///< EXIF orientation, 1 to 8
    bool flash = false;                 ///< the flash fired
    bool auto_balance = false;          ///< the camera balanced by itself (EXIF WhiteBalance)
    std::string style; ///< what the camera does to its pictures, "hard contrast, high saturation" (EXIF Contrast,
                       ///< Saturation, Sharpness); empty: normal
    std::optional<Position> position;
    std::string xmp; ///< packet of what people wrote: rating, title, caption, author, rights, keywords; no developing
    std::string timecode, reel; ///< of a picture of a recording: see timecode.hpp
    double frames_per_second = 0;
    std::string image_id;       ///< EXIF ImageUniqueID, 32 hexadecimal digits; of written pictures: how they were made
    std::string camera() const; ///< "make model" without a repeated make; "unknown camera"
};

/// Calls f(name, member) for what readings and corrections keep of a frame's metadata, by its name in their files.
template<class M, class F>
void for_each_kept(M&& m, F&& f) {
    f("make", m.make);
    f("model", m.model);
    f("lens", m.lens);
    f("serial_number", m.serial_number);
    f("unique_model", m.unique_model);
    f("taken", m.taken);
    f("exposure_s", m.exposure_s);
    f("f_number", m.f_number);
    f("iso", m.iso);
    f("focal_mm", m.focal_mm);
    f("focal_35mm_mm", m.focal_35mm_mm);
    f("flash", m.flash);
    f("auto_balance", m.auto_balance);
    f("style", m.style);
}

/// What the recording itself keeps and loses.
struct Recorded {
    int bits = 0;       ///< of a sample; 0: not known
    bool lossy = false; ///< raw data compressed with losses
    std::string chroma; ///< subsampled colour, "4:2:0"; empty: whole
};

/// Scene-linear camera RGB, upright, 1 = saturation, black subtracted, no balance. May be below 0 (noise) and,
/// for float files, above 1.
struct Frame {
    int width = 0, height = 0;           ///< of `rgb`
    int full_width = 0, full_height = 0; ///< of the upright full-size image
    int cell = 1;                        ///< full-size pixels per pixel: 2 for binned raw, else 1
    std::vector<float> rgb;              ///< width * height * 3, interleaved
    std::vector<std::uint8_t> clipped;   ///< width * height; bit 0 R, 1 G, 2 B; empty where saturation is unknown
    bool is_raw = false;
    bool linear = false;  ///< the file's values are linear light themselves: no picture style went over them
    std::string encoding; ///< how code values were made linear
    bool assumed = false; ///< nobody told how: neither the file nor the user
    double clips_at = 1;  ///< signal from which on a recording that ends below its last code clips
    Recorded recorded;
    Metadata metadata;
    std::optional<colour::Mat3> camera_from_xyz; ///< the raw file's own matrix (XYZ of the scene to camera RGB)
    std::optional<colour::Vec3> as_shot; ///< the balance in the raw file: gains that make neutral equal, green = 1
    /// Pictures: linear RGB to XYZ (D50) by the embedded profile or EXR's chromaticities, where they tell.
    std::optional<colour::Mat3> xyz_from_rgb;
    std::filesystem::path file;

    const float* at(int x, int y) const { return &rgb[(static_cast<std::size_t>(y) * width + x) * 3]; }
    float* at(int x, int y) { return &rgb[(static_cast<std::size_t>(y) * width + x) * 3]; }
};

/// The frame in small: means of squares of whole pixels, so many that it is at most this wide. What is clipped stays
/// clipped.
Frame smaller(const Frame& frame, int most_width);

/// How code values become linear light: a named transfer function, or a 1D LUT file that OpenColorIO reads.
class Encoding {
public:
    explicit Encoding(colour::Transfer transfer);
    /// Name of a transfer function, or a LUT file. Throws Error(usage) for unknown names, Error(input) for files.
    static Encoding named(const std::string& name_or_file);
    double decode(int channel, double code) const { return decode_(channel, code); }
    const std::string& name() const { return name_; }
    /// True where middle codes are linear light: no picture style.
    bool is_linear() const { // at several places: ACEScct, for one, decodes 0.5 to 0.51
        const auto straight = [this](double code) { return std::abs(decode_(1, code) - code) < 0.02; };
        return straight(0.25) && straight(0.5) && straight(0.75);
    }

private:
    friend struct RasterReader;
    Encoding(std::string name, std::function<double(int, double)> decode);
    std::string name_;
    std::function<double(int, double)> decode_;
};

enum class Size {
    measuring, ///< raw: binned 2 x 2 without interpolation; other files: full size
    full,      ///< raw: demosaicked
};

struct ReadOptions {
    Size size = Size::measuring;
    /// Default: raw and float files linear, other pictures by embedded ICC curve, else sRGB, clips by their tag.
    std::optional<Encoding> encoding;
    double position_s = 0; ///< of the still in a clip
    /// Pictures and clips: the code value from which on all is clipped, 0 to 1, where a recording ends below its last.
    double clip_code = 1;
};

/// Reads a raw file (LibRaw), a picture (OpenImageIO) or a still of a clip (FFmpeg's libraries). An encoding that is
/// told is for pictures and clips: raw files are linear. Throws Error(input) naming the file and a remedy, also where
/// it needs more memory than is free.
Frame read(const std::filesystem::path& file, const ReadOptions& options = {}, std::stop_token stop = {});

/// Of a raw file all but its pixels: size, the camera's matrix and balance. Throws Error(input).
Frame read_raw_header(const std::filesystem::path& file);

/// What the file says about the shot, without its pixels (Exiv2; EXR and DPX: OpenImageIO). Never throws for a readable
/// file.
Metadata read_metadata(const std::filesystem::path& file);

/// The shot's metadata as an EXIF block (a TIFF structure, as JPEG and PNG carry it), orientation upright, with the
/// name of this program as the software that wrote the picture.
std::string exif_of(const Metadata& metadata);
/// "Refero" and its version, as written pictures name it.
std::string software_name();
/// What a JPEG segment that holds XMP begins with (ISO 16684-3): the namespace of XMP itself, and a zero.
std::string xmp_identifier();
/// A PNG's bytes with an XMP packet in them.
std::string with_xmp(const std::string& png, const std::string& xmp);
/// "YYYY:MM:DD hh:mm:ss", as EXIF and TIFF write a time; empty where it is not known.
std::string exif_time(const std::string& iso);
/// True if a picture was written by this program, by its Software tag.
bool is_own_work(const std::filesystem::path& file);

enum class FileKind { unknown, raw, picture, clip };
/// By the name, and for TIFF by the content as well: a DNG may bear such a name. Numbered pictures (sequence.hpp) are a
/// clip.
FileKind kind_of(const std::filesystem::path& file);
/// True if the name looks like anything that read() takes.
bool is_frame_name(const std::filesystem::path& file);

} // namespace refero::frame
