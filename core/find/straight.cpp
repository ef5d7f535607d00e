#include "find/internal/straight.hpp"

#include <cmath>

#include <opencv2/imgproc.hpp>

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
    s.pitch = std::clamp(native * pyramid.front().scale, 12.0, static_cast<double>(px_per_pitch));
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

/// Where the picture changes most across a side of a region, to a part of a pixel.
double edge_near(const cv::Mat& codes, const Box& box, int side, double reach) {
    const bool across_x = side % 2 == 0; // 0 left, 1 top, 2 right, 3 bottom
    const double at = side == 0 ? box.x0 : side == 1 ? box.y0 : side == 2 ? box.x1 : box.y1;
    const int outward = side < 2 ? -1 : 1;
    const int first = static_cast<int>(std::floor(outward < 0 ? at - reach : at - 2)),
              last = static_cast<int>(std::ceil(outward < 0 ? at + 2 : at + reach));
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
    for (int k = 0; k < count; ++k) {
        const int i = outward < 0 ? count - 1 - k : k;
        const double before = i > 0 ? change[static_cast<std::size_t>(i - 1)] : 0,
                     after = i + 1 < count ? change[static_cast<std::size_t>(i + 1)] : 0;
        const double here = change[static_cast<std::size_t>(i)];
        if (here >= before && here >= after && here > clear_change * most) {
            peak = i;
            break;
        }
    }
    if (peak < 0 || most < 1e-4) return at;
    // The centre of the change about its peak.
    double weight = 0, sum = 0;
    for (int i = std::max(0, peak - 2); i <= std::min(count - 1, peak + 2); ++i) {
        weight += change[static_cast<std::size_t>(i)];
        sum += change[static_cast<std::size_t>(i)] * (first + i);
    }
    return sum / weight;
}

} // namespace

std::vector<Box> boxes_in(const Straight& s) {
    const cv::Mat change = changes_of(s.codes);
    std::vector<float> all;
    for (int y = 0; y < change.rows; y += 2)
        for (int x = 0; x < change.cols; x += 2)
            if (s.inside.at<uchar>(y, x)) all.push_back(change.at<float>(y, x));
    if (all.empty()) return {};
    // Flat is what half of the card's ground is, and a little more.
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() * 2 / 5), all.end());
    const float flat = std::max(0.004f, 2.5f * all[all.size() * 2 / 5]);
    cv::Mat ground = (change < flat) & s.inside;
    cv::erode(ground, ground, cv::getStructuringElement(cv::MORPH_RECT, {3, 3}));
    cv::Mat labels, stats, centres;
    const int count = cv::connectedComponentsWithStats(ground, labels, stats, centres, 4);
    std::vector<Box> boxes;
    for (int k = 1; k < count; ++k) {
        const int w = stats.at<int>(k, cv::CC_STAT_WIDTH), h = stats.at<int>(k, cv::CC_STAT_HEIGHT);
        const double area = stats.at<int>(k, cv::CC_STAT_AREA);
        if (w < smallest_patch * s.pitch || h < smallest_patch * s.pitch || area < fills * w * h) continue;
        const double x = stats.at<int>(k, cv::CC_STAT_LEFT), y = stats.at<int>(k, cv::CC_STAT_TOP);
        const Box rough{x, y, x + w, y + h};
        const double reach = edge_reach * s.pitch + 2;
        boxes.push_back({edge_near(s.codes, rough, 0, reach), edge_near(s.codes, rough, 1, reach),
                         edge_near(s.codes, rough, 2, reach), edge_near(s.codes, rough, 3, reach)});
    }
    return boxes;
}

} // namespace refero::find
