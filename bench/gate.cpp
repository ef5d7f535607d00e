// The gate on simulated faults: refero-gate-bench [FRAMES PER KIND] [SEED]. For each kind the strength is drawn
// uniformly from 1.2 to 4 times the limit; clean frames have every factor up to 0.8 of its limit. With --curves how
// often each check fires by strength, about the limit, as a table and as a drawing.
#include <cmath>
#include <cstdio>
#include <fstream>
#include <functional>
#include <map>
#include <random>
#include <set>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "simulate/simulate.hpp"
#include "work/pipeline.hpp"

using namespace refero;
using Json = nlohmann::json;

namespace {

struct Draw {
    std::mt19937_64 random;
    double uniform(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); }
    template<class T>
    T pick(std::initializer_list<T> all) {
        return *(all.begin() + static_cast<std::ptrdiff_t>(random() % all.size()));
    }
};

const inspect::Limits limits = inspect::limits_for({});
double limit(const char* name) { return limits.at(name).caution; }

/// A frame without a fault: every factor up to 0.8 of its limit.
Json clean(Draw& d) {
    const double share = d.uniform(1.25 * limit("size small") / 100, 0.4);
    const double width = std::sqrt(share * 2 / 3.0 * 270 / 178);
    const double room = std::max(0.0, 0.5 - 0.62 * width);
    Json s{{"refero_scene", 1},
           {"size", {1500, 1000}},
           {"seed", d.random() % 100000},
           {"camera", d.pick({"stills-a", "stills-b", "cine-a", "cine-b"})},
           {"light", d.pick({"window", "tungsten", "led", "flash", "fluorescent"})}};
    s["white"] = d.uniform(0.45, 0.95);
    s["lens"] = {{"name", "Lens"}, {"focal_mm", 50}, {"blur_px", d.uniform(0.5, 1.0)}, {"vignetting_stops", 0.1}};
    s["background"] = {{"surface", {d.uniform(20, 80), d.uniform(-15, 15), d.uniform(-15, 15)}},
                       {"texture", d.uniform(0, 0.2)},
                       {"texture_px", d.uniform(3, 20)}};
    s["charts"] = Json::array({{{"id", "grid24"},
                                {"at", {0.5 + d.uniform(-room, room) * 0.6, 0.5 + d.uniform(-room, room) * 0.4}},
                                {"width", width},
                                {"rotation_deg", d.uniform(-40, 40)},
                                {"tilt_deg", d.uniform(0, 0.8 * limit("tilt"))},
                                {"tilt_axis_deg", d.uniform(0, 180)}}});
    s["falloff_stops"] = d.uniform(0, 0.5 * limit("evenness")) / width;
    s["falloff_deg"] = d.uniform(0, 360);
    s["veil"] = d.uniform(0, 0.7 * limit("glare") / 100);
    return s;
}

/// Where a patch of the chart lies, shares of the frame.
chart::Point patch_at(const Json& scene, std::size_t patch) {
    const auto s = simulate::parse_scene(scene.dump(), "bench");
    auto small = s;
    small.width = 150;
    small.height = 100; // corners scale with the frame
    const auto r = simulate::render(small);
    const auto& d = s.charts[0].definition;
    const auto map = chart::pixels_from_mm(d, r.charts[0].corners);
    const auto& p = d.patches[patch];
    const chart::Point q = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
    return {q.x() / small.width, q.y() / small.height};
}

struct Fault {
    const char* check;
    std::function<void(Json&, Draw&, double k, std::set<std::string>& patches)> make;
};

double patch_px(const Json& s) { return s["charts"][0]["width"].get<double>() * 1500 * 40 / 270; }

