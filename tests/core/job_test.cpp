// The job, its demo and the pipeline that joins the steps.
#include "operations/correct/pipeline.hpp"
#include "operations/demo/demo.hpp"

#include "support.hpp"

namespace refero::operations {
namespace {

using namespace store;

using test::Scratch;
using test::written;

struct DemoJob : testing::Test {
    Scratch scratch;
    JobFile job{scratch / "demo.refero", JobFile::Open::create};
    KitFile kit{scratch / "demo.refero-kit", KitFile::Open::create};
};

TEST_F(DemoJob, has_four_cameras_four_lights_and_ten_setups) {
    const Demo demo = start_demo(shipped("demo/museum.json"), "/somewhere", job, kit);
    const shoot::Shoot& s = job.content();
    EXPECT_EQ(s.cameras.size(), 4u);
    EXPECT_EQ(s.lights.size(), 4u);
    ASSERT_EQ(s.setups.size(), 10u);
    EXPECT_EQ(demo.goals.size(), 10u);
    std::size_t charts = 0;
    bool ordinary = false;
    for (const DemoFrame& f : demo.frames) {
        const auto scene = simulate::load_scene(f.scene, f.changes);
        if (!f.clip.empty()) {
            EXPECT_EQ(f.clip.size(), 3u); // the chart is held up in the middle
            continue;
        }
        EXPECT_EQ(scene.charts.size(), f.chart && f.card.empty() ? 1u : 0u) << f.file;
        EXPECT_FALSE(f.chart && ordinary) << "chart shots are made first";
        ordinary = ordinary || !f.chart;
        charts += f.chart;
        EXPECT_TRUE(shoot::record(s.setups, f.setup));
    }
    EXPECT_EQ(charts, 7u); // one setup is still to be shot, two have clips
    // Months of log and of measured lights.
    EXPECT_GE(job.store().log().size(), 8u);
    EXPECT_LT(job.store().log().back().at, "2026-02");
    EXPECT_GE(kit.content().light_readings.size(), 12u);
    for (const auto& l : s.lights)
        EXPECT_TRUE(std::any_of(kit.content().lights.begin(), kit.content().lights.end(), [&](const auto& k) {
            return k.uid == l.uid;
        })) << l.name;
}

TEST(Job, a_demo_frame_is_rendered_once_and_copied_from_then_on) {
    Scratch scratch;
    written(scratch / "scene.json", test::scene_text({.width = 300, .height = 200}));
    const DemoFrame first{scratch / "scene.json", R"({"seed":5})", scratch / "one/a.dng"},
        again{first.scene, first.changes, scratch / "two/a.dng"},
        other{first.scene, R"({"seed":6})", scratch / "three/a.dng"};
    make(first, scratch / "kept");
    EXPECT_EQ(std::distance(fs::directory_iterator(scratch / "kept"), {}), 1);
    make(again, scratch / "kept");
    make(other, scratch / "kept");
    EXPECT_EQ(sha256_of(first.file), sha256_of(again.file));
    EXPECT_NE(sha256_of(first.file), sha256_of(other.file)); // another description is another file
    EXPECT_EQ(std::distance(fs::directory_iterator(scratch / "kept"), {}), 2);
    written(first.file, "mine now");
    make(first, scratch / "kept");
    EXPECT_EQ(read_file(first.file), "mine now"); // what is there is left alone
}

TEST(Job, a_stopped_demo_leaves_no_frame) {
    Scratch scratch;
    written(scratch / "scene.json", test::scene_text({.width = 300, .height = 200}));
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(make({scratch / "scene.json", "", scratch / "a.dng"}, {}, stop.get_token()), Error);
    EXPECT_FALSE(fs::exists(scratch / "a.dng"));
}

TEST_F(DemoJob, broken_descriptions_are_refused) {
    for (
        const char* text :
        {"", "[]", "{}", R"({"refero_demo":1})",
         R"({"refero_demo":2,"title":"x","cameras":[],"lenses":[],"modes":[],"lights":[],"cards":[],"places":[],"setups":[{"camera":0,"lens":0,"mode":0,"light":0,"card":0}]})"}) {
        written(scratch / "demo.json", text);
        EXPECT_THROW(start_demo(scratch / "demo.json", scratch.folder(), job, kit), Error) << text;
        EXPECT_TRUE(job.content().setups.empty());
    }
}

struct Pipeline : testing::Test {
    Scratch scratch;
    simulate::Rendering truth = test::shoot({.width = 900, .height = 600}, scratch / "a.dng");
};

TEST_F(Pipeline, corners_by_hand_read_like_found_ones) {
    const auto found = take_shot(scratch / "a.dng", {});
    ShotOptions options;
    options.chart = "grid24";
    options.corners = truth.charts[0].corners;
    const auto given = take_shot(scratch / "a.dng", options);
    EXPECT_EQ(found.definition.id, "grid24");
    EXPECT_EQ(given.placement.confidence, 1);
    for (const auto& p : given.reading.patches)
        EXPECT_NEAR(found.reading.find(p.id)->mean[1] / p.mean[1], 1, 0.005) << p.id;
    options.chart.clear();
    EXPECT_THROW(take_shot(scratch / "a.dng", options), Error); // whose corners?
}

TEST_F(Pipeline, a_frame_without_a_chart_is_told_apart_from_a_broken_one) {
    auto scene = truth.scene;
    scene.charts.clear();
    simulate::write(simulate::render(scene), scratch / "plain.dng");
    const auto kind = [&](const char* name) {
        try {
            take_shot(scratch / name, {});
        } catch (const Error& e) { return e.kind(); }
        return ErrorKind::internal;
    };
    EXPECT_EQ(kind("plain.dng"), ErrorKind::not_found);
    written(scratch / "text.dng", "?");
    EXPECT_EQ(kind("text.dng"), ErrorKind::input);
}

// Two shots of one setup are averaged: noise falls by the root of two (statistics of independent means).
TEST_F(Pipeline, several_shots_of_a_setup_make_one_correction) {
    test::shoot({.width = 900, .height = 600, .seed = 9}, scratch / "b.dng");
    const auto a = take_shot(scratch / "a.dng", {.chart = "grid24"}),
               b = take_shot(scratch / "b.dng", {.chart = "grid24"});
    const auto c = correct({a, b}, chart::reference_of(a.definition), {});
    ASSERT_EQ(c.sources.size(), 2u);
    EXPECT_NE(c.sources[0].sha256, c.sources[1].sha256);
    for (const auto& p : c.reading.patches) {
        EXPECT_NEAR(p.mean[0], (a.reading.find(p.id)->mean[0] + b.reading.find(p.id)->mean[0]) / 2, 2e-4);
        EXPECT_EQ(p.pixels, a.reading.find(p.id)->pixels + b.reading.find(p.id)->pixels);
    }
    auto strange = b;
    strange.definition.id = "another";
    EXPECT_THROW(correct({a, strange}, chart::reference_of(a.definition), {}), Error);
}

// The simulated window is daylight of about 6500 K, its tungsten about 2900 K: the balance must tell them.
TEST_F(Pipeline, the_lights_colour_follows_from_the_balance) {
    for (const char* light : {"window", "tungsten", "flash", "led"}) {
        test::shoot({.light = light, .width = 900, .height = 600}, scratch / "l.dng");
        const auto shot = take_shot(scratch / "l.dng", {});
        const auto c = correct({shot}, chart::reference_of(shot.definition), {});
        const auto truth =
            colour::correlated_temperature(colour::chromaticity_of(colour::white_of(simulate::light_named(light))));
        ASSERT_TRUE(c.light) << light;
        test::measured("%s: light told as %.0f K, is %.0f K", light, c.light->kelvin, truth.kelvin);
        // The matrix is the file's own for daylight; under other lights it is off by some percent.
        EXPECT_NEAR(c.light->kelvin / truth.kelvin, 1, 0.1) << light;
    }
}

} // namespace
} // namespace refero::operations
