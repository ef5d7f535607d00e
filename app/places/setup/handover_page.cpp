#include "handover_page.hpp"

#include <QDesktopServices>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>
#include <QMimeData>
#include <QSettings>
#include <QSignalBlocker>
#include <QToolButton>
#include <QUrl>

#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

namespace {

/// The rows of the list: the table's formats, and the frames themselves after them.
const handover::Format* format_at(int row) {
    const auto& all = handover::formats();
    return row >= 0 && row < static_cast<int>(all.size()) ? &all[static_cast<std::size_t>(row)] : nullptr;
}

/// A name that any file system takes.
QString slug_of(QString title) {
    title = title.replace(", ", " ").simplified().replace(' ', '-').toLower();
    for (const QChar c : QString("/\\:*?\"<>|")) title.remove(c);
    return title;
}

} // namespace

HandoverPage::HandoverPage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      kinds_(new QListWidget),
      forms_(new QStackedWidget),
      develop_(new DevelopPanel(desk)),
      what_(new FlowLabel),
      fits_(new FlowLabel),
      encoding_(new QComboBox),
      space_(new QComboBox),
      second_(new QComboBox),
      destination_(new QComboBox),
      rendering_(new QComboBox),
      size_(new QSpinBox),
      folder_(new QLineEdit(last_folder())),
      name_(new QLineEdit),
      model_(new QLineEdit),
      written_(new QTableWidget) {
    auto* main = new QWidget;
    auto* row = new QHBoxLayout(main);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    fill_kinds();
    row->addWidget(kinds_);
    forms_->addWidget(make_form());
    forms_->addWidget(develop_);
    row->addWidget(forms_, 1);
    make_side();
    connect(kinds_, &QListWidget::currentRowChanged, this, &HandoverPage::choose_kind);
    connect(write_, &QPushButton::clicked, this, &HandoverPage::write);
    connect(put_, &QPushButton::clicked, this, &HandoverPage::put);
    const auto tell_next = [this] {
        if (const handover::Format* f = format_at(kinds_->currentRow())) next_->setText(next_step(*f));
    };
    connect(encoding_, &QComboBox::currentTextChanged, this, tell_next);
    connect(model_, &QLineEdit::textChanged, this, tell_next);
    connect(destination_, &QComboBox::editTextChanged, this,
            [this](const QString& folder) { put_->setEnabled(write_->isEnabled() && !folder.trimmed().isEmpty()); });
    arrange("handover", main, make_written());
    kinds_->setCurrentRow(0);
}

void HandoverPage::fill_kinds() {
    kinds_->setFixedWidth(210);
    kinds_->setStyleSheet("QListView::item { border: none; padding-left: 12px; }");
    kinds_->setAccessibleName(tr("Kind of file"));
    const auto add_kind = [&](const QString& title, const QString& files, const QString& id) {
        auto* item = new QListWidgetItem(QString("%1\n%2").arg(title, files), kinds_);
        item->setSizeHint({180, 43});
        item->setData(Qt::UserRole, id);
    };
    for (const handover::Format& f : handover::formats())
        add_kind(qt(f.title), f.folder ? tr("a folder") : "*" + qt(f.extension), qt(f.id));
    add_kind(tr("Corrected frames, clips"), tr("TIFF, PNG, JPEG, EXR, DNG"), "frames");
}

