// Planning a job and filling it, through the real window.
#include <QComboBox>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>

#include "job_window.hpp"
#include "places/frames/clip_panel.hpp"
#include "places/kit/light_plot.hpp"
#include "places/plan/shot_list_page.hpp"
#include "shoot/evidence.hpp"
#include "shoot/time.hpp"
#include "simulate/clip.hpp"

namespace refero::app {
namespace {

// From an empty job to a shot list for 3 cameras and 4 lights. Two minutes are 120 s; a slow typist needs 0.5 s a key.
TEST_F(JobWindow, a_shot_list_for_3_cameras_and_4_lights_takes_few_keys) {
    edit(desk().kit, "Kit", [](shoot::Change& e) {
        e.add(shoot::CardRecord{
            .uid = "c", .name = "Hand chart", .definition = "grid24", .width_mm = 203, .height_mm = 132});
    });
    QTest::mouseClick(window.findChild<QPushButton*>("newJobButton"), Qt::LeftButton);
    ASSERT_TRUE(plan().isVisible());
    int keys = 1;
    for (const char* camera : {"Stills A", "Stills B", "Cine A"}) {
        type(plan().camera_box()->lineEdit(), camera);
        keys += static_cast<int>(strlen(camera)) + 1;
    }
    for (const char* light : {"Window", "Tungsten", "LED panel", "Flash"}) {
        type(plan().light_box()->lineEdit(), light);
        keys += static_cast<int>(strlen(light)) + 1;
    }
    type(plan().lens_box()->lineEdit(), "50 mm");
    keys += 6;
    type(plan().card_box()->lineEdit(), "Hand chart");
    keys += 11;
    QTest::mouseClick(plan().findChild<QPushButton*>("planAllButton"), Qt::LeftButton);
    ++keys;
    ASSERT_EQ(desk().chains.count(), 12);
    EXPECT_EQ(desk().job.shoot().lights[3].kind, shoot::LightKind::flash);
    EXPECT_EQ(desk().job.shoot().lights[1].kelvin, 3000); // incandescent about 3000 K (common practice)
    plan().save_pdf(scratch / "list.pdf");
    keys += 3;
    plan().save_text(scratch / "list.txt");
    test::measured("shot list for 3 cameras and 4 lights: %d keys and clicks", keys);
    EXPECT_LT(keys * 0.5, 120);
    // By hand: m = sqrt(0.1 * 36 * 24 / (203 * 132)) = 0.05678; 50 (2 + m + 1/m) = 983 mm from the sensor.
    const std::string text = read_file(scratch / "list.txt");
    for (const char* words : {"12 chart shots under 4 lights", "Cine A",
                              "Hand chart (203 x 132 mm): 98 cm from the camera", "Never fire a flash near eyes"})
        EXPECT_NE(text.find(words), std::string::npos) << words;

    // The PDF, as another program sees it: one page, and the words are on it.
    QProcess reader;
    reader.start("pdftotext", {"-layout", QString::fromStdString((scratch / "list.pdf").string()), "-"});
    ASSERT_TRUE(reader.waitForFinished());
    const QString seen = QString::fromUtf8(reader.readAllStandardOutput());
    EXPECT_EQ(seen.count('\f'), 1) << "pages";
    for (const char* words : {"Untitled job", "Stills B", "Tungsten", "Hot lamps", "LED panel"})
        EXPECT_TRUE(seen.contains(words)) << words;
    EXPECT_EQ(seen.count("Hand chart"), 12);
    EXPECT_TRUE(notice().contains("list.txt"));
    EXPECT_EQ(desk().job.shoot().brief().title, "Untitled job");
}

TEST_F(JobWindow, ticking_and_unticking_cells_plans_setups) {
    plan_shoot({"Stills A", "Stills B"}, {"Window", "Flash"});
    ASSERT_EQ(desk().chains.count(), 4);
    QTableWidget* m = plan().matrix();
    m->setCurrentCell(1, 1);
    m->setFocus();
    QTest::keyClick(m, Qt::Key_Space);
    EXPECT_EQ(desk().chains.count(), 3);
    EXPECT_EQ(m->rowCount(), 2);
    QTest::keyClick(m, Qt::Key_Space);
    EXPECT_EQ(desk().chains.count(), 4);
    // Both setups of a row out: the row stays, to be ticked again.
    for (int c = 0; c < 2; ++c) m->item(1, c)->setCheckState(Qt::Unchecked);
    EXPECT_EQ(desk().chains.count(), 2);
    EXPECT_EQ(m->rowCount(), 2);
    desk().job.undo();
    desk().job.undo();
    EXPECT_EQ(desk().chains.count(), 4);
    // From the board, too.
    window.show_board();
    const auto before = desk().chains.count();
    edit(desk().job, "out", [&](shoot::Change& e) { e.remove<shoot::SetupRecord>(id(0)); });
    EXPECT_NE(window.board()->plan_cell(0, 0), 0);
    EXPECT_EQ(desk().chains.count(), before);
}

// The shutter is the camera's; all else is keys.
TEST_F(JobWindow, from_the_board_to_a_proved_correction_by_keys_alone) {
    plan_shoot({"Stills A"}, {"Window", "LED panel"});
    desk().watcher.watch({card});
    window.show_camera(true);
    window.show_board();
    window.activateWindow();
    int keys = 0;
    const auto key = [&](Qt::Key k, Qt::KeyboardModifiers m = {}) {
        ++keys;
        QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : &window, k, m);
    };
    ASSERT_EQ(QApplication::focusWidget(), window.board()->table());
    key(Qt::Key_Right);
    key(Qt::Key_Left);
    key(Qt::Key_Return);
    SimulatedCamera& camera = *window.simulated_camera();
    const Id wanted = camera.setups()->currentData().toLongLong(); // the next one of the plan
    ASSERT_EQ(window.setup_view()->setup(), wanted);
    QTest::mouseClick(camera.shutter(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(wanted).state == shoot::State::read; }, 120000));
    ASSERT_TRUE(idle());
    while (desk().chains.at(wanted).state != shoot::State::proved && keys < 20) {
        key(Qt::Key_Return, Qt::ControlModifier);
        ASSERT_TRUE(idle());
    }
    EXPECT_EQ(desk().chains.at(wanted).state, shoot::State::proved);
    test::measured("from the board to a proved correction of a new chart shot: %d keys", keys);
    EXPECT_LE(keys, 6);
}

