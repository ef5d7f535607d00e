// Jobs without a window: every action of the verb, run twice, onto files that exist, and on what cannot be read.
#include <map>
#include <set>

#include <OpenColorIO/OpenColorIO.h>
#include <lcms2.h>

#include "cli/cli.hpp"
#include "simulate/clip.hpp"

namespace refero {
namespace {

using nlohmann::json;
using test::Cli;
using test::Outcome;
using test::written;

TEST_F(Cli, a_job_is_made_filled_fitted_and_handed_over) {
    simulate("a.dng", {.width = 900, .height = 600});
    simulate("b.dng", {.camera = "stills-b", .light = "tungsten", .width = 900, .height = 600});
    ASSERT_EQ(run("job j.refero new").status, 0);
    expect_error("job j.refero new", 2, "j.refero");
    written(scratch / "words.dng", "words");
    const Outcome taken = run("job j.refero take a.dng words.dng b.dng --json");
    EXPECT_EQ(taken.status, 3) << taken.err; // the others are in
    EXPECT_EQ(taken.object()["taken"].size(), 2u);
    ASSERT_EQ(taken.object()["failed"].size(), 1u);
    EXPECT_EQ(taken.object()["failed"][0]["file"], "words.dng");
    EXPECT_TRUE(taken.object()["error"].contains("code"));
    const json again = run("job j.refero take a.dng --json").object();
    EXPECT_EQ(again["taken"][0]["known"], true);
    // A folder is all frames in it.
    fs::create_directories(scratch / "card" / "empty");
    fs::copy_file(scratch / "a.dng", scratch / "card" / "z.dng");
    written(scratch / "card" / "notes.txt", "words");
    run("job card.refero new");
    EXPECT_NE(run("job card.refero status").out.find("no setups yet"), std::string::npos);
    EXPECT_EQ(run("job card.refero take card --json").object()["taken"].size(), 1u);
    expect_error("job card.refero take card/empty", 3, "no frames");

    const Outcome fitted = run("job j.refero fit --json");
    EXPECT_EQ(fitted.status, 0) << fitted.err;
    EXPECT_EQ(fitted.object()["fitted"].size(), 2u);
    EXPECT_EQ(run("job j.refero fit --json").object()["fitted"].size(), 0u) << "nothing wants a fit";
    const json status = run("job j.refero status --json").object();
    ASSERT_EQ(status["setups"].size(), 2u);
    for (const json& s : status["setups"]) {
        for (const char* key : {"camera", "lens", "mode", "light", "state", "links", "delta_e_2000", "stale"})
            EXPECT_TRUE(s.contains(key)) << key;
        EXPECT_EQ(s["state"], "proved");
        EXPECT_EQ(s["links"]["correction"], "whole");
        EXPECT_EQ(s["links"]["handover"], "missing");
        EXPECT_LT(s["delta_e_2000"].get<double>(), 2);
    }
    const std::string title = status["setups"][0]["setup"];
    EXPECT_EQ(run("job j.refero fit --setup '" + title + "' --json").object()["fitted"].size(), 1u);
    expect_error("job j.refero fit --setup Nobody", 2, title);

    EXPECT_EQ(run("job j.refero handover -o out --formats cube,dcp").status, 0);
    expect_error("job j.refero handover -o out --formats cube", 2, ".cube");
    EXPECT_EQ(run("job j.refero handover -o out --formats cube --overwrite").status, 0);
    expect_error("job j.refero handover -o out --formats poster", 2, "poster");
    for (const char* action : {"handover", "apply"})
        expect_error(std::string("job j.refero ") + action + " -o none --rendering poster", 2, "poster");
    EXPECT_FALSE(fs::exists(scratch / "none"));
    expect_error("job j.refero handover", 2, "-o");
    EXPECT_EQ(run("job j.refero apply -o out --format jpeg --json").object()["written"].size(), 2u);
    expect_error("job j.refero apply -o out --format jpeg", 2, "a.jpg");
    const json after = run("job j.refero status --json").object();
    EXPECT_EQ(after["setups"][0]["state"], "handed over");

    expect_error("job j.refero dance", 2, "dance");
    expect_error("job j.refero take", 2, "no frames");
    expect_error("job nowhere.refero status", 3, "nowhere.refero");
    expect_error("job words.dng status", 3, "words.dng");
    // A full disk: what could not be kept is told, and the job is as it was.
    simulate("c.dng", {.camera = "cine-a", .light = "led", .width = 900, .height = 600});
    EXPECT_EQ(run("job j.refero take c.dng", "ulimit -f 10;").status, 1);
    EXPECT_EQ(run("job j.refero status --json").object()["setups"].size(), 2u);
    EXPECT_EQ(run("job j.refero take c.dng").status, 0);
    // Under another name it is the same job.
    fs::rename(scratch / "j.refero", scratch / "k.refero");
    EXPECT_EQ(run("job k.refero status --json").object()["setups"].size(), 3u);
}

// A card whose first frames show no chart: nothing is missing from the delivery without a word.
TEST_F(Cli, what_a_batch_leaves_out_is_counted_and_named) {
    fs::create_directory(scratch / "card");
    const auto make = [&](const char* name, bool chart, const char* taken) {
        std::string scene =
            test::scene_text({.width = 600, .height = 400, .more = std::string(R"(,"taken":")") + taken + "\""});
        if (!chart) {
            const auto at = scene.find("\"charts\":["), end = scene.find("}]", at);
            scene.replace(at, end + 2 - at, "\"charts\":[]");
        }
        written(scratch / "scene.json", scene);
        ASSERT_EQ(run(std::string("simulate scene.json --overwrite -o card/") + name).status, 0);
    };
    make("001.dng", false, "2026-05-04T09:00:00");
    make("002.dng", true, "2026-05-04T09:01:00");
    make("003.dng", false, "2026-05-04T09:02:00");
    ASSERT_EQ(run("job j.refero new").status, 0);
    const json taken = run("job j.refero take card --json").object();
    ASSERT_EQ(taken["taken"].size(), 3u);
    EXPECT_EQ(taken["taken"][0]["chart"], false);
    EXPECT_EQ(taken["taken"][1]["chart"], true);
    ASSERT_EQ(run("job j.refero fit").status, 0);
    const json applied = run("job j.refero apply -o out --format jpeg --json").object();
    EXPECT_EQ(applied["written"].size(), 3u) << applied;
    EXPECT_EQ(applied["not_developed"].size(), 0u);
    // A frame of another camera, a second chart shot, and a file that was cut after it came in.
    make("004.dng", true, "2026-05-04T08:00:00");
    simulate("card/other.dng", {.camera = "stills-b", .width = 300, .height = 200});
    ASSERT_EQ(run("job j.refero take card").status, 0);
    const Outcome more = run("job j.refero apply -o out2 --format jpeg");
    EXPECT_NE(more.out.find("not developed"), std::string::npos) << more.out;
    EXPECT_NE(more.out.find("004.dng"), std::string::npos) << more.out;
    EXPECT_EQ(more.out.find("nothing to do"), std::string::npos);
    fs::resize_file(scratch / "card/003.dng", 2000);
    const json status = run("job j.refero status --json").object();
    ASSERT_EQ(status["changed"].size(), 1u);
    EXPECT_NE(status["changed"][0].get<std::string>().find("003.dng"), std::string::npos);
    const Outcome partly = run("job j.refero apply -o out3 --format jpeg --json");
    EXPECT_EQ(partly.status, 3);
    ASSERT_EQ(partly.object()["failed"].size(), 1u);
    EXPECT_NE(partly.err.find("cut or replaced"), std::string::npos) << partly.err;
    EXPECT_FALSE(fs::exists(scratch / "out3/003.jpg"));
    const json archived = run("job j.refero archive -o a.zip --all-frames --json").object();
    ASSERT_EQ(archived["outside"].size(), 1u);
    EXPECT_NE(archived["outside"][0]["file"].get<std::string>().find("003.dng"), std::string::npos);
    fs::remove(scratch / "card/001.dng");
    EXPECT_EQ(run("job j.refero status --json").object()["missing"].size(), 1u);
}

// A file that another program still writes is waited for.
TEST_F(Cli, a_file_that_arrives_slowly_is_waited_for) {
    simulate("whole.dng", {.width = 600, .height = 400});
    ASSERT_EQ(run("job j.refero new").status, 0);
    const Outcome taken =
        run("job j.refero take slow.dng --json",
            "( head -c 300000 whole.dng; sleep 2.5; tail -c +300001 whole.dng ) > slow.dng & sleep 0.5;");
    EXPECT_EQ(taken.status, 0) << taken.err;
    ASSERT_EQ(taken.object()["taken"].size(), 1u);
    EXPECT_EQ(taken.object()["taken"][0]["chart"], true);
    EXPECT_EQ(taken.object()["failed"].size(), 0u);
}

// Several renderings of a setup: as fitted, and for another kind of work with a look; each handed over by its name.
/// A light that drifts: three chart shots, and frames between them.
TEST_F(Cli, each_chart_shot_governs_its_stretch) {
    const auto at = [](const char* time, double kelvin) {
        return formatted(R"(,"taken":"2026-05-04T{}","light":{{"daylight":{}}})", time, kelvin);
    };
    const auto frame = [&](const char* name, const char* time, double kelvin, double chart) {
        test::Shot shot{.width = 900, .height = 600, .chart_width = chart, .more = at(time, kelvin)};
        std::string text = test::scene_text(shot);
        text.replace(text.find(",\"light\":\"window\""), 17, "");
        if (chart == 0)
            text.replace(text.find("\"charts\":["),
                         text.find("]", text.find("\"tilt_deg\"")) - text.find("\"charts\":["), "\"charts\":[");
        simulate::write(simulate::render(simulate::parse_scene(text, name)), scratch / name);
    };
    frame("c1.dng", "10:00:00", 6200, 0.42);
    frame("c2.dng", "11:00:00", 5700, 0.42);
    frame("c3.dng", "12:00:00", 5300, 0.42);
    frame("f1.dng", "10:10:00", 6150, 0);
    frame("f2.dng", "10:50:00", 5750, 0);
    frame("f3.dng", "12:10:00", 5250, 0);
    run("job j.refero new");
    run("job j.refero take c1.dng c2.dng c3.dng f1.dng f2.dng f3.dng");
    const Outcome fitted = run("job j.refero fit --json");
    EXPECT_EQ(fitted.object()["fitted"].size(), 3u) << fitted.out;
    json setup = run("job j.refero status --json").object()["setups"][0];
    ASSERT_EQ(setup["stretches"].size(), 3u);
    EXPECT_EQ(setup["stretches"][0]["id"], "10:00");
    EXPECT_TRUE(setup["stretches"][0]["from"].is_null());
    EXPECT_EQ(setup["stretches"][0]["to"], "2026-05-04T10:30:00");
    EXPECT_TRUE(setup["stretches"][2]["to"].is_null());
    for (const json& s : setup["stretches"]) {
        EXPECT_EQ(s["frames"], 1);
        EXPECT_EQ(s["state"], "proved");
        EXPECT_LT(s["delta_e_2000"].get<double>(), 1);
    }
    // Each frame by its own chart shot; a stretch by any unambiguous beginning.
    expect_error("job j.refero fit --stretch 1", 2, "10:00, 11:00, 12:00");
    expect_error("job j.refero fit --stretch 9", 2, "10:00");
    EXPECT_EQ(run("job j.refero fit --stretch 11 --json").object()["fitted"].size(), 1u);
    const json applied = run("job j.refero apply -o out --format png --json").object();
    EXPECT_EQ(applied["written"].size(), 6u);
    EXPECT_TRUE(applied["not_developed"].empty()) << "each chart shot is one of its stretch";
    EXPECT_EQ(run("job j.refero handover -o ho --formats cube --json").object()["written"].size(), 6u); // and notes
    std::set<std::string> names; // inside the files, too
    for (const auto& entry : fs::directory_iterator(scratch / "ho"))
        if (entry.path().extension() == ".cube") {
            const std::string text = read_file(entry.path());
            names.insert(text.substr(text.find("TITLE"), text.find('\n', text.find("TITLE"))));
        }
    EXPECT_EQ(names.size(), 3u);
    EXPECT_EQ(run("job j.refero handover -o one --formats cube --stretch 12 --json").object()["written"].size(), 2u);
    const auto frames = run("job j.refero frames --json").object()["frames"];
    ASSERT_EQ(frames.size(), 6u);
    EXPECT_EQ(frames[2]["stretch"], "11:00");
    EXPECT_EQ(frames[2]["kind"], "ordinary");
    EXPECT_EQ(frames[0]["kind"], "chart");
    // Another school: the frame at 10:50 follows the chart before it, and another correction develops it.
    EXPECT_EQ(run("job j.refero set stretch_school first").status, 0);
    EXPECT_EQ(run("job j.refero frames --json").object()["frames"][2]["stretch"], "10:00");
    EXPECT_EQ(run("job j.refero status --json").object()["setups"][0]["state"], "handed over")
        << "no correction is stale";
    run("job j.refero apply -o first --format png");
    run("job j.refero set stretch_school between");
    run("job j.refero apply -o between --format png");
    EXPECT_NE(read_file(scratch / "out/f2.png"), read_file(scratch / "first/f2.png"));
    EXPECT_NE(read_file(scratch / "out/f2.png"), read_file(scratch / "between/f2.png"));
    // The whole setup by one chart shot again.
    const std::string title = setup["setup"];
    EXPECT_EQ(run("job j.refero set divided no --setup '" + title + "'").status, 0);
    EXPECT_EQ(run("job j.refero status --json").object()["setups"][0]["stretches"].size(), 1u);
    expect_error("job j.refero set stretch_school sometimes", 2, "nearest");
    expect_error("job j.refero set colour red", 2, "stretch_school");
    // Names.
    EXPECT_EQ(run("job j.refero rename light 'Light 1' Window").status, 0);
    EXPECT_EQ(run("job j.refero status --json").object()["setups"][0]["light"], "Window");
    expect_error("job j.refero rename light 'Light 1' Window", 2, "already");
    expect_error("job j.refero rename lamp 'Light 1' Window", 2, "camera light lens mode");
    expect_error("job j.refero rename light Nothing Else", 2, "Known: Window");
}

// Two bodies of one model: two cameras whose names tell them apart, their charts of one moment under one light.
TEST_F(Cli, two_bodies_of_one_model_are_two_cameras) {
    const auto body = [&](const char* name, const char* serial, const char* time, int seed,
                          const char* light = "window") {
        simulate::Camera camera = simulate::camera_named("stills-a");
        camera.serial_number = serial;
        simulate::Scene scene =
            simulate::parse_scene(test::scene_text({.light = light,
                                                    .width = 900,
                                                    .height = 600,
                                                    .seed = seed,
                                                    .more = formatted(R"(,"taken":"2026-05-04T{}")", time)}),
                                  name);
        scene.camera = camera;
        simulate::write(simulate::render(scene), scratch / name);
    };
    body("a.dng", "0001111", "10:00:00", 1);
    body("b.dng", "0002222", "10:02:00", 2);
    body("c.dng", "0002222", "12:00:00", 3);
    run("job j.refero new");
    const json taken = run("job j.refero take a.dng b.dng c.dng --json").object();
    ASSERT_EQ(taken["cameras"].size(), 2u);
    EXPECT_EQ(taken["cameras"][0]["serial_number"], "0001111");
    EXPECT_NE(taken["cameras"][0]["name"], taken["cameras"][1]["name"]);
    EXPECT_TRUE(taken["cameras"][1]["name"].get<std::string>().ends_with("2222"));
    EXPECT_EQ(taken["cameras"][1]["frames"], 2);
    EXPECT_EQ(taken["frames"], 3);
    EXPECT_EQ(taken["chart_shots"], 3);
    EXPECT_EQ(taken["lights"].size(), 1u) << "charts within eight minutes are of one light";
    EXPECT_EQ(taken["lights"][0]["from"], "2026-05-04T10:00:00");
    EXPECT_EQ(taken["taken"][0]["setup"].get<std::string>().ends_with("Light 1"), true);
    // The first body under two lights, then the first light again: no third one is made of it.
    body("d.dng", "0001111", "14:00:00", 4, "tungsten");
    body("e.dng", "0001111", "14:30:00", 5, "tungsten");
    body("f.dng", "0002222", "14:32:00", 6, "tungsten");
    const json more = run("job j.refero take d.dng e.dng f.dng --json").object();
    EXPECT_EQ(more["lights"].size(), 2u);
    EXPECT_EQ(more["taken"][1]["setup"], more["taken"][0]["setup"]);
    EXPECT_TRUE(more["taken"][2]["setup"].get<std::string>().ends_with("Light 2"));
    // Handed over at once each file has a name inside that tells it apart, by readers of others.
    ASSERT_EQ(run("job j.refero fit").status, 0);
    ASSERT_EQ(run("job j.refero keep --rendering people --intent people").status, 0);
    const json handed = run("job j.refero handover -o ho --formats icc,clf,cube,dcp --json").object();
    std::map<std::string, std::set<std::string>> names;
    std::map<std::string, int> files;
    for (const auto& written : handed["written"]) {
        const fs::path file = written.get<std::string>();
        const std::string extension = file.extension().string();
        ++files[extension];
        if (extension == ".icc") {
            const std::unique_ptr<void, int (*)(void*)> profile(cmsOpenProfileFromFile((scratch / file).c_str(), "r"),
                                                                [](void* h) { return h ? cmsCloseProfile(h) : 0; });
            ASSERT_TRUE(profile);
            std::array<char, 200> text{};
            cmsGetProfileInfoASCII(profile.get(), cmsInfoDescription, "en", "US", text.data(), text.size());
            names[extension].insert(text.data());
        } else if (extension == ".clf") {
            const auto transform = OCIO_NAMESPACE::FileTransform::Create();
            transform->setSrc((scratch / file).c_str());
            const auto processor = OCIO_NAMESPACE::Config::CreateRaw()->getProcessor(transform);
            const auto& data = processor->getFormatMetadata();
            names[extension].insert(data.getName());
            std::string described;
            for (int i = 0; i < data.getNumChildrenElements(); ++i)
                described += data.getChildElement(i).getElementValue() + std::string("\n");
            EXPECT_NE(described.find("For raw files of Stills A"), std::string::npos) << described;
            EXPECT_NE(described.find("holds until the light is changed"), std::string::npos) << described;
        } else if (extension == ".cube") {
            const std::string text = read_file(scratch / file);
            const auto at = text.find("TITLE \"") + 7;
            names[extension].insert(text.substr(at, text.find('"', at) - at));
            EXPECT_NE(text.find("# For raw files of Stills A"), std::string::npos);
        } else if (extension == ".dcp") {
            const std::string bytes = read_file(scratch / file);
            for (const std::string& name : names[".icc"].empty() ? names[".cube"] : names[".icc"])
                if (bytes.find(name + std::string(1, '\0')) != std::string::npos) names[extension].insert(name);
        }
    }
    for (const char* extension : {".icc", ".clf", ".cube"}) {
        EXPECT_EQ(files[extension], 12) << extension; // six stretches of four setups, each with a rendering
        EXPECT_EQ(names[extension].size(), 12u) << extension;
        for (const std::string& name : names[extension]) {
            EXPECT_LE(name.size(), 60u) << name;
            EXPECT_NE(name.find(", 2026-05-04"), std::string::npos) << name;
        }
    }
    EXPECT_EQ(names[".icc"], names[".cube"]);
    EXPECT_EQ(names[".dcp"], names[".icc"]);
    ASSERT_EQ(run("job j.refero handover -o one --formats cube --setup '" +
                  more["taken"][2]["setup"].get<std::string>() + "' --rendering people --name 'Herbarium sheets'")
                  .status,
              0);
    for (const auto& entry : fs::directory_iterator(scratch / "one"))
        if (entry.path().extension() == ".cube") {
            EXPECT_NE(read_file(entry.path()).find("TITLE \"Herbarium sheets\""), std::string::npos);
        }
    EXPECT_EQ(run("job j.refero fit").status, 0);
    const json out = run("job j.refero handover -o out --formats dcp --json").object();
    EXPECT_TRUE(out["failed"].empty());
    run("job j.refero rename camera '" + taken["cameras"][1]["name"].get<std::string>() + "' Second");
    EXPECT_EQ(run("job j.refero status --json").object()["setups"][1]["camera"], "Second");
}

// Exposures half a stop apart, the chart a stop under: which frames take the chart's exposure is said.
TEST_F(Cli, frames_exposed_otherwise_than_the_chart_keep_their_exposure) {
    const auto at = [&](const char* name, double stops, double exposure_s) {
        simulate(name, {.width = 900,
                        .height = 600,
                        .white = 0.4 * std::exp2(stops),
                        .more = formatted(R"(,"exposure_s":{:.6f},"f_number":8,"iso":100)", exposure_s)});
    };
    at("chart.dng", 0, 0.01);
    at("same.dng", 0, 0.0101);
    at("right.dng", 1, 0.02);
    ASSERT_EQ(run("fit chart.dng --chart grid24 -o c.json").status, 0);
    const json automatic = run("apply c.json same.dng right.dng -o auto --format png --json").object();
    EXPECT_EQ(automatic["exposures"]["same.dng"]["choice"], "chart");
    EXPECT_EQ(automatic["exposures"]["right.dng"]["choice"], "as-shot");
    EXPECT_EQ(automatic["exposures"]["right.dng"]["stops"], 0);
    const json levelled = run("apply c.json right.dng -o level --format png --exposure levelled --json").object();
    const json charts = run("apply c.json same.dng right.dng -o chart --format png --exposure chart --json").object();
    EXPECT_NEAR(charts["exposures"]["right.dng"]["stops"].get<double>() -
                    levelled["exposures"]["right.dng"]["stops"].get<double>(),
                1, 1e-6); // one stop more was let in
    EXPECT_EQ(charts["exposures"]["right.dng"]["choice"], "chart");
    expect_error("apply c.json right.dng -o x --exposure region", 2, "region");
    expect_error("apply c.json right.dng -o x --exposure bright", 2, "levelled");
}

// The name inside the file, and in a folder the file's own.
TEST_F(Cli, an_export_is_named_inside_and_outside) {
    simulate("a.dng", {.width = 900, .height = 600});
    ASSERT_EQ(run("fit a.dng --chart grid24 -o c.json").status, 0);
    fs::create_directories(scratch / "out");
    const json named = run("export c.json --format cube --name 'Reading room, noon' -o out --json").object();
    EXPECT_EQ(fs::path(named["file"].get<std::string>()).filename(), "reading-room-noon.cube");
    EXPECT_NE(read_file(scratch / "out/reading-room-noon.cube").find("Reading room, noon"), std::string::npos);
    EXPECT_EQ(run("export c.json --format cube --title Noon -o new/ --json").status, 0);
    EXPECT_TRUE(fs::exists(scratch / "new/noon.cube"));
    expect_error("export c.json --format cube --name Noon -o new", 2, "noon.cube");
    EXPECT_EQ(run("export c.json --format cube -o out --json").status, 0); // by camera and light
}

TEST_F(Cli, renderings_are_kept_and_handed_over_by_name) {
    simulate("a.dng", {.width = 900, .height = 600});
    simulate("b.dng", {.camera = "stills-b", .light = "tungsten", .width = 900, .height = 600});
    written(scratch / "pale.cc", "<ColorCorrection id=\"pale\"><SOPNode><Slope>1 1 1</Slope><Offset>0 0 0</Offset>"
                                 "<Power>1 1 1</Power></SOPNode><SatNode><Saturation>0.5</Saturation></SatNode>"
                                 "</ColorCorrection>");
    ASSERT_EQ(run("job j.refero new").status, 0);
    ASSERT_EQ(run("job j.refero take a.dng b.dng").status, 0);
    EXPECT_NE(run("job j.refero keep --rendering web").out.find("nothing to do"), std::string::npos)
        << "not fitted yet";
    ASSERT_EQ(run("job j.refero fit").status, 0);
    const std::string title = run("job j.refero status --json").object()["setups"][0]["setup"];
    EXPECT_EQ(run("job j.refero keep --rendering web --json").object()["kept"].size(), 2u);
    const Outcome pale =
        run("job j.refero keep --rendering pale --intent people --look pale.cc --setup '" + title + "' --json");
    ASSERT_EQ(pale.status, 0) << pale.err;
    EXPECT_EQ(pale.object()["kept"].size(), 1u);
    const auto cubes = [&](const char* rendering) {
        const Outcome out =
            run(std::string("job j.refero handover --formats cube -o ") + rendering + " --rendering " + rendering);
        EXPECT_EQ(out.status, 0) << out.err;
        std::vector<std::string> texts;
        for (const auto& entry : fs::directory_iterator(scratch / rendering))
            if (entry.path().extension() == ".cube") texts.push_back(read_file(entry.path()));
        return texts;
    };
    const auto web = cubes("web"), looked = cubes("pale");
    EXPECT_EQ(web.size(), 2u);
    ASSERT_EQ(looked.size(), 1u);
    EXPECT_EQ(std::count(web.begin(), web.end(), looked[0]), 0);
    // The setup's own stays; the same name is kept anew in its place; what holds no longer is fitted with the rest.
    EXPECT_EQ(run("job j.refero status --json").object()["setups"][0]["state"], "handed over");
    EXPECT_EQ(run("job j.refero keep --rendering pale --setup '" + title + "'").status, 0);
    EXPECT_EQ(run("job j.refero handover --formats cube -o all --json").object()["written"].size(), 7u);
    expect_error("job j.refero keep", 2, "--rendering");
    expect_error("job j.refero keep --rendering all", 2, "all");
    expect_error("job j.refero keep --rendering web --intent weddings", 2, "weddings");
    expect_error("job j.refero keep --rendering web --look nowhere.cube", 3, "nowhere.cube");
    expect_error("job j.refero keep --rendering web --setup Nobody", 2, "Nobody");
    expect_error("job j.refero fit --intent people", 2, "keep");
}

TEST_F(Cli, every_verb_that_looks_at_frames_takes_clips) {
    const auto chart = test::rendered({.width = 640, .height = 400});
    auto scene = chart.scene;
    scene.charts.clear();
    const auto plain = simulate::render(scene);
    simulate::write_clip({{&plain, 1}, {&chart, 2}, {&plain, 1}}, colour::Transfer::bt709, 5, scratch / "a.mov");
    const json found = run("find a.mov --chart grid24 --json").object();
    ASSERT_EQ(found["charts"].size(), 1u) << "a coarse look finds it";
    EXPECT_EQ(run("find a.mov --chart grid24 --at 0.2 --json").status, 4);
    EXPECT_EQ(run("read a.mov --chart grid24 --at 2 --json").object()["patches"].size(), 24u);
    EXPECT_EQ(run("read a.mov --chart grid24 --json").object()["patches"].size(), 24u);
    EXPECT_TRUE(run("inspect a.mov --chart grid24 --json").object().contains("verdict"));
    EXPECT_EQ(run("inspect a.mov --chart grid24 --at 0.2 --json").object()["findings"][0]["check"], "found");
    EXPECT_EQ(run("fit a.mov --chart grid24 -o c.json").status, 0);
    EXPECT_EQ(run("prove c.json a.mov").status, 0);
    EXPECT_EQ(run("curve a.mov --chart grid24 -o curve.cube --json").object()["nearest"], "bt709");
    EXPECT_EQ(run("apply c.json a.mov -o out").status, 0);
    expect_error("find a.mov --at -1", 2, "--at");
}

} // namespace
} // namespace refero
