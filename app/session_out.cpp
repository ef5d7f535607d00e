// What the session hands over: files for other programs, readings, corrected frames; and the demo's goals.
#include "session_parts.hpp"

namespace refero::app {

void Session::exported(Id id, const fs::path& file, const QString& kind, const QString& message) {
    SetupState* s = state(id);
    if (!s) return;
    const fs::path whole = fs::absolute(file).lexically_normal();
    change(tr("Hand over %1").arg(name_of_file(file)), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        for (const plan::Handover& h : shoot().handovers)
            if (h.setup == id && h.file == whole.string()) e.remove<plan::Handover>(h.id);
        e.add(plan::Handover{.setup = id,
                             .correction = s->balance_only() ? 0 : s->correction_id,
                             .file = whole.string(),
                             .kind = kind.toStdString(),
                             .message = message.toStdString(),
                             .made = utc_now()});
    });
    // Jobs of one client form a series; its chart shots are kept for comparing.
    const plan::Brief& brief = shoot().brief();
    s = state(id);
    if (brief.client.empty() || !s->correction || s->balance_only()) return;
    plan::SeriesShot shot{.client = brief.client,
                          .job = brief.title,
                          .job_file = job_file().string(),
                          .camera = plan::name_in(shoot().cameras, s->row.camera),
                          .lens = plan::name_in(shoot().lenses, s->row.lens),
                          .mode = plan::name_in(shoot().modes, s->row.mode),
                          .light = plan::name_in(shoot().lights, s->row.light),
                          .taken = s->chart_frame.taken,
                          .content = s->correction_content};
    if (s->light) {
        shot.kelvin = s->light->kelvin;
        shot.duv = s->light->duv;
    }
    for (const plan::SeriesShot& k : kit().series)
        if (k.job_file == shot.job_file && k.camera == shot.camera && k.lens == shot.lens && k.light == shot.light &&
            k.mode == shot.mode) {
            if (k.content == shot.content) return;
            shot.id = k.id;
        }
    change_kit(tr("Keep %1 for the series").arg(title_of(id)), [&](job::Edit& e) {
        if (shot.id) e.update(shot);
        else e.add(shot);
    });
}

const plan::Fallback* Session::fallback_for(Id id) {
    const SetupState* s = state(id);
    const plan::Light* light = s ? plan::record(shoot().lights, s->row.light) : nullptr;
    if (!light || !plan::fallback_kind(light->kind)) return nullptr;
    for (const plan::Fallback& f : kit().fallbacks)
        if (!f.content.empty() && f.camera == plan::name_in(shoot().cameras, s->row.camera) &&
            plan::fallback_kind(f.kind) == plan::fallback_kind(light->kind))
            return &f;
    return nullptr;
}

void Session::take_fallback(Id id) {
    const plan::Fallback* f = fallback_for(id);
    if (!f) return;
    const plan::Correction row{.setup = id, .made = f->made, .content = f->content};
    change(tr("Fallback for %1").arg(title_of(id)), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        e.add(row);
    });
    emit notice(tr("%1 has the kit's fallback of %2 now. It stands in until the chart can be shot.")
                    .arg(title_of(id), qt(row.made).left(10)));
}

void Session::keep_in_kit() {
    int kept = 0;
    const auto add_missing = [&](job::Edit& e, const auto& job, const auto& kit) {
        for (auto row : job) {
            if (row.uid.empty() || std::any_of(kit.begin(), kit.end(), [&](const auto& k) { return k.uid == row.uid; }))
                continue;
            row.id = 0;
            if constexpr (requires { row.silent_lens; }) {
                row.silent_lens = 0;
                row.clock_offset_s = 0;
            }
            if constexpr (requires { row.place; }) row.place = 0;
            e.add(row);
            ++kept;
        }
    };
    const plan::Kit before = kit();
    change_kit(tr("Keep what the job uses"), [&](job::Edit& e) {
        add_missing(e, shoot().cameras, before.cameras);
        add_missing(e, shoot().lights, before.lights);
        add_missing(e, shoot().cards, before.cards);
    });
    emit notice(kept ? tr("The kit has %1 more: cameras, lights and charts of this job.").arg(kept)
                     : tr("The kit has all of this job's cameras, lights and charts already."));
}

