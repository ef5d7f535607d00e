// Two cameras' patches on one scope: colours on the vectorscope, greys as codes, the lead as rings, the other as discs.
#pragma once

#include <QWidget>
#include <vector>

#include "colour/quantities.hpp"

namespace refero::app {

/// A patch as both show it: sRGB codes, 0 to 1.
struct PairedPatch {
    QString id;
    bool neutral = false;
    colour::Vec3 lead{0, 0, 0}, before{0, 0, 0}, after{0, 0, 0}; ///< before: the other by its balance alone
    bool matched = false;                                        ///< `after` holds
};

class MatchScope : public QWidget {
    Q_OBJECT

public:
    explicit MatchScope(QWidget* parent = nullptr);
    void set(const std::vector<PairedPatch>& patches);
    void select_patch(const QString& id);

signals:
    void patch_chosen(const QString& id);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    QSize sizeHint() const override { return {620, 420}; }

private:
    bool is_tall() const;
    QRectF colours() const; ///< the vectorscope's square
    QRectF greys() const;   ///< the ladder's rectangle
    QPointF on_colours(const colour::Vec3& code) const;
    QPointF on_greys(const PairedPatch& patch, double code) const;
    void draw_colours(QPainter& p) const;
    void draw_greys(QPainter& p) const;

    std::vector<PairedPatch> patches_;
    double reach_ = 0.25; ///< of colour difference at the scope's edge
    QString selected_;
};

} // namespace refero::app
