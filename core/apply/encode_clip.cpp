// Corrected clips through FFmpeg's libraries.
#include <array>
#include <cmath>
#include <memory>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/display.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
}
#include <tbb/parallel_for.h>

#include "apply/internal/clip_parts.hpp"
#include "colour/rgb.hpp"
#include "frame/clip.hpp"
#include "frame/sequence.hpp"
#include "frame/timecode.hpp"

namespace refero::apply {

namespace fs = std::filesystem;

namespace {

constexpr const char* record_key = "comment_refero_record"; ///< MXF keeps no other keys of one's own

template<class T, void (*release)(T**)>
struct Release {
    void operator()(T* p) const { release(&p); }
};
using Input = std::unique_ptr<AVFormatContext, Release<AVFormatContext, avformat_close_input>>;
using Codec = std::unique_ptr<AVCodecContext, Release<AVCodecContext, avcodec_free_context>>;
using Packet = std::unique_ptr<AVPacket, Release<AVPacket, av_packet_free>>;
using Picture = std::unique_ptr<AVFrame, Release<AVFrame, av_frame_free>>;

/// A format's encoder, as it is set up.
struct Kind {
    Format format;
    AVCodecID codec;
    const char* encoder;   ///< preferred of those that encode this codec
    AVPixelFormat samples; ///< of one pixel
    const char* container; ///< usual
    std::vector<std::pair<const char*, const char*>> options;
};

const Kind& kind_of(Format format) {
    static const std::array<Kind, 6> kinds{
        Kind{Format::prores,
             AV_CODEC_ID_PRORES,
             "prores_ks",
             AV_PIX_FMT_YUV422P10,
             "mov",
             {{"profile", "hq"}, {"vendor", "apl0"}}},
        Kind{Format::prores4444,
             AV_CODEC_ID_PRORES,
             "prores_ks",
             AV_PIX_FMT_YUV444P10,
             "mov",
             {{"profile", "4444"}, {"vendor", "apl0"}}},
        Kind{Format::dnxhr, AV_CODEC_ID_DNXHD, "dnxhd", AV_PIX_FMT_YUV422P10, "mxf", {{"profile", "dnxhr_hqx"}}},
        Kind{Format::h264,
             AV_CODEC_ID_H264,
             "libx264",
             AV_PIX_FMT_YUV420P10,
             "mp4",
             {{"crf", "14"}, {"preset", "medium"}, {"x264-params", "rc-lookahead=10:sync-lookahead=0"}}},
        Kind{Format::h265,
             AV_CODEC_ID_HEVC,
             "libx265",
             AV_PIX_FMT_YUV420P10,
             "mp4",
             {{"crf", "16"}, {"preset", "medium"}, {"x265-params", "log-level=none:rc-lookahead=10:frame-threads=1"}}},
        Kind{Format::ffv1,
             AV_CODEC_ID_FFV1,
             "ffv1",
             AV_PIX_FMT_GBRP16,
             "mkv",
             {{"level", "3"}, {"slices", "16"}, {"slicecrc", "1"}}}};
    for (const Kind& k : kinds)
        if (k.format == format) return k;
    throw Error(ErrorKind::usage, "this format writes no clips", {}, "Known: prores prores4444 dnxhr h264 h265 ffv1");
}

/// Code points of ITU-T H.273; `unspecified` where it has none for the space.
struct Tags {
    AVColorPrimaries primaries = AVCOL_PRI_UNSPECIFIED;
    AVColorTransferCharacteristic transfer = AVCOL_TRC_UNSPECIFIED;
    AVColorSpace matrix = AVCOL_SPC_BT709;
    double kr = 0.2126, kb = 0.0722; ///< of that matrix
};

Tags tags_of(const std::string& space) {
    Tags t;
    if (space == "bt709") t = {AVCOL_PRI_BT709, AVCOL_TRC_BT709};
    else if (space == "srgb") t = {AVCOL_PRI_BT709, AVCOL_TRC_IEC61966_2_1};
    else if (space == "display-p3") t = {AVCOL_PRI_SMPTE432, AVCOL_TRC_IEC61966_2_1};
    else if (space == "linear-bt709") t = {AVCOL_PRI_BT709, AVCOL_TRC_LINEAR};
    else if (space == "bt2020") t = {AVCOL_PRI_BT2020, AVCOL_TRC_BT2020_10, AVCOL_SPC_BT2020_NCL, 0.2627, 0.0593};
    return t;
}

Input opened(const fs::path& file) {
    AVFormatContext* raw = nullptr;
    if (avformat_open_input(&raw, ("file:" + file.string()).c_str(), nullptr, nullptr) < 0)
        throw Error(ErrorKind::input, "this is not a clip that can be read", file, "Copy it again from the card");
    Input input(raw);
    if (avformat_find_stream_info(raw, nullptr) < 0)
        throw Error(ErrorKind::input, "the clip is damaged or cut short", file, "Copy it again from the card");
    return input;
}

bool is_sound(const AVStream& s) { return s.codecpar->codec_type == AVMEDIA_TYPE_AUDIO; }

/// A container takes this sound as it is.
bool takes(const std::string& container, const AVCodecParameters& sound) {
    // MXF's packages are named for these alone; the query knows no list for it.
    if (container == "mxf")
        return (sound.codec_id == AV_CODEC_ID_PCM_S16LE || sound.codec_id == AV_CODEC_ID_PCM_S24LE) &&
               sound.sample_rate == 48000;
    const AVOutputFormat* format =
        av_guess_format(container == "mkv" ? "matroska" : container.c_str(), nullptr, nullptr);
    return format && avformat_query_codec(format, sound.codec_id, FF_COMPLIANCE_NORMAL) == 1;
}

bool steady(const AVStream& v) {
    const double average = av_q2d(v.avg_frame_rate), base = av_q2d(v.r_frame_rate);
    return average > 0 && std::abs(average - base) < 1e-3 * base;
}

/// Rates that an MXF's index can tell (SMPTE ST 377-1 as FFmpeg writes it).
bool mxf_rate(AVRational rate) {
    constexpr std::array<AVRational, 8> known{
        {{24, 1}, {25, 1}, {30, 1}, {50, 1}, {60, 1}, {24000, 1001}, {30000, 1001}, {60000, 1001}}};
    return std::any_of(known.begin(), known.end(),
                       [&](AVRational k) { return std::abs(av_q2d(k) - av_q2d(rate)) < 1e-4; });
}

/// Why a container cannot hold a copy of this clip; empty where it can.
std::string refused_by(const std::string& container, const AVFormatContext& source, const AVStream& video) {
    for (unsigned i = 0; i < source.nb_streams; ++i)
        if (is_sound(*source.streams[i]) && !takes(container, *source.streams[i]->codecpar))
            return to_lower(container) + " does not hold sound as " +
                   avcodec_get_name(source.streams[i]->codecpar->codec_id);
    if (container == "mxf" && !(steady(video) && mxf_rate(video.avg_frame_rate)))
        return "mxf does not hold this rate of pictures";
    return {};
}

/// Whether FFmpeg's muxer for a container has a place for a codec.
bool holds(const std::string& container, Format format) {
    if (container == "mxf") return format == Format::dnxhr || format == Format::prores || format == Format::h264;
    if (container == "mp4") return format == Format::h264 || format == Format::h265;
    if (container == "mov") return format != Format::ffv1;
    return container == "mkv";
}

void check_pictures(const AVStream& video, Format format, const fs::path& source) {
    const AVCodecParameters& p = *video.codecpar;
    if (p.field_order != AV_FIELD_UNKNOWN && p.field_order != AV_FIELD_PROGRESSIVE)
        throw Error(ErrorKind::input, "the clip is interlaced: its two fields were taken at different times", source,
                    "Deinterlace it first, or write stills");
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(kind_of(format).samples);
    if ((d->log2_chroma_w && p.width % 2) || (d->log2_chroma_h && p.height % 2))
        throw Error(ErrorKind::input,
                    formatted("this format halves colour, and the clip has {} x {} pixels", p.width, p.height), source,
                    "Choose prores4444 or ffv1");
}

/// The samples of one picture: matrix, range and dither.
class Samples {
public:
    Samples(AVPixelFormat format, const Tags& tags)
        : format_(format),
          d_(*av_pix_fmt_desc_get(format)),
          kr_(static_cast<float>(tags.kr)),
          kb_(static_cast<float>(tags.kb)) {}

