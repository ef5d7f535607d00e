// Pictures to files: code values of their space, and the writer of each format.
#include <limits>

#include <tbb/parallel_for.h>

#include "apply/internal/writers.hpp"
#include "apply/kernel.hpp"
#include "base/names.hpp"
#include "colour/icc.hpp"

namespace refero::apply {

namespace fs = std::filesystem;

Format format_named(const std::string& name) {
    const auto format = named<Format>(name);
    if (refero::name_of(format) == name) return format;
    throw Error(ErrorKind::usage, "unknown format '" + name + "'", {},
                "Known: tiff exr png jpeg, dng for copies of DNG files that bear the balance, and for clips prores "
                "prores4444 dnxhr h264 h265 ffv1");
}

std::string extension_of(Format format) {
    switch (format) {
    case Format::tiff: return ".tif";
    case Format::exr: return ".exr";
    case Format::png: return ".png";
    case Format::jpeg: return ".jpg";
    case Format::dng: return ".dng";
    case Format::prores:
    case Format::prores4444: return ".mov";
    case Format::dnxhr: return ".mxf";
    case Format::h264:
    case Format::h265: return ".mp4";
    case Format::ffv1: return ".mkv";
    }
    return "";
}

Depth depth_named(const std::string& name, Format format) {
    if (name.empty()) return Depth::usual;
    const bool exr = format == Format::exr;
    if (name == "8" && !exr && format != Format::dng && !is_clip(format)) return Depth::eight;
    if (name == "16" && (format == Format::tiff || format == Format::png)) return Depth::sixteen;
    if (name == "half" && exr) return Depth::half;
    if (name == "float" && exr) return Depth::full;
    throw Error(ErrorKind::usage, "this format has no samples of '" + name + "'", {},
                "TIFF and PNG hold 8 or 16, JPEG 8, EXR half or float");
}

namespace {

/// Code values of a picture's rows, clipped to 0 to 1; as many bits as T has.
template<class T>
std::function<const std::uint8_t*(int, int)> encoded(const Strips& p, colour::Transfer transfer) {
    const auto codes = std::make_shared<std::vector<T>>();
    const auto encoder = std::make_shared<const Encoder>(transfer, static_cast<float>(std::numeric_limits<T>::max()));
    return [&p, codes, encoder](int first, int rows) {
        const std::size_t n = static_cast<std::size_t>(p.width) * 3;
        codes->resize(static_cast<std::size_t>(rows) * n);
        const float* light = p.rows(first, rows);
        tbb::parallel_for(tbb::blocked_range<int>(0, rows, 8), [&](const tbb::blocked_range<int>& some) {
            const std::size_t from = static_cast<std::size_t>(some.begin()) * n;
            (*encoder)(light + from, static_cast<std::size_t>(some.size()) * n, codes->data() + from);
        });
        return reinterpret_cast<const std::uint8_t*>(codes->data());
    };
}

} // namespace

void write(const Strips& p, const fs::path& file, Format format, const frame::Metadata& metadata, Existing existing,
           Depth depth) {
    if (format == Format::exr)
        return write_whole(
            file, [&](const fs::path& part) { write_exr(p, metadata, depth == Depth::full, part, file); }, existing);
    const colour::RgbSpace& space = colour::rgb_space(p.space);
    Codes codes{.width = p.width, .height = p.height, .metadata = metadata};
    codes.icc = colour::icc_profile(colour::IccClass::display, space.to_xyz_d50(), space.transfer, space.name,
                                    "No copyright, use freely");
    const bool eight = format == Format::jpeg || depth == Depth::eight;
    codes.bits = eight ? 8 : 16;
    codes.strip = eight ? encoded<std::uint8_t>(p, space.transfer) : encoded<std::uint16_t>(p, space.transfer);
    switch (format) {
    case Format::png: return write_whole(file, png_bytes(codes), existing);
    case Format::jpeg: return write_whole(file, jpeg_bytes(codes), existing);
    default:
        return write_whole(
            file, [&](const fs::path& part) { write_tiff(codes, part, file); }, existing);
    }
}

std::string image_id_of(const fs::path& file) {
    if (to_lower(file.extension().string()) == ".dng") return dng_record(file);
    if (to_lower(file.extension().string()) == ".exr") return exr_image_id(file);
    return frame::read_metadata(file).image_id;
}

} // namespace refero::apply
