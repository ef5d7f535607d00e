// Files read and written whole.
#include <algorithm>
#include <array>
#include <atomic>
#include <csignal>
#include <cstring>
#include <fstream>
#include <memory>
#include <mutex>
#include <set>
#include <sstream>
#include <system_error>

#include <fcntl.h>
#include <openssl/evp.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/base.hpp"

namespace refero {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t longest_stem = 100; ///< bytes of a target's name that a temporary one repeats
constexpr const char* part_mark = ".part";

// ---- temporary files that a signal must remove: a table that the handler can read at any moment

constexpr std::size_t most_parts = 64;
std::array<std::atomic<char*>, most_parts> parts_under_way;

class PartUnderWay {
public:
    explicit PartUnderWay(const fs::path& file) : name_(strdup(file.c_str())) {
        for (auto& slot : parts_under_way) {
            char* none = nullptr;
            if (!slot.compare_exchange_strong(none, name_)) continue;
            slot_ = &slot;
            return;
        }
    }
    ~PartUnderWay() {
        if (slot_) slot_->store(nullptr);
        free(name_);
    }
    PartUnderWay(const PartUnderWay&) = delete;

private:
    char* name_;
    std::atomic<char*>* slot_ = nullptr;
};

/// Removes a folder from within a signal's handler, where only few calls are allowed (signal-safety(7)).
void remove_folder_from_handler(const char* name) {
    const pid_t child = fork();
    if (child == 0) {
        execl("/bin/rm", "rm", "-rf", "--", name, static_cast<char*>(nullptr));
        _exit(1);
    }
    if (child > 0) waitpid(child, nullptr, 0);
}

extern "C" void remove_parts_and_end(int signal) {
    for (auto& slot : parts_under_way)
        if (const char* name = slot.load(); name && unlink(name) != 0 && errno == EISDIR)
            remove_folder_from_handler(name);
    std::signal(signal, SIG_DFL);
    raise(signal);
}

// ---- names of temporary files: .STEM.HOST-PID-START-NUMBER.part.EXTENSION

std::string host_name() {
    char name[256] = {};
    gethostname(name, sizeof name - 1);
    std::string text = name;
    for (char& c : text)
        if (!std::isalnum(static_cast<unsigned char>(c))) c = '_';
    return text.empty() ? "host" : text;
}

/// When a process was started, in the kernel's ticks since the machine was (proc(5), stat, field 22); empty: it is
/// dead.
std::string start_of(const std::string& process) {
    std::ifstream in("/proc/" + process + "/stat");
    std::string text;
    std::getline(in, text);
    const std::size_t name_end = text.rfind(')'); // the name may hold blanks and brackets
    if (name_end == std::string::npos) return {};
    std::istringstream fields(text.substr(name_end + 1));
    std::string field;
    for (int i = 3; i <= 22; ++i) fields >> field;
    return field;
}

std::string own_mark() { return host_name() + "-" + std::to_string(getpid()) + "-" + start_of("self"); }

fs::path temporary_for(const fs::path& folder, const fs::path& target) {
    static std::atomic<unsigned> counter{0};
    // The extension is kept because image libraries choose the format by it.
    return folder / ("." + target.stem().string().substr(0, longest_stem) + "." + own_mark() + "-" +
                     std::to_string(counter++) + part_mark + target.extension().string());
}

/// A temporary file whose writer, a process of this machine, is dead.
bool abandoned(const fs::path& file) {
    const std::string name = file.filename().string();
    const std::size_t part = name.rfind(part_mark);
    if (!name.starts_with('.') || part == std::string::npos) return false;
    const std::size_t dot = name.rfind('.', part - 1);
    if (dot == std::string::npos || dot == 0) return false;
    std::istringstream mark(name.substr(dot + 1, part - dot - 1));
    std::string host, process, start, number;
    for (std::string* field : {&host, &process, &start, &number}) std::getline(mark, *field, '-');
    const auto digits = [](const std::string& text) {
        return !text.empty() && text.find_first_not_of("0123456789") == std::string::npos;
    };
    if (host != host_name() || !digits(process) || !digits(start) || !digits(number)) return false;
    return start_of(process) != start;
}

/// Once a folder and run: what killed runs have left there.
void sweep(const fs::path& folder) {
    static std::mutex lock;
    static std::set<fs::path> swept;
    {
        const std::lock_guard guard(lock);
        if (!swept.insert(fs::absolute(folder).lexically_normal()).second) return;
    }
    std::error_code ec;
    std::vector<fs::path> old;
    for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec))
        if (abandoned(it->path())) old.push_back(it->path());
    for (const fs::path& file : old) fs::remove_all(file, ec);
}

