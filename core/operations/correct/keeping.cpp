#include "operations/correct/keeping.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"

namespace refero::operations {

using shoot::Change;
using shoot::Id;

Change keep_in_kit(const shoot::Shoot& shoot, const shoot::Kit& kit) {
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

Kept keep_fallback(const shoot::Shoot& shoot, const shoot::Kit& kit, const Chain& chain) {
    const shoot::LightRecord* light = shoot::record(shoot.lights, chain.row.light);
    if (!chain.correction_id || !chain.correction || !light || !shoot::fallback_kind(light->kind)) return {};
    const shoot::FallbackRecord f{.uid = new_uid(),
                                  .camera = shoot::name_in(shoot.cameras, chain.row.camera),
                                  .kind = *shoot::fallback_kind(light->kind),
                                  .made = chain.correction->made,
                                  .content = chain.correction_content};
    const std::string title = "Fallback " + f.camera + ", " + shoot::words_for(f.kind);
    const auto rows = [&](const std::vector<shoot::FallbackRecord>& list, const std::string& about) {
        Change c(title, about);
        for (const shoot::FallbackRecord& old : list)
            if (old.camera == f.camera && shoot::fallback_kind(old.kind) == f.kind)
                c.remove<shoot::FallbackRecord>(old.id);
        c.add(f);
        return c;
    };
    return {rows(kit.fallbacks, {}), rows(shoot.fallbacks, chain.title)};
}

Change remember_light(const shoot::Shoot& shoot, const shoot::Kit& kit, Id chart_shot) {
    const shoot::ChartShotRecord* shot = shoot::record(shoot.chart_shots, chart_shot);
    const shoot::SetupRecord* setup = shot ? shoot::record(shoot.setups, shot->setup) : nullptr;
    const shoot::FrameRecord* frame = shot ? shoot::record(shoot.frames, shot->frame) : nullptr;
    const shoot::LightRecord* light = setup ? shoot::record(shoot.lights, setup->light) : nullptr;
    if (!light || !frame || light->uid.empty() || shot->kelvin <= 0 || !shoot::refusal(shoot, *shot).empty()) return {};
    const std::string source = shoot.brief().title + ", " + std::filesystem::path(frame->path).filename().string();
    for (const shoot::LightRecord& l : kit.lights) {
        if (l.uid != light->uid) continue;
        for (const shoot::LightReadingRecord& r : kit.light_readings)
            if (r.light == l.id && r.source == source) return {};
        Change c(l.name + " measured", l.name);
        c.add(shoot::LightReadingRecord{.light = l.id,
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

Change keep_for_series(const shoot::Shoot& shoot, const shoot::Kit& kit, const Chain& chain,
                       const std::filesystem::path& job_file) {
    const shoot::JobSettingsRecord& brief = shoot.brief();
    if (brief.client.empty() || !chain.correction_id || chain.balance_only()) return {};
    shoot::SeriesShotRecord shot{.client = brief.client,
                                 .job = brief.title,
                                 .job_file = job_file.string(),
                                 .camera = shoot::name_in(shoot.cameras, chain.row.camera),
                                 .lens = shoot::name_in(shoot.lenses, chain.row.lens),
                                 .mode = shoot::name_in(shoot.modes, chain.row.mode),
                                 .light = chain.light_name,
                                 .taken = chain.chart_frame.taken,
                                 .content = chain.correction_content};
    if (chain.light) {
        shot.kelvin = chain.light->kelvin;
        shot.duv = chain.light->duv;
    }
    for (const shoot::SeriesShotRecord& k : kit.series)
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

Change keep_grade(const shoot::CardRecord& card, const std::string& words) {
    shoot::CardRecord graded = card;
    graded.condition += (graded.condition.empty() ? "" : "; ") + words;
    graded.compared = utc_now().substr(0, 10);
    return shoot::put("Grade " + card.name + ": " + words, graded, card.name);
}

std::string house_limits(const shoot::Kit& kit) {
    return kit.houses.empty() ? std::string() : kit.houses.front().limits;
}

Change set_limits(const shoot::Kit& kit, const std::string& limits) {
    Change c("The gate's limits");
    if (kit.houses.empty()) c.add(shoot::HouseRecord{.limits = limits});
    else {
        shoot::HouseRecord house = kit.houses.front();
        house.limits = limits;
        c.update(house);
    }
    return c;
}

Change set_limits(const shoot::Shoot& shoot, const std::string& limits) {
    shoot::JobSettingsRecord brief = shoot.brief();
    brief.limits = limits;
    return shoot::put("The gate's limits", brief);
}

} // namespace refero::operations
