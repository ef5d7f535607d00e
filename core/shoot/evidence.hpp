// What a setup has come to: the records in force, why they are stale, and its state.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/kit.hpp"

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
Evidence evidence(const Shoot& shoot, Id setup);
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
    Evidence evidence;
    std::vector<Staleness> stale;
    State state = State::to_shoot;
};
std::vector<Standing> standings(const Shoot& shoot);

} // namespace refero::shoot
