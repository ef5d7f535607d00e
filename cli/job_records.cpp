// refero-cli job: which chains are meant, and the records that are listed and changed by name.
#include <cmath>
#include <set>

#include "job.hpp"
#include "operations/capture/day.hpp"
#include "operations/capture/frames.hpp"
#include "operations/capture/intake.hpp"
#include "operations/handover/evening.hpp"
#include "shoot/assign.hpp"
#include "shoot/board.hpp"
#include "shoot/runs.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

std::vector<operations::Chain> chosen(const shoot::Shoot& shoot, const std::string& name, const std::string& stretch) {
    std::vector<operations::Chain> all;
    std::string titles;
    std::set<std::string> ids, meant; // of the stretches
    const std::vector<operations::ChainFacts> facts = operations::stretches_of(shoot);
    for (const operations::ChainFacts& f : facts) {
        if (f.acting) titles += (titles.empty() ? "" : "; ") + f.title;
        if (!name.empty() && f.title != name) continue;
        std::string id;
        for (const operations::StretchFacts& s : f.stretches)
            if (s.key == f.stretch) id = s.id;
        ids.insert(id);
        if (!stretch.empty() && (id.empty() || !id.starts_with(stretch))) continue;
        meant.insert(id);
        all.push_back(operations::derived(f));
    }
    if (all.empty() && !name.empty() && ids.empty())
        throw Error(ErrorKind::usage, "there is no setup '" + name + "'", {}, "Known: " + titles);
    if (!stretch.empty() && meant.size() != 1) {
        std::string known;
        for (const std::string& id : ids) known += (known.empty() ? "" : ", ") + id;
        throw Error(ErrorKind::usage,
                    meant.empty() ? "there is no stretch '" + stretch + "'"
                                  : "several stretches begin with '" + stretch + "'",
                    {}, "Known: " + known);
    }
    return all;
}

void tell_arrivals(Result& r, const shoot::Shoot& shoot) {
    const auto or_null = [](const std::string& text) { return text.empty() ? Json() : Json(text); };
    const auto time_or_null = [](double at_s) { return std::isfinite(at_s) ? Json(shoot::time_of(at_s)) : Json(); };
    const operations::Day day = operations::day_of(shoot);
    std::map<shoot::Id, int> of_camera;
    for (const shoot::FrameRecord& f : shoot.frames) ++of_camera[f.camera];
    r.json["frames"] = shoot.frames.size();
    r.json["chart_shots"] = shoot.chart_shots.size();
    r.json["companions"] = day.companions;
    r.json["cameras"] = r.json["lights"] = r.json["forgotten"] = r.json["questions"] = Json::array();
    for (const shoot::CameraRecord& c : shoot.cameras)
        r.json["cameras"].push_back({{"name", c.name},
                                     {"model", or_null(c.model)},
                                     {"serial_number", or_null(c.serial_number)},
                                     {"frames", of_camera[c.id]}});
    for (const operations::DayLight& l : day.lights)
        r.json["lights"].push_back({{"name", l.name},
                                    {"kelvin", l.kelvin > 0 ? Json(l.kelvin) : Json()},
                                    {"duv", l.duv != 0 ? Json(l.duv) : Json()},
                                    {"from", time_or_null(l.from_s)},
                                    {"to", time_or_null(l.to_s)}});
    for (const operations::NamelessFiles& n : day.nameless) {
        r.json["questions"].push_back({{"about", "which camera made these files?"}, {"files", n.files}});
        r.words += formatted("Which camera made {} and {} more? Rename it, or take the files with --camera NAME\n",
                             n.files.front(), n.files.size() - 1);
    }
    for (const shoot::Forgotten& f : day.forgotten) {
        const std::size_t n = f.frames.size();
        r.json["forgotten"].push_back(
            {{"from", or_null(f.from)}, {"to", or_null(f.to)}, {"frames", n}, {"reason", f.reason}});
        r.words += formatted("No chart stands for {} frame{}: {}\n", n, n == 1 ? "" : "s", f.reason);
    }
}

