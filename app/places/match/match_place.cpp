#include "places/match/match_place.hpp"

#include <QVBoxLayout>

namespace refero::app {

MatchPlace::MatchPlace(Desk& desk, QWidget* parent)
    : QWidget(parent),
      cameras_(new MatchView(desk)),
      modes_(new ModesView(desk)),
      exposures_(new ExposuresView(desk)),
      pages_(new QStackedWidget) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    names_ = new PageNames(
        {{tr("Cameras"), tr("Another camera made to show what the lead shows")},
         {tr("Modes"), tr("What each mode and camera makes of the chart under one light, in order for a purpose")},
         {tr("Exposures"), tr("How far under and over one mode may be exposed, and why no farther")}},
        4, [this](int page) { show_view(static_cast<View>(page)); });
    column->addWidget(names_);
    for (QWidget* w : std::initializer_list<QWidget*>{cameras_, modes_, exposures_}) pages_->addWidget(w);
    column->addWidget(pages_, 1);
    names_->mark(cameras);
}

void MatchPlace::show_view(View view) {
    pages_->setCurrentIndex(view);
    names_->mark(view);
    show_setup(setup_);
}

void MatchPlace::show_setup(Id setup) {
    setup_ = setup;
    static_cast<Page*>(pages_->currentWidget())->show_setup(setup);
}

} // namespace refero::app
