#include "operations/capture/intake.hpp"

#include <cmath>

#include "operations/internal/wording.hpp"
#include "shoot/assign.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/parameters.hpp"
#include "shoot/runs.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

namespace fs = std::filesystem;
using shoot::Change;
using shoot::Id;

namespace {

constexpr const char* camera_of = "Camera of ";
/// Lights that differ by less look alike to the camera's own matrix; more is another light.
constexpr double same_light_mired = 25;

/// A second body of one model is told apart by its serial number.
std::string camera_name(const shoot::Shoot& shoot, const std::string& model, const std::string& serial) {
    const auto taken = [&](const std::string& name) {
        return std::any_of(shoot.cameras.begin(), shoot.cameras.end(), [&](const auto& k) { return k.name == name; });
    };
    constexpr std::size_t short_serial = 4;
    std::string name = model;
    if (taken(name) && !serial.empty())
        name = model + " " + serial.substr(serial.size() - std::min(serial.size(), short_serial));
    if (taken(name) && serial.size() > short_serial) name = model + " " + serial;
    for (int n = 2; taken(name); ++n) name = model + " " + std::to_string(n);
    return name;
}

Id camera_for(Change& c, const shoot::Shoot& shoot, const shoot::Kit& kit, const shoot::FrameRecord& f) {
    const std::string folder = fs::path(f.path).parent_path().filename().string();
    const bool nameless = f.model.empty() && f.make.empty() && !folder.empty() && f.kind == shoot::FrameKind::clip;
    shoot::CameraRecord camera{.uid = new_uid(),
                               .name = !f.model.empty() ? f.model
                                       : nameless       ? camera_of + folder
                                                        : frame::Metadata{.make = f.make}.camera(),
                               .model = f.model,
                               .serial_number = f.serial_number};
    for (const shoot::CameraRecord& known : kit.cameras) // what the kit knows of it
        if (!known.serial_number.empty() && known.serial_number == f.serial_number) {
            camera = known;
            camera.id = 0;
            camera.silent_lens = 0;
        }
    camera.name = camera_name(shoot, camera.name, f.serial_number);
    camera.position = static_cast<int>(shoot.cameras.size());
    return c.add(camera);
}

std::string encoding_title(const std::string& encoding) { return fs::path(encoding).stem().string(); }

/// `encoding`: that it is told to have; raw files have none.
Id mode_for(Change& c, const shoot::Shoot& shoot, const shoot::FrameRecord& f, const std::string& encoding) {
    const bool clip = f.kind == shoot::FrameKind::clip, told = !f.raw && !encoding.empty();
    const shoot::ModeKind kind = clip    ? shoot::ModeKind::video
                                 : f.raw ? shoot::ModeKind::raw
                                         : shoot::ModeKind::finished;
    const std::string name = std::string(clip    ? "video"
                                         : f.raw ? "raw"
                                                 : "finished") +
                             (told ? " " + encoding_title(encoding) : "");
    const std::string styled = f.style.empty() || kind != shoot::ModeKind::finished ? name : name + ", " + f.style;
    for (const shoot::ModeRecord& m : shoot.modes)
        if (told ? m.kind == kind && m.encoding == encoding : m.name == styled) return m.id;
    // Without an encoding: by the file's own tags and profile.
    return c.add(shoot::ModeRecord{.name = styled,
                                   .kind = kind,
                                   .encoding = told    ? encoding
                                               : f.raw ? "linear"
                                                       : "",
                                   .sub_settings = kind == shoot::ModeKind::finished ? f.style : ""});
}

/// A mode that is told an encoding is no other's.
bool fits(const shoot::Shoot& shoot, const shoot::FrameRecord& f, Id mode, const std::string& encoding) {
    const shoot::ModeRecord* m = shoot::record(shoot.modes, mode);
    return f.raw || encoding.empty() || (m && m->encoding == encoding);
}

// The light's column: the one named, or a new one, that this rig has no setup under yet.
Id light_for(Change& c, const shoot::Shoot& shoot, const shoot::Rig& rig, const std::string& wanted) {
    for (int n = 1;; ++n) {
        const std::string name = wanted.empty() ? "Light " + std::to_string(n)
                                 : n > 1        ? wanted + " " + std::to_string(n)
                                                : wanted;
        const auto known = std::find_if(shoot.lights.begin(), shoot.lights.end(),
                                        [&](const shoot::LightRecord& l) { return l.name == name; });
        if (known == shoot.lights.end())
            return c.add(
                shoot::LightRecord{.uid = new_uid(), .name = name, .position = static_cast<int>(shoot.lights.size())});
        if (!shoot::setup_at(shoot, rig, known->id)) return known->id;
    }
}

/// Across a break it is the same lamp only where it reads the same, or daylight that moved slowly. Levels are in stops,
/// 0: not known.
bool same_after_break(double mired, double minutes, double duv, double level, double other_level) {
    const double stops = level == 0 || other_level == 0 ? 0 : std::abs(level - other_level);
    if (duv > shoot::max_repeat_duv) return false;
    return (mired <= shoot::max_repeat_mired && stops <= shoot::max_repeat_stops) ||
           (mired <= shoot::max_slow_drift_mired && mired <= shoot::max_slow_drift_mired_per_min * minutes &&
            stops <= shoot::max_slow_drift_stops);
}

/// The setup of a chart's own camera whose light it shows: by the light under which another camera shot its chart at
/// that time, else by the nearest in time of its own earlier charts whose light is alike or has drifted here. 0: none.
Id setup_of_light(const shoot::Shoot& shoot, const shoot::FrameRecord& f, const Measured& m) {
    const Id together = shoot::light_by_time(shoot, f);
    const double at = shoot::time_in_job(shoot, f);
    const shoot::Runs runs(shoot, at);
    double nearest = INFINITY;
    Id setup = 0;
    for (const shoot::ChartShotRecord& s : shoot.chart_shots) {
        const shoot::SetupRecord* row = shoot::record(shoot.setups, s.setup);
        const shoot::FrameRecord* g = shoot::record(shoot.frames, s.frame);
        if (!row || !g || row->camera != f.camera || (f.mode && row->mode != f.mode) || g->flash != f.flash) continue;
        if (together && row->light != together) continue;
        const double at_s = shoot::time_in_job(shoot, *g);
        const double mired = m.kelvin > 0 && s.kelvin > 0 ? std::abs(1e6 / m.kelvin - 1e6 / s.kelvin) : INFINITY;
        const bool alike =
            runs.apart(at_s, at)
                ? same_after_break(mired, std::abs(at - at_s) / 60, std::abs(m.duv - s.duv), m.level, s.level)
                : mired < same_light_mired || shoot::may_have_drifted(shoot, s, at, m.kelvin, m.duv);
        const double apart = std::abs(at_s - at);
        if (!alike || (setup && !(apart < nearest))) continue;
        nearest = std::isfinite(apart) ? apart : INFINITY;
        setup = s.setup;
    }
    return setup;
}

/// The column of a chart without a plan: the light of other cameras' charts of about that time, else a new one; for a
/// frame without a time the first that the rig has no setup under.
Id light_of_chart(Change& c, const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::FrameRecord& f) {
    if (const Id together = shoot::light_by_time(shoot, f); together && !shoot::setup_at(shoot, rig, together))
        return together;
    if (!std::isfinite(shoot::time_in_job(shoot, f)) || shoot.chart_shots.empty()) return light_for(c, shoot, rig, "");
    for (int n = 1;; ++n) {
        const std::string name = "Light " + std::to_string(n);
        if (std::none_of(shoot.lights.begin(), shoot.lights.end(), [&](const auto& l) { return l.name == name; }))
            return c.add(
                shoot::LightRecord{.uid = new_uid(), .name = name, .position = static_cast<int>(shoot.lights.size())});
    }
}

// A new camera, mode and light as far as they are not in the job, and the setup that joins them.
Id new_setup(Change& c, const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::FrameRecord& f,
             const std::string& light, bool balance_only = false, const std::string& encoding = {}) {
    const shoot::Recognition r = shoot::recognise(shoot, f);
    f.camera = r.camera ? r.camera : camera_for(c, shoot, kit, f);
    f.lens = r.lens;
    if (!f.lens && !f.lens_name.empty()) {
        const double focal_mm = f.focal_mm > 0 ? f.focal_mm : 50;
        f.lens = c.add(
            shoot::LensRecord{.uid = new_uid(), .name = f.lens_name, .focal_mm = focal_mm, .focal_max_mm = focal_mm});
    }
    f.mode = r.mode && fits(shoot, f, r.mode, encoding) ? r.mode : mode_for(c, shoot, f, encoding);
    const Id lens = shoot.brief().lens_school == shoot::LensSchool::each_lens ? f.lens : 0;
    const shoot::Rig rig{f.camera, lens, f.mode};
    const Id column =
        light.empty() && !balance_only ? light_of_chart(c, shoot, rig, f) : light_for(c, shoot, rig, light);
    return c.add(shoot::SetupRecord{
        .camera = f.camera, .lens = lens, .mode = f.mode, .light = column, .balance_only = balance_only});
}

/// A setup that is balanced on a card has no chart shot yet: the frame brought to it by hand shows the card.
bool waits_for_card(const shoot::Shoot& shoot, Id setup) {
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    return s && s->balance_only && !shoot::evidence(shoot, setup).shot;
}

/// What a companion or copy takes over from the frame that leads.
void follow(shoot::FrameRecord& f, const shoot::FrameRecord& lead) {
    f.setup = lead.setup;
    f.reason =
        (f.sha256 == lead.sha256 ? "a copy of " : "the same exposure as ") + fs::path(lead.path).filename().string();
}

/// Where a frame goes, and as what.
struct Place {
    bool fresh = false; ///< a setup of its own
    std::string told;
};

Place place_for(const shoot::Shoot& shoot, shoot::FrameRecord& f, const Measured& m, const TakeIn& how) {
    Place place;
    const bool shows_chart = m.shot != nullptr;
    const auto by_hand_into = [&](Id setup) {
        f.setup = setup;
        f.by_hand = true;
        f.reason = "put there by hand";
    };
    if (f.same_as) {
        follow(f, *shoot::record(shoot.frames, f.same_as));
    } else if (how.setup) {
        by_hand_into(how.setup);
        if (f.kind == shoot::FrameKind::ordinary && f.problem.empty() &&
            (shows_chart || (how.alone && waits_for_card(shoot, how.setup))))
            f.kind = shoot::FrameKind::chart;
    } else if (!f.problem.empty()) {
        f.reason = "it cannot be read";
    } else if (how.card) {
        place.fresh = true;
        f.kind = shoot::FrameKind::chart;
        f.reason = "a light of its own, balanced on a card";
    } else if (shows_chart) {
        if (f.kind != shoot::FrameKind::clip) f.kind = shoot::FrameKind::chart; // footage stays footage
        const shoot::Assignment a = shoot::assign_chart(shoot, f, m.kelvin);
        f.setup = a.setup;
        f.reason = a.reason;
        const shoot::Evidence before = shoot::evidence(shoot, f.setup);
        // Given by hand without a plan for it: times and colours of the charts that are there say which light it is.
        if (how.by_hand && (!f.setup || (before.shot && before.reading))) {
            f.setup = setup_of_light(shoot, f, m);
            if (f.setup) f.reason = "its light is that of an earlier chart shot";
        }
        if (how.by_hand && !f.setup) {
            place.fresh = true;
            f.reason = "a light of its own";
        }
    } else if (how.by_hand && how.alone && f.kind == shoot::FrameKind::ordinary && shoot.setups.empty()) {
        place.fresh = true; // the one frame that was opened: its corners can be given by hand
        f.kind = shoot::FrameKind::chart;
    } else if (how.by_hand && how.alone && f.kind == shoot::FrameKind::ordinary && waits_for_card(shoot, how.current)) {
        by_hand_into(how.current);
        f.kind = shoot::FrameKind::chart;
    } else {
        const shoot::Assignment a = shoot::assign_ordinary(shoot, f);
        f.setup = a.setup;
        f.reason = a.reason;
        if (how.by_hand && shoot::record(shoot.setups, how.current)) {
            by_hand_into(how.current);
            place.told = fs::path(f.path).filename().string() + " shows no chart: it is now an ordinary frame of " +
                         title_of(shoot, how.current);
        }
    }
    return place;
}

/// Reading and findings of a chart shot that is measured already.
void add_reading(Change& c, const shoot::Shoot& shoot, Id setup, Id chart_shot, const Measured& m) {
    if (!m.shot) return;
    c.add(store::row_of(chart_shot, "|", *m.shot));
    for (const shoot::FindingRecord& finding : findings_of(shoot, setup, chart_shot, m)) c.add(finding);
}

void remove_reading(Change& c, const shoot::Shoot& shoot, Id chart_shot) {
    for (const shoot::ReadingRecord& r : shoot.readings)
        if (r.chart_shot == chart_shot) c.remove<shoot::ReadingRecord>(r.id);
    for (const shoot::FindingRecord& f : shoot.findings)
        if (f.chart_shot == chart_shot) c.remove<shoot::FindingRecord>(f.id);
}

/// A correction was fitted to this picture, or its setup has one for the camera's pictures.
bool is_fitted(const shoot::Shoot& shoot, const shoot::FrameRecord& picture) {
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, picture.setup);
    const shoot::ModeRecord* mode = setup ? shoot::record(shoot.modes, setup->mode) : nullptr;
    return std::any_of(shoot.corrections.begin(), shoot.corrections.end(), [&](const shoot::CorrectionRecord& c) {
        const shoot::ChartShotRecord* shot = shoot::record(shoot.chart_shots, c.chart_shot);
        return (shot && shot->frame == picture.id) ||
               (setup && mode && mode->kind == shoot::ModeKind::finished && c.setup == setup->id);
    });
}

