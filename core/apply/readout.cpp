#include "apply/readout.hpp"

#include <cmath>

#include <tbb/parallel_for.h>

#include "apply/kernel.hpp"
#include "colour/quantities.hpp"
#include "colour/rgb.hpp"

namespace refero::apply {

namespace {

constexpr double middle_grey = 0.18;
constexpr double blackest_stops = -16;
constexpr double full = 65535;

} // namespace

std::vector<std::uint16_t> deep_codes(const Picture& p) {
    const Encoder encoder(colour::rgb_space(p.space).transfer, static_cast<float>(full));
    std::vector<std::uint16_t> codes(p.rgb.size());
    const std::size_t row = static_cast<std::size_t>(p.width) * 3;
    tbb::parallel_for(tbb::blocked_range<int>(0, p.height, 16), [&](const tbb::blocked_range<int>& rows) {
        const std::size_t at = static_cast<std::size_t>(rows.begin()) * row;
        encoder(&p.rgb[at], static_cast<std::size_t>(rows.size()) * row, &codes[at]);
    });
    return codes;
}

Picture picture_of(const std::vector<std::uint16_t>& codes, int width, int height, const std::string& space) {
    const colour::Transfer transfer = colour::rgb_space(space).transfer;
    std::vector<float> light(65536);
    for (std::size_t i = 0; i < light.size(); ++i)
        light[i] = static_cast<float>(colour::decode(transfer, static_cast<double>(i) / full));
    Picture p{width, height, std::vector<float>(codes.size()), space};
    for (std::size_t i = 0; i < codes.size(); ++i) p.rgb[i] = light[codes[i]];
    return p;
}

Readout readout(const std::vector<std::uint16_t>& codes, int width, int height, int x, int y, int side,
                const std::string& space_name) {
    const colour::RgbSpace& space = colour::rgb_space(space_name);
    Readout r;
    colour::Vec3 light = colour::Vec3::Zero();
    int n = 0;
    for (int v = std::max(0, y - side / 2); v <= std::min(height - 1, y + side / 2); ++v)
        for (int u = std::max(0, x - side / 2); u <= std::min(width - 1, x + side / 2); ++u, ++n)
            for (int c = 0; c < 3; ++c) {
                const auto code = codes[3 * (static_cast<std::size_t>(v) * static_cast<std::size_t>(width) +
                                             static_cast<std::size_t>(u)) +
                                        static_cast<std::size_t>(c)];
                light[c] += colour::decode(space.transfer, code / full);
                r.high = r.high || code == 65535;
                r.low = r.low || code == 0;
            }
    if (n) light /= n;
    for (std::size_t c = 0; c < 3; ++c) {
        const double code = colour::encode(space.transfer, light[static_cast<Eigen::Index>(c)]);
        r.percent[c] = 100 * code;
        r.eight[c] = static_cast<int>(std::lround(255 * code));
        r.sixteen[c] = static_cast<int>(std::lround(full * code));
    }
    const colour::Vec3 xyz = space.to_xyz_d50() * light;
    r.lab = colour::lab_from_xyz(xyz);
    r.stops = xyz[1] > 0 ? std::max(blackest_stops, std::log2(xyz[1] / middle_grey)) : blackest_stops;
    return r;
}

} // namespace refero::apply