    void fill(const std::uint16_t* codes, AVFrame& out) const {
        if (format_ == AV_PIX_FMT_GBRP16) return split(codes, out);
        const int w = out.width, h = out.height, down = 1 << d_.log2_chroma_h;
        tbb::parallel_for(
            tbb::blocked_range<int>(0, (h + down - 1) / down, 8), [&](const tbb::blocked_range<int>& some) {
                std::vector<float> chroma(static_cast<std::size_t>(w) * 2 * static_cast<std::size_t>(down));
                for (int group = some.begin(); group < some.end(); ++group) {
                    for (int k = 0; k < down; ++k) {
                        const int y = std::min(h - 1, group * down + k);
                        row(codes + static_cast<std::size_t>(y) * w * 3, w, y,
                            reinterpret_cast<std::uint16_t*>(out.data[0] +
                                                             static_cast<std::ptrdiff_t>(y) * out.linesize[0]),
                            &chroma[static_cast<std::size_t>(k) * w * 2]);
                    }
                    for (int c = 0; c < 2; ++c)
                        colour_row(chroma, c, w, down, group,
                                   reinterpret_cast<std::uint16_t*>(
                                       out.data[1 + c] + static_cast<std::ptrdiff_t>(group) * out.linesize[1 + c]));
                }
            });
    }

private:
    static constexpr float white = 65535;
    /// Ordered dither (Bayer 1973), so that the mean over a square of four is exact: 0 to 1.
    static float step(int x, int y) {
        static constexpr float order[4][4] = {{0, 8, 2, 10}, {12, 4, 14, 6}, {3, 11, 1, 9}, {15, 7, 13, 5}};
        return (order[y & 3][x & 3] + 0.5f) / 16;
    }
    std::uint16_t quantised(float v, int x, int y) const {
        const int bits = d_.comp[0].depth;
        constexpr float exact = 1e-3f; // a value that is whole but for rounding stays that one
        return static_cast<std::uint16_t>(
            std::clamp(static_cast<int>(v + exact + (1 - 2 * exact) * step(x, y)), 0, (1 << bits) - 1));
    }
    void row(const std::uint16_t* codes, int w, int y, std::uint16_t* luma, float* chroma) const {
        const float unit = static_cast<float>(1 << (d_.comp[0].depth - 8));
        const float kg = 1 - kr_ - kb_, cb = 0.5f / (1 - kb_), cr = 0.5f / (1 - kr_);
        for (int x = 0; x < w; ++x) {
            const float r = static_cast<float>(codes[3 * x]) / white, g = static_cast<float>(codes[3 * x + 1]) / white,
                        b = static_cast<float>(codes[3 * x + 2]) / white, l = kr_ * r + kg * g + kb_ * b;
            luma[x] = quantised((219 * l + 16) * unit, x, y);
            chroma[2 * x] = (224 * cb * (b - l) + 128) * unit;
            chroma[2 * x + 1] = (224 * cr * (r - l) + 128) * unit;
        }
    }
    /// Colour lies on the left pixel of two, between two rows of two (H.273, chroma sample location 0).
    void colour_row(const std::vector<float>& chroma, int c, int w, int down, int group, std::uint16_t* out) const {
        const auto at = [&](int x) {
            float sum = 0;
            for (int k = 0; k < down; ++k)
                sum += chroma[(static_cast<std::size_t>(k) * w + static_cast<std::size_t>(x)) * 2 +
                              static_cast<std::size_t>(c)];
            return sum / static_cast<float>(down);
        };
        if (!d_.log2_chroma_w) {
            for (int x = 0; x < w; ++x) out[x] = quantised(at(x), x, group);
            return;
        }
        for (int x = 0; 2 * x < w; ++x)
            out[x] =
                quantised((at(std::max(0, 2 * x - 1)) + 2 * at(2 * x) + at(std::min(w - 1, 2 * x + 1))) / 4, x, group);
    }
    void split(const std::uint16_t* codes, AVFrame& out) const {
        constexpr std::array<int, 3> plane_of{2, 0, 1}; // green, blue, red
        tbb::parallel_for(0, out.height, [&](int y) {
            const std::uint16_t* in = codes + static_cast<std::size_t>(y) * out.width * 3;
            for (std::size_t c = 0; c < 3; ++c) {
                auto* to = reinterpret_cast<std::uint16_t*>(out.data[plane_of[c]] +
                                                            static_cast<std::ptrdiff_t>(y) * out.linesize[plane_of[c]]);
                for (int x = 0; x < out.width; ++x) to[x] = in[3 * static_cast<std::size_t>(x) + c];
            }
        });
    }
    AVPixelFormat format_;
    const AVPixFmtDescriptor& d_;
    float kr_, kb_;
};

struct WrittenClip final : ClipWriter::Open {
    WrittenClip(const fs::path& source, const fs::path& file, const fs::path& target, const ClipSettings& settings)
        : file_(file),
          target_(target),
          settings_(settings),
          kind_(kind_of(settings.format)),
          tags_(tags_of(settings.space)),
          samples_(kind_.samples, tags_) {
        av_log_set_level(AV_LOG_QUIET);
        if (!frame::is_sequence_name(source)) {
            source_ = opened(source);
            const int video = av_find_best_stream(source_.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
            if (video < 0) throw Error(ErrorKind::input, "the clip has no picture track", source, "Choose another");
            video_ = source_->streams[video];
        } else rate_ = av_d2q(frame::read_clip(source).frames_per_second, 100000);
        if (video_) rate_ = video_->avg_frame_rate;
        if (rate_.num <= 0 || rate_.den <= 0) rate_ = {25, 1};
    }
    ~WrittenClip() override {
        if (!output_) return;
        if (output_->pb) avio_closep(&output_->pb);
        avformat_free_context(output_);
    }

    void write(const std::uint16_t* codes, int width, int height, double at_s) override {
        if (!output_) begin(width, height);
        check(av_frame_make_writable(picture_.get()));
        samples_.fill(codes, *picture_);
        const double ticks = (at_s - settings_.from_s) / av_q2d(encoder_->time_base);
        picture_->pts = std::max(last_ + 1, static_cast<std::int64_t>(std::llround(ticks)));
        last_ = picture_->pts;
        check(avcodec_send_frame(encoder_.get(), picture_.get()));
        drain();
        copy_sound(at_s - settings_.from_s + sound_ahead_s);
    }

    void finish() override {
        if (!output_) throw Error(ErrorKind::input, "the clip has no pictures here", target_, "Choose another range");
        check(avcodec_send_frame(encoder_.get(), nullptr));
        drain();
        copy_sound(settings_.to_s >= 0 ? settings_.to_s - settings_.from_s : INFINITY);
        check(av_write_trailer(output_));
        check(avio_closep(&output_->pb)); // a disk that is full says so here at the latest
    }

private:
    static constexpr double sound_ahead_s = 0.5; ///< packets are brought into their order within so much

    void check(int status) const {
        if (status < 0)
            throw Error(ErrorKind::internal, "the clip cannot be written", target_, "Check free space and permissions");
    }

    void begin(int width, int height) {
        check(avformat_alloc_output_context2(
            &output_, nullptr, settings_.container == "mkv" ? "matroska" : settings_.container.c_str(), file_.c_str()));
        const AVCodec* codec = avcodec_find_encoder_by_name(kind_.encoder);
        if (!codec) codec = avcodec_find_encoder(kind_.codec);
        if (!codec)
            throw Error(ErrorKind::internal,
                        std::string("this machine has no encoder for ") + avcodec_get_name(kind_.codec), target_,
                        "Install FFmpeg's libraries with it, or choose another format");
        encoder_.reset(avcodec_alloc_context3(codec));
        encoder_->width = width;
        encoder_->height = height;
        encoder_->pix_fmt = kind_.samples;
        encoder_->framerate = rate_;
        encoder_->time_base = av_inv_q(rate_);
        if (video_ && !steady(*video_)) encoder_->time_base = video_->time_base; // each picture keeps its time
        encoder_->color_primaries = tags_.primaries;
        encoder_->color_trc = tags_.transfer;
        const bool rgb = kind_.samples == AV_PIX_FMT_GBRP16;
        encoder_->colorspace = rgb ? AVCOL_SPC_RGB : tags_.matrix;
        encoder_->color_range = rgb ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
        if (!rgb) encoder_->chroma_sample_location = AVCHROMA_LOC_LEFT;
        encoder_->field_order = AV_FIELD_PROGRESSIVE;
        encoder_->thread_count = 0;
        if (video_) encoder_->sample_aspect_ratio = aspect(width, height);
        for (const auto& [key, value] : kind_.options) av_opt_set(encoder_->priv_data, key, value, 0);
        if (output_->oformat->flags & AVFMT_GLOBALHEADER) encoder_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        if (avcodec_open2(encoder_.get(), codec, nullptr) < 0)
            throw Error(ErrorKind::input, formatted("this format does not take pictures of {} x {}", width, height),
                        target_, "Choose another format");
        track_ = avformat_new_stream(output_, nullptr);
        track_->time_base = encoder_->time_base;
        track_->avg_frame_rate = rate_;
        track_->sample_aspect_ratio = encoder_->sample_aspect_ratio;
        check(avcodec_parameters_from_context(track_->codecpar, encoder_.get()));
        if (kind_.format == Format::h265 && settings_.container != "mkv")
            track_->codecpar->codec_tag = MKTAG('h', 'v', 'c', '1');
        add_sound();
        add_metadata();
        AVDictionary* options = nullptr;
        if (settings_.container == "mov" || settings_.container == "mp4")
            av_dict_set(&options, "movflags", "use_metadata_tags+write_colr", 0);
        check(avio_open(&output_->pb, ("file:" + file_.string()).c_str(), AVIO_FLAG_WRITE));
        const int header = avformat_write_header(output_, &options);
        av_dict_free(&options);
        check(header);
        picture_.reset(av_frame_alloc());
        picture_->format = encoder_->pix_fmt;
        picture_->width = width;
        picture_->height = height;
        picture_->color_primaries = encoder_->color_primaries;
        picture_->color_trc = encoder_->color_trc;
        picture_->colorspace = encoder_->colorspace;
        picture_->color_range = encoder_->color_range;
        picture_->chroma_location = encoder_->chroma_sample_location;
        picture_->sample_aspect_ratio = encoder_->sample_aspect_ratio;
        check(av_frame_get_buffer(picture_.get(), 0));
        packet_.reset(av_packet_alloc());
    }

    /// Of a pixel, for pictures that are upright now.
    AVRational aspect(int width, int height) const {
        const AVRational a = av_guess_sample_aspect_ratio(source_.get(), const_cast<AVStream*>(video_), nullptr);
        const bool turned = (video_->codecpar->width > video_->codecpar->height) != (width > height);
        return turned && a.num > 0 ? AVRational{a.den, a.num} : a;
    }

    void add_sound() {
        for (unsigned i = 0; source_ && i < source_->nb_streams; ++i) {
            const AVStream& from = *source_->streams[i];
            if (!is_sound(from) || !takes(settings_.container, *from.codecpar)) continue;
            AVStream* to = avformat_new_stream(output_, nullptr);
            check(avcodec_parameters_copy(to->codecpar, from.codecpar));
            to->codecpar->codec_tag = 0;
            to->time_base = from.time_base;
            av_dict_copy(&to->metadata, from.metadata, 0);
            sound_.emplace_back(static_cast<int>(i), to->index);
        }
        if (!sound_.empty() && settings_.from_s > 0)
            av_seek_frame(source_.get(), -1, static_cast<std::int64_t>(settings_.from_s * AV_TIME_BASE),
                          AVSEEK_FLAG_BACKWARD);
    }

    void add_metadata() {
        if (!source_) return;
        av_dict_copy(&output_->metadata, source_->metadata, 0);
        for (const char* key : {"encoder", "major_brand", "minor_version", "compatible_brands"})
            av_dict_set(&output_->metadata, key, nullptr, 0);
        const auto told = [&](const char* key) -> std::string {
            if (const auto* e = av_dict_get(source_->metadata, key, nullptr, 0)) return e->value;
            for (unsigned i = 0; i < source_->nb_streams; ++i)
                if (const auto* e = av_dict_get(source_->streams[i]->metadata, key, nullptr, 0)) return e->value;
            return {};
        };
        if (const std::string code = told("timecode"); !code.empty()) {
            const auto before = std::lround(settings_.from_s * av_q2d(rate_));
            const std::string first = before ? frame::timecode_after(code, av_q2d(rate_), before) : code;
            av_dict_set(&output_->metadata, "timecode", first.c_str(), 0);
            av_dict_set(&track_->metadata, "timecode", first.c_str(), 0);
        }
        for (const char* key : {"reel_name", "reel"})
            if (const std::string reel = told(key); !reel.empty()) {
                av_dict_set(&output_->metadata, key, reel.c_str(), 0);
                av_dict_set(&track_->metadata, key, reel.c_str(), 0);
            }
        av_dict_set(&output_->metadata, record_key, settings_.record.c_str(), 0);
    }

    void drain() {
        while (avcodec_receive_packet(encoder_.get(), packet_.get()) == 0) {
            if (packet_->duration == 0 && steady_output()) packet_->duration = 1;
            av_packet_rescale_ts(packet_.get(), encoder_->time_base, track_->time_base);
            packet_->stream_index = track_->index;
            check(av_interleaved_write_frame(output_, packet_.get()));
        }
    }
    bool steady_output() const { return av_cmp_q(encoder_->time_base, av_inv_q(rate_)) == 0; }

    /// Sound up to a time of the copy.
    void copy_sound(double until_s) {
        if (sound_.empty()) return;
        const Packet packet(av_packet_alloc());
        while (!sound_ended_ && sound_at_s_ < until_s) {
            if (av_read_frame(source_.get(), packet.get()) < 0) {
                sound_ended_ = true;
                break;
            }
            const auto to = std::find_if(sound_.begin(), sound_.end(),
                                         [&](const auto& s) { return s.first == packet->stream_index; });
            if (to != sound_.end()) {
                const AVStream& from = *source_->streams[packet->stream_index];
                const double at =
                    static_cast<double>(packet->pts) * av_q2d(from.time_base) - begin_s() - settings_.from_s;
                sound_at_s_ = at;
                const double ends = settings_.to_s >= 0 ? settings_.to_s - settings_.from_s : INFINITY;
                if ((settings_.from_s <= 0 || at > -half_s(*packet, from)) && at < ends) {
                    const auto shift = static_cast<std::int64_t>(
                        std::llround((begin_s() + settings_.from_s) / av_q2d(from.time_base)));
                    packet->pts -= shift;
                    packet->dts -= shift;
                    AVStream* stream = output_->streams[to->second];
                    av_packet_rescale_ts(packet.get(), from.time_base, stream->time_base);
                    packet->stream_index = to->second;
                    packet->pos = -1;
                    check(av_interleaved_write_frame(output_, packet.get()));
                }
            }
            av_packet_unref(packet.get());
        }
    }
    /// A packet that begins before the range belongs to it where half of it lies in it.
    static double half_s(const AVPacket& p, const AVStream& s) {
        return static_cast<double>(p.duration) * av_q2d(s.time_base) / 2;
    }
    double begin_s() const {
        return video_ && video_->start_time != AV_NOPTS_VALUE
                   ? static_cast<double>(video_->start_time) * av_q2d(video_->time_base)
                   : 0;
    }

    fs::path file_, target_;
    ClipSettings settings_;
    const Kind& kind_;
    Tags tags_;
    Samples samples_;
    Input source_;
    const AVStream* video_ = nullptr; ///< null: numbered pictures
    AVRational rate_{25, 1};
    AVFormatContext* output_ = nullptr;
    Codec encoder_;
    AVStream* track_ = nullptr;
    Picture picture_;
    Packet packet_;
    std::int64_t last_ = -1;
    std::vector<std::pair<int, int>> sound_; ///< tracks of the source and of the copy
    double sound_at_s_ = -INFINITY;
    bool sound_ended_ = false;
};

} // namespace

ClipWriter::Open* refero_write_clip(const fs::path& source, const fs::path& file, const fs::path& target,
                                    const ClipSettings& settings) {
    return new WrittenClip(source, file, target, settings);
}

void refero_clip_container(const fs::path& source, Format format, const std::string& asked, Container& container) {
    av_log_set_level(AV_LOG_QUIET);
    const Kind& kind = kind_of(format);
    if (!asked.empty() && !holds(asked, format))
        throw Error(ErrorKind::usage, asked + " does not hold " + avcodec_get_name(kind.codec), {},
                    "Leave --container out, or choose mov, mxf, mp4 or mkv as the format allows");
    container = {asked.empty() ? kind.container : asked, {}};
    if (frame::is_sequence_name(source)) return;
    const Input input = opened(source);
    const int track = av_find_best_stream(input.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (track < 0) throw Error(ErrorKind::input, "the clip has no picture track", source, "Choose another");
    const AVStream& video = *input->streams[track];
    check_pictures(video, format, source);
    const std::string why = refused_by(container.name, *input, video);
    if (why.empty()) return;
    if (!asked.empty()) throw Error(ErrorKind::usage, why, source, "Leave --container out, or choose mov or mkv");
    container.name = format == Format::ffv1 ? "mkv" : "mov";
    container.told = why + ": written as " + container.name;
    const std::string also = refused_by(container.name, *input, video);
    if (also.empty()) return;
    container = {"mkv", why + ": written as mkv"};
}

void refero_clip_record(const fs::path& file, std::string& record) {
    AVFormatContext* raw = nullptr;
    av_log_set_level(AV_LOG_QUIET);
    if (avformat_open_input(&raw, ("file:" + file.string()).c_str(), nullptr, nullptr) < 0) return;
    const Input input(raw);
    for (const char* key : {record_key, "COMMENT_REFERO_RECORD"})
        if (const auto* e = av_dict_get(input->metadata, key, nullptr, 0)) record = e->value;
}

} // namespace refero::apply
