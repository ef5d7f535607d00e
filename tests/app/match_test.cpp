// The place Match, through the real window: two cameras under one light.
#include <nlohmann/json.hpp>

#include "job_window.hpp"

namespace refero::app {
namespace {

struct MatchWalk : JobWindow {
    MatchView& match() { return *window.match_place()->cameras_view(); }
    template<class T>
    T* child(const char* name) {
        return match().findChild<T*>(name);
    }
    /// Chart shots of both cameras, read; the first one fitted.
    void two_cameras() {
        plan_shoot({"Stills A", "Stills B"}, {"Window", "Tungsten"});
        for (const Id setup : desk().chains.ids())
            desk().frames.take_in({shoot(setup, formatted("chart{}.dng", setup).c_str(), "2026-05-04T10:00:00")},
                                  setup);
        ASSERT_TRUE(idle());
        for (const Id setup : desk().chains.ids())
            ASSERT_TRUE(desk().chains.at(setup).shot) << desk().chains.at(setup).problem;
        desk().setups.fit(lead());
        ASSERT_TRUE(wait_for([&] { return desk().chains.at(lead()).correction && desk().tasks.running() == 0; }));
    }
    Id of(const char* camera, const char* light) {
        for (const Id setup : desk().chains.ids())
            if (desk().chains.title_of(setup) == QString("%1, %2").arg(camera, light)) return setup;
        return 0;
    }
    Id lead() { return of("Stills A", "Window"); }
    Id other() { return of("Stills B", "Window"); }
    void press(Qt::Key key, Qt::KeyboardModifiers with = {}) { QTest::keyClick(&window, key, with); }
};

} // namespace

TEST_F(MatchWalk, an_empty_place_says_what_is_missing) {
    desk().job.create(job);
    press(Qt::Key_3);
    EXPECT_TRUE(match().isVisible());
    EXPECT_FALSE(child<QPushButton>("matchButton")->isEnabled());
    EXPECT_EQ(match().others()->rowCount(), 0);
}

TEST_F(MatchWalk, two_cameras_are_matched_kept_handed_over_and_grow_stale) {
    two_cameras();
    press(Qt::Key_1);
    window.open_setup(other()); // it cannot lead, so it follows
    press(Qt::Key_3);
    EXPECT_EQ(match().lead(), lead());
    EXPECT_EQ(match().other(), other());
    ASSERT_TRUE(child<QPushButton>("matchButton")->isEnabled());
    press(Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(wait_for([&] { return desk().matches.kept(lead(), other()) && desk().tasks.running() == 0; }))
        << notice().toStdString();
    const operations::KeptMatch kept = *desk().matches.kept(lead(), other());
    EXPECT_EQ(kept.stale, "");
    EXPECT_LT(kept.cross_validated.mean, kept.before.mean);
    EXPECT_EQ(match().others()->item(0, 3)->text(), "holds");
    // It is never the setup's own correction.
    EXPECT_FALSE(desk().chains.at(other()).correction);
    // The recipe's first row is what was recorded, the last figure is what eight hues leave.
    EXPECT_TRUE(wait_for([&] { return child<QTableWidget>("recipeTable")->rowCount() > 12; }, 10000));
    // Both pictures lie over each other, and differ less than by balance alone.
    auto* seen = child<QTabBar>("matchSeen");
    ASSERT_TRUE(wait_for([&] { return !desk().tasks.busy(Doing::looking, other()); }));
    for (int i = 0; i < seen->count(); ++i) {
        seen->setCurrentIndex(i);
        photograph(window, QString("match-%1").arg(i));
    }
    // A region of both on the scopes, drawn by two clicks; and the patches again.
    auto* region = child<QToolButton>("matchRegion");
    region->click();
    ASSERT_TRUE(match().picture()->picking());
    EXPECT_NE(seen->currentIndex(), static_cast<int>(MatchView::Seen::scopes)) << "clicked on a picture";
    for (const QPoint& off : {QPoint(-70, -50), QPoint(60, 40)})
        QTest::mouseClick(match().picture(), Qt::LeftButton, {}, match().picture()->rect().center() + off);
    EXPECT_EQ(seen->currentIndex(), static_cast<int>(MatchView::Seen::scopes)) << notice().toStdString();
    auto* scope = match().findChild<MatchScope*>();
    ASSERT_TRUE(scope->region());
    EXPECT_LT(scope->region()->delta_e_2000, 4);
    EXPECT_EQ(scope->region()->lead.tone[0].size(), scope->region()->other.tone[0].size());
    photograph(window, "match-region");
    // Made anew, the match is measured in the same region; another pair has none.
    desk().matches.match(lead(), other());
    ASSERT_TRUE(wait_for([&] { return desk().tasks.running() == 0 && scope->region(); }));
    region->click();
    EXPECT_FALSE(scope->region());
    seen->setCurrentIndex(0);
    press(Qt::Key_W);
    // Handed over, by its own row: the setup's chain does not count it.
    desk().handovers.write_match(kept, "cube", {.size = 17}, scratch / "b-to-a.cube");
    ASSERT_TRUE(idle());
    EXPECT_TRUE(fs::exists(scratch / "b-to-a.cube"));
    ASSERT_EQ(desk().job.shoot().handovers.size(), 1u);
    EXPECT_EQ(desk().job.shoot().handovers[0].correction, kept.row);
    EXPECT_TRUE(desk().chains.at(other()).handovers.empty());
    // Another rendering of the lead is another target.
    Settings s = desk().chains.at(lead()).settings;
    s.intent = fit::Intent::people;
    desk().setups.change(lead(), s, "People");
    desk().setups.fit(lead());
    ASSERT_TRUE(idle());
    ASSERT_TRUE(wait_for([&] { return !desk().matches.kept(lead(), other())->stale.empty(); }));
    EXPECT_NE(desk().matches.kept(lead(), other())->stale.find("Stills A"), std::string::npos);
    match().refresh();
    EXPECT_EQ(match().others()->item(0, 3)->text(), "stale");
    desk().job.undo();
    EXPECT_EQ(desk().matches.kept(lead(), other())->stale, "");
    // Kept in the job: opened again it is there.
    desk().job.close();
    window.open({job});
    ASSERT_TRUE(wait_for([&] { return desk().chains.count() == 4 && desk().tasks.running() == 0; }));
    ASSERT_TRUE(desk().matches.kept(lead(), other()));
    EXPECT_EQ(desk().matches.kept(lead(), other())->way, kept.way);
    EXPECT_EQ(desk().matches.kept(lead(), other())->candidates.size(), kept.candidates.size());
}

// The camera's own picture leads the raw file of the same exposure: its tone curve goes with the match by itself.
TEST_F(MatchWalk, raw_follows_the_cameras_own_picture_in_the_window) {
    plan_shoot({"Stills A", "Stills B"}, {"Window"});
    const Id raw = of("Stills A", "Window"), finished = of("Stills B", "Window");
    const fs::path shot = shoot(raw, "raw.dng", "2026-05-04T10:00:00");
    desk().frames.take_in({shot}, raw);
    ASSERT_TRUE(idle());
    desk().setups.fit(raw);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(raw).correction && desk().tasks.running() == 0; }));
    fit::Correction style = *desk().chains.at(raw).correction; // as a camera would: a curve, and more colour
    style.look.curve = {{0, 0}, {0.2, 0.15}, {0.5, 0.56}, {0.8, 0.87}, {1, 0.98}};
    for (auto& hue : style.look.ring) hue.saturation = 15;
    const apply::Picture developed = apply::corrected(frame::read(shot, {.size = frame::Size::full}), style, "srgb");
    const auto codes = apply::display_codes(developed);
    ASSERT_TRUE(
        QImage(reinterpret_cast<const uchar*>(codes.data()), developed.width, developed.height, QImage::Format_RGB32)
            .save(QString::fromStdString((scratch / "own.jpg").string()), "JPEG", 95));
    desk().job.undo(); // the raw setup has no correction of its own
    desk().frames.take_in({scratch / "own.jpg"}, finished);
    ASSERT_TRUE(idle());
    ASSERT_TRUE(desk().chains.at(finished).shot) << desk().chains.at(finished).problem;
    press(Qt::Key_3);
    match().show_setup(finished);
    match().choose_other(raw);
    ASSERT_EQ(match().lead(), finished);
    press(Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(wait_for([&] { return desk().matches.kept(finished, raw) && desk().tasks.running() == 0; }, 60000))
        << notice().toStdString();
    const operations::KeptMatch kept = *desk().matches.kept(finished, raw);
    EXPECT_FALSE(kept.correction->look.curve.empty()) << "the mode's tone curve, where it can be changed";
    EXPECT_LT(kept.cross_validated.mean, 1.5);
    EXPECT_LT(kept.cross_validated.mean, 0.5 * kept.before.mean);
    test::measured("raw to the camera's own picture in the window: CIEDE2000 %.2f by balance, %.2f left out",
                   kept.before.mean, kept.cross_validated.mean);
    EXPECT_TRUE(child<QLabel>("matchWords")->text().contains("tone curve"));
    photograph(window, "match-own");
}

