#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QTabWidget>
#include <QTableWidget>

#include "elsewhere_panel.hpp"
#include "page.hpp"
#include "renderings_panel.hpp"
#include "ui/plots/proof_views.hpp"
#include "ui/widgets/picture_view.hpp"
#include "ui/widgets/scopes.hpp"
#include "weights_panel.hpp"

namespace refero::app {

/// Fitting: the candidates side by side, and any frame before and after.
class CorrectionPage : public Page {
    Q_OBJECT

public:
    explicit CorrectionPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    void choose_frame(Id frame); ///< 0: the chart shot
    PictureView* picture() override { return picture_; }

private:
    /// Model, rendering and what goes into the fit; some stand beside the button.
    void make_choices(QHBoxLayout* action);
    void fill_tabs();
    void show_pictures();
    void show_candidates(const Chain& s);
    void show_differences(const Chain& s);
    void show_versions(const Chain& s);
    void fill_versions(const std::vector<Version>& all);
    void show_tab(); ///< the part in front; the others when they come to it
    void show_comparisons(const Chain& s);
    QWidget* candidates_tab();
    QWidget* versions_tab();
    QHBoxLayout* picture_bar();
    void compare_with(const Comparison& with);
    QString name_of(const Comparison& with) const;

    PictureView* picture_;
    Figure* left_out_;
    QLabel *choice_, *differs_;
    QComboBox *model_, *intent_, *frame_, *compare_;
    QCheckBox *strong_, *average_, *panels_;
    QTabWidget* tabs_;
    ElsewherePanel* elsewhere_;
    WeightsPanel* weights_;
    RenderingsPanel* renderings_;
    Scopes* scopes_;
    RampView* ramps_;
    QTableWidget* versions_;
    QPushButton* bring_back_;
    std::vector<Comparison> comparisons_; ///< by row of the box
    Comparison with_;
    std::string versions_of_;
    QPushButton* fit_;
    QTableWidget* candidates_ = nullptr;
    QLabel* words_;
    Id shown_setup_ = 0, shown_frame_ = -1;
    int request_ = 0;
    std::shared_ptr<const fit::Correction> shown_correction_;
    Comparison shown_with_;
    bool shown_any_ = false;
};

} // namespace refero::app
