// Files of a rendering: DNG through libtiff, TIFF and EXR by the module of pictures, the truth as JSON.
#include <cmath>
#include <memory>
#include <numbers>

#include <nlohmann/json.hpp>
#include <tbb/parallel_for.h>
#include <tiffio.h>

#include "colour/icc.hpp"
#include "colour/rgb.hpp"
#include "frame/module.hpp"
#include "simulate/internal/parts.hpp"

namespace refero::simulate {

namespace fs = std::filesystem;

namespace {

/// Normal deviates, a stream for each row: the same whatever the number of threads.
class Normal {
public:
    Normal(std::uint64_t seed, std::uint64_t row)
        : state_(seed * 0x9E3779B97F4A7C15ull + row * 0xD1B54A32D192ED03ull + 1) {}
    float operator()() {
        if (has_spare_) {
            has_spare_ = false;
            return spare_;
        }
        const std::uint64_t bits = next(); // Box and Muller 1958
        const float u = (static_cast<float>(bits >> 40) + 0.5f) * 0x1p-24f,
                    v = static_cast<float>(bits & 0xFFFFFF) * 0x1p-24f;
        const float radius = std::sqrt(-2 * std::log(u)), angle = 2 * std::numbers::pi_v<float> * v;
        spare_ = radius * std::sin(angle);
        has_spare_ = true;
        return radius * std::cos(angle);
    }

private:
    std::uint64_t next() { // splitmix64
        std::uint64_t z = state_ += 0x9E3779B97F4A7C15ull;
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
        return z ^ (z >> 31);
    }
    std::uint64_t state_;
    float spare_ = 0;
    bool has_spare_ = false;
};

/// Photon and read noise on a signal, 1 = saturation.
struct Noise {
    float full_well_e, read_e;
    Noise(const Scene& s)
        : full_well_e(static_cast<float>(s.camera.full_well_e * s.camera.base_iso / s.iso)),
          read_e(static_cast<float>(s.camera.read_noise_e)) {}
    float operator()(float signal, Normal& normal) const {
        const float electrons = std::max(0.0f, signal) * full_well_e;
        return signal + std::sqrt(electrons + read_e * read_e) / full_well_e * normal();
    }
};

/// The raw data as a DNG holds them: turned, framed by masked pixels, a mosaic.
struct Stored {
    int width, height; ///< of the picture's part
    int black_level, white_level;
    bool mosaic;
    std::vector<std::uint16_t> codes; ///< a row after the other, masked pixels included
    int row_pixels, rows;
    int samples() const { return mosaic ? 1 : 3; }
};

constexpr const char* six_by_six = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG";

/// 0 R, 1 G, 2 B at a place of the mosaic.
int colour_at(const std::string& mosaic, int x, int y) {
    const bool six = mosaic == "6x6";
    const char c = six ? six_by_six[6 * (y % 6) + x % 6] : mosaic[static_cast<std::size_t>(2 * (y & 1) + (x & 1))];
    return c == 'R' || c == 'r' ? 0 : c == 'B' || c == 'b' ? 2 : 1;
}

Stored stored(const Rendering& r) {
    const Scene& s = r.scene;
    const DngKind& kind = s.dng;
    const Noise noise(s);
    const int coarser = kind.bits == 12 ? 4 : 1; // the camera's levels are those of 14 bits
    const bool quarter = kind.orientation == 6 || kind.orientation == 8;
    const auto [top, left, bottom, right] = kind.border;
    Stored f{quarter ? s.height : s.width,
             quarter ? s.width : s.height,
             s.camera.black_level / coarser,
             s.camera.white_level / coarser,
             kind.mosaic != "none",
             {},
             0,
             0};
    f.row_pixels = left + f.width + right;
    f.rows = top + f.height + bottom;
    const int samples = f.samples();
    f.codes.resize(static_cast<std::size_t>(f.row_pixels) * f.rows * samples);
    tbb::parallel_for(0, f.rows, [&](int row) {
        const int y = row - top;
        Normal normal(s.seed, static_cast<std::uint64_t>(std::max(0, y)));
        std::uint16_t* out = &f.codes[static_cast<std::size_t>(row) * f.row_pixels * samples];
        for (int column = 0; column < f.row_pixels; ++column)
            for (int k = 0; k < samples; ++k) {
                const int x = column - left;
                const bool masked = x < 0 || y < 0 || x >= f.width || y >= f.height;
                float signal = 0;
                if (!masked) {
                    const int ux = kind.orientation == 3   ? s.width - 1 - x
                                   : kind.orientation == 6 ? s.width - 1 - y
                                   : kind.orientation == 8 ? y
                                                           : x,
                              uy = kind.orientation == 3   ? s.height - 1 - y
                                   : kind.orientation == 6 ? x
                                   : kind.orientation == 8 ? s.height - 1 - x
                                                           : y;
                    const int channel = f.mosaic ? colour_at(kind.mosaic, x, y) : k;
                    signal = r.rgb[(static_cast<std::size_t>(uy) * s.width + ux) * 3 + channel];
                }
                const int more = f.mosaic ? kind.black[static_cast<std::size_t>(2 * (y & 1) + (x & 1))] / coarser : 0;
                const float black = static_cast<float>(f.black_level + more), white = static_cast<float>(f.white_level);
                *out++ = static_cast<std::uint16_t>(
                    std::clamp(std::round(black + noise(signal, normal) * (white - black)), 0.0f, white));
            }
    });
    return f;
}

/// Rows of 12-bit samples, the first bits first, each row from a whole byte on.
std::vector<std::uint8_t> packed(const Stored& f) {
    const std::size_t samples = static_cast<std::size_t>(f.row_pixels) * f.samples(), bytes = (samples * 12 + 7) / 8;
    std::vector<std::uint8_t> all(bytes * static_cast<std::size_t>(f.rows));
    for (std::size_t row = 0; row < static_cast<std::size_t>(f.rows); ++row)
        for (std::size_t i = 0; i < samples; ++i) {
            const unsigned code = f.codes[row * samples + i];
            std::uint8_t* at = &all[row * bytes + i * 3 / 2];
            if (i % 2 == 0) {
                at[0] = static_cast<std::uint8_t>(code >> 4);
                at[1] = static_cast<std::uint8_t>((code & 15) << 4);
            } else {
                at[0] = static_cast<std::uint8_t>(at[0] | (code >> 8));
                at[1] = static_cast<std::uint8_t>(code);
            }
        }
    return all;
}

std::vector<float> developed(const Rendering& r) {
    const Scene& s = r.scene;
    const Noise noise(s);
    std::vector<float> rgb(r.rgb.size());
    tbb::parallel_for(0, s.height, [&](int y) {
        Normal normal(s.seed, static_cast<std::uint64_t>(y));
        const std::size_t row = static_cast<std::size_t>(y) * s.width * 3;
        for (std::size_t i = row; i < row + static_cast<std::size_t>(s.width) * 3; ++i)
            rgb[i] = std::clamp(noise(r.rgb[i], normal), 0.0f, 1.0f);
    });
    return rgb;
}

// DNG tags that libtiff may not know.
void extend_tags(TIFF* tif) {
    static const TIFFFieldInfo fields[] = {
        {33421, 2, 2, TIFF_SHORT, FIELD_CUSTOM, 1, 0, const_cast<char*>("CFARepeatPatternDim")},
        {33422, -1, -1, TIFF_BYTE, FIELD_CUSTOM, 1, 1, const_cast<char*>("CFAPattern")},
        {50706, 4, 4, TIFF_BYTE, FIELD_CUSTOM, 1, 0, const_cast<char*>("DNGVersion")},
        {50707, 4, 4, TIFF_BYTE, FIELD_CUSTOM, 1, 0, const_cast<char*>("DNGBackwardVersion")},
        {50708, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, const_cast<char*>("UniqueCameraModel")},
        {50713, 2, 2, TIFF_SHORT, FIELD_CUSTOM, 1, 0, const_cast<char*>("BlackLevelRepeatDim")},
        {50714, -1, -1, TIFF_LONG, FIELD_CUSTOM, 1, 1, const_cast<char*>("BlackLevel")},
        {50717, -1, -1, TIFF_LONG, FIELD_CUSTOM, 1, 1, const_cast<char*>("WhiteLevel")},
        {50721, -1, -1, TIFF_SRATIONAL, FIELD_CUSTOM, 1, 1, const_cast<char*>("ColorMatrix1")},
        {50728, -1, -1, TIFF_RATIONAL, FIELD_CUSTOM, 1, 1, const_cast<char*>("AsShotNeutral")},
        {50735, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, const_cast<char*>("CameraSerialNumber")},
        {50778, 1, 1, TIFF_SHORT, FIELD_CUSTOM, 1, 0, const_cast<char*>("CalibrationIlluminant1")},
        {50829, 4, 4, TIFF_LONG, FIELD_CUSTOM, 1, 0, const_cast<char*>("ActiveArea")},
    };
    for (const TIFFFieldInfo& field : fields)
        if (!TIFFFindField(tif, field.field_tag, TIFF_ANY)) TIFFMergeFieldInfo(tif, &field, 1);
}

std::string exif_time(const std::string& iso) {
    std::string t = iso;
    if (t.size() >= 19) {
        t[4] = t[7] = ':';
        t[10] = ' ';
    }
    return t.substr(0, 19);
}

// Arrays go with a count where the field asks for one.
void set_array(TIFF* tif, std::uint32_t tag, int count, const void* values) {
    const TIFFField* field = TIFFFindField(tif, tag, TIFF_ANY);
    if (field && TIFFFieldPassCount(field)) TIFFSetField(tif, tag, count, values);
    else TIFFSetField(tif, tag, values);
}

/// What only a DNG says: mosaic, levels, matrix, the camera's balance, the picture's area.
void set_dng_tags(TIFF* tif, const Scene& s, const Stored& f) {
    const auto samples = static_cast<std::uint32_t>(f.samples());
    const std::uint16_t two[] = {2, 2};
    const std::uint8_t version[] = {1, 4, 0, 0}, backward[] = {1, 1, 0, 0};
    if (f.mosaic) {
        const std::uint16_t side = s.dng.mosaic == "6x6" ? 6 : 2, dim[] = {side, side};
        std::vector<std::uint8_t> pattern;
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x) pattern.push_back(static_cast<std::uint8_t>(colour_at(s.dng.mosaic, x, y)));
        set_array(tif, 33421, 2, dim);
        set_array(tif, 33422, static_cast<int>(pattern.size()), pattern.data());
    }
    set_array(tif, 50706, 4, version);
    set_array(tif, 50707, 4, backward);
    TIFFSetField(tif, 50708, (s.camera.make + " " + s.camera.model).c_str());
    if (!s.camera.serial_number.empty()) TIFFSetField(tif, 50735, s.camera.serial_number.c_str());
    const std::uint16_t one[] = {1, 1};
    set_array(tif, 50713, 2, f.mosaic ? two : one); // of the pattern of black levels
    const auto white = static_cast<std::uint32_t>(f.white_level);
    const TIFFField* black_field = TIFFFindField(tif, 50714, TIFF_ANY);
    std::array<std::uint32_t, 4> black_codes{};
    std::array<float, 4> black_values{};
    for (std::size_t i = 0; i < 4; ++i) {
        black_codes[i] =
            static_cast<std::uint32_t>(f.black_level + (f.mosaic ? s.dng.black[i] / (s.dng.bits == 12 ? 4 : 1) : 0));
        black_values[i] = static_cast<float>(black_codes[i]);
    }
    set_array(tif, 50714, f.mosaic ? 4 : static_cast<int>(samples),
              TIFFFieldDataType(black_field) == TIFF_LONG ? static_cast<const void*>(black_codes.data())
                                                          : black_values.data());
    const std::uint32_t whites[] = {white, white, white};
    set_array(tif, 50717, static_cast<int>(samples), whites);
    const colour::Mat3 m = s.camera.camera_from_xyz_d65();
    float matrix[9];
    for (int i = 0; i < 9; ++i) matrix[i] = static_cast<float>(m(i / 3, i % 3));
    set_array(tif, 50721, 9, matrix);
    const Vec3 neutral = s.camera.response(Spectrum::constant(1), s.balanced_for());
    const float as_shot[] = {static_cast<float>(neutral[0]), static_cast<float>(neutral[1]),
                             static_cast<float>(neutral[2])};
    set_array(tif, 50728, 3, as_shot);
    TIFFSetField(tif, 50778, 21); // D65
    if (f.row_pixels != f.width || f.rows != f.height) {
        const auto& [top, left, bottom, right] = s.dng.border;
        const std::uint32_t area[] = {static_cast<std::uint32_t>(top), static_cast<std::uint32_t>(left),
                                      static_cast<std::uint32_t>(top + f.height),
                                      static_cast<std::uint32_t>(left + f.width)};
        set_array(tif, 50829, 4, area);
    }
}

/// Of the shot; into the EXIF directory, which is begun here.
void set_exif_tags(TIFF* tif, const Scene& s) {
    TIFFCreateEXIFDirectory(tif);
    TIFFSetField(tif, EXIFTAG_EXPOSURETIME, s.exposure_s);
    TIFFSetField(tif, EXIFTAG_FNUMBER, s.f_number);
    const auto iso = static_cast<std::uint16_t>(std::min(s.iso, 65535.0));
    TIFFSetField(tif, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
    TIFFSetField(tif, EXIFTAG_DATETIMEORIGINAL, exif_time(s.taken).c_str());
    TIFFSetField(tif, EXIFTAG_FOCALLENGTH, s.focal_mm);
    TIFFSetField(tif, EXIFTAG_FOCALLENGTHIN35MMFILM, static_cast<int>(std::lround(s.focal_35mm_mm)));
    TIFFSetField(tif, EXIFTAG_FLASH, s.light_name == "flash" ? 1 : 0);
    if (!s.lens.empty()) TIFFSetField(tif, EXIFTAG_LENSMODEL, s.lens.c_str());
    if (!s.camera.serial_number.empty()) TIFFSetField(tif, EXIFTAG_BODYSERIALNUMBER, s.camera.serial_number.c_str());
}

/// The camera's own picture of the frame: balanced, in sRGB, with a curve that deepens shadows and rolls lights off,
/// and a little more saturation. 8 bits a channel.
std::vector<std::uint8_t> styled(const Rendering& r, int width, int height) {
    const Scene& s = r.scene;
    const Vec3 neutral = s.camera.response(Spectrum::constant(1), s.balanced_for());
    const colour::Mat3 to_srgb =
        colour::rgb_space("srgb").to_xyz().inverse() * s.camera.camera_from_xyz_d65().inverse();
    const Vec3 white = to_srgb * Vec3::Ones();
    constexpr double saturation = 1.15, shoulder = 0.25, toe = 0.1;
    std::vector<std::uint8_t> codes(static_cast<std::size_t>(width) * height * 3);
    tbb::parallel_for(0, height, [&](int y) {
        for (int x = 0; x < width; ++x) {
            const int x0 = x * s.width / width, x1 = std::max(x0 + 1, (x + 1) * s.width / width);
            const int y0 = y * s.height / height, y1 = std::max(y0 + 1, (y + 1) * s.height / height);
            Vec3 sum = Vec3::Zero();
            for (int v = y0; v < y1; ++v)
                for (int u = x0; u < x1; ++u)
                    for (int c = 0; c < 3; ++c)
                        sum[c] += static_cast<double>(r.rgb[(static_cast<std::size_t>(v) * s.width + u) * 3 + c]);
            const Vec3 balanced = (sum / ((x1 - x0) * (y1 - y0)) / s.white).cwiseQuotient(neutral);
            Vec3 rgb = (to_srgb * balanced).cwiseQuotient(white);
            const double grey = rgb.mean();
            rgb = Vec3::Constant(grey) + saturation * (rgb - Vec3::Constant(grey));
            for (int c = 0; c < 3; ++c) {
                const double linear = std::max(0.0, rgb[c]), rolled = linear * (1 + shoulder) / (1 + shoulder * linear);
                const double code = colour::encode(colour::Transfer::srgb, std::min(1.0, rolled));
                const double deep = code - toe * code * (1 - code) * (1 - code);
                codes[(static_cast<std::size_t>(y) * width + x) * 3 + static_cast<std::size_t>(c)] =
                    static_cast<std::uint8_t>(std::lround(255 * std::clamp(deep, 0.0, 1.0)));
            }
        }
    });
    return codes;
}

/// One whole JPEG in one strip, as DNG keeps previews (DNG 1.6, chapter 3).
bool write_preview(TIFF* tif, const Rendering& r, int width, int height) {
    const std::vector<std::uint8_t> codes = styled(r, width, height);
    constexpr int quality = 90, reduced_image = 1, tables_in_the_stream = 0;
    TIFFSetField(tif, TIFFTAG_SUBFILETYPE, reduced_image);
    TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(tif, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 8);
    TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_JPEG);
    TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_YCBCR);
    TIFFSetField(tif, TIFFTAG_JPEGQUALITY, quality);
    TIFFSetField(tif, TIFFTAG_JPEGCOLORMODE, JPEGCOLORMODE_RGB);
    TIFFSetField(tif, TIFFTAG_JPEGTABLESMODE, tables_in_the_stream);
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, height);
    return TIFFWriteEncodedStrip(tif, 0, const_cast<std::uint8_t*>(codes.data()),
                                 static_cast<tmsize_t>(codes.size())) >= 0 &&
           TIFFWriteDirectory(tif);
}

