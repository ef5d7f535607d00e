#include "chart_editor.hpp"
#include "model/text.hpp"

#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QMessageBox>
#include <QVBoxLayout>
#include <cmath>

#include "chart_print.hpp"
#include "places/setup/page.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr const char* roles[] = {"neutral",   "skin", "sky",  "foliage", "primary",
                                 "secondary", "hue",  "warm", "cool",    "other"};
enum Column {
    id_column,
    x_column,
    y_column,
    w_column,
    h_column,
    role_column,
    l_column,
    a_column,
    b_column,
    column_count
};

QDoubleSpinBox* millimetres(double value, const QString& name) {
    auto* box = new QDoubleSpinBox;
    box->setRange(0, 2000);
    box->setDecimals(1);
    box->setValue(value);
    box->setSuffix(QObject::tr(" mm"));
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setAccessibleName(name);
    return box;
}

QString list(const std::vector<std::string>& all) {
    QStringList some;
    for (std::size_t i = 0; i < std::min<std::size_t>(6, all.size()); ++i) some << qt(all[i]);
    return some.join(", ") + (all.size() > 6 ? QObject::tr(" and %1 more").arg(all.size() - 6) : QString());
}

} // namespace

ChartEditor::ChartEditor(QWidget* parent)
    : QWidget(parent),
      start_(new QComboBox),
      illuminant_(new QComboBox),
      observer_(new QComboBox),
      id_(new QLineEdit),
      title_(new QLineEdit),
      columns_(new QSpinBox),
      rows_(new QSpinBox),
      patch_w_(millimetres(20, tr("Width of a patch"))),
      patch_h_(millimetres(20, tr("Height of a patch"))),
      gap_x_(millimetres(2, tr("Gap across"))),
      gap_y_(millimetres(2, tr("Gap down"))),
      map_(new PatchMap),
      table_(new QTableWidget),
      undo_(new QPushButton(icon("undo"), tr("Undo"))),
      save_(new QPushButton(tr("Save"))),
      remove_(new QPushButton(tr("Remove patch"))),
      words_(new FlowLabel) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* name = new QLabel(tr("Own charts"));
    name->setFont(title_font());
    outer->addWidget(name);
    auto* about = new FlowLabel(tr("Any card with flat patches can be a chart: lay out its patches, then bring "
                                   "measurements of it. Values are kept for D50 and 2 degrees."));
    about->setProperty("dim", true);
    outer->addWidget(about);
    auto* row = new QHBoxLayout;
    row->setSpacing(10);

    row->addLayout(make_table(), 1);
    row->addWidget(make_panel());
    outer->addLayout(row, 1);
    lay_out();
    before_.clear();
    show_all();
}

