#include "find/find.hpp"

#include <algorithm>
#include <memory>

#include <tbb/parallel_for.h>

#include "colour/rgb.hpp"
#include "find/internal/figures.hpp"
#include "find/internal/steps.hpp"

namespace refero::find {

namespace {

bool overlap(const Corners& a, const Corners& b) {
    const auto centre = [](const Corners& q) { return Point((q[0] + q[1] + q[2] + q[3]) / 4); };
    return (centre(a) - centre(b)).norm() <
           std::sqrt(std::max(std::abs(chart::signed_area(a)), std::abs(chart::signed_area(b)))) / 2;
}

// Logistic regression on the candidates of 150 simulated frames, 349 of them, 265 right. docs/methods.md, Finding.
double chance_of(const Match& m) {
    const double per_patch = m.fit.evidence / static_cast<double>(m.grid->xyz.size()),
                 clearness = std::clamp(1 - m.runner_up / std::max(1e-6, m.fit.evidence), -0.5, 1.0);
    return 1 / (1 + std::exp(23.7 - 9.3 * per_patch - 8.5 * clearness));
}

// No more is claimed than so few can show, and no less than a half for what little evidence proves by being clear.
double confidence_of(const Match& m) { return std::max(0.5, 0.995 * chance_of(m)); }

struct Level {
    const Picture& picture;
    std::vector<Region> regions;
    Near near;
    Ground ground;
    std::vector<Lattice> lattices;

