// The look and several renderings of one setup, through the window.
#include <QInputDialog>

#include "job_window.hpp"
#include "places/setup/handover_page.hpp"
#include "places/setup/look_panel.hpp"
#include "places/setup/renderings_panel.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {
namespace {

struct LookPages : JobWindow {
    void open_fitted() {
        plan_shoot({"Stills A"}, {"Window"});
        desk().frames.take_in({shoot(id(0), "chart.dng", "2026-05-04T10:00:00")}, id(0));
        ASSERT_TRUE(idle());
        desk().setups.fit(id(0));
        ASSERT_TRUE(wait_for([&] { return state().correction && desk().tasks.running() == 0; }));
        window.open_setup(id(0));
    }
    const Chain& state() { return desk().chains.at(id(0)); }
    template<class W>
    W* child(const QString& name = {}) {
        return window.setup_view()->page()->findChild<W*>(name);
    }
    LookPanel* look_panel() {
        window.setup_view()->choose(Step::balance);
        auto* tabs = child<QTabWidget>("balanceTabs");
        tabs->setCurrentWidget(child<LookPanel>());
        return child<LookPanel>();
    }
    RenderingsPanel* renderings() {
        window.setup_view()->choose(Step::correction);
        auto* tabs = child<QTabWidget>("correctionTabs");
        tabs->setCurrentWidget(child<RenderingsPanel>());
        return child<RenderingsPanel>();
    }
    static void choose(QComboBox* box, int i) {
        box->setCurrentIndex(i);
        emit box->activated(i);
    }
    /// The next question for a name gets this one.
    static void answer(const QString& name) {
        QTimer::singleShot(0, [name] {
            auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
            ASSERT_TRUE(dialog);
            dialog->setTextValue(name);
            dialog->accept();
        });
    }
};

} // namespace

