// From a frame to flat regions.
#include <bit>
#include <cstring>

#include <sys/mman.h>

#include <Eigen/Core>
#include <opencv2/imgproc.hpp>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"

// Compiled for wider registers as well; the machine's own are taken when the program starts.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define REFERO_WIDE __attribute__((target_clones("default", "avx2")))
#else
#define REFERO_WIDE
#endif

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

// What regions are looked for in: balanced by percentiles, square root, about 0 to 1. `gain` is that of a whole row, so
// that the loop is one that compilers make short work of.
REFERO_WIDE void show(const float* linear, const std::vector<float>& gain, float* display) {
    const float* g = gain.data();
    for (std::size_t k = 0; k < gain.size(); ++k) {
        const float value = linear[k] * g[k], seen = 0.0f < value ? value : 0.0f; // not a number is dark
        display[k] = std::sqrt(seen < 1.5f ? seen : 1.5f);
    }
}

std::vector<float> gain_of_row(const Picture& p) {
    std::vector<float> gain(static_cast<std::size_t>(3 * p.linear.cols));
    for (std::size_t k = 0; k < gain.size(); ++k) gain[k] = p.gain[k % 3];
    return gain;
}

// Immerkaer, "Fast Noise Variance Estimation", CVIU 64(2), 1996, on every third pixel of every fourth row and fewer of
// large pictures, with the median for the mean: edges do not count.
double noise_of(const Picture& p) {
    const int step = std::max(4, p.linear.rows / 250), rows = std::max(0, (p.linear.rows - 3 + step) / step),
              columns = std::max(0, p.linear.cols / 3);
    if (rows == 0 || columns == 0) return 0;
    const std::vector<float> gain = gain_of_row(p);
    std::vector<float> sizes(static_cast<std::size_t>(rows) * static_cast<std::size_t>(columns));
    tbb::parallel_for(0, rows, [&](int row) {
        std::array<std::vector<float>, 3> shown;
        for (int i = 0; i < 3; ++i) {
            shown[static_cast<std::size_t>(i)].resize(gain.size());
            show(p.linear.ptr<float>(step * row + i), gain, shown[static_cast<std::size_t>(i)].data());
        }
        const auto grey = [&](int x, std::size_t y) {
            const float* v = &shown[y][static_cast<std::size_t>(3 * x)];
            return (v[0] + v[1] + v[2]) / 3;
        };
        for (int column = 0; column < columns; ++column) {
            const int x = 1 + 3 * column;
            sizes[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
                  static_cast<std::size_t>(column)] =
                std::abs(4 * grey(x, 1) - 2 * (grey(x + 1, 1) + grey(x - 1, 1) + grey(x, 2) + grey(x, 0)) +
                         grey(x + 1, 2) + grey(x - 1, 2) + grey(x + 1, 0) + grey(x - 1, 0));
        }
    });
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
    return 1.4826 * static_cast<double>(sizes[sizes.size() / 2]) / 6;
}

// A picture in large pages where the system has them: a fresh large one costs as much time as filling it otherwise.
cv::Mat fresh(int rows, int cols, int type) {
    cv::Mat m(rows, cols, type);
    constexpr std::uintptr_t page = 2 << 20;
    const auto from = (reinterpret_cast<std::uintptr_t>(m.data) + page - 1) / page * page,
               to = reinterpret_cast<std::uintptr_t>(m.dataend) / page * page;
    if (from < to)
        // Advice: no harm where it is not taken. NOLINTNEXTLINE(performance-no-int-to-ptr)
        madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);
    return m;
}

// The mean of each two by two pixels; a last odd column or row is left out.
cv::Mat half_of(const cv::Mat& from) {
    cv::Mat half = fresh(from.rows / 2, from.cols / 2, CV_32FC3);
    tbb::parallel_for(tbb::blocked_range(0, half.rows), [&](const tbb::blocked_range<int>& some) {
        std::vector<float> sum(static_cast<std::size_t>(6 * half.cols));
        for (int y = some.begin(); y < some.end(); ++y) {
            const float *above = from.ptr<float>(2 * y), *below = from.ptr<float>(2 * y + 1);
            for (std::size_t k = 0; k < sum.size(); ++k) sum[k] = above[k] + below[k];
            float* to = half.ptr<float>(y);
            for (int x = 0; x < half.cols; ++x)
                for (int c = 0; c < 3; ++c)
                    to[3 * x + c] = 0.25f * (sum[static_cast<std::size_t>(6 * x + c)] +
                                             sum[static_cast<std::size_t>(6 * x + 3 + c)]);
        }
    });
    return half;
}

} // namespace

