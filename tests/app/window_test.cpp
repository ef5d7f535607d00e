// Drives the real window: mouse, keyboard, menus; no display needed (offscreen platform).
#include <OpenColorIO/OpenColorIO.h>
#include <QApplication>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QStandardPaths>
#include <QTabWidget>
#include <QTableWidget>
#include <QTest>
#include <clocale>

#include "application.hpp"
#include "gui.hpp"
#include "main_window.hpp"
#include "places/kit/chart_editor.hpp"
#include "shoot/evidence.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/patch_map.hpp"
#include "ui/widgets/patch_table.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {
namespace {

using test::Scratch;

/// Measures how long the window's thread did not come back to its events, and how much of that it computed itself; the
/// rest it waited, for the disk or for a processor.
class StallMeter : public QObject {
public:
    StallMeter() {
        timer_.setInterval(2);
        timer_.setTimerType(Qt::PreciseTimer);
        connect(&timer_, &QTimer::timeout, this, [this] {
            longest_ = std::max(longest_, Stall{clock_.nsecsElapsed() / 1e6, computed_ms() - computed_});
            begin();
        });
        begin();
        timer_.start();
    }
    /// Prints and forgets what one phase came to; gives the longest of all.
    void phase(const char* name) {
        test::measured("longest stall, %s: %.0f ms, computing %.0f of them", name, longest_.wall, longest_.computed);
        all_ = std::max(all_, longest_);
        restart();
    }
    /// Leaves out what only the test does, such as grabbing pictures of the window.
    void restart() {
        longest_ = {};
        begin();
    }
    double longest_of_all() const { return all_.wall; }

private:
    struct Stall {
        double wall = 0, computed = 0; ///< ms
        auto operator<=>(const Stall&) const = default;
    };
    static double computed_ms() {
        timespec t{};
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return 1e3 * static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) / 1e6;
    }
    void begin() {
        clock_.restart();
        computed_ = computed_ms();
    }

    QTimer timer_;
    QElapsedTimer clock_;
    double computed_ = 0;
    Stall longest_, all_;
};

template<class T>
T* child(QWidget& parent, const char* name) {
    T* found = nullptr;
    for (T* w : parent.findChildren<T*>(name)) // of several pages, the visible one
        if (w->isVisible()) found = w;
    EXPECT_TRUE(found) << name;
    return found;
}

struct Window : testing::Test {
    MainWindow window;
    Scratch scratch;

    Window() {
        window.resize(1280, 800);
        window.show();
        EXPECT_TRUE(QTest::qWaitForWindowExposed(&window));
    }
    Desk& desk() { return window.desk(); }
    bool idle() {
        return wait_for([&] { return desk().tasks.running() == 0; });
    }
    QString notice() {
        const auto* strip = window.findChild<QWidget*>("noticeStrip");
        return strip->isVisible() ? strip->findChild<QLabel*>()->text() : QString();
    }
    Id id(int n) { return desk().chains.ids().at(static_cast<std::size_t>(n)); }
    void open_demo() {
        window.open_demo();
        ASSERT_TRUE(wait_for([&] { return desk().chains.count() == 10 && desk().tasks.running() == 0; }, 180000));
    }
    PictureView* picture() { return window.setup_view()->page()->picture(); }
    void key(int k, Qt::KeyboardModifiers m = {}) {
        QWidget* target = QApplication::focusWidget() ? QApplication::focusWidget() : &window;
        QTest::keyClick(target, static_cast<Qt::Key>(k), m);
    }
};

