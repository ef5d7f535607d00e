// A chart drawn from its definition: each patch in its reference colour with the corrected colour set in.
#pragma once

#include <QWidget>
#include <map>
#include <optional>

#include "prove/prove.hpp"

namespace refero::app {

/// Display colour of XYZ (D50).
QColor colour_of(const colour::Vec3& xyz);
QColor colour_of_lab(const colour::Vec3& lab);

class Swatches : public QWidget {
    Q_OBJECT

public:
    explicit Swatches(QWidget* parent = nullptr);
    void set(const chart::Definition* definition, const prove::Proof* proof);
    void select_patch(const QString& id);

signals:
    void patch_chosen(const QString& id);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    bool event(QEvent* event) override;
    QSize sizeHint() const override { return {600, 380}; }

private:
    QRectF rect_of(const chart::Patch& patch) const;
    const chart::Patch* patch_at(const QPointF& p) const;

    std::optional<chart::Definition> definition_;
    std::map<std::string, prove::PatchProof> proofs_;
    QString selected_;
};

} // namespace refero::app
