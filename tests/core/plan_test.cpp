// Planning: optics by hand and by published formulas, the shot list, where frames belong, staleness.
#include "plan/shot_list.hpp"
#include "shoot/assign.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/records.hpp"
#include "shoot/settings.hpp"
#include "shoot/time.hpp"

#include <cmath>
#include <regex>
#include <set>
#include <sstream>

#include "support.hpp"

namespace refero::plan {

using namespace shoot;
namespace {

/// Three cameras, four lights, all combinations.
Shoot three_by_four() {
    Shoot s;
    s.briefs = {JobSettingsRecord{.stretch_school = StretchSchool::first}};
    s.places = {{1, "Reading room", ""}, {2, "Studio", ""}};
    for (int i = 0; i < 3; ++i)
        s.cameras.push_back(CameraRecord{.id = i + 1,
                                         .name = "Camera " + std::to_string(i + 1),
                                         .model = "Model " + std::to_string(i + 1),
                                         .serial_number = "S" + std::to_string(i + 1),
                                         .position = i});
    s.lenses = {LensRecord{.id = 1, .name = "Lens 50 mm"},
                LensRecord{.id = 2, .name = "Lens 85 mm", .focal_mm = 85, .focal_max_mm = 85, .nearest_m = 0.8}};
    s.modes = {ModeRecord{.id = 1, .name = "raw"},
               ModeRecord{.id = 2, .name = "video", .kind = ModeKind::video, .encoding = "bt709"}};
    s.lights = {
        LightRecord{.id = 1, .name = "Window", .kind = LightKind::window, .kelvin = 6500, .place = 1, .position = 0},
        LightRecord{.id = 2, .name = "Flash", .kind = LightKind::flash, .kelvin = 5500, .place = 2, .position = 1},
        LightRecord{
            .id = 3, .name = "Tungsten", .kind = LightKind::tungsten, .kelvin = 2900, .place = 1, .position = 2},
        LightRecord{.id = 4, .name = "Panel", .kind = LightKind::led, .kelvin = 4300, .place = 2, .position = 3}};
    s.cards = {CardRecord{.id = 1, .name = "Small chart", .definition = "grid24", .width_mm = 40, .height_mm = 27},
               CardRecord{.id = 2, .name = "Hand chart", .definition = "grid24", .width_mm = 216, .height_mm = 144},
               CardRecord{.id = 3, .name = "Large chart", .definition = "grid24", .width_mm = 1500, .height_mm = 1000}};
    Id id = 0;
    for (const CameraRecord& c : s.cameras)
        for (const LightRecord& l : s.lights)
            s.setups.push_back(SetupRecord{.id = ++id, .camera = c.id, .mode = 1, .light = l.id});
    return s;
}

FrameRecord taken(Id id, Id camera, const std::string& at) {
    return FrameRecord{.id = id,
                       .path = "/card/" + std::to_string(id) + ".dng",
                       .camera = camera,
                       .mode = 1,
                       .taken = "2026-05-04T" + at};
}
void add_chart_shot(Shoot& s, Id frame, Id setup, Id camera, const std::string& at) {
    s.frames.push_back(taken(frame, camera, at));
    s.frames.back().kind = FrameKind::chart;
    s.frames.back().setup = setup;
    s.chart_shots.push_back(ChartShotRecord{.id = frame, .setup = setup, .frame = frame});
}

// By hand: a chart of 216 x 144 mm shall cover a tenth of a 36 x 24 mm sensor. m = sqrt(0.1 * 864 / 31104) = 0.0527046;
// 1/f = 1/u + 1/v with v = m u gives u = f (1 + 1/m) = 50 * 19.9737 = 998.68 mm; v = 52.64 mm.
TEST(Optics, the_distance_is_that_of_the_thin_lens) {
    const Shoot s = three_by_four();
    const Holding h = hold(s.cameras[0], s.lenses[0], s.cards[1], 30, 8, 0.1);
    EXPECT_NEAR(h.magnification, 0.0527046, 1e-6);
    EXPECT_NEAR(h.distance_mm, 998.68, 0.01);
    EXPECT_NEAR(h.from_sensor_mm, 998.68 + 52.64, 0.01);
    EXPECT_NEAR(1 / h.distance_mm + 1 / (h.from_sensor_mm - h.distance_mm), 1 / 50.0, 1e-9);
    EXPECT_NEAR(h.patch_px, 30 * 0.0527046 * 6000 / 36, 1e-3); // 263.5 px
    EXPECT_NEAR(share_at(s.cameras[0], s.lenses[0], s.cards[1], h.from_sensor_mm), 0.1, 1e-9);
    EXPECT_FALSE(h.too_near);
}

TEST(Optics, a_chart_too_small_for_the_nearest_focus_is_said_to_be) {
    const Shoot s = three_by_four();
    const Holding h =
        hold(s.cameras[0], s.lenses[1], s.cards[0], 5, 8, 0.1); // 40 mm before 85 mm that focuses from 0.8 m
    EXPECT_TRUE(h.too_near);
    EXPECT_NEAR(h.from_sensor_mm, 800, 1e-6);
    EXPECT_LT(h.share, 0.1);
    EXPECT_NEAR(85 * (2 + h.magnification + 1 / h.magnification), 800, 1e-6);
}

// Depth of field against its definition, not against its formula: a point at the limit is imaged by the thin lens as a
// disc of just the circle of confusion (similar triangles behind the aperture; Ray, Applied Photographic Optics,
// 3rd ed. 2002, ch. 22).
TEST(Optics, at_the_limits_of_depth_of_field_the_blur_is_the_circle_of_confusion) {
    const auto image = [](double f, double u) { return f * u / (u - f); };
    for (const double f : {24.0, 50.0, 135.0})
        for (const double n : {2.8, 8.0, 16.0})
            for (const double u : {400.0, 1000.0, 2600.0}) {
                const double c = 0.029, aperture = f / n;
                const DepthOfField d = depth_of_field(f, n, u, c);
                const double blur_near = aperture * (image(f, d.near_mm) - image(f, u)) / image(f, d.near_mm);
                EXPECT_NEAR(blur_near, c, 1e-9) << f << " " << n << " " << u;
                if (!std::isfinite(d.far_mm)) continue;
                EXPECT_NEAR(aperture * (image(f, u) - image(f, d.far_mm)) / image(f, d.far_mm), c, 1e-9);
            }
    // Beyond the hyperfocal distance all is sharp to infinity: 50 mm at f/8, 0.03 mm: 10.47 m (published tables; from
    // memory).
    EXPECT_TRUE(std::isinf(depth_of_field(50, 8, 10470, 0.03).far_mm));
    EXPECT_FALSE(std::isinf(depth_of_field(50, 8, 10460, 0.03).far_mm));
    EXPECT_NEAR(confusion_mm(CameraRecord{}), 0.0288, 1e-4); // 36 x 24 mm, diagonal 43.27 mm
}

TEST(Optics, a_tilted_chart_stays_sharp_as_far_as_the_depth_reaches) {
    const Shoot s = three_by_four();
    const Holding wide = hold(s.cameras[0], s.lenses[0], s.cards[1], 30, 1.4, 0.1),
                  closed = hold(s.cameras[0], s.lenses[0], s.cards[1], 30, 16, 0.1);
    EXPECT_LT(wide.largest_tilt_deg, closed.largest_tilt_deg);
    // At that tilt the far corner is just at the limit.
    const double half = std::hypot(216, 144) / 2, reach = half * std::sin(wide.largest_tilt_deg * M_PI / 180);
    EXPECT_NEAR(std::min(wide.depth.far_mm - wide.distance_mm, wide.distance_mm - wide.depth.near_mm), reach, 1e-6);
}

// The school "fill": a tenth stays free along the tighter side.
TEST(Optics, the_schools_of_share) {
    const Shoot s = three_by_four();
    EXPECT_DOUBLE_EQ(wanted_share(s.cameras[0], s.cards[1], ShareSchool::tenth), 0.1); // common practice: about 10 %
    EXPECT_NEAR(wanted_share(s.cameras[0], s.cards[1], ShareSchool::fill), 0.81, 1e-9);
}

// "Pick the chart by size: a small one for close-ups, a hand-held one for portraits, a large one for long shots"
// (common practice).
TEST(Optics, the_chart_is_picked_by_size) {
    const Shoot s = three_by_four();
    shoot::SetupRecord setup = s.setups[0];
    setup.lens = 1;
    EXPECT_EQ(card_for(s, setup)->name, "Hand chart");
    setup.subject_m = 0.45;
    EXPECT_EQ(card_for(s, setup)->name, "Small chart");
    setup.subject_m = 1.2;
    EXPECT_EQ(card_for(s, setup)->name, "Hand chart");
    setup.subject_m = 8;
    EXPECT_EQ(card_for(s, setup)->name, "Large chart");
    setup.card = 1;
    EXPECT_EQ(card_for(s, setup)->name, "Small chart");
}

// 18 % grey: BT.709 OETF 1.099 * 0.18^0.45 - 0.099 = 40.9 % (ITU-R BT.709-6); 38 % in HLG and in PQ (ITU-R BT.2408-7,
// table 1); ACEScct 0.4136 (S-2016-001). Middle grey of display-referred video just under 50 (common practice).
TEST(Levels, grey_lies_where_the_standards_put_it) {
    const auto grey = [](const char* encoding, ExposureSchool school = ExposureSchool::metered) {
        return levels_of(ModeRecord{0, "", ModeKind::video, encoding, ""}, school).grey;
    };
    EXPECT_NEAR(grey("bt709"), 1.099 * std::pow(0.18, 0.45) - 0.099, 1e-4);
    EXPECT_NEAR(grey("hlg"), 0.38, 0.005);
    EXPECT_NEAR(grey("pq"), 0.38, 0.005);
    EXPECT_NEAR(grey("acescct"), 0.4136, 1e-4);
    EXPECT_GT(grey("srgb"), 0.4);
    EXPECT_LT(grey("srgb"), 0.5);
    EXPECT_NEAR(grey("acescct", ExposureSchool::one_over) - grey("acescct"), 1 / 17.52, 1e-4); // a stop in that curve
    const Levels l = levels_of(ModeRecord{0, "", ModeKind::video, "acescct", ""}, ExposureSchool::one_over);
    EXPECT_LT(l.dark_skin, l.light_skin);
    EXPECT_LT(l.light_skin, l.white);
    EXPECT_THROW(levels_of(ModeRecord{0, "", ModeKind::video, "no such curve", ""}, ExposureSchool::metered), Error);
}

TEST(ShotList, nothing_is_moved_twice) {
    const Shoot s = three_by_four();
    const ShotList list = shot_list(s);
    EXPECT_EQ(list.shots(), 12);
    ASSERT_EQ(list.groups.size(), 4u); // each light once
    std::vector<std::string> places;
    for (const LightGroup& g : list.groups) {
        EXPECT_EQ(g.shots.size(), 3u);
        EXPECT_FALSE(g.cautions.empty()) << g.title;
        const std::string place = g.title.substr(g.title.find(", ") + 2);
        if (places.empty() || places.back() != place) places.push_back(place);
    }
    EXPECT_EQ(places, (std::vector<std::string>{"Reading room", "Studio"})); // each place once
    const PlannedShot& p = list.groups[0].shots[0];
    EXPECT_NE(p.hold.find("1.05 m from the camera"), std::string::npos) << p.hold;
    EXPECT_NE(p.chart.find("Hand chart (216 x 144 mm)"), std::string::npos);
    EXPECT_FALSE(p.done);
}

TEST(ShotList, it_follows_the_schools_and_names_what_is_missing) {
    Shoot s = three_by_four();
    s.briefs[0].matching = true;
    s.briefs[0].balance_school = BalanceSchool::automatic;
    s.briefs[0].exposure_school = ExposureSchool::one_over;
    s.setups[0].balance_only = true;
    s.setups[4].mode = 2;
    add_chart_shot(s, 1, 2, 1, "09:00:00");
    const std::string text = as_text(shot_list(s));
    const std::string flowing = std::regex_replace(text, std::regex("\\s+"), " "); // lines are broken anywhere
    for (const char* words :
         {"balance only", "For finished JPEGs and same-day delivery", "[x]", "[ ]", "one stop over",
          "saturated purple, red and green", "Fallbacks still missing", "Camera 1, daylight", "Hot lamps",
          "Never fire a flash near eyes", "it measures the room's lamps", "qualified person", "note: ____"})
        EXPECT_NE(flowing.find(words), std::string::npos) << words << "\n" << text;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);) EXPECT_LE(line.size(), 90u) << line;
    s.briefs[0].fallbacks = false;
    EXPECT_EQ(as_text(shot_list(s)).find("Fallbacks"), std::string::npos);
}

