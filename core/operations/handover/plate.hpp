// Plates for effects: frames as neutral, scene-linear light, and beside them the curve through which they are seen.
#pragma once

#include "operations/handover/batch.hpp"

namespace refero::operations {

/// What a frame of an effects set is for; a folder each. All are under one light.
enum class PlateRole {
    plate,  ///< what effects are put into
    clean,  ///< the same without what will be replaced
    object, ///< a grey or chrome ball, an object of known surface
    chart   ///< the chart shot
};
inline constexpr auto names(PlateRole) { return std::array{"plate", "clean plate", "reference object", "chart"}; }

struct PlateOptions {
    std::string space = "acescg"; ///< of the plates, linear
    std::string display = "srgb"; ///< of the pictures as they are looked at
    apply::Depth depth = apply::Depth::usual;
    Existing existing = Existing::refuse;
    int jobs = 0;
};
struct PlateSource {
    FrameSource source;
    PlateRole role = PlateRole::plate;
};

/// Those of a setup: frames by the parts that they were given, and its chart shot.
std::vector<PlateSource> plate_sources(const shoot::Shoot& shoot, const Chain& chain);

/// All that will be there, before anything is written.
struct PlateSet {
    std::vector<BatchFrame> frames;
    std::vector<PlateRole> roles;        ///< of each frame
    std::filesystem::path display, note; ///< the curve, and what is what
    std::vector<std::filesystem::path> outputs() const;
};
/// Throws Error(usage) for a space that is not linear, for a display that is, and where there is no plate.
PlateSet plan_plates(const std::vector<PlateSource>& sources, std::shared_ptr<const fit::Correction> correction,
                     const std::filesystem::path& folder, const PlateOptions& options);

/// How far a plate seen through the curve is from the corrected picture, in codes of 8 bits.
struct PlateAgreement {
    std::filesystem::path plate;
    double most = 0, mean = 0; ///< of a channel, over up to 100,000 pixels
};
struct PlateResult {
    std::vector<BatchEnd> ends;            ///< in the order of the set; where all failed nothing else is written
    std::vector<PlateAgreement> agreement; ///< of the first frame of each role
};
/// Writes the set: plates by balance, exposure and colour alone, the curve with finish and look, then the note. Goes on
/// after a frame that fails. Throws Error(usage), Error(internal), Error(cancelled).
PlateResult write_plates(const PlateSet& set, const PlateOptions& options,
                         const std::function<void(const BatchEnd&)>& ended = {}, std::stop_token stop = {});

} // namespace refero::operations
