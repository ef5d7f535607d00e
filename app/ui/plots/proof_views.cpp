#include "proof_views.hpp"

#include <QPainter>
#include <cmath>

#include "ui/theme.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

double chroma_of(const colour::Vec3& lab) { return std::hypot(lab[1], lab[2]); }
constexpr double neutral_chroma = 8, uneven = 2.5;

void dots(QCPGraph* graph, QCPScatterStyle::ScatterShape shape, const QColor& ink, bool filled) {
    graph->setLineStyle(QCPGraph::lsNone);
    graph->setScatterStyle(QCPScatterStyle(shape, QPen(ink, 1.5), filled ? QBrush(ink) : QBrush(Qt::NoBrush), 8));
}

} // namespace

LightnessPlot::LightnessPlot(QWidget* parent) : Plot(parent), colours_(addGraph()), neutrals_(addGraph()) {
    setAccessibleName(tr("Lightness, corrected over reference"));
    setToolTip(tr("A slope or a bow here is exposure or contrast, not colour"));
    colours_->setName(tr("colours"));
    neutrals_->setName(tr("neutrals"));
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignRight);
    xAxis->setLabel(tr("reference L*"));
    yAxis->setLabel(tr("L* off"));
    xAxis->setRange(0, 100);
}

void LightnessPlot::set(const prove::Proof* proof) {
    dress();
    say(proof ? QString() : tr("Accuracy is not checked yet"));
    dots(colours_, QCPScatterStyle::ssCircle, Theme::now().text, false);
    dots(neutrals_, QCPScatterStyle::ssSquare, Theme::now().text, true);
    QVector<double> x[2], y[2];
    double reach = 1;
    if (proof)
        for (const auto& p : proof->patches) {
            const int k = chroma_of(p.reference_lab) < neutral_chroma;
            x[k] << p.reference_lab[0], y[k] << p.lightness;
            if (p.fitted) reach = std::max(reach, 1.3 * std::abs(p.lightness));
        }
    colours_->setData(x[0], y[0]);
    neutrals_->setData(x[1], y[1]);
    yAxis->setRange(-reach, reach);
    replot(QCustomPlot::rpQueuedReplot);
}

CastPlot::CastPlot(QWidget* parent) : Plot(parent), red_(addGraph()), yellow_(addGraph()) {
    setAccessibleName(tr("Casts of the neutrals"));
    setToolTip(tr("What is left of casts on the neutrals, beyond the reference's own. Within 1 hardly seen"));
    red_->setName(tr("a*: red or green"));
    yellow_->setName(tr("b*: yellow or blue"));
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignRight);
    xAxis->setLabel(tr("reference L*"));
    yAxis->setLabel(tr("cast"));
    xAxis->setRange(0, 100);
}

void CastPlot::set(const prove::Proof* proof) {
    dress();
    const Theme& t = Theme::now();
    red_->setPen(QPen(t.text, 1.5));
    red_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 8));
    yellow_->setPen(QPen(t.dim, 1.5, Qt::DashLine));
    yellow_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, QPen(t.text, 1.6), t.panel, 8));
    QVector<double> x, a, b;
    double reach = 1;
    if (proof)
        for (const auto& p : proof->patches) {
            if (chroma_of(p.reference_lab) >= neutral_chroma || !p.fitted) continue;
            x << p.reference_lab[0], a << p.corrected_lab[1] - p.reference_lab[1],
                b << p.corrected_lab[2] - p.reference_lab[2];
            reach = std::max({reach, 1.3 * std::abs(a.back()), 1.3 * std::abs(b.back())});
        }
    say(x.isEmpty() ? tr("No neutrals to show") : QString());
    red_->setData(x, a);
    yellow_->setData(x, b);
    yAxis->setRange(-reach, reach);
    replot(QCustomPlot::rpQueuedReplot);
}

HueWheel::HueWheel(QWidget* parent) : QWidget(parent) {
    setAccessibleDescription(tr("Accuracy is not checked yet"));
    setMinimumSize(160, 140);
    setAccessibleName(tr("Hues on a ring"));
    setToolTip(tr("Each colour stands on the ring at its reference hue. The line from it leads where the correction "
                  "puts it: along the ring for hue, outwards for more chroma, both enlarged"));
}

void HueWheel::set(const prove::Proof* proof) {
    patches_.clear();
    if (proof)
        for (const auto& p : proof->patches)
            if (chroma_of(p.reference_lab) >= neutral_chroma && p.fitted) patches_.push_back(p);
    setAccessibleDescription(patches_.empty() ? tr("Accuracy is not checked yet") : QString());
    update();
}

