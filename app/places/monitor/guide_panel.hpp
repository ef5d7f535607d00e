// The display's own controls, turned while white is read again and again: how far each still has to go.
#pragma once

#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "model/monitors.hpp"

namespace refero::app {

class GuidePanel : public QWidget {
    Q_OBJECT

public:
    explicit GuidePanel(Monitors& monitors, QWidget* parent = nullptr);
    /// What is aimed at: srgb, display-p3, oprgb, bt709.
    void set_target(const std::string& target);
    void set_reading(bool on);
    QString words() const { return words_->text(); }
    /// Reads white, black and middle grey once.
    void read();

protected:
    void hideEvent(QHideEvent*) override { set_reading(false); }

private:
    void controls_changed();
    void show_controls();

    Monitors& monitors_;
    QTimer timer_;
    std::string target_ = "srgb";
    QLabel *white_, *light_, *gains_, *gamma_, *words_;
    QPushButton* reading_;
    std::array<QDoubleSpinBox*, 5> controls_; ///< brightness, red, green, blue, gamma of the stand-in's display
};

} // namespace refero::app
