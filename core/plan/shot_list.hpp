// The shot list: what is to be shot under each light, in which order, and with which cautions.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "plan/optics.hpp"

namespace refero::plan {

/// Where grey, white and skin lie in a mode's curve, shares of full scale (waveform and zebra levels / 100).
struct Levels {
    double grey = 0, white = 0, light_skin = 0, dark_skin = 0;
};
/// Luminances 0.18 and 0.90 and those of grid24's skins, through the mode's curve. Throws Error for a curve that is
/// not known.
Levels levels_of(const shoot::ModeRecord& mode, shoot::ExposureSchool school);

struct PlannedShot {
    shoot::Id setup = 0;
    std::string camera, lens, mode; ///< names
    std::string chart;              ///< which one, with its size
    std::string hold;               ///< where and how far away
    std::vector<std::string> hints; ///< exposure, balance, focus
    bool done = false;              ///< shot already and not refused
    bool balance_only = false;
    Holding holding; ///< zeros where a size is not known
};
/// Setups under one light, shot one after the other.
struct LightGroup {
    shoot::Id light = 0;
    std::string title, about; ///< "Window, reading room"; kind, kelvin, power, modifier, spill
    std::vector<std::string> cautions;
    std::vector<PlannedShot> shots;
};
struct ShotList {
    std::string title, date, schools;
    std::vector<std::string> before; ///< to be done first
    std::vector<LightGroup> groups;
    std::vector<std::string> arrangement; ///< for a match: what to put before all cameras
    std::vector<std::string> fallbacks;   ///< "Stills A, shade"
    int shots() const;
};
/// All setups, grouped by place and light so that nothing is moved twice.
ShotList shot_list(const shoot::Shoot& shoot);
/// One page of plain text with boxes to tick, at most 76 columns.
std::string as_text(const ShotList& list);
/// The usual cautions for a kind of light; one line each.
std::vector<std::string> cautions(shoot::LightKind kind);
/// Pairs of camera and kind of light that have no fallback yet.
std::vector<shoot::FallbackRecord> missing_fallbacks(const shoot::Shoot& shoot);
/// The card that a setup is shot with: its own, else by the subject's distance, else the one nearest to 200 mm wide.
const shoot::CardRecord* card_for(const shoot::Shoot& shoot, const shoot::SetupRecord& setup);

} // namespace refero::plan
