// The gate: each fault is caught and named, with its figure and its patches; a clean shot passes.
#include "inspect/inspect.hpp"

#include <cmath>
#include <set>

#include "support.hpp"

namespace refero::inspect {
namespace {

using test::Scratch;

struct Gate : testing::Test {
    Scratch scratch;
    Limits limits = limits_for({});

    Judgement of(const test::Shot& shot) {
        test::shoot(shot, scratch / "a.dng");
        const auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
        return operations::judge(s.frame, s, limits);
    }
    static const Finding& finding(const Judgement& j, const std::string& check) {
        for (const Finding& f : j.findings)
            if (name_of(f.check) == check) return f;
        ADD_FAILURE() << check;
        return j.findings.front();
    }
    /// The fault is caught, and nothing unrelated is.
    static Finding caught(const Judgement& j, const std::string& check, std::set<std::string> related = {}) {
        related.insert(check);
        for (const Finding& f : j.findings)
            EXPECT_TRUE(!is_alarm(f.status) || related.contains(name_of(f.check)))
                << name_of(f.check) << " " << f.value;
        const Finding f = finding(j, check);
        EXPECT_TRUE(is_alarm(f.status)) << check << " " << name_of(f.status) << " " << f.value; // unknown is not caught
        EXPECT_FALSE(f.advice.empty());
        EXPECT_EQ(j.verdict, j.findings.front().status);
        return f;
    }
    static bool names(const Finding& f, const char* patch) {
        return std::find(f.patches.begin(), f.patches.end(), patch) != f.patches.end();
    }
};

// The contract's checks; every one appears, passes included.
TEST_F(Gate, a_clean_shot_passes_every_check) {
    for (const char* camera : {"stills-a", "stills-b", "cine-a", "cine-b"})
        for (const char* light : {"window", "tungsten", "led", "flash", "fluorescent"}) {
            const Judgement j = of({.camera = camera,
                                    .light = light,
                                    .width = 900,
                                    .height = 600,
                                    .more = R"(,"lens":{"name":"L","vignetting_stops":0.1})"});
            EXPECT_EQ(j.verdict, Status::pass) << camera << " " << light << ": " << name_of(j.findings.front().check)
                                               << " " << j.findings.front().value;
            for (const char* check : {"found", "size", "tilt", "focus", "clipping", "underexposure", "evenness",
                                      "shadow", "glare", "occlusion", "mixed_light", "mirrored", "noise"}) {
                EXPECT_EQ(finding(j, check).status, Status::pass);
                EXPECT_EQ(finding(j, check).advice, "");
            }
        }
}

// The light on each patch is the one that was set: a slope of so many stops from left to right of the frame.
TEST_F(Gate, light_on_each_patch_follows_the_scene) {
    test::shoot({.rotation_deg = 0,
                 .tilt_deg = 0,
                 .more = R"(,"falloff_stops":1.2,"falloff_deg":0,"lens":{"name":"L","vignetting_stops":0})"},
                scratch / "a.dng");
    const auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    const Explained e = explain(s.reading, s.definition, chart::reference_of(s.definition));
    ASSERT_TRUE(e.usable);
    double left = 0, right = 0;
    for (std::size_t i = 0; i < s.reading.patches.size(); ++i) {
        if (s.reading.patches[i].id.ends_with('1')) left += e.light[i] / 4;
        if (s.reading.patches[i].id.ends_with('6')) right += e.light[i] / 4;
    }
    // The chart is 0.42 of the frame wide, middles of its outer columns 5/6 of that apart.
    EXPECT_NEAR(std::abs(left - right), 1.2 * 0.42 * 5 / 6, 0.08);
}

// Stray light is told by its amount: what was added is what is found.
TEST_F(Gate, veiling_glare_is_measured) {
    for (const double veil : {0.02, 0.05}) {
        const Finding f = caught(of({.more = formatted(R"(,"veil":{:g})", veil)}), "glare");
        EXPECT_NEAR(f.value, 100 * veil, 0.15 + 5 * veil);
        EXPECT_EQ(f.unit, "% of white");
    }
    EXPECT_EQ(caught(of({.more = R"(,"veil":0.05)"}), "glare").status, Status::reshoot);
}

TEST_F(Gate, a_sheen_names_its_patch) {
    // B3 lies left of and above the middle of an upright chart.
    const Finding f = caught(of({.rotation_deg = 0,
                                 .tilt_deg = 0,
                                 .more = R"(,"sheens":[{"at":[0.464,0.465],"size":0.008,"strength":0.6}])"}),
                             "glare");
    EXPECT_TRUE(names(f, "B3")) << f.advice;
}

// What a sheen spreads on the grey that noise is judged by, or on the black, is neither noise nor want of light.
TEST_F(Gate, a_sheen_is_no_noise) {
    for (const char* at : {"[0.54,0.661]", "[0.683,0.661]"})
        caught(of({.rotation_deg = 0,
                   .tilt_deg = 0,
                   .more = formatted(R"(,"sheens":[{{"at":{},"size":0.009,"strength":0.8}}])", at)}),
               "glare");
}

TEST_F(Gate, a_shadow_is_a_step_and_its_depth_is_told) {
    for (const double stops : {0.3, 0.6})
        for (const int angle : {0, 75, 160, 250}) {
            const Finding f =
                caught(of({.more = formatted(R"(,"shadows":[{{"at":[0.49,0.5],"angle_deg":{},"stops":{:g}}}])", angle,
                                             stops)}),
                       "shadow");
            EXPECT_NEAR(f.value, stops, 0.1) << angle;
            EXPECT_GE(f.patches.size(), 4u);
        }
    const Finding right =
        caught(of({.rotation_deg = 0, .more = R"(,"shadows":[{"at":[0.5,0.5],"angle_deg":0,"stops":0.5}])"}), "shadow");
    EXPECT_TRUE(names(right, "B6") && !names(right, "B1"));
}

TEST_F(Gate, uneven_light_is_a_slope_with_a_direction) {
    const Judgement j =
        of({.rotation_deg = 0,
            .tilt_deg = 0,
            .more = R"(,"falloff_stops":1,"falloff_deg":180,"lens":{"name":"L","vignetting_stops":0})"});
    const Finding f = caught(j, "evenness");
    EXPECT_NEAR(f.value, 0.42, 0.06); // the chart is 0.42 of the frame wide
    EXPECT_NE(f.advice.find("towards the left"), std::string::npos) << f.advice;
    EXPECT_EQ(finding(j, "shadow").status, Status::pass);
}

TEST_F(Gate, a_finger_and_a_faded_patch_are_named) {
    const Finding finger = caught(
        of({.rotation_deg = 0,
            .tilt_deg = 0,
            .more =
                R"(,"objects":[{"shape":"ellipse","in_front":true,"at":[0.315,0.447],"size":[0.06,0.03],"surface":[66,17,18]}])"}),
        "occlusion");
    EXPECT_TRUE(names(finger, "B1")) << finger.advice;
    test::Shot shot;
    auto scene =
        simulate::parse_scene(test::scene_text(shot), "scene",
                              R"({"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.42,"faded":{"A6":0.7}}]})");
    simulate::write(simulate::render(scene), scratch / "f.dng");
    const auto s = operations::take_shot(scratch / "f.dng", {});
    const Finding faded = caught(operations::judge(s.frame, s, limits), "occlusion");
    EXPECT_TRUE(names(faded, "A6"));
    EXPECT_NEAR(faded.value, 30, 6); // 30 % of its light is gone
}

