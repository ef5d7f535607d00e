// Corrections: white balance, exposure and a colour model, fitted from a reading to a reference.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "balance/balance.hpp"

namespace refero::fit {

using colour::Mat3;
using colour::Vec3;

/// Colour models, by growing freedom. All keep neutral neutral and scale with exposure.
enum class Model {
    diagonal,          ///< balance only; balanced RGB is taken for linear BT.709
    matrix,            ///< 3 x 3
    root_polynomial_2, ///< Finlayson, Mackiewicz and Hurlbert 2015, degree 2: 3 x 6
};
std::string name_of(Model model);
/// Throws Error(usage) for names that are not models.
Model model_named(const std::string& name);

/// What the fit cares for most; expressed as weights of patches.
enum class Intent { colorimetric, skin, chroma };
std::string name_of(Intent intent);
Intent intent_named(const std::string& name);

/// CIEDE2000 over patches. p95 interpolates linearly between order statistics.
struct Statistics {
    double mean = 0, median = 0, p95 = 0, max = 0;
};
Statistics statistics(std::vector<double> delta_e);

/// How well one model did: on the patches it saw, and on each patch when that one was left out.
struct Candidate {
    Model model = Model::matrix;
    Statistics fit, cross_validated;
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
    Intent intent = Intent::colorimetric;
    balance::Balance balance;
    Eigen::Matrix<double, 3, Eigen::Dynamic> coefficients; ///< 3 x 3 or 3 x 6, to XYZ relative to D50, Y = 1

    read::Reading reading;
    chart::Reference reference;             ///< only the patches of the reading
    std::string light_name;                 ///< as the user calls it; may be empty
    std::optional<colour::Temperature> light; ///< by the raw file's own matrix
    std::vector<Source> sources;
    Statistics fit, cross_validated;
    std::vector<Candidate> candidates;
    std::vector<std::string> left_out;      ///< patches not fitted: clipped or unreadable
    std::string choice;                     ///< why this model, in one sentence
    std::string made;                       ///< UTC, "YYYY-MM-DDThh:mm:ssZ"
    std::string program_version;

    /// XYZ relative to D50 of camera RGB.
    Vec3 operator()(const Vec3& camera_rgb) const;
};

/// Features of a balanced colour, 1 for (1, 1, 1): RGB, or RGB and the roots of its products.
Eigen::VectorXd features(Model model, const Vec3& balanced_rgb);

struct Settings {
    std::optional<Model> model; ///< none: chosen by cross-validation
    Intent intent = Intent::colorimetric;
    std::string white;          ///< patch id; empty: chosen
};

/// Balances, fits every candidate (or the one asked for) and cross-validates it leaving one patch out at a time.
/// `definition` may be null. Throws Error(input) when fewer than the model's patches are usable.
Correction build(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const Settings& settings, std::stop_token stop = {});

/// The same correction with the best matrix for its reading: what formats without room for more can hold.
Correction as_matrix(const Correction& correction);

/// Correction files (JSON, docs/formats.md). load() throws Error(input).
void save(const Correction& correction, const std::filesystem::path& file);
std::string to_json(const Correction& correction);
Correction load(const std::filesystem::path& file);
/// `file` is named in messages.
Correction from_json(const std::string& text, const std::filesystem::path& file = {});

} // namespace refero::fit
