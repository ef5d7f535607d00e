// One light that came in: its chart in small, a name to give, its temperature and times. Dragged onto another, both are
// one; a chart dragged here was lit by it.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

class LightRow : public QWidget {
    Q_OBJECT

public:
    LightRow(Desk& desk, const operations::DayLight& light, QWidget* parent = nullptr);
    Id light() const { return light_; }
    QLineEdit* name() { return name_; }
    QToolButton* more() { return more_; }
    /// "3150 K, 10:12 to 11:40, 2 charts, 63 frames".
    static QString facts_of(const operations::DayLight& light);

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dragLeaveEvent(QDragLeaveEvent*) override;
    void dropEvent(QDropEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;

private:
    void fill_menu();

    Desk& desk_;
    Id light_;
    QLabel* picture_;
    QLineEdit* name_;
    QToolButton* more_;
    QPoint pressed_at_;
};

/// Where charts are dropped that were lit by a light of their own.
class NewLightRow : public QLabel {
    Q_OBJECT

public:
    explicit NewLightRow(Desk& desk, QWidget* parent = nullptr);

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    Desk& desk_;
};

} // namespace refero::app
