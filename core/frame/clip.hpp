// Clips: what they say of themselves, and single pictures of them, through FFmpeg's libraries.
#pragma once

#include "frame/frame.hpp"

namespace refero::frame {

struct Clip {
    int width = 0, height = 0;
    double duration_s = 0, frames_per_second = 0;
    std::string transfer; ///< name of the transfer function that the clip is tagged with; "bt709" where it is not
    std::string make, model, taken;
};

/// True if the name looks like a clip's.
bool is_clip_name(const std::filesystem::path& file);
/// Throws Error(input) for files without a picture track that can be read.
Clip read_clip(const std::filesystem::path& file);
/// The picture at a position in seconds (the nearest one at or before it), with the clip's own matrix and range
/// (untagged: BT.709 from 720 lines up, else BT.601), made linear by `encoding`, else by the clip's tag.
/// Throws Error(input).
Frame read_still(const std::filesystem::path& file, double position_s, const std::optional<Encoding>& encoding = {},
                 std::stop_token stop = {});

} // namespace refero::frame
