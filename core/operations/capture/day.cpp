#include "operations/capture/day.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "operations/capture/frames.hpp"
#include "operations/capture/intake.hpp"
#include "shoot/assign.hpp"
#include "shoot/board.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

using shoot::Id;

namespace {

/// The worst of a chart shot's findings; nothing before it was read.
std::map<Id, inspect::Status> verdicts_of(const shoot::Shoot& shoot) {
    const auto severity = [](inspect::Status s) {
        return s == inspect::Status::reshoot ? 2 : s == inspect::Status::caution ? 1 : 0;
    };
    std::map<Id, inspect::Status> all;
    for (const shoot::FindingRecord& f : shoot.findings) {
        const inspect::Status now = severity(f.status) ? f.status : inspect::Status::pass;
        const auto [known, fresh] = all.emplace(f.chart_shot, now);
        if (!fresh && severity(now) > severity(known->second)) known->second = now;
    }
    return all;
}

/// Of each chart shot the number of the stretch that it governs, from 1.
std::map<Id, std::size_t> stretch_numbers(const shoot::Shoot& shoot) {
    std::map<Id, std::size_t> all;
    for (const shoot::SetupRecord& s : shoot.setups) {
        const auto stretches = shoot::stretches(shoot, s.id);
        for (std::size_t i = 0; i < stretches.size(); ++i)
            for (const Id shot : stretches[i].shots) all[shot] = i + 1;
    }
    return all;
}

std::vector<NamelessFiles> nameless_in(const shoot::Shoot& shoot) {
    std::map<std::string, NamelessFiles> by_pattern;
    for (const shoot::FrameRecord& f : shoot.frames) {
        const shoot::CameraRecord* camera = shoot::record(shoot.cameras, f.camera);
        const bool names_none = f.model.empty() && f.serial_number.empty() && f.reel.empty() && f.problem.empty();
        if (!names_none || (camera && !is_nameless(*camera))) continue;
        NamelessFiles& n = by_pattern[shoot::pattern_of(f.path)];
        n.pattern = shoot::pattern_of(f.path);
        n.camera = f.camera;
        n.files.push_back(f.path);
    }
    std::vector<NamelessFiles> all;
    for (auto& [pattern, n] : by_pattern) all.push_back(std::move(n));
    return all;
}

DayLight light_on(const shoot::Shoot& shoot, const shoot::LightRecord& l) {
    DayLight d{l.id, l.name, l.kelvin, 0, NAN, NAN, 0, 0, 0};
    for (const shoot::ChartShotRecord& s : shoot.chart_shots) {
        const shoot::SetupRecord* setup = shoot::record(shoot.setups, s.setup);
        const shoot::FrameRecord* f = shoot::record(shoot.frames, s.frame);
        if (!setup || setup->light != l.id || !f) continue;
        ++d.charts;
        const double at = shoot::time_in_job(shoot, *f);
        const bool first = !d.chart_frame || (std::isfinite(at) && !(at > d.from_s));
        if (first) d.chart_frame = f->id;
        if (std::isfinite(at) && first && s.kelvin > 0) {
            d.kelvin = s.kelvin;
            d.duv = s.duv;
        }
        d.from_s = std::fmin(d.from_s, at);
        d.to_s = std::fmax(d.to_s, at);
    }
    for (const shoot::FrameRecord& f : shoot.frames) {
        const shoot::SetupRecord* setup = f.same_as ? nullptr : shoot::record(shoot.setups, f.setup);
        d.frames += setup && setup->light == l.id;
    }
    return d;
}

} // namespace

