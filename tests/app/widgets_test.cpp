// The window's parts on their own.
#include <QLabel>
#include <QSignalSpy>
#include <QStandardItemModel>
#include <QWheelEvent>

#include "gui.hpp"
#include "model/tasks.hpp"
#include "ui/plots/neutral_plot.hpp"
#include "ui/plots/proof_plot.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/link_glyph.hpp"
#include "ui/widgets/patch_table.hpp"
#include "ui/widgets/swatches.hpp"

Q_DECLARE_METATYPE(refero::chart::Corners)

namespace refero::app {
namespace {

using chart::Corners;
using chart::Point;

struct Picture : testing::Test {
    PictureView view;
    const Corners corners{Point(400, 300), Point(1600, 300), Point(1600, 1000), Point(400, 1000)};

    Picture() {
        view.resize(800, 520);
        view.show();
        view.set_picture(grey_picture(1000, 650, 2, 90));
        view.set_chart(&test::grid24(), corners, true);
        EXPECT_TRUE(QTest::qWaitForWindowExposed(&view));
    }
    void wheel(const QPointF& at, int delta) {
        QWheelEvent e(at, view.mapToGlobal(at), {}, {0, delta}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&view, &e);
    }
    double scale() const { return view.to_widget({1, 0}).x() - view.to_widget({0, 0}).x(); }
};

TEST_F(Picture, the_whole_picture_is_shown_first_and_after_a_double_click) {
    EXPECT_NEAR(view.to_widget({1000, 650}).x(), 400, 1);
    EXPECT_NEAR(view.to_widget({1000, 650}).y(), 260, 1);
    const double first = scale();
    EXPECT_NEAR(first, 0.4, 0.001);
    wheel({200, 200}, 480);
    EXPECT_GT(scale(), 1.5 * first);
    QTest::mouseDClick(&view, Qt::LeftButton, {}, {500, 100});
    EXPECT_NEAR(scale(), first, 1e-9);
}

TEST_F(Picture, the_wheel_zooms_about_the_pointer) {
    const Point under(700, 900);
    const QPointF before = view.to_widget(under);
    wheel(before, 360);
    const QPointF after = view.to_widget(under);
    EXPECT_LT(QLineF(before, after).length(), 0.5);
    for (int i = 0; i < 60; ++i) wheel({400, 260}, 480); // there is an end to zooming in
    EXPECT_LE(scale(), 24.001);
    for (int i = 0; i < 80; ++i) wheel({400, 260}, -480); // and out
    EXPECT_GE(scale(), 0.19);
}

TEST_F(Picture, dragging_pans_and_never_loses_the_picture) {
    const QPointF before = view.to_widget({0, 0});
    drag(&view, {60, 60}, {40, 30});
    EXPECT_NEAR(view.to_widget({0, 0}).x() - before.x(), 40, 1);
    for (int i = 0; i < 20; ++i) drag(&view, {60, 60}, {700, 400});
    EXPECT_LT(view.to_widget({0, 0}).x(), 800);
    EXPECT_LT(view.to_widget({0, 0}).y(), 520);
}

TEST_F(Picture, a_corner_is_dragged_and_told_once) {
    QSignalSpy moved(&view, &PictureView::corners_moved);
    const QPoint at = view.to_widget(corners[1]).toPoint();
    drag(&view, at, {20, -12});
    ASSERT_EQ(moved.count(), 1);
    const auto now = moved[0][0].value<Corners>();
    EXPECT_NEAR(now[1].x() - corners[1].x(), 20 / 0.4, 3);
    EXPECT_NEAR(now[1].y() - corners[1].y(), -12 / 0.4, 3);
    EXPECT_EQ(now[0], corners[0]);
}

TEST_F(Picture, keys_choose_and_move_corners_finely) {
    QSignalSpy moved(&view, &PictureView::corners_moved);
    QTest::keyClick(&view, Qt::Key_Right); // no corner chosen: the picture moves
    EXPECT_EQ(moved.count(), 0);
    QTest::keyClick(&view, Qt::Key_C);
    QTest::keyClick(&view, Qt::Key_C); // the second corner
    QTest::keyClick(&view, Qt::Key_Right);
    QTest::keyClick(&view, Qt::Key_Up, Qt::ShiftModifier);
    ASSERT_EQ(moved.count(), 2);
    const auto now = moved[1][0].value<Corners>();
    EXPECT_DOUBLE_EQ(now[1].x(), corners[1].x() + 0.5);
    EXPECT_DOUBLE_EQ(now[1].y(), corners[1].y() - 5);
    QTest::keyClick(&view, Qt::Key_Escape);
    QTest::keyClick(&view, Qt::Key_Right);
    EXPECT_EQ(moved.count(), 2);
}

TEST_F(Picture, corners_hold_still_where_they_are_not_to_be_edited) {
    view.set_chart(&test::grid24(), corners, false);
    QSignalSpy moved(&view, &PictureView::corners_moved);
    drag(&view, view.to_widget(corners[0]).toPoint(), {10, 10});
    EXPECT_EQ(moved.count(), 0);
}

TEST_F(Picture, a_click_on_a_patch_chooses_it) {
    QSignalSpy chosen(&view, &PictureView::patch_chosen);
    const auto map = chart::pixels_from_mm(test::grid24(), corners);
    const auto& c4 = test::grid24().patches[static_cast<std::size_t>(test::grid24().index_of("C4"))];
    QTest::mouseClick(&view, Qt::LeftButton, {}, view.to_widget(map({c4.x_mm + 20, c4.y_mm + 20})).toPoint());
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen[0][0].toString(), "C4");
    QTest::mouseClick(&view, Qt::LeftButton, {}, view.to_widget({100, 100}).toPoint()); // beside the chart
    EXPECT_EQ(chosen.count(), 1);
}

TEST_F(Picture, before_and_after_meet_at_a_split_that_can_be_dragged) {
    view.set_chart(nullptr, std::nullopt, false);
    view.set_after(grey_picture(1000, 650, 2, 200));
    const auto level = [&](int x) { return qRed(view.grab().toImage().pixel(x, 400)); };
    EXPECT_EQ(level(100), 90);
    EXPECT_EQ(level(700), 200);
    drag(&view, {400, 300}, {-250, 0});
    EXPECT_NEAR(view.split(), 150.0 / 800, 0.02);
    EXPECT_EQ(level(300), 200);
    drag(&view, {int(view.split() * 800), 300}, {900, 0}); // stays inside the window
    EXPECT_LT(view.split(), 1);
    view.flip();
    EXPECT_EQ(level(700), 90); // before alone
    view.flip();
    EXPECT_EQ(level(100), 200); // after alone
    view.flip();
    view.set_after({});
    EXPECT_EQ(level(700), 90);
}

TEST_F(Picture, without_a_picture_words_stand_in) {
    PictureView empty;
    empty.resize(400, 300);
    empty.set_picture({}, "Drop a frame");
    empty.show_pixels();
    empty.show_chart();
    empty.flip();
    const QImage image = empty.grab().toImage();
    bool drawn = false;
    for (int x = 0; x < image.width(); ++x) drawn |= image.pixel(x, 150) != image.pixel(0, 0);
    EXPECT_TRUE(drawn);
}

TEST(PatchTable, sorts_by_value_and_keeps_the_chosen_patch) {
    PatchTable table({"dE"}, {2});
    table.set({{"A1", Qt::red, {10.5}}, {"A2", Qt::green, {9.25}}, {"A3", Qt::blue, {NAN}}});
    QSignalSpy chosen(&table, &PatchTable::patch_chosen);
    const auto text = [&](int row, int column) { return table.model()->index(row, column).data().toString(); };
    EXPECT_EQ(text(0, 1), "10.50");
    EXPECT_EQ(text(2, 1), QString::fromUtf8("\u2013"));
    table.sortByColumn(1, Qt::AscendingOrder);
    EXPECT_LT(text(0, 1).toDouble(), 10); // by number: 9.25 before 10.50
    table.selectionModel()->setCurrentIndex(table.model()->index(0, 0),
                                            QItemSelectionModel::ClearAndSelect | QItemSelectionModel::Rows);
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen[0][0].toString(), "A2");
    table.set({{"A1", Qt::red, {1}}, {"A2", Qt::green, {2}}});
    EXPECT_EQ(table.model()->index(table.currentIndex().row(), 0).data().toString(), "A2");
    EXPECT_EQ(chosen.count(), 1); // not chosen anew
}

