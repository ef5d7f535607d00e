#include "main_window.hpp"

#include <QApplication>
#include <QDropEvent>
#include <QFile>
#include <QFileDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QStandardPaths>
#include <QVBoxLayout>
#include <QWindow>

#include "application.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "model/pictures/screen_colour.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/link_glyph.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

namespace {
constexpr int task_shows_after_ms = 500;
constexpr int title_bar_height = 40; ///< at most, of common window managers
} // namespace

MainWindow::MainWindow() : MainWindow(Unstyled()) {
    // Styles are worked out and rare glyphs looked up before the window is seen, so that opening a setup does
    // not stall.
    for (QWidget* w : findChildren<QWidget*>()) w->ensurePolished();
    for (const QFont& f : {QApplication::font(), title_font(), figure_font(), small_font()})
        QFontMetrics(f).horizontalAdvance(QString::fromUtf8("\u2192\u0394\u2009\u00d7\u2013\u203a\u2026\u00b0"));
}

MainWindow::MainWindow(const Unstyled&)
    : places_(new QStackedWidget),
      board_(new BoardPlace(desk_)),
      setup_view_(new SetupView(desk_)),
      plan_(new PlanView(desk_)),
      match_(new MatchPlace(desk_)),
      kit_(new KitView(desk_)),
      monitor_(new MonitorView(desk_)),
      practice_(new PracticeView(desk_)),
      help_(new HelpView),
      camera_(new SimulatedCamera(desk_)),
      set_view_(new SetView(desk_, this)) {
    setWindowTitle("Refero");
    setWindowIcon(QIcon(":/icons/refero.svg"));
    setAcceptDrops(true);
    // With room for a title bar on a small screen.
    const QSize room = screen()->availableGeometry().size() - QSize(0, title_bar_height);
    resize(QSize(1280, 800).boundedTo(room));
    setMinimumSize(900, 600);
    start_ = make_start();
    for (QWidget* place :
         std::initializer_list<QWidget*>{start_, board_, setup_view_, plan_, match_, kit_, monitor_, practice_, help_})
        places_->addWidget(place);
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(make_place_line());
    column->addWidget(make_notice_strip());
    column->addWidget(make_question_strip());
    auto* wide = new QHBoxLayout;
    wide->setSpacing(0);
    wide->addWidget(places_, 1);
    wide->addWidget(camera_);
    camera_->hide();
    column->addLayout(wide, 1);
    column->addWidget(make_task_strip());
    setCentralWidget(middle);
    make_menus();

    connect(board_->board(), &BoardView::setup_opened, this, &MainWindow::open_setup);
    connect(help_, &HelpView::closed, this, [this] {
        places_->setCurrentWidget(before_help_ ? before_help_ : board_);
        tell_place();
    });
    connect(board_->board(), &BoardView::handover_wanted, this, &MainWindow::hand_over);
    connect(board_->frames_view(), &FramesView::setup_opened, this, &MainWindow::open_setup);
    connect(board_->arrivals_view(), &ArrivalsView::setup_opened, this, &MainWindow::open_setup);
    connect(&desk_.frames, &Frames::many_arrive, this, [this] { show_board(BoardPlace::arrivals); });
    connect(match_->modes_view(), &ModesView::setup_opened, this, &MainWindow::open_setup);
    connect(camera_, &SimulatedCamera::closed, this, [this] { show_camera(false); });
    connect(&desk_.frames, &Frames::lens_wanted, this, &MainWindow::ask_for_lens);
    connect(&desk_.job, &JobDocument::history_changed, this, &MainWindow::tell_history);
    connect(&desk_.kit, &KitDocument::changed, this, &MainWindow::tell_history);
    connect(&desk_.frames, &Frames::setup_opened, this, &MainWindow::open_setup);
    connect(&desk_.cards, &Cards::taught, this, [this](const find::Taught& chart) {
        taught_for_ = current_setup();
        show_kit();
        kit_->take_chart(chart);
    });
    connect(kit_, &KitView::chart_saved, this, [this](const QString& chart) { // back to the shot it was taught from
        const Id setup = std::exchange(taught_for_, 0);
        if (!desk_.chains.has(setup)) return;
        open_setup(setup);
        Settings s = desk_.chains.at(setup).settings;
        s.chart = chart.toStdString();
        s.corners.reset();
        desk_.setups.change(setup, s, tr("Look for %1").arg(chart));
    });
    connect(&desk_.notices, &Notices::told, this, &MainWindow::notice);
    connect(&desk_.chains, &Chains::structure_changed, this, [this] {
        remember_job();
        if (places_->currentWidget() == start_ && desk_.chains.count()) show_board(board_->view());
        // The open setup was undone or taken out of the plan.
        else if (places_->currentWidget() == setup_view_ && !desk_.chains.has(setup_view_->setup())) show_board();
        tell_place();
    });
    if (auto* application = qobject_cast<Application*>(qApp))
        connect(application, &Application::failed, this, &MainWindow::notice);
    desk_.handovers.ask = [this](const std::vector<fs::path>& files) { return ask_to_replace(files); };
    desk_.frames.ask = [this](const QString& question) {
        return QMessageBox::question(this, tr("Refero"), question) == QMessageBox::Yes;
    };
    connect(&desk_.kit, &KitDocument::changed, this, &MainWindow::follow_screen);
    task_delay_.setSingleShot(true);
    task_delay_.setInterval(task_shows_after_ms);
    connect(&task_delay_, &QTimer::timeout, this, [this] {
        if (desk_.tasks.running()) task_strip_->show();
        show_task();
    });
    connect(&desk_.tasks, &Tasks::changed, this, &MainWindow::show_task);
}

