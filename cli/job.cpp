// refero-cli job: a job's work without a window, by the same functions.
#include <set>

#include "help.hpp"
#include "job.hpp"
#include "operations/capture/files.hpp"
#include "operations/capture/measure.hpp"
#include "operations/correct/keeping.hpp"
#include "operations/correct/renderings.hpp"
#include "operations/handover/archive.hpp"
#include "operations/handover/batch.hpp"
#include "operations/handover/delivery.hpp"
#include "operations/handover/handover.hpp"
#include "operations/handover/report.hpp"
#include "operations/match/as_matched.hpp"
#include "prove/elsewhere.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "store/document.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

Json status_of(const operations::Chain& c, const shoot::Shoot& shoot) {
    Json links = Json::object(), stale = Json::array();
    for (const operations::Step step : c.steps()) links[shoot::name_of(step)] = shoot::name_of(c.link(step));
    for (const shoot::Staleness& s : c.stale)
        stale.push_back({{"rule", shoot::name_of(s.rule)}, {"why", s.why}, {"remedy", s.remedy}});
    Json stretches = Json::array();
    for (const operations::StretchFacts& s : c.stretches)
        if (s.key)
            stretches.push_back({{"id", s.id},
                                 {"from", s.from.empty() ? Json() : Json(s.from)},
                                 {"to", s.to.empty() ? Json() : Json(s.to)},
                                 {"chart_file", s.chart_file},
                                 {"kelvin", s.kelvin > 0 ? Json(s.kelvin) : Json()},
                                 {"duv", s.kelvin > 0 ? Json(s.duv) : Json()},
                                 {"state", shoot::name_of(s.state)},
                                 {"delta_e_2000", s.delta_e_2000 ? Json(*s.delta_e_2000) : Json()},
                                 {"frames", s.frames},
                                 {"other_light", s.other_light},
                                 {"apart_because", s.why}});
    return {{"setup", c.title},
            {"camera", shoot::name_in(shoot.cameras, c.row.camera)},
            {"lens", shoot::name_in(shoot.lenses, c.row.lens)},
            {"mode", shoot::name_in(shoot.modes, c.row.mode)},
            {"light", c.light_name},
            {"state", shoot::name_of(c.state)},
            {"links", links},
            {"delta_e_2000", c.proved ? Json(c.proof_mean) : Json()},
            {"stale", stale},
            {"stretches", stretches}};
}

/// The title of a chain with its stretch, where the setup has several.
/// Chart shots that are not measured as they say now.
void read_what_is_missing(store::JobFile& job, const std::string& name, Result& r) {
    for (const operations::Chain& c : chosen(job.content(), name)) {
        const shoot::ChartShotRecord* shot = shoot::record(job.content().chart_shots, c.chart_shot);
        if (!c.wants_reading() || !shot) continue;
        try {
            job.change(operations::keep(job.content(), shot->id,
                                        operations::measure(operations::request_for(job.content(), *shot))));
        } catch (const Error& e) { note_failure(r, c.title, e); }
    }
}

/// Frames that are not as they came in: where they are, and what to do.
void tell_files(Result& r, const shoot::Shoot& shoot) {
    r.json["missing"] = r.json["changed"] = r.json["problems"] = Json::array();
    for (const shoot::FrameRecord& f : shoot.frames) {
        if (!f.problem.empty()) {
            r.json["problems"].push_back({{"file", f.path}, {"message", f.problem}});
            r.words += f.path + ": " + f.problem + "\n";
            continue;
        }
        const operations::FileState state = operations::state_of(f);
        if (state == operations::FileState::same || state == operations::FileState::unknown) continue;
        r.json[state == operations::FileState::gone ? "missing" : "changed"].push_back(f.path);
        r.words += f.path + ": " + operations::not_as_recorded(f, state).sentences() + "\n";
    }
}

