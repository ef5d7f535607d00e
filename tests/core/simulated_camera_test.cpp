// The simulated camera that stands in for a tethered one: what it sees is what the setup and the mistake say.
#include "operations/demo/simulated_camera.hpp"

#include <cmath>

#include "support.hpp"

namespace refero::operations {
namespace {

using test::Scratch;

shoot::Shoot shoot() {
    shoot::Shoot s;
    s.cameras = {{.id = 1, .name = "Stills A", .model = "Stills A", .serial_number = "SA-1042"},
                 {.id = 2,
                  .name = "Own camera",
                  .model = "Model X",
                  .serial_number = "X-1",
                  .sensor_width_mm = 17.3,
                  .sensor_height_mm = 13,
                  .clock_offset_s = 90}};
    s.lenses = {{.id = 1, .name = "Lens 85 mm", .focal_mm = 85, .focal_max_mm = 85}};
    s.lights = {{.id = 1, .name = "Lamp", .kind = shoot::LightKind::tungsten, .kelvin = 3100},
                {.id = 2, .name = "Flash", .kind = shoot::LightKind::flash}};
    s.setups = {{.id = 1, .camera = 1, .lens = 1, .light = 1, .f_number = 11}, {.id = 2, .camera = 2, .light = 2}};
    return s;
}

TEST(SimulatedCamera, sees_the_setups_light_through_its_lens) {
    const auto s = simulated_scene(shoot(), 1, {.taken = "2026-05-04T10:00:00"});
    EXPECT_EQ(s.camera.serial_number, "SA-1042");
    EXPECT_EQ(s.lens, "Lens 85 mm");
    EXPECT_EQ(s.f_number, 11);
    EXPECT_EQ(s.taken, "2026-05-04T10:00:00");
    const auto t = colour::correlated_temperature(colour::chromaticity_of(colour::white_of(s.light)));
    EXPECT_NEAR(t.kelvin, 3100, 5);
    ASSERT_EQ(s.charts.size(), 1u);
}

TEST(SimulatedCamera, an_unknown_camera_keeps_its_own_name_and_clock) {
    const auto s = simulated_scene(shoot(), 2, {.taken = "2026-05-04T10:00:00"});
    EXPECT_EQ(s.camera.model, "Model X");
    EXPECT_EQ(s.camera.serial_number, "X-1");
    EXPECT_EQ(s.light_name, "flash");
    EXPECT_EQ(s.taken, "2026-05-04T09:58:30"); // 90 s are added to its time to get the job's
    EXPECT_NEAR(static_cast<double>(s.width) / s.height, 17.3 / 13, 0.01);
    EXPECT_NEAR(s.focal_35mm_mm, 85 * 43.27 / std::hypot(17.3, 13), 0.01);
    EXPECT_THROW(simulated_scene(shoot(), 99, {}), Error);
}

// The share of the frame that was asked for is the share that is found.
TEST(SimulatedCamera, the_chart_covers_the_share_that_was_asked_for) {
    for (const double share : {0.05, 0.1, 0.3}) {
        auto s = simulated_scene(shoot(), 1, {.tilt_deg = 0, .share = share});
        s.width = 900;
        s.height = 600;
        EXPECT_NEAR(simulate::render(s).charts[0].frame_fraction, share, 0.06 * share);
    }
}

TEST(SimulatedCamera, mistakes_show_in_what_is_true_of_the_frame) {
    const auto truth = [](Mistake m) {
        auto s = simulated_scene(shoot(), 1, {.share = 0.2, .mistake = m});
        s.width = 600;
        s.height = 400;
        return simulate::render(s).charts.at(0);
    };
    const auto plain = truth(Mistake::none);
    EXPECT_GT(truth(Mistake::tilted).tilt_deg, 35);
    EXPECT_LT(truth(Mistake::small).frame_fraction, 0.006);
    EXPECT_TRUE(truth(Mistake::mirrored).mirrored);
    EXPECT_GT((truth(Mistake::upside_down).corners[0] - plain.corners[0]).norm(), 100);
    EXPECT_GT(truth(Mistake::overexposed).patches[18].clipped, 0.9); // white
    EXPECT_LT(truth(Mistake::underexposed).patches[18].mean[1], 0.06);
    EXPECT_GT(truth(Mistake::cut_off).corners[1].x(), 600);
    const auto finger = truth(Mistake::finger);
    int covered = 0;
    for (std::size_t i = 0; i < 24; ++i)
        covered += std::abs(finger.patches[i].mean[0] - plain.patches[i].mean[0]) > 0.03;
    EXPECT_GE(covered, 1);
    EXPECT_LE(covered, 8);
    EXPECT_EQ(simulated_scene(shoot(), 1, {.mistake = Mistake::no_lens_data}).lens, "");
    EXPECT_GT(simulated_scene(shoot(), 1, {.mistake = Mistake::out_of_focus}).blur_px, 10);
    EXPECT_GT(simulated_scene(shoot(), 1, {.mistake = Mistake::uneven}).falloff_stops, 2);
    EXPECT_TRUE(simulated_scene(shoot(), 1, {.chart = false}).charts.empty());
}

TEST(SimulatedCamera, files_are_numbered_on) {
    Scratch scratch;
    EXPECT_EQ(next_file(shoot(), 1, scratch.folder()).filename(), "SA_0001.dng");
    test::written(scratch / "SA_0001.dng", "x");
    EXPECT_EQ(next_file(shoot(), 1, scratch.folder()).filename(), "SA_0002.dng");
    EXPECT_EQ(next_file(shoot(), 2, scratch.folder()).filename(), "OC_0001.dng");
}

} // namespace
} // namespace refero::operations
