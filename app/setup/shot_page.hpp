#pragma once

#include <QLabel>
#include <QListWidget>

#include "../widgets/picture_view.hpp"
#include "page.hpp"

namespace refero::app {

/// The chart shot with the chart's corners, and the setup's ordinary frames.
class ShotPage : public Page {
    Q_OBJECT

public:
    explicit ShotPage(Session& session, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    PictureView* picture() override { return picture_; }

signals:
    void frame_chosen(Id frame);

private:
    void place_by_hand();
    void show_verdict(const SetupState& s);

    PictureView* picture_;
    QLabel *verdict_, *advice_;
    QListWidget* findings_;
    QLabel* found_;
    Facts* facts_;
    QPushButton *by_hand_, *refuse_, *again_;
    QListWidget* frames_;
    QLabel* hint_;
    Id shown_setup_ = 0;
    std::vector<Id> shown_frames_;
};

} // namespace refero::app
