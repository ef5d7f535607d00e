#include "day_line.hpp"

#include <QDrag>
#include <QHelpEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "shoot/time.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr double names_width = 150, right_room = 26, row_height = 58, top_room = 8, axis_height = 26, mark_size = 15;

/// Steps of an axis of time, seconds.
double step_for(double span_s, double room_px) {
    for (const double step : {300.0, 600.0, 900.0, 1800.0, 3600.0, 7200.0, 14400.0, 21600.0, 43200.0, 86400.0})
        if (span_s / step * 62 < room_px) return step;
    return 7 * 86400.0;
}

} // namespace

void draw_verdict(QPainter& p, const QRectF& box, std::optional<inspect::Status> verdict, const QColor& colour) {
    p.save();
    p.setPen(QPen(colour, 1.6, verdict ? Qt::SolidLine : Qt::DotLine));
    p.setBrush(verdict == inspect::Status::pass ? QBrush(colour) : Qt::NoBrush);
    p.drawRect(box);
    if (verdict == inspect::Status::caution) {
        QPainterPath half(box.bottomLeft());
        half.lineTo(box.topRight());
        half.lineTo(box.bottomRight());
        half.closeSubpath();
        p.fillPath(half, colour);
    }
    if (verdict == inspect::Status::reshoot) {
        p.drawLine(box.topLeft(), box.bottomRight());
        p.drawLine(box.topRight(), box.bottomLeft());
    }
    p.restore();
}

DayLine::DayLine(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
    setObjectName("dayLine");
    setAccessibleName(tr("The day: cameras down, time across, a mark for each chart"));
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void DayLine::follow() {
    pressed_ = nullptr;
    updateGeometry();
    update();
}

QSize DayLine::sizeHint() const {
    const auto rows = static_cast<double>(std::max<std::size_t>(1, desk_.arrivals.day().rows.size()));
    return {800, static_cast<int>(top_room + rows * row_height + axis_height)};
}

double DayLine::x_of(double at_s) const {
    const operations::Day& day = desk_.arrivals.day();
    const double span = std::max(60.0, day.to_s - day.from_s), room = width() - names_width - right_room;
    return names_width + room * (span > day.to_s - day.from_s ? 0.5 : (at_s - day.from_s) / span);
}

double DayLine::y_of(std::size_t row) const { return top_room + (static_cast<double>(row) + 0.5) * row_height; }

QRectF DayLine::mark_of(Id chart_shot) const {
    const auto& rows = desk_.arrivals.day().rows;
    for (std::size_t r = 0; r < rows.size(); ++r) {
        double beside = names_width; // marks without a time stand at the left
        double last = -1e9;
        for (const operations::DayChart& c : rows[r].charts) {
            double x = std::isfinite(c.at_s) ? x_of(c.at_s) : (beside += mark_size + 4);
            x = std::max(x, last + mark_size + 3); // repeats stand beside each other
            last = x;
            if (c.chart_shot == chart_shot)
                return {x - mark_size / 2, y_of(r) - mark_size / 2 - 4, mark_size, mark_size};
        }
    }
    return {};
}

const operations::DayChart* DayLine::chart_at(const QPointF& place) const {
    for (const operations::DayRow& row : desk_.arrivals.day().rows)
        for (const operations::DayChart& c : row.charts)
            if (mark_of(c.chart_shot).adjusted(-5, -14, 5, 12).contains(place)) return &c;
    return nullptr;
}

void DayLine::paint_axis(QPainter& p) const {
    const Theme& t = Theme::now();
    const operations::Day& day = desk_.arrivals.day();
    if (!std::isfinite(day.from_s)) return;
    const double step = step_for(day.to_s - day.from_s, width() - names_width - right_room);
    const double bottom = y_of(day.rows.size() - 1) + row_height / 2;
    p.setFont(small_font());
    const bool days = day.to_s - day.from_s > 86400;
    for (double at = std::ceil(day.from_s / step) * step; at <= day.to_s; at += step) {
        const double x = x_of(at);
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(x, top_room), QPointF(x, bottom));
        p.setPen(t.dim);
        const QString time = qt(shoot::time_of(at));
        p.drawText(QRectF(x - 40, bottom + 3, 80, axis_height - 4), Qt::AlignHCenter | Qt::AlignTop,
                   days && step >= 86400 ? time.mid(5, 5) : time.mid(11, 5));
    }
}

