// What cameras, lights and surfaces are like: the priors behind the spectral model. docs/methods.md, Spectral fit.
#include <cmath>
#include <numbers>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/QR>

#include "fit/random.hpp"

namespace refero::fit {

namespace {

using colour::Spectrum;
constexpr int bands = Spectrum::size;
using Vector = Eigen::Matrix<double, bands, 1>;
using Matrix = Eigen::Matrix<double, bands, bands>;

/// Root of a Gaussian covariance over wavelength.
Matrix smooth_root(double length_nm) {
    Matrix k;
    for (int i = 0; i < bands; ++i)
        for (int j = 0; j < bands; ++j)
            k(i, j) = std::exp(-0.5 * std::pow((i - j) * Spectrum::step_nm / length_nm, 2)) + (i == j ? 1e-6 : 0);
    return k.llt().matrixL();
}

double logit(double r) {
    r = std::clamp(r, 0.004, 0.996);
    return std::log(r / (1 - r));
}
Vector surface(const Vector& logits) { return (1 + (-logits.array()).exp()).inverse(); }

constexpr double weight_of_kind_surfaces = 3; ///< of a kind of work, beside the others
constexpr int opaque_count = 300, clear_count = 400, smooth_count = opaque_count + clear_count, related_count = 300;

/// How much smoother these spectra are than the surfaces below are by themselves. Of a Gaussian process of length l,
/// the variance of the slope is 3 / l^2 of the curvature's; 70 nm is the usual mean of that, over 405 to 705 nm and
/// slopes over 20 nm, which are steadier than noise and the steps of tables.
double smoothness(const Reflectances& spectra) {
    constexpr int first = 5, last = 66, step = 2;
    constexpr double usual_nm = 70, nm = step * Spectrum::step_nm, least_size = 0.15;
    double sum = 0;
    int counted = 0;
    for (Eigen::Index p = 0; p < spectra.cols(); ++p) {
        const Vector v = spectra.col(p).unaryExpr(&logit);
        const auto seen = v.segment(first, last - first);
        if ((seen.array() - seen.mean()).square().mean() < least_size * least_size) continue; // neutrals tell nothing
        double slope = 0, curvature = 0;
        for (int k = first + step; k < last - step; ++k) {
            slope += std::pow((v[k + step] - v[k - step]) / (2 * nm), 2);
            curvature += std::pow((v[k + step] - 2 * v[k] + v[k - step]) / (nm * nm), 2);
        }
        sum += std::log(std::clamp(std::sqrt(3 * slope / std::max(curvature, 1e-12)), 25.0, 250.0));
        ++counted;
    }
    return counted < 6 ? 1 : std::clamp(std::exp(sum / counted) / usual_nm, 1.0, 2.0);
}

/// Smooth surfaces of any kind: opaque ones, Gaussian processes in the logit of reflectance; and clear colour over a
/// light ground, in the logarithm of its density. `stretch` lengthens both.
Reflectances smooth_surfaces(double stretch) {
    constexpr int lengths = 8;
    const auto roots_between = [](double shortest_nm, double longest_nm) {
        std::vector<Matrix> roots;
        for (int i = 0; i < lengths; ++i)
            roots.push_back(smooth_root(shortest_nm * std::pow(longest_nm / shortest_nm, i / (lengths - 1.0))));
        return roots;
    };
    Random random(3);
    Reflectances r(bands, smooth_count);
    const auto opaque = roots_between(60 * stretch, 200 * stretch), clear = roots_between(40 * stretch, 140 * stretch);
    for (int i = 0; i < opaque_count; ++i) {
        const double mean = -0.8 + 1.1 * random.normal(), size = random.uniform(0.3, 2.6);
        r.col(i) =
            surface(Vector::Constant(mean) + size * (opaque[static_cast<std::size_t>(i % lengths)] * random.normals()));
    }
    for (int i = opaque_count; i < smooth_count; ++i) {
        const double mean = -2 + 0.8 * random.normal(), size = random.uniform(1, 2.4),
                     ground = random.uniform(0.8, 0.95);
        const Vector density =
            (Vector::Constant(mean) + size * (clear[static_cast<std::size_t>(i % lengths)] * random.normals()))
                .array()
                .exp();
        r.col(i) = (ground * (-std::numbers::ln10 * density.array()).exp()).max(0.004);
    }
    return r;
}

/// Relatives of the chart's patches: mixtures of two or three in the logit, lighter or darker, more or less pure, and
/// bent.
void add_related(const Reflectances& patches, double stretch, Reflectances& to, std::vector<std::array<int, 3>>& from) {
    const Matrix root = smooth_root(60 * stretch);
    Random random(4);
    const int n = static_cast<int>(patches.cols());
    Reflectances logits(bands, n);
    for (int i = 0; i < n; ++i)
        for (int k = 0; k < bands; ++k) logits(k, i) = logit(patches(k, i));
    for (int i = 0; i < related_count; ++i) {
        const int parts = 2 + random.below(2);
        std::array<int, 3> of{-1, -1, -1};
        Vector mixed = Vector::Zero();
        double total = 0;
        for (int p = 0; p < parts; ++p) {
            of[static_cast<std::size_t>(p)] = random.below(n);
            const double share = -std::log(random.uniform(1e-9, 1)); // normalised: evenly over all mixtures
            mixed += share * logits.col(of[static_cast<std::size_t>(p)]);
            total += share;
        }
        mixed /= total;
        const double mean = mixed.mean();
        to.col(smooth_count + i) =
            surface(Vector::Constant(mean + 0.5 * random.normal()) +
                    random.uniform(0.6, 1.4) * (mixed.array() - mean).matrix() + 0.5 * (root * random.normals()));
        from.push_back(of);
    }
}

const Eigen::Matrix<double, 3, bands>& xyz_weights() {
    static const auto weights = [] {
        const Spectrum d50 = colour::illuminant_d(50);
        Eigen::Matrix<double, 3, bands> t;
        for (int c = 0; c < 3; ++c)
            t.row(c) = (colour::observer_1931()[static_cast<std::size_t>(c)] * d50).vector().transpose();
        return Eigen::Matrix<double, 3, bands>(t / t.row(1).sum());
    }();
    return weights;
}

/// Mean and covariance of sensitivity times light, each channel scaled to 1 for the perfect diffuser.
struct Population {
    std::array<Vector, 3> mean;
    std::array<Matrix, 3> covariance;
};
/// With `beyond`, some let the infrared in or see a little of everything, too.
Population population_of(bool beyond) {
    constexpr int count = 600;
    struct Range {
        double centre_low, centre_high, width_low, width_high;
    };
    constexpr Range ranges[] = {{585, 620, 20, 45}, {522, 556, 25, 50}, {440, 475, 16, 36}}; // nm, red green blue
    Random random(11), more(12);
    const auto bell = [](double nm, double centre, double left, double right) {
        return std::exp(-0.5 * std::pow((nm - centre) / (nm < centre ? left : right), 2));
    };
    std::array<Eigen::Matrix<double, bands, Eigen::Dynamic>, 3> drawn;
    for (auto& d : drawn) d.resize(bands, count);
    for (int i = 0; i < count; ++i) {
        // The order of drawing is kept apart from that of evaluation: one statement a number.
        const double kelvin = random.uniform(2500, 9000);
        const Spectrum light = colour::planck(kelvin);
        for (std::size_t c = 0; c < 3; ++c) {
            const Range& r = ranges[c];
            const double centre = random.uniform(r.centre_low, r.centre_high),
                         left = random.uniform(r.width_low, r.width_high),
                         right = random.uniform(r.width_low, r.width_high);
            const double leak = random.uniform(0, 0.2), leak_centre = random.uniform(420, 640),
                         leak_left = random.uniform(20, 40), leak_right = random.uniform(20, 40);
            const double infrared = random.uniform(655, 700), ultraviolet = random.uniform(395, 415);
            const double all = std::max(0.0, more.uniform(-0.05, 0.12)), tail = std::max(0.0, more.uniform(-0.2, 0.5)),
                         tail_from = more.uniform(690, 735);
            Vector e;
            for (int k = 0; k < bands; ++k) {
                const double nm = Spectrum::nm(k);
                e[k] = (bell(nm, centre, left, right) + leak * bell(nm, leak_centre, leak_left, leak_right)) /
                       (1 + std::exp((nm - infrared) / 8)) / (1 + std::exp((ultraviolet - nm) / 6)) * light[k];
                if (beyond) e[k] += (all + tail / (1 + std::exp((tail_from - nm) / 8))) * light[k];
            }
            drawn[c].col(i) = e / e.sum();
        }
    }
    Population p;
    for (std::size_t c = 0; c < 3; ++c) {
        p.mean[c] = drawn[c].rowwise().mean();
        const Eigen::Matrix<double, bands, Eigen::Dynamic> off = drawn[c].colwise() - p.mean[c];
        p.covariance[c] = off * off.transpose() / (count - 1.0) +
                          9e-4 * p.mean[c] * p.mean[c].transpose(); // the balance itself is known to some 3 %
    }
    return p;
}
const Population& population(bool beyond = false) {
    static const Population usual = population_of(false), wide = population_of(true);
    return beyond ? wide : usual;
}

/// So many of them, evenly taken.
void thin_out(std::vector<Eigen::Index>& used, std::size_t most) {
    const std::size_t all = used.size();
    if (all <= most) return;
    for (std::size_t i = 0; i < most; ++i) used[i] = used[i * all / most];
    used.resize(most);
}

/// A channel's Gaussian process over the readings in use.
struct Channel {
    std::vector<Eigen::Index> used;
    Eigen::LLT<Eigen::MatrixXd> covariance; // of the readings
    Eigen::VectorXd weighted;               // its inverse times what the mean does not explain
};
Channel channel_of(int c, const Reflectances& patches, const Eigen::Matrix3Xd& balanced, const Eigen::Matrix3Xd& sd,
                   double model_error, const Eigen::VectorXd& use) {
    Channel ch;
    // Sensitivities have some ten degrees of freedom: so many patches, evenly taken, tell as much as thousands.
    constexpr std::size_t most = 150;
    for (Eigen::Index i = 0; i < patches.cols(); ++i)
        if (use[i] > 0) ch.used.push_back(i);
    thin_out(ch.used, most);
    const Population& p = population();
    const auto at = static_cast<std::size_t>(c);
    const Reflectances r = patches(Eigen::all, ch.used);
    Eigen::MatrixXd k = r.transpose() * p.covariance[at] * r;
    Eigen::VectorXd off(static_cast<Eigen::Index>(ch.used.size()));
    for (std::size_t i = 0; i < ch.used.size(); ++i) {
        const double v = balanced(c, ch.used[i]), own = sd(c, ch.used[i]), model = model_error * std::max(v, 0.02);
        const auto row = static_cast<Eigen::Index>(i);
        k(row, row) += model * model + own * own + 1e-10;
        off[row] = v - p.mean[at].dot(patches.col(ch.used[i]));
    }
    ch.covariance.compute(k);
    ch.weighted = ch.covariance.solve(off);
    return ch;
}

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

Surfaces plausible_surfaces(const Reflectances& patches, bool measured, Intent intent) {
    static const Reflectances usual = smooth_surfaces(1);
    const double stretch = measured ? smoothness(patches) : 1;
    Surfaces s;
    const Reflectances& of_kind = surfaces_of(intent);
    s.reflectance.resize(bands, smooth_count + related_count + of_kind.cols());
    s.reflectance.leftCols(smooth_count) = stretch > 1 ? smooth_surfaces(stretch) : usual;
    s.from.assign(smooth_count, {-1, -1, -1});
    add_related(patches, stretch, s.reflectance, s.from);
    s.reflectance.rightCols(of_kind.cols()) = of_kind;
    s.from.resize(static_cast<std::size_t>(s.reflectance.cols()), {-1, -1, -1});
    s.samples = samples_of(xyz_weights() * s.reflectance);
    s.samples.weight.tail(of_kind.cols()).setConstant(weight_of_kind_surfaces);
    return s;
}

SensitivityEstimate estimate_sensitivities(const Reflectances& patches, const Eigen::Matrix3Xd& balanced,
                                           const Eigen::Matrix3Xd& sd, double model_error, const Eigen::VectorXd& use) {
    SensitivityEstimate e;
    e.surprise = Eigen::VectorXd::Zero(patches.cols());
    const Population& p = population();
    for (int c = 0; c < 3; ++c) {
        const Channel ch = channel_of(c, patches, balanced, sd, model_error, use);
        const auto at = static_cast<std::size_t>(c);
        e.sensitivities.row(c) =
            (p.mean[at] + p.covariance[at] * (patches(Eigen::all, ch.used) * ch.weighted)).transpose();
        // Left out, in closed form: Rasmussen and Williams 2006, eq. 5.12.
        const Eigen::MatrixXd inverse =
            ch.covariance.solve(Eigen::MatrixXd::Identity(ch.weighted.size(), ch.weighted.size()));
        for (std::size_t i = 0; i < ch.used.size(); ++i) {
            const auto row = static_cast<Eigen::Index>(i);
            e.surprise[ch.used[i]] += ch.weighted[row] * ch.weighted[row] / inverse(row, row) / 3;
        }
    }
    e.surprise = e.surprise.cwiseSqrt();
    return e;
}

double likeliest_model_error(const Reflectances& patches, const Eigen::Matrix3Xd& balanced, const Eigen::Matrix3Xd& sd,
                             const Eigen::VectorXd& use) {
    double best = 0.01, most = -INFINITY;
    for (const double error : {0.001, 0.002, 0.004, 0.008, 0.016, 0.032, 0.064}) {
        double likelihood = 0;
        for (int c = 0; c < 3; ++c) {
            const Channel ch = channel_of(c, patches, balanced, sd, error, use);
            const Eigen::MatrixXd inverse =
                ch.covariance.solve(Eigen::MatrixXd::Identity(ch.weighted.size(), ch.weighted.size()));
            for (Eigen::Index i = 0; i < ch.weighted.size(); ++i)
                likelihood += 0.5 * (std::log(inverse(i, i)) - ch.weighted[i] * ch.weighted[i] / inverse(i, i));
        }
        if (likelihood > most) {
            most = likelihood;
            best = error;
        }
    }
    return best;
}

} // namespace refero::fit
