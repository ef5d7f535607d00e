#include "places/match/match_scope.hpp"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "scope/scope.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr double margin = 26, gap = 30, ring = 5.5, disc = 3.6;

QPointF difference_of(const colour::Vec3& code) {
    const Eigen::Vector3d y = scope::ycbcr(code, scope::Standard::bt709);
    return {y[1], y[2]};
}

/// Where pixels lie, as strength of the ink: half of the densest place and more is full.
QImage cloud_of(const scope::Trace& trace, const QColor& ink) {
    QImage image(trace.width, trace.height, QImage::Format_ARGB32);
    std::uint32_t most = 1;
    for (const std::uint32_t n : trace.count) most = std::max(most, n);
    for (int y = 0; y < trace.height; ++y)
        for (int x = 0; x < trace.width; ++x) {
            const std::uint32_t n = trace.at(x, y);
            const double strength = n ? std::min(1.0, 0.25 + 1.5 * n / most) : 0;
            image.setPixel(x, y, qRgba(ink.red(), ink.green(), ink.blue(), static_cast<int>(200 * strength)));
        }
    return image;
}

/// The largest colour difference that any pixel has.
double reach_of(const scope::Trace& trace) {
    double most = 0;
    for (int y = 0; y < trace.height; ++y)
        for (int x = 0; x < trace.width; ++x)
            if (trace.at(x, y)) most = std::max(most, std::hypot(x + 0.5 - 128, y + 0.5 - 128) / 256);
    return most;
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

void MatchScope::set_region(const std::optional<operations::PartOfBoth>& part) {
    region_ = part;
    update();
}

double MatchScope::reach() const {
    if (!region_) return reach_;
    return 1.08 * std::max({0.05, reach_of(region_->lead.colours), reach_of(region_->other.colours)});
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
    return r.center() + QPointF(d.x() * r.width(), -d.y() * r.height()) / (2 * reach());
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
               tr("Colour difference, BT.709; to the edge %1 %").arg(100 * reach(), 0, 'f', 0));
    if (region_) draw_region(p);
    else draw_patches(p);
}

void MatchScope::draw_patches(QPainter& p) const {
    const Theme& t = Theme::now();
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

// Both clouds of pixels, and their means as patches are drawn.
void MatchScope::draw_region(QPainter& p) const {
    const Theme& t = Theme::now();
    const QRectF r = colours();
    const double side = r.width() / (2 * reach()); // of the whole vectorscope
    const QRectF whole(r.center() - QPointF(side, side) / 2, QSizeF(side, side));
    p.save();
    p.setClipRect(r);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(whole, cloud_of(region_->lead.colours, t.dim));
    p.drawImage(whole, cloud_of(region_->other.colours, t.strong));
    p.restore();
    const QPointF lead = on_colours(region_->lead.mean), other = on_colours(region_->other.mean);
    p.setPen(QPen(t.text, 1.6));
    p.drawLine(lead, other);
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(lead, ring + 1, ring + 1);
    p.setPen(Qt::NoPen);
    p.setBrush(t.text);
    p.drawEllipse(other, disc, disc);
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
               region_ ? tr("Tones of the region: the other's codes over the lead's")
                       : tr("Greys: the other's codes over the lead's"));
    for (const int percent : {0, 50, 100}) {
        p.drawText(QRectF(r.left() - 40, r.bottom() - r.height() * percent / 100 - 8, 34, 16),
                   Qt::AlignRight | Qt::AlignVCenter, QString::number(percent));
        p.drawText(QRectF(r.left() + r.width() * percent / 100 - 20, r.bottom() + 4, 40, 16), Qt::AlignCenter,
                   QString::number(percent));
    }
    if (region_) draw_tones(p);
    else draw_patch_greys(p);
}

void MatchScope::draw_patch_greys(QPainter& p) const {
    const Theme& t = Theme::now();
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

// Of as many pixels, which code in the other's picture stands where which stands in the lead's.
void MatchScope::draw_tones(QPainter& p) const {
    const Theme& t = Theme::now();
    const QRectF r = greys();
    const QString names[] = {tr("R"), tr("G"), tr("B")};
    const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine};
    for (std::size_t c = 0; c < 3; ++c) {
        const std::vector<double>&lead = region_->lead.tone[c], &other = region_->other.tone[c];
        QPolygonF line;
        for (std::size_t i = 0; i < lead.size(); ++i)
            line << QPointF(r.left() + lead[i] * r.width(), r.bottom() - other[i] * r.height());
        p.setPen(QPen(t.text, 1.6, styles[c]));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(line);
        p.drawText(QRectF(line.back().x() - 6 + (static_cast<int>(c) - 1) * 10, line.back().y() - 18, 12, 14),
                   Qt::AlignCenter, names[c]);
    }
}

void MatchScope::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Theme::now().panel);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(small_font());
    if (patches_.empty() && !region_) {
        p.setPen(Theme::now().dim);
        p.drawText(rect(), Qt::AlignCenter, tr("Choose two cameras whose chart shots are read."));
        return;
    }
    draw_colours(p);
    draw_greys(p);
}

void MatchScope::mousePressEvent(QMouseEvent* event) {
    if (region_) return;
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
