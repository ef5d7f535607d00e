// What a frame is and where it belongs.
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "base/base.hpp"
#include "shoot/assign.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/parameters.hpp"
#include "shoot/runs.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::shoot {

namespace {

namespace fs = std::filesystem;

bool same(const std::string& a, const std::string& b) { return !a.empty() && to_lower(a) == to_lower(b); }

ModeKind kind_of(const FrameRecord& f) {
    if (f.kind == FrameKind::clip) return ModeKind::video;
    return f.raw ? ModeKind::raw : ModeKind::finished;
}

std::string time_of_day(double seconds) { return time_of(seconds).substr(11, 5); }

bool fits(const SetupRecord& s, const FrameRecord& f) {
    return s.camera == f.camera && (!s.lens || !f.lens || s.lens == f.lens) && (!f.mode || s.mode == f.mode);
}

} // namespace

std::string pattern_of(const std::string& path) {
    const fs::path file(path);
    const std::string name = to_lower(file.filename().string());
    return (file.parent_path() / name.substr(0, name.find_first_of("0123456789"))).string() +
           to_lower(file.extension().string());
}

Recognition recognise(const Shoot& shoot, const FrameRecord& f) {
    Recognition r;
    const CameraRecord* camera = nullptr;
    for (const CameraRecord& c : shoot.cameras)
        if (!camera && same(c.serial_number, f.serial_number) && (c.model.empty() || same(c.model, f.model)))
            camera = &c;
    for (const CameraRecord& c : shoot.cameras) // without a serial number in the kit, by the model's name
        if (!camera && (c.serial_number.empty() || f.serial_number.empty()) &&
            (same(c.model, f.model) || same(c.name, f.model)))
            camera = &c;
    if (!camera && f.model.empty() && f.reel.empty() && f.serial_number.empty())
        for (const FrameRecord& g : shoot.frames) // nameless files of one folder and one pattern of names
            if (!camera && g.model.empty() && g.reel.empty() && g.camera && g.id != f.id &&
                pattern_of(g.path) == pattern_of(f.path))
                camera = record(shoot.cameras, g.camera);
    if (!camera && !f.reel.empty())
        for (const FrameRecord& g : shoot.frames) // a reel is one camera's
            if (!camera && same(g.reel, f.reel) && g.id != f.id) camera = record(shoot.cameras, g.camera);
    if (!camera) return r;
    r.camera = camera->id;
    for (const LensRecord& l : shoot.lenses)
        if (!r.lens && same(l.name, f.lens_name)) r.lens = l.id;
    if (!r.lens && f.lens_name.empty()) {
        r.lens = record(shoot.lenses, camera->silent_lens) ? camera->silent_lens : 0;
        r.asks_for_lens = !r.lens && !shoot.lenses.empty();
    }
    // The mode of this kind that the camera's setups use; with several it stays open. A mode that another picture style
    // was seen in is another one.
    const auto other_style = [&](const ModeRecord& m) {
        return kind_of(f) == ModeKind::finished &&
               std::any_of(shoot.frames.begin(), shoot.frames.end(), [&](const FrameRecord& g) {
                   return g.mode == m.id && g.camera == camera->id && !g.same_as && !g.raw && g.style != f.style;
               });
    };
    int several = 0;
    for (const SetupRecord& s : shoot.setups) {
        const ModeRecord* m = record(shoot.modes, s.mode);
        if (s.camera != camera->id || !m || m->kind != kind_of(f) || r.mode == m->id || other_style(*m)) continue;
        r.mode = m->id;
        ++several;
    }
    if (several > 1) r.mode = 0;
    // Video cameras leave raw frames too.
    if (several == 0)
        for (const SetupRecord& s : shoot.setups)
            if (s.camera == camera->id) r.mode = r.mode && r.mode != s.mode ? -1 : s.mode;
    if (r.mode < 0) r.mode = 0;
    return r;
}

