#include "warmth_map.hpp"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "balance/balance.hpp"
#include "colour/quantities.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr double near_px = 9;                       ///< of a mark, to be chosen
constexpr double left = 44, bottom = 40, edge = 14; ///< room for the axes

QPointF held(const QPointF& at) {
    return {std::clamp(at.x(), -WarmthMap::most_mired, WarmthMap::most_mired),
            std::clamp(at.y(), -WarmthMap::most_green, WarmthMap::most_green)};
}

/// A locus about neutral: thousandths of Duv by mired from D50.
std::vector<QPointF> locus(bool daylight) {
    const auto d50 = colour::correlated_temperature(colour::chromaticity_of(colour::white_d50));
    std::vector<QPointF> line;
    for (double mired = -WarmthMap::most_mired; mired <= WarmthMap::most_mired; mired += 2) {
        const double kelvin = 1e6 / (1e6 / d50.kelvin + mired);
        if (daylight && kelvin < 4000) break; // there it ends
        const double duv = daylight ? colour::correlated_temperature(colour::daylight_locus(kelvin)).duv : 0;
        line.emplace_back(mired, 1000 * (duv - d50.duv));
    }
    return line;
}

} // namespace

WarmthMap::WarmthMap(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(280, 180);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    tell_accessible();
}

void WarmthMap::set_marks(std::vector<Mark> marks) {
    marks_ = std::move(marks);
    std::stable_sort(marks_.begin(), marks_.end(), [](const Mark& a, const Mark& b) { return a.kind < b.kind; });
    update();
}

void WarmthMap::set_point(const QPointF& at, const QPointF& with_light) {
    at_ = at;
    with_light_ = with_light;
    tell_accessible();
    update();
}

void WarmthMap::tell_accessible() {
    setAccessibleName(tr("Warmth map: %1 mired warmer, %2 greener").arg(at_.x(), 0, 'f', 0).arg(at_.y(), 0, 'f', 1));
}

QRectF WarmthMap::field() const { return QRectF(rect()).adjusted(left, edge, -edge, -bottom); }

QPointF WarmthMap::place_of(const QPointF& at) const {
    const QRectF f = field();
    return {f.center().x() + at.x() / most_mired * f.width() / 2,
            f.center().y() - at.y() / most_green * f.height() / 2};
}

QPointF WarmthMap::at_place(const QPointF& place) const {
    const QRectF f = field();
    const QPointF at((place.x() - f.center().x()) / f.width() * 2 * most_mired,
                     (f.center().y() - place.y()) / f.height() * 2 * most_green);
    return held({std::round(at.x()), std::round(2 * at.y()) / 2}); // as the fields beside it step
}

const WarmthMap::Mark* WarmthMap::mark_near(const QPointF& place) const {
    const Mark* nearest = nullptr;
    double best = near_px;
    for (const Mark& m : marks_)
        if (const double far = QLineF(place_of(held(m.at)), place).length(); far < best) {
            best = far;
            nearest = &m;
        }
    return nearest;
}

