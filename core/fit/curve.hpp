// The camera's tone curve: from code values to linear light, from a chart's neutrals and an exposure series.
#pragma once

#include "balance/balance.hpp"

namespace refero::fit {

/// The chart in one frame, its patches read as code values, 0 to 1 (encoding `linear`).
struct CurveShot {
    read::Reading codes;
    std::optional<double> stops; ///< light on the sensor beside the other shots, by exposure time, aperture and ISO
};

struct ToneCurve {
    std::vector<double> linear;           ///< light at code values from 0 to 1 in even steps, 1 at code 1; never falls
    double first_code = 0, last_code = 1; ///< measured between these; beyond, continued
    double error_stops = 0;               ///< standard uncertainty of the curve where it was measured, mean
    double residual_stops = 0;            ///< of the measurements about it, root mean square
    int points = 0;                       ///< neutrals, shots and channels that took part
    std::string nearest;                  ///< the standard transfer function that is nearest by shape ...
    double nearest_stops = 0;             ///< ... and how far off it is where measured, root mean square
    double decode(double code) const;
};

/// After ISO 14524: log2 of light at each code value is log2 of the neutral's luminance plus the shot's stops, up to a
/// constant for each channel. A smooth curve through these points by least squares, made monotone (pool adjacent
/// violators). Shots of unknown stops find theirs where they overlap others. Throws Error(input) when fewer than five
/// points are usable.
ToneCurve estimate_curve(const std::vector<CurveShot>& shots, const chart::Reference& reference,
                         const chart::Definition* definition);

/// A 1D LUT, .cube text, that `--encoding` and other programs read.
void save(const ToneCurve& curve, const std::filesystem::path& file);

} // namespace refero::fit
