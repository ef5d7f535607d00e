#include "places/monitor/pattern_window.hpp"

#include <QKeyEvent>
#include <QPainter>
#include <QScreen>

#include "ui/theme.hpp"

namespace refero::app {

PatternWindow::PatternWindow(Monitors& monitors, QWidget* parent) : QWidget(parent, Qt::Window), monitors_(monitors) {
    setWindowTitle(tr("Check of a display \u2013 Refero"));
    setAttribute(Qt::WA_OpaquePaintEvent);
    setCursor(Qt::BlankCursor);
    setAccessibleName(tr("Patches to measure"));
    connect(&monitors, &Monitors::shows, this, [this](const colour::Vec3& rgb, const QString& words) {
        patch_ = QColor::fromRgbF(static_cast<float>(rgb[0]), static_cast<float>(rgb[1]), static_cast<float>(rgb[2]));
        words_ = words;
        doubts_ = false;
        update();
    });
    connect(&monitors, &Monitors::doubted, this, [this](const QString& why) {
        words_ = why;
        doubts_ = true;
        update();
    });
    connect(&monitors, &Monitors::ended, this, &QWidget::hide);
}

void PatternWindow::begin(QWidget* beside) {
    if (beside && beside->screen()) setGeometry(beside->screen()->geometry());
    showFullScreen();
    activateWindow();
    setFocus();
}

// The patch in the middle, the rest black: what surrounds it does not shine into the instrument.
void PatternWindow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Qt::black);
    constexpr double share = 0.55;
    const int side = static_cast<int>(share * std::min(width(), height()));
    const QRect patch((width() - side) / 2, (height() - side) / 2, side, side);
    p.fillRect(patch, patch_);
    p.setPen(QColor(doubts_ ? 200 : 90, doubts_ ? 200 : 90, doubts_ ? 200 : 90));
    p.setFont(doubts_ ? title_font() : small_font());
    const QRect below(20, patch.bottom() + 12, width() - 40, height() - patch.bottom() - 20);
    p.drawText(below, Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap,
               doubts_ ? words_ + tr("\nReturn: read again.  Escape: leave; what was read is kept.")
                       : words_ + tr("\nLay the instrument on the middle.  Escape: leave; what was read is kept."));
}

void PatternWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) monitors_.leave();
    else if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Space) {
        if (doubts_) monitors_.go_on();
    } else QWidget::keyPressEvent(event);
}

void PatternWindow::closeEvent(QCloseEvent* event) {
    if (monitors_.checking()) monitors_.leave();
    QWidget::closeEvent(event);
}

} // namespace refero::app
