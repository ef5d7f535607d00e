// A job of 5,000 frames and 60 setups: from file to a board on screen, beside plain SQLite reading the same rows.
// refero-board-bench [FRAMES]; needs no display.
#include <sqlite3.h>
#include <sys/resource.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QScrollBar>
#include <QTest>
#include <cstdio>
#include <fstream>

#include "main_window.hpp"
#include "shoot/time.hpp"
#include "simulate/simulate.hpp"
#include "ui/theme.hpp"

using namespace refero;
namespace fs = std::filesystem;

namespace {

/// One real reading and correction stand in all setups.
void fill(const fs::path& file, int frames) {
    const fs::path folder = file.parent_path();
    simulate::write(simulate::render(simulate::load_scene(shipped("demo/chart.json"), R"({"size":[900,600]})")),
                    folder / "chart.dng");
    auto shot = operations::take_shot(folder / "chart.dng", {.chart = "grid24"});
    shot.sha256 = sha256_of(folder / "chart.dng");
    const std::string reading = store::to_json(shot),
                      correction = fit::to_json(operations::correct({shot}, chart::reference_of(shot.definition), {}));
    store::JobFile job(file, store::JobFile::Open::create);
    job.change("bench", [&](store::Edit& e) {
        const auto mode = e.add(shoot::ModeRecord{.name = "raw"});
        std::vector<shoot::Id> cameras, lights, setups;
        for (int c = 0; c < 6; ++c)
            cameras.push_back(e.add(shoot::CameraRecord{.name = "Camera " + std::to_string(c + 1), .position = c}));
        for (int l = 0; l < 10; ++l)
            lights.push_back(e.add(shoot::LightRecord{.name = "Light " + std::to_string(l + 1), .position = l}));
        for (const auto c : cameras)
            for (const auto l : lights)
                setups.push_back(e.add(shoot::SetupRecord{.camera = c, .mode = mode, .light = l}));
        for (int i = 0; i < frames; ++i) {
            const bool chart = i < 60;
            const auto setup = setups[static_cast<std::size_t>(i) % setups.size()];
            const fs::path path = folder / formatted("F_{:05}.dng", i);
            std::ofstream(path) << "x";
            shoot::FrameRecord f{.path = path.string(),
                                 .size = 1,
                                 .sha256 = chart ? shot.sha256 : formatted("{:064}", i),
                                 .kind = chart ? shoot::FrameKind::chart : shoot::FrameKind::ordinary,
                                 .camera = cameras[static_cast<std::size_t>(i / 10) % 6],
                                 .mode = mode,
                                 .setup = setup,
                                 .reason = "the last chart shot before it, at 09:00",
                                 .model = "Camera",
                                 .lens_name = "Lens 50 mm",
                                 .taken = shoot::time_of(1.78e9 + 7 * i),
                                 .exposure_s = 0.01,
                                 .f_number = 8,
                                 .iso = 100,
                                 .focal_mm = 50};
            const auto frame = e.add(f);
            if (!chart) continue;
            const auto s = e.add(shoot::ChartShotRecord{.setup = setup, .frame = frame});
            e.add(shoot::ReadingRecord{.chart_shot = s, .made_from = "|", .content = reading});
            const auto c = e.add(shoot::CorrectionRecord{.setup = setup,
                                                         .chart_shot = s,
                                                         .settings = "||colorimetric|||",
                                                         .iso = 100,
                                                         .shot_taken = f.taken,
                                                         .content = correction});
            e.add(shoot::ProofRecord{.correction = c, .mean = 0.4});
        }
    });
}

/// The peer: every row of every table through SQLite's own interface.
double plain_sqlite_ms(const fs::path& file) {
    QElapsedTimer clock;
    clock.start();
    sqlite3* db = nullptr;
    sqlite3_open_v2(file.c_str(), &db, SQLITE_OPEN_READONLY, nullptr);
    std::size_t bytes = 0;
    for (const std::string& table : store::job_schema().tables) {
        sqlite3_stmt* s = nullptr;
        sqlite3_prepare_v2(db, ("SELECT * FROM " + table).c_str(), -1, &s, nullptr);
        while (sqlite3_step(s) == SQLITE_ROW)
            for (int i = 0; i < sqlite3_column_count(s); ++i)
                bytes += static_cast<std::size_t>(sqlite3_column_bytes(s, i));
        sqlite3_finalize(s);
    }
    sqlite3_close(db);
    return bytes ? static_cast<double>(clock.nsecsElapsed()) / 1e6 : 0;
}

long memory_mb() {
    rusage u{};
    getrusage(RUSAGE_SELF, &u);
    return u.ru_maxrss / 1024;
}

} // namespace

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QTemporaryDir home;
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"})
        qputenv(name, home.path().toUtf8() + "/" + name);
    QApplication application(argc, argv);
    const int frames = argc > 1 ? std::atoi(argv[1]) : 5000;
    app::start_theme();
    const fs::path file = fs::path(home.path().toStdString()) / "bench.refero";
    fill(file, frames);
    const double peer = plain_sqlite_ms(file);
    const long before = memory_mb();

    QElapsedTimer clock;
    clock.start();
    app::MainWindow window;
    window.resize(1280, 800);
    window.show();
    QTest::qWaitForWindowExposed(&window);
    const double empty = static_cast<double>(clock.nsecsElapsed()) / 1e6;
    clock.restart();
    window.open({file});
    window.show_board();
    window.grab();
    const double board = static_cast<double>(clock.nsecsElapsed()) / 1e6;
    std::printf("%d frames, %d setups: an empty window after %.0f ms; from there a painted board after %.0f ms (aim: "
                "under 1000)\n",
                frames, window.desk().chains.count(), empty, board);
    std::printf("plain SQLite reads the same rows in %.1f ms; the board takes %.1f times that\n", peer, board / peer);

    window.show_board(app::BoardPlace::frames);
    QCoreApplication::processEvents();
    auto* table = window.board_place()->frames_view()->table();
    double longest = 0, sum = 0;
    int steps = 0;
    for (int v = 0; v <= table->verticalScrollBar()->maximum();
         v += std::max(1, table->verticalScrollBar()->maximum() / 300), ++steps) {
        clock.restart();
        table->verticalScrollBar()->setValue(v);
        table->viewport()->repaint();
        QCoreApplication::processEvents();
        const double ms = static_cast<double>(clock.nsecsElapsed()) / 1e6;
        longest = std::max(longest, ms);
        sum += ms;
    }
    std::printf("scrolling through all frames: %.1f ms a step, longest %.1f ms (60 steps a second are 16.7 ms)\n",
                sum / steps, longest);
    clock.restart();
    store::JobFile(file.parent_path() / "other.refero", store::JobFile::Open::create)
        .change("one", [&](store::Edit& e) { e.add(shoot::NoteRecord{.text = "n"}); });
    std::printf("a new file and one change in it: %.1f ms\n", static_cast<double>(clock.nsecsElapsed()) / 1e6);
    clock.restart();
    window.desk().job.change(shoot::added("one more", shoot::NoteRecord{.text = "n"}));
    std::printf("one change, kept on disk and shown: %.1f ms\n", static_cast<double>(clock.nsecsElapsed()) / 1e6);
    std::printf("memory: %ld MB at most, %ld MB before the window\n", memory_mb(), before);
    window.desk().job.close();
}
