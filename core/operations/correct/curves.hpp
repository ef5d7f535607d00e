// Log curves typed in for recording modes: kept as CLF, and checked on a chart's greys.
#pragma once

#include "colour/log_curve.hpp"
#include "operations/correct/chain.hpp"

namespace refero::operations {

/// Writes the curve into the user's data folder under its name, "curves/NAME.clf"; one of that name with other figures
/// keeps its own. Throws Error(input) where it is none, Error(usage) without a name.
std::filesystem::path keep_curve(const colour::LogCurve& curve, const std::string& name);
/// The figures of a curve that was kept, or none for other files and names.
std::optional<colour::LogCurve> typed_curve(const std::string& file);

/// A grey of a chart against a curve.
struct CurveCheck {
    std::string patch;
    double luminance = 0; ///< of the reference, scaled as the shot was exposed
    double code = 0;      ///< read, green
    double stops = 0;     ///< how far the curve puts it from its reflectance, after one exposure for all greys
};
struct CurveCheckRequest {
    std::filesystem::path file;
    ShotOptions options;
    chart::Reference reference;
};
CurveCheckRequest curve_check_request(const Chain& chain);
/// Reads the chart's codes. Throws Error(input) where fewer than three greys are usable.
std::vector<CurveCheck> check_curve(const colour::LogCurve& curve, const CurveCheckRequest& request,
                                    std::stop_token stop = {});

} // namespace refero::operations
