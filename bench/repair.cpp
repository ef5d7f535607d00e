// Fits on faulted shots, raw and finished: what a correction leaves on the same scene without its fault, made without
// regard to the gate, with its repair, and without the patches that the gate names; docs/benchmarks.md.
//   refero-repair-bench [SEED] [--frames N] [--finished] [--chart ID] [--list]
#include <atomic>
#include <iostream>
#include <map>
#include <mutex>
#include <thread>

#include <CLI/CLI.hpp>
#include <tbb/parallel_for.h>

#include "gate_scenes.hpp"
#include "operations/correct/pipeline.hpp"

using namespace refero;
using namespace refero::bench;
using Json = nlohmann::json;

namespace {

struct Result {
    double plain = NAN, repaired = NAN, without = NAN; ///< CIEDE2000 on the clean frame, mean of the patches
    bool found = false, alarmed = false;
    std::string refused;
    std::vector<std::string> left_out, named;
};

std::filesystem::path written(const Json& scene, const Setting& setting, const std::filesystem::path& folder,
                              const char* what) {
    thread_local const std::string name = formatted("{}", std::hash<std::thread::id>{}(std::this_thread::get_id()));
    const auto rendering = simulate::render(realised(scene, setting));
    const auto file = folder / (name + what + (setting.style ? ".jpg" : ".dng"));
    if (setting.style) write_finished(rendering, *setting.style, file);
    else simulate::write(rendering, file);
    return file;
}

Result fit_on(const Json& clean_scene, const Json& faulty_scene, const Setting& setting,
              const std::filesystem::path& folder) {
    Result r;
    const chart::Reference reference = chart::reference_of(definition());
    try {
        const auto clean = operations::take_shot(written(clean_scene, setting, folder, "c"), {.chart = chart_in_use()});
        auto faulty = operations::take_shot(written(faulty_scene, setting, folder, "f"), {.chart = chart_in_use()});
        r.found = true;
        inspect::Judgement judgement = operations::judge(faulty.frame, faulty, inspect::limits_for({}));
        faulty.light = judgement.light;
        const auto left = [&](const fit::Correction& c) {
            return prove::against(c, clean.reading, reference, false).delta_e_2000.mean;
        };
        for (const inspect::Finding& f : judgement.findings)
            if (inspect::is_alarm(f.status) && (f.check == inspect::Check::shadow || f.check == inspect::Check::glare ||
                                                f.check == inspect::Check::occlusion))
                r.named.insert(r.named.end(), f.patches.begin(), f.patches.end());
        r.alarmed = judgement.verdict > inspect::Status::pass;
        r.plain = left(operations::correct({faulty}, reference, {}));
        fit::Settings without;
        without.without = r.named;
        try {
            r.without = left(operations::correct({faulty}, reference, without));
        } catch (const Error&) {} // too few are left
        try {
            const fit::Correction c = operations::correct({faulty}, reference, {}, {}, {judgement.findings});
            r.repaired = left(c);
            r.left_out = c.left_out;
        } catch (const Error& e) { r.refused = e.what(); }
    } catch (const find::NoChart&) {
    } catch (const Error& e) { r.refused = e.what(); }
    return r;
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app("Fits on faulted shots");
    std::uint64_t seed = 31;
    int frames = 48;
    bool finished = false, list = false;
    std::string chart = "grid24", only;
    app.add_option("seed", seed);
    app.add_option("--frames", frames);
    app.add_option("--chart", chart);
    app.add_option("--only", only, "one kind of fault");
    app.add_flag("--finished", finished);
    app.add_flag("--list", list, "every case");
    CLI11_PARSE(app, argc, argv);
    use_chart(chart);
    const auto folder = std::filesystem::temp_directory_path() / ("refero-repair-" + new_uid());
    std::filesystem::create_directory(folder);
    double all_plain = 0, all_repaired = 0;
    int all = 0;
    for (const Fault& fault : faults()) {
        const std::string check = fault.check;
        if (!(check == "shadow" || check == "evenness" || check == "glare" || check == "occlusion")) continue;
        if (!only.empty() && check != only) continue;
        std::vector<Result> results(static_cast<std::size_t>(frames));
        tbb::parallel_for(0, frames, [&](int i) {
            Draw d{
                std::mt19937_64(seed * 1000003 + static_cast<std::uint64_t>(i) * 17 + std::hash<std::string>{}(check))};
            Random r(d.random());
            const Setting setting = setting_of(r, Whose::reported, finished);
            const Json without = clean(d);
            Json with = without;
            std::set<std::string> patches;
            double strength = d.uniform(1.2, 2.5);
            fault.make(with, d, strength, patches, setting);
            results[static_cast<std::size_t>(i)] = fit_on(without, with, setting, folder);
        });
        double plain = 0, repaired = 0, without = 0, worst_plain = 0, worst_repaired = 0, most_worse = 0;
        int n = 0, refused = 0, lost = 0, silent = 0;
        for (const Result& r : results) {
            lost += !r.found;
            if (!r.found) continue;
            silent += !r.alarmed;
            if (!std::isfinite(r.repaired)) {
                ++refused;
                if (list) std::cout << "    refused: " << r.refused << "\n";
                continue;
            }
            ++n;
            plain += r.plain;
            repaired += r.repaired;
            without += std::isfinite(r.without) ? r.without : r.plain;
            worst_plain = std::max(worst_plain, r.plain);
            worst_repaired = std::max(worst_repaired, r.repaired);
            most_worse = std::max(most_worse, r.repaired - r.plain);
            if (list) {
                std::cout << formatted("    {:.2f} {:.2f} {:.2f}  named", r.plain, r.repaired, r.without);
                for (const auto& id : r.named) std::cout << " " << id;
                std::cout << "; left out";
                for (const auto& id : r.left_out) std::cout << " " << id;
                std::cout << "\n";
            }
        }
        all_plain += plain;
        all_repaired += repaired;
        all += n;
        std::cout
            << formatted(
                   "{:<10} {:<8} {} fits, not found {}, without an alarm {}, refused {}: as shot mean {:.2f} worst "
                   "{:.2f}, repaired {:.2f} {:.2f}, without the gate's patches {:.2f}; at most {:.2f} worse\n",
                   check, finished ? "finished" : "raw", n, lost, silent, refused, plain / std::max(1, n), worst_plain,
                   repaired / std::max(1, n), worst_repaired, without / std::max(1, n), most_worse)
            << std::flush;
    }
    std::cout << formatted("all {}: as shot {:.2f}, repaired {:.2f}\n", all, all_plain / std::max(1, all),
                           all_repaired / std::max(1, all));
    std::filesystem::remove_all(folder);
}
