// The one path from files to a correction: each step as a function.
#pragma once

#include "fit/curve.hpp"
#include "inspect/inspect.hpp"
#include "prove/prove.hpp"
#include "shoot/records.hpp"
#include "store/reading.hpp"

namespace refero::operations {

using store::MeasuredShot;

struct ShotOptions {
    std::string chart;                     ///< id or file; empty: every installed definition is tried
    std::optional<chart::Corners> corners; ///< given by hand; needs `chart`
    std::optional<frame::Encoding> encoding;
    double position_s = 0; ///< of the still in a clip; below 0: where a coarse look through it finds the chart
    double clip_code = 1;  ///< see frame::ReadOptions
    bool panels = false; ///< of several charts the one with most colours is the shot's, and the others are kept with it
};

/// Reads the frame, finds the chart and measures it. Throws Error(not_found) when there is no chart.
MeasuredShot take_shot(const std::filesystem::path& file, const ShotOptions& options, const Progress& progress = {},
                       std::stop_token stop = {});

/// The same in a frame that is in memory; `position_s` and `encoding` do not matter. The shot is without its pixels'
/// copy: its frame is empty.
MeasuredShot measure_in(const frame::Frame& frame, const ShotOptions& options, std::stop_token stop = {});

/// The best placement of the chart (or of any installed one) in a frame. Throws Error(not_found).
find::Placement locate(const frame::Frame& frame, const std::string& chart, std::stop_token stop = {});

/// The gate on a shot and the pixels it was measured in; a chart without reference values is judged as far as that
/// goes.
inspect::Judgement judge(const frame::Frame& frame, const MeasuredShot& shot, const inspect::Limits& limits);
/// How the light falls on a shot: as the gate explained it, else by the patches' means.
inspect::Explained light_of(const MeasuredShot& shot, const chart::Reference& reference);
/// Its findings as a job keeps them, and back.
std::vector<shoot::FindingRecord> rows_of(const inspect::Judgement& judgement);
/// Adds to `recording` where the greys of a camera's own picture are not those of another chart shot of its setup:
/// automatic balance wandered between them, or the light did. A raw file's balance is only a tag.
void compare_balance(std::vector<shoot::FindingRecord>& rows, const MeasuredShot& shot, const MeasuredShot& other,
                     const inspect::Limits& limits);
/// Another chart shot of the setup is a witness: patches that an alarm of `occlusion` names and that are off alike
/// there are the card's, the camera's or the picture style's, and no hand's. The finding becomes `unknown` and says so.
void hear_witness(std::vector<shoot::FindingRecord>& rows, const MeasuredShot& shot, const MeasuredShot& other);
std::vector<inspect::Finding> findings_from(const std::vector<shoot::FindingRecord>& rows);

/// A chart's greys as code values, with the shot's exposure where the file tells it: for measuring the tone curve of a
/// camera's own pictures. Throws Error(input) for raw frames.
fit::CurveShot code_shot(const std::filesystem::path& file, const ShotOptions& options, chart::Definition& definition);

/// The encoding that a frame's LUTs have to expect: a name or file, empty for raw and for profiles without a name.
std::string encoding_of(const frame::Frame& frame);
/// The source entry of a correction: file, hash, metadata, placement.
fit::Source source_of(const MeasuredShot& shot);

/// One correction from chart shots of one setup, whose readings are averaged. `findings` are the gate's of each shot,
/// in their order: what they name is repaired or left out, and the correction says so. Throws Error(usage) when the
/// shots are of different charts, Error(input) when too little of one is left. `samples` are two files, readings and
/// reference values of samples of one's own that join in, or none; of `panels` the hues join in.
fit::Correction correct(const std::vector<MeasuredShot>& shots, const chart::Reference& reference,
                        const fit::Settings& settings, std::stop_token stop = {},
                        const std::vector<std::vector<inspect::Finding>>& findings = {},
                        const std::vector<std::filesystem::path>& samples = {},
                        const std::vector<store::Panel>& panels = {});
/// What stands for a panel's patch where ids of several charts meet: "tint-steps:D1".
std::string panel_id(const store::Panel& panel, const std::string& patch);

} // namespace refero::operations
