// A job with what belongs to it as one zip, and back on another machine.
#pragma once

#include "job/document.hpp"

namespace refero::work {

/// Writes the job, its chart shots (its other frames too if asked) and its handovers, with a manifest of SHA-256 sums.
/// What cannot be found is left out and named. Throws Error(usage) for a target that exists, Error(internal).
struct Archived {
    std::vector<std::string> files;   ///< names in the archive
    std::vector<std::string> missing; ///< paths that were not there
};
Archived archive(const job::JobFile& job, const std::filesystem::path& zip, bool all_frames, Existing existing);

struct Unpacked {
    std::filesystem::path job; ///< its frames are found beside it
    std::vector<std::filesystem::path> files;
};
/// Opens it in a folder; nothing that is there is replaced unless told. Throws Error(input) for an archive that is
/// damaged, none of ours, or that would write outside the folder, make links, or grow beyond reason; then nothing of it
/// is left.
Unpacked unpack(const std::filesystem::path& zip, const std::filesystem::path& folder, Existing existing);

} // namespace refero::work
