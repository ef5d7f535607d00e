// Files that come in, looked at before they are put anywhere: what they say of themselves, and the chart that they
// show.
#pragma once

#include "operations/capture/measure.hpp"

namespace refero::operations {

/// A file that was looked at: its record, not yet recognised or assigned, and the chart in it if it shows one.
struct Arrival {
    shoot::FrameRecord row; ///< with `problem` where it cannot be read
    Measured measured;
    bool own_work = false; ///< Refero wrote it: a handover, no frame of a camera
    bool arriving = false; ///< it cannot be read, and it grows or another program holds it open: to be looked at later
};
/// Another program of this machine has the file open to write it (Linux: a read lease is refused). False where that
/// cannot be told.
bool is_being_written(const std::filesystem::path& file);
/// Waits for a file that arrives: until it has not changed for 3 s and nobody writes it, or has not for a minute.
void wait_for(const std::filesystem::path& file, std::stop_token stop = {});
/// The record of a file needs no look: it was read, and its size and time of change are the same.
bool is_as_known(const shoot::FrameRecord& frame);
/// By the cameras' own times, the oldest first, and of one moment the raw file before the picture; files that tell no
/// time come last. What cannot be read keeps its place among these.
std::vector<std::filesystem::path> in_order_of_time(const std::vector<std::filesystem::path>& files,
                                                    std::stop_token stop = {});

/// A frame record of a file: path, size, hash and metadata. Throws Error(input).
shoot::FrameRecord described(const std::filesystem::path& file);
struct LookOptions {
    bool must_read = false; ///< throws Error(input) for what cannot be read, which else is described with its problem
    bool raw_data = false;  ///< searches the raw data themselves, whatever the picture in the raw file shows
};
Arrival look_at(const std::filesystem::path& file, const inspect::Limits& limits, const LookOptions& options = {},
                const Progress& progress = {}, std::stop_token stop = {});

/// A look at one of several files: what it is, or why it cannot be read.
struct LookedAt {
    Arrival arrival; ///< without pixels
    std::optional<Error> failed;
};
/// On all cores, in the order of `files`.
std::vector<LookedAt> look_at_all(const std::vector<std::filesystem::path>& files, const inspect::Limits& limits,
                                  std::stop_token stop = {});

} // namespace refero::operations
