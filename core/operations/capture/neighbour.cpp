#include "operations/capture/neighbour.hpp"

#include <map>
#include <set>

#include "operations/capture/footage.hpp"
#include "shoot/parameters.hpp"

namespace refero::operations {

namespace {

/// Without estimated sensitivities a fit's own error on patches held out stands for the radius.
constexpr double radius_of_held_out = 3;

/// Shots of one camera under one light see a surface alike: only their noise differs.
struct Group {
    std::string camera;
    double mired = 0;
    std::map<std::string, std::vector<fit::Foretelling::Measured>> values; ///< by patch
};

Group& group_of(std::vector<Group>& all, const std::string& camera, double mired) {
    for (Group& g : all)
        if (g.camera == camera && std::abs(g.mired - mired) < shoot::max_repeat_mired) return g;
    all.push_back({camera, mired, {}});
    return all.back();
}

/// The mean of one group's measurements: as sure as one of them.
fit::Foretelling::Measured mean_of(const std::vector<fit::Foretelling::Measured>& all) {
    fit::Foretelling::Measured m;
    for (const auto& one : all) {
        m.xyz += one.xyz / static_cast<double>(all.size());
        m.radius += one.radius / static_cast<double>(all.size());
    }
    return m;
}

std::string counted(std::size_t n, const char* what) { return formatted("{} {}{}", n, what, n == 1 ? "" : "s"); }

} // namespace

fit::Correction fitted_through(const frame::Frame& frame, const std::string& known, std::stop_token stop) {
    MeasuredShot shot;
    try {
        shot = measure_in(frame, {.chart = known}, stop);
    } catch (const find::NoChart&) {
        throw Error(ErrorKind::not_found, "the known chart " + known + " is not seen", frame.file,
                    "Lay both into one light, whole and flat, and take the picture again");
    }
    inspect::Judgement judgement = judge(frame, shot, inspect::limits_for({}));
    if (!judgement.findings.empty() && judgement.findings.front().status == inspect::Status::reshoot)
        throw Error(ErrorKind::input, "the known chart cannot be trusted here: " + judgement.findings.front().advice,
                    frame.file, "Take the picture again");
    shot.light = std::move(judgement.light);
    shot.frame.metadata = frame.metadata;
    shot.frame.camera_from_xyz = frame.camera_from_xyz;
    shot.frame.xyz_from_rgb = frame.xyz_from_rgb;
    shot.frame.encoding = frame.encoding;
    shot.frame.is_raw = frame.is_raw;
    shot.frame.linear = frame.linear;
    shot.frame.file = frame.file;
    return correct({shot}, chart::reference_of(shot.definition), {.finished = !frame.linear}, stop,
                   {judgement.findings});
}

Neighbour measured_beside(const std::vector<NeighbourShot>& shots, const chart::Definition& card,
                          const std::string& known, std::stop_token stop) {
    const chart::Definition neighbour = chart::find_definition(known);
    std::vector<Group> groups;
    std::set<std::string> cameras;
    std::string day;
    Neighbour result;
    for (const NeighbourShot& shot : shots) {
        throw_if_stopped(stop);
        const frame::Frame frame = frame::read(shot.file,
                                               {frame::Size::measuring, shot.options.encoding,
                                                showing_s(shot.file, shot.options, stop), shot.options.clip_code},
                                               stop);
        const fit::Correction correction = fitted_through(frame, known, stop);
        const fit::Foretelling foretold(correction);
        std::vector<find::Placement> placements = shot.placements;
        if (placements.empty()) {
            placements = find::locate(frame, {card}, stop);
            if (placements.size() > 1) placements.resize(1);
        }
        if (placements.empty())
            throw Error(ErrorKind::not_found, "the card " + card.id + " is not seen", shot.file,
                        "Show all of it, in focus and evenly lit, or give its corners in the first picture");
        const double mired = correction.light ? 1e6 / correction.light->kelvin : 0;
        Group& group = group_of(groups, frame.metadata.camera() + frame.metadata.serial_number, mired);
        cameras.insert(frame.metadata.camera() + frame.metadata.serial_number);
        if (day.empty()) day = frame.metadata.taken.substr(0, 10);
        for (const find::Placement& placement : placements) {
            const read::Reading reading = read::measure(frame, placement, card, stop);
            for (const read::PatchReading& p : reading.patches) {
                if (!p.usable()) continue;
                const colour::Vec3 rgb(p.mean.data()), error(p.error.data());
                if (foretold.known()) group.values[p.id].push_back(foretold.measured(rgb, error));
                else {
                    group.values[p.id].push_back(
                        {correction(rgb), radius_of_held_out * correction.cross_validated.mean});
                    result.sure = false;
                }
            }
        }
    }
    for (const chart::Patch& p : card.patches) {
        std::vector<fit::Foretelling::Measured> all;
        int pictures = 0;
        for (const Group& g : groups)
            if (const auto at = g.values.find(p.id); at != g.values.end()) {
                all.push_back(mean_of(at->second));
                pictures += static_cast<int>(at->second.size());
            }
        if (all.empty()) {
            result.missing.push_back(p.id);
            continue;
        }
        const fit::Foretelling::Measured m = fit::put_together(all);
        result.values.push_back({p.id, m.xyz, m.radius, pictures});
    }
    if (result.values.empty())
        throw Error(ErrorKind::input, "no patch of the card could be measured: all are clipped or outside the picture",
                    shots.front().file, "Expose less, and show the whole card");
    result.provenance = formatted("through {}, {}, {}{}", neighbour.id, counted(cameras.size(), "camera"),
                                  counted(groups.size(), "light"), day.empty() ? "" : ", " + day);
    return result;
}

std::vector<Ageing> ageing(const Neighbour& now, const chart::Reference& then) {
    std::vector<Ageing> all;
    for (const NeighbourValue& v : now.values)
        if (const auto before = then.xyz.find(v.id); before != then.xyz.end())
            all.push_back({v.id,
                           colour::delta_e_2000(colour::lab_from_xyz(v.xyz), colour::lab_from_xyz(before->second)),
                           v.radius});
    return all;
}

chart::Reference reference_of(const Neighbour& neighbour) {
    chart::Reference r;
    for (const NeighbourValue& v : neighbour.values) r.xyz[v.id] = v.xyz;
    return r;
}

} // namespace refero::operations
