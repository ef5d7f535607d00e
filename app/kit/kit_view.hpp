// Kit: what all jobs share: charts and cards, lights with their history, cameras, monitors, fallbacks, warmth steps,
// and the series of a client's jobs.
#pragma once

#include <QListWidget>
#include <QStackedWidget>

#include "desk/desk.hpp"

namespace refero::app {

class LightPlot;

/// How old charts and monitors stand today: "good until 2027-03-30", "due since 2026-05-02".
QString condition_of(const plan::Card& card, const QDate& today, double years);
QString due_of(const plan::Monitor& monitor, const QDate& today);
/// What two chart shots of a series say of each other: the light's colour, and what the older correction leaves on the
/// newer reading.
QString compared(const plan::SeriesShot& older, const plan::SeriesShot& newer);

class KitView : public QWidget {
    Q_OBJECT

public:
    explicit KitView(Desk& desk, QWidget* parent = nullptr);
    QListWidget* sections() { return sections_; }

private:
    QWidget* make_cards();
    QWidget* make_lights();
    QWidget* make_cameras();
    QWidget* make_monitors();
    QWidget* make_fallbacks();
    QWidget* make_warmths();
    QWidget* make_series();

    Desk& desk_;
    QListWidget* sections_;
    QStackedWidget* pages_;
};

} // namespace refero::app
