// What cameras, lights and surfaces are like: the priors behind the spectral model. docs/methods.md, Spectral fit.
#include <cmath>
#include <numbers>

#include <Eigen/Cholesky>

#include "fit/internal/likely.hpp"
#include "fit/internal/random.hpp"

namespace refero::fit {

namespace {

using colour::Spectrum;

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

} // namespace

Matrix smooth_root(double length_nm) {
    Matrix k;
    for (int i = 0; i < bands; ++i)
        for (int j = 0; j < bands; ++j)
            k(i, j) = std::exp(-0.5 * std::pow((i - j) * Spectrum::step_nm / length_nm, 2)) + (i == j ? 1e-6 : 0);
    return k.llt().matrixL();
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

const Population& population(bool beyond) {
    static const Population usual = population_of(false), wide = population_of(true);
    return beyond ? wide : usual;
}

void thin_out(std::vector<Eigen::Index>& used, std::size_t most) {
    const std::size_t all = used.size();
    if (all <= most) return;
    for (std::size_t i = 0; i < most; ++i) used[i] = used[i * all / most];
    used.resize(most);
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
