// Cards made up by rules, ten kinds of them: each taught from one picture, then found in others; docs/benchmarks.md.
//   refero-cards-bench [SEED [CARDS [FOUND_IN]]]
#include <iostream>

#include <Eigen/Geometry>

#include "base/statistics.hpp"
#include "find/find.hpp"
#include "find/teach.hpp"
#include "find_set.hpp"
#include "simulate/simulate.hpp"

using namespace refero;
using namespace refero::bench;
using chart::Corners;
using chart::Point;

namespace {

constexpr std::array kinds{"grid without gaps",      "grid, thin gaps", "grid, wide gaps", "rows of different pitch",
                           "grid and bars",          "balance page",    "two panels",      "two panels, folded",
                           "hue circle in a square", "ladder"};

struct Card {
    chart::Definition definition;
    chart::Reference reference;
    std::vector<std::size_t> panel_of; ///< of each patch
    std::size_t panels = 1;

    void add(double x, double y, double w, double h, const Json& lab, std::size_t panel = 0) {
        const std::string id = formatted("P{}", definition.patches.size() + 1);
        const double l = lab[0].get<double>(), a = lab[1].get<double>(), b = lab[2].get<double>();
        definition.patches.push_back({id, x, y, w, h, std::hypot(a, b) < 1 ? "neutral" : "other"});
        reference.xyz[id] = colour::xyz_from_lab({l, a, b});
        panel_of.push_back(panel);
        panels = std::max(panels, panel + 1);
    }
    /// From the top-left corner of all on.
    void frame() {
        double x = 1e9, y = 1e9;
        for (const chart::Patch& p : definition.patches) {
            x = std::min(x, p.x_mm);
            y = std::min(y, p.y_mm);
        }
        const auto hundredths = [](double mm) { return std::round(100 * mm) / 100; };
        for (chart::Patch& p : definition.patches) {
            p.x_mm = hundredths(p.x_mm - x);
            p.y_mm = hundredths(p.y_mm - y);
            p.w_mm = std::floor(100 * p.w_mm) / 100;
            p.h_mm = std::floor(100 * p.h_mm) / 100;
            definition.width_mm = std::max(definition.width_mm, p.x_mm + p.w_mm);
            definition.height_mm = std::max(definition.height_mm, p.y_mm + p.h_mm);
        }
    }
};

/// A quarter of the patches grey, the rest of a gamut that print reaches.
Json any_colour(Draw& d) {
    if (d.whole(0, 3) == 0) return {d.uniform(18, 95), 0, 0};
    const double hue = d.uniform(0, 2 * M_PI), chroma = d.uniform(12, 50);
    return {d.uniform(25, 88), chroma * std::cos(hue), chroma * std::sin(hue)};
}

void grid_into(Card& card, Draw& d, int columns, int rows, double w, double h, double gap, double x = 0, double y = 0,
               std::size_t panel = 0) {
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) card.add(x + c * (w + gap), y + r * (h + gap), w, h, any_colour(d), panel);
}

