// TIFF, PNG, JPEG, EXR and DPX through OpenImageIO; ICC curves through lcms2.
#include <cmath>
#include <memory>

#include <Eigen/LU>
#include <OpenImageIO/imageio.h>
#include <lcms2.h>
#include <tbb/parallel_for.h>

#include "frame/internal/readers.hpp"
#include "frame/timecode.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

/// Of memory that a picture takes here: floats, marks of clipping, and the finder's and writers' working copies.
constexpr double bytes_a_pixel = 3 * sizeof(float) + 1 + 8;
constexpr int band_pixels = 1 << 22; ///< code values that are in memory at a time

// The tone curves of an embedded matrix or grey profile, as an encoding.
std::optional<std::function<double(int, double)>> icc_curves(const std::vector<unsigned char>& icc) {
    const std::shared_ptr<void> profile(cmsOpenProfileFromMem(icc.data(), static_cast<cmsUInt32Number>(icc.size())),
                                        [](void* p) {
                                            if (p) cmsCloseProfile(p);
                                        });
    if (!profile) return std::nullopt;
    const auto curve = [&](cmsTagSignature tag) { return static_cast<cmsToneCurve*>(cmsReadTag(profile.get(), tag)); };
    std::array<cmsToneCurve*, 3> curves{curve(cmsSigRedTRCTag), curve(cmsSigGreenTRCTag), curve(cmsSigBlueTRCTag)};
    if (cmsToneCurve* grey = curve(cmsSigGrayTRCTag)) curves = {grey, grey, grey};
    if (!curves[0] || !curves[1] || !curves[2]) return std::nullopt;
    return [profile, curves](int channel, double code) {
        return static_cast<double>(
            cmsEvalToneCurveFloat(curves[static_cast<std::size_t>(channel)], static_cast<float>(code)));
    };
}

std::vector<unsigned char> icc_bytes(const OIIO::ImageSpec& spec) {
    const OIIO::ParamValue* p = spec.find_attribute("ICCProfile");
    if (!p) return {};
    const auto* data = static_cast<const unsigned char*>(p->data());
    return {data, data + p->datasize()};
}

/// Colorants of an embedded matrix profile: XYZ relative to D50.
std::optional<colour::Mat3> icc_matrix(const std::vector<unsigned char>& icc) {
    const std::shared_ptr<void> profile(cmsOpenProfileFromMem(icc.data(), static_cast<cmsUInt32Number>(icc.size())),
                                        [](void* p) {
                                            if (p) cmsCloseProfile(p);
                                        });
    if (!profile || cmsGetColorSpace(profile.get()) != cmsSigRgbData) return std::nullopt;
    colour::Mat3 m;
    const cmsTagSignature tags[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag};
    for (int c = 0; c < 3; ++c) {
        const auto* xyz = static_cast<const cmsCIEXYZ*>(cmsReadTag(profile.get(), tags[c]));
        if (!xyz) return std::nullopt;
        m.col(c) << xyz->X, xyz->Y, xyz->Z;
    }
    return m.allFinite() && std::abs(m.determinant()) > 1e-6 ? std::optional(m) : std::nullopt;
}

/// EXR's chromaticities, else none.
std::optional<colour::Mat3> exr_matrix(const OIIO::ImageSpec& spec) {
    const OIIO::ParamValue* p = spec.find_attribute("chromaticities");
    if (!p || p->datasize() != 8 * static_cast<int>(sizeof(float))) return std::nullopt;
    const auto* v = static_cast<const float*>(p->data());
    const auto at = [&](std::size_t i) {
        return colour::Chromaticity{static_cast<double>(v[2 * i]), static_cast<double>(v[2 * i + 1])};
    };
    const colour::RgbSpace space{"file", at(0), at(1), at(2), at(3), colour::Transfer::linear};
    const colour::Mat3 m = space.to_xyz_d50();
    return m.allFinite() ? std::optional(m) : std::nullopt;
}

[[noreturn]] void unreadable(const fs::path& file, const std::string& why) {
    throw Error(ErrorKind::input, "the image cannot be read (" + why + ")", file, "Copy it again, or save it anew");
}

