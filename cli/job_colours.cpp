// refero-cli job FILE colour add, colours: the colours that a job is about.
#include <cmath>

#include "colour/rgb.hpp"
#include "job.hpp"
#include "operations/capture/neighbour.hpp"
#include "operations/correct/colours.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

colour::Vec3 three(const std::string& text, const char* option) {
    colour::Vec3 v;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%lf,%lf,%lf%c", &v[0], &v[1], &v[2], &rest) != 3 || !v.allFinite())
        throw Error(ErrorKind::usage, std::string(option) + " takes three numbers", {}, "Write 41.2,35.8,18.0");
    return v;
}

colour::Vec3 white_of(const ColourArguments& a) {
    const colour::Spectrum light =
        a.illuminant == "a" ? colour::illuminant_a() : colour::illuminant_d(a.illuminant == "d65" ? 65 : 50);
    return colour::xyz_of(colour::Spectrum::constant(1), light,
                          a.observer == 10 ? colour::observer_1964() : colour::observer_1931());
}

/// From a place in a frame of the job: as its setup corrects it, or through the chart beside it.
operations::ColourAim from_frame(const store::JobFile& job, const ColourArguments& a) {
    if (a.spot.empty())
        throw Error(ErrorKind::usage, "a colour of a frame needs a place", {}, "Give it with --spot \"x,y\"");
    double x = 0, y = 0;
    char rest = 0;
    if (std::sscanf(a.spot.c_str(), "%lf,%lf%c", &x, &y, &rest) != 2)
        throw Error(ErrorKind::usage, "a spot is a place in pixels", {}, "Write --spot \"x,y\"");
    const frame::Frame frame = frame::read(a.frame, {frame::Size::measuring});
    const operations::Clicked c = operations::clicked(frame, x, y, a.radius_px);
    operations::ColourAim aim;
    if (!a.beside.empty()) {
        const fit::Correction correction = operations::fitted_through(frame, a.beside);
        const fit::Foretelling foretold(correction);
        if (foretold.known()) {
            const auto m = foretold.measured(c.rgb, c.error);
            aim = {.xyz = m.xyz, .uncertainty = m.radius};
        } else aim = {.xyz = correction(c.rgb), .uncertainty = 3 * correction.cross_validated.mean};
        aim.source = "through " + a.beside + " in " + fs::path(a.frame).filename().string();
        return aim;
    }
    const std::string path = fs::absolute(a.frame).lexically_normal().string();
    for (const operations::Chain& chain : chosen(job.content(), {})) {
        const bool its =
            chain.chart_frame.path == path || std::any_of(chain.frames.begin(), chain.frames.end(), [&](shoot::Id id) {
                const shoot::FrameRecord* f = shoot::record(job.content().frames, id);
                return f && f->path == path;
            });
        if (!its || !chain.correction) continue;
        const fit::Foretelling foretold(*chain.correction);
        aim.xyz = chain.correction->shown(c.rgb);
        aim.uncertainty =
            foretold.known() ? foretold.measured(c.rgb, c.error).radius : 3 * chain.correction->cross_validated.mean;
        aim.source = fs::path(a.frame).filename().string() + " as " + chain.title + " corrects it";
        return aim;
    }
    throw Error(ErrorKind::usage, "this frame has no correction in the job", a.frame,
                "Take it in and fit its setup, or measure it through a chart in the same frame with --beside");
}

operations::ColourAim aim_from(const store::JobFile& job, const ColourArguments& a) {
    const int given = !a.xyz.empty() + !a.lab.empty() + !a.code.empty() + !a.values.empty() + !a.frame.empty();
    if (given != 1)
        throw Error(ErrorKind::usage, given ? "a colour has one source" : "the colour is missing", {},
                    "Give one of --xyz, --lab, --code, --values, --frame");
    if (!a.xyz.empty()) return operations::aim_of(three(a.xyz, "--xyz") / 100, a.illuminant, a.observer);
    if (!a.lab.empty()) {
        // CIELAB of another illuminant is of its own white.
        operations::aim_of({0.2, 0.2, 0.2}, a.illuminant, a.observer); // an unknown name is wrong usage
        const colour::Vec3 as_d50 = colour::xyz_from_lab(three(a.lab, "--lab"));
        if (a.illuminant == "d50" && a.observer == 2) return operations::aim_of(as_d50, a.illuminant, a.observer);
        return operations::aim_of(as_d50.cwiseQuotient(colour::white_d50).cwiseProduct(white_of(a)), a.illuminant,
                                  a.observer);
    }
    if (!a.code.empty()) {
        const std::size_t colon = a.code.find(':');
        if (colon == std::string::npos)
            throw Error(ErrorKind::usage, "a code names its space", {}, "Write --code srgb:0.8,0.1,0.1");
        const colour::RgbSpace& space = colour::rgb_space(a.code.substr(0, colon));
        const colour::Vec3 code = three(a.code.substr(colon + 1), "--code");
        if (code.minCoeff() < 0 || code.maxCoeff() > 1)
            throw Error(ErrorKind::usage, "codes are from 0 to 1", {}, "Divide 8-bit codes by 255");
        const colour::Vec3 light = code.unaryExpr([&](double v) { return colour::decode(space.transfer, v); });
        operations::ColourAim aim{.xyz = space.to_xyz_d50() * light};
        aim.source = a.code;
        return aim;
    }
    if (!a.values.empty()) {
        const chart::Reference values = chart::load_reference(a.values);
        if (values.xyz.size() > 1 && a.value_id.empty())
            throw Error(ErrorKind::usage, "the file holds several colours", a.values, "Name one with --id");
        const auto at = a.value_id.empty() ? values.xyz.begin() : values.xyz.find(a.value_id);
        if (at == values.xyz.end())
            throw Error(ErrorKind::input, "the file has no sample '" + a.value_id + "'", a.values,
                        "Name one that it has");
        operations::ColourAim aim{.xyz = at->second};
        if (const auto s = values.spectrum.find(at->first); s != values.spectrum.end()) aim.spectrum = s->second;
        aim.source = fs::path(a.values).filename().string() + " " + at->first;
        return aim;
    }
    return from_frame(job, a);
}

} // namespace

