// A table of texts: heads with tooltips, no grid, nothing to edit, one row chosen at a time.
#pragma once

#include <QTableWidget>
#include <vector>

namespace refero::app {

/// Heads and what they mean.
QTableWidget* plain_table(const std::vector<std::pair<QString, QString>>& columns, const QString& name);

} // namespace refero::app
