#include "elsewhere_panel.hpp"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "model/model.hpp"
#include "page.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

ElsewherePanel::ElsewherePanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      table_(plain_table(
          {{tr("Correction"), tr("Imported; the first is what the matrix in the raw file makes of the colours")},
           {tr("Kind"), {}},
           {tr("As it is"), tr("Mean CIEDE2000 on this chart shot, exposure scaled to the white patch. It was not "
                               "fitted to it: this is evidence")},
           {tr("Worst"), tr("The patch that is furthest off")},
           {tr("Trimmed"), tr("Mean CIEDE2000 with a small correction after it, a matrix, on patches held out")},
           {tr(""), {}}},
          tr("Imported"))),
      open_(new QPushButton(tr("Open one \u2026"))),
      trim_(new QPushButton(tr("Write it trimmed \u2026"))),
      remove_(new QPushButton(tr("Remove"))),
      input_(new QComboBox),
      space_(new QComboBox),
      balanced_(new QCheckBox(tr("on balanced RGB"))) {
    table_->setObjectName("elsewhere");
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (const int k : {2, 4}) table_->horizontalHeaderItem(k)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    open_->setObjectName("openElsewhere");
    open_->setToolTip(tr("A LUT (.cube, .clf, .spi3d \u2026), an ICC profile, a CDL, or a matrix of nine numbers"));
    trim_->setToolTip(tr("Writes the chosen one and a small fitted correction after it as one cube"));
    for (const char* name : {"linear", "srgb", "bt709", "bt1886", "oprgb", "hlg", "pq", "acescct"})
        input_->addItem(name);
    for (const auto& space : colour::rgb_spaces()) space_->addItem(qt(space.name));
    input_->setToolTip(tr("Encoding of the code values that it takes"));
    space_->setToolTip(tr("Colour space of what it gives"));
    balanced_->setToolTip(tr("It expects RGB that is balanced and exposed; else it takes camera RGB as recorded"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    row->addWidget(open_);
    row->addStretch();
    row->addWidget(new QLabel(tr("Takes")));
    row->addWidget(input_);
    row->addWidget(balanced_);
    row->addWidget(new QLabel(tr("gives")));
    row->addWidget(space_);
    row->addStretch();
    row->addWidget(trim_);
    row->addWidget(remove_);
    column->addLayout(row);
    connect(open_, &QPushButton::clicked, this, &ElsewherePanel::open);
    connect(trim_, &QPushButton::clicked, this, &ElsewherePanel::write_trimmed);
    connect(remove_, &QPushButton::clicked, this, &ElsewherePanel::remove);
    for (QComboBox* box : {input_, space_}) connect(box, &QComboBox::activated, this, &ElsewherePanel::change_usage);
    connect(balanced_, &QCheckBox::clicked, this, &ElsewherePanel::change_usage);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int now) {
        show_usage();
        if (now < 0) return;
        Comparison with;
        const int i = other();
        with.with = i < 0 ? Comparison::With::standard : Comparison::With::elsewhere;
        if (i >= 0) with.other = desk_.chains.at(setup_).settings.others[static_cast<std::size_t>(i)];
        emit compare(with);
    });
}

int ElsewherePanel::other() const {
    const int i = table_->currentRow() - (standard_ ? 1 : 0);
    return table_->currentRow() >= 0 && desk_.chains.has(setup_) &&
                   i < static_cast<int>(desk_.chains.at(setup_).settings.others.size())
               ? i
               : -1;
}

void ElsewherePanel::show_usage() {
    const int i = other();
    for (QWidget* w : std::initializer_list<QWidget*>{input_, space_, balanced_, trim_, remove_}) w->setEnabled(i >= 0);
    if (i < 0) return;
    const prove::Usage& usage = desk_.chains.at(setup_).settings.others[static_cast<std::size_t>(i)].usage;
    input_->setCurrentText(qt(usage.input_encoding));
    space_->setCurrentText(qt(usage.space));
    balanced_->setChecked(usage.balanced);
}

