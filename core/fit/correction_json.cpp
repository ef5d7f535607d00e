// The correction file.
#include <cmath>
#include <set>

#include <nlohmann/json.hpp>

#include "fit/fit.hpp"

namespace refero::fit {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

ordered_json json_of(const Statistics& s) {
    return {{"mean", s.mean}, {"median", s.median}, {"p95", s.p95}, {"max", s.max}};
}
ordered_json json_of(const Vec3& v) { return ordered_json::array({v[0], v[1], v[2]}); }

ordered_json json_of(const Source& s) {
    ordered_json j{{"file", s.file.string()}, {"sha256", s.sha256}};
    frame::for_each_kept(s.metadata, [&](const char* name, const auto& value) { j[name] = value; });
    if (s.placement) {
        for (const chart::Point& p : s.placement->corners) j["corners"].push_back({p.x(), p.y()});
        j["confidence"] = s.placement->confidence;
    }
    return j;
}

Statistics statistics_from(const ordered_json& j) { return {j.at("mean"), j.at("median"), j.at("p95"), j.at("max")}; }
Vec3 vec3_from(const ordered_json& j) {
    return Vec3(j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>());
}

/// Points [in, out]; in ascends from above 0, out as well.
balance::Curve curve_from(const ordered_json& j) {
    balance::Curve curve;
    for (const auto& point : j) {
        const double in = point.at(0), out = point.at(1);
        if (!(in > (curve.in.empty() ? 0 : curve.in.back()) && out > (curve.out.empty() ? 0 : curve.out.back())))
            throw Error(ErrorKind::input, "a curve does not ascend", {}, "Fit it again");
        curve.in.push_back(in);
        curve.out.push_back(out);
    }
    return curve;
}

Candidate candidate_from(const ordered_json& j) {
    Candidate k{model_named(j.at("model")), statistics_from(j.at("fit")), statistics_from(j.at("cross_validated"))};
    if (!j.contains("by_hue")) return k; // written before there were these
    k.by_hue = statistics_from(j["by_hue"]);
    k.unseen = statistics_from(j.at("unseen"));
    k.worst = j.at("worst");
    k.neutral = j.at("neutral");
    k.noise_gain = j.at("noise_gain");
    k.bend = j.at("bend");
    k.kept = j.at("kept");
    k.withdrawn = j.at("withdrawn");
    return k;
}

Source source_from(const ordered_json& j) {
    Source s;
    s.file = j.at("file").get<std::string>();
    s.sha256 = j.at("sha256");
    frame::for_each_kept(s.metadata, [&](const char* name, auto& value) { value = j.value(name, value); });
    if (j.contains("corners")) {
        s.placement.emplace();
        for (std::size_t i = 0; i < 4; ++i)
            s.placement->corners[i] =
                chart::Point(j["corners"].at(i).at(0).get<double>(), j["corners"].at(i).at(1).get<double>());
        s.placement->confidence = j.value("confidence", 1.0);
    }
    return s;
}

// ---- what a correction may hold; a file may hold anything

constexpr std::size_t most_patches = 5000; ///< of a reading; the largest charts have about 1500
constexpr double most_gain = 1e4;          ///< of a channel or the exposure, and its inverse
constexpr double most_coefficient = 1e4;   ///< of features that are about 1
constexpr double most_value = 1e4;         ///< of a reading, 1 = saturation
constexpr double least_kelvin = 500, most_kelvin = 1e5;

void require(bool good, const std::string& what) {
    if (!good) throw Error(ErrorKind::input, "this correction is damaged: " + what, {}, "Fit it again");
}

/// Corrections of earlier versions name their chart alone: roles are those of the installed one, if there is one.
void roles_of_earlier_versions(Correction& c) {
    if (c.reading.chart.empty()) return;
    try {
        const chart::Definition d = chart::find_definition(c.reading.chart);
        for (const chart::Patch& p : d.patches)
            if (c.reading.find(p.id)) c.roles[p.id] = p.role;
    } catch (const Error&) {} // all patches weigh alike
}

Correction correction_from(const ordered_json& j) {
    Correction c;
    c.model = model_named(j.at("model"));
    c.intent = intent_named(j.at("intent"));
    c.made = j.at("made");
    c.program_version = j.at("program_version");
    c.choice = j.at("choice");
    c.balance.white_patch = j.at("balance").at("white_patch");
    c.balance.gains = vec3_from(j.at("balance").at("gains"));
    c.balance.exposure = j.at("balance").at("exposure");
    if (j["balance"].contains("curves"))
        for (std::size_t k = 0; k < 3; ++k) c.balance.curves[k] = curve_from(j["balance"]["curves"].at(k));
    for (const auto& caution : j.value("cautions", ordered_json::array()))
        c.cautions.push_back(caution.get<std::string>());
    if (j.contains("weights")) j["weights"].get_to(c.weights);
    if (j.contains("finish")) {
        const auto& f = j["finish"];
        c.finish = {f.at("stops"), f.at("warmer_mired"), f.at("greener"), f.at("light_kept")};
    }
    if (j.contains("look")) c.look = look::look_from_json(j["look"].dump());
    const auto& rows = j.at("coefficients");
    const auto columns = static_cast<Eigen::Index>(features(c.model, Vec3::Ones()).size());
    c.coefficients.resize(3, columns);
    for (const auto& row : rows)
        if (static_cast<Eigen::Index>(row.size()) != columns)
            throw Error(ErrorKind::input, "its coefficients are not those of its model", {},
                        "It may be of an earlier version: fit it again");
    for (Eigen::Index r = 0; r < 3; ++r)
        for (Eigen::Index k = 0; k < columns; ++k)
            c.coefficients(r, k) = rows.at(static_cast<std::size_t>(r)).at(static_cast<std::size_t>(k));
    c.reading.chart = j.at("chart");
    c.reference.file = j.at("reference_file").get<std::string>();
    c.reference.nominal = j.value("nominal_values", false);
    c.encoding = j.value("encoding", "");
    require(j.at("patches").is_array() && j["patches"].size() <= most_patches, "its patches");
    for (const auto& p : j["patches"]) {
        read::PatchReading r{p.at("id")};
        r.clipped = p.at("clipped");
        r.pixels = p.at("pixels");
        if (r.pixels > 0) {
            r.mean = p.at("mean");
            r.sd = p.at("sd");
        } else { // outside the frame: JSON has no NaN
            r.mean.fill(NAN);
        }
        if (p.contains("error")) {
            r.error = p["error"];
            r.noise = p.at("noise");
        }
        c.reading.patches.push_back(r);
        if (p.contains("role")) c.roles[r.id] = p["role"];
        if (p.contains("reference_xyz")) c.reference.xyz[r.id] = vec3_from(p["reference_xyz"]);
        if (p.contains("reflectance")) p["reflectance"].get_to(c.reference.spectrum[r.id].value);
    }
    if (c.roles.empty()) roles_of_earlier_versions(c);
    for (const auto& id : j.at("left_out")) c.left_out.push_back(id.get<std::string>());
    c.light_name = j.at("light").value("name", "");
    if (j.at("light").contains("kelvin")) c.light = colour::Temperature{j["light"]["kelvin"], j["light"].at("duv")};
    for (const auto& s : j.at("sources")) c.sources.push_back(source_from(s));
    c.fit = statistics_from(j.at("fit"));
    c.cross_validated = statistics_from(j.at("cross_validated"));
    if (j.contains("unseen")) c.unseen = statistics_from(j["unseen"]);
    for (const auto& id : j.value("odd", ordered_json::array())) c.odd.push_back(id.get<std::string>());
    for (const auto& k : j.at("candidates")) c.candidates.push_back(candidate_from(k));
    return c;
}

bool within(double v, double most) { return std::isfinite(v) && std::abs(v) <= most; }

void check_numbers(const Statistics& s, const std::string& what) {
    for (const double v : {s.mean, s.median, s.p95, s.max}) require(std::isfinite(v) && v >= 0, what);
}

void check(const Correction& c) {
    for (Eigen::Index i = 0; i < 3; ++i)
        require(c.balance.gains[i] >= 1 / most_gain && c.balance.gains[i] <= most_gain, "a gain cannot be");
    require(c.balance.exposure >= 1 / most_gain && c.balance.exposure <= most_gain, "its exposure cannot be");
    for (const balance::Curve& curve : c.balance.curves)
        require(curve.in.size() <= most_patches &&
                    (curve.in.empty() || (within(curve.in.back(), most_value) && within(curve.out.back(), most_value))),
                "a curve cannot be");
    require(c.coefficients.allFinite() && c.coefficients.cwiseAbs().maxCoeff() <= most_coefficient,
            "its coefficients cannot be");
    look::matrix_of(c.finish, c.light); // refuses what is too large
    if (c.light)
        require(c.light->kelvin >= least_kelvin && c.light->kelvin <= most_kelvin && within(c.light->duv, 1),
                "its light cannot be");
    require(c.reading.patches.size() <= most_patches, "it has too many patches");
    require(!c.reading.patches.empty() || c.model == Model::diagonal, "it has no patches");
    std::set<std::string> ids;
    for (const read::PatchReading& p : c.reading.patches) {
        require(ids.insert(p.id).second, "patch " + p.id + " stands twice");
        require(p.pixels >= 0 && p.clipped >= 0 && p.clipped <= 1, "patch " + p.id);
        for (std::size_t i = 0; i < 3 && p.pixels > 0; ++i)
            require(within(p.mean[i], most_value) && within(p.sd[i], most_value) && p.sd[i] >= 0, "patch " + p.id);
    }
    for (const auto& [id, xyz] : c.reference.xyz)
        require(xyz.allFinite() && xyz.cwiseAbs().maxCoeff() <= 10, "the reference of patch " + id);
    for (const auto& [id, spectrum] : c.reference.spectrum)
        for (const double v : spectrum.value) require(within(v, 10), "the reflectance of patch " + id);
    for (const auto& [id, weight] : c.weights) require(weight >= 0 && weight <= 100, "the weight of " + id);
    check_numbers(c.fit, "what it leaves");
    check_numbers(c.cross_validated, "what it leaves");
}

} // namespace

