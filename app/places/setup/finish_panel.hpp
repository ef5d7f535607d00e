#pragma once

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QWidget>

#include "model/model.hpp"
#include "warmth_map.hpp"

namespace refero::app {

/// What is done to the picture after the correction: exposure by a school, a warm or cool step, a share of the light
/// kept.
class FinishPanel : public QWidget {
    Q_OBJECT

public:
    explicit FinishPanel(QWidget* parent = nullptr);
    void set(const Chain& s, const shoot::Kit& kit);
    const look::Adjustments& finish() const { return finish_; }

signals:
    void moving(const look::Adjustments& finish); ///< while the point of the map is held
    void settled(const look::Adjustments& finish, const QString& what);

private:
    struct Control {
        QDoubleSpinBox* spin;
        double look::Adjustments::*value;
    };
    void add(int row, const QString& label, const QString& tooltip, double least, double most, double step,
             int decimals, const QString& suffix, double look::Adjustments::*value, QWidget* beside);
    /// From neutral to the light's own colour; none where it is not known.
    std::optional<QPointF> light_at_;
    WarmthMap* map_;
    void show_finish();
    void ask_white();
    void settle(const look::Adjustments& finish, const QString& what);

    std::vector<Control> controls_;
    QComboBox *school_, *house_, *tint_;
    QPushButton* reset_;
    look::Adjustments finish_;
    std::function<std::optional<double>(int percent)> white_at_; ///< stops for a white of one's own
};

} // namespace refero::app
