// A link of the chain of evidence: its state by shape first, by tone second.
#pragma once

#include <QPainter>
#include <QWidget>

#include "model/model.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {

/// Draws a link standing upright in `box`: whole is a filled ring pair, worn hollow and thin, broken split, missing
/// a dotted outline.
void draw_link(QPainter& painter, const QRectF& box, LinkState state, const QColor& colour);
/// The state of a setup: a missing, broken, worn or whole link, and a ring that fills up on the way.
void draw_state(QPainter& painter, const QRectF& box, shoot::State state, const QColor& colour);
/// The links of a setup side by side.
void draw_chain(QPainter& painter, const QRectF& box, const Chain& setup, const QColor& colour);
/// The chains of a setup's stretches one after the other, at most three of them and how many more there are.
void draw_chains(QPainter& painter, const QRectF& box, const std::vector<Chain>& stretches, const QColor& colour);

class StateGlyph : public QWidget {
    Q_OBJECT

public:
    explicit StateGlyph(shoot::State state, QWidget* parent = nullptr) : QWidget(parent), state_(state) {
        setFixedSize(18, 24);
    }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    shoot::State state_;
};

/// The six links with their names, all whole: what the work is about.
class ChainPicture : public QWidget {
    Q_OBJECT

public:
    explicit ChainPicture(QWidget* parent = nullptr) : QWidget(parent) { setFixedSize(640, 76); }

protected:
    void paintEvent(QPaintEvent*) override;
};

} // namespace refero::app
