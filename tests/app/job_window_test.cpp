// Planning, keeping and filling a job through the real window.
#include <QComboBox>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>

#include "frames/clip_panel.hpp"
#include "gui.hpp"
#include "job/simulated_camera.hpp"
#include "kit/kit_section.hpp"
#include "kit/light_plot.hpp"
#include "main_window.hpp"
#include "plan/shot_list_page.hpp"
#include "simulate/clip.hpp"

namespace refero::app {
namespace {

using test::Scratch;

struct JobWindow : testing::Test {
    Scratch scratch;
    MainWindow window;
    fs::path job = scratch / "shoot.refero", card = scratch / "card";

    JobWindow() {
        window.resize(1280, 800);
        window.show();
        EXPECT_TRUE(QTest::qWaitForWindowExposed(&window));
        session().use_kit(scratch / "kit.refero-kit");
        fs::create_directories(card);
    }
    Session& session() { return window.session(); }
    PlanView& plan() { return *window.plan_view(); }
    FramesView& frames() { return *window.board_place()->frames_view(); }
    bool idle() { return wait_for([&] { return session().tasks().running() == 0; }); }
    Id id(int n) { return session().ids().at(static_cast<std::size_t>(n)); }
    QString notice() {
        const auto* strip = window.findChild<QWidget*>("noticeStrip");
        return strip->isVisible() ? strip->findChild<QLabel*>()->text() : QString();
    }
    /// What the job holds, in words.
    std::string content() {
        const Session& s = session();
        std::string text;
        for (const auto& c : s.shoot().cameras) text += "camera " + c.name + std::to_string(c.clock_offset_s) + std::to_string(c.silent_lens) + "\n";
        for (const auto& l : s.shoot().lights) text += "light " + l.name + l.changed + std::to_string(l.place) + "\n";
        for (const auto& x : s.shoot().setups) text += "setup " + std::to_string(x.id) + x.white + x.model + x.intent + std::to_string(x.balance_only) + std::to_string(x.lens) + "\n";
        for (const auto& f : s.shoot().frames) text += "frame " + f.path + std::to_string(f.setup) + f.reason + plan::name_of(f.kind) + std::to_string(f.lens) + "\n";
        for (const auto& c : s.shoot().chart_shots) text += "shot " + std::to_string(c.setup) + c.refused + c.corners + c.problem + "\n";
        for (const auto& r : s.shoot().readings) text += "reading " + std::to_string(r.chart_shot) + std::to_string(r.content.size()) + "\n";
        for (const auto& c : s.shoot().corrections) text += "correction " + std::to_string(c.setup) + c.made + std::to_string(c.taken_from) + "\n";
        for (const auto& p : s.shoot().proofs) text += "proof " + std::to_string(p.correction) + p.basis + "\n";
        for (const auto& h : s.shoot().handovers) text += "handover " + h.file + std::to_string(h.correction) + "\n";
        for (const auto& b : s.shoot().briefs) text += b.title + b.client + plan::name_of(b.lens_school) + "\n";
        for (const auto& n : s.shoot().notes) text += "note " + n.text + "\n";
        return text;
    }
    /// Cameras of the simulator and lights, all combinations planned.
    void plan_shoot(const QStringList& cameras, const QStringList& lights) {
        session().new_job(job);
        window.show_plan();
        for (const QString& c : cameras) plan().add_camera(c);
        for (const QString& l : lights) plan().add_light(l);
        session().change("Lens and charts", [&](job::Edit& e) {
            e.add(plan::Lens{.name = "Lens 50 mm"});
            e.add(plan::Card{.name = "Hand chart", .definition = "grid24", .width_mm = 203, .height_mm = 132});
            for (plan::Camera c : session().shoot().cameras) {
                const char* id = c.name == "Stills A" ? "stills-a" : c.name == "Stills B" ? "stills-b" : c.name == "Cine A" ? "cine-a" : "cine-b";
                c.model = c.name, c.serial_number = simulate::camera_named(id).serial_number;
                e.update(c);
            }
        });
        plan().plan_all();
    }
    /// A frame of a setup as its camera would leave it, small and quick.
    fs::path shoot(Id setup, const char* name, const std::string& taken, bool chart = true, job::Mistake mistake = job::Mistake::none) {
        auto scene = job::simulated_scene(session().shoot(), setup, {.chart = chart, .share = 0.2, .mistake = mistake, .seed = std::hash<std::string>{}(name), .taken = taken});
        scene.width = 900, scene.height = 600;
        simulate::write(simulate::render(scene), card / name);
        return card / name;
    }
};

void type(QWidget* into, const QString& text) {
    into->setFocus();
    QTest::keyClicks(into, text);
    QTest::keyClick(into, Qt::Key_Return);
}

// From an empty job to a shot list for 3 cameras and 4 lights. Two minutes are 120 s; a slow typist needs 0.5 s a key.
TEST_F(JobWindow, a_shot_list_for_3_cameras_and_4_lights_takes_few_keys) {
    session().change_kit("Kit", [](job::Edit& e) { e.add(plan::Card{.uid = "c", .name = "Hand chart", .definition = "grid24", .width_mm = 203, .height_mm = 132}); });
    QTest::mouseClick(window.findChild<QPushButton*>("newJobButton"), Qt::LeftButton);
    ASSERT_TRUE(plan().isVisible());
    int keys = 1;
    for (const char* camera : {"Stills A", "Stills B", "Cine A"}) type(plan().camera_box()->lineEdit(), camera), keys += static_cast<int>(strlen(camera)) + 1;
    for (const char* light : {"Window", "Tungsten", "LED panel", "Flash"}) type(plan().light_box()->lineEdit(), light), keys += static_cast<int>(strlen(light)) + 1;
    type(plan().lens_box()->lineEdit(), "50 mm"), keys += 6;
    type(plan().card_box()->lineEdit(), "Hand chart"), keys += 11;
    QTest::mouseClick(plan().findChild<QPushButton*>("planAllButton"), Qt::LeftButton);
    ++keys;
    ASSERT_EQ(session().count(), 12);
    EXPECT_EQ(session().shoot().lights[3].kind, plan::LightKind::flash);
    EXPECT_EQ(session().shoot().lights[1].kelvin, 3000); // incandescent about 3000 K (common practice)
    plan().save_pdf(scratch / "list.pdf"), keys += 3;
    plan().save_text(scratch / "list.txt");
    test::measured("shot list for 3 cameras and 4 lights: %d keys and clicks", keys);
    EXPECT_LT(keys * 0.5, 120);
    // By hand: m = sqrt(0.1 * 36 * 24 / (203 * 132)) = 0.05678; 50 (2 + m + 1/m) = 983 mm from the sensor.
    const std::string text = read_file(scratch / "list.txt");
    for (const char* words : {"12 chart shots under 4 lights", "Cine A", "Hand chart (203 x 132 mm): 98 cm from the camera", "Never fire a flash near eyes"}) EXPECT_NE(text.find(words), std::string::npos) << words;

    // The PDF, as another program sees it: one page, and the words are on it.
    QProcess reader;
    reader.start("pdftotext", {"-layout", QString::fromStdString((scratch / "list.pdf").string()), "-"});
    ASSERT_TRUE(reader.waitForFinished());
    const QString seen = QString::fromUtf8(reader.readAllStandardOutput());
    EXPECT_EQ(seen.count('\f'), 1) << "pages";
    for (const char* words : {"Untitled job", "Stills B", "Tungsten", "Hot lamps", "LED panel"}) EXPECT_TRUE(seen.contains(words)) << words;
    EXPECT_EQ(seen.count("Hand chart"), 12);
    EXPECT_TRUE(notice().contains("list.txt"));
    EXPECT_EQ(session().shoot().brief().title, "Untitled job");
}

TEST_F(JobWindow, ticking_and_unticking_cells_plans_setups) {
    plan_shoot({"Stills A", "Stills B"}, {"Window", "Flash"});
    ASSERT_EQ(session().count(), 4);
    QTableWidget* m = plan().matrix();
    m->setCurrentCell(1, 1);
    m->setFocus();
    QTest::keyClick(m, Qt::Key_Space);
    EXPECT_EQ(session().count(), 3);
    EXPECT_EQ(m->rowCount(), 2);
    QTest::keyClick(m, Qt::Key_Space);
    EXPECT_EQ(session().count(), 4);
    // Both setups of a row out: the row stays, to be ticked again.
    for (int c = 0; c < 2; ++c) m->item(1, c)->setCheckState(Qt::Unchecked);
    EXPECT_EQ(session().count(), 2);
    EXPECT_EQ(m->rowCount(), 2);
    session().undo();
    session().undo();
    EXPECT_EQ(session().count(), 4);
    // From the board, too.
    window.show_board();
    const auto before = session().count();
    session().change("out", [&](job::Edit& e) { e.remove<plan::Setup>(id(0)); });
    EXPECT_NE(window.board()->plan_cell(0, 0), 0);
    EXPECT_EQ(session().count(), before);
}

// Nothing is typed: each frame finds its setup by camera, flash, colour of the light and order.
TEST_F(JobWindow, pressing_the_simulated_shutter_for_each_setup_fills_the_board) {
    plan_shoot({"Stills A", "Cine B"}, {"Window", "Tungsten", "Flash"});
    window.show_board();
    window.show_camera(true);
    SimulatedCamera& camera = *window.simulated_camera();
    session().watch({card});
    QElapsedTimer clock;
    for (int shot = 0; shot < 6; ++shot) {
        const Id wanted = camera.setups()->currentData().toLongLong();
        EXPECT_TRUE(camera.setups()->currentText().endsWith("*")); // the next one to shoot comes up by itself
        QTest::mouseClick(camera.shutter(), Qt::LeftButton);
        ASSERT_TRUE(wait_for([&] { return camera.shutter()->isEnabled(); }));
        clock.start();
        ASSERT_TRUE(wait_for([&] { return session().at(wanted).state == plan::State::read; }, 20000)) << shot << " " << session().title_of(wanted).toStdString();
        test::measured("frame of %s in its setup after %.1f s: %s", session().title_of(wanted).toStdString().c_str(), clock.elapsed() / 1000.0, session().at(wanted).chart_frame.reason.c_str());
    }
    for (const Id setup : session().ids()) {
        EXPECT_EQ(session().at(setup).state, plan::State::read);
        EXPECT_FALSE(session().at(setup).chart_frame.by_hand);
    }
    EXPECT_EQ(session().shoot().frames.size(), 6u);
    // An ordinary frame follows the latest chart shot of its camera.
    const auto last = plan::record(session().shoot().cameras, session().at(id(5)).row.camera);
    shoot(id(5), "later.dng", plan::time_of(plan::seconds_of("2026-11-24T00:00:00") + 86400 * 400), false);
    ASSERT_TRUE(wait_for([&] { return session().shoot().frames.size() == 7; }, 20000));
    const plan::Frame& f = session().shoot().frames.back();
    EXPECT_EQ(f.camera, last->id);
    EXPECT_EQ(plan::record(session().shoot().setups, f.setup)->light, session().at(f.setup).row.light);
    EXPECT_TRUE(f.reason.starts_with("the last chart shot before it")) << f.reason;
}

TEST_F(JobWindow, mistakes_come_in_as_they_are) {
    plan_shoot({"Stills A"}, {"Window"});
    for (const auto m : {job::Mistake::overexposed, job::Mistake::finger, job::Mistake::upside_down, job::Mistake::mirrored, job::Mistake::no_lens_data}) {
        const std::string name = std::string(names(m)[static_cast<std::size_t>(m)]) + ".dng";
        const fs::path file = shoot(id(0), name.c_str(), "2026-05-04T10:00:00", true, m);
        const auto shot = job::take_shot(file, {.chart = "grid24"});
        if (m == job::Mistake::overexposed) { EXPECT_GT(shot.reading.find("D1")->clipped, 0.9); }
        if (m == job::Mistake::mirrored) { EXPECT_TRUE(shot.placement.mirrored); }
        if (m == job::Mistake::no_lens_data) { EXPECT_EQ(frame::read_metadata(file).lens, ""); }
    }
}

TEST_F(JobWindow, a_file_dropped_on_a_cell_goes_there_and_a_correction_dragged_onto_another_warns) {
    plan_shoot({"Stills A", "Stills B"}, {"Window", "Tungsten"});
    window.show_board();
    const fs::path file = shoot(id(1), "a.dng", "2026-05-04T10:00:00");
    auto* model = static_cast<BoardModel*>(window.board()->table()->model());
    QMimeData files;
    files.setUrls({QUrl::fromLocalFile(QString::fromStdString(file.string()))});
    const QModelIndex to = model->index_of(id(1));
    ASSERT_TRUE(model->canDropMimeData(&files, Qt::CopyAction, -1, -1, to));
    model->dropMimeData(&files, Qt::CopyAction, -1, -1, to);
    ASSERT_TRUE(wait_for([&] { return session().at(id(1)).state == plan::State::read; }));
    EXPECT_TRUE(session().at(id(1)).chart_frame.by_hand);
    session().fit(id(1));
    ASSERT_TRUE(wait_for([&] { return session().at(id(1)).state == plan::State::proved; }));

    // Its correction onto another camera's cell: a copy with a warning, to be proved there.
    const std::unique_ptr<QMimeData> dragged(model->mimeData({model->index_of(id(1))}));
    EXPECT_FALSE(model->canDropMimeData(dragged.get(), Qt::CopyAction, -1, -1, model->index_of(id(1)))); // not onto itself
    model->dropMimeData(dragged.get(), Qt::CopyAction, -1, -1, model->index_of(id(3)));
    EXPECT_TRUE(notice().contains("another camera")) << notice().toStdString();
    EXPECT_EQ(session().at(id(3)).state, plan::State::corrected);
    EXPECT_EQ(session().at(id(3)).taken_from, id(1));
    session().take_in({shoot(id(3), "b.dng", "2026-05-04T10:10:00")}, id(3));
    ASSERT_TRUE(wait_for([&] { return session().at(id(3)).shot != nullptr; }));
    EXPECT_EQ(session().at(id(3)).next(Step::proof), "Prove it on this chart shot");
    session().prove(id(3));
    EXPECT_EQ(session().at(id(3)).state, plan::State::proved);
    EXPECT_GT(session().at(id(3)).proof_mean, session().at(id(1)).proof_mean); // another camera's correction is worse
    session().undo();
    session().undo();
    session().undo();
    EXPECT_FALSE(session().at(id(3)).correction);
}

TEST_F(JobWindow, the_board_is_filtered_and_works_with_60_setups) {
    session().new_job(job);
    session().change("60 setups", [](job::Edit& e) {
        const Id mode = e.add(plan::Mode{.name = "raw"});
        std::vector<Id> cameras, lights;
        for (int c = 0; c < 6; ++c) cameras.push_back(e.add(plan::Camera{.name = "Camera " + std::to_string(c + 1), .position = c}));
        for (int l = 0; l < 10; ++l) lights.push_back(e.add(plan::Light{.name = "Light " + std::to_string(l + 1), .position = l}));
        for (const Id c : cameras)
            for (const Id l : lights) e.add(plan::Setup{.camera = c, .mode = mode, .light = l, .balance_only = l == lights[4]});
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
    EXPECT_EQ(session().title_of(window.board()->chosen()), "Camera 6, Light 10");
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

TEST_F(JobWindow, every_guess_is_visible_and_can_be_changed_for_many_frames) {
    plan_shoot({"Stills A"}, {"Window", "Tungsten"});
    session().take_in({shoot(id(0), "early.dng", "2026-05-04T08:00:00", false)});
    ASSERT_TRUE(idle());
    session().take_in({shoot(id(0), "chart.dng", "2026-05-04T09:00:00")});
    ASSERT_TRUE(idle());
    session().take_in({shoot(id(0), "one.dng", "2026-05-04T09:05:00", false), shoot(id(0), "two.dng", "2026-05-04T09:06:00", false)});
    ASSERT_TRUE(idle());
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).frames.size() == 2; }));
    window.show_board(BoardPlace::frames);
    FramesModel& model = *frames().model();
    ASSERT_EQ(model.rowCount(), 4);
    const auto row_of = [&](const char* name) {
        for (int r = 0; r < model.rowCount(); ++r)
            if (model.index(r, FramesModel::name).data().toString() == name) return r;
        return -1;
    };
    EXPECT_EQ(model.index(row_of("early.dng"), FramesModel::setup).data().toString(), "none");
    EXPECT_TRUE(model.index(row_of("early.dng"), FramesModel::reason).data().toString().contains("before the first chart shot"));
    EXPECT_EQ(model.index(row_of("two.dng"), FramesModel::reason).data().toString(), "the last chart shot before it, at 09:00");
    // Both into another setup, by the box and the button.
    frames().choose({model.id_at(row_of("one.dng")), model.id_at(row_of("two.dng"))});
    auto* box = frames().findChild<QComboBox*>("setupBox");
    box->setCurrentIndex(box->findData(qlonglong(id(1))));
    QTest::mouseClick(frames().findChild<QPushButton*>("putButton"), Qt::LeftButton);
    EXPECT_EQ(session().at(id(1)).frames.size(), 2u);
    session().undo();
    EXPECT_EQ(session().at(id(0)).frames.size(), 2u);
    // The chart shot is refused: they belong nowhere any more; accepted again, they come back.
    session().refuse(id(0), "a shadow");
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).frames.empty(); }));
    session().accept(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).frames.size() == 2; }));
}

