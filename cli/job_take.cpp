// refero-cli job FILE take: files and folders into a job, with a plan or without.
#include "frame/sequence.hpp"
#include "job.hpp"
#include "operations/capture/frames.hpp"
#include "operations/capture/intake.hpp"
#include "shoot/board.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

/// One file that was looked at, into the job.
void take_one(store::JobFile& job, const fs::path& path, operations::Arrival arrival, const operations::TakeIn& how,
              Result& r) {
    const shoot::Kit none;
    if (arrival.arriving) {
        say(path.string() + ": still arriving, waited for");
        operations::wait_for(path);
        arrival = operations::look_at(path, operations::limits_of(job.content().brief()), {.must_read = true});
        if (arrival.arriving)
            throw Error(ErrorKind::input, "this file is still being written", path,
                        "Take it in again once it is there");
    }
    const operations::Taken taken = operations::take_in(job.content(), none, arrival, how);
    store::Ids ids;
    if (!taken.rows.empty()) ids = job.change(taken.rows);
    r.json["taken"].push_back(
        {{"file", path.string()}, {"chart", taken.chart_shot != 0}, {"setup", nullptr}, {"known", taken.rows.empty()}});
    if (!taken.told.empty()) r.words += path.string() + ": " + taken.told + "\n";
}

/// Where each file that was taken stands in the end: later charts move earlier frames.
void tell_places(Result& r, const shoot::Shoot& shoot) {
    std::map<std::string, const shoot::FrameRecord*> by_path;
    for (const shoot::FrameRecord& f : shoot.frames) by_path[f.path] = &f;
    std::string words;
    for (Json& taken : r.json["taken"]) {
        const std::string file = taken["file"];
        const auto known = by_path.find(fs::absolute(file).lexically_normal().string());
        if (known == by_path.end()) continue;
        const shoot::FrameRecord& f = *known->second;
        const shoot::SetupRecord* row = shoot::record(shoot.setups, f.setup);
        if (row) taken["setup"] = shoot::title_of(shoot, *row);
        words += file +
                 (taken["known"].get<bool>() ? ": in the job already"
                  : f.same_as                ? ": " + f.reason
                  : row                      ? ": " + shoot::title_of(shoot, *row)
                                             : ": in no setup yet") +
                 "\n";
    }
    r.words = words + r.words;
}

} // namespace

Result take(store::JobFile& job, const JobArguments& a) {
    Result r;
    if (!a.encoding.empty()) frame::Encoding::named(a.encoding); // refuse what is not known before anything is read
    r.json["taken"] = r.json["failed"] = Json::array();
    const std::vector<fs::path> files = frame::gathered(files_of(a.files));
    if (files.empty())
        throw Error(ErrorKind::input, "there are no frames in this folder", a.files.front(),
                    "Name frames, clips, or a folder that holds some");
    const bool alone = a.files.size() == 1 && files.size() == 1 && !fs::is_directory(a.files.front());
    const operations::TakeIn how{.by_hand = true, .encoding = a.encoding, .camera = a.camera, .alone = alone};
    std::map<std::string, const shoot::FrameRecord*> known;
    for (const shoot::FrameRecord& f : job.content().frames) known[f.path] = &f;
    std::vector<fs::path> fresh;
    for (const fs::path& file : files) {
        const auto as = known.find(fs::absolute(file).lexically_normal().string());
        if (as != known.end() && operations::is_as_known(*as->second))
            r.json["taken"].push_back({{"file", file.string()}, {"chart", false}, {"setup", nullptr}, {"known", true}});
        else fresh.push_back(file);
    }
    fresh = operations::in_order_of_time(fresh);
    // Kept some at a time: a run that is broken off goes on where it was.
    constexpr std::size_t at_a_time = 24;
    const inspect::Limits limits = operations::limits_of(job.content().brief());
    for (std::size_t first = 0; first < fresh.size(); first += at_a_time) {
        const std::vector some(fresh.begin() + static_cast<std::ptrdiff_t>(first),
                               fresh.begin() + static_cast<std::ptrdiff_t>(std::min(fresh.size(), first + at_a_time)));
        std::vector<operations::LookedAt> looked = operations::look_at_all(some, limits);
        for (std::size_t i = 0; i < some.size(); ++i) {
            try {
                if (looked[i].failed) throw Error(*looked[i].failed);
                take_one(job, some[i], std::move(looked[i].arrival), how, r);
            } catch (const Error& e) { note_failure(r, some[i].string(), e); }
        }
    }
    if (const shoot::Change places = operations::place_frames(job.content()); !places.empty()) job.change(places);
    tell_places(r, job.content());
    tell_arrivals(r, job.content());
    return r;
}

} // namespace refero::cli
