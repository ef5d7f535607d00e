// What touches the database, with its errors turned into ours. Internal to the room.
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include "store/internal/known_schema.hpp"
#include "store/store.hpp"

namespace refero::store {

template<class F>
auto Store::guarded(const std::filesystem::path& file, F&& f) const {
    budget_->begin();
    try {
        return f();
    } catch (const SQLite::Exception& e) {
        const int code = e.getErrorCode() & 0xff;
        if (code == SQLITE_INTERRUPT)
            throw Error(ErrorKind::input, "this file asks for more work than any " + schema_.what + " does", file,
                        "Do not use it: ask whoever sent it, or take a backup");
        if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
            throw Error(ErrorKind::input, "this file is open in another Refero", file, "Close it there first");
        if (code == SQLITE_FULL)
            throw Error(ErrorKind::internal, "the disk is full; the last action was not kept", file,
                        "Free some space and do it again");
        if (e.getExtendedErrorCode() == SQLITE_READONLY_DBMOVED)
            throw Error(ErrorKind::internal, "this file was moved in the middle of a change; it was not kept", file,
                        "Do it again");
        if (code == SQLITE_READONLY || code == SQLITE_CANTOPEN || code == SQLITE_PERM)
            throw Error(ErrorKind::input, "this file cannot be opened for writing", file,
                        "Check its permissions and its folder's");
        if (code == SQLITE_NOTADB || code == SQLITE_CORRUPT)
            throw Error(ErrorKind::input, "this file is damaged", file, "Copy it again, or use a backup");
        throw Error(ErrorKind::internal, std::string("the file cannot be used: ") + e.what(), file);
    }
}

} // namespace refero::store