prove::Proof some_proof() {
    prove::Proof proof;
    for (const auto& p : test::grid24().patches) {
        prove::PatchProof q;
        q.id = p.id;
        q.reference_lab = {50, 10, 10};
        q.corrected_lab = {51, 10, 10};
        q.delta_e_2000 = p.id == "B2" ? 3.0 : 0.5;
        proof.patches.push_back(q);
    }
    proof.delta_e_2000 = {0.6, 0.5, 0.5, 3.0};
    return proof;
}

TEST(Swatches, a_click_on_a_swatch_chooses_its_patch) {
    Swatches swatches;
    swatches.resize(600, 400);
    const auto proof = some_proof();
    swatches.set(&test::grid24(), &proof);
    QSignalSpy chosen(&swatches, &Swatches::patch_chosen);
    QTest::mouseClick(&swatches, Qt::LeftButton, {}, {300, 200}); // the gap in the middle
    EXPECT_EQ(chosen.count(), 0);
    QTest::mouseClick(&swatches, Qt::LeftButton, {}, {50, 60});
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen[0][0].toString(), "A1");
    // The reference fills the patch, the corrected colour its middle.
    const QImage image = swatches.grab().toImage();
    EXPECT_NE(image.pixel(32, 100), image.pixel(66, 84));
}

