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

} // namespace refero::work
