// refero-cli apply: frames through a correction.
#include <mutex>

#include "frame/clip.hpp"
#include "frame/sequence.hpp"
#include "operations/handover/batch.hpp"
#include "prove/elsewhere.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

struct ApplyArguments : ShotArguments {
    std::string correction, second, folder, name = "{stem}";
    std::vector<std::string> images;
    double kelvin = 0;
    RangeArguments range;
    LookArgument look;
    DevelopArguments how;
    Outputs outputs;
};

Result run(const ApplyArguments& a) {
    const operations::DevelopOptions develop = a.how.options(a.outputs);
    a.options(); // an unknown encoding is wrong usage
    if (a.kelvin > 0 && a.second.empty())
        throw Error(ErrorKind::usage, "--kelvin tells where the light stands between two", {},
                    "Give the other light's correction with --second");
    a.range.check();
    const auto correction = std::make_shared<const fit::Correction>(a.look.on(fit::load(a.correction)));
    operations::SecondLight second{.kelvin = a.kelvin};
    if (!a.second.empty()) second.correction = std::make_shared<const fit::Correction>(a.look.on(fit::load(a.second)));
    const std::vector<fs::path> files = files_of(a.images);
    if (files.empty())
        throw Error(ErrorKind::usage, "there are no frames", a.images.front(), "Name frames or a folder");
    std::vector<operations::FrameSource> sources;
    Result r;
    r.json["written"] = r.json["failed"] = r.json["differences"] = Json::array();
    const operations::Naming naming{a.name, correction->light_name, fit::name_of(correction->intent), develop.space,
                                    false};
    for (const fs::path& file : files) try {
            const auto stills = a.range.stills_of(file, a, apply::is_clip(develop.format));
            sources.insert(sources.end(), stills.begin(), stills.end());
        } catch (const Error& e) { note_failure(r, file.string(), e); }
    std::vector<operations::BatchFrame> frames;
    for (operations::Development& d :
         operations::plan_targets(sources, naming, develop.format, a.folder, develop.container))
        frames.push_back({std::move(d), correction, second});
    std::vector<fs::path> inputs{a.correction, a.second, a.encoding, a.look.look};
    for (const operations::FrameSource& source : sources) inputs.push_back(source.file);
    work_through(std::move(frames), inputs, a.folder, a.how, a.outputs, r, {});
    return r;
}

} // namespace

void RangeArguments::add(CLI::App& app, ShotArguments& shot) {
    app.add_option("--at", shot.at, "Of clips: the still at so many seconds; default: the first")
        ->check(CLI::NonNegativeNumber);
    app.add_option("--from", from, "Of clips: all stills from here on, s, to numbered files")
        ->check(CLI::NonNegativeNumber);
    app.add_option("--to", to, "Of clips: up to here, s; default: the end")->check(CLI::NonNegativeNumber);
}

void RangeArguments::check() const {
    if (to >= 0 && from < 0) throw Error(ErrorKind::usage, "--to needs --from", {}, "Say where the range begins");
}

std::vector<operations::FrameSource> RangeArguments::stills_of(const fs::path& file, const ShotArguments& shot,
                                                               bool as_clips) const {
    if (frame::kind_of(file) != frame::FileKind::clip) return {{file, {}, shot.encoding, 0, shot.clip_code}};
    if (as_clips) {
        operations::FrameSource whole{file, {}, shot.encoding, std::max(0.0, from), shot.clip_code};
        whole.to_s = to;
        return {whole};
    }
    const operations::FrameSource clip{file, {}, shot.encoding, std::max(0.0, shot.at), shot.clip_code};
    if (from < 0 && !frame::is_sequence_name(file)) return {clip};
    const frame::Clip c = frame::read_clip(file);
    const double begin = from >= 0 ? from : clip.position_s, end = from >= 0 ? to : shot.at;
    return operations::stills_between(clip, c.frames_per_second, begin,
                                      end >= 0 ? std::min(end, c.duration_s) : c.duration_s);
}

