#include "operations/capture/planning.hpp"

#include "chart/measured.hpp"

#include <array>

#include "operations/internal/wording.hpp"
#include "shoot/board.hpp"

namespace refero::operations {

using shoot::Change;
using shoot::Id;

namespace {

template<class T>
const T* named(const std::vector<T>& list, const std::string& name) {
    const auto at =
        std::find_if(list.begin(), list.end(), [&](const T& row) { return to_lower(row.name) == to_lower(name); });
    return at == list.end() ? nullptr : &*at;
}

template<class T>
void refuse_known(const std::vector<T>& list, const std::string& name) {
    if (named(list, name)) throw Error(ErrorKind::usage, name + " is in the plan already", {}, "Choose another name");
}

Change adding(const std::string& name) { return Change("Add " + name, name); }

} // namespace

Change add_camera(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::string& name) {
    refuse_known(shoot.cameras, name);
    shoot::CameraRecord camera{.uid = new_uid(), .name = name};
    if (const shoot::CameraRecord* known = named(kit.cameras, name)) camera = *known;
    camera.id = 0;
    camera.silent_lens = 0;
    camera.position = static_cast<int>(shoot.cameras.size());
    Change c = adding(name);
    c.add(camera);
    if (shoot.modes.empty()) c.add(shoot::ModeRecord{.name = "raw"});
    return c;
}

Change add_light(const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::LightRecord light) {
    refuse_known(shoot.lights, light.name);
    light.uid = new_uid();
    if (const shoot::LightRecord* known = named(kit.lights, light.name)) light = *known;
    light.id = 0;
    light.place = 0;
    light.position = static_cast<int>(shoot.lights.size());
    Change c = adding(light.name);
    c.add(light);
    return c;
}

Change add_lens(const shoot::Shoot& shoot, shoot::LensRecord lens) {
    refuse_known(shoot.lenses, lens.name);
    lens.id = 0;
    lens.uid = new_uid();
    Change c = adding(lens.name);
    c.add(lens);
    return c;
}

Change add_card(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::string& name) {
    refuse_known(shoot.cards, name);
    shoot::CardRecord card{.uid = new_uid(), .name = name, .definition = "grid24", .width_mm = 203, .height_mm = 132};
    if (const shoot::CardRecord* known = named(kit.cards, name)) card = *known;
    card.id = 0;
    Change c = adding(name);
    c.add(card);
    return c;
}

shoot::LensRecord unnamed_lens(const shoot::Shoot& shoot) {
    return {.uid = new_uid(), .name = "Lens " + std::to_string(shoot.lenses.size() + 1)};
}

Change plan_all(const shoot::Shoot& shoot, const std::vector<shoot::Rig>& rigs, const std::vector<Id>& lights) {
    Change c("Plan all combinations");
    for (const shoot::Rig& r : rigs)
        for (const Id light : lights)
            if (r.mode && !shoot::setup_at(shoot, r, light))
                c.add(shoot::SetupRecord{.camera = r.camera, .lens = r.lens, .mode = r.mode, .light = light});
    return c;
}

Change plan_setup(const shoot::Shoot& shoot, const shoot::Rig& r, Id light) {
    if (shoot::setup_at(shoot, r, light)) return {};
    Change c("Plan " + shoot::name_in(shoot.cameras, r.camera) + ", " + shoot::name_in(shoot.lights, light));
    c.add(shoot::SetupRecord{.camera = r.camera, .lens = r.lens, .mode = r.mode, .light = light});
    return c;
}

Change take_out(const shoot::Shoot& shoot, Id setup) {
    Change c("Take " + title_of(shoot, setup) + " out of the plan");
    c.remove<shoot::SetupRecord>(setup);
    return c;
}

Change set_balance_only(const shoot::Shoot& shoot, Id setup, bool on) {
    const shoot::SetupRecord* row = shoot::record(shoot.setups, setup);
    if (!row) return {};
    shoot::SetupRecord changed = *row;
    changed.balance_only = on;
    return shoot::put((on ? "Balance only: " : "Thorough: ") + title_of(shoot, setup), changed, title_of(shoot, setup));
}

Change relit(const shoot::LightRecord& light, const std::string& at) {
    shoot::LightRecord changed = light;
    changed.changed = at;
    return shoot::put(light.name + " changed or re-lit", changed, light.name);
}

Change set_place(const shoot::Shoot& shoot, const shoot::LightRecord& light, const std::string& place) {
    shoot::LightRecord changed = light;
    const shoot::PlaceRecord* known = named(shoot.places, place);
    if (known || place.empty()) changed.place = known ? known->id : 0;
    if (changed.place == light.place && (known || place.empty())) return {};
    Change c(light.name + ": place", light.name);
    if (!known && !place.empty()) changed.place = c.add(shoot::PlaceRecord{.name = place});
    c.update(changed);
    return c;
}

namespace {

Change changed_rig(Change c, const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::Rig& to) {
    for (shoot::SetupRecord s : shoot.setups)
        if (shoot::Rig{s.camera, s.lens, s.mode} == rig) {
            s.lens = to.lens;
            s.mode = to.mode;
            c.update(s);
        }
    return c;
}

} // namespace

Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::Rig& to, const std::string& what) {
    return changed_rig(Change(what), shoot, rig, to);
}

Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::LensRecord& fresh,
                  const std::string& what) {
    Change c(what);
    const Id lens = c.add(fresh);
    return changed_rig(std::move(c), shoot, rig, {rig.camera, lens, rig.mode});
}

Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::ModeRecord& fresh,
                  const std::string& what) {
    Change c(what);
    const Id mode = c.add(fresh);
    return changed_rig(std::move(c), shoot, rig, {rig.camera, rig.lens, mode});
}

