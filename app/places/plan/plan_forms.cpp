// The details of a camera, a light and a setup in the plan.
#include <QScrollArea>
#include <QVBoxLayout>

#include "model/text.hpp"
#include "plan/optics.hpp"
#include "plan/shot_list.hpp"
#include "plan_view.hpp"
#include "shoot/board.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

QString length(double mm) {
    return !std::isfinite(mm) ? QObject::tr("infinity")
           : mm < 995         ? QObject::tr("%1 cm").arg(mm / 10, 0, 'f', 0)
                              : QObject::tr("%1 m").arg(mm / 1000, 0, 'f', 2);
}

void add_heading(QVBoxLayout* column, const QString& text) {
    auto* label = new QLabel(text);
    label->setFont(title_font());
    column->addSpacing(6);
    column->addWidget(label);
}

void add_pair(QVBoxLayout* column, const QString& text, QWidget* field, const QString& tooltip) {
    auto* row = new QFormLayout;
    row->setHorizontalSpacing(12);
    row->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    auto* label = new QLabel(text);
    label->setProperty("dim", true);
    label->setBuddy(field);
    label->setFixedWidth(RecordForm<shoot::SetupRecord>::label_width);
    field->setToolTip(tooltip);
    field->setAccessibleName(text);
    row->addRow(label, field);
    column->addLayout(row);
}

} // namespace

QStringList light_kind_words() {
    QStringList all;
    for (int i = 0; i <= static_cast<int>(shoot::LightKind::mixed); ++i)
        all << qt(shoot::words_for(static_cast<shoot::LightKind>(i)));
    return all;
}

void PlanView::make_camera_form(QWidget* inner, QVBoxLayout* column) {
    camera_ = std::make_unique<RecordForm<shoot::CameraRecord>>(
        inner, [this](const shoot::CameraRecord& c, const QString& what) {
            update_row(c, tr("%1: %2").arg(qt(c.name), what));
        });
    camera_->line_up();
    camera_->text(tr("Name"), &shoot::CameraRecord::name);
    camera_->text(tr("Model"), &shoot::CameraRecord::model, tr("As the files say; frames are recognised by it"));
    camera_->text(tr("Serial number"), &shoot::CameraRecord::serial_number,
                  tr("As the files say; tells two cameras of one model apart"));
    camera_->text(tr("Firmware"), &shoot::CameraRecord::firmware, tr("A change makes its corrections stale"));
    camera_->number(tr("Sensor width"), &shoot::CameraRecord::sensor_width_mm, 1, 100, 1, tr("mm"));
    camera_->number(tr("Sensor height"), &shoot::CameraRecord::sensor_height_mm, 1, 100, 1, tr("mm"));
    camera_->number(tr("Pixels across"), &shoot::CameraRecord::width_px, 100, 40000, 0, tr("px"));
    camera_->number(tr("Clock offset"), &shoot::CameraRecord::clock_offset_s, -1e6, 1e6, 0, tr("s"),
                    tr("Added to the camera's time; set by two frames of one moment in Frames"));
    column->addWidget(camera_->widget());
    add_heading(column, tr("Lens of this row"));
    add_pair(column, tr("Lens"), lens_of_row_, tr("Changes the lens of all setups in this row"));
    lens_ =
        std::make_unique<RecordForm<shoot::LensRecord>>(inner, [this](const shoot::LensRecord& l, const QString& what) {
            update_row(l, tr("%1: %2").arg(qt(l.name), what));
        });
    lens_->line_up();
    lens_->text(tr("Name"), &shoot::LensRecord::name, tr("As the files say; frames are recognised by it"));
    lens_->number(tr("Focal length"), &shoot::LensRecord::focal_mm, 1, 2000, 0, tr("mm"),
                  tr("Of a zoom lens: the one the chart is shot at"));
    lens_->number(tr("Nearest focus"), &shoot::LensRecord::nearest_m, 0.01, 50, 2, tr("m"), tr("From the sensor"));
    column->addWidget(lens_->widget());
    add_heading(column, tr("Recording mode of this row"));
    add_pair(column, tr("Mode"), mode_of_row_, tr("Changes the mode of all setups in this row"));
    mode_ =
        std::make_unique<RecordForm<shoot::ModeRecord>>(inner, [this](const shoot::ModeRecord& m, const QString& what) {
            update_row(m, tr("%1: %2").arg(qt(m.name), what));
        });
    mode_->line_up();
    mode_->text(tr("Name"), &shoot::ModeRecord::name);
    mode_->choice(tr("Kind"), &shoot::ModeRecord::kind, {tr("raw"), tr("finished picture"), tr("video")});
    mode_->text(tr("Curve"), &shoot::ModeRecord::encoding,
                tr("linear, srgb, bt709, hlg, pq, acescct, or a 1D LUT file; empty: by the file's own tags"));
    mode_->number(tr("Clips at"), &shoot::ModeRecord::clip_percent, 0, 100, 1, tr("% of the codes"),
                  tr("Where this mode's whites end below its last code: what lies there counts as clipped"),
                  tr("the last code"));
    mode_->text(tr("Sub-settings"), &shoot::ModeRecord::sub_settings,
                tr("Contrast, saturation, sharpening; a change makes corrections stale"));
    column->addWidget(mode_->widget());
    auto* typed = new QPushButton(tr("Type in a log curve \u2026"));
    typed->setObjectName("typeCurve");
    typed->setToolTip(tr("By the six figures that makers print; kept as CLF, and used for this mode"));
    log_curve_ = new LogCurveForm(desk_);
    connect(typed, &QPushButton::clicked, this, [this] {
        log_curve_->open(mode_->value().id);
        forms_->setCurrentIndex(forms_->count() - 1); // a page of its own, after the three of the cell
    });
    connect(log_curve_, &LogCurveForm::closed, this, [this] { forms_->setCurrentIndex(0); });
    column->addWidget(typed);
}

