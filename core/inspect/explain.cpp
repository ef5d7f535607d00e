// What light and camera explain of a reading: any plausible camera under any plausible light, smooth light, maybe a
// shadow, a veil; what is left over is a fault. docs/methods.md, Gate.
#include <cmath>
#include <numbers>

#include <Eigen/LU>

#include "base/line.hpp"
#include "base/statistics.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/plausible.hpp"

namespace refero::inspect {

using colour::Vec3;

namespace {

struct Patch {
    std::size_t index;    ///< in the reading
    double x, y;          ///< of its centre, -0.5 to 0.5 across the chart
    double width, height; ///< shares of the chart's
};

struct Step {
    double gained = -INFINITY;
    EdgeLine line;
    Eigen::VectorXd shape; ///< -0.5 to 0.5
};

/// One explanation: smooth light, or light with a step.
struct Explanation {
    std::array<std::optional<Channel>, 3> channel;
    Eigen::VectorXd beta; ///< slopes of the light by the patches' means: x, y, step
    Eigen::MatrixXd covariance;
    Eigen::VectorXd gain; ///< of the light on each patch
    std::vector<bool> odd;
    double log_likelihood = -INFINITY;
};

/// A step that pixels show, and its size, natural logarithm of the picture's values.
struct SeenStep {
    Step step;
    Estimate size;
};

class Explainer {
public:
    Explainer(const read::Reading& reading, const chart::Definition* d, const chart::Reference& reference,
              bool finished)
        : finished_(finished) {
        std::vector<Vec3> xyz;
        std::vector<const colour::Spectrum*> spectra;
        for (std::size_t i = 0; i < reading.patches.size(); ++i) {
            const read::PatchReading& r = reading.patches[i];
            const int at = d ? d->index_of(r.id) : -1;
            const auto known = reference.xyz.find(r.id);
            if ((d && at < 0) || known == reference.xyz.end() || r.pixels <= 0 ||
                !std::isfinite(r.mean[0] + r.mean[1] + r.mean[2]))
                continue;
            Patch patch{i, 0, 0, 0, 0};
            if (d) {
                const chart::Patch& p = d->patches[static_cast<std::size_t>(at)];
                patch = {i, (p.x_mm + p.w_mm / 2) / d->width_mm - 0.5, (p.y_mm + p.h_mm / 2) / d->height_mm - 0.5,
                         p.w_mm / d->width_mm, p.h_mm / d->height_mm};
            }
            patches.push_back(patch);
            xyz.push_back(known->second);
            const auto spectrum = reference.spectrum.find(r.id);
            spectra.push_back(spectrum == reference.spectrum.end() ? nullptr : &spectrum->second);
        }
        const auto n = static_cast<Eigen::Index>(patches.size());
        seen.resize(n, 3);
        noise.resize(n, 3);
        out_ = Eigen::MatrixXd::Zero(n, 3);
        for (Eigen::Index i = 0; i < n; ++i) {
            const read::PatchReading& r = reading.patches[patches[static_cast<std::size_t>(i)].index];
            usable += r.usable();
            for (Eigen::Index c = 0; c < 3; ++c) {
                const auto k = static_cast<std::size_t>(c);
                seen(i, c) = r.mean[k];
                noise(i, c) = r.error[k] > 0 ? r.error[k] : r.sd[k] / std::sqrt(std::max(1, r.pixels));
                const bool told =
                    r.usable() && (!finished || (r.mean[k] > finished_black && r.mean[k] < finished_white));
                if (!told) out_(i, c) = out_of_use;
            }
        }
        if (usable < least_patches) return;
        surfaces_ = surfaces_of(xyz, spectra);
        // A sheen or dirt makes a patch uneven: that is no noise, which grows with the root of the signal.
        for (Eigen::Index c = 0; c < 3; ++c) {
            const Eigen::ArrayXd root = seen.col(c).array().max(1e-6).sqrt(), each = noise.col(c).array() / root;
            const double usual = median(std::vector<double>(each.begin(), each.end()));
            noise.col(c) = each.min(most_noise * usual) * root;
        }
    }

