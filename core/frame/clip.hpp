// Clips: what they say of themselves, and pictures of them: through FFmpeg's libraries, or numbered pictures
// (sequence.hpp) one by one.
#pragma once

#include <array>
#include <functional>
#include <memory>

#include "frame/frame.hpp"

namespace refero::frame {

struct Clip {
    int width = 0, height = 0;
    double duration_s = 0, frames_per_second = 0;
    std::string transfer; ///< name of the transfer function that the clip is tagged with; "bt709" where it is not
    std::string make, model, taken;
    std::string timecode, reel; ///< of the first picture; empty where the recording has none
};

/// How a picture of a clip is given.
struct StillOptions {
    std::optional<Encoding> encoding; ///< of its codes; else the clip's tag
    double clip_code = 1;             ///< see ReadOptions
    int most_width = 0;               ///< in small, of whole squares of pixels, at most so wide; 0: as it is
    /// A part of it, as a picture of its own: left, top, width, height in pixels; none: the whole. Left and top are
    /// rounded down to where colours begin. Of clips that are shown turned the whole is given.
    std::optional<std::array<int, 4>> part;
};

/// An open clip. Pictures one after another are decoded as they come; a picture elsewhere costs one seek.
class ClipReader {
public:
    /// A clip, or the name of a sequence. Throws Error(input) for files without a picture track that can be read, and
    /// for sequences with a gap.
    explicit ClipReader(const std::filesystem::path& file);
    ~ClipReader();
    ClipReader(const ClipReader&) = delete;

    const Clip& clip() const;
    /// The picture at a position in seconds (the nearest one at or before it; the last one beyond the end), with the
    /// clip's own matrix and range (untagged: BT.709 from 720 lines up, else BT.601), linear, upright. Throws
    /// Error(input).
    Frame still(double position_s, const StillOptions& options = {}, const std::stop_token& stop = {});
    /// The picture after the one given last, the first where none was; none at the end.
    std::optional<Frame> next(const StillOptions& options = {}, const std::stop_token& stop = {});
    /// Where the picture given last begins, s.
    double shown_s() const;
    /// The picture given last, to be converted again without a seek, also after the reader has gone on or is closed. Of
    /// a clip it holds the decoded picture in memory; of a sequence it reads the file again. May be called by one
    /// thread at a time.
    using Kept = std::function<Frame(const StillOptions& options, const std::stop_token& stop)>;
    Kept keep() const;
    /// For a quick look through: still() gives one of these, at or before the position.
    enum class Among { all, references, keys };
    void look_among(Among pictures);

    struct Open; ///< internal to the room
private:
    std::unique_ptr<Open> open_;
};

/// What a clip says of itself. Throws Error(input).
Clip read_clip(const std::filesystem::path& file);

} // namespace refero::frame
