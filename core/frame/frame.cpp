#include "frame/frame.hpp"

#include <cmath>
#include <cstring>
#include <fstream>
#include <mutex>
#include <set>

#include <exiv2/exiv2.hpp>
#include <tbb/parallel_for.h>

#include "frame/internal/readers.hpp"
#include "frame/own_work.hpp"
#include "frame/preview.hpp"
#include "frame/sequence.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

/// Share of the free memory that one picture may take.
constexpr double most_memory = 0.6;

std::string extension_of(const fs::path& file) { return to_lower(file.extension().string()); }

bool is_raster_name(const fs::path& file) {
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

bool is_clip_name(const fs::path& file) {
    static const std::set<std::string> clips{".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi", ".mts", ".m2ts", ".webm"};
    return clips.contains(extension_of(file));
}

// TIFF 6.0, section 2: the first directory's entries; DNG 1.4: DNGVersion is there and is tag 50706.
bool holds_dng(const fs::path& file) {
    constexpr std::uint32_t dng_version = 50706, most_entries = 4096;
    std::ifstream in(file, std::ios::binary);
    unsigned char h[8] = {};
    in.read(reinterpret_cast<char*>(h), sizeof h);
    if (!in || (std::memcmp(h, "II*\0", 4) != 0 && std::memcmp(h, "MM\0*", 4) != 0)) return false;
    const bool little = h[0] == 'I';
    const auto number = [&](const unsigned char* p, int bytes) {
        std::uint32_t v = 0;
        for (int i = 0; i < bytes; ++i) v |= std::uint32_t{p[i]} << 8 * (little ? i : bytes - 1 - i);
        return v;
    };
    in.seekg(number(h + 4, 4));
    unsigned char entry[12] = {};
    in.read(reinterpret_cast<char*>(entry), 2);
    const std::uint32_t entries = in ? std::min(number(entry, 2), most_entries) : 0;
    for (std::uint32_t i = 0; i < entries; ++i) {
        in.read(reinterpret_cast<char*>(entry), sizeof entry);
        if (!in) return false;
        if (number(entry, 2) == dng_version) return true;
    }
    return false;
}

// The XMP toolkit inside Exiv2 is used from several threads: it must be started once, and needs a lock of ours.
/// More is a damaged tag.
constexpr double max_baseline_stops = 10;

void start_metadata() {
    static std::once_flag once;
    static std::mutex lock;
    std::call_once(once, [] {
        Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
        Exiv2::enableBMFF();
        Exiv2::XmpParser::initialize(
            [](void* data, bool take) {
                auto& mutex = *static_cast<std::mutex*>(data);
                if (take) mutex.lock();
                else mutex.unlock();
            },
            &lock);
    });
}

/// A value of a tag as a number: not finite where the tag is empty, as some phones leave theirs.
double value_of(const Exiv2::Exifdatum& d, long i = 0) {
    return i < static_cast<long>(d.count()) ? static_cast<double>(d.toFloat(i)) : NAN;
}

/// Degrees of EXIF GPSLatitude or GPSLongitude: three rationals.
double degrees_of(const Exiv2::Exifdatum& d) {
    double degrees = 0, unit = 1;
    for (long i = 0; i < std::min<long>(3, static_cast<long>(d.count())); ++i, unit /= 60)
        degrees += value_of(d, i) * unit;
    return degrees;
}

std::optional<Position> position_of(const Exiv2::ExifData& exif) {
    const auto at = [&](const char* key) { return exif.findKey(Exiv2::ExifKey(key)); };
    const auto latitude = at("Exif.GPSInfo.GPSLatitude"), longitude = at("Exif.GPSInfo.GPSLongitude");
    if (latitude == exif.end() || longitude == exif.end()) return std::nullopt;
    Position p{degrees_of(*latitude), degrees_of(*longitude), std::nullopt};
    if (const auto ref = at("Exif.GPSInfo.GPSLatitudeRef"); ref != exif.end() && ref->toString() == "S")
        p.latitude_deg = -p.latitude_deg;
    if (const auto ref = at("Exif.GPSInfo.GPSLongitudeRef"); ref != exif.end() && ref->toString() == "W")
        p.longitude_deg = -p.longitude_deg;
    if (const auto altitude = at("Exif.GPSInfo.GPSAltitude"); altitude != exif.end() && altitude->count() > 0) {
        p.altitude_m = value_of(*altitude);
        if (const auto ref = at("Exif.GPSInfo.GPSAltitudeRef"); ref != exif.end() && value_of(*ref) == 1)
            p.altitude_m = -*p.altitude_m;
    }
    if (!std::isfinite(p.latitude_deg + p.longitude_deg + p.altitude_m.value_or(0))) return std::nullopt;
    return p;
}

std::string rational(double v, double parts) { return formatted("{}/{}", std::llround(v * parts), parts); }

std::string sexagesimal(double degrees) {
    const double all = std::abs(degrees), whole = std::floor(all), minutes = std::floor((all - whole) * 60);
    return formatted("{:.0f}/1 {:.0f}/1 ", whole, minutes) + rational((all - whole - minutes / 60) * 3600, 10000);
}

} // namespace

