#include "look_curve.hpp"

#include <QMouseEvent>
#include <QPainter>

#include "look/look.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr double room_left = 30, room_below = 20, room_edge = 14; ///< room for the axes
constexpr double point_near = 10, least_apart = 0.02, key_step = 0.01;
constexpr std::size_t most_points = 8;

} // namespace

LookCurve::LookCurve(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(170, 150);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setToolTip(tr("Display codes in and out, percent. Press on the curve to add a point and drag it; double-click or "
                  "Delete takes one away. Arrow keys move the chosen point (Shift: further), Page Up and Page Down "
                  "choose the next, Insert adds one. The ticks along the line are the chart's greys"));
    tell_accessible();
}

void LookCurve::set(const Points& points) {
    if (dragged_) return;
    points_ = points;
    if (chosen_ >= static_cast<int>(points_.size())) chosen_ = -1;
    tell_accessible();
    update();
}

void LookCurve::set_greys(std::vector<double> codes) {
    greys_ = std::move(codes);
    update();
}

void LookCurve::tell_accessible() {
    setAccessibleName(points_.empty() ? tr("Curve of the look: as it is")
                                      : tr("Curve of the look, %1 points").arg(points_.size()));
}

QRectF LookCurve::field() const { return QRectF(rect()).adjusted(room_left, room_edge, -room_edge, -room_below); }

QPointF LookCurve::place_of(double in, double out) const {
    const QRectF f = field();
    return {f.left() + in * f.width(), f.bottom() - out * f.height()};
}

int LookCurve::near(const QPointF& place) const {
    int nearest = -1;
    double best = point_near;
    for (int i = 0; i < static_cast<int>(points_.size()); ++i) {
        const auto [in, out] = points_[static_cast<std::size_t>(i)];
        if (const double far = QLineF(place_of(in, out), place).length(); far < best) {
            best = far;
            nearest = i;
        }
    }
    return nearest;
}

void LookCurve::put(int point, double in, double out) {
    const auto i = static_cast<std::size_t>(point);
    const bool first = i == 0, last = i + 1 == points_.size();
    const double least_in = first ? 0 : points_[i - 1][0] + least_apart,
                 most_in = last ? 1 : points_[i + 1][0] - least_apart;
    const double least_out = first ? 0 : points_[i - 1][1], most_out = last ? 1 : points_[i + 1][1];
    points_[i] = {std::clamp(in, least_in, std::max(least_in, most_in)), std::clamp(out, least_out, most_out)};
    chosen_ = point;
    tell_accessible();
    update();
}

int LookCurve::add(double in, double out) {
    if (points_.empty()) points_ = {{0, 0}, {1, 1}};
    if (points_.size() >= most_points) return -1;
    for (const auto& p : points_)
        if (std::abs(p[0] - in) < least_apart) return -1;
    const auto at = std::lower_bound(points_.begin(), points_.end(), in,
                                     [](const auto& p, double wanted) { return p[0] < wanted; });
    const int index = static_cast<int>(at - points_.begin());
    points_.insert(at, {in, out});
    put(index, in, out);
    return index;
}

void LookCurve::remove(int point) {
    if (point < 0 || points_.empty()) return;
    points_.erase(points_.begin() + point);
    if (points_.size() < 2 || points_ == Points{{0, 0}, {1, 1}}) points_.clear();
    chosen_ = -1;
    tell_accessible();
    update();
    emit settled(tr("Curve: a point less"));
}

