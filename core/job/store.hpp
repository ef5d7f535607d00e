// A document file: SQLite with a versioned schema, one transaction a change, undo and redo, and a log.
//
// What is promised: a change is in the file when change() has returned, and a file that was cut off in the middle of a
// change (kill -9, loss of power) opens with every finished change and nothing of the unfinished one. SQLite in WAL
// mode with full synchronisation keeps that promise (https://sqlite.org/atomiccommit.html,
// https://sqlite.org/wal.html). Undo applies the inverted changeset that SQLite's session extension recorded
// (https://sqlite.org/sessionintro.html); the history lies in the file, so that undo goes on after the file was closed.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/base.hpp"
#include "plan/shoot.hpp"

namespace SQLite {
class Database;
}

namespace refero::job {

using plan::Id;

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

/// Writes rows within one change.
class Edit {
public:
    /// Gives the new row's id; a row whose id is not 0 gets that one.
    template<class T>
    Id add(const T& row);
    template<class T>
    void update(const T& row);
    template<class T>
    void remove(Id id);
    /// What the log says the change is about.
    void about(const std::string& where) { where_ = where; }

private:
    friend class Store;
    explicit Edit(SQLite::Database& db) : db_(db) {}
    SQLite::Database& db_;
    std::string where_;
};

class Store {
public:
    enum class Open {
        existing, ///< throws when there is no such file
        create,   ///< throws when there is one
        either
    };
    /// Opens a file; an older version is migrated, and a copy of it kept beside it as NAME.vN. Throws Error(input) for
    /// files that are damaged, of another kind or newer, without having touched them.
    Store(const std::filesystem::path& file, Schema schema, Open how);
    ~Store();
    Store(const Store&) = delete;

    const std::filesystem::path& file() const { return file_; }

    /// One transaction, one step of undo, one line in the log. When `edit` throws, nothing has happened. A quiet change
    /// follows from another one (a measurement of what was added) and is undone and redone together with it.
    std::vector<Touched> change(const std::string& what, const std::function<void(Edit&)>& edit, bool quiet = false);
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
    std::vector<Touched> apply(bool undo);
    void drop_session();
    std::string title_at(bool undone) const;

    std::filesystem::path file_;
    Schema schema_;
    std::unique_ptr<SQLite::Database> db_;
    int data_version_ = 0;
};

/// A random identifier, 32 hexadecimal digits.
std::string new_uid();

} // namespace refero::job
