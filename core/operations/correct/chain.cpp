#include "operations/correct/chain.hpp"
#include "operations/match/matching.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

using shoot::Id;

namespace {

ChainFacts facts_of(const shoot::Shoot& shoot, const shoot::SetupRecord& row, const shoot::Standing& standing) {
    const shoot::Evidence& e = standing.evidence;
    const shoot::ChartShotRecord* shot = e.shot ? e.shot : e.refused;
    ChainFacts f;
    f.id = row.id;
    f.stretch = standing.stretch.key;
    f.acting = standing.acting;
    f.school = shoot::school_of(shoot, row);
    f.row = row;
    f.title = shoot::title_of(shoot, row);
    f.state = standing.state;
    f.settings = shoot::settings_of(row, shot);
    f.light_name = shoot::name_in(shoot.lights, row.light);
    if (shot) {
        f.chart_shot = shot->id;
        f.problem = shot->problem;
        for (const shoot::FindingRecord& finding : shoot.findings)
            if (finding.chart_shot == shot->id) f.findings.push_back(finding);
        if (const shoot::ReadingRecord* reading = reading_of(shoot, *shot)) {
            f.reading_id = reading->id;
            f.reading_content = reading->content;
        }
    }
    for (const shoot::ChartShotRecord& other : shoot.chart_shots)
        if (shot && other.setup == row.id && other.id != shot->id && shoot::refusal(shoot, other).empty())
            if (const shoot::ReadingRecord* page = reading_of(shoot, other); page && page->page)
                f.page_content = page->content;
    if (e.frame) {
        f.chart_frame = *e.frame;
        f.source = source_of(shoot, *e.frame, row.mode);
    }
    if (e.refused) f.refused = shoot::refusal(shoot, *e.refused);
    if (e.correction) {
        f.correction_id = e.correction->id;
        f.taken_from = e.correction->taken_from;
        f.correction_content = e.correction->content;
    }
    if (e.proof) {
        f.proved = true;
        f.proof_mean = e.proof->mean;
    }
    for (const shoot::HandoverRecord* h : e.handovers) { // a match's belong to it, not to the setup's own correction
        const shoot::CorrectionRecord* of = shoot::record(shoot.corrections, h->correction);
        if (!of || of->kind != shoot::CorrectionKind::match) f.handovers.push_back(*h);
    }
    for (const shoot::CorrectionRecord& c : shoot.corrections)
        if (c.setup == f.id && c.kind == shoot::CorrectionKind::rendering) f.renderings.push_back(c);
    f.stale = standing.stale;
    return f;
}

/// Charts beside the one in force: in its frame, and on a balance page that was shot apart.
void gather_panels(Chain& c) {
    c.panels = c.shot ? c.shot->panels : std::vector<store::Panel>();
    if (!c.page_content.empty()) try {
            const MeasuredShot page = store::measured_from_json(c.page_content, {});
            c.panels.push_back({page.definition, page.placement, page.reading});
        } catch (const Error& e) { c.damaged.push_back(e.what()); }
}

chart::Reference reference_for(const shoot::SetupSettings& settings, const chart::Definition& definition) {
    if (!settings.reference.empty()) return chart::load_reference(settings.reference);
    if (!settings.values.empty()) {
        chart::Reference own = chart::parse_reference(settings.values, {});
        // Of another chart than the one that is shown now: that one's own hold.
        if (std::all_of(definition.patches.begin(), definition.patches.end(),
                        [&](const chart::Patch& p) { return own.xyz.contains(p.id); }))
            return own;
    }
    return chart::reference_of(definition);
}

/// Reference, balance and light of a reading.
void weigh(Chain& c) {
    if (!c.shot) return;
    try {
        c.reference = std::make_shared<const chart::Reference>(reference_for(c.settings, c.shot->definition));
        c.balance = balance::balanced_on(c.shot->reading, *c.reference, &c.shot->definition, c.settings.white);
        if (c.settings.curves)
            c.balance->curves = balance::curves_of(*c.balance, c.shot->reading, *c.reference, &c.shot->definition);
        if (c.shot->frame.camera_from_xyz) c.light = balance::light_of(*c.balance, *c.shot->frame.camera_from_xyz);
    } catch (const Error& e) { c.balance_problem = e.what(); }
}

/// The correction in force: the job's, or, for a setup that needs no more, the balance alone.
void put_in_force(Chain& c) {
    if (!c.correction_content.empty()) try {
            c.correction = std::make_shared<const fit::Correction>(fit::from_json(c.correction_content, {}));
        } catch (const Error& e) { c.damaged.push_back(e.what()); }
    if (!c.balance_only() || !c.balance) return;
    try {
        fit::Settings settings;
        settings.model = fit::Model::diagonal;
        settings.alone = true;
        settings.intent = c.settings.intent;
        settings.white = c.settings.white;
        settings.curves = c.settings.curves;
        fit::Correction alone = correct({*c.shot}, *c.reference, settings);
        alone.coefficients = own_colours(c.shot->frame, alone.balance); // the file's own give usable colour
        c.correction = std::make_shared<const fit::Correction>(std::move(alone));
    } catch (const Error& e) {
        c.balance_problem = e.what();
        c.correction.reset();
    }
}

void prove_on_reading(Chain& c) {
    if (!c.correction) return;
    try {
        const bool own = !c.taken_from || !c.shot || !c.reference;
        c.proof = std::make_shared<const prove::Proof>(
            own ? prove::against(*c.correction, c.correction->reading, c.correction->reference, false)
                : prove::against(*c.correction, c.shot->reading, *c.reference, true));
    } catch (const Error&) { // nothing to compare with
    }
}

} // namespace

