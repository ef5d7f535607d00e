// A measured shot as a job keeps it.
#include <cmath>

#include <nlohmann/json.hpp>

#include "store/reading.hpp"

namespace refero::store {

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

/// Calls f(name, member) for what is kept of an explanation; numbers that are not known are null.
template<class E, class F>
void for_each_member(E& e, F&& f) {
    f("white", e.white);
    f("veil", e.veil);
    f("veil_sd", e.veil_sd);
    f("level", e.level);
    f("slope_x", e.slope_x);
    f("slope_y", e.slope_y);
    f("slope_sd", e.slope_sd);
    f("step", e.step);
    f("step_angle_deg", e.step_angle_deg);
    f("step_at", e.step_at);
    f("light", e.light);
    f("excess", e.excess);
    f("residual", e.residual);
    f("residual_sd", e.residual_sd);
    f("warm_x", e.warm_x);
    f("warm_y", e.warm_y);
    f("warm_sd", e.warm_sd);
    f("green_x", e.green_x);
    f("green_y", e.green_y);
    f("green_sd", e.green_sd);
}

json numbers_of(double v) { return std::isfinite(v) ? json(v) : json(); }
json numbers_of(const colour::Vec3& v) { return {numbers_of(v[0]), numbers_of(v[1]), numbers_of(v[2])}; }
json numbers_of(const std::vector<double>& all) {
    json j = json::array();
    for (const double v : all) j.push_back(numbers_of(v));
    return j;
}

void take_numbers(const json& j, double& v) { v = j.is_number() ? j.get<double>() : NAN; }
void take_numbers(const json& j, colour::Vec3& v) {
    for (std::size_t c = 0; c < 3; ++c) take_numbers(j.at(c), v[static_cast<Eigen::Index>(c)]);
}
void take_numbers(const json& j, std::vector<double>& all) {
    all.clear();
    for (const json& v : j) take_numbers(v, all.emplace_back());
}

json json_of(const inspect::Explained& light) {
    json j{{"usable", light.usable}};
    for_each_member(light, [&](const char* name, const auto& value) { j[name] = numbers_of(value); });
    return j;
}

inspect::Explained explained_from(const json& j) {
    inspect::Explained light;
    light.usable = j.at("usable");
    for_each_member(light, [&](const char* name, auto& value) { take_numbers(j.at(name), value); });
    return light;
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
    if (chart::is_balance_page(s.definition)) j["page"] = true;
    json& metadata = j["metadata"];
    frame::for_each_kept(s.frame.metadata, [&](const char* name, const auto& value) { metadata[name] = value; });
    if (s.frame.camera_from_xyz) j["camera_from_xyz"] = json_of(*s.frame.camera_from_xyz);
    if (s.frame.xyz_from_rgb) j["xyz_from_rgb"] = json_of(*s.frame.xyz_from_rgb);
    if (s.light) j["light"] = json_of(*s.light);
    for (const Panel& p : s.panels) j["panels"].push_back(json_of(p.definition, p.placement, p.reading));
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

shoot::ReadingRecord row_of(shoot::Id chart_shot, const std::string& made_from, const MeasuredShot& s) {
    return {.chart_shot = chart_shot,
            .made_from = made_from,
            .page = chart::is_balance_page(s.definition),
            .encoding = s.frame.encoding,
            .content = to_json(s)};
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
        if (j.contains("light")) s.light = explained_from(j["light"]);
        if (s.light && s.light->light.size() != s.reading.patches.size()) s.light.reset(); // of another reading
        for (const json& p : j.value("panels", json::array())) s.panels.push_back(panel_from(p, file));
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("a reading in the job is damaged: ") + problem.what(), file,
                    "Read the chart shot again");
    }
    return s;
}

} // namespace refero::store
