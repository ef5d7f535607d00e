// refero-cli plate: frames as neutral, scene-linear light for effects.
#include "operations/handover/plate.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

struct PlateArguments : ShotArguments {
    std::string correction, folder, depth;
    std::vector<std::string> plates, clean, objects, charts;
    RangeArguments range;
    LookArgument look;
    operations::PlateOptions options;
    Outputs outputs;
};

Result run(const PlateArguments& a) {
    a.range.check();
    operations::PlateOptions options = a.options;
    options.depth = apply::depth_named(a.depth, apply::Format::exr);
    options.existing = a.outputs.existing();
    const auto correction = std::make_shared<const fit::Correction>(a.look.on(fit::load(a.correction)));
    std::vector<operations::PlateSource> sources;
    std::vector<fs::path> inputs{a.correction, a.encoding, a.look.look};
    const auto add = [&](const std::vector<std::string>& files, operations::PlateRole role) {
        for (const fs::path& file : files_of(files))
            for (const operations::FrameSource& still : a.range.stills_of(file, a)) {
                sources.push_back({still, role});
                inputs.push_back(still.file);
            }
    };
    add(a.plates, operations::PlateRole::plate);
    add(a.clean, operations::PlateRole::clean);
    add(a.objects, operations::PlateRole::object);
    add(a.charts, operations::PlateRole::chart);
    const operations::PlateSet set = operations::plan_plates(sources, correction, a.folder, options);
    a.outputs.check(set.outputs(), inputs);
    const operations::PlateResult done = operations::write_plates(set, options, [&](const operations::BatchEnd& end) {
        const operations::Development& d = set.frames[end.frame].frame;
        say(end.problem ? d.source.file.string() + ": " + end.problem->sentences() : d.target.string());
    });
    Result r;
    r.json["display"] = set.display.string();
    r.json["note"] = set.note.string();
    r.json["written"] = r.json["failed"] = r.json["agreement"] = r.json["differences"] = Json::array();
    for (const operations::BatchEnd& end : done.ends) {
        const operations::Development& d = set.frames[end.frame].frame;
        if (end.problem) note_failure(r, d.source.file.string(), *end.problem);
        if (!end.done) continue;
        r.json["written"].push_back({{"file", d.target.string()},
                                     {"role", shoot::name_of(set.roles[end.frame])},
                                     {"source", d.source.file.string()}});
        for (const std::string& how_so : end.done->differences) {
            r.json["differences"].push_back({{"file", d.source.file.string()}, {"says", how_so}});
            r.words += d.source.file.string() + ": " + how_so + "\n";
        }
    }
    for (const operations::PlateAgreement& agreement : done.agreement) {
        r.json["agreement"].push_back(
            {{"file", agreement.plate.string()}, {"most_codes", agreement.most}, {"mean_codes", agreement.mean}});
        r.words += formatted("{}: through {} within {:.2f} codes of 255 of the corrected picture\n",
                             agreement.plate.string(), set.display.filename().string(), agreement.most);
    }
    return r;
}

} // namespace

Run add_plate(CLI::App& app) {
    const auto a = std::make_shared<PlateArguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("PLATE", a->plates, "Frames, clips or sequences that effects are put into");
    app.add_option("-o,--output", a->folder, "Folder to write to; made if missing")->required();
    app.add_option("--clean", a->clean, "Clean plates: the same without what will be replaced");
    app.add_option("--object", a->objects, "Frames of a reference object: a grey or mirror ball");
    app.add_option("--chart-shot", a->charts, "Chart shots under the same light");
    app.add_option("--space", a->options.space, "acescg, linear-bt709 or xyz-d50")->capture_default_str();
    app.add_option("--display", a->options.display, "What the display curve ends in: srgb, bt709, display-p3 ...")
        ->capture_default_str();
    app.add_option("--depth", a->depth, "half or float; default: half");
    app.add_option("--jobs", a->options.jobs, "Frames at a time; default: by memory and processors")
        ->check(CLI::Range(1, 256));
    a->range.add(app, *a);
    a->look.add(app);
    a->add_encoding(app);
    a->outputs.add(app);
    return [a] { return run(*a); };
}

} // namespace refero::cli
