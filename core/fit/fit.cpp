#include "fit/fit.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>
#include <random>

#include <tbb/parallel_for.h>

#include "fit/internal/lesson.hpp"
#include "inspect/inspect.hpp"

namespace refero::fit {

Vec3 Correction::operator()(const Vec3& camera_rgb) const {
    return coefficients * features(model, balance(camera_rgb));
}

Vec3 Correction::shown(const Vec3& camera_rgb) const {
    return look::looked_xyz(look, look::matrix_of(finish, light) * (*this)(camera_rgb));
}

namespace {

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

/// The surfaces are harder than most, the chart's patches easier, or the other way round: their geometric mean comes
/// closer to what other colours show than either (docs/benchmarks.md, Fits).
Statistics between(Statistics surfaces, const Statistics& patches) {
    if (!(surfaces.mean > 0 && patches.mean > 0)) return surfaces;
    const double k = std::sqrt(patches.mean / surfaces.mean);
    return {k * surfaces.mean, k * surfaces.median, k * surfaces.p95, k * surfaces.max};
}

Trial attempt(Model model, Model shape, const Lesson& lesson, double most_gain, const std::stop_token& stop,
              bool tested = true) {
    Trial t;
    Candidate& k = t.candidate;
    k.model = shape;
    const Samples patches = lesson.patches(shape);
    const Eigen::Index n = patches.size();
    const Eigen::VectorXd all = Eigen::VectorXd::Ones(n);
    // A tamer model takes over where this one must not go: a matrix for the others, balance alone for a matrix.
    const auto tame_of = [&](const Eigen::VectorXd& use) {
        const Model tamer = is_matrix(shape) ? Model::diagonal : Model::matrix;
        return widened(
            lesson.train(model == Model::spectral && tamer == Model::matrix ? Model::spectral : tamer, tamer, use),
            patches.phi.rows());
    };
    Coefficients whole = lesson.train(model, shape, all);
    if (!is_matrix(shape) && folds(shape, whole)) {
        const Coefficients tame = tame_of(all);
        const double share = 0.9 * share_to_keep(shape, whole, tame, INFINITY);
        const Coefficients start = tame + share * (whole - tame);
        double left = 1;
        whole = lesson.train(model, shape, all, &start, &left);
        k.kept = 1 - (1 - share) * left;
    }
    t.coefficients = whole;
    const bool loud = shape != Model::diagonal && noise_gain(shape, whole) > most_gain;
    double share = 1;
    if (loud || (shape != Model::diagonal && folds(shape, whole))) {
        const Coefficients tame = tame_of(all);
        share = share_to_keep(shape, whole, tame, most_gain);
        t.coefficients = tame + share * (whole - tame);
        k.kept *= share;
    }
    // Of the spectral model a matrix is left at least that surfaces taught.
    if (k.kept < 0.2 && (loud || model != Model::spectral))
        k.withdrawn = loud ? "it amplifies noise too much" : "it folds colours over one another";
    const auto trained = [&](const Eigen::VectorXd& use) {
        Coefficients c = lesson.train(model, shape, use, &whole);
        if (share < 1) {
            const Coefficients tame = tame_of(use);
            c = tame + share * (c - tame);
        }
        return c;
    };

    std::vector<double> fitted;
    double neutral = 0;
    int neutrals = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
        fitted.push_back(delta_e(t.coefficients, patches, i));
        if (const Vec3 lab = patches.lab.col(i); std::hypot(lab[1], lab[2]) < 5) {
            const Vec3 seen = colour::lab_from_xyz(t.coefficients * patches.phi.col(i));
            neutral += std::hypot(seen[1] - lab[1], seen[2] - lab[2]);
            ++neutrals;
        }
    }
    k.fit = statistics(fitted);
    k.neutral = neutrals ? neutral / neutrals : 0;
    k.noise_gain = noise_gain(shape, t.coefficients);
    k.bend = bend(shape, t.coefficients);

