// The curve of a look, drawn: display codes in and out, with the chart's greys along it.
#pragma once

#include <QWidget>
#include <array>
#include <vector>

namespace refero::app {

class LookCurve : public QWidget {
    Q_OBJECT

public:
    using Points = std::vector<std::array<double, 2>>;

    explicit LookCurve(QWidget* parent = nullptr);
    void set(const Points& points);
    /// Display codes, 0 to 1, of the chart's neutrals before the look.
    void set_greys(std::vector<double> codes);
    const Points& points() const { return points_; }
    bool is_dragged() const { return dragged_; }
    /// In the widget's coordinates, of codes from 0 to 1.
    QPointF place_of(double in, double out) const;
    QSize sizeHint() const override { return {220, 220}; }

signals:
    void moving();
    void settled(const QString& what);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    QRectF field() const;
    int near(const QPointF& place) const;       ///< a point's index, or -1
    void put(int point, double in, double out); ///< held between its neighbours
    int add(double in, double out);
    void remove(int point);
    void tell_accessible();

    Points points_;
    std::vector<double> greys_;
    int chosen_ = -1;
    bool dragged_ = false;
};

} // namespace refero::app
