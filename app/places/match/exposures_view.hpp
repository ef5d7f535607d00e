// Exposures of one mode beside its key exposure: how far under and over is safe, and why no farther.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QTableWidget>

#include "places/setup/page.hpp"
#include "ui/plots/exposure_plot.hpp"

namespace refero::app {

class ExposuresView : public Page {
    Q_OBJECT

public:
    explicit ExposuresView(Desk& desk, QWidget* parent = nullptr);
    /// Its frames are offered; 0: the setup shown last, else the first with a reading.
    void show_setup(Id setup) override;
    /// Compares the chosen frames.
    void compare();
    QTableWidget* frames() { return table_; }
    const operations::ExposuresSeen* seen() const { return seen_.get(); }

private:
    void fill_setups();
    void fill_frames();
    void fill_series();
    void tell();
    std::vector<Id> chosen() const;

    QComboBox *setups_, *key_;
    ExposurePlot* plot_;
    Figure* figure_;
    QLabel* words_;
    QPushButton *compare_, *keep_;
    QTableWidget* table_;
    std::vector<Id> frames_, asked_; ///< rows of the table; of what is seen
    std::shared_ptr<const operations::ExposuresSeen> seen_;
};

} // namespace refero::app
