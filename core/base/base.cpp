#include "base/base.hpp"

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <ctime>
#include <fstream>

#include <uuid/uuid.h>

namespace refero {

namespace fs = std::filesystem;

static std::string in_words(const std::string& message, const fs::path& file, const std::string& remedy) {
    std::string text = file.empty() ? message : file.string() + ": " + message;
    if (!remedy.empty()) text += ". " + remedy;
    return text;
}

Error::Error(ErrorKind kind, std::string message, fs::path file, std::string remedy)
    : std::runtime_error(in_words(message, file, remedy)),
      kind_(kind),
      message_(std::move(message)),
      file_(std::move(file)),
      remedy_(std::move(remedy)) {}

std::string Error::sentences() const {
    std::string words = message_ + (remedy_.empty() ? "." : ". " + remedy_ + ".");
    words[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(words[0])));
    return words;
}

void throw_if_stopped(const std::stop_token& stop) {
    if (stop.stop_requested()) throw Error(ErrorKind::cancelled, "stopped on request");
}

std::string to_lower(std::string_view text) {
    std::string lower(text);
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
    return lower;
}

std::string utc_now() {
    const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
    std::tm t{};
    gmtime_r(&now, &t);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &t);
    return text;
}

std::string new_uid() {
    uuid_t id;
    uuid_generate_random(id);
    char text[37];
    uuid_unparse_lower(id, text);
    return text;
}

std::uintmax_t free_memory() {
    std::ifstream in("/proc/meminfo");
    for (std::string line; std::getline(in, line);)
        if (line.starts_with("MemAvailable:")) return std::strtoull(line.c_str() + 13, nullptr, 10) * 1024;
    return std::uintmax_t{2} << 30; // a guess where the system does not tell
}

std::string_view program_version() { return REFERO_VERSION; }

fs::path shipped(std::string_view relative) {
    std::error_code ec;
    if (const char* dir = std::getenv("REFERO_DATA_DIR")) {
        fs::path candidate = fs::path(dir) / relative;
        if (fs::exists(candidate, ec)) return candidate;
    }
    const fs::path program = fs::read_symlink("/proc/self/exe", ec);
    for (const fs::path& candidate :
         {program.parent_path().parent_path() / "share" / "refero" / relative, fs::path(REFERO_SOURCE_DIR) / relative})
        if (fs::exists(candidate, ec)) return candidate;
    throw Error(ErrorKind::internal, "a file that ships with Refero is missing", fs::path(relative),
                "Install Refero again, or set REFERO_DATA_DIR");
}

fs::path user_data_dir() {
    if (const char* dir = std::getenv("XDG_DATA_HOME"); dir && *dir) return fs::path(dir) / "refero";
    const char* home = std::getenv("HOME");
    return fs::path(home ? home : "/tmp") / ".local" / "share" / "refero";
}

} // namespace refero
