// The hand-made way from one rendering to another, with the figures that any program has knobs for.
#pragma once

#include "fit/fit.hpp"

namespace refero::match {

/// A range of hues moved on the vectorscope: saturation first, hue second (common practice).
struct HueMove {
    std::string name;              ///< "red" ..., or "skin"
    double centre_deg = 0;         ///< on the vectorscope (BT.709 colour difference), counter-clockwise from +Cb
    double saturation_percent = 0; ///< to add
    double hue_deg = 0;            ///< counter-clockwise
    double drag = 0; ///< mean CIEDE2000 by which this move alone shifts patches of the two neighbouring hues
    int patches = 0; ///< that it was taken from
};
struct Step {
    std::string name;    ///< "as recorded", "balance", "exposure and contrast", "skin", "six hues", "eight hues"
    double residual = 0; ///< mean CIEDE2000 to the target after it
};
struct Recipe {
    colour::Vec3 gains{1, 1, 1}; ///< on linear light, green = 1
    double stops = 0;
    std::optional<colour::Temperature> light; ///< what is balanced away
    // On display codes (sRGB), 0 to 1, channel by channel: code = offset + gain * code ^ gamma.
    colour::Vec3 offset{0, 0, 0}, gain{1, 1, 1}, gamma{1, 1, 1};
    std::vector<std::array<double, 4>> points; ///< the same as curve points: code in, R, G, B out
    std::optional<HueMove> skin;
    std::vector<HueMove> six, eight;
    std::vector<Step> steps; ///< eight hues start where six do
};

/// A colour that the chart lacks, as the match moves it: linear RGB (BT.709 primaries) balanced, and XYZ (D50).
struct Between {
    colour::Vec3 balanced{0, 0, 0}, target{0, 0, 0};
};

/// `balanced`: linear RGB (BT.709 primaries) of each patch after balance and exposure, `recorded` before the balance;
/// `target`: XYZ (D50) of the same ids. Hues are moved for `between`, too, where there are such.
Recipe recipe_of(const std::map<std::string, colour::Vec3>& recorded,
                 const std::map<std::string, colour::Vec3>& balanced, const chart::Reference& target,
                 const chart::Definition* definition, const balance::Balance& balance,
                 const std::optional<colour::Temperature>& light, const std::vector<Between>& between = {});
/// JSON, docs/formats.md.
std::string to_json(const Recipe& recipe);
/// On paper: one line a knob.
std::string in_words(const Recipe& recipe);

} // namespace refero::match
