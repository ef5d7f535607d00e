// What was answered, and what comes next.
#include <algorithm>
#include <map>

#include "practice/practice.hpp"

namespace refero::practice {

std::string title_of(Kind kind) {
    switch (kind) {
    case Kind::light_it: return "Light it so that the gate passes";
    case Kind::keep_which: return "Which of these would you keep?";
    case Kind::what_wrong: return "What is wrong, and what do you do?";
    case Kind::which_patch: return "Which patch for the balance?";
    case Kind::how_much: return "Right, too much or too little?";
    case Kind::plan_it: return "Plan it: the fewest chart shots";
    }
    return {};
}

int level_of(const std::vector<shoot::AnswerRecord>& answers, Kind kind) {
    constexpr int up_after = 3, down_after = 2;
    int level = 1, right = 0, wrong = 0;
    for (const shoot::AnswerRecord& a : answers) {
        if (a.task != names(kind)[static_cast<std::size_t>(kind)]) continue;
        right = a.passed ? right + 1 : 0;
        wrong = a.passed ? 0 : wrong + 1;
        if (right == up_after) {
            level = std::min(level + 1, highest_level);
            right = 0;
        }
        if (wrong == down_after) {
            level = std::max(level - 1, 1);
            wrong = 0;
        }
    }
    return level;
}

std::string next_theme(const std::vector<shoot::AnswerRecord>& answers, Kind kind) {
    // Leitner's boxes: after each right answer the next repetition is further off.
    constexpr int gaps[] = {2, 5, 12};
    struct Box {
        int at = -1, box = 3, given = 0; ///< last answered as the at-th; box 3: at rest
    };
    std::map<std::string, Box> boxes;
    for (const std::string& t : themes(kind)) boxes[t];
    int n = 0;
    for (const shoot::AnswerRecord& a : answers) {
        if (a.task != names(kind)[static_cast<std::size_t>(kind)]) continue;
        const auto at = boxes.find(a.about);
        ++n;
        if (at == boxes.end()) continue;
        at->second.at = n;
        ++at->second.given;
        at->second.box = a.passed ? std::min(3, at->second.box + 1) : 0;
    }
    const std::string* next = nullptr;
    int most = -1;
    for (const auto& [theme, b] : boxes)
        if (b.box < 3 && n - b.at >= gaps[b.box] && n - b.at - gaps[b.box] > most) {
            most = n - b.at - gaps[b.box];
            next = &theme;
        }
    if (next) return *next;
    // Else what was practised least, and of those the one that lies furthest back.
    const auto least = std::min_element(boxes.begin(), boxes.end(), [](const auto& a, const auto& b) {
        return std::pair(a.second.given, a.second.at) < std::pair(b.second.given, b.second.at);
    });
    return least == boxes.end() ? std::string() : least->first;
}

std::vector<Record> records(const std::vector<shoot::AnswerRecord>& answers) {
    std::map<std::string, Record> by;
    for (const shoot::AnswerRecord& a : answers) {
        Record& r = by[a.about];
        r.about = a.about;
        ++r.given;
        r.right += a.passed;
    }
    std::vector<Record> all;
    for (const auto& [about, r] : by) all.push_back(r);
    std::stable_sort(all.begin(), all.end(),
                     [](const Record& a, const Record& b) { return a.right * b.given < b.right * a.given; });
    return all;
}

} // namespace refero::practice