QWidget* ChartEditor::make_panel() {
    auto* panel = new QFrame;
    panel->setProperty("panel", true);
    panel->setFixedWidth(290);
    auto* side = new QVBoxLayout(panel);
    side->setContentsMargins(14, 12, 14, 12);
    auto* form = new QFormLayout;
    start_->setAccessibleName(tr("Start from"));
    start_->addItem(tr("a fresh grid"), QString());
    for (const chart::Definition& d : chart::installed())
        if (d.variant_of.empty()) start_->addItem(qt(d.title), qt(d.id));
    start_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    form->addRow(tr("Start from"), start_);
    id_->setPlaceholderText(tr("such as linen-7x5"));
    id_->setToolTip(tr("Short name for files and commands: letters, digits, hyphens"));
    form->addRow(tr("Id"), id_);
    form->addRow(tr("Title"), title_);
    for (QSpinBox* box : {columns_, rows_}) box->setRange(1, 200);
    columns_->setValue(6);
    rows_->setValue(4);
    const auto pair = [&](QWidget* a, QWidget* b) {
        auto* both = new QHBoxLayout;
        both->addWidget(a, 1);
        both->addWidget(new QLabel("\u00d7"));
        both->addWidget(b, 1);
        return both;
    };
    form->addRow(tr("Grid"), pair(columns_, rows_));
    form->addRow(tr("Patch"), pair(patch_w_, patch_h_));
    form->addRow(tr("Gaps"), pair(gap_x_, gap_y_));
    side->addLayout(form);
    auto* lay = new QPushButton(tr("Lay out the grid"));
    lay->setObjectName("layOut");
    lay->setToolTip(tr("Patches A1, A2 ... by these figures; single patches can be moved in the table"));
    side->addWidget(lay);
    side->addSpacing(6);
    auto* measured = new QLabel(tr("Measurements"));
    measured->setFont(title_font());
    side->addWidget(measured);
    illuminant_->addItems({"D50", "D55", "D65", "D75", "A"});
    observer_->addItems({tr("2 degrees"), tr("10 degrees")});
    illuminant_->setAccessibleName(tr("Illuminant of the measurements"));
    observer_->setAccessibleName(tr("Observer of the measurements"));
    illuminant_->setToolTip(tr("What XYZ and Lab are stated for, and what spectra are turned into values under"));
    auto* conditions = new QHBoxLayout;
    conditions->addWidget(illuminant_);
    conditions->addWidget(observer_);
    side->addLayout(conditions);
    auto* bring = new QPushButton(icon("open"), tr("Bring measurements \u2026"));
    bring->setToolTip(
        tr("CGATS or CSV with XYZ, Lab or spectra; several files are averaged, and what falls out is named"));
    side->addWidget(bring);
    words_->setObjectName("chartWords");
    side->addWidget(words_);
    side->addStretch();
    auto* ends = new QHBoxLayout;
    auto* print = new QPushButton(tr("Print \u2026"));
    print->setObjectName("printChart");
    print->setToolTip(tr("A PDF true to size, with registration marks; a print needs measuring before it is used"));
    connect(print, &QPushButton::clicked, this, &ChartEditor::print);
    ends->addWidget(undo_);
    ends->addWidget(print);
    save_->setProperty("primary", true);
    save_->setObjectName("saveChart");
    ends->addWidget(save_, 1);
    side->addLayout(ends);

    connect(start_, &QComboBox::activated, this,
            [this](int i) { i == 0 ? lay_out() : start_from(start_->itemData(i).toString().toStdString()); });
    connect(lay, &QPushButton::clicked, this, &ChartEditor::lay_out);
    connect(bring, &QPushButton::clicked, this, [this] {
        std::vector<std::filesystem::path> files;
        for (const QString& f :
             QFileDialog::getOpenFileNames(this, tr("Measurements of the chart"), last_folder(),
                                           tr("Measurements (*.cgats *.txt *.csv *.tsv);;All files (*)")))
            files.emplace_back(f.toStdString());
        if (!files.empty()) import(files);
    });
    connect(undo_, &QPushButton::clicked, this, &ChartEditor::undo);
    connect(save_, &QPushButton::clicked, this, &ChartEditor::save);
    return panel;
}

QLayout* ChartEditor::make_table() {
    auto* left = new QVBoxLayout;
    map_->setToolTip(tr("The chart, each patch with its lightness L*"));
    left->addWidget(map_);
    table_->setColumnCount(column_count);
    table_->setHorizontalHeaderLabels(
        {tr("Patch"), tr("x, mm"), tr("y, mm"), tr("Width"), tr("Height"), tr("Role"), "L*", "a*", "b*"});
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->verticalHeader()->hide();
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setAccessibleName(tr("Patches of the chart"));
    const int widths[] = {70, 70, 70, 70, 70, 100, 70, 70, 70};
    for (int c = 0; c < column_count; ++c) table_->setColumnWidth(c, widths[c]);
    table_->horizontalHeader()->setStretchLastSection(true);
    left->addWidget(table_, 1);
    auto* below = new QHBoxLayout;
    auto* add = new QPushButton(tr("Add patch"));
    add->setToolTip(tr("Below the others; move it in the table"));
    below->addWidget(add);
    below->addWidget(remove_);
    below->addStretch();
    left->addLayout(below);
    connect(table_, &QTableWidget::cellChanged, this, &ChartEditor::cell_edited);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int r) {
        if (r >= 0 && table_->item(r, 0)) map_->select_patch(table_->item(r, 0)->text());
    });
    connect(map_, &PatchMap::patch_chosen, this,
            [this](const QString& id) { table_->selectRow(now_.definition.index_of(id.toStdString())); });
    connect(add, &QPushButton::clicked, this, [this] {
        State next = now_;
        const double y = next.definition.patches.empty() ? 0 : next.definition.height_mm + gap_y_->value();
        int n = static_cast<int>(next.definition.patches.size()) + 1;
        while (next.definition.index_of("P" + std::to_string(n)) >= 0) ++n;
        next.definition.patches.push_back(
            {"P" + std::to_string(n), 0, y, patch_w_->value(), patch_h_->value(), "other"});
        change(std::move(next));
    });
    connect(remove_, &QPushButton::clicked, this, [this] {
        const int r = table_->currentRow();
        if (r < 0 || now_.definition.patches.size() < 2) return;
        State next = now_;
        next.reference.xyz.erase(next.definition.patches[static_cast<std::size_t>(r)].id);
        next.reference.spectrum.erase(next.definition.patches[static_cast<std::size_t>(r)].id);
        next.definition.patches.erase(next.definition.patches.begin() + r);
        change(std::move(next));
    });
    return left;
}

