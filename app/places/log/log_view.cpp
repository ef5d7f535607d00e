#include "log_view.hpp"

#include <QDateTime>
#include <QFileDialog>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "operations/capture/planning.hpp"
#include "places/setup/page.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr int most_shown = 2000;

QString local(const std::string& utc) {
    const QDateTime t = QDateTime::fromString(QString::fromStdString(utc), Qt::ISODate);
    return t.isValid() ? t.toLocalTime().toString("yyyy-MM-dd  HH:mm:ss") : QString::fromStdString(utc);
}

QString csv(const std::string& text) { return "\"" + QString::fromStdString(text).replace('"', "\"\"") + "\""; }

} // namespace

QString log_as_csv(const std::vector<store::LogEntry>& log) {
    QString text = "time,what,where\r\n";
    for (const auto& e : log) text += csv(e.at) + "," + csv(e.what) + "," + csv(e.where) + "\r\n";
    return text;
}

QString log_as_html(const QString& title, const std::vector<store::LogEntry>& log) {
    QString rows;
    for (const auto& e : log)
        rows += "<tr><td>" + local(e.at).toHtmlEscaped() + "</td><td>" +
                QString::fromStdString(e.what).toHtmlEscaped() + "</td><td>" +
                QString::fromStdString(e.where).toHtmlEscaped() + "</td></tr>\n";
    return "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + title.toHtmlEscaped() +
           "</title><style>body{font:14px sans-serif;margin:2em}td,th{text-align:left;padding:3px 18px 3px "
           "0;border-bottom:1px solid #ccc}</style></head>\n<body><h1>" +
           title.toHtmlEscaped() + "</h1>\n<table><tr><th>Time</th><th>What</th><th>Where</th></tr>\n" + rows +
           "</table></body></html>\n";
}

LogView::LogView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      search_(new QLineEdit),
      note_(new QLineEdit),
      table_(new QTableWidget) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 12, 14, 12);
    auto* head = new QHBoxLayout;
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    auto* title = new QLabel(tr("Log"));
    title->setFont(title_font());
    words->addWidget(title);
    auto* about = new QLabel(tr("Everything that was done in this job, newest first"));
    about->setProperty("dim", true);
    words->addWidget(about);
    head->addLayout(words, 1);
    search_->setPlaceholderText(tr("Search"));
    search_->setClearButtonEnabled(true);
    search_->setFixedWidth(230);
    head->addWidget(search_);
    auto* save_button = new QPushButton(icon("export"), tr("Save as \u2026"));
    save_button->setToolTip(tr("Writes what is shown as a table (CSV) or a page (HTML)"));
    head->addWidget(save_button);
    layout->addLayout(head);
    table_->setColumnCount(3);
    table_->setHorizontalHeaderLabels({tr("Time"), tr("What"), tr("Where")});
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->setColumnWidth(0, 160);
    table_->setColumnWidth(1, 620);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(26);
    table_->setShowGrid(false);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setAccessibleName(tr("Log of the job"));
    layout->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    note_->setPlaceholderText(tr("Note something: weather, who was there, what to do another time"));
    auto* add = new QPushButton(tr("Note it"));
    row->addWidget(note_, 1);
    row->addWidget(add);
    layout->addLayout(row);
    const auto take_note = [this] {
        const QString text = note_->text().trimmed();
        if (text.isEmpty()) return;
        note_->clear();
        desk_.job.change(operations::note(text.toStdString()));
    };
    connect(add, &QPushButton::clicked, this, take_note);
    search_->setAccessibleName(tr("Search the log"));
    note_->setAccessibleName(tr("A note for the log"));
    connect(note_, &QLineEdit::returnPressed, this, take_note);
    connect(search_, &QLineEdit::textChanged, this, &LogView::refresh);
    connect(&desk.job, &JobDocument::history_changed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(save_button, &QPushButton::clicked, this, [this] {
        const QString name = QFileDialog::getSaveFileName(
            this, tr("Save the log"),
            last_folder() + "/" +
                QString::fromStdString(desk_.job.shoot().brief().title).simplified().replace(' ', '-').toLower() +
                "-log.csv",
            tr("Table (*.csv);;Page (*.html)"));
        if (!name.isEmpty()) save(name.toStdString());
    });
}

void LogView::refresh() {
    const auto log = desk_.job.log(search_->text(), most_shown);
    table_->setRowCount(static_cast<int>(log.size()));
    for (int i = 0; i < static_cast<int>(log.size()); ++i) {
        const auto& e = log[static_cast<std::size_t>(i)];
        const QString texts[] = {local(e.at), QString::fromStdString(e.what), QString::fromStdString(e.where)};
        for (int c = 0; c < 3; ++c) {
            auto* item = new QTableWidgetItem(texts[c]);
            item->setToolTip(texts[c]);
            table_->setItem(i, c, item);
        }
    }
}

void LogView::save(const fs::path& file) {
    const auto log = desk_.job.log(search_->text());
    const bool html = to_lower(file.extension().string()) == ".html";
    const QString title = tr("%1: log").arg(QString::fromStdString(desk_.job.shoot().brief().title));
    try {
        write_whole(file, (html ? log_as_html(title, log) : log_as_csv(log)).toStdString());
        desk_.notices.tell(tr("The log is in %1").arg(QString::fromStdString(file.string())));
    } catch (const Error& e) { desk_.notices.tell(QString::fromUtf8(e.what())); }
}

} // namespace refero::app
