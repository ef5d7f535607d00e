#include "stretch_line.hpp"

#include "model/text.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/link_glyph.hpp"

namespace refero::app {

namespace {

QString span_of(const operations::StretchFacts& s) {
    const auto clock = [](const std::string& time) { return qt(time).mid(11, 5); };
    return s.from.empty() && s.to.empty() ? QObject::tr("all frames")
           : s.from.empty()               ? QObject::tr("frames up to %1").arg(clock(s.to))
           : s.to.empty()                 ? QObject::tr("frames from %1 on").arg(clock(s.from))
                                          : QObject::tr("frames from %1 to %2").arg(clock(s.from), clock(s.to));
}

QString words_of(const operations::StretchFacts& s) {
    QString words =
        QObject::tr("Chart shot at %1: %2, %3.", "time; which frames; how many")
            .arg(qt(s.id), span_of(s), s.frames == 1 ? QObject::tr("1 frame") : QObject::tr("%1 frames").arg(s.frames));
    if (!s.why.empty()) words += "\n" + QObject::tr("Apart from the one before: %1.").arg(qt(s.why));
    if (s.other_light) words += "\n" + QObject::tr("It reads as another light: is it one of its own?");
    return words;
}

QToolButton* action(const QString& text, const QString& name, const QString& tip) {
    auto* button = new QToolButton;
    button->setText(text);
    button->setObjectName(name);
    button->setToolTip(tip);
    return button;
}

} // namespace

StretchLine::StretchLine(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      times_(new QHBoxLayout),
      advice_(new QLabel),
      join_(action(
          tr("Join with the one before"), "joinStretch",
          tr("The light is the same: both chart shots stand for one stretch of time, and the newer one counts"))),
      part_(action(tr("Part"), "partStretch",
                   tr("The light had changed: the newest chart shot begins a stretch of its own"))),
      divide_(action(tr("Divide by time"), "divideByTime",
                     tr("Each chart shot holds for the frames about its own time, instead of the newest for all"))) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 6, 8, 0);
    row->setSpacing(6);
    times_->setSpacing(4);
    row->addLayout(times_);
    advice_->setObjectName("stretchAdvice");
    advice_->setProperty("dim", true);
    row->addWidget(advice_, 1);
    for (QToolButton* button : {divide_, join_, part_}) row->addWidget(button);
    connect(join_, &QToolButton::clicked, this, [this] { desk_.stretches.join(setup_); });
    connect(part_, &QToolButton::clicked, this, [this] { desk_.stretches.part(setup_); });
    connect(divide_, &QToolButton::clicked, this, [this] { desk_.stretches.divide(setup_, true); });
}

void StretchLine::make_buttons(const Chain& chain) {
    for (QToolButton* old : buttons_) {
        times_->removeWidget(old);
        old->hide();
        old->deleteLater();
    }
    buttons_.clear();
    for (const operations::StretchFacts& s : chain.stretches) {
        auto* button = new QToolButton;
        button->setText(s.kelvin > 0 ? tr("%1  %2 K").arg(qt(s.id)).arg(qRound(s.kelvin / 50) * 50) : qt(s.id));
        button->setToolTip(words_of(s));
        button->setAccessibleName(tr("Chart shot at %1").arg(qt(s.id)));
        button->setProperty("time", true);
        button->setCheckable(true);
        button->setAutoExclusive(true);
        button->setChecked(s.key == chain.stretch);
        connect(button, &QToolButton::clicked, this, [this, key = s.key] { desk_.stretches.choose(setup_, key); });
        times_->addWidget(button);
        buttons_.push_back(button);
    }
}

void StretchLine::say(const Chain& chain) {
    const auto own = std::find_if(chain.stretches.begin(), chain.stretches.end(),
                                  [&](const operations::StretchFacts& s) { return s.key == chain.stretch; });
    const QString advice = desk_.stretches.advice(setup_);
    const QString words = !advice.isEmpty() ? advice : own == chain.stretches.end() ? QString() : span_of(*own) + ".";
    advice_->setText(QFontMetrics(advice_->font()).elidedText(words, Qt::ElideRight, 520));
    advice_->setToolTip(words);
}

void StretchLine::show_setup(Id setup) {
    setup_ = setup;
    const Chain& chain = desk_.chains.at(setup);
    const bool several = chain.stretches.size() > 1;
    int shots = 0;
    for (const shoot::ChartShotRecord& s : desk_.job.shoot().chart_shots)
        shots += s.setup == setup && s.refused.empty();
    setVisible(several || (shots > 1 && !chain.balance_only()));
    if (isHidden()) return;
    make_buttons(chain);
    if (!several && !buttons_.empty()) buttons_.front()->setVisible(chain.row.divided);
    join_->setVisible(several && chain.stretches.front().key != chain.stretch);
    part_->setVisible(chain.row.divided && desk_.setups.good_shots(setup) > 1);
    divide_->setVisible(!chain.row.divided);
    say(chain);
}

} // namespace refero::app
