// The window: one slim line of places at the top, the place below, a strip for work under way and one for notices.
#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QProgressBar>
#include <QStackedWidget>
#include <QTemporaryDir>
#include <QToolButton>

#include "board/board_view.hpp"
#include "theme.hpp"
#include "setup/setup_view.hpp"

namespace refero::app {

class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    MainWindow();
    ~MainWindow() override;

    Session& session() { return session_; }
    BoardView* board() { return board_; }
    SetupView* setup_view() { return setup_view_; }

    /// Opens a scratch copy of the demo job; its frames are made once and kept in the user's cache.
    void open_demo();
    void open(const std::vector<fs::path>& files);
    void show_board();
    void open_setup(int setup);

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    void closeEvent(QCloseEvent*) override;

private:
    QWidget* make_place_line();
    QWidget* make_start();
    QWidget* make_notice_strip();
    QWidget* make_task_strip();
    void make_menus();
    void show_task();
    void notice(const QString& text);
    void choose_files();
    void about();
    void shortcuts();
    int current_setup() const;
    void use_theme(Theme::Kind kind);

    Session session_;
    QStackedWidget* places_;
    BoardView* board_;
    SetupView* setup_view_;
    QWidget *start_ = nullptr, *notice_strip_ = nullptr, *task_strip_ = nullptr;
    QLabel *notice_text_ = nullptr, *task_text_ = nullptr, *here_ = nullptr;
    QProgressBar* task_bar_ = nullptr;
    QToolButton *board_button_ = nullptr, *menu_button_ = nullptr;
    QTimer task_delay_;
    std::unique_ptr<QTemporaryDir> scratch_;
};

} // namespace refero::app