std::vector<Step> Chain::steps() const {
    if (balance_only()) return {Step::shot, Step::reading, Step::balance, Step::handover};
    return {Step::shot, Step::reading, Step::balance, Step::correction, Step::proof, Step::handover};
}

bool Chain::wants_fit() const {
    if (!balance || !refused.empty() || balance_only()) return false;
    return !correction || std::any_of(stale.begin(), stale.end(), [](const shoot::Staleness& r) {
        return r.rule == shoot::StaleRule::settings || r.rule == shoot::StaleRule::newer ||
               r.rule == shoot::StaleRule::refused;
    });
}

bool Chain::whole() const {
    const auto all = steps();
    return std::all_of(all.begin(), all.end(), [&](Step step) { return link(step) == LinkState::whole; });
}

LinkState Chain::link(Step step) const {
    const LinkState made = correction_stale() ? LinkState::worn : LinkState::whole;
    const LinkState measured = refused.empty() ? LinkState::whole : LinkState::broken;
    switch (step) {
    case Step::shot:
        return !refused.empty() || !problem.empty() ? LinkState::broken : shot ? LinkState::whole : LinkState::missing;
    case Step::reading: return shot ? measured : LinkState::missing;
    case Step::balance: return balance ? measured : balance_problem.empty() ? LinkState::missing : LinkState::broken;
    case Step::correction: return correction ? made : LinkState::missing;
    case Step::proof: return correction && proved ? made : LinkState::missing;
    case Step::handover: {
        if (handovers.empty()) return LinkState::missing;
        if (balance_only()) return LinkState::whole;
        const bool all = std::all_of(handovers.begin(), handovers.end(),
                                     [&](const shoot::HandoverRecord& h) { return h.correction == correction_id; });
        return all ? made : LinkState::worn;
    }
    }
    return LinkState::missing;
}

Step Chain::current() const {
    for (const Step step : steps())
        if (link(step) != LinkState::whole) return step;
    return Step::handover;
}

std::string Chain::stretch_id() const {
    if (stretches.size() < 2) return {};
    const auto own =
        std::find_if(stretches.begin(), stretches.end(), [&](const StretchFacts& s) { return s.key == stretch; });
    return own == stretches.end() ? std::string() : own->id;
}

namespace {

StretchFacts line_of(const shoot::Standing& s) {
    const shoot::Evidence& e = s.evidence;
    StretchFacts f;
    f.key = s.stretch.key;
    f.why = s.stretch.why;
    f.other_light = s.stretch.other_light;
    if (std::isfinite(s.stretch.from_s)) f.from = shoot::time_of(s.stretch.from_s);
    if (std::isfinite(s.stretch.to_s)) f.to = shoot::time_of(s.stretch.to_s);
    if (e.frame) f.chart_file = e.frame->path;
    if (const shoot::ChartShotRecord* shot = e.shot) {
        f.kelvin = shot->kelvin;
        f.duv = shot->duv;
        f.level = shot->level;
    }
    f.state = s.state;
    if (e.proof) f.delta_e_2000 = e.proof->mean;
    return f;
}

} // namespace

