#pragma once

#include <QComboBox>
#include <QLabel>
#include <QListWidget>

#include "page.hpp"
#include "ui/widgets/picture_view.hpp"
#include "values_panel.hpp"

namespace refero::app {

/// The chart shot with the chart's corners, and the setup's ordinary frames.
class ShotPage : public Page {
    Q_OBJECT

public:
    explicit ShotPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    PictureView* picture() override { return picture_; }

signals:
    void frame_chosen(Id frame);
    void next_wanted();

private:
    void make_verdict();
    /// What finds and places the chart, and refuses the shot.
    void make_placing();
    QWidget* make_evidence();
    void place_by_hand();
    void place_from_two(const chart::Point& first, const chart::Point& last);
    void snap();
    /// Id of the chart that corners given by hand belong to.
    std::string chosen_chart() const;
    void show_chart_choice(const Chain& s);
    void show_verdict(const Chain& s);

    PictureView* picture_;
    QLabel *verdict_, *advice_;
    QListWidget* findings_;
    QLabel* found_;
    Facts* facts_;
    QComboBox* chart_;
    QPushButton *next_, *by_hand_, *snap_, *refuse_, *again_, *card_, *middle_;
    ValuesPanel* values_;
    QListWidget* frames_;
    QLabel* hint_;
    Id asked_for_card_ = 0; ///< chart shot in which a click on the card was asked for
    Id shown_setup_ = 0;
    std::vector<Id> shown_frames_;
};

} // namespace refero::app
