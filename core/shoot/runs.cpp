#include "shoot/runs.hpp"

#include <cmath>

#include "base/base.hpp"
#include "base/statistics.hpp"
#include "shoot/parameters.hpp"
#include "shoot/time.hpp"

namespace refero::shoot {

namespace {

/// Cameras whose as-shot balance differs between their raw files.
std::vector<Id> balancing_cameras(const Shoot& shoot) {
    std::map<Id, std::pair<double, double>> range;
    for (const FrameRecord& f : shoot.frames) {
        if (!(f.as_shot_kelvin > 0)) continue;
        auto& [low, high] = range.try_emplace(f.camera, f.as_shot_kelvin, f.as_shot_kelvin).first->second;
        low = std::min(low, f.as_shot_kelvin);
        high = std::max(high, f.as_shot_kelvin);
    }
    std::vector<Id> all;
    for (const auto& [camera, r] : range)
        if (r.second > (1 + max_preset_spread) * r.first) all.push_back(camera);
    return all;
}

double level_of(const FrameRecord& f) {
    if (f.flash || !(f.f_number > 0 && f.exposure_s > 0 && f.iso > 0)) return NAN;
    return std::log2(f.f_number * f.f_number / f.exposure_s * 100 / f.iso);
}

double mired(double kelvin) { return 1e6 / kelvin; }

} // namespace

Runs::Runs(const Shoot& shoot, double also_s) : balancing_(balancing_cameras(shoot)) {
    std::vector<double> times, of_frame;
    for (const FrameRecord& f : shoot.frames) {
        of_frame.push_back(time_in_job(shoot, f));
        if (std::isfinite(of_frame.back())) times.push_back(of_frame.back());
    }
    if (std::isfinite(also_s)) times.push_back(also_s);
    if (times.empty()) return;
    std::sort(times.begin(), times.end());
    // Frames of several cameras and of a burst share a moment: what tells the pace is the time between moments.
    std::vector<double> paces;
    for (std::size_t i = 1; i < times.size(); ++i)
        if (times[i] - times[i - 1] > max_moment_s) paces.push_back(times[i] - times[i - 1]);
    const double pause = paces.empty() ? INFINITY : std::max(min_break_s, break_paces * median(paces));
    begins_.push_back(times.front());
    for (std::size_t i = 1; i < times.size(); ++i) {
        if (times[i] - times[i - 1] < pause) continue;
        ends_.push_back(times[i - 1]);
        begins_.push_back(times[i]);
    }
    ends_.push_back(times.back());

    std::map<std::tuple<Id, std::size_t, bool>, std::pair<std::vector<double>, std::vector<double>>> all;
    for (std::size_t i = 0; i < of_frame.size(); ++i) {
        const FrameRecord& f = shoot.frames[i];
        if (!std::isfinite(of_frame[i]) || f.same_as) continue;
        const LightNotes notes = notes_of(f);
        auto& [kelvins, levels] = all[{f.camera, run_at(of_frame[i]), f.flash}];
        if (notes.kelvin > 0) kelvins.push_back(notes.kelvin);
        if (std::isfinite(notes.level)) levels.push_back(notes.level);
    }
    for (const auto& [key, values] : all)
        around_[key] = {.kelvin = values.first.empty() ? 0 : median(values.first),
                        .level = values.second.empty() ? NAN : median(values.second)};
}

std::size_t Runs::run_at(double at_s) const {
    const auto next = std::upper_bound(begins_.begin(), begins_.end(), at_s);
    if (next == begins_.begin()) return 0;
    const auto run = static_cast<std::size_t>(next - begins_.begin()) - 1;
    const bool nearer_to_next = next != begins_.end() && *next - at_s < at_s - ends_[run];
    return at_s > ends_[run] && nearer_to_next ? run + 1 : run;
}

bool Runs::apart(double one_s, double other_s) const {
    return std::isfinite(one_s) && std::isfinite(other_s) && run_at(one_s) != run_at(other_s);
}

LightNotes Runs::notes_of(const FrameRecord& f) const {
    const bool balances = std::binary_search(balancing_.begin(), balancing_.end(), f.camera);
    return {f.kind != FrameKind::clip, f.flash, balances ? f.as_shot_kelvin : 0, level_of(f)};
}

LightNotes Runs::notes_around(const FrameRecord& f, double at_s) const {
    const auto known = around_.find({f.camera, run_at(at_s), f.flash});
    LightNotes notes = known != around_.end() ? known->second : LightNotes{.level = NAN};
    notes.tells_flash = f.kind != FrameKind::clip;
    notes.flash = f.flash;
    return notes;
}

std::string contradiction(const LightNotes& frame, const LightNotes& chart, bool same_run) {
    if (frame.tells_flash && chart.tells_flash && frame.flash != chart.flash)
        return frame.flash ? "the flash fired, and at the chart shot it did not"
                           : "the flash did not fire, and at the chart shot it did";
    if (frame.kelvin > 0 && chart.kelvin > 0) {
        const double by = std::abs(mired(frame.kelvin) - mired(chart.kelvin)),
                     kelvin = std::abs(frame.kelvin - chart.kelvin);
        if (same_run ? by > max_drift_mired + min_other_balance_mired && kelvin > max_balance_wander_k
                     : by > min_other_balance_mired && kelvin > min_other_balance_k)
            return formatted("the camera balanced for {:.0f} K, at the chart shot for {:.0f} K",
                             std::round(frame.kelvin / 50) * 50, std::round(chart.kelvin / 50) * 50);
    }
    const double stops = frame.level - chart.level;
    if (!same_run && std::abs(stops) > min_other_level_stops)
        return formatted("its settings are for {:.1f} stops {} light than at the chart shot", std::abs(stops),
                         stops > 0 ? "more" : "less");
    return {};
}

std::vector<Forgotten> forgotten(const Shoot& shoot) {
    struct Group {
        double from_s = INFINITY, to_s = -INFINITY;
        std::vector<Id> frames;
        std::map<std::string, int> reasons;
    };
    const Runs runs(shoot);
    std::map<std::size_t, Group> by_run;
    constexpr auto no_time = static_cast<std::size_t>(-1);
    for (const FrameRecord& f : shoot.frames) {
        if (f.setup || f.same_as || f.kind == FrameKind::chart || !f.problem.empty()) continue;
        const double at = time_in_job(shoot, f);
        Group& g = by_run[std::isfinite(at) ? runs.run_at(at) : no_time];
        g.from_s = std::fmin(g.from_s, at);
        g.to_s = std::fmax(g.to_s, at);
        g.frames.push_back(f.id);
        ++g.reasons[f.reason];
    }
    std::vector<Forgotten> all;
    for (auto& [run, g] : by_run) {
        const auto often = std::max_element(g.reasons.begin(), g.reasons.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
        const bool timed = std::isfinite(g.from_s);
        all.push_back(
            {timed ? time_of(g.from_s) : "", timed ? time_of(g.to_s) : "", std::move(g.frames), often->first});
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const Forgotten& a, const Forgotten& b) { return a.frames.size() > b.frames.size(); });
    return all;
}

} // namespace refero::shoot
