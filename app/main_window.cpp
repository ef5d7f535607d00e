#include "main_window.hpp"

#include <QApplication>
#include <QDropEvent>
#include <QFile>
#include <QFileDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "theme.hpp"
#include "widgets/link_glyph.hpp"
#include "widgets/picture_view.hpp"

namespace refero::app {

namespace {
constexpr int task_shows_after_ms = 500;
}

MainWindow::MainWindow() : places_(new QStackedWidget), board_(new BoardView(session_)), setup_view_(new SetupView(session_)) {
    setWindowTitle("Refero");
    setWindowIcon(QIcon(":/icons/refero.svg"));
    setAcceptDrops(true);
    resize(1280, 800);
    setMinimumSize(900, 600);
    start_ = make_start();
    places_->addWidget(start_);
    places_->addWidget(board_);
    places_->addWidget(setup_view_);
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(make_place_line());
    column->addWidget(make_notice_strip());
    column->addWidget(places_, 1);
    column->addWidget(make_task_strip());
    setCentralWidget(middle);
    make_menus();

    connect(board_, &BoardView::setup_opened, this, &MainWindow::open_setup);
    connect(&session_, &Session::setup_opened, this, &MainWindow::open_setup);
    connect(&session_, &Session::notice, this, &MainWindow::notice);
    connect(&session_, &Session::job_changed, this, [this] {
        if (places_->currentWidget() == start_ && session_.count()) show_board();
    });
    task_delay_.setSingleShot(true);
    task_delay_.setInterval(task_shows_after_ms);
    connect(&task_delay_, &QTimer::timeout, this, [this] {
        if (session_.tasks().running()) task_strip_->show();
        show_task();
    });
    connect(&session_.tasks(), &Tasks::changed, this, &MainWindow::show_task);
    // Styles are worked out and rare glyphs looked up before the window is seen, so that opening a setup does not stall.
    for (QWidget* w : setup_view_->findChildren<QWidget*>()) w->ensurePolished();
    for (const QFont& f : {QApplication::font(), title_font(), figure_font(), small_font()}) QFontMetrics(f).horizontalAdvance(QString::fromUtf8("\u2192\u0394\u2009\u00d7\u2013\u203a\u2026\u00b0"));
}

// The views hold on to the session, so they go first.
MainWindow::~MainWindow() {
    session_.tasks().drain();
    hide();
    delete takeCentralWidget();
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
    board_button_ = new QToolButton;
    board_button_->setText(tr("Board"));
    board_button_->setProperty("flat", true);
    board_button_->setCheckable(true);
    board_button_->setAutoExclusive(false);
    board_button_->setToolTip(tr("All setups of the job (1)"));
    connect(board_button_, &QToolButton::clicked, this, &MainWindow::show_board);
    row->addWidget(board_button_);
    here_ = new QLabel;
    here_->setProperty("dim", true);
    row->addSpacing(6);
    row->addWidget(here_);
    row->addStretch();
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

QWidget* MainWindow::make_start() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->addStretch(2);
    auto* head = new QLabel(tr("Drop a frame that shows a colour chart"));
    head->setFont(figure_font());
    head->setAlignment(Qt::AlignCenter);
    auto* words = new QLabel(tr("Raw, TIFF, PNG, JPEG or EXR. Refero finds the chart, reads it, and makes and proves a correction.\nCorrections and chart definitions (JSON) open too."));
    words->setAlignment(Qt::AlignCenter);
    words->setProperty("dim", true);
    auto* row = new QHBoxLayout;
    auto* open = new QPushButton(tr("Open a frame \u2026"));
    open->setProperty("primary", true);
    connect(open, &QPushButton::clicked, this, &MainWindow::choose_files);
    auto* demo = new QPushButton(tr("Look at the demo job"));
    demo->setToolTip(tr("A small museum photographs its pressed seaweeds: two cameras, two lights"));
    connect(demo, &QPushButton::clicked, this, &MainWindow::open_demo);
    row->addStretch();
    row->addWidget(open);
    row->addWidget(demo);
    row->addStretch();
    column->addWidget(new ChainPicture, 0, Qt::AlignHCenter);
    column->addSpacing(34);
    column->addWidget(head);
    column->addSpacing(6);
    column->addWidget(words);
    column->addSpacing(16);
    column->addLayout(row);
    column->addStretch(3);
    return page;
}

QWidget* MainWindow::make_notice_strip() {
    notice_strip_ = new QWidget;
    notice_strip_->setObjectName("noticeStrip");
    notice_strip_->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(notice_strip_);
    row->setContentsMargins(14, 6, 8, 6);
    notice_text_ = new QLabel;
    notice_text_->setWordWrap(true);
    notice_text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row->addWidget(notice_text_, 1);
    auto* close = new QPushButton(tr("Dismiss"));
    connect(close, &QPushButton::clicked, notice_strip_, &QWidget::hide);
    row->addWidget(close);
    notice_strip_->hide();
    return notice_strip_;
}

QWidget* MainWindow::make_task_strip() {
    task_strip_ = new QWidget;
    task_strip_->setObjectName("taskStrip");
    task_strip_->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(task_strip_);
    row->setContentsMargins(14, 5, 8, 5);
    task_text_ = new QLabel;
    task_text_->setMinimumWidth(320);
    row->addWidget(task_text_);
    task_bar_ = new QProgressBar;
    task_bar_->setTextVisible(false);
    task_bar_->setRange(0, 1000);
    row->addWidget(task_bar_, 1);
    auto* cancel = new QPushButton(icon("cancel"), tr("Cancel"));
    cancel->setToolTip(tr("Stops what is under way; nothing half written is left"));
    connect(cancel, &QPushButton::clicked, this, [this] { session_.tasks().cancel_all(); });
    row->addWidget(cancel);
    task_strip_->hide();
    return task_strip_;
}

void MainWindow::make_menus() {
    auto* menu = new QMenu(this);
    menu->setToolTipsVisible(true);
    const auto add = [&](QMenu* to, const QString& icon_name, const QString& text, const QKeySequence& key, auto&& action) {
        auto* a = new QAction(text, this);
        if (!icon_name.isEmpty()) a->setIcon(icon(icon_name));
        if (!key.isEmpty()) a->setShortcut(key);
        connect(a, &QAction::triggered, this, action);
        addAction(a);
        if (to) to->addAction(a);
        return a;
    };
    const auto picture = [this]() -> PictureView* { return places_->currentWidget() == setup_view_ ? setup_view_->page()->picture() : nullptr; };
    add(menu, "open", tr("Open \u2026"), QKeySequence::Open, [this] { choose_files(); });
    add(menu, "", tr("Open the demo job"), {}, [this] { open_demo(); });
    menu->addSeparator();
    for (QAction* a : {session_.undo().createUndoAction(this, tr("Undo")), session_.undo().createRedoAction(this, tr("Redo"))}) {
        const bool undo = menu->actions().size() < 4;
        a->setShortcut(undo ? QKeySequence::Undo : QKeySequence::Redo);
        a->setIcon(icon(undo ? "undo" : "redo"));
        menu->addAction(a);
        addAction(a);
    }
    menu->addSeparator();
    add(menu, "", tr("Go to the board"), Qt::Key_1, [this] { show_board(); });
    add(menu, "back", tr("Back to the board"), Qt::Key_Backspace, [this] { show_board(); });
    add(menu, "fit", tr("Do the next step"), Qt::CTRL | Qt::Key_Return, [this] {
        if (places_->currentWidget() == setup_view_) setup_view_->go_on();
    });
    add(menu, "all", tr("Fit all setups that are read"), Qt::CTRL | Qt::SHIFT | Qt::Key_Return, [this] { session_.fit_all(); });
    menu->addSeparator();
    add(menu, "whole", tr("Whole picture"), Qt::Key_W, [picture] { if (auto* p = picture()) p->show_whole(); });
    add(menu, "find", tr("Zoom to the chart"), Qt::Key_Z, [picture] { if (auto* p = picture()) p->show_chart(); });
    add(menu, "pixel", tr("Single pixels"), Qt::Key_P, [picture] { if (auto* p = picture()) p->show_pixels(); });
    add(menu, "flip", tr("Flip before and after"), Qt::Key_X, [picture] { if (auto* p = picture()) p->flip(); });
    menu->addSeparator();
    auto* themes = menu->addMenu(icon("theme"), tr("Surround"));
    add(themes, "", tr("Light"), {}, [this] { use_theme(Theme::Kind::light); });
    add(themes, "", tr("Mid grey"), {}, [this] { use_theme(Theme::Kind::mid); });
    add(themes, "", tr("Dark"), {}, [this] { use_theme(Theme::Kind::dark); });
    add(menu, "help", tr("Keys"), QKeySequence::HelpContents, [this] { shortcuts(); });
    add(menu, "", tr("About Refero"), {}, [this] { about(); });
    menu->addSeparator();
    add(menu, "", tr("Quit"), QKeySequence::Quit, [this] { close(); });
    for (int i = 0; i < step_count; ++i)
        add(nullptr, "", name_of(static_cast<Step>(i)), Qt::ALT | static_cast<Qt::Key>(Qt::Key_1 + i), [this, i] {
            if (places_->currentWidget() == setup_view_) setup_view_->choose(static_cast<Step>(i));
        });
    menu_button_->setMenu(menu);
}

void MainWindow::use_theme(Theme::Kind kind) {
    Theme::use(kind);
    menu_button_->setIcon(icon("menu"));
    board_->refresh();
    if (setup_view_->setup() >= 0) setup_view_->refresh();
}

void MainWindow::show_task() {
    const Tasks& tasks = session_.tasks();
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
    notice_text_->setText(text);
    notice_strip_->show();
}

void MainWindow::show_board() {
    if (!session_.count()) return places_->setCurrentWidget(start_);
    setup_view_->close();
    places_->setCurrentWidget(board_);
    board_button_->setChecked(true);
    here_->setText({});
    setWindowTitle(tr("%1 \u2013 Refero").arg(QString::fromStdString(session_.job().title)));
    board_->refresh();
    board_->table()->setFocus();
}

void MainWindow::open_setup(int setup) {
    board_button_->setChecked(false);
    here_->setText(tr("\u203a  %1").arg(session_.title_of(setup)));
    setWindowTitle(tr("%1 \u2013 Refero").arg(session_.title_of(setup)));
    places_->setCurrentWidget(setup_view_);
    setup_view_->open(setup);
    setup_view_->chain()->card(setup_view_->chosen())->setFocus();
}

int MainWindow::current_setup() const { return places_->currentWidget() == setup_view_ ? setup_view_->setup() : -1; }

void MainWindow::open_demo() {
    const QString cache = QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation);
    scratch_ = std::make_unique<QTemporaryDir>(QDir::tempPath() + "/refero-demo-XXXXXX");
    if (!scratch_->isValid()) return notice(tr("%1: no scratch folder can be made here. Free some space or set TMPDIR.").arg(scratch_->errorString()));
    show_board();
    try {
        session_.open_demo(shipped("demo/museum.json"), scratch_->path().toStdString(), cache.isEmpty() ? fs::path() : fs::path((cache + "/refero/demo").toStdString()));
    } catch (const Error& e) {
        return notice(QString::fromUtf8(e.what()));
    }
    show_board();
}

