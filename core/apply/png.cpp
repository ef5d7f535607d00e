// PNG (third edition: eXIf) through libpng, into memory: a full disk is found by whoever writes the bytes.
#include <csetjmp>

#include <png.h>

#include "apply/internal/writers.hpp"

namespace refero::apply {

namespace {

constexpr int compression_level = 4; ///< zlib's; beyond it files hardly shrink
constexpr int band = 16;             ///< rows that are made at a time

// The one place that libpng jumps out of: no object with a destructor lives between here and the jump.
bool encode(png_structp png, png_infop info, const Codes& codes, const std::string& exif) {
    if (setjmp(png_jmpbuf(png))) return false;
    png_set_IHDR(png, info, static_cast<png_uint_32>(codes.width), static_cast<png_uint_32>(codes.height), codes.bits,
                 PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_set_compression_level(png, compression_level);
    png_set_iCCP(png, info, "profile", PNG_COMPRESSION_TYPE_BASE, codes.icc.data(),
                 static_cast<png_uint_32>(codes.icc.size()));
    png_set_eXIf_1(png, info, static_cast<png_uint_32>(exif.size()),
                   reinterpret_cast<png_bytep>(const_cast<char*>(exif.data())));
    png_write_info(png, info);
    if (codes.bits == 16) png_set_swap(png); // little-endian memory to big-endian file
    for (int y = 0; y < codes.height; y += band) {
        const int rows = std::min(band, codes.height - y);
        const std::uint8_t* row = codes.strip(y, rows);
        for (int i = 0; i < rows; ++i, row += std::size_t{3} * codes.width * codes.bits / 8) png_write_row(png, row);
    }
    png_write_end(png, info);
    return true;
}

} // namespace

std::string png_bytes(const Codes& codes) {
    std::string bytes;
    const std::string exif = frame::exif_of(codes.metadata);
    struct Kept {
        png_structp png = nullptr;
        png_infop info = nullptr;
        ~Kept() { png_destroy_write_struct(&png, &info); }
    } kept; // goes also where the rows throw
    kept.png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, [](png_structp, png_const_charp) {});
    kept.info = kept.png ? png_create_info_struct(kept.png) : nullptr;
    if (!kept.info) throw std::bad_alloc();
    png_set_write_fn(
        kept.png, &bytes,
        [](png_structp p, png_bytep data, png_size_t size) {
            static_cast<std::string*>(png_get_io_ptr(p))->append(reinterpret_cast<const char*>(data), size);
        },
        nullptr);
    if (!encode(kept.png, kept.info, codes, exif)) throw Error(ErrorKind::internal, "the PNG encoder failed");
    return codes.metadata.xmp.empty() ? bytes : frame::with_xmp(bytes, codes.metadata.xmp);
}

} // namespace refero::apply
