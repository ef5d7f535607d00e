#include "plain_table.hpp"

#include <QHeaderView>

namespace refero::app {

QTableWidget* plain_table(const std::vector<std::pair<QString, QString>>& columns, const QString& name) {
    auto* table = new QTableWidget;
    table->setColumnCount(static_cast<int>(columns.size()));
    for (std::size_t k = 0; k < columns.size(); ++k) {
        auto* item = new QTableWidgetItem(columns[k].first);
        item->setToolTip(columns[k].second);
        table->setHorizontalHeaderItem(static_cast<int>(k), item);
    }
    table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table->horizontalHeader()->setStretchLastSection(true);
    table->verticalHeader()->setDefaultSectionSize(26);
    table->verticalHeader()->hide();
    table->setShowGrid(false);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setSelectionMode(QAbstractItemView::SingleSelection);
    table->setAccessibleName(name);
    return table;
}

} // namespace refero::app
