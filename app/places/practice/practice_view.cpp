#include "places/practice/practice_view.hpp"

#include <QDesktopServices>
#include <QFormLayout>
#include <QGridLayout>
#include <QHeaderView>
#include <QListWidget>
#include <QSignalBlocker>
#include <QUrl>

#include "rehearsal_panel.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

using practice::Kind;

namespace {

constexpr Kind all_kinds[] = {Kind::what_wrong,  Kind::keep_which, Kind::light_it,
                              Kind::which_patch, Kind::how_much,   Kind::plan_it};
constexpr int small_pictures = 6;

Kind kind_at(int row) { return all_kinds[std::clamp(row, 0, 5)]; }

void put(QTableWidget* table, int row, const QStringList& texts) {
    for (int c = 0; c < texts.size(); ++c) {
        auto* item = new QTableWidgetItem(texts[c]);
        item->setToolTip(texts[c]);
        table->setItem(row, c, item);
    }
}

} // namespace

PracticeView::PracticeView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      kinds_(new QListWidget),
      evidence_(new QStackedWidget),
      plan_(new StudioPlan),
      question_(new FlowLabel),
      verdict_(new FlowLabel),
      caution_(new FlowLabel),
      answers_(new QWidget),
      tabs_(new QTabWidget),
      findings_(plain_table({{tr("Check"), tr("The gate's findings, the most important first")},
                             {tr("Says"), {}},
                             {tr("What to do"), {}}},
                            tr("The gate's findings"))),
      records_(plain_table({{tr("About"), {}}, {tr("Right"), {}}, {tr("Share"), {}}}, tr("Strengths and weaknesses"))) {
    kinds_->setObjectName("practiceKinds");
    kinds_->setAccessibleName(tr("Kinds of task"));
    constexpr int row_height = 26;
    kinds_->setFixedHeight(6 * row_height + 4);
    kinds_->setStyleSheet("QListView::item { border: none; padding-left: 8px; }");
    for (const Kind k : all_kinds) {
        auto* item = new QListWidgetItem(qt(practice::title_of(k)), kinds_);
        item->setSizeHint({200, row_height});
    }
    side()->addWidget(kinds_);
    question_->setFont(title_font());
    question_->setObjectName("practiceQuestion");
    caution_->setProperty("dim", true);
    verdict_->setTextFormat(Qt::RichText);
    verdict_->setObjectName("practiceVerdict");
    side()->addWidget(question_);
    side()->addWidget(caution_);
    side()->addWidget(answers_);
    side()->addWidget(verdict_);
    auto* actions = side_row();
    next_ =
        side_button(tr("A task"), {}, tr("Makes a task of this kind, as hard as your answers so far say (Ctrl+Return)"),
                    true, actions);
    next_->setObjectName("practiceNext");
    keep_ = side_button(tr("Keep these"), {}, tr("The frames that are ticked are kept, the others are shot again"),
                        false, actions);
    keep_->setObjectName("practiceKeep");
    keep_->hide();
    actions->addStretch();
    connect(next_, &QPushButton::clicked, this, &PracticeView::next);
    connect(kinds_, &QListWidget::currentRowChanged, this, [this] {
        task_.reset();
        refresh();
    });
    connect(&desk_.practice, &Practice::ready, this, &PracticeView::show_task);
    arrange("practice", make_evidence(), make_proof());
    kinds_->setCurrentRow(0);
}

QWidget* PracticeView::make_evidence() {
    auto* large = new PictureView;
    pictures_.push_back(large);
    evidence_->addWidget(large);
    auto* grid_page = new QWidget;
    auto* grid = new QGridLayout(grid_page);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(6);
    for (int i = 0; i < small_pictures; ++i) {
        auto* cell = new QWidget;
        auto* column = new QVBoxLayout(cell);
        column->setContentsMargins(0, 0, 0, 0);
        column->setSpacing(2);
        auto* picture = new PictureView;
        picture->setMinimumSize(120, 90);
        pictures_.push_back(picture);
        auto* tick = new QCheckBox(tr("&%1  keep").arg(QChar('A' + i)));
        tick->setObjectName(QString("keep%1").arg(i));
        column->addWidget(picture, 1);
        column->addWidget(tick);
        grid->addWidget(cell, i / 2, i % 2);
    }
    evidence_->addWidget(grid_page);
    auto* set_page = new QSplitter(Qt::Vertical);
    set_page->setHandleWidth(8);
    set_page->setChildrenCollapsible(false);
    auto* lit_picture = new PictureView;
    pictures_.push_back(lit_picture);
    set_page->addWidget(lit_picture);
    set_page->addWidget(plan_);
    set_page->setSizes({330, 360});
    evidence_->addWidget(set_page);
    connect(plan_, &StudioPlan::moved, this, &PracticeView::light);
    connect(keep_, &QPushButton::clicked, this, [this] {
        std::vector<int> kept;
        for (int i = 0; i < small_pictures; ++i)
            if (findChild<QCheckBox*>(QString("keep%1").arg(i))->isChecked()) kept.push_back(i);
        answer(kept);
    });
    return evidence_;
}

