// Rows and columns of the board: cameras with lens and mode, and lights.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/records.hpp"

namespace refero::shoot {

/// Camera + lens + recording mode: a row of the board.
struct Rig {
    Id camera = 0, lens = 0, mode = 0;
    bool operator==(const Rig&) const = default;
};
/// In the order of the cameras' positions.
std::vector<Rig> rigs(const Shoot& shoot);
/// In the order of their positions.
std::vector<Id> lights_in_order(const Shoot& shoot);
/// The setup of a rig and a light, or null.
const SetupRecord* setup_at(const Shoot& shoot, const Rig& rig, Id light);
/// "Stills A, Window".
std::string title_of(const Shoot& shoot, const SetupRecord& setup);
/// How the light's kind is spoken of.
std::string words_for(LightKind kind);
/// "daylight", "shade", "tungsten", "fluorescent", "flash": fallbacks are kept for these. LEDs and what else has no
/// common colour have none.
std::optional<LightKind> fallback_kind(LightKind kind);

} // namespace refero::shoot