TEST_F(MatchWalk, what_cannot_be_matched_is_said_and_keeps_nothing) {
    two_cameras();
    EXPECT_TRUE(desk().matches.obstacle(lead(), of("Stills B", "Tungsten")).contains("different lights"));
    EXPECT_TRUE(desk().matches.obstacle(other(), lead()).contains("no correction"));
    desk().setups.refuse(other(), "a hand before it");
    EXPECT_TRUE(desk().matches.obstacle(lead(), other()).contains("refused"));
    desk().matches.match(lead(), other());
    ASSERT_TRUE(idle());
    EXPECT_TRUE(notice().contains("refused")) << notice().toStdString();
    EXPECT_FALSE(desk().matches.kept(lead(), other()));
}

// Cancelled, and then the same again.
TEST_F(MatchWalk, a_match_that_was_cancelled_can_be_made) {
    two_cameras();
    desk().matches.match(lead(), other());
    desk().tasks.cancel_all();
    ASSERT_TRUE(idle());
    desk().matches.match(lead(), other());
    ASSERT_TRUE(wait_for([&] { return desk().matches.kept(lead(), other()) && desk().tasks.running() == 0; }));
}

TEST_F(MatchWalk, modes_under_a_light_stand_in_the_order_of_a_purpose) {
    two_cameras();
    press(Qt::Key_3);
    window.match_place()->show_view(MatchPlace::modes);
    ModesView& modes = *window.match_place()->modes_view();
    modes.show_setup(lead());
    ASSERT_EQ(modes.modes()->rowCount(), 2);
    modes.rank_for(ModesView::Purpose::objects);
    // Only the fitted one is known to be put right.
    EXPECT_TRUE(modes.modes()->item(0, 0)->text().startsWith("Stills A"));
    EXPECT_NE(modes.modes()->item(0, 8)->text(), modes.modes()->item(1, 8)->text());
    modes.rank_for(ModesView::Purpose::skin);
    EXPECT_LE(modes.modes()->item(0, 4)->text().toDouble(), modes.modes()->item(1, 4)->text().toDouble());
    modes.rank_for(ModesView::Purpose::grading);
    EXPECT_GE(modes.modes()->item(0, 6)->text().toDouble(), modes.modes()->item(1, 6)->text().toDouble());
    EXPECT_TRUE(modes.findChild<QLabel*>("modesWords")->text().contains("dB over its noise"));
    photograph(window, "modes");
    emit modes.modes()->cellActivated(1, 0);
    EXPECT_TRUE(window.setup_view()->isVisible());
}