namespace {

/// Both were taken by one body: one that leaves no serial number in its pictures is told by its model.
bool same_body(const FrameRecord& f, const FrameRecord& g) {
    const bool known = !f.serial_number.empty() && !g.serial_number.empty();
    return f.model == g.model && (!known || f.serial_number == g.serial_number);
}

bool same_moment(const FrameRecord& f, const FrameRecord& g) {
    constexpr std::size_t whole_seconds = 19;   // "YYYY-MM-DDThh:mm:ss"
    constexpr double same_fraction_s = 0.00051; // one file may round to thousandths what the other tells finer
    if (f.taken.empty() || f.taken.substr(0, whole_seconds) != g.taken.substr(0, whole_seconds)) return false;
    const double one = fraction_of(f.taken), other = fraction_of(g.taken);
    return one < 0 || other < 0 || std::abs(one - other) <= same_fraction_s;
}

} // namespace

Id companion_of(const Shoot& shoot, const FrameRecord& f) {
    const fs::path path(f.path);
    const std::string stem = to_lower(path.stem().string()), name = to_lower(path.filename().string());
    for (const FrameRecord& g : shoot.frames) {
        if (g.id == f.id || g.same_as || g.path == f.path) continue;
        if (!f.sha256.empty() && f.size == g.size && f.sha256 == g.sha256) return g.id;
        if (!same_moment(f, g) || !same_body(f, g)) continue;
        const fs::path other(g.path);
        if (to_lower(other.stem().string()) != stem) continue;
        if (to_lower(other.filename().string()) != name || f.size == g.size) return g.id;
    }
    return 0;
}

Id light_by_time(const Shoot& shoot, const FrameRecord& f) {
    const double at = time_in_job(shoot, f);
    double nearest = max_together_s;
    Id light = 0;
    for (const ChartShotRecord& s : shoot.chart_shots) {
        const FrameRecord* g = record(shoot.frames, s.frame);
        const SetupRecord* setup = record(shoot.setups, s.setup);
        if (!g || !setup || g->camera == f.camera || !s.refused.empty()) continue;
        const bool both_tell_flash = g->kind != FrameKind::clip && f.kind != FrameKind::clip;
        if (both_tell_flash && g->flash != f.flash) continue;
        const double apart = std::abs(time_in_job(shoot, *g) - at);
        if (!(apart <= nearest)) continue; // also without a time
        nearest = apart;
        light = setup->light;
    }
    return light;
}

Assignment assign_chart(const Shoot& shoot, const FrameRecord& f, double kelvin) {
    if (!f.camera)
        return {0, "the camera " +
                       (f.model.empty() ? std::string("left no name in the file") : f.model + " is not in this job")};
    // Setups of this rig in the order in which they are to be shot.
    std::vector<const SetupRecord*> candidates;
    for (const Id light : lights_in_order(shoot))
        for (const SetupRecord& s : shoot.setups)
            if (s.light == light && fits(s, f)) candidates.push_back(&s);
    if (candidates.empty()) return {0, "no setup is planned for this camera, lens and mode"};

    const std::string seen = kelvin > 0 ? formatted("its light reads {:.0f} K", std::round(kelvin / 50) * 50) : "";
    if (f.flash) {
        std::vector<const SetupRecord*> flashes;
        for (const SetupRecord* s : candidates)
            if (const LightRecord* l = record(shoot.lights, s->light); l && l->kind == LightKind::flash)
                flashes.push_back(s);
        if (flashes.size() == 1)
            return {flashes.front()->id, "the flash fired, and " + name_in(shoot.lights, flashes.front()->light) +
                                             " is the flash of this camera"};
        if (!flashes.empty()) candidates = flashes;
    } else if (candidates.size() > 1) {
        std::erase_if(candidates, [&](const SetupRecord* s) {
            const LightRecord* l = record(shoot.lights, s->light);
            return l && l->kind == LightKind::flash && kelvin <= 0;
        });
        if (candidates.empty()) return {0, "only the flash is planned for this camera, and it did not fire"};
    }
    if (candidates.size() == 1)
        return {candidates.front()->id,
                "the only setup of this camera, lens and mode" + (seen.empty() ? "" : "; " + seen)};

    const auto off = [&](const SetupRecord* s) {
        const LightRecord* l = record(shoot.lights, s->light);
        return l && l->kelvin > 0 && kelvin > 0 ? std::abs(1e6 / l->kelvin - 1e6 / kelvin) : 1e9;
    };
    const auto nearest = [&](const std::vector<const SetupRecord*>& among) {
        return *std::min_element(among.begin(), among.end(),
                                 [&](const SetupRecord* a, const SetupRecord* b) { return off(a) < off(b); });
    };
    std::vector<const SetupRecord*> open;
    for (const SetupRecord* s : candidates)
        if (!evidence(shoot, s->id).shot) open.push_back(s);
    const auto nominal = [&](const SetupRecord* s) {
        const LightRecord* l = record(shoot.lights, s->light);
        return seen + ", nearest to " + l->name + formatted(" ({:.0f} K)", l->kelvin);
    };
    if (kelvin > 0) {
        if (!open.empty() && off(nearest(open)) <= near_light_mired &&
            off(nearest(open)) <= off(nearest(candidates)) + alike_light_mired)
            return {nearest(open)->id, nominal(nearest(open)) + " of those still to be shot"};
        if (off(nearest(candidates)) < 1e9) return {nearest(candidates)->id, nominal(nearest(candidates))};
    }
    if (!open.empty()) return {open.front()->id, "the next on the shot list"};
    return {0, "several lights are possible"};
}

