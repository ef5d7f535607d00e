#include "operations/correct/pipeline.hpp"

#include <cmath>
#include <map>
#include <sstream>

#include "base/statistics.hpp"
#include "frame/sequence.hpp"
#include "operations/capture/footage.hpp"

namespace refero::operations {

namespace {

std::vector<find::Placement> all_in(const frame::Frame& frame, const std::string& chart, std::stop_token stop) {
    const auto definitions = chart.empty() ? chart::installed() : std::vector{chart::find_definition(chart)};
    if (!chart.empty()) chart::reference_of(definitions.front()); // nothing can be found by colours that are not known
    auto found = find::locate(frame, definitions, stop);
    if (found.empty()) throw find::NoChart(frame);
    return found;
}

/// The one with most colours first.
void richest_first(std::vector<find::Placement>& found) {
    const auto colours = [](const find::Placement& p) { return chart::colours_of(chart::find_definition(p.chart)); };
    const auto richest = std::max_element(found.begin(), found.end(),
                                          [&](const auto& a, const auto& b) { return colours(a) < colours(b); });
    std::rotate(found.begin(), richest, richest + 1);
}

} // namespace

find::Placement locate(const frame::Frame& frame, const std::string& chart, std::stop_token stop) {
    return all_in(frame, chart, stop).front();
}

MeasuredShot measure_in(const frame::Frame& frame, const ShotOptions& options, std::stop_token stop) {
    MeasuredShot shot;
    if (options.corners && options.chart.empty())
        throw Error(ErrorKind::usage, "corners belong to a chart", {}, "Name the chart");
    if (options.corners) {
        shot.definition = chart::find_definition(options.chart);
        shot.placement = find::placement_from(shot.definition, *options.corners, frame);
    } else {
        auto found = all_in(frame, options.chart, stop);
        if (options.panels) richest_first(found);
        shot.placement = found.front();
        shot.definition = chart::find_definition(options.chart.empty() ? shot.placement.chart : options.chart);
        for (std::size_t i = 1; options.panels && i < found.size(); ++i) {
            const chart::Definition other = chart::find_definition(found[i].chart);
            shot.panels.push_back({other, found[i], read::measure(frame, found[i], other, stop)});
        }
    }
    shot.reading = read::measure(frame, shot.placement, shot.definition, stop);
    return shot;
}

inspect::Judgement judge(const frame::Frame& frame, const MeasuredShot& shot, const inspect::Limits& limits) {
    chart::Reference reference;
    try {
        reference = chart::reference_of(shot.definition);
    } catch (const Error&) { // size, focus and clipping are judged all the same
    }
    return inspect::judge(frame, shot.placement, shot.reading, shot.definition, reference, limits);
}

inspect::Explained light_of(const MeasuredShot& shot, const chart::Reference& reference) {
    if (shot.light) return *shot.light;
    return inspect::explain(shot.reading, shot.definition, reference, !shot.frame.linear);
}

std::vector<shoot::FindingRecord> rows_of(const inspect::Judgement& judgement) {
    std::vector<shoot::FindingRecord> all;
    for (const inspect::Finding& f : judgement.findings) {
        std::string patches;
        for (const std::string& id : f.patches) patches += (patches.empty() ? "" : " ") + id;
        all.push_back({.check = f.check,
                       .status = f.status,
                       .value = f.value,
                       .limit = f.limit,
                       .unit = f.unit,
                       .patches = patches,
                       .advice = f.advice});
    }
    return all;
}

namespace {

/// Where it belongs: the worst first, as the gate has them.
void into_order(std::vector<shoot::FindingRecord>& rows, const shoot::FindingRecord& f) {
    const auto rank = [](const shoot::FindingRecord& row) {
        return row.status == inspect::Status::reshoot ? 2 : row.status == inspect::Status::caution ? 1 : 0;
    };
    rows.insert(
        std::find_if(rows.begin(), rows.end(), [&](const shoot::FindingRecord& row) { return rank(row) < rank(f); }),
        f);
}

} // namespace

void compare_balance(std::vector<shoot::FindingRecord>& rows, const MeasuredShot& shot, const MeasuredShot& other,
                     const inspect::Limits& limits) {
    const auto recording = std::find_if(
        rows.begin(), rows.end(), [](const shoot::FindingRecord& f) { return f.check == inspect::Check::recording; });
    if (recording == rows.end() || shot.frame.is_raw || other.frame.is_raw || shot.definition.id != other.definition.id)
        return;
    const inspect::Limit& limit = limits.at("recording balance");
    const double percent = inspect::wandered_percent(shot.reading, other.reading, shot.definition);
    if (!(percent >= limit.caution)) return;
    const bool bad = percent >= limit.reshoot;
    shoot::FindingRecord f = *recording;
    f.status = bad || f.status == inspect::Status::reshoot ? inspect::Status::reshoot : inspect::Status::caution;
    f.value = percent;
    f.limit = bad ? limit.reshoot : limit.caution;
    f.unit = limit.unit;
    f.advice +=
        (f.advice.empty() ? "" : ". ") +
        formatted(
            "Greys differ by {:.0f} % from those in {}: set a fixed balance, or give this light a setup of its own",
            percent, other.frame.file.filename());
    rows.erase(recording);
    into_order(rows, f);
}

void hear_witness(std::vector<shoot::FindingRecord>& rows, const MeasuredShot& shot, const MeasuredShot& other) {
    constexpr double alike = 0.03; // of the signal: a hand would have to lie just so twice
    const auto alarm = std::find_if(rows.begin(), rows.end(), [](const shoot::FindingRecord& f) {
        return f.check == inspect::Check::occlusion && inspect::is_alarm(f.status);
    });
    if (alarm == rows.end() || shot.definition.id != other.definition.id) return;
    // Logarithms of each patch's channels, this shot's less the other's; what all have in common is light and exposure.
    std::map<std::string, colour::Vec3> differences;
    std::array<std::vector<double>, 3> all;
    for (const read::PatchReading& p : shot.reading.patches) {
        const read::PatchReading* o = other.reading.find(p.id);
        if (!o || !p.usable() || !o->usable()) continue;
        colour::Vec3 d;
        for (std::size_t c = 0; c < 3; ++c)
            d[static_cast<Eigen::Index>(c)] = std::log(std::max(1e-6, p.mean[c]) / std::max(1e-6, o->mean[c]));
        differences[p.id] = d;
        for (Eigen::Index c = 0; c < 3; ++c) all[static_cast<std::size_t>(c)].push_back(d[c]);
    }
    if (differences.size() < 8) return;
    const colour::Vec3 common(median(all[0]), median(all[1]), median(all[2]));
    std::istringstream named(alarm->patches);
    bool any = false;
    for (std::string id; named >> id; any = true) {
        const auto d = differences.find(id);
        if (d == differences.end() || (d->second - common).cwiseAbs().maxCoeff() > alike) return;
    }
    if (!any) return;
    shoot::FindingRecord f = *alarm;
    f.status = inspect::Status::unknown;
    f.advice = formatted("{} is off alike in {}: the card itself (wipe it, compare it with a new one), the camera or "
                         "its picture style, and no hand before it",
                         f.patches, other.frame.file.filename());
    rows.erase(alarm);
    into_order(rows, f);
}

std::vector<inspect::Finding> findings_from(const std::vector<shoot::FindingRecord>& rows) {
    std::vector<inspect::Finding> all;
    for (const shoot::FindingRecord& row : rows) {
        inspect::Finding f;
        f.check = row.check;
        f.value = row.value;
        f.limit = row.limit;
        f.unit = row.unit;
        f.advice = row.advice;
        f.status = row.status;
        std::istringstream ids(row.patches);
        for (std::string id; ids >> id;) f.patches.push_back(id);
        all.push_back(std::move(f));
    }
    return all;
}

fit::CurveShot code_shot(const std::filesystem::path& file, const ShotOptions& asked, chart::Definition& definition) {
    ShotOptions given = asked;
    given.position_s = showing_s(file, asked);
    // Found as it looks, read as it is written.
    const MeasuredShot found = take_shot(file, given);
    if (found.frame.is_raw)
        throw Error(ErrorKind::input, "raw frames are linear already", file,
                    "Give the camera's own pictures, or stills of its clips");
    ShotOptions options = given;
    options.encoding.emplace(colour::Transfer::linear);
    options.corners = found.placement.corners;
    options.chart = found.definition.id;
    definition = found.definition;
    const frame::Metadata& m = found.frame.metadata;
    const bool known = m.exposure_s > 0 && m.f_number > 0 && m.iso > 0;
    return {take_shot(file, options).reading,
            known ? std::optional(std::log2(m.exposure_s / (m.f_number * m.f_number) * m.iso)) : std::nullopt};
}

std::string encoding_of(const frame::Frame& f) {
    if (f.is_raw) return {};
    if (f.linear) return "linear";
    return f.encoding == "embedded ICC curve" ? std::string() : f.encoding;
}

fit::Source source_of(const MeasuredShot& shot) {
    return {std::filesystem::absolute(shot.frame.file),
            shot.sha256.empty() ? frame::content_hash(shot.frame.file) : shot.sha256, shot.frame.metadata,
            shot.placement};
}

std::string panel_id(const store::Panel& panel, const std::string& patch) { return panel.definition.id + ":" + patch; }

namespace {

void join_hues(read::Reading& reading, chart::Reference& reference, const store::Panel& panel) {
    const chart::Reference values = chart::reference_of(panel.definition);
    read::Reading hues;
    chart::Reference theirs;
    for (const chart::Patch& p : panel.definition.patches) {
        const read::PatchReading* seen = panel.reading.find(p.id);
        if (p.role == "neutral" || p.role == "warm" || p.role == "cool" || !seen || !seen->usable()) continue;
        hues.patches.push_back(*seen);
        hues.patches.back().id = panel_id(panel, p.id);
        theirs.xyz[hues.patches.back().id] = values.xyz.at(p.id);
    }
    if (!hues.patches.empty()) fit::join(reading, reference, hues, theirs);
}

} // namespace

fit::Correction correct(const std::vector<MeasuredShot>& shots, const chart::Reference& reference,
                        const fit::Settings& given, std::stop_token stop,
                        const std::vector<std::vector<inspect::Finding>>& findings,
                        const std::vector<std::filesystem::path>& samples, const std::vector<store::Panel>& panels) {
    std::vector<read::Reading> readings;
    fit::Settings settings = given;
    for (std::size_t i = 0; i < shots.size(); ++i) {
        const MeasuredShot& shot = shots[i];
        if (shot.definition.id != shots.front().definition.id)
            throw Error(ErrorKind::usage, "the shots show different charts", shot.frame.file,
                        "Give shots of one chart, or name it");
        if (i >= findings.size()) {
            readings.push_back(shot.reading);
            continue;
        }
        const bool alarmed = std::any_of(findings[i].begin(), findings[i].end(),
                                         [](const inspect::Finding& f) { return inspect::is_alarm(f.status); });
        inspect::Repair repair =
            inspect::repaired(shot.reading, shot.definition, reference, findings[i],
                              alarmed ? light_of(shot, reference) : inspect::Explained{}, !shot.frame.linear);
        const std::string of = shots.size() > 1 ? shot.frame.file.filename().string() + ": " : std::string();
        for (const std::string& words : repair.words) settings.cautions.push_back(of + words);
        for (const inspect::Finding& f : findings[i])
            if (inspect::is_alarm(f.status))
                settings.cautions.push_back(of + "The gate says " + inspect::name_of(f.status) + " for " +
                                            inspect::name_of(f.check) + ": " + f.advice);
        // Of several shots a patch is taken where it is good.
        if (shots.size() == 1)
            settings.without.insert(settings.without.end(), repair.left_out.begin(), repair.left_out.end());
        else
            for (read::PatchReading& p : repair.reading.patches)
                if (std::find(repair.left_out.begin(), repair.left_out.end(), p.id) != repair.left_out.end())
                    p.clipped = 1;
        readings.push_back(std::move(repair.reading));
    }
    read::Reading reading = read::average(readings);
    chart::Reference all = reference;
    if (samples.size() == 2) fit::join(reading, all, read::load_cgats(samples[0]), chart::load_reference(samples[1]));
    for (const store::Panel& panel : panels) join_hues(reading, all, panel);
    settings.finished = !shots.front().frame.linear;
    fit::Correction c = fit::build(reading, all, &shots.front().definition, settings, stop);
    c.encoding = encoding_of(shots.front().frame);
    for (const MeasuredShot& shot : shots) c.sources.push_back(source_of(shot));
    if (const auto& matrix = shots.front().frame.camera_from_xyz) c.light = balance::light_of(c.balance, *matrix);
    return c;
}

} // namespace refero::operations
