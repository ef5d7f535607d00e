// Where frames belong: camera, lens and mode by what a file says, the setup by its chart shots.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/records.hpp"

namespace refero::shoot {

struct Recognition {
    Id camera = 0, lens = 0, mode = 0;
    bool asks_for_lens = false; ///< the camera is known, the file names no lens and none was given yet
};
/// Folder, beginning of the name and extension: what files of one camera that tell no name have in common.
std::string pattern_of(const std::string& path);
Recognition recognise(const Shoot& shoot, const FrameRecord& frame);
/// The frame that this one is a companion (raw and JPEG of one exposure) or a copy of; 0: none. Companions are of one
/// body, one moment (to the second, and its fraction where both tell it) and one name before the extension.
Id companion_of(const Shoot& shoot, const FrameRecord& frame);

struct Assignment {
    Id setup = 0;
    std::string reason;
};
/// A frame of the chart: by rig, by the light's measured colour (0: not known), by flash, by the order of the list.
Assignment assign_chart(const Shoot& shoot, const FrameRecord& frame, double kelvin);
/// The light under which another camera shot its chart at about this time, the flash firing in both or in none; 0:
/// none.
Id light_by_time(const Shoot& shoot, const FrameRecord& frame);
/// An ordinary frame: the latest chart shot before it in the same rig, or the next after it.
Assignment assign_ordinary(const Shoot& shoot, const FrameRecord& frame);
/// Ordinary frames, not assigned by hand, whose assignment would be another now.
struct Move {
    Id frame = 0;
    Assignment to;
    Recognition as; ///< where its camera was not known; else as it was
};
std::vector<Move> moves(const Shoot& shoot);

} // namespace refero::shoot