TEST(ProofPlot, a_click_on_a_bar_chooses_its_patch) {
    ProofPlot plot;
    plot.resize(500, 240);
    const auto proof = some_proof();
    plot.set(&proof, {0.9, 0.8, 2, 3}, "fitted");
    plot.replot();
    QSignalSpy chosen(&plot, &ProofPlot::patch_chosen);
    QTest::mousePress(&plot, Qt::LeftButton, {}, {int(plot.xAxis->coordToPixel(0)), 100});
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen[0][0].toString(), "B2");  // the worst comes first
    EXPECT_GE(plot.yAxis->range().upper, 3.0); // the longest bar is inside
    plot.set(nullptr, {}, {});
    plot.replot();
}

TEST(Link, every_state_has_a_shape_of_its_own) {
    std::vector<QImage> drawn;
    for (const LinkState state : {LinkState::missing, LinkState::broken, LinkState::worn, LinkState::whole}) {
        QImage image(30, 44, QImage::Format_RGB32);
        image.fill(Qt::white);
        QPainter painter(&image);
        draw_link(painter, QRectF(2, 2, 26, 40), state, Qt::black);
        painter.end();
        // As without any tone: only black or white.
        const QImage shape = image.convertToFormat(QImage::Format_Mono, Qt::ThresholdDither);
        for (const QImage& other : drawn) EXPECT_NE(shape, other);
        drawn.push_back(shape);
    }
}

TEST(Tasks, results_and_errors_come_back_to_the_windows_thread) {
    Tasks tasks;
    QThread* const here = QThread::currentThread();
    int done = 0;
    QString told;
    QObject::connect(&tasks, &Tasks::failed, [&](const QString& words) { told = words; });
    tasks.run({}, "good", [&](std::stop_token, const Progress& progress) -> Tasks::Then {
        EXPECT_NE(QThread::currentThread(), here);
        progress(0.5);
        return [&, here] {
            EXPECT_EQ(QThread::currentThread(), here);
            ++done;
        };
    });
    EXPECT_EQ(tasks.running(), 1);
    EXPECT_EQ(tasks.title(), "good");
    tasks.run({}, "bad", [](std::stop_token, const Progress&) -> Tasks::Then {
        throw Error(ErrorKind::input, "it is broken", "a.dng", "Mend it");
    });
    ASSERT_TRUE(wait_for([&] { return tasks.running() == 0; }));
    EXPECT_EQ(done, 1);
    EXPECT_TRUE(told.contains("broken") && told.contains("a.dng") && told.contains("Mend it")) << told.toStdString();
    EXPECT_DOUBLE_EQ(tasks.progress(), 1);
}

TEST(Tasks, cancelled_work_says_nothing_and_dropped_work_delivers_nothing) {
    Tasks tasks;
    bool told = false, delivered = false;
    QObject::connect(&tasks, &Tasks::failed, [&] { told = true; });
    const auto slow = [&](std::stop_token stop, const Progress&) -> Tasks::Then {
        for (int i = 0; i < 2000; ++i) {
            throw_if_stopped(stop);
            QThread::msleep(2);
        }
        return [&] { delivered = true; };
    };
    tasks.run({}, "slow", slow);
    QTest::qWait(20);
    tasks.cancel_all();
    ASSERT_TRUE(wait_for([&] { return tasks.running() == 0; }, 3000));
    tasks.run({}, "quick", [&](std::stop_token, const Progress&) -> Tasks::Then { return [&] { delivered = true; }; });
    tasks.drain(); // what had been under way is dropped, also when it was done already
    QTest::qWait(30);
    EXPECT_FALSE(told);
    EXPECT_FALSE(delivered);
}

