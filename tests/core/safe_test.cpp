// What must not be lost: a job renamed, copied, removed or opened while others write; side files of others; names of
// any kind.
#include <fcntl.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "operations/capture/measure.hpp"
#include "operations/correct/keeping.hpp"
#include "shoot/settings.hpp"
#include "store/document.hpp"
#include "support.hpp"

namespace refero::store {
namespace {

using Note = shoot::NoteRecord;
using test::Scratch;
using test::written;
using Open = JobFile::Open;

void note(JobFile& job, const std::string& text) {
    job.change(text, [&](Edit& e) { e.add(Note{.text = text}); });
}

std::size_t notes_in(const fs::path& file) { return JobFile(file, Open::existing).content().notes.size(); }

struct Safe : testing::Test {
    Scratch scratch;
    fs::path file = scratch / "shoot.refero";
    std::string refused(const fs::path& path) {
        try {
            const JobFile job(path, Open::existing);
            return "opened";
        } catch (const Error& e) { return e.what(); }
    }
    /// Another program is killed in the middle of a change of the file, with its journal on the disk.
    void leave_unfinished_change() {
        const pid_t child = fork();
        if (child == 0) {
            sqlite3* db = nullptr;
            sqlite3_open(file.c_str(), &db);
            sqlite3_exec(
                db,
                "PRAGMA cache_size = 1; BEGIN; INSERT INTO note (text) SELECT 'x' FROM "
                "(WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 20000) SELECT i FROM n)",
                nullptr, nullptr, nullptr);
            kill(getpid(), SIGKILL);
        }
        int status = 0;
        waitpid(child, &status, 0);
    }
};

TEST_F(Safe, between_changes_a_job_is_one_whole_file_that_can_be_copied) {
    JobFile job(file, Open::create);
    for (int i = 0; i < 4; ++i) {
        note(job, "n" + std::to_string(i));
        for (const auto& entry : fs::directory_iterator(scratch.folder()))
            EXPECT_TRUE(entry.path() == file || entry.path().filename().string().starts_with("copy")) << entry.path();
        const fs::path copy = scratch / ("copy" + std::to_string(i) + ".refero");
        fs::copy_file(file, copy);
        EXPECT_EQ(notes_in(copy), static_cast<std::size_t>(i) + 1);
    }
}

TEST_F(Safe, a_job_that_is_renamed_while_it_is_open_goes_on_under_its_new_name) {
    JobFile job(file, Open::create);
    note(job, "before");
    const fs::path moved = scratch / "renamed.refero";
    fs::rename(file, moved);
    note(job, "after");
    const auto told = job.store().follow();
    ASSERT_TRUE(told);
    EXPECT_EQ(told->from, file);
    EXPECT_EQ(told->to, moved);
    EXPECT_FALSE(told->was_gone);
    EXPECT_EQ(job.file(), moved);
    EXPECT_FALSE(job.store().follow());
    EXPECT_TRUE(job.undo());
    EXPECT_TRUE(job.redo());
    // A new job of the old name has nothing to do with it.
    {
        JobFile fresh(file, Open::create);
        EXPECT_EQ(fresh.content().notes.size(), 0u);
        note(fresh, "other");
    }
    note(job, "last");
    EXPECT_EQ(job.content().notes.size(), 3u);
    // Still locked under the new name.
    const pid_t child = fork();
    if (child == 0) _exit(refused(moved).find("open in another Refero") != std::string::npos ? 7 : 8);
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_EQ(WEXITSTATUS(status), 7);
}

TEST_F(Safe, a_job_that_is_removed_or_replaced_while_it_is_open_is_saved_elsewhere) {
    {
        JobFile job(file, Open::create);
        note(job, "before");
        fs::remove(file);
        note(job, "after");
        const auto told = job.store().follow();
        ASSERT_TRUE(told && told->was_gone);
        EXPECT_EQ(job.file(), told->to);
        EXPECT_TRUE(fs::exists(told->to));
    }
    EXPECT_EQ(notes_in(file), 2u); // in its old place, which was free
    // Another file was put in its place: neither is touched.
    JobFile job(file, Open::existing);
    JobFile(scratch / "other.refero", Open::create);
    fs::rename(scratch / "other.refero", file);
    note(job, "mine");
    const auto told = job.store().follow();
    ASSERT_TRUE(told && told->was_gone);
    EXPECT_NE(told->to, file);
    EXPECT_EQ(notes_in(file), 0u);
    EXPECT_EQ(job.content().notes.size(), 3u);
}

TEST_F(Safe, an_unfinished_change_of_another_file_is_refused_and_its_own_is_rolled_back) {
    { JobFile(file, Open::create); }
    leave_unfinished_change();
    const fs::path journal = file.string() + "-journal";
    ASSERT_TRUE(fs::exists(journal) && fs::file_size(journal) > 512);
    const fs::path kept = scratch / "kept-journal", other = scratch / "other.refero";
    fs::copy_file(journal, kept);
    EXPECT_EQ(notes_in(file), 0u); // its own: as if the change had never begun
    {
        JobFile job(other, Open::create);
        for (int i = 0; i < 5; ++i) note(job, "mine");
    }
    fs::copy_file(kept, other.string() + "-journal");
    const std::string before = sha256_of(other);
    EXPECT_NE(refused(other).find("unfinished change of another file"), std::string::npos) << refused(other);
    EXPECT_EQ(sha256_of(other), before);
    fs::remove(other.string() + "-journal");
    EXPECT_EQ(notes_in(other), 5u);
    // Nor does a new job take over what lies at its name.
    fs::copy_file(kept, (scratch / "new.refero").string() + "-journal");
    EXPECT_THROW(JobFile(scratch / "new.refero", Open::create), Error);
    fs::copy_file(kept, (scratch / "new2.refero").string() + "-wal");
    EXPECT_THROW(JobFile(scratch / "new2.refero", Open::create), Error);
    EXPECT_FALSE(fs::exists(scratch / "new2.refero"));
}

TEST_F(Safe, looking_at_a_job_takes_no_lock_and_settles_what_a_killed_program_left) {
    EXPECT_THROW(JobFile(file, Open::viewing), Error); // there is none
    { JobFile(file, Open::create); }
    leave_unfinished_change();
    { const JobFile looked(file, Open::viewing); }
    EXPECT_FALSE(fs::exists(file.string() + "-journal"));
    EXPECT_EQ(notes_in(file), 0u);
    JobFile held(file, Open::existing);
    note(held, "mine");
    EXPECT_NE(refused(file), "opened"); // another writer
    JobFile looked(file, Open::viewing);
    EXPECT_THROW(note(looked, "not mine"), Error);
    note(held, "still mine");
}

TEST_F(Safe, names_of_any_kind_are_names_of_files) {
    for (const std::string name : {"a?b.refero", "a#b.refero", "a%41b.refero", "a&mode=memory.refero",
                                   "\xc3\xa4 b.refero", "bad\xff.refero", "file:x.refero"}) {
        {
            JobFile job(scratch / name, Open::create);
            note(job, "x");
        }
        EXPECT_EQ(notes_in(scratch / name), 1u) << name;
    }
    EXPECT_FALSE(fs::exists(scratch / "aAb.refero"));
}

TEST_F(Safe, a_job_that_cannot_be_written_is_open_for_viewing) {
    if (geteuid() == 0) {
        // The superuser may write anything: another user looks.
        {
            JobFile job(file, Open::create);
            note(job, "x");
        }
        chmod(file.c_str(), 0444);
        chmod(scratch.folder().c_str(), 0555);
        const pid_t child = fork();
        if (child == 0) {
            if (setgid(65534) != 0 || setuid(65534) != 0) _exit(9);
            try {
                JobFile job(file, Open::existing);
                if (!job.store().for_viewing() || job.content().notes.size() != 1) _exit(2);
                try {
                    note(job, "y");
                    _exit(3);
                } catch (const Error& e) {
                    if (std::string(e.what()).find("open for viewing") == std::string::npos) _exit(4);
                }
                job.store().save_copy("/tmp/refero-viewed-" + std::to_string(getpid()) + ".refero");
                fs::remove("/tmp/refero-viewed-" + std::to_string(getpid()) + ".refero");
                _exit(7);
            } catch (const Error&) { _exit(5); }
        }
        int status = 0;
        waitpid(child, &status, 0);
        EXPECT_EQ(WEXITSTATUS(status), 7);
        // With a change beside it that nobody settled, it would be shown half changed.
        const fs::path journal = file.string() + "-journal";
        chmod(file.c_str(), 0644);
        chmod(scratch.folder().c_str(), 0755);
        leave_unfinished_change();
        ASSERT_TRUE(fs::exists(journal));
        const std::string before = sha256_of(journal);
        for (const fs::path& p : {file, journal}) chmod(p.c_str(), 0444);
        chmod(scratch.folder().c_str(), 0555);
        const pid_t third = fork();
        if (third == 0) {
            if (setgid(65534) != 0 || setuid(65534) != 0) _exit(9);
            _exit(refused(file).find("unfinished change lies beside this job") != std::string::npos ? 7 : 8);
        }
        waitpid(third, &status, 0);
        EXPECT_EQ(WEXITSTATUS(status), 7);
        EXPECT_EQ(sha256_of(journal), before);
        chmod(file.c_str(), 0000);
        const pid_t second = fork();
        if (second == 0) {
            if (setgid(65534) != 0 || setuid(65534) != 0) _exit(9);
            _exit(refused(file).find("may not be read") != std::string::npos ? 7 : 8);
        }
        waitpid(second, &status, 0);
        EXPECT_EQ(WEXITSTATUS(status), 7);
        chmod(scratch.folder().c_str(), 0755);
        chmod(file.c_str(), 0644);
        return;
    }
    {
        JobFile job(file, Open::create);
        note(job, "x");
    }
    chmod(file.c_str(), 0444);
    JobFile job(file, Open::existing);
    EXPECT_TRUE(job.store().for_viewing());
    EXPECT_EQ(job.content().notes.size(), 1u);
    EXPECT_THROW(note(job, "y"), Error);
    chmod(file.c_str(), 0644);
}

TEST_F(Safe, two_programs_on_one_kit_keep_each_others_changes) {
    const fs::path path = scratch / "kit.refero-kit";
    KitFile mine(path, Open::either);
    mine.change("Camera", [](Edit& e) { e.add(shoot::CameraRecord{.uid = "u", .name = "A", .firmware = "1"}); });
    KitFile theirs(path, Open::either);
    shoot::CameraRecord stale = mine.content().cameras[0], other = theirs.content().cameras[0];
    other.firmware = "2";
    theirs.change("Firmware", [&](Edit& e) { e.update(other); });
    stale.note = "scratched"; // from values that do not know the firmware
    mine.change("Note", [&](Edit& e) { e.update(stale); });
    EXPECT_EQ(mine.content().cameras[0].firmware, "2");
    EXPECT_EQ(mine.content().cameras[0].note, "scratched");
    // Undo is one's own.
    EXPECT_EQ(mine.undo_title(), "Note");
    EXPECT_EQ(theirs.undo_title(), "Firmware");
    theirs.refresh();
    theirs.change("Theirs", [](Edit& e) { e.add(shoot::MonitorRecord{.name = "Desk"}); });
    EXPECT_TRUE(mine.undo());
    mine.refresh();
    EXPECT_EQ(mine.content().cameras[0].note, "");
    EXPECT_EQ(mine.content().cameras[0].firmware, "2");
    EXPECT_EQ(mine.content().monitors.size(), 1u);
    EXPECT_TRUE(mine.redo());
    theirs.refresh();
    EXPECT_EQ(theirs.content().cameras[0].note, "scratched");
}

TEST_F(Safe, rows_that_refer_to_new_rows_are_written_with_their_ids) {
    JobFile job(file, Open::create);
    shoot::Change c("New setup", "A");
    const shoot::Id camera = c.add(shoot::CameraRecord{.name = "A"}), mode = c.add(shoot::ModeRecord{.name = "raw"}),
                    light = c.add(shoot::LightRecord{.name = "L"});
    const shoot::Id setup = c.add(shoot::SetupRecord{.camera = camera, .mode = mode, .light = light});
    EXPECT_LT(setup, 0);
    const Ids ids = job.change(c);
    ASSERT_EQ(job.content().setups.size(), 1u);
    EXPECT_EQ(job.content().setups[0].id, ids.at(setup));
    EXPECT_EQ(job.content().setups[0].camera, job.content().cameras[0].id);
    EXPECT_EQ(job.undo_title(), "New setup");
}

TEST_F(Safe, settings_are_kept_as_one_text_and_come_back_equal) {
    shoot::SetupSettings s;
    s.white = "D3";
    s.model = fit::Model::spectral;
    s.intent = fit::Intent::people;
    s.reference = "/some where/r.cgats";
    s.weights = {{"skin", 3}, {"D1", 0.5}};
    s.curves = s.average = true;
    s.samples = {"/a.cgats", "/b.cgats"};
    s.finish = {.stops = -0.5, .warmer_mired = 12, .greener = 1, .light_kept = 0.25};
    s.others = {{"/x.cube", {"bt709", "srgb", true}}};
    shoot::SetupRecord row;
    row.settings = shoot::text_of(s);
    EXPECT_TRUE(shoot::settings_of(row, nullptr) == s);
    shoot::ChartShotRecord shot{.chart = "grid24", .corners = "1,2 3,4 5,6 7.5,8.25"};
    const shoot::SetupSettings with_shot = shoot::settings_of(row, &shot);
    EXPECT_EQ(shoot::text_of(with_shot.corners), shot.corners);
    EXPECT_FALSE(shoot::is_key_of(shoot::fit_key(s), with_shot)); // other corners are another fit
    shoot::SetupSettings finished = s;
    finished.finish.stops = 1;
    EXPECT_TRUE(shoot::is_key_of(shoot::fit_key(s), finished)); // the finish is no part of it
    EXPECT_EQ(shoot::text_of(shoot::SetupSettings{}), "");
    row.settings = "{\"model\":\"of the future\",\"white\":\"D2\",\"unknown\":1}";
    EXPECT_EQ(shoot::settings_of(row, nullptr).white, "D2");
    // The key of an earlier version says the same.
    EXPECT_TRUE(shoot::is_key_of("D2||colorimetric||grid24|", [] {
        shoot::SetupSettings t;
        t.white = "D2";
        t.chart = "grid24";
        return t;
    }()));
}

// A job of the second format, written by hand as that version wrote it.
TEST_F(Safe, a_job_of_an_earlier_format_comes_with_its_decisions) {
    Schema old = job_schema();
    old.migrations.resize(2);
    { Store store(file, old, Store::Open::create); }
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    ASSERT_EQ(sqlite3_exec(
                  db,
                  "INSERT INTO camera (id, name) VALUES (1, 'A'); INSERT INTO mode (id, name, kind) VALUES (1, 'raw', "
                  "'raw'); INSERT INTO light (id, name) VALUES (1, 'L'); INSERT INTO setup (id, camera, mode, light, "
                  "white, model, intent, curves, warmer_mired, spots) VALUES (1, 1, 1, 1, 'D3', 'matrix', 'skin', 1, "
                  "15, 'a'); INSERT INTO frame (id, path, kind) VALUES (1, '/x/a.DNG', 'chart'), (2, '/x/b.jpg', "
                  "'ordinary')",
                  nullptr, nullptr, nullptr),
              SQLITE_OK)
        << sqlite3_errmsg(db);
    sqlite3_close(db);
    const JobFile job(file, Open::existing);
    const shoot::SetupSettings s = shoot::settings_of(job.content().setups.at(0), nullptr);
    EXPECT_EQ(s.white, "D3");
    EXPECT_EQ(s.model, fit::Model::matrix);
    EXPECT_EQ(s.intent, fit::Intent::people);
    EXPECT_TRUE(s.curves);
    EXPECT_EQ(s.finish.warmer_mired, 15);
    EXPECT_EQ(s.spots, std::vector<std::string>{"a"});
    EXPECT_TRUE(job.content().frames.at(0).raw);
    EXPECT_FALSE(job.content().frames.at(1).raw);
    EXPECT_TRUE(fs::exists(file.string() + ".v2"));
}

TEST_F(Safe, a_reading_keeps_the_layout_of_its_chart) {
    test::shoot({.width = 900, .height = 600}, scratch / "a.dng");
    const MeasuredShot shot = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    const std::string text = to_json(shot);
    const MeasuredShot again = measured_from_json(text, scratch / "a.dng");
    EXPECT_EQ(again.definition.patches.size(), 24u);
    EXPECT_EQ(again.definition.reference_file, shot.definition.reference_file);
    // A reading of an earlier version names its chart only; one that has lost a patch since is told, not read past its
    // end.
    auto damaged = text;
    const std::size_t at = damaged.rfind("\"id\":\"A1\"");
    ASSERT_NE(at, std::string::npos);
    damaged.replace(at, 9, "\"id\":\"Z9\"");
    try {
        measured_from_json(damaged, scratch / "a.dng");
        FAIL();
    } catch (const Error& e) { EXPECT_NE(std::string(e.what()).find("Z9"), std::string::npos) << e.what(); }
}

TEST_F(Safe, temporary_files_of_the_dead_are_swept_and_outputs_are_checked) {
    written(scratch / "a", "1");
    EXPECT_THROW(check_outputs({scratch / "a"}, {}, false), Error);
    EXPECT_NO_THROW(check_outputs({scratch / "a"}, {}, true));
    EXPECT_THROW(check_outputs({scratch / "a"}, {scratch / "x/../a"}, true), Error);
    EXPECT_THROW(check_outputs({scratch / "b", scratch / "x/../b"}, {}, true), Error);
    EXPECT_THROW(write_whole(scratch / "a", std::string_view("2"), Existing::refuse), Error);
    EXPECT_EQ(read_file(scratch / "a"), "1");
    EXPECT_THROW(write_whole(scratch.folder(), std::string_view("2")), Error);
    // A writer that leaves nothing has written nothing.
    EXPECT_THROW(write_whole(scratch / "c", [](const fs::path& part) { written(part, ""); }), Error);
    EXPECT_FALSE(fs::exists(scratch / "c"));
}

} // namespace
} // namespace refero::store
