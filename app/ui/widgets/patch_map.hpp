// A small drawing of the chart with one figure a patch: how even the light is, or how noisy.
#pragma once

#include <QWidget>

#include "chart/chart.hpp"

namespace refero::app {

class PatchMap : public QWidget {
    Q_OBJECT

public:
    explicit PatchMap(QWidget* parent = nullptr);
    /// Values in the chart's order, NaN where there is none; `lightest` and `darkest` are the values of both ends of
    /// the greys, `unit` follows the figure in tooltips.
    void set(const chart::Definition& definition, const std::vector<double>& values, double lightest, double darkest,
             int digits, const QString& unit);
    /// Colours instead of greys, in the chart's order; invalid ones are hatched.
    void set_colours(const std::vector<QColor>& colours);
    void clear();
    void select_patch(const QString& id);
    /// "B3: -0.12 stops" at a place of the widget; empty where no patch is.
    QString text_at(const QPointF& at) const;
    int heightForWidth(int width) const override;

signals:
    void patch_chosen(const QString& id);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void resizeEvent(QResizeEvent*) override { fit(); }
    bool event(QEvent*) override;

private:
    void fit() { setFixedHeight(heightForWidth(width())); }
    QRectF rect_of(const chart::Patch& patch) const;
    int index_at(const QPointF& at) const;
    QString figure(double value) const;

    chart::Definition definition_;
    std::vector<double> values_;
    std::vector<QColor> colours_;
    double lightest_ = 1, darkest_ = 0;
    int digits_ = 2;
    QString unit_, selected_;
};

} // namespace refero::app