QWidget* HandoverPage::make_form() {
    auto* form_panel = new QFrame;
    form_panel->setProperty("panel", true);
    auto* form = new QGridLayout(form_panel);
    form->setContentsMargins(18, 16, 18, 16);
    form->setHorizontalSpacing(14);
    form->setVerticalSpacing(10);
    form->setColumnStretch(1, 1);
    form->addWidget(what_, 0, 0, 1, 3);
    form->addWidget(fits_, 1, 0, 1, 3);
    int line = 2;
    const auto add = [&](const QString& text, QWidget* field, const QString& tooltip, QWidget* extra = nullptr) {
        auto* label = new QLabel(text);
        label->setBuddy(field);
        field->setToolTip(tooltip);
        form->addWidget(label, line, 0);
        form->addWidget(field, line, 1);
        if (extra) form->addWidget(extra, line, 2);
        field->setProperty("label", QVariant::fromValue<QObject*>(label));
        ++line;
    };
    rendering_->setObjectName("handoverRendering");
    add(tr("&Rendering"), rendering_,
        tr("The setup's own correction, or renderings kept beside it: each goes to a file with its name"));
    for (const char* e : {"srgb", "linear", "bt709", "hlg", "pq", "acescct"}) encoding_->addItem(e);
    add(tr("&Encoding in"), encoding_, tr("How the camera RGB that goes in is encoded"));
    for (const char* s : {"srgb", "display-p3", "oprgb", "bt709", "linear-bt709", "bt2020", "romm", "acescg"})
        space_->addItem(s);
    add(tr("&Space out"), space_, tr("Colour space of what comes out"));
    size_->setRange(2, 129);
    size_->setValue(33);
    add(tr("N&odes"), size_,
        tr("Nodes along each side of the cube; more are closer to the correction, 33 is customary"));
    second_->setObjectName("secondLight");
    add(tr("Second &light"), second_,
        tr("Another corrected setup of this camera under a light far from this one. A profile holds both, and programs "
           "interpolate by the light's temperature; raw frames are corrected for what their own balance says between "
           "both"));
    model_->setObjectName("cameraModel");
    model_->setAccessibleName(tr("Camera model in the profile"));
    add(tr("Camera &model"), model_,
        tr("What the program that reads the profile calls the camera (UniqueCameraModel): it lists the profile for "
           "frames of this name only"));
    auto* browse = new QToolButton;
    browse->setIcon(icon("folder"));
    browse->setToolTip(tr("Choose the folder"));
    browse->setAccessibleName(tr("Choose the folder"));
    folder_->setObjectName("folderEdit");
    add(tr("Fol&der"), folder_, tr("Where the file goes"), browse);
    name_->setObjectName("nameEdit");
    add(tr("File &name"), name_, tr("An existing file of this name is replaced only after a question"));
    auto* choose = new QToolButton;
    choose->setIcon(icon("folder"));
    choose->setToolTip(tr("Choose the program's folder"));
    choose->setAccessibleName(tr("Choose the program's folder"));
    destination_->setEditable(true);
    destination_->setObjectName("destination");
    destination_->setAccessibleName(tr("Program's folder"));
    destination_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    destination_->lineEdit()->setPlaceholderText(tr("where a program looks for such files"));
    add(tr("&Program's folder"), destination_,
        tr("Where a program on this machine looks for files of this kind; remembered for each kind"), choose);
    form->setRowStretch(line, 1);
    connect(choose, &QToolButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(
            this, tr("Where the program looks"),
            destination_->currentText().isEmpty() ? last_folder() : destination_->currentText());
        if (!folder.isEmpty()) destination_->setEditText(folder);
    });
    connect(browse, &QToolButton::clicked, this, [this] {
        const QString folder =
            QFileDialog::getExistingDirectory(this, tr("Folder for handover files"), folder_->text());
        if (!folder.isEmpty()) folder_->setText(folder);
    });
    return form_panel;
}

void HandoverPage::make_side() {
    auto* heading = new QLabel(tr("What it holds for"));
    heading->setFont(title_font());
    side()->addWidget(heading);
    auto* advice = new FlowLabel(tr(
        "A file holds for this camera, lens, recording mode and light. Under another light, shoot the chart again."));
    side()->addWidget(advice);
    write_ = side_button(tr("Write the file"), {}, tr("Writes the file; it is whole or not there"), true);
    write_->setObjectName("exportButton");

    put_ = side_button(tr("Put it into the program's folder"), {},
                       tr("Writes the file straight to where the program looks; another file there is never replaced"));
    put_->setObjectName("putThereButton");
    next_ = new FlowLabel;
    next_->setObjectName("nextStep");
    next_->setProperty("dim", true);
    side()->addWidget(next_);

    auto* verify_button = side_button(
        tr("Verify a delivered picture \u2026"), {},
        tr("The chart shot after export, hosting, compression or printing, against its correction; or drop it here"));
    verify_button->setObjectName("verifyButton");
    verified_ = new FlowLabel;
    verified_->setObjectName("verifyWords");
    verified_->hide();
    side()->addWidget(verified_);
    setAcceptDrops(true);
    connect(verify_button, &QPushButton::clicked, this, [this] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("A delivered picture"), last_folder(),
                                         tr("Pictures (*.jpg *.jpeg *.png *.tif *.tiff *.exr);;All files (*)"));
        if (!file.isEmpty()) verify(file.toStdString());
    });
}

