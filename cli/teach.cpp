// refero-cli teach: a chart definition from a picture of a card that is not known yet.
#include "find/teach.hpp"
#include "shoot/settings.hpp"
#include "verb.hpp"

namespace refero::cli {

Run add_teach(CLI::App& app) {
    struct Arguments : ShotArguments {
        std::string image, id, title, output;
        double width_mm = 0;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("IMAGE", a->image, "Frame that shows the card, straight on and evenly lit")->required();
    a->add_corners(app);
    app.get_option("--corners")->required();
    app.add_option("--id", a->id, "Id of the chart; default: the output's name");
    app.add_option("--title", a->title, "What lists call it");
    app.add_option("--width", a->width_mm, "Width of the patch array in mm; default: a pitch of 20 mm is taken")
        ->check(CLI::PositiveNumber);
    app.add_option("-o,--output", a->output, "Chart definition to write (JSON), its values beside it as .cgats")
        ->required();
    a->add_encoding(app);
    a->add_at(app);
    a->outputs.add(app);
    return [a] {
        std::filesystem::path values = a->output;
        values.replace_extension(".cgats");
        a->outputs.check({a->output, values}, {a->image, a->encoding});
        const auto corners = shoot::corners_from(a->corners);
        if (!corners)
            throw Error(ErrorKind::usage, "corners are four places in pixels", {}, "Write \"x,y x,y x,y x,y\"");
        ShotArguments shot = *a;
        shot.at = std::max(0.0, shot.at); // nothing that is known could be looked for through a clip
        find::Taught t = find::teach(shot.frame(a->image), *corners, a->width_mm);
        t.definition.id = a->id.empty() ? std::filesystem::path(a->output).stem().string() : a->id;
        t.definition.title = a->title.empty() ? t.definition.id : a->title;
        const chart::Definition d = chart::save_definition(t.definition, t.reference, a->output);
        Result r;
        r.json = {{"chart", d.id},  {"file", a->output},           {"columns", t.columns},         {"rows", t.rows},
                  {"bars", t.bars}, {"patches", d.patches.size()}, {"corners", json_of(t.corners)}};
        r.words = formatted("{}: {} columns, {} rows, {} bar{}. Its values are those that the picture shows: bring the "
                            "card's own before a correction is fitted to them\n",
                            a->output, t.columns, t.rows, t.bars, t.bars == 1 ? "" : "s");
        return r;
    };
}

} // namespace refero::cli
