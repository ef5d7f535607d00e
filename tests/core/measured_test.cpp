// Own charts and own measurements of them.
#include "chart/measured.hpp"

#include "support.hpp"

using namespace refero;
using namespace refero::chart;
using test::Scratch;

namespace {

std::string message(const std::string& text) {
    try {
        parse_series(text, "measured.csv");
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input);
        EXPECT_EQ(e.file(), "measured.csv");
        EXPECT_FALSE(e.remedy().empty());
        return e.message();
    }
    return "";
}

} // namespace

TEST(Measured, tables_with_any_separator_hold_the_same) {
    const auto a = parse_series("id,X,Y,Z\nA1,30.5,32,20\nB1,5,6,7\n", "m.csv"),
               b = parse_series("\xef\xbb\xbfSample_ID;XYZ_X;XYZ_Y;XYZ_Z\r\nA1;30,5;32;20\r\nB1;5;6;7\r\n", "m.csv"),
               c = parse_series("X\tY\tZ\n30.5\t32\t20\n5\t6\t7\n", "m.txt");
    ASSERT_EQ(a.ids, (std::vector<std::string>{"A1", "B1"}));
    EXPECT_TRUE(a.xyz[0].isApprox(Vec3(0.305, 0.32, 0.2), 1e-9));
    EXPECT_EQ(b.ids, a.ids);
    EXPECT_TRUE(b.xyz[0].isApprox(a.xyz[0], 1e-12));
    EXPECT_TRUE(c.xyz[1].isApprox(a.xyz[1], 1e-12));
    EXPECT_FALSE(c.named);
}

// Whites of CIE 15:2018, tables T.3 and T.4: D65 and A for 2 degrees, and for 10 degrees within what the fits of the
// functions are good for.
TEST(Measured, whites_of_illuminants_and_observers) {
    const auto xy = [](const Conditions& c) { return colour::chromaticity_of(c.white()); };
    using I = Conditions::Illuminant;
    using O = Conditions::Observer;
    EXPECT_NEAR(xy({I::d65, O::two_degrees}).x, 0.31272, 2e-4);
    EXPECT_NEAR(xy({I::a, O::two_degrees}).y, 0.40745, 2e-4);
    EXPECT_NEAR(xy({I::d65, O::ten_degrees}).x, 0.31382, 3e-3);
    EXPECT_NEAR(xy({I::d65, O::ten_degrees}).y, 0.33100, 3e-3);
    EXPECT_NEAR(xy({I::a, O::ten_degrees}).x, 0.45117, 3e-3);
    EXPECT_NEAR(xy({I::a, O::ten_degrees}).y, 0.40594, 3e-3);
}

TEST(Measured, lab_of_another_white_is_adapted_and_percent_is_understood) {
    Conditions d65{Conditions::Illuminant::d65, Conditions::Observer::two_degrees};
    const auto lab = parse_series("id,L,a,b\nW,100,0,0\nR,50,60,30\n", "m.csv", d65);
    EXPECT_TRUE(lab.xyz[0].isApprox(colour::white_d50, 1e-4)); // white stays white
    const auto spectral = parse_series("id,400,500,600,700\nG,50,50,50,50\n", "m.csv");
    EXPECT_TRUE(spectral.xyz[0].isApprox(0.5 * colour::white_d50, 1e-3));
    EXPECT_NEAR(spectral.spectrum[0][20], 0.5, 1e-12);
}

TEST(Measured, bad_tables_are_refused_with_line_and_remedy) {
    EXPECT_NE(message("nothing here\n").find("neither CGATS nor a table"), std::string::npos);
    EXPECT_NE(message("id,q,w\nA,1,2\n").find("no column names are known"), std::string::npos);
    EXPECT_NE(message("id,X,Y,Z\nA1,1,2,three\n").find("line 2: column 4 is not a number"), std::string::npos);
    EXPECT_NE(message("id,X,Y,Z\n,1,2,3\n").find("line 2: the patch has no name"), std::string::npos);
    EXPECT_NE(message("id,X,Y,Z\n").find("no rows"), std::string::npos);
    EXPECT_NE(message("id,X,Y,Z\nA1,nan,2,3\n").find("line 2"), std::string::npos);
}

