// JPEG through libjpeg, into memory; its errors come back to the caller instead of ending the program.
#include <csetjmp>
#include <cstdio>
#include <cstdlib>
#include <vector>

#include <jpeglib.h>

#include "apply/internal/writers.hpp"

namespace refero::apply {

namespace {

constexpr int quality = 95;
constexpr std::size_t most_in_segment = 65533; ///< bytes of a marker segment after its length (ITU-T T.81, B.1.1.4)

struct Errors {
    jpeg_error_mgr base;
    std::jmp_buf back;
    char text[JMSG_LENGTH_MAX];
};

/// Where the encoder writes. (libjpeg's own destination in memory leaves its caller a pointer that is freed already
/// when encoding ends halfway.)
struct Sink {
    jpeg_destination_mgr base{};
    std::vector<unsigned char> bytes;

    static Sink& of(j_compress_ptr c) { return *reinterpret_cast<Sink*>(c->dest); }
    /// More room after what is filled.
    static void grow(j_compress_ptr c, std::size_t filled) {
        Sink& sink = of(c);
        constexpr std::size_t first = 1 << 20;
        try {
            sink.bytes.resize(std::max(first, 2 * filled));
        } catch (const std::bad_alloc&) { // no exception may pass the encoder
            c->err->msg_code = 0;
            c->err->error_exit(reinterpret_cast<j_common_ptr>(c));
        }
        sink.base.next_output_byte = sink.bytes.data() + filled;
        sink.base.free_in_buffer = sink.bytes.size() - filled;
    }
    void attach(jpeg_compress_struct& c) {
        base.init_destination = [](j_compress_ptr p) { grow(p, 0); };
        base.empty_output_buffer = [](j_compress_ptr p) -> boolean {
            grow(p, of(p).bytes.size());
            return TRUE;
        };
        base.term_destination = [](j_compress_ptr p) {
            of(p).bytes.resize(of(p).bytes.size() - of(p).base.free_in_buffer);
        };
        c.dest = &base;
    }
};

constexpr int band = 16; ///< rows that are made at a time

// No object with a destructor lives between here and the jump.
bool encode(jpeg_compress_struct& c, Errors& errors, Sink& sink, const Codes& codes, const unsigned char* exif,
            std::size_t exif_size, const unsigned char* xmp, std::size_t xmp_size) {
    if (setjmp(errors.back)) return false;
    jpeg_create_compress(&c);
    sink.attach(c);
    c.image_width = static_cast<JDIMENSION>(codes.width);
    c.image_height = static_cast<JDIMENSION>(codes.height);
    c.input_components = 3;
    c.in_color_space = JCS_RGB;
    jpeg_set_defaults(&c);
    jpeg_set_quality(&c, quality, TRUE);
    for (int i = 0; i < c.num_components; ++i) c.comp_info[i].h_samp_factor = c.comp_info[i].v_samp_factor = 1; // 4:4:4
    jpeg_start_compress(&c, TRUE);
    if (exif_size > 0 && exif_size <= most_in_segment)
        jpeg_write_marker(&c, JPEG_APP0 + 1, exif, static_cast<unsigned>(exif_size));
    if (xmp_size > 0 && xmp_size <= most_in_segment)
        jpeg_write_marker(&c, JPEG_APP0 + 1, xmp, static_cast<unsigned>(xmp_size));
    jpeg_write_icc_profile(&c, codes.icc.data(), static_cast<unsigned>(codes.icc.size()));
    for (int y = 0; y < codes.height; y += band) {
        const int rows = std::min(band, codes.height - y);
        auto* row = const_cast<JSAMPROW>(codes.strip(y, rows));
        for (int i = 0; i < rows; ++i, row += std::size_t{c.image_width} * 3) jpeg_write_scanlines(&c, &row, 1);
    }
    jpeg_finish_compress(&c);
    return true;
}

} // namespace

std::string jpeg_bytes(const Codes& codes) {
    jpeg_compress_struct c{};
    Errors errors{};
    c.err = jpeg_std_error(&errors.base);
    errors.base.error_exit = [](j_common_ptr common) {
        auto* own = reinterpret_cast<Errors*>(common->err);
        common->err->format_message(common, own->text);
        std::longjmp(own->back, 1);
    };
    errors.base.output_message = [](j_common_ptr) {};
    Sink sink;
    struct Kept {
        jpeg_compress_struct& of;
        ~Kept() { jpeg_destroy_compress(&of); }
    } kept{c}; // goes also where the rows throw
    const std::string exif = std::string("Exif\0\0", 6) + frame::exif_of(codes.metadata);
    const auto data = [](const std::string& text) { return reinterpret_cast<const unsigned char*>(text.data()); };
    const std::string xmp = codes.metadata.xmp.empty() ? std::string() : frame::xmp_identifier() + codes.metadata.xmp;
    if (!encode(c, errors, sink, codes, data(exif), exif.size(), data(xmp), xmp.size()))
        throw Error(ErrorKind::internal, std::string("the JPEG encoder failed: ") + errors.text);
    return {reinterpret_cast<const char*>(sink.bytes.data()), sink.bytes.size()};
}

} // namespace refero::apply
