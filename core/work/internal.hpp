// Shared by the sources of this room only.
#pragma once

#include "plan/plan.hpp"

namespace refero::work {

/// "Stills A, Window", or nothing for a setup that is not there.
inline std::string title_of(const plan::Shoot& shoot, plan::Id setup) {
    const plan::Setup* s = plan::record(shoot.setups, setup);
    return s ? plan::title_of(shoot, *s) : std::string();
}

} // namespace refero::work
