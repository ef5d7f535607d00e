#pragma once

#include <QComboBox>
#include <QTableWidget>

#include "../plots/neutral_plot.hpp"
#include "../widgets/picture_view.hpp"
#include "page.hpp"

namespace refero::app {

/// White balance and exposure, and how neutral the neutrals are after it.
class BalancePage : public Page {
    Q_OBJECT

public:
    explicit BalancePage(Session& session, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    PictureView* picture() override { return picture_; }

private:
    void balance_on(const QString& white);
    void show_candidates(const SetupState& s);
    void show_exposures(const SetupState& s);

    PictureView* picture_;
    Figure* light_;
    Facts* facts_;
    QComboBox* white_;
    NeutralPlot* plot_;
    QTableWidget *candidates_, *exposures_;
    std::shared_ptr<const job::MeasuredShot> shown_shot_;
    Settings shown_;
};

} // namespace refero::app