// The views hold on to the desk, so they go first.
MainWindow::~MainWindow() {
    desk_.tasks.drain();
    hide();
    delete set_view_;
    delete centralWidget();
}

QWidget* MainWindow::make_place_line() {
    auto* line = new QWidget;
    line->setObjectName("placeLine");
    line->setAttribute(Qt::WA_StyledBackground);
    line->setFixedHeight(42);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(14, 0, 8, 0);
    row->setSpacing(4);
    auto* mark = new QLabel("Refero");
    QFont font = title_font();
    font.setFamily("Lato Black");
    font.setPointSizeF(font.pointSizeF() * 1.15);
    mark->setFont(font);
    row->addWidget(mark);
    row->addSpacing(12);
    const auto place = [&](const QString& text, const QString& tooltip, auto&& action) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setProperty("flat", true);
        b->setCheckable(true);
        b->setAutoExclusive(false);
        b->setToolTip(tooltip);
        connect(b, &QToolButton::clicked, this, action);
        row->addWidget(b);
        return b;
    };
    board_button_ = place(tr("Board"), tr("All setups of the job (1)"), [this] { show_board(); });
    plan_button_ =
        place(tr("Plan"), tr("Cameras, lights, and the shot list that follows (2)"), [this] { show_plan(); });
    match_button_ =
        place(tr("Match"), tr("Cameras under one light made alike, with the figures (3)"), [this] { show_match(); });
    kit_button_ =
        place(tr("Kit"), tr("What all jobs share: charts, lights, monitors, fallbacks (4)"), [this] { show_kit(); });
    monitor_button_ = place(tr("Monitor"), tr("What the displays can be trusted for (5)"), [this] { show_monitor(); });
    practice_button_ = place(tr("Practice"), tr("Charts learnt by spoiling them where it costs nothing (6)"),
                             [this] { show_practice(); });
    here_ = new QLabel;
    here_->setProperty("dim", true);
    row->addSpacing(6);
    row->addWidget(here_);
    row->addStretch();
    job_name_ = new QLabel;
    job_name_->setProperty("dim", true);
    row->addWidget(job_name_);
    row->addSpacing(10);
    screen_name_ = new QLabel;
    screen_name_->setProperty("dim", true);
    screen_name_->setObjectName("screenName");
    row->addWidget(screen_name_);
    row->addSpacing(8);
    menu_button_ = new QToolButton;
    menu_button_->setProperty("flat", true);
    menu_button_->setText(tr("&Menu"));
    menu_button_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    menu_button_->setIcon(icon("menu"));
    menu_button_->setPopupMode(QToolButton::InstantPopup);
    menu_button_->setShortcut(QKeySequence(Qt::Key_F10));
    menu_button_->setToolTip(tr("Everything that can be done here (F10)"));
    row->addWidget(menu_button_);
    return line;
}

