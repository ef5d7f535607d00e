// The chain of evidence of a setup: what a job holds of it, and what follows from that.
#pragma once

#include <memory>
#include <optional>

#include "operations/capture/measure.hpp"
#include "shoot/evidence.hpp"

namespace refero::operations {

/// The six links of a setup's chain of evidence.
enum class Step { shot, reading, balance, correction, proof, handover };
inline constexpr int step_count = 6;
inline constexpr auto names(Step) {
    return std::array{"shot", "reading", "balance", "correction", "proof", "handover"};
}
enum class LinkState { missing, broken, worn, whole };
inline constexpr auto names(LinkState) { return std::array{"missing", "broken", "worn", "whole"}; }

/// A stretch of a setup's time, as it stands: one line of it.
struct StretchFacts {
    shoot::Id key = 0;
    std::string id;         ///< "10:00", see shoot::ids_of
    std::string chart_file; ///< of the chart shot in force
    std::string from, to;   ///< job times; empty: open
    std::string why;        ///< what parts it from the one before
    bool other_light = false;
    double kelvin = 0, duv = 0, level = 0; ///< of the chart shot in force; 0: not known
    shoot::State state = shoot::State::to_shoot;
    std::optional<double> delta_e_2000; ///< of its proof, mean
    int frames = 0;
    bool operator==(const StretchFacts&) const = default;
};

/// What the job says of a setup: plain values, compared by value to know whether a view has to be drawn anew.
struct ChainFacts {
    shoot::Id id = 0;
    shoot::Id stretch = 0; ///< key of the stretch that this chain is of; 0: the setup has no good chart shot
    bool acting = true;    ///< of several stretches the one to act on next
    std::vector<StretchFacts> stretches; ///< all of the setup, in the order of time
    shoot::StretchSchool school = shoot::StretchSchool::nearest;
    shoot::SetupRecord row;
    std::string title; ///< "Stills A, Window"
    shoot::State state = shoot::State::to_shoot;
    shoot::SetupSettings settings;
    shoot::Id chart_shot = 0;
    shoot::FrameRecord chart_frame;             ///< of the chart shot; id 0: none
    FrameSource source;                         ///< of the chart frame
    std::string refused;                        ///< why the chart shot is of no use
    std::string problem;                        ///< why there is no reading
    std::vector<shoot::FindingRecord> findings; ///< of the gate, the most important first
    std::vector<shoot::Id> frames;              ///< ordinary frames and clips of the stretch
    std::string light_name;
    shoot::Id reading_id = 0, correction_id = 0, taken_from = 0;
    std::string reading_content, correction_content; ///< JSON; empty: none
    std::string page_content; ///< reading of the newest balance page that the setup shot apart; empty: none
    bool proved = false;
    double proof_mean = 0; ///< CIEDE2000 of the proof in the job
    std::vector<shoot::Staleness> stale;
    std::vector<shoot::HandoverRecord> handovers;
    std::vector<shoot::CorrectionRecord> renderings; ///< kept beside the setup's own correction
    bool operator==(const ChainFacts&) const = default;
};

/// And what follows from it.
struct Chain : ChainFacts {
    std::shared_ptr<const MeasuredShot> shot; ///< placement and reading, without pixels
    std::shared_ptr<const chart::Reference> reference;
    std::vector<store::Panel> panels; ///< other charts of the shot, and the setup's balance page
    std::optional<balance::Balance> balance;
    std::optional<colour::Temperature> light;
    std::string balance_problem;
    std::shared_ptr<const fit::Correction>
        correction;                            ///< with the setup's finish and look; balance only: made of the balance
    std::shared_ptr<const prove::Proof> proof; ///< on the reading
    std::vector<std::string> damaged;          ///< what the job holds and cannot be read, in words

    bool balance_only() const { return row.balance_only; }
    bool correction_stale() const { return correction && !stale.empty(); }
    /// "10:00" and so on: what tells this stretch from its fellows; empty where the setup has but one.
    std::string stretch_id() const;
    /// The verdict on the chart shot; none: not judged.
    std::optional<inspect::Status> gate() const {
        return findings.empty() ? std::nullopt : std::optional(findings.front().status);
    }
    /// A fit can be made, and would mend what there is: it does not where the light has changed since the chart shot.
    bool wants_fit() const;
    /// The links of this setup's chain: a balance-only one does without correction and proof.
    std::vector<Step> steps() const;
    bool whole() const;
    LinkState link(Step step) const;
    /// Values of the chart are a design's or a publication's: the card in hand may differ.
    bool nominal() const { return reference && reference->nominal; }
    /// The first link that is not whole, or handover.
    Step current() const;
    /// The chart shot was not measured as it says now.
    bool wants_reading() const { return chart_shot && !shot && problem.empty(); }
};

/// Of every setup, in their order: of the stretch to act on next. Frames are gathered in one pass.
std::vector<ChainFacts> facts_of(const shoot::Shoot& shoot);
/// Of every stretch of every setup, by setup and in the order of time.
std::vector<ChainFacts> stretches_of(const shoot::Shoot& shoot);
/// What follows; what `before` has worked out from the same facts is taken over.
Chain derived(ChainFacts facts, const Chain* before = nullptr);
/// Of one setup's stretch by its key (0: the one to act on next). Throws Error(usage) where there is none.
Chain chain_of(const shoot::Shoot& shoot, shoot::Id setup, shoot::Id stretch = 0);

} // namespace refero::operations
