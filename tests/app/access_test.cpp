// Every control has a name for those who do not see it, and Tab goes through a page in an order that follows the eye.
#include <QAccessible>
#include <QScrollBar>

#include "job_window.hpp"

namespace refero::app {
namespace {

struct Access : JobWindow {
    /// Controls of the window that can be seen and reached, without a name; with what stands about them.
    QStringList nameless() {
        QStringList all;
        for (QWidget* w : window.findChildren<QWidget*>()) {
            if (!w->isVisible() || w->focusPolicy() == Qt::NoFocus || qobject_cast<QScrollBar*>(w)) continue;
            // Parts of a control (a spin box's line, a table's head) go by its own name.
            if (qobject_cast<QAbstractSpinBox*>(w->parentWidget()) || qobject_cast<QComboBox*>(w->parentWidget()) ||
                w->inherits("QHeaderView") || w->inherits("QTabWidget") || w->inherits("QStackedWidget") ||
                w->inherits("QScrollArea") || w->inherits("QMenu") || w->inherits("QTableCornerButton"))
                continue;
            QAccessibleInterface* i = QAccessible::queryAccessibleInterface(w);
            if (!i || !i->text(QAccessible::Name).trimmed().isEmpty()) continue;
            // A label that is its buddy names it.
            bool named = false;
            for (const auto& [other, relation] : i->relations()) named = named || relation.testFlag(QAccessible::Label);
            if (!named)
                all << QString("%1 '%2' in %3")
                           .arg(w->metaObject()->className(), w->objectName(),
                                w->parentWidget() ? w->parentWidget()->metaObject()->className() : "");
        }
        return all;
    }
    /// Places of the controls in the order of Tab, from the first of the page.
    std::vector<QPoint> tab_places(QWidget* page) {
        std::vector<QPoint> places;
        QWidget* first = page->nextInFocusChain();
        for (QWidget* w = first; w; w = w->nextInFocusChain()) {
            if (page->isAncestorOf(w) && w->isVisible() && (w->focusPolicy() & Qt::TabFocus) && w->isEnabled())
                places.push_back(w->mapTo(page, QPoint(0, 0)));
            if (w->nextInFocusChain() == first) break;
        }
        return places;
    }
};

} // namespace

TEST_F(Access, controls_of_every_place_have_names) {
    plan_shoot({"Stills A"}, {"Window"});
    const Id setup = id(0);
    desk().frames.take_in({shoot(setup, "a.dng", "2026-05-04T10:00:00")}, setup);
    ASSERT_TRUE(idle());
    desk().setups.fit(setup);
    ASSERT_TRUE(wait_for([&] { return desk().chains.at(setup).correction && desk().tasks.running() == 0; }));
    const auto check = [&](const char* place) {
        QTest::qWait(1);
        const QStringList without = nameless();
        EXPECT_TRUE(without.isEmpty()) << place << ": " << without.join("; ").toStdString();
    };
    for (const Qt::Key key : {Qt::Key_1, Qt::Key_2, Qt::Key_3, Qt::Key_4, Qt::Key_5, Qt::Key_6, Qt::Key_F, Qt::Key_L}) {
        QTest::keyClick(&window, key);
        check(QKeySequence(key).toString().toUtf8().constData());
    }
    window.open_setup(setup);
    for (int step = 0; step < step_count; ++step) {
        window.setup_view()->choose(static_cast<Step>(step));
        check(names(Step{})[static_cast<std::size_t>(step)]);
    }
}

// From each control to the next the eye goes down, or to the right; up again at most for another column.
TEST_F(Access, tab_follows_the_eye) {
    plan_shoot({"Stills A"}, {"Window"});
    const Id setup = id(0);
    desk().frames.take_in({shoot(setup, "a.dng", "2026-05-04T10:00:00")}, setup);
    ASSERT_TRUE(idle());
    for (const Qt::Key key : {Qt::Key_3, Qt::Key_5, Qt::Key_6}) {
        QTest::keyClick(&window, key);
        QTest::qWait(1);
        QWidget* page = key == Qt::Key_3   ? static_cast<QWidget*>(window.match_place()->cameras_view())
                        : key == Qt::Key_5 ? static_cast<QWidget*>(window.monitor_view())
                                           : window.practice_view();
        const auto places = tab_places(page);
        ASSERT_GT(places.size(), 3u);
        int back = 0;
        for (std::size_t i = 1; i < places.size(); ++i)
            back += places[i].y() < places[i - 1].y() - 8 && places[i].x() < places[i - 1].x() - 8;
        EXPECT_LE(back, 2) << QKeySequence(key).toString().toStdString();
    }
}

} // namespace refero::app
