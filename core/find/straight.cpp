#include "find/internal/straight.hpp"

#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <opencv2/imgproc.hpp>

#include "base/statistics.hpp"
#include "find/internal/figures.hpp"

namespace refero::find {

bool within(const Corners& q, const Point& p) {
    const double turn = chart::signed_area(q) < 0 ? -1 : 1;
    for (std::size_t i = 0; i < 4; ++i) {
        const Point a = q[(i + 1) % 4] - q[i], b = p - q[i];
        if (turn * (a.x() * b.y() - a.y() * b.x()) < 0) return false;
    }
    return true;
}

Straight straightened(const std::vector<Picture>& pyramid, const Homography& full_from_place, const Point& from,
                      const Point& to, const Corners& about) {
    const Point middle = (from + to) / 2;
    const double native =
        std::min((full_from_place(middle + Point(0.5, 0)) - full_from_place(middle - Point(0.5, 0))).norm(),
                 (full_from_place(middle + Point(0, 0.5)) - full_from_place(middle - Point(0, 0.5))).norm());
    Straight s;
    const double extent = std::max(to.x() - from.x(), to.y() - from.y());
    s.pitch = std::clamp(native * pyramid.front().scale, 12.0, std::max(24.0, card_px / extent));
    // The picture that is nearest to the size that is wanted, no smaller.
    const Picture* source = &pyramid.front();
    for (const Picture& p : pyramid)
        if (native * p.scale >= s.pitch) source = &p;
    Eigen::Matrix3d place_from_px;
    place_from_px << 1 / s.pitch, 0, from.x(), 0, 1 / s.pitch, from.y(), 0, 0, 1;
    s.frame_from_px.matrix = full_from_place.matrix * place_from_px;
    const cv::Size size(static_cast<int>(std::ceil((to.x() - from.x()) * s.pitch)),
                        static_cast<int>(std::ceil((to.y() - from.y()) * s.pitch)));
    s.codes = cv::Mat(size, CV_32FC3);
    s.inside = cv::Mat(size, CV_8U);
    cv::Mat map_x(size, CV_32F), map_y(size, CV_32F);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const Point full = s.frame_from_px({x + 0.5, y + 0.5});
            s.inside.at<uchar>(y, x) = within(about, full) ? 255 : 0;
            map_x.at<float>(y, x) = static_cast<float>(full.x() * source->scale - 0.5);
            map_y.at<float>(y, x) = static_cast<float>(full.y() * source->scale - 0.5);
        }
    cv::Mat light;
    cv::remap(source->linear, light, map_x, map_y, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
    for (int y = 0; y < size.height; ++y) {
        const auto* from_row = light.ptr<cv::Vec3f>(y);
        auto* to_row = s.codes.ptr<cv::Vec3f>(y);
        for (int x = 0; x < size.width; ++x)
            for (int c = 0; c < 3; ++c)
                to_row[x][c] = std::sqrt(std::max(0.0f, from_row[x][c] * source->gain[static_cast<std::size_t>(c)]));
    }
    return s;
}

namespace {

/// Pixels; what has a shorter side is print.
double least_side_px(const Straight& s) {
    return std::max(6.0, least_side_share * std::max(s.codes.cols, s.codes.rows));
}

/// Largest change to a neighbour, over the channels, of a picture smoothed a little.
cv::Mat changes_of(const cv::Mat& codes) {
    cv::Mat smooth, dx, dy;
    cv::GaussianBlur(codes, smooth, {0, 0}, 0.8);
    cv::Sobel(smooth, dx, CV_32F, 1, 0, 3, 0.25);
    cv::Sobel(smooth, dy, CV_32F, 0, 1, 3, 0.25);
    cv::Mat all(codes.size(), CV_32F);
    for (int y = 0; y < codes.rows; ++y)
        for (int x = 0; x < codes.cols; ++x) {
            const auto &a = dx.at<cv::Vec3f>(y, x), &b = dy.at<cv::Vec3f>(y, x);
            float most = 0;
            for (int c = 0; c < 3; ++c) most = std::max(most, std::hypot(a[c], b[c]));
            all.at<float>(y, x) = most;
        }
    return all;
}

/// Where the picture changes first and clearly across a side of a region, to a part of a pixel; nothing where it does
/// not.
std::optional<double> edge_near(const cv::Mat& codes, const Box& box, int side, double reach) {
    const bool across_x = side % 2 == 0; // 0 left, 1 top, 2 right, 3 bottom
    const double at = side == 0 ? box.x0 : side == 1 ? box.y0 : side == 2 ? box.x1 : box.y1;
    const int outward = side < 2 ? -1 : 1;
    constexpr int flat_px = 4; // of the box's own ground: what changes there is noise
    const int first = static_cast<int>(std::floor(outward < 0 ? at - reach : at - 2 - flat_px)),
              last = static_cast<int>(std::ceil(outward < 0 ? at + 2 + flat_px : at + reach));
    const double low = across_x ? box.y0 + 0.25 * box.height() : box.x0 + 0.25 * box.width(),
                 high = across_x ? box.y1 - 0.25 * box.height() : box.x1 - 0.25 * box.width();
    std::vector<double> change;
    for (int p = first; p <= last; ++p) { // between pixels p - 1 and p
        cv::Vec3d sum(0, 0, 0);
        int n = 0;
        for (int t = static_cast<int>(low); t < high; ++t, ++n) {
            const int x = across_x ? p : t, y = across_x ? t : p;
            const int px = across_x ? x - 1 : x, py = across_x ? y : y - 1;
            if (px < 0 || py < 0 || x >= codes.cols || y >= codes.rows) continue;
            const auto &a = codes.at<cv::Vec3f>(py, px), &b = codes.at<cv::Vec3f>(y, x);
            for (int c = 0; c < 3; ++c) sum[c] += static_cast<double>(b[c] - a[c]);
        }
        change.push_back(n ? cv::norm(sum) / n : 0);
    }
    // The first clear change on the way out: behind it lies the neighbour's.
    const double most = *std::max_element(change.begin(), change.end());
    const int count = static_cast<int>(change.size());
    int peak = -1;
    double noise = 0;
    for (int k = 0; k < flat_px && k < count; ++k)
        noise = std::max(noise, change[static_cast<std::size_t>(outward < 0 ? count - 1 - k : k)]);
    const double clear = std::max(clear_change * most, noise_change * noise);
    for (int k = flat_px; k < count; ++k) {
        const int i = outward < 0 ? count - 1 - k : k;
        const double before = i > 0 ? change[static_cast<std::size_t>(i - 1)] : 0,
                     after = i + 1 < count ? change[static_cast<std::size_t>(i + 1)] : 0;
        const double here = change[static_cast<std::size_t>(i)];
        if (here >= before && here >= after && here > clear) {
            peak = i;
            break;
        }
    }
    if (peak < 0 || most < 1e-4) return std::nullopt;
    // The centre of the change about its peak.
    double weight = 0, sum = 0;
    for (int i = std::max(0, peak - 2); i <= std::min(count - 1, peak + 2); ++i) {
        weight += change[static_cast<std::size_t>(i)];
        sum += change[static_cast<std::size_t>(i)] * (first + i);
    }
    return sum / weight;
}

} // namespace

double common_fraction(const Box& a, const Box& b) {
    const double w = std::min(a.x1, b.x1) - std::max(a.x0, b.x0), h = std::min(a.y1, b.y1) - std::max(a.y0, b.y0);
    return w > 0 && h > 0 ? w * h / std::min(a.area(), b.area()) : 0;
}

namespace {

double edge_reach_of(const Box& b) { return edge_reach * std::min(b.width(), b.height()) + 2; }

/// Flat rectangles at several limits of flatness, largest first; those of patches that run together among them.
std::vector<Box> flat_boxes(const Straight& s) {
    const cv::Mat change = changes_of(s.codes);
    std::vector<float> all;
    for (int y = 0; y < change.rows; y += 2)
        for (int x = 0; x < change.cols; x += 2)
            if (s.inside.at<uchar>(y, x)) all.push_back(change.at<float>(y, x));
    if (all.empty()) return {};
    // Flat is what half of the card's ground is, and a little more; neighbours that differ little need less of it.
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() * 2 / 5), all.end());
    const float usual = 2.5f * all[all.size() * 2 / 5];
    const double least_side = least_side_px(s);
    std::vector<Box> boxes;
    for (const float factor : flatness_factors) {
        cv::Mat ground = (change < std::max(0.0025f, factor * usual)) & s.inside;
        cv::erode(ground, ground, cv::getStructuringElement(cv::MORPH_RECT, {3, 3}));
        cv::Mat labels, stats, centres;
        const int count = cv::connectedComponentsWithStats(ground, labels, stats, centres, 4);
        for (int k = 1; k < count; ++k) {
            const int w = stats.at<int>(k, cv::CC_STAT_WIDTH), h = stats.at<int>(k, cv::CC_STAT_HEIGHT);
            const double area = stats.at<int>(k, cv::CC_STAT_AREA);
            if (w < least_side || h < least_side || area < fills * w * h) continue;
            const double x = stats.at<int>(k, cv::CC_STAT_LEFT), y = stats.at<int>(k, cv::CC_STAT_TOP);
            constexpr double rim = 2; // smoothing and erosion take so much
            boxes.push_back({x - rim, y - rim, x + w + rim, y + h + rim});
        }
    }
    std::stable_sort(boxes.begin(), boxes.end(), [](const Box& a, const Box& b) { return a.area() > b.area(); });
    return boxes;
}

} // namespace

