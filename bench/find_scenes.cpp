// Scenes for the finder: every factor is drawn independently and uniformly over its range (sizes on a logarithmic
// scale).
#include <cmath>
#include <fstream>

#include "chart/chart.hpp"
#include "find_set.hpp"
#include "simulate/simulate.hpp"

namespace refero::bench {

namespace {

void clutter(Json& objects, Draw& d, int pieces) {
    for (int i = 0; i < pieces; ++i)
        objects.push_back({{"shape", d.pick({"rectangle", "rectangle", "ellipse", "leaf"})},
                           {"at", {d.uniform(0, 1), d.uniform(0, 0.7)}},
                           {"size", {d.uniform(0.01, 0.3), d.uniform(0.01, 0.3)}},
                           {"rotation_deg", d.pick({0.0, 0.0, d.uniform(0, 180)})},
                           {"surface", d.colour()},
                           {"texture", d.uniform(0, 0.3)},
                           {"texture_px", d.uniform(2, 20)}});
}

/// Rows of rectangles: shelves, windows, pages of another chart, a mosaic.
void bait(Json& objects, Draw& d) {
    const int columns = d.whole(2, 9), rows = d.whole(1, 7);
    const double pitch = d.uniform(0.012, 0.09), aspect = d.uniform(0.6, 1.6), fill = d.uniform(0.7, 1.0),
                 angle = d.pick({0.0, d.uniform(0, 90)}) * M_PI / 180;
    const double x = d.uniform(0.1, 0.9), y = d.uniform(0.1, 0.6);
    const int kind = d.whole(0, 3); // one colour, greys, pastels, colours
    const Json one = d.colour();
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const double u = (c - columns / 2.0) * pitch, v = (r - rows / 2.0) * pitch * aspect;
            Json surface = kind == 0   ? one
                           : kind == 1 ? Json{d.uniform(15, 95), 0, 0}
                           : kind == 2 ? Json{d.uniform(60, 90), d.uniform(-15, 15), d.uniform(-15, 15)}
                                       : d.colour();
            objects.push_back({{"shape", "rectangle"},
                               {"at",
                                {x + u * std::cos(angle) - v * std::sin(angle),
                                 y + 1.5 * (u * std::sin(angle) + v * std::cos(angle))}},
                               {"size", {pitch * fill, pitch * aspect * fill}},
                               {"rotation_deg", angle * 180 / M_PI},
                               {"surface", surface}});
        }
}

Json light(Draw& d) {
    switch (d.whole(0, 3)) {
    case 0: return d.pick({"window", "tungsten", "led", "flash", "fluorescent"});
    case 1: return {{"planck", d.uniform(1900, 4000)}};
    case 2: return {{"daylight", d.uniform(4500, 20000)}};
    default: { // one band stronger than the rest: a coloured gel
        const double peak = d.uniform(450, 640);
        Json nm = Json::array(), value = Json::array();
        for (int w = 380; w <= 780; w += 20) {
            nm.push_back(w);
            value.push_back(0.25 + std::exp(-std::pow((w - peak) / 60, 2)));
        }
        return {{"spectrum", {{"nm", nm}, {"value", value}}}};
    }
    }
}

} // namespace

double smaller_side_mm(const chart::Definition& d) {
    double side = 1e9;
    for (const auto& p : d.patches) side = std::min({side, p.w_mm, p.h_mm});
    return side;
}

fs::path user_grid(const fs::path& folder, const std::string& id, int columns, int rows, double w, double h, double gap,
                   std::uint64_t seed) {
    Draw d{std::mt19937_64(seed)};
    Json j{{"refero_chart", 1},
           {"id", id},
           {"title", id},
           {"size_mm", {columns * (w + gap) - gap, rows * (h + gap) - gap}},
           {"reference", id + ".cgats"},
           {"patches", Json::array()}};
    std::string table = formatted("CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A "
                                  "LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS {}\nBEGIN_DATA\n",
                                  columns * rows);
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const std::string patch = std::string(1, static_cast<char>('A' + r)) + std::to_string(c + 1);
            const bool neutral = d.whole(0, 5) == 0;
            j["patches"].push_back({{"id", patch},
                                    {"rect_mm", {c * (w + gap), r * (h + gap), w, h}},
                                    {"role", neutral ? "neutral" : "other"}});
            const double L = d.uniform(20, 92), chroma = neutral ? 0 : d.uniform(5, 45), hue = d.uniform(0, 2 * M_PI);
            table += formatted("{} {:.2f} {:.2f} {:.2f}\n", patch, L, chroma * std::cos(hue), chroma * std::sin(hue));
        }
    const fs::path file = folder / (id + ".json");
    std::ofstream(file) << j.dump(1);
    std::ofstream(folder / (id + ".cgats")) << table << "END_DATA\n";
    return file;
}

