// The picture within the corners is straightened by its own lattice; patches are flat rectangles in it, their edges
// where the picture changes most.
#include "find/teach.hpp"

#include <cmath>
#include <set>

#include <Eigen/LU>
#include <opencv2/imgproc.hpp>

#include "base/statistics.hpp"
#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"
#include "find/internal/straight.hpp"

namespace refero::find {

namespace {

struct LatticeSeen {
    const Picture* picture = nullptr;
    Lattice lattice;
};

/// The likeliest lattices within the corners, of every scale: texture beside a card makes lattices, too, so that which
/// is the card's shows when its patches are looked for.
std::vector<LatticeSeen> lattices_in(const std::vector<Picture>& pyramid, const Corners& about) {
    std::vector<LatticeSeen> all;
    for (const Picture& picture : pyramid) {
        const Corners q = scaled(about, picture.scale);
        const double area = std::abs(chart::signed_area(q));
        if (area < 40 * 40) break;
        std::vector<Region> regions;
        for (const Region& r : flat_regions(picture, area / 5, 1))
            if (within(q, r.centre)) regions.push_back(r);
        if (regions.size() < 6) continue;
        Extent extent;
        extent.most_side = 40;
        extent.most_cells = 1200;
        std::vector<Lattice> here = lattices(regions, near_of(regions), extent); // the most regular first
        for (std::size_t i = 0; i < std::min(likely_cards, here.size()); ++i)
            all.push_back({&picture, std::move(here[i])});
    }
    return all;
}

/// The lattice's axes as the corners have them: u along their top edge, v down.
void turn_to(Lattice& lattice, const Corners& q) {
    const Point middle(0.5 * (lattice.u0 + lattice.u1), 0.5 * (lattice.v0 + lattice.v1));
    const Point right = q[1] - q[0] + q[2] - q[3], down = q[3] - q[0] + q[2] - q[1];
    double best = -1e300;
    Eigen::Matrix3d chosen = Eigen::Matrix3d::Identity();
    for (int k = 0; k < 8; ++k) {
        Eigen::Matrix3d m = Eigen::Matrix3d::Zero(); // old place from new place
        const double a = k & 1 ? -1 : 1, b = k & 2 ? -1 : 1;
        if (k & 4) m << 0, a, 0, b, 0, 0, 0, 0, 1;
        else m << a, 0, 0, 0, b, 0, 0, 0, 1;
        const Point u = m.topLeftCorner<2, 2>() * Point(0.5, 0), v = m.topLeftCorner<2, 2>() * Point(0, 0.5);
        const auto along = [&](const Point& d) {
            return Point(lattice.pixels_from_place(middle + d) - lattice.pixels_from_place(middle - d)).normalized();
        };
        const double score = along(u).dot(right.normalized()) + along(v).dot(down.normalized());
        if (score > best) {
            best = score;
            chosen = m;
        }
    }
    const Eigen::Matrix3d back = chosen.inverse();
    lattice.u0 = lattice.v0 = 1 << 20;
    lattice.u1 = lattice.v1 = -(1 << 20);
    for (auto& [place, region] : lattice.cells) {
        const Eigen::Vector3d p = back * Eigen::Vector3d(place.first, place.second, 1);
        place = {static_cast<int>(std::lround(p[0])), static_cast<int>(std::lround(p[1]))};
        lattice.u0 = std::min(lattice.u0, place.first);
        lattice.u1 = std::max(lattice.u1, place.first);
        lattice.v0 = std::min(lattice.v0, place.second);
        lattice.v1 = std::max(lattice.v1, place.second);
    }
    lattice.pixels_from_place.matrix = lattice.pixels_from_place.matrix * chosen;
}

struct Patches {
    std::map<Place, Box> cells;
    std::vector<Box> bars;
    int columns = 0, rows = 0;
};

double median_of(const std::vector<Box>& boxes, double (Box::*size)() const) {
    std::vector<double> all;
    for (const Box& b : boxes) all.push_back((b.*size)());
    return median(all);
}

/// Boxes of the usual size at the lattice's places are its cells; the rest are bars.
Patches sorted(const Straight& s, const std::vector<Box>& boxes, const Point& from) {
    Patches out;
    std::vector<Box> of_size;
    for (const Box& b : boxes)
        if (b.width() < 1.1 * s.pitch && b.height() < 1.1 * s.pitch) of_size.push_back(b);
    if (of_size.size() < 6) return out;
    // Where the sides of a cell lie about its place, by most of them; one side may be taken for its neighbour's.
    const auto place_of = [&](const Box& b) {
        const Point p = b.middle() / s.pitch + from;
        return Point(std::round(p.x()), std::round(p.y()));
    };
    const auto sides_of = [&](const Box& b) {
        const Point at = (place_of(b) - from) * s.pitch;
        return std::array{b.x0 - at.x(), b.y0 - at.y(), b.x1 - at.x(), b.y1 - at.y()};
    };
    std::array<std::vector<double>, 4> sides;
    for (const Box& b : of_size)
        for (std::size_t k = 0; k < 4; ++k) sides[k].push_back(sides_of(b)[k]);
    std::array<double, 4> usual{};
    for (std::size_t k = 0; k < 4; ++k) usual[k] = median(sides[k]);
    const double w = usual[2] - usual[0], h = usual[3] - usual[1];
    int u0 = 1 << 20, v0 = 1 << 20, u1 = -(1 << 20), v1 = -(1 << 20);
    for (const Box& b : boxes) {
        const Point place = place_of(b), at = (place - from) * s.pitch;
        const auto here = sides_of(b);
        int agree = 0, near = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            const double outward = (k < 2 ? -1 : 1) * (here[k] - usual[k]) / s.pitch;
            agree += std::abs(outward) < card_alike / 2;
            near += outward > -card_alike / 2 && outward < widest_gap;
        }
        const bool cell = agree >= 2 && near == 4;
        if (!cell) {
            out.bars.push_back(b);
            continue;
        }
        const int u = static_cast<int>(place.x()), v = static_cast<int>(place.y());
        Box own = b; // what disagrees is the neighbour's
        if (std::abs(here[0] - usual[0]) > card_alike * s.pitch / 2) own.x0 = at.x() + usual[0];
        if (std::abs(here[1] - usual[1]) > card_alike * s.pitch / 2) own.y0 = at.y() + usual[1];
        if (std::abs(here[2] - usual[2]) > card_alike * s.pitch / 2) own.x1 = at.x() + usual[2];
        if (std::abs(here[3] - usual[3]) > card_alike * s.pitch / 2) own.y1 = at.y() + usual[3];
        out.cells.emplace(Place(u, v), own);
        u0 = std::min(u0, u);
        u1 = std::max(u1, u);
        v0 = std::min(v0, v);
        v1 = std::max(v1, v);
    }
    if (out.cells.empty()) return out;
    std::map<Place, Box> moved;
    for (const auto& [place, box] : out.cells) moved.emplace(Place(place.first - u0, place.second - v0), box);
    out.cells = std::move(moved);
    out.columns = u1 - u0 + 1;
    out.rows = v1 - v0 + 1;
    // What lies beyond the card's own patches, its rim or its shadow, is no bar of it: bars keep to its columns or
    // rows.
    const Box around{(u0 - 0.6 - from.x()) * s.pitch, (v0 - 0.6 - from.y()) * s.pitch, (u1 + 0.6 - from.x()) * s.pitch,
                     (v1 + 0.6 - from.y()) * s.pitch};
    std::erase_if(out.bars, [&](const Box& b) {
        const Point m = b.middle();
        const bool over = m.x() > around.x0 && m.x()<around.x1, beside = m.y()> around.y0 && m.y() < around.y1;
        return !(over || beside) || b.width() < smallest_patch * w || b.height() < smallest_patch * h;
    });
    return out;
}

/// Ratio of the pitches, horizontal over vertical, of a plane seen by a pinhole of the frame's focal length.
double aspect_of(const frame::Frame& f, const Homography& full_from_px) {
    const double focal_35 = f.metadata.focal_35mm_mm;
    const double diagonal = std::hypot(f.full_width, f.full_height), longer = std::max(f.full_width, f.full_height);
    const double focal_px =
        focal_35 > 0 ? focal_35 / std::hypot(36.0, 24.0) * diagonal : longer / 2 / std::tan(20 * M_PI / 180);
    Eigen::Matrix3d k;
    k << focal_px, 0, f.full_width / 2.0, 0, focal_px, f.full_height / 2.0, 0, 0, 1;
    const Eigen::Matrix3d h = k.inverse() * full_from_px.matrix;
    return h.col(0).norm() / h.col(1).norm();
}

colour::Vec3 seen_in(const frame::Frame& f, const Homography& full_from_px, const Box& b) {
    std::array<std::vector<double>, 3> values;
    constexpr int steps = 9;
    for (int j = 0; j < steps; ++j)
        for (int i = 0; i < steps; ++i) {
            const double u = 0.25 + 0.5 * (i + 0.5) / steps, v = 0.25 + 0.5 * (j + 0.5) / steps;
            const Point p = full_from_px({b.x0 + u * b.width(), b.y0 + v * b.height()}) / f.cell;
            const int x = std::clamp(static_cast<int>(p.x()), 0, f.width - 1),
                      y = std::clamp(static_cast<int>(p.y()), 0, f.height - 1);
            for (std::size_t c = 0; c < 3; ++c) values[c].push_back(static_cast<double>(f.at(x, y)[c]));
        }
    return {median(values[0]), median(values[1]), median(values[2])};
}

/// The largest group of patches whose channels stand in one ratio: the greys, if it holds three and more.
std::vector<std::size_t> greys_of(const std::vector<colour::Vec3>& rgb) {
    std::vector<std::size_t> best;
    for (std::size_t i = 0; i < rgb.size(); ++i) {
        if (!(rgb[i].minCoeff() > 0.003)) continue;
        std::vector<std::size_t> group;
        double light = 0, dark = INFINITY;
        for (std::size_t k = 0; k < rgb.size(); ++k) {
            if (!(rgb[k].minCoeff() > 0.002)) continue;
            const double red = std::log(rgb[k][0] / rgb[k][1] * rgb[i][1] / rgb[i][0]),
                         blue = std::log(rgb[k][2] / rgb[k][1] * rgb[i][1] / rgb[i][2]);
            if (std::max(std::abs(red), std::abs(blue)) > equal_ratio) continue;
            group.push_back(k);
            light = std::max(light, rgb[k][1]);
            dark = std::min(dark, rgb[k][1]);
        }
        if (light > 2 * dark && group.size() > best.size()) best = std::move(group);
    }
    return best.size() >= 3 ? best : std::vector<std::size_t>();
}

/// Values as the picture shows them: balanced on the greys, the lightest of them (or of all) at 90 %.
void propose(Taught& t, const std::vector<colour::Vec3>& rgb, const frame::Frame& f) {
    const auto greys = greys_of(rgb);
    colour::Vec3 white = colour::Vec3::Zero();
    for (std::size_t i = 0; i < rgb.size(); ++i) {
        const bool counts = greys.empty() || std::find(greys.begin(), greys.end(), i) != greys.end();
        if (counts && rgb[i][1] > white[1]) white = rgb[i];
    }
    const colour::Vec3 gains = lightest_grey * white.cwiseMax(1e-6).cwiseInverse();
    colour::Mat3 to_xyz;
    if (f.camera_from_xyz) {
        to_xyz = f.camera_from_xyz->inverse();
        const colour::Vec3 of_white = to_xyz * white / white[1];
        to_xyz = colour::adaptation(of_white, colour::white_d50) * to_xyz * white.asDiagonal();
        to_xyz /= (to_xyz * colour::Vec3::Ones())[1] / lightest_grey;
    } else to_xyz = colour::rgb_space("linear-bt709").to_xyz_d50() * gains.cwiseProduct(white).asDiagonal();
    for (std::size_t i = 0; i < rgb.size(); ++i) {
        chart::Patch& p = t.definition.patches[i];
        const colour::Vec3 xyz = (to_xyz * rgb[i].cwiseQuotient(white.cwiseMax(1e-6))).cwiseMax(1e-4);
        t.reference.xyz[p.id] = xyz;
        const bool grey = std::find(greys.begin(), greys.end(), i) != greys.end();
        p.role = grey ? "neutral" : chart::likely_role(xyz);
        if (!grey && p.role == "neutral" && !greys.empty()) p.role = "other";
    }
    t.reference.nominal = true;
}

/// What a chart's definition is made of: its patches' places and ids, cells first.
struct Laid {
    std::vector<Box> boxes;
    std::vector<std::string> ids;
};

Laid laid_out(const Straight& s, Patches& patches, Taught& t) {
    // One size and one pitch for the lattice.
    std::vector<Box> cells;
    for (const auto& [place, box] : patches.cells) cells.push_back(box);
    const double w = median_of(cells, &Box::width), h = median_of(cells, &Box::height);
    std::vector<double> x0, y0;
    for (const auto& [place, box] : patches.cells) {
        x0.push_back(box.middle().x() - place.first * s.pitch);
        y0.push_back(box.middle().y() - place.second * s.pitch);
    }
    const Point first(median(x0) - w / 2, median(y0) - h / 2);
    t.columns = patches.columns;
    t.rows = patches.rows;
    Laid laid;
    // A patch of the ground's own colour has no edges: in a grid that is full otherwise there is one all the same.
    const bool mostly_full =
        static_cast<double>(patches.cells.size()) >= fullness * static_cast<double>(patches.columns * patches.rows);
    const auto free_of_bars = [&](int u, int v) {
        const Point middle = first + Point(w, h) / 2 + s.pitch * Point(u, v);
        return std::none_of(patches.bars.begin(), patches.bars.end(), [&](const Box& b) {
            return middle.x() > b.x0 && middle.x() < b.x1 && middle.y() > b.y0 && middle.y() < b.y1;
        });
    };
    for (int v = 0; v < patches.rows; ++v)
        for (int u = 0; u < patches.columns; ++u)
            if (patches.cells.contains({u, v}) || (mostly_full && free_of_bars(u, v))) {
                laid.boxes.push_back({first.x() + u * s.pitch, first.y() + v * s.pitch, first.x() + u * s.pitch + w,
                                      first.y() + v * s.pitch + h});
                laid.ids.push_back(chart::grid(u + 1, v + 1, 1, 1, 0, 0).patches.back().id);
            }
    std::sort(patches.bars.begin(), patches.bars.end(), [](const Box& a, const Box& b) {
        return std::pair(std::round(a.y0), a.x0) < std::pair(std::round(b.y0), b.x0);
    });
    for (const Box& bar : patches.bars) {
        laid.boxes.push_back(bar);
        laid.ids.push_back("bar" + std::to_string(++t.bars));
    }
    return laid;
}

/// Into millimetres; the patches' colours come back.
std::vector<colour::Vec3> write_down(const frame::Frame& frame, const Straight& s, const Laid& laid, double width_mm,
                                     Taught& t) {
    const std::vector<Box>& all = laid.boxes;
    Box whole = all.front();
    for (const Box& b : all)
        whole = {std::min(whole.x0, b.x0), std::min(whole.y0, b.y0), std::max(whole.x1, b.x1),
                 std::max(whole.y1, b.y1)};
    const double aspect = aspect_of(frame, s.frame_from_px);
    const double mm_x = width_mm > 0 ? width_mm / whole.width() : usual_pitch_mm / s.pitch, mm_y = mm_x / aspect;
    std::vector<colour::Vec3> rgb;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const Box& b = all[i];
        // Sides to hundredths, so that what is written fits into its size and neighbours do not overlap.
        const auto hundredths = [](double mm) { return std::round(100 * std::max(0.0, mm)) / 100; };
        const double x0 = hundredths((b.x0 - whole.x0) * mm_x), y0 = hundredths((b.y0 - whole.y0) * mm_y);
        const chart::Patch p{laid.ids[i],
                             x0,
                             y0,
                             hundredths(hundredths((b.x1 - whole.x0) * mm_x) - x0),
                             hundredths(hundredths((b.y1 - whole.y0) * mm_y) - y0),
                             "other"};
        t.definition.width_mm = std::max(t.definition.width_mm, p.x_mm + p.w_mm);
        t.definition.height_mm = std::max(t.definition.height_mm, p.y_mm + p.h_mm);
        t.definition.patches.push_back(p);
        rgb.push_back(seen_in(frame, s.frame_from_px, b));
    }
    t.corners = {s.frame_from_px({whole.x0, whole.y0}), s.frame_from_px({whole.x1, whole.y0}),
                 s.frame_from_px({whole.x1, whole.y1}), s.frame_from_px({whole.x0, whole.y1})};
    return rgb;
}

