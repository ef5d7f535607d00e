#include "operations/handover/batch.hpp"

#include <atomic>
#include <set>
#include <thread>

#include <tbb/enumerable_thread_specific.h>
#include <tbb/info.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include "operations/capture/files.hpp"
#include "operations/correct/renderings.hpp"
#include "shoot/board.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

namespace {

/// Of memory that a frame of 45 megapixels takes on its way.
constexpr double bytes_a_frame = 1.2e9;

int jobs_for(int asked, std::size_t frames) {
    const double room = static_cast<double>(free_memory()) / bytes_a_frame;
    const int usual = std::clamp(static_cast<int>(room), 1, static_cast<int>(std::thread::hardware_concurrency()));
    return std::clamp(asked > 0 ? asked : usual, 1, std::max(1, static_cast<int>(frames)));
}

} // namespace

std::shared_ptr<const fit::Correction> correction_between(const shoot::Shoot& shoot,
                                                          const std::vector<const Chain*>& stretches,
                                                          const shoot::FrameRecord& frame) {
    std::vector<shoot::Stretch> with; // those that have a correction
    std::vector<const Chain*> chains;
    if (stretches.empty()) return nullptr;
    for (const shoot::Stretch& s : shoot::stretches(shoot, stretches.front()->id))
        for (const Chain* c : stretches)
            if (c->stretch == s.key && c->correction) {
                with.push_back(s);
                chains.push_back(c);
            }
    if (with.size() < 2) return nullptr;
    const shoot::Between b = shoot::between_at(with, shoot::time_in_job(shoot, frame));
    if (b.first == b.second) return chains[b.first]->correction;
    return std::make_shared<const fit::Correction>(
        fit::between(*chains[b.first]->correction, *chains[b.second]->correction, b.fraction));
}

