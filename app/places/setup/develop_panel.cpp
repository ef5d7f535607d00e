#include "develop_panel.hpp"

#include <QFileDialog>
#include <QFormLayout>
#include <QSignalBlocker>
#include <QToolButton>

#include "page.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

/// What frames are written as.
struct Kind {
    apply::Format format;
    apply::Depth depth;
    const char* title;
    bool effects_set = false; ///< neutral plates and the curve to see them through
};
constexpr Kind kinds[] = {
    {apply::Format::tiff, apply::Depth::sixteen, QT_TRANSLATE_NOOP("DevelopPanel", "TIFF, 16 bit")},
    {apply::Format::tiff, apply::Depth::eight, QT_TRANSLATE_NOOP("DevelopPanel", "TIFF, 8 bit")},
    {apply::Format::png, apply::Depth::sixteen, QT_TRANSLATE_NOOP("DevelopPanel", "PNG, 16 bit")},
    {apply::Format::png, apply::Depth::eight, QT_TRANSLATE_NOOP("DevelopPanel", "PNG, 8 bit")},
    {apply::Format::jpeg, apply::Depth::eight, QT_TRANSLATE_NOOP("DevelopPanel", "JPEG, 8 bit")},
    {apply::Format::exr, apply::Depth::half, QT_TRANSLATE_NOOP("DevelopPanel", "EXR, linear, half")},
    {apply::Format::exr, apply::Depth::full, QT_TRANSLATE_NOOP("DevelopPanel", "EXR, linear, float")},
    {apply::Format::prores, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: ProRes 422 HQ")},
    {apply::Format::prores4444, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: ProRes 4444")},
    {apply::Format::dnxhr, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: DNxHR HQX")},
    {apply::Format::h264, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: H.264, 10 bit")},
    {apply::Format::h265, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: H.265, 10 bit")},
    {apply::Format::ffv1, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "Clip: FFV1, lossless")},
    {apply::Format::dng, apply::Depth::usual, QT_TRANSLATE_NOOP("DevelopPanel", "DNG copies: balance and profile")},
    {apply::Format::exr, apply::Depth::half, QT_TRANSLATE_NOOP("DevelopPanel", "Effects set: plates and display curve"),
     true},
};

const Kind& kind_at(const QComboBox* box) { return kinds[std::max(0, box->currentIndex())]; }

QString left_words(double seconds) {
    if (seconds <= 0) return {};
    if (seconds < 90) return QObject::tr(", about %1 s left").arg(qCeil(seconds / 5) * 5);
    return QObject::tr(", about %1 min left").arg(qCeil(seconds / 60));
}

} // namespace

DevelopPanel::DevelopPanel(Desk& desk, QWidget* parent)
    : QFrame(parent),
      desk_(desk),
      which_(new QComboBox),
      kind_(new QComboBox),
      space_(new QComboBox),
      gamut_(new QComboBox),
      second_(new QComboBox),
      rendering_(new QComboBox),
      parts_{new QCheckBox(tr("balance")), new QCheckBox(tr("exposure")), new QCheckBox(tr("colour")),
             new QCheckBox(tr("finish")), new QCheckBox(tr("look"))},
      pattern_(new QLineEdit("{stem}")),
      folder_(new QLineEdit(last_folder())),
      resume_(new QCheckBox(tr("Leave out what is &finished already"))),
      count_(new FlowLabel) {
    setProperty("panel", true);
    auto* form = new QFormLayout(this);
    form->setContentsMargins(18, 16, 18, 16);
    form->setHorizontalSpacing(14);
    form->setVerticalSpacing(8);
    form->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->addRow(count_);
    const auto add = [&](const QString& text, QWidget* field, const QString& tooltip) {
        field->setToolTip(tooltip);
        field->setAccessibleName(QString(text).remove('&'));
        form->addRow(text, field);
    };
    which_->addItems({tr("of this setup"), tr("of all setups with a correction")});
    which_->setObjectName("developWhich");
    add(tr("Fra&mes"), which_,
        tr("The chart shot and the ordinary frames; each goes through its own setup's correction"));
    for (const Kind& k : kinds) kind_->addItem(tr(k.title));
    kind_->setObjectName("developKind");
    add(tr("Files"), kind_,
        tr("EXR stays linear in the space's primaries; all others carry the space's encoding and profile. Copies of "
           "DNG "
           "files keep their raw data bit for bit: the balance is noted in them and, with the colour, a camera profile "
           "joins"));
    for (const char* s : {"srgb", "display-p3", "oprgb", "bt709", "linear-bt709", "bt2020", "romm", "acescg"})
        space_->addItem(s);
    add(tr("S&pace"), space_, tr("Colour space of the files"));
    gamut_->addItems({tr("cut off"), tr("brought in smoothly, hue kept")});
    add(tr("Be&yond it"), gamut_, tr("What is done with colours that the space does not hold"));
    auto* parts = new QWidget;
    auto* row = new QHBoxLayout(parts);
    row->setContentsMargins(0, 0, 0, 0);
    for (QCheckBox* part : parts_) {
        part->setObjectName("part-" + part->text());
        part->setChecked(true);
        row->addWidget(part);
    }
    row->addStretch();
    add(tr("Parts"), parts, tr("Parts of the correction; what is left out stays as the camera recorded it"));
    second_->setObjectName("developSecond");
    add(tr("Second &light"), second_,
        tr("Another corrected setup of this camera under a light far from this one: raw frames are corrected for what "
           "their own balance says between both"));
    rendering_->setObjectName("developRendering");
    add(tr("&Rendering"), rendering_,
        tr("The setup's own correction, or renderings kept beside it; their names stand in the files' names"));
    pattern_->setObjectName("developPattern");
    add(tr("File &names"), pattern_,
        tr("{stem} {camera} {light} {lens} {date} {rendering} {space} {counter}; equal "
           "names are told apart by a number"));
    auto* place = new QWidget;
    auto* line = new QHBoxLayout(place);
    line->setContentsMargins(0, 0, 0, 0);
    auto* browse = new QToolButton;
    browse->setIcon(icon("folder"));
    browse->setToolTip(tr("Choose the folder"));
    browse->setAccessibleName(tr("Choose the folder"));
    folder_->setObjectName("developFolder");
    line->addWidget(folder_, 1);
    line->addWidget(browse);
    add(tr("Fol&der"), place, tr("Where the frames go; never over one of the job's own files"));
    connect(browse, &QToolButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder for the frames"), folder_->text());
        if (!folder.isEmpty()) folder_->setText(folder);
    });
    resume_->setChecked(true);
    resume_->setToolTip(tr("Frames that this correction and these settings made before are known by a mark in them, "
                           "whatever their name"));
    form->addRow(QString(), resume_);
    form->addRow(make_progress());
    connect(which_, &QComboBox::activated, this, &DevelopPanel::count);
    connect(kind_, &QComboBox::activated, this, &DevelopPanel::count);
    connect(rendering_, &QComboBox::activated, this, &DevelopPanel::count);
    connect(&desk_.batches, &Batches::changed, this, &DevelopPanel::show_progress);
    show_progress();
}

QWidget* DevelopPanel::make_progress() {
    progress_ = new QWidget;
    progress_->setObjectName("developProgress");
    auto* column = new QVBoxLayout(progress_);
    column->setContentsMargins(0, 8, 0, 0);
    bar_ = new QProgressBar;
    bar_->setTextVisible(false);
    bar_->setAccessibleName(tr("Frames developed"));
    column->addWidget(bar_);
    auto* row = new QHBoxLayout;
    how_far_ = new FlowLabel;
    how_far_->setObjectName("developHowFar");
    pause_ = new QPushButton;
    pause_->setObjectName("developPause");
    pause_->setToolTip(tr("Stops after the frames that are under way; nothing is lost"));
    cancel_ = new QPushButton(tr("Cancel"));
    cancel_->setToolTip(tr("Ends the batch; what is written stays, and the next run goes on from there"));
    row->addWidget(how_far_, 1);
    row->addWidget(pause_);
    row->addWidget(cancel_);
    column->addLayout(row);
    connect(pause_, &QPushButton::clicked, this, [this] { desk_.batches.pause(!desk_.batches.state().paused); });
    connect(cancel_, &QPushButton::clicked, this, [this] { desk_.tasks.cancel_all(); });
    return progress_;
}

BatchWish DevelopPanel::wish() const {
    const Kind& kind = kind_at(kind_);
    BatchWish w;
    w.setups = which_->currentIndex() == 0 ? std::vector{setup_} : desk_.chains.ids();
    w.second = which_->currentIndex() == 0 ? second_->currentData().toLongLong() : 0;
    w.develop = {.format = kind.format,
                 .space = space_->currentText().toStdString(),
                 .depth = kind.depth,
                 .parts = {parts_[0]->isChecked(), parts_[1]->isChecked(), parts_[2]->isChecked(),
                           parts_[3]->isChecked(), parts_[4]->isChecked()},
                 .gamut = gamut_->currentIndex() == 0 ? apply::Gamut::clip : apply::Gamut::map,
                 .exposure = desk_.job.shoot().brief().frame_exposure};
    w.folder = folder_->text().toStdString();
    w.pattern = pattern_->text().trimmed().toStdString();
    w.resume = resume_->isChecked();
    w.rendering = rendering_->currentData().toString().toStdString();
    return w;
}

void DevelopPanel::develop() {
    if (folder_->text().trimmed().isEmpty()) return desk_.notices.tell(tr("Name a folder for the frames first."));
    remember_folder(folder_->text());
    if (kind_at(kind_).effects_set) {
        const bool video =
            desk_.chains.has(setup_) &&
            shoot::record(desk_.job.shoot().modes, desk_.chains.at(setup_).row.mode)->kind == shoot::ModeKind::video;
        return desk_.batches.make_plates(setup_,
                                         {.space = space_->currentText().toStdString(),
                                          .display = video ? "bt709" : "srgb",
                                          .depth = kind_at(kind_).depth},
                                         folder_->text().toStdString());
    }
    desk_.batches.develop(wish());
}

void DevelopPanel::show_setup(Id setup) {
    setup_ = setup;
    offer_other_lights(second_, desk_.chains, setup);
    offer_renderings(rendering_, desk_.renderings.in_force(setup));
    count();
}

void DevelopPanel::count() {
    // A copy has no pixels of its own: no space, and no exposure or finish.
    const bool copies = kind_at(kind_).format == apply::Format::dng, set = kind_at(kind_).effects_set;
    space_->setEnabled(!copies);
    // Clips are BT.709 unless told, pictures sRGB: the space follows when one gives way to the other.
    if (const bool clips = apply::is_clip(kind_at(kind_).format); clips != space_->property("ofClips").toBool()) {
        space_->setProperty("ofClips", clips);
        space_->setCurrentText(clips ? "bt709" : "srgb");
    }
    gamut_->setEnabled(!copies && !set);
    for (std::size_t i = 0; i < parts_.size(); ++i)
        parts_[i]->setEnabled(!set && (!copies || i == 0 || i == 2)); // a copy has balance and colour
    for (QWidget* w : {static_cast<QWidget*>(which_), static_cast<QWidget*>(second_), static_cast<QWidget*>(rendering_),
                       static_cast<QWidget*>(pattern_), static_cast<QWidget*>(resume_)})
        w->setEnabled(!set);
    if (set) {
        if (colour::rgb_space(space_->currentText().toStdString()).transfer != colour::Transfer::linear)
            space_->setCurrentText("acescg");
        const auto plates = desk_.batches.plates_of(setup_);
        const auto own = std::count_if(plates.begin(), plates.end(), [](const operations::PlateSource& p) {
            return p.role != operations::PlateRole::chart;
        });
        count_->setText(own == 0
                            ? tr("No frame of this setup has a part in an effects set yet. In Frames, give them one "
                                 "with a right click: plate, clean plate, reference object.")
                            : tr("%1 with the chart shot, as scene-linear EXR without finish and look; the display "
                                 "curve beside them holds these, and a note says what the renderer needs.")
                                  .arg(own == 1 ? tr("One frame") : tr("%1 frames").arg(own)));
        return;
    }
    second_->setEnabled(which_->currentIndex() == 0 && second_->count() > 1);
    const int n = desk_.batches.count(wish());
    count_->setText(
        n == 0 ? tr("There is no corrected frame here yet.")
        : copies
            ? (n == 1 ? tr("One frame") : tr("%1 frames").arg(n)) +
                  tr(": DNG files are copied with the balance in them, so that a raw developer opens them balanced. "
                     "Other raw files bear none: the note tells the balance to set there.")
        : n == 1 ? tr("One frame, developed at full size; what was written about the picture goes along.")
                 : tr("%1 frames, developed at full size, several at a time; what was written about each picture "
                      "goes along.")
                       .arg(n));
}

void DevelopPanel::show_progress() {
    const Batches::State& s = desk_.batches.state();
    progress_->setVisible(s.frames > 0);
    const int ended = s.done + s.failed;
    bar_->setRange(0, std::max(1, s.frames));
    bar_->setValue(ended);
    pause_->setText(s.paused ? tr("Go on") : tr("Pause"));
    pause_->setVisible(s.running);
    cancel_->setVisible(s.running);
    QString words = s.paused    ? tr("Paused at %1 of %2").arg(ended).arg(s.frames)
                    : s.running ? tr("%1 of %2").arg(ended).arg(s.frames) + left_words(s.seconds_left)
                    : ended < s.frames
                        ? tr("Ended at %1 of %2; the next run goes on from there").arg(ended).arg(s.frames)
                        : tr("%1 written").arg(s.done);
    if (s.failed) words += tr(", %1 failed").arg(s.failed);
    if (s.left_out) words += tr(", %1 were finished before").arg(s.left_out);
    how_far_->setText(words);
    how_far_->setToolTip(s.problems.join("\n"));
}

} // namespace refero::app
