// Cards measured through the chart beside them, and the colours that a job is about.
#include <cmath>

#include "cli.hpp"
#include "colour/rgb.hpp"

namespace refero::test {
namespace {

double apart(const json& xyz, const colour::Vec3& lab) {
    const colour::Vec3 v(xyz[0].get<double>() / 100, xyz[1].get<double>() / 100, xyz[2].get<double>() / 100);
    return colour::delta_e_2000(colour::lab_from_xyz(v), lab);
}

/// A card of 5 x 3 patches that nobody knows, beside grid24.
struct CardInHand : Cli {
    std::map<std::string, colour::Vec3> lab; ///< truth

    void SetUp() override {
        std::string patches, values;
        for (int i = 0; i < 15; ++i) {
            const std::string id = std::string(1, static_cast<char>('A' + i / 5)) + std::to_string(1 + i % 5);
            const double hue = 0.9 * i, chroma = i % 5 ? 28 : 0;
            lab[id] = {i % 5 ? 32.0 + 3.5 * i : 25.0 + 5 * i, chroma * std::cos(hue), chroma * std::sin(hue)};
            patches += formatted(R"({}{{"id":"{}","rect_mm":[{},{},20,20],"role":"other"}})", i ? "," : "", id,
                                 24 * (i % 5), 24 * (i / 5));
            values += formatted("{} {:.4f} {:.4f} {:.4f}\n", id, lab[id][0], lab[id][1], lab[id][2]);
        }
        written(scratch / "unknown.json",
                R"({"refero_chart":1,"id":"unknown","title":"Unknown","size_mm":[116,68],"patches":[)" + patches +
                    R"(],"reference":"unknown.cgats"})");
        written(scratch / "unknown.cgats", "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A "
                                           "LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS "
                                           "15\nBEGIN_DATA\n" +
                                               values + "END_DATA\n");
    }
    void both(const std::string& name, const std::string& camera, const std::string& light, double white = 0.8) {
        written(
            scratch / "s.json",
            formatted(
                R"({{"refero_scene":1,"size":[1800,1200],"camera":"{}","light":"{}","white":{:g},"background":{{"surface":[45,2,5],)"
                R"("texture":0.1}},"charts":[{{"id":"grid24","at":[0.3,0.5],"width":0.42}},{{"id":"unknown.json","at":[0.77,0.45],)"
                R"("width":0.3,"rotation_deg":-3}}]}})",
                camera, light, white));
        ASSERT_EQ(run("simulate s.json --overwrite -o " + name).status, 0);
    }
};

TEST_F(CardInHand, is_taught_without_corners_and_measured_through_its_neighbour) {
    both("a.dng", "stills-a", "window");
    both("b.dng", "stills-b", "led");
    const json taught = run("teach a.dng b.dng --beside grid24 -o card.json --json").object();
    ASSERT_EQ(taught["patches"].size(), 15u) << taught.dump();
    EXPECT_EQ(taught["patches"][5]["id"], "B1");
    EXPECT_EQ(taught["panels"][0]["rows"], 3);
    EXPECT_EQ(taught["panels"][0]["columns"], 5);
    EXPECT_NE(taught["provenance"].get<std::string>().find("through grid24, 2 cameras, 2 lights"), std::string::npos);
    ASSERT_EQ(taught["values"].size(), 15u);
    int held = 0;
    std::vector<double> off;
    for (const json& v : taught["values"]) {
        off.push_back(apart(v["xyz"], lab.at(v["id"])));
        held += off.back() <= v["uncertainty"].get<double>();
    }
    std::sort(off.begin(), off.end());
    EXPECT_LT(off[7], 1.0); // the median
    EXPECT_LT(off[14], 3.0);
    EXPECT_GE(held, 13); // of 15: a radius that holds 95 %
    // It is found by itself afterwards, and fitted to; of two charts the values are not nominal any more.
    EXPECT_EQ(run("read b.dng --chart card.json").status, 0);
    const json fitted = run("fit b.dng --chart card.json -o f.json --json").object();
    EXPECT_LT(fitted["cross_validated"]["mean"].get<double>(), 4);
    // The same card later: unchanged; another chart's values: changed.
    const json again =
        run("teach a.dng --beside grid24 --values-only card.json --compare card.json -o again.json --json").object();
    EXPECT_EQ(std::count_if(again["ageing"].begin(), again["ageing"].end(),
                            [](const json& p) { return p["beyond"].get<bool>(); }),
              0);
}

TEST_F(CardInHand, bad_input_is_told_and_nothing_is_kept) {
    both("a.dng", "stills-a", "window");
    simulate("plain.dng", {.width = 600, .height = 400});
    expect_error("teach a.dng --beside tint-steps -o x.json", 4, "not seen");
    expect_error("teach plain.dng --values-only unknown.json --beside grid24 -o x.json", 4, "not seen");
    expect_error("teach a.dng --values-only unknown.json -o x.json", 2, "--beside");
    expect_error("teach a.dng plain.dng -o x.json", 2, "one picture");
    EXPECT_FALSE(fs::exists(scratch / "x.json"));
    EXPECT_FALSE(fs::exists(scratch / "x.cgats"));
    // A chart that is there already survives a measurement that fails, and its values are not replaced unasked.
    const std::string before = read_file(scratch / "unknown.json"), values = read_file(scratch / "unknown.cgats");
    EXPECT_EQ(run("teach a.dng --beside tint-steps -o unknown.json --overwrite").status, 4);
    EXPECT_EQ(read_file(scratch / "unknown.json"), before);
    EXPECT_EQ(read_file(scratch / "unknown.cgats"), values);
    written(scratch / "y.cgats", "mine");
    expect_error("teach a.dng --beside grid24 --values-only unknown.json -o y.json", 2, "y.cgats");
    EXPECT_EQ(read_file(scratch / "y.cgats"), "mine");
}

struct Colours : Cli {
    void SetUp() override {
        simulate("chart.dng", {.width = 900, .height = 600});
        run("job j.refero new");
        run("job j.refero take chart.dng");
        ASSERT_EQ(run("job j.refero fit").status, 0);
    }
};

TEST_F(Colours, come_from_values_codes_files_and_frames) {
    EXPECT_NEAR(
        apart(run("job j.refero colour add jacket --lab 30,20,-15 --json").object()["aim"]["xyz"], {30, 20, -15}), 0,
        1e-6);
    // sRGB's red in CIELAB, D50 by Bradford: 54.29, 80.81, 69.89 (IEC 61966-2-1 with ICC's adaptation).
    EXPECT_NEAR(apart(run("job j.refero colour add red --code srgb:1,0,0 --json").object()["aim"]["xyz"],
                      {54.29, 80.81, 69.89}),
                0, 0.05);
    // The perfect diffuser keeps its white whatever light it is told under: X, Y, Z of D65 are 95.047, 100, 108.883
    // (CIE 15).
    const json white = run("job j.refero colour add white --xyz 95.047,100,108.883 --illuminant d65 --json").object();
    EXPECT_NEAR(apart(white["aim"]["xyz"], {100, 0, 0}), 0, 0.1);
    written(scratch / "v.cgats",
            "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y XYZ_Z\nEND_DATA_FORMAT\n"
            "NUMBER_OF_SETS 2\nBEGIN_DATA\none 20 21 15\ntwo 10 9 8\nEND_DATA\n");
    expect_error("job j.refero colour add paint --values v.cgats", 2, "--id");
    EXPECT_NEAR(
        run("job j.refero colour add paint --values v.cgats --id two --json").object()["aim"]["xyz"][1].get<double>(),
        9, 1e-9);
    // A patch of the chart by a click: as the correction has it.
    const json truth = json::parse(read_file(scratch / "chart.truth.json"));
    const auto corners = truth["charts"][0]["corners"];
    const auto at = [&](double u, double v) {
        const auto mix = [&](int c) {
            const auto p = [&](int k) { return corners[k][c].get<double>(); };
            return (1 - v) * ((1 - u) * p(0) + u * p(1)) + v * ((1 - u) * p(3) + u * p(2));
        };
        return formatted("{:.1f},{:.1f}", mix(0), mix(1));
    };
    const json skin =
        run("job j.refero colour add skin --frame chart.dng --radius 4 --spot " + at(1 / 12.0, 1 / 8.0) + " --json")
            .object();
    const chart::Reference reference = chart::reference_of(chart::find_definition("grid24"));
    EXPECT_LT(apart(skin["aim"]["xyz"], colour::lab_from_xyz(reference.xyz.at("A1"))), 1.5);
    EXPECT_GT(skin["aim"]["uncertainty"].get<double>(), 0);
    const json beside = run("job j.refero colour add skin2 --frame chart.dng --beside grid24 --radius 4 --spot " +
                            at(1 / 12.0, 1 / 8.0) + " --json")
                            .object();
    EXPECT_LT(apart(beside["aim"]["xyz"], colour::lab_from_xyz(reference.xyz.at("A1"))), 1.5);

    expect_error("job j.refero colour add jacket --lab 31,2,3", 2, "already");
    expect_error("job j.refero colour add other", 2, "--xyz");
    expect_error("job j.refero colour add other --lab 1,2,3 --xyz 1,2,3", 2, "one source");
    expect_error("job j.refero colour add other --xyz 1,2", 2, "three numbers");
    expect_error("job j.refero colour add other --xyz 20,20,20 --illuminant f2", 2, "d50 d65 a");
    expect_error("job j.refero colour add other --xyz 20,20,20 --observer 5", 2, "2 10");
    expect_error("job j.refero colour add other --frame chart.dng --radius 4 --spot " + at(1 / 6.0, 1 / 8.0), 3,
                 "edge");
    expect_error("job j.refero colour add other --frame chart.dng --spot 5000,5", 2, "not in the frame");

    const json all = run("job j.refero colours --json").object()["colours"];
    ASSERT_EQ(all.size(), 6u);
    for (const json& c : all) {
        ASSERT_EQ(c["setups"].size(), 1u);
        const json& s = c["setups"][0];
        EXPECT_GT(s["expected"]["radius"].get<double>(), 0);
        EXPECT_LE(s["best"]["delta_e_2000"].get<double>(), s["expected"]["delta_e_2000"].get<double>() + 1e-9);
        EXPECT_TRUE(s["reachable"].get<bool>());
    }
    EXPECT_LT(all[0]["setups"][0]["beyond_space"].get<double>(), 1e-6);
    // What was expected of the skin patch's own colour is near what the correction leaves on it.
    EXPECT_LT(all[4]["setups"][0]["expected"]["delta_e_2000"].get<double>(), 2.5);
}

TEST_F(Colours, are_verified_in_what_was_delivered) {
    const json truth = json::parse(read_file(scratch / "chart.truth.json"));
    const auto c = truth["charts"][0]["corners"];
    const auto at = [&](double u, double v) {
        const auto mix = [&](int k) {
            const auto p = [&](int i) { return c[i][k].get<double>(); };
            return (1 - v) * ((1 - u) * p(0) + u * p(1)) + v * ((1 - u) * p(3) + u * p(2));
        };
        return formatted("\"{:.1f},{:.1f}\"", mix(0), mix(1));
    };
    const std::string spot = at(1 / 12.0, 1 / 8.0);
    run("job j.refero apply -o png --format png");
    run("job j.refero apply -o jpeg --format jpeg --space display-p3");
    run("job j.refero colour add skin --frame chart.dng --radius 4 --spot " + spot);
    const json v = run("verify png/chart.png jpeg/chart.jpg --job j.refero --spot skin:" + spot + " --json").object();
    ASSERT_EQ(v["colours"].size(), 1u) << v.dump();
    EXPECT_LT(v["colours"][0]["delta_e_2000"].get<double>(), 1.0);
    EXPECT_LT(v["colours"][0]["from_master"].get<double>(), 1.0);
    EXPECT_TRUE(v.contains("patches"));
    // Without a job the name is a label; by hand a place is another colour.
    const json label = run("verify png/chart.png jpeg/chart.jpg --spot a:" + spot + " --json").object();
    EXPECT_TRUE(label["colours"][0]["delta_e_2000"].is_null());
    const json other = run("verify png/chart.png jpeg/chart.jpg --spot a:" + spot +
                           " --delivered-spot a:" + at(3 / 12.0, 1 / 8.0) + " --json")
                           .object();
    EXPECT_GT(other["colours"][0]["from_master"].get<double>(), 10);
    expect_error("verify png/chart.png jpeg/chart.jpg --job j.refero --spot nobody:" + spot, 2, "nobody");
    expect_error("verify png/chart.png jpeg/chart.jpg --spot wrong", 2, "--spot NAME");
    expect_error("verify png/chart.png jpeg/chart.jpg --job j.refero", 2, "--spot");
    expect_error("verify chart.dng jpeg/chart.jpg --spot a:" + spot, 3, "raw");
}

} // namespace
} // namespace refero::test
