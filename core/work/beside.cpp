#include "work/beside.hpp"

#include <cmath>

#include <opencv2/imgproc.hpp>

#include "colour/quantities.hpp"
#include "colour/rgb.hpp"

namespace refero::work {

namespace {

cv::Mat view_of(const apply::Picture& p) {
    return {p.height, p.width, CV_32FC3, const_cast<float*>(p.rgb.data())}; // only read
}

// Limits of features, set by eye on made scenes; lengths are shares of the picture's width.
constexpr int most_features = 400;
constexpr double feature_quality = 0.02;                     ///< of the strongest corner
constexpr double apart = 1.0 / 60;                           ///< features from each other
constexpr double half_template = 1.0 / 60, reach = 1.0 / 20; ///< of a feature, and how far it is looked for
constexpr double least_likeness = 0.85;                      ///< normalized correlation
constexpr double most_second = 0.92; ///< the next best place, of the best: else it could be either
constexpr int neighbours = 6;        ///< that a feature has to agree with ...
constexpr double agrees = 1.0 / 200; ///< ... within
constexpr int fewest_features = 12;
constexpr double smooth = 1.0 / 14; ///< of the field between features

/// A feature of the lead, and how far from there the other shows it.
struct Moved {
    cv::Point2d at, by;
};

cv::Mat codes_of(const apply::Picture& p) {
    cv::Mat grey;
    cv::cvtColor(view_of(p), grey, cv::COLOR_RGB2GRAY);
    cv::Mat bounded = cv::min(cv::max(grey, 0.0), 1.0), codes;
    cv::pow(bounded, 1 / 2.2, bounded); // about even to the eye; nothing is measured on it
    bounded.convertTo(codes, CV_8U, 255);
    return codes;
}

/// The top of a parabola through three values about a peak, -0.5 to 0.5.
double top_of(float before, float at, float after) {
    const double bend = static_cast<double>(before) - 2.0 * static_cast<double>(at) + static_cast<double>(after);
    return bend < -1e-9 ? std::clamp(0.5 * static_cast<double>(before - after) / bend, -0.5, 0.5) : 0;
}

std::vector<Moved> features_of(const cv::Mat& lead, const cv::Mat& other, const cv::Mat& covered,
                               const std::stop_token& stop) {
    const int half = std::max(7, static_cast<int>(half_template * lead.cols)),
              far = std::max(6, static_cast<int>(reach * lead.cols)), border = half + far;
    std::vector<Moved> all;
    if (lead.cols < 4 * border || lead.rows < 4 * border) return all;
    cv::Mat inside;
    cv::erode(covered, inside, cv::Mat::ones(2 * border + 1, 2 * border + 1, CV_8U), {-1, -1}, 1, cv::BORDER_CONSTANT,
              cv::Scalar(0));
    std::vector<cv::Point2f> corners;
    cv::goodFeaturesToTrack(lead, corners, most_features, feature_quality, apart * lead.cols, inside);
    for (const cv::Point2f& corner : corners) {
        throw_if_stopped(stop);
        const int x = cvRound(corner.x), y = cvRound(corner.y);
        const cv::Rect what(x - half, y - half, 2 * half + 1, 2 * half + 1),
            where(x - border, y - border, 2 * border + 1, 2 * border + 1);
        if ((what & cv::Rect({}, lead.size())) != what || (where & cv::Rect({}, lead.size())) != where) continue;
        cv::Mat alike;
        cv::matchTemplate(other(where), lead(what), alike, cv::TM_CCOEFF_NORMED);
        double best = 0, second = 0;
        cv::Point at;
        cv::minMaxLoc(alike, nullptr, &best, nullptr, &at);
        if (best < least_likeness || at.x == 0 || at.y == 0 || at.x == alike.cols - 1 || at.y == alike.rows - 1)
            continue;
        const double dx = top_of(alike.at<float>(at.y, at.x - 1), alike.at<float>(at), alike.at<float>(at.y, at.x + 1)),
                     dy = top_of(alike.at<float>(at.y - 1, at.x), alike.at<float>(at), alike.at<float>(at.y + 1, at.x));
        cv::circle(alike, at, half / 2, cv::Scalar(-1), cv::FILLED);
        cv::minMaxLoc(alike, nullptr, &second);
        if (second > most_second * best) continue;
        all.push_back({{static_cast<double>(x), static_cast<double>(y)}, {at.x - far + dx, at.y - far + dy}});
    }
    return all;
}

/// Those that move as their neighbours do.
std::vector<Moved> agreeing(const std::vector<Moved>& all, double within) {
    std::vector<Moved> kept;
    for (const Moved& m : all) {
        std::vector<std::pair<double, const Moved*>> near;
        for (const Moved& o : all)
            if (&o != &m) near.emplace_back(cv::norm(o.at - m.at), &o);
        if (near.size() < neighbours) return {};
        std::partial_sort(near.begin(), near.begin() + neighbours, near.end());
        int alike = 0;
        for (int i = 0; i < neighbours; ++i)
            alike += cv::norm(near[static_cast<std::size_t>(i)].second->by - m.by) <
                     within + 0.02 * near[static_cast<std::size_t>(i)].first;
        if (2 * alike >= neighbours) kept.push_back(m);
    }
    return kept;
}

/// Lets what lies off the chart's plane follow the features; how many there were.
int follow_features(const apply::Picture& lead, const chart::Corners& corners, apply::Picture& other, cv::Mat& covered,
                    const std::stop_token& stop) {
    const cv::Mat to = codes_of(lead), from = codes_of(other);
    std::vector<Moved> moved = agreeing(features_of(to, from, covered, stop), agrees * lead.width);
    if (moved.size() < fewest_features) return 0;
    const int features = static_cast<int>(moved.size());
    chart::Point middle(0, 0);
    for (const chart::Point& c : corners) middle += c / 4;
    for (const chart::Point& c : corners) // the chart stays where its plane puts it
        for (const double share : {0.0, 0.5, 1.0}) {
            const chart::Point p = middle + share * (c - middle);
            moved.push_back({{p.x(), p.y()}, {0, 0}});
        }
    // Weighted means on a coarse grid, then smooth between.
    constexpr int cell = 16;
    const cv::Size coarse(lead.width / cell + 2, lead.height / cell + 2);
    cv::Mat field(coarse, CV_32FC2);
    const double wide = 2 * std::pow(smooth * lead.width, 2);
    for (int r = 0; r < coarse.height; ++r)
        for (int c = 0; c < coarse.width; ++c) {
            const cv::Point2d at((c + 0.5) * cell - 0.5, (r + 0.5) * cell - 0.5);
            cv::Point2d sum(0, 0);
            double weight = 1e-4; // far from all features nothing moves
            for (const Moved& m : moved) {
                const cv::Point2d d = m.at - at;
                const double w = std::exp(-d.dot(d) / wide);
                sum += w * m.by;
                weight += w;
            }
            field.at<cv::Vec2f>(r, c) = {static_cast<float>(sum.x / weight), static_cast<float>(sum.y / weight)};
        }
    cv::Mat map;
    cv::resize(field, map, coarse * cell, 0, 0, cv::INTER_CUBIC);
    map = map(cv::Rect(0, 0, lead.width, lead.height)).clone();
    for (int y = 0; y < map.rows; ++y)
        for (int x = 0; x < map.cols; ++x)
            map.at<cv::Vec2f>(y, x) += cv::Vec2f(static_cast<float>(x), static_cast<float>(y));
    cv::Mat pixels = view_of(other), known;
    cv::remap(pixels.clone(), pixels, map, cv::noArray(), cv::INTER_LINEAR, cv::BORDER_CONSTANT);
    cv::remap(covered, known, map, cv::noArray(), cv::INTER_NEAREST, cv::BORDER_CONSTANT);
    covered = known;
    return features;
}

} // namespace

Beside beside(const apply::Picture& lead, const chart::Corners& lead_corners, const apply::Picture& other,
              const chart::Corners& other_corners, std::stop_token stop) {
    if (lead.space != other.space)
        throw Error(ErrorKind::usage, "pictures in two spaces cannot be compared", {}, "Render both in one");
    Beside b{lead, {lead.width, lead.height, std::vector<float>(lead.rgb.size()), lead.space}};
    const Eigen::Matrix3d map = chart::homography(other_corners, lead_corners).matrix;
    cv::Matx33d onto_lead;
    for (int i = 0; i < 9; ++i) onto_lead(i / 3, i % 3) = map(i / 3, i % 3);
    // Corners are of outer edges, OpenCV's places of pixels' middles.
    const cv::Matx33d half(1, 0, 0.5, 0, 1, 0.5, 0, 0, 1), back(1, 0, -0.5, 0, 1, -0.5, 0, 0, 1);
    cv::Mat laid = view_of(b.other);
    cv::warpPerspective(view_of(other), laid, back * onto_lead * half, laid.size(), cv::INTER_LINEAR);
    cv::Mat covered;
    cv::warpPerspective(cv::Mat(other.height, other.width, CV_8U, cv::Scalar(255)), covered, back * onto_lead * half,
                        laid.size(), cv::INTER_NEAREST);
    throw_if_stopped(stop);
    b.features = follow_features(lead, lead_corners, b.other, covered, stop);
    // Differences of single pixels are noise: both are smoothed before they are compared.
    constexpr double smooth_px = 2;
    apply::Picture smooth_lead = b.lead, smooth_other = b.other;
    for (apply::Picture* p : {&smooth_lead, &smooth_other}) {
        cv::Mat pixels = view_of(*p);
        cv::GaussianBlur(pixels, pixels, {}, smooth_px, smooth_px, cv::BORDER_REPLICATE);
    }
    const colour::Mat3 to_xyz = colour::rgb_space(lead.space).to_xyz_d50();
    const auto lab_at = [&](const apply::Picture& p, std::size_t i) {
        const float* v = &p.rgb[3 * i];
        return colour::lab_from_xyz(to_xyz * colour::Vec3(v[0], v[1], v[2]).cwiseMax(0).cwiseMin(1));
    };
    const std::size_t n = lead.rgb.size() / 3;
    b.delta_e_2000.assign(n, -1);
    double sum = 0;
    std::size_t inside = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (!covered.data[i]) continue;
        if (i % 65536 == 0) throw_if_stopped(stop);
        b.delta_e_2000[i] = static_cast<float>(colour::delta_e_2000(lab_at(smooth_lead, i), lab_at(smooth_other, i)));
        sum += b.delta_e_2000[i];
        ++inside;
    }
    if (inside) b.mean = sum / static_cast<double>(inside);
    return b;
}

apply::Picture in_strips(const Beside& both, int strips) {
    apply::Picture p = both.lead;
    const int width = std::max(1, p.width / std::max(1, strips));
    for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x)
            if ((x / width) % 2) {
                const std::size_t at =
                    3 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x));
                std::copy_n(&both.other.rgb[at], 3, &p.rgb[at]);
            }
    return p;
}

apply::Picture as_difference(const Beside& both, double full) {
    apply::Picture p = both.lead;
    const auto& space = colour::rgb_space(p.space);
    for (std::size_t i = 0; i < both.delta_e_2000.size(); ++i) {
        const double share = std::clamp(both.delta_e_2000[i] / full, 0.0, 1.0);
        std::fill_n(&p.rgb[3 * i], 3, static_cast<float>(colour::decode(space.transfer, share)));
    }
    return p;
}

} // namespace refero::work
