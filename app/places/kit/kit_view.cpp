#include "kit_view.hpp"
#include "model/text.hpp"

#include <QComboBox>
#include <QDate>
#include <QDateTime>
#include <cmath>

#include "chart_editor.hpp"
#include "gate_limits.hpp"
#include "kit_section.hpp"
#include "light_plot.hpp"
#include "places/plan/plan_view.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

QDate day_of(const std::string& s) { return QDate::fromString(qt(s).left(10), Qt::ISODate); }
QString kelvin(double k) { return k > 0 ? QObject::tr("%1 K").arg(qRound(k / 10) * 10) : QString("\u2013"); }
QString duv(double d) { return QString::asprintf("%+.4f", d); }

} // namespace

QString condition_of(const shoot::CardRecord& card, const QDate& today, double years) {
    const QDate until = day_of(shoot::good_until(card, years));
    if (!until.isValid()) return QObject::tr("age not known");
    return until < today ? QObject::tr("compare or replace: due since %1").arg(until.toString(Qt::ISODate))
                         : QObject::tr("good until %1").arg(until.toString(Qt::ISODate));
}

QString due_of(const shoot::MonitorRecord& m, const QDate& today) {
    const QDate last = day_of(m.calibrated);
    if (!last.isValid()) return QObject::tr("never calibrated: due now");
    if (m.before_each_project)
        return last < today ? QObject::tr("due before the next project") : QObject::tr("calibrated today");
    const QDate due = last.addDays(static_cast<qint64>(m.interval_days));
    return due < today ? QObject::tr("due since %1").arg(due.toString(Qt::ISODate))
                       : QObject::tr("due %1").arg(due.toString(Qt::ISODate));
}

QString compared(const shoot::SeriesShotRecord& older, const shoot::SeriesShotRecord& newer) {
    QString words;
    if (older.kelvin > 0 && newer.kelvin > 0)
        words = QObject::tr("Light: %1 then, %2 now (%3 mired %4).")
                    .arg(kelvin(older.kelvin), kelvin(newer.kelvin))
                    .arg(std::abs(1e6 / newer.kelvin - 1e6 / older.kelvin), 0, 'f', 0)
                    .arg(newer.kelvin < older.kelvin ? QObject::tr("warmer") : QObject::tr("colder"));
    try {
        const fit::Correction then = fit::from_json(older.content), now = fit::from_json(newer.content);
        const auto old_on_new = prove::against(then, now.reading, now.reference, true).delta_e_2000,
                   own = prove::against(now, now.reading, now.reference, true).delta_e_2000;
        words +=
            QObject::tr(" The correction of %1 leaves mean CIEDE2000 %2 on the chart shot of %3; its own leaves %4.")
                .arg(qt(older.taken).left(10))
                .arg(old_on_new.mean, 0, 'f', 2)
                .arg(qt(newer.taken).left(10))
                .arg(own.mean, 0, 'f', 2);
        words += old_on_new.mean < own.mean + 0.5 ? QObject::tr(" The look can be carried on with either.")
                                                  : QObject::tr(" Use the new one: light or camera have changed.");
    } catch (const Error& e) { words += " " + QString::fromUtf8(e.what()); }
    return words.trimmed();
}

KitView::KitView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      own_(new QWidget),
      sections_(new QListWidget),
      pages_(new QStackedWidget) {
    auto* outer = new QHBoxLayout(this);
    outer->setContentsMargins(14, 12, 14, 12);
    outer->setSpacing(14);
    sections_->setFixedWidth(170);
    sections_->setAccessibleName(tr("Parts of the kit"));
    sections_->setStyleSheet("QListView { border: none; background: transparent; } QListView::item { padding: 9px "
                             "10px; border-radius: 5px; }");
    outer->addWidget(sections_);
    outer->addWidget(pages_, 1);
    const auto add = [this](const QString& title, QWidget* page) {
        sections_->addItem(title);
        pages_->addWidget(page);
    };
    add(tr("Charts and cards"), make_cards());
    (new QVBoxLayout(own_))->setContentsMargins(0, 0, 0, 0);
    add(tr("Own charts"), own_);
    add(tr("Lights"), make_lights());
    add(tr("Cameras"), make_cameras());
    add(tr("Stored balances"), make_balances());
    add(tr("Monitors"), make_monitors());
    add(tr("Fallbacks"), make_fallbacks());
    add(tr("Warmth steps"), make_warmths());
    add(tr("Looks"), make_looks());
    add(tr("Series"), make_series());
    add(tr("Gate limits"), new GateLimits(desk_));
    connect(sections_, &QListWidget::currentRowChanged, this, [this](int row) {
        if (pages_->widget(row) == own_) chart_editor();
        pages_->setCurrentIndex(row);
    });
    sections_->setCurrentRow(0);
}