/// True where a setup of this camera is for raw files.
bool has_raw_setup(const shoot::Shoot& shoot, Id camera) {
    return std::any_of(shoot.setups.begin(), shoot.setups.end(), [&](const shoot::SetupRecord& s) {
        const shoot::ModeRecord* mode = shoot::record(shoot.modes, s.mode);
        return s.camera == camera && mode && mode->kind == shoot::ModeKind::raw;
    });
}

/// The raw file of an exposure whose picture came first takes its place: its chart shot, and where the setup was made
/// for the picture, that setup.
void take_the_lead(Change& c, const shoot::Shoot& shoot, shoot::FrameRecord& raw, const shoot::FrameRecord& picture,
                   const Measured& m) {
    raw.kind = picture.kind;
    raw.by_hand = picture.by_hand;
    raw.role = picture.role;
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, picture.setup);
    const shoot::ModeRecord* mode = setup ? shoot::record(shoot.modes, setup->mode) : nullptr;
    const bool made_for_it = setup && mode && mode->kind == shoot::ModeKind::finished;
    if (made_for_it && picture.kind == shoot::FrameKind::chart && !has_raw_setup(shoot, picture.camera)) {
        shoot::SetupRecord now = *setup;
        now.mode = raw.mode = mode_for(c, shoot, raw, {});
        c.update(now);
        raw.setup = setup->id;
        raw.reason = picture.reason;
    } else if (made_for_it) {
        const shoot::Assignment a = picture.kind == shoot::FrameKind::chart ? shoot::assign_chart(shoot, raw, m.kelvin)
                                                                            : shoot::assign_ordinary(shoot, raw);
        raw.setup = a.setup;
        raw.reason = a.reason;
    } else {
        raw.setup = picture.setup;
        raw.reason = picture.reason;
    }
    const Id row = c.add(raw);
    for (shoot::FrameRecord f : shoot.frames) {
        if (f.id != picture.id && f.same_as != picture.id) continue;
        f.same_as = row;
        if (f.kind == shoot::FrameKind::chart) f.kind = shoot::FrameKind::ordinary;
        follow(f, raw);
        c.update(f);
    }
    for (shoot::ChartShotRecord shot : shoot.chart_shots) {
        if (shot.frame != picture.id) continue;
        remove_reading(c, shoot, shot.id);
        if (!raw.setup) {
            c.remove<shoot::ChartShotRecord>(shot.id);
            continue;
        }
        shot.frame = row;
        shot.setup = raw.setup;
        shot.corners.clear(); // in the picture's own pixels
        shot.problem = m.problem;
        shot.kelvin = m.kelvin;
        shot.duv = m.duv;
        shot.level = m.level;
        c.update(shot);
        if (shot.chart.empty()) add_reading(c, shoot, raw.setup, shot.id, m);
    }
}

} // namespace