namespace {

/// Seconds of a recording's time code, NaN where it has none.
double code_seconds(const FrameRecord& f) {
    int h = 0, m = 0, s = 0, picture = 0;
    if (std::sscanf(f.timecode.c_str(), "%d:%d:%d%*1[:;]%d", &h, &m, &s, &picture) != 4) return NAN;
    return h * 3600.0 + m * 60.0 + s + (f.frames_per_second > 0 ? picture / f.frames_per_second : 0);
}

/// Chart shots in force of each camera, by the job's time, and of recordings by their time code.
struct Timeline {
    struct Mark {
        double at;
        const SetupRecord* setup;
        const FrameRecord* frame;
        std::string reel = {};
    };
    std::map<Id, std::vector<Mark>> marks, by_code;

    explicit Timeline(const Shoot& shoot) {
        for (const ChartShotRecord& s : shoot.chart_shots) {
            const FrameRecord* f = record(shoot.frames, s.frame);
            const SetupRecord* setup = record(shoot.setups, s.setup);
            if (!f || !setup || !refusal(shoot, s).empty()) continue;
            const double at = time_in_job(shoot, *f);
            if (std::isfinite(at)) marks[setup->camera].push_back({at, setup, f});
            if (const double code = code_seconds(*f); std::isfinite(code))
                by_code[setup->camera].push_back({code + std::max(0.0, f->position_s), setup, f, f->reel});
        }
        for (auto* all : {&marks, &by_code})
            for (auto& [camera, list] : *all)
                std::stable_sort(list.begin(), list.end(), [](const Mark& a, const Mark& b) { return a.at < b.at; });
    }
};

/// The chart shots that can stand for a frame: those of its own run, if there are any; of other runs those whose light
/// nothing contradicts. `why_none` is set where there are chart shots and none can.
std::vector<Timeline::Mark> standing_for(const Runs& runs, const std::vector<Timeline::Mark>& marks,
                                         const FrameRecord& f, double at_s, std::string& why_none) {
    std::vector<Timeline::Mark> in_run, beyond;
    std::string against;
    for (const Timeline::Mark& m : marks) {
        const bool same_run = !runs.apart(m.at, at_s);
        const LightNotes its = same_run ? runs.notes_of(f) : runs.notes_around(f, at_s),
                         charts = same_run ? runs.notes_of(*m.frame) : runs.notes_around(*m.frame, m.at);
        if (const std::string why = contradiction(its, charts, same_run); !why.empty()) against = why;
        else if (same_run) in_run.push_back(m);
        else if (its.kelvin > 0 && charts.kelvin > 0) beyond.push_back(m); // the camera's balance speaks for it
    }
    if (!in_run.empty()) return in_run;
    if (!beyond.empty() || marks.empty()) return beyond;
    const bool one_light = std::all_of(marks.begin(), marks.end(), [&](const Timeline::Mark& m) {
        return m.setup->light == marks.front().setup->light;
    });
    if (one_light && against.empty()) return marks;
    why_none = against.empty() ? "no chart was shot between the breaks before and after it" : against;
    return {};
}

/// `runs`: breaks between lights count; null: by time alone.
Assignment assigned(const Shoot& shoot, const Timeline& timeline, const FrameRecord& f, const Runs* runs) {
    if (!f.camera)
        return {0, "the camera " +
                       (f.model.empty() ? std::string("left no name in the file") : f.model + " is not in this job")};
    std::vector<const SetupRecord*> own;
    for (const SetupRecord& s : shoot.setups)
        if (fits(s, f)) own.push_back(&s);
    if (own.empty()) return {0, "no setup is planned for this camera, lens and mode"};
    double at = time_in_job(shoot, f);
    const bool coded = !std::isfinite(at); // a recording that tells no time: by its time code, on its own reel
    if (coded) at = code_seconds(f);
    const auto& marks = coded ? timeline.by_code : timeline.marks;
    std::vector<Timeline::Mark> mine;
    if (const auto list = marks.find(f.camera); list != marks.end() && std::isfinite(at))
        for (const Timeline::Mark& m : list->second)
            if (fits(*m.setup, f) && (!coded || m.reel == f.reel)) mine.push_back(m);
    if (runs && !coded) {
        std::string why_none;
        mine = standing_for(*runs, mine, f, at, why_none);
        if (!why_none.empty()) return {0, why_none};
    }
    const Timeline::Mark *before = nullptr, *after = nullptr;
    for (const Timeline::Mark& m : mine) {
        if (m.at <= at) before = &m;
        else if (!after) after = &m;
    }
    const auto when = [coded](const Timeline::Mark& m) {
        return coded ? "time code " + time_of(m.at).substr(11, 8) : time_of_day(m.at);
    };
    // Two marks of one setup: which of them governs the frame is that setup's own school.
    const Timeline::Mark* some = before ? before : after;
    const StretchSchool school = some && before && after && before->setup == after->setup
                                     ? school_of(shoot, *some->setup)
                                 : shoot.brief().stretch_school == StretchSchool::as_job ? StretchSchool::nearest
                                                                                         : shoot.brief().stretch_school;
    if (before && after && school != StretchSchool::first && school != StretchSchool::last) {
        if (school == StretchSchool::between && before->setup == after->setup)
            return {before->setup->id, "between the chart shots at " + when(*before) + " and " + when(*after)};
        const Timeline::Mark* nearest = at - before->at <= after->at - at ? before : after;
        return {nearest->setup->id, "the nearest chart shot, at " + when(*nearest)};
    }
    const bool end = school == StretchSchool::last;
    if (const Timeline::Mark* only = before ? before : after; only && school != StretchSchool::first && !end)
        return {only->setup->id, "the nearest chart shot, at " + when(*only)};
    const Timeline::Mark* chosen = end ? (after ? after : before) : before;
    if (chosen == before && before)
        return {before->setup->id,
                (end ? "no chart shot after it; the last before it, at " : "the last chart shot before it, at ") +
                    when(*before)};
    if (chosen) return {chosen->setup->id, "the next chart shot after it, at " + when(*chosen)};
    if (own.size() == 1) return {own.front()->id, "the only setup of this camera, lens and mode"};
    if (!std::isfinite(at)) return {0, "the file does not say when it was taken"};
    return {0, after ? "taken before the first chart shot, at " + when(*after)
                     : "no chart shot of this camera, lens and mode yet"};
}

} // namespace

Assignment assign_ordinary(const Shoot& shoot, const FrameRecord& f) {
    return assigned(shoot, Timeline(shoot), f, nullptr);
}

std::vector<Move> moves(const Shoot& shoot) {
    const Timeline timeline(shoot);
    const Runs runs(shoot);
    std::set<Id> charts; // frames that show one
    for (const ChartShotRecord& s : shoot.chart_shots) charts.insert(s.frame);
    std::vector<Move> all;
    for (const FrameRecord& f : shoot.frames) {
        if (f.by_hand || f.same_as || f.kind == FrameKind::chart || charts.contains(f.id) || !f.problem.empty())
            continue;
        Move move{f.id, {}, {f.camera, f.lens, f.mode}};
        FrameRecord known = f;
        if (!f.camera) { // its camera may have come into the job since
            move.as = recognise(shoot, f);
            known.camera = move.as.camera;
            known.lens = move.as.lens;
            known.mode = move.as.mode;
        }
        move.to = assigned(shoot, timeline, known, &runs);
        if (move.to.setup != f.setup || move.to.reason != f.reason || known.camera != f.camera) all.push_back(move);
    }
    return all;
}

} // namespace refero::shoot
