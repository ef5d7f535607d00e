// Shared by the sources of this room only.
#pragma once

#include "fit/fit.hpp"

namespace refero::fit {

/// What a model is trained on, a column each.
struct Samples {
    Eigen::MatrixXd phi; ///< features x samples
    Eigen::Matrix3Xd xyz, lab;
    std::vector<Mat3> metric; ///< squared CIEDE2000 about each reference by XYZ
    Eigen::VectorXd weight;   ///< 0: left out
    Eigen::Index size() const { return xyz.cols(); }
};
/// Sets colours and their metric; weights 1, features none.
Samples samples_of(const Eigen::Matrix3Xd& xyz);
/// Features of balanced camera RGB, a column each.
Eigen::MatrixXd features_of(Model model, const Eigen::Matrix3Xd& balanced_rgb);

/// Weighted least squares on CIEDE2000 linearised about the references; white stays white. `ridge` holds the features
/// beyond RGB down, as a share of what the samples weigh.
Coefficients solve(const Samples& samples, double ridge);
/// Refines on CIEDE2000 itself by Levenberg-Marquardt.
Coefficients refine(const Samples& samples, const Coefficients& start);
double delta_e(const Coefficients& c, const Samples& samples, Eigen::Index i);

/// Reflectances, a column each, 81 wavelengths.
using Reflectances = Eigen::Matrix<double, colour::Spectrum::size, Eigen::Dynamic>;
using Sensitivities = Eigen::Matrix<double, 3, colour::Spectrum::size>;

/// Plausible surfaces to train on: smooth ones of any kind, relatives of the chart's own, and those of a kind of work,
/// which weigh more. Where the chart's spectra are `measured` and smoother than usual, so are the first two.
struct Surfaces {
    Reflectances reflectance;
    Samples samples;
    std::vector<std::array<int, 3>> from; ///< the chart's patches that each is made of; -1: none
};
Surfaces plausible_surfaces(const Reflectances& patches, bool measured, Intent intent);
/// Some hundred surfaces of a kind of work by the colourants that make them: skin, plants, dyed cloth, paint; none for
/// even.
const Reflectances& surfaces_of(Intent intent);

/// Sensitivity times light, a channel each, from balanced readings of known reflectances: the likeliest under what
/// cameras and lights are like (a Gaussian process with the mean and covariance of invented ones).
struct SensitivityEstimate {
    Sensitivities sensitivities;
    Eigen::VectorXd surprise; ///< of each patch when left out, in its standard deviations, root mean square of the
                              ///< channels; 0 if unused
};
/// `sd` are the readings' own uncertainties, `model_error` the relative one of reflectances and light, `use` 0 or 1.
SensitivityEstimate estimate_sensitivities(const Reflectances& patches, const Eigen::Matrix3Xd& balanced,
                                           const Eigen::Matrix3Xd& sd, double model_error, const Eigen::VectorXd& use);
/// The relative error under which the readings are likeliest when left out.
double likeliest_model_error(const Reflectances& patches, const Eigen::Matrix3Xd& balanced, const Eigen::Matrix3Xd& sd,
                             const Eigen::VectorXd& use);

/// Two cameras' readings of one chart under one light. Where its spectra are guessed from XYZ, both see what is wrong
/// with the guess: what parts the cameras is told far better than either is (docs/methods.md, Matching).
struct Pair {
    const Reflectances& patches;
    std::array<const Eigen::Matrix3Xd*, 2> balanced, sd;
};
/// What is not known, by the likelihood of both readings.
struct Unknown {
    double spectra = 0;  ///< of the logit of reflectance, standard deviation of what XYZ leave open
    double readings = 0; ///< relative
    double parting = 0;  ///< what parts the cameras beyond a matrix, over what parts any two; 0: they are any two
    bool beyond = false; ///< cameras may see the infrared, and a little of everything
    bool alike() const { return parting > 0; }
};
Unknown likeliest_unknown(const Pair& pair, bool measured);
std::array<Sensitivities, 2> estimate_pair(const Pair& pair, const Unknown& unknown, const Eigen::VectorXd& use);

/// Derivatives of a model's features over the camera's colours from 1/64 to 1, the first of which is neutral.
struct Slopes {
    Eigen::Matrix3Xd colour;
    std::array<Eigen::MatrixXd, 3> by_channel; ///< features x colours
    Mat3 at(const Coefficients& c, Eigen::Index i) const {
        Mat3 j;
        for (int k = 0; k < 3; ++k) j.col(k) = c * by_channel[static_cast<std::size_t>(k)].col(i);
        return j;
    }
    /// Of the slope at each colour.
    Eigen::VectorXd determinants(const Coefficients& c) const;
};
/// Finely: in steps of a quarter of a stop, else of half a stop.
const Slopes& slopes_of(Model model, bool fine = true);
/// The determinant of the slope is nowhere less than this share of neutral's.
inline constexpr double least_slope = 0.03;
/// Whether it is.
bool folds(Model model, const Coefficients& c);
/// Of coefficients that do not fold, those that cost the samples least: an interior-point method from `start`, which
/// does not fold, towards `best`, which solves the samples but folds. Second: how far it is still to `best`, as a share
/// of the way from `start`, by the root of what the samples lose.
std::pair<Coefficients, double> unfolded(Model model, const Samples& samples, double ridge, const Coefficients& best,
                                         const Coefficients& start);
double noise_gain(Model model, const Coefficients& c);
double bend(Model model, const Coefficients& c);

} // namespace refero::fit
