// Raw files through LibRaw.
#include <array>
#include <bit>
#include <memory>

#include <libraw/libraw.h>

#include <tbb/parallel_for.h>

#include "frame/internal/readers.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

/// Share of the way from black to the white level from which a pixel counts as clipped.
constexpr float saturation_share = 0.995f;
/// Of memory: the raw image, LibRaw's four channels and its 16-bit picture, and the light; or the raw image and a
/// quarter of the light.
constexpr double full_bytes_a_pixel = 2 + 8 + 6 + 13 + 8, measuring_bytes_a_pixel = 2 + 4 + 2;
constexpr const char* remedy = "Copy it again from the card, or convert it to DNG";

void check(int status, const fs::path& file, const char* what) {
    if (status == LIBRAW_SUCCESS) return;
    if (status == LIBRAW_FILE_UNSUPPORTED)
        throw Error(ErrorKind::input, "this is not a raw file that can be read", file, remedy);
    throw Error(ErrorKind::input, std::string(what) + " (" + libraw_strerror(status) + ")", file, remedy);
}

int orientation_of(int flip) {
    switch (flip) { // LibRaw's flip: 3 = half turn, 5 = quarter turn to the left, 6 = to the right
    case 3: return 3;
    case 5: return 8;
    case 6: return 6;
    default: return 1;
    }
}

bool is_plain_bayer(const libraw_data_t& d) {
    return d.rawdata.raw_image && d.idata.colors == 3 && d.idata.filters > 1000;
}

/// Black level of one colour channel of the filter array (0 R, 1 G, 2 B, 3 second G) at a place of it.
struct Levels {
    float black[4][2][2] = {};
    float scale[4] = {};
    float saturation[4] = {};

    Levels(const libraw_data_t& d) {
        const auto& c = d.color;
        for (unsigned k = 0; k < 4; ++k) {
            const float maximum =
                static_cast<float>(c.dng_levels.dng_whitelevel[k] ? c.dng_levels.dng_whitelevel[k] : c.maximum);
            float mean = 0;
            for (unsigned y = 0; y < 2; ++y)
                for (unsigned x = 0; x < 2; ++x) {
                    float b = static_cast<float>(c.black + c.cblack[k]);
                    if (c.cblack[4] && c.cblack[5])
                        b += static_cast<float>(c.cblack[6 + (y % c.cblack[4]) * c.cblack[5] + x % c.cblack[5]]);
                    black[k][y][x] = b;
                    mean += b / 4;
                }
            scale[k] = 1 / std::max(1.0f, maximum - mean);
            saturation[k] = mean + saturation_share * (maximum - mean);
        }
    }
};

// 2 x 2 cells of the filter array to one RGB pixel each, nothing interpolated.
Frame bin(LibRaw& raw) {
    const libraw_data_t& d = raw.imgdata;
    const Levels levels(d);
    Frame f;
    f.cell = 2;
    f.full_width = d.sizes.width;
    f.full_height = d.sizes.height;
    f.width = f.full_width / 2;
    f.height = f.full_height / 2;
    f.rgb.resize(static_cast<std::size_t>(f.width) * f.height * 3);
    f.clipped.resize(static_cast<std::size_t>(f.width) * f.height);
    const std::size_t pitch = d.sizes.raw_pitch / sizeof(ushort);
    int colour[2][2];
    for (int y = 0; y < 2; ++y)
        for (int x = 0; x < 2; ++x) colour[y][x] = raw.COLOR(y, x);
    tbb::parallel_for(0, f.height, [&](int cy) {
        float* out = f.at(0, cy);
        std::uint8_t* clip = &f.clipped[static_cast<std::size_t>(cy) * f.width];
        const ushort* row =
            d.rawdata.raw_image + (d.sizes.top_margin + 2 * static_cast<std::size_t>(cy)) * pitch + d.sizes.left_margin;
        for (int cx = 0; cx < f.width; ++cx, out += 3) {
            float sum[3] = {0, 0, 0};
            float count[3] = {0, 0, 0};
            std::uint8_t bits = 0;
            for (int y = 0; y < 2; ++y)
                for (int x = 0; x < 2; ++x) {
                    const int k = colour[y][x], c = k == 3 ? 1 : k;
                    const float v = row[static_cast<std::size_t>(y) * pitch + 2 * static_cast<std::size_t>(cx) + x];
                    sum[c] += (v - levels.black[k][y][x]) * levels.scale[k];
                    count[c] += 1;
                    if (v >= levels.saturation[k]) bits |= static_cast<std::uint8_t>(1 << c);
                }
            for (int c = 0; c < 3; ++c) out[c] = sum[c] / count[c];
            clip[cx] = bits;
        }
    });
    make_upright(f, orientation_of(d.sizes.flip));
    return f;
}

