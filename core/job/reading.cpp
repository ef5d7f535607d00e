// A measured shot as a job keeps it.
#include <cmath>

#include <nlohmann/json.hpp>

#include "job/reading.hpp"

namespace refero::job {

using nlohmann::json;

namespace {

/// What is kept of one chart in a frame.
json json_of(const chart::Definition& definition, const find::Placement& placement, const read::Reading& reading) {
    json j{{"chart", definition.id},
           {"definition", definition.file.string()},
           {"layout", json::parse(chart::text_of(definition))},
           {"reference", definition.reference_file.string()},
           {"placement",
            {{"confidence", placement.confidence},
             {"tilt_deg", placement.tilt_deg},
             {"frame_fraction", placement.frame_fraction},
             {"mirrored", placement.mirrored}}}};
    for (const chart::Point& p : placement.corners) j["corners"].push_back({p.x(), p.y()});
    for (const read::PatchReading& p : reading.patches)
        j["patches"].push_back({{"id", p.id},
                                {"mean", p.mean},
                                {"sd", p.sd},
                                {"noise", p.noise},
                                {"error", p.error},
                                {"clipped", p.clipped},
                                {"pixels", p.pixels}});
    return j;
}

json json_of(const colour::Mat3& m) {
    json j;
    for (int i = 0; i < 9; ++i) j.push_back(m(i / 3, i % 3));
    return j;
}
std::optional<colour::Mat3> matrix_from(const json& j, const char* name) {
    if (!j.contains(name)) return {};
    colour::Mat3 m;
    for (int i = 0; i < 9; ++i) m(i / 3, i % 3) = j[name].at(static_cast<std::size_t>(i));
    return m;
}

/// The chart as it was. Readings of earlier versions name it only: the installed chart, or the file it was read from.
chart::Definition definition_from(const json& j) {
    const std::filesystem::path file = j.at("definition").get<std::string>();
    const std::string id = j.at("chart");
    std::error_code ec;
    if (j.contains("layout")) {
        chart::Definition d = chart::parse_definition(j["layout"].dump(), file);
        d.reference_file = j.at("reference").get<std::string>();
        // Values that ship may lie elsewhere now.
        if (!d.reference_file.empty() && !std::filesystem::exists(d.reference_file, ec)) try {
                d.reference_file = chart::find_definition(id).reference_file;
            } catch (const Error&) { // its own: whoever needs them says that they are missing
            }
        return d;
    }
    try {
        return chart::find_definition(id);
    } catch (const Error&) { return chart::load_definition(file); }
}

read::Reading reading_from(const json& patches, const chart::Definition& definition,
                           const std::filesystem::path& file) {
    read::Reading reading;
    reading.chart = definition.id;
    for (const json& r : patches) {
        read::PatchReading patch{r.at("id")};
        if (definition.index_of(patch.id) < 0)
            throw Error(ErrorKind::input, "the chart " + definition.id + " has no patch " + patch.id + " any more",
                        file, "Read the chart shot again");
        patch.clipped = r.at("clipped");
        patch.pixels = r.at("pixels");
        if (patch.pixels > 0) {
            patch.mean = r.at("mean");
            patch.sd = r.at("sd");
            patch.noise = r.value("noise", patch.noise);
            patch.error = r.value("error", patch.error);
        } else patch.mean.fill(NAN); // outside the frame: JSON has no NaN
        reading.patches.push_back(patch);
    }
    return reading;
}

Panel panel_from(const json& j, const std::filesystem::path& file) {
    Panel panel;
    panel.definition = definition_from(j);
    panel.placement.chart = panel.definition.id;
    for (std::size_t i = 0; i < 4; ++i)
        panel.placement.corners[i] =
            chart::Point(j.at("corners").at(i).at(0).get<double>(), j.at("corners").at(i).at(1).get<double>());
    const json& p = j.at("placement");
    panel.placement.confidence = p.at("confidence");
    panel.placement.tilt_deg = p.at("tilt_deg");
    panel.placement.frame_fraction = p.at("frame_fraction");
    panel.placement.mirrored = p.at("mirrored");
    panel.reading = reading_from(j.at("patches"), panel.definition, file);
    return panel;
}

} // namespace

std::string to_json(const MeasuredShot& s) {
    json j = json_of(s.definition, s.placement, s.reading);
    j["refero_reading"] = 1;
    j["raw"] = s.frame.is_raw;
    j["linear"] = s.frame.linear;
    j["sha256"] = s.sha256;
    j["full_size"] = {s.frame.full_width, s.frame.full_height};
    j["cell"] = s.frame.cell;
    j["encoding"] = s.frame.encoding;
    if (chart::is_balance_page(s.definition)) j["page"] = true; // plan::Evidence asks for it
    json& metadata = j["metadata"];
    frame::for_each_kept(s.frame.metadata, [&](const char* name, const auto& value) { metadata[name] = value; });
    if (s.frame.camera_from_xyz) j["camera_from_xyz"] = json_of(*s.frame.camera_from_xyz);
    if (s.frame.xyz_from_rgb) j["xyz_from_rgb"] = json_of(*s.frame.xyz_from_rgb);
    for (const Panel& p : s.panels) j["panels"].push_back(json_of(p.definition, p.placement, p.reading));
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

MeasuredShot measured_from_json(const std::string& text, const std::filesystem::path& file) {
    MeasuredShot s;
    try {
        const json j = json::parse(text);
        Panel main = panel_from(j, file);
        s.definition = std::move(main.definition);
        s.placement = std::move(main.placement);
        s.reading = std::move(main.reading);
        s.sha256 = j.at("sha256");
        s.frame.file = file;
        s.frame.full_width = j.at("full_size").at(0);
        s.frame.full_height = j.at("full_size").at(1);
        s.frame.cell = j.at("cell");
        s.frame.encoding = j.at("encoding");
        s.frame.is_raw = j.value("raw", j.contains("camera_from_xyz"));
        s.frame.linear = j.value("linear", s.frame.is_raw || s.frame.encoding == "linear");
        const json& metadata = j.at("metadata");
        frame::for_each_kept(s.frame.metadata,
                             [&](const char* name, auto& value) { value = metadata.value(name, value); });
        s.frame.camera_from_xyz = matrix_from(j, "camera_from_xyz");
        s.frame.xyz_from_rgb = matrix_from(j, "xyz_from_rgb");
        for (const json& p : j.value("panels", json::array())) s.panels.push_back(panel_from(p, file));
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("a reading in the job is damaged: ") + problem.what(), file,
                    "Read the chart shot again");
    }
    return s;
}

} // namespace refero::job
