// The session's slow work: reading and measuring chart shots, fitting, proving, pictures, exports.
#include "kit/gate_limits.hpp"
#include "session_parts.hpp"
#include "thumbnails.hpp"

namespace refero::app {

namespace {

constexpr std::size_t most_pictures = 3; ///< setups whose pixels stay in memory

std::string corrected_key(const plan::Frame& frame, const std::string& correction) {
    const std::string key = picture_key(frame);
    return key.empty() ? key : key + formatted("-%zx", std::hash<std::string>{}(correction));
}

} // namespace

std::string picture_key(const plan::Frame& f) {
    return f.sha256.empty() || f.kind != plan::FrameKind::clip ? f.sha256
                                                               : f.sha256 + formatted("-%.0f", 1000 * f.position_s);
}

frame::Frame read_pixels(const plan::Frame& row, frame::Size size, const std::string& encoding,
                         const std::stop_token& stop) {
    std::optional<frame::Encoding> curve;
    if (!row.raw && !encoding.empty() && encoding != "linear") curve = frame::Encoding::named(encoding);
    return frame::read(row.path, {size, curve, row.position_s}, stop);
}

inspect::Limits limits_of(const plan::Shoot& shoot) {
    return GateLimits::of({shoot.brief().share_school == plan::ShareSchool::fill, false});
}

void try_measuring(Loaded& l, const plan::Frame& row, const Settings& settings, const inspect::Limits& limits,
                   const std::stop_token& stop) {
    try {
        auto shot = std::make_shared<job::MeasuredShot>();
        const frame::Frame& f = *l.frame;
        if (settings.corners) {
            shot->definition = chart::find_definition(settings.chart);
            shot->placement = find::placement_from(shot->definition, *settings.corners, f);
        } else {
            shot->placement = job::locate(f, settings.chart, stop);
            shot->definition = chart::find_definition(shot->placement.chart);
        }
        shot->reading = read::measure(f, shot->placement, shot->definition, stop);
        shot->sha256 = row.sha256;
        l.findings = job::rows_of(job::judge(f, *shot, limits));
        // All but the pixels.
        shot->frame.file = f.file;
        shot->frame.metadata = f.metadata;
        shot->frame.camera_from_xyz = f.camera_from_xyz;
        shot->frame.is_raw = f.is_raw;
        shot->frame.full_width = f.full_width;
        shot->frame.full_height = f.full_height;
        shot->frame.cell = f.cell;
        shot->frame.encoding = f.encoding;
        try {
            const auto reference = chart::reference_of(shot->definition);
            const auto b = balance::balanced_on(shot->reading, reference, &shot->definition, {});
            if (f.camera_from_xyz) {
                const auto t = balance::light_of(b, *f.camera_from_xyz);
                l.kelvin = t.kelvin;
                l.duv = t.duv;
            }
        } catch (const Error&) { // the balance page says why
        }
        l.shot = shot;
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::cancelled) throw;
        l.problem = words_of(e);
    }
}

Loaded load_shot(const plan::Frame& row, const Settings& settings, const std::string& encoding, bool with_picture,
                 const inspect::Limits& limits, const std::stop_token& stop, const Progress& progress) {
    Loaded l;
    l.frame = std::make_shared<const frame::Frame>(read_pixels(row, frame::Size::measuring, encoding, stop));
    progress(0.4);
    try_measuring(l, row, settings, limits, stop);
    progress(0.8);
    const Rendition picture =
        rendition_of(apply::uncorrected(*l.frame, apply::viewing_gains(*l.frame), "srgb", stop), *l.frame);
    l.small = picture.small(thumbnail_width);
    keep_thumbnail(picture_key(row), l.small);
    if (with_picture) l.picture = picture;
    return l;
}

void Session::look_at(Id id) {
    SetupState* s = state(id);
    if (!s) return;
    std::erase(looked_at_, id);
    looked_at_.push_back(id);
    let_go_of_pictures(id);
    if (!s->frame && s->chart_shot && !s->busy && !s->failed_to_load) load(id);
}

void Session::let_go_of_pictures(Id but) {
    while (looked_at_.size() > most_pictures) {
        if (SetupState* s = state(looked_at_.front()); s && s->id != but) {
            s->frame.reset();
            s->picture = {};
        }
        looked_at_.erase(looked_at_.begin());
    }
}

