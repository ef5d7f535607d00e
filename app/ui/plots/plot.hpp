// A plot in the theme's colours and the shipped typeface.
#pragma once

#include <qcustomplot.h>

namespace refero::app {

class Plot : public QCustomPlot {
    Q_OBJECT

public:
    explicit Plot(QWidget* parent = nullptr);
    /// Colours and fonts of the theme; call after a change of theme.
    void dress();

protected:
    /// Words in the middle while there is nothing to plot; empty: none.
    void say(const QString& words);

private:
    QCPItemText* words_ = nullptr;
};

} // namespace refero::app