void ChartEditor::start_from(const std::string& id) {
    try {
        State next{chart::find_definition(id), {}};
        if (!next.definition.reference_file.empty()) next.reference = chart::reference_of(next.definition);
        id_->setText(qt(id) + "-own");
        title_->setText(qt(next.definition.title));
        start_->setCurrentIndex(std::max(0, start_->findData(qt(id))));
        change(std::move(next));
        tell(tr("The values are those of %1: bring measurements of your own card.").arg(qt(id)));
    } catch (const Error& e) { tell(QString::fromUtf8(e.what()), true); }
}

void ChartEditor::lay_out() {
    try {
        State next = now_;
        next.definition = chart::grid(columns_->value(), rows_->value(), patch_w_->value(), patch_h_->value(),
                                      gap_x_->value(), gap_y_->value());
        for (chart::Patch& p : next.definition.patches)
            if (const int old = now_.definition.index_of(p.id); old >= 0)
                p.role = now_.definition.patches[static_cast<std::size_t>(old)].role;
        std::erase_if(next.reference.xyz, [&](const auto& v) { return next.definition.index_of(v.first) < 0; });
        std::erase_if(next.reference.spectrum, [&](const auto& v) { return next.definition.index_of(v.first) < 0; });
        change(std::move(next));
        tell(tr("%1 patches. Bring measurements to give them values.").arg(now_.definition.patches.size()));
    } catch (const Error& e) { tell(QString::fromUtf8(e.what()), true); }
}

void ChartEditor::import(const std::vector<std::filesystem::path>& files) {
    using chart::Conditions;
    const Conditions conditions{static_cast<Conditions::Illuminant>(illuminant_->currentIndex()),
                                static_cast<Conditions::Observer>(observer_->currentIndex())};
    try {
        std::vector<chart::Series> series;
        for (const auto& file : files) series.push_back(chart::load_series(file, conditions));
        chart::Averaged mean = chart::average(now_.definition, series);
        if (mean.reference.xyz.empty())
            return tell(tr("None of the names in %1 is a patch of this chart: %2.")
                            .arg(qt(files.front().filename().string()), list(mean.unknown)),
                        true);
        State next = now_;
        for (auto& [id, xyz] : mean.reference.xyz) next.reference.xyz[id] = xyz;
        for (auto& [id, spectrum] : mean.reference.spectrum) next.reference.spectrum[id] = spectrum;
        for (chart::Patch& p : next.definition.patches)
            if (const auto xyz = mean.reference.xyz.find(p.id); p.role == "other" && xyz != mean.reference.xyz.end())
                p.role = chart::likely_role(xyz->second);
        change(std::move(next));
        QStringList words{tr("%1 of %2 patches measured, %n series.", nullptr, static_cast<int>(series.size()))
                              .arg(mean.reference.xyz.size())
                              .arg(now_.definition.patches.size())};
        double worst = 0;
        for (const auto& [id, spread] : mean.spread) worst = std::max(worst, spread);
        if (!mean.spread.empty()) words << tr("They agree within CIEDE2000 %1.").arg(worst, 0, 'f', 2);
        for (std::size_t i = 0; i < std::min<std::size_t>(4, mean.outliers.size()); ++i)
            words << tr("Left out: %1 in %2, CIEDE2000 %3 off.")
                         .arg(qt(mean.outliers[i].id), qt(mean.outliers[i].file.filename().string()))
                         .arg(mean.outliers[i].delta_e_2000, 0, 'f', 1);
        if (!mean.missing.empty()) words << tr("Without a value: %1.").arg(list(mean.missing));
        if (!mean.unknown.empty()) words << tr("Not on the chart: %1.").arg(list(mean.unknown));
        tell(words.join(" "));
    } catch (const Error& e) { tell(QString::fromUtf8(e.what()), true); }
}

