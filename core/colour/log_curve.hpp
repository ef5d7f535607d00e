// Log curves of cameras as makers print them: six figures. The form is that of style "cameraLogToLin" in
// Common LUT Format 3 (Academy S-2014-006), and of LogCameraTransform in OpenColorIO.
#pragma once

#include <string>

namespace refero::colour {

/// code = log_slope * log_base(lin_slope * light + lin_offset) + log_offset above the break, and straight below it with
/// the slope that continues it. Light: 0.18 is middle grey as exposed; codes: 0 to 1 over the recorded range.
struct LogCurve {
    double base = 10;
    double log_slope = 0.25, log_offset = 0.38; ///< on the codes' side
    double lin_slope = 5.6, lin_offset = 0.05;  ///< on the light's side
    double break_at = 0.01;                     ///< light; where the straight part ends
    double encode(double light) const;
    double decode(double code) const;
    /// Throws Error(input) naming the figure where the curve is none: base of at most 1, no slope, a break outside the
    /// logarithm's range, codes that do not grow.
    void check() const;
    bool operator==(const LogCurve&) const = default;
};

/// As a CLF, codes to light; `name` is its id.
std::string clf_of(const LogCurve& curve, const std::string& name);

} // namespace refero::colour
