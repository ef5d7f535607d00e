// CIEDE2000 of each patch as bars, worst first, with the mean and the 95th percentile as lines.
#pragma once

#include "plot.hpp"
#include "prove/prove.hpp"

namespace refero::app {

class ProofPlot : public Plot {
    Q_OBJECT

public:
    explicit ProofPlot(QWidget* parent = nullptr);
    /// `basis` says what the proof is on: "fitted", "there".
    void set(const prove::Proof* proof, const fit::Statistics& cross_validated, const QString& basis);
    void select_patch(const QString& id);

signals:
    void patch_chosen(const QString& id);

private:
    void mark();
    QCPBars *bars_, *chosen_;
    QCPItemStraightLine *fitted_, *left_out_;
    QCPItemText *fitted_words_, *left_out_words_;
    QStringList ids_;
    QVector<double> values_;
    QString selected_;
};

} // namespace refero::app
