// What the models of one shot are trained on, and their training; shared by the sources of this room only.
#pragma once

#include <random>

#include "fit/internal/training.hpp"

namespace refero::fit {

/// A patch's weight by intent and by its own or its role's.
double weight_of(const Correction& c, const std::string& id);

/// All that the models of one shot are trained on. Every training tells which patches are in use, by 0 and 1.
class Lesson {
public:
    /// `lead` may be null.
    explicit Lesson(const Correction& c, const Lead* lead = nullptr);

    static constexpr Eigen::Index least_for_surfaces = 8;
    std::vector<std::string> ids;
    Eigen::Index size() const { return balanced_.cols(); }
    Samples patches(Model model) const;

    /// `shape` is the model whose features are trained: a matrix for formats that hold no more. Where the result folds,
    /// it gives way to what does not, reached from `start`, which does not fold either; `left`, if asked for, is then
    /// the share of the way from there that it may not go.
    Coefficients train(Model model, Model shape, const Eigen::VectorXd& use, const Coefficients* start = nullptr,
                       double* left = nullptr) const;

    /// What a model would leave on plausible surfaces, by the sensitivities that all patches tell.
    Statistics unseen(Model model, const Coefficients& c) const;

    /// Balanced camera RGB of those surfaces, a column each; none with too few patches.
    Eigen::Matrix3Xd surfaces_seen() const;

    /// Those surfaces, and sensitivity times light by which the camera sees them.
    std::pair<Reflectances, Sensitivities> surfaces_and_sensitivities() const;
    /// What they are, XYZ relative to D50, a column each.
    const Eigen::Matrix3Xd& surface_colours() const { return surfaces_.samples.xyz; }

    /// The same with other readings of its patches: their noise drawn anew.
    Lesson drawn_again(std::mt19937_64& random) const;

private:
    /// The patches in use become all that is trained on, as weighted at last.
    Coefficients spectral(Model shape, Samples& patches, const Eigen::VectorXd& use) const;
    /// How stiff a model must be to foretell patches best, by six folds.
    double ridge(const Samples& all) const;

    /// What the lead makes of what it sees, balanced.
    Eigen::Matrix3Xd shown(const Eigen::Matrix3Xd& balanced) const;
    /// Both cameras' readings; with a lead only.
    Pair pair() const { return {reflectance_, {&balanced_, &lead_balanced_}, {&sd_, &lead_sd_}}; }
    /// The plausible surfaces with what they are to become; `balanced` is how this camera sees them.
    Samples training_surfaces(const Eigen::VectorXd& use, Eigen::Matrix3Xd& balanced) const;

    Eigen::Matrix3Xd balanced_, sd_, lead_balanced_, lead_sd_;
    std::shared_ptr<const Correction> lead_; ///< null: none
    Unknown unknown_;
    Reflectances reflectance_;
    Samples patches_;
    Surfaces surfaces_;
    bool measured_ = true; ///< every patch has a spectrum
    double model_error_ = 0.01, beside_surfaces_ = 1;
};

} // namespace refero::fit
