#include "finish_panel.hpp"

#include <QGridLayout>
#include <QInputDialog>
#include <QLabel>
#include <QSignalBlocker>

#include "colour/quantities.hpp"
#include "model/model.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

FinishPanel::FinishPanel(QWidget* parent)
    : QWidget(parent),
      map_(new WarmthMap),
      school_(new QComboBox),
      house_(new QComboBox),
      tint_(new QComboBox),
      reset_(new QPushButton(tr("Take it all back"))) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(6, 8, 6, 6);
    grid->setHorizontalSpacing(10);
    grid->setVerticalSpacing(8);
    grid->setColumnStretch(2, 1);
    grid->setRowStretch(0, 1);
    map_->setObjectName("warmthMap");
    grid->addWidget(map_, 0, 0, 1, 3);
    school_->setObjectName("exposureSchool");
    house_->setObjectName("houseStep");
    tint_->setObjectName("tintPatch");
    reset_->setObjectName("noFinish");
    school_->setToolTip(tr("Exposure by a named school: where white comes to lie in the finished picture"));
    house_->setToolTip(tr("The kit's house steps away from neutral, the same on every job"));
    tint_->setToolTip(tr("A tinted patch to balance on: the bluer the patch, the warmer the picture"));
    reset_->setToolTip(tr("Takes exposure, step and share of the light back: the correction alone"));
    for (QWidget* w : std::initializer_list<QWidget*>{school_, house_, tint_, reset_}) w->setMinimumWidth(168);
    add(3, tr("E&xposure"), tr("After the correction, which lets the white patch read its own reference value"), -3, 3,
        0.05, 2, tr(" stops"), &look::Adjustments::stops, school_);
    add(1, tr("&Warmer"), tr("Step along the daylight locus in mired; below 0 cooler"), -WarmthMap::most_mired,
        WarmthMap::most_mired, 1, 0, tr(" mired"), &look::Adjustments::warmer_mired, house_);
    add(2, tr("&Greener"), tr("Step across it in thousandths of Duv; below 0 more magenta"), -WarmthMap::most_green,
        WarmthMap::most_green, 0.5, 1, {}, &look::Adjustments::greener, tint_);
    add(4, tr("&Light kept"), tr("Share of the light's own colour that stays in the picture: sunset, candles, stage"),
        0, 100, 5, 0, tr(" %"), &look::Adjustments::light_kept, reset_);
    auto* note =
        new FlowLabel(tr("Kept apart from the correction: proofs do not see it, frames and cubes carry it, and "
                         "it can be taken back at any time."));
    note->setProperty("dim", true);
    grid->addWidget(note, 5, 0, 1, 3);
    const auto with = [this](const QPointF& at) {
        look::Adjustments f = finish_;
        f.warmer_mired = at.x();
        f.greener = at.y();
        return f;
    };
    connect(map_, &WarmthMap::moving, this, [this, with](const QPointF& at) {
        finish_ = with(at);
        show_finish();
        emit moving(finish_);
    });
    connect(map_, &WarmthMap::settled, this, [this, with](const QPointF& at, const QString& mark) {
        settle(with(at), mark.isEmpty() ? tr("Warmth") : tr("Warmth: %1").arg(mark));
    });
    connect(reset_, &QPushButton::clicked, this, [this] { settle({}, tr("Nothing after the correction")); });
    connect(school_, &QComboBox::activated, this, [this](int i) {
        look::Adjustments f = finish_;
        if (school_->itemData(i).isValid()) f.stops = school_->itemData(i).toDouble();
        else return ask_white();
        settle(f, i == 0 ? tr("Exposure as corrected") : tr("Exposure: %1").arg(school_->currentText()));
    });
    connect(house_, &QComboBox::activated, this, [this](int i) {
        look::Adjustments f = finish_;
        f.warmer_mired = house_->itemData(i).toPointF().x();
        f.greener = house_->itemData(i).toPointF().y();
        settle(f, i == 0 ? tr("Neutral") : tr("House step %1").arg(house_->currentText()));
    });
    connect(tint_, &QComboBox::activated, this, [this](int i) {
        if (i == 0) return;
        look::Adjustments f = finish_;
        f.warmer_mired = tint_->itemData(i).toPointF().x();
        f.greener = tint_->itemData(i).toPointF().y();
        settle(f, tr("As if balanced on %1").arg(tint_->currentText()));
    });
}

void FinishPanel::ask_white() {
    bool sure = false;
    const int percent = QInputDialog::getInt(this, tr("A white of one's own"),
                                             tr("White comes to lie at so many percent of the picture's code values:"),
                                             90, 50, 100, 1, &sure);
    look::Adjustments f = finish_;
    if (const auto stops = sure ? white_at_(percent) : std::nullopt) f.stops = *stops;
    else return show_finish();
    settle(f, tr("Exposure: white at %1 %").arg(percent));
}

void FinishPanel::add(int row, const QString& text, const QString& tooltip, double least, double most, double step,
                      int decimals, const QString& suffix, double look::Adjustments::*value, QWidget* beside) {
    auto* grid = static_cast<QGridLayout*>(layout());
    const double shown_per = value == &look::Adjustments::light_kept ? 100 : 1; // shown in percent
    const Control c{new QDoubleSpinBox, value};
    const QString what = QString(text).remove('&');
    auto* label = new QLabel(text);
    label->setBuddy(c.spin);
    c.spin->setObjectName("finish" + QString(what).remove(' '));
    c.spin->setRange(least, most);
    c.spin->setSingleStep(step);
    c.spin->setDecimals(decimals);
    c.spin->setSuffix(suffix);
    c.spin->setKeyboardTracking(false);
    c.spin->setMinimumWidth(112);
    for (QWidget* w : std::initializer_list<QWidget*>{label, c.spin}) w->setToolTip(tooltip);
    grid->addWidget(label, row, 0);
    grid->addWidget(c.spin, row, 1);
    grid->addWidget(beside, row, 2);
    connect(c.spin, &QDoubleSpinBox::valueChanged, this, [this, value, what, shown_per](double v) {
        look::Adjustments f = finish_;
        f.*value = v / shown_per;
        settle(f, what);
    });
    controls_.push_back(c);
}

