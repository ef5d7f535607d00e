// Shared by the sources of this room only.
#pragma once

#include "fit/fit.hpp"
#include "shoot/board.hpp"

namespace refero::operations {

/// "Stills A, Window", or nothing for a setup that is not there.
inline std::string title_of(const shoot::Shoot& shoot, shoot::Id setup) {
    const shoot::SetupRecord* s = shoot::record(shoot.setups, setup);
    return s ? shoot::title_of(shoot, *s) : std::string();
}

/// The proof that a correction brings itself: on patches left out.
shoot::ProofRecord left_out_of(shoot::Id correction, const fit::Correction& made);

} // namespace refero::operations
