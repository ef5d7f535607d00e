#include "light_plot.hpp"

#include <map>

#include "shoot/time.hpp"
#include "ui/theme.hpp"

namespace refero::app {

LightPlot::LightPlot(QWidget* parent) : Plot(parent) {
    setMinimumHeight(220);
    legend->setVisible(true);
    // Beside the plot, so that it covers no reading.
    auto* side = new QCPLayoutGrid;
    plotLayout()->addElement(0, 1, side);
    side->addElement(0, 0, legend);
    side->addElement(1, 0, new QCPLayoutElement);
    side->setRowStretchFactor(0, 0.001);
    side->setMargins({0, 8, 8, 0});
    plotLayout()->setColumnStretchFactor(1, 0.001);
}

void LightPlot::set(const std::vector<shoot::LightReadingRecord>& readings, bool duv) {
    dress();
    clearGraphs();
    const Theme& t = Theme::now();
    yAxis->setLabel(duv ? tr("Duv, \u00d7 1000") : tr("colour temperature, K"));
    std::map<QString, std::pair<QVector<double>, QVector<double>>> by_use;
    for (const shoot::LightReadingRecord& r : readings) {
        const double at = shoot::seconds_of(r.at);
        if (!std::isfinite(at)) continue;
        QStringList use;
        for (const std::string& s : {r.power, r.modifier})
            if (!s.empty()) use << QString::fromStdString(s);
        auto& [x, y] = by_use[use.isEmpty() ? tr("as it is") : use.join(", ")];
        x << at;
        y << (duv ? 1000 * r.duv : r.kelvin);
    }
    const QCPScatterStyle::ScatterShape shapes[] = {QCPScatterStyle::ssDisc,     QCPScatterStyle::ssSquare,
                                                    QCPScatterStyle::ssTriangle, QCPScatterStyle::ssDiamond,
                                                    QCPScatterStyle::ssCross,    QCPScatterStyle::ssCircle};
    const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
    int n = 0;
    double low = 1e9, high = -1e9, first = 1e18, last = -1e18;
    for (const auto& [use, points] : by_use) {
        QCPGraph* g = addGraph();
        g->setName(use);
        g->setPen(QPen(t.text, 1.5, styles[n % 4]));
        g->setScatterStyle(QCPScatterStyle(shapes[n % 6], QPen(t.text, 1.5), n % 2 ? t.panel : t.text, 9));
        g->setData(points.first, points.second);
        for (const double v : points.second) {
            low = std::min(low, v);
            high = std::max(high, v);
        }
        for (const double v : points.first) {
            first = std::min(first, v);
            last = std::max(last, v);
        }
        ++n;
    }
    legend->setVisible(n > 0);
    say(n ? QString() : tr("Not measured yet"));
    if (n) {
        const double room = std::max(duv ? 0.5 : 40.0, 0.15 * (high - low)),
                     days = std::max(15 * 86400.0, 0.06 * (last - first));
        yAxis->setRange(low - room, high + room);
        xAxis->setRange(first - days, last + days);
        auto ticker = QSharedPointer<QCPAxisTickerDateTime>::create();
        ticker->setDateTimeFormat(last - first < 120 * 86400.0 ? "d MMM" : "MMM yyyy");
        ticker->setDateTimeSpec(Qt::UTC);
        xAxis->setTicker(ticker);
    }
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
