// Corrections for a light between two that were measured.
#include <cmath>

#include "support.hpp"

namespace refero {
namespace {

using colour::Spectrum;
using colour::Vec3;

const simulate::Camera& camera() {
    static const simulate::Camera c = simulate::camera_named("stills-a");
    return c;
}

read::Reading reading_under(const Spectrum& light) {
    const chart::Reference reference = chart::reference_of(test::grid24());
    read::Reading reading;
    reading.chart = "grid24";
    for (const auto& p : test::grid24().patches) {
        const Vec3 v = 0.8 * camera().response(colour::smooth_reflectance(reference.xyz.at(p.id)), light);
        reading.patches.push_back({p.id, {v[0], v[1], v[2]}, {0.001, 0.001, 0.001}, 0, 900});
    }
    return reading;
}

fit::Correction correction_under(const Spectrum& light, std::optional<fit::Model> model = {}) {
    fit::Settings settings;
    settings.model = model;
    fit::Correction c =
        fit::build(reading_under(light), chart::reference_of(test::grid24()), &test::grid24(), settings);
    c.light = balance::light_of(c.balance, camera().camera_from_xyz_d65());
    c.sources.emplace_back().metadata.model = "Stills A";
    return c;
}

frame::Frame frame_under(const Spectrum& light) {
    frame::Frame f;
    const Vec3 neutral = camera().response(Spectrum::constant(1), light);
    f.as_shot = Vec3(neutral[1] / neutral[0], 1, neutral[1] / neutral[2]);
    f.camera_from_xyz = camera().camera_from_xyz_d65();
    f.file = "a.dng";
    return f;
}

double mean_difference(const fit::Correction& c, const read::Reading& reading) {
    std::vector<double> all;
    for (const auto& p : reading.patches)
        all.push_back(colour::delta_e_2000(colour::lab_from_xyz(c.reference.xyz.at(p.id)),
                                           colour::lab_from_xyz(c(Vec3(p.mean.data())))));
    return fit::statistics(all).mean;
}

// At the ends it is each of them; at their mean reciprocal temperature (DNG specification 1.7, chapter 6) half of both.
TEST(TwoLights, stand_by_reciprocal_temperature) {
    const auto warm = correction_under(colour::planck(2900), fit::Model::matrix),
               cool = correction_under(colour::daylight(6800), fit::Model::matrix);
    EXPECT_LT(warm.light->kelvin, 3300);
    EXPECT_GT(cool.light->kelvin, 6000);
    EXPECT_LT((fit::between(warm, cool, *warm.light).coefficients - warm.coefficients).norm(), 1e-12);
    EXPECT_LT((fit::between(warm, cool, *cool.light).coefficients - cool.coefficients).norm(), 1e-12);
    EXPECT_LT((fit::between(warm, cool, colour::Temperature{2000, 0}).coefficients - warm.coefficients).norm(),
              1e-12); // no further than the nearer
    const double middle = 2 / (1 / warm.light->kelvin + 1 / cool.light->kelvin);
    const auto half = fit::between(warm, cool, colour::Temperature{middle, 0});
    EXPECT_LT((half.coefficients - 0.5 * (warm.coefficients + cool.coefficients)).norm(), 1e-12);
    EXPECT_NEAR(half.balance.gains[0], std::sqrt(warm.balance.gains[0] * cool.balance.gains[0]), 1e-12);
    EXPECT_NEAR(half.light->kelvin, middle, 1e-9);
    EXPECT_NE(half.choice.find("50 %"), std::string::npos);
    // Either way round, and neutral stays neutral.
    EXPECT_LT((fit::between(cool, warm, colour::Temperature{middle, 0}).coefficients - half.coefficients).norm(),
              1e-12);
    const Vec3 grey = colour::lab_from_xyz(half.coefficients * fit::features(half.model, Vec3::Constant(0.3)));
    EXPECT_LT(std::hypot(grey[1], grey[2]), 1e-6);
}

TEST(TwoLights, serve_a_light_between_better_than_either) {
    const Spectrum light = colour::planck(4200);
    const read::Reading reading = reading_under(light);
    const frame::Frame f = frame_under(light);
    for (const auto model : {std::optional(fit::Model::matrix), std::optional<fit::Model>()}) {
        const auto warm = correction_under(colour::planck(2900), model),
                   cool = correction_under(colour::daylight(6800), model);
        const auto both = fit::between(warm, cool, f);
        EXPECT_NEAR(both.light->kelvin, 4200, 250); // by the camera's one matrix
        const auto with_its_balance = [&](fit::Correction c) {
            c.balance = both.balance;
            return mean_difference(c, reading);
        };
        const double between = mean_difference(both, reading), first = with_its_balance(warm),
                     second = with_its_balance(cool);
        EXPECT_LT(between, 0.8 * first);
        EXPECT_LT(between, 0.8 * second);
        test::measured(
            "%s between 2900 and 6800 K at 4200 K: CIEDE2000 %.2f; the warm one alone %.2f, the cool one %.2f",
            fit::name_of(both.model).c_str(), between, first, second);
    }
}

TEST(TwoLights, of_different_models_meet_as_matrices) {
    const auto warm = correction_under(colour::planck(2900), fit::Model::matrix),
               cool = correction_under(colour::daylight(6800), fit::Model::root_polynomial_3);
    const auto both = fit::between(warm, cool, colour::Temperature{4000, 0});
    EXPECT_EQ(both.model, fit::Model::matrix);
    EXPECT_EQ(both.coefficients.cols(), 3);
}

TEST(TwoLights, say_why_they_cannot_be) {
    const auto warm = correction_under(colour::planck(2900)), cool = correction_under(colour::daylight(6800));
    auto other = cool;
    other.sources.front().metadata.model = "Stills B";
    EXPECT_THROW(fit::between(warm, other, colour::Temperature{4000, 0}), Error);
    other = cool;
    other.light.reset();
    EXPECT_THROW(fit::between(warm, other, colour::Temperature{4000, 0}), Error);
    EXPECT_THROW(fit::between(warm, warm, colour::Temperature{4000, 0}), Error);
    frame::Frame silent = frame_under(colour::planck(4000));
    silent.as_shot.reset();
    try {
        fit::between(warm, cool, silent);
        FAIL();
    } catch (const Error& e) { EXPECT_EQ(e.file(), "a.dng"); }
}

// What the camera meant by its balance comes out of a DNG as it went in.
TEST(TwoLights, a_raw_file_tells_its_balance) {
    test::Scratch scratch;
    test::shoot({.light = "tungsten", .width = 600, .height = 400}, scratch / "a.dng");
    const frame::Frame f = frame::read(scratch / "a.dng", {frame::Size::measuring, {}}),
                       meant = frame_under(simulate::light_named("tungsten"));
    ASSERT_TRUE(f.as_shot);
    EXPECT_LT((*f.as_shot - *meant.as_shot).norm(), 0.01 * meant.as_shot->norm());
}

} // namespace
} // namespace refero