void HueWheel::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Theme& t = Theme::now();
    painter.fillRect(rect(), t.panel);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(small_font());
    painter.setPen(t.dim);
    if (patches_.empty()) return void(painter.drawText(rect(), Qt::AlignCenter, tr("Accuracy is not checked yet")));
    // The largest error of each kind takes a sixth of the turn, or a third of the radius.
    double hue = 0.1, chroma = 0.1;
    for (const auto& p : patches_) {
        hue = std::max(hue, std::abs(p.hue_deg));
        chroma = std::max(chroma, std::abs(p.chroma));
    }
    const auto round = [](double times) {
        return times >= 10 ? std::floor(times / 5) * 5 : std::max(1.0, std::floor(times));
    };
    const double hue_times = std::min(20.0, round(40 / hue)), radius = 0.34 * std::min(width(), height() - 16),
                 chroma_times = std::min(20.0, round(30 / chroma));
    const QPointF c(width() / 2.0, (height() - 16) / 2.0);
    painter.setPen(QPen(t.line, 1.2));
    painter.drawEllipse(c, radius, radius);
    const auto at = [&](double deg, double r) {
        return c + r * QPointF(std::cos(deg * M_PI / 180), -std::sin(deg * M_PI / 180));
    };
    for (const auto& [deg, name] : {std::pair{0, "+a*"}, {90, "+b*"}, {180, "\u2212a*"}, {270, "\u2212b*"}}) {
        painter.setPen(t.dim);
        painter.drawText(QRectF(at(deg, radius * 0.72) - QPointF(20, 8), QSizeF(40, 16)), Qt::AlignCenter,
                         QString::fromUtf8(name));
    }
    for (const auto& p : patches_) {
        const double h = colour::lch_from(p.reference_lab)[2], outwards = radius * (1 + p.chroma * chroma_times / 100);
        const int steps = 12;
        QPolygonF way;
        for (int k = 0; k <= steps; ++k)
            way << at(h + p.hue_deg * hue_times * k / steps, radius + (outwards - radius) * k / steps);
        painter.setPen(QPen(t.text, 1.6));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(way);
        painter.setBrush(t.text);
        painter.drawEllipse(way.back(), 2.2, 2.2);
        painter.setPen(QPen(t.text, 1));
        painter.setBrush(colour_of_lab(p.reference_lab));
        painter.drawEllipse(at(h, radius), 5.5, 5.5);
    }
    painter.setPen(t.dim);
    painter.drawText(QRect(0, height() - 17, width(), 16), Qt::AlignCenter,
                     tr("hue \u00d7 %1, chroma \u00d7 %2").arg(hue_times, 0, 'f', 0).arg(chroma_times, 0, 'f', 0));
}

RampView::RampView(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(120);
    setAccessibleName(tr("Ramps between the hues"));
    setToolTip(tr("From patch to patch around the hues, through colours that the chart does not have. A ramp with an "
                  "edge, or one that runs back, shows where the correction tears colours or invents a hue"));
}

void RampView::set(const std::vector<prove::Ramp>& ramps) {
    ramps_ = ramps;
    update();
}

void RampView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Theme& t = Theme::now();
    painter.fillRect(rect(), t.panel);
    painter.setFont(small_font());
    painter.setPen(t.text);
    if (ramps_.empty())
        return void(
            painter.drawText(rect(), Qt::AlignCenter, tr("The ramps appear here once a correction is fitted.")));
    const int n = static_cast<int>(ramps_.size()), columns = n > 8 ? 2 : 1, rows = (n + columns - 1) / columns;
    for (int i = 0; i < n; ++i) {
        const prove::Ramp& r = ramps_[static_cast<std::size_t>(i)];
        const int w = width() / columns, x = i / rows * w, y = 4 + (height() - 8) * (i % rows) / rows,
                  h = (height() - 8) / rows - 4;
        painter.setPen(t.text);
        painter.drawText(QRect(x + 4, y, 76, h), Qt::AlignLeft | Qt::AlignVCenter,
                         QString("%1 \u2013 %2").arg(QString::fromStdString(r.from), QString::fromStdString(r.to)));
        const int left = x + 84, right = x + w - 130, steps = static_cast<int>(r.xyz.size());
        for (int k = 0; k < steps; ++k)
            painter.fillRect(QRect(left + (right - left) * k / steps, y, (right - left) / steps + 2, h),
                             colour_of(r.xyz[static_cast<std::size_t>(k)]));
        const bool bad = r.turns || r.roughness > uneven;
        painter.setPen(bad ? t.text : t.dim);
        painter.drawText(QRect(right + 8, y, 120, h), Qt::AlignLeft | Qt::AlignVCenter,
                         r.turns ? tr("! hue runs back")
                         : bad   ? tr("! an edge, \u00d7 %1").arg(r.roughness, 0, 'f', 1)
                                 : tr("even"));
    }
}

} // namespace refero::app
