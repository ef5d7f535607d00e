// The gate on simulated faults: refero-gate-bench [FRAMES PER KIND] [SEED]. For each kind the strength is drawn
// uniformly from 1.2 to 4 times the limit; clean frames have every factor up to 0.8 of its limit.
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <map>
#include <random>
#include <set>

#include <nlohmann/json.hpp>

#include "job/pipeline.hpp"
#include "simulate/simulate.hpp"

using namespace refero;
using Json = nlohmann::json;

namespace {

struct Draw {
    std::mt19937_64 random;
    double uniform(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); }
    template <class T> T pick(std::initializer_list<T> all) { return *(all.begin() + static_cast<std::ptrdiff_t>(random() % all.size())); }
};

const inspect::Limits limits = inspect::limits_for({});
double limit(const char* name) { return limits.at(name).caution; }

/// A frame without a fault: every factor up to 0.8 of its limit.
Json clean(Draw& d) {
    const double share = d.uniform(1.25 * limit("size small") / 100, 0.4);
    const double width = std::sqrt(share * 2 / 3.0 * 270 / 178);
    const double room = std::max(0.0, 0.5 - 0.62 * width);
    Json s{{"refero_scene", 1}, {"size", {1500, 1000}}, {"seed", d.random() % 100000}, {"camera", d.pick({"stills-a", "stills-b", "cine-a", "cine-b"})}, {"light", d.pick({"window", "tungsten", "led", "flash", "fluorescent"})}};
    s["white"] = d.uniform(0.45, 0.95);
    s["lens"] = {{"name", "Lens"}, {"focal_mm", 50}, {"blur_px", d.uniform(0.5, 1.0)}, {"vignetting_stops", 0.1}};
    s["background"] = {{"surface", {d.uniform(20, 80), d.uniform(-15, 15), d.uniform(-15, 15)}}, {"texture", d.uniform(0, 0.2)}, {"texture_px", d.uniform(3, 20)}};
    s["charts"] = Json::array({{{"id", "grid24"}, {"at", {0.5 + d.uniform(-room, room) * 0.6, 0.5 + d.uniform(-room, room) * 0.4}}, {"width", width}, {"rotation_deg", d.uniform(-40, 40)}, {"tilt_deg", d.uniform(0, 0.8 * limit("tilt"))}, {"tilt_axis_deg", d.uniform(0, 180)}}});
    s["falloff_stops"] = d.uniform(0, 0.5 * limit("evenness")) / width;
    s["falloff_deg"] = d.uniform(0, 360);
    s["veil"] = d.uniform(0, 0.7 * limit("glare") / 100);
    return s;
}

