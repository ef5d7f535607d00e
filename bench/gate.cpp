// The gate on clean frames and on simulated faults: docs/benchmarks.md, The gate. Clean frames have every factor up to
// half its limit; each draws its camera, light, print and style. With --curves how often each check fires by strength,
// about the limit, as a table and as a drawing.
#include <atomic>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <functional>
#include <map>
#include <mutex>
#include <random>
#include <set>
#include <thread>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>
#include <tbb/parallel_for.h>

#include "clip_encoder.hpp"
#include "gate_curves.hpp"
#include "gate_set.hpp"
#include "simulate/simulate.hpp"
#include "work/pipeline.hpp"

using namespace refero;
using bench::Curve;
using bench::strengths;
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

/// What is in front of the lens and behind it, and how the frame is recorded.
struct Setting {
    std::string kind; ///< families of camera, light and style
    simulate::Camera camera;
    colour::Spectrum light;
    std::uint64_t batch = 0;           ///< of the chart's print; 0: as its values are painted
    std::optional<bench::Style> style; ///< finished pictures only
};

/// Whose cameras, lights and styles: the simulator's own, those that chose limits, or those that are reported.
enum class Whose { own, choosing, reported };
const std::map<Whose, std::set<std::string>> families{
    {Whose::choosing, {"Luther", "single", "narrow", "leaking", "lamp", "LED", "fluorescent", "soft", "vivid"}},
    {Whose::reported,
     {"double", "shifted", "broad", "infrared", "daylight", "mixed LED", "discharge", "glass", "film", "video"}}};

Setting setting_of(bench::Random& r, Whose whose, bool finished) {
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
        const auto c = pick(bench::cameras());
        s.camera.sensitivity = c.value;
        s.camera.model = c.name;
        const auto l = pick(bench::lights());
        s.light = l.value;
        camera = c.family;
        light = l.family;
        s.batch = r.below(4);
    }
    if (finished) {
        for (;;) {
            style = r.pick(bench::style_families());
            if (whose == Whose::own || families.at(whose).contains(style)) break;
        }
        s.style = bench::random_style(r, style);
    }
    s.kind = camera + ", " + light + (style.empty() ? "" : ", " + style);
    return s;
}

std::string chart_id = "grid24";
std::filesystem::path kept; ///< folder of the frames whose chart was not found
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
        if (setting.batch) c.reflectance = bench::printed(c.reflectance, setting.batch);
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

/// Where a patch of the chart lies, shares of the frame.
chart::Point patch_at(const Json& scene, std::size_t patch) {
    auto small = simulate::parse_scene(scene.dump(), "bench");
    small.width = 150;
    small.height = 100; // corners scale with the frame
    const auto r = simulate::render(small);
    const auto map = chart::pixels_from_mm(definition(), r.charts[0].corners);
    const auto& p = definition().patches[patch];
    const chart::Point q = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
    return {q.x() / small.width, q.y() / small.height};
}

/// The lightest patch by its reference.
std::string lightest() {
    const chart::Reference reference = chart::reference_of(definition());
    return std::max_element(reference.xyz.begin(), reference.xyz.end(),
                            [](const auto& a, const auto& b) { return a.second[1] < b.second[1]; })
        ->first;
}

