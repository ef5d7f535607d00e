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
    void show_setup(int setup) override;
    PictureView* picture() override { return picture_; }

signals:
    void frame_chosen(int frame);

private:
    void place_by_hand();

    PictureView* picture_;
    Figure* found_;
    Facts* facts_;
    QPushButton *by_hand_, *again_;
    QListWidget* frames_;
    QLabel* hint_;
    int shown_setup_ = -1;
    std::size_t shown_frames_ = 0, shown_existing_ = 0;
};

} // namespace refero::app
