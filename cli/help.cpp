#include "help.hpp"

#include <algorithm>
#include <numeric>
#include <sstream>

#include "base/base.hpp"

namespace refero::cli {

const std::vector<Action>& actions() {
    static const std::vector<Action> all{
        {"new", "new", "Makes an empty job", "day.refero new"},
        {"status", "status", "Says what stands at each setup and stretch, and what to do next",
         "day.refero status --json"},
        {"take", "take PATH...", "Takes in frames, clips and folders of them: cameras, lights, charts, companions",
         "day.refero take /media/card/DCIM"},
        {"frames", "frames", "Lists each frame, where it belongs and why", "day.refero frames"},
        {"rename", "rename camera|light|lens|mode NAME NEW", "Gives a camera, light, lens or mode another name",
         "day.refero rename light \"Light 1\" Window"},
        {"set", "set KEY VALUE", "Sets a school or limit of the job, or of one setup with --setup",
         "day.refero set stretch_school between"},
        {"fit", "fit", "Reads chart shots and fits the corrections that are missing", "day.refero fit"},
        {"keep", "keep --rendering NAME", "Keeps a rendering by a name",
         "day.refero keep --rendering portraits --intent people"},
        {"handover", "handover -o DIR", "Writes the files that other programs read",
         "day.refero handover --for develop -o profiles"},
        {"apply", "apply -o DIR", "Corrects all frames of the job", "day.refero apply -o out --format tiff"},
        {"colour", "colour add NAME", "Adds a colour that the job is about",
         "day.refero colour add Aubergine --lab 28,22,-18"},
        {"colours", "colours", "Says what becomes of each named colour, setup by setup", "day.refero colours"},
        {"report", "report -o FILE", "Writes the report of the job as PDF or HTML", "day.refero report -o day.html"},
        {"archive", "archive -o FILE.zip", "Packs the job and its chart shots", "day.refero archive -o day.zip"},
    };
    return all;
}

std::string action_names() {
    std::string all;
    for (const Action& a : actions()) all += (all.empty() ? "" : " ") + std::string(a.name);
    return all;
}

namespace {

const Action* action_named(const std::string& name) {
    const auto at = std::find_if(actions().begin(), actions().end(), [&](const Action& a) { return a.name == name; });
    return at == actions().end() ? nullptr : &*at;
}

/// What an option says for one action: "handover, apply: folder; report: the file" is "folder" for handover. None
/// where it names others only; the whole where it names none.
std::optional<std::string> said_for(const std::string& text, const std::string& action) {
    bool any = false;
    std::optional<std::string> mine;
    std::size_t from = 0;
    while (from <= text.size()) {
        const std::size_t end = std::min(text.find("; ", from), text.size());
        const std::string part = text.substr(from, end - from);
        const std::size_t colon = part.find(": ");
        bool names = colon != std::string::npos, here = false;
        if (names) {
            std::stringstream words(part.substr(0, colon));
            for (std::string word; std::getline(words, word, ',');) {
                word.erase(0, word.find_first_not_of(' '));
                names = names && action_named(word);
                here = here || word == action;
            }
        }
        if (names) {
            any = true;
            if (here) mine = part.substr(colon + 2);
            else if (mine) break;
        } else if (mine) *mine += "; " + part;
        from = end + 2;
    }
    return any ? mine : std::optional(text);
}

std::string wrapped(const std::string& text, std::size_t indent, std::size_t width) {
    std::string out;
    std::size_t column = indent;
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        if (column > indent && column + 1 + word.size() > width) {
            out += "\n" + std::string(indent, ' ');
            column = indent;
        } else if (column > indent) {
            out += ' ';
            ++column;
        }
        out += word;
        column += word.size();
    }
    return out;
}

} // namespace

std::string help_of(const CLI::App& job, const Action& action) {
    constexpr std::size_t column = 26, width = 100;
    std::string out = std::string(action.does) + "\n\nUsage: refero-cli job FILE " + action.words +
                      "\nExample: refero-cli job " + action.example + "\n\nOptions\n";
    for (const CLI::Option* option : job.get_options()) {
        if (option->get_positional() || option->get_group().empty()) continue;
        const bool of_one = action_named(option->get_group());
        if (of_one && option->get_group() != action.name) continue;
        const auto says = said_for(option->get_description(), action.name);
        if (!says) continue;
        std::string line = "  " + option->get_name(false, true) + " ";
        line += line.size() < column ? std::string(column - line.size(), ' ') : "\n" + std::string(column, ' ');
        out += line + wrapped(*says, column, width) + "\n";
    }
    return out;
}

const Action* asked_for_help(const std::vector<std::string>& words) {
    if (words.empty() || words.front() != "job") return nullptr;
    if (std::none_of(words.begin(), words.end(), [](const auto& w) { return w == "--help" || w == "-h"; }))
        return nullptr;
    for (std::size_t i = 1; i < words.size(); ++i)
        if (const Action* a = action_named(words[i])) return a;
    return nullptr;
}

std::string nearest(const std::string& word, const std::vector<std::string>& known) {
    // Optimal string alignment.
    const auto distance = [](const std::string& a, const std::string& b) {
        std::vector<std::size_t> before_last(b.size() + 1), last(b.size() + 1), now(b.size() + 1);
        std::iota(last.begin(), last.end(), 0);
        for (std::size_t i = 1; i <= a.size(); ++i) {
            now[0] = i;
            for (std::size_t k = 1; k <= b.size(); ++k) {
                now[k] = std::min({last[k] + 1, now[k - 1] + 1, last[k - 1] + (a[i - 1] != b[k - 1])});
                if (i > 1 && k > 1 && a[i - 1] == b[k - 2] && a[i - 2] == b[k - 1])
                    now[k] = std::min(now[k], before_last[k - 2] + 1);
            }
            before_last = std::exchange(last, now);
        }
        return last[b.size()];
    };
    std::string best;
    std::size_t least = word.size() / 3 + 1;
    for (const std::string& k : known)
        if (const std::size_t d = distance(to_lower(word), k); d < least) {
            least = d;
            best = k;
        }
    return best;
}

std::string suggestion(const CLI::App& app, const std::vector<std::string>& words) {
    const auto meant = [](const std::string& word) { return word.empty() ? word : " Did you mean " + word + "?"; };
    if (words.empty()) return {};
    std::vector<std::string> verbs;
    const CLI::App* verb = nullptr;
    for (const CLI::App* sub : app.get_subcommands(nullptr)) {
        verbs.push_back(sub->get_name());
        if (sub->get_name() == words.front()) verb = sub;
    }
    if (!verb) return words.front().starts_with('-') ? std::string() : meant(nearest(words.front(), verbs));
    std::vector<std::string> names;
    for (const CLI::Option* option : verb->get_options())
        for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
    for (const std::string& word : words) {
        const std::string name = word.substr(0, word.find('='));
        if (name.starts_with("--") && name.size() > 2 && std::find(names.begin(), names.end(), name) == names.end())
            return meant(nearest(name, names));
    }
    return {};
}

} // namespace refero::cli
