// Tasks for practice: charts are learnt by spoiling them where it costs nothing. Each task is a scene or several, a
// question and its truth; what a frame of it comes to is judged by the real gate (work/practice.hpp).
#pragma once

#include "shoot/kit.hpp"
#include "simulate/simulate.hpp"

namespace refero::practice {

enum class Kind {
    light_it,    ///< move lamps until the gate passes
    keep_which,  ///< six frames: which would you keep?
    what_wrong,  ///< what is wrong here, and what do you do?
    which_patch, ///< which patch for the balance?
    how_much,    ///< right, too much or too little?
    plan_it      ///< the fewest chart shots that hold
};
inline constexpr auto names(Kind) {
    return std::array{"light it", "which would you keep", "what is wrong", "which patch", "how much", "plan it"};
}
std::string title_of(Kind kind);
inline constexpr int highest_level = 4;

/// One frame of a task.
struct Shot {
    simulate::Scene scene;
    std::optional<inspect::Check> fault; ///< that it must fail; none: it passes
};
struct Task {
    Kind kind = Kind::what_wrong;
    int level = 1;
    std::string about; ///< what it practises: a check of the gate, "white clipped", "stops", "cast", "count" ...
    std::string question;
    std::string caution;     ///< of lamps and stands, where one is moved; else empty
    std::vector<Shot> shots; ///< none for plan_it
    std::vector<std::string> answers;
    std::vector<int> right; ///< indices of answers, or of shots to keep
    std::string reason;     ///< why, told with the answer
    std::string guide;      ///< chapter of the guide, "chart.md#what-the-gate-asks"
};
/// The same seed gives the same task. `about` empty: any that the kind has. Shots of what_wrong, keep_which and
/// which_patch are proposals: whoever makes their frames checks them with the gate, and asks for another seed where it
/// says otherwise.
Task make(Kind kind, int level, std::uint64_t seed, const std::string& about = {});
/// What a kind can be about.
std::vector<std::string> themes(Kind kind);

/// A set for "light it": where its lamps begin, far too bad.
simulate::Scene studio_scene(const simulate::Studio& studio, double stops, double turn_deg, double share);

/// The level of a kind by the answers given so far: up after three right ones in a row, down after two wrong ones.
int level_of(const std::vector<shoot::AnswerRecord>& answers, Kind kind);
/// What comes next of a kind: what went wrong comes again after two others, then after five, then after twelve; else
/// what was practised least.
std::string next_theme(const std::vector<shoot::AnswerRecord>& answers, Kind kind);
/// Right and given answers by theme, worst share first.
struct Record {
    std::string about;
    int right = 0, given = 0;
};
std::vector<Record> records(const std::vector<shoot::AnswerRecord>& answers);

/// Similarity of a light's spectrum to a reference, 100 for alike (SMPTE ST 2122, Spectral Similarity Index; weights
/// and steps written down from memory).
double spectral_similarity(const colour::Spectrum& test, const colour::Spectrum& reference);

/// What a light, a lens, a camera or a chart would come to, before it is bought or hired.
struct Rehearsal {
    std::map<std::string, double> delta_e; ///< by kind of surface: mean CIEDE2000 of a correction on surfaces unseen
    std::map<std::string, double> lent;    ///< the same with the correction of another light's chart shot, if asked for
    double similarity = 0;                 ///< of the light to daylight or Planck's radiator of its temperature
    colour::Temperature light;
    double metamerism = 0; ///< mean CIEDE2000 between pairs that are alike under the reference light and part under it
};

} // namespace refero::practice