void MainWindow::use_theme(Theme::Kind kind) {
    Theme::use(kind);
    board()->refresh();
    if (setup_view_->setup()) setup_view_->refresh();
}

void MainWindow::show_task() {
    const Tasks& tasks = desk_.tasks;
    if (!tasks.running()) {
        task_delay_.stop();
        task_strip_->hide();
        return;
    }
    if (!task_strip_->isVisible() && !task_delay_.isActive()) task_delay_.start();
    const int others = tasks.running() - 1;
    task_text_->setText(tasks.title() + (others > 0 ? tr(" and %1 more").arg(others) : QString()));
    task_bar_->setValue(static_cast<int>(1000 * tasks.progress()));
}

void MainWindow::notice(const QString& text) {
    QString sentence = text; // unless it begins with the name of a file
    if (const QString first = text.section(' ', 0, 0); !first.contains('.') && !first.contains('/') && !text.isEmpty())
        sentence[0] = sentence[0].toUpper();
    notice_text_->setText(sentence);
    notice_strip_->show();
}

void MainWindow::tell_place() {
    QWidget* now = places_->currentWidget();
    board_button_->setChecked(now == board_);
    plan_button_->setChecked(now == plan_);
    match_button_->setChecked(now == match_);
    kit_button_->setChecked(now == kit_);
    monitor_button_->setChecked(now == monitor_);
    practice_button_->setChecked(now == practice_);
    const bool in_setup = now == setup_view_ && desk_.chains.has(setup_view_->setup());
    here_->setText(in_setup ? tr("\u203a  %1").arg(desk_.chains.title_of(setup_view_->setup())) : QString());
    const QString job = QString::fromStdString(desk_.job.shoot().brief().title);
    job_name_->setText(desk_.job.is_open() ? QString::fromStdString(desk_.job.file().filename().string()) : QString());
    job_name_->setToolTip(QString::fromStdString(desk_.job.file().string()) +
                          tr("\nEvery action is kept as it is done; there is nothing to save."));
    tell_history();
    setWindowTitle(desk_.job.is_open()
                       ? tr("%1 \u2013 Refero").arg(in_setup ? desk_.chains.title_of(setup_view_->setup()) : job)
                       : "Refero");
}

void MainWindow::show_board(BoardPlace::View view) {
    if (!desk_.job.is_open()) return board_->show_view(view), places_->setCurrentWidget(start_), tell_place();
    setup_view_->close();
    places_->setCurrentWidget(board_);
    board_->show_view(view);
    tell_place();
    if (view == BoardPlace::setups) board()->table()->setFocus();
    else if (view == BoardPlace::frames) board_->frames_view()->table()->setFocus();
    else if (view == BoardPlace::log) board_->log_view()->table()->setFocus();
    else board_->setFocus();
}

void MainWindow::hand_over() {
    const Id setup = current_setup();
    board_->delivery_view()->choose(setup ? std::vector{setup} : std::vector<Id>());
    show_board(BoardPlace::delivery);
}

void MainWindow::show_plan() {
    if (!desk_.job.is_open()) desk_.job.start_untitled();
    desk_.kit.refresh();
    setup_view_->close();
    places_->setCurrentWidget(plan_);
    plan_->refresh();
    tell_place();
    if (desk_.job.shoot().cameras.empty()) plan_->camera_box()->setFocus();
    else plan_->matrix()->setFocus();
}

void MainWindow::show_match() {
    const Id setup = current_setup();
    setup_view_->close();
    places_->setCurrentWidget(match_);
    match_->show_setup(setup);
    tell_place();
    if (match_->view() == MatchPlace::cameras) match_->cameras_view()->others()->setFocus();
}