struct Fault {
    const char* check;
    std::function<void(Json&, Draw&, double k, std::set<std::string>& patches, const Setting&)> make;
};

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
             s["white"] = 1.2 * k / 1.2;
             s["veil"] = 0;
             p = {lightest()};
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
             const auto middle = patch_at(s, definition().patches.size() / 3 + d.random() % 2);
             s["shadows"] = Json::array({{{"at", {middle.x(), middle.y()}},
                                          {"angle_deg", angle},
                                          {"stops", limit("shadow") * k},
                                          {"soft_px", 4}}});
             for (std::size_t i = 0; i < definition().patches.size(); ++i) {
                 const auto q = patch_at(s, i);
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
             const auto at = patch_at(s, i);
             s["sheens"] = Json::array({{{"at", {at.x() + d.uniform(-0.25, 0.25) * patch_px(s) / 1500, at.y()}},
                                         {"size", std::sqrt(limit("glare spot") / 100 * k / M_PI) * patch_px(s) / 1500},
                                         {"strength", d.uniform(0.3, 1)}}});
             p.insert(definition().patches[i].id);
         }},
        {"occlusion",
         [](Json& s, Draw& d, double k, auto& p, const Setting&) {
             const std::size_t i = d.random() % definition().patches.size();
             const auto at = patch_at(s, i);
             const auto id = definition().patches[i].id;
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
         [](Json& s, Draw& d, double k, auto&, const Setting& setting) {
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

struct Outcome {
    bool found = true;
    std::map<std::string, inspect::Finding> findings;
    std::set<std::string> fired;
    bool reshoot = false;
    std::string kind;
    std::set<std::string> there;   ///< beside the fault that was made, by the scene's own numbers
    std::set<std::string> clipped; ///< patches
    bool unknown(const std::string& check) const {
        const auto f = findings.find(check);
        return f != findings.end() && f->second.status == inspect::Status::unknown;
    }
};

constexpr int clip_pictures = 4, clip_rate = 25;
constexpr double clip_at_s = 2.5 / clip_rate; ///< of a picture that refers to others

/// H.264 as a camera records it, of so many pictures of the same scene.
void write_clip(const cv::Mat& rgb, const Setting& setting, const std::filesystem::path& file) {
    const cv::Mat even = rgb(cv::Rect(0, 0, rgb.cols & ~1, rgb.rows & ~1));
    cv::Mat bgr;
    cv::cvtColor(even, bgr, cv::COLOR_RGB2BGR);
    bench::Encoder encoder(file, bgr.cols, bgr.rows, clip_rate, setting.style->lines == 720 ? "24" : "21");
    for (int i = 0; i < clip_pictures; ++i) encoder.add(bgr);
}

/// What a scene holds whatever it was made for: a lamp at one side is bright there as well, what is dark drowns.
void look_at_scene(Outcome& o, const Json& scene, const Setting& setting, const simulate::Rendering& rendering) {
    std::set<std::string>& there = o.there;
    const auto map = chart::pixels_from_mm(definition(), rendering.charts[0].corners);
    const auto middle = [&](const chart::Patch& p) {
        const chart::Point q = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
        return cv::Point(std::clamp(static_cast<int>(q.x()), 0, rendering.scene.width - 1),
                         std::clamp(static_cast<int>(q.y()), 0, rendering.scene.height - 1));
    };
    // At saturation, or at the picture's last code; of strong colours the style may be the reason.
    cv::Mat codes;
    if (setting.style) codes = bench::finished_codes(rendering, *setting.style);
    const double scale = setting.style ? static_cast<double>(codes.cols) / rendering.scene.width : 1;
    for (const chart::Patch& p : definition().patches) {
        const cv::Point q = middle(p);
        const auto* light = &rendering.rgb[(static_cast<std::size_t>(q.y) * rendering.scene.width + q.x) * 3];
        double most = std::max({light[0], light[1], light[2]});
        if (setting.style) {
            const cv::Vec3b code = codes.at<cv::Vec3b>(static_cast<int>(scale * q.y), static_cast<int>(scale * q.x));
            most = std::max({code[0], code[1], code[2]}) / 254.0;
        }
        if (most >= 1) o.clipped.insert(p.id);
        if (most >= 1 && p.role == "neutral") there.insert("clipping");
    }
    // The light on a chart that is grey all over.
    simulate::Scene grey = realised(scene, setting);
    grey.charts[0].reflectance.assign(grey.charts[0].reflectance.size(), colour::Spectrum::constant(0.5));
    grey.charts[0].faded.clear();
    grey.objects.clear();
    grey.sheens.clear();
    grey.veil = 0;
    const auto lit = simulate::render(grey);
    double least = INFINITY, most = 0;
    for (const chart::Patch& p : definition().patches) {
        const cv::Point q = middle(p);
        const double green = lit.rgb[(static_cast<std::size_t>(q.y) * grey.width + q.x) * 3 + 1];
        least = std::min(least, green);
        most = std::max(most, green);
    }
    if (std::log2(most / least) >= limit("evenness")) there.insert("evenness");
    // Electrons of a grey in two sites, and its signal to noise.
    const auto signal_to_noise = [&](double reflectance) {
        const double electrons =
            2 * reflectance * grey.white * setting.camera.full_well_e * setting.camera.base_iso / grey.iso;
        return electrons / std::sqrt(electrons + 2 * std::pow(setting.camera.read_noise_e, 2));
    };
    if (grey.white <= std::exp2(-limit("underexposure")) || signal_to_noise(0.031) < limit("underexposure black"))
        there.insert("underexposure");
    if (20 * std::log10(signal_to_noise(0.2)) < limit("noise")) there.insert("noise");
}

/// `recording` tells of the file's kind, not of the shot: it is told apart.
Outcome look(const Json& scene, const Setting& setting, const std::filesystem::path& folder) {
    thread_local const std::string name = formatted("{}", std::hash<std::thread::id>{}(std::this_thread::get_id()));
    const bool video = setting.style && setting.style->family == "video";
    const auto file = folder / (name + (video ? ".mkv" : setting.style ? ".jpg" : ".dng"));
    const auto rendering = simulate::render(realised(scene, setting));
    if (video) write_clip(bench::finished_codes(rendering, *setting.style), setting, file);
    else if (setting.style) bench::write_finished(rendering, *setting.style, file);
    else simulate::write(rendering, file);
    Outcome o;
    o.kind = setting.kind;
    try {
        const auto shot = work::take_shot(file, {.chart = chart_id, .position_s = video ? clip_at_s : 0});
        for (const auto& f : work::judge(shot.frame, shot, limits).findings) {
            o.findings[f.check] = f;
            if (f.check == "recording" || !inspect::is_alarm(f.status)) continue;
            o.fired.insert(f.check);
            o.reshoot |= f.status == inspect::Status::reshoot;
        }
        if (!o.fired.empty()) look_at_scene(o, scene, setting, rendering);
    } catch (const find::NoChart& e) {
        o.found = false;
        o.reshoot = true;
        for (const auto& f : inspect::no_chart(e.hidden()).findings)
            if (inspect::is_alarm(f.status)) o.fired.insert(f.check);
        if (!kept.empty()) {
            static std::atomic<int> count = 0;
            std::filesystem::copy_file(file, kept / formatted("{}{}", count++, file.extension().string()));
        }
    }
    return o;
}

/// Wilson's 95 % interval of a share, in percent (Wilson, J. Am. Stat. Assoc. 22, 1927).
std::string share_of(int hits, int of) {
    if (!of) return "-";
    const double z = 1.96, n = of, p = hits / n, middle = (p + z * z / 2 / n) / (1 + z * z / n),
                 half = z / (1 + z * z / n) * std::sqrt(p * (1 - p) / n + z * z / 4 / n / n);
    return formatted("{:.1f} % ({:.1f} to {:.1f})", 100 * p, 100 * std::max(0.0, middle - half),
                     100 * std::min(1.0, middle + half));
}

Draw draw_of(const Fault& fault, std::uint64_t seed, int frame) {
    return {std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(frame) * 17 +
                            std::hash<std::string>{}(fault.check))};
}

std::vector<Curve> curves(int frames, std::uint64_t seed, Whose whose, bool finished,
                          const std::filesystem::path& folder) {
    std::vector<Curve> all;
    for (const Fault& fault : faults()) {
        if (std::string(fault.check) == "rotation" || std::string(fault.check) == "mirrored") continue; // there or not
        Curve curve{fault.check, {}};
        for (const double k : strengths) {
            std::atomic<int> fired = 0;
            tbb::parallel_for(0, frames, [&](int i) {
                Draw d = draw_of(fault, seed, i);
                bench::Random r(d.random());
                const Setting setting = setting_of(r, whose, finished);
                Json scene = clean(d);
                std::set<std::string> patches;
                fault.make(scene, d, k, patches, setting);
                fired += look(scene, setting, folder).fired.contains(fault.check);
            });
            curve.fired.push_back(static_cast<double>(fired) / frames);
        }
        all.push_back(curve);
        std::fprintf(stderr, "%s\n", fault.check);
    }
    return all;
}

/// Faults whose strength is drawn from `from` to 4 times the limit; those that are told later have limits that grow.
void faults_caught(int frames, std::uint64_t seed, Whose whose, bool finished, const std::string& only, bool verbose,
                   const std::filesystem::path& folder) {
    std::printf(
        "| fault | from times the limit | frames | caught | of the limit in force, known | unknown | not found | "
        "others that are not there | others that are |\n|---|---|---|---|---|---|---|---|---|\n");
    std::vector<double> growths;
    for (const Fault& fault : faults()) {
        const std::string check = fault.check;
        if (!only.empty() && only != check) continue;
        const bool later = check == "mixed_light" || check == "occlusion";
        const double from = finished ? 1.5 : later ? 2 : 1.2;
        std::mutex mutex;
        int caught = 0, unknown = 0, lost = 0, beside = 0, in_force = 0, in_force_caught = 0;
        std::map<std::string, int> others, true_ones;
        tbb::parallel_for(0, frames, [&](int i) {
            Draw d = draw_of(fault, seed, i);
            bench::Random r(d.random());
            const Setting setting = setting_of(r, whose, finished);
            Json scene = clean(d);
            std::set<std::string> patches;
            const double k =
                d.uniform(from, later && finished ? 12 : 4); // the limit in force may be some times the usual
            fault.make(scene, d, k, patches, setting);
            const Outcome o = look(scene, setting, folder);
            if (check == "clipping") patches = o.clipped;
            bool right = o.fired.contains(check);
            if (right && !patches.empty() && o.findings.contains(check))
                right = std::any_of(o.findings.at(check).patches.begin(), o.findings.at(check).patches.end(),
                                    [&](const auto& p) { return patches.contains(p); });
            const std::lock_guard lock(mutex);
            caught += right;
            unknown += !right && o.unknown(check);
            lost += !o.found;
            // The limit in force may have grown with what is not known of camera, light and style.
            const auto told = o.findings.find(check);
            if (later && told != o.findings.end() && !o.unknown(check)) {
                // Of a reshoot its own limit is told, which lies 1.5 times above where it has grown.
                const bool graver = told->second.status == inspect::Status::reshoot;
                const double growth = std::max(1.0, told->second.limit / (graver ? 1.5 : 1) / limit(check.c_str()));
                if (check == "mixed_light") growths.push_back(growth);
                if (k / growth >= from) {
                    ++in_force;
                    in_force_caught += right;
                }
            }
            if (!right && verbose) {
                std::string fired;
                for (const auto& f : o.fired)
                    fired += f + formatted(" {:.3g}, ", o.findings.count(f) ? o.findings.at(f).value : 0.0);
                const auto f = o.findings.find(check);
                std::fprintf(stderr, "%s %d missed, k %.2f, %s: value %.3g limit %.3g, fired: %s\n", check.c_str(), i,
                             k, setting.kind.c_str(), f == o.findings.end() ? NAN : f->second.value,
                             f == o.findings.end() ? NAN : f->second.limit, fired.c_str());
                std::fprintf(stderr, "  veil %g, %s\n", scene.value("veil", 0.0),
                             scene.contains("sheens") ? scene["sheens"].dump().c_str() : "no sheen");
            }
            bool other = false;
            for (const auto& f : o.fired)
                if (f != check && o.there.contains(f)) ++true_ones[f];
                else if (f != check) {
                    ++others[f];
                    other = true;
                }
            beside += other;
        });
        const auto list = [](const std::map<std::string, int>& counts) {
            std::string text;
            for (const auto& [name, n] : counts) text += formatted("{}{} {}", text.empty() ? "" : ", ", name, n);
            return text;
        };
        const std::string of_force = later ? share_of(in_force_caught, in_force) : "";
        std::printf("| %s | %g | %d | %s | %s | %d | %d | %d: %s | %s |\n", check.c_str(), from, frames,
                    share_of(caught, frames).c_str(), of_force.c_str(), unknown, lost, beside, list(others).c_str(),
                    list(true_ones).c_str());
        std::fflush(stdout);
    }
    if (growths.empty()) return;
    std::sort(growths.begin(), growths.end());
    const auto at = [&](double share) {
        return growths[static_cast<std::size_t>(share * static_cast<double>(growths.size() - 1))];
    };
    std::printf("\nThe limit of mixed light in force, times the usual: median %.1f, 90 %% below %.1f\n", at(0.5),
                at(0.9));
}

void clean_frames(int frames, std::uint64_t seed, Whose whose, bool finished, bool verbose,
                  const std::filesystem::path& folder) {
    struct Count {
        int frames = 0, alarmed = 0, reshoot = 0;
    };
    std::map<std::string, Count> by_family;
    std::map<std::string, int> by_check, unknown;
    std::mutex mutex;
    tbb::parallel_for(0, frames, [&](int i) {
        Draw d{std::mt19937_64(seed * 7919 + static_cast<std::uint64_t>(i) * 31)};
        bench::Random r(d.random());
        const Setting setting = setting_of(r, whose, finished);
        const Json scene = clean(d);
        const Outcome o = look(scene, setting, folder);
        const std::lock_guard lock(mutex);
        std::istringstream kinds("all, " + o.kind);
        for (std::string family; std::getline(kinds, family, ',');) {
            Count& c = by_family[family.front() == ' ' ? family.substr(1) : family];
            ++c.frames;
            c.alarmed += !o.fired.empty();
            c.reshoot += o.reshoot;
        }
        for (const auto& f : o.fired) ++by_check[f];
        for (const auto& [check, f] : o.findings) unknown[check] += f.status == inspect::Status::unknown;
        if (verbose && !o.fired.empty())
            for (const auto& check : o.fired) {
                const auto f = o.findings.find(check);
                std::string patches;
                if (f != o.findings.end())
                    for (const auto& p : f->second.patches) patches += p + " ";
                std::fprintf(stderr, "clean %d, %s: %s %.3g limit %.3g %s width %.2f\n", i, setting.kind.c_str(),
                             check.c_str(), f == o.findings.end() ? NAN : f->second.value,
                             f == o.findings.end() ? NAN : f->second.limit, patches.c_str(),
                             scene["charts"][0]["width"].get<double>());
            }
    });
    std::printf("\n| clean frames of | frames | alarmed | reshoot |\n|---|---|---|---|\n");
    for (const auto& [family, c] : by_family)
        std::printf("| %s | %d | %s | %s |\n", family.c_str(), c.frames, share_of(c.alarmed, c.frames).c_str(),
                    share_of(c.reshoot, c.frames).c_str());
    std::string more, untold;
    for (const auto& [name, n] : by_check) more += formatted("{}{} {}", more.empty() ? "" : ", ", name, n);
    for (const auto& [name, n] : unknown)
        if (n) untold += formatted("{}{} {}", untold.empty() ? "" : ", ", name, n);
    std::printf("\nalarms: %s; unknown: %s\n", more.c_str(), untold.c_str());
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app("The gate on clean frames and on simulated faults");
    int frames = 40, clean_count = 200;
    std::uint64_t seed = 1;
    bool verbose = false, finished = false;
    std::string only, whose_name = "reported";
    std::filesystem::path drawing;
    app.add_option("frames", frames, "of each fault; 0: none");
    app.add_option("seed", seed);
    app.add_option("--clean", clean_count, "clean frames");
    app.add_option("--of", whose_name, "whose cameras, lights and styles: own (the simulator's), choosing, reported")
        ->check(CLI::IsMember({"own", "choosing", "reported"}));
    app.add_flag("--finished", finished, "pictures as cameras hand them out, else raw files");
    app.add_option("--chart", chart_id, "id or file of a chart");
    app.add_flag("--verbose", verbose, "what was judged wrongly");
    app.add_option("--only", only, "one fault");
    app.add_option("--keep", kept, "folder that keeps the frames whose chart was not found");
    app.add_option("--curves", drawing, "how often checks fire about their limits: an SVG file to write");
    CLI11_PARSE(app, argc, argv);
    const Whose whose = whose_name == "own" ? Whose::own : whose_name == "choosing" ? Whose::choosing : Whose::reported;
    const auto folder = std::filesystem::temp_directory_path() / ("refero-gate-" + std::to_string(getpid()));
    std::filesystem::create_directories(folder);
    if (!drawing.empty()) {
        const auto all = curves(frames, seed, whose, finished, folder);
        std::ofstream(drawing) << bench::drawing_of(all);
        std::printf("| check |");
        for (const double k : strengths) std::printf(" %g |", k);
        std::printf("\n|---|");
        for (std::size_t k = 0; k < std::size(strengths); ++k) std::printf("---|");
        std::printf("\n");
        for (const Curve& c : all) {
            std::printf("| %s |", c.check.c_str());
            for (const double share : c.fired) std::printf(" %.0f %% |", 100 * share);
            std::printf("\n");
        }
    } else {
        if (frames > 0) faults_caught(frames, seed, whose, finished, only, verbose, folder);
        if (clean_count > 0 && only.empty()) clean_frames(clean_count, seed, whose, finished, verbose, folder);
    }
    std::filesystem::remove_all(folder);
}
