#include "operations/capture/arrival.hpp"

#include <cmath>
#include <csignal>
#include <thread>

#include <fcntl.h>
#include <unistd.h>

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include "frame/clip.hpp"
#include "frame/sequence.hpp"
#include "operations/capture/files.hpp"
#include "operations/capture/footage.hpp"
#include "operations/capture/preview.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

void describe_clip(const fs::path& file, shoot::FrameRecord& f) {
    const frame::Clip clip = frame::read_clip(file);
    f.kind = shoot::FrameKind::clip;
    f.duration_s = clip.duration_s;
    f.frames_per_second = clip.frames_per_second;
    f.make = clip.make;
    f.model = clip.model;
    f.taken = clip.taken;
    f.timecode = clip.timecode;
    f.reel = clip.reel;
}

} // namespace

shoot::FrameRecord described(const fs::path& file) {
    shoot::FrameRecord f;
    f.path = fs::absolute(file).lexically_normal().string();
    std::error_code ec;
    if (frame::is_sequence_name(file)) {
        const frame::Sequence all = frame::sequence_named(file);
        f.path = fs::absolute(all.pattern).lexically_normal().string(); // however it was written
        for (const fs::path& picture : all.files) f.size += static_cast<std::int64_t>(fs::file_size(picture, ec));
        f.changed_ns = changed_ns(file);
        f.sha256 = frame::content_hash(file);
        describe_clip(file, f);
        return f;
    }
    f.size = static_cast<std::int64_t>(fs::file_size(file, ec));
    if (ec) throw Error(ErrorKind::input, "the file cannot be read", file, "Check the path and permissions");
    f.changed_ns = changed_ns(file);
    f.sha256 = sha256_of(file);
    const frame::FileKind kind = frame::kind_of(file);
    f.raw = kind == frame::FileKind::raw;
    if (kind == frame::FileKind::clip) {
        describe_clip(file, f);
        return f;
    }
    const frame::Metadata m = frame::read_metadata(file);
    f.make = m.make;
    f.model = m.model;
    f.serial_number = m.serial_number;
    f.lens_name = m.lens;
    f.taken = m.taken + (m.taken.empty() || m.fraction.empty() ? "" : "." + m.fraction);
    f.exposure_s = m.exposure_s;
    f.f_number = m.f_number;
    f.iso = m.iso;
    f.focal_mm = m.focal_mm;
    f.flash = m.flash;
    f.auto_balance = m.auto_balance;
    if (!f.raw) f.style = m.style;
    if (f.raw) {
        try {
            const frame::Frame header = frame::read_raw_header(file);
            if (header.as_shot && header.camera_from_xyz)
                f.as_shot_kelvin = balance::light_of({.gains = *header.as_shot}, *header.camera_from_xyz).kelvin;
        } catch (const Error&) { // whoever reads its pixels says why
        }
    }
    return f;
}

Arrival look_at(const fs::path& file, const inspect::Limits& limits, const LookOptions& options,
                const Progress& progress, std::stop_token stop) {
    Arrival a;
    const std::int64_t size_before = size_of(file), changed_before = changed_ns(file);
    try {
        a.row = described(file);
        a.own_work =
            frame::is_own_work(frame::is_sequence_name(file) ? frame::sequence_named(file).files.front() : file);
        if (a.row.kind == shoot::FrameKind::clip) {
            const ShotOptions any{.position_s = -1};
            const auto seen = chart_stills(
                file, any, [&](double share) { return progress ? progress(0.8 * share) : void(); }, stop);
            const auto best = best_still(file, seen, any, limits, stop);
            if (!best) return a;
            a.row.position_s = best->still.position_s;
        }
        if (a.row.raw && !options.raw_data && preview_rules_out_chart(file)) {
            a.measured.problem = "no chart was found";
            return a;
        }
        a.measured = measure({{a.row.path, a.row.sha256, {}, a.row.position_s}, {}, {}, limits}, {}, progress, stop);
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::cancelled) throw;
        std::error_code ec;
        a.arriving = size_of(file) != size_before || changed_ns(file) != changed_before || is_being_written(file);
        if (options.must_read && !a.arriving) throw;
        a.row.sha256.clear(); // of bytes that may not be all
        a.row.size = std::max<std::int64_t>(0, size_before);
        a.row.changed_ns = changed_before;
        if (a.row.path.empty()) a.row.path = fs::absolute(file, ec).lexically_normal().string();
        a.row.problem = e.sentences(); // named in the list, with the remedy
    }
    return a;
}

