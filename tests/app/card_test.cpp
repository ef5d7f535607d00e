// The simple way of working: one light, one card, one click (common practice).
#include "job_window.hpp"

#include <QDropEvent>
#include <QMimeData>

#include "places/kit/chart_editor.hpp"
#include "places/kit/chart_print.hpp"
#include "places/plan/log_curve_form.hpp"
#include "places/setup/values_panel.hpp"

namespace refero::app {

using shoot::LightKind;

namespace {

struct CardWalk : JobWindow {
    QByteArray home_before = qgetenv("XDG_DATA_HOME"); // charts and curves are kept there
    CardWalk() { qputenv("XDG_DATA_HOME", (scratch / "data").c_str()); }
    ~CardWalk() override { home_before.isEmpty() ? qunsetenv("XDG_DATA_HOME") : qputenv("XDG_DATA_HOME", home_before); }
    /// A frame of the subject with an 18 % card in it, flat by its spectrum.
    fs::path shoot_card(Id setup, const char* name, double reflectance = 0.18) {
        auto scene = operations::simulated_scene(desk().job.shoot(), setup,
                                                 {.chart = false, .seed = std::hash<std::string>{}(name)});
        scene.width = 900;
        scene.height = 600;
        simulate::ChartInScene card_in_scene;
        card_in_scene.definition = chart::find_definition("grey-card");
        card_in_scene.reflectance = {colour::Spectrum::constant(reflectance)};
        card_in_scene.x = 0.3;
        card_in_scene.width = 0.2;
        scene.charts = {card_in_scene};
        simulate::write(simulate::render(scene), card / name);
        return card / name;
    }
    PictureView* picture() { return window.setup_view()->page()->picture(); }
    void click(double x_share, double y_share) {
        QTest::mouseClick(picture(), Qt::LeftButton, {},
                          picture()->to_widget({x_share * 900, y_share * 600}).toPoint());
    }
    void plan_cards(const QStringList& cameras, const QStringList& lights) {
        plan_shoot(cameras, lights);
        for (const Id setup : desk().chains.ids())
            desk().job.change(operations::set_balance_only(desk().job.shoot(), setup, true));
    }
};

} // namespace

TEST_F(CardWalk, eight_lights_are_eight_frames_and_eight_clicks) {
    plan_cards({"Stills A"}, {"Window", "Sun", "Shade", "Tungsten", "Fluorescent", "LED", "Flash", "Candle"});
    ASSERT_EQ(desk().chains.ids().size(), 8u);
    int clicks = 0;
    for (const Id setup : desk().chains.ids()) {
        const fs::path file = shoot_card(setup, formatted("card{}.dng", setup).c_str());
        window.open_setup(setup);
        QMimeData dropped;
        dropped.setUrls({QUrl::fromLocalFile(QString::fromStdString(file.string()))});
        QDragEnterEvent enter({500, 400}, Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent drop(QPointF(500, 400), Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &drop);
        ASSERT_TRUE(idle());
        ASSERT_EQ(desk().chains.at(setup).chart_shot != 0, true) << setup;
        window.open_setup(setup);
        ASSERT_TRUE(wait_for([&] { return picture()->picking(); })) << setup; // it asks by itself
        EXPECT_TRUE(QString::fromStdString(desk().chains.at(setup).problem).contains("Click the card"));
        if (clicks == 0) photograph(window, "card-asked");
        click(0.3, 0.5);
        ++clicks;
        ASSERT_TRUE(idle());
        const Chain& c = desk().chains.at(setup);
        ASSERT_TRUE(c.balance) << setup << c.balance_problem << c.problem;
        ASSERT_TRUE(c.light) << setup;
        EXPECT_EQ(c.gate(), inspect::Status::pass)
            << setup << inspect::name_of(c.findings.front().check) << c.findings.front().advice;
        ASSERT_TRUE(c.correction) << setup;
        EXPECT_EQ(c.link(Step::balance), LinkState::whole);
        EXPECT_EQ(c.current(), Step::handover);
        // Neutral, and of its luminance: the file's own matrix keeps both.
        const colour::Vec3 seen =
            (*c.correction)(colour::Vec3(c.shot->reading.patches[0].mean[0], c.shot->reading.patches[0].mean[1],
                                         c.shot->reading.patches[0].mean[2]));
        EXPECT_NEAR(seen[1], 0.18, 0.002);
        const colour::Vec3 lab = colour::lab_from_xyz(seen);
        EXPECT_LT(std::hypot(lab[1], lab[2]), 0.5);
    }
    window.setup_view()->choose(Step::shot);
    photograph(window, "card");
    EXPECT_EQ(clicks, 8);
    EXPECT_LT(desk().chains.at(id(3)).light->kelvin, 3400); // tungsten
    EXPECT_GT(desk().chains.at(id(2)).light->kelvin, 6200); // shade
    desk().job.undo();                                      // the last click is one step
    EXPECT_FALSE(desk().chains.at(id(7)).balance);
}

TEST_F(CardWalk, a_click_on_what_is_no_card_is_refused_in_words_and_keeps_nothing) {
    plan_cards({"Stills A"}, {"Window"});
    const fs::path file = shoot_card(id(0), "bright.dng", 1.6); // brighter than the sensor takes
    desk().frames.take_in({file}, id(0));
    ASSERT_TRUE(idle());
    window.open_setup(id(0));
    ASSERT_TRUE(wait_for([&] { return picture()->picking(); }));
    const std::string before = content();
    click(0.3, 0.5);
    EXPECT_TRUE(notice().contains("clipped")) << notice().toStdString();
    EXPECT_EQ(content(), before);
    auto* again = window.findChild<QPushButton*>("cardButton");
    ASSERT_TRUE(again && again->isVisible());
    QTest::mouseClick(again, Qt::LeftButton);
    ASSERT_TRUE(picture()->picking());
    click(0.4, 0.5); // the card's edge
    EXPECT_TRUE(notice().contains("no single surface") || notice().contains("clipped")) << notice().toStdString();
    EXPECT_EQ(content(), before);
}

TEST_F(CardWalk, a_diffuser_before_the_lens_is_taken_by_the_frames_middle) {
    plan_cards({"Stills B"}, {"Tungsten"});
    auto scene = operations::simulated_scene(desk().job.shoot(), id(0), {.chart = false, .seed = 5});
    scene.width = 900;
    scene.height = 600;
    scene.objects.clear();
    scene.background = colour::Spectrum::constant(0.4);
    scene.background_texture = {};
    simulate::write(simulate::render(scene), card / "diffuser.dng");
    desk().frames.take_in({card / "diffuser.dng"}, id(0));
    ASSERT_TRUE(idle());
    window.open_setup(id(0));
    ASSERT_TRUE(wait_for([&] { return picture()->picking(); }));
    QTest::mouseClick(window.findChild<QPushButton*>("middleButton"), Qt::LeftButton);
    ASSERT_TRUE(idle());
    ASSERT_TRUE(desk().chains.at(id(0)).light);
    EXPECT_NEAR(desk().chains.at(id(0)).light->kelvin, 2900, 350); // by the file's matrix
}

// A folding case shows two panels in one picture (common practice): the colours make the correction, the page beside
// them gives the warm and cool steps.
TEST_F(CardWalk, two_panels_in_one_frame_are_both_read_and_a_page_apart_makes_nothing_stale) {
    plan_shoot({"Stills A"}, {"Window"});
    const auto frame_of_case = [&](const char* name, bool colours, const char* taken) {
        auto scene = operations::simulated_scene(desk().job.shoot(), id(0), {.share = 0.1, .seed = 7, .taken = taken});
        scene.width = 1500;
        scene.height = 1000;
        simulate::ChartInScene page = scene.charts.front();
        page.definition = chart::find_definition("tint-steps");
        page.reflectance.clear();
        const auto values = chart::reference_of(page.definition);
        for (const chart::Patch& p : page.definition.patches)
            page.reflectance.push_back(colour::smooth_reflectance(values.xyz.at(p.id)));
        scene.charts.front().x = 0.3;
        page.x = 0.75;
        if (colours) scene.charts.push_back(page);
        else scene.charts = {page};
        simulate::write(simulate::render(scene), card / name);
        return card / name;
    };
    desk().frames.take_in({frame_of_case("case.dng", true, "2026-05-04T09:00:00")}, id(0));
    ASSERT_TRUE(idle());
    const Chain& c = desk().chains.at(id(0));
    ASSERT_TRUE(c.shot);
    EXPECT_EQ(c.shot->definition.id, "grid24"); // the one with most colours
    ASSERT_EQ(c.panels.size(), 1u);
    EXPECT_EQ(c.panels[0].definition.id, "tint-steps");
    desk().setups.fit(id(0));
    ASSERT_TRUE(idle());
    ASSERT_TRUE(desk().chains.at(id(0)).correction);
    const std::size_t alone = desk().chains.at(id(0)).correction->reading.patches.size();
    EXPECT_FALSE(desk().chains.at(id(0)).correction_stale());
    // The page's tints are offered: to balance on, and as steps of warmth.
    window.open_setup(id(0));
    window.setup_view()->choose(Step::balance);
    auto* candidates = window.findChild<QTableWidget*>("balanceCandidates");
    ASSERT_TRUE(candidates);
    int tints = 0;
    for (int r = 0; r < candidates->rowCount(); ++r) tints += candidates->item(r, 0)->text().contains("tint-steps:B");
    EXPECT_EQ(tints, 9);
    photograph(window, "panels");
    window.findChild<QTabWidget*>("balanceTabs")->setCurrentIndex(4);
    photograph(window, "codes");
    window.setup_view()->choose(Step::correction);
    photograph(window, "panels-correction");
    // Its hues join on demand.
    Settings s = desk().chains.at(id(0)).settings;
    s.panels = true;
    desk().setups.change(id(0), s, "hues join");
    EXPECT_TRUE(desk().chains.at(id(0)).correction_stale());
    desk().setups.fit(id(0));
    ASSERT_TRUE(idle());
    EXPECT_EQ(desk().chains.at(id(0)).correction->reading.patches.size(), alone + 17);
    // A page that was shot apart, later: what is in force stays in force.
    desk().frames.take_in({frame_of_case("page.dng", false, "2026-05-04T09:05:00")}, id(0));
    ASSERT_TRUE(idle());
    EXPECT_EQ(desk().job.shoot().chart_shots.size(), 2u);
    EXPECT_EQ(desk().chains.at(id(0)).shot->definition.id, "grid24");
    EXPECT_FALSE(desk().chains.at(id(0)).correction_stale());
    EXPECT_EQ(desk().chains.at(id(0)).panels.size(), 2u);
}

TEST_F(CardWalk, values_of_the_card_in_hand_are_looked_at_then_used_and_kept_in_the_kit) {
    plan_shoot({"Stills A"}, {"Window", "Tungsten"});
    for (const Id setup : desk().chains.ids())
        desk().frames.take_in({shoot(setup, formatted("chart{}.dng", setup).c_str(), "2026-05-04T09:00:00")}, setup);
    ASSERT_TRUE(idle());
    desk().setups.fit(id(0));
    ASSERT_TRUE(idle());
    ASSERT_TRUE(desk().chains.at(id(0)).nominal());
    EXPECT_TRUE(desk().chains.at(id(0)).correction->reference.nominal);
    window.open_setup(id(0));
    window.setup_view()->choose(Step::shot);
    auto* panel = window.findChild<ValuesPanel*>();
    ASSERT_TRUE(panel);
    EXPECT_TRUE(panel->findChild<QLabel*>("valuesState")->text().startsWith("Nominal"));
    const std::string before = content();
    panel->bring("patch;X;Y;Z\nA1;10;10;8\n", "card.csv");
    EXPECT_TRUE(panel->findChild<QLabel*>("valuesWords")->text().contains("no value for")) << "told";
    EXPECT_FALSE(panel->findChild<QPushButton*>("useValues")->isVisibleTo(panel));
    EXPECT_EQ(content(), before);
    std::string table = "patch;L;a;b\n";
    for (const auto& [patch, xyz] : desk().chains.at(id(0)).reference->xyz) {
        const colour::Vec3 lab = colour::lab_from_xyz(xyz);
        table += formatted("{};{:.3f};{:.3f};{:.3f}\n", patch, std::min(lab[0] + 0.8, 100.0), lab[1] + 0.5, lab[2]);
    }
    panel->bring(table, "card.csv");
    auto* use = panel->findChild<QPushButton*>("useValues");
    ASSERT_TRUE(use->isVisibleTo(panel)) << panel->findChild<QLabel*>("valuesWords")->text().toStdString();
    window.findChild<QTabWidget*>("shotTabs")->setCurrentIndex(1);
    photograph(window, "values");
    use->click();
    EXPECT_FALSE(desk().chains.at(id(0)).nominal());
    EXPECT_TRUE(desk().chains.at(id(0)).correction_stale()); // fitted to the nominal ones
    const auto& cards = desk().kit.kit().cards;
    EXPECT_TRUE(
        std::any_of(cards.begin(), cards.end(), [](const shoot::CardRecord& c) { return !c.measured.empty(); }));
    desk().setups.fit(id(0));
    ASSERT_TRUE(idle());
    EXPECT_FALSE(desk().chains.at(id(0)).correction_stale());
    EXPECT_FALSE(desk().chains.at(id(0)).correction->reference.nominal);
    desk().job.undo();
    desk().job.undo();
    EXPECT_TRUE(desk().chains.at(id(0)).nominal());
}

TEST_F(CardWalk, an_unknown_chart_is_taught_by_four_clicks_and_then_found_by_itself) {
    plan_shoot({"Stills A"}, {"Window"});
    chart::Definition own = chart::grid(7, 5, 16, 12, 3, 3);
    auto scene = operations::simulated_scene(desk().job.shoot(), id(0), {.share = 0.3, .seed = 3});
    scene.width = 1500;
    scene.height = 1000;
    scene.charts.resize(1);
    scene.charts.front().definition = own;
    scene.charts.front().rotation_deg = 0;
    scene.charts.front().tilt_deg = 3;
    scene.charts.front().reflectance.clear();
    for (int i = 0; i < 35; ++i)
        scene.charts.front().reflectance.push_back(colour::smooth_reflectance(
            colour::xyz_from_lab(i < 28 ? colour::Vec3(28 + i * 37 % 61, i * 29 % 71 - 35, i * 43 % 79 - 39)
                                        : colour::Vec3(95 - 12 * (i - 28), 0, 0))));
    const auto made = simulate::render(scene);
    simulate::write(made, card / "own.dng");
    desk().frames.take_in({card / "own.dng"}, id(0));
    ASSERT_TRUE(idle());
    ASSERT_FALSE(desk().chains.at(id(0)).shot);
    // It shows no chart that is known: brought by hand it is made the chart shot.
    desk().frames.make_chart_shot(desk().job.shoot().frames.front().id, id(0));
    ASSERT_TRUE(idle());
    window.open_setup(id(0));
    window.setup_view()->choose(Step::shot);
    ASSERT_TRUE(wait_for([&] { return desk().pictures.of(id(0)).frame != nullptr; }));
    desk().cards.teach(id(0), [&] {
        chart::Corners q = made.charts[0].corners;
        const chart::Point middle = (q[0] + q[1] + q[2] + q[3]) / 4;
        for (chart::Point& p : q) p += 0.05 * (p - middle);
        return q;
    }());
    ASSERT_TRUE(idle());
    auto* editor = window.kit_view()->findChild<ChartEditor*>();
    ASSERT_TRUE(editor && editor->isVisible());
    EXPECT_EQ(editor->definition().patches.size(), 35u);
    photograph(window, "taught");
    editor->findChildren<QLineEdit*>().front()->setText("linen-7x5");
    // Printed, and the sheet read back by another program: true to size, and found.
    chart::Definition printed = editor->definition();
    printed.id = printed.title = "linen-7x5";
    print_chart(printed, editor->reference(), scratch / "sheet.pdf", Existing::refuse);
    EXPECT_THROW(print_chart(printed, editor->reference(), scratch / "sheet.pdf", Existing::refuse), Error);
    const std::string command =
        "cd " + scratch.folder().string() + " && pdftoppm -r 100 -png -singlefile sheet.pdf sheet";
    ASSERT_EQ(std::system(command.c_str()), 0);
    editor->save();
    EXPECT_TRUE(chart::installed_by_user("linen-7x5"));
    const frame::Frame sheet = frame::read(scratch / "sheet.png");
    const auto on_sheet = find::locate(sheet, {chart::find_definition("linen-7x5")});
    ASSERT_EQ(on_sheet.size(), 1u);
    const double px_per_mm = (on_sheet[0].corners[1] - on_sheet[0].corners[0]).norm() / printed.width_mm;
    EXPECT_NEAR(px_per_mm, 100 / 25.4, 0.02 * 100 / 25.4);
    // Back at the shot, where it is found by itself now.
    ASSERT_TRUE(idle());
    ASSERT_TRUE(desk().chains.at(id(0)).shot) << desk().chains.at(id(0)).problem;
    EXPECT_EQ(desk().chains.at(id(0)).shot->definition.id, "linen-7x5");
}

TEST_F(CardWalk, a_log_curve_is_typed_in_and_used_by_its_mode) {
    plan_shoot({"Cine A"}, {"Window"});
    shoot::ModeRecord mode = desk().job.shoot().modes.front();
    mode.name = "flat 10 bit";
    mode.kind = shoot::ModeKind::video;
    desk().job.change(shoot::put("a flat mode", mode));
    window.show_plan();
    auto* type_in = window.findChild<QPushButton*>("typeCurve");
    ASSERT_TRUE(type_in);
    for (auto* tabs : window.plan_view()->findChildren<QTabWidget*>())
        tabs->setCurrentIndex(tabs->count() == 3 ? 0 : tabs->count() - 1);
    for (auto* b : window.plan_view()->findChildren<QAbstractButton*>())
        if (b->text() == "Camera") b->click();
    type_in->click();
    QTest::qWait(20);
    photograph(window, "log-curve");
    LogCurveForm form(desk());
    form.open(mode.id);
    const colour::LogCurve c{10, 0.25, 0.39, 5.6, 0.05, 0.01};
    form.set_curve(c);
    EXPECT_TRUE(form.told().contains("18 % grey lands at")) << form.told().toStdString();
    form.keep();
    const std::string encoding = desk().job.shoot().modes.front().encoding;
    EXPECT_TRUE(encoding.ends_with("flat-10-bit.clf")) << encoding;
    EXPECT_NEAR(frame::Encoding::named(encoding).decode(1, c.encode(0.18)), 0.18, 1e-5);
    // Opened again it shows what was typed in; one that makes no curve is told, and not kept.
    LogCurveForm again(desk());
    again.open(mode.id);
    EXPECT_EQ(again.curve(), c);
    colour::LogCurve wrong = c;
    wrong.log_offset = 39;
    again.set_curve(wrong);
    EXPECT_TRUE(again.told().contains("no log curve")) << again.told().toStdString();
    EXPECT_FALSE(again.findChild<QPushButton*>("keepCurve")->isEnabled());
}

} // namespace refero::app
