// Clips looked through: the stills that show a chart best, by the simulator's own truth.
#include <ImfInputFile.h>
#include <ImfStandardAttributes.h>
#include <OpenImageIO/imageio.h>
#include <nlohmann/json.hpp>
extern "C" {
#include <libavutil/timecode.h>
}

#include "apply/apply.hpp"
#include "frame/clip.hpp"
#include "frame/sequence.hpp"
#include "frame/timecode.hpp"
#include "operations/capture/footage.hpp"
#include "simulate/clip.hpp"
#include "support.hpp"

namespace refero {
namespace {

using test::Scratch;

simulate::Rendering shown(const std::string& chart, const std::string& more = {}) {
    return simulate::render(simulate::parse_scene(
        R"({"refero_scene":1,"size":[960,540],"camera":"cine-a","light":"led","white":0.75,
"background":{"surface":[45,6,12],"texture":0.2,"texture_px":12})" +
            (chart.empty() ? "" : R"(,"charts":[{"id":"grid24","at":[0.5,0.5],)" + chart + "}]") + more + "}",
        "scene"));
}

struct Footage : testing::Test {
    Scratch scratch;
    const simulate::Rendering none = shown(""), tilted = shown(R"("width":0.4,"tilt_deg":28)"),
                              soft = shown(R"("width":0.4,"rotation_deg":3)", R"(,"lens":{"blur_px":4})"),
                              good = shown(R"("width":0.4,"rotation_deg":4,"tilt_deg":2)");
};

TEST_F(Footage, the_still_that_shows_the_chart_best_is_found) {
    simulate::write_clip({{&none, 3}, {&tilted, 1.6}, {&soft, 1.6}, {&good, 0.6}, {&soft, 1.2}, {&none, 4}},
                         colour::Transfer::bt709, 10, scratch / "c.mov");
    operations::ShotOptions options{.chart = "grid24", .position_s = -1};
    std::vector<double> told;
    const auto stills =
        operations::chart_stills(scratch / "c.mov", options, [&](double share) { told.push_back(share); });
    ASSERT_FALSE(stills.empty());
    EXPECT_GE(stills[0].position_s, 6.2);
    EXPECT_LT(stills[0].position_s, 6.8);
    EXPECT_LT(stills[0].placement.tilt_deg, 5);
    EXPECT_TRUE(std::is_sorted(told.begin(), told.end()) && told.back() == 1);
    for (const operations::ChartStill& s : stills) EXPECT_TRUE(s.position_s >= 3 && s.position_s < 8) << s.position_s;
    EXPECT_TRUE(
        std::is_sorted(stills.begin(), stills.end(), [](const auto& a, const auto& b) { return a.fault < b.fault; }));
    EXPECT_EQ(operations::showing_s(scratch / "c.mov", options), stills[0].position_s);
    options.chart.clear(); // any chart
    EXPECT_NEAR(operations::showing_s(scratch / "c.mov", options), 6.5, 0.35);
    options.position_s = 1;
    EXPECT_EQ(operations::showing_s(scratch / "c.mov", options), 1);
}

TEST_F(Footage, several_stills_that_show_the_chart_as_well_are_averaged) {
    simulate::write_clip({{&none, 1}, {&soft, 1}, {&good, 3}, {&tilted, 1}}, colour::Transfer::bt709, 10,
                         scratch / "c.mov");
    const operations::ShotOptions options{.chart = "grid24", .position_s = -1};
    const auto places_of = [&](const operations::ShotOptions& o) {
        std::vector<double> places;
        for (const operations::JudgedStill& s : operations::shots_showing(scratch / "c.mov", o)) {
            EXPECT_FALSE(s.shot.frame.rgb.empty());
            places.push_back(s.still.position_s);
        }
        return places;
    };
    const auto places = places_of(options);
    ASSERT_GE(places.size(), 2u);
    ASSERT_LE(places.size(), 3u);
    for (std::size_t i = 0; i < places.size(); ++i) {
        EXPECT_TRUE(places[i] > 1.9 && places[i] < 5.1) << places[i]; // of the good part alone
        for (std::size_t k = 0; k < i; ++k) EXPECT_GE(std::abs(places[i] - places[k]), 0.5);
    }
    EXPECT_EQ(places_of({.chart = "grid24", .position_s = 2.5}), std::vector<double>{2.5});
}

TEST_F(Footage, a_clip_without_a_chart_shows_none_and_one_still_is_a_clip) {
    simulate::write_clip({{&none, 2}}, colour::Transfer::bt709, 10, scratch / "none.mov");
    const operations::ShotOptions options{.position_s = -1};
    EXPECT_TRUE(operations::chart_stills(scratch / "none.mov", options).empty());
    simulate::write_clip({{&good, 0.1}}, colour::Transfer::bt709, 10, scratch / "one.mov");
    const auto one = operations::chart_stills(scratch / "one.mov", options);
    ASSERT_EQ(one.size(), 1u);
    EXPECT_EQ(one[0].position_s, 0);
    EXPECT_THROW(operations::chart_stills(test::written(scratch / "words.mov", "words"), options), Error);
    // What is left of a clip that was cut short is looked through.
    simulate::write_clip({{&good, 3}, {&none, 3}}, colour::Transfer::bt709, 10, scratch / "whole.mkv");
    const std::string whole = read_file(scratch / "whole.mkv");
    test::written(scratch / "cut.mkv", whole.substr(0, whole.size() * 2 / 5));
    const auto left = operations::chart_stills(scratch / "cut.mkv", options);
    ASSERT_FALSE(left.empty());
    EXPECT_LT(left[0].position_s, 3);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(operations::chart_stills(scratch / "one.mov", options, {}, stop.get_token()), Error);
}

// As phones mark them, and ExifTool does here.
TEST_F(Footage, a_clip_marked_as_turned_is_shown_upright) {
    simulate::write_clip({{&good, 0.3}}, colour::Transfer::bt709, 10, scratch / "c.mp4");
    fs::copy_file(scratch / "c.mp4", scratch / "turned.mp4");
    ASSERT_EQ(std::system(
                  ("exiftool -q -overwrite_original -Rotation=90 '" + (scratch / "turned.mp4").string() + "'").c_str()),
              0);
    const frame::Frame plain = frame::read(scratch / "c.mp4"), turned = frame::read(scratch / "turned.mp4");
    EXPECT_EQ(turned.width, 540);
    EXPECT_EQ(turned.height, 960);
    EXPECT_EQ(frame::read_clip(scratch / "turned.mp4").width, 540);
    // A quarter to the right: what was at the left edge's foot is at the top left.
    for (const auto& [x, y] : {std::pair(100, 100), std::pair(300, 700)})
        for (int c = 0; c < 3; ++c) EXPECT_EQ(turned.at(x, y)[c], plain.at(y, 539 - x)[c]) << x << " " << y;
    EXPECT_FALSE(operations::chart_stills(scratch / "turned.mp4", {.position_s = -1}).empty());
}

TEST_F(Footage, parts_and_small_pictures_are_those_of_the_whole) {
    simulate::write_clip({{&good, 0.3}}, colour::Transfer::bt709, 10, scratch / "c.mov");
    frame::ClipReader reader(scratch / "c.mov");
    const frame::Frame whole = reader.still(0), part = reader.still(0, {{}, 1, 0, std::array{96, 64, 200, 120}}),
                       small = reader.still(0, {{}, 1, 320, {}});
    EXPECT_EQ(part.width, 200);
    EXPECT_EQ(part.height, 120);
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(part.at(100, 60)[c], whole.at(196, 124)[c], 2e-3);
    EXPECT_EQ(small.width, 320);
    EXPECT_EQ(small.cell, 3);
    EXPECT_EQ(small.full_width, 960);
    frame::ClipReader::Kept kept;
    {
        frame::ClipReader other(scratch / "c.mov");
        other.still(0);
        kept = other.keep();
        other.still(0.2);
    }
    EXPECT_EQ(kept({}, {}).rgb, whole.rgb); // also when the reader has gone on and is closed
    EXPECT_EQ(kept({{}, 1, 0, std::array{96, 64, 200, 120}}, {}).rgb, part.rgb);
    EXPECT_EQ(kept({{}, 1, 320, {}}, {}).rgb, small.rgb);
}

/// A clip of one grey, its planes written by hand (YUV4MPEG2), so that no scaler stands between.
void write_grey(const fs::path& file, int bits, bool full_range, int luma) {
    std::ofstream out(file, std::ios::binary);
    out << "YUV4MPEG2 W64 H64 F25:1 Ip A1:1 C" << (bits > 8 ? "422p10" : "420")
        << " XCOLORRANGE=" << (full_range ? "FULL" : "LIMITED") << "\nFRAME\n";
    const auto put = [&](int code, int count) {
        for (int i = 0; i < count; ++i) {
            out.put(static_cast<char>(code & 255));
            if (bits > 8) out.put(static_cast<char>(code >> 8));
        }
    };
    put(luma, 64 * 64);
    put(1 << (bits - 1), bits > 8 ? 64 * 64 : 2 * 32 * 32);
}

// ITU-T H.273, 8.3: black and white are 16 and 235 of eight bits, 64 and 940 of ten; of full range, the first and the
// last code. ITU-R BT.709 gives the light of a code between.
TEST(Clips, codes_stand_for_the_light_that_the_standards_give_them) {
    Scratch scratch;
    const auto light = [](double v) { return v < 0.081 ? v / 4.5 : std::pow((v + 0.099) / 1.099, 1 / 0.45); };
    const auto holds = [&](int bits, bool full_range, int luma, double v, bool clipped) {
        write_grey(scratch / "grey.y4m", bits, full_range, luma);
        frame::ClipReader reader(scratch / "grey.y4m");
        const frame::Frame f = reader.still(0), small = reader.still(0, {{}, 1, 32, {}});
        for (int c = 0; c < 3; ++c) {
            EXPECT_NEAR(f.at(30, 30)[c], light(v), 3e-4 * light(v) + 1e-5) << bits << " " << luma;
            EXPECT_NEAR(small.at(15, 15)[c], light(v), 3e-4 * light(v) + 1e-5) << bits << " " << luma;
        }
        EXPECT_EQ(f.clipped[64 * 30 + 30] != 0, clipped) << bits << " " << luma;
    };
    holds(8, false, 16, 0, false);
    holds(8, false, 125, 109.0 / 219, false);
    holds(8, false, 234, 218.0 / 219, false);
    holds(8, false, 235, 1, true);
    holds(10, false, 502, 438.0 / 876, false);
    holds(10, false, 936, 872.0 / 876, false);
    holds(10, false, 940, 1, true);
    holds(8, true, 128, 128.0 / 255, false);
    holds(8, true, 255, 1, true);
    holds(10, true, 512, 512.0 / 1023, false);
    holds(10, true, 1023, 1, true);
}

// Independent: FFmpeg's own time codes (libavutil) and OpenEXR's packing.
TEST(Timecode, counts_as_ffmpeg_does_and_packs_as_openexr_does) {
    struct Rate {
        AVRational rate;
        const char* start;
    };
    for (const auto& [rate, start] :
         {Rate{{24000, 1001}, "10:00:00:00"}, Rate{{25, 1}, "23:59:58:03"}, Rate{{30000, 1001}, "00:00:59;28"},
          Rate{{30000, 1001}, "10:09:59;00"}, Rate{{60000, 1001}, "01:00:59;59"}, Rate{{50, 1}, "00:00:00:00"}}) {
        AVTimecode code;
        ASSERT_GE(av_timecode_init_from_string(&code, rate, start, nullptr), 0) << start;
        code.flags |= AV_TIMECODE_FLAG_24HOURSMAX;
        for (const int pictures : {0, 1, 2, 3, 59, 1797, 1798, 1799, 17981, 17982, 53946, 107892, 215784, 1'000'000}) {
            char text[AV_TIMECODE_STR_SIZE];
            std::string expected = av_timecode_make_string(&code, text, pictures);
            EXPECT_EQ(frame::timecode_after(start, av_q2d(rate), pictures), expected) << start << " + " << pictures;
            if (rate.num / rate.den > 30) continue; // no number for each picture
            const std::uint32_t bits = frame::packed_timecode(expected);
            EXPECT_EQ(frame::unpacked_timecode(bits), expected);
            const Imf::TimeCode exr(bits);
            char own[16];
            std::snprintf(own, sizeof own, "%02d:%02d:%02d%c%02d", exr.hours(), exr.minutes(), exr.seconds(),
                          exr.dropFrame() ? ';' : ':', exr.frame());
            EXPECT_EQ(own, expected);
        }
    }
    for (const char* none : {"", "10:00", "25:00:00:00", "10:61:00:00", "ab:cd:ef:gh", "10:00:00:00:00"}) {
        EXPECT_EQ(frame::timecode_after(none, 25, 1), "") << none;
        EXPECT_EQ(frame::packed_timecode(none), 0u) << none;
    }
    EXPECT_EQ(frame::timecode_after("10:00:00:00", 0, 1), "");
    EXPECT_EQ(frame::packed_timecode("10:00:00:48"), 0u);
    EXPECT_EQ(frame::unpacked_timecode(0xffffffff), "");
}

/// A rendering's light as one of the numbered pictures of a recording, as OpenImageIO writes it.
void write_numbered(const simulate::Rendering& r, const fs::path& file, const std::string& timecode) {
    const bool dpx = file.extension() == ".dpx";
    OIIO::ImageSpec spec(r.scene.width, r.scene.height, 3, dpx ? OIIO::TypeDesc::UINT16 : OIIO::TypeDesc::HALF);
    if (dpx) spec["oiio:BitsPerSample"] = 10;
    const std::uint32_t code[2] = {frame::packed_timecode(timecode), 0};
    spec.attribute("smpte:TimeCode", OIIO::TypeTimeCode, code);
    const int rate[2] = {25, 1};
    if (dpx) spec["dpx:FrameRate"] = 25.0F;
    else spec.attribute("FramesPerSecond", OIIO::TypeRational, rate);
    spec["reelName"] = "A007";
    spec["Model"] = "Cine A";
    const auto out = OIIO::ImageOutput::create(file.string());
    ASSERT_TRUE(out && out->open(file.string(), spec)) << OIIO::geterror();
    std::vector<float> codes = r.rgb;
    if (dpx)
        for (float& v : codes)
            v = static_cast<float>(colour::encode(colour::Transfer::bt709, std::clamp<double>(v, 0, 1)));
    ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, codes.data())) << out->geterror();
    out->close();
}

