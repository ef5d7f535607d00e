// What is open, without a window: settings, staleness, own files.
#include <QSignalSpy>

#include "demo_run.hpp"
#include "gui.hpp"

namespace refero::app {
namespace {

using test::Scratch;

struct Opened : testing::Test {
    Scratch scratch;
    Desk desk;
    QStringList notices;

    Opened() {
        desk.kit.use(scratch / "kit.refero-kit");
        desk.job.create(scratch / "job.refero");
        QObject::connect(&desk.notices, &Notices::told, [this](const QString& words) { notices << words; });
    }
    Id id(int n) const { return desk.chains.ids().at(static_cast<std::size_t>(n)); }
    void settle() {
        ASSERT_TRUE(wait_for([&] { return desk.tasks.running() == 0; }));
    }
    void open(const fs::path& file, Id current = 0) {
        desk.frames.open({file}, current);
        settle();
    }
    /// One setup with its correction.
    void open_fitted() {
        test::shoot({.width = 900, .height = 600}, scratch / "chart.dng");
        open(scratch / "chart.dng");
        ASSERT_EQ(desk.chains.count(), 1);
        desk.setups.fit(id(0));
        settle();
        ASSERT_TRUE(desk.chains.at(id(0)).correction);
    }
    void change(const std::function<void(Settings&)>& how) {
        Settings s = desk.chains.at(id(0)).settings;
        how(s);
        desk.setups.change(id(0), s, "change");
        settle();
    }
};

TEST_F(Opened, each_setting_makes_the_correction_stale_and_undo_mends_it) {
    open_fitted();
    const std::function<void(Settings&)> changes[] = {[](Settings& s) { s.white = "D3"; },
                                                      [](Settings& s) { s.model = fit::Model::matrix; },
                                                      [](Settings& s) { s.intent = fit::Intent::textiles; },
                                                      [this](Settings& s) {
                                                          s.chart = "grid24";
                                                          s.corners = desk.chains.at(id(0)).shot->placement.corners;
                                                          (*s.corners)[2].x() += 6;
                                                      }};
    for (const auto& how : changes) {
        ASSERT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::whole);
        change(how);
        EXPECT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::worn);
        EXPECT_EQ(desk.chains.at(id(0)).link(Step::proof), LinkState::worn);
        EXPECT_EQ(desk.chains.at(id(0)).current(), Step::correction);
        EXPECT_FALSE(next_of(desk.chains.at(id(0)), Step::correction, desk.tasks).isEmpty());
        desk.job.undo();
        settle();
        EXPECT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::whole);
    }
    desk.job.redo(); // the last change again: corners by hand
    settle();
    EXPECT_TRUE(desk.chains.at(id(0)).settings.corners.has_value());
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::worn);
    desk.setups.fit(id(0));
    settle();
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::whole);
}

TEST_F(Opened, settings_do_what_they_say) {
    open_fitted();
    change([](Settings& s) {
        s.white = "D3";
        s.model = fit::Model::matrix;
        s.intent = fit::Intent::people;
    });
    EXPECT_EQ(desk.chains.at(id(0)).balance->white_patch, "D3");
    desk.setups.fit(id(0));
    settle();
    const fit::Correction& c = *desk.chains.at(id(0)).correction;
    EXPECT_EQ(c.model, fit::Model::matrix);
    EXPECT_EQ(c.intent, fit::Intent::people);
    EXPECT_EQ(c.balance.white_patch, "D3");
    EXPECT_EQ(c.sources.at(0).file, scratch / "chart.dng");
    change([](Settings& s) { s.white = "A1"; }); // no neutral, but it can be asked for
    EXPECT_EQ(desk.chains.at(id(0)).balance->white_patch, "A1");
    change([](Settings& s) { s.white = "Q9"; });
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::balance), LinkState::broken);
    EXPECT_FALSE(desk.chains.at(id(0)).balance_problem.empty());
}

TEST_F(Opened, several_frames_dropped_on_an_empty_window_all_come_in) {
    Desk fresh;
    fresh.kit.use(scratch / "other.refero-kit");
    for (const char* light : {"window", "tungsten"})
        test::shoot({.light = light, .width = 900, .height = 600}, scratch / (std::string(light) + ".dng"));
    fresh.frames.open({scratch / "window.dng", scratch / "tungsten.dng"}, 0);
    ASSERT_TRUE(wait_for([&] { return fresh.chains.count() == 2 && fresh.tasks.running() == 0; }, 120000));
    EXPECT_TRUE(fresh.job.file().filename().string().starts_with("Untitled"));
    fresh.job.save_as(fresh.job.file()); // onto itself: nothing happens
    EXPECT_EQ(fresh.chains.count(), 2);
    // A chart shot that is away is told, and stays told after other changes.
    fs::remove(scratch / "window.dng");
    Desk again;
    again.kit.use(scratch / "other.refero-kit");
    const fs::path file = fresh.job.file();
    fresh.job.close();
    again.job.open(file);
    ASSERT_TRUE(wait_for([&] { return again.tasks.running() == 0; }));
    EXPECT_EQ(again.frames.missing(), 1);
    EXPECT_TRUE(again.chains.at(again.chains.ids()[0]).shot); // its reading is in the job
}