Result status(store::JobFile& job) {
    Result r;
    r.json["setups"] = Json::array();
    for (const operations::Chain& c : chosen(job.content(), {})) {
        if (!c.acting) continue;
        r.json["setups"].push_back(status_of(c, job.content()));
        r.words += formatted("{:<40} {:<12}{}\n", c.title, shoot::name_of(c.state),
                             c.proved ? formatted(" CIEDE2000 {:.2f}", c.proof_mean) : std::string());
        if (c.stretches.size() > 1)
            for (const operations::StretchFacts& s : c.stretches)
                r.words +=
                    formatted("    {:<10} {:<12}{}{} frame{}{}\n", s.id, shoot::name_of(s.state),
                              s.kelvin > 0 ? formatted("{:.0f} K, ", s.kelvin) : std::string(), s.frames,
                              s.frames == 1 ? "" : "s", s.other_light ? "; reads as another light than before" : "");
        for (const shoot::Staleness& s : c.stale) r.words += "    " + s.why + ". " + s.remedy + "\n";
    }
    tell_files(r, job.content());
    return r;
}

/// Those that no longer hold follow the setup's own correction.
void refit_renderings(store::JobFile& job, shoot::Id setup, shoot::Id stretch) {
    const operations::Chain c = operations::chain_of(job.content(), setup, stretch);
    for (const operations::KeptRendering& k : operations::renderings_of(job.content(), c))
        if (!k.stale.empty()) {
            const operations::FitRequest request = operations::fit_request(job.content(), c, k);
            job.change(operations::keep(job.content(), request, k, operations::fit(request)));
        }
}

Result fit(store::JobFile& job, const JobArguments& a) {
    Result r;
    r.json["fitted"] = r.json["failed"] = Json::array();
    read_what_is_missing(job, a.setup, r);
    for (const operations::Chain& c : chosen(job.content(), a.setup, a.stretch)) {
        if (a.setup.empty() && a.stretch.empty() && !c.wants_fit()) continue;
        try {
            const operations::FitRequest request = operations::fit_request(job.content(), c);
            const fit::Correction made = operations::fit(request);
            job.change(operations::keep(job.content(), request, made));
            refit_renderings(job, c.id, c.stretch);
            r.json["fitted"].push_back({{"setup", c.title},
                                        {"stretch", c.stretch_id().empty() ? Json() : Json(c.stretch_id())},
                                        {"model", fit::name_of(made.model)},
                                        {"fit", json_of(made.fit)},
                                        {"cross_validated", json_of(made.cross_validated)}});
            r.words += formatted("{}: {}, CIEDE2000 {:.2f} on patches held out\n", operations::delivery_title(c),
                                 fit::name_of(made.model), made.cross_validated.mean);
        } catch (const Error& e) { note_failure(r, c.title, e); }
    }
    return r;
}

/// The correction in force under a name, fitted for another kind of work or with a look of its own where one is given.
Result keep(store::JobFile& job, const JobArguments& a) {
    if (a.rendering.empty() || a.rendering == "all")
        throw Error(ErrorKind::usage, "a rendering needs a name of its own, other than all", {},
                    "Give it with --rendering: web, print");
    std::optional<fit::Intent> intent;
    if (!a.intent.empty()) intent = fit::intent_named(a.intent);
    std::optional<look::Look> look;
    if (!a.look.empty()) look = prove::look_from(a.look);
    Result r;
    r.json["kept"] = r.json["failed"] = Json::array();
    for (const operations::Chain& c : chosen(job.content(), a.setup)) {
        if (a.setup.empty() && !c.correction) continue;
        try {
            operations::Chain as = c; // as it is kept
            if (intent) as.settings.intent = *intent;
            if (look) as.settings.look = *look;
            if (intent || look) {
                if (c.balance_only())
                    throw Error(ErrorKind::usage, c.title + " is only balanced: there is nothing to fit anew", {},
                                "Keep it without --intent and --look");
                fit::Correction made = operations::fit(operations::fit_request(job.content(), as));
                made.finish = as.settings.finish;
                made.look = as.settings.look;
                as.correction = std::make_shared<const fit::Correction>(std::move(made));
            }
            job.change(operations::keep_rendering(job.content(), as, a.rendering));
            r.json["kept"].push_back({{"setup", c.title}, {"rendering", a.rendering}});
            r.words += c.title + ": kept as " + a.rendering + "\n";
        } catch (const Error& e) { note_failure(r, c.title, e); }
    }
    return r;
}

