#include "operations/correct/making.hpp"

#include "operations/internal/wording.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/time.hpp"

#include <cmath>

namespace refero::operations {

namespace fs = std::filesystem;
using shoot::Change;
using shoot::Id;

std::vector<const shoot::ChartShotRecord*> good_shots(const shoot::Shoot& shoot, const Chain& chain) {
    std::vector<const shoot::ChartShotRecord*> good;
    std::vector<Id> repeats; // of the chain's stretch
    for (const shoot::Stretch& s : shoot::stretches(shoot, chain.id))
        if (s.key == chain.stretch) repeats = s.shots;
    for (const shoot::ChartShotRecord& shot : shoot.chart_shots) {
        if (!chain.shot || shot.setup != chain.id || !shot.problem.empty() || !shoot::refusal(shoot, shot).empty())
            continue;
        if (std::find(repeats.begin(), repeats.end(), shot.id) == repeats.end()) continue;
        try { // of one chart only
            const auto other = measured(shoot, shot);
            if (other && other->definition.id == chain.shot->definition.id) good.push_back(&shot);
        } catch (const Error&) {}
    }
    return good;
}

FitRequest fit_request(const shoot::Shoot& shoot, const Chain& chain) {
    const auto cannot = [&](const std::string& why, const std::string& remedy) {
        throw Error(ErrorKind::usage, chain.title + " cannot be fitted: " + why, {}, remedy);
    };
    if (chain.balance_only()) cannot("it is planned as balance only", "Plan it thoroughly first");
    if (!chain.refused.empty()) cannot("its chart shot is refused (" + chain.refused + ")", "Shoot the chart again");
    if (!chain.shot) cannot("its chart shot is not read", "Read it first");
    if (!chain.balance || !chain.reference) cannot(chain.balance_problem, "Choose another neutral");
    FitRequest r;
    r.setup = chain.id;
    r.chart_shot = chain.chart_shot;
    r.title = chain.title;
    r.light = chain.light_name;
    r.shots.push_back(*chain.shot);
    r.findings.push_back(findings_from(chain.findings));
    r.reference = *chain.reference;
    r.made_with = chain.settings;
    r.samples = chain.settings.samples;
    if (chain.settings.panels) r.panels = chain.panels;
    r.settings.model = chain.settings.model;
    r.settings.intent = chain.settings.intent;
    r.settings.white = chain.settings.white;
    r.settings.curves = chain.settings.curves;
    r.settings.weights = chain.settings.weights;
    if (!chain.settings.average) return r;
    for (const shoot::ChartShotRecord* other : good_shots(shoot, chain)) {
        if (other->id == chain.chart_shot) continue;
        r.shots.push_back(*measured(shoot, *other));
        std::vector<shoot::FindingRecord> of_it;
        for (const shoot::FindingRecord& f : shoot.findings)
            if (f.chart_shot == other->id) of_it.push_back(f);
        r.findings.push_back(findings_from(of_it));
    }
    return r;
}

fit::Correction fit(const FitRequest& r, std::stop_token stop) {
    fit::Correction c = correct(r.shots, r.reference, r.settings, stop, r.findings, r.samples, r.panels);
    c.light_name = r.light;
    return c;
}

shoot::ProofRecord left_out_of(Id correction, const fit::Correction& c) {
    const fit::Statistics& s = c.cross_validated;
    return {.correction = correction,
            .made = c.made,
            .mean = s.mean,
            .median = s.median,
            .p95 = s.p95,
            .max = s.max,
            .basis = "patches left out"};
}

namespace {

/// What else holds when a correction is made: it goes stale when one of these changes.
void note_conditions(const shoot::Shoot& shoot, Id setup, shoot::CorrectionRecord& row) {
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    const shoot::CameraRecord* camera = s ? shoot::record(shoot.cameras, s->camera) : nullptr;
    const shoot::ModeRecord* mode = s ? shoot::record(shoot.modes, s->mode) : nullptr;
    row.firmware = camera ? camera->firmware : "";
    row.sub_settings = mode ? mode->sub_settings : "";
}

} // namespace

Change keep(const shoot::Shoot& shoot, const FitRequest& request, const fit::Correction& correction) {
    const shoot::ChartShotRecord* shot = shoot::record(shoot.chart_shots, request.chart_shot);
    const shoot::FrameRecord* frame = shot ? shoot::record(shoot.frames, shot->frame) : nullptr;
    shoot::CorrectionRecord row{.setup = request.setup,
                                .chart_shot = shot ? shot->id : 0,
                                .made = correction.made,
                                .settings = shoot::fit_key(request.made_with),
                                .content = fit::to_json(correction)};
    note_conditions(shoot, request.setup, row);
    if (frame) {
        row.lens = frame->lens;
        row.iso = frame->iso;
        row.shot_taken = shoot::time_of(shoot::time_in_job(shoot, *frame));
    }
    Change c("Fit " + request.title, request.title);
    c.add(left_out_of(c.add(row), correction));
    return c;
}

Change prove(const Chain& chain) {
    if (!chain.correction || !chain.correction_id || !chain.shot || !chain.reference)
        throw Error(ErrorKind::usage, chain.title + " has no correction and reading to prove it on", {},
                    "Read its chart shot and fit it first");
    const fit::Statistics d =
        prove::against(*chain.correction, chain.shot->reading, *chain.reference, true).delta_e_2000;
    Change c("Check accuracy of " + chain.title, chain.title);
    c.add(shoot::ProofRecord{.correction = chain.correction_id,
                             .chart_shot = chain.chart_shot,
                             .made = utc_now(),
                             .mean = d.mean,
                             .median = d.median,
                             .p95 = d.p95,
                             .max = d.max,
                             .basis = "chart shot"});
    return c;
}

prove::Proof prove_on(const Chain& chain, const FrameSource& source, const Progress& progress, std::stop_token stop) {
    if (!chain.correction) throw Error(ErrorKind::usage, "there is no correction to prove");
    const fit::Correction& correction = *chain.correction;
    ShotOptions options;
    options.position_s = source.position_s;
    options.clip_code = source.clip_code;
    if (!source.encoding.empty()) options.encoding = frame::Encoding::named(source.encoding);
    const MeasuredShot shot = take_shot(source.file, options, progress, stop);
    // The setup's reference where it is the same chart, else the other chart's own.
    const bool same_chart = shot.definition.id == correction.reading.chart;
    const chart::Reference reference =
        chain.reference && same_chart ? *chain.reference : chart::reference_of(shot.definition);
    std::string white = correction.balance.white_patch;
    if (const read::PatchReading* p = shot.reading.find(white); !same_chart || !p || !p->pixels)
        white = balance::choose_white(shot.reading, reference, &shot.definition);
    return prove::against([&](const colour::Vec3& rgb) { return correction(rgb); }, shot.reading, reference, white);
}

Change lend(const shoot::Shoot& shoot, Id from, Id to) {
    const shoot::SetupRecord *a = shoot::record(shoot.setups, from), *b = shoot::record(shoot.setups, to);
    const shoot::CorrectionRecord* own = shoot::evidence(shoot, from).correction;
    if (!own) // the stretch to act on has none yet: the newest that has
        for (const auto& [setup, standing] : shoot::standings_of_stretches(shoot))
            if (setup == from && standing.evidence.correction) own = standing.evidence.correction;
    if (!a || !b || from == to || !own) return {};
    shoot::CorrectionRecord copy = *own;
    copy.id = 0;
    copy.setup = to;
    copy.chart_shot = 0;
    copy.taken_from = from;
    copy.settings.clear();
    note_conditions(shoot, to, copy);
    const std::string title = shoot::title_of(shoot, *b);
    Change c("Take the correction of " + shoot::title_of(shoot, *a) + " for " + title, title);
    c.add(copy);
    return c;
}

Change bring_back(const shoot::Shoot& shoot, Id setup, Id correction) {
    const shoot::CorrectionRecord* kept = shoot::record(shoot.corrections, correction);
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    if (!kept || !s || kept->setup != setup) return {};
    const fit::Correction made = fit::from_json(kept->content, {});
    shoot::CorrectionRecord row = *kept;
    row.id = 0;
    const std::string title = shoot::title_of(shoot, *s);
    Change c("Bring back a correction of " + title, title);
    c.add(left_out_of(c.add(row), made));
    return c;
}

const shoot::FallbackRecord* fallback_for(const shoot::Shoot& shoot, const shoot::Kit& kit, Id setup) {
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    const shoot::LightRecord* light = s ? shoot::record(shoot.lights, s->light) : nullptr;
    if (!light || !shoot::fallback_kind(light->kind)) return nullptr;
    for (const shoot::FallbackRecord& f : kit.fallbacks)
        if (!f.content.empty() && f.camera == shoot::name_in(shoot.cameras, s->camera) &&
            shoot::fallback_kind(f.kind) == shoot::fallback_kind(light->kind))
            return &f;
    return nullptr;
}

Change take_fallback(const shoot::Shoot& shoot, const shoot::FallbackRecord& fallback, Id setup) {
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    const std::string title = s ? shoot::title_of(shoot, *s) : std::string();
    Change c("Fallback for " + title, title);
    c.add(shoot::CorrectionRecord{.setup = setup, .made = fallback.made, .content = fallback.content});
    return c;
}

std::vector<Version> versions(const std::vector<shoot::CorrectionRecord>& rows, const Chain& chain) {
    std::vector<Version> all;
    for (auto row = rows.rbegin(); row != rows.rend(); ++row) {
        if (row->setup != chain.id) continue;
        Version v{row->id, row->made, {}, 0, 0};
        try {
            const fit::Correction c = fit::from_json(row->content, {});
            v.model = c.model;
            v.left_out = c.cross_validated.mean;
            if (chain.shot && chain.reference)
                v.here = prove::against(c, chain.shot->reading, *chain.reference, true).delta_e_2000.mean;
        } catch (const Error&) { // of another chart: no figure here
        }
        all.push_back(v);
    }
    return all;
}

CurveRequest curve_request(const shoot::Shoot& shoot, const Chain& chain) {
    if (!shoot::record(shoot.modes, chain.row.mode) || !chain.reference)
        throw Error(ErrorKind::usage, "there is no chart shot to measure a curve from", {}, "Read a chart shot first");
    CurveRequest r;
    r.mode = chain.row.mode;
    r.reference = *chain.reference;
    if (chain.shot) r.chart = chain.shot->definition.id;
    for (const shoot::ChartShotRecord& shot : shoot.chart_shots) {
        const shoot::SetupRecord* setup = shoot::record(shoot.setups, shot.setup);
        const shoot::FrameRecord* frame = shoot::record(shoot.frames, shot.frame);
        if (setup && frame && setup->camera == chain.row.camera && setup->mode == chain.row.mode &&
            frame->problem.empty())
            r.stills.emplace_back(frame->path, frame->position_s);
    }
    return r;
}

fit::ToneCurve measure_curve(const CurveRequest& r, const Progress& progress, std::stop_token stop) {
    std::vector<fit::CurveShot> shots;
    std::optional<chart::Definition> definition;
    for (const auto& [file, position_s] : r.stills) {
        throw_if_stopped(stop);
        chart::Definition seen;
        shots.push_back(code_shot(file, {.chart = r.chart, .position_s = position_s}, seen));
        definition = seen;
        if (progress) progress(static_cast<double>(shots.size()) / static_cast<double>(r.stills.size()));
    }
    return fit::estimate_curve(shots, r.reference, definition ? &*definition : nullptr);
}

std::vector<Judged> judge_others(const Chain& chain, std::stop_token stop) {
    std::vector<Judged> all;
    if (!chain.shot || !chain.reference || !chain.balance) return all;
    const auto judge = [&](Judged j, const std::function<prove::Rendering(Judged&)>& open) {
        throw_if_stopped(stop);
        try {
            const prove::Rendering rendering = open(j);
            const prove::Proof proof =
                prove::against(rendering, chain.shot->reading, *chain.reference, chain.balance->white_patch);
            j.as_it_is = proof.delta_e_2000;
            double most = -1;
            for (const auto& p : proof.patches)
                if (p.fitted && p.delta_e_2000 > most) {
                    most = p.delta_e_2000;
                    j.worst = p.id;
                }
            j.trimmed_left_out =
                prove::trim_of(rendering, chain.shot->reading, *chain.reference, &chain.shot->definition)
                    .cross_validated;
        } catch (const Error& e) { j.problem = e.what(); }
        all.push_back(std::move(j));
    };
    if (const auto& matrix = chain.shot->frame.camera_from_xyz)
        judge({{}, "standard rendering", {}, {}, {}, {}},
              [&](Judged&) { return prove::standard_rendering(*matrix, *chain.balance); });
    for (const prove::Named& n : chain.settings.others)
        judge({n.file, {}, {}, {}, {}, {}}, [&](Judged& j) {
            const prove::Elsewhere e = prove::open_elsewhere(n.file, n.usage, *chain.balance);
            j.kind = e.kind;
            return e.rendering;
        });
    return all;
}

std::optional<Grade> grade(const Chain& chain, const std::string& spot) {
    const auto seen = balance::spot_from(spot);
    if (!chain.correction || chain.balance_only() || !seen) return std::nullopt;
    // At a lightness of its own the exposure does not matter: what counts is its colour beside the chart's neutrals.
    const colour::Vec3 xyz = (*chain.correction)(seen->camera_rgb);
    const colour::Vec3 lab = colour::lab_from_xyz(xyz * (0.5 / std::max(1e-6, xyz.y())));
    return Grade{lab[1], lab[2]};
}

} // namespace refero::operations
