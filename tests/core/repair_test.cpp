// A bad chart shot never gives a silently bad correction: each of the gate's faults is mended, left out, or refused,
// and said.
#include <cmath>

#include "support.hpp"

namespace refero {
namespace {

using colour::Vec3;
using test::Scratch;

struct Faulty : testing::Test {
    Scratch scratch;
    chart::Reference reference = chart::reference_of(test::grid24());
    /// What a perfect measurement of a clean shot reads: there the correction has to hold.
    read::Reading truth = test::true_reading(test::rendered(shot("")));

    static test::Shot shot(const std::string& more, double white = 0.8) {
        return {.white = white,
                .rotation_deg = 0,
                .tilt_deg = 0,
                .more = R"(,"lens":{"name":"L","vignetting_stops":0})" + more};
    }
    struct Outcome {
        std::optional<fit::Correction> mended;
        double plain = 0, after = 0; ///< CIEDE2000 on the truth, without and with mending
        inspect::Status verdict = inspect::Status::pass;
        std::string refused;
    };
    double off(const fit::Correction& c) { return prove::against(c, truth, reference, true).delta_e_2000.mean; }
    Outcome of(const std::string& more, double white = 0.8) {
        test::shoot(shot(more, white), scratch / "a.dng");
        const auto s = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
        const auto j = operations::judge(s.frame, s, inspect::limits_for({}));
        Outcome o;
        o.verdict = j.verdict;
        o.plain = off(operations::correct({s}, reference, {}));
        try {
            o.mended = operations::correct({s}, reference, {}, {}, {j.findings});
            o.after = off(*o.mended);
        } catch (const Error& e) {
            o.refused = e.what();
            EXPECT_FALSE(e.remedy().empty());
        }
        return o;
    }
    static bool left_out(const fit::Correction& c, const char* id) {
        return std::find(c.left_out.begin(), c.left_out.end(), id) != c.left_out.end();
    }
    double clean() { return of("").after; }
};

TEST_F(Faulty, a_clean_shot_is_left_alone) {
    const Outcome o = of("");
    ASSERT_TRUE(o.mended);
    EXPECT_TRUE(o.mended->cautions.empty()) << o.mended->cautions.front();
    EXPECT_NEAR(o.plain, o.after, 1e-9);
    EXPECT_LT(o.after, 1.5);
}

TEST_F(Faulty, shadow_uneven_and_stray_light_are_mended_and_said) {
    const double clean = this->clean();
    struct Case {
        const char *name, *fault;
    };
    for (const Case& c : {Case{"shadow", R"(,"shadows":[{"at":[0.6,0.5],"angle_deg":0,"stops":1.2,"soft_px":2}])"},
                          {"uneven light", R"(,"falloff_stops":1.6,"falloff_deg":20)"},
                          {"stray light", R"(,"veil":0.05)"}}) {
        const Outcome o = of(c.fault);
        EXPECT_NE(o.verdict, inspect::Status::pass) << c.name;
        ASSERT_TRUE(o.mended) << o.refused;
        EXPECT_FALSE(o.mended->cautions.empty()) << c.name;
        EXPECT_LT(o.after, clean + 0.7) << c.name;
        EXPECT_LT(o.after, 0.6 * o.plain) << c.name;
        for (const char* id : {"A6", "B6", "C6", "D6"})
            EXPECT_EQ(left_out(*o.mended, id), std::string(c.name) == "shadow") << c.name << " " << id;
        test::measured("%s: CIEDE2000 %.2f on a clean shot, %.2f if nothing were done, %.2f clean", c.name, o.after,
                       o.plain, clean);
    }
}

TEST_F(Faulty, a_sheen_and_a_finger_leave_their_patches_out) {
    const double clean = this->clean();
    for (
        const char* fault :
        {R"(,"sheens":[{"at":[0.315,0.35],"size":0.02,"strength":0.6}])",
         R"(,"objects":[{"shape":"ellipse","in_front":true,"at":[0.315,0.447],"size":[0.06,0.03],"surface":[66,17,18]}])"}) {
        const Outcome o = of(fault);
        EXPECT_NE(o.verdict, inspect::Status::pass) << fault;
        ASSERT_TRUE(o.mended) << o.refused;
        EXPECT_FALSE(o.mended->cautions.empty());
        EXPECT_FALSE(o.mended->left_out.empty()) << fault;
        EXPECT_LT(o.after, clean + 0.7) << fault;
    }
}

TEST_F(Faulty, clipped_patches_take_no_part) {
    const Outcome o = of("", 1.25);
    EXPECT_NE(o.verdict, inspect::Status::pass);
    ASSERT_TRUE(o.mended) << o.refused;
    EXPECT_TRUE(left_out(*o.mended, "D1"));
    EXPECT_FALSE(o.mended->cautions.empty());
    EXPECT_LT(o.after, clean() + 0.7);
}

// Dim: said, and the proof is less sure (bootstrap).
TEST_F(Faulty, a_dim_shot_says_so_and_is_less_sure) {
    const Outcome bright = of(""), dim = of("", 0.012);
    EXPECT_NE(dim.verdict, inspect::Status::pass);
    ASSERT_TRUE(dim.mended) << dim.refused;
    EXPECT_FALSE(dim.mended->cautions.empty());
    const auto sure = [](const fit::Correction& c) { return prove::uncertainty(c, fit::bootstrap(c, 60)).typical; };
    EXPECT_GT(sure(*dim.mended), 1.3 * sure(*bright.mended));
    test::measured("a patch is sure to %.2f, six stops darker to %.2f", sure(*bright.mended), sure(*dim.mended));
}

TEST_F(Faulty, two_lights_are_said) {
    const Outcome o = of(R"(,"second_light":{"light":"tungsten","share":0.5,"angle_deg":0})");
    EXPECT_NE(o.verdict, inspect::Status::pass);
    ASSERT_TRUE(o.mended) << o.refused;
    EXPECT_NE(std::find_if(o.mended->cautions.begin(), o.mended->cautions.end(),
                           [](const std::string& c) { return c.find("mixed_light") != std::string::npos; }),
              o.mended->cautions.end());
}

TEST_F(Faulty, too_little_in_good_light_is_refused) {
    auto s = store::MeasuredShot{};
    s.definition = test::grid24();
    s.reading = truth;
    inspect::Finding covered;
    covered.check = inspect::Check::occlusion;
    covered.status = inspect::Status::reshoot;
    covered.advice = "move the hand";
    for (std::size_t i = 0; i < 18; ++i) covered.patches.push_back(test::grid24().patches[i].id);
    EXPECT_THROW(operations::correct({s}, reference, {}, {}, {{covered}}), Error);
}

// Several shots of one setup: other exposures are brought together, and a patch is taken where it is good.
TEST_F(Faulty, several_shots_mend_one_another) {
    auto a = truth, b = truth;
    for (auto& p : b.patches)
        for (double& v : p.mean) v *= 0.5;
    a.patches[3].clipped = 1;
    a.patches[3].mean = {1, 1, 1};
    const auto both = read::average({a, b});
    EXPECT_TRUE(both.patches[3].usable());
    for (std::size_t i = 0; i < truth.patches.size(); ++i)
        for (std::size_t c = 0; c < 3; ++c) EXPECT_NEAR(both.patches[i].mean[c], truth.patches[i].mean[c], 1e-9) << i;
}

} // namespace
} // namespace refero
