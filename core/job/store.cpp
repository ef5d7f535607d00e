#include "job/store.hpp"

#define SQLITE_ENABLE_SESSION
#define SQLITE_ENABLE_PREUPDATE_HOOK
#include <SQLiteCpp/Backup.h>
#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include <cstring>
#include <fstream>
#include <random>
#include <sstream>
#include <utility>

#include "job/rows.hpp"

namespace refero::job {

namespace fs = std::filesystem;

namespace {

constexpr int kept_steps = 2000; ///< of undo
constexpr const char* own_tables = R"(
CREATE TABLE history (id INTEGER PRIMARY KEY, what TEXT NOT NULL, quiet INTEGER NOT NULL, undone INTEGER NOT NULL DEFAULT 0, changes BLOB NOT NULL);
CREATE TABLE log (id INTEGER PRIMARY KEY, at TEXT NOT NULL, what TEXT NOT NULL, place TEXT NOT NULL DEFAULT '');
)";

[[noreturn]] void refuse(const Schema& s, const fs::path& file, const std::string& why, const std::string& remedy) {
    throw Error(ErrorKind::input, "this " + s.what + " file " + why, file, remedy + " The file has not been touched");
}

std::uint32_t big_endian(const char* p) {
    const auto* u = reinterpret_cast<const unsigned char*>(p);
    return std::uint32_t{u[0]} << 24 | std::uint32_t{u[1]} << 16 | std::uint32_t{u[2]} << 8 | u[3];
}

// SQLite's file header, https://sqlite.org/fileformat.html section 1.3; read without SQLite, which might write.
void check_header(const fs::path& file, const Schema& s) {
    char h[100] = {};
    std::ifstream in(file, std::ios::binary);
    in.read(h, sizeof h);
    if (in.gcount() < static_cast<std::streamsize>(sizeof h) || std::memcmp(h, "SQLite format 3", 16) != 0)
        throw Error(ErrorKind::input, "this is not a Refero " + s.what, file,
                    "Choose another file, or a copy of it. The file has not been touched");
    if (big_endian(h + 68) != s.application_id)
        throw Error(ErrorKind::input, "this is a database, but not a Refero " + s.what, file,
                    "Choose another file. The file has not been touched");
    const std::uint32_t version = big_endian(h + 60);
    if (version > s.migrations.size())
        refuse(s, file,
               "was written by a newer Refero (format " + std::to_string(version) + ", this one reads up to " +
                   std::to_string(s.migrations.size()) + ")",
               "Update Refero.");
    std::error_code ec;
    const fs::path wal = file.string() + "-wal";
    if (fs::exists(wal, ec) && fs::file_size(wal, ec) > 0)
        return; // to be recovered; the header may be ahead of the file
    const std::uint64_t page = (static_cast<unsigned char>(h[16]) << 8 | static_cast<unsigned char>(h[17])) == 1
                                   ? 65536
                                   : static_cast<unsigned char>(h[16]) << 8 | static_cast<unsigned char>(h[17]);
    if (fs::file_size(file, ec) < page * big_endian(h + 28))
        refuse(s, file, "is cut short", "Copy it again, or use a backup.");
    const SQLite::Database db("file:" + std::filesystem::absolute(file).string() + "?immutable=1",
                              SQLite::OPEN_READONLY | SQLite::OPEN_URI);
    SQLite::Statement check(db, "PRAGMA quick_check(1)");
    if (!check.executeStep() || check.getColumn(0).getString() != "ok")
        refuse(s, file, "is damaged (" + check.getColumn(0).getString() + ")", "Copy it again, or use a backup.");
}

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

void touched_by(int size, void* data, std::vector<Touched>& all) {
    sqlite3_changeset_iter* it = nullptr;
    if (sqlite3changeset_start(&it, size, data) != SQLITE_OK) throw std::bad_alloc();
    while (sqlite3changeset_next(it) == SQLITE_ROW) {
        const char* table = nullptr;
        int columns = 0, operation = 0, indirect = 0;
        sqlite3changeset_op(it, &table, &columns, &operation, &indirect);
        sqlite3_value* id = nullptr;
        if (operation == SQLITE_INSERT) sqlite3changeset_new(it, 0, &id);
        else sqlite3changeset_old(it, 0, &id);
        all.push_back({table, id ? sqlite3_value_int64(id) : 0});
    }
    sqlite3changeset_finalize(it);
}

// Runs what touches the database and turns its errors into ours.
template<class F>
auto guarded(const fs::path& file, F&& f) {
    try {
        return f();
    } catch (const SQLite::Exception& e) {
        const int code = e.getErrorCode() & 0xff;
        if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
            throw Error(ErrorKind::input, "this file is open in another Refero", file, "Close it there first");
        if (code == SQLITE_FULL)
            throw Error(ErrorKind::internal, "the disk is full; the last action was not kept", file,
                        "Free some space and do it again");
        if (code == SQLITE_READONLY || code == SQLITE_CANTOPEN || code == SQLITE_PERM)
            throw Error(ErrorKind::input, "this file cannot be opened for writing", file,
                        "Check its permissions and its folder's");
        if (code == SQLITE_NOTADB || code == SQLITE_CORRUPT)
            throw Error(ErrorKind::input, "this file is damaged", file, "Copy it again, or use a backup");
        throw Error(ErrorKind::internal, std::string("the file cannot be used: ") + e.what(), file);
    }
}

// Members as columns. An id of 0 is NULL, so that foreign keys hold; choices are their names.
template<class M>
void bind(SQLite::Statement& s, int i, const M& m) {
    if constexpr (std::is_enum_v<M>) s.bind(i, plan::name_of(m));
    else if constexpr (std::is_same_v<M, bool>) s.bind(i, m ? 1 : 0);
    else s.bind(i, m);
}
template<class M>
void take(const SQLite::Column& c, M& m) {
    if constexpr (std::is_enum_v<M>) m = plan::named<M>(c.getString());
    else if constexpr (std::is_same_v<M, bool>) m = c.getInt() != 0;
    else if constexpr (std::is_same_v<M, double>) m = c.getDouble();
    else if constexpr (std::is_same_v<M, int>) m = c.getInt();
    else if constexpr (std::is_same_v<M, std::int64_t>) m = c.getInt64();
    else m = c.getString();
}
template<class T>
std::vector<std::string> columns() {
    std::vector<std::string> all;
    T row;
    Rows<T>::fields(row, [&](const char* name, auto&) { all.push_back(name); });
    return all;
}
template<class T>
std::string column_list() {
    std::string text;
    for (const std::string& c : columns<T>()) text += ", \"" + c + "\"";
    return text;
}
template<class T>
T row_of(SQLite::Statement& s) {
    T row;
    row.id = s.getColumn(0).getInt64();
    int i = 1;
    Rows<T>::fields(row, [&](const char*, auto& member) { take(s.getColumn(i++), member); });
    return row;
}
// Members of type Id refer to other records; a file's size is the one other 64-bit number.
template<class T>
void bind_row(SQLite::Statement& s, int first, const T& row) {
    int i = first;
    Rows<T>::fields(row, [&](const char* name, const auto& member) {
        if constexpr (std::is_same_v<std::decay_t<decltype(member)>, Id>)
            if (member == 0 && std::strcmp(name, "size") != 0) return s.bind(i++);
        bind(s, i++, member);
    });
}

} // namespace

