// Frames of a stretch evened out by a region that stays in the picture: automatic flash, sun through clouds.
#pragma once

#include <memory>
#include <mutex>

#include "operations/capture/measure.hpp"

namespace refero::operations {

/// Pixels of the upright full-size image.
struct Region {
    double x = 0, y = 0, width = 0, height = 0;
};
/// "x,y w,h". Throws Error(usage) for other texts and for what has no area.
Region region_from(const std::string& text);

/// What a frame shows in the region, against the frame that the others follow.
struct Evening {
    double stops = 0;     ///< of light more than in the frame that is followed
    bool covered = false; ///< something stands before the region: the frame is to be left alone
    std::string says;     ///< why it is left alone; empty else
};

/// The means of blocks of the region, camera RGB; a block each, row by row. Throws Error(input) where the region does
/// not lie in the frame.
std::vector<colour::Vec3> blocks_of(const frame::Frame& frame, const Region& region);
/// Blocks of a frame against those of the frame that is followed.
Evening compared(const std::vector<colour::Vec3>& blocks, const std::vector<colour::Vec3>& followed);

/// The region of one stretch, and the frame that is followed; that frame is read when it is first needed.
class RegionFollowed {
public:
    RegionFollowed(Region region, FrameSource followed) : region_(region), followed_(std::move(followed)) {}
    /// What it depends on, as records of written files keep it.
    std::string text() const {
        return formatted("{:g},{:g} {:g},{:g} of {}", region_.x, region_.y, region_.width, region_.height,
                         followed_.file.string());
    }
    /// May be called from several threads. Throws Error(input).
    Evening of(const frame::Frame& frame);

private:
    Region region_;
    FrameSource followed_;
    std::mutex reading_;
    std::vector<colour::Vec3> blocks_;
};

} // namespace refero::operations
