#include "match/match_scope.hpp"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "../theme.hpp"
#include "scope/scope.hpp"

namespace refero::app {

namespace {

constexpr double margin = 26, gap = 30, ring = 5.5, disc = 3.6;

QPointF difference_of(const colour::Vec3& code) {
    const Eigen::Vector3d y = scope::ycbcr(code, scope::Standard::bt709);
    return {y[1], y[2]};
}

} // namespace

MatchScope::MatchScope(QWidget* parent) : QWidget(parent) {
    setMinimumSize(420, 260);
    setAccessibleName(tr("Patches of both cameras on a vectorscope and a grey ladder"));
    setToolTip(tr("Rings: the lead. Discs: the other as matched, else by its balance alone; the line shows how far it "
                  "still has to go. Click a patch to see it in the table"));
}

void MatchScope::set(const std::vector<PairedPatch>& patches) {
    patches_ = patches;
    double most = 0.1;
    for (const PairedPatch& p : patches_)
        for (const colour::Vec3& code : {p.lead, p.matched ? p.after : p.before}) {
            const QPointF d = difference_of(code);
            most = std::max(most, std::hypot(d.x(), d.y()));
        }
    reach_ = 1.08 * most;
    update();
}

void MatchScope::select_patch(const QString& id) {
    selected_ = id;
    update();
}

// One over the other where there is height, else side by side.
bool MatchScope::is_tall() const { return height() > 0.9 * width(); }

QRectF MatchScope::colours() const {
    if (is_tall()) {
        const double side = std::min(width() - 2 * margin, 0.62 * (height() - 3 * margin));
        return {(width() - side) / 2, margin, side, side};
    }
    const double side = std::min(height() - 2 * margin, 0.58 * (width() - 2 * margin - gap));
    return {margin, margin, side, side};
}

QRectF MatchScope::greys() const {
    const QRectF c = colours();
    if (is_tall())
        return {2.0 * margin, c.bottom() + 2 * margin, width() - 4.0 * margin, height() - c.bottom() - 3.2 * margin};
    return {c.right() + gap + 16, margin, width() - c.right() - gap - 16 - margin, c.height()};
}

QPointF MatchScope::on_colours(const colour::Vec3& code) const {
    const QRectF r = colours();
    const QPointF d = difference_of(code);
    return {r.center().x() + d.x() / reach_ * r.width() / 2, r.center().y() - d.y() / reach_ * r.height() / 2};
}

// Codes of the lead to the right, of the other upwards: alike is the diagonal.
QPointF MatchScope::on_greys(const PairedPatch& patch, double code) const {
    const QRectF r = greys();
    return {r.left() + patch.lead[1] * r.width(), r.bottom() - code * r.height()};
}

void MatchScope::draw_colours(QPainter& p) const {
    const Theme& t = Theme::now();
    const QRectF r = colours();
    p.setPen(QPen(t.line, 1));
    for (const double share : {1.0, 0.5}) p.drawEllipse(r.center(), share * r.width() / 2, share * r.height() / 2);
    p.drawLine(QPointF(r.left(), r.center().y()), QPointF(r.right(), r.center().y()));
    p.drawLine(QPointF(r.center().x(), r.top()), QPointF(r.center().x(), r.bottom()));
    const double skin = scope::skin_line_deg * M_PI / 180;
    p.setPen(QPen(t.dim, 1, Qt::DashLine));
    p.drawLine(r.center(), r.center() + QPointF(std::cos(skin), -std::sin(skin)) * r.width() / 2);
    p.setPen(t.dim);
    p.drawText(QRectF(margin, 2, width() - 2 * margin, margin - 4), Qt::AlignLeft | Qt::AlignVCenter,
               tr("Colour difference, BT.709; to the edge %1 %").arg(100 * reach_, 0, 'f', 0));
    for (const PairedPatch& patch : patches_) {
        const colour::Vec3& other = patch.matched ? patch.after : patch.before;
        const QPointF from = on_colours(other), to = on_colours(patch.lead);
        const bool chosen = patch.id == selected_;
        p.setPen(QPen(chosen ? t.strong : t.dim, chosen ? 2.4 : 1.2));
        p.drawLine(from, to);
        p.setPen(QPen(t.text, chosen ? 2.4 : 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(to, ring, ring);
        p.setPen(Qt::NoPen);
        p.setBrush(t.text);
        p.drawEllipse(from, disc, disc);
        if (chosen) {
            p.setPen(t.text);
            p.drawText(to + QPointF(8, -6), patch.id);
        }
    }
}

void MatchScope::draw_greys(QPainter& p) const {
    const Theme& t = Theme::now();
    const QRectF r = greys();
    p.setPen(QPen(t.line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r);
    p.setPen(QPen(t.dim, 1, Qt::DashLine));
    p.drawLine(r.bottomLeft(), r.topRight());
    p.setPen(t.dim);
    p.drawText(QRectF(r.left(), r.top() - margin + 2, r.width(), margin - 4), Qt::AlignLeft | Qt::AlignVCenter,
               tr("Greys: the other's codes over the lead's"));
    for (const int percent : {0, 50, 100}) {
        p.drawText(QRectF(r.left() - 40, r.bottom() - r.height() * percent / 100 - 8, 34, 16),
                   Qt::AlignRight | Qt::AlignVCenter, QString::number(percent));
        p.drawText(QRectF(r.left() + r.width() * percent / 100 - 20, r.bottom() + 4, 40, 16), Qt::AlignCenter,
                   QString::number(percent));
    }
    const QString names[] = {tr("R"), tr("G"), tr("B")};
    for (const PairedPatch& patch : patches_) {
        if (!patch.neutral) continue;
        const colour::Vec3& other = patch.matched ? patch.after : patch.before;
        for (int c = 0; c < 3; ++c) {
            const QPointF at = on_greys(patch, other[c]);
            p.setPen(t.text);
            p.drawText(QRectF(at.x() - 6 + (c - 1) * 9, at.y() - 7, 12, 14), Qt::AlignCenter, names[c]);
        }
    }
}

void MatchScope::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Theme::now().panel);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    if (patches_.empty()) {
        p.setPen(Theme::now().dim);
        p.drawText(rect(), Qt::AlignCenter, tr("Choose two cameras whose chart shots are read."));
        return;
    }
    draw_colours(p);
    draw_greys(p);
}

void MatchScope::mousePressEvent(QMouseEvent* event) {
    constexpr double near = 14;
    QString best;
    double nearest = near;
    for (const PairedPatch& patch : patches_)
        for (const QPointF& at : {on_colours(patch.lead), on_colours(patch.matched ? patch.after : patch.before)})
            if (const double d = QLineF(at, event->position()).length(); d < nearest) {
                nearest = d;
                best = patch.id;
            }
    if (best.isEmpty()) return;
    select_patch(best);
    emit patch_chosen(best);
}

} // namespace refero::app
