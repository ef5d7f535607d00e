// Verbs that look at frames: find, read; and charts.
#include "verb.hpp"

namespace refero::cli {

Run add_find(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::string image;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("IMAGE", a->image, "Frame: raw, TIFF, PNG, JPEG, EXR, or a clip")->required();
    a->add_chart(app);
    a->add_at(app);
    a->add_encoding(app);
    return [a] {
        const auto definitions = a->chart.empty() ? chart::installed() : std::vector{chart::find_definition(a->chart)};
        if (!a->chart.empty()) chart::reference_of(definitions.front());
        const frame::Frame f = a->frame(a->image);
        Result r;
        r.json = {{"width", f.full_width}, {"height", f.full_height}, {"charts", Json::array()}};
        for (const find::Placement& p : find::locate(f, definitions)) {
            r.json["charts"].push_back({{"chart", p.chart},
                                        {"corners", json_of(p.corners)},
                                        {"confidence", p.confidence},
                                        {"tilt_deg", p.tilt_deg},
                                        {"frame_fraction", p.frame_fraction},
                                        {"mirrored", p.mirrored}});
            r.words += formatted("{}  confidence {:.2f}  tilt {:.1f} deg  {:.1f} % of the frame{}\n  corners", p.chart,
                                 p.confidence, p.tilt_deg, 100 * p.frame_fraction, p.mirrored ? "  mirrored" : "");
            for (const chart::Point& c : p.corners) r.words += formatted(" {:.1f},{:.1f}", c.x(), c.y());
            r.words += "\n";
        }
        if (r.json["charts"].empty()) {
            r.status = not_found;
            r.words = a->image + ": no chart was found. " + find::hidden_in(f).remedy + "\n";
        }
        return r;
    };
}

namespace {

Json patches_of(const read::Reading& reading) {
    Json list = Json::array();
    for (const read::PatchReading& p : reading.patches)
        list.push_back({{"id", p.id},
                        {"mean", p.mean},
                        {"sd", p.sd},
                        {"error", p.error},
                        {"clipped", p.clipped},
                        {"pixels", p.pixels}});
    return list;
}

/// Every chart in the frame: a folding case shows two.
Result read_all(const std::string& image, const ShotArguments& a) {
    const auto definitions = a.chart.empty() ? chart::installed() : std::vector{chart::find_definition(a.chart)};
    const frame::Frame f = a.frame(image);
    Result r;
    r.json["charts"] = Json::array();
    for (const find::Placement& p : find::locate(f, definitions)) {
        const chart::Definition d = chart::find_definition(a.chart.empty() ? p.chart : a.chart);
        const read::Reading reading = read::measure(f, p, d);
        r.json["charts"].push_back({{"chart", reading.chart}, {"patches", patches_of(reading)}});
        r.words += formatted("{}: {} patches\n", reading.chart, reading.patches.size());
    }
    if (r.json["charts"].empty()) throw find::NoChart(f);
    return r;
}

} // namespace

Run add_read(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::string image, cgats;
        bool all = false;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("IMAGE", a->image, "Frame: raw, TIFF, PNG, JPEG, EXR, or a clip")->required();
    a->add_chart(app);
    a->add_at(app);
    a->add_corners(app);
    a->add_encoding(app);
    app.add_option("--cgats", a->cgats, "Also write the reading as CGATS.17 text");
    app.add_flag("--all", a->all, "Every chart in the frame");
    a->outputs.add(app);
    return [a] {
        if (a->all && (!a->cgats.empty() || !a->corners.empty()))
            throw Error(ErrorKind::usage, "--all reads every chart that is found", {},
                        "Leave --corners and --cgats out, or name one chart");
        if (a->all) return read_all(a->image, *a);
        a->outputs.check({a->cgats}, {a->image, a->chart, a->encoding});
        const store::MeasuredShot shot = operations::take_shot(a->image, a->options());
        if (!a->cgats.empty()) read::save_cgats(shot.reading, a->cgats);
        Result r;
        r.json = {{"chart", shot.reading.chart}, {"patches", patches_of(shot.reading)}};
        r.words = formatted("{}, scene-linear camera RGB, 1 = saturation\npatch      R        G        B    clipped  "
                            "pixels  G: signal to noise\n",
                            shot.reading.chart);
        for (const read::PatchReading& p : shot.reading.patches) {
            r.words += formatted("{:<5}  {:.5f}  {:.5f}  {:.5f}  {:5.1f} %  {:6}  {:.1f} dB\n", p.id, p.mean[0],
                                 p.mean[1], p.mean[2], 100 * p.clipped, p.pixels, read::snr_db(p, 1));
        }
        if (const auto noise = read::noise_model(shot.reading)) {
            for (const read::ChannelNoise& n : *noise)
                r.json["noise"].push_back(
                    {{"electrons",
                      std::isfinite(n.electrons_at_saturation()) ? Json(n.electrons_at_saturation()) : Json()},
                     {"read", n.read}});
            r.words += formatted("noise: green holds about {:.0f} electrons at saturation, read noise {:.4f} % of it\n",
                                 (*noise)[1].electrons_at_saturation(), 100 * (*noise)[1].read);
        }
        return r;
    };
}

Run add_charts(CLI::App&) {
    return [] {
        Result r;
        r.json["charts"] = Json::array();
        for (const chart::Definition& d : chart::installed()) {
            if (!d.variant_of.empty()) continue; // another way of laying a chart: found by its id, listed nowhere
            r.json["charts"].push_back(
                {{"id", d.id}, {"title", d.title}, {"file", d.file.string()}, {"patches", d.patches.size()}});
            r.words += formatted("{:<16} {:3} patches  {}  ({})\n", d.id, d.patches.size(), d.title, d.file);
        }
        return r;
    };
}

} // namespace refero::cli
