// Firm ground in the real window: nothing lost, nothing stuck, nothing that ends it.
#include <sqlite3.h>
#include <sys/wait.h>

#include <QLabel>

#include "job_window.hpp"
#include "operations/capture/watch.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {
namespace {

struct Firm : JobWindow {
    /// One setup whose chart shot is read.
    void open_read() {
        desk().job.create(job);
        test::shoot({.width = 900, .height = 600}, card / "a.dng");
        window.open({card / "a.dng"});
        ASSERT_TRUE(wait_for([&] { return desk().chains.count() == 1 && desk().chains.at(id(0)).shot && idle_now(); }));
    }
    void open_fitted() {
        open_read();
        desk().setups.fit(id(0));
        ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction && idle_now(); }));
    }
    bool idle_now() { return desk().tasks.running() == 0; }
    /// Runs the command line and gives its exit status.
    int run(const std::string& arguments) {
        const int status =
            std::system(("'" REFERO_CLI "' " + arguments + " >'" + (scratch / "out.txt").string() + "' 2>&1").c_str());
        return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    }
};

TEST_F(Firm, corrected_frames_never_replace_what_the_card_holds) {
    open_fitted();
    // The camera's own JPEG beside its raw file, and a frame of the same stem from another folder.
    ASSERT_EQ(run("apply '" + (scratch / "c.json").string() + "' x -o y"), 3); // no correction yet
    desk().handovers.write_file(id(0), "correction", {}, scratch / "c.json");
    ASSERT_TRUE(idle());
    ASSERT_EQ(run("apply '" + (scratch / "c.json").string() + "' '" + (card / "a.dng").string() + "' -o '" +
                  card.string() + "' --format jpeg"),
              0);
    fs::create_directories(scratch / "second");
    auto plain = simulate::parse_scene(test::scene_text({.width = 900, .height = 600}), "plain");
    plain.charts.clear();
    plain.taken = "2026-05-04T11:00:00"; // another exposure
    simulate::write(simulate::render(plain), scratch / "second" / "a.dng");
    window.open({card / "a.jpg"});
    desk().frames.take_in({scratch / "second" / "a.dng"}, id(0));
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 3 && idle_now(); }));
    const std::string jpeg = sha256_of(card / "a.jpg"), raw = sha256_of(card / "a.dng");
    int asked = 0;
    desk().handovers.ask = [&](const std::vector<fs::path>&) { return ++asked > 0; }; // even with consent
    develop_frames(desk(), id(0), apply::Format::jpeg, "srgb", card);
    ASSERT_TRUE(idle());
    EXPECT_TRUE(notice().contains("a.jpg") && notice().contains("replace")) << notice().toStdString();
    EXPECT_EQ(sha256_of(card / "a.jpg"), jpeg);
    EXPECT_EQ(asked, 0);
    // Elsewhere equal stems are told apart, and what exists is asked for by name.
    fs::create_directories(scratch / "out");
    test::written(scratch / "out" / "a.tif", "mine");
    std::vector<fs::path> named;
    desk().handovers.ask = [&](const std::vector<fs::path>& files) {
        named = files;
        return false;
    };
    develop_frames(desk(), id(0), apply::Format::tiff, "srgb", scratch / "out");
    ASSERT_TRUE(idle());
    EXPECT_EQ(named, std::vector{scratch / "out" / "a.tif"});
    EXPECT_EQ(read_file(scratch / "out" / "a.tif"), "mine");
    desk().handovers.ask = [](const std::vector<fs::path>&) { return true; };
    develop_frames(desk(), id(0), apply::Format::tiff, "srgb", scratch / "out");
    ASSERT_TRUE(idle());
    std::size_t tiffs = 0;
    for (const auto& entry : fs::directory_iterator(scratch / "out")) tiffs += entry.path().extension() == ".tif";
    EXPECT_EQ(tiffs, desk().chains.at(id(0)).frames.size() + 1);
    EXPECT_EQ(tiffs, 2u);
    EXPECT_EQ(sha256_of(card / "a.dng"), raw);
}

