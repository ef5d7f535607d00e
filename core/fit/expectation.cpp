// What a correction expects of a recording: what it was made on.
#include <cmath>

#include "fit/fit.hpp"

namespace refero::fit {

std::vector<std::string> differences(const Correction& correction, const frame::Metadata& m) {
    std::vector<std::string> all;
    if (correction.sources.empty()) return all;
    const frame::Metadata& own = correction.sources.front().metadata;
    const auto both = [](const std::string& a, const std::string& b) { return !a.empty() && !b.empty(); };
    if (both(own.model, m.model) && own.camera() != m.camera()) all.push_back("another camera: " + m.camera() + " instead of " + own.camera());
    else if (both(own.serial_number, m.serial_number) && own.serial_number != m.serial_number) all.push_back("another body of the same camera: " + m.serial_number + " instead of " + own.serial_number);
    if (both(own.lens, m.lens) && own.lens != m.lens) all.push_back("another lens: " + m.lens + " instead of " + own.lens);
    if (own.iso > 0 && m.iso > 0 && std::abs(std::log2(m.iso / own.iso)) >= 1) all.push_back(formatted("ISO %.0f instead of %.0f%s", m.iso, own.iso, m.iso > own.iso ? ": more noise, and colour drifts with it" : ""));
    // Times of a whole run are rounded: a third of a stop is the step of a dial.
    const auto light = [](const frame::Metadata& x) { return x.exposure_s > 0 && x.f_number > 0 && x.iso > 0 ? std::log2(x.exposure_s / (x.f_number * x.f_number) * x.iso) : NAN; };
    if (const double stops = light(m) - light(own); std::isfinite(stops) && std::abs(stops) > 0.29)
        all.push_back(formatted("exposed %.1f stops %s: %+.1f stops make it as bright as the chart shot", std::abs(stops), stops > 0 ? "more" : "less", -stops));
    if (m.exposure_s > 0 && m.flash != own.flash) all.push_back(m.flash ? "a flash fired, which the chart shot had not" : "no flash fired, which the chart shot had");
    return all;
}

} // namespace refero::fit
