#include "demo_run.hpp"

#include "operations/capture/footage.hpp"
#include "shoot/assign.hpp"

namespace refero::app {

DemoRun::DemoRun(Desk& desk) : desk_(desk) {
    connect(&desk.job, &JobDocument::closing, this, [this] {
        goals_.clear();
        if (!own_kit_.empty()) desk_.kit.use(std::exchange(own_kit_, {}));
    });
    connect(&desk.readings, &Readings::read, this, &DemoRun::step);
    connect(&desk.setups, &Setups::fitted, this, &DemoRun::step);
}

void DemoRun::open(const fs::path& description, const fs::path& folder, const fs::path& cache) {
    desk_.job.close();
    desk_.tasks.drain(); // another one may be under way
    const fs::path kit = folder / "demo.refero-kit", job = folder / "museum.refero";
    desk_.tasks.run({Doing::making, 0}, tr("Making the demo job"),
                    [this, description, folder, kit, job, cache](std::stop_token, const Progress&) -> Tasks::Then {
                        std::error_code ec;
                        fs::create_directories(folder, ec);
                        const operations::Demo demo = [&] {
                            store::JobFile new_job(job, store::JobFile::Open::create);
                            store::KitFile new_kit(kit, store::KitFile::Open::create);
                            return operations::start_demo(description, folder, new_job, new_kit);
                        }();
                        return [this, folder, kit, job, cache, demo] {
                            if (desk_.job.is_open()) return; // another one was opened meanwhile
                            const fs::path own = desk_.kit.file();
                            desk_.kit.use(kit);
                            desk_.job.open(job);
                            own_kit_ = own;
                            for (const operations::DemoGoal& g : demo.goals) goals_[g.setup] = g;
                            folder_ = folder;
                            for (const operations::DemoFrame& frame : demo.frames) make(frame, cache);
                            emit opened();
                        };
                    });
}

void DemoRun::make(const operations::DemoFrame& frame, const fs::path& cache) {
    desk_.tasks.run({frame.chart ? Doing::making : Doing::other, frame.setup}, tr("Making the demo's frames"),
                    [this, frame, cache](std::stop_token stop, const Progress&) -> Tasks::Then {
                        operations::make(frame, cache, stop);
                        shoot::FrameRecord row = operations::described(frame.file);
                        if (frame.chart && !frame.clip.empty())
                            row.position_s = operations::showing_s(frame.file, {.position_s = -1}, stop);
                        return [this, frame, row] {
                            const shoot::Shoot& shoot = desk_.job.shoot();
                            shoot::FrameRecord f = row;
                            const shoot::Recognition r = shoot::recognise(shoot, f);
                            f.camera = r.camera;
                            f.lens = r.lens;
                            f.mode = r.mode;
                            if (const shoot::SetupRecord* s = shoot::record(shoot.setups, frame.setup);
                                s && !frame.clip.empty())
                                f.mode = s->mode;
                            f.setup = frame.setup;
                            f.reason = frame.chart ? "shot for this setup" : "the nearest chart shot";
                            if (frame.chart && frame.clip.empty()) f.kind = shoot::FrameKind::chart;
                            shoot::Change c(frame.file.filename().string() + " came in",
                                            desk_.chains.title_of(frame.setup).toStdString());
                            const Id id = c.add(f);
                            if (frame.chart)
                                c.add(shoot::ChartShotRecord{.setup = frame.setup,
                                                             .frame = id,
                                                             .chart = frame.card.empty() ? "" : "grey-card",
                                                             .corners = frame.card,
                                                             .refused = frame.refused});
                            desk_.job.change(c);
                        };
                    });
}

// Brings a setup on to its goal.
void DemoRun::step(Id id) {
    const auto at = goals_.find(id);
    if (at == goals_.end() || !desk_.chains.has(id)) return;
    const operations::DemoGoal goal = at->second;
    const Chain& c = desk_.chains.at(id);
    if (!c.shot || !c.refused.empty()) return;
    const auto out = [&](const char* name, const char* format) {
        goals_.erase(id);
        std::error_code ec;
        fs::create_directories(folder_ / "handover", ec);
        desk_.handovers.write_file(id, format, {}, folder_ / "handover" / name);
    };
    const bool corrected = c.correction_id != 0;
    if (goal.goal == "read") goals_.erase(id);
    else if (goal.goal == "matched") {
        if (!desk_.chains.at(goal.from).correction_id) return; // comes back when that one is fitted
        goals_.erase(id);
        desk_.matches.match(goal.from, id);
    } else if (goal.goal == "balance handed over") out("balance.json", "matrix");
    else if (goal.goal == "borrowed") {
        if (!desk_.chains.at(goal.from).correction_id) return; // comes back when that one is fitted
        goals_.erase(id);
        desk_.setups.lend(goal.from, id);
    } else if (!corrected) desk_.setups.fit(id);
    else if (goal.goal == "handed over") out("stills-a-window.cube", "cube");
    else goals_.erase(id);
    for (const auto& [other, g] : std::map(goals_))
        if ((g.goal == "borrowed" || g.goal == "matched") && g.from == id && corrected) step(other);
}

} // namespace refero::app
