// Files on their way into the job: what they are, where they belong.
#include <QSettings>
#include <nlohmann/json.hpp>

#include "frame/clip.hpp"
#include "session_parts.hpp"

namespace refero::app {

namespace {

/// Lights that differ by less look alike to the camera's own matrix; more is another light.
constexpr double same_light_mired = 25;

bool is_job_name(const fs::path& file) { return to_lower(file.extension().string()) == ".refero"; }

} // namespace

void Session::watch(const std::vector<fs::path>& folders) {
    {
        const std::lock_guard lock(watch_lock_);
        watch_.set_folders(folders);
    }
    if (folders.empty()) watch_timer_.stop();
    else watch_timer_.start();
    QStringList names;
    for (const fs::path& f : folders) names << qt(f.string());
    if (has_job()) QSettings().setValue(watch_key(job_file()), names);
    emit frames_changed();
}

std::vector<fs::path> Session::watched() const {
    const std::lock_guard lock(watch_lock_);
    return watch_.folders();
}

void Session::open(const std::vector<fs::path>& files, Id current) {
    for (const fs::path& file : files) {
        const std::string extension = to_lower(file.extension().string());
        try {
            if (fs::is_directory(file)) {
                std::vector<fs::path> folders = watched();
                folders.push_back(file);
                if (!has_job()) start_untitled();
                watch(folders);
                emit notice(tr("New frames in %1 come in by themselves from now on").arg(qt(file.string())));
                continue;
            }
            if (!fs::is_regular_file(file))
                throw Error(ErrorKind::input, "there is no such file", file, "Check the name");
            if (is_job_name(file)) open_job(file);
            else if (extension == ".json") open_json(file);
            else if (extension == ".cgats" || extension == ".txt") open_reference(file, current);
            else if (frame::is_frame_name(file)) take(file, 0, true, current);
            else
                throw Error(ErrorKind::input, "Refero does not know this kind of file", file,
                            "It opens jobs, frames (raw, TIFF, PNG, JPEG, EXR), clips, corrections and chart "
                            "definitions (JSON) and reference values (CGATS)");
        } catch (const Error& e) { emit notice(QString::fromUtf8(e.what())); }
    }
}

void Session::open_json(const fs::path& file) {
    const auto j = nlohmann::json::parse(read_file(file), nullptr, false);
    if (j.contains("refero_correction")) return open_correction(file);
    const auto definition = chart::load_definition(file);
    const fs::path folder = user_data_dir() / "charts";
    fs::create_directories(folder);
    write_whole(folder / file.filename(), read_file(file));
    if (!definition.reference_file.empty())
        write_whole(folder / definition.reference_file.filename(), read_file(definition.reference_file));
    emit notice(tr("The chart %1 is installed and will be looked for from now on").arg(qt(definition.id)));
}

void Session::open_correction(const fs::path& file) {
    const fit::Correction c = fit::load(file);
    const fs::path source = c.sources.empty() ? fs::path() : c.sources.front().file;
    Id setup = 0;
    for (const auto& [id, s] : states_)
        if (!source.empty() && s.chart_frame.path == source.string()) setup = id;
    plan::Correction row{.made = c.made, .content = fit::to_json(c)};
    const bool done = change(tr("Correction %1").arg(name_of_file(file)), [&](job::Edit& e) {
        if (!setup) {
            plan::Frame f{.path = source.string(), .kind = plan::FrameKind::chart, .reason = "named by the correction"};
            const bool there = fs::is_regular_file(source);
            if (there) {
                f = job::described(source);
                f.kind = plan::FrameKind::chart;
            } else if (!c.sources.empty()) {
                const frame::Metadata& m = c.sources.front().metadata;
                f.make = m.make;
                f.model = m.model;
                f.lens_name = m.lens;
                f.serial_number = m.serial_number;
                f.taken = m.taken;
                f.iso = m.iso;
                f.sha256 = c.sources.front().sha256;
            }
            if (f.model.empty()) f.model = "Unknown camera";
            setup = new_setup(e, f, c.light_name);
            if (!source.empty()) {
                f.setup = setup;
                plan::ChartShot shot{.setup = setup, .frame = e.add(f)};
                if (!there)
                    shot.problem = tr("The chart shot %1 is not where it was; the correction can still be used")
                                       .arg(qt(source.string()))
                                       .toStdString();
                e.add(shot);
            }
        }
        row.setup = setup;
        e.add(row);
    });
    if (done) emit setup_opened(setup);
}

void Session::open_reference(const fs::path& file, Id current) {
    const auto reference = chart::load_reference(file);
    if (!has(current))
        throw Error(ErrorKind::usage, "reference values belong to a setup", file,
                    "Open a setup first, then the file again");
    Settings s = at(current).settings;
    s.reference = file;
    change(current, s, tr("Reference values"));
    emit notice(tr("%1 holds %2 reference values; the correction is to be fitted again")
                    .arg(name_of_file(file))
                    .arg(reference.xyz.size()));
}

void Session::take_in(const std::vector<fs::path>& files, Id setup) {
    for (const fs::path& file : files)
        if (frame::is_frame_name(file)) take(file, setup, setup != 0, 0);
}

// Reads a file beside the window: what it is, whether it shows a chart.
void Session::take(const fs::path& file, Id setup, bool by_hand, Id current) {
    const std::string path = fs::absolute(file).lexically_normal().string();
    for (const plan::Frame& f : shoot().frames)
        if (f.path == path) {
            if (f.setup && by_hand && !f.same_as) emit setup_opened(f.setup);
            return;
        }
    {
        const std::lock_guard lock(watch_lock_);
        watch_.known(path);
    }
    const inspect::Limits limits = limits_of(shoot());
    tasks_.run(tr("Looking for a chart in %1").arg(name_of_file(file)),
               [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   plan::Frame row;
                   Loaded l;
                   try {
                       row = job::described(file);
                       if (row.kind != plan::FrameKind::clip)
                           l = load_shot(row, {}, {}, by_hand, limits, stop, progress);
                   } catch (const Error& e) {
                       if (e.kind() == ErrorKind::cancelled || (by_hand && !setup)) throw;
                       if (row.path.empty()) row.path = path;
                       row.problem = words_of(e).toStdString(); // named in the list, with the remedy
                   }
                   return [=, this] { arrived(row, l, setup, by_hand, current); };
               });
}

// A new camera, mode and light as far as they are not in the job, and the setup that joins them.
Id Session::new_setup(job::Edit& e, plan::Frame& f, const std::string& light) {
    const plan::Shoot& s = shoot();
    const plan::Recognition r = plan::recognise(s, f);
    f.camera = r.camera;
    f.lens = r.lens;
    f.mode = r.mode;
    const auto uid = refero::new_uid;
    if (!f.camera) {
        plan::Camera c{.uid = uid(),
                       .name = f.model.empty() ? frame::Metadata{.make = f.make}.camera() : f.model,
                       .model = f.model,
                       .serial_number = f.serial_number,
                       .position = static_cast<int>(s.cameras.size())};
        for (const plan::Camera& k : kit().cameras) // what the kit knows of it
            if (!k.serial_number.empty() && k.serial_number == f.serial_number) {
                c = k;
                c.id = 0;
                c.silent_lens = 0;
                c.position = static_cast<int>(s.cameras.size());
            }
        f.camera = e.add(c);
    }
    if (!f.lens && !f.lens_name.empty())
        f.lens = e.add(plan::Lens{.uid = uid(),
                                  .name = f.lens_name,
                                  .focal_mm = f.focal_mm > 0 ? f.focal_mm : 50,
                                  .focal_max_mm = f.focal_mm > 0 ? f.focal_mm : 50});
    if (!f.mode) {
        const bool clip = f.kind == plan::FrameKind::clip, raw = f.raw;
        const std::string name = clip ? "video" : raw ? "raw" : "finished";
        for (const plan::Mode& m : s.modes)
            if (m.name == name) f.mode = m.id;
        plan::Mode m{.name = name,
                     .kind = clip  ? plan::ModeKind::video
                             : raw ? plan::ModeKind::raw
                                   : plan::ModeKind::finished};
        // Empty: by the file's own tags and profile.
        m.encoding = raw ? "linear" : "";
        if (!f.mode) f.mode = e.add(m);
    }
    const Id lens = s.brief().lens_school == plan::LensSchool::each_lens ? f.lens : 0;
    const auto taken = [&](Id column) { return plan::setup_at(s, {f.camera, lens, f.mode}, column) != nullptr; };
    Id column = 0;
    std::string name = light;
    for (int n = 1; !column; ++n) {
        if (name.empty() || n > 1)
            name = light.empty() ? "Light " + std::to_string(n) : light + " " + std::to_string(n);
        const auto known =
            std::find_if(s.lights.begin(), s.lights.end(), [&](const plan::Light& l) { return l.name == name; });
        if (known == s.lights.end())
            column = e.add(plan::Light{.uid = uid(), .name = name, .position = static_cast<int>(s.lights.size())});
        else if (!taken(known->id)) column = known->id;
    }
    return e.add(plan::Setup{.camera = f.camera, .lens = lens, .mode = f.mode, .light = column});
}

// A frame with a chart is a chart shot: of the setup it is planned for, else of a new one. One without is ordinary.
void Session::arrived(plan::Frame f, const Loaded& l, Id setup, bool by_hand, Id current) {
    if (!has_job()) start_untitled();
    const plan::Shoot& s = shoot();
    for (const plan::Frame& known : s.frames)
        if (known.path == f.path) return;
    const plan::Recognition r = plan::recognise(s, f);
    f.camera = r.camera;
    f.lens = r.lens;
    f.mode = r.mode;
    f.same_as = plan::companion_of(s, f);
    const QString name = name_of_file(f.path);
    const bool shows_chart = l.shot != nullptr;
    bool fresh = false;
    QString told;
    if (f.same_as) {
        const plan::Frame& main = *frame_row(f.same_as);
        f.setup = main.setup;
        f.reason = (f.sha256 == main.sha256 ? "a copy of " : "the same exposure as ") +
                   fs::path(main.path).filename().string();
    } else if (setup) {
        f.setup = setup;
        f.by_hand = true;
        f.reason = "put there by hand";
        if (shows_chart || !at(setup).chart_shot)
            f.kind = f.kind == plan::FrameKind::clip || !f.problem.empty() ? f.kind
                     : shows_chart                                         ? plan::FrameKind::chart
                                                                           : f.kind;
    } else if (!f.problem.empty()) {
        f.reason = "it cannot be read";
    } else if (shows_chart) {
        f.kind = plan::FrameKind::chart;
        const plan::Assignment a = plan::assign_chart(s, f, l.kelvin);
        f.setup = a.setup;
        f.reason = a.reason;
        if (by_hand && f.setup && at(f.setup).shot) {
            // Given by hand without a plan for it: another light than the one it would fall on is a column of its own.
            const plan::ChartShot* before = plan::record(s.chart_shots, at(f.setup).chart_shot);
            const bool alike = l.kelvin > 0 && before->kelvin > 0 &&
                               std::abs(1e6 / l.kelvin - 1e6 / before->kelvin) < same_light_mired;
            if (!alike) f.setup = 0;
        }
        if (by_hand && !f.setup) {
            fresh = true;
            f.reason = "a light of its own";
        }
    } else if (by_hand && !has(current) && f.kind == plan::FrameKind::ordinary && s.setups.empty()) {
        fresh = true; // the only frame: its corners can be given by hand
        f.kind = plan::FrameKind::chart;
    } else {
        const plan::Assignment a = plan::assign_ordinary(s, f);
        f.setup = a.setup;
        f.reason = a.reason;
        if (by_hand && has(current)) {
            f.setup = current;
            f.by_hand = true;
            f.reason = "put there by hand";
            told = tr("%1 shows no chart: it is now an ordinary frame of %2").arg(name, title_of(current));
        }
    }
    Id chart_setup = 0;
    const bool done = change(
        f.kind == plan::FrameKind::chart ? tr("Chart shot %1").arg(name) : tr("%1 came in").arg(name),
        [&](job::Edit& e) {
            if (fresh) f.setup = new_setup(e, f, "");
            e.about(f.setup && has(f.setup) ? title_of(f.setup).toStdString() : f.model);
            const Id frame = e.add(f);
            if (f.kind != plan::FrameKind::chart || f.same_as || !f.setup) return;
            chart_setup = f.setup;
            plan::ChartShot shot{
                .setup = f.setup, .frame = frame, .problem = l.problem.toStdString(), .kelvin = l.kelvin, .duv = l.duv};
            const Id id = e.add(shot);
            if (!l.shot) return;
            e.add(plan::Reading{.chart_shot = id, .made_from = "|", .content = job::to_json(*l.shot)});
            for (const plan::Finding& finding : findings_of(l, f.setup, id)) e.add(finding);
        });
    if (!done) return;
    if (!told.isEmpty()) emit notice(told);
    if (chart_setup) {
        remember_light(chart_setup);
        if (by_hand) {
            SetupState& state = *this->state(chart_setup);
            if (l.frame && !l.picture.empty()) {
                state.frame = l.frame;
                state.picture = l.picture;
                state.small_picture = l.small;
            }
            looked_at_.push_back(chart_setup);
            let_go_of_pictures(chart_setup);
            emit setup_changed(chart_setup);
            emit setup_opened(chart_setup);
        }
        settle_timer_.start(); // ordinary frames may belong to it
    }
    if (r.asks_for_lens && !asked_for_lens_.contains(r.camera)) {
        asked_for_lens_.insert(r.camera);
        emit lens_wanted(r.camera);
    }
}

// Frames whose place follows from others: put again, as one quiet change.
void Session::place_frames() {
    const auto all = plan::moves(shoot());
    if (all.empty()) return;
    change(
        all.size() == 1 ? tr("1 frame finds its setup") : tr("%1 frames find their setups").arg(all.size()),
        [&](job::Edit& e) {
            for (const plan::Move& m : all) {
                plan::Frame f = *frame_row(m.frame);
                f.setup = m.to.setup;
                f.reason = m.to.reason;
                e.update(f);
            }
        },
        true);
}

void Session::assign(const std::vector<Id>& frames, Id setup) {
    change(setup ? tr("Put %1 frames into %2").arg(frames.size()).arg(title_of(setup))
                 : tr("Take %1 frames out of their setups").arg(frames.size()),
           [&](job::Edit& e) {
               for (const Id id : frames) {
                   const plan::Frame* row = frame_row(id);
                   if (!row) continue;
                   plan::Frame f = *row;
                   f.setup = setup;
                   f.by_hand = true;
                   f.reason = setup ? "put there by hand" : "taken out by hand";
                   e.update(f);
                   for (plan::ChartShot shot : shoot().chart_shots)
                       if (shot.frame == id && setup) {
                           shot.setup = setup;
                           e.update(shot);
                       }
               }
           });
    settle_timer_.start();
}

void Session::let_assign(const std::vector<Id>& frames) {
    change(tr("Let %1 frames find their setups").arg(frames.size()), [&](job::Edit& e) {
        for (const Id id : frames)
            if (const plan::Frame* row = frame_row(id)) {
                plan::Frame f = *row;
                f.by_hand = false;
                if (f.kind == plan::FrameKind::ordinary) {
                    const plan::Recognition r = plan::recognise(shoot(), f);
                    f.camera = r.camera;
                    f.lens = r.lens;
                    f.mode = r.mode;
                    const plan::Assignment a = plan::assign_ordinary(shoot(), f);
                    f.setup = a.setup;
                    f.reason = a.reason;
                }
                e.update(f);
            }
    });
}

void Session::make_chart_shot(Id frame, Id setup, double position_s) {
    const plan::Frame* row = frame_row(frame);
    if (!row || !setup) return;
    plan::Frame f = *row;
    if (f.kind == plan::FrameKind::ordinary) f.kind = plan::FrameKind::chart;
    f.setup = setup;
    f.by_hand = true;
    f.position_s = position_s;
    f.reason = "chosen as the chart shot";
    change(tr("%1 is the chart shot of %2").arg(name_of_file(f.path), title_of(setup)), [&](job::Edit& e) {
        e.about(title_of(setup).toStdString());
        e.update(f);
        for (const plan::ChartShot& shot : shoot().chart_shots)
            if (shot.frame == frame) e.remove<plan::ChartShot>(shot.id);
        e.add(plan::ChartShot{.setup = setup, .frame = frame});
    });
    settle_timer_.start();
}

void Session::make_ordinary(Id frame) {
    const plan::Frame* row = frame_row(frame);
    if (!row || row->kind != plan::FrameKind::chart) return;
    plan::Frame f = *row;
    f.kind = plan::FrameKind::ordinary;
    f.by_hand = false;
    change(tr("%1 is no chart shot").arg(name_of_file(f.path)), [&](job::Edit& e) {
        for (const plan::ChartShot& shot : shoot().chart_shots)
            if (shot.frame == frame) e.remove<plan::ChartShot>(shot.id);
        e.update(f);
    });
    settle_timer_.start();
}

void Session::same_moment(Id one, Id other) {
    const plan::Frame *a = frame_row(one), *b = frame_row(other);
    if (!a || !b || !a->camera || !b->camera || a->camera == b->camera)
        return emit notice(tr("Choose two frames of one moment by two cameras that this job knows."));
    const double offset = plan::time_in_job(shoot(), *a) - plan::seconds_of(b->taken);
    if (!std::isfinite(offset)) return emit notice(tr("One of the frames does not say when it was taken."));
    plan::Camera camera = *plan::record(shoot().cameras, b->camera);
    camera.clock_offset_s = offset;
    change(tr("Clock of %1: %2 s").arg(qt(camera.name)).arg(offset, 0, 'f', 0), [&](job::Edit& e) {
        e.about(camera.name);
        e.update(camera);
    });
    settle_timer_.start();
}

void Session::set_silent_lens(Id id, Id lens) {
    const plan::Camera* row = plan::record(shoot().cameras, id);
    if (!row) return;
    plan::Camera camera = *row;
    camera.silent_lens = lens;
    change(tr("%1 carries %2").arg(qt(camera.name), qt(plan::name_in(shoot().lenses, lens))), [&](job::Edit& e) {
        e.about(camera.name);
        e.update(camera);
        for (plan::Frame f : shoot().frames)
            if (f.camera == id && f.lens_name.empty() && !f.lens) {
                f.lens = lens;
                e.update(f);
            }
    });
    settle_timer_.start();
}

void Session::remove_frames(const std::vector<Id>& frames) {
    change(frames.size() == 1 ? tr("Remove 1 frame from the job")
                              : tr("Remove %1 frames from the job").arg(frames.size()),
           [&](job::Edit& e) {
               for (const Id id : frames) e.remove<plan::Frame>(id);
           });
    settle_timer_.start();
}

} // namespace refero::app
