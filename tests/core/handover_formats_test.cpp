// Formats of OpenColorIO's world, read back by it and compared with the correction itself.
#include <OpenColorIO/OpenColorIO.h>
#include <lcms2.h>

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <nlohmann/json.hpp>
#include <random>

#include "apply/apply.hpp"
#include "handover/handover.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::handover {
namespace {

using colour::Vec3;
using test::Scratch;

fit::Correction correction(fit::Model model) {
    const auto r = test::rendered({.light = "led"});
    fit::Settings settings;
    settings.model = model;
    auto c = fit::build(test::true_reading(r), chart::reference_of(test::grid24()), &test::grid24(), settings);
    c.light_name = "led";
    c.light = colour::Temperature{4300, 0.002};
    return c;
}

ocio::ConstCPUProcessorRcPtr tetrahedral(const fs::path& file) {
    ocio::ClearAllCaches();
    const auto transform = ocio::FileTransform::Create();
    transform->setSrc(file.c_str());
    transform->setInterpolation(ocio::INTERP_TETRAHEDRAL);
    return ocio::Config::CreateRaw()->getProcessor(transform)->getOptimizedCPUProcessor(ocio::OPTIMIZATION_NONE);
}

/// Codes in, codes of the space out, as the correction has them.
Vec3 expected(const fit::Correction& c, const Vec3& code, colour::Transfer input, const std::string& space) {
    const colour::RgbSpace& s = colour::rgb_space(space);
    const Vec3 light = code.unaryExpr([&](double v) { return colour::decode(input, v); });
    const Vec3 out = s.to_xyz_d50().inverse() * look::matrix_of(c.finish, c.light) * c(light);
    return out.unaryExpr([&](double v) { return colour::encode(s.transfer, v); });
}

double worst_of(const ocio::ConstCPUProcessorRcPtr& p, const std::function<Vec3(const Vec3&)>& want, int count = 4000) {
    std::mt19937 random(3);
    double worst = 0;
    for (int i = 0; i < count; ++i) {
        Vec3 code;
        for (int k = 0; k < 3; ++k) code[k] = 0.02 + 0.96 * random() * 0x1p-32;
        const Vec3 out = want(code);
        if (out.minCoeff() < 0.01) continue; // curves extend below black in their own ways
        float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
        p->applyRGB(rgb);
        for (int k = 0; k < 3; ++k) worst = std::max(worst, std::abs(static_cast<double>(rgb[k]) - out[k]));
    }
    return worst;
}

TEST(HandoverFormats, a_clf_is_the_correction) {
    Scratch scratch;
    const auto m = correction(fit::Model::matrix);
    write(m, "clf", scratch / "m.clf");
    const double matrix = worst_of(tetrahedral(scratch / "m.clf"),
                                   [&](const Vec3& code) { return expected(m, code, colour::Transfer::srgb, "srgb"); });
    const auto c = correction(fit::Model::spectral);
    write(c, "clf", scratch / "c.clf", {.size = 33});
    // The nodes are those of the cube, which are moved for what lies between them (cube_error_test.cpp).
    write(c, "cube", scratch / "c.cube", {.size = 33});
    const auto cube = tetrahedral(scratch / "c.cube");
    const double apart = worst_of(tetrahedral(scratch / "c.clf"), [&](const Vec3& code) {
        float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
        cube->applyRGB(rgb);
        return Vec3(static_cast<double>(rgb[0]), static_cast<double>(rgb[1]), static_cast<double>(rgb[2]));
    });
    test::measured("CLF read by OpenColorIO: %.1e anywhere of a matrix, %.1e from the cube of as many nodes", matrix,
                   apart);
    EXPECT_LT(matrix, 1e-4);
    EXPECT_LT(apart, 1e-5);
}

// The chart was read from video: the LUT takes its codes and gives BT.709.
TEST(HandoverFormats, luts_expect_what_was_recorded) {
    Scratch scratch;
    auto c = correction(fit::Model::matrix);
    c.encoding = "hlg";
    write(c, "cube", scratch / "v.cube");
    EXPECT_NE(read_file(scratch / "v.cube").find("encoding hlg. Out: bt709"), std::string::npos);
    // On the chart's own greys and colours, whatever lies between.
    const auto cube = tetrahedral(scratch / "v.cube");
    for (const auto& p : c.reading.patches) {
        Vec3 code;
        for (int k = 0; k < 3; ++k)
            code[k] = colour::encode(colour::Transfer::hlg, p.mean[static_cast<std::size_t>(k)]);
        const Vec3 want = expected(c, code, colour::Transfer::hlg, "bt709");
        float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
        cube->applyRGB(rgb);
        for (int k = 0; k < 3; ++k)
            if (want.minCoeff() > 0.02 && want.maxCoeff() < 1) {
                EXPECT_NEAR(static_cast<double>(rgb[k]), want[k], 0.01) << p.id;
            }
    }
    write(c, "curve", scratch / "in.cube");
    const auto in = tetrahedral(scratch / "in.cube");
    write(c, "curve-out", scratch / "out.cube");
    const auto out = tetrahedral(scratch / "out.cube");
    for (double v = 0.05; v < 1; v += 0.013) {
        float rgb[3] = {static_cast<float>(v), static_cast<float>(v), static_cast<float>(v)};
        in->applyRGB(rgb);
        EXPECT_NEAR(rgb[1], colour::decode(colour::Transfer::hlg, v), 1e-4);
        float back[3] = {static_cast<float>(v), static_cast<float>(v), static_cast<float>(v)};
        out->applyRGB(back);
        EXPECT_NEAR(back[1], colour::encode(colour::Transfer::bt709, v), 1e-4);
    }
    EXPECT_EQ(fit::from_json(fit::to_json(c)).encoding, "hlg");
}

// ASC CDL v1.2: out = clamp(in * slope + offset) ^ power, then saturation by BT.709 luma, clamped.
TEST(HandoverFormats, a_cdl_says_what_it_leaves) {
    Scratch scratch;
    const auto c = correction(fit::Model::spectral);
    const Written w = write(c, "cdl", scratch / "a.cc");
    EXPECT_EQ(w.model_name(), "cdl");
    const std::string text = read_file(scratch / "a.cc");
    EXPECT_LT(text.find("<SOPNode>"), text.find("<SatNode>"));
    EXPECT_NE(text.find("<InputDescription>"), std::string::npos);
    const auto group = ocio::CDLTransform::CreateFromFile((scratch / "a.cc").c_str(), "");
    double slope[3], power[3];
    group->getSlope(slope);
    group->getPower(power);
    for (int k = 0; k < 3; ++k) {
        EXPECT_GE(slope[k], 0);
        EXPECT_GT(power[k], 0);
    }
    // OpenColorIO with the standard's clamping leaves on the patches what the file says.
    group->setStyle(ocio::CDL_ASC);
    const auto p = ocio::Config::CreateRaw()->getProcessor(group)->getDefaultCPUProcessor();
    double sum = 0;
    int n = 0;
    const colour::RgbSpace& srgb = colour::rgb_space("srgb");
    for (const auto& patch : c.reading.patches) {
        const auto xyz = c.reference.xyz.find(patch.id);
        if (!patch.usable() || xyz == c.reference.xyz.end()) continue;
        float rgb[3];
        for (std::size_t k = 0; k < 3; ++k)
            rgb[k] = static_cast<float>(colour::encode(colour::Transfer::srgb, patch.mean[k]));
        const Vec3 wanted = expected(c, Vec3(rgb[0], rgb[1], rgb[2]), colour::Transfer::srgb, "srgb");
        if (wanted.minCoeff() < -0.05 || wanted.maxCoeff() > 1.05) continue;
        p->applyRGB(rgb);
        Vec3 light;
        for (int k = 0; k < 3; ++k) light[k] = colour::decode(colour::Transfer::srgb, static_cast<double>(rgb[k]));
        sum += colour::delta_e_2000(colour::lab_from_xyz(xyz->second), colour::lab_from_xyz(srgb.to_xyz_d50() * light));
        ++n;
    }
    EXPECT_NEAR(sum / n, w.delta_e_2000.mean, 0.02);
    test::measured("CDL of a spectral correction: CIEDE2000 %.2f on average, %.2f at most", w.delta_e_2000.mean,
                   w.delta_e_2000.max);
    EXPECT_LT(w.delta_e_2000.mean, 6);
    write(c, "ccc", scratch / "a.ccc");
    EXPECT_NO_THROW(ocio::CDLTransform::CreateFromFile((scratch / "a.ccc").c_str(), "0"));
}

TEST(HandoverFormats, a_configuration_takes_the_camera_to_every_space) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    write(c, "ocio", scratch / "config", {.name = "Stills A, led"});
    ocio::ClearAllCaches();
    const auto config = ocio::Config::CreateFromFile((scratch / "config" / "config.ocio").c_str());
    EXPECT_NO_THROW(config->validate());
    EXPECT_TRUE(config->hasRole("aces_interchange"));
    EXPECT_TRUE(config->hasRole("cie_xyz_d65_interchange"));
    const auto p = config->getProcessor("Stills A, led", "ACEScg")->getDefaultCPUProcessor();
    const colour::RgbSpace& acescg = colour::rgb_space("acescg");
    std::mt19937 random(5);
    double worst = 0;
    for (int i = 0; i < 500; ++i) {
        Vec3 code;
        for (int k = 0; k < 3; ++k) code[k] = 0.1 + 0.7 * random() * 0x1p-32;
        const Vec3 light = code.unaryExpr([](double v) { return colour::decode(colour::Transfer::srgb, v); });
        const Vec3 srgb = colour::rgb_space("srgb").to_xyz_d50().inverse() * c(light);
        if (srgb.minCoeff() < 0.003) continue;
        const Vec3 wanted = acescg.to_xyz_d50().inverse() * c(light);
        float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
        p->applyRGB(rgb);
        for (int k = 0; k < 3; ++k) worst = std::max(worst, std::abs(static_cast<double>(rgb[k]) - wanted[k]));
    }
    test::measured("OpenColorIO configuration, camera to ACEScg: at most %.1e", worst);
    EXPECT_LT(worst, 1e-3);
}