TEST_F(Opened, the_demos_kit_is_put_aside_with_the_demo) {
    edit(desk.kit, "Mine", [](shoot::Change& e) { e.add(shoot::MonitorRecord{.name = "Mine"}); });
    DemoRun demo(desk);
    demo.open(shipped("demo/museum.json"), scratch / "demo");
    ASSERT_TRUE(wait_for([&] { return desk.job.is_open(); }));
    desk.tasks.cancel_all();
    settle();
    EXPECT_GT(desk.kit.kit().monitors.size(), 1u);
    desk.job.create(scratch / "mine.refero");
    ASSERT_EQ(desk.kit.kit().monitors.size(), 1u);
    EXPECT_EQ(desk.kit.kit().monitors[0].name, "Mine");
}

TEST_F(Opened, a_handover_is_stale_once_its_correction_is_replaced) {
    open_fitted();
    desk.handovers.write_file(id(0), "icc", {}, scratch / "a.icc");
    settle();
    ASSERT_EQ(desk.chains.at(id(0)).handovers.size(), 1u);
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::handover), LinkState::whole);
    EXPECT_EQ(desk.chains.at(id(0)).current(), Step::handover);
    desk.setups.fit(id(0));
    settle();
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::handover), LinkState::worn);
    // The same file again: only with consent.
    std::vector<fs::path> asked;
    desk.handovers.ask = [&](const std::vector<fs::path>& files) {
        asked = files;
        return false;
    };
    desk.handovers.write_file(id(0), "icc", {}, scratch / "a.icc");
    settle();
    EXPECT_EQ(asked, std::vector{scratch / "a.icc"});
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::handover), LinkState::worn);
    desk.handovers.ask = [](const std::vector<fs::path>&) { return true; };
    desk.handovers.write_file(id(0), "icc", {}, scratch / "a.icc");
    settle();
    EXPECT_EQ(desk.chains.at(id(0)).handovers.size(), 1u);
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::handover), LinkState::whole);
}

TEST_F(Opened, whole_frames_are_corrected_and_never_replaced) {
    open_fitted();
    develop_frames(desk, id(0), apply::Format::png, "display-p3", scratch.folder());
    settle();
    EXPECT_TRUE(fs::exists(scratch / "chart.png"));
    EXPECT_TRUE(notices.isEmpty()) << notices.join("; ").toStdString();
    test::shoot({.width = 300, .height = 200}, scratch / "frame.tif");
    desk.frames.open({scratch / "frame.tif"}, 0); // another setup whose chart shot is a TIFF
    settle();
    ASSERT_EQ(desk.chains.count(), 2);
    desk.setups.fit(id(1));
    settle();
    const std::string before = sha256_of(scratch / "frame.tif");
    develop_frames(desk, id(1), apply::Format::tiff, "srgb", scratch.folder());
    settle();
    EXPECT_EQ(sha256_of(scratch / "frame.tif"), before);
    ASSERT_EQ(notices.size(), 1);
    EXPECT_TRUE(notices[0].contains("frame.tif"));
}

TEST_F(Opened, frames_go_between_two_lights_by_their_own_balance) {
    open_fitted();
    test::shoot({.light = "tungsten", .width = 900, .height = 600}, scratch / "lamps.dng");
    desk.frames.open({scratch / "lamps.dng"}, 0);
    settle();
    desk.setups.fit(id(1));
    settle();
    ASSERT_TRUE(desk.chains.at(id(1)).correction);
    develop_frames(desk, id(0), apply::Format::png, "srgb", scratch.folder(), id(1));
    settle();
    EXPECT_TRUE(notices.isEmpty()) << notices.join("; ").toStdString();
    ASSERT_EQ(desk.chains.at(id(0)).handovers.size(), 1u);
    // The chart shot's own light is that of its correction.
    EXPECT_NE(desk.chains.at(id(0)).handovers[0].message.find("100 % of the correction"), std::string::npos)
        << desk.chains.at(id(0)).handovers[0].message;
    // A frame that does not tell its light is named, and not written.
    test::shoot({.width = 900, .height = 600}, scratch / "plain.tif");
    desk.frames.open({scratch / "plain.tif"}, 0);
    settle();
    desk.setups.fit(id(2));
    settle();
    develop_frames(desk, id(2), apply::Format::png, "srgb", scratch.folder(), id(1));
    settle();
    ASSERT_EQ(notices.size(), 1);
    EXPECT_TRUE(notices[0].contains("plain.tif")) << notices[0].toStdString();
    EXPECT_FALSE(fs::exists(scratch / "plain.png"));
}

