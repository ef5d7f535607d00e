#include "operations/handover/evening.hpp"

#include <cmath>

#include "base/statistics.hpp"

namespace refero::operations {

namespace {

constexpr int blocks_a_side = 8;
/// A block that moved otherwise than most, in a channel: something stands before it. Flashes differ by 0.02 stops in
/// colour, common practice; what people hold before a wall differs by far more.
constexpr double other_stops = 0.12;
constexpr double max_other_blocks = 0.1; ///< share of the blocks
/// Between channels, all blocks alike: the whole region is another thing.
constexpr double max_colour_stops = 0.3;
constexpr double darkest = 1e-4; ///< signal, 1 = saturation: below it noise decides
constexpr double clipped = 0.98; ///< and above it nothing tells how much light there was

} // namespace

Region region_from(const std::string& text) {
    Region r;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%lf,%lf %lf,%lf%c", &r.x, &r.y, &r.width, &r.height, &rest) != 4 || r.x < 0 ||
        r.y < 0 || !(r.width >= blocks_a_side && r.height >= blocks_a_side) ||
        !std::isfinite(r.x + r.y + r.width + r.height))
        throw Error(ErrorKind::usage, "'" + text + "' is no region", {},
                    formatted("Write \"x,y w,h\" in pixels of the upright frame, {} x {} and more", blocks_a_side,
                              blocks_a_side));
    return r;
}

std::vector<colour::Vec3> blocks_of(const frame::Frame& f, const Region& r) {
    if (r.x + r.width > f.full_width || r.y + r.height > f.full_height)
        throw Error(ErrorKind::input,
                    formatted("the region ends outside the frame of {} x {} pixels", f.full_width, f.full_height),
                    f.file, "Mark it anew for frames of this size");
    const double scale = static_cast<double>(f.width) / f.full_width;
    std::vector<colour::Vec3> all;
    for (int j = 0; j < blocks_a_side; ++j)
        for (int i = 0; i < blocks_a_side; ++i) {
            const int x0 = static_cast<int>((r.x + r.width * i / blocks_a_side) * scale),
                      x1 = std::max(x0 + 1, static_cast<int>((r.x + r.width * (i + 1) / blocks_a_side) * scale)),
                      y0 = static_cast<int>((r.y + r.height * j / blocks_a_side) * scale),
                      y1 = std::max(y0 + 1, static_cast<int>((r.y + r.height * (j + 1) / blocks_a_side) * scale));
            colour::Vec3 sum = colour::Vec3::Zero();
            for (int y = y0; y < std::min(y1, f.height); ++y)
                for (int x = x0; x < std::min(x1, f.width); ++x)
                    for (int c = 0; c < 3; ++c) sum[c] += static_cast<double>(f.at(x, y)[c]);
            all.push_back(sum / (static_cast<double>(x1 - x0) * (y1 - y0)));
        }
    return all;
}

Evening compared(const std::vector<colour::Vec3>& blocks, const std::vector<colour::Vec3>& followed) {
    std::array<std::vector<double>, 3> stops;
    std::vector<std::array<double, 3>> of_block;
    for (std::size_t i = 0; i < blocks.size(); ++i) {
        std::array<double, 3> more{NAN, NAN, NAN};
        for (int c = 0; c < 3; ++c) {
            const double a = blocks[i][c], b = followed[i][c];
            if (a < darkest || b < darkest || a > clipped || b > clipped) continue;
            more[static_cast<std::size_t>(c)] = std::log2(a / b);
            stops[static_cast<std::size_t>(c)].push_back(more[static_cast<std::size_t>(c)]);
        }
        of_block.push_back(more);
    }
    for (const auto& s : stops)
        if (2 * s.size() < blocks.size()) return {0, true, "the region is clipped or dark"};
    const std::array<double, 3> usual{median(stops[0]), median(stops[1]), median(stops[2])};
    std::size_t other = 0;
    for (const auto& more : of_block) {
        bool differs = false;
        for (std::size_t c = 0; c < 3; ++c) differs = differs || !(std::abs(more[c] - usual[c]) < other_stops);
        other += differs;
    }
    if (static_cast<double>(other) > max_other_blocks * static_cast<double>(blocks.size()))
        return {0, true,
                formatted("something stands before {:.0f} % of the region",
                          100.0 * static_cast<double>(other) / static_cast<double>(blocks.size()))};
    const auto [low, high] = std::minmax_element(usual.begin(), usual.end());
    if (*high - *low > max_colour_stops) return {0, true, "the region has another colour: something else stands there"};
    return {(usual[0] + usual[1] + usual[2]) / 3, false, {}};
}

Evening RegionFollowed::of(const frame::Frame& frame) {
    {
        const std::lock_guard lock(reading_);
        if (blocks_.empty()) blocks_ = blocks_of(read(followed_, frame::Size::measuring), region_);
    }
    return compared(blocks_of(frame, region_), blocks_);
}

} // namespace refero::operations
