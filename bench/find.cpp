// The finder measured: on simulated frames, on finished versions of them, on photographs with and without charts set
// into them, and beside OpenCV's own chart module. What is made is kept in FOLDER, so that another run measures the
// same.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <numeric>

#include <CLI/CLI.hpp>
#include <opencv2/mcc.hpp>
#include <tbb/parallel_for.h>

#include "chart/chart.hpp"
#include "find/find.hpp"
#include "find_set.hpp"
#include "simulate/simulate.hpp"

using namespace refero;
using namespace refero::bench;
using chart::Corners;

namespace {

double smallest_px = 6; ///< charts of smaller patches may be found but need not be

double milliseconds_since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
}

/// Mean distance of the corners over the pitch of the patches.
double error_pitch(const Corners& truth, const Corners& found, const chart::Definition& d) {
    double sum = 0;
    for (std::size_t i = 0; i < 4; ++i) sum += (truth[i] - found[i]).norm() / 4;
    const double pitch_mm = std::sqrt(d.width_mm * d.height_mm / static_cast<double>(d.patches.size()));
    return sum / (pitch_mm * std::sqrt(std::abs(chart::signed_area(truth)) / (d.width_mm * d.height_mm)));
}

double at_share(std::vector<double> v, double share) {
    if (v.empty()) return NAN;
    std::sort(v.begin(), v.end());
    return v[static_cast<std::size_t>(share * static_cast<double>(v.size() - 1))];
}

const chart::Definition& definition_of(const std::vector<chart::Definition>& all, const std::string& id) {
    return *std::find_if(all.begin(), all.end(), [&](const auto& d) { return d.id == id; });
}

struct Outcome {
    std::map<std::string, double> factor;
    std::string chart;
    bool found;
};

void by_bins(std::vector<Outcome> outcomes, const char* title) {
    if (outcomes.empty()) return;
    std::printf("\n| %s | recall in six bins of equal numbers, each from the value named |\n|---|---|\n", title);
    for (const auto& [name, unused] : std::map(outcomes[0].factor)) {
        std::sort(outcomes.begin(), outcomes.end(),
                  [&](const Outcome& a, const Outcome& b) { return a.factor.at(name) < b.factor.at(name); });
        std::string line;
        constexpr std::size_t bins = 6;
        for (std::size_t b = 0; b < bins; ++b) {
            const std::size_t from = b * outcomes.size() / bins, to = (b + 1) * outcomes.size() / bins;
            int in = 0;
            for (std::size_t i = from; i < to; ++i) in += outcomes[i].found;
            if (to > from)
                line += formatted("{}{:.3g}: {:.0f} %", b ? ", " : "", outcomes[from].factor.at(name),
                                  100.0 * in / static_cast<double>(to - from));
        }
        std::printf("| %s | %s |\n", name.c_str(), line.c_str());
    }
    std::map<std::string, std::pair<int, int>> by_chart;
    for (const Outcome& o : outcomes) {
        by_chart[o.chart].first += o.found;
        ++by_chart[o.chart].second;
    }
    std::string line;
    for (const auto& [chart, n] : by_chart)
        line += formatted("{}{} {} of {}", line.empty() ? "" : ", ", chart, n.first, n.second);
    std::printf("| chart | %s |\n", line.c_str());
}

