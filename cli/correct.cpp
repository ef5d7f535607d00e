// Verbs that make and prove corrections: fit, prove.
#include <cmath>

#include "handover/handover.hpp"
#include "operations/capture/footage.hpp"
#include "prove/elsewhere.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace {

struct FitArguments : ShotArguments {
    std::vector<std::string> images;
    std::string readings, reference, model = "auto", intent = "even", white, light, output, weights, target, samples,
                                     samples_reference;
    std::vector<double> spot;
    bool curves = false;
    look::Adjustments finish;
    LookArgument look;
    Outputs outputs;
};

void add_options(CLI::App& app, FitArguments& a) {
    app.add_option("IMAGE", a.images, "Chart shots of one setup; several are averaged");
    app.add_option("--readings", a.readings, "A reading (CGATS.17 text) instead of images");
    a.add_chart(app);
    a.add_at(app);
    a.add_corners(app);
    a.add_encoding(app);
    app.add_option("--reference", a.reference,
                   "Reference values (CGATS.17 text: XYZ, Lab or spectra); default: the chart's own");
    app.add_option("--model", a.model, "auto, diagonal, matrix, root-polynomial-2, root-polynomial-3, spectral or lut")
        ->capture_default_str();
    app.add_option("--intent", a.intent, "What the fit cares for most: even, people, textiles, plants, paint")
        ->capture_default_str();
    app.add_option(
        "--white", a.white,
        "Patch to balance on, or neutrals for all of them together; default: the second-lightest usable neutral");
    app.add_option("--white-spot", a.spot, "Balance on what is at this place of the first image, in pixels: X Y")
        ->expected(2);
    app.add_flag("--curves", a.curves, "Bring red and blue of all greys to green by smooth curves");
    app.add_option("--weights", a.weights, "Weights of patches or roles, 0 to 100: \"skin 3, D1 0.5\"");
    app.add_option("--samples", a.samples,
                   "Readings (CGATS.17 text) of samples of your own that join in; needs --samples-reference");
    app.add_option("--samples-reference", a.samples_reference, "Their reference values (CGATS.17 text)");
    app.add_option(
        "--target", a.target,
        "Exposure of the picture: a school's name as the program lists them, or a white of your own: \"92 %\"");
    app.add_option("--warmer", a.finish.warmer_mired,
                   "Step away from neutral after the correction, in mired; negative: cooler");
    app.add_option("--greener", a.finish.greener, "The same across it, in thousandths of Duv; negative: more magenta");
    app.add_option("--keep-light", a.finish.light_kept,
                   "Share of the light's own colour that the picture keeps, 0 to 1");
    a.look.add(app);
    app.add_option("--light", a.light, "Name of the light, kept in the correction");
    app.add_option("-o,--output", a.output, "Correction to write (JSON)")->required();
    a.outputs.add(app);
}

/// Refuses what does not go together, and outputs that would do harm, before anything is read.
void check(const FitArguments& a) {
    if (a.images.empty() == a.readings.empty())
        throw Error(ErrorKind::usage, "give chart shots, or --readings", {}, "One of both");
    std::vector<std::filesystem::path> inputs{a.readings,          a.reference, a.chart,    a.encoding,
                                              a.samples_reference, a.samples,   a.look.look};
    inputs.insert(inputs.end(), a.images.begin(), a.images.end());
    a.outputs.check({a.output}, inputs);
    look::matrix_of(a.finish, {}); // refuses what is too large
    if (a.samples.empty() != a.samples_reference.empty())
        throw Error(ErrorKind::usage, "samples need readings and reference values", {},
                    "Give --samples and --samples-reference");
    if (!a.spot.empty() && (a.images.empty() || !a.white.empty()))
        throw Error(ErrorKind::usage, "a spot is on an image, and takes the place of --white", {},
                    "Give --white-spot with images, without --white");
}

