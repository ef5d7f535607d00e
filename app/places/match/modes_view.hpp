// Modes and cameras under one light beside each other: what each makes of the chart by its balance alone.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QTableWidget>

#include "places/setup/page.hpp"
#include "ui/plots/shift_plot.hpp"

namespace refero::app {

class ModesView : public Page {
    Q_OBJECT

public:
    /// What a mode is chosen for: it decides the order.
    enum class Purpose { skin, objects, grading };

    explicit ModesView(Desk& desk, QWidget* parent = nullptr);
    /// Its light is shown; 0: the one shown last, else the first that has readings.
    void show_setup(Id setup) override;
    void rank_for(Purpose purpose);
    /// Each mode through a look or LUT; an empty path: none.
    void try_look(const fs::path& look);
    QTableWidget* modes() { return table_; }
    Id chosen() const { return setup_; }

signals:
    void setup_opened(Id setup);

private:
    void fill_lights();
    void fill_modes();
    void show_mode();
    QString through_text(Id setup) const;
    QString words_through(const Matches::Through& through) const;
    Purpose purpose() const { return static_cast<Purpose>(purposes_->currentIndex()); }

    struct Row {
        Id setup = 0;
        operations::ModeSeen seen;
        double corrected = 0; ///< left out; 0: no correction
    };
    QComboBox *lights_, *purposes_;
    QLabel* caption_;
    ShiftPlot* plot_;
    Figure* figure_;
    QLabel* words_;
    QPushButton *open_, *through_, *without_;
    fs::path look_;
    std::map<Id, Matches::Through> tried_; ///< by setup
    QTableWidget* table_;
    std::vector<Row> rows_; ///< in the order of the table
};

} // namespace refero::app