struct Card {
    Straight straight;
    Patches patches;
};

/// The card whose patches lie on a lattice, straightened; none without six of them.
std::optional<Card> card_on(const std::vector<Picture>& pyramid, LatticeSeen& seen, const Corners& about) {
    turn_to(seen.lattice, scaled(about, seen.picture->scale));
    const Lattice& l = seen.lattice;
    const double to_full = 1 / seen.picture->scale;
    Homography full_from_place;
    full_from_place.matrix = Eigen::DiagonalMatrix<double, 3>(to_full, to_full, 1) * l.pixels_from_place.matrix;
    // As far as the corners reach about the lattice.
    const Homography place_from_full = full_from_place.inverse();
    Point from(l.u0 - card_margin, l.v0 - card_margin), to(l.u1 + card_margin, l.v1 + card_margin);
    for (const Point& corner : about) {
        const Point p = place_from_full(corner);
        from = from.cwiseMin(p.cwiseMax(Point(l.u0 - 8, l.v0 - 8)));
        to = to.cwiseMax(p.cwiseMin(Point(l.u1 + 8, l.v1 + 8)));
    }
    Card card{straightened(pyramid, full_from_place, from, to, about), {}};
    Straight& s = card.straight;
    card.patches = sorted(s, boxes_in(s), from);
    if (card.patches.cells.size() < 6) return std::nullopt;
    // Straightened anew by the patches' own middles, which are better known than the lattice's.
    std::vector<Point> places, pixels;
    for (const auto& [place, box] : card.patches.cells) {
        places.emplace_back(place.first, place.second);
        pixels.push_back(s.frame_from_px(box.middle()));
    }
    if (const auto better = projective_fit(places, pixels)) {
        const Homography now = better->inverse();
        Point a(1e9, 1e9), b(-1e9, -1e9);
        for (const Point& corner :
             {Point(0, 0), Point(s.codes.cols, 0), Point(s.codes.cols, s.codes.rows), Point(0, s.codes.rows)}) {
            const Point p = now(s.frame_from_px(corner));
            a = a.cwiseMin(p);
            b = b.cwiseMax(p);
        }
        s = straightened(pyramid, *better, a, b, about);
        card.patches = sorted(s, boxes_in(s), a);
        if (card.patches.cells.size() < 6) return std::nullopt;
    }
    return card;
}

