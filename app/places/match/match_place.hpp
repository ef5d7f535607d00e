// The place Match: cameras made alike, modes compared, exposures of a mode.
#pragma once

#include <QStackedWidget>

#include "places/match/exposures_view.hpp"
#include "places/match/match_view.hpp"
#include "places/match/modes_view.hpp"
#include "ui/widgets/page_names.hpp"

namespace refero::app {

class MatchPlace : public QWidget {
    Q_OBJECT

public:
    enum View { cameras, modes, exposures };
    explicit MatchPlace(Desk& desk, QWidget* parent = nullptr);
    void show_view(View view);
    View view() const { return static_cast<View>(pages_->currentIndex()); }
    /// On the page that is open; 0: what it showed last.
    void show_setup(Id setup);
    MatchView* cameras_view() { return cameras_; }
    ModesView* modes_view() { return modes_; }
    ExposuresView* exposures_view() { return exposures_; }

private:
    MatchView* cameras_;
    ModesView* modes_;
    ExposuresView* exposures_;
    QStackedWidget* pages_;
    PageNames* names_ = nullptr;
    Id setup_ = 0;
};

} // namespace refero::app
