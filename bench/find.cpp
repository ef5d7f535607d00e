// The finder on simulated frames: refero-find-bench FOLDER [FRAMES] [SEED]. Every factor is drawn independently and
// uniformly over its range (sizes on a logarithmic scale); a third as many frames again hold no chart but plenty of bait.
// Frames are kept in FOLDER, so that another run measures the same ones.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <map>
#include <random>

#include <nlohmann/json.hpp>
#include <tbb/parallel_for.h>

#include "chart/chart.hpp"
#include "find/find.hpp"
#include "simulate/simulate.hpp"

using namespace refero;
using Json = nlohmann::json;
namespace fs = std::filesystem;

namespace {

struct Draw {
    std::mt19937_64 random;
    double uniform(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); }
    int whole(int a, int b) { return std::uniform_int_distribution<int>(a, b)(random); }
    template <class T> T pick(std::initializer_list<T> all) { return *(all.begin() + static_cast<std::ptrdiff_t>(random() % all.size())); }
    Json colour() { return {uniform(15, 92), uniform(-55, 55), uniform(-55, 55)}; }
};

/// A chart such as a user might make: any grid, colours at random, a few neutrals.
fs::path user_grid(const fs::path& folder, const std::string& id, int columns, int rows, double w, double h, double gap, std::uint64_t seed) {
    Draw d{std::mt19937_64(seed)};
    Json j{{"refero_chart", 1}, {"id", id}, {"title", id}, {"size_mm", {columns * (w + gap) - gap, rows * (h + gap) - gap}}, {"reference", id + ".cgats"}, {"patches", Json::array()}};
    std::string table = formatted("CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS %d\nBEGIN_DATA\n", columns * rows);
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const std::string patch = std::string(1, static_cast<char>('A' + r)) + std::to_string(c + 1);
            const bool neutral = d.whole(0, 5) == 0;
            j["patches"].push_back({{"id", patch}, {"rect_mm", {c * (w + gap), r * (h + gap), w, h}}, {"role", neutral ? "neutral" : "other"}});
            const double L = d.uniform(20, 92), chroma = neutral ? 0 : d.uniform(5, 45), hue = d.uniform(0, 2 * M_PI);
            table += formatted("%s %.2f %.2f %.2f\n", patch.c_str(), L, chroma * std::cos(hue), chroma * std::sin(hue));
        }
    const fs::path file = folder / (id + ".json");
    std::ofstream(file) << j.dump(1);
    std::ofstream(folder / (id + ".cgats")) << table << "END_DATA\n";
    return file;
}

void clutter(Json& objects, Draw& d, int pieces) {
    for (int i = 0; i < pieces; ++i)
        objects.push_back({{"shape", d.pick({"rectangle", "rectangle", "ellipse", "leaf"})}, {"at", {d.uniform(0, 1), d.uniform(0, 0.7)}}, {"size", {d.uniform(0.01, 0.3), d.uniform(0.01, 0.3)}}, {"rotation_deg", d.pick({0.0, 0.0, d.uniform(0, 180)})}, {"surface", d.colour()}, {"texture", d.uniform(0, 0.3)}, {"texture_px", d.uniform(2, 20)}});
}

/// Rows of rectangles: shelves, windows, pages of another chart, a mosaic.
void bait(Json& objects, Draw& d) {
    const int columns = d.whole(2, 9), rows = d.whole(1, 7);
    const double pitch = d.uniform(0.012, 0.09), aspect = d.uniform(0.6, 1.6), fill = d.uniform(0.7, 1.0), angle = d.pick({0.0, d.uniform(0, 90)}) * M_PI / 180;
    const double x = d.uniform(0.1, 0.9), y = d.uniform(0.1, 0.6);
    const int kind = d.whole(0, 3); // one colour, greys, pastels, colours
    const Json one = d.colour();
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const double u = (c - columns / 2.0) * pitch, v = (r - rows / 2.0) * pitch * aspect;
            Json surface = kind == 0 ? one : kind == 1 ? Json{d.uniform(15, 95), 0, 0} : kind == 2 ? Json{d.uniform(60, 90), d.uniform(-15, 15), d.uniform(-15, 15)} : d.colour();
            objects.push_back({{"shape", "rectangle"}, {"at", {x + u * std::cos(angle) - v * std::sin(angle), y + 1.5 * (u * std::sin(angle) + v * std::cos(angle))}}, {"size", {pitch * fill, pitch * aspect * fill}}, {"rotation_deg", angle * 180 / M_PI}, {"surface", surface}});
        }
}

