// What a cube leaves between its nodes, on surfaces that nobody fitted it to, as OpenColorIO interpolates it.
#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>

#include "handover/handover.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::handover {
namespace {

using colour::Vec3;

fit::Correction correction() {
    const auto r = test::rendered({.camera = "stills-b", .light = "window"});
    fit::Settings settings;
    settings.model = fit::Model::spectral;
    return fit::build(test::true_reading(r), chart::reference_of(test::grid24()), &test::grid24(), settings);
}

/// Errors in codes of sRGB, both sides clipped, at three exposures of random surfaces, sorted.
std::vector<double> errors_of(const ocio::ConstCPUProcessorRcPtr& cube, const fit::Correction& c) {
    const simulate::Camera& camera = simulate::camera_named("stills-b");
    const auto light = simulate::light_named("window");
    const colour::Mat3 from_xyz = colour::rgb_space("srgb").to_xyz_d50().inverse();
    const auto encoded = [](const Vec3& v) {
        return Vec3(v.unaryExpr([](double x) {
            return std::clamp(colour::encode(colour::Transfer::srgb, std::clamp(x, 0.0, 1.0)), 0.0, 1.0);
        }));
    };
    std::vector<double> all;
    for (std::uint64_t seed = 50000; seed < 50400; ++seed) {
        const Vec3 seen = 0.8 * camera.response(simulate::random_reflectance(seed), light);
        for (const double exposure : {1.0, 0.5, 0.2}) {
            const Vec3 code = encoded(exposure * seen), want = encoded(from_xyz * c(exposure * seen));
            float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
            cube->applyRGB(rgb);
            double worst = 0;
            for (int k = 0; k < 3; ++k)
                worst = std::max(worst, std::abs(std::clamp(static_cast<double>(rgb[k]), 0.0, 1.0) - want[k]));
            all.push_back(worst);
        }
    }
    std::sort(all.begin(), all.end());
    return all;
}

double at(const std::vector<double>& sorted, double share) {
    return sorted[static_cast<std::size_t>(share * static_cast<double>(sorted.size() - 1))];
}

TEST(CubeError, nodes_by_least_squares_leave_less_than_sampled_ones) {
    const test::Scratch scratch;
    const auto c = correction();
    const auto processor = [&](const fs::path& file) {
        ocio::ClearAllCaches();
        const auto t = ocio::FileTransform::Create();
        t->setSrc(file.c_str());
        t->setInterpolation(ocio::INTERP_TETRAHEDRAL);
        return ocio::Config::CreateRaw()->getProcessor(t)->getOptimizedCPUProcessor(ocio::OPTIMIZATION_NONE);
    };
    for (const int size : {33, 65}) {
        write(c, "cube", scratch / "fitted.cube", {.size = size});
        write_cube([&](const Vec3& rgb) { return c(rgb); }, "", scratch / "sampled.cube", {.size = size, .name = "s"});
        const auto fitted = errors_of(processor(scratch / "fitted.cube"), c),
                   sampled = errors_of(processor(scratch / "sampled.cube"), c);
        test::measured("cube of %d nodes between them, codes: 99 %% within %.4f (sampled %.4f), mean %.5f (%.5f)", size,
                       at(fitted, 0.99), at(sampled, 0.99), at(fitted, 0.5), at(sampled, 0.5));
        EXPECT_LE(at(fitted, 0.99), (size == 33 ? 0.8 : 1) * at(sampled, 0.99));
        // The Common LUT Format holds the same nodes, and its file no fewer digits.
        write(c, "clf", scratch / "fitted.clf", {.size = size});
        const auto clf = errors_of(processor(scratch / "fitted.clf"), c);
        test::measured("CLF of %d nodes: 99 %% within %.4f", size, at(clf, 0.99));
        EXPECT_LE(at(clf, 0.99), 1.02 * at(fitted, 0.99));
        if (size == 65) { EXPECT_LT(at(fitted, 0.99), 0.006); }
        // Black is black, and greys stay grey.
        const auto cube = processor(scratch / "fitted.cube");
        for (int i = 0; i <= 20; ++i) {
            const Vec3 neutral = 0.9 * std::pow(i / 20.0, 3) * (c.balance.exposure * c.balance.gains).cwiseInverse();
            float rgb[3];
            for (int k = 0; k < 3; ++k) rgb[k] = static_cast<float>(colour::encode(colour::Transfer::srgb, neutral[k]));
            const Vec3 want = colour::rgb_space("srgb").to_xyz_d50().inverse() * c(neutral);
            cube->applyRGB(rgb);
            for (int k = 0; k < 3; ++k)
                EXPECT_NEAR(static_cast<double>(rgb[k]), colour::encode(colour::Transfer::srgb, want[k]),
                            i ? 0.004 : 0.0005)
                    << size << " " << i;
        }
        EXPECT_LE(at(fitted, 0.5), at(sampled, 0.5));
    }
}

} // namespace
} // namespace refero::handover