Day day_of(const shoot::Shoot& shoot) {
    Day day{.from_s = NAN, .to_s = NAN};
    const auto verdicts = verdicts_of(shoot);
    const auto numbers = stretch_numbers(shoot);
    std::map<Id, DayRow> rows;
    std::map<Id, double> times;
    for (const shoot::FrameRecord& f : shoot.frames) {
        if (f.same_as) {
            ++day.companions;
            continue;
        }
        const double at = times[f.id] = shoot::time_in_job(shoot, f);
        DayRow& row = rows[f.camera];
        ++row.frames;
        if (!std::isfinite(at)) {
            ++day.untimed;
            continue;
        }
        row.frames_s.push_back(at);
        day.from_s = std::fmin(day.from_s, at);
        day.to_s = std::fmax(day.to_s, at);
    }
    for (const shoot::ChartShotRecord& s : shoot.chart_shots) {
        const shoot::FrameRecord* f = shoot::record(shoot.frames, s.frame);
        const shoot::SetupRecord* setup = shoot::record(shoot.setups, s.setup);
        if (!f || !setup) continue;
        DayChart chart{s.id, f->id, setup->id, setup->light, shoot::time_in_job(shoot, *f), {}, 0};
        if (const auto v = verdicts.find(s.id); v != verdicts.end()) chart.verdict = v->second;
        if (const auto n = numbers.find(s.id); n != numbers.end()) chart.stretch = n->second;
        rows[setup->camera].charts.push_back(chart);
    }
    std::vector<shoot::CameraRecord> cameras = shoot.cameras;
    std::stable_sort(cameras.begin(), cameras.end(),
                     [](const auto& a, const auto& b) { return a.position < b.position; });
    cameras.push_back({.id = 0, .name = "no camera known"});
    for (const shoot::CameraRecord& c : cameras) {
        const auto row = rows.find(c.id);
        if (row == rows.end()) continue;
        row->second.camera = c.id;
        row->second.name = c.name;
        std::sort(row->second.frames_s.begin(), row->second.frames_s.end());
        std::stable_sort(row->second.charts.begin(), row->second.charts.end(),
                         [](const DayChart& a, const DayChart& b) { return a.at_s < b.at_s; });
        day.rows.push_back(std::move(row->second));
    }
    for (const shoot::LightRecord& l : shoot.lights) day.lights.push_back(light_on(shoot, l));
    const auto begin = [](const DayLight& l) { return std::isfinite(l.from_s) ? l.from_s : INFINITY; };
    std::stable_sort(day.lights.begin(), day.lights.end(), [&](const DayLight& a, const DayLight& b) {
        return std::pair(a.charts == 0, begin(a)) < std::pair(b.charts == 0, begin(b));
    });
    day.nameless = nameless_in(shoot);
    day.forgotten = shoot::forgotten(shoot);
    return day;
}

namespace {

/// All that was made of some chart shots of a setup, as another setup's. `all`: of every shot, and what belongs to the
/// setup itself.
void move_evidence(shoot::Change& c, const shoot::Shoot& shoot, Id from, Id to, const std::set<Id>& shots, bool all) {
    std::set<Id> frames;
    for (shoot::ChartShotRecord s : shoot.chart_shots)
        if (s.setup == from && (all || shots.contains(s.id))) {
            frames.insert(s.frame);
            s.setup = to;
            c.update(s);
        }
    for (shoot::FrameRecord f : shoot.frames)
        if (f.setup == from && (all || frames.contains(f.id) || frames.contains(f.same_as))) {
            f.setup = to;
            c.update(f);
        }
    std::set<Id> corrections;
    for (shoot::CorrectionRecord r : shoot.corrections)
        if (r.setup == from && (all || shots.contains(r.chart_shot))) {
            corrections.insert(r.id);
            r.setup = to;
            c.update(r);
        }
    for (shoot::HandoverRecord h : shoot.handovers)
        if (h.setup == from && (all || corrections.contains(h.correction))) {
            h.setup = to;
            c.update(h);
        }
    if (!all) return;
    for (shoot::NoteRecord n : shoot.notes)
        if (n.setup == from) {
            n.setup = to;
            c.update(n);
        }
}

} // namespace

