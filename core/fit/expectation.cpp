// What a correction expects of a recording: what it was made on. What stands between two. What a user adds to a fit:
// weights, samples.
#include <algorithm>
#include <cmath>
#include <set>
#include <sstream>

#include "fit/fit.hpp"

namespace refero::fit {

std::vector<std::string> differences(const Correction& correction, const frame::Metadata& m) {
    std::vector<std::string> all;
    if (correction.sources.empty()) return all;
    const frame::Metadata& own = correction.sources.front().metadata;
    const auto both = [](const std::string& a, const std::string& b) { return !a.empty() && !b.empty(); };
    if (both(own.model, m.model) && own.camera() != m.camera())
        all.push_back("another camera: " + m.camera() + " instead of " + own.camera());
    else if (both(own.serial_number, m.serial_number) && own.serial_number != m.serial_number)
        all.push_back("another body of the same camera: " + m.serial_number + " instead of " + own.serial_number);
    if (both(own.lens, m.lens) && own.lens != m.lens)
        all.push_back("another lens: " + m.lens + " instead of " + own.lens);
    if (own.iso > 0 && m.iso > 0 && std::abs(std::log2(m.iso / own.iso)) >= 1)
        all.push_back(formatted("ISO {:.0f} instead of {:.0f}{}", m.iso, own.iso,
                                m.iso > own.iso ? ": more noise, and colour drifts with it" : ""));
    // Times of a whole run are rounded: a third of a stop is the step of a dial.
    const auto light = [](const frame::Metadata& x) {
        return x.exposure_s > 0 && x.f_number > 0 && x.iso > 0
                   ? std::log2(x.exposure_s / (x.f_number * x.f_number) * x.iso)
                   : NAN;
    };
    if (const double stops = light(m) - light(own); std::isfinite(stops) && std::abs(stops) > 0.29)
        all.push_back(formatted("exposed {:.1f} stops {}: {:+.1f} stops make it as bright as the chart shot",
                                std::abs(stops), stops > 0 ? "more" : "less", -stops));
    if (m.exposure_s > 0 && m.flash != own.flash)
        all.push_back(m.flash ? "a flash fired, which the chart shot had not"
                              : "no flash fired, which the chart shot had");
    // Raw frames are before all that.
    if (frame::kind_of(correction.sources.front().file) != frame::FileKind::raw) {
        const auto named = [](const std::string& style) {
            return style.empty() ? std::string("a normal picture style") : style;
        };
        if (m.style != own.style) all.push_back("recorded with " + named(m.style) + " instead of " + named(own.style));
        if (m.auto_balance) all.push_back("balanced by the camera itself, which may differ from frame to frame");
    }
    return all;
}

void require_one_camera(const Correction& a, const Correction& b) {
    const auto camera = [](const Correction& c) {
        return c.sources.empty() ? std::string() : c.sources.front().metadata.camera();
    };
    if (camera(a) != camera(b))
        throw Error(ErrorKind::usage, "the corrections are of different cameras: " + camera(a) + " and " + camera(b),
                    {}, "Give two lights of one camera");
    if (!a.light || !b.light)
        throw Error(ErrorKind::usage, "the colour of one of the lights is not known", {},
                    "Fit both from raw frames, whose files hold a colour matrix");
}

namespace {

/// Balances in their logarithm, coefficients linear; where the models differ, the best matrices of both.
Correction mixed(const Correction& a, const Correction& b, double share) {
    Correction c = share < 0.5 ? a : b;
    const bool alike = a.model == b.model && a.coefficients.rows() == b.coefficients.rows() &&
                       a.coefficients.cols() == b.coefficients.cols();
    const Correction first = alike ? a : as_matrix(a), second = alike ? b : as_matrix(b);
    c.model = first.model == second.model ? first.model : Model::matrix;
    c.coefficients = (1 - share) * first.coefficients + share * second.coefficients;
    c.balance.gains = ((1 - share) * a.balance.gains.array().log() + share * b.balance.gains.array().log()).exp();
    c.balance.exposure = std::pow(a.balance.exposure, 1 - share) * std::pow(b.balance.exposure, share);
    c.candidates.clear();
    return c;
}

} // namespace

Correction between(const Correction& a, const Correction& b, const colour::Temperature& light,
                   const std::optional<Vec3>& gains) {
    require_one_camera(a, b);
    if (a.balance.curved() || b.balance.curved())
        throw Error(ErrorKind::usage, "curves for tinted greys cannot stand between two lights", {},
                    "Fit both without curves for the greys");
    const auto mired = [](const colour::Temperature& t) { return 1e6 / t.kelvin; };
    const double apart = mired(*b.light) - mired(*a.light);
    if (std::abs(apart) < 20)
        throw Error(ErrorKind::usage,
                    formatted("the lights are too alike to stand between: {:.0f} and {:.0f} K", a.light->kelvin,
                              b.light->kelvin),
                    {}, "Give lights far apart, such as tungsten and daylight");
    const double share = std::clamp((mired(light) - mired(*a.light)) / apart, 0.0, 1.0);
    Correction c = mixed(a, b, share);
    if (gains) c.balance.gains = *gains;
    c.light = light;
    c.light_name = formatted("{:.0f} K", light.kelvin);
    c.choice = formatted("{:.0f} % of the correction for {:.0f} K and {:.0f} % of that for {:.0f} K", 100 * (1 - share),
                         a.light->kelvin, 100 * share, b.light->kelvin);
    return c;
}

Correction between(const Correction& a, const Correction& b, double fraction) {
    if (fraction <= 0) return a;
    if (fraction >= 1) return b;
    Correction c = mixed(a, b, fraction);
    for (std::size_t k = 0; k < 3; ++k) {
        const balance::Curve &one = a.balance.curves[k], &other = b.balance.curves[k];
        std::set<double> places(one.in.begin(), one.in.end());
        places.insert(other.in.begin(), other.in.end());
        balance::Curve& curve = c.balance.curves[k];
        curve = {};
        for (const double v : places) {
            curve.in.push_back(v);
            curve.out.push_back((1 - fraction) * one(v) + fraction * other(v));
        }
    }
    if (a.light && b.light)
        c.light = colour::Temperature{1e6 / ((1 - fraction) * 1e6 / a.light->kelvin + fraction * 1e6 / b.light->kelvin),
                                      (1 - fraction) * a.light->duv + fraction * b.light->duv};
    c.choice = formatted("{:.0f} % of one chart shot's correction and {:.0f} % of the next one's, by time",
                         100 * (1 - fraction), 100 * fraction);
    return c;
}

Correction between(const Correction& a, const Correction& b, const frame::Frame& frame) {
    if (!frame.as_shot || !frame.camera_from_xyz)
        throw Error(ErrorKind::input, "the file does not tell its light", frame.file,
                    "Leave the second light out, or give the light's temperature");
    balance::Balance own;
    own.gains = *frame.as_shot;
    return between(a, b, balance::light_of(own, *frame.camera_from_xyz), frame.as_shot);
}

Mat3 own_colours(const balance::Balance& balance, const Mat3& camera_from_xyz) {
    const Mat3 to_xyz = camera_from_xyz.inverse();
    Vec3 white = to_xyz * balance.gains.cwiseInverse();
    const double green = white.y();
    white /= green;
    return colour::adaptation(white, colour::white_d50) * to_xyz * balance.gains.cwiseInverse().asDiagonal() / green;
}

Correction balance_alone(const balance::Balance& balance, const std::optional<colour::Temperature>& light,
                         const std::optional<Mat3>& to_xyz) {
    Correction c;
    c.model = Model::diagonal;
    c.balance = balance;
    c.light = light;
    c.coefficients = to_xyz ? *to_xyz : colour::rgb_space("linear-bt709").to_xyz_d50();
    return c;
}

std::string text_of(const Weights& weights) {
    std::string text;
    for (const auto& [name, weight] : weights) text += (text.empty() ? "" : ", ") + name + formatted(" {:g}", weight);
    return text;
}

Weights weights_from(const std::string& text) {
    Weights all;
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, ',');) {
        std::istringstream words(part);
        std::string name, rest;
        double weight = -1;
        if (!(words >> name)) continue;
        if (!(words >> weight) || words >> rest || !(weight >= 0 && weight <= 100))
            throw Error(ErrorKind::usage, "'" + part + "' is no weight", {},
                        "Give a patch or a role and a number from 0 to 100, such as: skin 3, D1 0.5");
        all[name] = weight;
    }
    return all;
}

void join(read::Reading& reading, chart::Reference& reference, const read::Reading& samples,
          const chart::Reference& theirs) {
    for (const read::PatchReading& p : samples.patches) {
        const auto xyz = theirs.xyz.find(p.id);
        if (xyz == theirs.xyz.end()) continue;
        if (reading.find(p.id))
            throw Error(ErrorKind::input, "the sample " + p.id + " has the name of a patch of the chart", theirs.file,
                        "Name the samples otherwise, in readings and reference alike");
        reading.patches.push_back(p);
        reference.xyz[p.id] = xyz->second;
        if (const auto spectrum = theirs.spectrum.find(p.id); spectrum != theirs.spectrum.end())
            reference.spectrum[p.id] = spectrum->second;
    }
}

} // namespace refero::fit