TEST(Fallbacks, one_for_each_camera_and_common_kind_of_light) {
    Shoot s = three_by_four();
    EXPECT_EQ(missing_fallbacks(s).size(), 3u * 5u); // daylight, shade, tungsten, fluorescent, flash (common practice)
    s.fallbacks.push_back(
        FallbackRecord{.id = 1, .camera = "Camera 1", .kind = LightKind::window, .content = "{}"}); // daylight
    EXPECT_EQ(missing_fallbacks(s).size(), 14u);
    EXPECT_FALSE(fallback_kind(LightKind::led));
}

TEST(Recognise, cameras_by_serial_number_then_by_model) {
    Shoot s = three_by_four();
    EXPECT_EQ(recognise(s, FrameRecord{.model = "Model 2", .serial_number = "S2"}).camera, 2);
    EXPECT_EQ(recognise(s, FrameRecord{.model = "Model 2", .serial_number = "other"}).camera,
              0); // the same model, another camera
    s.cameras[1].serial_number.clear();
    EXPECT_EQ(recognise(s, FrameRecord{.model = "model 2", .serial_number = "other"}).camera, 2);
    EXPECT_EQ(recognise(s, FrameRecord{.model = ""}).camera, 0);
}

TEST(Recognise, a_lens_that_leaves_no_data_is_asked_for_once) {
    Shoot s = three_by_four();
    FrameRecord f{.model = "Model 1", .serial_number = "S1", .lens_name = "lens 85 MM"};
    EXPECT_EQ(recognise(s, f).lens, 2);
    f.lens_name.clear();
    EXPECT_TRUE(recognise(s, f).asks_for_lens);
    s.cameras[0].silent_lens = 1;
    EXPECT_FALSE(recognise(s, f).asks_for_lens);
    EXPECT_EQ(recognise(s, f).lens, 1);
}