// Nothing is typed: each frame finds its setup by camera, flash, colour of the light and order.
TEST_F(JobWindow, pressing_the_simulated_shutter_for_each_setup_fills_the_board) {
    plan_shoot({"Stills A", "Cine B"}, {"Window", "Tungsten", "Flash"});
    window.show_board();
    window.show_camera(true);
    SimulatedCamera& camera = *window.simulated_camera();
    desk().watcher.watch({card});
    QElapsedTimer clock;
    for (int shot = 0; shot < 6; ++shot) {
        const Id wanted = camera.setups()->currentData().toLongLong();
        EXPECT_TRUE(camera.setups()->currentText().endsWith("*")); // the next one to shoot comes up by itself
        QTest::mouseClick(camera.shutter(), Qt::LeftButton);
        ASSERT_TRUE(wait_for([&] { return camera.shutter()->isEnabled(); }));
        clock.start();
        ASSERT_TRUE(wait_for([&] { return desk().chains.at(wanted).state == shoot::State::read; }, 120000))
            << shot << " " << desk().chains.title_of(wanted).toStdString();
        test::measured("frame of %s in its setup after %.1f s: %s",
                       desk().chains.title_of(wanted).toStdString().c_str(), clock.elapsed() / 1000.0,
                       desk().chains.at(wanted).chart_frame.reason.c_str());
    }
    for (const Id setup : desk().chains.ids()) {
        EXPECT_EQ(desk().chains.at(setup).state, shoot::State::read);
        EXPECT_FALSE(desk().chains.at(setup).chart_frame.by_hand);
    }
    EXPECT_EQ(desk().job.shoot().frames.size(), 6u);
    // An ordinary frame follows the latest chart shot of its camera.
    const auto last = shoot::record(desk().job.shoot().cameras, desk().chains.at(id(5)).row.camera);
    shoot(id(5), "later.dng", shoot::time_of(shoot::seconds_of("2026-11-24T00:00:00") + 86400 * 400), false);
    ASSERT_TRUE(wait_for([&] { return desk().job.shoot().frames.size() == 7; }, 120000));
    const shoot::FrameRecord& f = desk().job.shoot().frames.back();
    EXPECT_EQ(f.camera, last->id);
    EXPECT_EQ(f.setup, id(5)); // the flash was the last light on the list
    EXPECT_TRUE(f.reason.starts_with("the nearest chart shot")) << f.reason;
}

TEST_F(JobWindow, mistakes_come_in_as_they_are) {
    plan_shoot({"Stills A"}, {"Window"});
    for (const auto m :
         {operations::Mistake::overexposed, operations::Mistake::finger, operations::Mistake::upside_down,
          operations::Mistake::mirrored, operations::Mistake::no_lens_data}) {
        const std::string name = std::string(names(m)[static_cast<std::size_t>(m)]) + ".dng";
        const fs::path file = shoot(id(0), name.c_str(), "2026-05-04T10:00:00", true, m);
        const auto shot = operations::take_shot(file, {.chart = "grid24"});
        if (m == operations::Mistake::overexposed) { EXPECT_GT(shot.reading.find("D1")->clipped, 0.9); }
        if (m == operations::Mistake::mirrored) { EXPECT_TRUE(shot.placement.mirrored); }
        if (m == operations::Mistake::no_lens_data) { EXPECT_EQ(frame::read_metadata(file).lens, ""); }
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
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(1)).state == shoot::State::read; }));
    EXPECT_TRUE(desk().chains.at(id(1)).chart_frame.by_hand);
    desk().setups.fit(id(1));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(1)).state == shoot::State::proved; }));

    // Its correction onto another camera's cell: a copy with a warning, to be proved there.
    const std::unique_ptr<QMimeData> dragged(model->mimeData({model->index_of(id(1))}));
    EXPECT_FALSE(
        model->canDropMimeData(dragged.get(), Qt::CopyAction, -1, -1, model->index_of(id(1)))); // not onto itself
    model->dropMimeData(dragged.get(), Qt::CopyAction, -1, -1, model->index_of(id(3)));
    EXPECT_TRUE(notice().contains("another camera")) << notice().toStdString();
    EXPECT_EQ(desk().chains.at(id(3)).state, shoot::State::corrected);
    EXPECT_EQ(desk().chains.at(id(3)).taken_from, id(1));
    desk().frames.take_in({shoot(id(3), "b.dng", "2026-05-04T10:10:00")}, id(3));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(3)).shot != nullptr; }));
    EXPECT_EQ(next_of(desk().chains.at(id(3)), Step::proof, desk().tasks), "Check accuracy on this chart shot");
    desk().setups.prove(id(3));
    EXPECT_EQ(desk().chains.at(id(3)).state, shoot::State::proved);
    EXPECT_GT(desk().chains.at(id(3)).proof_mean,
              desk().chains.at(id(1)).proof_mean); // another camera's correction is worse
    desk().job.undo();
    desk().job.undo();
    desk().job.undo();
    EXPECT_FALSE(desk().chains.at(id(3)).correction);
}

} // namespace
} // namespace refero::app