void make_folder(const std::string& folder) {
    if (folder.empty()) throw Error(ErrorKind::usage, "a folder to write to is missing", {}, "Give it with -o");
    std::error_code ec;
    fs::create_directories(folder, ec);
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "this folder cannot be made", folder, "Choose another");
}

/// An output of a job, worked out before the first one is written.
struct Output {
    operations::Chain chain;
    fs::path target;    ///< a file that it writes: of a folder its first
    std::string source; ///< what is named where it fails
    std::function<operations::HandedOver()> write;
};

Result write_all(store::JobFile& job, const JobArguments& a, const std::vector<Output>& outputs) {
    std::vector<fs::path> targets;
    for (const Output& o : outputs) targets.push_back(o.target);
    operations::guard_outputs(job.content(), job.file(), targets);
    a.outputs.check(targets, {});
    make_folder(a.output);
    Result r;
    r.json["written"] = r.json["failed"] = Json::array();
    for (const Output& o : outputs) {
        try {
            const operations::HandedOver handed = o.write();
            job.change(operations::keep(job.content(), o.chain, handed));
            r.json["written"].push_back(handed.file.string());
            r.words += handed.file.string() + ": " + handed.message + "\n";
        } catch (const Error& e) { note_failure(r, o.source, e); }
    }
    return r;
}

/// The chains with the match to the camera that --as-matched names; which cannot be matched is told as failed.
std::vector<operations::Chain> as_matched(const shoot::Shoot& shoot, std::vector<operations::Chain> chains,
                                          const std::string& lead, Result& r) {
    if (lead.empty()) return chains;
    const auto& cameras = shoot.cameras;
    if (std::none_of(cameras.begin(), cameras.end(), [&](const auto& c) { return c.name == lead; })) {
        std::string known;
        for (const auto& c : cameras) known += (known.empty() ? "" : ", ") + c.name;
        throw Error(ErrorKind::usage, "there is no camera '" + lead + "'", {}, "Known: " + known);
    }
    const std::vector<operations::Chain> all = chosen(shoot, {});
    std::vector<operations::Chain> matched;
    for (operations::Chain& c : chains) {
        if (!c.shot && !c.correction) continue;
        try {
            matched.push_back(operations::as_matched(shoot, all, c, lead));
        } catch (const Error& e) { note_failure(r, operations::delivery_title(c), e); }
    }
    return matched;
}

Result hand_over(store::JobFile& job, const JobArguments& a) {
    operations::DeliveryRequest request;
    if (!a.destination.empty()) request.destination = &handover::destination_named(a.destination);
    if (request.destination && a.formats_told)
        throw Error(ErrorKind::usage, "a destination has its own formats", {}, "Give --for or --formats");
    std::stringstream formats(a.formats);
    for (std::string name; std::getline(formats, name, ',');) request.formats.push_back(name);
    if (a.rendering != "all") request.rendering = a.rendering;
    request.folder = a.output;
    if (a.name != JobArguments().name) request.name = a.name;
    Result told;
    told.json["failed"] = Json::array();
    request.chains = as_matched(job.content(), chosen(job.content(), a.setup, a.stretch), a.lead, told);
    const operations::Delivery delivery = operations::plan_delivery(job.content(), request);
    if (!delivery.rendering_known)
        throw Error(ErrorKind::usage, "no setup has a rendering '" + a.rendering + "' that holds", {},
                    "Keep one under this name, or fit it anew");
    if (request.destination && delivery.files.empty() && !delivery.not_served.empty())
        throw Error(ErrorKind::usage,
                    request.destination->id + " serves none of these setups: " + request.destination->why_not, {},
                    "Choose another destination");
    std::vector<Output> outputs;
    for (const operations::DeliveryFile& f : delivery.files)
        outputs.push_back({f.chain, f.target, f.chain.title, f.write});
    Result r = write_all(job, a, outputs);
    r.json["not_served"] = Json::array();
    for (const auto& [setup, why] : delivery.not_served) {
        r.json["not_served"].push_back({{"setup", setup}, {"reason", why}});
        r.words += setup + ": not handed over, " + why + "\n";
    }
    for (Json& f : told.json["failed"]) r.json["failed"].push_back(f);
    r.words += told.words;
    if (request.destination && !outputs.empty()) r.words += request.destination->next + "\n";
    if (told.status > r.status) r.status = told.status;
    return r;
}

