// Corrections made elsewhere, judged and trimmed; ramps; other looks at a rendering.
#include "prove/elsewhere.hpp"

#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>
#include <cmath>

#include "apply/apply.hpp"
#include "colour/icc.hpp"
#include "handover/handover.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::prove {
namespace {

using colour::Mat3;
using colour::Vec3;
using test::Scratch;

struct Elsewheres : testing::Test {
    Scratch scratch;
    chart::Reference reference = chart::reference_of(test::grid24());
    simulate::Rendering rendering = test::rendered({.light = "tungsten"});
    read::Reading reading = test::true_reading(rendering);
    balance::Balance balance = balance::on_patch(reading, reference, "D2");
    fit::Correction own() {
        fit::Settings settings;
        settings.model = fit::Model::matrix;
        return fit::build(reading, reference, &test::grid24(), settings);
    }
    double mean(const Rendering& r) { return against(r, reading, reference, balance.white_patch).delta_e_2000.mean; }
};

// What we write ourselves and read back as if it came from elsewhere does what it did.
TEST_F(Elsewheres, own_files_read_back_do_what_they_did) {
    const auto c = own();
    const double expected = against(c, reading, reference, true).delta_e_2000.mean;
    handover::write(c, "cube", scratch / "a.cube", {.size = 65});
    handover::write(c, "icc", scratch / "a.icc");
    handover::write(c, "matrix", scratch / "a.json");
    fit::save(c, scratch / "c.json");
    const auto open = [&](const char* name) {
        return open_elsewhere(scratch / name, usual_for(scratch / name), balance);
    };
    EXPECT_EQ(open("a.cube").kind, "LUT");
    EXPECT_NEAR(mean(open("a.cube").rendering), expected, 0.05);
    EXPECT_EQ(open("a.icc").kind, "ICC profile");
    EXPECT_NEAR(mean(open("a.icc").rendering), expected, 0.05);
    EXPECT_EQ(open("a.json").kind, "matrix");
    EXPECT_NEAR(mean(open("a.json").rendering), expected, 1e-6);
    EXPECT_EQ(open("c.json").kind, "correction");
    EXPECT_NEAR(mean(open("c.json").rendering), expected, 1e-6);
}

// ASC CDL 1.2: out = (in slope + offset) ^ power, then saturation about luma of BT.709.
TEST_F(Elsewheres, a_cdl_does_what_its_definition_says) {
    test::written(
        scratch / "a.cc",
        R"(<ColorCorrection id="x"><SOPNode><Slope>1.2 1 0.8</Slope><Offset>0.01 0 0.02</Offset><Power>1.1 1 0.9</Power></SOPNode><SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection>)");
    const auto e = open_elsewhere(scratch / "a.cc", {"srgb", "srgb", true}, balance);
    EXPECT_EQ(e.kind, "CDL");
    const Vec3 code(0.5, 0.4, 0.3);
    Vec3 v(std::pow(0.5 * 1.2 + 0.01, 1.1), 0.4, std::pow(0.3 * 0.8 + 0.02, 0.9));
    const double luma = 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
    v = Vec3::Constant(luma) + 0.8 * (v - Vec3::Constant(luma));
    Vec3 linear, expected;
    for (int c = 0; c < 3; ++c) {
        linear[c] = colour::decode(colour::Transfer::srgb, code[c]);
        expected[c] = colour::decode(colour::Transfer::srgb, v[c]);
    }
    EXPECT_LT((e.own(linear) - colour::rgb_space("srgb").to_xyz_d50() * expected).norm(), 1e-5);
    // Balanced first, where the usage asks for it.
    const Vec3 camera = balance.gains.cwiseInverse().cwiseProduct(linear) / balance.exposure;
    EXPECT_LT((e.rendering(camera) - e.own(linear)).norm(), 1e-9);
}

TEST_F(Elsewheres, nine_numbers_are_a_matrix) {
    test::written(scratch / "m.txt", "1.5, -0.3, -0.2\n-0.2 1.4 -0.2\n0 -0.4 1.4\n");
    const auto e = open_elsewhere(scratch / "m.txt", {"linear", "acescg", false}, balance);
    Mat3 m;
    m << 1.5, -0.3, -0.2, -0.2, 1.4, -0.2, 0, -0.4, 1.4;
    const Vec3 v(0.3, 0.2, 0.6);
    EXPECT_LT((e.rendering(v) - colour::rgb_space("acescg").to_xyz_d50() * m * v).norm(), 1e-12);
}

TEST_F(Elsewheres, what_is_none_is_refused_with_a_remedy) {
    test::written(scratch / "a.cube", "this is no LUT");
    test::written(scratch / "a.icc", "neither a profile");
    test::written(scratch / "m.txt", "1 2 3 4");
    test::written(scratch / "j.json", "{}");
    test::written(scratch / "c.cdl", "<nothing/>");
    for (const char* name : {"a.cube", "a.icc", "m.txt", "j.json", "c.cdl", "missing.cube"}) {
        try {
            open_elsewhere(scratch / name, usual_for(scratch / name), balance);
            ADD_FAILURE() << name;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input) << name;
            EXPECT_FALSE(e.remedy().empty()) << name;
        }
    }
    EXPECT_THROW(open_elsewhere(scratch / "a.cube", {"film", "srgb", false}, balance), Error);
}