FileKind kind_of(const fs::path& file) {
    if (is_clip_name(file) || is_sequence_name(file)) return FileKind::clip;
    if (is_raw_name(file)) return FileKind::raw;
    if (!is_raster_name(file)) return FileKind::unknown;
    const std::string extension = extension_of(file);
    return (extension == ".tif" || extension == ".tiff") && holds_dng(file) ? FileKind::raw : FileKind::picture;
}

bool is_frame_name(const fs::path& file) { return is_raw_name(file) || is_raster_name(file) || is_clip_name(file); }

void require_memory(const fs::path& file, std::int64_t pixels, double bytes_a_pixel) {
    const double needed = static_cast<double>(pixels) * bytes_a_pixel, free = static_cast<double>(free_memory());
    if (needed <= most_memory * free) return;
    throw Error(ErrorKind::input,
                formatted("this picture of {:.0f} megapixels needs {:.1f} GB of memory, and {:.1f} GB are free",
                          static_cast<double>(pixels) / 1e6, needed / 1e9, free / 1e9),
                file, "Close other programs, or save the picture smaller");
}

std::string Metadata::camera() const {
    if (make.empty() && model.empty()) return "unknown camera";
    if (make.empty() || to_lower(model).starts_with(to_lower(make))) return model;
    return model.empty() ? make : make + " " + model;
}

Frame read(const fs::path& file, const ReadOptions& options, std::stop_token stop) {
    if (is_sequence_name(file)) return read_still(file, options, stop);
    std::error_code ec;
    if (!fs::exists(file, ec)) throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    if (!fs::is_regular_file(file, ec)) throw Error(ErrorKind::input, "this is not a file", file, "Name a file");
    if (fs::file_size(file, ec) == 0)
        throw Error(ErrorKind::input, "the file is empty", file, "Copy it again from the card");
    throw_if_stopped(stop);
    Frame frame;
    switch (kind_of(file)) {
    case FileKind::clip: return read_still(file, options, stop);
    case FileKind::picture: frame = read_raster(file, options, stop); break;
    case FileKind::raw:
    case FileKind::unknown:
        frame = read_raw(file, options.size, stop);
        frame.recorded.lossy = is_lossy_raw(file);
        break;
    }
    frame.file = file;
    frame.metadata = read_metadata(file);
    return frame;
}

bool is_lossy_raw(const fs::path& file) {
    try {
        start_metadata();
        const auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        const Exiv2::ExifData& exif = image->exifData();
        // DNG 1.4: compression 34892 is JPEG with losses; 7 is JPEG without, but for samples of 8 bits.
        for (const char* group : {"Image", "SubImage1", "SubImage2", "SubImage3", "SubImage4"}) {
            const auto value = [&](const char* tag) -> long {
                const auto it = exif.findKey(Exiv2::ExifKey(formatted("Exif.{}.{}", group, tag)));
                return it == exif.end() || it->count() == 0 ? -1 : it->toLong();
            };
            const long photometric = value("PhotometricInterpretation"), compression = value("Compression");
            const bool raw = photometric == 32803 || photometric == 34892;
            if (raw && (compression == 34892 || (compression == 7 && value("BitsPerSample") == 8))) return true;
        }
    } catch (const Exiv2::Error&) { // not a file that tells
    }
    return false;
}

