// A job with what belongs to it as one zip, and back on another machine.
#pragma once

#include "store/document.hpp"

namespace refero::operations {

/// What an archive takes beside the job.
struct ArchiveOptions {
    bool all_frames = false; ///< not the chart shots alone
    bool outside = false;    ///< also what the job only names: files without a hash, or with other bytes than recorded
    Existing existing = Existing::refuse;
};
/// A file that stays out, and why.
struct Outside {
    std::string path, reason;
};
struct Archived {
    std::vector<std::string> files;   ///< names in the archive
    std::vector<std::string> missing; ///< paths that were not there
    std::vector<Outside> outside;     ///< that are not what the job took in or wrote; packed only with `outside`
    std::vector<Outside> unreadable;  ///< folders and files that cannot be read
};
/// Writes the job, its chart shots (its other frames too if asked) and its handovers, with a manifest of SHA-256 sums.
/// A file is packed when its size and hash are those of its record: a job from somebody else may name any file of this
/// machine, and nobody can name the hash of a file that he does not know. What stays out is named. Throws Error(usage)
/// for a target that exists, Error(internal), and Error(input) where a file changes while it is packed.
Archived archive(const store::JobFile& job, const std::filesystem::path& zip, const ArchiveOptions& options);

struct Unpacked {
    std::filesystem::path job; ///< its frames are found beside it
    std::vector<std::filesystem::path> files;
};
/// Opens it in a folder; nothing that is there is replaced unless told. Throws Error(input) for an archive that is
/// damaged, none of ours, or that would write outside the folder, make links, or grow beyond reason; then nothing of it
/// is left.
Unpacked unpack(const std::filesystem::path& zip, const std::filesystem::path& folder, Existing existing);

} // namespace refero::operations
