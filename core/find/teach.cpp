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

std::string grid_id(long column, std::size_t row) {
    return chart::grid(static_cast<int>(column) + 1, static_cast<int>(row) + 1, 1, 1, 0, 0).patches.back().id;
}

/// A grid's patches by rows and columns, bars after them; where no grid holds most patches, all by their rows.
Laid laid_out(const Arrangement& a, Taught& t) {
    const auto held_by = [&](const Block& block) {
        std::size_t n = 0;
        for (const std::size_t r : block.rows)
            n += static_cast<std::size_t>(
                std::count_if(a.rows[r].begin(), a.rows[r].end(), [&](const Box& b) { return block.holds(b); }));
        return n;
    };
    const Block* grid = nullptr;
    for (const Block& block : a.blocks)
        if (static_cast<double>(held_by(block)) >= lattice_share * static_cast<double>(a.patches())) grid = &block;
    Laid laid;
    if (!grid) {
        for (std::size_t v = 0; v < a.rows.size(); ++v)
            for (std::size_t u = 0; u < a.rows[v].size(); ++u) {
                laid.boxes.push_back(a.rows[v][u]);
                laid.ids.push_back(grid_id(static_cast<long>(u), v));
                t.columns = std::max(t.columns, static_cast<int>(u) + 1);
            }
        t.rows = static_cast<int>(a.rows.size());
        return laid;
    }
    long first = 1 << 20, last = -(1 << 20);
    std::vector<Box> bars;
    std::size_t row = 0;
    for (std::size_t r = 0; r < a.rows.size(); ++r) {
        const bool of_grid = std::find(grid->rows.begin(), grid->rows.end(), r) != grid->rows.end();
        for (const Box& b : a.rows[r])
            if (!of_grid || !grid->holds(b)) bars.push_back(b);
            else {
                first = std::min(first, grid->column(b));
                last = std::max(last, grid->column(b));
            }
    }
    for (const std::size_t r : grid->rows) {
        for (const Box& b : a.rows[r])
            if (grid->holds(b)) {
                laid.boxes.push_back(b);
                laid.ids.push_back(grid_id(grid->column(b) - first, row));
            }
        ++row;
    }
    t.rows = static_cast<int>(row);
    t.columns = static_cast<int>(last - first) + 1;
    for (const Box& bar : bars) {
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

/// Straightened by the corners alone; nothing where they are too narrow for a card.
Arrangement by_corners(const std::vector<Picture>& pyramid, const Corners& about) {
    const double across = (about[1] - about[0]).norm() + (about[2] - about[3]).norm(),
                 down = (about[3] - about[0]).norm() + (about[2] - about[1]).norm();
    if (down > max_aspect * across || across > max_aspect * down) return {};
    const double n = places_across, m = n * down / across;
    return arranged(pyramid, chart::homography({Point(0, 0), Point(n, 0), Point(n, m), Point(0, m)}, about), {0, 0},
                    {n, m}, about);
}

/// Straightened by the lattice that its patches lie on, which needs no exact corners.
Arrangement by_lattice(const std::vector<Picture>& pyramid, LatticeSeen& seen, const Corners& about) {
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
    return arranged(pyramid, full_from_place, from, to, about);
}

} // namespace

Taught teach(const frame::Frame& frame, const Corners& about, double width_mm, std::stop_token stop) {
    if (!chart::is_convex(about))
        throw Error(ErrorKind::usage, "the four corners do not span a convex area", frame.file,
                    "Give them in order: top-left, top-right, bottom-right, bottom-left");
    const auto pyramid = pyramid_of(frame, finest_side, coarsest_side);
    throw_if_stopped(stop);
    Arrangement card = by_corners(pyramid, about);
    // Corners that are far from exact leave fewer rectangles than the patches' own lattice shows.
    auto lattices = lattices_in(pyramid, about);
    std::stable_sort(lattices.begin(), lattices.end(), [](const LatticeSeen& a, const LatticeSeen& b) {
        return a.lattice.cells.size() > b.lattice.cells.size();
    });
    std::size_t tried = 0;
    for (LatticeSeen& seen : lattices) {
        throw_if_stopped(stop);
        if (10 * seen.lattice.cells.size() < 9 * card.patches() || ++tried > likely_cards) break;
        Arrangement here = by_lattice(pyramid, seen, about);
        if (10 * here.patches() > 11 * card.patches()) card = std::move(here);
    }
    if (card.patches() < least_patches)
        throw Error(ErrorKind::input, "no patches are seen between these corners", frame.file,
                    "Set them about the whole card, in focus and evenly lit, with at least six patches");
    Taught t;
    const Laid laid = laid_out(card, t);
    const std::vector<colour::Vec3> rgb = write_down(frame, card.straight, laid, width_mm, t);
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
        // Texture makes lattices, too: what counts is how many flat patches lie there.
        const std::size_t patches = by_corners(pyramid, outline).patches();
        if (patches <= most) continue;
        most = patches;
        best = outline;
    }
    if (most < least_patches || !chart::is_convex(best))
        throw Error(ErrorKind::input, "no card is seen in this frame", whole.file,
                    "Give its corners, and show it in focus and evenly lit");
    return best;
}

} // namespace refero::find
