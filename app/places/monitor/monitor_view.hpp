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

#include "places/monitor/display_plots.hpp"
#include "places/monitor/guide_panel.hpp"
#include "places/monitor/pattern_window.hpp"
#include "places/setup/page.hpp"

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
    void edit(const std::function<void(shoot::MonitorRecord&)>& change);
    void new_monitor();
    void bring();
    void write_profile();
    void show_display(const shoot::MonitorRecord& monitor, const shoot::MonitorCheckRecord* check);
    void show_history(const shoot::MonitorRecord& monitor);
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
    std::pair<Id, std::optional<display::Display>> shown_; ///< monitor, and what it does
};

} // namespace refero::app