fit::Settings settings_of(const FitArguments& a) {
    fit::Settings settings;
    if (a.model != "auto") settings.model = fit::model_named(a.model);
    settings.intent = fit::intent_named(a.intent);
    settings.white = a.white;
    settings.curves = a.curves;
    settings.weights = fit::weights_from(a.weights);
    return settings;
}

chart::Reference reference_for(const FitArguments& a, const chart::Definition* d) {
    if (!a.reference.empty()) return chart::load_reference(a.reference);
    if (!d)
        throw Error(ErrorKind::usage, "there is nothing to compare the readings with", {},
                    "Give --reference, or --chart");
    return chart::reference_of(*d);
}

fit::Correction fit_readings(const FitArguments& a, std::optional<chart::Definition>& definition) {
    if (!a.chart.empty()) definition = chart::find_definition(a.chart);
    const chart::Definition* d = definition ? &*definition : nullptr;
    read::Reading reading = read::load_cgats(a.readings);
    if (d) reading.chart = d->id;
    chart::Reference reference = reference_for(a, d);
    if (!a.samples.empty())
        fit::join(reading, reference, read::load_cgats(a.samples), chart::load_reference(a.samples_reference));
    fit::Correction c = fit::build(reading, reference, d, settings_of(a));
    c.sources.push_back({a.readings, sha256_of(a.readings), {}, {}});
    return c;
}

fit::Correction fit_images(const FitArguments& a, std::optional<chart::Definition>& definition) {
    std::vector<operations::MeasuredShot> shots;
    std::vector<std::vector<inspect::Finding>> findings;
    fit::Settings settings = settings_of(a);
    for (const std::string& image : a.images)
        for (operations::JudgedStill& still :
             operations::shots_showing(image, a.options())) { // of a clip several stills are averaged
            findings.push_back(std::move(still.judgement.findings));
            shots.push_back(std::move(still.shot));
            operations::MeasuredShot& shot = shots.back();
            if (!a.spot.empty() && shots.size() == 1)
                settings.white = balance::text_of(balance::spot_at(shot.frame, a.spot[0], a.spot[1]));
            shot.frame.rgb = {}; // measured: of several shots the pixels would add up
        }
    definition = shots.front().definition;
    const std::vector<std::filesystem::path> samples =
        a.samples.empty() ? std::vector<std::filesystem::path>()
                          : std::vector<std::filesystem::path>{a.samples, a.samples_reference};
    return operations::correct(shots, reference_for(a, &*definition), settings, {}, findings, samples);
}

void finish(fit::Correction& c, const FitArguments& a, const std::optional<chart::Definition>& definition) {
    const balance::ExposureTarget target =
        a.target.empty() ? balance::ExposureTarget{} : balance::exposure_target(a.target);
    c.finish = a.finish;
    c = a.look.on(std::move(c));
    c.light_name = a.light;
    if (!a.target.empty()) {
        const auto ask = balance::asked(target, c.balance, c.reading, c.reference, definition ? &*definition : nullptr);
        if (!ask)
            throw Error(ErrorKind::input, "an exposure target needs a light and a dark neutral", {},
                        "Choose the exposure by hand where pictures are finished");
        c.finish.stops = ask->stops;
    }
    if (c.finish.light_kept > 0 && !c.light)
        throw Error(ErrorKind::input, "the light's colour is not known: the file has no colour matrix", {},
                    "Use --warmer instead of --keep-light");
}

Json candidate_of(const fit::Candidate& k) {
    return {{"model", fit::name_of(k.model)},
            {"fit", json_of(k.fit)},
            {"cross_validated", json_of(k.cross_validated)},
            {"by_hue", json_of(k.by_hue)},
            {"unseen", json_of(k.unseen)},
            {"worst", k.worst},
            {"neutral", k.neutral},
            {"noise_gain", k.noise_gain},
            {"bend", k.bend},
            {"kept", k.kept},
            {"withdrawn", k.withdrawn}};
}

