// The window's menu: what can be done, in groups, each with its key.
#include <QFileInfo>
#include <QMenu>
#include <QSettings>

#include "main_window.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/link_glyph.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

QAction* MainWindow::add(QMenu* to, const QString& icon_name, const QString& text, const QKeySequence& key,
                         const std::function<void()>& action) {
    auto* a = new QAction(text, this);
    if (!icon_name.isEmpty()) a->setIcon(icon(icon_name));
    if (!key.isEmpty()) a->setShortcut(key);
    connect(a, &QAction::triggered, this, action);
    addAction(a);
    if (to) to->addAction(a);
    return a;
}

void MainWindow::make_menus() {
    auto* menu = new QMenu(this);
    menu->setToolTipsVisible(true);
    make_job_actions(menu->addMenu(icon("folder"), tr("&Job")));
    make_edit_actions(menu->addMenu(icon("undo"), tr("&Edit")));
    make_place_actions(menu->addMenu(icon("back"), tr("&Go")));
    make_picture_actions(menu->addMenu(icon("whole"), tr("&View")));
    QMenu* help = menu->addMenu(icon("help"), tr("&Help"));
    add(help, "help", tr("Help on this page"), QKeySequence::HelpContents, [this] { help_here(); });
    add(help, "", tr("Keys"), Qt::CTRL | Qt::Key_F1, [this] { shortcuts(); });
    add(help, "", tr("Open the demo job"), {}, [this] { open_demo(); });
    help->addSeparator();
    add(help, "", tr("About Refero"), {}, [this] { about(); });
    menu->addSeparator();
    add(menu, "", tr("Quit"), QKeySequence::Quit, [this] { close(); });
    menu_button_->setMenu(menu);
}

void MainWindow::make_job_actions(QMenu* menu) {
    add(menu, "", tr("New job \u2026"), QKeySequence::New, [this] { new_job(); });
    add(menu, "open", tr("Open \u2026"), QKeySequence::Open, [this] { choose_files(); });
    QMenu* recent = menu->addMenu(tr("Open recent"));
    connect(menu, &QMenu::aboutToShow, this, [this, recent] {
        recent->clear();
        for (const QString& file : QSettings().value("jobs").toStringList())
            if (QFileInfo::exists(file))
                recent
                    ->addAction(QFileInfo(file).completeBaseName(), this,
                                [this, file] { open({fs::path(file.toStdString())}); })
                    ->setToolTip(file);
        recent->setToolTipsVisible(true);
        recent->setEnabled(!recent->isEmpty());
    });
    add(menu, "export", tr("Save the job as \u2026"), QKeySequence::SaveAs, [this] { save_as(); });
    menu->addSeparator();
    add(menu, "folder", tr("Find moved frames \u2026"), {}, [this] { find_moved(); });
    add(menu, "", tr("Simulated camera"), Qt::Key_S, [this] { show_camera(!camera_->isVisible()); });
}

void MainWindow::make_edit_actions(QMenu* menu) {
    undo_ =
        add(menu, "undo", tr("Undo"), QKeySequence::Undo, [this] { in_kit() ? desk_.kit.undo() : desk_.job.undo(); });
    redo_ =
        add(menu, "redo", tr("Redo"), QKeySequence::Redo, [this] { in_kit() ? desk_.kit.redo() : desk_.job.redo(); });
    tell_history();
    menu->addSeparator();
    add(menu, "fit", tr("Do the next step"), Qt::CTRL | Qt::Key_Return, [this] {
        if (places_->currentWidget() == setup_view_) setup_view_->go_on();
        if (places_->currentWidget() == match_) {
            if (match_->view() == MatchPlace::exposures) match_->exposures_view()->compare();
            else match_->cameras_view()->go_on();
        }
        if (places_->currentWidget() == monitor_) monitor_->check();
        if (places_->currentWidget() == practice_) practice_->next();
    });
    add(menu, "all", tr("Fit all setups that are read"), Qt::CTRL | Qt::SHIFT | Qt::Key_Return,
        [this] { desk_.setups.fit_all(); });
}

