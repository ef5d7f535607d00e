// Shared by the sources of this room only.
#pragma once

#include "fit/fit.hpp"
#include "plan/plan.hpp"

namespace refero::work {

/// "Stills A, Window", or nothing for a setup that is not there.
inline std::string title_of(const plan::Shoot& shoot, plan::Id setup) {
    const plan::Setup* s = plan::record(shoot.setups, setup);
    return s ? plan::title_of(shoot, *s) : std::string();
}

/// The proof that a correction brings itself: on patches left out.
plan::Proof left_out_of(plan::Id correction, const fit::Correction& made);

} // namespace refero::work
