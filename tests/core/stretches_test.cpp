// Stretches: chart shots divide a setup's time; which of them governs a frame, and what lies between two of them.
#include <cmath>

#include "fit/fit.hpp"
#include "operations/correct/pipeline.hpp"
#include "operations/correct/stretches.hpp"
#include "operations/handover/batch.hpp"
#include "shoot/assign.hpp"
#include "shoot/evidence.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"
#include "support.hpp"

namespace refero::shoot {
namespace {

struct Day : testing::Test {
    Shoot s;
    Day() {
        s.briefs = {JobSettingsRecord{}};
        s.cameras = {{.id = 1, .name = "A"}};
        s.modes = {{.id = 1, .name = "raw"}};
        s.lights = {{.id = 1, .name = "Window"}};
        s.setups = {{.id = 1, .camera = 1, .mode = 1, .light = 1}};
    }
    /// A chart shot at "hh:mm:ss" (or with its day), by its light.
    Id chart(const std::string& time, double kelvin, double duv = 0.003, double level = 0) {
        const Id id = static_cast<Id>(s.frames.size()) + 1;
        const std::string taken = time.size() > 8 ? time : time.empty() ? "" : "2026-05-04T" + time;
        s.frames.push_back({.id = id,
                            .path = "/x/c" + std::to_string(id) + ".dng",
                            .kind = FrameKind::chart,
                            .camera = 1,
                            .mode = 1,
                            .setup = 1,
                            .taken = taken});
        s.chart_shots.push_back({.id = id, .setup = 1, .frame = id, .kelvin = kelvin, .duv = duv, .level = level});
        return id;
    }
    Id frame(const std::string& time) {
        const Id id = static_cast<Id>(s.frames.size()) + 1;
        s.frames.push_back({.id = id,
                            .path = "/x/f" + std::to_string(id) + ".dng",
                            .camera = 1,
                            .mode = 1,
                            .setup = 1,
                            .taken = "2026-05-04T" + time});
        return id;
    }
    ChartShotRecord& shot(Id id) { return s.chart_shots.at(static_cast<std::size_t>(id) - 1); }
    std::size_t count() { return stretches(s, 1).size(); }
};

TEST_F(Day, repeats_are_near_in_time_and_alike_in_light) {
    chart("10:00:00", 5500, 0.003, 10);
    chart("10:09:00", 5520, 0.003, 10.1); // 0.7 mired, a tenth of a stop
    EXPECT_EQ(count(), 1u);
    chart("10:21:00", 5500, 0.003, 10); // 12 minutes after the last
    EXPECT_EQ(count(), 2u);
    chart("10:23:00", 5200, 0.003, 10); // 10 mired
    EXPECT_EQ(count(), 3u);
    chart("10:24:00", 5200, 0.0065, 10); // tint
    EXPECT_EQ(count(), 4u);
    chart("10:25:00", 5200, 0.0065, 10.2); // level
    EXPECT_EQ(count(), 5u);
    chart("10:26:00", 5200, 0.0065, 0); // level not known: the rest agrees
    EXPECT_EQ(count(), 5u);
    chart("10:27:00", 0); // light not known: by time alone
    EXPECT_EQ(count(), 5u);
    EXPECT_EQ(stretches(s, 1)[0].shots, (std::vector<Id>{1, 2}));
    s.setups[0].divided = false;
    EXPECT_EQ(count(), 1u);
}

TEST_F(Day, a_light_that_differs_far_is_told_as_another) {
    chart("10:00:00", 5500);
    chart("10:30:00", 5000); // 18 mired
    chart("11:00:00", 4400); // 27 mired
    chart("11:30:00", 4400, 0.010);
    const auto all = stretches(s, 1);
    ASSERT_EQ(all.size(), 4u);
    EXPECT_FALSE(all[0].other_light);
    EXPECT_FALSE(all[1].other_light);
    EXPECT_TRUE(all[2].other_light);
    EXPECT_TRUE(all[3].other_light);
    EXPECT_EQ(all[1].why, "30 minutes later");
}

TEST_F(Day, stretches_are_joined_and_parted_by_hand) {
    chart("10:00:00", 5500);
    const Id later = chart("11:00:00", 5000);
    EXPECT_EQ(count(), 2u);
    shot(later).joining = Joining::with_the_one_before;
    EXPECT_EQ(count(), 1u);
    const Id repeat = chart("11:02:00", 5000);
    EXPECT_EQ(count(), 1u);
    shot(repeat).joining = Joining::apart;
    EXPECT_EQ(count(), 2u);
    EXPECT_EQ(stretches(s, 1)[1].why, "parted by hand");
    shot(repeat).refused = "a hand";
    EXPECT_EQ(count(), 1u);
}

TEST_F(Day, which_chart_governs_a_frame_is_the_school) {
    chart("10:00:00", 5500);
    chart("12:00:00", 5000);
    chart("14:00:00", 4800);
    const auto at = [&](StretchSchool school, const char* time) {
        s.setups[0].stretch_school = school;
        return stretch_at(stretches(s, 1), seconds_of(std::string("2026-05-04T") + time));
    };
    EXPECT_EQ(at(StretchSchool::first, "09:00:00"), 0u);
    EXPECT_EQ(at(StretchSchool::first, "11:59:00"), 0u);
    EXPECT_EQ(at(StretchSchool::first, "12:00:00"), 1u);
    EXPECT_EQ(at(StretchSchool::last, "10:01:00"), 1u);
    EXPECT_EQ(at(StretchSchool::last, "23:00:00"), 2u);
    EXPECT_EQ(at(StretchSchool::nearest, "10:59:00"), 0u);
    EXPECT_EQ(at(StretchSchool::nearest, "11:01:00"), 1u);
    // The job's own school, until a setup has one.
    s.setups[0].stretch_school = StretchSchool::as_job;
    EXPECT_EQ(school_of(s, s.setups[0]), StretchSchool::nearest);
    s.briefs[0].stretch_school = StretchSchool::last;
    EXPECT_EQ(school_of(s, s.setups[0]), StretchSchool::last);
    // A quarter of the way from the first chart to the second; beyond the ends the nearest holds.
    const auto all = stretches(s, 1);
    const Between b = between_at(all, seconds_of("2026-05-04T10:30:00"));
    EXPECT_EQ(b.first, 0u);
    EXPECT_EQ(b.second, 1u);
    EXPECT_DOUBLE_EQ(b.fraction, 0.25);
    EXPECT_EQ(between_at(all, seconds_of("2026-05-04T09:00:00")).second, 0u);
    EXPECT_EQ(between_at(all, seconds_of("2026-05-04T23:00:00")).first, 2u);
}

TEST_F(Day, frames_say_which_chart_shot_they_follow) {
    chart("10:00:00", 5500);
    chart("12:00:00", 5000);
    const Id f = frame("11:30:00");
    const FrameRecord& row = s.frames.at(static_cast<std::size_t>(f) - 1);
    EXPECT_EQ(assign_ordinary(s, row).reason, "the nearest chart shot, at 12:00");
    s.briefs[0].stretch_school = StretchSchool::between;
    EXPECT_EQ(assign_ordinary(s, row).reason, "between the chart shots at 10:00 and 12:00");
    s.briefs[0].stretch_school = StretchSchool::first;
    EXPECT_EQ(assign_ordinary(s, row).reason, "the last chart shot before it, at 10:00");
    s.briefs[0].stretch_school = StretchSchool::last;
    EXPECT_EQ(assign_ordinary(s, row).reason, "the next chart shot after it, at 12:00");
    s.setups[0].stretch_school = StretchSchool::first; // the setup's own goes before the job's
    EXPECT_EQ(assign_ordinary(s, row).reason, "the last chart shot before it, at 10:00");
}

TEST_F(Day, each_stretch_has_evidence_of_its_own) {
    const Id morning = chart("10:00:00", 5500), noon = chart("12:00:00", 5000);
    s.readings = {{.id = 1, .chart_shot = morning}, {.id = 2, .chart_shot = noon}};
    s.corrections = {{.id = 1, .setup = 1, .chart_shot = morning}};
    s.proofs = {{.id = 1, .correction = 1, .mean = 0.3}};
    s.handovers = {{.id = 1, .setup = 1, .correction = 1, .file = "a.cube"}};
    EXPECT_EQ(evidence(s, 1, morning).correction->id, 1);
    EXPECT_EQ(evidence(s, 1, morning).handovers.size(), 1u);
    EXPECT_EQ(evidence(s, 1, noon).correction, nullptr);
    EXPECT_EQ(evidence(s, 1, noon).shot->id, noon);
    EXPECT_EQ(evidence(s, 1).shot->id, noon) << "the newest one without a correction is acted on next";
    s.corrections.push_back({.id = 2, .setup = 1, .chart_shot = noon});
    EXPECT_EQ(evidence(s, 1, morning).correction->id, 1) << "a later chart shot replaces no earlier one";
    for (const Staleness& r : staleness(s, 1)) EXPECT_NE(r.rule, StaleRule::newer);
    // One that is borrowed holds for every stretch.
    s.corrections.push_back({.id = 3, .setup = 1, .taken_from = 7});
    EXPECT_EQ(evidence(s, 1, morning).correction->id, 3);
    EXPECT_EQ(evidence(s, 1, noon).correction->id, 3);
    const auto all = standings_of_stretches(s);
    EXPECT_EQ(all.size(), 2u);
    EXPECT_EQ(standings(s).size(), 1u);
}

TEST_F(Day, stretches_are_called_by_the_time_of_their_chart_shot) {
    const auto ids = [&] { return ids_of(s, stretches(s, 1)); };
    chart("10:00:05", 5500);
    EXPECT_EQ(ids(), (std::vector<std::string>{"10:00"}));
    chart("10:00:45", 4000);
    EXPECT_EQ(ids(), (std::vector<std::string>{"10:00:05", "10:00:45"}));
    chart("2026-05-05T09:00:00", 5000);
    EXPECT_EQ(ids(), (std::vector<std::string>{"2026-05-04T10:00:05", "2026-05-04T10:00:45", "2026-05-05T09:00"}));
    s.chart_shots.clear();
    s.frames.clear();
    chart("", 5500);
    EXPECT_EQ(ids(), (std::vector<std::string>{"c1"}));
}

TEST_F(Day, a_light_drifts_slowly_and_not_far) {
    const Id first = chart("10:00:00", 5500);
    const auto drifts = [&](const char* time, double kelvin, double duv = 0.003) {
        return may_have_drifted(s, shot(first), seconds_of(std::string("2026-05-04T") + time), kelvin, duv);
    };
    EXPECT_TRUE(drifts("11:40:00", 4700)); // 31 mired in 100 minutes
    EXPECT_FALSE(drifts("10:15:00", 4700));
    EXPECT_FALSE(drifts("16:00:00", 2900));
    EXPECT_FALSE(drifts("11:40:00", 4700, 0.012));
    EXPECT_FALSE(drifts("11:40:00", 0));
}

/// Daylight of a temperature on grid24, some of its light gone.
operations::MeasuredShot shot_of(const test::Scratch& scratch, double kelvin, double stops, int seed) {
    const std::string light = formatted(R"(,"light":{{"daylight":{:.1f}}})", kelvin);
    auto text = test::scene_text({.width = 900, .height = 600, .white = 0.8 * std::exp2(-stops), .seed = seed});
    text.replace(text.find(",\"light\":\"window\""), 17, light);
    const fs::path file = scratch / (std::to_string(seed) + ".dng");
    simulate::write(simulate::render(simulate::parse_scene(text, "drifting daylight")), file);
    return operations::take_shot(file, {.chart = "grid24"});
}

// A light that drifts from 6500 to 5500 K and half a stop darker; in the middle neither neighbour holds, and what lies
// between both does. Truth is the simulator's chart in the middle, which neither fit has seen; exposure counts.
TEST(Drifting, what_lies_between_two_chart_shots_is_near_what_a_chart_there_would_give) {
    const test::Scratch scratch;
    const auto a = shot_of(scratch, 6500, 0, 1), b = shot_of(scratch, 5500, 0.5, 2),
               middle = shot_of(scratch, 5970, 0.25, 3);
    const auto reference = chart::reference_of(a.definition);
    const auto fitted = [&](const operations::MeasuredShot& s) { return operations::correct({s}, reference, {}); };
    const auto left = [&](const fit::Correction& c) {
        return prove::against(c, middle.reading, reference, false).delta_e_2000.mean;
    };
    const fit::Correction first = fitted(a), second = fitted(b);
    const double by_first = left(first), by_own = left(fitted(middle)),
                 by_between = left(fit::between(first, second, 0.5));
    std::printf("[ measured ] between two chart shots: %.2f by the first, %.2f between both, %.2f by a chart there\n",
                by_first, by_between, by_own);
    EXPECT_LT(by_between, by_first / 2);
    EXPECT_LT(by_between, 1.3 * by_own + 0.1);
    // Equal corrections give themselves, and both ends are the corrections there.
    const fit::Correction same = fit::between(first, first, 0.3);
    EXPECT_NEAR((same.coefficients - first.coefficients).cwiseAbs().maxCoeff(), 0, 1e-12);
    EXPECT_NEAR((same.balance.gains - first.balance.gains).norm(), 0, 1e-12);
    EXPECT_NEAR(same.balance.exposure, first.balance.exposure, 1e-12);
    EXPECT_EQ(fit::to_json(fit::between(first, second, 0)), fit::to_json(first));
    EXPECT_EQ(fit::to_json(fit::between(first, second, 1)), fit::to_json(second));
    // Models of two kinds meet in their matrices; curves of the greys stand between, point by point.
    const fit::Correction matrix = operations::correct({b}, reference, {.model = fit::Model::matrix});
    EXPECT_EQ(fit::between(first, matrix, 0.4).model,
              first.model == fit::Model::matrix ? first.model : fit::Model::matrix);
    fit::Correction curved = first, other = second;
    curved.balance.curves[0] = {{0.2, 0.8}, {0.25, 0.8}};
    other.balance.curves[0] = {{0.4}, {0.38}};
    const balance::Curve mixed = fit::between(curved, other, 0.5).balance.curves[0];
    for (const double v : {0.2, 0.4, 0.8})
        EXPECT_NEAR(mixed(v), 0.5 * curved.balance.curves[0](v) + 0.5 * other.balance.curves[0](v), 1e-9);
}

} // namespace
} // namespace refero::shoot