void Session::load(Id id) {
    SetupState* s = state(id);
    s->busy = true;
    emit setup_changed(id);
    const plan::Frame row = s->chart_frame;
    const Settings settings = s->settings;
    const Id shot = s->chart_shot;
    const std::string encoding = encoding_of(shoot(), s->row);
    const inspect::Limits limits = limits_of(shoot());
    tasks_.run(
        tr("Reading %1").arg(name_of_file(row.path)),
        [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            const Loaded l = load_shot(row, settings, encoding, true, limits, stop, progress);
            return [=, this] {
                const SetupState* now = state(id);
                if (now && now->chart_shot == shot) adopt(id, l);
            };
        },
        [=, this](const Error& e) {
            SetupState* now = state(id);
            if (!now) return;
            now->busy = false;
            now->failed_to_load = true;
            if (!now->shot) now->problem = QString::fromUtf8(e.what());
            emit setup_changed(id);
            emit notice(QString::fromUtf8(e.what()));
        });
}

void Session::adopt(Id id, const Loaded& l) {
    SetupState* s = state(id);
    s->busy = false;
    if (std::find(looked_at_.begin(), looked_at_.end(), id) != looked_at_.end()) {
        s->frame = l.frame;
        s->picture = l.picture;
    }
    if (!s->correction) s->small_picture = l.small;
    if (!s->shot) keep_reading(id, l);
    emit setup_changed(id);
}

void Session::measure(Id id) {
    SetupState* s = state(id);
    const auto frame = s->frame;
    if (!frame) return load(id);
    s->busy = true;
    const Settings settings = s->settings;
    const plan::Frame row = s->chart_frame;
    const Id shot = s->chart_shot;
    const inspect::Limits limits = limits_of(shoot());
    tasks_.run(tr("Measuring %1").arg(name_of_file(row.path)),
               [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
                   Loaded l{frame};
                   try_measuring(l, row, settings, limits, stop);
                   return [=, this] {
                       SetupState* now = state(id);
                       if (!now) return;
                       now->busy = false;
                       if (now->chart_shot != shot) return;
                       if (now->settings.corners != settings.corners || now->settings.chart != settings.chart)
                           return measure(id); // moved on meanwhile
                       keep_reading(id, l);
                       emit setup_changed(id);
                   };
               });
}

std::optional<job::MeasuredShot> Session::measured(const plan::ChartShot& shot) const {
    const auto reading = std::find_if(shoot().readings.begin(), shoot().readings.end(),
                                      [&](const plan::Reading& r) { return r.chart_shot == shot.id; });
    if (reading == shoot().readings.end()) return std::nullopt;
    const plan::Frame* frame = frame_row(shot.frame);
    return job::measured_from_json(reading->content, frame ? fs::path(frame->path) : fs::path());
}

std::vector<plan::Finding> Session::findings_of(const Loaded& l, Id setup, Id chart_shot) const {
    std::vector<plan::Finding> rows = l.findings;
    if (l.shot && !l.shot->frame.is_raw)
        for (const plan::ChartShot& other : shoot().chart_shots) {
            if (other.setup != setup || other.id == chart_shot) continue;
            const auto before = measured(other);
            if (!before) continue;
            job::compare_balance(rows, *l.shot, *before, limits_of(shoot()));
            break;
        }
    for (plan::Finding& f : rows) f.chart_shot = chart_shot;
    return rows;
}

// What was measured follows from the change before it and is undone together with it.
void Session::keep_reading(Id id, const Loaded& l) {
    const SetupState* s = state(id);
    const plan::ChartShot* row = plan::record(shoot().chart_shots, s->chart_shot);
    if (!row) return;
    plan::ChartShot shot = *row;
    shot.problem = l.problem.toStdString();
    shot.kelvin = l.kelvin;
    shot.duv = l.duv;
    const QString name = name_of_file(s->chart_frame.path);
    change(
        l.shot ? tr("Read the chart in %1").arg(name) : tr("No reading of %1").arg(name),
        [&](job::Edit& e) {
            e.about(title_of(id).toStdString());
            e.update(shot);
            for (const plan::Reading& r : shoot().readings)
                if (r.chart_shot == shot.id) e.remove<plan::Reading>(r.id);
            for (const plan::Finding& f : shoot().findings)
                if (f.chart_shot == shot.id) e.remove<plan::Finding>(f.id);
            if (!l.shot) return;
            e.add(plan::Reading{
                .chart_shot = shot.id, .made_from = shot.chart + "|" + shot.corners, .content = job::to_json(*l.shot)});
            for (const plan::Finding& f : findings_of(l, id, shot.id)) e.add(f);
        },
        true);
    if (l.shot) remember_light(id);
    else emit notice(name + ": " + l.problem); // another chart shot may be in force, and would hide it
    demo_step(id);
}

