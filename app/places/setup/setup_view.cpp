#include "setup_view.hpp"

#include <QVBoxLayout>

#include "balance_page.hpp"
#include "correction_page.hpp"
#include "handover_page.hpp"
#include "proof_page.hpp"
#include "reading_page.hpp"
#include "shot_page.hpp"
#include "ui/theme.hpp"

namespace refero::app {

SetupView::SetupView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      times_(new StretchLine(desk)),
      chain_(new ChainLine(desk)),
      sentence_(new QLabel),
      pages_(new QStackedWidget) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(times_);
    column->addWidget(chain_);
    sentence_->setObjectName("firstSentence");
    sentence_->setFont(title_font());
    sentence_->setContentsMargins(16, 2, 16, 5);
    column->addWidget(sentence_);
    column->addWidget(pages_, 1);
    auto* shot = new ShotPage(desk);
    correction_ = new CorrectionPage(desk);
    for (Page* page : std::initializer_list<Page*>{shot, new ReadingPage(desk), new BalancePage(desk), correction_,
                                                   new ProofPage(desk), new HandoverPage(desk)})
        pages_->addWidget(page);
    connect(chain_, &ChainLine::step_chosen, this, [this](Step step) {
        pages_->setCurrentIndex(static_cast<int>(step));
        if (setup_) page()->show_setup(setup_);
        tell();
    });
    connect(&desk.tasks, &Tasks::setup_touched, this, [this](Id setup) {
        if (setup == setup_) tell();
    });
    connect(shot, &ShotPage::frame_chosen, this, [this](Id frame) {
        choose(Step::correction);
        correction_->choose_frame(frame);
    });
    connect(shot, &ShotPage::next_wanted, this, &SetupView::go_on);
    connect(&desk.chains, &Chains::setup_changed, this, [this](Id setup) {
        if (setup == setup_) refresh();
    });
}

Page* SetupView::page() const { return static_cast<Page*>(pages_->currentWidget()); }

void SetupView::close() {
    desk_.stretches.choose(setup_, 0);
    setup_ = 0;
}

void SetupView::open(Id setup) {
    if (setup_ && setup_ != setup) close();
    setup_ = setup;
    desk_.stretches.choose(setup, desk_.chains.at(setup).stretch); // stays while another becomes due
    desk_.readings.want(setup);
    desk_.pictures.look_at(setup);
    stretch_ = desk_.chains.at(setup).stretch;
    stretches_ = desk_.chains.stretches(setup).size();
    times_->show_setup(setup);
    chain_->show_setup(setup);
    const Chain& s = desk_.chains.at(setup);
    choose(s.shot ? s.current() : Step::shot);
}

void SetupView::refresh() {
    if (!desk_.chains.has(setup_)) return; // undone or removed
    const auto steps = desk_.chains.at(setup_).steps();
    if (std::find(steps.begin(), steps.end(), chosen()) == steps.end()) return choose(Step::balance);
    const auto& all = desk_.chains.stretches(setup_);
    if (all.size() > stretches_ && stretches_ > 0 &&
        all.back().stretch) { // a chart shot came in: that one is looked at
        stretches_ = all.size();
        desk_.stretches.choose(setup_, all.back().stretch); // comes back here where that is another
    }
    stretches_ = all.size();
    if (const Id now = desk_.chains.at(setup_).stretch; now != stretch_) { // another chart shot, another picture
        stretch_ = now;
        desk_.readings.want(setup_);
        desk_.pictures.look_at(setup_);
    }
    times_->show_setup(setup_);
    chain_->show_setup(setup_);
    page()->show_setup(setup_);
    tell();
}

void SetupView::tell() {
    if (desk_.chains.has(setup_)) sentence_->setText(sentence_of(desk_.chains.at(setup_), chosen(), desk_.tasks));
}

void SetupView::go_on() {
    if (!setup_) return;
    const Step step = desk_.chains.at(setup_).current();
    choose(step);
    const Chain& s = desk_.chains.at(setup_);
    if (step == Step::proof && s.correction && !s.correction_stale() && !s.proved) desk_.setups.prove(setup_);
    else if (step == Step::correction || step == Step::proof) desk_.setups.fit(setup_);
}

} // namespace refero::app
