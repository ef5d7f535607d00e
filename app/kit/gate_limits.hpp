#pragma once

#include <QPushButton>
#include <QTableWidget>

#include "inspect/inspect.hpp"

namespace refero::app {

/// The gate's limits with their reasons; the user's own are kept on this machine, for all jobs.
class GateLimits : public QWidget {
    Q_OBJECT

public:
    explicit GateLimits(QWidget* parent = nullptr);
    /// A school's limits with the user's own in their place.
    static inspect::Limits of(const inspect::School& school);

private:
    void fill();
    void edited(int row, int column);

    QTableWidget* table_;
    QPushButton* reset_;
};

} // namespace refero::app
