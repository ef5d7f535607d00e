// The window's start page, strips and boxes of words.
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QSettings>
#include <QVBoxLayout>

#include "main_window.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "places/setup/page.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/link_glyph.hpp"

namespace refero::app {

namespace {

/// One of the ways in: what one has, what becomes of it, and the press that begins.
class WayIn : public QFrame {
public:
    WayIn(const QString& title, const QString& words, QPushButton* button, const std::vector<Step>& steps) {
        setProperty("panel", true);
        setFixedWidth(300);
        auto* column = new QVBoxLayout(this);
        column->setContentsMargins(20, 18, 20, 18);
        column->setSpacing(8);
        auto* head = new QLabel(title);
        head->setFont(title_font());
        auto* text = new FlowLabel(words);
        text->setAlignment(Qt::AlignLeft | Qt::AlignTop);
        column->addWidget(head);
        column->addWidget(text, 1);
        QStringList links;
        for (const Step s : steps) links << name_of(s);
        auto* chain = new FlowLabel(links.join(QString::fromUtf8(" \u2013 ")));
        chain->setProperty("dim", true);
        column->addWidget(chain);
        column->addWidget(button);
    }
};

} // namespace

QWidget* MainWindow::make_start() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->addStretch(2);
    auto* head = new QLabel(tr("What do you have?"));
    head->setFont(figure_font());
    head->setAlignment(Qt::AlignCenter);
    column->addWidget(new ChainPicture, 0, Qt::AlignHCenter);
    column->addSpacing(22);
    column->addWidget(head);
    column->addSpacing(14);
    auto* row = new QHBoxLayout;
    row->setSpacing(14);
    row->addStretch();
    auto* fresh = new QPushButton(tr("&Plan a new shoot"));
    fresh->setProperty("primary", true);
    fresh->setObjectName("newJobButton");
    connect(fresh, &QPushButton::clicked, this, [this] {
        desk_.job.start_untitled();
        show_plan();
    });
    auto* open = new QPushButton(tr("&Open a chart frame \u2026"));
    open->setObjectName("openFrameButton");
    connect(open, &QPushButton::clicked, this, &MainWindow::choose_files);
    auto* card = new QPushButton(tr("Open a frame with a &card \u2026"));
    card->setObjectName("openCardButton");
    connect(card, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("A frame with a card"), last_folder());
        if (!file.isEmpty()) desk_.frames.take_card(file.toStdString());
    });
    row->addWidget(
        new WayIn(tr("A shoot ahead"),
                  tr("Name cameras, lenses and lights. Refero says which chart shots are needed, how large the "
                     "chart has to be, and checks each as it comes in."),
                  fresh, {Step::shot, Step::reading, Step::balance, Step::correction, Step::proof, Step::handover}));
    row->addWidget(new WayIn(
        tr("A frame of a chart"),
        tr("Drop it here. The chart is found, read and judged; a correction is fitted and its accuracy checked."), open,
        {Step::shot, Step::reading, Step::balance, Step::correction, Step::proof, Step::handover}));
    row->addWidget(
        new WayIn(tr("A frame with a card"),
                  tr("One click on a grey or white card, or the middle of a diffuser's frame, balances every frame "
                     "of that light."),
                  card, {Step::shot, Step::reading, Step::balance, Step::handover}));
    row->addStretch();
    column->addLayout(row);
    column->addSpacing(16);
    // Jobs that were open lately, with their boards in small.
    auto* lately = new QHBoxLayout;
    lately->addStretch();
    for (const QString& file : QSettings().value("jobs").toStringList()) {
        if (!QFileInfo::exists(file)) continue;
        auto* b = new QToolButton;
        b->setText(QFileInfo(file).completeBaseName());
        b->setToolTip(file);
        b->setProperty("flat", true);
        if (const QImage board = kept_board(file); !board.isNull()) {
            b->setIcon(QPixmap::fromImage(board));
            b->setIconSize({176, 99});
            b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        }
        connect(b, &QToolButton::clicked, this, [this, file] { desk_.frames.open({file.toStdString()}, 0); });
        lately->addWidget(b);
    }
    lately->addStretch();
    column->addLayout(lately);
    auto* demo = new QPushButton(tr("Look at the demo job"));
    demo->setObjectName("demoButton");
    demo->setToolTip(
        tr("A small museum photographs its pressed seaweeds and films an interview: four cameras, four lights"));
    connect(demo, &QPushButton::clicked, this, [this] { open_demo(); });
    column->addWidget(demo, 0, Qt::AlignHCenter);
    column->addStretch(3);
    return page;
}

QWidget* MainWindow::make_notice_strip() {
    notice_strip_ = new QWidget;
    notice_strip_->setObjectName("noticeStrip");
    notice_strip_->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(notice_strip_);
    row->setContentsMargins(14, 6, 8, 6);
    notice_text_ = new FlowLabel;
    notice_text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row->addWidget(notice_text_, 1);
    auto* close = new QPushButton(tr("Dismiss"));
    connect(close, &QPushButton::clicked, notice_strip_, &QWidget::hide);
    row->addWidget(close);
    notice_strip_->hide();
    return notice_strip_;
}