/// Raw data that hold all colours of every pixel, as linear DNGs do.
bool is_plain_rgb(const libraw_data_t& d) {
    return (d.rawdata.color3_image || d.rawdata.color4_image) && d.idata.colors == 3 && d.idata.filters == 0;
}

// LibRaw's own processing would take the black off such a file's saturation twice.
Frame take_rgb(LibRaw& raw) {
    const libraw_data_t& d = raw.imgdata;
    const Levels levels(d);
    Frame f;
    f.width = f.full_width = d.sizes.width;
    f.height = f.full_height = d.sizes.height;
    f.rgb.resize(static_cast<std::size_t>(f.width) * f.height * 3);
    f.clipped.resize(static_cast<std::size_t>(f.width) * f.height);
    const ushort* codes = d.rawdata.color3_image ? &d.rawdata.color3_image[0][0] : &d.rawdata.color4_image[0][0];
    const std::size_t samples = d.rawdata.color3_image ? 3 : 4, pitch = d.sizes.raw_pitch / sizeof(ushort);
    tbb::parallel_for(0, f.height, [&](int y) {
        const ushort* row =
            codes + (d.sizes.top_margin + static_cast<std::size_t>(y)) * pitch + d.sizes.left_margin * samples;
        float* out = f.at(0, y);
        std::uint8_t* clip = &f.clipped[static_cast<std::size_t>(y) * f.width];
        for (int x = 0; x < f.width; ++x, row += samples, out += 3)
            for (int c = 0; c < 3; ++c) {
                const float v = row[c];
                out[c] = (v - levels.black[c][y % 2][x % 2]) * levels.scale[c];
                if (v >= levels.saturation[c]) clip[x] |= static_cast<std::uint8_t>(1 << c);
            }
    });
    make_upright(f, orientation_of(d.sizes.flip));
    return f;
}

/// What each channel is multiplied by before the colours between the filters are filled in, largest 1 so that nothing
/// clips: neighbours are compared in balanced colour, else every edge of a grey thing is one of colour, too.
std::array<float, 3> balance_within(const libraw_data_t& d, const std::optional<colour::Vec3>& as_shot) {
    if (!as_shot || !d.idata.filters || d.idata.colors != 3) return {1, 1, 1};
    // Beyond it a camera's note is no balance, and the lesser channel's steps would grow coarse.
    constexpr double most = 8;
    const double largest = as_shot->maxCoeff();
    if (largest > most * as_shot->minCoeff()) return {1, 1, 1};
    std::array<float, 3> gain{};
    for (Eigen::Index c = 0; c < 3; ++c)
        gain[static_cast<std::size_t>(c)] = static_cast<float>((*as_shot)[c] / largest);
    return gain;
}

// LibRaw's own processing, linear; a balance that is put on for it is taken off again. Upright already.
Frame process(LibRaw& raw, const fs::path& file, bool half, const std::optional<colour::Vec3>& as_shot,
              const std::stop_token& stop) {
    auto& p = raw.imgdata.params;
    const std::array<float, 3> gain = half ? std::array<float, 3>{1, 1, 1} : balance_within(raw.imgdata, as_shot);
    p.half_size = half;
    p.output_color = 0;
    p.output_bps = 16;
    p.gamm[0] = p.gamm[1] = 1;
    p.no_auto_bright = 1;
    p.use_camera_wb = p.use_auto_wb = 0;
    for (std::size_t k = 0; k < 4; ++k) p.user_mul[k] = gain[k == 3 ? 1 : k];
    p.adjust_maximum_thr = 0;
    p.highlight = 1; // no channel is cut where another one saturates
    p.user_qual = 2; // PPG: good edges at a bearable time
    raw.set_progress_handler([](void* data, LibRaw_progress, int,
                                int) { return static_cast<const std::stop_token*>(data)->stop_requested() ? 1 : 0; },
                             const_cast<std::stop_token*>(&stop));
    const int status = raw.dcraw_process();
    throw_if_stopped(stop);
    check(status, file, "the raw data cannot be developed");
    int problem = 0;
    const std::unique_ptr<libraw_processed_image_t, void (*)(libraw_processed_image_t*)> image(
        raw.dcraw_make_mem_image(&problem), LibRaw::dcraw_clear_mem);
    check(problem, file, "the raw data cannot be developed");
    if (!image || image->type != LIBRAW_IMAGE_BITMAP || image->bits != 16)
        throw Error(ErrorKind::input, "the raw data cannot be developed", file, remedy);
    Frame f;
    f.width = image->width;
    f.height = image->height;
    f.cell = half && raw.imgdata.idata.filters ? 2 : 1;
    f.full_width = f.width * f.cell;
    f.full_height = f.height * f.cell;
    const std::size_t pixels = static_cast<std::size_t>(f.width) * f.height;
    f.rgb.resize(pixels * 3);
    f.clipped.resize(pixels);
    const auto* codes = reinterpret_cast<const std::uint16_t*>(image->data);
    const int colours = image->colors;
    tbb::parallel_for(std::size_t{0}, pixels, [&](std::size_t i) {
        for (int c = 0; c < 3; ++c) {
            const float v = static_cast<float>(codes[i * colours + std::min(c, colours - 1)]) /
                            (65535.0f * gain[static_cast<std::size_t>(c)]);
            f.rgb[i * 3 + c] = v;
            if (v >= saturation_share) f.clipped[i] |= static_cast<std::uint8_t>(1 << c);
        }
    });
    return f;
}