// A pile of frames without a chart, dropped on an empty window: none becomes a chart shot, and none is lost.
TEST_F(Firm, a_drop_of_frames_without_a_chart_makes_no_chart_shot) {
    desk().job.create(job);
    std::vector<fs::path> files;
    for (int i = 0; i < 12; ++i) {
        auto scene = simulate::parse_scene(test::scene_text({.width = 300, .height = 200}), "plain");
        scene.charts.clear();
        scene.taken = formatted("2026-05-04T11:{:02}:00", i);
        files.push_back(card / formatted("{:03}.dng", i));
        simulate::write(simulate::render(scene), files.back());
    }
    window.open(files);
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 12 && idle_now(); }));
    EXPECT_TRUE(desk().job.shoot().chart_shots.empty());
    EXPECT_TRUE(desk().job.shoot().setups.empty());
    for (const shoot::FrameRecord& f : desk().job.shoot().frames) EXPECT_EQ(f.kind, shoot::FrameKind::ordinary);
    // The chart comes last: they find it.
    test::shoot({.width = 600, .height = 400, .more = R"(,"taken":"2026-05-04T10:59:00")"}, card / "chart.dng");
    window.open({card / "chart.dng"});
    ASSERT_TRUE(wait_for([&] {
        const auto& all = desk().job.shoot().frames;
        return idle_now() &&
               std::all_of(all.begin(), all.end(), [](const shoot::FrameRecord& f) { return f.setup != 0; });
    }));
    EXPECT_EQ(desk().chains.at(id(0)).frames.size(), 12u);
}

// A file that is copied in parts, with pauses longer than a look: it comes in when it is there.
TEST_F(Firm, a_file_that_arrives_slowly_in_a_watched_folder_comes_in) {
    desk().job.create(job);
    desk().watcher.watch({card});
    test::shoot({.width = 600, .height = 400}, scratch / "whole.dng");
    const std::string whole = read_file(scratch / "whole.dng");
    const fs::path slow = card / "slow.dng";
    test::written(slow, whole.substr(0, whole.size() / 2)); // nobody holds it open meanwhile
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 1 && idle_now(); }));
    EXPECT_FALSE(desk().job.shoot().frames[0].problem.empty());
    {
        std::ofstream more(slow, std::ios::binary | std::ios::app);
        more << whole.substr(whole.size() / 2);
    }
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames[0].kind == shoot::FrameKind::chart && idle_now(); }))
        << desk().job.shoot().frames[0].problem;
    ASSERT_EQ(desk().job.shoot().frames.size(), 1u);
    EXPECT_EQ(desk().job.shoot().frames[0].problem, "");
    EXPECT_EQ(desk().job.shoot().frames[0].sha256, sha256_of(slow));
    // Held open by another program, and dropped by hand: waited for.
    auto scene = simulate::parse_scene(test::scene_text({.width = 300, .height = 200}), "plain");
    scene.charts.clear();
    simulate::write(simulate::render(scene), scratch / "plain.dng");
    const std::string plain = read_file(scratch / "plain.dng");
    fs::create_directories(scratch / "elsewhere");
    {
        std::ofstream out(scratch / "elsewhere/held.dng", std::ios::binary);
        out << plain.substr(0, 5000) << std::flush;
        window.open({scratch / "elsewhere/held.dng"});
        ASSERT_TRUE(wait_for([&] { return notice().contains("still arriving") && idle_now(); }))
            << notice().toStdString();
        EXPECT_EQ(desk().job.shoot().frames.size(), 1u);
        out << plain.substr(5000);
    }
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 2 && idle_now(); }));
    EXPECT_EQ(desk().job.shoot().frames[1].problem, "");
}

// What comes in by itself after an undo leaves it to be redone.
TEST_F(Firm, a_frame_that_comes_in_after_an_undo_keeps_redo) {
    open_read();
    const Id setup = id(0);
    Settings s = desk().chains.at(setup).settings;
    s.white = "D3";
    desk().setups.change(setup, s, "Another white");
    ASSERT_TRUE(idle());
    desk().job.undo();
    ASSERT_FALSE(desk().job.redo_title().isEmpty());
    auto scene = simulate::parse_scene(test::scene_text({.width = 300, .height = 200}), "plain");
    scene.charts.clear();
    simulate::write(simulate::render(scene), card / "late.dng");
    desk().watcher.watch({card});
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 2 && idle_now(); }));
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames[1].setup == setup; }));
    EXPECT_EQ(desk().job.redo_title(), "Another white");
    desk().job.redo();
    EXPECT_EQ(desk().chains.at(setup).settings.white, "D3");
    EXPECT_EQ(desk().job.shoot().frames.size(), 2u);
}

