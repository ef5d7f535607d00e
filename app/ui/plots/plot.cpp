#include "plot.hpp"

#include "ui/theme.hpp"

namespace refero::app {

Plot::Plot(QWidget* parent) : QCustomPlot(parent) {
    words_ = new QCPItemText(this);
    words_->position->setType(QCPItemPosition::ptAxisRectRatio);
    words_->position->setCoords(0.5, 0.5);
    words_->setVisible(false);
    setMinimumHeight(130);
    dress();
}

void Plot::say(const QString& words) {
    words_->setText(words);
    words_->setVisible(!words.isEmpty());
}

void Plot::dress() {
    const Theme& t = Theme::now();
    setBackground(t.panel);
    words_->setColor(t.dim);
    words_->setFont(QApplication::font());
    for (QCPAxis* axis : {xAxis, yAxis, xAxis2, yAxis2}) {
        axis->setBasePen(QPen(t.dim, 1));
        axis->setTickPen(QPen(t.dim, 1));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(t.text);
        axis->setLabelColor(t.text);
        axis->setTickLabelFont(small_font());
        axis->setLabelFont(small_font());
        axis->grid()->setPen(QPen(t.line, 1, Qt::DotLine));
        axis->grid()->setZeroLinePen(axis == yAxis ? QPen(t.dim, 1) : Qt::NoPen);
    }
    legend->setBrush(t.panel);
    legend->setBorderPen(Qt::NoPen);
    legend->setTextColor(t.text);
    legend->setFont(small_font());
}

} // namespace refero::app
