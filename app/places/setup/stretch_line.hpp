// The times of a setup over its chain: one button a stretch, in the order of time, and what can be done about them.
// Hidden where a setup has one chart shot.
#pragma once

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

class StretchLine : public QWidget {
    Q_OBJECT

public:
    explicit StretchLine(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);
    /// Buttons of the stretches, in the order of time.
    const std::vector<QToolButton*>& buttons() const { return buttons_; }

private:
    void make_buttons(const Chain& chain);
    void say(const Chain& chain);

    Desk& desk_;
    Id setup_ = 0;
    QHBoxLayout* times_;
    std::vector<QToolButton*> buttons_;
    QLabel* advice_;
    QToolButton *join_, *part_, *divide_;
};

} // namespace refero::app