// A frame that was replaced after it came in is said on Frames, and looked at again when asked.
TEST_F(Firm, a_frame_that_was_replaced_is_told_and_looked_at_again) {
    open_read();
    desk().job.close();
    test::shoot({.width = 900, .height = 600, .seed = 9}, card / "a.dng");
    desk().job.open(job);
    ASSERT_TRUE(wait_for([&] { return desk().frames.changed() == 1 && idle_now(); }));
    EXPECT_TRUE(notice().contains("cut or replaced")) << notice().toStdString();
    window.show_board(BoardPlace::frames);
    photograph(window, "frames-replaced");
    const std::string before = desk().job.shoot().readings.at(0).content;
    desk().frames.look_again({desk().job.shoot().frames.at(0).id});
    ASSERT_TRUE(wait_for([&] { return desk().frames.changed() == 0 && idle_now(); }));
    EXPECT_EQ(desk().job.shoot().frames.at(0).sha256, sha256_of(card / "a.dng"));
    ASSERT_TRUE(wait_for(
        [&] { return !desk().job.shoot().readings.empty() && desk().job.shoot().readings[0].content != before; }));
}

TEST_F(Firm, frames_written_into_a_watched_folder_do_not_come_back) {
    open_fitted();
    desk().watcher.watch({card});
    develop_frames(desk(), id(0), apply::Format::tiff, "srgb", card);
    ASSERT_TRUE(wait_for([&] { return fs::exists(card / "a.tif") && idle_now(); }));
    // Written by another run, which this window knows nothing of: told by its Software tag.
    desk().handovers.write_file(id(0), "correction", {}, scratch / "c.json");
    ASSERT_TRUE(idle());
    ASSERT_EQ(run("apply '" + (scratch / "c.json").string() + "' '" + (card / "a.dng").string() + "' -o '" +
                  card.string() + "' --name elsewhere"),
              0);
    test::shoot({.width = 900, .height = 600, .seed = 3}, card / "next.dng");
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() >= 2 && idle_now(); }));
    // The watcher has looked at all of them now; the real one alone is in.
    for (const shoot::FrameRecord& f : desk().job.shoot().frames)
        EXPECT_TRUE(fs::path(f.path).extension() == ".dng") << f.path;
}

// Read from two metres: letters of 120 px on a screen of 800 (common practice: an arm's length of poster type).
TEST_F(Firm, the_set_view_follows_the_watched_folder_by_itself) {
    open_read();
    QTest::keyClick(&window, Qt::Key_V);
    SetView* view = window.set_view();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(view));
    view->resize(1280, 800);
    EXPECT_EQ(view->verdict()->text(), "Pass");
    EXPECT_GE(QFontMetrics(view->verdict()->font()).capHeight(), 120);
    EXPECT_LE(view->verdict()->sizeHint().width(), 1280);
    desk().watcher.watch({card});
    test::shoot({.width = 900, .height = 600, .white = 1.5, .seed = 9}, card / "over.dng");
    QElapsedTimer since;
    since.start();
    EXPECT_TRUE(wait_for([&] { return view->verdict()->text() == "Reshoot" || view->verdict()->text() == "Caution"; }));
    std::printf("[ measured ] set view told of a frame in the watched folder after %.1f s\n",
                static_cast<double>(since.elapsed()) / 1000);
    EXPECT_TRUE(view->findChild<QLabel*>("setRemedy")->text().contains("Close down"));
    if (const QString folder = qEnvironmentVariable("REFERO_SCREENSHOTS"); !folder.isEmpty())
        view->grab().save(folder + "/set-view.png");
    QTest::keyClick(view, Qt::Key_Escape);
    EXPECT_FALSE(view->isVisible());
}

TEST_F(Firm, a_job_renamed_or_removed_under_the_window_is_followed_and_told) {
    open_read();
    fs::rename(job, scratch / "renamed.refero");
    ASSERT_TRUE(wait_for([&] { return desk().job.file() == scratch / "renamed.refero"; }));
    EXPECT_TRUE(notice().contains("renamed.refero")) << notice().toStdString();
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction && idle_now(); }));
    const fs::path copy = scratch / "copy.refero";
    fs::copy_file(scratch / "renamed.refero", copy);
    EXPECT_EQ(store::JobFile(copy, store::JobFile::Open::existing).content().corrections.size(), 1u);
    fs::remove(scratch / "renamed.refero");
    ASSERT_TRUE(wait_for([&] { return notice().contains("was removed"); }));
    const fs::path saved = desk().job.file();
    EXPECT_TRUE(fs::exists(saved));
    const std::string before = content();
    desk().job.close();
    desk().job.open(saved);
    EXPECT_EQ(content(), before);
}

