#include "fit/internal/lesson.hpp"

#include <algorithm>
#include <cmath>

namespace refero::fit {

namespace {

constexpr double weight_of_kind = 2; ///< of patches of an intent's kind of work

double weight_of(Intent intent, const Vec3& xyz, bool skin) {
    // The stronger a colour, the more it counts for textiles.
    if (intent == Intent::textiles) return 0.3 + colour::lch_from(colour::lab_from_xyz(xyz))[1] / 40;
    return is_of_kind(intent, xyz) || (skin && intent == Intent::people) ? weight_of_kind : 1;
}

/// The patches' weight beside a thousand plausible surfaces; more where their spectra, and so the camera, are guessed.
constexpr double weight_of_patches = 3, weight_without_spectra = 30;
/// Share of the matrix that patches alone teach, where their spectra are guessed.
constexpr double share_of_patches_alone = 0.2;

/// Where the noise is not known, a tenth of the spread of the pixels stands for the mean's uncertainty.
Vec3 error_of(const read::PatchReading& p) {
    Vec3 e;
    for (std::size_t k = 0; k < 3; ++k)
        e[static_cast<Eigen::Index>(k)] =
            p.error[k] > 0 ? p.error[k] : p.sd[k] / std::sqrt(std::max(1.0, 0.1 * p.pixels));
    return e;
}

} // namespace

double weight_of(const Correction& c, const std::string& id) {
    const auto at = c.roles.find(id);
    const std::string role = at != c.roles.end() ? at->second : std::string();
    const auto own = c.weights.contains(id) ? c.weights.find(id) : c.weights.find(role);
    return (own != c.weights.end() ? own->second : 1) * weight_of(c.intent, c.reference.xyz.at(id), role == "skin");
}

Lesson::Lesson(const Correction& c, const Lead* lead) {
    std::vector<Eigen::Index> at;
    for (std::size_t i = 0; i < c.reading.patches.size(); ++i) {
        const std::string& id = c.reading.patches[i].id;
        if (c.reference.xyz.contains(id) && std::find(c.left_out.begin(), c.left_out.end(), id) == c.left_out.end()) {
            at.push_back(static_cast<Eigen::Index>(i));
            ids.push_back(id);
        }
    }
    const auto n = static_cast<Eigen::Index>(ids.size());
    balanced_.resize(3, n);
    sd_.resize(3, n);
    reflectance_.resize(colour::Spectrum::size, n);
    Eigen::Matrix3Xd xyz(3, n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const read::PatchReading& p = c.reading.patches[static_cast<std::size_t>(at[static_cast<std::size_t>(i)])];
        balanced_.col(i) = c.balance(Vec3(p.mean.data()));
        sd_.col(i) = c.balance.scaled(error_of(p));
        xyz.col(i) = c.reference.xyz.at(p.id);
        const chart::Reference& painted = lead ? lead->painted : c.reference;
        const auto spectrum = painted.spectrum.find(p.id);
        const auto painted_xyz = painted.xyz.find(p.id);
        measured_ = measured_ && spectrum != painted.spectrum.end();
        reflectance_.col(i) = (spectrum != painted.spectrum.end()
                                   ? spectrum->second
                                   : colour::smooth_reflectance(painted_xyz != painted.xyz.end() ? painted_xyz->second
                                                                                                 : Vec3(xyz.col(i))))
                                  .vector();
    }
    patches_ = samples_of(xyz);
    beside_surfaces_ = measured_ ? weight_of_patches : weight_without_spectra;
    for (Eigen::Index i = 0; i < n; ++i) patches_.weight[i] = weight_of(c, ids[static_cast<std::size_t>(i)]);
    if (n >= least_for_surfaces) {
        model_error_ = likeliest_model_error(reflectance_, balanced_, sd_, Eigen::VectorXd::Ones(n));
        surfaces_ = plausible_surfaces(reflectance_, measured_, c.intent);
        bool both = lead != nullptr;
        for (const std::string& id : ids) both = both && lead->correction->reading.find(id);
        if (!both) return;
        lead_ = lead->correction;
        lead_balanced_.resize(3, n);
        lead_sd_.resize(3, n);
        for (Eigen::Index i = 0; i < n; ++i) {
            const read::PatchReading& p = *lead_->reading.find(ids[static_cast<std::size_t>(i)]);
            lead_balanced_.col(i) = lead_->balance(Vec3(p.mean.data()));
            lead_sd_.col(i) = lead_->balance.scaled(error_of(p));
        }
        unknown_ = likeliest_unknown(pair(), measured_);
    }
}

Eigen::Matrix3Xd Lesson::shown(const Eigen::Matrix3Xd& balanced) const {
    const Mat3 finish = look::matrix_of(lead_->finish, lead_->light);
    return finish * lead_->coefficients * features_of(lead_->model, balanced);
}

Samples Lesson::training_surfaces(const Eigen::VectorXd& use, Eigen::Matrix3Xd& balanced) const {
    if (!lead_) {
        balanced = estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, use).sensitivities *
                   surfaces_.reflectance;
        return surfaces_.samples;
    }
    const auto [own, leads] = estimate_pair(pair(), unknown_, use);
    balanced = own * surfaces_.reflectance;
    Samples s = samples_of(shown(leads * surfaces_.reflectance));
    s.weight = surfaces_.samples.weight;
    return s;
}