TEST_F(LookPages, a_look_is_drawn_kept_switched_off_and_taken_back) {
    open_fitted();
    LookPanel* panel = look_panel();
    ASSERT_TRUE(panel->isVisible());
    ASSERT_TRUE(idle());
    EXPECT_FALSE(child<QCheckBox>("lookOn")->isEnabled());
    const QImage plain = window.setup_view()->page()->picture()->grab().toImage();
    auto* curve = child<LookCurve>("lookCurve");
    const auto on_curve = [&](double in, double out) { return curve->place_of(in, out).toPoint(); };
    // Pressed on the line and pulled up: a point between the ends, seen while it is held.
    QTest::mousePress(curve, Qt::LeftButton, {}, on_curve(0.5, 0.5));
    QTest::mouseMove(curve, on_curve(0.5, 0.62));
    EXPECT_TRUE(state().settings.look.empty());
    EXPECT_TRUE(QTest::qWaitFor([&] { return window.setup_view()->page()->picture()->grab().toImage() != plain; }));
    QTest::mouseRelease(curve, Qt::LeftButton, {}, on_curve(0.5, 0.62));
    ASSERT_EQ(state().settings.look.curve.size(), 3u);
    EXPECT_NEAR(state().settings.look.curve[1][1], 0.62, 0.02);
    EXPECT_EQ(state().correction->look, state().settings.look);
    EXPECT_EQ(state().link(Step::correction), LinkState::whole) << "no new fit is needed";
    EXPECT_EQ(state().link(Step::proof), LinkState::whole) << "proofs do not see it";
    // A hue pulled out is more saturated; typed it is exact; by keys, too.
    auto* ring = child<LookRing>("lookRing");
    const QPoint red = ring->handle(3).toPoint(), centre = ring->rect().center();
    QTest::mousePress(ring, Qt::LeftButton, {}, red);
    QTest::mouseMove(ring, red + (red - centre) / 5);
    QTest::mouseRelease(ring, Qt::LeftButton, {}, red + (red - centre) / 5);
    EXPECT_GT(state().settings.look.ring[3].saturation, 20);
    child<QDoubleSpinBox>("lookStep1")->setValue(12);
    EXPECT_EQ(state().settings.look.ring[3].saturation, 12);
    QTest::keyClick(ring, Qt::Key_Up);
    EXPECT_EQ(state().settings.look.ring[3].saturation, 14);
    const double shift = state().settings.look.ring[3].shift_deg;
    QTest::keyClick(ring, Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_EQ(state().settings.look.ring[3].shift_deg, shift + 1);
    EXPECT_TRUE(child<QLabel>("lookWords")->text().contains("colours \u00d7"))
        << child<QLabel>("lookWords")->text().toStdString();
    auto* steps = child<QTableWidget>("lookSteps");
    ASSERT_EQ(steps->rowCount(), 7);
    EXPECT_TRUE(steps->item(0, 0)->text().contains("Black"));
    EXPECT_TRUE(steps->item(3, 1)->text().contains("held out"));
    photograph(window, "look");
    child<QTabWidget>("lookTabs")->setCurrentIndex(2);
    photograph(window, "look-steps");
    // Kept in the kit under a name, taken off, and chosen again.
    answer("Harbour evening");
    QTest::mouseClick(child<QPushButton>("lookKeep"), Qt::LeftButton);
    ASSERT_EQ(desk().kit.kit().looks.size(), 1u);
    const look::Look kept = state().settings.look;
    EXPECT_EQ(kept.name, "Harbour evening");
    auto* choice = child<QComboBox>("lookChoice");
    EXPECT_EQ(choice->currentText(), "Harbour evening");
    choose(choice, 0);
    EXPECT_TRUE(state().settings.look.changes_nothing());
    choose(choice, 1);
    EXPECT_EQ(state().settings.look, kept);
    QTest::mouseClick(child<QCheckBox>("lookOn"), Qt::LeftButton);
    EXPECT_TRUE(state().settings.look.empty());
    EXPECT_EQ(state().settings.look.ring, kept.ring) << "off, and not forgotten";
    desk().job.undo();
    EXPECT_EQ(state().settings.look, kept);
    EXPECT_TRUE(child<QCheckBox>("lookOn")->isChecked()) << "the panel follows";
    // The job comes back with it.
    const fs::path file = desk().job.file();
    desk().job.close();
    desk().job.open(file);
    EXPECT_EQ(state().settings.look, kept);
}

TEST_F(LookPages, one_made_elsewhere_comes_before_what_is_drawn) {
    open_fitted();
    LookPanel* panel = look_panel();
    write_whole(scratch / "evening.cc",
                std::string("<ColorCorrection id=\"e\"><SOPNode><Slope>1.1 1 0.9</Slope><Offset>0 0 0</Offset>"
                            "<Power>1 1 1</Power></SOPNode><SatNode><Saturation>0.9</Saturation></SatNode>"
                            "</ColorCorrection>"));
    QTest::keyClick(child<LookCurve>("lookCurve"), Qt::Key_Insert);
    QTest::keyClick(child<LookCurve>("lookCurve"), Qt::Key_Up, Qt::ShiftModifier);
    const auto drawn = state().settings.look.curve;
    ASSERT_EQ(drawn.size(), 3u);
    panel->bring(scratch / "evening.cc");
    ASSERT_TRUE(wait_for([&] { return state().settings.look.brought != nullptr; }));
    EXPECT_TRUE(state().settings.look.brought->cdl);
    EXPECT_EQ(state().settings.look.curve, drawn);
    write_whole(scratch / "words.cube", std::string("words"));
    panel->bring(scratch / "words.cube");
    ASSERT_TRUE(wait_for([&] { return notice().contains("words.cube"); })) << notice().toStdString();
    EXPECT_TRUE(state().settings.look.brought->cdl) << "what was there stays";
}

TEST_F(LookPages, several_renderings_hold_side_by_side_and_are_handed_over) {
    open_fitted();
    renderings();
    auto* table = child<QTableWidget>("renderings");
    ASSERT_EQ(table->rowCount(), 1);
    answer("catalogue");
    QTest::mouseClick(child<QPushButton>("keepRendering"), Qt::LeftButton);
    ASSERT_EQ(desk().renderings.kept(id(0)).size(), 1u);
    // The setup goes on: warmer, with a look, for the web.
    Settings s = state().settings;
    s.finish.warmer_mired = 12;
    s.look.curve = {{0, 0}, {0.5, 0.56}, {1, 1}};
    desk().setups.change(id(0), s, "Warmer");
    renderings();
    answer("web");
    QTest::mouseClick(child<QPushButton>("keepRendering"), Qt::LeftButton);
    ASSERT_EQ(table->rowCount(), 3);
    auto kept = desk().renderings.kept(id(0));
    ASSERT_EQ(kept.size(), 2u);
    EXPECT_TRUE(kept[0].correction->finish.empty());
    EXPECT_EQ(kept[1].correction->finish.warmer_mired, 12);
    EXPECT_FALSE(kept[1].correction->look.empty());
    EXPECT_TRUE(kept[0].stale.empty() && kept[1].stale.empty());
    EXPECT_EQ(desk().renderings.in_force(id(0)).size(), 3u);
    table->setCurrentCell(1, 0); // seen beside the one in force
    ASSERT_TRUE(idle());
    photograph(window, "renderings");

    // All in one go: three files, three records, each by its own name.
    window.setup_view()->choose(Step::handover);
    auto* which = child<QComboBox>("handoverRendering");
    ASSERT_EQ(which->count(), 4);
    which->setCurrentIndex(1);
    child<QLineEdit>("folderEdit")->setText(qt((scratch / "out").string()));
    QTest::mouseClick(child<QPushButton>("exportButton"), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return state().handovers.size() == 3; }));
    for (const char* name : {"stills-a-window.cube", "stills-a-window-catalogue.cube", "stills-a-window-web.cube"})
        EXPECT_TRUE(fs::exists(scratch / "out" / name)) << name;
    EXPECT_NE(read_file(scratch / "out/stills-a-window-web.cube").find(", web\""), std::string::npos)
        << "the title tells them apart";
    EXPECT_EQ(state().state, shoot::State::handed_over);

    // Other weights: the renderings stay what they were, and hold.
    s = state().settings;
    s.intent = fit::Intent::plants;
    desk().setups.change(id(0), s, "Rendering");
    EXPECT_TRUE(state().correction_stale());
    for (const auto& r : desk().renderings.kept(id(0))) EXPECT_TRUE(r.stale.empty()) << r.stale;
    // Another white is another balance for all of them; they follow the setup's fit.
    s.white = "D2";
    desk().setups.change(id(0), s, "White");
    for (const auto& r : desk().renderings.kept(id(0))) EXPECT_FALSE(r.stale.empty());
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] {
        const auto all = desk().renderings.kept(id(0));
        return all.size() == 2 && all[0].stale.empty() && all[1].stale.empty();
    }));
    kept = desk().renderings.kept(id(0));
    EXPECT_EQ(kept[0].correction->balance.white_patch, "D2");
    EXPECT_EQ(kept[0].correction->intent, fit::Intent::even);
    EXPECT_EQ(kept[1].correction->finish.warmer_mired, 12);

    // One of them becomes the setup's own again.
    desk().renderings.work_on(id(0), kept[0].row);
    EXPECT_TRUE(state().settings.finish.empty());
    EXPECT_TRUE(state().settings.look.empty());
    EXPECT_EQ(state().settings.intent, fit::Intent::even);
    EXPECT_FALSE(state().correction_stale()) << state().stale.front().why;
    desk().renderings.rename(kept[0].row, "web");
    EXPECT_TRUE(notice().contains("web")) << "there is one of this name";
    desk().renderings.remove(kept[0].row);
    EXPECT_EQ(desk().renderings.kept(id(0)).size(), 1u);
    desk().job.undo();
    EXPECT_EQ(desk().renderings.kept(id(0)).size(), 2u);
}