template<class T>
Id Edit::add(const T& row) {
    std::string marks;
    for (std::size_t i = 0; i < columns<T>().size(); ++i) marks += ", ?";
    SQLite::Statement s(db_, std::string("INSERT INTO ") + Rows<T>::table + " (id" + column_list<T>() + ") VALUES (?" +
                                 marks + ")");
    if (row.id) s.bind(1, row.id);
    else s.bind(1);
    bind_row(s, 2, row);
    s.exec();
    return db_.getLastInsertRowid();
}

template<class T>
void Edit::update(const T& row) {
    std::string sets;
    for (const std::string& c : columns<T>()) sets += (sets.empty() ? "\"" : ", \"") + c + "\" = ?";
    SQLite::Statement s(db_, std::string("UPDATE ") + Rows<T>::table + " SET " + sets + " WHERE id = ?");
    bind_row(s, 1, row);
    s.bind(static_cast<int>(columns<T>().size()) + 1, row.id);
    if (s.exec() != 1) throw Error(ErrorKind::internal, std::string("there is no such ") + Rows<T>::table);
}

template<class T>
void Edit::remove(Id id) {
    SQLite::Statement s(db_, std::string("DELETE FROM ") + Rows<T>::table + " WHERE id = ?");
    s.bind(1, id);
    s.exec();
}

