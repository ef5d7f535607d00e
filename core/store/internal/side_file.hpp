// What is known of a document file before SQLite opens it, which might write. Internal to the room.
#pragma once

#include <filesystem>
#include <string>

namespace refero::store {

class Budget;
struct Schema;

/// Throws Error(input) for files that are no document of this kind, newer than `schema`, cut short or damaged, that
/// hold objects of their own, that may not be read, or that have a side file (an unfinished change) which belongs to
/// another file. Nothing is touched. True: one of its own lies beside it, and SQLite will finish it or roll it back.
bool check_file(const std::filesystem::path& file, const Schema& schema, Budget& budget);
/// Throws Error(usage) where a side file lies at a name that is about to be given to a new file.
void check_no_side_file(const std::filesystem::path& file);
/// The file itself and its folder can be written.
bool can_be_written(const std::filesystem::path& file);
/// An address for SQLite that means just this file, whatever characters its name has (RFC 3986, 2.1).
std::string uri_of(const std::filesystem::path& file);

} // namespace refero::store
