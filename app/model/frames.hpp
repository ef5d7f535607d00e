// Frames of the job: taken in, put where they belong, found again.
#pragma once

#include <set>

#include "model/readings.hpp"
#include "operations/capture/intake.hpp"

namespace refero::app {

class Watcher;

class Frames : public QObject {
    Q_OBJECT

public:
    Frames(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Readings& readings, Watcher& watcher,
           Tasks& tasks, Notices& notices);

    /// Opens any own file: jobs, frames, corrections, chart definitions, reference values. `current` may be 0.
    void open(const std::vector<fs::path>& files, Id current);
    /// Takes frames into the job: recognised and assigned, or into `setup` when it is given.
    void take_in(const std::vector<fs::path>& files, Id setup = 0);
    /// A frame of a card: a setup of its own, balance only, that asks for a click on it.
    void take_card(const fs::path& file);
    void assign(const std::vector<Id>& frames, Id setup);
    void let_assign(const std::vector<Id>& frames);
    /// The frame shows the chart, or does not.
    void make_chart_shot(Id frame, Id setup, double position_s = 0);
    void make_ordinary(Id frame);
    /// The frames' part in their setup's effects set, a name of operations::PlateRole; empty: none.
    void give_role(const std::vector<Id>& frames, const std::string& role);
    /// The range of a clip that is developed, s; equal: none.
    void mark_range(Id frame, double from_s, double to_s);
    /// Two frames of one moment: the second's camera gets the offset that makes their times equal.
    void same_moment(Id frame, Id other);
    void set_silent_lens(Id camera, Id lens);
    void remove(const std::vector<Id>& frames);
    /// Looks again at frames that could not be read, or that are not as they came in.
    void look_again(const std::vector<Id>& frames);
    /// Looks for frames that are not where they were, in a folder and below.
    void find_moved(const fs::path& folder);
    int missing() const { return missing_; }
    /// Frames that are not as they came in: cut, or replaced by others of the same name.
    int changed() const { return static_cast<int>(changed_.size()); }
    bool is_changed(Id frame) const { return changed_.contains(frame); }
    /// Whether a chart of this id, installed already, may be replaced; asked where one is opened.
    std::function<bool(const QString& question)> ask;

signals:
    void setup_opened(Id setup);
    void many_arrive(); ///< a card, a folder, a pile of files was brought
    void missing_changed();
    /// A camera's files name no lens: which one is it?
    void lens_wanted(Id camera);

private:
    void open_one(const fs::path& file, Id current, std::size_t of);
    /// Several files in the order of their times, found out beside the window; one at once.
    void in_order(const std::vector<fs::path>& files, const std::function<void(const std::vector<fs::path>&)>& then);
    void look(const fs::path& file, const operations::TakeIn& how);
    void open_json(const fs::path& file);
    void open_reference(const fs::path& file, Id current);
    void take(const fs::path& file, const operations::TakeIn& how);
    void arrived(const operations::Arrival& arrival, const Rendition& picture, const operations::TakeIn& how);
    /// What came in with others: one step of undo for all of them.
    std::optional<store::Ids> keep_in_pile(shoot::Change rows);
    void look_for_missing();

    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Pictures& pictures_;
    Readings& readings_;
    Watcher& watcher_;
    Tasks& tasks_;
    Notices& notices_;
    QTimer settle_timer_;  ///< ordinary frames find their places once nothing more comes
    Id pile_step_ = 0;     ///< of the files that were brought together last; 0: none of them is kept yet
    std::size_t pile_ = 0; ///< how many they are
    int missing_ = 0;
    std::set<Id> changed_;
    std::set<Id> asked_for_lens_;
    std::map<fs::path, operations::TakeIn> awaited_; ///< files that are still arriving, and how they were brought
};

} // namespace refero::app
