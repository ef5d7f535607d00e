#include "job/pipeline.hpp"

namespace refero::job {

find::Placement locate(const frame::Frame& frame, const std::string& chart, std::stop_token stop) {
    const auto definitions = chart.empty() ? chart::installed() : std::vector{chart::find_definition(chart)};
    const auto found = find::locate(frame, definitions, stop);
    if (found.empty())
        throw Error(ErrorKind::not_found, "no chart was found", frame.file, "Check that the whole chart is in the frame, or give its corners by hand");
    return found.front();
}

MeasuredShot take_shot(const std::filesystem::path& file, const ShotOptions& options, const Progress& progress, std::stop_token stop) {
    const auto report = [&](double share) { if (progress) progress(share); };
    MeasuredShot shot;
    if (options.corners && options.chart.empty())
        throw Error(ErrorKind::usage, "corners belong to a chart", {}, "Name it with --chart");
    shot.frame = frame::read(file, {frame::Size::measuring, options.encoding}, stop);
    report(0.5);
    if (options.corners) {
        shot.definition = chart::find_definition(options.chart);
        shot.placement = find::placement_from(shot.definition, *options.corners, shot.frame);
    } else {
        shot.placement = locate(shot.frame, options.chart, stop);
        shot.definition = chart::find_definition(options.chart.empty() ? shot.placement.chart : options.chart);
    }
    report(0.9);
    shot.reading = read::measure(shot.frame, shot.placement, shot.definition, stop);
    report(1);
    return shot;
}

std::vector<plan::Finding> findings_of(const MeasuredShot& shot) {
    std::vector<plan::Finding> all;
    all.push_back({.check = "found", .status = "pass", .value = shot.placement.confidence, .unit = "confidence"});
    std::string clipped;
    int count = 0;
    for (const read::PatchReading& p : shot.reading.patches)
        if (p.pixels > 0 && p.clipped > read::most_clipped) clipped += (clipped.empty() ? "" : " ") + p.id, ++count;
    all.push_back({.check = "clipping", .status = count ? "caution" : "pass", .value = static_cast<double>(count), .unit = "patches", .patches = clipped, .advice = count ? "Close down, and shoot the chart again" : ""});
    all.push_back({.check = "mirrored", .status = shot.placement.mirrored ? "caution" : "pass", .advice = shot.placement.mirrored ? "Check how the frame came in" : ""});
    return all;
}

fit::Source source_of(const MeasuredShot& shot) {
    return {std::filesystem::absolute(shot.frame.file), shot.sha256.empty() ? sha256_of(shot.frame.file) : shot.sha256, shot.frame.metadata, shot.placement};
}

fit::Correction correct(const std::vector<MeasuredShot>& shots, const chart::Reference& reference, const fit::Settings& settings, std::stop_token stop) {
    std::vector<read::Reading> readings;
    for (const MeasuredShot& shot : shots) {
        if (shot.definition.id != shots.front().definition.id)
            throw Error(ErrorKind::usage, "the shots show different charts", shot.frame.file, "Give shots of one chart, or name it with --chart");
        readings.push_back(shot.reading);
    }
    fit::Correction c = fit::build(read::average(readings), reference, &shots.front().definition, settings, stop);
    for (const MeasuredShot& shot : shots) c.sources.push_back(source_of(shot));
    if (const auto& matrix = shots.front().frame.camera_from_xyz) c.light = balance::light_of(c.balance, *matrix);
    return c;
}

} // namespace refero::job