struct Drawn {
    Json scene;
    std::map<std::string, double> factor; ///< of the first chart
    std::string chart;
};

double smaller_side_mm(const chart::Definition& d) {
    double side = 1e9;
    for (const auto& p : d.patches) side = std::min({side, p.w_mm, p.h_mm});
    return side;
}

Json light(Draw& d) {
    switch (d.whole(0, 3)) {
    case 0: return d.pick({"window", "tungsten", "led", "flash", "fluorescent"});
    case 1: return {{"planck", d.uniform(1900, 4000)}};
    case 2: return {{"daylight", d.uniform(4500, 20000)}};
    default: { // one band stronger than the rest: a coloured gel
        const double peak = d.uniform(450, 640);
        Json nm = Json::array(), value = Json::array();
        for (int w = 380; w <= 780; w += 20) nm.push_back(w), value.push_back(0.25 + std::exp(-std::pow((w - peak) / 60, 2)));
        return {{"spectrum", {{"nm", nm}, {"value", value}}}};
    }
    }
}

Drawn draw(Draw& d, const std::vector<std::pair<std::string, chart::Definition>>& charts, bool with_chart, bool raw) {
    Drawn out;
    Json& s = out.scene;
    const double megapixels = d.uniform(2, 6);
    const int width = static_cast<int>(std::sqrt(megapixels * 1.5e6)) & ~1, height = static_cast<int>(width / 1.5) & ~1;
    const Json from_light = light(d);
    s = {{"refero_scene", 1}, {"size", {width, height}}, {"seed", d.random() % 1000000}, {"camera", d.pick({"stills-a", "stills-b", "cine-a", "cine-b"})}, {"light", from_light}};
    const double dim = d.uniform(0, 4.5), noise = d.uniform(0, 0.08), clutter_pieces = d.uniform(0, 40);
    s["white"] = 0.95 * std::exp2(-dim);
    s["background"] = {{"surface", {d.uniform(10, 90), d.uniform(-20, 20), d.uniform(-20, 20)}}, {"texture", d.uniform(0, 0.4)}, {"texture_px", d.uniform(2, 30)}};
    s["falloff_stops"] = d.uniform(0, 1.5), s["falloff_deg"] = d.uniform(0, 360);
    // Photon noise of a middle grey, relative, sets the ISO.
    const double grey = 0.18 * 0.95 * std::exp2(-dim);
    s["iso"] = std::clamp(100 * 50000 * grey * noise * noise, 1.0, 1e6);
    Json objects = Json::array();
    clutter(objects, d, static_cast<int>(clutter_pieces));
    for (int i = d.whole(with_chart ? 0 : 2, with_chart ? 2 : 8); i > 0; --i) bait(objects, d);
    double blur = d.uniform(0.5, 4);
    if (with_chart) {
        const auto& [id, definition] = charts[d.random() % charts.size()];
        out.chart = definition.id;
        const double side = smaller_side_mm(definition), rotation = d.uniform(0, 360), c = std::abs(std::cos(rotation * M_PI / 180)), n = std::abs(std::sin(rotation * M_PI / 180));
        const double span_x = (definition.width_mm + 20) * c + (definition.height_mm + 20) * n, span_y = (definition.width_mm + 20) * n + (definition.height_mm + 20) * c;
        const double most = 0.97 * std::min(width / span_x, height / span_y) * side; // pixels a patch that fill the frame
        const double px = std::exp(d.uniform(std::log(raw ? 12.0 : 6.0), std::log(most))); // a raw file is measured in 2 x 2 cells
        const double scale = px / side / width; // shares of the width a millimetre
        const double fx = span_x * scale, fy = span_y * scale * width / height;
        const double at_x = d.uniform(fx / 2, 1 - fx / 2), at_y = d.uniform(fy / 2, 1 - fy / 2);
        const double tilt = d.uniform(0, 45), share_hidden = d.uniform(0, 0.25), blur_share = d.uniform(0, 0.2);
        blur = std::max(0.5, blur_share * px);
        Json first{{"id", id}, {"at", {at_x, at_y}}, {"width", definition.width_mm * scale}, {"rotation_deg", rotation}, {"tilt_deg", tilt}, {"tilt_axis_deg", d.uniform(0, 180)}, {"mirrored", d.whole(0, 9) == 0}};
        s["charts"] = Json::array({first});
        s["lens"] = {{"focal_mm", 70}, {"blur_px", blur}, {"vignetting_stops", d.uniform(0, 0.8)}};
        const int others = d.whole(0, 2);
        for (int i = 0; i < others; ++i) {
            const auto& [other_id, other] = charts[d.random() % charts.size()];
            const double its_scale = scale * side / smaller_side_mm(other); // as many pixels a patch
            const double wide = (other.width_mm + 25) * its_scale, high = (other.height_mm + 25) * its_scale;
            const double reach = std::hypot(wide, high) / 2, reach_first = std::hypot(definition.width_mm + 20, definition.height_mm + 20) * scale / 2;
            const double x = d.uniform(0, 1), y = d.uniform(0, 1);
            bool room = x > reach && x < 1 - reach && y > 1.5 * reach && y < 1 - 1.5 * reach && std::hypot(x - at_x, (y - at_y) / 1.5) > reach + reach_first;
            for (const Json& c2 : s["charts"])
                if (&c2 != &s["charts"][0]) room = room && std::hypot(x - c2["at"][0].get<double>(), (y - c2["at"][1].get<double>()) / 1.5) > 2.2 * reach;
            if (room) s["charts"].push_back({{"id", other_id}, {"at", {x, y}}, {"width", other.width_mm * its_scale}, {"rotation_deg", d.uniform(0, 360)}, {"tilt_deg", d.uniform(0, 45)}, {"tilt_axis_deg", d.uniform(0, 180)}});
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
        const auto middle = [&](std::size_t i) { const auto& p = definition.patches[i]; return map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}); };
        if (d.whole(0, 1)) std::sort(order.begin(), order.end(), [&](auto a, auto b) { return (middle(a) - from).norm() < (middle(b) - from).norm(); });
        const Json skin{d.uniform(30, 75), 16, 18};
        for (std::size_t i = 0; i < hidden; ++i) {
            const auto& p = definition.patches[order[i]];
            const auto q = middle(order[i]);
            objects.push_back({{"shape", "ellipse"}, {"in_front", true}, {"at", {q.x() / 150, q.y() / 100}}, {"size", {1.25 * p.w_mm * scale, 1.25 * p.h_mm * scale}}, {"rotation_deg", rotation}, {"surface", skin}});
        }
        out.factor = {{"measured pixels a patch", raw ? px / 2 : px}, {"rotation", rotation}, {"tilt", tilt}, {"hidden share", static_cast<double>(hidden) / static_cast<double>(order.size())}, {"blur over patch", blur / px}, {"noise of grey", noise}, {"stops dim", dim}, {"charts", static_cast<double>(s["charts"].size())}, {"clutter pieces", clutter_pieces}, {"megapixels", megapixels}, {"fall-off stops", s["falloff_stops"].get<double>()}};
    } else {
        s["lens"] = {{"focal_mm", 70}, {"blur_px", blur}, {"vignetting_stops", d.uniform(0, 0.8)}};
    }
    s["objects"] = objects;
    return out;
}

