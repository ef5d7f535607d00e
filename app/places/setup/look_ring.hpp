// Eight hues of a look on a ring: each handle is turned for its shift and pulled for its saturation, and the chart's
// colours stand about it as they come to lie.
#pragma once

#include <QWidget>

#include "look/look.hpp"
#include "operations/correct/look.hpp"

namespace refero::app {

class LookRing : public QWidget {
    Q_OBJECT

public:
    using Ring = std::array<look::HueStep, look::look_hues.size()>;

    explicit LookRing(QWidget* parent = nullptr);
    void set(const Ring& ring);
    void set_patches(const std::vector<operations::LookSeen::Patch>& patches);
    const Ring& ring() const { return ring_; }
    int chosen() const { return chosen_; }
    void choose(int hue);
    bool is_dragged() const { return dragged_; }
    /// Where a hue's handle is, in the widget's coordinates.
    QPointF handle(int hue) const;
    QSize sizeHint() const override { return {220, 220}; }

signals:
    void moving();
    void settled(const QString& what);
    void chosen_changed(int hue);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    struct Dot {
        QPointF from, to; ///< colour difference, without and with the look
        QColor colour;
    };
    double reach() const; ///< radius of the ring, pixels
    QPointF polar(double angle_deg, double radius) const;
    int near(const QPointF& place) const;
    void settle();
    void tell_accessible();

    Ring ring_{};
    std::vector<Dot> dots_;
    int chosen_ = 0;
    bool dragged_ = false;
};

} // namespace refero::app
