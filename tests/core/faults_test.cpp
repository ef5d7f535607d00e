// The simulator's faults do what they say, and the finder reads frames that have them.
#include <cmath>

#include "find/find.hpp"
#include "support.hpp"

namespace refero::simulate {
namespace {

using test::Scratch;

Rendering with(const std::string& changes) {
    test::Shot shot{.width = 600,
                    .height = 400,
                    .rotation_deg = 0,
                    .tilt_deg = 0,
                    .more = R"(,"lens":{"name":"L","vignetting_stops":0,"blur_px":0})"};
    return render(parse_scene(test::scene_text(shot), "test", changes));
}
const TruePatch& patch(const Rendering& r, const char* id) {
    for (const TruePatch& p : r.charts.at(0).patches)
        if (p.id == id) return p;
    throw std::runtime_error(id);
}

TEST(Faults, a_shadow_takes_its_stops_on_one_side_only) {
    const auto plain = with("{}"),
               dark = with(R"({"shadows":[{"at":[0.5,0.5],"angle_deg":0,"stops":1.5,"soft_px":2}]})");
    for (const char* lit : {"A1", "B2", "D3"})
        EXPECT_NEAR(patch(dark, lit).mean[1] / patch(plain, lit).mean[1], 1, 1e-4) << lit;
    for (const char* shaded : {"A6", "B5", "D4"})
        EXPECT_NEAR(std::log2(patch(plain, shaded).mean[1] / patch(dark, shaded).mean[1]), 1.5, 1e-3) << shaded;
    // Turned by a half, the other side is dark.
    const auto turned = with(R"({"shadows":[{"at":[0.5,0.5],"angle_deg":180,"stops":1.5,"soft_px":2}]})");
    EXPECT_LT(patch(turned, "A1").mean[1], 0.5 * patch(plain, "A1").mean[1]);
}

TEST(Faults, stray_light_adds_the_same_to_every_patch) {
    const auto plain = with("{}"), veiled = with(R"({"veil":0.05})");
    const Vec3 white = plain.scene.white * plain.scene.camera.response(Spectrum::constant(1), plain.scene.light);
    for (const TruePatch& p : plain.charts[0].patches)
        for (std::size_t c = 0; c < 3; ++c) {
            const double now = patch(veiled, p.id.c_str()).mean[c];
            EXPECT_NEAR(now - p.mean[c], 0.05 * white[static_cast<Eigen::Index>(c)], 1e-4) << p.id;
        }
}

TEST(Faults, a_sheen_has_the_lights_colour_and_its_place) {
    const auto plain = with("{}"),
               shiny = with(R"({"sheens":[{"at":[0.315,0.35],"size":0.01,"strength":0.5}]})"); // on A1
    const Vec3 white = plain.scene.camera.response(Spectrum::constant(1), plain.scene.light);
    Vec3 added;
    for (int c = 0; c < 3; ++c)
        added[c] =
            patch(shiny, "A1").mean[static_cast<std::size_t>(c)] - patch(plain, "A1").mean[static_cast<std::size_t>(c)];
    EXPECT_GT(added.minCoeff(), 0.01);
    EXPECT_GT(added.dot(white) / (added.norm() * white.norm()), 0.9999);
    EXPECT_NEAR(patch(shiny, "D6").mean[1], patch(plain, "D6").mean[1], 1e-6);
}

TEST(Faults, a_second_light_grows_across_the_frame) {
    const auto plain = with(R"({"light":"window"})"),
               mixed = with(R"({"light":"window","second_light":{"light":"tungsten","share":0.5,"angle_deg":0}})");
    const auto warmth = [](const Rendering& r, const char* id) { return patch(r, id).mean[0] / patch(r, id).mean[2]; };
    // D1 and D6 are both neutral, at the left and at the right.
    const double left = warmth(mixed, "D1") / warmth(plain, "D1"), right = warmth(mixed, "D6") / warmth(plain, "D6");
    EXPECT_GT(left, 1.05);
    EXPECT_GT(right, 1.2 * left);
}

TEST(Faults, a_faded_patch_and_an_object_in_front) {
    const auto plain = with("{}"),
               faded = with(R"({"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.42,"faded":{"B4":0.5}}]})");
    EXPECT_NEAR(patch(faded, "B4").mean[0] / patch(plain, "B4").mean[0], 0.5, 1e-3);
    EXPECT_NEAR(patch(faded, "B3").mean[0] / patch(plain, "B3").mean[0], 1, 1e-3);
    const auto
        behind = with(R"({"objects":[{"shape":"rectangle","at":[0.5,0.5],"size":[0.1,0.1],"surface":{"grey":0.5}}]})"),
        before = with(
            R"({"objects":[{"shape":"rectangle","at":[0.5,0.5],"size":[0.1,0.1],"surface":{"grey":0.5},"in_front":true}]})");
    EXPECT_NEAR(patch(behind, "B3").mean[1], patch(plain, "B3").mean[1], 1e-6);
    EXPECT_GT(std::abs(patch(before, "B3").mean[1] - patch(plain, "B3").mean[1]), 0.05);
}