TEST(Measured, averages_leave_out_what_falls_out_and_name_it) {
    const Definition d = grid(2, 1, 10, 10, 1, 1);
    std::vector<Series> all;
    for (const char* x : {"50.0", "50.2", "49.9", "57.0"}) // the last one slipped on A1
        all.push_back(parse_series(std::string("id,L,a,b\nA1,") + x + ",0,0\nA2,40,20,-10\n",
                                   std::string("series-") + x + ".csv"));
    const Averaged a = average(d, all);
    ASSERT_EQ(a.outliers.size(), 1u);
    EXPECT_EQ(a.outliers[0].id, "A1");
    EXPECT_EQ(a.outliers[0].file, "series-57.0.csv");
    EXPECT_GT(a.outliers[0].delta_e_2000, 5);
    EXPECT_NEAR(colour::lab_from_xyz(a.reference.xyz.at("A1"))[0], 50.03, 0.02);
    EXPECT_NEAR(a.spread.at("A2"), 0, 1e-9);
    EXPECT_TRUE(a.missing.empty());
}

TEST(Measured, missing_and_unknown_patches_are_named_and_order_stands_in_for_names) {
    const Definition d = grid(2, 1, 10, 10, 1, 1);
    const Averaged named = average(d, {parse_series("id,X,Y,Z\nA1,1,2,3\nZ9,1,2,3\n", "m.csv")});
    EXPECT_EQ(named.missing, std::vector<std::string>{"A2"});
    EXPECT_EQ(named.unknown, std::vector<std::string>{"Z9"});
    const Averaged ordered = average(d, {parse_series("X,Y,Z\n1,2,3\n4,5,6\n", "m.csv")});
    EXPECT_NEAR(ordered.reference.xyz.at("A2")[1], 0.05, 1e-12);
}

TEST(Measured, a_made_chart_is_read_again) {
    const Scratch scratch;
    Definition d = grid(28, 30, 5, 4, 1, 0.5);
    d.id = "mine";
    d.title = "Dyed linen";
    EXPECT_EQ(d.patches[28 * 27].id, "AB1");
    Reference r;
    for (const Patch& p : d.patches) {
        r.xyz[p.id] = Vec3(0.2, 0.3, 0.1);
        r.spectrum[p.id] = colour::Spectrum::constant(0.25);
    }
    const Definition again = save_definition(d, r, scratch / "mine.json");
    EXPECT_EQ(again.patches.size(), d.patches.size());
    EXPECT_NEAR(again.width_mm, d.width_mm, 1e-9);
    const Reference back = reference_of(again);
    EXPECT_TRUE(back.xyz.at("AB1").isApprox(Vec3(0.2, 0.3, 0.1), 1e-6));
    EXPECT_NEAR(back.spectrum.at("A1")[40], 0.25, 1e-6);
    // An invalid layout leaves what is there.
    d.patches[1].x_mm = 0;
    EXPECT_THROW(save_definition(d, r, scratch / "mine.json"), Error);
    EXPECT_EQ(load_definition(scratch / "mine.json").patches.size(), again.patches.size());
    EXPECT_THROW(grid(0, 3, 1, 1, 0, 0), Error);
    EXPECT_THROW(grid(100, 100, 1, 1, 0, 0), Error);
}

TEST(Measured, roles_are_guessed) {
    const auto of = [](double L, double a, double b) { return likely_role(colour::xyz_from_lab({L, a, b})); };
    EXPECT_EQ(of(60, 1, -1), "neutral");
    EXPECT_EQ(of(65, 17, 18), "skin");
    EXPECT_EQ(of(43, -13, 22), "foliage");
    EXPECT_EQ(of(50, -4, -22), "sky");
    EXPECT_EQ(of(40, 50, 30), "other");
}
