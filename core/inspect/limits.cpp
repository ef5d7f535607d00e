#include <nlohmann/json.hpp>

#include "inspect/inspect.hpp"

namespace refero::inspect {

Limits limits_for(const School& s) {
    // Common practice names the faults; where it names no figure the limits are ours, by trial on simulated frames.
    return {
        {"size pixels", {16, 8, "px a patch", "fewer pixels than that say little of a patch's mean and noise", true}},
        {"size small",
         {s.fill ? 25.0 : 2.5, s.fill ? 8.0 : 0.4, "% of the frame",
          "the school asks for about a tenth of the frame, or for most of it", true}},
        {"size large",
         {s.fill ? 92.0 : 60.0, s.fill ? 98.0 : 85.0, "% of the frame",
          "a chart that fills the frame meets the lens's vignetting"}},
        {"tilt",
         {s.strict_turn ? 8.0 : 18.0, s.strict_turn ? 15.0 : 32.0, "deg", "a turned chart gets sheen and uneven light",
          false, s.strict_turn}},
        {"rotation", {60, 1000, "deg", "an upright chart is found and compared at a glance"}},
        {"focus", {16, 34, "% of a patch, 10 to 90 %", "blur mixes neighbouring patches"}},
        {"clipping", {1, 2, "patches", "a clipped patch has lost its colour"}},
        {"underexposure",
         {2.2, 3.7, "stops below 90 %", "a correction of a dark shot lifts coloured noise into the skin"}},
        {"underexposure black", {1.5, 0.6, "signal to noise", "a black that drowns says nothing of the darks", true}},
        {"evenness", {0.2, 0.5, "stops", "uneven light looks like wrong colour"}},
        {"shadow", {0.18, 0.4, "stops", "a shadow is a step, which no smooth light explains"}},
        {"glare", {1.2, 3.5, "% of white", "veiling light lifts the darks and pales all colours"}},
        {"glare spot", {3, 15, "% of a patch", "a sheen is the lamp's colour, not the patch's"}},
        {"occlusion", {16, 40, "% off", "what covers, soils or fades a patch is not its colour"}},
        {"reference",
         {15, 25, "% off on most patches", "wrong values, or another chart, look like any fault of light or camera"}},
        {"mixed_light", {7, 18, "% across", "two lights of different colour on one chart balance nowhere"}},
        {"mirrored", {1, 1000, "", "a mirrored frame came in the wrong way"}},
        {"recording",
         {1, 1000, "",
          "compression and the camera's own finish change colours, and 8 bits break when they are corrected"}},
        {"recording balance",
         {3, 12, "% of red or blue", "balance that wanders between frames needs a correction for each of them"}},
        {"noise", {25, 16, "dB", "signal to noise of one pixel on a middle grey", true}},
        // Of exposure series (room match); the gate does not ask for them.
        {"series noise", {25, 0, "dB", "an exposure is usable while the grey nearest 20 % is as clean as this", true}},
        {"series drift", {2, 1000, "a*b*", "an exposure is usable while its greys drift by no more, levelled"}},
    };
}

void change_limits(Limits& limits, const std::string& text, const std::filesystem::path& file) {
    try {
        const auto j = nlohmann::json::parse(text);
        for (const auto& [name, v] : j.items()) {
            const auto at = limits.find(name);
            if (at == limits.end())
                throw Error(ErrorKind::input, "there is no limit called '" + name + "'", file,
                            "See docs/methods.md, Gate");
            at->second.caution = v.value("caution", at->second.caution);
            at->second.reshoot = v.value("reshoot", at->second.reshoot);
        }
    } catch (const nlohmann::json::exception& problem) {
        throw Error(ErrorKind::input, std::string("these are not limits: ") + problem.what(), file,
                    "See docs/methods.md, Gate");
    }
}

} // namespace refero::inspect