Result list_frames(store::JobFile& job) {
    const shoot::Shoot& shoot = job.content();
    std::map<shoot::Id, std::string> stretch_of; // of frames, charts among them
    for (const operations::ChainFacts& f : operations::stretches_of(shoot))
        for (const operations::StretchFacts& s : f.stretches) {
            if (s.key != f.stretch || !s.key) continue;
            for (const shoot::Id id : f.frames) stretch_of[id] = s.id;
            for (const shoot::Stretch& t : shoot::stretches(shoot, f.id))
                if (t.key == s.key)
                    for (const shoot::Id shot : t.shots)
                        stretch_of[shoot::record(shoot.chart_shots, shot)->frame] = s.id;
        }
    Result r;
    r.json["frames"] = Json::array();
    const auto or_null = [](const std::string& text) { return text.empty() ? Json() : Json(text); };
    for (const shoot::FrameRecord& f : shoot.frames) {
        const shoot::SetupRecord* setup = shoot::record(shoot.setups, f.setup);
        const shoot::FrameRecord* main = shoot::record(shoot.frames, f.same_as);
        const std::string light = setup ? shoot::name_in(shoot.lights, setup->light) : std::string();
        r.json["frames"].push_back({{"file", f.path},
                                    {"kind", shoot::name_of(f.kind)},
                                    {"camera", or_null(shoot::name_in(shoot.cameras, f.camera))},
                                    {"mode", or_null(shoot::name_in(shoot.modes, f.mode))},
                                    {"light", or_null(light)},
                                    {"stretch", or_null(stretch_of[f.id])},
                                    {"reason", or_null(f.reason)},
                                    {"companion_of", main ? Json(main->path) : Json()},
                                    {"problem", or_null(f.problem)}});
        r.words +=
            formatted("{}: {}{}{}\n", f.path, setup ? shoot::title_of(shoot, *setup) : std::string("in no setup"),
                      stretch_of[f.id].empty() ? std::string() : ", " + stretch_of[f.id],
                      f.reason.empty() ? std::string() : " (" + f.reason + ")");
    }
    return r;
}

Result rename(store::JobFile& job, const JobArguments& a) {
    if (a.files.size() != 3)
        throw Error(ErrorKind::usage, "rename needs three words", {}, "Write: rename light \"Light 1\" Window");
    const std::string &what = a.files[0], &old = a.files[1], &name = a.files[2];
    if (name.empty()) throw Error(ErrorKind::usage, "the new name is empty", {}, "Give it one");
    const auto renamed = [&](const auto& list) {
        std::string known;
        for (const auto& row : list) {
            known += (known.empty() ? "" : "; ") + row.name;
            if (row.name == name)
                throw Error(ErrorKind::usage, "there is a " + what + " '" + name + "' already", {},
                            "Choose another name");
        }
        for (auto row : list)
            if (row.name == old) {
                row.name = name;
                job.change(shoot::put("Rename " + old + " to " + name, row, name));
                return;
            }
        throw Error(ErrorKind::usage, "there is no " + what + " '" + old + "'", {}, "Known: " + known);
    };
    if (what == "camera") renamed(job.content().cameras);
    else if (what == "light") renamed(job.content().lights);
    else if (what == "lens") renamed(job.content().lenses);
    else if (what == "mode") renamed(job.content().modes);
    else
        throw Error(ErrorKind::usage, "'" + what + "' is nothing that has a name here", {},
                    "Known: camera light lens mode");
    Result r;
    r.json = {{"renamed", what}, {"from", old}, {"to", name}};
    r.words = what + " " + old + ": now " + name + "\n";
    return r;
}