TEST_F(MatchWalk, modes_are_seen_through_one_look) {
    two_cameras();
    press(Qt::Key_3);
    window.match_place()->show_view(MatchPlace::modes);
    ModesView& modes = *window.match_place()->modes_view();
    modes.show_setup(lead());
    EXPECT_TRUE(modes.modes()->isColumnHidden(7));
    // One that does nothing to balanced codes, and one that takes half of the colour away.
    const auto cdl = [&](const char* name, double saturation) {
        write_whole(scratch / name, formatted("<ColorCorrection id=\"a\"><SOPNode><Slope>1 1 1</Slope><Offset>0 0 0"
                                              "</Offset><Power>1 1 1</Power></SOPNode><SatNode><Saturation>{:g}"
                                              "</Saturation></SatNode></ColorCorrection>",
                                              saturation));
        modes.try_look(scratch / name);
        EXPECT_TRUE(wait_for([&] { return modes.modes()->item(0, 7)->text().toDouble() > 0; }));
        return modes.modes()->item(0, 7)->text().toDouble();
    };
    const double plain = cdl("plain.cc", 1), pale = cdl("pale.cc", 0.5);
    EXPECT_FALSE(modes.modes()->isColumnHidden(7));
    EXPECT_GT(pale, plain + 2);
    const QString words = modes.findChild<QLabel*>("modesWords")->text();
    EXPECT_TRUE(words.contains("Through pale.cc")) << words.toStdString();
    photograph(window, "modes-through");
    write_whole(scratch / "broken.cube", std::string("words"));
    modes.try_look(scratch / "broken.cube");
    ASSERT_TRUE(wait_for([&] { return desk().tasks.running() == 0; }));
    EXPECT_TRUE(notice().contains("broken.cube") || modes.modes()->item(0, 7)->text().contains("cannot"))
        << notice().toStdString();
    QTest::mouseClick(modes.findChild<QPushButton*>("modesWithout"), Qt::LeftButton);
    EXPECT_TRUE(modes.modes()->isColumnHidden(7));
}

