// The patches of a check, full screen on the display that is checked.
#pragma once

#include <QWidget>

#include "model/monitors.hpp"

namespace refero::app {

class PatternWindow : public QWidget {
    Q_OBJECT

public:
    explicit PatternWindow(Monitors& monitors, QWidget* parent = nullptr);
    /// Shows itself on the screen on which `beside` stands.
    void begin(QWidget* beside);
    QString words() const { return words_; }
    bool doubts() const { return doubts_; }

protected:
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent*) override; ///< Return goes on, Escape leaves
    void closeEvent(QCloseEvent*) override;

private:
    Monitors& monitors_;
    QColor patch_{Qt::white};
    QString words_;
    bool doubts_ = false;
};

} // namespace refero::app