// Whoever set something when work began hears of its end, also of dropped work; and what comes next begins at nothing.
TEST(Tasks, dropped_work_has_an_end_and_progress_begins_anew) {
    Tasks tasks;
    std::vector<TaskEnd::How> ends;
    const auto slow = [](std::stop_token stop, const Progress& progress) -> Tasks::Then {
        progress(0.5);
        for (int i = 0; i < 5000; ++i) {
            throw_if_stopped(stop);
            QThread::msleep(2);
        }
        return {};
    };
    const auto ended = [&](const TaskEnd& end) { ends.push_back(end.how); };
    int quick = 0;
    tasks.run({Doing::writing, 3}, "slow", slow, ended);
    tasks.run(
        {}, "quick", [](std::stop_token, const Progress&) -> Tasks::Then { return {}; },
        [&](const TaskEnd&) { ++quick; });
    ASSERT_TRUE(wait_for([&] { return quick == 1; }, 5000)); // one of the batch has ended
    tasks.run_quietly({}, slow, ended);
    tasks.drain();
    EXPECT_EQ(ends, (std::vector{TaskEnd::How::cancelled, TaskEnd::How::cancelled}));
    EXPECT_FALSE(tasks.busy(Doing::writing, 3));
    EXPECT_EQ(tasks.running(), 0);
    bool checked = false;
    tasks.run({}, "next", slow, ended);
    EXPECT_LE(tasks.progress(), 0.5) << "nothing of what was dropped counts";
    checked = wait_for([&] { return tasks.progress() == 0.5; }, 5000);
    EXPECT_TRUE(checked) << tasks.progress();
    tasks.drain();
}

TEST(Rendition, a_picture_comes_at_falling_sizes) {
    frame::Frame f;
    f.width = 1600;
    f.height = 800;
    f.full_width = 3200;
    f.full_height = 1600;
    f.cell = 2;
    f.rgb.assign(std::size_t(1600) * 800 * 3, 0.18f);
    const auto r = rendition_of(apply::uncorrected(f, colour::Vec3::Ones(), "srgb"), f);
    EXPECT_EQ(r.full_width, 3200);
    EXPECT_EQ(r.levels.front().width(), 1600);
    EXPECT_LE(r.levels.back().width(), 400);
    EXPECT_EQ(r.small(100).width(), 100);
    EXPECT_EQ(qGreen(r.levels[0].pixel(5, 5)), 118); // IEC 61966-2-1: 0.18 encodes to 0.4614
    EXPECT_TRUE(Rendition{}.small(10).isNull());
}

TEST(PictureView, tells_what_lies_under_the_pointer) {
    frame::Frame f;
    f.width = f.full_width = 300;
    f.height = f.full_height = 200;
    f.rgb.assign(std::size_t(300) * 200 * 3, 0.18f);
    const Rendition r = rendition_of(apply::uncorrected(f, colour::Vec3::Ones(), "srgb"), f);
    ASSERT_TRUE(r.deep);
    EXPECT_NEAR((*r.deep)[0], 0.46135 * 65535, 2); // IEC 61966-2-1
    PictureView view;
    view.resize(900, 600);
    view.set_picture(r);
    view.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&view));
    std::optional<QPointF> told;
    QObject::connect(&view, &PictureView::pointed, [&](const std::optional<QPointF>& share) { told = share; });
    const QImage plain = view.grab().toImage();
    QTest::mouseMove(&view, {300, 150});
    ASSERT_TRUE(wait_for([&] { return told.has_value(); }, 3000));
    EXPECT_NEAR(told->x(), 1 / 3.0, 0.01);
    EXPECT_NEAR(told->y(), 0.25, 0.01);
    view.tell_colours(true);
    const QImage with = view.grab().toImage();
    EXPECT_EQ(with.pixel(300, 150), plain.pixel(300, 150)) << "what is read stays in sight";
    EXPECT_NE(with.pixel(880, 580), plain.pixel(880, 580)) << "the loupe is in the corner farthest off";
}

} // namespace
} // namespace refero::app