void MainWindow::show_kit() {
    desk_.kit.refresh();
    setup_view_->close();
    places_->setCurrentWidget(kit_);
    tell_place();
    kit_->sections()->setFocus();
}

// The screen that the larger part of the window stands on, and its profile.
void MainWindow::follow_screen() {
    if (!isVisible()) return;
    if (windowHandle() && windowHandle() != followed_) {
        followed_ = windowHandle();
        connect(followed_, &QWindow::screenChanged, this, &MainWindow::follow_screen);
    }
    const auto [icc, name] = profile_of(screen(), desk_.kit.kit());
    desk_.notices.guarded([&, &icc = icc, &name = name] { ScreenColour::now().use(icc, name); });
    QString words = ScreenColour::now().is_plain() ? tr("screen: sRGB") : tr("screen: %1").arg(name);
    const QString due = due_of(screen(), desk_.kit.kit());
    if (!due.isEmpty()) words += ", " + due;
    screen_name_->setText(words);
    screen_name_->setToolTip(tr("Pictures are shown through: %1. Monitor (5) checks a display and makes its profile.")
                                 .arg(ScreenColour::now().name()));
}

void MainWindow::showEvent(QShowEvent* event) {
    QMainWindow::showEvent(event);
    QTimer::singleShot(0, this, &MainWindow::follow_screen);
}

void MainWindow::show_monitor() {
    desk_.kit.refresh();
    setup_view_->close();
    places_->setCurrentWidget(monitor_);
    monitor_->refresh();
    tell_place();
    monitor_->monitors()->setFocus();
}

void MainWindow::show_practice() {
    desk_.kit.refresh();
    setup_view_->close();
    places_->setCurrentWidget(practice_);
    practice_->refresh();
    tell_place();
    practice_->kinds()->setFocus();
}

void MainWindow::open_setup(Id setup) {
    if (!desk_.chains.has(setup)) return;
    places_->setCurrentWidget(setup_view_);
    setup_view_->open(setup);
    tell_place();
    setup_view_->chain()->link(setup_view_->chosen())->setFocus();
}

void MainWindow::show_camera(bool on) {
    if (on && !desk_.job.is_open()) return notice(tr("Open a job first: the simulated camera shoots its setups."));
    camera_->setVisible(on);
}

void MainWindow::tell_history() {
    const bool kit = in_kit();
    const QString undo = kit ? desk_.kit.undo_title() : desk_.job.undo_title(),
                  redo = kit ? desk_.kit.redo_title() : desk_.job.redo_title();
    undo_->setText(undo.isEmpty() ? tr("Undo") : tr("Undo: %1").arg(undo));
    redo_->setText(redo.isEmpty() ? tr("Redo") : tr("Redo: %1").arg(redo));
    undo_->setEnabled(!undo.isEmpty());
    redo_->setEnabled(!redo.isEmpty());
}

void MainWindow::ask_for_lens(Id camera) {
    asked_camera_ = camera;
    question_text_->setText(tr("The files of %1 name no lens. Which one is on it?")
                                .arg(QString::fromStdString(shoot::name_in(desk_.job.shoot().cameras, camera))));
    answers_->clear();
    for (const shoot::LensRecord& l : desk_.job.shoot().lenses)
        answers_->addItem(QString::fromStdString(l.name), qlonglong(l.id));
    question_strip_->show();
}

void MainWindow::remember_job() {
    if (!desk_.job.is_open() || (scratch_ && desk_.job.file().string().starts_with(scratch_->path().toStdString())))
        return;
    QStringList jobs = QSettings().value("jobs").toStringList();
    const QString file = QString::fromStdString(desk_.job.file().string());
    if (!jobs.isEmpty() && jobs.front() == file) return;
    jobs.removeAll(file);
    jobs.prepend(file);
    QSettings().setValue("jobs", QStringList(jobs.mid(0, 5)));
}

void MainWindow::new_job() {
    const QString file = QFileDialog::getSaveFileName(this, tr("New job"), last_folder() + tr("/New job.refero"),
                                                      tr("Refero job (*.refero)"));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    desk_.job.create(file.endsWith(".refero") ? file.toStdString() : file.toStdString() + ".refero");
    show_plan();
    if (const QString due = due_of(screen(), desk_.kit.kit()); !due.isEmpty())
        notice(tr("This screen: %1. Check it (5) before colour is judged on it.").arg(due));
}

