// Own charts in the kit: laid out, measured, saved and found again; and the drawing with a figure a patch.
#include "places/kit/chart_editor.hpp"

#include <QLineEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTableWidget>
#include <cmath>

#include "gui.hpp"

using namespace refero;
using namespace refero::app;

namespace {

/// A user's data folder of the test's own.
struct OwnData {
    OwnData() : before(qgetenv("XDG_DATA_HOME")) { qputenv("XDG_DATA_HOME", QByteArray(scratch.folder().c_str())); }
    ~OwnData() { before.isEmpty() ? qunsetenv("XDG_DATA_HOME") : qputenv("XDG_DATA_HOME", before); }
    test::Scratch scratch;
    QByteArray before;
};

QTableWidget* table_of(ChartEditor& e) { return e.findChild<QTableWidget*>(); }
void type(ChartEditor& e, int row, int column, const QString& text) { table_of(e)->item(row, column)->setText(text); }

} // namespace

TEST(ChartEditor, a_grid_is_measured_saved_and_found_as_a_chart) {
    const OwnData data;
    ChartEditor e;
    const auto boxes = e.findChildren<QSpinBox*>();
    ASSERT_GE(boxes.size(), 2);
    e.findChildren<QSpinBox*>()[0]->setValue(5);
    e.findChildren<QSpinBox*>()[1]->setValue(2);
    e.findChild<QPushButton*>("layOut")->click();
    ASSERT_EQ(e.definition().patches.size(), 10u);
    std::vector<fs::path> files;
    for (int k = 0; k < 3; ++k) {
        std::string text = "id,L,a,b\n";
        for (const chart::Patch& p : e.definition().patches)
            text += formatted("{},{:g},{:g},{:g}\n", p.id, (k == 2 && p.id == "B2" ? 70.0 : 40.0) + 0.1 * k,
                              p.id == "A1" ? 0.0 : 25.0, p.id == "A1" ? 0.0 : -20.0);
        files.push_back(test::written(data.scratch / ("series" + std::to_string(k) + ".csv"), text));
    }
    e.import(files);
    EXPECT_TRUE(e.told().contains("10 of 10 patches")) << e.told().toStdString();
    EXPECT_TRUE(e.told().contains("B2 in series2.csv")) << e.told().toStdString();
    EXPECT_EQ(e.definition().patches[0].role, "neutral"); // guessed
    EXPECT_EQ(table_of(e)->item(1, 7)->text(), "25.00");

    e.findChild<QPushButton*>("saveChart")->click();
    EXPECT_TRUE(e.told().contains("id")) << e.told().toStdString(); // none given yet
    for (QLineEdit* line : e.findChildren<QLineEdit*>())
        if (line->placeholderText().contains("linen")) line->setText("linen-5x2");
    e.findChild<QPushButton*>("saveChart")->click();
    EXPECT_TRUE(e.told().contains("Saved")) << e.told().toStdString();
    const chart::Definition saved = chart::find_definition("linen-5x2");
    EXPECT_EQ(saved.patches.size(), 10u);
    EXPECT_NEAR(colour::lab_from_xyz(chart::reference_of(saved).xyz.at("A2"))[1], 25, 0.05);
}

TEST(ChartEditor, cells_are_checked_and_changes_undone) {
    ChartEditor e;
    type(e, 0, 1, "3,5"); // a decimal comma
    EXPECT_EQ(e.definition().patches[0].x_mm, 3.5);
    e.undo();
    EXPECT_EQ(e.definition().patches[0].x_mm, 0);
    type(e, 0, 3, "0");
    EXPECT_TRUE(e.told().contains("have an area"));
    EXPECT_EQ(table_of(e)->item(0, 3)->text(), "20");
    type(e, 1, 0, "A1");
    EXPECT_TRUE(e.told().contains("name of its own"));
    type(e, 1, 5, "purple");
    EXPECT_TRUE(e.told().contains("Roles:"));
    type(e, 1, 6, "62.5");
    EXPECT_NEAR(colour::lab_from_xyz(e.reference().xyz.at("A2"))[0], 62.5, 1e-6);
    type(e, 1, 0, "linen");
    EXPECT_TRUE(e.reference().xyz.contains("linen")); // the value goes with its patch
    type(e, 2, 6, "nan");
    EXPECT_TRUE(e.told().contains("not a number"));
}

TEST(ChartEditor, overlaps_and_unreadable_measurements_are_told_and_change_nothing) {
    const OwnData data;
    ChartEditor e;
    for (QLineEdit* line : e.findChildren<QLineEdit*>())
        if (line->placeholderText().contains("linen")) line->setText("bad");
    type(e, 1, 1, "5"); // onto A1
    e.save();
    EXPECT_TRUE(e.told().contains("A1 and A2 overlap")) << e.told().toStdString();
    EXPECT_FALSE(fs::exists(user_data_dir() / "charts" / "bad.json"));
    e.import({test::written(data.scratch / "words.csv", "these are words\n")});
    EXPECT_TRUE(e.told().contains("words.csv")) << e.told().toStdString();
    e.import({test::written(data.scratch / "others.csv", "id,X,Y,Z\nQ9,1,2,3\n")});
    EXPECT_TRUE(e.told().contains("Q9")) << e.told().toStdString();
    EXPECT_TRUE(e.reference().xyz.empty());
}

TEST(PatchMap, figures_by_patch_and_a_click_that_chooses) {
    PatchMap map;
    const chart::Definition d = chart::grid(3, 2, 10, 10, 2, 2);
    map.resize(240, map.heightForWidth(240));
    map.set(d, {0.1, -0.001, NAN, 0.3, 0.4, 0.5}, 0.5, -0.5, 2, "stops");
    map.resize(240, map.heightForWidth(240));
    const double cell = 238.0 / 34;
    const auto middle = [&](int column, int row) {
        return QPointF(1 + cell * (12 * column + 5), 1 + cell * (12 * row + 5));
    };
    EXPECT_EQ(map.text_at(middle(0, 0)), "A1: 0.10 stops");
    EXPECT_EQ(map.text_at(middle(1, 0)), "A2: 0.00 stops");
    EXPECT_EQ(map.text_at(middle(2, 0)), "A3: not usable");
    EXPECT_EQ(map.text_at(QPointF(1 + cell * 11, 5)), ""); // a gap
    QSignalSpy chosen(&map, &PatchMap::patch_chosen);
    QTest::mouseClick(&map, Qt::LeftButton, {}, middle(1, 1).toPoint());
    ASSERT_EQ(chosen.size(), 1);
    EXPECT_EQ(chosen[0][0].toString(), "B2");
}