TEST(Recognise, raw_and_jpeg_and_a_copy_on_a_second_card_are_one_frame) {
    Shoot s = three_by_four();
    s.frames = {FrameRecord{.id = 1,
                            .path = "/a/P_0001.dng",
                            .size = 100,
                            .sha256 = "aa",
                            .model = "Model 1",
                            .serial_number = "S1",
                            .taken = "2026-05-04T10:00:00"}};
    FrameRecord jpeg{.id = 2,
                     .path = "/a/P_0001.JPG",
                     .size = 20,
                     .sha256 = "bb",
                     .model = "Model 1",
                     .serial_number = "S1",
                     .taken = "2026-05-04T10:00:00"};
    EXPECT_EQ(companion_of(s, jpeg), 1);
    FrameRecord copy{.id = 3, .path = "/b/P_0001.dng", .size = 100, .sha256 = "aa"};
    EXPECT_EQ(companion_of(s, copy), 1);
    FrameRecord later = jpeg;
    later.taken = "2026-05-04T10:00:01"; // numbers start over on a new card
    EXPECT_EQ(companion_of(s, later), 0);
    FrameRecord other = jpeg;
    other.serial_number = "S2";
    EXPECT_EQ(companion_of(s, other), 0);
}

TEST(Assign, a_chart_shot_finds_its_light_by_colour_flash_and_order) {
    Shoot s = three_by_four();
    const FrameRecord f = taken(1, 1, "09:00:00");
    const auto to = [&](double kelvin, bool flash = false) {
        FrameRecord g = f;
        g.flash = flash;
        const Assignment a = assign_chart(s, g, kelvin);
        EXPECT_FALSE(a.reason.empty());
        return a.setup;
    };
    EXPECT_EQ(to(6800), 1);
    EXPECT_EQ(to(2800), 3);
    EXPECT_EQ(to(4400), 4);
    EXPECT_EQ(to(5600, true), 2);
    EXPECT_EQ(to(0), 1); // nothing measured: the next on the list
    add_chart_shot(s, 7, 1, 1, "09:00:00");
    EXPECT_EQ(to(0), 3);    // window is done, and the flash did not fire
    EXPECT_EQ(to(6800), 1); // another shot of the window
    EXPECT_EQ(assign_chart(s, FrameRecord{.model = "Unknown"}, 5000).setup, 0);
}