TEST_F(Firm, whatever_was_cancelled_can_be_done_again) {
    // Taking in.
    desk().job.create(job);
    test::shoot({.width = 900, .height = 600}, card / "a.dng");
    window.open({card / "a.dng"});
    desk().tasks.cancel_all();
    ASSERT_TRUE(idle());
    if (desk().chains.count() == 0) window.open({card / "a.dng"});
    ASSERT_TRUE(wait_for([&] { return desk().chains.count() == 1 && desk().chains.at(id(0)).shot && idle_now(); }));
    const auto again = [&](const std::function<void()>& act, const std::function<bool()>& done, Doing doing,
                           const char* what) {
        act();
        desk().tasks.cancel_all();
        EXPECT_TRUE(wait_for([&] { return idle_now() && !desk().tasks.busy(doing, id(0)); })) << what;
        if (!done()) act();
        EXPECT_TRUE(wait_for([&] { return done() && idle_now(); }, 120000)) << what;
        EXPECT_FALSE(desk().tasks.busy(doing, id(0))) << what;
    };
    again([&] { desk().setups.fit(id(0)); }, [&] { return desk().chains.at(id(0)).correction != nullptr; },
          Doing::fitting, "fitting");
    // Reading: corners by hand, then found again.
    Settings moved = desk().chains.at(id(0)).settings;
    moved.chart = "grid24";
    moved.corners = desk().chains.at(id(0)).shot->placement.corners;
    (*moved.corners)[0].x() += 3;
    int times = 0;
    again(
        [&] {
            if (times++ == 0) desk().setups.change(id(0), moved, "Move a corner");
            else window.open_setup(id(0)); // opening asks for the reading again
        },
        [&] { return desk().chains.at(id(0)).shot != nullptr; }, Doing::reading, "reading");
    bool proved = false;
    again([&] { desk().setups.prove_on(id(0), card / "a.dng", [&](const auto&) { proved = true; }); },
          [&] { return proved; }, Doing::proving, "proving");
    again([&] { desk().handovers.write_file(id(0), "cube", {.size = 65}, scratch / "a.cube"); },
          [&] { return fs::exists(scratch / "a.cube"); }, Doing::writing, "writing a file");
    fs::create_directories(scratch / "out");
    again([&] { develop_frames(desk(), id(0), apply::Format::png, "srgb", scratch / "out"); },
          [&] { return fs::exists(scratch / "out" / "a.png"); }, Doing::writing, "writing frames");
    again([&] { desk().setups.place(id(0), "grid24", *moved.corners, "Snap"); },
          [&] { return desk().chains.at(id(0)).settings.corners != moved.corners; }, Doing::measuring, "snapping");
    for (const auto& entry : fs::recursive_directory_iterator(scratch.folder()))
        EXPECT_EQ(entry.path().filename().string().find(".part"), std::string::npos) << entry.path();
}

TEST_F(Firm, the_watcher_lives_on_after_a_cancel) {
    desk().job.create(job);
    desk().watcher.watch({card});
    for (int i = 0; i < 3; ++i) {
        test::shoot({.width = 600, .height = 400, .seed = i + 1}, card / (std::to_string(i) + ".dng"));
        // Cancelled while it looks, and while the frame comes in.
        EXPECT_TRUE(wait_for([&] { return desk().tasks.busy(Doing::watching); }));
        desk().tasks.cancel_all();
        EXPECT_TRUE(wait_for([&] {
            return desk().tasks.busy(Doing::taking_in) ||
                   desk().job.shoot().frames.size() > static_cast<std::size_t>(i);
        }));
        desk().tasks.cancel_all();
        EXPECT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == static_cast<std::size_t>(i) + 1; })) << i;
    }
}