void PlanView::make_light_form(QWidget* inner, QVBoxLayout* column) {
    light_ = std::make_unique<RecordForm<shoot::LightRecord>>(inner,
                                                              [this](const shoot::LightRecord& l, const QString& what) {
                                                                  update_row(l, tr("%1: %2").arg(qt(l.name), what));
                                                              });
    light_->line_up();
    light_->text(tr("Name"), &shoot::LightRecord::name);
    light_->choice(tr("Kind"), &shoot::LightRecord::kind, light_kind_words());
    light_->number(tr("Nominal colour"), &shoot::LightRecord::kelvin, 0, 25000, 0, tr("K"),
                   tr("Chart shots are told apart by it"), tr("not known"));
    light_->text(tr("Power"), &shoot::LightRecord::power);
    light_->text(tr("Modifier"), &shoot::LightRecord::modifier, tr("Softbox, umbrella, diffusion, gel"));
    light_->number(tr("Age"), &shoot::LightRecord::age_years, 0, 60, 1, tr("years"));
    light_->text(tr("Also on the subject"), &shoot::LightRecord::spill,
                 tr("What else falls on it: window, lamps, a coloured wall"));
    light_
        ->text(tr("Changed or re-lit"), &shoot::LightRecord::changed,
               tr("When; chart shots before that no longer hold"))
        ->setPlaceholderText(tr("2026-05-04T09:30:00"));
    column->addWidget(light_->widget());
    place_of_light_->setEditable(true);
    place_of_light_->setInsertPolicy(QComboBox::NoInsert);
    add_pair(column, tr("Place"), place_of_light_, tr("Lights of one place are shot one after the other"));
    const auto take_place = [this] {
        const shoot::LightRecord light = light_->value();
        const std::string name = place_of_light_->currentText().trimmed().toStdString();
        if (light.id) desk_.job.change(operations::set_place(desk_.job.shoot(), light, name));
    };
    connect(place_of_light_->lineEdit(), &QLineEdit::editingFinished, this, take_place);
    connect(place_of_light_, &QComboBox::activated, this, take_place);
}

