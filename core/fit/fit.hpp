// Corrections: white balance, exposure and a colour model, fitted from a reading to a reference.
#pragma once

#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "balance/balance.hpp"
#include "look/adjustments.hpp"
#include "look/look.hpp"

namespace refero::fit {

using colour::Mat3;
using colour::Vec3;
using Coefficients = Eigen::Matrix<double, 3, Eigen::Dynamic>;
using Features = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 24, 1>; ///< at most 24, never on the heap

/// Colour models, by growing freedom. All keep neutral neutral and scale with exposure.
enum class Model {
    diagonal, ///< balance only; balanced RGB is taken for linear BT.709
    matrix,   ///< 3 x 3
    spectral, ///< cubic in chromaticity, trained on plausible surfaces through the camera's estimated sensitivities: 3
              ///< x 10
    root_polynomial_2, ///< Finlayson, Mackiewicz and Hurlbert 2015, degree 2: 3 x 6
    root_polynomial_3, ///< the same of degree 3: 3 x 13, regularised
    lut,               ///< matrix and a smooth residual over chromaticity (radial functions), regularised: 3 x 21
};
inline constexpr std::array all_models{
    Model::diagonal, Model::matrix, Model::spectral, Model::root_polynomial_2, Model::root_polynomial_3, Model::lut};
/// True for what a 3 x 3 matrix holds.
inline bool is_matrix(Model model) { return model == Model::diagonal || model == Model::matrix; }
std::string name_of(Model model);
/// Throws Error(usage) for names that are not models.
Model model_named(const std::string& name);

/// What a rendering cares for most, by the kind of work: a set of weights of patches and of plausible surfaces.
enum class Intent { even, people, textiles, plants, paint };
inline constexpr std::array all_intents{Intent::even, Intent::people, Intent::textiles, Intent::plants, Intent::paint};
std::string name_of(Intent intent);
/// Also by the names of earlier versions: colorimetric (even), skin (people), chroma (textiles). Throws Error(usage).
Intent intent_named(const std::string& name);
/// True for colours (XYZ, D50) that a rendering gives more weight: skin for people, strong colours for textiles, greens
/// for plants, earths and yellows for paint; none for even.
bool is_of_kind(Intent intent, const colour::Vec3& xyz);

/// CIEDE2000 over patches. p95 interpolates linearly between order statistics.
struct Statistics {
    double mean = 0, median = 0, p95 = 0, max = 0;
};
Statistics statistics(std::vector<double> delta_e);

/// Weights of one's own beside the intent's, by patch id or by role ("skin"); a patch's own goes before its role's.
using Weights = std::map<std::string, double>;
/// "skin 3, D1 0.5" and back. Throws Error(usage) for what is no weight from 0 to 100.
std::string text_of(const Weights& weights);
Weights weights_from(const std::string& text);

/// How well one model did, and how it behaves.
struct Candidate {
    Model model = Model::matrix;
    Statistics fit;             ///< on the patches it saw
    Statistics cross_validated; ///< on each patch when that one was left out
    Statistics by_hue;          ///< on each patch when all of about its hue were left out
    Statistics unseen; ///< expected on other surfaces: the geometric mean of the above and of what a thousand plausible
                       ///< ones leave, through the camera's estimated sensitivities; 0 if not known
    std::string worst; ///< the patch that it predicts worst when left out
    double neutral = 0; ///< chroma (CIELAB) that it leaves on neutrals beyond the reference's, mean
    double noise_gain =
        1;           ///< noise in linear BT.709 over the balanced camera's, grey, root mean square; balance only: 1
    double bend = 0; ///< largest relative change of its slope over the camera's colours; a matrix: 0
    double kept = 1; ///< share of its freedom that it may use without folding or amplifying noise too much
    std::string withdrawn; ///< why it cannot be used; empty if it can
};

/// The frame or readings that a correction was made from.
struct Source {
    std::filesystem::path file;
    std::string sha256;
    frame::Metadata metadata;
    std::optional<find::Placement> placement;
};

/// What is applied and exported. Camera RGB -> balance -> features of the model -> coefficients -> XYZ (D50).
struct Correction {
    Model model = Model::matrix;
    Intent intent = Intent::even;
    Weights weights;
    balance::Balance balance;
    Coefficients coefficients; ///< features to XYZ relative to D50, Y = 1