TEST_F(JobWindow, companions_copies_unreadable_files_and_silent_lenses) {
    plan_shoot({"Stills A"}, {"Window"});
    const fs::path raw = shoot(id(0), "A_0001.dng", "2026-05-04T09:00:00", true, job::Mistake::no_lens_data);
    fs::create_directories(scratch / "second card");
    fs::copy_file(raw, scratch / "second card/A_0001.dng");
    test::written(card / "broken.dng", std::string(5000, 'x'));
    session().watch({scratch.folder()});
    ASSERT_TRUE(wait_for([&] { return session().shoot().frames.size() == 3 && session().tasks().running() == 0; }, 20000));
    int mains = 0, copies = 0, unreadable = 0;
    for (const plan::Frame& f : session().shoot().frames) {
        mains += !f.same_as && f.problem.empty();
        copies += f.same_as != 0;
        if (f.problem.empty()) continue;
        ++unreadable;
        EXPECT_NE(f.problem.find("onvert it to DNG"), std::string::npos) << f.problem; // the remedy
    }
    EXPECT_EQ(mains, 1);
    EXPECT_EQ(copies, 1);
    EXPECT_EQ(unreadable, 1);
    // The lens is asked for once, and remembered.
    auto* remember = window.findChild<QPushButton*>("rememberLensButton");
    ASSERT_TRUE(wait_for([&] { return remember->isVisible(); }));
    QTest::mouseClick(remember, Qt::LeftButton);
    EXPECT_NE(session().shoot().cameras[0].silent_lens, 0);
    EXPECT_EQ(session().at(id(0)).chart_frame.lens, session().shoot().cameras[0].silent_lens);
    session().take_in({shoot(id(0), "next.dng", "2026-05-04T09:10:00", false, job::Mistake::no_lens_data)});
    ASSERT_TRUE(idle());
    EXPECT_FALSE(remember->isVisible());
    EXPECT_NE(session().shoot().frames.back().lens, 0);
}

