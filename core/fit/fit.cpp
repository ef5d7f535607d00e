#include "fit/fit.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>
#include <random>

#include <tbb/parallel_for.h>

#include "fit/internal.hpp"

namespace refero::fit {

Vec3 Correction::operator()(const Vec3& camera_rgb) const { return coefficients * features(model, balance(camera_rgb)); }

namespace {

double weight_of(Intent intent, bool skin, const Vec3& lab) {
    if (intent == Intent::skin) return skin ? 6 : 1;
    if (intent == Intent::chroma) return 0.3 + colour::lch_from(lab)[1] / 40;
    return 1;
}

/// A patch's weight by intent and by its own or its role's.
double weight_of(const Correction& c, const chart::Definition* definition, const std::string& id) {
    const int index = definition ? definition->index_of(id) : -1;
    const std::string role = index >= 0 ? definition->patches[static_cast<std::size_t>(index)].role : std::string();
    const auto own = c.weights.contains(id) ? c.weights.find(id) : c.weights.find(role);
    return (own != c.weights.end() ? own->second : 1) * weight_of(c.intent, role == "skin", colour::lab_from_xyz(c.reference.xyz.at(id)));
}

/// The patches' weight beside a thousand plausible surfaces; more where their spectra, and so the camera, are guessed.
constexpr double weight_of_patches = 3, weight_without_spectra = 12;

/// All that the models of one shot are trained on. Every training tells which patches are in use, by 0 and 1.
class Lesson {
public:
    Lesson(const Correction& c, const chart::Definition* definition) {
        std::vector<Eigen::Index> at;
        for (std::size_t i = 0; i < c.reading.patches.size(); ++i) {
            const std::string& id = c.reading.patches[i].id;
            if (c.reference.xyz.contains(id) && std::find(c.left_out.begin(), c.left_out.end(), id) == c.left_out.end()) at.push_back(static_cast<Eigen::Index>(i)), ids.push_back(id);
        }
        const auto n = static_cast<Eigen::Index>(ids.size());
        balanced_.resize(3, n), sd_.resize(3, n);
        reflectance_.resize(colour::Spectrum::size, n);
        Eigen::Matrix3Xd xyz(3, n);
        bool measured = true;
        for (Eigen::Index i = 0; i < n; ++i) {
            const read::PatchReading& p = c.reading.patches[static_cast<std::size_t>(at[static_cast<std::size_t>(i)])];
            balanced_.col(i) = c.balance(Vec3(p.mean.data()));
            // Where the noise is not known, a tenth of the spread of the pixels stands for the mean's uncertainty.
            for (std::size_t k = 0; k < 3; ++k) sd_(static_cast<Eigen::Index>(k), i) = p.error[k] > 0 ? p.error[k] : p.sd[k] / std::sqrt(std::max(1.0, 0.1 * p.pixels));
            sd_.col(i) = c.balance.scaled(sd_.col(i));
            xyz.col(i) = c.reference.xyz.at(p.id);
            const auto spectrum = c.reference.spectrum.find(p.id);
            measured = measured && spectrum != c.reference.spectrum.end();
            reflectance_.col(i) = (spectrum != c.reference.spectrum.end() ? spectrum->second : colour::smooth_reflectance(xyz.col(i))).vector();
        }
        patches_ = samples_of(xyz);
        beside_surfaces_ = measured ? weight_of_patches : weight_without_spectra;
        for (Eigen::Index i = 0; i < n; ++i) patches_.weight[i] = weight_of(c, definition, ids[static_cast<std::size_t>(i)]);
        if (n >= least_for_surfaces) {
            model_error_ = likeliest_model_error(reflectance_, balanced_, sd_, Eigen::VectorXd::Ones(n));
            surfaces_ = plausible_surfaces(reflectance_, measured);
            for (Eigen::Index i = 0; i < surfaces_.samples.size(); ++i)
                surfaces_.samples.weight[i] = weight_of(c.intent, c.intent == Intent::skin && chart::likely_role(surfaces_.samples.xyz.col(i)) == "skin", surfaces_.samples.lab.col(i));
        }
    }