struct Frame {
    fs::path file;
    Drawn drawn;
};

struct Truth {
    std::string chart;
    chart::Corners corners;
    bool mirrored;
};

std::vector<Truth> truths(const fs::path& file) {
    fs::path beside = file;
    beside.replace_extension(".truth.json");
    std::vector<Truth> all;
    const Json j = Json::parse(read_file(beside, 64 << 20));
    for (const Json& c : j["charts"]) {
        Truth t{c["chart"], {}, c["mirrored"]};
        for (std::size_t i = 0; i < 4; ++i) t.corners[i] = {c["corners"][i][0].get<double>(), c["corners"][i][1].get<double>()};
        if (t.mirrored && t.chart.starts_with("grid24")) { // the unmirrored definition explains it, too
            t.chart = t.chart == "grid24" ? "grid24-reversed" : "grid24";
            t.mirrored = false;
            t.corners = {t.corners[1], t.corners[0], t.corners[3], t.corners[2]};
        }
        all.push_back(t);
    }
    return all;
}

/// Mean distance of the corners over the pitch of the patches.
double error_pitch(const Truth& t, const find::Placement& p, const chart::Definition& d) {
    double sum = 0;
    for (std::size_t i = 0; i < 4; ++i) sum += (t.corners[i] - p.corners[i]).norm() / 4;
    const double pitch_mm = std::sqrt(d.width_mm * d.height_mm / static_cast<double>(d.patches.size()));
    return sum / (pitch_mm * std::sqrt(std::abs(chart::signed_area(t.corners)) / (d.width_mm * d.height_mm)));
}

