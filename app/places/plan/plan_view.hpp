// Plan: cameras and lights of a shoot, the combinations that need a chart shot, and the shot list that follows.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabWidget>
#include <QTableWidget>
#include <QTextBrowser>

#include "log_curve_form.hpp"
#include "model/model.hpp"
#include "operations/capture/planning.hpp"
#include "shoot/board.hpp"
#include "ui/widgets/record_form.hpp"

namespace refero::app {

/// The kinds of light in words, in the order of the enumerators.
QStringList light_kind_words();

class PlanView : public QWidget {
    Q_OBJECT

public:
    explicit PlanView(Desk& desk, QWidget* parent = nullptr);
    void refresh();
    /// Adds what the kit knows under this name, or a new one; the kind of light is told by its name.
    void add_camera(const QString& name);
    void add_light(const QString& name);
    /// The focal length is told by the name: "50 mm", "Zoom 24-70".
    void add_lens(const QString& name);
    void add_card(const QString& name);
    void plan_all();
    void save_pdf(const fs::path& file);
    void save_text(const fs::path& file);
    QTableWidget* matrix() { return matrix_; }
    QComboBox* camera_box() { return cameras_; }
    QComboBox* light_box() { return lights_; }
    QComboBox* lens_box() { return lenses_; }
    QComboBox* card_box() { return cards_; }

protected:
    void showEvent(QShowEvent*) override { refresh(); }

private:
    QWidget* make_left();
    QWidget* make_middle();
    QWidget* make_right();
    void make_forms();
    void make_camera_form(QWidget* inner, QVBoxLayout* column);
    void make_light_form(QWidget* inner, QVBoxLayout* column);
    void make_setup_form(QWidget* inner, QVBoxLayout* column);
    template<class Fresh>
    void change_row(QComboBox* box, Id shoot::Rig::*of_rig, Fresh fresh, const QString& what);
    void fill_boxes();
    void fill_matrix();
    void fill_list();
    void show_details();
    void toggled(int row, int column);
    void save(bool pdf);
    void print();
    void add_row_like(int row);
    template<class T>
    void update_row(const T& row, const QString& what) {
        if (row.id) desk_.job.change(shoot::put(what.toStdString(), row));
    }

    Desk& desk_;
    QTableWidget* matrix_;
    QComboBox *cameras_, *lights_, *lenses_, *cards_;
    QLabel *empty_, *details_title_;
    QTabWidget* right_;
    QTextBrowser* list_;
    QString listed_; ///< what it shows
    QStackedWidget* forms_;
    QComboBox *lens_of_row_, *mode_of_row_, *place_of_light_, *card_of_setup_;
    QPushButton *all_, *remove_, *another_;
    std::unique_ptr<RecordForm<shoot::JobSettingsRecord>> brief_;
    std::unique_ptr<RecordForm<shoot::CameraRecord>> camera_;
    std::unique_ptr<RecordForm<shoot::LensRecord>> lens_;
    std::unique_ptr<RecordForm<shoot::ModeRecord>> mode_;
    LogCurveForm* log_curve_ = nullptr;
    std::unique_ptr<RecordForm<shoot::LightRecord>> light_;
    std::unique_ptr<RecordForm<shoot::SetupRecord>> setup_;
    QLabel* holding_;
    std::vector<shoot::Rig> rows_, waiting_; ///< waiting: rows without a setup yet
    std::vector<Id> columns_;
    bool filling_ = false;
};

} // namespace refero::app
