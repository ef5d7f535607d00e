// The look: what it does to codes, beside libraries that know CDL and LUTs, and on its way into files.
#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>
#include <numbers>
#include <random>

#include "apply/apply.hpp"
#include "apply/look_rows.hpp"
#include "handover/handover.hpp"
#include "prove/elsewhere.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::look {
namespace {

using test::Scratch;

std::vector<Vec3> codes(int n, double low = 0, double high = 1) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> uniform(low, high);
    std::vector<Vec3> all;
    for (int i = 0; i < n; ++i) all.emplace_back(uniform(random), uniform(random), uniform(random));
    return all;
}

Look drawn() {
    Look look;
    look.name = "Harbour";
    look.curve = {{0, 0.02}, {0.25, 0.2}, {0.75, 0.8}, {1, 0.98}};
    look.ring[3] = {6, 12, -5};
    look.ring[7] = {-8, -20, 4};
    return look;
}

constexpr const char* cdl_text = R"(<?xml version="1.0" encoding="UTF-8"?>
<ColorCorrection id="evening">
  <SOPNode><Slope>1.1 0.95 0.9</Slope><Offset>0.02 -0.01 0.03</Offset><Power>0.9 1.05 1.2</Power></SOPNode>
  <SatNode><Saturation>1.2</Saturation></SatNode>
</ColorCorrection>
)";

/// A cube of 9 nodes that does something to each channel.
std::string cube_text() {
    std::string text = "LUT_3D_SIZE 9\n";
    for (int b = 0; b < 9; ++b)
        for (int g = 0; g < 9; ++g)
            for (int r = 0; r < 9; ++r)
                text += formatted("{:.6f} {:.6f} {:.6f}\n", std::pow(r / 8.0, 1.2), 0.9 * g / 8.0 + 0.05 * r / 8.0,
                                  0.05 + 0.9 * std::sqrt(b / 8.0));
    return text;
}

TEST(Look, nothing_changes_nothing_and_switched_off_neither) {
    Look look = drawn();
    look.on = false;
    for (const Vec3& code : codes(50, -0.2, 1.4)) {
        EXPECT_EQ(looked({}, code), code);
        EXPECT_EQ(looked(look, code), code);
    }
    EXPECT_TRUE(look.empty());
    EXPECT_FALSE(look.changes_nothing());
}

// ITU-R BT.709-6: luma and colour difference, written out here once more.
TEST(Look, the_ring_turns_and_stretches_colour_difference) {
    Look look;
    look.ring[3] = {10, 20, 0}; // red, at 135 degrees
    for (const double radius : {0.05, 0.2, 0.35}) {
        const auto at = [&](double degrees) {
            const double a = degrees / 180 * std::numbers::pi, cb = radius * std::cos(a), cr = radius * std::sin(a);
            const double y = 0.4, r = y + 1.5748 * cr, b = y + 1.8556 * cb;
            return Vec3(r, (y - 0.2126 * r - 0.0722 * b) / 0.7152, b);
        };
        const auto polar = [](const Vec3& c) {
            const double y = 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2], cb = (c[2] - y) / 1.8556,
                         cr = (c[0] - y) / 1.5748;
            return Vec3(y, std::hypot(cb, cr), std::atan2(cr, cb) * 180 / std::numbers::pi);
        };
        Vec3 p = polar(looked(look, at(135)));
        EXPECT_NEAR(p[0], 0.4, 1e-9);
        EXPECT_NEAR(p[1], 1.2 * radius, 1e-9);
        EXPECT_NEAR(p[2], 145, 1e-6);
        p = polar(looked(look, at(135 + 22.5))); // half-way to its neighbour, a raised cosine
        EXPECT_NEAR(p[1], 1.1 * radius, 1e-9);
        EXPECT_NEAR(p[2], 135 + 22.5 + 5, 1e-6);
        p = polar(looked(look, at(90)));
        EXPECT_NEAR(p[1], radius, 1e-9);
        EXPECT_NEAR(p[2], 90, 1e-6);
    }
    look.ring[3].lightness = 30;
    for (const double grey : {0.0, 0.3, 1.0})
        EXPECT_LT((looked(look, Vec3::Constant(grey)) - Vec3::Constant(grey)).cwiseAbs().maxCoeff(), 1e-12)
            << "greys stay";
}

