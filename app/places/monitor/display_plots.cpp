#include "places/monitor/display_plots.hpp"

#include "colour/rgb.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

bool is_grey_patch(const display::Patch& p) { return p.rgb[0] == p.rgb[1] && p.rgb[1] == p.rgb[2]; }

colour::Vec3 first_shown(const std::vector<display::Patch>& patches, const colour::Vec3& rgb) {
    for (const display::Patch& p : patches)
        if ((p.rgb - rgb).norm() < 1e-6) return p.xyz;
    return colour::Vec3::Zero();
}

QPointF uv_of(const colour::Vec3& xyz) {
    const double d = xyz[0] + 15 * xyz[1] + 3 * xyz[2];
    return {4 * xyz[0] / d, 9 * xyz[1] / d};
}

QPointF uv_of(const colour::Chromaticity& c) {
    return {4 * c.x / (-2 * c.x + 12 * c.y + 3), 9 * c.y / (-2 * c.x + 12 * c.y + 3)};
}

QCPCurve* triangle(QCustomPlot* plot, const std::array<QPointF, 3>& corners, const QPen& pen, const QString& name) {
    auto* curve = new QCPCurve(plot->xAxis, plot->yAxis);
    for (int i = 0; i <= 3; ++i)
        curve->addData(i, corners[static_cast<std::size_t>(i % 3)].x(), corners[static_cast<std::size_t>(i % 3)].y());
    curve->setPen(pen);
    curve->setName(name);
    return curve;
}

} // namespace

EotfPlot::EotfPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Light over code"));
    xAxis->setLabel(tr("code, %"));
    yAxis->setLabel(tr("light, % of white"));
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignLeft);
}

void EotfPlot::set(const std::vector<display::Patch>& patches, const display::Display* d, const std::string& target) {
    dress();
    clearGraphs();
    say(d ? QString() : tr("Check the display to see its curve"));
    if (d) {
        const Theme& t = Theme::now();
        const colour::Vec3 white = first_shown(patches, colour::Vec3::Ones()),
                           black = first_shown(patches, colour::Vec3::Zero());
        auto* aim = addGraph();
        aim->setName(tr("asked for"));
        aim->setPen(QPen(t.dim, 1.5, Qt::DashLine));
        const colour::Transfer curve =
            target == "bt709" ? colour::Transfer::bt1886 : colour::rgb_space(target).transfer;
        for (int i = 0; i <= 100; ++i) aim->addData(i, 100 * colour::decode(curve, i / 100.0));
        auto* is = addGraph();
        is->setName(tr("measured"));
        is->setPen(QPen(t.text, 1.5));
        is->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 6));
        for (const display::Patch& p : patches)
            if (is_grey_patch(p)) is->addData(100 * p.rgb[1], 100 * (p.xyz[1] - black[1]) / (white[1] - black[1]));
    }
    legend->setVisible(d);
    xAxis->setRange(0, 100);
    yAxis->setRange(0, 104);
    replot(QCustomPlot::rpQueuedReplot);
}

GreyPlot::GreyPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Greys off neutral"));
    xAxis->setLabel(tr("code, %"));
    yAxis->setLabel(tr("off neutral, CIELAB"));
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignRight);
}

void GreyPlot::set(const std::vector<display::Patch>& patches, const display::Display* d) {
    dress();
    clearGraphs();
    say(d ? QString() : tr("Check the display to see its greys"));
    legend->setVisible(d);
    double reach = 3;
    if (d) {
        const Theme& t = Theme::now();
        const colour::Vec3 white = first_shown(patches, colour::Vec3::Ones());
        const colour::Mat3 adapt = colour::adaptation(white / white[1], colour::white_d50);
        auto *a = addGraph(), *b = addGraph();
        a->setName(tr("a*: magenta over green"));
        b->setName(tr("b*: yellow over blue"));
        a->setPen(QPen(t.text, 1.5));
        a->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 7));
        b->setPen(QPen(t.dim, 1.5, Qt::DashLine));
        b->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, QPen(t.text, 1.5), t.panel, 7));
        for (const display::Patch& p : patches) {
            if (!is_grey_patch(p) || p.rgb[1] < 0.05) continue;
            const colour::Vec3 lab = colour::lab_from_xyz(adapt * p.xyz / white[1]);
            a->addData(100 * p.rgb[1], lab[1]);
            b->addData(100 * p.rgb[1], lab[2]);
            reach = std::max({reach, 1.2 * std::abs(lab[1]), 1.2 * std::abs(lab[2])});
        }
    }
    xAxis->setRange(0, 100);
    yAxis->setRange(-reach, reach);
    replot(QCustomPlot::rpQueuedReplot);
}

GamutPlot::GamutPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Gamut in u' and v'"));
    xAxis->setLabel("u'");
    yAxis->setLabel("v'");
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignBottom | Qt::AlignRight);
}

void GamutPlot::set(const std::vector<display::Patch>& patches, const display::Display* d) {
    dress();
    clearPlottables();
    say(d ? QString() : tr("Check the display to see its gamut"));
    legend->setVisible(d);
    if (d) {
        const Theme& t = Theme::now();
        const std::tuple<const char*, QString, Qt::PenStyle> spaces[] = {{"srgb", "sRGB", Qt::DashLine},
                                                                         {"display-p3", "Display P3", Qt::DotLine},
                                                                         {"oprgb", "opRGB", Qt::DashDotLine}};
        for (const auto& [id, name, style] : spaces) {
            const colour::RgbSpace& s = colour::rgb_space(id);
            triangle(this, {uv_of(s.red), uv_of(s.green), uv_of(s.blue)}, QPen(t.dim, 1.3, style), name);
        }
        const colour::Vec3 black = first_shown(patches, colour::Vec3::Zero());
        std::array<QPointF, 3> own;
        for (int c = 0; c < 3; ++c)
            own[static_cast<std::size_t>(c)] = uv_of(colour::Vec3(first_shown(patches, colour::Vec3::Unit(c)) - black));
        triangle(this, own, QPen(t.text, 2.2), tr("this display"));
        auto* white = addGraph();
        white->setLineStyle(QCPGraph::lsNone);
        white->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssPlus, QPen(t.text, 1.5), t.panel, 10));
        white->addData(uv_of(d->white).x(), uv_of(d->white).y());
        white->setName(tr("its white"));
    }
    xAxis->setRange(0, 0.62);
    yAxis->setRange(0, 0.62);
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
