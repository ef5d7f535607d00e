// The chain of evidence of a setup over its page: six links on a line that breaks where evidence is missing, each with
// its name and its key figure. The chosen one opens downwards into the workspace.
#pragma once

#include <QAbstractButton>
#include <QLabel>
#include <QWidget>
#include <array>

#include "model/model.hpp"

namespace refero::app {

class ChainLink : public QAbstractButton {
    Q_OBJECT

public:
    explicit ChainLink(Step step, QWidget* parent = nullptr);
    /// `last` and `next`: the neighbours in this setup's chain; missing at its ends.
    void set(const Chain& chain, const Desk& desk, LinkState last, LinkState next);
    QString figure() const { return figure_; }

protected:
    void paintEvent(QPaintEvent*) override;
    QSize sizeHint() const override { return {170, 86}; }
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

private:
    Step step_;
    LinkState state_ = LinkState::missing, next_state_ = LinkState::missing, last_state_ = LinkState::missing;
    QString figure_, next_;
    QImage picture_;
};

class ChainLine : public QWidget {
    Q_OBJECT

public:
    explicit ChainLine(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);
    void choose(Step step);
    Step chosen() const { return chosen_; }
    ChainLink* link(Step step) { return links_[static_cast<std::size_t>(step)]; }

signals:
    void step_chosen(Step step);

protected:
    void keyPressEvent(QKeyEvent*) override;

private:
    Desk& desk_;
    std::vector<Step> steps_;
    std::array<ChainLink*, step_count> links_;
    QLabel *camera_, *light_;
    Step chosen_ = Step::shot;
};

} // namespace refero::app
