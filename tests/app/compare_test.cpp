// Pictures beside each other, and what a place in them reads.
#include "job_window.hpp"
#include "places/compare/compare_view.hpp"

namespace refero::app {
namespace {

struct Comparing : JobWindow {
    CompareView& view() { return *window.board_place()->compare_view(); }
    std::vector<PictureView*> seen() {
        std::vector<PictureView*> all;
        for (auto* p : view().findChildren<PictureView*>())
            if (p->isVisible()) all.push_back(p);
        return all;
    }
    QTableWidget& chosen() { return *view().findChild<QTableWidget*>("compareChosen"); }
    QString figure(int row) { return chosen().item(row, 1)->text(); }
    /// Two cameras under one light, read and fitted; the first has a frame beside its chart shot.
    void shoot_both() {
        plan_shoot({"Stills A", "Cine B"}, {"Tungsten"});
        for (const Id setup : desk().chains.ids()) {
            desk().frames.take_in({shoot(setup, formatted("chart{}.dng", setup).c_str(), "2026-05-04T10:00:00")},
                                  setup);
            ASSERT_TRUE(idle());
            desk().setups.fit(setup);
            ASSERT_TRUE(wait_for([&] { return desk().chains.at(setup).correction && desk().tasks.running() == 0; }));
        }
        desk().frames.take_in({shoot(id(0), "weed.dng", "2026-05-04T10:01:00", false)}, id(0));
        ASSERT_TRUE(idle());
    }
    Id chart_frame(int n) { return desk().chains.at(id(n)).chart_frame.id; }
    void key(Qt::Key k) { QTest::keyClick(&window, k); }
};

} // namespace

TEST_F(Comparing, a_setup_before_and_after_then_with_another_camera) {
    shoot_both();
    window.open_setup(id(0));
    key(Qt::Key_G);
    ASSERT_EQ(window.board_place()->view(), BoardPlace::compare);
    ASSERT_EQ(view().chosen().size(), 2u) << "its chart shot, balanced and corrected";
    ASSERT_TRUE(wait_for([&] { return figure(1).toDouble() > 0; })) << figure(1).toStdString();
    EXPECT_EQ(seen().size(), 2u);
    const double before_after = figure(1).toDouble();
    EXPECT_GT(before_after, 1) << "a correction under tungsten is seen";
    // The other camera's shot, by the chart's plane; and a frame without a chart, which cannot be laid over it.
    auto all = view().chosen();
    std::rotate(all.begin(), all.begin() + 1, all.end()); // corrected first
    all.push_back({id(1), chart_frame(1), Compared::As::corrected, 0});
    all.push_back({id(0), desk().chains.at(id(0)).frames.at(0), Compared::As::corrected, 0});
    view().choose(all);
    ASSERT_TRUE(wait_for([&] { return figure(1).toDouble() > 0 && figure(2).toDouble() > 0; }));
    EXPECT_NEAR(figure(1).toDouble(), before_after, 0.02) << "the same two, the other way round";
    EXPECT_LT(figure(2).toDouble(), 0.7 * before_after)
        << "both corrected: the cameras are closer than before and after";
    EXPECT_EQ(figure(3), QString::fromUtf8("\u2013"));
    ASSERT_TRUE(wait_for([&] { return seen().size() == 4 && desk().tasks.running() == 0; }));
    photograph(window, "compare-four");
    view().show_as(CompareView::Seen::difference);
    EXPECT_EQ(seen().size(), 3u) << "all but the first";
    photograph(window, "compare-difference");
    view().show_as(CompareView::Seen::split);
    ASSERT_EQ(seen().size(), 1u);
    view().show_as(CompareView::Seen::flip);
    ASSERT_EQ(seen().size(), 1u);
    const int row = chosen().currentRow();
    key(Qt::Key_X);
    EXPECT_EQ(chosen().currentRow(), (row + 1) % 4);
    key(Qt::Key_X);
    EXPECT_EQ(chosen().currentRow(), (row + 2) % 4);
}

TEST_F(Comparing, one_zoom_for_all_and_the_same_place_read_in_each) {
    shoot_both();
    window.show_board(BoardPlace::compare);
    view().show_setup(id(0));
    ASSERT_TRUE(wait_for([&] { return seen().size() == 2 && figure(1).toDouble() > 0; }));
    QTest::qWait(0);
    const auto views = seen();
    views[0]->setFocus();
    for (int i = 0; i < 4; ++i) QTest::keyClick(views[0], Qt::Key_Plus);
    QTest::keyClick(views[0], Qt::Key_Right);
    EXPECT_NEAR(views[1]->place().zoom, views[0]->place().zoom, 1e-9);
    EXPECT_NEAR(views[1]->place().centre.x(), views[0]->place().centre.x(), 1e-9);
    EXPECT_GT(views[0]->place().zoom, 1.5);
    // What lies under the pointer stands under each picture.
    QTest::mouseMove(views[0], views[0]->rect().center());
    for (PictureView* v : views) {
        const auto* caption = v->parentWidget()->findChild<QLabel*>();
        EXPECT_TRUE(wait_for([&] { return caption->text().contains("L*"); }, 3000)) << caption->text().toStdString();
    }
    key(Qt::Key_R);
    EXPECT_TRUE(views[0]->tells_colours());
    photograph(window, "compare-loupe");
}

TEST_F(Comparing, no_more_than_eight_and_what_goes_is_taken_out) {
    shoot_both();
    window.show_board(BoardPlace::compare);
    view().show_setup(0);
    auto* offer = view().findChild<QListWidget*>("compareOffer");
    ASSERT_EQ(offer->count(), 4) << "two chart shots, balanced and corrected";
    std::vector<Compared> many(11, Compared{id(0), chart_frame(0), Compared::As::balanced, 0});
    view().choose(many);
    EXPECT_EQ(view().chosen().size(), CompareView::most);
    view().choose({});
    for (int i = 0; i < 3; ++i) offer->item(i)->setCheckState(Qt::Checked);
    EXPECT_EQ(view().chosen().size(), 3u);
    offer->item(1)->setCheckState(Qt::Unchecked);
    ASSERT_EQ(view().chosen().size(), 2u);
    EXPECT_EQ(view().chosen()[1].setup, id(1));
    // A setup that is undone takes its pictures with it.
    const Id gone = id(1);
    edit(desk().job, "Take the setup out", [&](shoot::Change& e) { e.remove<shoot::SetupRecord>(gone); });
    EXPECT_TRUE(wait_for([&] { return view().chosen().size() == 1; }, 5000));
}

} // namespace refero::app
