// refero-cli teach: a chart definition from a picture of a card that is not known yet, and its values through the known
// chart beside it.
#include "find/teach.hpp"
#include "chart/measured.hpp"
#include "operations/capture/neighbour.hpp"
#include "shoot/settings.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace fs = std::filesystem;

namespace {

struct TeachArguments : ShotArguments {
    std::vector<std::string> images, panels;
    std::string id, title, output, beside, values_only, compare;
    double width_mm = 0;
    Outputs outputs;
};

/// Rows after those of the panels before: "A1" of the second panel of a card of four rows is "E1".
std::string id_after(const std::string& id, int rows_before) {
    std::size_t letters = 0;
    while (letters < id.size() && std::isalpha(static_cast<unsigned char>(id[letters]))) ++letters;
    if (letters == 0 || letters == id.size() || id.starts_with("bar")) return id;
    int row = 0;
    for (std::size_t i = 0; i < letters; ++i) row = 26 * row + (id[i] - 'A' + 1);
    return chart::grid(1, row + rows_before, 1, 1, 0, 0)
               .patches.back()
               .id.substr(0, chart::grid(1, row + rows_before, 1, 1, 0, 0).patches.back().id.size() - 1) +
           id.substr(letters);
}

/// A panel beside those before it, where the picture shows it: by the first panel's plane.
void add_panel(find::Taught& whole, find::Taught panel, int rows_before, int bars_before) {
    const chart::Homography mm_from_px =
        chart::homography({chart::Point(0, 0), chart::Point(whole.definition.width_mm, 0),
                           chart::Point(whole.definition.width_mm, whole.definition.height_mm),
                           chart::Point(0, whole.definition.height_mm)},
                          whole.corners)
            .inverse();
    const chart::Point corner = mm_from_px(panel.corners[0]), across = mm_from_px(panel.corners[1]);
    // One scale for both: the panels' widths as the picture shows them.
    const double scale = (across - corner).norm() / panel.definition.width_mm;
    for (chart::Patch p : panel.definition.patches) {
        const std::string before = p.id;
        p.id = p.id.starts_with("bar") ? "bar" + std::to_string(std::stoi(p.id.substr(3)) + bars_before)
                                       : id_after(p.id, rows_before);
        p.x_mm = corner.x() + scale * p.x_mm;
        p.y_mm = corner.y() + scale * p.y_mm;
        p.w_mm *= scale;
        p.h_mm *= scale;
        whole.definition.patches.push_back(p);
        whole.reference.xyz[p.id] = panel.reference.xyz.at(before);
    }
}

/// All patches from the top-left corner of all on.
void frame_again(chart::Definition& d) {
    double x = 1e9, y = 1e9, right = 0, bottom = 0;
    for (const chart::Patch& p : d.patches) {
        x = std::min(x, p.x_mm);
        y = std::min(y, p.y_mm);
    }
    const auto hundredths = [](double mm) { return std::round(100 * mm) / 100; };
    for (chart::Patch& p : d.patches) {
        p.x_mm = hundredths(p.x_mm - x);
        p.y_mm = hundredths(p.y_mm - y);
        p.w_mm = hundredths(p.w_mm);
        p.h_mm = hundredths(p.h_mm);
        right = std::max(right, p.x_mm + p.w_mm);
        bottom = std::max(bottom, p.y_mm + p.h_mm);
    }
    d.width_mm = hundredths(right);
    d.height_mm = hundredths(bottom);
}

void tell_values(Result& r, const operations::Neighbour& n) {
    r.json["values"] = Json::array();
    for (const operations::NeighbourValue& v : n.values)
        r.json["values"].push_back({{"id", v.id},
                                    {"xyz", {100 * v.xyz[0], 100 * v.xyz[1], 100 * v.xyz[2]}},
                                    {"uncertainty", v.radius},
                                    {"pictures", v.pictures}});
    r.json["missing"] = n.missing;
    r.json["provenance"] = n.provenance;
    double sum = 0;
    for (const operations::NeighbourValue& v : n.values) sum += v.radius / static_cast<double>(n.values.size());
    r.words += formatted("{} values {}; the true ones lie within CIEDE2000 {:.1f} of them, in the mean\n",
                         n.values.size(), n.provenance, sum);
    if (!n.sure)
        r.words += "The camera's sensitivities cannot be estimated from finished pictures: these radii are rough\n";
    for (const std::string& id : n.missing) r.words += id + ": not measured, clipped or outside the pictures\n";
}

void tell_ageing(Result& r, const operations::Neighbour& n, const std::string& chart) {
    const chart::Definition d = chart::find_definition(chart);
    r.json["ageing"] = Json::array();
    int beyond = 0;
    for (const operations::Ageing& a : operations::ageing(n, chart::reference_of(d))) {
        r.json["ageing"].push_back(
            {{"id", a.id}, {"delta_e_2000", a.delta_e_2000}, {"uncertainty", a.radius}, {"beyond", a.beyond()}});
        if (!a.beyond()) continue;
        ++beyond;
        r.words += formatted("{}: CIEDE2000 {:.1f} from its values in {}, more than the {:.1f} that can be told\n",
                             a.id, a.delta_e_2000, d.id, a.radius);
    }
    if (!beyond) r.words += "No patch differs from its values in " + d.id + " by more than can be told\n";
}

std::vector<operations::NeighbourShot> shots_of(const TeachArguments& a) {
    std::vector<operations::NeighbourShot> shots;
    for (const std::string& image : a.images) {
        operations::NeighbourShot s{image, a.options()};
        s.options.corners.reset();
        shots.push_back(std::move(s));
    }
    return shots;
}

Result values_only(const TeachArguments& a) {
    if (a.beside.empty())
        throw Error(ErrorKind::usage, "values come from the known chart in the same pictures", {},
                    "Name it with --beside");
    const chart::Definition card = chart::find_definition(a.values_only);
    fs::path values = a.output;
    const bool alone = values.extension() == ".cgats"; // the values without a definition
    fs::path beside = values;
    a.outputs.check({values, alone ? fs::path() : beside.replace_extension(".cgats")},
                    {card.file, card.reference_file});
    const operations::Neighbour n = operations::measured_beside(shots_of(a), card, a.beside);
    Result r;
    r.json = {{"chart", card.id}, {"file", a.output}};
    tell_values(r, n);
    if (!a.compare.empty()) tell_ageing(r, n, a.compare);
    chart::Reference measured = operations::reference_of(n);
    if (!n.missing.empty()) // keep what was known of them, if anything was
        for (const std::string& id : n.missing) {
            const chart::Reference known = card.reference_file.empty() ? chart::Reference{} : chart::reference_of(card);
            if (const auto at = known.xyz.find(id); at != known.xyz.end()) measured.xyz[id] = at->second;
        }
    if (alone) write_whole(a.output, chart::cgats_of(measured), a.outputs.existing());
    else {
        chart::Definition d = card;
        if (!a.id.empty()) d.id = a.id;
        d.nominal = false;
        chart::save_definition(d, measured, a.output);
    }
    return r;
}

Result teach(const TeachArguments& a) {
    fs::path values = a.output;
    values.replace_extension(".cgats");
    std::vector<fs::path> inputs(a.images.begin(), a.images.end());
    inputs.emplace_back(a.encoding);
    a.outputs.check({a.output, values}, inputs);
    if (a.images.size() > 1 && a.beside.empty())
        throw Error(ErrorKind::usage, "a card is taught from one picture", a.images[1],
                    "Give several with --beside, to measure its values");
    std::vector<chart::Corners> panels;
    for (const std::string& text : a.panels) {
        const auto corners = shoot::corners_from(text);
        if (!corners)
            throw Error(ErrorKind::usage, "corners are four places in pixels", {}, "Write \"x,y x,y x,y x,y\"");
        panels.push_back(*corners);
    }
    ShotArguments shot = a;
    shot.at = std::max(0.0, shot.at); // nothing that is known could be looked for through a clip
    const frame::Frame frame = shot.frame(a.images.front());
    if (panels.empty()) {
        std::vector<chart::Corners> known; // the one beside it is no card to be taught
        if (!a.beside.empty())
            for (const find::Placement& p : find::locate(frame, {chart::find_definition(a.beside)}))
                known.push_back(p.corners);
        panels.push_back(find::outline_of_card(frame, known));
    }
    find::Taught t = find::teach(frame, panels.front(), a.width_mm);
    Json told = Json::array();
    const auto tell = [&](const find::Taught& p) {
        told.push_back({{"rows", p.rows}, {"columns", p.columns}, {"corners", json_of(p.corners)}});
    };
    tell(t);
    int rows = t.rows, bars = t.bars;
    for (std::size_t i = 1; i < panels.size(); ++i) {
        find::Taught panel = find::teach(frame, panels[i], 0);
        tell(panel);
        add_panel(t, panel, rows, bars);
        rows += panel.rows;
        bars += panel.bars;
    }
    if (panels.size() > 1) frame_again(t.definition);
    t.definition.id = a.id.empty() ? fs::path(a.output).stem().string() : a.id;
    t.definition.title = a.title.empty() ? t.definition.id : a.title;
    t.reference.nominal = true;
    // Written at the end alone: what is there already stays where the values cannot be measured.
    const TemporaryFolder apart(fs::temp_directory_path(), "refero-teach");
    const chart::Definition d = chart::save_definition(t.definition, t.reference, apart.path() / "card.json");
    Result r;
    r.json = {{"chart", d.id},  {"file", a.output}, {"columns", t.columns},
              {"rows", t.rows}, {"bars", bars},     {"corners", json_of(t.corners)}};
    r.json["panels"] = told;
    r.json["patches"] = Json::array();
    for (const chart::Patch& p : d.patches) r.json["patches"].push_back({{"id", p.id}, {"role", p.role}});
    r.words = formatted("{}: {} patches in {} panel{}, {} bar{}.", a.output, d.patches.size(), panels.size(),
                        panels.size() == 1 ? "" : "s", bars, bars == 1 ? "" : "s");
    if (a.beside.empty()) {
        r.words +=
            " Its values are those that the picture shows: bring the card's own before a correction is fitted to "
            "them, or measure them with --beside\n";
        chart::save_definition(t.definition, t.reference, a.output);
        return r;
    }
    r.words += "\n";
    std::vector<operations::NeighbourShot> shots = shots_of(a);
    if (panels.size() == 1) shots.front().placements = {find::placement_from(d, t.corners, frame)};
    const operations::Neighbour n = operations::measured_beside(shots, d, a.beside);
    tell_values(r, n);
    if (!a.compare.empty()) tell_ageing(r, n, a.compare);
    chart::Reference measured = t.reference; // patches that no picture shows well keep what was seen
    for (const auto& [id, xyz] : operations::reference_of(n).xyz) measured.xyz[id] = xyz;
    measured.nominal = !n.missing.empty();
    t.definition.nominal = measured.nominal;
    chart::save_definition(t.definition, measured, a.output);
    return r;
}

} // namespace

