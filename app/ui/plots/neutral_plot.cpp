#include "neutral_plot.hpp"

#include "ui/theme.hpp"

namespace refero::app {

NeutralPlot::NeutralPlot(QWidget* parent) : Plot(parent), red_(addGraph()), blue_(addGraph()) {
    setAccessibleName(tr("How neutral the greys are"));
    red_->setName(tr("red over green"));
    blue_->setName(tr("blue over green"));
    legend->setVisible(true);
    axisRect()->insetLayout()->setInsetAlignment(0, Qt::AlignTop | Qt::AlignRight);
    yAxis->setLabel(tr("off green, points of codes"));
    connect(this, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
        const int i = qRound(xAxis->pixelToCoord(e->position().x()));
        if (i >= 0 && i < ids_.size()) emit patch_chosen(ids_[i]);
    });
}

void NeutralPlot::set(const Chain& s) {
    dress();
    const Theme& t = Theme::now();
    red_->setPen(QPen(t.text, 1.5));
    red_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 9));
    blue_->setPen(QPen(t.dim, 1.5, Qt::DashLine));
    blue_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, QPen(t.text, 1.6), t.panel, 9));
    QVector<double> x, red, blue;
    auto ticks = QSharedPointer<QCPAxisTickerText>::create();
    ids_.clear();
    largest_ = 0;
    if (s.shot && s.balance) {
        for (const chart::Patch& p : s.shot->definition.patches) {
            const auto* r = s.shot->reading.find(p.id);
            if (p.role != "neutral" || !r || !r->usable()) continue;
            const colour::Vec3 b = (*s.balance)(colour::Vec3(r->mean[0], r->mean[1], r->mean[2]));
            x << ids_.size();
            const colour::Vec3 code = balance::code_points(b);
            red << code[0] - code[1];
            blue << code[2] - code[1];
            largest_ = std::max({largest_, std::abs(red.back()), std::abs(blue.back())});
            ticks->addTick(ids_.size(), QString::fromStdString(p.id) +
                                            (p.id == s.balance->white_patch ? tr("\nbalanced") : QString()));
            ids_ << QString::fromStdString(p.id);
        }
    }
    say(x.isEmpty() ? tr("No balanced reading yet") : QString());
    red_->setData(x, red);
    blue_->setData(x, blue);
    xAxis->setTicker(ticks);
    xAxis->setRange(-0.5, std::max(0.5, x.size() - 0.5));
    const double reach = std::max(1.0, 1.25 * largest_);
    yAxis->setRange(-reach, reach);
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
