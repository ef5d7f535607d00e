// Corrected clips as clips: read back by FFmpeg's libraries, against the stills that the same correction writes.
#include <cmath>
#include <map>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
}

#include "fitted.hpp"
#include "frame/clip.hpp"
#include "simulate/clip.hpp"

namespace refero::test {
namespace {

/// Packets of all sound tracks of a file, in their order.
std::vector<std::string> sound_of(const fs::path& file) {
    AVFormatContext* f = nullptr;
    if (avformat_open_input(&f, file.c_str(), nullptr, nullptr) < 0) return {};
    avformat_find_stream_info(f, nullptr);
    std::vector<std::string> all;
    AVPacket* packet = av_packet_alloc();
    while (av_read_frame(f, packet) == 0) {
        if (f->streams[packet->stream_index]->codecpar->codec_type == AVMEDIA_TYPE_AUDIO)
            all.emplace_back(reinterpret_cast<const char*>(packet->data), static_cast<std::size_t>(packet->size));
        av_packet_unref(packet);
    }
    av_packet_free(&packet);
    avformat_close_input(&f);
    return all;
}

/// Name of the picture track's codec, and of its tags.
std::map<std::string, std::string> told_by(const fs::path& file) {
    std::map<std::string, std::string> t;
    AVFormatContext* f = nullptr;
    if (avformat_open_input(&f, file.c_str(), nullptr, nullptr) < 0) return t;
    avformat_find_stream_info(f, nullptr);
    for (unsigned i = 0; i < f->nb_streams; ++i) {
        const AVCodecParameters& p = *f->streams[i]->codecpar;
        if (p.codec_type != AVMEDIA_TYPE_VIDEO) continue;
        t["codec"] = avcodec_get_name(p.codec_id);
        t["primaries"] = std::to_string(p.color_primaries);
        t["transfer"] = std::to_string(p.color_trc);
        t["aspect"] = formatted("{}:{}", p.sample_aspect_ratio.num, p.sample_aspect_ratio.den);
    }
    avformat_close_input(&f);
    return t;
}

/// A copy of a clip with a second of sound beside its pictures, encoded as `codec`.
void add_sound(const fs::path& from, const fs::path& to, AVCodecID codec_id, double seconds) {
    AVFormatContext *in = nullptr, *out = nullptr;
    ASSERT_EQ(avformat_open_input(&in, from.c_str(), nullptr, nullptr), 0);
    avformat_find_stream_info(in, nullptr);
    avformat_alloc_output_context2(&out, nullptr, nullptr, to.c_str());
    AVStream* video = avformat_new_stream(out, nullptr);
    avcodec_parameters_copy(video->codecpar, in->streams[0]->codecpar);
    video->codecpar->codec_tag = to.extension() == ".mkv" ? 0 : MKTAG('a', 'v', 'c', '1');
    video->time_base = in->streams[0]->time_base;
    video->avg_frame_rate = in->streams[0]->avg_frame_rate;
    const AVCodec* codec = avcodec_find_encoder(codec_id);
    AVCodecContext* encoder = avcodec_alloc_context3(codec);
    encoder->sample_rate = 48000;
    encoder->sample_fmt = codec->sample_fmts[0];
    av_channel_layout_default(&encoder->ch_layout, 1);
    encoder->time_base = {1, 48000};
    if (out->oformat->flags & AVFMT_GLOBALHEADER) encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    ASSERT_EQ(avcodec_open2(encoder, codec, nullptr), 0);
    AVStream* sound = avformat_new_stream(out, nullptr);
    avcodec_parameters_from_context(sound->codecpar, encoder);
    sound->time_base = encoder->time_base;
    avio_open(&out->pb, to.c_str(), AVIO_FLAG_WRITE);
    ASSERT_GE(avformat_write_header(out, nullptr), 0);
    AVPacket* packet = av_packet_alloc();
    while (av_read_frame(in, packet) == 0) {
        if (packet->stream_index == 0) {
            av_packet_rescale_ts(packet, in->streams[0]->time_base, video->time_base);
            av_interleaved_write_frame(out, packet);
        } else av_packet_unref(packet);
    }
    AVFrame* frame = av_frame_alloc();
    frame->nb_samples = encoder->frame_size > 0 ? encoder->frame_size : 960;
    frame->format = encoder->sample_fmt;
    frame->sample_rate = 48000;
    av_channel_layout_default(&frame->ch_layout, 1);
    av_frame_get_buffer(frame, 0);
    const auto drain = [&] {
        while (avcodec_receive_packet(encoder, packet) == 0) {
            packet->stream_index = sound->index;
            av_packet_rescale_ts(packet, encoder->time_base, sound->time_base);
            av_interleaved_write_frame(out, packet);
        }
    };
    for (std::int64_t at = 0; at < static_cast<std::int64_t>(48000 * seconds); at += frame->nb_samples) {
        av_frame_make_writable(frame);
        for (int i = 0; i < frame->nb_samples; ++i) {
            const double v = 0.3 * std::sin(0.05 * static_cast<double>(at + i));
            if (encoder->sample_fmt == AV_SAMPLE_FMT_FLTP)
                reinterpret_cast<float*>(frame->data[0])[i] = static_cast<float>(v);
            else reinterpret_cast<std::int16_t*>(frame->data[0])[i] = static_cast<std::int16_t>(32767 * v);
        }
        frame->pts = at;
        avcodec_send_frame(encoder, frame);
        drain();
    }
    avcodec_send_frame(encoder, nullptr);
    drain();
    av_write_trailer(out);
    avio_closep(&out->pb);
    av_frame_free(&frame);
    av_packet_free(&packet);
    avcodec_free_context(&encoder);
    avformat_free_context(out);
    avformat_close_input(&in);
}

struct ClipsOut : Fitted {
    static constexpr int rate = 25, pictures = 12;