    read::Reading reading;
    chart::Reference reference;               ///< only the patches of the reading
    std::map<std::string, std::string> roles; ///< of the chart's patches, by id, as they were when it was fitted
    std::string
        encoding; ///< that the reading was decoded with, name or file; empty: raw, readings, or by the file's tags
    std::string light_name;                   ///< as the user calls it; may be empty
    std::optional<colour::Temperature> light; ///< by the raw file's own matrix
    std::vector<Source> sources;
    Statistics fit, cross_validated, unseen; ///< as of its candidate
    std::vector<Candidate> candidates;
    std::vector<std::string> left_out; ///< patches not fitted: clipped, unreadable, or odd
    std::vector<std::string> odd;      ///< those of them that no light and camera explain: dirty, covered, shone on
    std::vector<std::string> cautions; ///< what was wrong with the shot and what was done about it, a sentence each
    look::Adjustments finish;          ///< done to pictures after it; no part of what is proved
    look::Look look;                   ///< after the finish; no part of what is proved, nor of what a match aims at
    std::string choice;                ///< why this model, in one sentence
    std::string made;                  ///< UTC, "YYYY-MM-DDThh:mm:ssZ"
    std::string program_version;

    /// XYZ relative to D50 of camera RGB.
    Vec3 operator()(const Vec3& camera_rgb) const;
    /// The same as pictures show it: with finish and look.
    Vec3 shown(const Vec3& camera_rgb) const;
    /// True for what a 3 x 3 matrix holds.
    bool is_matrix() const { return fit::is_matrix(model) && !balance.curved(); }
};

/// The seven products of degree 2 and 3 of chromaticity (red and blue over the mean of the channels, less 1), times
/// that mean, of a colour that is nowhere below 0; for whole frames in single precision, too.
template<class Scalar>
Eigen::Matrix<Scalar, 7, 1> cubic_of(const Eigen::Matrix<Scalar, 3, 1>& rgb) {
    const Scalar mean = rgb.sum() / 3, per = mean > Scalar(1e-20) ? 1 / mean : 0, x = rgb[0] * per - 1,
                 y = rgb[2] * per - 1;
    const Scalar xx = mean * x * x, xy = mean * x * y, yy = mean * y * y;
    Eigen::Matrix<Scalar, 7, 1> f;
    f << xx, xy, yy, x * xx, x * xy, y * xy, y * yy;
    return f;
}
/// Features of a balanced colour, homogeneous of degree 1: RGB first, then roots of its products, products of
/// chromaticity, or radial functions.
Features features(Model model, const Vec3& balanced_rgb);
/// Slope of the model at a balanced colour: XYZ by balanced RGB.
Mat3 slope(Model model, const Coefficients& coefficients, const Vec3& balanced_rgb);
/// Noise beyond this gain is not accepted of a model; less where the shot itself is noisy.
inline constexpr double most_noise_gain = 10;

/// What else shows a chart's colours than the reference does: the target of a match. Plausible surfaces are trained on
/// what it makes of them, in place of their own XYZ.
struct Lead {
    std::shared_ptr<const Correction> correction; ///< null: a picture
    chart::Reference painted;                     ///< what the patches really are: spectra, or XYZ
};

struct Settings {
    bool finished = false;      ///< the reading went through a picture style
    std::optional<Model> model; ///< none: chosen by cross-validation
    bool alone = false;         ///< no candidates are tried beside the model asked for
    bool untested = false;      ///< no patch is looked at for being odd, or left out in turn: no figures of that
    Intent intent = Intent::even;
    std::string white;                 ///< as for balance::balanced_on
    std::vector<std::string> without;  ///< patches that are not to be used: in shadow, covered
    std::vector<std::string> cautions; ///< kept with the correction
    bool curves = false;               ///< bring the greys' channels together by curves
    Weights weights;
    std::shared_ptr<const Lead> lead; ///< null: the reference itself
};

/// A balance as a correction: for looking, and for setups that need no more. It knows no reading.
Correction balance_alone(const balance::Balance& balance, const std::optional<colour::Temperature>& light,
                         const std::optional<Mat3>& to_xyz = {});
/// What the matrix in a raw file makes of balanced colour: the light's white goes to D50 (Bradford).
Mat3 own_colours(const balance::Balance& balance, const Mat3& camera_from_xyz);

/// The weight of each fitted patch, as the fit used it.
std::vector<std::pair<std::string, double>> weights_in_use(const Correction& correction);

/// Balances, fits every candidate and cross-validates it, leaving out one patch at a time and one hue at a time. A
/// patch that no light and camera explain is left out and named. `definition` may be null; without it all patches weigh
/// alike. Throws Error(input) when fewer patches are usable than the model asked for needs, or when it folds.
Correction build(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const Settings& settings, std::stop_token stop = {});

/// Samples of one's own beside a chart's: their readings and references join, under their own ids. Throws Error(input)
/// when an id is there already.
void join(read::Reading& reading, chart::Reference& reference, const read::Reading& samples,
          const chart::Reference& their_reference);

/// The same correction with the best matrix for its reading, trained as its model was and without curves: what formats
/// without room for more can hold.
Correction as_matrix(const Correction& correction);

/// How a frame was recorded otherwise than the shot that a correction was made on, a sentence each: camera, body, lens,
/// ISO by a stop or more, exposure with the stops to change, flash. What a file does not tell is not compared.
std::vector<std::string> differences(const Correction& correction, const frame::Metadata& metadata);

/// Throws Error(usage) unless both are of one camera, under lights that are known.
void require_one_camera(const Correction& a, const Correction& b);

/// What two corrections of one camera make of a light between theirs, or of the nearer of them beyond: balances (in
/// their logarithm) and coefficients in linear parts of reciprocal temperature, as DNG 1.7 does it; where the models
/// differ, the best matrices of both. `gains` (green = 1) are the frame's own balance, if it is known. For frames, not
/// for proofs. Throws Error(usage) for two cameras, lights that are unknown or within 20 mired, or curves.
Correction between(const Correction& a, const Correction& b, const colour::Temperature& light,
                   const std::optional<Vec3>& gains = {});

/// Between two corrections of one camera by a fraction, 0 (the first) to 1 (the second): for a light that drifts, by
/// time. Gains and exposure in their logarithm, coefficients linear; where the models differ, the best matrices of
/// both; curves of the greys point by point. Lights may be unknown or equal. Equal corrections give themselves.
Correction between(const Correction& a, const Correction& b, double fraction);

/// The same by the balance in a raw file. Throws Error(input) where a frame does not tell its light.
Correction between(const Correction& a, const Correction& b, const frame::Frame& frame);

/// Coefficients that the same shot could as well have given: noise drawn anew within the readings' uncertainty, patches
/// drawn with replacement (Efron 1979); the same balance and model, every draw trained in full. The same `seed`, the
/// same draws.
std::vector<Coefficients> bootstrap(const Correction& correction, int draws, const Progress& progress = {},
                                    std::stop_token stop = {}, std::uint64_t seed = 1);

/// Linear camera RGB, unbalanced, of plausible surfaces beside the chart's patches in their light, by the sensitivities
/// that the reading tells (docs/methods.md, Spectral fit); empty with too few patches.
std::vector<Vec3> plausible_colours(const Correction& correction);

/// Correction files (JSON, docs/formats.md). load() throws Error(input).
void save(const Correction& correction, const std::filesystem::path& file);
std::string to_json(const Correction& correction);
Correction load(const std::filesystem::path& file);
/// `file` is named in messages.
Correction from_json(const std::string& text, const std::filesystem::path& file = {});

} // namespace refero::fit
