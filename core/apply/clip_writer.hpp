// Clips written: a corrected clip as a clip, with the time code, the tags and the sound of the one it was made of.
#pragma once

#include <memory>

#include "apply/apply.hpp"

namespace refero::apply {

/// A clip format's container and why it is that one.
struct Container {
    std::string name; ///< mov, mxf, mp4 or mkv
    std::string told; ///< where the usual one gave way: why; empty: it is the usual one, or the one asked for
};
/// The container for a corrected copy of `source` with its sound: `asked`, else the format's usual one, which gives way
/// where it cannot hold the sound or the rate of pictures. Throws Error(usage) where the one asked for cannot hold
/// them, Error(input) for a source that cannot be written as such a clip (interlaced, odd sizes).
Container container_for(const std::filesystem::path& source, Format format, const std::string& asked);

/// What a clip is written as.
struct ClipSettings {
    Format format = Format::prores;
    std::string container;        ///< see Container
    std::string space = "bt709";  ///< name of an RgbSpace; its primaries and transfer function are tagged (H.273)
    double from_s = 0, to_s = -1; ///< of the source; to_s below 0: to its end
    std::string record;           ///< how it was made; kept in the file, see clip_record
};

/// A clip under way. Samples are narrow range (ITU-T H.273) but for FFV1, which keeps RGB of 16 bits; fewer bits are
/// dithered. Throws Error(internal), naming `target`, where it cannot be written.
class ClipWriter {
public:
    /// `file` is written, and named `target` to people. The size is that of the first picture.
    ClipWriter(const std::filesystem::path& source, const std::filesystem::path& file,
               const std::filesystem::path& target, const ClipSettings& settings);
    ~ClipWriter();
    ClipWriter(const ClipWriter&) = delete;
    /// The next picture, shown from `at_s` of the source on: code values 0 to 65535, full range, interleaved.
    void write(const std::uint16_t* codes, int width, int height, double at_s);
    /// Sound and what closes the file.
    void finish();

    struct Open; ///< internal to the room
private:
    std::unique_ptr<Open> open_;
};

/// The record in a written clip; empty where it has none or cannot be read.
std::string clip_record(const std::filesystem::path& file);

} // namespace refero::apply