Drawn draw(Draw& d, const Charts& charts, bool with_chart, bool raw) {
    Drawn out;
    Json& s = out.scene;
    const double megapixels = d.uniform(2, 6);
    const int width = static_cast<int>(std::sqrt(megapixels * 1.5e6)) & ~1, height = static_cast<int>(width / 1.5) & ~1;
    const Json from_light = light(d);
    s = {{"refero_scene", 1},
         {"size", {width, height}},
         {"seed", d.random() % 1000000},
         {"camera", d.pick({"stills-a", "stills-b", "cine-a", "cine-b"})},
         {"light", from_light}};
    const double dim = d.uniform(0, 4.5), noise = d.uniform(0, 0.08), clutter_pieces = d.uniform(0, 40);
    s["white"] = 0.95 * std::exp2(-dim);
    s["background"] = {{"surface", {d.uniform(10, 90), d.uniform(-20, 20), d.uniform(-20, 20)}},
                       {"texture", d.uniform(0, 0.4)},
                       {"texture_px", d.uniform(2, 30)}};
    s["falloff_stops"] = d.uniform(0, 1.5);
    s["falloff_deg"] = d.uniform(0, 360);
    // Photon noise of a middle grey, relative, sets the ISO.
    const double grey = 0.18 * 0.95 * std::exp2(-dim);
    s["iso"] = std::clamp(100 * 50000 * grey * noise * noise, 1.0, 1e6);
    Json objects = Json::array();
    clutter(objects, d, static_cast<int>(clutter_pieces));
    for (int i = d.whole(with_chart ? 0 : 2, with_chart ? 2 : 8); i > 0; --i) bait(objects, d);
    double blur = d.uniform(0.5, 4);
    if (with_chart) {
        const auto& [id, definition] = charts[d.random() % charts.size()];
        const double side = smaller_side_mm(definition), rotation = d.uniform(0, 360),
                     c = std::abs(std::cos(rotation * M_PI / 180)), n = std::abs(std::sin(rotation * M_PI / 180));
        const double span_x = (definition.width_mm + 20) * c + (definition.height_mm + 20) * n,
                     span_y = (definition.width_mm + 20) * n + (definition.height_mm + 20) * c;
        const double most =
            0.97 * std::min(width / span_x, height / span_y) * side; // pixels a patch that fill the frame
        const double px =
            std::exp(d.uniform(std::log(raw ? 12.0 : 6.0), std::log(most))); // a raw file is measured in 2 x 2 cells
        const double scale = px / side / width;                              // shares of the width a millimetre
        const double fx = span_x * scale, fy = span_y * scale * width / height;
        const double at_x = d.uniform(fx / 2, 1 - fx / 2), at_y = d.uniform(fy / 2, 1 - fy / 2);
        const double tilt = d.uniform(0, 45), share_hidden = d.uniform(0, 0.25), blur_share = d.uniform(0, 0.2);
        blur = std::max(0.5, blur_share * px);
        Json first{{"id", id},
                   {"at", {at_x, at_y}},
                   {"width", definition.width_mm * scale},
                   {"rotation_deg", rotation},
                   {"tilt_deg", tilt},
                   {"tilt_axis_deg", d.uniform(0, 180)},
                   {"mirrored", d.whole(0, 9) == 0}};
        s["charts"] = Json::array({first});
        s["lens"] = {{"focal_mm", 70}, {"blur_px", blur}, {"vignetting_stops", d.uniform(0, 0.8)}};
        const int others = d.whole(0, 2);
        for (int i = 0; i < others; ++i) {
            const auto& [other_id, other] = charts[d.random() % charts.size()];
            const double its_scale = scale * side / smaller_side_mm(other); // as many pixels a patch
            const double wide = (other.width_mm + 25) * its_scale, high = (other.height_mm + 25) * its_scale;
            const double reach = std::hypot(wide, high) / 2,
                         reach_first = std::hypot(definition.width_mm + 20, definition.height_mm + 20) * scale / 2;
            const double x = d.uniform(0, 1), y = d.uniform(0, 1);
            bool room = x > reach && x < 1 - reach && y > 1.5 * reach && y < 1 - 1.5 * reach &&
                        std::hypot(x - at_x, (y - at_y) / 1.5) > reach + reach_first;
            for (const Json& c2 : s["charts"])
                if (&c2 != &s["charts"][0])
                    room = room && std::hypot(x - c2["at"][0].get<double>(), (y - c2["at"][1].get<double>()) / 1.5) >
                                       2.2 * reach;
            if (room)
                s["charts"].push_back({{"id", other_id},
                                       {"at", {x, y}},
                                       {"width", other.width_mm * its_scale},
                                       {"rotation_deg", d.uniform(0, 360)},
                                       {"tilt_deg", d.uniform(0, 45)},
                                       {"tilt_axis_deg", d.uniform(0, 180)}});
        }
        // Hands and cases over patches, at places of the first chart.
        Json only = s;
        only["charts"] = Json::array({first});
        only["size"] = {150, 100};
        const auto corners = simulate::render(simulate::parse_scene(only.dump(), "bench")).charts[0].corners;
        const auto map = chart::pixels_from_mm(definition, corners);
        std::vector<std::size_t> order(definition.patches.size());
        for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
        std::shuffle(order.begin(), order.end(), d.random);
        const auto hidden = static_cast<std::size_t>(share_hidden * static_cast<double>(order.size()));
        // From one side, as fingers and cases come: the patches nearest to a random corner of the chart.
        const chart::Point from = corners[d.random() % 4];
        const auto middle = [&](std::size_t i) {
            const auto& p = definition.patches[i];
            return map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
        };
        if (d.whole(0, 1))
            std::sort(order.begin(), order.end(),
                      [&](auto a, auto b) { return (middle(a) - from).norm() < (middle(b) - from).norm(); });
        const Json skin{d.uniform(30, 75), 16, 18};
        for (std::size_t i = 0; i < hidden; ++i) {
            const auto& p = definition.patches[order[i]];
            const auto q = middle(order[i]);
            objects.push_back({{"shape", "ellipse"},
                               {"in_front", true},
                               {"at", {q.x() / 150, q.y() / 100}},
                               {"size", {1.25 * p.w_mm * scale, 1.25 * p.h_mm * scale}},
                               {"rotation_deg", rotation},
                               {"surface", skin}});
        }
        out.factor = {{"pixels a patch", px},
                      {"rotation", rotation},
                      {"tilt", tilt},
                      {"hidden share", static_cast<double>(hidden) / static_cast<double>(order.size())},
                      {"blur over patch", blur / px},
                      {"noise of grey", noise},
                      {"stops dim", dim},
                      {"charts", static_cast<double>(s["charts"].size())},
                      {"clutter pieces", clutter_pieces},
                      {"megapixels", megapixels},
                      {"fall-off stops", s["falloff_stops"].get<double>()}};
    } else {
        s["lens"] = {{"focal_mm", 70}, {"blur_px", blur}, {"vignetting_stops", d.uniform(0, 0.8)}};
    }
    s["objects"] = objects;
    return out;
}

std::vector<Truth> truths(const fs::path& file) {
    fs::path beside = file;
    beside.replace_extension(".truth.json");
    std::vector<Truth> all;
    const Json j = Json::parse(read_file(beside, 64 << 20));
    for (const Json& c : j["charts"]) {
        Truth t{c["chart"], {}, c["mirrored"]};
        for (std::size_t i = 0; i < 4; ++i)
            t.corners[i] = {c["corners"][i][0].get<double>(), c["corners"][i][1].get<double>()};
        if (t.mirrored && t.chart.starts_with("grid24")) { // the unmirrored definition explains it, too
            t.chart = t.chart == "grid24" ? "grid24-reversed" : "grid24";
            t.mirrored = false;
            t.corners = {t.corners[1], t.corners[0], t.corners[3], t.corners[2]};
        }
        all.push_back(t);
    }
    return all;
}

} // namespace refero::bench
