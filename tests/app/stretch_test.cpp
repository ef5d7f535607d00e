// A setup with three stretches in the real window: made, read, fitted, looked at, developed, joined and parted.
#include "job_window.hpp"
#include "places/setup/handover_page.hpp"

namespace refero::app {
namespace {

struct StretchWalk : JobWindow {
    Id setup = 0;
    QToolButton* button(const char* name) { return window.setup_view()->times()->findChild<QToolButton*>(name); }
    const std::vector<QToolButton*>& times() { return window.setup_view()->times()->buttons(); }
    /// Three chart shots an hour apart, a frame ten minutes after each; all fitted.
    void three_stretches() {
        plan_shoot({"Stills A"}, {"Window"});
        setup = id(0);
        const std::vector<std::string> hours{"10", "11", "12"};
        for (const std::string& h : hours) {
            desk().frames.take_in({shoot(setup, ("c" + h + ".dng").c_str(), "2026-05-04T" + h + ":00:00")}, setup);
            ASSERT_TRUE(idle());
            desk().frames.take_in({shoot(setup, ("f" + h + ".dng").c_str(), "2026-05-04T" + h + ":10:00", false)},
                                  setup);
            ASSERT_TRUE(idle());
        }
        window.open_setup(setup);
        ASSERT_EQ(desk().chains.stretches(setup).size(), 3u);
        for (std::size_t i = 0; i < 3; ++i) {
            ASSERT_EQ(times().size(), 3u);
            times()[i]->click();
            desk().setups.fit(setup);
            ASSERT_TRUE(idle());
            EXPECT_EQ(desk().chains.at(setup).stretch_id(), hours[i] + ":00") << "stays at the one that is looked at";
            EXPECT_TRUE(desk().chains.at(setup).correction);
        }
    }
};

} // namespace

TEST_F(StretchWalk, three_chart_shots_make_three_chains_of_one_setup) {
    three_stretches();
    for (const Chain& c : desk().chains.stretches(setup)) {
        EXPECT_TRUE(c.correction);
        EXPECT_EQ(c.frames.size(), 1u);
        EXPECT_EQ(c.state, shoot::State::proved);
    }
    // Each page shows the chart shot of the stretch that is looked at.
    times()[0]->click();
    EXPECT_NE(desk().chains.at(setup).chart_frame.path.find("c10"), std::string::npos);
    times()[2]->click();
    EXPECT_NE(desk().chains.at(setup).chart_frame.path.find("c12"), std::string::npos);
    if (const QString folder = qEnvironmentVariable("REFERO_SCREENSHOTS"); !folder.isEmpty()) {
        window.setup_view()->choose(Step::correction);
        ASSERT_TRUE(idle());
        QCoreApplication::processEvents();
        window.grab().save(folder + "/stretches.png");
        window.show_board();
        QCoreApplication::processEvents();
        window.grab().save(folder + "/board-stretches.png");
        window.open_setup(setup);
    }
    // All of it is developed, each frame by its own chart shot; the rows say by which.
    desk().batches.develop({.setups = {setup}, .develop = {.format = apply::Format::jpeg}, .folder = scratch / "out"});
    ASSERT_TRUE(wait_for([&] { return !desk().batches.state().running && desk().tasks.running() == 0; }));
    std::set<Id> by;
    for (const auto& h : desk().job.shoot().handovers) by.insert(h.correction);
    EXPECT_EQ(desk().job.shoot().handovers.size(), 6u);
    EXPECT_EQ(by.size(), 3u);
    for (const Chain& c : desk().chains.stretches(setup)) EXPECT_EQ(c.state, shoot::State::handed_over);
}

TEST_F(StretchWalk, stretches_are_joined_and_parted_undone_and_redone) {
    three_stretches();
    const std::string before = content();
    times()[1]->click();
    ASSERT_TRUE(button("joinStretch")->isVisible());
    button("joinStretch")->click();
    EXPECT_EQ(desk().chains.stretches(setup).size(), 2u);
    EXPECT_EQ(times().size(), 2u);
    desk().job.undo();
    EXPECT_EQ(desk().chains.stretches(setup).size(), 3u);
    EXPECT_EQ(content(), before);
    desk().job.redo();
    EXPECT_EQ(desk().chains.stretches(setup).size(), 2u);
    // Parted again: the newest of the joined ones begins a stretch of its own.
    times()[0]->click();
    ASSERT_TRUE(button("partStretch")->isVisible());
    button("partStretch")->click();
    EXPECT_EQ(desk().chains.stretches(setup).size(), 3u);
    // A job of an earlier version has one stretch until it is divided by time.
    desk().stretches.divide(setup, false);
    EXPECT_EQ(desk().chains.stretches(setup).size(), 1u);
    ASSERT_TRUE(button("divideByTime")->isVisible());
    button("divideByTime")->click();
    EXPECT_EQ(desk().chains.stretches(setup).size(), 3u);
}

} // namespace refero::app
