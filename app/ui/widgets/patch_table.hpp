// Patches as a table: sorted by a click on a head, one row a patch, its colour as a swatch.
#pragma once

#include <QAbstractTableModel>
#include <QTableView>
#include <vector>

namespace refero::app {

/// One row; `cells` are shown as they are, `keys` sort.
struct PatchRow {
    QString id;
    QColor swatch;
    std::vector<double> values; ///< NaN shows as a dash
};

class PatchTable : public QTableView {
    Q_OBJECT

public:
    /// Heads after "Patch", and the decimals of each column.
    PatchTable(const QStringList& heads, const std::vector<int>& decimals, QWidget* parent = nullptr);
    void set(const std::vector<PatchRow>& rows);
    void select_patch(const QString& id);

signals:
    void patch_chosen(const QString& id);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void fit_rows();
    QAbstractItemModel* sorted_ = nullptr;
};

} // namespace refero::app
