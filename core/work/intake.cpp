#include "work/intake.hpp"

#include <cmath>

#include "frame/clip.hpp"
#include "frame/sequence.hpp"
#include "work/footage.hpp"

#include "work/internal.hpp"

namespace refero::work {

namespace fs = std::filesystem;
using plan::Change;
using plan::Id;

namespace {

/// Lights that differ by less look alike to the camera's own matrix; more is another light.
constexpr double same_light_mired = 25;

Id camera_for(Change& c, const plan::Shoot& shoot, const plan::Kit& kit, const plan::Frame& f) {
    plan::Camera camera{.uid = new_uid(),
                        .name = f.model.empty() ? frame::Metadata{.make = f.make}.camera() : f.model,
                        .model = f.model,
                        .serial_number = f.serial_number};
    for (const plan::Camera& known : kit.cameras) // what the kit knows of it
        if (!known.serial_number.empty() && known.serial_number == f.serial_number) {
            camera = known;
            camera.id = 0;
            camera.silent_lens = 0;
        }
    camera.position = static_cast<int>(shoot.cameras.size());
    return c.add(camera);
}

std::string encoding_title(const std::string& encoding) { return fs::path(encoding).stem().string(); }

/// `encoding`: that it is told to have; raw files have none.
Id mode_for(Change& c, const plan::Shoot& shoot, const plan::Frame& f, const std::string& encoding) {
    const bool clip = f.kind == plan::FrameKind::clip, told = !f.raw && !encoding.empty();
    const plan::ModeKind kind = clip ? plan::ModeKind::video : f.raw ? plan::ModeKind::raw : plan::ModeKind::finished;
    const std::string name = std::string(clip    ? "video"
                                         : f.raw ? "raw"
                                                 : "finished") +
                             (told ? " " + encoding_title(encoding) : "");
    for (const plan::Mode& m : shoot.modes)
        if (told ? m.kind == kind && m.encoding == encoding : m.name == name) return m.id;
    // Without an encoding: by the file's own tags and profile.
    return c.add(plan::Mode{.name = name, .kind = kind, .encoding = told ? encoding : f.raw ? "linear" : ""});
}

/// A mode that is told an encoding is no other's.
bool fits(const plan::Shoot& shoot, const plan::Frame& f, Id mode, const std::string& encoding) {
    const plan::Mode* m = plan::record(shoot.modes, mode);
    return f.raw || encoding.empty() || (m && m->encoding == encoding);
}

// The light's column: the one named, or a new one, that this rig has no setup under yet.
Id light_for(Change& c, const plan::Shoot& shoot, const plan::Rig& rig, const std::string& wanted) {
    for (int n = 1;; ++n) {
        const std::string name = wanted.empty() ? "Light " + std::to_string(n)
                                 : n > 1        ? wanted + " " + std::to_string(n)
                                                : wanted;
        const auto known = std::find_if(shoot.lights.begin(), shoot.lights.end(),
                                        [&](const plan::Light& l) { return l.name == name; });
        if (known == shoot.lights.end())
            return c.add(
                plan::Light{.uid = new_uid(), .name = name, .position = static_cast<int>(shoot.lights.size())});
        if (!plan::setup_at(shoot, rig, known->id)) return known->id;
    }
}

// A new camera, mode and light as far as they are not in the job, and the setup that joins them.
Id new_setup(Change& c, const plan::Shoot& shoot, const plan::Kit& kit, plan::Frame& f, const std::string& light,
             bool balance_only = false, const std::string& encoding = {}) {
    const plan::Recognition r = plan::recognise(shoot, f);
    f.camera = r.camera ? r.camera : camera_for(c, shoot, kit, f);
    f.lens = r.lens;
    if (!f.lens && !f.lens_name.empty()) {
        const double focal_mm = f.focal_mm > 0 ? f.focal_mm : 50;
        f.lens =
            c.add(plan::Lens{.uid = new_uid(), .name = f.lens_name, .focal_mm = focal_mm, .focal_max_mm = focal_mm});
    }
    f.mode = r.mode && fits(shoot, f, r.mode, encoding) ? r.mode : mode_for(c, shoot, f, encoding);
    const Id lens = shoot.brief().lens_school == plan::LensSchool::each_lens ? f.lens : 0;
    const Id column = light_for(c, shoot, {f.camera, lens, f.mode}, light);
    return c.add(
        plan::Setup{.camera = f.camera, .lens = lens, .mode = f.mode, .light = column, .balance_only = balance_only});
}

/// A setup that is balanced on a card has no chart shot yet: the frame brought to it by hand shows the card.
bool waits_for_card(const plan::Shoot& shoot, Id setup) {
    const plan::Setup* s = plan::record(shoot.setups, setup);
    return s && s->balance_only && !plan::evidence(shoot, setup).shot;
}

/// Where a frame goes, and as what.
struct Place {
    bool fresh = false; ///< a setup of its own
    std::string told;
};

Place place_for(const plan::Shoot& shoot, plan::Frame& f, const Measured& m, const TakeIn& how) {
    Place place;
    const bool shows_chart = m.shot != nullptr;
    const auto by_hand_into = [&](Id setup) {
        f.setup = setup;
        f.by_hand = true;
        f.reason = "put there by hand";
    };
    if (f.same_as) {
        const plan::Frame& main = *plan::record(shoot.frames, f.same_as);
        f.setup = main.setup;
        f.reason = (f.sha256 == main.sha256 ? "a copy of " : "the same exposure as ") +
                   fs::path(main.path).filename().string();
    } else if (how.setup) {
        by_hand_into(how.setup);
        if (f.kind == plan::FrameKind::ordinary && f.problem.empty() &&
            (shows_chart || waits_for_card(shoot, how.setup)))
            f.kind = plan::FrameKind::chart;
    } else if (!f.problem.empty()) {
        f.reason = "it cannot be read";
    } else if (how.card) {
        place.fresh = true;
        f.kind = plan::FrameKind::chart;
        f.reason = "a light of its own, balanced on a card";
    } else if (shows_chart) {
        if (f.kind != plan::FrameKind::clip) f.kind = plan::FrameKind::chart; // footage stays footage
        const plan::Assignment a = plan::assign_chart(shoot, f, m.kelvin);
        f.setup = a.setup;
        f.reason = a.reason;
        const plan::Evidence before = plan::evidence(shoot, f.setup);
        if (how.by_hand && f.setup && before.shot && before.reading) {
            // Given by hand without a plan for it: another light than the one it would fall on is a column of its own.
            const double k = before.shot->kelvin;
            const bool alike = m.kelvin > 0 && k > 0 && std::abs(1e6 / m.kelvin - 1e6 / k) < same_light_mired;
            if (!alike) f.setup = 0;
        }
        if (how.by_hand && !f.setup) {
            place.fresh = true;
            f.reason = "a light of its own";
        }
    } else if (how.by_hand && !plan::record(shoot.setups, how.current) && f.kind == plan::FrameKind::ordinary &&
               shoot.setups.empty()) {
        place.fresh = true; // the only frame: its corners can be given by hand
        f.kind = plan::FrameKind::chart;
    } else if (how.by_hand && f.kind == plan::FrameKind::ordinary && waits_for_card(shoot, how.current)) {
        by_hand_into(how.current);
        f.kind = plan::FrameKind::chart;
    } else {
        const plan::Assignment a = plan::assign_ordinary(shoot, f);
        f.setup = a.setup;
        f.reason = a.reason;
        if (how.by_hand && plan::record(shoot.setups, how.current)) {
            by_hand_into(how.current);
            place.told = fs::path(f.path).filename().string() + " shows no chart: it is now an ordinary frame of " +
                         title_of(shoot, how.current);
        }
    }
    return place;
}

void describe_clip(const fs::path& file, plan::Frame& f) {
    const frame::Clip clip = frame::read_clip(file);
    f.kind = plan::FrameKind::clip;
    f.duration_s = clip.duration_s;
    f.frames_per_second = clip.frames_per_second;
    f.make = clip.make;
    f.model = clip.model;
    f.taken = clip.taken;
    f.timecode = clip.timecode;
    f.reel = clip.reel;
}

} // namespace

plan::Frame described(const fs::path& file) {
    plan::Frame f;
    f.path = fs::absolute(file).lexically_normal().string();
    std::error_code ec;
    if (frame::is_sequence_name(file)) {
        const frame::Sequence all = frame::sequence_named(file);
        f.path = fs::absolute(all.pattern).lexically_normal().string(); // however it was written
        for (const fs::path& picture : all.files) f.size += static_cast<std::int64_t>(fs::file_size(picture, ec));
        f.sha256 = frame::content_hash(file);
        describe_clip(file, f);
        return f;
    }
    f.size = static_cast<std::int64_t>(fs::file_size(file, ec));
    if (ec) throw Error(ErrorKind::input, "the file cannot be read", file, "Check the path and permissions");
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
    f.taken = m.taken;
    f.exposure_s = m.exposure_s;
    f.f_number = m.f_number;
    f.iso = m.iso;
    f.focal_mm = m.focal_mm;
    f.flash = m.flash;
    return f;
}

Arrival look_at(const fs::path& file, const inspect::Limits& limits, bool must_read, const Progress& progress,
                std::stop_token stop) {
    Arrival a;
    try {
        a.row = described(file);
        a.own_work =
            frame::is_own_work(frame::is_sequence_name(file) ? frame::sequence_named(file).files.front() : file);
        if (a.row.kind == plan::FrameKind::clip) {
            const ShotOptions any{.position_s = -1};
            const auto seen = chart_stills(
                file, any, [&](double share) { return progress ? progress(0.8 * share) : void(); }, stop);
            const auto best = best_still(file, seen, any, limits, stop);
            if (!best) return a;
            a.row.position_s = best->still.position_s;
        }
        a.measured = measure({{a.row.path, a.row.sha256, {}, a.row.position_s}, {}, {}, limits}, {}, progress, stop);
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::cancelled || must_read) throw;
        std::error_code ec;
        if (a.row.path.empty()) a.row.path = fs::absolute(file, ec).lexically_normal().string();
        a.row.problem = e.sentences(); // named in the list, with the remedy
    }
    return a;
}

