#include "board_place.hpp"

#include <QVBoxLayout>

namespace refero::app {

BoardPlace::BoardPlace(Desk& desk, QWidget* parent)
    : QWidget(parent),
      board_(new BoardView(desk)),
      frames_(new FramesView(desk)),
      log_(new LogView(desk)),
      compare_(new CompareView(desk)),
      pages_(new QStackedWidget) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    names_ = new PageNames({{tr("Setups"), tr("Cameras down, lights across (1)")},
                            {tr("Frames"), tr("What came in, where it was put and why (F)")},
                            {tr("Log"), tr("Everything that was done (L)")},
                            {tr("Compare"), tr("Two to eight pictures beside each other (G)")}},
                           0, [this](int page) { show_view(static_cast<View>(page)); });
    column->addWidget(names_);
    for (QWidget* w : std::initializer_list<QWidget*>{board_, frames_, log_, compare_}) pages_->addWidget(w);
    column->addWidget(pages_, 1);
    show_view(setups);
}

void BoardPlace::show_view(View view) {
    pages_->setCurrentIndex(view);
    names_->mark(view);
    if (view == setups) board_->refresh();
}

} // namespace refero::app