// A light of the kit gets what it was measured as.
void Session::remember_light(Id id) {
    const SetupState* s = state(id);
    const plan::Light* light = plan::record(shoot().lights, s->row.light);
    const plan::ChartShot* shot = plan::record(shoot().chart_shots, s->chart_shot);
    if (!light || light->uid.empty() || !shot || shot->kelvin <= 0 || !s->refused.isEmpty()) return;
    const std::string source = shoot().brief().title + ", " + fs::path(s->chart_frame.path).filename().string();
    for (const plan::Light& l : kit().lights) {
        if (l.uid != light->uid) continue;
        for (const plan::LightReading& r : kit().light_readings)
            if (r.light == l.id && r.source == source) return;
        change_kit(tr("%1 measured").arg(qt(l.name)), [&](job::Edit& e) {
            e.about(l.name);
            e.add(plan::LightReading{.light = l.id,
                                     .at = s->chart_frame.taken,
                                     .kelvin = shot->kelvin,
                                     .duv = shot->duv,
                                     .power = light->power,
                                     .modifier = light->modifier,
                                     .source = source});
        });
        return;
    }
}

// Balance of a reading: quick enough for the window's thread.
void Session::weigh(SetupState& s) {
    s.balance.reset();
    s.light.reset();
    s.balance_problem.clear();
    s.proof.reset();
    if (s.shot) {
        try {
            const fs::path& wanted =
                s.settings.reference.empty() ? s.shot->definition.reference_file : s.settings.reference;
            if (!s.reference || s.reference->file != wanted)
                s.reference = std::make_shared<const chart::Reference>(s.settings.reference.empty()
                                                                           ? chart::reference_of(s.shot->definition)
                                                                           : chart::load_reference(wanted));
            s.balance = balance::balanced_on(s.shot->reading, *s.reference, &s.shot->definition, s.settings.white);
            if (s.settings.curves)
                s.balance->curves = balance::curves_of(*s.balance, s.shot->reading, *s.reference, &s.shot->definition);
            if (s.shot->frame.camera_from_xyz) s.light = balance::light_of(*s.balance, *s.shot->frame.camera_from_xyz);
            if (s.balance_only()) { // its correction is the balance alone, and made whenever it is needed
                fit::Settings balance_only;
                balance_only.model = fit::Model::diagonal;
                balance_only.alone = true;
                balance_only.intent = s.settings.intent;
                balance_only.white = s.settings.white;
                balance_only.curves = s.settings.curves;
                s.correction =
                    std::make_shared<const fit::Correction>(job::correct({*s.shot}, *s.reference, balance_only));
            }
        } catch (const Error& e) { s.balance_problem = QString::fromUtf8(e.what()); }
    }
    if (!s.correction) return;
    try {
        const bool own = !s.taken_from || !s.shot;
        s.proof = std::make_shared<const prove::Proof>(
            own ? prove::against(*s.correction, s.correction->reading, s.correction->reference, false)
                : prove::against(*s.correction, s.shot->reading, *s.reference, true));
    } catch (const Error&) { // nothing to compare with
    }
}

void Session::change(Id id, const Settings& settings, const QString& what) {
    const SetupState* s = state(id);
    if (!s || settings == s->settings) return;
    plan::Setup row = s->row;
    row.white = settings.white;
    row.reference = settings.reference.string();
    row.intent = fit::name_of(settings.intent);
    row.model = settings.model ? fit::name_of(*settings.model) : "";
    row.weights = fit::text_of(settings.weights);
    row.curves = settings.curves;
    row.stops = settings.finish.stops;
    row.warmer_mired = settings.finish.warmer_mired;
    row.greener = settings.finish.greener;
    row.light_kept = settings.finish.light_kept;
    row.others = prove::text_of(settings.others);
    row.average = settings.average;
    row.samples.clear();
    for (const fs::path& file : settings.samples) row.samples += file.string() + "\n";
    row.spots.clear();
    for (const std::string& spot : settings.spots) row.spots += spot + "\n";
    const plan::ChartShot* shot = plan::record(shoot().chart_shots, s->chart_shot);
    change(what, [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        e.update(row);
        if (!shot || (settings.corners == s->settings.corners && settings.chart == s->settings.chart)) return;
        plan::ChartShot moved = *shot;
        moved.chart = settings.chart;
        moved.corners = text_of(settings.corners);
        moved.problem.clear();
        e.update(moved);
    });
}

