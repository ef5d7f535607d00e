#include "fit/fit.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>

#include <Eigen/QR>
#include <ceres/ceres.h>
#include <tbb/parallel_for.h>

namespace refero::fit {

using Coefficients = Eigen::Matrix<double, 3, Eigen::Dynamic>;

std::string name_of(Model m) {
    switch (m) {
    case Model::diagonal: return "diagonal";
    case Model::matrix: return "matrix";
    case Model::root_polynomial_2: return "root-polynomial-2";
    }
    return "";
}

Model model_named(const std::string& name) {
    for (const Model m : {Model::diagonal, Model::matrix, Model::root_polynomial_2})
        if (name == name_of(m)) return m;
    throw Error(ErrorKind::usage, "unknown model '" + name + "'", {}, "This version has: auto diagonal matrix root-polynomial-2");
}

std::string name_of(Intent i) { return i == Intent::colorimetric ? "colorimetric" : i == Intent::skin ? "skin" : "chroma"; }

Intent intent_named(const std::string& name) {
    for (const Intent i : {Intent::colorimetric, Intent::skin, Intent::chroma})
        if (name == name_of(i)) return i;
    throw Error(ErrorKind::usage, "unknown intent '" + name + "'", {}, "Known: colorimetric skin chroma");
}

Statistics statistics(std::vector<double> v) {
    Statistics s;
    if (v.empty()) return s;
    std::sort(v.begin(), v.end());
    const auto quantile = [&](double q) {
        const double at = q * static_cast<double>(v.size() - 1);
        const auto i = static_cast<std::size_t>(at);
        return i + 1 < v.size() ? std::lerp(v[i], v[i + 1], at - static_cast<double>(i)) : v[i];
    };
    s.mean = std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
    s.median = quantile(0.5);
    s.p95 = quantile(0.95);
    s.max = v.back();
    return s;
}

Eigen::VectorXd features(Model model, const Vec3& rgb) {
    if (model != Model::root_polynomial_2) return rgb;
    // Roots of products of positive parts: light below zero is noise.
    const auto root = [](double a, double b) { return std::sqrt(std::max(a, 0.0) * std::max(b, 0.0)); };
    Eigen::VectorXd f(6);
    f << rgb[0], rgb[1], rgb[2], root(rgb[0], rgb[1]), root(rgb[1], rgb[2]), root(rgb[0], rgb[2]);
    return f;
}

Vec3 Correction::operator()(const Vec3& camera_rgb) const { return coefficients * features(model, balance(camera_rgb)); }

namespace {

struct Sample {
    Eigen::VectorXd phi; // features of the balanced colour
    Vec3 xyz;
    Vec3 lab;
    double weight = 1;
};
using Samples = std::vector<Sample>;

// Neutral stays neutral: the coefficients of all features sum to white. The last column is what the others leave.
Coefficients complete(const Eigen::Map<const Eigen::Matrix<double, 3, Eigen::Dynamic>>& free) {
    Coefficients c(3, free.cols() + 1);
    c.leftCols(free.cols()) = free;
    c.col(free.cols()) = colour::white_d50 - free.rowwise().sum();
    return c;
}

// Linear least squares on XYZ / white, each patch relative to its own luminance.
Eigen::VectorXd least_squares(const Samples& samples) {
    const Eigen::Index k = samples[0].phi.size() - 1, n = static_cast<Eigen::Index>(samples.size());
    Eigen::MatrixXd a(n, k), b(n, 3);
    for (Eigen::Index i = 0; i < n; ++i) {
        const Sample& s = samples[static_cast<std::size_t>(i)];
        const double w = std::sqrt(s.weight) / (s.xyz.y() + 0.05);
        const double last = s.phi[k];
        a.row(i) = w * (s.phi.head(k).array() - last).matrix().transpose();
        b.row(i) = w * (s.xyz - last * colour::white_d50).transpose();
    }
    // A touch of ridge keeps six nearly dependent features apart.
    const double ridge = 1e-6 * a.squaredNorm();
    const Eigen::MatrixXd m = (a.transpose() * a + ridge * Eigen::MatrixXd::Identity(k, k)).ldlt().solve(a.transpose() * b);
    const Coefficients free = m.transpose();
    return Eigen::Map<const Eigen::VectorXd>(free.data(), free.size());
}

struct Residuals {
    const Samples& samples;
    bool operator()(double const* const* parameters, double* residuals) const {
        const Eigen::Index k = samples[0].phi.size() - 1;
        const Coefficients c = complete({parameters[0], 3, k});
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const Vec3 lab = colour::lab_from_xyz(c * samples[i].phi);
            Eigen::Map<Vec3>(residuals + 3 * i) = std::sqrt(samples[i].weight) * colour::delta_e_2000_components(samples[i].lab, lab);
        }
        return true;
    }
};

// Refines free coefficients on CIEDE2000 by Levenberg-Marquardt.
Coefficients refine(const Samples& samples, Eigen::VectorXd free) {
    auto* cost = new ceres::DynamicNumericDiffCostFunction<Residuals>(new Residuals{samples});
    cost->AddParameterBlock(static_cast<int>(free.size()));
    cost->SetNumResiduals(static_cast<int>(3 * samples.size()));
    ceres::Problem problem;
    problem.AddResidualBlock(cost, nullptr, free.data());
    ceres::Solver::Options options;
    options.linear_solver_type = ceres::DENSE_QR;
    options.logging_type = ceres::SILENT;
    options.max_num_iterations = 30;
    options.function_tolerance = 1e-5;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    return complete({free.data(), 3, free.size() / 3});
}

Coefficients fit_model(Model model, const Samples& samples) {
    if (model == Model::diagonal) return colour::rgb_space("linear-bt709").to_xyz_d50();
    return refine(samples, least_squares(samples));
}

double delta_e(const Coefficients& c, const Sample& s) { return colour::delta_e_2000(s.lab, colour::lab_from_xyz(c * s.phi)); }

struct Trial {
    Candidate candidate;
    Coefficients coefficients;
    std::vector<double> left_out; // delta E of each patch when it was left out
};

Trial attempt(Model model, const Samples& samples, const std::stop_token& stop) {
    Trial t;
    t.candidate.model = model;
    t.coefficients = fit_model(model, samples);
    std::vector<double> fitted;
    for (const Sample& s : samples) fitted.push_back(delta_e(t.coefficients, s));
    t.candidate.fit = statistics(fitted);
    t.left_out.resize(samples.size());
    tbb::parallel_for(std::size_t{0}, samples.size(), [&](std::size_t i) {
        if (stop.stop_requested()) return;
        Samples rest = samples;
        rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(i));
        t.left_out[i] = delta_e(fit_model(model, rest), samples[i]);
    });
    throw_if_stopped(stop);
    t.candidate.cross_validated = statistics(t.left_out);
    return t;
}