TEST_F(Window, the_demo_from_board_to_exported_file) {
    photograph(window, "start");
    StallMeter stall;
    open_demo();
    stall.phase("demo frames made and read");
    // Ten setups, every state but "shot", which lasts only while a frame is read.
    using shoot::State;
    const State states[] = {State::handed_over, State::read,    State::to_shoot,    State::proved, State::stale,
                            State::corrected,   State::refused, State::handed_over, State::proved, State::read};
    for (int i = 0; i < 10; ++i)
        EXPECT_EQ(shoot::name_of(desk().chains.at(id(i)).state), shoot::name_of(states[i])) << i;
    EXPECT_TRUE(desk().chains.at(id(7)).balance_only());
    EXPECT_TRUE(desk().chains.at(id(7)).whole());
    EXPECT_EQ(desk().chains.at(id(7)).steps().size(), 4u);
    // The interview's clips: one camera leads, the other is matched to it.
    EXPECT_EQ(desk().chains.at(id(8)).chart_frame.kind, shoot::FrameKind::clip);
    EXPECT_EQ(desk().chains.at(id(8)).gate(), inspect::Status::pass);
    const auto interview = desk().matches.kept(id(8), id(9));
    ASSERT_TRUE(interview.has_value());
    EXPECT_TRUE(interview->stale.empty()) << interview->stale;
    EXPECT_LT(interview->cross_validated.mean, 1);
    photograph(window, "board-read");
    stall.restart();

    // The second setup by keyboard.
    window.activateWindow();
    window.board()->table()->setFocus();
    key(Qt::Key_Right);
    key(Qt::Key_Return);
    ASSERT_EQ(window.setup_view()->setup(), id(1));
    EXPECT_EQ(window.setup_view()->chosen(), Step::correction); // the first link that is missing
    key(Qt::Key_1, Qt::AltModifier);
    ASSERT_EQ(window.setup_view()->chosen(), Step::shot);
    ASSERT_TRUE(idle());
    stall.phase("setup opened");
    photograph(window, "shot");
    stall.restart();

    // Drag the first corner by eight pixels and put it back by undo.
    const auto before = desk().chains.at(id(1)).shot;
    const QPoint corner = picture()->to_widget(before->placement.corners[0]).toPoint();
    drag(picture(), corner, {8, 6});
    ASSERT_TRUE(desk().chains.at(id(1)).settings.corners.has_value());
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(1)).shot != before && desk().tasks.running() == 0; }));
    const double scale = QLineF(picture()->to_widget({0, 0}), picture()->to_widget({1, 0})).length();
    EXPECT_NEAR((desk().chains.at(id(1)).shot->placement.corners[0] - before->placement.corners[0]).norm() * scale, 10,
                1.5);
    EXPECT_NE(desk().chains.at(id(1)).shot->reading.patches[0].mean, before->reading.patches[0].mean);
    // Fine steps with an arrow key: the dragged corner is the chosen one.
    const auto dragged = desk().chains.at(id(1)).shot->placement.corners[0];
    picture()->setFocus();
    key(Qt::Key_Right);
    EXPECT_NEAR((*desk().chains.at(id(1)).settings.corners)[0].x() - dragged.x(), 0.5, 1e-9);
    desk().job.undo();
    desk().job.undo();
    ASSERT_TRUE(idle());
    EXPECT_FALSE(desk().chains.at(id(1)).settings.corners.has_value());
    EXPECT_NEAR(desk().chains.at(id(1)).shot->reading.patches[0].mean[0], before->reading.patches[0].mean[0], 1e-6);

    stall.phase("corner dragged and undone");
    key(Qt::Key_2, Qt::AltModifier);
    ASSERT_TRUE(idle());
    auto* table = window.setup_view()->page()->findChild<PatchTable*>();
    ASSERT_EQ(table->model()->rowCount(), 24);
    table->selectionModel()->setCurrentIndex(table->model()->index(13, 0),
                                             QItemSelectionModel::ClearAndSelect | QItemSelectionModel::Rows);
    QTest::qWait(50);
    stall.phase("reading shown");
    photograph(window, "reading");
    // The demo's light falls evenly: within the gate's limit of a fifth of a stop.
    auto* map = child<PatchMap>(window, "patchMap");
    const QStringList words = map->text_at(QPointF(3, 3)).split(' ');
    ASSERT_EQ(words.size(), 3) << map->text_at(QPointF(3, 3)).toStdString();
    EXPECT_EQ(words[0], "A1:");
    EXPECT_LT(std::abs(words[1].toDouble()), 0.2);
    child<QComboBox>(window, "mapChoice")->setCurrentIndex(1);
    EXPECT_TRUE(map->text_at(QPointF(3, 3)).endsWith("dB"));
    child<QComboBox>(window, "mapChoice")->setCurrentIndex(0);
    stall.restart();
    key(Qt::Key_3, Qt::AltModifier);
    ASSERT_TRUE(idle());
    QTest::qWait(50);
    stall.phase("balance shown");
    photograph(window, "balance");
    // Every neutral beside the others; one is taken by the keyboard, and taken back.
    auto* on = child<QTableWidget>(window, "balanceCandidates");
    ASSERT_EQ(on->rowCount(), 7);
    EXPECT_EQ(on->item(2, 0)->text(), "D2");
    EXPECT_EQ(on->item(2, 5)->text(), "in use");
    on->setCurrentCell(3, 0);
    EXPECT_EQ(desk().chains.at(id(1)).settings.white, "");
    emit on->cellActivated(3, 0);
    EXPECT_EQ(desk().chains.at(id(1)).settings.white, "D3");
    EXPECT_EQ(on->item(3, 5)->text(), "in use");
    desk().job.undo();
    EXPECT_EQ(desk().chains.at(id(1)).settings.white, "");
    auto* tabs = child<QTabWidget>(window, "balanceTabs");
    tabs->setCurrentIndex(1);
    auto* asked = child<QTableWidget>(window, "exposures");
    ASSERT_EQ(asked->rowCount(), 4);
    EXPECT_TRUE(asked->item(0, 1)->text().endsWith("stops"));
    photograph(window, "exposure");
    tabs->setCurrentIndex(2);
    ASSERT_TRUE(idle());
    if (!qEnvironmentVariable("REFERO_SCREENSHOTS").isEmpty()) {
        Settings finished = desk().chains.at(id(1)).settings;
        finished.finish.warmer_mired = 14;
        desk().setups.change(id(1), finished, "Warmer");
        photograph(window, "finish");
        desk().job.undo();
    }
    tabs->setCurrentIndex(0);
    ASSERT_TRUE(idle());
    stall.restart();

    // Fit by the button.
    key(Qt::Key_4, Qt::AltModifier);
    QTest::mouseClick(child<QPushButton>(window, "fitButton"), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(1)).correction != nullptr; }));
    ASSERT_TRUE(idle());
    EXPECT_LT(desk().chains.at(id(1)).correction->cross_validated.mean, 1.5);
    EXPECT_EQ(desk().chains.at(id(1)).link(Step::proof), LinkState::whole);
    QComboBox* frames = nullptr;
    for (auto* box : window.setup_view()->page()->findChildren<QComboBox*>())
        if (box->count() == 3 && box->itemText(0).startsWith("Chart shot")) frames = box;
    ASSERT_TRUE(frames);
    frames->setCurrentIndex(2);
    emit frames->activated(2);
    ASSERT_TRUE(idle());
    QTest::qWait(50);
    stall.phase("fitted, and a frame before and after");
    photograph(window, "correction");
    auto* models = child<QTableWidget>(window, "candidates");
    ASSERT_EQ(models->rowCount(), static_cast<int>(fit::all_models.size()));
    int chosen = 0;
    for (int r = 0; r < models->rowCount(); ++r) chosen += models->item(r, 0)->text().contains("\nchosen");
    EXPECT_EQ(chosen, 1);

    auto* parts = child<QTabWidget>(window, "correctionTabs");
    for (int i = 1; i < parts->count(); ++i) {
        parts->setCurrentIndex(i);
        ASSERT_TRUE(idle());
        photograph(window, "correction-" + QString::number(i));
    }
    parts->setCurrentIndex(0);
    if (!qEnvironmentVariable("REFERO_SCREENSHOTS").isEmpty()) {
        key(Qt::Key_3, Qt::AltModifier);
        Settings drawn = desk().chains.at(id(1)).settings;
        drawn.look.curve = {{0, 0}, {0.22, 0.16}, {0.7, 0.76}, {1, 1}};
        drawn.look.ring[3] = {4, 12, 0};
        drawn.look.ring[6] = {-6, -14, 6};
        desk().setups.change(id(1), drawn, "Look");
        child<QTabWidget>(window, "balanceTabs")->setCurrentIndex(3);
        QTest::qWait(2000); // the whole picture, beside the window
        photograph(window, "look");
        child<QTabWidget>(window, "balanceTabs")->setCurrentIndex(0);
        desk().job.undo();
        key(Qt::Key_4, Qt::AltModifier);
        ASSERT_TRUE(idle());
    }
    stall.restart();

    // Flip: before alone, after alone, split again; each looks different.
    const QImage split = picture()->grab().toImage();
    key(Qt::Key_X);
    const QImage plain = picture()->grab().toImage();
    key(Qt::Key_X);
    EXPECT_TRUE(picture()->shows_after_only());
    const QImage corrected = picture()->grab().toImage();
    EXPECT_NE(plain, corrected);
    EXPECT_NE(split, corrected);
    stall.restart();
    key(Qt::Key_X);
    const QPoint handle(int(picture()->split() * picture()->width()), picture()->height() / 2);
    drag(picture(), handle, {120, 0});
    EXPECT_NEAR(picture()->split(), 0.5 + 120.0 / picture()->width(), 0.02);

    key(Qt::Key_5, Qt::AltModifier);
    ASSERT_TRUE(idle());
    QTest::qWait(50);
    stall.phase("flipped, split dragged, proof shown");
    photograph(window, "proof");
    EXPECT_TRUE(child<QLabel>(window, "proofWords")->text().contains("half of observers"));
    bool sure = false; // how sure it is was drawn beside the window
    for (const auto* label : window.setup_view()->page()->findChildren<QLabel*>())
        sure = sure || label->text().contains(QString::fromUtf8("\u00b1"));
    EXPECT_TRUE(sure);
    stall.restart();

    // Export a cube and read it back with an independent library.
    key(Qt::Key_6, Qt::AltModifier);
    child<QLineEdit>(window, "folderEdit")->setText(QString::fromStdString(scratch.folder().string()));
    child<QLineEdit>(window, "nameEdit")->setText("demo.cube");
    QTest::mouseClick(child<QPushButton>(window, "exportButton"), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return !desk().chains.at(id(1)).handovers.empty(); })) << notice().toStdString();
    EXPECT_EQ(desk().chains.at(id(1)).link(Step::handover), LinkState::whole);
    stall.phase("exported");
    namespace ocio = OCIO_NAMESPACE;
    const auto transform = ocio::FileTransform::Create();
    transform->setSrc((scratch / "demo.cube").c_str());
    const auto cpu = ocio::Config::CreateRaw()->getProcessor(transform)->getDefaultCPUProcessor();
    // The balance patch in, its reference grey out.
    const auto& c = *desk().chains.at(id(1)).correction;
    const auto& white = *c.reading.find(c.balance.white_patch);
    float rgb[3];
    for (std::size_t k = 0; k < 3; ++k)
        rgb[k] = static_cast<float>(colour::encode(colour::Transfer::srgb, white.mean[k]));
    cpu->applyRGB(rgb);
    const double grey = colour::encode(colour::Transfer::srgb, c.reference.xyz.at(c.balance.white_patch)[1]);
    for (const float v : rgb) EXPECT_NEAR(v, grey, 0.01);
    photograph(window, "handover");
    stall.restart();

    // A change after that makes the links behind it stale.
    Settings changed = desk().chains.at(id(1)).settings;
    changed.intent = fit::Intent::people;
    desk().setups.change(id(1), changed, "Intent");
    EXPECT_EQ(desk().chains.at(id(1)).link(Step::correction), LinkState::worn);
    EXPECT_EQ(desk().chains.at(id(1)).link(Step::handover), LinkState::worn);
    desk().job.undo();
    EXPECT_EQ(desk().chains.at(id(1)).link(Step::handover), LinkState::whole);

    // Back on the board: what a fit would mend, in one go.
    changed = desk().chains.at(id(3)).settings;
    changed.intent = fit::Intent::people;
    desk().setups.change(id(3), changed, "Intent");
    EXPECT_EQ(desk().chains.at(id(3)).state, State::stale);
    key(Qt::Key_1);
    QTest::mouseClick(child<QPushButton>(window, "fitAllButton"), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(3)).state == State::proved; }));
    ASSERT_TRUE(idle());
    EXPECT_EQ(desk().chains.at(id(4)).state, State::stale); // its light was re-lit: no fit mends that
    stall.phase("all fitted");
    photograph(window, "board");
    stall.restart();
    key(Qt::Key_F);
    EXPECT_EQ(window.board_place()->frames_view()->model()->rowCount(), 17);
    ASSERT_TRUE(idle());
    QTest::qWait(300);
    stall.phase("frames shown");
    photograph(window, "frames");
    for (const auto& [page, name] : {std::pair(Qt::Key_A, "arrivals"), {Qt::Key_E, "delivery"}}) {
        key(page);
        ASSERT_TRUE(idle());
        window.board_place()->delivery_view()->folder()->setText("handover"); // no path of this machine
        photograph(window, name);
    }
    key(Qt::Key_F);
    // The gate's verdicts, worst first.
    auto* rows = window.board_place()->frames_view()->model();
    rows->sort(FramesModel::gate, Qt::AscendingOrder);
    EXPECT_EQ(rows->index(0, FramesModel::gate).data().toString(), "reshoot: clipping");
    EXPECT_TRUE(rows->index(0, FramesModel::name).data(Qt::ToolTipRole).toString().contains("Close down"));
    EXPECT_EQ(rows->index(rows->rowCount() - 1, FramesModel::gate).data().toString(), "");
    rows->sort(FramesModel::taken, Qt::DescendingOrder);
    stall.restart();
    key(Qt::Key_L);
    EXPECT_GT(window.board_place()->log_view()->table()->rowCount(), 30);
    QTest::qWait(50); // back to the events, which the meter waits for
    stall.phase("log shown");
    photograph(window, "log");
    stall.restart();
    key(Qt::Key_2);
    EXPECT_EQ(window.plan_view()->matrix()->rowCount(), 6);
    QTest::qWait(50);
    stall.phase("plan shown");
    photograph(window, "plan");
    // The interview's two cameras, or the two that photograph, made alike.
    key(Qt::Key_1);
    key(Qt::Key_3);
    ASSERT_TRUE(window.match_place()->cameras_view()->lead() && window.match_place()->cameras_view()->other());
    key(Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(wait_for([&] {
        return desk().matches.kept(window.match_place()->cameras_view()->lead(),
                                   window.match_place()->cameras_view()->other()) &&
               desk().tasks.running() == 0 &&
               !desk().tasks.busy(Doing::looking, window.match_place()->cameras_view()->other());
    })) << notice().toStdString();
    photograph(window, "match");
    // The same two beside each other, before and after.
    std::vector<Compared> four;
    for (const auto as : {Compared::As::balanced, Compared::As::corrected})
        for (const Id setup :
             {window.match_place()->cameras_view()->lead(), window.match_place()->cameras_view()->other()})
            four.push_back({setup, desk().chains.at(setup).chart_frame.id, as, 0});
    key(Qt::Key_G);
    auto* compare = window.board_place()->compare_view();
    compare->choose(four);
    auto* figures = compare->findChild<QTableWidget*>("compareChosen");
    ASSERT_TRUE(wait_for([&] {
        return desk().tasks.running() == 0 && figures->item(3, 1) && figures->item(3, 1)->text().toDouble() > 0;
    }));
    photograph(window, "compare");
    stall.restart();
    key(Qt::Key_4);
    window.kit_view()->sections()->setCurrentRow(2);
    auto* lights = child<QTableWidget>(*window.kit_view(), "");
    lights->setCurrentCell(3, 0);
    QTest::qWait(50);
    stall.phase("kit shown");
    photograph(window, "kit");
    window.kit_view()->sections()->setCurrentRow(1);
    child<ChartEditor>(*window.kit_view(), "")->start_from("field77");
    QTest::qWait(50);
    photograph(window, "own-chart");
    test::measured("longest stall of the event loop: %.0f ms (aim: under 50)", stall.longest_of_all());
    EXPECT_EQ(notice(), "");

    // From the open board to a proved correction of the chart shot that it waits for, by keys; the shutter is the
    // camera's.
    fs::create_directories(scratch / "card");
    desk().watcher.watch({scratch / "card"});
    window.show_camera(true);
    key(Qt::Key_1);
    window.board()->table()->setCurrentIndex({});
    int keys = 0;
    const auto counted = [&](Qt::Key k, Qt::KeyboardModifiers m = {}) {
        ++keys;
        key(k, m);
    };
    for (int i = 0; i < 4; ++i) counted(Qt::Key_Right); // past a cell that nothing is planned for
    counted(Qt::Key_Return);
    ASSERT_EQ(window.setup_view()->setup(), id(2));
    SimulatedCamera& camera = *window.simulated_camera();
    camera.setups()->setCurrentIndex(camera.setups()->findData(qlonglong(id(2))));
    QTest::mouseClick(camera.shutter(), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(2)).state == State::read; }, 120000));
    ASSERT_TRUE(idle());
    while (desk().chains.at(id(2)).state != State::proved && keys < 20) {
        counted(Qt::Key_Return, Qt::ControlModifier);
        ASSERT_TRUE(idle());
    }
    EXPECT_EQ(desk().chains.at(id(2)).state, State::proved);
    test::measured("from the demo's board to a proved correction of a new chart shot: %d keys", keys);
    EXPECT_LE(keys, 8);
}

