// How a chart shot was recorded, by its file and its greys.
#include <cmath>

#include "base/line.hpp"
#include "inspect/internal/figures.hpp"
#include "inspect/internal/shot.hpp"

namespace refero::inspect {

namespace {

/// A curve for grading rather than looking at.
bool is_flat(const std::string& encoding) {
    for (const char* shown : {"linear", "srgb", "bt709", "embedded ICC curve"})
        if (encoding == shown) return false;
    return true;
}

/// How steep the greys are beside their own luminances, in logarithms: 1 for light; NaN where too few tell.
double steepness(const Shot& s) {
    std::vector<std::pair<double, double>> greys;
    for (const read::PatchReading* p : neutrals(s)) {
        const double is = luminance(s, p->id);
        if (p->usable() && is > least_steep_luminance && p->mean[1] > 0)
            greys.emplace_back(std::log(is), std::log(p->mean[1]));
    }
    const auto line = line_through(greys);
    return greys.size() >= 3 && line && line->spread > 0.1 ? line->slope : NAN;
}

} // namespace

Finding recording(const Shot& s) {
    const std::string kind = to_lower(s.frame.file.extension().string());
    const frame::Metadata& m = s.frame.metadata;
    std::vector<std::string> traps;
    if (kind == ".jpg" || kind == ".jpeg" || kind == ".webp")
        traps.push_back("This is a compressed 8-bit picture, finished by the camera: record raw, or balance in the "
                        "camera and switch picture styles and sharpening off");
    const frame::Recorded& recorded = s.frame.recorded;
    if (s.frame.is_raw && recorded.lossy)
        traps.push_back("The raw data are compressed with losses, which dark and saturated patches suffer from: record "
                        "them uncompressed or without losses");
    else if (s.frame.is_raw && recorded.bits > 0 && recorded.bits <= coarse_raw_bits)
        traps.push_back(formatted("The raw data have {} bits: choose 14, where the camera offers it, for the dark "
                                  "patches",
                                  recorded.bits));
    if (!s.frame.is_raw && recorded.bits == 8 && is_flat(s.frame.encoding))
        traps.push_back("Eight bits are too coarse for a flat curve, whose steps a grade pulls apart" +
                        (recorded.chroma.empty() ? std::string() : ", with colour subsampled to " + recorded.chroma) +
                        ": record 10 bits and 4:2:2 where it is offered");
    // Cameras tag log as BT.709: where nobody said how it was recorded, the greys tell.
    if (const double steep = steepness(s); s.frame.assumed && steep < least_steepness)
        traps.push_back(
            formatted("Its greys are {:.0f} % flatter than they are: it was recorded with a log curve. Name "
                      "that as the encoding of its mode, else nothing here holds as light",
                      100 * (1 - steep)));
    if (!s.frame.is_raw && m.auto_balance)
        traps.push_back("The camera balanced by itself and may do otherwise in the next frame: set a fixed balance");
    if (!s.frame.is_raw && !m.style.empty())
        traps.push_back("The picture was finished with " + m.style + ": set the picture style to normal");
    std::string advice;
    for (const std::string& trap : traps) advice += (advice.empty() ? "" : ". ") + trap;
    return against(s.limits.at("recording"), Check::recording, static_cast<double>(traps.size()), advice);
}

} // namespace refero::inspect
