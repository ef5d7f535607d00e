// Changes, and the steps of undo and redo.
#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include "store/internal/guarded.hpp"
#include "store/store.hpp"

namespace refero::store {

namespace {

constexpr int kept_changes = 2000; ///< of undo

struct Session {
    sqlite3_session* handle = nullptr;
    Session(sqlite3* db, const std::vector<std::string>& tables) {
        if (sqlite3session_create(db, "main", &handle) != SQLITE_OK) throw std::bad_alloc();
        for (const std::string& t : tables) sqlite3session_attach(handle, t.c_str());
    }
    ~Session() { sqlite3session_delete(handle); }
    Session(const Session&) = delete;
};

/// A changeset, as SQLite allocates it.
struct Changes {
    int size = 0;
    void* data = nullptr;
    Changes() = default;
    Changes(const Changes&) = delete;
    ~Changes() { sqlite3_free(data); }
};

/// What the file holds as a step of undo may be no changeset at all.
void check_changeset(int result) {
    if (result == SQLITE_NOMEM) throw std::bad_alloc();
    if (result != SQLITE_OK)
        throw Error(ErrorKind::input, "a step of undo is damaged in this file: it cannot be undone or redone", {},
                    "What the file holds is whole: go on without it");
}

void touched_by(int size, void* data, std::vector<Touched>& all) {
    sqlite3_changeset_iter* it = nullptr;
    check_changeset(sqlite3changeset_start(&it, size, data));
    while (sqlite3changeset_next(it) == SQLITE_ROW) {
        const char* table = nullptr;
        int columns = 0, operation = 0, indirect = 0;
        sqlite3changeset_op(it, &table, &columns, &operation, &indirect);
        sqlite3_value* id = nullptr;
        if (operation == SQLITE_INSERT) sqlite3changeset_new(it, 0, &id);
        else sqlite3changeset_old(it, 0, &id);
        all.push_back({table, id ? sqlite3_value_int64(id) : 0});
    }
    check_changeset(sqlite3changeset_finalize(it));
}

} // namespace

// Steps of undo that are this program's own, as a condition.
std::string Store::own_steps() const { return "owner = '" + owner_ + "'"; }

std::vector<Touched> Store::change(const std::string& what, const std::function<void(Edit&)>& edit, const Kind& kind,
                                   const Known& known) {
    require_writable();
    stay_with_file();
    return guarded(file_, [&] {
        SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
        std::vector<Touched> touched;
        Edit e(*db_, known);
        if (kind.keeps_redo()) reserve_ids(e);
        Changes changes;
        {
            const Session session(db_->getHandle(), schema_.tables);
            edit(e);
            if (sqlite3session_changeset(session.handle, &changes.size, &changes.data) != SQLITE_OK)
                throw std::bad_alloc();
        }
        if (changes.size == 0) return touched; // nothing has changed; the transaction is rolled back
        touched_by(changes.size, changes.data, touched);
        if (!kind.keeps_redo()) db_->exec("DELETE FROM history WHERE undone = 1 AND " + own_steps());
        SQLite::Statement keep(*db_, "INSERT INTO history (what, quiet, changes, owner, step) VALUES (?, ?, ?, ?, ?)");
        keep.bind(1, what);
        keep.bind(2, kind.quiet ? 1 : 0);
        keep.bind(3, changes.data, changes.size);
        keep.bind(4, owner_);
        keep.bind(5, kind.quiet ? step_of(kind.cause) : new_step());
        keep.exec();
        db_->exec("DELETE FROM history WHERE id <= (SELECT max(id) FROM history) - " + std::to_string(kept_changes));
        note(what, e.where_);
        all.commit();
        return touched;
    });
}

Id Store::current_step() const {
    return guarded(file_, [&] {
        return db_->execAndGet("SELECT coalesce(max(step), 0) FROM history WHERE undone = 0 AND " + own_steps())
            .getInt64();
    });
}

// The step that a quiet change belongs to: the one that caused it while that is done, else the last one that is.
Id Store::step_of(Id cause) const {
    SQLite::Statement done(*db_, "SELECT count(*) FROM history WHERE undone = 0 AND step = ? AND " + own_steps());
    done.bind(1, cause);
    done.executeStep();
    return cause && done.getColumn(0).getInt() ? cause : current_step();
}

// The next one after those that are done; steps that were undone come after it.
Id Store::new_step() {
    db_->exec("UPDATE history SET step = step + 1 WHERE undone = 1 AND " + own_steps());
    return current_step() + 1;
}

// Rows that a redo would bring back keep their ids to themselves.
void Store::reserve_ids(Edit& e) const {
    SQLite::Statement s(*db_, "SELECT changes FROM history WHERE undone = 1 AND " + own_steps());
    while (s.executeStep()) {
        const SQLite::Column blob = s.getColumn(0);
        std::string changes(static_cast<const char*>(blob.getBlob()), static_cast<std::size_t>(blob.getBytes()));
        std::vector<Touched> undone;
        touched_by(static_cast<int>(changes.size()), changes.data(), undone);
        for (const Touched& t : undone) e.reserved_[t.table] = std::max(e.reserved_[t.table], t.id);
    }
}

std::string Store::title_at(bool undone) const {
    return guarded(file_, [&] {
        SQLite::Statement s(*db_, "SELECT what FROM history WHERE quiet = 0 AND " + own_steps() +
                                      (undone ? " AND undone = 1 ORDER BY step, id LIMIT 1"
                                              : " AND undone = 0 ORDER BY step DESC, id DESC LIMIT 1"));
        return s.executeStep() ? s.getColumn(0).getString() : std::string();
    });
}

std::string Store::undo_title() const { return title_at(false); }
std::string Store::redo_title() const { return title_at(true); }

// A step is one change and the quiet ones that it caused.
std::vector<Touched> Store::apply(bool undo) {
    require_writable();
    stay_with_file();
    return guarded(file_, [&] {
        std::vector<std::pair<Id, std::string>> step; // in the order in which they are applied
        std::string what;
        {
            const std::string own = " FROM history WHERE quiet = 0 AND " + own_steps();
            SQLite::Statement s(
                *db_,
                "SELECT id, what, quiet, changes FROM history WHERE " + own_steps() +
                    (undo ? " AND undone = 0 AND step = (SELECT max(step)" + own + " AND undone = 0) ORDER BY id DESC"
                          : " AND undone = 1 AND step = (SELECT min(step)" + own + " AND undone = 1) ORDER BY id"));
            while (s.executeStep()) {
                const SQLite::Column blob = s.getColumn(3);
                step.emplace_back(s.getColumn(0).getInt64(), std::string(static_cast<const char*>(blob.getBlob()),
                                                                         static_cast<std::size_t>(blob.getBytes())));
                if (!s.getColumn(2).getInt()) what = s.getColumn(1).getString();
            }
        }
        std::vector<Touched> touched;
        if (step.empty() || what.empty()) return touched;
        // The changeset says all; foreign-key actions would do some of it twice. It restores a state that was
        // consistent.
        db_->exec("PRAGMA foreign_keys = OFF");
        try {
            SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
            for (auto& [id, changes] : step) {
                Changes inverse;
                if (undo)
                    check_changeset(sqlite3changeset_invert(static_cast<int>(changes.size()), changes.data(),
                                                            &inverse.size, &inverse.data));
                const int size = undo ? inverse.size : static_cast<int>(changes.size());
                void* data = undo ? inverse.data : changes.data();
                // What others have changed stays theirs. In a file of one's own only quiet changes come between: what
                // they worked out is worked out anew from the rows that are restored.
                const auto on_conflict = [](void* shared, int kind, sqlite3_changeset_iter*) {
                    if (*static_cast<const bool*>(shared)) return SQLITE_CHANGESET_ABORT;
                    if (kind == SQLITE_CHANGESET_DATA || kind == SQLITE_CHANGESET_CONFLICT)
                        return SQLITE_CHANGESET_REPLACE;
                    return kind == SQLITE_CHANGESET_NOTFOUND ? SQLITE_CHANGESET_OMIT : SQLITE_CHANGESET_ABORT;
                };
                if (sqlite3changeset_apply(db_->getHandle(), size, data, nullptr, on_conflict, &schema_.shared) !=
                    SQLITE_OK)
                    throw Error(ErrorKind::internal,
                                (undo ? "cannot undo: " : "cannot redo: ") + what +
                                    (schema_.shared ? " was changed elsewhere since" : ""),
                                file_, "The " + schema_.what + " is as it was");
                touched_by(size, data, touched);
                SQLite::Statement mark(*db_, "UPDATE history SET undone = ? WHERE id = ?");
                mark.bind(1, undo ? 1 : 0);
                mark.bind(2, id);
                mark.exec();
            }
            note((undo ? "Undone: " : "Done again: ") + what);
            all.commit();
        } catch (...) {
            db_->exec("PRAGMA foreign_keys = ON");
            throw;
        }
        db_->exec("PRAGMA foreign_keys = ON");
        return touched;
    });
}

std::vector<Touched> Store::undo() { return apply(true); }
std::vector<Touched> Store::redo() { return apply(false); }

} // namespace refero::store
