// Keeping a job: frames, clips, undo, reopening, log and kit, through the real window.
#include <QBuffer>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>

#include "job_window.hpp"
#include "operations/capture/intake.hpp"
#include "places/frames/clip_panel.hpp"
#include "places/kit/light_plot.hpp"
#include "places/plan/shot_list_page.hpp"
#include "plan/shot_list.hpp"
#include "shoot/evidence.hpp"
#include "shoot/time.hpp"
#include "simulate/clip.hpp"

namespace refero::app {
namespace {

TEST_F(JobWindow, the_board_is_filtered_and_works_with_60_setups) {
    desk().job.create(job);
    edit(desk().job, "60 setups", [](shoot::Change& e) {
        const Id mode = e.add(shoot::ModeRecord{.name = "raw"});
        std::vector<Id> cameras, lights;
        for (int c = 0; c < 6; ++c)
            cameras.push_back(e.add(shoot::CameraRecord{.name = "Camera " + std::to_string(c + 1), .position = c}));
        for (int l = 0; l < 10; ++l)
            lights.push_back(e.add(shoot::LightRecord{.name = "Light " + std::to_string(l + 1), .position = l}));
        for (const Id c : cameras)
            for (const Id l : lights)
                e.add(shoot::SetupRecord{.camera = c, .mode = mode, .light = l, .balance_only = l == lights[4]});
    });
    window.show_board();
    QTest::qWait(50);
    QTableView* table = window.board()->table();
    EXPECT_EQ(table->model()->rowCount() * table->model()->columnCount(), 60);
    EXPECT_FALSE(table->grab().toImage().isNull());
    table->setFocus();
    table->setCurrentIndex(table->model()->index(0, 0));
    for (int i = 0; i < 9; ++i) QTest::keyClick(table, Qt::Key_Right);
    for (int i = 0; i < 5; ++i) QTest::keyClick(table, Qt::Key_Down);
    EXPECT_EQ(desk().chains.title_of(window.board()->chosen()), "Camera 6, Light 10");
    QTest::keyClick(&window, Qt::Key_F, Qt::ControlModifier);
    QTest::keyClicks(window.board()->filter(), "camera 3 balance only");
    int rows = 0, columns = 0;
    for (int r = 0; r < 6; ++r) rows += !table->isRowHidden(r);
    for (int c = 0; c < 10; ++c) columns += !table->isColumnHidden(c);
    EXPECT_EQ(rows, 1);
    EXPECT_EQ(columns, 1);
    window.board()->filter()->clear();
    EXPECT_FALSE(table->isColumnHidden(9));
}

// What a frame cannot tell is said in words beside a shape of its own, and is no alarm.
TEST_F(JobWindow, a_check_that_cannot_be_told_is_shown_as_such) {
    desk().job.create(job);
    test::shoot({.width = 900, .height = 600}, scratch / "chart.dng");
    desk().frames.open({scratch / "chart.dng"}, 0);
    ASSERT_TRUE(idle());
    window.open_setup(id(0));
    window.setup_view()->choose(Step::shot);
    ASSERT_TRUE(idle());
    ASSERT_TRUE(edit(desk().job, "untold", [&](auto& e) {
        for (shoot::FindingRecord f : desk().job.shoot().findings) {
            if (f.check != inspect::Check::glare && f.check != inspect::Check::tilt) continue;
            f.status = f.check == inspect::Check::glare ? inspect::Status::unknown : inspect::Status::caution;
            f.advice = "This cannot be judged in a finished picture: record raw";
            e.update(f);
        }
    }));
    ASSERT_TRUE(idle());
    const QListWidget* findings = nullptr;
    for (const auto* list : window.setup_view()->findChildren<QListWidget*>())
        if (list->accessibleName() == "Findings of the gate") findings = list;
    ASSERT_TRUE(findings);
    ASSERT_EQ(findings->count(), 2);
    const QListWidgetItem *first = findings->item(0), *second = findings->item(1);
    const QListWidgetItem* untold = first->text().startsWith("Glare") ? first : second;
    EXPECT_EQ(untold->text(), "Glare: cannot be told from this frame");
    EXPECT_TRUE(untold->toolTip().contains("raw"));
    EXPECT_NE(first->icon().pixmap(16).toImage(), second->icon().pixmap(16).toImage());
    EXPECT_NE(desk().chains.at(id(0)).gate(), inspect::Status::unknown);
}

TEST_F(JobWindow, the_gates_verdict_appears_by_itself_and_can_be_overruled) {
    plan_shoot({"Stills A"}, {"Window", "Tungsten"});
    desk().frames.take_in({shoot(id(0), "over.dng", "2026-05-04T09:00:00", true, operations::Mistake::overexposed),
                           shoot(id(1), "good.dng", "2026-05-04T09:10:00")});
    ASSERT_TRUE(wait_for(
        [&] {
            return desk().chains.at(id(0)).state == shoot::State::refused &&
                   desk().chains.at(id(1)).state == shoot::State::read;
        },
        20000));
    EXPECT_EQ(desk().chains.at(id(1)).gate(), inspect::Status::pass);
    EXPECT_GE(desk().chains.at(id(1)).findings.size(), 13u);
    window.open_setup(id(0));
    ASSERT_TRUE(idle());
    auto* verdict = window.setup_view()->findChild<QLabel*>("verdict");
    EXPECT_EQ(verdict->text(), "Reshoot");
    EXPECT_GE(QFontMetrics(verdict->font()).capHeight(), 24); // read from two metres
    EXPECT_TRUE(desk().chains.at(id(0)).refused.find("Close down") != std::string::npos)
        << desk().chains.at(id(0)).refused;
    EXPECT_EQ(next_of(desk().chains.at(id(0)), Step::shot, desk().tasks), "Shoot the chart again");
    desk().setups.fit(id(0)); // not from a refused shot
    EXPECT_FALSE(desk().tasks.busy(Doing::fitting, id(0)));
    QTest::mouseClick(window.setup_view()->findChild<QPushButton*>("refuseButton"),
                      Qt::LeftButton); // says "Accept it after all"
    EXPECT_EQ(desk().chains.at(id(0)).state, shoot::State::read);
    EXPECT_EQ(verdict->text(), "Accepted");
    desk().job.undo();
    EXPECT_EQ(verdict->text(), "Reshoot");
    window.open_setup(id(1));
    window.setup_view()->choose(Step::shot);
    EXPECT_EQ(verdict->text(), "Pass");
    // A better shot of the same setup takes over.
    desk().frames.take_in({shoot(id(0), "again.dng", "2026-05-04T09:20:00")}, id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::read; }, 120000));
    EXPECT_EQ(fs::path(desk().chains.at(id(0)).chart_frame.path).filename(), "again.dng");
}