std::vector<Fault> faults() {
    return {
        {"size",
         [](Json& s, Draw&, double k, auto&) {
             s["size"] = {3000, 2000};
             s["charts"][0]["width"] = std::sqrt(limit("size small") / 100 / k * 2 / 3.0 * 270 / 178);
             s["falloff_stops"] = 0;
         }},
        {"tilt",
         [](Json& s, Draw&, double k, auto&) { s["charts"][0]["tilt_deg"] = std::min(45.0, limit("tilt") * k); }},
        {"rotation", [](Json& s, Draw& d, double, auto&) { s["charts"][0]["rotation_deg"] = d.uniform(72, 288); }},
        {"focus", [](Json& s, Draw&, double k,
                     auto&) { s["lens"]["blur_px"] = limit("focus") / 100 * k * patch_px(s) / 2.563; }},
        {"clipping",
         [](Json& s, Draw&, double k, auto& p) {
             s["white"] = 1.2 * k / 1.2;
             s["veil"] = 0;
             p = {"D1"};
         }},
        {"underexposure",
         [](Json& s, Draw&, double k, auto&) { s["white"] = std::exp2(-std::min(5.5, limit("underexposure") * k)); }},
        {"evenness",
         [](Json& s, Draw&, double k, auto&) {
             s["falloff_stops"] = std::min(6.0, limit("evenness") * k / s["charts"][0]["width"].get<double>());
         }},
        {"shadow",
         [](Json& s, Draw& d, double k, auto& p) {
             const double angle = d.uniform(0, 360);
             const auto middle = patch_at(s, 8 + d.random() % 2);
             s["shadows"] = Json::array({{{"at", {middle.x(), middle.y()}},
                                          {"angle_deg", angle},
                                          {"stops", limit("shadow") * k},
                                          {"soft_px", 4}}});
             const auto chart = simulate::parse_scene(s.dump(), "bench").charts[0].definition;
             for (std::size_t i = 0; i < 24; ++i) {
                 const auto q = patch_at(s, i);
                 if ((q.x() - middle.x()) * 1.5 * std::cos(angle * M_PI / 180) +
                         (q.y() - middle.y()) * std::sin(angle * M_PI / 180) >
                     0.02)
                     p.insert(chart.patches[i].id);
             }
         }},
        {"glare",
         [](Json& s, Draw& d, double k, auto& p) {
             if (d.random() % 2) {
                 s["veil"] = limit("glare") / 100 * k;
                 return;
             }
             const std::size_t i = d.random() % 24;
             const auto at = patch_at(s, i);
             s["sheens"] = Json::array({{{"at", {at.x() + d.uniform(-0.25, 0.25) * patch_px(s) / 1500, at.y()}},
                                         {"size", std::sqrt(limit("glare spot") / 100 * k / M_PI) * patch_px(s) / 1500},
                                         {"strength", d.uniform(0.3, 1)}}});
             p.insert(simulate::parse_scene(s.dump(), "bench").charts[0].definition.patches[i].id);
         }},
        {"occlusion",
         [](Json& s, Draw& d, double k, auto& p) {
             const std::size_t i = d.random() % 24;
             const auto at = patch_at(s, i);
             const auto id = simulate::parse_scene(s.dump(), "bench").charts[0].definition.patches[i].id;
             if (d.random() % 2) s["charts"][0]["faded"] = {{id, 1 - std::min(0.85, limit("occlusion") / 100 * k)}};
             else
                 s["objects"] = Json::array({{{"shape", "ellipse"},
                                              {"in_front", true},
                                              {"at", {at.x(), at.y()}},
                                              {"size", {0.45 * k * patch_px(s) / 1500, 0.4 * k * patch_px(s) / 1500}},
                                              {"rotation_deg", d.uniform(0, 180)},
                                              {"surface", {d.uniform(30, 75), 17, 18}}}});
             p.insert(id);
         }},
        {"mixed_light",
         [](Json& s, Draw& d, double k, auto&) {
             s["second_light"] = {{"light", s["light"] == "tungsten" ? "window" : "tungsten"},
                                  {"share", 0.0},
                                  {"angle_deg", d.uniform(0, 360)}};
             const auto scene = simulate::parse_scene(s.dump(), "bench");
             const auto one = scene.camera.response(simulate::Spectrum::constant(1), scene.light),
                        two = scene.camera.response(simulate::Spectrum::constant(1), scene.second_light->light);
             // From the middle of the frame to either side of the chart.
             const double half = s["charts"][0]["width"].get<double>() / 2;
             const auto change = [&](double share) {
                 const auto ratio = [&](double at) {
                     const double w = share * (0.5 + at);
                     return ((1 - w) * one[0] + w * two[0]) / ((1 - w) * one[2] + w * two[2]);
                 };
                 return std::abs(std::log2(ratio(half) / ratio(-half)));
             };
             double share = 0;
             while (share < 0.99 && change(share) < std::log2(1 + limit("mixed_light") / 100 * k)) share += 0.005;
             s["second_light"]["share"] = share;
         }},
        {"mirrored", [](Json& s, Draw&, double, auto&) { s["charts"][0]["mirrored"] = true; }},
        {"noise",
         [](Json& s, Draw&, double k, auto&) {
             const auto scene = simulate::parse_scene(s.dump(), "bench");
             // Green of a 20 % grey in a cell of two sites: electrons from the wanted signal to noise.
             const double wanted = std::pow(10, limit("noise") / 20) / k, signal = 0.2 * s["white"].get<double>();
             s["iso"] =
                 std::min(1e6, scene.camera.base_iso * 2 * scene.camera.full_well_e * signal / (wanted * wanted));
         }},
    };
}

