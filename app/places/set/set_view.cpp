#include "set_view.hpp"

#include <QKeyEvent>
#include <QVBoxLayout>

#include "model/text.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

// Shares of the screen's height. Letters of 120 of 800 pixels are read from two metres.
constexpr double verdict_share = 0.215, remedy_share = 0.055, small_share = 0.034;

/// The chart shot that came in last; 0: there is none.
Id newest(const Chains& chains) {
    Id setup = 0, shot = 0;
    for (const Id id : chains.ids())
        if (const Chain& s = chains.at(id); s.chart_shot > shot) {
            shot = s.chart_shot;
            setup = id;
        }
    return setup;
}

} // namespace

SetView::SetView(Desk& desk, QWidget* parent)
    : QWidget(parent, Qt::Window),
      desk_(desk),
      whose_(new FlowLabel),
      verdict_(new QLabel),
      remedy_(new FlowLabel),
      open_(new FlowLabel) {
    setWindowTitle(tr("On set \u2013 Refero"));
    setAutoFillBackground(true);
    verdict_->setObjectName("setVerdict");
    remedy_->setObjectName("setRemedy");
    open_->setObjectName("setOpen");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(48, 32, 48, 32);
    column->addWidget(whose_);
    column->addStretch(1);
    column->addWidget(verdict_);
    column->addWidget(remedy_);
    column->addStretch(2);
    column->addWidget(open_);
    whose_->setProperty("dim", true);
    connect(&desk_.readings, &Readings::read, this, &SetView::follow);
    connect(&desk_.chains, &Chains::setup_changed, this, [this](Id setup) {
        if (!isVisible()) return;
        const Id now = newest(desk_.chains);
        if (now != setup_ && now == setup) follow(setup);
        else refresh();
    });
}

void SetView::begin(Id setup) {
    const Id now = newest(desk_.chains);
    setup_ = now ? now : setup;
    refresh();
    showFullScreen();
    activateWindow();
}

void SetView::follow(Id setup) {
    setup_ = setup;
    if (isVisible()) refresh();
}

void SetView::refresh() {
    if (!desk_.chains.has(setup_)) {
        whose_->setText({});
        verdict_->setText(tr("To shoot"));
        remedy_->setText(tr("No chart shot yet: shoot the chart, or drop a frame of it onto Refero's window"));
        open_->setText({});
        return;
    }
    const Chain& s = desk_.chains.stretches(setup_).back(); // the newest, whatever is looked at elsewhere
    const shoot::Shoot& job = desk_.job.shoot();
    whose_->setText(desk_.chains.title_of(setup_) +
                    (s.chart_frame.id ? ", " + name_of_file(s.chart_frame.path) : QString()));
    verdict_->setText(desk_.tasks.busy(Doing::reading, setup_) && !s.shot ? tr("\u2026") : gate_words(s));
    remedy_->setText(remedy_of(s));
    QStringList left;
    for (const Id id : desk_.chains.ids())
        if (const Chain& other = desk_.chains.at(id);
            other.row.light == s.row.light && other.link(Step::shot) != LinkState::whole)
            left << qt(shoot::name_in(job.cameras, other.row.camera));
    const QString light = qt(shoot::name_in(job.lights, s.row.light));
    open_->setText(left.isEmpty() ? tr("%1: everything is shot").arg(light)
                                  : tr("Still to shoot under %1: %2").arg(light, left.join(", ")));
    layout()->activate();
}

void SetView::size_letters() {
    const auto sized = [this](QLabel* label, double share, QFont::Weight weight) {
        QFont f = label->font();
        f.setPixelSize(std::max(12, static_cast<int>(share * height())));
        f.setWeight(weight);
        f.setLetterSpacing(QFont::AbsoluteSpacing, 0.5); // large letters stand alone
        label->setFont(f);
    };
    sized(verdict_, verdict_share, QFont::Black);
    sized(remedy_, remedy_share, QFont::Normal);
    sized(whose_, small_share, QFont::Normal);
    sized(open_, small_share, QFont::Normal);
}

void SetView::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    size_letters();
}

void SetView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape || event->key() == Qt::Key_V) hide();
    else QWidget::keyPressEvent(event);
}

} // namespace refero::app
