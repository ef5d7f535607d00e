#include "operations/capture/files.hpp"

#include <chrono>

#include "frame/sequence.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

std::vector<fs::path> pictures_of(const fs::path& file) {
    if (!frame::is_sequence_name(file)) return {file};
    try {
        return frame::sequence_named(file).files;
    } catch (const Error&) { return {}; } // none is there
}

bool has_hash(const fs::path& file, const std::string& sha256) {
    try {
        return frame::content_hash(file) == sha256;
    } catch (const Error&) { return false; } // it cannot be read: whatever it is, it is not known
}

} // namespace

std::int64_t changed_ns(const fs::path& file) {
    std::int64_t latest = 0;
    for (const fs::path& picture : pictures_of(file)) {
        std::error_code ec;
        const auto at = fs::last_write_time(picture, ec);
        if (ec) return 0;
        const auto since = std::chrono::file_clock::to_sys(at).time_since_epoch();
        latest = std::max<std::int64_t>(latest, std::chrono::duration_cast<std::chrono::nanoseconds>(since).count());
    }
    return latest;
}

std::int64_t size_of(const fs::path& file) {
    std::int64_t size = 0;
    const std::vector<fs::path> all = pictures_of(file);
    for (const fs::path& picture : all) {
        std::error_code ec;
        size += static_cast<std::int64_t>(fs::file_size(picture, ec));
        if (ec) return -1;
    }
    return all.empty() ? -1 : size;
}

FileState state_of(const shoot::FrameRecord& f, bool by_bytes) {
    if (!frame::is_there(f.path)) return FileState::gone;
    if (f.sha256.empty()) return FileState::unknown;
    if (size_of(f.path) != f.size) return FileState::changed;
    if (!by_bytes && f.changed_ns && changed_ns(f.path) == f.changed_ns) return FileState::same;
    return has_hash(f.path, f.sha256) ? FileState::same : FileState::changed;
}

FileState state_of(const shoot::HandoverFileRecord& file, const fs::path& where) {
    std::error_code ec;
    if (!fs::is_regular_file(where, ec)) return FileState::gone;
    if (file.sha256.empty()) return FileState::unknown;
    return size_of(where) == file.size && has_hash(where, file.sha256) ? FileState::same : FileState::changed;
}

Error not_as_recorded(const shoot::FrameRecord& f, FileState state) {
    if (state == FileState::changed)
        return Error(ErrorKind::input, "this file was cut or replaced after it came into the job", f.path,
                     "Put the right one back, or take it in again as it is now");
    return Error(ErrorKind::input, "this file is not where it was", f.path,
                 "Put it back, or find moved frames: name the folder that it is in now");
}

HandedOver recorded(HandedOver handed, const std::vector<fs::path>& in_folder) {
    const auto as_written = [&](const fs::path& file, const std::string& name) {
        handed.files.push_back({.name = name, .size = size_of(file), .sha256 = sha256_of(file)});
    };
    if (in_folder.empty()) as_written(handed.file, {});
    for (const fs::path& below : in_folder) as_written(handed.file / below, below.generic_string());
    return handed;
}

} // namespace refero::operations
