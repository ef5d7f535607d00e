// balance/, fit/ and prove/: from readings to a correction and what it is worth.
#include <random>

#include "support.hpp"

namespace refero {
namespace {

using colour::Vec3;
using test::Scratch;
using test::Shot;

// Reads like a camera whose response is an exact matrix of XYZ: a matrix correction can be perfect.
read::Reading ideal_reading(const chart::Reference& reference, double level = 0.7) {
    colour::Mat3 camera;
    camera << 0.62, 0.28, 0.03, -0.25, 1.10, 0.14, 0.02, -0.05, 0.90;
    read::Reading r;
    r.chart = "grid24";
    for (const auto& p : test::grid24().patches) {
        const Vec3 v = level * camera * reference.xyz.at(p.id);
        r.patches.push_back({p.id, {v[0], v[1], v[2]}, {0.002, 0.002, 0.002}, 0, 900});
    }
    return r;
}

TEST(Balance, the_second_lightest_usable_neutral_is_taken) {
    const auto reference = chart::reference_of(test::grid24());
    read::Reading r = ideal_reading(reference);
    EXPECT_EQ(balance::choose_white(r, reference, &test::grid24()), "D2");
    EXPECT_EQ(balance::choose_white(r, reference, nullptr), "D2"); // by chroma, without a definition
    r.patches[18].mean = {0.97, 0.9, 0.9};                         // D1 near clipping: D2 is still the second-lightest
    EXPECT_EQ(balance::choose_white(r, reference, &test::grid24()), "D2");
    r.patches[19].mean = {0.96, 0.9, 0.9}; // and D2 near clipping too
    EXPECT_EQ(balance::choose_white(r, reference, &test::grid24()), "D3");
    for (auto& p : r.patches) p.clipped = 1;
    EXPECT_THROW(balance::choose_white(r, reference, &test::grid24()), Error);
}

TEST(Balance, neutral_reads_neutral_and_its_reference_luminance) {
    const auto reference = chart::reference_of(test::grid24());
    const read::Reading r = ideal_reading(reference);
    const auto b = balance::on_patch(r, reference, "D2");
    const auto& m = r.find("D2")->mean;
    const Vec3 balanced = b(Vec3(m[0], m[1], m[2]));
    EXPECT_NEAR(balanced[0], balanced[1], 1e-12);
    EXPECT_NEAR(balanced[1], reference.xyz.at("D2")[1], 1e-12);
    EXPECT_NEAR(balance::off_points(balanced), 0, 1e-9);
    EXPECT_DOUBLE_EQ(b.gains[1], 1);
    EXPECT_THROW(balance::on_patch(r, reference, "Q7"), Error);
}

TEST(Fit, a_matrix_camera_is_corrected_perfectly_by_a_matrix) {
    const auto reference = chart::reference_of(test::grid24());
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    const auto c = fit::build(ideal_reading(reference), reference, &test::grid24(), settings);
    // Balanced on a grey that is not exactly neutral: a trace is left.
    EXPECT_LT(c.fit.mean, 0.35);
    EXPECT_LT(c.cross_validated.mean, 0.4);
}

TEST(Fit, every_model_keeps_neutral_neutral_at_every_level) {
    const auto r = test::true_reading(test::rendered({}));
    const auto reference = chart::reference_of(test::grid24());
    for (const auto model : {fit::Model::diagonal, fit::Model::matrix, fit::Model::root_polynomial_2}) {
        fit::Settings settings;
        settings.model = model;
        const auto c = fit::build(r, reference, &test::grid24(), settings);
        EXPECT_EQ(c.model, model);
        const Vec3 white = c.balance.gains.cwiseInverse() / c.balance.exposure; // camera RGB of the perfect diffuser
        for (const double level : {0.02, 0.18, 1.0, 2.0})
            EXPECT_LT((c(level * white) - level * colour::white_d50).norm(), 2e-4 * level) << fit::name_of(model);
        // Scales with exposure (Finlayson, Mackiewicz and Hurlbert 2015).
        const Vec3 some(0.3, 0.2, 0.1);
        EXPECT_LT((c(2 * some) - 2 * c(some)).norm(), 1e-12);
    }
}

TEST(Fit, auto_takes_the_model_that_predicts_best_or_the_simpler_one_in_a_tie) {
    const auto reference = chart::reference_of(test::grid24());
    const auto c = fit::build(ideal_reading(reference), reference, &test::grid24(), {});
    EXPECT_EQ(c.model, fit::Model::matrix); // a matrix camera: more freedom earns nothing
    EXPECT_EQ(c.candidates.size(), fit::all_models.size());
    EXPECT_FALSE(c.choice.empty());
    const auto real = fit::build(test::true_reading(test::rendered({})), reference, &test::grid24(), {});
    for (const auto& k : real.candidates) {
        EXPECT_GE(k.cross_validated.mean, k.fit.mean * 0.999) << fit::name_of(k.model);
        if (k.model == fit::Model::diagonal) { EXPECT_GT(k.fit.mean, 2 * real.fit.mean); }
    }
}

TEST(Fit, clipped_patches_are_left_out_and_named) {
    const auto reference = chart::reference_of(test::grid24());
    read::Reading r = ideal_reading(reference);
    r.patches[3].clipped = 0.5;
    r.patches[3].mean = {1, 1, 1};
    const auto c = fit::build(r, reference, &test::grid24(), {});
    ASSERT_EQ(c.left_out.size(), 1u);
    EXPECT_EQ(c.left_out[0], "A4");
    EXPECT_LT(c.fit.max, 1.5);
    for (auto& p : r.patches) p.clipped = p.id[0] == 'D' ? 0 : 1;
    r.patches[20].clipped = r.patches[21].clipped = r.patches[22].clipped = r.patches[23].clipped = 1;
    EXPECT_EQ(fit::build(r, reference, &test::grid24(), {}).model, fit::Model::diagonal); // two patches carry no more
    fit::Settings matrix;
    matrix.model = fit::Model::matrix;
    EXPECT_THROW(fit::build(r, reference, &test::grid24(), matrix), Error);
}

TEST(Fit, an_intent_moves_the_correction_towards_its_patches) {
    const auto r = test::true_reading(test::rendered({.light = "led"}));
    const auto reference = chart::reference_of(test::grid24());
    const auto skin_error = [&](fit::Intent intent) {
        fit::Settings s;
        s.model = fit::Model::matrix;
        s.intent = intent;
        const auto c = fit::build(r, reference, &test::grid24(), s);
        double sum = 0;
        for (const auto& p : prove::against(c, r, reference, false).patches)
            if (p.id == "A1" || p.id == "A2") sum += p.delta_e_2000;
        return sum;
    };
    EXPECT_LT(skin_error(fit::Intent::people), skin_error(fit::Intent::even));
}

// Skins made otherwise than those that the rendering learns from: haemoglobin as three bells (its peaks at 418, 542 and
// 577 nm are textbook facts), melanin as a power of wavelength, in the logarithm of reflectance.
TEST(Fit, a_rendering_for_people_leaves_less_on_skins_that_no_chart_holds) {
    const colour::Spectrum light = simulate::light_named("tungsten"), d50 = colour::illuminant_d(50);
    const simulate::Camera& camera = simulate::camera_named("stills-b");
    const auto r = test::true_reading(test::rendered({.camera = "stills-b", .light = "tungsten"}));
    const auto reference = chart::reference_of(test::grid24());
    std::vector<colour::Spectrum> skins;
    for (const double melanin : {0.06, 0.15, 0.35, 0.7})
        for (const double blood : {0.08, 0.16, 0.25}) {
            colour::Spectrum s;
            for (int i = 0; i < colour::Spectrum::size; ++i) {
                const double nm = colour::Spectrum::nm(i);
                const auto bell = [&](double centre, double sd) {
                    return std::exp(-0.5 * std::pow((nm - centre) / sd, 2));
                };
                s[i] = 0.02 + 0.95 * std::pow(10, -0.15 - melanin * std::pow(nm / 500, -3) -
                                                      blood * (1.6 * bell(418, 19) + 0.75 * bell(542, 15) +
                                                               0.8 * bell(577, 10) + 0.1 * (700 - nm) / 300));
            }
            skins.push_back(s);
        }
    const auto left = [&](fit::Intent intent) {
        fit::Settings s;
        s.intent = intent;
        const auto c = fit::build(r, reference, &test::grid24(), s);
        double sum = 0;
        for (const colour::Spectrum& skin : skins)
            sum += colour::delta_e_2000(colour::lab_from_xyz(c(0.8 * camera.response(skin, light))),
                                        colour::lab_from_xyz(colour::xyz_of(skin, d50)));
        return sum / static_cast<double>(skins.size());
    };
    const double even = left(fit::Intent::even), people = left(fit::Intent::people);
    std::printf("[ measured ] skins: even %.2f, people %.2f CIEDE2000\n", even, people);
    EXPECT_LT(people, 0.9 * even);
}

// Statistics by hand: numpy's default quantile (linear interpolation) of 1..5 has p95 4.8.
TEST(Fit, statistics_interpolate_between_order_statistics) {
    const auto s = fit::statistics({5, 1, 4, 2, 3});
    EXPECT_DOUBLE_EQ(s.mean, 3);
    EXPECT_DOUBLE_EQ(s.median, 3);
    EXPECT_DOUBLE_EQ(s.p95, 4.8);
    EXPECT_DOUBLE_EQ(s.max, 5);
    EXPECT_DOUBLE_EQ(fit::statistics({1, 2}).median, 1.5);
}

TEST(Fit, corrections_survive_their_file_and_damaged_files_are_refused) {
    Scratch scratch;
    test::shoot({}, scratch / "a.dng");
    const auto shot = operations::take_shot(scratch / "a.dng", {});
    auto c = operations::correct({shot}, chart::reference_of(shot.definition), {});
    c.light_name = "Window, north \"cold\"";
    fit::save(c, scratch / "c.json");
    const auto back = fit::load(scratch / "c.json");
    EXPECT_EQ(back.model, c.model);
    EXPECT_EQ(back.light_name, c.light_name);
    EXPECT_EQ(back.sources.at(0).sha256, sha256_of(scratch / "a.dng"));
    EXPECT_EQ(back.sources[0].metadata.model, "Stills A");
    EXPECT_EQ(back.reading.patches.size(), 24u);
    EXPECT_LT((back(Vec3(0.3, 0.4, 0.2)) - c(Vec3(0.3, 0.4, 0.2))).norm(), 1e-9);
    EXPECT_EQ(fit::to_json(back), fit::to_json(c));
    const std::string good = read_file(scratch / "c.json");
    for (const std::string& text : {std::string("{}"), std::string("x"), good.substr(0, good.size() / 2)}) {
        test::written(scratch / "bad.json", text);
        EXPECT_THROW(fit::load(scratch / "bad.json"), Error);
    }
    EXPECT_THROW(fit::load(scratch / "absent.json"), Error);
}

TEST(Fit, a_patch_outside_the_frame_is_left_out_also_after_a_way_through_files) {
    Scratch scratch;
    const auto reference = chart::reference_of(test::grid24());
    read::Reading r = ideal_reading(reference);
    r.patches[5].mean = {NAN, NAN, NAN};
    r.patches[5].pixels = 0;
    const auto c = fit::build(r, reference, &test::grid24(), {});
    EXPECT_EQ(c.left_out, std::vector<std::string>{"A6"});
    fit::save(c, scratch / "c.json");
    EXPECT_FALSE(fit::load(scratch / "c.json").reading.find("A6")->usable());
    read::save_cgats(r, scratch / "r.cgats");
    EXPECT_EQ(read::load_cgats(scratch / "r.cgats").patches.size(), 23u);
}

// A correction from one frame, proved on another frame of the same setup: other tilt, rotation and exposure.
TEST(Prove, a_correction_holds_for_another_frame_of_its_setup) {
    Scratch scratch;
    for (const char* camera : {"stills-a", "stills-b"})
        for (const char* light : {"window", "tungsten", "led", "flash"}) {
            test::shoot({.camera = camera, .light = light, .seed = 5}, scratch / "a.dng");
            test::shoot({.camera = camera,
                         .light = light,
                         .white = 0.45,
                         .chart_width = 0.35,
                         .rotation_deg = -31,
                         .tilt_deg = -14,
                         .seed = 6},
                        scratch / "b.dng");
            const auto a = operations::take_shot(scratch / "a.dng", {.chart = "grid24"}),
                       b = operations::take_shot(scratch / "b.dng", {.chart = "grid24"});
            const auto reference = chart::reference_of(a.definition);
            const auto c = operations::correct({a}, reference, {});
            const auto proof = prove::against(c, b.reading, reference, true);
            test::measured(
                "%s, %s: %s, fitted %.3f, cross-validated %.3f, on another frame %.3f (exposure %+.2f stops)", camera,
                light, fit::name_of(c.model).c_str(), c.fit.mean, c.cross_validated.mean, proof.delta_e_2000.mean,
                proof.exposure_stops);
            EXPECT_NEAR(proof.delta_e_2000.mean / c.fit.mean, 1, 0.3) << camera << " " << light;
            EXPECT_NEAR(proof.exposure_stops, std::log2(0.8 / 0.45), 0.2);
            // Without rescaling, the darker frame reads as the darker one that it is.
            EXPECT_GT(prove::against(c, b.reading, reference, false).delta_e_2000.mean, 5);
        }
}

// The cross-validated figure beside the real one on 240 reflectances that no chart holds.
TEST(Prove, the_cross_validated_figure_stands_beside_the_real_one) {
    const auto reference = chart::reference_of(test::grid24());
    for (const char* camera : {"stills-a", "cine-a"})
        for (const char* light : {"window", "tungsten", "led", "flash"}) {
            const auto c = fit::build(test::true_reading(test::rendered({.camera = camera, .light = light})), reference,
                                      &test::grid24(), {});
            const auto& body = simulate::camera_named(camera);
            const auto lamp = simulate::light_named(light);
            // Level: the balance patch reads what it read in the frame.
            const Vec3 grey = body.response(colour::smooth_reflectance(reference.xyz.at(c.balance.white_patch)), lamp);
            const auto& m = c.reading.find(c.balance.white_patch)->mean;
            const double level = m[1] / grey[1];
            std::vector<double> off;
            for (std::uint64_t seed = 1; seed <= 240; ++seed) {
                const auto surface = simulate::random_reflectance(seed * 977);
                const Vec3 truth = colour::xyz_of(surface, colour::illuminant_d(50));
                off.push_back(colour::delta_e_2000(colour::lab_from_xyz(truth),
                                                   colour::lab_from_xyz(c(level * body.response(surface, lamp)))));
            }
            const auto real = fit::statistics(off);
            test::measured("%s, %s: %s, cross-validated mean %.2f, real mean on %zu other surfaces %.2f (95 %% %.2f)",
                           camera, light, fit::name_of(c.model).c_str(), c.cross_validated.mean, off.size(), real.mean,
                           real.p95);
            // Other surfaces are more varied than a chart's; they must still be far better than uncorrected.
            fit::Settings plain;
            plain.model = fit::Model::diagonal;
            const auto balanced = fit::build(c.reading, reference, &test::grid24(), plain);
            double before = 0;
            for (std::uint64_t seed = 1; seed <= 240; ++seed) {
                const auto surface = simulate::random_reflectance(seed * 977);
                before += colour::delta_e_2000(colour::lab_from_xyz(colour::xyz_of(surface, colour::illuminant_d(50))),
                                               colour::lab_from_xyz(balanced(level * body.response(surface, lamp)))) /
                          240;
            }
            EXPECT_LT(real.mean, 0.6 * before) << camera << " " << light;
        }
}

TEST(Prove, a_proof_states_patches_and_refuses_strange_readings) {
    const auto reference = chart::reference_of(test::grid24());
    const auto r = ideal_reading(reference);
    const auto c = fit::build(r, reference, &test::grid24(), {});
    const auto proof = prove::against(c, r, reference, true);
    EXPECT_EQ(proof.patches.size(), 24u);
    EXPECT_NEAR(proof.exposure_stops, 0, 1e-9);
    EXPECT_NEAR(proof.delta_e_2000.mean, c.fit.mean, 1e-9);
    read::Reading other{"", {{"Z1", {0.2, 0.2, 0.2}, {}, 0, 10}}};
    EXPECT_THROW(prove::against(c, other, reference, false), Error);
}

} // namespace
} // namespace refero
