// Out of a job: destinations, frames evened out by a region, cameras as they are matched.
#include <cmath>

#include "cli.hpp"
#include "frame/frame.hpp"
#include "operations/handover/evening.hpp"

namespace refero::test {
namespace {

struct Out : Cli {
    /// A scene with a grey backdrop in its upper left; `chart`: with a chart to the right of it.
    void shoot(const std::string& name, const std::string& camera, double white, double kelvin, bool chart,
               const std::string& at, bool covered = false) {
        written(
            scratch / "s.json",
            formatted(
                R"({{"refero_scene":1,"size":[720,480],"camera":"{}","light":{{"daylight":{:g},"name":"flash"}},)"
                R"("white":{:g},"seed":{},"taken":"2026-05-04T{}","background":{{"surface":[62,4,10],"texture":0.1}},)"
                R"("objects":[{}]{}}})",
                camera, kelvin, white, 1 + name.size() + static_cast<std::size_t>(100 * white), at,
                covered ? R"({"shape":"rectangle","at":[0.12,0.25],"size":[0.16,0.2],"surface":{"random":9}})" : "",
                chart ? R"(,"charts":[{"id":"grid24","at":[0.62,0.5],"width":0.42}])" : ""));
        ASSERT_EQ(run("simulate s.json --overwrite -o " + name).status, 0);
    }
};

TEST_F(Out, frames_follow_a_region_and_are_left_alone_where_something_stands_before_it) {
    shoot("chart.dng", "stills-a", 0.6, 5500, true, "10:00:00");
    // An automatic flash: 0.4 stops and 150 K either way (common practice).
    const std::vector<double> stops{-0.4, 0.15, 0.4, -0.2};
    for (std::size_t i = 0; i < stops.size(); ++i)
        shoot(formatted("f{}.dng", i), "stills-a", 0.6 * std::exp2(stops[i]), 5500 + (i % 2 ? 150 : -150), false,
              formatted("10:0{}:00", i + 1), i == 3);
    run("job j.refero new");
    run("job j.refero take chart.dng f0.dng f1.dng f2.dng f3.dng");
    ASSERT_EQ(run("job j.refero fit").status, 0);
    expect_error("job j.refero set region \"20,20 4,4\"", 2, "region");
    EXPECT_EQ(run("job j.refero set region \"20,20 140,140\"").status, 0);
    const json done = run("job j.refero apply -o out --format png --exposure region --json").object();
    const auto of = [&](const std::string& name) { return done["exposures"][(scratch / name).string()]; };
    const double charts = of("chart.dng")["stops"];
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(of(formatted("f{}.dng", i))["choice"], "region");
        EXPECT_NEAR(of(formatted("f{}.dng", i))["stops"].get<double>(), charts - stops[i], 0.03) << i;
    }
    EXPECT_EQ(of("f3.dng")["choice"], "chart");
    EXPECT_NE(of("f3.dng")["left_alone"].get<std::string>().find("stands before"), std::string::npos);
    // Without a job there is no region.
    EXPECT_EQ(run("fit chart.dng -o c.json").status, 0);
    expect_error("apply c.json f0.dng -o x --exposure region", 2, "region");
    EXPECT_EQ(run("job j.refero set region none").status, 0);
    EXPECT_NE(run("job j.refero apply -o out2 --exposure region --json").object()["exposures"].dump().find("no region"),
              std::string::npos);
}

TEST_F(Out, a_region_that_is_clipped_dark_or_of_another_colour_is_told) {
    const std::vector<colour::Vec3> grey(64, {0.2, 0.3, 0.25});
    auto blocks = grey;
    for (colour::Vec3& b : blocks) b *= 1.3;
    EXPECT_NEAR(operations::compared(blocks, grey).stops, std::log2(1.3), 1e-9);
    EXPECT_FALSE(operations::compared(blocks, grey).covered);
    for (std::size_t i = 0; i < 10; ++i) blocks[i] *= 0.8;
    EXPECT_TRUE(operations::compared(blocks, grey).covered);
    for (colour::Vec3& b : blocks) b = {0.4, 0.3, 0.25};
    EXPECT_TRUE(operations::compared(blocks, grey).covered);
    for (colour::Vec3& b : blocks) b = {1, 1, 1};
    EXPECT_TRUE(operations::compared(blocks, grey).covered);
    EXPECT_THROW(operations::region_from("1,2 3"), Error);
}

TEST_F(Out, destinations_and_cameras_as_matched) {
    shoot("a.dng", "stills-a", 0.6, 5500, true, "10:00:00");
    shoot("b.dng", "stills-b", 0.6, 5500, true, "10:01:00");
    shoot("b1.dng", "stills-b", 0.6, 5500, false, "10:02:00");
    run("job j.refero new");
    run("job j.refero take a.dng b.dng b1.dng");
    ASSERT_EQ(run("job j.refero fit").status, 0);
    const json developed = run("job j.refero handover --for develop -o ho --json").object();
    EXPECT_EQ(developed["written"].size(), 4u); // a profile and a note each
    for (const auto& entry : fs::directory_iterator(scratch / "ho"))
        if (entry.path().extension() == ".txt") {
            EXPECT_NE(read_file(entry.path()).find("Next: Restart the raw developer"), std::string::npos);
        }
    expect_error("job j.refero handover --for grade -o no", 2, "raw developer first");
    expect_error("job j.refero handover --for moon -o no", 2, "develop grade lut-slot effects print archive");
    expect_error("job j.refero handover --for print --formats cube -o no", 2, "--formats");
    EXPECT_FALSE(fs::exists(scratch / "no"));
    for (const std::string to : {"effects", "print", "archive"})
        EXPECT_EQ(run("job j.refero handover --for " + to + " -o " + to).status, 0) << to;
    // As matched: the other camera's frames differ from its own rendering, the lead's do not.
    run("job j.refero apply -o own --format png");
    const json matched = run("job j.refero apply -o matched --format png --as-matched \"Stills A\" --json").object();
    EXPECT_EQ(matched["written"].size(), 3u) << matched.dump();
    EXPECT_EQ(read_file(scratch / "own" / "a.png"), read_file(scratch / "matched" / "a.png"));
    EXPECT_NE(read_file(scratch / "own" / "b1.png"), read_file(scratch / "matched" / "b1.png"));
    expect_error("job j.refero apply -o x --as-matched Nobody", 2, "Stills A");
}

} // namespace
} // namespace refero::test
