#include "rehearsal_panel.hpp"

#include <set>

#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>

#include "places/setup/page.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {
constexpr std::size_t most_tried = 6; ///< that stand side by side
constexpr const char* lights[] = {"window", "tungsten", "led", "flash", "fluorescent"};

/// Ids of the installed charts that can be rehearsed: those with reference values.
QStringList charts_with_values() {
    QStringList ids;
    for (const chart::Definition& d : chart::installed()) try {
            chart::reference_of(d);
            ids << qt(d.id);
        } catch (const Error&) { // nothing to fit to
        }
    return ids;
}
} // namespace

RehearsalPanel::RehearsalPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      camera_(new QComboBox),
      light_(new QComboBox),
      lens_(new QComboBox),
      chart_(new QComboBox),
      lending_(new QComboBox),
      own_(new FlowLabel),
      table_(plain_table({{tr("Expected of"), {}}}, tr("Expected errors"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 8, 8, 8);
    column->addWidget(
        new FlowLabel(tr("Try a camera, a light, a lens or a chart before it is bought or hired. Each try "
                         "stands beside the last ones.")));
    const auto fill = [](QComboBox* box, const QStringList& entries, const QString& name, const QString& tip) {
        box->addItems(entries);
        box->setAccessibleName(name);
        box->setToolTip(tip);
    };
    QStringList known;
    for (const char* l : lights) known << l;
    fill(camera_, {"stills-a", "stills-b", "cine-a", "cine-b", tr("sensitivities from a table \u2026")}, tr("Camera"),
         tr("A table holds the wavelength in nm, then red, green and blue"));
    fill(light_, known + QStringList{tr("a spectrum from a table \u2026")}, tr("Light"),
         tr("A table holds the wavelength in nm, then the power"));
    fill(lens_, {tr("without a tint"), tr("transmittance from a table \u2026")}, tr("Lens"),
         tr("A table holds the wavelength in nm, then the share that passes"));
    fill(chart_, charts_with_values(), tr("Chart"), tr("Charts that have reference values"));
    fill(lending_, QStringList{tr("in this light")} + known, tr("Chart shot"),
         tr("What a chart shot in this light brings: the errors with the correction of another light, balanced here on "
            "a grey"));
    chart_->setCurrentText("grid24");
    auto* form = new QGridLayout;
    const auto place = [&](const QString& text, QComboBox* box, int row, int column_at) {
        auto* label = new QLabel(text);
        label->setBuddy(box);
        form->addWidget(label, row, column_at);
        form->addWidget(box, row, column_at + 1);
        form->setColumnStretch(column_at + 1, 1);
    };
    place(tr("&Camera"), camera_, 0, 0);
    place(tr("&Light"), light_, 0, 2);
    place(tr("Le&ns"), lens_, 1, 0);
    place(tr("C&hart"), chart_, 1, 2);
    place(tr("Chart s&hot"), lending_, 2, 0);
    column->addLayout(form);
    own_->setProperty("dim", true);
    auto* row = new QHBoxLayout;
    const auto add = [&](const QString& text, const char* name, auto slot) {
        auto* button = new QPushButton(text);
        button->setObjectName(name);
        connect(button, &QPushButton::clicked, this, slot);
        row->addWidget(button);
        return button;
    };
    add(tr("Rehearse it"), "rehearse", &RehearsalPanel::rehearse)->setProperty("primary", true);
    add(tr("Own surfaces \u2026"), "ownSurfaces", &RehearsalPanel::load_surfaces)
        ->setToolTip(tr("Reflectances from a table: the wavelength in nm, then one column for each surface, or CGATS"));
    add(tr("Clear"), "clearRehearsals", [this] {
        tried_.clear();
        show_tried();
    })->setToolTip(tr("Forget what was tried"));
    row->addStretch();
    column->addLayout(row);
    column->addWidget(own_);
    column->addWidget(table_, 1);
    own_->hide();
}

QString RehearsalPanel::ask_for_table(const QString& title) {
    return QFileDialog::getOpenFileName(this, title, last_folder(), tr("Tables (*.csv *.txt *.cgats);;All files (*)"));
}

void RehearsalPanel::load_surfaces() {
    const QString file = ask_for_table(tr("Reflectances of surfaces"));
    if (file.isEmpty() || !desk_.notices.guarded([&] { surfaces_ = operations::load_shares(file.toStdString()); }))
        return;
    own_->setText(tr("Own surfaces: %1 of %2").arg(surfaces_.size()).arg(QFileInfo(file).fileName()));
    own_->show();
}

void RehearsalPanel::rehearse() {
    operations::Thought thought;
    QStringList title;
    const auto chosen = [&](QComboBox* box, const QString& what, auto known, auto load) {
        if (box->currentIndex() < box->count() - 1) {
            known(box->currentText().toStdString());
            title << box->currentText();
            return true;
        }
        const QString file = ask_for_table(what);
        title << QFileInfo(file).completeBaseName();
        return !file.isEmpty() && desk_.notices.guarded([&] { load(fs::path(file.toStdString())); });
    };
    const bool whole = chosen(
                           camera_, tr("Sensitivities of a camera"),
                           [&](const std::string& id) { thought.sensitivity = simulate::camera_named(id).sensitivity; },
                           [&](const fs::path& file) { thought.sensitivity = operations::load_sensitivities(file); }) &&
                       chosen(
                           light_, tr("Spectrum of a light"),
                           [&](const std::string& id) { thought.light = simulate::light_named(id); },
                           [&](const fs::path& file) { thought.light = operations::load_spectra(file).front(); }) &&
                       chosen(
                           lens_, tr("Transmittance of a lens"), [](const std::string&) {},
                           [&](const fs::path& file) { thought.lens = operations::load_shares(file).front(); });
    if (!whole) return;
    if (lens_->currentIndex() == 0) title.removeLast();
    thought.chart = chart_->currentText().toStdString();
    title << chart_->currentText();
    if (lending_->currentIndex() > 0) {
        thought.lending = simulate::light_named(lending_->currentText().toStdString());
        title << tr("or lent: %1").arg(lending_->currentText());
    }
    thought.surfaces = surfaces_;
    desk_.practice.rehearse(thought, [this, title](const practice::Rehearsal& r) {
        tried_.push_back({title.join("\n"), r});
        if (tried_.size() > most_tried) tried_.erase(tried_.begin());
        show_tried();
    });
}

void RehearsalPanel::show_tried() {
    std::set<std::string> kinds, lent;
    for (const Tried& t : tried_) {
        for (const auto& [kind, error] : t.outcome.delta_e) kinds.insert(kind);
        for (const auto& [kind, error] : t.outcome.lent) lent.insert(kind);
    }
    using Figure = std::function<QString(const practice::Rehearsal&)>;
    std::vector<std::pair<QString, Figure>> rows;
    const auto error_of = [](const std::map<std::string, double>& all, const std::string& kind) {
        const auto at = all.find(kind);
        return at == all.end() ? QString::fromUtf8("\u2013") : QString::number(at->second, 'f', 2);
    };
    for (const std::string& kind : kinds)
        rows.emplace_back(tr("%1, \u0394E").arg(qt(kind)),
                          [=](const practice::Rehearsal& r) { return error_of(r.delta_e, kind); });
    for (const std::string& kind : lent)
        rows.emplace_back(tr("%1, \u0394E, correction lent").arg(qt(kind)),
                          [=](const practice::Rehearsal& r) { return error_of(r.lent, kind); });
    if (!tried_.empty()) {
        rows.emplace_back(tr("light"), [](const practice::Rehearsal& r) {
            return tr("%1 K, Duv %2").arg(r.light.kelvin, 0, 'f', 0).arg(QString::asprintf("%+.4f", r.light.duv));
        });
        rows.emplace_back(tr("spectral similarity, of 100"),
                          [](const practice::Rehearsal& r) { return QString::number(r.similarity, 'f', 0); });
        rows.emplace_back(tr("metameric pairs part by, \u0394E"),
                          [](const practice::Rehearsal& r) { return QString::number(r.metamerism, 'f', 2); });
    }
    QStringList heads{tr("Expected of")};
    for (const Tried& t : tried_) heads << t.title;
    table_->setColumnCount(static_cast<int>(heads.size()));
    table_->setHorizontalHeaderLabels(heads);
    table_->setRowCount(static_cast<int>(rows.size()));
    for (int i = 0; i < table_->rowCount(); ++i) {
        const auto& [name, figure] = rows[static_cast<std::size_t>(i)];
        table_->setItem(i, 0, new QTableWidgetItem(name));
        for (std::size_t k = 0; k < tried_.size(); ++k)
            table_->setItem(i, static_cast<int>(k) + 1, new QTableWidgetItem(figure(tried_[k].outcome)));
    }
}

} // namespace refero::app
