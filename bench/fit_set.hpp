// What fits are tested on: surfaces, chart, cameras and lamps that neither chart nor prior hold.
#pragma once

#include <cmath>
#include <random>
#include <string>
#include <vector>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <tbb/parallel_for.h>

#include "fit/fit.hpp"
#include "simulate/simulate.hpp"

namespace refero::bench {

using colour::Mat3;
using colour::Spectrum;
using colour::Vec3;

struct Draw {
    std::mt19937_64 engine;
    explicit Draw(std::uint64_t seed) : engine(seed) {}
    double operator()(double low, double high) {
        return low + (high - low) * (static_cast<double>(engine() >> 11) * 0x1p-53);
    }
    double normal() { return std::sqrt(-2 * std::log((*this)(1e-300, 1))) * std::cos(2 * M_PI * (*this)(0, 1)); }
};

inline Spectrum bell(double centre, double left, double right, double height = 1) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i)
        s[i] = height *
               std::exp(-0.5 * std::pow((Spectrum::nm(i) - centre) / (Spectrum::nm(i) < centre ? left : right), 2));
    return s;
}

/// How broad bands and edges of the surfaces are, times what is said below.
inline double broad = 1;

/// Reflectance of an opaque layer of this absorption and scattering (Kubelka and Munk 1931; Saunderson 1942 at the
/// surface).
inline Spectrum opaque(const Spectrum& absorbs, const Spectrum& scatters) {
    Spectrum r;
    for (int i = 0; i < Spectrum::size; ++i) {
        const double q = absorbs[i] / scatters[i], inner = 1 + q - std::sqrt(q * q + 2 * q);
        r[i] = 0.02 + 0.96 * 0.5 * inner / (1 - 0.5 * inner);
    }
    return r;
}

/// Opaque mixtures of one to three of eighty invented pigments with white, bands 65 to 165 nm wide at half height.
inline std::vector<Spectrum> pigment_mixtures(int count, std::uint64_t seed) {
    Draw random(seed);
    struct Pigment {
        Spectrum absorbs, scatters;
    };
    std::vector<Pigment> pigments;
    for (int p = 0; p < 80; ++p) {
        Pigment x{Spectrum::constant(random(0.002, 0.03)), Spectrum::constant(1)};
        for (int b = 0, bands = 1 + static_cast<int>(random(0, 2.99)); b < bands; ++b)
            x.absorbs = x.absorbs + bell(random(380, 700), broad * random(28, 70), broad * random(28, 70),
                                         std::exp(random(-1.5, 1.8)));
        const double tilt = random(-0.4, 0.4);
        for (int i = 0; i < Spectrum::size; ++i) x.scatters[i] = 0.25 * std::pow(Spectrum::nm(i) / 560, tilt);
        pigments.push_back(x);
    }
    std::vector<Spectrum> all;
    for (int n = 0; n < count; ++n) {
        Spectrum k = Spectrum::constant(0.004), s = Spectrum::constant(1);
        const double white = std::exp(random(-4, 0.5));
        k = white * k;
        s = white * s;
        for (int j = 0, parts = 1 + static_cast<int>(random(0, 2.99)); j < parts; ++j) {
            const Pigment& p = pigments[static_cast<std::size_t>(random(0, 79.999))];
            const double c = std::exp(random(-2.5, 0));
            k = k + c * p.absorbs;
            s = s + c * p.scatters;
        }
        all.push_back(opaque(k, s));
    }
    return all;
}

/// Dyes in a clear layer over paper: bands of absorption, 65 to 140 nm wide at half height, that add in density (Beer
/// and Lambert).
inline std::vector<Spectrum> dyed_papers(int count, std::uint64_t seed) {
    Draw random(seed);
    std::vector<Spectrum> all;
    for (int n = 0; n < count; ++n) {
        Spectrum density = Spectrum::constant(std::max(0.0, random(-0.3, 0.5)));
        for (int b = 0, bands = 1 + static_cast<int>(random(0, 2.99)); b < bands; ++b)
            density =
                density + bell(random(370, 720), broad * random(28, 60), broad * random(28, 60), random(0.1, 1.0));
        const double paper = random(0.8, 0.93), yellowing = random(0, 0.12);
        Spectrum r;
        for (int i = 0; i < Spectrum::size; ++i)
            r[i] = paper * (1 - yellowing * std::exp(-(Spectrum::nm(i) - 380) / 60)) * std::pow(10, -density[i]);
        all.push_back(r);
    }
    return all;
}