// DNG specification 1.4, mapping camera colour to CIE XYZ: the matrix in the file, and the white to D50.
TEST_F(Elsewheres, the_standard_rendering_puts_the_balanced_white_at_d50) {
    Mat3 camera;
    camera << 0.9, -0.3, -0.08, -0.45, 1.25, 0.2, -0.1, 0.22, 0.6;
    const Rendering r = standard_rendering(camera, balance);
    const Vec3 white = r(Vec3(reading.find("D2")->mean.data()));
    EXPECT_LT((white / white.y() - colour::white_d50).norm(), 1e-9);
    EXPECT_NEAR(white.y(), reference.xyz.at("D2").y(), 1e-9);
}

// A LUT that is off by a matrix is mended by one; its trim, written as a cube, gives what it promised.
TEST_F(Elsewheres, a_trim_mends_what_a_matrix_can) {
    const auto c = own();
    Mat3 fault;
    fault << 1.08, 0.05, -0.03, -0.04, 0.97, 0.05, 0.02, -0.08, 1.1;
    const Rendering wrong = [&](const Vec3& rgb) -> Vec3 { return fault * c(rgb); };
    const double before = mean(wrong);
    const auto trim = trim_of(wrong, reading, reference, &test::grid24());
    EXPECT_GT(before, 3);
    EXPECT_LT(mean(trimmed(wrong, trim)), c.fit.mean + 0.1);
    handover::write_cube(trimmed(wrong, trim), "trimmed", scratch / "t.cube", {.size = 65});
    const auto t = open_elsewhere(scratch / "t.cube", {}, balance);
    EXPECT_NEAR(mean(t.rendering), mean(trimmed(wrong, trim)), 0.1);
    test::measured("a wrong rendering: CIEDE2000 %.2f as it is, %.2f trimmed", before, mean(trimmed(wrong, trim)));
}

TEST_F(Elsewheres, files_and_their_usage_are_kept_as_text) {
    const std::vector<Named> files{{"/a b/x.cube", {"hlg", "acescg", true}}, {"y.icc", {"linear", "srgb", false}}};
    EXPECT_EQ(named_from(text_of(files)), files);
    EXPECT_TRUE(named_from("").empty());
    EXPECT_TRUE(named_from("[{\"file\":1}]").empty());
}

// A rendering that tears reds from oranges, a fault of ready-made LUTs, shows in the ramps; a matrix does not.
TEST_F(Elsewheres, ramps_show_an_edge_and_a_hue_that_runs_back) {
    const auto c = own();
    const auto of = [&](const Rendering& r) {
        double roughest = 0;
        bool turns = false;
        for (const Ramp& ramp : ramps(r, reading, reference)) {
            roughest = std::max(roughest, ramp.roughness);
            turns |= ramp.turns;
        }
        return std::pair(roughest, turns);
    };
    const auto smooth = of(c);
    EXPECT_FALSE(smooth.second);
    EXPECT_LT(smooth.first, 2.5);
    const Rendering torn = [&](const Vec3& rgb) -> Vec3 {
        Vec3 lch = colour::lch_from(colour::lab_from_xyz(c(rgb)));
        if (lch[2] > 50 && lch[2] < 80) lch[2] += 14;
        return colour::xyz_from_lab(colour::lab_from_lch(lch));
    };
    EXPECT_GT(of(torn).first, 4);
    const Rendering back = [&](const Vec3& rgb) -> Vec3 {
        Vec3 lch = colour::lch_from(colour::lab_from_xyz(c(rgb)));
        lch[2] += 12 * std::sin(lch[2] * M_PI / 180 * 9);
        return colour::xyz_from_lab(colour::lab_from_lch(lch));
    };
    EXPECT_TRUE(of(back).second);
}

