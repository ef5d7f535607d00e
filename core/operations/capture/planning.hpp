// The plan of a shoot changed: cameras, lights, lenses, charts, and the setups that join them.
#pragma once

#include "shoot/board.hpp"
#include "shoot/change.hpp"
#include "shoot/settings.hpp"

namespace refero::operations {

/// What the kit knows under this name, or a new one. A light's kind is told by its name by whoever asks. Throws
/// Error(usage) where the job has one of this name already.
shoot::Change add_camera(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::string& name);
shoot::Change add_light(const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::LightRecord fresh);
shoot::Change add_lens(const shoot::Shoot& shoot, shoot::LensRecord fresh);
shoot::Change add_card(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::string& name);
/// A lens without a name yet: "Lens 3".
shoot::LensRecord unnamed_lens(const shoot::Shoot& shoot);

/// Every rig under every light; those that are planned stay as they are.
shoot::Change plan_all(const shoot::Shoot& shoot, const std::vector<shoot::Rig>& rigs,
                       const std::vector<shoot::Id>& lights);
shoot::Change plan_setup(const shoot::Shoot& shoot, const shoot::Rig& rig, shoot::Id light);
shoot::Change take_out(const shoot::Shoot& shoot, shoot::Id setup);
shoot::Change set_balance_only(const shoot::Shoot& shoot, shoot::Id setup, bool on);
/// The light was changed or re-lit at a time, "YYYY-MM-DDThh:mm:ss".
shoot::Change relit(const shoot::LightRecord& light, const std::string& at);
/// The place of a light by its name; a new one where the job has none of that name, none for an empty name.
shoot::Change set_place(const shoot::Shoot& shoot, const shoot::LightRecord& light, const std::string& place);
/// Another lens or mode for all setups of a rig.
shoot::Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::Rig& to,
                         const std::string& what);
/// The same for a lens or mode that is new.
shoot::Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::LensRecord& fresh,
                         const std::string& what);
shoot::Change change_rig(const shoot::Shoot& shoot, const shoot::Rig& rig, const shoot::ModeRecord& fresh,
                         const std::string& what);

/// What a user decides about a setup's correction, and about its chart shot's corners.
shoot::Change change_settings(const shoot::Shoot& shoot, shoot::Id setup, shoot::Id chart_shot,
                              const shoot::SetupSettings& settings, const std::string& what);
/// The card that was touched at a place of its frame (none: the middle half of the frame, for a diffuser) is what the
/// setup is balanced on. Throws Error(input) where the spot is clipped, drowned or no single surface.
shoot::Change balance_on_card(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot, const frame::Frame& frame,
                              const std::optional<chart::Point>& at);
/// Values of the card in hand for all setups that are shot with the setup's card, kept with it; a setup without a card
/// gets one of its own. The kit's copy of the card is brought up to date by the second.
struct BroughtValues {
    shoot::Change job, kit;
};
BroughtValues bring_values(const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::Id setup,
                           const chart::Definition& definition, const chart::Reference& values);
shoot::Change refuse(const shoot::Shoot& shoot, shoot::Id chart_shot, const std::string& why);
shoot::Change accept(const shoot::Shoot& shoot, shoot::Id chart_shot);
shoot::Change note(const std::string& text);

} // namespace refero::operations
