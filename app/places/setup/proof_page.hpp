#pragma once

#include <QComboBox>
#include <QTabWidget>

#include "page.hpp"
#include "ui/plots/proof_plot.hpp"
#include "ui/plots/proof_views.hpp"
#include "ui/plots/shift_plot.hpp"
#include "ui/widgets/patch_table.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

/// The colour differences that the correction leaves, patch by patch.
class ProofPage : public Page {
    Q_OBJECT

public:
    explicit ProofPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;

private:
    void choose(const QString& id);
    void show_facts(const Chain& s);
    void show_proof(const Chain& s, const prove::Proof* proof);
    void show_others(const Chain& s);
    void prove_on(int index);
    void show_view(); ///< the plot in front; the others when they come to it
    void draw_again(const Chain& s);

    Swatches* swatches_;
    Figure* left_out_;
    QLabel* words_;
    Facts* facts_;
    std::shared_ptr<const fit::Correction> drawn_for_; ///< whose uncertainty is shown, or on its way
    std::optional<prove::Uncertainty> uncertainty_;
    std::optional<double> metamerism_;
    ProofPlot* bars_;
    ShiftPlot* shifts_;
    PatchTable* table_;
    QTabWidget* views_;
    LightnessPlot* lightness_;
    CastPlot* casts_;
    HueWheel* wheel_;
    QComboBox* on_; ///< what it is proved on
    QString on_file_;
    std::shared_ptr<const prove::Proof> elsewhere_; ///< on that
    std::shared_ptr<const fit::Correction> elsewhere_of_;
    QPushButton* prove_;
};

} // namespace refero::app
