// Clips looked through: where they show a chart best.
#pragma once

#include "frame/clip.hpp"
#include "operations/correct/pipeline.hpp"

namespace refero::operations {

/// A still of a clip that shows a chart.
struct ChartStill {
    double position_s = 0;
    find::Placement placement;
    double blur = 0;                   ///< standard deviation, share of a patch's shorter side; NaN where no edge tells
    double clipped = 0;                ///< share of the patches that are clipped
    double fault = 0;                  ///< how far it is from a sharp, straight, unclipped one: smaller is better
    frame::ClipReader::Kept kept = {}; ///< the picture, of the best ones of a short clip; else empty
};

/// Those that a look through the clip finds, best first. A clip of up to ten seconds is decoded once and the chart
/// followed from picture to picture; of longer ones the neighbourhoods of the best ones are looked at more closely.
/// Empty where none shows a chart. Throws Error(input) for a clip that cannot be read.
std::vector<ChartStill> chart_stills(const std::filesystem::path& file, const ShotOptions& options,
                                     const Progress& progress = {}, std::stop_token stop = {});

/// A still with the gate's verdict on it: a hand or a shadow shows in no edge.
struct JudgedStill {
    ChartStill still;
    inspect::Judgement judgement;
    MeasuredShot shot; ///< with its frame
};
/// The best of these, some time apart, as the gate sees them; in the order of the stills; `until_pass`: up
/// to the first that passes.
std::vector<JudgedStill> judged_stills(const std::filesystem::path& file, const std::vector<ChartStill>& stills,
                                       const ShotOptions& options, const inspect::Limits& limits, std::size_t most,
                                       std::stop_token stop = {}, bool until_pass = false);
/// Of the best of them the one that the gate likes most; none of none.
std::optional<JudgedStill> best_still(const std::filesystem::path& file, const std::vector<ChartStill>& stills,
                                      const ShotOptions& options, const inspect::Limits& limits,
                                      std::stop_token stop = {});
/// The first of the judged ones that none has a better verdict than; null of none.
const JudgedStill* best_of(const std::vector<JudgedStill>& stills);

/// Where a clip shows the chart, s: the position that is told, else where it shows it best, else early in it. 0 for
/// files that are no clips.
double showing_s(const std::filesystem::path& file, const ShotOptions& options, std::stop_token stop = {});

/// The frame, of a clip the still that showing_s tells.
frame::Frame frame_showing(const std::filesystem::path& file, const ShotOptions& options, std::stop_token stop = {});

/// Up to three shots of a clip where the gate likes the chart as well as anywhere, half a second apart and more, for
/// averaging, judged with the usual limits; else the one that take_shot takes. Errors as there.
std::vector<JudgedStill> shots_showing(const std::filesystem::path& file, const ShotOptions& options,
                                       std::stop_token stop = {});

} // namespace refero::operations
