// refero-cli verify: a delivered picture against its master, by the chart that both show and by named places.
#include "operations/match/matching.hpp"
#include "operations/match/spots.hpp"
#include "store/document.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace {

struct VerifyArguments {
    std::string master, delivered, chart, job;
    std::vector<std::string> spots, delivered_spots;
};

struct Spot {
    std::string name;
    chart::Point at;
};

/// NAME:"x,y".
Spot spot_from(const std::string& text) {
    const std::size_t colon = text.rfind(':');
    double x = 0, y = 0;
    char rest = 0;
    if (colon == std::string::npos || colon == 0 ||
        std::sscanf(text.c_str() + colon + 1, "%lf,%lf%c", &x, &y, &rest) != 2)
        throw Error(ErrorKind::usage, "'" + text + "' names no place", {}, "Write --spot NAME:\"x,y\" in pixels");
    return {text.substr(0, colon), {x, y}};
}

/// A finished picture, and the chart in it where there is one.
struct Shown {
    frame::Frame picture;
    std::optional<operations::MeasuredShot> shot;
    Shown(const std::string& file, const std::string& chart, bool needs_chart) {
        operations::refuse_raw(file);
        picture = frame::read(file, {frame::Size::measuring});
        try {
            shot = operations::measure_in(picture, {.chart = chart});
        } catch (const Error& e) {
            if (needs_chart || e.kind() != ErrorKind::not_found) throw;
        }
        if (!shot) return;
        shot->frame.metadata = picture.metadata;
        shot->frame.xyz_from_rgb = picture.xyz_from_rgb;
        shot->frame.encoding = picture.encoding;
        shot->frame.linear = picture.linear;
        shot->frame.file = picture.file;
    }
    chart::Reference colours() const {
        const operations::Side side = operations::side_of(*shot);
        return match::picture_of(side.reading, operations::own_colours_of(side)(balance::Balance{}));
    }
};

Json colour_of(const Spot& spot, const Shown& master, const Shown& delivered, const std::vector<Spot>& by_hand,
               const std::optional<colour::Vec3>& aim) {
    Json j{{"name", spot.name}, {"delta_e_2000", nullptr}, {"from_master", nullptr}};
    const auto given = std::find_if(by_hand.begin(), by_hand.end(), [&](const Spot& s) { return s.name == spot.name; });
    operations::PlaceFound found;
    if (given != by_hand.end()) found = {given->at, "by hand"};
    else {
        std::optional<std::pair<chart::Corners, chart::Corners>> charts;
        if (master.shot && delivered.shot && master.shot->definition.id == delivered.shot->definition.id)
            charts.emplace(master.shot->placement.corners, delivered.shot->placement.corners);
        found = operations::place_in(master.picture, delivered.picture, spot.at, charts);
    }
    if (!found.at) {
        j["reason"] = found.reason;
        return j;
    }
    j["at"] = {found.at->x(), found.at->y()};
    try {
        const colour::Vec3 there = operations::colour_at(delivered.picture, *found.at);
        const auto apart = [&](const colour::Vec3& from) {
            return colour::delta_e_2000(colour::lab_from_xyz(there), colour::lab_from_xyz(from));
        };
        if (aim) j["delta_e_2000"] = apart(*aim);
        j["from_master"] = apart(operations::colour_at(master.picture, spot.at));
    } catch (const Error& e) { j["reason"] = e.message(); }
    return j;
}

Result verify(const VerifyArguments& a) {
    std::vector<Spot> spots, by_hand;
    for (const std::string& s : a.spots) spots.push_back(spot_from(s));
    for (const std::string& s : a.delivered_spots) by_hand.push_back(spot_from(s));
    if (spots.empty() && !(a.job.empty() && by_hand.empty()))
        throw Error(ErrorKind::usage, "a job and places belong to --spot", {}, "Give --spot NAME:\"x,y\"");
    std::map<std::string, colour::Vec3> aims;
    if (!a.job.empty()) {
        const store::JobFile job(a.job, store::JobFile::Open::viewing);
        for (const shoot::NamedColourRecord& c : job.content().colours)
            aims[c.name] = colour::Vec3(c.x, c.y, c.z) / 100;
        for (const Spot& s : spots)
            if (!aims.contains(s.name))
                throw Error(ErrorKind::usage, "the job has no colour '" + s.name + "'", a.job,
                            "Add it with job FILE colour add");
    }
    const Shown master(a.master, a.chart, spots.empty());
    const Shown delivered(a.delivered, a.chart.empty() && master.shot ? master.shot->definition.id : a.chart,
                          spots.empty());
    Result r;
    if (master.shot && delivered.shot) {
        const match::Delivered d = match::verify(master.colours(), delivered.colours());
        r.json = {{"delta_e_2000", json_of(d.delta_e_2000)}, {"patches", Json::array()}, {"words", d.words}};
        for (const auto& p : d.patches)
            r.json["patches"].push_back({{"id", p.id},
                                         {"delta_e_2000", p.delta_e_2000},
                                         {"lightness", p.lightness},
                                         {"chroma", p.chroma},
                                         {"hue_deg", p.hue_deg}});
        r.words = d.words + "\n";
    }
    if (spots.empty()) return r;
    r.json["colours"] = Json::array();
    for (const Spot& s : spots) {
        const auto aim = aims.find(s.name);
        const Json j =
            colour_of(s, master, delivered, by_hand, aim != aims.end() ? std::optional(aim->second) : std::nullopt);
        r.json["colours"].push_back(j);
        r.words += s.name + ": ";
        if (j.contains("reason")) r.words += j["reason"].get<std::string>() + "\n";
        else {
            if (!j["delta_e_2000"].is_null())
                r.words += formatted("CIEDE2000 {:.1f} from its aim, ", j["delta_e_2000"].get<double>());
            r.words += formatted("{:.1f} from the master\n", j["from_master"].get<double>());
        }
    }
    return r;
}

} // namespace

Run add_verify(CLI::App& app) {
    const auto a = std::make_shared<VerifyArguments>();
    app.add_option("MASTER", a->master, "The picture as it was made; with the chart in it, or with --spot")->required();
    app.add_option("DELIVERED", a->delivered, "The same after export, hosting or compression, or a scan of a print")
        ->required();
    app.add_option("--chart", a->chart, "Chart: id of an installed definition, or a definition file");
    app.add_option("--spot", a->spots, "NAME:\"x,y\", a place of the master; may be repeated. No chart is needed then");
    app.add_option("--delivered-spot", a->delivered_spots,
                   "NAME:\"x,y\", the same place in the delivered picture, by hand");
    app.add_option("--job", a->job, "Job whose named colours the places are held against");
    return [a] { return verify(*a); };
}

} // namespace refero::cli
