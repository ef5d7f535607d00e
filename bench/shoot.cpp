// A whole shoot handed over in one go: eight setups balanced on a card, with so many small frames each (links to one
// file), and eight with a chart, of two cameras under four lights; docs/benchmarks.md.
//   refero-shoot-bench FOLDER [FRAMES of each card-balanced setup, default 100]
#include <chrono>
#include <cstdlib>
#include <iostream>
#include <map>

#include <sys/resource.h>

#include "base/statistics.hpp"
#include "operations/capture/intake.hpp"
#include "operations/correct/making.hpp"
#include "operations/handover/batch.hpp"
#include "operations/handover/report.hpp"
#include "operations/match/matching.hpp"
#include "simulate/simulate.hpp"
#include "store/document.hpp"

using namespace refero;
namespace fs = std::filesystem;

namespace {

constexpr const char* cameras[] = {"stills-a", "stills-b"};
constexpr const char* lights[] = {"window", "tungsten", "led", "flash"};
constexpr int width = 720, height = 480;

/// One arrangement: papers of many colours; with a grey card in its middle, or a chart, or neither.
std::string scene(const char* camera, const char* light, const std::string& middle, int seed) {
    std::string objects;
    for (int i = 0; i < 24; ++i) {
        const double hue = i * 0.65, chroma = 8 + 28 * ((i * 7) % 5) / 4.0;
        objects +=
            formatted(R"({}{{"shape":"ellipse","at":[{:g},{:g}],"size":[0.08,0.11],"surface":[{:g},{:g},{:g}]}})",
                      i ? "," : "", 0.07 + 0.123 * (i % 8),
                      i < 8    ? 0.12
                      : i < 16 ? 0.88
                               : 0.3 + 0.4 * (i % 2),
                      35.0 + 5 * (i % 9), chroma * std::cos(hue), chroma * std::sin(hue));
    }
    return formatted(
        R"({{"refero_scene":1,"size":[{},{}],"camera":"{}","light":"{}","white":0.8,"seed":{},)"
        R"("background":{{"surface":[62,4,10],"texture":0.1,"texture_px":8}},"objects":[{}{}]{}}})",
        width, height, camera, light, seed, objects,
        middle == "card" ? R"(,{"shape":"rectangle","at":[0.5,0.5],"size":[0.2,0.2],"surface":{"grey":0.18}})" : "",
        middle == "chart" ? R"(,"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.42}])" : "");
}

double seconds_since(std::chrono::steady_clock::time_point t) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - t).count();
}

/// Mean CIEDE2000 between two pictures of one arrangement, by squares of 8 x 8 pixels.
double apart(const apply::Picture& a, const apply::Picture& b) {
    constexpr int side = 8;
    double sum = 0;
    int n = 0;
    const auto lab = [](const apply::Picture& p, int x0, int y0) {
        colour::Vec3 mean = colour::Vec3::Zero();
        for (int y = y0; y < y0 + side; ++y)
            for (int x = x0; x < x0 + side; ++x)
                for (int c = 0; c < 3; ++c)
                    mean[c] += static_cast<double>(p.rgb[static_cast<std::size_t>(3 * (y * p.width + x) + c)]);
        return colour::lab_from_xyz(mean / (side * side));
    };
    for (int y = 0; y + side <= a.height; y += side)
        for (int x = 0; x + side <= a.width; x += side, ++n) sum += colour::delta_e_2000(lab(a, x, y), lab(b, x, y));
    return sum / n;
}

struct Shoot {
    fs::path folder;
    store::JobFile job;
    std::vector<shoot::Id> balanced, charted;  ///< setups, by camera and light
    std::map<shoot::Id, fs::path> arrangement; ///< a frame of each balanced setup

    explicit Shoot(const fs::path& f) : folder(f), job(f / "shoot.refero", store::JobFile::Open::create) {}

    fs::path shot(const char* camera, const char* light, const std::string& middle, int seed) {
        const fs::path file = folder / formatted("{}-{}-{}.dng", camera, light, middle);
        simulate::write(simulate::render(simulate::parse_scene(scene(camera, light, middle, seed), "bench")), file);
        return file;
    }

