// Spectra on one fixed grid, the CIE 1931 2-degree observer, illuminants, and the sums that join them.
#pragma once

#include <array>
#include <span>
#include <string_view>

#include "colour/quantities.hpp"

namespace refero::colour {

/// A spectral quantity from 380 to 780 nm in steps of 5 nm (81 values): relative power of a light, reflectance
/// (0 to 1) of a surface, or sensitivity of a detector.
struct Spectrum {
    static constexpr int first_nm = 380;
    static constexpr int step_nm = 5;
    static constexpr int size = 81;
    static constexpr double nm(int i) { return first_nm + step_nm * i; }

    std::array<double, size> value{};

    double& operator[](int i) { return value[static_cast<std::size_t>(i)]; }
    double operator[](int i) const { return value[static_cast<std::size_t>(i)]; }
    auto vector() const { return Eigen::Map<const Eigen::Matrix<double, size, 1>>(value.data()); }
    auto vector() { return Eigen::Map<Eigen::Matrix<double, size, 1>>(value.data()); }

    /// Linear interpolation of samples at ascending wavelengths; the end values are held outside.
    /// Needs at least two samples; throws Error(input) otherwise or when wavelengths do not ascend.
    static Spectrum from_samples(std::span<const double> nm, std::span<const double> values);
    static Spectrum constant(double v);
};

Spectrum operator*(const Spectrum& a, const Spectrum& b);
Spectrum operator*(double k, const Spectrum& a);
Spectrum operator+(const Spectrum& a, const Spectrum& b);

/// CIE 1931 2-degree colour-matching functions (CIE 15:2018, table T.1, 5 nm).
const std::array<Spectrum, 3>& observer_1931();

/// CIE 1964 10-degree colour-matching functions, single-lobe fits of Wyman, Sloan and Shirley, JCGT 2(2), 2013 (about 1
/// % of the peak; constants from memory, checked by the whites of CIE 15).
const std::array<Spectrum, 3>& observer_1964();

/// XYZ of a reflectance under a light, Y = 1 for the perfect reflecting diffuser.
Vec3 xyz_of(const Spectrum& reflectance, const Spectrum& light,
            const std::array<Spectrum, 3>& observer = observer_1931());
/// XYZ of the light itself, Y = 1.
Vec3 white_of(const Spectrum& light);

/// The smoothest reflectance between 0 and 1 with the given XYZ (relative to D50, Y = 1) under D50.
/// Burns, "Numerical methods for smoothest reflectance reconstruction", Color Res. Appl. 45, 2020 (LHTSS).
/// Colours that no surface can have are drawn towards neutral until one can.
Spectrum smooth_reflectance(const Vec3& xyz_d50);

/// Planck's radiator at a temperature in kelvin (c2 = 1.4388e-2 m K), relative power 1 at 560 nm.
Spectrum planck(double kelvin);
/// CIE standard illuminant A (ISO/CIE 11664-2, formula).
Spectrum illuminant_a();
/// CIE daylight of a correlated colour temperature, 4000 to 25000 K (CIE 15:2018, eq. 4.7 to 4.11).
/// D50, D55, D65, D75 are the nominal temperatures times 1.4388 / 1.4380. Throws Error(usage) out of range.
Spectrum daylight(double kelvin);
Chromaticity daylight_locus(double kelvin);
/// Nominal D illuminants by their number: 50, 55, 65, 75.
Spectrum illuminant_d(int number);
/// A blue-pumped phosphor LED of about the given temperature (2700 to 6500 K): a model of ours, not a standard.
Spectrum led(double kelvin);
/// A three-band fluorescent-like spectrum, about 4000 K: a model of ours, not a standard.
Spectrum fluorescent();
/// A xenon flash tube: near daylight with the tube's lines; a model of ours, not a standard.
Spectrum flash();

/// Correlated colour temperature and the signed distance from Planck's locus in CIE 1960 u, v
/// (positive: above, greenish). Ohno 2014, triangular and parabolic solutions, about 1000 to 25000 K.
struct Temperature {
    double kelvin = 0;
    double duv = 0;
};
Temperature correlated_temperature(Chromaticity chromaticity);
/// McCamy 1992: a cubic of good accuracy near daylight; a check, nothing is computed from it.
double mccamy_kelvin(Chromaticity chromaticity);
/// Chromaticity of Planck's radiator moved by duv across the locus.
Chromaticity chromaticity_of(Temperature temperature);

} // namespace refero::colour