/// Where a patch of the chart lies, shares of the frame.
chart::Point patch_at(const Json& scene, std::size_t patch) {
    const auto s = simulate::parse_scene(scene.dump(), "bench");
    auto small = s;
    small.width = 150, small.height = 100; // corners scale with the frame
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
        {"size", [](Json& s, Draw&, double k, auto&) {
             s["size"] = {3000, 2000};
             s["charts"][0]["width"] = std::sqrt(limit("size small") / 100 / k * 2 / 3.0 * 270 / 178);
             s["falloff_stops"] = 0;
         }},
        {"tilt", [](Json& s, Draw&, double k, auto&) { s["charts"][0]["tilt_deg"] = std::min(45.0, limit("tilt") * k); }},
        {"rotation", [](Json& s, Draw& d, double, auto&) { s["charts"][0]["rotation_deg"] = d.uniform(72, 288); }},
        {"focus", [](Json& s, Draw&, double k, auto&) { s["lens"]["blur_px"] = limit("focus") / 100 * k * patch_px(s) / 2.563; }},
        {"clipping", [](Json& s, Draw&, double k, auto& p) {
             s["white"] = 1.2 * k / 1.2, s["veil"] = 0;
             p = {"D1"};
         }},
        {"underexposure", [](Json& s, Draw&, double k, auto&) { s["white"] = std::exp2(-std::min(5.5, limit("underexposure") * k)); }},
        {"evenness", [](Json& s, Draw&, double k, auto&) { s["falloff_stops"] = std::min(6.0, limit("evenness") * k / s["charts"][0]["width"].get<double>()); }},
        {"shadow", [](Json& s, Draw& d, double k, auto& p) {
             const double angle = d.uniform(0, 360);
             const auto middle = patch_at(s, 8 + d.random() % 2);
             s["shadows"] = Json::array({{{"at", {middle.x(), middle.y()}}, {"angle_deg", angle}, {"stops", limit("shadow") * k}, {"soft_px", 4}}});
             const auto chart = simulate::parse_scene(s.dump(), "bench").charts[0].definition;
             for (std::size_t i = 0; i < 24; ++i) {
                 const auto q = patch_at(s, i);
                 if ((q.x() - middle.x()) * 1.5 * std::cos(angle * M_PI / 180) + (q.y() - middle.y()) * std::sin(angle * M_PI / 180) > 0.02) p.insert(chart.patches[i].id);
             }
         }},
        {"glare", [](Json& s, Draw& d, double k, auto& p) {
             if (d.random() % 2) {
                 s["veil"] = limit("glare") / 100 * k;
                 return;
             }
             const std::size_t i = d.random() % 24;
             const auto at = patch_at(s, i);
             s["sheens"] = Json::array({{{"at", {at.x() + d.uniform(-0.25, 0.25) * patch_px(s) / 1500, at.y()}}, {"size", std::sqrt(limit("glare spot") / 100 * k / M_PI) * patch_px(s) / 1500}, {"strength", d.uniform(0.3, 1)}}});
             p.insert(simulate::parse_scene(s.dump(), "bench").charts[0].definition.patches[i].id);
         }},
        {"occlusion", [](Json& s, Draw& d, double k, auto& p) {
             const std::size_t i = d.random() % 24;
             const auto at = patch_at(s, i);
             const auto id = simulate::parse_scene(s.dump(), "bench").charts[0].definition.patches[i].id;
             if (d.random() % 2) s["charts"][0]["faded"] = {{id, 1 - std::min(0.85, limit("occlusion") / 100 * k)}};
             else
                 s["objects"] = Json::array({{{"shape", "ellipse"}, {"in_front", true}, {"at", {at.x(), at.y()}}, {"size", {0.45 * k * patch_px(s) / 1500, 0.4 * k * patch_px(s) / 1500}}, {"rotation_deg", d.uniform(0, 180)}, {"surface", {d.uniform(30, 75), 17, 18}}}});
             p.insert(id);
         }},
        {"mixed_light", [](Json& s, Draw& d, double k, auto&) {
             s["second_light"] = {{"light", s["light"] == "tungsten" ? "window" : "tungsten"}, {"share", 0.0}, {"angle_deg", d.uniform(0, 360)}};
             const auto scene = simulate::parse_scene(s.dump(), "bench");
             const auto one = scene.camera.response(simulate::Spectrum::constant(1), scene.light), two = scene.camera.response(simulate::Spectrum::constant(1), scene.second_light->light);
             // From the middle of the frame to either side of the chart.
             const double half = s["charts"][0]["width"].get<double>() / 2;
             const auto change = [&](double share) {
                 const auto ratio = [&](double at) { const double w = share * (0.5 + at); return ((1 - w) * one[0] + w * two[0]) / ((1 - w) * one[2] + w * two[2]); };
                 return std::abs(std::log2(ratio(half) / ratio(-half)));
             };
             double share = 0;
             while (share < 0.99 && change(share) < std::log2(1 + limit("mixed_light") / 100 * k)) share += 0.005;
             s["second_light"]["share"] = share;
         }},
        {"mirrored", [](Json& s, Draw&, double, auto&) { s["charts"][0]["mirrored"] = true; }},
        {"noise", [](Json& s, Draw&, double k, auto&) {
             const auto scene = simulate::parse_scene(s.dump(), "bench");
             // Green of a 20 % grey in a cell of two sites: electrons from the wanted signal to noise.
             const double wanted = std::pow(10, limit("noise") / 20) / k, signal = 0.2 * s["white"].get<double>();
             s["iso"] = std::min(1e6, scene.camera.base_iso * 2 * scene.camera.full_well_e * signal / (wanted * wanted));
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
        const auto shot = job::take_shot(file, {.chart = "grid24"});
        for (const auto& f : job::judge(shot.frame, shot, limits).findings)
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

} // namespace

int main(int argc, char** argv) {
    const int frames = argc > 1 ? std::atoi(argv[1]) : 40;
    const std::uint64_t seed = argc > 2 ? static_cast<std::uint64_t>(std::atoll(argv[2])) : 1;
    const bool verbose = argc > 3;
    const auto folder = std::filesystem::temp_directory_path() / ("refero-gate-" + std::to_string(getpid()));
    std::filesystem::create_directories(folder);
    std::printf("| fault | frames | caught | not found | other checks fired |\n|---|---|---|---|---|\n");
    for (const Fault& fault : faults()) {
        if (argc > 4 && std::string(argv[4]) != fault.check) continue;
        int caught = 0, lost = 0;
        std::map<std::string, int> others;
        for (int i = 0; i < frames; ++i) {
            Draw d{std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(i) * 17 + std::hash<std::string>{}(fault.check))};
            Json scene = clean(d);
            std::set<std::string> patches;
            const double k = d.uniform(1.2, 4);
            fault.make(scene, d, k, patches);
            const Outcome o = look(scene, fault.check, folder / "a.dng");
            bool right = o.fired.contains(fault.check);
            if (right && !patches.empty()) right = std::any_of(o.patches.begin(), o.patches.end(), [&](const auto& p) { return patches.contains(p); });
            caught += right;
            lost += !o.found;
            if (!right && verbose) {
                std::string fired;
                for (const auto& f : o.fired) fired += f + " ";
                std::fprintf(stderr, "%s %d missed, k %.2f, fired: %s\n%s\n", fault.check, i, k, fired.c_str(), scene.dump().c_str());
            }
            for (const auto& f : o.fired)
                if (f != fault.check) ++others[f];
        }
        std::string more;
        for (const auto& [name, n] : others) more += formatted("%s%s %d", more.empty() ? "" : ", ", name.c_str(), n);
        std::printf("| %s | %d | %.0f %% | %d | %s |\n", fault.check, frames, 100.0 * caught / frames, lost, more.c_str());
        std::fflush(stdout);
    }
    const int clean_frames = 5 * frames;
    int alarms = 0;
    std::map<std::string, int> by_check;
    for (int i = 0; i < clean_frames; ++i) {
        Draw d{std::mt19937_64(seed * 7919 + static_cast<std::uint64_t>(i) * 31)};
        const Json scene = clean(d);
        const Outcome o = look(scene, "", folder / "a.dng");
        alarms += !o.fired.empty();
        for (const auto& f : o.fired) ++by_check[f];
        if (verbose && !o.fired.empty()) std::fprintf(stderr, "clean %d: %s %s\n", i, o.fired.begin()->c_str(), scene.dump().c_str());
    }
    std::string more;
    for (const auto& [name, n] : by_check) more += formatted("%s%s %d", more.empty() ? "" : ", ", name.c_str(), n);
    std::printf("clean frames with a false alarm: %d of %d (%.1f %%) %s\n", alarms, clean_frames, 100.0 * alarms / clean_frames, more.c_str());
    std::filesystem::remove_all(folder);
}