std::string words_of(const fit::Candidate& k, bool chosen) {
    std::string behaviour;
    if (!k.withdrawn.empty()) behaviour = "  withdrawn: " + k.withdrawn;
    else if (k.kept < 1) behaviour = formatted("  regularised to {:.0f} %", 100 * k.kept);
    return formatted("{:<22} {:9.2f} {:5.2f} {:16.2f} {:5.2f} {:11.2f} {:6.1f}x{}{}\n", fit::name_of(k.model),
                     k.fit.mean, k.fit.max, k.cross_validated.mean, k.cross_validated.max, k.unseen.mean, k.noise_gain,
                     chosen ? "  <- chosen" : "", behaviour);
}

Result told(const fit::Correction& c, const std::string& file) {
    Result r;
    r.json = {
        {"model", fit::name_of(c.model)}, {"fit", json_of(c.fit)}, {"cross_validated", json_of(c.cross_validated)},
        {"unseen", json_of(c.unseen)},    {"choice", c.choice},    {"candidates", Json::array()}};
    r.words = "CIEDE2000           fitted: mean   max   left out: mean   max   elsewhere   noise\n";
    for (const fit::Candidate& k : c.candidates) {
        r.json["candidates"].push_back(candidate_of(k));
        r.words += words_of(k, k.model == c.model);
    }
    r.json["white"] = c.balance.white_patch;
    r.json["left_out"] = c.left_out;
    r.json["odd"] = c.odd;
    r.json["file"] = file;
    r.json["cautions"] = c.cautions;
    r.json["weights"] = Json::object();
    for (const auto& [id, weight] : fit::weights_in_use(c)) r.json["weights"][id] = weight;
    if (!c.finish.empty()) {
        r.json["finish"] = look::in_words(c.finish);
        r.words += "After the correction: " + look::in_words(c.finish) + "\n";
    }
    for (const std::string& caution : c.cautions) r.words += caution + "\n";
    r.words += "Balanced on " + c.balance.white_patch + ". " + c.choice + "\n";
    for (const std::string& id : c.left_out) {
        const bool odd = std::find(c.odd.begin(), c.odd.end(), id) != c.odd.end();
        r.words += "Not fitted: " + id +
                   (odd ? " (no light and camera explain it: look for dirt, a finger or a reflection)\n" : "\n");
    }
    return r;
}

} // namespace

Run add_fit(CLI::App& app) {
    const auto a = std::make_shared<FitArguments>();
    add_options(app, *a);
    return [a] {
        check(*a);
        if (!a->target.empty()) balance::exposure_target(a->target); // an unknown school is wrong usage
        std::optional<chart::Definition> definition;
        fit::Correction c = a->readings.empty() ? fit_images(*a, definition) : fit_readings(*a, definition);
        finish(c, *a, definition);
        fit::save(c, a->output);
        return told(c, a->output);
    };
}