TEST_F(Firm, nothing_that_a_file_or_a_folder_does_ends_the_window) {
    fs::create_symlink("loop.dng", card / "loop.dng");
    fs::create_directory_symlink("itself", card / "itself");
    test::written(card / "empty.dng", "");
    test::written(card / "words.json", "[1, 2, 3]");
    test::written(card / "words.cgats", "words");
    test::written(card / "words.refero", "words");
    for (const char* name :
         {"loop.dng", "itself", "empty.dng", "words.json", "words.cgats", "words.refero", "no such.dng"}) {
        window.findChild<QWidget*>("noticeStrip")->hide();
        window.open({card / name});
        EXPECT_TRUE(wait_for([&] { return !notice().isEmpty() && idle_now(); })) << name;
    }
    EXPECT_EQ(desk().chains.count(), 0);
    // A data folder that cannot be made.
    test::written(scratch / "a file", "");
    const QByteArray before = qgetenv("XDG_DATA_HOME");
    qputenv("XDG_DATA_HOME", (scratch / "a file").c_str());
    desk().job.close();
    desk().job.start_untitled();
    EXPECT_FALSE(desk().job.is_open());
    EXPECT_TRUE(notice().contains("cannot be made")) << notice().toStdString();
    qputenv("XDG_DATA_HOME", before);
    // What nothing else catches.
    window.findChild<QWidget*>("noticeStrip")->hide();
    QTimer::singleShot(0, &window, [] { throw std::runtime_error("out of the blue"); });
    EXPECT_TRUE(wait_for([&] { return notice().contains("Out of the blue"); }));
}

// A job that is no job of Refero's any more is refused in words, and the one that was open before is not in its place.
TEST_F(Firm, a_job_without_one_of_its_tables_is_refused_in_words) {
    desk().job.create(job);
    desk().job.close();
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(job.c_str(), &db), SQLITE_OK);
    ASSERT_EQ(sqlite3_exec(db, "DROP TABLE log", nullptr, nullptr, nullptr), SQLITE_OK);
    sqlite3_close(db);
    const std::string before = sha256_of(job);
    desk().job.open(job);
    EXPECT_FALSE(desk().job.is_open());
    EXPECT_TRUE(notice().contains("shoot.refero") && notice().contains("log")) << notice().toStdString();
    EXPECT_EQ(sha256_of(job), before);
}

TEST_F(Firm, names_that_are_no_utf8_are_fitted_and_written) {
    desk().job.create(job);
    const fs::path frame = card / "bad\xff.dng";
    test::shoot({.width = 900, .height = 600}, frame);
    window.open({frame});
    ASSERT_TRUE(wait_for([&] { return desk().chains.count() == 1 && desk().chains.at(id(0)).shot && idle_now(); }));
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction && idle_now(); }));
    develop_frames(desk(), id(0), apply::Format::jpeg, "srgb", scratch.folder());
    EXPECT_TRUE(wait_for([&] { return fs::exists(scratch / "bad\xff.jpg") && idle_now(); }));
}

TEST_F(Firm, a_reading_whose_chart_has_lost_a_patch_is_told_on_its_page) {
    open_read();
    // As an earlier version kept it: the chart by name only, of which a patch was renamed since.
    shoot::ReadingRecord reading = desk().job.shoot().readings.at(0);
    std::string text = reading.content;
    const std::size_t layout = text.find("\"layout\":"), after = text.find("\"metadata\"");
    ASSERT_TRUE(layout != std::string::npos && after != std::string::npos && layout < after);
    text.erase(layout, after - layout);
    const std::size_t patch = text.rfind("\"id\":\"B3\"");
    ASSERT_NE(patch, std::string::npos);
    text.replace(patch, 9, "\"id\":\"Q7\"");
    edit(desk().job, "damage", [&](shoot::Change& e) {
        e.remove<shoot::ReadingRecord>(reading.id);
        e.add(shoot::ReadingRecord{.chart_shot = reading.chart_shot, .made_from = reading.made_from, .content = text});
    });
    window.open_setup(id(0));
    window.setup_view()->choose(Step::reading);
    ASSERT_TRUE(idle());
    EXPECT_FALSE(desk().chains.at(id(0)).shot);
    EXPECT_TRUE(notice().contains("Q7")) << notice().toStdString();
}

