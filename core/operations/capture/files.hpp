// Files that a job's records name: whether they are what the records say.
#pragma once

#include "operations/handover/handover.hpp"
#include "shoot/records.hpp"

namespace refero::operations {

/// What has become of a file since its record was made.
enum class FileState {
    same,    ///< by size and time of change, else by hash
    gone,    ///< it is not where it was
    changed, ///< other bytes under the same name
    unknown  ///< the record has no hash: nobody has confirmed this file here
};
inline constexpr auto names(FileState) { return std::array{"same", "gone", "changed", "unknown"}; }

/// Time of a file's last change, ns since 1970, of a sequence the latest; 0 where it cannot be told.
std::int64_t changed_ns(const std::filesystem::path& file);
/// Size in bytes, of a sequence the sum; -1 where it cannot be told.
std::int64_t size_of(const std::filesystem::path& file);
/// Compares the bytes where size and time of change do not tell already, or always if `by_bytes`.
FileState state_of(const shoot::FrameRecord& frame, bool by_bytes = false);
FileState state_of(const shoot::HandoverFileRecord& file, const std::filesystem::path& where);
/// A frame that cannot be used as it lies there now: why, and the remedy.
Error not_as_recorded(const shoot::FrameRecord& frame, FileState state);

/// The files of something that was written just now, with sizes and hashes: the one it names, or those of its folder.
HandedOver recorded(HandedOver handed, const std::vector<std::filesystem::path>& in_folder = {});

} // namespace refero::operations
