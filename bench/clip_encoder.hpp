// Clips written by FFmpeg's libraries directly, outside the simulator's own writer.
#pragma once

#include <filesystem>
#include <stdexcept>

#include <opencv2/core.hpp>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

namespace refero::bench {

inline void check(int status) {
    if (status < 0) throw std::runtime_error("FFmpeg's libraries refuse");
}

/// H.264 at 8 bit 4:2:0, BT.709 matrix, narrow range, of pictures in BGR, all of one size.
class Encoder {
public:
    Encoder(const std::filesystem::path& file, int width, int height, int frames_a_second, const char* quality)
        : height_(height) {
        av_log_set_level(AV_LOG_QUIET);
        check(avformat_alloc_output_context2(&format_, nullptr, nullptr, file.c_str()));
        const AVCodec* codec = avcodec_find_encoder_by_name("libx264");
        if (!codec) throw std::runtime_error("this FFmpeg writes no H.264");
        encoder_ = avcodec_alloc_context3(codec);
        encoder_->width = width;
        encoder_->height = height;
        encoder_->pix_fmt = AV_PIX_FMT_YUV420P;
        encoder_->time_base = {1, frames_a_second};
        encoder_->framerate = {frames_a_second, 1};
        encoder_->gop_size = 50;
        av_opt_set(encoder_->priv_data, "crf", quality, 0);
        av_opt_set(encoder_->priv_data, "preset", "superfast", 0);
        av_opt_set(encoder_->priv_data, "x264-params", "bframes=2", 0);
        encoder_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        check(avcodec_open2(encoder_, codec, nullptr));
        stream_ = avformat_new_stream(format_, nullptr);
        stream_->time_base = encoder_->time_base;
        stream_->avg_frame_rate = encoder_->framerate;
        check(avcodec_parameters_from_context(stream_->codecpar, encoder_));
        check(avio_open(&format_->pb, file.c_str(), AVIO_FLAG_WRITE));
        check(avformat_write_header(format_, nullptr));
        scaler_ = sws_getContext(width, height, AV_PIX_FMT_BGR24, width, height, AV_PIX_FMT_YUV420P, SWS_BILINEAR,
                                 nullptr, nullptr, nullptr);
        sws_setColorspaceDetails(scaler_, sws_getCoefficients(SWS_CS_DEFAULT), 1, sws_getCoefficients(SWS_CS_ITU709), 0,
                                 0, 1 << 16, 1 << 16);
        picture_ = av_frame_alloc();
        picture_->format = AV_PIX_FMT_YUV420P;
        picture_->width = width;
        picture_->height = height;
        check(av_frame_get_buffer(picture_, 0));
    }
    void add(const cv::Mat& bgr) {
        check(av_frame_make_writable(picture_));
        const std::uint8_t* planes[] = {bgr.data};
        const int strides[] = {static_cast<int>(bgr.step)};
        sws_scale(scaler_, planes, strides, 0, height_, picture_->data, picture_->linesize);
        picture_->pts = n_++;
        send(picture_);
    }
    ~Encoder() {
        send(nullptr);
        av_write_trailer(format_);
        av_frame_free(&picture_);
        sws_freeContext(scaler_);
        avcodec_free_context(&encoder_);
        avio_closep(&format_->pb);
        avformat_free_context(format_);
    }

private:
    void send(const AVFrame* f) {
        avcodec_send_frame(encoder_, f);
        AVPacket* packet = av_packet_alloc();
        while (avcodec_receive_packet(encoder_, packet) == 0) {
            av_packet_rescale_ts(packet, encoder_->time_base, stream_->time_base);
            av_interleaved_write_frame(format_, packet);
        }
        av_packet_free(&packet);
    }
    AVFormatContext* format_ = nullptr;
    AVCodecContext* encoder_ = nullptr;
    AVStream* stream_ = nullptr;
    SwsContext* scaler_ = nullptr;
    AVFrame* picture_ = nullptr;
    std::int64_t n_ = 0;
    int height_;
};

} // namespace refero::bench