// Exposures that the simulated camera makes: each a stop from the next, by shutter alone.
TEST_F(MatchWalk, exposures_of_a_mode_tell_how_far_it_is_safe) {
    two_cameras();
    std::vector<fs::path> files;
    for (const int stop : {-5, -3, -2, -1, 1, 2}) {
        auto scene =
            operations::simulated_scene(desk().job.shoot(), lead(), {.share = 0.2, .taken = "2026-05-04T10:20:00"});
        scene.width = 900;
        scene.height = 600;
        scene.white *= std::exp2(stop);
        scene.seed = static_cast<std::uint64_t>(stop + 10);
        files.push_back(card / formatted("stop{:+d}.dng", stop));
        simulate::write(simulate::render(scene), files.back());
    }
    desk().frames.take_in(files, lead());
    ASSERT_TRUE(idle());
    press(Qt::Key_3);
    window.match_place()->show_view(MatchPlace::exposures);
    ExposuresView& view = *window.match_place()->exposures_view();
    view.show_setup(lead());
    ASSERT_GE(view.frames()->rowCount(), 7);
    view.frames()->selectAll();
    // Cancelled, and then the same again.
    view.compare();
    auto* button = view.findChild<QPushButton*>("compareExposures");
    EXPECT_FALSE(button->isEnabled());
    desk().tasks.cancel_all();
    ASSERT_TRUE(idle());
    ASSERT_FALSE(view.seen());
    ASSERT_TRUE(wait_for([&] { return button->isEnabled(); }));
    press(Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(wait_for([&] { return view.seen() && desk().tasks.running() == 0; })) << notice().toStdString();
    std::map<QString, int> row;
    for (int i = 0; i < view.frames()->rowCount(); ++i) row[view.frames()->item(i, 0)->text()] = i;
    for (const int stop : {-3, -2, -1})
        EXPECT_NEAR(QString(view.frames()->item(row[QString::asprintf("stop%+d.dng", stop)], 2)->text())
                        .replace(QChar(0x2212), '-')
                        .toDouble(),
                    stop, 0.06);
    EXPECT_EQ(view.frames()->item(0, 0)->text(), "stop-5.dng"); // in their order
    EXPECT_TRUE(view.frames()->item(row["stop+2.dng"], 6)->text().contains("clipped"));
    EXPECT_EQ(view.frames()->item(row["stop-1.dng"], 6)->text(), "yes");
    ASSERT_TRUE(view.seen()->series.usable_stops);
    EXPECT_LT(view.seen()->series.usable_stops->second, 1.5);
    EXPECT_TRUE(view.findChild<QLabel*>("exposuresWords")->text().contains("clipped"));
    view.frames()->setCurrentCell(row["stop-2.dng"], 0);
    photograph(window, "exposures");
}

} // namespace refero::app
