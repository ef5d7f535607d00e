// A clip on a time line: the picture at the handle, and the choice of the one that shows the chart.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QSlider>
#include <QTimer>
#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

/// A clip from its beginning to its end, with marks where it shows a chart: shape and tone by the gate's verdict.
class TimeLine : public QSlider {
    Q_OBJECT

public:
    struct Mark {
        double position_s;
        inspect::Status verdict = inspect::Status::pass;
        QString words;
    };
    explicit TimeLine(QWidget* parent = nullptr);
    void set_marks(std::vector<Mark> marks);
    /// The range that is developed, s; equal: none.
    void set_range(double from_s, double to_s);
    const std::vector<Mark>& marks() const { return marks_; }

protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    int x_of(double position_s) const;

    std::vector<Mark> marks_;
    double from_s_ = 0, to_s_ = 0;
};

class ClipPanel : public QWidget {
    Q_OBJECT

public:
    explicit ClipPanel(Desk& desk, QWidget* parent = nullptr);
    /// 0: none.
    void set_frame(Id frame);
    double position_s() const { return slider_->value() / 1000.0; }
    TimeLine* slider() { return slider_; }
    QPushButton* find_button() { return find_; }
    QPushButton* take_button() { return take_; }
    QPushButton* in_button() { return in_; }
    QPushButton* out_button() { return out_; }
    QPushButton* whole_button() { return whole_; }

private:
    void show_place();
    void show_range();
    void mark(bool in);
    void show_picture();
    void find_chart();

    Desk& desk_;
    Id frame_ = 0;
    QLabel *picture_, *time_, *range_;
    TimeLine* slider_;
    QPushButton *take_, *find_, *in_, *out_, *whole_;
    QTimer delay_;
    int request_ = 0;
};

} // namespace refero::app
