// The look: the last stage, for taste. A curve and a ring that are drawn, what was made elsewhere before them, and live
// under them what it does to the chart's colours, to ramps and to the greys.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QTabWidget>
#include <QTableWidget>

#include "look_curve.hpp"
#include "look_ring.hpp"
#include "model/model.hpp"
#include "ui/plots/proof_views.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

class LookPanel : public QWidget {
    Q_OBJECT

public:
    explicit LookPanel(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);
    const look::Look& look() const { return look_; }
    void bring(const fs::path& file);

signals:
    void moving(); ///< while something is held
    void settled(const look::Look& look, const QString& what);

private:
    QHBoxLayout* choice_row();
    QHBoxLayout* step_row();
    QWidget* evidence();
    void take(); ///< what is drawn becomes the look
    void settle(const look::Look& look, const QString& what);
    void show_look();
    void show_choice();
    void show_step();
    void show_evidence();
    void keep();
    QString words_of(const operations::LookSeen& seen) const;

    Desk& desk_;
    Id setup_ = 0;
    look::Look look_;
    std::vector<operations::LookOfKit> known_; ///< by row of the box, after "no look"
    QComboBox* choice_;
    QCheckBox* on_;
    QPushButton* keep_;
    LookCurve* curve_;
    LookRing* ring_;
    QLabel *hue_, *words_;
    std::array<QDoubleSpinBox*, 3> step_; ///< shift, saturation, lightness
    QTabWidget* tabs_;
    Swatches* patches_;
    RampView* ramps_;
    QTableWidget* steps_;
};

} // namespace refero::app
