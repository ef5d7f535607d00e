#include "colour/spectrum.hpp"

#include <algorithm>
#include <cmath>

#include "base/base.hpp"
#include "colour/internal/tables.hpp"

namespace refero::colour {

Spectrum Spectrum::from_samples(std::span<const double> nm, std::span<const double> values) {
    if (nm.size() < 2 || nm.size() != values.size())
        throw Error(ErrorKind::input, "a spectrum needs at least two samples, a value for each wavelength");
    for (std::size_t i = 1; i < nm.size(); ++i)
        if (!(nm[i] > nm[i - 1])) throw Error(ErrorKind::input, "the wavelengths of a spectrum must ascend");
    Spectrum s;
    for (int i = 0; i < size; ++i) {
        const double w = Spectrum::nm(i);
        const auto right = std::upper_bound(nm.begin(), nm.end(), w) - nm.begin();
        if (right == 0) s[i] = values.front();
        else if (right == static_cast<std::ptrdiff_t>(nm.size())) s[i] = values.back();
        else {
            const auto k = static_cast<std::size_t>(right);
            const double t = (w - nm[k - 1]) / (nm[k] - nm[k - 1]);
            s[i] = std::lerp(values[k - 1], values[k], t);
        }
    }
    return s;
}

Spectrum Spectrum::constant(double v) {
    Spectrum s;
    s.value.fill(v);
    return s;
}

Spectrum operator*(const Spectrum& a, const Spectrum& b) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) s[i] = a[i] * b[i];
    return s;
}

Spectrum operator*(double k, const Spectrum& a) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) s[i] = k * a[i];
    return s;
}

Spectrum operator+(const Spectrum& a, const Spectrum& b) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) s[i] = a[i] + b[i];
    return s;
}

const std::array<Spectrum, 3>& observer_1931() {
    static const auto functions = [] {
        std::array<Spectrum, 3> f;
        for (int i = 0; i < Spectrum::size; ++i)
            for (std::size_t c = 0; c < 3; ++c) f[c][i] = tables::observer_1931[static_cast<std::size_t>(i)][c];
        return f;
    }();
    return functions;
}

const std::array<Spectrum, 3>& observer_1964() {
    static const std::array<Spectrum, 3> functions = [] {
        std::array<Spectrum, 3> f;
        for (int i = 0; i < Spectrum::size; ++i) {
            const double nm = Spectrum::nm(i), red = std::log((nm + 570.1) / 1014),
                         tail = std::log((1338 - nm) / 743.5), green = (nm - 556.1) / 46.14,
                         blue = std::log((nm - 265.8) / 180.4);
            f[0][i] = 0.398 * std::exp(-1250 * red * red) + 1.132 * std::exp(-234 * tail * tail);
            f[1][i] = 1.011 * std::exp(-0.5 * green * green);
            f[2][i] = 2.060 * std::exp(-32 * blue * blue);
        }
        return f;
    }();
    return functions;
}

Vec3 xyz_of(const Spectrum& reflectance, const Spectrum& light, const std::array<Spectrum, 3>& observer) {
    const double k = 1 / observer[1].vector().dot(light.vector());
    const Spectrum stimulus = reflectance * light;
    return k * Vec3(observer[0].vector().dot(stimulus.vector()), observer[1].vector().dot(stimulus.vector()),
                    observer[2].vector().dot(stimulus.vector()));
}

Vec3 white_of(const Spectrum& light) { return xyz_of(Spectrum::constant(1), light); }

static double planck_at(double nm, double kelvin, double c2) {
    const double m = nm * 1e-9;
    return std::pow(m, -5) / std::expm1(c2 / (m * kelvin));
}

Spectrum planck(double kelvin) {
    constexpr double c2 = 1.4388e-2;
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) s[i] = planck_at(Spectrum::nm(i), kelvin, c2) / planck_at(560, kelvin, c2);
    return s;
}

Spectrum illuminant_a() {
    Spectrum s; // ISO/CIE 11664-2: c2 = 1.435e-2 and 2848 K, kept as they were in 1931
    for (int i = 0; i < Spectrum::size; ++i)
        s[i] = planck_at(Spectrum::nm(i), 2848, 1.435e-2) / planck_at(560, 2848, 1.435e-2);
    return s;
}