TEST(HandoverFormats, an_icc_profile_of_version_4_says_the_same) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    write(c, "icc", scratch / "a.icc", {.icc_version = 4});
    cmsHPROFILE profile = cmsOpenProfileFromFile((scratch / "a.icc").c_str(), "r");
    ASSERT_TRUE(profile);
    EXPECT_GE(cmsGetProfileVersion(profile), 4.2);
    EXPECT_TRUE(cmsIsTag(profile, cmsSigChromaticAdaptationTag));
    cmsHPROFILE xyz = cmsCreateXYZProfile();
    cmsHTRANSFORM t =
        cmsCreateTransform(profile, TYPE_RGB_DBL, xyz, TYPE_XYZ_DBL, INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
    const double in[3] = {0.2, 0.3, 0.25};
    double out[3];
    cmsDoTransform(t, in, out, 1);
    const Vec3 wanted = c(Vec3(in[0], in[1], in[2]));
    for (int k = 0; k < 3; ++k) EXPECT_NEAR(out[k], wanted[k], 2e-4);
    cmsDeleteTransform(t);
    cmsCloseProfile(profile);
    cmsCloseProfile(xyz);
}

TEST(HandoverFormats, a_recipe_leaves_less_with_every_step) {
    Scratch scratch;
    const auto c = correction(fit::Model::spectral);
    write(c, "recipe", scratch / "r.json");
    const auto j = nlohmann::json::parse(read_file(scratch / "r.json"));
    std::map<std::string, double> left;
    for (const auto& s : j.at("steps")) left[s.at("step")] = s.at("residual");
    EXPECT_LT(left.at("balance"), left.at("as recorded"));
    EXPECT_LT(left.at("six hues"), left.at("exposure and contrast"));
    EXPECT_EQ(j.at("six_hues").size(), 6u);
    EXPECT_EQ(j.at("eight_hues").size(), 8u);
    write(c, "recipe", scratch / "r.txt");
    EXPECT_NE(read_file(scratch / "r.txt").find("saturation first, hue second"), std::string::npos);
    test::measured("recipe of a correction: %.2f balanced, %.2f after levels, %.2f after six hues, %.2f after eight",
                   left.at("balance"), left.at("exposure and contrast"), left.at("six hues"), left.at("eight hues"));
}