TEST(Assign, a_frame_belongs_to_the_latest_chart_shot_before_it) {
    Shoot s = three_by_four();
    add_chart_shot(s, 1, 1, 1, "09:00:00");
    add_chart_shot(s, 2, 3, 1, "11:00:00");
    add_chart_shot(s, 3, 5, 2, "10:00:00"); // another camera
    EXPECT_EQ(assign_ordinary(s, taken(10, 1, "10:30:00")).setup, 1);
    EXPECT_EQ(assign_ordinary(s, taken(11, 1, "11:00:00")).setup, 3);
    EXPECT_EQ(assign_ordinary(s, taken(12, 2, "23:00:00")).setup, 5);
    EXPECT_EQ(assign_ordinary(s, taken(13, 1, "08:00:00")).setup, 0);
    EXPECT_NE(assign_ordinary(s, taken(13, 1, "08:00:00")).reason.find("before the first chart shot"),
              std::string::npos);
    s.briefs[0].stretch_school = StretchSchool::last;
    EXPECT_EQ(assign_ordinary(s, taken(14, 1, "08:00:00")).setup, 1);
    EXPECT_EQ(assign_ordinary(s, taken(15, 1, "10:30:00")).setup, 3);
    EXPECT_EQ(assign_ordinary(s, taken(16, 1, "12:00:00")).setup, 3);
    s.briefs[0].stretch_school = StretchSchool::first;
    s.chart_shots[1].refused = "shadow"; // a refused shot holds for nothing
    EXPECT_EQ(assign_ordinary(s, taken(11, 1, "11:30:00")).setup, 1);
    s.cameras[0].clock_offset_s = -3600; // its clock is an hour ahead
    s.chart_shots[1].refused.clear();
    s.frames[0].taken = "2026-05-04T10:00:00";
    EXPECT_EQ(time_of(time_in_job(s, s.frames[0])), "2026-05-04T09:00:00");
}

