// A card in a frame: what a square of it says of the light.
#include <cmath>

#include "balance/balance.hpp"
#include "base/statistics.hpp"

namespace refero::balance {

namespace {

constexpr double most_clipped_share = 0.02;
constexpr double spot_share = 0.01; ///< half the side of a spot's square, of the frame's longer side
constexpr int blocks = 4;           ///< along a side, for evenness

struct Square {
    int left, top, right, bottom; ///< pixels of the frame in memory, the last ones included
};

Square square_of(const frame::Frame& f, double x0, double y0, double x1, double y1) {
    const auto within = [](double v, int size) { return std::clamp(static_cast<int>(std::floor(v)), 0, size - 1); };
    return {within(x0 / f.cell, f.width), within(y0 / f.cell, f.height), within(x1 / f.cell, f.width),
            within(y1 / f.cell, f.height)};
}

Card card_in(const frame::Frame& f, const Square& q) {
    Card card;
    std::array<std::vector<float>, 3> values;
    std::vector<float> steps; // between neighbours in green: what noise alone makes
    std::array<double, blocks * blocks> sum{};
    std::array<int, blocks * blocks> count{};
    int clipped = 0, all = 0;
    const int w = q.right - q.left + 1, h = q.bottom - q.top + 1;
    for (int y = q.top; y <= q.bottom; ++y)
        for (int x = q.left; x <= q.right; ++x, ++all) {
            const float* p = f.at(x, y);
            clipped +=
                (!f.clipped.empty() && f.clipped[static_cast<std::size_t>(y) * static_cast<std::size_t>(f.width) +
                                                 static_cast<std::size_t>(x)]) ||
                std::max({p[0], p[1], p[2]}) >= near_clipping;
            for (std::size_t c = 0; c < 3; ++c) values[c].push_back(p[c]);
            if (x > q.left) steps.push_back(std::abs(p[1] - p[-2]));
            const auto block = static_cast<std::size_t>((y - q.top) * blocks / h * blocks + (x - q.left) * blocks / w);
            sum[block] += static_cast<double>(p[1]);
            ++count[block];
        }
    card.clipped = static_cast<double>(clipped) / all;
    // A robust mean: what is far from the middle, a speck or an edge, has no part in it.
    for (std::size_t c = 0; c < 3; ++c) {
        const float middle = median(values[c]);
        const double reach = 3 * robust_sd(values[c], middle) + 1e-6;
        double mean = 0;
        int taken = 0;
        for (const float v : values[c])
            if (std::abs(static_cast<double>(v - middle)) <= reach) {
                mean += static_cast<double>(v);
                ++taken;
            }
        card.camera_rgb[static_cast<Eigen::Index>(c)] = mean / taken;
    }
    const double green = std::max(1e-9, card.camera_rgb[1]);
    if (!steps.empty()) card.noise = sd_per_mad * static_cast<double>(median(steps)) / std::sqrt(2.0) / green;
    double low = INFINITY, high = -INFINITY;
    for (std::size_t i = 0; i < sum.size(); ++i)
        if (count[i]) {
            low = std::min(low, sum[i] / count[i]);
            high = std::max(high, sum[i] / count[i]);
        }
    card.uneven = (high - low) / green;
    return card;
}

void check(const Card& card, const frame::Frame& f) {
    if (card.clipped > most_clipped_share)
        throw Error(ErrorKind::input, "this spot is clipped or nearly so: it cannot set the balance", f.file,
                    "Choose a darker spot, a light or middle grey");
    if (!(card.camera_rgb.minCoeff() >= least_signal))
        throw Error(ErrorKind::input, "this spot is too dark to set the balance", f.file, "Choose a lighter spot");
}

} // namespace

Card card_at(const frame::Frame& f, double x, double y, double radius_px) {
    if (!(x >= 0 && y >= 0) || x >= f.full_width || y >= f.full_height)
        throw Error(ErrorKind::usage, "the spot lies outside the frame", f.file,
                    formatted("Give pixels within {} x {}", f.full_width, f.full_height));
    const double reach =
        std::max(1.0 * f.cell, radius_px > 0 ? radius_px : spot_share * std::max(f.full_width, f.full_height));
    Card card = card_in(f, square_of(f, x - reach, y - reach, x + reach, y + reach));
    check(card, f);
    return card;
}

void check_single_surface(const Card& card, const std::filesystem::path& file) {
    if (card.uneven > most_uneven)
        throw Error(
            ErrorKind::input,
            formatted("the square about the spot is uneven by {:.0f} %: it is no single surface", 100 * card.uneven),
            file, "Choose a spot in the middle of the card, or a smaller square");
}

chart::Corners square_about(int full_width, int full_height, const chart::Point& at, double radius_px) {
    const double r = radius_px > 0 ? radius_px : spot_share * std::max(full_width, full_height);
    const double x0 = std::max(0.0, at.x() - r), x1 = std::min<double>(full_width, at.x() + r);
    const double y0 = std::max(0.0, at.y() - r), y1 = std::min<double>(full_height, at.y() + r);
    return {chart::Point(x0, y0), chart::Point(x1, y0), chart::Point(x1, y1), chart::Point(x0, y1)};
}

chart::Corners middle_half(int full_width, int full_height) {
    const double w = full_width, h = full_height;
    return {chart::Point(w / 4, h / 4), chart::Point(3 * w / 4, h / 4), chart::Point(3 * w / 4, 3 * h / 4),
            chart::Point(w / 4, 3 * h / 4)};
}

Card card_in_middle(const frame::Frame& f) {
    const double w = f.full_width, h = f.full_height;
    Card card = card_in(f, square_of(f, w / 4, h / 4, 3 * w / 4, 3 * h / 4));
    check(card, f);
    if (card.uneven > most_uneven_in_middle)
        throw Error(ErrorKind::input,
                    formatted("the middle half of the frame is uneven by {:.0f} %: it shows no diffuser and no card",
                              100 * card.uneven),
                    f.file, "Let the diffuser or the card fill the frame, or touch the card itself");
    return card;
}

Balance on_card(const Card& card, double grey) {
    Balance b;
    b.white_patch = "card";
    b.gains = card.camera_rgb[1] * card.camera_rgb.cwiseInverse();
    b.exposure = grey / card.camera_rgb[1];
    return b;
}

Spot spot_at(const frame::Frame& f, double x, double y) {
    return {card_at(f, x, y).camera_rgb, formatted("spot {:.0f}, {:.0f} of {}", x, y, f.file.filename())};
}

} // namespace refero::balance
