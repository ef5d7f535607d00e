// Signs, scales and secondary figures: what a plausible slip would turn round, against definitions and arithmetic of
// others.
#include <Eigen/LU>
#include <cmath>
#include <numbers>

#include "handover/internal/formats.hpp"
#include "inspect/inspect.hpp"
#include "prove/prove.hpp"
#include "support.hpp"

namespace refero {
namespace {

using colour::Vec3;

// Balancing on a patch makes it neutral: a neutral then takes the opposite colour. By von Kries's rule (Bradford),
// which is no part of the step's own arithmetic.
TEST(Signs, a_step_on_a_tinted_patch_has_the_sign_of_what_the_picture_becomes) {
    const colour::Temperature d50 = colour::correlated_temperature(colour::chromaticity_of(colour::white_d50));
    for (const auto& [kelvin, duv] : {std::pair(6000.0, d50.duv),
                                      {4300.0, d50.duv},
                                      {d50.kelvin, d50.duv + 0.008},
                                      {d50.kelvin, d50.duv - 0.008}}) {
        const Vec3 patch = colour::xyz_from(colour::chromaticity_of(colour::Temperature{kelvin, duv}));
        const Vec3 neutral = colour::adaptation(patch, colour::white_d50) * colour::white_d50;
        const colour::Temperature shown = colour::correlated_temperature(colour::chromaticity_of(neutral));
        const look::Adjustments step = look::step_of_patch(patch);
        const double warmer = 1e6 / shown.kelvin - 1e6 / d50.kelvin, greener = 1000 * (shown.duv - d50.duv);
        EXPECT_NEAR(step.warmer_mired, warmer, 2 + 0.2 * std::abs(warmer)) << kelvin << " " << duv;
        EXPECT_NEAR(step.greener, greener, 1 + 0.2 * std::abs(greener)) << kelvin << " " << duv;
        // And the step, taken, does that to a neutral.
        const Vec3 taken = look::matrix_of(step, {}) * colour::white_d50;
        const colour::Temperature is = colour::correlated_temperature(colour::chromaticity_of(taken));
        if (std::abs(step.greener) > 1) EXPECT_GT((is.duv - d50.duv) * greener, 0) << kelvin << " " << duv;
        if (std::abs(step.warmer_mired) > 5) EXPECT_GT((d50.kelvin - is.kelvin) * warmer, 0) << kelvin << " " << duv;
    }
}

// ---- the repair of a shadow: by where the edge lies on the patches' own rectangles

struct ShadowEdge : testing::Test {
    const chart::Definition& d = test::grid24();
    inspect::Explained edge(double at_mm, double angle_deg) {
        inspect::Explained e;
        e.usable = true;
        e.step = 1;
        e.step_angle_deg = angle_deg;
        const bool across = angle_deg == 0;
        e.step_at = at_mm / (across ? d.width_mm : d.height_mm) - 0.5;
        return e;
    }
    static bool has(const std::vector<std::string>& ids, const std::string& id) {
        return std::find(ids.begin(), ids.end(), id) != ids.end();
    }
};

TEST_F(ShadowEdge, patches_that_it_touches_are_those_whose_rectangle_it_crosses) {
    for (const double angle : {0.0, 90.0})
        for (double mm = 1; mm < (angle == 0 ? d.width_mm : d.height_mm); mm += 3.7) {
            const auto crossed = inspect::crossed_by_shadow(d, edge(mm, angle));
            for (const chart::Patch& p : d.patches) {
                const double from = angle == 0 ? p.x_mm : p.y_mm, size = angle == 0 ? p.w_mm : p.h_mm;
                const double beyond = std::max(from - mm, mm - from - size); // below 0: inside
                if (beyond < 0) EXPECT_TRUE(has(crossed, p.id)) << p.id << " " << mm << " " << angle;
                if (beyond > 0.06 * size) EXPECT_FALSE(has(crossed, p.id)) << p.id << " " << mm << " " << angle;
            }
        }
    inspect::Explained none = edge(50, 0);
    none.step = 0;
    EXPECT_TRUE(inspect::crossed_by_shadow(d, none).empty());
}

/// A reading under a light that slopes, with a shadow from the middle on.
read::Reading shaded(const chart::Definition& d, double slope_stops, double shadow_stops, double from) {
    read::Reading r;
    r.chart = d.id;
    for (const chart::Patch& p : d.patches) {
        const double x = (p.x_mm + p.w_mm / 2) / d.width_mm - 0.5;
        const double light = std::exp2(slope_stops * x - (x > from ? shadow_stops : 0));
        read::PatchReading q{p.id};
        for (std::size_t c = 0; c < 3; ++c) {
            q.mean[c] = (0.2 + 0.1 * static_cast<double>(c)) * light;
            q.sd[c] = 0.02 * q.mean[c];
            q.noise[c] = 0.01 * q.mean[c];
            q.error[c] = 0.001 * q.mean[c];
        }
        q.pixels = 400;
        r.patches.push_back(q);
    }
    return r;
}

TEST_F(ShadowEdge, a_repair_divides_signal_and_uncertainty_alike_and_makes_the_light_even) {
    const chart::Reference reference = chart::reference_of(d);
    for (const bool few : {false, true}) { // a shadow on a third of the chart, and on most of it
        const double from = few ? -0.3 : 0.17;
        inspect::Explained e;
        e.usable = true;
        e.level = 0.8;
        e.slope_x = 0.8;
        e.step = 1.5;
        e.step_at = from;
        const read::Reading reading = shaded(d, e.slope_x, e.step, from);
        std::vector<std::string> dark = inspect::crossed_by_shadow(d, e);
        for (const chart::Patch& p : d.patches)
            if ((p.x_mm + p.w_mm / 2) / d.width_mm - 0.5 > from && !has(dark, p.id)) dark.push_back(p.id);
        const std::vector<inspect::Finding> findings{
            {inspect::Check::shadow, inspect::Status::reshoot, e.step, 0.5, "stops", dark, "move it"}};
        const inspect::Repair r = inspect::repaired(reading, d, reference, findings, e, false);
        for (const read::PatchReading& p : r.reading.patches) {
            if (has(r.left_out, p.id)) continue;
            for (std::size_t c = 0; c < 3; ++c) {
                EXPECT_NEAR(p.mean[c], 0.2 + 0.1 * static_cast<double>(c), 1e-9) << p.id << " " << few;
                EXPECT_NEAR(p.sd[c] / p.mean[c], 0.02, 1e-9);
                EXPECT_NEAR(p.noise[c] / p.mean[c], 0.01, 1e-9);
                EXPECT_NEAR(p.error[c] / p.mean[c], 0.001, 1e-9);
            }
        }
        const std::vector<std::string> crossed = inspect::crossed_by_shadow(d, e);
        std::vector<std::string> expected = few ? crossed : dark, left_out = r.left_out;
        std::sort(expected.begin(), expected.end());
        EXPECT_EQ(left_out, expected) << few; // the gate's own
        ASSERT_EQ(r.words.size(), 2u);
        // A finished picture only loses patches, and where too few would be left, none.
        const inspect::Repair picture = inspect::repaired(reading, d, reference, findings, e, true);
        for (std::size_t i = 0; i < reading.patches.size(); ++i)
            EXPECT_EQ(picture.reading.patches[i].mean, reading.patches[i].mean);
        if (few) EXPECT_TRUE(picture.left_out.empty());
        else EXPECT_EQ(picture.left_out, expected);
        EXPECT_EQ(picture.words.size(), 1u);
    }
    // Stray light is taken off, with its sign.
    inspect::Explained veiled;
    veiled.usable = true;
    veiled.level = 0.8;
    veiled.veil = Vec3(0.01, 0.02, 0.03);
    const read::Reading reading = shaded(d, 0, 0, 1);
    const inspect::Repair r = inspect::repaired(
        reading, d, reference, {{inspect::Check::glare, inspect::Status::caution, 3, 2, "%", {}, "shade it"}}, veiled,
        false);
    for (std::size_t c = 0; c < 3; ++c)
        EXPECT_NEAR(r.reading.patches[5].mean[c],
                    reading.patches[5].mean[c] - veiled.veil[static_cast<Eigen::Index>(c)], 1e-12);
}

// The standard error of the mean of n equal readings is that of one over the root of n (any textbook of statistics).
TEST(Signs, the_error_of_an_average_falls_with_the_root_of_the_number) {
    read::Reading one = shaded(test::grid24(), 0, 0, 1);
    for (const std::size_t n : {2u, 4u, 9u}) {
        const read::Reading mean = read::average(std::vector(n, one));
        for (std::size_t i = 0; i < mean.patches.size(); ++i)
            for (std::size_t c = 0; c < 3; ++c) {
                EXPECT_NEAR(mean.patches[i].mean[c], one.patches[i].mean[c], 1e-12);
                EXPECT_NEAR(mean.patches[i].error[c], one.patches[i].error[c] / std::sqrt(static_cast<double>(n)),
                            1e-12);
                EXPECT_NEAR(mean.patches[i].sd[c], one.patches[i].sd[c], 1e-12); // a pixel's own stays
                EXPECT_NEAR(mean.patches[i].noise[c], one.patches[i].noise[c], 1e-12);
            }
        EXPECT_EQ(mean.patches[0].pixels, static_cast<int>(n) * one.patches[0].pixels);
    }
    // Two shots half as bright apart: the first's exposure counts, and so does its scale of errors.
    read::Reading dim = one;
    for (read::PatchReading& p : dim.patches)
        for (std::size_t c = 0; c < 3; ++c) {
            p.mean[c] /= 2;
            p.sd[c] /= 2;
            p.noise[c] /= 2;
            p.error[c] /= 2;
        }
    const read::Reading mean = read::average({one, dim});
    EXPECT_NEAR(mean.patches[3].mean[0], one.patches[3].mean[0], 1e-12);
    EXPECT_NEAR(mean.patches[3].error[0], one.patches[3].error[0] / std::sqrt(2.0), 1e-12);
}

// DNG specification 1.7: CalibrationIlluminant is an EXIF LightSource code; lights are compared in reciprocal
// temperature, as its interpolation is; ColorMatrix takes the light's white to camera neutral, whose largest channel
// is 1.
TEST(Signs, dng_illuminants_are_nearest_in_reciprocal_kelvin_and_the_matrix_maps_white_to_neutral) {
    const auto rendering = test::rendered({.light = "tungsten"});
    const chart::Reference reference = chart::reference_of(test::grid24());
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    fit::Correction c = fit::build(test::true_reading(rendering), reference, &test::grid24(), settings);
    for (const auto& [kelvin, code] : {std::pair(2856.0, 17),
                                       {2500.0, 17},
                                       {3050.0, 24},
                                       {4000.0, 23},
                                       {5003.0, 23},
                                       {5240.0, 23},
                                       {5260.0, 20},
                                       {6504.0, 21},
                                       {9000.0, 22}}) {
        c.light = colour::Temperature{kelvin, 0};
        const handover::DngMatrices m = handover::dng_matrices(c);
        EXPECT_EQ(m.illuminant, code) << kelvin;
        const Vec3 neutral = m.color_matrix * colour::xyz_from(colour::chromaticity_of(*c.light));
        EXPECT_NEAR(neutral.maxCoeff(), 1, 1e-9) << kelvin;
        // Which is what the balance makes equal.
        const Vec3 balanced = c.balance.gains.cwiseProduct(neutral);
        EXPECT_LT(balanced.maxCoeff() / balanced.minCoeff() - 1, 1e-6) << kelvin;
        // ForwardMatrix takes it to D50 (1.7, chapter 6): its rows' sums are D50's XYZ.
        EXPECT_LT((m.forward_matrix.rowwise().sum() - colour::white_d50).cwiseAbs().maxCoeff(), 0.02);
    }
}

// A hue a little above 0 degrees is near one a little below 360.
TEST(Signs, differences_of_hue_take_the_shorter_way_round) {
    read::Reading reading;
    chart::Reference reference;
    const auto xyz_at = [](double hue_deg) {
        const double h = hue_deg * std::numbers::pi / 180;
        return colour::xyz_from_lab(Vec3(50, 40 * std::cos(h), 40 * std::sin(h)));
    };
    for (const auto& [id, aim, is] : {std::tuple("P1", 358.0, 2.0), {"P2", 2.0, 358.0}, {"P3", 120.0, 125.0}}) {
        reference.xyz[id] = xyz_at(aim);
        const Vec3 seen = xyz_at(is);
        reading.patches.push_back({id, {seen[0], seen[1], seen[2]}, {0.001, 0.001, 0.001}, 0, 400});
    }
    reference.xyz["W"] = colour::white_d50;
    reading.patches.push_back({"W", {colour::white_d50[0], 1, colour::white_d50[2]}, {0.001, 0.001, 0.001}, 0, 400});
    const prove::Proof p = prove::against([](const Vec3& rgb) { return rgb; }, reading, reference, std::string("W"));
    for (const auto& q : p.patches) {
        if (q.id == "P1") EXPECT_NEAR(q.hue_deg, 4, 0.01);
        if (q.id == "P2") EXPECT_NEAR(q.hue_deg, -4, 0.01);
        if (q.id == "P3") EXPECT_NEAR(q.hue_deg, 5, 0.01);
    }
    look::Look look;
    look.ring.back().shift_deg = 8; // the last hue of the ring and the first are neighbours
    const double reach = look::look_hue_reach;
    EXPECT_NEAR(look::step_at(look, 360 - reach).shift_deg, 8, 1e-9);
    EXPECT_NEAR(look::step_at(look, 360 - reach / 2).shift_deg, 4, 1e-9);
    EXPECT_NEAR(look::step_at(look, -reach / 2).shift_deg, 4, 1e-9);
    EXPECT_NEAR(look::step_at(look, 360).shift_deg, 0, 1e-9);
    EXPECT_NEAR(look::step_at(look, 720 + 360 - reach).shift_deg, 8, 1e-9);
}

// Greys of about one level say the same: a curve has a point for each level that is 2 % lighter than the last.
TEST(Signs, points_of_a_greys_curve_are_apart) {
    chart::Definition d;
    d.id = "ladder";
    read::Reading reading;
    chart::Reference reference;
    const std::vector<double> levels{0.05, 0.0505, 0.1, 0.2, 0.201, 0.4, 0.8};
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const std::string id = "G" + std::to_string(i);
        d.patches.push_back({id, 10.0 * static_cast<double>(i), 0, 8, 8, "neutral"});
        reference.xyz[id] = levels[i] * colour::white_d50;
        const double bent = std::pow(levels[i], 1.1);
        reading.patches.push_back({id, {bent, levels[i], bent}, {0.0001, 0.0001, 0.0001}, 0, 400});
    }
    const balance::Balance balance = balance::balanced_on(reading, reference, &d, "G5");
    const auto curves = balance::curves_of(balance, reading, reference, &d);
    for (const int c : {0, 2}) {
        const balance::Curve& curve = curves[static_cast<std::size_t>(c)];
        EXPECT_EQ(curve.in.size(), 5u) << c; // of seven
        for (std::size_t i = 1; i < curve.in.size(); ++i) {
            EXPECT_GE(curve.in[i], 1.02 * curve.in[i - 1]);
            EXPECT_GT(curve.out[i], curve.out[i - 1]);
        }
    }
    EXPECT_TRUE(curves[1].in.empty());
}

// More than three odd patches are no single mishap: the fit leaves out three at most, the worst.
TEST(Signs, a_fit_takes_three_patches_for_odd_at_most) {
    const auto rendering = test::rendered({});
    const chart::Reference reference = chart::reference_of(test::grid24());
    read::Reading reading = test::true_reading(rendering);
    int k = 0;
    for (read::PatchReading& p : reading.patches) {
        for (std::size_t c = 0; c < 3; ++c) p.sd[c] = p.noise[c] = 0.002, p.error[c] = 0.0001;
        if (p.id == "A2" || p.id == "B1" || p.id == "B5" || p.id == "C3" || p.id == "C6")
            p.mean[static_cast<std::size_t>(k++ % 3)] *= 0.4;
    }
    EXPECT_GT(inspect::odd_patches(reading, reference, &test::grid24(), false).size(), 3u);
    EXPECT_EQ(fit::build(reading, reference, &test::grid24(), {}).odd.size(), 3u);
}

} // namespace
} // namespace refero