    std::vector<Patch> patches;
    Eigen::MatrixXd seen, noise; ///< a row a patch, a column a channel
    int usable = 0;

    /// Explains with the light's slopes and, where given, a step.
    Explanation explain(const Step* step) const {
        Explanation e;
        const auto n = static_cast<Eigen::Index>(patches.size());
        e.gain = Eigen::VectorXd::Ones(n);
        e.odd.assign(patches.size(), false);
        const Eigen::MatrixXd regressors = regressors_of(step);
        e.beta = Eigen::VectorXd::Zero(regressors.cols());
        settle(e, regressors, {}, 3, true);
        Freedom likeliest = likeliest_of(e, regressors);
        name_odd(e, regressors, likeliest);
        settle(e, regressors, likeliest, 2, false);
        return e;
    }

    Step step_at(const EdgeLine& line) const {
        Step step{0, line, Eigen::VectorXd(static_cast<Eigen::Index>(patches.size()))};
        const StepShape shape = line.shape(patch_reach);
        for (Eigen::Index i = 0; i < step.shape.size(); ++i) {
            const Patch& p = patches[static_cast<std::size_t>(i)];
            step.shape[i] = shape(p.x, p.y, p.width, p.height);
        }
        return step;
    }

    /// The likeliest straight edge of a shadow, if light without one were to explain as much as `smooth` does.
    Step search(const Explanation& smooth) const {
        Step best;
        for (int k = 0; k < step_angles; ++k) {
            const double angle = std::numbers::pi * k / step_angles, c = std::cos(angle), s = std::sin(angle);
            double low = INFINITY, high = -INFINITY;
            for (const Patch& p : patches) {
                low = std::min(low, p.x * c + p.y * s);
                high = std::max(high, p.x * c + p.y * s);
            }
            for (int q = 1; q < step_cuts; ++q) {
                Step step = step_at({angle, std::lerp(low, high, static_cast<double>(q) / step_cuts)});
                if ((step.shape.array() < -0.4).count() < 3 || (step.shape.array() > 0.4).count() < 3) continue;
                double top = 0, bottom = 0;
                for (const auto& channel : smooth.channel) {
                    const auto [numerator, denominator] = channel->score(step.shape);
                    top += numerator / 3;
                    bottom += denominator / 3;
                }
                if (std::abs(top / bottom) < least_step) continue; // stands in for a slope
                step.gained = 0.5 * top * top / bottom;
                if (step.gained > best.gained) best = std::move(step);
            }
        }
        return best;
    }

    /// The straight edge that pixels show best, inside of the patches that it crosses and on the strips between them.
    std::optional<SeenStep> seen_step(const std::vector<PatchPixels>& pixels, const Strips& strips) const {
        std::vector<EdgeLine> lines = lines_inside(pixels);
        if (finished_) { // strips may show one that no patch does
            const std::vector<EdgeLine> all = lines_across();
            lines.insert(lines.end(), all.begin(), all.end());
        }
        std::optional<SeenStep> best;
        double most = 0;
        for (const EdgeLine& line : lines) {
            const StepShape shape = line.shape(block_reach);
            const int crossed = crossed_by(pixels, shape);
            const double gained = strips.gained(shape);
            if (crossed < witnesses() && gained < strip_evidence) continue;
            Step step = step_at(line);
            if ((step.shape.array() < -0.4).count() < 3 || (step.shape.array() > 0.4).count() < 3) continue;
            const auto [size, evidence] = size_of(shape, crossed, gained, pixels, strips);
            if (evidence <= most) continue;
            most = evidence;
            best = {std::move(step), size};
        }
        return best;
    }

    /// The same explanation with no patch odd and the usual freedom.
    Explanation open(const Explanation& of) const {
        Explanation e = of;
        e.odd.assign(patches.size(), false);
        solve(e, regressors_of(nullptr), {});
        return e;
    }

