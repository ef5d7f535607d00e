// Breaks between lights, and frames that no chart stands for. Times and wanderings of automatic balances: common
// practice.
#include "shoot/runs.hpp"

#include <cmath>

#include "shoot/assign.hpp"
#include "shoot/time.hpp"
#include "support.hpp"

namespace refero::shoot {
namespace {

/// One camera, two lights with a chart each, and frames every two minutes: from 10:00 under the first, from 11:00 under
/// the second.
struct CardDay : ::testing::Test {
    Shoot s;

    CardDay() {
        s.briefs = {JobSettingsRecord{}};
        s.cameras = {CameraRecord{.id = 1, .name = "Stills A"}};
        s.modes = {ModeRecord{.id = 1, .name = "raw"}};
        s.lights = {LightRecord{.id = 1, .name = "Light 1"}, LightRecord{.id = 2, .name = "Light 2"}};
        s.setups = {SetupRecord{.id = 1, .camera = 1, .mode = 1, .light = 1},
                    SetupRecord{.id = 2, .camera = 1, .mode = 1, .light = 2}};
        light(10 * 60, 5500, 1);
        light(11 * 60, 3000, 2);
    }
    FrameRecord& add(int minute, double kelvin) {
        s.frames.push_back({.id = static_cast<Id>(s.frames.size() + 1),
                            .path = formatted("/card/{}.dng", s.frames.size() + 1),
                            .raw = true,
                            .camera = 1,
                            .mode = 1,
                            .taken = formatted("2026-05-04T{:02d}:{:02d}:00", minute / 60, minute % 60),
                            .exposure_s = 0.01,
                            .f_number = 8,
                            .iso = 100,
                            .as_shot_kelvin = kelvin});
        return s.frames.back();
    }
    /// Frames of a light, `setup` 0: without a chart.
    void light(int minute, double kelvin, Id setup) {
        for (int i = 0; i < 10; ++i) {
            FrameRecord& f = add(minute + 2 * i, kelvin + (i % 2 ? 150 : -150));
            if (i || !setup) continue;
            f.kind = FrameKind::chart;
            f.setup = setup;
            s.chart_shots.push_back({.id = setup, .setup = setup, .frame = f.id});
        }
    }
    void place() {
        for (const Move& m : moves(s))
            for (FrameRecord& f : s.frames)
                if (f.id == m.frame) {
                    f.setup = m.to.setup;
                    f.reason = m.to.reason;
                }
    }
};

TEST_F(CardDay, a_break_parts_lights) {
    const Runs runs(s);
    EXPECT_FALSE(runs.apart(seconds_of("2026-05-04T10:00:00"), seconds_of("2026-05-04T10:18:00")));
    EXPECT_TRUE(runs.apart(seconds_of("2026-05-04T10:18:00"), seconds_of("2026-05-04T11:00:00")));
    EXPECT_FALSE(runs.apart(NAN, seconds_of("2026-05-04T11:00:00")));
    place();
    EXPECT_TRUE(forgotten(s).empty());
    for (const FrameRecord& f : s.frames) EXPECT_EQ(f.setup, f.id <= 10 ? 1 : 2) << f.taken;
}

TEST_F(CardDay, a_slow_pace_is_no_break) {
    Shoot slow = s;
    slow.frames.clear();
    std::swap(slow, s);
    for (int i = 0; i < 8; ++i) add(600 + 20 * i, 5500);
    EXPECT_FALSE(Runs(s).apart(seconds_of("2026-05-04T10:00:00"), seconds_of("2026-05-04T12:20:00")));
}

TEST_F(CardDay, frames_between_breaks_without_a_chart_are_named) {
    light(12 * 60, 7000, 0); // the camera balanced for something else
    place();
    const auto all = forgotten(s);
    ASSERT_EQ(all.size(), 1u);
    EXPECT_EQ(all[0].frames.size(), 10u);
    EXPECT_EQ(all[0].from, "2026-05-04T12:00:00");
    EXPECT_EQ(all[0].to, "2026-05-04T12:18:00");
    EXPECT_NE(all[0].reason.find("balanced for"), std::string::npos) << all[0].reason;
}

TEST_F(CardDay, a_light_that_the_balance_knows_again_is_the_same_one) {
    light(12 * 60, 3050, 0);
    place();
    EXPECT_TRUE(forgotten(s).empty());
    EXPECT_EQ(s.frames.back().setup, 2);
}

TEST_F(CardDay, with_a_preset_flash_settings_and_time_tell) {
    for (FrameRecord& f : s.frames) f.as_shot_kelvin = 5200;
    light(12 * 60, 5200, 0);
    for (FrameRecord& f : s.frames) f.as_shot_kelvin = 5200;
    place();
    ASSERT_EQ(forgotten(s).size(), 1u);
    EXPECT_NE(forgotten(s)[0].reason.find("between the breaks"), std::string::npos) << forgotten(s)[0].reason;
    for (FrameRecord& f : s.frames)
        if (f.id > 20) f.exposure_s = 0.04;
    place();
    EXPECT_NE(forgotten(s)[0].reason.find("2.0 stops less light"), std::string::npos) << forgotten(s)[0].reason;
    for (FrameRecord& f : s.frames)
        if (f.id > 20) f.flash = true;
    place();
    EXPECT_NE(forgotten(s)[0].reason.find("the flash fired"), std::string::npos) << forgotten(s)[0].reason;
}

TEST_F(CardDay, a_single_light_keeps_frames_after_a_pause) {
    s.frames.resize(10);
    s.chart_shots.resize(1);
    light(14 * 60, 5500, 0);
    for (FrameRecord& f : s.frames) f.as_shot_kelvin = 5200; // a preset
    place();
    EXPECT_TRUE(forgotten(s).empty());
}

TEST_F(CardDay, within_a_run_a_flash_needs_a_chart_of_its_own) {
    s.frames[5].flash = true;
    place();
    EXPECT_EQ(s.frames[5].setup, 0);
    EXPECT_EQ(s.frames[6].setup, 1);
}

TEST_F(CardDay, a_frame_put_by_hand_stays) {
    light(12 * 60, 7000, 0);
    s.frames.back().by_hand = true;
    s.frames.back().setup = 1;
    place();
    EXPECT_EQ(s.frames.back().setup, 1);
}

} // namespace
} // namespace refero::shoot