ChartEditor* KitView::chart_editor() { // it reads every chart: made when it is asked for
    if (own_->layout()->count() == 0) {
        auto* editor = new ChartEditor;
        connect(editor, &ChartEditor::saved, this, &KitView::chart_saved);
        own_->layout()->addWidget(editor);
    }
    return own_->findChild<ChartEditor*>();
}

void KitView::take_chart(const find::Taught& chart) {
    sections_->setCurrentRow(pages_->indexOf(own_));
    const QString bars = chart.bars == 0   ? QString()
                         : chart.bars == 1 ? tr(" and a bar")
                                           : tr(" and %1 bars").arg(chart.bars);
    chart_editor()->take(chart.definition, chart.reference,
                         tr("%1 columns, %2 rows%3. Look through the patches, set one width in millimetres, give the "
                            "chart an id and save it: it is found from then on. The values are those that the picture "
                            "shows; measure the card before a correction is fitted to it.")
                             .arg(chart.columns)
                             .arg(chart.rows)
                             .arg(bars));
}

QWidget* KitView::make_cards() {
    using Card = shoot::CardRecord;
    const auto years = [this] { return desk_.job.shoot().brief().chart_years; };
    auto* s = new KitSection<Card>(
        desk_, &shoot::Kit::cards, tr("Charts and cards"),
        tr("Patches fade: with light, with touch, with years. Keep them closed, dry and out of the sun."),
        {{tr("Name"), [](const Card& c) { return qt(c.name); }},
         {tr("Kind"), [](const Card& c) { return qt(shoot::name_of(c.kind)); }},
         {tr("Size, mm"), [](const Card& c) { return QString("%1 \u00d7 %2").arg(c.width_mm).arg(c.height_mm); }},
         {tr("In use since"), [](const Card& c) { return qt(c.first_used); }},
         {tr("Light"), [](const Card& c) { return tr("%1 h").arg(c.light_hours); }},
         {tr("Compared"), [](const Card& c) { return qt(c.compared); }},
         {tr("Condition"), [years](const Card& c) {
              return condition_of(c, QDate::currentDate(), years()) +
                     (c.condition.empty() ? QString() : "; " + qt(c.condition));
          }}});
    auto& f = s->form();
    f.text(tr("Name"), &Card::name);
    f.choice(tr("Kind"), &Card::kind, {tr("chart"), tr("grey card"), tr("white balance card"), tr("three-tone card")});
    f.text(tr("Definition"), &Card::definition, tr("Id of the chart's definition, such as grid24"));
    f.number(tr("Width"), &Card::width_mm, 0, 5000, 0, tr("mm"), tr("Of the patch array"));
    f.number(tr("Height"), &Card::height_mm, 0, 5000, 0, tr("mm"));
    f.day(tr("Bought"), &Card::bought);
    f.day(tr("First used"), &Card::first_used);
    f.number(tr("Hours of light"), &Card::light_hours, 0, 100000, 0, tr("h"),
             tr("How long it lay open in light, about"));
    f.day(tr("Last compared"), &Card::compared, tr("With a new one, or measured; its life starts anew then"));
    f.text(tr("Condition"), &Card::condition, tr("Scratches, spots, faded patches"));
    auto* compared = new QPushButton(tr("Compared today, still good"));
    auto* standing = new FlowLabel;
    standing->setFont(title_font());
    s->side()->addSpacing(8);
    s->side()->addWidget(standing);
    s->on_chosen([standing, years](const Card* c) {
        standing->setText(c ? condition_of(*c, QDate::currentDate(), years()) : QString());
    });
    s->side()->addStretch();
    s->side()->addWidget(compared);
    QObject::connect(compared, &QPushButton::clicked, s, [this, s] {
        if (const Card* c = s->chosen()) {
            Card now = *c;
            now.compared = QDate::currentDate().toString(Qt::ISODate).toStdString();
            desk_.kit.change(shoot::put(now.name + " compared", now));
        }
    });
    s->on_new([](Card& c) {
        c.uid = refero::new_uid();
        c.name = tr("New chart").toStdString();
        c.definition = "grid24";
        c.width_mm = 203;
        c.height_mm = 132;
    });
    return s;
}

