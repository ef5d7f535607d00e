#include "model/frames.hpp"

#include <nlohmann/json.hpp>

#include "chart/chart.hpp"
#include "frame/sequence.hpp"
#include "model/document.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "model/watcher.hpp"
#include "operations/capture/files.hpp"
#include "operations/capture/frames.hpp"
#include "operations/capture/planning.hpp"

namespace refero::app {

namespace {

constexpr int settle_after_ms = 150;

std::vector<shoot::FrameRecord> gone_of(const std::vector<shoot::FrameRecord>& frames) {
    std::vector<shoot::FrameRecord> gone;
    for (const shoot::FrameRecord& f : frames)
        if (!frame::is_there(f.path)) gone.push_back(f);
    return gone;
}

} // namespace

Frames::Frames(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Readings& readings,
               Watcher& watcher, Tasks& tasks, Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      pictures_(pictures),
      readings_(readings),
      watcher_(watcher),
      tasks_(tasks),
      notices_(notices) {
    settle_timer_.setSingleShot(true);
    settle_timer_.setInterval(settle_after_ms);
    connect(&settle_timer_, &QTimer::timeout, this, [this] { job_.change(operations::place_frames(job_.shoot())); });
    // Whatever has changed, frames may belong elsewhere now.
    connect(&job, &JobDocument::edited, &settle_timer_, qOverload<>(&QTimer::start));
    connect(&job, &JobDocument::opened, this, &Frames::look_for_missing);
    connect(&job, &JobDocument::closing, this, [this] {
        settle_timer_.stop();
        asked_for_lens_.clear();
        awaited_.clear();
        changed_.clear();
        missing_ = 0;
    });
    connect(&watcher, &Watcher::found, this, [this](const std::vector<fs::path>& files) { take_in(files); });
    connect(&watcher, &Watcher::found_again, this, [this](const std::vector<fs::path>& files) {
        for (const fs::path& file : files) {
            const auto waiting = awaited_.find(file);
            const bool waited = waiting != awaited_.end();
            // What an opened job merely names is looked at, and gets no hash by that.
            operations::TakeIn how =
                waited ? waiting->second : operations::TakeIn{.confirmed = watcher_.in_folders(file)};
            if (waited) awaited_.erase(waiting);
            look(file, how);
        }
    });
}

void Frames::open(const std::vector<fs::path>& files, Id current) {
    in_order(files, [this, current](const std::vector<fs::path>& all) {
        pile_step_ = 0;
        pile_ = all.size();
        for (const fs::path& file : all) notices_.guarded([&] { open_one(file, current, all.size()); });
        const auto is_folder = [](const fs::path& file) {
            std::error_code ec; // what cannot be told is none
            return fs::is_directory(file, ec);
        };
        const bool frames = std::any_of(all.begin(), all.end(), [&](const fs::path& file) {
            return is_folder(file) || frame::is_frame_name(file);
        });
        if (frames && (all.size() > 1 || is_folder(all.front()))) emit many_arrive();
    });
}

void Frames::in_order(const std::vector<fs::path>& files,
                      const std::function<void(const std::vector<fs::path>&)>& then) {
    const std::vector<fs::path> all = frame::gathered(files);
    if (all.size() < 2) return then(all);
    tasks_.run({Doing::taking_in, 0}, tr("Looking through %n file(s)", nullptr, static_cast<int>(all.size())),
               [=](std::stop_token stop, const Progress&) -> Tasks::Then {
                   return [=, ordered = operations::in_order_of_time(all, stop)] { then(ordered); };
               });
}

void Frames::open_one(const fs::path& file, Id current, std::size_t of) {
    std::error_code ec;
    const fs::file_status status = fs::status(file, ec);
    if (fs::is_directory(status)) {
        if (!job_.is_open()) job_.start_untitled();
        std::vector<fs::path> folders = watcher_.folders();
        folders.push_back(file);
        watcher_.watch(folders);
        notices_.tell(tr("New frames in %1 come in by themselves from now on").arg(qt(file.string())));
        return;
    }
    if (!fs::is_regular_file(status) && !frame::is_sequence_name(file))
        throw Error(ErrorKind::input,
                    ec && ec != std::errc::no_such_file_or_directory ? "it cannot be read: " + ec.message()
                                                                     : "there is no such file",
                    file, "Check the name");
    const std::string extension = to_lower(file.extension().string());
    if (extension == ".refero") job_.open(file);
    else if (extension == ".json") open_json(file);
    else if (extension == ".cgats" || extension == ".txt") open_reference(file, current);
    else if (frame::is_frame_name(file)) take(file, {.by_hand = true, .current = current, .alone = of == 1});
    else
        throw Error(
            ErrorKind::input, "Refero does not know this kind of file", file,
            "It opens jobs, frames (raw, TIFF, PNG, JPEG, EXR), clips, corrections and chart definitions (JSON) and "
            "reference values (CGATS)");
}

void Frames::open_json(const fs::path& file) {
    const auto j = nlohmann::json::parse(read_file(file), nullptr, false);
    if (j.is_object() && j.contains("refero_correction")) {
        const operations::Taken taken = operations::take_correction(job_.shoot(), kit_.kit(), file);
        if (const auto ids = job_.change(taken.rows))
            emit setup_opened(taken.setup < 0 ? ids->at(taken.setup) : taken.setup);
        return;
    }
    const chart::Definition definition = chart::load_definition(file);
    if (const auto known = chart::installed_by_user(definition.id); known && !same_file(*known, file))
        if (!ask || !ask(tr("A chart %1 is installed already (%2). Replace it and its values?")
                             .arg(qt(definition.id), qt(known->string()))))
            return notices_.tell(tr("The chart %1 stays as it was.").arg(qt(definition.id)));
    chart::Reference reference;
    if (!definition.reference_file.empty()) reference = chart::load_reference(definition.reference_file);
    chart::install(definition, reference);
    notices_.tell(tr("The chart %1 is installed and will be looked for from now on").arg(qt(definition.id)));
}

void Frames::open_reference(const fs::path& file, Id current) {
    const auto reference = chart::load_reference(file);
    if (!chains_.has(current))
        throw Error(ErrorKind::usage, "reference values belong to a setup", file,
                    "Open a setup first, then the file again");
    Settings s = chains_.at(current).settings;
    s.reference = file;
    job_.change(
        operations::change_settings(job_.shoot(), current, chains_.at(current).chart_shot, s, "Reference values"));
    notices_.tell(tr("%1 holds %2 reference values; the correction is to be fitted again")
                      .arg(name_of_file(file))
                      .arg(reference.xyz.size()));
}

void Frames::take_in(const std::vector<fs::path>& files, Id setup) {
    in_order(files, [this, setup](const std::vector<fs::path>& all) {
        for (const fs::path& file : all)
            if (frame::is_frame_name(file))
                take(file, {.setup = setup, .by_hand = setup != 0, .alone = all.size() == 1});
    });
}

void Frames::take_card(const fs::path& file) {
    notices_.guarded([&] {
        if (!frame::is_frame_name(file))
            throw Error(ErrorKind::input, "this is no frame", file, "Choose a raw file, a picture or a clip");
        take(file, {.by_hand = true, .card = true});
    });
}

void Frames::take(const fs::path& file, const operations::TakeIn& how) {
    const fs::path path = fs::absolute(file).lexically_normal();
    for (const shoot::FrameRecord& f : job_.shoot().frames)
        if (f.path == path.string()) {
            if (how.by_hand && (!f.problem.empty() || operations::state_of(f) != operations::FileState::same)) break;
            if (f.setup && how.by_hand && !f.same_as && how.alone) emit setup_opened(f.setup);
            return;
        }
    look(path, how);
}

// Looks at a file beside the window: what it is, whether it shows a chart.
void Frames::look(const fs::path& path, const operations::TakeIn& how) {
    watcher_.know(path);
    const inspect::Limits limits = operations::limits_of(job_.shoot().brief());
    const operations::LookOptions options{.must_read = how.by_hand && !how.setup,
                                          .raw_data = how.alone || how.card || how.setup != 0};
    tasks_.run(
        {Doing::taking_in, 0}, tr("Looking for a chart in %1").arg(name_of_file(path)),
        [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            const operations::Arrival a = operations::look_at(path, limits, options, progress, stop);
            Rendition picture;
            if (a.measured.frame)
                picture = uncorrected_rendition(*a.measured.frame,
                                                picture_key({a.row.path, a.row.sha256, {}, a.row.position_s}), stop);
            return [=, this] { arrived(a, picture, how); };
        },
        [=, this](const TaskEnd& end) {
            if (end.how != TaskEnd::How::done) watcher_.forget(path); // it can come in another time
            if (end.how == TaskEnd::How::failed) notices_.tell(end.problem);
        });
}

void Frames::look_again(const std::vector<Id>& frames) {
    for (const Id id : frames)
        if (const shoot::FrameRecord* f = job_.frame(id))
            look(f->path, {.by_hand = false, .confirmed = watcher_.in_folders(f->path) || !f->sha256.empty()});
}

std::optional<store::Ids> Frames::keep_in_pile(shoot::Change rows) {
    if (pile_step_ && job_.step() < pile_step_) pile_step_ = 0; // it was undone meanwhile
    if (pile_step_) {
        rows.quiet = true;
        return job_.change(rows, false, pile_step_);
    }
    rows.what = "Take in " + std::to_string(pile_) + " files";
    const auto ids = job_.change(rows);
    if (ids) pile_step_ = job_.step();
    return ids;
}

void Frames::arrived(const operations::Arrival& arrival, const Rendition& picture, const operations::TakeIn& how) {
    if (!job_.is_open()) job_.start_untitled();
    const fs::path path = arrival.row.path;
    if (!arrival.row.problem.empty()) // it is looked at again when it changes
        watcher_.await(path, {arrival.row.size, arrival.row.changed_ns}, arrival.arriving);
    if (arrival.arriving) {
        awaited_[path] = how;
        notices_.tell(tr("%1 is still arriving; it comes in when it is there").arg(name_of_file(path)));
        return;
    }
    for (const shoot::FrameRecord& f : job_.shoot().frames)
        if (f.path == path.string() && changed_.erase(f.id)) emit missing_changed(); // it is brought up to date
    const operations::Taken t = operations::take_in(job_.shoot(), kit_.kit(), arrival, how);
    const bool one_of_many = how.by_hand && !how.alone && !how.card && !how.setup;
    const auto ids = one_of_many ? keep_in_pile(t.rows) : job_.change(t.rows, !how.by_hand);
    if (!ids) return;
    const auto own = [&](Id id) { return id < 0 ? ids->at(id) : id; };
    if (!t.told.empty()) notices_.tell(qt(t.told));
    if (t.chart_shot) {
        const Id setup = own(t.setup);
        readings_.remember_light(own(t.chart_shot));
        if (how.by_hand && !one_of_many && chains_.has(setup)) {
            pictures_.look_at(setup);
            if (arrival.measured.frame && !picture.empty())
                pictures_.bring(setup, chains_.at(setup).source, arrival.measured.frame, picture);
            emit setup_opened(setup);
        }
    }
    if (t.camera_asks && asked_for_lens_.insert(t.camera_asks).second) emit lens_wanted(t.camera_asks);
}

void Frames::assign(const std::vector<Id>& frames, Id setup) {
    job_.change(operations::assign(job_.shoot(), frames, setup));
}
void Frames::let_assign(const std::vector<Id>& frames) { job_.change(operations::let_assign(job_.shoot(), frames)); }
void Frames::make_chart_shot(Id frame, Id setup, double position_s) {
    job_.change(operations::make_chart_shot(job_.shoot(), frame, setup, position_s));
}
void Frames::give_role(const std::vector<Id>& frames, const std::string& role) {
    job_.change(operations::give_role(job_.shoot(), frames, role));
}
void Frames::mark_range(Id frame, double from_s, double to_s) {
    job_.change(operations::mark_range(job_.shoot(), frame, from_s, to_s));
}
void Frames::make_ordinary(Id frame) { job_.change(operations::make_ordinary(job_.shoot(), frame)); }
void Frames::same_moment(Id frame, Id other) {
    notices_.guarded([&] { job_.change(operations::same_moment(job_.shoot(), frame, other)); });
}
void Frames::set_silent_lens(Id camera, Id lens) {
    job_.change(operations::set_silent_lens(job_.shoot(), camera, lens));
}
void Frames::remove(const std::vector<Id>& frames) {
    if (!frames.empty()) job_.change(operations::remove_frames(frames));
}

// Under the job's own folder first: a job moved together with its frames needs no question.
void Frames::look_for_missing() {
    if (!job_.shoot().frames.empty()) find_moved(fs::absolute(job_.file()).parent_path());
}

void Frames::find_moved(const fs::path& folder) {
    tasks_.run(
        {Doing::searching, 0}, tr("Looking for moved frames"),
        [this, frames = job_.shoot().frames, folder](std::stop_token stop, const Progress&) -> Tasks::Then {
            const auto gone = gone_of(frames);
            const auto found =
                gone.empty() ? std::vector<operations::Found>() : operations::found_again(gone, folder, stop);
            std::set<Id> changed;
            for (const shoot::FrameRecord& f : frames) {
                throw_if_stopped(stop);
                if (f.problem.empty() && operations::state_of(f) == operations::FileState::changed)
                    changed.insert(f.id);
            }
            return [=, this] {
                changed_ = changed;
                if (!changed.empty())
                    notices_.tell(
                        changed.size() == 1
                            ? tr("1 frame was cut or replaced since it came in. Frames says which: put the right "
                                 "one back, or look at the file again.")
                            : tr("%1 frames were cut or replaced since they came in. Frames says which: put the "
                                 "right ones back, or look at the files again.")
                                  .arg(changed.size()));
                pictures_.forget_failures();
                for (const Id id : chains_.ids()) readings_.want(id);
                job_.change(operations::moved(job_.shoot(), found));
                missing_ = static_cast<int>(gone.size() - found.size());
                if (missing_)
                    notices_.tell(missing_ == 1 ? tr("1 frame is not where it was. Menu, Find moved frames: name the "
                                                     "folder it is in now.")
                                                : tr("%1 frames are not where they were. Menu, Find moved frames: name "
                                                     "the folder they are in now.")
                                                      .arg(missing_));
                emit missing_changed();
            };
        });
}

} // namespace refero::app