TEST_F(JobWindow, every_guess_is_visible_and_can_be_changed_for_many_frames) {
    plan_shoot({"Stills A"}, {"Window", "Tungsten"});
    edit(desk().job, "The chart first", [&](shoot::Change& c) {
        shoot::JobSettingsRecord brief = desk().job.shoot().brief();
        brief.stretch_school = shoot::StretchSchool::first;
        c.update(brief);
    });
    desk().frames.take_in({shoot(id(0), "early.dng", "2026-05-04T08:00:00", false)});
    ASSERT_TRUE(idle());
    desk().frames.take_in({shoot(id(0), "chart.dng", "2026-05-04T09:00:00")});
    ASSERT_TRUE(idle());
    desk().frames.take_in(
        {shoot(id(0), "one.dng", "2026-05-04T09:05:00", false), shoot(id(0), "two.dng", "2026-05-04T09:06:00", false)});
    ASSERT_TRUE(idle());
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).frames.size() == 2; }));
    window.show_board(BoardPlace::frames);
    FramesModel& model = *frames().model();
    ASSERT_EQ(model.rowCount(), 4);
    const auto row_of = [&](const char* name) {
        for (int r = 0; r < model.rowCount(); ++r)
            if (model.index(r, FramesModel::name).data().toString() == name) return r;
        return -1;
    };
    EXPECT_EQ(model.index(row_of("early.dng"), FramesModel::setup).data().toString(), "none");
    EXPECT_TRUE(wait_for([&] { // frames find their places once the chart's own arrival is through
        const QString why = model.index(row_of("early.dng"), FramesModel::reason).data().toString();
        return why.contains("before the first chart shot");
    }));
    EXPECT_EQ(model.index(row_of("two.dng"), FramesModel::reason).data().toString(),
              "the last chart shot before it, at 09:00");
    // Both into another setup, by the box and the button.
    frames().choose({model.id_at(row_of("one.dng")), model.id_at(row_of("two.dng"))});
    auto* box = frames().findChild<QComboBox*>("setupBox");
    box->setCurrentIndex(box->findData(qlonglong(id(1))));
    QTest::mouseClick(frames().findChild<QPushButton*>("putButton"), Qt::LeftButton);
    EXPECT_EQ(desk().chains.at(id(1)).frames.size(), 2u);
    desk().job.undo();
    EXPECT_EQ(desk().chains.at(id(0)).frames.size(), 2u);
    // The chart shot is refused: they belong nowhere any more; accepted again, they come back.
    desk().setups.refuse(id(0), "a shadow");
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).frames.empty(); }));
    desk().setups.accept(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).frames.size() == 2; }));
}