bool is_nameless(const shoot::CameraRecord& camera) {
    return camera.model.empty() && camera.serial_number.empty() &&
           (camera.name.starts_with(camera_of) || camera.name.starts_with(frame::Metadata{}.camera()));
}

Taken take_in(const shoot::Shoot& shoot, const shoot::Kit& kit, const Arrival& arrival, const TakeIn& how) {
    Taken t;
    const Measured& m = arrival.measured;
    shoot::FrameRecord f = arrival.row;
    if (!how.confirmed) f.sha256.clear();
    if (f.model.empty() && f.serial_number.empty()) f.model = how.camera;
    const auto known = std::find_if(shoot.frames.begin(), shoot.frames.end(),
                                    [&](const shoot::FrameRecord& k) { return k.path == f.path; });
    const bool again = known != shoot.frames.end();
    if (again) {
        const bool better = !known->problem.empty() && f.problem.empty(),
                   other = f.problem.empty() && f.sha256 != known->sha256 && how.confirmed,
                   worse = !known->problem.empty() && f.size != known->size;
        if (!better && !other && !worse) return t;
        f.id = known->id;
        f.role = known->role;
        f.from_s = known->from_s;
        f.to_s = known->to_s;
    }
    if (arrival.own_work && !how.by_hand && !how.setup) return t;
    const shoot::Recognition r = shoot::recognise(shoot, f);
    f.camera = r.camera;
    f.lens = r.lens;
    f.mode = r.mode;
    f.same_as = shoot::companion_of(shoot, f);
    if (!fits(shoot, f, r.mode, how.encoding)) { // another one of this encoding, if there is one
        f.mode = 0;
        for (const shoot::ModeRecord& other : shoot.modes)
            if (other.encoding == how.encoding && other.kind != shoot::ModeKind::raw) f.mode = other.id;
    }
    const std::string name = fs::path(f.path).filename().string();
    const shoot::FrameRecord* picture = shoot::record(shoot.frames, f.same_as);
    if (picture && f.raw && !picture->raw && picture->kind != shoot::FrameKind::clip && !again && f.problem.empty() &&
        f.sha256 != picture->sha256) {
        if (!is_fitted(shoot, *picture)) {
            t.rows = Change(name + " came in and leads " + fs::path(picture->path).filename().string());
            f.same_as = 0;
            take_the_lead(t.rows, shoot, f, *picture, m);
            t.setup = f.setup;
            t.rows.about(title_of(shoot, f.setup));
            for (const shoot::ChartShotRecord& shot : shoot.chart_shots)
                if (shot.frame == picture->id && f.setup) t.chart_shot = shot.id;
            return t;
        }
        t.told = name + " came in as a companion of " + fs::path(picture->path).filename().string() +
                 ": a correction was fitted to the camera's picture, which stays the frame of this job. To begin from "
                 "the raw files, make a setup for them and put them there.";
    }
    Place place = again && known->by_hand ? Place{} : place_for(shoot, f, m, how);
    if (again && known->by_hand) {
        f.setup = known->setup;
        f.kind = known->kind;
        f.by_hand = true;
        f.reason = known->reason;
    }
    if (const shoot::SetupRecord* s = shoot::record(shoot.setups, f.setup);
        s && !how.setup && !f.by_hand && !fits(shoot, f, s->mode, how.encoding)) {
        f.setup = 0; // planned for another recording
        place.fresh = place.fresh || m.shot;
        f.reason = place.fresh ? "a recording of its own" : "";
    }
    if (!place.told.empty()) t.told = place.told;
    if (r.asks_for_lens) t.camera_asks = r.camera;
    t.rows = Change(again                                         ? name + " was looked at again"
                    : f.kind == shoot::FrameKind::chart || m.shot ? "Chart shot " + name
                                                                  : name + " came in");
    if (place.fresh) f.setup = new_setup(t.rows, shoot, kit, f, "", how.card, how.encoding);
    if (!f.camera && how.by_hand && f.problem.empty() && !f.model.empty()) f.camera = camera_for(t.rows, shoot, kit, f);
    t.rows.about(f.setup > 0 ? title_of(shoot, f.setup) : f.model);
    t.setup = f.setup;
    Id shot_before = 0;
    for (const shoot::ChartShotRecord& shot : shoot.chart_shots)
        if (again && shot.frame == f.id) shot_before = shot.id;
    if (shot_before && f.kind == shoot::FrameKind::ordinary && !f.same_as && !f.setup) { // a person said that it is one
        f.kind = shoot::FrameKind::chart;
        f.setup = t.setup = shoot::record(shoot.chart_shots, shot_before)->setup;
    }
    const Id frame = again ? f.id : t.rows.add(f);
    if (again) t.rows.update(f);
    if (shot_before) remove_reading(t.rows, shoot, shot_before);
    const bool evidence = f.kind == shoot::FrameKind::chart || (f.kind == shoot::FrameKind::clip && m.shot);
    if (!evidence || f.same_as || !f.setup) return t;
    const std::string problem = !m.shot && (how.card || waits_for_card(shoot, f.setup)) ? touch_the_card : m.problem;
    if (shot_before) {
        shoot::ChartShotRecord shot = *shoot::record(shoot.chart_shots, shot_before);
        shot.problem = problem;
        shot.kelvin = m.kelvin;
        shot.duv = m.duv;
        shot.level = m.level;
        t.rows.update(shot);
        t.chart_shot = shot.id;
        if (!shot.chart.empty() || !shot.corners.empty()) return t; // measured anew, as it says
    } else {
        t.chart_shot = t.rows.add(shoot::ChartShotRecord{
            .setup = f.setup, .frame = frame, .problem = problem, .kelvin = m.kelvin, .duv = m.duv, .level = m.level});
    }
    add_reading(t.rows, shoot, f.setup, t.chart_shot, m);
    return t;
}

