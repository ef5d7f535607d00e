// The day as a line of time: a row a camera, frames as ticks, charts as marks by their verdicts, gaps that no chart
// stands for.
#pragma once

#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

/// A chart by its verdict, told by shape: a filled square passed, a half-filled one with caution, a crossed one is to
/// be shot again, a dotted one is not read yet.
void draw_verdict(QPainter& painter, const QRectF& box, std::optional<inspect::Status> verdict, const QColor& colour);

class DayLine : public QWidget {
    Q_OBJECT

public:
    explicit DayLine(Desk& desk, QWidget* parent = nullptr);
    void follow();
    QSize sizeHint() const override;
    /// The mark of a chart shot, in pixels of this widget; for tests and tooltips.
    QRectF mark_of(Id chart_shot) const;

signals:
    void setup_opened(Id setup);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    bool event(QEvent*) override;

private:
    double x_of(double at_s) const;
    double y_of(std::size_t row) const;
    const operations::DayChart* chart_at(const QPointF& place) const;
    void paint_axis(QPainter& p) const;
    void paint_row(QPainter& p, std::size_t row) const;

    Desk& desk_;
    const operations::DayChart* pressed_ = nullptr;
    QPoint pressed_at_;
};

/// What is dragged from the line onto a light: chart shots.
inline constexpr const char* chart_shot_mime = "application/x-refero-chart-shot";

} // namespace refero::app
