#include <Eigen/LU>
#include <opencv2/mcc.hpp>

#include "support.hpp"

namespace refero::chart {
namespace {

using test::Scratch;
using test::written;

// Independent table: the 24-patch reference colours that OpenCV's colour correction module carries (another
// specimen of the chart), linear RGB of its own D65-adapted space; enumerator number 0.
TEST(Chart, grid24_agrees_with_an_independent_table_of_another_specimen) {
    const cv::Mat dummy(24, 1, CV_64FC3, cv::Scalar(0.5, 0.4, 0.3));
    cv::ccm::ColorCorrectionModel model(dummy, static_cast<cv::ccm::CONST_COLOR>(0));
    model.setColorSpace(cv::ccm::COLOR_SPACE_sRGB);
    model.run();
    const cv::Mat linear = model.get_dst_rgbl();
    ASSERT_EQ(linear.total(), 24u);
    const Reference reference = reference_of(test::grid24());
    const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50();
    double sum = 0, largest = 0;
    for (int i = 0; i < 24; ++i) {
        const cv::Vec3d rgb = linear.at<cv::Vec3d>(i);
        const Vec3 theirs = colour::lab_from_xyz(to_xyz * Vec3(rgb[0], rgb[1], rgb[2]));
        const Vec3 ours =
            colour::lab_from_xyz(reference.xyz.at(test::grid24().patches[static_cast<std::size_t>(i)].id));
        const double d = colour::delta_e_2000(ours, theirs);
        sum += d;
        largest = std::max(largest, d);
    }
    test::measured("grid24 against an independent specimen: CIEDE2000 mean %.2f, max %.2f", sum / 24, largest);
    EXPECT_LT(sum / 24, 3);
    EXPECT_LT(largest, 6);
}

TEST(Chart, grid24_is_laid_out_as_common_practice_has_it) {
    const Definition& d = test::grid24();
    ASSERT_EQ(d.patches.size(), 24u);
    EXPECT_EQ(d.patches.front().id, "A1");
    EXPECT_EQ(d.patches.back().id, "D6");
    EXPECT_EQ(d.patches[0].role, "skin");
    for (const char* id : {"D1", "D2", "D3", "D4", "D5", "D6"})
        EXPECT_EQ(d.patches[static_cast<std::size_t>(d.index_of(id))].role, "neutral");
    const Reference r = reference_of(d);
    // Common practice: neutrals of about 90, 59, 36, 20, 9 and 3 percent, in falling order, of hardly any chroma.
    const double about[] = {0.90, 0.59, 0.36, 0.20, 0.09, 0.03};
    for (int i = 0; i < 6; ++i) {
        const Vec3 xyz = r.xyz.at("D" + std::to_string(i + 1));
        EXPECT_NEAR(xyz[1], about[i], 0.012);
        EXPECT_LT(colour::lch_from(colour::lab_from_xyz(xyz))[1], 2.5);
    }
    EXPECT_EQ(d.index_of("Z9"), -1);
}

TEST(Chart, an_own_measured_reference_is_read_in_every_form) {
    Scratch scratch;
    const auto xyz = load_reference(
        written(scratch / "xyz.cgats",
                "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y "
                "XYZ_Z\nEND_DATA_FORMAT\nNUMBER_OF_SETS 2\nBEGIN_DATA\nA1 40 50 30\nA2 9.642 10 8.252\nEND_DATA\n"));
    EXPECT_LT((xyz.xyz.at("A1") - Vec3(0.4, 0.5, 0.3)).norm(), 1e-9);
    const auto lab = load_reference(written(
        scratch / "lab.cgats", "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A "
                               "LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nA1 50 20 -10\nEND_DATA\n"));
    EXPECT_LT((colour::lab_from_xyz(lab.xyz.at("A1")) - Vec3(50, 20, -10)).norm(), 1e-9);
    std::string fields, values;
    for (int nm = 400; nm <= 700; nm += 10) {
        fields += " SPECTRAL_NM" + std::to_string(nm);
        values += " 0.5";
    }
    const auto spectral =
        load_reference(written(scratch / "spectral.cgats",
                               "CGATS.17\nNUMBER_OF_FIELDS 32\nBEGIN_DATA_FORMAT\nSAMPLE_ID" + fields +
                                   "\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nA1" + values + "\nEND_DATA\n"));
    EXPECT_LT((spectral.xyz.at("A1") - 0.5 * colour::white_d50).norm(), 1e-3);
    EXPECT_EQ(spectral.spectrum.size(), 1u);
}

TEST(Chart, broken_references_and_definitions_name_file_and_remedy) {
    Scratch scratch;
    const auto fails = [](auto&& action, const fs::path& file) {
        try {
            action();
            ADD_FAILURE() << "accepted " << file;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input);
            EXPECT_NE(std::string(e.what()).find(file.filename().string()), std::string::npos) << e.what();
            EXPECT_FALSE(e.remedy().empty()) << e.what();
        }
    };
    const std::string good = read_file(test::grid24().file);
    const auto with = [&](const std::string& from, const std::string& to) {
        std::string s = good;
        const auto at = s.find(from);
        EXPECT_NE(at, std::string::npos);
        return s.replace(at, from.size(), to);
    };
    int n = 0;
    for (const std::string& text :
         {std::string("not json"), std::string("{}"), std::string("[1]"), with("\"A2\"", "\"A1\""),
          with("\"refero_chart\": 1", "\"refero_chart\": 9"), good.substr(0, good.size() / 2)}) {
        const auto file = written(scratch / ("chart" + std::to_string(n++) + ".json"), text);
        fails([&] { load_definition(file); }, file);
    }
    for (const std::string& text :
         {std::string("hello"), std::string(),
          std::string("CGATS.17\nNUMBER_OF_FIELDS 2\nBEGIN_DATA_FORMAT\nSAMPLE_ID "
                      "XYZ_X\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nA1 3\nEND_DATA\n")}) {
        const auto file = written(scratch / ("ref" + std::to_string(n++) + ".cgats"), text);
        fails([&] { load_reference(file); }, file);
    }
    fails([&] { load_reference(scratch / "absent.cgats"); }, scratch / "absent.cgats");
    EXPECT_THROW(find_definition("no-such-chart"), Error);
}

TEST(Chart, readings_survive_the_way_through_cgats) {
    Scratch scratch;
    save_cgats_rgb(scratch / "r.cgats", {{"A1", {0.123456, 0.5, 1.0}}, {"A2", {0, 0.25, 0.75}}}, "test");
    const auto rows = load_cgats_rgb(scratch / "r.cgats");
    ASSERT_EQ(rows.size(), 2u);
    EXPECT_NEAR(rows[0].value[0], 0.123456, 1e-6);
    EXPECT_EQ(rows[1].id, "A2");
}

TEST(Geometry, a_homography_takes_corners_to_corners_and_back) {
    const Corners square{Point(0, 0), Point(1, 0), Point(1, 1), Point(0, 1)},
        quad{Point(10, 12), Point(90, 20), Point(80, 70), Point(15, 60)};
    const Homography h = homography(square, quad);
    for (std::size_t i = 0; i < 4; ++i) {
        EXPECT_LT((h(square[i]) - quad[i]).norm(), 1e-9);
        EXPECT_LT((h.inverse()(quad[i]) - square[i]).norm(), 1e-9);
    }
    EXPECT_TRUE(is_convex(quad));
    EXPECT_FALSE(is_convex({quad[0], quad[2], quad[1], quad[3]}));
    EXPECT_GT(signed_area(quad), 0);
    EXPECT_LT(signed_area({quad[1], quad[0], quad[3], quad[2]}), 0);
    EXPECT_THROW(homography({Point(0, 0), Point(1, 0), Point(2, 0), Point(0, 1)}, quad), Error);
}

TEST(Charts, every_shipped_chart_has_a_reference_for_every_patch) {
    std::map<std::string, std::size_t> patches;
    for (const Definition& d : installed()) {
        patches[d.id] = d.patches.size();
        const Reference reference = reference_of(d);
        for (const Patch& p : d.patches) {
            const Vec3 xyz = reference.xyz.at(p.id);
            EXPECT_GT(xyz.minCoeff(), 0) << d.id << " " << p.id;
            EXPECT_LE(xyz[1], 1) << d.id << " " << p.id;
            if (p.role == "neutral") {
                const Vec3 lab = colour::lab_from_xyz(xyz);
                EXPECT_LT(std::hypot(lab[1], lab[2]), 2.5) << d.id << " " << p.id;
            }
        }
    }
    EXPECT_EQ(patches, (std::map<std::string, std::size_t>{{"balance-page", 32},
                                                           {"grey-card", 1},
                                                           {"grid24", 24},
                                                           {"grid24-reversed", 24},
                                                           {"panels48", 48},
                                                           {"three-tone", 3},
                                                           {"video", 21}}));
}

TEST(Charts, the_rows_of_the_reversed_chart_run_the_other_way) {
    const Definition d = find_definition("grid24-reversed");
    const Reference there = reference_of(test::grid24()), back = reference_of(d);
    for (const Patch& p : d.patches) {
        const std::string mirrored = p.id.substr(0, 1) + std::to_string(7 - std::stoi(p.id.substr(1)));
        EXPECT_EQ(back.xyz.at(p.id), there.xyz.at(mirrored)) << p.id;
        EXPECT_EQ(p.role, test::grid24().patches[static_cast<std::size_t>(test::grid24().index_of(mirrored))].role);
    }
}

// ITU-R BT.709-6: luma weights, colour difference axes, OETF. The hue of a patch on a vectorscope is that of the colour
// bar.
TEST(Charts, hues_of_the_video_chart_lie_on_the_vectorscopes_axes) {
    const Reference reference = reference_of(find_definition("video"));
    const colour::Mat3 rgb_from_xyz = colour::rgb_space("bt709").to_xyz_d50().inverse();
    const auto angle = [](const Vec3& rgb) {
        const double y = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
        return std::atan2((rgb[0] - y) / 1.5748, (rgb[2] - y) / 1.8556) * 180 / M_PI;
    };
    const auto encoded = [&](const std::string& id) {
        const Vec3 linear = rgb_from_xyz * reference.xyz.at(id);
        return Vec3(linear.unaryExpr([](double v) { return v < 0.018 ? 4.5 * v : 1.099 * std::pow(v, 0.45) - 0.099; }));
    };
    const std::array<Vec3, 6> bars{Vec3(1, 0, 0), Vec3(1, 1, 0), Vec3(0, 1, 0),
                                   Vec3(0, 1, 1), Vec3(0, 0, 1), Vec3(1, 0, 1)};
    for (int i = 0; i < 6; ++i)
        EXPECT_NEAR(angle(encoded("A" + std::to_string(i + 1))), angle(bars[static_cast<std::size_t>(i)]), 0.5) << i;
    // The skin line, 123 degrees (common practice: the I axis of the older standard).
    for (int i = 1; i <= 6; ++i) EXPECT_NEAR(angle(encoded("B" + std::to_string(i))), 123, 0.7) << i;
    for (int i = 1; i <= 6; ++i)
        EXPECT_LT((encoded("C" + std::to_string(i)).array() - encoded("C" + std::to_string(i)).mean()).abs().maxCoeff(),
                  1e-3)
            << i;
}

// Balancing on a bluer tint makes the picture warmer (common practice); the steps are even in mireds along CIE
// daylight.
TEST(Charts, tints_of_the_balance_page_warm_in_even_steps) {
    const Definition d = find_definition("balance-page");
    const Reference reference = reference_of(d);
    const auto mired = [&](const std::string& id) {
        const Vec3 x = reference.xyz.at(id);
        return 1e6 / colour::correlated_temperature({x[0] / x.sum(), x[1] / x.sum()}).kelvin;
    };
    for (int c = 2; c <= 8; ++c) {
        EXPECT_NEAR(mired("B1") - mired("B" + std::to_string(c)), 6 * (c - 1), 1.5) << c;
        EXPECT_EQ(d.patches[static_cast<std::size_t>(d.index_of("B" + std::to_string(c)))].role, "warm");
    }
    const int steps[] = {-24, -16, -8, 0, 0, 8, 16, 24};
    for (int c = 1; c <= 8; ++c) {
        EXPECT_NEAR(mired("B1") - mired("C" + std::to_string(c)), steps[c - 1], 1.5) << c;
        EXPECT_EQ(d.patches[static_cast<std::size_t>(d.index_of("C" + std::to_string(c)))].role,
                  steps[c - 1] < 0   ? "cool"
                  : steps[c - 1] > 0 ? "warm"
                                     : "neutral");
    }
}

} // namespace
} // namespace refero::chart
