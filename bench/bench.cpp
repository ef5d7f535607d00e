// Speed, each figure beside its peer in the same run: refero-bench [--benchmark_... options]
#include <benchmark/benchmark.h>
#include <libraw/libraw.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <map>

#include "apply/apply.hpp"
#include "scope/scope.hpp"
#include "simulate/simulate.hpp"
#include "work/pipeline.hpp"

namespace {

using namespace refero;
namespace fs = std::filesystem;

/// A 24-megapixel chart shot, made once a run.
const fs::path& frame_24mp() {
    static const fs::path file = [] {
        const fs::path folder = fs::temp_directory_path() / ("refero-bench-" + std::to_string(getpid()));
        fs::create_directories(folder);
        const auto scene = simulate::load_scene(shipped("demo/chart.json"), R"({"size":[6000,4000]})");
        simulate::write(simulate::render(scene), folder / "chart.dng");
        return folder / "chart.dng";
    }();
    return file;
}

void file_to_reading(benchmark::State& state) {
    for (auto _ : state)
        benchmark::DoNotOptimize(work::take_shot(frame_24mp(), {.chart = "grid24"}).reading.patches.size());
}

/// The peer: LibRaw alone opens, unpacks and makes its half-size image.
void libraw_half_size(benchmark::State& state) {
    for (auto _ : state) {
        LibRaw raw;
        raw.imgdata.params.half_size = 1;
        raw.imgdata.params.output_color = 0;
        raw.imgdata.params.output_bps = 16;
        raw.imgdata.params.no_auto_bright = 1;
        raw.imgdata.params.gamm[0] = raw.imgdata.params.gamm[1] = 1;
        if (raw.open_file(frame_24mp().c_str()) || raw.unpack() || raw.dcraw_process())
            state.SkipWithError("LibRaw failed");
        int problem = 0;
        libraw_processed_image_t* image = raw.dcraw_make_mem_image(&problem);
        benchmark::DoNotOptimize(image);
        LibRaw::dcraw_clear_mem(image);
    }
}

void fit_all_candidates(benchmark::State& state) {
    const auto shot = work::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto reference = chart::reference_of(shot.definition);
    for (auto _ : state) benchmark::DoNotOptimize(fit::build(shot.reading, reference, &shot.definition, {}).fit.mean);
}

/// The simple candidates, one by one: what they share is even done three times.
void fit_simple_candidates(benchmark::State& state) {
    const auto shot = work::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto reference = chart::reference_of(shot.definition);
    for (auto _ : state)
        for (const fit::Model model : {fit::Model::diagonal, fit::Model::matrix, fit::Model::root_polynomial_2}) {
            fit::Settings settings;
            settings.model = model;
            settings.alone = true;
            benchmark::DoNotOptimize(fit::build(shot.reading, reference, &shot.definition, settings).fit.mean);
        }
}

/// What a slider waits for: the scaled frame corrected anew, as display codes, and a waveform, a parade and a
/// vectorscope of it.
void change_to_scopes(benchmark::State& state) {
    const auto shot = work::take_shot(frame_24mp(), {.chart = "grid24"});
    auto correction = work::correct({shot}, chart::reference_of(shot.definition), {});
    const frame::Frame small = apply::smaller(shot.frame, 900);
    for (auto _ : state) {
        correction.finish.warmer_mired = correction.finish.warmer_mired == 10 ? 11 : 10;
        const auto picture = apply::corrected(small, correction, "srgb");
        const auto codes = apply::display_codes(picture);
        const scope::Codes all{picture.width, picture.height, codes};
        benchmark::DoNotOptimize(scope::vectorscope(all, {}, scope::Standard::bt709).count.data());
        benchmark::DoNotOptimize(scope::histogram(all, {}, scope::Standard::bt709)[0][0]);
        for (const auto signal : {scope::Signal::red, scope::Signal::green, scope::Signal::blue, scope::Signal::luma})
            benchmark::DoNotOptimize(scope::waveform(all, {}, signal, scope::Standard::bt709).count.data());
    }
}

void apply_full_size(benchmark::State& state) {
    const auto shot = work::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto correction = work::correct({shot}, chart::reference_of(shot.definition), {});
    const auto frame = frame::read(frame_24mp(), {frame::Size::full, {}});
    for (auto _ : state) benchmark::DoNotOptimize(apply::corrected(frame, correction, "srgb").rgb.data());
}

void render_and_write(benchmark::State& state) {
    const auto scene = simulate::load_scene(shipped("demo/chart.json"), R"({"size":[6000,4000]})");
    const fs::path file = frame_24mp().parent_path() / "written.dng";
    for (auto _ : state) simulate::write(simulate::render(scene), file);
}

BENCHMARK(file_to_reading)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(libraw_half_size)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(fit_all_candidates)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(fit_simple_candidates)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(change_to_scopes)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(apply_full_size)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(render_and_write)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(2);

/// The usual table, and the times kept for the ratios.
class Keeper : public benchmark::ConsoleReporter {
public:
    void ReportRuns(const std::vector<Run>& runs) override {
        for (const Run& r : runs) milliseconds[r.run_name.function_name] = r.GetAdjustedRealTime();
        ConsoleReporter::ReportRuns(runs);
    }
    std::map<std::string, double> milliseconds;
};

} // namespace

int main(int argc, char** argv) {
    benchmark::Initialize(&argc, argv);
    if (benchmark::ReportUnrecognizedArguments(argc, argv)) return 2;
    frame_24mp(); // not a part of what is timed
    Keeper keeper;
    benchmark::RunSpecifiedBenchmarks(&keeper);
    const auto& ms = keeper.milliseconds;
    if (ms.contains("file_to_reading") && ms.contains("libraw_half_size"))
        std::printf("24 MP DNG from file to reading: %.2f times LibRaw's half-size image alone (aim: at most 2)\n",
                    ms.at("file_to_reading") / ms.at("libraw_half_size"));
    if (ms.contains("fit_all_candidates"))
        std::printf("Fit of all candidates with cross-validation: %.0f ms (aim: at most 2000)\n",
                    ms.at("fit_all_candidates"));
    if (ms.contains("fit_simple_candidates"))
        std::printf("Fit of the simple candidates with leave-one-out: %.0f ms (aim: at most 150)\n",
                    ms.at("fit_simple_candidates"));
    if (ms.contains("change_to_scopes"))
        std::printf("From a change of the finish to the picture and its scopes, 24 MP frame scaled to 900 pixels: %.1f "
                    "ms (aim: at most 40)\n",
                    ms.at("change_to_scopes"));
    std::error_code ec;
    fs::remove_all(frame_24mp().parent_path(), ec);
}