    void plan_and_shoot() {
        std::vector<shoot::Id> camera_ids, light_ids;
        shoot::Id card = 0, lens = 0, mode = 0;
        job.change("Plan", [&](auto& e) {
            for (const char* c : cameras)
                camera_ids.push_back(e.add(shoot::CameraRecord{.name = c, .model = simulate::camera_named(c).model}));
            for (const char* l : lights) light_ids.push_back(e.add(shoot::LightRecord{.name = l}));
            lens = e.add(shoot::LensRecord{.name = "Lens 50 mm", .focal_mm = 50});
            mode = e.add(shoot::ModeRecord{.name = "raw"});
            card = e.add(
                shoot::CardRecord{.name = "Grey card", .kind = shoot::CardKind::grey_card, .definition = "grey-card"});
            for (const shoot::Id c : camera_ids)
                for (const shoot::Id l : light_ids) {
                    balanced.push_back(e.add(shoot::SetupRecord{
                        .camera = c, .lens = lens, .mode = mode, .light = l, .card = card, .balance_only = true}));
                    charted.push_back(e.add(shoot::SetupRecord{.camera = c, .mode = mode, .light = l}));
                }
        });
        int seed = 1;
        for (std::size_t i = 0; i < balanced.size(); ++i) {
            const char *camera = cameras[i / 4], *light = lights[i % 4];
            take(shot(camera, light, "card", seed++), balanced[i], true);
            take(shot(camera, light, "chart", seed++), charted[i], true);
            arrangement[balanced[i]] = shot(camera, light, "frame", seed++);
        }
    }

    void take(const fs::path& file, shoot::Id setup, bool shows) {
        const bool card = shows && std::find(balanced.begin(), balanced.end(), setup) != balanced.end();
        job.change("Frame", [&](auto& e) {
            shoot::FrameRecord f = operations::described(file);
            f.setup = setup;
            f.camera = shoot::record(job.content().setups, setup)->camera;
            if (shows) f.kind = shoot::FrameKind::chart;
            const shoot::Id frame = e.add(f);
            if (shows)
                e.add(shoot::ChartShotRecord{
                    .setup = setup,
                    .frame = frame,
                    .chart = card ? "grey-card" : "grid24",
                    .corners = card ? shoot::text_of(balance::square_about(width, height, {width / 2.0, height / 2.0}))
                                    : std::string()});
        });
    }

    /// All frames in one change, as a folder that is dropped.
    void take_frames(int each) {
        job.change("Frames", [&](auto& e) {
            for (const shoot::Id setup : balanced)
                for (int i = 1; i <= each; ++i) {
                    const fs::path link = folder / formatted("{}_{:03d}.dng", arrangement[setup].stem().string(), i);
                    std::error_code ec;
                    fs::create_hard_link(arrangement[setup], link, ec);
                    shoot::FrameRecord f = operations::described(link);
                    f.setup = setup;
                    f.camera = shoot::record(job.content().setups, setup)->camera;
                    e.add(f);
                }
        });
    }

    void read_and_fit() {
        for (const shoot::ChartShotRecord& shot : std::vector(job.content().chart_shots))
            job.change(operations::keep(job.content(), shot.id,
                                        operations::measure(operations::request_for(job.content(), shot))));
        for (const shoot::Id setup : charted) {
            const auto request = operations::fit_request(job.content(), operations::chain_of(job.content(), setup));
            job.change(operations::keep(job.content(), request, operations::fit(request)));
        }
    }
};

} // namespace

