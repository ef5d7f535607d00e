// Speed, each figure beside its peer in the same run: refero-bench [--benchmark_... options]
#include <Eigen/LU>
#include <OpenColorIO/OpenColorIO.h>
#include <benchmark/benchmark.h>
#include <libraw/libraw.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <map>

#include "apply/apply.hpp"
#include "apply/kernel.hpp"
#include "handover/handover.hpp"
#include "operations/correct/pipeline.hpp"
#include "scope/scope.hpp"
#include "simulate/simulate.hpp"

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
        benchmark::DoNotOptimize(operations::take_shot(frame_24mp(), {.chart = "grid24"}).reading.patches.size());
}

/// The gate's own part of a verdict: pixels looked at, readings explained, checks made.
void gate_alone(benchmark::State& state) {
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto limits = inspect::limits_for({});
    for (auto _ : state) benchmark::DoNotOptimize(operations::judge(shot.frame, shot, limits).findings.size());
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
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto reference = chart::reference_of(shot.definition);
    for (auto _ : state) benchmark::DoNotOptimize(fit::build(shot.reading, reference, &shot.definition, {}).fit.mean);
}

/// The simple candidates, one by one: what they share is even done three times.
void fit_simple_candidates(benchmark::State& state) {
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
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
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
    auto correction = operations::correct({shot}, chart::reference_of(shot.definition), {});
    const frame::Frame small = frame::smaller(shot.frame, 900);
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
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
    const auto correction = operations::correct({shot}, chart::reference_of(shot.definition), {});
    const auto frame = frame::read(frame_24mp(), {frame::Size::full, {}});
    for (auto _ : state) benchmark::DoNotOptimize(apply::corrected(frame, correction, "srgb").rgb.data());
}

/// A correction as a batch carries it out, and the LUT that is exported of it.
struct AsLut {
    fit::Correction correction;
    apply::Kernel kernel;
    OCIO_NAMESPACE::ConstCPUProcessorRcPtr lut;
    std::vector<float> pixels; ///< camera RGB
    std::vector<std::uint16_t> codes;
};
AsLut& as_lut(fit::Model model) {
    namespace ocio = OCIO_NAMESPACE;
    static std::map<fit::Model, AsLut> all;
    AsLut& a = all[model];
    if (!a.pixels.empty()) return a;
    const auto shot = operations::take_shot(frame_24mp(), {.chart = "grid24"});
    fit::Settings settings;
    settings.model = model;
    settings.alone = true;
    a.correction = operations::correct({shot}, chart::reference_of(shot.definition), settings);
    const fs::path cube = frame_24mp().parent_path() / (fit::name_of(model) + ".cube");
    handover::write(a.correction, "cube", cube, {.input_encoding = "srgb", .space = "srgb", .size = 33});
    auto file = ocio::FileTransform::Create();
    file->setSrc(cube.c_str());
    file->setInterpolation(ocio::INTERP_TETRAHEDRAL);
    a.lut = ocio::Config::CreateRaw()->getProcessor(file)->getOptimizedCPUProcessor(
        ocio::BIT_DEPTH_F32, ocio::BIT_DEPTH_UINT16, ocio::OPTIMIZATION_DEFAULT);
    const frame::Frame frame = frame::read(frame_24mp(), {frame::Size::full, {}});
    a.kernel = apply::kernel_of(frame, a.correction, colour::rgb_space("srgb"));
    a.pixels.assign(frame.rgb.begin(), frame.rgb.begin() + 3 * 4'000'000);
    a.codes.resize(a.pixels.size());
    return a;
}

void kernel_codes(AsLut& a, const apply::Encoder& encoder) {
    constexpr std::size_t some = 512; // pixels that stay in the nearest cache
    std::array<float, 3 * some> rgb;
    for (std::size_t i = 0, n = a.pixels.size() / 3; i < n; i += some) {
        const std::size_t count = std::min(some, n - i);
        apply::correct_pixels(a.kernel, &a.pixels[3 * i], count, rgb.data());
        encoder(rgb.data(), 3 * count, &a.codes[3 * i]);
    }
}

/// Camera RGB to 16-bit codes of sRGB, on one thread.
void kernel_alone(benchmark::State& state, fit::Model model) {
    AsLut& a = as_lut(model);
    const apply::Encoder encoder(colour::Transfer::srgb, 65535);
    for (auto _ : state) {
        kernel_codes(a, encoder);
        benchmark::DoNotOptimize(a.codes.data());
    }
}