namespace {

template<class E>
void choose(E& member, const std::string& key, const std::string& value) {
    std::string known;
    for (const char* each : names(E{})) {
        if (value == each && *each) return void(member = shoot::named<E>(value));
        if (*each) known += (known.empty() ? "" : " ") + std::string(each);
    }
    throw Error(ErrorKind::usage, "'" + value + "' is nothing that " + key + " can be", {}, "Known: " + known);
}
void choose(bool& member, const std::string& key, const std::string& value) {
    if (value != "yes" && value != "no")
        throw Error(ErrorKind::usage, "'" + value + "' is nothing that " + key + " can be", {}, "Known: yes no");
    member = value == "yes";
}
void choose(double& member, const std::string& key, const std::string& value) {
    char* end = nullptr;
    const double number = std::strtod(value.c_str(), &end);
    if (value.empty() || *end || !std::isfinite(number) || number < 0 || number > 1e5)
        throw Error(ErrorKind::usage, "'" + value + "' is no number for " + key, {}, "Give one from 0 up");
    member = number;
}
void choose(std::string& member, const std::string&, const std::string& value) { member = value; }

/// Calls f(name, member) for what `set` can change of a job.
template<class F>
void for_each_key(shoot::JobSettingsRecord& s, F&& f) {
    f("title", s.title);
    f("client", s.client);
    f("date", s.date);
    f("lens_school", s.lens_school);
    f("share_school", s.share_school);
    f("turn_school", s.turn_school);
    f("balance_school", s.balance_school);
    f("exposure_school", s.exposure_school);
    f("stretch_school", s.stretch_school);
    f("frame_exposure", s.frame_exposure);
    f("matching", s.matching);
    f("fallbacks", s.fallbacks);
    f("iso_stops", s.iso_stops);
    f("light_days", s.light_days);
    f("chart_years", s.chart_years);
}
/// And of one setup.
template<class F>
void for_each_key(shoot::SetupRecord& s, F&& f) {
    f("stretch_school", s.stretch_school);
    f("divided", s.divided);
    f("note", s.note);
}

} // namespace

namespace {

/// The region by which the frames of stretches are evened out; `followed`: the frame that they follow, else the chart
/// shot's own.
Result set_region(store::JobFile& job, const JobArguments& a, const std::string& value, const std::string& followed) {
    if (!value.empty()) operations::region_from(value);
    shoot::Change c(value.empty() ? "No region to even frames out by" : "Even frames out by a region", a.setup);
    shoot::Id frame = 0;
    for (const shoot::FrameRecord& f : job.content().frames)
        if (!followed.empty() && f.path == fs::absolute(followed).lexically_normal().string()) frame = f.id;
    if (!followed.empty() && !frame)
        throw Error(ErrorKind::usage, "this frame is not in the job", followed, "Take it in first");
    for (const operations::Chain& chain : chosen(job.content(), a.setup, a.stretch)) {
        const shoot::ChartShotRecord* row = shoot::record(job.content().chart_shots, chain.chart_shot);
        if (!row) continue;
        shoot::ChartShotRecord shot = *row;
        shot.region = value;
        shot.region_frame = value.empty() ? 0 : frame ? frame : row->frame;
        c.update(shot);
    }
    if (c.empty())
        throw Error(ErrorKind::usage, "no stretch has a chart shot to mark a region for", {},
                    "Take chart shots in first");
    job.change(c);
    Result r;
    r.json = {{"key", "region"}, {"value", value}};
    r.words = "region: " + (value.empty() ? "none" : value) + "\n";
    return r;
}

} // namespace

Result set(store::JobFile& job, const JobArguments& a) {
    if (a.files.size() == 3 && a.files[0] == "region") return set_region(job, a, a.files[1], a.files[2]);
    if (a.files.size() != 2)
        throw Error(ErrorKind::usage, "set needs a key and a value", {},
                    "Write: set stretch_school between, or set region \"x,y w,h\" [FRAME]");
    const std::string &key = a.files[0], &value = a.files[1];
    if (key == "region") return set_region(job, a, value == "none" ? "" : value, {});
    const auto change = [&](auto row) {
        bool found = false;
        std::string known;
        for_each_key(row, [&](const char* name, auto& member) {
            known += (known.empty() ? "" : " ") + std::string(name);
            if (key != name) return;
            found = true;
            choose(member, key, value);
        });
        if (!found) throw Error(ErrorKind::usage, "there is no key '" + key + "'", {}, "Known: " + known);
        return row;
    };
    shoot::Change c("Set " + key + " to " + value, a.setup);
    if (a.setup.empty()) c.update(change(job.content().brief()));
    else
        for (const operations::Chain& chain : chosen(job.content(), a.setup))
            if (chain.acting) c.update(change(*shoot::record(job.content().setups, chain.id)));
    job.change(c);
    // Where frames belong may be another place now.
    if (const shoot::Change places = operations::place_frames(job.content()); !places.empty()) job.change(places);
    Result r;
    r.json = {{"key", key}, {"value", value}};
    if (!a.setup.empty()) r.json["setup"] = a.setup;
    r.words = key + ": " + value + "\n";
    return r;
}

} // namespace refero::cli