void MainWindow::open(const std::vector<fs::path>& files) { session_.open(files, current_setup()); }

void MainWindow::choose_files() {
    const QStringList names = QFileDialog::getOpenFileNames(this, tr("Open"), last_folder(), tr("Frames, corrections, charts, reference values (*.dng *.cr2 *.cr3 *.nef *.arw *.raf *.rw2 *.orf *.tif *.tiff *.png *.jpg *.jpeg *.exr *.json *.cgats *.txt);;All files (*)"));
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
    session_.tasks().drain();
    QMainWindow::closeEvent(event);
}

void MainWindow::shortcuts() {
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("Keys"), {}, QMessageBox::Close, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setModal(false);
    box->setTextFormat(Qt::RichText);
    const std::pair<const char*, QString> keys[] = {
        {"1, Backspace", tr("the board")}, {"Return", tr("open the chosen setup")}, {"Alt+1 \u2026 Alt+6", tr("a link of the chain")}, {"\u2191 \u2193", tr("from link to link")},
        {"Ctrl+Return", tr("do the next step")}, {"Ctrl+Shift+Return", tr("fit all setups that are read")}, {"W, Z, P", tr("whole picture, chart, single pixels")}, {"+ \u2212, wheel", tr("zoom")},
        {"X, Space", tr("flip before and after")}, {"C", tr("from corner to corner")}, {"arrows", tr("move the corner by half a pixel, with Shift by five; else move the picture")},
        {"Ctrl+Z, Ctrl+Shift+Z", tr("undo, redo")}, {"Ctrl+O", tr("open")}, {"F10", tr("the menu")}};
    QString rows;
    for (const auto& [key, what] : keys) rows += QString("<tr><td style='padding:3px 18px 3px 0'><b>%1</b></td><td>%2</td></tr>").arg(QString::fromUtf8(key), what);
    box->setText("<table>" + rows + "</table>");
    box->show();
}

void MainWindow::about() {
    QFile licence(":/fonts/LICENCE");
    const QString typeface = licence.open(QFile::ReadOnly) ? QString::fromUtf8(licence.readAll()) : QString();
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("About Refero"), tr("<b>Refero %1</b><br>Measures colour charts, makes corrections and proves them.<br>GPL-3.0-or-later. Typeface: Lato, SIL Open Font License 1.1.").arg(QString::fromUtf8(program_version().data())), QMessageBox::Close, this);
    box->setDetailedText(typeface);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setModal(false);
    box->show();
}

} // namespace refero::app