QWidget* HandoverPage::make_written() {
    auto* below = new QWidget;
    auto* column = new QVBoxLayout(below);
    column->setContentsMargins(0, 0, 0, 0);
    auto* head = new QLabel(tr("Written from this setup"));
    head->setFont(title_font());
    column->addWidget(head);
    written_->setColumnCount(3);
    written_->setHorizontalHeaderLabels({tr("File"), tr("State"), tr("What it holds")});
    written_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    written_->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    written_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    written_->verticalHeader()->setDefaultSectionSize(30);
    written_->verticalHeader()->hide();
    written_->setShowGrid(false);
    written_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    written_->setSelectionBehavior(QAbstractItemView::SelectRows);
    written_->setAccessibleName(tr("Written from this setup"));
    written_->setToolTip(tr("Open a row to see its folder"));
    column->addWidget(written_, 1);

    connect(written_, &QTableWidget::cellActivated, this, [this](int r, int) {
        const QString file = written_->item(r, 0)->toolTip();
        QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(file).absolutePath()));
    });
    return below;
}

QString HandoverPage::default_name() const {
    if (!setup_) return {};
    const QString stretch = qt(desk_.chains.at(setup_).stretch_id()); // told apart where the setup has several
    const QString base = slug_of(desk_.chains.title_of(setup_) +
                                 (stretch.isEmpty() ? QString() : " " + QString(stretch).replace(':', '-')));
    const handover::Format* f = format_at(kinds_->currentRow());
    return f ? base + (f->extension == ".json" ? "-" + qt(f->id) : QString()) + qt(f->extension) : base;
}

/// LUTs expect what was recorded; a profile has its own usual encoding.
void HandoverPage::choose_usual(const handover::Format* f) {
    if (!f || f->input_encoding.empty()) return;
    const auto correction =
        desk_.chains.has(setup_) ? desk_.chains.at(setup_).correction : std::shared_ptr<const fit::Correction>();
    const bool lut = f->input_encoding == "srgb" && correction;
    const QString encoding = lut ? qt(handover::usual_encoding(*correction)) : qt(f->input_encoding);
    if (encoding_->findText(encoding) < 0) encoding_->addItem(encoding); // a curve of its own
    encoding_->setCurrentText(encoding);
    if (lut) space_->setCurrentText(qt(handover::usual_space(*correction)));
}

void HandoverPage::choose_kind() {
    const handover::Format* f = format_at(kinds_->currentRow()); // null: the frames
    forms_->setCurrentIndex(f ? 0 : 1);
    if (f) what_->setText(qt(f->what));
    const auto visible = [](QWidget* field, bool on) {
        field->setVisible(on);
        if (auto* label = qobject_cast<QWidget*>(field->property("label").value<QObject*>())) label->setVisible(on);
    };
    const auto asks = [&](handover::Option option) { return f && f->has(option); };
    visible(encoding_, asks(handover::Option::input_encoding));
    choose_usual(f);
    visible(space_, asks(handover::Option::space));
    visible(size_, asks(handover::Option::size));
    visible(second_, asks(handover::Option::second));
    visible(model_, asks(handover::Option::camera_model));
    name_->setText(default_name());
    write_->setText(!f ? tr("Develop the frames") : tr("Write the file"));
    put_->setVisible(f);
    fill_destinations();
    if (setup_) show_setup(setup_);
}

