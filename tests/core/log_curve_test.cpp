// Typed log curves against OpenColorIO, the reference implementation of the operator in Common LUT Format files.
#include <OpenColorIO/OpenColorIO.h>

#include "colour/log_curve.hpp"
#include "support.hpp"

namespace refero {
namespace {

namespace ocio = OCIO_NAMESPACE;
using colour::LogCurve;

// Figures of three shapes that makers print: base 10 with a small straight part, base 2 with a large one, base 10 whose
// straight part begins below black. Invented.
const LogCurve curves[] = {{10, 0.2471896, 0.385537, 5.555556, 0.052272, 0.010591},
                           {2, 0.0928641, 0.5547945, 1, 0.0095, 0.0078125},
                           {10, 0.35, 0.3, 12.0, 0.4, -0.01}};

TEST(LogCurves, three_typed_curves_agree_with_the_reference_implementation) {
    const test::Scratch folder;
    double worst = 0;
    for (const LogCurve& curve : curves) {
        // As a file, the way any program reads it.
        const fs::path file = test::written(folder / "curve.clf", colour::clf_of(curve, "curve"));
        const frame::Encoding encoding = frame::Encoding::named(file.string());
        const double at[3] = {curve.break_at, curve.break_at, curve.break_at};
        const auto transform = ocio::LogCameraTransform::Create(at);
        transform->setBase(curve.base);
        const double log_slope[3] = {curve.log_slope, curve.log_slope, curve.log_slope},
                     log_offset[3] = {curve.log_offset, curve.log_offset, curve.log_offset},
                     lin_slope[3] = {curve.lin_slope, curve.lin_slope, curve.lin_slope},
                     lin_offset[3] = {curve.lin_offset, curve.lin_offset, curve.lin_offset};
        transform->setLogSideSlopeValue(log_slope);
        transform->setLogSideOffsetValue(log_offset);
        transform->setLinSideSlopeValue(lin_slope);
        transform->setLinSideOffsetValue(lin_offset);
        const auto encode = ocio::Config::CreateRaw()->getProcessor(transform)->getDefaultCPUProcessor();
        for (double light = -0.01; light < 1.2; light += 0.0037) {
            float rgb[3] = {static_cast<float>(light), static_cast<float>(light), static_cast<float>(light)};
            encode->applyRGB(rgb);
            const double code = curve.encode(light);
            worst = std::max(worst, std::abs(code - static_cast<double>(rgb[0])));
            EXPECT_NEAR(curve.decode(code), light, 1e-9);
            EXPECT_NEAR(encoding.decode(1, code), light, 1e-5 * std::max(1.0, light));
        }
    }
    test::measured("typed log curves against OpenColorIO: at most %.1e of the codes", worst);
    EXPECT_LT(worst, 1e-5);
}

TEST(LogCurves, figures_that_make_no_curve_are_named) {
    const auto problem = [](LogCurve c) {
        try {
            c.check();
        } catch (const Error& e) { return e.sentences(); }
        return std::string();
    };
    for (const LogCurve& known : curves) EXPECT_EQ(problem(known), "");
    LogCurve curve = curves[0];
    curve.base = 1;
    EXPECT_NE(problem(curve).find("base"), std::string::npos);
    curve = curves[0];
    curve.log_slope = 0;
    EXPECT_NE(problem(curve).find("slope"), std::string::npos);
    curve = curves[0];
    curve.break_at = -1;
    EXPECT_NE(problem(curve).find("break"), std::string::npos);
    curve = curves[0]; // 10-bit codes instead of shares
    curve.log_slope *= 1023;
    curve.log_offset *= 1023;
    EXPECT_NE(problem(curve).find("1023"), std::string::npos);
}

} // namespace
} // namespace refero