/// A word as a shell takes it.
std::string quoted(const std::string& word) {
    if (word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./=,+:") ==
        std::string::npos)
        return word;
    std::string out = "'";
    for (const char c : word) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
    return out + "'";
}

constexpr std::size_t chunk_frames = 25;

/// "2/8": the second of eight.
std::pair<std::size_t, std::size_t> chunk_of(const std::string& text) {
    unsigned mine = 0, all = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%u/%u%c", &mine, &all, &rest) != 2 || mine < 1 || mine > all || all > 100000)
        throw Error(ErrorKind::usage, "a chunk is one of so many", {}, "Write it as 2/8: the second of eight");
    return {mine, all};
}

/// A command line a chunk, for job queues that exist.
Result listed(const store::JobFile& job, const JobArguments& a, std::size_t frames) {
    Result r;
    r.json["commands"] = Json::array();
    const std::size_t chunks = (frames + chunk_frames - 1) / chunk_frames;
    for (std::size_t k = 1; k <= chunks; ++k) {
        std::string line = quoted(fs::read_symlink("/proc/self/exe").string()) + " job " +
                           quoted(fs::absolute(job.file()).string()) + " apply --chunk " + std::to_string(k) + "/" +
                           std::to_string(chunks);
        if (!a.setup.empty()) line += " --setup " + quoted(a.setup);
        if (!a.stretch.empty()) line += " --stretch " + quoted(a.stretch);
        if (!a.rendering.empty()) line += " --rendering " + quoted(a.rendering);
        line += " -o " + quoted(fs::absolute(a.output).string()) + " --format " + a.how.format;
        if (!a.how.space.empty()) line += " --space " + a.how.space;
        if (!a.how.container.empty()) line += " --container " + a.how.container;
        if (!a.how.depth.empty()) line += " --depth " + a.how.depth;
        if (!a.how.parts.empty()) line += " --parts " + a.how.parts;
        if (a.how.gamut != "clip") line += " --gamut " + a.how.gamut;
        if (!a.lead.empty()) line += " --as-matched " + quoted(a.lead);
        if (!a.how.exposure.empty()) line += " --exposure " + a.how.exposure;
        if (a.how.white_luminance > 0) line += formatted(" --white-luminance {:g}", a.how.white_luminance);
        line += " --name " + quoted(a.name) + " --resume";
        r.json["commands"].push_back(line);
        r.words += line + "\n";
    }
    return r;
}