    void make(const std::string& name, int width = 640, int height = 360) {
        Shot shot{.width = width, .height = height};
        const simulate::Rendering one = simulate::render(simulate::parse_scene(scene_text(shot), "a"));
        shot.chart_width = 0.3;
        const simulate::Rendering other = simulate::render(simulate::parse_scene(scene_text(shot), "b"));
        simulate::write_clip({{&one, 0.24}, {&other, 0.24}}, colour::Transfer::bt709, rate, scratch / name);
    }
    std::string applied(const std::string& clip, const std::string& more) {
        const Outcome o = run("apply a.json " + clip + " -o out --overwrite --json " + more);
        EXPECT_EQ(o.status, 0) << o.out << o.err;
        return o.status ? "" : o.object()["written"][0].get<std::string>();
    }
    fs::path within(const std::string& path) const {
        return fs::path(path).is_absolute() ? fs::path(path) : scratch / path;
    }
};

TEST_F(ClipsOut, six_formats_hold_what_stills_hold) {
    make("in.mov");
    run("apply a.json in.mov -o stills --format png --space bt709 --from 0");
    for (const std::string format : {"prores", "prores4444", "dnxhr", "h264", "h265", "ffv1"}) {
        SCOPED_TRACE(format);
        const fs::path file = within(applied("in.mov", "--format " + format));
        const std::map<std::string, std::string> kinds{{"prores", ".mov"}, {"prores4444", ".mov"}, {"dnxhr", ".mxf"},
                                                       {"h264", ".mp4"},   {"h265", ".mp4"},       {"ffv1", ".mkv"}};
        EXPECT_EQ(file.extension(), kinds.at(format));
        auto told = told_by(file);
        EXPECT_EQ(told["codec"], format.starts_with("prores") ? "prores"
                                 : format == "dnxhr"          ? "dnxhd"
                                 : format == "h265"           ? "hevc"
                                                              : format);
        EXPECT_EQ(told["primaries"], "1"); // ITU-T H.273: BT.709
        EXPECT_EQ(told["transfer"], "1");
        frame::ClipReader reader(file);
        EXPECT_EQ(reader.clip().timecode, frame::read_clip(scratch / "in.mov").timecode);
        EXPECT_NEAR(reader.clip().frames_per_second, rate, 1e-6);
        int n = 0;
        while (const auto f = reader.next()) {
            EXPECT_NEAR(reader.shown_s(), static_cast<double>(n) / rate, 1e-3);
            const frame::Frame still = frame::read(scratch / "stills" / formatted("in_{:04}.png", ++n),
                                                   {.encoding = frame::Encoding(colour::Transfer::bt709)});
            ASSERT_EQ(f->rgb.size(), still.rgb.size());
            double sum = 0, off = 0;
            for (std::size_t i = 0; i < f->rgb.size(); ++i) {
                const double code = colour::encode(colour::Transfer::bt709, static_cast<double>(f->rgb[i])) -
                                    colour::encode(colour::Transfer::bt709, static_cast<double>(still.rgb[i]));
                sum += code;
                off += std::abs(code);
            }
            const auto count = static_cast<double>(f->rgb.size());
            // Of 10 bits: the mean to a quarter of a code, each sample to what subsampled colour and the codec leave.
            EXPECT_NEAR(1023 * sum / count, 0, 0.25) << n;
            EXPECT_LT(1023 * off / count, format == "ffv1" ? 0.05 : format == "prores4444" ? 2.5 : 6) << n;
        }
        EXPECT_EQ(n, pictures);
    }
}

TEST_F(ClipsOut, sound_goes_along_bit_for_bit_or_the_container_gives_way) {
    make("silent.mov");
    add_sound(scratch / "silent.mov", scratch / "aac.mp4", AV_CODEC_ID_AAC, 0.48);
    add_sound(scratch / "silent.mov", scratch / "pcm.mov", AV_CODEC_ID_PCM_S16LE, 0.48);
    const auto aac = sound_of(scratch / "aac.mp4"), pcm = sound_of(scratch / "pcm.mov");
    ASSERT_FALSE(aac.empty());
    const auto joined = [](const std::vector<std::string>& packets) {
        std::string all;
        for (const std::string& p : packets) all += p;
        return all;
    };
    EXPECT_TRUE(sound_of(within(applied("aac.mp4", "--format h264"))) == aac);
    EXPECT_TRUE(sound_of(within(applied("aac.mp4", "--format prores"))) == aac);
    EXPECT_TRUE(sound_of(within(applied("aac.mp4", "--format ffv1"))) == aac);
    const std::string other = applied("aac.mp4", "--format dnxhr"); // MXF holds PCM alone
    EXPECT_EQ(fs::path(other).extension(), ".mov");
    EXPECT_TRUE(sound_of(within(other)) == aac);
    EXPECT_TRUE(joined(sound_of(within(applied("pcm.mov", "--format dnxhr")))) == joined(pcm));
    EXPECT_EQ(fs::path(applied("pcm.mov", "--format dnxhr")).extension(), ".mxf");
    EXPECT_EQ(fs::path(applied("pcm.mov", "--format h264")).extension(), ".mov"); // FFmpeg's MP4 holds no PCM
    EXPECT_EQ(fs::path(applied("aac.mp4", "--format h264 --container mkv")).extension(), ".mkv");
    expect_error("apply a.json aac.mp4 -o new --format dnxhr --container mxf", 2, "sound");
    expect_error("apply a.json aac.mp4 -o new --format ffv1 --container mp4", 2, "mp4");
    EXPECT_FALSE(fs::exists(scratch / "new"));
}

TEST_F(ClipsOut, a_range_an_earlier_run_and_what_is_no_clip) {
    make("in.mov");
    const fs::path part = within(applied("in.mov", "--format prores --from 0.16 --to 0.32"));
    frame::ClipReader reader(part);
    int n = 0;
    while (reader.next()) ++n;
    EXPECT_EQ(n, 5);
    EXPECT_TRUE(reader.clip().timecode.ends_with(":04")) << reader.clip().timecode;
    // Finished: left out; with other settings made anew.
    EXPECT_EQ(run("apply a.json in.mov -o out --format prores --from 0.16 --to 0.32 --resume --json")
                  .object()["left_out"]
                  .size(),
              1u);
    EXPECT_EQ(run("apply a.json in.mov -o out --format prores --from 0.16 --to 0.32 --json").status, 2);
    EXPECT_EQ(run("apply a.json in.mov -o out --format prores --from 0 --to 0.32 --resume --overwrite --json")
                  .object()["written"]
                  .size(),
              1u);
    expect_error("apply a.json a.dng -o other --format prores", 3, "is for clips");
    expect_error("apply a.json in.mov -o other --format tiff --container mov", 2, "--container");
    expect_error("apply a.json in.mov -o other --format cinepak", 2, "prores4444");
}

TEST_F(ClipsOut, what_cannot_be_right_is_refused_in_words) {
    make("in.mkv");
    const std::string whole = read_file(scratch / "in.mkv");
    write_whole(scratch / "cut.mkv", whole.substr(0, whole.size() * 6 / 10));
    expect_error("apply a.json cut.mkv -o cut --format h264", 3, "cut short");
    EXPECT_TRUE(!fs::exists(scratch / "cut") || fs::is_empty(scratch / "cut"));
}

} // namespace
} // namespace refero::test