TEST_F(Firm, small_pictures_know_the_modes_curve) {
    desk().job.create(job);
    const shoot::FrameRecord clip{.path = "/x/a.mov", .sha256 = "aa", .kind = shoot::FrameKind::clip, .position_s = 2};
    shoot::Shoot shoot;
    shoot.modes.push_back({.id = 1, .name = "video", .kind = shoot::ModeKind::video, .encoding = "hlg"});
    EXPECT_EQ(operations::source_of(shoot, clip, 1).encoding, "hlg");
    shoot::FrameRecord raw = clip;
    raw.raw = true;
    EXPECT_EQ(operations::source_of(shoot, raw, 1).encoding, "");
}

// At 1280 pixels with the simulated camera open nothing lies over anything else.
TEST_F(Firm, pages_fit_beside_the_simulated_camera) {
    open_fitted();
    window.resize(1280, 800);
    window.show_camera(true);
    window.open_setup(id(0));
    for (const Step step : desk().chains.at(id(0)).steps()) {
        window.setup_view()->choose(step);
        ASSERT_TRUE(idle());
        QCoreApplication::processEvents();
        EXPECT_LE(window.width(), 1280) << shoot::name_of(step);
        if (const QString folder = qEnvironmentVariable("REFERO_SCREENSHOTS"); !folder.isEmpty())
            window.grab().save(folder + "/camera-" + QString::fromStdString(shoot::name_of(step)) + ".png");
        for (const QWidget* parent : window.setup_view()->findChildren<QWidget*>()) {
            if (!parent->isVisible() || parent->inherits("QTabBar") || parent->inherits("QAbstractScrollArea"))
                continue;
            std::vector<const QWidget*> shown;
            for (const QObject* o : parent->children())
                if (const auto* w = qobject_cast<const QWidget*>(o);
                    w && w->isVisible() && (w->inherits("QAbstractButton") || w->inherits("QComboBox")))
                    shown.push_back(w);
            for (std::size_t i = 0; i < shown.size(); ++i) {
                EXPECT_TRUE(parent->rect().adjusted(-1, -1, 1, 1).contains(shown[i]->geometry()))
                    << shoot::name_of(step) << ": " << shown[i]->metaObject()->className() << " "
                    << shown[i]->objectName().toStdString() << " is cut off";
                for (std::size_t k = 0; k < i; ++k)
                    EXPECT_FALSE(shown[i]->geometry().intersects(shown[k]->geometry()))
                        << shoot::name_of(step) << ": " << shown[i]->objectName().toStdString() << " over "
                        << shown[k]->objectName().toStdString();
            }
        }
    }
}

// The window and the command line make one correction, bit for bit, of every setup of the demo.
TEST_F(Firm, the_command_line_fits_the_demo_job_as_the_window_does) {
    window.open_demo();
    ASSERT_TRUE(wait_for([&] { return desk().chains.count() > 0 && idle_now(); }, 900000));
    for (const Id setup : desk().chains.ids())
        if (const Chain& c = desk().chains.at(setup);
            c.balance && c.refused.empty() && !c.balance_only() && !c.correction)
            desk().setups.fit(setup);
    ASSERT_TRUE(wait_for([&] { return idle_now(); }, 600000));
    const fs::path copy = scratch / "copy.refero";
    fs::copy_file(desk().job.file(), copy);
    const auto without_time = [](std::string text) {
        const std::size_t at = text.find("\"made\"");
        return at == std::string::npos ? text : text.replace(at, text.find('\n', at) - at, "");
    };
    int compared = 0;
    for (const Id setup : desk().chains.ids()) {
        const Chain& c = desk().chains.at(setup);
        if (!c.correction_id || c.taken_from || c.balance_only() || !c.refused.empty()) continue;
        ASSERT_EQ(run("job '" + copy.string() + "' fit --setup '" + c.title + "'"), 0)
            << read_file(scratch / "out.txt");
        const store::JobFile other(copy, store::JobFile::Open::existing);
        const shoot::Evidence e = shoot::evidence(other.content(), setup);
        ASSERT_TRUE(e.correction && e.correction->id != c.correction_id);
        EXPECT_EQ(without_time(e.correction->content), without_time(c.correction_content)) << c.title;
        EXPECT_EQ(e.correction->settings, shoot::record(desk().job.shoot().corrections, c.correction_id)->settings);
        ++compared;
    }
    EXPECT_GE(compared, 3);
    test::measured("%d setups of the demo fitted by the command line bit for bit as by the window", compared);
}

} // namespace
} // namespace refero::app