    static constexpr Eigen::Index least_for_surfaces = 8;
    std::vector<std::string> ids;
    Eigen::Index size() const { return balanced_.cols(); }
    const Samples& patches() const { return patches_; }
    Samples patches(Model model) const {
        Samples s = patches_;
        s.phi = features_of(model, balanced_);
        return s;
    }

    /// The patch that no light and camera explain, if there is one: far off what the others foretell.
    std::optional<Eigen::Index> odd_one() const {
        if (size() < 12) return std::nullopt;
        const Eigen::VectorXd use = Eigen::VectorXd::Ones(size());
        const Eigen::VectorXd surprise = estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, use).surprise;
        Eigen::Index worst = 0;
        surprise.maxCoeff(&worst);
        // The others, without its pull.
        Eigen::VectorXd without = use;
        without[worst] = 0;
        const double error = likeliest_model_error(reflectance_, balanced_, sd_, without);
        const SensitivityEstimate others = estimate_sensitivities(reflectance_, balanced_, sd_, error, without);
        const Vec3 foretold = others.sensitivities * reflectance_.col(worst), off = balanced_.col(worst) - foretold;
        std::vector<double> rest;
        for (Eigen::Index i = 0; i < size(); ++i)
            if (i != worst) rest.push_back(others.surprise[i]);
        std::sort(rest.begin(), rest.end());
        const double usual = std::max(1.0, rest[rest.size() / 2]), far = off.norm() / (error * foretold.norm() + sd_.col(worst).norm() + 0.002);
        return far > 10 * usual && off.norm() > 0.12 * foretold.norm() + 0.004 ? std::optional(worst) : std::nullopt;
    }

    /// `shape` is the model whose features are trained: a matrix for formats that hold no more.
    Coefficients train(Model model, Model shape, const Eigen::VectorXd& use) const {
        if (model == Model::diagonal) return colour::rgb_space("linear-bt709").to_xyz_d50();
        Samples s = patches(shape);
        s.weight = s.weight.cwiseProduct(use);
        if (model == Model::spectral) return spectral(shape, s, use);
        if (is_matrix(model) || model == Model::root_polynomial_2) return refine(s, solve(s, 1e-6));
        return solve(s, ridge(s));
    }
    Coefficients train(Model model, const Eigen::VectorXd& use) const { return train(model, model, use); }

    /// What a model would leave on plausible surfaces, by the sensitivities that all patches tell.
    Statistics unseen(Model model, const Coefficients& c) const {
        std::vector<double> all;
        if (!surfaces_.from.empty()) {
            Samples s = surfaces_.samples;
            s.phi = features_of(model, estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, Eigen::VectorXd::Ones(size())).sensitivities * surfaces_.reflectance);
            for (Eigen::Index i = 0; i < s.size(); ++i) all.push_back(delta_e(c, s, i));
        }
        return statistics(all);
    }

    /// The same with other readings of its patches: their noise drawn anew.
    Lesson drawn_again(std::mt19937_64& random) const {
        std::normal_distribution<double> normal;
        Lesson other = *this;
        for (Eigen::Index i = 0; i < size(); ++i)
            for (Eigen::Index c = 0; c < 3; ++c) other.balanced_(c, i) += sd_(c, i) * normal(random);
        return other;
    }

private:
    Coefficients spectral(Model shape, const Samples& patches, const Eigen::VectorXd& use) const {
        const Sensitivities seen = estimate_sensitivities(reflectance_, balanced_, sd_, model_error_, use).sensitivities;
        Samples s = surfaces_.samples;
        const Eigen::Index n = s.size(), m = patches.size();
        // Relatives of patches that are left out would tell of them.
        for (Eigen::Index i = 0; i < n; ++i)
            for (const int of : surfaces_.from[static_cast<std::size_t>(i)])
                if (of >= 0 && use[of] <= 0) s.weight[i] = 0;
        s.phi.resize(patches.phi.rows(), n + m);
        s.phi.leftCols(n) = features_of(shape, seen * surfaces_.reflectance), s.phi.rightCols(m) = patches.phi;
        const auto append = [](auto& to, const auto& more) {
            auto both = to;
            both.resize(3, to.cols() + more.cols());
            both << to, more;
            to = both;
        };
        append(s.xyz, patches.xyz), append(s.lab, patches.lab);
        s.metric.insert(s.metric.end(), patches.metric.begin(), patches.metric.end());
        Eigen::VectorXd weight(n + m);
        weight << s.weight, beside_surfaces_ * patches.weight;
        s.weight = weight;
        // Reweighted to the mean difference rather than its square: rare far-off colours would rule the rest.
        Coefficients c = solve(s, 1e-6);
        for (int round = 0; round < 2; ++round) {
            for (Eigen::Index i = 0; i < s.size(); ++i) s.weight[i] = weight[i] / std::sqrt(std::pow(delta_e(c, s, i), 2) + 0.25);
            c = solve(s, 1e-6);
        }
        return c;
    }

