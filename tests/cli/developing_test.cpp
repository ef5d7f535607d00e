// Frames developed: batches, clips, recordings, plates, DNG copies, chunks for a job queue; by real runs.
#include <OpenColorIO/OpenColorIO.h>
#include <OpenImageIO/imageio.h>

#include "apply/apply.hpp"
#include "fitted.hpp"
#include "simulate/clip.hpp"

namespace refero {
namespace {

using test::json;

using Developing = test::Fitted;

TEST_F(Developing, a_folder_goes_through_and_what_fails_does_not_stop_it) {
    fs::create_directories(scratch / "in");
    for (const char* name : {"x.dng", "y.dng", "z.dng"}) fs::copy_file(scratch / "a.dng", scratch / "in" / name);
    test::written(scratch / "in" / "broken.dng", "no frame");
    const auto o = run("apply a.json in -o out --jobs 2 --json");
    EXPECT_EQ(o.status, 3) << o.err;
    const json j = o.object();
    EXPECT_EQ(j["written"].size(), 3u);
    ASSERT_EQ(j["failed"].size(), 1u);
    EXPECT_EQ(j["failed"][0]["file"], "in/broken.dng");
    EXPECT_EQ(j["written"][0], "out/x.tif"); // in the order that was asked for
    for (const char* name : {"x.tif", "y.tif", "z.tif"})
        EXPECT_EQ(bytes(std::string("out/") + name).size(), bytes("out/x.tif").size());
    EXPECT_EQ(run("apply a.json in -o out").status, 2); // nothing is replaced unasked
    // Resume: what is finished stays, what is gone or was made otherwise is made.
    const auto before = fs::last_write_time(scratch / "out" / "y.tif");
    fs::remove(scratch / "out" / "x.tif");
    const json again = run("apply a.json in/x.dng in/y.dng in/z.dng -o out --resume --json").object();
    EXPECT_EQ(again["written"], json({"out/x.tif"}));
    EXPECT_EQ(again["left_out"].size(), 2u);
    EXPECT_EQ(fs::last_write_time(scratch / "out" / "y.tif"), before);
    // Developed again it is the same file, whenever that is.
    const std::string first = bytes("out/x.tif");
    EXPECT_EQ(run("apply a.json in/x.dng -o later").status, 0);
    EXPECT_TRUE(bytes("later/x.tif") == first);
    EXPECT_EQ(run("apply a.json in/y.dng -o out --resume --space display-p3").status, 2);
    EXPECT_EQ(
        run("apply a.json in/y.dng -o out --resume --space display-p3 --overwrite --json").object()["written"].size(),
        1u);
    EXPECT_EQ(run("apply a.json in/x.dng in/x.dng -o twice").status, 2);
    EXPECT_EQ(run("apply a.json in/x.dng -o t --depth half").status, 2);
    EXPECT_EQ(run("apply a.json in/x.dng -o t --gamut bend").status, 2);
    EXPECT_EQ(run("apply a.json in/x.dng -o t --parts soul").status, 2);
}

TEST_F(Developing, a_look_goes_on_and_comes_off) {
    test::written(scratch / "pale.cc",
                  "<ColorCorrection id=\"p\"><SOPNode><Slope>1 1 1</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power>"
                  "</SOPNode><SatNode><Saturation>0</Saturation></SatNode></ColorCorrection>");
    EXPECT_EQ(run("apply a.json a.dng -o plain").status, 0);
    EXPECT_EQ(run("apply a.json a.dng -o grey --look pale.cc").status, 0);
    EXPECT_TRUE(bytes("grey/a.tif") != bytes("plain/a.tif"));
    const auto pixels = [&](const std::string& name) {
        return frame::read(scratch / name, {frame::Size::full, {}}).rgb;
    };
    const std::vector<float> grey = pixels("grey/a.tif");
    float coloured = 0;
    for (std::size_t k = 0; k < grey.size(); k += 3) coloured = std::max(coloured, std::abs(grey[k] - grey[k + 2]));
    ASSERT_FALSE(grey.empty());
    EXPECT_LT(coloured, 1e-3);
    // Kept with the correction, left out by its part, and taken off.
    EXPECT_EQ(run("fit a.dng --look pale.cc -o l.json").status, 0);
    EXPECT_EQ(run("apply l.json a.dng -o kept --format png").status, 0);
    EXPECT_EQ(run("apply l.json a.dng -o off --format png --look none").status, 0);
    EXPECT_EQ(run("apply l.json a.dng -o parts --format png --parts balance,exposure,colour,finish").status, 0);
    EXPECT_EQ(pixels("off/a.png"), pixels("parts/a.png"));
    EXPECT_NE(pixels("kept/a.png"), pixels("off/a.png"));
    // One that was finished by another look is made again, and nothing is replaced unasked.
    EXPECT_EQ(run("apply l.json a.dng -o kept --format png --resume --json").object()["left_out"].size(), 1u);
    EXPECT_EQ(run("apply l.json a.dng -o kept --format png --resume --look none").status, 2);
    expect_error("export l.json --format cube --look pale.cc -o pale.cc --overwrite", 2, "pale.cc");
    expect_error("apply a.json a.dng -o t --look gone.cube", 3, "gone.cube");
    expect_error("export a.json --format look -o t.cube", 2, "no look");
    EXPECT_EQ(run("export l.json --format look -o t.cube").status, 0);
}

TEST_F(Developing, depths_spaces_names_and_parts) {
    ASSERT_EQ(run("apply a.json a.dng -o o --depth 8 --name '{camera}-{date}-{rendering}-{space}-{counter}'").status,
              0);
    EXPECT_TRUE(fs::exists(scratch / "o" / "Simulated Stills A-2026-05-04-even-srgb-0001.tif"));
    const auto eight = OIIO::ImageInput::open(scratch / "o" / "Simulated Stills A-2026-05-04-even-srgb-0001.tif");
    ASSERT_TRUE(eight);
    EXPECT_EQ(eight->spec().format, OIIO::TypeDesc::UINT8);
    ASSERT_EQ(run("apply a.json a.dng -o o --format exr --depth float --space acescg").status, 0);
    const auto deep = OIIO::ImageInput::open(scratch / "o" / "a.exr");
    ASSERT_TRUE(deep);
    EXPECT_EQ(deep->spec().format, OIIO::TypeDesc::FLOAT);
    EXPECT_FALSE(deep->spec().find_attribute("whiteLuminance")); // only where it is told
    ASSERT_EQ(run("apply a.json a.dng -o o --format exr --name lit --white-luminance 203").status, 0);
    const auto lit = OIIO::ImageInput::open(scratch / "o" / "lit.exr");
    ASSERT_TRUE(lit);
    EXPECT_EQ(lit->spec().get_float_attribute("whiteLuminance"), 203);
    EXPECT_EQ(run("apply a.json a.dng -o o --name lit --white-luminance 203").status, 2);
    // Scene-linear seen through the display's curve is the display-referred picture, to one 8-bit code.
    ASSERT_EQ(run("apply a.json a.dng -o o --space srgb --name tif").status, 0);
    ASSERT_EQ(run("apply a.json a.dng -o o --format exr --space linear-bt709 --name exr").status, 0);
    const frame::Frame exr = frame::read(scratch / "o" / "exr.exr");
    const auto tif = OIIO::ImageInput::open(scratch / "o" / "tif.tif");
    std::vector<std::uint16_t> codes(exr.rgb.size());
    ASSERT_TRUE(tif->read_image(0, 0, 0, 3, OIIO::TypeDesc::UINT16, codes.data()));
    double worst = 0;
    for (std::size_t i = 0; i < codes.size(); ++i) {
        const double light = std::clamp(static_cast<double>(exr.rgb[i]), 0.0, 1.0);
        worst = std::max(worst, std::abs(255 * colour::encode(colour::Transfer::srgb, light) - codes[i] / 257.0));
    }
    EXPECT_LT(worst, 1);
    // Parts: without exposure and finish the picture is darker or lighter by the exposure alone.
    ASSERT_EQ(run("apply a.json a.dng -o o --format exr --space xyz-d50 --name whole").status, 0);
    ASSERT_EQ(run("apply a.json a.dng -o o --format exr --space xyz-d50 --parts balance,colour --name parts").status,
              0);
    const frame::Frame whole = frame::read(scratch / "o" / "whole.exr"),
                       part = frame::read(scratch / "o" / "parts.exr");
    const double exposure = fit::load(scratch / "a.json").balance.exposure;
    const std::size_t at = (200u * 600u + 300u) * 3u + 1u;
    EXPECT_NEAR(whole.rgb[at] / part.rgb[at], exposure, 0.01 * exposure);
    for (const char* space : {"bt2020", "romm"})
        EXPECT_EQ(run(std::string("apply a.json a.dng -o o --name x") + space + " --space " + space).status, 0)
            << space;
}

// What people wrote about a picture goes with it: ExifTool, which is not ours, writes and reads it.
TEST_F(Developing, what_people_wrote_goes_along) {
    fs::copy_file(scratch / "a.dng", scratch / "told.dng");
    const auto shell = [&](const std::string& command) {
        return std::system(("cd '" + scratch.folder().string() + "' && " + command).c_str());
    };
    ASSERT_EQ(shell("exiftool -q -overwrite_original -XMP:Rating=4 -XMP-dc:Title='Red weed' -IFD0:Copyright=Museum "
                    "told.dng"),
              0);
    for (const char* format : {"tiff", "jpeg", "png"}) {
        ASSERT_EQ(run(std::string("apply a.json told.dng -o told --format ") + format).status, 0);
        const std::string file = std::string("told/told") + (*format == 't'   ? ".tif"
                                                             : *format == 'j' ? ".jpg"
                                                                              : ".png");
        ASSERT_EQ(shell("exiftool -j -n " + file + " > tags.json"), 0);
        const json tags = json::parse(bytes("tags.json")).at(0);
        EXPECT_EQ(tags.value("Rating", 0), 4) << file;
        EXPECT_EQ(tags.value("Title", ""), "Red weed") << file;
        EXPECT_EQ(tags.value("Rights", ""), "Museum") << file;
        EXPECT_EQ(tags.value("LensModel", ""), "Lens 50 mm") << file;
        EXPECT_EQ(tags.value("ImageUniqueID", "").size(), 32u) << file;
        EXPECT_TRUE(tags.contains("ProfileDescription")) << file;
        EXPECT_FALSE(run("apply a.json told.dng -o told --resume --json --format " + std::string(format))
                         .object()["left_out"]
                         .empty())
            << file;
    }
}

// A balance in copies of DNG files: ExifTool and LibRaw, which are not ours, read it; the raw data stay.
TEST_F(Developing, dng_copies_bear_the_balance_and_keep_their_pixels) {
    const fit::Correction c = fit::load(scratch / "a.json");
    simulate("big.dng", {.width = 600, .height = 400, .more = R"(,"dng":{"big_endian":true,"orientation":6})"});
    // A third one notes its balance as a chromaticity, which excludes the other note: two rationals under another tag.
    std::string white_xy = bytes("a.dng");
    const std::string neutral("\x28\xc6\x05\x00\x03\x00\x00\x00", 8);
    const auto at = white_xy.find(neutral);
    ASSERT_NE(at, std::string::npos);
    white_xy.replace(at, 8, std::string("\x29\xc6\x05\x00\x02\x00\x00\x00", 8));
    test::written(scratch / "xy.dng", white_xy);
    const auto tags = [&](const std::string& file) {
        EXPECT_EQ(
            std::system(
                ("cd '" + scratch.folder().string() + "' && exiftool -m -j -n -G1 " + file + " > tags.json").c_str()),
            0);
        return json::parse(bytes("tags.json")).at(0);
    };
    const colour::Vec3 expected = c.balance.gains.cwiseInverse() / c.balance.gains.cwiseInverse().maxCoeff();
    for (const std::string name : {"a", "big", "xy"}) {
        SCOPED_TRACE(name);
        for (const std::string parts : {"balance", "balance,colour"}) {
            const std::string folder = parts == "balance" ? "plain/" : "profiled/";
            const auto o = run("apply a.json " + name + ".dng -o " + folder + " --format dng --json --parts " + parts);
            ASSERT_EQ(o.status, 0) << o.err;
            const frame::Frame before = frame::read(scratch / (name + ".dng")),
                               after = frame::read(scratch / folder / (name + ".dng"));
            EXPECT_TRUE(before.rgb == after.rgb);
            ASSERT_TRUE(after.as_shot);
            EXPECT_LT((*after.as_shot - c.balance.gains / c.balance.gains[1]).cwiseAbs().maxCoeff(), 1e-4);
            // Nothing moved: but for the balance and the place of the first directory all is where it was.
            const std::string was = bytes(name + ".dng"), is = bytes(folder + name + ".dng");
            int changed = 0;
            for (std::size_t i = 0; i < was.size(); ++i) changed += was[i] != is[i];
            EXPECT_LE(changed, 24 + 4);
            const json t = tags(folder + name + ".dng");
            std::istringstream values(t.at("IFD0:AsShotNeutral").get<std::string>());
            for (Eigen::Index i = 0; i < 3; ++i) {
                double v = 0;
                values >> v;
                EXPECT_NEAR(v, expected[i], 2e-6);
            }
            EXPECT_FALSE(t.contains("IFD0:AsShotWhiteXY"));
            EXPECT_FALSE(t.contains("ExifTool:Warning")) << t["ExifTool:Warning"];
            EXPECT_EQ(t.contains("IFD0:AsShotProfileName"), parts != "balance");
            if (parts != "balance") {
                EXPECT_EQ(t.at("ProfileIFD:UniqueCameraModel"), t.at("IFD0:UniqueCameraModel"));
                EXPECT_EQ(t.at("ProfileIFD:ProfileName"), t.at("IFD0:AsShotProfileName"));
            }
        }
    }
    EXPECT_EQ(run("apply a.json a.dng -o plain --format dng --parts balance --resume --json").object()["left_out"],
              json({"plain/a.dng"}));
    EXPECT_EQ(run("apply a.json a.dng -o plain --format dng --parts balance").status, 2);
    expect_error("apply a.json a.dng -o none --format dng --parts exposure", 2, "balance and colour");
    EXPECT_FALSE(fs::exists(scratch / "none/a.dng")) << "a copy that says nothing new is none";
    // What Refero made is no frame of a camera: it does not come back from a watched or a named folder.
    EXPECT_TRUE(frame::is_own_work(scratch / "plain" / "a.dng"));
    EXPECT_FALSE(frame::is_own_work(scratch / "a.dng"));
    EXPECT_EQ(run("apply a.json plain -o again").status, 2);
    ASSERT_EQ(run("apply a.json a.dng -o t").status, 0);
    const auto o = run("apply a.json t/a.tif -o none --format dng --json");
    EXPECT_EQ(o.status, 3);
    EXPECT_NE(o.err.find("no DNG"), std::string::npos) << o.err;
    // The TIFF for large files says so by 43 (DNG specification 1.7.1).
    std::string large = bytes("a.dng");
    large.replace(2, 2, std::string(large[0] == 'M' ? "\0\x2b" : "\x2b\0", 2));
    test::written(scratch / "large.dng", large);
    EXPECT_NE(run("apply a.json large.dng -o none --format dng").err.find("BigTIFF"), std::string::npos);
    // Cut within its directory, and a directory that begins beyond the end.
    test::written(scratch / "cut.dng", bytes("a.dng").substr(0, 60));
    std::string lost = bytes("a.dng");
    lost.replace(4, 4, "\x7f\x7f\x7f\x7f");
    test::written(scratch / "lost.dng", lost);
    for (const char* broken : {"cut.dng", "lost.dng"}) {
        EXPECT_EQ(run(std::string("apply a.json ") + broken + " -o plain --format dng").status, 3) << broken;
        EXPECT_FALSE(fs::exists(scratch / "plain" / broken)) << broken;
    }
}

TEST_F(Developing, clips_give_a_still_or_numbered_files) {
    test::written(scratch / "scene.json", test::scene_text({.width = 320, .height = 240}));
    const auto r = simulate::render(simulate::load_scene(scratch / "scene.json"));
    simulate::write_clip({{&r, 1.0}}, colour::Transfer::bt709, 5, scratch / "c.mkv");
    ASSERT_EQ(run("fit c.mkv --chart grid24 -o c.json").status, 0);
    EXPECT_EQ(fit::load(scratch / "c.json").encoding, "bt709"); // so its LUTs expect it, and give BT.709
    ASSERT_EQ(run("export c.json --format cube -o c.cube").status, 0);
    EXPECT_NE(bytes("c.cube").find("encoding bt709. Out: bt709"), std::string::npos);
    const json one = run("apply c.json c.mkv -o one --at 0.4 --json").object();
    EXPECT_EQ(one["written"], json({"one/c.tif"}));
    const json some = run("apply c.json c.mkv -o some --from 0.2 --to 0.6 --json").object();
    EXPECT_EQ(some["written"], json({"some/c_0001.tif", "some/c_0002.tif", "some/c_0003.tif"})) << some.dump();
    EXPECT_EQ(run("apply c.json c.mkv -o x --to 0.6").status, 2);
    const auto balanced = run("balance c.mkv --chart grid24 -o bc.json --json");
    EXPECT_EQ(balanced.status, 0) << balanced.err;
    EXPECT_TRUE(balanced.object()["kelvin"].is_null()); // a clip tells no matrix
    // Encodings once for all, or once for each.
    EXPECT_EQ(run("compare c.mkv c.mkv --chart grid24 --encoding bt709 --encoding srgb").status, 0);
    EXPECT_EQ(run("series c.mkv c.mkv c.mkv --chart grid24 --encoding bt709 --encoding srgb").status, 2);
    // A 1D LUT of its own as what goes in.
    ASSERT_EQ(run("export c.json --format curve -o in.cube").status, 0);
    EXPECT_EQ(run("export c.json --format clf --input-encoding in.cube -o own.clf").status, 0);
    expect_error("export c.json --format clf --input-encoding none -o z.clf", 2, "none");
}

TEST_F(Developing, numbered_pictures_are_worked_on_as_one_recording) {
    simulate("one.exr", {.camera = "cine-a", .width = 600, .height = 400, .rotation_deg = 3, .tilt_deg = 2});
    fs::create_directory(scratch / "card");
    for (int n = 1; n <= 14; ++n) fs::copy_file(scratch / "one.exr", scratch / formatted("card/take.{:04}.exr", n));
    ASSERT_EQ(run("fit card/take.####.exr --chart grid24 -o s.json").status, 0);
    EXPECT_EQ(run("find card/take.####.exr --json").object()["charts"].size(), 1u);
    const json all = run("apply s.json card/take.####.exr -o all --format exr --json").object();
    ASSERT_EQ(all["written"].size(), 14u) << all.dump();
    EXPECT_EQ(all["written"][13], "all/take.0014.exr"); // by their own numbers
    EXPECT_EQ(run("apply s.json card/take.####.exr -o some --from 0.1 --to 0.2 --json").object()["written"].size(), 3u);
    EXPECT_EQ(run("apply s.json card/take.####.exr -o card --format exr --overwrite").status, 2); // onto itself
    // One row of a job, archived with its pictures and opened elsewhere.
    ASSERT_EQ(run("job seq.refero new").status, 0);
    const json taken = run("job seq.refero take card --json").object();
    ASSERT_EQ(taken["taken"].size(), 1u) << taken.dump();
    EXPECT_TRUE(taken["taken"][0]["chart"].get<bool>()) << taken.dump();
    EXPECT_EQ(run("job seq.refero take card --json").object()["taken"][0]["known"], true);
    ASSERT_EQ(run("job seq.refero fit").status, 0);
    ASSERT_EQ(run("job seq.refero archive -o seq.zip").status, 0);
    ASSERT_EQ(run("unpack seq.zip -o elsewhere").status, 0);
    fs::remove_all(scratch / "card");
    EXPECT_EQ(run("job elsewhere/seq.refero fit").status, 0);
    EXPECT_EQ(run("job elsewhere/seq.refero apply -o here --json").object()["written"].size(), 1u);
    expect_error("read card/take.####.exr --chart grid24", 3, "take.####.exr");
}

// The curve is applied by OpenColorIO itself, the pictures are read by OpenImageIO.
TEST_F(Developing, plates_are_neutral_and_their_curve_gives_the_picture) {
    simulate("b.dng", {.width = 600, .height = 400, .rotation_deg = 40, .seed = 3});
    test::written(scratch / "warm.cc",
                  "<ColorCorrection id=\"w\"><SOPNode><Slope>1.1 1 0.9</Slope><Offset>0.01 0 0</Offset>"
                  "<Power>1 1 1.1</Power></SOPNode><SatNode><Saturation>0.9</Saturation></SatNode></ColorCorrection>");
    ASSERT_EQ(run("fit a.dng --warmer 12 -o f.json").status, 0);
    const auto codes_of = [&](const std::string& name) {
        const auto in = OIIO::ImageInput::open((scratch / name).string());
        if (!in) throw Error(ErrorKind::input, OIIO::geterror(), scratch / name);
        std::vector<float> codes(static_cast<std::size_t>(in->spec().width) * in->spec().height * 3);
        EXPECT_TRUE(in->read_image(0, 0, 0, 3, OIIO::TypeDesc::FLOAT, codes.data())) << name;
        return codes;
    };
    test::written(
        scratch / "ring.json",
        R"({"refero_look":1,"curve":[[0,0.02],[0.4,0.36],[1,1]],"hues":{"red":{"saturation":-20,"shift_deg":8},
"blue":{"saturation":15,"lightness":-10}}})");
    for (const auto& [space, display, look] :
         {std::tuple("acescg", "srgb", ""), std::tuple("linear-bt709", "bt709", ""),
          std::tuple("acescg", "srgb", " --look warm.cc"), std::tuple("acescg", "bt709", " --look ring.json"),
          std::tuple("acescg", "display-p3", " --look warm.cc")}) {
        const std::string options = std::string(" --overwrite") + look;
        const auto out = run(formatted("plate f.json b.dng --clean a.dng --chart-shot a.dng -o set --space {} "
                                       "--display {}{} --json",
                                       space, display, options));
        ASSERT_EQ(out.status, 0) << out.err;
        const json j = out.object();
        ASSERT_EQ(j["written"].size(), 3u);
        EXPECT_EQ(j["written"][1]["file"], "set/clean/a.exr");
        for (const json& a : j["agreement"]) EXPECT_LT(a["most_codes"].get<double>(), 1) << a.dump();
        ASSERT_EQ(run(formatted("apply f.json b.dng -o pic --space {}{}", display, options)).status, 0);
        ASSERT_EQ(run(formatted("apply f.json b.dng -o bare --format exr --space {} --parts balance,exposure,colour "
                                "--overwrite",
                                space))
                      .status,
                  0);
        EXPECT_EQ(codes_of("set/plate/b.exr"), codes_of("bare/b.exr")); // without finish and look
        OCIO_NAMESPACE::ClearAllCaches();                               // it knows files by their names
        const auto curve = OCIO_NAMESPACE::FileTransform::Create();
        curve->setSrc((scratch / j["display"].get<std::string>()).c_str());
        curve->setInterpolation(OCIO_NAMESPACE::INTERP_TETRAHEDRAL);
        const auto processor = OCIO_NAMESPACE::Config::CreateRaw()->getProcessor(curve)->getDefaultCPUProcessor();
        std::vector<float> by_curve = codes_of("set/plate/b.exr");
        for (std::size_t i = 0; i < by_curve.size(); i += 3) processor->applyRGB(&by_curve[i]);
        const std::vector<float> picture = codes_of("pic/b.tif");
        ASSERT_EQ(by_curve.size(), picture.size());
        double most = 0;
        for (std::size_t i = 0; i < picture.size(); ++i)
            most = std::max(most, 255.0 * std::abs(std::clamp(by_curve[i], 0.0F, 1.0F) - picture[i]));
        std::printf("[ measured ] a plate in %s seen through its curve to %s%s: within %.2f codes of 255\n", space,
                    display, look, most);
        EXPECT_LE(most, 1) << space << " " << display << look;
    }
    const std::string note = bytes("set/note.txt");
    for (const char* told : {"clean plate, 1 file", "Light on the set", "stops", "within", "nominal"})
        EXPECT_NE(note.find(told), std::string::npos) << told << " in " << note;
    EXPECT_EQ(run("plate f.json b.dng -o set").status, 2); // it is there
    expect_error("plate f.json --object a.dng -o none", 2, "no plate");
    expect_error("plate f.json b.dng -o none --space srgb", 2, "not scene-linear");
    expect_error("plate f.json b.dng -o none --display acescg", 2, "no space of a display");
    expect_error("plate f.json gone.dng -o none", 3, "gone.dng");
    EXPECT_FALSE(fs::exists(scratch / "none"));
}