// ISO 17321-1: a camera that meets the Luther condition has an index of 100.
TEST_F(Elsewheres, a_camera_that_sees_like_the_eye_has_the_highest_metamerism_index) {
    chart::Reference spectral = reference;
    for (auto& [id, xyz] : spectral.xyz) {
        spectral.spectrum[id] = colour::smooth_reflectance(xyz);
        xyz = colour::xyz_of(spectral.spectrum[id], colour::illuminant_d(50));
    }
    Mat3 camera;
    camera << 0.62, 0.28, 0.03, -0.25, 1.10, 0.14, 0.02, -0.05, 0.90;
    read::Reading luther = reading, other = reading;
    for (std::size_t i = 0; i < reading.patches.size(); ++i) {
        const Vec3 v = 0.7 * camera * spectral.xyz.at(reading.patches[i].id);
        for (std::size_t k = 0; k < 3; ++k) luther.patches[i].mean[k] = v[static_cast<Eigen::Index>(k)];
    }
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    const auto index = [&](const read::Reading& r) {
        return metamerism_index(fit::build(r, spectral, &test::grid24(), settings)).value();
    };
    EXPECT_GT(index(luther), 97);
    EXPECT_LT(index(other), index(luther) - 2);
    EXPECT_FALSE(metamerism_index(own())); // no spectra, no index
}

TEST(Looking, exaggerated_colours_keep_their_luminance) {
    apply::Picture p{1, 1, {0.5f, 0.2f, 0.1f}, "srgb"};
    const auto strong = apply::exaggerated(p, 3);
    const Vec3 a(0.5, 0.2, 0.1), b(strong.rgb[0], strong.rgb[1], strong.rgb[2]);
    const auto Y = colour::rgb_space("srgb").to_xyz().row(1);
    EXPECT_NEAR(Y.dot(a), Y.dot(b), 1e-6);
    EXPECT_NEAR(b[0] - b[2], 3 * (a[0] - a[2]), 1e-5);
}

// ---- numbers that nothing can be worked out with: refused wherever they come in, and never used without a word

std::string cube_of(const std::string& node) {
    std::string text = "LUT_3D_SIZE 9\n";
    for (int i = 0; i < 9 * 9 * 9; ++i)
        text += i == 365 ? node + "\n"
                         : formatted("{} {} {}\n", i % 9 / 8.0, i / 9 % 9 / 8.0, static_cast<double>(i / 81) / 8);
    return text;
}

std::string clf_of(const std::string& body) {
    return "<?xml version=\"1.0\"?><ProcessList id=\"a\" compCLFversion=\"3\">" + body + "</ProcessList>";
}

std::string refusal_of(const std::function<void()>& use) {
    try {
        use();
        return "used";
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input) << e.what();
        EXPECT_FALSE(e.file().empty()) << e.what();
        EXPECT_FALSE(e.remedy().empty()) << e.what();
        return e.what();
    }
}

TEST_F(Elsewheres, files_with_numbers_beyond_reason_are_refused) {
    const std::string lut1 = "<LUT1D inBitDepth=\"32f\" outBitDepth=\"32f\"><Array dim=\"3 1\">0 {} 1</Array></LUT1D>",
                      matrix = "<Matrix inBitDepth=\"32f\" outBitDepth=\"32f\"><Array dim=\"3 3\">1 0 0 0 {} 0 0 0 1"
                               "</Array></Matrix>",
                      cdl = "<ColorCorrection id=\"a\"><SOPNode><Slope>1 {} 1</Slope><Offset>0 0 0</Offset><Power>1 1 "
                            "1</Power></SOPNode></ColorCorrection>";
    const auto with = [](std::string text, const std::string& number) {
        return text.replace(text.find("{}"), 2, number);
    };
    for (const char* number : {"nan", "inf", "-inf", "1e308", "-1e30", "1e9"}) {
        SCOPED_TRACE(number);
        const fs::path cube = test::written(scratch / "a.cube", cube_of(std::string("0.5 ") + number + " 0.5")),
                       table = test::written(scratch / "a.clf", clf_of(with(lut1, number))),
                       linear = test::written(scratch / "m.clf", clf_of(with(matrix, number))),
                       correction = test::written(scratch / "a.cc", with(cdl, number)),
                       nine = test::written(scratch / "a.txt", std::string("1 0 0 0 ") + number + " 0 0 0 1");
        for (const fs::path& file : {cube, table, linear, correction, nine})
            EXPECT_NE(refusal_of([&] { open_elsewhere(file, usual_for(file), balance); }), "used") << file;
        for (const fs::path& file : {cube, linear, correction})
            EXPECT_NE(refusal_of([&] { look_from(file); }), "used") << file;
        EXPECT_NE(refusal_of([&] { frame::Encoding::named(table.string()); }), "used");
    }
    // The same files with ordinary numbers are taken.
    for (const auto& [name, text] : {std::pair(std::string("b.cube"), cube_of("0.5 0.5 0.5")),
                                     {"b.clf", clf_of(with(lut1, "0.25"))},
                                     {"bm.clf", clf_of(with(matrix, "0.9"))},
                                     {"b.cc", with(cdl, "1.1")},
                                     {"b.txt", std::string("1 0 0 0 0.9 0 0 0 1")}}) {
        const fs::path file = test::written(scratch / name, text);
        EXPECT_TRUE(std::isfinite(mean(open_elsewhere(file, usual_for(file), balance).rendering))) << name;
    }
}