TEST_F(Gate, two_lights_of_different_colour) {
    const Finding f = caught(of({.more = R"(,"second_light":{"light":"tungsten","share":0.6,"angle_deg":0})"}),
                             "mixed_light", {"evenness"});
    EXPECT_NE(f.advice.find("warmer"), std::string::npos) << f.advice;
    EXPECT_NE(f.advice.find("right"), std::string::npos) << f.advice;
}

TEST_F(Gate, exposure_in_stops) {
    const Finding over = caught(of({.white = 1.7}), "clipping");
    EXPECT_TRUE(names(over, "D1"));
    EXPECT_NE(over.advice.find("Close down"), std::string::npos);
    const Finding under = caught(of({.white = 0.1}), "underexposure", {"noise"});
    // White of 0.9 at a tenth of saturation reads 0.09: 3.3 stops below 0.9. Common practice: white at 90 %.
    EXPECT_NEAR(under.value, std::log2(0.9 / 0.09), 0.25);
    EXPECT_NE(under.advice.find("Open up 3"), std::string::npos) << under.advice;
}

// The blur is measured: what the simulated lens has, by the patches' sides.
TEST_F(Gate, focus_is_measured_on_the_patches_sides) {
    for (const double blur : {2.0, 5.0, 9.0}) {
        test::shoot({.tilt_deg = 0, .more = formatted(R"(,"lens":{{"name":"L","blur_px":{:g}}})", blur)},
                    scratch / "a.dng");
        const auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
        EXPECT_NEAR(blur_px(s.frame, s.placement, s.definition) / blur, 1, 0.25) << blur;
    }
    // Neighbours run into each other: nothing is said of single patches before it is sharp.
    const Judgement soft = of({.more = R"(,"lens":{"name":"L","blur_px":14})"});
    EXPECT_EQ(caught(soft, "focus").status, Status::reshoot);
    for (const Finding& f : soft.findings)
        if (f.check == inspect::Check::shadow || f.check == inspect::Check::occlusion ||
            f.check == inspect::Check::glare) {
            EXPECT_EQ(f.status, Status::unknown) << name_of(f.check);
            EXPECT_NE(f.advice.find("sharp"), std::string::npos);
        }
}

