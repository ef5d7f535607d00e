// How neutral the neutrals are after balancing: red and blue against green, one step a patch.
#pragma once

#include "model/model.hpp"
#include "plot.hpp"

namespace refero::app {

class NeutralPlot : public Plot {
    Q_OBJECT

public:
    explicit NeutralPlot(QWidget* parent = nullptr);
    void set(const Chain& setup);
    /// Largest distance of a usable neutral's red or blue from its green, points of display codes.
    double largest_points() const { return largest_; }

signals:
    void patch_chosen(const QString& id);

private:
    QCPGraph *red_, *blue_;
    QStringList ids_;
    double largest_ = 0;
};

} // namespace refero::app
