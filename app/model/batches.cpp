#include "model/batches.hpp"

#include "model/document.hpp"
#include "model/handovers.hpp"
#include "model/watcher.hpp"
#include "operations/capture/files.hpp"
#include "operations/correct/renderings.hpp"

namespace refero::app {

namespace {
constexpr qint64 collect_every_ms = 2000; ///< the job learns what was written at least so often

int times_rendered(const shoot::Shoot& shoot, const Chain& chain, const std::string& rendering) {
    if (rendering.empty()) return 1;
    const auto all = operations::in_force(shoot, chain);
    return static_cast<int>(std::count_if(all.begin(), all.end(), [&](const operations::InForce& r) {
        return rendering == operations::all_renderings || r.rendering == rendering;
    }));
}
} // namespace

Batches::Batches(JobDocument& job, Chains& chains, Handovers& handovers, Watcher& watcher, Tasks& tasks,
                 Notices& notices)
    : job_(job),
      chains_(chains),
      handovers_(handovers),
      watcher_(watcher),
      tasks_(tasks),
      notices_(notices) {
    connect(&job, &JobDocument::ending, this, [this] { job_ends_ = true; });
    connect(&job, &JobDocument::closing, this, [this] {
        job_ends_ = false;
        state_ = {};
        emit changed();
    });
}

int Batches::count(const BatchWish& wish) const {
    int n = 0;
    for (const Id setup : wish.setups)
        for (const Chain& chain : chains_.has(setup) ? chains_.stretches(setup) : std::vector<Chain>()) {
            if (!chain.correction) continue;
            int files = chain.chart_frame.id ? operations::stills_in(chain.chart_frame) : 0;
            for (const Id id : chain.frames)
                if (const shoot::FrameRecord* f = job_.frame(id); f && id != chain.chart_frame.id)
                    files += operations::stills_in(*f);
            n += times_rendered(job_.shoot(), chain, wish.rendering) * files;
        }
    return n;
}

void Batches::develop(const BatchWish& wish) {
    if (state_.running) return notices_.tell(tr("A batch is under way. Wait for it, or cancel it first."));
    std::error_code ec;
    fs::create_directories(wish.folder, ec);
    if (!fs::is_directory(wish.folder, ec))
        return notices_.tell(tr("%1: this folder cannot be made. Choose another one.").arg(qt(wish.folder.string())));
    std::vector<const Chain*> chains;
    for (const Id setup : wish.setups)
        if (chains_.has(setup))
            for (const Chain& chain : chains_.stretches(setup))
                if (chain.correction) chains.push_back(&chain);
    std::vector<operations::BatchFrame> all;
    if (!notices_.guarded([&] {
            all = operations::batch_of(job_.shoot(), chains, wish.develop.format, wish.folder, wish.pattern,
                                       wish.develop.space, wish.rendering);
        }))
        return;
    if (chains_.has(wish.second))
        for (operations::BatchFrame& f : all) f.second = {chains_.at(wish.second).correction};
    // What may be finished is opened to see by which correction: beside the window, there may be hundreds.
    std::vector<fs::path> all_targets;
    for (const operations::BatchFrame& f : all) all_targets.push_back(f.frame.target);
    const auto begin_with = [=, this](const std::vector<bool>& before) { begin(wish, all, before); };
    if (!wish.resume || operations::existing(all_targets).empty())
        return begin_with(std::vector<bool>(all.size(), false));
    state_ = {.frames = static_cast<int>(all.size()), .running = true, .folder = wish.folder};
    emit changed();
    tasks_.run(
        {Doing::looking}, tr("Looking what is finished"),
        [=, options = wish.develop](std::stop_token, const Progress&) -> Tasks::Then {
            const std::vector<bool> before = operations::finished(all, options);
            return [=] { begin_with(before); };
        },
        [this](const TaskEnd& end) {
            if (end.how == TaskEnd::How::done) return;
            state_.running = false;
            emit changed();
            if (end.how == TaskEnd::How::failed) notices_.tell(end.problem);
        });
}

void Batches::begin(const BatchWish& wish, std::vector<operations::BatchFrame> all, const std::vector<bool>& before) {
    std::vector<operations::BatchFrame> frames;
    std::vector<fs::path> targets;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (!before[i]) {
            targets.push_back(all[i].frame.target);
            frames.push_back(std::move(all[i]));
        }
    state_ = {.frames = static_cast<int>(frames.size()),
              .left_out = static_cast<int>(all.size() - frames.size()),
              .folder = wish.folder,
              .not_developed = not_developed(wish)};
    if (frames.empty()) {
        notices_.tell(all.empty()
                          ? tr("There are no frames to develop.")
                          : tr("All %1 frames were finished with the same correction and settings.").arg(all.size()));
        emit changed();
        return;
    }
    if (!handovers_.may_write(targets, Handovers::Consent::ask)) return emit changed();
    for (const fs::path& target : targets) watcher_.know(fs::absolute(target).lexically_normal()); // no new frames
    const std::vector<operations::LeftOut> not_developed = state_.not_developed;
    start(state_.frames, state_.left_out, wish.folder);
    state_.not_developed = not_developed;
    operations::BatchOptions options{.develop = wish.develop, .recorded = true};
    options.develop.existing = Existing::replace; // asked for
    tasks_.run(
        {Doing::writing, wish.setups.size() == 1 ? wish.setups.front() : 0},
        frames.size() == 1 ? tr("Developing 1 frame") : tr("Developing %1 frames").arg(frames.size()),
        [=, gate = gate_](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            std::size_t ended = 0;
            operations::develop_all(
                frames, options,
                [&](const operations::BatchEnd& end) {
                    progress(static_cast<double>(++ended) / static_cast<double>(frames.size()));
                    take_down(*gate, frames[end.frame].setup, end, stop);
                },
                stop);
            return [] {};
        },
        [this](const TaskEnd& end) { finish(end); });
}

std::vector<operations::LeftOut> Batches::not_developed(const BatchWish& wish) const {
    std::vector<const Chain*> chains;
    const std::set<Id> wanted(wish.setups.begin(), wish.setups.end());
    bool all = true; // of the job's setups that have a correction: then frames of no setup count, too
    for (const Id setup : chains_.ids()) {
        for (const Chain& chain : chains_.stretches(setup)) {
            if (chain.correction && wanted.contains(setup)) chains.push_back(&chain);
            all = all && (!chain.correction || wanted.contains(setup));
        }
    }
    return operations::left_out_of(job_.shoot(), chains, all ? std::set<Id>() : wanted);
}

void Batches::start(int frames, int left_out, const fs::path& folder) {
    state_ = {.frames = frames, .left_out = left_out, .running = true, .folder = folder};
    gate_ = std::make_shared<Gate>();
    gate_->told.start();
    gate_->tell = [this] { QMetaObject::invokeMethod(this, &Batches::collect, Qt::QueuedConnection); };
    paused_frames_ = 0;
    since_.start();
    emit changed();
}

void Batches::take_down(Gate& gate, Id setup, const operations::BatchEnd& end, const std::stop_token& stop) {
    std::unique_lock lock(gate.mutex);
    gate.arrived.emplace_back(setup, end);
    if (gate.told.elapsed() > collect_every_ms || gate.first) {
        gate.first = false;
        gate.told.start();
        gate.tell();
    }
    gate.opened.wait(lock, stop, [&] { return !gate.closed; }); // paused after this frame
}

void Batches::finish(const TaskEnd& end) {
    collect();
    state_.running = state_.paused = false;
    if (end.how == TaskEnd::How::failed) state_.problems << end.problem;
    emit changed();
    if (job_ends_ && end.how == TaskEnd::How::cancelled)
        notices_.tell(tr("%1 of %2 frames are developed, in %3. Open %4 and develop again: it goes on from there.")
                          .arg(state_.done)
                          .arg(state_.frames)
                          .arg(qt(state_.folder.string()), name_of_file(job_.file())));
    else if (end.how == TaskEnd::How::failed) notices_.tell(end.problem);
    else if (state_.failed)
        notices_.tell(tr("%1 of %2 frames could not be developed: %3")
                          .arg(state_.failed)
                          .arg(state_.frames)
                          .arg(state_.problems.first()));
    else if (end.how == TaskEnd::How::done && !state_.not_developed.empty()) {
        constexpr std::size_t named = 3;
        QStringList lines;
        for (const std::string& line : operations::in_words(state_.not_developed, named)) lines << qt(line);
        notices_.tell(lines.join("; "));
    }
}

std::vector<operations::PlateSource> Batches::plates_of(Id setup) const {
    if (!chains_.has(setup) || !chains_.at(setup).correction) return {};
    return operations::plate_sources(job_.shoot(), chains_.at(setup));
}

void Batches::make_plates(Id setup, const operations::PlateOptions& wanted, const fs::path& folder) {
    if (state_.running) return notices_.tell(tr("A batch is under way. Wait for it, or cancel it first."));
    if (!chains_.has(setup) || !chains_.at(setup).correction)
        return notices_.tell(tr("There is no correction for plates yet."));
    operations::PlateSet set;
    if (!notices_.guarded(
            [&] { set = operations::plan_plates(plates_of(setup), chains_.at(setup).correction, folder, wanted); }))
        return;
    if (!handovers_.may_write(set.outputs(), Handovers::Consent::ask)) return;
    for (const fs::path& target : set.outputs()) watcher_.know(fs::absolute(target).lexically_normal());
    start(static_cast<int>(set.frames.size()), 0, folder);
    operations::PlateOptions options = wanted;
    options.existing = Existing::replace; // asked for
    tasks_.run(
        {Doing::writing, setup}, tr("Writing the effects set"),
        [=, this, gate = gate_](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            std::size_t ended = 0;
            const operations::PlateResult done = operations::write_plates(
                set, options,
                [&](const operations::BatchEnd& end) {
                    progress(static_cast<double>(++ended) / static_cast<double>(set.frames.size()));
                    take_down(*gate, setup, end, stop);
                },
                stop);
            double most = 0;
            for (const operations::PlateAgreement& a : done.agreement) most = std::max(most, a.most);
            if (done.agreement.empty()) return [] {}; // none could be developed, and nothing else was written
            const operations::HandedOver curve =
                operations::recorded({set.display, "display curve", "to look at plates through"});
            const operations::HandedOver note = operations::recorded({set.note, "note", "what is what, in words"});
            return [=, this] {
                handovers_.handed_over({{setup, curve}, {setup, note}});
                notices_.tell(tr("The effects set is written. Through its curve the plates are within %1 codes of 255 "
                                 "of the corrected pictures.")
                                  .arg(most, 0, 'f', 2));
            };
        },
        [this](const TaskEnd& end) { finish(end); });
}

void Batches::pause(bool on) {
    if (!gate_ || !state_.running) return;
    {
        const std::lock_guard lock(gate_->mutex);
        gate_->closed = on;
    }
    gate_->opened.notify_all();
    state_.paused = on;
    state_.seconds_left = 0;
    since_.start();
    paused_frames_ = state_.done + state_.failed;
    emit changed();
}

// What was written since, as one change of the job.
void Batches::collect() {
    if (!gate_) return;
    std::vector<std::pair<Id, operations::BatchEnd>> arrived;
    {
        const std::lock_guard lock(gate_->mutex);
        arrived.swap(gate_->arrived);
    }
    std::vector<std::pair<Id, operations::HandedOver>> written;
    for (const auto& [setup, end] : arrived) {
        if (end.done) {
            ++state_.done;
            written.emplace_back(setup, *end.done);
        } else {
            ++state_.failed;
            state_.problems << qt(end.problem->what());
        }
    }
    handovers_.handed_over(written, true);
    const int ended = state_.done + state_.failed, since = ended - paused_frames_;
    if (since > 0 && !state_.paused)
        state_.seconds_left = static_cast<double>(since_.elapsed()) / 1000 / since * (state_.frames - ended);
    emit changed();
}

} // namespace refero::app
