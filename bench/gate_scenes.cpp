#include "gate_scenes.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "inspect/inspect.hpp"

namespace refero::bench {

using Json = nlohmann::json;

double limit(const char* name) {
    static const inspect::Limits limits = inspect::limits_for({});
    return limits.at(name).caution;
}

namespace {

const std::map<Whose, std::set<std::string>> families{
    {Whose::choosing, {"Luther", "single", "narrow", "leaking", "lamp", "LED", "fluorescent", "soft", "vivid"}},
    {Whose::reported,
     {"double", "shifted", "broad", "infrared", "daylight", "mixed LED", "discharge", "glass", "film", "video"}}};

std::string chart_id = "grid24";

} // namespace

Setting setting_of(Random& r, Whose whose, bool finished) {
    Setting s;
    s.camera = simulate::camera_named(r.pick<std::string>({"stills-a", "stills-b", "cine-a", "cine-b"}));
    const std::string own = r.pick<std::string>({"window", "tungsten", "led", "flash", "fluorescent"});
    s.light = simulate::light_named(own);
    std::string camera = "own", light = "own", style;
    if (whose != Whose::own) {
        const auto pick = [&](const auto& all) {
            for (;;)
                if (const auto& m = r.pick(all); families.at(whose).contains(m.family)) return m;
        };
        const auto c = pick(cameras());
        s.camera.sensitivity = c.value;
        s.camera.model = c.name;
        const auto l = pick(lights());
        s.light = l.value;
        camera = c.family;
        light = l.family;
        s.batch = r.below(4);
    }
    if (finished) {
        for (;;) {
            style = r.pick(style_families());
            if (whose == Whose::own || families.at(whose).contains(style)) break;
        }
        s.style = random_style(r, style);
    }
    s.kind = camera + ", " + light + (style.empty() ? "" : ", " + style);
    return s;
}

void use_chart(const std::string& id) { chart_id = id; }
const std::string& chart_in_use() { return chart_id; }

const chart::Definition& definition() {
    static const chart::Definition d = chart::find_definition(chart_id);
    return d;
}

simulate::Scene realised(const Json& scene, const Setting& setting) {
    simulate::Scene s = simulate::parse_scene(scene.dump(), "bench");
    s.camera = setting.camera;
    s.light = setting.light;
    s.light_name = "bench";
    for (simulate::ChartInScene& c : s.charts)
        if (setting.batch) c.reflectance = printed(c.reflectance, setting.batch);
    return s;
}

constexpr double frame_w = 1500, frame_h = 1000;

/// A frame without a fault: every factor up to half its limit.
Json clean(Draw& d) {
    const double share = d.uniform(2 * limit("size small") / 100, 0.4), w = definition().width_mm,
                 h = definition().height_mm;
    const double width = std::sqrt(share * frame_h / frame_w * w / h);
    const double room = std::max(0.0, 0.5 - 0.62 * width);
    Json s{{"refero_scene", 1},
           {"size", {frame_w, frame_h}},
           {"seed", d.random() % 100000},
           {"camera", "stills-a"},
           {"light", "window"}};
    s["white"] = d.uniform(0.45, 0.95);
    s["lens"] = {{"name", "Lens"}, {"focal_mm", 50}, {"blur_px", d.uniform(0.5, 1.0)}, {"vignetting_stops", 0.1}};
    s["background"] = {{"surface", {d.uniform(20, 80), d.uniform(-15, 15), d.uniform(-15, 15)}},
                       {"texture", d.uniform(0, 0.2)},
                       {"texture_px", d.uniform(3, 20)}};
    s["charts"] = Json::array({{{"id", chart_id},
                                {"at", {0.5 + d.uniform(-room, room) * 0.6, 0.5 + d.uniform(-room, room) * 0.4}},
                                {"width", width},
                                {"rotation_deg", d.uniform(-30, 30)},
                                {"tilt_deg", d.uniform(0, 0.5 * limit("tilt"))},
                                {"tilt_axis_deg", d.uniform(0, 180)}}});
    s["falloff_stops"] = d.uniform(0, 0.4 * limit("evenness")) / width / 1.3;
    s["falloff_deg"] = d.uniform(0, 360);
    s["veil"] = d.uniform(0, 0.5 * limit("glare") / 100);
    return s;
}

/// Where the chart lies, shares of the frame.
class Laid {
public:
    explicit Laid(const Json& scene) : map_(map_of(scene)) {}
    /// `u`, `v`: of the patch, 0 to 1.
    chart::Point at(std::size_t patch, double u = 0.5, double v = 0.5) const {
        const chart::Patch& p = definition().patches[patch];
        const chart::Point q = map_({p.x_mm + p.w_mm * u, p.y_mm + p.h_mm * v});
        return {q.x() / width, q.y() / height};
    }

private:
    static constexpr int width = 150, height = 100; // corners scale with the frame
    static chart::Homography map_of(const Json& scene) {
        auto small = simulate::parse_scene(scene.dump(), "bench");
        small.width = width;
        small.height = height;
        return chart::pixels_from_mm(definition(), simulate::render(small).charts[0].corners);
    }
    chart::Homography map_;
};

/// Patches of which a disc, shares of the frame's width, covers an eighth and more.
std::set<std::string> covered_by(const Json& scene, const chart::Point& middle, double radius) {
    const Laid laid(scene);
    std::set<std::string> covered;
    for (std::size_t i = 0; i < definition().patches.size(); ++i) {
        constexpr int n = 8;
        int within = 0;
        for (int v = 0; v < n; ++v)
            for (int u = 0; u < n; ++u) {
                const chart::Point away = laid.at(i, (u + 0.5) / n, (v + 0.5) / n) - middle;
                within += std::hypot(away.x(), away.y() * frame_h / frame_w) < radius;
            }
        if (8 * within >= n * n) covered.insert(definition().patches[i].id);
    }
    return covered;
}

/// The lightest patch by its reference.
std::string lightest() {
    const chart::Reference reference = chart::reference_of(definition());
    return std::max_element(reference.xyz.begin(), reference.xyz.end(),
                            [](const auto& a, const auto& b) { return a.second[1] < b.second[1]; })
        ->first;
}

double patch_px(const Json& s) {
    double smallest_mm = INFINITY;
    for (const auto& p : definition().patches) smallest_mm = std::min({smallest_mm, p.w_mm, p.h_mm});
    return s["charts"][0]["width"].get<double>() * frame_w * smallest_mm / definition().width_mm;
}

std::vector<Fault> faults() {
    return {
        {"size",
         [](Json& s, Draw&, double k, auto&, const Setting&) {
             s["size"] = {3000, 2000};
             s["charts"][0]["width"] =
                 std::sqrt(limit("size small") / 100 / k * 2 / 3.0 * definition().width_mm / definition().height_mm);
             s["falloff_stops"] = 0;
         }},
        {"tilt", [](Json& s, Draw&, double k, auto&,
                    const Setting&) { s["charts"][0]["tilt_deg"] = std::min(45.0, limit("tilt") * k); }},
        {"rotation",
         [](Json& s, Draw& d, double, auto&, const Setting&) { s["charts"][0]["rotation_deg"] = d.uniform(72, 288); }},
        {"focus", [](Json& s, Draw&, double k, auto&,
                     const Setting&) { s["lens"]["blur_px"] = limit("focus") / 100 * k * patch_px(s) / 2.563; }},
        {"clipping",
         [](Json& s, Draw&, double k, auto& p, const Setting&) {
             p = {lightest()};
             s["white"] = k / chart::reference_of(definition()).xyz.at(*p.begin())[1];
             s["veil"] = 0;
         }},
        {"underexposure", [](Json& s, Draw&, double k, auto&,
                             const Setting&) { s["white"] = std::exp2(-std::min(5.5, limit("underexposure") * k)); }},
        {"evenness",
         [](Json& s, Draw&, double k, auto&, const Setting&) {
             s["falloff_stops"] = std::min(6.0, limit("evenness") * k / s["charts"][0]["width"].get<double>());
         }},
        {"shadow",
         [](Json& s, Draw& d, double k, auto& p, const Setting&) {
             const double angle = d.uniform(0, 360);
             const Laid laid(s);
             const auto middle = laid.at(definition().patches.size() / 3 + d.random() % 2);
             s["shadows"] = Json::array({{{"at", {middle.x(), middle.y()}},
                                          {"angle_deg", angle},
                                          {"stops", limit("shadow") * k},
                                          {"soft_px", 4}}});
             for (std::size_t i = 0; i < definition().patches.size(); ++i) {
                 const auto q = laid.at(i);
                 if ((q.x() - middle.x()) * 1.5 * std::cos(angle * M_PI / 180) +
                         (q.y() - middle.y()) * std::sin(angle * M_PI / 180) >
                     0.02)
                     p.insert(definition().patches[i].id);
             }
         }},
        {"glare",
         [](Json& s, Draw& d, double k, auto& p, const Setting&) {
             if (d.random() % 2) {
                 s["veil"] = limit("glare") / 100 * k;
                 return;
             }
             const std::size_t i = d.random() % definition().patches.size();
             const auto at = Laid(s).at(i);
             s["sheens"] = Json::array({{{"at", {at.x() + d.uniform(-0.25, 0.25) * patch_px(s) / 1500, at.y()}},
                                         {"size", std::sqrt(limit("glare spot") / 100 * k / M_PI) * patch_px(s) / 1500},
                                         {"strength", d.uniform(0.3, 1)}}});
             p.insert(definition().patches[i].id);
         }},
        {"occlusion",
         [](Json& s, Draw& d, double k, auto& p, const Setting&) {
             const std::size_t i = d.random() % definition().patches.size();
             const auto at = Laid(s).at(i);
             const auto id = definition().patches[i].id;
             p.insert(id);
             if (d.random() % 2) {
                 s["charts"][0]["faded"] = {{id, 1 - std::min(0.85, limit("occlusion") / 100 * k)}};
                 return;
             }
             const double size = 0.4 * k * patch_px(s) / frame_w;
             s["objects"] = Json::array({{{"shape", "ellipse"},
                                          {"in_front", true},
                                          {"at", {at.x(), at.y()}},
                                          {"size", {0.45 / 0.4 * size, size}},
                                          {"rotation_deg", d.uniform(0, 180)},
                                          {"surface", {d.uniform(30, 75), 17, 18}}}});
             p.merge(covered_by(s, at, size / 2));
         }},
        {"mixed_light",
         [](Json& s, Draw& d, double& k, auto&, const Setting& setting) {
             const simulate::Camera& camera = setting.camera;
             const auto white = [&](const colour::Spectrum& light) {
                 return camera.response(colour::Spectrum::constant(1), light);
             };
             const auto warmth = [&](const colour::Spectrum& light) { return white(light)[0] / white(light)[2]; };
             // The lamp or the window, whichever differs more.
             const auto apart = [&](const char* name) {
                 return std::abs(std::log(warmth(simulate::light_named(name)) / warmth(setting.light)));
             };
             const std::string second = apart("window") > apart("tungsten") ? "window" : "tungsten";
             s["second_light"] = {{"light", second}, {"share", 0.0}, {"angle_deg", d.uniform(0, 360)}};
             const auto one = white(setting.light), two = white(simulate::light_named(second));
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
             k = std::min(k, 100 * (std::exp2(change(share)) - 1) / limit("mixed_light"));
         }},
        {"mirrored", [](Json& s, Draw&, double, auto&, const Setting&) { s["charts"][0]["mirrored"] = true; }},
        {"noise",
         [](Json& s, Draw&, double k, auto&, const Setting& setting) {
             // Green of a 20 % grey in a cell of two sites: electrons from the wanted signal to noise.
             const double wanted = std::pow(10, limit("noise") / 20) / k, signal = 0.2 * s["white"].get<double>();
             s["iso"] =
                 std::min(1e6, setting.camera.base_iso * 2 * setting.camera.full_well_e * signal / (wanted * wanted));
         }},
    };
}

} // namespace refero::bench
