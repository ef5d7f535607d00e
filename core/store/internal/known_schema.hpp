// What a document file may hold as a database: the objects of its version and nothing else, so that a file from
// somebody else cannot bring code of its own (triggers, views, expressions). Internal to the room.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>

namespace SQLite {
class Database;
}

namespace refero::store {

struct Schema;

/// Tables of every document beside those of its schema: the steps of undo and the log.
extern const char* const own_tables;

/// The work that one action on a file may take, in steps of SQLite's virtual machine. A job of 10,000 frames is loaded
/// in less than a million.
class Budget {
public:
    /// Starts anew: an action begins.
    void begin() { left_ = most_; }
    /// Takes a part of it; true when nothing is left.
    bool spent(std::int64_t steps) { return (left_ -= steps) <= 0; }
    /// For tests.
    void limit(std::int64_t steps) { left_ = most_ = steps; }

private:
    std::int64_t most_ = 2'000'000'000; ///< some 20 s on a machine of 2020
    std::int64_t left_ = most_;
};

/// Triggers, views and functions with side effects are off, the file's structure cannot be rewritten by SQL, and an
/// action ends when `budget` is spent (SQLite: https://sqlite.org/security.html). `budget` outlives the database.
void harden(SQLite::Database& db, Budget& budget);

/// Compares what sqlite_master lists with the objects of the file's version. Throws Error(input) for what is missing or
/// does not belong there, naming the first.
void check_objects(SQLite::Database& db, const Schema& schema, const std::filesystem::path& file);

} // namespace refero::store