void WarmthMap::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    const QRectF f = field();
    p.fillRect(f, t.raised);
    p.setPen(QPen(hasFocus() ? t.text : t.line, hasFocus() ? 2 : 1));
    p.drawRect(f);
    p.setPen(t.dim);
    for (int mired = -40; mired <= 40; mired += 20) {
        const double x = place_of({double(mired), 0}).x();
        p.drawLine(QPointF(x, f.bottom()), QPointF(x, f.bottom() + 4));
        p.drawText(QRectF(x - 30, f.bottom() + 4, 60, 16), Qt::AlignCenter,
                   mired ? QString::asprintf("%+d", mired) : tr("0"));
    }
    for (int green = -8; green <= 8; green += 4) {
        const double y = place_of({0, double(green)}).y();
        p.drawLine(QPointF(f.left() - 4, y), QPointF(f.left(), y));
        p.drawText(QRectF(0, y - 8, f.left() - 7, 16), Qt::AlignRight | Qt::AlignVCenter,
                   green ? QString::asprintf("%+d", green) : tr("0"));
    }
    p.drawText(QRectF(f.left(), f.bottom() + 20, f.width(), 16), Qt::AlignLeft | Qt::AlignVCenter, tr("cooler"));
    p.drawText(QRectF(f.left(), f.bottom() + 20, f.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("warmer, mired"));
    p.drawText(f.adjusted(6, 3, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("greener, Duv \u00d7 1000"));
    p.drawText(f.adjusted(6, 0, 0, -3), Qt::AlignLeft | Qt::AlignBottom, tr("more magenta"));
    p.setClipRect(f);
    static const std::vector<QPointF> daylight = locus(true), planck = locus(false);
    const auto draw = [&](const std::vector<QPointF>& line, const QString& name, Qt::PenStyle style) {
        p.setPen(QPen(t.dim, 1.4, style));
        for (std::size_t i = 1; i < line.size(); ++i) p.drawLine(place_of(line[i - 1]), place_of(line[i]));
        const QPointF end = place_of(line.front());
        p.drawText(QRectF(end.x() + 6, end.y() - 17, 160, 16), Qt::AlignLeft | Qt::AlignVCenter, name);
    };
    draw(daylight, tr("daylight"), Qt::SolidLine);
    draw(planck, tr("black body"), Qt::DashLine);
    int named = 0;
    for (const Mark& m : marks_) {
        const QPointF c = place_of(held(m.at));
        p.setPen(QPen(t.text, 1.4));
        p.setBrush(Qt::NoBrush);
        switch (m.kind) {
        case Kind::neutral:
            p.drawLine(c - QPointF(6, 0), c + QPointF(6, 0));
            p.drawLine(c - QPointF(0, 6), c + QPointF(0, 6));
            break;
        case Kind::house: p.drawRect(QRectF(c.x() - 4, c.y() - 4, 8, 8)); break;
        case Kind::tint: p.drawPolygon(QPolygonF({c - QPointF(0, 5), c + QPointF(5, 4), c + QPointF(-5, 4)})); break;
        case Kind::light:
            for (int k = 0; k < 8; ++k) {
                const double a = k * M_PI / 4;
                p.drawLine(c + 3.0 * QPointF(std::cos(a), std::sin(a)), c + 7.0 * QPointF(std::cos(a), std::sin(a)));
            }
            break;
        }
        if (m.kind == Kind::house || m.kind == Kind::light) {
            // Names at different heights, so that near marks keep them apart.
            constexpr double high = 16, wide = 120;
            const double x = std::clamp(c.x() - wide / 2, f.left() + 2, f.right() - wide - 2),
                         y = m.kind == Kind::light ? c.y() + 8 : c.y() - 10 - high * (1 + named++ % 3);
            p.drawText(QRectF(x, y, wide, high),
                       Qt::AlignVCenter | (x < c.x() - wide / 2   ? Qt::AlignRight
                                           : x > c.x() - wide / 2 ? Qt::AlignLeft
                                                                  : Qt::AlignHCenter),
                       p.fontMetrics().elidedText(m.name, Qt::ElideRight, static_cast<int>(wide)));
            if (m.kind == Kind::house) {
                p.setPen(QPen(t.line, 1));
                p.drawLine(QPointF(c.x(), y + high), QPointF(c.x(), c.y() - 5));
            }
        }
    }
    p.setClipping(false);
    const QPointF c = place_of(held(at_));
    if (with_light_ != at_) { // what is kept of the light takes it on
        const QPointF end = place_of(held(with_light_));
        p.setPen(QPen(t.text, 1.4, Qt::DotLine));
        p.drawLine(c, end);
        p.setBrush(t.raised);
        p.setPen(QPen(t.text, 1.6));
        p.drawEllipse(end, 4, 4);
    }
    p.setPen(QPen(t.raised, 2));
    p.setBrush(t.text);
    p.drawEllipse(c, 7, 7);
}

void WarmthMap::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const QPointF place = event->position();
    if (QLineF(place, place_of(held(at_))).length() > near_px)
        if (const Mark* mark = mark_near(place)) {
            at_ = held(mark->at);
            emit settled(at_, mark->name);
            return;
        }
    dragged_ = true;
    mouseMoveEvent(event);
}

void WarmthMap::mouseMoveEvent(QMouseEvent* event) {
    if (!dragged_) return;
    const QPointF at = at_place(event->position());
    if (at == at_) return;
    at_ = at;
    update();
    emit moving(at_);
}

void WarmthMap::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragged_ || event->button() != Qt::LeftButton) return;
    dragged_ = false;
    emit settled(at_, {});
}

void WarmthMap::keyPressEvent(QKeyEvent* event) {
    const double by = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
    QPointF at = at_;
    switch (event->key()) {
    case Qt::Key_Left: at.rx() -= by; break;
    case Qt::Key_Right: at.rx() += by; break;
    case Qt::Key_Up: at.ry() += by / 2; break;
    case Qt::Key_Down: at.ry() -= by / 2; break;
    case Qt::Key_Home: at = {0, 0}; break;
    default: return QWidget::keyPressEvent(event);
    }
    at_ = held(at);
    emit settled(at_, {});
}

bool WarmthMap::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        if (const Mark* m = mark_near(help->pos()))
            QToolTip::showText(
                help->globalPos(),
                tr("%1: %2 mired, %3 greener").arg(m->name).arg(m->at.x(), 0, 'f', 0).arg(m->at.y(), 0, 'f', 1));
        else
            QToolTip::showText(help->globalPos(), tr("Drag the point, choose a mark, or move by the arrow keys (Shift: "
                                                     "further, Home: neutral)"));
        return true;
    }
    return QWidget::event(event);
}

} // namespace refero::app