// libjpeg fills what is missing with grey: a file that lacks its end marker is refused here instead.
void check_jpeg_end(const fs::path& file) {
    const std::string bytes = read_file(file);
    const std::size_t last = bytes.find_last_not_of('\0');
    if (bytes.rfind("\xff\xd9") == std::string::npos || last == std::string::npos) unreadable(file, "cut short");
}

} // namespace

struct RasterReader {
    static Encoding icc_encoding(std::function<double(int, double)> decode) {
        return {"embedded ICC curve", std::move(decode)};
    }
};

Frame refero_read_raster(const fs::path& file, const ReadOptions& options, const std::stop_token& stop) {
    const std::optional<Encoding>& told = options.encoding;
    constexpr int half_code = 128; // of eight bits
    const auto extension = to_lower(file.extension().string());
    if (extension == ".jpg" || extension == ".jpeg") check_jpeg_end(file);
    OIIO::ImageSpec hints;
    hints["oiio:UnassociatedAlpha"] = 1;
    const auto input = OIIO::ImageInput::open(file.string(), &hints);
    if (!input) unreadable(file, OIIO::geterror());
    const OIIO::ImageSpec& spec = input->spec();
    if (spec.width < 1 || spec.height < 1 || spec.nchannels < 1 || spec.deep) unreadable(file, "no pixels");
    require_memory(file, static_cast<std::int64_t>(spec.width) * spec.height, bytes_a_pixel);
    const int used = spec.nchannels >= 3 ? 3 : 1;
    int first = 0;
    if (const int red = spec.channelindex("R"); used == 3 && red > 0 && red + 3 <= spec.nchannels) first = red;

    Frame f;
    f.width = f.full_width = spec.width;
    f.height = f.full_height = spec.height;
    const std::size_t pixels = static_cast<std::size_t>(f.width) * f.height;
    f.rgb.resize(pixels * 3);
    const bool is_float = spec.format.is_floating_point();
    // Band by band: the codes of a whole picture would take half as much again as its light.
    const int step = spec.tile_height > 1 ? spec.tile_height : 16;
    const int band = std::max(1, band_pixels / std::max(1, spec.width) / step) * step;
    const auto in_bands = [&](OIIO::TypeDesc type, auto* codes, auto&& take) {
        for (int y = 0; y < spec.height; y += band) {
            throw_if_stopped(stop);
            const int rows = std::min(band, spec.height - y);
            const bool done = spec.tile_width
                                  ? input->read_tiles(0, 0, spec.x, spec.x + spec.width, spec.y + y, spec.y + y + rows,
                                                      spec.z, spec.z + 1, first, first + used, type, codes)
                                  : input->read_scanlines(0, 0, spec.y + y, spec.y + y + rows, spec.z, first,
                                                          first + used, type, codes);
            if (!done) unreadable(file, input->geterror());
            const std::size_t offset = static_cast<std::size_t>(y) * spec.width;
            tbb::parallel_for(std::size_t{0}, static_cast<std::size_t>(rows) * spec.width,
                              [&](std::size_t i) { take(offset + i, codes + i * used); });
        }
    };
    const std::size_t in_band = static_cast<std::size_t>(std::min(band, spec.height)) * spec.width * used;

    if (is_float) {
        const Encoding encoding = told.value_or(Encoding(colour::Transfer::linear));
        f.encoding = encoding.name();
        std::vector<float> values(in_band);
        const bool linear = f.linear = f.encoding == "linear";
        in_bands(OIIO::TypeDesc::FLOAT, values.data(), [&](std::size_t i, const float* v) {
            for (int c = 0; c < 3; ++c) {
                const float code = v[used == 3 ? c : 0];
                f.rgb[i * 3 + c] = linear ? code : static_cast<float>(encoding.decode(c, static_cast<double>(code)));
            }
        });
    } else {
        std::optional<Encoding> encoding = told;
        if (!encoding)
            if (auto curves = icc_curves(icc_bytes(spec))) encoding = RasterReader::icc_encoding(std::move(*curves));
        f.assumed = !encoding;
        if (!encoding) encoding = Encoding(colour::Transfer::srgb);
        f.encoding = encoding->name();
        f.linear = encoding->is_linear();
        std::array<std::vector<float>, 3> table;
        for (int c = 0; c < 3; ++c) {
            table[c].resize(65536);
            for (int code = 0; code < 65536; ++code)
                table[c][code] = static_cast<float>(encoding->decode(c, code / 65535.0));
        }
        f.clipped.resize(pixels);
        std::vector<std::uint16_t> codes(in_band);
        if (options.clip_code < 1) f.clips_at = encoding->decode(1, options.clip_code);
        const int full = options.clip_code < 1 ? static_cast<int>(65535 * options.clip_code) - half_code : 65535;
        in_bands(OIIO::TypeDesc::UINT16, codes.data(), [&](std::size_t i, const std::uint16_t* v) {
            for (int c = 0; c < 3; ++c) {
                const std::uint16_t code = v[used == 3 ? c : 0];
                f.rgb[i * 3 + c] = table[c][code];
                if (code >= full) f.clipped[i] |= static_cast<std::uint8_t>(1 << c);
            }
        });
    }
    if (!is_float)
        f.recorded.bits = spec.get_int_attribute("oiio:BitsPerSample", static_cast<int>(8 * spec.format.size()));
    f.xyz_from_rgb = is_float ? exr_matrix(spec) : icc_matrix(icc_bytes(spec));
    f.recorded.chroma = spec.get_string_attribute("jpeg:subsampling");
    if (f.recorded.chroma == "4:4:4") f.recorded.chroma.clear();
    make_upright(f, spec.get_int_attribute("Orientation", 1));
    return f;
}

