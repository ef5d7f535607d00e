#include "patch_map.hpp"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "ui/theme.hpp"

namespace refero::app {

PatchMap::PatchMap(QWidget* parent) : QWidget(parent) { setCursor(Qt::PointingHandCursor); }

void PatchMap::set(const chart::Definition& definition, const std::vector<double>& values, double lightest,
                   double darkest, int digits, const QString& unit) {
    definition_ = definition;
    values_ = values;
    lightest_ = lightest;
    darkest_ = darkest;
    digits_ = digits;
    unit_ = unit;
    colours_.clear();
    fit();
    update();
}

void PatchMap::set_colours(const std::vector<QColor>& colours) {
    colours_ = colours;
    update();
}

void PatchMap::clear() {
    definition_ = {};
    values_.clear();
    colours_.clear();
    fit();
    update();
}

void PatchMap::select_patch(const QString& id) {
    selected_ = id;
    update();
}

int PatchMap::heightForWidth(int width) const {
    if (definition_.patches.empty()) return 0;
    return std::min(230, static_cast<int>(width * definition_.height_mm / definition_.width_mm) + 2);
}

QRectF PatchMap::rect_of(const chart::Patch& p) const {
    const double scale = std::min((width() - 2) / definition_.width_mm, (height() - 2) / definition_.height_mm);
    return {1 + p.x_mm * scale, 1 + p.y_mm * scale, p.w_mm * scale, p.h_mm * scale};
}

int PatchMap::index_at(const QPointF& at) const {
    for (std::size_t i = 0; i < definition_.patches.size(); ++i)
        if (rect_of(definition_.patches[i]).contains(at)) return static_cast<int>(i);
    return -1;
}

QString PatchMap::text_at(const QPointF& at) const {
    const int i = index_at(at);
    if (i < 0) return {};
    const double v = values_[static_cast<std::size_t>(i)];
    const QString id = QString::fromStdString(definition_.patches[static_cast<std::size_t>(i)].id);
    return std::isfinite(v) ? tr("%1: %2 %3").arg(id, figure(v), unit_) : tr("%1: not usable").arg(id);
}

QString PatchMap::figure(double v) const {
    const double step = std::pow(10, digits_);
    return QString::number(std::round(v * step) / step + 0.0, 'f', digits_); // no -0.00
}

void PatchMap::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    QFont small = font();
    small.setPointSizeF(0.78 * small.pointSizeF());
    painter.setFont(small);
    for (std::size_t i = 0; i < definition_.patches.size(); ++i) {
        const QRectF r = rect_of(definition_.patches[i]);
        const double v = values_[i];
        if (!std::isfinite(v)) {
            painter.fillRect(r, QBrush(Theme::now().dim, Qt::BDiagPattern));
            continue;
        }
        const double share = std::clamp((v - darkest_) / (lightest_ - darkest_), 0.0, 1.0);
        int grey = static_cast<int>(std::lround(45 + 200 * share));
        painter.fillRect(r, colours_.empty() ? QColor(grey, grey, grey) : colours_[i]);
        if (!colours_.empty()) grey = qGray(colours_[i].rgb());
        const QString words = figure(v);
        if (painter.fontMetrics().horizontalAdvance(words) < r.width() - 2) {
            painter.setPen(grey > 117 ? Qt::black : Qt::white); // 4.6 : 1 on either side
            painter.drawText(r, Qt::AlignCenter, words);
        }
        if (QString::fromStdString(definition_.patches[i].id) == selected_) {
            painter.setPen(QPen(Theme::now().text, 2.5));
            painter.drawRect(r.adjusted(1, 1, -1, -1));
        }
    }
}

void PatchMap::mousePressEvent(QMouseEvent* e) {
    if (const int i = index_at(e->position()); i >= 0) {
        select_patch(QString::fromStdString(definition_.patches[static_cast<std::size_t>(i)].id));
        emit patch_chosen(selected_);
    }
}

bool PatchMap::event(QEvent* e) {
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    QToolTip::showText(help->globalPos(), text_at(help->pos()), this);
    return true;
}

} // namespace refero::app
