// Kit: what all jobs share: charts and cards, lights with their history, cameras, monitors, fallbacks, warmth steps,
// and the series of a client's jobs.
#pragma once

#include <QListWidget>
#include <QStackedWidget>

#include "model/model.hpp"

namespace refero::app {

class LightPlot;

/// How old charts and monitors stand today: "good until 2027-03-30", "due since 2026-05-02".
QString condition_of(const shoot::CardRecord& card, const QDate& today, double years);
QString due_of(const shoot::MonitorRecord& monitor, const QDate& today);
/// What two chart shots of a series say of each other: the light's colour, and what the older correction leaves on the
/// newer reading.
QString compared(const shoot::SeriesShotRecord& older, const shoot::SeriesShotRecord& newer);

class KitView : public QWidget {
    Q_OBJECT

public:
    explicit KitView(Desk& desk, QWidget* parent = nullptr);
    QListWidget* sections() { return sections_; }
    /// A chart that was taught from a picture, to be looked at, named and saved.
    void take_chart(const find::Taught& chart);

signals:
    void chart_saved(const QString& id);

private:
    QWidget* make_cards();
    QWidget* make_lights();
    QWidget* make_cameras();
    QWidget* make_balances();
    QWidget* make_monitors();
    int next_number(Id camera) const;
    QWidget* make_fallbacks();
    QWidget* make_warmths();
    QWidget* make_looks();
    QWidget* make_series();

    class ChartEditor* chart_editor();

    Desk& desk_;
    QWidget* own_; ///< page of own charts; its editor is made when it is first shown
    QListWidget* sections_;
    QStackedWidget* pages_;
};

} // namespace refero::app
