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

} // namespace

Beside beside(const apply::Picture& lead, const chart::Corners& lead_corners, const apply::Picture& other,
              const chart::Corners& other_corners, std::stop_token stop) {
    if (lead.space != other.space)
        throw Error(ErrorKind::usage, "pictures in two spaces cannot be compared", {}, "Render both in one");
    Beside b{lead, {lead.width, lead.height, std::vector<float>(lead.rgb.size()), lead.space}, {}, 0};
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
