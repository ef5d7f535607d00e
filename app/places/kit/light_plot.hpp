// A light's measured colour over time: one line for each power and modifier.
#pragma once

#include "shoot/kit.hpp"
#include "ui/plots/plot.hpp"

namespace refero::app {

class LightPlot : public Plot {
    Q_OBJECT

public:
    explicit LightPlot(QWidget* parent = nullptr);
    /// `duv`: the distance from the black-body line instead of the colour temperature.
    void set(const std::vector<shoot::LightReadingRecord>& readings, bool duv);
    int lines() const { return graphCount(); }
};

} // namespace refero::app
