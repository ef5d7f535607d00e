#include "operations/correct/curves.hpp"

#include <charconv>
#include <cmath>
#include <regex>

#include "base/statistics.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

fs::path keep_curve(const colour::LogCurve& curve, const std::string& name) {
    curve.check();
    std::string stem;
    for (const char c : name) stem += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '.' ? c : '-';
    if (stem.find_first_not_of('-') == std::string::npos)
        throw Error(ErrorKind::usage, "the curve has no name", {}, "Give it the name of the recording mode");
    const fs::path folder = user_data_dir() / "curves";
    std::error_code ec;
    fs::create_directories(folder, ec);
    fs::path file = folder / (stem + ".clf");
    const std::string text = colour::clf_of(curve, name);
    for (int n = 2; fs::exists(file, ec) && read_file(file, 1 << 20) != text; ++n)
        file = folder / (stem + "-" + std::to_string(n) + ".clf");
    if (!fs::exists(file, ec)) write_whole(file, text, Existing::refuse);
    return file;
}

std::optional<colour::LogCurve> typed_curve(const std::string& file) {
    std::error_code ec;
    if (!file.ends_with(".clf") || !fs::is_regular_file(file, ec)) return std::nullopt;
    const std::string text = read_file(file, 1 << 20);
    if (text.find("cameraLogToLin") == std::string::npos) return std::nullopt;
    colour::LogCurve curve;
    const std::pair<const char*, double*> figures[] = {{"base", &curve.base},
                                                       {"logSideSlope", &curve.log_slope},
                                                       {"logSideOffset", &curve.log_offset},
                                                       {"linSideSlope", &curve.lin_slope},
                                                       {"linSideOffset", &curve.lin_offset},
                                                       {"linSideBreak", &curve.break_at}};
    for (const auto& [name, value] : figures) {
        std::smatch found;
        if (!std::regex_search(text, found, std::regex(std::string("\\b") + name + "=\"([^\"]+)\"")))
            return std::nullopt;
        const std::string figure = found[1];
        if (std::from_chars(figure.data(), figure.data() + figure.size(), *value).ec != std::errc())
            return std::nullopt;
    }
    return curve;
}

CurveCheckRequest curve_check_request(const Chain& chain) {
    CurveCheckRequest r;
    r.file = chain.source.file;
    r.options.chart = chain.shot->definition.id;
    r.options.corners = chain.shot->placement.corners;
    r.options.position_s = chain.source.position_s;
    r.reference = *chain.reference;
    return r;
}

std::vector<CurveCheck> check_curve(const colour::LogCurve& curve, const CurveCheckRequest& r, std::stop_token stop) {
    ShotOptions options = r.options;
    options.encoding.emplace(colour::Transfer::linear); // codes as they are
    const MeasuredShot shot = take_shot(r.file, options, {}, stop);
    std::vector<CurveCheck> greys;
    std::vector<double> off;
    for (const read::PatchReading& p : shot.reading.patches) {
        const auto xyz = r.reference.xyz.find(p.id);
        if (xyz == r.reference.xyz.end() || !p.usable() || !balance::is_neutral(&shot.definition, p.id, xyz->second))
            continue;
        const double light = curve.decode(p.mean[1]);
        if (!(light > 0)) continue;
        greys.push_back({p.id, xyz->second[1], p.mean[1], std::log2(light / xyz->second[1])});
        off.push_back(greys.back().stops);
    }
    if (greys.size() < 3)
        throw Error(ErrorKind::input, "fewer than three greys can be read", r.file,
                    "Shoot a chart with a grey ladder in this mode");
    const double exposure = median(off);
    for (CurveCheck& g : greys) {
        g.stops -= exposure;
        g.luminance *= std::exp2(exposure);
    }
    return greys;
}

} // namespace refero::operations
