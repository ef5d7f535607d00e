// What is thought neutral, curves of the channels, exposure targets, and the finish after a correction.
#include <cmath>

#include "apply/apply.hpp"
#include "support.hpp"

namespace refero::balance {
namespace {

using colour::Vec3;
using look::Adjustments;
using look::matrix_of;
using look::step_of_patch;

read::Reading reading_of(const std::function<double(int channel, double Y)>& response) {
    const auto reference = chart::reference_of(test::grid24());
    read::Reading r;
    r.chart = "grid24";
    for (const auto& p : test::grid24().patches) {
        const double Y = reference.xyz.at(p.id).y();
        r.patches.push_back({p.id, {response(0, Y), response(1, Y), response(2, Y)}, {0.001, 0.001, 0.001}, 0, 900});
    }
    return r;
}
double mired(double kelvin) { return 1e6 / kelvin; }
colour::Temperature white_after(const Adjustments& f, std::optional<colour::Temperature> light = {}) {
    return colour::correlated_temperature(colour::chromaticity_of(matrix_of(f, light) * colour::white_d50));
}

// Fritsch and Carlson 1980: monotone data give a monotone curve; this is their example of why plain cubics do not
// (their table of radiochemical data, "RPN 14", from memory).
TEST(Curves, monotone_data_give_a_monotone_curve_through_every_point) {
    const Curve c{{0.799, 0.819, 0.87, 0.92, 1.0, 1.2, 1.5, 2.0},
                  {0.0276, 0.0436, 0.169, 0.469, 0.944, 0.9986, 0.99992, 0.99999}};
    double before = -1;
    for (double x = 0; x < 2.5; x += 0.001) {
        EXPECT_GE(c(x), before) << x;
        before = c(x);
    }
    for (std::size_t i = 0; i < c.in.size(); ++i) EXPECT_NEAR(c(c.in[i]), c.out[i], 1e-12);
    EXPECT_EQ(c(0), 0);
    EXPECT_EQ(Curve{}(0.37), 0.37);
}

// A recording whose red curve has another gamma: white is right, the greys are tinted (a fault of the trade), curves
// mend it.
TEST(Curves, tinted_greys_come_together) {
    const auto reference = chart::reference_of(test::grid24());
    const auto r = reading_of([](int c, double Y) {
        return 0.8 * (c == 0 ? std::pow(Y, 1.08) : c == 2 ? 0.7 * std::pow(Y, 0.95) : Y);
    });
    Balance b = on_patch(r, reference, "D2");
    const auto off = [&] {
        double most = 0;
        for (const char* id : {"D1", "D2", "D3", "D4", "D5", "D6"}) {
            const Vec3 rgb = b(Vec3(r.find(id)->mean.data()));
            most = std::max({most, std::abs(rgb[0] / rgb[1] - 1), std::abs(rgb[2] / rgb[1] - 1)});
        }
        return 100 * most;
    };
    const double before = off();
    EXPECT_GT(before, 5);
    b.curves = curves_of(b, r, reference, &test::grid24());
    EXPECT_TRUE(b.curved());
    EXPECT_LT(off(), 0.01);
    // Between the greys, too: within the trade's 1 % (common practice).
    for (double Y = 0.05; Y < 0.9; Y *= 1.1) {
        const Vec3 rgb = b(0.8 * Vec3(std::pow(Y, 1.08), Y, 0.7 * std::pow(Y, 0.95)));
        EXPECT_NEAR(rgb[0] / rgb[1], 1, 0.01) << Y;
        EXPECT_NEAR(rgb[2] / rgb[1], 1, 0.01) << Y;
    }
    test::measured("greys off by %.1f %% before the curves, %.3f %% after", before, off());
}

TEST(Curves, a_curved_correction_is_kept_applied_and_left_out_of_a_matrix) {
    const auto reference = chart::reference_of(test::grid24());
    auto r = test::true_reading(test::rendered({}));
    for (auto& p : r.patches) p.mean[0] = 0.8 * std::pow(p.mean[0] / 0.8, 1.06);
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    settings.curves = true;
    const auto c = fit::build(r, reference, &test::grid24(), settings);
    ASSERT_TRUE(c.balance.curved());
    settings.curves = false;
    EXPECT_LT(c.cross_validated.mean, fit::build(r, reference, &test::grid24(), settings).cross_validated.mean);
    const auto again = fit::from_json(fit::to_json(c));
    const Vec3 rgb(0.21, 0.34, 0.17);
    EXPECT_LT((again(rgb) - c(rgb)).norm(), 1e-9);
    EXPECT_FALSE(fit::as_matrix(c).balance.curved());
    frame::Frame f;
    f.width = f.full_width = 3;
    f.height = f.full_height = 1;
    f.rgb = {0.21f, 0.34f, 0.17f, 1.4f, 0.9f, 0.8f, -0.01f, 0.0f, 0.01f};
    const auto picture = apply::corrected(f, c, "xyz-d50");
    for (int i = 0; i < 3; ++i) {
        const Vec3 expected = c(Vec3(f.rgb[3 * i], f.rgb[3 * i + 1], f.rgb[3 * i + 2]));
        for (int k = 0; k < 3; ++k)
            EXPECT_NEAR(picture.rgb[static_cast<std::size_t>(3 * i + k)], expected[k], 2e-5) << i;
    }
}

TEST(Spots, text_holds_a_spot_and_nothing_else_is_one) {
    const Spot s{{0.41, 0.5, 0.3125}, "card, by the window"};
    const auto again = spot_from(text_of(s));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->name, s.name);
    EXPECT_LT((again->camera_rgb - s.camera_rgb).norm(), 1e-9);
    for (const char* text : {"", "D2", "neutrals", "rgb", "rgb 1 2", "rgb 0 0.5 0.5 black", "rgb nan 1 1 x"})
        EXPECT_FALSE(spot_from(text)) << text;
}

// A grey card in the same light as the chart gives the balance that the chart's own greys give.
TEST(Spots, a_spot_of_a_frame_balances_like_the_chart) {
    const auto r = test::rendered({.rotation_deg = 0, .tilt_deg = 0});
    const frame::Frame f = test::frame_of(r);
    const auto reading = test::true_reading(r);
    const auto reference = chart::reference_of(test::grid24());
    const auto& quad = r.charts[0].corners;
    // D3's middle, by the chart's own corners.
    const auto map = chart::pixels_from_mm(test::grid24(), quad);
    const chart::Patch& d3 = test::grid24().patches[static_cast<std::size_t>(test::grid24().index_of("D3"))];
    const auto at = map({d3.x_mm + d3.w_mm / 2, d3.y_mm + d3.h_mm / 2});
    const Spot spot = spot_at(f, at.x(), at.y());
    const Balance by_spot = balanced_on(reading, reference, &test::grid24(), text_of(spot)),
                  by_patch = on_patch(reading, reference, "D3");
    EXPECT_NEAR(by_spot.gains[0], by_patch.gains[0], 0.002 * by_patch.gains[0]);
    EXPECT_NEAR(by_spot.gains[2], by_patch.gains[2], 0.002 * by_patch.gains[2]);
    EXPECT_THROW(spot_at(f, -3, 5), Error);
    EXPECT_THROW(spot_at(f, f.full_width + 1, 5), Error);
    frame::Frame blown = f;
    std::fill(blown.rgb.begin(), blown.rgb.end(), 1.0f);
    EXPECT_THROW(spot_at(blown, 50, 50), Error);
    std::fill(blown.rgb.begin(), blown.rgb.end(), 0.001f);
    EXPECT_THROW(spot_at(blown, 50, 50), Error);
    // It stands among the other things thought neutral.
    const auto all = candidates(reading, reference, &test::grid24(), nullptr, {text_of(spot)});
    EXPECT_EQ(all.back().white, text_of(spot));
    EXPECT_TRUE(all.back().balance);
    EXPECT_LT(all.back().off_points, 1);
}

// Common practice: daylight about 5500 K, incandescent about 3000, open shade 6500 to 7000.
TEST(Presets, kinds_of_light_have_their_usual_temperatures) {
    std::map<std::string, double> kelvin;
    for (const Preset& p : presets()) kelvin[p.kind] = p.light.kelvin;
    EXPECT_EQ(kelvin.at("Daylight"), 5500);
    EXPECT_EQ(kelvin.at("Incandescent"), 3000);
    EXPECT_GE(kelvin.at("Open shade"), 6500);
    EXPECT_LE(kelvin.at("Open shade"), 7000);
}

TEST(Presets, a_preset_is_told_back_by_the_cameras_matrix) {
    colour::Mat3 camera;
    camera << 0.9, -0.3, -0.08, -0.45, 1.25, 0.2, -0.1, 0.22, 0.6;
    for (const colour::Temperature t : {colour::Temperature{3000, 0}, {5500, 0.003}, {7000, -0.004}}) {
        Balance b;
        const Spot s = spot_of(t, camera);
        b.gains = Vec3(s.camera_rgb[1] / s.camera_rgb[0], 1, s.camera_rgb[1] / s.camera_rgb[2]);
        const auto back = light_of(b, camera);
        EXPECT_NEAR(back.kelvin, t.kelvin, 0.004 * t.kelvin);
        EXPECT_NEAR(back.duv, t.duv, 2e-4);
    }
}

// CIE 15:2018: the D illuminants' temperatures lie on the daylight locus, so a step from D50 of so many mired ends
// there.
TEST(Finishing, a_step_in_mireds_runs_along_the_daylight_locus) {
    for (const double kelvin : {5503.0, 6504.0, 7504.0, 4200.0}) {
        const double step = mired(kelvin) - mired(5002.8);
        const auto xy = colour::chromaticity_of(matrix_of({0, step, 0, 0}, {}) * colour::white_d50),
                   locus = colour::daylight_locus(kelvin);
        EXPECT_NEAR(xy.x, locus.x, 4e-4) << kelvin;
        EXPECT_NEAR(xy.y, locus.y, 4e-4) << kelvin;
    }
    EXPECT_LT(white_after({0, 20, 0, 0}).kelvin, white_after({}).kelvin); // warmer: a lower temperature
    EXPECT_NEAR(white_after({0, 0, 4, 0}).duv - white_after({}).duv, 0.004, 2e-4);
    EXPECT_NEAR(white_after({0, 0, 4, 0}).kelvin, white_after({}).kelvin, 15);
    EXPECT_TRUE(matrix_of({}, {}).isIdentity(1e-12));
    EXPECT_NEAR(matrix_of({1, 0, 0, 0}, {})(1, 1), 2, 1e-12);
    // Steps add up and a step back undoes one, nearly: adaptation is not quite so simple.
    EXPECT_LT(
        (matrix_of({0, 15, 0, 0}, {}) * matrix_of({0, -15, 0, 0}, {}) - colour::Mat3::Identity()).cwiseAbs().maxCoeff(),
        0.01);
    EXPECT_THROW(matrix_of({0, 150, 0, 0}, {}), Error);
    EXPECT_THROW(matrix_of({0, 0, 0, 1.5}, {}), Error);
}

TEST(Finishing, a_share_of_the_lights_colour_is_kept) {
    const colour::Temperature candles{2000, 0.001};
    EXPECT_NEAR(white_after({0, 0, 0, 1}, candles).kelvin, 2000, 15); // all of it: the picture is as warm as the light
    EXPECT_NEAR(mired(white_after({0, 0, 0, 0.5}, candles).kelvin), (mired(2000) + mired(5002.8)) / 2, 2);
    EXPECT_NEAR(white_after({0, 0, 0, 0}, candles).kelvin, 5003, 5);
    EXPECT_NEAR(white_after({0, 0, 0, 0.5}, {}).kelvin, 5003, 5); // nothing is known of the light
}

// Common practice: the bluer the patch that is balanced on, the warmer the picture, and the other way round.
TEST(Finishing, a_bluer_patch_makes_the_picture_warmer) {
    const Vec3 bluish = colour::xyz_from_lab({80, -1, -6}), warm = colour::xyz_from_lab({80, 2, 6});
    EXPECT_GT(step_of_patch(bluish).warmer_mired, 3);
    EXPECT_LT(step_of_patch(warm).warmer_mired, -3);
    // Finished so, the tinted patch itself is about neutral.
    const Vec3 lab = colour::lab_from_xyz(matrix_of(step_of_patch(bluish), {}) * bluish);
    EXPECT_LT(std::hypot(lab[1], lab[2]), 1);
    // On the page that is made for it a patch's role is what balancing on it does.
    const auto page = chart::find_definition("tint-steps");
    const auto reference = chart::reference_of(page);
    int warming = 0;
    for (const auto& p : page.patches) {
        if (p.role != "warm" && p.role != "cool") continue;
        const double step = step_of_patch(reference.xyz.at(p.id)).warmer_mired;
        EXPECT_EQ(step > 0, p.role == "warm") << p.id << " " << step;
        warming += p.role == "warm";
    }
    EXPECT_GT(warming, 0);
}

TEST(Finishing, it_is_in_the_picture_and_not_in_the_proof) {
    const auto reference = chart::reference_of(test::grid24());
    const auto reading = test::true_reading(test::rendered({}));
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    fit::Correction c = fit::build(reading, reference, &test::grid24(), settings);
    const double before = prove::against(c, reading, reference, false).delta_e_2000.mean;
    c.finish = {0.5, 12, -1, 0};
    EXPECT_EQ(prove::against(c, reading, reference, false).delta_e_2000.mean, before);
    EXPECT_EQ(fit::from_json(fit::to_json(c)).finish, c.finish);
    frame::Frame f;
    f.width = f.full_width = f.height = f.full_height = 1;
    f.rgb = {0.2f, 0.3f, 0.15f};
    const auto picture = apply::corrected(f, c, "xyz-d50");
    const Vec3 expected = matrix_of(c.finish, c.light) * c(Vec3(0.2, 0.3, 0.15));
    for (int k = 0; k < 3; ++k) EXPECT_NEAR(picture.rgb[static_cast<std::size_t>(k)], expected[k], 1e-5);
}

// Common practice: white 90 % and black 4 %, or 8-bit 230 and 10; another school white 96 %; a white of one's own.
TEST(Exposure, targets_go_by_the_schools_names_or_by_a_white_of_ones_own) {
    EXPECT_EQ(exposure_target("White 90 %, black 4 %").white, 0.9);
    EXPECT_EQ(exposure_target("92 %").white, 0.92);
    EXPECT_LT(exposure_target("92 %").black, 0); // its black stays where it is
    for (const char* name : {"", "bright", "20 %", "120 %", "92"}) EXPECT_THROW(exposure_target(name), Error) << name;
    const auto reference = chart::reference_of(test::grid24());
    const auto reading = test::true_reading(test::rendered({}));
    const Balance b = on_patch(reading, reference, "D2");
    for (const char* name : {"White 90 %, black 4 %", "92 %"}) {
        const auto ask = asked(exposure_target(name), b, reading, reference, &test::grid24());
        ASSERT_TRUE(ask);
        const double white = std::exp2(ask->stops) * b(Vec3(reading.find("D1")->mean.data())).mean();
        EXPECT_NEAR(colour::encode(colour::Transfer::srgb, white), exposure_target(name).white, 1e-6);
    }
}

} // namespace
} // namespace refero::balance

