// The place Board: setups, the day as it came in, all frames, the delivery, the log of what was done, and pictures
// beside each other.
#pragma once

#include <QStackedWidget>

#include "board_view.hpp"
#include "places/arrivals/arrivals_view.hpp"
#include "places/compare/compare_view.hpp"
#include "places/delivery/delivery_view.hpp"
#include "places/frames/frames_view.hpp"
#include "places/log/log_view.hpp"
#include "ui/widgets/page_names.hpp"

namespace refero::app {

class BoardPlace : public QWidget {
    Q_OBJECT

public:
    enum View { setups, arrivals, frames, delivery, log, compare };
    explicit BoardPlace(Desk& desk, QWidget* parent = nullptr);
    void show_view(View view);
    View view() const { return static_cast<View>(pages_->currentIndex()); }
    BoardView* board() { return board_; }
    ArrivalsView* arrivals_view() { return arrivals_; }
    FramesView* frames_view() { return frames_; }
    DeliveryView* delivery_view() { return delivery_; }
    LogView* log_view() { return log_; }
    CompareView* compare_view() { return compare_; }

private:
    BoardView* board_;
    ArrivalsView* arrivals_;
    FramesView* frames_;
    DeliveryView* delivery_;
    LogView* log_;
    CompareView* compare_;
    QStackedWidget* pages_;
    PageNames* names_ = nullptr;
};

} // namespace refero::app