// Through a job queue that exists, GNU parallel: four chunks at a time, of two setups with frames of equal names.
TEST_F(Developing, a_job_queue_works_through_the_chunks_of_a_batch) {
    ASSERT_EQ(run("job shoot.refero new").status, 0);
    std::string files = "a.dng";
    fs::create_directories(scratch / "other");
    simulate("other/b.dng", {.camera = "stills-b", .width = 600, .height = 400});
    files += " other/b.dng";
    for (const char* camera : {"stills-a", "stills-b"}) {
        test::written(scratch / "plain.json", formatted(R"({{"refero_scene":1,"size":[240,160],"camera":"{}",
"light":"window","background":{{"surface":{{"grey":0.4}},"texture":0.3}}}})",
                                                        camera));
        ASSERT_EQ(run(std::string("simulate plain.json -o ") + camera + ".dng").status, 0);
    }
    for (int i = 0; i < 40; ++i) { // each taken at a time of its own, else it is a copy of another
        const std::string name = formatted("f{:02}.dng", i / 2), folder = i % 2 ? "other/" : "",
                          time = formatted("10:{:02}:00", i + 1);
        std::string raw = bytes(i % 2 ? "stills-b.dng" : "stills-a.dng");
        for (std::size_t at; (at = raw.find("10:00:00")) != std::string::npos;) raw.replace(at, 8, time);
        test::written(scratch / (folder + name), raw);
        files += " " + folder + name;
    }
    ASSERT_EQ(run("job shoot.refero take " + files).status, 0);
    ASSERT_EQ(run("job shoot.refero fit").status, 0);
    const auto listed = run("job shoot.refero apply --list -o queue");
    ASSERT_EQ(listed.status, 0) << listed.err;
    EXPECT_FALSE(fs::exists(scratch / "queue"));
    test::written(scratch / "queue.txt", listed.out);
    const auto lines = std::count(listed.out.begin(), listed.out.end(), '\n');
    EXPECT_GE(lines, 2);
    ASSERT_EQ(
        std::system(("cd '" + scratch.folder().string() + "' && parallel -j 4 < queue.txt > said.txt 2>&1").c_str()), 0)
        << bytes("said.txt");
    // The same names and the same files as one run makes; the run that ends the batch keeps the rows.
    ASSERT_EQ(run("job shoot.refero apply -o alone").status, 0);
    int files_made = 0;
    for (const auto& e : fs::directory_iterator(scratch / "alone")) {
        ++files_made;
        EXPECT_TRUE(read_file(e.path()) == read_file(scratch / "queue" / e.path().filename())) << e.path();
    }
    EXPECT_GT(files_made, 40);
    const json last = run("job shoot.refero apply -o queue --resume --json").object();
    EXPECT_TRUE(last["written"].empty());
    EXPECT_EQ(last["left_out"].size(), static_cast<std::size_t>(files_made));
    // Kept once: the rows stay as they are, those of the frames that the other run made as well.
    const std::string kept = bytes("shoot.refero");
    for (const char* folder : {"queue", "alone"})
        EXPECT_EQ(run(std::string("job shoot.refero apply --resume -o ") + folder).status, 0);
    EXPECT_TRUE(bytes("shoot.refero") == kept);
    EXPECT_EQ(run("job shoot.refero apply -o queue --chunk 3/2").status, 2);
}

} // namespace
} // namespace refero
