// Checks of the ground floor against published standards and against an independent colour engine.
#include <lcms2.h>

#include <Eigen/LU>
#include <random>

#include "support.hpp"

namespace refero::colour {
namespace {

struct Pair {
    double lab1[3], lab2[3], difference;
};
const Pair sharma_pairs[] = {
#include "ciede2000_pairs.inc"
};

TEST(Colour, ciede2000_gives_the_published_pairs_of_sharma_wu_and_dalal_2005) {
    ASSERT_EQ(std::size(sharma_pairs), 34u);
    for (const Pair& p : sharma_pairs) {
        const Vec3 a(p.lab1), b(p.lab2);
        EXPECT_NEAR(delta_e_2000(a, b), p.difference, 0.00005) << a.transpose() << " and " << b.transpose();
        EXPECT_NEAR(delta_e_2000(b, a), p.difference, 0.00005);
        EXPECT_NEAR(delta_e_2000_components(a, b).norm(), p.difference, 0.00005);
    }
}

// Independent reference: lcms2, a general-purpose colour engine.
TEST(Colour, differences_and_lab_agree_with_an_independent_engine_on_random_pairs) {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> l(0, 100), ab(-100, 100), near(-6, 6);
    double worst_2000 = 0, worst_76 = 0, worst_lab = 0, worst_xyz = 0;
    for (int i = 0; i < 20000; ++i) {
        const Vec3 p(l(random), ab(random), ab(random));
        const Vec3 q =
            i % 2 ? Vec3(l(random), ab(random), ab(random)) : Vec3(p + Vec3(near(random), near(random), near(random)));
        const cmsCIELab a{p[0], p[1], p[2]}, b{q[0], q[1], q[2]};
        worst_76 = std::max(worst_76, std::abs(delta_e_76(p, q) - cmsDeltaE(&a, &b)));
        worst_2000 = std::max(worst_2000, std::abs(delta_e_2000(p, q) - cmsCIE2000DeltaE(&a, &b, 1, 1, 1)));
        cmsCIEXYZ xyz;
        cmsLab2XYZ(nullptr, &xyz, &a);
        if (p[0] > 8) { // lcms2 clips negative XYZ of impossible dark colours
            const Vec3 ours = xyz_from_lab(p, Vec3(cmsD50_XYZ()->X, cmsD50_XYZ()->Y, cmsD50_XYZ()->Z));
            if (ours.minCoeff() > 0)
                worst_xyz = std::max(worst_xyz, (ours - Vec3(xyz.X, xyz.Y, xyz.Z)).cwiseAbs().maxCoeff());
        }
        const Vec3 some(std::abs(ab(random)) / 100, std::abs(ab(random)) / 100, std::abs(ab(random)) / 100);
        const cmsCIEXYZ s{some[0], some[1], some[2]};
        cmsCIELab lab;
        cmsXYZ2Lab(nullptr, &lab, &s);
        const Vec3 ours = lab_from_xyz(some, Vec3(cmsD50_XYZ()->X, cmsD50_XYZ()->Y, cmsD50_XYZ()->Z));
        worst_lab = std::max(worst_lab, (ours - Vec3(lab.L, lab.a, lab.b)).cwiseAbs().maxCoeff());
    }
    test::measured("largest difference to lcms2 over 20000 pairs: dE2000 %.2g, dE76 %.2g, Lab %.2g, XYZ %.2g",
                   worst_2000, worst_76, worst_lab, worst_xyz);
    EXPECT_LT(worst_76, 1e-9);
    EXPECT_LT(worst_2000, 1e-4);
    EXPECT_LT(worst_lab, 1e-3);
    EXPECT_LT(worst_xyz, 1e-5);
}

// Independent reference: culori 4.0.2 from the npm registry, differenceCie94() (graphic arts), pairs by chance.
TEST(Colour, cie94_agrees_with_an_independent_library) {
    const Pair pairs[] = {
        {{59.7, -32.1, 6.8}, {98.7, 27.5, 4.7}, 55.779846},   {{87, 66.5, -68.1}, {99.7, -46.5, -49.1}, 47.826162},
        {{99.3, -70.6, -18.5}, {3, -68.5, 27.8}, 98.808279},  {{92.4, 49.5, 38.6}, {6.4, 18.9, -0.6}, 87.596766},
        {{20.4, 62.8, -69}, {80.3, -56.6, -75.6}, 77.919833}, {{71.6, 38.2, 58.1}, {81.8, 53.7, 38.8}, 15.776422}};
    for (const Pair& p : pairs) EXPECT_NEAR(delta_e_94(Vec3(p.lab1), Vec3(p.lab2)), p.difference, 2e-6);
}

// CIE 15:2018, table T.3: chromaticities of the illuminants, 2 degrees.
TEST(Colour, illuminants_have_the_chromaticities_of_cie_15) {
    const struct {
        Spectrum light;
        double x, y;
    } known[] = {{illuminant_a(), 0.44758, 0.40745},
                 {illuminant_d(50), 0.34567, 0.35851},
                 {illuminant_d(55), 0.33243, 0.34744},
                 {illuminant_d(65), 0.31272, 0.32903},
                 {illuminant_d(75), 0.29903, 0.31488}};
    for (const auto& k : known) {
        const Chromaticity c = chromaticity_of(white_of(k.light));
        EXPECT_NEAR(c.x, k.x, 0.0001);
        EXPECT_NEAR(c.y, k.y, 0.0001);
    }
}

// CIE 15:2018: A is at 2856 K, D50 at 5003 K, D65 at 6504 K (nominal times 1.4388 / 1.4380).
TEST(Colour, correlated_temperatures_are_those_of_cie_15) {
    const auto of = [](const Spectrum& s) { return correlated_temperature(chromaticity_of(white_of(s))); };
    EXPECT_NEAR(of(illuminant_a()).kelvin, 2856, 3);
    EXPECT_NEAR(of(illuminant_a()).duv, 0, 0.0002);
    EXPECT_NEAR(of(illuminant_d(50)).kelvin, 5003, 6);
    EXPECT_NEAR(of(illuminant_d(55)).kelvin, 5503, 7);
    EXPECT_NEAR(of(illuminant_d(65)).kelvin, 6504, 8);
    EXPECT_NEAR(of(illuminant_d(65)).duv, 0.0032,
                0.0003); // common practice: daylight lies a little above Planck's locus
    for (const double kelvin : {1500., 2700., 4000., 6500., 10000., 20000.}) {
        const Temperature t = of(planck(kelvin));
        EXPECT_NEAR(t.kelvin, kelvin, kelvin * 0.0015);
        EXPECT_NEAR(t.duv, 0, 1e-4);
        const Temperature shifted = correlated_temperature(chromaticity_of(Temperature{kelvin, 0.01}));
        EXPECT_NEAR(shifted.kelvin, kelvin, kelvin * 0.003);
        EXPECT_NEAR(shifted.duv, 0.01, 2e-4);
    }
    // McCamy's cubic as a check near daylight.
    for (const int d : {50, 55, 65, 75}) {
        const Chromaticity c = chromaticity_of(white_of(illuminant_d(d)));
        EXPECT_NEAR(mccamy_kelvin(c), correlated_temperature(c).kelvin, 40);
    }
}

// Independent reference: lcms2's daylight locus.
TEST(Colour, daylight_locus_agrees_with_an_independent_engine) {
    for (const double kelvin : {4000., 5000., 6500., 9300., 15000., 25000.}) {
        cmsCIExyY white;
        ASSERT_TRUE(cmsWhitePointFromTemp(&white, kelvin));
        EXPECT_NEAR(daylight_locus(kelvin).x, white.x, 1e-6);
        EXPECT_NEAR(daylight_locus(kelvin).y, white.y, 1e-6);
    }
    EXPECT_THROW(daylight(3999), Error);
}

// IEC 61966-2-1:1999, linear sRGB to XYZ (D65), four decimals.
TEST(Colour, srgb_matrix_is_that_of_iec_61966_2_1) {
    Mat3 standard;
    standard << 0.4124, 0.3576, 0.1805, 0.2126, 0.7152, 0.0722, 0.0193, 0.1192, 0.9505;
    EXPECT_LT((rgb_space("srgb").to_xyz() - standard).cwiseAbs().maxCoeff(), 0.00011) << rgb_space("srgb").to_xyz();
}

// ITU-R BT.709-6 and BT.2020-2: luma weights; Academy S-2014-004: ACEScg (AP1) to XYZ.
TEST(Colour, luma_weights_and_ap1_are_those_of_the_standards) {
    const auto y = [](const char* space) { return Vec3(rgb_space(space).to_xyz().row(1).transpose()); };
    EXPECT_LT((y("bt709") - Vec3(0.2126, 0.7152, 0.0722)).cwiseAbs().maxCoeff(), 0.0001);
    EXPECT_LT((y("bt2020") - Vec3(0.2627, 0.6780, 0.0593)).cwiseAbs().maxCoeff(), 0.0001);
    Mat3 ap1;
    ap1 << 0.6624541811, 0.1340042065, 0.1561876870, 0.2722287168, 0.6740817658, 0.0536895174, -0.0055746495,
        0.0040607335, 1.0103391003;
    EXPECT_LT((rgb_space("acescg").to_xyz() - ap1).cwiseAbs().maxCoeff(), 1e-6);
}

TEST(Colour, every_space_takes_its_white_to_d50) {
    for (const RgbSpace& s : rgb_spaces()) {
        if (s.name == "xyz-d50") continue; // not a space with a white of its own
        EXPECT_LT((s.to_xyz_d50() * Vec3::Ones() - white_d50).cwiseAbs().maxCoeff(), 2e-4) << s.name;
    }
    EXPECT_THROW(rgb_space("nowhere"), Error);
}

// ICC.1:2022 annex E, linear Bradford: the well-known D65 to D50 matrix (value from memory).
TEST(Colour, adaptations_take_white_to_white) {
    const Vec3 d65 = xyz_from({0.3127, 0.3290});
    Mat3 published;
    published << 1.0478, 0.0229, -0.0501, 0.0295, 0.9905, -0.0171, -0.0092, 0.0151, 0.7517;
    EXPECT_LT((adaptation(d65, white_d50) - published).cwiseAbs().maxCoeff(), 0.0005) << adaptation(d65, white_d50);
    for (const auto method : {Adaptation::bradford, Adaptation::cat16}) {
        const Mat3 there = adaptation(d65, white_d50, method);
        EXPECT_LT((there * d65 - white_d50).norm(), 1e-12);
        EXPECT_LT((adaptation(white_d50, d65, method) * there - Mat3::Identity()).norm(), 1e-12);
    }
    // lcms2 uses the Bradford transform too.
    cmsCIEXYZ out;
    const cmsCIEXYZ from{d65[0], d65[1], d65[2]}, some{0.3, 0.2, 0.4};
    cmsAdaptToIlluminant(&out, &from, cmsD50_XYZ(), &some);
    const Vec3 ours = adaptation(d65, Vec3(cmsD50_XYZ()->X, cmsD50_XYZ()->Y, cmsD50_XYZ()->Z)) * Vec3(0.3, 0.2, 0.4);
    EXPECT_LT((ours - Vec3(out.X, out.Y, out.Z)).norm(), 1e-4);
}

TEST(Colour, coordinates_go_there_and_back) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> u(0.001, 1);
    for (int i = 0; i < 2000; ++i) {
        const Vec3 xyz(u(random), u(random), u(random));
        EXPECT_LT((xyz_from_lab(lab_from_xyz(xyz)) - xyz).norm(), 1e-12);
        EXPECT_LT((xyz_from_luv(luv_from_xyz(xyz)) - xyz).norm(), 1e-10);
        EXPECT_LT((lab_from_lch(lch_from(lab_from_xyz(xyz))) - lab_from_xyz(xyz)).norm(), 1e-9);
        const Chromaticity c = chromaticity_of(xyz);
        EXPECT_LT((xyz_from(c, xyz[1]) - xyz).norm(), 1e-12);
    }
    EXPECT_NEAR(lch_from({50, 0, -10})[2], 270, 1e-9);
}

TEST(Colour, transfer_functions_pass_through_the_points_of_their_standards) {
    EXPECT_NEAR(encode(Transfer::srgb, 0.0031308), 0.04045, 1e-5);         // IEC 61966-2-1
    EXPECT_NEAR(encode(Transfer::srgb, 0.18), 0.46135, 1e-4);              // IEC 61966-2-1
    EXPECT_NEAR(encode(Transfer::bt709, 0.018), 0.081, 1e-3);              // ITU-R BT.709-6: 4.5 L
    EXPECT_NEAR(encode(Transfer::bt709, 0.18), 0.409, 1e-3);               // common practice: grey at 41 %
    EXPECT_NEAR(decode(Transfer::bt1886, 0.5), std::pow(0.5, 2.4), 1e-12); // ITU-R BT.1886
    EXPECT_NEAR(encode(Transfer::hlg, 1.0 / 12), 0.5, 1e-6);               // ITU-R BT.2100: sqrt(3 E) at E = 1/12
    EXPECT_NEAR(encode(Transfer::hlg, 1), 1, 1e-6);
    EXPECT_NEAR(encode(Transfer::pq, 0.01), 0.508, 1e-3); // SMPTE ST 2084: 100 cd/m2 at 50.8 %
    EXPECT_NEAR(encode(Transfer::pq, 1), 1, 1e-9);
    EXPECT_NEAR(encode(Transfer::acescct, 0.18), 0.4135884, 1e-5); // Academy S-2016-001
    EXPECT_NEAR(encode(Transfer::acescct, 0), 0.0729055, 1e-6);    // Academy S-2016-001
    EXPECT_NEAR(encode(Transfer::oprgb, 0.5), std::pow(0.5, 256.0 / 563), 1e-12);
    for (const char* name : {"linear", "srgb", "bt709", "bt1886", "oprgb", "hlg", "pq", "acescct"}) {
        const Transfer t = transfer_named(name);
        EXPECT_EQ(name_of(t), name);
        double before = -1;
        for (int i = 0; i <= 400; ++i) {
            const double code = encode(t, i / 400.0);
            EXPECT_NEAR(decode(t, code), i / 400.0, 1e-5) << name;
            EXPECT_GT(code, before) << name;
            before = code;
        }
    }
    EXPECT_THROW(transfer_named("gamma"), Error);
}

// The perfect diffuser has Y = 1, and an equal-energy light x = y = 1/3 (CIE 15:2018, 4 decimals).
TEST(Colour, sums_over_the_observer_are_normalised) {
    EXPECT_NEAR(xyz_of(Spectrum::constant(1), illuminant_d(50))[1], 1, 1e-12);
    EXPECT_NEAR(xyz_of(Spectrum::constant(0.18), illuminant_a())[1], 0.18, 1e-12);
    const Chromaticity e = chromaticity_of(white_of(Spectrum::constant(1)));
    EXPECT_NEAR(e.x, 1.0 / 3, 1e-4);
    EXPECT_NEAR(e.y, 1.0 / 3, 1e-4);
}

TEST(Colour, samples_become_a_spectrum_or_a_clear_error) {
    const double nm[] = {400, 500, 700}, value[] = {0, 1, 0};
    const Spectrum s = Spectrum::from_samples(nm, value);
    EXPECT_DOUBLE_EQ(s[(450 - 380) / 5], 0.5);
    EXPECT_DOUBLE_EQ(s[0], 0);
    const double falling[] = {500, 400, 700};
    EXPECT_THROW(Spectrum::from_samples(falling, value), Error);
    EXPECT_THROW(Spectrum::from_samples(std::span(nm, 1), std::span(value, 1)), Error);
}

// Model lights must be what their names say.
TEST(Colour, model_lights_have_about_their_temperature) {
    const auto of = [](const Spectrum& s) { return correlated_temperature(chromaticity_of(white_of(s))); };
    for (const double kelvin : {2700., 4000., 5600., 6500.}) EXPECT_NEAR(of(led(kelvin)).kelvin, kelvin, kelvin * 0.06);
    EXPECT_NEAR(of(fluorescent()).kelvin, 4000, 500);
    EXPECT_NEAR(of(flash()).kelvin, 5600, 700); // common practice: flash is near 5600 K
}

} // namespace
} // namespace refero::colour