std::vector<Picture> pyramid_of(const frame::Frame& frame, int longest_side, int least_side) {
    const cv::Mat pixels(frame.height, frame.width, CV_32FC3, const_cast<float*>(frame.rgb.data()));
    std::vector<Picture> all(1);
    const double longest = std::max(frame.width, frame.height), shrink = std::min(1.0, longest_side / longest);
    if (std::abs(shrink - 0.5) < 0.02) all[0].linear = half_of(pixels);
    else if (shrink < 1)
        cv::resize(pixels, all[0].linear,
                   cv::Size(std::max(1, static_cast<int>(std::lround(frame.width * shrink))),
                            std::max(1, static_cast<int>(std::lround(frame.height * shrink)))),
                   0, 0, cv::INTER_AREA);
    else all[0].linear = pixels; // not a copy: the frame outlives the search
    all[0].scale = static_cast<double>(all[0].linear.cols) / frame.width / frame.cell;
    while (std::max(all.back().linear.cols, all.back().linear.rows) / 2 >= least_side &&
           std::min(all.back().linear.cols, all.back().linear.rows) >= 16) {
        Picture half;
        half.linear = half_of(all.back().linear);
        half.scale = all.back().scale / 2;
        all.push_back(std::move(half));
    }
    const auto high = high_of(all[std::min<std::size_t>(1, all.size() - 1)].linear);
    for (Picture& p : all) {
        for (std::size_t c = 0; c < 3; ++c) p.gain[c] = 1 / high[c];
        p.noise = noise_of(p);
    }
    return all;
}

namespace {

// One row of how many limits (their squares) each pixel's largest gradient over the channels reaches, from three
// smoothed rows.
REFERO_WIDE void count_limits(const float* above, const float* here, const float* below, int cols, const float* squares,
                              float* square, float* largest, std::uint8_t* reached) {
    for (int k = 3; k < 3 * cols - 3; ++k) { // Scharr
        const float gx =
            3 * (above[k + 3] - above[k - 3] + below[k + 3] - below[k - 3]) + 10 * (here[k + 3] - here[k - 3]);
        const float gy = 3 * (below[k - 3] - above[k - 3] + below[k + 3] - above[k + 3]) + 10 * (below[k] - above[k]);
        square[k] = gx * gx + gy * gy;
    }
    for (int x = 1; x + 1 < cols; ++x) {
        const float most = square[3 * x] > square[3 * x + 1] ? square[3 * x] : square[3 * x + 1];
        largest[x] = most > square[3 * x + 2] ? most : square[3 * x + 2];
    }
    for (int x = 1; x + 1 < cols; ++x) {
        int n = 0;
        for (int k = 0; k < steepness_limits; ++k) n += largest[x] >= squares[k];
        reached[x] = static_cast<std::uint8_t>(n);
    }
}

// How many of the limits each pixel's largest gradient over the channels reaches, CV_8U; the picture is enlarged and
// then smoothed by `sigma`.
cv::Mat steepness(const Picture& picture, int enlarge, double sigma, double first_limit) {
    const cv::Mat& linear = picture.linear;
    const int rows = linear.rows * enlarge, cols = linear.cols * enlarge;
    cv::Mat reached = fresh(rows, cols, CV_8U);
    reached.setTo(steepness_limits);
    const int taps = sigma < 0.7 ? 3 : sigma < 1.2 ? 5 : 7;
    std::array<float, steepness_limits> squares;
    for (int k = 0; k < steepness_limits; ++k)
        squares[static_cast<std::size_t>(k)] = static_cast<float>(std::pow(32 * first_limit * std::pow(1.5, k), 2));
    const std::vector<float> gain = gain_of_row(picture);
    // Strip by strip, with the rows around it that matter, so that every core has some and what is made on the way
    // stays near it.
    constexpr int strip = 32;
    tbb::parallel_for(tbb::blocked_range(0, (rows + strip - 1) / strip), [&](const tbb::blocked_range<int>& some) {
        cv::Mat shown, part, smooth;
        std::vector<float> square(static_cast<std::size_t>(3 * cols)), largest(static_cast<std::size_t>(cols));
        for (int i = some.begin(); i < some.end(); ++i) {
            const int first = std::max(0, i * strip / enlarge - 5),
                      last = std::min(linear.rows, (i + 1) * strip / enlarge + 5);
            shown.create(last - first, linear.cols, CV_32FC3);
            for (int y = first; y < last; ++y) show(linear.ptr<float>(y), gain, shown.ptr<float>(y - first));
            if (enlarge > 1) cv::resize(shown, part, {}, enlarge, enlarge, cv::INTER_LINEAR);
            cv::GaussianBlur(enlarge > 1 ? part : shown, smooth, {taps, taps}, sigma);
            for (int y = std::max(1, i * strip); y < std::min(rows - 1, (i + 1) * strip); ++y) {
                const int at = y - first * enlarge;
                count_limits(smooth.ptr<float>(at - 1), smooth.ptr<float>(at), smooth.ptr<float>(at + 1), cols,
                             squares.data(), square.data(), largest.data(), reached.ptr<std::uint8_t>(y));
            }
        }
    });
    return reached;
}

/// A connected piece of flat ground, by the sums over its pixels; twice x and xy, six times xx, so that they are whole
/// numbers.
struct Piece {
    std::int64_t area = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    int left = 1 << 30, right = -1, top = 1 << 30, bottom = -1;