TEST_F(LookPages, frames_are_developed_by_every_rendering) {
    open_fitted();
    desk().renderings.keep(id(0), "catalogue");
    Settings s = state().settings;
    s.finish.stops = -1;
    desk().setups.change(id(0), s, "Darker");
    desk().renderings.keep(id(0), "dark");
    BatchWish wish{.setups = {id(0)},
                   .develop = {.format = apply::Format::jpeg},
                   .folder = scratch / "out",
                   .rendering = operations::all_renderings};
    EXPECT_EQ(desk().batches.count(wish), 3);
    desk().batches.develop(wish);
    ASSERT_TRUE(wait_for([&] { return desk().batches.state().done == 3 && !desk().batches.state().running; }));
    const auto mean = [&](const char* name) {
        const QImage image(qt((scratch / "out" / name).string()));
        double sum = 0;
        for (int y = 0; y < image.height(); y += 7)
            for (int x = 0; x < image.width(); x += 7) sum += qGray(image.pixel(x, y));
        return sum;
    };
    EXPECT_GT(mean("chart_catalogue.jpg"), 1.2 * mean("chart_dark.jpg"));
    EXPECT_EQ(mean("chart.jpg"), mean("chart_dark.jpg"));
    EXPECT_EQ(state().handovers.size(), 3u);
}

} // namespace refero::app
