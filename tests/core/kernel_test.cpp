// The vector code against the models' own features in double precision, on every kind of machine that this one can be.
#include "support.hpp"

#include <cmath>
#include <random>

#include <hwy/targets.h>

#include "apply/kernel.hpp"

namespace refero {
namespace {

using fit::Model;

/// Colours of a camera: mostly plausible, some at the ends: none, one channel alone, below zero, above saturation.
std::vector<float> colours(std::size_t n) {
    std::mt19937_64 random(3);
    std::uniform_real_distribution<float> level(0, 1);
    std::vector<float> all;
    for (std::size_t i = 0; i < 3 * n; ++i) all.push_back(std::pow(level(random), 2.2f));
    const float ends[] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, -0.01f, 0.2f, 0.1f, 1.3f, 1.2f, 1.1f, 0.991f, 0.5f, 0.2f};
    std::copy(std::begin(ends), std::end(ends), all.begin());
    return all;
}

apply::Kernel kernel_of(Model model) {
    apply::Kernel k{.gains = {1.9f, 1, 1.6f}, .model = model};
    const auto n = static_cast<std::size_t>(fit::features(model, {0.3, 0.4, 0.2}).size());
    std::mt19937_64 random(5);
    std::uniform_real_distribution<float> weight(-0.7f, 0.7f);
    for (std::size_t i = 0; i < 3 * n; ++i) k.coefficients.push_back(weight(random));
    return k;
}

/// What the kernel is to give, in double precision, without the fade of highlights.
colour::Vec3 expected(const apply::Kernel& k, const float* rgb) {
    colour::Vec3 balanced;
    for (int c = 0; c < 3; ++c) balanced[c] = static_cast<double>(k.gains[static_cast<std::size_t>(c)]) * rgb[c];
    const fit::Features f = fit::features(k.model, balanced);
    const Eigen::Map<const Eigen::Matrix<float, 3, Eigen::Dynamic, Eigen::RowMajor>> m(k.coefficients.data(), 3,
                                                                                       f.size());
    return m.cast<double>() * f;
}

/// Runs a check on each of Highway's targets that this machine has.
template<class Check>
void on_every_target(Check check) {
    const auto all = hwy::SupportedTargets();
    int targets = 0;
    for (std::int64_t bit = 1; bit > 0 && bit <= all; bit <<= 1) {
        if (!(all & bit)) continue;
        SCOPED_TRACE(hwy::TargetName(bit));
        hwy::SetSupportedTargetsForTest(bit);
        check();
        ++targets;
    }
    hwy::SetSupportedTargetsForTest(0);
    EXPECT_GT(targets, 0);
}

TEST(Kernel, gives_what_the_models_give_in_double_precision) {
    on_every_target([] {
        for (const Model model : fit::all_models) {
            SCOPED_TRACE(fit::name_of(model));
            const apply::Kernel k = kernel_of(model);
            for (const std::size_t n : {std::size_t{1}, std::size_t{7}, std::size_t{64}, std::size_t{1003}}) {
                const auto in = colours(std::max<std::size_t>(n, 7));
                std::vector<float> out(3 * n + 5, -77);
                apply::correct_pixels(k, in.data(), n, out.data());
                for (std::size_t i = 0; i < n; ++i) {
                    const colour::Vec3 truth = expected(k, &in[3 * i]);
                    const double size = 3 + truth.norm();
                    for (std::size_t c = 0; c < 3; ++c)
                        ASSERT_NEAR(out[3 * i + c], truth[static_cast<Eigen::Index>(c)], 2e-6 * size)
                            << "pixel " << i << " of " << n;
                }
                for (std::size_t i = 3 * n; i < out.size(); ++i) EXPECT_EQ(out[i], -77) << "behind the last of " << n;
                auto same = in;
                apply::correct_pixels(k, same.data(), n, same.data());
                EXPECT_TRUE(std::equal(same.begin(), same.begin() + static_cast<std::ptrdiff_t>(3 * n), out.begin()));
            }
        }
    });
}

TEST(Kernel, clipped_light_fades_to_its_largest_channel) {
    on_every_target([] {
        apply::Kernel k{.gains = {2, 1, 1.5f}, .calm = true, .coefficients = {1, 0, 0, 0, 1, 0, 0, 0, 1}};
        const float in[] = {1, 1, 1, 0.9f, 0.999f, 0.3f, 0.98f, 0.5f, 0.2f};
        float out[9];
        apply::correct_pixels(k, in, 3, out);
        for (int c = 0; c < 3; ++c) EXPECT_NEAR(out[c], 2, 1e-6) << "saturated: as its largest channel";
        for (int c = 3; c < 6; ++c) EXPECT_NEAR(out[c], 1.8, 1e-6);
        EXPECT_NEAR(out[6], 1.96, 1e-6) << "not yet clipped: balanced only";
        EXPECT_NEAR(out[7], 0.5, 1e-6);
        EXPECT_NEAR(out[8], 0.3, 1e-6);
    });
}

TEST(Kernel, curves_are_followed_and_straight_beyond) {
    balance::Curve curve;
    for (int i = 1; i <= 10; ++i) {
        curve.in.push_back(0.12 * i);
        curve.out.push_back(std::pow(0.12 * i, 1.1));
    }
    on_every_target([&] {
        apply::Kernel k{.curved = true, .coefficients = {1, 0, 0, 0, 1, 0, 0, 0, 1}};
        k.curves[0] = apply::table_of(curve);
        std::vector<float> in, out;
        for (const float v : {-0.1f, 0.f, 0.013f, 0.3f, 0.77f, 1.2f, 1.5f}) in.insert(in.end(), {v, v, v});
        out.resize(in.size());
        apply::correct_pixels(k, in.data(), in.size() / 3, out.data());
        for (std::size_t i = 0; i < in.size(); i += 3) {
            EXPECT_NEAR(out[i], curve(in[i]), 2e-4) << in[i];
            EXPECT_EQ(out[i + 1], in[i + 1]);
            EXPECT_EQ(out[i + 2], in[i + 2]);
        }
        const float strange[] = {NAN, NAN, NAN, INFINITY, INFINITY, INFINITY, -INFINITY, 0, 0};
        float there[9];
        apply::correct_pixels(k, strange, 3, there); // no place outside the table is read
        EXPECT_TRUE(std::isnan(there[0]));
    });
}

TEST(Kernel, codes_are_the_transfer_functions_own) {
    std::vector<float> light{NAN, -1, 0, 1, 1.5f, INFINITY};
    for (int i = 0; i < 5001; ++i) light.push_back(std::pow(static_cast<float>(i) / 5000, 2.4f));
    on_every_target([&] {
        for (const colour::Transfer transfer :
             {colour::Transfer::srgb, colour::Transfer::bt709, colour::Transfer::linear}) {
            const apply::Encoder deep(transfer, 65535), shallow(transfer, 255);
            std::vector<std::uint16_t> codes(light.size() + 1, 7);
            std::vector<std::uint8_t> bytes(light.size() + 1, 7);
            deep(light.data(), light.size(), codes.data());
            shallow(light.data(), light.size(), bytes.data());
            for (std::size_t i = 0; i < light.size(); ++i) {
                const double v = light[i] > 0 ? std::min(1.0, static_cast<double>(light[i])) : 0;
                EXPECT_NEAR(codes[i], 65535 * colour::encode(transfer, v), 1.01) << light[i];
                EXPECT_NEAR(bytes[i], 255 * colour::encode(transfer, v), 0.51) << light[i];
            }
            EXPECT_EQ(codes.back(), 7);
            EXPECT_EQ(bytes.back(), 7);
        }
    });
}

} // namespace
} // namespace refero