/// Skins by the logarithm of what they throw back: blood as bells of its three bands, melanin as a straight rise to the
/// violet on logarithmic axes. Made otherwise than those that renderings are taught by.
inline std::vector<Spectrum> skins(int count, std::uint64_t seed) {
    Draw random(seed);
    std::vector<Spectrum> all;
    for (int n = 0; n < count; ++n) {
        const double level = random(0.22, 0.36), melanin = std::exp(random(std::log(0.04), std::log(0.75))),
                     power = random(2.4, 3.4), blood = random(0.05, 0.3), oxygen = random(0.3, 1);
        const Spectrum full = bell(417, 18, 20, 1.6) + bell(542, 15, 15, 0.75) + bell(576, 11, 10, 0.8),
                       spent = bell(430, 18, 20, 1.6) + bell(556, 22, 20, 0.85);
        Spectrum r;
        for (int i = 0; i < Spectrum::size; ++i) {
            const double density = level + melanin * std::pow(Spectrum::nm(i) / 500, -power) +
                                   blood * (oxygen * full[i] + (1 - oxygen) * spent[i]) +
                                   0.1 * blood * (700 - Spectrum::nm(i)) / 300;
            r[i] = 0.02 + 0.95 * std::pow(10, -std::max(0.0, density - 0.12));
        }
        all.push_back(r);
    }
    return all;
}

/// Plants by the outline of their spectra: a dip in blue and one in red, a hump between, the rise behind the red, some
/// of it browned or reddened. Made otherwise than those that renderings are taught by.
inline std::vector<Spectrum> plants(int count, std::uint64_t seed) {
    Draw random(seed);
    std::vector<Spectrum> all;
    for (int n = 0; n < count; ++n) {
        const double dark = random(0.03, 0.09), hump = random(0.02, 0.2), hump_at = random(545, 562),
                     red_dip = random(0.3, 1), edge = random(694, 712), far = random(0.35, 0.6),
                     brown = random(0, 1) < 0.4 ? random(0, 0.5) : 0, flush = random(0, 1) < 0.3 ? random(0, 0.9) : 0;
        const Spectrum green = bell(hump_at, random(20, 30), random(35, 60), hump), dip = bell(676, 14, 13, red_dip);
        Spectrum r;
        for (int i = 0; i < Spectrum::size; ++i) {
            const double x = Spectrum::nm(i), rise = 1 / (1 + std::exp((edge - x) / 9)),
                         ramp = 1 / (1 + std::exp((600 - x) / 45));
            double v = dark + green[i] * (1 - flush * std::exp(-0.5 * std::pow((x - 545) / 35, 2))) +
                       brown * 0.5 * ramp * (1 - 0.5 * dip[i]);
            v = v * (1 - 0.35 * dip[i]);
            r[i] = std::clamp(v + rise * (far - v), 0.01, 0.95);
        }
        all.push_back(r);
    }
    return all;
}

inline Eigen::Matrix3Xd xyz_of(const std::vector<Spectrum>& surfaces) {
    const Spectrum d50 = colour::illuminant_d(50);
    Eigen::Matrix3Xd all(3, surfaces.size());
    for (std::size_t i = 0; i < surfaces.size(); ++i)
        all.col(static_cast<Eigen::Index>(i)) = colour::xyz_of(surfaces[i], d50);
    return all;
}

