#include "exposure_plot.hpp"

#include "ui/theme.hpp"

namespace refero::app {

ExposurePlot::ExposurePlot(QWidget* parent)
    : Plot(parent),
      clean_(addGraph()),
      not_usable_(addGraph()),
      drift_(addGraph(xAxis, yAxis2)),
      marked_(addGraph()),
      usable_(new QCPItemRect(this)),
      limit_(new QCPItemStraightLine(this)) {
    setAccessibleName(tr("Exposures against the key exposure"));
    clean_->setName(tr("grey over noise, usable"));
    not_usable_->setName(tr("grey over noise, not usable"));
    drift_->setName(tr("drift of the greys"));
    marked_->removeFromLegend();
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignLeft);
    xAxis->setLabel(tr("stops against the key exposure"));
    yAxis->setLabel(tr("grey near 20 % over its noise, dB"));
    yAxis2->setVisible(true);
    yAxis2->setLabel(tr("drift of the greys after levelling, a*b*"));
    connect(this, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
        int nearest = -1;
        double away = 24; // pixels
        for (std::size_t i = 0; i < shown_.size(); ++i) {
            const QPointF p(xAxis->coordToPixel(shown_[i].stops), yAxis->coordToPixel(shown_[i].snr_db));
            if (const double d = QLineF(p, e->position()).length(); d < away) {
                away = d;
                nearest = static_cast<int>(i);
            }
        }
        if (nearest >= 0) emit exposure_chosen(nearest);
    });
}

void ExposurePlot::set(const operations::ExposureSeries* series, double least_db) {
    dress();
    const Theme& t = Theme::now();
    shown_ = series ? series->frames : std::vector<match::Exposure>();
    say(series ? QString() : tr("No exposures are compared yet"));
    for (QCPGraph* g : {clean_, not_usable_}) g->setLineStyle(QCPGraph::lsNone);
    clean_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 10));
    not_usable_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(t.text, 2), QBrush(Qt::NoBrush), 9));
    drift_->setPen(QPen(t.dim, 1.5, Qt::DashLine));
    drift_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, QPen(t.dim, 1.6), t.panel, 7));
    marked_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(t.text, 2), QBrush(Qt::NoBrush), 18));
    marked_->setLineStyle(QCPGraph::lsNone);
    marked_->data()->clear();
    QVector<double> x[2], y[2], drift_x, drift;
    double low = -1, high = 1, least = least_db - 5, most = least_db + 5, widest = 2.5;
    for (const match::Exposure& e : shown_) {
        x[e.usable] << e.stops;
        y[e.usable] << e.snr_db;
        drift_x << e.stops;
        drift << std::hypot(e.grey_delta_a, e.grey_delta_b);
        low = std::min(low, e.stops);
        high = std::max(high, e.stops);
        least = std::min(least, e.snr_db);
        most = std::max(most, e.snr_db);
        widest = std::max(widest, drift.back());
    }
    clean_->setData(x[1], y[1]);
    not_usable_->setData(x[0], y[0]);
    drift_->setData(drift_x, drift);
    const auto usable = series ? series->usable_stops : std::nullopt;
    usable_->setVisible(usable.has_value());
    usable_->setPen(Qt::NoPen);
    QColor band = t.line;
    band.setAlphaF(0.35);
    usable_->setBrush(band);
    usable_->setLayer("background");
    for (QCPItemPosition* p : {usable_->topLeft, usable_->bottomRight}) {
        p->setTypeX(QCPItemPosition::ptPlotCoords);
        p->setTypeY(QCPItemPosition::ptAxisRectRatio);
        p->setAxes(xAxis, yAxis);
    }
    if (usable) {
        usable_->topLeft->setCoords(usable->first - 0.15, 0);
        usable_->bottomRight->setCoords(usable->second + 0.15, 1);
    }
    limit_->setVisible(series);
    limit_->setPen(QPen(t.dim, 1, Qt::DotLine));
    limit_->point1->setCoords(0, least_db);
    limit_->point2->setCoords(1, least_db);
    xAxis->setRange(low - 0.5, high + 0.5);
    yAxis->setRange(least - 3, most + 12); // room for the legend
    yAxis2->setRange(0, 2.2 * widest);
    for (QCPAxis* axis : {xAxis, yAxis, yAxis2}) axis->setTicks(series);
    replot(QCustomPlot::rpQueuedReplot);
}

void ExposurePlot::mark(int exposure) {
    marked_->data()->clear();
    if (exposure >= 0 && exposure < std::ssize(shown_)) {
        const match::Exposure& e = shown_[static_cast<std::size_t>(exposure)];
        marked_->addData(e.stops, e.snr_db);
    }
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