bool is_being_written(const fs::path& file) {
    const int descriptor = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    if (descriptor < 0) return false;
    fcntl(descriptor, F_SETSIG, SIGURG); // whoever opens it just now sends this one, which is ignored
    const bool refused = fcntl(descriptor, F_SETLEASE, F_RDLCK) != 0 && errno == EAGAIN; // fcntl(2), Leases
    close(descriptor);                                                                   // and lets go of a lease
    return refused;
}

void wait_for(const fs::path& file, std::stop_token stop) {
    using namespace std::chrono_literals;
    constexpr std::chrono::milliseconds look_every = 200ms, settled_after = 3s, given_up_after = 60s;
    const auto stamp = [&] { return std::pair(size_of(file), changed_ns(file)); };
    auto seen = stamp();
    auto still_since = std::chrono::steady_clock::now();
    for (;;) {
        throw_if_stopped(stop);
        std::this_thread::sleep_for(look_every);
        const auto now = std::chrono::steady_clock::now();
        if (const auto is = stamp(); is != seen) {
            seen = is;
            still_since = now;
        }
        const auto still = now - still_since;
        if (still >= given_up_after || (still >= settled_after && !is_being_written(file))) return;
    }
}

bool is_as_known(const shoot::FrameRecord& f) { return f.problem.empty() && state_of(f) == FileState::same; }

std::vector<fs::path> in_order_of_time(const std::vector<fs::path>& files, std::stop_token stop) {
    struct Coming {
        fs::path file;
        std::string taken; ///< empty: not told
        bool raw = false;
    };
    std::vector<Coming> all(files.size());
    tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
        if (stop.stop_requested()) return;
        all[i].file = files[i];
        try {
            const frame::FileKind kind = frame::kind_of(files[i]);
            all[i].raw = kind == frame::FileKind::raw;
            if (kind == frame::FileKind::clip) {
                all[i].taken = frame::read_clip(files[i]).taken;
                return;
            }
            const frame::Metadata m = frame::read_metadata(files[i]);
            all[i].taken = m.taken + (m.fraction.empty() ? "" : "." + m.fraction);
        } catch (const Error&) { // whoever looks at it says why
        }
    });
    throw_if_stopped(stop);
    std::stable_sort(all.begin(), all.end(), [](const Coming& a, const Coming& b) {
        if (a.taken.empty() != b.taken.empty()) return b.taken.empty();
        constexpr std::size_t whole_seconds = 19; // a companion may tell no fraction
        const int by_time = a.taken.substr(0, whole_seconds).compare(b.taken.substr(0, whole_seconds));
        return by_time != 0 ? by_time < 0 : a.raw && !b.raw;
    });
    std::vector<fs::path> ordered;
    for (Coming& c : all) ordered.push_back(std::move(c.file));
    return ordered;
}

std::vector<LookedAt> look_at_all(const std::vector<fs::path>& files, const inspect::Limits& limits,
                                  std::stop_token stop) {
    std::vector<LookedAt> all(files.size());
    tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
        if (stop.stop_requested()) return;
        try {
            // Isolated: a thread that waits within one file must not begin another one.
            tbb::this_task_arena::isolate([&] {
                all[i].arrival =
                    look_at(files[i], limits, {.must_read = true, .raw_data = files.size() == 1}, {}, stop);
            });
            all[i].arrival.measured.frame.reset(); // pixels of many frames need more memory than there is
        } catch (const Error& e) {
            all[i].failed = e;
        } catch (const std::exception& e) { // of a library: it must not end the look at the others
            all[i].failed = Error(ErrorKind::internal, e.what(), files[i], "Take it in again by itself");
        }
    });
    throw_if_stopped(stop);
    return all;
}

} // namespace refero::operations