QWidget* KitView::make_lights() {
    using Light = shoot::LightRecord;
    const auto latest = [this](const Light& l) {
        const shoot::LightReadingRecord* best = nullptr;
        for (const auto& r : desk_.kit.kit().light_readings)
            if (r.light == l.id && (!best || r.at >= best->at)) best = &r;
        return best;
    };
    auto* s = new KitSection<Light>(desk_, &shoot::Kit::lights, tr("Lights"),
                                    tr("Every chart shot measures its light. A flash changes with power, modifier and "
                                       "age: the same preset a year later is off."),
                                    {{tr("Name"), [](const Light& l) { return qt(l.name); }},
                                     {tr("Kind"), [](const Light& l) { return qt(shoot::words_for(l.kind)); }},
                                     {tr("Nominal"), [](const Light& l) { return kelvin(l.kelvin); }},
                                     {tr("Last measured"),
                                      [latest](const Light& l) {
                                          const auto* r = latest(l);
                                          return r ? kelvin(r->kelvin) + ", " + qt(r->at).left(10) : QString("\u2013");
                                      }},
                                     {tr("Duv"),
                                      [latest](const Light& l) {
                                          const auto* r = latest(l);
                                          return r ? duv(r->duv) : QString("\u2013");
                                      }},
                                     {tr("Readings"), [this](const Light& l) {
                                          const auto& all = desk_.kit.kit().light_readings;
                                          return QString::number(std::count_if(
                                              all.begin(), all.end(), [&](const auto& r) { return r.light == l.id; }));
                                      }}});
    auto& f = s->form();
    f.text(tr("Name"), &Light::name);
    f.choice(tr("Kind"), &Light::kind, light_kind_words());
    f.number(tr("Nominal"), &Light::kelvin, 0, 25000, 0, tr("K"), {}, tr("not known"));
    f.text(tr("Power"), &Light::power, tr("As it is used: full, 1/16, 60 %"));
    f.text(tr("Modifier"), &Light::modifier, tr("Bare, softbox, umbrella, gel"));
    f.number(tr("Age"), &Light::age_years, 0, 60, 1, tr("years"));
    s->on_new([](Light& l) {
        l.uid = refero::new_uid();
        l.name = tr("New light").toStdString();
    });
    auto* what = new QComboBox;
    what->addItems({tr("colour temperature"), tr("Duv: greener or pinker")});
    what->setAccessibleName(tr("What is plotted"));
    auto* plot = new LightPlot;
    plot->setObjectName("lightPlot");
    s->below()->addWidget(what, 0, Qt::AlignLeft);
    s->below()->addWidget(plot, 3);
    const auto draw = [this, s, plot, what] {
        std::vector<shoot::LightReadingRecord> mine;
        if (const Light* l = s->chosen())
            for (const auto& r : desk_.kit.kit().light_readings)
                if (r.light == l->id) mine.push_back(r);
        plot->set(mine, what->currentIndex() == 1);
    };
    s->on_chosen([draw](const Light*) { draw(); });
    QObject::connect(what, &QComboBox::activated, s, draw);

    auto* head = new QLabel(tr("A reading by your own meter"));
    head->setFont(title_font());
    auto* k = new QDoubleSpinBox;
    k->setRange(1000, 25000);
    k->setDecimals(0);
    k->setSuffix(tr(" K"));
    k->setValue(5500);
    k->setAccessibleName(tr("Colour temperature"));
    auto* d = new QDoubleSpinBox;
    d->setRange(-0.05, 0.05);
    d->setDecimals(4);
    d->setSingleStep(0.001);
    d->setPrefix(tr("Duv "));
    auto* add = new QPushButton(tr("Add the reading"));
    s->side()->addSpacing(10);
    s->side()->addWidget(head);
    auto* row = new QHBoxLayout;
    row->addWidget(k);
    row->addWidget(d);
    s->side()->addLayout(row);
    s->side()->addWidget(add);
    s->side()->addStretch();
    QObject::connect(add, &QPushButton::clicked, s, [this, s, k, d] {
        const Light* l = s->chosen();
        if (!l) return;
        const shoot::LightReadingRecord r{.light = l->id,
                                          .at = QDateTime::currentDateTime().toString(Qt::ISODate).toStdString(),
                                          .kelvin = k->value(),
                                          .duv = d->value(),
                                          .power = l->power,
                                          .modifier = l->modifier,
                                          .source = "meter"};
        desk_.kit.change(shoot::added(l->name + " measured", r));
    });
    return s;
}

