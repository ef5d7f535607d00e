#include "operations/capture/preview.hpp"

#include <csetjmp>
#include <cstdio>

#include <jpeglib.h>
#include <opencv2/imgproc.hpp>

#include "chart/chart.hpp"
#include "colour/rgb.hpp"
#include "find/find.hpp"
#include "frame/preview.hpp"

namespace refero::operations {

namespace {

constexpr int min_width = 1150;                                       ///< a megapixel at 4 to 3
constexpr std::size_t min_pixels = 1'000'000, max_pixels = 2'500'000; ///< larger ones are read at a half or less
constexpr double min_chroma = 3; ///< mean distance between the channels, code values: less is black and white

/// A JPEG (libjpeg), RGB, by a half, quarter or eighth where it has more than `max_pixels`; empty for what is damaged.
cv::Mat decoded(const std::string& jpeg) {
    struct Failure : jpeg_error_mgr {
        std::jmp_buf back;
    } failure{};
    jpeg_decompress_struct d{};
    d.err = jpeg_std_error(&failure);
    failure.error_exit = [](j_common_ptr c) { std::longjmp(static_cast<Failure*>(c->err)->back, 1); };
    failure.output_message = [](j_common_ptr) {};
    cv::Mat picture; // before setjmp: a jump back must not pass over its making
    if (setjmp(failure.back)) {
        jpeg_destroy_decompress(&d);
        return {};
    }
    jpeg_create_decompress(&d);
    jpeg_mem_src(&d, reinterpret_cast<const unsigned char*>(jpeg.data()), jpeg.size());
    jpeg_read_header(&d, TRUE);
    d.out_color_space = JCS_RGB;
    for (d.scale_denom = 1; d.scale_denom < 8; d.scale_denom *= 2) {
        jpeg_calc_output_dimensions(&d);
        if (static_cast<std::size_t>(d.output_width) * d.output_height <= max_pixels) break;
    }
    jpeg_start_decompress(&d);
    picture.create(static_cast<int>(d.output_height), static_cast<int>(d.output_width), CV_8UC3);
    while (d.output_scanline < d.output_height) {
        JSAMPROW row = picture.ptr(static_cast<int>(d.output_scanline));
        jpeg_read_scanlines(&d, &row, 1);
    }
    jpeg_finish_decompress(&d);
    jpeg_destroy_decompress(&d);
    return picture;
}

cv::Mat upright(const cv::Mat& picture, int orientation) {
    cv::Mat turned;
    switch (orientation) { // EXIF 3: half turn, 6: quarter turn to the right, 8: to the left
    case 3: cv::rotate(picture, turned, cv::ROTATE_180); break;
    case 6: cv::rotate(picture, turned, cv::ROTATE_90_CLOCKWISE); break;
    case 8: cv::rotate(picture, turned, cv::ROTATE_90_COUNTERCLOCKWISE); break;
    default: return picture;
    }
    return turned;
}

/// Mean of the largest less the smallest channel, code values 0 to 255, of every hundredth pixel.
double chroma_of(const cv::Mat& picture) {
    constexpr int step = 10;
    double sum = 0;
    int n = 0;
    for (int y = 0; y < picture.rows; y += step)
        for (int x = 0; x < picture.cols; x += step, ++n) {
            const auto& p = picture.at<cv::Vec3b>(y, x);
            sum += std::max({p[0], p[1], p[2]}) - std::min({p[0], p[1], p[2]});
        }
    return n ? sum / n : 0;
}

} // namespace

std::optional<frame::Frame> preview_of(const std::filesystem::path& raw_file) {
    const auto preview = frame::embedded_preview(raw_file, min_width);
    if (!preview) return std::nullopt;
    cv::Mat picture = decoded(preview->jpeg);
    if (picture.empty() || picture.total() < min_pixels) return std::nullopt;
    if (chroma_of(picture) < min_chroma) return std::nullopt;
    picture = upright(picture, preview->orientation);
    frame::Frame f;
    f.width = f.full_width = picture.cols;
    f.height = f.full_height = picture.rows;
    f.encoding = "srgb";
    f.file = raw_file;
    f.rgb.resize(picture.total() * 3);
    f.clipped.resize(picture.total());
    std::array<float, 256> linear{};
    for (std::size_t code = 0; code < linear.size(); ++code)
        linear[code] = static_cast<float>(colour::decode(colour::Transfer::srgb, static_cast<double>(code) / 255));
    std::size_t i = 0;
    for (int y = 0; y < picture.rows; ++y)
        for (int x = 0; x < picture.cols; ++x, ++i) {
            const auto& p = picture.at<cv::Vec3b>(y, x);
            for (int c = 0; c < 3; ++c) {
                f.rgb[3 * i + static_cast<std::size_t>(c)] = linear[p[c]];
                if (p[c] == 255) f.clipped[i] |= static_cast<std::uint8_t>(1 << c);
            }
        }
    return f;
}

bool preview_rules_out_chart(const std::filesystem::path& raw_file) {
    const auto preview = preview_of(raw_file);
    return preview && find::locate(*preview, chart::installed()).empty();
}

} // namespace refero::operations
