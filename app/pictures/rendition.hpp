// A picture ready for the screen: sRGB codes at falling sizes.
#pragma once

#include <QImage>
#include <vector>

#include "apply/apply.hpp"

namespace refero::app {

struct Rendition {
    std::vector<QImage> levels;          ///< the first the largest, each next half of it
    int full_width = 0, full_height = 0; ///< of the frame that it shows, in full-size pixels
    bool empty() const { return levels.empty(); }
    /// The picture at about this width.
    QImage small(int width) const;
};

Rendition rendition_of(const apply::Picture& picture, const frame::Frame& frame);

} // namespace refero::app
