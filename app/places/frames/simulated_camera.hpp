// A simulated camera that stands in for a tethered one: choose a setup and how the chart is held, press the shutter;
// the frame drops into the watched folder as a real DNG.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

class SimulatedCamera : public QWidget {
    Q_OBJECT

public:
    explicit SimulatedCamera(Desk& desk, QWidget* parent = nullptr);
    void release(); ///< presses the shutter
    QComboBox* setups() { return setups_; }
    QComboBox* mistakes() { return mistake_; }
    QPushButton* shutter() { return shutter_; }
    fs::path folder() const;

signals:
    void closed();

protected:
    void showEvent(QShowEvent*) override { fill(); }

private:
    void fill();

    Desk& desk_;
    QComboBox *setups_, *what_, *mistake_;
    QDoubleSpinBox *stops_, *tilt_, *share_;
    QPushButton* shutter_;
    QLabel* told_;
    std::uint64_t shots_ = 0;
};

} // namespace refero::app