    /// Signal of a patch as the others foretell it.
    Vec3 expected(const Explanation& e, std::size_t patch) const {
        const auto row = static_cast<Eigen::Index>(patch);
        return e.gain[row] *
               Vec3(e.channel[0]->expected[row], e.channel[1]->expected[row], e.channel[2]->expected[row]);
    }
    /// How far a patch is from that, relative to it, and how surely.
    std::pair<double, double> residual(const Explanation& e, std::size_t patch) const {
        const auto row = static_cast<Eigen::Index>(patch);
        const Vec3 x = expected(e, patch);
        const Vec3 sd = e.gain[row] * Vec3(e.channel[0]->expected_sd[row], e.channel[1]->expected_sd[row],
                                           e.channel[2]->expected_sd[row]);
        const double level = (e.channel[0]->white + e.channel[1]->white + e.channel[2]->white) / 3,
                     size = x.cwiseMax(0.0).norm() + 2 * dark_share * std::max(0.0, level);
        return {(Vec3(seen.row(row)) - x).norm() / size, sd.norm() / size};
    }

    const Surfaces& surfaces() const { return surfaces_; }

private:
    /// So many patches must show an edge: in a raw file two will do, as they must show it surely.
    int witnesses() const { return finished_ ? least_witnesses : least_sure_witnesses; }

    /// How large a step the pixels show, and the evidence for one; 0: none.
    std::pair<Estimate, double> size_of(const StepShape& shape, int crossed, double gained,
                                        const std::vector<PatchPixels>& pixels, const Strips& strips) const {
        const auto between = gained >= strip_evidence ? strips.step(shape) : std::nullopt;
        const auto inside = crossed > 0 ? step_inside(pixels, shape) : std::nullopt;
        Estimate size;
        double evidence = 0;
        if (inside && std::abs(inside->value[0]) >= least_seen_step) {
            const int agreeing = agreeing_of(pixels, shape, inside->value[0]);
            const double seen = std::abs(inside->value[0]) / inside->sd(0);
            if (agreeing >= witnesses() && agreeing >= most_agree * crossed &&
                seen >= (finished_ ? seen_from_sd : surely_seen_sd)) {
                size = *inside;
                evidence = agreeing * seen;
            }
        }
        if (between && std::abs(between->value[0]) >= least_seen_step) {
            // What the edge crosses must show it, too.
            const int agreeing = crossed > 0 ? agreeing_of(pixels, shape, between->value[0]) : 0;
            if (2 * agreeing >= crossed) {
                size = evidence > 0 ? combined(size, *between) : *between;
                evidence += gained;
            }
        }
        return {size, evidence};
    }

    /// The light's slopes, and the step where there is one: a row a patch.
    Eigen::MatrixXd regressors_of(const Step* step) const {
        Eigen::MatrixXd regressors(static_cast<Eigen::Index>(patches.size()), step ? 3 : 2);
        for (Eigen::Index i = 0; i < regressors.rows(); ++i) {
            regressors(i, 0) = patches[static_cast<std::size_t>(i)].x;
            regressors(i, 1) = patches[static_cast<std::size_t>(i)].y;
        }
        if (step) regressors.col(2) = step->shape;
        return regressors;
    }

    void solve(Explanation& e, const Eigen::MatrixXd& regressors, const Freedom& f) const {
        e.log_likelihood = 0;
        const Eigen::VectorXd back = e.gain.cwiseInverse();
        for (Eigen::Index c = 0; c < 3; ++c) {
            Eigen::VectorXd doubted = out_.col(c);
            for (std::size_t i = 0; i < patches.size(); ++i)
                if (e.odd[i]) {
                    double& doubt = doubted[static_cast<Eigen::Index>(i)];
                    doubt = std::max(doubt, odd_doubt);
                }
            const Channel& solved = e.channel[static_cast<std::size_t>(c)].emplace(
                surfaces_, seen.col(c).cwiseProduct(back), noise.col(c).cwiseProduct(back), regressors, f, finished_,
                doubted);
            e.log_likelihood += solved.log_likelihood;
        }
    }

