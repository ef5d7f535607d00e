// Developing the shoot through the window: many frames, pause, resume, cancel.
#include "handover/handover.hpp"
#include "job_window.hpp"
#include "places/setup/develop_panel.hpp"
#include "places/setup/handover_page.hpp"

namespace refero::app {
namespace {

struct Developing : JobWindow {
    /// Two cameras with their chart shots and some frames, fitted.
    void shoot_all(int frames) {
        plan_shoot({"Stills A", "Stills B"}, {"Window"});
        for (const Id setup : desk().chains.ids()) {
            desk().frames.take_in({shoot(setup, formatted("chart{}.dng", setup).c_str(), "2026-05-04T10:00:00")},
                                  setup);
            ASSERT_TRUE(idle());
            std::vector<fs::path> all;
            for (int i = 0; i < frames; ++i) // equal stems from two cameras' folders
                all.push_back(shoot_into(setup, i));
            desk().frames.take_in(all, setup);
            ASSERT_TRUE(idle());
            desk().setups.fit(setup);
            ASSERT_TRUE(wait_for([&] { return desk().chains.at(setup).correction && desk().tasks.running() == 0; }));
        }
    }
    fs::path shoot_into(Id setup, int i) {
        const std::string folder = formatted("camera{}", setup);
        fs::create_directories(card / folder);
        return shoot(setup, formatted("{}/frame{}.dng", folder, i).c_str(), formatted("2026-05-04T10:0{}:00", i + 1),
                     false);
    }
    BatchWish wish() {
        return {.setups = desk().chains.ids(), .develop = {.format = apply::Format::jpeg}, .folder = scratch / "out"};
    }
    std::size_t written() {
        std::size_t n = 0;
        for (const auto& entry : fs::directory_iterator(scratch / "out")) n += entry.path().extension() == ".jpg";
        return n;
    }
    /// The last row of a setup's page Handover.
    DevelopPanel* open_panel(Id setup) {
        window.open_setup(setup);
        window.setup_view()->choose(Step::handover);
        auto* kinds = window.setup_view()->page()->findChild<QListWidget*>();
        kinds->setCurrentRow(kinds->count() - 1);
        return window.setup_view()->page()->findChild<DevelopPanel*>();
    }
    const Batches::State& state() { return desk().batches.state(); }
};

} // namespace

TEST_F(Developing, all_setups_in_one_go_with_equal_names_told_apart) {
    shoot_all(3);
    fs::create_directories(scratch / "out");
    const Id setup = id(0);
    window.open_setup(setup);
    window.setup_view()->choose(Step::handover);
    auto* kinds = window.setup_view()->page()->findChild<QListWidget*>();
    kinds->setCurrentRow(kinds->count() - 1);
    auto* panel = window.setup_view()->page()->findChild<DevelopPanel*>();
    ASSERT_TRUE(panel && panel->isVisible());
    panel->findChild<QComboBox*>("developWhich")->setCurrentIndex(1);
    panel->findChild<QComboBox*>("developKind")->setCurrentIndex(4);
    panel->findChild<QLineEdit*>("developFolder")->setText(QString::fromStdString((scratch / "out").string()));
    photograph(window, "develop");
    panel->develop();
    ASSERT_TRUE(wait_for([&] { return !state().running && state().frames > 0; }));
    EXPECT_EQ(state().frames, 8);
    EXPECT_EQ(state().done, 8);
    EXPECT_EQ(state().failed, 0) << state().problems.join("; ").toStdString();
    EXPECT_EQ(written(), 8u);
    EXPECT_TRUE(fs::exists(scratch / "out" / "frame0-2.jpg"));
    EXPECT_EQ(desk().job.shoot().handovers.size(), 8u);
    EXPECT_TRUE(panel->findChild<QLabel*>("developHowFar")->text().contains("8 written"));
    // One of them is looked at as it was delivered: it shows the correction's own colours. Darkened on the way, it says
    // so.
    auto* page = qobject_cast<HandoverPage*>(window.setup_view()->page());
    ASSERT_TRUE(page);
    const auto words = [&] { return page->findChild<QLabel*>("verifyWords")->text(); };
    page->verify(scratch / "out" / formatted("chart{}.jpg", setup));
    ASSERT_TRUE(wait_for([&] { return words().contains("CIEDE2000"); })) << notice().toStdString();
    EXPECT_TRUE(words().contains("shows the master's colours")) << words().toStdString();
    QImage darker(QString::fromStdString((scratch / "out" / formatted("chart{}.jpg", setup)).string()));
    for (int y = 0; y < darker.height(); ++y)
        for (int x = 0; x < darker.width(); ++x) darker.setPixelColor(x, y, darker.pixelColor(x, y).darker(130));
    darker.save(QString::fromStdString((scratch / "hosted.png").string()));
    page->verify(scratch / "hosted.png");
    ASSERT_TRUE(wait_for([&] { return words().contains("hosted.png</b>"); }));
    EXPECT_TRUE(words().contains("darker by")) << words().toStdString();
    // The same again writes nothing: all were finished so.
    panel->develop();
    ASSERT_TRUE(idle());
    EXPECT_TRUE(notice().contains("All 8 frames were finished")) << notice().toStdString();
    EXPECT_EQ(desk().job.shoot().handovers.size(), 8u);
}

TEST_F(Developing, dng_copies_and_the_name_that_a_profile_is_listed_by) {
    shoot_all(1);
    fs::create_directories(scratch / "out");
    const Id setup = id(0);
    auto* panel = open_panel(setup);
    auto* page = window.setup_view()->page();
    auto* kinds = page->findChild<QListWidget*>();
    auto* kind = panel->findChild<QComboBox*>("developKind");
    const int copies = kind->findText("DNG", Qt::MatchContains);
    kind->setCurrentIndex(copies);
    emit kind->activated(copies);
    EXPECT_FALSE(panel->findChild<QCheckBox*>("part-finish")->isEnabled()); // a copy has no pixels of its own
    panel->findChild<QLineEdit*>("developFolder")->setText(QString::fromStdString((scratch / "out").string()));
    photograph(window, "dng-copies");
    panel->develop();
    ASSERT_TRUE(wait_for([&] { return !state().running && state().frames > 0; }));
    EXPECT_EQ(state().done, 2);
    const frame::Frame copy = frame::read(scratch / "out" / "frame0.dng");
    const colour::Vec3 gains = desk().chains.at(setup).correction->balance.gains;
    ASSERT_TRUE(copy.as_shot);
    EXPECT_LT((*copy.as_shot - gains / gains[1]).cwiseAbs().maxCoeff(), 1e-4);
    // The profile's camera is shown, and can be called otherwise.
    auto* model = page->findChild<QLineEdit*>("cameraModel");
    EXPECT_FALSE(model->isVisible());
    for (int row = 0; row < kinds->count(); ++row)
        if (kinds->item(row)->text().contains("*.dcp")) kinds->setCurrentRow(row);
    ASSERT_TRUE(model->isVisible());
    EXPECT_EQ(model->text().toStdString(), handover::camera_model_of(*desk().chains.at(setup).correction));
    photograph(window, "dcp");
}

TEST_F(Developing, frames_with_a_part_become_an_effects_set) {
    shoot_all(2);
    const Id setup = id(0);
    auto* panel = open_panel(setup);
    panel->findChild<QLineEdit*>("developFolder")->setText(QString::fromStdString((scratch / "out").string()));
    auto* kind = panel->findChild<QComboBox*>("developKind");
    kind->setCurrentIndex(kind->count() - 1);
    emit kind->activated(kind->count() - 1);
    panel->develop(); // nothing has a part yet
    EXPECT_TRUE(notice().contains("no plate")) << notice().toStdString();
    EXPECT_FALSE(fs::exists(scratch / "out" / "note.txt"));
    const std::vector<Id> frames = desk().chains.at(setup).frames;
    ASSERT_EQ(frames.size(), 2u);
    desk().frames.give_role({frames[0]}, "clean plate");
    desk().frames.give_role({frames[1]}, "reference object");
    ASSERT_TRUE(idle());
    window.open_setup(setup);
    photograph(window, "effects-set");
    panel->develop();
    ASSERT_TRUE(wait_for([&] { return !state().running && state().frames > 0 && idle(); }));
    EXPECT_EQ(state().done, 3);
    const auto plate = [&](Id frame) { return fs::path(desk().job.frame(frame)->path).stem().string() + ".exr"; };
    for (const std::string& file :
         {"clean/" + plate(frames[0]), "object/" + plate(frames[1]), std::string("chart/chart1.exr"),
          std::string("display-srgb.clf"), std::string("note.txt")})
        EXPECT_TRUE(fs::exists(scratch / "out" / file)) << file;
    EXPECT_TRUE(notice().contains("effects set is written")) << notice().toStdString();
    EXPECT_EQ(desk().job.shoot().handovers.size(), 5u);
    // Cancelled, and made again.
    fs::remove_all(scratch / "out");
    panel->develop();
    desk().tasks.cancel_all();
    ASSERT_TRUE(wait_for([&] { return !state().running && idle(); }));
    EXPECT_FALSE(fs::exists(scratch / "out" / "note.txt"));
    panel->develop();
    ASSERT_TRUE(wait_for([&] { return !state().running && idle(); }));
    EXPECT_TRUE(fs::exists(scratch / "out" / "note.txt"));
}

TEST_F(Developing, a_batch_is_paused_goes_on_is_cancelled_and_resumed) {
    shoot_all(4);
    desk().batches.develop(wish());
    ASSERT_TRUE(state().running);
    desk().batches.pause(true);
    EXPECT_TRUE(state().paused);
    // What is under way ends; then nothing more comes: no two frames of two workers are left open.
    ASSERT_TRUE(wait_for([&] { return state().done >= 1; }));
    EXPECT_LT(state().done, state().frames);
    desk().tasks.cancel_all(); // also while it is paused
    ASSERT_TRUE(wait_for([&] { return !state().running; }));
    const int before = static_cast<int>(written());
    EXPECT_LT(before, 10);
    EXPECT_EQ(static_cast<int>(desk().job.shoot().handovers.size()), before);
    desk().batches.develop(wish());
    ASSERT_TRUE(wait_for([&] { return !state().running; }));
    EXPECT_EQ(state().left_out, before);
    EXPECT_EQ(written(), 10u);
    EXPECT_EQ(desk().job.shoot().handovers.size(), 10u);
    for (const auto& entry : fs::recursive_directory_iterator(scratch / "out"))
        EXPECT_EQ(entry.path().filename().string().find(".part"), std::string::npos) << entry.path();
}

// A second job opened while a batch runs: what was done is kept and said, and the next batch can begin.
TEST_F(Developing, another_job_ends_a_batch_with_a_word_and_blocks_none) {
    shoot_all(4);
    desk().batches.develop(wish());
    desk().batches.pause(true); // so that some are left, however quick the machine is
    ASSERT_TRUE(wait_for([&] { return state().done >= 1; }));
    QStringList told;
    QObject::connect(&desk().notices, &Notices::told, &window, [&](const QString& words) { told << words; });
    desk().job.create(scratch / "other.refero");
    EXPECT_FALSE(state().running);
    EXPECT_TRUE(std::any_of(told.begin(), told.end(), [](const QString& w) {
        return w.contains("frames are developed") && w.contains("shoot.refero");
    })) << told.join("; ").toStdString();
    EXPECT_TRUE(desk().job.shoot().handovers.empty());
    desk().job.open(job);
    ASSERT_TRUE(idle());
    const int before = static_cast<int>(desk().job.shoot().handovers.size());
    EXPECT_EQ(static_cast<int>(written()), before);
    EXPECT_GE(before, 1);
    desk().batches.develop(wish());
    ASSERT_TRUE(wait_for([&] { return !state().running && state().frames > 0; })) << notice().toStdString();
    EXPECT_EQ(state().left_out, before);
    EXPECT_EQ(written(), 10u);
    EXPECT_EQ(desk().job.shoot().handovers.size(), 10u);
    EXPECT_EQ(desk().job.shoot().handover_files.size(), 10u);
    // While it looks what is finished, too.
    desk().batches.develop(wish());
    desk().job.create(scratch / "third.refero");
    EXPECT_FALSE(state().running);
}

TEST_F(Developing, a_source_that_has_gone_is_told_and_the_rest_goes_on) {
    shoot_all(2);
    fs::remove(card / formatted("camera{}", id(0)) / "frame1.dng");
    desk().batches.develop(wish());
    ASSERT_TRUE(wait_for([&] { return !state().running; }));
    EXPECT_EQ(state().failed, 1);
    EXPECT_EQ(state().done, 5);
    EXPECT_TRUE(notice().contains("frame1.dng")) << notice().toStdString();
    EXPECT_EQ(written(), 5u);
}

TEST_F(Developing, files_are_put_where_a_program_looks_and_the_next_step_is_told) {
    shoot_all(0);
    const Id setup = id(0);
    const fs::path programs = scratch / "program profiles";
    fs::create_directories(programs);
    window.open_setup(setup);
    window.setup_view()->choose(Step::handover);
    auto& page = *window.setup_view()->page();
    auto* kinds = page.findChild<QListWidget*>();
    const auto& formats = handover::formats();
    const auto row_of = [&](const char* id) {
        return static_cast<int>(
            std::find_if(formats.begin(), formats.end(), [&](const auto& f) { return f.id == id; }) - formats.begin());
    };
    kinds->setCurrentRow(row_of("dcp"));
    auto* put = page.findChild<QPushButton*>("putThereButton");
    auto* where = page.findChild<QComboBox*>("destination");
    auto* next = page.findChild<QLabel*>("nextStep");
    EXPECT_FALSE(put->isEnabled()) << "nothing is known of this machine's programs yet";
    EXPECT_TRUE(next->text().contains("Stills A")) << next->text().toStdString();
    where->setEditText(qt(programs.string()));
    ASSERT_TRUE(put->isEnabled());
    photograph(window, "destination");
    const fs::path file = programs / (page.findChild<QLineEdit*>("nameEdit")->text().toStdString());
    put->click();
    ASSERT_TRUE(wait_for([&] { return !desk().chains.at(setup).handovers.empty(); }));
    EXPECT_TRUE(fs::exists(file));
    // Again: the setup's own file is replaced after a question only.
    int asked = 0;
    desk().handovers.ask = [&](const auto&) { return ++asked, false; };
    put->click();
    ASSERT_TRUE(idle());
    EXPECT_EQ(asked, 1);
    EXPECT_EQ(desk().chains.at(setup).handovers.size(), 1u);
    // Another's file of that name is never touched.
    kinds->setCurrentRow(row_of("cube"));
    EXPECT_EQ(where->currentText(), "") << "remembered for each kind by itself";
    where->setEditText(qt(programs.string()));
    const fs::path others = programs / (page.findChild<QLineEdit*>("nameEdit")->text().toStdString());
    std::ofstream(others) << "somebody's own";
    put->click();
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(setup).handovers.size() == 2; }));
    EXPECT_EQ(asked, 1);
    EXPECT_EQ(read_file(others, 100), "somebody's own");
    EXPECT_TRUE(fs::exists(programs / (others.stem().string() + "-2.cube")));
    kinds->setCurrentRow(row_of("dcp"));
    EXPECT_EQ(where->currentText(), qt(programs.string()));
    where->setEditText(qt((scratch / "nowhere").string()));
    put->click();
    EXPECT_TRUE(notice().contains("no such folder")) << notice().toStdString();
    EXPECT_FALSE(fs::exists(scratch / "nowhere"));
    EXPECT_EQ(where->findText(qt((scratch / "nowhere").string())), -1) << "what is not there is not remembered";
}

} // namespace refero::app