TEST(Look, the_curve_goes_through_its_points_and_never_falls) {
    const auto points = drawn().curve;
    for (const auto& [in, out] : points) EXPECT_NEAR(on_look_curve(points, in), out, 1e-12);
    double before = -1;
    for (double v = -0.3; v < 1.5; v += 0.002) {
        const double now = on_look_curve(points, v);
        EXPECT_GT(now, before) << v;
        before = now;
    }
}

TEST(Look, a_cdl_is_what_opencolorio_makes_of_it) {
    Scratch scratch;
    write_whole(scratch / "evening.cc", std::string(cdl_text));
    const Look look = prove::look_from(scratch / "evening.cc");
    ASSERT_TRUE(look.brought && look.brought->cdl);
    EXPECT_EQ(look.name, "evening");
    const auto cdl = ocio::CDLTransform::Create();
    const double slope[] = {1.1, 0.95, 0.9}, offset[] = {0.02, -0.01, 0.03}, power[] = {0.9, 1.05, 1.2};
    cdl->setSlope(slope);
    cdl->setOffset(offset);
    cdl->setPower(power);
    cdl->setSat(1.2);
    cdl->setStyle(ocio::CDL_ASC); // with the standard's clamping
    const auto cpu = ocio::Config::CreateRaw()->getProcessor(cdl)->getDefaultCPUProcessor();
    for (const Vec3& code : codes(500, -0.1, 1.2)) {
        Eigen::Vector3f v = code.cast<float>();
        cpu->applyRGB(v.data());
        EXPECT_LT((looked(look, code) - v.cast<double>()).cwiseAbs().maxCoeff(), 2e-5) << code.transpose();
    }
}

TEST(Look, a_lut_is_what_opencolorio_makes_of_it) {
    Scratch scratch;
    write_whole(scratch / "old.cube", cube_text());
    const Look look = prove::look_from(scratch / "old.cube");
    ASSERT_TRUE(look.brought);
    EXPECT_EQ(look.brought->size, 9);
    const auto file = ocio::FileTransform::Create();
    file->setSrc((scratch / "old.cube").c_str());
    file->setInterpolation(ocio::INTERP_TETRAHEDRAL);
    const auto cpu = ocio::Config::CreateRaw()->getProcessor(file)->getDefaultCPUProcessor();
    for (const Vec3& code : codes(500)) {
        Eigen::Vector3f v = code.cast<float>();
        cpu->applyRGB(v.data());
        EXPECT_LT((looked(look, code) - v.cast<double>()).cwiseAbs().maxCoeff(), 2e-5) << code.transpose();
    }
}

