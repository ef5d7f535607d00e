// Tasks of practice made: their frames, judged by the real gate; and plans rehearsed.
#pragma once

#include "lessons/lessons.hpp"
#include "work/pipeline.hpp"

namespace refero::work {

/// A frame of a task as the program sees it.
struct PracticeFrame {
    frame::Frame frame;
    std::optional<MeasuredShot> shot; ///< none: no chart was found
    inspect::Judgement judgement;
};
/// Throws Error(internal) where there is no room for a scratch file, Error(cancelled).
PracticeFrame make_frame(const simulate::Scene& scene, std::stop_token stop = {});

/// A frame of the scene for the eye alone: small, without noise, not judged.
frame::Frame preview_of(simulate::Scene scene, int width, std::stop_token stop = {});

struct PracticeTask {
    lessons::Task task;
    std::vector<PracticeFrame> frames; ///< of its shots
    int drawn = 1;                     ///< seeds that were tried until the gate agreed with the task
};
/// The gate says of a frame what the task says of it.
bool agrees(const lessons::Task& task, const lessons::Shot& shot, const PracticeFrame& frame);
/// A task whose frames the gate judges as the task says: other seeds are tried until it does.
PracticeTask prepare(lessons::Kind kind, int level, std::uint64_t seed, const std::string& about = {},
                     std::stop_token stop = {});

/// What a camera of the simulator, or one by its sensitivities, would come to under a light: a correction is fitted to
/// the chart and tried on surfaces that it lacks. `chart`: id of a definition with reference values.
lessons::Rehearsal rehearse(const std::array<colour::Spectrum, 3>& sensitivity, const colour::Spectrum& light,
                            const std::string& chart, std::stop_token stop = {});
/// A spectrum from a table of two columns, wavelength in nm and value: CSV, or CGATS with SPECTRAL_NM columns. Throws
/// Error(input).
colour::Spectrum load_spectrum(const std::filesystem::path& file);

} // namespace refero::work