    /// Tries what may be known of camera and paint; leaves the likeliest solved.
    Freedom likeliest_of(Explanation& e, const Eigen::MatrixXd& regressors) const {
        Freedom likeliest;
        double best = -INFINITY;
        for (const double camera : camera_freedoms)
            for (const double paint : paint_doubts) {
                solve(e, regressors, {camera, paint});
                if (e.log_likelihood <= best) continue;
                best = e.log_likelihood;
                likeliest = {camera, paint};
            }
        solve(e, regressors, likeliest);
        return likeliest;
    }

    /// By how many standard deviations each patch is not foretold by the others, in its worst channel.
    std::vector<double> surprise(const Explanation& e) const {
        std::vector<double> all(patches.size());
        for (std::size_t i = 0; i < patches.size(); ++i) {
            const auto at = static_cast<Eigen::Index>(i);
            for (std::size_t c = 0; c < 3; ++c) {
                const double left = std::abs(e.channel[c]->left[at]);
                if (out_(at, static_cast<Eigen::Index>(c)) > 0 || left < odd_from) continue;
                all[i] = std::max(all[i], left / e.channel[c]->left_sd[at]);
            }
        }
        return all;
    }

    /// A patch is odd where all is likelier without it: then cameras and paint need less freedom.
    void name_odd(Explanation& e, const Eigen::MatrixXd& regressors, Freedom& likeliest) const {
        for (std::size_t named = 0; named < patches.size() / 4; ++named) {
            std::vector<double> odd = surprise(e);
            Explanation best = e;
            Freedom best_freedom = likeliest;
            for (int k = 0; k < odd_candidates; ++k) {
                const auto worst = static_cast<std::size_t>(std::max_element(odd.begin(), odd.end()) - odd.begin());
                if (!(odd[worst] > 0)) break;
                odd[worst] = 0;
                if (e.odd[worst]) continue;
                Explanation trial = e;
                trial.odd[worst] = true;
                const Freedom f = likeliest_of(trial, regressors);
                if (trial.log_likelihood < std::max(best.log_likelihood, e.log_likelihood + odd_better)) continue;
                best = trial;
                best_freedom = f;
            }
            if (best.log_likelihood < e.log_likelihood + odd_better) break;
            e = best;
            likeliest = best_freedom;
        }
    }

    /// Solves and divides the light out until it changes no more; with `naming` names odd patches, the worst first.
    void settle(Explanation& e, const Eigen::MatrixXd& regressors, const Freedom& f, int rounds, bool naming) const {
        for (int round = 0; round < rounds; ++round) {
            solve(e, regressors, f);
            // The light is the same in all channels; where one knows nothing it has no say.
            Eigen::MatrixXd weights = Eigen::MatrixXd::Zero(regressors.cols(), regressors.cols());
            Eigen::VectorXd sum = Eigen::VectorXd::Zero(regressors.cols());
            for (const auto& channel : e.channel) {
                const Eigen::MatrixXd w = channel->slopes.covariance.inverse() / 3;
                weights += w;
                sum += w * channel->slopes.value;
            }
            e.covariance = weights.inverse();
            const Eigen::VectorXd change = e.covariance * sum;
            e.beta += change;
            e.gain = (regressors * e.beta).array().exp();
            if (!naming) continue;
            const std::vector<double> odd = surprise(e);
            double worst = 0;
            for (std::size_t i = 0; i < patches.size(); ++i) worst = std::max(worst, e.odd[i] ? 0 : odd[i]);
            for (std::size_t i = 0; i < patches.size(); ++i)
                e.odd[i] = odd[i] > (e.odd[i] ? odd_from_sd : std::max(odd_from_sd, 0.5 * worst));
        }
        solve(e, regressors, f);
    }