    /// How stiff a model must be to foretell patches best, by six folds.
    double ridge(const Samples& all) const {
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
            if (sum < least) least = sum, best = ridge;
        }
        return best;
    }

    Eigen::Matrix3Xd balanced_, sd_;
    Reflectances reflectance_;
    Samples patches_;
    Surfaces surfaces_;
    double model_error_ = 0.01, beside_surfaces_ = weight_of_patches;
};

struct Trial {
    Candidate candidate;
    Coefficients coefficients;
    std::vector<double> left_out; // delta E of each patch when it was left out
};

Coefficients widened(const Coefficients& matrix, Eigen::Index columns) {
    Coefficients c = Coefficients::Zero(3, columns);
    c.leftCols<3>() = matrix.leftCols<3>();
    return c;
}

/// Noise of the corrected grey stays below a quarter of it: a dim shot gets a stiffer model.
double allowed_gain(const read::Reading& reading, const std::string& white) {
    const read::PatchReading* p = reading.find(white);
    const double db = p ? read::snr_db(*p, 1) : NAN;
    return std::isfinite(db) ? std::clamp(0.25 * std::pow(10, db / 20), 1.6, most_noise_gain) : most_noise_gain;
}

/// Leaves a model so much of its freedom that it neither folds nor amplifies noise beyond what is allowed.
double share_to_keep(Model model, const Coefficients& full, const Coefficients& tame, double most_gain) {
    const auto good = [&](double share) {
        const Coefficients c = tame + share * (full - tame);
        return !folds(model, c) && noise_gain(model, c) <= most_gain;
    };
    if (good(1)) return 1;
    double low = 0, high = 1;
    for (int i = 0; i < 7; ++i) {
        const double middle = (low + high) / 2;
        (good(middle) ? low : high) = middle;
    }
    return low;
}

/// Patches of one hue, or the neutrals, are left out together.
std::vector<int> hue_groups(const Samples& s) {
    std::vector<int> group;
    for (Eigen::Index i = 0; i < s.size(); ++i) {
        const Vec3 lch = colour::lch_from(s.lab.col(i));
        group.push_back(lch[1] < 8 ? 0 : 1 + static_cast<int>(lch[2] / 60) % 6);
    }
    return group;
}

constexpr Eigen::Index most_folds = 60;

/// The surfaces are harder than most, the chart's patches easier, or the other way round: their geometric mean comes closer to
/// what other colours show than either (docs/benchmarks.md, Fits).
Statistics between(Statistics surfaces, const Statistics& patches) {
    if (!(surfaces.mean > 0 && patches.mean > 0)) return surfaces;
    const double k = std::sqrt(patches.mean / surfaces.mean);
    return {k * surfaces.mean, k * surfaces.median, k * surfaces.p95, k * surfaces.max};
}

