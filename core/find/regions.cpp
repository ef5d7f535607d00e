// From a frame to flat regions.
#include <bit>
#include <cstring>

#include <Eigen/Core>
#include <opencv2/imgproc.hpp>
#include <tbb/parallel_for.h>

#include "find/internal.hpp"

namespace refero::find {

namespace {

// Balance each channel by a high percentile, so that a green raw and an orange one look alike.
std::array<float, 3> high_of(const cv::Mat& linear) {
    std::array<float, 3> high{};
    std::vector<float> sample;
    for (int c = 0; c < 3; ++c) {
        sample.clear();
        for (int y = 0; y < linear.rows; y += 3)
            for (int x = c; x < linear.cols; x += 5)
                if (const float v = linear.at<cv::Vec3f>(y, x)[c]; std::isfinite(v)) sample.push_back(v);
        if (sample.empty()) sample.push_back(1);
        const auto k = sample.begin() + static_cast<std::ptrdiff_t>(0.98 * static_cast<double>(sample.size() - 1));
        std::nth_element(sample.begin(), k, sample.end());
        high[static_cast<std::size_t>(c)] = std::max(*k, 1e-5f);
    }
    return high;
}

// Immerkaer, "Fast Noise Variance Estimation", CVIU 64(2), 1996, on every third pixel of every fourth row, with the
// median for the mean: edges do not count.
double noise_of(const cv::Mat& display) {
    const int rows = std::max(0, (display.rows + 1) / 4), columns = std::max(0, display.cols / 3);
    if (rows == 0 || columns == 0) return 0;
    std::vector<float> sizes(static_cast<std::size_t>(rows) * static_cast<std::size_t>(columns));
    tbb::parallel_for(0, rows, [&](int row) {
        for (int column = 0; column < columns; ++column) {
            const int x = 1 + 3 * column, y = 1 + 4 * row;
            const auto grey = [&](int dx, int dy) { const cv::Vec3f& v = display.at<cv::Vec3f>(y + dy, x + dx); return (v[0] + v[1] + v[2]) / 3; };
            sizes[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(column)] =
                std::abs(4 * grey(0, 0) - 2 * (grey(1, 0) + grey(-1, 0) + grey(0, 1) + grey(0, -1)) + grey(1, 1) + grey(-1, 1) + grey(1, -1) + grey(-1, -1));
        }
    });
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
    return 1.4826 * static_cast<double>(sizes[sizes.size() / 2]) / 6;
}

void finish(Picture& p, const std::array<float, 3>& high) {
    p.display.create(p.linear.size(), CV_32FC3);
    const int values = 3 * p.linear.cols;
    std::vector<float> gain(static_cast<std::size_t>(values)); // of a whole row, so that the loop below is one that compilers make short work of
    for (int k = 0; k < values; ++k) gain[static_cast<std::size_t>(k)] = 1 / high[static_cast<std::size_t>(k % 3)];
    tbb::parallel_for(0, p.linear.rows, [&](int y) {
        const float *v = p.linear.ptr<float>(y), *g = gain.data();
        float* d = p.display.ptr<float>(y);
        for (int k = 0; k < values; ++k) {
            const float value = v[k] * g[k], seen = 0.0f < value ? value : 0.0f; // not a number is dark
            d[k] = std::sqrt(seen < 1.5f ? seen : 1.5f);
        }
    });
    p.noise = noise_of(p.display);
}

} // namespace

std::vector<Picture> pyramid_of(const frame::Frame& frame, int longest_side, int least_side) {
    const cv::Mat pixels(frame.height, frame.width, CV_32FC3, const_cast<float*>(frame.rgb.data()));
    std::vector<Picture> all(1);
    const double longest = std::max(frame.width, frame.height), shrink = std::min(1.0, longest_side / longest);
    if (shrink < 1)
        cv::resize(pixels, all[0].linear, cv::Size(std::max(1, static_cast<int>(std::lround(frame.width * shrink))), std::max(1, static_cast<int>(std::lround(frame.height * shrink)))), 0, 0, cv::INTER_AREA);
    else
        all[0].linear = pixels; // not a copy: the frame outlives the search
    all[0].scale = shrink / frame.cell;
    while (std::max(all.back().linear.cols, all.back().linear.rows) / 2 >= least_side && std::min(all.back().linear.cols, all.back().linear.rows) >= 16) {
        Picture half;
        const cv::Mat& from = all.back().linear;
        cv::resize(from(cv::Rect(0, 0, from.cols & ~1, from.rows & ~1)), half.linear, {}, 0.5, 0.5, cv::INTER_AREA);
        half.scale = all.back().scale / 2;
        all.push_back(std::move(half));
    }
    const auto high = high_of(all[std::min<std::size_t>(1, all.size() - 1)].linear);
    for (Picture& p : all) finish(p, high);
    return all;
}

namespace {

constexpr int steps = 8; ///< limits of steepness that are tried, each 1.5 times the one before

// How many of the limits each pixel's largest gradient over the channels reaches, CV_8U; the picture is enlarged and then
// smoothed by `sigma`.
cv::Mat steepness(const cv::Mat& display, int enlarge, double sigma, double first_limit) {
    const int rows = display.rows * enlarge, cols = display.cols * enlarge;
    cv::Mat reached(rows, cols, CV_8U, cv::Scalar(steps));
    const int taps = sigma < 0.7 ? 3 : sigma < 1.2 ? 5 : 7;
    std::array<float, steps> squares;
    for (int k = 0; k < steps; ++k) squares[static_cast<std::size_t>(k)] = static_cast<float>(std::pow(32 * first_limit * std::pow(1.5, k), 2));
    // Strip by strip, with the rows around it that matter, so that every core has some.
    constexpr int strip = 64;
    tbb::parallel_for(0, (rows + strip - 1) / strip, [&](int i) {
        const int first = std::max(0, i * strip / enlarge - 5), last = std::min(display.rows, (i + 1) * strip / enlarge + 5);
        cv::Mat part = display.rowRange(first, last), smooth;
        if (enlarge > 1) cv::resize(display.rowRange(first, last), part, {}, enlarge, enlarge, cv::INTER_LINEAR);
        cv::GaussianBlur(part, smooth, {taps, taps}, sigma);
        std::vector<float> square(static_cast<std::size_t>(3 * cols));
        for (int y = std::max(1, i * strip); y < std::min(rows - 1, (i + 1) * strip); ++y) {
            const int at = y - first * enlarge;
            const float *above = smooth.ptr<float>(at - 1), *here = smooth.ptr<float>(at), *below = smooth.ptr<float>(at + 1);
            for (int k = 3; k < 3 * cols - 3; ++k) { // Scharr
                const float gx = 3 * (above[k + 3] - above[k - 3] + below[k + 3] - below[k - 3]) + 10 * (here[k + 3] - here[k - 3]);
                const float gy = 3 * (below[k - 3] - above[k - 3] + below[k + 3] - above[k + 3]) + 10 * (below[k] - above[k]);
                square[static_cast<std::size_t>(k)] = gx * gx + gy * gy;
            }
            std::uint8_t* out = reached.ptr<std::uint8_t>(y);
            for (int x = 1; x + 1 < cols; ++x) {
                const float* s = &square[static_cast<std::size_t>(3 * x)];
                const float m = std::max({s[0], s[1], s[2]});
                int n = 0;
                for (const float limit : squares) n += m >= limit;
                out[x] = static_cast<std::uint8_t>(n);
            }
        }
    });
    return reached;
}

constexpr std::ptrdiff_t most_regions = 6000;

/// A connected piece of flat ground, by the sums over its pixels.
struct Piece {
    double area = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    int left = 1 << 30, right = -1, top = 1 << 30, bottom = -1;

