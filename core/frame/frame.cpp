#include "frame/frame.hpp"

#include <cmath>
#include <set>

#include <exiv2/exiv2.hpp>
#include <tbb/parallel_for.h>

#include "frame/internal.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

static std::string extension_of(const fs::path& file) { return to_lower(file.extension().string()); }

static bool is_raster_name(const fs::path& file) {
    static const std::set<std::string> raster{".tif", ".tiff", ".png",  ".jpg", ".jpeg",
                                              ".exr", ".dpx",  ".webp", ".bmp"};
    return raster.contains(extension_of(file));
}

bool is_raw_name(const fs::path& file) {
    static const std::set<std::string> raw{".dng", ".3fr", ".arw", ".cr2", ".cr3", ".crw", ".dcr", ".erf", ".fff",
                                           ".iiq", ".kdc", ".mef", ".mos", ".mrw", ".nef", ".nrw", ".orf", ".pef",
                                           ".raf", ".raw", ".rw2", ".rwl", ".sr2", ".srf", ".srw", ".x3f"};
    return raw.contains(extension_of(file));
}

bool is_frame_name(const fs::path& file) { return is_raw_name(file) || is_raster_name(file); }

std::string Metadata::camera() const {
    if (make.empty() && model.empty()) return "unknown camera";
    if (make.empty() || to_lower(model).starts_with(to_lower(make))) return model;
    return model.empty() ? make : make + " " + model;
}

Frame read(const fs::path& file, const ReadOptions& options, std::stop_token stop) {
    std::error_code ec;
    if (!fs::exists(file, ec)) throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    if (!fs::is_regular_file(file, ec)) throw Error(ErrorKind::input, "this is not a file", file, "Name a file");
    if (fs::file_size(file, ec) == 0)
        throw Error(ErrorKind::input, "the file is empty", file, "Copy it again from the card");
    throw_if_stopped(stop);
    Frame frame;
    if (is_raster_name(file)) frame = read_raster(file, options.encoding, stop);
    else frame = read_raw(file, options.size, stop);
    frame.file = file;
    const Metadata metadata = read_metadata(file);
    frame.metadata = metadata;
    return frame;
}

Metadata read_metadata(const fs::path& file) {
    Metadata m;
    try {
        Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
        Exiv2::enableBMFF();
        const auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        const Exiv2::ExifData& exif = image->exifData();
        const auto find = [&](std::initializer_list<const char*> keys) {
            for (const char* key : keys)
                if (const auto it = exif.findKey(Exiv2::ExifKey(key)); it != exif.end()) return it;
            return exif.end();
        };
        const auto text = [&](std::initializer_list<const char*> keys) {
            const auto it = find(keys);
            std::string s = it == exif.end() ? "" : it->toString();
            while (!s.empty() && (s.back() == ' ' || s.back() == '\0')) s.pop_back();
            return s;
        };
        const auto number = [&](std::initializer_list<const char*> keys) {
            const auto it = find(keys);
            const double v = it == exif.end() || it->count() == 0 ? 0.0 : static_cast<double>(it->toFloat());
            return std::isfinite(v) && v > 0 ? v : 0.0;
        };
        m.make = text({"Exif.Image.Make"});
        m.model = text({"Exif.Image.Model"});
        m.unique_model = text({"Exif.Image.UniqueCameraModel"});
        m.lens = text({"Exif.Photo.LensModel"});
        m.serial_number = text({"Exif.Photo.BodySerialNumber", "Exif.Image.CameraSerialNumber"});
        m.taken = text({"Exif.Photo.DateTimeOriginal", "Exif.Image.DateTimeOriginal", "Exif.Image.DateTime"});
        if (m.taken.size() >= 19 && m.taken[4] == ':') {
            m.taken[4] = m.taken[7] = '-';
            m.taken[10] = 'T';
        }
        m.exposure_s = number({"Exif.Photo.ExposureTime", "Exif.Image.ExposureTime"});
        m.f_number = number({"Exif.Photo.FNumber", "Exif.Image.FNumber"});
        m.iso =
            number({"Exif.Photo.ISOSpeedRatings", "Exif.Photo.RecommendedExposureIndex", "Exif.Image.ISOSpeedRatings"});
        m.focal_mm = number({"Exif.Photo.FocalLength", "Exif.Image.FocalLength"});
        m.focal_35mm_mm = number({"Exif.Photo.FocalLengthIn35mmFilm"});
        if (const auto it = find({"Exif.Photo.Flash"}); it != exif.end() && it->count() > 0)
            m.flash = static_cast<int>(it->toFloat()) & 1;
        if (const auto it = find({"Exif.Photo.WhiteBalance"}); it != exif.end() && it->count() > 0)
            m.auto_balance = it->toFloat() == 0;
        const auto style = [&](const char* key, const char* low, const char* high, const char* what) {
            const int v = static_cast<int>(number({key})); // EXIF 2.32: 0 normal, 1 low, 2 high
            if (v == 1 || v == 2)
                m.style += (m.style.empty() ? "" : ", ") + std::string(v == 1 ? low : high) + " " + what;
        };
        style("Exif.Photo.Contrast", "soft", "hard", "contrast");
        style("Exif.Photo.Saturation", "low", "high", "saturation");
        style("Exif.Photo.Sharpness", "soft", "hard", "sharpness");
        const int orientation = static_cast<int>(number({"Exif.Image.Orientation"}));
        if (orientation >= 1 && orientation <= 8) m.orientation = orientation;
    } catch (const Exiv2::Error&) {
        // A file without metadata is still a frame.
    }
    return m;
}

void make_upright(Frame& frame, int orientation) {
    if (orientation <= 1 || orientation > 8) return;
    const int w = frame.width, h = frame.height;
    const bool quarter = orientation >= 5;
    const int nw = quarter ? h : w, nh = quarter ? w : h;
    std::vector<float> rgb(frame.rgb.size());
    std::vector<std::uint8_t> clipped(frame.clipped.size());
    tbb::parallel_for(0, nh, [&](int y) {
        for (int x = 0; x < nw; ++x) {
            int sx = x, sy = y; // the stored pixel that is shown at x, y
            switch (orientation) {
            case 2: sx = w - 1 - x; break;
            case 3:
                sx = w - 1 - x;
                sy = h - 1 - y;
                break;
            case 4: sy = h - 1 - y; break;
            case 5:
                sx = y;
                sy = x;
                break;
            case 6:
                sx = y;
                sy = h - 1 - x;
                break;
            case 7:
                sx = w - 1 - y;
                sy = h - 1 - x;
                break;
            case 8:
                sx = w - 1 - y;
                sy = x;
                break;
            default: break;
            }
            const std::size_t from = static_cast<std::size_t>(sy) * w + sx, to = static_cast<std::size_t>(y) * nw + x;
            std::copy_n(&frame.rgb[from * 3], 3, &rgb[to * 3]);
            if (!clipped.empty()) clipped[to] = frame.clipped[from];
        }
    });
    frame.rgb = std::move(rgb);
    frame.clipped = std::move(clipped);
    frame.width = nw;
    frame.height = nh;
    if (quarter) std::swap(frame.full_width, frame.full_height);
}

} // namespace refero::frame
