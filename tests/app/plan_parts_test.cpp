// The parts that planning and keeping are made of: forms, lists of the kit, the list of frames, glyphs, the page.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QPushButton>

#include "job_window.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "places/kit/kit_section.hpp"
#include "places/plan/shot_list_page.hpp"
#include "plan/shot_list.hpp"
#include "shoot/evidence.hpp"
#include "ui/widgets/link_glyph.hpp"

namespace refero::app {
namespace {

// ---- a form over a record

struct Form : testing::Test {
    QWidget parent;
    std::vector<std::pair<shoot::LightRecord, QString>> changes;
    RecordForm<shoot::LightRecord> form{
        &parent, [this](const shoot::LightRecord& l, const QString& what) { changes.emplace_back(l, what); }};
};

TEST_F(Form, tells_the_whole_record_once_a_field_is_finished) {
    QLineEdit* name = form.text("Name", &shoot::LightRecord::name);
    QDoubleSpinBox* kelvin = form.number("Kelvin", &shoot::LightRecord::kelvin, 0, 20000, 0, "K", {}, "not known");
    QComboBox* kind = form.choice("Kind", &shoot::LightRecord::kind, light_kind_words());
    form.set({.id = 7, .name = "Window", .kind = shoot::LightKind::window, .kelvin = 6000, .position = 3});
    EXPECT_EQ(name->text(), "Window");
    EXPECT_EQ(kind->currentText(), "window light");
    EXPECT_TRUE(changes.empty()) << "showing is not changing";
    name->setText("North window");
    EXPECT_TRUE(changes.empty()) << "still typing";
    emit name->editingFinished();
    emit name->editingFinished(); // leaving the field again changes nothing
    ASSERT_EQ(changes.size(), 1u);
    EXPECT_EQ(changes[0].first.name, "North window");
    EXPECT_EQ(changes[0].first.id, 7);
    EXPECT_EQ(changes[0].first.position, 3); // what has no field stays
    EXPECT_EQ(changes[0].second, "Name");
    kelvin->setValue(6500);
    kind->setCurrentIndex(2);
    emit kind->activated(2);
    ASSERT_EQ(changes.size(), 3u);
    EXPECT_EQ(changes[2].first.kind, shoot::LightKind::shade);
    EXPECT_EQ(changes[2].first.kelvin, 6500);
    kelvin->setValue(0);
    EXPECT_EQ(kelvin->text(), "not known");
}

TEST_F(Form, a_new_record_replaces_what_was_shown) {
    QLineEdit* name = form.text("Name", &shoot::LightRecord::name);
    form.set({.id = 1, .name = "One"});
    form.set({.id = 2, .name = "Two"});
    emit name->editingFinished();
    EXPECT_TRUE(changes.empty());
    EXPECT_EQ(form.value().id, 2);
}

TEST(Words, there_is_one_for_each_kind_of_light) {
    const auto all = names(shoot::LightKind{});
    ASSERT_EQ(light_kind_words().size(), static_cast<int>(all.size()));
    for (std::size_t i = 0; i < all.size(); ++i) {
        EXPECT_EQ(shoot::named<shoot::LightKind>(all[i]), static_cast<shoot::LightKind>(i));
        EXPECT_FALSE(light_kind_words()[static_cast<int>(i)].isEmpty());
        EXPECT_FALSE(plan::cautions(static_cast<shoot::LightKind>(i)).empty());
    }
    for (const shoot::State s :
         {shoot::State::to_shoot, shoot::State::refused, shoot::State::shot, shoot::State::read,
          shoot::State::corrected, shoot::State::proved, shoot::State::handed_over, shoot::State::stale})
        EXPECT_EQ(words_for(s).toStdString(), shoot::name_of(s));
}

// ---- glyphs: state by shape, not by tone alone

QImage glyph(shoot::State state) {
    QImage image(40, 56, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    draw_state(painter, QRectF(2, 2, 36, 52), state, Qt::black);
    return image;
}

TEST(Glyph, every_state_has_a_shape_of_its_own) {
    const shoot::State all[] = {shoot::State::to_shoot,    shoot::State::refused,   shoot::State::shot,
                                shoot::State::read,        shoot::State::corrected, shoot::State::proved,
                                shoot::State::handed_over, shoot::State::stale};
    const auto ink = [](const QImage& i) {
        int n = 0;
        for (int y = 0; y < i.height(); ++y)
            for (int x = 0; x < i.width(); ++x) n += qGray(i.pixel(x, y)) < 128;
        return n;
    };
    for (const auto a : all)
        for (const auto b : all) {
            if (a == b) continue;
            const QImage x = glyph(a), y = glyph(b);
            int differing = 0;
            for (int r = 0; r < x.height(); ++r)
                for (int c = 0; c < x.width(); ++c)
                    differing += std::abs(qGray(x.pixel(c, r)) - qGray(y.pixel(c, r))) > 100;
            EXPECT_GT(differing, 60) << shoot::name_of(a) << " and " << shoot::name_of(b);
        }
    // The ring fills up on the way.
    EXPECT_LT(ink(glyph(shoot::State::shot)), ink(glyph(shoot::State::read)));
    EXPECT_LT(ink(glyph(shoot::State::read)), ink(glyph(shoot::State::corrected)));
    EXPECT_LT(ink(glyph(shoot::State::corrected)), ink(glyph(shoot::State::proved)));
    EXPECT_LT(ink(glyph(shoot::State::proved)), ink(glyph(shoot::State::handed_over)));
}

// ---- small pictures

TEST(Thumbnails, are_kept_by_the_hash_of_what_they_show) {
    QImage image(100, 60, QImage::Format_RGB32);
    image.fill(QColor(40, 120, 200));
    EXPECT_TRUE(kept_picture("abcdef").isNull());
    keep_picture("abcdef", image);
    const QImage again = kept_picture("abcdef");
    ASSERT_EQ(again.size(), image.size());
    EXPECT_NEAR(again.pixelColor(50, 30).blue(), 200, 6); // JPEG
    EXPECT_TRUE(kept_picture("").isNull());
    keep_picture("", image); // a file without a hash has none
    EXPECT_TRUE(kept_picture("").isNull());
}

// ---- work that nobody waits for

TEST(QuietTasks, are_not_counted_and_their_errors_are_not_told) {
    Tasks tasks;
    int done = 0, told = 0;
    QObject::connect(&tasks, &Tasks::failed, [&](const QString&) { ++told; });
    tasks.run_quietly({}, [&](std::stop_token, const Progress&) -> Tasks::Then { return [&] { ++done; }; });
    tasks.run_quietly(
        {}, [](std::stop_token, const Progress&) -> Tasks::Then { throw Error(ErrorKind::input, "no picture"); });
    EXPECT_EQ(tasks.running(), 0);
    EXPECT_EQ(tasks.progress(), 1);
    ASSERT_TRUE(wait_for([&] { return done == 1; }));
    QTest::qWait(50);
    EXPECT_EQ(told, 0);
    tasks.run({}, "loud",
              [](std::stop_token, const Progress&) -> Tasks::Then { throw Error(ErrorKind::input, "no file"); });
    EXPECT_EQ(tasks.running(), 1);
    EXPECT_EQ(tasks.title(), "loud");
    ASSERT_TRUE(wait_for([&] { return told == 1; }));
}

// ---- the page of the shot list

plan::ShotList list_of(int lights, int shots) {
    plan::ShotList list;
    list.title = "Many <b>shots</b> & more";
    for (int g = 0; g < lights; ++g) {
        plan::LightGroup group;
        group.title = "Light " + std::to_string(g + 1);
        group.cautions = {"Hot lamps."};
        for (int s = 0; s < shots; ++s) {
            plan::PlannedShot p;
            p.camera = "Camera " + std::to_string(s + 1);
            p.lens = "any lens";
            p.mode = "raw";
            p.chart = "Hand chart";
            p.hold = "98 cm from the camera";
            p.hints = {"the same for all", "only shot " + std::to_string(s)};
            p.done = s == 0;
            group.shots.push_back(p);
        }
        list.groups.push_back(group);
    }
    return list;
}

TEST(ShotListPage, says_once_what_holds_for_all_and_takes_names_as_they_are) {
    const QString html = shot_list_html(list_of(1, 3), 10);
    EXPECT_EQ(html.count("the same for all"), 1);
    EXPECT_EQ(html.count("as above"), 2);
    EXPECT_TRUE(html.contains("Many &lt;b&gt;shots&lt;/b&gt; &amp; more"));
    EXPECT_EQ(html.count("\u2611"), 1); // done
    EXPECT_EQ(html.count("\u2610"), 2); // a box to tick
}

TEST(ShotListPage, stays_on_one_page_as_long_as_it_can_be_read) {
    Scratch scratch;
    EXPECT_EQ(save_shot_list_pdf(list_of(4, 3), scratch / "a.pdf"), 1);
    EXPECT_EQ(save_shot_list_pdf(list_of(5, 4), scratch / "b.pdf"), 1);
    EXPECT_GT(save_shot_list_pdf(list_of(10, 6), scratch / "c.pdf"), 1); // never smaller than 7 points
    EXPECT_TRUE(read_file(scratch / "c.pdf").starts_with("%PDF-"));
    EXPECT_THROW(save_shot_list_pdf(list_of(1, 1), scratch / "nowhere/a.pdf"), Error);
}

// ---- lists of the kit

struct Kit : JobWindow {
    template<class T>
    KitSection<T>* section() {
        for (QWidget* w : window.kit_view()->findChildren<QWidget*>())
            if (auto* s = dynamic_cast<KitSection<T>*>(w)) return s;
        return nullptr;
    }
    QPushButton* button(QWidget* in, const QString& text) {
        for (auto* b : in->findChildren<QPushButton*>())
            if (b->text() == text) return b;
        ADD_FAILURE() << text.toStdString();
        return nullptr;
    }
};

TEST_F(Kit, things_are_added_edited_removed_and_brought_back) {
    window.show_kit();
    window.kit_view()->sections()->setCurrentRow(5);
    auto* monitors = section<shoot::MonitorRecord>();
    ASSERT_TRUE(monitors && monitors->isVisible());
    QTest::mouseClick(button(monitors, "Add"), Qt::LeftButton);
    ASSERT_EQ(desk().kit.kit().monitors.size(), 1u);
    ASSERT_TRUE(monitors->chosen());
    auto* name = monitors->form().widget()->findChildren<QLineEdit*>().front();
    name->setText("Desk");
    emit name->editingFinished();
    EXPECT_EQ(desk().kit.kit().monitors[0].name, "Desk");
    EXPECT_EQ(monitors->table()->item(0, 0)->text(), "Desk");
    EXPECT_EQ(monitors->table()->item(0, 3)->text(), "never calibrated: due now");
    QTest::mouseClick(button(monitors, "Calibrated today"), Qt::LeftButton);
    EXPECT_EQ(desk().kit.kit().monitors[0].calibrated, QDate::currentDate().toString(Qt::ISODate).toStdString());
    QTest::mouseClick(button(monitors, "Remove"), Qt::LeftButton);
    EXPECT_TRUE(desk().kit.kit().monitors.empty());
    // Ctrl+Z in the kit is the kit's own.
    desk().job.create(job);
    edit(desk().job, "Note", [](shoot::Change& e) { e.add(shoot::NoteRecord{.text = "n"}); });
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(desk().kit.kit().monitors.size(), 1u);
    EXPECT_EQ(desk().job.shoot().notes.size(), 1u);
    window.show_board(BoardPlace::log);
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(desk().job.shoot().notes.empty());
}

TEST_F(Kit, what_a_job_uses_can_be_kept_and_is_taken_by_its_name) {
    plan_shoot({"Stills A", "Cine B"}, {"Window"});
    desk().setups.keep_in_kit();
    EXPECT_EQ(desk().kit.kit().cameras.size(), 2u);
    EXPECT_EQ(desk().kit.kit().lights.size(), 1u);
    desk().setups.keep_in_kit();
    EXPECT_EQ(desk().kit.kit().cameras.size(), 2u) << "once only";
    EXPECT_TRUE(notice().contains("already"));
    desk().job.create(scratch / "next.refero");
    window.show_plan();
    EXPECT_EQ(plan().camera_box()->count(), 2); // offered
    plan().add_camera("cine b");
    ASSERT_EQ(desk().job.shoot().cameras.size(), 1u);
    EXPECT_EQ(desk().job.shoot().cameras[0].serial_number, "CB-19");
    EXPECT_EQ(desk().job.shoot().cameras[0].uid, desk().kit.kit().cameras[1].uid);
    EXPECT_EQ(plan().camera_box()->count(), 1);
    plan().add_camera("Cine B");
    EXPECT_EQ(desk().job.shoot().cameras.size(), 1u);
    EXPECT_TRUE(notice().contains("in the plan already"));
}

TEST_F(Kit, a_fallback_stands_in_where_a_setup_cannot_be_shot) {
    plan_shoot({"Stills A"}, {"Tungsten"});
    desk().frames.take_in({shoot(id(0), "a.dng", "2026-05-04T09:00:00")});
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }));
    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).state == shoot::State::proved; }));
    desk().setups.keep_fallback(id(0));
    desk().setups.keep_fallback(id(0));
    EXPECT_EQ(desk().kit.kit().fallbacks.size(), 1u) << "the newer one replaces the older";
    const auto coefficients = desk().chains.at(id(0)).correction->coefficients;
    job = scratch / "next.refero";
    plan_shoot({"Stills A", "Stills B"}, {"Tungsten", "LED panel"});
    EXPECT_TRUE(desk().setups.fallback_for(id(0)));
    EXPECT_FALSE(desk().setups.fallback_for(id(1))); // LEDs have no common colour
    EXPECT_FALSE(desk().setups.fallback_for(id(2))); // another camera
    desk().setups.take_fallback(id(0));
    EXPECT_EQ(desk().chains.at(id(0)).state, shoot::State::corrected);
    EXPECT_EQ(desk().chains.at(id(0)).correction->coefficients, coefficients);
    EXPECT_TRUE(notice().contains("stands in"));
}