Chromaticity daylight_locus(double kelvin) {
    if (!(kelvin >= 4000 && kelvin <= 25000))
        throw Error(ErrorKind::usage, "CIE daylight is defined from 4000 to 25000 K only");
    const double t = 1e3 / kelvin;
    const double x = kelvin <= 7000 ? -4.6070 * t * t * t + 2.9678 * t * t + 0.09911 * t + 0.244063
                                    : -2.0064 * t * t * t + 1.9018 * t * t + 0.24748 * t + 0.237040;
    return {x, -3.000 * x * x + 2.870 * x - 0.275};
}

Spectrum daylight(double kelvin) {
    const auto [x, y] = daylight_locus(kelvin);
    // M1 and M2 rounded to three decimals, as CIE 15 asks for the D illuminants.
    const auto rounded = [](double v) { return std::round(v * 1000) / 1000; };
    const double m = 0.0241 + 0.2562 * x - 0.7341 * y;
    const double m1 = rounded((-1.3515 - 1.7703 * x + 5.9114 * y) / m);
    const double m2 = rounded((0.0300 - 31.4424 * x + 30.0717 * y) / m);
    std::array<double, 41> nm{}, power{};
    for (std::size_t i = 0; i < nm.size(); ++i) {
        nm[i] = 380 + 10.0 * static_cast<double>(i);
        power[i] = (tables::daylight[i][0] + m1 * tables::daylight[i][1] + m2 * tables::daylight[i][2]) / 100;
    }
    return Spectrum::from_samples(nm, power);
}

Spectrum illuminant_d(int number) { return daylight(number * 100 * 1.4388 / 1.4380); }

static double bell(double nm, double centre, double left, double right) {
    const double s = nm < centre ? left : right;
    return std::exp(-0.5 * (nm - centre) * (nm - centre) / (s * s));
}

// Halving search for the argument in low..high at which `above` turns true.
template<class F>
static double bisect(double low, double high, F above) {
    for (int i = 0; i < 40; ++i) {
        const double mid = (low + high) / 2;
        (above(mid) ? high : low) = mid;
    }
    return (low + high) / 2;
}

Spectrum led(double kelvin) {
    const auto mix = [](double pump, double red) {
        Spectrum s;
        for (int i = 0; i < Spectrum::size; ++i) {
            const double w = Spectrum::nm(i);
            s[i] = pump * bell(w, 452, 9, 12) + bell(w, 552, 34, 56) + red * bell(w, 628, 24, 34);
        }
        return s;
    };
    const auto temperature = [](const Spectrum& s) { return correlated_temperature(chromaticity_of(white_of(s))); };
    // The pump's share sets the temperature, the red phosphor's the distance from Planck's locus.
    const auto pump_for = [&](double red) {
        return bisect(0.01, 5, [&](double pump) { return temperature(mix(pump, red)).kelvin > kelvin; });
    };
    const double red = bisect(0, 3, [&](double r) { return temperature(mix(pump_for(r), r)).duv < 0.001; });
    return mix(pump_for(red), red);
}

Spectrum fluorescent() {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) {
        const double w = Spectrum::nm(i);
        s[i] = 0.10 * bell(w, 470, 50, 120) + 0.55 * bell(w, 435, 4, 4) + 0.42 * bell(w, 490, 8, 8) +
               1.30 * bell(w, 545, 5, 5) + 0.30 * bell(w, 585, 7, 7) + 1.20 * bell(w, 612, 5, 5) +
               0.12 * bell(w, 650, 8, 8);
    }
    return s;
}

Spectrum flash() {
    Spectrum s = daylight(5600);
    for (int i = 0; i < Spectrum::size; ++i) {
        const double w = Spectrum::nm(i);
        // Xenon's lines near 460 to 490 and beyond 700 nm over a smooth continuum.
        s[i] = 0.45 * s[i] + 0.55 * (1.05 - 0.10 * (w - 560) / 220) + 0.25 * bell(w, 468, 6, 8) +
               0.08 * bell(w, 492, 5, 5) + 0.15 * bell(w, 765, 8, 8);
    }
    return s;
}

} // namespace refero::colour