void MainWindow::save_as() {
    if (!desk_.job.is_open()) return;
    const QString file = QFileDialog::getSaveFileName(
        this, tr("Save the job as"),
        last_folder() + "/" + QString::fromStdString(desk_.job.shoot().brief().title) + ".refero",
        tr("Refero job (*.refero)"));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    desk_.job.save_as(file.endsWith(".refero") ? file.toStdString() : file.toStdString() + ".refero");
    show_board();
}

void MainWindow::find_moved() {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Where are the frames now?"), last_folder());
    if (!folder.isEmpty()) desk_.frames.find_moved(folder.toStdString());
}

bool MainWindow::in_kit() const {
    QWidget* now = places_->currentWidget();
    return now == kit_ || now == monitor_ || now == practice_;
}

bool MainWindow::compares() const {
    return places_->currentWidget() == board_ && board_->view() == BoardPlace::compare;
}

Id MainWindow::current_setup() const { return places_->currentWidget() == setup_view_ ? setup_view_->setup() : 0; }

void MainWindow::open_demo(const std::vector<fs::path>& then_open) {
    const QString cache = QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation);
    desk_.job.close();
    scratch_ = std::make_unique<QTemporaryDir>(QDir::tempPath() + "/refero-demo-XXXXXX");
    if (!scratch_->isValid())
        return notice(
            tr("%1: no scratch folder can be made here. Free some space or set TMPDIR.").arg(scratch_->errorString()));
    connect(
        &demo_, &DemoRun::opened, this,
        [this, then_open] {
            show_board();
            if (!then_open.empty()) open(then_open);
        },
        Qt::SingleShotConnection);
    demo_.open(shipped("demo/museum.json"), scratch_->path().toStdString(),
               cache.isEmpty() ? fs::path() : fs::path((cache + "/refero/demo").toStdString()));
    show_board();
}

bool MainWindow::ask_to_replace(const std::vector<fs::path>& files) {
    constexpr std::size_t most_named = 8;
    QStringList names;
    for (std::size_t i = 0; i < std::min(files.size(), most_named); ++i) names << name_of_file(files[i]);
    if (files.size() > most_named) names << tr("and %1 more").arg(files.size() - most_named);
    QMessageBox box(
        QMessageBox::Question, tr("Replace files?"),
        tr("These files exist already in %1:\n%2").arg(qt(files.front().parent_path().string()), names.join("\n")),
        QMessageBox::NoButton, this);
    auto* replace = box.addButton(tr("Replace them"), QMessageBox::AcceptRole);
    box.setDefaultButton(box.addButton(tr("Leave them"), QMessageBox::RejectRole));
    box.setObjectName("replaceQuestion");
    box.exec();
    return box.clickedButton() == replace;
}

void MainWindow::open(const std::vector<fs::path>& files) { desk_.frames.open(files, current_setup()); }

void MainWindow::choose_files() {
    const QStringList names =
        QFileDialog::getOpenFileNames(this, tr("Open"), last_folder(),
                                      tr("Jobs, frames, clips, corrections, charts, reference values (*.refero *.mov "
                                         "*.mp4 *.mkv *.mxf *.dng *.cr2 *.cr3 *.nef *.arw *.raf *.rw2 *.orf *.tif "
                                         "*.tiff *.png *.jpg *.jpeg *.exr *.json *.cgats *.txt);;All files (*)"));
    std::vector<fs::path> files;
    for (const QString& n : names) files.emplace_back(n.toStdString());
    open(files);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    std::vector<fs::path> files;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    event->acceptProposedAction();
    open(files);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (desk_.job.is_open() && !scratch_ && desk_.chains.count() && board_->size().isValid())
        keep_board(QString::fromStdString(desk_.job.file().string()), board()->table()->grab().toImage());
    desk_.tasks.drain();
    QMainWindow::closeEvent(event);
}

} // namespace refero::app
