// Where the finish leaves neutral: a map of mired and Duv with the loci, the light's own colour, the house's steps and
// the tint patches as points. The finish is a point that is dragged, chosen or moved by keys.
#pragma once

#include <QWidget>
#include <vector>

namespace refero::app {

class WarmthMap : public QWidget {
    Q_OBJECT

public:
    /// In order of what is drawn on top of what.
    enum class Kind { light, tint, house, neutral };
    struct Mark {
        QString name;
        QPointF at; ///< mired warmer, thousandths of Duv greener, from neutral
        Kind kind;
    };

    explicit WarmthMap(QWidget* parent = nullptr);
    /// Everything but the finish itself. Marks beyond the map are shown at its edge.
    void set_marks(std::vector<Mark> marks);
    /// Where the finish is, and where the share of the light that is kept takes it.
    void set_point(const QPointF& at, const QPointF& with_light);
    const QPointF& point() const { return at_; }
    bool is_dragged() const { return dragged_; }
    /// In the widget's coordinates.
    QPointF place_of(const QPointF& at) const;
    QSize sizeHint() const override { return {480, 260}; }

    static constexpr double most_mired = 60, most_green = 12;

signals:
    void moving(const QPointF& at);
    void settled(const QPointF& at, const QString& mark); ///< `mark`: the point that was chosen, or empty

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    QRectF field() const;
    QPointF at_place(const QPointF& place) const;
    const Mark* mark_near(const QPointF& place) const;
    void tell_accessible();

    std::vector<Mark> marks_;
    QPointF at_, with_light_;
    bool dragged_ = false;
};

} // namespace refero::app
