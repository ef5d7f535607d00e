#include <algorithm>
#include <cmath>

#include <Eigen/LU>

#include "handover/internal/formats.hpp"

namespace refero::handover {

using colour::Mat3;
using colour::Vec3;

namespace {

/// Hue in degrees from 0 to 360, saturation, value of linear RGB that is not negative.
Vec3 hsv_from(const Vec3& rgb) {
    const double v = rgb.maxCoeff(), gap = v - rgb.minCoeff();
    if (!(gap > 0)) return {0, 0, v};
    double h = rgb[0] == v   ? (rgb[1] - rgb[2]) / gap
               : rgb[1] == v ? 2 + (rgb[2] - rgb[0]) / gap
                             : 4 + (rgb[0] - rgb[1]) / gap;
    if (h < 0) h += 6;
    return {60 * h, gap / v, v};
}

Vec3 rgb_from(const Vec3& hsv) {
    const double h = std::fmod(hsv[0] / 60 + 6, 6), s = hsv[1], v = hsv[2], f = h - std::floor(h);
    const double p = v * (1 - s), q = v * (1 - s * f), t = v * (1 - s * (1 - f));
    switch (static_cast<int>(h)) {
    case 0: return {v, t, p};
    case 1: return {q, v, p};
    case 2: return {p, v, t};
    case 3: return {p, q, v};
    case 4: return {t, p, v};
    default: return {v, p, q};
    }
}

} // namespace

Mat3 xyz_from_romm() {
    // ISO 22028-2: primaries (0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001), white D50.
    static const Mat3 m = [] {
        Mat3 p;
        p << colour::xyz_from({0.7347, 0.2653}), colour::xyz_from({0.1596, 0.8404}), colour::xyz_from({0.0366, 0.0001});
        return Mat3(p * Vec3(p.inverse() * colour::white_d50).asDiagonal());
    }();
    return m;
}

Vec3 HueTable::operator()(const Vec3& romm) const {
    Vec3 hsv = hsv_from(romm.cwiseMax(0));
    const double h = hsv[0] / 360 * hues, s = std::min(hsv[1], 1.0) * (saturations - 1);
    const int h0 = static_cast<int>(h) % hues, s0 = std::min(static_cast<int>(s), saturations - 2);
    const double th = h - std::floor(h), ts = s - s0;
    Vec3 change = Vec3::Zero();
    for (int k = 0; k < 4; ++k) {
        const auto at = static_cast<std::size_t>(3 * (((h0 + (k & 1)) % hues) * saturations + s0 + (k >> 1)));
        change += ((k & 1) ? th : 1 - th) * ((k >> 1) ? ts : 1 - ts) * Vec3(data[at], data[at + 1], data[at + 2]);
    }
    hsv[0] += change[0];
    hsv[1] = std::min(1.0, hsv[1] * change[1]);
    hsv[2] *= change[2];
    return rgb_from(hsv);
}

HueTable hue_table_of(const fit::Correction& c, const fit::Correction& matrix) {
    HueTable table;
    table.data.resize(static_cast<std::size_t>(3 * HueTable::hues * HueTable::saturations));
    const Mat3 to_xyz = xyz_from_romm(), from_xyz = to_xyz.inverse();
    // Balanced camera RGB of a colour by the matrix; the model takes it from there.
    const Mat3 to_balanced = Mat3(matrix.coefficients.leftCols<3>()).inverse() * to_xyz;
    for (int h = 0; h < HueTable::hues; ++h) {
        const auto cell = [&](int s) {
            return &table.data[static_cast<std::size_t>(3 * (h * HueTable::saturations + s))];
        };
        for (int s = 1; s < HueTable::saturations; ++s) {
            const Vec3 node(360.0 * h / HueTable::hues, static_cast<double>(s) / (HueTable::saturations - 1), 1);
            // A colour that the camera cannot see is drawn to grey until it can: there the table goes on as at the
            // edge.
            const Vec3 grey = to_balanced * Vec3::Ones();
            Vec3 at = to_balanced * rgb_from(node);
            double drawn = 1;
            for (int i = 0; i < 3; ++i)
                if (at[i] < 0) drawn = std::min(drawn, grey[i] / (grey[i] - at[i]));
            const Vec3 from = hsv_from((to_balanced.inverse() * (grey + drawn * (at - grey))).cwiseMax(0));
            const Vec3 to = hsv_from(
                (from_xyz * (c.coefficients * fit::features(c.model, grey + drawn * (at - grey)))).cwiseMax(0));
            float* v = cell(s);
            v[0] = static_cast<float>(std::clamp(std::remainder(to[0] - from[0], 360.0), -60.0, 60.0));
            v[1] = static_cast<float>(std::clamp(to[1] / std::max(1e-9, from[1]), 0.25, 4.0));
            v[2] = static_cast<float>(std::clamp(to[2] / std::max(1e-9, from[2]), 0.25, 4.0));
        }
        // Grey stays grey; beside it the first step's shift goes on, so that scaling stays even.
        cell(0)[0] = cell(1)[0];
        cell(0)[1] = cell(1)[1];
        cell(0)[2] = 1;
    }
    return table;
}

fit::Statistics proof_of(const fit::Correction& matrix, const HueTable& table) {
    const Mat3 to_xyz = xyz_from_romm(), from_xyz = to_xyz.inverse();
    std::vector<double> all;
    for (const read::PatchReading& p : matrix.reading.patches) {
        const auto xyz = matrix.reference.xyz.find(p.id);
        if (xyz == matrix.reference.xyz.end() ||
            std::find(matrix.left_out.begin(), matrix.left_out.end(), p.id) != matrix.left_out.end())
            continue;
        all.push_back(
            colour::delta_e_2000(colour::lab_from_xyz(xyz->second),
                                 colour::lab_from_xyz(to_xyz * table(from_xyz * matrix(Vec3(p.mean.data()))))));
    }
    return fit::statistics(all);
}

} // namespace refero::handover