TEST_F(Footage, numbered_pictures_are_one_recording) {
    fs::create_directory(scratch / "card");
    const auto name = [&](int n, const char* kind) { return scratch / formatted("card/take.{:04}.{}", n, kind); };
    for (int n = 995; n < 1010; ++n) // over the thousand; the chart in three of them
        write_numbered(n >= 1000 && n < 1003 ? good : none, name(n, "exr"),
                       frame::timecode_after("10:00:59:20", 25, n - 995));
    const fs::path pattern = scratch / "card/take.####.exr";
    EXPECT_EQ(frame::kind_of(pattern), frame::FileKind::clip);
    const frame::Clip clip = frame::read_clip(pattern);
    EXPECT_EQ(clip.width, 960);
    EXPECT_EQ(clip.frames_per_second, 25);
    EXPECT_NEAR(clip.duration_s, 15 / 25.0, 1e-9);
    EXPECT_EQ(clip.timecode, "10:00:59:20");
    EXPECT_EQ(clip.reel, "A007");
    EXPECT_EQ(clip.model, "Cine A");
    frame::ClipReader reader(scratch / "card/take.%04d.exr"); // another way to write it
    const frame::Frame one = frame::read(name(1001, "exr")), still = reader.still(6.5 / 25);
    EXPECT_EQ(still.rgb, one.rgb);
    EXPECT_EQ(still.metadata.timecode, "10:01:00:01");
    EXPECT_EQ(one.metadata.timecode, still.metadata.timecode);
    EXPECT_EQ(reader.still(99).metadata.timecode, "10:01:00:09"); // the last one beyond the end
    const frame::Frame part = reader.still(0.24, {{}, 1, 0, std::array{96, 64, 200, 120}}),
                       small = reader.still(0.24, {{}, 1, 320, {}});
    EXPECT_EQ(part.at(100, 60)[1], one.at(196, 124)[1]);
    EXPECT_EQ(small.width, 320);
    EXPECT_EQ(small.cell, 3);
    const auto kept = reader.keep();
    reader.still(0);
    EXPECT_EQ(kept({{}, 1, 320, {}}, {}).rgb, small.rgb); // also when the reader has gone on
    EXPECT_NEAR(operations::showing_s(pattern, {.chart = "grid24", .position_s = -1}), 6 / 25.0, 1.01 / 25);

    std::vector<fs::path> files;
    for (int n = 995; n < 1010; ++n) files.push_back(name(n, "exr"));
    files.push_back(test::written(scratch / "card/a.exr", "x"));
    for (const char* few : {"b1.exr", "b2.exr"}) files.push_back(test::written(scratch / "card" / few, "x"));
    EXPECT_EQ(frame::gathered(files), (std::vector<fs::path>{pattern, files[15], files[16], files[17]}));
    std::vector<fs::path> stills; // a stills camera's files are pictures
    for (int n = 0; n < 40; ++n) stills.push_back(formatted("IMG_{:04}.tif", n));
    EXPECT_EQ(frame::gathered(stills), stills);
    std::vector<fs::path> past; // more digits when the numbers need them
    for (int n = 9990; n < 10005; ++n) past.push_back(formatted("r{}.dpx", n));
    EXPECT_EQ(frame::gathered(past), std::vector<fs::path>{"r####.dpx"});

    fs::remove(name(1004, "exr"));
    try {
        frame::read_clip(pattern);
        FAIL() << "a gap";
    } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find("lacks picture 1004 between 995 and 1009"), std::string::npos) << e.what();
    }
    EXPECT_THROW(frame::read(scratch / "card/none.####.exr"), Error);
    test::written(scratch / "card/odd.####.exr", "x"); // a file of that very name
    EXPECT_EQ(frame::kind_of(scratch / "card/odd.####.exr"), frame::FileKind::picture);
}

