// Shared by the sources of this room only.
#pragma once

#include <algorithm>
#include <optional>
#include <vector>

#include <opencv2/core.hpp>

#include "find/find.hpp"

namespace refero::find {

using chart::Corners;
using chart::Homography;
using chart::Point;

inline Corners scaled(const Corners& q, double k) { return {q[0] * k, q[1] * k, q[2] * k, q[3] * k}; }

/// The frame made small for the search. Coordinates are pixels of this picture, origin at the outer corner.
struct Picture {
    cv::Mat linear;                     ///< CV_32FC3, camera RGB
    std::array<float, 3> gain{1, 1, 1}; ///< that balance it by percentiles, about 0 to 1
    double scale = 1;                   ///< picture pixels per full-size pixel
    double noise = 0;                   ///< standard deviation on flat ground, of the square root of what is balanced
};
/// Finest first, each half as large as the one before; the finest has at most `longest_side` pixels a side.
std::vector<Picture> pyramid_of(const frame::Frame& frame, int longest_side, int least_side);

/// A flat region, about a parallelogram or an ellipse in shape.
struct Region {
    Point centre;
    double area = 0; ///< square pixels
};
/// Points in buckets, for looking up what is near; those outside the picture are in the buckets at its rim.
class Near {
public:
    Near(double bucket_px, double width, double height)
        : bucket_(bucket_px),
          columns_(1 + std::max(0, static_cast<int>(width / bucket_px))),
          rows_(1 + std::max(0, static_cast<int>(height / bucket_px))),
          buckets_(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_)) {}
    void add(const Point& p, std::size_t index) { bucket(column(p.x()), row(p.y())).push_back({p, index}); }

    /// Calls visit(index, distance) for each point within `reach`.
    template<class Visit>
    void within(const Point& p, double reach, Visit visit) const {
        for (int y = row(p.y() - reach), y1 = row(p.y() + reach); y <= y1; ++y)
            for (int x = column(p.x() - reach), x1 = column(p.x() + reach); x <= x1; ++x)
                for (const auto& [q, index] : buckets_[static_cast<std::size_t>(y * columns_ + x)])
                    if (const double d = (q - p).squaredNorm(); d < reach * reach) visit(index, std::sqrt(d));
    }
    /// The nearest accepted point within `reach`.
    template<class Accept>
    std::optional<std::size_t> nearest(const Point& p, double reach, Accept accept) const {
        std::optional<std::size_t> best;
        within(p, reach, [&](std::size_t i, double d) {
            if (d < reach && accept(i)) {
                reach = d;
                best = i;
            }
        });
        return best;
    }

private:
    int column(double x) const { return static_cast<int>(std::clamp(x / bucket_, 0.0, columns_ - 1.0)); }
    int row(double y) const { return static_cast<int>(std::clamp(y / bucket_, 0.0, rows_ - 1.0)); }
    std::vector<std::pair<Point, std::size_t>>& bucket(int x, int y) {
        return buckets_[static_cast<std::size_t>(y * columns_ + x)];
    }
    double bucket_;
    int columns_, rows_;
    std::vector<std::vector<std::pair<Point, std::size_t>>> buckets_;
};

/// Regions of at most `largest_area` square pixels of the picture enlarged so many times for the search.
std::vector<Region> flat_regions(const Picture& picture, double largest_area, int enlarge);

using Place = std::pair<int, int>;
using Cells = std::vector<std::pair<Place, std::size_t>>; ///< place and region
/// Regions at integer places of one lattice, and the map from places to pixels.
struct Lattice {
    Cells cells;
    Homography pixels_from_place;
    int u0 = 0, u1 = 0, v0 = 0, v1 = 0; ///< the cells' bounds, inclusive
};
/// How many cells a lattice must and may have, and about how many on a side.
struct Extent {
    std::size_t least_cells = 6, most_cells = 0;
    int most_side = 0;
};
/// The likeliest lattices.
std::vector<Lattice> lattices(const std::vector<Region>& regions, const Near& near, const Extent& extent);
/// The projective map that takes points to points, weighted least squares; all weights 1 when there are none.
std::optional<Homography> projective_fit(const std::vector<Point>& from, const std::vector<Point>& to,
                                         const std::vector<double>& weight = {});
Near near_of(const std::vector<Region>& regions);

/// A regular block of a definition's patches: all of a plain grid, the largest block of another layout.
struct Grid {
    const chart::Definition* definition = nullptr;
    int columns = 0, rows = 0;
    std::vector<std::size_t> patch;         ///< index of each patch of the block in the definition
    std::vector<std::pair<int, int>> place; ///< column, row of each
    double first_x_mm = 0, first_y_mm = 0, pitch_x_mm = 0, pitch_y_mm = 0; ///< of patch centres
    std::vector<colour::Vec3> xyz;                                         ///< of every patch of the definition
    bool pattern = false; ///< no block: all patches but the narrowest, wherever they lie; `place` is empty
};
/// The blocks of eight patches and more, and the whole where no block is most of it; none without a reference.
std::vector<Grid> grids_of(const chart::Definition& definition);

/// How well colours seen are explained by known XYZ through one camera and light, a matrix.
struct ColourFit {
    double evidence = 0;      ///< nats for this chart against chance; grows with the number of patches that agree
    double misfit = 1;        ///< trimmed mean of relative residuals; 0 = perfect
    double within = 0;        ///< share of the patches that are explained
    double even_share = 0;    ///< share of even patches
    bool plausible = false;   ///< the matrix could be a camera's
    bool far_fetched = false; ///< it could, though few cameras' bands lie so close together
};
/// A grid laid over a lattice; corners in picture pixels.
struct Match {
    const Grid* grid = nullptr;
    Corners corners;
    ColourFit fit;
    double runner_up = 0; ///< evidence of the best other way round, or one pitch aside
};

/// What a picture holds, for looking up.
struct Ground {
    const Picture& picture;
    const std::vector<Region>& regions;
    const Near& near;
    std::vector<colour::Vec3> colour; ///< of each region's middle
    Ground(const Picture& p, const std::vector<Region>& r, const Near& n);
};
/// The likeliest assignments of a grid to a lattice by the colours of its cells, best first, at most `most`.
std::vector<Match> identify(const Grid& grid, const Lattice& lattice, const Ground& ground, std::size_t most);
/// The same of a grid that is a pattern.
std::vector<Match> identify_pattern(const Grid& grid, const Ground& ground, std::size_t most);
/// Lays a match's grid on the regions that lie and look right, again and again. False if it does not hold.
bool settle(Match& match, const Ground& ground);
/// The fit of the whole chart at these corners (picture pixels).
ColourFit colour_fit(const Grid& grid, const Corners& corners, const Picture& picture);
/// Patches that something hides, wholly or in part, or that lie outside the picture.
std::vector<bool> hidden_patches(const Grid& grid, const Corners& corners, const Picture& picture);
/// Moves a match to the place, one pitch aside or turned, that explains the colours best; the evidence of the next
/// best.
double best_other(Match& match, const Picture& picture);

/// Moves corners (picture pixels) so that the patches lie on the picture's, to sub-pixel accuracy, from up to about a
/// third of a pitch off. Unchanged where that fails. `hidden`: patches that are not looked at; empty: none.
Corners align(const chart::Definition& definition, const Corners& rough, const Picture& picture,
              const std::vector<bool>& hidden = {});
/// Share of places on the patches and between them that are not as the chart drawn there, 0 to 1.
double misfit_of(const chart::Definition& definition, const Corners& corners, const Picture& picture,
                 const std::vector<bool>& hidden);

} // namespace refero::find
