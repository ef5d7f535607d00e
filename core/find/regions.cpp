// From a frame to flat quadrilateral regions.
#include <opencv2/imgproc.hpp>

#include "find/internal.hpp"

namespace refero::find {

Picture picture_of(const frame::Frame& frame, int longest_side) {
    const cv::Mat pixels(frame.height, frame.width, CV_32FC3, const_cast<float*>(frame.rgb.data()));
    const double shrink = std::min(1.0, static_cast<double>(longest_side) / std::max(frame.width, frame.height));
    Picture p;
    if (shrink < 1)
        cv::resize(pixels, p.linear, cv::Size(std::max(1, static_cast<int>(std::lround(frame.width * shrink))), std::max(1, static_cast<int>(std::lround(frame.height * shrink)))), 0, 0, cv::INTER_AREA);
    else
        p.linear = pixels.clone();
    cv::patchNaNs(p.linear, 0);
    p.scale = shrink / frame.cell;

    // Balance each channel by a high percentile, so that a green raw and an orange one look alike.
    std::array<float, 3> high{};
    std::vector<float> sample;
    for (int c = 0; c < 3; ++c) {
        sample.clear();
        for (int y = 0; y < p.linear.rows; y += 3)
            for (int x = c; x < p.linear.cols; x += 5) sample.push_back(p.linear.at<cv::Vec3f>(y, x)[c]);
        if (sample.empty()) sample.push_back(1);
        const auto k = sample.begin() + static_cast<std::ptrdiff_t>(0.98 * static_cast<double>(sample.size() - 1));
        std::nth_element(sample.begin(), k, sample.end());
        high[static_cast<std::size_t>(c)] = std::max(*k, 1e-5f);
    }
    p.display.create(p.linear.size(), CV_32FC3);
    for (int y = 0; y < p.linear.rows; ++y)
        for (int x = 0; x < p.linear.cols; ++x) {
            const cv::Vec3f& v = p.linear.at<cv::Vec3f>(y, x);
            cv::Vec3f& d = p.display.at<cv::Vec3f>(y, x);
            for (int c = 0; c < 3; ++c) d[c] = std::sqrt(std::clamp(v[c] / high[static_cast<std::size_t>(c)], 0.0f, 1.5f));
        }
    return p;
}

// Immerkaer, "Fast Noise Variance Estimation", CVIU 64(2), 1996, with the median for the mean: edges do not count.
double noise_of(const Picture& picture) {
    cv::Mat grey, laplacian;
    cv::cvtColor(picture.display, grey, cv::COLOR_RGB2GRAY);
    const cv::Mat mask = (cv::Mat_<float>(3, 3) << 1, -2, 1, -2, 4, -2, 1, -2, 1);
    cv::filter2D(grey, laplacian, CV_32F, mask);
    std::vector<float> sizes;
    for (int y = 1; y + 1 < laplacian.rows; y += 2)
        for (int x = 1; x + 1 < laplacian.cols; x += 3) sizes.push_back(std::abs(laplacian.at<float>(y, x)));
    if (sizes.empty()) return 0;
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
    return 1.4826 * sizes[sizes.size() / 2] / 6;
}

// Tomasi and Manduchi, "Bilateral Filtering for Gray and Color Images", ICCV 1998, twice.
void take_noise_out(Picture& picture, double noise) {
    cv::Mat once;
    cv::GaussianBlur(picture.display, once, {}, 0.8);
    cv::bilateralFilter(once, picture.display, 9, 5 * noise, 3);
    cv::bilateralFilter(picture.display, once, 7, 3 * noise, 2.5);
    picture.display = once;
    cv::Mat smooth;
    cv::GaussianBlur(picture.linear, smooth, {}, 1.6);
    picture.linear = smooth;
}

namespace {

// Largest gradient over the channels, one value a pixel.
cv::Mat edges(const cv::Mat& display) {
    cv::Mat smooth, gx, gy;
    cv::GaussianBlur(display, smooth, {}, 0.8);
    cv::Scharr(smooth, gx, CV_32F, 1, 0, 1 / 32.0);
    cv::Scharr(smooth, gy, CV_32F, 0, 1, 1 / 32.0);
    cv::Mat magnitude(display.size(), CV_32F);
    for (int y = 0; y < display.rows; ++y)
        for (int x = 0; x < display.cols; ++x) {
            const cv::Vec3f &a = gx.at<cv::Vec3f>(y, x), &b = gy.at<cv::Vec3f>(y, x);
            float m = 0;
            for (int c = 0; c < 3; ++c) m = std::max(m, a[c] * a[c] + b[c] * b[c]);
            magnitude.at<float>(y, x) = std::sqrt(m);
        }
    return magnitude;
}

// The four corners of a hull that is nearly a quadrilateral.
std::optional<Corners> quadrilateral(const std::vector<cv::Point>& contour, double area) {
    std::vector<cv::Point> hull;
    cv::convexHull(contour, hull);
    const double hull_area = cv::contourArea(hull);
    if (hull_area < 9 || area < 0.82 * hull_area) return std::nullopt;
    const double perimeter = cv::arcLength(hull, true);
    for (const double tolerance : {0.03, 0.05, 0.07, 0.09, 0.11}) {
        std::vector<cv::Point> corners;
        cv::approxPolyDP(hull, corners, tolerance * perimeter, true);
        if (corners.size() > 4) continue;
        if (corners.size() < 4) return std::nullopt;
        Corners q;
        for (std::size_t i = 0; i < 4; ++i) q[i] = {corners[i].x + 0.5, corners[i].y + 0.5};
        if (!chart::is_convex(q) || std::abs(chart::signed_area(q)) < 0.72 * hull_area) return std::nullopt;
        double longest = 0, shortest = 1e9;
        for (std::size_t i = 0; i < 4; ++i) {
            const double side = (q[(i + 1) % 4] - q[i]).norm();
            longest = std::max(longest, side), shortest = std::min(shortest, side);
        }
        if (shortest < 0.28 * longest) return std::nullopt;
        return q;
    }
    return std::nullopt;
}

} // namespace

std::vector<Region> flat_quadrilaterals(const Picture& picture) {
    const cv::Mat gradient = edges(picture.display);
    const double largest_area = 0.2 * picture.display.total();
    std::vector<Region> regions;
    for (const double limit : {0.008, 0.014, 0.024, 0.04, 0.07}) {
        const cv::Mat flat = gradient < limit;
        cv::Mat labels, stats, centres;
        const int count = cv::connectedComponentsWithStats(flat, labels, stats, centres, 4, CV_32S);
        for (int i = 1; i < count; ++i) {
            const int* s = stats.ptr<int>(i);
            const int area = s[cv::CC_STAT_AREA];
            if (area < 12 || area > largest_area) continue;
            const cv::Rect box(s[cv::CC_STAT_LEFT], s[cv::CC_STAT_TOP], s[cv::CC_STAT_WIDTH], s[cv::CC_STAT_HEIGHT]);
            if (area < 0.3 * box.area()) continue;
            std::vector<std::vector<cv::Point>> contours;
            cv::findContours(cv::Mat(labels(box) == i), contours, cv::RETR_EXTERNAL, cv::CHAIN_APPROX_NONE, box.tl());
            if (contours.size() != 1) continue;
            const auto q = quadrilateral(contours[0], cv::contourArea(contours[0]));
            if (!q) continue;
            Region r;
            r.corners = *q;
            r.area = std::abs(chart::signed_area(*q));
            r.centre = ((*q)[0] + (*q)[1] + (*q)[2] + (*q)[3]) / 4;
            // The same patch shows up at several limits: the largest region is nearest to the whole patch.
            bool known = false;
            for (Region& other : regions)
                if ((other.centre - r.centre).norm() < 0.3 * std::sqrt(std::min(other.area, r.area))) {
                    known = true;
                    if (r.area > other.area && r.area < 2.5 * other.area) other = r;
                    break;
                }
            if (!known) regions.push_back(r);
        }
    }
    return regions;
}

} // namespace refero::find
