// The strips between the patches of a chart: one material throughout, so that they show light and covers by themselves.
#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/LU>

#include "base/statistics.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/plausible.hpp"

namespace refero::inspect {

using chart::Point;
using colour::Vec3;

namespace {

std::optional<Vec3> mean_of(const frame::Frame& f, const chart::Homography& map, Point from, Point to) {
    Vec3 sum = Vec3::Zero();
    int n = 0;
    for (int i = 0; i < gap_samples; ++i) {
        const Point q = map(Point(from + (to - from) * ((i + 0.5) / gap_samples))) / f.cell;
        const int x = static_cast<int>(std::floor(q.x())), y = static_cast<int>(std::floor(q.y()));
        if (x < 0 || y < 0 || x >= f.width || y >= f.height) continue;
        const float* v = f.at(x, y);
        sum += Vec3(v[0], v[1], v[2]);
        ++n;
    }
    return n ? std::optional<Vec3>(sum / n) : std::nullopt;
}

} // namespace

std::vector<Gap> gaps_of(const frame::Frame& f, const find::Placement& placement, const chart::Definition& d,
                         double blur_px) {
    std::vector<Gap> gaps;
    const chart::Homography map = chart::pixels_from_mm(d, placement.corners);
    for (std::size_t i = 0; i < d.patches.size(); ++i)
        for (std::size_t k = 0; k < d.patches.size(); ++k) {
            const chart::Patch &p = d.patches[i], &o = d.patches[k];
            const double right = o.x_mm - p.x_mm - p.w_mm, down = o.y_mm - p.y_mm - p.h_mm;
            const bool beside = std::abs(o.y_mm - p.y_mm) < beside_share * p.h_mm && right > 0 && right < p.w_mm;
            const bool below = std::abs(o.x_mm - p.x_mm) < beside_share * p.w_mm && down > 0 && down < p.h_mm;
            if (!beside && !below) continue;
            const auto at = [&](double along, double across) {
                return beside ? Point(p.x_mm + p.w_mm + across * right, p.y_mm + along * p.h_mm)
                              : Point(p.x_mm + along * p.w_mm, p.y_mm + p.h_mm + across * down);
            };
            const double wide = (map(at(0.5, 1)) - map(at(0.5, 0))).norm();
            if (wide < std::max(least_gap_px * f.cell, std::isfinite(blur_px) ? blurs_of_gap * blur_px : 0.0)) continue;
            Gap gap{i, k, {}, {}};
            for (const double across : {0.5, 0.1, 0.9, -0.4, 1.4})
                if (const auto v = mean_of(f, map, at(0.3, across), at(0.7, across))) gap.lines.push_back(*v);
            for (const double along : {0.15, 0.4, 0.65})
                if (const auto v = mean_of(f, map, at(along, 0.5), at(along + 0.2, 0.5))) {
                    const Point mm = at(along + 0.1, 0.5);
                    gap.spots.push_back({mm.x() / d.width_mm - 0.5, mm.y() / d.height_mm - 0.5, *v});
                }
            if (!gap.lines.empty()) gaps.push_back(std::move(gap));
        }
    return gaps;
}

Strips::Strips(const std::vector<Gap>& gaps, const std::vector<Vec3>& patches) {
    std::vector<const Gap::Spot*> spots;
    std::vector<Vec3> beside;
    for (const Gap& g : gaps)
        for (const Gap::Spot& s : g.spots)
            if (const Vec3 n = (patches[g.one] + patches[g.other]) / 2; std::isfinite(n.sum()) && n.minCoeff() > 0) {
                spots.push_back(&s);
                beside.push_back(n);
            }
    if (spots.size() < least_spots) return;
    std::vector<double> levels;
    for (const auto* s : spots) levels.push_back(s->rgb.mean());
    const double level = median(levels);
    if (level < dark_strip) return;
    const auto n = static_cast<Eigen::Index>(spots.size());
    // A light that falls off is curved; what lies beside a strip bleeds into it.
    smooth_.resize(n, 7);
    at_.resize(n, 2);
    light_.resize(n);
    warm_.resize(n);
    green_.resize(n);
    warm_beside_.resize(n);
    green_beside_.resize(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const Gap::Spot& s = *spots[static_cast<std::size_t>(i)];
        const Vec3 log = s.rgb.array().max(0.1 * dark_strip).log(),
                   near = beside[static_cast<std::size_t>(i)].array().max(dark_strip).log();
        at_.row(i) << s.x, s.y;
        smooth_.row(i) << 1, s.x, s.y, s.x * s.x, s.x * s.y, s.y * s.y, std::exp(near.mean()) / level / 10;
        light_[i] = std::log(std::max(dark_strip, s.rgb.mean()));
        warm_[i] = log[0] - log[2];
        green_[i] = log[1] - (log[0] + log[2]) / 2;
        warm_beside_[i] = near[0] - near[2];
        green_beside_[i] = near[1] - (near[0] + near[2]) / 2;
        coloured_ = coloured_ && s.rgb.minCoeff() > 2 * dark_strip;
    }
    weight_ = Eigen::VectorXd::Ones(n);
    fit(smooth_, light_, weight_);
    told_ = true;
}

Strips::Fit Strips::fit(const Eigen::MatrixXd& x, const Eigen::VectorXd& y, Eigen::VectorXd& weight) {
    Fit f;
    for (int round = 0; round < robust_rounds; ++round) {
        const Eigen::MatrixXd wx = weight.asDiagonal() * x;
        const Eigen::MatrixXd inverse =
            (x.transpose() * wx + 1e-9 * Eigen::MatrixXd::Identity(x.cols(), x.cols())).inverse();
        f.value = inverse * (wx.transpose() * y);
        const Eigen::VectorXd left = y - x * f.value;
        f.scatter = std::max(least_scatter, robust_sd(std::vector<double>(left.begin(), left.end()), 0.0));
        f.covariance = f.scatter * f.scatter * spots_of_evidence * inverse;
        weight = (1 + (left.array() / (3 * f.scatter)).square()).inverse();
    }
    return f;
}

namespace {
Estimate slopes_in(const Eigen::VectorXd& value, const Eigen::MatrixXd& covariance) {
    return {value.segment(1, 2), covariance.block(1, 1, 2, 2)};
}
} // namespace

std::optional<Gradients> Strips::gradients() const {
    if (!told_ || !coloured_) return std::nullopt;
    const auto slopes_of = [&](const Eigen::VectorXd& y, const Eigen::VectorXd* beside) {
        // Straight slopes: what is curved is not asked for.
        Eigen::MatrixXd x(smooth_.rows(), beside ? 5 : 4);
        x.leftCols(3) = smooth_.leftCols(3);
        x.col(3) = smooth_.col(6);
        if (beside) x.col(4) = *beside;
        Eigen::VectorXd weight = Eigen::VectorXd::Ones(x.rows());
        const Fit f = fit(x, y, weight);
        return slopes_in(f.value, f.covariance);
    };
    return Gradients{slopes_of(light_, nullptr), slopes_of(warm_, &warm_beside_), slopes_of(green_, &green_beside_)};
}

Eigen::VectorXd Strips::column_of(const StepShape& step) const {
    Eigen::VectorXd column(at_.rows());
    for (Eigen::Index i = 0; i < column.size(); ++i) column[i] = step(at_(i, 0), at_(i, 1), 0.02, 0.02);
    return column;
}

double Strips::gained(const StepShape& step) const {
    if (!told_) return 0;
    // The step less what smooth light makes of it, as one more regressor under the same weights.
    const Eigen::MatrixXd wx = weight_.asDiagonal() * smooth_;
    const auto solver = (smooth_.transpose() * wx).ldlt();
    Eigen::VectorXd column = column_of(step), y = light_;
    column -= smooth_ * solver.solve(wx.transpose() * column);
    y -= smooth_ * solver.solve(wx.transpose() * y);
    const double cc = column.dot(weight_.cwiseProduct(column)), cy = column.dot(weight_.cwiseProduct(y)),
                 yy = y.dot(weight_.cwiseProduct(y)) + weight_.sum() * least_scatter * least_scatter;
    if (cc < 0.02 * weight_.sum() * 0.25) return 0;
    return -0.5 * weight_.sum() / spots_of_evidence * std::log(std::max(1e-6, 1 - cy * cy / cc / yy));
}

std::optional<Estimate> Strips::step(const StepShape& step) const {
    if (!told_) return std::nullopt;
    Eigen::MatrixXd x(smooth_.rows(), 8);
    x.leftCols(7) = smooth_;
    x.col(7) = column_of(step);
    Eigen::VectorXd weight = Eigen::VectorXd::Ones(x.rows());
    const Fit f = fit(x, light_, weight);
    Estimate e{f.value.tail(1), f.covariance.bottomRightCorner(1, 1)};
    return e;
}

} // namespace refero::inspect
