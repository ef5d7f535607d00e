// What light and camera explain of a reading: camera RGB = (A XYZ) 2^(slope) 2^(step) + veil, solved robustly.
#include <cmath>
#include <numbers>

#include <Eigen/Cholesky>
#include <Eigen/LU>

#include "base/statistics.hpp"
#include "inspect/inspect.hpp"

namespace refero::inspect {

using colour::Vec3;

namespace {

struct Patch {
    std::size_t index;
    double x, y;          ///< of its centre, -0.5 to 0.5 across the chart
    double width, height; ///< shares of the chart's
    Vec3 seen, xyz;
    double gain = 1; ///< of the light there
    double weight = 1;
};

double cauchy(double v, double scale) { return 1 / (1 + (v / scale) * (v / scale)); }

/// Camera from XYZ with a veil, weights relative to each patch's own signal.
void solve_camera(const std::vector<Patch>& patches, Explained& e, double floor) {
    Eigen::Matrix4d xx = 1e-9 * Eigen::Matrix4d::Identity();
    Eigen::Matrix<double, 3, 4> rx = Eigen::Matrix<double, 3, 4>::Zero();
    for (const Patch& p : patches) {
        Eigen::Vector4d f;
        f << p.gain * p.xyz, 1;
        const double w = p.weight / std::pow(p.seen.mean() + floor, 2);
        rx += w * p.seen * f.transpose();
        xx += w * f * f.transpose();
    }
    const Eigen::Matrix<double, 3, 4> a = rx * xx.inverse();
    e.camera_from_xyz = a.leftCols<3>();
    e.veil = a.col(3);
    e.level = (e.camera_from_xyz * colour::white_d50).mean();
}

Vec3 explained_of(const Explained& e, const Patch& p) { return p.gain * (e.camera_from_xyz * p.xyz) + e.veil; }

/// A plane through values by their place, reweighted; fixed columns are 1, x, y and maybe a step.
Eigen::VectorXd plane(const std::vector<Patch>& patches, const std::vector<double>& values,
                      const std::vector<double>* step, double scale, double* error = nullptr) {
    const int n = step ? 4 : 3;
    Eigen::VectorXd beta = Eigen::VectorXd::Zero(n);
    std::vector<double> weight(patches.size(), 1);
    for (int round = 0; round < 6; ++round) {
        Eigen::MatrixXd a = 1e-9 * Eigen::MatrixXd::Identity(n, n);
        Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
        for (std::size_t i = 0; i < patches.size(); ++i) {
            Eigen::VectorXd f(n);
            f.head<3>() << 1, patches[i].x, patches[i].y;
            if (step) f[3] = (*step)[i];
            a += weight[i] * f * f.transpose();
            b += weight[i] * values[i] * f;
        }
        beta = a.ldlt().solve(b);
        double sum = 0;
        for (std::size_t i = 0; i < patches.size(); ++i) {
            double r = values[i] - beta[0] - beta[1] * patches[i].x - beta[2] * patches[i].y;
            if (step) r -= beta[3] * (*step)[i];
            weight[i] = cauchy(r, scale);
            sum += std::log1p((r / scale) * (r / scale));
        }
        if (error) *error = sum;
    }
    return beta;
}

double log_ratio(const Patch& p, const Vec3& explained, double floor) {
    return std::log2((std::max(0.0, p.seen.mean()) + floor) / (std::max(0.0, explained.mean()) + floor));
}

} // namespace

Explained explain(const read::Reading& reading, const chart::Definition& d, const chart::Reference& reference) {
    Explained e;
    e.excess.assign(reading.patches.size(), NAN);
    e.light.assign(reading.patches.size(), NAN);
    e.residual.assign(reading.patches.size(), NAN);
    e.off.assign(reading.patches.size(), Vec3::Zero());
    std::vector<Patch> patches;
    for (std::size_t i = 0; i < reading.patches.size(); ++i) {
        const read::PatchReading& r = reading.patches[i];
        const int at = d.index_of(r.id);
        const auto xyz = reference.xyz.find(r.id);
        if (at < 0 || xyz == reference.xyz.end() || !r.usable()) continue;
        const chart::Patch& p = d.patches[static_cast<std::size_t>(at)];
        patches.push_back({i, (p.x_mm + p.w_mm / 2) / d.width_mm - 0.5, (p.y_mm + p.h_mm / 2) / d.height_mm - 0.5,
                           p.w_mm / d.width_mm, p.h_mm / d.height_mm, Vec3(r.mean[0], r.mean[1], r.mean[2]),
                           xyz->second});
    }
    if (patches.size() < 8) return e;
    double brightest = 0;
    for (const Patch& p : patches) brightest = std::max(brightest, p.seen.mean());
    if (!(brightest > 1e-5)) return e;
    const double floor = 0.02 * brightest;
    constexpr double scale = 0.07; // stops: what a 3 x 3 leaves on real surfaces

    std::vector<double> ratios(patches.size());
    const auto update = [&] {
        for (std::size_t i = 0; i < patches.size(); ++i)
            ratios[i] = log_ratio(patches[i], explained_of(e, patches[i]), floor) + std::log2(patches[i].gain);
    };
    const auto reweigh = [&] {
        for (Patch& p : patches) {
            const Vec3 r = p.seen - explained_of(e, p);
            p.weight = cauchy(r.norm() / (p.seen.norm() + 2 * floor), 0.08);
        }
    };
    const auto set_gains = [&](const Eigen::VectorXd& beta, const std::vector<double>* step) {
        for (std::size_t i = 0; i < patches.size(); ++i)
            patches[i].gain =
                std::exp2(beta[1] * patches[i].x + beta[2] * patches[i].y + (step ? beta[3] * (*step)[i] : 0.0));
    };
    const auto settle = [&](const std::vector<double>* step) {
        Eigen::VectorXd beta;
        for (int round = 0; round < 8; ++round) {
            solve_camera(patches, e, floor);
            reweigh();
            update();
            beta = plane(patches, ratios, step, scale);
            set_gains(beta, step);
        }
        solve_camera(patches, e, floor);
        return beta;
    };
    // Two explanations from the same start, smooth light alone and with a shadow; the shadow must be much the better
    // one. A shadow is a step along some line. A patch that the edge crosses is partly in it. A first step mends what
    // the camera's matrix made of the shadow, a second look then places it.
    struct Step {
        double error = INFINITY, angle = 0, at = 0;
        std::vector<double> shape; // -0.5 to 0.5
    };
    const auto search = [&] {
        Step best;
        constexpr int angles = 16, cuts = 22;
        for (int k = 0; k < angles; ++k) {
            const double angle = std::numbers::pi * k / angles, c = std::cos(angle), n = std::sin(angle);
            std::vector<double> along;
            for (const Patch& p : patches) along.push_back(p.x * c + p.y * n);
            const auto [low, high] = std::minmax_element(along.begin(), along.end());
            for (int q = 1; q < cuts; ++q) {
                const double at = std::lerp(*low, *high, static_cast<double>(q) / cuts);
                Step step{0, angle, at, {}};
                int before = 0, after = 0;
                for (std::size_t i = 0; i < patches.size(); ++i) {
                    const double reach = 0.25 * (std::abs(c) * patches[i].width + std::abs(n) * patches[i].height);
                    const double t = std::clamp((along[i] - at) / std::max(1e-6, 2 * reach), -0.5, 0.5);
                    step.shape.push_back(t);
                    before += t < -0.4;
                    after += t > 0.4;
                }
                if (before < 3 || after < 3) continue;
                const auto b = plane(patches, ratios, &step.shape, scale, &step.error);
                if (step.error < best.error && std::abs(b[3]) > 0.06)
                    best = step; // a step that only stands in for a slope is none
            }
        }
        return best;
    };
    const auto start = [&] {
        for (Patch& p : patches) {
            p.gain = 1;
            p.weight = 1;
        }
        for (int round = 0; round < 4; ++round) {
            solve_camera(patches, e, floor);
            reweigh();
        }
        update();
    };
    start();
    Step step = search();
    if (step.error < INFINITY) {
        settle(&step.shape);
        update();
        if (const Step again = search(); again.error < INFINITY) step = again;
        settle(&step.shape);
        update();
        plane(patches, ratios, &step.shape, scale, &step.error);
    }
    start();
    Eigen::VectorXd beta = settle(nullptr);
    update();
    double smooth = 0;
    plane(patches, ratios, nullptr, scale, &smooth);
    if (step.error < 0.5 * smooth) {
        start();
        beta = settle(&step.shape);
        e.step = std::abs(beta[3]);
        // The direction points into the shadow.
        const bool turn = beta[3] > 0;
        e.step_angle_deg = step.angle * 180 / std::numbers::pi + (turn ? 180 : 0);
        e.step_at = turn ? -step.at : step.at;
    }
    e.slope_x = beta[1];
    e.slope_y = beta[2];
    e.usable = e.level > 0;

    std::vector<double> relative;
    double darkest = INFINITY;
    for (const Patch& p : patches) {
        const read::PatchReading& r = reading.patches[p.index];
        const double of_mean = (r.sd[0] + r.sd[1] + r.sd[2]) / 3 / std::sqrt(std::max(1, r.pixels));
        relative.push_back(of_mean / std::max(1e-9, p.seen.mean()) / std::numbers::ln2);
        if (p.seen.mean() < darkest) {
            darkest = p.seen.mean();
            e.noise_veil = of_mean;
        }
    }
    e.noise_stops = relative.empty() ? 0 : median(relative);

    std::vector<double> warm(patches.size()), green(patches.size());
    for (std::size_t i = 0; i < patches.size(); ++i) {
        const Patch& p = patches[i];
        const Vec3 x = explained_of(e, p);
        e.excess[p.index] = log_ratio(p, x, floor);
        e.light[p.index] = e.excess[p.index] + std::log2(p.gain);
        e.off[p.index] = p.seen - x;
        e.residual[p.index] = (p.seen - x).norm() / (x.norm() + 2 * floor);
        const auto ratio = [&](int c) {
            return std::log2((std::max(0.0, p.seen[c]) + floor) / (std::max(0.0, x[c]) + floor));
        };
        warm[i] = ratio(0) - ratio(2);
        green[i] = ratio(1) - (ratio(0) + ratio(2)) / 2;
    }
    const auto w = plane(patches, warm, nullptr, scale), g = plane(patches, green, nullptr, scale);
    e.warm_x = w[1];
    e.warm_y = w[2];
    e.green_x = g[1];
    e.green_y = g[2];
    return e;
}

} // namespace refero::inspect