void Session::refuse(Id id, const QString& why) {
    const SetupState* s = state(id);
    const plan::ChartShot* row = s ? plan::record(shoot().chart_shots, s->chart_shot) : nullptr;
    if (!row) return;
    plan::ChartShot shot = *row;
    shot.accepted = false;
    shot.refused = why.isEmpty() ? tr("refused by hand").toStdString() : why.toStdString();
    change(tr("Refuse the chart shot"), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        e.update(shot);
    });
    settle_timer_.start();
}

void Session::accept(Id id) {
    const SetupState* s = state(id);
    const plan::ChartShot* row = s ? plan::record(shoot().chart_shots, s->chart_shot) : nullptr;
    if (!row) return;
    plan::ChartShot shot = *row;
    shot.refused.clear();
    shot.accepted = true;
    change(tr("Accept the chart shot"), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        e.update(shot);
    });
    settle_timer_.start();
}

void Session::fit(Id id) {
    SetupState* s = state(id);
    if (!s || !s->shot || !s->balance || s->fitting || s->balance_only() || !s->refused.isEmpty()) return;
    s->fitting = true;
    emit setup_changed(id);
    const auto shot = s->shot;
    const auto reference = s->reference;
    const auto pixels = s->frame;
    const Settings settings = s->settings;
    std::vector<job::MeasuredShot> shots{*shot};
    std::vector<std::vector<inspect::Finding>> findings{job::findings_from(s->findings)};
    if (settings.average)
        for (const plan::ChartShot* other : shots_to_average(id)) {
            if (other->id == s->chart_shot) continue;
            const auto shot_before = measured(*other);
            if (!shot_before) continue;
            shots.push_back(*shot_before);
            std::vector<plan::Finding> of_it;
            std::copy_if(shoot().findings.begin(), shoot().findings.end(), std::back_inserter(of_it),
                         [&](const plan::Finding& f) { return f.chart_shot == other->id; });
            findings.push_back(job::findings_from(of_it));
        }
    const plan::Frame row = s->chart_frame;
    const std::string key = plan::settings_of(s->row, plan::record(shoot().chart_shots, s->chart_shot)),
                      light = plan::name_in(shoot().lights, s->row.light);
    tasks_.run(
        tr("Fitting %1").arg(title_of(id)),
        [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
            fit::Settings f;
            f.model = settings.model;
            f.intent = settings.intent;
            f.white = settings.white;
            f.curves = settings.curves;
            f.weights = settings.weights;
            auto made =
                std::make_shared<fit::Correction>(job::correct(shots, *reference, f, stop, findings, settings.samples));
            made->light_name = light;
            QImage small;
            try {
                const frame::Frame read = pixels ? frame::Frame{} : read_pixels(row, frame::Size::measuring, {}, stop);
                const frame::Frame& p = pixels ? *pixels : read;
                small = rendition_of(apply::corrected(p, *made, "srgb", {}, stop), p).small(thumbnail_width);
            } catch (const Error& e) { // the frame is away: the correction is good without its picture
                if (e.kind() == ErrorKind::cancelled) throw;
            }
            return [=, this] { fitted(id, made, key, small); };
        },
        [this, id](const Error& e) {
            if (SetupState* now = state(id)) now->fitting = false;
            emit setup_changed(id);
            emit notice(QString::fromUtf8(e.what()));
        });
}