// ---- details of the plan

TEST_F(Kit, lens_mode_and_place_of_a_row_and_column) {
    plan_shoot({"Stills A"}, {"Window", "Flash"});
    const auto box = [&](const char* name) {
        QComboBox* found = nullptr;
        for (auto* b : plan().findChildren<QComboBox*>())
            if (b->accessibleName() == name) found = b;
        EXPECT_TRUE(found) << name;
        return found;
    };
    plan().matrix()->setCurrentCell(0, 1);
    auto* lens = box("Lens");
    lens->setCurrentIndex(lens->findText("Lens 50 mm"));
    emit lens->activated(lens->currentIndex());
    for (const shoot::SetupRecord& s : desk().job.shoot().setups)
        EXPECT_EQ(s.lens, desk().job.shoot().lenses[0].id); // the whole row
    EXPECT_EQ(plan().matrix()->rowCount(), 1);
    auto* mode = box("Mode");
    mode->setCurrentIndex(mode->findText("a new one"));
    emit mode->activated(mode->currentIndex());
    EXPECT_EQ(desk().job.shoot().modes.size(), 2u);
    EXPECT_EQ(desk().job.shoot().setups[0].mode, desk().job.shoot().modes[1].id);
    auto* place = box("Place");
    place->setEditText("Store room");
    emit place->lineEdit()->editingFinished();
    ASSERT_EQ(desk().job.shoot().places.size(), 1u);
    EXPECT_EQ(desk().job.shoot().lights[1].place, desk().job.shoot().places[0].id);
    EXPECT_EQ(desk().job.shoot().lights[0].place, 0);
    // Another row for the same camera, with what it has no row with yet.
    for (auto* b : plan().findChildren<QPushButton*>())
        if (b->text().startsWith("Another lens")) QTest::mouseClick(b, Qt::LeftButton);
    EXPECT_EQ(plan().matrix()->rowCount(), 2);
    plan().matrix()->item(1, 0)->setCheckState(Qt::Checked);
    EXPECT_EQ(desk().chains.count(), 3);
    EXPECT_EQ(desk().chains.title_of(id(2)), "Stills A raw, Window"); // told apart by the mode
    plan().add_lens("Zoom 24-70");
    EXPECT_EQ(desk().job.shoot().lenses.back().focal_mm, 24);
    EXPECT_EQ(desk().job.shoot().lenses.back().focal_max_mm, 70);
}

