#include "setup_view.hpp"

#include <QHBoxLayout>

#include "balance_page.hpp"
#include "correction_page.hpp"
#include "handover_page.hpp"
#include "proof_page.hpp"
#include "reading_page.hpp"
#include "shot_page.hpp"

namespace refero::app {

SetupView::SetupView(Session& session, QWidget* parent)
    : QWidget(parent),
      session_(session),
      chain_(new ChainColumn(session)),
      pages_(new QStackedWidget) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(chain_);
    row->addWidget(pages_, 1);
    auto* shot = new ShotPage(session);
    correction_ = new CorrectionPage(session);
    for (Page* page : std::initializer_list<Page*>{shot, new ReadingPage(session), new BalancePage(session),
                                                   correction_, new ProofPage(session), new HandoverPage(session)})
        pages_->addWidget(page);
    connect(chain_, &ChainColumn::step_chosen, this, [this](Step step) {
        pages_->setCurrentIndex(static_cast<int>(step));
        if (setup_) page()->show_setup(setup_);
    });
    connect(shot, &ShotPage::frame_chosen, this, [this](Id frame) {
        choose(Step::correction);
        correction_->choose_frame(frame);
    });
    connect(&session, &Session::setup_changed, this, [this](Id setup) {
        if (setup == setup_) refresh();
    });
}

Page* SetupView::page() const { return static_cast<Page*>(pages_->currentWidget()); }

void SetupView::open(Id setup) {
    setup_ = setup;
    session_.look_at(setup);
    chain_->show_setup(setup);
    const SetupState& s = session_.at(setup);
    choose(s.shot ? s.current() : Step::shot);
}

void SetupView::refresh() {
    if (!session_.has(setup_)) return; // undone or removed
    const auto steps = session_.at(setup_).steps();
    if (std::find(steps.begin(), steps.end(), chosen()) == steps.end()) return choose(Step::balance);
    chain_->show_setup(setup_);
    page()->show_setup(setup_);
}

void SetupView::go_on() {
    if (!setup_) return;
    const Step step = session_.at(setup_).current();
    choose(step);
    const SetupState& s = session_.at(setup_);
    if (step == Step::proof && s.correction && !s.correction_stale() && !s.proved) session_.prove(setup_);
    else if (step == Step::correction || step == Step::proof) session_.fit(setup_);
}

} // namespace refero::app