template<class T>
std::vector<T> Store::all() const {
    return guarded(file_, [&] {
        SQLite::Statement s(*db_, "SELECT id" + column_list<T>() + " FROM " + Rows<T>::table + " ORDER BY id");
        std::vector<T> rows;
        while (s.executeStep()) rows.push_back(row_of<T>(s));
        return rows;
    });
}

template<class T>
std::unique_ptr<T> Store::one(Id id) const {
    return guarded(file_, [&] {
        SQLite::Statement s(*db_, "SELECT id" + column_list<T>() + " FROM " + Rows<T>::table + " WHERE id = ?");
        s.bind(1, id);
        return s.executeStep() ? std::make_unique<T>(row_of<T>(s)) : nullptr;
    });
}

#define INSTANTIATE(T)                                                                                                 \
    template Id Edit::add(const plan::T&);                                                                             \
    template void Edit::update(const plan::T&);                                                                        \
    template void Edit::remove<plan::T>(Id);                                                                           \
    template std::vector<plan::T> Store::all() const;                                                                  \
    template std::unique_ptr<plan::T> Store::one(Id) const
INSTANTIATE(Brief);
INSTANTIATE(Place);
INSTANTIATE(Camera);
INSTANTIATE(Lens);
INSTANTIATE(Mode);
INSTANTIATE(Light);
INSTANTIATE(Card);
INSTANTIATE(Setup);
INSTANTIATE(Frame);
INSTANTIATE(ChartShot);
INSTANTIATE(Reading);
INSTANTIATE(Finding);
INSTANTIATE(Correction);
INSTANTIATE(Proof);
INSTANTIATE(Handover);
INSTANTIATE(Note);
INSTANTIATE(Fallback);
INSTANTIATE(LightReading);
INSTANTIATE(Monitor);
INSTANTIATE(Warmth);
INSTANTIATE(StoredBalance);
INSTANTIATE(SeriesShot);
#undef INSTANTIATE