Card made_up(std::size_t kind, Draw& d) {
    Card card;
    const double w = d.uniform(9, 22), h = w * d.uniform(0.75, 1.3);
    const int columns = d.whole(4, 10), rows = d.whole(3, 7);
    switch (kind) {
    case 0: grid_into(card, d, columns, rows, w, h, 0); break;
    case 1: grid_into(card, d, columns, rows, w, h, w * d.uniform(0.05, 0.12)); break;
    case 2: grid_into(card, d, columns, rows, w, h, w * d.uniform(0.2, 0.33)); break;
    case 3: {
        double y = 0;
        const double width = 8 * w;
        for (int r = d.whole(3, 6); r > 0; --r) {
            const int count = d.whole(4, 11);
            const double pitch = width / count, gap = pitch * d.uniform(0.08, 0.3), high = w * d.uniform(0.7, 1.3);
            for (int c = 0; c < count; ++c) card.add(c * pitch, y, pitch - gap, high, any_colour(d));
            y += high + w * d.uniform(0.15, 0.4);
        }
        break;
    }
    case 4: {
        const double gap = w * d.uniform(0.08, 0.3), width = columns * (w + gap) - gap;
        grid_into(card, d, columns, rows, w, h, gap);
        double y = rows * (h + gap) + 0.3 * w;
        for (int bars = d.whole(1, 3); bars > 0; --bars) {
            const int pieces = d.whole(1, 3);
            for (int i = 0; i < pieces; ++i)
                card.add(i * width / pieces, y, width / pieces - gap, 0.8 * h, {d.uniform(20, 92), 0, 0});
            y += 0.8 * h + gap;
        }
        break;
    }
    case 5: { // wide greys in the middle, steps of warmth or cold about them, chips of colour under them
        double y = 0;
        for (int r = 0; r < d.whole(1, 2); ++r, y += 1.2 * h)
            for (int c = 0; c < 7; ++c) card.add(c * 1.3 * w, y, w, h, {80 - 12 * r, 1.2 * (c - 3), 3.5 * (c - 3)});
        const double grey = 9.1 * w / 3;
        for (int c = 0; c < 3; ++c) card.add(c * grey, y, 0.9 * grey, 1.6 * h, {93 - 33 * c, 0, 0});
        y += 1.9 * h;
        const int chips = d.whole(6, 11);
        for (int c = 0; c < chips; ++c) card.add(c * 9.1 * w / chips, y, 7 * w / chips, h, any_colour(d));
        break;
    }
    case 6:
    case 7: {
        const double gap = w * d.uniform(0.08, 0.3);
        const int across = d.whole(4, 6), down = d.whole(3, 4);
        grid_into(card, d, across, down, w, h, gap);
        const double k = d.uniform(0.7, 1.3);
        grid_into(card, d, d.whole(4, 6), d.whole(3, 4), k * w, k * h, gap, 0, down * (h + gap) + 0.8 * w, 1);
        break;
    }
    case 8: { // squares on a circle, greys in the corners and the middle
        const int count = d.whole(12, 18);
        const double radius = count * w / (2 * M_PI) * d.uniform(1.5, 1.8);
        for (int i = 0; i < count; ++i) {
            const double hue = 2 * M_PI * i / count;
            card.add(radius * std::cos(hue) - w / 2, radius * std::sin(hue) - w / 2, w, w,
                     {d.uniform(40, 70), 45 * std::cos(hue), 45 * std::sin(hue)});
        }
        for (int i = 0; i < 4; ++i)
            card.add((i % 2 ? 1 : -1) * radius - w / 2, (i / 2 ? 1 : -1) * radius - w / 2, w, w, {95 - 20 * i, 0, 0});
        card.add(-w / 2, -w / 2, w, w, {50, 0, 0});
        break;
    }
    default: { // two rails of greys, rungs of colours between them
        const int rungs = d.whole(6, 10);
        const double high = 0.7 * w, gap = w * d.uniform(0.08, 0.25), wide = 2.5 * w;
        for (int r = 0; r < rungs; ++r) {
            const double y = r * (high + gap);
            card.add(0, y, w, high, {94 - 75.0 * r / (rungs - 1), 0, 0});
            card.add(w + gap, y, wide, high, any_colour(d));
            card.add(w + 2 * gap + wide, y, w, high, {19 + 75.0 * r / (rungs - 1), 0, 0});
        }
    }
    }
    card.frame();
    card.definition.id = card.definition.title = "card";
    return card;
}

/// One panel of a card as a chart of its own, and where it lies in it.
struct Panel {
    chart::Definition definition;
    Point from, to; ///< millimetres of the card
    double fold_deg = 0;
};

