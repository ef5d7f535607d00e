// refero-cli balance, and every chart of a frame.
#include "cli/cli.hpp"

namespace refero {
namespace {

using nlohmann::json;
using test::Cli;
using test::Outcome;

struct Card : Cli {
    // An 18 % card and a chart under tungsten.
    void scene(const std::string& more = R"(,"charts":[{"id":"grid24","at":[0.2,0.3],"width":0.25}])") {
        std::ofstream(scratch / "card.json")
            << R"({"refero_scene":1,"size":[1500,1000],"seed":3,"camera":"stills-a","light":"tungsten","white":0.8,)"
               R"("background":{"surface":[55,3,8],"texture":0.3,"texture_px":9},)"
               R"("objects":[{"shape":"rectangle","at":[0.5,0.5],"size":[0.3,0.3],"surface":{"grey":0.18}}])" +
                   more + "}";
        ASSERT_EQ(run("simulate card.json -o card.dng --overwrite").status, 0);
    }
};

TEST_F(Card, one_touch_balances_exposes_and_tells_the_light) {
    scene();
    const Outcome done = run("balance card.dng --spot 750,500 -o b.json --json");
    ASSERT_EQ(done.status, 0) << done.err;
    const json b = done.object();
    // The light of the scene is Planck's of 2950 K.
    EXPECT_NEAR(b["kelvin"].get<double>(), 2950, 15);
    EXPECT_NEAR(b["duv"].get<double>(), 0, 0.001);
    EXPECT_LT(b["uneven"].get<double>(), 0.03);
    EXPECT_EQ(b["clipped"], 0);
    // What leaves: a neutral card of 18 %, and colours by the file's own matrix, far better than none.
    ASSERT_EQ(run("apply b.json card.dng -o . --space xyz-d50 --format exr").status, 0);
    const json read = run("read card.exr --chart grid24 --json").object();
    ASSERT_EQ(read["patches"].size(), 24u);
    const json grey = read["patches"][20]["mean"];                            // D3, of Y 0.36
    EXPECT_NEAR(grey[0].get<double>() / grey[1].get<double>(), 0.9642, 0.01); // white of D50, ISO 11664-2
    EXPECT_NEAR(grey[2].get<double>() / grey[1].get<double>(), 0.8251, 0.01);
    const json proof = run("prove b.json card.dng --json").object();
    EXPECT_LT(proof["delta_e_2000"]["mean"].get<double>(), 5);
    EXPECT_EQ(run("export b.json --format cube -o b.cube").status, 0);
    // The same light by the chart's greys.
    const json by_chart = run("balance card.dng --chart grid24 -o c.json --json").object();
    for (int k = 0; k < 3; ++k) EXPECT_NEAR(by_chart["gains"][k].get<double>() / b["gains"][k].get<double>(), 1, 0.01);
    // A card of another luminance is exposed for that.
    const json light = run("balance card.dng --spot 750,500 --grey 0.36 -o d.json --json").object();
    EXPECT_NEAR(light["exposure_stops"].get<double>() - b["exposure_stops"].get<double>(), 1, 1e-9);
}

TEST_F(Card, a_finished_picture_is_balanced_in_its_own_primaries) {
    scene();
    ASSERT_EQ(run("balance card.dng --spot 750,500 -o b.json").status, 0);
    ASSERT_EQ(run("apply b.json card.dng -o pictures --format png").status, 0);
    const json again = run("balance pictures/card.png --spot 750,500 -o again.json --json").object();
    for (int k = 0; k < 3; ++k) EXPECT_NEAR(again["gains"][k].get<double>(), 1, 0.01);
    EXPECT_NEAR(again["exposure_stops"].get<double>(), 0, 0.02);
    EXPECT_TRUE(again["kelvin"].is_null()); // no matrix tells it
}

TEST_F(Card, what_is_no_card_is_refused_and_nothing_is_kept) {
    scene();
    const std::pair<const char*, int> wrong[] = {
        {"--spot 525,350", 3},  // its edge
        {"--spot 75,50000", 2}, // outside
        {"--spot nowhere", 2},  {"", 2}, {"--spot 750,500 --middle", 2}, {"--chart nothing", 2},
    };
    for (const auto& [how, status] : wrong) {
        const Outcome o = run("balance card.dng " + std::string(how) + " -o b.json --json");
        EXPECT_EQ(o.status, status) << how << o.err;
        EXPECT_TRUE(o.object().contains("error"));
        EXPECT_FALSE(std::filesystem::exists(scratch / "b.json")) << how;
    }
    scene(
        R"(,"iso":100,"charts":[{"id":"grid24","at":[0.2,0.3],"width":0.25}],"sheens":[{"at":[0.5,0.5],"size":0.2,"strength":3}])");
    EXPECT_EQ(run("balance card.dng --spot 750,500 -o b.json").status, 3);
}

TEST_F(Card, a_diffuser_frame_is_taken_by_its_middle) {
    std::ofstream(scratch / "d.json")
        << R"({"refero_scene":1,"size":[900,600],"camera":"cine-a","light":{"planck":4000},"white":0.6,"background":{"surface":{"grey":0.5}}})";
    ASSERT_EQ(run("simulate d.json -o d.dng").status, 0);
    const json b = run("balance d.dng --middle -o b.json --json").object();
    EXPECT_NEAR(b["kelvin"].get<double>(), 4000, 40);
    // What is no diffuser is told so, and nothing is kept.
    simulate("chart.dng", test::Shot{});
    const Outcome o = run("balance chart.dng --middle -o none.json --json");
    EXPECT_EQ(o.status, 3);
    EXPECT_NE(o.err.find("uneven"), std::string::npos) << o.err;
    EXPECT_FALSE(fs::exists(scratch / "none.json"));
}

TEST_F(Card, all_charts_of_a_frame_are_read) {
    scene(
        R"(,"charts":[{"id":"grid24","at":[0.25,0.3],"width":0.3},{"id":"grid24","at":[0.75,0.75],"width":0.3,"rotation_deg":20}])");
    const Outcome o = run("read card.dng --all --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const json charts = o.object()["charts"];
    ASSERT_EQ(charts.size(), 2u);
    for (const json& c : charts) EXPECT_EQ(c["patches"].size(), 24u);
    EXPECT_EQ(run("read card.dng --all --cgats x.cgats").status, 2);
}

// Earlier names of renderings stay synonyms; each makes a correction of its own.
TEST_F(Card, renderings_have_names_by_kinds_of_work) {
    scene();
    std::map<std::string, std::string> coefficients;
    for (const std::string name : {"even", "people", "textiles", "plants", "paint", "colorimetric", "skin", "chroma"}) {
        ASSERT_EQ(run("fit card.dng --chart grid24 --model matrix --intent " + name + " -o " + name + ".json").status,
                  0);
        const json c = json::parse(read_file(scratch / (name + ".json")));
        coefficients[name] = c["coefficients"].dump();
    }
    EXPECT_EQ(coefficients["even"], coefficients["colorimetric"]);
    EXPECT_EQ(coefficients["people"], coefficients["skin"]);
    EXPECT_EQ(coefficients["textiles"], coefficients["chroma"]);
    std::set<std::string> different;
    for (const auto& [name, c] : coefficients) different.insert(c);
    EXPECT_EQ(different.size(), 5u);
    EXPECT_EQ(run("fit card.dng --chart grid24 --intent nothing -o x.json").status, 2);
}

} // namespace
} // namespace refero