void PlanView::make_setup_form(QWidget* inner, QVBoxLayout* column) {
    setup_ = std::make_unique<RecordForm<shoot::SetupRecord>>(
        inner, [this](const shoot::SetupRecord& s, const QString& what) { update_row(s, tr("Plan: %1").arg(what)); });
    setup_->line_up();
    setup_->flag(tr("Balance only"), &shoot::SetupRecord::balance_only,
                 tr("A complete way of working: the chain is whole without a correction"));
    setup_->number(tr("Aperture f/"), &shoot::SetupRecord::f_number, 0.7, 64, 1, {},
                   tr("That the chart is shot at; decides the depth of field"));
    setup_->number(tr("Subject at"), &shoot::SetupRecord::subject_m, 0, 200, 2, tr("m"),
                   tr("Distance from the camera; the chart's size is chosen by it"), tr("not known"));
    setup_->text(tr("Note"), &shoot::SetupRecord::note);
    column->addWidget(setup_->widget());
    add_pair(column, tr("Chart"), card_of_setup_, tr("Which chart or card is shot"));
    column->addSpacing(8);
    column->addWidget(holding_);
    connect(card_of_setup_, &QComboBox::activated, this, [this] {
        shoot::SetupRecord s = setup_->value();
        s.card = card_of_setup_->currentData().toLongLong();
        update_row(s, tr("Plan: chart"));
    });
}

/// One lens or mode for a whole row; `fresh` makes one that is not in the job yet.
template<class Fresh>
void PlanView::change_row(QComboBox* box, Id shoot::Rig::*of_rig, Fresh fresh, const QString& what) {
    connect(box, &QComboBox::activated, this, [=, this] {
        const int row = matrix_->currentRow();
        if (filling_ || row < 0) return;
        shoot::Rig rig = rows_[static_cast<std::size_t>(row)];
        Id wanted = box->currentData().toLongLong();
        if (wanted == rig.*of_rig) return;
        const bool waiting = std::erase(waiting_, rig) > 0;
        if (wanted < 0) {
            const auto ids = desk_.job.change(
                operations::change_rig(desk_.job.shoot(), rig, fresh(desk_.job.shoot()), what.toStdString()));
            wanted = ids ? ids->begin()->second : 0;
        } else {
            shoot::Rig to = rig;
            to.*of_rig = wanted;
            desk_.job.change(operations::change_rig(desk_.job.shoot(), rig, to, what.toStdString()));
        }
        rig.*of_rig = wanted;
        if (waiting) waiting_.push_back(rig);
        refresh();
    });
}

void PlanView::make_forms() {
    const auto page = [this](const std::function<void(QWidget*, QVBoxLayout*)>& fill) {
        auto* scroll = new QScrollArea;
        scroll->setWidgetResizable(true);
        scroll->setFrameShape(QFrame::NoFrame);
        auto* inner = new QWidget;
        auto* column = new QVBoxLayout(inner);
        column->setContentsMargins(0, 6, 8, 0);
        fill(inner, column);
        column->addStretch();
        scroll->setWidget(inner);
        forms_->addWidget(scroll);
    };
    page([this](QWidget* inner, QVBoxLayout* column) { make_camera_form(inner, column); });
    page([this](QWidget* inner, QVBoxLayout* column) { make_light_form(inner, column); });
    page([this](QWidget* inner, QVBoxLayout* column) { make_setup_form(inner, column); });
    page([this](QWidget*, QVBoxLayout* column) { column->addWidget(log_curve_); });
    change_row(
        lens_of_row_, &shoot::Rig::lens, [](const shoot::Shoot& s) { return operations::unnamed_lens(s); },
        tr("Lens of the row"));
    change_row(
        mode_of_row_, &shoot::Rig::mode,
        [](const shoot::Shoot& s) { return shoot::ModeRecord{.name = "mode " + std::to_string(s.modes.size() + 1)}; },
        tr("Mode of the row"));
}