/// Paints of the chart, of another kind than the tested ones: absorption that ends in an edge (earths, yellows, reds)
/// or has one or two broad bands (greens, blues), forty of them, mixed by one to three with white.
inline std::vector<Spectrum> paints(int count, std::uint64_t seed) {
    Draw random(seed);
    std::vector<Spectrum> pigments;
    for (int p = 0; p < 40; ++p) {
        Spectrum k = Spectrum::constant(random(0.002, 0.03));
        const double height = std::exp(random(-0.5, 1.8));
        if (p % 3 == 0) {
            const double edge = random(440, 640), width = broad * random(8, 24);
            for (int i = 0; i < Spectrum::size; ++i) k[i] += height / (1 + std::exp((Spectrum::nm(i) - edge) / width));
        } else {
            k = k + bell(random(420, 680), broad * random(30, 65), broad * random(30, 65), height);
            if (p % 3 == 2) k = k + bell(random(380, 450), 40, 40, height / 2);
        }
        pigments.push_back(k);
    }
    std::vector<Spectrum> all;
    for (int n = 0; n < count; ++n) {
        const double white = std::exp(random(-4, 1));
        Spectrum k = Spectrum::constant(0.006 * white);
        for (int j = 0, parts = 1 + static_cast<int>(random(0, 2.99)); j < parts; ++j)
            k = k + std::exp(random(-2.5, 0)) * pigments[static_cast<std::size_t>(random(0, 39.999))];
        all.push_back(opaque(k, Spectrum::constant(0.3 + white)));
    }
    return all;
}

/// Patches of the chart's XYZ as painters would mix them: the nearest of twenty thousand mixtures, moved to the XYZ by
/// what the smoothest spectra of both differ. Neutrals are the smoothest.
inline std::vector<Spectrum> chart_spectra(const chart::Definition& d, const chart::Reference& reference,
                                           std::uint64_t seed) {
    const std::vector<Spectrum> mixtures = paints(20000, seed);
    const Eigen::Matrix3Xd mixed = xyz_of(mixtures);
    std::vector<Vec3> labs;
    for (Eigen::Index i = 0; i < mixed.cols(); ++i) labs.push_back(colour::lab_from_xyz(mixed.col(i)));
    const Spectrum d50 = colour::illuminant_d(50);
    std::vector<Spectrum> all;
    for (const chart::Patch& p : d.patches) {
        const Vec3 wanted = reference.xyz.at(p.id), lab = colour::lab_from_xyz(wanted);
        const Spectrum smoothest = colour::smooth_reflectance(wanted);
        const auto nearest = std::min_element(labs.begin(), labs.end(), [&](const Vec3& a, const Vec3& b) {
            return (a - lab).squaredNorm() < (b - lab).squaredNorm();
        });
        Spectrum s = mixtures[static_cast<std::size_t>(nearest - labs.begin())];
        for (int round = 0; round < 3; ++round) {
            const Spectrum have = colour::smooth_reflectance(colour::xyz_of(s, d50));
            for (int i = 0; i < Spectrum::size; ++i) s[i] = std::clamp(s[i] + smoothest[i] - have[i], 0.004, 0.985);
        }
        all.push_back(p.role == "neutral" ? smoothest : s);
    }
    return all;
}

struct Body {
    std::string name;
    std::array<Spectrum, 3> sensitivity;
};
inline std::vector<Body> bodies() {
    std::vector<Body> all;
    for (const char* id : {"stills-a", "stills-b", "cine-a", "cine-b"})
        all.push_back({id, simulate::camera_named(id).sensitivity});
    const auto& cmf = colour::observer_1931();
    // Hunt, Pointer and Estevez's cones: a camera that meets the Luther condition.
    const Mat3 cones = (Mat3() << 0.38971, 0.68898, -0.07868, -0.22981, 1.18340, 0.04641, 0, 0, 1).finished();
    Body luther{"luther", {}};
    for (int c = 0; c < 3; ++c)
        for (int i = 0; i < Spectrum::size; ++i) {
            double v = 0;
            for (int k = 0; k < 3; ++k) v += cones(c, k) * cmf[static_cast<std::size_t>(k)][i];
            luther.sensitivity[static_cast<std::size_t>(c)][i] = std::max(0.0, v);
        }
    all.push_back(luther);
    all.push_back({"narrow", {bell(610, 18, 18), bell(540, 20, 20), bell(455, 16, 16)}});
    all.push_back({"wide",
                   {bell(590, 45, 45) + bell(440, 25, 25, 0.15), bell(545, 50, 50) + bell(450, 30, 30, 0.1),
                    bell(470, 38, 38) + bell(560, 40, 40, 0.1)}});
    all.push_back({"leaking",
                   {bell(605, 32, 32) + bell(535, 30, 30, 0.3),
                    bell(535, 36, 36) + bell(470, 25, 25, 0.2) + bell(620, 30, 30, 0.15),
                    bell(460, 28, 28) + bell(530, 30, 30, 0.12)}});
    return all;
}