    bool finished_;
    Surfaces surfaces_;
    Eigen::MatrixXd out_; ///< doubt of what tells nothing
};

/// Slopes and maybe a step by the patches' means, joined with slopes by their insides.
Estimate with_slopes(Estimate means, const Estimate& slopes) {
    const Estimate both = combined({means.value.head(2), means.covariance.topLeftCorner(2, 2)}, slopes);
    means.value.head(2) = both.value;
    means.covariance.topLeftCorner(2, 2) = both.covariance;
    return means;
}

/// Slopes of colour by the patches' means, x and y.
Estimate between(const Estimate& a, const Estimate& b) {
    return {(a.value - b.value).head(2), (a.covariance + b.covariance).topLeftCorner(2, 2)};
}
Estimate green_of(const Estimate& r, const Estimate& g, const Estimate& b) {
    return {(g.value - (r.value + b.value) / 2).head(2),
            (g.covariance + (r.covariance + b.covariance) / 4).topLeftCorner(2, 2)};
}

/// Uncertainty of |x| + |y|.
double sd_of_sum(const Estimate& e) {
    return std::sqrt(e.covariance(0, 0) + e.covariance(1, 1) + 2 * std::abs(e.covariance(0, 1)));
}

/// The step's edge is known between two places searched only: where about there the pixels show it best.
std::optional<Estimate> sharpest(const Step& step, const std::vector<PatchPixels>& pixels) {
    std::optional<Estimate> best;
    double most = -INFINITY;
    for (const double turned : {-0.2, -0.1, 0.0, 0.1, 0.2})
        for (const double moved : {-0.08, -0.06, -0.04, -0.02, 0.0, 0.02, 0.04, 0.06, 0.08}) {
            const auto inside =
                step_inside(pixels, EdgeLine{step.line.angle + turned, step.line.at + moved}.shape(block_reach));
            if (!inside) return std::nullopt;
            const double seen = std::abs(inside->value[0]) / inside->sd(0);
            if (seen <= most) continue;
            most = seen;
            best = inside;
        }
    return best;
}

/// What the pixels of the patches that an edge crosses add to the evidence for a step of that size: much where they
/// show it, and they deny it where they show none.
double shown_by(const Estimate& inside, double step, double most) {
    const double seen = inside.value[0] * (step > 0 ? 1 : -1), size = std::abs(step), sd = inside.sd(0);
    if (seen + 3 * sd < 0.5 * size) return -denied;
    return seen > 0.5 * size ? std::min(most, 0.5 * std::pow(seen / sd, 2)) : 0;
}

Strips strips_of(const ChartPixels& pixels, const read::Reading& reading, const chart::Definition& d) {
    std::vector<Vec3> means;
    for (const chart::Patch& p : d.patches) {
        const auto* r = reading.find(p.id);
        means.push_back(r && r->pixels > 0 ? Vec3(r->mean[0], r->mean[1], r->mean[2]) : Vec3::Constant(NAN));
    }
    return {pixels.gaps, means};
}

/// How much steeper than light a finished picture's values are, by all patches of middling luminance.
double contrast_of(const Explainer& x) {
    std::vector<std::pair<double, double>> points;
    const Eigen::VectorXd& y = x.surfaces().y;
    for (Eigen::Index i = 0; i < y.size(); ++i)
        if (const double seen = x.seen.row(i).mean(); y[i] > 0.08 && y[i] < 0.7 && seen > 0)
            points.emplace_back(std::log(y[i]), std::log(seen));
    const auto line = line_through(points);
    return points.size() >= 5 && line ? std::clamp(line->slope, 0.7, 2.0) : 1;
}

} // namespace

std::vector<std::string> odd_patches(const read::Reading& reading, const chart::Reference& reference,
                                     const chart::Definition* definition, bool finished) {
    const Explainer x(reading, definition, reference, finished);
    if (x.usable < least_to_be_odd || !(x.seen.maxCoeff() > 1e-5)) return {};
    const Explanation e = x.explain(nullptr);
    std::vector<std::pair<double, std::string>> odd;
    for (std::size_t i = 0; i < x.patches.size(); ++i) {
        const read::PatchReading& p = reading.patches[x.patches[i].index];
        const auto [residual, sd] = x.residual(e, i);
        if (e.odd[i] && p.usable() && residual > odd_residual && residual > odd_residual_sd * sd)
            odd.emplace_back(residual / sd, p.id);
    }
    std::sort(odd.rbegin(), odd.rend());
    std::vector<std::string> ids;
    for (const auto& [by, id] : odd) ids.push_back(id);
    return ids;
}

namespace {

/// How a chart is explained: without a shadow, or with the step of one, and what the pixels at its edge show.
struct Shading {
    Explanation best;
    Step edge;
    std::optional<Estimate> at_edge;
    bool shaded = false;
    bool by_pixels = false; ///< they tell how deep it is, too
};

/// A step as the patches' means tell it, or an edge that the pixels show, whichever explains more.
void shade_raw(Shading& s, const Explainer& x, const ChartPixels* pixels) {
    const Explanation smooth = s.best;
    // A patch that is odd must gain as much where it is named.
    const auto odd = [](const Explanation& e) {
        return static_cast<double>(std::count(e.odd.begin(), e.odd.end(), true));
    };
    double most = step_evidence;
    const auto consider = [&](const Step& step, const std::optional<Estimate>& within, bool by_pixels) {
        const Explanation shaded = x.explain(&step);
        const double evidence =
            shaded.log_likelihood - smooth.log_likelihood + odd_better * (odd(smooth) - odd(shaded)) +
            (within ? shown_by(*within, shaded.beta[2], by_pixels ? most_shown_by_several : most_shown) : 0);
        const double deep = std::abs(shaded.beta[2]);
        if (evidence < most || deep < least_step || deep > deepest_step) return;
        most = evidence;
        s = {shaded, step, within, true, by_pixels};
    };
    if (const Step step = x.search(x.open(smooth)); step.gained > 0)
        consider(step, pixels ? sharpest(step, pixels->patches) : std::nullopt, false);
    if (const auto seen = pixels ? x.seen_step(pixels->patches, {}) : std::nullopt)
        consider(seen->step, seen->size, true);
}

/// A shadow is a step along a straight edge. A patch that the edge crosses is partly in it.
Shading shading_of(const Explainer& x, const ChartPixels* pixels, const Strips& strips, bool finished) {
    Shading s{x.explain(nullptr), {}, {}, false, false};
    if (!finished) shade_raw(s, x, pixels);
    else if (const auto seen = pixels ? x.seen_step(pixels->patches, strips) : std::nullopt) {
        // A style leaves the patches' means some say, the lighter or darker ones of which it bends otherwise; the
        // outline of what lies on the chart is denied by them.
        const Explanation shaded = x.explain(&seen->step);
        const double sd = std::hypot(std::sqrt(shaded.covariance(2, 2)), seen->size.sd(0)),
                     as_large = shaded.beta[2] / seen->size.value[0];
        if (std::abs(shaded.beta[2] - seen->size.value[0]) < most_disagreed * sd || (as_large > 0.5 && as_large < 2))
            s = {shaded, seen->step, seen->size, true, true};
    }
    return s;
}

/// What is left of each patch once it is explained.
void tell_patches(Explained& e, const Explainer& x, const Explanation& best, const read::Reading& reading) {
    double veil_sd = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        const auto at = static_cast<Eigen::Index>(c);
        e.veil[at] = best.channel[c]->veil;
        e.white[at] = best.channel[c]->white;
        veil_sd += best.channel[c]->veil_sd / 3;
    }
    e.level = e.white.mean();
    e.usable = e.level > 0;
    e.veil_sd = veil_sd;
    const double floor = dark_share * e.level;
    for (std::size_t i = 0; i < x.patches.size(); ++i) {
        const auto row = static_cast<Eigen::Index>(i);
        const std::size_t at = x.patches[i].index;
        const Vec3 seen = x.seen.row(row), expected = e.expected[at] = x.expected(best, i);
        if (!reading.patches[at].usable()) continue;
        e.excess[at] = std::log2((std::max(0.0, seen.mean()) + floor) / (std::max(0.0, expected.mean()) + floor));
        e.light[at] = e.excess[at] + std::log2(best.gain[row]);
        std::tie(e.residual[at], e.residual_sd[at]) = x.residual(best, i);
    }
}

} // namespace