namespace {

struct ProveArguments : ShotArguments {
    std::string correction, image, readings, reference, trim;
    bool absolute = false;
    prove::Usage usage;
    Outputs outputs;
};

bool is_correction(const std::string& file) {
    const auto j = std::filesystem::path(file).extension() == ".json"
                       ? Json::parse(read_file(file, 64 << 20), nullptr, false)
                       : Json();
    return std::filesystem::path(file).extension() == ".json" && !(j.is_object() && j.contains("refero_matrix"));
}

Json rows_of(const prove::Proof& proof) {
    Json rows = Json::array();
    for (const prove::PatchProof& p : proof.patches)
        rows.push_back({{"id", p.id},
                        {"delta_e_2000", p.delta_e_2000},
                        {"lightness", p.lightness},
                        {"chroma", p.chroma},
                        {"hue_deg", p.hue_deg},
                        {"counted", p.fitted}});
    return rows;
}

/// A LUT, profile, CDL or matrix beside the raw file's own rendering and a trim after it.
Result prove_elsewhere(const ProveArguments& a) {
    read::Reading reading;
    std::optional<chart::Definition> definition;
    std::optional<colour::Mat3> matrix;
    if (a.readings.empty()) {
        const store::MeasuredShot shot = operations::take_shot(a.image, a.options());
        reading = shot.reading;
        definition = shot.definition;
        matrix = shot.frame.camera_from_xyz;
    } else {
        reading = read::load_cgats(a.readings);
        if (!a.chart.empty()) definition = chart::find_definition(a.chart);
    }
    const chart::Definition* d = definition ? &*definition : nullptr;
    if (a.reference.empty() && !d)
        throw Error(ErrorKind::usage, "there is nothing to compare the readings with", {},
                    "Give --reference, or --chart");
    const chart::Reference reference =
        a.reference.empty() ? chart::reference_of(*d) : chart::load_reference(a.reference);
    const balance::Balance balance = balance::balanced_on(reading, reference, d, {});
    const prove::Elsewhere e = prove::open_elsewhere(a.correction, a.usage, balance);
    const std::string white = a.readings.empty() && !a.absolute ? balance.white_patch : std::string();
    const prove::Proof proof = prove::against(e.rendering, reading, reference, white);
    Result r;
    r.json = {{"kind", e.kind},
              {"delta_e_2000", json_of(proof.delta_e_2000)},
              {"patches", rows_of(proof)},
              {"exposure_stops", proof.exposure_stops}};
    const auto line = [&](const char* name, const fit::Statistics& s) {
        r.words += formatted("{:<34} CIEDE2000 mean {:.2f}  median {:.2f}  95 % {:.2f}  max {:.2f}\n", name, s.mean,
                             s.median, s.p95, s.max);
    };
    line((e.kind + " as it is").c_str(), proof.delta_e_2000);
    if (matrix) {
        const fit::Statistics s =
            prove::against(prove::standard_rendering(*matrix, balance), reading, reference, white).delta_e_2000;
        r.json["standard"] = json_of(s);
        line("standard rendering", s);
    }
    const fit::Correction trim = prove::trim_of(e.rendering, reading, reference, d);
    r.json["trimmed"] = {{"delta_e_2000", json_of(trim.fit)},
                         {"cross_validated", json_of(trim.cross_validated)},
                         {"left_out", trim.left_out}};
    line("trimmed, on its patches", trim.fit);
    line("trimmed, patches held out", trim.cross_validated);
    if (!a.trim.empty()) {
        handover::Options options;
        options.input_encoding = a.usage.input_encoding;
        options.space = a.usage.space;
        options.name = std::filesystem::path(a.correction).stem().string() + ", trimmed";
        handover::write_cube(prove::trimmed(e.own, trim),
                             "Trimmed to a chart shot: " + std::filesystem::path(a.correction).filename().string(),
                             a.trim, options);
        r.json["file"] = a.trim;
        r.words += a.trim + "\n";
    }
    return r;
}

} // namespace