// Recordings whose files tell no time follow each other by their time code, within one reel (SMPTE ST 12-1: hours,
// minutes, seconds, pictures).
TEST(Assign, a_recording_without_a_time_is_placed_by_its_time_code) {
    Shoot s = three_by_four();
    add_chart_shot(s, 1, 1, 1, "09:00:00");
    add_chart_shot(s, 2, 3, 1, "11:00:00");
    const auto recording = [](Id id, const char* code, const char* reel) {
        FrameRecord f = taken(id, 1, "09:00:00");
        f.taken.clear();
        f.timecode = code;
        f.reel = reel;
        f.frames_per_second = 25;
        return f;
    };
    const char* codes[] = {"10:00:00:00", "10:20:00:12"};
    for (std::size_t i = 0; i < 2; ++i) {
        s.frames[i].taken.clear();
        s.frames[i].timecode = codes[i];
        s.frames[i].reel = "A001";
        s.frames[i].frames_per_second = 25;
    }
    const Assignment first = assign_ordinary(s, recording(10, "10:05:00:00", "A001"));
    EXPECT_EQ(first.setup, 1);
    EXPECT_NE(first.reason.find("time code 10:00:00"), std::string::npos) << first.reason;
    EXPECT_EQ(assign_ordinary(s, recording(11, "10:20:00:11", "A001")).setup, 1) << "a picture before the chart";
    EXPECT_EQ(assign_ordinary(s, recording(11, "10:20:00;13", "A001")).setup, 3);
    s.frames[1].position_s = 2; // the chart is held up in the middle of that recording
    EXPECT_EQ(assign_ordinary(s, recording(11, "10:20:01:00", "A001")).setup, 1);
    EXPECT_EQ(assign_ordinary(s, recording(12, "10:05:00:00", "A002")).setup, 0) << "another reel counts anew";
    EXPECT_EQ(assign_ordinary(s, recording(13, "", "A001")).setup, 0);
    // Before its chart is known: it is placed as soon as that has come.
    s.frames.push_back(recording(14, "10:30:00:00", "A001"));
    EXPECT_EQ(moves(s).back().to.setup, 3);
    s.briefs[0].stretch_school = StretchSchool::last;
    EXPECT_EQ(assign_ordinary(s, recording(15, "09:59:00:00", "A001")).setup, 1);
}

