#include "shoot/stretches.hpp"

#include <cmath>
#include <filesystem>
#include <map>

#include "base/base.hpp"
#include "shoot/evidence.hpp"
#include "shoot/parameters.hpp"
#include "shoot/time.hpp"

namespace refero::shoot {

namespace {

double time_of_shot(const Shoot& shoot, const ChartShotRecord& shot) {
    const FrameRecord* f = record(shoot.frames, shot.frame);
    return f ? time_in_job(shoot, *f) : NAN;
}

double mired_apart(const ChartShotRecord& a, const ChartShotRecord& b) {
    return std::abs(1e6 / a.kelvin - 1e6 / b.kelvin);
}

/// Good chart shots of a setup, oldest first, those without a time before all others. A balance page only stands beside
/// a chart and governs nothing.
std::vector<const ChartShotRecord*> good_ones(const Shoot& shoot, Id setup) {
    std::vector<const ChartShotRecord*> good;
    for (const ChartShotRecord& s : shoot.chart_shots)
        if (s.setup == setup && refusal(shoot, s).empty()) good.push_back(&s);
    if (std::any_of(good.begin(), good.end(), [&](const ChartShotRecord* s) { return !shows_page(shoot, s->id); }))
        std::erase_if(good, [&](const ChartShotRecord* s) { return shows_page(shoot, s->id); });
    const auto at = [&](const ChartShotRecord* s) {
        const double t = time_of_shot(shoot, *s);
        return std::isfinite(t) ? t : 0;
    };
    std::stable_sort(good.begin(), good.end(),
                     [&](const ChartShotRecord* a, const ChartShotRecord* b) { return at(a) < at(b); });
    return good;
}

/// Where the stretches meet, by the school.
void bound(std::vector<Stretch>& all, StretchSchool school) {
    for (std::size_t i = 0; i < all.size(); ++i) all[i].from_s = all[i].to_s = NAN;
    for (std::size_t i = 1; i < all.size(); ++i) {
        const double meet = school == StretchSchool::first  ? all[i].at_s
                            : school == StretchSchool::last ? all[i - 1].last_s
                                                            : (all[i - 1].last_s + all[i].at_s) / 2;
        all[i - 1].to_s = all[i].from_s = meet;
    }
}

} // namespace

bool shows_page(const Shoot& shoot, Id chart_shot) {
    return std::any_of(shoot.readings.begin(), shoot.readings.end(),
                       [&](const ReadingRecord& r) { return r.chart_shot == chart_shot && r.page; });
}

StretchSchool school_of(const Shoot& shoot, const SetupRecord& setup) {
    const StretchSchool own = setup.stretch_school;
    const StretchSchool jobs = own == StretchSchool::as_job ? shoot.brief().stretch_school : own;
    return jobs == StretchSchool::as_job ? StretchSchool::nearest : jobs;
}

bool are_repeats(const Shoot& shoot, const ChartShotRecord& a, const ChartShotRecord& b, std::string* why) {
    const auto say = [&](const std::string& words) {
        if (why) *why = words;
    };
    const double apart = std::abs(time_of_shot(shoot, b) - time_of_shot(shoot, a));
    if (!(apart <= max_repeat_apart_s)) { // a time that is not known parts nothing
        if (std::isfinite(apart)) return say(formatted("{:.0f} minutes later", apart / 60)), false;
        return say("without a time: taken for repeats"), true;
    }
    if (!(a.kelvin > 0 && b.kelvin > 0)) return say("light not known: by time alone"), true;
    if (const double mired = mired_apart(a, b); mired > max_repeat_mired)
        return say(formatted("the light moved by {:.0f} mired", mired)), false;
    if (const double duv = std::abs(a.duv - b.duv); duv > max_repeat_duv)
        return say(formatted("the light's tint moved by {:.4f} Duv", duv)), false;
    if (a.level != 0 && b.level != 0 && std::abs(a.level - b.level) > max_repeat_stops)
        return say(formatted("the light changed by {:+.1f} stops", b.level - a.level)), false;
    return say("the same light"), true;
}

bool may_have_drifted(const Shoot& shoot, const ChartShotRecord& from, double at_s, double kelvin, double duv) {
    if (!(from.kelvin > 0 && kelvin > 0)) return false;
    const double minutes = std::abs(at_s - time_of_shot(shoot, from)) / 60;
    const double mired = std::abs(1e6 / from.kelvin - 1e6 / kelvin);
    return std::abs(from.duv - duv) < min_other_light_duv && mired <= max_drift_mired &&
           mired <= max_drift_mired_per_min * minutes; // false without a time
}

std::vector<Stretch> stretches(const Shoot& shoot, Id setup) {
    const SetupRecord* row = record(shoot.setups, setup);
    std::vector<Stretch> all;
    if (!row) return all;
    const ChartShotRecord* before = nullptr;
    for (const ChartShotRecord* shot : good_ones(shoot, setup)) {
        const double at = time_of_shot(shoot, *shot);
        std::string why;
        bool joins = before != nullptr;
        if (joins && row->divided) {
            joins = shot->joining == Joining::with_the_one_before ||
                    (shot->joining == Joining::by_light && are_repeats(shoot, *before, *shot, &why));
            if (shot->joining == Joining::apart) why = "parted by hand";
        }
        if (joins) {
            all.back().shots.push_back(shot->id);
            all.back().last_s = at;
        } else {
            Stretch s{.key = shot->id, .shots = {shot->id}, .at_s = at, .last_s = at, .why = why};
            s.other_light = before && before->kelvin > 0 && shot->kelvin > 0 &&
                            (mired_apart(*before, *shot) >= min_other_light_mired ||
                             std::abs(before->duv - shot->duv) >= min_other_light_duv);
            all.push_back(std::move(s));
        }
        before = shot;
    }
    bound(all, school_of(shoot, *row));
    return all;
}

std::size_t stretch_at(const std::vector<Stretch>& all, double at_s) {
    std::size_t at = 0;
    if (std::isfinite(at_s))
        while (at + 1 < all.size() && at_s >= all[at].to_s) ++at;
    return at;
}

Between between_at(const std::vector<Stretch>& all, double at_s) {
    if (!std::isfinite(at_s) || all.empty() || at_s <= all.front().last_s) return {};
    for (std::size_t i = 0; i + 1 < all.size(); ++i) {
        if (at_s <= all[i].last_s) return {i, i, 0}; // among its repeats
        if (at_s < all[i + 1].at_s) return {i, i + 1, (at_s - all[i].last_s) / (all[i + 1].at_s - all[i].last_s)};
    }
    return {all.size() - 1, all.size() - 1, 0};
}

std::vector<std::string> ids_of(const Shoot& shoot, const std::vector<Stretch>& all) {
    std::map<std::string, int> days, minutes;
    std::vector<std::string> times;
    for (const Stretch& s : all) {
        times.push_back(std::isfinite(s.at_s) ? time_of(s.at_s) : std::string());
        if (times.back().empty()) continue;
        ++days[times.back().substr(0, 10)];
        ++minutes[times.back().substr(0, 16)];
    }
    std::vector<std::string> ids;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::string& t = times[i];
        if (t.empty()) {
            const ChartShotRecord* shot = record(shoot.chart_shots, all[i].key);
            const FrameRecord* f = shot ? record(shoot.frames, shot->frame) : nullptr;
            ids.push_back(f ? std::filesystem::path(f->path).stem().string() : std::to_string(all[i].key));
            continue;
        }
        const std::size_t length = minutes[t.substr(0, 16)] > 1 ? 19 : 16;
        ids.push_back(days.size() > 1 ? t.substr(0, length) : t.substr(11, length - 11));
    }
    return ids;
}

} // namespace refero::shoot