TEST_F(Gate, size_tilt_turn_and_mirror) {
    EXPECT_NE(caught(of({.width = 2400, .height = 1600, .chart_width = 0.09}), "size")
                  .advice.find("leave the chart in the subject's light"),
              std::string::npos);
    EXPECT_NE(caught(of({.tilt_deg = 27}), "tilt").advice.find("27"), std::string::npos);
    EXPECT_NE(caught(of({.rotation_deg = 178}), "rotation").advice.find("upside down"), std::string::npos);
    auto scene = simulate::parse_scene(test::scene_text({}), "scene",
                                       R"({"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.42,"mirrored":true}]})");
    simulate::write(simulate::render(scene), scratch / "m.dng");
    const auto s = operations::take_shot(scratch / "m.dng", {.chart = "grid24"});
    caught(operations::judge(s.frame, s, limits), "mirrored");
}

TEST_F(Gate, noise_in_decibels) {
    const Finding f = caught(of({.more = R"(,"iso":25600)"}), "noise", {"underexposure"});
    // Green of the 20 % grey: 0.19 of 0.8 of the full well at that ISO, two sites a cell, photon noise (and a little
    // read noise).
    const double electrons = 0.19 * 0.8 * 52000 * 100 / 25600;
    EXPECT_NEAR(f.value, 20 * std::log10(std::sqrt(2 * electrons)), 2.5);
}

// The limits follow the school, and can be changed.
TEST_F(Gate, schools_and_own_limits) {
    EXPECT_EQ(finding(of({.tilt_deg = 12}), "tilt").status, Status::pass); // a slight turn is fine in fast work
    limits = limits_for({.strict_turn = true});
    EXPECT_EQ(finding(of({.tilt_deg = 12}), "tilt").status, Status::caution); // must face the camera
    limits = limits_for({.fill = true});
    EXPECT_NE(finding(of({.chart_width = 0.42}), "size").status, Status::pass); // about 11 % of the frame
    limits = limits_for({});
    change_limits(limits, R"({"tilt":{"caution":3,"reshoot":5}})", "limits.json");
    EXPECT_EQ(finding(of({.tilt_deg = 12}), "tilt").status, Status::reshoot);
    EXPECT_THROW(change_limits(limits, R"({"tlit":{}})", "limits.json"), Error);
    EXPECT_THROW(change_limits(limits, "no", "limits.json"), Error);
    for (const auto& [name, l] : limits_for({})) EXPECT_FALSE(l.reason.empty()) << name;
}

TEST_F(Gate, a_compressed_picture_is_told_of) {
    test::shoot({}, scratch / "a.dng");
    auto s = operations::take_shot(scratch / "a.dng", {});
    const auto reference = chart::reference_of(s.definition);
    EXPECT_EQ(finding(judge(s.frame, s.placement, s.reading, s.definition, reference, limits), "recording").status,
              Status::pass);
    s.frame.file = "a.JPG";
    const Finding f = finding(judge(s.frame, s.placement, s.reading, s.definition, reference, limits), "recording");
    EXPECT_EQ(f.status, Status::caution);
    EXPECT_NE(f.advice.find("record raw"), std::string::npos);
}

// A camera's own picture that balances by itself, or has a style baked in, is a trap; a raw frame with the same tags is
// none. Tags after EXIF 2.32, written by an independent program.
TEST_F(Gate, automatic_balance_and_picture_styles_are_told_of) {
    test::shoot({}, scratch / "a.tif");
    ASSERT_EQ(std::system(("exiftool -q -overwrite_original -WhiteBalance=Auto -Contrast=High -Sharpness=Hard '" +
                           (scratch / "a.tif").string() + "'")
                              .c_str()),
              0);
    const frame::Metadata m = frame::read_metadata(scratch / "a.tif");
    EXPECT_TRUE(m.auto_balance);
    EXPECT_EQ(m.style, "hard contrast, hard sharpness");
    auto s = operations::take_shot(scratch / "a.tif", {});
    const auto reference = chart::reference_of(s.definition);
    const Finding f = finding(judge(s.frame, s.placement, s.reading, s.definition, reference, limits), "recording");
    EXPECT_EQ(f.value, 2);
    EXPECT_NE(f.advice.find("fixed balance"), std::string::npos);
    EXPECT_NE(f.advice.find("hard contrast"), std::string::npos);
    // A correction knows what it was made from, and names a frame that was finished otherwise.
    fit::Correction c = operations::correct({s}, reference, {});
    EXPECT_EQ(fit::from_json(fit::to_json(c)).sources.at(0).metadata.style, m.style);
    frame::Metadata other = m;
    other.style.clear();
    other.auto_balance = false;
    ASSERT_EQ(fit::differences(c, other).size(), 1u);
    EXPECT_NE(fit::differences(c, other)[0].find("normal picture style instead of hard contrast"), std::string::npos);
    s.frame.is_raw = true;
    EXPECT_EQ(finding(judge(s.frame, s.placement, s.reading, s.definition, reference, limits), "recording").status,
              Status::pass);
}

