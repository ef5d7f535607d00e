// Cameras matched to a lead under one light.
#pragma once

#include "model/pictures/pictures.hpp"
#include "operations/match/beside.hpp"
#include "operations/match/matching.hpp"

namespace refero::app {

class Matches : public QObject {
    Q_OBJECT

public:
    Matches(JobDocument& job, Chains& chains, Tasks& tasks, Notices& notices);

    /// Setups under the light whose chart shot is read: what can lead and what can be matched.
    std::vector<Id> under(Id light) const;
    void match(Id lead, Id other, const match::Settings& settings = {});
    /// All others under the lead's light that have no match that holds.
    void match_all(Id lead);
    /// The match in force, or none.
    std::optional<operations::KeptMatch> kept(Id lead, Id other) const;
    /// Why the two cannot be matched, in words; empty where they can.
    QString obstacle(Id lead, Id other) const;

    /// Both chart shots laid over each other, as the lead's rendering and the match make them; without a match, by the
    /// other's balance alone.
    void look(Id lead, Id other, int width, std::function<void(std::shared_ptr<const operations::Beside>)> show);

    /// The match in force as it is made by hand.
    void by_hand(Id lead, Id other, std::function<void(std::shared_ptr<const match::Recipe>)> show);

    /// What the setup's mode makes of its chart by its balance alone; none without a reading.
    std::optional<operations::ModeSeen> mode_seen(Id setup) const;
    /// Setups' modes through a look or LUT from a file; a mode that it cannot be tried on has words why.
    struct Through {
        std::optional<operations::LookTried> tried;
        QString problem;
    };
    void try_look(const std::vector<Id>& setups, const fs::path& look,
                  std::function<void(const std::map<Id, Through>&)> show);
    /// Frames of a setup beside each other as exposures of its mode; `key` is one of them.
    void exposures(Id setup, const std::vector<Id>& frames, Id key,
                   std::function<void(std::shared_ptr<const operations::ExposuresSeen>)> show);
    /// The code value from which on a mode's recording is clipped, kept with the mode.
    void keep_clip_code(Id mode, double code);

signals:
    void matched(Id lead, Id other);

private:
    struct Read {
        std::string content;
        std::shared_ptr<const fit::Correction> correction; ///< as it was read from that
    };
    mutable std::map<std::pair<Id, Id>, Read> read_; ///< by lead and other

    JobDocument& job_;
    Chains& chains_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
