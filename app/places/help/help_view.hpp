// The guide inside the program: a page for what one wants to do, found by its words.
#pragma once

#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <QWidget>

namespace refero::app {

class HelpView : public QWidget {
    Q_OBJECT

public:
    explicit HelpView(QWidget* parent = nullptr);
    /// A page by its name without folder and ending: "one-chart".
    void open(const QString& page);
    QLineEdit* search() { return search_; }
    QListWidget* pages() { return pages_; }
    QTextBrowser* text() { return text_; }

signals:
    void closed();

protected:
    void keyPressEvent(QKeyEvent*) override;

private:
    void load(const QUrl& page);
    void filter(const QString& words);

    QLineEdit* search_;
    QListWidget* pages_;
    QTextBrowser* text_;
};

} // namespace refero::app
