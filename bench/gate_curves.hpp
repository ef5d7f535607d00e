// How often checks of the gate fire by strength, drawn.
#pragma once

#include <cmath>
#include <string>
#include <vector>

#include "base/base.hpp"

namespace refero::bench {

/// Strengths over the limit at which the curves are measured.
inline constexpr double strengths[] = {0.5, 0.7, 0.85, 1, 1.15, 1.4, 2};
struct Curve {
    std::string check;
    std::vector<double> fired; ///< shares, by strength
};

/// Small pictures of the curves, four in a row: strength on a logarithmic axis, share of the frames from 0 to 1.
inline std::string drawing_of(const std::vector<Curve>& all) {
    constexpr double w = 200, h = 110, left = 34, top = 26, across = w - left - 14, down = h - top - 22;
    const auto x_of = [&](double k) {
        return left +
               across * std::log(k / strengths[0]) / std::log(strengths[std::size(strengths) - 1] / strengths[0]);
    };
    const auto y_of = [&](double share) { return top + down * (1 - share); };
    const int rows = static_cast<int>((all.size() + 3) / 4);
    std::string svg = formatted(
        R"(<svg xmlns="http://www.w3.org/2000/svg" width="{:g}" height="{:g}" viewBox="-8 0 {:g} {:g}" font-family="sans-serif" font-size="10"><rect x="-8" width="100%" height="100%" fill="white"/>)",
        4 * w + 8, rows * h, 4 * w + 8, rows * h);
    for (std::size_t i = 0; i < all.size(); ++i) {
        svg += formatted(
            "\n<g transform=\"translate({:g},{:g})\"><text x=\"{:g}\" y=\"16\" font-weight=\"bold\">{}</text>",
            w * static_cast<double>(i % 4), h * static_cast<double>(i / 4), left, all[i].check);
        svg += formatted("<path d=\"M{:g} {:g}V{:g}H{:g}\" fill=\"none\" stroke=\"#888\"/><path d=\"M{:g} {:g}V{:g}\" "
                         "stroke=\"#bbb\" stroke-dasharray=\"3 3\"/>",
                         left, y_of(1), y_of(0), left + across, x_of(1), y_of(1), y_of(0));
        for (const double share : {0.0, 1.0})
            svg += formatted("<text x=\"{:g}\" y=\"{:g}\" text-anchor=\"end\">{:.0f} %</text>", left - 4,
                             y_of(share) + 3, 100 * share);
        for (const double k : {0.5, 1.0, 2.0})
            svg +=
                formatted("<text x=\"{:g}\" y=\"{:g}\" text-anchor=\"middle\">{:g}</text>", x_of(k), y_of(0) + 13, k);
        std::string points;
        for (std::size_t k = 0; k < all[i].fired.size(); ++k)
            points += formatted("{:g},{:g} ", x_of(strengths[k]), y_of(all[i].fired[k]));
        svg += "<polyline fill=\"none\" stroke=\"#0a6b6b\" stroke-width=\"2\" points=\"" + points + "\"/></g>";
    }
    return svg + "\n</svg>\n";
}

} // namespace refero::bench
