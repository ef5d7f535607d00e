// The board as a model: cameras (with lens and mode) down, lights (with place) across, a setup a cell.
#pragma once

#include <QAbstractTableModel>

#include "model/model.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"

namespace refero::app {

/// How a state is spoken of on the board.
QString words_for(shoot::State state);
/// What a cell says: its state and what is wrong or to be done.
QString verdict(const Chain& s, const Tasks& tasks);

class BoardModel : public QAbstractTableModel {
    Q_OBJECT

public:
    enum Role { setup_role = Qt::UserRole, matches_role };
    explicit BoardModel(Desk& desk, QObject* parent = nullptr);
    int rowCount(const QModelIndex& = {}) const override { return static_cast<int>(rigs_.size()); }
    int columnCount(const QModelIndex& = {}) const override { return static_cast<int>(lights_.size()); }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    QStringList mimeTypes() const override;
    QMimeData* mimeData(const QModelIndexList& indexes) const override;
    bool canDropMimeData(const QMimeData* data, Qt::DropAction, int, int, const QModelIndex& parent) const override;
    bool dropMimeData(const QMimeData* data, Qt::DropAction, int, int, const QModelIndex& parent) override;

    Id setup_at(const QModelIndex& index) const;
    const shoot::Rig& rig(int row) const { return rigs_[static_cast<std::size_t>(row)]; }
    Id light(int column) const { return lights_[static_cast<std::size_t>(column)]; }
    QModelIndex index_of(Id setup) const;
    /// Cells that hold all words of the filter match: camera, lens, mode, light, place, state.
    void set_filter(const QString& words);
    bool matches(int row, int column) const;
    void rebuild();
    void touch(Id setup);

signals:
    void files_dropped(const std::vector<std::filesystem::path>& files, int row, int column);
    void correction_dropped(Id from, Id to);

private:
    Desk& desk_;
    std::vector<shoot::Rig> rigs_;
    std::vector<Id> lights_;
    std::map<std::pair<int, int>, Id> cells_;
    QStringList filter_;
};

} // namespace refero::app