TEST_F(Window, own_files_open_and_strange_ones_are_told_in_words) {
    test::shoot({.width = 900, .height = 600}, scratch / "chart.dng");
    test::Shot plain{.width = 600, .height = 400};
    auto scene = simulate::parse_scene(test::scene_text(plain), "scene");
    scene.charts.clear();
    simulate::write(simulate::render(scene), scratch / "plain.dng");
    test::written(scratch / "text.dng", "this is a text");
    test::written(scratch / "what.xyz", "?");

    window.open({scratch / "text.dng"});
    ASSERT_TRUE(idle());
    EXPECT_TRUE(notice().contains("text.dng")) << notice().toStdString();
    window.open({scratch / "what.xyz"});
    EXPECT_TRUE(notice().contains("what.xyz"));
    EXPECT_EQ(desk().chains.count(), 0);

    // A drop of a chart frame makes a setup of its camera.
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(QString::fromStdString((scratch / "chart.dng").string()))});
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    EXPECT_TRUE(enter.isAccepted());
    QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &drop);
    ASSERT_TRUE(wait_for(
        [&] { return desk().chains.count() == 1 && desk().chains.at(id(0)).shot && desk().tasks.running() == 0; }));
    EXPECT_EQ(desk().job.shoot().cameras[0].name, "Stills A");
    EXPECT_EQ(window.setup_view()->setup(), id(0));
    // A frame without a chart becomes an ordinary frame of the open setup.
    window.open({scratch / "plain.dng"});
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).frames.size() == 1; }));

    desk().setups.fit(id(0));
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).correction != nullptr; }));
    desk().handovers.write_file(id(0), "correction", {}, scratch / "c.json");
    ASSERT_TRUE(wait_for([&] { return fs::exists(scratch / "c.json"); }));
    ASSERT_TRUE(idle());
    MainWindow other;
    other.show();
    other.open({scratch / "c.json"});
    ASSERT_EQ(other.desk().chains.count(), 1);
    EXPECT_EQ(other.desk().chains.at(other.desk().chains.ids()[0]).link(Step::correction), LinkState::whole);
    ASSERT_TRUE(wait_for([&] { return other.desk().tasks.running() == 0; }));
    EXPECT_TRUE(other.desk().pictures.of(other.desk().chains.ids()[0]).frame);
}

