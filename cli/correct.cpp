// Verbs that make and prove corrections: fit, prove.
#include <cmath>

#include "verb.hpp"

namespace refero::cli {

Run add_fit(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::vector<std::string> images;
        std::string readings, reference, model = "auto", intent = "colorimetric", white, light, output;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("IMAGE", a->images, "Chart shots of one setup; several are averaged");
    app.add_option("--readings", a->readings, "A reading (CGATS.17 text) instead of images");
    a->add_chart(app);
    a->add_corners(app);
    a->add_encoding(app);
    app.add_option("--reference", a->reference, "Reference values (CGATS.17 text: XYZ, Lab or spectra); default: the chart's own");
    app.add_option("--model", a->model, "auto, diagonal, matrix or root-polynomial-2")->capture_default_str();
    app.add_option("--intent", a->intent, "colorimetric, skin or chroma")->capture_default_str();
    app.add_option("--white", a->white, "Patch to balance on, or neutrals for all of them together; default: the second-lightest usable neutral");
    app.add_option("--light", a->light, "Name of the light, kept in the correction");
    app.add_option("-o,--output", a->output, "Correction to write (JSON)")->required();
    return [a] {
        if (a->images.empty() == a->readings.empty())
            throw Error(ErrorKind::usage, "give chart shots, or --readings", {}, "One of both");
        fit::Settings settings;
        if (a->model != "auto") settings.model = fit::model_named(a->model);
        settings.intent = fit::intent_named(a->intent);
        settings.white = a->white;
        const auto reference_for = [&](const chart::Definition* d) {
            if (!a->reference.empty()) return chart::load_reference(a->reference);
            if (!d) throw Error(ErrorKind::usage, "there is nothing to compare the readings with", {}, "Give --reference, or --chart");
            return chart::reference_of(*d);
        };
        fit::Correction c;
        if (!a->readings.empty()) {
            std::optional<chart::Definition> d;
            if (!a->chart.empty()) d = chart::find_definition(a->chart);
            read::Reading reading = read::load_cgats(a->readings);
            if (d) reading.chart = d->id;
            c = fit::build(reading, reference_for(d ? &*d : nullptr), d ? &*d : nullptr, settings);
            c.sources.push_back({a->readings, sha256_of(a->readings), {}, {}});
        } else {
            std::vector<job::MeasuredShot> shots;
            for (const std::string& image : a->images) shots.push_back(job::take_shot(image, a->options()));
            c = job::correct(shots, reference_for(&shots.front().definition), settings);
        }
        c.light_name = a->light;
        fit::save(c, a->output);
        Result r;
        r.json = {{"model", fit::name_of(c.model)}, {"fit", json_of(c.fit)}, {"cross_validated", json_of(c.cross_validated)}, {"unseen", json_of(c.unseen)}, {"choice", c.choice}, {"candidates", Json::array()}};
        r.words = "CIEDE2000           fitted: mean   max   left out: mean   max   elsewhere   noise\n";
        for (const fit::Candidate& k : c.candidates) {
            r.json["candidates"].push_back({{"model", fit::name_of(k.model)}, {"fit", json_of(k.fit)}, {"cross_validated", json_of(k.cross_validated)}, {"by_hue", json_of(k.by_hue)}, {"unseen", json_of(k.unseen)}, {"worst", k.worst}, {"neutral", k.neutral},
                                          {"noise_gain", k.noise_gain}, {"bend", k.bend}, {"kept", k.kept}, {"withdrawn", k.withdrawn}});
            r.words += formatted("%-22s %9.2f %5.2f %16.2f %5.2f %11.2f %6.1fx%s%s\n", fit::name_of(k.model).c_str(), k.fit.mean, k.fit.max, k.cross_validated.mean, k.cross_validated.max, k.unseen.mean, k.noise_gain,
                                 k.model == c.model ? "  <- chosen" : "", k.withdrawn.empty() ? k.kept < 1 ? formatted("  stiffened to %.0f %%", 100 * k.kept).c_str() : "" : ("  withdrawn: " + k.withdrawn).c_str());
        }
        r.json["white"] = c.balance.white_patch;
        r.json["left_out"] = c.left_out;
        r.json["odd"] = c.odd;
        r.json["file"] = a->output;
        r.words += "Balanced on " + c.balance.white_patch + ". " + c.choice + "\n";
        for (const std::string& id : c.left_out) {
            const bool odd = std::find(c.odd.begin(), c.odd.end(), id) != c.odd.end();
            r.words += "Not fitted: " + id + (odd ? " (no light and camera explain it: look for dirt, a finger or a reflection)\n" : " (clipped or unreadable)\n");
        }
        return r;
    };
}

Run add_prove(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::string correction, image, readings, reference;
        bool absolute = false;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("FILE", a->correction, "Correction (JSON)")->required();
    app.add_option("IMAGE", a->image, "A frame of the same setup that shows the chart");
    app.add_option("--readings", a->readings, "A reading (CGATS.17 text) instead of an image");
    app.add_option("--reference", a->reference, "Reference values (CGATS.17 text); default: the correction's own");
    a->add_chart(app);
    a->add_corners(app);
    a->add_encoding(app);
    app.add_flag("--absolute", a->absolute, "Do not rescale the reading to the white patch's reference Y");
    return [a] {
        if (a->image.empty() == a->readings.empty()) throw Error(ErrorKind::usage, "give an image, or --readings", {}, "One of both");
        const fit::Correction c = fit::load(a->correction);
        const chart::Reference reference = a->reference.empty() ? c.reference : chart::load_reference(a->reference);
        read::Reading reading;
        if (a->readings.empty()) {
            job::ShotOptions options = a->options();
            if (options.chart.empty()) options.chart = c.reading.chart;
            reading = job::take_shot(a->image, options).reading;
        } else {
            reading = read::load_cgats(a->readings);
        }
        const prove::Proof proof = prove::against(c, reading, reference, a->readings.empty() && !a->absolute);
        Result r;
        r.json = {{"delta_e_2000", json_of(proof.delta_e_2000)}, {"patches", Json::array()}, {"exposure_stops", proof.exposure_stops}};
        for (const prove::PatchProof& p : proof.patches) {
            r.json["patches"].push_back({{"id", p.id}, {"delta_e_2000", p.delta_e_2000}, {"lightness", p.lightness}, {"chroma", p.chroma}, {"hue_deg", p.hue_deg}, {"counted", p.fitted}});
            const bool hued = std::hypot(p.reference_lab[1], p.reference_lab[2]) > 5; // a neutral's hue angle says nothing
            r.words += formatted("%-5s %6.2f   L* %+5.1f  C* %+5.1f  %s%s\n", p.id.c_str(), p.delta_e_2000, p.lightness, p.chroma, hued ? formatted("h %+6.1f", p.hue_deg).c_str() : "", p.fitted ? "" : "  (clipped, not counted)");
        }
        r.json["outside_srgb"] = prove::outside(proof, "srgb");
        r.json["verdict"] = prove::in_words(proof, c);
        r.json["neighbours"] = Json::array();
        for (const prove::Neighbours& n : prove::merged_or_torn(proof)) {
            r.json["neighbours"].push_back({{"patches", {n.a, n.b}}, {"reference", n.reference}, {"corrected", n.corrected}});
            r.words += formatted("%s and %s are CIEDE2000 %.1f apart, in the reference %.1f: %s\n", n.a.c_str(), n.b.c_str(), n.corrected, n.reference, n.merged() ? "merging" : "torn apart");
        }
        const fit::Statistics& s = proof.delta_e_2000;
        r.words += formatted("CIEDE2000 mean %.2f  median %.2f  95 %% %.2f  max %.2f; exposure %+.2f stops\n", s.mean, s.median, s.p95, s.max, proof.exposure_stops);
        r.words += r.json["verdict"].get<std::string>() + "\n";
        return r;
    };
}

} // namespace refero::cli