std::vector<Panel> panels_of(const Card& card, const fs::path& folder, const std::string& name, double fold_deg) {
    std::vector<Panel> all;
    for (std::size_t k = 0; k < card.panels; ++k) {
        Card part;
        for (std::size_t i = 0; i < card.panel_of.size(); ++i) {
            if (card.panel_of[i] != k) continue;
            part.definition.patches.push_back(card.definition.patches[i]);
            part.reference.xyz[card.definition.patches[i].id] = card.reference.xyz.at(card.definition.patches[i].id);
        }
        Point from(1e9, 1e9);
        for (const chart::Patch& p : part.definition.patches) from = from.cwiseMin(Point(p.x_mm, p.y_mm));
        part.frame();
        part.definition.id = part.definition.title = formatted("{}-{}", name, k);
        all.push_back(
            {chart::save_definition(part.definition, part.reference, folder / formatted("{}-{}.json", name, k)), from,
             from + Point(part.definition.width_mm, part.definition.height_mm), k ? fold_deg : 0});
    }
    return all;
}

/// A case seen by a pinhole: the first panel's plane, the second folded about its upper edge.
std::vector<Corners> posed(const std::vector<Panel>& panels, const Card& card, double width_px, double height_px,
                           double share, double turn_deg, double tilt_deg, double axis_deg) {
    constexpr double deg = M_PI / 180, focal = 1.4; // of the width
    const double f = focal * width_px, size = std::hypot(card.definition.width_mm, card.definition.height_mm),
                 distance = f * size / (share * height_px);
    const Eigen::Matrix3d turn =
        (Eigen::AngleAxisd(tilt_deg * deg, Eigen::Vector3d(std::cos(axis_deg * deg), std::sin(axis_deg * deg), 0)) *
         Eigen::AngleAxisd(turn_deg * deg, Eigen::Vector3d::UnitZ()))
            .toRotationMatrix();
    std::vector<Corners> all;
    for (const Panel& panel : panels) {
        Corners q;
        const std::array<Point, 4> mm{panel.from, Point(panel.to.x(), panel.from.y()), panel.to,
                                      Point(panel.from.x(), panel.to.y())};
        for (std::size_t i = 0; i < 4; ++i) {
            const double down = mm[i].y() - panel.from.y(), fold = panel.fold_deg * deg;
            const Eigen::Vector3d at(mm[i].x() - card.definition.width_mm / 2,
                                     panel.from.y() + down * std::cos(fold) - card.definition.height_mm / 2,
                                     down * std::sin(fold));
            const Eigen::Vector3d p = turn * at + Eigen::Vector3d(0, 0, distance);
            q[i] = {f * p.x() / p.z() + width_px / 2, f * p.y() / p.z() + height_px / 2};
        }
        all.push_back(q);
    }
    return all;
}

frame::Frame frame_of(const Json& scene, const fs::path& folder, simulate::Rendering* truth = nullptr) {
    simulate::Rendering r = simulate::render(simulate::parse_scene(scene.dump(), "bench"));
    const fs::path file = folder / "frame.dng";
    simulate::write(r, file);
    if (truth) *truth = r;
    return frame::read(file);
}

struct Score {
    int cards = 0, taught = 0, pictures = 0, found = 0;
    std::vector<double> off; ///< worst side of a card, shares of its pitch
};

Corners by_hand(const Corners& q, Draw& d) {
    const Point middle = (q[0] + q[1] + q[2] + q[3]) / 4;
    const double size = std::sqrt(std::abs(chart::signed_area(q)));
    Corners out = q;
    for (Point& p : out) p += 0.03 * (p - middle) + 0.01 * size * Point(d.uniform(-1, 1), d.uniform(-1, 1));
    return out;
}

} // namespace

