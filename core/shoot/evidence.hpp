// What a setup has come to: the records in force, why they are stale, and its state.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/kit.hpp"
#include "shoot/stretches.hpp"

namespace refero::shoot {

/// The records in force of one setup; null where there is none.
struct Evidence {
    const ChartShotRecord* shot = nullptr;    ///< the latest that is not refused
    const ChartShotRecord* refused = nullptr; ///< the latest refused one, when there is no other
    const FrameRecord* frame = nullptr;       ///< of the one or the other
    const ReadingRecord* reading = nullptr;
    const CorrectionRecord* correction = nullptr;
    const ProofRecord* proof = nullptr;
    std::vector<const HandoverRecord*> handovers;
};
/// Of a stretch by its key; 0: of the one to act on next, which is the setup itself where it has but one.
Evidence evidence(const Shoot& shoot, Id setup, Id stretch = 0);
/// Why a chart shot is of no use, or nothing: refused by the user, unreadable, or a finding says reshoot.
std::string refusal(const Shoot& shoot, const ChartShotRecord& shot);

/// Why a correction may no longer hold.
enum class StaleRule { light, lens, mode, firmware, iso, age, chart, refused, settings, newer };
inline constexpr auto names(StaleRule) {
    return std::array{"light", "lens", "mode", "firmware", "iso", "age", "chart", "refused", "settings", "newer"};
}
struct Staleness {
    StaleRule rule = StaleRule::settings;
    std::string why, remedy;
    bool operator==(const Staleness&) const = default;
};
/// Why the correction in force no longer holds; empty when it does, there is none, or it was taken from another setup.
std::vector<Staleness> staleness(const Shoot& shoot, Id setup);

/// "2026-05-04" and so on: the last day on which a card is good; empty when it was never used or compared.
std::string good_until(const CardRecord& card, double years);

enum class State { to_shoot, refused, shot, read, corrected, proved, handed_over, stale };
inline constexpr auto names(State) {
    return std::array{"to shoot", "refused", "shot", "read", "corrected", "proved", "handed over", "stale"};
}
State state_of(const Shoot& shoot, Id setup);

/// All of that for every setup, in the order of the setups, in one pass over the frames.
struct Standing {
    Stretch stretch;    ///< key 0: no good chart shot, or none that divides the setup
    bool acting = true; ///< of several stretches of a setup the one to act on next
    Evidence evidence;
    std::vector<Staleness> stale;
    State state = State::to_shoot;
};
std::vector<Standing> standings(const Shoot& shoot);
/// The same of every stretch of every setup: by setup, in the order of time; at least one each.
std::vector<std::pair<Id, Standing>> standings_of_stretches(const Shoot& shoot);

} // namespace refero::shoot
