#include "colour/quantities.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/LU>

namespace refero::colour {

using std::numbers::pi;

Vec3 xyz_from(Chromaticity c, double Y) { return {c.x / c.y * Y, Y, (1 - c.x - c.y) / c.y * Y}; }

Chromaticity chromaticity_of(const Vec3& xyz) {
    const double sum = xyz.sum();
    return {xyz.x() / sum, xyz.y() / sum};
}

// CIE 15:2018, eq. 8.6 to 8.8: the cube root above (6/29)^3, a straight line below.
static double lab_f(double t) {
    constexpr double delta = 6.0 / 29.0;
    return t > delta * delta * delta ? std::cbrt(t) : t / (3 * delta * delta) + 4.0 / 29.0;
}

static double lab_f_inverse(double f) {
    constexpr double delta = 6.0 / 29.0;
    return f > delta ? f * f * f : 3 * delta * delta * (f - 4.0 / 29.0);
}

Vec3 lab_from_xyz(const Vec3& xyz, const Vec3& white) {
    const double fx = lab_f(xyz.x() / white.x());
    const double fy = lab_f(xyz.y() / white.y());
    const double fz = lab_f(xyz.z() / white.z());
    return {116 * fy - 16, 500 * (fx - fy), 200 * (fy - fz)};
}

Vec3 xyz_from_lab(const Vec3& lab, const Vec3& white) {
    const double fy = (lab[0] + 16) / 116;
    return {white.x() * lab_f_inverse(fy + lab[1] / 500), white.y() * lab_f_inverse(fy),
            white.z() * lab_f_inverse(fy - lab[2] / 200)};
}

// u', v' of CIE 15:2018, eq. 8.24.
static std::pair<double, double> uv_prime(const Vec3& xyz) {
    const double d = xyz.x() + 15 * xyz.y() + 3 * xyz.z();
    if (d == 0) return {0, 0};
    return {4 * xyz.x() / d, 9 * xyz.y() / d};
}

Vec3 luv_from_xyz(const Vec3& xyz, const Vec3& white) {
    const auto [u, v] = uv_prime(xyz);
    const auto [un, vn] = uv_prime(white);
    const double L = 116 * lab_f(xyz.y() / white.y()) - 16;
    if (xyz.y() == 0) return {0, 0, 0};
    return {L, 13 * L * (u - un), 13 * L * (v - vn)};
}

Vec3 xyz_from_luv(const Vec3& luv, const Vec3& white) {
    const double L = luv[0];
    if (L <= 0) return {0, 0, 0};
    const auto [un, vn] = uv_prime(white);
    const double u = luv[1] / (13 * L) + un;
    const double v = luv[2] / (13 * L) + vn;
    const double Y = white.y() * lab_f_inverse((L + 16) / 116);
    return {Y * 9 * u / (4 * v), Y, Y * (12 - 3 * u - 20 * v) / (4 * v)};
}

Vec3 lch_from(const Vec3& lab) {
    double hue_deg = std::atan2(lab[2], lab[1]) * 180 / pi;
    if (hue_deg < 0) hue_deg += 360;
    return {lab[0], std::hypot(lab[1], lab[2]), hue_deg};
}

Vec3 lab_from_lch(const Vec3& lch) {
    return {lch[0], lch[1] * std::cos(lch[2] * pi / 180), lch[1] * std::sin(lch[2] * pi / 180)};
}

Mat3 adaptation(const Vec3& from_white, const Vec3& to_white, Adaptation method) {
    Mat3 cone;
    if (method == Adaptation::bradford)
        cone << 0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296;
    else cone << 0.401288, 0.650173, -0.051461, -0.250268, 1.204414, 0.045854, -0.002079, 0.048952, 0.953127;
    const Vec3 gain = (cone * to_white).cwiseQuotient(cone * from_white);
    return cone.inverse() * gain.asDiagonal() * cone;
}

double delta_e_76(const Vec3& lab1, const Vec3& lab2) { return (lab1 - lab2).norm(); }

double delta_e_94(const Vec3& reference, const Vec3& sample) {
    const double C1 = std::hypot(reference[1], reference[2]);
    const double C2 = std::hypot(sample[1], sample[2]);
    const double dL = reference[0] - sample[0];
    const double dC = C1 - C2;
    const double da = reference[1] - sample[1];
    const double db = reference[2] - sample[2];
    const double dH2 = std::max(0.0, da * da + db * db - dC * dC);
    const double SC = 1 + 0.045 * C1;
    const double SH = 1 + 0.015 * C1;
    return std::sqrt(dL * dL + dC * dC / (SC * SC) + dH2 / (SH * SH));
}

// Notation and equation order of Sharma, Wu and Dalal 2005.
Vec3 delta_e_2000_components(const Vec3& lab1, const Vec3& lab2) {
    constexpr double deg = pi / 180;
    const auto pow7 = [](double x) { return x * x * x * x * x * x * x; };
    const double C1 = std::hypot(lab1[1], lab1[2]);
    const double C2 = std::hypot(lab2[1], lab2[2]);
    const double Cm7 = pow7((C1 + C2) / 2);
    const double G = 0.5 * (1 - std::sqrt(Cm7 / (Cm7 + pow7(25.0))));
    const double a1 = (1 + G) * lab1[1];
    const double a2 = (1 + G) * lab2[1];
    const double C1p = std::hypot(a1, lab1[2]);
    const double C2p = std::hypot(a2, lab2[2]);
    const auto hue = [](double b, double a) {
        if (a == 0 && b == 0) return 0.0;
        const double h = std::atan2(b, a);
        return h < 0 ? h + 2 * pi : h;
    };
    const double h1 = hue(lab1[2], a1);
    const double h2 = hue(lab2[2], a2);

    const double dL = lab2[0] - lab1[0];
    const double dC = C2p - C1p;
    double dh = h2 - h1;
    if (C1p * C2p == 0) dh = 0;
    else if (dh > pi) dh -= 2 * pi;
    else if (dh < -pi) dh += 2 * pi;
    const double dH = 2 * std::sqrt(C1p * C2p) * std::sin(dh / 2);

    const double Lm = (lab1[0] + lab2[0]) / 2;
    const double Cm = (C1p + C2p) / 2;
    double hm = h1 + h2;
    if (C1p * C2p != 0) {
        if (std::abs(h1 - h2) <= pi) hm = (h1 + h2) / 2;
        else hm = h1 + h2 < 2 * pi ? (h1 + h2 + 2 * pi) / 2 : (h1 + h2 - 2 * pi) / 2;
    }
    const double T = 1 - 0.17 * std::cos(hm - 30 * deg) + 0.24 * std::cos(2 * hm) + 0.32 * std::cos(3 * hm + 6 * deg) -
                     0.20 * std::cos(4 * hm - 63 * deg);
    const double bell = (hm / deg - 275) / 25;
    const double dtheta = 30 * deg * std::exp(-bell * bell);
    const double RC = 2 * std::sqrt(pow7(Cm) / (pow7(Cm) + pow7(25.0)));
    const double L50 = (Lm - 50) * (Lm - 50);
    const double SL = 1 + 0.015 * L50 / std::sqrt(20 + L50);
    const double SC = 1 + 0.045 * Cm;
    const double SH = 1 + 0.015 * Cm * T;
    const double RT = -std::sin(2 * dtheta) * RC;

    // c^2 + h^2 + RT c h = (c + RT h / 2)^2 + h^2 (1 - RT^2 / 4)
    const double c = dC / SC;
    const double h = dH / SH;
    return {dL / SL, c + RT * h / 2, h * std::sqrt(std::max(0.0, 1 - RT * RT / 4))};
}

double delta_e_2000(const Vec3& lab1, const Vec3& lab2) { return delta_e_2000_components(lab1, lab2).norm(); }

} // namespace refero::colour
