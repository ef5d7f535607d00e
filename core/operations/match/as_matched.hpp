// Cameras handed on as they are matched to a lead.
#pragma once

#include "operations/match/matching.hpp"

namespace refero::operations {

/// The chain with the match to the camera of that name in place of its own correction: the match that the job keeps
/// where it holds, else one that is made now. The lead's own chains stay as they are. `all`: the chains of the job; of
/// the lead's the one of the same light is taken, of its stretches the nearest in time. Throws Error(usage) where there
/// is no such camera under this light, or the two cannot be matched.
Chain as_matched(const shoot::Shoot& shoot, const std::vector<Chain>& all, const Chain& chain,
                 const std::string& lead_camera, std::stop_token stop = {});

} // namespace refero::operations
