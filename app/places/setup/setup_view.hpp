// An open setup: its chain on top, the chosen link's workspace under it.
#pragma once

#include <QLabel>
#include <QStackedWidget>

#include "chain_line.hpp"
#include "page.hpp"
#include "stretch_line.hpp"

namespace refero::app {

class CorrectionPage;

class SetupView : public QWidget {
    Q_OBJECT

public:
    explicit SetupView(Desk& desk, QWidget* parent = nullptr);
    void open(Id setup);
    void close();
    Id setup() const { return setup_; }
    void choose(Step step) { chain_->choose(step); }
    Step chosen() const { return chain_->chosen(); }
    Page* page() const;
    ChainLine* chain() { return chain_; }
    StretchLine* times() { return times_; }
    /// Does the next thing there is to do in this setup: fits, or goes to the link that needs a person.
    void go_on();
    void refresh();

private:
    void tell();

    Desk& desk_;
    Id setup_ = 0, stretch_ = 0;
    std::size_t stretches_ = 0; ///< of the setup
    StretchLine* times_;
    ChainLine* chain_;
    QLabel* sentence_;
    QStackedWidget* pages_;
    CorrectionPage* correction_;
};

} // namespace refero::app
