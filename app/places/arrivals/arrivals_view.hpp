// Arrivals: what came home with a card, before it is work. The day as a line of time, lights to be named, questions,
// and frames that no chart stands for.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "day_line.hpp"
#include "light_row.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

class ArrivalsView : public QWidget {
    Q_OBJECT

public:
    explicit ArrivalsView(Desk& desk, QWidget* parent = nullptr);
    DayLine* line() { return line_; }
    const std::vector<LightRow*>& lights() const { return rows_; }
    QPushButton* keep_button() { return keep_; }
    /// One field a question: which camera made these files?
    const std::vector<QLineEdit*>& answers() const { return answers_; }

signals:
    void setup_opened(Id setup);
    void frames_wanted(); ///< the table of all frames
    void done();          ///< names are given: to the board

protected:
    void showEvent(QShowEvent*) override { follow(); }

private:
    void follow();
    void tell();
    void fill_lights();
    void fill_questions();
    /// The names that were typed, and those of cameras that were asked for.
    bool keep_names();

    Desk& desk_;
    QLabel* sentence_;
    FlowLabel *next_, *empty_;
    DayLine* line_;
    QWidget* body_;
    QVBoxLayout *light_list_, *question_list_;
    QPushButton *keep_, *frames_;
    std::vector<LightRow*> rows_;
    std::vector<QLineEdit*> answers_;
    std::map<Id, QString> typed_, cameras_typed_; ///< not kept yet, while more comes in
    std::vector<std::pair<Id, std::string>> shown_lights_;
};

} // namespace refero::app
