// Rows and columns of the board; what each setup has come to; staleness.
#include <cmath>
#include <map>

#include "base/base.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/settings.hpp"
#include "shoot/time.hpp"

namespace refero::shoot {

namespace {

template<class T>
std::vector<const T*> by_position(const std::vector<T>& list) {
    std::vector<const T*> all;
    for (const T& row : list) all.push_back(&row);
    std::stable_sort(all.begin(), all.end(), [](const T* a, const T* b) { return a->position < b->position; });
    return all;
}

std::string day_of(double seconds) { return time_of(seconds).substr(0, 10); }

} // namespace

std::vector<Rig> rigs(const Shoot& shoot) {
    std::vector<Rig> all;
    for (const CameraRecord* c : by_position(shoot.cameras)) {
        const std::size_t before = all.size();
        for (const SetupRecord& s : shoot.setups) {
            const Rig rig{s.camera, s.lens, s.mode};
            if (s.camera == c->id && std::find(all.begin(), all.end(), rig) == all.end()) all.push_back(rig);
        }
        std::sort(all.begin() + static_cast<std::ptrdiff_t>(before), all.end(),
                  [](const Rig& a, const Rig& b) { return std::pair(a.lens, a.mode) < std::pair(b.lens, b.mode); });
    }
    return all;
}

std::vector<Id> lights_in_order(const Shoot& shoot) {
    std::vector<Id> all;
    for (const LightRecord* l : by_position(shoot.lights)) all.push_back(l->id);
    return all;
}

const SetupRecord* setup_at(const Shoot& shoot, const Rig& rig, Id light) {
    for (const SetupRecord& s : shoot.setups)
        if (s.light == light && Rig{s.camera, s.lens, s.mode} == rig) return &s;
    return nullptr;
}

std::string title_of(const Shoot& shoot, const SetupRecord& setup) {
    std::string title = name_in(shoot.cameras, setup.camera);
    // Lens and mode are named where they tell two rows apart.
    for (const Rig& r : rigs(shoot)) {
        if (r.camera != setup.camera || r == Rig{setup.camera, setup.lens, setup.mode}) continue;
        if (r.lens != setup.lens && setup.lens) title += " " + name_in(shoot.lenses, setup.lens);
        if (r.mode != setup.mode) title += " " + name_in(shoot.modes, setup.mode);
        break;
    }
    return title + ", " + name_in(shoot.lights, setup.light);
}

std::string words_for(LightKind kind) {
    switch (kind) {
    case LightKind::window: return "window light";
    case LightKind::sun: return "sun";
    case LightKind::shade: return "open shade";
    case LightKind::tungsten: return "tungsten";
    case LightKind::fluorescent: return "fluorescent";
    case LightKind::led: return "LED panel";
    case LightKind::flash: return "flash";
    case LightKind::discharge: return "discharge lamp";
    case LightKind::candle: return "candles";
    case LightKind::mixed: return "mixed light";
    }
    return {};
}

std::optional<LightKind> fallback_kind(LightKind kind) {
    switch (kind) {
    case LightKind::window:
    case LightKind::sun: return LightKind::sun;
    case LightKind::shade:
    case LightKind::tungsten:
    case LightKind::fluorescent:
    case LightKind::flash: return kind;
    default: return std::nullopt;
    }
}

std::string refusal(const Shoot& shoot, const ChartShotRecord& shot) {
    if (!shot.refused.empty()) return shot.refused;
    if (!shot.problem.empty()) return shot.problem;
    if (shot.accepted) return {};
    for (const FindingRecord& f : shoot.findings)
        if (f.chart_shot == shot.id && f.status == inspect::Status::reshoot)
            return f.advice.empty() ? name_of(f.check) : f.advice;
    return {};
}

namespace {

/// The stretch that a correction was made for: by its chart shot, by the nearest in time where that is good no more.
bool made_for(const CorrectionRecord& c, const std::vector<Stretch>& all, std::size_t at) {
    if (!c.chart_shot || all.size() < 2) return true;
    const auto holds = [&](const Stretch& s) {
        return std::find(s.shots.begin(), s.shots.end(), c.chart_shot) != s.shots.end();
    };
    if (std::any_of(all.begin(), all.end(), holds)) return holds(all[at]);
    const double taken = seconds_of(c.shot_taken);
    const auto nearest = std::min_element(all.begin(), all.end(), [&](const Stretch& a, const Stretch& b) {
        return std::abs(a.at_s - taken) < std::abs(b.at_s - taken);
    });
    return nearest - all.begin() == static_cast<std::ptrdiff_t>(at);
}

/// Of the stretch `at` among all of a setup; of all chart shots where there are fewer than two.
Evidence evidence_in(const Shoot& shoot, Id setup, const std::vector<Stretch>& all, std::size_t at) {
    Evidence e;
    double latest = -1, latest_refused = -1;
    bool page = false; // the shot in force shows a balance page: any other chart goes before it
    const bool several = all.size() > 1;
    for (const ChartShotRecord& s : shoot.chart_shots) {
        if (s.setup != setup) continue;
        if (several && std::find(all[at].shots.begin(), all[at].shots.end(), s.id) == all[at].shots.end()) continue;
        const FrameRecord* f = record(shoot.frames, s.frame);
        const double t = f ? time_in_job(shoot, *f) : 0;
        const double taken = std::isfinite(t) ? t : 0;
        if (refusal(shoot, s).empty()) {
            const bool is_page = e.shot && shows_page(shoot, s.id);
            if (!e.shot || (is_page == page ? taken >= latest : page)) {
                page = e.shot ? is_page : shows_page(shoot, s.id);
                e.shot = &s;
                latest = taken;
            }
        } else if (!e.refused || taken >= latest_refused) {
            e.refused = &s;
            latest_refused = taken;
        }
    }
    if (e.shot) e.refused = nullptr;
    if (const ChartShotRecord* s = e.shot ? e.shot : e.refused) {
        e.frame = record(shoot.frames, s->frame);
        for (const ReadingRecord& r : shoot.readings)
            if (r.chart_shot == s->id) e.reading = &r;
    }
    for (const CorrectionRecord& c : shoot.corrections)
        if (c.setup == setup && !stands_beside(c.kind) && made_for(c, all, at)) e.correction = &c; // the latest
    if (e.correction)
        for (const ProofRecord& p : shoot.proofs)
            if (p.correction == e.correction->id) e.proof = &p;
    for (const HandoverRecord& h : shoot.handovers) {
        if (h.setup != setup) continue;
        const CorrectionRecord* of = record(shoot.corrections, h.correction);
        if (!of || made_for(*of, all, at)) e.handovers.push_back(&h);
    }
    return e;
}

} // namespace

namespace {

/// The frames that count for a setup's staleness.
bool counts(const FrameRecord& f) { return f.setup && !f.same_as && f.kind != FrameKind::chart; }

std::vector<Staleness> stale_by(const Shoot& shoot, const SetupRecord* setup, const Evidence& e,
                                const std::vector<const FrameRecord*>& frames) {
    std::vector<Staleness> all;
    // One that was taken from another setup is proved here or it is not; it does not turn stale.
    if (!setup || !e.correction || e.correction->taken_from) return all;
    const CorrectionRecord& c = *e.correction;
    const JobSettingsRecord& brief = shoot.brief();
    const double shot_at = seconds_of(c.shot_taken);
    const std::string refit = "Fit the correction again";

    if (const ChartShotRecord* used = record(shoot.chart_shots, c.chart_shot)) {
        if (const std::string why = refusal(shoot, *used); !why.empty())
            all.push_back({StaleRule::refused, "its chart shot was refused afterwards (" + why + ")",
                           e.shot ? refit : "Shoot the chart again, then fit"});
        else if (e.shot && e.shot != used) all.push_back({StaleRule::newer, "there is a newer chart shot", refit});
        else if (!is_key_of(c.settings, settings_of(*setup, used)))
            all.push_back({StaleRule::settings, "settings were changed after the fit", refit});
    } else if (!c.settings.empty() && !is_key_of(c.settings, settings_of(*setup, nullptr))) {
        all.push_back({StaleRule::settings, "settings were changed after the fit", refit});
    }
    if (const LightRecord* light = record(shoot.lights, setup->light)) {
        const double changed = seconds_of(light->changed);
        if (std::isfinite(changed) && std::isfinite(shot_at) && changed > shot_at)
            all.push_back({StaleRule::light,
                           light->name + " was changed or re-lit on " + day_of(changed) + ", after the chart shot",
                           "Shoot the chart under the light as it is now"});
    }
    if (const CameraRecord* camera = record(shoot.cameras, setup->camera);
        camera && camera->firmware != c.firmware && !c.firmware.empty())
        all.push_back({StaleRule::firmware,
                       camera->name + " has firmware " + (camera->firmware.empty() ? "unknown" : camera->firmware) +
                           " now; the chart was shot with " + c.firmware,
                       "Shoot the chart again"});
    if (const ModeRecord* mode = record(shoot.modes, setup->mode); mode && mode->sub_settings != c.sub_settings)
        all.push_back({StaleRule::mode,
                       "the mode's settings are \"" + mode->sub_settings + "\" now and were \"" + c.sub_settings + "\"",
                       "Set the mode back, or shoot the chart again"});
    if (brief.lens_school == LensSchool::each_lens && setup->lens && c.lens && setup->lens != c.lens)
        all.push_back({StaleRule::lens, "the chart was shot with " + name_in(shoot.lenses, c.lens),
                       "Shoot the chart with " + name_in(shoot.lenses, setup->lens)});

    int far = 0, late = 0, other_lens = 0;
    double iso = 0, last = shot_at;
    for (const FrameRecord* frame : frames) {
        const FrameRecord& f = *frame;
        if (c.iso > 0 && f.iso > 0 && std::abs(std::log2(f.iso / c.iso)) >= brief.iso_stops - 1e-9) {
            ++far;
            iso = f.iso;
        }
        const double t = time_in_job(shoot, f);
        if (std::isfinite(t) && std::isfinite(shot_at) && t - shot_at > brief.light_days * 86400) {
            ++late;
            last = std::max(last, t);
        }
        if (brief.lens_school == LensSchool::each_lens && c.lens && f.lens && f.lens != c.lens) ++other_lens;
    }
    if (other_lens)
        all.push_back({StaleRule::lens,
                       formatted("{} frame{} taken with another lens than the chart shot", other_lens,
                                 other_lens == 1 ? " was" : "s were"),
                       "Shoot the chart with that lens too"});
    if (far)
        all.push_back(
            {StaleRule::iso,
             formatted("{} frame{} {:.0f} stops or more from the chart shot's ISO {:.0f} (such as ISO {:.0f})", far,
                       far == 1 ? " is" : "s are", brief.iso_stops, c.iso, iso),
             "Shoot the chart at that ISO too"});
    if (late)
        all.push_back({StaleRule::age,
                       formatted("{} frame{} taken up to {:.0f} days after the chart shot", late,
                                 late == 1 ? " was" : "s were", (last - shot_at) / 86400),
                       "Shoot the chart again under this light"});
    if (const CardRecord* card = record(shoot.cards, setup->card)) {
        const std::string good = good_until(*card, brief.chart_years);
        if (!good.empty() && std::isfinite(shot_at) && seconds_of(good) < shot_at)
            all.push_back({StaleRule::chart,
                           card->name + formatted(" was older than {:.0f} years when it was shot", brief.chart_years),
                           "Compare it with a new chart, or replace it"});
    }
    return all;
}

State state_by(const SetupRecord* setup, const Evidence& e, const std::vector<Staleness>& stale) {
    const bool balance_only = setup && setup->balance_only;
    if (e.correction && !balance_only) {
        if (!stale.empty()) return State::stale;
        for (const HandoverRecord* h : e.handovers)
            if (h->correction == e.correction->id && e.proof) return State::handed_over;
        return e.proof ? State::proved : State::corrected;
    }
    if (!e.shot) return e.refused ? State::refused : State::to_shoot;
    if (!e.reading) return State::shot;
    return balance_only && !e.handovers.empty() ? State::handed_over : State::read;
}

/// The stretch that is acted on next: the newest without a correction, then the newest that is stale, else the newest.
std::size_t next_to_act_on(const std::vector<Standing>& all) {
    for (std::size_t i = all.size(); i-- > 0;)
        if (!all[i].evidence.correction) return i;
    for (std::size_t i = all.size(); i-- > 0;)
        if (all[i].state == State::stale) return i;
    return all.size() - 1;
}

/// Of each stretch of a setup; `frames`: its ordinary ones.
std::vector<Standing> standings_in(const Shoot& shoot, const SetupRecord& setup,
                                   const std::vector<const FrameRecord*>& frames) {
    const std::vector<Stretch> all = stretches(shoot, setup.id);
    std::vector<std::vector<const FrameRecord*>> parts(std::max<std::size_t>(1, all.size()));
    for (const FrameRecord* f : frames)
        parts[all.size() < 2 ? 0 : stretch_at(all, time_in_job(shoot, *f))].push_back(f);
    std::vector<Standing> standings;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        Standing s;
        if (i < all.size()) s.stretch = all[i];
        s.evidence = evidence_in(shoot, setup.id, all, i);
        s.stale = stale_by(shoot, &setup, s.evidence, parts[i]);
        s.state = state_by(&setup, s.evidence, s.stale);
        s.acting = false;
        standings.push_back(std::move(s));
    }
    standings[next_to_act_on(standings)].acting = true;
    return standings;
}

std::map<Id, std::vector<const FrameRecord*>> frames_by_setup(const Shoot& shoot) {
    std::map<Id, std::vector<const FrameRecord*>> all;
    for (const FrameRecord& f : shoot.frames)
        if (counts(f)) all[f.setup].push_back(&f);
    return all;
}

Standing standing_of(const Shoot& shoot, Id id, Id stretch = 0) {
    const SetupRecord* setup = record(shoot.setups, id);
    if (!setup) return {};
    std::vector<const FrameRecord*> frames;
    for (const FrameRecord& f : shoot.frames)
        if (f.setup == id && counts(f)) frames.push_back(&f);
    for (Standing& s : standings_in(shoot, *setup, frames))
        if (stretch ? s.stretch.key == stretch : s.acting) return std::move(s);
    return {};
}

} // namespace

