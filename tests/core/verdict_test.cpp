// The gate on cameras, lights and picture styles that nothing here was made with: clean shots draw no finding.
#include <cmath>
#include <numbers>

#include <nlohmann/json.hpp>
#include <opencv2/imgcodecs.hpp>

#include "colour/rgb.hpp"
#include "gate_set.hpp"
#include "operations/capture/measure.hpp"
#include "support.hpp"

namespace refero {
namespace {

using colour::Spectrum;
using colour::Vec3;
using test::Scratch;

struct Verdict : testing::Test {
    Scratch scratch;
    inspect::Limits limits = inspect::limits_for({});

    static simulate::Scene scene(const bench::Member<std::array<Spectrum, 3>>& camera,
                                 const bench::Member<Spectrum>& light, std::uint64_t print,
                                 const std::string& more = "") {
        test::Shot shot{.width = 900, .height = 600, .more = R"(,"lens":{"name":"L","vignetting_stops":0.1})" + more};
        simulate::Scene s = simulate::parse_scene(test::scene_text(shot), "test");
        s.camera.sensitivity = camera.value;
        s.light = light.value;
        if (print) s.charts[0].reflectance = bench::printed(s.charts[0].reflectance, print);
        return s;
    }
    inspect::Judgement judged(const std::filesystem::path& file) {
        const auto s = operations::take_shot(file, {.chart = "grid24"});
        return operations::judge(s.frame, s, limits);
    }
    static std::string alarms(const inspect::Judgement& j) {
        std::string words;
        for (const inspect::Finding& f : j.findings)
            if (inspect::is_alarm(f.status) && f.check != inspect::Check::recording)
                words += formatted("{} {:.3g} (limit {:.3g}) ", inspect::name_of(f.check), f.value, f.limit);
        return words;
    }
    static inspect::Finding finding(const inspect::Judgement& j, const std::string& check) {
        for (const inspect::Finding& f : j.findings)
            if (inspect::name_of(f.check) == check) return f;
        throw std::runtime_error(check);
    }
};

TEST_F(Verdict, a_clean_raw_shot_of_any_camera_under_any_light_draws_no_finding) {
    for (std::size_t i = 0; i < bench::cameras().size(); i += 3) {
        const auto& camera = bench::cameras()[i];
        const auto& light = bench::lights()[(5 * i) % bench::lights().size()];
        simulate::write(simulate::render(scene(camera, light, i % 3)), scratch / "a.dng");
        EXPECT_EQ(alarms(judged(scratch / "a.dng")), "") << camera.name << " under " << light.name;
    }
}

TEST_F(Verdict, a_clean_finished_picture_draws_none_and_says_what_cannot_be_told) {
    bench::Random random(11);
    for (std::size_t i = 0; i < 12; ++i) {
        const auto& camera = bench::cameras()[4 * i];
        const auto& light = bench::lights()[(3 * i) % bench::lights().size()];
        const bench::Style style = bench::random_style(random, bench::style_families()[i % 4]);
        bench::write_finished(simulate::render(scene(camera, light, i % 3)), style, scratch / "a.jpg");
        const inspect::Judgement j = judged(scratch / "a.jpg");
        EXPECT_EQ(alarms(j), "") << camera.name << " under " << light.name << ", " << style.family;
        const inspect::Finding veil = finding(j, "glare");
        EXPECT_EQ(veil.status, inspect::Status::unknown);
        EXPECT_NE(veil.advice.find("raw"), std::string::npos) << veil.advice;
        EXPECT_EQ(finding(j, "recording").status, inspect::Status::caution);
        EXPECT_NE(j.verdict, inspect::Status::reshoot);
    }
}

// A strong shadow in a finished picture is named. Its depth there is rough, from half to one and a half times.
TEST_F(Verdict, a_strong_shadow_in_a_finished_picture_is_told_with_a_rough_depth) {
    bench::Random random(5);
    const bench::Style style = bench::random_style(random, "soft");
    test::Shot shot{.rotation_deg = 0,
                    .tilt_deg = 0,
                    .more = R"(,"shadows":[{"at":[0.62,0.5],"angle_deg":0,"stops":1.2,"soft_px":2}])"};
    bench::write_finished(simulate::render(simulate::parse_scene(test::scene_text(shot), "test")), style,
                          scratch / "a.jpg");
    const inspect::Finding f = finding(judged(scratch / "a.jpg"), "shadow");
    EXPECT_EQ(f.status, inspect::Status::reshoot);
    EXPECT_GT(f.value, 0.5 * 1.2);
    EXPECT_LT(f.value, 1.5 * 1.2);
    EXPECT_TRUE(std::find(f.patches.begin(), f.patches.end(), "B6") != f.patches.end());
}

/// A user's grid, all colours by chance; the patches are 16 x 12 mm.
std::string own_chart(const Scratch& scratch, int columns, int rows, int gap_mm) {
    bench::Random random(3);
    nlohmann::json d{
        {"refero_chart", 1},        {"id", "own"},
        {"title", "Own"},           {"size_mm", {(16 + gap_mm) * columns - gap_mm, (12 + gap_mm) * rows - gap_mm}},
        {"reference", "own.cgats"}, {"patches", nlohmann::json::array()}};
    std::string values;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            const std::string id = formatted("{}{}", static_cast<char>('A' + row), column + 1);
            const bool grey = (columns * row + column) % 4 == 0;
            d["patches"].push_back({{"id", id},
                                    {"rect_mm", {(16 + gap_mm) * column, (12 + gap_mm) * row, 16, 12}},
                                    {"role", grey ? "neutral" : "other"}});
            values += formatted("{} {:.2f} {:.2f} {:.2f}\n", id, random.uniform(25, 85),
                                grey ? 0 : random.uniform(-40, 40), grey ? 0 : random.uniform(-40, 40));
        }
    test::written(scratch / "own.json", d.dump());
    test::written(scratch / "own.cgats",
                  formatted("CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A LAB_B\n"
                            "END_DATA_FORMAT\nNUMBER_OF_SETS {}\nBEGIN_DATA\n{}END_DATA\n",
                            columns * rows, values));
    return (scratch / "own.json").string();
}

// A picture style is no light: on a large chart, too, a finished picture's light is told as far as it falls off.
TEST_F(Verdict, light_that_falls_off_is_told_in_a_finished_picture_of_a_large_chart) {
    const std::string own = own_chart(scratch, 12, 10, 2);
    bench::Random random(5);
    const bench::Style style = bench::random_style(random, "film");
    constexpr double width = 0.6;
    for (const double stops : {0.0, 0.6}) {
        test::Shot shot{.chart_width = width,
                        .tilt_deg = 0,
                        .more = formatted(R"(,"falloff_stops":{},"falloff_deg":20)", stops / width)};
        std::string text = test::scene_text(shot);
        text.replace(text.find("grid24"), 6, own);
        bench::write_finished(simulate::render(simulate::parse_scene(text, "test")), style, scratch / "a.jpg");
        const auto s = operations::take_shot(scratch / "a.jpg", {.chart = own});
        const inspect::Judgement j = operations::judge(s.frame, s, limits);
        const inspect::Finding f = finding(j, "evenness");
        EXPECT_EQ(inspect::is_alarm(f.status), stops > 0) << f.value << " of " << f.limit;
        EXPECT_NEAR(f.value, stops, 0.1 + 0.25 * stops);
    }
}

// Without gaps between the patches: the edge is seen within them, and what lies on them by its colour.
TEST_F(Verdict, shadow_and_cover_are_told_in_a_finished_picture_of_a_chart_without_gaps) {
    const std::string own = own_chart(scratch, 7, 5, 0);
    bench::Random random(5);
    const bench::Style style = bench::random_style(random, "film");
    const auto judged_with = [&](const std::string& more) {
        test::Shot shot{.chart_width = 0.5, .rotation_deg = 4, .tilt_deg = 0, .more = more};
        std::string text = test::scene_text(shot);
        text.replace(text.find("grid24"), 6, own);
        bench::write_finished(simulate::render(simulate::parse_scene(text, "test")), style, scratch / "a.jpg");
        const auto s = operations::take_shot(scratch / "a.jpg", {.chart = own});
        return operations::judge(s.frame, s, limits);
    };
    const inspect::Judgement clean = judged_with("");
    EXPECT_EQ(alarms(clean), "");
    EXPECT_EQ(finding(clean, "occlusion").status, inspect::Status::unknown);
    const inspect::Finding shadow =
        finding(judged_with(R"(,"shadows":[{"at":[0.55,0.5],"angle_deg":20,"stops":0.6,"soft_px":3}])"), "shadow");
    EXPECT_TRUE(inspect::is_alarm(shadow.status)) << shadow.value;
    for (const char* dark : {"A7", "C7", "E7"})
        EXPECT_TRUE(std::find(shadow.patches.begin(), shadow.patches.end(), dark) != shadow.patches.end()) << dark;
    EXPECT_TRUE(std::find(shadow.patches.begin(), shadow.patches.end(), "C1") == shadow.patches.end());
    // Weak ones, whose edge crosses few patches and lies between the places that are tried first.
    for (const auto& [x, y, angle] : {std::array{0.59, 0.45, 41.0}, {0.41, 0.44, 112.0}, {0.56, 0.53, 3.0}}) {
        const inspect::Judgement weak = judged_with(
            formatted(R"(,"shadows":[{{"at":[{},{}],"angle_deg":{},"stops":0.3,"soft_px":4}}])", x, y, angle));
        EXPECT_TRUE(inspect::is_alarm(finding(weak, "shadow").status)) << angle << alarms(weak);
        EXPECT_FALSE(inspect::is_alarm(finding(weak, "glare").status)) << angle << alarms(weak);
    }
    // A lamp's reflection on a strong colour has no outline, whatever the style makes of its colour.
    const inspect::Judgement shining = judged_with(
        R"(,"sheens":[{"at":[0.4,0.48],"size":0.01,"strength":0.4},{"at":[0.57,0.6],"size":0.01,"strength":0.4}])");
    EXPECT_TRUE(inspect::is_alarm(finding(shining, "glare").status)) << alarms(shining);
    EXPECT_FALSE(inspect::is_alarm(finding(shining, "occlusion").status)) << alarms(shining);
    // A disc over more than one patch: C4, in the middle, is covered wholly.
    const inspect::Judgement covered = judged_with(
        R"(,"objects":[{"shape":"ellipse","in_front":true,"at":[0.5,0.5],"size":[0.13,0.19],"surface":[55,17,18]}])");
    const inspect::Finding cover = finding(covered, "occlusion");
    EXPECT_TRUE(inspect::is_alarm(cover.status)) << alarms(covered);
    EXPECT_TRUE(std::find(cover.patches.begin(), cover.patches.end(), "C4") != cover.patches.end());
}

// In a sharp picture an edge is felt from a pixel or two only: corners that begin farther off must get there, too.
TEST_F(Verdict, corners_lie_right_in_sharp_finished_pictures) {
    for (const std::uint64_t i : {97, 98, 99, 100, 113, 114, 115, 116}) {
        bench::Random random(i);
        const auto& light = random.pick(bench::lights());
        const auto& camera = random.pick(bench::cameras());
        const double width = random.uniform(0.2, 0.5), turn = random.uniform(-30, 30), tilt = random.uniform(0, 9);
        simulate::Scene s = simulate::parse_scene(test::scene_text({.width = 1200,
                                                                    .height = 800,
                                                                    .chart_width = width,
                                                                    .rotation_deg = turn,
                                                                    .tilt_deg = tilt,
                                                                    .more = R"(,"lens":{"name":"L","blur_px":0.5})"}),
                                                  "test");
        s.camera.sensitivity = camera.value;
        s.light = light.value;
        const simulate::Rendering r = simulate::render(s);
        bench::write_finished(r, bench::random_style(random, "film"), scratch / "a.jpg");
        const auto found = find::locate(frame::read(scratch / "a.jpg"), {test::grid24()});
        ASSERT_EQ(found.size(), 1u) << i;
        for (std::size_t k = 0; k < 4; ++k)
            EXPECT_LT((found[0].corners[k] - r.charts[0].corners[k]).norm(), 1) << i << " " << k;
    }
}

// What covers several patches is told as that alone: its outline is no shadow, what it adds to the greys no sheen, and
// a white that it covers no want of light.
TEST_F(Verdict, a_large_cover_in_a_finished_picture_is_told_as_that_alone) {
    bench::Random random(5);
    for (const char* cover : {R"("at":[0.535,0.60],"size":[0.13,0.17],"surface":[60,17,18])",
                              R"("at":[0.62,0.45],"size":[0.12,0.16],"surface":[38,17,18])",
                              R"("at":[0.36,0.33],"size":[0.15,0.16],"surface":[38,17,18])"})
        for (const char* family : {"film", "soft"}) {
            const bench::Style style = bench::random_style(random, family);
            test::Shot shot{.tilt_deg = 2,
                            .more = formatted(R"(,"objects":[{{"shape":"ellipse","in_front":true,{}}}])", cover)};
            bench::write_finished(simulate::render(simulate::parse_scene(test::scene_text(shot), "test")), style,
                                  scratch / "a.jpg");
            const inspect::Judgement j = judged(scratch / "a.jpg");
            EXPECT_TRUE(inspect::is_alarm(finding(j, "occlusion").status)) << cover << family;
            for (const inspect::Finding& f : j.findings)
                EXPECT_TRUE(f.check == inspect::Check::occlusion || f.check == inspect::Check::recording ||
                            !inspect::is_alarm(f.status))
                    << cover << family << alarms(j);
        }
}

// What is unknown of a narrow camera under a mixed LED widens the limit, and a strong fault still passes it.
TEST_F(Verdict, faults_are_told_with_unfamiliar_cameras_too) {
    const auto& light = bench::lights()[9];
    ASSERT_EQ(light.family, "mixed LED");
    for (const auto& camera : bench::cameras()) {
        if (camera.name != "narrow 2" && camera.name != "leaking 3" && camera.name != "shifted 1") continue;
        const auto check = [&](const char* what, const std::string& more) {
            simulate::write(simulate::render(scene(camera, light, 1, more)), scratch / "a.dng");
            const inspect::Finding f = finding(judged(scratch / "a.dng"), what);
            EXPECT_TRUE(inspect::is_alarm(f.status)) << camera.name << " " << what << " " << f.value << " " << f.limit;
            EXPECT_GE(f.value, f.limit);
        };
        check("mixed_light", R"(,"second_light":{"light":"tungsten","share":0.8,"angle_deg":0})");
        check("shadow", R"(,"shadows":[{"at":[0.49,0.5],"angle_deg":20,"stops":0.45}])");
        check("evenness", R"(,"falloff_stops":1,"falloff_deg":180)");
        check("glare", R"(,"veil":0.04)");
    }
}

// Where lines of the light mislead the patches' means, the edge within the patches tells of a shadow.
TEST_F(Verdict, a_weak_shadow_is_told_by_its_edge_whatever_the_light_does_to_the_means) {
    const auto& lights = bench::lights();
    const auto& light =
        *std::find_if(lights.begin(), lights.end(), [](const auto& l) { return l.name == "red, green and blue"; });
    for (const auto& camera : bench::cameras()) {
        if (camera.name != "infrared 1" && camera.name != "shifted 2") continue;
        for (const auto& [x, angle, print] :
             {std::array{0.54, 49.0, 2.0}, {0.46, 123.0, 1.0}, {0.46, 123.0, 2.0}, {0.46, 123.0, 3.0}}) {
            const std::string shadow =
                formatted(R"(,"shadows":[{{"at":[{},0.5],"angle_deg":{},"stops":0.27,"soft_px":4}}])", x, angle);
            simulate::write(simulate::render(scene(camera, light, static_cast<std::uint64_t>(print), shadow)),
                            scratch / "a.dng");
            const inspect::Judgement j = judged(scratch / "a.dng");
            EXPECT_TRUE(inspect::is_alarm(finding(j, "shadow").status)) << camera.name << shadow << alarms(j);
            EXPECT_FALSE(inspect::is_alarm(finding(j, "occlusion").status)) << camera.name << shadow << alarms(j);
        }
    }
}

// Neighbours that bleed into a blurred patch are no noise, nor do they shine.
TEST_F(Verdict, blur_on_a_chart_without_gaps_is_told_as_that_alone) {
    const std::string own = own_chart(scratch, 7, 5, 0);
    for (const double blur : {7.0, 10.0, 13.0}) {
        std::string text = test::scene_text(
            {.chart_width = 0.5, .tilt_deg = 0, .more = formatted(R"(,"lens":{{"name":"L","blur_px":{}}})", blur)});
        text.replace(text.find("grid24"), 6, own);
        simulate::write(simulate::render(simulate::parse_scene(text, "test")), scratch / "a.dng");
        const auto s = operations::take_shot(scratch / "a.dng", {.chart = own});
        const inspect::Judgement j = operations::judge(s.frame, s, limits);
        for (const inspect::Finding& f : j.findings)
            EXPECT_EQ(inspect::is_alarm(f.status), f.check == inspect::Check::focus) << blur << alarms(j);
    }
}

// A clean reading never loses a patch as odd: 48 cameras under 3 lights each, two prints of the chart.
TEST_F(Verdict, fits_on_clean_readings_lose_no_patch) {
    const chart::Definition d = test::grid24();
    const chart::Reference reference = chart::reference_of(d);
    std::vector<Spectrum> painted;
    for (const chart::Patch& p : d.patches) painted.push_back(colour::smooth_reflectance(reference.xyz.at(p.id)));
    const std::vector<Spectrum> other = bench::printed(painted, 2);
    int readings = 0, lost = 0, told = 0;
    for (std::size_t k = 0; k < bench::cameras().size(); ++k)
        for (std::size_t l = k % 5; l < bench::lights().size(); l += 5) {
            read::Reading reading;
            reading.chart = d.id;
            simulate::Camera camera = simulate::camera_named("stills-a");
            camera.sensitivity = bench::cameras()[k].value;
            for (std::size_t i = 0; i < d.patches.size(); ++i) {
                const Vec3 v = 0.8 * camera.response((k % 2 ? other : painted)[i], bench::lights()[l].value);
                read::PatchReading p{d.patches[i].id};
                p.mean = {v[0], v[1], v[2]};
                p.pixels = 1000;
                p.sd.fill(0.003);
                p.error.fill(0.0001);
                reading.patches.push_back(p);
            }
            ++readings;
            const auto odd = inspect::odd_patches(reading, reference, &d, false);
            lost += !odd.empty();
            // One that is covered is told.
            read::Reading covered = reading;
            covered.patches[8].mean = {0.35, 0.24, 0.15};
            const auto named = inspect::odd_patches(covered, reference, &d, false);
            told += std::find(named.begin(), named.end(), d.patches[8].id) != named.end();
        }
    test::measured("%d of %d clean readings of unfamiliar cameras lost a patch; a covered patch is named in %d", lost,
                   readings, told);
    EXPECT_GE(told, 0.95 * readings);
    EXPECT_LE(lost, readings / 100);
}

// A chart parallel to the sensor in the frame's corner: its rectangle stays one, the line of sight is off by the angle
// whose tangent is its distance over the focal length (a pinhole's geometry).
TEST(Tilt, chart_parallel_to_the_sensor_or_facing_the_camera_are_told_apart) {
    const chart::Definition d = test::grid24();
    const chart::Corners corners{chart::Point(4200, 2600), chart::Point(5740, 2600),
                                 chart::Point(5740, 2600 + 1540 * d.height_mm / d.width_mm),
                                 chart::Point(4200, 2600 + 1540 * d.height_mm / d.width_mm)};
    const double focal_px = 35 / 36.0 * 6000, x = (4200 + 5740) / 2.0 - 3000,
                 y = 2600 + 770 * d.height_mm / d.width_mm - 2000;
    EXPECT_NEAR(chart::sensor_tilt_deg(d, corners, 6000, 4000, 35), 0, 0.01);
    EXPECT_NEAR(chart::tilt_deg(d, corners, 6000, 4000, 35),
                std::atan(std::hypot(x, y) / focal_px) * 180 / std::numbers::pi, 0.05);
}

// Values of another chart make most patches odd: that is said, and no lamp is blamed.
TEST_F(Verdict, wrong_values_are_told_before_light_or_camera) {
    test::shoot({.width = 900, .height = 600}, scratch / "a.dng");
    auto shot = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    chart::Reference wrong = chart::reference_of(shot.definition);
    for (const char* row : {"A", "B", "C"}) // each row the other way round
        for (int column = 1; column <= 3; ++column)
            std::swap(wrong.xyz[row + std::to_string(column)], wrong.xyz[row + std::to_string(7 - column)]);
    const auto j = inspect::judge(shot.frame, shot.placement, shot.reading, shot.definition, wrong, limits);
    EXPECT_EQ(j.findings.front().check, inspect::Check::reference) << alarms(j);
    EXPECT_EQ(j.findings.front().status, inspect::Status::reshoot);
    EXPECT_EQ(finding(j, "mixed_light").status, inspect::Status::unknown);
}

TEST(TurnSchool, any_turn_refused_holds_in_the_job_and_judges_the_larger_angle) {
    const auto usual = operations::limits_of({}),
               strict = operations::limits_of({.turn_school = shoot::TurnSchool::none});
    EXPECT_FALSE(usual.at("tilt").larger);
    EXPECT_TRUE(strict.at("tilt").larger);
    EXPECT_LT(strict.at("tilt").reshoot, usual.at("tilt").reshoot);
}

// A DNG that holds all colours reads as the mosaic does: its black is taken off once.
// Every way in which a DNG may hold a frame (DNG 1.4, chapter 4) gives the same readings.
TEST_F(Verdict, dngs_of_all_kinds_read_what_was_there) {
    for (const std::string kind :
         {R"({})", R"({"mosaic":"none"})", R"({"mosaic":"bggr"})", R"({"mosaic":"grbg"})", R"({"mosaic":"gbrg"})",
          R"({"mosaic":"6x6"})", R"({"black":[0,60,120,30]})", R"({"bits":12})", R"({"border":[8,20,6,12]})",
          R"({"border":[8,14,2,2],"mosaic":"gbrg","black":[0,60,120,30]})", R"({"orientation":3})",
          R"({"orientation":6})", R"({"orientation":8,"mosaic":"grbg"})", R"({"big_endian":true})",
          R"({"big_endian":true,"bits":12,"mosaic":"none"})"}) {
        test::Shot shot{
            .width = 900, .height = 600, .more = R"(,"lens":{"name":"L","vignetting_stops":0},"dng":)" + kind};
        const auto r = test::rendered(shot);
        simulate::write(r, scratch / "a.dng");
        const auto taken = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
        EXPECT_TRUE(taken.frame.is_raw && taken.frame.linear) << kind;
        for (const simulate::TruePatch& p : r.charts[0].patches)
            for (std::size_t c = 0; c < 3; ++c)
                EXPECT_NEAR(taken.reading.find(p.id)->mean[c], p.mean[c], 0.008 * p.mean[c] + 0.0003)
                    << kind << " " << p.id;
        EXPECT_EQ(taken.frame.recorded.bits, kind.find(R"("bits":12)") != std::string::npos ? 12 : 14) << kind;
        const frame::Frame full = frame::read(scratch / "a.dng", {frame::Size::full});
        EXPECT_EQ(full.width, 900) << kind;
    }
}

// Common practice: 14 bits and no losses for measuring; 10 bits for a flat curve.
TEST_F(Verdict, what_a_recording_loses_is_told_with_the_reason) {
    test::Shot shot{.width = 900, .height = 600, .more = R"(,"dng":{"bits":12})"};
    simulate::write(test::rendered(shot), scratch / "a.dng");
    const inspect::Finding coarse = finding(judged(scratch / "a.dng"), "recording");
    EXPECT_EQ(coarse.status, inspect::Status::caution);
    EXPECT_NE(coarse.advice.find("12 bits"), std::string::npos) << coarse.advice;

    const auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    const auto with = [&](auto change) {
        frame::Frame f = s.frame;
        change(f);
        return finding(operations::judge(f, s, limits), "recording");
    };
    EXPECT_EQ(with([](frame::Frame& f) { f.recorded.bits = 14; }).status, inspect::Status::pass);
    EXPECT_NE(with([](frame::Frame& f) { f.recorded = {14, true, ""}; }).advice.find("losses"), std::string::npos);
    const auto flat = [](int bits) {
        return [bits](frame::Frame& f) {
            f.is_raw = f.linear = false;
            f.encoding = "acescct";
            f.recorded = {bits, false, "4:2:0"};
        };
    };
    EXPECT_NE(with(flat(8)).advice.find("10 bits"), std::string::npos);
    EXPECT_EQ(with(flat(10)).status, inspect::Status::pass);
}

// A recording whose whites end below the last code: told the code, they count as clipped.
TEST_F(Verdict, a_clip_code_below_the_last_one_is_honoured) {
    cv::Mat codes(600, 900, CV_16UC3, cv::Scalar(12000, 12000, 12000));
    const auto r = test::rendered({.width = 900, .height = 600, .white = 1.6});
    for (int i = 0; i < 900 * 600 * 3; ++i)
        codes.ptr<std::uint16_t>()[i / 3 * 3 + 2 - i % 3] = static_cast<std::uint16_t>(std::lround(
            0.9 * 65535 *
            colour::encode(colour::Transfer::srgb, std::clamp(double{r.rgb[static_cast<std::size_t>(i)]}, 0.0, 1.0))));
    cv::imwrite((scratch / "a.png").string(), codes);
    const auto clipped = [&](double code) {
        const auto s = operations::take_shot(scratch / "a.png", {.chart = "grid24", .clip_code = code});
        return finding(operations::judge(s.frame, s, limits), "clipping").status;
    };
    EXPECT_EQ(clipped(1), inspect::Status::pass);
    EXPECT_TRUE(inspect::is_alarm(clipped(0.9)));
}

// A patch that is off alike in every shot is the card, the camera or the style, and no thumb (common practice).
TEST_F(Verdict, another_shot_of_the_setup_is_a_witness) {
    const Scratch& folder = scratch;
    test::shoot({.width = 900, .height = 600}, folder / "a.dng");
    test::shoot({.width = 900, .height = 600, .chart_width = 0.5, .rotation_deg = 4, .seed = 2}, folder / "b.dng");
    const operations::MeasuredShot a = operations::take_shot(folder / "a.dng", {}),
                                   b = operations::take_shot(folder / "b.dng", {});
    const std::vector<shoot::FindingRecord> told{
        {.check = inspect::Check::occlusion, .status = inspect::Status::reshoot, .value = 45, .patches = "C3"},
        {.check = inspect::Check::tilt, .status = inspect::Status::caution},
        {.check = inspect::Check::focus, .status = inspect::Status::pass}};
    const auto with_c3 = [](operations::MeasuredShot shot, double times) {
        for (read::PatchReading& p : shot.reading.patches)
            for (double& v : p.mean) v *= p.id == "C3" ? times : 1;
        return shot;
    };
    auto rows = told;
    operations::hear_witness(rows, with_c3(a, 0.6), with_c3(b, 0.6)); // alike in both
    ASSERT_EQ(rows.size(), 3u);
    EXPECT_EQ(rows[0].check, inspect::Check::tilt); // alarms first
    const auto heard =
        std::find_if(rows.begin(), rows.end(), [](const auto& f) { return f.check == inspect::Check::occlusion; });
    EXPECT_EQ(heard->status, inspect::Status::unknown);
    EXPECT_EQ(heard->value, 45);
    EXPECT_NE(heard->advice.find("b.dng"), std::string::npos) << heard->advice;
    rows = told;
    operations::hear_witness(rows, with_c3(a, 0.6), b); // in one alone: a hand
    EXPECT_TRUE(rows == told);
    rows = told;
    rows[0].patches = "C3 C4";
    const auto both = rows;
    operations::hear_witness(rows, with_c3(a, 0.6), with_c3(b, 0.9));
    EXPECT_TRUE(rows == both);
}

} // namespace
} // namespace refero
