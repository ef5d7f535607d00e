// The guide inside the program, and the typeface that it is read in.
#include <QFile>
#include <QRegularExpression>

#include "job_window.hpp"

namespace refero::app {
namespace {

struct Help : JobWindow {
    HelpView& help() { return *window.help_view(); }
    QString title() { return help().text()->toPlainText().section('\n', 0, 0); }
};

TEST_F(Help, f1_opens_the_page_of_where_one_stands_and_goes_back) {
    desk().job.create(job);
    window.show_board(BoardPlace::arrivals);
    QTest::keyClick(&window, Qt::Key_F1);
    EXPECT_TRUE(help().isVisible());
    EXPECT_EQ(title(), "Home with the card");
    photograph(window, "help");
    QTest::keyClick(&help(), Qt::Key_Escape);
    EXPECT_FALSE(help().isVisible());
    EXPECT_EQ(window.board_place()->view(), BoardPlace::arrivals);
    window.show_monitor();
    QTest::keyClick(&window, Qt::Key_F1);
    EXPECT_EQ(title(), "My display");
    QTest::keyClicks(help().search(), "glare thumb");
    EXPECT_EQ(title(), "When the verdict says no");
    help().search()->clear();
    int shown = 0;
    for (int i = 0; i < help().pages()->count(); ++i) shown += !help().pages()->item(i)->isHidden();
    EXPECT_GE(shown, 20);
}

TEST(Guide, pages_of_tasks_are_short_and_their_links_lead_somewhere) {
    const fs::path guide = fs::path(REFERO_SOURCE_DIR) / "docs/guide";
    int pages = 0;
    for (const auto& entry : fs::recursive_directory_iterator(guide)) {
        if (entry.path().extension() != ".md") continue;
        const QString text = QString::fromStdString(read_file(entry.path()));
        const bool in_depth = entry.path().parent_path().filename() == "depth";
        const auto words = text.split(QRegularExpression("\\s+"), Qt::SkipEmptyParts).size();
        if (!in_depth) {
            ++pages;
            EXPECT_LE(words, 600) << entry.path();
            EXPECT_TRUE(QFile::exists(":/guide/guide/" + QString::fromStdString(entry.path().filename().string())));
        }
        static const QRegularExpression link("\\]\\(([^)#]+)\\)");
        auto links = link.globalMatch(text);
        while (links.hasNext()) {
            const QString to = links.next().captured(1);
            EXPECT_TRUE(fs::exists(entry.path().parent_path() / to.toStdString()))
                << entry.path() << " " << to.toStdString();
        }
    }
    EXPECT_EQ(pages, 16); // fifteen and the list of them
}

// The typeface's figures are all equally wide: columns of numbers line up.
TEST(Typeface, figures_are_tabular) {
    EXPECT_EQ(QFontInfo(QApplication::font()).family(), "Lato");
    const QFontMetricsF metrics(QApplication::font());
    for (char d = '0'; d <= '9'; ++d)
        EXPECT_DOUBLE_EQ(metrics.horizontalAdvance(QLatin1Char(d)), metrics.horizontalAdvance(QLatin1Char('0')));
}

} // namespace
} // namespace refero::app