TEST(Look, is_kept_as_text_with_its_lut_and_refused_where_it_cannot_be) {
    Scratch scratch;
    write_whole(scratch / "old.cube", cube_text());
    Look look = prove::look_from(scratch / "old.cube");
    look.curve = drawn().curve;
    look.ring = drawn().ring;
    EXPECT_EQ(look_from_json(to_json(look)), look);
    write_whole(scratch / "kept.json", to_json(look));
    EXPECT_EQ(prove::look_from(scratch / "kept.json"), look);

    const std::string good = to_json(drawn());
    const auto refused = [&](const std::string& what, const std::string& by, const char* words) {
        std::string bad = good;
        bad.replace(bad.find(what), what.size(), by);
        try {
            look_from_json(bad);
            ADD_FAILURE() << by;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input);
            EXPECT_NE(std::string(e.what()).find(words), std::string::npos) << e.what();
        }
    };
    refused("[0.75,0.8]", "[0.75,0.1]", "falls");
    refused("[0.75,0.8]", "[0.2,0.8]", "backwards");
    refused("\"shift_deg\":6.0", "\"shift_deg\":400.0", "red");
    refused("\"refero_look\":1", "\"refero_look\":2", "newer");
    refused("[0.75,0.8]", "[0.75]", "damaged");
    // What is not known is named: it would be lost.
    refused("\"refero_look\":1", "\"refero_look\":1,\"contrast\":1.2", "contrast");
    refused("\"shift_deg\":6.0", "\"chroma\":6.0", "chroma");
    EXPECT_THROW(look_from_json("words"), Error);
    for (const char* name : {"words.cube", "words.cc", "words.json"}) {
        write_whole(scratch / name, std::string("words"));
        try {
            prove::look_from(scratch / name);
            ADD_FAILURE() << name;
        } catch (const Error& e) {
            EXPECT_NE(std::string(e.what()).find(name), std::string::npos) << e.what();
            EXPECT_FALSE(e.remedy().empty());
            EXPECT_EQ(std::string(e.what()).find(e.remedy()), std::string(e.what()).rfind(e.remedy())) << e.what();
        }
    }
    // The line that is wrong is named, and no readers that tried.
    write_whole(scratch / "short.cube", std::string("LUT_3D_SIZE 2\n0 0 0\n1 1\n"));
    try {
        prove::look_from(scratch / "short.cube");
        ADD_FAILURE();
    } catch (const Error& e) {
        EXPECT_NE(e.message().find("line 3: "), std::string::npos) << e.message();
        EXPECT_EQ(e.message().find("failed with"), std::string::npos) << e.message();
    }
}

TEST(Look, says_where_hues_change_places) {
    Look look = drawn();
    EXPECT_TRUE(cautions_of(look).empty());
    look.ring[3].shift_deg = 30;  // red
    look.ring[4].shift_deg = -30; // orange
    const auto all = cautions_of(look);
    ASSERT_EQ(all.size(), 1u);
    EXPECT_NE(all[0].find("between red and orange"), std::string::npos) << all[0];
}

TEST(Look, rows_of_pixels_are_what_single_colours_are) {
    Scratch scratch;
    write_whole(scratch / "old.cube", cube_text());
    Look with_lut = drawn();
    with_lut.brought = prove::look_from(scratch / "old.cube").brought;
    for (const char* name : {"srgb", "acescg", "xyz-d50"}) {
        const colour::RgbSpace& space = colour::rgb_space(name);
        const colour::Mat3 to_xyz = space.to_xyz_d50();
        const colour::Mat3 to_srgb = colour::rgb_space("srgb").to_xyz_d50().inverse();
        for (const Look& look : {drawn(), with_lut}) {
            const apply::LookRows rows(look, space);
            std::vector<Vec3> light = codes(300);
            for (const Vec3& more : codes(60, -0.2, 3)) light.push_back(more);
            std::vector<float> pixels;
            for (const Vec3& v : light)
                for (int k = 0; k < 3; ++k) pixels.push_back(static_cast<float>(v[k]));
            rows(pixels.data(), light.size());
            for (std::size_t i = 0; i < light.size(); ++i) {
                const auto code_of_xyz = [&](const Vec3& xyz) {
                    return Vec3(to_srgb * xyz)
                        .unaryExpr([](double v) { return colour::encode(colour::Transfer::srgb, v); })
                        .eval();
                };
                const Vec3 made = code_of_xyz(to_xyz * Eigen::Vector3f(&pixels[3 * i]).cast<double>());
                const Vec3 want = code_of_xyz(looked_xyz(look, to_xyz * light[i]));
                EXPECT_LT((made - want).cwiseAbs().maxCoeff(), 5e-5 * (1 + want.cwiseAbs().maxCoeff()))
                    << name << ": " << light[i].transpose();
            }
        }
    }
}

