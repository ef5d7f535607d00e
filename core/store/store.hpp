// A document file: SQLite with a versioned schema, one transaction a change, undo and redo, and a log.
//
// What is promised: a change is in the file when change() has returned, and a file that was cut off in the middle of a
// change (kill -9, loss of power) opens with every finished change and nothing of the unfinished one. SQLite's rollback
// journal with full synchronisation keeps that promise (https://sqlite.org/atomiccommit.html). Between changes the file
// is whole by itself: it can be copied, renamed and synchronised while it is open. A file that was renamed is followed;
// one that was removed is saved elsewhere, and told. Undo applies the inverted changeset that SQLite's session
// extension recorded (https://sqlite.org/sessionintro.html); the history lies in the file, so that undo goes on after
// the file was closed. In a shared file each program undoes its own changes alone.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/base.hpp"
#include "shoot/change.hpp"

namespace SQLite {
class Database;
}

namespace refero::store {

class Budget;
using shoot::Id;

/// Provisional ids of a change's rows, and what they became.
using Ids = std::map<Id, Id>;

/// What makes a kind of file.
struct Schema {
    std::uint32_t application_id;        ///< SQLite's application_id of such files
    std::string what;                    ///< "job", for messages
    std::vector<std::string> migrations; ///< SQL; the i-th takes a file from version i to i + 1
    std::vector<std::string> tables;     ///< those that undo goes over; each has an integer primary key `id`
    bool shared = false;                 ///< several programs may have it open at once
};

struct LogEntry {
    Id id = 0;
    std::string at; ///< UTC, "YYYY-MM-DDThh:mm:ssZ"
    std::string what;
    std::string where; ///< the setup or thing it is about; may be empty
};

/// A row that was added, changed or removed.
struct Touched {
    std::string table;
    Id id;
};

/// A file that was not where it had been.
struct Moved {
    std::filesystem::path from, to;
    bool was_gone = false; ///< it had been removed or replaced: `to` is a new copy of all that it held
};

/// A row as this program knows it, by table and id; null: not known. Points to a record of the table.
using Known = std::function<const void*(const std::string& table, Id id)>;

/// What a change is to undo and redo.
struct Kind {
    bool quiet = false; ///< it follows from another change (a measurement of what was added): undone and redone with it
    bool by_itself =
        false;    ///< nobody asked for it now (a frame of a watched folder): a step of its own that keeps redo
    Id cause = 0; ///< quiet: the step that caused it, of current_step(); 0, or undone since: the last one
    bool keeps_redo() const { return quiet || by_itself; }
};

/// Writes rows within one change.
class Edit {
public:
    /// Gives the new row's id; a row whose id is not 0 gets that one.
    template<class T>
    Id add(const T& row);
    /// Writes the columns in which the row differs from what this program knew of it, so that what others have changed
    /// meanwhile stays.
    template<class T>
    void update(const T& row);
    template<class T>
    void remove(Id id);
    /// What the log says the change is about.
    void about(const std::string& where) { where_ = where; }

private:
    friend class Store;
    explicit Edit(SQLite::Database& db, const Known& known) : db_(db), known_(known) {}
    SQLite::Database& db_;
    const Known& known_;
    std::map<std::string, Id> reserved_;           ///< the highest id that a redo would bring back, by table
    std::set<std::pair<std::string, Id>> written_; ///< rows of this change: they are no longer as they were known
    std::string where_;
};

/// Writes all rows of a change.
Ids write(Edit& edit, const shoot::Change& change);

class Store {
public:
    enum class Open {
        existing, ///< throws when there is no such file
        create,   ///< throws when there is one
        either,
        viewing ///< only to look at it, as it is now: nothing is written, and others may have it open
    };
    /// Opens a file; an older version is migrated, and a copy of it kept beside it as NAME.vN. A file that cannot be
    /// written is opened for viewing. Throws Error(input) for files that are damaged, of another kind or newer, that
    /// may not be read, or whose side file belongs to another one, without having touched them.
    Store(const std::filesystem::path& file, Schema schema, Open how);
    ~Store();
    Store(const Store&) = delete;

    const std::filesystem::path& file() const { return file_; }
    /// It can only be looked at: changes throw Error(usage).
    bool for_viewing() const { return for_viewing_; }
    /// Follows the file where it was renamed, and saves it elsewhere where it is gone; what has happened, or nothing.
    /// Asked before each change by itself; the answer then waits for the next call.
    std::optional<Moved> follow();

    /// One transaction, one step of undo, one line in the log. When `edit` throws, nothing has happened. What was
    /// undone can be redone until a change that somebody asked for.
    std::vector<Touched> change(const std::string& what, const std::function<void(Edit&)>& edit, const Kind& kind = {},
                                const Known& known = {});
    /// The last step that is done: what begins now and ends later as a quiet change belongs to it. 0: none.
    Id current_step() const;
    /// The next change to undo or redo; empty when there is none.
    std::string undo_title() const;
    std::string redo_title() const;
    std::vector<Touched> undo();
    std::vector<Touched> redo();

    /// True once after another program has changed the file.
    bool changed_elsewhere();

    template<class T>
    std::vector<T> all() const;
    /// Null when there is no such row.
    template<class T>
    std::unique_ptr<T> one(Id id) const;

    /// Newest first; those that hold every word of `search` in any letter case.
    std::vector<LogEntry> log(const std::string& search = {}, int most = 100000) const;
    /// Adds a line to the log without a change, at a time of its own (UTC) or now.
    void note(const std::string& what, const std::string& where = {}, const std::string& at = {});
    /// The whole content in words, one row a line: for comparing.
    std::string dump() const;
    /// Writes a copy of the file; it is whole or not there.
    void save_copy(const std::filesystem::path& target) const;

private:
    void open();
    void migrate();
    void stay_with_file();
    void require_writable() const;
    std::vector<Touched> apply(bool undo);
    Id step_of(Id cause) const;
    Id new_step();
    void reserve_ids(Edit& edit) const;
    template<class F>
    auto guarded(const std::filesystem::path& file, F&& f) const;
    std::string title_at(bool undone) const;
    std::string own_steps() const;

    /// An open descriptor of the file: holds the lock, and knows its name. It goes after the database: closing one of a
    /// file lets go of all of SQLite's locks on it.
    class Descriptor {
    public:
        Descriptor() = default;
        ~Descriptor();
        Descriptor(const Descriptor&) = delete;
        void take(int descriptor);
        /// The file of this name is the open one.
        bool is(const std::filesystem::path& file) const;
        int get() const { return descriptor_; }

    private:
        int descriptor_ = -1;
    };

    std::filesystem::path file_;
    Schema schema_;
    std::unique_ptr<Budget> budget_; ///< of the database, which goes before it
    Descriptor descriptor_;
    std::unique_ptr<SQLite::Database> db_;
    std::string owner_; ///< of this program's steps in the history of a shared file
    int data_version_ = 0;
    bool for_viewing_ = false;
    std::optional<Moved> moved_;
};

} // namespace refero::store