Run add_teach(CLI::App& app) {
    const auto a = std::make_shared<TeachArguments>();
    app.add_option("IMAGE", a->images,
                   "Frame that shows the card, straight on and evenly lit; with --beside also others")
        ->required();
    app.add_option(
        "--corners", a->panels,
        "\"x,y x,y x,y x,y\" about the card, top-left, top-right, bottom-right, bottom-left; once for each panel "
        "of a case; default: its outline");
    app.add_option("--id", a->id, "Id of the chart; default: the output's name");
    app.add_option("--title", a->title, "What lists call it");
    app.add_option("--width", a->width_mm, "Width of the patch array in mm; default: a pitch of 20 mm is taken")
        ->check(CLI::PositiveNumber);
    app.add_option("--beside", a->beside, "Known chart in the same pictures, through which the values are measured");
    app.add_option("--values-only", a->values_only,
                   "With --beside: measures a chart that is defined already, id or file");
    app.add_option("--compare", a->compare, "With --beside: against the values of this chart, patch by patch");
    app.add_option("-o,--output", a->output, "Chart definition to write (JSON), its values beside it as .cgats")
        ->required();
    a->add_encoding(app);
    a->add_at(app);
    a->outputs.add(app);
    return [a] { return a->values_only.empty() ? teach(*a) : values_only(*a); };
}

} // namespace refero::cli