Taken take_in(const plan::Shoot& shoot, const plan::Kit& kit, const Arrival& arrival, const TakeIn& how) {
    Taken t;
    const Measured& m = arrival.measured;
    plan::Frame f = arrival.row;
    for (const plan::Frame& known : shoot.frames)
        if (known.path == f.path) return t;
    if (arrival.own_work && !how.by_hand && !how.setup) return t;
    const plan::Recognition r = plan::recognise(shoot, f);
    f.camera = r.camera;
    f.lens = r.lens;
    f.mode = r.mode;
    f.same_as = plan::companion_of(shoot, f);
    if (!fits(shoot, f, r.mode, how.encoding)) { // another one of this encoding, if there is one
        f.mode = 0;
        for (const plan::Mode& other : shoot.modes)
            if (other.encoding == how.encoding && other.kind != plan::ModeKind::raw) f.mode = other.id;
    }
    Place place = place_for(shoot, f, m, how);
    if (const plan::Setup* s = plan::record(shoot.setups, f.setup);
        s && !how.setup && !fits(shoot, f, s->mode, how.encoding)) {
        f.setup = 0; // planned for another recording
        place.fresh = place.fresh || m.shot;
        f.reason = place.fresh ? "a recording of its own" : "";
    }
    t.told = place.told;
    if (r.asks_for_lens) t.camera_asks = r.camera;
    const std::string name = fs::path(f.path).filename().string();
    t.rows = Change(f.kind == plan::FrameKind::chart || m.shot ? "Chart shot " + name : name + " came in");
    if (place.fresh) f.setup = new_setup(t.rows, shoot, kit, f, "", how.card, how.encoding);
    t.rows.about(f.setup > 0 ? title_of(shoot, f.setup) : f.model);
    t.setup = f.setup;
    const Id frame = t.rows.add(f);
    const bool evidence = f.kind == plan::FrameKind::chart || (f.kind == plan::FrameKind::clip && m.shot);
    if (!evidence || f.same_as || !f.setup) return t;
    const std::string problem = !m.shot && (how.card || waits_for_card(shoot, f.setup)) ? touch_the_card : m.problem;
    t.chart_shot = t.rows.add(
        plan::ChartShot{.setup = f.setup, .frame = frame, .problem = problem, .kelvin = m.kelvin, .duv = m.duv});
    if (!m.shot) return t;
    t.rows.add(plan::Reading{.chart_shot = t.chart_shot, .made_from = "|", .content = job::to_json(*m.shot)});
    for (const plan::Finding& finding : findings_of(shoot, f.setup, t.chart_shot, m)) t.rows.add(finding);
    return t;
}

