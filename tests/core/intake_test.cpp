// Frames on their way in: watched folders, moved files, clips.
#include "operations/capture/files.hpp"
#include "operations/capture/frames.hpp"
#include "operations/capture/intake.hpp"
#include "operations/capture/watch.hpp"
#include "operations/handover/batch.hpp"
#include "store/document.hpp"

#include <cmath>

#include "frame/clip.hpp"
#include "shoot/assign.hpp"
#include "shoot/time.hpp"
#include "simulate/clip.hpp"
#include "support.hpp"

namespace refero::operations {
namespace {

using namespace store;

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
    const shoot::FrameRecord f = described(scratch / "a.dng");
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
    const std::vector<shoot::FrameRecord> missing{{.id = 4, .path = "/gone/a.dng", .size = 4, .sha256 = hash},
                                                  {.id = 5, .path = "/gone/b.dng", .size = 4}};
    const auto found = found_again(missing, scratch / "new");
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].frame, 4);
    EXPECT_EQ(found[0].file, scratch / "new/deep/a.dng");
}

// A file that arrives in parts, whoever writes it.
TEST(FolderWatch, waits_for_a_file_that_another_program_holds_open) {
    Scratch scratch;
    FolderWatch watch;
    watch.set_folders({scratch.folder()});
    const fs::path file = scratch / "a.dng";
    {
        std::ofstream out(file, std::ios::binary);
        out << "first" << std::flush;
        EXPECT_TRUE(is_being_written(file));
        for (int k = 0; k < 8; ++k) EXPECT_TRUE(watch.look().empty());
        out << "second" << std::flush;
    }
    EXPECT_FALSE(is_being_written(file));
    watch.look();
    EXPECT_EQ(watch.look(), std::vector<fs::path>{file});
    EXPECT_FALSE(is_being_written(scratch / "none.dng"));
}

TEST(FolderWatch, gives_what_could_not_be_read_again_when_it_changes) {
    Scratch scratch;
    FolderWatch watch;
    watch.set_folders({scratch.folder()});
    const fs::path file = written(scratch / "a.dng", "first"), elsewhere = scratch / "other/b.dng";
    watch.look();
    ASSERT_EQ(watch.look(), std::vector<fs::path>{file});
    watch.await(file, stamp_of(file), false);
    for (int k = 0; k < 5; ++k) EXPECT_TRUE(watch.look().empty()); // as it was: nothing to try
    written(file, "first and second");
    EXPECT_TRUE(watch.look().empty());
    EXPECT_EQ(watch.look(), std::vector<fs::path>{file});
    EXPECT_TRUE(watch.look().empty()); // once
    EXPECT_FALSE(watch.waits());
    // Outside the watched folders, and not there yet.
    watch.set_folders({});
    watch.await(elsewhere, {}, true);
    EXPECT_TRUE(watch.look().empty());
    fs::create_directory(scratch / "other");
    written(elsewhere, "here");
    watch.look();
    EXPECT_EQ(watch.look(), std::vector<fs::path>{elsewhere});
    EXPECT_FALSE(watch.in_folders(elsewhere));
    watch.set_folders({scratch / "other"});
    EXPECT_TRUE(watch.in_folders(elsewhere));
    EXPECT_FALSE(watch.in_folders(scratch / "otherwise/b.dng"));
}

// ---- what a file becomes

struct Intake : testing::Test {
    Scratch scratch;
    JobFile job{scratch / "j.refero", JobFile::Open::create};

