// The command line as scripts see it: exit statuses, JSON and files.
#include "cli/cli.hpp"

namespace refero {
namespace {

using nlohmann::json;
using test::Cli;
using test::Outcome;
using test::Scratch;
using test::written;

TEST_F(Cli, the_whole_way_on_dng_and_tiff) {
    for (const std::string kind : {"dng", "tif", "exr"}) {
        simulate("a." + kind, {});
        simulate("b." + kind, {.white = 0.5, .rotation_deg = 100, .tilt_deg = 12, .seed = 4});
        const json truth = json::parse(read_file(scratch / "a.truth.json"));

        const Outcome found = run("find a." + kind + " --json");
        ASSERT_EQ(found.status, 0) << found.err;
        const json f = found.object();
        EXPECT_EQ(f["width"], 1500);
        EXPECT_EQ(f["height"], 1000);
        ASSERT_EQ(f["charts"].size(), 1u);
        const json& c = f["charts"][0];
        EXPECT_EQ(c["chart"], "grid24");
        EXPECT_FALSE(c["mirrored"].get<bool>());
        EXPECT_GT(c["confidence"].get<double>(), 0.5);
        for (int i = 0; i < 4; ++i)
            for (int k = 0; k < 2; ++k)
                EXPECT_NEAR(c["corners"][i][k].get<double>(), truth["charts"][0]["corners"][i][k].get<double>(), 1.5);
        EXPECT_NEAR(c["frame_fraction"].get<double>(), truth["charts"][0]["frame_fraction"].get<double>(), 0.005);
        EXPECT_NEAR(c["tilt_deg"].get<double>(), truth["charts"][0]["tilt_deg"].get<double>(), 2);

        const json reading = run("read a." + kind + " --chart grid24 --cgats a.cgats --overwrite --json").object();
        ASSERT_EQ(reading["patches"].size(), 24u);
        std::vector<double> off;
        for (std::size_t i = 0; i < 24; ++i) {
            EXPECT_EQ(reading["patches"][i]["id"], truth["patches"][i]["id"]);
            EXPECT_EQ(reading["patches"][i]["clipped"], 0);
            EXPECT_GT(reading["patches"][i]["pixels"].get<int>(), 100);
            for (int k = 0; k < 3; ++k)
                if (const double t = truth["patches"][i]["mean"][k]; t > 0.02)
                    off.push_back(std::abs(reading["patches"][i]["mean"][k].get<double>() / t - 1));
        }
        std::nth_element(off.begin(), off.begin() + off.size() / 2, off.end());
        EXPECT_LT(off[off.size() / 2], 0.005);

        const json fitted = run("fit a." + kind + " --chart grid24 -o a.json --overwrite --json").object();
        EXPECT_LT(fitted["fit"]["mean"].get<double>(), 1.5);
        EXPECT_EQ(fitted["candidates"].size(), 6u);
        for (const char* key : {"mean", "median", "p95", "max"}) EXPECT_TRUE(fitted["cross_validated"].contains(key));
        const json again = run("fit --readings a.cgats --chart grid24 -o r.json --overwrite --json").object();
        EXPECT_NEAR(again["fit"]["mean"].get<double>(), fitted["fit"]["mean"].get<double>(), 0.01);

        if (kind == "tif") // every model of the contract, fitted, applied and handed over
            for (const std::string model :
                 {"diagonal", "matrix", "root-polynomial-2", "root-polynomial-3", "spectral", "lut"}) {
                EXPECT_EQ(run("fit --readings a.cgats --chart grid24 --white neutrals --model " + model +
                              " -o m.json --overwrite --json")
                              .object()["model"],
                          model);
                EXPECT_LT(run("prove m.json --readings a.cgats --json").object()["delta_e_2000"]["mean"].get<double>(),
                          model == "diagonal" ? 12 : 2)
                    << model;
                EXPECT_EQ(run("apply m.json a.tif -o out-" + model).status, 0) << model;
                EXPECT_EQ(run("export m.json --format cube -o m-" + model + ".cube").status, 0) << model;
                EXPECT_EQ(run("export m.json --format matrix -o m-" + model + ".txt --json").object()["exported_model"],
                          model == "diagonal" ? "diagonal" : "matrix");
            }

        const json proof = run("prove a.json b." + kind + " --json").object();
        EXPECT_FALSE(proof["verdict"].get<std::string>().empty());
        EXPECT_NEAR(proof["delta_e_2000"]["mean"].get<double>() / fitted["fit"]["mean"].get<double>(), 1, 0.3);
        EXPECT_EQ(proof["patches"].size(), 24u);
        EXPECT_NEAR(proof["exposure_stops"].get<double>(), std::log2(0.8 / 0.5), 0.2);
        EXPECT_EQ(run("prove a.json --readings a.cgats --json").object()["exposure_stops"], 0);

        ASSERT_EQ(run("apply a.json a." + kind + " b." + kind + " -o out").status, 0);
        EXPECT_TRUE(fs::exists(scratch / "out/a.tif"));
        EXPECT_TRUE(fs::exists(scratch / "out/b.tif"));
        expect_error("apply a.json a." + kind + " -o out", 2, "a.tif");
        EXPECT_EQ(run("apply a.json a." + kind +
                      " -o out --overwrite --format jpeg --space display-p3 --name '{stem}-{space}'")
                      .status,
                  0);
        EXPECT_TRUE(fs::exists(scratch / "out/a-display-p3.jpg"));
        // The tone curve of what was just written is that of its space (IEC 61966-2-1 for Display P3, too).
        const json curve = run("curve out/a-display-p3.jpg --chart grid24 -o curve-" + kind + ".cube --json").object();
        EXPECT_EQ(curve["nearest"], "srgb");
        EXPECT_LT(curve["nearest_stops"].get<double>(), 0.05);
        expect_error("curve out/a-display-p3.jpg -o curve-" + kind + ".cube", 2, "exists");
        if (kind == "dng") expect_error("curve a.dng -o raw.cube", 3, "linear already");
        fs::remove_all(scratch / "out");

        for (const std::string format : {"cube", "icc", "dcp", "matrix"}) {
            const Outcome o = run("export a.json --format " + format + " -o x." + format + " --overwrite --json");
            EXPECT_EQ(o.status, 0) << o.err;
            EXPECT_TRUE(o.object().contains("exported_model"));
            EXPECT_TRUE(o.object()["delta_e_2000"].contains("mean"));
            EXPECT_TRUE(fs::exists(scratch / ("x." + format)));
        }
    }
    const json charts = run("charts --json").object();
    std::map<std::string, int> patches;
    for (const json& c : charts["charts"]) patches[c["id"]] = c["patches"];
    EXPECT_EQ(patches["grid24"], 24);
    EXPECT_EQ(patches["field77"], 77);
}

TEST_F(Cli, wrong_usage_gives_2) {
    simulate("a.dng", {.width = 600, .height = 400});
    ASSERT_EQ(run("fit a.dng -o a.json").status, 0);
    expect_error("dance", 2, "");
    expect_error("", 2, "");
    expect_error("find", 2, "");
    expect_error("find a.dng --colour red", 2, "colour");
    expect_error("find a.dng --chart nothing", 2, "nothing");
    expect_error("read a.dng --chart grid24 --corners '1,2 3,4'", 2, "corners");
    expect_error("read a.dng --chart grid24 --corners '0,0 9,9 9,0 0,9'", 2, "convex");
    expect_error("read a.dng --chart grid24 --encoding gamma", 2, "gamma");
    expect_error("fit a.dng --model miracle -o b.json", 2, "miracle");
    expect_error("fit a.dng", 2, "output");
    expect_error("fit -o b.json", 2, "");
    expect_error("apply a.json a.dng -o out --space nowhere", 2, "nowhere");
    expect_error("apply a.json a.dng sub/a.dng -o out", 2, "a.tif"); // two inputs, one output
    expect_error("export a.json --format poster -o x", 2, "poster");
    expect_error("export a.json --format cube --size 1 -o x", 2, "cube");
    EXPECT_FALSE(fs::exists(scratch / "x"));
    EXPECT_FALSE(fs::exists(scratch / "b.json"));
    EXPECT_FALSE(fs::exists(scratch / "out"));
}

TEST_F(Cli, inputs_that_cannot_be_read_give_3_and_leave_nothing) {
    simulate("a.dng", {.width = 600, .height = 400});
    simulate("a.tif", {.width = 600, .height = 400});
    ASSERT_EQ(run("fit a.dng -o a.json").status, 0);
    const std::string dng = read_file(scratch / "a.dng"), tif = read_file(scratch / "a.tif"),
                      json_text = read_file(scratch / "a.json");
    written(scratch / "text.dng", "this is a text\n");
    written(scratch / "cut.dng", dng.substr(0, dng.size() * 2 / 3));
    written(scratch / "cut.tif", tif.substr(0, tif.size() * 2 / 3));
    written(scratch / "cut.json", json_text.substr(0, json_text.size() / 3));
    written(scratch / "cut.cgats", "CGATS.17\nBEGIN_DATA\nA1");
    for (const std::string file : {"text.dng", "cut.dng", "cut.tif", "absent.dng", "absent.tif"}) {
        expect_error("find " + file, 3, file);
        expect_error("read " + file + " --chart grid24", 3, file);
        expect_error("fit " + file + " -o b.json", 3, file);
        expect_error("prove a.json " + file, 3, file);
        expect_error("apply a.json " + file + " -o out", 3, file);
        EXPECT_TRUE(!fs::exists(scratch / "out") || fs::is_empty(scratch / "out"));
    }
    expect_error("prove cut.json a.dng", 3, "cut.json");
    expect_error("apply cut.json a.dng -o out", 3, "cut.json");
    expect_error("export cut.json --format cube -o x.cube", 3, "cut.json");
    expect_error("fit --readings cut.cgats --chart grid24 -o b.json", 3, "cut.cgats");
    expect_error("fit a.dng --reference cut.cgats -o b.json", 3, "cut.cgats");
    expect_error("simulate cut.json -o c.dng", 3, "cut.json");
    expect_error("find a.dng --chart ./cut.json", 3, "cut.json");
    for (const char* left : {"b.json", "x.cube", "c.dng", "c.truth.json"})
        EXPECT_FALSE(fs::exists(scratch / left)) << left;
    for (const auto& entry : fs::directory_iterator(scratch.folder()))
        EXPECT_FALSE(entry.path().filename().string().starts_with(".")) << entry.path(); // a temporary file
}

TEST_F(Cli, no_chart_gives_4_and_an_empty_list) {
    written(
        scratch / "scene.json",
        R"({"refero_scene":1,"size":[600,400],"camera":"stills-b","light":"led","background":{"surface":[60,10,5],"texture":0.3},
"objects":[{"shape":"leaf","at":[0.5,0.5],"size":[0.3,0.2],"surface":[40,-30,30]}]})");
    for (const std::string file : {"n.dng", "n.tif"}) {
        ASSERT_EQ(run("simulate scene.json --overwrite -o " + file).status, 0);
        const Outcome o = run("find " + file + " --json");
        EXPECT_EQ(o.status, 4);
        EXPECT_EQ(o.object()["charts"], json::array());
        EXPECT_EQ(run("read " + file + " --chart grid24 --json").status, 4);
        EXPECT_EQ(run("fit " + file + " -o b.json").status, 4);
        EXPECT_FALSE(fs::exists(scratch / "b.json"));
    }
}

// The contract: verdict and every check; 5 for reshoot, 4 without a chart; a folder worst first.
TEST_F(Cli, inspect_judges_a_frame_and_a_folder) {
    fs::create_directories(scratch / "set");
    simulate("set/good.dng", {.width = 900, .height = 600});
    simulate("set/tilted.dng", {.width = 900, .height = 600, .tilt_deg = 26});
    simulate("set/stray.dng", {.width = 900, .height = 600, .more = R"(,"veil":0.08)"});
    const Outcome good = run("inspect set/good.dng --chart grid24 --json");
    EXPECT_EQ(good.status, 0) << good.err;
    EXPECT_EQ(good.object()["verdict"], "pass");
    std::set<std::string> checks;
    const json findings = good.object()["findings"];
    for (const json& f : findings) {
        checks.insert(f["check"]);
        for (const char* member : {"status", "value", "limit", "unit", "patches", "advice"})
            EXPECT_TRUE(f.contains(member)) << member;
    }
    for (const char* check : {"found", "size", "tilt", "focus", "clipping", "underexposure", "evenness", "shadow",
                              "glare", "occlusion", "mixed_light", "mirrored", "noise"})
        EXPECT_TRUE(checks.contains(check)) << check;
    const Outcome stray = run("inspect set/stray.dng --json");
    EXPECT_EQ(stray.status, 5);
    EXPECT_EQ(stray.object()["verdict"], "reshoot");
    EXPECT_EQ(stray.object()["findings"][0]["check"], "glare");
    EXPECT_EQ(run("inspect set/tilted.dng --strict-turn").status, 5);
    const Outcome all = run("inspect set --chart grid24 --json");
    EXPECT_EQ(all.status, 5);
    const json frames = all.object()["frames"];
    ASSERT_EQ(frames.size(), 3u);
    EXPECT_TRUE(frames[0]["file"].get<std::string>().ends_with("stray.dng"));
    EXPECT_EQ(frames[1]["verdict"], "caution");
    EXPECT_EQ(frames[2]["verdict"], "pass");
    test::Shot plain{.width = 600, .height = 400};
    auto scene = simulate::parse_scene(test::scene_text(plain), "scene");
    scene.charts.clear();
    simulate::write(simulate::render(scene), scratch / "plain.dng");
    const Outcome none = run("inspect plain.dng --chart grid24 --json");
    EXPECT_EQ(none.status, 4);
    EXPECT_EQ(none.object()["verdict"], "reshoot");
    EXPECT_EQ(none.object()["findings"][0]["check"], "found");
    fs::create_directories(scratch / "empty");
    expect_error("inspect empty", 3, "no frames");
    expect_error("inspect set/good.dng --chart nothing", 2, "nothing");
    written(scratch / "limits.json", "{\"tilt\":{\"caution\":1,\"reshoot\":2}}");
    EXPECT_EQ(run("inspect set/good.dng --limits limits.json").status, 5);
    written(scratch / "limits.json", "{\"tlit\":1}");
    expect_error("inspect set/good.dng --limits limits.json", 3, "limits.json");
}

// Each action of a job tells its own options and no others; each example is one that the program takes.
TEST_F(Cli, help_has_examples_and_words_that_are_misspelt_are_answered_with_the_nearest) {
    const std::string handover = run("job handover --help").out, take = run("job j.refero take -h").out;
    for (const char* own : {"--for", "--as-matched", "--formats", "--stretch", "Example: refero-cli job"})
        EXPECT_NE(handover.find(own), std::string::npos) << own;
    for (const char* others : {"--camera", "--lab", "--all-frames", "--gamut"})
        EXPECT_EQ(handover.find(others), std::string::npos) << others;
    EXPECT_NE(take.find("--camera"), std::string::npos);
    EXPECT_EQ(take.find("--for"), std::string::npos);
    std::istringstream overview(run("--help").out);
    int verbs = 0;
    bool listed = false;
    for (std::string line; std::getline(overview, line);) {
        if (line.starts_with("Subcommands:")) listed = true;
        else if (listed && line.starts_with("  ") && line[2] != ' ') {
            const std::string verb = line.substr(2, line.find(' ', 2) - 2), help = run(verb + " --help").out;
            const auto at = help.find("Example: refero-cli ");
            ASSERT_NE(at, std::string::npos) << verb;
            const std::string example = help.substr(at + 20, help.find('\n', at) - at - 20);
            // Its files are not there, which is no misuse.
            if (verb != "charts") { EXPECT_EQ(run(example).status, 3) << example; }
            ++verbs;
        }
    }
    EXPECT_EQ(verbs, 20);
    EXPECT_NE(run("isnpect a.dng").err.find("Did you mean inspect?"), std::string::npos);
    EXPECT_NE(run("export c.json --fromat cube -o x").err.find("Did you mean --format?"), std::string::npos);
    EXPECT_EQ(run("zzzzzz").err.find("Did you mean"), std::string::npos);
}

TEST_F(Cli, one_json_object_on_standard_output_and_words_otherwise) {
    simulate("a.dng", {.width = 600, .height = 400});
    EXPECT_TRUE(run("find a.dng --json").object().is_object());
    const Outcome words = run("find a.dng");
    EXPECT_EQ(words.status, 0);
    EXPECT_FALSE(words.out.empty());
    EXPECT_TRUE(words.object().is_discarded());
    EXPECT_EQ(run("--help").status, 0);
    EXPECT_EQ(run("fit --help").status, 0);
    EXPECT_EQ(run("--version").out.find("0."), 0u);
}

TEST_F(Cli, a_fit_takes_weights_spots_samples_and_a_finish) {
    simulate("a.dng", {});
    const Outcome o = run("fit a.dng --chart grid24 --weights 'skin 3, D1 0.5' --warmer 12 --keep-light 0.25 --target "
                          "'92 %' --curves -o a.json --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const json j = o.object();
    EXPECT_EQ(j["weights"]["A1"], 3);
    EXPECT_EQ(j["weights"]["D1"], 0.5);
    EXPECT_NE(j["finish"].get<std::string>().find("12 mired warmer"), std::string::npos);
    EXPECT_TRUE(j["cautions"].empty()) << j["cautions"];
    const json file = json::parse(read_file(scratch / "a.json"));
    EXPECT_EQ(file["finish"]["light_kept"], 0.25);
    EXPECT_TRUE(file["balance"].contains("curves"));
    // The finish is in pictures and cubes, and not in the proof.
    EXPECT_EQ(run("export a.json --format cube -o a.cube").status, 0);
    EXPECT_NE(read_file(scratch / "a.cube").find("mired warmer"), std::string::npos);
    EXPECT_LT(run("prove a.json a.dng --json").object()["delta_e_2000"]["mean"].get<double>(), 1.5);

    const json spot = run("fit a.dng --chart grid24 --white-spot 750 500 -o b.json --json").object();
    EXPECT_FALSE(spot.contains("error")) << spot;
    written(scratch / "s.txt", "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID RGB_R RGB_G "
                               "RGB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nfelt 20 12 6\nEND_DATA\n");
    written(scratch / "r.txt", "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y "
                               "XYZ_Z\nEND_DATA_FORMAT\nNUMBER_OF_SETS 1\nBEGIN_DATA\nfelt 24 20 8\nEND_DATA\n");
    const json joined =
        run("fit a.dng --chart grid24 --samples s.txt --samples-reference r.txt -o c.json --json").object();
    EXPECT_TRUE(joined.contains("weights") &&
                (joined["weights"].contains("felt") || joined["odd"].dump().find("felt") != std::string::npos))
        << joined.dump().substr(0, 300);
    expect_error("fit a.dng --chart grid24 --weights heavy -o d.json", 2, "heavy");
    expect_error("fit a.dng --chart grid24 --target bright -o d.json", 2, "bright");
    expect_error("fit a.dng --chart grid24 --warmer 500 -o d.json", 2, "too large");
    expect_error("fit a.dng --chart grid24 --samples s.txt -o d.json", 2, "--samples-reference");
    expect_error("fit a.dng --chart grid24 --white-spot -5 5 -o d.json", 2, "outside");
    EXPECT_FALSE(fs::exists(scratch / "d.json"));
}

TEST_F(Cli, frames_between_two_lights_are_corrected_for_their_own) {
    const test::Shot small{.width = 900, .height = 600};
    test::Shot warm = small, middle = small;
    warm.light = "tungsten";
    middle.light = "led"; // 4300 K
    simulate("day.dng", small);
    simulate("warm.dng", warm);
    simulate("middle.dng", middle);
    ASSERT_EQ(run("fit day.dng --chart grid24 --model matrix -o day.json").status, 0);
    ASSERT_EQ(run("fit warm.dng --chart grid24 --model matrix -o warm.json").status, 0);
    const Outcome o = run("apply day.json middle.dng --second warm.json -o out --json");
    ASSERT_EQ(o.status, 0) << o.err;
    EXPECT_NEAR(o.object()["lights"][0]["kelvin"].get<double>(), 4300, 500);
    ASSERT_EQ(run("apply day.json middle.dng --second warm.json --kelvin 3500 -o told --json")
                  .object()["lights"][0]["kelvin"],
              3500);
    EXPECT_NE(read_file(scratch / "out/middle.tif"), read_file(scratch / "told/middle.tif"));
    expect_error("apply day.json middle.dng --kelvin 3500 -o none", 2, "--second");
    expect_error("apply day.json middle.dng --second day.json -o none", 2, "too alike");
    simulate("plain.tif", middle);
    expect_error("apply day.json plain.tif --second warm.json -o none", 3, "plain.tif");
    for (const char* name : {"none/middle.tif", "none/plain.tif"}) EXPECT_FALSE(fs::exists(scratch / name)) << name;
}

TEST_F(Cli, a_faulty_shot_is_mended_and_said) {
    simulate("a.dng", {.rotation_deg = 0,
                       .tilt_deg = 0,
                       .more = R"(,"shadows":[{"at":[0.62,0.5],"angle_deg":0,"stops":1.2,"soft_px":2}])"});
    const Outcome o = run("fit a.dng --chart grid24 -o a.json --json");
    ASSERT_EQ(o.status, 0) << o.err;
    EXPECT_NE(o.object()["cautions"].dump().find("shadow"), std::string::npos);
    EXPECT_NE(o.object()["left_out"].dump().find("A6"), std::string::npos);
    EXPECT_NE(run("fit a.dng --chart grid24 -o a.json --overwrite").out.find("shadow"), std::string::npos);
}

TEST_F(Cli, what_was_made_elsewhere_is_proved_and_trimmed) {
    simulate("a.dng", {});
    ASSERT_EQ(run("fit a.dng --chart grid24 --model diagonal -o a.json").status, 0);
    ASSERT_EQ(run("export a.json --format cube -o a.cube").status, 0);
    const Outcome o = run("prove a.cube a.dng --chart grid24 --trim t.cube --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const json j = o.object();
    EXPECT_EQ(j["kind"], "LUT");
    EXPECT_EQ(j["patches"].size(), 24u);
    EXPECT_LT(j["standard"]["mean"].get<double>(), j["delta_e_2000"]["mean"].get<double>());
    EXPECT_LT(run("prove t.cube a.dng --chart grid24 --json").object()["delta_e_2000"]["mean"].get<double>(),
              0.4 * j["delta_e_2000"]["mean"].get<double>());
    written(scratch / "b.cube", "nothing");
    expect_error("prove b.cube a.dng --chart grid24 --trim u.cube", 3, "b.cube");
    expect_error("prove a.cube a.dng --chart grid24 --space film --trim u.cube", 2, "film");
    EXPECT_FALSE(fs::exists(scratch / "u.cube"));
}

TEST_F(Cli, own_charts_references_and_readings_are_taken) {
    // A chart of eight greys and colours in a user's own file, its values as spectra.
    std::string chart = R"({"refero_chart":1,"id":"own8","title":"Own","size_mm":[100,50],"patches":[)",
                reference = "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A "
                            "LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS 8\nBEGIN_DATA\n";
    const char* lab[] = {"90 0 0", "70 0 0", "45 0 0", "25 0 0", "45 50 25", "55 -40 30", "35 15 -45", "75 5 70"};
    for (int i = 0; i < 8; ++i) {
        const std::string id = std::string(i < 4 ? "A" : "B") + std::to_string(i % 4 + 1);
        chart += std::string(i ? "," : "") + R"({"id":")" + id + R"(","rect_mm":[)" + std::to_string(i % 4 * 26) + "," +
                 std::to_string(i / 4 * 26) + R"(,22,22],"role":")" + (i < 4 ? "neutral" : "hue") + "\"}";
        reference += id + " " + lab[i] + "\n";
    }
    written(scratch / "own8.json", chart + R"(],"reference":"own8.cgats"})");
    written(scratch / "own8.cgats", reference + "END_DATA\n");
    written(
        scratch / "scene.json",
        R"({"refero_scene":1,"size":[900,600],"camera":"stills-b","light":"led","background":{"surface":[30,0,0]},"charts":[{"id":"own8.json","width":0.5,"rotation_deg":20}]})");
    ASSERT_EQ(run("simulate scene.json -o a.dng").status, 0);
    const Outcome read = run("read a.dng --chart ./own8.json --cgats own.cgats --json");
    ASSERT_EQ(read.status, 0) << read.err;
    EXPECT_EQ(read.object()["patches"].size(), 8u);
    EXPECT_EQ(run("fit --readings own.cgats --reference own8.cgats --white A2 --model matrix -o own.json").status, 0);
    EXPECT_EQ(run("fit --readings own.cgats --reference own8.cgats -o own.json --overwrite").status, 0);
}

} // namespace
} // namespace refero
