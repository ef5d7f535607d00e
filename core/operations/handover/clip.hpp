// A clip developed as a clip.
#pragma once

#include "operations/handover/handover.hpp"

namespace refero::operations {

/// Every picture of the source's range through the correction, by the stills' own arithmetic. `record`: how it is made.
/// Throws Error(input) for a source that is no clip, or ends before its own length; Error(internal), Error(cancelled).
/// Nothing is left behind then.
Developed develop_clip(const Development& clip, const fit::Correction& correction, const SecondLight& second,
                       const DevelopOptions& options, const std::string& record, std::stop_token stop = {});

} // namespace refero::operations
