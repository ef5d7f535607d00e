// The desk over a job file: what comes in from outside, and what stays after closing.
#include "gui.hpp"
#include "model/model.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {
namespace {

using shoot::State;
using test::Scratch;

struct Job : testing::Test {
    Scratch scratch;
    Desk desk;
    QStringList notices;
    Job() {
        QObject::connect(&desk.notices, &Notices::told, [this](const QString& words) { notices << words; });
        desk.kit.use(scratch / "kit.refero-kit");
        desk.job.create(scratch / "job.refero");
    }
    void settle() {
        ASSERT_TRUE(wait_for([&] { return desk.tasks.running() == 0; }));
    }
    Id id(int n) const { return desk.chains.ids().at(static_cast<std::size_t>(n)); }
    fs::path frame(const char* name, const test::Shot& shot = {.width = 900, .height = 600}) {
        test::shoot(shot, scratch / name);
        return scratch / name;
    }
    fs::path plain(const char* name, const char* taken = "2026-05-04T10:00:00") {
        auto scene = simulate::parse_scene(test::scene_text({.width = 300, .height = 200}), "scene");
        scene.charts.clear();
        scene.taken = taken;
        simulate::write(simulate::render(scene), scratch / name);
        return scratch / name;
    }
};

TEST_F(Job, a_camera_that_the_kit_knows_comes_with_its_data) {
    edit(desk.kit, "camera", [](shoot::Change& e) {
        e.add(shoot::CameraRecord{.uid = "u",
                                  .name = "The good one",
                                  .model = "Stills A",
                                  .serial_number = "SA-1042",
                                  .firmware = "9",
                                  .sensor_width_mm = 23.6});
    });
    desk.frames.open({frame("a.dng")}, 0);
    settle();
    ASSERT_EQ(desk.job.shoot().cameras.size(), 1u);
    EXPECT_EQ(desk.job.shoot().cameras[0].name, "The good one");
    EXPECT_EQ(desk.job.shoot().cameras[0].uid, "u");
    EXPECT_EQ(desk.job.shoot().cameras[0].sensor_width_mm, 23.6);
    desk.setups.fit(id(0));
    settle();
    EXPECT_EQ(desk.job.shoot().corrections[0].firmware, "9"); // what the correction expects
    EXPECT_EQ(desk.job.shoot().corrections[0].iso, 100);
    EXPECT_EQ(desk.job.shoot().proofs[0].basis, "patches left out");
}

TEST_F(Job, the_same_light_shot_again_is_another_chart_shot_of_its_setup) {
    desk.frames.open(
        {frame("a.dng", {.width = 900, .height = 600, .seed = 1, .more = R"(,"taken":"2026-05-04T09:00:00")"})}, 0);
    settle();
    desk.frames.open(
        {frame("b.dng", {.width = 900, .height = 600, .seed = 2, .more = R"(,"taken":"2026-05-04T15:00:00")"})}, 0);
    settle();
    ASSERT_EQ(desk.chains.count(), 1);
    EXPECT_EQ(desk.job.shoot().chart_shots.size(), 2u);
    EXPECT_EQ(fs::path(desk.chains.at(id(0)).chart_frame.path).filename(), "b.dng"); // the later one is in force
    ASSERT_EQ(desk.chains.stretches(id(0)).size(), 2u); // six hours later: a stretch of its own
    const Id later = desk.chains.at(id(0)).chart_frame.id;
    desk.setups.fit(id(0));
    settle();
    EXPECT_EQ(fs::path(desk.chains.at(id(0)).chart_frame.path).filename(), "a.dng"); // the next one to act on
    desk.frames.remove({later});
    EXPECT_EQ(desk.chains.stretches(id(0)).size(), 1u);
    EXPECT_EQ(fs::path(desk.chains.at(id(0)).chart_frame.path).filename(), "a.dng");
    desk.job.undo();
    EXPECT_EQ(desk.chains.stretches(id(0)).back().state, State::proved);
    desk.frames.open({scratch / "a.dng"}, 0); // known already: nothing new
    settle();
    EXPECT_EQ(desk.job.shoot().frames.size(), 2u);
}

TEST_F(Job, a_folder_is_watched_and_remembered_with_the_job) {
    fs::create_directories(scratch / "card");
    desk.frames.open({scratch / "card"}, 0);
    EXPECT_EQ(desk.watcher.folders(), std::vector<fs::path>{scratch / "card"});
    EXPECT_TRUE(notices.last().contains("by themselves"));
    const fs::path file = desk.job.file();
    desk.job.close();
    EXPECT_TRUE(desk.watcher.folders().empty());
    desk.job.open(file);
    EXPECT_EQ(desk.watcher.folders(), std::vector<fs::path>{scratch / "card"});
    desk.watcher.watch({});
    desk.job.close();
    desk.job.open(file);
    EXPECT_TRUE(desk.watcher.folders().empty());
}

TEST_F(Job, a_frame_that_shows_no_chart_after_all_goes_back_among_the_others) {
    desk.frames.open({frame("a.dng", {.width = 900, .height = 600, .more = R"(,"taken":"2026-05-04T09:00:00")"})}, 0);
    settle();
    desk.frames.take_in({plain("p.dng")});
    settle();
    ASSERT_TRUE(wait_for([&] { return desk.chains.at(id(0)).frames.size() == 1; }));
    const Id ordinary = desk.chains.at(id(0)).frames[0];
    desk.frames.make_chart_shot(ordinary, id(0));
    settle();
    ASSERT_FALSE(notices.isEmpty());
    EXPECT_TRUE(notices.last().contains("p.dng")) << notices.last().toStdString(); // it is read, and there is no chart
    EXPECT_EQ(fs::path(desk.chains.at(id(0)).chart_frame.path).filename(), "a.dng")
        << "an unreadable one does not replace a good one";
    desk.frames.make_ordinary(ordinary);
    settle();
    EXPECT_EQ(desk.job.shoot().chart_shots.size(), 1u);
    desk.frames.assign({ordinary}, 0);
    EXPECT_TRUE(desk.chains.at(id(0)).frames.empty());
    desk.frames.let_assign({ordinary});
    EXPECT_EQ(desk.chains.at(id(0)).frames.size(), 1u);
}

TEST_F(Job, balance_only_is_whole_without_a_correction) {
    desk.frames.open({frame("a.dng")}, 0);
    settle();
    edit(desk.job, "balance only", [&](shoot::Change& e) {
        shoot::SetupRecord s = desk.chains.at(id(0)).row;
        s.balance_only = true;
        e.update(s);
    });
    ASSERT_TRUE(desk.chains.at(id(0)).correction); // the balance alone
    EXPECT_EQ(desk.chains.at(id(0)).correction->model, fit::Model::diagonal);
    EXPECT_TRUE(desk.job.shoot().corrections.empty());
    desk.setups.fit(id(0)); // there is nothing to fit
    settle();
    EXPECT_TRUE(desk.job.shoot().corrections.empty());
    desk.handovers.write_file(id(0), "matrix", {}, scratch / "b.json");
    settle();
    EXPECT_TRUE(desk.chains.at(id(0)).whole());
    EXPECT_EQ(desk.chains.at(id(0)).state, State::handed_over);
    desk.job.undo();
    desk.job.undo();
    EXPECT_FALSE(desk.chains.at(id(0)).balance_only());
    EXPECT_FALSE(desk.chains.at(id(0)).correction);
}

TEST_F(Job, the_log_and_undo_go_on_after_closing) {
    edit(desk.job, "First", [](shoot::Change& e) {
        e.about("here");
        e.add(shoot::NoteRecord{.text = "1"});
    });
    desk.job.note("Looked at the sky");
    const fs::path file = desk.job.file();
    desk.job.close();
    EXPECT_FALSE(desk.job.is_open());
    EXPECT_TRUE(desk.job.undo_title().isEmpty());
    EXPECT_TRUE(desk.job.log({}).empty());
    desk.job.open(file);
    EXPECT_EQ(desk.job.undo_title(), "First");
    EXPECT_EQ(desk.job.log("sky").size(), 1u);
    EXPECT_EQ(desk.job.log("here").front().what, "First");
    desk.job.undo();
    EXPECT_TRUE(desk.job.shoot().notes.empty());
    EXPECT_EQ(desk.job.log("undone first").size(), 1u);
}

TEST_F(Job, a_job_that_cannot_be_made_or_opened_is_told) {
    desk.job.create(scratch / "no such folder/a.refero");
    EXPECT_TRUE(notices.last().contains("no such folder"));
    desk.job.create(scratch / "job.refero"); // there already
    EXPECT_TRUE(notices.last().contains("another name"));
    EXPECT_TRUE(desk.job.is_open()) << "the open one stays";
    desk.frames.open({scratch / "nothing.refero"}, 0);
    EXPECT_TRUE(notices.last().contains("there is no such file"));
    test::written(scratch / "what.xyz", "?");
    desk.frames.open({scratch / "what.xyz"}, 0);
    EXPECT_TRUE(notices.last().contains("does not know this kind"));
    EXPECT_FALSE(edit(desk.job, "broken",
                      [](shoot::Change& e) { e.add(shoot::SetupRecord{.camera = 1, .mode = 2, .light = 3}); }));
    EXPECT_EQ(desk.chains.count(), 0);
}

} // namespace
} // namespace refero::app
