// Rows that are to be written together: what a step of work comes to, as plain values.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "shoot/kit.hpp"

namespace refero::shoot {

using Row = std::variant<JobSettingsRecord, PlaceRecord, CameraRecord, LensRecord, ModeRecord, LightRecord, CardRecord,
                         SetupRecord, FrameRecord, ChartShotRecord, ReadingRecord, FindingRecord, CorrectionRecord,
                         ProofRecord, HandoverRecord, HandoverFileRecord, NoteRecord, FallbackRecord, NamedColourRecord,
                         LightReadingRecord, MonitorRecord, MonitorCheckRecord, AnswerRecord, WarmthRecord,
                         KeptLookRecord, StoredBalanceRecord, SeriesShotRecord, HouseRecord>;

/// One change of a job or of the kit: one transaction, one step of undo, one line in the log.
class Change {
public:
    enum class Kind { add, update, remove };
    struct Step {
        Kind kind;
        Row row; ///< of a removal only the id counts
    };

    Change() = default;
    /// `what` names the step, `about` the setup or thing. A quiet change follows from another one and is undone with
    /// it.
    explicit Change(std::string title, std::string thing = {}, bool follows = false)
        : what(std::move(title)),
          quiet(follows),
          about_(std::move(thing)) {}

    /// Gives a provisional id, below 0, that other rows of this change may refer to; writing replaces it.
    template<class T>
    Id add(T row) {
        if (!row.id) row.id = --last_;
        const Id id = row.id;
        steps.push_back({Kind::add, std::move(row)});
        return id;
    }
    template<class T>
    void update(const T& row) {
        steps.push_back({Kind::update, row});
    }
    template<class T>
    void remove(Id id) {
        T row;
        row.id = id;
        steps.push_back({Kind::remove, std::move(row)});
    }
    void about(std::string thing) { about_ = std::move(thing); }
    const std::string& about() const { return about_; }
    bool empty() const { return steps.empty(); }

    std::string what;
    bool quiet = false;
    std::vector<Step> steps;

private:
    std::string about_;
    Id last_ = 0;
};

/// The change that one record is there, or is there no more.
template<class T>
Change added(std::string what, T row, std::string about = {}) {
    Change c(std::move(what), std::move(about));
    c.add(std::move(row));
    return c;
}
template<class T>
Change removed(std::string what, Id id) {
    Change c(std::move(what));
    c.remove<T>(id);
    return c;
}
/// The change that one record is as it says.
template<class T>
Change put(std::string what, const T& row, std::string about = {}) {
    Change c(std::move(what), std::move(about));
    c.update(row);
    return c;
}

} // namespace refero::shoot