void write_dng(const Rendering& r, const fs::path& target, const fs::path& file) {
    const Scene& s = r.scene;
    const Stored f = stored(r);
    const auto samples = static_cast<std::uint32_t>(f.samples());
    const bool pack = s.dng.bits == 12;
    const std::unique_ptr<TIFF, void (*)(TIFF*)> handle(TIFFOpen(file.c_str(), s.dng.big_endian ? "wb" : "wl"),
                                                        [](TIFF* t) {
                                                            if (t) TIFFClose(t);
                                                        });
    TIFF* tif = handle.get();
    const auto failed = [&] {
        return Error(ErrorKind::internal, "cannot be written", target, "Check free space and permissions");
    };
    if (!tif) throw failed();
    extend_tags(tif);
    const auto width = static_cast<std::uint32_t>(f.row_pixels), height = static_cast<std::uint32_t>(f.rows);
    constexpr std::uint32_t rows_per_strip = 64;
    TIFFSetField(tif, TIFFTAG_SUBFILETYPE, 0);
    TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(tif, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, s.dng.bits);
    TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, samples);
    TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, f.mosaic ? 32803 : 34892); // colour filter array, linear raw
    TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tif, TIFFTAG_ORIENTATION, s.dng.orientation);
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, rows_per_strip);
    TIFFSetField(tif, TIFFTAG_MAKE, s.camera.make.c_str());
    TIFFSetField(tif, TIFFTAG_MODEL, s.camera.model.c_str());
    TIFFSetField(tif, TIFFTAG_SOFTWARE, "Simulated camera of Refero");
    TIFFSetField(tif, TIFFTAG_DATETIME, exif_time(s.taken).c_str());
    set_dng_tags(tif, s, f);
    const int preview_width = std::min(s.dng.preview_px, s.width), preview_height = s.height * preview_width / s.width;
    const bool with_preview = s.dng.preview_px > 0 && s.dng.orientation == 1 && s.width * s.height >= 1'000'000;
    if (const std::uint64_t later[] = {0}; with_preview) TIFFSetField(tif, TIFFTAG_SUBIFD, 1, later);
    const std::vector<std::uint8_t> packed_rows = pack ? packed(f) : std::vector<std::uint8_t>{};
    const std::size_t row_bytes = pack ? packed_rows.size() / height : static_cast<std::size_t>(width) * samples * 2;
    const auto* bytes = pack ? packed_rows.data() : reinterpret_cast<const std::uint8_t*>(f.codes.data());
    for (std::uint32_t y = 0, strip = 0; y < height; y += rows_per_strip, ++strip) {
        const std::uint32_t rows = std::min(rows_per_strip, height - y);
        if (TIFFWriteEncodedStrip(tif, strip, const_cast<std::uint8_t*>(bytes + y * row_bytes),
                                  static_cast<tmsize_t>(rows * row_bytes)) < 0)
            throw failed();
    }
    if (!TIFFWriteDirectory(tif)) throw failed();
    if (with_preview && !write_preview(tif, r, preview_width, preview_height)) throw failed();

    set_exif_tags(tif, s);
    std::uint64_t exif_offset = 0;
    if (!TIFFWriteCustomDirectory(tif, &exif_offset) || !TIFFSetDirectory(tif, 0)) throw failed();
    extend_tags(tif);
    TIFFSetField(tif, TIFFTAG_EXIFIFD, exif_offset);
    if (!TIFFRewriteDirectory(tif)) throw failed();
}