Evidence evidence(const Shoot& shoot, Id setup, Id stretch) { return standing_of(shoot, setup, stretch).evidence; }
std::vector<Staleness> staleness(const Shoot& shoot, Id setup) { return standing_of(shoot, setup).stale; }
State state_of(const Shoot& shoot, Id setup) { return standing_of(shoot, setup).state; }

std::vector<Standing> standings(const Shoot& shoot) {
    std::vector<Standing> all;
    for (auto& [setup, standing] : standings_of_stretches(shoot))
        if (standing.acting) all.push_back(std::move(standing));
    return all;
}

std::vector<std::pair<Id, Standing>> standings_of_stretches(const Shoot& shoot) {
    auto frames = frames_by_setup(shoot);
    std::vector<std::pair<Id, Standing>> all;
    for (const SetupRecord& setup : shoot.setups)
        for (Standing& s : standings_in(shoot, setup, frames[setup.id])) all.emplace_back(setup.id, std::move(s));
    return all;
}

std::string good_until(const CardRecord& card, double years) {
    const std::string from = !card.compared.empty()     ? card.compared
                             : !card.first_used.empty() ? card.first_used
                                                        : card.bought;
    const double start = seconds_of(from);
    return std::isfinite(start) ? day_of(start + years * 365.25 * 86400) : std::string();
}

} // namespace refero::shoot
