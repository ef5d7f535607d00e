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
#include <numeric>
#include <random>
#include <set>
#include <thread>

#include <CLI/CLI.hpp>
#include <Eigen/QR>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>
#include <tbb/parallel_for.h>

#include "base/statistics.hpp"
#include "clip_encoder.hpp"
#include "colour/rgb.hpp"
#include "gate_curves.hpp"
#include "gate_scenes.hpp"
#include "operations/correct/pipeline.hpp"
#include "simulate/simulate.hpp"

using namespace refero;
using bench::clean;
using bench::Curve;
using bench::definition;
using bench::Draw;
using bench::Fault;
using bench::faults;
using bench::limit;
using bench::realised;
using bench::Setting;
using bench::setting_of;
using bench::strengths;
using bench::Whose;
using Json = nlohmann::json;

namespace {

const inspect::Limits limits = inspect::limits_for({});
std::filesystem::path kept; ///< folder of the frames whose chart was not found
int only_frame = -1;        ///< of each fault; kept whatever is said of it

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

constexpr double palest = 18; ///< CIELAB chroma
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

/// Of the green on a chart that is of one grey, in the median of its patches; `at`: a place on a patch, in the scene.
double shown_signal_to_noise(const cv::Mat& codes, double scale,
                             const std::function<cv::Point(const chart::Patch&, double, double)>& at) {
    std::vector<double> of;
    for (const chart::Patch& p : definition().patches) {
        const cv::Point middle = scale * at(p, 0.5, 0.5);
        const int reach = static_cast<int>(0.2 * scale * cv::norm(at(p, 0.9, 0.5) - at(p, 0.1, 0.5)));
        std::vector<double> light;
        for (int y = std::max(0, middle.y - reach); y <= std::min(codes.rows - 1, middle.y + reach); ++y)
            for (int x = std::max(0, middle.x - reach); x <= std::min(codes.cols - 1, middle.x + reach); ++x)
                light.push_back(colour::decode(colour::Transfer::srgb, codes.at<cv::Vec3b>(y, x)[1] / 255.0));
        const double mean = std::accumulate(light.begin(), light.end(), 0.0) / static_cast<double>(light.size());
        double square = 0;
        for (const double v : light) square += (v - mean) * (v - mean) / static_cast<double>(light.size());
        of.push_back(mean / std::max(1e-9, std::sqrt(square)));
    }
    return median(of);
}

/// What a scene holds whatever it was made for: a lamp at one side is bright there as well, what is dark drowns.
void look_at_scene(Outcome& o, const Json& scene, const Setting& setting, const simulate::Rendering& rendering) {
    std::set<std::string>& there = o.there;
    const auto map = chart::pixels_from_mm(definition(), rendering.charts[0].corners);
    const auto at = [&](const chart::Patch& p, double u, double v) {
        const chart::Point q = map({p.x_mm + p.w_mm * u, p.y_mm + p.h_mm * v});
        return cv::Point(std::clamp(static_cast<int>(q.x()), 0, rendering.scene.width - 1),
                         std::clamp(static_cast<int>(q.y()), 0, rendering.scene.height - 1));
    };
    // At saturation, or at the picture's last code; of strong colours the style may be the reason.
    const chart::Reference reference = chart::reference_of(definition());
    const auto pale = [&](const std::string& id) {
        const colour::Vec3 lab = colour::lab_from_xyz(reference.xyz.at(id));
        return std::hypot(lab[1], lab[2]) < palest;
    };
    cv::Mat codes;
    if (setting.style) codes = bench::finished_codes(rendering, *setting.style);
    const double scale = setting.style ? static_cast<double>(codes.cols) / rendering.scene.width : 1;
    const auto clips = [&](const cv::Point& q) {
        const auto* light = &rendering.rgb[(static_cast<std::size_t>(q.y) * rendering.scene.width + q.x) * 3];
        if (!setting.style) return std::max({light[0], light[1], light[2]}) >= 1;
        const cv::Vec3b code = codes.at<cv::Vec3b>(static_cast<int>(scale * q.y), static_cast<int>(scale * q.x));
        return std::max({code[0], code[1], code[2]}) >= 254;
    };
    for (const chart::Patch& p : definition().patches) {
        constexpr int n = 9;
        int clipped = 0;
        for (int v = 0; v < n; ++v)
            for (int u = 0; u < n; ++u) {
                const auto within = [](int i) { return 0.5 + read::sampled_share * ((i + 0.5) / n - 0.5); };
                clipped += clips(at(p, within(u), within(v)));
            }
        if (clipped <= read::most_clipped * n * n) continue;
        o.clipped.insert(p.id);
        if (p.role == "neutral" || pale(p.id)) there.insert("clipping");
    }
    // The light on a chart that is grey all over: how far it falls off across the chart, in the mean of the channels.
    simulate::Scene grey = realised(scene, setting);
    grey.charts[0].reflectance.assign(grey.charts[0].reflectance.size(), colour::Spectrum::constant(0.5));
    grey.charts[0].faded.clear();
    grey.objects.clear();
    grey.sheens.clear();
    grey.veil = 0;
    const auto lit = simulate::render(grey);
    Eigen::MatrixXd places(static_cast<Eigen::Index>(definition().patches.size()), 3);
    Eigen::VectorXd stops(places.rows());
    for (Eigen::Index i = 0; i < places.rows(); ++i) {
        const chart::Patch& p = definition().patches[static_cast<std::size_t>(i)];
        const cv::Point q = at(p, 0.5, 0.5);
        const auto* light = &lit.rgb[(static_cast<std::size_t>(q.y) * grey.width + q.x) * 3];
        places.row(i) << 1, (p.x_mm + p.w_mm / 2) / definition().width_mm,
            (p.y_mm + p.h_mm / 2) / definition().height_mm;
        stops[i] = (std::log2(light[0]) + std::log2(light[1]) + std::log2(light[2])) / 3;
    }
    const Eigen::VectorXd slopes = places.colPivHouseholderQr().solve(stops);
    if (std::abs(slopes[1]) + std::abs(slopes[2]) >= limit("evenness")) there.insert("evenness");
    // Signal to noise of a grey: by the electrons of two sites, or as the finished picture shows it.
    const auto signal_to_noise = [&](double reflectance) {
        if (setting.style) {
            grey.charts[0].reflectance.assign(grey.charts[0].reflectance.size(),
                                              colour::Spectrum::constant(reflectance));
            return shown_signal_to_noise(bench::finished_codes(simulate::render(grey), *setting.style), scale, at);
        }
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
        const auto shot =
            operations::take_shot(file, {.chart = bench::chart_in_use(), .position_s = video ? clip_at_s : 0});
        for (const auto& f : operations::judge(shot.frame, shot, limits).findings) {
            o.findings[inspect::name_of(f.check)] = f;
            if (f.check == inspect::Check::recording || !inspect::is_alarm(f.status)) continue;
            o.fired.insert(inspect::name_of(f.check));
            o.reshoot |= f.status == inspect::Status::reshoot;
        }
        if (!o.fired.empty()) look_at_scene(o, scene, setting, rendering);
        if (only_frame >= 0 && !kept.empty()) std::filesystem::copy_file(file, kept / file.filename());
    } catch (const find::NoChart& e) {
        o.found = false;
        o.reshoot = true;
        for (const auto& f : inspect::no_chart(e.hidden()).findings)
            if (inspect::is_alarm(f.status)) o.fired.insert(inspect::name_of(f.check));
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
                double made = k;
                fault.make(scene, d, made, patches, setting);
                fired += look(scene, setting, folder).fired.contains(fault.check);
            });
            curve.fired.push_back(static_cast<double>(fired) / frames);
        }
        all.push_back(curve);
        std::fprintf(stderr, "%s\n", fault.check);
    }
    return all;
}

