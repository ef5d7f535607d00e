#include "board_model.hpp"
#include "model/text.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"

#include <QIODevice>
#include <QMimeData>
#include <QUrl>

namespace refero::app {

namespace {
constexpr const char* setup_mime = "application/x-refero-setup";
} // namespace

QString words_for(shoot::State state) {
    switch (state) {
    case shoot::State::to_shoot: return QObject::tr("to shoot");
    case shoot::State::refused: return QObject::tr("refused");
    case shoot::State::shot: return QObject::tr("shot");
    case shoot::State::read: return QObject::tr("read");
    case shoot::State::corrected: return QObject::tr("corrected");
    case shoot::State::proved: return QObject::tr("proved");
    case shoot::State::handed_over: return QObject::tr("handed over");
    case shoot::State::stale: return QObject::tr("stale");
    }
    return {};
}

QString verdict(const Chain& s, const Tasks& tasks) {
    if (tasks.busy(Doing::making, s.id) || tasks.busy(Doing::reading, s.id)) return figure_of(s, Step::shot, tasks);
    if (!s.refused.empty()) return qt(s.refused);
    if (!s.problem.empty() && !s.shot) return qt(s.problem);
    if (!s.stale.empty()) return QString::fromStdString(s.stale.front().why);
    if (s.whole()) return QObject::tr("chain whole");
    const Step step = s.current();
    const QString next = next_of(s, step, tasks);
    return !next.isEmpty() ? "\u2192 " + next : QObject::tr("%1 %2").arg(name_of(step), name_of(s.link(step)));
}

BoardModel::BoardModel(Desk& desk, QObject* parent) : QAbstractTableModel(parent), desk_(desk) { rebuild(); }

void BoardModel::rebuild() {
    beginResetModel();
    rigs_ = shoot::rigs(desk_.job.shoot());
    lights_.clear();
    cells_.clear();
    for (const Id light : shoot::lights_in_order(desk_.job.shoot())) lights_.push_back(light);
    for (const shoot::SetupRecord& s : desk_.job.shoot().setups)
        for (int r = 0; r < rowCount(); ++r)
            for (int c = 0; c < columnCount(); ++c)
                if (s.light == light(c) && shoot::Rig{s.camera, s.lens, s.mode} == rig(r)) cells_[{r, c}] = s.id;
    endResetModel();
}

Id BoardModel::setup_at(const QModelIndex& i) const {
    const auto at = cells_.find({i.row(), i.column()});
    return at == cells_.end() || !desk_.chains.has(at->second) ? 0 : at->second;
}

QModelIndex BoardModel::index_of(Id setup) const {
    for (const auto& [at, id] : cells_)
        if (id == setup) return index(at.first, at.second);
    return {};
}

void BoardModel::touch(Id setup) {
    if (const QModelIndex i = index_of(setup); i.isValid()) emit dataChanged(i, i);
}

void BoardModel::set_filter(const QString& words) {
    filter_ = words.simplified().toLower().split(' ', Qt::SkipEmptyParts);
    if (rowCount() && columnCount()) emit dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
}

bool BoardModel::matches(int row, int column) const {
    if (filter_.isEmpty()) return true;
    const shoot::Shoot& s = desk_.job.shoot();
    const shoot::Rig& r = rig(row);
    const shoot::LightRecord* l = shoot::record(s.lights, light(column));
    QString text =
        qt(shoot::name_in(s.cameras, r.camera) + " " + shoot::name_in(s.lenses, r.lens) + " " +
           shoot::name_in(s.modes, r.mode) + " " + (l ? l->name + " " + shoot::name_in(s.places, l->place) : "")) +
        " ";
    const Id setup = setup_at(index(row, column));
    text += setup ? words_for(desk_.chains.at(setup).state) +
                        (desk_.chains.at(setup).balance_only() ? tr(" balance only") : QString())
                  : tr("not planned");
    text = text.toLower();
    return std::all_of(filter_.begin(), filter_.end(), [&](const QString& w) { return text.contains(w); });
}

QVariant BoardModel::data(const QModelIndex& i, int role) const {
    const Id setup = setup_at(i);
    if (role == setup_role) return qlonglong(setup);
    if (role == matches_role) return matches(i.row(), i.column());
    if (role != Qt::AccessibleTextRole && role != Qt::ToolTipRole) return {};
    const shoot::Shoot& s = desk_.job.shoot();
    if (!setup)
        return tr("%1, %2: not planned")
            .arg(qt(shoot::name_in(s.cameras, rig(i.row()).camera)), qt(shoot::name_in(s.lights, light(i.column()))));
    const Chain& state = desk_.chains.at(setup);
    QStringList words{tr("%1: %2").arg(desk_.chains.title_of(setup), words_for(state.state)),
                      verdict(state, desk_.tasks)};
    for (const Step step : state.steps()) {
        const QString figure = figure_of(state, step, desk_.tasks);
        words << tr("%1: %2").arg(name_of(step), name_of(state.link(step))) +
                     (figure.isEmpty() ? QString() : tr(", %1").arg(figure));
    }
    for (const shoot::Staleness& r : state.stale) words << tr("Stale: %1. %2.").arg(qt(r.why), qt(r.remedy));
    return words.join("\n");
}

QVariant BoardModel::headerData(int n, Qt::Orientation o, int role) const {
    const shoot::Shoot& s = desk_.job.shoot();
    if (role == Qt::TextAlignmentRole) return int(Qt::AlignLeft | Qt::AlignVCenter);
    if (role != Qt::DisplayRole && role != Qt::ToolTipRole) return {};
    if (o == Qt::Horizontal) {
        const shoot::LightRecord* l = shoot::record(s.lights, light(n));
        if (!l) return {};
        const QString place = qt(shoot::name_in(s.places, l->place));
        if (role == Qt::ToolTipRole)
            return qt(shoot::words_for(l->kind)) + (l->kelvin > 0 ? tr(", %1 K").arg(l->kelvin) : QString()) +
                   (l->spill.empty() ? QString() : tr("\nalso on the subject: %1").arg(qt(l->spill)));
        return qt(l->name) + (place.isEmpty() ? "" : "\n" + place);
    }
    const shoot::Rig& r = rig(n);
    const QString lens = qt(shoot::name_in(s.lenses, r.lens)), mode = qt(shoot::name_in(s.modes, r.mode));
    return qt(shoot::name_in(s.cameras, r.camera)) + (lens.isEmpty() ? "" : "\n" + lens) +
           (mode.isEmpty() ? "" : "\n" + mode);
}

Qt::ItemFlags BoardModel::flags(const QModelIndex& i) const {
    if (!i.isValid()) return Qt::NoItemFlags;
    Qt::ItemFlags f = Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsDropEnabled;
    if (const Id setup = setup_at(i); setup && desk_.chains.at(setup).correction) f |= Qt::ItemIsDragEnabled;
    return f;
}

QStringList BoardModel::mimeTypes() const { return {setup_mime, "text/uri-list"}; }

QMimeData* BoardModel::mimeData(const QModelIndexList& indexes) const {
    auto* data = new QMimeData;
    if (!indexes.isEmpty()) data->setData(setup_mime, QByteArray::number(qlonglong(setup_at(indexes.front()))));
    return data;
}

bool BoardModel::canDropMimeData(const QMimeData* data, Qt::DropAction, int, int, const QModelIndex& parent) const {
    if (!parent.isValid()) return false;
    if (data->hasFormat(setup_mime)) {
        const Id to = setup_at(parent);
        return to && to != data->data(setup_mime).toLongLong();
    }
    return data->hasUrls();
}

bool BoardModel::dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                              const QModelIndex& parent) {
    if (!canDropMimeData(data, action, row, column, parent)) return false;
    if (data->hasFormat(setup_mime)) {
        emit correction_dropped(data->data(setup_mime).toLongLong(), setup_at(parent));
        return true;
    }
    std::vector<fs::path> files;
    for (const QUrl& url : data->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    emit files_dropped(files, parent.row(), parent.column());
    return true;
}

} // namespace refero::app
