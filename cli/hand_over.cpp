// Verbs that write pictures and files: apply, export, simulate.
#include "simulate/simulate.hpp"
#include "verb.hpp"
#include "work/handover.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

struct ApplyArguments : ShotArguments {
    std::string correction, second, folder, format = "tiff", space = "srgb", name = "{stem}";
    std::vector<std::string> images;
    double kelvin = 0;
    Outputs outputs;
};

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
        text.replace(at, what.size(), by);
    return text;
}

fs::path target_of(const ApplyArguments& a, const std::string& image, const fit::Correction& c, apply::Format format) {
    std::string name = replaced(a.name, "{stem}", fs::path(image).stem().string());
    name = replaced(name, "{space}", a.space);
    name = replaced(name, "{light}", c.light_name.empty() ? "light" : c.light_name);
    name = replaced(name, "{camera}", c.sources.empty() ? "camera" : c.sources.front().metadata.camera());
    if (name.empty() || name.find('/') != std::string::npos || name.find('{') != std::string::npos)
        throw Error(ErrorKind::usage, "the name pattern '" + a.name + "' cannot be used", {},
                    "Known: {stem} {camera} {light} {space}");
    return fs::path(a.folder) / (name + apply::extension_of(format));
}

// The targets of all inputs, in their order; refuses what would do harm before anything is written.
std::vector<fs::path> targets_of(const ApplyArguments& a, const fit::Correction& c, apply::Format format) {
    std::vector<fs::path> targets, inputs{a.correction, a.second, a.encoding};
    for (const std::string& image : a.images) targets.push_back(target_of(a, image, c, format));
    inputs.insert(inputs.end(), a.images.begin(), a.images.end());
    a.outputs.check(targets, inputs);
    return targets;
}

} // namespace

Run add_apply(CLI::App& app) {
    const auto a = std::make_shared<ApplyArguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("IMAGE", a->images, "Frames to correct")->required();
    app.add_option("-o,--output", a->folder, "Folder to write to; made if missing")->required();
    app.add_option("--format", a->format, "tiff, exr, png or jpeg")->capture_default_str();
    app.add_option("--space", a->space, "srgb display-p3 oprgb bt709 linear-bt709 acescg xyz-d50")
        ->capture_default_str();
    app.add_option("--name", a->name, "File name: {stem} {camera} {light} {space}")->capture_default_str();
    app.add_option("--second", a->second,
                   "Correction of the same camera under another light, for frames under one between them");
    app.add_option("--kelvin", a->kelvin,
                   "With --second: colour temperature of the frames' light; default: by the balance in the raw file")
        ->check(CLI::Range(1500.0, 25000.0));
    a->add_encoding(app);
    a->outputs.add(app);
    return [a] {
        const apply::Format format = apply::format_named(a->format);
        colour::rgb_space(a->space);
        a->options(); // an unknown encoding is wrong usage
        if (a->kelvin > 0 && a->second.empty())
            throw Error(ErrorKind::usage, "--kelvin tells where the light stands between two", {},
                        "Give the other light's correction with --second");
        const fit::Correction c = fit::load(a->correction);
        work::SecondLight second{.kelvin = a->kelvin};
        if (!a->second.empty()) second.correction = std::make_shared<const fit::Correction>(fit::load(a->second));
        const auto targets = targets_of(*a, c, format);
        std::error_code ec;
        fs::create_directories(a->folder, ec);
        if (!fs::is_directory(a->folder, ec))
            throw Error(ErrorKind::usage, "this folder cannot be made", a->folder, "Choose another");
        Result r;
        r.json["written"] = r.json["failed"] = r.json["differences"] = Json::array();
        for (std::size_t i = 0; i < targets.size(); ++i) {
            try {
                const work::Developed d = work::develop({{a->images[i], {}, a->encoding, 0}, targets[i]}, c, second,
                                                        format, a->space, a->outputs.existing());
                r.json["written"].push_back(targets[i].string());
                r.words += targets[i].string() + "\n";
                if (second.correction) {
                    r.json["lights"].push_back({{"file", a->images[i]}, {"kelvin", d.kelvin}, {"says", d.between}});
                    r.words += "  " + d.between + "\n";
                }
                for (const std::string& how : d.differences) {
                    r.json["differences"].push_back({{"file", a->images[i]}, {"says", how}});
                    r.words += "  " + how + "\n";
                }
            } catch (const Error& problem) {                   // the other frames are still corrected
                if (problem.kind() == ErrorKind::usage) throw; // it is wrong for all of them
                note_failure(r, a->images[i], problem);
            }
        }
        return r;
    };
}

static std::string format_names() {
    std::string all;
    for (const deliver::Format& f : deliver::formats()) all += (all.empty() ? "" : ", ") + f.id;
    return all;
}

Run add_export(CLI::App& app) {
    struct Arguments {
        std::string correction, second, format, output;
        deliver::Options options;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("--format", a->format, format_names())->required();
    app.add_option("-o,--output", a->output, "File to write")->required();
    app.add_option("--input-encoding", a->options.input_encoding,
                   "Encoding of what goes in; default: srgb for cube, linear for icc");
    app.add_option("--space", a->options.space, "Colour space of what comes out of a cube")->capture_default_str();
    app.add_option("--size", a->options.size, "Nodes along each side of a cube")->capture_default_str();
    app.add_option("--second", a->second, "dcp: the correction of the same camera under another light");
    app.add_option("--title", a->options.name, "Title in the file; default: camera and light");
    a->outputs.add(app);
    return [a] {
        a->outputs.check({a->output}, {a->correction, a->second, a->options.input_encoding});
        deliver::format_named(a->format);
        if (!a->second.empty()) a->options.second = std::make_shared<const fit::Correction>(fit::load(a->second));
        const deliver::Written w = deliver::write(fit::load(a->correction), a->format, a->output, a->options);
        Result r;
        r.json = {{"file", a->output},
                  {"format", a->format},
                  {"exported_model", fit::name_of(w.model)},
                  {"delta_e_2000", json_of(w.delta_e_2000)},
                  {"message", w.message}};
        r.words = a->output + ": " + w.message + "\n";
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