void PlanView::show_details() {
    const shoot::Shoot& s = desk_.job.shoot();
    const int r = matrix_->currentRow(), c = matrix_->currentColumn();
    const shoot::Rig rig =
        r >= 0 && r < static_cast<int>(rows_.size()) ? rows_[static_cast<std::size_t>(r)] : shoot::Rig{};
    const shoot::CameraRecord* camera = shoot::record(s.cameras, rig.camera);
    const shoot::LensRecord* lens = shoot::record(s.lenses, rig.lens);
    const shoot::ModeRecord* mode = shoot::record(s.modes, rig.mode);
    const shoot::LightRecord* light = c >= 0 && c < static_cast<int>(columns_.size())
                                          ? shoot::record(s.lights, columns_[static_cast<std::size_t>(c)])
                                          : nullptr;
    const shoot::SetupRecord* setup = camera && light ? shoot::setup_at(s, rig, light->id) : nullptr;
    filling_ = true;
    details_title_->setText(camera && light
                                ? qt(camera->name + ", " + light->name) + (setup ? QString() : tr(": not planned"))
                                : tr("Choose a cell"));
    forms_->widget(0)->setEnabled(camera);
    forms_->widget(1)->setEnabled(light);
    forms_->widget(2)->setEnabled(setup);
    if (camera) camera_->set(*camera);
    lens_->widget()->setVisible(lens);
    if (lens) lens_->set(*lens);
    mode_->widget()->setVisible(mode);
    if (mode) mode_->set(*mode);
    if (light) light_->set(*light);
    setup_->set(setup ? *setup : shoot::SetupRecord{});
    const auto fill = [](QComboBox* box, const auto& list, Id now, const QString& none, const QString& fresh) {
        box->clear();
        if (!none.isEmpty()) box->addItem(none, qlonglong(0));
        for (const auto& row : list) box->addItem(qt(row.name), qlonglong(row.id));
        if (!fresh.isEmpty()) box->addItem(fresh, qlonglong(-1));
        box->setCurrentIndex(std::max(0, box->findData(qlonglong(now))));
    };
    fill(lens_of_row_, s.lenses, rig.lens, tr("any lens"), tr("a new one"));
    fill(mode_of_row_, s.modes, rig.mode, {}, tr("a new one"));
    fill(place_of_light_, s.places, light ? light->place : 0, tr(" "), {});
    if (!light || !light->place) place_of_light_->setEditText({});
    fill(card_of_setup_, s.cards, setup ? setup->card : 0, tr("chosen by size"), {});
    filling_ = false;

    const shoot::CardRecord* card = setup ? plan::card_for(s, *setup) : nullptr;
    const shoot::LensRecord* used = lens ? lens : s.lenses.empty() ? nullptr : &s.lenses.front();
    if (!setup) holding_->setText(tr("Tick the cell to plan this combination."));
    else if (!card) holding_->setText(tr("Add a chart to know where to hold it."));
    else if (!used) holding_->setText(tr("Give the row a lens to know where to hold %1.").arg(qt(card->name)));
    else {
        const plan::Holding h = plan::hold(*camera, *used, *card, plan::smallest_patch_mm(*card), setup->f_number,
                                           plan::wanted_share(*camera, *card, s.brief().share_school));
        holding_->setText(
            tr("%1, %2 from the camera's sensor%3.\n%4 % of the frame; its smallest patch is %5 px.\nSharp from %6 to "
               "%7 from the lens%8.")
                .arg(qt(card->name), length(h.from_sensor_mm), h.too_near ? tr(" (as near as it focuses)") : QString())
                .arg(100 * h.share, 0, 'f', 1)
                .arg(h.patch_px, 0, 'f', 0)
                .arg(length(h.depth.near_mm), length(h.depth.far_mm),
                     h.largest_tilt_deg < 45 ? tr("; tilt it by %1\u00b0 at most").arg(h.largest_tilt_deg, 0, 'f', 0)
                                             : QString()));
    }
}

} // namespace refero::app
