#pragma once

#include <QPushButton>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

/// The gate's limits with their reasons: the house's own are kept in the kit and, for the open job, in the job.
class GateLimits : public QWidget {
    Q_OBJECT

public:
    explicit GateLimits(Desk& desk, QWidget* parent = nullptr);

private:
    void fill();
    void edited(int row, int column);
    std::string in_force() const;

    Desk& desk_;
    QTableWidget* table_;
    QPushButton* reset_;
    std::string shown_; ///< JSON
};

} // namespace refero::app
