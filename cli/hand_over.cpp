// Verbs that write files: export, simulate.
#include "operations/handover/delivery.hpp"
#include "operations/handover/handover.hpp"
#include "simulate/simulate.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

static std::string format_names() {
    std::string all;
    for (const handover::Format& f : handover::formats()) all += (all.empty() ? "" : ", ") + f.id;
    return all;
}

Run add_export(CLI::App& app) {
    struct Arguments {
        std::string correction, second, format, output;
        handover::Options options;
        LookArgument look;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("--format", a->format, format_names())->required();
    app.add_option("-o,--output", a->output, "File to write, or a folder: there the file is named by --name")
        ->required();
    app.add_option("--input-encoding", a->options.input_encoding,
                   "Encoding of what goes in, a name or a 1D LUT file; default: the one that the reading was decoded "
                   "with, srgb for raw, linear for icc");
    app.add_option("--space", a->options.space,
                   "Colour space of what comes out of a LUT; default: bt709 for video modes, else srgb");
    app.add_option("--icc-version", a->options.icc_version, "icc: 2 or 4")
        ->capture_default_str()
        ->check(CLI::IsMember({2, 4}));
    app.add_option("--size", a->options.size, "Nodes along each side of a cube")->capture_default_str();
    app.add_option("--camera-model", a->options.camera_model,
                   "dcp: what the program that reads it calls the camera; default: the frame's UniqueCameraModel");
    app.add_option("--second", a->second, "dcp: the correction of the same camera under another light");
    app.add_option("--name,--title", a->options.name, "Name inside the file; default: camera and light");
    a->look.add(app);
    a->outputs.add(app);
    return [a] {
        const handover::Format& format = handover::format_named(a->format);
        const fit::Correction correction = a->look.on(fit::load(a->correction));
        fs::path target = a->output;
        std::error_code ec;
        if (format.first_of(target) == target && (fs::is_directory(target, ec) || a->output.ends_with('/'))) {
            const std::string name = a->options.name.empty() ? handover::title_of(correction) : a->options.name;
            fs::create_directories(target, ec);
            target /= operations::file_stem(name) + format.extension;
        }
        a->outputs.check({format.first_of(target)},
                         {a->correction, a->second, a->options.input_encoding, a->look.look});
        if (!a->second.empty()) a->options.second = std::make_shared<const fit::Correction>(fit::load(a->second));
        const handover::Written w = handover::write(correction, a->format, target, a->options);
        Result r;
        r.json = {{"file", target.string()},
                  {"format", a->format},
                  {"exported_model", w.model_name()},
                  {"delta_e_2000", json_of(w.delta_e_2000)},
                  {"for", w.sentence},
                  {"message", w.message}};
        r.words = target.string() + ": " + w.message + "\n" + (w.sentence.empty() ? "" : w.sentence + "\n");
        return r;
    };
}

Run add_simulate(CLI::App& app) {
    struct Arguments {
        std::string scene, output;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("SCENE", a->scene, "Scene description (JSON, docs/formats.md)")->required();
    app.add_option("-o,--output", a->output, "Frame to write: .dng, .tif or .exr")->required();
    a->outputs.add(app);
    return [a] {
        fs::path truth = a->output;
        truth.replace_extension(".truth.json");
        a->outputs.check({a->output}, {a->scene});
        const simulate::Scene scene = simulate::load_scene(a->scene);
        const simulate::Rendering rendering = simulate::render(scene);
        // The truth of a frame of this stem is there already: that is well if it is the same.
        std::error_code ec;
        const bool same_truth = fs::exists(truth, ec) && read_file(truth) == simulate::truth_of(rendering);
        if (!same_truth) a->outputs.check({truth}, {a->scene});
        simulate::write(rendering, a->output);
        Result r;
        r.json = {{"file", a->output}, {"truth", truth.string()}, {"width", scene.width}, {"height", scene.height}};
        r.words = a->output + "\n" + truth.string() + "\n";
        return r;
    };
}

} // namespace refero::cli