Store::Store(const fs::path& file, Schema schema, Open how) : file_(file), schema_(std::move(schema)) {
    std::error_code ec;
    const bool there = fs::exists(file, ec);
    if (there && how == Open::create)
        throw Error(ErrorKind::usage, "there is a file of this name already", file, "Choose another name");
    if (!there && how == Open::existing) throw Error(ErrorKind::input, "there is no such file", file, "Check the name");
    if (there && !fs::is_regular_file(file, ec))
        throw Error(ErrorKind::input, "this is not a file", file, "Name a file, not a folder");
    if (!there && file.has_parent_path() && !fs::is_directory(file.parent_path(), ec))
        throw Error(ErrorKind::usage, "the folder does not exist", file.parent_path(),
                    "Make it first, or choose another");
    guarded(file, [&] {
        if (there) check_header(file, schema_);
        const auto open = [&] {
            db_ = std::make_unique<SQLite::Database>(file.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE,
                                                     schema_.shared ? 3000 : 500);
            // Held to the end, so that two programs never write the same job.
            if (!schema_.shared) db_->exec("PRAGMA locking_mode = EXCLUSIVE");
            db_->exec("PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;");
        };
        if (!there) {
            // Made under another name, so that a half-made file never bears this one.
            write_whole(file, [&](const fs::path& temporary) {
                SQLite::Database fresh(temporary.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
                SQLite::Transaction all(fresh);
                fresh.exec("PRAGMA application_id = " +
                           std::to_string(static_cast<std::int32_t>(schema_.application_id)));
                fresh.exec(own_tables);
                for (const std::string& m : schema_.migrations) fresh.exec(m);
                fresh.exec("PRAGMA user_version = " + std::to_string(schema_.migrations.size()));
                all.commit();
            });
        }
        open();
        const int version = db_->execAndGet("PRAGMA user_version").getInt();
        if (version < static_cast<int>(schema_.migrations.size())) {
            save_copy(file.string() + ".v" + std::to_string(version));
            SQLite::Transaction all(*db_);
            for (std::size_t i = static_cast<std::size_t>(version); i < schema_.migrations.size(); ++i)
                db_->exec(schema_.migrations[i]);
            db_->exec("DELETE FROM history"); // its changesets are of the older shape
            db_->exec("PRAGMA user_version = " + std::to_string(schema_.migrations.size()));
            all.commit();
        }
        data_version_ = db_->execAndGet("PRAGMA data_version").getInt();
        return 0;
    });
}

Store::~Store() = default;

std::vector<Touched> Store::change(const std::string& what, const std::function<void(Edit&)>& edit, bool quiet) {
    return guarded(file_, [&] {
        SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
        std::vector<Touched> touched;
        Edit e(*db_);
        Changes changes;
        {
            const Session session(db_->getHandle(), schema_.tables);
            edit(e);
            if (sqlite3session_changeset(session.handle, &changes.size, &changes.data) != SQLITE_OK)
                throw std::bad_alloc();
        }
        if (changes.size == 0) return touched; // nothing has changed; the transaction is rolled back
        touched_by(changes.size, changes.data, touched);
        db_->exec("DELETE FROM history WHERE undone = 1");
        SQLite::Statement keep(*db_, "INSERT INTO history (what, quiet, changes) VALUES (?, ?, ?)");
        keep.bind(1, what);
        keep.bind(2, quiet ? 1 : 0);
        keep.bind(3, changes.data, changes.size);
        keep.exec();
        db_->exec("DELETE FROM history WHERE id <= (SELECT max(id) FROM history) - " + std::to_string(kept_steps));
        note(what, e.where_);
        all.commit();
        return touched;
    });
}

std::string Store::title_at(bool undone) const {
    return guarded(file_, [&] {
        SQLite::Statement s(
            *db_, undone ? "SELECT what FROM history WHERE undone = 1 ORDER BY id LIMIT 1"
                         : "SELECT what FROM history WHERE undone = 0 AND quiet = 0 ORDER BY id DESC LIMIT 1");
        return s.executeStep() ? s.getColumn(0).getString() : std::string();
    });
}

bool Store::changed_elsewhere() {
    return guarded(file_, [&] {
        const int now = db_->execAndGet("PRAGMA data_version").getInt();
        return std::exchange(data_version_, now) != now;
    });
}

std::string Store::undo_title() const { return title_at(false); }
std::string Store::redo_title() const { return title_at(true); }

// A step is one change and the quiet ones that follow it.
std::vector<Touched> Store::apply(bool undo) {
    return guarded(file_, [&] {
        std::vector<std::pair<Id, std::string>> step; // in the order in which they are applied
        std::string what;
        {
            SQLite::Statement s(*db_,
                                undo ? "SELECT id, what, quiet, changes FROM history WHERE undone = 0 ORDER BY id DESC"
                                     : "SELECT id, what, quiet, changes FROM history WHERE undone = 1 ORDER BY id");
            while (s.executeStep()) {
                const bool quiet = s.getColumn(2).getInt() != 0;
                if (!undo && !quiet && !step.empty()) break;
                const SQLite::Column blob = s.getColumn(3);
                step.emplace_back(s.getColumn(0).getInt64(), std::string(static_cast<const char*>(blob.getBlob()),
                                                                         static_cast<std::size_t>(blob.getBytes())));
                if (!quiet) what = s.getColumn(1).getString();
                if (undo && !quiet) break;
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
                if (undo && sqlite3changeset_invert(static_cast<int>(changes.size()), changes.data(), &inverse.size,
                                                    &inverse.data) != SQLITE_OK)
                    throw std::bad_alloc();
                const int size = undo ? inverse.size : static_cast<int>(changes.size());
                void* data = undo ? inverse.data : changes.data();
                const auto abort_on_conflict = [](void*, int, sqlite3_changeset_iter*) {
                    return SQLITE_CHANGESET_ABORT;
                };
                if (sqlite3changeset_apply(db_->getHandle(), size, data, nullptr, abort_on_conflict, nullptr) !=
                    SQLITE_OK)
                    throw Error(ErrorKind::internal, std::string(undo ? "cannot undo: " : "cannot redo: ") + what,
                                file_, "The job is as it was");
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

std::vector<LogEntry> Store::log(const std::string& search, int most) const {
    return guarded(file_, [&] {
        std::istringstream in(search);
        std::vector<std::string> words;
        for (std::string w; in >> w;) words.push_back(w);
        std::string where;
        for (std::size_t i = 0; i < words.size(); ++i)
            where +=
                std::string(i ? " AND " : " WHERE ") + "instr(lower(at || ' ' || what || ' ' || place), lower(?)) > 0";
        SQLite::Statement s(*db_, "SELECT id, at, what, place FROM log" + where + " ORDER BY at DESC, id DESC LIMIT " +
                                      std::to_string(most));
        for (std::size_t i = 0; i < words.size(); ++i) s.bind(static_cast<int>(i) + 1, words[i]);
        std::vector<LogEntry> all;
        while (s.executeStep())
            all.push_back({s.getColumn(0).getInt64(), s.getColumn(1).getString(), s.getColumn(2).getString(),
                           s.getColumn(3).getString()});
        return all;
    });
}

void Store::note(const std::string& what, const std::string& where, const std::string& at) {
    guarded(file_, [&] {
        SQLite::Statement s(*db_, "INSERT INTO log (at, what, place) VALUES (?, ?, ?)");
        s.bind(1, at.empty() ? utc_now() : at);
        s.bind(2, what);
        s.bind(3, where);
        return s.exec();
    });
}

std::string Store::dump() const {
    return guarded(file_, [&] {
        std::string text;
        for (const std::string& table : schema_.tables) {
            SQLite::Statement s(*db_, "SELECT * FROM " + table + " ORDER BY id");
            while (s.executeStep()) {
                text += table;
                for (int i = 0; i < s.getColumnCount(); ++i)
                    text += '\t' + (s.getColumn(i).isNull() ? std::string("NULL") : s.getColumn(i).getString());
                text += '\n';
            }
        }
        return text;
    });
}

void Store::save_copy(const fs::path& target) const {
    write_whole(target, [&](const fs::path& temporary) {
        guarded(target, [&] {
            SQLite::Database copy(temporary.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
            SQLite::Backup(copy, *db_).executeStep();
            copy.exec("PRAGMA journal_mode = DELETE");
            return 0;
        });
    });
}

std::string new_uid() {
    static thread_local std::mt19937_64 random{std::random_device{}()};
    char text[33];
    std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(random()),
                  static_cast<unsigned long long>(random()));
    return text;
}

} // namespace refero::job