void LookCurve::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    const QRectF f = field();
    p.fillRect(f, t.raised);
    p.setPen(QPen(hasFocus() ? t.text : t.line, hasFocus() ? 2 : 1));
    p.drawRect(f);
    for (int percent = 0; percent <= 100; percent += 50) {
        const double at = percent / 100.0;
        p.setPen(t.dim);
        p.drawText(QRectF(place_of(at, 0).x() - 20, f.bottom() + 3, 40, 15), Qt::AlignCenter, QString::number(percent));
        p.drawText(QRectF(0, place_of(0, at).y() - 8, room_left - 5, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(percent));
    }
    p.setPen(QPen(t.line, 1, Qt::DashLine));
    p.drawLine(place_of(0, 0), place_of(1, 1));
    p.setClipRect(f.adjusted(-1, -1, 1, 1));
    const auto on = [&](double in) { return look::on_look_curve(points_, in); };
    QPolygonF line;
    constexpr int steps = 128;
    for (int i = 0; i <= steps; ++i) line << place_of(double(i) / steps, on(double(i) / steps));
    p.setPen(QPen(t.text, 2));
    p.drawPolyline(line);
    p.setPen(QPen(t.dim, 1.4));
    for (const double grey : greys_) {
        const QPointF at = place_of(grey, on(grey));
        p.drawLine(at - QPointF(4, -4), at + QPointF(4, -4));
    }
    p.setClipping(false);
    for (int i = 0; i < static_cast<int>(points_.size()); ++i) {
        const auto [in, out] = points_[static_cast<std::size_t>(i)];
        p.setPen(QPen(t.text, 1.8));
        p.setBrush(i == chosen_ ? t.text : t.raised);
        p.drawEllipse(place_of(in, out), 5, 5);
    }
}

void LookCurve::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const QPointF place = event->position();
    chosen_ = near(place);
    if (chosen_ < 0) {
        const QRectF f = field();
        if (!f.contains(place)) return update();
        chosen_ = add((place.x() - f.left()) / f.width(), (f.bottom() - place.y()) / f.height());
        if (chosen_ < 0) return;
        emit moving();
    }
    dragged_ = true;
    update();
}

void LookCurve::mouseMoveEvent(QMouseEvent* event) {
    if (!dragged_ || chosen_ < 0) return;
    const QRectF f = field();
    put(chosen_, (event->position().x() - f.left()) / f.width(), (f.bottom() - event->position().y()) / f.height());
    emit moving();
}

void LookCurve::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragged_ || event->button() != Qt::LeftButton) return;
    dragged_ = false;
    emit settled(tr("Curve of the look"));
}

void LookCurve::mouseDoubleClickEvent(QMouseEvent* event) {
    dragged_ = false;
    remove(near(event->position()));
}

void LookCurve::keyPressEvent(QKeyEvent* event) {
    const double by = event->modifiers() & Qt::ShiftModifier ? 5 * key_step : key_step;
    const int count = static_cast<int>(points_.size());
    const auto move = [&](double in, double out) {
        if (chosen_ < 0) return;
        const auto [x, y] = points_[static_cast<std::size_t>(chosen_)];
        put(chosen_, x + in, y + out);
        emit settled(tr("Curve of the look"));
    };
    switch (event->key()) {
    case Qt::Key_Left: return move(-by, 0);
    case Qt::Key_Right: return move(by, 0);
    case Qt::Key_Up: return move(0, by);
    case Qt::Key_Down: return move(0, -by);
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
        if (count) chosen_ = (chosen_ + (event->key() == Qt::Key_PageDown ? 1 : count - 1) + count) % count;
        return update();
    case Qt::Key_Insert: { // in the widest gap
        double from = 0, to = points_.empty() ? 1 : points_.front()[0];
        for (int i = 0; i + 1 < count; ++i) {
            const double a = points_[static_cast<std::size_t>(i)][0], b = points_[static_cast<std::size_t>(i) + 1][0];
            if (b - a > to - from) from = a, to = b;
        }
        const double in = (from + to) / 2;
        if (add(in, look::on_look_curve(points_, in)) >= 0) emit settled(tr("Curve: a point more"));
        return;
    }
    case Qt::Key_Delete:
    case Qt::Key_Backspace: return remove(chosen_);
    default: return QWidget::keyPressEvent(event);
    }
}

} // namespace refero::app
