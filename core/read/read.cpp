#include "read/read.hpp"
#include "base/statistics.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/Cholesky>
#include <tbb/parallel_for.h>

namespace refero::read {

using chart::Corners;
using chart::Point;

const PatchReading* Reading::find(std::string_view id) const {
    for (const PatchReading& p : patches)
        if (p.id == id) return &p;
    return nullptr;
}

namespace {

bool inside(const Corners& q, const Point& p, double orientation) {
    for (std::size_t i = 0; i < 4; ++i) {
        const Point e = q[(i + 1) % 4] - q[i], d = p - q[i];
        if ((e.x() * d.y() - e.y() * d.x()) * orientation < 0) return false;
    }
    return true;
}

// Mean and standard deviation without what lies more than three robust standard deviations from the median.
std::pair<double, double> robust_mean(const std::vector<float>& values) {
    const float middle = median(values);
    const double centre = static_cast<double>(middle), spread = robust_sd(values, middle);
    const double limit = spread > 0 ? 3 * spread : INFINITY;
    double sum = 0, squares = 0, count = 0;
    for (const float v : values) {
        const double d = static_cast<double>(v) - centre;
        if (std::abs(d) > limit) continue;
        sum += d;
        squares += d * d;
        count += 1;
    }
    const double mean = sum / count;
    return {centre + mean, std::sqrt(std::max(0.0, squares / count - mean * mean))};
}

struct Pixel {
    float x, y;
    std::array<float, 3> value;
};

// Noise about a plane, and how many independent pixels the patch has: what is alike in neighbours counts less.
void add_noise(PatchReading& r, const std::vector<Pixel>& pixels, int width) {
    if (pixels.size() < 12) return;
    for (std::size_t c = 0; c < 3; ++c) {
        const double limit = r.sd[c] > 0 ? 3.5 * r.sd[c] : INFINITY;
        const auto counts = [&](const Pixel& p) {
            return std::abs(static_cast<double>(p.value[c]) - r.mean[c]) <= limit;
        };
        Eigen::Matrix3d xx = 1e-9 * Eigen::Matrix3d::Identity();
        Eigen::Vector3d xy = Eigen::Vector3d::Zero();
        const Pixel& first = pixels.front();
        for (const Pixel& p : pixels)
            if (counts(p)) {
                const Eigen::Vector3d x(1, static_cast<double>(p.x - first.x), static_cast<double>(p.y - first.y));
                xx += x * x.transpose();
                xy += x * static_cast<double>(p.value[c]);
            }
        const Eigen::Vector3d plane = xx.ldlt().solve(xy);
        double sum = 0, beside = 0, below = 0;
        int n = 0, pairs_beside = 0, pairs_below = 0;
        // Pixels come row by row: the one before is the neighbour on the left, a row earlier the one above.
        std::vector<double> above(static_cast<std::size_t>(width), NAN);
        double left = NAN;
        float row = -1, column = -1;
        for (const Pixel& p : pixels) {
            const double d = counts(p) ? static_cast<double>(p.value[c]) -
                                             plane.dot(Eigen::Vector3d(1, static_cast<double>(p.x - first.x),
                                                                       static_cast<double>(p.y - first.y)))
                                       : NAN;
            if (p.y != row) left = NAN;
            if (p.x != column + 1) left = NAN;
            auto& over = above[static_cast<std::size_t>(p.x) % static_cast<std::size_t>(width)];
            if (std::isfinite(d)) {
                sum += d * d;
                ++n;
                if (std::isfinite(left)) {
                    beside += d * left;
                    ++pairs_beside;
                }
                if (std::isfinite(over)) {
                    below += d * over;
                    ++pairs_below;
                }
            }
            over = left = d;
            row = p.y;
            column = p.x;
        }
        if (n < 12 || !(sum > 0)) continue;
        const double variance = sum / (n - 3);
        const auto alike = [&](double product, int pairs) {
            return pairs > 8 ? std::clamp(product / pairs / variance, 0.0, 0.9) : 0.0;
        };
        // A first-order autoregression along rows and along columns (Bayley and Hammersley, J. Royal Stat. Soc. 8,
        // 1946).
        const double rho_x = alike(beside, pairs_beside), rho_y = alike(below, pairs_below);
        const double independent = n * (1 - rho_x) / (1 + rho_x) * (1 - rho_y) / (1 + rho_y);
        r.noise[c] = std::sqrt(variance);
        r.error[c] = std::sqrt(variance / std::max(1.0, independent));
    }
}

PatchReading measure_patch(const frame::Frame& f, const chart::Patch& patch, const chart::Homography& map) {
    PatchReading r{patch.id};
    Corners q = chart::patch_quad(patch, map, sampled_share);
    double x0 = f.width, x1 = 0, y0 = f.height, y1 = 0;
    for (Point& p : q) {
        p /= f.cell;
        x0 = std::min(x0, p.x());
        x1 = std::max(x1, p.x());
        y0 = std::min(y0, p.y());
        y1 = std::max(y1, p.y());
    }
    const double orientation = chart::signed_area(q) < 0 ? -1 : 1;
    std::array<std::vector<float>, 3> values;
    std::vector<Pixel> pixels;
    int clipped = 0;
    for (int y = std::max(0, static_cast<int>(y0)); y < std::min<double>(f.height, y1 + 1); ++y)
        for (int x = std::max(0, static_cast<int>(x0)); x < std::min<double>(f.width, x1 + 1); ++x) {
            if (!inside(q, {x + 0.5, y + 0.5}, orientation)) continue;
            const float* v = f.at(x, y);
            if (!std::isfinite(v[0]) || !std::isfinite(v[1]) || !std::isfinite(v[2])) continue;
            for (std::size_t c = 0; c < 3; ++c) values[c].push_back(v[c]);
            pixels.push_back({static_cast<float>(x), static_cast<float>(y), {v[0], v[1], v[2]}});
            if (!f.clipped.empty() && f.clipped[static_cast<std::size_t>(y) * f.width + x]) ++clipped;
        }
    r.pixels = static_cast<int>(values[0].size());
    if (!r.pixels) {
        r.mean.fill(NAN);
        r.sd.fill(NAN);
        return r;
    }
    for (std::size_t c = 0; c < 3; ++c) std::tie(r.mean[c], r.sd[c]) = robust_mean(values[c]);
    r.clipped = static_cast<double>(clipped) / r.pixels;
    add_noise(r, pixels, f.width);
    return r;
}

} // namespace

Reading measure(const frame::Frame& f, const find::Placement& placement, const chart::Definition& d,
                std::stop_token stop) {
    const chart::Homography map = chart::pixels_from_mm(d, placement.corners);
    Reading reading;
    reading.chart = d.id;
    reading.patches.resize(d.patches.size());
    tbb::parallel_for(std::size_t{0}, d.patches.size(), [&](std::size_t i) {
        if (!stop.stop_requested()) reading.patches[i] = measure_patch(f, d.patches[i], map);
    });
    throw_if_stopped(stop);
    return reading;
}

Reading average(const std::vector<Reading>& readings) {
    if (readings.empty()) throw Error(ErrorKind::usage, "there is no reading to average");
    Reading mean = readings.front();
    // Each at the first one's exposure, by the patches that both read well.
    std::vector<double> scale;
    for (const Reading& r : readings) {
        std::vector<double> ratios;
        for (const PatchReading& p : mean.patches) {
            const PatchReading* other = r.find(p.id);
            if (!other || r.patches.size() != mean.patches.size())
                throw Error(ErrorKind::usage, "the chart shots hold different patches", {}, "Give shots of one chart");
            const double own = p.mean[0] + p.mean[1] + p.mean[2],
                         theirs = other->mean[0] + other->mean[1] + other->mean[2];
            if (p.usable() && other->usable() && own > 0 && theirs > 0) ratios.push_back(own / theirs);
        }
        scale.push_back(ratios.size() < 8 ? 1 : median(ratios)); // few patches cannot tell exposure from noise
    }
    for (PatchReading& p : mean.patches) {
        const bool somewhere_good =
            std::any_of(readings.begin(), readings.end(), [&](const Reading& r) { return r.find(p.id)->usable(); });
        std::array<double, 3> sum{}, variance{}, noise{}, error{};
        double weight = 0, clipped = 0;
        for (std::size_t i = 0; i < readings.size(); ++i) {
            const PatchReading& other = *readings[i].find(p.id);
            if (!other.pixels || (somewhere_good && !other.usable())) continue;
            const double w = other.pixels, k = scale[i];
            for (std::size_t c = 0; c < 3; ++c) {
                sum[c] += w * k * other.mean[c];
                variance[c] += w * std::pow(k * other.sd[c], 2);
                noise[c] += w * std::pow(k * other.noise[c], 2);
                error[c] += std::pow(w * k * other.error[c], 2);
            }
            weight += w;
            clipped += w * other.clipped;
        }
        if (weight <= 0) continue;
        for (std::size_t c = 0; c < 3; ++c) {
            p.mean[c] = sum[c] / weight;
            p.sd[c] = std::sqrt(variance[c] / weight);
            p.noise[c] = std::sqrt(noise[c] / weight);
            p.error[c] = std::sqrt(error[c]) / weight;
        }
        p.clipped = clipped / weight;
        p.pixels = static_cast<int>(weight);
    }
    return mean;
}

double snr_db(const PatchReading& p, std::size_t channel) {
    return p.noise[channel] > 0 && p.mean[channel] > 0 ? 20 * std::log10(p.mean[channel] / p.noise[channel]) : NAN;
}

double ChannelNoise::sd(double signal) const { return std::sqrt(photon * std::max(0.0, signal) + read * read); }

std::optional<std::array<ChannelNoise, 3>> noise_model(const Reading& reading) {
    std::array<ChannelNoise, 3> model;
    for (std::size_t c = 0; c < 3; ++c) {
        std::vector<const PatchReading*> tell;
        for (const PatchReading& p : reading.patches)
            if (p.pixels > 30 && p.clipped <= 0 && p.noise[c] > 0 && std::isfinite(p.mean[c])) tell.push_back(&p);
        if (tell.size() < 5) return std::nullopt;
        // Variance against signal, weighted by the variance of a variance; odd patches (texture, dirt) lose their
        // weight.
        std::vector<double> weight(tell.size(), 1);
        Eigen::Vector2d x(1e-5, 1e-8);
        for (int round = 0; round < 12; ++round) {
            Eigen::Matrix2d xx = Eigen::Matrix2d::Zero();
            Eigen::Vector2d xy = Eigen::Vector2d::Zero();
            for (std::size_t i = 0; i < tell.size(); ++i) {
                const double signal = std::max(0.0, tell[i]->mean[c]), variance = tell[i]->noise[c] * tell[i]->noise[c];
                const double expected = round ? std::max(1e-12, x[0] * signal + x[1]) : variance;
                const double relative = (variance - expected) / expected * std::sqrt(tell[i]->pixels / 2.0);
                weight[i] = round > 1 ? 1 / (1 + std::pow(relative / 3, 2)) : 1;
                const double w = weight[i] * tell[i]->pixels / (expected * expected);
                const Eigen::Vector2d row(signal, 1);
                xx += w * row * row.transpose();
                xy += w * variance * row;
            }
            x = xx.ldlt().solve(xy);
            if (!x.allFinite()) return std::nullopt;
            x = x.cwiseMax(0);
        }
        model[c] = {x[0], std::sqrt(x[1])};
    }
    return model;
}

bool PatchReading::usable() const {
    return pixels > 0 && clipped <= most_clipped && std::isfinite(mean[0] + mean[1] + mean[2]);
}

Reading load_cgats(const std::filesystem::path& file) {
    Reading reading;
    for (const chart::CgatsRow& row : chart::load_cgats_rgb(file)) {
        PatchReading p{row.id};
        p.mean = row.value;
        p.clipped = *std::max_element(row.value.begin(), row.value.end()) >= 0.999 ? 1 : 0;
        p.pixels = 1;
        reading.patches.push_back(p);
    }
    return reading;
}

void save_cgats(const Reading& reading, const std::filesystem::path& file) {
    std::vector<chart::CgatsRow> rows;
    for (const PatchReading& p : reading.patches)
        if (p.pixels > 0) rows.push_back({p.id, p.mean});
    chart::save_cgats_rgb(file, rows,
                          "Reading of " + (reading.chart.empty() ? "a chart" : reading.chart) +
                              ", linear camera RGB, 100 = saturation");
}

} // namespace refero::read
