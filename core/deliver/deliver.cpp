#include "deliver/deliver.hpp"

#include <cmath>

#include <Eigen/LU>
#include <nlohmann/json.hpp>

#include "colour/icc.hpp"
#include "deliver/internal.hpp"

namespace refero::deliver {

Format format_named(const std::string& name) {
    if (name == "cube") return Format::cube;
    if (name == "icc") return Format::icc;
    if (name == "dcp") return Format::dcp;
    if (name == "matrix") return Format::matrix;
    throw Error(ErrorKind::usage, "unknown format '" + name + "'", {}, "This version writes: cube icc dcp matrix");
}

std::string title_of(const fit::Correction& c) {
    std::string title = c.sources.empty()                          ? "Camera"
                        : c.sources.front().metadata.model.empty() ? c.sources.front().metadata.camera()
                                                                   : c.sources.front().metadata.model;
    if (!c.light_name.empty()) title += ", " + c.light_name;
    else if (c.light) title += ", " + std::to_string(static_cast<int>(std::lround(c.light->kelvin / 50) * 50)) + " K";
    return title;
}

colour::Mat3 xyz_from_camera(const fit::Correction& c) {
    return c.coefficients.leftCols<3>() * (c.balance.exposure * c.balance.gains).asDiagonal();
}

DngMatrices dng_matrices(const fit::Correction& c) {
    DngMatrices d;
    d.forward_matrix = c.coefficients.leftCols<3>();
    const colour::Temperature light =
        c.light.value_or(colour::correlated_temperature(colour::chromaticity_of(colour::white_d50)));
    const colour::Vec3 light_xyz = colour::xyz_from(colour::chromaticity_of(light));
    d.color_matrix = c.balance.gains.cwiseInverse().asDiagonal() * d.forward_matrix.inverse() *
                     colour::adaptation(light_xyz, colour::white_d50);
    d.color_matrix /= (d.color_matrix * light_xyz).maxCoeff();
    // EXIF LightSource codes with a defined temperature, compared in reciprocal kelvin.
    constexpr std::pair<int, double> codes[] = {{17, 2856}, {24, 3200}, {23, 5003}, {20, 5503}, {21, 6504}, {22, 7504}};
    double nearest = 1e9;
    for (const auto& [code, kelvin] : codes)
        if (const double mired = std::abs(1e6 / kelvin - 1e6 / light.kelvin); mired < nearest) {
            nearest = mired;
            d.illuminant = code;
        }
    return d;
}

std::string matrix_json(const fit::Correction& c, const Options& options) {
    const auto rows = [](const colour::Mat3& m) {
        auto j = nlohmann::ordered_json::array();
        for (int r = 0; r < 3; ++r) j.push_back({m(r, 0), m(r, 1), m(r, 2)});
        return j;
    };
    const DngMatrices dng = dng_matrices(c);
    nlohmann::ordered_json j;
    j["refero_matrix"] = 1;
    j["title"] = options.name;
    j["model"] = fit::name_of(c.model);
    j["gains"] = {c.balance.gains[0], c.balance.gains[1], c.balance.gains[2]};
    j["exposure"] = c.balance.exposure;
    j["xyz_d50_from_balanced_rgb"] = rows(dng.forward_matrix);
    j["xyz_d50_from_camera_rgb"] = rows(xyz_from_camera(c));
    j["space"] = options.space;
    j["space_from_camera_rgb"] = rows(colour::rgb_space(options.space).to_xyz_d50().inverse() * xyz_from_camera(c));
    j["delta_e_2000"] = {{"mean", c.fit.mean}, {"median", c.fit.median}, {"p95", c.fit.p95}, {"max", c.fit.max}};
    return j.dump(1) + "\n";
}

namespace {

/// The lights of a profile, the warmer one first.
std::vector<LightPart> light_parts(const fit::Correction& correction, const Options& options) {
    std::vector<LightPart> lights;
    const auto add = [&](const fit::Correction& c) {
        lights.push_back({fit::as_matrix(c), std::nullopt});
        if (!fit::is_matrix(c.model)) lights.back().table = hue_table_of(c, lights.back().matrix);
    };
    add(correction);
    if (!options.second) return lights;
    const fit::Correction& other = *options.second;
    fit::require_one_camera(correction, other);
    add(other);
    if (dng_matrices(lights[0].matrix).illuminant == dng_matrices(lights[1].matrix).illuminant)
        throw Error(ErrorKind::usage,
                    formatted("the lights are too alike for a profile of two: %.0f and %.0f K",
                              correction.light->kelvin, other.light->kelvin),
                    {}, "Give lights far apart, such as tungsten and daylight");
    // A table for one and none for the other cannot be: an even one takes its place.
    if (lights[0].table.has_value() != lights[1].table.has_value())
        for (LightPart& l : lights)
            if (!l.table) l.table = hue_table_of(l.matrix, l.matrix);
    if (other.light->kelvin < correction.light->kelvin) std::swap(lights[0], lights[1]);
    return lights;
}

} // namespace

Written write(const fit::Correction& correction, Format format, const std::filesystem::path& file,
              const Options& given) {
    Options options = given;
    if (options.name.empty()) options.name = title_of(correction);
    const fit::Correction held = format == Format::cube ? correction : fit::as_matrix(correction);
    if (options.second && format != Format::dcp)
        throw Error(ErrorKind::usage, "only a dcp holds two lights", {}, "Leave the second correction out");
    Written w{held.model, held.fit, ""};
    if (format == Format::dcp) {
        const std::vector<LightPart> lights = light_parts(correction, options);
        const auto bytes = dcp_bytes(lights, options);
        write_whole(file, std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        if (!fit::is_matrix(correction.model)) {
            w.model = correction.model;
            w.delta_e_2000 = proof_of(held, hue_table_of(correction, held));
        }
    }
    switch (format) {
    case Format::cube: write_whole(file, cube_text(held, options)); break;
    case Format::matrix: write_whole(file, matrix_json(held, options)); break;
    case Format::dcp: break;
    case Format::icc: {
        const auto input = colour::transfer_named(options.input_encoding.empty() ? "linear" : options.input_encoding);
        const auto bytes = colour::icc_profile(colour::IccClass::input, xyz_from_camera(held), input, options.name,
                                               "Made with Refero; free to use");
        write_whole(file, std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        break;
    }
    }
    w.message = formatted("holds %s, CIEDE2000 mean %.2f, max %.2f on its patches", fit::name_of(w.model).c_str(),
                          w.delta_e_2000.mean, w.delta_e_2000.max);
    if (w.model != correction.model)
        w.message = formatted("this format cannot hold %s (mean %.2f), so it ", fit::name_of(correction.model).c_str(),
                              correction.fit.mean) +
                    w.message;
    else if (format == Format::dcp && !correction.is_matrix())
        w.message += ", as a matrix and a table of hue, saturation and value";
    if (options.second) w.message += "; for two lights, between which programs interpolate by temperature";
    if (!correction.finish.empty())
        w.message +=
            (format == Format::cube ? "; with it: " : "; without the finish: ") + balance::in_words(correction.finish);
    if (format != Format::cube && correction.balance.curved()) w.message += "; without the greys' curves";
    return w;
}

} // namespace refero::deliver