// ---- developing ---------------------------------------------------------------------------------------------------

// Colours outside a space come in along lines of constant luminance: hue by dominant wavelength stays, nothing leaves
// 0 to 1, and what lies well inside is untouched.
TEST(Gamut, mapping_keeps_luminance_and_dominant_wavelength) {
    frame::Frame f;
    f.width = f.full_width = 64;
    f.height = f.full_height = 64;
    std::mt19937 random(7);
    for (int i = 0; i < 64 * 64 * 3; ++i) f.rgb.push_back(static_cast<float>(random() * 0x1p-32));
    balance::Balance none;
    const auto wide = fit::balance_alone(none, {}, colour::rgb_space("bt2020").to_xyz_d50());
    const auto clipped = apply::corrected(f, wide, "srgb"),
               mapped = apply::corrected(f, wide, "srgb", {}, {}, {}, apply::Gamut::map);
    const Vec3 y = colour::rgb_space("srgb").to_xyz().row(1);
    double worst_y = 0, worst_line = 0;
    int moved = 0, same = 0;
    for (std::size_t i = 0; i < mapped.rgb.size(); i += 3) {
        const Vec3 a(clipped.rgb[i], clipped.rgb[i + 1], clipped.rgb[i + 2]),
            b(mapped.rgb[i], mapped.rgb[i + 1], mapped.rgb[i + 2]);
        EXPECT_GE(b.minCoeff(), -1e-5);
        EXPECT_LE(b.maxCoeff(), 1 + 1e-5);
        worst_y = std::max(worst_y, std::abs(y.dot(a) - y.dot(b)));
        const Vec3 da = a - Vec3::Constant(y.dot(a)), db = b - Vec3::Constant(y.dot(b));
        worst_line = std::max(worst_line, da.cross(db).norm());
        ((a - b).norm() > 1e-4 ? moved : same)++;
    }
    EXPECT_LT(worst_y, 1e-4);
    EXPECT_LT(worst_line, 1e-4);
    EXPECT_GT(moved, 100);
    EXPECT_GT(same, 100);
}