struct Outcome {
    bool found = true;
    std::set<std::string> fired;
    std::vector<std::string> patches;
};

Outcome look(const Json& scene, const std::string& check, const std::filesystem::path& file) {
    simulate::write(simulate::render(simulate::parse_scene(scene.dump(), "bench")), file);
    Outcome o;
    try {
        const auto shot = work::take_shot(file, {.chart = "grid24"});
        for (const auto& f : work::judge(shot.frame, shot, limits).findings)
            if (f.status != inspect::Status::pass) {
                o.fired.insert(f.check);
                if (f.check == check) o.patches = f.patches;
            }
    } catch (const Error& e) {
        if (e.kind() != ErrorKind::not_found) throw;
        o.found = false;
        o.fired.insert("found");
    }
    return o;
}

Draw draw_of(const Fault& fault, std::uint64_t seed, int frame) {
    return {std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(frame) * 17 +
                            std::hash<std::string>{}(fault.check))};
}

/// Strengths over the limit at which the curves are measured.
constexpr double strengths[] = {0.5, 0.7, 0.85, 1, 1.15, 1.4, 2};
struct Curve {
    std::string check;
    std::vector<double> fired; ///< shares, by strength
};

std::vector<Curve> curves(int frames, std::uint64_t seed, const std::filesystem::path& file) {
    std::vector<Curve> all;
    for (const Fault& fault : faults()) {
        if (std::string(fault.check) == "rotation" || std::string(fault.check) == "mirrored") continue; // there or not
        Curve curve{fault.check, {}};
        for (const double k : strengths) {
            int fired = 0;
            for (int i = 0; i < frames; ++i) {
                Draw d = draw_of(fault, seed, i);
                Json scene = clean(d);
                std::set<std::string> patches;
                fault.make(scene, d, k, patches);
                fired += look(scene, fault.check, file).fired.contains(fault.check);
            }
            curve.fired.push_back(static_cast<double>(fired) / frames);
        }
        all.push_back(curve);
        std::fprintf(stderr, "%s\n", fault.check);
    }
    return all;
}

