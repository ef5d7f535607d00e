#include "frame/clip.hpp"

#include <cmath>
#include <memory>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/display.h>
#include <libavutil/pixdesc.h>
#include <libswscale/swscale.h>
}
#include <tbb/parallel_for.h>

#include "frame/internal/readers.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

constexpr std::int64_t most_pixels = 200'000'000;
constexpr const char* clip_remedy = "Copy it again from the card, or export the picture as TIFF or EXR";

Error failure(const fs::path& file, const std::string& what) { return {ErrorKind::input, what, file, clip_remedy}; }

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

using Picture = std::shared_ptr<AVFrame>;

Picture new_picture() {
    return {av_frame_alloc(), [](AVFrame* f) { av_frame_free(&f); }};
}

Recorded recorded_of(AVPixelFormat format) {
    Recorded r;
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(format);
    if (!d) return r;
    r.bits = d->comp[0].depth;
    if (d->nb_components >= 3 && !(d->flags & AV_PIX_FMT_FLAG_RGB))
        r.chroma = d->log2_chroma_h ? "4:2:0" : d->log2_chroma_w ? "4:2:2" : "";
    return r;
}

/// A part of a picture, sharing its memory.
Picture part_of(const AVFrame& whole, const std::array<int, 4>& part) {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(whole.format));
    const int across = d ? 1 << d->log2_chroma_w : 1, down = d ? 1 << d->log2_chroma_h : 1;
    Picture p{av_frame_clone(&whole), [](AVFrame* f) { av_frame_free(&f); }};
    const auto even = [](int v, int step, int most) { return std::clamp(v, 0, most) / step * step; };
    p->crop_left = static_cast<std::size_t>(even(part[0], across, whole.width - across));
    p->crop_top = static_cast<std::size_t>(even(part[1], down, whole.height - down));
    p->crop_right = static_cast<std::size_t>(std::max(0, whole.width - part[0] - part[2]));
    p->crop_bottom = static_cast<std::size_t>(std::max(0, whole.height - part[1] - part[3]));
    if (av_frame_apply_cropping(p.get(), AV_FRAME_CROP_UNALIGNED) < 0) return {};
    return p;
}

/// What FFmpeg's scaler makes of white in 16 bits: it counts the codes of a picture's own depth in 256ths of eight
/// bits, so that white (235 of narrow range, ITU-T H.273) comes out as 255 * 256.
int white_code(AVPixelFormat format, bool full_range, bool scaled) {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(format);
    const int bits = d ? d->comp[0].depth : 8;
    const bool rgb = d && d->flags & AV_PIX_FMT_FLAG_RGB;
    if (rgb && bits > 8 && !scaled) return 65535; // copied
    return rgb || full_range ? 65536 - (65536 >> std::min(bits, 16)) : 255 * 256;
}

// Code values as light. Codes are 16-bit, interleaved.
/// Light of all codes of 16 bits, by channel.
struct Tables {
    std::string encoding;
    int white; ///< code that stands for 1
    std::array<std::vector<float>, 3> light;
    Tables(const Encoding& curve, int white_at) : encoding(curve.name()), white(white_at) {
        for (std::size_t c = 0; c < 3; ++c) {
            light[c].resize(65536);
            tbb::parallel_for(0, 65536, [&](int i) {
                light[c][static_cast<std::size_t>(i)] =
                    static_cast<float>(curve.decode(static_cast<int>(c), static_cast<double>(i) / white));
            });
        }
    }
};

/// What converting one picture after another can use again.
struct Conversion {
    std::shared_ptr<const Tables> tables; ///< of the encoding asked for last
    /// By whether the picture is made small.
    std::array<std::unique_ptr<SwsContext, void (*)(SwsContext*)>, 2> scalers{
        {{nullptr, sws_freeContext}, {nullptr, sws_freeContext}}};
};