/// Every number of a JSON text in turn, replaced.
std::vector<std::string> each_number_replaced(const std::string& text, const std::string& by) {
    std::vector<std::string> all;
    for (std::size_t at = 0; at < text.size();) {
        const bool begins = (std::isdigit(static_cast<unsigned char>(text[at])) || text[at] == '-') && at > 0 &&
                            std::string(":,[ ").find(text[at - 1]) != std::string::npos;
        if (text[at] == '"') { // a string
            at = text.find('"', at + 1) + 1;
            continue;
        }
        std::size_t end = at + 1;
        if (begins) {
            while (end < text.size() && std::string("0123456789.eE+-").find(text[end]) != std::string::npos) ++end;
            all.push_back(text.substr(0, at) + by + text.substr(end));
        }
        at = end;
    }
    return all;
}

TEST_F(Elsewheres, a_correction_with_any_number_beyond_reason_is_refused_or_harmless) {
    fit::Correction c = own();
    c.finish.stops = 0.5;
    c.look.ring[0].shift_deg = 4;
    const std::string text = fit::to_json(c);
    int refused = 0, all = 0;
    for (const char* number : {"1e308", "-1e308", "1e-300", "123456789"})
        for (const std::string& changed : each_number_replaced(text, number)) {
            ++all;
            try {
                const fit::Correction d = fit::from_json(changed, scratch / "c.json");
                for (const double v : d.shown(Vec3(0.4, 0.5, 0.3))) EXPECT_TRUE(std::isfinite(v)) << number;
                EXPECT_TRUE(std::isfinite(against(d, reading, reference, true).delta_e_2000.mean)) << number;
            } catch (const Error& e) {
                ++refused;
                EXPECT_FALSE(e.message().empty());
            }
        }
    EXPECT_GT(refused, all / 2);
    EXPECT_LT(refused, all);
}

TEST(Numbers, charts_and_scenes_with_any_number_beyond_reason_are_refused_or_harmless) {
    Scratch scratch;
    const std::string layout = chart::text_of(test::grid24()), scene = test::scene_text({.width = 60, .height = 40});
    for (const char* number : {"1e308", "-1e308", "-7", "0"}) {
        for (const std::string& changed : each_number_replaced(layout, number)) try {
                const chart::Definition d = chart::parse_definition(changed, scratch / "c.json");
                for (const chart::Patch& p : d.patches)
                    EXPECT_TRUE(is_reasonable(p.x_mm + p.w_mm) && p.w_mm > 0) << p.id << " " << number;
            } catch (const Error& e) { EXPECT_FALSE(e.message().empty()); }
        for (const std::string& changed : each_number_replaced(scene, number)) try {
                const simulate::Scene s = simulate::parse_scene(changed, "test scene");
                EXPECT_LT(static_cast<double>(s.width) * s.height, 1e9);
                EXPECT_TRUE(is_reasonable(s.white));
            } catch (const Error& e) { EXPECT_FALSE(e.message().empty()); }
    }
}

TEST(Looking, a_smaller_frame_has_the_means_and_keeps_what_is_clipped) {
    frame::Frame f;
    f.width = 8;
    f.height = 4;
    f.full_width = 16;
    f.full_height = 8;
    f.cell = 2;
    f.rgb.resize(96);
    f.clipped.resize(32);
    for (std::size_t i = 0; i < 96; ++i) f.rgb[i] = static_cast<float>(i % 24 / 3); // the column
    f.clipped[9] = 2;                                                               // second row, second column
    const auto s = frame::smaller(f, 4);
    EXPECT_EQ(s.width, 4);
    EXPECT_EQ(s.cell, 4);
    EXPECT_FLOAT_EQ(s.at(1, 0)[0], 2.5f);
    EXPECT_EQ(s.clipped[0], 2);
    EXPECT_EQ(s.clipped[1], 0);
    EXPECT_EQ(frame::smaller(f, 8).width, 8);
}

} // namespace
} // namespace refero::prove