double weight_of(Intent intent, const std::string& role, const Vec3& lab) {
    if (intent == Intent::skin) return role == "skin" ? 6 : 1;
    if (intent == Intent::chroma) return 0.3 + colour::lch_from(lab)[1] / 40;
    return 1;
}

Samples samples_for(Model model, const Correction& c, const chart::Definition* definition) {
    Samples samples;
    for (const read::PatchReading& p : c.reading.patches) {
        const auto xyz = c.reference.xyz.find(p.id);
        if (xyz == c.reference.xyz.end() || std::find(c.left_out.begin(), c.left_out.end(), p.id) != c.left_out.end()) continue;
        const int index = definition ? definition->index_of(p.id) : -1;
        const std::string role = index >= 0 ? definition->patches[static_cast<std::size_t>(index)].role : "";
        Sample s;
        s.phi = features(model, c.balance(Vec3(p.mean[0], p.mean[1], p.mean[2])));
        s.xyz = xyz->second;
        s.lab = colour::lab_from_xyz(s.xyz);
        s.weight = weight_of(c.intent, role, s.lab);
        samples.push_back(std::move(s));
    }
    return samples;
}

std::size_t free_columns(Model model) { return model == Model::diagonal ? 0 : model == Model::matrix ? 2 : 5; }

// By paired differences, patch by patch: more freedom must gain more than one standard error.
const Trial& choose(const std::vector<Trial>& trials, std::string& why) {
    const Trial* best = &trials.front();
    why = "the simplest model is within the uncertainty of the others";
    for (std::size_t k = 1; k < trials.size(); ++k) {
        const Trial& next = trials[k];
        const auto n = static_cast<double>(next.left_out.size());
        double sum = 0, squares = 0;
        for (std::size_t i = 0; i < next.left_out.size(); ++i) {
            const double d = best->left_out[i] - next.left_out[i];
            sum += d, squares += d * d;
        }
        const double mean = sum / n, error = std::sqrt(std::max(0.0, squares / n - mean * mean) / (n - 1));
        char text[200];
        if (mean > error) {
            std::snprintf(text, sizeof text, "%s: %.2f CIEDE2000 better than %s on patches left out, more than the uncertainty of %.2f",
                          name_of(next.candidate.model).c_str(), mean, name_of(best->candidate.model).c_str(), error);
            best = &next;
            why = text;
        } else {
            std::snprintf(text, sizeof text, "; %s gains %.2f on patches left out, less than its uncertainty of %.2f",
                          name_of(next.candidate.model).c_str(), mean, error);
            why += text;
        }
    }
    return *best;
}

} // namespace