TEST_F(Opened, a_file_that_cannot_be_written_is_told_and_nothing_is_kept) {
    open_fitted();
    desk.handovers.write_file(id(0), "cube", {}, scratch / "nowhere/a.cube");
    settle();
    EXPECT_TRUE(desk.chains.at(id(0)).handovers.empty());
    ASSERT_EQ(notices.size(), 1);
    EXPECT_TRUE(notices[0].contains("nowhere: the folder does not exist")) << notices[0].toStdString();
}

TEST_F(Opened, own_reference_values_are_taken_for_the_open_setup) {
    open_fitted();
    // The chart's own values, a little lighter.
    std::string text = "CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y "
                       "XYZ_Z\nEND_DATA_FORMAT\nNUMBER_OF_SETS 24\nBEGIN_DATA\n";
    for (const auto& [id, xyz] : chart::reference_of(test::grid24()).xyz)
        text += id + " " + std::to_string(104 * xyz[0]) + " " + std::to_string(104 * xyz[1]) + " " +
                std::to_string(104 * xyz[2]) + "\n";
    test::written(scratch / "own.cgats", text + "END_DATA\n");
    const double exposure = desk.chains.at(id(0)).balance->exposure;
    open(scratch / "own.cgats"); // without an open setup: told, not taken
    EXPECT_TRUE(notices.last().contains("own.cgats"));
    EXPECT_TRUE(desk.chains.at(id(0)).settings.reference.empty());
    open(scratch / "own.cgats", id(0));
    EXPECT_NEAR(desk.chains.at(id(0)).balance->exposure / exposure, 1.04, 1e-4);
    EXPECT_EQ(desk.chains.at(id(0)).link(Step::correction), LinkState::worn);
}

TEST_F(Opened, a_chart_definition_is_installed_for_good) {
    const fs::path folder = user_data_dir() / "charts";
    std::string text = read_file(test::grid24().file);
    text.replace(text.find("\"grid24\""), 8, "\"mine24\"");
    fs::copy_file(chart::find_definition("grid24").reference_file, scratch / "grid24.cgats");
    test::written(scratch / "mine24.json", text);
    open(scratch / "mine24.json");
    EXPECT_EQ(chart::find_definition("mine24").patches.size(), 24u);
    EXPECT_EQ(chart::reference_of(chart::find_definition("mine24")).xyz.size(), 24u);
    fs::remove_all(folder);
    test::written(scratch / "broken.json", text.substr(0, 300));
    open(scratch / "broken.json");
    EXPECT_TRUE(notices.last().contains("broken.json"));
    EXPECT_FALSE(fs::exists(folder / "broken.json"));
}

TEST_F(Opened, a_correction_opens_also_without_its_chart_shot) {
    open_fitted();
    desk.handovers.write_file(id(0), "correction", {}, scratch / "c.json");
    settle();
    fs::remove(scratch / "chart.dng");
    Desk other;
    other.frames.open({scratch / "c.json"}, 0);
    ASSERT_TRUE(wait_for([&] { return other.tasks.running() == 0; }));
    ASSERT_EQ(other.chains.count(), 1);
    EXPECT_EQ(other.chains.at(other.chains.ids()[0]).link(Step::shot), LinkState::broken);
    EXPECT_EQ(other.chains.at(other.chains.ids()[0]).link(Step::correction), LinkState::whole);
    EXPECT_TRUE(other.chains.at(other.chains.ids()[0]).proof);
    EXPECT_TRUE(other.chains.at(other.chains.ids()[0]).problem.find("chart.dng") != std::string::npos);
    other.handovers.write_file(other.chains.ids()[0], "dcp", {}, scratch / "c.dcp"); // and can still be handed over
    ASSERT_TRUE(wait_for([&] { return fs::exists(scratch / "c.dcp"); }));
}

TEST_F(Opened, two_lights_of_one_camera_are_two_setups) {
    test::shoot({.width = 900, .height = 600}, scratch / "a.dng");
    test::shoot({.light = "tungsten", .width = 900, .height = 600}, scratch / "b.dng");
    test::shoot({.camera = "cine-a", .width = 900, .height = 600}, scratch / "c.dng");
    for (const char* name : {"a.dng", "b.dng", "c.dng"}) open(scratch / name);
    ASSERT_EQ(desk.chains.count(), 3);
    EXPECT_EQ(desk.job.shoot().cameras.size(), 2u);
    EXPECT_EQ(desk.job.shoot().lights.size(), 2u);
    EXPECT_NE(desk.chains.title_of(id(0)), desk.chains.title_of(id(1)));
    EXPECT_GT(desk.chains.at(id(0)).light->kelvin, desk.chains.at(id(1)).light->kelvin + 1500);
    desk.setups.fit_all();
    settle();
    for (int i = 0; i < 3; ++i) EXPECT_TRUE(desk.chains.at(id(i)).correction) << i;
}

} // namespace
} // namespace refero::app