TEST(Gamut, rows_give_what_the_correction_says) {
    std::mt19937 random(11);
    for (const auto model :
         {fit::Model::matrix, fit::Model::spectral, fit::Model::root_polynomial_2, fit::Model::lut}) {
        const auto c = correction(model);
        frame::Frame f;
        f.width = f.full_width = 37; // no multiple of any vector
        f.height = f.full_height = 5;
        for (int i = 0; i < 37 * 5 * 3; ++i) f.rgb.push_back(static_cast<float>(0.01 + 0.9 * random() * 0x1p-32));
        const auto p = apply::corrected(f, c, "acescg");
        const colour::Mat3 from_xyz = colour::rgb_space("acescg").to_xyz_d50().inverse();
        double worst = 0;
        for (std::size_t i = 0; i < p.rgb.size(); i += 3) {
            const Vec3 want = from_xyz * c(Vec3(f.rgb[i], f.rgb[i + 1], f.rgb[i + 2]));
            for (std::size_t k = 0; k < 3; ++k)
                worst = std::max(worst, std::abs(static_cast<double>(p.rgb[i + k]) - want[static_cast<int>(k)]));
        }
        EXPECT_LT(worst, 2e-5) << fit::name_of(model);
    }
}

} // namespace
} // namespace refero::handover
