#include "deliver/deliver.hpp"

#include <cmath>

#include <Eigen/LU>

#include "deliver/internal.hpp"

namespace refero::deliver {

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

const Format& format_named(const std::string& id) {
    std::string known;
    for (const Format& f : formats()) {
        if (f.id == id) return f;
        known += " " + f.id;
    }
    throw Error(ErrorKind::usage, "unknown format '" + id + "'", {}, "This version writes:" + known);
}

Written write(const fit::Correction& correction, const std::string& id, const std::filesystem::path& file,
              const Options& given) {
    const Format& format = format_named(id);
    Options options = given;
    if (options.name.empty()) options.name = title_of(correction);
    if (options.second && !format.has(Option::second))
        throw Error(ErrorKind::usage, "this format does not hold two lights", {}, "Leave the second correction out");
    const fit::Correction held = format.holds == Format::Holds::any_model ? correction : fit::as_matrix(correction);
    Written w{held.model, held.fit, ""};
    format.write(held, correction, file, options, w);
    const std::string beyond = std::move(w.message); // what the format itself says
    w.message = formatted("holds {}, CIEDE2000 mean {:.2f}, max {:.2f} on its patches", fit::name_of(w.model),
                          w.delta_e_2000.mean, w.delta_e_2000.max);
    if (w.model != correction.model)
        w.message = formatted("this format cannot hold {} (mean {:.2f}), so it ", fit::name_of(correction.model),
                              correction.fit.mean) +
                    w.message;
    w.message += beyond;
    if (!correction.finish.empty())
        w.message += (format.finish ? "; with it: " : "; without the finish: ") + balance::in_words(correction.finish);
    if (correction.reference.nominal) w.message += "; fitted to nominal values of the chart, not to the card in hand";
    if (!format.curves && correction.balance.curved()) w.message += "; without the greys' curves";
    return w;
}

} // namespace refero::deliver
