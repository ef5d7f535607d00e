#include "store/store.hpp"

#include <SQLiteCpp/Backup.h>
#include <SQLiteCpp/SQLiteCpp.h>
#include <fcntl.h>
#include <sqlite3.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstring>
#include <sstream>
#include <utility>

#include "store/internal/guarded.hpp"
#include "store/internal/known_schema.hpp"
#include "store/internal/rows.hpp"
#include "store/internal/side_file.hpp"

namespace refero::store {

namespace fs = std::filesystem;

namespace {

// Members as columns. An id of 0 is NULL, so that foreign keys hold; choices are their names.
template<class M>
void bind(SQLite::Statement& s, int i, const M& m) {
    if constexpr (std::is_enum_v<M>) s.bind(i, name_of(m));
    else if constexpr (std::is_same_v<M, bool>) s.bind(i, m ? 1 : 0);
    else s.bind(i, m);
}
template<class M>
void take(const SQLite::Column& c, M& m) {
    if constexpr (std::is_enum_v<M>) m = named<M>(c.getString());
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
template<class M>
void bind_member(SQLite::Statement& s, int i, const char* name, const M& member) {
    if constexpr (std::is_same_v<M, Id>)
        if (member == 0 && std::strcmp(name, "size") != 0) return s.bind(i);
    bind(s, i, member);
}
template<class T>
void bind_row(SQLite::Statement& s, int first, const T& row) {
    int i = first;
    Rows<T>::fields(row, [&](const char* name, const auto& member) { bind_member(s, i++, name, member); });
}

} // namespace

template<class T>
Id Edit::add(const T& row) {
    std::string marks;
    for (std::size_t i = 0; i < columns<T>().size(); ++i) marks += ", ?";
    SQLite::Statement s(db_, std::string("INSERT INTO ") + Rows<T>::table + " (id" + column_list<T>() + ") VALUES (?" +
                                 marks + ")");
    if (row.id) s.bind(1, row.id);
    else if (const auto reserved = reserved_.find(Rows<T>::table); reserved != reserved_.end())
        s.bind(1,
               reserved->second =
                   1 +
                   std::max<Id>(
                       reserved->second,
                       db_.execAndGet(std::string("SELECT coalesce(max(id), 0) FROM ") + Rows<T>::table).getInt64()));
    else s.bind(1);
    bind_row(s, 2, row);
    s.exec();
    written_.insert({Rows<T>::table, db_.getLastInsertRowid()});
    return db_.getLastInsertRowid();
}

template<class T>
void Edit::update(const T& row) {
    const std::string table = Rows<T>::table;
    const bool first = written_.insert({table, row.id}).second;
    const auto* before = first && known_ ? static_cast<const T*>(known_(table, row.id)) : nullptr;
    std::vector<bool> differs;
    Rows<T>::fields(row, [&](const char*, const auto& member) { differs.push_back(true), static_cast<void>(member); });
    if (before) {
        std::vector<const void*> known;
        Rows<T>::fields(*before, [&](const char*, const auto& member) { known.push_back(&member); });
        std::size_t i = 0;
        Rows<T>::fields(row, [&](const char*, const auto& member) {
            differs[i] = !(*static_cast<const std::decay_t<decltype(member)>*>(known[i]) == member);
            ++i;
        });
    }
    std::string sets;
    const auto names = columns<T>();
    for (std::size_t i = 0; i < names.size(); ++i)
        if (differs[i]) sets += (sets.empty() ? "\"" : ", \"") + names[i] + "\" = ?";
    SQLite::Statement s(db_, "UPDATE " + table + " SET " + (sets.empty() ? "id = id" : sets) + " WHERE id = ?");
    int at = 1;
    std::size_t column = 0;
    Rows<T>::fields(row, [&](const char* name, const auto& member) {
        if (differs[column++]) bind_member(s, at++, name, member);
    });
    s.bind(at, row.id);
    if (s.exec() != 1) throw Error(ErrorKind::internal, "there is no such " + table);
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
    template Id Edit::add(const shoot::T&);                                                                            \
    template void Edit::update(const shoot::T&);                                                                       \
    template void Edit::remove<shoot::T>(Id);                                                                          \
    template std::vector<shoot::T> Store::all() const;                                                                 \
    template std::unique_ptr<shoot::T> Store::one(Id) const
INSTANTIATE(JobSettingsRecord);
INSTANTIATE(PlaceRecord);
INSTANTIATE(CameraRecord);
INSTANTIATE(LensRecord);
INSTANTIATE(ModeRecord);
INSTANTIATE(LightRecord);
INSTANTIATE(CardRecord);
INSTANTIATE(SetupRecord);
INSTANTIATE(FrameRecord);
INSTANTIATE(ChartShotRecord);
INSTANTIATE(ReadingRecord);
INSTANTIATE(FindingRecord);
INSTANTIATE(CorrectionRecord);
INSTANTIATE(ProofRecord);
INSTANTIATE(HandoverRecord);
INSTANTIATE(HandoverFileRecord);
INSTANTIATE(NoteRecord);
INSTANTIATE(FallbackRecord);
INSTANTIATE(LightReadingRecord);
INSTANTIATE(MonitorRecord);
INSTANTIATE(MonitorCheckRecord);
INSTANTIATE(AnswerRecord);
INSTANTIATE(WarmthRecord);
INSTANTIATE(KeptLookRecord);
INSTANTIATE(StoredBalanceRecord);
INSTANTIATE(SeriesShotRecord);
INSTANTIATE(HouseRecord);
#undef INSTANTIATE

Ids write(Edit& edit, const shoot::Change& change) {
    Ids ids;
    for (const shoot::Change::Step& step : change.steps)
        std::visit(
            [&](auto row) {
                using T = decltype(row);
                Rows<T>::fields(row, [&](const char*, auto& member) {
                    if constexpr (std::is_same_v<std::decay_t<decltype(member)>, Id>)
                        if (member < 0) member = ids.at(member);
                });
                const Id id = row.id;
                if (id < 0) row.id = ids.contains(id) ? ids.at(id) : 0;
                switch (step.kind) {
                case shoot::Change::Kind::add: {
                    const Id made = edit.add(row);
                    if (id < 0) ids[id] = made;
                    break;
                }
                case shoot::Change::Kind::update: edit.update(row); break;
                case shoot::Change::Kind::remove: edit.template remove<T>(row.id); break;
                }
            },
            step.row);
    if (!change.about().empty()) edit.about(change.about());
    return ids;
}

Store::Store(const fs::path& file, Schema schema, Open how)
    : file_(file),
      schema_(std::move(schema)),
      budget_(std::make_unique<Budget>()) {
    std::error_code ec;
    const bool there = fs::exists(file, ec);
    if (there && how == Open::create)
        throw Error(ErrorKind::usage, "there is a file of this name already", file, "Choose another name");
    if (!there && (how == Open::existing || how == Open::viewing))
        throw Error(ErrorKind::input, "there is no such file", file, "Check the name");
    if (there && !fs::is_regular_file(file, ec))
        throw Error(ErrorKind::input, "this is not a file", file, "Name a file, not a folder");
    if (!there && file.has_parent_path() && !fs::is_directory(file.parent_path(), ec))
        throw Error(ErrorKind::usage, "the folder does not exist", file.parent_path(),
                    "Make it first, or choose another");
    if (schema_.shared) owner_ = new_uid();
    guarded(file, [&] {
        const bool writable = can_be_written(file);
        for_viewing_ = there && (how == Open::viewing || !writable);
        if (there) {
            const bool unfinished = check_file(file, schema_, *budget_);
            if (unfinished && writable) for_viewing_ = false; // opening it wholly settles it
            if (unfinished && for_viewing_)
                throw Error(ErrorKind::input,
                            "an unfinished change lies beside this " + schema_.what +
                                ", and nothing can be written here to settle it",
                            file,
                            "Copy it to a folder of your own together with its side file (-journal or -wal), and open "
                            "it there");
        } else {
            check_no_side_file(file);
            // Made under another name, so that a half-made file never bears this one.
            write_whole(
                file,
                [&](const fs::path& temporary) {
                    SQLite::Database fresh(temporary.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
                    SQLite::Transaction all(fresh);
                    fresh.exec("PRAGMA application_id = " +
                               std::to_string(static_cast<std::int32_t>(schema_.application_id)));
                    fresh.exec(own_tables);
                    for (const std::string& m : schema_.migrations) fresh.exec(m);
                    fresh.exec("PRAGMA user_version = " + std::to_string(schema_.migrations.size()));
                    all.commit();
                },
                Existing::refuse);
        }
        open();
        migrate();
        data_version_ = db_->execAndGet("PRAGMA data_version").getInt();
        return 0;
    });
}

Store::~Store() = default;

Store::Descriptor::~Descriptor() {
    if (descriptor_ >= 0) close(descriptor_);
}

bool Store::Descriptor::is(const fs::path& file) const {
    struct stat own {
    }, named{};
    return descriptor_ >= 0 && fstat(descriptor_, &own) == 0 && stat(file.c_str(), &named) == 0 &&
           own.st_dev == named.st_dev && own.st_ino == named.st_ino;
}

void Store::Descriptor::take(int descriptor) {
    if (descriptor_ >= 0) close(descriptor_);
    descriptor_ = descriptor;
}

void Store::open() {
    if (for_viewing_) {
        // A copy in memory: neither the file nor its folder is touched.
        const std::string as_it_is = can_be_written(file_) ? "" : "?immutable=1"; // no lock can be taken on it
        const SQLite::Database source(uri_of(file_) + as_it_is, SQLite::OPEN_READONLY | SQLite::OPEN_URI, 3000);
        db_ = std::make_unique<SQLite::Database>(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        SQLite::Backup(*db_, const_cast<SQLite::Database&>(source)).executeStep();
        harden(*db_, *budget_);
        check_objects(*db_, schema_, file_);
        return;
    }
    if (!descriptor_.is(file_)) {
        const int fresh = ::open(file_.c_str(), O_RDONLY | O_CLOEXEC);
        if (fresh < 0) // without it nothing could be locked, nor followed
            throw Error(ErrorKind::input, std::string("this file cannot be opened: ") + std::strerror(errno), file_,
                        "Check its permissions, and how many files this program has open");
        // Held to the end, so that two programs never write the same job. A file system without such locks goes
        // without.
        if (!schema_.shared && flock(fresh, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
            close(fresh);
            throw Error(ErrorKind::input, "this file is open in another Refero", file_, "Close it there first");
        }
        descriptor_.take(fresh);
    }
    auto opened = std::make_unique<SQLite::Database>(uri_of(file_), SQLite::OPEN_READWRITE | SQLite::OPEN_URI,
                                                     schema_.shared ? 3000 : 500);
    harden(*opened, *budget_);
    check_objects(*opened, schema_, file_);
    opened->exec("PRAGMA journal_mode = DELETE; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;");
    db_ = std::move(opened);
}

void Store::migrate() {
    const int version = db_->execAndGet("PRAGMA user_version").getInt();
    if (version >= static_cast<int>(schema_.migrations.size())) return;
    if (!for_viewing_) {
        fs::path kept = file_.string() + ".v" + std::to_string(version);
        for (int n = 2; fs::exists(kept); ++n)
            kept = file_.string() + ".v" + std::to_string(version) + "-" + std::to_string(n);
        save_copy(kept);
    }
    SQLite::Transaction all(*db_);
    for (std::size_t i = static_cast<std::size_t>(version); i < schema_.migrations.size(); ++i)
        db_->exec(schema_.migrations[i]);
    db_->exec("DELETE FROM history"); // its changesets are of the older shape
    if (!db_->execAndGet("SELECT count(*) FROM pragma_table_info('history') WHERE name = 'owner'").getInt())
        db_->exec("ALTER TABLE history ADD COLUMN owner TEXT NOT NULL DEFAULT ''");
    if (!db_->execAndGet("SELECT count(*) FROM pragma_table_info('history') WHERE name = 'step'").getInt())
        db_->exec("ALTER TABLE history ADD COLUMN step INTEGER NOT NULL DEFAULT 0");
    db_->exec("PRAGMA user_version = " + std::to_string(schema_.migrations.size()));
    all.commit();
}

void Store::require_writable() const {
    if (for_viewing_)
        throw Error(ErrorKind::usage, "this " + schema_.what + " is open for viewing: it cannot be written", file_,
                    "Save it under another name, or change its permissions and open it again");
}

// The name that the open file has now; nothing if it has none, or if another file bears it.
void Store::stay_with_file() {
    if (for_viewing_ || descriptor_.get() < 0) return;
    if (descriptor_.is(file_)) return;
    struct stat open_file {};
    if (fstat(descriptor_.get(), &open_file) != 0) return;
    std::error_code ec;
    const fs::path from = file_, now = fs::read_symlink("/proc/self/fd/" + std::to_string(descriptor_.get()), ec);
    if (open_file.st_nlink > 0 && !ec && descriptor_.is(now)) {
        file_ = now;
        moved_ = Moved{moved_ ? moved_->from : from, now, moved_ && moved_->was_gone};
        guarded(file_, [&] {
            open();
            return 0;
        });
        return;
    }
    // Where it was, else where jobs without a name lie.
    fs::path folder = from.parent_path();
    if (!fs::is_directory(folder, ec) || access(folder.c_str(), W_OK) != 0) {
        folder = user_data_dir() / "jobs";
        fs::create_directories(folder, ec);
    }
    fs::path to = folder / from.filename();
    for (int n = 1; fs::exists(fs::symlink_status(to, ec)); ++n)
        to = folder / (from.stem().string() + (n == 1 ? " (saved)" : " (saved " + std::to_string(n) + ")") +
                       from.extension().string());
    save_copy(to);
    file_ = to;
    moved_ = Moved{moved_ ? moved_->from : from, to, true};
    guarded(file_, [&] {
        open();
        return 0;
    });
}

std::optional<Moved> Store::follow() {
    stay_with_file();
    return std::exchange(moved_, std::nullopt);
}

bool Store::changed_elsewhere() {
    return guarded(file_, [&] {
        const int now = db_->execAndGet("PRAGMA data_version").getInt();
        return std::exchange(data_version_, now) != now;
    });
}

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
    if (for_viewing_) return; // opening one to look at it leaves no trace
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

} // namespace refero::store