/// Rectangles of any arrangement, straightened by the corners alone, row by row.
struct Arrangement {
    Straight straight;
    std::vector<std::vector<Box>> rows;
    std::size_t patches() const {
        std::size_t n = 0;
        for (const auto& row : rows) n += row.size();
        return n;
    }
};

double area_of(const Box& b) { return b.width() * b.height(); }

/// Share of the smaller one that both cover.
double common_share(const Box& a, const Box& b) {
    const double w = std::min(a.x1, b.x1) - std::max(a.x0, b.x0), h = std::min(a.y1, b.y1) - std::max(a.y0, b.y0);
    return w > 0 && h > 0 ? w * h / std::min(area_of(a), area_of(b)) : 0;
}

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

Arrangement arranged(const std::vector<Picture>& pyramid, const Corners& about) {
    const double across = (about[1] - about[0]).norm() + (about[2] - about[3]).norm(),
                 down = (about[3] - about[0]).norm() + (about[2] - about[1]).norm();
    if (down > max_aspect * across || across > max_aspect * down) return {}; // no card is so narrow
    const double n = places_across, m = n * down / across;
    const Corners places{Point(0, 0), Point(n, 0), Point(n, m), Point(0, m)};
    Arrangement a{straightened(pyramid, chart::homography(places, about), {0, 0}, {n, m}, about), {}};
    std::vector<Box> boxes = boxes_in(a.straight);
    const double whole = static_cast<double>(a.straight.codes.total());
    std::erase_if(boxes, [&](const Box& b) { return !(area_of(b) > 0) || area_of(b) > ground_share * whole; });
    // What lies in another is its print; what is much smaller than the rest is none of the card's patches.
    std::stable_sort(boxes.begin(), boxes.end(), [](const Box& x, const Box& y) { return area_of(x) > area_of(y); });
    std::vector<Box> kept;
    for (const Box& b : boxes)
        if (std::none_of(kept.begin(), kept.end(), [&](const Box& k) { return common_share(k, b) > 0.5; }))
            kept.push_back(b);
    if (kept.empty()) return a;
    const double usual = area_of(kept[kept.size() / 2]);
    std::erase_if(kept, [&](const Box& b) { return area_of(b) < smallest_share * usual; });
    for (std::size_t i = 0; i < kept.size(); ++i)
        for (std::size_t k = i + 1; k < kept.size(); ++k) part(kept[i], kept[k]);
    std::stable_sort(kept.begin(), kept.end(),
                     [](const Box& x, const Box& y) { return x.middle().y() < y.middle().y(); });
    for (const Box& b : kept) {
        if (!a.rows.empty()) {
            const Box& first = a.rows.back().front();
            if (std::abs(b.middle().y() - first.middle().y()) < 0.4 * std::min(b.height(), first.height())) {
                a.rows.back().push_back(b);
                continue;
            }
        }
        a.rows.push_back({b});
    }
    for (auto& row : a.rows)
        std::stable_sort(row.begin(), row.end(), [](const Box& x, const Box& y) { return x.x0 < y.x0; });
    return a;
}

