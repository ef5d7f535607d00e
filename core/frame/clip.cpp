#include "frame/clip.hpp"

#include <cmath>
#include <memory>
#include <set>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/display.h>
#include <libavutil/pixdesc.h>
#include <libswscale/swscale.h>
}
#include <tbb/parallel_for.h>

#include "frame/internal.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

constexpr const char* remedy = "Copy it again from the card, or export the picture as TIFF or EXR";

Error failure(const fs::path& file, const std::string& what) { return {ErrorKind::input, what, file, remedy}; }

/// An open clip with its picture track's decoder.
class Reader {
public:
    explicit Reader(const fs::path& file) : file_(file) {
        av_log_set_level(AV_LOG_QUIET);
        AVFormatContext* raw = nullptr;
        if (avformat_open_input(&raw, file.c_str(), nullptr, nullptr) < 0)
            throw failure(file, "this is not a clip that can be read");
        format_.reset(raw);
        if (avformat_find_stream_info(raw, nullptr) < 0) throw failure(file, "the clip is damaged or cut short");
        const AVCodec* codec = nullptr;
        track_ = av_find_best_stream(raw, AVMEDIA_TYPE_VIDEO, -1, -1, &codec, 0);
        if (track_ < 0 || !codec) throw failure(file, "the clip has no picture track that can be read");
        decoder_.reset(avcodec_alloc_context3(codec));
        if (avcodec_parameters_to_context(decoder_.get(), stream().codecpar) < 0)
            throw failure(file, "the clip's pictures cannot be read");
        decoder_->thread_count = 0;
        if (avcodec_open2(decoder_.get(), codec, nullptr) < 0)
            throw failure(file, "the clip's pictures cannot be read");
    }
    const AVStream& stream() const { return *format_->streams[track_]; }
    const AVFormatContext& format() const { return *format_; }
    double duration_s() const {
        if (stream().duration > 0) return static_cast<double>(stream().duration) * av_q2d(stream().time_base);
        return format_->duration > 0 ? static_cast<double>(format_->duration) / AV_TIME_BASE : 0;
    }
    double start_s() const {
        return stream().start_time == AV_NOPTS_VALUE
                   ? 0
                   : static_cast<double>(stream().start_time) * av_q2d(stream().time_base);
    }

    /// The last picture that is shown at or before a position; the first of the clip if there is none.
    std::shared_ptr<AVFrame> picture_at(double position_s, const std::stop_token& stop) {
        const double wanted = start_s() + std::max(0.0, position_s) + 1e-6;
        av_seek_frame(format_.get(), track_, static_cast<std::int64_t>(wanted / av_q2d(stream().time_base)),
                      AVSEEK_FLAG_BACKWARD);
        std::shared_ptr<AVFrame> best, next(av_frame_alloc(), free_frame);
        const std::unique_ptr<AVPacket, void (*)(AVPacket*)> packet(av_packet_alloc(),
                                                                    [](AVPacket* p) { av_packet_free(&p); });
        bool ended = false;
        while (!ended) {
            throw_if_stopped(stop);
            ended = av_read_frame(format_.get(), packet.get()) < 0;
            if (!ended && packet->stream_index != track_) {
                av_packet_unref(packet.get());
                continue;
            }
            const int sent = avcodec_send_packet(decoder_.get(), ended ? nullptr : packet.get());
            av_packet_unref(packet.get());
            if (sent < 0 && sent != AVERROR(EAGAIN) && sent != AVERROR_EOF)
                throw failure(file_, "the clip is damaged here");
            while (avcodec_receive_frame(decoder_.get(), next.get()) == 0) {
                const double at = static_cast<double>(next->best_effort_timestamp) * av_q2d(stream().time_base);
                if (best && at > wanted) return best;
                best = std::move(next);
                if (at > wanted) return best;
                next = std::shared_ptr<AVFrame>(av_frame_alloc(), free_frame);
            }
        }
        if (!best) throw failure(file_, "the clip has no picture here");
        return best;
    }

private:
    static void free_frame(AVFrame* f) { av_frame_free(&f); }
    fs::path file_;
    std::unique_ptr<AVFormatContext, void (*)(AVFormatContext*)> format_{
        nullptr, [](AVFormatContext* c) { avformat_close_input(&c); }};
    std::unique_ptr<AVCodecContext, void (*)(AVCodecContext*)> decoder_{
        nullptr, [](AVCodecContext* c) { avcodec_free_context(&c); }};
    int track_ = -1;
};

// ITU-T H.273 code points, as FFmpeg names them.
std::string transfer_of(AVColorTransferCharacteristic t) {
    switch (t) {
    case AVCOL_TRC_ARIB_STD_B67: return "hlg";
    case AVCOL_TRC_SMPTE2084: return "pq";
    case AVCOL_TRC_LINEAR: return "linear";
    case AVCOL_TRC_IEC61966_2_1: return "srgb";
    default: return "bt709";
    }
}

