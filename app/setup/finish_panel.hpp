#pragma once

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QSlider>
#include <QWidget>

#include "desk/desk.hpp"

namespace refero::app {

/// What is done to the picture after the correction: exposure by a school, a warm or cool step, a share of the light
/// kept.
class FinishPanel : public QWidget {
    Q_OBJECT

public:
    explicit FinishPanel(QWidget* parent = nullptr);
    void set(const Chain& s, const plan::Kit& kit);
    const balance::Finish& finish() const { return finish_; }

signals:
    void moving(const balance::Finish& finish); ///< while a slider is held
    void settled(const balance::Finish& finish, const QString& what);

private:
    struct Control {
        QSlider* slider;
        QDoubleSpinBox* spin;
        double balance::Finish::*value;
        double per_unit; ///< slider steps
        QString what;
    };
    void add(int row, const QString& label, const QString& tooltip, double least, double most, double step,
             int decimals, const QString& suffix, double balance::Finish::*value, QWidget* beside);
    void show_finish();
    void ask_white();
    void settle(const balance::Finish& finish, const QString& what);

    std::vector<Control> controls_;
    QComboBox *school_, *house_, *tint_;
    QPushButton* reset_;
    balance::Finish finish_;
    std::function<std::optional<double>(int percent)> white_at_; ///< stops for a white of one's own
};

} // namespace refero::app
