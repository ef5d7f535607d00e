// Clips: what they say of themselves, and pictures of them, through FFmpeg's libraries.
#pragma once

#include <memory>

#include "frame/frame.hpp"

namespace refero::frame {

struct Clip {
    int width = 0, height = 0;
    double duration_s = 0, frames_per_second = 0;
    std::string transfer; ///< name of the transfer function that the clip is tagged with; "bt709" where it is not
    std::string make, model, taken;
};

/// An open clip. Pictures one after another are decoded as they come; a picture elsewhere costs one seek.
class ClipReader {
public:
    /// Throws Error(input) for files without a picture track that can be read.
    explicit ClipReader(const std::filesystem::path& file);
    ~ClipReader();
    ClipReader(const ClipReader&) = delete;

    const Clip& clip() const;
    /// The picture at a position in seconds (the nearest one at or before it; the last one beyond the end), with the
    /// clip's own matrix and range (untagged: BT.709 from 720 lines up, else BT.601), made linear by `encoding`, else
    /// by the clip's tag. Throws Error(input).
    Frame still(double position_s, const std::optional<Encoding>& encoding = {}, const std::stop_token& stop = {},
                double clip_code = 1);

    struct Open; ///< internal to the room
private:
    std::unique_ptr<Open> open_;
};

/// What a clip says of itself. Throws Error(input).
Clip read_clip(const std::filesystem::path& file);

} // namespace refero::frame
