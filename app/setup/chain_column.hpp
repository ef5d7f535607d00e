// The chain of evidence of a setup as a column of six cards, joined by a line that breaks where evidence is missing.
#pragma once

#include <QAbstractButton>
#include <QLabel>
#include <QWidget>
#include <array>

#include "desk/desk.hpp"

namespace refero::app {

class ChainCard : public QAbstractButton {
    Q_OBJECT

public:
    explicit ChainCard(Step step, QWidget* parent = nullptr);
    /// `last` and `next`: the neighbours in this setup's chain; missing at its ends.
    void set(const Chain& chain, const Desk& desk, LinkState last, LinkState next);
    QString figure() const { return figure_; }

protected:
    void paintEvent(QPaintEvent*) override;
    QSize sizeHint() const override { return {230, 92}; }
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

private:
    Step step_;
    LinkState state_ = LinkState::missing, next_state_ = LinkState::missing, last_state_ = LinkState::missing;
    QString figure_, next_;
    QImage picture_;
};

class ChainColumn : public QWidget {
    Q_OBJECT

public:
    explicit ChainColumn(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);
    void choose(Step step);
    Step chosen() const { return chosen_; }
    ChainCard* card(Step step) { return cards_[static_cast<std::size_t>(step)]; }

signals:
    void step_chosen(Step step);

protected:
    void keyPressEvent(QKeyEvent*) override;

private:
    Desk& desk_;
    std::vector<Step> steps_;
    std::array<ChainCard*, step_count> cards_;
    QLabel *camera_, *light_;
    Step chosen_ = Step::shot;
};

} // namespace refero::app