/// A box in pixels of the frame: its middle and sides.
struct Seen {
    Point middle, size;
};
Seen seen_at(const Straight& s, const Box& b) {
    const Point x0 = s.frame_from_px({b.x0, b.middle().y()}), x1 = s.frame_from_px({b.x1, b.middle().y()}),
                y0 = s.frame_from_px({b.middle().x(), b.y0}), y1 = s.frame_from_px({b.middle().x(), b.y1});
    return {s.frame_from_px(b.middle()), {(x1 - x0).norm(), (y1 - y0).norm()}};
}

/// True where what a lattice says of the card is what lies there; not for rows of another pitch or more than one grid.
bool explains(const Straight& s, const Laid& laid, const Arrangement& arrangement) {
    std::vector<Seen> all;
    for (const auto& row : arrangement.rows)
        for (const Box& b : row) all.push_back(seen_at(arrangement.straight, b));
    int agree = 0, of_laid = 0;
    for (const Box& b : laid.boxes) {
        const Seen one = seen_at(s, b);
        const bool there = std::any_of(all.begin(), all.end(), [&](const Seen& o) {
            const Point ratio = one.size.cwiseQuotient(o.size.cwiseMax(1));
            return (one.middle - o.middle).norm() < 0.35 * std::min(one.size.minCoeff(), o.size.minCoeff()) &&
                   ratio.minCoeff() > 0.7 && ratio.maxCoeff() < 1.4;
        });
        agree += there;
        ++of_laid;
    }
    return agree - (of_laid - agree) >= lattice_share * static_cast<double>(all.size());
}