Taken take_correction(const shoot::Shoot& shoot, const shoot::Kit& kit, const fs::path& file) {
    const fit::Correction c = fit::load(file);
    const fs::path source = c.sources.empty() ? fs::path() : c.sources.front().file;
    Taken t;
    t.rows = Change("Correction " + file.filename().string());
    for (const shoot::SetupRecord& s : shoot.setups)
        if (const shoot::FrameRecord* f = shoot::evidence(shoot, s.id).frame;
            f && !source.empty() && f->path == source.string())
            t.setup = s.id;
    if (!t.setup) {
        std::error_code ec;
        // A correction may name any file: it is the chart shot only with the hash that the correction knows.
        const bool there = !source.empty() && fs::is_regular_file(source, ec) && !c.sources.front().sha256.empty() &&
                           sha256_of(source) == c.sources.front().sha256;
        shoot::FrameRecord f{.path = source.string()};
        if (there) f = described(source);
        else if (!c.sources.empty()) {
            const frame::Metadata& m = c.sources.front().metadata;
            f.make = m.make;
            f.model = m.model;
            f.lens_name = m.lens;
            f.serial_number = m.serial_number;
            f.taken = m.taken;
            f.iso = m.iso;
            f.sha256 = c.sources.front().sha256;
            f.raw = frame::kind_of(source) == frame::FileKind::raw;
        }
        f.kind = shoot::FrameKind::chart;
        f.reason = "named by the correction";
        if (f.model.empty()) f.model = "Unknown camera";
        t.setup = new_setup(t.rows, shoot, kit, f, c.light_name);
        if (!source.empty()) {
            f.setup = t.setup;
            shoot::ChartShotRecord shot{.setup = t.setup, .frame = t.rows.add(f)};
            if (!there)
                shot.problem =
                    "The chart shot " + source.string() + " is not where it was; the correction can still be used";
            t.chart_shot = t.rows.add(shot);
        }
    }
    t.rows.add(shoot::CorrectionRecord{
        .setup = t.setup, .kind = shoot::CorrectionKind::elsewhere, .made = c.made, .content = fit::to_json(c)});
    return t;
}

} // namespace refero::operations