Result develop(store::JobFile& job, const JobArguments& a) {
    DevelopArguments how = a.how;
    how.may_follow_region = true;
    if (how.exposure.empty()) how.exposure = shoot::name_of(job.content().brief().frame_exposure);
    const operations::DevelopOptions options = how.options(a.outputs);
    if (a.output.empty()) throw Error(ErrorKind::usage, "a folder to write to is missing", {}, "Give it with -o");
    std::vector<const operations::Chain*> batch;
    Result r;
    r.json["written"] = r.json["failed"] = r.json["differences"] = Json::array();
    const auto all = as_matched(job.content(), chosen(job.content(), a.setup, a.stretch), a.lead, r);
    for (const operations::Chain& c : all)
        if (c.correction) batch.push_back(&c);
    const auto chain_of = [&](const operations::BatchFrame& f) -> const operations::Chain& {
        return **std::find_if(batch.begin(), batch.end(),
                              [&](const operations::Chain* c) { return c->id == f.setup && c->stretch == f.stretch; });
    };
    const std::string rendering = a.rendering == "all" ? operations::all_renderings : a.rendering;
    std::vector<operations::BatchFrame> frames =
        operations::batch_of(job.content(), batch, options.format, a.output, a.name, options.space, rendering);
    std::vector<operations::LeftOut> pictures; // of which no clip is made
    if (apply::is_clip(options.format))
        std::erase_if(frames, [&](const operations::BatchFrame& f) {
            if (frame::kind_of(f.frame.source.file) == frame::FileKind::clip) return false;
            pictures.push_back({f.frame.source.file.string(), "a picture, and " + a.how.format + " is for clips"});
            return true;
        });
    if (a.list) return listed(job, a, frames.size());
    if (!a.chunk.empty()) {
        // Planned whole, so that names are told apart as in one run: no two chunks write one file.
        const auto [mine, all_chunks] = chunk_of(a.chunk);
        std::vector<operations::BatchFrame> some;
        for (std::size_t i = mine - 1; i < frames.size(); i += all_chunks) some.push_back(std::move(frames[i]));
        frames = std::move(some);
    }
    std::vector<fs::path> targets;
    for (const operations::BatchFrame& f : frames) targets.push_back(f.frame.target);
    operations::guard_outputs(job.content(), job.file(), targets);
    std::vector<std::pair<const operations::Chain*, operations::HandedOver>> unknown; // to the job: chunks made them
    work_through(
        std::move(frames), {}, a.output, how, a.outputs, r,
        [&](const operations::BatchFrame& f, const operations::Developed& done) {
            if (!a.chunk.empty()) return; // the run that ends the batch keeps the rows
            job.change(operations::keep(job.content(), chain_of(f), done));
        },
        [&](const operations::BatchFrame& f) {
            const fs::path whole = fs::absolute(f.frame.target).lexically_normal();
            const auto& rows = job.content().handovers;
            if (!std::any_of(rows.begin(), rows.end(), [&](const auto& h) { return h.file == whole; }))
                unknown.emplace_back(&chain_of(f),
                                     operations::recorded({f.frame.target, "frame", "finished by a job queue", f.row}));
        });
    if (!unknown.empty() && a.chunk.empty()) job.change(operations::keep_all(job.content(), unknown));
    if (!a.chunk.empty()) return r; // the run that ends the batch tells what none of them has
    std::set<shoot::Id> only;
    if (!a.setup.empty())
        for (const operations::Chain& c : all) only.insert(c.id);
    std::vector<operations::LeftOut> left_out = operations::left_out_of(job.content(), batch, only);
    left_out.insert(left_out.end(), pictures.begin(), pictures.end());
    r.json["not_developed"] = Json::array();
    for (const operations::LeftOut& l : left_out)
        r.json["not_developed"].push_back({{"file", l.file}, {"reason", l.reason}});
    r.words += formatted("{} written", r.json["written"].size());
    if (const std::size_t failed = r.json["failed"].size()) r.words += formatted(", {} failed", failed);
    if (r.json.contains("left_out")) r.words += formatted(", {} were finished before", r.json["left_out"].size());
    r.words += "\n";
    for (const std::string& line : operations::in_words(left_out)) r.words += line + "\n";
    return r;
}

