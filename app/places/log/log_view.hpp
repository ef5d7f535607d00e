// The log: everything that was done in the job, searched and exported.
#pragma once

#include <QLineEdit>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

/// One line an entry, quoted as RFC 4180 asks.
QString log_as_csv(const std::vector<store::LogEntry>& log);
/// A page of its own, UTF-8.
QString log_as_html(const QString& title, const std::vector<store::LogEntry>& log);

class LogView : public QWidget {
    Q_OBJECT

public:
    explicit LogView(Desk& desk, QWidget* parent = nullptr);
    void refresh();
    QTableWidget* table() { return table_; }
    QLineEdit* search() { return search_; }
    /// Writes what is shown, by the file's name (.csv or .html).
    void save(const fs::path& file);

protected:
    void showEvent(QShowEvent*) override { refresh(); }

private:
    Desk& desk_;
    QLineEdit *search_, *note_;
    QTableWidget* table_;
};

} // namespace refero::app