    void add_run(int row, int from, int to) { // half open
        const double n = to - from, first = from, last = to - 1, sum = n * (first + last) / 2;
        area += n, x += sum, y += n * row, xy += sum * row, yy += n * row * row;
        xx += (last * (last + 1) * (2 * last + 1) - (first - 1) * first * (2 * first - 1)) / 6;
        left = std::min(left, from), right = std::max(right, to - 1), top = std::min(top, row), bottom = std::max(bottom, row);
    }
    void add(const Piece& o) {
        area += o.area, x += o.x, y += o.y, xx += o.xx, xy += o.xy, yy += o.yy;
        left = std::min(left, o.left), right = std::max(right, o.right), top = std::min(top, o.top), bottom = std::max(bottom, o.bottom);
    }
};

// Runs of flat pixels, joined with the runs that they touch in the row above.
std::vector<Piece> pieces_of(const cv::Mat& reached, int most) {
    struct Run {
        int from, to, piece;
    };
    std::vector<Piece> pieces;
    std::vector<int> parent;
    const auto root = [&](int i) {
        while (parent[static_cast<std::size_t>(i)] != i) i = parent[static_cast<std::size_t>(i)] = parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
        return i;
    };
    std::vector<Run> above, here;
    const std::uint8_t* row = nullptr;
    // The first pixel from x on that is steep, or that is not: eight at a time, as all values are small.
    const auto next = [&](int x, bool steep) {
        constexpr std::uint64_t ones = 0x0101010101010101, tops = 0x8080808080808080;
        for (; x + 8 <= reached.cols; x += 8) {
            std::uint64_t v;
            std::memcpy(&v, row + x, 8);
            v = (v + static_cast<std::uint64_t>(127 - most) * ones) & tops;
            if (!steep) v ^= tops;
            if (v) return x + std::countr_zero(v) / 8;
        }
        while (x < reached.cols && (row[x] > most) != steep) ++x;
        return x;
    };
    for (int y = 0; y < reached.rows; ++y) {
        here.clear();
        row = reached.ptr<std::uint8_t>(y);
        std::size_t over = 0;
        for (int x = next(0, false); x < reached.cols; x = next(x, false)) {
            const int from = x;
            x = next(x, true);
            if (x - from < 2) continue; // noise and texture have no end of these
            int piece = -1;
            while (over < above.size() && above[over].to <= from) ++over;
            for (std::size_t k = over; k < above.size() && above[k].from < x; ++k) {
                const int other = root(above[k].piece);
                if (piece < 0) piece = other;
                else if (other != piece) {
                    const int keep = std::min(piece, other), drop = std::max(piece, other);
                    pieces[static_cast<std::size_t>(keep)].add(pieces[static_cast<std::size_t>(drop)]);
                    parent[static_cast<std::size_t>(drop)] = keep;
                    piece = keep;
                }
            }
            if (piece < 0) {
                piece = static_cast<int>(pieces.size());
                pieces.emplace_back(), parent.push_back(piece);
            }
            pieces[static_cast<std::size_t>(piece)].add_run(y, from, x);
            here.push_back({from, x, piece});
        }
        std::swap(above, here);
    }
    std::vector<Piece> whole;
    for (std::size_t i = 0; i < pieces.size(); ++i)
        if (parent[i] == static_cast<int>(i)) whole.push_back(pieces[i]);
    return whole;
}

// Flat ground whose second moments are those of a filled parallelogram (an ellipse has 5 % more area).
std::vector<Region> regions_of(const cv::Mat& reached, int most, double largest_area) {
    std::vector<Region> regions;
    for (const Piece& p : pieces_of(reached, most)) {
        const double w = p.right - p.left + 1, h = p.bottom - p.top + 1;
        if (p.area < 4 || p.area > largest_area || p.area < 0.3 * w * h || w > 6 * h || h > 6 * w) continue;
        const double cx = p.x / p.area, cy = p.y / p.area;
        const double xx = p.xx / p.area - cx * cx + 1 / 12.0, yy = p.yy / p.area - cy * cy + 1 / 12.0, xy = p.xy / p.area - cx * cy;
        const double determinant = xx * yy - xy * xy, half = (xx + yy) / 2, root = std::sqrt(std::max(0.0, half * half - determinant));
        if (determinant <= 0 || p.area < 0.8 * 12 * std::sqrt(determinant)) continue;
        if (half + root > 14 * (half - root)) continue; // sides 1 to 3.7
        regions.push_back({{cx + 0.5, cy + 0.5}, p.area});
    }
    return regions;
}

} // namespace

std::vector<Region> flat_regions(const Picture& picture, double largest_area, int enlarge) {
    // As little smoothing as the noise lets: larger patches show in the smaller pictures, where there is less of it.
    const double least = picture.noise < 0.003 ? 0.4 : picture.noise < 0.008 ? 0.6 : picture.noise < 0.016 ? 0.9 : 1.15;
    const double sigma = std::max(0.6, enlarge > 1 ? 1.6 * least : least);
    const double noise = enlarge > 1 ? 1.6 * picture.noise : picture.noise; // smooth when enlarged, so that more of it gets through a filter
    const cv::Mat reached = steepness(picture.display, enlarge, sigma, std::max(0.004, 0.7 * noise / (sigma * sigma)));
    std::array<std::vector<Region>, steps> found;
    tbb::parallel_for(0, steps, [&](int i) { found[static_cast<std::size_t>(i)] = regions_of(reached, i, largest_area); });
    // The same patch shows up at several limits: the largest region is nearest to the whole patch.
    Near near(16, reached.cols, reached.rows);
    std::vector<Region> regions;
    for (const auto& level : found)
        for (const Region& r : level) {
            const auto same = near.nearest(r.centre, 0.3 * std::sqrt(r.area), [&](std::size_t i) { return (regions[i].centre - r.centre).norm() < 0.3 * std::sqrt(regions[i].area); });
            if (!same) {
                near.add(r.centre, regions.size());
                regions.push_back(r);
            } else if (r.area > regions[*same].area && r.area < 4 * regions[*same].area) {
                regions[*same] = r;
            }
        }
    // Texture has no end of small ones.
    if (std::ssize(regions) > most_regions) {
        std::nth_element(regions.begin(), regions.begin() + most_regions, regions.end(), [](const Region& a, const Region& b) { return a.area > b.area; });
        regions.resize(most_regions);
    }
    for (Region& r : regions) r.centre /= enlarge, r.area /= enlarge * enlarge;
    return regions;
}

} // namespace refero::find
