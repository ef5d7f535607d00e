// A job told to people: a report of all its setups, and a note beside each handover.
#pragma once

#include "operations/correct/chain.hpp"

namespace refero::operations {

/// One HTML document without anything from elsewhere: each setup's chain with its figures, what was done and how good
/// it is.
std::string report_html(const shoot::Shoot& shoot, const std::vector<Chain>& chains);
/// What goes with handed-over files, in plain words: what is what, what it expects, how good it is, and what its values
/// are.
std::string note_of(const shoot::Shoot& shoot, const Chain& chain, const std::vector<std::string>& files);

} // namespace refero::operations
