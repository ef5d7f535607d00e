// Corrections made, proved, lent and kept: each step gives the rows to write.
#pragma once

#include "operations/correct/chain.hpp"

namespace refero::operations {

/// All that a fit needs, as plain values: it can run beside whatever else is done with the job.
struct FitRequest {
    shoot::Id setup = 0, chart_shot = 0;
    std::string title, light;
    std::vector<MeasuredShot> shots; ///< the one in force first
    std::vector<std::vector<inspect::Finding>> findings;
    chart::Reference reference;
    fit::Settings settings;
    std::vector<std::filesystem::path> samples;
    std::vector<store::Panel> panels; ///< whose hues join in
    shoot::SetupSettings made_with;
};
/// Throws Error(usage) in words where the setup cannot be fitted now.
FitRequest fit_request(const shoot::Shoot& shoot, const Chain& chain);
/// Throws Error(input), Error(cancelled).
fit::Correction fit(const FitRequest& request, std::stop_token stop = {});
/// Rows of a correction and of the proof on patches left out.
shoot::Change keep(const shoot::Shoot& shoot, const FitRequest& request, const fit::Correction& correction);

/// Chart shots of a setup that are good and show the chart of the one in force: what is averaged.
std::vector<const shoot::ChartShotRecord*> good_shots(const shoot::Shoot& shoot, const Chain& chain);

/// Proves the correction in force on the setup's own chart shot. Throws Error(usage) where there is nothing to prove.
shoot::Change prove(const Chain& chain);
/// Proves on another frame of a chart, scaled to its exposure.
prove::Proof prove_on(const Chain& chain, const FrameSource& source, const Progress& progress = {},
                      std::stop_token stop = {});

/// A copy of one setup's correction for another.
shoot::Change lend(const shoot::Shoot& shoot, shoot::Id from, shoot::Id to);
/// An earlier correction of the setup in force again: a copy of it is the newest.
shoot::Change bring_back(const shoot::Shoot& shoot, shoot::Id setup, shoot::Id correction);
/// The kit's fallback for a setup's camera and kind of light, or null; and a copy of it as the setup's correction.
const shoot::FallbackRecord* fallback_for(const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::Id setup);
shoot::Change take_fallback(const shoot::Shoot& shoot, const shoot::FallbackRecord& fallback, shoot::Id setup);

/// A correction that a setup has kept.
struct Version {
    shoot::Id id = 0;
    std::string made;                ///< UTC
    std::optional<fit::Model> model; ///< none: it cannot be read
    double left_out = 0, here = 0; ///< mean CIEDE2000: cross-validated, and on the reading in force (0: cannot be told)
};
/// Newest first. Reads every one of them: beside the window.
std::vector<Version> versions(const std::vector<shoot::CorrectionRecord>& rows, const Chain& chain);

/// The tone curve of a recording mode from all chart shots of its camera in that mode.
struct CurveRequest {
    shoot::Id mode = 0;
    std::vector<std::pair<std::filesystem::path, double>> stills; ///< and where in a clip, s
    std::string chart;
    chart::Reference reference;
};
/// Throws Error(usage) where there are no frames to measure it from.
CurveRequest curve_request(const shoot::Shoot& shoot, const Chain& chain);
fit::ToneCurve measure_curve(const CurveRequest& request, const Progress& progress = {}, std::stop_token stop = {});

/// One made elsewhere, or the raw file's own rendering, judged on a setup's reading.
struct Judged {
    std::filesystem::path file; ///< empty: the raw file's own rendering
    std::string kind, problem;
    fit::Statistics as_it_is, trimmed_left_out;
    std::string worst; ///< patch, as it is
};
std::vector<Judged> judge_others(const Chain& chain, std::stop_token stop = {});

/// How far from neutral a spot is by the setup's correction (CIELAB, at a lightness of its own). None without a
/// correction.
struct Grade {
    double a = 0, b = 0;
    double chroma() const { return std::hypot(a, b); }
};
std::optional<Grade> grade(const Chain& chain, const std::string& spot);

} // namespace refero::operations
