// Two cameras' sensitivities at once, from their readings of one chart. docs/methods.md, Matching.
#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/QR>

#include "fit/internal/likely.hpp"

namespace refero::fit {

namespace {

/// What its XYZ leave open of a patch's reflectance, as a covariance: smooth in the logit, and none of it seen by the
/// standard observer.
Matrix left_open(const Vector& reflectance) {
    static const Matrix root = smooth_root(60);
    const Matrix bent = (reflectance.array() * (1 - reflectance.array())).matrix().asDiagonal() * root,
                 all = bent * bent.transpose();
    const auto& observer = xyz_weights();
    const Eigen::Matrix<double, bands, 3> seen = all * observer.transpose();
    return all - seen * (observer * seen + 1e-6 * Mat3::Identity()).ldlt().solve(seen.transpose());
}

constexpr Eigen::Index channels = 6; ///< of two cameras
using Block = Eigen::Matrix<double, channels, channels>;

/// What turns both cameras' signals of a patch into what is thought of: as they are; or, where the cameras are alike,
/// the other's and what parts the lead's from the matrix of them that comes nearest.
Block thought_of(const Pair& pair, const std::vector<Eigen::Index>& used, const Unknown& u) {
    Block t = Block::Identity();
    if (!u.alike()) return t;
    const auto n = static_cast<Eigen::Index>(used.size());
    Eigen::MatrixXd a(n, 3), b(n, 3);
    for (Eigen::Index i = 0; i < n; ++i) {
        const Vec3 lead = pair.balanced[1]->col(used[static_cast<std::size_t>(i)]);
        const double weight = 1 / (std::abs(lead.mean()) + 0.05);
        a.row(i) = weight * pair.balanced[0]->col(used[static_cast<std::size_t>(i)]).transpose();
        b.row(i) = weight * lead.transpose();
    }
    t.bottomLeftCorner<3, 3>() = -a.colPivHouseholderQr().solve(b).transpose();
    return t;
}

/// The Gaussian process of both cameras' channels over the readings in use, patch by patch.
struct Together {
    std::vector<Eigen::Index> used;
    Eigen::MatrixXd kernel;         ///< of what cameras are like, by what parts them
    std::vector<Block> open, noise; ///< of each patch: for spectra of 1; of the readings
    Eigen::VectorXd level;          ///< squares of the readings
    Eigen::VectorXd signals;

    Together(const Pair& pair, const Eigen::VectorXd& use, bool beyond) {
        constexpr std::size_t most = 60;
        constexpr double model_error = 0.03; // of each channel alone, which tells how much is seen of what is open
        for (Eigen::Index i = 0; i < pair.patches.cols(); ++i)
            if (use[i] > 0) used.push_back(i);
        thin_out(used, most);
        const Population& p = population(beyond);
        const Reflectances r = pair.patches(Eigen::all, used);
        const Eigen::Index n = r.cols();
        kernel = Eigen::MatrixXd::Zero(channels * n, channels * n);
        level.resize(channels * n);
        signals.resize(channels * n);
        noise.assign(used.size(), Block::Zero());
        Eigen::Matrix<double, channels, bands> seen;
        for (Eigen::Index c = 0; c < channels; ++c) {
            const auto camera = static_cast<std::size_t>(c / 3), at = static_cast<std::size_t>(c % 3);
            const auto every = Eigen::seqN(c, n, channels);
            const Eigen::MatrixXd k = r.transpose() * p.covariance[at] * r;
            const Eigen::VectorXd balanced = (*pair.balanced[camera])(c % 3, used).transpose(),
                                  squares = balanced.array().max(0.02).square(),
                                  off = balanced - r.transpose() * p.mean[at];
            kernel(every, every) = k;
            level(every) = squares;
            signals(every) = balanced;
            for (std::size_t i = 0; i < used.size(); ++i)
                noise[i](c, c) = std::pow((*pair.sd[camera])(c % 3, used[i]), 2) + 1e-10;
            Eigen::MatrixXd alone = k;
            alone.diagonal() += model_error * model_error * squares;
            seen.row(c) = (p.mean[at] + p.covariance[at] * (r * alone.llt().solve(off))).transpose();
        }
        for (Eigen::Index i = 0; i < n; ++i) open.emplace_back(seen * left_open(r.col(i)) * seen.transpose());
    }

