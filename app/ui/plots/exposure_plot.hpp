// Exposures of one mode: how clean the grey is and how far the greys drift, by stops against the key exposure.
#pragma once

#include "operations/match/matching.hpp"
#include "plot.hpp"

namespace refero::app {

class ExposurePlot : public Plot {
    Q_OBJECT

public:
    explicit ExposurePlot(QWidget* parent = nullptr);
    /// Null: nothing is compared yet. `least_db`: the limit of the kit.
    void set(const operations::ExposureSeries* series, double least_db);
    /// The exposure at this place of the series is marked; below 0: none.
    void mark(int exposure);

signals:
    void exposure_chosen(int exposure);

private:
    QCPGraph *clean_, *not_usable_, *drift_, *marked_;
    QCPItemRect* usable_;
    QCPItemStraightLine* limit_;
    std::vector<match::Exposure> shown_;
};

} // namespace refero::app
