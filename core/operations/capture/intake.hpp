// Files on their way into a job: what they are, and where they belong.
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
bool is_as_known(const shoot::Shoot& shoot, const std::filesystem::path& file);
/// In their order, but of one name the raw file first.
std::vector<std::filesystem::path> raw_first(std::vector<std::filesystem::path> files);

/// A frame record of a file: path, size, hash and metadata. Throws Error(input).
shoot::FrameRecord described(const std::filesystem::path& file);
/// What cannot be read is described with its problem, unless `must_read`: then it throws Error(input).
Arrival look_at(const std::filesystem::path& file, const inspect::Limits& limits, bool must_read = false,
                const Progress& progress = {}, std::stop_token stop = {});

/// How a file comes in.
struct TakeIn {
    shoot::Id setup = 0;   ///< put there by hand; 0: recognised and assigned
    bool by_hand = false;  ///< a person brought this very file: a chart that is not planned gets a setup of its own
    shoot::Id current = 0; ///< the setup that is open; may be 0
    std::string encoding;  ///< of pictures and clips, where the mode is to say more than the file's own tags
    bool card = false;     ///< brought as a frame of a card: it gets a setup of its own that is balance only
    bool alone = false;    ///< it is the one frame that a person brought: without a chart it may be the chart shot
    bool confirmed = true; ///< a person named it or its folder on this machine: its record gets a hash
};
struct Taken {
    shoot::Change rows;        ///< empty: it is in the job already, or Refero's own work
    shoot::Id chart_shot = 0;  ///< provisional; 0: it is none
    shoot::Id setup = 0;       ///< provisional if it is new; 0: none
    shoot::Id camera_asks = 0; ///< a camera whose files name no lens: which one is it?
    std::string told;          ///< what a person should know; may be empty
};
/// A frame with a chart is a chart shot: of the setup it is planned for, else of a new one. One without is ordinary. Of
/// a raw file and the camera's picture of the same exposure the raw file leads, whichever came first, unless a
/// correction was fitted to the picture. A frame that is known already and could not be read, or has other bytes now,
/// is brought up to date.
Taken take_in(const shoot::Shoot& shoot, const shoot::Kit& kit, const Arrival& arrival, const TakeIn& how);

/// A correction from a file as a setup's: of the chart shot that it names, else of a new one. `setup` of the result is
/// provisional where it is new. Throws Error(input).
Taken take_correction(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::filesystem::path& file);

} // namespace refero::operations
