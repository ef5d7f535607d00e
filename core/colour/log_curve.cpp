#include "colour/log_curve.hpp"

#include <cmath>

#include "base/base.hpp"

namespace refero::colour {

namespace {

/// Slope of the straight part: that of the logarithm at the break.
double straight_slope(const LogCurve& curve) {
    return curve.log_slope * curve.lin_slope /
           ((curve.lin_slope * curve.break_at + curve.lin_offset) * std::log(curve.base));
}

double logarithm(const LogCurve& curve, double light) {
    return curve.log_slope * std::log(curve.lin_slope * light + curve.lin_offset) / std::log(curve.base) +
           curve.log_offset;
}

} // namespace

double LogCurve::encode(double light) const {
    if (light > break_at) return logarithm(*this, light);
    return logarithm(*this, break_at) + straight_slope(*this) * (light - break_at);
}

double LogCurve::decode(double code) const {
    const double at_break = logarithm(*this, break_at);
    if (code > at_break) return (std::pow(base, (code - log_offset) / log_slope) - lin_offset) / lin_slope;
    return break_at + (code - at_break) / straight_slope(*this);
}

void LogCurve::check() const {
    const auto wrong = [](const std::string& what, const std::string& remedy) {
        throw Error(ErrorKind::input, "this is no log curve: " + what, {}, remedy);
    };
    for (const double v : {base, log_slope, log_offset, lin_slope, lin_offset, break_at})
        if (!std::isfinite(v)) wrong("a figure is no number", "Give all six figures");
    if (!(base > 1)) wrong("its base is not above 1", "Most have base 10 or 2");
    if (!(log_slope > 0) || !(lin_slope > 0)) wrong("a slope is not above 0", "Check the slopes, and their sign");
    if (!(lin_slope * break_at + lin_offset > 0))
        wrong("its break lies where the logarithm is not defined",
              "Check the break point and the linear side's offset");
    const double grey = encode(0.18);
    if (!(grey > 0.02 && grey < 0.98))
        wrong(formatted("18 % grey lands at {:.0f} % of the codes", 100 * grey),
              "Codes run from 0 to 1: divide 10-bit codes by 1023, and mind which side each figure belongs to");
}

std::string clf_of(const LogCurve& curve, const std::string& name) {
    std::string id;
    for (const char ch : name) id += std::isalnum(static_cast<unsigned char>(ch)) || ch == '-' || ch == '_' ? ch : '_';
    return formatted(R"(<?xml version="1.0" encoding="UTF-8"?>
<ProcessList id="{}" compCLFversion="3.0">
    <Description>Codes to scene-linear light</Description>
    <InputDescriptor>Codes, 0 to 1 over the recorded range</InputDescriptor>
    <OutputDescriptor>Scene-linear light, 0.18 is middle grey</OutputDescriptor>
    <Log inBitDepth="32f" outBitDepth="32f" style="cameraLogToLin">
        <LogParams base="{:.10g}" logSideSlope="{:.10g}" logSideOffset="{:.10g}" linSideSlope="{:.10g}"
                   linSideOffset="{:.10g}" linSideBreak="{:.10g}" />
    </Log>
</ProcessList>
)",
                     id.empty() ? std::string("curve") : id, curve.base, curve.log_slope, curve.log_offset,
                     curve.lin_slope, curve.lin_offset, curve.break_at);
}

} // namespace refero::colour
