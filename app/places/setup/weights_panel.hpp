#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

/// What each patch weighs in the fit, by the intent and by one's own wish.
class WeightsPanel : public QWidget {
    Q_OBJECT

public:
    explicit WeightsPanel(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);

private:
    void edited(int row, int column);
    void choose_samples();

    Desk& desk_;
    Id setup_ = 0;
    QTableWidget* table_;
    QLineEdit* roles_;
    QLabel* note_;
    QPushButton* samples_;
};

} // namespace refero::app
