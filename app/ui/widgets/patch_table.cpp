#include "patch_table.hpp"

#include <QHeaderView>
#include <QSignalBlocker>
#include <QSortFilterProxyModel>
#include <QStandardItemModel>
#include <cmath>

namespace refero::app {

namespace {

constexpr int low_row = 19, tall_row = 26; ///< px

class Model : public QAbstractTableModel {
public:
    Model(QStringList heads, std::vector<int> decimals, QObject* parent)
        : QAbstractTableModel(parent),
          heads_(std::move(heads)),
          decimals_(std::move(decimals)) {}
    void set(const std::vector<PatchRow>& rows) {
        beginResetModel();
        rows_ = rows;
        endResetModel();
    }
    int rowCount(const QModelIndex& parent) const override {
        return parent.isValid() ? 0 : static_cast<int>(rows_.size());
    }
    int columnCount(const QModelIndex&) const override { return static_cast<int>(heads_.size()) + 1; }
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override {
        if (orientation != Qt::Horizontal) return {};
        if (role == Qt::TextAlignmentRole)
            return int(section ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
        if (role != Qt::DisplayRole) return {};
        return section ? heads_[section - 1] : QObject::tr("Patch");
    }
    QVariant data(const QModelIndex& index, int role) const override {
        const PatchRow& row = rows_[static_cast<std::size_t>(index.row())];
        const int column = index.column() - 1;
        if (column < 0) {
            if (role == Qt::DisplayRole || role == Qt::UserRole) return row.id;
            if (role == Qt::DecorationRole) return row.swatch;
            return {};
        }
        const double v = row.values[static_cast<std::size_t>(column)];
        if (role == Qt::UserRole) return v;
        if (role == Qt::TextAlignmentRole) return int(Qt::AlignRight | Qt::AlignVCenter);
        if (role == Qt::DisplayRole)
            return std::isnan(v) ? QString("\u2013")
                                 : QString::number(v, 'f', decimals_[static_cast<std::size_t>(column)]);
        return {};
    }

private:
    QStringList heads_;
    std::vector<int> decimals_;
    std::vector<PatchRow> rows_;
};

} // namespace

PatchTable::PatchTable(const QStringList& heads, const std::vector<int>& decimals, QWidget* parent)
    : QTableView(parent) {
    auto* proxy = new QSortFilterProxyModel(this);
    proxy->setSourceModel(new Model(heads, decimals, this));
    proxy->setSortRole(Qt::UserRole);
    sorted_ = proxy;
    setModel(proxy);
    setSortingEnabled(true);
    sortByColumn(0, Qt::AscendingOrder);
    setSelectionBehavior(SelectRows);
    setSelectionMode(SingleSelection);
    setShowGrid(false);
    verticalHeader()->hide();
    verticalHeader()->setMinimumSectionSize(low_row);
    horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    horizontalHeader()->setMinimumSectionSize(54);
    horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    setAccessibleName(tr("Patches"));
    connect(selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& at) {
        if (at.isValid()) emit patch_chosen(sorted_->index(at.row(), 0).data().toString());
    });
}

void PatchTable::set(const std::vector<PatchRow>& rows) {
    const QString kept =
        currentIndex().isValid() ? sorted_->index(currentIndex().row(), 0).data().toString() : QString();
    static_cast<Model*>(static_cast<QSortFilterProxyModel*>(sorted_)->sourceModel())->set(rows);
    fit_rows();
    select_patch(kept);
}

// All patches are seen at once where that leaves rows that can be read.
void PatchTable::fit_rows() {
    const int rows = std::max(1, sorted_->rowCount());
    verticalHeader()->setDefaultSectionSize(std::clamp(viewport()->height() / rows, low_row, tall_row));
}

void PatchTable::resizeEvent(QResizeEvent* event) {
    QTableView::resizeEvent(event);
    fit_rows();
}

void PatchTable::select_patch(const QString& id) {
    const QSignalBlocker quiet(selectionModel());
    for (int i = 0; i < sorted_->rowCount(); ++i)
        if (sorted_->index(i, 0).data().toString() == id) {
            selectionModel()->setCurrentIndex(sorted_->index(i, 0),
                                              QItemSelectionModel::ClearAndSelect | QItemSelectionModel::Rows);
            scrollTo(sorted_->index(i, 0));
        }
    viewport()->update();
}

} // namespace refero::app