namespace {

/// The definition of a setup's card: its own where that has one surface, else by its kind.
std::string card_definition(const shoot::Shoot& shoot, const shoot::SetupRecord& setup) {
    const shoot::CardRecord* card = shoot::record(shoot.cards, setup.card);
    if (card && !card->definition.empty()) try {
            if (chart::find_definition(card->definition).patches.size() == 1) return card->definition;
        } catch (const Error&) { // it is not installed here
        }
    return card && card->kind == shoot::CardKind::white_card ? "white-card" : "grey-card";
}

} // namespace

Change change_settings(const shoot::Shoot& shoot, Id setup, Id chart_shot, const shoot::SetupSettings& settings,
                       const std::string& what) {
    const shoot::SetupRecord* row = shoot::record(shoot.setups, setup);
    if (!row) return {};
    const shoot::ChartShotRecord* shot = shoot::record(shoot.chart_shots, chart_shot);
    Change c(what, title_of(shoot, setup));
    shoot::SetupRecord changed = *row;
    changed.settings = shoot::text_of(settings);
    c.update(changed);
    if (shot && (shot->chart != settings.chart || shot->corners != shoot::text_of(settings.corners))) {
        shoot::ChartShotRecord moved = *shot;
        moved.chart = settings.chart;
        moved.corners = shoot::text_of(settings.corners);
        moved.problem.clear();
        c.update(moved);
    }
    return c;
}

Change balance_on_card(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot, const frame::Frame& frame,
                       const std::optional<chart::Point>& at) {
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, shot.setup);
    if (!setup) return {};
    const balance::Card seen = at ? balance::card_at(frame, at->x(), at->y()) : balance::card_in_middle(frame);
    if (at) balance::check_single_surface(seen, frame.file);
    shoot::SetupSettings settings = shoot::settings_of(*setup, &shot);
    settings.chart = card_definition(shoot, *setup);
    settings.corners = at ? balance::square_about(frame.full_width, frame.full_height, *at)
                          : balance::middle_half(frame.full_width, frame.full_height);
    settings.white.clear(); // it has but one patch
    return change_settings(shoot, setup->id, shot.id, settings,
                           at ? "Balance on the card" : "Balance on the middle of the frame");
}

BroughtValues bring_values(const shoot::Shoot& shoot, const shoot::Kit& kit, Id setup,
                           const chart::Definition& definition, const chart::Reference& values) {
    const shoot::SetupRecord* row = shoot::record(shoot.setups, setup);
    if (!row) return {};
    const std::string text = chart::cgats_of(values), what = "Values of the card in hand";
    BroughtValues all{Change(what, title_of(shoot, setup)), Change(what)};
    const shoot::CardRecord* known = shoot::record(shoot.cards, row->card);
    shoot::CardRecord card = known && (known->definition.empty() || known->definition == definition.id)
                                 ? *known
                                 : shoot::CardRecord{.uid = new_uid(),
                                                     .name = definition.title + ", own values",
                                                     .width_mm = definition.width_mm,
                                                     .height_mm = definition.height_mm};
    card.definition = definition.id;
    card.measured = text;
    if (card.id) all.job.update(card);
    else card.id = all.job.add(card);
    for (shoot::SetupRecord s : shoot.setups) {
        if (s.id != setup && (!row->card || s.card != card.id)) continue;
        shoot::SetupSettings settings = shoot::settings_of(s, nullptr);
        settings.values = text;
        settings.reference.clear();
        s.settings = shoot::text_of(settings);
        s.card = card.id;
        all.job.update(s);
    }
    const auto in_kit =
        std::find_if(kit.cards.begin(), kit.cards.end(), [&](const shoot::CardRecord& c) { return c.uid == card.uid; });
    if (in_kit != kit.cards.end()) {
        shoot::CardRecord kept = *in_kit;
        kept.definition = definition.id;
        kept.measured = text;
        all.kit.update(kept);
    } else {
        card.id = 0;
        all.kit.add(card);
    }
    return all;
}

Change refuse(const shoot::Shoot& shoot, Id chart_shot, const std::string& why) {
    const shoot::ChartShotRecord* row = shoot::record(shoot.chart_shots, chart_shot);
    if (!row) return {};
    shoot::ChartShotRecord shot = *row;
    shot.accepted = false;
    shot.refused = why.empty() ? "refused by hand" : why;
    return shoot::put("Refuse the chart shot", shot, title_of(shoot, shot.setup));
}

Change accept(const shoot::Shoot& shoot, Id chart_shot) {
    const shoot::ChartShotRecord* row = shoot::record(shoot.chart_shots, chart_shot);
    if (!row) return {};
    shoot::ChartShotRecord shot = *row;
    shot.refused.clear();
    shot.accepted = true;
    return shoot::put("Accept the chart shot", shot, title_of(shoot, shot.setup));
}

Change note(const std::string& text) {
    Change c("Note: " + text);
    c.add(shoot::NoteRecord{.at = utc_now(), .text = text});
    return c;
}

} // namespace refero::operations