TEST(Assign, moves_leave_alone_what_was_given_by_hand) {
    Shoot s = three_by_four();
    add_chart_shot(s, 1, 1, 1, "09:00:00");
    for (Id i = 10; i < 13; ++i) s.frames.push_back(taken(i, 1, "09:30:00"));
    s.frames[2].by_hand = true;
    s.frames[2].setup = 4;
    s.frames[3].same_as = 10;
    const auto all = moves(s);
    ASSERT_EQ(all.size(), 1u);
    EXPECT_EQ(all[0].frame, 10);
    EXPECT_EQ(all[0].to.setup, 1);
    s.frames[1].setup = 1;
    s.frames[1].reason = all[0].to.reason;
    EXPECT_TRUE(moves(s).empty());
}

/// A setup with a correction that holds.
struct Stale : testing::Test {
    Shoot s = three_by_four();
    Stale() {
        add_chart_shot(s, 1, 1, 1, "09:00:00");
        s.frames[0].iso = 100;
        s.readings.push_back(ReadingRecord{.id = 1, .chart_shot = 1, .content = "{}"});
        s.corrections.push_back(CorrectionRecord{.id = 1,
                                                 .setup = 1,
                                                 .chart_shot = 1,
                                                 .settings = fit_key(settings_of(s.setups[0], &s.chart_shots[0])),
                                                 .iso = 100,
                                                 .shot_taken = "2026-05-04T09:00:00"});
        s.proofs.push_back(ProofRecord{.id = 1, .correction = 1});
    }
    std::set<std::string> rules() {
        std::set<std::string> all;
        for (const Staleness& r : staleness(s, 1)) {
            EXPECT_FALSE(r.why.empty());
            EXPECT_FALSE(r.remedy.empty());
            all.insert(name_of(r.rule));
        }
        return all;
    }
    using Rules = std::set<std::string>;
};

