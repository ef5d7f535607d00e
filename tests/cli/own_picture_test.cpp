// The camera's own picture as a target: raw begins where it stood. It is one that this test develops with a curve and
// a ring of hues that it knows.
#include "cli/cli.hpp"

namespace refero {
namespace {

struct OwnPicture : test::Cli {};

TEST_F(OwnPicture, raw_begins_where_the_cameras_own_picture_stood) {
    using nlohmann::json;
    simulate("b.dng", {.width = 900, .height = 600});
    const std::vector<std::array<double, 2>> curve{{0, 0}, {0.2, 0.15}, {0.5, 0.56}, {0.8, 0.87}, {1, 0.98}};
    json look{{"refero_look", 1}, {"curve", curve}};
    for (const char* hue : {"blue", "purple", "magenta", "red", "orange", "yellow", "green", "cyan"})
        look["hues"][hue] = {{"saturation", 15}};
    look["hues"]["red"]["shift_deg"] = 4;
    test::written(scratch / "style.json", look.dump());
    ASSERT_EQ(run("fit b.dng --model matrix --look style.json -o style-c.json").status, 0);
    ASSERT_EQ(run("apply style-c.json b.dng -o own --format jpeg").status, 0);
    const json plain = run("match --lead own/b.jpg --other b.dng --chart grid24 -o plain.json --json").object();
    const auto out = run("match --lead own/b.jpg --other b.dng --chart grid24 --tone -o tone.json --json");
    ASSERT_EQ(out.status, 0) << out.err;
    const json m = out.object();
    const auto mean = [](const json& statistics) { return statistics["mean"].get<double>(); };
    std::printf(
        "[ measured ] raw to the camera's own picture: CIEDE2000 %.2f by balance, %.2f with its tone, %.2f with "
        "its colour; without the tone apart %.2f\n",
        mean(m["before"]), mean(m["tone"]["delta_e_2000"]), mean(m["fit"]), mean(plain["fit"]));
    EXPECT_LT(m["tone"]["greys_after"].get<double>(), 0.2);
    EXPECT_GT(m["tone"]["greys_before"].get<double>(), 2);
    EXPECT_LT(mean(m["fit"]), mean(m["tone"]["delta_e_2000"]));
    EXPECT_LT(mean(m["tone"]["delta_e_2000"]), mean(m["before"]));
    EXPECT_LT(mean(m["fit"]), 1);
    // Developed by it, the whole frame is the camera's picture again.
    ASSERT_EQ(run("apply tone.json b.dng -o again").status, 0);
    const json delivered = run("verify own/b.jpg again/b.tif --chart grid24 --json").object();
    EXPECT_LT(mean(delivered["delta_e_2000"]), 1) << delivered.dump();
    const frame::Frame picture = frame::read(scratch / "own/b.jpg"), again = frame::read(scratch / "again/b.tif");
    ASSERT_EQ(picture.rgb.size(), again.rgb.size());
    const auto points = [](float light) {
        return 100 * colour::encode(colour::Transfer::srgb, std::clamp(static_cast<double>(light), 0.0, 1.0));
    };
    double sum = 0;
    for (std::size_t i = 0; i < picture.rgb.size(); ++i) sum += std::abs(points(picture.rgb[i]) - points(again.rgb[i]));
    const double off = sum / static_cast<double>(picture.rgb.size());
    std::printf("[ measured ] the whole frame: %.2f points of codes apart\n", off);
    EXPECT_LT(off, 1.5);
    EXPECT_EQ(run("match --lead own/b.jpg --lead-correction style-c.json --other b.dng --tone -o x.json").status, 2);
    EXPECT_EQ(run("export tone.json --format cube -o tone.cube").status, 0);
}

} // namespace
} // namespace refero