fit::Correction LookArgument::on(fit::Correction correction) const {
    if (look == "none") correction.look = {};
    else if (!look.empty()) correction.look = prove::look_from(look);
    return correction;
}

void DevelopArguments::add(CLI::App& app) {
    app.add_option("--format", format,
                   "tiff, exr, png or jpeg; of clips also prores, prores4444, dnxhr, h264, h265 or ffv1: one clip")
        ->capture_default_str();
    app.add_option(
        "--space", space,
        "srgb display-p3 oprgb bt709 bt2020 romm linear-bt709 acescg xyz-d50; default: srgb, for clips bt709");
    app.add_option("--container", container,
                   "Of a clip: mov, mxf, mp4 or mkv; default: by the format, or one that holds the sound");
    app.add_option("--depth", depth, "8 or 16 (TIFF, PNG), half or float (EXR)");
    app.add_option("--gamut", gamut, "Colours outside the space: clip, or map along their hue")->capture_default_str();
    app.add_option("--parts", parts, "balance,exposure,colour,finish,look or some of them; default: all");
    app.add_option(
           "--exposure", exposure,
           "Exposure of frames: auto (the chart's where the camera was set as for the chart shot, else as shot), "
           "chart, as-shot, or levelled by the camera's settings")
        ->capture_default_str();
    app.add_option("--white-luminance", white_luminance,
                   "EXR: luminance of the perfect diffuser, cd/m2, as its whiteLuminance; default: not told")
        ->check(CLI::Range(0.01, 1e6));
    app.add_flag("--resume", resume, "Leave out what was finished with the same correction and settings");
    app.add_option("--jobs", jobs, "Frames at a time; default: by memory and processors")->check(CLI::Range(1, 256));
}

operations::DevelopOptions DevelopArguments::options(const Outputs& outputs) const {
    operations::DevelopOptions o;
    o.format = apply::format_named(format);
    o.space = colour::rgb_space(!space.empty() ? space : apply::is_clip(o.format) ? "bt709" : "srgb").name;
    o.container = container;
    if (!container.empty() && !apply::is_clip(o.format))
        throw Error(ErrorKind::usage, "--container is for clips", {}, "Choose a format of clips, or leave it out");
    if (!container.empty() && container != "mov" && container != "mxf" && container != "mp4" && container != "mkv")
        throw Error(ErrorKind::usage, "unknown container '" + container + "'", {}, "Known: mov mxf mp4 mkv");
    o.depth = apply::depth_named(depth, o.format);
    o.gamut = apply::gamut_named(gamut);
    if (!parts.empty()) o.parts = apply::parts_named(parts);
    if (white_luminance > 0 && o.format != apply::Format::exr)
        throw Error(ErrorKind::usage, "--white-luminance is for EXR", {}, "Choose --format exr, or leave it out");
    o.white_luminance = white_luminance;
    if (exposure == "region" && !may_follow_region)
        throw Error(ErrorKind::usage, "no region is marked to even frames out by", {},
                    "Choose auto, chart, as-shot or levelled; regions are marked in a job");
    o.exposure = named<operations::FrameExposure>(exposure);
    if (name_of(o.exposure) != exposure)
        throw Error(ErrorKind::usage, "'" + exposure + "' is no exposure for frames", {},
                    "Known: auto chart as-shot levelled region");
    o.existing = outputs.existing();
    return o;
}

