// The best chart frame of a clip: how good it is by the truth, and its time beside plain decoding of the clip, in one
// run. Clips of 60 s, 1080 lines, H.264 at 8 bit 4:2:0: a hand brings the chart in, turns it and moves it.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <memory>
#include <random>

#include <CLI/CLI.hpp>
#include <opencv2/imgproc.hpp>

#include "clip_encoder.hpp"
#include "operations/capture/footage.hpp"
#include "simulate/simulate.hpp"

namespace {

using namespace refero;
using bench::check;
namespace fs = std::filesystem;

constexpr int width = 1920, height = 1080, frames_a_second = 25;

/// Every picture of a clip decoded and thrown away, on all cores.
int decode_plainly(const fs::path& file) {
    AVFormatContext* format = nullptr;
    check(avformat_open_input(&format, file.c_str(), nullptr, nullptr));
    check(avformat_find_stream_info(format, nullptr));
    const AVCodec* codec = nullptr;
    const int track = av_find_best_stream(format, AVMEDIA_TYPE_VIDEO, -1, -1, &codec, 0);
    AVCodecContext* decoder = avcodec_alloc_context3(codec);
    check(avcodec_parameters_to_context(decoder, format->streams[track]->codecpar));
    decoder->thread_count = 0;
    check(avcodec_open2(decoder, codec, nullptr));
    AVPacket* packet = av_packet_alloc();
    AVFrame* picture = av_frame_alloc();
    int n = 0;
    const auto drain = [&] {
        while (avcodec_receive_frame(decoder, picture) == 0) ++n;
    };
    while (av_read_frame(format, packet) >= 0) {
        if (packet->stream_index == track && avcodec_send_packet(decoder, packet) >= 0) drain();
        av_packet_unref(packet);
    }
    avcodec_send_packet(decoder, nullptr);
    drain();
    av_frame_free(&picture);
    av_packet_free(&packet);
    avcodec_free_context(&decoder);
    avformat_close_input(&format);
    return n;
}

/// A rendering as display codes, BGR.
cv::Mat shown(const std::string& scene) {
    const auto r = simulate::render(simulate::parse_scene(scene, {}));
    const colour::Vec3 white = r.scene.camera.response(simulate::Spectrum::constant(1), r.scene.light);
    cv::Mat bgr(height, width, CV_8UC3);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            for (int c = 0; c < 3; ++c) {
                const double light =
                    static_cast<double>(r.rgb[(static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x)) * 3 +
                                              static_cast<std::size_t>(c)]) /
                    white[c];
                bgr.at<cv::Vec3b>(y, x)[2 - c] = cv::saturate_cast<std::uint8_t>(
                    255 * colour::encode(colour::Transfer::bt709, std::clamp(light, 0.0, 1.0)));
            }
    return bgr;
}

/// What is done to the chart in a picture.
struct Truth {
    bool there = false;
    double blur = 0; ///< standard deviation, shares of a patch
    double tilt_deg = 0;
};

} // namespace