Laid laid_out(const Arrangement& a, Taught& t) {
    Laid laid;
    for (std::size_t v = 0; v < a.rows.size(); ++v)
        for (std::size_t u = 0; u < a.rows[v].size(); ++u) {
            laid.boxes.push_back(a.rows[v][u]);
            laid.ids.push_back(
                chart::grid(static_cast<int>(u) + 1, static_cast<int>(v) + 1, 1, 1, 0, 0).patches.back().id);
            t.columns = std::max(t.columns, static_cast<int>(u) + 1);
        }
    t.rows = static_cast<int>(a.rows.size());
    return laid;
}

} // namespace

Taught teach(const frame::Frame& frame, const Corners& about, double width_mm, std::stop_token stop) {
    if (!chart::is_convex(about))
        throw Error(ErrorKind::usage, "the four corners do not span a convex area", frame.file,
                    "Give them in order: top-left, top-right, bottom-right, bottom-left");
    const auto pyramid = pyramid_of(frame, finest_side, coarsest_side);
    throw_if_stopped(stop);
    std::optional<Card> card;
    for (LatticeSeen& seen : lattices_in(pyramid, about)) {
        throw_if_stopped(stop);
        auto here = card_on(pyramid, seen, about);
        if (here && (!card || here->patches.cells.size() > card->patches.cells.size())) card = std::move(here);
    }
    throw_if_stopped(stop);
    Taught t;
    Laid laid;
    if (card) laid = laid_out(card->straight, card->patches, t);
    const Arrangement any = arranged(pyramid, about);
    const bool free = any.patches() >= 6 && (!card || !explains(card->straight, laid, any));
    if (!card && !free)
        throw Error(ErrorKind::input, "no patches are seen between these corners", frame.file,
                    "Set them about the whole card, in focus and evenly lit, with at least six patches");
    if (free) {
        t = {};
        laid = laid_out(any, t);
    }
    const std::vector<colour::Vec3> rgb = write_down(frame, free ? any.straight : card->straight, laid, width_mm, t);
    propose(t, rgb, frame);
    return t;
}

