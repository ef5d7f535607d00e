#include <Eigen/QR>

#include "support.hpp"

namespace refero::simulate {
namespace {

using test::Scratch;
using test::Shot;

// A camera is of use here only if its sensitivities are no linear transform of the CIE functions.
TEST(Simulate, cameras_differ_and_none_meets_the_luther_condition) {
    Eigen::Matrix<double, Spectrum::size, 3> cie;
    for (int k = 0; k < 3; ++k) cie.col(k) = colour::observer_1931()[static_cast<std::size_t>(k)].vector();
    const auto qr = cie.colPivHouseholderQr();
    for (const char* id : {"stills-a", "stills-b", "cine-a", "cine-b"}) {
        double worst = 0;
        for (const Spectrum& s : camera_named(id).sensitivity) {
            const Eigen::VectorXd v = s.vector(), rest = v - cie * qr.solve(v);
            worst = std::max(worst, rest.norm() / v.norm());
        }
        EXPECT_GT(worst, 0.08) << id;
        test::measured("%s: largest part of a sensitivity outside the span of the CIE functions %.0f %%", id,
                       worst * 100);
    }
    const Vec3 a = camera_named("stills-a").response(random_reflectance(3), light_named("tungsten")),
               b = camera_named("cine-a").response(random_reflectance(3), light_named("tungsten"));
    EXPECT_GT((a / a.maxCoeff() - b / b.maxCoeff()).norm(), 0.05);
    EXPECT_THROW(camera_named("nobody"), Error);
    EXPECT_THROW(light_named("moon"), Error);
}

TEST(Simulate, reflectances_have_their_colour_and_are_possible) {
    const auto reference = chart::reference_of(test::grid24());
    for (const auto& [id, xyz] : reference.xyz) {
        const Spectrum s = colour::smooth_reflectance(xyz);
        EXPECT_GE(s.vector().minCoeff(), 0);
        EXPECT_LE(s.vector().maxCoeff(), 1);
        EXPECT_LT((colour::xyz_of(s, colour::illuminant_d(50)) - xyz).cwiseAbs().maxCoeff(), 2e-3) << id;
    }
    for (std::uint64_t seed = 0; seed < 300; ++seed) {
        const Spectrum s = random_reflectance(seed);
        EXPECT_GE(s.vector().minCoeff(), 0);
        EXPECT_LE(s.vector().maxCoeff(), 1);
    }
}

TEST(Simulate, the_same_seed_gives_the_same_file_and_another_one_does_not) {
    Scratch scratch;
    const Shot s{.width = 300, .height = 200};
    test::shoot(s, scratch / "a.dng");
    test::shoot(s, scratch / "b.dng");
    Shot other = s;
    other.seed = 2;
    test::shoot(other, scratch / "c.dng");
    EXPECT_EQ(sha256_of(scratch / "a.dng"), sha256_of(scratch / "b.dng"));
    EXPECT_NE(sha256_of(scratch / "a.dng"), sha256_of(scratch / "c.dng"));
}

TEST(Simulate, noise_is_that_of_photons) {
    Scratch scratch;
    test::shoot({.white = 0.8}, scratch / "a.dng");
    const auto reading = operations::take_shot(scratch / "a.dng", {.chart = "grid24"}).reading;
    const Camera& camera = camera_named("stills-a");
    for (const char* id : {"D2", "D3", "D4"}) {
        // A green measuring value is the mean of two sites: variance signal / full well / 2 (Poisson), and a
        // little for the read noise and the chart's shading.
        const auto& p = *reading.find(id);
        const double expected =
            std::sqrt((p.mean[1] / camera.full_well_e + std::pow(camera.read_noise_e / camera.full_well_e, 2)) / 2);
        EXPECT_NEAR(p.sd[1] / expected, 1, 0.25) << id;
    }
}

TEST(Simulate, light_falls_off_as_told) {
    Shot s{.width = 600,
           .height = 400,
           .chart_width = 0.1,
           .more = R"(,"falloff_stops":1,"falloff_deg":0,"lens":{"vignetting_stops":0})"};
    const auto with = test::rendered(s);
    s.more = R"(,"lens":{"vignetting_stops":0})";
    const auto without = test::rendered(s);
    const auto ratio = [&](int x) {
        const std::size_t i = (200 * 600 + x) * 3 + 1;
        return with.rgb[i] / without.rgb[i];
    };
    EXPECT_NEAR(std::abs(std::log2(ratio(590) / ratio(10))), 1, 0.1);
}

TEST(Simulate, scenes_with_mistakes_are_refused_by_name_and_place) {
    Scratch scratch;
    const std::string good = test::scene_text({.width = 300, .height = 200});
    const auto replaced = [&](const std::string& from, const std::string& to) {
        std::string t = good;
        const auto at = t.find(from);
        EXPECT_NE(at, std::string::npos) << from;
        return t.replace(at, from.size(), to);
    };
    const std::pair<std::string, std::string> wrong[] = {
        {"no json", ""},
        {"{}", ""},
        {replaced("\"stills-a\"", "\"nobody\""), ""},
        {replaced("\"window\"", "{\"moon\":1}"), "light"},
        {replaced("\"white\":0.8", "\"white\":\"much\""), "white"},
        {replaced("\"seed\":1", "\"sed\":1"), "sed"},
        {replaced("[300,200]", "[300]"), "size"},
        {replaced("\"at\":[0.5,0.5]", "\"corners\":[[0,0],[1,1]]"), "corners"}};
    for (const auto& [text, place] : wrong) {
        const auto file = test::written(scratch / "wrong.json", text);
        try {
            load_scene(file);
            ADD_FAILURE() << "accepted " << text;
        } catch (const Error& e) { EXPECT_NE(std::string(e.what()).find(place), std::string::npos) << e.what(); }
    }
    EXPECT_THROW(write(test::rendered({.width = 60, .height = 40}), scratch / "a.bmp"), Error);
}

} // namespace
} // namespace refero::simulate