std::string to_json(const Correction& c) {
    ordered_json j;
    j["refero_correction"] = 1;
    j["program_version"] = c.program_version;
    j["made"] = c.made;
    j["model"] = name_of(c.model);
    j["intent"] = name_of(c.intent);
    j["choice"] = c.choice;
    j["chart"] = c.reading.chart;
    j["reference_file"] = c.reference.file.string();
    if (c.reference.nominal) j["nominal_values"] = true;
    if (!c.encoding.empty()) j["encoding"] = c.encoding;
    j["light"] = ordered_json::object();
    if (!c.light_name.empty()) j["light"]["name"] = c.light_name;
    if (c.light) {
        j["light"]["kelvin"] = c.light->kelvin;
        j["light"]["duv"] = c.light->duv;
    }
    j["balance"] = {
        {"white_patch", c.balance.white_patch}, {"gains", json_of(c.balance.gains)}, {"exposure", c.balance.exposure}};
    if (c.balance.curved())
        for (const balance::Curve& curve : c.balance.curves) {
            ordered_json points = ordered_json::array();
            for (std::size_t i = 0; i < curve.in.size(); ++i) points.push_back({curve.in[i], curve.out[i]});
            j["balance"]["curves"].push_back(points);
        }
    if (!c.cautions.empty()) j["cautions"] = c.cautions;
    if (!c.weights.empty()) j["weights"] = c.weights;
    if (!c.finish.empty())
        j["finish"] = {{"stops", c.finish.stops},
                       {"warmer_mired", c.finish.warmer_mired},
                       {"greener", c.finish.greener},
                       {"light_kept", c.finish.light_kept}};
    if (!c.look.changes_nothing()) j["look"] = ordered_json::parse(look::to_json(c.look));
    for (Eigen::Index r = 0; r < 3; ++r) {
        ordered_json row = ordered_json::array();
        for (Eigen::Index k = 0; k < c.coefficients.cols(); ++k) row.push_back(c.coefficients(r, k));
        j["coefficients"].push_back(row);
    }
    j["fit"] = json_of(c.fit);
    j["cross_validated"] = json_of(c.cross_validated);
    j["unseen"] = json_of(c.unseen);
    j["candidates"] = ordered_json::array();
    for (const Candidate& k : c.candidates)
        j["candidates"].push_back({{"model", name_of(k.model)},
                                   {"fit", json_of(k.fit)},
                                   {"cross_validated", json_of(k.cross_validated)},
                                   {"by_hue", json_of(k.by_hue)},
                                   {"unseen", json_of(k.unseen)},
                                   {"worst", k.worst},
                                   {"neutral", k.neutral},
                                   {"noise_gain", k.noise_gain},
                                   {"bend", k.bend},
                                   {"kept", k.kept},
                                   {"withdrawn", k.withdrawn}});
    j["sources"] = ordered_json::array();
    for (const Source& s : c.sources) j["sources"].push_back(json_of(s));
    j["left_out"] = c.left_out;
    j["odd"] = c.odd;
    j["patches"] = ordered_json::array();
    for (const read::PatchReading& p : c.reading.patches) {
        ordered_json patch{{"id", p.id}, {"mean", p.mean}, {"sd", p.sd}, {"clipped", p.clipped}, {"pixels", p.pixels}};
        if (p.error[1] > 0) {
            patch["error"] = p.error;
            patch["noise"] = p.noise;
        }
        if (const auto role = c.roles.find(p.id); role != c.roles.end()) patch["role"] = role->second;
        if (const auto xyz = c.reference.xyz.find(p.id); xyz != c.reference.xyz.end())
            patch["reference_xyz"] = json_of(xyz->second);
        if (const auto spectrum = c.reference.spectrum.find(p.id); spectrum != c.reference.spectrum.end())
            patch["reflectance"] = spectrum->second.value;
        j["patches"].push_back(patch);
    }
    return j.dump(1, ' ', false, ordered_json::error_handler_t::replace) + "\n";
}

void save(const Correction& c, const fs::path& file) { write_whole(file, to_json(c)); }

Correction load(const fs::path& file) { return from_json(read_file(file, 64 << 20), file); }

Correction from_json(const std::string& text, const fs::path& file) {
    try {
        const auto j = ordered_json::parse(text);
        if (!j.is_object() || !j.contains("refero_correction"))
            throw Error(ErrorKind::input, "this is not a correction", file, "Name a file that 'fit' wrote");
        if (j["refero_correction"] != 1)
            throw Error(ErrorKind::input, "this correction was written by a newer version", file,
                        "Update Refero, or fit again");
        Correction c = correction_from(j);
        check(c);
        return c;
    } catch (const ordered_json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this is not a whole correction: ") + problem.what(), file,
                    "Fit it again");
    } catch (const Error& problem) { throw Error(ErrorKind::input, problem.message(), file, problem.remedy()); }
}

} // namespace refero::fit