void Session::fitted(Id id, std::shared_ptr<fit::Correction> made, const std::string& settings, const QImage& small) {
    SetupState* s = state(id);
    if (!s) return;
    s->fitting = false;
    const plan::Camera* camera = plan::record(shoot().cameras, s->row.camera);
    const plan::Mode* mode = plan::record(shoot().modes, s->row.mode);
    plan::Correction row{.setup = id, .chart_shot = s->chart_shot, .made = made->made, .settings = settings};
    row.firmware = camera ? camera->firmware : "";
    row.sub_settings = mode ? mode->sub_settings : "";
    row.lens = s->chart_frame.lens;
    row.iso = s->chart_frame.iso;
    row.shot_taken = plan::time_of(plan::time_in_job(shoot(), s->chart_frame));
    row.content = fit::to_json(*made);
    keep_thumbnail(corrected_key(s->chart_frame, row.content), small);
    const fit::Statistics& c = made->cross_validated;
    change(tr("Fit %1").arg(title_of(id)), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        const Id correction = e.add(row);
        e.add(plan::Proof{.correction = correction,
                          .made = made->made,
                          .mean = c.mean,
                          .median = c.median,
                          .p95 = c.p95,
                          .max = c.max,
                          .basis = "patches left out"});
    });
    if (SetupState* now = state(id); now && !small.isNull()) now->small_picture = small;
    emit setup_changed(id);
    demo_step(id);
}

void Session::fit_all() {
    for (const Id id : ids())
        if (at(id).wants_fit()) fit(id);
}

void Session::prove(Id id) {
    const SetupState* s = state(id);
    if (!s || !s->correction || !s->shot || !s->reference) return;
    guarded([&] {
        const prove::Proof p = prove::against(*s->correction, s->shot->reading, *s->reference, true);
        const fit::Statistics& d = p.delta_e_2000;
        change(tr("Prove %1").arg(title_of(id)), [&](job::Edit& e) {
            e.about(title_of(id).toStdString());
            e.add(plan::Proof{.correction = s->correction_id,
                              .chart_shot = s->chart_shot,
                              .made = utc_now(),
                              .mean = d.mean,
                              .median = d.median,
                              .p95 = d.p95,
                              .max = d.max,
                              .basis = "chart shot"});
        });
    });
}

void Session::lend(Id from, Id to) {
    const plan::Evidence e = plan::evidence(shoot(), from);
    if (!e.correction || !state(to) || from == to) return;
    plan::Correction copy = *e.correction;
    copy.id = 0;
    copy.setup = to;
    copy.chart_shot = 0;
    copy.taken_from = from;
    copy.settings.clear();
    const plan::Mode* mode = plan::record(shoot().modes, state(to)->row.mode);
    const plan::Camera* camera = plan::record(shoot().cameras, state(to)->row.camera);
    copy.sub_settings = mode ? mode->sub_settings : "";
    copy.firmware = camera ? camera->firmware : "";
    change(tr("Take the correction of %1 for %2").arg(title_of(from), title_of(to)), [&](job::Edit& edit) {
        edit.about(title_of(to).toStdString());
        edit.add(copy);
    });
}

// Small picture of a setup: kept ones at once, others when they have been made.
void Session::small_picture(Id id) {
    SetupState* s = state(id);
    if (s->correction) s->small_picture = kept_thumbnail(corrected_key(s->chart_frame, s->correction_content));
    if (s->small_picture.isNull()) s->small_picture = kept_thumbnail(picture_key(s->chart_frame));
    if (!s->small_picture.isNull() || s->busy || !s->shot) return; // a frame that is being read brings its own
    thumbnail(s->chart_frame.id, [this, id](const QImage& image) {
        if (SetupState* now = state(id); now && now->small_picture.isNull()) {
            now->small_picture = image;
            emit setup_changed(id);
        }
    });
}

void Session::thumbnail(Id frame, std::function<void(QImage)> show) {
    const plan::Frame* row = frame_row(frame);
    if (!row || !row->problem.empty()) return;
    if (const QImage kept = kept_thumbnail(picture_key(*row)); !kept.isNull()) return show(kept);
    std::error_code ec;
    if (!fs::exists(row->path, ec)) return;
    const plan::Frame f = *row;
    tasks_.run_quietly([=](std::stop_token stop, const Progress&) -> Tasks::Then {
        const frame::Frame p = read_pixels(f, frame::Size::measuring, {}, stop);
        const QImage image =
            rendition_of(apply::uncorrected(p, apply::viewing_gains(p), "srgb", stop), p).small(thumbnail_width);
        keep_thumbnail(picture_key(f), image);
        return [show, image] { show(image); };
    });
}

} // namespace refero::app
