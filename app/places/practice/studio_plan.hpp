// A set seen from above: chart, camera, lamps and a white card, dragged about or moved by keys.
#pragma once

#include <QWidget>

#include "simulate/studio.hpp"

namespace refero::app {

class StudioPlan : public QWidget {
    Q_OBJECT

public:
    explicit StudioPlan(QWidget* parent = nullptr);
    void set(const simulate::Studio& studio);
    const simulate::Studio& studio() const { return studio_; }
    /// What the keys move: lamps, then the card, then the camera.
    int chosen() const { return chosen_; }
    void choose(int thing);
    QPointF to_widget(double x_m, double z_m) const;

signals:
    void moved(const simulate::Studio& studio);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override { dragging_ = false; }
    void keyPressEvent(QKeyEvent*) override;
    QSize sizeHint() const override { return {420, 360}; }

private:
    int things() const;
    QPointF place_of(int thing) const; ///< metres: x, z
    void put(int thing, const QPointF& at);
    QString name_of_thing(int thing) const;

    simulate::Studio studio_;
    int chosen_ = 0;
    bool dragging_ = false;
};

} // namespace refero::app
