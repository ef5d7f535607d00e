// The stretches of a setup's time, joined, parted and divided by hand: each step gives the rows to write.
#pragma once

#include "operations/correct/chain.hpp"
#include "shoot/change.hpp"

namespace refero::operations {

/// The chain's stretch becomes one with the one before it. Throws Error(usage) for the first.
shoot::Change join_stretch(const shoot::Shoot& shoot, const Chain& chain);
/// The newest chart shot of the chain's stretch begins a stretch of its own. Throws Error(usage) where it has but one.
shoot::Change part_stretch(const shoot::Shoot& shoot, const Chain& chain);
/// The setup's chart shots divide its time, or the newest holds for all of it.
shoot::Change divide_by_time(const shoot::Shoot& shoot, shoot::Id setup, bool divided);

/// How far the corrections of neighbours in time part: what one leaves on the other's chart over what the other's own
/// leaves there, mean CIEDE2000, the larger of both ways. `advice` is empty while they agree within 1.
struct Drift {
    std::string from, to; ///< ids of both stretches
    double delta_e_2000 = 0;
    double mired_per_hour = 0; ///< signed, positive: warmer; 0 where a time or a light is not known
    std::string advice;
};
/// Of neighbours that both have a reading and a correction; `stretches` in the order of time.
std::vector<Drift> drifts(const std::vector<const Chain*>& stretches);

} // namespace refero::operations
