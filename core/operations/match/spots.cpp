#include "operations/match/spots.hpp"

#include <cmath>

#include <opencv2/imgproc.hpp>

#include "operations/correct/colours.hpp"
#include "operations/match/matching.hpp"

namespace refero::operations {

namespace {

constexpr double same_framing = 0.01;          ///< relative difference of the sides' ratio
constexpr double around = 0.06, search = 0.03; ///< of the longer side: what is compared, and how far it may be off
constexpr double min_likeness = 0.7;           ///< correlation, 1: the same
constexpr int compared_side = 1200;            ///< pixels of the longer side in which places are sought

cv::Mat lightness_of(const frame::Frame& f, double scale) {
    const cv::Mat rgb(f.height, f.width, CV_32FC3, const_cast<float*>(f.rgb.data()));
    cv::Mat small, grey, root;
    cv::resize(rgb, small, {}, scale, scale, cv::INTER_AREA);
    cv::cvtColor(small, grey, cv::COLOR_RGB2GRAY);
    cv::sqrt(cv::max(grey, 0), root);
    return root;
}

} // namespace

PlaceFound place_in(const frame::Frame& master, const frame::Frame& delivered, const chart::Point& place,
                    const std::optional<std::pair<chart::Corners, chart::Corners>>& charts) {
    const auto inside = [&](const chart::Point& p) {
        return p.x() >= 0 && p.y() >= 0 && p.x() < delivered.full_width && p.y() < delivered.full_height;
    };
    if (charts) {
        const chart::Point at = chart::homography(charts->first, charts->second)(place);
        if (inside(at)) return {at, "by the chart"};
        return {std::nullopt, "this place lies outside the delivered picture"};
    }
    const double ratio = static_cast<double>(master.full_width) / master.full_height,
                 other = static_cast<double>(delivered.full_width) / delivered.full_height;
    if (std::abs(ratio / other - 1) > same_framing)
        return {std::nullopt, "the delivered picture is cropped: give the place in it with --delivered-spot"};
    const double scale = static_cast<double>(delivered.full_width) / master.full_width;
    const double to_master = std::min(1.0, compared_side / std::max<double>(master.width, master.height)),
                 to_delivered = to_master * master.width / delivered.width;
    const cv::Mat a = lightness_of(master, to_master), b = lightness_of(delivered, to_delivered);
    const double side = std::max(a.cols, a.rows);
    const chart::Point p = place * to_master / master.cell;
    const int half = static_cast<int>(around * side), reach = static_cast<int>(search * side);
    const cv::Rect whole(0, 0, std::min(a.cols, b.cols), std::min(a.rows, b.rows));
    const cv::Rect patch =
        cv::Rect(static_cast<int>(p.x()) - half, static_cast<int>(p.y()) - half, 2 * half, 2 * half) & whole;
    const cv::Rect window =
        cv::Rect(patch.x - reach, patch.y - reach, patch.width + 2 * reach, patch.height + 2 * reach) & whole;
    if (patch.width < 8 || patch.height < 8) return {std::nullopt, "this place is not in the master"};
    cv::Mat likeness;
    cv::matchTemplate(b(window), a(patch), likeness, cv::TM_CCOEFF_NORMED);
    double best = 0;
    cv::Point at;
    cv::minMaxLoc(likeness, nullptr, &best, nullptr, &at);
    cv::Scalar mean, deviation;
    cv::meanStdDev(a(patch), mean, deviation);
    constexpr double even = 0.01; // nothing to hold on to: scaled alone
    if (deviation[0] < even) return {chart::Point(place * scale), "scaled"};
    if (best < min_likeness) return {std::nullopt, "this place was not found again: give it with --delivered-spot"};
    const chart::Point moved(window.x + at.x - patch.x, window.y + at.y - patch.y);
    return {chart::Point(place * scale + moved / to_delivered * delivered.cell), "by what is seen around it"};
}

colour::Vec3 colour_at(const frame::Frame& picture, const chart::Point& place, double radius_px) {
    const Clicked c = clicked(picture, place.x(), place.y(),
                              radius_px > 0 ? radius_px : 0.004 * std::max(picture.full_width, picture.full_height));
    return own_colours(picture, balance::Balance{}) * c.rgb;
}

} // namespace refero::operations