std::vector<Box> boxes_in(const Straight& s) {
    const std::vector<Box> all = flat_boxes(s);
    const double whole = static_cast<double>(s.codes.total());
    std::vector<Box> kept;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const Box& b = all[i];
        if (b.area() > ground_share * whole) continue; // the card's ground
        if (std::any_of(kept.begin(), kept.end(), [&](const Box& k) { return common_fraction(k, b) > 0.5; })) continue;
        // What others fill are patches that run together at this limit.
        std::vector<Box> parts;
        double filled = 0;
        for (std::size_t k = i + 1; k < all.size(); ++k) {
            const Box& part = all[k];
            if (part.area() > 0.7 * b.area() || part.area() < smallest_share * b.area()) continue;
            if (common_fraction(b, part) < 0.8) continue;
            if (std::any_of(parts.begin(), parts.end(), [&](const Box& o) { return common_fraction(o, part) > 0.2; }))
                continue;
            parts.push_back(part);
            filled += part.area();
        }
        if (parts.size() > 1 && filled > run_together * b.area()) continue;
        kept.push_back(b);
    }
    for (Box& b : kept) {
        const double reach = edge_reach_of(b);
        constexpr double rim = 2;
        const Box flat{b.x0 + rim, b.y0 + rim, b.x1 - rim, b.y1 - rim};
        std::array<std::optional<double>, 4> sides;
        for (int side = 0; side < 4; ++side)
            sides[static_cast<std::size_t>(side)] = edge_near(s.codes, flat, side, reach);
        const auto clear = std::count_if(sides.begin(), sides.end(), [](const auto& side) { return side.has_value(); });
        b = clear < least_clear_sides ? Box{} // texture
                                      : Box{sides[0].value_or(flat.x0), sides[1].value_or(flat.y0),
                                            sides[2].value_or(flat.x1), sides[3].value_or(flat.y1)};
    }
    std::erase_if(kept, [](const Box& b) { return !(b.width() > 2 && b.height() > 2); });
    return kept;
}