[[noreturn]] void cannot_write(const fs::path& target, int error) {
    throw Error(ErrorKind::internal, std::string("cannot be written: ") + std::strerror(error), target,
                error == ENOSPC || error == EFBIG || error == EDQUOT ? "Free some space, then do it again"
                : error == ENAMETOOLONG
                    ? "Its name or path is too long here: choose a shorter one, or a folder nearer to "
                      "the top"
                    : "Check free space and permissions");
}

void sync(const fs::path& file, const fs::path& target) {
    const int descriptor = open(file.c_str(), O_RDONLY | O_CLOEXEC);
    if (descriptor < 0) cannot_write(target, errno);
    const int done = fsync(descriptor);
    const int error = errno;
    struct stat status {};
    const bool empty = fstat(descriptor, &status) == 0 && S_ISREG(status.st_mode) && status.st_size == 0;
    close(descriptor);
    if (done != 0 && error != EINVAL) cannot_write(target, error);
    if (empty)
        throw Error(ErrorKind::internal, "cannot be written: nothing arrived on the disk", target,
                    "Check free space and permissions");
}

// The renaming itself is on the disk when its folder is.
void sync_folder(const fs::path& folder) {
    const int descriptor = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (descriptor < 0) return;
    fsync(descriptor);
    close(descriptor);
}

[[noreturn]] void refuse_existing(const fs::path& target) {
    throw Error(ErrorKind::usage, "this file exists already", target,
                "Choose another name, or allow it to be replaced");
}

std::string hexadecimal(const unsigned char* digest, unsigned size) {
    std::string text;
    for (unsigned i = 0; i < size; ++i) {
        text += "0123456789abcdef"[digest[i] >> 4];
        text += "0123456789abcdef"[digest[i] & 15];
    }
    return text;
}

/// One path for one file: links followed as far as the path exists.
fs::path one_path(const fs::path& file) {
    std::error_code ec;
    const fs::path canonical = fs::weakly_canonical(fs::absolute(file, ec), ec);
    return ec ? fs::absolute(file, ec).lexically_normal() : canonical;
}

} // namespace

std::string read_file(const fs::path& file, std::uintmax_t limit) {
    std::error_code ec;
    const fs::file_status status = fs::status(file, ec);
    if (status.type() == fs::file_type::not_found)
        throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    if (!fs::exists(status))
        throw Error(ErrorKind::input, "the file cannot be read: " + ec.message(), file, "Check the path");
    if (!fs::is_regular_file(status))
        throw Error(ErrorKind::input, "this is not a file", file, "Name a file, not a folder");
    if (fs::file_size(file, ec) > limit)
        throw Error(ErrorKind::input, "the file is too large to be what it should be", file);
    std::ifstream in(file, std::ios::binary);
    std::ostringstream content;
    content << in.rdbuf();
    if (!in && fs::file_size(file, ec) > 0)
        throw Error(ErrorKind::input, "the file cannot be read", file, "Check its permissions");
    return std::move(content).str();
}

void write_whole(const fs::path& target, const std::function<void(const fs::path&)>& produce, Existing existing) {
    const fs::path folder = target.has_parent_path() ? target.parent_path() : fs::path(".");
    std::error_code ec;
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "the folder does not exist", folder, "Make it first, or choose another");
    if (fs::is_directory(target, ec)) throw Error(ErrorKind::usage, "this is a folder", target, "Name a file");
    if (existing == Existing::refuse && fs::exists(fs::symlink_status(target, ec))) refuse_existing(target);
    sweep(folder);
    const fs::path temporary = temporary_for(folder, target);
    const PartUnderWay under_way(temporary);
    try {
        produce(temporary);
        sync(temporary, target);
        // Linking fails where the name is taken, whoever took it meanwhile; file systems without links are asked again.
        if (existing == Existing::refuse && link(temporary.c_str(), target.c_str()) == 0) fs::remove(temporary, ec);
        else if (existing == Existing::refuse && (errno == EEXIST || fs::exists(target, ec))) refuse_existing(target);
        else fs::rename(temporary, target);
        sync_folder(folder);
    } catch (const fs::filesystem_error& problem) {
        fs::remove(temporary, ec);
        cannot_write(target, problem.code().value());
    } catch (...) {
        fs::remove(temporary, ec);
        throw;
    }
}

