// refero-cli monitor: what a display does, and its profile.
#include "display/display.hpp"
#include "verb.hpp"

namespace refero::cli {

Run add_monitor(CLI::App& app) {
    struct Arguments {
        std::string measured, target = "srgb", output;
        std::string kind = "auto";
        int icc_version = 2;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("--measured", a->measured, "Measured patches: CSV or CGATS, R G B in 0 to 1, XYZ in cd/m2")
        ->required();
    app.add_option("--target", a->target, "What it is to show: srgb, display-p3, oprgb or bt709")
        ->capture_default_str();
    app.add_option("-o,--output", a->output, "Display profile to write (.icc)");
    app.add_option("--icc-version", a->icc_version, "Of the profile: 2 or 4")->check(CLI::IsMember({2, 4}));
    app.add_option("--profile", a->kind, "Of matrix and curves, with a table, or as pays for this display")
        ->check(CLI::IsMember({"auto", "matrix", "table"}))
        ->capture_default_str();
    a->outputs.add(app);
    return [a] {
        a->outputs.check({a->output}, {a->measured});
        const display::Display d = display::look(display::load(a->measured), a->target);
        if (!a->output.empty())
            display::write_profile(
                d, std::filesystem::path(a->output).stem().string(), a->output, a->outputs.existing(),
                {a->icc_version, a->kind == "auto" ? std::nullopt : std::optional(a->kind == "table")});
        Result r;
        r.json = {{"white", {{"x", d.white.x}, {"y", d.white.y}, {"kelvin", d.light.kelvin}, {"duv", d.light.duv}}},
                  {"luminance", d.luminance},
                  {"black", d.black_measured ? Json(d.black) : Json()},
                  {"contrast", std::isfinite(d.contrast) ? Json(d.contrast) : Json()},
                  {"gamma", d.gamma},
                  {"curve", d.curve},
                  {"grey_tracking", d.grey_tracking},
                  {"coverage", Json::object()},
                  {"delta_e_2000", json_of(d.delta_e_2000)},
                  {"verdict", display::name_of(d.verdict)},
                  {"words", d.words},
                  {"advice", d.advice},
                  {"after_profile", json_of(d.after_profile)},
                  {"after_table", json_of(d.after_table)},
                  {"table_pays", d.table_pays},
                  {"faults", Json::array()}};
        for (const display::Fault& f : d.faults)
            r.json["faults"].push_back({{"what", f.what}, {"control", f.control}, {"words", f.words}});
        for (const auto& [space, share] : d.coverage) r.json["coverage"][space] = share;
        if (!a->output.empty()) r.json["file"] = a->output;
        r.words = formatted("White {:.0f} K, Duv {:+.4f}, {:.1f} cd/m2; {}\n"
                            "Gamma {:.2f}, nearest to {}; greys tinted by {:.1f} at most\n",
                            d.light.kelvin, d.light.duv, d.luminance, display::black_in_words(d), d.gamma, d.curve,
                            d.grey_tracking);
        for (const auto& [space, share] : d.coverage) r.words += formatted("{:<12} {:.1f} %\n", space, 100 * share);
        r.words += formatted("CIEDE2000 {:.2f} on average, {:.2f} at most\n{}: {}\n", d.delta_e_2000.mean,
                             d.delta_e_2000.max, display::name_of(d.verdict), d.words);
        r.words += formatted("Its profile leaves {:.2f} on average, with a table {:.2f} on patches held out{}\n",
                             d.after_profile.mean, d.after_table.mean, d.table_pays ? ": a table pays" : "");
        if (!d.advice.empty()) r.words += d.advice + "\n";
        for (const display::Fault& f : d.faults) r.words += formatted("Turn {}: {}\n", f.control, f.words);
        return r;
    };
}

} // namespace refero::cli
