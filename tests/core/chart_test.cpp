#include <Eigen/LU>
#include <opencv2/mcc.hpp>

#include "chart/measured.hpp"
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
    const auto of_sets = [](const std::string& number) {
        return "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y XYZ_Z\nEND_DATA_FORMAT\n"
               "NUMBER_OF_SETS " +
               number + "\nBEGIN_DATA\nA1 3 3 3\nEND_DATA\n";
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
                      "XYZ_X\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nA1 3\nEND_DATA\n"),
          of_sets("-3"), of_sets("1000000")}) {
        const auto file = written(scratch / ("ref" + std::to_string(n++) + ".cgats"), text);
        fails([&] { load_reference(file); }, file);
    }
    // One that lcms2 itself lets pass.
    try {
        load_reference(fs::path(REFERO_SOURCE_DIR) / "tests/fuzz/cgats-corpus/sets-beyond-any-number");
        ADD_FAILURE();
    } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find("NUMBER_OF_SETS cannot be"), std::string::npos) << e.what();
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
    EXPECT_EQ(patches, (std::map<std::string, std::size_t>{{"field77", 77},
                                                           {"grey-card", 1},
                                                           {"grid24", 24},
                                                           {"grid24-reversed", 24},
                                                           {"scope-axes", 28},
                                                           {"three-tone", 3},
                                                           {"tint-steps", 36},
                                                           {"white-card", 1}}));
    // Every patch of the field for printing lies inside sRGB (IEC 61966-2-1).
    const colour::Mat3 srgb = colour::rgb_space("srgb").to_xyz_d50().inverse();
    for (const auto& [id, xyz] : reference_of(find_definition("field77")).xyz) {
        const Vec3 rgb = srgb * xyz;
        EXPECT_GE(rgb.minCoeff(), 0) << id;
        EXPECT_LE(rgb.maxCoeff(), 1) << id;
    }
    // What ships was not measured on the card in hand, and says so.
    for (const Definition& d : installed()) EXPECT_TRUE(d.nominal && reference_of(d).nominal) << d.id;
    EXPECT_EQ(find_definition("grid24-reversed").variant_of, "grid24");
    // Withdrawn ones are in no list; old readings still find them.
    for (const char* id : {"panels48", "balance-page", "video"}) EXPECT_GT(find_definition(id).patches.size(), 20u);
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
TEST(Charts, hues_of_the_chart_for_scopes_lie_on_their_axes) {
    const Reference reference = reference_of(find_definition("scope-axes"));
    const colour::Mat3 rgb_from_xyz = colour::rgb_space("bt709").to_xyz_d50().inverse();
    const auto difference = [](const Vec3& rgb) {
        const double y = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
        return Vec3((rgb[2] - y) / 1.8556, (rgb[0] - y) / 1.5748, y);
    };
    const auto angle = [&](const Vec3& rgb) {
        const Vec3 d = difference(rgb);
        return std::atan2(d[1], d[0]) * 180 / M_PI;
    };
    const auto encoded = [&](const std::string& id) {
        const Vec3 linear = rgb_from_xyz * reference.xyz.at(id);
        return Vec3(linear.unaryExpr([](double v) { return v < 0.018 ? 4.5 * v : 1.099 * std::pow(v, 0.45) - 0.099; }));
    };
    const std::array<Vec3, 6> bars{Vec3(1, 0, 0), Vec3(0, 1, 1), Vec3(1, 1, 0),
                                   Vec3(0, 0, 1), Vec3(0, 1, 0), Vec3(1, 0, 1)};
    for (int i = 0; i < 6; ++i) {
        double before = 1;
        for (const char* row : {"A", "B", "C"}) {
            const Vec3 code = encoded(row + std::to_string(i + 1));
            EXPECT_NEAR(angle(code), angle(bars[static_cast<std::size_t>(i)]), 0.7) << row << i;
            const double saturation = difference(code).head<2>().norm();
            EXPECT_LT(saturation, before) << row << i;
            before = saturation;
        }
    }
    // The skin line, 123 degrees (common practice: the I axis of the older standard).
    for (const char* row : {"A", "B", "C"}) EXPECT_NEAR(angle(encoded(std::string(row) + "7")), 123, 0.7) << row;
    for (int i = 1; i <= 7; ++i)
        EXPECT_LT((encoded("D" + std::to_string(i)).array() - encoded("D" + std::to_string(i)).mean()).abs().maxCoeff(),
                  1e-3)
            << i;
}

// Balancing on a bluer tint makes the picture warmer (common practice); the steps are even in mireds along CIE
// daylight, and in Duv to green and magenta.
TEST(Charts, tints_go_both_ways_from_neutral_in_even_steps) {
    const Definition d = find_definition("tint-steps");
    EXPECT_TRUE(is_balance_page(d));
    EXPECT_FALSE(is_balance_page(find_definition("grid24")));
    const Reference reference = reference_of(d);
    const auto light = [&](const std::string& id) {
        const Vec3 x = reference.xyz.at(id);
        return colour::correlated_temperature({x[0] / x.sum(), x[1] / x.sum()});
    };
    const auto neutral = light("B5");
    for (int c = 1; c <= 9; ++c) {
        const std::string warm = "B" + std::to_string(c), green = "C" + std::to_string(c);
        EXPECT_NEAR(1e6 / neutral.kelvin - 1e6 / light(warm).kelvin, 7 * (c - 5), 1.5) << c;
        EXPECT_EQ(d.patches[static_cast<std::size_t>(d.index_of(warm))].role, c < 5   ? "cool"
                                                                              : c > 5 ? "warm"
                                                                                      : "neutral");
        EXPECT_NEAR(light(green).duv - neutral.duv, -0.002 * (c - 5), 0.0003) << c;
    }
}