Samples Lesson::patches(Model model) const {
    Samples s = patches_;
    s.phi = features_of(model, balanced_);
    return s;
}

Coefficients Lesson::train(Model model, Model shape, const Eigen::VectorXd& use, const Coefficients* start,
                           double* left) const {
    if (model == Model::diagonal) return colour::rgb_space("linear-bt709").to_xyz_d50();
    Samples s = patches(shape);
    s.weight = s.weight.cwiseProduct(use);
    double stiffness = 1e-6;
    Coefficients c;
    if (model == Model::spectral) c = spectral(shape, s, use);
    else if (is_matrix(model) || model == Model::root_polynomial_2) c = refine(s, solve(s, stiffness));
    else c = solve(s, stiffness = ridge(s));
    if (!start || is_matrix(shape) || !folds(shape, c)) return c;
    const auto [unfolded_c, way] = unfolded(shape, s, stiffness, c, *start);
    if (left) *left = way;
    return unfolded_c;
}

Statistics Lesson::unseen(Model model, const Coefficients& c) const {
    std::vector<double> all;
    if (!surfaces_.from.empty()) {
        Eigen::Matrix3Xd balanced;
        Samples s = training_surfaces(Eigen::VectorXd::Ones(size()), balanced);
        s.phi = features_of(model, balanced);
        for (Eigen::Index i = 0; i < s.size(); ++i) all.push_back(delta_e(c, s, i));
    }
    return statistics(all);
}

Eigen::Matrix3Xd Lesson::surfaces_seen() const {
    if (surfaces_.from.empty()) return {};
    return estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, Eigen::VectorXd::Ones(size()))
               .sensitivities *
           surfaces_.reflectance;
}

std::pair<Reflectances, Sensitivities> Lesson::surfaces_and_sensitivities() const {
    if (surfaces_.from.empty()) return {};
    return {surfaces_.reflectance,
            estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, Eigen::VectorXd::Ones(size()))
                .sensitivities};
}

Lesson Lesson::drawn_again(std::mt19937_64& random) const {
    std::normal_distribution<double> normal;
    Lesson other = *this;
    for (Eigen::Index i = 0; i < size(); ++i)
        for (Eigen::Index c = 0; c < 3; ++c) other.balanced_(c, i) += sd_(c, i) * normal(random);
    return other;
}

Coefficients Lesson::spectral(Model shape, Samples& patches, const Eigen::VectorXd& use) const {
    Eigen::Matrix3Xd balanced;
    Samples s = training_surfaces(use, balanced);
    const Eigen::Index n = s.size(), m = patches.size();
    // Relatives of patches that are left out would tell of them.
    for (Eigen::Index i = 0; i < n; ++i)
        for (const int of : surfaces_.from[static_cast<std::size_t>(i)])
            if (of >= 0 && use[of] <= 0) s.weight[i] = 0;
    s.phi.resize(patches.phi.rows(), n + m);
    s.phi.leftCols(n) = features_of(shape, balanced);
    s.phi.rightCols(m) = patches.phi;
    const auto append = [](auto& to, const auto& more) {
        auto both = to;
        both.resize(3, to.cols() + more.cols());
        both << to, more;
        to = both;
    };
    append(s.xyz, patches.xyz);
    append(s.lab, patches.lab);
    s.metric.insert(s.metric.end(), patches.metric.begin(), patches.metric.end());
    Eigen::VectorXd weight(n + m);
    weight << s.weight, beside_surfaces_ * patches.weight;
    s.weight = weight;
    // Reweighted to the mean difference rather than its square: rare far-off colours would rule the rest.
    Coefficients c = solve(s, 1e-6);
    for (int round = 0; round < 2; ++round) {
        for (Eigen::Index i = 0; i < s.size(); ++i)
            s.weight[i] = weight[i] / std::sqrt(std::pow(delta_e(c, s, i), 2) + 0.25);
        c = solve(s, 1e-6);
    }
    if (!measured_) { // the camera is guessed: what the patches alone tell errs otherwise, and the two together less
        Samples plain = patches_;
        plain.phi = balanced_;
        plain.weight = patches.weight;
        for (Eigen::Index i = 0; i < m; ++i)
            plain.metric[static_cast<std::size_t>(i)] = Mat3::Identity() / std::pow(patches_.xyz(1, i) + 0.05, 2.0 / 3);
        c *= 1 - share_of_patches_alone;
        c.leftCols<3>() += share_of_patches_alone * solve(plain, 0);
    }
    patches = std::move(s);
    return c;
}

double Lesson::ridge(const Samples& all) const {
    double best = 1, least = INFINITY;
    for (const double ridge : {3e-5, 3e-4, 3e-3, 3e-2, 1.0}) {
        double sum = 0;
        for (Eigen::Index fold = 0; fold < 6; ++fold) {
            Samples s = all;
            for (Eigen::Index i = fold; i < s.size(); i += 6) s.weight[i] = 0;
            const Coefficients c = solve(s, ridge);
            for (Eigen::Index i = fold; i < s.size(); i += 6)
                if (all.weight[i] > 0) sum += all.weight[i] * delta_e(c, all, i);
        }
        if (sum < least) {
            least = sum;
            best = ridge;
        }
    }
    return best;
}

} // namespace refero::fit