// XYZ to camera RGB: the DNG's own first matrix, else LibRaw's for the model.
std::optional<colour::Mat3> matrix_of(const libraw_data_t& d) {
    for (const auto& source : {d.color.dng_color[0].colormatrix, d.color.cam_xyz}) {
        colour::Mat3 m;
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 3; ++c) m(r, c) = static_cast<double>(source[r][c]);
        if (m.allFinite() && std::abs(m.determinant()) > 1e-6) return m;
    }
    return std::nullopt;
}

// The balance that the camera was set to, or found by itself.
std::optional<colour::Vec3> as_shot_of(const libraw_data_t& d) {
    const auto& gain = d.color.cam_mul;
    if (!(gain[0] > 0 && gain[1] > 0 && gain[2] > 0)) return std::nullopt;
    return colour::Vec3(static_cast<double>(gain[0] / gain[1]), 1, static_cast<double>(gain[2] / gain[1]));
}

/// What stands beside the pixels.
void describe(const libraw_data_t& d, Frame& f) {
    f.is_raw = true;
    f.encoding = "linear";
    f.linear = true;
    f.camera_from_xyz = matrix_of(d);
    f.as_shot = as_shot_of(d);
}

} // namespace

Frame read_raw_header(const fs::path& file) {
    const auto raw = std::make_unique<LibRaw>(LIBRAW_OPIONS_NO_DATAERR_CALLBACK);
    check(raw->open_file(file.c_str()), file, "the file cannot be opened as raw");
    Frame f;
    describe(raw->imgdata, f);
    const auto& s = raw->imgdata.sizes;
    const bool quarter = s.flip == 5 || s.flip == 6;
    f.full_width = quarter ? s.height : s.width;
    f.full_height = quarter ? s.width : s.height;
    f.file = file;
    return f;
}

std::string raw_thumbnail(const fs::path& file) {
    const auto raw = std::make_unique<LibRaw>(LIBRAW_OPIONS_NO_DATAERR_CALLBACK);
    if (raw->open_file(file.c_str()) != LIBRAW_SUCCESS || raw->unpack_thumb() != LIBRAW_SUCCESS) return {};
    const auto& thumbnail = raw->imgdata.thumbnail;
    return thumbnail.tformat == LIBRAW_THUMBNAIL_JPEG ? std::string(thumbnail.thumb, thumbnail.tlength) : std::string();
}

Frame read_raw(const fs::path& file, Size size, const std::stop_token& stop) {
    const auto raw = std::make_unique<LibRaw>(LIBRAW_OPIONS_NO_DATAERR_CALLBACK);
    int data_error = 0;
    raw->set_dataerror_handler([](void* data, const char*, auto) { *static_cast<int*>(data) = 1; }, &data_error);
    check(raw->open_file(file.c_str()), file, "the file cannot be opened as raw");
    throw_if_stopped(stop);
    const auto& sizes = raw->imgdata.sizes;
    require_memory(file, static_cast<std::int64_t>(sizes.raw_width) * sizes.raw_height,
                   size == Size::full ? full_bytes_a_pixel : measuring_bytes_a_pixel);
    check(raw->unpack(), file, "the raw data is damaged or cut short");
    if (data_error) throw Error(ErrorKind::input, "the raw data is damaged or cut short", file, remedy);
    throw_if_stopped(stop);
    const auto as_shot = as_shot_of(raw->imgdata);
    Frame f = size == Size::measuring && is_plain_bayer(raw->imgdata) ? bin(*raw)
              : is_plain_rgb(raw->imgdata)                            ? take_rgb(*raw)
                                           : process(*raw, file, size == Size::measuring, as_shot, stop);
    describe(raw->imgdata, f);
    // Whatever it is packed in: as fine as its levels are.
    f.recorded.bits = std::bit_width(std::max(1u, raw->imgdata.color.maximum));
    return f;
}

} // namespace refero::frame
