// A camera, a light, a lens or a chart tried before it is bought or hired: what was thought of stands side by side.
#pragma once

#include <QComboBox>
#include <QTableWidget>

#include "desk/desk.hpp"

namespace refero::app {

class RehearsalPanel : public QWidget {
    Q_OBJECT

public:
    explicit RehearsalPanel(Desk& desk, QWidget* parent = nullptr);

private:
    struct Tried {
        QString title;
        lessons::Rehearsal outcome;
    };
    void rehearse();
    void load_surfaces();
    void show_tried();
    /// File of the table that a box's last entry stands for; empty: not that entry, or nothing was chosen.
    QString table_for(const QComboBox* box, const QString& title);

    Desk& desk_;
    QComboBox *camera_, *light_, *lens_, *chart_, *lending_;
    QLabel* own_;
    QTableWidget* table_;
    std::vector<colour::Spectrum> surfaces_;
    std::vector<Tried> tried_; ///< the oldest first
};

} // namespace refero::app