double at_share(std::vector<double> v, double share) {
    if (v.empty()) return NAN;
    std::sort(v.begin(), v.end());
    return v[static_cast<std::size_t>(share * static_cast<double>(v.size() - 1))];
}

struct Result {
    std::map<std::string, double> factor;
    std::string chart;
    bool found;
};

} // namespace

int main(int argc, char** argv) {
    if (argc < 2) return std::fprintf(stderr, "refero-find-bench FOLDER [FRAMES] [SEED]\n"), 2;
    const fs::path folder = argv[1];
    const int frames = argc > 2 ? std::atoi(argv[2]) : 300;
    const std::uint64_t seed = argc > 3 ? static_cast<std::uint64_t>(std::atoll(argv[3])) : 1;
    const std::string only = argc > 4 ? argv[4] : "";
    fs::create_directories(folder);
    std::vector<std::pair<std::string, chart::Definition>> charts;
    for (const char* id : {"grid24", "grid24-reversed", "panels48", "balance-page", "video"}) charts.emplace_back(id, chart::find_definition(id));
    for (const fs::path& file : {user_grid(folder, "user-7x5", 7, 5, 16, 12, 0, 5), user_grid(folder, "user-12x10", 12, 10, 8, 8, 1, 6)})
        charts.emplace_back(file.string(), chart::load_definition(file));
    std::vector<chart::Definition> definitions;
    for (const auto& [id, definition] : charts) definitions.push_back(definition);

    std::vector<Frame> all;
    for (int i = 0; i < frames + frames / 2; ++i) {
        Draw d{std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(i) * 977)};
        Frame f{folder / formatted("%llu-%04d.%s", static_cast<unsigned long long>(seed), i, i % 2 ? "tif" : "dng"), draw(d, charts, i < frames, i % 2 == 0)};
        all.push_back(std::move(f));
    }
    tbb::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
        if (!fs::exists(all[i].file)) simulate::write(simulate::render(simulate::parse_scene(all[i].drawn.scene.dump(), all[i].file)), all[i].file);
    });

    std::vector<double> errors, milliseconds;
    std::vector<Result> results;
    int false_finds = 0, charts_in_all = 0, found_in_all = 0;
    for (const Frame& f : all) {
        if (!only.empty() && f.file.filename().string().find(only) == std::string::npos) continue;
        const frame::Frame image = frame::read(f.file);
        const auto start = std::chrono::steady_clock::now();
        const auto found = find::locate(image, definitions);
        milliseconds.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count());
        if (milliseconds.back() > 400) std::fprintf(stderr, "slow %s: %.0f ms, %.1f megapixels\n", f.file.filename().c_str(), milliseconds.back(), image.width * image.height / 1e6);
        const auto truth = truths(f.file);
        std::vector<bool> used(found.size());
        for (std::size_t t = 0; t < truth.size(); ++t) {
            bool hit = false;
            double nearest = 1e9;
            std::string as;
            for (std::size_t i = 0; i < found.size(); ++i) {
                const auto& definition = std::find_if(definitions.begin(), definitions.end(), [&](const auto& d) { return d.id == found[i].chart; });
                const double e = error_pitch(truth[t], found[i], *definition);
                if (e < nearest) nearest = e, as = found[i].chart;
                if (found[i].chart != truth[t].chart || found[i].mirrored != truth[t].mirrored || e > 0.3) continue;
                used[i] = hit = true;
                errors.push_back(e);
            }
            ++charts_in_all, found_in_all += hit;
            if (t == 0) results.push_back({f.drawn.factor, f.drawn.chart, hit});
            if (!hit) {
                std::string told;
                if (t == 0) for (const auto& [name, value] : f.drawn.factor) told += formatted("%s %.3g, ", name.c_str(), value);
                std::fprintf(stderr, "missed %s[%zu] %s (nearest %s %.2f): %s\n", f.file.filename().c_str(), t, truth[t].chart.c_str(), as.c_str(), nearest, told.c_str());
            }
        }
        for (std::size_t i = 0; i < found.size(); ++i)
            if (!used[i]) {
                ++false_finds;
                std::fprintf(stderr, "FALSE %s: %s%s confidence %.2f at %.0f,%.0f fraction %.4f\n", f.file.filename().c_str(), found[i].chart.c_str(), found[i].mirrored ? " mirrored" : "", found[i].confidence, found[i].corners[0].x(), found[i].corners[0].y(), found[i].frame_fraction);
            }
    }
    int hits = 0;
    for (const Result& r : results) hits += r.found;
    std::printf("frames %zu (%d without a chart); charts found %d of %d (%.1f %%), first charts %d of %zu (%.1f %%); false finds %d\n", milliseconds.size(), frames / 2, found_in_all, charts_in_all, 100.0 * found_in_all / std::max(1, charts_in_all), hits, results.size(), 100.0 * hits / std::max<std::size_t>(1, results.size()), false_finds);
    std::printf("corner error in pitches: median %.4f, 95 %% below %.4f; time %.0f ms median, %.0f ms worst\n", at_share(errors, 0.5), at_share(errors, 0.95), at_share(milliseconds, 0.5), at_share(milliseconds, 1));
    std::printf("| factor | bins (equal numbers of frames): from value, recall |\n|---|---|\n");
    if (!results.empty())
        for (const auto& [name, value] : std::map(results[0].factor)) {
            std::sort(results.begin(), results.end(), [&](const Result& a, const Result& b) { return a.factor.at(name) < b.factor.at(name); });
            std::string line;
            constexpr std::size_t bins = 6;
            for (std::size_t b = 0; b < bins; ++b) {
                const std::size_t from = b * results.size() / bins, to = (b + 1) * results.size() / bins;
                int in = 0;
                for (std::size_t i = from; i < to; ++i) in += results[i].found;
                if (to > from) line += formatted("%s%.3g: %.0f %%", b ? ", " : "", results[from].factor.at(name), 100.0 * in / static_cast<double>(to - from));
            }
            std::printf("| %s | %s |\n", name.c_str(), line.c_str());
        }
    std::map<std::string, std::pair<int, int>> by_chart;
    for (const Result& r : results) by_chart[r.chart].first += r.found, ++by_chart[r.chart].second;
    for (const auto& [chart, n] : by_chart) std::printf("| %s | %d of %d |\n", chart.c_str(), n.first, n.second);
}