void HandoverPage::show_setup(Id setup) {
    const bool other = shows_another(setup);
    setup_ = setup;
    if (other) {
        name_->setText(default_name());
        verified_->hide();
    }
    const Chain& s = desk_.chains.at(setup);
    const handover::Format* f = format_at(kinds_->currentRow());
    if (other) choose_usual(f);
    develop_->show_setup(setup);
    if (other) model_->setText(s.correction ? qt(handover::camera_model_of(*s.correction)) : QString());
    write_->setEnabled(s.correction != nullptr);
    put_->setEnabled(s.correction && !destination_->currentText().trimmed().isEmpty());
    next_->setText(f ? next_step(*f) : QString());
    next_->setVisible(f && s.correction);
    const bool matrix_only = f && f->holds == handover::Format::Holds::matrix,
               apart = f && f->holds == handover::Format::Holds::nothing;
    offer_other_lights(second_, desk_.chains, setup);
    const std::vector<operations::InForce> all = desk_.renderings.in_force(setup);
    offer_renderings(rendering_, all);
    rendering_->setVisible(all.size() > 1);
    if (auto* label = qobject_cast<QWidget*>(rendering_->property("label").value<QObject*>()))
        label->setVisible(all.size() > 1);
    if (!s.correction) fits_->setText(tr("There is no correction to write yet. Fit one first."));
    else if (s.correction_stale())
        fits_->setText(
            tr("The correction is stale: %1. %2 before you hand it over.")
                .arg(QString::fromStdString(s.stale.front().why), QString::fromStdString(s.stale.front().remedy)));
    else if (s.balance_only())
        fits_->setText(tr("Balance only: gains and exposure, no colour correction. %1 becomes neutral.")
                           .arg(QString::fromStdString(s.correction->balance.white_patch)));
    else if (apart) fits_->setText(tr("Holds no correction: it stands before or behind one."));
    else if (matrix_only && !s.correction->is_matrix()) {
        double matrix = 0;
        for (const fit::Candidate& c : s.correction->candidates)
            if (c.model == fit::Model::matrix) matrix = c.cross_validated.mean;
        fits_->setText(tr("This format cannot hold the chosen model (held out: mean %1). It gets the best matrix for "
                          "the same reading (mean %2).")
                           .arg(s.correction->cross_validated.mean, 0, 'f', 2)
                           .arg(matrix, 0, 'f', 2));
    } else
        fits_->setText(tr("Holds the chosen model, held out: mean CIEDE2000 %1.")
                           .arg(s.correction->cross_validated.mean, 0, 'f', 2));
    if (s.correction && !s.correction->finish.empty() && !s.balance_only() && !apart) {
        const bool held = !f || f->finish;
        fits_->setText(fits_->text() + " " +
                       (held ? tr("With it goes what is done after the correction: %1.")
                             : tr("It leaves out what is done after the correction (%1): set that where the pictures "
                                  "are developed."))
                           .arg(QString::fromStdString(look::in_words(s.correction->finish))));
    }
    if (s.correction && !s.correction->look.empty() && !s.balance_only() && !(apart && !f->look))
        fits_->setText(fits_->text() + " " +
                       (!f || f->look ? tr("The look goes with it: %1.") : tr("It leaves out the look (%1)."))
                           .arg(qt(look::in_words(s.correction->look))));
    written_->setRowCount(static_cast<int>(s.handovers.size()));
    for (int i = 0; i < static_cast<int>(s.handovers.size()); ++i) {
        const shoot::HandoverRecord& h = s.handovers[static_cast<std::size_t>(i)];
        // Of a rendering by its own state; else of the setup's own correction.
        const auto of = std::find_if(all.begin(), all.end(), [&](const operations::InForce& r) {
            return !r.rendering.empty() && r.row == h.correction;
        });
        const bool stale =
            of == all.end() && !s.balance_only() && (h.correction != s.correction_id || s.correction_stale());
        const QString state = stale ? tr("stale") : tr("current");
        const QString texts[] = {name_of_file(h.file),
                                 of == all.end() ? state : tr("%1: %2").arg(qt(of->rendering), state), qt(h.message)};
        for (int c = 0; c < 3; ++c) {
            auto* item = new QTableWidgetItem(texts[c]);
            item->setToolTip(c == 0 ? qt(h.file) : texts[c]);
            written_->setItem(i, c, item);
        }
    }
}

void HandoverPage::verify(const fs::path& picture) {
    verified_->setText(tr("Looking at %1 \u2026").arg(name_of_file(picture)));
    verified_->show();
    desk_.handovers.verify(setup_, picture, [this, picture, of = setup_](const match::Delivered& d) {
        if (of != setup_) return;
        QString words = tr("<b>%1</b>: %2.").arg(name_of_file(picture).toHtmlEscaped(), qt(d.words).toHtmlEscaped());
        const auto worst = std::max_element(d.patches.begin(), d.patches.end(), [](const auto& a, const auto& b) {
            return a.delta_e_2000 < b.delta_e_2000;
        });
        if (worst != d.patches.end())
            words += tr(" Most on %1: %2.").arg(qt(worst->id)).arg(worst->delta_e_2000, 0, 'f', 1);
        verified_->setText(words);
    });
}

void HandoverPage::dragEnterEvent(QDragEnterEvent* event) {
    // Only pictures: jobs, frames and corrections go where they usually do.
    const QList<QUrl> urls = event->mimeData()->urls();
    if (urls.size() == 1 && urls.front().isLocalFile() &&
        frame::kind_of(urls.front().toLocalFile().toStdString()) == frame::FileKind::picture)
        event->acceptProposedAction();
}

