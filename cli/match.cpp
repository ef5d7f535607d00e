// refero-cli match, series, compare: cameras, exposures and modes beside each other.
#include "operations/match/matching.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace fs = std::filesystem;
using operations::Side;

namespace {

bool is_table(const std::string& file) {
    const std::string extension = to_lower(fs::path(file).extension().string());
    return extension == ".cgats" || extension == ".txt";
}

Side side_of(const std::string& file, const std::string& chart, const std::string& encoding, double clip_code = 1,
             double at = -1) {
    if (is_table(file)) return operations::side_of_table(file, chart);
    operations::ShotOptions o{.chart = chart, .position_s = at, .clip_code = clip_code};
    if (!encoding.empty()) o.encoding = frame::Encoding::named(encoding);
    return operations::side_of(operations::take_shot(file, o));
}

const chart::Definition* definition_of(const Side& s) { return s.definition ? &*s.definition : nullptr; }

} // namespace

Run add_match(CLI::App& app) {
    struct Arguments {
        std::string lead, lead_correction, lead_encoding, lead_space, other, other_encoding, chart, reference,
            model = "auto", way = "auto", output;
        bool tone = false;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("--lead", a->lead, "The lead's frame of the chart, or its readings (CGATS)")->required();
    app.add_option("--lead-correction", a->lead_correction, "The lead's correction (JSON)");
    app.add_option("--lead-encoding", a->lead_encoding, "Encoding of the lead's picture, a name or a LUT file");
    app.add_option("--lead-space", a->lead_space,
                   "Colour space of the lead's finished picture; default: by its profile");
    app.add_option("--other", a->other, "The other camera's frame of the chart, or its readings (CGATS)")->required();
    app.add_option("--other-encoding", a->other_encoding, "Encoding of the other's picture");
    app.add_option("--chart", a->chart, "Chart: id of an installed definition, or a definition file");
    app.add_option("--reference", a->reference, "Reference values (CGATS.17 text) instead of the chart's own");
    app.add_option("--model", a->model, "auto, or a model as for fit")->capture_default_str();
    app.add_option("--way", a->way, "auto, direct, or through the reference")->capture_default_str();
    app.add_flag(
        "--tone", a->tone,
        "The lead is a finished picture, as of the camera itself: its tone curve is told apart from its colour, "
        "and becomes the curve of the correction's look");
    app.add_option("-o,--output", a->output, "Correction of the other camera to write (JSON)")->required();
    a->outputs.add(app);
    return [a] {
        a->outputs.check({a->output}, {a->lead, a->lead_correction, a->lead_encoding, a->other, a->other_encoding,
                                       a->reference, a->chart});
        match::Settings settings;
        if (a->model != "auto") settings.model = fit::model_named(a->model);
        settings.way = match::way_named(a->way);
        settings.tone = a->tone;
        if (a->tone && (!a->lead_correction.empty() || is_table(a->lead) || settings.way == match::Way::reference))
            throw Error(ErrorKind::usage, "--tone is for a lead that is a finished picture, and for the direct way", {},
                        "Leave out --tone, or the lead's correction");
        std::optional<fit::Correction> lead_correction;
        if (!a->lead_correction.empty()) lead_correction = fit::load(a->lead_correction);
        std::string chart = a->chart;
        if (chart.empty() && lead_correction && !lead_correction->reading.chart.empty())
            chart = lead_correction->reading.chart;
        std::string encoding = a->lead_encoding;
        const bool picture = !lead_correction;
        if (!a->lead_space.empty()) colour::rgb_space(a->lead_space); // an unknown one is wrong usage
        const bool file_is_picture = !is_table(a->lead) && frame::kind_of(a->lead) != frame::FileKind::raw;
        if (picture && encoding.empty() && !a->lead_space.empty() && file_is_picture)
            encoding = std::string(colour::name_of(colour::rgb_space(a->lead_space).transfer));
        const Side lead = side_of(a->lead, chart, encoding), other = side_of(a->other, chart, a->other_encoding);
        const chart::Reference target =
            operations::shown_by(lead, lead_correction ? &*lead_correction : nullptr, a->lead_space);
        std::optional<chart::Reference> reference;
        if (!a->reference.empty()) reference = chart::load_reference(a->reference);
        else if (const chart::Definition* d = definition_of(other) ? definition_of(other) : definition_of(lead))
            reference = chart::reference_of(*d);
        if (lead_correction) settings.lead = std::make_shared<const fit::Correction>(*lead_correction);
        const match::Match m = operations::matched(lead, other, target, reference, settings);
        fit::save(m.correction, a->output);
        Result r;
        r.json = {{"model", fit::name_of(m.correction.model)},
                  {"way", match::name_of(m.way)},
                  {"before", json_of(m.before)},
                  {"fit", json_of(m.fit)},
                  {"cross_validated", json_of(m.cross_validated)},
                  {"unseen", json_of(m.correction.unseen)},
                  {"candidates", Json::array()}};
        r.words = formatted("{}, {}: CIEDE2000 between both cameras {:.2f} before, {:.2f} on patches held out, some "
                            "{:.1f} on other colours\n",
                            fit::name_of(m.correction.model), match::name_of(m.way), m.before.mean,
                            m.cross_validated.mean, m.correction.unseen.mean);
        if (const auto& tone = m.tone) {
            r.json["tone"] = {{"curve", tone->curve},
                              {"greys_before", tone->greys_before},
                              {"greys_after", tone->greys_after},
                              {"delta_e_2000", json_of(tone->toned)}};
            r.words += formatted("Tone: the greys {:.1f} points of codes apart, {:.1f} with the picture's curve; "
                                 "CIEDE2000 {:.2f} by tone alone, {:.2f} with the colour\n",
                                 tone->greys_before, tone->greys_after, tone->toned.mean, m.fit.mean);
        }
        for (const match::Candidate& c : m.candidates)
            r.json["candidates"].push_back({{"way", match::name_of(c.way)},
                                            {"model", fit::name_of(c.model)},
                                            {"fit", json_of(c.fit)},
                                            {"cross_validated", json_of(c.cross_validated)}});
        r.json["recipe"] = Json::parse(match::to_json(m.recipe));
        r.json["file"] = a->output;
        r.words += "By hand:\n" + match::in_words(m.recipe);
        return r;
    };
}

namespace {

/// Images with one encoding for all or one for each.
struct Several {
    std::vector<std::string> images, encodings;
    std::string chart;
    double clip_code = 1, at = -1;
    void add(CLI::App& app, const char* help) {
        app.add_option("IMAGE", images, help)->required();
        app.add_option("--chart", chart, "Chart: id of an installed definition, or a definition file")->required();
        app.add_option("--encoding", encodings, "Encoding, once for all or once for each image");
        app.add_option("--clip-code", clip_code, "Code value, 0 to 1, from which on all is clipped")
            ->check(CLI::Range(0.05, 1.0));
        app.add_option("--at", at, "Of clips: the still at so many seconds; default: where the chart is seen")
            ->check(CLI::NonNegativeNumber);
    }
    std::vector<Side> sides() const {
        if (encodings.size() > 1 && encodings.size() != images.size())
            throw Error(ErrorKind::usage, "there are neither one nor as many encodings as images", {},
                        "Give --encoding once, or once for each image");
        std::vector<Side> all;
        for (std::size_t i = 0; i < images.size(); ++i)
            all.push_back(side_of(images[i], chart,
                                  encodings.empty()       ? std::string()
                                  : encodings.size() == 1 ? encodings[0]
                                                          : encodings[i],
                                  clip_code, at));
        return all;
    }
};

} // namespace

Run add_series(CLI::App& app) {
    struct Arguments : Several {
        std::string key, limits;
    };
    const auto a = std::make_shared<Arguments>();
    a->add(app, "Frames of one chart in one camera and mode, at several exposures");
    app.add_option("--key", a->key, "The key exposure, one of the images; default: the middle one");
    app.add_option("--limits", a->limits,
                   "Limits (JSON) instead of the shipped ones: \"series noise\", \"series drift\"");
    return [a] {
        chart::find_definition(a->chart);
        std::size_t key = (a->images.size() - 1) / 2;
        if (!a->key.empty()) {
            const auto at = std::find_if(a->images.begin(), a->images.end(),
                                         [&](const std::string& f) { return same_file(f, a->key); });
            if (at == a->images.end())
                throw Error(ErrorKind::usage, "the key frame is none of the images", a->key, "Name one of them");
            key = static_cast<std::size_t>(at - a->images.begin());
        }
        const auto sides = a->sides();
        const chart::Reference reference = chart::reference_of(chart::find_definition(a->chart));
        inspect::Limits limits = inspect::limits_for({});
        if (!a->limits.empty()) inspect::change_limits(limits, read_file(a->limits, 1 << 20), a->limits);
        const auto [all, usable, code] = operations::exposure_series(sides, key, reference, limits, a->clip_code < 1);
        Result r;
        r.json["key"] = a->images[key];
        r.json["frames"] = Json::array();
        for (std::size_t i = 0; i < all.size(); ++i) {
            const match::Exposure& e = all[i];
            Json drift = Json::array();
            for (const auto& d : e.drift)
                drift.push_back({{"patch", d.patch}, {"delta_a", d.delta_a}, {"delta_b", d.delta_b}});
            r.json["frames"].push_back({{"file", a->images[i]},
                                        {"stops", e.stops},
                                        {"snr_db", e.snr_db},
                                        {"drift", drift},
                                        {"grey_drift", {e.grey_delta_a, e.grey_delta_b}},
                                        {"direction", e.direction},
                                        {"skin_noise", e.skin_noise},
                                        {"clipped", e.clipped},
                                        {"why", e.why},
                                        {"usable", e.usable}});
            r.words += formatted("{}: {:+.2f} stops, {:.0f} dB{}{}\n", a->images[i], e.stops, e.snr_db,
                                 e.direction.empty() ? std::string() : ", greys drift " + e.direction,
                                 e.usable ? std::string(", usable") : ", not usable: " + e.why);
        }
        r.json["usable_stops"] = usable ? Json{usable->first, usable->second} : Json();
        r.json["clip_code"] = code ? Json(*code) : Json();
        if (code)
            r.words +=
                formatted("This mode's recording ends at the code value {:.3f}: say --clip-code {:.3f}, or enter "
                          "it with the mode, so that what is blown is told as clipped\n",
                          *code, *code);
        r.words += usable ? formatted("Usable from {:+.1f} to {:+.1f} stops\n", usable->first, usable->second)
                          : std::string("The key exposure itself is not usable\n");
        return r;
    };
}

Run add_compare(CLI::App& app) {
    struct Arguments : Several {
        std::string look;
        prove::Usage usage{"", "", false};
    };
    const auto a = std::make_shared<Arguments>();
    a->add(app, "Frames of one chart in several modes or cameras");
    app.add_option("--look", a->look, "A look or LUT made elsewhere, tried on each: LUT, CDL, ICC profile, matrix");
    app.add_option("--look-encoding", a->usage.input_encoding,
                   "Of the codes that it expects; default: the mode's own, of raw files srgb");
    app.add_option("--look-space", a->usage.space, "Of what it gives; default: bt709 after bt709, else srgb");
    app.add_flag("--look-balanced", a->usage.balanced, "It expects balanced codes; of raw files it always gets them");
    return [a] {
        const chart::Reference reference = chart::reference_of(chart::find_definition(a->chart));
        Result r;
        r.json["modes"] = Json::array();
        r.words = formatted("{:<28} {:>7} {:>8} {:>6} {:>6} {:>7} {:>7} {:>6}\n", "", "light", "Duv", "dE", "skin dE",
                            "hue", "chroma", "dB");
        const auto sides = a->sides();
        for (std::size_t i = 0; i < sides.size(); ++i) {
            const match::ModeLook look = operations::mode_seen(sides[i], reference).look;
            r.json["modes"].push_back(
                {{"file", a->images[i]},
                 {"kelvin", look.light->kelvin},
                 {"duv", look.light->duv},
                 {"skin",
                  {{"delta_e", look.skin_delta_e}, {"hue_deg", look.skin_hue_deg}, {"chroma", look.skin_chroma}}},
                 {"chroma_ratio", look.chroma_ratio},
                 {"snr_db", look.snr_db},
                 {"delta_e_2000", json_of(look.delta_e_2000)}});
            r.words +=
                formatted("{:<28} {:5.0f} K {:+8.4f} {:6.2f} {:7.2f} {:6.1f} {:8.2f} {:6.0f}\n",
                          fs::path(a->images[i]).filename().string(), look.light->kelvin, look.light->duv,
                          look.delta_e_2000.mean, look.skin_delta_e, look.skin_hue_deg, look.chroma_ratio, look.snr_db);
            if (a->look.empty()) continue;
            const operations::LookTried tried = operations::look_tried(sides[i], reference, a->look, a->usage);
            Json changed = Json::array();
            for (const prove::Neighbours& n : tried.changed)
                changed.push_back({{"a", n.a}, {"b", n.b}, {"merged", n.merged()}});
            r.json["modes"].back()["look"] = {{"delta_e_2000", json_of(tried.proof.delta_e_2000)},
                                              {"exposure_stops", tried.proof.exposure_stops},
                                              {"input_encoding", tried.usage.input_encoding},
                                              {"balanced", tried.usage.balanced},
                                              {"merged_or_torn", changed},
                                              {"hues_turned", tried.turned}};
            r.words += formatted("    through the look: dE {:.2f}, exposed by {:+.2f} stops; {} neighbours merged or "
                                 "torn, {} ramps turn back\n",
                                 tried.proof.delta_e_2000.mean, tried.proof.exposure_stops, tried.changed.size(),
                                 tried.turned);
        }
        return r;
    };
}

} // namespace refero::cli