TEST_F(Window, a_frame_without_a_chart_can_be_given_corners_by_hand) {
    test::Shot shot{.width = 900, .height = 600};
    auto scene = simulate::parse_scene(test::scene_text(shot), "scene");
    scene.charts.clear();
    simulate::write(simulate::render(scene), scratch / "plain.dng");
    window.open({scratch / "plain.dng"});
    ASSERT_TRUE(wait_for(
        [&] { return desk().chains.count() == 1 && desk().pictures.of(id(0)).frame && desk().tasks.running() == 0; }));
    EXPECT_EQ(desk().chains.at(id(0)).link(Step::shot), LinkState::broken);
    EXPECT_FALSE(desk().chains.at(id(0)).problem.empty());
    photograph(window, "no-chart");
    QPushButton* by_hand = nullptr;
    for (auto* b : window.setup_view()->page()->findChildren<QPushButton*>())
        if (b->isVisible() && b->text().contains("by hand")) by_hand = b;
    ASSERT_TRUE(by_hand && by_hand->menu());
    by_hand->menu()->actions().front()->trigger();
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot != nullptr; }));
    EXPECT_EQ(desk().chains.at(id(0)).shot->reading.patches.size(), 24u);
}

TEST_F(Window, clicks_on_the_first_and_last_patch_place_the_chart) {
    const auto r = test::shoot({.width = 900, .height = 600, .rotation_deg = 20, .tilt_deg = 8}, scratch / "a.tif");
    window.open({scratch / "a.tif"});
    ASSERT_TRUE(wait_for(
        [&] { return desk().chains.count() == 1 && desk().chains.at(id(0)).shot && desk().tasks.running() == 0; }));
    window.setup_view()->choose(Step::shot);
    Settings s = desk().chains.at(id(0)).settings;
    s.chart = "scope-axes"; // the wrong chart: nothing is found
    desk().setups.change(id(0), s, "look for another");
    ASSERT_TRUE(wait_for([&] { return !desk().chains.at(id(0)).shot && desk().tasks.running() == 0; }));
    auto* choice = window.setup_view()->page()->findChild<QComboBox*>("chartChoice");
    ASSERT_TRUE(choice);
    EXPECT_EQ(choice->currentData().toString(), "scope-axes");
    s.chart = "grid24";
    s.corners.reset();
    auto* picture = window.setup_view()->page()->findChild<PictureView*>();
    picture->show_whole();
    const auto map = chart::pixels_from_mm(test::grid24(), r.charts[0].corners);
    const auto at = [&](const char* patch) {
        const chart::Patch& p = test::grid24().patches[static_cast<std::size_t>(test::grid24().index_of(patch))];
        return picture->to_widget(map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2})).toPoint();
    };
    choice->setCurrentIndex(choice->findData("grid24"));
    emit choice->activated(choice->currentIndex());
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(id(0)).shot && desk().tasks.running() == 0; }));
    picture->pick({"first", "last"});
    EXPECT_TRUE(picture->picking());
    QTest::mouseClick(picture, Qt::LeftButton, {}, at("A1"));
    QTest::mouseClick(picture, Qt::LeftButton, {}, at("D6"));
    EXPECT_FALSE(picture->picking());
    ASSERT_TRUE(wait_for([&] {
        return desk().chains.at(id(0)).settings.corners && desk().chains.at(id(0)).shot && desk().tasks.running() == 0;
    }));
    // Snapped: nearer than the clicks' own pixels would allow with a tilted chart.
    for (std::size_t i = 0; i < 4; ++i)
        EXPECT_LT(((*desk().chains.at(id(0)).settings.corners)[i] - r.charts[0].corners[i]).norm(), 2) << i;
}

