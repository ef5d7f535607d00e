// The place Monitor, through the real window: a display checked by keyboard, left and gone on with, its profile.
#include "job_window.hpp"

namespace refero::app {
namespace {

struct MonitorWalk : JobWindow {
    MonitorView& view() { return *window.monitor_view(); }
    int pressed = 0;
    void press(QWidget* to, Qt::Key key, Qt::KeyboardModifiers with = {}) {
        ++pressed;
        QTest::keyClick(to, key, with);
    }
    const shoot::Kit& kit() { return desk().kit.kit(); }
    template<class T>
    T* child(const char* name) {
        return view().findChild<T*>(name);
    }
    void add_display() {
        press(&window, Qt::Key_5);
        const Id id = desk().monitors.add("Desk left", "maker|model|1");
        view().show_setup(id);
    }
};

} // namespace

TEST_F(MonitorWalk, the_whole_check_by_keyboard) {
    press(&window, Qt::Key_5);
    EXPECT_TRUE(view().isVisible());
    EXPECT_FALSE(child<QPushButton>("monitorCheck")->isEnabled()); // no display is named yet
    add_display();
    ASSERT_EQ(kit().monitors.size(), 1u);
    press(&window, Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(view().pattern()->isVisible());
    desk().monitors.set_pace(1000);
    ASSERT_TRUE(wait_for([&] { return kit().monitor_checks.size() == 1; }));
    EXPECT_FALSE(view().pattern()->isVisible());
    EXPECT_LT(pressed, 40);
    const shoot::MonitorCheckRecord& c = kit().monitor_checks.front();
    EXPECT_NEAR(c.kelvin, 6504, 60); // the wide stand-in's white is D65
    EXPECT_NEAR(c.luminance, 140, 3);
    EXPECT_EQ(kit().monitors.front().calibrated, c.at.substr(0, 10));
    EXPECT_TRUE(child<QLabel>("monitorWords")->text().contains("Due in 30 days"));
    photograph(window, "monitor");
    for (int tab = 0; tab < 7; ++tab) {
        child<QTabWidget>("monitorProof")->setCurrentIndex(tab);
        if (tab == 1 || tab == 5) photograph(window, tab == 1 ? "monitor-guide" : "monitor-history");
    }
    child<QTabBar>("monitorSeen")->setCurrentIndex(2);
    photograph(window, "monitor-gamut");
    // Undone and done again like any change of the kit.
    press(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(kit().monitor_checks.empty());
}

TEST_F(MonitorWalk, a_check_is_left_and_gone_on_with) {
    add_display();
    view().check();
    desk().monitors.set_pace(200);
    ASSERT_TRUE(wait_for([&] { return desk().monitors.check().read.size() > 10; }));
    press(view().pattern(), Qt::Key_Escape);
    EXPECT_FALSE(desk().monitors.checking());
    const std::size_t kept = desk().monitors.check().read.size();
    EXPECT_EQ(child<QPushButton>("monitorCheck")->text(), "Go on with the check");
    view().check();
    EXPECT_EQ(desk().monitors.check().read.size(), kept);
    desk().monitors.set_pace(1000);
    ASSERT_TRUE(wait_for([&] { return kit().monitor_checks.size() == 1; }));
}

TEST_F(MonitorWalk, an_instrument_that_was_moved_is_noticed) {
    add_display();
    view().check();
    desk().monitors.set_pace(200);
    ASSERT_TRUE(wait_for([&] { return desk().monitors.check().read.size() > 5; }));
    desk().monitors.instrument().disturb(0, 0.5);
    ASSERT_TRUE(wait_for([&] { return view().pattern()->doubts(); }));
    EXPECT_FALSE(view().pattern()->words().isEmpty());
    desk().monitors.instrument().disturb(0, 1);
    press(view().pattern(), Qt::Key_Return);
    desk().monitors.set_pace(1000);
    ASSERT_TRUE(wait_for([&] {
        if (view().pattern()->doubts()) press(view().pattern(), Qt::Key_Return);
        return kit().monitor_checks.size() == 1;
    }));
    EXPECT_NEAR(kit().monitor_checks.front().luminance, 140, 3);
}

TEST_F(MonitorWalk, the_profile_is_written_and_used_for_the_monitor) {
    add_display();
    desk().monitors.write_profile(kit().monitors.front().id, scratch / "early.icc", {});
    EXPECT_TRUE(notice().contains("Check the display first"));
    view().check();
    desk().monitors.set_pace(1000);
    ASSERT_TRUE(wait_for([&] { return kit().monitor_checks.size() == 1; }));
    desk().monitors.write_profile(kit().monitors.front().id, scratch / "wide.icc", {.icc_version = 4});
    EXPECT_TRUE(fs::exists(scratch / "wide.icc"));
    EXPECT_EQ(kit().monitors.front().profile, (scratch / "wide.icc").string());
}

TEST_F(MonitorWalk, values_measured_elsewhere_and_tables_that_are_wrong) {
    add_display();
    const Id monitor = kit().monitors.front().id;
    const auto table = [&](const char* name, const std::string& text) {
        desk().monitors.bring(monitor, test::written(scratch / name, text));
    };
    const std::string head = "R,G,B,X,Y,Z\n", primaries = "1,0,0,50,26,2\n0,1,0,43,86,14\n0,0,1,22,9,114\n";
    table("no-black.csv", head + "1,1,1,115,121,130\n" + primaries + "0.5,0.5,0.5,25,26,28\n");
    EXPECT_TRUE(notice().contains("too few greys")) << notice().toStdString();
    table("negative.csv", head + "1,1,1,115,-121,130\n");
    EXPECT_TRUE(notice().contains("line 2")) << notice().toStdString();
    table("words.csv", "what,is,this\n1,2,3\n");
    EXPECT_TRUE(notice().contains("column")) << notice().toStdString();
    table("two.csv", head + "1,1,1,115,121,130\n1,1,1,215,226,240\n" + primaries +
                         "0,0,0,0.1,0.1,0.1\n0.5,0.5,0.5,25,26,28\n0.2,0.2,0.2,5,5,6\n");
    EXPECT_TRUE(notice().contains("two displays are mixed")) << notice().toStdString();
    table("scaled.csv", head + "1,1,1,0.95,1,1.09\n1,0,0,0.41,0.21,0.02\n0,1,0,0.36,0.72,0.12\n0,0,1,0.18,0.07,0.95\n");
    EXPECT_TRUE(notice().contains("no values in cd/m2")) << notice().toStdString();
    table("order.csv", "R,G,B,Z,Y,X\n1,1,1,115,121,130\n" + primaries +
                           "0,0,0,0.1,0.1,0.1\n0.5,0.5,0.5,25,26,28\n0.2,0.2,0.2,5,5,6\n");
    EXPECT_TRUE(notice().contains("another order")) << notice().toStdString();
    EXPECT_TRUE(kit().monitor_checks.empty());
    std::string good = head;
    for (const display::Shown& s : display::sequence()) {
        const colour::Vec3 xyz = display::light_of(display::displays()[3], s.rgb); // badly set
        good += formatted("{},{},{},{},{},{}\n", s.rgb[0], s.rgb[1], s.rgb[2], xyz[0], xyz[1], xyz[2]);
    }
    table("bad.csv", good);
    ASSERT_EQ(kit().monitor_checks.size(), 1u);
    EXPECT_EQ(kit().monitor_checks.front().source, "bad.csv");
    EXPECT_NE(kit().monitor_checks.front().verdict, display::Verdict::pass);
    // Two displays side by side.
    const Id second = desk().monitors.add("Desk right", "");
    desk().monitors.bring(second, scratch / "bad.csv");
    view().show_setup(second);
    EXPECT_EQ(operations::shown_by_all(kit()).size(), 5u);
}

TEST_F(MonitorWalk, the_guide_follows_the_controls) {
    add_display();
    auto* guide = view().findChild<GuidePanel*>();
    desk().monitors.use_instrument(1);
    guide->set_target("srgb");
    guide->read();
    EXPECT_TRUE(guide->words().contains("have done what they can")) << guide->words().toStdString();
    guide->findChild<QDoubleSpinBox*>("guideBlue")->setValue(0.8);
    guide->read();
    EXPECT_TRUE(guide->words().contains("down")) << guide->words().toStdString();
    guide->findChild<QDoubleSpinBox*>("guideBlue")->setValue(1);
    guide->findChild<QDoubleSpinBox*>("guideBrightness")->setValue(300);
    guide->read();
    EXPECT_TRUE(guide->words().contains("brightness down")) << guide->words().toStdString();
}

} // namespace refero::app
