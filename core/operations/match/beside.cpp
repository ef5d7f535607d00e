#include "operations/match/beside.hpp"

#include <cmath>

#include <opencv2/imgproc.hpp>

#include "colour/quantities.hpp"
#include "colour/rgb.hpp"

namespace refero::operations {

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
constexpr double most_second = 0.92;        ///< the next best place, of the best: else it could be either
constexpr int neighbours = 6;               ///< that a feature has to agree with ...
constexpr double agrees_within = 1.0 / 200; ///< ... within
constexpr double in_place = 0.04;           ///< less likeness than that is not worth moving for
constexpr int fewest_features = 12;
constexpr double smooth = 1.0 / 14;    ///< of the field between features
constexpr double seen_over = 1.0 / 30; ///< where it is seen whether the field lessens the difference ...
constexpr double lessens = 0.7;        ///< ... to no more than that share

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
        // What lies in the plane stays, however like its neighbours are.
        if (static_cast<double>(alike.at<float>(far, far)) > best - in_place) {
            all.push_back({{static_cast<double>(x), static_cast<double>(y)}, {0, 0}});
            continue;
        }
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

/// How far the detail of two pictures is apart about each place.
cv::Mat apart_about(const cv::Mat& one, const cv::Mat& other) {
    const auto detail = [](const cv::Mat& codes) {
        cv::Mat light, fine, coarse;
        codes.convertTo(light, CV_32F);
        cv::GaussianBlur(light, fine, {}, 1.5);
        cv::GaussianBlur(light, coarse, {}, seen_over * codes.cols / 2);
        return cv::Mat(fine - coarse);
    };
    const cv::Mat off = detail(one) - detail(other);
    cv::Mat about;
    cv::GaussianBlur(off.mul(off), about, {}, seen_over * one.cols);
    return about;
}

/// Lets what lies off the chart's plane follow the features, where that makes both more alike; how many told so.
int follow_features(const apply::Picture& lead, const chart::Corners& corners, apply::Picture& other, cv::Mat& covered,
                    const std::stop_token& stop) {
    const cv::Mat to = codes_of(lead), from = codes_of(other);
    std::vector<Moved> moved = agreeing(features_of(to, from, covered, stop), agrees_within * lead.width);
    if (moved.size() < fewest_features) return 0;
    const auto features =
        static_cast<int>(std::count_if(moved.begin(), moved.end(), [](const Moved& m) { return cv::norm(m.by) > 1; }));
    if (features < fewest_features) return 0;
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
    cv::Mat by;
    cv::resize(field, by, coarse * cell, 0, 0, cv::INTER_CUBIC);
    by = by(cv::Rect(0, 0, lead.width, lead.height)).clone();
    const auto taken_from = [&](const cv::Mat& picture, int how) {
        cv::Mat map(by.size(), CV_32FC2), taken;
        for (int y = 0; y < map.rows; ++y)
            for (int x = 0; x < map.cols; ++x)
                map.at<cv::Vec2f>(y, x) =
                    by.at<cv::Vec2f>(y, x) + cv::Vec2f(static_cast<float>(x), static_cast<float>(y));
        cv::remap(picture, taken, map, cv::noArray(), how, cv::BORDER_CONSTANT);
        return taken;
    };
    const cv::Mat in_plane = apart_about(to, from), followed = apart_about(to, taken_from(from, cv::INTER_LINEAR));
    cv::Mat better, share;
    cv::Mat(followed < lessens * in_plane).convertTo(better, CV_32F, 1.0 / 255);
    if (cv::mean(better)[0] < 0.01) return 0;
    cv::GaussianBlur(better, share, {}, seen_over * lead.width / 2);
    for (int y = 0; y < by.rows; ++y)
        for (int x = 0; x < by.cols; ++x) by.at<cv::Vec2f>(y, x) *= share.at<float>(y, x);
    taken_from(view_of(other), cv::INTER_LINEAR).copyTo(view_of(other));
    covered = taken_from(covered, cv::INTER_NEAREST);
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

PartOfBoth part_of(const Beside& both, const chart::Point& corner, const chart::Point& opposite) {
    constexpr std::size_t least_pixels = 16, most_pixels = 40000; // more tell no more
    constexpr int tones = 41;                                     // quantiles
    const auto& space = colour::rgb_space(both.lead.space);
    const auto between = [](double a, double b, int size) {
        return std::pair{std::clamp(static_cast<int>(std::floor(std::min(a, b))), 0, size),
                         std::clamp(static_cast<int>(std::ceil(std::max(a, b))), 0, size)};
    };
    const auto [x0, x1] = between(corner.x(), opposite.x(), both.lead.width);
    const auto [y0, y1] = between(corner.y(), opposite.y(), both.lead.height);
    std::vector<std::size_t> at;
    for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x)
            if (const auto i = static_cast<std::size_t>(y) * static_cast<std::size_t>(both.lead.width) +
                               static_cast<std::size_t>(x);
                both.delta_e_2000[i] >= 0)
                at.push_back(i);
    if (at.size() < least_pixels)
        throw Error(ErrorKind::usage, "the region is too small, or only one of the cameras shows it", {},
                    "Draw it where both pictures lie over each other");
    if (const std::size_t step = at.size() / most_pixels + 1; step > 1) {
        std::size_t kept = 0;
        for (std::size_t i = 0; i < at.size(); i += step) at[kept++] = at[i];
        at.resize(kept);
    }
    PartOfBoth part;
    const auto count = static_cast<double>(at.size());
    const colour::Mat3 to_xyz = space.to_xyz_d50();
    const auto seen_in = [&](const apply::Picture& p) {
        PartOfBoth::Seen s;
        s.colours = {256, 256, std::vector<std::uint32_t>(std::size_t{256} * 256)};
        colour::Vec3 light = colour::Vec3::Zero();
        for (const std::size_t i : at) {
            colour::Vec3 code;
            for (Eigen::Index c = 0; c < 3; ++c) {
                const double v = std::clamp(static_cast<double>(p.rgb[3 * i + static_cast<std::size_t>(c)]), 0.0, 1.0);
                light[c] += v / count;
                code[c] = colour::encode(space.transfer, v);
                s.tone[static_cast<std::size_t>(c)].push_back(code[c]);
            }
            const Eigen::Vector2d place = scope::on_vectorscope(code, scope::Standard::bt709);
            const int x = std::clamp(static_cast<int>(place.x()), 0, 255),
                      y = std::clamp(static_cast<int>(place.y()), 0, 255);
            ++s.colours.count[static_cast<std::size_t>(256 * y + x)];
        }
        for (std::vector<double>& codes : s.tone) {
            std::sort(codes.begin(), codes.end());
            std::vector<double> even;
            for (int k = 0; k < tones; ++k)
                even.push_back(codes[static_cast<std::size_t>(k) * (codes.size() - 1) / (tones - 1)]);
            codes = even;
        }
        s.mean = light.unaryExpr([&](double v) { return colour::encode(space.transfer, v); });
        return std::pair{s, colour::lab_from_xyz(to_xyz * light)};
    };
    const auto [lead, lead_lab] = seen_in(both.lead);
    const auto [other, other_lab] = seen_in(both.other);
    part.lead = lead;
    part.other = other;
    part.delta_e_2000 = colour::delta_e_2000(lead_lab, other_lab);
    for (const std::size_t i : at) part.each += both.delta_e_2000[i] / count;
    return part;
}

} // namespace refero::operations
