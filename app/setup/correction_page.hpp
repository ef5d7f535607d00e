#pragma once

#include <QComboBox>
#include <QLabel>
#include <QTableWidget>

#include "../widgets/picture_view.hpp"
#include "page.hpp"

namespace refero::app {

/// Fitting: the candidates side by side, and any frame before and after.
class CorrectionPage : public Page {
    Q_OBJECT

public:
    explicit CorrectionPage(Session& session, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    void choose_frame(Id frame); ///< 0: the chart shot
    PictureView* picture() override { return picture_; }

private:
    void show_pictures();
    void show_candidates(const SetupState& s);
    void show_differences(const SetupState& s);

    PictureView* picture_;
    Figure* left_out_;
    QLabel *choice_, *differs_;
    QComboBox *model_, *intent_, *frame_;
    QPushButton* fit_;
    QTableWidget* candidates_ = nullptr;
    QLabel* words_;
    Id shown_setup_ = 0, shown_frame_ = -1;
    int request_ = 0;
    std::shared_ptr<const fit::Correction> shown_correction_;
    bool shown_any_ = false;
};

} // namespace refero::app