shoot::Change merge_lights(const shoot::Shoot& shoot, Id into, Id from) {
    if (into == from) return {};
    const shoot::LightRecord *kept = shoot::record(shoot.lights, into), *gone = shoot::record(shoot.lights, from);
    if (!kept || !gone) throw Error(ErrorKind::usage, "one of these lights is not in the job");
    shoot::Change c(gone->name + " is " + kept->name, kept->name);
    for (shoot::SetupRecord s : shoot.setups) {
        if (s.light != from) continue;
        if (const shoot::SetupRecord* there = shoot::setup_at(shoot, {s.camera, s.lens, s.mode}, into)) {
            move_evidence(c, shoot, s.id, there->id, {}, true);
            for (shoot::CorrectionRecord r : shoot.corrections) // what was borrowed or matched
                if (r.taken_from == s.id || r.target == s.id) {
                    if (r.taken_from == s.id) r.taken_from = there->id;
                    if (r.target == s.id) r.target = there->id;
                    if (r.setup == s.id) r.setup = there->id;
                    c.update(r);
                }
            c.remove<shoot::SetupRecord>(s.id);
        } else {
            s.light = into;
            c.update(s);
        }
    }
    c.remove<shoot::LightRecord>(from);
    return c;
}

std::string free_light_name(const shoot::Shoot& shoot) {
    for (int n = 1;; ++n) {
        std::string name = "Light " + std::to_string(n);
        if (std::none_of(shoot.lights.begin(), shoot.lights.end(), [&](const auto& l) { return l.name == name; }))
            return name;
    }
}

shoot::Change move_to_light(const shoot::Shoot& shoot, const std::vector<Id>& chart_shots, Id light,
                            const std::string& name) {
    const std::set<Id> shots(chart_shots.begin(), chart_shots.end());
    std::set<Id> setups, lights;
    for (const shoot::ChartShotRecord& s : shoot.chart_shots)
        if (const shoot::SetupRecord* row = shoot::record(shoot.setups, s.setup);
            row && shots.contains(s.id) && row->light != light) {
            setups.insert(row->id);
            lights.insert(row->light);
        }
    if (setups.empty()) return {};
    const shoot::LightRecord* known = shoot::record(shoot.lights, light);
    shoot::Change c(known ? "Lit by " + known->name : "Another light: " + name, known ? known->name : name);
    if (!known) {
        if (std::any_of(shoot.lights.begin(), shoot.lights.end(), [&](const auto& l) { return l.name == name; }))
            throw Error(ErrorKind::usage, "there is a light '" + name + "' already", {}, "Choose another name");
        const bool stays = std::any_of(shoot.chart_shots.begin(), shoot.chart_shots.end(), [&](const auto& s) {
            const shoot::SetupRecord* row = shoot::record(shoot.setups, s.setup);
            return row && lights.contains(row->light) && !shots.contains(s.id);
        });
        if (!stays)
            throw Error(ErrorKind::usage, "these are all chart shots of that light", {}, "Rename the light instead");
        shoot::LightRecord fresh = *shoot::record(shoot.lights, *lights.begin());
        fresh.id = 0;
        fresh.uid = new_uid();
        fresh.name = name;
        fresh.position = static_cast<int>(shoot.lights.size());
        light = c.add(fresh);
    }
    for (const Id id : setups) {
        shoot::SetupRecord s = *shoot::record(shoot.setups, id);
        const shoot::SetupRecord* there = shoot::setup_at(shoot, {s.camera, s.lens, s.mode}, light);
        const bool whole = std::none_of(shoot.chart_shots.begin(), shoot.chart_shots.end(),
                                        [&](const auto& shot) { return shot.setup == id && !shots.contains(shot.id); });
        s.light = light;
        if (whole && !there) {
            c.update(s);
            continue;
        }
        s.id = 0;
        move_evidence(c, shoot, id, there ? there->id : c.add(s), shots, false);
    }
    return c;
}

} // namespace refero::operations