Taken take_correction(const plan::Shoot& shoot, const plan::Kit& kit, const fs::path& file) {
    const fit::Correction c = fit::load(file);
    const fs::path source = c.sources.empty() ? fs::path() : c.sources.front().file;
    Taken t;
    t.rows = Change("Correction " + file.filename().string());
    for (const plan::Setup& s : shoot.setups)
        if (const plan::Frame* f = plan::evidence(shoot, s.id).frame;
            f && !source.empty() && f->path == source.string())
            t.setup = s.id;
    if (!t.setup) {
        std::error_code ec;
        const bool there = !source.empty() && fs::is_regular_file(source, ec);
        plan::Frame f{.path = source.string()};
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
        f.kind = plan::FrameKind::chart;
        f.reason = "named by the correction";
        if (f.model.empty()) f.model = "Unknown camera";
        t.setup = new_setup(t.rows, shoot, kit, f, c.light_name);
        if (!source.empty()) {
            f.setup = t.setup;
            plan::ChartShot shot{.setup = t.setup, .frame = t.rows.add(f)};
            if (!there)
                shot.problem =
                    "The chart shot " + source.string() + " is not where it was; the correction can still be used";
            t.chart_shot = t.rows.add(shot);
        }
    }
    t.rows.add(plan::Correction{
        .setup = t.setup, .kind = plan::CorrectionKind::elsewhere, .made = c.made, .content = fit::to_json(c)});
    return t;
}

} // namespace refero::work
