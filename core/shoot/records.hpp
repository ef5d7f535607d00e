// A shoot: what a job holds, as plain records. Each record is one row of the job file (docs/formats.md); records refer
// to each other by id, and a list is sorted by id. Times are "YYYY-MM-DDThh:mm:ss", dates "YYYY-MM-DD"; an empty
// text or 0 means that it is not known, unless said otherwise.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "inspect/inspect.hpp"

namespace refero::shoot {

using Id = std::int64_t; ///< of a record in its list; 0: none

// Choices are kept in the file by their names, in the order of the enumerators.
enum class LightKind { window, sun, shade, tungsten, fluorescent, led, flash, discharge, candle, mixed };
inline constexpr auto names(LightKind) {
    return std::array{"window", "sun",   "shade",     "tungsten", "fluorescent",
                      "led",    "flash", "discharge", "candle",   "mixed"};
}
enum class ModeKind { raw, finished, video };
inline constexpr auto names(ModeKind) { return std::array{"raw", "finished", "video"}; }
enum class CardKind { chart, grey_card, white_card, three_tone };
inline constexpr auto names(CardKind) {
    return std::array{"chart", "grey card", "white balance card", "three-tone card"};
}
enum class LensSchool { each_lens, one_per_camera };
inline constexpr auto names(LensSchool) { return std::array{"strict", "common"}; }
enum class ShareSchool { tenth, fill };
inline constexpr auto names(ShareSchool) { return std::array{"tenth", "fill"}; }
enum class TurnSchool { slight, none }; ///< how far the chart may be turned away
inline constexpr auto names(TurnSchool) { return std::array{"slight", "none"}; }
enum class BalanceSchool { custom, preset, automatic };
inline constexpr auto names(BalanceSchool) { return std::array{"custom", "preset", "automatic"}; }
enum class ExposureSchool { metered, one_over };
inline constexpr auto names(ExposureSchool) { return std::array{"metered", "one over"}; }
/// Which chart shot governs a frame: the last before it, the next after it, the nearest in time, or both neighbours by
/// their distance in time.
enum class StretchSchool { as_job, first, last, nearest, between };
inline constexpr auto names(StretchSchool) { return std::array{"", "first", "last", "nearest", "between"}; }
/// How a chart shot stands to the one before it in its setup.
enum class Joining { by_light, with_the_one_before, apart };
inline constexpr auto names(Joining) { return std::array{"", "joined", "apart"}; }
/// What sets the exposure of developed frames.
enum class FrameExposure {
    automatic, ///< the chart's for frames that were set as the chart shot, else as shot
    chart,     ///< the chart shot's
    as_shot,   ///< the camera's own, times 2^BaselineExposure for DNG
    levelled,  ///< by the camera's settings against the chart shot's
    region     ///< by the region marked for the stretch
};
inline constexpr auto names(FrameExposure) { return std::array{"auto", "chart", "as-shot", "levelled", "region"}; }
enum class FrameKind { ordinary, chart, clip };
inline constexpr auto names(FrameKind) { return std::array{"ordinary", "chart", "clip"}; }

using refero::name_of;
using refero::named;

/// The job as a whole; there is one, with id 1.
struct JobSettingsRecord {
    Id id = 1;
    std::string title = "Untitled job";
    std::string client; ///< jobs of one client form a series
    std::string date;   ///< of the shoot
    LensSchool lens_school = LensSchool::one_per_camera;
    ShareSchool share_school = ShareSchool::tenth;
    TurnSchool turn_school = TurnSchool::slight;
    BalanceSchool balance_school = BalanceSchool::custom;
    ExposureSchool exposure_school = ExposureSchool::metered;
    StretchSchool stretch_school = StretchSchool::nearest;
    FrameExposure frame_exposure = FrameExposure::automatic;
    bool matching = false;  ///< the cameras are to be matched
    bool fallbacks = true;  ///< plan a fallback for each camera and kind of light
    double iso_stops = 2;   ///< from here on a frame's ISO is far from the chart shot's
    double light_days = 30; ///< a correction for the same light is good for so long
    double chart_years = 3; ///< a chart is good for so long
    std::string limits;     ///< of the gate, where they are not the usual ones: JSON, docs/formats.md
    bool operator==(const JobSettingsRecord&) const = default;
};

struct PlaceRecord {
    Id id = 0;
    std::string name, note;
    bool operator==(const PlaceRecord&) const = default;
};

struct CameraRecord {
    Id id = 0;
    std::string uid; ///< the same in the kit and in all jobs
    std::string name;
    std::string model, serial_number, firmware; ///< as its files say
    double sensor_width_mm = 36, sensor_height_mm = 24;
    int width_px = 6000, height_px = 4000;
    double clock_offset_s = 0; ///< add to the camera's time to get the job's
    Id silent_lens = 0;        ///< the lens that leaves no data in the files
    int position = 0;          ///< on the board
    std::string note;
    bool operator==(const CameraRecord&) const = default;
};

struct LensRecord {
    Id id = 0;
    std::string uid, name;
    double focal_mm = 50, focal_max_mm = 50; ///< equal for a fixed focal length
    double f_number = 2.8;                   ///< widest
    double nearest_m = 0.45;                 ///< nearest focus, from the sensor
    bool operator==(const LensRecord&) const = default;
};

/// Recording mode.
struct ModeRecord {
    Id id = 0;
    std::string name;
    ModeKind kind = ModeKind::raw;
    std::string encoding = "linear"; ///< name of a transfer function or a 1D LUT file
    std::string sub_settings;        ///< contrast, saturation, sharpening ...
    double clip_percent = 0; ///< of the code range: what is recorded there and above is clipped; 0: the last code
    bool operator==(const ModeRecord&) const = default;
};

struct LightRecord {
    Id id = 0;
    std::string uid, name;
    LightKind kind = LightKind::window;
    double kelvin = 0; ///< nominal
    std::string power, modifier;
    double age_years = 0;
    Id place = 0;
    std::string spill;   ///< what else falls on the subject: window, lamps, coloured wall
    std::string changed; ///< time at which it was last changed or re-lit
    int position = 0;    ///< on the board
    bool operator==(const LightRecord&) const = default;
};

/// A chart or card as a thing that is owned and ages.
struct CardRecord {
    Id id = 0;
    std::string uid, name;
    CardKind kind = CardKind::chart;
    std::string definition;                   ///< id of the chart definition
    double width_mm = 0, height_mm = 0;       ///< of the patch array, or of the card
    std::string bought, first_used, compared; ///< dates; compared: with a new one, or measured
    double light_hours = 0;
    std::string condition;
    std::string measured; ///< values of this very card, CGATS text; empty: its definition's hold
    bool operator==(const CardRecord&) const = default;
};

/// Camera + lens + recording mode + light: what one correction holds for.
struct SetupRecord {
    Id id = 0;
    Id camera = 0;
    Id lens = 0; ///< none: any lens (common school)
    Id mode = 0, light = 0;
    Id card = 0;               ///< the chart to be shot; none: chosen by size
    bool balance_only = false; ///< whole without a correction
    double f_number = 8;       ///< that the chart is shot at
    double subject_m = 0;      ///< distance of the subject from the sensor; 0: not known
    StretchSchool stretch_school = StretchSchool::as_job;
    bool divided = true; ///< its chart shots divide its time into stretches; else the newest holds for all of it
    std::string note;
    std::string settings; ///< what the user decides about the correction: plan/settings.hpp
    bool operator==(const SetupRecord&) const = default;
};

/// A file that came in: an ordinary frame, a frame of a chart, a clip.
struct FrameRecord {
    Id id = 0;
    std::string path;
    std::int64_t size = 0;
    std::string sha256;
    Id same_as = 0; ///< the frame that this file is a companion or a copy of
    FrameKind kind = FrameKind::ordinary;
    bool raw = false;                             ///< a camera's raw file, by its content
    Id camera = 0, lens = 0, mode = 0, setup = 0; ///< as recognised and assigned
    bool by_hand = false;                         ///< the setup was given by the user
    std::string reason;                           ///< why it belongs there, or to no setup
    std::string problem;                          ///< why it cannot be read, with the remedy
    std::string make, model, serial_number, lens_name;
    std::string taken; ///< the camera's own time, with the fraction of the second where the file tells it
    double exposure_s = 0, f_number = 0, iso = 0, focal_mm = 0;
    bool flash = false;           ///< the flash fired
    double position_s = 0;        ///< clips: where the chart is seen
    double duration_s = 0;        ///< clips
    std::string timecode, reel;   ///< clips: of the first picture; "10:00:00:00"
    double frames_per_second = 0; ///< clips
    double from_s = 0, to_s = 0;  ///< clips: the range that is developed; equal: none is marked
    std::string role;             ///< in an effects set: a name of operations::PlateRole; empty: none
    std::int64_t changed_ns = 0; ///< time of the file's last change when `sha256` was made, ns since 1970; 0: not known
    double as_shot_kelvin = 0;   ///< raw: the light that the camera balanced for; 0: not known
    bool auto_balance = false;   ///< the camera balanced by itself
    std::string style;           ///< picture style, see frame::Metadata; empty: normal, or not told
    bool has_range() const { return to_s > from_s; }
    bool operator==(const FrameRecord&) const = default;
};

/// A frame of the chart in a setup. The latest that is not refused is in force.
struct ChartShotRecord {
    Id id = 0;
    Id setup = 0, frame = 0;
    std::string chart;          ///< id of a definition; empty: any installed one
    std::string corners;        ///< given by hand, "x,y x,y x,y x,y"; empty: found
    std::string refused;        ///< by the user, and why; empty: not refused
    std::string problem;        ///< why it cannot be read
    bool accepted = false;      ///< by the user, whatever the gate says
    double kelvin = 0, duv = 0; ///< of the light, by the chart's neutrals; 0: not known
    double level = 0;           ///< of the light, stops with the camera's settings taken out; 0: not known
    Joining joining = Joining::by_light;
    std::string region; ///< by which the frames of the stretch are evened out: "x,y w,h", full-size pixels; empty: none
    Id region_frame = 0; ///< the frame that the others follow
    bool operator==(const ChartShotRecord&) const = default;
};

struct ReadingRecord {
    Id id = 0;
    Id chart_shot = 0;
    std::string made_from; ///< what the chart shot said when it was measured: chart and corners
    bool page = false;     ///< the chart is a page for balancing
    std::string encoding;  ///< transfer function that the frame was decoded with
    std::string content;   ///< JSON, docs/formats.md
    bool operator==(const ReadingRecord&) const = default;
};

/// One finding of the gate about a chart shot.
struct FindingRecord {
    Id id = 0;
    Id chart_shot = 0;
    inspect::Check check = inspect::Check::other;
    inspect::Status status = inspect::Status::pass;
    double value = 0, limit = 0;
    std::string unit, patches, advice;
    bool operator==(const FindingRecord&) const = default;
};

enum class CorrectionKind {
    plain,        ///< fitted to the setup's chart, or taken from another setup or the kit
    balance_only, ///< a balance and no more
    match,        ///< its target is another setup's rendering: never the setup's own correction
    elsewhere,    ///< brought from a file
    rendering     ///< kept by a name of its own beside the setup's correction
};
inline constexpr auto names(CorrectionKind) {
    return std::array{"plain", "balance only", "match", "elsewhere", "rendering"};
}

/// True for a correction that stands beside its setup's own.
inline constexpr bool stands_beside(CorrectionKind kind) {
    return kind == CorrectionKind::match || kind == CorrectionKind::rendering;
}

struct CorrectionRecord {
    Id id = 0;
    Id setup = 0;
    CorrectionKind kind = CorrectionKind::plain;
    std::string name;                   ///< of a rendering: "web" ...
    Id target = 0;                      ///< of a match: the setup whose rendering it aims at
    Id chart_shot = 0;                  ///< that it was fitted to; none: made elsewhere
    Id taken_from = 0;                  ///< the setup whose correction it is a copy of
    std::string made;                   ///< UTC
    std::string settings;               ///< the setup's and the chart shot's settings when it was fitted
    std::string firmware, sub_settings; ///< of camera and mode at that time
    Id lens = 0;                        ///< of the chart shot
    double iso = 0;                     ///< of the chart shot
    std::string shot_taken;             ///< the job's time of the chart shot
    std::string content;                ///< JSON, docs/formats.md
    bool operator==(const CorrectionRecord&) const = default;
};

struct ProofRecord {
    Id id = 0;
    Id correction = 0;
    Id chart_shot = 0; ///< proved on; none: on its own reading
    std::string made;
    double mean = 0, median = 0, p95 = 0, max = 0; ///< CIEDE2000
    std::string basis;                             ///< "patches left out" or "chart shot"
    bool operator==(const ProofRecord&) const = default;
};

struct HandoverRecord {
    Id id = 0;
    Id setup = 0, correction = 0;
    std::string file, kind, message, made;
    bool operator==(const HandoverRecord&) const = default;
};

/// A file of a handover, as it was written.
struct HandoverFileRecord {
    Id id = 0;
    Id handover = 0;
    std::string name; ///< below the handover's folder; empty: the handover is this one file
    std::int64_t size = 0;
    std::string sha256;
    bool operator==(const HandoverFileRecord&) const = default;
};

struct NoteRecord {
    Id id = 0;
    Id setup = 0;
    std::string at, text;
    bool operator==(const NoteRecord&) const = default;
};

/// A correction that stands in where a setup could not be shot.
struct FallbackRecord {
    Id id = 0;
    std::string uid;
    std::string camera; ///< its name
    LightKind kind = LightKind::window;
    std::string made, content; ///< correction JSON; empty: planned
    bool operator==(const FallbackRecord&) const = default;
};

/// A colour that the job is about: a garment, a brand's red.
struct NamedColourRecord {
    Id id = 0;
    std::string name;
    double x = 0, y = 0, z = 0; ///< aim: XYZ under D50, 2 degrees, Y = 100 for the perfect diffuser
    double uncertainty = 0;     ///< CIEDE2000 radius that holds the true value with 95 %
    std::string spectrum;       ///< reflectance from 380 nm on in steps of 5 nm, with commas between; empty: not known
    std::string source;         ///< where the aim comes from, in words
    bool operator==(const NamedColourRecord&) const = default;
};

/// All that a job holds.
struct Shoot {
    std::vector<JobSettingsRecord> briefs;
    std::vector<PlaceRecord> places;
    std::vector<CameraRecord> cameras;
    std::vector<LensRecord> lenses;
    std::vector<ModeRecord> modes;
    std::vector<LightRecord> lights;
    std::vector<CardRecord> cards;
    std::vector<SetupRecord> setups;
    std::vector<FrameRecord> frames;
    std::vector<ChartShotRecord> chart_shots;
    std::vector<ReadingRecord> readings;
    std::vector<FindingRecord> findings;
    std::vector<CorrectionRecord> corrections;
    std::vector<ProofRecord> proofs;
    std::vector<HandoverRecord> handovers;
    std::vector<HandoverFileRecord> handover_files;
    std::vector<NoteRecord> notes;
    std::vector<FallbackRecord> fallbacks;
    std::vector<NamedColourRecord> colours;

    const JobSettingsRecord& brief() const;
};

/// Calls `f` with each list of a shoot.
template<class S, class F>
requires std::is_same_v<std::remove_const_t<S>, Shoot>
void for_each_list(S& s, F&& f) {
    f(s.briefs);
    f(s.places);
    f(s.cameras);
    f(s.lenses);
    f(s.modes);
    f(s.lights);
    f(s.cards);
    f(s.setups);
    f(s.frames);
    f(s.chart_shots);
    f(s.readings);
    f(s.findings);
    f(s.corrections);
    f(s.proofs);
    f(s.handovers);
    f(s.handover_files);
    f(s.notes);
    f(s.fallbacks);
    f(s.colours);
}

/// A record by id, or null. Lists are sorted by id.
template<class T>
const T* record(const std::vector<T>& list, Id id) {
    const auto at =
        std::lower_bound(list.begin(), list.end(), id, [](const T& row, Id wanted) { return row.id < wanted; });
    return at != list.end() && at->id == id ? &*at : nullptr;
}

/// The name of a record, or nothing for none.
template<class T>
std::string name_in(const std::vector<T>& list, Id id) {
    const T* row = record(list, id);
    return row ? row->name : std::string();
}

} // namespace refero::shoot
