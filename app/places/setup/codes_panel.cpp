#include "codes_panel.hpp"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

#include "ui/widgets/plain_table.hpp"

namespace refero::app {

CodesPanel::CodesPanel(QWidget* parent)
    : QWidget(parent),
      stage_(new QComboBox),
      table_(plain_table({{tr("Patch"), {}},
                          {tr("R %"), tr("Code of red in a display-referred picture (sRGB), percent of full scale")},
                          {tr("G %"), tr("Green")},
                          {tr("B %"), tr("Blue")},
                          {tr("R"), tr("The same in 8 bits, 0 to 255")},
                          {tr("G"), {}},
                          {tr("B"), {}},
                          {tr("Cast"), tr("Of greys, where red or blue are more than 1 point off green")}},
                         tr("Patches as display codes"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 0);
    auto* row = new QHBoxLayout;
    stage_->addItems({tr("Balanced only"), tr("Corrected"), tr("Corrected and finished")});
    stage_->setObjectName("codesStage");
    stage_->setAccessibleName(tr("Stage of the chain"));
    stage_->setToolTip(tr("At which stage of the chain the patches are read"));
    row->addWidget(stage_);
    row->addStretch();
    column->addLayout(row);
    table_->setObjectName("codes");
    column->addWidget(table_, 1);
    connect(stage_, &QComboBox::activated, this, &CodesPanel::fill);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int r) {
        if (const auto* item = table_->item(r, 0)) emit patch_chosen(item->text());
    });
}

void CodesPanel::set(const Chain& chain) {
    for (std::size_t i = 0; i < codes_.size(); ++i)
        codes_[i] = operations::codes_of(chain, static_cast<operations::Stage>(i));
    fill();
}

void CodesPanel::fill() {
    const QSignalBlocker quiet(table_);
    const auto& rows = codes_[static_cast<std::size_t>(stage_->currentIndex())];
    table_->setRowCount(static_cast<int>(rows.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const operations::PatchCodes& p = rows[static_cast<std::size_t>(r)];
        QStringList texts{qt(p.id)};
        for (int c = 0; c < 3; ++c) texts << QString::number(p.points[c], 'f', 1);
        for (int c = 0; c < 3; ++c) texts << QString::number(std::lround(std::clamp(2.55 * p.points[c], 0.0, 255.0)));
        texts << (p.clipped ? tr("clipped") : p.cast.empty() ? (p.neutral ? tr("clean") : QString()) : qt(p.cast));
        for (int k = 0; k < texts.size(); ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setTextAlignment((k > 0 && k < 7 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            if (!p.cast.empty()) {
                QFont bold = table_->font();
                bold.setWeight(QFont::DemiBold);
                item->setFont(bold);
            }
            table_->setItem(r, k, item);
        }
    }
}

} // namespace refero::app
