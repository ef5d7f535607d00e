#include "handover/handover.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/LU>

#include "handover/internal/formats.hpp"

namespace refero::handover {

std::string title_of(const fit::Correction& c) {
    std::string title = c.sources.empty()                          ? "Camera"
                        : c.sources.front().metadata.model.empty() ? c.sources.front().metadata.camera()
                                                                   : c.sources.front().metadata.model;
    if (!c.sources.empty() && !c.sources.front().metadata.lens.empty()) title += ", " + c.sources.front().metadata.lens;
    if (!c.light_name.empty()) title += ", " + c.light_name;
    else if (c.light) title += ", " + std::to_string(static_cast<int>(std::lround(c.light->kelvin / 50) * 50)) + " K";
    if (!c.sources.empty() && !c.sources.front().metadata.taken.empty())
        title += ", " + c.sources.front().metadata.taken.substr(0, 10);
    return title;
}

std::string sentence_of(const fit::Correction& c, const Format& format, const Options& o) {
    const std::string recorded = usual_encoding(c);
    const char* what = c.encoding.empty()                                             ? "raw files"
                       : recorded == "srgb" || recorded == "linear"                   ? "pictures"
                       : recorded == "bt709" || recorded == "hlg" || recorded == "pq" ? "clips"
                                                                                      : "log clips";
    std::string text = std::string("For ") + what;
    if (!c.sources.empty()) {
        const frame::Metadata& m = c.sources.front().metadata;
        if (const std::string camera = m.model.empty() ? m.camera() : m.model; !camera.empty()) text += " of " + camera;
    }
    if (!c.light_name.empty()) text += " under " + c.light_name;
    else if (c.light) text += formatted(" under light of {:.0f} K", std::round(c.light->kelvin / 50) * 50);
    text += format.look && !c.look.empty() ? ", with its look" : ", before any look";
    if (format.has(Option::input_encoding)) text += "; expects " + input_of(o, c).name();
    return text + "; holds until the light is changed.";
}

std::string usual_encoding(const fit::Correction& c) { return c.encoding.empty() ? "srgb" : c.encoding; }

std::string usual_space(const fit::Correction& c) {
    // Pictures are linear or sRGB; every other curve is a recording mode's of moving pictures.
    const bool video = !c.encoding.empty() && c.encoding != "srgb" && c.encoding != "linear";
    return video ? "bt709" : "srgb";
}

frame::Encoding input_of(const Options& o, const fit::Correction& c) {
    return frame::Encoding::named(o.input_encoding.empty() ? usual_encoding(c) : o.input_encoding);
}

const colour::RgbSpace& space_of(const Options& o, const fit::Correction& c) {
    return colour::rgb_space(o.space.empty() ? usual_space(c) : o.space);
}

std::function<colour::Vec3(const colour::Vec3&)> shown_by(const fit::Correction& c) {
    return [&c, finish = look::matrix_of(c.finish, c.light)](const colour::Vec3& rgb) {
        return look::looked_xyz(c.look, finish * c(rgb));
    };
}

std::function<colour::Vec3(const colour::Vec3&)> path_of(const fit::Correction& c, const Options& o) {
    const colour::RgbSpace& space = space_of(o, c);
    return [input = input_of(o, c), shown = shown_by(c), from_xyz = colour::Mat3(space.to_xyz_d50().inverse()),
            transfer = space.transfer](const colour::Vec3& code) {
        const colour::Vec3 rgb(input.decode(0, code[0]), input.decode(1, code[1]), input.decode(2, code[2]));
        const colour::Vec3 out = from_xyz * shown(rgb);
        return colour::Vec3(colour::encode(transfer, out[0]), colour::encode(transfer, out[1]),
                            colour::encode(transfer, out[2]));
    };
}

double code_of(const frame::Encoding& input, int channel, double light) {
    double low = 0, high = 1;
    for (int i = 0; i < 40; ++i) {
        const double middle = (low + high) / 2;
        (input.decode(channel, middle) < light ? low : high) = middle;
    }
    return (low + high) / 2;
}

OCIO_NAMESPACE::MatrixTransformRcPtr ocio_matrix(const colour::Mat3& m) {
    double values[16] = {};
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) values[4 * r + c] = m(r, c);
    values[15] = 1;
    auto t = OCIO_NAMESPACE::MatrixTransform::Create();
    t->setMatrix(values);
    return t;
}

std::string in_xml(const std::string& text) {
    std::string out;
    for (const char ch : text)
        out += ch == '&'   ? "&amp;"
               : ch == '<' ? "&lt;"
               : ch == '>' ? "&gt;"
               : ch == '"' ? "&quot;"
                           : std::string(1, ch);
    return out;
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
    if (options.sentence.empty() && format.holds != Format::Holds::nothing)
        options.sentence = sentence_of(correction, format, options);
    for (std::string* words : {&options.name, &options.sentence}) // each is one line of a file
        std::replace_if(
            words->begin(), words->end(), [](unsigned char c) { return c < 0x20; }, ' ');
    if (options.second && !format.has(Option::second))
        throw Error(ErrorKind::usage, "this format does not hold two lights", {}, "Leave the second correction out");
    const fit::Correction held = format.holds == Format::Holds::matrix ? fit::as_matrix(correction) : correction;
    Written w{held.model, {}, held.fit, {}};
    w.sentence = options.sentence;
    format.write(held, correction, file, options, w);
    const std::string beyond = std::move(w.message); // what the format itself says
    if (format.holds == Format::Holds::nothing) {
        w.message = beyond;
        return w;
    }
    w.message = formatted("holds {}, CIEDE2000 mean {:.2f}, max {:.2f} on its patches", w.model_name(),
                          w.delta_e_2000.mean, w.delta_e_2000.max);
    if (w.model_name() != fit::name_of(correction.model))
        w.message = formatted("this format cannot hold {} (mean {:.2f}), so it ", fit::name_of(correction.model),
                              correction.fit.mean) +
                    w.message;
    w.message += beyond;
    if (!correction.finish.empty())
        w.message += (format.finish ? "; with it: " : "; without the finish: ") + look::in_words(correction.finish);
    if (!correction.look.empty())
        w.message += (format.look ? "; with the look " : "; without the look ") + look::in_words(correction.look);
    if (correction.reference.nominal) w.message += "; fitted to nominal values of the chart, not to the card in hand";
    if (!format.curves && correction.balance.curved()) w.message += "; without the greys' curves";
    return w;
}

} // namespace refero::handover
