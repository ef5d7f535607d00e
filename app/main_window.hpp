// The window: one slim line of places at the top, the place below, a strip for work under way and one for notices.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QMainWindow>
#include <QProgressBar>
#include <QStackedWidget>
#include <QTemporaryDir>
#include <QToolButton>

#include "demo_run.hpp"
#include "places/board/board_place.hpp"
#include "places/frames/simulated_camera.hpp"
#include "places/help/help_view.hpp"
#include "places/kit/kit_view.hpp"
#include "places/match/match_place.hpp"
#include "places/monitor/monitor_view.hpp"
#include "places/plan/plan_view.hpp"
#include "places/practice/practice_view.hpp"
#include "places/set/set_view.hpp"
#include "places/setup/setup_view.hpp"
#include "ui/theme.hpp"

namespace refero::app {

class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    MainWindow();
    ~MainWindow() override;

    Desk& desk() { return desk_; }
    BoardPlace* board_place() { return board_; }
    BoardView* board() { return board_->board(); }
    SetupView* setup_view() { return setup_view_; }
    PlanView* plan_view() { return plan_; }
    KitView* kit_view() { return kit_; }
    MatchPlace* match_place() { return match_; }
    MonitorView* monitor_view() { return monitor_; }
    PracticeView* practice_view() { return practice_; }
    SimulatedCamera* simulated_camera() { return camera_; }
    SetView* set_view() { return set_view_; }
    HelpView* help_view() { return help_; }

    /// Opens a scratch copy of the demo job, then these files; its frames are made once and kept in the user's cache.
    void open_demo(const std::vector<fs::path>& then_open = {});
    void open(const std::vector<fs::path>& files);
    void show_board(BoardPlace::View view = BoardPlace::setups);
    /// The open setup, or all that have a correction.
    void hand_over();
    void show_plan();
    void show_match();
    void show_kit();
    void show_monitor();
    void show_practice();
    void open_setup(Id setup);
    void show_camera(bool on);

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    void closeEvent(QCloseEvent*) override;
    void showEvent(QShowEvent*) override;

private:
    explicit MainWindow(const Unstyled&);
    QWidget* make_place_line();
    QWidget* make_start();
    QWidget* make_notice_strip();
    QWidget* make_question_strip();
    QWidget* make_task_strip();
    void make_menus();
    /// An action with its key, in a menu where one is given.
    QAction* add(QMenu* to, const QString& icon_name, const QString& text, const QKeySequence& key,
                 const std::function<void()>& action);
    void make_job_actions(QMenu* menu);
    void make_edit_actions(QMenu* menu);
    void make_place_actions(QMenu* menu);
    void make_picture_actions(QMenu* menu);
    void tell_place();
    void follow_screen();
    void show_task();
    void tell_history();
    void notice(const QString& text);
    void ask_for_lens(Id camera);
    bool ask_to_replace(const std::vector<fs::path>& files);
    void choose_files();
    void new_job();
    void save_as();
    void find_moved();
    void about();
    /// The guide's page on where one stands.
    void help_here();
    void shortcuts();
    void remember_job();
    Id current_setup() const;
    bool compares() const; ///< pictures are set beside each other
    bool in_kit() const;   ///< what is changed here is the kit's
    void use_theme(Theme::Kind kind);

    Desk desk_;
    DemoRun demo_{desk_};
    QStackedWidget* places_;
    BoardPlace* board_;
    SetupView* setup_view_;
    Id taught_for_ = 0; ///< setup whose shot taught the chart that is being named
    PlanView* plan_;
    MatchPlace* match_;
    KitView* kit_;
    MonitorView* monitor_;
    PracticeView* practice_;
    HelpView* help_;
    QWidget* before_help_ = nullptr; ///< the place that help was asked from
    SimulatedCamera* camera_;
    SetView* set_view_;
    QWidget *start_ = nullptr, *notice_strip_ = nullptr, *question_strip_ = nullptr, *task_strip_ = nullptr;
    QLabel *notice_text_ = nullptr, *question_text_ = nullptr, *task_text_ = nullptr, *here_ = nullptr,
           *job_name_ = nullptr, *screen_name_ = nullptr;
    QWindow* followed_ = nullptr;
    QComboBox* answers_ = nullptr;
    Id asked_camera_ = 0;
    QProgressBar* task_bar_ = nullptr;
    QToolButton *board_button_ = nullptr, *plan_button_ = nullptr, *match_button_ = nullptr, *kit_button_ = nullptr,
                *monitor_button_ = nullptr, *practice_button_ = nullptr, *menu_button_ = nullptr;
    QAction *undo_ = nullptr, *redo_ = nullptr;
    QTimer task_delay_;
    std::unique_ptr<QTemporaryDir> scratch_;
};

} // namespace refero::app