Trial attempt(Model model, Model shape, const Lesson& lesson, double most_gain, const std::stop_token& stop) {
    Trial t;
    Candidate& k = t.candidate;
    k.model = shape;
    const Samples patches = lesson.patches(shape);
    const Eigen::Index n = patches.size();
    const Eigen::VectorXd all = Eigen::VectorXd::Ones(n);
    // A tamer model takes over where this one must not go: a matrix for the others, balance alone for a matrix.
    const auto tame_of = [&](const Eigen::VectorXd& use) {
        const Model tamer = is_matrix(shape) ? Model::diagonal : Model::matrix;
        return widened(lesson.train(model == Model::spectral && tamer == Model::matrix ? Model::spectral : tamer, tamer, use), patches.phi.rows());
    };
    const auto trained = [&](const Eigen::VectorXd& use) {
        Coefficients c = lesson.train(model, shape, use);
        if (k.kept < 1) {
            const Coefficients tame = tame_of(use);
            c = tame + k.kept * (c - tame);
        }
        return c;
    };
    t.coefficients = lesson.train(model, shape, all);
    const bool folded = shape != Model::diagonal && folds(shape, t.coefficients);
    if (shape != Model::diagonal && (folded || noise_gain(shape, t.coefficients) > most_gain)) {
        const Coefficients tame = tame_of(all);
        k.kept = share_to_keep(shape, t.coefficients, tame, most_gain);
        t.coefficients = tame + k.kept * (t.coefficients - tame);
        if (k.kept < 0.2) k.withdrawn = folded ? "it folds colours over one another" : "it amplifies noise too much";
    }

    std::vector<double> fitted;
    double neutral = 0;
    int neutrals = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
        fitted.push_back(delta_e(t.coefficients, patches, i));
        if (const Vec3 lab = patches.lab.col(i); std::hypot(lab[1], lab[2]) < 5) {
            const Vec3 seen = colour::lab_from_xyz(t.coefficients * patches.phi.col(i));
            neutral += std::hypot(seen[1] - lab[1], seen[2] - lab[2]), ++neutrals;
        }
    }
    k.fit = statistics(fitted);
    k.neutral = neutrals ? neutral / neutrals : 0;
    k.noise_gain = noise_gain(shape, t.coefficients);
    k.bend = bend(shape, t.coefficients);

    const std::vector<int> group = hue_groups(patches);
    const int groups = *std::max_element(group.begin(), group.end()) + 1;
    t.left_out.resize(static_cast<std::size_t>(n));
    std::vector<double> by_hue(static_cast<std::size_t>(n));
    // One patch at a time; of a large chart several, far apart.
    const Eigen::Index folds = std::min(n, most_folds);
    tbb::parallel_for(Eigen::Index{0}, folds + groups, [&](Eigen::Index i) {
        if (stop.stop_requested()) return;
        Eigen::VectorXd use = all;
        const auto out = [&](Eigen::Index p) { return i < folds ? p % folds == i : group[static_cast<std::size_t>(p)] == i - folds; };
        for (Eigen::Index p = 0; p < n; ++p)
            if (out(p)) use[p] = 0;
        if (use.sum() > n - 0.5) return; // nobody of this hue
        const Coefficients c = use.sum() < 3 ? t.coefficients : trained(use);
        for (Eigen::Index p = 0; p < n; ++p)
            if (out(p)) (i < folds ? t.left_out : by_hue)[static_cast<std::size_t>(p)] = delta_e(c, patches, p);
    });
    throw_if_stopped(stop);
    k.cross_validated = statistics(t.left_out);
    k.by_hue = statistics(by_hue);
    k.unseen = between(lesson.unseen(shape, t.coefficients), k.cross_validated);
    k.worst = lesson.ids[static_cast<std::size_t>(std::max_element(t.left_out.begin(), t.left_out.end()) - t.left_out.begin())];
    return t;
}

std::size_t least_patches(Model model) {
    switch (model) {
    case Model::diagonal: return 1;
    case Model::matrix: return 6;
    case Model::spectral: return static_cast<std::size_t>(Lesson::least_for_surfaces);
    case Model::root_polynomial_2: return 12;
    default: return 16;
    }
}

