// find/ and read/ against the truth of simulated frames.
#include "support.hpp"

namespace refero {
namespace {

using test::frame_of;
using test::Scratch;
using test::Shot;

double corner_error(const find::Placement& p, const simulate::TrueChart& t) {
    double worst = 0;
    for (std::size_t i = 0; i < 4; ++i) worst = std::max(worst, (p.corners[i] - t.corners[i]).norm());
    return worst;
}

TEST(Find, a_chart_is_found_at_any_rotation) {
    for (int degrees = 0; degrees < 360; degrees += 15) {
        const auto r =
            test::rendered({.width = 900, .height = 700, .chart_width = 0.45, .rotation_deg = double(degrees)});
        const auto found = find::locate(frame_of(r), {test::grid24()});
        ASSERT_EQ(found.size(), 1u) << degrees;
        EXPECT_LT(corner_error(found[0], r.charts[0]), 1.5) << degrees;
        EXPECT_FALSE(found[0].mirrored);
        EXPECT_NEAR(found[0].frame_fraction, r.charts[0].frame_fraction, 0.005);
    }
}

TEST(Find, a_tilted_chart_is_found_and_its_tilt_told) {
    for (const double tilt : {0., 10., 20., 30.})
        for (const double axis : {0., 45., 90.}) {
            Shot s{.width = 1200, .height = 900, .tilt_deg = tilt};
            s.more = R"(,"lens":{"focal_35mm_mm":50})";
            auto scene = simulate::parse_scene(test::scene_text(s), "scene");
            scene.charts[0].tilt_axis_deg = axis;
            const auto r = simulate::render(scene);
            const auto found = find::locate(frame_of(r), {test::grid24()});
            ASSERT_EQ(found.size(), 1u) << tilt << " about " << axis;
            EXPECT_LT(corner_error(found[0], r.charts[0]), 1.5);
            // Near the frontal view the tilt follows from tiny differences of the corners.
            EXPECT_NEAR(found[0].tilt_deg, tilt, tilt < 5 ? 4 : 1.5) << axis;
        }
}

TEST(Find, every_camera_and_light_will_do) {
    for (const char* camera : {"stills-a", "stills-b", "cine-a", "cine-b"})
        for (const char* light : {"window", "tungsten", "led", "flash", "fluorescent"}) {
            const auto r =
                test::rendered({.camera = camera, .light = light, .width = 900, .height = 600, .white = 0.4});
            const auto found = find::locate(frame_of(r), chart::installed());
            ASSERT_EQ(found.size(), 1u) << camera << " " << light;
            EXPECT_LT(corner_error(found[0], r.charts[0]), 1.5) << camera << " " << light;
        }
}

TEST(Find, a_chart_that_is_not_there_is_not_reported) {
    const char* clutter[] = {
        R"(,"charts":[],"objects":[{"shape":"rectangle","at":[0.3,0.3],"size":[0.1,0.1],"surface":[60,20,10]},{"shape":"rectangle","at":[0.45,0.3],"size":[0.1,0.1],"surface":[40,-20,10]}])",
        R"(,"charts":[])",
        R"(,"charts":[],"objects":[{"shape":"frond","at":[0.5,0.5],"size":[0.6,0.5],"surface":[40,-30,30],"branches":20}])"};
    for (const char* c : clutter) {
        // A scene without the usual chart: the member "charts" is replaced.
        std::string text = test::scene_text({.width = 900, .height = 600});
        text = text.substr(0, text.find("\"charts\"")) + std::string(c).substr(1) + "}";
        const auto r = simulate::render(simulate::parse_scene(text, "scene"));
        EXPECT_TRUE(find::locate(frame_of(r), chart::installed()).empty()) << c;
    }
    // A grid of 24 squares in other colours is no chart either.
    std::string squares =
        R"({"refero_scene":1,"size":[900,600],"camera":"stills-a","light":"window","background":{"surface":[20,0,0]},"objects":[)";
    for (int i = 0; i < 24; ++i)
        squares += std::string(i ? "," : "") + R"({"shape":"rectangle","at":[)" + std::to_string(0.2 + 0.1 * (i % 6)) +
                   "," + std::to_string(0.2 + 0.15 * (i / 6)) + R"(],"size":[0.085,0.085],"surface":{"random":)" +
                   std::to_string(100 + i) + "}}";
    const auto r = simulate::render(simulate::parse_scene(squares + "]}", "scene"));
    EXPECT_TRUE(find::locate(frame_of(r), chart::installed()).empty());
}

TEST(Find, a_mirrored_chart_is_told_apart) {
    auto scene = simulate::parse_scene(test::scene_text({.width = 900, .height = 600}), "scene");
    scene.charts[0].mirrored = true;
    const auto r = simulate::render(scene);
    const auto found = find::locate(frame_of(r), {test::grid24()});
    ASSERT_EQ(found.size(), 1u);
    EXPECT_TRUE(found[0].mirrored);
    EXPECT_LT(corner_error(found[0], r.charts[0]), 1.5);
}

TEST(Find, a_search_can_be_stopped) {
    std::stop_source stop;
    stop.request_stop();
    const auto r = test::rendered({.width = 300, .height = 200});
    EXPECT_THROW(find::locate(frame_of(r), {test::grid24()}, stop.get_token()), Error);
}

// The reading of a file against its truth: DNG and TIFF, brightest parts at 60, 80 and 95 percent of saturation.
TEST(Read, readings_agree_with_the_truth_within_half_a_percent) {
    Scratch scratch;
    for (const char* kind : {".dng", ".tif"})
        for (const double brightest : {0.6, 0.8, 0.95})
            for (const char* light : {"window", "tungsten"}) {
                Shot s{.camera = "stills-b", .light = light, .white = brightest};
                s.more =
                    R"(,"objects":[{"shape":"rectangle","at":[0.06,0.08],"size":[0.06,0.06],"surface":{"grey":1}}],"lens":{"vignetting_stops":0})";
                const fs::path file = scratch / (std::string("a") + kind);
                const auto r = test::shoot(s, file);
                EXPECT_NEAR(*std::max_element(r.rgb.begin(), r.rgb.end()), brightest, 0.02);
                const auto shot = operations::take_shot(file, {.chart = "grid24"});
                std::vector<double> off;
                for (const auto& t : r.charts[0].patches)
                    for (std::size_t c = 0; c < 3; ++c)
                        if (t.mean[c] > 0.02) off.push_back(std::abs(shot.reading.find(t.id)->mean[c] / t.mean[c] - 1));
                std::sort(off.begin(), off.end());
                test::measured("reading of %s, %s, brightest %2.0f %%: median error %.4f %%, largest %.3f %%", kind + 1,
                               light, brightest * 100, off[off.size() / 2] * 100, off.back() * 100);
                EXPECT_GT(off.size(), 50u);
                EXPECT_LT(off[off.size() / 2], 0.005);
                EXPECT_LT(off.back(), 0.02);
            }
}

TEST(Read, clipping_and_noise_are_told_a_patch) {
    Scratch scratch;
    test::shoot({.white = 1.2}, scratch / "hot.dng");
    const auto hot = operations::take_shot(scratch / "hot.dng", {.chart = "grid24"}).reading;
    EXPECT_GT(hot.find("D1")->clipped, 0.95); // 90 % of 1.2 of saturation
    EXPECT_EQ(hot.find("D4")->clipped, 0);
    EXPECT_GT(hot.find("D4")->pixels, 200);
    // More light, less relative noise (photon noise grows with the root of the signal).
    const auto relative = [&](const char* id) { return hot.find(id)->sd[1] / hot.find(id)->mean[1]; };
    EXPECT_LT(relative("D3"), relative("D6"));
    EXPECT_GT(relative("D6"), 0);
}

TEST(Read, a_reading_does_not_depend_on_dust) {
    auto r = test::rendered({.width = 1200, .height = 800, .rotation_deg = 0, .tilt_deg = 0});
    auto f = frame_of(r);
    const auto placement = find::placement_from(test::grid24(), r.charts[0].corners, f);
    const auto clean = read::measure(f, placement, test::grid24());
    const auto quad =
        chart::patch_quad(test::grid24().patches[14], chart::pixels_from_mm(test::grid24(), r.charts[0].corners), 0.3);
    for (int y = int(quad[0].y()); y < int(quad[0].y()) + 5; ++y)
        for (int x = int(quad[0].x()); x < int(quad[0].x()) + 5; ++x) std::fill(f.at(x, y), f.at(x, y) + 3, 0.0f);
    const auto dusty = read::measure(f, placement, test::grid24());
    EXPECT_NEAR(dusty.patches[14].mean[0] / clean.patches[14].mean[0], 1, 0.001);
}

TEST(Read, corners_by_hand_are_checked_and_used) {
    auto r = test::rendered({.width = 600, .height = 400});
    const auto f = frame_of(r);
    auto crossed = r.charts[0].corners;
    std::swap(crossed[1], crossed[2]);
    EXPECT_THROW(find::placement_from(test::grid24(), crossed, f), Error);
    chart::Corners outside = r.charts[0].corners;
    for (auto& p : outside) p.x() += 300; // a part of the chart beyond the frame
    const auto reading = read::measure(f, find::placement_from(test::grid24(), outside, f), test::grid24());
    EXPECT_EQ(reading.find("A6")->pixels, 0);
    EXPECT_TRUE(std::isnan(reading.find("A6")->mean[0]));
}

TEST(Read, readings_average_by_pixels_and_survive_cgats) {
    read::Reading a{"grid24", {{"A1", {0.2, 0.4, 0.6}, {0.01, 0.01, 0.01}, 0, 100}}}, b = a;
    b.patches[0].mean = {0.4, 0.4, 0.6};
    b.patches[0].pixels = 300;
    EXPECT_NEAR(read::average({a, b}).patches[0].mean[0], 0.35, 1e-12);
    b.patches[0].id = "A2";
    EXPECT_THROW(read::average({a, b}), Error);
    Scratch scratch;
    read::save_cgats(a, scratch / "a.cgats");
    EXPECT_NEAR(read::load_cgats(scratch / "a.cgats").patches.at(0).mean[2], 0.6, 1e-6);
}

// The stated 95 % intervals of the means against the noise-free truth: raw and TIFF, four exposures, patches large and
// small.
TEST(Read, the_stated_uncertainty_holds) {
    Scratch scratch;
    int inside = 0, all = 0;
    for (const char* name : {"a.dng", "a.tif"})
        for (const double white : {0.9, 0.5, 0.2, 0.05})
            for (const int seed : {1, 2, 3}) {
                const auto r = test::shoot({.width = 900,
                                            .height = 600,
                                            .white = white,
                                            .chart_width = 0.2 + 0.15 * seed,
                                            .rotation_deg = 9.0 * seed,
                                            .seed = seed,
                                            .more = R"(,"iso":800)"},
                                           scratch / name);
                const auto f = frame::read(scratch / name);
                const auto reading =
                    read::measure(f, find::placement_from(test::grid24(), r.charts[0].corners, f), test::grid24());
                for (std::size_t i = 0; i < 24; ++i)
                    for (std::size_t c = 0; c < 3; ++c) {
                        ASSERT_GT(reading.patches[i].error[c], 0);
                        inside += std::abs(reading.patches[i].mean[c] - r.charts[0].patches[i].mean[c]) <
                                  1.96 * reading.patches[i].error[c];
                        ++all;
                    }
            }
    test::measured("95 %% intervals of patch means that hold the truth: %.1f %% of %d", 100.0 * inside / all, all);
    EXPECT_GT(inside, 0.90 * all);
    EXPECT_LT(inside, 0.98 * all);
}

// Independent truth: the simulated sensor's own electrons. Green of a raw cell is the mean of two sites: twice as many.
TEST(Read, the_noise_model_finds_the_sensors_electrons) {
    Scratch scratch;
    const auto r = test::shoot({.chart_width = 0.6, .seed = 5, .more = R"(,"iso":1600)"}, scratch / "a.dng");
    const auto f = frame::read(scratch / "a.dng");
    const auto noise = read::noise_model(
        read::measure(f, find::placement_from(test::grid24(), r.charts[0].corners, f), test::grid24()));
    ASSERT_TRUE(noise);
    const auto& camera = r.scene.camera;
    const double electrons = camera.full_well_e * camera.base_iso / 1600;
    for (std::size_t c = 0; c < 3; ++c) {
        const double sites = c == 1 ? 2 : 1;
        EXPECT_NEAR((*noise)[c].electrons_at_saturation(), sites * electrons, 0.15 * sites * electrons) << c;
        EXPECT_NEAR((*noise)[c].sd(0.18),
                    std::sqrt((0.18 * electrons + camera.read_noise_e * camera.read_noise_e) / sites) / electrons,
                    0.0002)
            << c;
    }
}

// Dust and scratches of up to a tenth of the patch leave the mean within its uncertainty (times three).
TEST(Read, dust_and_scratches_hardly_move_the_mean) {
    Scratch scratch;
    const auto r = test::shoot({.chart_width = 0.6, .seed = 4}, scratch / "a.tif");
    auto f = frame::read(scratch / "a.tif");
    const auto placement = find::placement_from(test::grid24(), r.charts[0].corners, f);
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x)
            if ((x / 3 + 5 * (y / 3)) % 14 == 0 || x % 60 == 7)
                for (int c = 0; c < 3; ++c) f.at(x, y)[c] *= x % 60 == 7 ? 1.6f : 0.4f;
    const auto reading = read::measure(f, placement, test::grid24());
    for (std::size_t i = 0; i < 18; ++i) // of the dark neutrals a scratch is within the noise
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(reading.patches[i].mean[c], r.charts[0].patches[i].mean[c],
                        0.006 * r.charts[0].patches[i].mean[c] + 3 * reading.patches[i].error[c])
                << i << " " << c;
}

} // namespace
} // namespace refero
