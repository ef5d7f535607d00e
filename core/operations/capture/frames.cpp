#include "operations/capture/frames.hpp"

#include <cmath>

#include "operations/internal/wording.hpp"
#include "shoot/assign.hpp"
#include "shoot/time.hpp"

namespace refero::operations {

namespace fs = std::filesystem;
using shoot::Change;
using shoot::Id;

namespace {

std::string name_of(const shoot::FrameRecord& f) { return fs::path(f.path).filename().string(); }

std::string count_of(std::size_t n) { return std::to_string(n) + (n == 1 ? " frame" : " frames"); }

} // namespace

Change place_frames(const shoot::Shoot& shoot) {
    const auto all = shoot::moves(shoot);
    Change c(count_of(all.size()) + (all.size() == 1 ? " finds its setup" : " find their setups"), {}, true);
    for (const shoot::Move& m : all) {
        shoot::FrameRecord f = *shoot::record(shoot.frames, m.frame);
        f.camera = m.as.camera;
        f.lens = m.as.lens;
        f.mode = m.as.mode;
        f.setup = m.to.setup;
        f.reason = m.to.reason;
        c.update(f);
    }
    return c;
}

Change assign(const shoot::Shoot& shoot, const std::vector<Id>& frames, Id setup) {
    Change c(setup ? "Put " + count_of(frames.size()) + " into " + title_of(shoot, setup)
                   : "Take " + count_of(frames.size()) + " out of their setups",
             title_of(shoot, setup));
    for (const Id id : frames) {
        const shoot::FrameRecord* row = shoot::record(shoot.frames, id);
        if (!row) continue;
        shoot::FrameRecord f = *row;
        f.setup = setup;
        f.by_hand = true;
        f.reason = setup ? "put there by hand" : "taken out by hand";
        c.update(f);
        for (shoot::ChartShotRecord shot : shoot.chart_shots)
            if (shot.frame == id && setup) {
                shot.setup = setup;
                c.update(shot);
            }
    }
    return c;
}

Change let_assign(const shoot::Shoot& shoot, const std::vector<Id>& frames) {
    Change c("Let " + count_of(frames.size()) + " find their setups");
    for (const Id id : frames) {
        const shoot::FrameRecord* row = shoot::record(shoot.frames, id);
        if (!row) continue;
        shoot::FrameRecord f = *row;
        f.by_hand = false;
        if (f.kind == shoot::FrameKind::ordinary) {
            const shoot::Recognition r = shoot::recognise(shoot, f);
            f.camera = r.camera;
            f.lens = r.lens;
            f.mode = r.mode;
            const shoot::Assignment a = shoot::assign_ordinary(shoot, f);
            f.setup = a.setup;
            f.reason = a.reason;
        }
        c.update(f);
    }
    return c;
}

Change make_chart_shot(const shoot::Shoot& shoot, Id frame, Id setup, double position_s) {
    const shoot::FrameRecord* row = shoot::record(shoot.frames, frame);
    if (!row || !setup) return {};
    shoot::FrameRecord f = *row;
    if (f.kind == shoot::FrameKind::ordinary) f.kind = shoot::FrameKind::chart;
    f.setup = setup;
    f.by_hand = true;
    f.position_s = position_s;
    f.reason = "chosen as the chart shot";
    Change c(name_of(f) + " is the chart shot of " + title_of(shoot, setup), title_of(shoot, setup));
    c.update(f);
    for (const shoot::ChartShotRecord& shot : shoot.chart_shots)
        if (shot.frame == frame) c.remove<shoot::ChartShotRecord>(shot.id);
    c.add(shoot::ChartShotRecord{.setup = setup, .frame = frame});
    return c;
}

Change mark_range(const shoot::Shoot& shoot, Id frame, double from_s, double to_s) {
    const shoot::FrameRecord* row = shoot::record(shoot.frames, frame);
    if (!row || row->kind != shoot::FrameKind::clip) return {};
    shoot::FrameRecord f = *row;
    f.from_s = std::clamp(from_s, 0.0, f.duration_s);
    f.to_s = std::clamp(to_s, f.from_s, f.duration_s);
    if (f == *row) return {};
    Change c(f.has_range() ? "Range of " + name_of(f) : "No range of " + name_of(f));
    c.update(f);
    return c;
}

Change give_role(const shoot::Shoot& shoot, const std::vector<Id>& frames, const std::string& role) {
    Change c(role.empty() ? "No part of an effects set" : "For effects: " + role);
    for (const Id id : frames)
        if (const shoot::FrameRecord* row = shoot::record(shoot.frames, id); row && row->role != role) {
            shoot::FrameRecord f = *row;
            f.role = role;
            c.update(f);
        }
    return c;
}

Change make_ordinary(const shoot::Shoot& shoot, Id frame) {
    const shoot::FrameRecord* row = shoot::record(shoot.frames, frame);
    if (!row || row->kind != shoot::FrameKind::chart) return {};
    shoot::FrameRecord f = *row;
    f.kind = shoot::FrameKind::ordinary;
    f.by_hand = false;
    Change c(name_of(f) + " is no chart shot");
    for (const shoot::ChartShotRecord& shot : shoot.chart_shots)
        if (shot.frame == frame) c.remove<shoot::ChartShotRecord>(shot.id);
    c.update(f);
    return c;
}

Change same_moment(const shoot::Shoot& shoot, Id one, Id other) {
    const shoot::FrameRecord *a = shoot::record(shoot.frames, one), *b = shoot::record(shoot.frames, other);
    if (!a || !b || !a->camera || !b->camera || a->camera == b->camera)
        throw Error(ErrorKind::usage, "these are not two cameras' frames of one moment", {},
                    "Choose two frames by two cameras that this job knows");
    const double offset = shoot::time_in_job(shoot, *a) - shoot::seconds_of(b->taken);
    if (!std::isfinite(offset)) throw Error(ErrorKind::usage, "one of the frames does not say when it was taken");
    shoot::CameraRecord camera = *shoot::record(shoot.cameras, b->camera);
    camera.clock_offset_s = offset;
    return shoot::put(formatted("Clock of {}: {:.0f} s", camera.name, offset), camera, camera.name);
}

Change set_silent_lens(const shoot::Shoot& shoot, Id id, Id lens) {
    const shoot::CameraRecord* row = shoot::record(shoot.cameras, id);
    if (!row) return {};
    shoot::CameraRecord camera = *row;
    camera.silent_lens = lens;
    Change c(camera.name + " carries " + shoot::name_in(shoot.lenses, lens), camera.name);
    c.update(camera);
    for (shoot::FrameRecord f : shoot.frames)
        if (f.camera == id && f.lens_name.empty() && !f.lens) {
            f.lens = lens;
            c.update(f);
        }
    return c;
}

Change remove_frames(const std::vector<Id>& frames) {
    Change c("Remove " + count_of(frames.size()) + " from the job");
    for (const Id id : frames) c.remove<shoot::FrameRecord>(id);
    return c;
}

Change moved(const shoot::Shoot& shoot, const std::vector<Found>& found) {
    Change c(count_of(found.size()) + " found that had moved");
    for (const Found& f : found)
        if (const shoot::FrameRecord* row = shoot::record(shoot.frames, f.frame)) {
            shoot::FrameRecord now = *row;
            now.path = f.file.string();
            c.update(now);
            for (shoot::ChartShotRecord shot : shoot.chart_shots)
                if (shot.frame == f.frame && !shot.problem.empty()) { // it may be read now
                    shot.problem.clear();
                    c.update(shot);
                }
        }
    return c;
}

} // namespace refero::operations