    Eigen::MatrixXd covariance(const Unknown& u, const Block& t) const {
        Eigen::MatrixXd k = kernel;
        for (Eigen::Index c = 3; c < channels && u.alike(); ++c)
            k(Eigen::seqN(c, static_cast<Eigen::Index>(used.size()), channels), Eigen::all) *= u.parting * u.parting;
        for (std::size_t i = 0; i < used.size(); ++i) {
            const Eigen::Index at = channels * static_cast<Eigen::Index>(i);
            Block own = noise[i] + u.spectra * u.spectra * open[i];
            own.diagonal() += u.readings * u.readings * level.segment<channels>(at);
            k.block<channels, channels>(at, at) += t * own * t.transpose();
        }
        return k;
    }
    /// What the mean of cameras does not explain.
    Eigen::VectorXd off(const Pair& pair, const Unknown& u, const Block& t) const {
        const Population& p = population(u.beyond);
        Eigen::VectorXd all = signals;
        for (std::size_t i = 0; i < used.size(); ++i) {
            auto mine = all.segment<channels>(channels * static_cast<Eigen::Index>(i));
            mine = t * mine;
            for (Eigen::Index c = 0; c < (u.alike() ? 3 : channels); ++c)
                mine[c] -= p.mean[static_cast<std::size_t>(c % 3)].dot(pair.patches.col(used[i]));
        }
        return all;
    }
};

} // namespace

Unknown likeliest_unknown(const Pair& pair, bool measured) {
    constexpr double for_the_matrix = 14; // log-likelihood that nine numbers gain by chance
    Unknown best;
    double most = -INFINITY;
    for (const bool beyond : {false, true}) {
        const Together all(pair, Eigen::VectorXd::Ones(pair.patches.cols()), beyond);
        for (const double parting : {0.0, 0.01, 0.1, 0.3}) {
            const Block t = thought_of(pair, all.used, {0, 0, parting, beyond});
            for (const double spectra : {0.0, 0.2, 0.4, 0.8, 1.6})
                for (const double readings : {0.0005, 0.001, 0.002, 0.004, 0.008, 0.016, 0.032}) {
                    if (measured && spectra > 0) continue;
                    const Unknown u{spectra, readings, parting, beyond};
                    const Eigen::VectorXd off = all.off(pair, u, t);
                    const Eigen::LLT<Eigen::MatrixXd> k(all.covariance(u, t));
                    const double likelihood = -0.5 * off.dot(k.solve(off)) -
                                              k.matrixLLT().diagonal().array().log().sum() -
                                              (u.alike() ? for_the_matrix : 0);
                    if (!(likelihood > most)) continue;
                    most = likelihood;
                    best = u;
                }
        }
    }
    return best;
}

std::array<Sensitivities, 2> estimate_pair(const Pair& pair, const Unknown& u, const Eigen::VectorXd& use) {
    const Together all(pair, use, u.beyond);
    const Block t = thought_of(pair, all.used, u);
    const Eigen::VectorXd weighted = all.covariance(u, t).llt().solve(all.off(pair, u, t));
    const Population& p = population(u.beyond);
    const Reflectances r = pair.patches(Eigen::all, all.used);
    Eigen::Matrix<double, channels, bands> thought;
    for (Eigen::Index c = 0; c < channels; ++c) {
        const auto at = static_cast<std::size_t>(c % 3);
        const bool parts = u.alike() && c >= 3;
        const Eigen::VectorXd mine = weighted(Eigen::seqN(c, r.cols(), channels));
        const Vector moved = p.covariance[at] * (r * mine);
        thought.row(c) = (parts ? Vector(u.parting * u.parting * moved) : Vector(p.mean[at] + moved)).transpose();
    }
    const Eigen::Matrix<double, channels, bands> both = t.inverse() * thought;
    return {both.topRows<3>(), both.bottomRows<3>()};
}

} // namespace refero::fit