void HandoverPage::dropEvent(QDropEvent* event) {
    event->acceptProposedAction();
    verify(event->mimeData()->urls().front().toLocalFile().toStdString());
}

// The folders of a kind that were used, the latest first.
void HandoverPage::fill_destinations() {
    const handover::Format* f = format_at(kinds_->currentRow());
    const QSignalBlocker quiet(destination_);
    destination_->clear();
    if (f) destination_->addItems(QSettings().value("destinations/" + qt(f->id)).toStringList());
    destination_->setCurrentIndex(destination_->count() ? 0 : -1);
    if (!destination_->count()) destination_->clearEditText();
}

QString HandoverPage::next_step(const handover::Format& f) const {
    QString words = qt(f.next);
    words.replace("{model}", model_->text().trimmed());
    words.replace("{encoding}", encoding_->currentText());
    return tr("Next step: %1").arg(words);
}

void HandoverPage::put() {
    const handover::Format* f = format_at(kinds_->currentRow());
    const QString folder = destination_->currentText().trimmed();
    if (!f || folder.isEmpty()) return;
    if (!write_to(folder.toStdString(), true)) return;
    constexpr qsizetype most_remembered = 6;
    const QString key = "destinations/" + qt(f->id);
    QStringList known = QSettings().value(key).toStringList();
    known.removeAll(folder);
    known.prepend(folder);
    QSettings().setValue(key, QStringList(known.mid(0, most_remembered)));
    fill_destinations();
}

void HandoverPage::write() {
    if (!format_at(kinds_->currentRow())) return develop_->develop();
    remember_folder(folder_->text());
    write_to(folder_->text().toStdString(), false);
}

bool HandoverPage::write_to(const fs::path& folder, bool put) {
    const handover::Format* format = format_at(kinds_->currentRow());
    std::error_code ec;
    if (!put) fs::create_directories(folder, ec); // a program's folder is there, or it is not the program's
    const auto refused = [&](const QString& why) {
        desk_.notices.tell(why);
        return false;
    };
    if (!fs::is_directory(folder, ec))
        return refused(
            tr("%1: %2. Choose another one.")
                .arg(qt(folder.string()), put ? tr("there is no such folder") : tr("this folder cannot be made")));
    const Id second = second_->currentData().toLongLong();
    if (name_->text().trimmed().isEmpty() || name_->text().contains('/'))
        return refused(tr("Give the file a name without a slash."));
    std::vector<std::pair<operations::InForce, fs::path>> files;
    const std::string wanted_rendering = rendering_->currentData().toString().toStdString();
    const fs::path name = name_->text().trimmed().toStdString();
    for (const operations::InForce& r : desk_.renderings.in_force(setup_)) {
        if (wanted_rendering != operations::all_renderings && r.rendering != wanted_rendering) continue;
        std::string stem = name.stem().string();
        if (!r.rendering.empty()) stem += "-" + slug_of(qt(r.rendering)).toStdString();
        fs::path file = folder / (stem + name.extension().string());
        if (put) file = free_name(*format, file);
        files.emplace_back(r, file);
    }
    handover::Options options;
    if (format->has(handover::Option::input_encoding)) options.input_encoding = encoding_->currentText().toStdString();
    if (format->has(handover::Option::space)) options.space = space_->currentText().toStdString();
    if (format->has(handover::Option::camera_model)) options.camera_model = model_->text().trimmed().toStdString();
    if (format->has(handover::Option::size)) options.size = size_->value();
    if (format->has(handover::Option::second) && desk_.chains.has(second))
        options.second = desk_.chains.at(second).correction;
    desk_.handovers.write_renderings(setup_, files, format->id, options);
    return true;
}

// What this setup handed over before may be replaced, after a question; nothing else.
fs::path HandoverPage::free_name(const handover::Format& format, const fs::path& wanted) const {
    const auto& before = desk_.chains.at(setup_).handovers;
    const auto own = [&](const fs::path& f) {
        return std::any_of(before.begin(), before.end(), [&](const shoot::HandoverRecord& h) { return h.file == f; });
    };
    std::error_code ec;
    fs::path file = wanted;
    for (int n = 2; fs::exists(format.first_of(file), ec) && !own(file); ++n)
        file = wanted.parent_path() / (wanted.stem().string() + formatted("-{}", n) + wanted.extension().string());
    return file;
}

} // namespace refero::app