std::optional<Homography> squared_up(const Straight& s, const std::vector<Box>& boxes) {
    if (boxes.size() < 4) return std::nullopt;
    // About the picture's middle, in halves of its longer side: x' = x + a y + x (g x + h y), y' = y + b x + y (g x +
    // h y), to the first order. A vertical side has one x' at both of its ends, a horizontal one y'.
    const Point middle(s.codes.cols / 2.0, s.codes.rows / 2.0);
    const double half = std::max(s.codes.cols, s.codes.rows) / 2.0;
    std::vector<Eigen::Vector4d> rows;
    std::vector<double> right;
    for (const Box& b : boxes)
        for (int side = 0; side < 4; ++side) {
            const bool vertical = side % 2 == 0;
            Box first = b, second = b;
            if (vertical) first.y1 = second.y0 = b.middle().y();
            else first.x1 = second.x0 = b.middle().x();
            const double reach = 0.5 * edge_reach_of(b), inward = 0.5 * reach;
            const auto at = [&](Box part) {
                (side == 0   ? part.x0
                 : side == 1 ? part.y0
                 : side == 2 ? part.x1
                             : part.y1) += side < 2 ? inward : -inward;
                const auto edge = edge_near(s.codes, part, side, 2 * reach);
                if (!edge) return std::optional<Point>();
                const Point p = vertical ? Point(*edge, part.middle().y()) : Point(part.middle().x(), *edge);
                return std::optional<Point>((p - middle) / half);
            };
            const auto one = at(first), other = at(second);
            if (!one || !other) continue;
            const Point &p = *one, &q = *other;
            const auto perspective = [&](const Point& o) { return (vertical ? o.x() : o.y()) * o; };
            const Point d = perspective(p) - perspective(q);
            rows.push_back(vertical ? Eigen::Vector4d(p.y() - q.y(), 0, d.x(), d.y())
                                    : Eigen::Vector4d(0, p.x() - q.x(), d.x(), d.y()));
            right.push_back(vertical ? q.x() - p.x() : q.y() - p.y());
        }
    if (rows.size() < 8) return std::nullopt;
    Eigen::Vector4d solved = Eigen::Vector4d::Zero();
    std::vector<double> weight(rows.size(), 1);
    for (int round = 0; round < 6; ++round) {
        Eigen::Matrix4d m = 1e-6 * Eigen::Matrix4d::Identity();
        Eigen::Vector4d v = Eigen::Vector4d::Zero();
        for (std::size_t i = 0; i < rows.size(); ++i) {
            m += weight[i] * rows[i] * rows[i].transpose();
            v += weight[i] * right[i] * rows[i];
        }
        solved = m.ldlt().solve(v);
        std::vector<double> off;
        for (std::size_t i = 0; i < rows.size(); ++i) off.push_back(std::abs(rows[i].dot(solved) - right[i]));
        const double usual = std::max(0.2 / half, 1.5 * median(off));
        for (std::size_t i = 0; i < rows.size(); ++i) weight[i] = 1 / (1 + std::pow(off[i] / usual, 2));
    }
    Eigen::Matrix3d change, to;
    change << 1, solved[0], 0, solved[1], 1, 0, -solved[2], -solved[3], 1;
    to << 1 / half, 0, -middle.x() / half, 0, 1 / half, -middle.y() / half, 0, 0, 1;
    Homography map;
    map.matrix = to.inverse() * change * to;
    return map;
}

} // namespace refero::find