/// XMP of what people wrote about a picture, IPTC and EXIF joined in; nothing of how another program developed it.
static std::string written_by_people(const Exiv2::Image& image) {
    Exiv2::XmpData all = image.xmpData(), kept;
    Exiv2::copyIptcToXmp(image.iptcData(), all);
    for (const auto& [exif, xmp] :
         {std::pair("Exif.Image.Artist", "Xmp.dc.creator"), std::pair("Exif.Image.Copyright", "Xmp.dc.rights"),
          std::pair("Exif.Image.ImageDescription", "Xmp.dc.description"),
          std::pair("Exif.Image.Rating", "Xmp.xmp.Rating")}) {
        const auto it = image.exifData().findKey(Exiv2::ExifKey(exif));
        if (it != image.exifData().end() && it->count() > 0 && all.findKey(Exiv2::XmpKey(xmp)) == all.end())
            all[xmp] = it->toString();
    }
    for (const Exiv2::Xmpdatum& d : all) {
        const std::string key = d.key();
        if (key == "Xmp.xmp.Rating" || key == "Xmp.xmp.Label" ||
            (key.starts_with("Xmp.dc.") && key != "Xmp.dc.format") || key.starts_with("Xmp.photoshop.") ||
            key.starts_with("Xmp.iptc."))
            kept.add(d);
    }
    std::string packet;
    if (!kept.empty()) Exiv2::XmpParser::encode(packet, kept, Exiv2::XmpParser::omitPacketWrapper);
    return packet;
}

Metadata read_metadata(const fs::path& file) {
    Metadata m;
    if (const std::string extension = extension_of(file); extension == ".exr" || extension == ".dpx")
        return describe_raster(file);
    try {
        start_metadata();
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
            const double v = it == exif.end() ? 0.0 : value_of(*it);
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
        m.fraction = text({"Exif.Photo.SubSecTimeOriginal"});
        if (m.fraction.find_first_not_of("0123456789") != std::string::npos) m.fraction.clear();
        m.exposure_s = number({"Exif.Photo.ExposureTime", "Exif.Image.ExposureTime"});
        m.f_number = number({"Exif.Photo.FNumber", "Exif.Image.FNumber"});
        m.iso =
            number({"Exif.Photo.ISOSpeedRatings", "Exif.Photo.RecommendedExposureIndex", "Exif.Image.ISOSpeedRatings"});
        m.focal_mm = number({"Exif.Photo.FocalLength", "Exif.Image.FocalLength"});
        m.focal_35mm_mm = number({"Exif.Photo.FocalLengthIn35mmFilm"});
        if (const auto it = find({"Exif.Photo.Flash"}); it != exif.end() && std::isfinite(value_of(*it)))
            m.flash = static_cast<int>(value_of(*it)) & 1;
        if (const auto it = find({"Exif.Photo.WhiteBalance"}); it != exif.end()) m.auto_balance = value_of(*it) == 0;
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
        m.position = position_of(exif);
        if (const double stops = number({"Exif.Image.BaselineExposure"}); std::abs(stops) < max_baseline_stops)
            m.baseline_exposure_stops = stops;
        m.image_id = text({"Exif.Photo.ImageUniqueID"});
        m.xmp = written_by_people(*image);
    } catch (const std::exception&) { // Exiv2's own, and what it lets through of damaged tags
        // A file without metadata is still a frame.
    }
    return m;
}