/// Finds the charts in every case; prints what was missed and found falsely to standard error, and a summary.
void measure(const char* title, const std::vector<Case>& cases, const std::vector<chart::Definition>& definitions,
             const std::string& only = "") {
    std::vector<double> errors, milliseconds;
    std::vector<Outcome> outcomes;
    std::vector<std::pair<double, bool>> confidence; // and whether it was right
    int false_finds = 0, others = 0, others_found = 0;
    for (const Case& c : cases) {
        if (!only.empty() && c.file.filename().string().find(only) == std::string::npos) continue;
        const frame::Frame image = frame::read(c.file);
        const auto start = std::chrono::steady_clock::now();
        const auto found = find::locate(image, definitions);
        milliseconds.push_back(milliseconds_since(start));
        if (milliseconds.back() > 400)
            std::fprintf(stderr, "slow %s: %.0f ms, %.1f megapixels\n", c.file.filename().c_str(), milliseconds.back(),
                         image.width * image.height / 1e6);
        std::vector<bool> right(found.size());
        for (std::size_t t = 0; t < c.truth.size(); ++t) {
            const Truth& truth = c.truth[t];
            bool hit = false;
            double nearest = INFINITY;
            std::string as;
            for (std::size_t i = 0; i < found.size(); ++i) {
                const double e =
                    error_pitch(truth.corners, found[i].corners, definition_of(definitions, found[i].chart));
                if (e < nearest) {
                    nearest = e;
                    as = found[i].chart;
                }
                if (found[i].chart != truth.chart || found[i].mirrored != truth.mirrored || e > 0.3) continue;
                right[i] = hit = true;
                errors.push_back(e);
            }
            const auto px = c.factor.find("pixels a patch");
            if (t == 0 && px != c.factor.end() && px->second < smallest_px) continue;
            if (t == 0) outcomes.push_back({c.factor, truth.chart, hit});
            else {
                ++others;
                others_found += hit;
            }
            if (hit) continue;
            std::string told;
            if (t == 0)
                for (const auto& [name, value] : c.factor) told += formatted("{} {:.3g}, ", name, value);
            std::fprintf(stderr, "missed %s[%zu] %s (nearest %s %.2f): %s\n", c.file.filename().c_str(), t,
                         truth.chart.c_str(), as.c_str(), nearest, told.c_str());
        }
        for (std::size_t i = 0; i < found.size(); ++i) {
            confidence.emplace_back(found[i].confidence, right[i]);
            if (right[i]) continue;
            ++false_finds;
            std::fprintf(stderr, "FALSE %s: %s%s confidence %.2f at %.0f,%.0f fraction %.4f\n",
                         c.file.filename().c_str(), found[i].chart.c_str(), found[i].mirrored ? " mirrored" : "",
                         found[i].confidence, found[i].corners[0].x(), found[i].corners[0].y(),
                         found[i].frame_fraction);
        }
    }
    int hits = 0;
    for (const Outcome& o : outcomes) hits += o.found;
    std::printf("\n### %s\n%zu pictures, %zu without a chart. Found: %d of %zu first charts (%.1f %%), %d of %d others "
                "in the same pictures; false finds: %d.\n",
                title, milliseconds.size(), milliseconds.size() - outcomes.size(), hits, outcomes.size(),
                100.0 * hits / std::max<std::size_t>(1, outcomes.size()), others_found, others, false_finds);
    std::printf("Corners: median %.4f pitch off, 95 %% below %.4f. Time: %.0f ms median, %.0f ms worst.\n",
                at_share(errors, 0.5), at_share(errors, 0.95), at_share(milliseconds, 0.5), at_share(milliseconds, 1));
    std::sort(confidence.begin(), confidence.end());
    std::string line;
    for (std::size_t b = 0; b < 4 && confidence.size() >= 8; ++b) {
        const std::size_t from = b * confidence.size() / 4, to = (b + 1) * confidence.size() / 4;
        double said = 0, was = 0;
        for (std::size_t i = from; i < to; ++i) {
            said += confidence[i].first;
            was += confidence[i].second;
        }
        line += formatted("{}{:.1f} % said, {:.1f} % right", b ? "; " : "", 100 * said / static_cast<double>(to - from),
                          100 * was / static_cast<double>(to - from));
    }
    if (!line.empty()) std::printf("Confidence by quarters: %s.\n", line.c_str());
    by_bins(outcomes, "factor");
    std::fflush(stdout);
}

/// OpenCV's chart module on the same 8-bit pictures: right where a box lies on the chart, whatever its orientation.
bool peer_finds(const cv::Mat& rgb, const Corners& truth, const chart::Definition& definition, double& milliseconds) {
    const auto start = std::chrono::steady_clock::now();
    const auto detector = cv::mcc::CCheckerDetector::create();
    cv::Mat bgr = rgb.clone();
    for (int i = 0; i < bgr.rows * bgr.cols; ++i) std::swap(bgr.data[3 * i], bgr.data[3 * i + 2]);
    bool right = false;
    if (detector->process(bgr, cv::mcc::MCC24, 3))
        for (const auto& checker : detector->getListColorChecker()) {
            const auto box = checker->getBox();
            for (std::size_t turn = 0; turn < 4 && box.size() == 4; ++turn) {
                Corners q;
                for (std::size_t i = 0; i < 4; ++i) q[i] = {box[(i + turn) % 4].x, box[(i + turn) % 4].y};
                right = right || error_pitch(truth, q, definition) < 0.6;
            }
        }
    milliseconds = milliseconds_since(start);
    return right;
}