void FinishPanel::show_finish() {
    for (const Control& c : controls_) {
        const QSignalBlocker quiet(c.spin);
        c.spin->setValue(finish_.*c.value * (c.value == &look::Adjustments::light_kept ? 100 : 1));
    }
    const auto nearest = [](QComboBox* box, auto same) {
        int found = -1;
        for (int i = 0; i < box->count() && found < 0; ++i)
            if (same(box->itemData(i))) found = i;
        const QSignalBlocker quiet(box);
        box->setCurrentIndex(found);
    };
    nearest(school_, [&](const QVariant& v) { return v.isValid() && std::abs(v.toDouble() - finish_.stops) < 0.005; });
    const auto step = [&](const QVariant& v) {
        return v.isValid() && std::abs(v.toPointF().x() - finish_.warmer_mired) < 0.5 &&
               std::abs(v.toPointF().y() - finish_.greener) < 0.05;
    };
    nearest(house_, step);
    if (tint_->count() > 1) nearest(tint_, step);
    if (tint_->currentIndex() < 0) {
        const QSignalBlocker quiet(tint_);
        tint_->setCurrentIndex(0);
    }
    const QPointF at(finish_.warmer_mired, finish_.greener);
    map_->set_point(at, light_at_ ? at + finish_.light_kept * *light_at_ : at);
    reset_->setEnabled(!finish_.empty());
}

void FinishPanel::settle(const look::Adjustments& finish, const QString& what) {
    finish_ = finish;
    show_finish();
    emit settled(finish, what);
}

void FinishPanel::set(const Chain& s, const shoot::Kit& kit) {
    if (map_->is_dragged()) return;
    setEnabled(s.balance.has_value());
    const QSignalBlocker one(school_), two(house_), three(tint_);
    school_->clear();
    house_->clear();
    tint_->clear();
    school_->addItem(tr("as corrected"), 0.0);
    if (s.balance && s.shot && s.reference)
        for (const balance::ExposureTarget& target : balance::exposure_targets())
            if (const auto ask = balance::asked(target, *s.balance, s.shot->reading, *s.reference, &s.shot->definition))
                school_->addItem(tr(target.name.c_str()), ask->stops);
    if (school_->count() > 1) {
        school_->addItem(tr("White at \u2026"));
        white_at_ = [balance = *s.balance, reading = s.shot->reading, reference = *s.reference,
                     definition = s.shot->definition](int percent) -> std::optional<double> {
            const auto ask = balance::asked(balance::exposure_target(formatted("{} %", percent)), balance, reading,
                                            reference, &definition);
            return ask ? std::optional(ask->stops) : std::nullopt;
        };
    }
    school_->setPlaceholderText(tr("an exposure of its own"));
    house_->addItem(tr("neutral"), QPointF(0, 0));
    for (const shoot::WarmthRecord& w : kit.warmths) house_->addItem(qt(w.name), QPointF(w.mired, w.tint));
    house_->setPlaceholderText(tr("a step of its own"));
    tint_->addItem(tr("by a tinted patch"));
    const auto add_tints = [&](const chart::Definition& d, const chart::Reference& values) {
        for (const chart::Patch& p : d.patches)
            if (const auto xyz = values.xyz.find(p.id);
                (p.role == "warm" || p.role == "cool") && xyz != values.xyz.end()) {
                const look::Adjustments f = look::step_of_patch(xyz->second);
                tint_->addItem(tr("%1 (%2)").arg(qt(p.id), qt(look::in_words(f))),
                               QPointF(std::clamp(f.warmer_mired, -60.0, 60.0), std::clamp(f.greener, -12.0, 12.0)));
            }
    };
    if (s.shot && s.reference) add_tints(s.shot->definition, *s.reference);
    for (const store::Panel& panel : s.panels) try {
            add_tints(panel.definition, chart::reference_of(panel.definition));
        } catch (const Error&) { // without values there are no steps
        }
    tint_->setVisible(tint_->count() > 1);
    const auto d50 = colour::correlated_temperature(colour::chromaticity_of(colour::white_d50));
    light_at_ = s.light
                    ? std::optional(QPointF(1e6 / s.light->kelvin - 1e6 / d50.kelvin, 1000 * (s.light->duv - d50.duv)))
                    : std::nullopt;
    std::vector<WarmthMap::Mark> marks{{tr("neutral"), {0, 0}, WarmthMap::Kind::neutral}};
    for (int i = 1; i < house_->count(); ++i)
        marks.push_back({house_->itemText(i), house_->itemData(i).toPointF(), WarmthMap::Kind::house});
    for (int i = 1; i < tint_->count(); ++i)
        marks.push_back({tint_->itemText(i), tint_->itemData(i).toPointF(), WarmthMap::Kind::tint});
    if (light_at_)
        marks.push_back({tr("the light, %1 K").arg(s.light->kelvin, 0, 'f', 0), *light_at_, WarmthMap::Kind::light});
    map_->set_marks(std::move(marks));
    for (const Control& c : controls_)
        if (c.value == &look::Adjustments::light_kept) {
            c.spin->setEnabled(s.light.has_value());
            if (!s.light) c.spin->setToolTip(tr("The light's colour is not known: the file has no colour matrix"));
        }
    finish_ = s.settings.finish;
    show_finish();
}

} // namespace refero::app
