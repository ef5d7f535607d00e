// The board as a model, and what a setup says of itself, without a window.
#include <QMimeData>

#include "gui.hpp"
#include "places/board/board_model.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {
namespace {

using shoot::State;
using test::Scratch;

struct Board : testing::Test {
    Scratch scratch;
    Desk desk;
    Board() {
        desk.kit.use(scratch / "kit.refero-kit");
        desk.job.create(scratch / "a.refero");
        edit(desk.job, "plan", [](shoot::Change& e) {
            const Id raw = e.add(shoot::ModeRecord{.name = "raw"}),
                     lens = e.add(shoot::LensRecord{.name = "Lens 35 mm"}),
                     place = e.add(shoot::PlaceRecord{.name = "Store room"});
            const Id a = e.add(shoot::CameraRecord{.name = "Stills A", .position = 1}),
                     b = e.add(shoot::CameraRecord{.name = "Cine B", .position = 0});
            const Id window = e.add(shoot::LightRecord{.name = "Window", .kelvin = 6500, .position = 1}),
                     flash = e.add(shoot::LightRecord{
                         .name = "Flash", .kind = shoot::LightKind::flash, .place = place, .position = 0});
            e.add(shoot::SetupRecord{.camera = a, .lens = lens, .mode = raw, .light = window});
            e.add(shoot::SetupRecord{.camera = a, .lens = lens, .mode = raw, .light = flash, .balance_only = true});
            e.add(shoot::SetupRecord{.camera = b, .mode = raw, .light = window});
        });
    }
    Id id(int n) { return desk.chains.ids()[static_cast<std::size_t>(n)]; }
    /// A chart shot as a record only.
    Id chart_shot(Id setup, const std::string& name, const shoot::ChartShotRecord& how = {}) {
        Id shot = 0;
        const auto ids = edit(desk.job, "shot", [&](shoot::Change& e) {
            const Id frame = e.add(shoot::FrameRecord{.path = (scratch / name).string(),
                                                      .kind = shoot::FrameKind::chart,
                                                      .setup = setup,
                                                      .taken = "2026-05-04T09:00:00"});
            shoot::ChartShotRecord row = how;
            row.setup = setup;
            row.frame = frame;
            shot = e.add(row);
        });
        EXPECT_TRUE(wait_for([&] { return desk.tasks.running() == 0; })); // the file is not there
        return ids->at(shot);
    }
};

TEST_F(Board, rows_and_columns_follow_their_positions) {
    const BoardModel m(desk);
    ASSERT_EQ(m.rowCount(), 2);
    ASSERT_EQ(m.columnCount(), 2);
    EXPECT_EQ(m.headerData(0, Qt::Vertical, Qt::DisplayRole).toString(), "Cine B\nraw");
    EXPECT_EQ(m.headerData(1, Qt::Vertical, Qt::DisplayRole).toString(), "Stills A\nLens 35 mm\nraw");
    EXPECT_EQ(m.headerData(0, Qt::Horizontal, Qt::DisplayRole).toString(), "Flash\nStore room");
    EXPECT_EQ(m.headerData(1, Qt::Horizontal, Qt::DisplayRole).toString(), "Window");
    EXPECT_EQ(m.setup_at(m.index(0, 0)), 0);
    EXPECT_EQ(m.index_of(id(1)), m.index(1, 0));
    EXPECT_FALSE(m.index_of(999).isValid());
    EXPECT_TRUE(m.data(m.index(0, 0), Qt::AccessibleTextRole).toString().contains("not planned"));
}

TEST_F(Board, the_filter_wants_all_words_in_one_cell) {
    BoardModel m(desk);
    m.set_filter("stills FLASH");
    EXPECT_TRUE(m.matches(1, 0));
    EXPECT_FALSE(m.matches(1, 1));
    m.set_filter("balance only");
    EXPECT_TRUE(m.matches(1, 0) && !m.matches(0, 1));
    m.set_filter("store 35");
    EXPECT_TRUE(m.matches(1, 0));
    m.set_filter("not planned");
    EXPECT_TRUE(m.matches(0, 0) && !m.matches(1, 1));
    m.set_filter("  ");
    EXPECT_TRUE(m.matches(1, 1));
}

TEST_F(Board, only_cells_with_a_correction_can_be_dragged_and_only_setups_take_one) {
    BoardModel m(desk);
    EXPECT_FALSE(m.flags(m.index_of(id(0))) & Qt::ItemIsDragEnabled);
    QMimeData plain;
    plain.setText("no file");
    EXPECT_FALSE(m.canDropMimeData(&plain, Qt::CopyAction, -1, -1, m.index_of(id(0))));
    const std::unique_ptr<QMimeData> cell(m.mimeData({m.index_of(id(0))}));
    EXPECT_FALSE(m.canDropMimeData(cell.get(), Qt::CopyAction, -1, -1, m.index(0, 0))); // not planned
    EXPECT_TRUE(m.canDropMimeData(cell.get(), Qt::CopyAction, -1, -1, m.index_of(id(2))));
    QMimeData files;
    files.setUrls({QUrl::fromLocalFile("/x/a.dng"), QUrl("https://example.org/b.dng")});
    std::vector<fs::path> dropped;
    QObject::connect(&m, &BoardModel::files_dropped, [&](const std::vector<fs::path>& f, int, int) { dropped = f; });
    EXPECT_TRUE(m.dropMimeData(&files, Qt::CopyAction, -1, -1, m.index(0, 0))); // plans the cell
    EXPECT_EQ(dropped, std::vector<fs::path>{"/x/a.dng"});                      // local files only
}

TEST_F(Board, what_a_setup_says_and_what_is_next) {
    const auto& at = [&](int n) -> const Chain& { return desk.chains.at(id(n)); };
    EXPECT_EQ(at(0).state, State::to_shoot);
    EXPECT_EQ(next_of(at(0), Step::shot, desk.tasks), "Shoot the chart");
    EXPECT_EQ(verdict(at(0), desk.tasks), "\u2192 Shoot the chart");
    EXPECT_EQ(at(0).current(), Step::shot);
    EXPECT_EQ(at(1).steps().size(), 4u);
    chart_shot(id(0), "gone.dng", {.refused = "a shadow falls on it"});
    EXPECT_EQ(at(0).state, State::refused);
    EXPECT_EQ(at(0).link(Step::shot), LinkState::broken);
    EXPECT_EQ(verdict(at(0), desk.tasks), "a shadow falls on it");
    EXPECT_EQ(next_of(at(0), Step::shot, desk.tasks), "Shoot the chart again");
    EXPECT_FALSE(at(0).wants_fit());
    chart_shot(id(2), "lost.dng", {.problem = "No chart was found."});
    EXPECT_EQ(at(2).state, State::refused);
    EXPECT_EQ(verdict(at(2), desk.tasks), "No chart was found.");
    desk.job.undo();
    EXPECT_EQ(at(2).state, State::to_shoot);
}

TEST_F(Board, the_gate_refuses_and_the_user_has_the_last_word) {
    const Id shot = chart_shot(id(0), "a.dng");
    const auto judge = [&](inspect::Status status) {
        edit(desk.job, "judge", [&](shoot::Change& e) {
            for (const shoot::FindingRecord& f : desk.job.shoot().findings) e.remove<shoot::FindingRecord>(f.id);
            e.add(shoot::FindingRecord{
                .chart_shot = shot, .check = inspect::Check::glare, .status = status, .advice = "Shade the lens"});
        });
    };
    judge(inspect::Status::caution);
    EXPECT_NE(desk.chains.at(id(0)).state, State::refused);
    EXPECT_EQ(desk.chains.at(id(0)).gate(), inspect::Status::caution);
    judge(inspect::Status::reshoot);
    EXPECT_EQ(desk.chains.at(id(0)).state, State::refused);
    EXPECT_EQ(desk.chains.at(id(0)).refused, "Shade the lens");
    desk.setups.accept(id(0));
    EXPECT_NE(desk.chains.at(id(0)).state, State::refused);
    desk.setups.refuse(id(0), "on second thoughts");
    EXPECT_EQ(desk.chains.at(id(0)).refused, "on second thoughts");
}

TEST_F(Board, a_damaged_reading_or_correction_in_the_job_is_told_and_not_fatal) {
    QStringList notices;
    QObject::connect(&desk.notices, &Notices::told, [&](const QString& n) { notices << n; });
    const Id shot = chart_shot(id(0), "a.dng");
    edit(desk.job, "damage", [&](shoot::Change& e) {
        e.add(shoot::ReadingRecord{.chart_shot = shot, .made_from = "|", .content = "{\"refero_reading\":1}"});
        e.add(shoot::CorrectionRecord{.setup = id(0), .chart_shot = shot, .content = "not JSON"});
    });
    EXPECT_GE(notices.size(), 2);
    EXPECT_TRUE(notices.join(" ").contains("Read the chart shot again"));
    EXPECT_FALSE(desk.chains.at(id(0)).shot);
    EXPECT_FALSE(desk.chains.at(id(0)).correction);
}

TEST_F(Board, a_relit_light_makes_its_corrections_stale_at_once) {
    const Id shot = chart_shot(id(0), "a.dng");
    edit(desk.job, "fit", [&](shoot::Change& e) {
        const Id c = e.add(shoot::CorrectionRecord{.setup = id(0),
                                                   .chart_shot = shot,
                                                   .settings = shoot::fit_key(desk.chains.at(id(0)).settings),
                                                   .shot_taken = "2026-05-04T09:00:00",
                                                   .content = "x"});
        e.add(shoot::ProofRecord{.correction = c, .mean = 1});
    });
    EXPECT_EQ(desk.chains.at(id(0)).state, State::proved);
    edit(desk.job, "relit", [&](shoot::Change& e) {
        shoot::LightRecord l = desk.job.shoot().lights[0];
        l.changed = "2026-05-04T12:00:00";
        e.update(l);
    });
    EXPECT_EQ(desk.chains.at(id(0)).state, State::stale);
    ASSERT_EQ(desk.chains.at(id(0)).stale.size(), 1u);
    EXPECT_NE(desk.chains.at(id(0)).stale[0].why.find("re-lit"), std::string::npos);
    desk.job.undo();
    EXPECT_EQ(desk.chains.at(id(0)).state, State::proved);
}

} // namespace
} // namespace refero::app
