// Clips looked through: the stills that show a chart best, by the simulator's own truth.
#include "frame/clip.hpp"
#include "simulate/clip.hpp"
#include "support.hpp"
#include "work/footage.hpp"

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
    work::ShotOptions options{.chart = "grid24", .position_s = -1};
    std::vector<double> told;
    const auto stills = work::chart_stills(scratch / "c.mov", options, [&](double share) { told.push_back(share); });
    ASSERT_FALSE(stills.empty());
    EXPECT_GE(stills[0].position_s, 6.2);
    EXPECT_LT(stills[0].position_s, 6.8);
    EXPECT_LT(stills[0].placement.tilt_deg, 5);
    EXPECT_TRUE(std::is_sorted(told.begin(), told.end()) && told.back() == 1);
    for (const work::ChartStill& s : stills) EXPECT_TRUE(s.position_s >= 3 && s.position_s < 8) << s.position_s;
    EXPECT_TRUE(
        std::is_sorted(stills.begin(), stills.end(), [](const auto& a, const auto& b) { return a.fault < b.fault; }));
    EXPECT_EQ(work::showing_s(scratch / "c.mov", options), stills[0].position_s);
    options.chart.clear(); // any chart
    EXPECT_NEAR(work::showing_s(scratch / "c.mov", options), 6.5, 0.35);
    options.position_s = 1;
    EXPECT_EQ(work::showing_s(scratch / "c.mov", options), 1);
}

TEST_F(Footage, several_stills_that_show_the_chart_as_well_are_averaged) {
    simulate::write_clip({{&none, 1}, {&soft, 1}, {&good, 3}, {&tilted, 1}}, colour::Transfer::bt709, 10,
                         scratch / "c.mov");
    const work::ShotOptions options{.chart = "grid24", .position_s = -1};
    const auto places = work::showings_s(scratch / "c.mov", options);
    ASSERT_GE(places.size(), 2u);
    ASSERT_LE(places.size(), 3u);
    for (std::size_t i = 0; i < places.size(); ++i) {
        EXPECT_TRUE(places[i] > 1.9 && places[i] < 5.1) << places[i]; // of the good part alone
        for (std::size_t k = 0; k < i; ++k) EXPECT_GE(std::abs(places[i] - places[k]), 0.5);
    }
    EXPECT_EQ(work::showings_s(scratch / "c.mov", {.chart = "grid24", .position_s = 2.5}), std::vector<double>{2.5});
}

TEST_F(Footage, a_clip_without_a_chart_shows_none_and_one_still_is_a_clip) {
    simulate::write_clip({{&none, 2}}, colour::Transfer::bt709, 10, scratch / "none.mov");
    const work::ShotOptions options{.position_s = -1};
    EXPECT_TRUE(work::chart_stills(scratch / "none.mov", options).empty());
    simulate::write_clip({{&good, 0.1}}, colour::Transfer::bt709, 10, scratch / "one.mov");
    const auto one = work::chart_stills(scratch / "one.mov", options);
    ASSERT_EQ(one.size(), 1u);
    EXPECT_EQ(one[0].position_s, 0);
    EXPECT_THROW(work::chart_stills(test::written(scratch / "words.mov", "words"), options), Error);
    // What is left of a clip that was cut short is looked through.
    simulate::write_clip({{&good, 3}, {&none, 3}}, colour::Transfer::bt709, 10, scratch / "whole.mkv");
    const std::string whole = read_file(scratch / "whole.mkv");
    test::written(scratch / "cut.mkv", whole.substr(0, whole.size() * 2 / 5));
    const auto left = work::chart_stills(scratch / "cut.mkv", options);
    ASSERT_FALSE(left.empty());
    EXPECT_LT(left[0].position_s, 3);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(work::chart_stills(scratch / "one.mov", options, {}, stop.get_token()), Error);
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
    EXPECT_FALSE(work::chart_stills(scratch / "turned.mp4", {.position_s = -1}).empty());
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

} // namespace
} // namespace refero
