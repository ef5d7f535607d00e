// Two cameras on one scope: colours on the vectorscope, tones as codes, the lead as rings, the other as discs; of the
// chart's patches, or of a region of both pictures.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "colour/quantities.hpp"
#include "operations/match/beside.hpp"

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
    /// A region in place of the patches; none: the patches again.
    void set_region(const std::optional<operations::PartOfBoth>& part);
    const std::optional<operations::PartOfBoth>& region() const { return region_; }

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
    double reach() const; ///< of colour difference at the scope's edge
    void draw_colours(QPainter& p) const;
    void draw_patches(QPainter& p) const;
    void draw_region(QPainter& p) const;
    void draw_greys(QPainter& p) const;
    void draw_patch_greys(QPainter& p) const;
    void draw_tones(QPainter& p) const;

    std::vector<PairedPatch> patches_;
    double reach_ = 0.25; ///< of the patches
    std::optional<operations::PartOfBoth> region_;
    QString selected_;
};

} // namespace refero::app