Result report(store::JobFile& job, const JobArguments& a) {
    if (a.output.empty()) throw Error(ErrorKind::usage, "a file to write is missing", {}, "Give it with -o");
    const std::string extension = to_lower(fs::path(a.output).extension().string());
    if (extension != ".pdf" && extension != ".html" && extension != ".htm")
        throw Error(ErrorKind::usage, "a report is a PDF or HTML file", a.output, "End its name in .pdf or .html");
    operations::guard_outputs(job.content(), job.file(), {a.output});
    a.outputs.check({a.output}, {job.file()});
    const std::string text = operations::report_html(job.content(), chosen(job.content(), a.setup));
    if (extension == ".pdf") {
        // Pages are laid out by the program with the window, which needs no display for it.
        const fs::path source = fs::temp_directory_path() / ("refero-report-" + new_uid() + ".html");
        const struct Sweep {
            const fs::path& file;
            ~Sweep() {
                std::error_code ignored;
                fs::remove(file, ignored);
            }
        } sweep{source};
        write_whole(source, text);
        std::error_code ec;
        const fs::path program = fs::read_symlink("/proc/self/exe", ec).parent_path() / "refero";
        write_whole(
            a.output,
            [&](const fs::path& part) {
                const std::string command = quoted(program.string()) + " --html-to-pdf " + quoted(source.string()) +
                                            " " + quoted(part.string());
                const int status = std::system(command.c_str());
                if (status != 0)
                    throw Error(ErrorKind::internal, "the pages could not be laid out", a.output,
                                "Write the report as .html instead");
            },
            a.outputs.existing());
    } else write_whole(a.output, text, a.outputs.existing());
    Result r;
    r.json = {{"file", a.output}};
    r.words = a.output + "\n";
    return r;
}

Result archive(store::JobFile& job, const JobArguments& a) {
    if (a.output.empty()) throw Error(ErrorKind::usage, "a file to write is missing", {}, "Give it with -o");
    operations::guard_outputs(job.content(), job.file(), {a.output});
    a.outputs.check({a.output}, {job.file()});
    const operations::Archived done =
        operations::archive(job, a.output, {a.all_frames, a.outside, a.outputs.existing()});
    Result r;
    r.json = {{"file", a.output}, {"files", done.files}, {"missing", done.missing}};
    r.json["outside"] = r.json["unreadable"] = Json::array();
    r.words = formatted("{}: {} files\n", a.output, done.files.size());
    for (const std::string& path : done.missing) r.words += "Not found, left out: " + path + "\n";
    for (const operations::Outside& o : done.outside) {
        r.json["outside"].push_back({{"file", o.path}, {"reason", o.reason}});
        r.words += (a.outside ? "From outside the job, packed: " : "From outside the job, left out: ") + o.path + " (" +
                   o.reason + ")\n";
    }
    for (const operations::Outside& o : done.unreadable) {
        r.json["unreadable"].push_back({{"file", o.path}, {"reason", o.reason}});
        r.words += "Cannot be read, left out: " + o.path + " (" + o.reason + ")\n";
    }
    if (!done.outside.empty() && !a.outside)
        r.words += "Look at these places; take frames in again, or archive with --outside if they are yours to give\n";
    return r;
}

} // namespace

