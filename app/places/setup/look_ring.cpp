#include "look_ring.hpp"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "ui/theme.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr double degrees = 180 / M_PI, names_px = 17, sides_px = 50, handle_near = 12;
constexpr double dots_reach = 0.5;   ///< colour difference that reaches the ring
constexpr double rest = 0.72;        ///< of the ring's radius: where a handle rests
constexpr double per_percent = 0.28; ///< of the radius: what 100 % of saturation is
constexpr int hue_count = static_cast<int>(look::look_hues.size());

QString hue_name(int hue) { return QObject::tr(look::look_hues[static_cast<std::size_t>(hue)]); }

} // namespace

LookRing::LookRing(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(170, 150);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setToolTip(tr("Eight hues as on the vectorscope. Turn a handle to shift its hue, pull it out for saturation; with "
                  "Ctrl up and down for lightness; double-click takes it back. Left and Right choose a hue, with Shift "
                  "they turn it; Up and Down change its saturation, with Shift its lightness; Delete takes it back. "
                  "The dots are the chart's colours, with a line from where they were"));
    tell_accessible();
}

void LookRing::set(const Ring& ring) {
    if (dragged_) return;
    ring_ = ring;
    tell_accessible();
    update();
}

void LookRing::set_patches(const std::vector<operations::LookSeen::Patch>& patches) {
    dots_.clear();
    for (const auto& p : patches) {
        if (p.neutral) continue;
        const auto a = operations::scope_point(p.without), b = operations::scope_point(p.with);
        dots_.push_back({{a.cb, a.cr}, {b.cb, b.cr}, colour_of(p.with)});
    }
    update();
}

void LookRing::choose(int hue) {
    chosen_ = (hue + hue_count) % hue_count;
    tell_accessible();
    update();
    emit chosen_changed(chosen_);
}

void LookRing::tell_accessible() {
    const look::HueStep& s = ring_[static_cast<std::size_t>(chosen_)];
    setAccessibleName(tr("Ring of hues: %1, shift %2 degrees, saturation %3 percent, lightness %4 percent")
                          .arg(hue_name(chosen_))
                          .arg(s.shift_deg, 0, 'f', 0)
                          .arg(s.saturation, 0, 'f', 0)
                          .arg(s.lightness, 0, 'f', 0));
}

double LookRing::reach() const { return std::min(width() / 2.0 - sides_px, height() / 2.0 - names_px); }

QPointF LookRing::polar(double angle_deg, double radius) const {
    const double a = angle_deg / degrees; // counter-clockwise, as on a vectorscope
    return QRectF(rect()).center() + QPointF(radius * std::cos(a), -radius * std::sin(a));
}

QPointF LookRing::handle(int hue) const {
    const look::HueStep& s = ring_[static_cast<std::size_t>(hue)];
    return polar(look::look_hue_reach * hue + s.shift_deg, reach() * (rest + per_percent * s.saturation / 100));
}

int LookRing::near(const QPointF& place) const {
    int nearest = -1;
    double best = handle_near;
    for (int k = 0; k < hue_count; ++k)
        if (const double far = QLineF(handle(k), place).length(); far < best) {
            best = far;
            nearest = k;
        }
    return nearest;
}

