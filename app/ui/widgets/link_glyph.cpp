#include "link_glyph.hpp"

#include <QPainterPath>

#include "shoot/evidence.hpp"
#include "ui/theme.hpp"

namespace refero::app {

void draw_link(QPainter& painter, const QRectF& box, LinkState state, const QColor& colour) {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const double w = std::min(box.width(), box.height() * 0.62), h = w / 0.62, stroke = std::max(1.4, w * 0.16);
    QRectF ring(0, 0, w - stroke, h - stroke);
    ring.moveCenter(box.center());
    const double r = ring.width() / 2;
    QPen pen(colour, stroke, Qt::SolidLine, Qt::FlatCap);
    painter.setBrush(Qt::NoBrush);
    switch (state) {
    case LinkState::whole: {
        painter.setPen(pen);
        painter.setBrush(colour);
        painter.drawRoundedRect(ring, r, r);
        break;
    }
    case LinkState::worn: {
        pen.setWidthF(stroke * 0.7);
        painter.setPen(pen);
        painter.drawRoundedRect(ring, r, r);
        painter.drawLine(QPointF(ring.center().x(), ring.top() + h * 0.25),
                         QPointF(ring.center().x(), ring.bottom() - h * 0.25));
        break;
    }
    case LinkState::broken: {
        painter.setPen(pen);
        // Two halves drawn apart.
        QRectF upper(ring.left() - w * 0.08, ring.top(), ring.width(), ring.height()),
            lower(ring.left() + w * 0.08, ring.top(), ring.width(), ring.height());
        painter.setClipRect(QRectF(box.left() - w, box.top() - 2, box.width() + 2 * w, box.height() / 2 - h * 0.1 + 2));
        painter.drawRoundedRect(upper, r, r);
        painter.setClipRect(QRectF(box.left() - w, box.center().y() + h * 0.1, box.width() + 2 * w, box.height()));
        painter.drawRoundedRect(lower, r, r);
        break;
    }
    case LinkState::missing: {
        pen.setWidthF(1.2);
        pen.setDashPattern({1.5, 2.5});
        painter.setPen(pen);
        painter.drawRoundedRect(ring, r, r);
        break;
    }
    }
    painter.restore();
}

void draw_state(QPainter& painter, const QRectF& box, shoot::State state, const QColor& colour) {
    double filled = 0;
    switch (state) {
    case shoot::State::to_shoot: return draw_link(painter, box, LinkState::missing, colour);
    case shoot::State::refused: return draw_link(painter, box, LinkState::broken, colour);
    case shoot::State::stale: return draw_link(painter, box, LinkState::worn, colour);
    case shoot::State::handed_over: return draw_link(painter, box, LinkState::whole, colour);
    case shoot::State::shot: break;
    case shoot::State::read: filled = 0.28; break;
    case shoot::State::corrected: filled = 0.52; break;
    case shoot::State::proved: filled = 0.76; break;
    }
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const double w = std::min(box.width(), box.height() * 0.62), h = w / 0.62, stroke = std::max(1.4, w * 0.14);
    QRectF ring(0, 0, w - stroke, h - stroke);
    ring.moveCenter(box.center());
    QPainterPath shape;
    shape.addRoundedRect(ring, ring.width() / 2, ring.width() / 2);
    QPainterPath level;
    level.addRect(QRectF(ring.left() - 1, ring.bottom() - filled * ring.height(), ring.width() + 2, ring.height()));
    painter.fillPath(shape & level, colour);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colour, stroke));
    painter.drawPath(shape);
    painter.restore();
}

void StateGlyph::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    draw_state(painter, QRectF(rect()).adjusted(1, 1, -1, -1), state_, Theme::now().text);
}

void draw_chain(QPainter& painter, const QRectF& box, const Chain& setup, const QColor& colour) {
    const auto steps = setup.steps();
    const double step = box.width() / static_cast<double>(steps.size());
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const LinkState state = setup.link(steps[i]);
        const QRectF cell(box.left() + static_cast<double>(i) * step, box.top(), step, box.height());
        if (i + 1 < steps.size()) { // joined where the evidence goes on
            const bool joined = state == LinkState::whole && setup.link(steps[i + 1]) != LinkState::missing;
            if (joined) painter.fillRect(QRectF(cell.center().x() + 4, cell.center().y() - 1, step - 8, 2), colour);
        }
        draw_link(painter, cell, state, colour);
    }
}

void draw_chains(QPainter& painter, const QRectF& box, const std::vector<Chain>& stretches, const QColor& colour) {
    constexpr std::size_t max_drawn = 3;
    constexpr double gap = 10, count_width = 26;
    const std::size_t drawn = std::min(max_drawn, stretches.size());
    const bool more = stretches.size() > drawn;
    const double room = box.width() - (more ? count_width : 0);
    const double width = (room - gap * static_cast<double>(drawn - 1)) / static_cast<double>(drawn);
    for (std::size_t i = 0; i < drawn; ++i)
        draw_chain(painter, QRectF(box.left() + static_cast<double>(i) * (width + gap), box.top(), width, box.height()),
                   stretches[i], colour);
    if (!more) return;
    painter.setPen(colour);
    painter.drawText(QRectF(box.right() - count_width, box.top(), count_width, box.height()),
                     Qt::AlignRight | Qt::AlignVCenter, QString("+%1").arg(stretches.size() - drawn));
}

void ChainPicture::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const double step = static_cast<double>(width()) / step_count;
    const QColor colour = Theme::now().text;
    for (int i = 0; i < step_count; ++i) {
        const QRectF cell(i * step, 4, step, 40);
        if (i + 1 < step_count) painter.fillRect(QRectF(cell.center().x(), cell.center().y() - 1, step, 2), colour);
        draw_link(painter, cell, LinkState::whole, colour);
        painter.setPen(colour);
        painter.drawText(QRectF(i * step, 48, step, 24), Qt::AlignCenter, name_of(static_cast<Step>(i)));
    }
}

} // namespace refero::app