TEST_F(JobWindow, companions_copies_unreadable_files_and_silent_lenses) {
    plan_shoot({"Stills A"}, {"Window"});
    const fs::path raw = shoot(id(0), "A_0001.dng", "2026-05-04T09:00:00", true, operations::Mistake::no_lens_data);
    fs::create_directories(scratch / "second card");
    fs::copy_file(raw, scratch / "second card/A_0001.dng");
    test::written(card / "broken.dng", std::string(5000, 'x'));
    desk().watcher.watch({scratch.folder()});
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 3 && desk().tasks.running() == 0; }, 120000));
    int mains = 0, copies = 0, unreadable = 0;
    for (const shoot::FrameRecord& f : desk().job.shoot().frames) {
        mains += !f.same_as && f.problem.empty();
        copies += f.same_as != 0;
        if (f.problem.empty()) continue;
        ++unreadable;
        EXPECT_NE(f.problem.find("onvert it to DNG"), std::string::npos) << f.problem; // the remedy
    }
    // On a wide screen the columns have more room, the names of setups too.
    window.show_board(BoardPlace::frames);
    const int narrow = frames().table()->columnWidth(FramesModel::setup);
    window.resize(1900, 800);
    ASSERT_TRUE(wait_for([&] { return frames().table()->columnWidth(FramesModel::setup) > 1.3 * narrow; }));
    EXPECT_EQ(mains, 1);
    EXPECT_EQ(copies, 1);
    EXPECT_EQ(unreadable, 1);
    // The lens is asked for once, and remembered.
    auto* remember = window.findChild<QPushButton*>("rememberLensButton");
    ASSERT_TRUE(wait_for([&] { return remember->isVisible(); }));
    QTest::mouseClick(remember, Qt::LeftButton);
    EXPECT_NE(desk().job.shoot().cameras[0].silent_lens, 0);
    EXPECT_EQ(desk().chains.at(id(0)).chart_frame.lens, desk().job.shoot().cameras[0].silent_lens);
    desk().frames.take_in({shoot(id(0), "next.dng", "2026-05-04T09:10:00", false, operations::Mistake::no_lens_data)});
    ASSERT_TRUE(idle());
    EXPECT_FALSE(remember->isVisible());
    EXPECT_NE(desk().job.shoot().frames.back().lens, 0);
}