/// `lines`: of the whole picture.
Frame linear_frame(const AVFrame& picture, int lines, const fs::path& file, const StillOptions& options,
                   const std::stop_token& stop, Conversion& conversion) {
    const int whole_w = picture.width, whole_h = picture.height;
    if (whole_w < 1 || whole_h < 1 || static_cast<std::int64_t>(whole_w) * whole_h > most_pixels)
        throw failure(file, "the clip's pictures have an impossible size");
    const int cell = options.most_width > 0 ? std::clamp((whole_w + options.most_width - 1) / options.most_width, 1,
                                                         std::min(whole_w, whole_h))
                                            : 1;
    const int w = whole_w / cell, h = whole_h / cell;
    const int flags = cell > 1 ? SWS_AREA : SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP;
    auto& scaler = conversion.scalers[cell > 1];
    scaler.reset(sws_getCachedContext(scaler.release(), w * cell, h * cell, static_cast<AVPixelFormat>(picture.format),
                                      w, h, AV_PIX_FMT_RGB48LE, flags, nullptr, nullptr, nullptr));
    if (!scaler) throw failure(file, "the clip's pictures are of a kind that cannot be converted");
    int matrix = picture.colorspace;
    if (matrix == AVCOL_SPC_UNSPECIFIED) matrix = lines >= 720 ? AVCOL_SPC_BT709 : AVCOL_SPC_SMPTE170M;
    const int sws_matrix = matrix == AVCOL_SPC_BT709                                         ? SWS_CS_ITU709
                           : matrix == AVCOL_SPC_BT2020_NCL || matrix == AVCOL_SPC_BT2020_CL ? SWS_CS_BT2020
                                                                                             : SWS_CS_ITU601;
    sws_setColorspaceDetails(scaler.get(), sws_getCoefficients(sws_matrix), picture.color_range == AVCOL_RANGE_JPEG,
                             sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
    std::vector<std::uint16_t> codes(static_cast<std::size_t>(w) * h * 3);
    std::uint8_t* planes[] = {reinterpret_cast<std::uint8_t*>(codes.data())};
    const int strides[] = {w * 6};
    if (sws_scale(scaler.get(), picture.data, picture.linesize, 0, h * cell, planes, strides) != h)
        throw failure(file, "the clip's pictures cannot be converted");
    throw_if_stopped(stop);

    const Encoding curve = options.encoding ? *options.encoding : Encoding::named(transfer_of(picture.color_trc));
    const int white =
        white_code(static_cast<AVPixelFormat>(picture.format), picture.color_range == AVCOL_RANGE_JPEG, cell > 1);
    auto& tables = conversion.tables;
    if (!tables || tables->encoding != curve.name() || tables->white != white)
        tables = std::make_shared<Tables>(curve, white);
    Frame f;
    f.cell = cell;
    f.width = w;
    f.height = h;
    f.full_width = cell > 1 ? whole_w : w;
    f.full_height = cell > 1 ? whole_h : h;
    f.rgb.resize(codes.size());
    f.clipped.assign(static_cast<std::size_t>(w) * h, 0);
    // The last code of eight bits: what lies there has no more above it.
    const int full = static_cast<int>(white * std::min(1.0, options.clip_code)) - 128;
    tbb::parallel_for(std::size_t{0}, f.clipped.size(), [&](std::size_t i) {
        for (std::size_t c = 0; c < 3; ++c) {
            const std::uint16_t code = codes[i * 3 + c];
            f.rgb[i * 3 + c] = tables->light[c][code];
            if (code >= full) f.clipped[i] |= static_cast<std::uint8_t>(1 << c);
        }
    });
    f.encoding = curve.name();
    f.assumed = !options.encoding; // by its tag, which cameras set as they like
    f.linear = curve.is_linear();
    if (options.clip_code < 1) f.clips_at = curve.decode(1, options.clip_code);
    f.recorded = recorded_of(static_cast<AVPixelFormat>(picture.format));
    f.file = file;
    return f;
}

/// `orientation` as EXIF counts it. A part is cut from pictures that are shown as they are.
Frame upright_frame(Picture picture, const fs::path& file, int orientation, const StillOptions& options,
                    const std::stop_token& stop, Conversion& conversion) {
    const int lines = picture->height;
    if (options.part && orientation == 1)
        if (Picture part = part_of(*picture, *options.part)) picture = std::move(part);
    Frame f = linear_frame(*picture, lines, file, options, stop, conversion);
    make_upright(f, orientation);
    return f;
}

struct OpenClip final : ClipReader::Open {
    explicit OpenClip(const fs::path& file) : file_(file) {
        av_log_set_level(AV_LOG_QUIET);
        AVFormatContext* raw = nullptr;
        // As a file, whatever characters its name has: never as an address.
        if (avformat_open_input(&raw, ("file:" + file.string()).c_str(), nullptr, nullptr) < 0)
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
        describe();
    }

    const Clip& clip() const override { return clip_; }
    Frame still(double position_s, const StillOptions& options, const std::stop_token& stop) override {
        return frame_of(picture_at(position_s, stop), options, stop);
    }
    std::optional<Frame> next(const StillOptions& options, const std::stop_token& stop) override {
        if (!ahead_) ahead_ = next_picture(stop);
        if (!ahead_) return std::nullopt;
        shown_ = std::move(ahead_);
        return frame_of(shown_, options, stop);
    }
    Frame frame_of(const Picture& picture, const StillOptions& options, const std::stop_token& stop) {
        return upright_frame(picture, file_, orientation_, options, stop, conversion_);
    }
    ClipReader::Kept keep() const override {
        return [picture = shown_, file = file_, turn = orientation_,
                conversion = std::make_shared<Conversion>()](const StillOptions& options, const std::stop_token& stop) {
            return upright_frame(picture, file, turn, options, stop, *conversion);
        };
    }
    double shown_s() const override { return shown_ ? time_of(shown_) - start_s() : 0; }
    void look_among(ClipReader::Among pictures) override {
        decoder_->skip_frame = pictures == ClipReader::Among::all          ? AVDISCARD_DEFAULT
                               : pictures == ClipReader::Among::references ? AVDISCARD_NONREF
                                                                           : AVDISCARD_NONKEY;
        shown_.reset(); // what comes next begins at a whole picture
        ahead_.reset();
    }

private:
    const AVStream& stream() const { return *format_->streams[track_]; }
    double start_s() const {
        return stream().start_time == AV_NOPTS_VALUE
                   ? 0
                   : static_cast<double>(stream().start_time) * av_q2d(stream().time_base);
    }
    double time_of(const Picture& p) const {
        return static_cast<double>(p->best_effort_timestamp) * av_q2d(stream().time_base);
    }

    /// The last picture that is shown at or before a position; the first of the clip if there is none.
    Picture picture_at(double position_s, const std::stop_token& stop) {
        const double wanted = start_s() + std::max(0.0, position_s) + 1e-6;
        const bool follows = shown_ && time_of(shown_) <= wanted && wanted - time_of(shown_) < follows_within_s();
        if (!follows) {
            av_seek_frame(format_.get(), track_, static_cast<std::int64_t>(wanted / av_q2d(stream().time_base)),
                          AVSEEK_FLAG_BACKWARD);
            avcodec_flush_buffers(decoder_.get());
            shown_.reset();
            ahead_.reset();
            ended_ = false;
        }
        while (true) {
            throw_if_stopped(stop);
            if (!ahead_) ahead_ = next_picture(stop);
            if (!ahead_) break; // the end
            if (shown_ && time_of(ahead_) > wanted) break;
            shown_ = std::move(ahead_);
            if (time_of(shown_) > wanted) break; // the clip begins later
        }
        if (!shown_) throw failure(file_, "the clip has no picture here");
        return shown_;
    }

    Clip clip_;
    fs::path file_;
    int orientation_ = 1; ///< as EXIF counts them

    /// Nearer than this decoding on is quicker than a seek: to the next whole picture before.
    double follows_within_s() const {
        const AVCodecDescriptor* d = avcodec_descriptor_get(decoder_->codec_id);
        return d && d->props & AV_CODEC_PROP_INTRA_ONLY ? 2.5 / std::max(1.0, clip_.frames_per_second) : 2.5;
    }

    void describe() {
        const AVCodecParameters& p = *stream().codecpar;
        clip_.width = p.width;
        clip_.height = p.height;
        if (stream().duration > 0)
            clip_.duration_s = static_cast<double>(stream().duration) * av_q2d(stream().time_base);
        else if (format_->duration > 0) clip_.duration_s = static_cast<double>(format_->duration) / AV_TIME_BASE;
        clip_.frames_per_second = av_q2d(stream().avg_frame_rate);
        if (!std::isfinite(clip_.frames_per_second)) clip_.frames_per_second = 0;
        clip_.transfer = transfer_of(p.color_trc);
        if (const std::uint8_t* turn = av_stream_get_side_data(&stream(), AV_PKT_DATA_DISPLAYMATRIX, nullptr)) {
            const double degrees = av_display_rotation_get(reinterpret_cast<const std::int32_t*>(turn)); // to the left
            const int quarters = std::isfinite(degrees) ? (static_cast<int>(std::lround(degrees / 90)) % 4 + 4) % 4 : 0;
            orientation_ = std::array{1, 8, 3, 6}[static_cast<std::size_t>(quarters)];
            if (quarters % 2) std::swap(clip_.width, clip_.height);
        }
        const AVDictionary* m = format_->metadata;
        clip_.make = tag(m, {"make"});
        clip_.model = tag(m, {"model"});
        clip_.taken = tag(m, {"creation_time", "DATE", "date"}).substr(0, 19);
        // The file's, the picture track's, or those of a track of time codes beside it.
        const auto named = [&](std::initializer_list<const char*> keys) {
            std::string said = tag(m, keys);
            if (said.empty()) said = tag(stream().metadata, keys);
            for (unsigned i = 0; said.empty() && i < format_->nb_streams; ++i)
                said = tag(format_->streams[i]->metadata, keys);
            return said;
        };
        clip_.timecode = named({"timecode"});
        clip_.reel = named({"reel_name", "reel"});
    }

    /// The next picture in the order of showing; null at the end.
    Picture next_picture(const std::stop_token& stop) {
        Picture picture = new_picture();
        const std::unique_ptr<AVPacket, void (*)(AVPacket*)> packet(av_packet_alloc(),
                                                                    [](AVPacket* p) { av_packet_free(&p); });
        while (true) {
            throw_if_stopped(stop);
            const int received = avcodec_receive_frame(decoder_.get(), picture.get());
            if (received == 0) return picture;
            if (received == AVERROR_EOF || (ended_ && received < 0)) return nullptr;
            if (av_read_frame(format_.get(), packet.get()) < 0) {
                ended_ = true;
                avcodec_send_packet(decoder_.get(), nullptr);
                continue;
            }
            const int sent = packet->stream_index == track_ ? avcodec_send_packet(decoder_.get(), packet.get()) : 0;
            av_packet_unref(packet.get());
            if (sent < 0 && sent != AVERROR(EAGAIN) && sent != AVERROR_EOF)
                throw failure(file_, "the clip is damaged here");
        }
    }

    std::unique_ptr<AVFormatContext, void (*)(AVFormatContext*)> format_{
        nullptr, [](AVFormatContext* c) { avformat_close_input(&c); }};
    std::unique_ptr<AVCodecContext, void (*)(AVCodecContext*)> decoder_{
        nullptr, [](AVCodecContext* c) { avcodec_free_context(&c); }};
    int track_ = -1;
    Picture shown_, ahead_; ///< the picture given last, and the one after it if it was decoded already
    bool ended_ = false;
    Conversion conversion_;
};

} // namespace

ClipReader::Open* refero_open_clip(const fs::path& file) { return new OpenClip(file); }

} // namespace refero::frame