/// The peer: OpenColorIO's tetrahedral interpolation in the exported LUT of 33 nodes, which is given the same pixels,
/// encoded as it expects them beforehand, and gives 16-bit codes, too. On one thread.
void lut_alone(benchmark::State& state, fit::Model model) {
    namespace ocio = OCIO_NAMESPACE;
    AsLut& a = as_lut(model);
    std::vector<float> encoded(a.pixels.size());
    for (std::size_t i = 0; i < encoded.size(); ++i)
        encoded[i] = static_cast<float>(
            colour::encode(colour::Transfer::srgb, std::clamp(static_cast<double>(a.pixels[i]), 0.0, 1.0)));
    const auto n = static_cast<long>(a.pixels.size() / 3);
    std::vector<std::uint16_t> codes(a.pixels.size());
    ocio::PackedImageDesc in(encoded.data(), n, 1, 3), out(codes.data(), n, 1, 3, ocio::BIT_DEPTH_UINT16, 2, 6, 6 * n);
    for (auto _ : state) {
        a.lut->apply(in, out);
        benchmark::DoNotOptimize(codes.data());
    }
    // How far both are from the correction in double precision, in codes of 16 bits.
    kernel_codes(a, apply::Encoder(colour::Transfer::srgb, 65535));
    const colour::RgbSpace& space = colour::rgb_space("srgb");
    const colour::Mat3 from_xyz = space.to_xyz_d50().inverse();
    double ours = 0, peers = 0, count = 0;
    for (std::size_t i = 0; i < a.pixels.size(); i += 3 * 997) {
        const colour::Vec3 exact = from_xyz * a.correction(colour::Vec3(a.pixels[i], a.pixels[i + 1], a.pixels[i + 2]));
        for (std::size_t c = 0; c < 3; ++c) {
            const double code =
                65535 * colour::encode(space.transfer, std::clamp(exact[static_cast<Eigen::Index>(c)], 0.0, 1.0));
            ours += std::abs(a.codes[i + c] - code);
            peers += std::abs(codes[i + c] - code);
            ++count;
        }
    }
    state.counters["kernel_off"] = ours / count;
    state.counters["lut_off"] = peers / count;
}

void render_and_write(benchmark::State& state) {
    const auto scene = simulate::load_scene(shipped("demo/chart.json"), R"({"size":[6000,4000]})");
    const fs::path file = frame_24mp().parent_path() / "written.dng";
    for (auto _ : state) simulate::write(simulate::render(scene), file);
}

BENCHMARK(file_to_reading)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(gate_alone)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(libraw_half_size)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(fit_all_candidates)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(fit_simple_candidates)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(change_to_scopes)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);
BENCHMARK(apply_full_size)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(kernel_alone, matrix, fit::Model::matrix)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(kernel_alone, spectral, fit::Model::spectral)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(kernel_alone, root_polynomial_2, fit::Model::root_polynomial_2)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(kernel_alone, root_polynomial_3, fit::Model::root_polynomial_3)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(lut_alone, spectral, fit::Model::spectral)->Unit(benchmark::kMillisecond);
BENCHMARK(render_and_write)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(2);

/// The usual table, and the times kept for the ratios.
class Keeper : public benchmark::ConsoleReporter {
public:
    void ReportRuns(const std::vector<Run>& runs) override {
        for (const Run& r : runs)
            milliseconds[r.run_name.function_name + (r.run_name.args.empty() ? "" : "/" + r.run_name.args)] =
                r.GetAdjustedRealTime();
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
    if (ms.contains("gate_alone") && ms.contains("libraw_half_size"))
        std::printf("The gate alone: %.0f ms (aim: at most 60), %.2f times LibRaw's half-size image\n",
                    ms.at("gate_alone"), ms.at("gate_alone") / ms.at("libraw_half_size"));
    if (ms.contains("fit_all_candidates"))
        std::printf("Fit of all candidates with cross-validation: %.0f ms (aim: at most 2000)\n",
                    ms.at("fit_all_candidates"));
    if (ms.contains("fit_simple_candidates"))
        std::printf("Fit of the simple candidates with leave-one-out: %.0f ms (aim: at most 150)\n",
                    ms.at("fit_simple_candidates"));
    if (ms.contains("kernel_alone/spectral") && ms.contains("lut_alone/spectral"))
        std::printf("The kernel on one thread: %.1f times as fast as OpenColorIO's tetrahedral LUT (aim: at least 6)\n",
                    ms.at("lut_alone/spectral") / ms.at("kernel_alone/spectral"));
    if (ms.contains("change_to_scopes"))
        std::printf("From a change of the finish to the picture and its scopes, 24 MP frame scaled to 900 pixels: %.1f "
                    "ms (aim: at most 40)\n",
                    ms.at("change_to_scopes"));
    std::error_code ec;
    fs::remove_all(frame_24mp().parent_path(), ec);
}