QWidget* MainWindow::make_question_strip() {
    question_strip_ = new QWidget;
    question_strip_->setObjectName("taskStrip");
    question_strip_->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(question_strip_);
    row->setContentsMargins(14, 6, 8, 6);
    question_text_ = new QLabel;
    row->addWidget(question_text_);
    answers_ = new QComboBox;
    answers_->setMinimumWidth(180);
    answers_->setAccessibleName(tr("Lens"));
    row->addWidget(answers_);
    auto* remember = new QPushButton(tr("Remember"));
    remember->setProperty("primary", true);
    remember->setObjectName("rememberLensButton");
    connect(remember, &QPushButton::clicked, this, [this] {
        question_strip_->hide();
        desk_.frames.set_silent_lens(asked_camera_, answers_->currentData().toLongLong());
    });
    row->addWidget(remember);
    row->addStretch();
    auto* later = new QPushButton(tr("Later"));
    connect(later, &QPushButton::clicked, question_strip_, &QWidget::hide);
    row->addWidget(later);
    question_strip_->hide();
    return question_strip_;
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
    connect(cancel, &QPushButton::clicked, this, [this] { desk_.tasks.cancel_all(); });
    row->addWidget(cancel);
    task_strip_->hide();
    return task_strip_;
}

void MainWindow::help_here() {
    QWidget* here = places_->currentWidget();
    if (here == help_) return emit help_->closed();
    before_help_ = here;
    QString page = "one-chart";
    if (here == plan_) page = "on-set";
    else if (here == match_) page = "two-cameras";
    else if (here == kit_) page = "in-hand";
    else if (here == monitor_ || here == practice_) page = here == monitor_ ? "display" : "refused";
    else if (here == setup_view_) {
        const Step step = setup_view_->chosen();
        page = step == Step::shot && desk_.chains.has(setup_view_->setup()) &&
                       !desk_.chains.at(setup_view_->setup()).refused.empty()
                   ? "refused"
               : step == Step::handover ? "hand-over"
                                        : "one-chart";
    } else if (here == board_) {
        const BoardPlace::View view = board_->view();
        page = view == BoardPlace::arrivals || view == BoardPlace::frames ? "home"
               : view == BoardPlace::delivery                             ? "hand-over"
               : view == BoardPlace::compare                              ? "two-cameras"
                                                                          : "one-chart";
    }
    help_->open(page);
    places_->setCurrentWidget(help_);
    help_->search()->setFocus();
    tell_place();
}

void MainWindow::shortcuts() {
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("Keys"), {}, QMessageBox::Close, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setModal(false);
    box->setTextFormat(Qt::RichText);
    const std::pair<const char*, QString> keys[] = {
        {"1, Backspace", tr("the board")},
        {"2 \u2026 6", tr("plan, match, kit, monitor, practice")},
        {"A, F, E, L, G", tr("arrivals, frames, hand over, log, pictures beside each other")},
        {"F1", tr("help on this page")},
        {"Ctrl+F", tr("filter the board")},
        {"V", tr("the set view: the verdict for two metres away; Escape leaves")},
        {"S", tr("the simulated camera")},
        {"Return", tr("open the chosen setup")},
        {"Alt+1 \u2026 Alt+6", tr("a link of the chain")},
        {"\u2190 \u2192", tr("from link to link")},
        {"Ctrl+Return", tr("do the next step")},
        {"Ctrl+Shift+Return", tr("fit all setups that are read")},
        {"W, Z, P", tr("whole picture, chart, single pixels")},
        {"+ \u2212, wheel", tr("zoom")},
        {"X, Space", tr("flip before and after, or to the next picture")},
        {"K", tr("mark clipping: of the input by lines, of the output by dots")},
        {"R", tr("read the colours under the pointer: percent, codes, Lab, stops from middle grey")},
        {"C", tr("from corner to corner")},
        {"arrows", tr("move the corner by half a pixel, with Shift by five; else move the picture")},
        {"Ctrl+Z, Ctrl+Shift+Z", tr("undo, redo")},
        {"Ctrl+O", tr("open")},
        {"F10", tr("the menu")}};
    QString rows;
    for (const auto& [key, what] : keys)
        rows += QString("<tr><td style='padding:3px 18px 3px 0'><b>%1</b></td><td>%2</td></tr>")
                    .arg(QString::fromUtf8(key), what);
    box->setText("<table>" + rows + "</table>");
    box->show();
}

void MainWindow::about() {
    QFile licence(":/fonts/LICENCE");
    const QString typeface = licence.open(QFile::ReadOnly) ? QString::fromUtf8(licence.readAll()) : QString();
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("About Refero"),
                                tr("<b>Refero %1</b><br>Measures colour charts, makes corrections and proves "
                                   "them.<br>GPL-3.0-or-later. Typeface: Lato, SIL Open Font License 1.1.")
                                    .arg(QString::fromUtf8(program_version().data())),
                                QMessageBox::Close, this);
    box->setDetailedText(typeface);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setModal(false);
    box->show();
}

} // namespace refero::app