TEST_F(Stale, a_fresh_correction_holds) {
    EXPECT_EQ(rules(), Rules{});
    EXPECT_EQ(state_of(s, 1), State::proved);
}
TEST_F(Stale, when_the_light_was_relit) {
    s.lights[0].changed = "2026-05-04T08:00:00"; // before the chart shot
    EXPECT_EQ(rules(), Rules{});
    s.lights[0].changed = "2026-05-04T12:00:00";
    EXPECT_EQ(rules(), Rules{"light"});
    EXPECT_EQ(state_of(s, 1), State::stale);
}
TEST_F(Stale, when_firmware_or_mode_changed) {
    s.corrections[0].firmware = "1.0";
    s.cameras[0].firmware = "1.0";
    EXPECT_EQ(rules(), Rules{});
    s.cameras[0].firmware = "1.1";
    EXPECT_EQ(rules(), Rules{"firmware"});
    s.modes[0].sub_settings = "contrast -2";
    EXPECT_EQ(rules(), (Rules{"firmware", "mode"}));
}
TEST_F(Stale, when_another_lens_is_used_in_the_strict_school) {
    s.corrections[0].lens = 1;
    s.frames.push_back(taken(9, 1, "09:10:00"));
    s.frames.back().setup = 1;
    s.frames.back().lens = 2;
    EXPECT_EQ(rules(), Rules{}); // common school: negligible
    s.briefs[0].lens_school = LensSchool::each_lens;
    EXPECT_EQ(rules(), Rules{"lens"});
}
TEST_F(Stale, when_frames_are_far_in_iso_or_late) {
    s.frames.push_back(taken(9, 1, "09:10:00"));
    s.frames.back().setup = 1;
    s.frames.back().iso = 200;
    EXPECT_EQ(rules(), Rules{});
    s.frames.back().iso = 400; // two stops
    EXPECT_EQ(rules(), Rules{"iso"});
    s.frames.back().iso = 100;
    s.frames.back().taken = "2026-06-20T09:00:00";
    EXPECT_EQ(rules(), Rules{"age"});
    s.frames.back().taken = "2026-06-02T09:00:00"; // 29 days
    EXPECT_EQ(rules(), Rules{});
}
TEST_F(Stale, when_the_chart_was_old) {
    s.setups[0].card = 2;
    s.cards[1].first_used = "2023-06-01"; // three years later is after the shot
    EXPECT_EQ(rules(), Rules{});
    s.cards[1].first_used = "2022-06-01";
    EXPECT_EQ(rules(), Rules{"chart"});
    s.cards[1].compared = "2025-01-01";
    EXPECT_EQ(rules(), Rules{});
}
TEST_F(Stale, when_the_chart_shot_was_refused_or_shot_again_or_settings_changed) {
    s.setups[0].settings = text_of(SetupSettings{.white = "D3"});
    EXPECT_EQ(rules(), Rules{"settings"});
    s.setups[0].settings.clear();
    s.chart_shots[0].refused = "a finger on B2";
    EXPECT_EQ(rules(), Rules{"refused"});
    s.chart_shots[0].refused.clear();
    add_chart_shot(s, 5, 1, 1, "10:00:00");
    EXPECT_EQ(rules(), Rules{}) << "another stretch of its time";
    s.setups[0].divided = false;
    EXPECT_EQ(rules(), Rules{"newer"});
}

TEST_F(Stale, states_follow_the_evidence) {
    EXPECT_EQ(state_of(s, 2), State::to_shoot);
    s.handovers.push_back(HandoverRecord{.id = 1, .setup = 1, .correction = 1});
    EXPECT_EQ(state_of(s, 1), State::handed_over);
    s.proofs.clear();
    EXPECT_EQ(state_of(s, 1), State::corrected);
    s.corrections.clear();
    s.handovers.clear();
    EXPECT_EQ(state_of(s, 1), State::read);
    s.readings.clear();
    EXPECT_EQ(state_of(s, 1), State::shot);
    s.findings.push_back(
        FindingRecord{.id = 1, .chart_shot = 1, .check = inspect::Check::clipping, .status = inspect::Status::reshoot});
    EXPECT_EQ(state_of(s, 1), State::refused);
    // Balance only: whole without a correction.
    add_chart_shot(s, 9, 2, 1, "10:00:00");
    s.setups[1].balance_only = true;
    s.readings.push_back(ReadingRecord{.id = 9, .chart_shot = 9});
    EXPECT_EQ(state_of(s, 2), State::read);
    s.handovers.push_back(HandoverRecord{.id = 2, .setup = 2});
    EXPECT_EQ(state_of(s, 2), State::handed_over);
}

TEST(Time, is_read_and_written) {
    EXPECT_EQ(seconds_of("1970-01-02"), 86400);                                       // the epoch
    EXPECT_EQ(time_of(seconds_of("2024-02-29T23:59:59") + 1), "2024-03-01T00:00:00"); // a leap year
    for (const char* wrong : {"", "yesterday", "2026-13-01", "2026-02-30", "2026-05-04T25:00:00"})
        EXPECT_TRUE(std::isnan(seconds_of(wrong))) << wrong;
    EXPECT_EQ(time_of(NAN), "");
    EXPECT_EQ(good_until(CardRecord{.first_used = "2023-05-01"}, 3), "2026-04-30");
    EXPECT_EQ(good_until(CardRecord{}, 3), "");
}

} // namespace
} // namespace refero::plan