void ColourArguments::add(CLI::App& app) {
    app.add_option("--xyz", xyz, "colour: X,Y,Z, Y = 100 for the perfect diffuser");
    app.add_option("--lab", lab, "colour: CIELAB, L,a,b");
    app.add_option("--code", code, "colour: a display code, SPACE:R,G,B, each 0 to 1");
    app.add_option("--values", values, "colour: from a CGATS file, spectra included");
    app.add_option("--id", value_id, "colour: which sample of the file");
    app.add_option("--frame", frame, "colour: from a frame, as the setup in force corrects it");
    app.add_option("--spot", spot, "colour: \"x,y\", the place in the frame");
    app.add_option("--beside", beside, "colour: through this chart in the same frame instead");
    app.add_option("--radius", radius_px,
                   "colour: half the side of the square about the spot, pixels; default: 1 % of the long side")
        ->check(CLI::PositiveNumber);
    app.add_option("--illuminant", illuminant, "colour: d50, d65 or a, of the values")->capture_default_str();
    app.add_option("--observer", observer, "colour: 2 or 10 degrees, of the values")->capture_default_str();
}

Result add_colour(store::JobFile& job, const JobArguments& a) {
    if (a.files.size() != 2 || a.files[0] != "add")
        throw Error(ErrorKind::usage, "colour adds a named colour", {}, "Write: colour add NAME --lab 30,20,-10");
    const operations::ColourAim aim = aim_from(job, a.colour);
    job.change(operations::add_colour(job.content(), a.files[1], aim));
    Result r;
    r.json = {
        {"name", a.files[1]},
        {"aim", {{"xyz", {100 * aim.xyz[0], 100 * aim.xyz[1], 100 * aim.xyz[2]}}, {"uncertainty", aim.uncertainty}}},
        {"source", aim.source}};
    const colour::Vec3 lab = colour::lab_from_xyz(aim.xyz);
    r.words =
        formatted("{}: L* {:.1f}, a* {:.1f}, b* {:.1f}{}\n", a.files[1], lab[0], lab[1], lab[2],
                  aim.uncertainty > 0 ? formatted(", true within CIEDE2000 {:.1f}", aim.uncertainty) : std::string());
    return r;
}

Result list_colours(store::JobFile& job, const JobArguments& a) {
    const shoot::Shoot& shoot = job.content();
    Result r;
    r.json["colours"] = Json::array();
    for (const shoot::NamedColourRecord& c : shoot.colours)
        r.json["colours"].push_back({{"name", c.name},
                                     {"aim", {{"xyz", {c.x, c.y, c.z}}, {"uncertainty", c.uncertainty}}},
                                     {"source", c.source},
                                     {"setups", Json::array()},
                                     {"frames", Json::array()}});
    for (const operations::Chain& chain : chosen(shoot, a.setup, a.stretch)) {
        if (!chain.correction) continue;
        const std::string space = a.how.space.empty() ? handover::usual_space(*chain.correction) : a.how.space;
        const auto expected = operations::expected_of(shoot, chain, space);
        for (std::size_t i = 0; i < expected.size(); ++i) {
            const operations::ColourExpected& e = expected[i];
            const std::string best = e.best.empty() ? fit::name_of(chain.correction->intent) : e.best;
            const auto number = [](const std::optional<double>& v) { return v ? Json(*v) : Json(); };
            r.json["colours"][i]["setups"].push_back(
                {{"setup", chain.title},
                 {"stretch", chain.stretch_id().empty() ? Json() : Json(chain.stretch_id())},
                 {"expected", {{"delta_e_2000", number(e.delta_e_2000)}, {"radius", number(e.radius)}}},
                 {"best",
                  {{"rendering", e.delta_e_2000 ? Json(best) : Json()},
                   {"delta_e_2000", e.delta_e_2000 ? Json(e.best_delta_e_2000) : Json()}}},
                 {"reachable", e.reachable},
                 {"confused_with", e.confused_with.empty() ? Json() : Json(e.confused_with)},
                 {"beyond_space", e.beyond_space}});
            r.words += formatted("{:<20} {:<30} ", shoot.colours[i].name, chain.title);
            r.words += !e.delta_e_2000 ? std::string("cannot be foretold from finished pictures")
                       : !e.reachable
                           ? "cannot be told from " + e.confused_with + " by this camera and light: change the lamp"
                           : formatted("CIEDE2000 {:.1f} expected, {} leaves {:.1f}", *e.delta_e_2000, best,
                                       e.best_delta_e_2000);
            if (e.beyond_space > 0) r.words += formatted("; {:.1f} beyond {}", e.beyond_space, space);
            r.words += "\n";
        }
    }
    if (shoot.colours.empty()) r.words = "The job has no named colours yet: colour add NAME\n";
    return r;
}

} // namespace refero::cli