void ChartEditor::save() {
    const QString id = id_->text().trimmed();
    if (id.isEmpty() || !std::all_of(id.begin(), id.end(),
                                     [](QChar c) { return (c.isLetterOrNumber() && c.unicode() < 128) || c == '-'; })) {
        id_->setFocus();
        return tell(tr("Give the chart an id of letters, digits and hyphens."), true);
    }
    try {
        chart::Definition d = now_.definition;
        d.id = id.toStdString();
        d.title = title_->text().trimmed().isEmpty() ? d.id : title_->text().trimmed().toStdString();
        for (const chart::Patch& p : d.patches)
            if (!now_.reference.xyz.empty() && !now_.reference.xyz.contains(p.id))
                return tell(tr("Patch %1 has no value: measure it, or remove it.").arg(qt(p.id)), true);
        // A chart of this id that is not the one being edited, or saved here before, is somebody's.
        const auto installed = chart::installed();
        const bool taken = std::any_of(installed.begin(), installed.end(), [&](const auto& c) { return c.id == d.id; });
        if (taken && !own_ids_.contains(d.id) &&
            !ask(tr("There is a chart %1 already. Replace it and its values?").arg(id)))
            return tell(tr("The chart %1 stays as it was. Give this one another id.").arg(id), true);
        chart::install(d, now_.reference);
        own_ids_.insert(d.id);
        tell(tr("Saved. The chart is looked for from now on, as %1.").arg(id) +
             (d.patches.size() < 8 ? tr(" With fewer than 8 patches it is found by hand only.") : QString()));
        emit saved(id);
    } catch (const std::exception& e) { tell(QString::fromUtf8(e.what()), true); }
}

bool ChartEditor::ask(const QString& question) {
    if (asked) return asked(question);
    return QMessageBox::question(this, tr("Refero"), question) == QMessageBox::Yes;
}

void ChartEditor::print() {
    const QString name = id_->text().trimmed().isEmpty() ? tr("chart") : id_->text().trimmed();
    const QString file =
        QFileDialog::getSaveFileName(this, tr("Print a chart"), last_folder() + "/" + name + ".pdf", tr("PDF (*.pdf)"));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    chart::Definition d = now_.definition;
    d.id = name.toStdString();
    d.title = title_->text().trimmed().isEmpty() ? d.id : title_->text().trimmed().toStdString();
    try {
        print_chart(d, now_.reference, file.toStdString(), Existing::replace); // the dialog asked
        tell(tr("Written to %1. Print it without scaling and without colour changes, let it dry, measure it, and bring "
                "its values.")
                 .arg(file));
    } catch (const std::exception& e) { tell(QString::fromUtf8(e.what()), true); }
}

void ChartEditor::take(const chart::Definition& definition, const chart::Reference& reference, const QString& told) {
    id_->clear();
    title_->clear();
    change({definition, reference});
    tell(told);
    id_->setFocus();
}

void ChartEditor::undo() {
    if (before_.empty()) return;
    now_ = std::move(before_.back());
    before_.pop_back();
    show_all();
}

void ChartEditor::change(State next) {
    // The array reaches from its first to its last patch.
    double right = 0, bottom = 0;
    for (const chart::Patch& p : next.definition.patches) {
        right = std::max(right, p.x_mm + p.w_mm);
        bottom = std::max(bottom, p.y_mm + p.h_mm);
    }
    next.definition.width_mm = right;
    next.definition.height_mm = bottom;
    before_.push_back(std::move(now_));
    now_ = std::move(next);
    show_all();
}

