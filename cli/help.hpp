// What the command line says of itself: an example a verb, the actions of a job one by one, the nearest word.
#pragma once

#include <string>
#include <vector>

#include <CLI/CLI.hpp>

namespace refero::cli {

/// An action of the verb `job`.
struct Action {
    const char* name;
    const char* words;   ///< what follows it: "take PATH..."
    const char* does;    ///< one sentence
    const char* example; ///< what follows "refero-cli job"
};
const std::vector<Action>& actions();
/// Names of the actions, with spaces between them.
std::string action_names();
/// Help of one action: the options that name it, without those of the others. `job`: the verb, with its options.
std::string help_of(const CLI::App& job, const Action& action);
/// The action whose help a command line asks for; null where it asks for none.
const Action* asked_for_help(const std::vector<std::string>& words);

/// The word of these that is nearest by letters changed, added, left out or exchanged (Damerau 1964); empty where none
/// is near: more than a third of its letters differ.
std::string nearest(const std::string& word, const std::vector<std::string>& known);
/// " Did you mean --format?" for the first word of a command line that no verb or option knows; empty where none is
/// near.
std::string suggestion(const CLI::App& app, const std::vector<std::string>& words);

} // namespace refero::cli