QWidget* KitView::make_cameras() {
    using Camera = shoot::CameraRecord;
    auto* s = new KitSection<Camera>(
        desk_, &shoot::Kit::cameras, tr("Cameras"),
        tr("What plans and frames are recognised by, and the balances that are stored in each camera."),
        {{tr("Name"), [](const Camera& c) { return qt(c.name); }},
         {tr("Serial number"), [](const Camera& c) { return qt(c.serial_number); }},
         {tr("Firmware"), [](const Camera& c) { return qt(c.firmware); }},
         {tr("Sensor, mm"),
          [](const Camera& c) { return QString("%1 \u00d7 %2").arg(c.sensor_width_mm).arg(c.sensor_height_mm); }},
         {tr("Stored balances"), [this](const Camera& c) {
              QStringList all;
              for (const auto& b : desk_.kit.kit().balances)
                  if (b.camera == c.id) all << tr("%1 (%2, tint %3)").arg(qt(b.name), kelvin(b.kelvin)).arg(b.tint);
              return all.isEmpty() ? QString("\u2013") : all.join("; ");
          }}});
    auto& f = s->form();
    f.text(tr("Name"), &Camera::name);
    f.text(tr("Model"), &Camera::model, tr("As the files say"));
    f.text(tr("Serial number"), &Camera::serial_number);
    f.text(tr("Firmware"), &Camera::firmware);
    f.number(tr("Sensor width"), &Camera::sensor_width_mm, 1, 100, 1, tr("mm"));
    f.number(tr("Sensor height"), &Camera::sensor_height_mm, 1, 100, 1, tr("mm"));
    f.number(tr("Pixels across"), &Camera::width_px, 100, 40000, 0, tr("px"));
    f.number(tr("Pixels down"), &Camera::height_px, 100, 40000, 0, tr("px"));
    s->on_new([](Camera& c) {
        c.uid = refero::new_uid();
        c.name = tr("New camera").toStdString();
    });
    auto* head = new QLabel(tr("A balance stored in it"));
    head->setFont(title_font());
    auto* name = new QLineEdit;
    name->setPlaceholderText(tr("Place and light"));
    auto* k = new QDoubleSpinBox;
    k->setRange(1000, 25000);
    k->setDecimals(0);
    k->setSuffix(tr(" K"));
    k->setValue(5500);
    auto* tint = new QDoubleSpinBox;
    tint->setRange(-150, 150);
    tint->setDecimals(0);
    tint->setPrefix(tr("tint "));
    auto* add = new QPushButton(tr("Store"));
    s->side()->addSpacing(10);
    for (QWidget* w : std::initializer_list<QWidget*>{head, name, k, tint, add}) s->side()->addWidget(w);
    s->side()->addStretch();
    QObject::connect(add, &QPushButton::clicked, s, [this, s, name, k, tint] {
        const Camera* c = s->chosen();
        if (!c || name->text().trimmed().isEmpty()) return;
        const shoot::StoredBalanceRecord b{.camera = c->id,
                                           .name = name->text().trimmed().toStdString(),
                                           .at = QDateTime::currentDateTime().toString(Qt::ISODate).toStdString(),
                                           .kelvin = k->value(),
                                           .tint = tint->value(),
                                           .number = next_number(c->id)};
        desk_.kit.change(shoot::added("Balance stored in " + c->name, b));
        name->clear();
    });
    return s;
}

int KitView::next_number(Id camera) const {
    int most = 0;
    for (const shoot::StoredBalanceRecord& b : desk_.kit.kit().balances)
        if (b.camera == camera) most = std::max(most, b.number);
    return most + 1;
}