void ElsewherePanel::change_usage() {
    const int i = other();
    if (i < 0) return;
    Settings s = desk_.chains.at(setup_).settings;
    s.others[static_cast<std::size_t>(i)].usage = {input_->currentText().toStdString(),
                                                   space_->currentText().toStdString(), balanced_->isChecked()};
    desk_.setups.change(setup_, s, tr("How %1 is used").arg(name_of_file(s.others[static_cast<std::size_t>(i)].file)));
}

void ElsewherePanel::open() {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Import a correction"), last_folder(),
        tr("Corrections (*.cube *.clf *.ctf *.spi3d *.3dl *.cdl *.cc *.ccc *.icc *.icm *.txt *.mat *.json)"));
    if (file.isEmpty() || !desk_.chains.has(setup_)) return;
    remember_folder(QFileInfo(file).path());
    Settings s = desk_.chains.at(setup_).settings;
    const fs::path path = file.toStdString();
    s.others.push_back({path, prove::usual_for(path)});
    desk_.setups.change(setup_, s, tr("Open %1").arg(name_of_file(path)));
}

void ElsewherePanel::remove() {
    const int i = other();
    if (i < 0) return;
    Settings s = desk_.chains.at(setup_).settings;
    const QString name = name_of_file(s.others[static_cast<std::size_t>(i)].file);
    s.others.erase(s.others.begin() + i);
    desk_.setups.change(setup_, s, tr("Remove %1").arg(name));
}

void ElsewherePanel::write_trimmed() {
    const int i = other();
    if (i < 0) return;
    const prove::Named n = desk_.chains.at(setup_).settings.others[static_cast<std::size_t>(i)];
    const QString file = QFileDialog::getSaveFileName(
        this, tr("Write it trimmed"), last_folder() + "/" + qt(n.file.stem().string()) + "-trimmed.cube",
        tr("LUT (*.cube)"));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    desk_.handovers.write_trimmed(setup_, n, file.toStdString());
}

void ElsewherePanel::show_setup(Id setup) {
    setup_ = setup;
    const Chain& s = desk_.chains.at(setup);
    open_->setEnabled(s.balance.has_value());
    const std::string now = formatted("{}|{}|", setup, s.chart_shot) + (s.balance ? s.balance->white_patch : "") +
                            formatted("|{}|", static_cast<const void*>(s.shot.get())) +
                            prove::text_of(s.settings.others);
    if (now == judged_) return show_usage();
    judged_ = now;
    desk_.setups.judge_others(setup, [this, request = ++request_](const std::vector<Judged>& all) {
        if (request == request_) fill(all);
    });
}

void ElsewherePanel::fill(const std::vector<Judged>& all) {
    const QSignalBlocker quiet(table_);
    const int row = table_->currentRow();
    standard_ = desk_.chains.has(setup_) && all.size() > desk_.chains.at(setup_).settings.others.size();
    table_->setRowCount(static_cast<int>(all.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const Judged& j = all[static_cast<std::size_t>(r)];
        const bool known = j.problem.empty();
        const QString texts[] = {j.file.empty() ? tr("Raw file's own matrix") : name_of_file(j.file),
                                 qt(j.kind),
                                 known ? QString::number(j.as_it_is.mean, 'f', 2) : QString(),
                                 known ? QString("%1  %2").arg(qt(j.worst)).arg(j.as_it_is.max, 0, 'f', 1) : QString(),
                                 known ? QString::number(j.trimmed_left_out.mean, 'f', 2) : QString(),
                                 qt(j.problem)};
        for (int k = 0; k < 6; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setTextAlignment((k == 2 || k == 4 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            if (k == 5) item->setToolTip(qt(j.problem));
            table_->setItem(r, k, item);
        }
    }
    if (row < table_->rowCount()) table_->setCurrentCell(row, 0);
    show_usage();
}

} // namespace refero::app