TEST_F(JobWindow, two_frames_of_one_moment_set_the_clock) {
    plan_shoot({"Stills A", "Stills B"}, {"Window"});
    session().take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(1), "b.dng", "2026-05-04T10:01:04")});
    ASSERT_TRUE(idle());
    // B's clock is an hour and 64 seconds ahead: a frame that it took at 9:30 says 10:31:04.
    Id a = 0, b = 0;
    for (const plan::Frame& f : session().shoot().frames) (f.camera == session().shoot().cameras[0].id ? a : b) = f.id;
    session().same_moment(a, b);
    EXPECT_EQ(session().shoot().cameras[1].clock_offset_s, -3664);
    EXPECT_EQ(plan::time_of(plan::time_in_job(session().shoot(), *session().frame_row(b))), "2026-05-04T09:00:00");
    session().same_moment(a, a);
    EXPECT_TRUE(notice().contains("two cameras"));
    session().undo();
    EXPECT_EQ(session().shoot().cameras[1].clock_offset_s, 0);
}

TEST_F(JobWindow, the_picture_of_a_clip_that_shows_the_chart_is_chosen_on_a_time_line) {
    plan_shoot({"Cine A"}, {"LED panel"});
    auto scene = job::simulated_scene(session().shoot(), id(0), {.share = 0.2});
    scene.width = 640, scene.height = 400;
    const auto chart = simulate::render(scene);
    scene.charts.clear();
    const auto plain = simulate::render(scene);
    simulate::write_clip({{&plain, 2}, {&chart, 2}, {&plain, 2}}, colour::Transfer::bt709, 5, card / "interview.mkv");
    session().take_in({card / "interview.mkv"}, id(0));
    ASSERT_TRUE(wait_for([&] { return session().shoot().frames.size() == 1; }));
    ASSERT_EQ(session().shoot().frames[0].kind, plan::FrameKind::clip);
    EXPECT_EQ(session().at(id(0)).state, plan::State::to_shoot);
    window.show_board(BoardPlace::frames);
    frames().choose({session().shoot().frames[0].id});
    auto* panel = frames().findChild<ClipPanel*>();
    ASSERT_TRUE(panel->isVisible());
    panel->slider()->setValue(3000);
    QTest::mouseClick(panel->take_button(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).shot != nullptr; }, 20000));
    EXPECT_EQ(session().at(id(0)).state, plan::State::read);
    EXPECT_EQ(session().at(id(0)).shot->frame.encoding, "bt709");
    session().fit(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).state == plan::State::proved; }));
    // Before the chart comes in, there is none.
    panel->slider()->setValue(500);
    QTest::mouseClick(panel->take_button(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return !session().at(id(0)).problem.isEmpty(); }, 20000));
    EXPECT_EQ(session().at(id(0)).link(Step::shot), LinkState::broken);
}

