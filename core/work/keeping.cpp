#include "work/keeping.hpp"

namespace refero::work {

using plan::Change;
using plan::Id;

Change keep_in_kit(const plan::Shoot& shoot, const plan::Kit& kit) {
    Change c("Keep what the job uses");
    const auto add_missing = [&](const auto& job, const auto& known) {
        for (auto row : job) {
            if (row.uid.empty() ||
                std::any_of(known.begin(), known.end(), [&](const auto& k) { return k.uid == row.uid; }))
                continue;
            row.id = 0;
            if constexpr (requires { row.silent_lens; }) {
                row.silent_lens = 0;
                row.clock_offset_s = 0;
            }
            if constexpr (requires { row.place; }) row.place = 0;
            c.add(row);
        }
    };
    add_missing(shoot.cameras, kit.cameras);
    add_missing(shoot.lights, kit.lights);
    add_missing(shoot.cards, kit.cards);
    return c;
}

Kept keep_fallback(const plan::Shoot& shoot, const plan::Kit& kit, const Chain& chain) {
    const plan::Light* light = plan::record(shoot.lights, chain.row.light);
    if (!chain.correction_id || !chain.correction || !light || !plan::fallback_kind(light->kind)) return {};
    const plan::Fallback f{.uid = new_uid(),
                           .camera = plan::name_in(shoot.cameras, chain.row.camera),
                           .kind = *plan::fallback_kind(light->kind),
                           .made = chain.correction->made,
                           .content = chain.correction_content};
    const std::string title = "Fallback " + f.camera + ", " + plan::words_for(f.kind);
    const auto rows = [&](const std::vector<plan::Fallback>& list, const std::string& about) {
        Change c(title, about);
        for (const plan::Fallback& old : list)
            if (old.camera == f.camera && plan::fallback_kind(old.kind) == f.kind) c.remove<plan::Fallback>(old.id);
        c.add(f);
        return c;
    };
    return {rows(kit.fallbacks, {}), rows(shoot.fallbacks, chain.title)};
}

Change remember_light(const plan::Shoot& shoot, const plan::Kit& kit, Id chart_shot) {
    const plan::ChartShot* shot = plan::record(shoot.chart_shots, chart_shot);
    const plan::Setup* setup = shot ? plan::record(shoot.setups, shot->setup) : nullptr;
    const plan::Frame* frame = shot ? plan::record(shoot.frames, shot->frame) : nullptr;
    const plan::Light* light = setup ? plan::record(shoot.lights, setup->light) : nullptr;
    if (!light || !frame || light->uid.empty() || shot->kelvin <= 0 || !plan::refusal(shoot, *shot).empty()) return {};
    const std::string source = shoot.brief().title + ", " + std::filesystem::path(frame->path).filename().string();
    for (const plan::Light& l : kit.lights) {
        if (l.uid != light->uid) continue;
        for (const plan::LightReading& r : kit.light_readings)
            if (r.light == l.id && r.source == source) return {};
        Change c(l.name + " measured", l.name);
        c.add(plan::LightReading{.light = l.id,
                                 .at = frame->taken,
                                 .kelvin = shot->kelvin,
                                 .duv = shot->duv,
                                 .power = light->power,
                                 .modifier = light->modifier,
                                 .source = source});
        return c;
    }
    return {};
}

Change keep_for_series(const plan::Shoot& shoot, const plan::Kit& kit, const Chain& chain,
                       const std::filesystem::path& job_file) {
    const plan::Brief& brief = shoot.brief();
    if (brief.client.empty() || !chain.correction_id || chain.balance_only()) return {};
    plan::SeriesShot shot{.client = brief.client,
                          .job = brief.title,
                          .job_file = job_file.string(),
                          .camera = plan::name_in(shoot.cameras, chain.row.camera),
                          .lens = plan::name_in(shoot.lenses, chain.row.lens),
                          .mode = plan::name_in(shoot.modes, chain.row.mode),
                          .light = chain.light_name,
                          .taken = chain.chart_frame.taken,
                          .content = chain.correction_content};
    if (chain.light) {
        shot.kelvin = chain.light->kelvin;
        shot.duv = chain.light->duv;
    }
    for (const plan::SeriesShot& k : kit.series)
        if (k.job_file == shot.job_file && k.camera == shot.camera && k.lens == shot.lens && k.light == shot.light &&
            k.mode == shot.mode) {
            if (k.content == shot.content) return {};
            shot.id = k.id;
        }
    Change c("Keep " + chain.title + " for the series");
    if (shot.id) c.update(shot);
    else c.add(shot);
    return c;
}

Change keep_grade(const plan::Card& card, const std::string& words) {
    plan::Card graded = card;
    graded.condition += (graded.condition.empty() ? "" : "; ") + words;
    graded.compared = utc_now().substr(0, 10);
    return plan::put("Grade " + card.name + ": " + words, graded, card.name);
}

std::string house_limits(const plan::Kit& kit) {
    return kit.houses.empty() ? std::string() : kit.houses.front().limits;
}

Change set_limits(const plan::Kit& kit, const std::string& limits) {
    Change c("The gate's limits");
    if (kit.houses.empty()) c.add(plan::House{.limits = limits});
    else {
        plan::House house = kit.houses.front();
        house.limits = limits;
        c.update(house);
    }
    return c;
}

Change set_limits(const plan::Shoot& shoot, const std::string& limits) {
    plan::Brief brief = shoot.brief();
    brief.limits = limits;
    return plan::put("The gate's limits", brief);
}

} // namespace refero::work