namespace {

int turned_by(const Exiv2::Image& image) {
    const auto turned = image.exifData().findKey(Exiv2::ExifKey("Exif.Image.Orientation"));
    const bool told = turned != image.exifData().end() && std::isfinite(value_of(*turned));
    return told ? std::clamp(static_cast<int>(value_of(*turned)), 1, 8) : 1;
}

} // namespace

std::optional<Preview> embedded_preview(const fs::path& file, int least_width) {
    try {
        start_metadata();
        const auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        const Exiv2::PreviewManager manager(*image);
        Exiv2::PreviewPropertiesList all = manager.getPreviewProperties(); // the smallest first
        std::erase_if(all, [](const auto& p) { return p.mimeType_ != "image/jpeg"; });
        const auto enough = std::find_if(all.begin(), all.end(),
                                         [&](const auto& p) { return static_cast<int>(p.width_) >= least_width; });
        if (enough == all.end()) // those that DNGs keep as strips are not among them
            if (std::string large = raw_thumbnail(file); !large.empty())
                return Preview{std::move(large), turned_by(*image)};
        if (!all.empty()) {
            const Exiv2::PreviewImage taken = manager.getPreviewImage(enough != all.end() ? *enough : all.back());
            return Preview{{reinterpret_cast<const char*>(taken.pData()), taken.size()}, turned_by(*image)};
        }
    } catch (const std::exception&) { // none, then
    }
    return std::nullopt;
}

std::string xmp_identifier() {
    start_metadata();
    return Exiv2::XmpProperties::ns("xmp") + '\0';
}

std::string with_xmp(const std::string& png, const std::string& xmp) {
    start_metadata();
    const auto image =
        Exiv2::ImageFactory::open(reinterpret_cast<const Exiv2::byte*>(png.data()), static_cast<long>(png.size()));
    image->readMetadata();
    image->setXmpPacket(xmp);
    Exiv2::XmpParser::decode(image->xmpData(), xmp);
    image->writeMetadata();
    Exiv2::BasicIo& io = image->io();
    io.open();
    const Exiv2::DataBuf bytes = io.read(static_cast<long>(io.size()));
    return {reinterpret_cast<const char*>(bytes.pData_), static_cast<std::size_t>(bytes.size_)};
}

std::string exif_of(const Metadata& m) {
    start_metadata();
    Exiv2::ExifData exif;
    const auto text = [&](const char* key, const std::string& value) {
        if (!value.empty()) exif[key] = value;
    };
    const auto number = [&](const char* key, double value, double parts) {
        if (value > 0) exif[key].setValue(rational(value, parts));
    };
    text("Exif.Image.Make", m.make);
    text("Exif.Image.Model", m.model);
    text("Exif.Image.Software", software_name());
    exif["Exif.Image.Orientation"] = std::uint16_t{1};
    text("Exif.Photo.LensModel", m.lens);
    text("Exif.Photo.BodySerialNumber", m.serial_number);
    text("Exif.Photo.ImageUniqueID", m.image_id);
    text("Exif.Photo.DateTimeOriginal", exif_time(m.taken));
    // Short times as one over a whole number, as cameras write them.
    if (m.exposure_s > 0 && m.exposure_s < 0.5)
        exif["Exif.Photo.ExposureTime"].setValue(
            "1/" + rational(1 / m.exposure_s, 1).substr(0, rational(1 / m.exposure_s, 1).find('/')));
    else number("Exif.Photo.ExposureTime", m.exposure_s, 1000);
    number("Exif.Photo.FNumber", m.f_number, 100);
    if (m.iso > 0) exif["Exif.Photo.ISOSpeedRatings"] = static_cast<std::uint16_t>(std::min(65535.0, m.iso));
    number("Exif.Photo.FocalLength", m.focal_mm, 100);
    if (m.focal_35mm_mm > 0)
        exif["Exif.Photo.FocalLengthIn35mmFilm"] = static_cast<std::uint16_t>(std::min(65535.0, m.focal_35mm_mm));
    exif["Exif.Photo.Flash"] = static_cast<std::uint16_t>(m.flash ? 1 : 0);
    if (const auto& p = m.position) {
        exif["Exif.GPSInfo.GPSVersionID"].setValue("2 3 0 0");
        exif["Exif.GPSInfo.GPSLatitudeRef"] = p->latitude_deg < 0 ? "S" : "N";
        exif["Exif.GPSInfo.GPSLatitude"].setValue(sexagesimal(p->latitude_deg));
        exif["Exif.GPSInfo.GPSLongitudeRef"] = p->longitude_deg < 0 ? "W" : "E";
        exif["Exif.GPSInfo.GPSLongitude"].setValue(sexagesimal(p->longitude_deg));
        if (p->altitude_m) {
            exif["Exif.GPSInfo.GPSAltitudeRef"].setValue(*p->altitude_m < 0 ? "1" : "0");
            exif["Exif.GPSInfo.GPSAltitude"].setValue(rational(std::abs(*p->altitude_m), 1000));
        }
    }
    Exiv2::Blob blob;
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    return {blob.begin(), blob.end()};
}

