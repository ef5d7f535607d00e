// The job file: what it promises about loss of power, undo, versions and foreign files.
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <random>

#include "shoot/board.hpp"
#include "store/document.hpp"
#include "support.hpp"

namespace refero::store {
namespace {

using namespace shoot;
using test::Scratch;
using Open = Store::Open;

/// One random change of any kind; the same for the same numbers.
void random_change(JobFile& job, std::mt19937& random) {
    const auto pick = [&](auto& list) { return list[random() % list.size()].id; };
    const Shoot& s = job.content();
    const std::string n = std::to_string(random() % 1000);
    const bool some = !s.cameras.empty() && !s.modes.empty() && !s.lights.empty();
    switch (random() % 15) {
    case 0:
        return job.change("Camera",
                          [&](Edit& e) { e.add(CameraRecord{.name = "Camera " + n, .clock_offset_s = 0.1}); });
    case 1:
        return job.change("Light", [&](Edit& e) {
            e.add(LightRecord{.name = "Light " + n, .kind = LightKind::flash, .kelvin = 5500});
        });
    case 2:
        return job.change("Mode and lens", [&](Edit& e) {
            e.add(ModeRecord{.name = "mode " + n});
            e.add(LensRecord{.name = "Lens " + n});
        });
    case 3:
        if (!some) break;
        for (const CameraRecord& c : s.cameras)
            for (const LightRecord& l : s.lights)
                if (!setup_at(s, {c.id, 0, s.modes.front().id}, l.id))
                    return job.change("Setup", [&](Edit& e) {
                        e.add(shoot::SetupRecord{.camera = c.id, .mode = s.modes.front().id, .light = l.id});
                    });
        break;
    case 4:
    case 5:
        return job.change("Frames", [&](Edit& e) {
            for (int i = 0; i < 3; ++i)
                e.add(FrameRecord{.path = "/card/" + n + "-" + std::to_string(random()) + ".dng",
                                  .size = static_cast<std::int64_t>(random()),
                                  .setup = s.setups.empty() ? 0 : pick(s.setups)});
        });
    case 6:
        if (s.setups.empty() || s.frames.empty()) break;
        return job.change("Chart shot", [&](Edit& e) {
            const Id shot = e.add(ChartShotRecord{.setup = pick(s.setups), .frame = pick(s.frames)});
            e.add(ReadingRecord{.chart_shot = shot, .content = std::string(random() % 5000, 'r')});
            e.add(FindingRecord{
                .chart_shot = shot, .check = inspect::Check::clipping, .status = inspect::Status::pass, .limit = 0.5});
        });
    case 7:
        if (s.setups.empty()) break;
        return job.change("Fit", [&](Edit& e) {
            const Id c = e.add(CorrectionRecord{.setup = pick(s.setups),
                                                .chart_shot = s.chart_shots.empty() ? 0 : pick(s.chart_shots),
                                                .content = "{}"});
            e.add(ProofRecord{.correction = c, .mean = 0.7, .basis = "patches left out"});
        });
    case 8:
        if (s.setups.empty()) break;
        return job.change("Handover and note", [&](Edit& e) {
            e.add(HandoverRecord{.setup = pick(s.setups), .file = n});
            e.add(NoteRecord{.setup = pick(s.setups), .text = n});
        });
    case 9:
        if (s.setups.empty()) break;
        return job.change("Settings", [&](Edit& e) {
            shoot::SetupRecord row = *record(s.setups, pick(s.setups));
            row.settings = n;
            row.balance_only = !row.balance_only;
            e.update(row);
        });
    case 10:
        return job.change("Brief", [&](Edit& e) {
            JobSettingsRecord b = s.brief();
            b.title = n;
            b.lens_school = b.lens_school == LensSchool::each_lens ? LensSchool::one_per_camera : LensSchool::each_lens;
            e.update(b);
        });
    case 11: // removal takes all that hangs on it along
        if (random() % 3 == 0 && s.cameras.size() > 2)
            return job.change("Remove camera", [&](Edit& e) { e.remove<CameraRecord>(pick(s.cameras)); });
        if (random() % 3 == 0 && s.frames.size() > 5)
            return job.change("Remove frame", [&](Edit& e) { e.remove<FrameRecord>(pick(s.frames)); });
        break;
    case 12:
        return job.change("Place, card, fallback", [&](Edit& e) {
            e.add(PlaceRecord{.name = n});
            e.add(CardRecord{.name = n});
            e.add(FallbackRecord{.camera = n});
        });
    case 13: job.undo(); return;
    case 14: job.redo(); return;
    }
    job.change("Read", [&](Edit& e) { e.add(NoteRecord{.text = n}); },
               {.quiet = true}); // follows from the change before
}

struct JobStore : testing::Test {
    Scratch scratch;
    fs::path file = scratch / "a.refero";
};

TEST_F(JobStore, a_new_file_holds_a_brief_and_what_was_put_in) {
    {
        JobFile job(file, Open::create);
        EXPECT_EQ(job.content().brief().title, "Untitled job");
        job.change("Add a camera", [](Edit& e) {
            e.about("Stills A");
            e.add(
                CameraRecord{.name = "Stills A", .sensor_width_mm = 23.6, .clock_offset_s = -12.25, .silent_lens = 0});
            e.add(LightRecord{.name = "Flash", .kind = LightKind::flash});
        });
    }
    JobFile job(file, Open::existing);
    ASSERT_EQ(job.content().cameras.size(), 1u);
    EXPECT_EQ(job.content().cameras[0].sensor_width_mm, 23.6);
    EXPECT_EQ(job.content().cameras[0].clock_offset_s, -12.25);
    EXPECT_EQ(job.content().lights[0].kind, LightKind::flash);
    ASSERT_EQ(job.store().log().size(), 1u);
    EXPECT_EQ(job.store().log()[0].where, "Stills A");
    EXPECT_EQ(job.store().log("camera stills").size(), 1u);
    EXPECT_EQ(job.store().log("camera window").size(), 0u);
    EXPECT_EQ(job.undo_title(), "Add a camera"); // undo goes on after the file was closed
    EXPECT_TRUE(job.undo());
    EXPECT_TRUE(job.content().cameras.empty());
    EXPECT_EQ(job.redo_title(), "Add a camera");
}

TEST_F(JobStore, a_change_that_throws_has_not_happened) {
    JobFile job(file, Open::create);
    const std::string before = job.store().dump();
    EXPECT_THROW(job.change("x",
                            [](Edit& e) {
                                e.add(CameraRecord{.name = "A"});
                                throw Error(ErrorKind::usage, "no");
                            }),
                 Error);
    EXPECT_THROW(job.change("x", [](Edit& e) { e.add(shoot::SetupRecord{.camera = 7, .mode = 8, .light = 9}); }),
                 Error); // no such camera
    EXPECT_EQ(job.store().dump(), before);
    EXPECT_EQ(job.undo_title(), "");
    EXPECT_TRUE(job.store().log().empty());
}

// Every kind of change, forth and back: the whole content is compared, and the copy in memory with the file.
TEST_F(JobStore, undo_and_redo_restore_the_whole_content) {
    JobFile job(file, Open::create);
    std::mt19937 random(7);
    for (int i = 0; i < 400; ++i) random_change(job, random);
    // All the way back, noting every state; then all the way forth, meeting the same ones.
    while (job.redo()) {}
    std::vector<std::string> states{job.store().dump()};
    while (job.undo()) states.push_back(job.store().dump());
    EXPECT_GT(states.size(), 200u);
    EXPECT_EQ(states.back().find("camera"), std::string::npos);
    for (std::size_t i = states.size() - 1; i-- > 0;) {
        ASSERT_TRUE(job.redo());
        ASSERT_EQ(job.store().dump(), states[i]) << i;
    }
    EXPECT_FALSE(job.redo());
}

TEST_F(JobStore, the_content_in_memory_follows_the_file) {
    std::mt19937 random(11);
    auto job = std::make_unique<JobFile>(file, Open::create);
    for (int i = 0; i < 300; ++i) random_change(*job, random);
    const Shoot before = job->content();
    job.reset();
    const JobFile again(file, Open::existing);
    const auto ids = [](const Shoot& s) {
        std::string text;
        shoot::for_each_list(s, [&](const auto& list) {
            for (const auto& row : list) text += std::to_string(row.id) + ",";
            text += ";";
        });
        for (const FrameRecord& f : s.frames) text += f.path + std::to_string(f.setup);
        for (const shoot::SetupRecord& f : s.setups) text += f.settings;
        return text;
    };
    EXPECT_EQ(ids(before), ids(again.content()));
}

TEST_F(JobStore, a_quiet_change_goes_with_the_one_it_follows) {
    JobFile job(file, Open::create);
    job.change("First", [](Edit& e) { e.add(NoteRecord{.text = "1"}); });
    job.change("Second", [](Edit& e) { e.add(NoteRecord{.text = "2"}); });
    job.change("measured", [](Edit& e) { e.add(NoteRecord{.text = "3"}); }, {.quiet = true});
    EXPECT_EQ(job.undo_title(), "Second");
    job.undo();
    EXPECT_EQ(job.content().notes.size(), 1u);
    job.redo();
    EXPECT_EQ(job.content().notes.size(), 3u);
    job.undo();
    job.change("Other", [](Edit& e) { e.add(NoteRecord{.text = "4"}); });
    EXPECT_EQ(job.redo_title(), "");
}

// What lands by itself after an undo (a frame of a watched folder, a reading that was under way) takes nothing back.
TEST_F(JobStore, what_lands_after_an_undo_keeps_what_can_be_redone) {
    JobFile job(file, Open::create);
    const auto texts = [&] {
        std::string all;
        for (const NoteRecord& n : job.content().notes) all += n.text;
        return all;
    };
    const auto add = [&](const char* text, const Kind& kind = {}) {
        job.change(
            text, [&](Edit& e) { e.add(NoteRecord{.text = text}); }, kind);
    };
    add("a");
    add("b");
    job.undo();
    add("q", {.quiet = true});
    EXPECT_EQ(job.redo_title(), "b");
    add("w", {.by_itself = true});
    EXPECT_EQ(job.redo_title(), "b");
    EXPECT_EQ(job.undo_title(), "w");
    EXPECT_TRUE(job.redo()); // its row comes back beside the others: no id was given twice
    EXPECT_EQ(texts(), "abqw");
    EXPECT_EQ(job.undo_title(), "b");
    EXPECT_TRUE(job.undo());
    EXPECT_EQ(texts(), "aqw");
    EXPECT_TRUE(job.undo());
    EXPECT_EQ(texts(), "aq");
    EXPECT_EQ(job.undo_title(), "a"); // the quiet one goes with what was there when it came
    EXPECT_TRUE(job.undo());
    EXPECT_EQ(texts(), "");
    for (int i = 0; i < 3; ++i) EXPECT_TRUE(job.redo()) << i;
    EXPECT_EQ(texts(), "abqw");
    EXPECT_FALSE(job.redo());
    add("c");
    job.undo();
    add("d"); // asked for: what was undone is gone
    EXPECT_EQ(job.redo_title(), "");
}

TEST_F(JobStore, a_quiet_change_belongs_to_the_step_that_caused_it) {
    JobFile job(file, Open::create);
    job.change("Chart shot", [](Edit& e) { e.add(NoteRecord{.text = "shot"}); });
    const Id cause = job.store().current_step(); // its reading begins
    job.change("Rename", [](Edit& e) { e.add(NoteRecord{.text = "name"}); });
    job.change("Read", [](Edit& e) { e.add(NoteRecord{.text = "reading"}); }, {.quiet = true, .cause = cause});
    EXPECT_EQ(job.undo_title(), "Rename");
    job.undo();
    ASSERT_EQ(job.content().notes.size(), 2u);
    EXPECT_EQ(job.content().notes[1].text, "reading"); // it stays
    job.undo();
    EXPECT_TRUE(job.content().notes.empty());
    job.redo();
    EXPECT_EQ(job.content().notes.size(), 2u);
    job.redo();
    EXPECT_EQ(job.content().notes.size(), 3u);
    // Undone meanwhile: it belongs to the last step that is done.
    job.undo();
    job.undo();
    job.change("First", [](Edit& e) { e.add(NoteRecord{.text = "first"}); });
    job.change("Late", [](Edit& e) { e.add(NoteRecord{.text = "late"}); }, {.quiet = true, .cause = cause + 7});
    job.undo();
    EXPECT_TRUE(job.content().notes.empty());
}

// A row that a quiet change has touched in between is restored as it was.
TEST_F(JobStore, a_redo_goes_over_what_was_worked_out_meanwhile) {
    JobFile job(file, Open::create);
    Id id = 0;
    job.change("Add", [&](Edit& e) { id = e.add(NoteRecord{.text = "0"}); });
    job.change("Change", [&](Edit& e) { e.update(NoteRecord{.id = id, .text = "1"}); });
    job.undo();
    job.change("follows", [&](Edit& e) { e.update(NoteRecord{.id = id, .text = "q"}); }, {.quiet = true});
    EXPECT_TRUE(job.redo());
    EXPECT_EQ(job.content().notes.at(0).text, "1");
    EXPECT_TRUE(job.undo());
    EXPECT_TRUE(job.undo());
    EXPECT_TRUE(job.content().notes.empty());
}

// The promise of the file: killed at any moment, it opens with every finished action and nothing of another.
TEST_F(JobStore, killed_in_the_middle_of_200_actions_it_keeps_every_finished_one) {
    int killed_inside = 0;
    std::mt19937 random(20261124);
    for (int round = 0; round < 16; ++round) {
        fs::remove(file);
        fs::remove(file.string() + "-journal");
        int pipes[2];
        ASSERT_EQ(pipe(pipes), 0);
        const unsigned seed = random();
        const pid_t child = fork();
        if (child == 0) {
            ::close(pipes[0]);
            try {
                JobFile job(file, Open::create);
                std::mt19937 actions(seed);
                for (int i = 0; i < 200; ++i) {
                    random_change(job, actions);
                    if (::write(pipes[1], "x", 1) != 1) _exit(3);
                }
            } catch (...) { _exit(2); }
            _exit(0);
        }
        ::close(pipes[1]);
        // Die after a random number of reports and a random moment more.
        const int wanted = static_cast<int>(random() % 190) + 1;
        int finished = 0;
        char c;
        while (finished < wanted && ::read(pipes[0], &c, 1) == 1) ++finished;
        usleep(random() % 4000);
        kill(child, SIGKILL);
        while (::read(pipes[0], &c, 1) == 1) ++finished;
        ::close(pipes[0]);
        int status = 0;
        waitpid(child, &status, 0);
        ASSERT_TRUE(WIFSIGNALED(status) || WEXITSTATUS(status) == 0) << WEXITSTATUS(status);
        killed_inside += WIFSIGNALED(status) && finished < 200;

        JobFile opened(file, Open::existing);
        const std::string found = opened.store().dump();
        // The same actions in a file of their own, as far as they were finished; one more may have been, unreported.
        Scratch other;
        JobFile twin(other / "b.refero", Open::create);
        std::mt19937 actions(seed);
        for (int i = 0; i < finished; ++i) random_change(twin, actions);
        const bool as_reported = twin.store().dump() == found;
        if (!as_reported && finished < 200) random_change(twin, actions);
        EXPECT_EQ(twin.store().dump(), found) << "round " << round << ", " << finished << " finished";
    }
    EXPECT_GT(killed_inside, 9);
    test::measured("killed %d times in the middle of 200 actions: every finished one was kept", killed_inside);
}

std::string refused(const fs::path& file, const Schema& schema = job_schema()) {
    const std::string before = sha256_of(file);
    std::string words;
    try {
        Store store(file, schema, Open::existing);
    } catch (const Error& e) {
        EXPECT_EQ(e.file(), file);
        words = e.what();
    }
    EXPECT_EQ(sha256_of(file), before) << "touched";
    EXPECT_FALSE(fs::exists(file.string() + "-wal")) << "left behind";
    return words;
}

TEST_F(JobStore, foreign_newer_and_cut_files_are_refused_untouched) {
    {
        JobFile job(file, Open::create);
        for (int i = 0; i < 50; ++i)
            job.change(
                "f", [&](Edit& e) { e.add(FrameRecord{.path = std::to_string(i), .problem = std::string(900, 'x')}); });
    }
    const std::string whole = read_file(file);
    EXPECT_TRUE(
        refused(test::written(scratch / "text.refero", "this is a text, and it is longer than a hundred bytes so that "
                                                       "it might be taken for something that it is not"))
            .find("not a Refero job") != std::string::npos);
    EXPECT_TRUE(refused(test::written(scratch / "empty.refero", "")).find("not a Refero job") != std::string::npos);
    for (const std::size_t size : {whole.size() / 2, whole.size() - 4096, std::size_t{4096}, std::size_t{5000}})
        EXPECT_TRUE(refused(test::written(scratch / "cut.refero", whole.substr(0, size))).find("cut short") !=
                    std::string::npos)
            << size;
    std::string newer = whole;
    newer[63] = 99; // user_version, https://sqlite.org/fileformat.html section 1.3
    EXPECT_TRUE(refused(test::written(scratch / "newer.refero", newer)).find("newer Refero (format 99") !=
                std::string::npos);
    std::string damaged = whole;
    std::fill(damaged.begin() + 3 * 4096, damaged.begin() + 9 * 4096, '\x55');
    EXPECT_TRUE(refused(test::written(scratch / "damaged.refero", damaged)).find("damaged") != std::string::npos);
    EXPECT_TRUE(refused(file, kit_schema()).find("not a Refero kit") != std::string::npos); // a job is no kit
    sqlite3* other = nullptr;
    ASSERT_EQ(sqlite3_open((scratch / "other.refero").c_str(), &other), SQLITE_OK);
    sqlite3_exec(other, "CREATE TABLE t (a)", nullptr, nullptr, nullptr);
    sqlite3_close(other);
    EXPECT_TRUE(refused(scratch / "other.refero").find("a database, but not a Refero job") != std::string::npos);
    EXPECT_THROW(JobFile(scratch / "nowhere/a.refero", Open::create), Error);
    EXPECT_THROW(JobFile(file, Open::create), Error); // never over an existing one
    EXPECT_THROW(JobFile(scratch.folder(), Open::existing), Error);
    EXPECT_NO_THROW(JobFile(file, Open::existing));
}

TEST_F(JobStore, a_job_is_open_in_one_place_only) {
    JobFile job(file, Open::create);
    job.change("x", [](Edit& e) { e.add(NoteRecord{.text = "x"}); });
    // Locks belong to processes: another one tries.
    const pid_t child = fork();
    if (child == 0) {
        try {
            JobFile other(file, Open::existing);
            _exit(0);
        } catch (const Error& e) {
            _exit(std::string(e.what()).find("open in another Refero") != std::string::npos ? 7 : 8);
        }
    }
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_EQ(WEXITSTATUS(status), 7);
}

// Migrations: a file of version 1 opened by a program that knows version 3.
TEST_F(JobStore, an_older_file_is_migrated_and_a_copy_of_it_kept) {
    Schema v1{0x52667431,
              "test",
              {"CREATE TABLE note (id INTEGER PRIMARY KEY, setup INTEGER, at TEXT, text TEXT)"},
              {"note"}};
    Schema v3 = v1;
    v3.migrations.push_back(
        "ALTER TABLE note RENAME COLUMN at TO moment; ALTER TABLE note ADD COLUMN at TEXT DEFAULT 'then'");
    v3.migrations.push_back("UPDATE note SET text = text || '!'");
    {
        Store old(file, v1, Open::create);
        old.change("x", [](Edit& e) { e.add(NoteRecord{.text = "hello"}); });
    }
    {
        Store now(file, v3, Open::existing);
        ASSERT_EQ(now.all<NoteRecord>().size(), 1u);
        EXPECT_EQ(now.all<NoteRecord>()[0].text, "hello!");
        EXPECT_EQ(now.all<NoteRecord>()[0].at, "then");
        EXPECT_TRUE(now.undo().empty()); // the older shape cannot be undone into the newer
        EXPECT_EQ(now.log().size(), 1u);
    }
    EXPECT_EQ(Store(fs::path(file.string() + ".v1"), v1, Open::existing).all<NoteRecord>()[0].text, "hello");
    EXPECT_TRUE(refused(file, v1).find("newer Refero") != std::string::npos);
    Schema broken = v3;
    broken.migrations.push_back("UPDATE note SET text = 'lost'; THIS IS NO SQL");
    EXPECT_THROW(Store(file, broken, Open::existing), Error);
    EXPECT_EQ(Store(file, v3, Open::existing).all<NoteRecord>()[0].text, "hello!"); // all or nothing
}

TEST_F(JobStore, a_copy_is_whole_and_opens) {
    JobFile job(file, Open::create);
    job.change("x", [](Edit& e) { e.add(NoteRecord{.text = "x"}); });
    job.store().save_copy(scratch / "copy.refero");
    JobFile copy(scratch / "copy.refero", Open::existing);
    EXPECT_EQ(copy.store().dump(), job.store().dump());
}

TEST_F(JobStore, the_kit_is_shared_and_follows_its_own_rules) {
    KitFile kit(scratch / "kit.refero-kit", Open::either), same(scratch / "kit.refero-kit", Open::either);
    kit.change("Light", [](Edit& e) {
        const Id l = e.add(LightRecord{.uid = new_uid(), .name = "Panel"});
        e.add(LightReadingRecord{.light = l, .at = "2026-01-01T10:00:00", .kelvin = 4300, .duv = 0.002});
    });
    same.change("Monitor", [](Edit& e) { e.add(MonitorRecord{.name = "Desk", .calibrated = "2026-05-01"}); });
    EXPECT_EQ(same.content().lights.size(), 1u) << "a change takes in what others have done";
    EXPECT_FALSE(same.refresh());
    EXPECT_TRUE(kit.refresh()); // what the other one added
    EXPECT_EQ(kit.content().monitors.size(), 1u);
    EXPECT_FALSE(kit.refresh());
    const KitFile again(scratch / "kit.refero-kit", Open::existing);
    EXPECT_EQ(again.content().light_readings.size(), 1u);
    EXPECT_EQ(again.content().monitors.size(), 1u);
    EXPECT_NE(new_uid(), new_uid());
}

} // namespace
} // namespace refero::store
