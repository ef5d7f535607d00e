// The light as the patches' insides show it: there no camera, style or reference has a say.
#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/LU>

#include "base/statistics.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/plausible.hpp"

namespace refero::inspect {

using chart::Point;
using colour::Vec3;

std::vector<PatchPixels> pixels_of(const frame::Frame& f, const find::Placement& placement, const chart::Definition& d,
                                   double blur_px) {
    const chart::Homography map = chart::pixels_from_mm(d, placement.corners);
    std::vector<PatchPixels> all(d.patches.size());
    for (std::size_t i = 0; i < d.patches.size(); ++i) {
        const chart::Patch& p = d.patches[i];
        const chart::Corners q = chart::patch_quad(p, map);
        double side = INFINITY;
        for (std::size_t k = 0; k < 4; ++k) side = std::min(side, (q[(k + 1) % 4] - q[k]).norm());
        const double margin = std::max(
            {least_margin, 1.0 * f.cell / side, std::isfinite(blur_px) ? blurs_of_margin * blur_px / side : 0});
        if (margin > most_margin) continue;
        const double inner = 1 - 2 * margin, cells = inner * side / f.cell;
        const int n = std::clamp(static_cast<int>(cells), 0, most_blocks);
        if (n < 2) continue;
        const int samples = std::clamp(static_cast<int>(std::lround(cells / n)), 1, samples_of_block);
        PatchPixels pixels;
        Vec3 mean = Vec3::Zero();
        double mean_light = 0;
        bool told = true;
        for (int r = 0; r < n && told; ++r)
            for (int c = 0; c < n && told; ++c) {
                Vec3 sum = Vec3::Zero();
                for (int v = 0; v < samples && told; ++v)
                    for (int u = 0; u < samples && told; ++u) {
                        const Point at = map({p.x_mm + p.w_mm * (margin + inner * (c + (u + 0.5) / samples) / n),
                                              p.y_mm + p.h_mm * (margin + inner * (r + (v + 0.5) / samples) / n)}) /
                                         f.cell;
                        const int x = static_cast<int>(std::floor(at.x())), y = static_cast<int>(std::floor(at.y()));
                        told = x >= 0 && y >= 0 && x < f.width && y < f.height &&
                               (f.clipped.empty() || !f.clipped[static_cast<std::size_t>(y) * f.width + x]);
                        if (!told) break;
                        const float* rgb = f.at(x, y);
                        sum += Vec3(rgb[0], rgb[1], rgb[2]);
                    }
                sum /= samples * samples;
                told = told && sum.mean() > darkest;
                pixels.coloured = pixels.coloured && sum.minCoeff() > darkest;
                if (!told) break;
                pixels.blocks.push_back({(p.x_mm + p.w_mm * (margin + inner * (c + 0.5) / n)) / d.width_mm - 0.5,
                                         (p.y_mm + p.h_mm * (margin + inner * (r + 0.5) / n)) / d.height_mm - 0.5,
                                         std::log(std::max(darkest, sum.mean())),
                                         sum.array().max(0.1 * darkest).log()});
                mean += pixels.blocks.back().log / (n * n);
                mean_light += pixels.blocks.back().light / (n * n);
            }
        if (!told) continue;
        for (PatchPixels::Block& b : pixels.blocks) {
            b.log -= mean;
            b.light -= mean_light;
        }
        pixels.block_width = p.w_mm * inner / n / d.width_mm;
        pixels.block_height = p.h_mm * inner / n / d.height_mm;
        all[i] = std::move(pixels);
    }
    return all;
}

namespace {

struct Rows {
    Eigen::MatrixXd x; ///< a row a block, less the patch's mean
    Eigen::VectorXd y;
    double weight = 1;
};

/// `robust`: patches whose slope is odd lose weight; not where few patches show what is asked for.
Estimate regression(std::vector<Rows>& patches, bool robust) {
    const Eigen::Index n = patches.front().x.cols();
    Estimate e;
    // How even a patch is besides its own slope; then patches whose slope is odd lose weight.
    for (Rows& p : patches) {
        Eigen::MatrixXd xx = p.x.transpose() * p.x + 1e-9 * Eigen::MatrixXd::Identity(n, n);
        const Eigen::VectorXd own = xx.ldlt().solve(p.x.transpose() * p.y);
        const double variance =
            (p.y - p.x * own).squaredNorm() / std::max<double>(1, static_cast<double>(p.y.size() - n - 1));
        p.weight = 1 / (variance + texture * texture);
    }
    std::vector<double> trust(patches.size(), 1);
    for (int round = 0; round < (robust ? 6 : 1); ++round) {
        Eigen::MatrixXd a = 1e-6 * Eigen::MatrixXd::Identity(n, n);
        Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
        for (std::size_t i = 0; i < patches.size(); ++i) {
            a += trust[i] * patches[i].weight * patches[i].x.transpose() * patches[i].x;
            b += trust[i] * patches[i].weight * patches[i].x.transpose() * patches[i].y;
        }
        const Eigen::MatrixXd inverse = a.inverse();
        e.value = inverse * b;
        Eigen::MatrixXd middle = Eigen::MatrixXd::Zero(n, n);
        std::vector<double> odd;
        for (std::size_t i = 0; i < patches.size(); ++i) {
            const Rows& p = patches[i];
            const Eigen::VectorXd score = p.weight * p.x.transpose() * (p.y - p.x * e.value);
            middle += trust[i] * trust[i] * score * score.transpose();
            odd.push_back(std::sqrt(score.dot(
                (p.weight * p.x.transpose() * p.x + 1e-9 * Eigen::MatrixXd::Identity(n, n)).ldlt().solve(score))));
        }
        const double usual = std::max(0.5, median(odd));
        for (std::size_t i = 0; i < patches.size() && robust; ++i)
            trust[i] = 1 / (1 + std::pow(odd[i] / (3 * usual), 2));
        const double count = static_cast<double>(patches.size());
        e.covariance = count / std::max(1.0, count - static_cast<double>(n)) * inverse * middle * inverse +
                       1e-8 * Eigen::MatrixXd::Identity(n, n);
    }
    return e;
}

/// Light on the blocks of a patch, against x, y and maybe a step.
Rows rows_of(const PatchPixels& p, const StepShape& step, double (*value)(const PatchPixels::Block&)) {
    const auto count = static_cast<Eigen::Index>(p.blocks.size());
    Rows rows{Eigen::MatrixXd(count, step ? 3 : 2), Eigen::VectorXd(count)};
    for (Eigen::Index i = 0; i < count; ++i) {
        const PatchPixels::Block& b = p.blocks[static_cast<std::size_t>(i)];
        rows.x(i, 0) = b.x;
        rows.x(i, 1) = b.y;
        if (step) rows.x(i, 2) = step(b.x, b.y, p.block_width, p.block_height);
        rows.y[i] = value(b);
    }
    rows.x.rowwise() -= rows.x.colwise().mean().eval();
    return rows;
}

double light_of(const PatchPixels::Block& b) { return b.light; }

std::optional<Estimate> regression_of(const std::vector<PatchPixels>& pixels, const StepShape& step,
                                      double (*value)(const PatchPixels::Block&)) {
    std::vector<Rows> rows;
    for (const PatchPixels& p : pixels)
        if (!p.blocks.empty() && (p.coloured || value == light_of)) rows.push_back(rows_of(p, step, value));
    if (rows.size() < least_regressed) return std::nullopt;
    return regression(rows, !step);
}

double red_over_blue(const PatchPixels::Block& b) { return b.log[0] - b.log[2]; }
double green_over_others(const PatchPixels::Block& b) { return b.log[1] - (b.log[0] + b.log[2]) / 2; }

} // namespace

std::optional<Gradients> gradients_of(const std::vector<PatchPixels>& pixels) {
    auto light = regression_of(pixels, {}, light_of), warm = regression_of(pixels, {}, red_over_blue),
         green = regression_of(pixels, {}, green_over_others);
    if (!light || !warm || !green) return std::nullopt;
    return Gradients{*light, *warm, *green};
}

StepShape EdgeLine::shape(double reach_share) const {
    const double c = std::cos(angle), n = std::sin(angle);
    return [=, at = at](double x, double y, double width, double height) {
        const double reach = reach_share * (std::abs(c) * width + std::abs(n) * height);
        return std::clamp((x * c + y * n - at) / std::max(1e-6, 2 * reach), -0.5, 0.5);
    };
}

namespace {

/// How even a patch is between neighbouring blocks, natural logarithm.
double grain_of(const PatchPixels& p) {
    std::vector<double> steps;
    for (std::size_t i = 1; i < p.blocks.size(); ++i)
        if (p.blocks[i].y == p.blocks[i - 1].y) steps.push_back(std::abs(p.blocks[i].light - p.blocks[i - 1].light));
    return sd_per_mad * median(steps) / std::sqrt(2.0);
}

/// How much of what the blocks differ by a step there explains, in units of their grain.
double explained_by(const EdgeLine& line, const std::vector<PatchPixels>& pixels, const std::vector<double>& grain) {
    const StepShape step = line.shape(block_reach);
    double xx = 0, xy = 0;
    std::vector<double> shape;
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        const PatchPixels& p = pixels[i];
        double mean = 0;
        shape.clear();
        for (const PatchPixels::Block& b : p.blocks) {
            shape.push_back(step(b.x, b.y, p.block_width, p.block_height));
            mean += shape.back() / static_cast<double>(p.blocks.size());
        }
        const double weight = 1 / (texture * texture + grain[i] * grain[i]);
        for (std::size_t k = 0; k < shape.size(); ++k) {
            xx += weight * (shape[k] - mean) * (shape[k] - mean);
            xy += weight * (shape[k] - mean) * std::clamp(p.blocks[k].light, -most_of_line, most_of_line);
        }
    }
    return xx > 0 ? xy * xy / xx : 0;
}

} // namespace