TEST_F(JobWindow, two_frames_of_one_moment_set_the_clock) {
    plan_shoot({"Stills A", "Stills B"}, {"Window"});
    desk().frames.take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(1), "b.dng", "2026-05-04T10:01:04")});
    ASSERT_TRUE(idle());
    // B's clock is an hour and 64 seconds ahead: a frame that it took at 9:30 says 10:31:04.
    Id a = 0, b = 0;
    for (const shoot::FrameRecord& f : desk().job.shoot().frames)
        (f.camera == desk().job.shoot().cameras[0].id ? a : b) = f.id;
    desk().frames.same_moment(a, b);
    EXPECT_EQ(desk().job.shoot().cameras[1].clock_offset_s, -3664);
    EXPECT_EQ(shoot::time_of(shoot::time_in_job(desk().job.shoot(), *desk().job.frame(b))), "2026-05-04T09:00:00");
    desk().frames.same_moment(a, a);
    EXPECT_TRUE(notice().contains("two cameras"));
    desk().job.undo();
    EXPECT_EQ(desk().job.shoot().cameras[1].clock_offset_s, 0);
}

/// A DNG (little-endian) with a JPEG in a second directory, as cameras put one into their raw files.
std::string with_preview(std::string dng, const std::string& jpeg) {
    const auto get = [&](std::size_t at, int size) {
        std::uint32_t v = 0;
        for (int i = 0; i < size; ++i)
            v |= static_cast<std::uint32_t>(static_cast<unsigned char>(dng[at + i])) << 8 * i;
        return v;
    };
    const auto put = [](std::uint32_t v, int size) {
        std::string all;
        for (int i = 0; i < size; ++i) all += static_cast<char>(v >> 8 * i & 0xff);
        return all;
    };
    const auto entry = [&](std::uint32_t tag, std::uint32_t type, std::size_t value) {
        return put(tag, 2) + put(type, 2) + put(1, 4) + put(static_cast<std::uint32_t>(value), 4);
    };
    const std::size_t first = get(4, 4), next = first + 2 + 12 * get(first, 2);
    const std::size_t picture = dng.size();
    dng += jpeg + std::string(jpeg.size() % 2, '\0');
    dng.replace(next, 4, put(static_cast<std::uint32_t>(dng.size()), 4));
    return dng + put(3, 2) + entry(259, 3, 6) + entry(513, 4, picture) + entry(514, 4, jpeg.size()) + put(0, 4);
}

TEST_F(JobWindow, small_pictures_come_from_the_raw_files_own_preview) {
    plan_shoot({"Stills A"}, {"Window"});
    test::written(scratch / "plain.json", R"({"refero_scene":1,"size":[600,400],"camera":"stills-a","light":"window",
"background":{"surface":{"grey":0.4},"texture":0.3},"dng":{"orientation":6}})");
    simulate::write(simulate::render(simulate::load_scene(scratch / "plain.json")), scratch / "plain.dng");
    QImage preview(600, 400, QImage::Format_RGB32);
    preview.fill(Qt::red);
    for (int y = 0; y < 400; ++y)
        for (int x = 300; x < 600; ++x) preview.setPixel(x, y, 0xff0000ff); // its right half is blue
    QByteArray jpeg;
    QBuffer buffer(&jpeg);
    buffer.open(QIODevice::WriteOnly);
    ASSERT_TRUE(preview.save(&buffer, "JPEG", 95));
    test::written(card / "turned.dng", with_preview(read_file(scratch / "plain.dng"), jpeg.toStdString()));
    fs::copy_file(scratch / "plain.dng", card / "none.dng");
    // Frames of a job that was made elsewhere: no picture of them is kept here.
    edit(desk().job, "frames", [&](shoot::Change& e) {
        for (const char* name : {"turned.dng", "none.dng"}) e.add(operations::described(card / name));
    });
    QImage small;
    desk().pictures.thumbnail(desk().job.shoot().frames[0].id, [&](const QImage& made) { small = made; });
    ASSERT_TRUE(wait_for([&] { return !small.isNull(); }));
    EXPECT_GT(small.height(), small.width()); // turned to the right: what was right is below
    const QColor above = small.pixelColor(small.width() / 2, small.height() / 4),
                 below = small.pixelColor(small.width() / 2, small.height() * 3 / 4);
    EXPECT_TRUE(above.red() > 200 && above.blue() < 60) << above.name().toStdString();
    EXPECT_TRUE(below.blue() > 200 && below.red() < 60) << below.name().toStdString();
    // A file without one is shown by its pixels, which are grey.
    small = {};
    desk().pictures.thumbnail(desk().job.shoot().frames[1].id, [&](const QImage& made) { small = made; });
    ASSERT_TRUE(wait_for([&] { return !small.isNull(); }));
    EXPECT_LT(small.pixelColor(small.width() / 2, small.height() / 4).saturation(), 60);
}

