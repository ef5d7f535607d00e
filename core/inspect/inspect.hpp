// The gate: is a chart shot good enough to make a correction from, and if not, what is to be done about it.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/names.hpp"
#include "read/read.hpp"

namespace refero::inspect {

/// In order of gravity. Unknown: this frame holds no evidence for the check; never an alarm.
enum class Status { unknown, pass, caution, reshoot };
inline constexpr auto names(Status) { return std::array{"unknown", "pass", "caution", "reshoot"}; }
inline constexpr Status when_unknown(Status) { return Status::reshoot; } ///< the gravest
inline bool is_alarm(Status s) { return s >= Status::caution; }

/// What the gate looks at; docs/methods.md, Gate.
enum class Check {
    found,
    size,
    tilt,
    rotation,
    focus,
    clipping,
    underexposure,
    evenness,
    shadow,
    glare,
    occlusion,
    reference,
    mixed_light,
    mirrored,
    recording,
    noise,
    other ///< of a newer version
};
inline constexpr auto names(Check) {
    return std::array{"found",         "size",     "tilt",      "rotation", "focus",     "clipping",
                      "underexposure", "evenness", "shadow",    "glare",    "occlusion", "reference",
                      "mixed_light",   "mirrored", "recording", "noise",    "other"};
}
inline constexpr Check when_unknown(Check) { return Check::other; }
using refero::name_of;
using refero::named;

/// One check's outcome. Every check gives one, passes included.
struct Finding {
    Check check = Check::other;
    Status status = Status::pass;
    double value = 0, limit = 0; ///< the limit that was passed, or the one that would have been the first
    std::string unit;
    std::vector<std::string> patches; ///< where it shows; may be empty
    std::string advice;               ///< one sentence that someone on set can act on; empty for a pass
};

/// From where on a check cautions and refuses.
struct Limit {
    double caution = 0, reshoot = 0;
    std::string unit, reason;
    bool lower = false;  ///< smaller values are worse
    bool larger = false; ///< of two angles the larger is judged
};
/// By check, or check and aspect ("size pixels"); docs/methods.md, Gate, lists them.
using Limits = std::map<std::string, Limit>;

/// What a school asks for.
struct School {
    bool fill = false;        ///< the chart fills the frame, else covers about a tenth of it
    bool strict_turn = false; ///< a turned chart is refused, else a slight turn is fine
};
Limits limits_for(const School& school);
/// Changes limits from JSON text: {"tilt": {"caution": 10, "reshoot": 20}}. Throws Error(input) for unknown names.
void change_limits(Limits& limits, const std::string& json, const std::filesystem::path& file);

/// The light across each patch, from its pixels.
struct PatchPixels {
    struct Block {
        double x, y;      ///< of its centre, -0.5 to 0.5 across the chart
        double light;     ///< natural logarithm of the mean of its channels, less the patch's mean of that
        colour::Vec3 log; ///< the same of each channel
    };
    std::vector<Block> blocks;
    bool coloured = true;                     ///< every channel says something
    double block_width = 0, block_height = 0; ///< shares of the chart's
};
/// By patch of the definition; no blocks where too few pixels, a clipped channel or darkness tell nothing.
std::vector<PatchPixels> pixels_of(const frame::Frame& frame, const find::Placement& placement,
                                   const chart::Definition& definition, double blur_px);

/// The strip between two neighbouring patches.
struct Gap {
    std::size_t one, other;          ///< patches of the definition
    std::vector<colour::Vec3> lines; ///< means along it, the middle first; others where the placement is a little off
    struct Spot {
        double x, y; ///< -0.5 to 0.5 across the chart
        colour::Vec3 rgb;
    };
    std::vector<Spot> spots; ///< along its middle
};
/// All that are wide enough for their pixels to be their own.
std::vector<Gap> gaps_of(const frame::Frame& frame, const find::Placement& placement,
                         const chart::Definition& definition, double blur_px);

/// What a frame's pixels show of a chart besides its patches' means.
struct ChartPixels {
    std::vector<PatchPixels> patches;
    std::vector<Gap> gaps;
};

/// What light and camera make of the chart, and what they do not explain. Uncertainties are standard ones and allow for
/// what is not known of camera, light, style and chart.
struct Explained {
    bool usable = false;                       ///< enough patches with a reference
    colour::Vec3 white = colour::Vec3::Zero(); ///< signal of the perfect diffuser in the middle of the chart
    colour::Vec3 veil = colour::Vec3::Zero();  ///< light added to every patch
    double veil_sd = 0;                        ///< of its mean
    double level = 0;                          ///< mean of `white`
    double slope_x = 0, slope_y = 0;           ///< of the light, stops across the chart's width and height
    double slope_sd = 0;                       ///< of both together
    double step = 0;                           ///< of a shadow, stops; 0: none
    double step_angle_deg = 0,
           step_at = 0;           ///< shadow where x cos + y sin > step_at, x and y from -0.5 to 0.5 across the chart
    std::vector<double> light;    ///< log2 of the light on each patch over the chart's middle; NaN where not usable
    std::vector<double> excess;   ///< log2 of measured over explained signal, by patch; NaN where not usable
    std::vector<double> residual; ///< relative colour residual, by patch; NaN where not usable
    std::vector<double> residual_sd;    ///< its uncertainty: what the other patches do not foretell
    std::vector<colour::Vec3> expected; ///< camera RGB as the other patches foretell it; NaN without a reference
    double warm_x = 0, warm_y = 0, warm_sd = 0, ///< slopes of log2 R/B across the chart
        green_x = 0, green_y = 0, green_sd = 0; ///< and of log2 G over the mean of R and B
};
/// `finished`: the values went through a picture style. Without pixels the patches' means alone tell.
Explained explain(const read::Reading& reading, const chart::Definition& definition, const chart::Reference& reference,
                  bool finished = false, const ChartPixels* pixels = nullptr);

/// A verdict, and what it rests on.
struct Judgement {
    Status verdict = Status::pass;
    std::vector<Finding> findings; ///< the most important first
    Explained light;               ///< by pixels and means; a repair takes out what this says
};

/// Patches of a reading that no plausible camera and light explain, the worst first. Without a definition light is
/// taken for even.
std::vector<std::string> odd_patches(const read::Reading& reading, const chart::Reference& reference,
                                     const chart::Definition* definition, bool finished);

/// Width of the lens's and focus's blur on the chart (standard deviation, full-size pixels); NaN where no edge tells
/// it.
double blur_px(const frame::Frame& frame, const find::Placement& placement, const chart::Definition& definition);

/// Status of a check among findings; unknown where it is not among them.
Status status_of(const std::vector<Finding>& findings, Check check);
/// The verdict on a chart shot that was found.
Judgement judge(const frame::Frame& frame, const find::Placement& placement, const read::Reading& reading,
                const chart::Definition& definition, const chart::Reference& reference, const Limits& limits);
/// By how much the neutrals of two shots of one chart differ in red or blue against green, percent, the larger one; NaN
/// where one has no usable neutral.
double wandered_percent(const read::Reading& a, const read::Reading& b, const chart::Definition& definition);

/// Patches that the edge of a shadow touches.
std::vector<std::string> crossed_by_shadow(const chart::Definition& definition, const Explained& light);

/// A reading with what the gate found taken out of it, as far as that goes, and how.
struct Repair {
    read::Reading reading;
    std::vector<std::string> left_out; ///< patches that the gate names: no fit may use them
    std::vector<std::string> words;    ///< a sentence each; empty: nothing to repair
};
/// Patches that the gate's findings name are left out; of a shadow that leaves too few in the light, those in the
/// light. In raw frames the light's slope is divided out and stray light subtracted, as `light`, the gate's own
/// explanation, says; a finished picture only loses patches. Findings that pass change nothing. Throws Error(input)
/// when fewer than 8 patches are left to fit to.
Repair repaired(const read::Reading& reading, const chart::Definition& definition, const chart::Reference& reference,
                const std::vector<Finding>& findings, const Explained& light, bool finished);

/// The verdict on a frame in which no chart was found: reshoot, with the finding `found` and what to do about it, and
/// `clipping` or `underexposure` where that hides what there is.
Judgement no_chart(const find::Hidden& hidden = {});

} // namespace refero::inspect