inline std::vector<std::pair<std::string, Spectrum>> lamps() {
    return {{"daylight 6800", colour::daylight(6800)},
            {"daylight 5000", colour::daylight(5000)},
            {"tungsten", colour::planck(2900)},
            {"led", colour::led(4300)},
            {"flash", colour::flash()},
            {"fluorescent", colour::fluorescent()}};
}

inline Eigen::Matrix3Xd through(const Eigen::Matrix<double, 3, Spectrum::size>& e,
                                const std::vector<Spectrum>& surfaces) {
    Eigen::Matrix3Xd all(3, surfaces.size());
    for (std::size_t i = 0; i < surfaces.size(); ++i) all.col(static_cast<Eigen::Index>(i)) = e * surfaces[i].vector();
    return all;
}

inline double difference(const Vec3& a, const Vec3& b) {
    return colour::delta_e_2000(colour::lab_from_xyz(a), colour::lab_from_xyz(b));
}

inline fit::Statistics errors(const Eigen::Matrix3Xd& truth, const std::function<Vec3(Eigen::Index)>& seen) {
    std::vector<double> all;
    for (Eigen::Index i = 0; i < truth.cols(); ++i) all.push_back(difference(truth.col(i), seen(i)));
    return fit::statistics(all);
}

/// What each rendering leaves on unseen surfaces of its kind and elsewhere, over what `even` leaves there.
void renderings(std::uint64_t seed, bool with_spectra);

/// What any smooth function of camera RGB can reach: local linear regression on a surface's sixty nearest by
/// chromaticity, itself left out, over a large set of all families.
inline fit::Statistics floor_of(const Eigen::Matrix3Xd& rgb, const Eigen::Matrix3Xd& xyz, Eigen::Index first,
                                Eigen::Index tested) {
    std::vector<double> all(static_cast<std::size_t>(tested));
    const Eigen::Matrix3Xd chroma = rgb.array().rowwise() / rgb.colwise().sum().array();
    tbb::parallel_for(first, first + tested, [&](Eigen::Index i) {
        constexpr int near = 60;
        std::vector<std::pair<double, Eigen::Index>> d;
        for (Eigen::Index k = 0; k < rgb.cols(); ++k)
            if (k != i) d.emplace_back((chroma.col(k) - chroma.col(i)).squaredNorm(), k);
        std::nth_element(d.begin(), d.begin() + near, d.end());
        const double reach = d[near].first;
        Mat3 a = Mat3::Zero(), b = Mat3::Zero();
        for (int n = 0; n < near; ++n) {
            const Eigen::Index k = d[static_cast<std::size_t>(n)].second;
            const Vec3 x(1, chroma(0, k) - chroma(0, i), chroma(1, k) - chroma(1, i));
            const double w = std::exp(-4 * d[static_cast<std::size_t>(n)].first / reach);
            a += w * x * x.transpose();
            b += w * x * (xyz.col(k) / rgb.col(k).sum()).transpose();
        }
        a(1, 1) += 1e-7;
        a(2, 2) += 1e-7;
        const Vec3 y = (a.ldlt().solve(b)).row(0).transpose() * rgb.col(i).sum();
        all[static_cast<std::size_t>(i - first)] = difference(xyz.col(i), y);
    });
    return fit::statistics(all);
}

} // namespace refero::bench