// Every kind of change through the session, all the way back and forth.
TEST_F(JobWindow, undo_and_redo_go_over_every_kind_of_change) {
    plan_shoot({"Stills A", "Stills B"}, {"Window", "Tungsten"});
    session().take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(0), "f.dng", "2026-05-04T09:05:00", false)});
    ASSERT_TRUE(idle());
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).shot && session().at(id(0)).frames.size() == 1; }));
    session().fit(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).correction != nullptr; }));
    session().export_correction(id(0), scratch / "c.json");
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).state == plan::State::handed_over; }));
    Settings s = session().at(id(0)).settings;
    s.intent = fit::Intent::chroma;
    session().change(id(0), s, "Intent");
    s.chart = "grid24", s.corners = session().at(id(0)).shot->placement.corners, (*s.corners)[0].x() += 4;
    session().change(id(0), s, "Move a corner");
    ASSERT_TRUE(idle());
    session().refuse(id(0), "a finger");
    session().accept(id(0));
    session().lend(id(0), id(3));
    session().assign({session().at(id(0)).frames.empty() ? session().shoot().frames[1].id : session().at(id(0)).frames[0]}, id(2));
    session().set_silent_lens(session().shoot().cameras[0].id, session().shoot().lenses[0].id);
    session().make_ordinary(session().at(id(0)).chart_frame.id);
    session().remove_frames({session().shoot().frames.back().id});
    session().change("Note", [](job::Edit& e) { e.add(plan::Note{.text = "n"}); });
    QTest::qWait(400); // frames find their places
    ASSERT_TRUE(idle());
    std::vector<std::string> states{content()};
    while (!session().undo_title().isEmpty()) {
        session().undo();
        QTest::qWait(1);
        ASSERT_TRUE(idle());
        states.push_back(content());
        ASSERT_LT(states.size(), 60u);
    }
    EXPECT_GE(states.size(), 15u);
    EXPECT_TRUE(session().shoot().cameras.empty());
    for (std::size_t i = states.size() - 1; i-- > 0;) {
        ASSERT_FALSE(session().redo_title().isEmpty()) << i << " of " << states.size();
        session().redo();
        QTest::qWait(1);
        ASSERT_TRUE(idle());
        ASSERT_EQ(content(), states[i]) << i;
    }
}