void LookRing::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    const QPointF c = QRectF(rect()).center();
    const double r = reach();
    p.setBrush(t.raised);
    p.setPen(QPen(hasFocus() ? t.text : t.line, hasFocus() ? 2 : 1));
    p.drawEllipse(c, r, r);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.line, 1, Qt::DashLine));
    p.drawEllipse(c, r * rest, r * rest);
    p.drawLine(c - QPointF(4, 0), c + QPointF(4, 0));
    p.drawLine(c - QPointF(0, 4), c + QPointF(0, 4));
    const auto place = [&](const QPointF& difference) {
        return c + QPointF(difference.x(), -difference.y()) * (r / dots_reach);
    };
    for (const Dot& d : dots_) {
        p.setPen(QPen(t.dim, 1.2));
        p.drawLine(place(d.from), place(d.to));
        p.setPen(QPen(t.text, 1));
        p.setBrush(d.colour);
        p.drawEllipse(place(d.to), 3.5, 3.5);
    }
    for (int k = 0; k < hue_count; ++k) {
        const look::HueStep& s = ring_[static_cast<std::size_t>(k)];
        const double angle = look::look_hue_reach * k;
        const QPointF at = handle(k), home = polar(angle, r * rest);
        p.setPen(QPen(t.dim, 1.4));
        p.drawLine(home, at);
        if (s.lightness != 0) { // a mast beside the handle: up is lighter
            const QPointF foot = at + QPointF(9, 0);
            p.setPen(QPen(t.text, 2));
            p.drawLine(foot, foot - QPointF(0, 14 * s.lightness / look::most_lightness));
        }
        p.setPen(QPen(t.text, 1.8));
        p.setBrush(k == chosen_ ? t.text : t.raised);
        p.drawEllipse(at, 6, 6);
        p.setPen(k == chosen_ ? t.text : t.dim);
        // Beside the ring at its sides, over and under it at its ends.
        const double side = std::cos(angle / degrees), wide = 60;
        const QPointF words = polar(angle, r + (std::abs(side) > 0.3 ? 5 : names_px / 2));
        const double x = side > 0.3 ? words.x() : side < -0.3 ? words.x() - wide : words.x() - wide / 2;
        p.drawText(QRectF(x, words.y() - 8, wide, 16),
                   (side > 0.3    ? Qt::AlignLeft
                    : side < -0.3 ? Qt::AlignRight
                                  : Qt::AlignHCenter) |
                       Qt::AlignVCenter,
                   hue_name(k));
    }
}

void LookRing::mousePressEvent(QMouseEvent* event) {
    const int hue = near(event->position());
    if (event->button() != Qt::LeftButton || hue < 0) return;
    choose(hue);
    dragged_ = true;
}

void LookRing::mouseMoveEvent(QMouseEvent* event) {
    if (!dragged_) return;
    look::HueStep& s = ring_[static_cast<std::size_t>(chosen_)];
    const QPointF from = event->position() - QRectF(rect()).center();
    const double home = look::look_hue_reach * chosen_;
    if (event->modifiers() & Qt::ControlModifier)
        s.lightness = std::clamp(std::round((polar(home, reach() * rest).y() - event->position().y()) / 1.2),
                                 -look::most_lightness, look::most_lightness);
    else {
        s.shift_deg = std::clamp(std::round(std::remainder(std::atan2(-from.y(), from.x()) * degrees - home, 360.0)),
                                 -look::most_shift_deg, look::most_shift_deg);
        s.saturation = std::clamp(std::round((std::hypot(from.x(), from.y()) / reach() - rest) / per_percent * 100),
                                  -look::most_saturation, look::most_saturation);
    }
    tell_accessible();
    update();
    emit moving();
}

void LookRing::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragged_ || event->button() != Qt::LeftButton) return;
    dragged_ = false;
    settle();
}

void LookRing::mouseDoubleClickEvent(QMouseEvent* event) {
    dragged_ = false;
    if (const int hue = near(event->position()); hue >= 0) {
        choose(hue);
        ring_[static_cast<std::size_t>(hue)] = {};
        settle();
    }
}

void LookRing::settle() {
    tell_accessible();
    update();
    emit settled(tr("Look: %1").arg(hue_name(chosen_)));
}

void LookRing::keyPressEvent(QKeyEvent* event) {
    const bool shift = event->modifiers() & Qt::ShiftModifier;
    look::HueStep& s = ring_[static_cast<std::size_t>(chosen_)];
    const auto move = [this](double& value, double by, double most) {
        value = std::clamp(value + by, -most, most);
        settle();
    };
    switch (event->key()) {
    case Qt::Key_Left: return shift ? move(s.shift_deg, 1, look::most_shift_deg) : choose(chosen_ + 1);
    case Qt::Key_Right: return shift ? move(s.shift_deg, -1, look::most_shift_deg) : choose(chosen_ - 1);
    case Qt::Key_Up:
        return shift ? move(s.lightness, 1, look::most_lightness) : move(s.saturation, 2, look::most_saturation);
    case Qt::Key_Down:
        return shift ? move(s.lightness, -1, look::most_lightness) : move(s.saturation, -2, look::most_saturation);
    case Qt::Key_Delete:
    case Qt::Key_Backspace: s = {}; return settle();
    default: return QWidget::keyPressEvent(event);
    }
}

} // namespace refero::app