Run add_prove(CLI::App& app) {
    const auto a = std::make_shared<ProveArguments>();
    app.add_option("FILE", a->correction, "Correction (JSON); or one made elsewhere: a LUT, ICC profile, CDL or matrix")
        ->required();
    app.add_option("IMAGE", a->image, "A frame of the same setup that shows the chart");
    app.add_option("--readings", a->readings, "A reading (CGATS.17 text) instead of an image");
    app.add_option("--reference", a->reference, "Reference values (CGATS.17 text); default: the correction's own");
    a->add_chart(app);
    a->add_at(app);
    a->add_corners(app);
    a->add_encoding(app);
    app.add_flag("--absolute", a->absolute, "Do not rescale the reading to the white patch's reference Y");
    app.add_option("--input-encoding", a->usage.input_encoding,
                   "Made elsewhere: encoding of the code values that go in")
        ->capture_default_str();
    app.add_option("--space", a->usage.space, "Made elsewhere: colour space of what comes out")->capture_default_str();
    app.add_flag("--balanced", a->usage.balanced, "Made elsewhere: it expects balanced camera RGB");
    app.add_option("--trim", a->trim, "Made elsewhere: write it and a small fitted correction after it as one cube");
    a->outputs.add(app);
    return [a] {
        if (a->image.empty() == a->readings.empty())
            throw Error(ErrorKind::usage, "give an image, or --readings", {}, "One of both");
        a->outputs.check({a->trim}, {a->correction, a->image, a->readings, a->reference, a->chart, a->encoding});
        if (!is_correction(a->correction)) return prove_elsewhere(*a);
        const fit::Correction c = fit::load(a->correction);
        chart::Reference reference = a->reference.empty() ? c.reference : chart::load_reference(a->reference);
        read::Reading reading;
        std::optional<chart::Definition> definition;
        if (a->readings.empty()) {
            operations::ShotOptions options = a->options();
            if (options.chart.empty()) options.chart = c.reading.chart;
            const store::MeasuredShot shot = operations::take_shot(a->image, options);
            reading = shot.reading;
            definition = shot.definition;
        } else {
            reading = read::load_cgats(a->readings);
            if (!a->chart.empty()) definition = chart::find_definition(a->chart);
        }
        // A correction from a card knows no patches: those of the chart that is seen.
        if (reference.xyz.empty() && definition) reference = chart::reference_of(*definition);
        std::string white = a->readings.empty() && !a->absolute ? c.balance.white_patch : std::string();
        if (const read::PatchReading* p = reading.find(white); !white.empty() && (!p || !p->pixels))
            white = balance::choose_white(reading, reference, definition ? &*definition : nullptr);
        const prove::Proof proof =
            prove::against([&](const colour::Vec3& rgb) { return c(rgb); }, reading, reference, white);
        Result r;
        r.json = {{"delta_e_2000", json_of(proof.delta_e_2000)},
                  {"patches", rows_of(proof)},
                  {"exposure_stops", proof.exposure_stops}};
        for (const prove::PatchProof& p : proof.patches) {
            const bool hued =
                std::hypot(p.reference_lab[1], p.reference_lab[2]) > 5; // a neutral's hue angle says nothing
            r.words += formatted("{:<5} {:6.2f}   L* {:+5.1f}  C* {:+5.1f}  {}{}\n", p.id, p.delta_e_2000, p.lightness,
                                 p.chroma, hued ? formatted("h {:+6.1f}", p.hue_deg).c_str() : "",
                                 p.fitted ? "" : "  (clipped, not counted)");
        }
        r.json["outside_srgb"] = prove::outside(proof, "srgb");
        r.json["verdict"] = prove::in_words(proof, c);
        if (const auto index = prove::metamerism_index(c)) {
            r.json["metamerism_index"] = *index;
            r.words += formatted("Sensitivity metamerism index of camera and light about {:.0f} of 100\n", *index);
        }
        r.json["neighbours"] = Json::array();
        for (const prove::Neighbours& n : prove::merged_or_torn(proof)) {
            r.json["neighbours"].push_back(
                {{"patches", {n.a, n.b}}, {"reference", n.reference}, {"corrected", n.corrected}});
            r.words += formatted("{} and {} are CIEDE2000 {:.1f} apart, in the reference {:.1f}: {}\n", n.a, n.b,
                                 n.corrected, n.reference, n.merged() ? "merging" : "torn apart");
        }
        const fit::Statistics& s = proof.delta_e_2000;
        r.words += formatted("CIEDE2000 mean {:.2f}  median {:.2f}  95 % {:.2f}  max {:.2f}; exposure {:+.2f} stops\n",
                             s.mean, s.median, s.p95, s.max, proof.exposure_stops);
        r.words += r.json["verdict"].get<std::string>() + "\n";
        return r;
    };
}

} // namespace refero::cli
