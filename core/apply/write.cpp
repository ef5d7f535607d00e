// Pictures to files through OpenImageIO.
#include <cmath>

#include <OpenImageIO/imageio.h>
#include <tbb/parallel_for.h>

#include "apply/apply.hpp"
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

void write(const Picture& p, const fs::path& file, Format format, const frame::Metadata& m) {
    const colour::RgbSpace& space = colour::rgb_space(p.space);
    const bool exr = format == Format::exr;
    OIIO::ImageSpec spec(p.width, p.height, 3,
                         exr                      ? OIIO::TypeDesc::HALF
                         : format == Format::jpeg ? OIIO::TypeDesc::UINT8
                                                  : OIIO::TypeDesc::UINT16);
    if (!m.make.empty()) spec["Make"] = m.make;
    if (!m.model.empty()) spec["Model"] = m.model;
    if (!m.lens.empty()) spec["Exif:LensModel"] = m.lens;
    if (m.exposure_s > 0) spec["ExposureTime"] = static_cast<float>(m.exposure_s);
    if (m.f_number > 0) spec["FNumber"] = static_cast<float>(m.f_number);
    if (m.iso > 0) spec["Exif:PhotographicSensitivity"] = static_cast<int>(m.iso);
    spec["Software"] = "Refero " + std::string(program_version());
    spec["Orientation"] = 1;
    if (format == Format::jpeg) {
        spec["Compression"] = "jpeg:95";
        spec["jpeg:subsampling"] = "4:4:4";
    }
    if (format == Format::tiff) spec["Compression"] = "none";
    if (format == Format::png) spec["png:compressionLevel"] = 4;
    std::vector<float> values = p.rgb;
    if (exr) {
        const colour::Chromaticity r = space.red, g = space.green, b = space.blue, w = space.white;
        if (space.name != "xyz-d50") {
            const float chromaticities[] = {static_cast<float>(r.x), static_cast<float>(r.y), static_cast<float>(g.x),
                                            static_cast<float>(g.y), static_cast<float>(b.x), static_cast<float>(b.y),
                                            static_cast<float>(w.x), static_cast<float>(w.y)};
            spec.attribute("chromaticities", OIIO::TypeDesc("float[8]"), chromaticities);
        }
    } else {
        const auto icc = colour::icc_profile(colour::IccClass::display, space.to_xyz_d50(), space.transfer, space.name,
                                             "No copyright, use freely");
        spec.attribute("ICCProfile", OIIO::TypeDesc(OIIO::TypeDesc::UINT8, static_cast<int>(icc.size())), icc.data());
        if (space.transfer != colour::Transfer::linear)
            tbb::parallel_for(0, p.height, [&](int y) {
                const std::size_t n = static_cast<std::size_t>(p.width) * 3;
                for (std::size_t i = y * n; i < (y + 1) * n; ++i)
                    values[i] = static_cast<float>(
                        colour::encode(space.transfer, static_cast<double>(std::clamp(values[i], 0.0f, 1.0f))));
            });
    }
    write_whole(file, [&](const fs::path& temporary) {
        const auto out = OIIO::ImageOutput::create(temporary.string());
        if (!out || !out->open(temporary.string(), spec) || !out->write_image(OIIO::TypeDesc::FLOAT, values.data()) ||
            !out->close())
            throw Error(ErrorKind::internal, "cannot be written: " + (out ? out->geterror() : OIIO::geterror()), file,
                        "Check free space and permissions");
    });
}

} // namespace refero::apply
