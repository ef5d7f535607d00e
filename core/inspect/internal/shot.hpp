// A chart shot as the checks look at it, and what covers or shines on its patches; shared by the sources of this room
// only.
#pragma once

#include "inspect/inspect.hpp"

namespace refero::inspect {

/// Parts of a patch that are clearly brighter or darker than the rest of it.
struct Spots {
    double bright = 0, dark = 0;                                               ///< shares of its area
    colour::Vec3 brighter = colour::Vec3::Zero(), rest = colour::Vec3::Zero(); ///< what the parts look like
    double other = 0; ///< share of another colour, as light as the rest or not; finished pictures
    colour::Vec3 other_mean = colour::Vec3::Zero(), mean = colour::Vec3::Zero(); ///< of it, and of the whole patch
    bool soft = false; ///< the brighter parts have no outline; finished pictures
    double stops = 0;  ///< where it is of two tones, between them; finished pictures
    chart::Point to_dark = chart::Point::Zero(), border = chart::Point::Zero(); ///< then, mm: the way, and between both
};
/// A shadow's edge as the pixels of several patches show it: one part as much darker in each, and of the same colour.
struct Edge {
    double stops = 0;                 ///< 0: there is none
    std::vector<std::string> patches; ///< that it crosses
    std::vector<std::string> dark;    ///< that lie beyond it
};

struct Shot {
    const frame::Frame& frame;
    const find::Placement& placement;
    const read::Reading& reading;
    const chart::Definition& definition;
    const chart::Reference& reference;
    const Limits& limits;
    ChartPixels pixels;
    Explained light;
    double patch_px = 0;      ///< shorter side of the smallest patch
    double blur = 0;          ///< standard deviation, full-size pixels; NaN where no edge tells it
    std::vector<Spots> spots; ///< by patch of the definition; empty ones in a finished picture's depths
    Edge edge;                ///< of finished pictures, where the light is not explained so well
    double white = 0;         ///< signal of the lightest neutral in its largest channel; NaN without neutrals
    bool finished() const { return !frame.linear; }
};

/// A value against a limit; of the patches and the advice a finding tells where it is no pass.
Finding against(const Limit& limit, Check check, double value, const std::string& advice,
                std::vector<std::string> patches = {});
/// What the file itself tells of how it was recorded. (A high ISO is judged by its noise.)
Finding recording(const Shot& s);

/// Neutral patches, lightest first; without a definition's roles none.
std::vector<const read::PatchReading*> neutrals(const Shot& s);
double luminance(const Shot& s, const std::string& id);

Spots spots_of(const Shot& s, const chart::Patch& patch);
/// Part of a patch is darker than it should be, rather than part of it lighter. Of a finished picture only where the
/// darker part is neutral: what a coloured one should be is hidden by the style.
bool darkened(const Shot& s, const Spots& spots, const colour::Vec3& expected);

/// Neighbours, along a side or a corner.
bool beside(const Shot& s, std::size_t one, std::size_t other);
/// Patches that look as what lies on part of a patch beside them: covered wholly, which their own pixels cannot tell.
/// `dirty`: those that something lies on.
std::vector<std::size_t> covered_beside(const Shot& s, const std::vector<std::size_t>& dirty);
/// True where part of a patch looks as part or all of one beside it that something lies on.
bool covered_as_beside(const Shot& s, std::size_t patch, const std::vector<std::size_t>& dirty);
Edge edge_of(const Shot& s);

/// A lamp's reflection adds the light's own colour to all channels; skin, dirt and paper add another.
bool is_of_the_light(const Shot& s, const colour::Vec3& seen, const colour::Vec3& without);

/// What lies in the gaps about a patch, between it and its neighbours, other than in all other gaps.
struct Around {
    int gaps = 0, odd = 0;
    colour::Vec3 odd_mean = colour::Vec3::Zero(), usual = colour::Vec3::Zero(); ///< of the odd gaps, of all
};
std::vector<Around> around_patches(const Shot& s);

} // namespace refero::inspect
