#pragma once

#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include "colour/log_curve.hpp"
#include "model/model.hpp"
#include "ui/plots/plot.hpp"

namespace refero::app {

/// A log curve typed in as its maker prints it: six figures, the plot, where grey lands, and what the greys of a chart
/// say to it. Kept as CLF in the user's data folder; the mode uses it.
class LogCurveForm : public QWidget {
    Q_OBJECT

public:
    explicit LogCurveForm(Desk& desk, QWidget* parent = nullptr);
    /// For a mode; its name becomes the curve's.
    void open(Id mode);
    void set_curve(const colour::LogCurve& curve);
    colour::LogCurve curve() const;
    QString told() const { return words_->text(); }
    /// Writes the curve and lets the mode use it.
    void keep();

signals:
    void closed();

private:
    void show_curve();
    void check_on_chart();

    Desk& desk_;
    Id mode_ = 0;
    QLineEdit* name_;
    std::array<QDoubleSpinBox*, 6> figures_;
    class CurvePlot* plot_;
    QLabel *words_, *greys_;
    QPushButton *keep_, *check_;
};

} // namespace refero::app
