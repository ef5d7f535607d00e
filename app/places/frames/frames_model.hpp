// All frames of the job as a table: one row a frame; companions and copies are told with the frame they belong to.
#pragma once

#include <QAbstractTableModel>
#include <QCache>
#include <QPixmap>
#include <set>

#include "model/model.hpp"

namespace refero::app {

class FramesModel : public QAbstractTableModel {
    Q_OBJECT

public:
    enum Column { picture, name, taken, camera, settings, what, gate, setup, reason, column_count };
    explicit FramesModel(Desk& desk, QObject* parent = nullptr);
    int rowCount(const QModelIndex& parent = {}) const override {
        return parent.isValid() ? 0 : static_cast<int>(rows_.size());
    }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : column_count; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void sort(int column, Qt::SortOrder order) override;
    Id id_at(int row) const { return rows_[static_cast<std::size_t>(row)]; }
    /// Rows that hold all words; all rows for none.
    void set_filter(const QString& words);
    void follow();
    /// A frame is of another day than the job, or tells none.
    bool tells_days() const;

private:
    QString text(const shoot::FrameRecord& f, int column) const;
    /// The gate's worst finding on a chart shot; nothing for other frames.
    const shoot::FindingRecord* worst_of(const shoot::FrameRecord& f) const;
    void rebuild();

    Desk& desk_;
    std::vector<Id> rows_;
    std::map<Id, std::vector<Id>> companions_;
    QString filter_;
    int sort_column_ = taken;
    Qt::SortOrder sort_order_ = Qt::DescendingOrder;
    mutable QCache<qlonglong, QPixmap> pictures_;
    mutable std::set<Id> asked_;
    std::size_t shown_frames_ = 0;
};

} // namespace refero::app
