// A measured shot as a job keeps it.
#include <cmath>

#include <nlohmann/json.hpp>

#include "job/reading.hpp"

namespace refero::job {

using nlohmann::json;

std::string to_json(const MeasuredShot& s) {
    json j{{"refero_reading", 1},
           {"chart", s.definition.id},
           {"definition", s.definition.file.string()},
           {"layout", json::parse(chart::text_of(s.definition))},
           {"reference", s.definition.reference_file.string()},
           {"raw", s.frame.is_raw},
           {"sha256", s.sha256},
           {"full_size", {s.frame.full_width, s.frame.full_height}},
           {"cell", s.frame.cell},
           {"encoding", s.frame.encoding}};
    json& metadata = j["metadata"];
    frame::for_each_kept(s.frame.metadata, [&](const char* name, const auto& value) { metadata[name] = value; });
    for (const chart::Point& p : s.placement.corners) j["corners"].push_back({p.x(), p.y()});
    j["placement"] = {{"confidence", s.placement.confidence},
                      {"tilt_deg", s.placement.tilt_deg},
                      {"frame_fraction", s.placement.frame_fraction},
                      {"mirrored", s.placement.mirrored}};
    if (s.frame.camera_from_xyz)
        for (int i = 0; i < 9; ++i) j["camera_from_xyz"].push_back((*s.frame.camera_from_xyz)(i / 3, i % 3));
    for (const read::PatchReading& p : s.reading.patches)
        j["patches"].push_back({{"id", p.id},
                                {"mean", p.mean},
                                {"sd", p.sd},
                                {"noise", p.noise},
                                {"error", p.error},
                                {"clipped", p.clipped},
                                {"pixels", p.pixels}});
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

namespace {

/// The chart as it was. Readings of earlier versions name it only: the installed chart, or the file it was read from.
chart::Definition definition_from(const json& j) {
    const std::filesystem::path file = j.at("definition").get<std::string>();
    if (j.contains("layout")) {
        chart::Definition d = chart::parse_definition(j["layout"].dump(), file);
        d.reference_file = j.at("reference").get<std::string>();
        return d;
    }
    for (chart::Definition& d : chart::installed())
        if (d.id == j.at("chart")) return d;
    return chart::load_definition(file);
}

} // namespace

MeasuredShot measured_from_json(const std::string& text, const std::filesystem::path& file) {
    MeasuredShot s;
    try {
        const json j = json::parse(text);
        s.definition = definition_from(j);
        s.sha256 = j.at("sha256");
        s.frame.file = file;
        s.frame.full_width = j.at("full_size").at(0);
        s.frame.full_height = j.at("full_size").at(1);
        s.frame.cell = j.at("cell");
        s.frame.encoding = j.at("encoding");
        s.frame.is_raw = j.value("raw", j.contains("camera_from_xyz"));
        const json& metadata = j.at("metadata");
        frame::for_each_kept(s.frame.metadata,
                             [&](const char* name, auto& value) { value = metadata.value(name, value); });
        if (j.contains("camera_from_xyz")) {
            colour::Mat3 matrix;
            for (int i = 0; i < 9; ++i) matrix(i / 3, i % 3) = j["camera_from_xyz"].at(static_cast<std::size_t>(i));
            s.frame.camera_from_xyz = matrix;
        }
        s.placement.chart = s.definition.id;
        for (std::size_t i = 0; i < 4; ++i)
            s.placement.corners[i] =
                chart::Point(j.at("corners").at(i).at(0).get<double>(), j.at("corners").at(i).at(1).get<double>());
        const json& p = j.at("placement");
        s.placement.confidence = p.at("confidence");
        s.placement.tilt_deg = p.at("tilt_deg");
        s.placement.frame_fraction = p.at("frame_fraction");
        s.placement.mirrored = p.at("mirrored");
        s.reading.chart = s.definition.id;
        for (const json& r : j.at("patches")) {
            read::PatchReading patch{r.at("id")};
            if (s.definition.index_of(patch.id) < 0)
                throw Error(ErrorKind::input,
                            "the chart " + s.definition.id + " has no patch " + patch.id + " any more", file,
                            "Read the chart shot again");
            patch.clipped = r.at("clipped");
            patch.pixels = r.at("pixels");
            if (patch.pixels > 0) {
                patch.mean = r.at("mean");
                patch.sd = r.at("sd");
                patch.noise = r.value("noise", patch.noise);
                patch.error = r.value("error", patch.error);
            } else patch.mean.fill(NAN); // outside the frame: JSON has no NaN
            s.reading.patches.push_back(patch);
        }
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("a reading in the job is damaged: ") + problem.what(), file,
                    "Read the chart shot again");
    }
    return s;
}

} // namespace refero::job
