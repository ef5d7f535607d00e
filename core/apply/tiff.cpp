// TIFF 6.0 through libtiff, with EXIF and GPS directories (EXIF 2.32).
#include <cmath>
#include <cstdarg>
#include <memory>

#include <tiffio.h>

#include "apply/internal/writers.hpp"

namespace refero::apply {

namespace fs = std::filesystem;

namespace {

constexpr std::uint32_t strip_bytes = 1 << 20;

int note_problem(TIFF*, void* data, const char*, const char* format, va_list arguments) {
    char text[300];
    std::vsnprintf(text, sizeof text, format, arguments);
    *static_cast<std::string*>(data) = text;
    return 1;
}

void set_text(TIFF* t, std::uint32_t tag, const std::string& value) {
    if (!value.empty()) TIFFSetField(t, tag, value.c_str());
}

void set_number(TIFF* t, std::uint32_t tag, double value) {
    if (value > 0) TIFFSetField(t, tag, value);
}

bool write_exif(TIFF* t, const frame::Metadata& m, std::uint64_t& offset) {
    if (TIFFCreateEXIFDirectory(t) != 0) return false;
    set_text(t, EXIFTAG_DATETIMEORIGINAL, frame::exif_time(m.taken));
    set_text(t, EXIFTAG_LENSMODEL, m.lens);
    set_text(t, EXIFTAG_BODYSERIALNUMBER, m.serial_number);
    set_text(t, EXIFTAG_IMAGEUNIQUEID, m.image_id);
    set_number(t, EXIFTAG_EXPOSURETIME, m.exposure_s);
    set_number(t, EXIFTAG_FNUMBER, m.f_number);
    set_number(t, EXIFTAG_FOCALLENGTH, m.focal_mm);
    if (m.focal_35mm_mm > 0)
        TIFFSetField(t, EXIFTAG_FOCALLENGTHIN35MMFILM, static_cast<std::uint16_t>(std::min(65535.0, m.focal_35mm_mm)));
    TIFFSetField(t, EXIFTAG_FLASH, static_cast<std::uint16_t>(m.flash ? 1 : 0));
    if (m.iso > 0) {
        const auto iso = static_cast<std::uint16_t>(std::min(65535.0, m.iso));
        TIFFSetField(t, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
    }
    return TIFFWriteCustomDirectory(t, &offset) == 1;
}

bool write_position(TIFF* t, const frame::Position& p, std::uint64_t& offset) {
    if (TIFFCreateGPSDirectory(t) != 0) return false;
    const auto parts = [](double degrees, double(&out)[3]) {
        const double all = std::abs(degrees);
        out[0] = std::floor(all);
        out[1] = std::floor((all - out[0]) * 60);
        out[2] = (all - out[0] - out[1] / 60) * 3600;
    };
    double latitude[3], longitude[3];
    parts(p.latitude_deg, latitude);
    parts(p.longitude_deg, longitude);
    const std::uint8_t version[] = {2, 3, 0, 0};
    TIFFSetField(t, GPSTAG_VERSIONID, version);
    TIFFSetField(t, GPSTAG_LATITUDEREF, p.latitude_deg < 0 ? "S" : "N");
    TIFFSetField(t, GPSTAG_LATITUDE, latitude);
    TIFFSetField(t, GPSTAG_LONGITUDEREF, p.longitude_deg < 0 ? "W" : "E");
    TIFFSetField(t, GPSTAG_LONGITUDE, longitude);
    if (p.altitude_m) {
        TIFFSetField(t, GPSTAG_ALTITUDEREF, *p.altitude_m < 0 ? 1 : 0);
        TIFFSetField(t, GPSTAG_ALTITUDE, std::abs(*p.altitude_m));
    }
    return TIFFWriteCustomDirectory(t, &offset) == 1;
}

} // namespace

void write_tiff(const Codes& codes, const fs::path& file, const fs::path& target) {
    std::string problem;
    const std::unique_ptr<TIFFOpenOptions, void (*)(TIFFOpenOptions*)> options(TIFFOpenOptionsAlloc(),
                                                                               TIFFOpenOptionsFree);
    TIFFOpenOptionsSetErrorHandlerExtR(options.get(), note_problem, &problem);
    TIFFOpenOptionsSetWarningHandlerExtR(
        options.get(), [](TIFF*, void*, const char*, const char*, va_list) { return 1; }, nullptr);
    const auto failed = [&] {
        return Error(ErrorKind::internal, "cannot be written" + (problem.empty() ? problem : ": " + problem), target,
                     "Check free space and permissions");
    };
    std::unique_ptr<TIFF, void (*)(TIFF*)> open(TIFFOpenExt(file.c_str(), "w", options.get()), TIFFClose);
    TIFF* t = open.get();
    if (!t) throw failed();
    const frame::Metadata& m = codes.metadata;
    const auto width = static_cast<std::uint32_t>(codes.width), height = static_cast<std::uint32_t>(codes.height);
    const bool deep = codes.bits == 16;
    const std::uint32_t row_bytes = width * (deep ? 6 : 3), rows_a_strip = std::max(1u, strip_bytes / row_bytes);
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, deep ? 16 : 8);
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(t, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, rows_a_strip);
    TIFFSetField(t, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(codes.icc.size()), codes.icc.data());
    set_text(t, TIFFTAG_SOFTWARE, frame::software_name());
    set_text(t, TIFFTAG_MAKE, m.make);
    set_text(t, TIFFTAG_MODEL, m.model);
    set_text(t, TIFFTAG_DATETIME, frame::exif_time(m.taken));
    if (!m.xmp.empty()) TIFFSetField(t, TIFFTAG_XMLPACKET, static_cast<std::uint32_t>(m.xmp.size()), m.xmp.data());
    bool good = true;
    for (std::uint32_t strip = 0, y = 0; good && y < height; ++strip, y += rows_a_strip) {
        const std::uint32_t rows = std::min(rows_a_strip, height - y);
        const std::uint8_t* from = codes.strip(static_cast<int>(y), static_cast<int>(rows));
        good = TIFFWriteEncodedStrip(t, strip, const_cast<std::uint8_t*>(from),
                                     static_cast<tmsize_t>(std::size_t{rows} * row_bytes)) >= 0;
    }
    // Room for the two directories' places in the first, which is then written again with them.
    const std::uint64_t nowhere = 0;
    TIFFSetField(t, TIFFTAG_EXIFIFD, nowhere);
    if (m.position) TIFFSetField(t, TIFFTAG_GPSIFD, nowhere);
    std::uint64_t exif = 0, position = 0;
    good = good && TIFFWriteDirectory(t) == 1 && write_exif(t, m, exif);
    good = good && (!m.position || write_position(t, *m.position, position));
    good = good && TIFFSetDirectory(t, 0) == 1 && TIFFSetField(t, TIFFTAG_EXIFIFD, exif) == 1;
    good = good && (!m.position || TIFFSetField(t, TIFFTAG_GPSIFD, position) == 1);
    good = good && TIFFRewriteDirectory(t) == 1 && TIFFFlush(t) == 1;
    open.reset();
    if (!good || !problem.empty()) throw failed();
}

} // namespace refero::apply
