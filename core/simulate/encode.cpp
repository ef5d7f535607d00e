// Clips encoded through FFmpeg's libraries.
#include <cmath>
#include <memory>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include "simulate/internal/parts.hpp"

namespace refero::simulate {

namespace fs = std::filesystem;

void refero_encode_clip(const std::vector<Shown>& parts, const std::vector<std::vector<std::uint16_t>>& all_codes,
                        colour::Transfer transfer, double frames_per_second, const fs::path& target) {
    write_whole(target, [&](const fs::path& file) {
        const auto check = [&](int status) {
            if (status < 0)
                throw Error(ErrorKind::internal, "the clip cannot be written", target,
                            "Check free space and permissions");
        };
        av_log_set_level(AV_LOG_QUIET);
        const int w = parts.front().rendering->scene.width, h = parts.front().rendering->scene.height;
        AVFormatContext* raw = nullptr;
        check(avformat_alloc_output_context2(&raw, nullptr, nullptr, file.c_str()));
        const std::unique_ptr<AVFormatContext, void (*)(AVFormatContext*)> format(raw, [](AVFormatContext* c) {
            if (c->pb) avio_closep(&c->pb);
            avformat_free_context(c);
        });
        const AVCodec* codec = avcodec_find_encoder_by_name("libx264");
        if (!codec) codec = avcodec_find_encoder(AV_CODEC_ID_FFV1);
        const std::unique_ptr<AVCodecContext, void (*)(AVCodecContext*)> encoder(
            avcodec_alloc_context3(codec), [](AVCodecContext* c) { avcodec_free_context(&c); });
        encoder->width = w;
        encoder->height = h;
        encoder->pix_fmt = AV_PIX_FMT_YUV422P10LE;
        encoder->framerate = av_d2q(frames_per_second, 100000);
        encoder->time_base = av_inv_q(encoder->framerate);
        encoder->gop_size = 12;
        encoder->colorspace = AVCOL_SPC_BT709;
        encoder->color_primaries = AVCOL_PRI_BT709;
        encoder->color_range = AVCOL_RANGE_MPEG;
        encoder->color_trc = transfer == colour::Transfer::hlg  ? AVCOL_TRC_ARIB_STD_B67
                             : transfer == colour::Transfer::pq ? AVCOL_TRC_SMPTE2084
                                                                : AVCOL_TRC_BT709;
        av_opt_set(encoder->priv_data, "crf", "10", 0);
        av_opt_set(encoder->priv_data, "preset", "veryfast", 0);
        if (format->oformat->flags & AVFMT_GLOBALHEADER) encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        check(avcodec_open2(encoder.get(), codec, nullptr));
        AVStream* stream = avformat_new_stream(raw, nullptr);
        stream->time_base = encoder->time_base;
        stream->avg_frame_rate = encoder->framerate;
        check(avcodec_parameters_from_context(stream->codecpar, encoder.get()));
        // Of some sizes and rates the muxer would take it for a recording of whole pictures, which needs no header.
        const std::string to = to_lower(target.extension().string());
        if (to == ".mov" || to == ".mp4") stream->codecpar->codec_tag = MKTAG('a', 'v', 'c', '1');
        const Scene& s = parts.front().rendering->scene;
        av_dict_set(&raw->metadata, "make", s.camera.make.c_str(), 0);
        av_dict_set(&raw->metadata, "model", s.camera.model.c_str(), 0);
        av_dict_set(&raw->metadata, "creation_time", (s.taken + "Z").c_str(), 0);
        if (s.taken.size() >= 19) // by the time of day, as cameras on one set are jammed
            av_dict_set(&raw->metadata, "timecode", (s.taken.substr(11, 8) + ":00").c_str(), 0);
        AVDictionary* options = nullptr;
        av_dict_set(&options, "movflags", "use_metadata_tags", 0);
        check(avio_open(&raw->pb, file.c_str(), AVIO_FLAG_WRITE));
        const int header = avformat_write_header(raw, &options);
        av_dict_free(&options);
        check(header);

        const std::unique_ptr<AVFrame, void (*)(AVFrame*)> picture(av_frame_alloc(),
                                                                   [](AVFrame* f) { av_frame_free(&f); });
        picture->format = encoder->pix_fmt;
        picture->width = w;
        picture->height = h;
        picture->colorspace = encoder->colorspace;
        picture->color_range = encoder->color_range;
        picture->color_trc = encoder->color_trc;
        picture->color_primaries = encoder->color_primaries;
        check(av_frame_get_buffer(picture.get(), 0));
        const std::unique_ptr<SwsContext, void (*)(SwsContext*)> scaler(
            sws_getContext(w, h, AV_PIX_FMT_RGB48LE, w, h, encoder->pix_fmt,
                           SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT, nullptr, nullptr, nullptr),
            sws_freeContext);
        sws_setColorspaceDetails(scaler.get(), sws_getCoefficients(SWS_CS_DEFAULT), 1,
                                 sws_getCoefficients(SWS_CS_ITU709), 0, 0, 1 << 16, 1 << 16);
        const std::unique_ptr<AVPacket, void (*)(AVPacket*)> packet(av_packet_alloc(),
                                                                    [](AVPacket* p) { av_packet_free(&p); });
        const auto drain = [&] {
            while (avcodec_receive_packet(encoder.get(), packet.get()) == 0) {
                av_packet_rescale_ts(packet.get(), encoder->time_base, stream->time_base);
                packet->stream_index = stream->index;
                check(av_interleaved_write_frame(raw, packet.get()));
            }
        };
        std::int64_t n = 0;
        for (std::size_t k = 0; k < parts.size(); ++k) {
            const Shown& part = parts[k];
            const std::vector<std::uint16_t>& codes = all_codes[k];
            const std::uint8_t* planes[] = {reinterpret_cast<const std::uint8_t*>(codes.data())};
            const int strides[] = {w * 6};
            check(av_frame_make_writable(picture.get()));
            sws_scale(scaler.get(), planes, strides, 0, h, picture->data, picture->linesize);
            for (int i = 0; i < static_cast<int>(std::lround(part.seconds * frames_per_second)); ++i) {
                picture->pts = n++;
                check(avcodec_send_frame(encoder.get(), picture.get()));
                drain();
                check(av_frame_make_writable(picture.get()));
            }
        }
        check(avcodec_send_frame(encoder.get(), nullptr));
        drain();
        check(av_write_trailer(raw));
    });
}

} // namespace refero::simulate
