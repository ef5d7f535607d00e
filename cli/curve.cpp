// The verb that measures a camera's tone curve: curve.
#include "verb.hpp"

namespace refero::cli {

Run add_curve(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::vector<std::string> images;
        std::string output, reference;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("IMAGE", a->images, "Frames of a chart with a ladder of greys, at one or several exposures")
        ->required();
    a->add_chart(app);
    a->add_at(app);
    app.add_option("--reference", a->reference, "Reference values (CGATS) instead of the chart's own");
    app.add_option("-o,--output", a->output, "1D LUT to write (.cube)")->required();
    a->outputs.add(app);
    return [a] {
        std::vector<std::filesystem::path> inputs{a->reference, a->chart};
        inputs.insert(inputs.end(), a->images.begin(), a->images.end());
        a->outputs.check({a->output}, inputs);
        std::vector<fit::CurveShot> shots;
        std::optional<chart::Definition> definition;
        for (const std::string& image : a->images) {
            chart::Definition seen;
            shots.push_back(operations::code_shot(image, a->options(), seen));
            if (!definition) definition = seen;
            if (seen.id != definition->id)
                throw Error(ErrorKind::usage, "the frames show different charts", image,
                            "Give frames of one chart, or name it with --chart");
        }
        const fit::ToneCurve curve = fit::estimate_curve(
            shots, a->reference.empty() ? chart::reference_of(*definition) : chart::load_reference(a->reference),
            &*definition);
        fit::save(curve, a->output);
        Result r;
        r.json = {{"file", a->output},
                  {"points", curve.points},
                  {"first_code", curve.first_code},
                  {"last_code", curve.last_code},
                  {"error_stops", curve.error_stops},
                  {"residual_stops", curve.residual_stops},
                  {"nearest", curve.nearest},
                  {"nearest_stops", curve.nearest_stops}};
        r.words = formatted("Measured from code {:.3f} to {:.3f} by {} values, uncertain to {:.3f} stops.\nNearest to "
                            "{}: {:.2f} stops off.\n",
                            curve.first_code, curve.last_code, curve.points, curve.error_stops, curve.nearest,
                            curve.nearest_stops);
        if (curve.last_code < 0.8) r.words += "Bright code values were not measured: add a frame of more exposure.\n";
        return r;
    };
}

} // namespace refero::cli