std::vector<ChainFacts> stretches_of(const shoot::Shoot& shoot) {
    std::map<Id, std::vector<const shoot::FrameRecord*>> frames;
    for (const shoot::FrameRecord& f : shoot.frames)
        if (f.setup && !f.same_as && f.kind != shoot::FrameKind::chart) frames[f.setup].push_back(&f);
    const auto standings = shoot::standings_of_stretches(shoot);
    std::vector<ChainFacts> all;
    for (std::size_t begin = 0, end = 0; begin < standings.size(); begin = end) {
        const Id setup = standings[begin].first;
        while (end < standings.size() && standings[end].first == setup) ++end;
        const shoot::SetupRecord& row = *shoot::record(shoot.setups, setup);
        std::vector<shoot::Stretch> in_time;
        std::vector<StretchFacts> lines;
        for (std::size_t i = begin; i < end; ++i) {
            const shoot::Standing& s = standings[i].second;
            if (s.stretch.key) in_time.push_back(s.stretch);
            lines.push_back(line_of(s));
        }
        const std::vector<std::string> ids = shoot::ids_of(shoot, in_time);
        for (std::size_t k = 0; k < ids.size(); ++k) lines[k].id = ids[k];
        std::vector<std::vector<Id>> parts(lines.size());
        for (const shoot::FrameRecord* f : frames[setup]) {
            const std::size_t at = in_time.size() < 2 ? 0 : shoot::stretch_at(in_time, shoot::time_in_job(shoot, *f));
            parts[at].push_back(f->id);
            ++lines[at].frames;
        }
        for (std::size_t i = begin; i < end; ++i) {
            all.push_back(facts_of(shoot, row, standings[i].second));
            all.back().frames = std::move(parts[i - begin]);
            all.back().stretches = lines;
        }
    }
    return all;
}

std::vector<ChainFacts> facts_of(const shoot::Shoot& shoot) {
    std::vector<ChainFacts> all = stretches_of(shoot);
    std::erase_if(all, [](const ChainFacts& f) { return !f.acting; });
    return all;
}

Chain derived(ChainFacts facts, const Chain* before) {
    Chain c;
    static_cast<ChainFacts&>(c) = std::move(facts);
    const bool same_reading =
        before && before->reading_content == c.reading_content && before->chart_frame.path == c.chart_frame.path;
    if (same_reading) c.shot = before->shot;
    else if (!c.reading_content.empty()) try {
            c.shot =
                std::make_shared<const MeasuredShot>(store::measured_from_json(c.reading_content, c.chart_frame.path));
        } catch (const Error& e) {
            c.damaged.push_back(e.what());
            c.problem = e.what();
        }
    if (same_reading && before->page_content == c.page_content) c.panels = before->panels;
    else gather_panels(c);
    shoot::SetupSettings weighed = c.settings;
    if (before) { // these change no balance
        weighed.finish = before->settings.finish;
        weighed.look = before->settings.look;
        weighed.spots = before->settings.spots;
        weighed.others = before->settings.others;
    }
    const bool same_balance = same_reading && before->settings == weighed;
    if (same_balance) {
        c.reference = before->reference;
        c.balance = before->balance;
        c.light = before->light;
        c.balance_problem = before->balance_problem;
    } else weigh(c);
    const bool same_correction = same_balance && before->correction_content == c.correction_content &&
                                 before->balance_only() == c.balance_only() && before->taken_from == c.taken_from;
    if (same_correction) {
        c.correction = before->correction;
        c.proof = before->proof;
    } else {
        put_in_force(c);
        prove_on_reading(c);
    }
    // Finish and look are the setup's: they may change long after the fit.
    if (c.correction && (c.correction->finish != c.settings.finish || !(c.correction->look == c.settings.look))) {
        auto finished = std::make_shared<fit::Correction>(*c.correction);
        finished->finish = c.settings.finish;
        finished->look = c.settings.look;
        c.correction = finished;
    }
    return c;
}

Chain chain_of(const shoot::Shoot& shoot, Id setup, Id stretch) {
    for (ChainFacts& f : stretches_of(shoot))
        if (f.id == setup && (stretch ? f.stretch == stretch : f.acting)) return derived(std::move(f));
    throw Error(ErrorKind::usage, "there is no such setup in the job");
}

} // namespace refero::operations
