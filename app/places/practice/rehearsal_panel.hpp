// A camera, a light, a lens or a chart tried before it is bought or hired: what was thought of stands side by side.
#pragma once

#include <QComboBox>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

class RehearsalPanel : public QWidget {
    Q_OBJECT

public:
    explicit RehearsalPanel(Desk& desk, QWidget* parent = nullptr);

private:
    struct Tried {
        QString title;
        practice::Rehearsal outcome;
    };
    void rehearse();
    void load_surfaces();
    void show_tried();
    QString ask_for_table(const QString& title); ///< its file; empty: none was chosen

    Desk& desk_;
    QComboBox *camera_, *light_, *lens_, *chart_, *lending_;
    QLabel* own_;
    QTableWidget* table_;
    std::vector<colour::Spectrum> surfaces_;
    std::vector<Tried> tried_; ///< the oldest first
};

} // namespace refero::app
