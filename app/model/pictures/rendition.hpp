// A picture ready for the screen: sRGB codes at falling sizes.
#pragma once

#include <QImage>
#include <array>
#include <memory>
#include <vector>

#include "apply/apply.hpp"

namespace refero::app {

struct Rendition {
    std::vector<QImage> levels;                             ///< the first the largest, each next half of it
    std::shared_ptr<const std::vector<std::uint16_t>> deep; ///< the largest level's in 16 bits (apply::deep_codes)
    int full_width = 0, full_height = 0;                    ///< of the frame that it shows, in full-size pixels
    /// Of each pixel of the largest level: bits 0 to 2, the input saturates in R, G, B; 3 to 5, the output leaves its
    /// range there. Empty: not known.
    std::shared_ptr<const std::vector<std::uint8_t>> clipping;
    std::array<double, 6> clipped{}; ///< shares of the frame, in the order of the bits
    bool empty() const { return levels.empty(); }
    /// The picture at about this width.
    QImage small(int width) const;
};

Rendition rendition_of(const apply::Picture& picture, const frame::Frame& frame);

} // namespace refero::app
