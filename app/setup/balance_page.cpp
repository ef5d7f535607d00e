#include "balance_page.hpp"

#include <QLabel>
#include <QPainter>
#include <QSignalBlocker>
#include <QTabWidget>
#include <cmath>

#include "../widgets/plain_table.hpp"
#include "../widgets/swatches.hpp"

namespace refero::app {

namespace {

QString qs(const std::string& s) { return QString::fromStdString(s); }
QString name_of_white(const std::string& white) { return white == balance::all_neutrals ? QObject::tr("All neutrals") : qs(white); }

/// Greys side by side, casts made strong.
QIcon strip_of(const std::vector<colour::Vec3>& neutrals, const QSize& size) {
    QPixmap pixmap(size);
    QPainter p(&pixmap);
    const int n = static_cast<int>(neutrals.size());
    for (int i = 0; i < n; ++i) p.fillRect(QRect(size.width() * i / n, 0, size.width() / n + 1, size.height()), colour_of(neutrals[static_cast<std::size_t>(i)]));
    return QIcon(pixmap);
}

constexpr QSize strip_size(108, 16);

} // namespace

BalancePage::BalancePage(Session& session, QWidget* parent)
    : Page(session, parent), picture_(new PictureView), light_(new Figure(tr("Light"))), facts_(new Facts), white_(new QComboBox), plot_(new NeutralPlot),
      candidates_(plain_table({{tr("On"), tr("Double-click to balance on it")},
                            {tr("Neutrals"), tr("All usable neutrals as it leaves them, lightest first; casts shown four times as strong")},
                            {tr("Off by"), tr("How far red or blue of any usable neutral are from green, at most. Common practice: within 1 %")},
                            {tr("Light"), tr("Correlated colour temperature, if this patch were truly neutral")},
                            {tr("Duv"), tr("Distance from the black-body line: positive is greenish")},
                            {tr(""), {}}},
                           tr("What to balance on"))),
      exposures_(plain_table({{tr("School"), tr("Where white and black come to lie, in code values of a display-referred picture")},
                           {tr("Asks for"), tr("Beyond the correction, which lets the white patch read its own reference value")},
                           {tr("Black then"), tr("Code value at which the darkest neutral comes to lie. It reflects some 3 %: a picture whose numbers are right does not show it as black")},
                           {tr("To its place"), tr("Light that would have to be taken off everywhere, in percent of white. Not done: it hides what is in the shadows. Left to the look")},
                           {tr("Would clip"), tr("Patches of which a channel would pass full scale")}},
                          tr("What schools of exposure ask for"))) {
    side()->addWidget(light_);
    side()->addWidget(facts_);
    side()->addStretch();
    auto* label = new QLabel(tr("&Balance on"));
    label->setBuddy(white_);
    side()->addWidget(label);
    side()->addWidget(white_);
    white_->setToolTip(tr("The neutral that becomes neutral and reads its reference luminance"));
    connect(white_, &QComboBox::activated, this, [this] { balance_on(white_->currentData().toString()); });
    connect(candidates_, &QTableWidget::cellActivated, this, [this](int row) {
        if (const auto* item = candidates_->item(row, 0); item->flags() & Qt::ItemIsEnabled) balance_on(item->data(Qt::UserRole).toString());
    });
    connect(candidates_, &QTableWidget::currentCellChanged, this, [this](int row) {
        if (row >= 0 && candidates_->item(row, 0)) picture_->select_patch(candidates_->item(row, 0)->data(Qt::UserRole).toString());
    });
    candidates_->setIconSize(strip_size);
    picture_->keep_chart_in_view(true);
    connect(plot_, &NeutralPlot::patch_chosen, picture_, &PictureView::select_patch);
    candidates_->setObjectName("balanceCandidates");
    exposures_->setObjectName("exposures");
    auto* tabs = new QTabWidget;
    tabs->setObjectName("balanceTabs");
    tabs->setDocumentMode(true);
    tabs->addTab(candidates_, tr("What to balance on"));
    tabs->addTab(exposures_, tr("Where white and black lie"));
    auto* lower = new QSplitter(Qt::Horizontal);
    lower->setHandleWidth(8);
    lower->setChildrenCollapsible(false);
    lower->addWidget(plot_);
    lower->addWidget(tabs);
    lower->setSizes({420, 580});
    arrange(picture_, lower, 246);
}

void BalancePage::balance_on(const QString& white) {
    Settings s = session_.at(setup_).settings;
    if (s.white == white.toStdString()) return;
    s.white = white.toStdString();
    session_.change(setup_, s, tr("Balance on %1").arg(white.isEmpty() ? tr("the second-lightest neutral") : name_of_white(s.white)));
}

void BalancePage::show_candidates(const SetupState& s) {
    candidates_->setRowCount(0);
    if (!s.shot || !s.reference) return;
    const std::string chosen = !s.settings.white.empty() ? s.settings.white : s.balance ? s.balance->white_patch : "";
    const auto& matrix = s.shot->frame.camera_from_xyz;
    const auto all = balance::candidates(s.shot->reading, *s.reference, &s.shot->definition, matrix ? &*matrix : nullptr);
    candidates_->setRowCount(static_cast<int>(all.size()));
    for (int r = 0; r < candidates_->rowCount(); ++r) {
        const balance::Candidate& c = all[static_cast<std::size_t>(r)];
        const bool in_use = c.white == chosen;
        const QString texts[] = {name_of_white(c.white), QString(), c.balance ? tr("%1 %").arg(c.off_percent, 0, 'f', 1) : QString(), c.light ? tr("%1 K").arg(qRound(c.light->kelvin / 10) * 10) : QString(),
                                 c.light ? QString::asprintf("%+.4f", c.light->duv) : QString(), in_use ? tr("in use") : qs(c.refused)};
        for (int k = 0; k < 6; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            if (k == 0) item->setData(Qt::UserRole, qs(c.white));
            if (k == 1 && c.balance) item->setIcon(strip_of(c.neutrals, strip_size));
            if (!c.balance) item->setFlags(Qt::NoItemFlags);
            QFont f = candidates_->font();
            f.setWeight(in_use ? QFont::DemiBold : QFont::Normal);
            item->setFont(f);
            candidates_->setItem(r, k, item);
        }
    }
}

void BalancePage::show_exposures(const SetupState& s) {
    exposures_->setRowCount(0);
    if (!s.shot || !s.reference || !s.balance) return;
    for (const balance::ExposureTarget& target : balance::exposure_targets()) {
        const auto ask = balance::asked(target, *s.balance, s.shot->reading, *s.reference, &s.shot->definition);
        if (!ask) continue;
        QStringList clipped;
        for (const std::string& id : ask->clipped) clipped << qs(id);
        const QString texts[] = {tr(target.name.c_str()), tr("%1 stops").arg(QString::asprintf("%+.2f", ask->stops)), tr("%1 %").arg(100 * ask->black_code, 0, 'f', 1),
                                 target.black < 0 ? QString("\u2013") : tr("%1 % off").arg(ask->black_percent, 0, 'f', 1), clipped.isEmpty() ? tr("nothing") : clipped.join(", ")};
        const int r = exposures_->rowCount();
        exposures_->insertRow(r);
        for (int k = 0; k < 5; ++k) exposures_->setItem(r, k, new QTableWidgetItem(texts[k]));
    }
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
        white_->addItem(tr("all usable neutrals"), balance::all_neutrals);
        if (s.shot)
            for (const chart::Patch& p : s.shot->definition.patches)
                if (p.role == "neutral") white_->addItem(QString::fromStdString(p.id), QString::fromStdString(p.id));
        white_->setCurrentIndex(std::max(0, white_->findData(QString::fromStdString(s.settings.white))));
        white_->setEnabled(s.shot != nullptr);
    }
    plot_->set(s);
    show_candidates(s);
    show_exposures(s);
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