    void add_run(int row, int from, int to) { // half open
        const std::int64_t n = to - from, first = from, last = to - 1, sum = n * (first + last);
        area += n;
        x += sum;
        y += n * row;
        xy += sum * row;
        yy += n * row * row;
        xx += last * (last + 1) * (2 * last + 1) - (first - 1) * first * (2 * first - 1);
        left = std::min(left, from);
        right = std::max(right, to - 1);
        top = std::min(top, row);
        bottom = std::max(bottom, row);
    }
    void add(const Piece& o) {
        area += o.area;
        x += o.x;
        y += o.y;
        xx += o.xx;
        xy += o.xy;
        yy += o.yy;
        left = std::min(left, o.left);
        right = std::max(right, o.right);
        top = std::min(top, o.top);
        bottom = std::max(bottom, o.bottom);
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
        while (parent[static_cast<std::size_t>(i)] != i)
            i = parent[static_cast<std::size_t>(i)] =
                parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
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
                pieces.emplace_back();
                parent.push_back(piece);
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
        const double w = p.right - p.left + 1, h = p.bottom - p.top + 1, area = static_cast<double>(p.area);
        if (area < 4 || area > largest_area || area < 0.3 * w * h || w > 6 * h || h > 6 * w) continue;
        const auto mean = [&](std::int64_t sum, int times) { return static_cast<double>(sum) / (times * area); };
        const double cx = mean(p.x, 2), cy = mean(p.y, 1);
        const double xx = mean(p.xx, 6) - cx * cx + 1 / 12.0, yy = mean(p.yy, 1) - cy * cy + 1 / 12.0,
                     xy = mean(p.xy, 2) - cx * cy;
        const double determinant = xx * yy - xy * xy, half = (xx + yy) / 2,
                     root = std::sqrt(std::max(0.0, half * half - determinant));
        if (determinant <= 0 || area < 0.8 * 12 * std::sqrt(determinant)) continue;
        if (half + root > 14 * (half - root)) continue; // sides 1 to 3.7
        regions.push_back({{cx + 0.5, cy + 0.5}, area});
    }
    return regions;
}

} // namespace

std::vector<Region> flat_regions(const Picture& picture, double largest_area, int enlarge) {
    // As little smoothing as the noise lets: larger patches show in the smaller pictures, where there is less of it.
    const double least = picture.noise < 0.003 ? 0.4 : picture.noise < 0.008 ? 0.6 : picture.noise < 0.016 ? 0.9 : 1.15;
    const double sigma = std::max(0.6, enlarge > 1 ? 1.6 * least : least);
    const double noise = enlarge > 1 ? 1.6 * picture.noise
                                     : picture.noise; // smooth when enlarged, so that more of it gets through a filter
    const cv::Mat reached = steepness(picture, enlarge, sigma, std::max(0.004, 0.7 * noise / (sigma * sigma)));
    std::array<std::vector<Region>, steepness_limits> found;
    tbb::parallel_for(0, steepness_limits,
                      [&](int i) { found[static_cast<std::size_t>(i)] = regions_of(reached, i, largest_area); });
    // The same patch shows up at several limits: the largest region is nearest to the whole patch.
    Near near(16, reached.cols, reached.rows);
    std::vector<Region> regions;
    for (const auto& level : found)
        for (const Region& r : level) {
            const auto same = near.nearest(r.centre, 0.3 * std::sqrt(r.area), [&](std::size_t i) {
                return (regions[i].centre - r.centre).norm() < 0.3 * std::sqrt(regions[i].area);
            });
            if (!same) {
                near.add(r.centre, regions.size());
                regions.push_back(r);
            } else if (r.area > regions[*same].area && r.area < 4 * regions[*same].area) {
                regions[*same] = r;
            }
        }
    // Texture has no end of small ones.
    if (std::ssize(regions) > most_regions) {
        std::nth_element(regions.begin(), regions.begin() + most_regions, regions.end(),
                         [](const Region& a, const Region& b) { return a.area > b.area; });
        regions.resize(most_regions);
    }
    for (Region& r : regions) {
        r.centre /= enlarge;
        r.area /= enlarge * enlarge;
    }
    return regions;
}

} // namespace refero::find
