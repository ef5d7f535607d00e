// Developing the shoot: which frames, as which files, and how far the batch is.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>

#include "model/model.hpp"

namespace refero::app {

class DevelopPanel : public QFrame {
    Q_OBJECT

public:
    explicit DevelopPanel(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);
    /// Begins the batch, or tells why not.
    void develop();

private:
    QWidget* make_progress();
    BatchWish wish() const;
    void show_progress();
    void count();

    Desk& desk_;
    Id setup_ = 0;
    QComboBox *which_, *kind_, *space_, *gamut_, *second_, *rendering_;
    std::array<QCheckBox*, 5> parts_;
    QLineEdit *pattern_, *folder_;
    QCheckBox* resume_;
    QWidget* progress_;
    QProgressBar* bar_;
    QLabel *how_far_, *count_;
    QPushButton *pause_, *cancel_;
};

} // namespace refero::app