void work_through(std::vector<operations::BatchFrame> frames, const std::vector<fs::path>& inputs,
                  const fs::path& folder, const DevelopArguments& how, const Outputs& outputs, Result& r,
                  const std::function<void(const operations::BatchFrame&, const operations::Developed&)>& written,
                  const std::function<void(const operations::BatchFrame&)>& left_out) {
    const operations::DevelopOptions develop = how.options(outputs);
    // What is there and finished is no output of this run.
    if (how.resume) {
        const std::vector<bool> before = operations::finished(frames, develop);
        std::vector<operations::BatchFrame> rest;
        r.json["left_out"] = Json::array();
        for (std::size_t i = 0; i < frames.size(); ++i)
            if (!before[i]) rest.push_back(std::move(frames[i]));
            else {
                r.json["left_out"].push_back(frames[i].frame.target.string());
                if (left_out) left_out(frames[i]);
            }
        frames = std::move(rest);
    }
    std::vector<fs::path> targets;
    for (const operations::BatchFrame& f : frames) targets.push_back(f.frame.target);
    outputs.check(targets, inputs);
    std::error_code ec;
    fs::create_directories(folder, ec);
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "this folder cannot be made", folder, "Choose another");
    std::vector<std::optional<operations::BatchEnd>> ends(frames.size());
    operations::develop_all(frames, {develop, how.jobs, written != nullptr}, [&](const operations::BatchEnd& end) {
        const operations::BatchFrame& f = frames[end.frame];
        say(end.problem ? f.frame.source.file.string() + ": " + end.problem->sentences() : f.frame.target.string());
        if (end.done && written) written(f, *end.done);
        ends[end.frame] = end;
    });
    std::map<std::string, int> other; // frames that did not take the chart's exposure
    r.json["exposures"] = Json::object();
    for (std::size_t i = 0; i < frames.size(); ++i) { // reported in the order that was asked for
        const std::string source = frames[i].frame.source.file.string();
        if (!ends[i]) continue;
        if (ends[i]->problem) {
            note_failure(r, source, *ends[i]->problem);
            continue;
        }
        const operations::Developed& d = *ends[i]->done;
        r.json["written"].push_back(frames[i].frame.target.string());
        r.json["exposures"][source] = {{"choice", name_of(d.exposure.choice)}, {"stops", std::log2(d.exposure.factor)}};
        if (!d.exposure.says.empty()) {
            r.json["exposures"][source]["left_alone"] = d.exposure.says;
            r.words += source + ": left alone, " + d.exposure.says + "\n";
        }
        if (d.exposure.choice != operations::FrameExposure::chart &&
            d.exposure.choice != operations::FrameExposure::region)
            ++other[name_of(d.exposure.choice)];
        if (frames[i].second.correction) {
            r.json["lights"].push_back({{"file", source}, {"kelvin", d.kelvin}, {"says", d.between}});
            r.words += source + ": " + d.between + "\n";
        }
        for (const std::string& how_so : d.differences) {
            r.json["differences"].push_back({{"file", source}, {"says", how_so}});
            r.words += source + ": " + how_so + "\n";
        }
    }
    for (const auto& [choice, n] : other)
        r.words +=
            formatted("{} frame{} {}: set otherwise than for the chart shot (--exposure chart: as bright as by it)\n",
                      n, n == 1 ? "" : "s", choice == "as-shot" ? "as shot" : choice);
}

Run add_apply(CLI::App& app) {
    const auto a = std::make_shared<ApplyArguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("IMAGE", a->images, "Frames to correct: files, and folders of them")->required();
    app.add_option("-o,--output", a->folder, "Folder to write to; made if missing")->required();
    app.add_option("--name", a->name, "File name: {stem} {camera} {light} {lens} {date} {rendering} {space} {counter}")
        ->capture_default_str();
    app.add_option("--second", a->second,
                   "Correction of the same camera under another light, for frames under one between them");
    app.add_option("--kelvin", a->kelvin,
                   "With --second: colour temperature of the frames' light; default: by the balance in the raw file")
        ->check(CLI::Range(1500.0, 25000.0));
    a->range.add(app, *a);
    a->look.add(app);
    a->how.add(app);
    a->add_encoding(app);
    a->outputs.add(app);
    return [a] { return run(*a); };
}

} // namespace refero::cli
