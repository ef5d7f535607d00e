// The chains of evidence of the open job: what follows from its content, worked out anew where it has changed.
#pragma once

#include <QObject>
#include <map>

#include "model/tasks.hpp"
#include "model/text.hpp"
#include "operations/correct/chain.hpp"
#include "shoot/board.hpp"

namespace refero::app {

using operations::Chain;
using operations::LinkState;
using operations::Step;
using operations::step_count;
using Settings = shoot::SetupSettings;

class JobDocument;
class Notices;

class Chains : public QObject {
    Q_OBJECT

public:
    Chains(JobDocument& job, Tasks& tasks, Notices& notices);

    std::vector<Id> ids() const;
    int count() const { return static_cast<int>(chains_.size()); }
    bool has(Id setup) const { return chains_.contains(setup); }
    /// Of the stretch that is looked at: the chosen one, else the one to act on next.
    const Chain& at(Id setup) const;
    /// Of all stretches of a setup, in the order of time.
    const std::vector<Chain>& stretches(Id setup) const { return chains_.at(setup); }
    /// Looks at a stretch by its key; 0: at the one to act on next.
    void choose(Id setup, Id stretch);
    QString title_of(Id setup) const; ///< "Stills A, Window"; empty for none
    /// Why a chart shot cannot be read for now (its file is away): shown, and kept nowhere. Empty: it is none any more.
    void set_obstacle(Id chart_shot, const std::string& why);

signals:
    void structure_changed(); ///< cameras, lights, setups, title
    void setup_changed(Id setup);
    void frames_changed();
    void followed(); ///< after all of these

private:
    /// Cameras, lights, lenses and modes with their order, and which setups join them: compared by value.
    struct Structure {
        std::string title;
        std::vector<shoot::CameraRecord> cameras;
        std::vector<shoot::LightRecord> lights;
        std::vector<shoot::LensRecord> lenses;
        std::vector<shoot::ModeRecord> modes;
        std::vector<shoot::PlaceRecord> places;
        std::vector<std::pair<Id, shoot::Rig>> rigs;
        std::vector<Id> under;
        bool operator==(const Structure&) const = default;
    };
    void follow();
    Chain* before_of(Id setup, Id stretch);

    JobDocument& job_;
    Notices& notices_;
    std::map<Id, std::vector<Chain>> chains_; ///< of a setup's stretches
    std::map<Id, Id> chosen_;                 ///< key of the stretch that is looked at, by setup
    std::map<Id, std::string> obstacles_;     ///< by chart shot
    Structure structure_;
};

/// The chain in words: each link's name, its one figure ("D2", "dE 0.21") and what to do next about it; these may be
/// empty.
QString name_of(Step step);
QString name_of(LinkState state);
QString figure_of(const Chain& chain, Step step, const Tasks& tasks);
/// What a link's page begins with, in everyday words.
QString sentence_of(const Chain& chain, Step step, const Tasks& tasks);
QString next_of(const Chain& chain, Step step, const Tasks& tasks);
/// The verdict on the chart shot in a word or two, and the one thing to do about it; the latter may be empty.
/// What the values are that a chart is compared with; empty where they are the card's own or there are none.
QString nominal_words(const Chain& chain);
QString gate_words(const Chain& chain);
QString remedy_of(const Chain& chain);

} // namespace refero::app