    /// A file of Stills A, as a look at it tells; with the chart if it shows one.
    static Arrival arrival(const std::string& path, bool raw, const std::string& taken, bool chart) {
        static const std::shared_ptr<const MeasuredShot> shown = [] {
            const simulate::Rendering r = test::rendered({.width = 600, .height = 400});
            frame::Frame f = test::frame_of(r);
            auto shot = measure_in(f, {.chart = "grid24"});
            shot.frame.full_width = 600;
            return std::make_shared<const MeasuredShot>(std::move(shot));
        }();
        Arrival a;
        a.row.path = path;
        a.row.sha256 = sha256_of_text(path);
        a.row.size = static_cast<std::int64_t>(path.size());
        a.row.raw = raw;
        a.row.model = "Stills A";
        a.row.serial_number = raw ? "SA-1042" : "";
        a.row.taken = taken;
        if (chart) a.measured.shot = shown;
        return a;
    }
    Taken take(const Arrival& a, const TakeIn& how = {.by_hand = true}) {
        Taken t = take_in(job.content(), {}, a, how);
        if (!t.rows.empty()) job.change(t.rows);
        if (const shoot::Change places = place_frames(job.content()); !places.empty()) job.change(places);
        return t;
    }
    const shoot::FrameRecord& frame(const std::string& path) const {
        const auto& all = job.content().frames;
        const auto at =
            std::find_if(all.begin(), all.end(), [&](const shoot::FrameRecord& f) { return f.path == path; });
        EXPECT_NE(at, all.end()) << path;
        return *at;
    }
};

TEST_F(Intake, a_frame_without_a_chart_among_others_is_ordinary_and_finds_its_place_later) {
    take(arrival("/c/1.dng", true, "2026-05-04T09:00:00", false));
    take(arrival("/c/2.dng", true, "2026-05-04T09:01:00", false));
    EXPECT_TRUE(job.content().chart_shots.empty());
    EXPECT_TRUE(job.content().setups.empty());
    take(arrival("/c/3.dng", true, "2026-05-04T09:02:00", true));
    EXPECT_EQ(frame("/c/3.dng").kind, shoot::FrameKind::chart);
    const shoot::Id setup = job.content().setups.at(0).id;
    for (const char* path : {"/c/1.dng", "/c/2.dng", "/c/3.dng"}) EXPECT_EQ(frame(path).setup, setup) << path;
    EXPECT_EQ(frame("/c/1.dng").camera, frame("/c/3.dng").camera);
    // Frames brought together into a setup that waits for a card: a person says which of them shows it.
    shoot::SetupRecord card = job.content().setups.at(0);
    card.id = 0;
    card.balance_only = true;
    job.change("Cards", [&](Edit& e) {
        card.light = e.add(shoot::LightRecord{.name = "Shade"});
        card.id = e.add(card);
    });
    take(arrival("/c/4.dng", true, "2026-05-04T09:03:00", false), {.setup = card.id, .by_hand = true});
    EXPECT_EQ(frame("/c/4.dng").kind, shoot::FrameKind::ordinary);
    take(arrival("/c/5.dng", true, "2026-05-04T09:04:00", false), {.setup = card.id, .by_hand = true, .alone = true});
    EXPECT_EQ(frame("/c/5.dng").kind, shoot::FrameKind::chart);
}

TEST_F(Intake, the_one_frame_that_a_person_opened_may_be_the_chart_shot) {
    take(arrival("/c/1.dng", true, "2026-05-04T09:00:00", false), {.by_hand = true, .alone = true});
    EXPECT_EQ(frame("/c/1.dng").kind, shoot::FrameKind::chart);
    EXPECT_EQ(job.content().chart_shots.size(), 1u);
}