std::string software_name() { return "Refero " + std::string(program_version()); }

std::string exif_time(const std::string& iso) {
    std::string text = iso.substr(0, 19);
    if (text.size() < 19) return {};
    text[4] = text[7] = ':';
    text[10] = ' ';
    return text;
}

namespace {

bool is_copy_of_raw(const fs::path& file) {
    constexpr auto end = static_cast<std::streamoff>(copy_mark.size() + copy_record_digits);
    std::ifstream in(file, std::ios::binary);
    in.seekg(-end, std::ios::end);
    std::string mark(copy_mark.size(), '\0');
    in.read(mark.data(), static_cast<std::streamsize>(mark.size()));
    return in && mark == copy_mark;
}

} // namespace

bool is_own_work(const fs::path& file) {
    if (is_copy_of_raw(file)) return true;
    try {
        start_metadata();
        const auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        const auto& exif = image->exifData();
        const auto software = exif.findKey(Exiv2::ExifKey("Exif.Image.Software"));
        return software != exif.end() && software->toString().starts_with("Refero ");
    } catch (const Exiv2::Error&) { return false; }
}

Frame smaller(const Frame& f, int most_width) {
    const int n = std::clamp((f.width + most_width - 1) / most_width, 1, std::max(1, std::min(f.width, f.height)));
    if (n == 1) return f;
    Frame s{.width = f.width / n,
            .height = f.height / n,
            .full_width = f.full_width,
            .full_height = f.full_height,
            .cell = f.cell * n,
            .is_raw = f.is_raw,
            .linear = f.linear,
            .encoding = f.encoding,
            .assumed = f.assumed,
            .clips_at = f.clips_at,
            .recorded = f.recorded,
            .metadata = f.metadata,
            .camera_from_xyz = f.camera_from_xyz,
            .as_shot = f.as_shot,
            .xyz_from_rgb = f.xyz_from_rgb,
            .file = f.file};
    s.rgb.resize(static_cast<std::size_t>(s.width) * static_cast<std::size_t>(s.height) * 3);
    if (!f.clipped.empty()) s.clipped.resize(s.rgb.size() / 3);
    const float share = 1.0F / static_cast<float>(n * n);
    tbb::parallel_for(0, s.height, [&](int y) {
        for (int x = 0; x < s.width; ++x) {
            Eigen::Vector3f sum = Eigen::Vector3f::Zero();
            std::uint8_t clipped = 0;
            for (int v = y * n; v < (y + 1) * n; ++v)
                for (int u = x * n; u < (x + 1) * n; ++u) {
                    sum += Eigen::Map<const Eigen::Vector3f>(f.at(u, v));
                    if (!f.clipped.empty()) clipped |= f.clipped[static_cast<std::size_t>(v) * f.width + u];
                }
            Eigen::Map<Eigen::Vector3f>(s.at(x, y)) = share * sum;
            if (!s.clipped.empty()) s.clipped[static_cast<std::size_t>(y) * s.width + x] = clipped;
        }
    });
    return s;
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
