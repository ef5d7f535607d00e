// Planning and keeping a shoot: where charts are held, what is to be shot, what belongs where, what has become stale.
// All functions read a Shoot and change nothing.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "plan/kit.hpp"

namespace refero::plan {

// ---- time -------------------------------------------------------------------------------------------------------

/// Seconds since 1970 of "YYYY-MM-DD" or "YYYY-MM-DDThh:mm:ss", with ".fff" or without, taken as UTC; NaN when it is
/// neither.
double seconds_of(const std::string& time);
/// The fraction of a second that a time tells, 0 to 1; -1 where it tells none.
double fraction_of(const std::string& time);
/// The reverse, "YYYY-MM-DDThh:mm:ss".
std::string time_of(double seconds);
/// A frame's time by the job's clock: the camera's own with its offset; NaN when it is not known.
double time_in_job(const Shoot& shoot, const Frame& frame);

// ---- rows of the board ------------------------------------------------------------------------------------------

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
const Setup* setup_at(const Shoot& shoot, const Rig& rig, Id light);
/// "Stills A, Window".
std::string title_of(const Shoot& shoot, const Setup& setup);
/// How the light's kind is spoken of.
std::string words_for(LightKind kind);
/// "daylight", "shade", "tungsten", "fluorescent", "flash": fallbacks are kept for these. LEDs and what else has no
/// common colour have none.
std::optional<LightKind> fallback_kind(LightKind kind);

// ---- optics of a chart in front of a camera -----------------------------------------------------------------------

/// Distance of the subject from the lens for a magnification (image over object size), thin lens: f (1 + 1/m), in mm.
double thin_lens_distance_mm(double focal_mm, double magnification);

/// Nearest and farthest distance from the lens in acceptable focus, in mm; the farthest may be infinite.
/// docs/methods.md, Depth of field. `confusion_mm` is the diameter of the circle of confusion on the sensor.
struct DepthOfField {
    double near_mm = 0, far_mm = 0;
};
DepthOfField depth_of_field(double focal_mm, double f_number, double distance_mm, double confusion_mm);
/// Sensor diagonal / 1500, common practice (0.029 mm on 36 x 24 mm).
double confusion_mm(const Camera& camera);

/// How a chart is held so that it covers a share of the frame.
struct Holding {
    double share = 0; ///< of the frame's area
    double magnification = 0;
    double distance_mm = 0;    ///< from the lens (thin lens)
    double from_sensor_mm = 0; ///< distance + image distance
    double patch_px = 0;       ///< shorter side of the smallest patch
    DepthOfField depth;
    double largest_tilt_deg = 0; ///< at which the chart's far edges leave the depth of field; 90: none does
    bool too_near = false;       ///< nearer than the lens focuses
};
/// Share of the frame that a school wants: 0.1, or for "fill" what leaves a tenth free along the tighter side.
double wanted_share(const Camera& camera, const Card& card, ShareSchool school);
Holding hold(const Camera& camera, const Lens& lens, const Card& card, double smallest_patch_mm, double f_number,
             double share);
/// Share of the frame that a card covers at a distance from the sensor.
double share_at(const Camera& camera, const Lens& lens, const Card& card, double from_sensor_mm);
/// Shorter side of the smallest patch of a card, mm; of its definition where it is installed, else guessed by its size.
double smallest_patch_mm(const Card& card);

// ---- the shot list ------------------------------------------------------------------------------------------------

/// Where grey, white and skin lie in a mode's curve, shares of full scale (waveform and zebra levels / 100).
struct Levels {
    double grey = 0, white = 0, light_skin = 0, dark_skin = 0;
};
/// Luminances 0.18 and 0.90 and those of grid24's skins, through the mode's curve. Throws Error for a curve that is
/// not known.
Levels levels_of(const Mode& mode, ExposureSchool school);

struct PlannedShot {
    Id setup = 0;
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
    Id light = 0;
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
ShotList shot_list(const Shoot& shoot);
/// One page of plain text with boxes to tick, at most 76 columns.
std::string as_text(const ShotList& list);
/// The usual cautions for a kind of light; one line each.
std::vector<std::string> cautions(LightKind kind);
/// Pairs of camera and kind of light that have no fallback yet.
std::vector<Fallback> missing_fallbacks(const Shoot& shoot);
/// The card that a setup is shot with: its own, else by the subject's distance, else the one nearest to 200 mm wide.
const Card* card_for(const Shoot& shoot, const Setup& setup);
/// "2026-05-04" and so on: the last day on which a card is good; empty when it was never used or compared.
std::string good_until(const Card& card, double years);

// ---- where frames belong --------------------------------------------------------------------------------------------

struct Recognition {
    Id camera = 0, lens = 0, mode = 0;
    bool asks_for_lens = false; ///< the camera is known, the file names no lens and none was given yet
};
Recognition recognise(const Shoot& shoot, const Frame& frame);
/// The frame that this one is a companion (raw and JPEG of one exposure) or a copy of; 0: none. Companions are of one
/// body, one moment (to the second, and its fraction where both tell it) and one name before the extension.
Id companion_of(const Shoot& shoot, const Frame& frame);

struct Assignment {
    Id setup = 0;
    std::string reason;
};
/// A frame of the chart: by rig, by the light's measured colour (0: not known), by flash, by the order of the list.
Assignment assign_chart(const Shoot& shoot, const Frame& frame, double kelvin);
/// An ordinary frame: the latest chart shot before it in the same rig, or the next after it.
Assignment assign_ordinary(const Shoot& shoot, const Frame& frame);
/// Ordinary frames, not assigned by hand, whose assignment would be another now.
struct Move {
    Id frame = 0;
    Assignment to;
    Recognition as; ///< where its camera was not known; else as it was
};
std::vector<Move> moves(const Shoot& shoot);

// ---- what a setup has come to ---------------------------------------------------------------------------------------

/// The records in force of one setup; null where there is none.
struct Evidence {
    const ChartShot* shot = nullptr;    ///< the latest that is not refused
    const ChartShot* refused = nullptr; ///< the latest refused one, when there is no other
    const Frame* frame = nullptr;       ///< of the one or the other
    const Reading* reading = nullptr;
    const Correction* correction = nullptr;
    const Proof* proof = nullptr;
    std::vector<const Handover*> handovers;
};
Evidence evidence(const Shoot& shoot, Id setup);
/// Why a chart shot is of no use, or nothing: refused by the user, unreadable, or a finding says reshoot.
std::string refusal(const Shoot& shoot, const ChartShot& shot);

struct Staleness {
    std::string rule; ///< light, lens, mode, firmware, iso, age, chart, refused, settings, newer
    std::string why, remedy;
    bool operator==(const Staleness&) const = default;
};
/// Why the correction in force no longer holds; empty when it does, there is none, or it was taken from another setup.
std::vector<Staleness> staleness(const Shoot& shoot, Id setup);

enum class State { to_shoot, refused, shot, read, corrected, proved, handed_over, stale };
inline constexpr auto names(State) {
    return std::array{"to shoot", "refused", "shot", "read", "corrected", "proved", "handed over", "stale"};
}
State state_of(const Shoot& shoot, Id setup);

/// All of that for every setup, in the order of the setups, in one pass over the frames.
struct Standing {
    Evidence evidence;
    std::vector<Staleness> stale;
    State state = State::to_shoot;
};
std::vector<Standing> standings(const Shoot& shoot);

} // namespace refero::plan
