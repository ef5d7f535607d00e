// Correlated colour temperature: Ohno, "Practical use and calculation of CCT and Duv", LEUKOS 10(1), 2014.
#include <algorithm>
#include <cmath>
#include <vector>

#include "colour/spectrum.hpp"

namespace refero::colour {

namespace {

struct UV {
    double u, v;
};

UV uv_of(Chromaticity c) {
    const double d = -2 * c.x + 12 * c.y + 3;
    return {4 * c.x / d, 6 * c.y / d};
}

Chromaticity xy_of(UV p) {
    const double d = 2 * p.u - 8 * p.v + 4;
    return {3 * p.u / d, 2 * p.v / d};
}

UV planck_uv(double kelvin) { return uv_of(chromaticity_of(white_of(planck(kelvin)))); }

struct Row {
    double kelvin;
    UV p;
};

// One per cent steps from 1000 to about 40000 K; Ohno 2014 shows errors below 1 K for such a table.
const std::vector<Row>& table() {
    static const std::vector<Row> rows = [] {
        std::vector<Row> r;
        for (double t = 1000; t < 41000; t *= 1.01) r.push_back({t, planck_uv(t)});
        return r;
    }();
    return rows;
}

} // namespace

Temperature correlated_temperature(Chromaticity chromaticity) {
    const UV p = uv_of(chromaticity);
    const auto distance = [&](const Row& r) { return std::hypot(p.u - r.p.u, p.v - r.p.v); };
    const auto& rows = table();
    auto nearest = std::min_element(rows.begin(), rows.end(),
                                    [&](const Row& a, const Row& b) { return distance(a) < distance(b); });
    nearest = std::clamp(nearest, rows.begin() + 1, rows.end() - 2);
    const Row& below = *(nearest - 1);
    const Row& middle = *nearest;
    const Row& above = *(nearest + 1);
    const double d1 = distance(below), d2 = distance(middle), d3 = distance(above);

    // Triangular solution: the foot of the perpendicular on the chord between the two neighbours.
    const double chord = std::hypot(above.p.u - below.p.u, above.p.v - below.p.v);
    const double along = (d1 * d1 - d3 * d3 + chord * chord) / (2 * chord);
    const double t_triangle = below.kelvin + (above.kelvin - below.kelvin) * along / chord;
    const double v_on_chord = below.p.v + (above.p.v - below.p.v) * along / chord;
    const double sign = p.v >= v_on_chord ? 1 : -1;
    const double duv_triangle = sign * std::sqrt(std::max(0.0, d1 * d1 - along * along));
    if (std::abs(duv_triangle) < 0.002) return {t_triangle, duv_triangle};

    // Parabolic solution through the three distances.
    const double t1 = below.kelvin, t2 = middle.kelvin, t3 = above.kelvin;
    const double X = (t3 - t2) * (t1 - t3) * (t2 - t1);
    const double a = (t1 * (d3 - d2) + t2 * (d1 - d3) + t3 * (d2 - d1)) / X;
    const double b = -(t1 * t1 * (d3 - d2) + t2 * t2 * (d1 - d3) + t3 * t3 * (d2 - d1)) / X;
    const double c = -(d1 * (t3 - t2) * t2 * t3 + d2 * (t1 - t3) * t1 * t3 + d3 * (t2 - t1) * t1 * t2) / X;
    const double kelvin = -b / (2 * a);
    return {kelvin, sign * (a * kelvin * kelvin + b * kelvin + c)};
}

double mccamy_kelvin(Chromaticity c) {
    const double n = (c.x - 0.3320) / (c.y - 0.1858);
    return -449 * n * n * n + 3525 * n * n - 6823.3 * n + 5520.33;
}

Chromaticity chromaticity_of(Temperature t) {
    const UV p = planck_uv(t.kelvin);
    const UV q = planck_uv(t.kelvin * 1.0005);
    const double du = q.u - p.u, dv = q.v - p.v, length = std::hypot(du, dv);
    // The locus runs towards smaller u: this normal points up in v, to the greenish side.
    return xy_of({p.u + t.duv * dv / length, p.v - t.duv * du / length});
}

} // namespace refero::colour
