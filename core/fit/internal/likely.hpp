// What cameras, lights and spectra are like beforehand (spectral.cpp); shared by the sources of this room only.
#pragma once

#include "fit/internal/training.hpp"

namespace refero::fit {

constexpr int bands = colour::Spectrum::size;
using Vector = Eigen::Matrix<double, bands, 1>;
using Matrix = Eigen::Matrix<double, bands, bands>;

/// Root of a Gaussian covariance over wavelength.
Matrix smooth_root(double length_nm);
/// XYZ relative to D50 of a reflectance, Y = 1 for the perfect diffuser.
const Eigen::Matrix<double, 3, bands>& xyz_weights();

/// Mean and covariance of sensitivity times light, each channel scaled to 1 for the perfect diffuser.
struct Population {
    std::array<Vector, 3> mean;
    std::array<Matrix, 3> covariance;
};
/// With `beyond`, some cameras let the infrared in or see a little of everything, too.
const Population& population(bool beyond = false);

/// So many of them, evenly taken.
void thin_out(std::vector<Eigen::Index>& used, std::size_t most);

} // namespace refero::fit
