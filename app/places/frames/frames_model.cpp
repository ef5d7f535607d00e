#include "frames_model.hpp"
#include "model/text.hpp"

#include <QFont>
#include <QPointer>

#include "shoot/time.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {
constexpr int picture_height = 36, most_pictures = 2000;
} // namespace

FramesModel::FramesModel(Desk& desk, QObject* parent)
    : QAbstractTableModel(parent),
      desk_(desk),
      pictures_(most_pictures) {
    connect(&desk.chains, &Chains::frames_changed, this, &FramesModel::follow);
    rebuild();
}

// New values show in the rows that are there; rows that come or go build the list anew.
void FramesModel::follow() {
    if (desk_.job.shoot().frames.size() != shown_frames_ || !filter_.isEmpty()) return rebuild();
    for (const Id id : rows_)
        if (!desk_.job.frame(id)) return rebuild();
    if (!rows_.empty()) emit dataChanged(index(0, 0), index(rowCount() - 1, column_count - 1));
}

void FramesModel::set_filter(const QString& words) {
    filter_ = words;
    rebuild();
}

void FramesModel::rebuild() {
    beginResetModel();
    rows_.clear();
    companions_.clear();
    asked_.clear();
    const QStringList words = filter_.simplified().toLower().split(' ', Qt::SkipEmptyParts);
    shown_frames_ = desk_.job.shoot().frames.size();
    for (const shoot::FrameRecord& f : desk_.job.shoot().frames) {
        if (f.same_as) {
            companions_[f.same_as].push_back(f.id);
            continue;
        }
        if (!words.isEmpty()) {
            QString all;
            for (int c = name; c < column_count; ++c) all += text(f, c) + " ";
            all = all.toLower();
            if (!std::all_of(words.begin(), words.end(), [&](const QString& w) { return all.contains(w); })) continue;
        }
        rows_.push_back(f.id);
    }
    endResetModel();
    sort(sort_column_, sort_order_);
}

// Worst first, frames without a verdict last.
static QString gate_order(const shoot::FindingRecord* worst, const QString& words) {
    return (!worst                                      ? "3"
            : worst->status == inspect::Status::reshoot ? "0"
            : worst->status == inspect::Status::caution ? "1"
                                                        : "2") +
           words;
}

const shoot::FindingRecord* FramesModel::worst_of(const shoot::FrameRecord& f) const {
    const shoot::FindingRecord* worst = nullptr;
    const auto badness = [](const shoot::FindingRecord& x) {
        return x.status == inspect::Status::reshoot ? 2 : x.status == inspect::Status::caution ? 1 : 0;
    };
    if (f.kind != shoot::FrameKind::ordinary)
        for (const shoot::ChartShotRecord& shot : desk_.job.shoot().chart_shots)
            if (shot.frame == f.id)
                for (const shoot::FindingRecord& x : desk_.job.shoot().findings)
                    if (x.chart_shot == shot.id && (!worst || badness(x) > badness(*worst))) worst = &x;
    return worst;
}

void FramesModel::sort(int column, Qt::SortOrder order) {
    sort_column_ = column;
    sort_order_ = order;
    std::vector<std::pair<QString, Id>> keyed;
    for (const Id id : rows_) {
        const shoot::FrameRecord& f = *desk_.job.frame(id);
        keyed.emplace_back(column == gate      ? gate_order(worst_of(f), text(f, gate))
                           : column == taken   ? qt(shoot::time_of(shoot::time_in_job(desk_.job.shoot(), f)))
                           : column == picture ? QString("%1").arg(id, 12)
                                               : text(f, column),
                           id);
    }
    emit layoutAboutToBeChanged();
    std::stable_sort(keyed.begin(), keyed.end(), [&](const auto& a, const auto& b) {
        return order == Qt::AscendingOrder ? a.first < b.first : b.first < a.first;
    });
    for (std::size_t i = 0; i < keyed.size(); ++i) rows_[i] = keyed[i].second;
    emit layoutChanged();
}

bool FramesModel::tells_days() const {
    return std::any_of(rows_.begin(), rows_.end(), [&](Id id) {
        constexpr qsizetype time = 8; // "hh:mm:ss"
        return text(*desk_.job.frame(id), taken).size() > time;
    });
}

