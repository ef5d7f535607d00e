// What any plausible camera makes of a chart under any plausible light, and how surely; shared by the sources of this
// room only. docs/methods.md, Gate.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "inspect/inspect.hpp"

namespace refero::inspect {

/// Values with a covariance.
struct Estimate {
    Eigen::VectorXd value;
    Eigen::MatrixXd covariance;
    double sd(Eigen::Index i) const { return std::sqrt(covariance(i, i)); }
};
/// Both at once; where they contradict each other the covariance grows by it (Birge, Phys. Rev. 40, 1932).
Estimate combined(const Estimate& a, const Estimate& b);

/// Patches of a chart as the explanation needs them.
struct Surfaces {
    Eigen::MatrixXd camera; ///< covariance of the signals that plausible cameras give, perfect diffuser about 1; the
                            ///< diffuser itself is the last row and column
    Eigen::VectorXd paint;  ///< how unsure a signal is by the reference alone, relative, for a doubt of 1
    Eigen::MatrixXd style;  ///< covariance of what a picture style does to the logarithm of the signals
    Eigen::VectorXd y;      ///< luminance
};
/// Of patches with these tristimulus values (D50, Y = 1) and, where they were measured, spectra (else null).
Surfaces surfaces_of(const std::vector<colour::Vec3>& xyz, const std::vector<const colour::Spectrum*>& spectra);

/// What is not known beforehand of camera, light and chart.
struct Freedom {
    double camera = 1;   ///< how much less smooth than usual camera times light may be
    double paint = 0.03; ///< relative uncertainty of a patch's values, at a chroma of 50
};

/// How one channel's signals are explained: Gaussian process regression over the patches of a chart (Rasmussen and
/// Williams, Gaussian Processes for Machine Learning, 2006, chapter 2.7: explicit basis functions).
class Channel {
public:
    /// `seen` are signals and `noise` their standard uncertainties; `regressors` act on the logarithm, a column each.
    /// `finished`: a picture style is free, too.
    Channel(const Surfaces& surfaces, const Eigen::VectorXd& seen, const Eigen::VectorXd& noise,
            const Eigen::MatrixXd& regressors, const Freedom& freedom, bool finished, const Eigen::VectorXd& doubted);

    double log_likelihood = 0;
    Estimate slopes;              ///< of the regressors
    double veil = 0, veil_sd = 0; ///< signal added to every patch
    double white = 0;             ///< signal of the perfect diffuser
    /// Share of each patch's signal that the other patches do not foretell, and its standard uncertainty without what
    /// was doubted.
    Eigen::VectorXd left, left_sd;
    Eigen::VectorXd expected, expected_sd; ///< each patch's signal as the others foretell it
    /// What one more regressor would add to the log-likelihood, as numerator and denominator of its size.
    std::pair<double, double> score(const Eigen::VectorXd& regressor) const;

private:
    Eigen::VectorXd solved_;
    Eigen::MatrixXd inverse_;
};

/// How the light changes across the chart by the patches' insides, natural logarithm, for x and y. Patches whose slope
/// is odd lose weight; covariance by the scatter between patches (cluster-robust: Liang and Zeger, Biometrika 73,
/// 1986).
struct Gradients {
    Estimate light; ///< of the mean of the channels
    Estimate warm;  ///< of red over blue
    Estimate green; ///< of green over the mean of red and blue
};
/// Nothing where too few patches tell.
std::optional<Gradients> gradients_of(const std::vector<PatchPixels>& pixels);

/// The shape of a step at a place, for something so wide and high: -0.5 before it, 0.5 beyond it.
using StepShape = std::function<double(double x, double y, double width, double height)>;
/// A straight edge across the chart: darker or lighter where x cos + y sin > at, x and y from -0.5 to 0.5.
struct EdgeLine {
    double angle = 0, at = 0;
    /// `reach_share`: how much of what the line crosses has a part in the step.
    StepShape shape(double reach_share) const;
};
/// Lines all over the chart, in even steps of angle and place.
std::vector<EdgeLine> lines_across();
/// Where the insides of the patches show straight edges best, the clearest first; none of them need be a shadow's.
std::vector<EdgeLine> lines_inside(const std::vector<PatchPixels>& pixels);
/// The size of a step, by the insides of the patches that its edge crosses; the light's slopes are free.
std::optional<Estimate> step_inside(const std::vector<PatchPixels>& pixels, const StepShape& step);
/// How many patches the edge crosses.
int crossed_by(const std::vector<PatchPixels>& pixels, const StepShape& step);
/// How many of them show a step of at least half that size by themselves.
int agreeing_of(const std::vector<PatchPixels>& pixels, const StepShape& step, double size);

/// What the strips between the patches tell of the light: their material is one, whatever the camera's style.
class Strips {
public:
    Strips() = default; ///< tell nothing
    /// `patches`: the mean signals of the definition's patches, NaN where unknown.
    Strips(const std::vector<Gap>& gaps, const std::vector<colour::Vec3>& patches);
    /// Straight slopes of light and colour, natural logarithm of the frame's values; nothing where they are too dark.
    std::optional<Gradients> gradients() const;
    /// Log-likelihood that a step adds to smooth light; 0 where they cannot tell.
    double gained(const StepShape& step) const;
    /// Its size.
    std::optional<Estimate> step(const StepShape& step) const;

private:
    struct Fit {
        Eigen::VectorXd value;
        Eigen::MatrixXd covariance;
        double scatter = 0;
    };
    static Fit fit(const Eigen::MatrixXd& x, const Eigen::VectorXd& y, Eigen::VectorXd& weight);
    Eigen::VectorXd column_of(const StepShape& step) const;
    Eigen::MatrixXd smooth_, at_; ///< a row a spot
    Eigen::VectorXd light_, warm_, green_, warm_beside_, green_beside_, weight_;
    bool told_ = false, coloured_ = true;
};

} // namespace refero::inspect
