#include "values_panel.hpp"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include "page.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

ValuesPanel::ValuesPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      state_(new FlowLabel),
      words_(new FlowLabel),
      illuminant_(new QComboBox),
      observer_(new QComboBox),
      file_(new QPushButton(tr("Bring this chart's values \u2026"))),
      paste_(new QPushButton(tr("Paste"))),
      use_(new QPushButton(tr("Use these values"))),
      table_(plain_table({{tr("Patch"), {}},
                          {tr("L*"), tr("Lightness, CIELAB, D50")},
                          {tr("a*"), tr("Green to red, CIELAB, D50")},
                          {tr("b*"), tr("Blue to yellow, CIELAB, D50")},
                          {tr("\u0394E"), tr("CIEDE2000 between the value in force and the one that is brought")}},
                         tr("Values of the chart's patches"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 0);
    words_->setObjectName("valuesWords");
    state_->setObjectName("valuesState");
    column->addWidget(state_);
    auto* row = new QHBoxLayout;
    file_->setToolTip(tr("A maker's table for this very card, or your own instrument's: CGATS or CSV with one row for "
                         "each patch, XYZ, L*a*b* or spectra"));
    paste_->setToolTip(tr("The same from the clipboard, copied from a spreadsheet or a page"));
    illuminant_->addItems({"D50", "D55", "D65", "D75", "A"});
    observer_->addItems({tr("2 degrees"), tr("10 degrees")});
    illuminant_->setToolTip(tr("Illuminant that the values are stated for"));
    observer_->setToolTip(tr("Observer that the values are stated for"));
    illuminant_->setAccessibleName(illuminant_->toolTip());
    observer_->setAccessibleName(observer_->toolTip());
    use_->setObjectName("useValues");
    use_->setProperty("primary", true);
    for (QWidget* w : std::initializer_list<QWidget*>{file_, paste_, illuminant_, observer_}) row->addWidget(w);
    row->addStretch();
    column->addLayout(row);
    column->addWidget(words_);
    auto* decide = new QHBoxLayout;
    decide->addWidget(use_);
    decide->addStretch();
    column->addLayout(decide);
    column->addWidget(table_, 1);
    connect(file_, &QPushButton::clicked, this, &ValuesPanel::open_file);
    connect(paste_, &QPushButton::clicked, this,
            [this] { bring(QApplication::clipboard()->text().toStdString(), {}); });
    connect(use_, &QPushButton::clicked, this, &ValuesPanel::take);
    for (QComboBox* box : {illuminant_, observer_}) connect(box, &QComboBox::activated, this, &ValuesPanel::check);
}

void ValuesPanel::open_file() {
    const QString file = QFileDialog::getOpenFileName(this, tr("Values of this chart"), last_folder(),
                                                      tr("Tables (*.cgats *.txt *.csv *.tsv)"));
    if (file.isEmpty()) return;
    desk_.notices.guarded([&] { bring(read_file(file.toStdString(), 16 << 20), file.toStdString()); });
}

void ValuesPanel::bring(const std::string& table, const fs::path& file) {
    table_text_ = table;
    table_file_ = file;
    check();
}

void ValuesPanel::check() {
    brought_.reset();
    if (!desk_.chains.has(setup_) || !desk_.chains.at(setup_).shot || table_text_.empty()) return;
    const chart::Definition& d = desk_.chains.at(setup_).shot->definition;
    const chart::Conditions conditions{static_cast<chart::Conditions::Illuminant>(illuminant_->currentIndex()),
                                       static_cast<chart::Conditions::Observer>(observer_->currentIndex())};
    try {
        brought_ = chart::bring_values(d, now_.get(), table_text_, table_file_, conditions);
        words_->setText(now_ ? tr("They differ from those in force by \u0394E %1 on average, most at %2 (%3).")
                                   .arg(brought_->mean, 0, 'f', 2)
                                   .arg(qt(brought_->changed.front().first))
                                   .arg(brought_->changed.front().second, 0, 'f', 2)
                             : tr("They are the first that this chart gets."));
        show_table(brought_->reference, brought_->changed);
    } catch (const Error& e) {
        words_->setText(qt(e.sentences()));
        if (now_) show_table(*now_, {});
    }
    words_->show();
    use_->setVisible(brought_.has_value());
}

void ValuesPanel::take() {
    if (!brought_) return;
    const chart::Reference values = brought_->reference;
    table_text_.clear();
    brought_.reset();
    desk_.cards.bring_values(setup_, values);
}

void ValuesPanel::show_table(const chart::Reference& values,
                             const std::vector<std::pair<std::string, double>>& changed) {
    if (!desk_.chains.has(setup_) || !desk_.chains.at(setup_).shot) return;
    const chart::Definition& d = desk_.chains.at(setup_).shot->definition;
    table_->setColumnHidden(4, changed.empty());
    table_->setRowCount(static_cast<int>(d.patches.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const std::string& id = d.patches[static_cast<std::size_t>(r)].id;
        const auto xyz = values.xyz.find(id);
        const colour::Vec3 lab = xyz == values.xyz.end() ? colour::Vec3::Zero() : colour::lab_from_xyz(xyz->second);
        const auto change =
            std::find_if(changed.begin(), changed.end(), [&](const auto& entry) { return entry.first == id; });
        const QString texts[] = {qt(id), QString::number(lab[0], 'f', 2), QString::number(lab[1], 'f', 2),
                                 QString::number(lab[2], 'f', 2),
                                 change == changed.end() ? QString() : QString::number(change->second, 'f', 2)};
        for (int k = 0; k < 5; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setTextAlignment((k && k < 4 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            if (k == 0 && xyz != values.xyz.end()) {
                QPixmap patch(14, 14);
                patch.fill(colour_of(xyz->second));
                item->setIcon(patch);
            }
            table_->setItem(r, k, item);
        }
    }
}

void ValuesPanel::show_chain(const Chain& s) {
    const bool other = s.id != setup_;
    setup_ = s.id;
    setEnabled(s.shot != nullptr);
    if (other) {
        table_text_.clear();
        brought_.reset();
    }
    if (now_ == s.reference && !other && brought_) return; // being looked at
    now_ = s.reference;
    words_->setVisible(false);
    use_->setVisible(false);
    state_->setText(!s.shot        ? tr("There is no reading yet.")
                    : !s.reference ? tr("%1 has no values.").arg(qt(s.shot->definition.id))
                    : s.nominal()
                        ? tr("Nominal: what a chart of this kind should be. Charts differ from batch to batch; "
                             "bring the values of the card in hand.")
                    : !s.settings.values.empty() ? tr("Values of the card in hand.")
                                                 : tr("From %1.").arg(qt(s.reference->file.filename().string())));
    if (s.reference && s.shot) show_table(*s.reference, {});
    else table_->setRowCount(0);
}

} // namespace refero::app
