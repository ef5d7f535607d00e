// refero-cli balance: a correction of balance alone, from a card, a diffuser frame or a chart's greys.
#include <cmath>

#include "balance/balance.hpp"
#include "frame/sequence.hpp"
#include "operations/match/matching.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace {

struct BalanceArguments : ShotArguments {
    std::string image, spot, output;
    double radius = 0, grey = 0.18;
    bool middle = false;
    Outputs outputs;
};

struct Taken {
    balance::Balance balance;
    balance::Card card;
    read::Reading reading;
};

Taken on_chart(const BalanceArguments& a, const frame::Frame& f) {
    const operations::MeasuredShot shot = operations::measure_in(f, a.options());
    const chart::Reference reference = chart::reference_of(shot.definition);
    Taken t{balance::balanced_on(shot.reading, reference, &shot.definition, balance::all_neutrals), {}, shot.reading};
    double low = INFINITY, high = 0;
    int greys = 0, clipped = 0;
    for (const read::PatchReading& p : shot.reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !balance::is_neutral(&shot.definition, p.id, xyz->second)) continue;
        ++greys;
        clipped += p.clipped > read::most_clipped;
        if (!p.usable() || xyz->second[1] < 0.1) continue; // the darkest tell more of stray light
        low = std::min(low, p.mean[1] / xyz->second[1]);
        high = std::max(high, p.mean[1] / xyz->second[1]);
        t.card.noise = std::max(t.card.noise, p.sd[1] / p.mean[1]);
    }
    t.card.clipped = greys ? static_cast<double>(clipped) / greys : 0;
    t.card.uneven = high > 0 ? (high - low) / high : 0;
    return t;
}

Taken on_card(const BalanceArguments& a, const frame::Frame& f) {
    balance::Card card;
    if (a.middle) card = balance::card_in_middle(f);
    else {
        double x = NAN, y = NAN;
        char rest = 0;
        if (std::sscanf(a.spot.c_str(), "%lf,%lf%c", &x, &y, &rest) != 2)
            throw Error(ErrorKind::usage, "a spot is a place in pixels", {}, "Write it as \"x,y\"");
        card = balance::card_at(f, x, y, a.radius);
        balance::check_single_surface(card, f.file);
    }
    return {balance::on_card(card, a.grey), card, {}};
}

Result run(const BalanceArguments& a) {
    const int ways = !a.spot.empty() + a.middle + !a.chart.empty();
    if (ways != 1) throw Error(ErrorKind::usage, "balance on one thing", {}, "Give --spot, --middle or --chart");
    a.outputs.check({a.output}, {a.image, a.chart, a.encoding});
    if (!a.chart.empty()) chart::find_definition(a.chart); // an unknown one is wrong usage, whatever the frame
    ShotArguments shot = a;
    if (a.chart.empty()) shot.at = std::max(0.0, shot.at); // a card alone: no chart to look for through a clip
    const frame::Frame f = shot.frame(a.image);
    const Taken t = a.chart.empty() ? on_card(a, f) : on_chart(a, f);
    std::optional<colour::Temperature> light;
    if (f.camera_from_xyz) light = balance::light_of(t.balance, *f.camera_from_xyz);
    fit::Correction c = fit::balance_alone(t.balance, light, operations::own_colours(f, t.balance));
    c.reading = t.reading;
    c.choice = "balance alone, as asked for";
    c.made = utc_now();
    c.program_version = program_version();
    c.sources.push_back({std::filesystem::absolute(a.image), frame::content_hash(a.image), f.metadata, {}});
    if (f.is_raw && !f.camera_from_xyz)
        c.cautions.push_back("The file has no colour matrix: its colours are taken for those of BT.709");
    fit::save(c, a.output);
    Result r;
    r.json = {{"gains", {t.balance.gains[0], t.balance.gains[1], t.balance.gains[2]}},
              {"kelvin", light ? Json(light->kelvin) : Json()},
              {"duv", light ? Json(light->duv) : Json()},
              {"exposure_stops", std::log2(t.balance.exposure)},
              {"clipped", t.card.clipped},
              {"noise", t.card.noise},
              {"uneven", t.card.uneven}};
    r.words = formatted("gains {:.4f} {:.4f} {:.4f}, exposure {:+.2f} stops{}\n", t.balance.gains[0],
                        t.balance.gains[1], t.balance.gains[2], std::log2(t.balance.exposure),
                        light ? formatted(", light {:.0f} K, Duv {:+.4f}", light->kelvin, light->duv) : "");
    for (const std::string& caution : c.cautions) r.words += caution + "\n";
    return r;
}

} // namespace

Run add_balance(CLI::App& app) {
    const auto a = std::make_shared<BalanceArguments>();
    app.add_option("IMAGE", a->image, "Frame of a card, a diffuser or a chart: raw, a picture or a clip")->required();
    app.add_option("--spot", a->spot, "\"x,y\": a place on the card, pixels of the full-size picture");
    app.add_option("--radius", a->radius,
                   "Half the side of the square about the spot, pixels; default: 1 % of the long side")
        ->check(CLI::PositiveNumber);
    app.add_flag("--middle", a->middle, "The middle half of the frame, for a diffuser before the lens");
    a->add_chart(app);
    a->add_at(app);
    a->add_encoding(app);
    app.add_option("--grey", a->grey, "Luminance of the card, 0 to 1: where the exposure puts it")
        ->capture_default_str()
        ->check(CLI::Range(0.01, 1.0));
    app.add_option("-o,--output", a->output, "Correction to write (JSON)")->required();
    a->outputs.add(app);
    return [a] { return run(*a); };
}

} // namespace refero::cli