int main(int argc, char** argv) {
    const auto seed = static_cast<std::uint64_t>(argc > 1 ? std::atoi(argv[1]) : 1);
    const int cards = argc > 2 ? std::atoi(argv[2]) : 60, pictures = argc > 3 ? std::atoi(argv[3]) : 5;
    const bool cases = std::getenv("REFERO_CASES") != nullptr;
    const TemporaryFolder folder(fs::temp_directory_path(), "refero-cards");
    std::array<Score, kinds.size()> scores;
    std::vector<chart::Definition> known; ///< all that were taught
    for (int i = 0; i < cards; ++i) {
        const std::size_t kind = static_cast<std::size_t>(i) % kinds.size();
        Draw d{std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(i))};
        Score& score = scores[kind];
        ++score.cards;
        const Card card = made_up(kind, d);
        const std::string name = formatted("card{}", i);
        const double fold = kind == 7 ? d.uniform(5, 15) : 0;
        const auto panels = panels_of(card, folder.path(), name, fold);
        const int width = 2400, height = 1600;
        const auto where = posed(panels, card, width, height, d.uniform(0.6, 0.9), d.uniform(-12, 12), d.uniform(0, 15),
                                 d.uniform(0, 180));
        Json scene{{"refero_scene", 1},
                   {"size", {width, height}},
                   {"seed", d.random() % 100000},
                   {"camera", d.pick({"stills-a", "stills-b"})},
                   {"light", d.pick({"window", "led", "flash", "tungsten"})},
                   {"white", d.uniform(0.6, 0.9)},
                   {"background", {{"surface", {d.uniform(20, 80), 3, 5}}, {"texture", 0.12}, {"texture_px", 9}}},
                   {"charts", Json::array()}};
        for (std::size_t k = 0; k < panels.size(); ++k) {
            Json corners = Json::array();
            for (const Point& p : where[k]) corners.push_back({p.x(), p.y()});
            scene["charts"].push_back({{"id", panels[k].definition.file.string()}, {"corners", corners}});
        }
        std::vector<find::Taught> taught;
        std::string why;
        double worst = 0;
        try {
            const frame::Frame frame = frame_of(scene, folder.path());
            for (std::size_t k = 0; k < panels.size(); ++k) {
                taught.push_back(find::teach(frame, by_hand(where[k], d), panels[k].definition.width_mm));
                const find::Taught& t = taught.back();
                const chart::Definition& truth = panels[k].definition;
                if (t.definition.patches.size() != truth.patches.size())
                    why += formatted(" {} patches for {}", t.definition.patches.size(), truth.patches.size());
                // In millimetres of the card: scaled alike, and laid on each other by the means.
                std::vector<double> distances;
                std::vector<std::pair<const chart::Patch*, const chart::Patch*>> pairs;
                const auto middle = [](const chart::Patch& p) {
                    return Point(p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2);
                };
                const Point scale(truth.width_mm / t.definition.width_mm, truth.height_mm / t.definition.height_mm);
                for (const chart::Patch& p : truth.patches) {
                    const chart::Patch* nearest = nullptr;
                    double least = 1e9, neighbour = 1e9;
                    for (const chart::Patch& q : t.definition.patches)
                        if (const double off = (middle(p) - middle(q).cwiseProduct(scale)).norm(); off < least) {
                            least = off;
                            nearest = &q;
                        }
                    for (const chart::Patch& o : truth.patches)
                        if (&o != &p) neighbour = std::min(neighbour, (middle(o) - middle(p)).norm());
                    distances.push_back(neighbour);
                    if (nearest) pairs.emplace_back(&p, nearest);
                }
                const double pitch = median(distances);
                for (const auto& [p, q] : pairs) {
                    const std::array off{q->x_mm * scale.x() - p->x_mm, q->y_mm * scale.y() - p->y_mm,
                                         (q->x_mm + q->w_mm) * scale.x() - p->x_mm - p->w_mm,
                                         (q->y_mm + q->h_mm) * scale.y() - p->y_mm - p->h_mm};
                    for (const double o : off) worst = std::max(worst, std::abs(o) / pitch);
                    if (cases && *std::max_element(off.begin(), off.end()) - *std::min_element(off.begin(), off.end()) >
                                     0.03 * pitch)
                        std::cout << formatted("    {} ({}): {:.3f} {:.3f} {:.3f} {:.3f} of a pitch\n", p->id, q->id,
                                               off[0] / pitch, off[1] / pitch, off[2] / pitch, off[3] / pitch);
                }
            }
        } catch (const Error& e) { why = e.what(); }
        score.off.push_back(worst);
        if (why.empty() && worst > 0.02) why = formatted(" sides off by {:.3f} of a pitch", worst);
        const bool right = why.empty();
        score.taught += right;
        if (cases && !right) std::cout << formatted("  {} {}:{}\n", name, kinds[kind], why);
        // Found in other frames, panel by panel, by what the picture taught of it.
        const std::size_t before = known.size();
        for (std::size_t k = 0; k < taught.size(); ++k) {
            chart::Definition definition = taught[k].definition;
            definition.id = definition.title = formatted("taught{}-{}", i, k);
            try {
                known.push_back(
                    chart::save_definition(definition, taught[k].reference, folder.path() / (definition.id + ".json")));
            } catch (const Error& e) {
                if (cases) std::cout << "  " << name << ": " << e.what() << "\n";
            }
        }
        const std::vector<chart::Definition> own(known.begin() + static_cast<std::ptrdiff_t>(before), known.end());
        for (int n = 0; n < pictures; ++n) {
            const Panel& panel = panels[static_cast<std::size_t>(n) % panels.size()];
            const Drawn drawn = draw(d, {{panel.definition.file.string(), panel.definition}}, true, true);
            Json only = drawn.scene; // the one that is looked for; others would be known by nobody
            only["charts"] = Json::array({drawn.scene["charts"][0]});
            only["charts"][0]["mirrored"] = false;
            simulate::Rendering truth;
            const frame::Frame frame = frame_of(only, folder.path(), &truth);
            ++score.pictures;
            bool found = false;
            for (const find::Placement& p : find::locate(frame, own)) {
                double off = 0;
                for (std::size_t c = 0; c < 4; ++c) off += (p.corners[c] - truth.charts[0].corners[c]).norm() / 4;
                const double pitch = std::sqrt(std::abs(chart::signed_area(truth.charts[0].corners)) /
                                               static_cast<double>(panel.definition.patches.size()));
                found = found || off < 0.25 * pitch;
                if (cases && off >= 0.25 * pitch)
                    std::cout << formatted("  {}: off by {:.2f} pitches\n", name, off / pitch);
            }
            score.found += found;
            if (cases && !found) {
                std::cout << formatted("  {} {} not found:", name, kinds[kind]);
                for (const auto& [factor, value] : drawn.factor) std::cout << formatted(" {} {:.2f}", factor, value);
                std::cout << "\n";
            }
        }
    }
    Score all;
    const auto print = [](const char* name, const Score& s) {
        std::cout << formatted(
            "{:<26} taught {:3d} of {:3d}, worst side in the median {:.4f} of a pitch; found {:3d} of {:3d}\n", name,
            s.taught, s.cards, s.off.empty() ? 0 : median(s.off), s.found, s.pictures);
    };
    for (std::size_t k = 0; k < kinds.size(); ++k) {
        if (!scores[k].cards) continue;
        print(kinds[k], scores[k]);
        all.cards += scores[k].cards;
        all.taught += scores[k].taught;
        all.pictures += scores[k].pictures;
        all.found += scores[k].found;
        all.off.insert(all.off.end(), scores[k].off.begin(), scores[k].off.end());
    }
    print("all", all);
    // Pictures without any of them, full of rows of rectangles.
    Draw d{std::mt19937_64(seed)};
    int wrong = 0;
    const int bare = pictures > 0 ? cards / 2 : 0;
    for (int i = 0; i < bare; ++i) {
        const auto found = find::locate(frame_of(draw(d, {}, false, true).scene, folder.path()), known);
        wrong += static_cast<int>(found.size());
    }
    std::cout << formatted("{} of these {} definitions found in {} pictures without one\n", wrong, known.size(), bare);
    return 0;
}
