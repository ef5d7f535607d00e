// The place Practice: a task's frames at the left; question, answers, verdict and reason at the right.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabWidget>
#include <QTableWidget>

#include "model/practice.hpp"
#include "places/practice/studio_plan.hpp"
#include "places/setup/page.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

class PracticeView : public Page {
    Q_OBJECT

public:
    explicit PracticeView(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id) override { refresh(); }
    void refresh();
    PictureView* picture() override { return pictures_.front(); }
    /// Asks for the next task of the chosen kind.
    void next();
    void choose(practice::Kind kind);
    const ReadyTask* task() const { return task_.get(); }
    StudioPlan* plan() { return plan_; }
    QListWidget* kinds() { return kinds_; }

private:
    QWidget* make_evidence();
    QWidget* make_proof();
    QWidget* make_light_controls();
    void show_task(std::shared_ptr<const ReadyTask> task);
    void show_answers();
    void answer(const std::vector<int>& given);
    void light();
    void lit(std::shared_ptr<const ReadyTask> frame);
    void show_findings(const inspect::Judgement& judgement);
    void show_records();

    QListWidget* kinds_;
    QStackedWidget* evidence_;
    std::vector<PictureView*> pictures_; ///< the large one, then six small ones
    StudioPlan* plan_;
    QLabel *question_, *verdict_, *caution_;
    QWidget* answers_;
    QPushButton *next_, *keep_;
    QTabWidget* tabs_;
    QTableWidget *findings_, *records_;
    std::array<QDoubleSpinBox*, 5> set_;     ///< lamp's height and size, stops, turn, share of the chart
    std::pair<QCheckBox*, QCheckBox*> more_; ///< second lamp, white card
    QComboBox* second_light_ = nullptr;      ///< of the second lamp
    std::shared_ptr<const ReadyTask> task_;
};

} // namespace refero::app
