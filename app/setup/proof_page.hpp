#pragma once

#include "../plots/proof_plot.hpp"
#include "../plots/shift_plot.hpp"
#include "../widgets/patch_table.hpp"
#include "../widgets/swatches.hpp"
#include "page.hpp"

namespace refero::app {

/// The colour differences that the correction leaves, patch by patch.
class ProofPage : public Page {
    Q_OBJECT

public:
    explicit ProofPage(Session& session, QWidget* parent = nullptr);
    void show_setup(Id setup) override;

private:
    void choose(const QString& id);
    void show_facts(const SetupState& s);
    void draw_again(const SetupState& s);

    Swatches* swatches_;
    Figure* left_out_;
    QLabel* words_;
    Facts* facts_;
    std::shared_ptr<const fit::Correction> drawn_for_; ///< whose uncertainty is shown, or on its way
    std::optional<prove::Uncertainty> uncertainty_;
    ProofPlot* bars_;
    ShiftPlot* shifts_;
    PatchTable* table_;
    QPushButton* prove_;
};

} // namespace refero::app
