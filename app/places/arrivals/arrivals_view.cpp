#include "arrivals_view.hpp"

#include <QScrollArea>

#include "ui/theme.hpp"

namespace refero::app {

namespace {

QLabel* heading(const QString& text) {
    auto* label = new QLabel(text);
    QFont font = label->font();
    font.setWeight(QFont::DemiBold);
    label->setFont(font);
    return label;
}

void clear(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
}

QString counted(std::size_t n, const QString& one, const QString& many) {
    return n == 1 ? QObject::tr("1 %1").arg(one) : QString("%1 %2").arg(n).arg(many);
}

} // namespace

ArrivalsView::ArrivalsView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      sentence_(new QLabel),
      next_(new FlowLabel),
      empty_(new FlowLabel(tr("Nothing has come in yet. Drop a folder, a card or any pile of files on the window: "
                              "cameras and lights are told from the files, and each chart is looked for."))),
      line_(new DayLine(desk)),
      body_(new QWidget),
      light_list_(new QVBoxLayout),
      question_list_(new QVBoxLayout),
      keep_(new QPushButton(tr("Keep these names and fit all"))),
      frames_(new QPushButton(tr("See all frames"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 4, 16, 12);
    column->setSpacing(6);
    sentence_->setFont(title_font());
    sentence_->setObjectName("arrivalsSentence");
    next_->setProperty("dim", true);
    next_->setObjectName("arrivalsNext");
    column->addWidget(sentence_);
    column->addWidget(next_);
    column->addWidget(empty_, 1, Qt::AlignCenter);
    empty_->setProperty("dim", true);
    empty_->setMaximumWidth(520);
    empty_->setMinimumWidth(420);
    empty_->setAlignment(Qt::AlignCenter);

    auto* body = new QVBoxLayout(body_);
    body->setContentsMargins(0, 4, 0, 0);
    body->addWidget(line_);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(28);
    const auto part = [&](const QString& title, QVBoxLayout* list, int stretch) {
        auto* side = new QVBoxLayout;
        side->setSpacing(4);
        side->addWidget(heading(title));
        auto* inner = new QWidget;
        auto* around = new QVBoxLayout(inner);
        around->setContentsMargins(0, 0, 8, 0);
        list->setSpacing(2);
        around->addLayout(list);
        around->addStretch();
        auto* scroll = new QScrollArea;
        scroll->setWidgetResizable(true);
        scroll->setFrameShape(QFrame::NoFrame);
        scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        scroll->setWidget(inner);
        side->addWidget(scroll, 1);
        columns->addLayout(side, stretch);
    };
    part(tr("Name these lights"), light_list_, 3);
    part(tr("Still to be told"), question_list_, 2);
    body->addLayout(columns, 1);
    column->addWidget(body_, 1);

    auto* row = new QHBoxLayout;
    row->addStretch();
    row->addWidget(frames_);
    row->addWidget(keep_);
    column->addLayout(row);
    keep_->setProperty("primary", true);
    keep_->setObjectName("keepArrivals");
    keep_->setToolTip(
        tr("Keeps the names, fits a correction to every chart that is read, and opens the board. What came "
           "in and the names are steps that can be undone"));
    frames_->setToolTip(tr("The table of all frames: what came in, where it was put and why (F)"));
    connect(keep_, &QPushButton::clicked, this, [this] {
        if (!keep_names()) return;
        desk_.setups.fit_all();
        emit done();
    });
    connect(frames_, &QPushButton::clicked, this, &ArrivalsView::frames_wanted);
    connect(line_, &DayLine::setup_opened, this, &ArrivalsView::setup_opened);
    connect(&desk_.arrivals, &Arrivals::changed, this, [this] {
        if (isVisible()) follow();
    });
    connect(&desk_.tasks, &Tasks::changed, this, [this] {
        if (isVisible()) tell();
    });
}

void ArrivalsView::follow() {
    const operations::Day& day = desk_.arrivals.day();
    const bool any = !day.rows.empty();
    empty_->setVisible(!any);
    body_->setVisible(any);
    keep_->setVisible(any);
    frames_->setVisible(any);
    line_->follow();
    std::vector<std::pair<Id, std::string>> lights;
    for (const operations::DayLight& l : day.lights)
        lights.emplace_back(l.light, l.name + LightRow::facts_of(l).toStdString());
    if (lights != shown_lights_) {
        shown_lights_ = lights;
        fill_lights();
    }
    fill_questions();
    tell();
}

void ArrivalsView::tell() {
    const operations::Day& day = desk_.arrivals.day();
    std::size_t frames = 0, charts = 0, refused = 0, unread = 0;
    for (const operations::DayRow& row : day.rows) {
        frames += row.frames;
        charts += row.charts.size();
        for (const operations::DayChart& c : row.charts) {
            refused += c.verdict == inspect::Status::reshoot;
            unread += !c.verdict;
        }
    }
    const bool coming = desk_.tasks.busy(Doing::taking_in);
    if (day.rows.empty()) {
        sentence_->setText(coming ? tr("Looking through what comes in") : tr("Home with the card"));
        next_->setText({});
        return;
    }
    std::size_t lit = 0;
    for (const operations::DayLight& l : day.lights) lit += l.charts > 0;
    sentence_->setText(tr("%1 of %2, %3 under %4")
                           .arg(counted(frames, tr("frame"), tr("frames")),
                                counted(day.rows.size(), tr("camera"), tr("cameras")),
                                counted(charts, tr("chart"), tr("charts")), counted(lit, tr("light"), tr("lights"))) +
                       (coming ? tr(", and more is coming in") : QString()));
    std::size_t forgotten = 0;
    for (const shoot::Forgotten& f : day.forgotten) forgotten += f.frames.size();
    QStringList next;
    if (refused)
        next << tr("The gate refuses %1: click the crossed marks.").arg(counted(refused, tr("chart"), tr("charts")));
    if (forgotten) next << tr("No chart stands for %1.").arg(counted(forgotten, tr("frame"), tr("frames")));
    if (charts == 0) next << tr("No chart was found: a frame that shows one can be marked in Frames.");
    else if (unread) next << tr("%1 still being read.").arg(counted(unread, tr("chart is"), tr("charts are")));
    if (next.isEmpty()) next << tr("Give the lights their names, then keep them.");
    next_->setText(next.join(" "));
}

void ArrivalsView::fill_lights() {
    for (LightRow* row : rows_)
        if (row->name()->isModified()) typed_[row->light()] = row->name()->text();
    const Id focus = [&]() -> Id {
        for (LightRow* row : rows_)
            if (row->name()->hasFocus()) return row->light();
        return 0;
    }();
    rows_.clear();
    clear(light_list_);
    for (const operations::DayLight& l : desk_.arrivals.day().lights) {
        auto* row = new LightRow(desk_, l);
        if (const auto typed = typed_.find(l.light); typed != typed_.end()) {
            row->name()->setText(typed->second);
            row->name()->setModified(true);
        }
        if (l.light == focus) row->name()->setFocus();
        connect(row->name(), &QLineEdit::returnPressed, this, [this, row] {
            const auto at = std::find(rows_.begin(), rows_.end(), row);
            if (at == rows_.end()) return;
            if (at + 1 == rows_.end()) return keep_->setFocus();
            (*(at + 1))->name()->setFocus();
            (*(at + 1))->name()->selectAll();
        });
        rows_.push_back(row);
        light_list_->addWidget(row);
    }
    if (!rows_.empty()) light_list_->addWidget(new NewLightRow(desk_));
}

void ArrivalsView::fill_questions() {
    for (QLineEdit* field : answers_)
        if (field->isModified()) cameras_typed_[field->property("camera").toLongLong()] = field->text();
    answers_.clear();
    clear(question_list_);
    const operations::Day& day = desk_.arrivals.day();
    for (const operations::NamelessFiles& n : day.nameless) {
        question_list_->addWidget(
            new FlowLabel(tr("Which camera made %1%2?")
                              .arg(name_of_file(fs::path(n.files.front())),
                                   n.files.size() > 1 ? tr(" and %1 more").arg(n.files.size() - 1) : QString())));
        auto* name = new QLineEdit;
        name->setPlaceholderText(n.camera ? qt(shoot::name_in(desk_.job.shoot().cameras, n.camera)) : tr("Camera"));
        name->setAccessibleName(tr("Name of the camera"));
        name->setProperty("camera", static_cast<qlonglong>(n.camera));
        name->setMaximumWidth(240);
        if (const auto typed = cameras_typed_.find(n.camera); typed != cameras_typed_.end()) {
            name->setText(typed->second);
            name->setModified(true);
        }
        name->setEnabled(n.camera != 0);
        answers_.push_back(name);
        question_list_->addWidget(name);
    }
    for (const shoot::Forgotten& f : day.forgotten) {
        const QString from = qt(f.from).mid(11, 5), to = qt(f.to).mid(11, 5);
        auto* words = new FlowLabel(tr("%1: no chart stands for %2: %3.")
                                        .arg(from.isEmpty() ? tr("Without a time")
                                             : from == to   ? from
                                                            : tr("%1 to %2", "times of the day").arg(from, to),
                                             counted(f.frames.size(), tr("frame"), tr("frames")), qt(f.reason)));
        words->setObjectName("forgotten");
        question_list_->addWidget(words);
    }
    if (day.nameless.empty() && day.forgotten.empty()) {
        auto* nothing = new FlowLabel(tr("Nothing: each frame has its camera and its chart."));
        nothing->setProperty("dim", true);
        question_list_->addWidget(nothing);
    }
}

bool ArrivalsView::keep_names() {
    std::map<Id, QString> lights, cameras;
    for (LightRow* row : rows_)
        if (row->name()->isModified()) lights[row->light()] = row->name()->text();
    for (QLineEdit* field : answers_)
        if (field->isModified() && !field->text().trimmed().isEmpty())
            cameras[field->property("camera").toLongLong()] = field->text();
    if (!desk_.arrivals.rename(lights, cameras)) return false;
    typed_.clear();
    cameras_typed_.clear();
    shown_lights_.clear();
    return true;
}

} // namespace refero::app