TEST_F(JobWindow, the_picture_of_a_clip_that_shows_the_chart_is_chosen_on_a_time_line) {
    plan_shoot({"Cine A"}, {"LED panel"});
    auto scene = operations::simulated_scene(desk().job.shoot(), id(0), {.share = 0.2});
    scene.width = 640;
    scene.height = 400;
    const auto chart = simulate::render(scene);
    scene.charts.clear();
    const auto plain = simulate::render(scene);
    simulate::write_clip({{&plain, 2}, {&chart, 2}, {&plain, 2}}, colour::Transfer::bt709, 5, card / "interview.mkv");
    desk().frames.take_in({card / "interview.mkv"}, id(0));
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 1; }));
    ASSERT_EQ(desk().job.shoot().frames[0].kind, shoot::FrameKind::clip);
    // Its chart was found by itself.
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }, 120000));
    EXPECT_EQ(desk().chains.at(id(0)).state, shoot::State::read);
    const double found_s = desk().job.shoot().frames[0].position_s;
    EXPECT_TRUE(found_s >= 2 && found_s < 4) << found_s;
    window.show_board(BoardPlace::frames);
    frames().choose({desk().job.shoot().frames[0].id});
    auto* panel = frames().findChild<ClipPanel*>();
    ASSERT_TRUE(panel->isVisible());
    // The time line shows where it is seen, and how well.
    panel->slider()->setValue(0);
    QTest::mouseClick(panel->find_button(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return !panel->slider()->marks().empty(); }, 60000));
    EXPECT_NEAR(panel->position_s(), found_s, 0.3);
    for (const TimeLine::Mark& m : panel->slider()->marks()) EXPECT_TRUE(m.position_s >= 2 && m.position_s < 4);
    // A range of it is developed with the setup's frames; marking it again and undo go as anywhere.
    QTest::mouseClick(panel->in_button(), Qt::LeftButton);
    const shoot::FrameRecord& clip = desk().job.shoot().frames[0];
    EXPECT_NEAR(clip.from_s, panel->position_s(), 1e-9);
    EXPECT_EQ(clip.to_s, clip.duration_s);
    panel->slider()->setValue(1000);
    QTest::keyClick(&window, Qt::Key_O); // before its beginning: the beginning goes along
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames[0].to_s == 1; }));
    EXPECT_EQ(desk().job.shoot().frames[0].from_s, 0);
    EXPECT_EQ(operations::stills_in(desk().job.shoot().frames[0]), 6);
    photograph(window, "frames-clip");
    QTest::mouseClick(panel->whole_button(), Qt::LeftButton);
    EXPECT_FALSE(desk().job.shoot().frames[0].has_range());
    desk().job.undo();
    EXPECT_TRUE(desk().job.shoot().frames[0].has_range());
    EXPECT_FALSE(desk().job.shoot().frames[0].timecode.empty());
    panel->slider()->setValue(3000);
    QTest::mouseClick(panel->take_button(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames[0].position_s == 3; }, 120000));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }, 120000));
    EXPECT_EQ(desk().chains.at(id(0)).shot->frame.encoding, "bt709");
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::proved; }));
    EXPECT_EQ(desk().batches.count({.setups = {id(0)}}), 6);
    desk().batches.develop({.setups = {id(0)}, .develop = {.format = apply::Format::exr}, .folder = scratch / "range"});
    ASSERT_TRUE(wait_for([&] { return !desk().batches.state().running && desk().tasks.running() == 0; }, 120000));
    EXPECT_EQ(desk().batches.state().done, 6);
    EXPECT_TRUE(
        frame::read_metadata(scratch / "range" / "interview_0006.exr").timecode.ends_with(":01:00")); // 5 a second
    // The mode's tone curve from the same still: it is that of the clip (the published OETF of BT.709).
    window.open_setup(id(0));
    window.setup_view()->choose(Step::reading);
    auto* curve = window.setup_view()->page()->findChild<QPushButton*>("measureCurve");
    EXPECT_TRUE(curve && curve->isVisible());
    desk().setups.measure_curve(id(0), scratch / "interview.cube");
    ASSERT_TRUE(
        wait_for([&] { return fs::exists(scratch / "interview.cube") && desk().tasks.running() == 0; }, 120000));
    EXPECT_TRUE(notice().contains("bt709")) << notice().toStdString();
    desk().job.undo();
    ASSERT_TRUE(idle());
    window.show_board(BoardPlace::frames);
    // Before the chart comes in, there is none.
    panel->slider()->setValue(500);
    QTest::mouseClick(panel->take_button(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return !desk().chains.at(id(0)).problem.empty(); }, 120000));
    EXPECT_EQ(desk().chains.at(id(0)).link(Step::shot), LinkState::broken);
}

