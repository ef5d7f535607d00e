// Frames on their way in: watched folders, moved files, clips.
#include "work/intake.hpp"
#include "work/watch.hpp"

#include <cmath>

#include "frame/clip.hpp"
#include "simulate/clip.hpp"
#include "support.hpp"

namespace refero::work {
namespace {

using namespace job;

using test::Scratch;
using test::written;

TEST(FolderWatch, gives_numbered_pictures_as_one_recording_once_it_no_longer_grows) {
    Scratch scratch;
    FolderWatch watch;
    watch.set_folders({scratch.folder()});
    const auto copy = [&](int from, int to) {
        for (int n = from; n < to; ++n) written(scratch / formatted("take.{:04}.dpx", n), "codes");
    };
    for (int n = 1; n < 20; ++n) { // the card is still being copied, slowly
        copy(n, n + 1);
        for (int k = 0; k < 3; ++k) EXPECT_TRUE(watch.look().empty()) << n;
    }
    const fs::path recording = scratch / "take.####.dpx";
    const auto next = [&] { // what the next looks give
        std::vector<fs::path> found;
        for (int k = 0; k < 8 && found.empty(); ++k) found = watch.look();
        return found;
    };
    EXPECT_EQ(next(), std::vector<fs::path>{recording});
    EXPECT_TRUE(watch.is_known(scratch / "take.0007.dpx"));
    EXPECT_TRUE(next().empty());
    written(scratch / "still.0001.exr", "one"); // too few for a recording
    EXPECT_EQ(next(), std::vector<fs::path>{scratch / "still.0001.exr"});
    watch.forget(recording); // it can come in another time
    EXPECT_EQ(next(), std::vector<fs::path>{recording});
}

TEST(FolderWatch, gives_a_file_once_and_only_when_it_is_complete) {
    Scratch scratch;
    fs::create_directories(scratch / "card/DCIM/100");
    FolderWatch watch;
    watch.set_folders({scratch / "card"});
    written(scratch / "card/old.dng", "old");
    watch.known(scratch / "card/old.dng");
    const fs::path growing = scratch / "card/DCIM/100/a.dng";
    written(growing, "first");
    EXPECT_TRUE(watch.look().empty());
    written(growing, "first and second"); // still being copied
    EXPECT_TRUE(watch.look().empty());
    ASSERT_EQ(watch.look(), std::vector<fs::path>{growing});
    EXPECT_TRUE(watch.look().empty());
    for (const char* name : {"card/notes.txt", "card/.hidden.dng", "card/empty.dng"})
        written(scratch / name, name[5] == 'e' ? "" : "x");
    fs::create_directories(scratch / "card/.trash");
    written(scratch / "card/.trash/gone.dng", "x");
    written(scratch / "card/c.jpg", "x");
    written(scratch / "card/b.mov", "x");
    watch.look();
    const auto both = watch.look();
    ASSERT_EQ(both.size(), 2u);
    EXPECT_EQ(both[0].filename(), "b.mov");
    watch.set_folders({scratch / "no such folder"}); // the card is out
    EXPECT_TRUE(watch.look().empty());
}

TEST(Described, tells_what_the_file_says) {
    Scratch scratch;
    test::shoot(
        {.light = "flash",
         .width = 300,
         .height = 200,
         .more =
             R"(,"iso":400,"f_number":11,"taken":"2026-05-04T09:10:11","lens":{"name":"Lens 85 mm","focal_mm":85})"},
        scratch / "a.dng");
    const plan::Frame f = described(scratch / "a.dng");
    EXPECT_EQ(f.model, "Stills A");
    EXPECT_EQ(f.serial_number, "SA-1042");
    EXPECT_EQ(f.lens_name, "Lens 85 mm");
    EXPECT_EQ(f.taken, "2026-05-04T09:10:11");
    EXPECT_EQ(f.iso, 400);
    EXPECT_EQ(f.focal_mm, 85);
    EXPECT_TRUE(f.flash);
    EXPECT_EQ(f.sha256, sha256_of(scratch / "a.dng"));
    EXPECT_EQ(f.size, static_cast<std::int64_t>(fs::file_size(scratch / "a.dng")));
    test::shoot({.light = "window", .width = 300, .height = 200, .more = R"(,"lens":{"name":""})"}, scratch / "b.dng");
    EXPECT_FALSE(described(scratch / "b.dng").flash);
    EXPECT_EQ(described(scratch / "b.dng").lens_name, ""); // a lens without contacts
    EXPECT_THROW(described(scratch / "none.dng"), Error);
}

TEST(FoundAgain, by_name_size_and_hash) {
    Scratch scratch;
    fs::create_directories(scratch / "new/deep");
    written(scratch / "new/deep/a.dng", "aaaa");
    written(scratch / "new/a.dng", "bbbb"); // the same name and size, another file
    written(scratch / "new/b.dng", "longer");
    const std::string hash = sha256_of(scratch / "new/deep/a.dng");
    const std::vector<plan::Frame> missing{{.id = 4, .path = "/gone/a.dng", .size = 4, .sha256 = hash},
                                           {.id = 5, .path = "/gone/b.dng", .size = 4}};
    const auto found = found_again(missing, scratch / "new");
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].frame, 4);
    EXPECT_EQ(found[0].file, scratch / "new/deep/a.dng");
}

