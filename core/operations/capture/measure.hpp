// Chart shots of a job read, measured and judged.
#pragma once

#include <memory>

#include "operations/correct/pipeline.hpp"
#include "shoot/change.hpp"
#include "shoot/records.hpp"
#include "shoot/settings.hpp"

namespace refero::operations {

/// How a frame of a job is read: its code values become light by its mode's curve, unless it is raw.
struct FrameSource {
    std::filesystem::path file;
    std::string sha256;
    std::string encoding; ///< name or 1D LUT file; empty: by the file's own tags
    double position_s = 0;
    double clip_code = 1; ///< see frame::ReadOptions
    int number = 0;       ///< of a still of a range, from 1; else 0
    double to_s = -1;     ///< of a clip that is written as a clip, from `position_s` on: its end; below 0: the clip's
    bool operator==(const FrameSource&) const = default;
};
/// `mode` is of the setup that the frame is looked at in; 0: of the frame's own setup, else of the frame.
FrameSource source_of(const shoot::Shoot& shoot, const shoot::FrameRecord& frame, shoot::Id mode = 0);
/// Throws Error(input).
frame::Frame read(const FrameSource& source, frame::Size size, const Progress& progress = {},
                  std::stop_token stop = {});

/// What is asked for where a setup is balanced on a card and its frame shows no chart.
inline constexpr const char* touch_the_card =
    "Click the card in the picture, or take the middle of the frame for a diffuser";
/// The gate's limits in a job: its school's, with its own in their place.
inspect::Limits limits_of(const shoot::JobSettingsRecord& brief);

/// A chart shot as it was measured; `problem` says why there is no reading.
struct Measured {
    std::shared_ptr<const frame::Frame> frame;
    std::shared_ptr<const MeasuredShot> shot; ///< without pixels
    std::string problem;
    double kelvin = 0, duv = 0; ///< of the light, by the neutrals; 0: not known
    double level = 0;           ///< of the light, see shoot::ChartShotRecord; 0: not known
    std::vector<shoot::FindingRecord> findings;
};
struct MeasureRequest {
    FrameSource source;
    std::string chart;                     ///< empty: any installed one
    std::optional<chart::Corners> corners; ///< needs `chart`
    inspect::Limits limits;
    std::string planned = {}; ///< the chart of the setup's card; empty: none
    bool card = false;        ///< the setup is balanced on a card: a frame without a chart asks for a click on it
};
/// Throws Error(usage) for a chart shot whose frame is not in the job.
MeasureRequest request_for(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot);
/// Of a frame that is in memory already, or read now. Throws Error(input) where it cannot be read.
Measured measure(const MeasureRequest& request, std::shared_ptr<const frame::Frame> frame = {},
                 const Progress& progress = {}, std::stop_token stop = {});

/// What a chart shot says of how it is measured: a reading that was made from something else is out of date.
std::string made_from(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot);
/// The reading of a chart shot that belongs to what it says now, or null.
const shoot::ReadingRecord* reading_of(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot);
/// The same as it was measured. Throws Error(input) where it is damaged.
std::optional<MeasuredShot> measured(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot);

/// Rows of a measurement: reading, findings, the light's colour. What was measured follows from the change before it
/// and is undone together with it.
shoot::Change keep(const shoot::Shoot& shoot, shoot::Id chart_shot, const Measured& measured);
/// What the gate found, and what the setup's first other shot adds to it; of a chart shot that may have a provisional
/// id.
std::vector<shoot::FindingRecord> findings_of(const shoot::Shoot& shoot, shoot::Id setup, shoot::Id chart_shot,
                                              const Measured& measured);

} // namespace refero::operations