// Every kind of change through the desk, all the way back and forth.
TEST_F(JobWindow, undo_and_redo_go_over_every_kind_of_change) {
    plan_shoot({"Stills A", "Stills B"}, {"Window", "Tungsten"});
    desk().frames.take_in(
        {shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(0), "f.dng", "2026-05-04T09:05:00", false)});
    ASSERT_TRUE(idle());
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot && desk().chains.at(id(0)).frames.size() == 1; }));
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction != nullptr; }));
    desk().handovers.write_file(id(0), "correction", {}, scratch / "c.json");
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::handed_over; }));
    Settings s = desk().chains.at(id(0)).settings;
    s.intent = fit::Intent::textiles;
    desk().setups.change(id(0), s, "Intent");
    s.chart = "grid24", s.corners = desk().chains.at(id(0)).shot->placement.corners, (*s.corners)[0].x() += 4;
    desk().setups.change(id(0), s, "Move a corner");
    ASSERT_TRUE(idle());
    desk().setups.refuse(id(0), "a finger");
    desk().setups.accept(id(0));
    desk().setups.lend(id(0), id(3));
    desk().frames.assign(
        {desk().chains.at(id(0)).frames.empty() ? desk().job.shoot().frames[1].id : desk().chains.at(id(0)).frames[0]},
        id(2));
    desk().frames.set_silent_lens(desk().job.shoot().cameras[0].id, desk().job.shoot().lenses[0].id);
    desk().frames.make_ordinary(desk().chains.at(id(0)).chart_frame.id);
    desk().frames.remove({desk().job.shoot().frames.back().id});
    edit(desk().job, "Note", [](shoot::Change& e) { e.add(shoot::NoteRecord{.text = "n"}); });
    std::vector<std::string> states{""};
    while (states.front() != content()) { // frames find their places a while after the last change, which work may make
        ASSERT_TRUE(idle());
        states.front() = content();
        QTest::qWait(400);
    }
    while (!desk().job.undo_title().isEmpty()) {
        desk().job.undo();
        QTest::qWait(1);
        ASSERT_TRUE(idle());
        states.push_back(content());
        ASSERT_LT(states.size(), 60u);
    }
    EXPECT_GE(states.size(), 15u);
    EXPECT_TRUE(desk().job.shoot().cameras.empty());
    for (std::size_t i = states.size() - 1; i-- > 0;) {
        ASSERT_FALSE(desk().job.redo_title().isEmpty()) << i << " of " << states.size();
        desk().job.redo();
        QTest::qWait(1);
        ASSERT_TRUE(idle());
        ASSERT_EQ(content(), states[i]) << i;
    }
}

