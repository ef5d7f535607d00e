// Base: what every room needs and no room owns: errors, whole-file writing, hashing, progress.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <stdexcept>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

#include <fmt/core.h>

/// Paths in texts, as they are.
template<>
struct fmt::formatter<std::filesystem::path> {
    constexpr auto parse(fmt::format_parse_context& context) { return context.begin(); }
    template<class Context>
    auto format(const std::filesystem::path& path, Context& context) const {
        auto out = context.out();
        for (const char c : path.native()) *out++ = c;
        return out;
    }
};

namespace refero {

/// Why an operation failed; decides the exit status of the command line.
enum class ErrorKind {
    internal,  ///< a fault of the program or the machine (disk full ...)
    usage,     ///< asked for in a wrong way (unknown name, output exists ...)
    input,     ///< an input cannot be read or is not valid
    not_found, ///< no chart in the frame
    cancelled, ///< stopped on request
};

/// The one exception type: what failed, on which file, and what the user can do.
class Error : public std::runtime_error {
public:
    Error(ErrorKind kind, std::string message, std::filesystem::path file = {}, std::string remedy = {});

    ErrorKind kind() const { return kind_; }
    /// What failed, without the file and the remedy.
    const std::string& message() const { return message_; }
    const std::filesystem::path& file() const { return file_; }
    const std::string& remedy() const { return remedy_; }
    /// Message and remedy as sentences, without the file: "No chart was found. Check that ...".
    std::string sentences() const;

private:
    ErrorKind kind_;
    std::string message_;
    std::filesystem::path file_;
    std::string remedy_;
};

/// Reports progress of slow work, 0 to 1. May be empty. Called from the working thread.
using Progress = std::function<void(double)>;

/// Throws Error(cancelled) when a stop was asked for.
void throw_if_stopped(const std::stop_token& stop);

/// Reads a whole file. Throws Error(input) naming the file, also when it is larger than `limit` bytes.
std::string read_file(const std::filesystem::path& file, std::uintmax_t limit = std::uintmax_t{1} << 30);

/// What writing does about a file that is there already.
enum class Existing { replace, refuse };

/// Writes through a temporary file in the same folder: `produce` gets its path (same extension) and writes it. It is
/// then synced to the disk, checked and renamed, so that the target is either untouched or complete. Throws
/// Error(internal) when it cannot be written whole, Error(usage) for a folder that is not there or a target that is to
/// be refused. Temporary files that runs on this machine left behind when they were killed are removed from the folder.
void write_whole(const std::filesystem::path& target, const std::function<void(const std::filesystem::path&)>& produce,
                 Existing existing = Existing::replace);
void write_whole(const std::filesystem::path& target, std::string_view content, Existing existing = Existing::replace);

/// An empty hidden folder for the time of some work, on the same disk as what it will become. It goes at the end, on
/// signals, and after a kill when the next run writes into `in`. Throws Error(internal).
class TemporaryFolder {
public:
    TemporaryFolder(const std::filesystem::path& in, const std::string& stem);
    ~TemporaryFolder();
    TemporaryFolder(const TemporaryFolder&) = delete;
    const std::filesystem::path& path() const { return path_; }

private:
    struct UnderWay;
    std::filesystem::path path_;
    std::unique_ptr<UnderWay> under_way_;
};

/// From now on SIGINT, SIGTERM and SIGHUP remove the temporary files under way before they end the program.
void remove_unfinished_files_on_signals();

/// Refuses outputs that would do harm, before the first byte is written. Throws Error(usage), naming the file, when two
/// outputs are one file, when an output is one of the `inputs` (under whatever name), and, unless `overwrite`, when it
/// exists.
void check_outputs(const std::vector<std::filesystem::path>& outputs, const std::vector<std::filesystem::path>& inputs,
                   bool overwrite, const std::string& remedy = "Choose another name, or allow it to be replaced");

/// Both name one file, existing or not.
bool same_file(const std::filesystem::path& a, const std::filesystem::path& b);

/// SHA-256 (FIPS 180-4) of bytes as they come.
class Sha256 {
public:
    Sha256();
    ~Sha256();
    Sha256(const Sha256&) = delete;
    void add(std::string_view bytes);
    /// Of all that was added, 64 lower-case hexadecimal digits; ends it.
    std::string end();

private:
    struct Context;
    std::unique_ptr<Context> context_;
};

/// SHA-256 of a file, 64 lower-case hexadecimal digits.
std::string sha256_of(const std::filesystem::path& file);
/// The same of a text.
std::string sha256_of_text(std::string_view text);

/// A number that something can be worked out with: finite, and no larger in size than any light, code or count here.
inline bool is_reasonable(double v, double largest = 1e6) { return v >= -largest && v <= largest; }

/// A text with values in it: "{:.2f} mm". Never by the user's locale.
template<class... Values>
std::string formatted(fmt::format_string<Values...> format, Values&&... values) {
    return fmt::format(format, std::forward<Values>(values)...);
}

/// Lower-case copy (ASCII).
std::string to_lower(std::string_view text);

/// Now, "YYYY-MM-DDThh:mm:ssZ".
std::string utc_now();

/// A new random identifier (RFC 4122, version 4), "xxxxxxxx-xxxx-4xxx-yxxx-xxxxxxxxxxxx".
std::string new_uid();

/// Bytes of memory that can be used now without pushing anything out (Linux: MemAvailable).
std::uintmax_t free_memory();

/// Version of the program, e.g. "0.1.0".
std::string_view program_version();

/// A file or folder that ships with the program ("charts", "demo"): looked for in $REFERO_DATA_DIR, beside
/// the installed program (../share/refero) and in the source tree that the program was built from.
/// Throws Error(internal) if it is nowhere.
std::filesystem::path shipped(std::string_view relative);

/// The user's own data folder, $XDG_DATA_HOME/refero or ~/.local/share/refero; may not exist yet.
std::filesystem::path user_data_dir();

} // namespace refero
