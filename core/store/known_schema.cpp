#include "store/internal/known_schema.hpp"

#include <map>
#include <set>

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include "base/base.hpp"
#include "store/store.hpp"

namespace refero::store {

const char* const own_tables = R"(
CREATE TABLE history (id INTEGER PRIMARY KEY, what TEXT NOT NULL, quiet INTEGER NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0, changes BLOB NOT NULL, owner TEXT NOT NULL DEFAULT '',
  step INTEGER NOT NULL DEFAULT 0);
CREATE TABLE log (id INTEGER PRIMARY KEY, at TEXT NOT NULL, what TEXT NOT NULL, place TEXT NOT NULL DEFAULT '');
)";

namespace {

constexpr int steps_between_looks = 1'000'000; ///< of the virtual machine
constexpr const char* history_table = "history";

/// Text of SQL without its white space and letter case: ALTER TABLE and line breaks leave it as it is.
std::string normalised(const std::string& sql) {
    std::string text;
    for (const char c : sql)
        if (!std::isspace(static_cast<unsigned char>(c))) text += c;
    return to_lower(text);
}

/// By name: kind, table and text of each object. SQLite's own indexes have no text.
std::map<std::string, std::string> objects_of(SQLite::Database& db) {
    std::map<std::string, std::string> all;
    SQLite::Statement s(db, "SELECT name, type, tbl_name, coalesce(sql, '') FROM sqlite_master");
    while (s.executeStep())
        all[s.getColumn(0).getString()] = s.getColumn(1).getString() + "|" + s.getColumn(2).getString() + "|" +
                                          normalised(s.getColumn(3).getString());
    return all;
}

/// The objects of a version, made in memory.
std::map<std::string, std::string> expected_objects(const Schema& schema, int version) {
    SQLite::Database fresh(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    fresh.exec(own_tables);
    for (int i = 0; i < version; ++i) fresh.exec(schema.migrations[static_cast<std::size_t>(i)]);
    return objects_of(fresh);
}

/// The table of undo got its later columns when a file was migrated, at whatever version it was made.
std::set<std::string> history_texts() {
    const std::string begin = "table|history|createtablehistory(idintegerprimarykey,whattextnotnull,"
                              "quietintegernotnull,undoneintegernotnulldefault0,changesblobnotnull",
                      owner = ",ownertextnotnulldefault''", step = ",stepintegernotnulldefault0";
    return {begin + ")", begin + owner + ")", begin + owner + step + ")"};
}

} // namespace

void harden(SQLite::Database& db, Budget& budget) {
    sqlite3* handle = db.getHandle();
    for (const auto& [option, value] : {std::pair{SQLITE_DBCONFIG_DEFENSIVE, 1},
                                        {SQLITE_DBCONFIG_TRUSTED_SCHEMA, 0},
                                        {SQLITE_DBCONFIG_ENABLE_TRIGGER, 0},
                                        {SQLITE_DBCONFIG_ENABLE_VIEW, 0},
                                        {SQLITE_DBCONFIG_ENABLE_LOAD_EXTENSION, 0}})
        sqlite3_db_config(handle, option, value, nullptr);
    sqlite3_progress_handler(
        handle, steps_between_looks,
        [](void* b) { return static_cast<int>(static_cast<Budget*>(b)->spent(steps_between_looks)); }, &budget);
}

void check_objects(SQLite::Database& db, const Schema& schema, const std::filesystem::path& file) {
    const int version = db.execAndGet("PRAGMA user_version").getInt();
    if (version < 0 || version > static_cast<int>(schema.migrations.size()))
        throw Error(ErrorKind::input, "this " + schema.what + " file is of no version that is known", file,
                    "Copy it again, or use a backup");
    const auto expected = expected_objects(schema, version);
    const auto refuse = [&](const std::string& name, const char* why) {
        throw Error(ErrorKind::input,
                    "this " + schema.what + " file " + why + " '" + name.substr(0, 60) + "', which no " + schema.what +
                        " of Refero has",
                    file, "Do not use it: ask whoever sent it, or take a backup. The file has not been touched");
    };
    const auto found = objects_of(db);
    for (const auto& [name, what] : found) {
        if (name == history_table && history_texts().contains(what)) continue;
        const auto at = expected.find(name);
        if (at == expected.end())
            refuse(name, what.starts_with("table|")     ? "holds the table"
                         : what.starts_with("trigger|") ? "holds the trigger"
                         : what.starts_with("view|")    ? "holds the view"
                                                        : "holds the object");
        if (at->second != what) refuse(name, "has another form of");
    }
    for (const auto& [name, what] : expected)
        if (!found.contains(name))
            throw Error(ErrorKind::input, "this " + schema.what + " file lacks '" + name + "'", file,
                        "It is damaged: copy it again, or use a backup");
}

} // namespace refero::store
