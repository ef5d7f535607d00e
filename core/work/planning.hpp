// The plan of a shoot changed: cameras, lights, lenses, charts, and the setups that join them.
#pragma once

#include "plan/change.hpp"
#include "plan/plan.hpp"
#include "plan/settings.hpp"

namespace refero::work {

/// What the kit knows under this name, or a new one. A light's kind is told by its name by whoever asks. Throws
/// Error(usage) where the job has one of this name already.
plan::Change add_camera(const plan::Shoot& shoot, const plan::Kit& kit, const std::string& name);
plan::Change add_light(const plan::Shoot& shoot, const plan::Kit& kit, plan::Light fresh);
plan::Change add_lens(const plan::Shoot& shoot, plan::Lens fresh);
plan::Change add_card(const plan::Shoot& shoot, const plan::Kit& kit, const std::string& name);
/// A lens without a name yet: "Lens 3".
plan::Lens unnamed_lens(const plan::Shoot& shoot);

/// Every rig under every light; those that are planned stay as they are.
plan::Change plan_all(const plan::Shoot& shoot, const std::vector<plan::Rig>& rigs,
                      const std::vector<plan::Id>& lights);
plan::Change plan_setup(const plan::Shoot& shoot, const plan::Rig& rig, plan::Id light);
plan::Change take_out(const plan::Shoot& shoot, plan::Id setup);
plan::Change set_balance_only(const plan::Shoot& shoot, plan::Id setup, bool on);
/// The light was changed or re-lit at a time, "YYYY-MM-DDThh:mm:ss".
plan::Change relit(const plan::Light& light, const std::string& at);
/// The place of a light by its name; a new one where the job has none of that name, none for an empty name.
plan::Change set_place(const plan::Shoot& shoot, const plan::Light& light, const std::string& place);
/// Another lens or mode for all setups of a rig.
plan::Change change_rig(const plan::Shoot& shoot, const plan::Rig& rig, const plan::Rig& to, const std::string& what);
/// The same for a lens or mode that is new.
plan::Change change_rig(const plan::Shoot& shoot, const plan::Rig& rig, const plan::Lens& fresh,
                        const std::string& what);
plan::Change change_rig(const plan::Shoot& shoot, const plan::Rig& rig, const plan::Mode& fresh,
                        const std::string& what);

/// What a user decides about a setup's correction, and about its chart shot's corners.
plan::Change change_settings(const plan::Shoot& shoot, plan::Id setup, plan::Id chart_shot,
                             const plan::SetupSettings& settings, const std::string& what);
/// The card that was touched at a place of its frame (none: the middle half of the frame, for a diffuser) is what the
/// setup is balanced on. Throws Error(input) where the spot is clipped, drowned or no single surface.
plan::Change balance_on_card(const plan::Shoot& shoot, const plan::ChartShot& shot, const frame::Frame& frame,
                             const std::optional<chart::Point>& at);
/// Values of the card in hand for all setups that are shot with the setup's card, kept with it; a setup without a card
/// gets one of its own. The kit's copy of the card is brought up to date by the second.
struct BroughtValues {
    plan::Change job, kit;
};
BroughtValues bring_values(const plan::Shoot& shoot, const plan::Kit& kit, plan::Id setup,
                           const chart::Definition& definition, const chart::Reference& values);
plan::Change refuse(const plan::Shoot& shoot, plan::Id chart_shot, const std::string& why);
plan::Change accept(const plan::Shoot& shoot, plan::Id chart_shot);
plan::Change note(const std::string& text);

} // namespace refero::work