TEST_F(JobWindow, a_job_opens_as_it_was_left_and_finds_moved_frames) {
    plan_shoot({"Stills A"}, {"Window"});
    session().take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00"), shoot(id(0), "f.dng", "2026-05-04T09:05:00", false)});
    ASSERT_TRUE(idle());
    session().fit(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).state == plan::State::proved && session().at(id(0)).frames.size() == 1; }));
    const std::string before = content();
    const auto coefficients = session().at(id(0)).correction->coefficients;
    const auto mean = session().at(id(0)).shot->reading.patches[3].mean;
    session().close_job();
    // Moved as a whole, job and frames: found without a question.
    fs::create_directories(scratch / "archive/2026");
    fs::rename(job, scratch / "archive/shoot.refero");
    fs::rename(card, scratch / "archive/2026/card");
    window.open({scratch / "archive/shoot.refero"});
    ASSERT_EQ(session().count(), 1);
    EXPECT_EQ(session().at(id(0)).state, plan::State::proved); // at once, without reading a frame
    EXPECT_EQ(session().at(id(0)).correction->coefficients, coefficients);
    EXPECT_EQ(session().at(id(0)).shot->reading.patches[3].mean, mean);
    ASSERT_TRUE(idle());
    EXPECT_EQ(session().missing_frames(), 0);
    EXPECT_EQ(session().at(id(0)).chart_frame.path, (scratch / "archive/2026/card/a.dng").string());
    window.open_setup(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).frame != nullptr; }));
    // Only the frames moved: asked for once.
    session().close_job();
    fs::create_directories(scratch / "elsewhere");
    fs::rename(scratch / "archive/2026/card", scratch / "elsewhere/card");
    window.open({scratch / "archive/shoot.refero"});
    ASSERT_TRUE(wait_for([&] { return session().missing_frames() == 2 && !notice().isEmpty(); }));
    EXPECT_TRUE(notice().contains("Find moved frames")) << notice().toStdString();
    session().find_moved(scratch / "elsewhere");
    ASSERT_TRUE(wait_for([&] { return session().missing_frames() == 0; }));
    // A damaged file is refused in words, and the open job stays.
    test::written(scratch / "bad.refero", std::string(3000, '?'));
    window.open({scratch / "bad.refero"});
    EXPECT_TRUE(notice().contains("bad.refero"));
    EXPECT_EQ(session().count(), 1);
}

