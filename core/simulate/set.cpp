// The set's inventory: cameras, lights, reflectances.
#include <cmath>
#include <random>

#include <Eigen/LU>

#include "simulate/simulate.hpp"

namespace refero::simulate {

namespace {

struct Bell {
    double centre_nm, left_nm, right_nm, height;
};

Spectrum band(std::initializer_list<Bell> bells, double infrared_cut_nm) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) {
        const double w = Spectrum::nm(i);
        double v = 0;
        for (const Bell& b : bells) {
            const double d = (w - b.centre_nm) / (w < b.centre_nm ? b.left_nm : b.right_nm);
            v += b.height * std::exp(-0.5 * d * d);
        }
        const double infrared = 1 / (1 + std::exp((w - infrared_cut_nm) / 7));
        const double ultraviolet = 1 / (1 + std::exp((408 - w) / 5));
        s[i] = v * infrared * ultraviolet;
    }
    return s;
}

std::vector<Camera> make_cameras() {
    std::vector<Camera> all(4);
    all[0].id = "stills-a";
    all[0].model = "Stills A";
    all[0].serial_number = "SA-1042";
    all[0].sensitivity = {band({{598, 24, 38, 0.62}, {430, 20, 22, 0.035}, {540, 22, 24, 0.07}}, 678),
                          band({{532, 34, 38, 1.0}, {625, 30, 30, 0.06}}, 678),
                          band({{458, 24, 30, 0.78}, {540, 30, 40, 0.03}}, 678)};
    all[0].black_level = 512;
    all[0].white_level = 15871;
    all[0].full_well_e = 52000;
    all[0].read_noise_e = 3.5;

    all[1].id = "stills-b";
    all[1].model = "Stills B";
    all[1].serial_number = "SB-77310";
    all[1].sensitivity = {band({{608, 33, 34, 0.70}, {535, 30, 20, 0.12}}, 690),
                          band({{540, 42, 44, 1.0}, {455, 20, 25, 0.07}}, 690),
                          band({{468, 30, 32, 0.66}, {560, 30, 40, 0.05}}, 690)};
    all[1].black_level = 1024;
    all[1].white_level = 16383;
    all[1].full_well_e = 38000;
    all[1].read_noise_e = 4.5;

    all[2].id = "cine-a";
    all[2].model = "Cine A";
    all[2].serial_number = "CA-5";
    all[2].sensitivity = {band({{603, 22, 42, 0.58}, {445, 18, 20, 0.05}}, 665),
                          band({{545, 36, 36, 1.0}, {480, 15, 15, 0.04}}, 665),
                          band({{450, 21, 27, 0.88}, {520, 20, 25, 0.06}}, 665)};
    all[2].black_level = 256;
    all[2].white_level = 16000;
    all[2].full_well_e = 30000;
    all[2].read_noise_e = 5;

    all[3].id = "cine-b";
    all[3].model = "Cine B";
    all[3].serial_number = "CB-19";
    all[3].sensitivity = {band({{592, 30, 44, 0.66}, {525, 30, 20, 0.10}}, 685),
                          band({{526, 44, 40, 1.0}, {610, 25, 25, 0.10}}, 685),
                          band({{462, 32, 28, 0.72}, {535, 25, 30, 0.08}}, 685)};
    all[3].black_level = 400;
    all[3].white_level = 15600;
    all[3].full_well_e = 26000;
    all[3].read_noise_e = 6;
    for (Camera& c : all) c.make = "Simulated";
    return all;
}

double logistic(double x) { return 1 / (1 + std::exp(-x)); }

} // namespace

Spectrum Scene::balanced_for() const {
    constexpr double daylight_from_k = 4000;
    if (!(balance_k > 0)) return light;
    return balance_k < daylight_from_k ? colour::planck(balance_k) : colour::daylight(balance_k);
}

Vec3 Camera::response(const Spectrum& reflectance, const Spectrum& light) const {
    Vec3 value, white;
    for (int c = 0; c < 3; ++c) {
        const Spectrum seen = sensitivity[static_cast<std::size_t>(c)] * light;
        value[c] = seen.vector().dot(reflectance.vector());
        white[c] = seen.vector().sum();
    }
    return value / white.maxCoeff();
}

colour::Mat3 Camera::camera_from_xyz_d65() const {
    const Spectrum d65 = colour::illuminant_d(65);
    colour::Mat3 rx = colour::Mat3::Zero(), xx = colour::Mat3::Zero();
    for (std::uint64_t i = 0; i < 200; ++i) {
        const Spectrum s = random_reflectance(1000 + i);
        const Vec3 x = colour::xyz_of(s, d65);
        rx += response(s, d65) * x.transpose();
        xx += x * x.transpose();
    }
    const colour::Mat3 m = rx * xx.inverse();
    return m / (m * colour::white_of(d65)).maxCoeff();
}

const Camera& camera_named(const std::string& id) {
    static const std::vector<Camera> cameras = make_cameras();
    std::string ids;
    for (const Camera& c : cameras) {
        if (c.id == id) return c;
        ids += (ids.empty() ? "" : " ") + c.id;
    }
    throw Error(ErrorKind::usage, "unknown simulated camera '" + id + "'", {}, "Known: " + ids);
}

Spectrum light_named(const std::string& name) {
    if (name == "window") return colour::daylight(6800);
    if (name == "tungsten") return colour::planck(2900);
    if (name == "led") return colour::led(4300);
    if (name == "flash") return colour::flash();
    if (name == "fluorescent") return colour::fluorescent();
    throw Error(ErrorKind::usage, "unknown light '" + name + "'", {}, "Known: window tungsten led flash fluorescent");
}

Spectrum random_reflectance(std::uint64_t seed) {
    std::mt19937_64 random(seed);
    const auto uniform = [&](double low, double high) {
        return low + (high - low) * (static_cast<double>(random() >> 11) * 0x1p-53);
    };
    Spectrum s;
    const double base = uniform(0.02, 0.5);
    s.value.fill(base);
    const int parts = 1 + static_cast<int>(uniform(0, 3));
    for (int p = 0; p < parts; ++p) {
        const double centre = uniform(400, 700), width = uniform(12, 60), height = uniform(-0.6, 0.7);
        const bool step = uniform(0, 1) < 0.5;
        for (int i = 0; i < Spectrum::size; ++i) {
            const double d = (Spectrum::nm(i) - centre) / width;
            s[i] += height * (step ? logistic(2 * d) : std::exp(-0.5 * d * d));
        }
    }
    // Into 0.015 to 0.95 without corners.
    for (double& v : s.value) v = 0.015 + 0.935 * logistic(5 * (v - 0.42));
    return s;
}

} // namespace refero::simulate