void beside_peer(const char* title, const std::vector<Case>& cases, const std::vector<chart::Definition>& definitions) {
    int ours = 0, peers = 0, n = 0;
    std::vector<double> our_ms, alone_ms, peer_ms;
    double megapixels = 0;
    for (const Case& c : cases) {
        if (c.truth.empty() || c.truth[0].chart != "grid24" || c.truth[0].mirrored) continue;
        const frame::Frame image = frame::read(c.file);
        auto start = std::chrono::steady_clock::now();
        const auto found = find::locate(image, definitions);
        our_ms.push_back(milliseconds_since(start));
        const chart::Definition& definition = definition_of(definitions, "grid24");
        ours += std::any_of(found.begin(), found.end(), [&](const auto& p) {
            return p.chart == "grid24" && error_pitch(c.truth[0].corners, p.corners, definition) < 0.3;
        });
        start = std::chrono::steady_clock::now();
        find::locate(image, {definition});
        alone_ms.push_back(milliseconds_since(start));
        Corners truth = c.truth[0].corners;
        for (chart::Point& p : truth) p /= image.cell;
        double ms = 0;
        peers += peer_finds(shown(image), truth, definition, ms);
        peer_ms.push_back(ms);
        megapixels += image.full_width * image.full_height / 1e6;
        ++n;
    }
    if (n == 0) return;
    const auto mean = [&](const std::vector<double>& all) { return std::accumulate(all.begin(), all.end(), 0.0) / n; };
    const double our_mean = mean(our_ms), alone_mean = mean(alone_ms), peer_mean = mean(peer_ms);
    std::printf("\n### %s\n| %d frames of `grid24`, %.1f megapixels in the mean | Refero, all %zu charts tried | "
                "Refero, this chart only | OpenCV's chart module, this chart only |\n|---|---|---|---|\n",
                title, n, megapixels / n, definitions.size());
    std::printf("| found | %d (%.0f %%) | | %d (%.0f %%) |\n", ours, 100.0 * ours / n, peers, 100.0 * peers / n);
    std::printf("| time, mean | %.0f ms | %.0f ms | %.0f ms: %.1f and %.1f times as long |\n", our_mean, alone_mean,
                peer_mean, peer_mean / our_mean, peer_mean / alone_mean);
    std::printf("| time, worst | %.0f ms | %.0f ms | %.0f ms |\n", at_share(our_ms, 1), at_share(alone_ms, 1),
                at_share(peer_ms, 1));
    std::fflush(stdout);
}

/// Frames as drawn, made where they are not there yet.
std::vector<Case> simulated(const fs::path& folder, const Charts& charts, int with, int without, std::uint64_t seed) {
    std::vector<Case> all;
    std::vector<Json> scenes;
    for (int i = 0; i < with + without; ++i) {
        Draw d{std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(i) * 977)};
        Drawn drawn = draw(d, charts, i < with, i % 2 == 0);
        all.push_back({folder / formatted("{}-{}{:04}.{}", static_cast<unsigned long long>(seed),
                                          i < with ? "" : "none-", i, i % 2 ? "tif" : "dng"),
                       {},
                       drawn.factor});
        scenes.push_back(drawn.scene);
    }
    tbb::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
        if (!fs::exists(all[i].file))
            simulate::write(simulate::render(simulate::parse_scene(scenes[i].dump(), all[i].file)), all[i].file);
        all[i].truth = truths(all[i].file);
    });
    return all;
}

/// Frames of 24 megapixels, a chart of comfortable size in each.
std::vector<Case> large(const fs::path& folder, const Charts& charts, int frames, std::uint64_t seed) {
    std::vector<Case> all;
    for (int i = 0; i < frames; ++i) {
        Draw d{std::mt19937_64(seed * 7919 + static_cast<std::uint64_t>(i))};
        Case c{folder / formatted("large-{}-{:02}.tif", static_cast<unsigned long long>(seed), i), {}, {}};
        Json scene = draw(d, charts, false, false).scene;
        scene["size"] = {6000, 4000};
        scene["iso"] = 100;
        scene["charts"] = Json::array({{{"id", "grid24"},
                                        {"at", {d.uniform(0.35, 0.65), d.uniform(0.4, 0.6)}},
                                        {"width", d.uniform(0.1, 0.5)},
                                        {"rotation_deg", d.uniform(-30, 30)},
                                        {"tilt_deg", d.uniform(0, 30)}}});
        if (!fs::exists(c.file)) simulate::write(simulate::render(simulate::parse_scene(scene.dump(), c.file)), c.file);
        c.truth = truths(c.file);
        all.push_back(c);
    }
    return all;
}