TEST(Faults, wrong_ones_are_refused_with_their_place) {
    for (const char* changes :
         {R"({"shadows":[{"stops":-1}]})", R"({"sheens":[{"sise":1}]})", R"({"veil":"much"})",
          R"({"second_light":{"share":0.2}})", R"({"charts":[{"id":"grid24","faded":{"Q9":0.5}}]})"}) {
        try {
            with(changes);
            ADD_FAILURE() << changes;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input);
            EXPECT_NE(std::string(e.what()).find("docs/formats.md"), std::string::npos) << e.what();
        }
    }
}

// High ISO: at the noisiest the signal to noise of a cell on the middle grey is about 4.
TEST(Faults, noisy_frames_are_found) {
    Scratch scratch;
    for (const int iso : {3200, 25600, 102400})
        for (const int seed : {1, 2, 3}) {
            const auto r = test::shoot(
                {.rotation_deg = 15.0 * seed, .seed = seed, .more = formatted(R"(,"iso":{})", iso)}, scratch / "a.dng");
            const auto frame = frame::read(scratch / "a.dng");
            const auto found = find::locate(frame, {test::grid24()});
            ASSERT_EQ(found.size(), 1u) << iso << " " << seed;
            for (std::size_t k = 0; k < 4; ++k)
                EXPECT_LT((found[0].corners[k] - r.charts[0].corners[k]).norm(), iso > 50000 ? 4 : 1.5) << iso;
        }
}

// Noise alone shows no chart.
TEST(Faults, noise_without_a_chart_gives_none) {
    Scratch scratch;
    test::Shot shot{.more = R"(,"iso":102400)"};
    auto scene = parse_scene(test::scene_text(shot), "scene");
    scene.charts.clear();
    for (std::uint64_t seed = 1; seed < 5; ++seed) {
        scene.seed = seed;
        write(render(scene), scratch / "a.dng");
        EXPECT_TRUE(find::locate(frame::read(scratch / "a.dng"), {test::grid24()}).empty()) << seed;
    }
}

TEST(Faults, what_hides_a_chart_is_said_where_none_is_found) {
    frame::Frame f;
    f.width = 100;
    f.height = 60;
    const auto filled = [&](float light) {
        f.rgb.assign(3 * 6000, light);
        f.clipped.assign(6000, light >= 1 ? 7 : 0);
        return find::hidden_in(f).remedy;
    };
    EXPECT_NE(filled(1).find("100 % of the frame is clipped: close down"), std::string::npos);
    EXPECT_NE(filled(0.004f).find("very dark: open up"), std::string::npos);
    const auto judged = inspect::no_chart(find::hidden_in(f));
    const auto dark = std::find_if(judged.findings.begin(), judged.findings.end(),
                                   [](const auto& finding) { return finding.check == inspect::Check::underexposure; });
    EXPECT_EQ(dark->status, inspect::Status::reshoot);
    EXPECT_NEAR(dark->value, 0.4, 1e-3);
    filled(0.4f);
    std::fill_n(f.clipped.begin(), 300, 7);
    EXPECT_NE(find::hidden_in(f).remedy.find("5 % of the frame is clipped: if the chart is among it, close down"),
              std::string::npos)
        << find::hidden_in(f).remedy;
    EXPECT_EQ(filled(0.4f), "Check that the whole chart is in the frame, or give its corners by hand");
}

} // namespace
} // namespace refero::simulate