int main(int argc, char** argv) try {
    if (argc < 2) {
        std::cerr << "usage: refero-shoot-bench FOLDER [FRAMES]\n";
        return 2;
    }
    const fs::path folder = argv[1];
    const int each = argc > 2 ? std::atoi(argv[2]) : 100;
    fs::create_directories(folder / "out");
    Shoot shoot(folder);
    shoot.plan_and_shoot();
    auto before = std::chrono::steady_clock::now();
    shoot.take_frames(each);
    const double taking = seconds_since(before);
    before = std::chrono::steady_clock::now();
    shoot.read_and_fit();
    const double fitting = seconds_since(before);

    std::vector<operations::Chain> chains;
    for (operations::ChainFacts& f : operations::facts_of(shoot.job.content()))
        chains.push_back(operations::derived(std::move(f)));
    std::vector<const operations::Chain*> all;
    std::size_t files = 0;
    before = std::chrono::steady_clock::now();
    for (const operations::Chain& c : chains) {
        if (!c.correction) {
            std::cerr << c.title << ": no correction. " << c.balance_problem << c.problem << "\n";
            return 1;
        }
        all.push_back(&c);
        std::vector<std::pair<const operations::Chain*, operations::HandedOver>> handed;
        for (const char* format : {"cube", "dcp", "icc"}) {
            const fs::path target =
                folder / "out" / (formatted("setup-{}", c.id) + handover::format_named(format).extension);
            handed.emplace_back(&c, operations::write_file(*c.correction, format, {}, target));
            ++files;
        }
        shoot.job.change(operations::keep_all(shoot.job.content(), handed));
    }
    const double handing = seconds_since(before);
    before = std::chrono::steady_clock::now();
    const auto frames =
        operations::batch_of(shoot.job.content(), all, apply::Format::jpeg, folder / "out", "{stem}", "srgb");
    operations::BatchOptions options;
    options.develop.format = apply::Format::jpeg;
    options.develop.existing = Existing::replace;
    std::size_t done = 0, failed = 0;
    std::vector<std::pair<const operations::Chain*, operations::HandedOver>> rows;
    std::map<const fit::Correction*, const operations::Chain*> chain_with;
    for (const operations::Chain* c : all) chain_with[c->correction.get()] = c;
    operations::develop_all(frames, options, [&](const operations::BatchEnd& end) {
        done += end.done.has_value();
        failed += end.problem.has_value();
        if (end.done) rows.emplace_back(chain_with.at(frames[end.frame].correction.get()), *end.done);
    });
    shoot.job.change(operations::keep_all(shoot.job.content(), rows));
    const double developing = seconds_since(before);
    rusage use{};
    getrusage(RUSAGE_SELF, &use);
    std::cout << formatted(
        "{} setups, {} frames: {} frames described and taken in within {:.1f} s; {} chart and card shots "
        "read and {} setups fitted in {:.1f} s;\n{} files of correction in {:.1f} s; {} frames "
        "developed to JPEG in {:.1f} s ({} failed), {:.0f} MiB at most\n",
        chains.size(), frames.size(), 8 * each, taking, shoot.job.content().chart_shots.size(), shoot.charted.size(),
        fitting, files, handing, done, developing, failed, static_cast<double>(use.ru_maxrss) / 1024);

    // Both cameras' frames of the one arrangement, as both cameras' daylight has them, and as handed over.
    for (int l = 0; l < 4; ++l) {
        apply::Picture plain[2], balanced[2], corrected[2];
        for (int c = 0; c < 2; ++c) {
            const auto at = static_cast<std::size_t>(4 * c + l);
            const frame::Frame f = frame::read(shoot.arrangement[shoot.balanced[at]]);
            // Both cameras left at their daylight, and exposed as the balanced ones are.
            const auto chain = operations::chain_of(shoot.job.content(), shoot.balanced[at]);
            const colour::Vec3 white = balance::spot_of({5500, 0}, *f.camera_from_xyz).camera_rgb;
            balance::Balance own;
            own.gains = white[1] * white.cwiseInverse();
            own.exposure = chain.balance->exposure;
            const colour::Mat3 to_xyz = operations::own_colours(f, own);
            plain[c] = apply::rendered(
                f, [&](const colour::Vec3& v) -> colour::Vec3 { return to_xyz * own(v); }, "xyz-d50");
            balanced[c] = apply::corrected(f, *chain.correction, "xyz-d50", {});
            corrected[c] = apply::corrected(f, *operations::chain_of(shoot.job.content(), shoot.charted[at]).correction,
                                            "xyz-d50", {});
        }
        std::cout << formatted(
            "{}: CIEDE2000 between the cameras {:.2f} at both cameras' daylight, {:.2f} balanced on a card, {:.2f} "
            "corrected by a chart\n",
            lights[l], apart(plain[0], plain[1]), apart(balanced[0], balanced[1]), apart(corrected[0], corrected[1]));
    }
    return failed ? 1 : 0;
} catch (const Error& e) {
    std::cerr << e.what() << "\n";
    return 1;
}
