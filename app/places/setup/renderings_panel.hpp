// Several renderings of a setup side by side: the one that is worked on, and those kept under a name.
#pragma once

#include <QPushButton>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

class RenderingsPanel : public QWidget {
    Q_OBJECT

public:
    explicit RenderingsPanel(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);

signals:
    void chosen(Id row); ///< to be seen beside the one in force; 0: that one

private:
    void keep();
    void rename(int row, int column);
    Id row_at(int row) const; ///< 0: the setup's own
    void show_buttons();

    Desk& desk_;
    Id setup_ = 0;
    bool filling_ = false;
    QTableWidget* table_;
    QPushButton *keep_, *work_on_, *refit_, *remove_;
};

} // namespace refero::app
