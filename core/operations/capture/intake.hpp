// Files that come into a job: where they belong, and the rows of it.
#pragma once

#include "operations/capture/arrival.hpp"

namespace refero::operations {

/// How a file comes in.
struct TakeIn {
    shoot::Id setup = 0;   ///< put there by hand; 0: recognised and assigned
    bool by_hand = false;  ///< a person brought this very file: a chart that is not planned gets a setup of its own
    shoot::Id current = 0; ///< the setup that is open; may be 0
    std::string encoding;  ///< of pictures and clips, where the mode is to say more than the file's own tags
    std::string camera;    ///< name for the camera of files that name none
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
/// The camera's name was made up here, for want of one in its files.
bool is_nameless(const shoot::CameraRecord& camera);
/// A frame with a chart is a chart shot: of the setup it is planned for, else of a new one. One without is ordinary. Of
/// a raw file and the camera's picture of the same exposure the raw file leads, whichever came first, unless a
/// correction was fitted to the picture. A frame that is known already and could not be read, or has other bytes now,
/// is brought up to date.
Taken take_in(const shoot::Shoot& shoot, const shoot::Kit& kit, const Arrival& arrival, const TakeIn& how);

/// A correction from a file as a setup's: of the chart shot that it names, else of a new one. `setup` of the result is
/// provisional where it is new. Throws Error(input).
Taken take_correction(const shoot::Shoot& shoot, const shoot::Kit& kit, const std::filesystem::path& file);

} // namespace refero::operations
