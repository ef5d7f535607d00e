#include "shift_plot.hpp"

#include "ui/theme.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

ShiftPlot::ShiftPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Shifts in a* and b*"));
    setToolTip(tr("Each patch at its reference a*, b*, with an arrow to where the correction puts it"));
}

void ShiftPlot::set(const prove::Proof* proof) {
    dress();
    const Theme& t = Theme::now();
    for (QCPItemLine* arrow : arrows_) removeItem(arrow);
    arrows_.clear();
    clearGraphs();
    say(proof ? QString() : tr("Accuracy is not checked yet"));
    double reach = 20, longest = 0;
    if (proof) {
        for (const auto& p : proof->patches) {
            reach = std::max({reach, std::abs(p.reference_lab[1]) + 12, std::abs(p.reference_lab[2]) + 12});
            longest = std::max(longest, (p.corrected_lab - p.reference_lab).tail<2>().norm());
        }
        int longer = 1;
        for (const int k : {2, 5, 10, 20})
            if (longest * k < 0.3 * reach) longer = k;
        for (const auto& p : proof->patches) {
            auto* point = addGraph();
            point->setLineStyle(QCPGraph::lsNone);
            point->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(t.text, 1),
                                                   QBrush(colour_of_lab(p.reference_lab)), 11));
            point->addData(p.reference_lab[1], p.reference_lab[2]);
            const colour::Vec3 to = p.reference_lab + longer * (p.corrected_lab - p.reference_lab);
            auto* arrow = new QCPItemLine(this);
            arrow->start->setCoords(p.reference_lab[1], p.reference_lab[2]);
            arrow->end->setCoords(to[1], to[2]);
            arrow->setHead(QCPLineEnding(QCPLineEnding::esSpikeArrow, 7, 9));
            arrow->setPen(QPen(t.text, 1.5));
            arrows_.push_back(arrow);
        }
        xAxis->setLabel(longer > 1 ? tr("a* (arrows drawn %1 times longer)").arg(longer) : tr("a*"));
    }
    yAxis->setLabel("b*");
    xAxis->setRange(-reach, reach);
    yAxis->setRange(-reach, reach);
    // The same scale along both axes.
    const double w = std::max(1, axisRect()->width()), h = std::max(1, axisRect()->height());
    if (w > h) xAxis->setRange(-reach * w / h, reach * w / h);
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
