// CIE quantities: tristimulus values, chromaticities and the uniform spaces built on them.
// Source: CIE 15:2018; ISO/CIE 11664-4 (CIELAB) and 11664-5 (CIELUV).
#pragma once

#include <Eigen/Core>

namespace refero::colour {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

/// Chromaticity coordinates x, y.
struct Chromaticity {
    double x = 0;
    double y = 0;
};

/// Tristimulus values of the D50 white, 2 degrees, Y = 1 (CIE 15:2018, table T.3).
inline const Vec3 white_d50{0.96422, 1.0, 0.82521};

/// XYZ with the given luminance from a chromaticity. y must not be zero.
Vec3 xyz_from(Chromaticity chromaticity, double Y = 1.0);
Chromaticity chromaticity_of(const Vec3& xyz);

/// CIELAB (L* 0 to 100) of XYZ relative to `white`; both on the same scale. Total: XYZ may be negative.
Vec3 lab_from_xyz(const Vec3& xyz, const Vec3& white = white_d50);
Vec3 xyz_from_lab(const Vec3& lab, const Vec3& white = white_d50);

/// CIELUV (L*, u*, v*).
Vec3 luv_from_xyz(const Vec3& xyz, const Vec3& white = white_d50);
Vec3 xyz_from_luv(const Vec3& luv, const Vec3& white = white_d50);

/// Polar form of Lab or Luv: lightness, chroma, hue angle in degrees 0 to 360.
Vec3 lch_from(const Vec3& lab_or_luv);
Vec3 lab_from_lch(const Vec3& lch);

/// Linear adaptation between whites of equal luminance scale (XYZ to XYZ).
/// Bradford: the linearised form of ICC.1, annex E. CAT16: Li et al. 2017, full adaptation.
enum class Adaptation { bradford, cat16 };
Mat3 adaptation(const Vec3& from_white, const Vec3& to_white, Adaptation method = Adaptation::bradford);

/// Colour differences between two Lab values.
double delta_e_76(const Vec3& lab1, const Vec3& lab2);
/// CIE94 for graphic arts (kL = 1, K1 = 0.045, K2 = 0.015); `reference` gives the weights.
double delta_e_94(const Vec3& reference, const Vec3& sample);
/// CIEDE2000 (ISO/CIE 11664-6), all parametric factors 1.
double delta_e_2000(const Vec3& lab1, const Vec3& lab2);
/// Three numbers whose squares sum to CIEDE2000 squared: the lightness term, and the chroma and hue terms with
/// the rotation term completed to squares. For least-squares fits.
Vec3 delta_e_2000_components(const Vec3& lab1, const Vec3& lab2);

} // namespace refero::colour