void write_raster(const Rendering& r, const fs::path& target, const fs::path& file, bool tiff) {
    static auto* const call = frame::from_module<decltype(refero_write_raster)>("pictures", "refero_write_raster");
    call(r.scene, exif_time(r.scene.taken), developed(r), target, file, tiff);
}

} // namespace

std::string truth_of(const Rendering& r) {
    nlohmann::ordered_json j;
    j["width"] = r.scene.width;
    j["height"] = r.scene.height;
    j["charts"] = nlohmann::ordered_json::array();
    for (const TrueChart& c : r.charts) {
        nlohmann::ordered_json t;
        t["chart"] = c.chart;
        for (const chart::Point& p : c.corners) t["corners"].push_back({p.x(), p.y()});
        t["confidence"] = 1.0;
        t["tilt_deg"] = c.tilt_deg;
        t["frame_fraction"] = c.frame_fraction;
        t["mirrored"] = c.mirrored;
        j["charts"].push_back(t);
    }
    const auto patches_of = [](const TrueChart& c) {
        auto list = nlohmann::ordered_json::array();
        for (const TruePatch& p : c.patches)
            list.push_back(
                {{"id", p.id}, {"mean", p.mean}, {"sd", p.sd}, {"clipped", p.clipped}, {"pixels", p.pixels}});
        return list;
    };
    if (!r.charts.empty()) {
        j["chart"] = r.charts.front().chart;
        j["patches"] = patches_of(r.charts.front());
        for (std::size_t i = 0; i < r.charts.size(); ++i) j["charts"][i]["patches"] = patches_of(r.charts[i]);
    }
    return j.dump(1) + "\n";
}

void write(const Rendering& r, const fs::path& file) {
    const std::string extension = to_lower(file.extension().string());
    const bool dng = extension == ".dng", tiff = extension == ".tif" || extension == ".tiff";
    if (!dng && !tiff && extension != ".exr")
        throw Error(ErrorKind::usage, "a simulated frame is written as .dng, .tif or .exr", file,
                    "Choose one of these");
    write_whole(file, [&](const fs::path& temporary) {
        if (dng) write_dng(r, file, temporary);
        else write_raster(r, file, temporary, tiff);
    });
    fs::path truth = file;
    write_whole(truth.replace_extension(".truth.json"), truth_of(r));
}

} // namespace refero::simulate