// ---- values of the card in hand ---------------------------------------------------------------------------------

/// A card of grid24 that differs a little from its published values, as CSV with columns `x,y,z` and `id` if `named`.
std::string card_table(bool named, double scale = 100, const std::function<int(int)>& order = {},
                       const colour::Mat3& under = colour::Mat3::Identity()) {
    const Reference nominal = reference_of(test::grid24());
    std::string text = named ? "id,x,y,z\n" : "x,y,z\n";
    for (int i = 0; i < 24; ++i) {
        const int k = order ? order(i) : i;
        const std::string& id = test::grid24().patches[static_cast<std::size_t>(k)].id;
        const Vec3 lab = colour::lab_from_xyz(nominal.xyz.at(id)) + Vec3(0.4 * (k % 3 - 1), 0.6 * (k % 2), 0.5);
        const Vec3 xyz = under * colour::xyz_from_lab(lab);
        text += named ? test::grid24().patches[static_cast<std::size_t>(i)].id + "," : "";
        text += formatted("{:.5f},{:.5f},{:.5f}\n", scale * xyz[0], scale * xyz[1], scale * xyz[2]);
    }
    return text;
}

std::string problem_of(const std::string& table, const Conditions& stated = {}) {
    const Reference nominal = reference_of(test::grid24());
    try {
        bring_values(test::grid24(), &nominal, table, "card.csv", stated);
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input);
        return e.sentences();
    }
    return {};
}

TEST(BroughtValues, a_cards_own_table_is_taken_and_its_changes_told) {
    const Reference nominal = reference_of(test::grid24());
    for (const bool named : {true, false}) {
        const Brought b = bring_values(test::grid24(), &nominal, card_table(named), "card.csv", {});
        EXPECT_FALSE(b.reference.nominal);
        EXPECT_EQ(b.reference.xyz.size(), 24u);
        EXPECT_GT(b.mean, 0.3);
        EXPECT_LT(b.mean, 1.5);
        EXPECT_EQ(b.changed.size(), 24u);
        EXPECT_GE(b.changed.front().second, b.changed.back().second);
        // As CGATS text and back, as a job keeps it.
        const Reference back = parse_reference(cgats_of(b.reference), {});
        for (const auto& [id, xyz] : b.reference.xyz) EXPECT_LT((back.xyz.at(id) - xyz).norm(), 1e-5) << id;
    }
    // Stated for another illuminant, and said so.
    const Conditions d65{Conditions::Illuminant::d65};
    const colour::Mat3 under = colour::adaptation(colour::white_d50, d65.white());
    EXPECT_LT(bring_values(test::grid24(), &nominal, card_table(true, 100, {}, under), "card.csv", d65).mean, 1.5);
}

TEST(BroughtValues, what_is_wrong_with_a_table_is_said_plainly) {
    const auto says = [](const std::string& text, const char* word) {
        return text.find(word) != std::string::npos ? testing::AssertionSuccess()
                                                    : testing::AssertionFailure() << "says: " << text;
    };
    EXPECT_TRUE(says(problem_of(card_table(true, 1)), "shares of 1"));
    EXPECT_NE(problem_of(card_table(true, 10000)), "");
    EXPECT_TRUE(says(problem_of(card_table(false, 100, [](int i) { return i / 6 * 6 + 5 - i % 6; })),
                     "each row from the other side"));
    EXPECT_TRUE(says(problem_of(card_table(false, 100, [](int i) { return 23 - i; })), "from the last patch"));
    EXPECT_TRUE(says(problem_of(card_table(false, 100, [](int i) { return (3 - i / 6) * 6 + i % 6; })), "bottom"));
    EXPECT_TRUE(says(problem_of(card_table(false, 100, [](int i) { return i % 4 * 6 + i / 4; })), "columns"));
    const Conditions d65{Conditions::Illuminant::d65};
    const colour::Mat3 under = colour::adaptation(colour::white_d50, d65.white());
    EXPECT_TRUE(says(problem_of(card_table(true, 100, {}, under)), "illuminant D65"));
    std::string few = card_table(true), doubled = few, few_rows = card_table(false);
    few_rows.resize(few_rows.find('\n', 200) + 1);
    few.resize(few.rfind('\n', few.size() - 2) + 1);
    EXPECT_TRUE(says(problem_of(few), "no value for D6"));
    doubled += doubled.substr(doubled.find('\n') + 1, doubled.find('\n', doubled.find('\n') + 1) - doubled.find('\n'));
    EXPECT_TRUE(says(problem_of(doubled), "A1 stands twice"));
    EXPECT_TRUE(says(problem_of(few_rows), "rows"));
    // Another chart's values altogether.

    EXPECT_TRUE(says(problem_of(card_table(false, 100, [](int i) { return (i * 7 + 3) % 24; })), "CIEDE2000"));
    EXPECT_NE(problem_of("no table at all"), "");
}

} // namespace
} // namespace refero::chart