TEST_F(JobWindow, a_job_opens_as_it_was_left_and_finds_moved_frames) {
    plan_shoot({"Stills A"}, {"Window"});
    desk().frames.take_in(
        {shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(0), "f.dng", "2026-05-04T09:05:00", false)});
    ASSERT_TRUE(idle());
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] {
        return desk().chains.at(id(0)).state == shoot::State::proved && desk().chains.at(id(0)).frames.size() == 1;
    }));
    const std::string before = content();
    const auto coefficients = desk().chains.at(id(0)).correction->coefficients;
    const auto mean = desk().chains.at(id(0)).shot->reading.patches[3].mean;
    desk().job.close();
    // Moved as a whole, job and frames: found without a question.
    fs::create_directories(scratch / "archive/2026");
    fs::rename(job, scratch / "archive/shoot.refero");
    fs::rename(card, scratch / "archive/2026/card");
    window.open({scratch / "archive/shoot.refero"});
    ASSERT_EQ(desk().chains.count(), 1);
    EXPECT_EQ(desk().chains.at(id(0)).state, shoot::State::proved); // at once, without reading a frame
    EXPECT_EQ(desk().chains.at(id(0)).correction->coefficients, coefficients);
    EXPECT_EQ(desk().chains.at(id(0)).shot->reading.patches[3].mean, mean);
    ASSERT_TRUE(idle());
    EXPECT_EQ(desk().frames.missing(), 0);
    EXPECT_EQ(desk().chains.at(id(0)).chart_frame.path, (scratch / "archive/2026/card/a.dng").string());
    window.open_setup(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().pictures.of(id(0)).frame != nullptr; }));
    // Only the frames moved: asked for once.
    desk().job.close();
    fs::create_directories(scratch / "elsewhere");
    fs::rename(scratch / "archive/2026/card", scratch / "elsewhere/card");
    window.open({scratch / "archive/shoot.refero"});
    ASSERT_TRUE(wait_for([&] { return desk().frames.missing() == 2 && !notice().isEmpty(); }));
    EXPECT_TRUE(notice().contains("Find moved frames")) << notice().toStdString();
    desk().frames.find_moved(scratch / "elsewhere");
    ASSERT_TRUE(wait_for([&] { return desk().frames.missing() == 0; }));
    // A damaged file is refused in words, and the open job stays.
    test::written(scratch / "bad.refero", std::string(3000, '?'));
    window.open({scratch / "bad.refero"});
    EXPECT_TRUE(notice().contains("bad.refero"));
    EXPECT_EQ(desk().chains.count(), 1);
}

TEST_F(JobWindow, a_job_saved_under_another_name_goes_on_there) {
    plan_shoot({"Stills A"}, {"Window"});
    desk().job.save_as(scratch / "other.refero");
    EXPECT_EQ(desk().job.file(), scratch / "other.refero");
    edit(desk().job, "Note", [](shoot::Change& e) { e.add(shoot::NoteRecord{.text = "only here"}); });
    desk().job.open(job);
    EXPECT_TRUE(desk().job.shoot().notes.empty());
}

TEST_F(JobWindow, the_log_is_searched_and_exported) {
    plan_shoot({"Stills A"}, {"Window"});
    edit(desk().job, "Note: \"quoted\", with a comma", [](shoot::Change& e) { e.add(shoot::NoteRecord{.text = "q"}); });
    window.show_board(BoardPlace::log);
    LogView& log = *window.board_place()->log_view();
    const int all = log.table()->rowCount();
    EXPECT_GE(all, 4);
    QTest::keyClicks(log.search(), "quoted comma");
    EXPECT_EQ(log.table()->rowCount(), 1);
    log.save(scratch / "log.csv");
    log.save(scratch / "log.html");
    const std::string csv = read_file(scratch / "log.csv"), html = read_file(scratch / "log.html");
    EXPECT_TRUE(csv.starts_with("time,what,where\r\n"));
    EXPECT_NE(csv.find("\"Note: \"\"quoted\"\", with a comma\""), std::string::npos) << csv; // RFC 4180
    EXPECT_NE(html.find("&quot;quoted&quot;"), std::string::npos);
    log.search()->clear();
    EXPECT_EQ(log.table()->rowCount(), all);
}