TEST_F(JobWindow, a_job_saved_under_another_name_goes_on_there) {
    plan_shoot({"Stills A"}, {"Window"});
    session().save_as(scratch / "other.refero");
    EXPECT_EQ(session().job_file(), scratch / "other.refero");
    session().change("Note", [](job::Edit& e) { e.add(plan::Note{.text = "only here"}); });
    session().open_job(job);
    EXPECT_TRUE(session().shoot().notes.empty());
}

TEST_F(JobWindow, the_log_is_searched_and_exported) {
    plan_shoot({"Stills A"}, {"Window"});
    session().change("Note: \"quoted\", with a comma", [](job::Edit& e) { e.add(plan::Note{.text = "q"}); });
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
    EXPECT_EQ(condition_of(plan::Card{.first_used = "2024-01-10"}, QDate(2027, 1, 5), 3), "good until 2027-01-09");
    EXPECT_EQ(condition_of(plan::Card{.first_used = "2024-01-10"}, QDate(2027, 1, 10), 3), "compare or replace: due since 2027-01-09");
    EXPECT_EQ(due_of(plan::Monitor{.calibrated = "2026-05-01", .interval_days = 30}, QDate(2026, 5, 20)), "due 2026-05-31");
    EXPECT_EQ(due_of(plan::Monitor{.calibrated = "2026-05-01", .interval_days = 30}, QDate(2026, 6, 20)), "due since 2026-05-31");
    EXPECT_EQ(due_of(plan::Monitor{.calibrated = "2026-05-01", .before_each_project = true}, QDate(2026, 5, 2)), "due before the next project");

    session().change_kit("A light", [](job::Edit& e) {
        const Id l = e.add(plan::Light{.uid = "the-lamp", .name = "Tungsten", .kind = plan::LightKind::tungsten, .kelvin = 2900, .power = "full"});
        e.add(plan::LightReading{.light = l, .at = "2025-05-04T10:00:00", .kelvin = 2990, .power = "1/4"});
    });
    plan_shoot({"Stills A"}, {"Tungsten"}); // the kit's light, by its name
    EXPECT_EQ(session().shoot().lights[0].uid, "the-lamp");
    session().take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00")});
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).shot != nullptr; }));
    ASSERT_EQ(session().kit().light_readings.size(), 2u);
    EXPECT_NEAR(session().kit().light_readings[1].kelvin, 2900, 0.1 * 2900);
    window.show_kit();
    window.kit_view()->sections()->setCurrentRow(1);
    EXPECT_EQ(window.kit_view()->findChild<LightPlot*>("lightPlot")->lines(), 2); // two powers, two lines
    // A fallback for what could not be shot.
    session().fit(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).state == plan::State::proved; }));
    const auto missing = plan::missing_fallbacks(session().shoot()).size();
    session().keep_fallback(id(0));
    EXPECT_EQ(session().kit().fallbacks.size(), 1u);
    EXPECT_EQ(plan::missing_fallbacks(session().shoot()).size(), missing - 1);
    // Series: the same setup handed over in another job of the client is compared.
    const auto hand_over = [&](const char* name) {
        session().change("Client", [&](job::Edit& e) {
            plan::Brief b = session().shoot().brief();
            b.client = "Museum", b.title = name;
            e.update(b);
        });
        session().export_correction(id(0), scratch / (std::string(name) + ".json"));
        ASSERT_TRUE(wait_for([&] { return session().at(id(0)).state == plan::State::handed_over; }));
    };
    hand_over("first");
    session().new_job(scratch / "second.refero");
    job = scratch / "third.refero";
    plan_shoot({"Stills A"}, {"Tungsten"});
    session().take_in({shoot(id(0), "b.dng", "2027-05-04T09:00:00")});
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).shot != nullptr; }));
    session().fit(id(0));
    ASSERT_TRUE(wait_for([&] { return session().at(id(0)).correction != nullptr; }));
    hand_over("a year later");
    ASSERT_EQ(session().kit().series.size(), 2u);
    const QString words = compared(session().kit().series[0], session().kit().series[1]);
    EXPECT_TRUE(words.contains("mired") && words.contains("CIEDE2000")) << words.toStdString();
    EXPECT_TRUE(words.contains("carried on")) << words.toStdString(); // nothing has changed
}

} // namespace
} // namespace refero::app