TEST_F(Footage, dpx_tells_its_time_code_and_rate) {
    for (int n = 0; n < 12; ++n)
        write_numbered(good, scratch / formatted("t_{:05}.dpx", n), frame::timecode_after("01:02:03:04", 25, n));
    const frame::Clip clip = frame::read_clip(scratch / "t_#####.dpx");
    EXPECT_EQ(clip.timecode, "01:02:03:04");
    EXPECT_EQ(clip.frames_per_second, 25);
    const operations::ShotOptions options{
        .chart = "grid24", .encoding = frame::Encoding::named("bt709"), .position_s = 0.2};
    const operations::MeasuredShot shot = operations::take_shot(scratch / "t_#####.dpx", options);
    const auto truth = nlohmann::json::parse(simulate::truth_of(good));
    double worst = 0; // a code of ten bits is 0.1 to 0.4 % of light at the lightest patches
    for (std::size_t i = 0; i < 24; ++i)
        for (int c = 0; c < 3; ++c)
            if (const double t = truth["patches"][i]["mean"][c]; t > 0.1)
                worst = std::max(worst, std::abs(shot.reading.patches[i].mean[c] / t - 1));
    EXPECT_LT(worst, 0.01);
}

// Read back by OpenEXR itself.
TEST_F(Footage, what_is_written_of_a_recording_keeps_its_time_code) {
    frame::Frame f = test::frame_of(good);
    f.metadata.timecode = "10:00:00:12";
    f.metadata.reel = "B012";
    f.metadata.frames_per_second = 24000.0 / 1001;
    const apply::Picture p = apply::uncorrected(f, {1, 1, 1}, "acescg");
    apply::write(apply::strips_of(p), scratch / "p.exr", apply::Format::exr, f.metadata);
    const Imf::InputFile in((scratch / "p.exr").c_str());
    EXPECT_EQ(Imf::timeCode(in.header()).frame(), 12);
    EXPECT_EQ(Imf::timeCode(in.header()).hours(), 10);
    EXPECT_EQ(Imf::framesPerSecond(in.header()), Imf::Rational(24000, 1001));
    const frame::Metadata read = frame::read_metadata(scratch / "p.exr");
    EXPECT_EQ(read.timecode, "10:00:00:12");
    EXPECT_EQ(read.reel, "B012");
    EXPECT_NEAR(read.frames_per_second, 23.976, 1e-3);
}

} // namespace
} // namespace refero
