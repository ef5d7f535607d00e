// Home with a card and no plan, in the real window: from a drop to named corrections.
#include <QDragEnterEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>

#include <nlohmann/json.hpp>

#include "job_window.hpp"
#include "places/arrivals/arrivals_view.hpp"
#include "places/delivery/delivery_view.hpp"

namespace refero::app {
namespace {

struct ArrivalsTest : JobWindow {
    struct Lit {
        const char* light;
        int minute;
    };
    /// Five lights of a morning, half an hour and more apart; a chart first, then what was photographed.
    std::vector<fs::path> card_of_five_lights() {
        const std::vector<Lit> lights{{"window", 9 * 60},
                                      {"tungsten", 9 * 60 + 40},
                                      {"led", 10 * 60 + 30},
                                      {"flash", 11 * 60 + 15},
                                      {"fluorescent", 12 * 60}};
        std::vector<fs::path> files;
        int n = 0;
        for (const Lit& lit : lights)
            for (int i = 0; i < 3; ++i) {
                auto scene = nlohmann::json::parse(test::scene_text({.width = 900, .height = 600}));
                scene["light"] = lit.light;
                const int minute = lit.minute + 2 * i;
                scene["taken"] = formatted("2026-05-04T{:02d}:{:02d}:00", minute / 60, minute % 60);
                if (i) scene.erase("charts");
                files.push_back(card / formatted("{:04d}.dng", ++n));
                simulate::write(simulate::render(simulate::parse_scene(scene.dump(), "scene")), files.back());
            }
        return files;
    }
    ArrivalsView& view() { return *window.board_place()->arrivals_view(); }
    bool is_idle() { return desk().tasks.running() == 0; }
    void drop(const std::vector<fs::path>& files) {
        QList<QUrl> urls;
        for (const fs::path& file : files) urls << QUrl::fromLocalFile(QString::fromStdString(file.string()));
        QMimeData mime;
        mime.setUrls(urls);
        QDragEnterEvent enter({300, 300}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &enter);
        QDropEvent dropped(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &dropped);
    }
    std::size_t lights_with_charts() {
        std::size_t n = 0;
        for (const operations::DayLight& l : desk().arrivals.day().lights) n += l.charts > 0;
        return n;
    }
};

TEST_F(ArrivalsTest, from_a_dropped_card_of_five_lights_to_five_named_corrections) {
    int actions = 0;
    const auto files = card_of_five_lights();
    drop(files), ++actions;
    ASSERT_TRUE(wait_for([&] {
        return desk().job.is_open() && desk().job.shoot().frames.size() == files.size() && is_idle() &&
               view().lights().size() == 5;
    })) << desk().job.shoot().frames.size();
    EXPECT_EQ(window.board_place()->view(), BoardPlace::arrivals);
    EXPECT_TRUE(view().isVisible());
    ASSERT_TRUE(wait_for([&] { // the gate has looked at each
        for (const operations::DayRow& row : desk().arrivals.day().rows)
            for (const operations::DayChart& c : row.charts)
                if (!c.verdict) return false;
        return is_idle() && desk().arrivals.day().forgotten.empty();
    }));
    photograph(window, "arrivals-five");
    const QStringList names{"Window", "Lamp", "LED panel", "Flash", "Tubes"};
    view().lights().front()->name()->setFocus();
    for (const QString& name : names) { // a name, and Return goes on to the next
        auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        if (!field) field = view().lights()[static_cast<std::size_t>(names.indexOf(name))]->name();
        field->selectAll();
        QTest::keyClicks(field, name);
        QTest::keyClick(field, Qt::Key_Return);
        ++actions;
    }
    view().keep_button()->click(), ++actions;
    ASSERT_TRUE(wait_for([&] {
        for (const Id id : desk().chains.ids())
            if (!desk().chains.at(id).correction) return false;
        return is_idle();
    }));
    std::set<QString> kept;
    for (const shoot::LightRecord& l : desk().job.shoot().lights) kept.insert(QString::fromStdString(l.name));
    EXPECT_EQ(kept, std::set<QString>(names.begin(), names.end()));
    EXPECT_EQ(desk().chains.count(), 5);
    EXPECT_EQ(window.board_place()->view(), BoardPlace::setups);
    EXPECT_LE(actions, 12);
    test::measured("from a dropped card with five lights to five named corrections: %d actions", actions);
    // All setups to two destinations from the board, and once more.
    DeliveryView& delivery = *window.board_place()->delivery_view();
    const auto hand_over = [&](const fs::path& folder) {
        int pressed = 0;
        window.board()->findChild<QPushButton*>("handOverButton")->click(), ++pressed;
        EXPECT_EQ(window.board_place()->view(), BoardPlace::delivery);
        if (delivery.folder()->text() != QString::fromStdString(folder.string()))
            delivery.folder()->setText(QString::fromStdString(folder.string())), ++pressed;
        if (auto* archive = delivery.findChild<QCheckBox*>("to-archive"); !archive->isChecked())
            archive->click(), ++pressed;
        EXPECT_TRUE(delivery.findChild<QCheckBox*>("to-develop")->isChecked()) << "raw files are developed";
        EXPECT_FALSE(delivery.findChild<QCheckBox*>("to-grade")->isEnabled()) << "there are no clips";
        photograph(window, "delivery-five");
        delivery.write_button()->click(), ++pressed;
        EXPECT_TRUE(wait_for([&] { return is_idle(); }));
        EXPECT_EQ(window.board_place()->view(), BoardPlace::setups);
        return pressed;
    };
    const int first = hand_over(scratch / "out");
    std::size_t profiles = 0, archived = 0, notes = 0;
    for (const auto& e : fs::directory_iterator(scratch / "out" / "develop")) {
        profiles += e.path().extension() == ".dcp";
        notes += e.path().extension() == ".txt";
    }
    for (const auto& e : fs::directory_iterator(scratch / "out" / "archive")) archived += e.is_regular_file();
    EXPECT_EQ(profiles, 5u);
    EXPECT_EQ(notes, 5u);
    EXPECT_EQ(archived, 20u); // a CLF, a table, a recipe and a note each
    for (const Id id : desk().chains.ids()) EXPECT_EQ(desk().chains.at(id).handovers.size(), 6u);
    fs::remove_all(scratch / "out");
    EXPECT_LE(hand_over(scratch / "out"), 2);
    EXPECT_LE(first, 4);
    test::measured("all setups to two destinations: %d actions", first);
    // What came in is one step: two deliveries, five fits, the names, then the card.
    for (int i = 0; i < 8; ++i) desk().job.undo();
    EXPECT_EQ(desk().job.undo_title(), "Take in 15 files");
    desk().job.undo();
    EXPECT_TRUE(desk().job.shoot().frames.empty());
    EXPECT_TRUE(desk().job.shoot().lights.empty());
}

TEST_F(ArrivalsTest, lights_are_merged_and_parted_by_dragging_and_undone) {
    drop(card_of_five_lights());
    ASSERT_TRUE(wait_for([&] {
        return desk().job.is_open() && desk().job.shoot().frames.size() == 15 && is_idle() &&
               view().lights().size() == 5 && view().isVisible();
    }));
    const auto drop_on = [&](QWidget* target, const char* format, Id id) {
        QMimeData mime;
        mime.setData(format, QByteArray::number(static_cast<qlonglong>(id)));
        QDragEnterEvent enter({5, 5}, Qt::MoveAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent dropped(QPointF(5, 5), Qt::MoveAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &dropped);
    };
    const auto rows = view().lights();
    const Id first = rows[0]->light(), second = rows[1]->light();
    drop_on(rows[0], "application/x-refero-light", second);
    ASSERT_TRUE(wait_for([&] { return view().lights().size() == 4; }));
    EXPECT_EQ(lights_with_charts(), 4u);
    std::vector<operations::DayChart> charts;
    for (const operations::DayChart& c : desk().arrivals.day().rows.at(0).charts)
        if (c.light == first) charts.push_back(c);
    ASSERT_EQ(charts.size(), 2u); // both of one setup now, a stretch each
    EXPECT_EQ(charts[0].setup, charts[1].setup);
    EXPECT_NE(charts[0].stretch, charts[1].stretch);
    // The second was lit by a light of its own after all: dropped below the lights, and, by keyboard, in the menu.
    drop_on(view().findChild<NewLightRow*>(), chart_shot_mime, charts[1].chart_shot);
    ASSERT_TRUE(wait_for([&] { return view().lights().size() == 5; }));
    desk().job.undo();
    ASSERT_TRUE(wait_for([&] { return view().lights().size() == 4; }));
    QMenu* menu = view().lights()[0]->more()->menu();
    emit menu->aboutToShow();
    ASSERT_EQ(menu->actions().size(), 2);
    ASSERT_EQ(menu->actions()[1]->menu()->actions().size(), 2);
    menu->actions()[1]->menu()->actions()[1]->trigger();
    ASSERT_TRUE(wait_for([&] { return view().lights().size() == 5; }));
    // A click on a mark opens its setup.
    const operations::DayChart opened = desk().arrivals.day().rows.at(0).charts.at(2);
    QTest::mouseClick(view().line(), Qt::LeftButton, {}, view().line()->mark_of(opened.chart_shot).center().toPoint());
    EXPECT_EQ(window.setup_view()->setup(), opened.setup);
}

TEST_F(ArrivalsTest, the_same_card_twice_and_a_second_one_after_it) {
    const auto files = card_of_five_lights();
    const std::vector<fs::path> first(files.begin(), files.begin() + 6), second(files.begin() + 6, files.end());
    drop(first);
    ASSERT_TRUE(wait_for([&] {
        return desk().job.is_open() && desk().job.shoot().frames.size() == 6 && is_idle() &&
               desk().arrivals.day().lights.size() == 2;
    }));
    const Id light = desk().arrivals.day().lights[0].light, other = desk().arrivals.day().lights[1].light;
    EXPECT_FALSE(desk().arrivals.rename({{light, "Window"}, {other, "Window"}}));
    EXPECT_TRUE(notice().contains("two lights", Qt::CaseInsensitive)) << notice().toStdString();
    EXPECT_FALSE(desk().arrivals.rename({{light, " "}}));
    EXPECT_TRUE(desk().arrivals.rename({{light, "Window"}}));
    drop(first); // nothing comes of it
    drop(second);
    ASSERT_TRUE(wait_for([&] {
        return desk().job.shoot().frames.size() == 15 && is_idle() && desk().arrivals.day().lights.size() == 5;
    }));
    EXPECT_EQ(desk().arrivals.day().lights[0].name, "Window");
}

} // namespace
} // namespace refero::app
