// Tasks of practice made: their frames, judged by the real gate; and plans rehearsed.
#pragma once

#include "operations/correct/pipeline.hpp"
#include "practice/practice.hpp"

namespace refero::operations {

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
    practice::Task task;
    std::vector<PracticeFrame> frames; ///< of its shots
    int drawn = 1;                     ///< seeds that were tried until the gate agreed with the task
};
/// The gate says of a frame what the task says of it.
bool agrees(const practice::Task& task, const practice::Shot& shot, const PracticeFrame& frame);
/// A task whose frames the gate judges as the task says: other seeds are tried until it does.
PracticeTask prepare(practice::Kind kind, int level, std::uint64_t seed, const std::string& about = {},
                     std::stop_token stop = {});

/// What is thought of being bought or hired.
struct Thought {
    std::array<colour::Spectrum, 3> sensitivity;           ///< of the camera: R G B, relative
    colour::Spectrum light;                                ///< relative power
    colour::Spectrum lens = colour::Spectrum::constant(1); ///< transmittance
    std::string chart = "grid24";                          ///< id of a definition with reference values
    std::optional<colour::Spectrum> lending;               ///< light of a chart shot that shall serve here, too
    std::vector<colour::Spectrum> surfaces;                ///< own ones, as reflectance factors
};
/// What it would come to: a correction is fitted to the chart and tried on surfaces that it lacks. Throws Error.
practice::Rehearsal rehearse(const Thought& thought, std::stop_token stop = {});
/// Spectra from a table: CSV with the wavelength in nm and then one column for each, or CGATS with SPECTRAL_NM columns
/// and one row for each. Throws Error(input).
std::vector<colour::Spectrum> load_spectra(const std::filesystem::path& file);
/// The same of a camera: R G B.
std::array<colour::Spectrum, 3> load_sensitivities(const std::filesystem::path& file);
/// The same of a lens or of surfaces: shares of what falls on them, at most 1 but for noise.
std::vector<colour::Spectrum> load_shares(const std::filesystem::path& file);

} // namespace refero::operations
