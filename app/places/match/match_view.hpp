// The place Match: cameras under one light made alike, with the figures, the pictures and the recipe.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabBar>
#include <QTableWidget>
#include <QToolButton>

#include "places/match/match_scope.hpp"
#include "places/match/recipe_table.hpp"
#include "places/setup/page.hpp"
#include "ui/widgets/patch_table.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

class MatchView : public Page {
    Q_OBJECT

public:
    explicit MatchView(Desk& desk, QWidget* parent = nullptr);
    /// The lead is a setup; 0: the one shown last, else the first that can lead.
    void show_setup(Id lead) override;
    void refresh() { show_setup(lead_); }
    /// The next step: match, where that is to be done.
    void go_on();
    PictureView* picture() override { return picture_; }
    Id lead() const { return lead_; }
    Id other() const { return other_; }
    void choose_other(Id other);
    /// What the evidence shows.
    enum class Seen { strips, split, difference, scopes };
    void show_as(Seen seen);
    QTableWidget* others() { return others_; }

private:
    QWidget* make_head();
    QWidget* make_evidence();
    QWidget* make_proof();
    void fill_lights();
    void fill_leads();
    void fill_others();
    void show_pair();
    void show_figures(const Chain& lead, const Chain& other, const std::optional<operations::KeptMatch>& match);
    void show_recipe(const operations::KeptMatch& match);
    void show_patches(const Chain& lead, const Chain& other, const std::optional<operations::KeptMatch>& match);
    void show_picture();
    /// Of the region that was drawn, what both show there; no region: the patches again.
    void measure_region();
    void look();
    void hand_over(const QString& format);
    Id light() const { return lights_->currentData().toLongLong(); }

    QComboBox *lights_, *leads_;
    QTableWidget *others_, *ways_;
    QTabBar* seen_;
    QStackedWidget* evidence_;
    PictureView* picture_;
    MatchScope* scope_;
    QToolButton* region_button_;
    std::optional<std::array<chart::Point, 2>> region_; ///< opposite corners, pixels of `both_`
    QString region_words_;
    QLabel* scale_;
    Figure* left_out_;
    QLabel* words_;
    QPushButton *match_, *hand_over_, *all_;
    RecipeTable* recipe_;
    std::shared_ptr<const match::Recipe> by_hand_;
    QString recipe_of_; ///< the match that it is of, or that it is asked of
    PatchTable* patches_;
    Id lead_ = 0, other_ = 0;
    std::shared_ptr<const operations::Beside> both_;
    QString looked_at_; ///< what `both_` shows
};

} // namespace refero::app