QString FramesModel::text(const shoot::FrameRecord& f, int column) const {
    const shoot::Shoot& s = desk_.job.shoot();
    switch (column) {
    case name: {
        const std::string file = fs::path(f.path).filename().string();
        const auto more = companions_.find(f.id);
        return qt(file) + (more == companions_.end() ? QString() : tr(" + %1").arg(more->second.size()));
    }
    case taken: {
        constexpr std::size_t day = 10, whole = 19; // "YYYY-MM-DD", "YYYY-MM-DDThh:mm:ss"
        const bool of_the_job = f.taken.size() > day && f.taken.substr(0, day) == s.brief().date;
        return qt(f.taken.substr(of_the_job ? day + 1 : 0, of_the_job ? whole - day - 1 : whole)).replace('T', ' ');
    }
    case camera: {
        const QString known = qt(shoot::name_in(s.cameras, f.camera)),
                      lens = qt(f.lens ? shoot::name_in(s.lenses, f.lens) : f.lens_name);
        return (known.isEmpty() ? qt(f.model) : known) + (lens.isEmpty() ? QString() : ", " + lens);
    }
    case settings: {
        QStringList parts;
        if (f.exposure_s > 0)
            parts << (f.exposure_s < 0.3 ? tr("1/%1 s").arg(qRound(1 / f.exposure_s))
                                         : tr("%1 s").arg(f.exposure_s, 0, 'g', 2));
        if (f.f_number > 0) parts << tr("f/%1").arg(f.f_number);
        if (f.iso > 0) parts << tr("ISO %1").arg(f.iso);
        if (f.duration_s > 0) parts << tr("%1 s long").arg(f.duration_s, 0, 'f', 1);
        if (!f.timecode.empty()) parts << tr("from %1").arg(qt(f.timecode));
        if (!f.reel.empty()) parts << tr("reel %1").arg(qt(f.reel));
        return parts.join(", ");
    }
    case what:
        if (!f.problem.empty()) return tr("unreadable");
        return (f.kind == shoot::FrameKind::clip    ? tr("clip")
                : f.kind == shoot::FrameKind::chart ? tr("chart")
                                                    : tr("frame")) +
               (f.role.empty() ? QString() : ", " + qt(f.role));
    case gate: {
        const shoot::FindingRecord* worst = worst_of(f);
        if (!worst) return {};
        return !inspect::is_alarm(worst->status)
                   ? tr("pass")
                   : QString("%1: %2").arg(qt(inspect::name_of(worst->status)),
                                           qt(inspect::name_of(worst->check)).replace('_', ' '));
    }
    case setup: return f.setup ? desk_.chains.title_of(f.setup) : tr("none");
    case reason:
        if (!f.problem.empty()) return qt(f.problem);
        if (desk_.frames.is_changed(f.id))
            return tr("Cut or replaced since it came in. Put the right one back, or look at the file again.");
        return qt(f.reason);
    default: return {};
    }
}

QVariant FramesModel::data(const QModelIndex& i, int role) const {
    const Id id = id_at(i.row());
    const shoot::FrameRecord* f = desk_.job.frame(id);
    if (!f) return {};
    if (role == Qt::UserRole) return qlonglong(id);
    if (role == Qt::DisplayRole) return i.column() == picture ? QVariant() : QVariant(text(*f, i.column()));
    if (role == Qt::ToolTipRole) {
        QString words = qt(f->path);
        if (const auto more = companions_.find(id); more != companions_.end())
            for (const Id other : more->second)
                if (const shoot::FrameRecord* o = desk_.job.frame(other))
                    words += "\n" + qt(o->path) + ": " + qt(o->reason);
        if (const shoot::FindingRecord* worst = worst_of(*f); worst && !worst->advice.empty())
            words += "\n" + qt(worst->advice);
        return words + "\n" + text(*f, reason);
    }
    if (role == Qt::FontRole && i.column() == setup && f->by_hand) {
        QFont font;
        font.setWeight(QFont::DemiBold);
        return font;
    }
    if (role == Qt::ForegroundRole && (i.column() == reason || (i.column() == setup && !f->setup)))
        return Theme::now().dim;
    if (role == Qt::DecorationRole && i.column() == picture) {
        if (const QPixmap* kept = pictures_.object(id)) return *kept;
        // Asked for once; the row is told when it has come.
        if (asked_.insert(id).second)
            desk_.pictures.thumbnail(id, [self = QPointer<FramesModel>(const_cast<FramesModel*>(this)),
                                          id](const QImage& image) {
                if (!self) return;
                // Sharp on screens of twice the resolution too.
                QPixmap small = QPixmap::fromImage(image.scaledToHeight(2 * picture_height, Qt::SmoothTransformation));
                small.setDevicePixelRatio(2);
                self->pictures_.insert(id, new QPixmap(small));
                for (int r = 0; r < self->rowCount(); ++r)
                    if (self->id_at(r) == id) emit self->dataChanged(self->index(r, picture), self->index(r, picture));
            });
        if (const QPixmap* kept = pictures_.object(id)) return *kept;
    }
    return {};
}

QVariant FramesModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) return {};
    if (role == Qt::TextAlignmentRole) return int(Qt::AlignLeft | Qt::AlignVCenter);
    if (role != Qt::DisplayRole) return {};
    const QString names[] = {QString(),  tr("File"), tr("Taken"), tr("Camera, lens"), tr("Exposure"),
                             tr("Kind"), tr("Gate"), tr("Setup"), tr("Why there")};
    return names[section];
}

} // namespace refero::app
