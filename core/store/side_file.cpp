#include "store/internal/side_file.hpp"

#include <array>
#include <cstring>
#include <fstream>
#include <optional>

#include <SQLiteCpp/SQLiteCpp.h>
#include <unistd.h>

#include "base/base.hpp"
#include "store/internal/known_schema.hpp"
#include "store/store.hpp"

namespace refero::store {

namespace fs = std::filesystem;

namespace {

// SQLite's file format, https://sqlite.org/fileformat.html
constexpr std::size_t header_size = 100; // section 1.3
constexpr std::size_t at_page_size = 16, at_write_version = 18, at_change_counter = 24, at_page_count = 28,
                      at_schema_cookie = 40, at_user_version = 60, at_application_id = 68;
constexpr unsigned char journal_magic[] = {0xd9, 0xd5, 0x05, 0xf9, 0x20, 0xa1, 0x63, 0xd7}; // section 3
constexpr char wal_version = 2;

using Header = std::array<char, header_size>;

std::uint32_t big_endian(const char* p) {
    const auto* u = reinterpret_cast<const unsigned char*>(p);
    return std::uint32_t{u[0]} << 24 | std::uint32_t{u[1]} << 16 | std::uint32_t{u[2]} << 8 | u[3];
}

std::uint64_t page_size_of(const Header& h) {
    const auto* u = reinterpret_cast<const unsigned char*>(h.data() + at_page_size);
    const std::uint64_t size = std::uint64_t{u[0]} << 8 | u[1];
    return size == 1 ? 65536 : size;
}

[[noreturn]] void refuse(const std::string& what, const fs::path& file, const std::string& why,
                         const std::string& remedy) {
    throw Error(ErrorKind::input, "this " + what + " file " + why, file, remedy + " The file has not been touched");
}

/// The first page as it was before the unfinished change that a rollback journal tells of; nothing where the journal is
/// not one that SQLite would play back.
std::optional<Header> page_before(const fs::path& journal) {
    std::ifstream in(journal, std::ios::binary);
    char head[28] = {};
    in.read(head, sizeof head);
    if (!in || std::memcmp(head, journal_magic, sizeof journal_magic) != 0) return std::nullopt;
    const std::uint64_t sector = big_endian(head + 20), page = big_endian(head + 24);
    if (sector < 32 || sector > 65536 || page < 512 || page > 65536) return std::nullopt;
    std::error_code ec;
    const std::uint64_t records = (fs::file_size(journal, ec) - sector) / (page + 8);
    for (std::uint64_t i = 0; !ec && i < records; ++i) {
        in.seekg(static_cast<std::streamoff>(sector + i * (page + 8)));
        char number[4] = {};
        in.read(number, sizeof number);
        if (!in) break;
        if (big_endian(number) != 1) continue;
        Header before;
        in.read(before.data(), before.size());
        return in ? std::optional(before) : std::nullopt;
    }
    return std::nullopt;
}

/// The journal tells of a change of this very file: every change keeps the first page as it was, with its counter.
bool belongs(const Header& before, const Header& now) {
    const std::uint32_t was = big_endian(&before[at_change_counter]), is = big_endian(&now[at_change_counter]);
    return (is == was || is == was + 1) && std::memcmp(&before[at_application_id], &now[at_application_id], 4) == 0 &&
           big_endian(&before[at_schema_cookie]) <= big_endian(&now[at_schema_cookie]);
}

} // namespace

std::string uri_of(const fs::path& file) {
    std::string uri = "file:";
    for (const unsigned char c : fs::absolute(file).string())
        if (std::isalnum(c) || std::strchr("/-._~", c)) uri += static_cast<char>(c);
        else uri += formatted("%{:02X}", c);
    return uri;
}

bool can_be_written(const fs::path& file) {
    const fs::path folder = file.has_parent_path() ? file.parent_path() : fs::path(".");
    return access(file.c_str(), W_OK) == 0 && access(folder.c_str(), W_OK) == 0;
}

void check_no_side_file(const fs::path& file) {
    for (const char* suffix : {"-journal", "-wal"}) {
        const fs::path side = file.string() + suffix;
        std::error_code ec;
        if (fs::exists(side, ec) && fs::file_size(side, ec) > 0)
            throw Error(ErrorKind::usage, "an unfinished change of another file lies here, which would spoil this one",
                        side, "Move it away, or choose another name");
    }
}

bool check_file(const fs::path& file, const Schema& schema, Budget& budget) {
    const std::string& what = schema.what;
    const std::uint32_t application_id = schema.application_id;
    const auto version = static_cast<std::uint32_t>(schema.migrations.size());
    if (access(file.c_str(), R_OK) != 0)
        throw Error(ErrorKind::input, "this " + what + " may not be read", file,
                    "Change its permissions, or ask its owner");
    Header h{};
    std::ifstream in(file, std::ios::binary);
    in.read(h.data(), h.size());
    if (in.gcount() < static_cast<std::streamsize>(h.size()) || std::memcmp(h.data(), "SQLite format 3", 16) != 0)
        throw Error(ErrorKind::input, "this is not a Refero " + what, file,
                    "Choose another file, or a copy of it. The file has not been touched");
    if (big_endian(&h[at_application_id]) != application_id)
        throw Error(ErrorKind::input, "this is a database, but not a Refero " + what, file,
                    "Choose another file. The file has not been touched");
    if (const std::uint32_t its = big_endian(&h[at_user_version]); its > version)
        refuse(what, file,
               "was written by a newer Refero (format " + std::to_string(its) + ", this one reads up to " +
                   std::to_string(version) + ")",
               "Update Refero.");
    std::error_code ec;
    const fs::path wal = file.string() + "-wal", journal = file.string() + "-journal";
    const bool has_wal = fs::exists(wal, ec) && fs::file_size(wal, ec) > 0;
    const char foreign[] = "has beside it an unfinished change of another file";
    if (has_wal && h[at_write_version] != wal_version)
        refuse(what, file, foreign, "Move " + wal.filename().string() + " away.");
    if (const auto before = fs::exists(journal, ec) ? page_before(journal) : std::nullopt) {
        if (!belongs(*before, h)) refuse(what, file, foreign, "Move " + journal.filename().string() + " away.");
        return true; // to be rolled back; the file may be of any length
    }
    if (has_wal) return true; // of an earlier version of Refero, to be recovered; the header may be ahead of the file
    if (fs::file_size(file, ec) < page_size_of(h) * big_endian(&h[at_page_count]))
        refuse(what, file, "is cut short", "Copy it again, or use a backup.");
    SQLite::Database db(uri_of(file) + "?immutable=1", SQLite::OPEN_READONLY | SQLite::OPEN_URI);
    harden(db, budget);
    check_objects(db, schema, file); // before anything in it is worked out
    SQLite::Statement check(db, "PRAGMA quick_check(1)");
    if (!check.executeStep() || check.getColumn(0).getString() != "ok")
        refuse(what, file, "is damaged (" + check.getColumn(0).getString() + ")", "Copy it again, or use a backup.");
    return false;
}

} // namespace refero::store