TEST(MeasuredShot, survives_the_job) {
    Scratch scratch;
    test::shoot({.width = 900, .height = 600}, scratch / "a.dng");
    MeasuredShot shot = take_shot(scratch / "a.dng", {});
    shot.sha256 = sha256_of(scratch / "a.dng");
    shot.frame.metadata.auto_balance = true;
    const MeasuredShot again = measured_from_json(to_json(shot), scratch / "a.dng");
    ASSERT_EQ(again.reading.patches.size(), 24u);
    for (std::size_t i = 0; i < 24; ++i) EXPECT_EQ(again.reading.patches[i].mean, shot.reading.patches[i].mean);
    EXPECT_EQ(again.placement.corners[2], shot.placement.corners[2]);
    // A correction from it is the same as one from the frame itself.
    const auto reference = chart::reference_of(shot.definition);
    auto a = correct({shot}, reference, {}), b = correct({again}, reference, {});
    a.made = b.made;
    EXPECT_EQ(fit::to_json(a), fit::to_json(b));
    EXPECT_THROW(measured_from_json("{}", "x"), Error);
    // What the frame's file said of the shot goes through both, and where an earlier version did not write it, not.
    const frame::Metadata said = frame::read_metadata(scratch / "a.dng");
    ASSERT_GT(said.focal_35mm_mm, 0);
    std::string text = fit::to_json(a);
    for (const frame::Metadata& m : {again.frame.metadata, fit::from_json(text).sources.at(0).metadata}) {
        EXPECT_EQ(m.serial_number, said.serial_number);
        EXPECT_EQ(m.exposure_s, said.exposure_s);
        EXPECT_EQ(m.focal_35mm_mm, said.focal_35mm_mm);
        EXPECT_TRUE(m.auto_balance);
    }
    const std::size_t name = text.find("focal_35mm_mm");
    ASSERT_NE(name, std::string::npos);
    text.replace(name, 5, "other");
    EXPECT_EQ(fit::from_json(text).sources.at(0).metadata.focal_35mm_mm, 0);
}

// A clip is decoded with its own matrix, range and curve: the picture is the one that went in. Codes of 10 bits narrow
// range are 1/876 apart (ITU-R BT.709-6); compression adds a little.
TEST(Clip, a_still_is_what_went_in) {
    Scratch scratch;
    const auto chart = test::rendered({.width = 640, .height = 400});
    auto plain_scene = chart.scene;
    plain_scene.charts.clear();
    const auto plain = simulate::render(plain_scene);
    for (const auto& [transfer, name] :
         {std::pair{colour::Transfer::bt709, "a.mkv"}, {colour::Transfer::hlg, "b.mov"}}) {
        simulate::write_clip({{&plain, 1}, {&chart, 2}, {&plain, 1}}, transfer, 5, scratch / name);
        const frame::Clip clip = frame::read_clip(scratch / name);
        EXPECT_NEAR(clip.duration_s, 4, 0.25);
        EXPECT_EQ(clip.width, 640);
        EXPECT_NEAR(clip.frames_per_second, 5, 1e-6);
        const frame::Frame still = frame::read(scratch / name, {.position_s = 2});
        const find::Placement found = locate(still, "grid24");
        for (std::size_t k = 0; k < 4; ++k) EXPECT_LT((found.corners[k] - chart.charts[0].corners[k]).norm(), 1.0);
        const auto reading = read::measure(still, found, test::grid24());
        const colour::Vec3 white = chart.scene.camera.response(colour::Spectrum::constant(1), chart.scene.light);
        for (const auto& p : chart.charts[0].patches)
            for (std::size_t k = 0; k < 3; ++k)
                EXPECT_NEAR(reading.find(p.id)->mean[k], p.mean[k] / white[static_cast<Eigen::Index>(k)], 0.012)
                    << p.id << " " << name;
        // Its tone curve is measured from that still, and is the one that the clip was written with.
        chart::Definition seen;
        ShotOptions options;
        options.chart = "grid24";
        options.position_s = 2;
        const auto curve =
            fit::estimate_curve({code_shot(scratch / name, options, seen)}, chart::reference_of(test::grid24()), &seen);
        EXPECT_EQ(curve.nearest, colour::name_of(transfer)) << curve.nearest_stops;
        // Without a position a coarse look finds the part that shows the chart, for every step of the work.
        EXPECT_EQ(take_shot(scratch / name, {.chart = "grid24", .position_s = -1}).reading.patches.size(), 24u);
        options.position_s = -1;
        const auto found_curve =
            fit::estimate_curve({code_shot(scratch / name, options, seen)}, chart::reference_of(test::grid24()), &seen);
        EXPECT_EQ(found_curve.nearest, colour::name_of(transfer));
        EXPECT_THROW(locate(frame::read(scratch / name, {.position_s = 0.1}), "grid24"), Error);
        EXPECT_THROW(locate(frame::read(scratch / name, {.position_s = 3.5}), "grid24"), Error);
        EXPECT_NO_THROW(frame::read(scratch / name, {.position_s = 100})); // beyond the end: the last picture
    }
    EXPECT_EQ(described(scratch / "a.mkv").kind, plan::FrameKind::clip);
    written(scratch / "no.mov", "this is no clip");
    EXPECT_THROW(frame::read_clip(scratch / "no.mov"), Error);
    const std::string whole = read_file(scratch / "a.mkv");
    written(scratch / "cut.mkv", whole.substr(0, 600));
    EXPECT_THROW(frame::read(scratch / "cut.mkv", {.position_s = 0}), Error);
}

} // namespace
} // namespace refero::work
