#include "operations/correct/renderings.hpp"

#include "operations/internal/wording.hpp"

namespace refero::operations {

using shoot::Change;
using shoot::Id;
using shoot::SetupSettings;

namespace {

/// What a rendering has of its own, out of a setup's settings.
void take_own(SetupSettings& into, const SetupSettings& from) {
    into.model = from.model;
    into.intent = from.intent;
    into.weights = from.weights;
    into.finish = from.finish;
    into.look = from.look;
}

std::string why_stale(const Chain& c, const shoot::CorrectionRecord& row, const KeptRendering& r) {
    if (!r.correction) return "it cannot be read";
    if (!c.refused.empty()) return "the chart shot is refused";
    if (row.chart_shot != c.chart_shot) return "there is another chart shot";
    SetupSettings now = c.settings, then = r.settings;
    take_own(now, {});
    take_own(then, {});
    if (shoot::fit_key(now) != shoot::fit_key(then)) return "settings were changed after the fit";
    return {};
}

void check_name(const std::string& name) {
    if (name == "all" || name == "*")
        throw Error(ErrorKind::usage, "all of them go by this name", {}, "Name it after what it is for: web, print");
    if (name.find_first_not_of(" \t") == std::string::npos)
        throw Error(ErrorKind::usage, "a rendering needs a name", {}, "Name it after what it is for: web, print");
}

} // namespace

std::vector<KeptRendering> renderings_of(const shoot::Shoot& shoot, const Chain& c) {
    std::vector<KeptRendering> all;
    for (const shoot::CorrectionRecord& row : c.renderings) {
        KeptRendering r{row.id, row.name, c.settings, nullptr, {}};
        shoot::SetupRecord kept;
        kept.settings = row.settings;
        r.settings = shoot::settings_of(kept, shoot::record(shoot.chart_shots, row.chart_shot));
        try {
            r.correction = std::make_shared<const fit::Correction>(fit::from_json(row.content));
        } catch (const Error&) {} // told as stale
        r.stale = why_stale(c, row, r);
        all.push_back(std::move(r));
    }
    return all;
}

Change keep_rendering(const shoot::Shoot& shoot, const Chain& c, const std::string& name) {
    check_name(name);
    if (!c.correction)
        throw Error(ErrorKind::usage, c.title + " has no correction to keep a rendering of", {}, "Fit it first");
    shoot::CorrectionRecord row;
    if (const shoot::CorrectionRecord* own = shoot::record(shoot.corrections, c.correction_id)) row = *own;
    row.id = 0;
    row.setup = c.id;
    row.kind = shoot::CorrectionKind::rendering;
    row.name = name;
    row.taken_from = 0;
    if (!row.chart_shot) row.chart_shot = c.chart_shot;
    if (row.made.empty()) row.made = utc_now();
    row.settings = shoot::text_of(c.settings);
    row.content = fit::to_json(*c.correction);
    Change change("Keep the rendering " + name + " of " + c.title, c.title);
    for (const shoot::CorrectionRecord& k : c.renderings)
        if (k.name == name) {
            row.id = k.id;
            change.update(row);
            return change;
        }
    change.add(row);
    return change;
}

Change rename_rendering(const shoot::Shoot& shoot, Id id, const std::string& name) {
    check_name(name);
    const shoot::CorrectionRecord* row = shoot::record(shoot.corrections, id);
    if (!row || row->name == name) return {};
    for (const shoot::CorrectionRecord& k : shoot.corrections)
        if (k.setup == row->setup && k.kind == shoot::CorrectionKind::rendering && k.name == name)
            throw Error(ErrorKind::usage, "there is a rendering " + name + " already", {}, "Choose another name");
    shoot::CorrectionRecord renamed = *row;
    renamed.name = name;
    return shoot::put("Call the rendering " + row->name + " " + name, renamed);
}

Change remove_rendering(const shoot::Shoot& shoot, Id id) {
    const shoot::CorrectionRecord* row = shoot::record(shoot.corrections, id);
    return row ? shoot::removed<shoot::CorrectionRecord>("Remove the rendering " + row->name, id) : Change();
}

Change work_on_rendering(const shoot::Shoot& shoot, const Chain& c, const KeptRendering& r) {
    const shoot::CorrectionRecord* kept = shoot::record(shoot.corrections, r.row);
    if (!kept || !r.correction) return {};
    SetupSettings settings = c.settings;
    take_own(settings, r.settings);
    shoot::SetupRecord setup = c.row;
    setup.settings = shoot::text_of(settings);
    Change change("Work on the rendering " + r.name + " of " + c.title, c.title);
    change.update(setup);
    if (c.balance_only()) return change;
    shoot::CorrectionRecord own = *kept;
    own.id = 0;
    own.kind = shoot::CorrectionKind::plain;
    own.name.clear();
    own.settings = shoot::fit_key(r.settings); // if more than the rendering has changed since, it is stale
    change.add(left_out_of(change.add(own), *r.correction));
    return change;
}

FitRequest fit_request(const shoot::Shoot& shoot, const Chain& c, const KeptRendering& r) {
    Chain with = c;
    take_own(with.settings, r.settings);
    return fit_request(shoot, with);
}

Change keep(const shoot::Shoot& shoot, const FitRequest& request, const KeptRendering& r, const fit::Correction& made) {
    const shoot::CorrectionRecord* kept = shoot::record(shoot.corrections, r.row);
    if (!kept) return {};
    fit::Correction finished = made;
    finished.finish = r.settings.finish;
    finished.look = r.settings.look;
    shoot::CorrectionRecord row = *kept;
    row.chart_shot = request.chart_shot;
    row.made = made.made;
    row.settings = shoot::text_of(request.made_with);
    row.content = fit::to_json(finished);
    Change change("Fit the rendering " + r.name + " of " + request.title, request.title);
    change.update(row);
    return change;
}

std::vector<InForce> in_force(const shoot::Shoot& shoot, const Chain& c) {
    std::vector<InForce> all;
    if (c.correction) all.push_back({c.correction_id, {}, c.correction, c.stretch_id(), c.title});
    for (const KeptRendering& r : renderings_of(shoot, c))
        if (r.stale.empty() && r.correction) all.push_back({r.row, r.name, r.correction, c.stretch_id(), c.title});
    return all;
}

std::string proposed_name(const InForce& by) {
    std::string title = by.title, taken;
    if (title.empty()) title = handover::title_of(*by.correction); // with the day
    else if (!by.correction->sources.empty()) taken = by.correction->sources.front().metadata.taken.substr(0, 10);
    if (!taken.empty()) title += ", " + taken;
    if (!by.stretch.empty()) title += (taken.empty() ? ", " : " ") + by.stretch;
    return with_rendering(title, by.rendering);
}

HandedOver write_rendering(const InForce& by, const std::string& format, handover::Options options,
                           const std::filesystem::path& file) {
    if (options.name.empty()) options.name = proposed_name(by);
    HandedOver handed = write_file(*by.correction, format, options, file);
    handed.correction = by.rendering.empty() ? 0 : by.row;
    return handed;
}

std::string with_rendering(const std::string& title, const std::string& rendering) {
    return rendering.empty() ? title : title + ", " + rendering;
}

} // namespace refero::operations