struct Fitted {
    simulate::Rendering rendering = test::rendered({.light = "tungsten"});
    fit::Correction correction = [this] {
        fit::Settings settings;
        settings.model = fit::Model::root_polynomial_2;
        auto c =
            fit::build(test::true_reading(rendering), chart::reference_of(test::grid24()), &test::grid24(), settings);
        c.finish.stops = -0.2;
        c.look = drawn();
        return c;
    }();
};

TEST(Look, goes_with_the_correction_into_frames_and_files) {
    Scratch scratch;
    const Fitted f;
    fit::save(f.correction, scratch / "c.json");
    const fit::Correction c = fit::load(scratch / "c.json");
    EXPECT_EQ(c.look, f.correction.look);
    // A frame of one pixel a patch.
    frame::Frame frame;
    for (const auto& p : c.reading.patches)
        for (const double v : p.mean) frame.rgb.push_back(static_cast<float>(v));
    frame.width = static_cast<int>(c.reading.patches.size());
    frame.height = 1;
    const apply::Picture with = apply::corrected(frame, c, "acescg"),
                         without = apply::corrected(frame, c, "acescg", {}, {},
                                                    apply::parts_named("balance,exposure,colour,finish"));
    fit::Correction plain = c;
    plain.look = {};
    EXPECT_EQ(without.rgb, apply::corrected(frame, plain, "acescg").rgb);
    const colour::Mat3 to_xyz = colour::rgb_space("acescg").to_xyz_d50();
    for (std::size_t i = 0; i < c.reading.patches.size(); ++i) {
        const Vec3 made = to_xyz * Eigen::Vector3f(&with.rgb[3 * i]).cast<double>();
        const Vec3 want = c.shown(Vec3(c.reading.patches[i].mean.data()));
        EXPECT_LT((made - want).cwiseAbs().maxCoeff(), 1e-4) << c.reading.patches[i].id;
    }
    // A cube of it, and the look alone after a cube without it, as another program reads them.
    const auto read = [&](const char* name) {
        const auto t = ocio::FileTransform::Create();
        t->setSrc((scratch / name).c_str());
        t->setInterpolation(ocio::INTERP_TETRAHEDRAL);
        return ocio::Config::CreateRaw()->getProcessor(t)->getDefaultCPUProcessor();
    };
    const handover::Written w = handover::write(c, "cube", scratch / "with.cube", {.size = 65});
    EXPECT_NE(w.message.find("with the look Harbour"), std::string::npos) << w.message;
    EXPECT_NE(handover::write(c, "icc", scratch / "a.icc").message.find("without the look"), std::string::npos);
    handover::write(plain, "cube", scratch / "plain.cube", {.size = 65});
    handover::write(c, "look", scratch / "look.cube", {.size = 65});
    EXPECT_THROW(handover::write(plain, "look", scratch / "none.cube"), Error);
    EXPECT_FALSE(fs::exists(scratch / "none.cube"));
    const auto one = read("with.cube"), first = read("plain.cube"), then = read("look.cube");
    const colour::Mat3 to_srgb = colour::rgb_space("srgb").to_xyz_d50().inverse();
    for (const auto& p : c.reading.patches) {
        const Vec3 want = Vec3(to_srgb * c.shown(Vec3(p.mean.data()))).unaryExpr([](double v) {
            return colour::encode(colour::Transfer::srgb, v);
        });
        if (want.minCoeff() < 0.02 || want.maxCoeff() > 0.98) continue;
        Eigen::Vector3f code;
        for (int k = 0; k < 3; ++k)
            code[k] = static_cast<float>(colour::encode(colour::Transfer::srgb, p.mean[static_cast<std::size_t>(k)]));
        Eigen::Vector3f whole = code, parts = code;
        one->applyRGB(whole.data());
        first->applyRGB(parts.data());
        then->applyRGB(parts.data());
        EXPECT_LT((whole.cast<double>() - want).cwiseAbs().maxCoeff(), 0.006) << p.id;
        EXPECT_LT((parts.cast<double>() - want).cwiseAbs().maxCoeff(), 0.006) << p.id;
    }
}

} // namespace
} // namespace refero::look