    if (!tested) return t;
    const std::vector<int> group = hue_groups(patches);
    const int groups = *std::max_element(group.begin(), group.end()) + 1;
    t.left_out.resize(static_cast<std::size_t>(n));
    std::vector<double> by_hue(static_cast<std::size_t>(n));
    // One patch at a time; of a large chart several, far apart.
    const Eigen::Index folds = std::min(n, most_folds);
    tbb::parallel_for(Eigen::Index{0}, folds + groups, [&](Eigen::Index i) {
        if (stop.stop_requested()) return;
        Eigen::VectorXd use = all;
        const auto out = [&](Eigen::Index p) {
            return i < folds ? p % folds == i : group[static_cast<std::size_t>(p)] == i - folds;
        };
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
    k.worst =
        lesson
            .ids[static_cast<std::size_t>(std::max_element(t.left_out.begin(), t.left_out.end()) - t.left_out.begin())];
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
        sum += d;
        squares += d * d;
    }
    const double mean = sum / n;
    return {mean, std::sqrt(std::max(0.0, squares / n - mean * mean) / (n - 1))};
}

/// CIEDE2000 that nobody sees, whatever its uncertainty.
constexpr double least_gain = 0.05;
/// Of the figure on patches left out: so much more may be left by what learnt from the colourants of a rendering's kind
/// of work, of which the patches tell nothing.
constexpr double given_for_kind = 0.25;

// By paired differences, patch by patch: more freedom must gain more than one standard error.
const Trial& choose(const std::vector<Trial>& trials, Intent intent, std::string& why) {
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
        // Taught by surfaces, the spectral model foretells unseen colours better than the patches show: a tie is enough
        // for it, and a clear gain is asked of what the patches alone taught (docs/benchmarks.md, Fits).
        const bool tie_is_enough = next.candidate.model == Model::spectral,
                   clear_gain = best->candidate.model == Model::spectral;
        const double given = intent == Intent::even ? 0 : given_for_kind * best->candidate.cross_validated.mean;
        if (tie_is_enough ? mean > -error - given
                          : mean > std::max(least_gain, (clear_gain ? 3 : 1) * error) + (clear_gain ? given : 0)) {
            best = &next;
            why =
                mean < -error
                    ? formatted("{}: it learnt from surfaces of this kind of work, and leaves {:.2f} CIEDE2000 "
                                "more than {} on patches held out",
                                name, -mean, than)
                : mean > error
                    ? formatted("{}: {:.2f} CIEDE2000 better than {} on patches held out, more than the uncertainty of "
                                "{:.2f}",
                                name, mean, than, error)
                    : formatted("{}: as good as {} on patches held out, and taught by more colours than the chart has",
                                name, than);
            others.clear();
        } else if (mean > 0) {
            others += given > 0 && clear_gain && mean > 3 * error
                          ? formatted("; {} gains {:.2f} on patches held out, which tell little of this kind of work",
                                      name, mean)
                          : formatted("; {} gains {:.2f} on patches held out, with an uncertainty of {:.2f} not enough",
                                      name, mean, error);
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

/// What is usable of a reading without some patches; unusable ones stay, for what they tell.
read::Reading without(read::Reading reading, const std::vector<std::string>& ids) {
    std::erase_if(reading.patches, [&](const read::PatchReading& p) {
        return p.usable() && std::find(ids.begin(), ids.end(), p.id) != ids.end();
    });
    return reading;
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
    c.reference.nominal = reference.nominal;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) continue;
        c.reference.xyz[p.id] = xyz->second;
        if (const auto s = reference.spectrum.find(p.id); s != reference.spectrum.end())
            c.reference.spectrum[p.id] = s->second;
        if (!p.usable() || std::find(settings.without.begin(), settings.without.end(), p.id) != settings.without.end())
            c.left_out.push_back(p.id);
    }
    if (definition)
        for (const chart::Patch& p : definition->patches)
            if (c.reference.xyz.contains(p.id)) c.roles[p.id] = p.role;
    if (c.reference.xyz.empty())
        throw Error(ErrorKind::input, "no patch of the reading stands in the reference", reference.file,
                    "Check that both belong to the same chart");

    const auto odd = settings.untested
                         ? std::vector<std::string>()
                         : inspect::odd_patches(without(reading, c.left_out), reference, definition, settings.finished);
    for (const std::string& id : odd) {
        constexpr std::size_t most_odd = 3; // more are no single mishap, which the gate tells
        if (id == settings.white || c.odd.size() == most_odd) continue; // asked for by name
        c.odd.push_back(id);
        c.left_out.push_back(id);
    }
    throw_if_stopped(stop);
    // A bad patch is no white either, unless it is asked for.
    std::vector<std::string> distrusted = c.left_out;
    std::erase(distrusted, settings.white);
    const read::Reading trusted = without(c.reading, distrusted);
    c.balance = balance::balanced_on(trusted, c.reference, definition, settings.white);
    if (settings.curves) c.balance.curves = balance::curves_of(c.balance, trusted, c.reference, definition);
    const Lesson lesson(c, settings.lead.get());

    const double most_gain = allowed_gain(reading, c.balance.white_patch);
    std::vector<Trial> trials;
    for (const Model model : all_models) {
        if (settings.alone && settings.model && settings.model != model) continue;
        if (lesson.ids.size() < least_patches(model)) {
            if (settings.model == model || model == Model::diagonal)
                throw Error(ErrorKind::input,
                            "only " + std::to_string(lesson.ids.size()) +
                                " patches are usable, too few for the model " + name_of(model),
                            {}, "Expose so that fewer patches clip, or choose a simpler model");
            continue;
        }
        trials.push_back(attempt(model, model, lesson, most_gain, stop, !settings.untested));
    }
    const auto asked =
        std::find_if(trials.begin(), trials.end(), [&](const Trial& t) { return settings.model == t.candidate.model; });
    if (asked != trials.end()) {
        if (!asked->candidate.withdrawn.empty())
            throw Error(ErrorKind::input,
                        "the model " + name_of(*settings.model) +
                            " cannot be used on this shot: " + asked->candidate.withdrawn,
                        {}, "Choose auto or a simpler model, or shoot the chart again");
        take(c, *asked);
        c.choice = name_of(c.model) + ", as asked for";
    } else {
        take(c, choose(trials, c.intent, c.choice));
    }
    for (const Trial& t : trials) c.candidates.push_back(t.candidate);
    constexpr double never_of_a_camera = 8; // CIEDE2000, median of the patches left out
    if (c.model != Model::diagonal && c.cross_validated.median > never_of_a_camera)
        c.cautions.insert(c.cautions.begin(),
                          formatted("Most patches held out are far from their values ({:.0f} CIEDE2000 in the median): "
                                    "look for wrong reference values or a wrong chart before blaming camera or light",
                                    c.cross_validated.median));
    return c;
}

Correction as_matrix(const Correction& correction) {
    if (correction.is_matrix()) return correction;
    Correction c = correction;
    c.balance.curves = {};
    const Model taught = c.model == Model::spectral ? Model::spectral : Model::matrix;
    take(c, attempt(taught, Model::matrix, Lesson(c), allowed_gain(c.reading, c.balance.white_patch), {}));
    c.choice = "matrix, the most that this format can hold";
    return c;
}

std::vector<Vec3> plausible_colours(const Correction& c) {
    if (c.reading.patches.size() < static_cast<std::size_t>(Lesson::least_for_surfaces)) return {};
    const Eigen::Matrix3Xd seen = Lesson(c).surfaces_seen();
    const Vec3 to_camera = (c.balance.exposure * c.balance.gains).cwiseInverse();
    std::vector<Vec3> all;
    for (Eigen::Index i = 0; i < seen.cols(); ++i) all.push_back(to_camera.cwiseProduct(seen.col(i)));
    return all;
}

std::vector<std::pair<std::string, double>> weights_in_use(const Correction& c) {
    std::vector<std::pair<std::string, double>> all;
    for (const read::PatchReading& p : c.reading.patches)
        if (c.reference.xyz.contains(p.id) && std::find(c.left_out.begin(), c.left_out.end(), p.id) == c.left_out.end())
            all.emplace_back(p.id, weight_of(c, p.id));
    return all;
}

std::vector<Coefficients> bootstrap(const Correction& c, int draws, const Progress& progress, std::stop_token stop,
                                    std::uint64_t seed) {
    const Lesson lesson(c);
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
        all[static_cast<std::size_t>(i)] = again.train(c.model, c.model, use, &c.coefficients);
        if (const int k = ++done; progress && k % 8 == 0) progress(static_cast<double>(k) / draws);
    });
    throw_if_stopped(stop);
    return all;
}

} // namespace refero::fit
