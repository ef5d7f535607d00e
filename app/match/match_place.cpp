#include "match/match_place.hpp"

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
    auto* line = new QHBoxLayout;
    line->setContentsMargins(8, 6, 8, 4);
    line->setSpacing(2);
    const std::pair<QString, QString> names[] = {
        {tr("Cameras"), tr("Another camera made to show what the lead shows")},
        {tr("Modes"), tr("What each mode and camera makes of the chart under one light, in order for a purpose")},
        {tr("Exposures"), tr("How far under and over one mode may be exposed, and why no farther")}};
    for (int i = 0; i < 3; ++i) {
        auto* b = new QToolButton;
        b->setText(names[i].first);
        b->setToolTip(names[i].second);
        b->setProperty("flat", true);
        b->setCheckable(true);
        b->setAutoExclusive(true);
        connect(b, &QToolButton::clicked, this, [this, i] { show_view(static_cast<View>(i)); });
        buttons_[static_cast<std::size_t>(i)] = b;
        line->addWidget(b);
    }
    line->addStretch();
    column->addLayout(line);
    for (QWidget* w : std::initializer_list<QWidget*>{cameras_, modes_, exposures_}) pages_->addWidget(w);
    column->addWidget(pages_, 1);
    buttons_[0]->setChecked(true);
}

void MatchPlace::show_view(View view) {
    pages_->setCurrentIndex(view);
    buttons_[static_cast<std::size_t>(view)]->setChecked(true);
    show_setup(setup_);
}

void MatchPlace::show_setup(Id setup) {
    setup_ = setup;
    static_cast<Page*>(pages_->currentWidget())->show_setup(setup);
}

} // namespace refero::app
