// The picture's loupe: the corner that is dragged, magnified; what lies under the pointer, in figures.
#include <QPainter>

#include "apply/readout.hpp"
#include "picture_view.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr double loupe = 168;    // side of the magnified square
constexpr double loupe_zoom = 4; // over what the view shows
constexpr double small_loupe = 92, small_zoom = 6;
constexpr int told_side = 5; // pixels of the picture whose mean is told

QString triple(const std::array<QString, 3>& values) {
    return QStringList(values.begin(), values.end()).join(QString::fromUtf8("\u2002"));
}

/// The rows of one picture, the same for each.
QStringList readout_rows(const apply::Readout& r) {
    const auto numbers = [](const auto& values, int decimals) {
        std::array<QString, 3> all;
        for (std::size_t i = 0; i < 3; ++i)
            all[i] = QString::number(static_cast<double>(values[static_cast<long>(i)]), 'f', decimals);
        return triple(all);
    };
    const std::array<double, 3> eight{double(r.eight[0]), double(r.eight[1]), double(r.eight[2])},
        sixteen{double(r.sixteen[0]), double(r.sixteen[1]), double(r.sixteen[2])};
    const QString ends = r.high ? QObject::tr(" or more") : r.low ? QObject::tr(" or less") : QString();
    return {numbers(r.percent, 1) + ends, numbers(eight, 0), numbers(sixteen, 0), numbers(r.lab, 1),
            r.stops < -15 ? QObject::tr("black")
                          : QString(r.stops < 0 ? QString::fromUtf8("\u2212") : "+") +
                                QString::number(std::abs(r.stops), 'f', 1)};
}

} // namespace

void PictureView::tell_colours(bool on) {
    tells_colours_ = on;
    update();
}

void PictureView::leaveEvent(QEvent*) {
    pointer_.reset();
    emit pointed(std::nullopt);
    if (tells_colours_) update();
}

void PictureView::draw_magnified(QPainter& painter, const QRectF& box, const chart::Point& about, double zoom) const {
    const QImage& level = before_.levels.front();
    const double k = static_cast<double>(level.width()) / before_.full_width,
                 half = box.width() / 2 / (zoom * scale_) * k;
    painter.save();
    painter.fillRect(box, Theme::now().surround);
    painter.setClipRect(box);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false); // pixels are what is aimed at
    painter.drawImage(box, level, QRectF(about.x() * k - half, about.y() * k - half, 2 * half, 2 * half));
    const QPointF c = box.center();
    const double arm = 0.15 * box.width();
    painter.setRenderHint(QPainter::Antialiasing, false);
    for (const auto& [colour, wide] : {std::pair{QColor(0, 0, 0, 190), 3}, {QColor(Qt::white), 1}}) {
        painter.setPen(QPen(colour, wide));
        painter.drawLine(QPointF(c.x() - arm, c.y()), QPointF(c.x() - 5, c.y()));
        painter.drawLine(QPointF(c.x() + 5, c.y()), QPointF(c.x() + arm, c.y()));
        painter.drawLine(QPointF(c.x(), c.y() - arm), QPointF(c.x(), c.y() - 5));
        painter.drawLine(QPointF(c.x(), c.y() + 5), QPointF(c.x(), c.y() + arm));
    }
    painter.restore();
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(Qt::black, 3));
    painter.drawRect(box);
    painter.setPen(QPen(Qt::white, 1));
    painter.drawRect(box);
}

// What lies under the corner that is dragged, magnified, in the corner of the view that is farthest from it.
void PictureView::draw_loupe(QPainter& painter) const {
    if (drag_ != Drag::corner || corner_ < 0 || !corners_ || before_.empty()) return;
    const chart::Point corner = (*corners_)[static_cast<std::size_t>(corner_)];
    const QPointF at = to_widget(corner);
    draw_magnified(painter,
                   QRectF(at.x() < width() / 2.0 ? width() - loupe - 12 : 12,
                          at.y() < height() / 2.0 ? height() - loupe - 12 : 12, loupe, loupe),
                   corner, loupe_zoom);
}

void PictureView::draw_colours(QPainter& painter) const {
    if (!tells_colours_ || (!pointer_ && !hasFocus()) || drag_ == Drag::corner || before_.empty() || !before_.deep)
        return;
    const QPointF at = pointer_.value_or(QPointF(width() / 2.0, height() / 2.0));
    const chart::Point full = to_full(at);
    if (full.x() < 0 || full.y() < 0 || full.x() >= before_.full_width || full.y() >= before_.full_height) return;
    const bool both = !after_.empty() && after_.deep && flipped_ == Flip::split;
    std::vector<std::pair<QString, const Rendition*>> shown;
    if (both) shown = {{name_before_, &before_}, {name_after_, &after_}};
    else if (!after_.empty() && flipped_ == Flip::after) shown = {{name_after_, &after_}};
    else shown = {{after_.empty() ? QString() : name_before_, &before_}};
    std::vector<QStringList> columns{
        {QString(), QObject::tr("%"), tr("8 bit"), tr("16 bit"), tr("L* a* b*"), tr("stops")}};
    for (const auto& [name, picture] : shown) {
        const QSize size = picture->levels.front().size();
        const auto px = [](double share, int n) { return std::clamp(static_cast<int>(share * n), 0, n - 1); };
        columns.push_back(
            QStringList(name.section(':', 0, 0)) +
            readout_rows(apply::readout(*picture->deep, size.width(), size.height(),
                                        px(full.x() / before_.full_width, size.width()),
                                        px(full.y() / before_.full_height, size.height()), told_side, "srgb")));
    }
    const QFontMetricsF metrics(small_font());
    const double line = metrics.height() + 2, pad = 10;
    double text = 0;
    std::vector<double> widths;
    for (const QStringList& column : columns) {
        double widest = 0;
        for (const QString& row : column) widest = std::max(widest, metrics.horizontalAdvance(row));
        widths.push_back(widest + 14);
        text += widths.back();
    }
    const bool named = !shown.front().first.isEmpty();
    const double height_px = std::max(small_loupe, line * (named ? 6 : 5)) + 2 * pad,
                 width_px = small_loupe + 3 * pad + text;
    const QRectF box(at.x() < width() / 2.0 ? width() - width_px - 10 : 10,
                     at.y() < height() / 2.0 ? height() - height_px - 10 : 10, width_px, height_px);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 20, 20, 225));
    painter.drawRoundedRect(box, 4, 4);
    draw_magnified(painter, QRectF(box.left() + pad, box.top() + pad, small_loupe, small_loupe), full, small_zoom);
    painter.setFont(small_font());
    double x = box.left() + small_loupe + 2.2 * pad;
    for (std::size_t c = 0; c < columns.size(); ++c) {
        for (int row = named ? 0 : 1; row < 6; ++row) {
            painter.setPen(c == 0 || row == 0 ? QColor(190, 190, 190) : QColor(Qt::white));
            painter.drawText(QRectF(x, box.top() + pad + (named ? row : row - 1) * line, widths[c], line),
                             Qt::AlignLeft | Qt::AlignVCenter, columns[c][row]);
        }
        x += widths[c];
    }
    if (pointer_) return;
    painter.setRenderHint(QPainter::Antialiasing, false); // where the middle is read
    for (const auto& [colour, wide] : {std::pair{QColor(0, 0, 0, 190), 3}, {QColor(Qt::white), 1}}) {
        painter.setPen(QPen(colour, wide));
        painter.drawLine(at - QPointF(9, 0), at + QPointF(9, 0));
        painter.drawLine(at - QPointF(0, 9), at + QPointF(0, 9));
    }
}

} // namespace refero::app
