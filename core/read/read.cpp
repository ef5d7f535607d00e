#include "read/read.hpp"

#include <algorithm>
#include <cmath>

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

double median(std::vector<float>& v) {
    const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    return static_cast<double>(*middle);
}

// Mean and standard deviation without what lies more than three robust standard deviations from the median.
std::pair<double, double> robust_mean(const std::vector<float>& values) {
    std::vector<float> sorted = values;
    const double centre = median(sorted);
    for (float& v : sorted) v = std::abs(v - static_cast<float>(centre));
    const double spread = 1.4826 * median(sorted);
    const double limit = spread > 0 ? 3 * spread : INFINITY;
    double sum = 0, squares = 0, count = 0;
    for (const float v : values) {
        const double d = static_cast<double>(v) - centre;
        if (std::abs(d) > limit) continue;
        sum += d, squares += d * d, count += 1;
    }
    const double mean = sum / count;
    return {centre + mean, std::sqrt(std::max(0.0, squares / count - mean * mean))};
}

PatchReading measure_patch(const frame::Frame& f, const chart::Patch& patch, const chart::Homography& map) {
    PatchReading r{patch.id};
    Corners q = chart::patch_quad(patch, map, sampled_share);
    double x0 = f.width, x1 = 0, y0 = f.height, y1 = 0;
    for (Point& p : q) {
        p /= f.cell;
        x0 = std::min(x0, p.x()), x1 = std::max(x1, p.x()), y0 = std::min(y0, p.y()), y1 = std::max(y1, p.y());
    }
    const double orientation = chart::signed_area(q) < 0 ? -1 : 1;
    std::array<std::vector<float>, 3> values;
    int clipped = 0;
    for (int y = std::max(0, static_cast<int>(y0)); y < std::min<double>(f.height, y1 + 1); ++y)
        for (int x = std::max(0, static_cast<int>(x0)); x < std::min<double>(f.width, x1 + 1); ++x) {
            if (!inside(q, {x + 0.5, y + 0.5}, orientation)) continue;
            const float* v = f.at(x, y);
            if (!std::isfinite(v[0]) || !std::isfinite(v[1]) || !std::isfinite(v[2])) continue;
            for (std::size_t c = 0; c < 3; ++c) values[c].push_back(v[c]);
            if (!f.clipped.empty() && f.clipped[static_cast<std::size_t>(y) * f.width + x]) ++clipped;
        }
    r.pixels = static_cast<int>(values[0].size());
    if (!r.pixels) {
        r.mean.fill(NAN), r.sd.fill(NAN);
        return r;
    }
    for (std::size_t c = 0; c < 3; ++c) std::tie(r.mean[c], r.sd[c]) = robust_mean(values[c]);
    r.clipped = static_cast<double>(clipped) / r.pixels;
    return r;
}

} // namespace

Reading measure(const frame::Frame& f, const find::Placement& placement, const chart::Definition& d, std::stop_token stop) {
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
    for (PatchReading& p : mean.patches) {
        std::array<double, 3> sum{}, variance{};
        double weight = 0, clipped = 0;
        for (const Reading& r : readings) {
            const PatchReading* other = r.find(p.id);
            if (!other || r.patches.size() != mean.patches.size())
                throw Error(ErrorKind::usage, "the chart shots hold different patches", {}, "Give shots of one chart");
            if (!other->pixels) continue;
            const double w = other->pixels;
            for (std::size_t c = 0; c < 3; ++c) sum[c] += w * other->mean[c], variance[c] += w * other->sd[c] * other->sd[c];
            weight += w, clipped += w * other->clipped;
        }
        if (weight <= 0) continue;
        for (std::size_t c = 0; c < 3; ++c) p.mean[c] = sum[c] / weight, p.sd[c] = std::sqrt(variance[c] / weight);
        p.clipped = clipped / weight;
        p.pixels = static_cast<int>(weight);
    }
    return mean;
}

bool PatchReading::usable() const { return pixels > 0 && clipped <= most_clipped && std::isfinite(mean[0] + mean[1] + mean[2]); }

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
    chart::save_cgats_rgb(file, rows, "Reading of " + (reading.chart.empty() ? "a chart" : reading.chart) + ", linear camera RGB, 100 = saturation");
}

} // namespace refero::read
