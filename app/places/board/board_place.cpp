#include "board_place.hpp"

#include <QVBoxLayout>

namespace refero::app {

BoardPlace::BoardPlace(Desk& desk, QWidget* parent)
    : QWidget(parent),
      board_(new BoardView(desk)),
      arrivals_(new ArrivalsView(desk)),
      frames_(new FramesView(desk)),
      delivery_(new DeliveryView(desk)),
      log_(new LogView(desk)),
      compare_(new CompareView(desk)),
      pages_(new QStackedWidget) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    names_ =
        new PageNames({{tr("Setups"), tr("Cameras down, lights across (1)")},
                       {tr("Arrivals"), tr("The day as it came in: lights to name, and what no chart stands for (A)")},
                       {tr("Frames"), tr("What came in, where it was put and why (F)")},
                       {tr("Hand over"), tr("One setup, several or all, to where their pictures are worked on (E)")},
                       {tr("Log"), tr("Everything that was done (L)")},
                       {tr("Compare"), tr("Two to eight pictures beside each other (G)")}},
                      0, [this](int page) { show_view(static_cast<View>(page)); });
    column->addWidget(names_);
    for (QWidget* w : std::initializer_list<QWidget*>{board_, arrivals_, frames_, delivery_, log_, compare_})
        pages_->addWidget(w);
    column->addWidget(pages_, 1);
    connect(arrivals_, &ArrivalsView::frames_wanted, this, [this] { show_view(frames); });
    connect(delivery_, &DeliveryView::done, this, [this] { show_view(setups); });
    connect(arrivals_, &ArrivalsView::done, this, [this] { show_view(setups); });
    show_view(setups);
}

void BoardPlace::show_view(View view) {
    pages_->setCurrentIndex(view);
    names_->mark(view);
    if (view == setups) board_->refresh();
}

} // namespace refero::app