/// Small pictures of the curves, four in a row: strength on a logarithmic axis, share of the frames from 0 to 1.
std::string drawing_of(const std::vector<Curve>& all) {
    constexpr double w = 200, h = 110, left = 34, top = 26, across = w - left - 14, down = h - top - 22;
    const auto x_of = [&](double k) {
        return left +
               across * std::log(k / strengths[0]) / std::log(strengths[std::size(strengths) - 1] / strengths[0]);
    };
    const auto y_of = [&](double share) { return top + down * (1 - share); };
    const int rows = static_cast<int>((all.size() + 3) / 4);
    std::string svg = formatted(
        R"(<svg xmlns="http://www.w3.org/2000/svg" width="{:g}" height="{:g}" viewBox="-8 0 {:g} {:g}" font-family="sans-serif" font-size="10"><rect x="-8" width="100%" height="100%" fill="white"/>)",
        4 * w + 8, rows * h, 4 * w + 8, rows * h);
    for (std::size_t i = 0; i < all.size(); ++i) {
        svg += formatted(
            "\n<g transform=\"translate({:g},{:g})\"><text x=\"{:g}\" y=\"16\" font-weight=\"bold\">{}</text>",
            w * static_cast<double>(i % 4), h * static_cast<double>(i / 4), left, all[i].check);
        svg += formatted("<path d=\"M{:g} {:g}V{:g}H{:g}\" fill=\"none\" stroke=\"#888\"/><path d=\"M{:g} {:g}V{:g}\" "
                         "stroke=\"#bbb\" stroke-dasharray=\"3 3\"/>",
                         left, y_of(1), y_of(0), left + across, x_of(1), y_of(1), y_of(0));
        for (const double share : {0.0, 1.0})
            svg += formatted("<text x=\"{:g}\" y=\"{:g}\" text-anchor=\"end\">{:.0f} %</text>", left - 4,
                             y_of(share) + 3, 100 * share);
        for (const double k : {0.5, 1.0, 2.0})
            svg +=
                formatted("<text x=\"{:g}\" y=\"{:g}\" text-anchor=\"middle\">{:g}</text>", x_of(k), y_of(0) + 13, k);
        std::string points;
        for (std::size_t k = 0; k < all[i].fired.size(); ++k)
            points += formatted("{:g},{:g} ", x_of(strengths[k]), y_of(all[i].fired[k]));
        svg += "<polyline fill=\"none\" stroke=\"#0a6b6b\" stroke-width=\"2\" points=\"" + points + "\"/></g>";
    }
    return svg + "\n</svg>\n";
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app("The gate on simulated faults");
    int frames = 40;
    std::uint64_t seed = 1;
    bool verbose = false;
    std::string only;
    std::filesystem::path drawing;
    app.add_option("frames", frames, "of each kind; five times as many clean ones");
    app.add_option("seed", seed);
    app.add_flag("--verbose", verbose, "the scenes that were judged wrongly");
    app.add_option("--only", only, "one check, and no clean frames");
    app.add_option("--curves", drawing, "how often checks fire about their limits: an SVG file to write");
    CLI11_PARSE(app, argc, argv);
    const auto folder = std::filesystem::temp_directory_path() / ("refero-gate-" + std::to_string(getpid()));
    std::filesystem::create_directories(folder);
    if (!drawing.empty()) {
        const auto all = curves(frames, seed, folder / "a.dng");
        std::ofstream(drawing) << drawing_of(all);
        std::printf("| check |");
        for (const double k : strengths) std::printf(" %g |", k);
        std::printf("\n|---|%s\n",
                    [] {
                        std::string s;
                        for (std::size_t k = 0; k < std::size(strengths); ++k) s += "---|";
                        return s;
                    }()
                        .c_str());
        for (const Curve& c : all) {
            std::printf("| %s |", c.check.c_str());
            for (const double share : c.fired) std::printf(" %.0f %% |", 100 * share);
            std::printf("\n");
        }
        return static_cast<int>(std::filesystem::remove_all(folder) == 0);
    }
    std::printf("| fault | frames | caught | not found | other checks fired |\n|---|---|---|---|---|\n");
    for (const Fault& fault : faults()) {
        if (!only.empty() && only != fault.check) continue;
        int caught = 0, lost = 0;
        std::map<std::string, int> others;
        for (int i = 0; i < frames; ++i) {
            Draw d = draw_of(fault, seed, i);
            Json scene = clean(d);
            std::set<std::string> patches;
            const double k = d.uniform(1.2, 4);
            fault.make(scene, d, k, patches);
            const Outcome o = look(scene, fault.check, folder / "a.dng");
            bool right = o.fired.contains(fault.check);
            if (right && !patches.empty())
                right =
                    std::any_of(o.patches.begin(), o.patches.end(), [&](const auto& p) { return patches.contains(p); });
            caught += right;
            lost += !o.found;
            if (!right && verbose) {
                std::string fired;
                for (const auto& f : o.fired) fired += f + " ";
                std::fprintf(stderr, "%s %d missed, k %.2f, fired: %s\n%s\n", fault.check, i, k, fired.c_str(),
                             scene.dump().c_str());
            }
            for (const auto& f : o.fired)
                if (f != fault.check) ++others[f];
        }
        std::string more;
        for (const auto& [name, n] : others) more += formatted("{}{} {}", more.empty() ? "" : ", ", name, n);
        std::printf("| %s | %d | %.0f %% | %d | %s |\n", fault.check, frames, 100.0 * caught / frames, lost,
                    more.c_str());
        std::fflush(stdout);
    }
    const int clean_frames = only.empty() ? 5 * frames : 0;
    int alarms = 0;
    std::map<std::string, int> by_check;
    for (int i = 0; i < clean_frames; ++i) {
        Draw d{std::mt19937_64(seed * 7919 + static_cast<std::uint64_t>(i) * 31)};
        const Json scene = clean(d);
        const Outcome o = look(scene, "", folder / "a.dng");
        alarms += !o.fired.empty();
        for (const auto& f : o.fired) ++by_check[f];
        if (verbose && !o.fired.empty())
            std::fprintf(stderr, "clean %d: %s %s\n", i, o.fired.begin()->c_str(), scene.dump().c_str());
    }
    std::string more;
    for (const auto& [name, n] : by_check) more += formatted("{}{} {}", more.empty() ? "" : ", ", name, n);
    std::printf("clean frames with a false alarm: %d of %d (%.1f %%) %s\n", alarms, clean_frames,
                100.0 * alarms / std::max(1, clean_frames), more.c_str());
    std::filesystem::remove_all(folder);
}