std::vector<EdgeLine> lines_across() {
    std::vector<EdgeLine> lines;
    for (int k = 0; k < seen_angles; ++k)
        for (int q = 1; q < seen_cuts; ++q) {
            const double angle = std::numbers::pi * k / seen_angles;
            lines.push_back({angle, std::lerp(-0.5, 0.5, static_cast<double>(q) / seen_cuts) *
                                        (std::abs(std::cos(angle)) + std::abs(std::sin(angle)))});
        }
    return lines;
}

std::vector<EdgeLine> lines_inside(const std::vector<PatchPixels>& pixels) {
    std::vector<double> grain;
    for (const PatchPixels& p : pixels) grain.push_back(p.blocks.size() < 4 ? 0 : grain_of(p));
    std::vector<std::pair<double, EdgeLine>> all;
    for (const EdgeLine& line : lines_across()) all.emplace_back(explained_by(line, pixels, grain), line);
    const auto clearer = [](const auto& a, const auto& b) { return a.first > b.first; };
    std::partial_sort(all.begin(), all.begin() + lines_laid_finely, all.end(), clearer);
    all.resize(lines_laid_finely);
    std::vector<EdgeLine> lines;
    for (auto& [explained, line] : all) {
        double turn = std::numbers::pi / seen_angles / 2, move = 0.5 / seen_cuts;
        for (int round = 0; round < 4; ++round, turn /= 2, move /= 2) {
            const EdgeLine from = line;
            for (const int a : {-1, 0, 1})
                for (const int b : {-1, 0, 1}) {
                    const EdgeLine trial{from.angle + a * turn, from.at + b * move};
                    const double by_trial = explained_by(trial, pixels, grain);
                    if (by_trial <= explained) continue;
                    explained = by_trial;
                    line = trial;
                }
        }
    }
    std::stable_sort(all.begin(), all.end(), clearer);
    for (const auto& [explained, line] : all) lines.push_back(line);
    return lines;
}