/// The alarms with their values, limits and patches.
std::string told_of(const Outcome& o) {
    std::string text;
    for (const auto& check : o.fired) {
        const auto f = o.findings.find(check);
        if (f == o.findings.end()) continue;
        text += formatted(" {} {:.3g} (limit {:.3g}", check, f->second.value, f->second.limit);
        for (const auto& p : f->second.patches) text += " " + p;
        text += o.there.contains(check) ? ", there)" : ")";
    }
    return text;
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
        int made = 0, caught = 0, unknown = 0, lost = 0, beside = 0, in_force = 0, in_force_caught = 0;
        std::map<std::string, int> others, true_ones;
        tbb::parallel_for(0, frames, [&](int i) {
            if (only_frame >= 0 && i != only_frame) return;
            Draw d = draw_of(fault, seed, i);
            bench::Random r(d.random());
            const Setting setting = setting_of(r, whose, finished);
            Json scene = clean(d);
            std::set<std::string> patches;
            double k = d.uniform(from, later && finished ? 12 : 4); // the limit in force may be some times the usual
            fault.make(scene, d, k, patches, setting);
            if (k < from) return;
            const Outcome o = look(scene, setting, folder);
            if (check == "clipping") patches = o.clipped;
            bool right = o.fired.contains(check);
            if (right && !patches.empty() && o.findings.contains(check))
                right = std::any_of(o.findings.at(check).patches.begin(), o.findings.at(check).patches.end(),
                                    [&](const auto& p) { return patches.contains(p); });
            const std::lock_guard lock(mutex);
            ++made;
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
                if (f == "found") continue; // has a column of its own
                else if (f != check && o.there.contains(f)) ++true_ones[f];
                else if (f != check) {
                    ++others[f];
                    other = true;
                }
            beside += other;
            if (other && verbose)
                std::fprintf(stderr, "%s %d beside, k %.2f, %s:%s\n", check.c_str(), i, k, setting.kind.c_str(),
                             told_of(o).c_str());
        });
        const auto list = [](const std::map<std::string, int>& counts) {
            std::string text;
            for (const auto& [name, n] : counts) text += formatted("{}{} {}", text.empty() ? "" : ", ", name, n);
            return text;
        };
        const std::string of_force = later ? share_of(in_force_caught, in_force) : "";
        std::printf("| %s | %g | %d | %s | %s | %d | %d | %d: %s | %s |\n", check.c_str(), from, made,
                    share_of(caught, made).c_str(), of_force.c_str(), unknown, lost, beside, list(others).c_str(),
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
        if (only_frame >= 0 && i != only_frame) return;
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
    app.add_option_function<std::string>("--chart", bench::use_chart, "id or file of a chart");
    app.add_flag("--verbose", verbose, "what was judged wrongly");
    app.add_option("--only", only, "one fault");
    app.add_option("--frame", only_frame, "only this one of the frames; it is kept with --keep");
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