Correction build(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const Settings& settings, std::stop_token stop) {
    Correction c;
    c.intent = settings.intent;
    c.reading = reading;
    c.made = utc_now();
    c.program_version = program_version();
    c.reference.file = reference.file;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) continue;
        c.reference.xyz[p.id] = xyz->second;
        if (!p.usable()) c.left_out.push_back(p.id);
    }
    if (c.reference.xyz.empty())
        throw Error(ErrorKind::input, "no patch of the reading stands in the reference", reference.file, "Check that both belong to the same chart");
    const std::string white = settings.white.empty() ? balance::choose_white(reading, c.reference, definition) : settings.white;
    c.balance = balance::on_patch(reading, c.reference, white);

    std::vector<Trial> trials;
    const Trial* asked = nullptr;
    for (const Model model : {Model::diagonal, Model::matrix, Model::root_polynomial_2}) {
        const Samples samples = samples_for(model, c, definition);
        if (samples.size() < 2 * free_columns(model) + 2) {
            if (settings.model == model || model == Model::diagonal)
                throw Error(ErrorKind::input, "only " + std::to_string(samples.size()) + " patches are usable, too few for the model " + name_of(model), {},
                            "Expose so that fewer patches clip, or choose a simpler model");
            continue;
        }
        trials.push_back(attempt(model, samples, stop));
    }
    for (const Trial& t : trials)
        if (settings.model == t.candidate.model) asked = &t;
    const Trial& chosen = asked ? *asked : choose(trials, c.choice);
    if (asked) c.choice = name_of(chosen.candidate.model) + ", as asked for";
    c.model = chosen.candidate.model;
    c.coefficients = chosen.coefficients;
    c.fit = chosen.candidate.fit;
    c.cross_validated = chosen.candidate.cross_validated;
    for (const Trial& t : trials) c.candidates.push_back(t.candidate);
    return c;
}

Correction as_matrix(const Correction& correction) {
    if (correction.model != Model::root_polynomial_2) return correction;
    Correction c = correction;
    c.model = Model::matrix;
    std::optional<chart::Definition> definition; // for the roles that an intent weighs
    try {
        if (!c.reading.chart.empty()) definition = chart::find_definition(c.reading.chart);
    } catch (const Error&) {
        definition.reset(); // a chart that is not installed here: all patches alike
    }
    const Trial t = attempt(Model::matrix, samples_for(Model::matrix, c, definition ? &*definition : nullptr), {});
    c.coefficients = t.coefficients;
    c.fit = t.candidate.fit;
    c.cross_validated = t.candidate.cross_validated;
    c.choice = "matrix, the most that this format can hold";
    return c;
}

} // namespace refero::fit