void write_whole(const fs::path& target, std::string_view content, Existing existing) {
    write_whole(
        target,
        [&](const fs::path& temporary) {
            errno = 0;
            std::ofstream out(temporary, std::ios::binary);
            out.write(content.data(), static_cast<std::streamsize>(content.size()));
            out.close();
            std::error_code ec;
            if (!out || fs::file_size(temporary, ec) != content.size()) cannot_write(target, errno ? errno : EIO);
        },
        existing);
}

struct TemporaryFolder::UnderWay : PartUnderWay {
    using PartUnderWay::PartUnderWay;
};

TemporaryFolder::TemporaryFolder(const fs::path& in, const std::string& stem) {
    sweep(in);
    path_ = temporary_for(in, stem);
    under_way_ = std::make_unique<UnderWay>(path_);
    std::error_code ec;
    if (!fs::create_directory(path_, ec) || ec) cannot_write(path_, ec.value());
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ignored;
    fs::remove_all(path_, ignored);
}

void remove_unfinished_files_on_signals() {
    for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, remove_parts_and_end);
    std::signal(SIGXFSZ, SIG_IGN); // a limit on file size is an error of writing, not the end of the program
}

bool same_file(const fs::path& a, const fs::path& b) {
    std::error_code ec;
    if (fs::equivalent(a, b, ec)) return true;
    return one_path(a) == one_path(b);
}

void check_outputs(const std::vector<fs::path>& outputs, const std::vector<fs::path>& inputs, bool overwrite,
                   const std::string& remedy) {
    std::set<fs::path> distinct, sources;
    for (const fs::path& input : inputs)
        if (!input.empty()) sources.insert(one_path(input));
    for (const fs::path& output : outputs) {
        if (!distinct.insert(one_path(output)).second)
            throw Error(ErrorKind::usage, "two outputs would be this file", output, "Give them different names");
        std::error_code ec;
        const bool there = fs::exists(fs::symlink_status(output, ec));
        const bool is_input = sources.contains(one_path(output)) ||
                              (there && std::any_of(inputs.begin(), inputs.end(), [&](const fs::path& input) {
                                   return !input.empty() && fs::equivalent(input, output, ec);
                               }));
        if (is_input)
            throw Error(ErrorKind::usage, "this would replace one of the inputs", output,
                        "Choose another name or folder");
        if (there && fs::is_directory(output, ec))
            throw Error(ErrorKind::usage, "this is a folder", output, "Name a file");
        if (there && !overwrite) throw Error(ErrorKind::usage, "this file exists already", output, remedy);
    }
}

struct Sha256::Context {
    std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> state{EVP_MD_CTX_new(), EVP_MD_CTX_free};
};

Sha256::Sha256() : context_(std::make_unique<Context>()) {
    EVP_DigestInit_ex(context_->state.get(), EVP_sha256(), nullptr);
}
Sha256::~Sha256() = default;

void Sha256::add(std::string_view bytes) { EVP_DigestUpdate(context_->state.get(), bytes.data(), bytes.size()); }

std::string Sha256::end() {
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    EVP_DigestFinal_ex(context_->state.get(), digest, &size);
    return hexadecimal(digest, size);
}

std::string sha256_of(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in) throw Error(ErrorKind::input, "the file cannot be read", file, "Check the path and permissions");
    Sha256 hash;
    std::string block(1 << 20, '\0');
    while (in) {
        in.read(block.data(), static_cast<std::streamsize>(block.size()));
        hash.add({block.data(), static_cast<std::size_t>(in.gcount())});
    }
    if (in.bad()) throw Error(ErrorKind::input, "the file cannot be read to its end", file, "Copy it again");
    return hash.end();
}

std::string sha256_of_text(std::string_view text) {
    Sha256 hash;
    hash.add(text);
    return hash.end();
}

} // namespace refero