TEST_F(Intake, the_raw_file_leads_in_whatever_order_they_come) {
    const std::string at = "2026-05-04T09:00:00", later = "2026-05-04T09:05:00";
    for (const bool raw_first : {true, false}) {
        SCOPED_TRACE(raw_first);
        while (job.undo()) {}
        const std::vector<std::pair<std::string, bool>> chart{{"/c/1.dng", true}, {"/c/1.jpg", false}},
            plain{{"/c/2.dng", true}, {"/c/2.jpg", false}};
        for (const auto& [files, taken] : {std::pair(chart, at), std::pair(plain, later)})
            for (std::size_t i = 0; i < 2; ++i) {
                const auto& [path, raw] = files[raw_first ? i : 1 - i];
                take(arrival(path, raw, taken, files == chart));
            }
        const shoot::Shoot& s = job.content();
        ASSERT_EQ(s.setups.size(), 1u);
        EXPECT_EQ(shoot::record(s.modes, s.setups[0].mode)->kind, shoot::ModeKind::raw);
        ASSERT_EQ(s.chart_shots.size(), 1u);
        EXPECT_EQ(s.chart_shots[0].frame, frame("/c/1.dng").id);
        EXPECT_EQ(s.readings.size(), 1u);
        EXPECT_EQ(frame("/c/1.dng").kind, shoot::FrameKind::chart);
        for (const char* n : {"1", "2"}) {
            const shoot::FrameRecord &raw = frame(std::string("/c/") + n + ".dng"),
                                     &jpeg = frame(std::string("/c/") + n + ".jpg");
            EXPECT_EQ(raw.same_as, 0);
            EXPECT_EQ(jpeg.same_as, raw.id);
            EXPECT_EQ(jpeg.kind, shoot::FrameKind::ordinary);
            EXPECT_EQ(raw.setup, s.setups[0].id);
            EXPECT_EQ(jpeg.setup, raw.setup);
            EXPECT_EQ(jpeg.reason, "the same exposure as " + std::string(n) + ".dng");
        }
    }
}

TEST_F(Intake, a_job_in_which_the_picture_was_fitted_keeps_it_and_says_so) {
    take(arrival("/c/1.jpg", false, "2026-05-04T09:00:00", true));
    const shoot::ChartShotRecord shot = job.content().chart_shots.at(0);
    job.change("Fit", [&](Edit& e) {
        e.add(shoot::CorrectionRecord{.setup = shot.setup, .chart_shot = shot.id, .content = "{}"});
    });
    const Taken t = take(arrival("/c/1.dng", true, "2026-05-04T09:00:00", true)); // a day later
    EXPECT_NE(t.told.find("1.jpg"), std::string::npos);
    EXPECT_EQ(frame("/c/1.dng").same_as, frame("/c/1.jpg").id);
    EXPECT_EQ(job.content().chart_shots.at(0).frame, frame("/c/1.jpg").id);
    EXPECT_EQ(job.content().corrections.size(), 1u);
}

TEST_F(Intake, companions_are_of_one_body_one_moment_and_one_name) {
    const std::string at = "2026-05-04T09:00:00";
    take(arrival("/c/1.dng", true, at, true));
    const auto companion = [&](const std::string& path, const std::string& taken, const std::string& model = "Stills A",
                               const std::string& serial = "") {
        Arrival a = arrival(path, false, taken, false);
        a.row.model = model;
        a.row.serial_number = serial;
        return shoot::companion_of(job.content(), a.row) != 0;
    };
    EXPECT_TRUE(companion("/c/1.jpg", at));
    EXPECT_TRUE(companion("/d/1.JPG", at)); // another folder
    EXPECT_TRUE(companion("/c/1.jpg", at, "Stills A", "SA-1042"));
    EXPECT_TRUE(companion("/c/1.jpg", at + ".25")); // the raw file tells no fraction
    EXPECT_FALSE(companion("/c/1.jpg", "2026-05-04T09:00:01"));
    EXPECT_FALSE(companion("/c/1.jpg", "")); // the name alone never
    EXPECT_FALSE(companion("/c/2.jpg", at));
    EXPECT_FALSE(companion("/c/1.jpg", at, "Stills B"));
    EXPECT_FALSE(companion("/c/1.jpg", at, "Stills A", "SA-2000"));
    // A series within one second, numbered anew in each folder.
    take(arrival("/e/7.dng", true, at + ".10", false));
    EXPECT_TRUE(companion("/f/7.jpg", at + ".100"));
    EXPECT_FALSE(companion("/f/7.jpg", at + ".20"));
    EXPECT_NEAR(shoot::seconds_of(at + ".25") - shoot::seconds_of(at), 0.25, 1e-6);
    EXPECT_EQ(shoot::fraction_of(at), -1);
    EXPECT_EQ(shoot::fraction_of(at + ".x"), -1);
}