void ChartEditor::show_all() {
    filling_ = true;
    const auto& d = now_.definition;
    std::vector<double> lightness(d.patches.size(), NAN);
    std::vector<QColor> colours(d.patches.size());
    table_->setRowCount(static_cast<int>(d.patches.size()));
    for (std::size_t i = 0; i < d.patches.size(); ++i) {
        const chart::Patch& p = d.patches[i];
        QStringList cells{qt(p.id),
                          QString::number(p.x_mm, 'g', 6),
                          QString::number(p.y_mm, 'g', 6),
                          QString::number(p.w_mm, 'g', 6),
                          QString::number(p.h_mm, 'g', 6),
                          qt(p.role),
                          {},
                          {},
                          {}};
        if (const auto xyz = now_.reference.xyz.find(p.id); xyz != now_.reference.xyz.end()) {
            const auto lab = colour::lab_from_xyz(xyz->second);
            lightness[i] = lab[0];
            colours[i] = colour_of(xyz->second);
            for (int c = 0; c < 3; ++c)
                cells[l_column + c] = QString::number(std::abs(lab[c]) < 0.005 ? 0.0 : lab[c], 'f', 2);
        }
        for (int c = 0; c < column_count; ++c) {
            if (!table_->item(static_cast<int>(i), c)) table_->setItem(static_cast<int>(i), c, new QTableWidgetItem);
            table_->item(static_cast<int>(i), c)->setText(cells[c]);
        }
    }
    map_->set(d, lightness, 100, 0, 0, "L*");
    map_->set_colours(colours);
    undo_->setEnabled(!before_.empty());
    filling_ = false;
}

void ChartEditor::cell_edited(int row, int column) {
    if (filling_) return;
    State next = now_;
    chart::Patch& p = next.definition.patches[static_cast<std::size_t>(row)];
    const QString text = table_->item(row, column)->text().trimmed();
    bool number = false;
    const double v = QString(text).replace(',', '.').toDouble(&number);
    QString problem;
    if (column == id_column) {
        const int other = now_.definition.index_of(text.toStdString());
        if (text.isEmpty() || (other >= 0 && other != row)) problem = tr("Each patch needs a name of its own.");
        else {
            const std::string old = p.id;
            p.id = text.toStdString();
            if (auto node = next.reference.xyz.extract(old)) {
                node.key() = p.id;
                next.reference.xyz.insert(std::move(node));
            }
            if (auto node = next.reference.spectrum.extract(old)) {
                node.key() = p.id;
                next.reference.spectrum.insert(std::move(node));
            }
        }
    } else if (column == role_column) {
        if (std::none_of(std::begin(roles), std::end(roles), [&](const char* r) { return text == r; }))
            problem = tr("Roles: neutral, skin, sky, foliage, primary, secondary, hue, warm, cool, other.");
        p.role = text.toStdString();
    } else if (!number || !std::isfinite(v)) {
        problem = tr("%1 is not a number.").arg(text);
    } else if (column <= h_column) {
        double* parts[] = {&p.x_mm, &p.y_mm, &p.w_mm, &p.h_mm};
        if (v < 0 || v > 2000 || (column >= w_column && v == 0))
            problem = tr("Patches lie right of and below the corner, and have an area; millimetres, at most 2000.");
        *parts[column - x_column] = v;
    } else {
        colour::Vec3 lab(50, 0, 0);
        if (const auto xyz = next.reference.xyz.find(p.id); xyz != next.reference.xyz.end())
            lab = colour::lab_from_xyz(xyz->second);
        lab[column - l_column] = v;
        if (lab[0] < 0 || lab[0] > 110 || lab.tail<2>().cwiseAbs().maxCoeff() > 200)
            problem = tr("L* goes from 0 to 100, a* and b* hardly beyond 130.");
        next.reference.xyz[p.id] = colour::xyz_from_lab(lab);
        next.reference.spectrum.erase(p.id); // it does not hold any more
    }
    if (!problem.isEmpty()) {
        tell(problem, true);
        show_all();
        return;
    }
    change(std::move(next));
    tell({});
}

void ChartEditor::tell(const QString& words, bool problem) {
    words_->setText(words);
    QFont font = words_->font();
    font.setWeight(problem ? QFont::DemiBold : QFont::Normal);
    words_->setFont(font);
}

} // namespace refero::app
