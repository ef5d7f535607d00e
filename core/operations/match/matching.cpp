#include "operations/match/matching.hpp"

#include <nlohmann/json.hpp>

#include "colour/rgb.hpp"
#include "shoot/evidence.hpp"

namespace refero::operations {

using nlohmann::json;

colour::Mat3 own_colours(const frame::Frame& f, const balance::Balance& balance) {
    if (f.camera_from_xyz) return fit::own_colours(balance, *f.camera_from_xyz);
    if (f.xyz_from_rgb) return *f.xyz_from_rgb;
    const char* space = f.encoding == "acescct"                     ? "acescg"
                        : f.encoding == "hlg" || f.encoding == "pq" ? "bt2020"
                                                                    : "linear-bt709";
    return colour::rgb_space(space).to_xyz_d50();
}

namespace {

/// A frame that knows no more than a side keeps of it.
frame::Frame told_by(const Side& s) {
    frame::Frame f;
    f.camera_from_xyz = s.camera_from_xyz;
    f.xyz_from_rgb = s.xyz_from_rgb;
    f.encoding = s.encoding;
    return f;
}

constexpr std::size_t hash_digits = 16;

std::string short_hash(const std::string& text) {
    return text.empty() ? text : sha256_of_text(text).substr(0, hash_digits);
}

/// What a match depends on.
json made_from(const Chain& lead, const Chain& other) {
    return {{"lead_correction", lead.correction ? short_hash(fit::to_json(*lead.correction)) : std::string()},
            {"lead_reading", short_hash(lead.reading_content)},
            {"other_reading", short_hash(other.reading_content)}};
}

json json_of(const fit::Statistics& s) { return {s.mean, s.median, s.p95, s.max}; }

fit::Statistics statistics_from(const json& j) { return {j.at(0), j.at(1), j.at(2), j.at(3)}; }

} // namespace

Side side_of(const MeasuredShot& shot) {
    Side s;
    s.reading = shot.reading;
    s.definition = shot.definition;
    s.camera_from_xyz = shot.frame.camera_from_xyz;
    s.xyz_from_rgb = shot.frame.xyz_from_rgb;
    s.raw = shot.frame.is_raw;
    s.finished = !shot.frame.linear;
    s.encoding = encoding_of(shot.frame);
    s.source = source_of(shot);
    return s;
}

Side side_of_table(const std::filesystem::path& cgats, const std::string& chart) {
    Side s;
    s.reading = read::load_cgats(cgats);
    if (!chart.empty()) {
        s.definition = chart::find_definition(chart);
        s.reading.chart = s.definition->id;
    }
    s.source = {cgats, sha256_of(cgats), {}, {}};
    return s;
}

std::function<colour::Mat3(const balance::Balance&)> own_colours_of(const Side& side) {
    return [f = told_by(side)](const balance::Balance& b) { return own_colours(f, b); };
}

std::optional<double> code_of(double signal, const std::string& encoding) {
    if (encoding.empty()) return {};
    const frame::Encoding curve = frame::Encoding::named(encoding);
    double low = 0, high = 1;
    if (!(curve.decode(1, low) <= signal && signal <= curve.decode(1, high))) return {};
    for (int halved = 0; halved < 40; ++halved) {
        const double middle = (low + high) / 2;
        (curve.decode(1, middle) < signal ? low : high) = middle;
    }
    return (low + high) / 2;
}

namespace {

const chart::Definition* definition_of(const Side& s) { return s.definition ? &*s.definition : nullptr; }

} // namespace

ModeSeen mode_seen(const Side& side, const chart::Reference& reference) {
    const auto own = own_colours_of(side);
    const balance::Balance balance = balance::balanced_on(side.reading, reference, definition_of(side), {});
    const colour::Mat3 to_xyz = own(balance);
    ModeSeen seen{match::look_of(side.reading, reference, definition_of(side), own),
                  prove::against([&](const colour::Vec3& v) -> colour::Vec3 { return to_xyz * balance(v); },
                                 side.reading, reference, {})};
    // Of a picture without a matrix: what its neutrals look like in it.
    seen.look.light =
        side.camera_from_xyz
            ? balance::light_of(balance, *side.camera_from_xyz)
            : colour::correlated_temperature(colour::chromaticity_of(to_xyz * balance.gains.cwiseInverse()));
    return seen;
}

LookTried look_tried(const Side& side, const chart::Reference& reference, const std::filesystem::path& look,
                     prove::Usage usage) {
    const balance::Balance balance = balance::balanced_on(side.reading, reference, definition_of(side), {});
    if (usage.input_encoding.empty()) usage.input_encoding = side.raw || side.encoding.empty() ? "srgb" : side.encoding;
    if (usage.space.empty()) usage.space = usage.input_encoding == "bt709" ? "bt709" : "srgb";
    usage.balanced = usage.balanced || side.raw;
    const prove::Elsewhere e = prove::open_elsewhere(look, usage, balance);
    LookTried tried{usage, prove::against(e.rendering, side.reading, reference, balance.white_patch), {}, 0};
    tried.changed = prove::merged_or_torn(tried.proof);
    const auto ramps = prove::ramps(e.rendering, side.reading, reference);
    tried.turned =
        static_cast<int>(std::count_if(ramps.begin(), ramps.end(), [](const prove::Ramp& r) { return r.turns; }));
    return tried;
}

ExposureSeries exposure_series(const std::vector<Side>& sides, std::size_t key, const chart::Reference& reference,
                               const inspect::Limits& limits, bool known_end) {
    std::vector<read::Reading> readings;
    for (const Side& s : sides) readings.push_back(s.reading);
    const std::optional<double> end = known_end ? std::nullopt : match::find_plateau(readings, key);
    ExposureSeries all;
    all.frames = match::series(readings, key, reference, definition_of(sides[key]), own_colours_of(sides[key]), limits);
    all.usable_stops = match::usable_stops(all.frames, key);
    if (end) all.clip_code = code_of(*end, sides[key].encoding);
    return all;
}

ExposuresSeen look_at_exposures(const ExposuresAsked& asked, const Progress& progress, std::stop_token stop) {
    ExposuresSeen seen;
    std::vector<Side> sides;
    std::size_t key = 0;
    bool known_end = false;
    for (std::size_t i = 0; i < asked.frames.size(); ++i) {
        const FrameSource& source = asked.frames[i];
        try {
            const frame::Frame frame = read(source, frame::Size::measuring, {}, stop);
            MeasuredShot shot = measure_in(frame, {.chart = asked.chart}, stop);
            shot.frame = frame;
            shot.frame.rgb = {};
            shot.frame.clipped = {};
            if (i == asked.key) key = sides.size();
            sides.push_back(side_of(shot));
            seen.of.push_back(i);
            known_end = known_end || source.clip_code < 1;
        } catch (const Error& e) {
            if (e.kind() == ErrorKind::cancelled || i == asked.key) throw;
            seen.unseen.emplace_back(i, e.sentences());
        }
        if (progress) progress(static_cast<double>(i + 1) / static_cast<double>(asked.frames.size()));
    }
    if (sides.empty()) throw Error(ErrorKind::usage, "there are no exposures", {}, "Choose frames of one chart");
    seen.series =
        exposure_series(sides, key, chart::reference_of(chart::find_definition(asked.chart)), asked.limits, known_end);
    return seen;
}

chart::Reference shown_by(const Side& lead, const fit::Correction* correction, const std::string& space) {
    if (correction) return match::rendering_of(*correction, lead.reading);
    if (lead.raw)
        throw Error(ErrorKind::usage, "a raw file has no rendering of its own", lead.source.file,
                    "Give the lead's correction, or fit one first");
    return match::picture_of(lead.reading,
                             space.empty() ? own_colours(told_by(lead), {}) : colour::rgb_space(space).to_xyz_d50());
}

match::Match matched(const Side& lead, const Side& other, const chart::Reference& target,
                     const std::optional<chart::Reference>& reference, match::Settings settings, std::stop_token stop) {
    if (lead.definition && other.definition && lead.definition->id != other.definition->id)
        throw Error(ErrorKind::usage, "the two frames show different charts", other.source.file,
                    "Shoot one chart with both");
    const auto& definition = other.definition ? other.definition : lead.definition;
    settings.finished = other.finished;
    if (settings.lead) { // what the cameras are is told by what both saw now, not by what the correction was made on
        auto leading = std::make_shared<fit::Correction>(*settings.lead);
        leading->reading = lead.reading;
        settings.lead = std::move(leading);
    }
    match::Match m = match::match(other.reading, target, reference.value_or(chart::Reference{}),
                                  definition ? &*definition : nullptr, own_colours_of(other), settings, stop);
    m.correction.sources.push_back(other.source);
    m.correction.encoding = other.encoding;
    m.correction.made = utc_now();
    if (other.camera_from_xyz) m.correction.light = balance::light_of(m.correction.balance, *other.camera_from_xyz);
    return m;
}

MatchRequest match_request(const Chain& lead, const Chain& other, const match::Settings& settings) {
    const auto cannot = [&](const std::string& why, const std::string& remedy) {
        throw Error(ErrorKind::usage, other.title + " cannot be matched to " + lead.title + ": " + why, {}, remedy);
    };
    if (lead.id == other.id) cannot("they are one setup", "Choose another lead");
    if (lead.row.light != other.row.light)
        cannot("they are under different lights", "Match under one light, with a chart shot of both there");
    for (const Chain* c : {&lead, &other}) {
        if (!c->refused.empty()) cannot("the chart shot of " + c->title + " is refused", "Shoot the chart again");
        if (!c->shot) cannot("the chart shot of " + c->title + " is not read", "Read it first");
    }
    if (lead.shot->definition.id != other.shot->definition.id)
        cannot("their chart shots show different charts", "Shoot one chart with both");
    if (!lead.correction && lead.shot->frame.is_raw)
        cannot("the lead has no correction, and a raw file has no rendering of its own", "Fit the lead first");
    MatchRequest r;
    r.lead = lead.id;
    r.other = other.id;
    r.title = other.title + " to " + lead.title;
    r.lead_side = side_of(*lead.shot);
    r.other_side = side_of(*other.shot);
    r.target = shown_by(r.lead_side, lead.correction.get());
    if (other.reference) r.reference = *other.reference;
    r.settings = settings;
    r.settings.lead = lead.correction;
    // Raw begins where a camera's own picture stands: its tone curve apart, where the greys tell it.
    constexpr auto fewest_greys = 5;
    const auto& patches = lead.shot->definition.patches;
    const auto greys =
        std::count_if(patches.begin(), patches.end(), [](const chart::Patch& p) { return p.role == "neutral"; });
    r.settings.tone = !lead.correction && r.lead_side.finished && !r.other_side.finished && greys >= fewest_greys &&
                      settings.way != match::Way::reference;
    r.made_from = made_from(lead, other).dump();
    return r;
}

match::Match match(const MatchRequest& r, std::stop_token stop) {
    return matched(r.lead_side, r.other_side, r.target, r.reference, r.settings, stop);
}

shoot::Change keep(const shoot::Shoot& shoot, const MatchRequest& r, const match::Match& m) {
    json kept = json::parse(r.made_from);
    kept["way"] = match::name_of(m.way);
    kept["before"] = json_of(m.before);
    kept["fit"] = json_of(m.fit);
    kept["cross_validated"] = json_of(m.cross_validated);
    kept["candidates"] = json::array();
    for (const match::Candidate& c : m.candidates)
        kept["candidates"].push_back({{"way", match::name_of(c.way)},
                                      {"model", fit::name_of(c.model)},
                                      {"fit", json_of(c.fit)},
                                      {"cross_validated", json_of(c.cross_validated)}});
    shoot::Id shot = 0;
    if (const shoot::SetupRecord* setup = shoot::record(shoot.setups, r.other))
        for (const shoot::ChartShotRecord& s : shoot.chart_shots)
            if (s.setup == setup->id && shoot::refusal(shoot, s).empty()) shot = s.id;
    shoot::Change c("Match " + r.title, r.title);
    c.add(shoot::CorrectionRecord{.setup = r.other,
                                  .kind = shoot::CorrectionKind::match,
                                  .target = r.lead,
                                  .chart_shot = shot,
                                  .made = m.correction.made,
                                  .settings = kept.dump(),
                                  .content = fit::to_json(m.correction)});
    return c;
}

void refuse_raw(const std::filesystem::path& picture) {
    if (frame::kind_of(picture) == frame::FileKind::raw)
        throw Error(ErrorKind::input, "a raw file is no picture yet", picture,
                    "Give what was made of it: TIFF, PNG, JPEG");
}

match::Delivered verify_delivered(const Chain& chain, const std::filesystem::path& picture, std::stop_token stop) {
    if (!chain.correction || !chain.shot)
        throw Error(ErrorKind::usage, chain.title + " has no correction to verify a picture against", picture,
                    "Fit it first");
    refuse_raw(picture);
    const MeasuredShot shot = take_shot(picture, {.chart = chain.shot->definition.id}, {}, stop);
    return match::verify(match::rendering_of(*chain.correction, chain.shot->reading), shown_by(side_of(shot), nullptr));
}

std::optional<KeptMatch> kept_match(
    const shoot::Shoot& shoot, const Chain& lead, const Chain& other,
    const std::function<std::shared_ptr<const fit::Correction>(const shoot::CorrectionRecord&)>& known) {
    const shoot::CorrectionRecord* row = nullptr;
    for (const shoot::CorrectionRecord& c : shoot.corrections)
        if (c.kind == shoot::CorrectionKind::match && c.setup == other.id && c.target == lead.id) row = &c;
    if (!row) return {};
    KeptMatch k{row->id, lead.id, other.id, row->made};
    try {
        const json kept = json::parse(row->settings), now = made_from(lead, other);
        if (kept.at("other_reading") != now["other_reading"]) k.stale = other.title + " has another reading now";
        else if (kept.at("lead_reading") != now["lead_reading"]) k.stale = lead.title + " has another reading now";
        else if (kept.at("lead_correction") != now["lead_correction"])
            k.stale = "the correction of " + lead.title + " changed";
        if (!other.refused.empty()) k.stale = "the chart shot of " + other.title + " is refused";
        k.way = match::way_named(kept.at("way")).value_or(match::Way::direct);
        k.before = statistics_from(kept.at("before"));
        k.fit = statistics_from(kept.at("fit"));
        k.cross_validated = statistics_from(kept.at("cross_validated"));
        for (const json& c : kept.at("candidates"))
            k.candidates.push_back({match::way_named(c.at("way")).value_or(match::Way::direct),
                                    fit::model_named(c.at("model")), statistics_from(c.at("fit")),
                                    statistics_from(c.at("cross_validated"))});
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("a match in the job is damaged: ") + problem.what(), {},
                    "Match " + other.title + " again");
    }
    if (known) k.correction = known(*row);
    if (!k.correction) k.correction = std::make_shared<const fit::Correction>(fit::from_json(row->content, {}));
    return k;
}

match::ByHand by_hand(const Chain& lead, const Chain& other, const fit::Correction& correction) {
    const Side mine = side_of(*lead.shot), theirs = side_of(*other.shot);
    return match::by_hand(theirs.reading, shown_by(mine, lead.correction.get()), &other.shot->definition, correction,
                          own_colours_of(theirs));
}

} // namespace refero::operations
