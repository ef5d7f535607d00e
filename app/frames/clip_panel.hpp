// A clip on a time line: the picture at the handle, and the choice of the one that shows the chart.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QSlider>
#include <QTimer>
#include <QWidget>

#include "desk/desk.hpp"

namespace refero::app {

class ClipPanel : public QWidget {
    Q_OBJECT

public:
    explicit ClipPanel(Desk& desk, QWidget* parent = nullptr);
    /// 0: none.
    void set_frame(Id frame);
    double position_s() const { return slider_->value() / 1000.0; }
    QSlider* slider() { return slider_; }
    QPushButton* take_button() { return take_; }

private:
    void show_picture();

    Desk& desk_;
    Id frame_ = 0;
    QLabel *picture_, *time_;
    QSlider* slider_;
    QPushButton* take_;
    QTimer delay_;
    int request_ = 0;
};

} // namespace refero::app