// ---- the list of frames

TEST_F(Kit, frames_are_sorted_filtered_and_told_with_their_companions) {
    plan_shoot({"Stills A"}, {"Window"});
    edit(desk().job, "Frames", [&](shoot::Change& e) {
        const Id camera = desk().job.shoot().cameras[0].id;
        const Id main = e.add(shoot::FrameRecord{.path = "/card/B.dng",
                                                 .camera = camera,
                                                 .setup = id(0),
                                                 .reason = "the last chart shot before it, at 09:00",
                                                 .taken = "2026-05-04T10:00:00",
                                                 .exposure_s = 0.5,
                                                 .f_number = 8,
                                                 .iso = 100});
        e.add(shoot::FrameRecord{.path = "/card/B.JPG", .same_as = main, .taken = "2026-05-04T10:00:00"});
        e.add(shoot::FrameRecord{.path = "/card/A.dng",
                                 .camera = camera,
                                 .taken = "2026-05-04T11:00:00",
                                 .exposure_s = 0.004,
                                 .flash = true});
        e.add(shoot::FrameRecord{.path = "/card/C.dng",
                                 .problem = "This is not a raw file that can be read. Convert it to DNG.",
                                 .taken = "2026-05-04T09:00:00"});
    });
    FramesModel& m = *frames().model();
    const auto order = [&] {
        QString all;
        for (int r = 0; r < m.rowCount(); ++r) all += m.index(r, FramesModel::name).data().toString().left(1);
        return all;
    };
    m.sort(FramesModel::taken, Qt::AscendingOrder);
    EXPECT_EQ(order(), "CBA");
    m.sort(FramesModel::name, Qt::DescendingOrder);
    EXPECT_EQ(order(), "CBA");
    m.sort(FramesModel::name, Qt::AscendingOrder);
    EXPECT_EQ(order(), "ABC");
    EXPECT_EQ(m.index(1, FramesModel::name).data().toString(), "B.dng + 1"); // raw and JPEG are one
    EXPECT_TRUE(m.index(1, FramesModel::name).data(Qt::ToolTipRole).toString().contains("B.JPG"));
    EXPECT_EQ(m.index(0, FramesModel::settings).data().toString(), "1/250 s");
    EXPECT_EQ(m.index(1, FramesModel::settings).data().toString(), "0.5 s, f/8, ISO 100");
    EXPECT_EQ(m.index(2, FramesModel::what).data().toString(), "unreadable");
    EXPECT_TRUE(m.index(2, FramesModel::reason).data().toString().contains("DNG"));
    m.set_filter("chart shot 09:00");
    EXPECT_EQ(order(), "B");
    m.set_filter("nothing holds this");
    EXPECT_EQ(order(), "");
    m.set_filter("");
    desk().frames.remove({m.id_at(0)});
    EXPECT_EQ(order(), "BC");
    desk().job.undo();
    EXPECT_EQ(order(), "ABC");
}

} // namespace
} // namespace refero::app
