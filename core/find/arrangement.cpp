// A card's rectangles in order: straightened by their own sides, in rows, even where they are meant to be.
#include <cmath>
#include <numeric>

#include <Eigen/LU>

#include "base/statistics.hpp"
#include "find/internal/figures.hpp"
#include "find/internal/straight.hpp"

namespace refero::find {

namespace {

using Row = std::vector<Box>;

/// Neighbours whose sides were taken a little too far out meet halfway.
void part(Box& a, Box& b) {
    const double w = std::min(a.x1, b.x1) - std::max(a.x0, b.x0), h = std::min(a.y1, b.y1) - std::max(a.y0, b.y0);
    if (w <= 0 || h <= 0) return;
    if (w < h) {
        Box &left = a.x0 < b.x0 ? a : b, &right = a.x0 < b.x0 ? b : a;
        left.x1 = right.x0 = (left.x1 + right.x0) / 2;
    } else {
        Box &upper = a.y0 < b.y0 ? a : b, &lower = a.y0 < b.y0 ? b : a;
        upper.y1 = lower.y0 = (upper.y1 + lower.y0) / 2;
    }
}

/// What lies in the corners; what is much smaller than the rest is none of the card's patches.
std::vector<Box> patches_in(const Straight& s) {
    std::vector<Box> boxes = boxes_in(s);
    std::erase_if(boxes, [&](const Box& b) {
        const Point m = b.middle();
        const int x = static_cast<int>(m.x()), y = static_cast<int>(m.y());
        return x < 0 || y < 0 || x >= s.inside.cols || y >= s.inside.rows || !s.inside.at<uchar>(y, x);
    });
    if (boxes.empty()) return boxes;
    std::vector<double> areas;
    for (const Box& b : boxes) areas.push_back(b.area());
    const double usual = median(areas);
    std::erase_if(boxes, [&](const Box& b) { return b.area() < smallest_share * usual; });
    return boxes;
}

/// Straightened anew after a map of its pixels.
Straight straightened_by(const Homography& map, const Straight& s, const std::vector<Picture>& pyramid,
                         const Corners& about) {
    Homography full_from_place;
    full_from_place.matrix =
        s.frame_from_px.matrix * map.matrix.inverse() * Eigen::DiagonalMatrix<double, 3>(s.pitch, s.pitch, 1);
    Point from(1e9, 1e9), to(-1e9, -1e9);
    const double w = s.codes.cols, h = s.codes.rows;
    for (const Point& corner : {Point(0, 0), Point(w, 0), Point(w, h), Point(0, h)}) {
        const Point p = map(corner) / s.pitch;
        from = from.cwiseMin(p);
        to = to.cwiseMax(p);
    }
    return straightened(pyramid, full_from_place, from, to, about);
}

std::vector<Row> rows_of(std::vector<Box> boxes) {
    std::stable_sort(boxes.begin(), boxes.end(),
                     [](const Box& a, const Box& b) { return a.middle().y() < b.middle().y(); });
    std::vector<Row> rows;
    for (const Box& b : boxes) {
        if (!rows.empty()) {
            const Box& first = rows.back().front();
            if (std::abs(b.middle().y() - first.middle().y()) < 0.4 * std::min(b.height(), first.height())) {
                rows.back().push_back(b);
                continue;
            }
        }
        rows.push_back({b});
    }
    for (Row& row : rows)
        std::stable_sort(row.begin(), row.end(), [](const Box& a, const Box& b) { return a.x0 < b.x0; });
    return rows;
}

double median_over(const Row& row, double Box::*side) {
    std::vector<double> all;
    for (const Box& b : row) all.push_back(b.*side);
    return median(all);
}

/// Sides that nearly agree with what is usual there are evened out; those that lie further out were taken for the
/// neighbours': a patch of the ground's own colour has no sides of its own.
void even_out(double& from, double& to, double usual_from, double usual_to) {
    const double side = usual_to - usual_from, off = snap * side;
    const bool from_agrees = std::abs(from - usual_from) < off, to_agrees = std::abs(to - usual_to) < off,
               from_beyond = from < usual_from && usual_from - from<widest_gap * side, to_beyond = to> usual_to &&
                             to - usual_to < widest_gap * side;
    if ((from_agrees || from_beyond) && (to_agrees || to_beyond)) {
        from = usual_from;
        to = usual_to;
    }
}

/// Tops and bottoms that nearly agree are one line.
void level(Row& row) {
    const double top = median_over(row, &Box::y0), bottom = median_over(row, &Box::y1);
    for (Box& b : row) even_out(b.y0, b.y1, top, bottom);
}

/// The same of patches that stand in one column, of rows that no block holds.
void level_columns(std::vector<Row>& rows, const std::vector<Block>& blocks) {
    std::vector<Box*> all;
    for (std::size_t r = 0; r < rows.size(); ++r) {
        const bool held = std::any_of(blocks.begin(), blocks.end(), [&](const Block& b) {
            return std::find(b.rows.begin(), b.rows.end(), r) != b.rows.end();
        });
        if (!held)
            for (Box& b : rows[r]) all.push_back(&b);
    }
    for (const Box* b : all) {
        std::vector<Box*> column;
        std::vector<double> left, right;
        for (Box* o : all)
            if (std::abs(o->middle().x() - b->middle().x()) < alike_size * b->width() &&
                std::abs(o->width() - b->width()) < 2 * alike_size * b->width()) {
                column.push_back(o);
                left.push_back(o->x0);
                right.push_back(o->x1);
            }
        if (column.size() < 3) continue;
        const double from = median(left), to = median(right);
        for (Box* o : column) even_out(o->x0, o->x1, from, to);
    }
}

/// Equal sides in equal steps, along one direction.
struct Steps {
    double first = 0, pitch = 0, side = 0; ///< the first one's start, from each to the next, and how long each is
    bool operator==(const Steps&) const = default;
    double start(long k) const { return first + pitch * static_cast<double>(k); }
    long index(double from) const { return std::lround((from - first) / pitch); }
};

struct Span {
    double from, to;
};

/// The steps that most of these spans follow; nothing where three do not.
std::optional<Steps> steps_of(const std::vector<Span>& spans) {
    if (spans.size() < 3) return std::nullopt;
    std::vector<double> sides, starts;
    for (const Span& s : spans) sides.push_back(s.to - s.from);
    const double side = median(sides);
    for (const Span& s : spans)
        if (std::abs(s.to - s.from - side) < alike_size * side) starts.push_back(s.from);
    std::sort(starts.begin(), starts.end());
    std::vector<double> gaps;
    for (std::size_t i = 1; i < starts.size(); ++i)
        if (starts[i] - starts[i - 1] > 0.8 * side) gaps.push_back(starts[i] - starts[i - 1]);
    if (starts.size() < 3 || gaps.size() < 2) return std::nullopt;
    std::sort(gaps.begin(), gaps.end());
    Steps best{0, gaps[gaps.size() / 4], side}; // a missing patch doubles a step
    // Least squares of starts over their numbers, which settle with the pitch.
    best.first = starts.front();
    std::size_t agree = 0;
    for (int round = 0; round < 4; ++round) {
        double n = 0, x = 0, y = 0, xx = 0, xy = 0;
        agree = 0;
        for (const double start : starts) {
            const auto k = static_cast<double>(best.index(start));
            if (std::abs(start - best.start(best.index(start))) > 3 * snap * side) continue;
            ++agree;
            n += 1;
            x += k;
            y += start;
            xx += k * k;
            xy += k * start;
        }
        const double spread = xx - x * x / std::max(1.0, n);
        if (n < 3 || spread <= 0) return std::nullopt;
        best.pitch = (xy - x * y / n) / spread;
        best.first = y / n - best.pitch * x / n;
        if (!(best.pitch > 0.9 * side)) return std::nullopt;
    }
    return agree >= 3 && static_cast<double>(agree) >= 0.75 * static_cast<double>(spans.size()) ? std::optional(best)
                                                                                                : std::nullopt;
}

bool follows(const Span& s, const Steps& steps) {
    return std::abs(s.to - s.from - steps.side) < 2 * alike_size * steps.side &&
           std::abs(s.from - steps.start(steps.index(s.from))) < 2 * snap * steps.side;
}

Span across(const Box& b) { return {b.x0, b.x1}; }

void snap_to(Row& row, const Steps& steps) {
    for (Box& b : row) {
        const double from = steps.start(steps.index((b.x0 + b.x1 - steps.side) / 2));
        even_out(b.x0, b.x1, from, from + steps.side);
    }
}

bool free_at(const std::vector<Row>& rows, const Box& place) {
    for (const Row& row : rows)
        for (const Box& b : row)
            if (common_fraction(b, place) > 0.2) return false;
    return true;
}

Steps steps_in(const Block& b) { return {b.first_px, b.pitch_px, b.side_px}; }

std::vector<Block> blocks_of(const std::vector<Row>& rows) {
    std::vector<Block> blocks;
    for (std::size_t r = 0; r < rows.size(); ++r) {
        std::vector<Span> spans;
        for (const Box& b : rows[r]) spans.push_back(across(b));
        const auto steps = steps_of(spans);
        const double height = median_over(rows[r], &Box::y1) - median_over(rows[r], &Box::y0);
        const auto same = [&](const Block& b) {
            if (std::abs(b.height_px - height) > alike_size * b.height_px) return false;
            const Steps its = steps_in(b);
            if (!steps) // few of them: they may lie on the others' steps all the same
                return std::all_of(spans.begin(), spans.end(), [&](const Span& s) { return follows(s, its); });
            return std::abs(steps->pitch - its.pitch) < 0.03 * its.pitch &&
                   std::abs(steps->first - its.start(its.index(steps->first))) < 0.1 * its.pitch &&
                   std::abs(steps->side - its.side) < alike_size * its.side;
        };
        const auto known = std::find_if(blocks.begin(), blocks.end(), same);
        if (known != blocks.end()) known->rows.push_back(r);
        else if (steps) blocks.push_back({{r}, steps->first, steps->pitch, steps->side, height});
    }
    return blocks;
}

/// The patches of a block evened out together, and those that are missing in an otherwise full one.
void even_out(std::vector<Row>& rows, Block& block) {
    // The pitch once more over all rows: columns by the medians of their middles.
    std::map<long, std::vector<double>> columns;
    std::vector<double> sides;
    for (const std::size_t r : block.rows)
        for (const Box& b : rows[r])
            if (follows(across(b), steps_in(block))) {
                columns[block.column(b)].push_back((b.x0 + b.x1) / 2);
                sides.push_back(b.width());
            }
    if (columns.size() < 2) return;
    double n = 0, x = 0, y = 0, xx = 0, xy = 0;
    for (const auto& [k, middles] : columns) {
        const double at = median(middles), w = static_cast<double>(middles.size()), c = static_cast<double>(k);
        n += w;
        x += w * c;
        y += w * at;
        xx += w * c * c;
        xy += w * c * at;
    }
    block.pitch_px = (xy - x * y / n) / (xx - x * x / n);
    block.side_px = median(sides);
    block.first_px = y / n - block.pitch_px * x / n - block.side_px / 2;
    const Steps steps = steps_in(block);
    std::size_t filled = 0;
    for (const std::size_t r : block.rows) {
        snap_to(rows[r], steps);
        filled += rows[r].size();
    }
    const long first = columns.begin()->first, last = columns.rbegin()->first;
    // Rows in equal steps are evened out, too.
    std::vector<Span> downs;
    for (const std::size_t r : block.rows)
        downs.push_back({median_over(rows[r], &Box::y0), median_over(rows[r], &Box::y1)});
    if (const auto down = steps_of(downs))
        for (const std::size_t r : block.rows)
            for (Box& b : rows[r]) {
                const double from_y = down->start(down->index((b.y0 + b.y1 - down->side) / 2));
                even_out(b.y0, b.y1, from_y, from_y + down->side);
            }
    // A patch of the ground's own colour has no edges: in a block that is full otherwise there is one all the same.
    const auto places = static_cast<double>((last - first + 1) * std::ssize(block.rows));
    if (static_cast<double>(filled) < fullness * places) return;
    for (const std::size_t r : block.rows)
        for (long k = first; k <= last; ++k) {
            const Box place{steps.start(k), median_over(rows[r], &Box::y0), steps.start(k) + steps.side,
                            median_over(rows[r], &Box::y1)};
            if (free_at(rows, place)) rows[r].push_back(place);
        }
    for (const std::size_t r : block.rows)
        std::stable_sort(rows[r].begin(), rows[r].end(), [](const Box& a, const Box& b) { return a.x0 < b.x0; });
}

} // namespace

bool Block::holds(const Box& b) const {
    return follows(across(b), steps_in(*this)) && std::abs(b.height() - height_px) < 2 * alike_size * height_px;
}

std::size_t Arrangement::patches() const {
    return std::accumulate(rows.begin(), rows.end(), std::size_t{0},
                           [](std::size_t n, const Row& row) { return n + row.size(); });
}

namespace {

/// Boxes into rows and blocks, evened out.
void put_in_order(Arrangement& a, std::vector<Box> boxes) {
    for (std::size_t i = 0; i < boxes.size(); ++i)
        for (std::size_t k = i + 1; k < boxes.size(); ++k) part(boxes[i], boxes[k]);
    a.rows = rows_of(std::move(boxes));
    for (Row& row : a.rows) level(row);
    a.blocks = blocks_of(a.rows);
    level_columns(a.rows, a.blocks);
    for (Block& block : a.blocks) even_out(a.rows, block);
    std::vector<Box*> all;
    for (Row& row : a.rows)
        for (Box& b : row) all.push_back(&b);
    for (std::size_t i = 0; i < all.size(); ++i)
        for (std::size_t k = i + 1; k < all.size(); ++k) part(*all[i], *all[k]);
}

/// The map after which a grid's patches, as they were seen, lie in equal steps; nothing where there is no such grid.
std::optional<Homography> by_grid(const Arrangement& a, const std::vector<Box>& seen) {
    std::optional<Homography> best;
    std::size_t most = 7; // fewer tell less than their sides do
    for (const Block& block : a.blocks) {
        std::vector<Span> downs;
        for (const std::size_t r : block.rows)
            downs.push_back({median_over(a.rows[r], &Box::y0), median_over(a.rows[r], &Box::y1)});
        const auto down = steps_of(downs);
        if (!down) continue;
        std::vector<Point> from, to;
        for (const Box& b : seen) {
            const double x = steps_in(block).start(block.column({b.middle().x() - block.side_px / 2, 0, 0, 0})),
                         y = down->start(down->index(b.middle().y() - down->side / 2));
            const bool of_its_size = std::abs(b.width() - block.side_px) < alike_size * block.side_px &&
                                     std::abs(b.height() - down->side) < alike_size * down->side;
            const Point middle(x + block.side_px / 2, y + down->side / 2);
            if (!of_its_size || (b.middle() - middle).norm() > 2 * alike_size * down->side) continue;
            from.push_back(b.middle());
            to.push_back(middle);
        }
        if (from.size() <= most) continue;
        if (const auto map = projective_fit(from, to)) {
            most = from.size();
            best = map;
        }
    }
    return best;
}

} // namespace

Arrangement arranged(const std::vector<Picture>& pyramid, const Homography& full_from_place, const Point& from,
                     const Point& to, const Corners& about) {
    Arrangement a{straightened(pyramid, full_from_place, from, to, about), {}, {}};
    std::vector<Box> boxes = patches_in(a.straight);
    const auto straighten = [&](const std::optional<Homography>& map) {
        if (!map) return false;
        Straight better = straightened_by(*map, a.straight, pyramid, about);
        std::vector<Box> again = patches_in(better);
        if (10 * again.size() < 9 * boxes.size()) return false;
        a.straight = std::move(better);
        boxes = std::move(again);
        return true;
    };
    for (int round = 0; round < 3; ++round)
        if (!straighten(squared_up(a.straight, boxes))) break;
    put_in_order(a, boxes);
    if (straighten(by_grid(a, boxes))) put_in_order(a, boxes);
    return a;
}

} // namespace refero::find
