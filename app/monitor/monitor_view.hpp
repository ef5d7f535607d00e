// The place Monitor: what a display does, what to turn, its profile and its history.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabBar>
#include <QTabWidget>
#include <QTableWidget>

#include "../setup/page.hpp"
#include "monitor/display_plots.hpp"
#include "monitor/guide_panel.hpp"
#include "monitor/pattern_window.hpp"

namespace refero::app {

class MonitorView : public Page {
    Q_OBJECT

public:
    explicit MonitorView(Desk& desk, QWidget* parent = nullptr);
    /// Of a monitor of the kit; 0: the one shown last, else the first.
    void show_setup(Id monitor) override;
    void refresh() { show_setup(setup_); }
    Id monitor() const { return setup_; }
    void check();
    PatternWindow* pattern() { return pattern_; }
    QComboBox* monitors() { return monitors_; }

private:
    QWidget* make_head();
    QWidget* make_evidence();
    QWidget* make_proof();
    QWidget* make_room();
    void edit(const std::function<void(plan::Monitor&)>& change);
    void new_monitor();
    void bring();
    void write_profile();
    void show_display(const plan::Monitor& monitor, const plan::MonitorCheck* check);
    void show_history(const plan::Monitor& monitor);
    void show_all();
    void show_room();

    PatternWindow* pattern_;
    QComboBox *monitors_, *target_, *backlight_, *instrument_, *version_, *kind_;
    QTabBar* seen_;
    QStackedWidget* evidence_;
    EotfPlot* curve_;
    GreyPlot* greys_;
    GamutPlot* gamut_;
    Figure* verdict_;
    QLabel *words_, *room_words_;
    QPushButton *check_, *profile_;
    QTableWidget *faults_, *gamuts_, *history_, *all_;
    std::pair<QDoubleSpinBox*, std::array<QCheckBox*, 2>> room_;
    std::tuple<Facts*, GuidePanel*, QTabWidget*> proof_;
    std::pair<Id, std::optional<screen::Display>> shown_; ///< monitor, and what it does
};

} // namespace refero::app