QWidget* KitView::make_balances() {
    using StoredBalance = shoot::StoredBalanceRecord;
    auto* s = new KitSection<StoredBalance>(
        desk_, &shoot::Kit::balances, tr("Stored balances"),
        tr("Custom balances under the numbers that the cameras keep them by; offered where a setup of the camera is "
           "balanced. A new one is stored under Cameras."),
        {{tr("Camera"),
          [this](const StoredBalance& b) { return qt(shoot::name_in(desk_.kit.kit().cameras, b.camera)); }},
         {tr("Number"),
          [](const StoredBalance& b) { return b.number ? QString::number(b.number) : QString("\u2013"); }},
         {tr("Name"), [](const StoredBalance& b) { return qt(b.name); }},
         {tr("Light"), [](const StoredBalance& b) { return kelvin(b.kelvin); }},
         {tr("Tint"), [](const StoredBalance& b) { return QString::number(b.tint); }},
         {tr("Stored"), [](const StoredBalance& b) { return qt(b.at).replace('T', ' '); }}});
    s->without_adding();
    auto& f = s->form();
    f.number(tr("Number"), &StoredBalance::number, 0, 99, 0, {}, tr("As the camera numbers it"), tr("not known"));
    f.text(tr("Name"), &StoredBalance::name, tr("Place and light"));
    f.number(tr("Light"), &StoredBalance::kelvin, 1000, 25000, 0, tr("K"));
    f.number(tr("Tint"), &StoredBalance::tint, -150, 150, 0, {}, tr("As the camera has it"));
    return s;
}

QWidget* KitView::make_monitors() {
    using Monitor = shoot::MonitorRecord;
    auto* s = new KitSection<Monitor>(
        desk_, &shoot::Kit::monitors, tr("Monitors"),
        tr("Calibrate once a month, or before every project; edit in a space that the monitor really shows."),
        {{tr("Name"), [](const Monitor& m) { return qt(m.name); }},
         {tr("Calibrated"), [](const Monitor& m) { return qt(m.calibrated); }},
         {tr("How often"),
          [](const Monitor& m) {
              return m.before_each_project ? tr("before each project") : tr("every %1 days").arg(m.interval_days);
          }},
         {tr("Next"), [](const Monitor& m) { return due_of(m, QDate::currentDate()); }}});
    auto& f = s->form();
    f.text(tr("Name"), &Monitor::name);
    f.day(tr("Calibrated"), &Monitor::calibrated);
    f.flag(tr("Before each project"), &Monitor::before_each_project);
    f.number(tr("Else every"), &Monitor::interval_days, 1, 1000, 0, tr("days"));
    f.text(tr("Note"), &Monitor::note);
    auto* today = new QPushButton(tr("Calibrated today"));
    s->side()->addStretch();
    s->side()->addWidget(today);
    QObject::connect(today, &QPushButton::clicked, s, [this, s] {
        if (const Monitor* m = s->chosen()) {
            Monitor now = *m;
            now.calibrated = QDate::currentDate().toString(Qt::ISODate).toStdString();
            desk_.kit.change(shoot::put(now.name + " calibrated", now));
        }
    });
    s->on_new([](Monitor& m) { m.name = tr("New monitor").toStdString(); });
    return s;
}

QWidget* KitView::make_fallbacks() {
    using Fallback = shoot::FallbackRecord;
    auto* s = new KitSection<Fallback>(
        desk_, &shoot::Kit::fallbacks, tr("Fallbacks"),
        tr("Corrections that stand in where a setup could not be shot: one per camera and common kind of light."),
        {{tr("Camera"), [](const Fallback& f) { return qt(f.camera); }},
         {tr("Light"), [](const Fallback& f) { return qt(shoot::words_for(f.kind)); }},
         {tr("Made"), [](const Fallback& f) { return qt(f.made).left(10); }},
         {tr("Mean CIEDE2000, held out"), [](const Fallback& f) {
              try {
                  return QString::number(fit::from_json(f.content).cross_validated.mean, 'f', 2);
              } catch (const Error&) { return QString("\u2013"); }
          }}});
    s->without_adding();
    s->without_form();
    auto* row = new QHBoxLayout;
    auto* setups = new QComboBox;
    setups->setMinimumWidth(260);
    auto* keep = new QPushButton(tr("Keep its correction as a fallback"));
    row->addWidget(setups);
    row->addWidget(keep);
    row->addStretch();
    s->below()->addLayout(row);
    s->on_chosen([this, setups, keep](const Fallback*) {
        setups->clear();
        for (const Id id : desk_.chains.ids()) {
            const Chain& state = desk_.chains.at(id);
            const shoot::LightRecord* l = shoot::record(desk_.job.shoot().lights, state.row.light);
            if (state.correction_id && !state.correction_stale() && l && shoot::fallback_kind(l->kind))
                setups->addItem(desk_.chains.title_of(id), qlonglong(id));
        }
        keep->setEnabled(setups->count() > 0);
        if (!setups->count()) setups->addItem(tr("no setup of this job is corrected yet"));
    });
    QObject::connect(keep, &QPushButton::clicked, s,
                     [this, setups] { desk_.setups.keep_fallback(setups->currentData().toLongLong()); });
    return s;
}