namespace {

/// The frame with these areas, and some of what is about them, in one colour.
frame::Frame without(const frame::Frame& frame, const std::vector<Corners>& known) {
    frame::Frame f = frame;
    constexpr double about = 1.25;
    for (const Corners& q : known) {
        const Point middle = (q[0] + q[1] + q[2] + q[3]) / 4;
        std::vector<cv::Point> polygon;
        for (const Point& corner : q) {
            const Point p = (middle + about * (corner - middle)) / f.cell;
            polygon.emplace_back(static_cast<int>(std::lround(p.x())), static_cast<int>(std::lround(p.y())));
        }
        cv::Mat pixels(f.height, f.width, CV_32FC3, f.rgb.data());
        cv::fillConvexPoly(pixels, polygon, cv::Scalar(0.1, 0.1, 0.1));
    }
    return f;
}

} // namespace

Corners outline_of_card(const frame::Frame& whole, const std::vector<Corners>& known, std::stop_token stop) {
    const frame::Frame hidden = known.empty() ? frame::Frame{} : without(whole, known);
    const frame::Frame& frame = known.empty() ? whole : hidden;
    const double w = frame.full_width, h = frame.full_height;
    const Corners all{Point(1, 1), Point(w - 1, 1), Point(w - 1, h - 1), Point(1, h - 1)};
    const auto pyramid = pyramid_of(frame, finest_side, coarsest_side);
    std::size_t most = 0;
    Corners best{};
    for (LatticeSeen& seen : lattices_in(pyramid, all)) {
        throw_if_stopped(stop);
        turn_to(seen.lattice, scaled(all, seen.picture->scale));
        const Lattice& l = seen.lattice;
        if (l.cells.size() < 6) continue;
        constexpr double rim = 0.75; // of a pitch about the outer patches' middles
        const Point a(l.u0 - rim, l.v0 - rim), b(l.u1 + rim, l.v1 + rim);
        const auto at = [&](double u, double v) {
            const Point p = l.pixels_from_place(Point(u, v)) / seen.picture->scale;
            return Point(std::clamp(p.x(), 0.0, w), std::clamp(p.y(), 0.0, h));
        };
        const Corners outline{at(a.x(), a.y()), at(b.x(), a.y()), at(b.x(), b.y()), at(a.x(), b.y())};
        if (!chart::is_convex(outline)) continue;
        // Texture makes lattices, too: what counts is how many flat patches lie on one.
        const auto card = card_on(pyramid, seen, outline);
        if (!card || card->patches.cells.size() <= most) continue;
        most = card->patches.cells.size();
        best = outline;
    }
    if (most < 6 || !chart::is_convex(best))
        throw Error(ErrorKind::input, "no card is seen in this frame", whole.file,
                    "Give its corners, and show it in focus and evenly lit");
    return best;
}

} // namespace refero::find
