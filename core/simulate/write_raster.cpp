// TIFF and EXR of a rendering, through OpenImageIO.
#include <cmath>

#include <OpenImageIO/imageio.h>

#include "colour/icc.hpp"
#include "simulate/internal/parts.hpp"

namespace refero::simulate {

void refero_write_raster(const Scene& s, const std::string& exif_time, const std::vector<float>& pixels,
                         const std::filesystem::path& target, const std::filesystem::path& file, bool tiff) {
    OIIO::ImageSpec spec(s.width, s.height, 3, tiff ? OIIO::TypeDesc::UINT16 : OIIO::TypeDesc::FLOAT);
    spec["Make"] = s.camera.make;
    spec["Model"] = s.camera.model;
    spec["Software"] = "Simulated camera of Refero";
    spec["DateTime"] = exif_time;
    spec["Exif:DateTimeOriginal"] = exif_time;
    spec["ExposureTime"] = static_cast<float>(s.exposure_s);
    spec["FNumber"] = static_cast<float>(s.f_number);
    spec["Exif:PhotographicSensitivity"] = static_cast<int>(s.iso);
    spec["Exif:FocalLength"] = static_cast<float>(s.focal_mm);
    spec["Exif:FocalLengthIn35mmFilm"] = static_cast<int>(std::lround(s.focal_35mm_mm));
    spec["Exif:LensModel"] = s.lens;
    if (tiff) {
        const auto& space = colour::rgb_space("linear-bt709");
        const auto icc = colour::icc_profile(colour::IccClass::display, space.to_xyz_d50(), space.transfer,
                                             "Linear camera RGB", "No copyright, use freely");
        spec.attribute("ICCProfile", OIIO::TypeDesc(OIIO::TypeDesc::UINT8, static_cast<int>(icc.size())), icc.data());
        spec["compression"] = "none";
    }
    const auto out = OIIO::ImageOutput::create(file.string());
    if (!out || !out->open(file.string(), spec) || !out->write_image(OIIO::TypeDesc::FLOAT, pixels.data()) ||
        !out->close())
        throw Error(ErrorKind::internal, "cannot be written: " + (out ? out->geterror() : OIIO::geterror()), target,
                    "Check free space and permissions");
}

} // namespace refero::simulate
