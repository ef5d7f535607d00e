#include "work/batch.hpp"

#include <atomic>
#include <mutex>
#include <set>
#include <thread>

#include "work/renderings.hpp"

namespace refero::work {

namespace {

/// Of memory that a frame of 45 megapixels takes on its way.
constexpr double bytes_a_frame = 1.2e9;

int jobs_for(int asked, std::size_t frames) {
    const double room = static_cast<double>(free_memory()) / bytes_a_frame;
    const int usual = std::clamp(static_cast<int>(room), 1, static_cast<int>(std::thread::hardware_concurrency()));
    return std::clamp(asked > 0 ? asked : usual, 1, std::max(1, static_cast<int>(frames)));
}

} // namespace

std::vector<BatchFrame> batch_of(const plan::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 apply::Format format, const std::filesystem::path& folder, const std::string& pattern,
                                 const std::string& space, const std::string& rendering) {
    std::vector<BatchFrame> all;
    std::set<std::string> taken;
    const auto add = [&](const Chain& chain, const InForce& by) {
        // Without the token a rendering of its own would only be told apart by a number.
        const bool named = by.rendering.empty() || pattern.find("{rendering}") != std::string::npos;
        for (Development& d : developments(shoot, chain, format, folder, named ? pattern : pattern + "_{rendering}",
                                           space, by.rendering)) {
            const std::string stem = d.target.stem().string(), extension = d.target.extension().string();
            for (int n = 2; !taken.insert(to_lower(d.target.filename().string())).second; ++n)
                d.target.replace_filename(stem + "-" + std::to_string(n) + extension);
            all.push_back({std::move(d), by.correction, {}, chain.id, by.rendering.empty() ? 0 : by.row});
        }
    };
    bool known = rendering.empty() || rendering == all_renderings;
    for (const Chain* chain : chains)
        for (const InForce& by : in_force(shoot, *chain))
            if (rendering == all_renderings || by.rendering == rendering) {
                add(*chain, by);
                known = true;
            }
    if (!known)
        throw Error(ErrorKind::usage, "no setup has a rendering '" + rendering + "' that holds", {},
                    "Keep one under this name, or fit it anew");
    return all;
}

std::vector<bool> finished(const std::vector<BatchFrame>& frames, const DevelopOptions& options) {
    std::vector<bool> all;
    std::map<const fit::Correction*, std::string> texts;
    for (const BatchFrame& f : frames) {
        std::string& text = texts[f.correction.get()];
        if (text.empty()) text = fit::to_json(*f.correction);
        all.push_back(is_finished(f.frame, record_of(f.frame, text, f.second, options)));
    }
    return all;
}

void develop_all(const std::vector<BatchFrame>& frames, const BatchOptions& options,
                 const std::function<void(const BatchEnd&)>& ended, std::stop_token stop) {
    std::atomic<std::size_t> next{0};
    std::mutex one_at_a_time;
    std::optional<Error> wrong;
    const auto work = [&] {
        Reel reel;
        for (std::size_t i; (i = next++) < frames.size();) {
            if (stop.stop_requested()) return;
            BatchEnd end{i, {}, {}};
            try {
                end.done =
                    develop(frames[i].frame, *frames[i].correction, frames[i].second, options.develop, {}, stop, &reel);
                end.done->correction = frames[i].row;
            } catch (const Error& e) { end.problem = e; } catch (const std::bad_alloc&) {
                end.problem = Error(ErrorKind::internal, "there is not enough memory", frames[i].frame.source.file,
                                    "Work on fewer frames at a time");
            } catch (const std::exception& e) {
                end.problem = Error(ErrorKind::internal, e.what(), frames[i].frame.source.file);
            }
            const std::lock_guard guard(one_at_a_time);
            if (end.problem && end.problem->kind() == ErrorKind::cancelled) return;
            if (end.problem && end.problem->kind() == ErrorKind::usage) {
                if (!wrong) wrong = end.problem;
                next = frames.size(); // it is wrong for all of them
                return;
            }
            ended(end);
        }
    };
    std::vector<std::thread> others;
    for (int k = 1; k < jobs_for(options.jobs, frames.size()); ++k) others.emplace_back(work);
    work();
    for (std::thread& t : others) t.join();
    if (wrong) throw *wrong;
    throw_if_stopped(stop);
}

} // namespace refero::work