void Session::keep_fallback(Id id) {
    const SetupState* s = state(id);
    const plan::Light* light = s ? plan::record(shoot().lights, s->row.light) : nullptr;
    if (!s || !s->correction_id || !light || !plan::fallback_kind(light->kind)) return;
    plan::Fallback f{.uid = refero::new_uid(),
                     .camera = plan::name_in(shoot().cameras, s->row.camera),
                     .kind = *plan::fallback_kind(light->kind),
                     .made = s->correction->made,
                     .content = s->correction_content};
    const QString title = tr("Fallback %1, %2").arg(qt(f.camera), qt(plan::words_for(f.kind)));
    const auto put = [&](job::Edit& e, const std::vector<plan::Fallback>& list) {
        for (const plan::Fallback& old : list)
            if (old.camera == f.camera && plan::fallback_kind(old.kind) == f.kind) e.remove<plan::Fallback>(old.id);
        e.add(f);
    };
    const auto& kept = kit().fallbacks;
    change_kit(title, [&](job::Edit& e) { put(e, kept); });
    change(title, [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        put(e, shoot().fallbacks);
    });
}

void Session::export_file(Id id, deliver::Format format, const deliver::Options& options, const fs::path& file) {
    const auto correction = at(id).correction;
    if (!correction) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        const deliver::Written w = deliver::write(*correction, format, file, options);
        return [=, this] { exported(id, file, qt(fit::name_of(w.model)), qt(w.message)); };
    });
}

void Session::export_correction(Id id, const fs::path& file) {
    const auto correction = at(id).correction;
    if (!correction) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        fit::save(*correction, file);
        return [=, this] {
            exported(id, file, qt(fit::name_of(correction->model)),
                     tr("holds everything the correction was made from"));
        };
    });
}

void Session::export_reading(Id id, const fs::path& file) {
    const auto shot = at(id).shot;
    if (!shot) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        read::save_cgats(shot->reading, file);
        return [=, this] { emit notice(tr("The reading is in %1").arg(qt(file.string()))); };
    });
}

void Session::export_frames(Id id, apply::Format format, const std::string& space, const fs::path& folder, Id second) {
    const SetupState& s = at(id);
    const auto correction = s.correction, other = has(second) ? at(second).correction : nullptr;
    if (!correction) return;
    const std::string encoding = encoding_of(shoot(), s.row);
    std::vector<plan::Frame> rows;
    if (s.chart_frame.id) rows.push_back(s.chart_frame);
    for (const Id f : s.frames)
        if (const plan::Frame* row = frame_row(f); row && row->problem.empty()) rows.push_back(*row);
    for (const plan::Frame& row : rows)
        tasks_.run(tr("Correcting %1").arg(name_of_file(row.path)),
                   [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                       const fs::path file = row.path,
                                      target = folder / (file.stem().string() + apply::extension_of(format));
                       if (fs::exists(target) && fs::equivalent(target, file))
                           throw Error(ErrorKind::usage, "this would replace the frame itself", target,
                                       "Choose another folder");
                       const frame::Frame f = read_pixels(row, frame::Size::full, encoding, stop);
                       progress(0.6);
                       const fit::Correction its = other ? fit::between(*correction, *other, f) : *correction;
                       apply::write(apply::corrected(f, its, space, {}, stop), target, format, f.metadata);
                       return [=, this, how = other ? ": " + qt(its.choice) : QString()] {
                           exported(id, target, tr("frame"), qt(space) + tr(", full size") + how);
                       };
                   });
}

// Brings a setup of the demo on to where its description wants it.
void Session::demo_step(Id id) {
    const auto at = demo_goals_.find(id);
    if (at == demo_goals_.end()) return;
    const job::DemoGoal goal = at->second;
    const SetupState* s = state(id);
    if (!s || !s->shot || !s->refused.isEmpty()) return;
    const auto out = [&](const char* name, deliver::Format format) {
        demo_goals_.erase(id);
        fs::create_directories(demo_folder_ / "handover");
        export_file(id, format, {}, demo_folder_ / "handover" / name);
    };
    if (goal.goal == "read") demo_goals_.erase(id);
    else if (goal.goal == "balance handed over") out("balance.json", deliver::Format::matrix);
    else if (goal.goal == "borrowed") {
        if (!this->at(goal.from).correction) return; // comes back when that one is fitted
        demo_goals_.erase(id);
        lend(goal.from, id);
    } else if (!s->correction) fit(id);
    else if (goal.goal == "handed over") out("stills-a-window.cube", deliver::Format::cube);
    else demo_goals_.erase(id);
    for (const auto& [other, g] : std::map(demo_goals_))
        if (g.goal == "borrowed" && g.from == id && s->correction) demo_step(other);
}

} // namespace refero::app
