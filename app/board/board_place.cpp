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
    auto* line = new QHBoxLayout;
    line->setContentsMargins(8, 6, 8, 0);
    line->setSpacing(2);
    const std::pair<QString, QString> names[] = {{tr("Setups"), tr("Cameras down, lights across (1)")},
                                                 {tr("Frames"), tr("What came in, where it was put and why (F)")},
                                                 {tr("Log"), tr("Everything that was done (L)")},
                                                 {tr("Compare"), tr("Two to eight pictures beside each other (G)")}};
    for (int i = 0; i < 4; ++i) {
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
    for (QWidget* w : std::initializer_list<QWidget*>{board_, frames_, log_, compare_}) pages_->addWidget(w);
    column->addWidget(pages_, 1);
    show_view(setups);
}

void BoardPlace::show_view(View view) {
    pages_->setCurrentIndex(view);
    buttons_[static_cast<std::size_t>(view)]->setChecked(true);
    if (view == setups) board_->refresh();
}

} // namespace refero::app