QWidget* PracticeView::make_light_controls() {
    auto* page = new QWidget;
    auto* form = new QFormLayout(page);
    form->setContentsMargins(8, 8, 8, 8);
    const std::tuple<QString, double, double, double, double, int, QString> ranges[] = {
        {tr("Lamp's &height"), -0.5, 2.5, 0.1, 0.2, 1, tr(" m over the chart")},
        {tr("Lamp's si&ze"), 0.02, 1, 0.05, 0.1, 2, tr(" m from its middle to its rim")},
        {tr("&Exposure"), -6, 4, 0.5, 0, 1, tr(" stops")},
        {tr("Chart's &turn"), -60, 60, 2, 0, 0, tr("\u00b0")},
        {tr("Chart in the &frame"), 0.5, 60, 1, 9, 1, tr(" %")}};
    form->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    for (std::size_t k = 0; k < set_.size(); ++k) {
        const auto& [name, low, high, step, value, decimals, unit] = ranges[k];
        auto* box = new QDoubleSpinBox;
        box->setDecimals(decimals);
        box->setRange(low, high);
        box->setSingleStep(step);
        box->setValue(value);
        box->setSuffix(unit);
        box->setAccessibleName(QString(name).remove('&'));
        form->addRow(name, box);
        connect(box, &QDoubleSpinBox::valueChanged, this, &PracticeView::light);
        set_[k] = box;
    }
    more_.first = new QCheckBox(tr("a second lamp"));
    more_.second = new QCheckBox(tr("a white card as reflector"));
    second_light_ = new QComboBox;
    second_light_->setAccessibleName(tr("Light of the second lamp"));
    second_light_->setToolTip(tr("Two lights on one chart: what no single balance can mend"));
    second_light_->addItem(tr("tungsten, as the first"));
    for (const char* name : {"window", "led", "flash"}) second_light_->addItem(tr(name), name);
    second_light_->setEnabled(false);
    connect(second_light_, &QComboBox::activated, this, [this] { emit more_.first->toggled(true); });
    form->addRow(more_.first, second_light_);
    form->addRow(more_.second);
    for (QCheckBox* box : {more_.first, more_.second}) {
        connect(box, &QCheckBox::toggled, this, [this] {
            second_light_->setEnabled(more_.first->isChecked());
            simulate::Studio s = plan_->studio();
            s.lamps.resize(1);
            if (more_.first->isChecked()) {
                simulate::Lamp other = s.lamps.front();
                other.at.x() = -other.at.x();
                if (const QString light = second_light_->currentData().toString(); !light.isEmpty())
                    other.light = simulate::light_named(light.toStdString());
                s.lamps.push_back(other);
            }
            s.reflector.reset();
            if (more_.second->isChecked()) s.reflector = simulate::Reflector{{0.9, 0.1, 0.7}, 0.8, 0.9};
            plan_->set(s);
            light();
        });
    }
    return page;
}

QWidget* PracticeView::make_proof() {
    tabs_->setDocumentMode(true);
    tabs_->setObjectName("practiceTabs");
    findings_->horizontalHeader()->setStretchLastSection(true);
    findings_->setWordWrap(true);
    tabs_->addTab(findings_, tr("The gate"));
    tabs_->addTab(make_light_controls(), tr("The set"));
    tabs_->addTab(records_, tr("Your record"));
    tabs_->addTab(new RehearsalPanel(desk_), tr("Rehearsal"));
    return tabs_;
}

void PracticeView::choose(Kind kind) {
    for (int i = 0; i < 6; ++i)
        if (all_kinds[i] == kind) kinds_->setCurrentRow(i);
}

void PracticeView::refresh() {
    show_records();
    const Kind kind = kind_at(kinds_->currentRow());
    tabs_->setTabVisible(1, kind == Kind::light_it);
    if (task_) return;
    question_->setText(tr("%1 \u2013 level %2 of %3")
                           .arg(qt(practice::title_of(kind)))
                           .arg(desk_.practice.level(kind))
                           .arg(practice::highest_level));
    caution_->clear();
    verdict_->clear();
    keep_->hide();
    findings_->setRowCount(0);
    qDeleteAll(answers_->findChildren<QPushButton*>(Qt::FindDirectChildrenOnly));
    delete answers_->layout();
    evidence_->setCurrentIndex(0);
    pictures_.front()->set_picture({},
                                   tr("Charts are learnt by spoiling them where it costs nothing.\nAsk for a task."));
    answers_->hide();
    next_->show();
    next_->setText(tr("A task"));
}

