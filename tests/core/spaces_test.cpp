// Spaces and curves beside two colour engines: OpenColorIO's built-in transforms and lcms2, to 1e-5.
#include <OpenColorIO/OpenColorIO.h>
#include <lcms2.h>

#include <Eigen/LU>
#include <memory>
#include <random>

#include "apply/readout.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::colour {
namespace {

/// A built-in transform of OpenColorIO on one colour.
struct Builtin {
    ocio::ConstCPUProcessorRcPtr cpu;
    explicit Builtin(const char* style) {
        const auto t = ocio::BuiltinTransform::Create();
        t->setStyle(style);
        cpu = ocio::Config::CreateRaw()->getProcessor(t)->getOptimizedCPUProcessor(ocio::OPTIMIZATION_NONE);
    }
    Vec3 operator()(const Vec3& v) const {
        Eigen::Vector3f f = v.cast<float>();
        cpu->applyRGB(f.data());
        return f.cast<double>();
    }
};

template<class Compare>
void over_colours(Compare compare) {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> uniform(0.001, 1);
    for (int i = 0; i < 500; ++i) compare(Vec3(uniform(random), uniform(random), uniform(random)));
}

TEST(Spaces, opencolorio_encodes_them_alike) {
    struct Case {
        const char *space, *style;
        Transfer transfer;
    };
    for (const Case& c : {Case{"srgb", "DISPLAY - CIE-XYZ-D65_to_sRGB", Transfer::srgb},
                          {"bt709", "DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709", Transfer::bt1886},
                          {"bt2020", "DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.2020", Transfer::bt1886}}) {
        const Builtin theirs(c.style);
        double worst = 0;
        over_colours([&](const Vec3& linear) {
            const Vec3 code = theirs(rgb_space(c.space).to_xyz() * linear);
            for (int k = 0; k < 3; ++k) worst = std::max(worst, std::abs(code[k] - encode(c.transfer, linear[k])));
        });
        EXPECT_LT(worst, 1e-5) << c.space;
        test::measured("%s beside OpenColorIO: %.1e", c.space, worst);
    }
    // DCI P3 with the white D65 has the primaries of Display P3; its curve is a power of 2.6.
    const Builtin p3("DISPLAY - CIE-XYZ-D65_to_G2.6-P3-D65");
    over_colours([&](const Vec3& linear) {
        EXPECT_LT(
            (p3(rgb_space("display-p3").to_xyz() * linear).array().pow(2.6).matrix() - linear).cwiseAbs().maxCoeff(),
            1e-5);
    });
    // AP1 to XYZ about D65, by Bradford.
    const Builtin ap1("UTILITY - ACES-AP1_to_CIE-XYZ-D65_BFD");
    const RgbSpace& aces = rgb_space("acescg");
    const Mat3 ours = adaptation(xyz_from(aces.white), xyz_from({0.3127, 0.3290})) * aces.to_xyz();
    over_colours([&](const Vec3& linear) { EXPECT_LT((ap1(linear) - ours * linear).cwiseAbs().maxCoeff(), 1e-5); });
}

TEST(Spaces, opencolorio_decodes_log_and_pq_alike) {
    const Builtin cct("CURVE - ACEScct-LOG_to_LINEAR"), pq("CURVE - ST-2084_to_LINEAR");
    for (double code = 0.08; code <= 1; code += 0.01) {
        const double linear = decode(Transfer::acescct, code);
        EXPECT_NEAR(cct(Vec3::Constant(code))[1] / linear, 1, 1e-5) << code;
        // Theirs: 1 is 100 cd/m2; ours: 1 is 10,000.
        const double light = decode(Transfer::pq, code);
        EXPECT_NEAR(pq(Vec3::Constant(code))[1] / (100 * light), 1, 2e-5) << code; // they compute in float
    }
}

TEST(Spaces, lcms2_decodes_and_places_them_alike) {
    struct Case {
        const char* space;
        cmsInt32Number type;
        std::vector<double> parameters;
    };
    // ICC.1, parametric curves: IEC 61966-2-1; the inverse of BT.709's; gamma 563/256.
    const double a = 1 / 1.099, b = 0.099 / 1.099;
    for (const Case& c : {Case{"srgb", 4, {2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045}},
                          {"display-p3", 4, {2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045}},
                          {"bt709", 4, {1 / 0.45, a, b, 1 / 4.5, 0.081}},
                          {"oprgb", 1, {563 / 256.0}}}) {
        const RgbSpace& space = rgb_space(c.space);
        cmsToneCurve* curve = cmsBuildParametricToneCurve(nullptr, c.type, c.parameters.data());
        // BT.709 states its constants to three digits; the curve in use joins its parts more closely.
        const double near = std::string(c.space) == "bt709" ? 3e-4 : 1e-5;
        for (double code = 0; code <= 1; code += 0.005)
            EXPECT_NEAR(cmsEvalToneCurveFloat(curve, static_cast<cmsFloat32Number>(code)), decode(space.transfer, code),
                        near)
                << c.space << " " << code;
        cmsToneCurve* linear = cmsBuildGamma(nullptr, 1);
        cmsToneCurve* three[3] = {linear, linear, linear};
        const cmsCIExyY white{space.white.x, space.white.y, 1};
        const cmsCIExyYTRIPLE primaries{
            {space.red.x, space.red.y, 1}, {space.green.x, space.green.y, 1}, {space.blue.x, space.blue.y, 1}};
        const std::shared_ptr<void> profile(cmsCreateRGBProfile(&white, &primaries, three),
                                            [](void* p) { cmsCloseProfile(p); });
        // lcms2's D50 has four digits, ours five: compared about theirs.
        const Vec3 d50(cmsD50_XYZ()->X, cmsD50_XYZ()->Y, cmsD50_XYZ()->Z);
        const Mat3 ours = adaptation(xyz_from(space.white), d50) * space.to_xyz();
        Mat3 theirs;
        const cmsTagSignature tags[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag};
        for (int k = 0; k < 3; ++k) {
            const auto* xyz = static_cast<cmsCIEXYZ*>(cmsReadTag(profile.get(), tags[k]));
            theirs.col(k) << xyz->X, xyz->Y, xyz->Z;
        }
        EXPECT_LT((theirs - ours).cwiseAbs().maxCoeff(), 1e-5) << c.space << "\n" << theirs - ours;
        cmsFreeToneCurve(curve);
        cmsFreeToneCurve(linear);
    }
}

// IEC 61966-2-1: 18 % encodes to 0.4614; CIE 15: its L* is 49.50, and it is middle grey itself.
TEST(Readout, says_percent_codes_lab_and_stops) {
    apply::Picture p{4, 2, {}, "srgb"};
    for (int i = 0; i < 8; ++i) {
        const float v = i < 4 ? 0.18f : i == 4 ? 1.5f : i == 5 ? 0.0f : 0.72f;
        p.rgb.insert(p.rgb.end(), {v, v, v});
    }
    const auto codes = apply::deep_codes(p);
    const apply::Readout grey = apply::readout(codes, 4, 2, 1, 0, 1, "srgb");
    EXPECT_NEAR(grey.percent[1], 46.14, 0.01);
    EXPECT_EQ(grey.eight[0], 118);
    EXPECT_NEAR(grey.sixteen[2], 0.46135 * 65535, 2);
    EXPECT_NEAR(grey.lab[0], 49.50, 0.01);
    EXPECT_NEAR(grey.lab[1], 0, 0.02);
    EXPECT_NEAR(grey.lab[2], 0, 0.02);
    EXPECT_NEAR(grey.stops, 0, 0.001);
    EXPECT_FALSE(grey.high || grey.low);
    EXPECT_NEAR(apply::readout(codes, 4, 2, 3, 1, 1, "srgb").stops, 2, 0.001);
    const apply::Readout white = apply::readout(codes, 4, 2, 0, 1, 1, "srgb");
    EXPECT_TRUE(white.high) << "what lies beyond white is not told";
    EXPECT_EQ(white.eight[0], 255);
    const apply::Readout black = apply::readout(codes, 4, 2, 1, 1, 1, "srgb");
    EXPECT_TRUE(black.low);
    EXPECT_LT(black.stops, -15);
    // A square is meaned in light, not in codes: one place of 1.0 and three of 0.18 about it are two rows of two.
    const apply::Readout square = apply::readout(codes, 4, 2, 0, 0, 3, "srgb");
    const double light = (0.18 + 0.18 + 1 + 0) / 4;
    EXPECT_NEAR(square.percent[0], 100 * colour::encode(colour::Transfer::srgb, light), 0.05);
    const apply::Picture back = apply::picture_of(codes, 4, 2, "srgb");
    for (std::size_t i = 0; i < 12; ++i) EXPECT_NEAR(back.rgb[i], 0.18, 1e-5);
    EXPECT_NEAR(back.rgb[12], 1, 1e-6);
}

} // namespace
} // namespace refero::colour
