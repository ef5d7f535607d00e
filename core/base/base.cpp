#include "base/base.hpp"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdarg>
#include <cstdlib>
#include <ctime>
#include <fstream>
#include <memory>
#include <sstream>
#include <system_error>

#include <openssl/evp.h>
#include <unistd.h>

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

void throw_if_stopped(const std::stop_token& stop) {
    if (stop.stop_requested()) throw Error(ErrorKind::cancelled, "stopped on request");
}

std::string read_file(const fs::path& file, std::uintmax_t limit) {
    std::error_code ec;
    if (!fs::exists(file, ec)) throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    if (!fs::is_regular_file(file, ec))
        throw Error(ErrorKind::input, "this is not a file", file, "Name a file, not a folder");
    if (fs::file_size(file, ec) > limit)
        throw Error(ErrorKind::input, "the file is too large to be what it should be", file);
    std::ifstream in(file, std::ios::binary);
    std::ostringstream content;
    content << in.rdbuf();
    if (!in) throw Error(ErrorKind::input, "the file cannot be read", file, "Check its permissions");
    return std::move(content).str();
}

void write_whole(const fs::path& target, const std::function<void(const fs::path&)>& produce) {
    static std::atomic<unsigned> counter{0};
    const fs::path folder = target.has_parent_path() ? target.parent_path() : fs::path(".");
    std::error_code ec;
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "the folder does not exist", folder, "Make it first, or choose another");
    // The extension is kept because image libraries choose the format by it.
    const fs::path temporary = folder / ("." + target.stem().string() + "." + std::to_string(getpid()) + "-" +
                                         std::to_string(counter++) + ".part" + target.extension().string());
    try {
        produce(temporary);
        fs::rename(temporary, target);
    } catch (const fs::filesystem_error& problem) {
        fs::remove(temporary, ec);
        throw Error(ErrorKind::internal, std::string("cannot be written: ") + problem.code().message(), target,
                    "Check free space and permissions");
    } catch (...) {
        fs::remove(temporary, ec);
        throw;
    }
}

void write_whole(const fs::path& target, std::string_view content) {
    write_whole(target, [&](const fs::path& temporary) {
        std::ofstream out(temporary, std::ios::binary);
        out.write(content.data(), static_cast<std::streamsize>(content.size()));
        out.flush();
        if (!out) throw Error(ErrorKind::internal, "cannot be written", target, "Check free space and permissions");
    });
}

std::string sha256_of(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in) throw Error(ErrorKind::input, "the file cannot be read", file, "Check the path and permissions");
    std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> context(EVP_MD_CTX_new(), EVP_MD_CTX_free);
    EVP_DigestInit_ex(context.get(), EVP_sha256(), nullptr);
    std::string block(1 << 20, '\0');
    while (in) {
        in.read(block.data(), static_cast<std::streamsize>(block.size()));
        EVP_DigestUpdate(context.get(), block.data(), static_cast<std::size_t>(in.gcount()));
    }
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    EVP_DigestFinal_ex(context.get(), digest, &size);
    std::string text;
    for (unsigned i = 0; i < size; ++i) {
        text += "0123456789abcdef"[digest[i] >> 4];
        text += "0123456789abcdef"[digest[i] & 15];
    }
    return text;
}

std::string formatted(const char* format, ...) {
    va_list arguments;
    va_start(arguments, format);
    char buffer[1024];
    const int size = std::vsnprintf(buffer, sizeof buffer, format, arguments);
    va_end(arguments);
    if (size < static_cast<int>(sizeof buffer)) return buffer;
    std::string text(static_cast<std::size_t>(size), '\0');
    va_start(arguments, format);
    std::vsnprintf(text.data(), text.size() + 1, format, arguments);
    va_end(arguments);
    return text;
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

std::string_view program_version() { return REFERO_VERSION; }

fs::path shipped(std::string_view relative) {
    std::error_code ec;
    if (const char* dir = std::getenv("REFERO_DATA_DIR")) {
        const fs::path candidate = fs::path(dir) / relative;
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