Run add_job(CLI::App& app) {
    const auto a = std::make_shared<JobArguments>();
    a->how.exposure.clear(); // the job's own
    app.add_option("FILE", a->file, "Job (*.refero)")->required();
    app.add_option("ACTION", a->action,
                   "One of: " + action_names() + "; `refero-cli job ACTION --help` tells the options of one")
        ->required();
    app.add_option("FRAME", a->files,
                   "take: frames, clips and folders of them; rename: camera, light, lens or mode, its name and the new "
                   "one; set: a key and its value");
    app.add_option("--encoding", a->encoding,
                   "take: how pictures and clips are encoded, a name or a 1D LUT file; default: by their own tags");
    app.add_option("--camera", a->camera, "take: name of the camera of files that name none");
    app.add_option("--setup", a->setup,
                   "fit, keep, handover, apply: one setup by its title, \"Stills A, Window\"; default: all");
    app.add_option("--stretch", a->stretch,
                   "fit, handover, apply: one stretch of a setup's time by its chart shot, 10:00; default: all");
    app.add_option(
        "--rendering", a->rendering,
        "handover, apply: a rendering by its name, or all; default: handover all, apply the setup's own; keep: "
        "the name under which the correction in force is kept");
    app.add_option("--intent", a->intent, "keep: fitted anew for even, people, textiles, plants or paint");
    app.add_option("--look", a->look, "keep: with this look: one that Refero kept, a LUT or a CDL");
    app.add_option("-o,--output", a->output,
                   "handover, apply: folder to write to, made if missing; report, archive: the file");
    app.add_flag("--all-frames", a->all_frames, "archive: not the chart shots alone");
    app.add_flag("--outside", a->outside,
                 "archive: also files that the job only names, or that are not as they were when they came in");
    app.add_option("--formats", a->formats, "handover: formats, with commas between them")
        ->capture_default_str()
        ->each([a](const std::string&) { a->formats_told = true; });
    app.add_option("--for", a->destination,
                   "handover: what for, instead of formats: develop, grade, lut-slot, effects, print or archive");
    app.add_option("--as-matched", a->lead,
                   "handover, apply: each camera as it is matched to this one, by its name; the lead as it is");
    app.add_option("--name", a->name,
                   "apply: names of files, {stem} {camera} {light} {lens} {date} {rendering} {space} {counter}; "
                   "handover: the name inside the files, for several with what tells them apart; default: camera, lens "
                   "and light, date, stretch and rendering")
        ->capture_default_str();
    app.add_flag("--list", a->list, "apply: print one command line a chunk for a job queue, instead of working");
    app.add_option("--chunk", a->chunk, "apply: one of so many, 2/8, of all frames");
    const auto of_action = [&app](const char* action, const auto& add) {
        const auto before = app.get_options();
        add();
        for (CLI::Option* option : app.get_options())
            if (std::find(before.begin(), before.end(), option) == before.end()) option->group(action);
    };
    of_action("apply", [&] { a->how.add(app); });
    of_action("colour", [&] { a->colour.add(app); });
    a->outputs.add(app);
    return [a] {
        const std::map<std::string, std::function<Result(store::JobFile&)>> actions{
            {"new", [&](store::JobFile& job) { return status(job); }},
            {"status", [&](store::JobFile& job) { return status(job); }},
            {"take", [&](store::JobFile& job) { return take(job, *a); }},
            {"frames", [&](store::JobFile& job) { return list_frames(job); }},
            {"rename", [&](store::JobFile& job) { return rename(job, *a); }},
            {"set", [&](store::JobFile& job) { return set(job, *a); }},
            {"fit", [&](store::JobFile& job) { return fit(job, *a); }},
            {"keep", [&](store::JobFile& job) { return keep(job, *a); }},
            {"handover", [&](store::JobFile& job) { return hand_over(job, *a); }},
            {"apply", [&](store::JobFile& job) { return develop(job, *a); }},
            {"report", [&](store::JobFile& job) { return report(job, *a); }},
            {"colour", [&](store::JobFile& job) { return add_colour(job, *a); }},
            {"colours", [&](store::JobFile& job) { return list_colours(job, *a); }},
            {"archive", [&](store::JobFile& job) { return archive(job, *a); }}};
        const auto action = actions.find(a->action);
        if (action == actions.end())
            throw Error(ErrorKind::usage, "unknown action '" + a->action + "'", {}, "Known: " + action_names());
        const bool takes_words =
            a->action == "take" || a->action == "rename" || a->action == "set" || a->action == "colour";
        if (!a->files.empty() && !takes_words)
            throw Error(ErrorKind::usage, "only take has frames to take", a->files.front(), "Leave it out");
        if (!(a->intent.empty() && a->look.empty()) && a->action != "keep")
            throw Error(ErrorKind::usage, "only keep takes an intent or a look", {}, "Leave it out");
        if (a->files.empty() && a->action == "take") throw Error(ErrorKind::usage, "there are no frames to take");
        // A chunk of a batch and a list of them only look: many run at a time.
        const bool looks =
            a->action == "status" || a->action == "frames" || (a->action == "apply" && (a->list || !a->chunk.empty()));
        using Open = store::JobFile::Open;
        store::JobFile job(a->file, a->action == "new" ? Open::create : looks ? Open::viewing : Open::existing);
        Result r = action->second(job);
        if (r.words.empty())
            r.words = a->action == "new"             ? a->file + ": a new job\n"
                      : job.content().setups.empty() ? "The job has no setups yet: take chart shots in\n"
                                                     : "There is nothing to do\n";
        return r;
    };
}

} // namespace refero::cli