/// Mean gain of `b` over `a` on patches left out, and its standard error, from paired differences.
std::pair<double, double> gain(const Trial& a, const Trial& b) {
    const auto n = static_cast<double>(a.left_out.size());
    double sum = 0, squares = 0;
    for (std::size_t i = 0; i < a.left_out.size(); ++i) {
        const double d = a.left_out[i] - b.left_out[i];
        sum += d, squares += d * d;
    }
    const double mean = sum / n;
    return {mean, std::sqrt(std::max(0.0, squares / n - mean * mean) / (n - 1))};
}

/// CIEDE2000 that nobody sees, whatever its uncertainty.
constexpr double least_gain = 0.05;

// By paired differences, patch by patch: more freedom must gain more than one standard error.
const Trial& choose(const std::vector<Trial>& trials, std::string& why) {
    const Trial* best = nullptr;
    std::string others;
    for (const Trial& next : trials) {
        if (!next.candidate.withdrawn.empty()) continue;
        if (!best) {
            best = &next;
            why = "the simplest model is within the uncertainty of the others";
            continue;
        }
        const auto [mean, error] = gain(*best, next);
        const std::string name = name_of(next.candidate.model), than = name_of(best->candidate.model);
        // Taught by surfaces, the spectral model foretells unseen colours better than the patches show: a tie is enough for
        // it, and a clear gain is asked of what the patches alone taught (docs/benchmarks.md, Fits).
        const bool tie_is_enough = next.candidate.model == Model::spectral, clear_gain = best->candidate.model == Model::spectral;
        if (tie_is_enough ? mean > -error : mean > std::max(least_gain, (clear_gain ? 3 : 1) * error)) {
            best = &next;
            why = mean > error ? formatted("%s: %.2f CIEDE2000 better than %s on patches left out, more than the uncertainty of %.2f", name.c_str(), mean, than.c_str(), error)
                               : formatted("%s: as good as %s on patches left out, and taught by more colours than the chart has", name.c_str(), than.c_str());
            others.clear();
        } else if (mean > 0) {
            others += formatted("; %s gains %.2f on patches left out, with an uncertainty of %.2f not enough", name.c_str(), mean, error);
        }
    }
    why += others;
    return *best;
}

void take(Correction& c, const Trial& t) {
    c.model = t.candidate.model;
    c.coefficients = t.coefficients;
    c.fit = t.candidate.fit;
    c.cross_validated = t.candidate.cross_validated;
    c.unseen = t.candidate.unseen;
}

} // namespace

Correction build(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const Settings& settings, std::stop_token stop) {
    Correction c;
    c.intent = settings.intent;
    c.weights = settings.weights;
    c.cautions = settings.cautions;
    c.reading = reading;
    c.made = utc_now();
    c.program_version = program_version();
    c.reference.file = reference.file;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) continue;
        c.reference.xyz[p.id] = xyz->second;
        if (const auto s = reference.spectrum.find(p.id); s != reference.spectrum.end()) c.reference.spectrum[p.id] = s->second;
        if (!p.usable() || std::find(settings.without.begin(), settings.without.end(), p.id) != settings.without.end()) c.left_out.push_back(p.id);
    }
    if (c.reference.xyz.empty())
        throw Error(ErrorKind::input, "no patch of the reading stands in the reference", reference.file, "Check that both belong to the same chart");

    std::optional<Lesson> lesson;
    for (;;) {
        read::Reading trusted = c.reading; // a bad patch is no white either, unless it is asked for
        std::erase_if(trusted.patches, [&](const read::PatchReading& p) { return p.usable() && p.id != settings.white && std::find(c.left_out.begin(), c.left_out.end(), p.id) != c.left_out.end(); });
        c.balance = balance::balanced_on(trusted, c.reference, definition, settings.white);
        if (settings.curves) c.balance.curves = balance::curves_of(c.balance, trusted, c.reference, definition);
        lesson.emplace(c, definition);
        const auto odd = c.odd.size() < 3 ? lesson->odd_one() : std::nullopt;
        if (!odd) break;
        const std::string& id = lesson->ids[static_cast<std::size_t>(*odd)];
        if (id == settings.white) break; // asked for by name
        c.odd.push_back(id), c.left_out.push_back(id);
        throw_if_stopped(stop);
    }

    const double most_gain = allowed_gain(reading, c.balance.white_patch);
    std::vector<Trial> trials;
    for (const Model model : all_models) {
        if (settings.alone && settings.model && settings.model != model) continue;
        if (lesson->ids.size() < least_patches(model)) {
            if (settings.model == model || model == Model::diagonal)
                throw Error(ErrorKind::input, "only " + std::to_string(lesson->ids.size()) + " patches are usable, too few for the model " + name_of(model), {},
                            "Expose so that fewer patches clip, or choose a simpler model");
            continue;
        }
        trials.push_back(attempt(model, model, *lesson, most_gain, stop));
    }
    const auto asked = std::find_if(trials.begin(), trials.end(), [&](const Trial& t) { return settings.model == t.candidate.model; });
    if (asked != trials.end()) {
        if (!asked->candidate.withdrawn.empty())
            throw Error(ErrorKind::input, "the model " + name_of(*settings.model) + " cannot be used on this shot: " + asked->candidate.withdrawn, {}, "Choose auto or a simpler model, or shoot the chart again");
        take(c, *asked);
        c.choice = name_of(c.model) + ", as asked for";
    } else {
        take(c, choose(trials, c.choice));
    }
    for (const Trial& t : trials) c.candidates.push_back(t.candidate);
    return c;
}

