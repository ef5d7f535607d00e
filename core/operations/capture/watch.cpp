#include "operations/capture/watch.hpp"

#include "frame/frame.hpp"
#include "frame/sequence.hpp"
#include "operations/capture/files.hpp"
#include "operations/capture/intake.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

constexpr int deepest = 8;        ///< folders below a watched one
constexpr int looks_of_a_run = 6; ///< without a change before numbered pictures count as complete: some seconds

// Calls `f` with every regular file; unreadable places are passed over.
template<class F>
void walk(const fs::path& folder, F&& f) {
    std::error_code ec;
    fs::recursive_directory_iterator it(folder, fs::directory_options::skip_permission_denied, ec), end;
    while (!ec && it != end) {
        const std::string name = it->path().filename().string();
        if (name.starts_with(".") || it.depth() > deepest) it.disable_recursion_pending();
        std::error_code ignored;
        if (!name.starts_with(".") && it->is_regular_file(ignored)) f(*it);
        it.increment(ec);
    }
}

} // namespace

FileStamp stamp_of(const fs::path& file) { return {size_of(file), changed_ns(file)}; }

void FolderWatch::set_folders(const std::vector<fs::path>& folders) {
    folders_ = folders;
    seen_.clear();
}

bool FolderWatch::is_known(const fs::path& file) const {
    return known_.contains(file.string()) ||
           std::any_of(known_sequences_.begin(), known_sequences_.end(),
                       [&](const std::string& known) { return frame::is_part_of(file, known); });
}

void FolderWatch::known(const fs::path& file) {
    known_.insert(file.string());
    if (frame::is_sequence_name(file)) known_sequences_.insert(file.string());
}

void FolderWatch::forget(const fs::path& file) {
    known_.erase(file.string());
    known_sequences_.erase(file.string());
}

void FolderWatch::await(const fs::path& file, const FileStamp& as, bool arriving) {
    awaited_[file.string()] = {as, arriving};
    known(file);
}

bool FolderWatch::in_folders(const fs::path& file) const {
    return std::any_of(folders_.begin(), folders_.end(), [&](const fs::path& folder) {
        const fs::path below = file.lexically_relative(folder);
        return !below.empty() && *below.begin() != "..";
    });
}

void FolderWatch::remember(const FolderWatch& copy) {
    seen_ = copy.seen_;
    for (auto at = awaited_.begin(); at != awaited_.end();)
        if (const auto theirs = copy.awaited_.find(at->first); theirs != copy.awaited_.end()) {
            at->second.seen = theirs->second.seen;
            ++at;
        } else if (copy.known_.contains(at->first)) at = awaited_.erase(at); // found again
        else ++at;                                                           // awaited since
}

// Those that changed since they could not be read, and have come to rest.
std::vector<fs::path> FolderWatch::look_at_awaited() {
    std::vector<fs::path> ready;
    for (auto& [path, a] : awaited_) {
        const FileStamp now = stamp_of(path);
        if (now.size <= 0) continue; // gone for now, or empty
        a.seen.still = now == a.seen.stamp ? a.seen.still + 1 : 0;
        a.seen.stamp = now;
        if (a.seen.still >= 1 && (a.arriving || now != a.failed) && !is_being_written(path)) ready.emplace_back(path);
    }
    for (const fs::path& file : ready) awaited_.erase(file.string());
    return ready;
}

std::vector<fs::path> FolderWatch::look() {
    std::map<std::string, Seen> now;
    for (const fs::path& folder : folders_)
        walk(folder, [&](const fs::directory_entry& entry) {
            const std::string path = entry.path().string();
            if (!frame::is_frame_name(entry.path()) || is_known(path)) return;
            Seen seen{stamp_of(entry.path())};
            if (seen.stamp.size <= 0) return;
            if (const auto before = seen_.find(path); before != seen_.end() && before->second.stamp == seen.stamp)
                seen.still = before->second.still + 1;
            now[path] = seen;
        });
    // Numbered pictures of one name settle together: more of them may be on their way.
    std::map<fs::path, int> stillest; // looks without a change, of each run
    for (const auto& [path, seen] : now)
        if (const fs::path run = frame::run_of(path); !run.empty()) {
            const auto at = stillest.try_emplace(run, seen.still).first;
            at->second = std::min(at->second, seen.still);
        }
    std::vector<fs::path> complete;
    for (const auto& [path, seen] : now) {
        const auto run = stillest.find(frame::run_of(path));
        const bool still = run == stillest.end() ? seen.still >= 1 : run->second >= looks_of_a_run;
        if (still && !is_being_written(path)) complete.emplace_back(path);
    }
    for (const fs::path& file : complete) now.erase(file.string());
    seen_ = std::move(now);
    complete = frame::gathered(complete);
    for (const fs::path& file : complete) known(file);
    for (const fs::path& file : look_at_awaited()) complete.push_back(file);
    std::sort(complete.begin(), complete.end(),
              [](const fs::path& a, const fs::path& b) { return a.filename() < b.filename(); });
    complete.erase(std::unique(complete.begin(), complete.end()), complete.end());
    return in_order_of_time(complete);
}

std::vector<Found> found_again(const std::vector<shoot::FrameRecord>& missing, const fs::path& folder,
                               std::stop_token stop) {
    std::multimap<std::string, const shoot::FrameRecord*> by_name;
    std::vector<const shoot::FrameRecord*> sequences;
    for (const shoot::FrameRecord& f : missing)
        if (frame::is_sequence_name(f.path)) sequences.push_back(&f);
        else by_name.emplace(fs::path(f.path).filename().string(), &f);
    std::set<fs::path> tried; // each place of a sequence once
    std::vector<Found> all;
    std::set<shoot::Id> done;
    walk(folder, [&](const fs::directory_entry& entry) {
        if (stop.stop_requested()) return;
        const auto [first, last] = by_name.equal_range(entry.path().filename().string());
        for (auto it = first; it != last; ++it) {
            const shoot::FrameRecord& f = *it->second;
            std::error_code ec;
            if (done.contains(f.id) || static_cast<std::int64_t>(entry.file_size(ec)) != f.size || ec) continue;
            if (!f.sha256.empty() && sha256_of(entry.path()) != f.sha256) continue;
            done.insert(f.id);
            all.push_back({f.id, entry.path()});
            break;
        }
        for (const shoot::FrameRecord* f : sequences) {
            const fs::path here = entry.path().parent_path() / fs::path(f->path).filename();
            if (done.contains(f->id) || !frame::is_part_of(entry.path(), here) || !tried.insert(here).second) continue;
            try {
                if (described(here).sha256 != f->sha256) continue;
            } catch (const Error&) { continue; } // another one, or with a gap
            done.insert(f->id);
            all.push_back({f->id, here});
        }
    });
    throw_if_stopped(stop);
    return all;
}

} // namespace refero::operations