namespace refero::fit {
namespace {

TEST(Weights, text_and_back) {
    const Weights w = weights_from(" skin 3, D1 0.5 ,, sky 0");
    EXPECT_EQ(w.at("skin"), 3);
    EXPECT_EQ(w.at("D1"), 0.5);
    EXPECT_EQ(weights_from(text_of(w)), w);
    for (const char* bad : {"skin", "skin x", "skin -1", "skin 101", "skin 1 2"})
        EXPECT_THROW(weights_from(bad), Error) << bad;
}

TEST(Weights, a_heavy_patch_is_fitted_better_and_one_of_no_weight_not_at_all) {
    const auto reference = chart::reference_of(test::grid24());
    const auto reading = test::true_reading(test::rendered({.camera = "cine-b", .light = "fluorescent"}));
    Settings settings;
    settings.model = Model::matrix;
    const auto off = [&](const Correction& c, const char* id) {
        return colour::delta_e_2000(colour::lab_from_xyz(reference.xyz.at(id)),
                                    colour::lab_from_xyz(c(Vec3(reading.find(id)->mean.data()))));
    };
    const auto plain = build(reading, reference, &test::grid24(), settings);
    settings.weights = weights_from("B1 50");
    const auto heavy = build(reading, reference, &test::grid24(), settings);
    EXPECT_LT(off(heavy, "B1"), 0.5 * off(plain, "B1"));
    for (const auto& [id, weight] : weights_in_use(heavy)) EXPECT_EQ(weight, id == "B1" ? 50 : 1) << id;
    EXPECT_EQ(from_json(to_json(heavy)).weights, settings.weights);
    // By role; a patch's own goes before it.
    settings.weights = weights_from("skin 4, A1 2");
    const auto roles = build(reading, reference, &test::grid24(), settings);
    for (const auto& [id, weight] : weights_in_use(roles)) EXPECT_EQ(weight, id == "A1" ? 2 : id == "A2" ? 4 : 1) << id;
}

// Samples of the user's own, measured with an instrument, join the chart's patches.
TEST(Samples, they_join_under_their_own_names) {
    const auto reference = chart::reference_of(test::grid24());
    const auto reading = test::true_reading(test::rendered({}));
    read::Reading more;
    chart::Reference theirs;
    more.patches.push_back({"felt", {0.1, 0.05, 0.04}, {0.001, 0.001, 0.001}, 0, 900});
    more.patches.push_back({"unmeasured", {0.1, 0.05, 0.04}, {0.001, 0.001, 0.001}, 0, 900});
    theirs.xyz["felt"] = colour::Vec3(0.12, 0.09, 0.06);
    auto both = reading;
    auto of_both = reference;
    join(both, of_both, more, theirs);
    EXPECT_EQ(both.patches.size(), reading.patches.size() + 1);
    Settings settings;
    settings.model = Model::matrix;
    const auto c = build(both, of_both, &test::grid24(), settings);
    EXPECT_TRUE(c.reference.xyz.contains("felt"));
    EXPECT_THROW(join(both, of_both, more, theirs), Error); // there already
}

} // namespace
} // namespace refero::fit