QWidget* KitView::make_warmths() {
    using Warmth = shoot::WarmthRecord;
    auto* s = new KitSection<Warmth>(
        desk_, &shoot::Kit::warmths, tr("Warmth steps"),
        tr("Repeatable steps away from neutral, the same on every job. They are kept apart from the correction."),
        {{tr("Name"), [](const Warmth& w) { return qt(w.name); }},
         {tr("Warmer by"), [](const Warmth& w) { return tr("%1 mired").arg(w.mired); }},
         {tr("Greener by"), [](const Warmth& w) { return tr("%1 \u00d7 0.001 Duv").arg(w.tint); }}});
    auto& f = s->form();
    f.text(tr("Name"), &Warmth::name);
    f.number(tr("Warmer by"), &Warmth::mired, -200, 200, 0, tr("mired"), tr("Negative is colder"));
    f.number(tr("Greener by"), &Warmth::tint, -30, 30, 1, tr("\u00d7 0.001 Duv"), tr("Negative is pinker"));
    s->side()->addStretch();
    s->on_new([](Warmth& w) {
        w.name = tr("New step").toStdString();
        w.mired = 10;
    });
    return s;
}

QWidget* KitView::make_looks() {
    using KeptLook = shoot::KeptLookRecord;
    auto* s = new KitSection<KeptLook>(
        desk_, &shoot::Kit::looks, tr("Looks"),
        tr("Kept from a setup's look, for clients who come back. Without a client a look is offered in every job."),
        {{tr("Name"), [](const KeptLook& l) { return qt(l.name); }},
         {tr("Client"), [](const KeptLook& l) { return l.client.empty() ? tr("anybody") : qt(l.client); }},
         {tr("What it does"), [](const KeptLook& l) {
              try {
                  look::Look look = look::look_from_json(l.content);
                  look.name.clear();
                  return qt(look::in_words(look));
              } catch (const Error& e) { return words_of(e); }
          }}});
    auto& f = s->form();
    f.text(tr("Name"), &KeptLook::name);
    f.text(tr("Client"), &KeptLook::client);
    s->side()->addStretch();
    s->without_adding();
    return s;
}

QWidget* KitView::make_series() {
    using SeriesShot = shoot::SeriesShotRecord;
    auto* s = new KitSection<SeriesShot>(desk_, &shoot::Kit::series, tr("Series"),
                                         tr("What was handed over in jobs for one client. The chosen chart shot is "
                                            "compared with the one before it by the same camera under the same light."),
                                         {{tr("Client"), [](const SeriesShot& x) { return qt(x.client); }},
                                          {tr("Job"), [](const SeriesShot& x) { return qt(x.job); }},
                                          {tr("Taken"), [](const SeriesShot& x) { return qt(x.taken).left(10); }},
                                          {tr("Camera"), [](const SeriesShot& x) { return qt(x.camera); }},
                                          {tr("Light"), [](const SeriesShot& x) { return qt(x.light); }},
                                          {tr("Colour"), [](const SeriesShot& x) { return kelvin(x.kelvin); }}});
    s->without_adding();
    s->without_form();
    auto* words = new FlowLabel;
    words->setMinimumHeight(44);
    words->setObjectName("seriesWords");
    s->below()->addWidget(words);
    s->on_chosen([this, words](const SeriesShot* chosen) {
        if (!chosen)
            return words->setText(tr("Nothing yet: give the job a client in Plan; what is handed over appears here."));
        const SeriesShot* before = nullptr;
        for (const SeriesShot& x : desk_.kit.kit().series)
            if (x.client == chosen->client && x.camera == chosen->camera && x.light == chosen->light &&
                x.id != chosen->id && x.taken < chosen->taken && (!before || x.taken > before->taken))
                before = &x;
        words->setText(before ? compared(*before, *chosen)
                              : tr("The first of its kind: there is nothing to compare it with yet."));
    });
    return s;
}

} // namespace refero::app