void PracticeView::next() {
    const Kind kind = kind_at(kinds_->currentRow());
    task_.reset();
    refresh();
    pictures_.front()->set_picture({}, tr("The frames of the task are being made \u2026"));
    desk_.practice.ask(kind);
}

void PracticeView::show_task(std::shared_ptr<const ReadyTask> task) {
    if (task->made.task.kind != kind_at(kinds_->currentRow())) return;
    task_ = std::move(task);
    const practice::Task& t = task_->made.task;
    question_->setText(qt(t.question));
    caution_->setText(qt(t.caution));
    verdict_->clear();
    findings_->setRowCount(0);
    next_->setText(tr("Another task"));
    next_->setVisible(t.kind != Kind::keep_which); // first these
    if (t.kind == Kind::light_it) {
        evidence_->setCurrentIndex(2);
        tabs_->setCurrentIndex(1);
        const simulate::Scene& s = t.shots.front().scene;
        const double values[] = {s.studio->lamps.front().at.y(), s.studio->lamps.front().radius_m,
                                 std::log2(s.white / 1.6), s.studio->chart_turn_deg, 9};
        for (std::size_t k = 0; k < set_.size(); ++k) {
            const QSignalBlocker quiet(set_[k]);
            set_[k]->setValue(values[k]);
        }
        for (QCheckBox* box : {more_.first, more_.second}) {
            const QSignalBlocker quiet(box);
            box->setChecked(false);
        }
        second_light_->setCurrentIndex(0);
        second_light_->setEnabled(false);
        plan_->set(*s.studio);
        show_answers();
        light();
        plan_->setFocus();
        return;
    }
    tabs_->setCurrentIndex(0);
    if (t.kind == Kind::keep_which) {
        evidence_->setCurrentIndex(1);
        for (int i = 0; i < small_pictures && i < static_cast<int>(task_->pictures.size()); ++i) {
            pictures_[static_cast<std::size_t>(i) + 1]->set_picture(task_->pictures[static_cast<std::size_t>(i)]);
            findChild<QCheckBox*>(QString("keep%1").arg(i))->setChecked(false);
        }
    } else {
        evidence_->setCurrentIndex(0);
        pictures_.front()->set_picture(task_->pictures.empty() ? Rendition{} : task_->pictures.front(),
                                       tr("No frame here: count."));
    }
    show_answers();
}

void PracticeView::show_answers() {
    qDeleteAll(answers_->findChildren<QPushButton*>(Qt::FindDirectChildrenOnly));
    delete answers_->layout();
    auto* column = new QVBoxLayout(answers_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    const practice::Task& t = task_->made.task;
    keep_->setVisible(t.kind == Kind::keep_which);
    answers_->setVisible(t.kind != Kind::keep_which && t.kind != Kind::light_it);
    if (t.kind == Kind::keep_which || t.kind == Kind::light_it) return;
    for (int i = 0; i < static_cast<int>(t.answers.size()); ++i) {
        auto* b = new QPushButton(QString("%1   %2").arg(i + 1).arg(qt(t.answers[static_cast<std::size_t>(i)])));
        b->setObjectName(QString("answer%1").arg(i));
        b->setStyleSheet("text-align: left; padding: 7px 12px;");
        b->setShortcut(QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + i)));
        b->setToolTip(tr("Ctrl+%1").arg(i + 1));
        connect(b, &QPushButton::clicked, this, [this, i] { answer({i}); });
        column->addWidget(b);
        b->show();
    }
}