std::optional<Estimate> step_inside(const std::vector<PatchPixels>& pixels, const StepShape& step) {
    const auto all = regression_of(pixels, step, light_of);
    if (!all) return std::nullopt;
    return Estimate{all->value.tail(1), all->covariance.bottomRightCorner(1, 1)};
}

namespace {

/// The step across a patch by the mean of its blocks on either side; nothing where the edge does not cross it.
std::optional<double> step_across(const PatchPixels& p, const StepShape& step) {
    double before = 0, after = 0, count_before = 0, count_after = 0;
    for (const PatchPixels::Block& b : p.blocks) {
        const double t = step(b.x, b.y, p.block_width, p.block_height);
        if (t > step_beyond) {
            after += b.light;
            ++count_after;
        } else if (t < -step_beyond) {
            before += b.light;
            ++count_before;
        }
    }
    if (p.blocks.empty() ||
        std::min(count_before, count_after) < least_step_share * static_cast<double>(p.blocks.size()))
        return std::nullopt;
    return after / count_after - before / count_before;
}

} // namespace

int crossed_by(const std::vector<PatchPixels>& pixels, const StepShape& step) {
    return static_cast<int>(
        std::count_if(pixels.begin(), pixels.end(), [&](const auto& p) { return step_across(p, step).has_value(); }));
}

int agreeing_of(const std::vector<PatchPixels>& pixels, const StepShape& step, double size) {
    return static_cast<int>(std::count_if(pixels.begin(), pixels.end(), [&](const auto& p) {
        const auto across = step_across(p, step);
        return across && *across / size > 0.5;
    }));
}

} // namespace refero::inspect