std::vector<BatchFrame> batch_of(const shoot::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 apply::Format format, const std::filesystem::path& folder, const std::string& pattern,
                                 const std::string& space, const std::string& rendering) {
    std::vector<BatchFrame> all;
    std::set<std::string> taken;
    std::map<shoot::Id, std::shared_ptr<KnownFile>> known_files;
    std::map<shoot::Id, std::shared_ptr<RegionFollowed>> regions; // of chart shots
    const auto add = [&](const Chain& chain, const InForce& by) {
        // Without the token a rendering of its own would only be told apart by a number.
        const bool named = by.rendering.empty() || pattern.find("{rendering}") != std::string::npos;
        for (Development& d : developments(shoot, chain, format, folder, named ? pattern : pattern + "_{rendering}",
                                           space, by.rendering)) {
            const std::string stem = d.target.stem().string(), extension = d.target.extension().string();
            for (int n = 2; !taken.insert(to_lower(d.target.filename().string())).second; ++n)
                d.target.replace_filename(stem + "-" + std::to_string(n) + extension);
            const shoot::ChartShotRecord* shot = shoot::record(shoot.chart_shots, chain.chart_shot);
            const shoot::FrameRecord* followed = shot ? shoot::record(shoot.frames, shot->region_frame) : nullptr;
            if (followed && !shot->region.empty()) {
                auto& region = regions[shot->id];
                if (!region)
                    region = std::make_shared<RegionFollowed>(region_from(shot->region),
                                                              source_of(shoot, *followed, chain.row.mode));
                d.region = region;
            }
            auto& file = known_files[d.row];
            if (const shoot::FrameRecord* row = shoot::record(shoot.frames, d.row); row && !file)
                file = std::make_shared<KnownFile>(*row);
            std::shared_ptr<const fit::Correction> correction = by.correction;
            if (const shoot::FrameRecord* row = shoot::record(shoot.frames, d.row);
                row && by.rendering.empty() && chain.school == shoot::StretchSchool::between &&
                chain.stretches.size() > 1 && row->id != chain.chart_frame.id) {
                std::vector<const Chain*> fellows;
                for (const Chain* other : chains)
                    if (other->id == chain.id) fellows.push_back(other);
                if (auto mixed = correction_between(shoot, fellows, *row)) correction = std::move(mixed);
            }
            all.push_back({std::move(d),
                           std::move(correction),
                           {},
                           chain.id,
                           by.rendering.empty() ? (chain.stretches.size() > 1 ? chain.correction_id : 0) : by.row,
                           file,
                           chain.stretch});
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

void KnownFile::check() {
    const std::lock_guard lock(looking_);
    if (!state_) state_ = state_of(row_);
    if (*state_ == FileState::gone || *state_ == FileState::changed) throw not_as_recorded(row_, *state_);
}

std::vector<LeftOut> left_out_of(const shoot::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 const std::set<shoot::Id>& only) {
    std::set<shoot::Id> developed, corrected;
    for (const Chain* chain : chains) {
        corrected.insert(chain->id);
        developed.insert(chain->chart_frame.id);
        for (const shoot::Id id : chain->frames)
            if (const shoot::FrameRecord* f = shoot::record(shoot.frames, id); f && f->problem.empty())
                developed.insert(id);
    }
    std::vector<LeftOut> all;
    for (const shoot::FrameRecord& f : shoot.frames) {
        if (developed.contains(f.id) || (!only.empty() && !only.contains(f.setup))) continue;
        const shoot::SetupRecord* setup = shoot::record(shoot.setups, f.setup);
        const std::string title = setup ? shoot::title_of(shoot, *setup) : std::string();
        all.push_back({f.path, f.same_as                      ? f.reason
                               : !f.problem.empty()           ? f.problem
                               : !setup                       ? "in no setup: " + f.reason
                               : !corrected.contains(f.setup) ? title + " has no correction yet"
                               : f.kind == shoot::FrameKind::chart
                                   ? "another chart shot of " + title + " is in force"
                                   : "the chart shot of " + title + " that governs it has no correction yet"});
    }
    return all;
}

std::vector<std::string> in_words(const std::vector<LeftOut>& left_out, std::size_t named) {
    std::vector<std::string> lines;
    std::map<std::string, std::size_t> line_of; // reasons in the order in which they are met
    std::vector<std::vector<std::string>> files;
    for (const LeftOut& l : left_out) {
        const auto [at, fresh] = line_of.try_emplace(l.reason, files.size());
        if (fresh) {
            files.emplace_back();
            lines.push_back(l.reason);
        }
        files[at->second].push_back(std::filesystem::path(l.file).filename().string());
    }
    for (std::size_t i = 0; i < lines.size(); ++i) {
        std::string list;
        for (std::size_t k = 0; k < std::min(named, files[i].size()); ++k) list += (k ? ", " : "") + files[i][k];
        if (files[i].size() > named) list += formatted(" and {} more", files[i].size() - named);
        lines[i] = formatted("{} not developed ({}): {}", files[i].size(), lines[i], list);
    }
    return lines;
}

std::vector<bool> finished(const std::vector<BatchFrame>& frames, const DevelopOptions& options) {
    std::vector<bool> all;
    std::map<const fit::Correction*, std::string> texts;
    for (const BatchFrame& f : frames) {
        std::string& text = texts[f.correction.get()];
        if (text.empty()) text = fit::to_json(*f.correction);
        all.push_back(is_finished(f.frame, record_of(f.frame, *f.correction, text, f.second, options)));
    }
    return all;
}

namespace {

/// A frame on its way through the pipeline.
struct OnItsWay {
    BatchEnd end;
    frame::Frame pixels;
};

/// What goes wrong with a frame is told with it and keeps the others going.
void attempt(OnItsWay& frame, const std::filesystem::path& file, const std::function<void()>& step) {
    if (frame.end.problem) return;
    try {
        // Whoever waits for others here takes no other frame up meanwhile.
        tbb::this_task_arena::isolate(step);
    } catch (const Error& e) { frame.end.problem = e; } catch (const std::bad_alloc&) {
        frame.end.problem =
            Error(ErrorKind::internal, "there is not enough memory", file, "Work on fewer frames at a time");
    } catch (const std::exception& e) { frame.end.problem = Error(ErrorKind::internal, e.what(), file); }
}

} // namespace

void develop_all(const std::vector<BatchFrame>& frames, const BatchOptions& options,
                 const std::function<void(const BatchEnd&)>& ended, std::stop_token stop) {
    using Way = std::shared_ptr<OnItsWay>;
    // A clip is worked through on all cores by itself.
    const int jobs = apply::is_clip(options.develop.format) ? 1 : jobs_for(options.jobs, frames.size());
    std::size_t next = 0;
    std::atomic<bool> over = false;
    std::optional<Error> wrong;
    tbb::enumerable_thread_specific<Reel> reels;
    const auto source = [&](std::size_t i) { return frames[i].frame.source.file; };
    const auto begin = tbb::make_filter<void, Way>(tbb::filter_mode::serial_in_order, [&](tbb::flow_control& flow) {
        if (next == frames.size() || over || stop.stop_requested()) {
            flow.stop();
            return Way();
        }
        return std::make_shared<OnItsWay>(OnItsWay{{next++, {}, {}}, {}});
    });
    const auto take = tbb::make_filter<Way, Way>(tbb::filter_mode::parallel, [&](const Way& way) {
        const std::size_t i = way->end.frame;
        attempt(*way, source(i), [&] {
            if (frames[i].known) frames[i].known->check();
            way->pixels = take_frame(frames[i].frame, options.develop, reels.local(), stop);
        });
        return way;
    });
    const auto write = tbb::make_filter<Way, Way>(tbb::filter_mode::parallel, [&](const Way& way) {
        const BatchFrame& f = frames[way->end.frame];
        attempt(*way, source(way->end.frame), [&] {
            way->end.done = develop(f.frame, std::move(way->pixels), *f.correction, f.second, options.develop, stop);
            way->end.done->correction = f.row;
            if (options.recorded) {
                HandedOver& handed = *way->end.done;
                handed = recorded(std::move(handed));
            }
        });
        way->pixels = {};
        return way;
    });
    const auto end = tbb::make_filter<Way, void>(tbb::filter_mode::serial_out_of_order, [&](const Way& way) {
        const auto& problem = way->end.problem;
        if (problem && problem->kind() == ErrorKind::cancelled) return;
        if (problem && problem->kind() == ErrorKind::usage) { // it is wrong for all of them
            if (!wrong) wrong = problem;
            over = true;
            return;
        }
        if (!over) ended(way->end);
    });
    // Files are waited for as well: more threads than processors where more frames are asked for.
    tbb::task_arena arena(std::max(jobs, tbb::info::default_concurrency()));
    arena.execute([&] { tbb::parallel_pipeline(static_cast<std::size_t>(jobs), begin & take & write & end); });
    if (wrong) throw *wrong;
    throw_if_stopped(stop);
}

} // namespace refero::operations
