// What a correction expects of a recording: what it was made on. And what a user adds to a fit: weights, samples.
#include <cmath>
#include <sstream>

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
    // Raw frames are before all that.
    if (!frame::is_raw_name(correction.sources.front().file)) {
        const auto named = [](const std::string& style) { return style.empty() ? std::string("a normal picture style") : style; };
        if (m.style != own.style) all.push_back("recorded with " + named(m.style) + " instead of " + named(own.style));
        if (m.auto_balance) all.push_back("balanced by the camera itself, which may differ from frame to frame");
    }
    return all;
}

Correction balance_alone(const balance::Balance& balance, const std::optional<colour::Temperature>& light) {
    Correction c;
    c.model = Model::diagonal;
    c.balance = balance;
    c.light = light;
    c.coefficients = colour::rgb_space("linear-bt709").to_xyz_d50();
    return c;
}

std::string text_of(const Weights& weights) {
    std::string text;
    for (const auto& [name, weight] : weights) text += (text.empty() ? "" : ", ") + name + formatted(" %g", weight);
    return text;
}

Weights weights_from(const std::string& text) {
    Weights all;
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, ',');) {
        std::istringstream words(part);
        std::string name, rest;
        double weight = -1;
        if (!(words >> name)) continue;
        if (!(words >> weight) || words >> rest || !(weight >= 0 && weight <= 100))
            throw Error(ErrorKind::usage, "'" + part + "' is no weight", {}, "Give a patch or a role and a number from 0 to 100, such as: skin 3, D1 0.5");
        all[name] = weight;
    }
    return all;
}

void join(read::Reading& reading, chart::Reference& reference, const read::Reading& samples, const chart::Reference& theirs) {
    for (const read::PatchReading& p : samples.patches) {
        const auto xyz = theirs.xyz.find(p.id);
        if (xyz == theirs.xyz.end()) continue;
        if (reading.find(p.id)) throw Error(ErrorKind::input, "the sample " + p.id + " has the name of a patch of the chart", theirs.file, "Name the samples otherwise, in readings and reference alike");
        reading.patches.push_back(p);
        reference.xyz[p.id] = xyz->second;
        if (const auto spectrum = theirs.spectrum.find(p.id); spectrum != theirs.spectrum.end()) reference.spectrum[p.id] = spectrum->second;
    }
}

} // namespace refero::fit
