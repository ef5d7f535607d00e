// Practice: the set's geometry against its formulas, tasks against the gate, levels and repetition.
#include <cmath>
#include <numbers>

#include "operations/practice/practice.hpp"
#include "practice/practice.hpp"
#include "support.hpp"

namespace refero::practice {
namespace {

using simulate::light_at;
using simulate::Studio;

Studio one_lamp(const simulate::Point3& at, double radius = 0.001) {
    Studio s;
    s.lamps = {{at, radius, 1}};
    s.gloss = 0;
    return s;
}

// Inverse square and cosine laws (Lambert 1760): one small lamp straight ahead, then at 45 degrees.
TEST(Studio, a_small_lamp_follows_inverse_square_and_cosine) {
    EXPECT_NEAR(light_at(one_lamp({0, 0, 1}), {0, 0}).diffuse, 1, 1e-6);
    EXPECT_NEAR(light_at(one_lamp({0, 0, 2}), {0, 0}).diffuse, 0.25, 1e-6);
    const double d = std::sqrt(0.5);
    EXPECT_NEAR(light_at(one_lamp({-d, 0, d}), {0, 0}).diffuse, std::cos(std::numbers::pi / 4), 1e-6);
    // Beside the middle: cosine at the surface and at the source, each d / r, over r squared.
    const double r = std::hypot(1.0, 0.3);
    EXPECT_NEAR(light_at(one_lamp({0, 0, 1}), {0.3, 0}).diffuse, std::pow(1 / r, 4), 1e-6);
    // Turned away from it.
    Studio turned = one_lamp({0, 0, 1});
    turned.chart_turn_deg = 60;
    EXPECT_NEAR(light_at(turned, {0, 0}).diffuse, 0.5, 1e-6);
    turned.chart_turn_deg = 100;
    EXPECT_EQ(light_at(turned, {0, 0}).diffuse, 0);
}

// A disc of radius a at distance z, facing: irradiance falls as a^2 / (z^2 + a^2) of that near to it; here relative to
// the same flux in a point, 1 / (z^2 + a^2) on the axis (exact for a Lambertian disc).
TEST(Studio, an_extended_source_falls_off_more_slowly) {
    for (const double z : {0.5, 1.0, 2.0}) {
        const double a = 0.5, exact = 1 / (z * z + a * a);
        EXPECT_NEAR(light_at(one_lamp({0, 0, z}, a), {0, 0}).diffuse, exact, 0.03 * exact) << z;
    }
}

// A reflector sends on reflectance * E / pi * area of light, after Lambert, for a small one far away.
TEST(Studio, a_small_reflector_sends_on_what_falls_on_it) {
    Studio s = one_lamp({0, 0, 1});
    const simulate::Point3 at(1, 0, 1);
    s.reflector = simulate::Reflector{at, 0.05, 0.8};
    const double with = light_at(s, {0, 0}).diffuse - 1;
    // The lamp at (0,0,1) faces the chart: the card lies across its axis at 90 degrees and gets nothing from it.
    EXPECT_NEAR(with, 0, 1e-6);
    s.lamps.front().at = {-1, 0, 1};
    const double alone = light_at(one_lamp({-1, 0, 1}), {0, 0}).diffuse;
    const simulate::Point3 lamp(-1, 0, 1), to_card = at - lamp;
    const double r = to_card.norm(), out = -lamp.normalized().dot(to_card) / r, in = at.normalized().dot(to_card) / r;
    const double lit = out * in / (r * r), card = at.norm();
    const double wanted = 0.8 * lit / std::numbers::pi * 0.05 * 0.05 * (at.z() / card) / (card * card);
    EXPECT_NEAR(light_at(s, {0, 0}).diffuse - alone, wanted, 0.02 * wanted);
}

// The mirror: a lamp where the eye looks to in the surface shines, one at 45 degrees does not.
TEST(Studio, gloss_shines_in_the_mirror_direction_only) {
    Studio s = one_lamp({0, 0, 1.5});
    s.gloss = 0.04;
    s.camera_m = 2;
    EXPECT_GT(light_at(s, {0, 0}).mirrored, 0.3);
    s.lamps.front().at = {-1.06, 0, 1.06};
    EXPECT_LT(light_at(s, {0, 0}).mirrored, 1e-6);
}

// A lamp at 45 degrees and 1.6 m passes the gate; close beside the chart it does not.
TEST(Studio, the_gate_judges_the_set) {
    Studio good;
    good.lamps.front() = {{-1.3, 0.2, 1.3}, 0.15, 1};
    good.lamps.push_back({{1.3, 0.2, 1.3}, 0.15, 1});
    const auto lit = operations::make_frame(studio_scene(good, 0, 0, 0.1));
    ASSERT_TRUE(lit.shot);
    EXPECT_EQ(lit.judgement.verdict, inspect::Status::pass) << inspect::name_of(lit.judgement.findings.front().check);
    Studio near;
    near.lamps.front() = {{-0.35, 0, 0.2}, 0.05, 0.12};
    const auto spoilt = operations::make_frame(studio_scene(near, 0, 0, 0.1));
    EXPECT_NE(spoilt.judgement.verdict, inspect::Status::pass);
}

// Common practice: one light on a chart. A lamp of another colour at the other side is told as such, and light adds up:
// two lamps of the scene's own light, named or not, make the same frame.
TEST(Studio, a_second_lamp_of_another_colour_is_mixed_light) {
    Studio two;
    two.lamps.front() = {{-1.3, 0.2, 1.3}, 0.15, 1, {}};
    two.lamps.push_back({{1.3, 0.2, 1.3}, 0.15, 1, {}});
    const auto plain = studio_scene(two, 0, 0, 0.1);
    two.lamps[1].light = plain.light;
    const auto same = simulate::render(studio_scene(two, 0, 0, 0.1)), one = simulate::render(plain);
    double apart = 0;
    for (std::size_t i = 0; i < one.rgb.size(); ++i)
        apart = std::max(apart, std::abs(static_cast<double>(one.rgb[i] - same.rgb[i])));
    EXPECT_LT(apart, 1e-5);
    two.lamps[1] = {{0.8, 0.2, 0.45}, 0.15, 0.35, simulate::light_named("window")}; // near, so that it falls off
    const auto mixed = operations::make_frame(studio_scene(two, 0, 0, 0.1));
    ASSERT_TRUE(mixed.shot);
    EXPECT_NE(mixed.judgement.verdict, inspect::Status::pass);
    const auto& found = mixed.judgement.findings;
    EXPECT_TRUE(std::any_of(found.begin(), found.end(), [](const inspect::Finding& f) {
        return f.check == inspect::Check::mixed_light && inspect::is_alarm(f.status);
    }));
}

// What the task says is what the gate says, in 98 of 100 tasks of every kind and level (drawn anew where it is not).
TEST(Practice, tasks_agree_with_the_gate) {
    int agree = 0, all = 0, drawn = 0;
    std::map<std::string, int> missed;
    for (const Kind kind : {Kind::what_wrong, Kind::keep_which, Kind::which_patch, Kind::light_it})
        for (int level = 1; level <= highest_level; ++level) {
            const int count = kind == Kind::what_wrong ? 6 : 1;
            for (int i = 0; i < count; ++i) {
                const auto abouts = themes(kind);
                const std::string about = abouts[static_cast<std::size_t>(i + 3 * level) % abouts.size()];
                const operations::PracticeTask t =
                    operations::prepare(kind, level, static_cast<std::uint64_t>(100 * level + i), about);
                bool holds = true;
                for (std::size_t k = 0; k < t.frames.size(); ++k)
                    holds = holds && operations::agrees(t.task, t.task.shots[k], t.frames[k]);
                ++all;
                agree += holds;
                drawn += t.drawn;
                if (!holds) ++missed[about];
                for (const int right : t.task.right)
                    EXPECT_LT(right, static_cast<int>(t.task.answers.size() + t.task.shots.size()));
            }
        }
    test::measured("%d of %d tasks agree with the gate; %.2f seeds a task", agree, all,
                   static_cast<double>(drawn) / all);
    for (const auto& [about, n] : missed) test::measured("  %s: %d", about.c_str(), n);
    EXPECT_GE(agree, 0.98 * all);
}

TEST(Practice, the_same_seed_is_the_same_task) {
    for (const Kind kind : {Kind::how_much, Kind::plan_it, Kind::which_patch}) {
        const Task a = make(kind, 2, 5), b = make(kind, 2, 5), c = make(kind, 2, 6);
        EXPECT_EQ(a.answers, b.answers);
        EXPECT_EQ(a.right, b.right);
        EXPECT_TRUE(a.question != c.question || a.answers != c.answers || a.right != c.right || a.about != c.about ||
                    a.shots.at(0).scene.seed != c.shots.at(0).scene.seed);
    }
}

// Counted by hand: two cameras, three lights, strict with two lenses each is 2 * 2 * 3.
TEST(Practice, plans_are_counted_right) {
    for (std::uint64_t seed = 0; seed < 60; ++seed)
        for (int level = 1; level <= highest_level; ++level) {
            const Task t = make(Kind::plan_it, level, seed);
            ASSERT_EQ(t.right.size(), 1u);
            const std::string& q = t.question;
            const int cameras = q[0] - '0', lenses = q[q.find("with ") + 5] - '0',
                      lights = q[q.find("under ") + 6] - '0';
            const bool strict = q.find("strict") != std::string::npos, skip = q.find("leaves out") != std::string::npos,
                       again = q.find("re-lit") != std::string::npos;
            const int rigs = cameras * (strict ? lenses : 1);
            const int wanted = rigs * lights - (skip ? (strict ? lenses : 1) : 0) + (again ? rigs : 0);
            EXPECT_EQ(t.answers[static_cast<std::size_t>(t.right[0])], std::to_string(wanted)) << q;
            EXPECT_GE(t.answers.size(), 3u);
        }
}

shoot::AnswerRecord answered(Kind kind, const char* about, bool right) {
    return {.task = names(kind)[static_cast<std::size_t>(kind)], .about = about, .passed = right};
}

TEST(Practice, it_grows_harder_with_success_and_easier_without) {
    std::vector<shoot::AnswerRecord> all;
    EXPECT_EQ(level_of(all, Kind::what_wrong), 1);
    for (int i = 0; i < 3; ++i) all.push_back(answered(Kind::what_wrong, "focus", true));
    EXPECT_EQ(level_of(all, Kind::what_wrong), 2);
    EXPECT_EQ(level_of(all, Kind::plan_it), 1);
    for (int i = 0; i < 20; ++i) all.push_back(answered(Kind::what_wrong, "focus", true));
    EXPECT_EQ(level_of(all, Kind::what_wrong), highest_level);
    for (int i = 0; i < 2; ++i) all.push_back(answered(Kind::what_wrong, "focus", false));
    EXPECT_EQ(level_of(all, Kind::what_wrong), highest_level - 1);
}

// Spaced repetition (Leitner's boxes): wrong comes again after two others, right once after five.
TEST(Practice, what_went_wrong_comes_again) {
    std::vector<shoot::AnswerRecord> all{answered(Kind::what_wrong, "glare", false)};
    EXPECT_NE(next_theme(all, Kind::what_wrong), "glare");
    all.push_back(answered(Kind::what_wrong, "focus", true));
    all.push_back(answered(Kind::what_wrong, "tilt", true));
    EXPECT_EQ(next_theme(all, Kind::what_wrong), "glare");
    all.push_back(answered(Kind::what_wrong, "glare", true));
    EXPECT_NE(next_theme(all, Kind::what_wrong), "glare");
    for (int i = 0; i < 5; ++i) all.push_back(answered(Kind::what_wrong, "size", true));
    EXPECT_EQ(next_theme(all, Kind::what_wrong), "glare");
    EXPECT_EQ(records(all).front().about, "glare");
    EXPECT_EQ(records(all).front().right, 1);
    EXPECT_EQ(records(all).front().given, 2);
}

// By its definition 100 for the same spectrum, and less the more a spectrum departs; a line spectrum is far below
// (SMPTE ST 2122; its weights were written down from memory, so nothing here is from its tables).
TEST(Practice, spectral_similarity_has_the_order_of_its_definition) {
    const auto planck = colour::planck(3200);
    EXPECT_EQ(spectral_similarity(planck, planck), 100);
    EXPECT_EQ(spectral_similarity(2.5 * planck, planck), 100);
    const double near = spectral_similarity(colour::planck(3000), planck),
                 led = spectral_similarity(simulate::light_named("led"), colour::daylight(4300)),
                 lines = spectral_similarity(simulate::light_named("fluorescent"), colour::daylight(4300));
    EXPECT_GT(near, led);
    EXPECT_GT(led, lines);
    EXPECT_LT(lines, 75);
}

// The worked value of a general-purpose colour library's documentation: CIE illuminant C beside D65 has 94. From
// memory, as are C's values (CIE 15, 10 nm).
TEST(Practice, spectral_similarity_of_illuminant_c_to_d65_is_94) {
    const std::array c{33.00,  47.40,  63.30,  80.60, 98.10, 112.40, 121.50, 124.00, 123.10, 123.80, 123.90,
                       120.70, 112.10, 102.30, 96.90, 98.00, 102.10, 105.20, 105.30, 102.30, 97.80,  93.20,
                       89.70,  88.40,  88.10,  88.00, 87.80, 88.20,  87.90,  86.30,  84.00};
    std::vector<double> nm;
    for (std::size_t i = 0; i < c.size(); ++i) nm.push_back(380 + 10 * static_cast<double>(i));
    EXPECT_EQ(spectral_similarity(colour::Spectrum::from_samples(nm, c), colour::illuminant_d(65)), 94);
}

TEST(Practice, a_light_is_rehearsed_before_it_is_hired) {
    operations::Thought thought{.sensitivity = simulate::camera_named("stills-a").sensitivity,
                                .light = colour::daylight(5600)};
    const Rehearsal day = operations::rehearse(thought);
    thought.light = simulate::light_named("fluorescent");
    const Rehearsal tubes = operations::rehearse(thought);
    EXPECT_EQ(day.delta_e.size(), 4u);
    EXPECT_GT(day.similarity, 95);
    EXPECT_GT(tubes.delta_e.at("textiles"), day.delta_e.at("textiles"));
    EXPECT_GT(tubes.metamerism, 2 * day.metamerism);
    EXPECT_NEAR(day.light.kelvin, 5600, 20);
    EXPECT_TRUE(day.lent.empty());
}

TEST(Practice, a_second_chart_shot_a_lens_and_own_surfaces_are_rehearsed) {
    operations::Thought thought{.sensitivity = simulate::camera_named("stills-a").sensitivity,
                                .light = simulate::light_named("led")};
    const Rehearsal plain = operations::rehearse(thought);
    // Lent by the same light it is the same correction; by another light it is worse (common practice: a chart shot
    // under each light).
    thought.lending = thought.light;
    for (const auto& [kind, error] : operations::rehearse(thought).lent)
        EXPECT_NEAR(error, plain.delta_e.at(kind), 1e-6);
    thought.lending = simulate::light_named("tungsten");
    const Rehearsal lent = operations::rehearse(thought);
    EXPECT_EQ(lent.delta_e, plain.delta_e);
    for (const auto& [kind, error] : lent.lent) EXPECT_GT(error, 1.2 * plain.delta_e.at(kind)) << kind;
    // A grey lens takes light and no colour away; a yellowed one changes what the camera sees.
    thought.lending.reset();
    thought.lens = colour::Spectrum::constant(0.6);
    for (const auto& [kind, error] : operations::rehearse(thought).delta_e)
        EXPECT_NEAR(error, plain.delta_e.at(kind), 1e-6) << kind;
    for (int i = 0; i < colour::Spectrum::size; ++i) thought.lens[i] = colour::Spectrum::nm(i) < 470 ? 0.1 : 0.95;
    EXPECT_GT(std::abs(operations::rehearse(thought).delta_e.at("textiles") - plain.delta_e.at("textiles")), 0.02);
    // A surface of one's own that is a patch of the chart is rendered about as well as the fit goes.
    thought.lens = colour::Spectrum::constant(1);
    thought.surfaces = {colour::Spectrum::constant(0.2)};
    EXPECT_LT(operations::rehearse(thought).delta_e.at("own surfaces"), 0.5);
}

TEST(Practice, spectra_from_tables) {
    test::Scratch scratch;
    std::string text = "nm,power\n";
    for (int nm = 380; nm <= 780; nm += 10) text += formatted("{},{}\n", nm, 1 + nm / 1000.0);
    EXPECT_NEAR(operations::load_spectra(test::written(scratch / "s.csv", text)).front()[0], 1.38, 1e-9);
    for (const char* bad : {"nm,power\n400,1\n500,1\n", "nm,power\n400,1\n390,2\n", "nm,power\n400,-1\n", "one\ntwo\n",
                            "400,1\n410,1,2\n", "400,1\n410,x\n"})
        EXPECT_THROW(operations::load_spectra(test::written(scratch / "b.csv", bad)), Error) << bad;
    std::string three = "nm;red;green;blue\n", percent = "nm,lens\n";
    for (int nm = 380; nm <= 780; nm += 10) {
        three += formatted("{};1;2;3\n", nm);
        percent += formatted("{},92\n", nm);
    }
    EXPECT_NEAR(operations::load_sensitivities(test::written(scratch / "c.csv", three))[2][40], 3, 1e-9);
    EXPECT_THROW(operations::load_sensitivities(scratch / "s.csv"), Error);
    EXPECT_THROW(operations::load_shares(test::written(scratch / "p.csv", percent)), Error);
}

} // namespace
} // namespace refero::practice