std::string tag(const AVDictionary* d, std::initializer_list<const char*> keys) {
    for (const char* key : keys)
        if (const AVDictionaryEntry* e = av_dict_get(d, key, nullptr, 0)) return e->value;
    return {};
}

} // namespace

bool is_clip_name(const fs::path& file) {
    static const std::set<std::string> clips{".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi", ".mts", ".m2ts", ".webm"};
    return clips.contains(to_lower(file.extension().string()));
}

Clip read_clip(const fs::path& file) {
    std::error_code ec;
    if (!fs::is_regular_file(file, ec)) throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    const Reader reader(file);
    const AVCodecParameters& p = *reader.stream().codecpar;
    Clip c;
    c.width = p.width;
    c.height = p.height;
    c.duration_s = reader.duration_s();
    c.frames_per_second = av_q2d(reader.stream().avg_frame_rate);
    if (!std::isfinite(c.frames_per_second)) c.frames_per_second = 0;
    c.transfer = transfer_of(p.color_trc);
    const AVDictionary* m = reader.format().metadata;
    c.make = tag(m, {"make"});
    c.model = tag(m, {"model"});
    c.taken = tag(m, {"creation_time", "DATE", "date"}).substr(0, 19);
    return c;
}

Frame read_still(const fs::path& file, double position_s, const std::optional<Encoding>& encoding,
                 std::stop_token stop) {
    Reader reader(file);
    const auto picture = reader.picture_at(position_s, stop);
    const int w = picture->width, h = picture->height;
    if (w < 1 || h < 1 || static_cast<std::int64_t>(w) * h > 200'000'000)
        throw failure(file, "the clip's pictures have an impossible size");
    const std::unique_ptr<SwsContext, void (*)(SwsContext*)> scaler(
        sws_getContext(w, h, static_cast<AVPixelFormat>(picture->format), w, h, AV_PIX_FMT_RGB48LE,
                       SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP, nullptr, nullptr,
                       nullptr),
        sws_freeContext);
    if (!scaler) throw failure(file, "the clip's pictures are of a kind that cannot be converted");
    int matrix = picture->colorspace;
    if (matrix == AVCOL_SPC_UNSPECIFIED) matrix = h >= 720 ? AVCOL_SPC_BT709 : AVCOL_SPC_SMPTE170M;
    const int sws_matrix = matrix == AVCOL_SPC_BT709                                         ? SWS_CS_ITU709
                           : matrix == AVCOL_SPC_BT2020_NCL || matrix == AVCOL_SPC_BT2020_CL ? SWS_CS_BT2020
                                                                                             : SWS_CS_ITU601;
    sws_setColorspaceDetails(scaler.get(), sws_getCoefficients(sws_matrix), picture->color_range == AVCOL_RANGE_JPEG,
                             sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
    std::vector<std::uint16_t> codes(static_cast<std::size_t>(w) * h * 3);
    std::uint8_t* planes[] = {reinterpret_cast<std::uint8_t*>(codes.data())};
    const int strides[] = {w * 6};
    if (sws_scale(scaler.get(), picture->data, picture->linesize, 0, h, planes, strides) != h)
        throw failure(file, "the clip's pictures cannot be converted");
    throw_if_stopped(stop);

    const Encoding curve = encoding ? *encoding : Encoding::named(transfer_of(picture->color_trc));
    std::vector<float> table[3];
    for (int c = 0; c < 3; ++c) {
        table[c].resize(65536);
        for (int i = 0; i < 65536; ++i)
            table[c][static_cast<std::size_t>(i)] = static_cast<float>(curve.decode(c, i / 65535.0));
    }
    Frame f;
    f.width = f.full_width = w;
    f.height = f.full_height = h;
    f.rgb.resize(codes.size());
    f.clipped.assign(static_cast<std::size_t>(w) * h, 0);
    // The last code of eight bits: what lies there has no more above it.
    constexpr std::uint16_t full = 65535 - 128;
    tbb::parallel_for(std::size_t{0}, f.clipped.size(), [&](std::size_t i) {
        for (std::size_t c = 0; c < 3; ++c) {
            const std::uint16_t code = codes[i * 3 + c];
            f.rgb[i * 3 + c] = table[c][code];
            if (code >= full) f.clipped[i] |= static_cast<std::uint8_t>(1 << c);
        }
    });
    f.encoding = curve.name();
    f.file = file;
    const Clip clip = read_clip(file);
    f.metadata.make = clip.make;
    f.metadata.model = clip.model;
    f.metadata.taken = clip.taken;
    return f;
}

} // namespace refero::frame
