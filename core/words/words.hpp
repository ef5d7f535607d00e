// First sentences: what a page says before any figure, in everyday words that can be acted on. None has more than
// twenty words.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "inspect/inspect.hpp"

namespace refero::words {

/// A mean colour difference (CIEDE2000) by what people see; docs/methods.md, Bands of difference.
enum class Band { unseen, close, near, off };
/// Largest difference of each band but the last.
inline constexpr double max_unseen = 1, max_close = 2, max_near = 4;
Band band_of(double delta_e_2000);

/// What a correction comes to on colours that it has not seen.
std::string accuracy(double delta_e_2000);
/// How alike two cameras' pictures are after a match.
std::string match(double delta_e_2000);

struct ShotFacts {
    bool there = false;                     ///< a frame of the chart came in
    bool found = false;                     ///< and the chart was found in it
    bool card = false;                      ///< a grey or white card, not a chart
    bool refused = false;                   ///< by the gate or by a person
    bool accepted = false;                  ///< by a person, whatever the gate says
    std::optional<inspect::Status> verdict; ///< nothing: not judged
};
std::string shot(const ShotFacts& facts);
std::string reading(int usable, int patches);
/// `kelvin` 0: not known.
std::string balance(bool there, double kelvin);
/// A correction that is there or not, and whether it still holds; `delta_e_2000` of patches held out.
std::string correction(bool there, bool stale, double delta_e_2000);
std::string proof(bool there, bool stale, double delta_e_2000);
std::string handover(bool correction, int files, bool stale);

/// Every sentence that a page can begin with; for tests.
std::vector<std::string> all();

} // namespace refero::words