TEST_F(Window, work_can_be_cancelled_and_leaves_nothing_half_written) {
    DemoRun demo(desk());
    demo.open(shipped("demo/museum.json"), scratch.folder());
    ASSERT_TRUE(wait_for([&] { return desk().job.is_open() && desk().tasks.running() > 0; }));
    desk().tasks.cancel_all();
    ASSERT_TRUE(idle());
    for (const auto& entry : fs::directory_iterator(scratch.folder())) {
        const std::string name = entry.path().filename();
        EXPECT_FALSE(name.starts_with(".")) << name; // a temporary file
        if (name.ends_with(".dng")) { EXPECT_NO_THROW(frame::read(entry.path())); }
    }
}

// WCAG 2.1, contrast ratio of relative luminances; text at least 4.5 : 1.
TEST_F(Window, text_has_contrast_in_every_theme) {
    const auto luminance = [](const QColor& c) { return colour::decode(colour::Transfer::srgb, c.redF()); };
    const auto ratio = [&](const QColor& a, const QColor& b) {
        const double x = luminance(a), y = luminance(b);
        return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
    };
    const QIcon made_before = icon("export"); // a theme may be chosen while the window is open
    for (const auto kind : {Theme::Kind::dark, Theme::Kind::mid, Theme::Kind::light}) {
        Theme::use(kind);
        const Theme& t = Theme::now();
        const QImage drawn = made_before.pixmap(40, 40).toImage();
        double seen = 0;
        for (int y = 0; y < drawn.height(); ++y)
            for (int x = 0; x < drawn.width(); ++x)
                if (drawn.pixelColor(x, y).alpha() > 250)
                    seen = std::max(seen, ratio(drawn.pixelColor(x, y), t.raised));
        EXPECT_GE(seen, 4.5) << int(kind);
        for (const QColor& ground : {t.window, t.panel, t.raised}) {
            EXPECT_GE(ratio(t.text, ground), 4.5) << int(kind);
            EXPECT_GE(ratio(t.dim, ground), 4.5) << int(kind);
        }
        EXPECT_GE(ratio(t.on_strong, t.strong), 4.5);
        EXPECT_GE(ratio(t.text, t.surround), 4.5) << int(kind);
        for (const QColor& c : {t.window, t.panel, t.raised, t.line, t.text, t.dim, t.strong, t.surround})
            EXPECT_TRUE(c.red() == c.green() && c.green() == c.blue());
    }
}

} // namespace
} // namespace refero::app

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    const refero::test::Scratch home;
    qputenv("XDG_CONFIG_HOME", (home / "config").c_str());
    qputenv("XDG_CACHE_HOME", (home / "cache").c_str());
    qputenv("XDG_DATA_HOME", (home / "data").c_str());
    testing::InitGoogleTest(&argc, argv);
    refero::app::Application application(argc, argv);
    QApplication::setOrganizationName("refero-test");
    QApplication::setApplicationName("refero-test");
    // For looks at the other surrounds: 0 light, 1 mid grey, 2 dark.
    if (qEnvironmentVariableIsSet("REFERO_THEME"))
        QSettings().setValue("theme", qEnvironmentVariableIntValue("REFERO_THEME"));
    refero::app::start_theme();
    return RUN_ALL_TESTS();
}