void PracticeView::answer(const std::vector<int>& given) {
    if (!task_ || !verdict_->text().isEmpty()) return;
    const practice::Task& t = task_->made.task;
    const bool right = given == t.right;
    desk_.practice.answer(t, right);
    QStringList wanted;
    for (const int i : t.right) wanted << qt(t.answers[static_cast<std::size_t>(i)]);
    const QString guide =
        QUrl::fromLocalFile(qt((shipped("docs/guide") / t.guide.substr(0, t.guide.find('#'))).string())).toString();
    const QString told = right ? qt(t.reason)
                         : t.kind == Kind::what_wrong || wanted.isEmpty()
                             ? tr("It is: %1").arg(wanted.join(", "))
                             : tr("It is: %1. %2").arg(wanted.join(", "), qt(t.reason));
    verdict_->setText(
        tr("<b>%1</b> %2 <a href=\"%3\" style=\"color: %4\">The guide says more.</a>")
            .arg(right ? tr("Right.") : tr("Not so."), told.toHtmlEscaped(), guide, Theme::now().text.name()));
    verdict_->setOpenExternalLinks(true);
    if (!task_->made.frames.empty() && t.kind != Kind::keep_which) show_findings(task_->made.frames.front().judgement);
    if (t.kind == Kind::keep_which) {
        findings_->setRowCount(0);
        for (std::size_t i = 0; i < task_->made.frames.size(); ++i) {
            const auto& j = task_->made.frames[i].judgement;
            const int row = findings_->rowCount();
            findings_->insertRow(row);
            put(findings_, row,
                {tr("%1: %2").arg(qt(t.answers[i]),
                                  j.findings.empty() ? QString() : qt(inspect::name_of(j.findings.front().check))),
                 qt(inspect::name_of(j.verdict)), j.findings.empty() ? QString() : qt(j.findings.front().advice)});
        }
    }
    for (auto* b : answers_->findChildren<QPushButton*>()) {
        const int i = b->objectName().mid(6).toInt();
        const QString text = b->text().mid(4);
        if (std::find(t.right.begin(), t.right.end(), i) != t.right.end()) b->setText(tr("right:   %1").arg(text));
        else if (std::find(given.begin(), given.end(), i) != given.end()) b->setText(tr("yours:   %1").arg(text));
    }
    keep_->hide();
    next_->show();
    show_records();
    next_->setFocus();
}

void PracticeView::light() {
    if (!task_ || task_->made.task.kind != Kind::light_it) return;
    simulate::Studio s = plan_->studio();
    for (auto& lamp : s.lamps) {
        lamp.at.y() = set_[0]->value();
        lamp.radius_m = set_[1]->value();
    }
    s.chart_turn_deg = set_[3]->value();
    if (s.lamps.front().at != plan_->studio().lamps.front().at || s.chart_turn_deg != plan_->studio().chart_turn_deg)
        plan_->set(s);
    simulate::Scene scene = practice::studio_scene(s, set_[2]->value(), set_[3]->value(), set_[4]->value() / 100);
    desk_.practice.light(
        scene,
        [this](const Rendition& glance) {
            if (task_ && task_->made.task.kind == Kind::light_it) pictures_.back()->set_picture(glance);
        },
        [this](std::shared_ptr<const ReadyTask> frame) { lit(std::move(frame)); });
}

void PracticeView::lit(std::shared_ptr<const ReadyTask> frame) {
    if (!task_ || task_->made.task.kind != Kind::light_it) return;
    pictures_.back()->set_picture(frame->pictures.front());
    const inspect::Judgement& j = frame->made.frames.front().judgement;
    show_findings(j);
    const bool passes = j.verdict == inspect::Status::pass, solved = !verdict_->text().isEmpty();
    if (passes) {
        if (!solved) {
            desk_.practice.answer(task_->made.task, true);
            show_records();
        }
        caution_->setText(qt(task_->made.task.caution));
        verdict_->setText(tr("<b>The gate passes.</b> %1").arg(qt(task_->made.task.reason).toHtmlEscaped()));
    } else if (solved) // what is tried after that counts no more
        verdict_->setText(tr("<b>It passed; now the gate says %1.</b> %2")
                              .arg(qt(inspect::name_of(j.findings.front().check)).replace('_', ' ').toHtmlEscaped(),
                                   qt(j.findings.front().advice).toHtmlEscaped()));
    else
        caution_->setText(tr("The gate: %1. %2\n%3")
                              .arg(qt(inspect::name_of(j.findings.front().check)).replace('_', ' '),
                                   qt(j.findings.front().advice), qt(task_->made.task.caution)));
}

void PracticeView::show_findings(const inspect::Judgement& judgement) {
    findings_->setRowCount(0);
    for (const inspect::Finding& f : judgement.findings) {
        const int row = findings_->rowCount();
        findings_->insertRow(row);
        put(findings_, row,
            {qt(inspect::name_of(f.check)).replace('_', ' '), qt(inspect::name_of(f.status)), qt(f.advice)});
    }
    findings_->resizeRowsToContents();
}

void PracticeView::show_records() {
    const auto all = desk_.practice.records();
    records_->setRowCount(static_cast<int>(all.size()));
    for (int i = 0; i < static_cast<int>(all.size()); ++i) {
        const practice::Record& r = all[static_cast<std::size_t>(i)];
        put(records_, i,
            {qt(r.about), tr("%1 of %2").arg(r.right).arg(r.given),
             QString("%1 %").arg(100 * r.right / std::max(1, r.given))});
    }
}

} // namespace refero::app