namespace {

/// The chart that a correction was made on, for the roles that an intent weighs; none where it is not installed here.
std::optional<chart::Definition> definition_of(const Correction& c) {
    try {
        if (!c.reading.chart.empty()) return chart::find_definition(c.reading.chart);
    } catch (const Error&) {
    }
    return std::nullopt;
}

} // namespace

Correction as_matrix(const Correction& correction) {
    if (correction.is_matrix()) return correction;
    Correction c = correction;
    c.balance.curves = {};
    const auto definition = definition_of(c);
    const Model taught = c.model == Model::spectral ? Model::spectral : Model::matrix;
    take(c, attempt(taught, Model::matrix, Lesson(c, definition ? &*definition : nullptr), allowed_gain(c.reading, c.balance.white_patch), {}));
    c.choice = "matrix, the most that this format can hold";
    return c;
}

std::vector<std::pair<std::string, double>> weights_in_use(const Correction& c) {
    const auto definition = definition_of(c);
    std::vector<std::pair<std::string, double>> all;
    for (const read::PatchReading& p : c.reading.patches)
        if (c.reference.xyz.contains(p.id) && std::find(c.left_out.begin(), c.left_out.end(), p.id) == c.left_out.end()) all.emplace_back(p.id, weight_of(c, definition ? &*definition : nullptr, p.id));
    return all;
}

std::vector<Coefficients> bootstrap(const Correction& c, int draws, const Progress& progress, std::stop_token stop, std::uint64_t seed) {
    const auto definition = definition_of(c);
    const Lesson lesson(c, definition ? &*definition : nullptr);
    const auto n = static_cast<std::size_t>(lesson.size());
    std::vector<Coefficients> all(static_cast<std::size_t>(draws));
    std::atomic<int> done = 0;
    tbb::parallel_for(0, draws, [&](int i) {
        if (stop.stop_requested()) return;
        std::mt19937_64 random(seed * 1000003 + static_cast<std::uint64_t>(i));
        const Lesson again = lesson.drawn_again(random);
        Eigen::VectorXd use = Eigen::VectorXd::Zero(lesson.size());
        // A draw that leaves too few different patches says nothing of the fit.
        const auto least = static_cast<Eigen::Index>(std::min(n, least_patches(c.model)));
        do {
            use.setZero();
            for (std::size_t k = 0; k < n; ++k) use[static_cast<Eigen::Index>(random() % n)] += 1;
        } while ((use.array() > 0).count() < std::min<Eigen::Index>(least, static_cast<Eigen::Index>(n / 2)));
        all[static_cast<std::size_t>(i)] = again.train(c.model, use);
        if (const int k = ++done; progress && k % 8 == 0) progress(static_cast<double>(k) / draws);
    });
    throw_if_stopped(stop);
    return all;
}

} // namespace refero::fit
