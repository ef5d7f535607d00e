// Scopes of a picture, before and after: histogram, waveform, parade, vectorscope; of the whole, the chart or a region.
#pragma once

#include <QComboBox>
#include <QWidget>

#include "model/pictures/rendition.hpp"
#include "scope/scope.hpp"

namespace refero::app {

class ScopeCanvas;

class Scopes : public QWidget {
    Q_OBJECT

public:
    enum class Kind { histogram, waveform, parade, vectorscope_709, vectorscope_601 };

    explicit Scopes(QWidget* parent = nullptr);
    /// Pictures to measure; an empty one is not shown. `full_width` is that of the frame, for parts in its pixels.
    void set(const QImage& before, const QImage& after, int full_width);
    /// Corners of the chart in full-size pixels; none: the choice is not offered.
    void set_chart(const scope::Part& corners);
    void set_region(const scope::Part& region);
    /// The same from two opposite corners in full-size pixels; gives the rectangle.
    QRectF take_region(const Eigen::Vector2d& corner, const Eigen::Vector2d& opposite);
    void choose(Kind kind);
    Kind kind() const;

signals:
    /// The user wants to draw a region on the picture.
    void region_wanted();

private:
    void measure();
    scope::Part part() const;

    QComboBox *kind_, *part_;
    ScopeCanvas* canvas_;
    QImage before_, after_;
    double scale_ = 1; // picture pixels by full-size pixels
    scope::Part chart_, region_;
};

} // namespace refero::app