    Level(const Picture& p, bool coarsest, int enlarge, const Extent& extent)
        : picture(p),
          regions(flat_regions(p, coarsest ? 0.2 * static_cast<double>(p.linear.total()) : 50.0 * 50.0, enlarge)),
          near(near_of(regions)),
          ground(p, regions, near),
          lattices(extent.most_cells ? find::lattices(regions, near, extent) : std::vector<Lattice>()) {}
};

struct Candidate {
    Match match;
    const Level* level = nullptr;
    double evidence_per_patch() const { return match.fit.evidence / static_cast<double>(match.grid->xyz.size()); }
};

bool likelier(const Candidate& a, const Candidate& b) { return a.match.fit.evidence > b.match.fit.evidence; }

bool same_place(const Corners& a, const Corners& b, const chart::Definition& d) {
    double sum = 0;
    for (std::size_t i = 0; i < 4; ++i) sum += (a[i] - b[i]).norm() / 4;
    return sum < 0.15 * std::sqrt(std::abs(chart::signed_area(a)) / static_cast<double>(d.patches.size()));
}

/// Takes other corners (picture pixels) unless they explain the colours worse.
void improve(Candidate& c, const Corners& corners) {
    if (!chart::is_convex(corners)) return;
    const ColourFit fit = colour_fit(*c.match.grid, corners, c.level->picture);
    if (fit.evidence >= 0.95 * c.match.fit.evidence - 1) {
        c.match.corners = corners;
        c.match.fit = fit;
    }
}

/// Lays the grid on what is there; false when colours or shape say no.
bool holds(Candidate& c) {
    Match& m = c.match;
    if (!settle(m, c.level->ground)) return false;
    m.fit = colour_fit(*m.grid, m.corners, c.level->picture);
    return m.fit.plausible && c.evidence_per_patch() > 0.5 * least_clear_per_patch;
}

/// Moves one corner at a time while that explains the colours better: alignment holds on to the nearest edges, which
/// may be those of other patches.
void climb(Candidate& c) {
    Match& m = c.match;
    const double pitch = std::sqrt(std::abs(chart::signed_area(m.corners)) / static_cast<double>(m.grid->xyz.size()));
    const double start = m.fit.evidence, little = 0.1 * static_cast<double>(m.grid->xyz.size());
    for (const double step : {0.9, 0.45, 0.9, 0.45}) {
        for (std::size_t corner = 0; corner < 4; ++corner) {
            const Corners from = m.corners;
            for (int y = -1; y <= 1; ++y)
                for (int x = -1; x <= 1; ++x) {
                    Corners moved = from;
                    moved[corner] += step * pitch * Point(x, y);
                    if (!chart::is_convex(moved)) continue;
                    const ColourFit fit = colour_fit(*m.grid, moved, c.level->picture);
                    if (fit.plausible && fit.evidence > m.fit.evidence) {
                        m.corners = moved;
                        m.fit = fit;
                    }
                }
        }
        if (m.fit.evidence < start + little) break; // it lies as well as it can
    }
}

/// Sharp edges are not felt from afar, and those of what hides patches hold corners fast: lays a chart once more from
/// coarse to fine, without such patches, and takes that where more of what shows is as it is drawn.
void lay_once_more(Match& m, const Picture& picture, const std::vector<Picture>& pyramid) {
    const chart::Definition& d = *m.grid->definition;
    const std::vector<bool> hidden = hidden_patches(*m.grid, m.corners, picture);
    const double pitch = std::sqrt(std::abs(chart::signed_area(m.corners)) / static_cast<double>(d.patches.size()));
    Corners laid = m.corners;
    for (auto p = pyramid.rbegin(); p != pyramid.rend(); ++p) {
        const double k = p->scale / picture.scale;
        if (k * pitch > 7 && k * pitch < 60 && p->noise < 0.03)
            laid = scaled(align(d, scaled(laid, k), *p, hidden), 1 / k);
    }
    if (misfit_of(d, laid, picture, hidden) < lies_better * misfit_of(d, m.corners, picture, hidden) &&
        colour_fit(*m.grid, laid, picture).plausible)
        m.corners = laid;
}

/// Sub-pixel corners, and whether it is a chart.
bool proves(Candidate& c, const std::vector<Picture>& pyramid) {
    Match& m = c.match;
    const Picture& picture = c.level->picture;
    best_other(m, picture);
    improve(c, align(*m.grid->definition, m.corners, picture));
    if (c.evidence_per_patch() > least_clear_per_patch && c.evidence_per_patch() < surely_laid) {
        Candidate other = c;
        climb(other);
        improve(other, align(*m.grid->definition, other.match.corners, picture));
        if (other.evidence_per_patch() > c.evidence_per_patch() + clearly_better) c = other;
    }
    // Once more on the finest picture that shows the patches small enough, and clean enough, to be compared point by
    // point.
    for (const Picture& fine : pyramid) {
        if (fine.scale <= picture.scale) break;
        const double k = fine.scale / picture.scale, pitch = std::sqrt(std::abs(chart::signed_area(m.corners)) /
                                                                       static_cast<double>(m.grid->xyz.size()));
        if (k * pitch > 50 || fine.noise > 0.03) continue;
        improve(c, scaled(align(*m.grid->definition, scaled(m.corners, k), fine), 1 / k));
        break;
    }
    m.runner_up = best_other(m, picture);
    const bool enough = (c.evidence_per_patch() > least_evidence_per_patch && chance_of(m) > 0.5) ||
                        (c.evidence_per_patch() > least_clear_per_patch && m.runner_up < clear_share * m.fit.evidence);
    const bool proven = enough && m.fit.evidence > m.runner_up + least_margin &&
                        m.runner_up < nearly_share * m.fit.evidence && m.fit.misfit < most_misfit &&
                        m.fit.within > least_within && m.fit.even_share > least_even_share && m.fit.plausible &&
                        (!m.fit.far_fetched || c.evidence_per_patch() > surely_laid);
    if (proven) lay_once_more(m, picture, pyramid);
    m.corners = scaled(m.corners, 1 / picture.scale);
    return proven;
}

} // namespace

Placement placement_from(const chart::Definition& definition, const Corners& corners, const frame::Frame& frame) {
    if (!chart::is_convex(corners) || std::abs(chart::signed_area(corners)) < 16)
        throw Error(ErrorKind::usage, "the four corners do not span a convex area", {},
                    "Give them in the chart's order: top-left, top-right, bottom-right, bottom-left");
    Placement p;
    p.chart = definition.id;
    p.corners = corners;
    p.confidence = 1;
    p.mirrored = chart::signed_area(corners) < 0;
    p.frame_fraction =
        std::abs(chart::signed_area(corners)) / (static_cast<double>(frame.full_width) * frame.full_height);
    p.tilt_deg =
        chart::tilt_deg(definition, corners, frame.full_width, frame.full_height, frame.metadata.focal_35mm_mm);
    return p;
}

Corners snapped(const chart::Definition& definition, const Corners& rough, const frame::Frame& frame) {
    if (!chart::is_convex(rough) || frame.width < 16 || frame.height < 16) return rough;
    // Coarse to fine, over the pictures that show the patches neither too small nor too large.
    const auto pyramid = pyramid_of(frame, finest_side, coarsest_side);
    Corners corners = rough;
    const double pitch =
        std::sqrt(std::abs(chart::signed_area(rough)) / static_cast<double>(definition.patches.size()));
    for (auto p = pyramid.rbegin(); p != pyramid.rend(); ++p)
        if (pitch * p->scale > 7 && pitch * p->scale < 60)
            corners = scaled(align(definition, scaled(corners, p->scale), *p), 1 / p->scale);
    return corners;
}

namespace {

std::vector<Placement> locate_as_is(const frame::Frame& frame, const std::vector<chart::Definition>& definitions,
                                    const std::stop_token& stop) {
    std::vector<Grid> grids;
    for (const chart::Definition& d : definitions)
        for (Grid& grid : grids_of(d)) grids.push_back(std::move(grid));
    if (grids.empty() || frame.width < 16 || frame.height < 16) return {};
    Extent extent;
    for (const Grid& grid : grids) {
        if (grid.pattern) continue;
        extent.most_side = std::max({extent.most_side, grid.columns + 4, grid.rows + 4});
        extent.most_cells = std::max(extent.most_cells, 2 * grid.patch.size());
    }
    const auto pyramid = pyramid_of(frame, finest_side, coarsest_side);
    throw_if_stopped(stop);
    // A small picture is searched enlarged, too, so that its smallest patches have some flat ground left.
    const std::size_t enlarged = 2 * std::max(frame.width, frame.height) <= 1.1 * finest_side;
    std::vector<std::unique_ptr<Level>> levels(pyramid.size() + enlarged);
    tbb::parallel_for(std::size_t{0}, levels.size(), [&](std::size_t i) {
        if (stop.stop_requested()) return;
        if (i < enlarged) levels[i] = std::make_unique<Level>(pyramid[0], false, 2, extent);
        else levels[i] = std::make_unique<Level>(pyramid[i - enlarged], i + 1 == levels.size(), 1, extent);
    });
    throw_if_stopped(stop);

    std::vector<std::pair<const Level*, const Lattice*>> lattices;
    for (const auto& level : levels)
        for (const Lattice& lattice : level->lattices) lattices.emplace_back(level.get(), &lattice);
    std::vector<std::vector<Candidate>> of_lattice(lattices.size());
    tbb::parallel_for(std::size_t{0}, lattices.size(), [&](std::size_t i) {
        if (stop.stop_requested()) return;
        for (const Grid& grid : grids)
            if (!grid.pattern)
                for (Match& match : identify(grid, *lattices[i].second, lattices[i].first->ground, 3))
                    of_lattice[i].push_back({std::move(match), lattices[i].first});
        std::stable_sort(of_lattice[i].begin(), of_lattice[i].end(), likelier);
        if (of_lattice[i].size() > 6) of_lattice[i].resize(6);
    });
    throw_if_stopped(stop);
    std::vector<Candidate> candidates;
    for (auto& of : of_lattice) candidates.insert(candidates.end(), of.begin(), of.end());
    std::vector<std::pair<const Level*, const Grid*>> patterns;
    for (const auto& level : levels)
        for (const Grid& grid : grids)
            if (grid.pattern) patterns.emplace_back(level.get(), &grid);
    std::vector<std::vector<Match>> of_pattern(patterns.size());
    tbb::parallel_for(std::size_t{0}, patterns.size(), [&](std::size_t i) {
        if (!stop.stop_requested()) of_pattern[i] = identify_pattern(*patterns[i].second, patterns[i].first->ground, 4);
    });
    for (std::size_t i = 0; i < patterns.size(); ++i)
        for (Match& match : of_pattern[i]) candidates.push_back({std::move(match), patterns[i].first});
    tbb::parallel_for(std::size_t{0}, candidates.size(), [&](std::size_t i) {
        if (stop.stop_requested() || !holds(candidates[i])) candidates[i].match.fit.evidence = 0;
    });
    throw_if_stopped(stop);
    std::erase_if(candidates, [](const Candidate& c) { return c.match.fit.evidence <= 0; });
    std::stable_sort(candidates.begin(), candidates.end(), [](const Candidate& a, const Candidate& b) {
        return a.evidence_per_patch() > b.evidence_per_patch();
    });

    // Likeliest first, a few at a time; what lies on a chart that was found is another view of it.
    std::vector<Placement> found;
    std::vector<std::pair<const chart::Definition*, Corners>> refused;
    int doubtful = 0;
    for (std::size_t next = 0; next < candidates.size() && doubtful <= most_doubtful;) {
        throw_if_stopped(stop);
        std::vector<Candidate*> some;
        for (; next < candidates.size() && some.size() < at_a_time; ++next) {
            const Corners rough = scaled(candidates[next].match.corners, 1 / candidates[next].level->picture.scale);
            const auto known =
                std::find_if(found.begin(), found.end(), [&](const Placement& p) { return overlap(p.corners, rough); });
            if (known != found.end() && !(known->mirrored && chart::signed_area(rough) > 0)) continue;
            const chart::Definition* definition = candidates[next].match.grid->definition;
            if (std::none_of(refused.begin(), refused.end(), [&](const auto& r) {
                    return r.first == definition && same_place(r.second, rough, *definition);
                }))
                some.push_back(&candidates[next]);
        }
        std::array<bool, at_a_time> proven{};
        tbb::parallel_for(std::size_t{0}, some.size(), [&](std::size_t i) { proven[i] = proves(*some[i], pyramid); });
        for (std::size_t i = 0; i < some.size(); ++i) {
            const Candidate& c = *some[i];
            std::optional<Placement> placed;
            if (proven[i]) placed = placement_from(*c.match.grid->definition, c.match.corners, frame);
            if (!placed || placed->tilt_deg > most_tilt_deg) {
                ++doubtful;
                refused.emplace_back(c.match.grid->definition, c.match.corners);
                continue;
            }
            Placement p = *placed;
            p.confidence = confidence_of(c.match);
            const auto same = std::find_if(found.begin(), found.end(),
                                           [&](const Placement& o) { return overlap(o.corners, p.corners); });
            if (same == found.end()) found.push_back(p);
            // Where both explain the frame, an unmirrored chart goes before a mirrored one.
            else if (same->mirrored && !p.mirrored && p.confidence > same->confidence - 0.1) *same = p;
        }
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const Placement& a, const Placement& b) { return a.confidence > b.confidence; });
    return found;
}

/// True where a picture's codes keep clear of black and white, as log curves put a scene.
bool is_flat(const frame::Frame& f) {
    constexpr std::size_t step = 17;
    std::vector<float> light;
    for (std::size_t i = 0; i < f.rgb.size() / 3; i += step)
        light.push_back(std::max({f.rgb[3 * i], f.rgb[3 * i + 1], f.rgb[3 * i + 2]}));
    if (light.empty()) return false;
    const auto at = [&](double share) {
        const auto place = light.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(light.size() - 1));
        std::nth_element(light.begin(), place, light.end());
        return colour::encode(colour::Transfer::srgb, static_cast<double>(*place));
    };
    return at(flat_few) > flat_black && at(1 - flat_few) < flat_white;
}

} // namespace

