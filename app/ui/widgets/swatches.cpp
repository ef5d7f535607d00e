#include "swatches.hpp"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "apply/apply.hpp"
#include "ui/theme.hpp"

namespace refero::app {

QColor colour_of(const colour::Vec3& xyz) { return QColor::fromRgb(apply::display_code(xyz)); }
QColor colour_of_lab(const colour::Vec3& lab) { return colour_of(colour::xyz_from_lab(lab)); }

Swatches::Swatches(QWidget* parent) : QWidget(parent) {
    setMinimumSize(240, 160);
    setAccessibleName(tr("Patches: reference outside, corrected inside"));
}

void Swatches::set(const chart::Definition* definition, const prove::Proof* proof) {
    definition_ = definition ? std::optional(*definition) : std::nullopt;
    proofs_.clear();
    if (proof)
        for (const prove::PatchProof& p : proof->patches) proofs_[p.id] = p;
    update();
}

void Swatches::select_patch(const QString& id) {
    selected_ = id;
    update();
}

QRectF Swatches::rect_of(const chart::Patch& p) const {
    const double margin = 26, k = std::min((width() - 2 * margin) / definition_->width_mm,
                                           (height() - 2 * margin) / definition_->height_mm);
    const double x = (width() - k * definition_->width_mm) / 2, y = (height() - k * definition_->height_mm) / 2;
    return {x + k * p.x_mm, y + k * p.y_mm, k * p.w_mm, k * p.h_mm};
}

const chart::Patch* Swatches::patch_at(const QPointF& point) const {
    if (definition_)
        for (const chart::Patch& p : definition_->patches)
            if (rect_of(p).contains(point)) return &p;
    return nullptr;
}

void Swatches::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), Theme::now().surround);
    if (!definition_ || proofs_.empty()) {
        painter.setPen(Theme::now().text);
        painter.drawText(rect(), Qt::AlignCenter, tr("Accuracy is not checked yet.\nFit a correction first."));
        return;
    }
    painter.setFont(small_font());
    for (const chart::Patch& patch : definition_->patches) {
        const auto proof = proofs_.find(patch.id);
        if (proof == proofs_.end()) continue;
        const QRectF r = rect_of(patch);
        const QColor outside = colour_of_lab(proof->second.reference_lab),
                     inside = colour_of_lab(proof->second.corrected_lab);
        painter.fillRect(r, outside);
        const double in = 0.26 * std::min(r.width(), r.height());
        painter.fillRect(r.adjusted(in, in, -in, -in), inside);
        painter.setPen(proof->second.reference_lab[0] > 55 ? Qt::black : Qt::white);
        constexpr double room_for_both = 36;
        const bool small = r.height() < room_for_both;
        painter.drawText(r.adjusted(5, 2, -5, -2), small ? Qt::AlignCenter : Qt::AlignLeft | Qt::AlignTop,
                         QString::fromStdString(patch.id));
        if (!small)
            painter.drawText(r.adjusted(5, 2, -5, -2), Qt::AlignRight | Qt::AlignBottom,
                             QString::number(proof->second.delta_e_2000, 'f', 2));
        if (QString::fromStdString(patch.id) == selected_) {
            painter.setPen(QPen(Qt::black, 5));
            painter.drawRect(r);
            painter.setPen(QPen(Qt::white, 2));
            painter.drawRect(r);
        }
    }
}

void Swatches::mousePressEvent(QMouseEvent* event) {
    if (const auto* p = patch_at(event->position())) {
        select_patch(QString::fromStdString(p->id));
        emit patch_chosen(selected_);
    }
}

bool Swatches::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const auto* p = patch_at(help->pos());
        const auto proof = p ? proofs_.find(p->id) : proofs_.end();
        if (proof != proofs_.end()) {
            const auto& r = proof->second;
            QToolTip::showText(help->globalPos(), tr("%1: CIEDE2000 %2\nlightness %3, chroma %4, hue %5\u00b0 off")
                                                      .arg(QString::fromStdString(p->id))
                                                      .arg(r.delta_e_2000, 0, 'f', 2)
                                                      .arg(r.lightness, 0, 'f', 2)
                                                      .arg(r.chroma, 0, 'f', 2)
                                                      .arg(r.hue_deg, 0, 'f', 1));
            return true;
        }
        QToolTip::hideText();
    }
    return QWidget::event(event);
}

} // namespace refero::app