TEST_F(JobWindow, the_kit_ages_and_every_chart_shot_measures_its_light) {
    // Dates, by hand: three years from 2024-01-10 end on 2027-01-09 (365.25 days a year), a month from 05-01 on 05-31.
    EXPECT_EQ(condition_of(shoot::CardRecord{.first_used = "2024-01-10"}, QDate(2027, 1, 5), 3),
              "good until 2027-01-09");
    EXPECT_EQ(condition_of(shoot::CardRecord{.first_used = "2024-01-10"}, QDate(2027, 1, 10), 3),
              "compare or replace: due since 2027-01-09");
    EXPECT_EQ(due_of(shoot::MonitorRecord{.calibrated = "2026-05-01", .interval_days = 30}, QDate(2026, 5, 20)),
              "due 2026-05-31");
    EXPECT_EQ(due_of(shoot::MonitorRecord{.calibrated = "2026-05-01", .interval_days = 30}, QDate(2026, 6, 20)),
              "due since 2026-05-31");
    EXPECT_EQ(due_of(shoot::MonitorRecord{.calibrated = "2026-05-01", .before_each_project = true}, QDate(2026, 5, 2)),
              "due before the next project");

    edit(desk().kit, "A light", [](shoot::Change& e) {
        const Id l = e.add(shoot::LightRecord{.uid = "the-lamp",
                                              .name = "Tungsten",
                                              .kind = shoot::LightKind::tungsten,
                                              .kelvin = 2900,
                                              .power = "full"});
        e.add(shoot::LightReadingRecord{.light = l, .at = "2025-05-04T10:00:00", .kelvin = 2990, .power = "1/4"});
    });
    plan_shoot({"Stills A"}, {"Tungsten"}); // the kit's light, by its name
    EXPECT_EQ(desk().job.shoot().lights[0].uid, "the-lamp");
    desk().frames.take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00")});
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }));
    ASSERT_EQ(desk().kit.kit().light_readings.size(), 2u);
    EXPECT_NEAR(desk().kit.kit().light_readings[1].kelvin, 2900, 0.1 * 2900);
    window.show_kit();
    window.kit_view()->sections()->setCurrentRow(2);
    EXPECT_EQ(window.kit_view()->findChild<LightPlot*>("lightPlot")->lines(), 2); // two powers, two lines
    // A fallback for what could not be shot.
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::proved; }));
    const auto missing = plan::missing_fallbacks(desk().job.shoot()).size();
    desk().setups.keep_fallback(id(0));
    EXPECT_EQ(desk().kit.kit().fallbacks.size(), 1u);
    EXPECT_EQ(plan::missing_fallbacks(desk().job.shoot()).size(), missing - 1);
    // Series: the same setup handed over in another job of the client is compared.
    const auto hand_over = [&](const char* name) {
        edit(desk().job, "Client", [&](shoot::Change& e) {
            shoot::JobSettingsRecord b = desk().job.shoot().brief();
            b.client = "Museum";
            b.title = name;
            e.update(b);
        });
        desk().handovers.write_file(id(0), "correction", {}, scratch / (std::string(name) + ".json"));
        ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::handed_over; }));
    };
    hand_over("first");
    desk().job.create(scratch / "second.refero");
    job = scratch / "third.refero";
    plan_shoot({"Stills A"}, {"Tungsten"});
    desk().frames.take_in({shoot(id(0), "b.dng", "2027-05-04T09:00:00")});
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }));
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction != nullptr; }));
    hand_over("a year later");
    ASSERT_EQ(desk().kit.kit().series.size(), 2u);
    const QString words = compared(desk().kit.kit().series[0], desk().kit.kit().series[1]);
    EXPECT_TRUE(words.contains("mired") && words.contains("CIEDE2000")) << words.toStdString();
    EXPECT_TRUE(words.contains("carried on")) << words.toStdString(); // nothing has changed
}

} // namespace
} // namespace refero::app