Explained explain(const read::Reading& reading, const chart::Definition& d, const chart::Reference& reference,
                  bool finished, const ChartPixels* pixels) {
    Explained e;
    const std::size_t all = reading.patches.size();
    e.excess.assign(all, NAN);
    e.light.assign(all, NAN);
    e.residual.assign(all, NAN);
    e.residual_sd.assign(all, NAN);
    e.expected.assign(all, Vec3::Constant(NAN));
    Explainer x(reading, &d, reference, finished);
    if (x.usable < least_patches || !(x.seen.maxCoeff() > 1e-5)) return e;

    auto inside = pixels ? gradients_of(pixels->patches) : std::nullopt;
    const Strips strips = finished && pixels ? strips_of(*pixels, reading, d) : Strips();
    const auto [best, edge, at_edge, shaded_at_all, by_pixels] = shading_of(x, pixels, strips, finished);

    Estimate light{best.beta, best.covariance};
    const auto& [red, green, blue] = best.channel;
    Estimate warm = between(red->slopes, blue->slopes), tint = green_of(red->slopes, green->slopes, blue->slopes);
    if (const auto between = strips.gradients()) {
        if (inside) {
            inside->light = combined(inside->light, between->light);
            inside->warm = combined(inside->warm, between->warm);
            inside->green = combined(inside->green, between->green);
        } else inside = between;
    }
    if (inside) {
        Estimate slopes = inside->light;
        if (finished) slopes.value /= contrast_of(x);
        light = with_slopes(light, slopes);
        warm = combined(warm, inside->warm);
        tint = combined(tint, inside->green);
    }
    if (at_edge && shaded_at_all) {
        // Found by the means, the edge is crossed by few patches, and lies not quite where it was looked for: it may
        // show more of the step than the means do, which cameras explain in part: half is believed.
        const double sign = light.value[2] < 0 ? -1 : 1, means = sign * light.value[2],
                     seen = finished ? at_edge->value[0] / contrast_of(x) : sign * at_edge->value[0];
        if (finished) light.value[2] = seen;
        else if (by_pixels) light.value[2] = sign * seen;
        else if (seen > means && seen < 2 * means) light.value[2] = sign * (means + seen) / 2;
    }
    constexpr double stops = 1 / std::numbers::ln2;
    light.value *= stops;
    light.covariance *= stops * stops;
    e.slope_x = light.value[0];
    e.slope_y = light.value[1];
    e.slope_sd = sd_of_sum(light);
    e.warm_x = stops * warm.value[0];
    e.warm_y = stops * warm.value[1];
    e.warm_sd = stops * sd_of_sum(warm);
    e.green_x = stops * tint.value[0];
    e.green_y = stops * tint.value[1];
    e.green_sd = stops * sd_of_sum(tint);
    // A style's matrix and saturation make lightness of colour.
    if (finished)
        e.slope_sd = std::hypot(e.slope_sd, mixed_into_light * std::max(std::abs(e.warm_x) + std::abs(e.warm_y),
                                                                        std::abs(e.green_x) + std::abs(e.green_y)));
    if (shaded_at_all) {
        e.step = std::abs(light.value[2]);
        // The direction points into the shadow.
        const bool turn = light.value[2] > 0;
        e.step_angle_deg = edge.line.angle * 180 / std::numbers::pi + (turn ? 180 : 0);
        e.step_at = turn ? -edge.line.at : edge.line.at;
    }
    tell_patches(e, x, best, reading);
    return e;
}

} // namespace refero::inspect