void DayLine::paint_row(QPainter& p, std::size_t r) const {
    const Theme& t = Theme::now();
    const operations::Day& day = desk_.arrivals.day();
    const operations::DayRow& row = day.rows[r];
    const double y = y_of(r);
    p.setPen(t.text);
    p.setFont(font());
    p.drawText(QRectF(4, y - 20, names_width - 14, 18), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(qt(row.name), Qt::ElideRight, static_cast<int>(names_width) - 16));
    p.setFont(small_font());
    p.setPen(t.dim);
    p.drawText(QRectF(4, y - 2, names_width - 14, 18), Qt::AlignLeft | Qt::AlignVCenter,
               row.frames == 1 ? tr("1 frame") : tr("%1 frames").arg(row.frames));
    p.setPen(QPen(t.dim, 1));
    for (const double at : row.frames_s) p.drawLine(QPointF(x_of(at), y + 10), QPointF(x_of(at), y + 17));
    p.setPen(QPen(t.line, 1));
    p.drawLine(QPointF(names_width, y + 13.5), QPointF(width() - right_room, y + 13.5));
    // Over each mark its light, where there is room, and which of its setup's stretches it governs.
    double free_from = names_width - 20;
    for (const operations::DayChart& c : row.charts) {
        const QRectF mark = mark_of(c.chart_shot);
        draw_verdict(p, mark, c.verdict, t.text);
        const auto of_setup = std::count_if(row.charts.begin(), row.charts.end(),
                                            [&](const operations::DayChart& o) { return o.setup == c.setup; });
        const QString number = c.stretch && of_setup > 1 ? QString::number(c.stretch) : QString();
        QString label = qt(shoot::name_in(desk_.job.shoot().lights, c.light));
        if (!number.isEmpty()) label += " " + number;
        p.setPen(t.text);
        p.setFont(small_font());
        double wide = p.fontMetrics().horizontalAdvance(label) + 6;
        if (mark.center().x() - wide / 2 < free_from) {
            label = number;
            wide = p.fontMetrics().horizontalAdvance(label) + 6;
        }
        if (label.isEmpty() || mark.center().x() - wide / 2 < free_from) continue;
        free_from = mark.center().x() + wide / 2;
        p.drawText(QRectF(mark.center().x() - wide / 2, mark.top() - 15, wide, 14), Qt::AlignCenter, label);
    }
}

void DayLine::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = Theme::now();
    const operations::Day& day = desk_.arrivals.day();
    if (day.rows.empty()) return;
    paint_axis(p);
    // Frames that no chart stands for: hatched, over the rows of their cameras.
    for (const shoot::Forgotten& gap : day.forgotten) {
        const double from = shoot::seconds_of(gap.from), to = shoot::seconds_of(gap.to);
        if (!std::isfinite(from) || !std::isfinite(to)) continue;
        std::set<Id> cameras;
        for (const Id id : gap.frames)
            if (const shoot::FrameRecord* f = desk_.job.frame(id)) cameras.insert(f->camera);
        for (std::size_t r = 0; r < day.rows.size(); ++r) {
            if (!cameras.contains(day.rows[r].camera)) continue;
            const QRectF box(x_of(from) - 4, y_of(r) + 6, std::max(8.0, x_of(to) - x_of(from) + 8), 15);
            p.setPen(QPen(t.dim, 1, Qt::DashLine));
            p.setBrush(QBrush(t.dim, Qt::BDiagPattern));
            p.drawRect(box);
            p.setBrush(Qt::NoBrush);
        }
    }
    for (std::size_t r = 0; r < day.rows.size(); ++r) paint_row(p, r);
}

void DayLine::mousePressEvent(QMouseEvent* e) {
    pressed_ = e->button() == Qt::LeftButton ? chart_at(e->position()) : nullptr;
    pressed_at_ = e->pos();
}

void DayLine::mouseMoveEvent(QMouseEvent* e) {
    setCursor(chart_at(e->position()) ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (!pressed_ || (e->pos() - pressed_at_).manhattanLength() < 8) return;
    auto* drag = new QDrag(this);
    auto* what = new QMimeData;
    what->setData(chart_shot_mime, QByteArray::number(static_cast<qlonglong>(pressed_->chart_shot)));
    drag->setMimeData(what);
    pressed_ = nullptr;
    drag->exec(Qt::MoveAction);
}

void DayLine::mouseReleaseEvent(QMouseEvent* e) {
    const operations::DayChart* chart = std::exchange(pressed_, nullptr);
    if (chart && chart == chart_at(e->position())) emit setup_opened(chart->setup);
}

bool DayLine::event(QEvent* e) {
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    QString words;
    if (const operations::DayChart* c = chart_at(help->pos())) {
        words = desk_.arrivals.title_of(*c) + "\n" + desk_.chains.title_of(c->setup) + "\n" +
                (c->verdict ? tr("Chart shot: %1").arg(qt(inspect::name_of(*c->verdict))) : tr("Not read yet")) + "\n" +
                tr("Click to open it; drag it onto the light that it was lit by");
    } else {
        const operations::Day& day = desk_.arrivals.day();
        for (const shoot::Forgotten& gap : day.forgotten) {
            const double from = shoot::seconds_of(gap.from), to = shoot::seconds_of(gap.to);
            if (help->pos().x() > x_of(from) - 6 && help->pos().x() < x_of(to) + 6)
                words = tr("No chart stands for %1 frames: %2").arg(gap.frames.size()).arg(qt(gap.reason));
        }
    }
    QToolTip::showText(help->globalPos(), words, this);
    return true;
}

} // namespace refero::app