int main(int argc, char** argv) try {
    CLI::App app("The best chart frame of a clip");
    int clips = 6, seed = 1, seconds = 60;
    app.add_option("--clips", clips, "Clips")->capture_default_str();
    app.add_option("--seed", seed, "First seed")->capture_default_str();
    app.add_option("--seconds", seconds, "Of each clip")->capture_default_str();
    bool keep = false;
    app.add_flag("--keep", keep, "Leave the last clip in the folder for temporary files");
    CLI11_PARSE(app, argc, argv);
    const auto base = [](const std::string& charts) {
        return R"({"refero_scene":1,"size":[1920,1080],"camera":"cine-a","light":"led","white":0.75,
"background":{"surface":[45,6,12],"texture":0.25,"texture_px":14})" +
               charts + "}";
    };
    const cv::Mat without = shown(base("")),
                  with = shown(base(R"(,"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.3}])"));
    constexpr double patch = 0.3 * width / 6 * 0.85; // a gap of some 15 % between patches
    const fs::path file = fs::temp_directory_path() / "refero-footage-bench.mp4";
    for (int k = 0; k < clips; ++k) {
        std::mt19937 random(static_cast<unsigned>(seed + k));
        std::uniform_real_distribution<double> any(0, 1);
        const double from = (0.1 + 0.5 * any(random)) * seconds, until = from + (0.1 + 0.2 * any(random)) * seconds;
        std::array<double, 12> phase{};
        for (double& p : phase) p = any(random);
        std::vector<Truth> truth;
        {
            bench::Encoder encoder(file, width, height, frames_a_second, "20");
            cv::Mat moved, blurred, noise(height, width, CV_8UC3);
            for (int i = 0; i < seconds * frames_a_second; ++i) {
                const double t = static_cast<double>(i) / frames_a_second;
                Truth now;
                now.there = t >= from && t < until;
                const auto wave = [&](std::size_t n, double period) {
                    return std::sin(2 * M_PI * (t / (period * (0.7 + 0.6 * phase[n])) + phase[n + 1]));
                };
                if (now.there) {
                    const double turn = 25 * wave(0, 7) * M_PI / 180, lean = 18 * wave(2, 5) * M_PI / 180,
                                 roll = 10 * wave(4, 9) * M_PI / 180, scale = 1 + 0.25 * wave(6, 11);
                    const double x = 250 * wave(8, 6), y = 110 * wave(10, 8);
                    // A plane turned about its middle before a pinhole.
                    constexpr double focal = 2200;
                    const cv::Matx33d rx(1, 0, 0, 0, std::cos(lean), -std::sin(lean), 0, std::sin(lean),
                                         std::cos(lean)),
                        ry(std::cos(turn), 0, std::sin(turn), 0, 1, 0, -std::sin(turn), 0, std::cos(turn)),
                        rz(std::cos(roll), -std::sin(roll), 0, std::sin(roll), std::cos(roll), 0, 0, 0, 1);
                    const cv::Matx33d r = rz * rx * ry;
                    now.tilt_deg = std::acos(std::abs(r(2, 2))) * 180 / M_PI;
                    const double depth = focal / scale;
                    const cv::Matx33d plane(r(0, 0), r(0, 1), x / scale, r(1, 0), r(1, 1), y / scale, r(2, 0), r(2, 1),
                                            depth);
                    const cv::Matx33d camera(focal, 0, width / 2.0, 0, focal, height / 2.0, 0, 0, 1),
                        centre(1, 0, -width / 2.0, 0, 1, -height / 2.0, 0, 0, 1);
                    cv::warpPerspective(with, moved, cv::Mat(camera * plane * centre), {width, height},
                                        cv::INTER_LINEAR, cv::BORDER_REFLECT);
                    // Speed of the hand blurs along a line; focus hunts.
                    const double focus = std::max(0.0, 2.5 * wave(1, 4)),
                                 speed = 14 * std::abs(wave(5, 3)) * std::abs(wave(9, 10));
                    const int length = 1 + 2 * static_cast<int>(speed / 2);
                    if (length > 1)
                        cv::blur(moved, blurred, phase[0] < 0.5 ? cv::Size(length, 1) : cv::Size(1, length));
                    else moved.copyTo(blurred);
                    if (focus > 0.3) cv::GaussianBlur(blurred, blurred, {0, 0}, focus);
                    now.blur = std::sqrt(focus * focus + (length * length - 1) / 12.0) / (patch * scale);
                } else without.copyTo(blurred);
                cv::randu(noise, 0, 7); // fresh in every picture, as a sensor's is
                encoder.add(blurred + noise);
                truth.push_back(now);
            }
        }
        using Clock = std::chrono::steady_clock;
        const auto since = [](Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); };
        decode_plainly(file); // into the system's memory
        auto begun = Clock::now();
        const int pictures = decode_plainly(file);
        const double plain = since(begun);
        begun = Clock::now();
        operations::ShotOptions options;
        options.chart = "grid24";
        const auto stills = operations::chart_stills(file, options);
        const double looked = since(begun);
        const auto best = operations::best_still(file, stills, options, inspect::limits_for({}));
        const double whole = since(begun);
        if (!best) {
            std::printf("clip %d: nothing found\n", seed + k);
            continue;
        }
        begun = Clock::now();
        frame::ClipReader(file).still(best->still.position_s); // brings modules and tables into memory
        const frame::Frame one = frame::ClipReader(file).still(best->still.position_s);
        begun = Clock::now();
        find::locate(one, {chart::find_definition("grid24")});
        const double finder = since(begun);
        const auto at = static_cast<std::size_t>(std::lround(best->still.position_s * frames_a_second));
        const Truth chosen = truth.at(at);
        int there = 0, blurred_less = 0, turned_less = 0, better = 0;
        const auto badness = [](const Truth& t) { return std::hypot(12 * t.blur, t.tilt_deg / 9); };
        for (const Truth& t : truth) {
            there += t.there;
            blurred_less += t.there && t.blur < chosen.blur;
            turned_less += t.there && t.tilt_deg < chosen.tilt_deg;
            better += t.there && badness(t) < badness(chosen);
        }
        std::printf("clip %d: %d pictures, chart in %d; chosen %.2f s%s, blur %.3f of a patch, %.1f deg; better by "
                    "both %.1f %%, sharper %.1f %%, straighter %.1f %%; plain decoding %.2f s, looked through %.2f s, "
                    "with the gate %.2f s: %.2f times; of decoding and a finder run (%.2f s) a second: %.2f\n",
                    seed + k, pictures, there, best->still.position_s, chosen.there ? "" : " (NO CHART)", chosen.blur,
                    chosen.tilt_deg, 100.0 * better / there, 100.0 * blurred_less / there, 100.0 * turned_less / there,
                    plain, looked, whole, whole / plain, finder, whole / (plain + seconds * finder));
        std::fflush(stdout);
    }
    if (!keep) fs::remove(file);
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
