#include "balance_page.hpp"

#include <QLabel>
#include <QSignalBlocker>
#include <cmath>

namespace refero::app {

BalancePage::BalancePage(Session& session, QWidget* parent)
    : Page(session, parent), picture_(new PictureView), light_(new Figure(tr("Light"))), facts_(new Facts), white_(new QComboBox), plot_(new NeutralPlot) {
    side()->addWidget(light_);
    side()->addWidget(facts_);
    side()->addStretch();
    auto* label = new QLabel(tr("&Balance on"));
    label->setBuddy(white_);
    side()->addWidget(label);
    side()->addWidget(white_);
    white_->setToolTip(tr("The neutral that becomes neutral and reads its reference luminance"));
    connect(white_, &QComboBox::activated, this, [this] {
        Settings s = session_.at(setup_).settings;
        s.white = white_->currentData().toString().toStdString();
        session_.change(setup_, s, tr("Balance on %1").arg(white_->currentText()));
    });
    picture_->keep_chart_in_view(true);
    connect(plot_, &NeutralPlot::patch_chosen, picture_, &PictureView::select_patch);
    arrange(picture_, plot_, 230);
}

void BalancePage::show_setup(Id setup) {
    const bool other = setup != setup_ || shown_shot_ != session_.at(setup).shot || shown_ != session_.at(setup).settings;
    setup_ = setup;
    const SetupState& s = session_.at(setup);
    shown_shot_ = s.shot;
    shown_ = s.settings;
    if (!s.balance || !s.frame) {
        shown_shot_.reset();
        picture_->set_picture(s.picture, tr("There is nothing to balance yet."));
    } else if (other) {
        // The picture with the balance and its exposure, nothing more.
        const auto frame = s.frame;
        const colour::Vec3 gains = s.balance->exposure * s.balance->gains;
        session_.tasks().run(tr("Balancing"), [this, frame, gains, setup](std::stop_token stop, const Progress&) -> Tasks::Then {
            const Rendition r = rendition_of(apply::uncorrected(*frame, gains, "srgb", stop), *frame);
            return [this, r, setup] { if (setup == setup_) picture_->set_picture(r); };
        });
    }
    picture_->set_chart(s.shot ? &s.shot->definition : nullptr, s.shot ? std::optional(s.shot->placement.corners) : std::nullopt, false);
    if (s.balance) picture_->select_patch(QString::fromStdString(s.balance->white_patch));
    {
        const QSignalBlocker quiet(white_);
        white_->clear();
        white_->addItem(s.balance && s.settings.white.empty() ? tr("second-lightest usable neutral (%1)").arg(QString::fromStdString(s.balance->white_patch)) : tr("second-lightest usable neutral"), "");
        if (s.shot)
            for (const chart::Patch& p : s.shot->definition.patches)
                if (p.role == "neutral") white_->addItem(QString::fromStdString(p.id), QString::fromStdString(p.id));
        white_->setCurrentIndex(std::max(0, white_->findData(QString::fromStdString(s.settings.white))));
        white_->setEnabled(s.shot != nullptr);
    }
    plot_->set(s);
    if (!s.balance) {
        light_->set("\u2013", s.balance_problem);
        facts_->set({});
        return;
    }
    if (s.light)
        light_->set(tr("%1 K").arg(qRound(s.light->kelvin / 10) * 10), tr("Duv %1: %2").arg(s.light->duv, 0, 'f', 4).arg(std::abs(s.light->duv) < 0.003 ? tr("near the black-body line") : s.light->duv > 0 ? tr("on the green side") : tr("on the magenta side")),
                    tr("Correlated colour temperature and distance from the black-body line, by the raw file's own colour matrix"));
    else
        light_->set("\u2013", tr("The file has no colour matrix to tell the light's colour by."));
    const auto& b = *s.balance;
    facts_->set({{tr("Gains"), tr("%1  1.000  %2").arg(b.gains[0], 0, 'f', 3).arg(b.gains[2], 0, 'f', 3)},
                 {tr("Exposure"), tr("%1 stops").arg(QString::asprintf("%+.2f", std::log2(b.exposure)))},
                 {tr("Neutrals"), tr("within %1 % of neutral").arg(plot_->largest_percent(), 0, 'f', 1)}});
}

} // namespace refero::app
