// refero-cli: the headless companion. docs/formats.md describes files, `refero-cli VERB --help` the options.
#include <cstdio>
#include <iostream>

#include "help.hpp"
#include "verb.hpp"

using namespace refero;
using namespace refero::cli;

namespace {

bool wants_json(int argc, char** argv) {
    for (int i = 1; i < argc; ++i)
        if (std::string_view(argv[i]) == "--json") return true;
    return false;
}

int report(int status, const std::string& message, const std::string& file, bool json) {
    std::fprintf(stderr, "refero-cli: %s\n", message.c_str());
    if (json)
        std::cout << Json{{"error", {{"code", status}, {"message", message}, {"file", file}}}}.dump(
                         1, ' ', false, Json::error_handler_t::replace)
                  << "\n";
    return status;
}

} // namespace

int main(int argc, char** argv) {
    remove_unfinished_files_on_signals();
    const bool json = wants_json(argc, argv);
    say_to_errors(json);
    CLI::App app{"Refero: measures colour charts and proves corrections.", "refero-cli"};
    app.set_version_flag("--version", std::string(program_version()));
    app.require_subcommand(1);
    bool json_flag = false;
    Run run;
    const auto verb = [&](const char* name, const char* help, const char* example, Run (*add)(CLI::App&)) {
        CLI::App* sub = app.add_subcommand(name, help);
        sub->footer(std::string("Example: refero-cli ") + name + " " + example);
        sub->add_flag("--json", json_flag, "One JSON object to standard output");
        const Run action = add(*sub);
        sub->callback([&run, action] { run = action; });
    };
    verb("find", "Find charts in a frame", "chart.dng", add_find);
    verb("read", "Find a chart and measure its patches", "chart.dng --cgats patches.cgats", add_read);
    verb("inspect", "Say whether a chart shot is good, and what to do about it", "chart.dng", add_inspect);
    verb("fit", "Make a correction from chart shots or readings", "chart.dng -o window.json", add_fit);
    verb("prove", "Show what a correction leaves on a frame or reading", "window.json later.dng", add_prove);
    verb("apply", "Correct whole frames", "window.json sheet1.dng sheet2.dng -o out", add_apply);
    verb("plate", "Write neutral scene-linear plates for effects, and the curve to see them through",
         "window.json sheet1.dng -o plates", add_plate);
    verb("export", "Write a correction for other programs", "window.json --format dcp -o profiles/", add_export);
    verb("curve", "Measure a camera's tone curve from chart frames", "chart.mov -o curve.cube", add_curve);
    verb("simulate", "Render a scene of the simulated set", "scene.json -o scene.dng", add_simulate);
    verb("balance", "Make a correction of balance alone, from a card, a diffuser or a chart's greys",
         "card.dng --middle -o balance.json", add_balance);
    verb("teach", "Make a chart definition from a picture of a card", "card.dng --beside grid24 -o card.json",
         add_teach);
    verb("match", "Match another camera to a lead's rendering",
         "--lead a.tif --other b.tif --chart grid24 -o match.json", add_match);
    verb("series", "Compare exposures of one mode", "s1.dng s2.dng s3.dng --chart grid24", add_series);
    verb("compare", "Compare modes or cameras on one chart", "a.tif b.tif --chart grid24", add_compare);
    verb("verify", "Compare a delivered picture with its master", "master.tif delivered.jpg", add_verify);
    verb("monitor", "Say what a display does, from measured patches", "--measured patches.csv", add_monitor);
    verb("unpack", "Open an archived job", "day.zip -o day", add_unpack);
    verb("charts", "List the installed charts", "--json", add_charts);
    verb("job", "Work on a job without its window", "day.refero take /media/card", add_job);

    const std::vector<std::string> words(argv + 1, argv + argc);
    if (const Action* action = asked_for_help(words)) {
        std::cout << help_of(*app.get_subcommand("job"), *action);
        return done;
    }
    try {
        app.parse(argc, argv);
    } catch (const CLI::Success& asked) { // help, version
        return app.exit(asked);
    } catch (const CLI::ParseError& problem) {
        return report(Exit::usage,
                      std::string(problem.what()) + "." + suggestion(app, words) + " Run 'refero-cli --help'", "",
                      json);
    }
    try {
        const Result result = run();
        if (json) {
            std::cout << result.json.dump(1, ' ', false, Json::error_handler_t::replace) << std::endl;
            if (result.status != done) std::cerr << result.words << std::flush;
        } else (result.status == done ? std::cout : std::cerr) << result.words << std::flush;
        if (!std::cout) return report(failed, "standard output cannot be written", "", false);
        return result.status;
    } catch (const Error& problem) {
        if (problem.kind() == ErrorKind::not_found && json) {
            std::cout << Json{{"charts", Json::array()},
                              {"error",
                               {{"code", not_found}, {"message", problem.what()}, {"file", problem.file().string()}}}}
                             .dump(1)
                      << "\n";
            std::fprintf(stderr, "refero-cli: %s\n", problem.what());
            return not_found;
        }
        return report(exit_code_of(problem.kind()), problem.what(), problem.file().string(), json);
    } catch (const std::bad_alloc&) {
        return report(failed, "there is not enough memory", "", json);
    } catch (const std::exception& problem) { return report(failed, problem.what(), "", json); }
}
