// Files from somebody else: a job, kit or archive may name anything and hold anything; none of it does harm here.
#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <sstream>

#include "fit/fit.hpp"
#include "operations/capture/files.hpp"
#include "operations/capture/intake.hpp"
#include "operations/handover/archive.hpp"
#include "operations/handover/report.hpp"
#include "store/document.hpp"
#include "store/internal/known_schema.hpp"
#include "store/reading.hpp"
#include "support.hpp"

namespace refero::operations {
namespace {

using namespace store;
using test::Scratch;
using test::written;
using Open = JobFile::Open;

/// Runs SQL on a file behind our back.
void by_sql(const fs::path& file, const std::string& sql) {
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    char* problem = nullptr;
    EXPECT_EQ(sqlite3_exec(db, sql.c_str(), nullptr, nullptr, &problem), SQLITE_OK) << sql << ": " << problem;
    sqlite3_close(db);
}

struct Foreign : testing::Test {
    Scratch scratch;
    fs::path file = scratch / "shoot.refero";

    /// A job with a chart shot, read and fitted, and a note.
    void make_job() {
        test::shoot({.width = 600, .height = 400}, scratch / "a.dng");
        JobFile job(file, Open::create);
        const Taken taken = take_in(job.content(), {}, look_at(scratch / "a.dng", limits_of(job.content().brief())),
                                    {.by_hand = true, .alone = true});
        job.change(taken.rows);
        job.change("Note", [](Edit& e) { e.add(shoot::NoteRecord{.text = "hello"}); });
    }
    std::vector<fs::path> inside(const fs::path& folder) const {
        std::vector<fs::path> all;
        for (const auto& entry : fs::recursive_directory_iterator(folder)) all.push_back(entry.path());
        return all;
    }
    static bool packs(const Archived& a, const std::string& name) {
        return std::any_of(a.files.begin(), a.files.end(),
                           [&](const std::string& f) { return f.find(name) != std::string::npos; });
    }
    static bool tells(const std::vector<Outside>& all, const fs::path& path) {
        return std::any_of(all.begin(), all.end(), [&](const Outside& o) { return o.path == path; });
    }
};

// Opened, looked at, changed, undone: everything that a person does first. What cannot be used is told in words.
void use(const fs::path& file) {
    JobFile job(file, Open::existing);
    for (const ChainFacts& facts : facts_of(job.content())) derived(facts);
    for (const shoot::FrameRecord& f : job.content().frames) state_of(f);
    report_html(job.content(), {});
    job.change("Note", [](Edit& e) { e.add(shoot::NoteRecord{.text = "mine"}); });
    job.undo();
    try {
        job.undo();
    } catch (const Error& e) { EXPECT_NE(e.message().find("undo"), std::string::npos) << e.what(); }
}

TEST_F(Foreign, hostile_files_are_refused_in_words_or_open_without_harm) {
    make_job();
    KitFile(scratch / "kit.refero-kit", Open::create).change("A camera", [](Edit& e) {
        e.add(shoot::CameraRecord{.name = "Stills A"});
    });
    archive(JobFile(file, Open::existing), scratch / "good.zip", {});
    const fs::path out = scratch / "hostile";
    fs::create_directory(out);
    const std::string make = std::string("python3 '" REFERO_SOURCE_DIR "/tests/hostile/make' '") + file.string() +
                             "' '" + (scratch / "kit.refero-kit").string() + "' '" + (scratch / "good.zip").string() +
                             "' '" + out.string() + "' > '" + (scratch / "list.txt").string() + "'";
    ASSERT_EQ(std::system(make.c_str()), 0);
    std::istringstream list(read_file(scratch / "list.txt"));
    int made = 0;
    for (std::string line; std::getline(list, line); ++made) {
        const std::string name = line.substr(0, line.find('\t')), rest = line.substr(name.size() + 1),
                          outcome = rest.substr(0, rest.find('\t'));
        SCOPED_TRACE(line);
        const fs::path hostile = out / name;
        const std::string before = sha256_of(hostile);
        const auto folder_before = inside(out);
        bool refused = false;
        try {
            if (name.ends_with(".zip")) unpack(hostile, scratch / "unpacked", Existing::refuse);
            else if (name.ends_with(".refero")) use(hostile);
            else
                KitFile(hostile, Open::either).change("A light", [](Edit& e) {
                    e.add(shoot::LightRecord{.name = "L"});
                });
        } catch (const Error& e) {
            refused = true;
            EXPECT_TRUE(e.kind() == ErrorKind::input || e.kind() == ErrorKind::usage ||
                        e.kind() == ErrorKind::internal);
            EXPECT_FALSE(e.message().empty());
            EXPECT_FALSE(e.remedy().empty()) << e.what();
            EXPECT_EQ(e.message().find("SQL"), std::string::npos) << e.what();
            EXPECT_EQ(e.message().find("json"), std::string::npos) << e.what();
        }
        EXPECT_EQ(refused, outcome == "refused");
        if (!refused) continue;
        EXPECT_EQ(sha256_of(hostile), before); // not touched
        EXPECT_EQ(inside(out), folder_before);
        if (name.ends_with(".zip"))
            EXPECT_TRUE(!fs::exists(scratch / "unpacked") || inside(scratch / "unpacked").empty());
        EXPECT_FALSE(fs::exists(scratch / "evil") || fs::exists("/tmp/evil"));
    }
    EXPECT_GE(made, 40);
    test::measured("hostile job, kit and archive files: %d", made);
}

TEST_F(Foreign, a_step_of_undo_that_is_damaged_is_told_and_the_job_goes_on) {
    JobFile job(file, Open::create);
    for (int i = 0; i < 3; ++i) job.change("Note", [](Edit& e) { e.add(shoot::NoteRecord{.text = "x"}); });
    by_sql(file, "UPDATE history SET changes = zeroblob(1000)");
    EXPECT_THROW(job.undo(), Error);
    EXPECT_EQ(job.content().notes.size(), 3u);
    job.change("Note", [](Edit& e) { e.add(shoot::NoteRecord{.text = "y"}); });
    EXPECT_TRUE(job.undo());
}

// An action that takes more work than any job asks for is ended (the endless expressions above are refused before).
TEST_F(Foreign, work_without_an_end_is_ended) {
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    sqlite3_close(db);
    SQLite::Database own(file.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    Budget budget;
    budget.limit(20'000'000);
    harden(own, budget);
    EXPECT_THROW(own.exec("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n"),
                 SQLite::Exception);
    budget.begin();
    own.exec(
        "CREATE TABLE a (b); CREATE TRIGGER t AFTER INSERT ON a BEGIN DELETE FROM a; END; INSERT INTO a VALUES (1)");
    EXPECT_EQ(own.execAndGet("SELECT count(*) FROM a").getInt(), 1); // triggers are off
    EXPECT_THROW(own.exec("PRAGMA writable_schema = ON; UPDATE sqlite_master SET sql = 'x'"), SQLite::Exception);
}

TEST_F(Foreign, a_job_that_names_a_folder_does_not_make_the_archive_take_it) {
    make_job();
    fs::create_directories(scratch / "secrets/deep");
    written(scratch / "secrets/key", "private");
    written(scratch / "secrets/deep/note", "diary");
    written(scratch / "lonely", "private, too");
    {
        JobFile job(file, Open::existing);
        const shoot::Id setup = job.content().setups.at(0).id;
        job.change("As somebody else made it", [&](Edit& e) {
            e.add(shoot::HandoverRecord{.setup = setup, .file = (scratch / "secrets").string(), .kind = "ocio"});
            e.add(shoot::HandoverRecord{.setup = setup, .file = (scratch / "lonely").string(), .kind = "cube"});
            const shoot::Id h = e.add(shoot::HandoverRecord{.setup = setup, .file = (scratch / "secrets").string()});
            e.add(shoot::HandoverFileRecord{
                .handover = h, .name = "../lonely", .size = 12, .sha256 = sha256_of(scratch / "lonely")});
            e.add(shoot::HandoverFileRecord{.handover = h, .name = "key", .size = 7, .sha256 = std::string(64, '0')});
            e.add(shoot::FrameRecord{.path = (scratch / "secrets/deep/note").string(), .size = 5});
        });
    }
    const JobFile job(file, Open::existing);
    const Archived done = archive(job, scratch / "a.zip", {.all_frames = true});
    for (const char* name : {"key", "note", "lonely"}) EXPECT_FALSE(packs(done, name)) << name;
    for (const char* place : {"secrets", "lonely", "secrets/key", "secrets/deep/note"})
        EXPECT_TRUE(tells(done.outside, scratch / place)) << place;
    EXPECT_TRUE(packs(done, "a.dng"));
    // Who has looked at the places may give them.
    const Archived all = archive(job, scratch / "b.zip", {.all_frames = true, .outside = true});
    for (const char* name : {"key", "note", "lonely"}) EXPECT_TRUE(packs(all, name)) << name;
}

TEST_F(Foreign, what_cannot_be_read_is_named_and_the_archive_goes_on) {
    make_job();
    fs::create_directories(scratch / "set/locked");
    written(scratch / "set/open.txt", "open");
    written(scratch / "set/locked/shut.txt", "shut");
    fs::permissions(scratch / "set/locked", fs::perms::none);
    {
        JobFile job(file, Open::existing);
        job.change("Hand over", [&](Edit& e) {
            e.add(shoot::HandoverRecord{.setup = job.content().setups.at(0).id, .file = (scratch / "set").string()});
        });
    }
    fs::permissions(scratch.folder(), fs::perms::all);
    const pid_t child = fork();
    if (child == 0) { // as somebody who may not read everything
        if (setgid(65534) != 0 || setuid(65534) != 0) _exit(3);
        try {
            const Archived done = archive(JobFile(file, Open::viewing), scratch / "a.zip", {.outside = true});
            _exit(packs(done, "open.txt") && packs(done, "a.dng") && !packs(done, "shut") &&
                          tells(done.unreadable, scratch / "set/locked")
                      ? 0
                      : 1);
        } catch (const Error& e) {
            std::fprintf(stderr, "%s\n", e.what());
            _exit(2);
        }
    }
    int status = 0;
    waitpid(child, &status, 0);
    fs::permissions(scratch / "set/locked", fs::perms::owner_all);
    EXPECT_EQ(WEXITSTATUS(status), 0);
}

TEST_F(Foreign, a_handover_is_packed_as_it_was_written) {
    make_job();
    written(scratch / "look.cube", "as written");
    {
        JobFile job(file, Open::existing);
        const Chain chain = chain_of(job.content(), job.content().setups.at(0).id);
        job.change(keep(job.content(), chain, recorded({scratch / "look.cube", "LUT", "for grading"})));
        fs::create_directories(scratch / "set/luts");
        written(scratch / "set/config.ocio", "configuration");
        written(scratch / "set/luts/a.clf", "lut");
        written(scratch / "set/mine.txt", "lay there before");
        job.change(keep(job.content(), chain,
                        recorded({scratch / "set", "OCIO", ""}, {"config.ocio", fs::path("luts") / "a.clf"})));
    }
    const JobFile job(file, Open::existing);
    ASSERT_EQ(job.content().handover_files.size(), 3u);
    const Archived done = archive(job, scratch / "a.zip", {});
    EXPECT_TRUE(packs(done, "look.cube") && packs(done, "config.ocio") && packs(done, "a.clf"));
    EXPECT_FALSE(packs(done, "mine.txt"));
    written(scratch / "look.cube", "as replaced");
    const Archived later = archive(job, scratch / "b.zip", {});
    EXPECT_FALSE(packs(later, "look.cube"));
    EXPECT_TRUE(tells(later.outside, scratch / "look.cube"));
    const Unpacked there = unpack(scratch / "a.zip", scratch / "there", Existing::refuse);
    const JobFile again(there.job, Open::existing);
    for (const shoot::HandoverRecord& h : again.content().handovers) EXPECT_TRUE(fs::exists(h.file)) << h.file;
    EXPECT_TRUE(packs(archive(again, scratch / "c.zip", {}), "config.ocio")); // and from there once more
}

TEST_F(Foreign, a_correction_that_names_a_file_gets_its_hash_into_no_record) {
    make_job();
    written(scratch / "private.dng", "not a picture at all");
    const MeasuredShot shot = take_shot(scratch / "a.dng", {.chart = "grid24"});
    fit::Correction c = correct({shot}, chart::reference_of(shot.definition), {});
    c.sources.front().file = scratch / "private.dng";
    c.sources.front().sha256.clear();
    fit::save(c, scratch / "theirs.json");
    JobFile job(scratch / "mine.refero", Open::create);
    job.change(take_correction(job.content(), {}, scratch / "theirs.json").rows);
    ASSERT_EQ(job.content().frames.size(), 1u);
    EXPECT_EQ(job.content().frames[0].sha256, "");
    EXPECT_FALSE(packs(archive(job, scratch / "a.zip", {.all_frames = true}), "private"));
}

// A frame that an opened job merely names gets its hash when a person takes it in, and not before.
TEST_F(Foreign, looking_again_confirms_no_place) {
    make_job();
    JobFile job(file, Open::existing);
    shoot::FrameRecord named = job.content().frames.at(0);
    named.sha256.clear();
    named.problem = "it could not be read there";
    job.change("As it came", [&](Edit& e) { e.update(named); });
    const Arrival seen = look_at(scratch / "a.dng", limits_of(job.content().brief()));
    job.change(take_in(job.content(), {}, seen, {.confirmed = false}).rows);
    EXPECT_EQ(job.content().frames.at(0).problem, "");
    EXPECT_EQ(job.content().frames.at(0).sha256, "");
    EXPECT_EQ(state_of(job.content().frames.at(0)), FileState::unknown);
    EXPECT_FALSE(is_as_known(job.content().frames.front()));
    job.change(
        take_in(job.content(), {}, look_at(scratch / "a.dng", limits_of(job.content().brief())), {.by_hand = true})
            .rows);
    EXPECT_EQ(job.content().frames.at(0).sha256, sha256_of(scratch / "a.dng"));
    EXPECT_TRUE(is_as_known(job.content().frames.front()));
}

TEST_F(Foreign, a_job_called_like_a_folder_of_the_archive_comes_back) {
    for (const char* name : {"frames", "handovers", "job", "x-journal"}) {
        const fs::path odd = scratch / name;
        JobFile(odd, Open::create).change("Note", [](Edit& e) { e.add(shoot::NoteRecord{.text = "kept"}); });
        archive(JobFile(odd, Open::existing), scratch / (std::string(name) + ".zip"), {});
        const Unpacked there =
            unpack(scratch / (std::string(name) + ".zip"), scratch / (std::string("to-") + name), Existing::refuse);
        EXPECT_EQ(JobFile(there.job, Open::existing).content().notes.at(0).text, "kept");
    }
}

// Ended by a signal or killed: nothing hidden stays for long.
TEST_F(Foreign, what_was_under_way_is_swept) {
    make_job();
    archive(JobFile(file, Open::existing), scratch / "a.zip", {});
    const auto hidden = [&] {
        int n = 0;
        if (fs::exists(scratch / "there"))
            for (const auto& e : fs::directory_iterator(scratch / "there"))
                n += e.path().filename().string().starts_with(".");
        return n;
    };
    for (const int signal : {SIGTERM, SIGKILL}) {
        const pid_t child = fork();
        if (child == 0) {
            remove_unfinished_files_on_signals();
            fs::create_directories(scratch / "there");
            const TemporaryFolder folder(scratch / "there", "refero-unpack");
            fs::create_directories(folder.path() / "deep/er");
            written(folder.path() / "deep/er/file", "half");
            raise(signal);
            _exit(0);
        }
        int status = 0;
        waitpid(child, &status, 0);
        EXPECT_TRUE(WIFSIGNALED(status));
        EXPECT_EQ(hidden(), signal == SIGKILL ? 1 : 0);
    }
    // Another program's run removes what the killed one left.
    const pid_t child = fork();
    if (child == 0) _exit(unpack(scratch / "a.zip", scratch / "there", Existing::refuse).files.empty());
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_EQ(WEXITSTATUS(status), 0);
    EXPECT_EQ(hidden(), 0);
}

// ---- files of earlier versions

/// A file of version `n` as that version made it; `history` is the table of undo that it had.
fs::path of_version(const fs::path& file, const Schema& schema, int n, const char* history, const std::string& rows) {
    sqlite3* db = nullptr;
    EXPECT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    std::string sql = std::string(history) +
                      "CREATE TABLE log (id INTEGER PRIMARY KEY, at TEXT NOT NULL, what TEXT NOT NULL, place TEXT NOT "
                      "NULL DEFAULT '');";
    for (int i = 0; i < n; ++i) sql += schema.migrations[static_cast<std::size_t>(i)];
    sql += "PRAGMA application_id = " + std::to_string(static_cast<std::int32_t>(schema.application_id)) +
           "; PRAGMA user_version = " + std::to_string(n) + ";" + rows;
    char* problem = nullptr;
    EXPECT_EQ(sqlite3_exec(db, sql.c_str(), nullptr, nullptr, &problem), SQLITE_OK) << n << ": " << problem;
    sqlite3_close(db);
    return file;
}

constexpr const char* histories[] = {
    "CREATE TABLE history (id INTEGER PRIMARY KEY, what TEXT NOT NULL, quiet INTEGER NOT NULL, undone INTEGER NOT NULL "
    "DEFAULT 0, changes BLOB NOT NULL);",
    "CREATE TABLE history (id INTEGER PRIMARY KEY, what TEXT NOT NULL, quiet INTEGER NOT NULL,\n  undone INTEGER NOT "
    "NULL DEFAULT 0, changes BLOB NOT NULL, owner TEXT NOT NULL DEFAULT '');"};

TEST_F(Foreign, jobs_of_every_earlier_version_open_with_all_that_they_hold) {
    const int versions = static_cast<int>(job_schema().migrations.size());
    ASSERT_EQ(versions, 12);
    for (int v = 1; v < versions; ++v)
        for (const char* history : histories) {
            SCOPED_TRACE(v);
            const fs::path old = scratch / ("job" + std::to_string(v) + (history == histories[0] ? "a" : "b"));
            const std::string columns = "UPDATE reading SET page = 1, encoding = 'hlg' WHERE id = 1;";
            of_version(
                old, job_schema(), v, history,
                std::string(
                    "INSERT INTO camera (id, name, model) VALUES (1, 'A', 'Stills A'); INSERT INTO lens (id, name) "
                    "VALUES (1, 'L'); INSERT INTO mode (id, name, kind, encoding) VALUES (1, 'raw', 'raw', "
                    "'linear'); INSERT INTO light (id, name, kelvin) VALUES (1, 'Window', 5500); INSERT INTO card "
                    "(id, name, definition) VALUES (1, 'mine', 'grid24'); INSERT INTO setup (id, camera, mode, "
                    "light, card, note) VALUES (1, 1, 1, 1, 1, 'n'); INSERT INTO frame (id, path, size, sha256, "
                    "kind, setup, camera, by_hand, taken) VALUES (1, '/x/a.dng', 10, 'abc', 'chart', 1, 1, 0, "
                    "'2026-05-04T10:00:00'), (2, '/x/b.dng', 11, 'abd', 'chart', 1, 1, 0, '2026-05-04T12:00:00'), "
                    "(3, '/x/c.dng', 12, 'abe', 'ordinary', 1, 1, 1, '2026-05-04T12:10:00'); INSERT INTO chart_shot "
                    "(id, setup, frame, kelvin) VALUES (1, 1, 1, 6200), (2, 1, 2, 5500); INSERT INTO finding (id, "
                    "chart_shot, \"check\", status, value, \"limit\") VALUES (1, 2, 'tilt', 'pass', 3, 10); INSERT "
                    "INTO correction (id, setup, chart_shot, made, settings, content) VALUES (1, 1, 2, "
                    "'2026-05-04T13:00:00Z', '', '{}'); INSERT INTO proof (id, correction, mean, basis) VALUES (1, "
                    "1, 0.7, 'patches left out'); INSERT INTO handover (id, setup, correction, file, kind) VALUES "
                    "(1, 1, 1, '/x/a.cube', 'LUT'); INSERT INTO note (id, setup, text) VALUES (1, 1, 'note'); "
                    "INSERT INTO reading (id, chart_shot, made_from, content) VALUES (1, 1, '|', "
                    "'{\"page\":true,\"encoding\":\"hlg\"}'), (2, 2, '|', 'broken');"
                    "INSERT INTO fallback (id, camera, kind) VALUES (1, 'A', 'window'); INSERT INTO place (id, "
                    "name) VALUES (1, 'reading room'); INSERT INTO history (what, quiet, changes) VALUES ('x', 0, "
                    "x'00');") +
                    (v < 11 ? "" : columns));
            JobFile job(old, Open::existing);
            const shoot::Shoot& s = job.content();
            EXPECT_EQ(s.frames.size(), 3u);
            EXPECT_EQ(s.brief().frame_exposure, shoot::FrameExposure::chart);
            EXPECT_EQ(s.frames.at(0).as_shot_kelvin, 0);
            EXPECT_TRUE(s.colours.empty());
            EXPECT_EQ(s.frames.at(1).sha256, "abd");
            EXPECT_EQ(s.frames.at(1).changed_ns, 0);
            EXPECT_TRUE(s.frames.at(2).by_hand);
            EXPECT_EQ(s.chart_shots.at(0).kelvin, 6200);
            EXPECT_EQ(s.findings.at(0).check, inspect::Check::tilt);
            EXPECT_EQ(s.corrections.at(0).chart_shot, 2);
            EXPECT_EQ(s.proofs.at(0).mean, 0.7);
            EXPECT_EQ(s.handovers.at(0).file, "/x/a.cube");
            EXPECT_TRUE(s.handover_files.empty()); // without a list they count as outside
            EXPECT_TRUE(s.readings.at(0).page);
            EXPECT_EQ(s.readings.at(0).encoding, "hlg");
            EXPECT_FALSE(s.readings.at(1).page);
            EXPECT_EQ(s.notes.at(0).text, "note");
            EXPECT_EQ(s.fallbacks.size(), 1u);
            EXPECT_EQ(s.places.at(0).name, "reading room");
            EXPECT_EQ(s.brief().turn_school, shoot::TurnSchool::slight);
            EXPECT_EQ(job.undo_title(), ""); // steps of the older shape are gone
            EXPECT_TRUE(fs::exists(old.string() + ".v" + std::to_string(v)));
            job.change("More", [](Edit& e) { e.add(shoot::NoteRecord{.text = "more"}); });
            EXPECT_TRUE(job.undo());
            EXPECT_TRUE(job.redo());
        }
    for (const auto& entry : fs::directory_iterator(scratch.folder())) // and all of them once more as they are now
        if (const std::string name = entry.path().filename(); name.starts_with("job") && name.find('.') == name.npos)
            EXPECT_EQ(JobFile(entry.path(), Open::existing).content().notes.size(), 2u) << name;
}

TEST_F(Foreign, kits_of_every_earlier_version_open_with_all_that_they_hold) {
    const int versions = static_cast<int>(kit_schema().migrations.size());
    ASSERT_EQ(versions, 7);
    for (int v = 1; v < versions; ++v)
        for (const char* history : histories) {
            SCOPED_TRACE(v);
            const fs::path old = scratch / ("kit" + std::to_string(v) + (history == histories[0] ? "a" : "b"));
            of_version(
                old, kit_schema(), v, history,
                "INSERT INTO camera (id, name) VALUES (1, 'A'); INSERT INTO light (id, name) VALUES (1, 'W'); "
                "INSERT INTO light_reading (id, light, kelvin) VALUES (1, 1, 5500); INSERT INTO monitor (id, "
                "name) VALUES (1, 'M'); INSERT INTO warmth (id, name, mired) VALUES (1, 'warm', 15); INSERT INTO "
                "balance (id, camera, name, kelvin) VALUES (1, 1, 'b', 3200); INSERT INTO series_shot (id, "
                "client, job) VALUES (1, 'museum', 'j'); INSERT INTO card (id, name) VALUES (1, 'c');");
            KitFile kit(old, Open::existing);
            EXPECT_EQ(kit.content().light_readings.at(0).kelvin, 5500);
            EXPECT_EQ(kit.content().warmths.at(0).mired, 15);
            EXPECT_EQ(kit.content().balances.at(0).kelvin, 3200);
            EXPECT_EQ(kit.content().balances.at(0).number, 0);
            EXPECT_EQ(kit.content().monitors.at(0).target, "srgb");
            EXPECT_EQ(kit.content().series.at(0).client, "museum");
            kit.change("More", [](Edit& e) { e.add(shoot::LightRecord{.name = "more"}); });
            EXPECT_TRUE(kit.undo());
        }
}

} // namespace
} // namespace refero::operations
