// What a look does to colours that a frame lacks: a setup's patches, ramps and neutrals without and with it.
#pragma once

#include "operations/correct/chain.hpp"
#include "prove/prove.hpp"

namespace refero::operations {

struct LookSeen {
    struct Patch {
        std::string id;
        colour::Vec3 without{0, 0, 0}, with{0, 0, 0}; ///< XYZ (D50): after the finish, and after the look
        bool neutral = false;
    };
    std::vector<Patch> patches; ///< usable ones, in the chart's order
    prove::Proof moved_by;      ///< the same as a proof: with the look, on what stood without it
    /// Points of display codes by which red or blue of a neutral is off green, the largest.
    double spread_without = 0, spread_with = 0;
    double chroma_ratio = 1;              ///< of the colours, with over without: mean CIELAB chroma
    double contrast = 1;                  ///< codes from the darkest to the lightest neutral, with over without
    std::vector<std::string> clipped;     ///< patches that the look drives out of the range of sRGB
    std::vector<prove::Neighbours> moved; ///< merged or torn by the look
    std::vector<prove::Ramp> ramps;       ///< with it
    std::vector<std::string> cautions;    ///< a sentence each
    std::optional<double> black, white;   ///< display codes of the darkest and the lightest neutral with it, percent
};
/// Empty where the chain has no correction and reading.
LookSeen look_seen(const Chain& chain, const look::Look& look);

/// Where a colour lies on the vectorscope in display codes.
look::ScopePoint scope_point(const colour::Vec3& xyz_d50);

/// A flat recording worked up to a finished picture, in the usual order (common practice), with the figures as they
/// are.
struct LookStep {
    std::string what, figure, aim;
    std::optional<bool> met; ///< none: a matter of taste
};
std::vector<LookStep> look_steps(const Chain& chain, const LookSeen& seen);

/// A look kept in the kit under a name; one of this name and client gives way.
shoot::Change keep_look(const shoot::Kit& kit, const look::Look& look, const std::string& name,
                        const std::string& client);
/// Looks of the kit for a client, and those for anybody, by name. What cannot be read is left out.
struct LookOfKit {
    shoot::Id id = 0;
    std::string name;
    look::Look look;
};
std::vector<LookOfKit> looks_for(const shoot::Kit& kit, const std::string& client);

} // namespace refero::operations