// What DPX (SMPTE ST 268-1) and OpenEXR name, by the names that OpenImageIO gives to both.
Metadata refero_describe_raster(const fs::path& file) {
    Metadata m;
    const auto input = OIIO::ImageInput::open(file.string());
    if (!input) {
        OIIO::geterror(); // taken note of
        return m;
    }
    const OIIO::ImageSpec& spec = input->spec();
    const auto text = [&](std::initializer_list<const char*> names) {
        for (const char* name : names)
            if (std::string s(spec.get_string_attribute(name)); !s.empty()) return s;
        return std::string();
    };
    const auto number = [&](std::initializer_list<const char*> names) {
        for (const char* name : names)
            if (const double v = static_cast<double>(spec.get_float_attribute(name)); std::isfinite(v) && v > 0)
                return v;
        return 0.0;
    };
    m.make = text({"Make", "cameraMake"});
    m.model = text({"Model", "cameraModel", "dpx:InputDevice"});
    m.serial_number = text({"cameraSerialNumber", "Exif:BodySerialNumber", "dpx:InputDeviceSerialNumber"});
    m.lens = text({"lensModel", "Exif:LensModel"});
    m.taken = text({"DateTime", "capDate"});
    if (m.taken.size() >= 19 && m.taken[4] == ':') {
        m.taken[4] = m.taken[7] = '-';
        m.taken[10] = 'T';
        m.taken.resize(19);
    } else {
        m.taken.clear();
    }
    m.exposure_s = number({"ExposureTime", "expTime"});
    m.f_number = number({"FNumber", "aperture"});
    m.iso = number({"isoSpeed", "Exif:ISOSpeedRatings", "Exif:PhotographicSensitivity"});
    m.image_id = text({"imageUniqueID", "Exif:ImageUniqueID"});
    m.xmp = text({"xmp"});
    m.reel = text({"reelName", "smpte:ReelName"});
    if (const OIIO::ParamValue* code = spec.find_attribute("smpte:TimeCode");
        code && code->datasize() >= static_cast<int>(sizeof(std::uint32_t)))
        m.timecode = unpacked_timecode(*static_cast<const std::uint32_t*>(code->data()));
    if (m.timecode == "00:00:00:00" && !spec.find_attribute("FramesPerSecond")) m.timecode.clear();
    if (const OIIO::ParamValue* rate = spec.find_attribute("FramesPerSecond");
        rate && rate->type().vecsemantics == OIIO::TypeDesc::RATIONAL) {
        const auto* r = static_cast<const int*>(rate->data());
        m.frames_per_second = r[1] > 0 ? static_cast<double>(r[0]) / r[1] : 0;
    } else {
        m.frames_per_second = number({"FramesPerSecond", "framesPerSecond", "dpx:FrameRate", "dpx:TemporalFrameRate"});
    }
    return m;
}

} // namespace refero::frame