// Greys that move between two of a camera's own pictures of one setup are a fault of the trade: balance that wanders by
// itself.
TEST_F(Gate, balance_that_wanders_between_frames_is_told_of) {
    test::shoot({}, scratch / "a.tif");
    test::shoot({.rotation_deg = 9}, scratch / "b.tif");
    const auto before = operations::take_shot(scratch / "a.tif", {});
    auto shot = operations::take_shot(scratch / "b.tif", {});
    const auto recording = [&](double red) {
        auto other = shot;
        for (auto& p : other.reading.patches) p.mean[0] *= red;
        auto rows = operations::rows_of(operations::judge(shot.frame, shot, limits));
        operations::compare_balance(rows, other, before, limits);
        EXPECT_TRUE(std::is_sorted(rows.begin(), rows.end(), [](const auto& a, const auto& b) {
            return a.status != inspect::Status::pass && b.status == inspect::Status::pass;
        }));
        return *std::find_if(rows.begin(), rows.end(),
                             [](const auto& f) { return f.check == inspect::Check::recording; });
    };
    EXPECT_LT(inspect::wandered_percent(shot.reading, before.reading, shot.definition), 1);
    EXPECT_EQ(recording(1).status, inspect::Status::pass);
    const auto some = recording(1 / 1.06);
    EXPECT_EQ(some.status, inspect::Status::caution);
    EXPECT_NEAR(some.value, 6, 1);
    EXPECT_NE(some.advice.find("a.tif"), std::string::npos) << some.advice;
    EXPECT_EQ(recording(1.2).status, inspect::Status::reshoot);
    shot.frame.is_raw = true; // its balance is only a tag
    EXPECT_EQ(recording(1.2).status, inspect::Status::pass);
}

// Noise that the black drowns in looks like stray light, and what clipping leaves of a chart like uneven light: neither
// is told.
TEST_F(Gate, noise_is_no_stray_light_and_clipping_no_uneven_light) {
    const Judgement noisy = of({.more = R"(,"iso":60000)"});
    EXPECT_NE(finding(noisy, "noise").status, Status::pass);
    EXPECT_FALSE(is_alarm(finding(noisy, "glare").status)) << finding(noisy, "glare").value;
    // A tenth of a patch clips: by its noise, or because the light on it is uneven.
    test::shoot({.white = 0.95}, scratch / "a.dng");
    auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    const auto white =
        std::find_if(s.reading.patches.begin(), s.reading.patches.end(), [](const auto& p) { return p.id == "D1"; });
    white->mean = {0.75, 0.87, 0.7};
    white->sd = {0.09, 0.09, 0.09};
    white->clipped = 0.1;
    white->noise = {0.09, 0.09, 0.09};
    EXPECT_FALSE(names(finding(operations::judge(s.frame, s, limits), "clipping"), "D1"));
    white->noise = {0.01, 0.01, 0.01};
    EXPECT_TRUE(names(finding(operations::judge(s.frame, s, limits), "clipping"), "D1"));
    const Judgement bright = of({.white = 3});
    EXPECT_NE(finding(bright, "clipping").status, Status::pass);
    EXPECT_EQ(finding(bright, "evenness").status, Status::unknown) << finding(bright, "evenness").value;
    EXPECT_EQ(finding(bright, "mixed_light").status, Status::unknown) << finding(bright, "mixed_light").value;
}

TEST_F(Gate, without_a_chart_or_a_reference_it_says_what_it_can) {
    const Judgement none = no_chart();
    EXPECT_EQ(none.verdict, Status::reshoot);
    EXPECT_EQ(none.findings.front().check, inspect::Check::found);
    EXPECT_GE(none.findings.size(), 13u);
    test::shoot({}, scratch / "a.dng");
    const auto s = operations::take_shot(scratch / "a.dng", {});
    const Judgement blind = judge(s.frame, s.placement, s.reading, s.definition, {}, limits);
    EXPECT_EQ(finding(blind, "shadow").status, Status::pass);
    EXPECT_EQ(finding(blind, "size").status, Status::pass);
    EXPECT_TRUE(std::isfinite(finding(blind, "shadow").value)); // JSON has no NaN
}

} // namespace
} // namespace refero::inspect
