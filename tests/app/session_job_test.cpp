// The session over a job file: what comes in from outside, and what stays after closing.
#include "gui.hpp"
#include "session.hpp"

namespace refero::app {
namespace {

using plan::State;
using test::Scratch;

struct Job : testing::Test {
    Scratch scratch;
    Session session;
    QStringList notices;
    Job() {
        QObject::connect(&session, &Session::notice, [this](const QString& words) { notices << words; });
        session.use_kit(scratch / "kit.refero-kit");
        session.new_job(scratch / "job.refero");
    }
    void settle() {
        ASSERT_TRUE(wait_for([&] { return session.tasks().running() == 0; }));
    }
    Id id(int n) const { return session.ids().at(static_cast<std::size_t>(n)); }
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
    session.change_kit("camera", [](job::Edit& e) {
        e.add(plan::Camera{.uid = "u",
                           .name = "The good one",
                           .model = "Stills A",
                           .serial_number = "SA-1042",
                           .firmware = "9",
                           .sensor_width_mm = 23.6});
    });
    session.open({frame("a.dng")}, 0);
    settle();
    ASSERT_EQ(session.shoot().cameras.size(), 1u);
    EXPECT_EQ(session.shoot().cameras[0].name, "The good one");
    EXPECT_EQ(session.shoot().cameras[0].uid, "u");
    EXPECT_EQ(session.shoot().cameras[0].sensor_width_mm, 23.6);
    session.fit(id(0));
    settle();
    EXPECT_EQ(session.shoot().corrections[0].firmware, "9"); // what the correction expects
    EXPECT_EQ(session.shoot().corrections[0].iso, 100);
    EXPECT_EQ(session.shoot().proofs[0].basis, "patches left out");
}

TEST_F(Job, the_same_light_shot_again_is_another_chart_shot_of_its_setup) {
    session.open(
        {frame("a.dng", {.width = 900, .height = 600, .seed = 1, .more = R"(,"taken":"2026-05-04T09:00:00")"})}, 0);
    settle();
    session.open(
        {frame("b.dng", {.width = 900, .height = 600, .seed = 2, .more = R"(,"taken":"2026-05-04T15:00:00")"})}, 0);
    settle();
    ASSERT_EQ(session.count(), 1);
    EXPECT_EQ(session.shoot().chart_shots.size(), 2u);
    EXPECT_EQ(fs::path(session.at(id(0)).chart_frame.path).filename(), "b.dng"); // the later one is in force
    session.fit(id(0));
    settle();
    session.remove_frames({session.at(id(0)).chart_frame.id});
    EXPECT_EQ(fs::path(session.at(id(0)).chart_frame.path).filename(), "a.dng");
    session.undo();
    EXPECT_EQ(session.at(id(0)).state, State::proved);
    session.open({scratch / "a.dng"}, 0); // known already: nothing new
    settle();
    EXPECT_EQ(session.shoot().frames.size(), 2u);
}

TEST_F(Job, a_folder_is_watched_and_remembered_with_the_job) {
    fs::create_directories(scratch / "card");
    session.open({scratch / "card"}, 0);
    EXPECT_EQ(session.watched(), std::vector<fs::path>{scratch / "card"});
    EXPECT_TRUE(notices.last().contains("by themselves"));
    const fs::path file = session.job_file();
    session.close_job();
    EXPECT_TRUE(session.watched().empty());
    session.open_job(file);
    EXPECT_EQ(session.watched(), std::vector<fs::path>{scratch / "card"});
    session.watch({});
    session.close_job();
    session.open_job(file);
    EXPECT_TRUE(session.watched().empty());
}

TEST_F(Job, a_frame_that_shows_no_chart_after_all_goes_back_among_the_others) {
    session.open({frame("a.dng", {.width = 900, .height = 600, .more = R"(,"taken":"2026-05-04T09:00:00")"})}, 0);
    settle();
    session.take_in({plain("p.dng")});
    settle();
    ASSERT_TRUE(wait_for([&] { return session.at(id(0)).frames.size() == 1; }));
    const Id ordinary = session.at(id(0)).frames[0];
    session.make_chart_shot(ordinary, id(0));
    settle();
    ASSERT_FALSE(notices.isEmpty());
    EXPECT_TRUE(notices.last().contains("p.dng")) << notices.last().toStdString(); // it is read, and there is no chart
    EXPECT_EQ(fs::path(session.at(id(0)).chart_frame.path).filename(), "a.dng")
        << "an unreadable one does not replace a good one";
    session.make_ordinary(ordinary);
    settle();
    EXPECT_EQ(session.shoot().chart_shots.size(), 1u);
    session.assign({ordinary}, 0);
    EXPECT_TRUE(session.at(id(0)).frames.empty());
    session.let_assign({ordinary});
    EXPECT_EQ(session.at(id(0)).frames.size(), 1u);
}

TEST_F(Job, balance_only_is_whole_without_a_correction) {
    session.open({frame("a.dng")}, 0);
    settle();
    session.change("balance only", [&](job::Edit& e) {
        plan::Setup s = session.at(id(0)).row;
        s.balance_only = true;
        e.update(s);
    });
    ASSERT_TRUE(session.at(id(0)).correction); // the balance alone
    EXPECT_EQ(session.at(id(0)).correction->model, fit::Model::diagonal);
    EXPECT_TRUE(session.shoot().corrections.empty());
    session.fit(id(0)); // there is nothing to fit
    settle();
    EXPECT_TRUE(session.shoot().corrections.empty());
    session.export_file(id(0), deliver::Format::matrix, {}, scratch / "b.json");
    settle();
    EXPECT_TRUE(session.at(id(0)).whole());
    EXPECT_EQ(session.at(id(0)).state, State::handed_over);
    session.undo();
    session.undo();
    EXPECT_FALSE(session.at(id(0)).balance_only());
    EXPECT_FALSE(session.at(id(0)).correction);
}

TEST_F(Job, the_log_and_undo_go_on_after_closing) {
    session.change("First", [](job::Edit& e) {
        e.about("here");
        e.add(plan::Note{.text = "1"});
    });
    session.note("Looked at the sky");
    const fs::path file = session.job_file();
    session.close_job();
    EXPECT_FALSE(session.has_job());
    EXPECT_TRUE(session.undo_title().isEmpty());
    EXPECT_TRUE(session.log({}).empty());
    session.open_job(file);
    EXPECT_EQ(session.undo_title(), "First");
    EXPECT_EQ(session.log("sky").size(), 1u);
    EXPECT_EQ(session.log("here").front().what, "First");
    session.undo();
    EXPECT_TRUE(session.shoot().notes.empty());
    EXPECT_EQ(session.log("undone first").size(), 1u);
}

TEST_F(Job, a_job_that_cannot_be_made_or_opened_is_told) {
    session.new_job(scratch / "no such folder/a.refero");
    EXPECT_TRUE(notices.last().contains("no such folder"));
    session.new_job(scratch / "job.refero"); // there already
    EXPECT_TRUE(notices.last().contains("another name"));
    EXPECT_TRUE(session.has_job()) << "the open one stays";
    session.open({scratch / "nothing.refero"}, 0);
    EXPECT_TRUE(notices.last().contains("there is no such file"));
    test::written(scratch / "what.xyz", "?");
    session.open({scratch / "what.xyz"}, 0);
    EXPECT_TRUE(notices.last().contains("does not know this kind"));
    EXPECT_FALSE(
        session.change("broken", [](job::Edit& e) { e.add(plan::Setup{.camera = 1, .mode = 2, .light = 3}); }));
    EXPECT_EQ(session.count(), 0);
}

} // namespace
} // namespace refero::app