void MainWindow::make_place_actions(QMenu* menu) {
    add(menu, "", tr("Board"), Qt::Key_1, [this] { show_board(); });
    add(menu, "", tr("Plan"), Qt::Key_2, [this] { show_plan(); });
    add(menu, "", tr("Match"), Qt::Key_3, [this] { show_match(); });
    add(menu, "", tr("Kit"), Qt::Key_4, [this] { show_kit(); });
    add(menu, "", tr("Monitor"), Qt::Key_5, [this] { show_monitor(); });
    add(menu, "", tr("Practice"), Qt::Key_6, [this] { show_practice(); });
    add(menu, "", tr("Arrivals"), Qt::Key_A, [this] { show_board(BoardPlace::arrivals); });
    add(menu, "", tr("Frames"), Qt::Key_F, [this] { show_board(BoardPlace::frames); });
    add(menu, "export", tr("Hand over"), Qt::Key_E, [this] { hand_over(); });
    add(menu, "table", tr("Log"), Qt::Key_L, [this] { show_board(BoardPlace::log); });
    add(menu, "", tr("Compare pictures"), Qt::Key_G, [this] {
        const Id setup = current_setup();
        show_board(BoardPlace::compare);
        board_->compare_view()->show_setup(setup);
    });
    add(menu, "", tr("Set view"), Qt::Key_V, [this] {
        if (!desk_.job.is_open()) return notice(tr("Open a job first: the set view shows its newest chart shot."));
        set_view_->begin(current_setup());
    });
    menu->addSeparator();
    add(menu, "back", tr("Back to the board"), Qt::Key_Backspace, [this] { show_board(); });
    for (int i = 0; i < step_count; ++i)
        add(nullptr, "", name_of(static_cast<Step>(i)), Qt::ALT | static_cast<Qt::Key>(Qt::Key_1 + i), [this, i] {
            if (places_->currentWidget() == setup_view_) setup_view_->choose(static_cast<Step>(i));
        });
    add(menu, "", tr("Filter the board"), QKeySequence::Find, [this] {
        show_board();
        board()->filter()->setFocus();
    });
}

void MainWindow::make_picture_actions(QMenu* menu) {
    const auto picture = [this]() -> PictureView* {
        return places_->currentWidget() == setup_view_ ? setup_view_->page()->picture()
               : places_->currentWidget() == match_    ? match_->cameras_view()->picture()
               : compares()                            ? board_->compare_view()->picture()
                                                       : nullptr;
    };
    add(menu, "whole", tr("Whole picture"), Qt::Key_W, [picture] {
        if (auto* p = picture()) p->show_whole();
    });
    add(menu, "find", tr("Zoom to the chart"), Qt::Key_Z, [picture] {
        if (auto* p = picture()) p->show_chart();
    });
    add(menu, "pixel", tr("Single pixels"), Qt::Key_P, [picture] {
        if (auto* p = picture()) p->show_pixels();
    });
    add(menu, "flip", tr("Flip before and after"), Qt::Key_X, [this, picture] {
        if (compares()) board_->compare_view()->flip();
        else if (auto* p = picture()) p->flip();
    });
    add(menu, "", tr("Mark clipping"), Qt::Key_K, [this, picture] {
        if (auto* p = picture()) {
            const bool on = !p->marks_clipping();
            for (PictureView* each : findChildren<PictureView*>()) each->mark_clipping(on);
        }
    });
    add(menu, "", tr("Read colours under the pointer"), Qt::Key_R, [this, picture] {
        if (auto* p = picture()) {
            const bool on = !p->tells_colours();
            for (PictureView* each : findChildren<PictureView*>()) each->tell_colours(on);
        }
    });
    menu->addSeparator();
    QMenu* themes = menu->addMenu(icon("theme"), tr("Surround"));
    add(themes, "", tr("Light"), {}, [this] { use_theme(Theme::Kind::light); });
    add(themes, "", tr("Mid grey"), {}, [this] { use_theme(Theme::Kind::mid); });
    add(themes, "", tr("Dark"), {}, [this] { use_theme(Theme::Kind::dark); });
}

} // namespace refero::app
