#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QTabWidget>
#include <QTableWidget>

#include "codes_panel.hpp"
#include "finish_panel.hpp"
#include "look_panel.hpp"
#include "page.hpp"
#include "ui/plots/neutral_plot.hpp"
#include "ui/widgets/picture_view.hpp"
#include "ui/widgets/scopes.hpp"

namespace refero::app {

/// White balance and exposure, and how neutral the neutrals are after it.
class BalancePage : public Page {
    Q_OBJECT

public:
    explicit BalancePage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    PictureView* picture() override { return picture_; }

private:
    void make_choices();
    void fill_tabs();
    QWidget* candidates_tab();
    QWidget* picture_part();
    void balance_on(const QString& white);
    void show_presets(const shoot::CameraRecord* camera);
    void add_spot(const balance::Spot& spot);
    std::string chosen_spot() const; ///< of the table's current row; empty: it is none
    void grade_chosen();
    void forget_chosen();
    void load_pixels();
    void render(bool live);
    void show_chosen();
    void show_frames(const Chain& s);
    void show_candidates(const Chain& s);
    void show_exposures(const Chain& s);

    PictureView* picture_;
    Figure* light_;
    Facts* facts_;
    QComboBox* white_;
    NeutralPlot* plot_;
    QTableWidget *candidates_, *exposures_;
    QComboBox *frame_, *preset_;
    QDoubleSpinBox *kelvin_, *green_;
    QPushButton *spot_, *grade_, *forget_, *add_light_;
    QCheckBox* curves_;
    QTabWidget *plots_, *tabs_;
    Scopes* scopes_;
    FinishPanel* finish_;
    LookPanel* look_;
    CodesPanel* codes_;
    std::shared_ptr<const frame::Frame> small_, whole_; ///< of the frame on show
    Id pixels_setup_ = 0, pixels_frame_ = 0;
    std::shared_ptr<const frame::Frame> pixels_of_;
    int rendered_ = 0;
    int request_ = 0;
};

} // namespace refero::app
