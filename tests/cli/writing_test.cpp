// What the command line does to files: nothing is replaced unasked, nothing is half written, inputs are safe.
#include <csignal>
#include <thread>

#include <fcntl.h>
#include <unistd.h>

#include "cli/cli.hpp"

namespace refero {
namespace {

using nlohmann::json;
using test::Cli;
using test::Outcome;
using test::written;

/// Files of the scratch folder that a writer left behind.
std::vector<std::string> parts_in(const fs::path& folder) {
    std::vector<std::string> all;
    for (const auto& entry : fs::recursive_directory_iterator(folder))
        if (entry.path().filename().string().find(".part") != std::string::npos) all.push_back(entry.path().filename());
    return all;
}

struct Writing : Cli {
    void SetUp() override {
        simulate("a.dng", {});
        ASSERT_EQ(run("fit a.dng --chart grid24 --model matrix -o c.json").status, 0);
    }
    /// The verb must be refused as wrong usage, and the file stay as it is.
    void expect_safe(const std::string& arguments, const std::string& file) {
        const std::string before = sha256_of(scratch / file);
        expect_error(arguments, 2, file);
        EXPECT_EQ(sha256_of(scratch / file), before) << arguments;
        EXPECT_TRUE(parts_in(scratch.folder()).empty()) << arguments;
    }
};

TEST_F(Writing, no_verb_replaces_a_file_unasked) {
    written(scratch / "there", "mine");
    written(scratch / "there.cube", "mine");
    written(scratch / "there.dng", "mine");
    written(scratch / "there.truth.json", "mine");
    expect_safe("fit a.dng --chart grid24 -o there", "there");
    expect_safe("read a.dng --chart grid24 --cgats there", "there");
    expect_safe("simulate scene.json -o there.dng", "there.dng");
    fs::remove(scratch / "there.dng");
    expect_safe("simulate scene.json -o there.dng", "there.truth.json");
    for (const char* format : {"cube", "icc", "dcp", "matrix"})
        expect_safe(std::string("export c.json --format ") + format + " -o there", "there");
    expect_safe("curve a.dng --chart grid24 -o there.cube", "there.cube");
    fs::create_directory(scratch / "out");
    written(scratch / "out" / "a.tif", "mine");
    expect_safe("apply c.json a.dng -o out", "out/a.tif");
    EXPECT_EQ(run("fit a.dng --chart grid24 --model matrix -o there --overwrite").status, 0);
    EXPECT_TRUE(json::parse(read_file(scratch / "there")).contains("refero_correction"));
    EXPECT_EQ(run("export c.json --format cube -o there --overwrite").status, 0);
    EXPECT_EQ(run("read a.dng --chart grid24 --cgats there --overwrite").status, 0);
}

TEST_F(Writing, no_verb_writes_over_its_inputs_even_when_it_may_replace) {
    simulate("b.dng", {.seed = 2});
    expect_safe("fit --chart grid24 -o a.dng b.dng a.dng --overwrite", "a.dng");
    expect_safe("fit --chart grid24 -o ./x/../a.dng a.dng --overwrite", "a.dng");
    fs::create_symlink(scratch / "a.dng", scratch / "link.dng");
    expect_safe("fit --chart grid24 -o link.dng a.dng --overwrite", "link.dng");
    fs::create_hard_link(scratch / "a.dng", scratch / "second-name.dng");
    expect_safe("read a.dng --chart grid24 --cgats second-name.dng --overwrite", "second-name.dng");
    expect_safe("export c.json --format cube -o c.json --overwrite", "c.json");
    expect_safe("simulate scene.json -o scene.json --overwrite", "scene.json");
    // An output that is a later input.
    ASSERT_EQ(run("apply c.json a.dng -o . --name a").status, 0);
    ASSERT_EQ(run("apply c.json a.dng -o . --name a_x").status, 0);
    expect_safe("apply c.json a.tif a_x.tif -o . --name {stem}_x --overwrite", "a_x.tif");
    // Two frames of one stem from two folders.
    fs::create_directory(scratch / "other");
    fs::copy_file(scratch / "b.dng", scratch / "other" / "a.dng");
    expect_error("apply c.json a.dng other/a.dng -o out", 2, "two outputs");
    EXPECT_FALSE(fs::exists(scratch / "out"));
}

TEST_F(Writing, a_full_disk_leaves_nothing_half_written) {
    // A limit on the size of files stands for the full disk: writing fails in the middle of the file.
    const std::string tight = "ulimit -f 8;"; // blocks of 512 or 1024 bytes
    for (const std::string format : {"tiff", "exr", "png", "jpeg"}) {
        const Outcome o = run("apply c.json a.dng -o . --name out --json --format " + format, tight);
        EXPECT_EQ(o.status, 1) << format << o.err << o.out;
        ASSERT_EQ(o.object()["failed"].size(), 1u) << format << o.out;
        EXPECT_TRUE(o.object()["written"].empty());
        for (const auto& entry : fs::directory_iterator(scratch.folder()))
            EXPECT_FALSE(entry.path().stem() == "out" && entry.path() != scratch / "out.txt")
                << format << ": " << entry.path();
    }
    for (const std::string arguments :
         {"fit a.dng --chart grid24 -o out.json", "export c.json --format cube --size 65 -o out.cube",
          "simulate scene.json -o out.dng", "simulate scene.json -o out.tif", "simulate scene.json -o out.exr"}) {
        const Outcome o = run(arguments, "ulimit -f 4;");
        EXPECT_EQ(o.status, 1) << arguments << o.err;
        EXPECT_NE(o.err.find("out."), std::string::npos) << arguments << o.err;
        for (const auto& entry : fs::directory_iterator(scratch.folder()))
            EXPECT_FALSE(entry.path().filename().string().starts_with("out.") && entry.path() != scratch / "out.txt")
                << arguments << ": " << entry.path();
    }
    EXPECT_TRUE(parts_in(scratch.folder()).empty());
}

TEST_F(Writing, what_a_killed_run_leaves_goes_with_the_next_one) {
    // Interrupted: removed by itself. Killed: swept by the next run that writes there. Others' files stay.
    fs::create_directory(scratch / "out");
    const auto start_batch = [&] {
        const pid_t child = fork();
        if (child == 0) {
            const int nowhere = open("/dev/null", O_WRONLY);
            dup2(nowhere, 1);
            dup2(nowhere, 2);
            if (chdir(scratch.folder().c_str()) != 0) _exit(9);
            execl(REFERO_CLI, REFERO_CLI, "apply", "c.json", "a.dng", "-o", "out", "--format", "png", "--overwrite",
                  nullptr);
            _exit(9);
        }
        return child;
    };
    const auto stopped_in_the_middle = [&](int signal) {
        for (int attempt = 0; attempt < 40; ++attempt) {
            const pid_t child = start_batch();
            int status = 0;
            // Until the temporary file is there, or the run is over.
            while (parts_in(scratch / "out").empty() && waitpid(child, &status, WNOHANG) == 0)
                std::this_thread::sleep_for(std::chrono::microseconds(200));
            kill(child, signal);
            waitpid(child, &status, 0);
            if (WIFSIGNALED(status)) return true;
        }
        return false;
    };
    ASSERT_TRUE(stopped_in_the_middle(SIGTERM));
    EXPECT_TRUE(parts_in(scratch / "out").empty());
    bool left = false;
    for (int attempt = 0; attempt < 10 && !left; ++attempt) {
        ASSERT_TRUE(stopped_in_the_middle(SIGKILL));
        left = !parts_in(scratch / "out").empty();
    }
    const fs::path others = scratch / "out" / ".a.otherhost-1-1-0.part.png", own = scratch / "out" / "my.part.png";
    written(others, "of another machine");
    written(own, "the user's");
    ASSERT_EQ(run("apply c.json a.dng -o out --overwrite").status, 0);
    EXPECT_EQ(parts_in(scratch / "out").size(), 2u);
    EXPECT_TRUE(fs::exists(others) && fs::exists(own));
}

TEST_F(Writing, frames_that_fail_are_all_named_and_the_others_written) {
    written(scratch / "words.dng", "these are words");
    written(scratch / "more-words.tif", "these are words");
    fs::create_symlink("loop.tif", scratch / "loop.tif");
    const Outcome o = run("apply c.json words.dng a.dng more-words.tif loop.tif -o out --name {stem}_c --json");
    EXPECT_EQ(o.status, 3) << o.err;
    ASSERT_EQ(o.object()["failed"].size(), 3u) << o.out;
    for (const json& f : o.object()["failed"]) EXPECT_FALSE(f["message"].get<std::string>().empty());
    EXPECT_EQ(o.object()["written"].size(), 1u);
    EXPECT_TRUE(fs::exists(scratch / "out" / "a_c.tif"));
}

TEST_F(Writing, a_folder_is_judged_frame_by_frame_whatever_lies_in_it) {
    fs::create_directories(scratch / "shots" / "deeper.tif");
    fs::copy_file(scratch / "a.dng", scratch / "shots" / "good.dng");
    fs::create_symlink("loop.tif", scratch / "shots" / "loop.tif");
    fs::create_symlink("nowhere.dng", scratch / "shots" / "gone.dng");
    written(scratch / "shots" / "words.tif", "words");
    const Outcome o = run("inspect shots --chart grid24 --json");
    const json j = o.object();
    ASSERT_EQ(j["frames"].size(), 1u) << o.out << o.err;
    EXPECT_EQ(j["errors"].size(), 3u) << o.out;
    EXPECT_EQ(o.status, j["frames"][0]["verdict"] == "reshoot" ? 5 : 3);
}

TEST_F(Writing, metadata_goes_with_every_format) {
    // Read back by ExifTool, which shares no code with the writers.
    ASSERT_EQ(
        std::system(("exiftool -q -overwrite_original -DateTimeOriginal='2026:05:04 10:20:30' -SerialNumber=S-42 "
                     "-LensModel='50 mm f/2' -FNumber=5.6 -ExposureTime=1/125 -ISO=200 -GPSLatitude=54.5 "
                     "-GPSLatitudeRef=N -GPSLongitude=11.25 -GPSLongitudeRef=W -GPSAltitude=12 -GPSAltitudeRef=0 '" +
                     (scratch / "a.dng").string() + "'")
                        .c_str()),
        0);
    for (const std::string format : {"tiff", "png", "jpeg", "exr"}) {
        ASSERT_EQ(run("apply c.json a.dng -o . --name out --overwrite --format " + format).status, 0);
        const std::string file = "out." + std::string(format == "tiff" ? "tif" : format == "jpeg" ? "jpg" : format);
        ASSERT_EQ(
            std::system(("cd '" + scratch.folder().string() + "' && exiftool -j -n " + file + " > tags.json").c_str()),
            0);
        const json tags = json::parse(read_file(scratch / "tags.json")).at(0);
        if (format == "exr") {
            EXPECT_EQ(tags.value("DateTimeOriginal", ""), "2026:05:04 10:20:30") << tags.dump(1);
            EXPECT_EQ(tags.value("CameraSerialNumber", ""), "S-42");
            EXPECT_EQ(tags.value("LensModel", ""), "50 mm f/2");
        } else {
            EXPECT_EQ(tags.value("DateTimeOriginal", ""), "2026:05:04 10:20:30") << file << tags.dump(1);
            EXPECT_EQ(tags.value("SerialNumber", ""), "S-42") << file;
            EXPECT_EQ(tags.value("LensModel", ""), "50 mm f/2") << file;
            EXPECT_NEAR(tags.value("ExposureTime", 0.0), 1 / 125.0, 1e-6) << file;
            EXPECT_NEAR(tags.value("GPSLatitude", 0.0), 54.5, 1e-5) << file;
            EXPECT_NEAR(tags.value("GPSLongitude", 0.0), -11.25, 1e-5) << file;
            EXPECT_NEAR(tags.value("GPSAltitude", 0.0), 12, 0.01) << file;
            EXPECT_TRUE(tags.contains("ProfileDescription")) << file;
        }
        EXPECT_TRUE(tags.value("Software", "").starts_with("Refero ")) << file;
    }
}

TEST_F(Writing, damaged_corrections_are_refused_and_named) {
    const json good = json::parse(read_file(scratch / "c.json"));
    const auto refused = [&](const std::string& what, const std::function<void(json&)>& spoil) {
        json bad = good;
        spoil(bad);
        written(scratch / "bad.json", bad.dump());
        for (const std::string format : {"cube", "matrix", "icc", "dcp"}) {
            const Outcome o = run("export bad.json --format " + format + " -o out.bin");
            EXPECT_EQ(o.status, 3) << what << " " << format << ": " << o.err;
            EXPECT_NE(o.err.find("bad.json"), std::string::npos) << what << o.err;
            EXPECT_FALSE(fs::exists(scratch / "out.bin")) << what;
            fs::remove(scratch / "out.bin");
        }
    };
    refused("no patches", [](json& j) { j["patches"] = json::array(); });
    refused("null patches", [](json& j) { j["patches"] = nullptr; });
    refused("a gain of 0", [](json& j) { j["balance"]["gains"][0] = 0; });
    refused("a negative gain", [](json& j) { j["balance"]["gains"][1] = -1; });
    refused("an exposure of 0", [](json& j) { j["balance"]["exposure"] = 0; });
    refused("a huge exposure", [](json& j) { j["balance"]["exposure"] = 1e308; });
    refused("a huge coefficient", [](json& j) { j["coefficients"][0][0] = 1e308; });
    refused("a huge reading", [](json& j) { j["patches"][0]["mean"][0] = 1e308; });
    refused("a huge reference", [](json& j) { j["patches"][0]["reference_xyz"][0] = 1e308; });
    refused("a patch twice", [](json& j) { j["patches"].push_back(j["patches"][0]); });
    refused("too many patches", [](json& j) {
        for (int i = 0; i < 60000; ++i) {
            json patch = j["patches"][0];
            patch["id"] = "P" + std::to_string(i);
            j["patches"].push_back(patch);
        }
    });
    refused("no matrix", [](json& j) { j["coefficients"] = {1, 2, 3}; });
}

TEST_F(Writing, faults_of_tables_are_named_by_line_and_field) {
    ASSERT_EQ(run("read a.dng --chart grid24 --cgats r.cgats").status, 0);
    const std::string good = read_file(scratch / "r.cgats");
    // A byte order mark is no fault.
    written(scratch / "marked.cgats", "\xef\xbb\xbf" + good);
    EXPECT_EQ(run("fit --readings marked.cgats --chart grid24 --model matrix -o m.json").status, 0);
    const std::string table =
        "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID RGB_R RGB_G RGB_B\nEND_DATA_FORMAT\n"
        "NUMBER_OF_SETS 2\nBEGIN_DATA\nA1 1 2 3\n";
    written(scratch / "word.cgats", table + "A2 4 five 6\nEND_DATA\n");
    expect_error("fit --readings word.cgats --chart grid24 -o x.json", 3, "line 9, RGB_G");
    written(scratch / "huge.cgats", table + "A2 4 5e300 6\nEND_DATA\n");
    expect_error("fit --readings huge.cgats --chart grid24 -o x.json", 3, "line 9, RGB_G");
    written(scratch / "cut.cgats", table);
    expect_error("fit --readings cut.cgats --chart grid24 -o x.json", 3, "cut.cgats");
    written(scratch / "wide.cgats", "\xff\xfe" + good);
    expect_error("fit --readings wide.cgats --chart grid24 -o x.json", 3, "UTF-16");
}

TEST_F(Writing, a_chart_without_its_values_is_not_a_missing_chart) {
    written(scratch / "lone.json",
            R"({"refero_chart":1,"id":"lone","title":"L","size_mm":[60,40],"reference":"lone.cgats","patches":[
{"id":"A1","rect_mm":[0,0,18,18],"role":"neutral"},{"id":"A2","rect_mm":[20,0,18,18],"role":"other"},{"id":"A3","rect_mm":[40,0,18,18],"role":"other"},
{"id":"B1","rect_mm":[0,20,18,18],"role":"other"},{"id":"B2","rect_mm":[20,20,18,18],"role":"other"},{"id":"B3","rect_mm":[40,20,18,18],"role":"other"}]})");
    expect_error("inspect a.dng --chart lone.json", 3, "lone.cgats");
    written(scratch / "lone.cgats",
            "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y XYZ_Z\nEND_DATA_FORMAT\n"
            "NUMBER_OF_SETS 1\nBEGIN_DATA\nA1 80 83 70\nEND_DATA\n");
    expect_error("inspect a.dng --chart lone.json", 3, "A2");
    expect_error("find a.dng --chart lone.json", 3, "A2");
    expect_error("read a.dng --chart lone.json", 3, "A2");
}

TEST_F(Writing, a_raw_file_is_raw_whatever_its_name) {
    fs::copy_file(scratch / "a.dng", scratch / "raw.tif");
    const Outcome dng = run("read a.dng --chart grid24 --json"), tif = run("read raw.tif --chart grid24 --json");
    ASSERT_EQ(tif.status, 0) << tif.err;
    EXPECT_EQ(dng.object()["patches"], tif.object()["patches"]);
}

} // namespace
} // namespace refero