std::vector<fs::path> photographs_in(const fs::path& list) {
    std::vector<fs::path> all;
    std::ifstream lines(list);
    for (std::string line; std::getline(lines, line);)
        if (!line.empty()) all.emplace_back(line);
    return all;
}

int run(int argc, char** argv) {
    CLI::App app("Measures the finder");
    fs::path folder, photographs;
    int frames = 300, large_frames = 0;
    std::uint64_t seed = 1;
    std::string only;
    bool with_finished = false, with_harder = false, with_peer = false;
    app.add_option("folder", folder, "where the frames are made and kept")->required();
    app.add_option("frames", frames, "with a chart; half as many again without");
    app.add_option("seed", seed);
    app.add_option("--only", only, "frames whose names hold this");
    app.add_flag("--finished", with_finished, "720 lines, tone curve, titles, JPEG");
    app.add_flag("--harder", with_harder, "folding cases, hands, motion, drawing, combing, resizing");
    app.add_flag("--peer", with_peer, "OpenCV's chart module beside it");
    app.add_option("--large", large_frames, "so many frames of 24 megapixels beside the peer");
    app.add_option("--photographs", photographs, "a text file of photographs without charts, one path a line");
    CLI11_PARSE(app, argc, argv);

    fs::create_directories(folder);
    Charts charts;
    for (const char* id : {"grid24", "grid24-reversed", "field77", "tint-steps", "scope-axes"})
        charts.emplace_back(id, chart::find_definition(id));
    for (const fs::path& file :
         {user_grid(folder, "user-7x5", 7, 5, 16, 12, 0, 5), user_grid(folder, "user-12x10", 12, 10, 8, 8, 1, 6)})
        charts.emplace_back(file.string(), chart::load_definition(file));
    std::vector<chart::Definition> definitions;
    for (const auto& [id, definition] : charts) definitions.push_back(definition);

    const auto cases = simulated(folder, charts, frames, frames / 2, seed);
    if (!cases.empty() && !with_harder) measure("Simulated frames", cases, definitions, only);
    if (with_finished) {
        std::vector<Case> all(cases.size());
        tbb::parallel_for(std::size_t{0}, all.size(),
                          [&](std::size_t i) { all[i] = finished(cases[i], folder, seed + i); });
        measure("Finished pictures of the same", all, definitions, only);
    }
    if (with_harder) {
        // On what the frames without a chart show; as many with a chart as asked for, half as many with a panel alone.
        const std::size_t with = static_cast<std::size_t>(frames);
        std::vector<Case> behind(cases.size() - with), all(cases.size());
        tbb::parallel_for(std::size_t{0}, behind.size(),
                          [&](std::size_t i) { behind[i] = finished(cases[with + i], folder, seed + with + i); });
        tbb::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
            all[i] = harder(behind[i % behind.size()].file, charts, folder, seed * 100000 + i, i < with);
        });
        measure("Harder finished pictures", all, definitions, only);
    }
    if (with_peer) beside_peer("Beside OpenCV's chart module", cases, definitions);
    if (large_frames > 0)
        beside_peer("Beside OpenCV's chart module, 24 megapixels", large(folder, charts, large_frames, seed),
                    definitions);
    if (!photographs.empty()) {
        std::vector<Case> alone, set;
        for (const fs::path& p : photographs_in(photographs)) {
            try {
                frame::read(p);
            } catch (const Error& problem) {
                std::fprintf(stderr, "passed over: %s\n", problem.what());
                continue;
            }
            alone.push_back({p, {}, {}});
            set.push_back(composed(p, charts, folder, seed + set.size()));
        }
        measure("Photographs alone", alone, definitions, only);
        measure("Charts set into the photographs", set, definitions, only);
    }
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    try {
        return run(argc, argv);
    } catch (const std::exception& problem) { return std::fprintf(stderr, "%s\n", problem.what()), 1; }
}
