#include "help_view.hpp"

#include <QDesktopServices>
#include <QDir>
#include <QFile>
#include <QKeyEvent>
#include <QRegularExpression>
#include <QToolButton>
#include <QVBoxLayout>

#include "ui/theme.hpp"

namespace refero::app {

namespace {

const QString root = ":/guide/";

/// The text of a page, without its pictures, which show what the window shows.
QString text_of(const QString& path) {
    QFile file(root + path);
    if (!file.open(QIODevice::ReadOnly)) return {};
    QString text = QString::fromUtf8(file.readAll());
    static const QRegularExpression picture("!\\[[^\\]]*\\]\\([^)]*\\)\\n?");
    return text.remove(picture);
}

QString title_in(const QString& text) { return text.section('\n', 0, 0).remove(QRegularExpression("^#+ *")); }

} // namespace

HelpView::HelpView(QWidget* parent)
    : QWidget(parent),
      search_(new QLineEdit),
      pages_(new QListWidget),
      text_(new QTextBrowser) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 12, 16, 12);
    row->setSpacing(16);
    auto* side = new QVBoxLayout;
    search_->setPlaceholderText(tr("Search the guide"));
    search_->setAccessibleName(tr("Search the guide"));
    search_->setClearButtonEnabled(true);
    search_->setMaximumWidth(280);
    pages_->setStyleSheet("QListWidget::item { padding: 4px 8px; }");
    pages_->setFixedWidth(280);
    pages_->setAccessibleName(tr("Pages of the guide"));
    auto* close = new QToolButton;
    close->setText(tr("Back"));
    close->setToolTip(tr("Back to where you were (Escape)"));
    side->addWidget(search_);
    side->addWidget(pages_, 1);
    side->addWidget(close);
    row->addLayout(side);
    text_->setOpenLinks(false);
    text_->setAccessibleName(tr("The guide"));
    text_->setMaximumWidth(860);
    text_->document()->setDocumentMargin(22);
    text_->setFrameShape(QFrame::NoFrame);
    row->addWidget(text_, 1);
    row->addStretch();
    // In the order of the guide's own list of pages, then those in depth.
    static const QRegularExpression link("\\]\\(([^)]+\\.md)\\)");
    auto links = link.globalMatch(text_of("guide/README.md"));
    while (links.hasNext()) {
        const QString path = QDir::cleanPath("guide/" + links.next().captured(1));
        const QString text = text_of(path);
        if (text.isEmpty()) continue;
        auto* item = new QListWidgetItem(title_in(text), pages_);
        item->setData(Qt::UserRole, path);
        item->setData(Qt::UserRole + 1, text.toLower());
    }
    connect(pages_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item) load(item->data(Qt::UserRole).toString());
    });
    connect(search_, &QLineEdit::textChanged, this, &HelpView::filter);
    connect(close, &QToolButton::clicked, this, &HelpView::closed);
    connect(text_, &QTextBrowser::anchorClicked, this, [this](const QUrl& to) {
        if (!to.scheme().isEmpty()) return void(QDesktopServices::openUrl(to));
        const QString from = pages_->currentItem() ? pages_->currentItem()->data(Qt::UserRole).toString() : "guide/";
        load(QDir::cleanPath(QFileInfo(from).path() + "/" + to.path()));
    });
}

void HelpView::open(const QString& page) {
    search_->clear();
    for (int i = 0; i < pages_->count(); ++i)
        if (QFileInfo(pages_->item(i)->data(Qt::UserRole).toString()).baseName() == page) {
            pages_->setCurrentRow(i);
            return;
        }
    pages_->setCurrentRow(0);
}

void HelpView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) emit closed();
    else QWidget::keyPressEvent(event);
}

void HelpView::load(const QUrl& page) {
    const QString path = page.toString(), text = text_of(path);
    if (text.isEmpty()) return;
    text_->setMarkdown(text);
    text_->moveCursor(QTextCursor::Start);
    for (int i = 0; i < pages_->count(); ++i)
        if (pages_->item(i)->data(Qt::UserRole).toString() == path && pages_->currentRow() != i)
            pages_->setCurrentRow(i);
}

// Pages that hold all words.
void HelpView::filter(const QString& words) {
    const QStringList all = words.toLower().split(' ', Qt::SkipEmptyParts);
    int first = -1;
    for (int i = 0; i < pages_->count(); ++i) {
        const QString text = pages_->item(i)->data(Qt::UserRole + 1).toString();
        const bool holds =
            std::all_of(all.begin(), all.end(), [&](const QString& word) { return text.contains(word); });
        pages_->item(i)->setHidden(!holds);
        if (holds && first < 0) first = i;
    }
    if (!all.isEmpty() && first >= 0) pages_->setCurrentRow(first);
}

} // namespace refero::app