TEST_F(Intake, a_file_that_could_not_be_read_is_looked_at_again) {
    const fs::path file = scratch / "a.dng";
    test::shoot({.width = 600, .height = 400}, file);
    const std::string whole = read_file(file);
    written(file, whole.substr(0, whole.size() / 2));
    const inspect::Limits limits = limits_of(job.content().brief());
    take(look_at(file, limits), {});
    EXPECT_FALSE(frame(file.string()).problem.empty());
    EXPECT_EQ(frame(file.string()).sha256, "");
    EXPECT_FALSE(is_as_known(frame(file.string())));
    written(file, whole);
    const Taken t = take(look_at(file, limits));
    EXPECT_NE(t.chart_shot, 0);
    EXPECT_EQ(frame(file.string()).problem, "");
    EXPECT_EQ(frame(file.string()).kind, shoot::FrameKind::chart);
    EXPECT_EQ(job.content().frames.size(), 1u);
    EXPECT_TRUE(is_as_known(frame(file.string())));
    EXPECT_EQ(state_of(frame(file.string())), FileState::same);
    // Cut or replaced under its name: told, and brought up to date when it is taken in again.
    test::shoot({.width = 600, .height = 400, .seed = 5}, file);
    EXPECT_EQ(state_of(frame(file.string())), FileState::changed);
    const std::string content = job.content().readings.at(0).content;
    EXPECT_FALSE(is_as_known(frame(file.string())));
    take(look_at(file, limits));
    EXPECT_EQ(state_of(frame(file.string()), true), FileState::same);
    ASSERT_EQ(job.content().readings.size(), 1u);
    EXPECT_NE(job.content().readings[0].content, content);
    EXPECT_EQ(job.content().chart_shots.size(), 1u);
    // Touched, with the same bytes: the same file.
    fs::last_write_time(file, fs::last_write_time(file) + std::chrono::hours(1));
    EXPECT_EQ(state_of(frame(file.string())), FileState::same);
    fs::remove(file);
    EXPECT_EQ(state_of(frame(file.string())), FileState::gone);
}

TEST_F(Intake, what_a_batch_leaves_out_is_named) {
    take(arrival("/c/0.dng", true, "", false));
    take(arrival("/c/1.dng", true, "2026-05-04T09:00:00", true));
    take(arrival("/c/1.jpg", false, "2026-05-04T09:00:00", false));
    take(arrival("/c/2.dng", true, "2026-05-04T09:01:00", true));
    Arrival broken = arrival("/c/3.dng", true, "2026-05-04T09:02:00", false);
    broken.row.problem = "it is cut short";
    take(broken, {});
    Arrival other = arrival("/c/4.dng", true, "2026-05-04T09:02:00", false);
    other.row.model = "Stills B";
    other.row.serial_number = "SB-1";
    take(other, {});
    const std::vector<LeftOut> all = left_out_of(job.content(), {});
    EXPECT_EQ(all.size(), job.content().frames.size());
    const auto reason = [&](const std::string& path) {
        for (const LeftOut& l : all)
            if (l.file == path) return l.reason;
        return std::string("not named");
    };
    EXPECT_NE(reason("/c/1.dng").find("has no correction yet"), std::string::npos);
    EXPECT_EQ(reason("/c/1.jpg"), "the same exposure as 1.dng");
    EXPECT_EQ(reason("/c/3.dng"), "it is cut short");
    EXPECT_NE(reason("/c/4.dng").find("Stills B is not in this job"), std::string::npos);
    const std::vector<std::string> lines = in_words(all, 1);
    EXPECT_LT(lines.size(), all.size() + 1);
    EXPECT_NE(
        std::find_if(lines.begin(), lines.end(),
                     [](const std::string& l) { return l.starts_with("1 not developed (it is cut short): 3.dng"); }),
        lines.end());
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
    EXPECT_EQ(described(scratch / "a.mkv").kind, shoot::FrameKind::clip);
    written(scratch / "no.mov", "this is no clip");
    EXPECT_THROW(frame::read_clip(scratch / "no.mov"), Error);
    const std::string whole = read_file(scratch / "a.mkv");
    written(scratch / "cut.mkv", whole.substr(0, 600));
    EXPECT_THROW(frame::read(scratch / "cut.mkv", {.position_s = 0}), Error);
}

} // namespace
} // namespace refero::operations
