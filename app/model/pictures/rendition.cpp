#include "rendition.hpp"

#include <cstring>

#include "apply/readout.hpp"

namespace refero::app {

QImage Rendition::small(int width) const {
    for (auto level = levels.rbegin(); level != levels.rend(); ++level)
        if (level->width() >= width) return level->scaledToWidth(width, Qt::SmoothTransformation);
    return levels.empty() ? QImage() : levels.front();
}

Rendition rendition_of(const apply::Picture& picture, const frame::Frame& frame) {
    Rendition r;
    r.full_width = frame.full_width;
    r.full_height = frame.full_height;
    const auto codes = apply::display_codes(picture);
    QImage image(picture.width, picture.height, QImage::Format_RGB32);
    for (int y = 0; y < picture.height; ++y)
        std::memcpy(image.scanLine(y), &codes[static_cast<std::size_t>(y) * picture.width],
                    static_cast<std::size_t>(picture.width) * 4);
    r.levels.push_back(image);
    r.deep = std::make_shared<const std::vector<std::uint16_t>>(apply::deep_codes(picture));
    const apply::Clipping marks = apply::clipping_of(picture, frame);
    r.clipped = marks.shares;
    r.clipping = std::make_shared<const std::vector<std::uint8_t>>(marks.bits);
    while (r.levels.back().width() > 400)
        r.levels.push_back(r.levels.back().scaled(r.levels.back().width() / 2, r.levels.back().height() / 2,
                                                  Qt::IgnoreAspectRatio, Qt::SmoothTransformation));
    return r;
}

} // namespace refero::app
