// Pictures to files: code values of their space, and the writer of each format.
#include <limits>

#include <tbb/parallel_for.h>

#include "apply/internal.hpp"
#include "colour/icc.hpp"

namespace refero::apply {

namespace fs = std::filesystem;

Format format_named(const std::string& name) {
    if (name == "tiff") return Format::tiff;
    if (name == "exr") return Format::exr;
    if (name == "png") return Format::png;
    if (name == "jpeg") return Format::jpeg;
    throw Error(ErrorKind::usage, "unknown format '" + name + "'", {}, "Known: tiff exr png jpeg");
}

std::string extension_of(Format format) {
    switch (format) {
    case Format::tiff: return ".tif";
    case Format::exr: return ".exr";
    case Format::png: return ".png";
    case Format::jpeg: return ".jpg";
    }
    return "";
}

namespace {

/// Code values of a picture's space, clipped to 0 to 1; n bits as T holds them.
template<class T>
std::vector<T> codes_of(const Picture& p, colour::Transfer transfer) {
    constexpr float most = static_cast<float>(std::numeric_limits<T>::max());
    std::vector<T> codes(p.rgb.size());
    tbb::parallel_for(0, p.height, [&](int y) {
        const std::size_t n = static_cast<std::size_t>(p.width) * 3;
        for (std::size_t i = y * n; i < (y + 1) * n; ++i) {
            const float light = std::clamp(p.rgb[i], 0.0f, 1.0f);
            const float code = transfer == colour::Transfer::linear
                                   ? light
                                   : static_cast<float>(colour::encode(transfer, static_cast<double>(light)));
            codes[i] = static_cast<T>(code * most + 0.5f); // NOLINT(bugprone-incorrect-roundings): never below 0
        }
    });
    return codes;
}

} // namespace

void write(const Picture& p, const fs::path& file, Format format, const frame::Metadata& metadata, Existing existing) {
    if (format == Format::exr)
        return write_whole(
            file, [&](const fs::path& part) { write_exr(p, metadata, part, file); }, existing);
    const colour::RgbSpace& space = colour::rgb_space(p.space);
    Codes codes{.width = p.width, .height = p.height, .metadata = metadata};
    codes.icc = colour::icc_profile(colour::IccClass::display, space.to_xyz_d50(), space.transfer, space.name,
                                    "No copyright, use freely");
    if (format == Format::jpeg) codes.shallow = codes_of<std::uint8_t>(p, space.transfer);
    else codes.deep = codes_of<std::uint16_t>(p, space.transfer);
    switch (format) {
    case Format::png: return write_whole(file, png_bytes(codes), existing);
    case Format::jpeg: return write_whole(file, jpeg_bytes(codes), existing);
    default:
        return write_whole(
            file, [&](const fs::path& part) { write_tiff(codes, part, file); }, existing);
    }
}

} // namespace refero::apply