std::vector<Placement> locate(const frame::Frame& frame, const std::vector<chart::Definition>& definitions,
                              std::stop_token stop) {
    auto found = locate_as_is(frame, definitions, stop);
    if (!found.empty() || !frame.assumed) return found;
    // A picture that says nothing was taken for sRGB, a clip for what its tag says: what is flat may be of a log curve,
    // which cameras tag as BT.709; a picture's codes may be linear light. Clips are linear never.
    std::vector<colour::Transfer> curves;
    if (is_flat(frame)) curves.push_back(colour::Transfer::acescct);
    if (frame::kind_of(frame.file) != frame::FileKind::clip) curves.push_back(colour::Transfer::linear);
    for (const colour::Transfer curve : curves) {
        frame::Frame otherwise = frame;
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, otherwise.rgb.size()), [&](const auto& some) {
            for (std::size_t i = some.begin(); i < some.end(); ++i)
                otherwise.rgb[i] = static_cast<float>(colour::decode(
                    curve, colour::encode(colour::Transfer::srgb, static_cast<double>(otherwise.rgb[i]))));
        });
        found = locate_as_is(otherwise, definitions, stop);
        if (!found.empty()) break;
    }
    return found;
}

Hidden hidden_in(const frame::Frame& f) {
    constexpr double much_clipped = 20; // percent
    constexpr std::size_t step = 17;    // a sample will do, and hits no pattern of two or three
    std::size_t clipped = 0;
    std::vector<double> light;
    for (std::size_t i = 0; i < f.rgb.size() / 3; i += step) {
        clipped += i < f.clipped.size() && f.clipped[i];
        light.push_back(100 * std::max({f.rgb[3 * i], f.rgb[3 * i + 1], f.rgb[3 * i + 2]}));
    }
    Hidden h;
    const std::string usual = " Else c" + h.remedy.substr(1);
    const double share =
        100 * static_cast<double>(clipped) / static_cast<double>(std::max<std::size_t>(1, light.size()));
    const auto high = light.begin() + static_cast<std::ptrdiff_t>(light.size() * 19 / 20);
    std::nth_element(light.begin(), high, light.end());
    if (share > Hidden::clipped_limit) {
        h.clipped_percent = share;
        h.remedy = formatted("{:.0f} % of the frame is clipped: {}close down, or take light away.", share,
                             share > much_clipped ? "" : "if the chart is among it, ") +
                   usual;
    } else if (high != light.end() && *high < Hidden::light_limit) {
        h.light_percent = *high;
        h.remedy = "The frame is very dark: open up, or bring more light." + usual;
    }
    return h;
}

} // namespace refero::find
