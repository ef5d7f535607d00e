#include "weights_panel.hpp"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "model/model.hpp"
#include "page.hpp"
#include "ui/widgets/plain_table.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {
constexpr int own_column = 3;
}

WeightsPanel::WeightsPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      table_(plain_table(
          {{tr("Patch"), {}},
           {tr("Role"), tr("By the chart's definition")},
           {tr("In the fit"), tr("What the patch weighs in the correction in force, intent and own weights together")},
           {tr("Own weight"),
            tr("Double-click to set it: 0 leaves the patch out of the fit, 1 is usual, 100 is the most")},
           {tr(""), {}}},
          tr("Weights"))),
      roles_(new QLineEdit),
      note_(new QLabel),
      samples_(new QPushButton) {
    table_->setObjectName("weights");
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                            QAbstractItemView::AnyKeyPressed);
    for (const int k : {2, own_column})
        table_->horizontalHeaderItem(k)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(4, QHeaderView::Stretch);
    connect(table_, &QTableWidget::cellChanged, this, &WeightsPanel::edited);
    roles_->setObjectName("ownWeights");
    roles_->setPlaceholderText(tr("such as: skin 3, D1 0.5"));
    roles_->setToolTip(tr("Own weights of roles and patches, 0 to 100. Roles: neutral skin sky foliage primary "
                          "secondary hue warm cool other"));
    connect(roles_, &QLineEdit::editingFinished, this, [this] {
        if (!desk_.chains.has(setup_)) return;
        Settings s = desk_.chains.at(setup_).settings;
        try {
            s.weights = fit::weights_from(roles_->text().toStdString());
            desk_.setups.change(setup_, s, tr("Weights"));
        } catch (const Error& e) {
            desk_.notices.tell(words_of(e));
            roles_->setText(qt(fit::text_of(s.weights)));
        }
    });
    note_->setProperty("dim", true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("&Own weights"));
    label->setBuddy(roles_);
    row->addWidget(label);
    row->addWidget(roles_, 1);
    row->addWidget(note_);
    samples_->setObjectName("samples");
    samples_->setToolTip(tr("Samples of your own that were photographed in this setup's light join the fit: their "
                            "readings and their measured values, two CGATS files"));
    row->addWidget(samples_);
    connect(samples_, &QPushButton::clicked, this, &WeightsPanel::choose_samples);
    column->addLayout(row);
}

void WeightsPanel::choose_samples() {
    Settings s = desk_.chains.at(setup_).settings;
    if (!s.samples.empty()) {
        s.samples.clear();
        return desk_.setups.change(setup_, s, tr("No samples of one's own"));
    }
    const QString kind = tr("CGATS text (*.cgats *.txt *.it8)");
    const QString readings = QFileDialog::getOpenFileName(this, tr("Readings of your samples"), last_folder(), kind);
    if (readings.isEmpty()) return;
    remember_folder(QFileInfo(readings).path());
    const QString reference =
        QFileDialog::getOpenFileName(this, tr("Measured values of your samples"), last_folder(), kind);
    if (reference.isEmpty()) return;
    s.samples = {readings.toStdString(), reference.toStdString()};
    desk_.setups.change(setup_, s, tr("Samples of one's own"));
}

void WeightsPanel::edited(int row, int column) {
    if (column != own_column || !desk_.chains.has(setup_)) return;
    Settings s = desk_.chains.at(setup_).settings;
    const std::string id = table_->item(row, 0)->text().toStdString();
    const QString text = table_->item(row, column)->text().trimmed();
    bool number = false;
    const double weight = text.toDouble(&number);
    if (text.isEmpty()) s.weights.erase(id);
    else if (number && weight >= 0 && weight <= 100) s.weights[id] = weight;
    else desk_.notices.tell(tr("A weight is a number from 0 to 100; nothing was changed."));
    desk_.setups.change(setup_, s, tr("Weight of %1").arg(qt(id)));
    show_setup(setup_);
}

void WeightsPanel::show_setup(Id setup) {
    setup_ = setup;
    const Chain& s = desk_.chains.at(setup);
    const QSignalBlocker quiet(table_);
    if (!roles_->hasFocus()) roles_->setText(qt(fit::text_of(s.settings.weights)));
    std::map<std::string, double> used;
    if (s.correction)
        for (const auto& [id, weight] : fit::weights_in_use(*s.correction)) used[id] = weight;
    const auto count = s.shot ? static_cast<int>(s.shot->definition.patches.size()) : 0;
    table_->setRowCount(count);
    for (int r = 0; r < count; ++r) {
        const chart::Patch& p = s.shot->definition.patches[static_cast<std::size_t>(r)];
        const auto own = s.settings.weights.find(p.id);
        const auto weight = used.find(p.id);
        const QString texts[] = {qt(p.id), qt(p.role),
                                 weight != used.end() ? QString::number(weight->second, 'f', 2)
                                 : s.correction       ? tr("not fitted")
                                                      : QString(),
                                 own != s.settings.weights.end() ? QString::number(own->second) : QString(), QString()};
        for (int k = 0; k < 5; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setTextAlignment((k >= 2 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            if (k != own_column) item->setFlags(item->flags() & ~Qt::ItemIsEditable);
            if (k == 0 && s.reference)
                if (const auto xyz = s.reference->xyz.find(p.id); xyz != s.reference->xyz.end()) {
                    QPixmap chip(18, 12);
                    chip.fill(colour_of(xyz->second));
                    item->setIcon(chip);
                }
            table_->setItem(r, k, item);
        }
    }
    samples_->setText(s.settings.samples.empty() ? tr("Add own samples \u2026")
                                                 : tr("Leave out %1").arg(name_of_file(s.settings.samples.front())));
    note_->setText(s.correction && s.correction->weights != s.settings.weights ? tr("Changed since the fit: fit again")
                                                                               : QString());
}

} // namespace refero::app
