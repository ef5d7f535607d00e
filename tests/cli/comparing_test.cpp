// Archives, and what is compared: cameras, modes, exposures, deliveries, displays; by real runs.
#include <OpenImageIO/imageio.h>
#include <archive.h>
#include <archive_entry.h>

#include "apply/apply.hpp"
#include "fitted.hpp"
#include "simulate/clip.hpp"

namespace refero {
namespace {

using test::json;

using Comparing = test::Fitted;

TEST_F(Comparing, a_job_is_archived_and_opened_elsewhere) {
    ASSERT_EQ(run("job shoot.refero new").status, 0);
    ASSERT_EQ(run("job shoot.refero take a.dng").status, 0);
    ASSERT_EQ(run("job shoot.refero fit").status, 0);
    ASSERT_EQ(run("job shoot.refero handover -o files --formats cube,clf,cdl,recipe,csv,ocio").status, 0);
    EXPECT_EQ(run("job shoot.refero handover -o files --formats ocio").status, 2); // the folder is there
    EXPECT_EQ(run("export a.json --format ocio --size 65 -o half", "ulimit -f 100;").status, 1);
    EXPECT_FALSE(fs::exists(scratch / "half")); // a full disk leaves nothing of it
    int notes = 0;
    for (const auto& e : fs::directory_iterator(scratch / "files"))
        if (e.path().string().ends_with("-note.txt")) {
            ++notes;
            EXPECT_NE(read_file(e.path()).find("nominal"), std::string::npos);
        }
    EXPECT_EQ(notes, 1);
    const auto report = run("job shoot.refero report -o report.html");
    EXPECT_EQ(report.status, 0) << report.err;
    EXPECT_NE(bytes("report.html").find("held out"), std::string::npos);
    const auto pdf = run("job shoot.refero report -o report.pdf");
    ASSERT_EQ(pdf.status, 0) << pdf.err;
    EXPECT_EQ(std::system(("cd '" + scratch.folder().string() + "' && pdftotext report.pdf report.txt").c_str()), 0);
    EXPECT_NE(bytes("report.txt").find("Patch"), std::string::npos);
    ASSERT_EQ(run("job shoot.refero apply -o frames").status, 0);
    EXPECT_TRUE(fs::exists(scratch / "frames" / "a.tif"));
    ASSERT_EQ(run("job shoot.refero archive -o shoot.zip").status, 0);
    EXPECT_EQ(std::system(("unzip -tq '" + (scratch / "shoot.zip").string() + "' > /dev/null").c_str()), 0);
    EXPECT_EQ(run("job shoot.refero archive -o shoot.zip").status, 2);
    const auto opened = run("unpack shoot.zip -o there --json");
    ASSERT_EQ(opened.status, 0) << opened.err;
    fs::remove(scratch / "a.dng"); // the archive has its own
    const json status = run("job there/shoot.refero status --json").object();
    EXPECT_EQ(status["setups"].size(), 1u);
    EXPECT_EQ(run("job there/shoot.refero apply -o there/again").status, 0);
    bool configured = false; // a handover of several files came along whole
    for (const auto& e : fs::recursive_directory_iterator(scratch / "there" / "handovers"))
        configured = configured || e.path().filename() == "config.ocio";
    EXPECT_TRUE(configured);
    EXPECT_EQ(run("unpack shoot.zip -o there").status, 2); // nothing is replaced
}

TEST_F(Comparing, archives_that_are_none_or_would_harm_are_refused) {
    test::written(scratch / "text.zip", "no zip");
    expect_error("unpack text.zip -o t1", 3, "text.zip");
    expect_error("unpack none.zip -o t2", 3, "none.zip");
    const std::string make = "cd '" + scratch.folder().string() + "' && mkdir -p e/job && echo x > e/job/a && ";
    // A path that leaves the folder, a link, a strange tree.
    ::archive* up = archive_write_new();
    archive_write_set_format_zip(up);
    ASSERT_EQ(archive_write_open_filename(up, (scratch / "up.zip").c_str()), ARCHIVE_OK);
    archive_entry* entry = archive_entry_new();
    archive_entry_set_pathname(entry, "job/../../evil");
    archive_entry_set_size(entry, 1);
    archive_entry_set_filetype(entry, AE_IFREG);
    archive_entry_set_perm(entry, 0644);
    archive_write_header(up, entry);
    archive_write_data(up, "x", 1);
    archive_entry_free(entry);
    archive_write_free(up);
    expect_error("unpack up.zip -o t3", 3, "up.zip");
    EXPECT_FALSE(fs::exists(scratch / "evil"));
    ASSERT_EQ(std::system((make + "ln -sf /etc/passwd e/job/link && cd e && zip -qy ../link.zip job/link").c_str()), 0);
    expect_error("unpack link.zip -o t4", 3, "link.zip");
    ASSERT_EQ(
        std::system((make + "head -c 300000000 /dev/zero > e/job/bomb && cd e && zip -q ../bomb.zip job/bomb").c_str()),
        0);
    expect_error("unpack bomb.zip -o t5", 3, "bomb.zip");
    for (const char* folder : {"t1", "t3", "t4", "t5"}) {
        std::error_code ec;
        EXPECT_TRUE(!fs::exists(scratch / folder, ec) || fs::is_empty(scratch / folder, ec)) << folder;
    }
}

TEST_F(Comparing, cameras_are_matched_and_the_match_is_a_correction) {
    simulate("b.dng", {.camera = "cine-b", .width = 600, .height = 400});
    const auto o = run("match --lead a.dng --lead-correction a.json --other b.dng -o m.json --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const json j = o.object();
    EXPECT_LT(j["cross_validated"]["mean"].get<double>(), 1);
    EXPECT_LT(j["cross_validated"]["mean"].get<double>(), j["before"]["mean"].get<double>());
    EXPECT_FALSE(j["candidates"].empty());
    EXPECT_NEAR(j["unseen"]["mean"].get<double>(), 1.35 * j["cross_validated"]["mean"].get<double>(), 1e-9);
    EXPECT_EQ(j["recipe"]["six_hues"].size(), 6u);
    for (const char* way : {"direct", "reference"})
        EXPECT_EQ(run(std::string("match --lead a.dng --lead-correction a.json --other b.dng -o m.json --overwrite "
                                  "--json --way ") +
                      way)
                      .object()["way"],
                  way);
    // Fitted to published values: every handover says so.
    EXPECT_NE(
        run("export a.json --format cube -o n.cube --json").object()["message"].get<std::string>().find("nominal"),
        std::string::npos);
    EXPECT_EQ(run("apply m.json b.dng -o o").status, 0);
    EXPECT_EQ(run("export m.json --format cube -o m.cube").status, 0);
    EXPECT_EQ(run("prove m.json b.dng").status, 0);
    // A finished picture is its own rendering; a raw file has none.
    ASSERT_EQ(run("apply a.json a.dng -o lead --format jpeg").status, 0);
    const json picture = run("match --lead lead/a.jpg --other b.dng -o p.json --json").object();
    EXPECT_LT(picture["cross_validated"]["mean"].get<double>(), 2.5) << picture.dump(1);
    expect_error("match --lead a.dng --other b.dng -o q.json", 2, "Give the lead's correction");
    expect_error("match --lead a.dng --lead-correction a.json --other b.dng -o a.json", 2, "a.json");
}

// ACEScct (AMPAS S-2016-001) puts the light at which the sensor ends, 1, at code 0.5548: far below the last code.
TEST_F(Comparing, a_log_clip_that_ends_below_its_last_code_is_told_as_clipped) {
    for (const auto& [name, white] :
         {std::pair("under.mov", 0.2), {"key.mov", 0.7}, {"over.mov", 1.6}, {"far.mov", 2.4}}) {
        const auto shot = simulate::render(simulate::parse_scene(
            test::scene_text({.width = 640, .height = 360, .white = white, .chart_width = 0.6, .rotation_deg = 0}),
            "s"));
        simulate::write_clip({{&shot, 1}}, colour::Transfer::acescct, 5, scratch / name);
    }
    const json s =
        run("series under.mov key.mov over.mov far.mov --key key.mov --chart grid24 --encoding acescct --json")
            .object();
    ASSERT_TRUE(s["clip_code"].is_number()) << s.dump(1);
    EXPECT_NEAR(s["clip_code"].get<double>(), 0.5548, 0.004);
    EXPECT_NEAR(s["frames"][0]["stops"].get<double>(), std::log2(0.2 / 0.7), 0.03);
    EXPECT_FALSE(s["frames"][2]["clipped"].empty());
    const auto clipping = [&](const std::string& more) {
        const json all = run("inspect over.mov --encoding acescct --chart grid24 --json" + more).object();
        for (const json& f : all["findings"])
            if (f["check"] == "clipping") return f["status"].get<std::string>();
        return std::string();
    };
    EXPECT_EQ(clipping(""), "pass") << "nothing in the file tells where the mode ends";
    EXPECT_NE(clipping(formatted(" --clip-code {}", s["clip_code"].get<double>())), "pass");
}

TEST_F(Comparing, exposures_modes_and_deliveries_are_compared) {
    simulate("under.dng", {.width = 600, .height = 400, .white = 0.2});
    simulate("over.dng", {.width = 600, .height = 400, .white = 1.6});
    const json s = run("series under.dng a.dng over.dng --chart grid24 --json").object();
    EXPECT_EQ(s["key"], "a.dng");
    EXPECT_TRUE(s["clip_code"].is_null()) << "raw files end where they say";
    EXPECT_NEAR(s["frames"][0]["stops"].get<double>(), -2, 0.02);
    EXPECT_NEAR(s["frames"][2]["stops"].get<double>(), 1, 0.02);
    EXPECT_FALSE(s["frames"][2]["usable"].get<bool>());
    EXPECT_FALSE(s["frames"][2]["clipped"].empty());
    EXPECT_NEAR(s["usable_stops"][0].get<double>(), -2, 0.02);
    EXPECT_LT(s["frames"][0]["snr_db"].get<double>(), s["frames"][1]["snr_db"].get<double>());
    simulate("b.dng", {.camera = "cine-b", .width = 600, .height = 400});
    const json c = run("compare a.dng b.dng --chart grid24 --json").object();
    // A look that changes nothing shows each camera's own channels; one that swaps red and blue is told from it.
    const auto cube = [&](const char* name, bool swapped) {
        std::string text = "LUT_3D_SIZE 2\n";
        for (int b = 0; b < 2; ++b)
            for (int g = 0; g < 2; ++g)
                for (int r = 0; r < 2; ++r)
                    text += swapped ? formatted("{} {} {}\n", b, g, r) : formatted("{} {} {}\n", r, g, b);
        test::written(scratch / name, text);
    };
    cube("same.cube", false);
    cube("swapped.cube", true);
    const json kept = run("compare a.dng b.dng --chart grid24 --look same.cube --json").object(),
               swapped = run("compare a.dng b.dng --chart grid24 --look swapped.cube --json").object();
    for (std::size_t i = 0; i < 2; ++i) {
        const json &one = kept["modes"][i]["look"], &other = swapped["modes"][i]["look"];
        EXPECT_EQ(one["input_encoding"], "srgb");
        EXPECT_EQ(one["balanced"], true);
        EXPECT_GT(one["delta_e_2000"]["mean"], kept["modes"][i]["delta_e_2000"]["mean"]);
        EXPECT_GT(other["delta_e_2000"]["mean"], 2 * one["delta_e_2000"]["mean"].get<double>());
    }
    expect_error("compare a.dng b.dng --chart grid24 --look a.dng", 3, "a.dng");
    ASSERT_EQ(c["modes"].size(), 2u);
    EXPECT_NEAR(c["modes"][0]["kelvin"].get<double>(), 6800, 300); // the simulated window
    EXPECT_GT(c["modes"][0]["skin"]["chroma"].get<double>(), 10);
    ASSERT_EQ(run("apply a.json a.dng -o m").status, 0);
    ASSERT_EQ(run("apply a.json a.dng -o d --format jpeg").status, 0);
    const json same = run("verify m/a.tif d/a.jpg --json").object();
    EXPECT_LT(same["delta_e_2000"]["median"].get<double>(), 0.7);
    // Another space without its profile: colours change, and the words say so.
    ASSERT_EQ(run("apply a.json a.dng -o p --space display-p3 --format png").status, 0);
    const auto in = OIIO::ImageInput::open(scratch / "p" / "a.png");
    OIIO::ImageSpec bare(in->spec().width, in->spec().height, 3, OIIO::TypeDesc::UINT8);
    std::vector<std::uint8_t> codes(static_cast<std::size_t>(bare.width) * bare.height * 3);
    in->read_image(0, 0, 0, 3, OIIO::TypeDesc::UINT8, codes.data());
    const auto out = OIIO::ImageOutput::create((scratch / "bare.png").string());
    out->open((scratch / "bare.png").string(), bare);
    out->write_image(OIIO::TypeDesc::UINT8, codes.data());
    out->close();
    const json other = run("verify m/a.tif bare.png --json").object();
    EXPECT_GT(other["delta_e_2000"]["mean"].get<double>(), 1.5);
    EXPECT_NE(other["words"].get<std::string>().find("less saturated"), std::string::npos) << other["words"];
    expect_error("verify m/a.tif a.dng", 3, "a raw file is no picture yet");
}

// A display that is sRGB itself (IEC 61966-2-1), a wide one, and a tired one: by hand.
TEST_F(Comparing, displays_are_told_apart) {
    const auto measured = [&](const char* name, const std::string& space, double gamma, double white, double black,
                              double red_gain) {
        const colour::RgbSpace& s = colour::rgb_space(space);
        std::string text = "R,G,B,X,Y,Z\n";
        const auto add = [&](double r, double g, double b) {
            colour::Vec3 light(std::pow(r, gamma) * red_gain, std::pow(g, gamma), std::pow(b, gamma));
            const colour::Vec3 xyz = white * (s.to_xyz() * light) + black * s.to_xyz() * colour::Vec3::Ones();
            text += formatted("{},{},{},{:.5f},{:.5f},{:.5f}\n", r, g, b, xyz[0], xyz[1], xyz[2]);
        };
        for (int i = 0; i <= 10; ++i) add(i / 10.0, i / 10.0, i / 10.0);
        for (int i = 1; i <= 5; ++i) {
            add(i / 5.0, 0, 0);
            add(0, i / 5.0, 0);
            add(0, 0, i / 5.0);
            add(i / 5.0, i / 5.0, 0);
        }
        test::written(scratch / name, text);
    };
    measured("good.csv", "srgb", 2.2, 120, 0.1, 1);
    const json good = run("monitor --measured good.csv -o good.icc --json").object();
    EXPECT_EQ(good["verdict"], "pass") << good.dump(1);
    EXPECT_NEAR(good["luminance"].get<double>(), 120.1, 0.2);
    EXPECT_NEAR(good["contrast"].get<double>(), 1201, 5);
    EXPECT_NEAR(good["gamma"].get<double>(), 2.2, 0.01);
    EXPECT_NEAR(good["white"]["kelvin"].get<double>(), 6504, 15);
    EXPECT_NEAR(good["coverage"]["srgb"].get<double>(), 1, 0.01);
    EXPECT_LT(good["coverage"]["bt2020"].get<double>(), 0.7);
    EXPECT_TRUE(fs::exists(scratch / "good.icc"));
    EXPECT_EQ(good["table_pays"], false);
    ASSERT_EQ(run("monitor --measured good.csv -o table.icc --profile table").status, 0);
    EXPECT_GT(fs::file_size(scratch / "table.icc"), 10 * fs::file_size(scratch / "good.icc"));
    expect_error("monitor --measured good.csv -o table.icc", 2, "table.icc");
    expect_error("monitor --measured good.csv --profile poster", 2, "poster");
    measured("wide.csv", "display-p3", 2.2, 120, 0.05, 1);
    const json wide = run("monitor --measured wide.csv --target display-p3 --json").object();
    EXPECT_EQ(wide["verdict"], "pass") << wide.dump(1);
    EXPECT_GT(wide["coverage"]["display-p3"].get<double>(), 0.98);
    measured("tired.csv", "srgb", 1.8, 60, 0.8, 0.75);
    const json tired = run("monitor --measured tired.csv --json").object();
    EXPECT_EQ(tired["verdict"], "fail") << tired.dump(1);
    EXPECT_NE(tired["advice"].get<std::string>().find("white"), std::string::npos);
    test::written(scratch / "few.csv", "R,G,B,X,Y,Z\n1,1,1,90,100,100\n");
    expect_error("monitor --measured few.csv", 3, "few.csv");
    expect_error("monitor --measured good.csv --target mars", 2, "mars");
}

} // namespace
} // namespace refero
