#include "places/practice/studio_plan.hpp"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "ui/theme.hpp"

namespace refero::app {

namespace {
constexpr double reach_x = 2.4, reach_z = 3.2; ///< metres that the plan shows to each side, and from the chart forwards
constexpr double step_m = 0.1;
constexpr double margin = 18;
} // namespace

StudioPlan::StudioPlan(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(300, 260);
    setAccessibleName(tr("The set seen from above"));
    setToolTip(tr("Drag lamp, card and camera. Keys: N chooses the next, arrows move it by 10 cm"));
}

void StudioPlan::set(const simulate::Studio& studio) {
    studio_ = studio;
    chosen_ = std::min(chosen_, things() - 1);
    update();
}

int StudioPlan::things() const { return static_cast<int>(studio_.lamps.size()) + (studio_.reflector ? 1 : 0) + 1; }

QPointF StudioPlan::place_of(int thing) const {
    const int lamps = static_cast<int>(studio_.lamps.size());
    if (thing < lamps) {
        const auto& at = studio_.lamps[static_cast<std::size_t>(thing)].at;
        return {at.x(), at.z()};
    }
    if (studio_.reflector && thing == lamps) return {studio_.reflector->at.x(), studio_.reflector->at.z()};
    return {0, studio_.camera_m};
}

void StudioPlan::put(int thing, const QPointF& at) {
    const int lamps = static_cast<int>(studio_.lamps.size());
    const double x = std::clamp(at.x(), -reach_x, reach_x), z = std::clamp(at.y(), 0.1, reach_z);
    if (thing < lamps) {
        auto& lamp = studio_.lamps[static_cast<std::size_t>(thing)];
        lamp.at = {x, lamp.at.y(), z};
    } else if (studio_.reflector && thing == lamps) studio_.reflector->at = {x, studio_.reflector->at.y(), z};
    else studio_.camera_m = std::clamp(z, 0.5, reach_z);
    update();
    emit moved(studio_);
}

QString StudioPlan::name_of_thing(int thing) const {
    const int lamps = static_cast<int>(studio_.lamps.size());
    return thing < lamps                         ? (lamps > 1 ? tr("lamp %1").arg(thing + 1) : tr("lamp"))
           : studio_.reflector && thing == lamps ? tr("white card")
                                                 : tr("camera");
}

void StudioPlan::choose(int thing) {
    chosen_ = std::clamp(thing, 0, things() - 1);
    update();
}

// The chart on top, the camera below it: seen as one stands behind the camera and looks at the plan on a table.
QPointF StudioPlan::to_widget(double x_m, double z_m) const {
    const double k = std::min((width() - 2 * margin) / (2 * reach_x), (height() - 2 * margin) / reach_z);
    return {width() / 2.0 + k * x_m, margin + k * z_m};
}

void StudioPlan::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.fillRect(rect(), t.panel);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    const double k = to_widget(1, 0).x() - to_widget(0, 0).x();
    for (int i = 1; i <= 3; ++i) { // metres from the chart
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        p.drawEllipse(to_widget(0, 0), i * k, i * k);
        p.setPen(t.dim);
        p.drawText(to_widget(i * 0.71, i * 0.71) + QPointF(4, 4), tr("%1 m").arg(i)); // beside the camera's axis
    }
    const double turn = studio_.chart_turn_deg * M_PI / 180;
    p.setPen(QPen(t.text, 5));
    p.drawLine(to_widget(-0.15 * std::cos(turn), 0.15 * std::sin(turn)),
               to_widget(0.15 * std::cos(turn), -0.15 * std::sin(turn)));
    p.setPen(t.text);
    p.drawText(to_widget(0.18, 0) + QPointF(6, 4), tr("chart"));
    for (int i = 0; i < things(); ++i) {
        const QPointF at = to_widget(place_of(i).x(), place_of(i).y());
        const bool on = i == chosen_;
        const int lamps = static_cast<int>(studio_.lamps.size());
        p.setPen(QPen(t.text, on ? 3 : 1.5));
        p.setBrush(i < lamps ? t.raised : t.panel);
        if (i < lamps) { // a lamp and its beam's middle
            p.setPen(QPen(t.dim, 1, Qt::DashLine));
            p.drawLine(at, to_widget(0, 0));
            p.setPen(QPen(t.text, on ? 3 : 1.5));
            p.drawEllipse(at, 9, 9);
        } else if (studio_.reflector && i == lamps) {
            const QPointF along =
                QPointF(-place_of(i).y(), place_of(i).x()) / std::hypot(place_of(i).x(), place_of(i).y());
            const QPointF half = 0.5 * studio_.reflector->size_m * k * along;
            p.setPen(QPen(t.text, on ? 6 : 4));
            p.drawLine(at - half, at + half);
        } else p.drawRect(QRectF(at.x() - 11, at.y() - 7, 22, 14));
        p.setPen(t.text);
        p.drawText(at + QPointF(14, 16), name_of_thing(i));
    }
    if (hasFocus()) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.strong, 2));
        p.drawRect(rect().adjusted(1, 1, -2, -2));
    }
}

void StudioPlan::mousePressEvent(QMouseEvent* event) {
    setFocus();
    constexpr double near = 22;
    double nearest = near;
    for (int i = 0; i < things(); ++i)
        if (const double d = QLineF(to_widget(place_of(i).x(), place_of(i).y()), event->position()).length();
            d < nearest) {
            nearest = d;
            chosen_ = i;
            dragging_ = true;
        }
    update();
}

void StudioPlan::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return;
    const double k = to_widget(1, 0).x() - to_widget(0, 0).x();
    put(chosen_, {(event->position().x() - width() / 2.0) / k, (event->position().y() - margin) / k});
}

void StudioPlan::keyPressEvent(QKeyEvent* event) {
    const QPointF at = place_of(chosen_);
    switch (event->key()) {
    case Qt::Key_N: choose((chosen_ + 1) % things()); break;
    case Qt::Key_Left: put(chosen_, at - QPointF(step_m, 0)); break;
    case Qt::Key_Right: put(chosen_, at + QPointF(step_m, 0)); break;
    case Qt::Key_Up: put(chosen_, at - QPointF(0, step_m)); break;
    case Qt::Key_Down: put(chosen_, at + QPointF(0, step_m)); break;
    default: QWidget::keyPressEvent(event);
    }
}

} // namespace refero::app
