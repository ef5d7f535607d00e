// Many frames developed, several at a time.
#pragma once

#include <mutex>
#include <set>

#include "operations/capture/files.hpp"
#include "operations/handover/handover.hpp"

namespace refero::operations {

/// A file that is developed, once or (a clip) many times, looked at once: is it still the one that came in?
class KnownFile {
public:
    explicit KnownFile(shoot::FrameRecord row) : row_(std::move(row)) {}
    /// Throws Error(input) where it is gone or another one. May be called from several threads.
    void check();

private:
    shoot::FrameRecord row_;
    std::mutex looking_;
    std::optional<FileState> state_;
};

/// One frame of a batch, with the correction that it goes through.
struct BatchFrame {
    Development frame;
    std::shared_ptr<const fit::Correction> correction;
    SecondLight second = {};
    shoot::Id setup = 0, row = 0;          ///< row: of a rendering's or a stretch's correction; 0: the setup's own
    std::shared_ptr<KnownFile> known = {}; ///< the job's record of its source; null: it is of no job
    shoot::Id stretch = 0;                 ///< key of its stretch
};
/// Instead of a rendering's name: all that are in force.
inline constexpr const char* all_renderings = "*";
/// The correction for a frame of a setup that takes what lies between two chart shots (school between): by its time, of
/// both neighbours that have one. Null where the frame has but one neighbour.
std::shared_ptr<const fit::Correction> correction_between(const shoot::Shoot& shoot,
                                                          const std::vector<const Chain*>& stretches,
                                                          const shoot::FrameRecord& frame);
/// `chains`: each of a stretch, all stretches of a setup that are to be developed among them.
/// The chart shots and ordinary frames of setups that have a correction, by a rendering of theirs (empty: the setup's
/// own); equal names are told apart over all of them. Throws Error(usage) for a pattern that cannot be used, and for a
/// rendering that no setup has.
std::vector<BatchFrame> batch_of(const shoot::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 apply::Format format, const std::filesystem::path& folder, const std::string& pattern,
                                 const std::string& space, const std::string& rendering = {});

/// A frame of the job that a batch does not develop, and why.
struct LeftOut {
    std::string file, reason;
};
/// All that batch_of() leaves out: what cannot be read, belongs to no setup or to one without a correction, companions,
/// chart shots that are not in force. `only`: of these setups alone; empty: of the whole job.
std::vector<LeftOut> left_out_of(const shoot::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 const std::set<shoot::Id>& only = {});
/// "2 of Light 1: 0001.dng, 0002.dng", a line a reason.
std::vector<std::string> in_words(const std::vector<LeftOut>& left_out, std::size_t named = 8);

/// What became of it: done, or `problem` says why not.
struct BatchEnd {
    std::size_t frame = 0; ///< index
    std::optional<Developed> done;
    std::optional<Error> problem;
};
struct BatchOptions {
    DevelopOptions develop;
    int jobs = 0;          ///< frames at a time; 0: by memory and processors
    bool recorded = false; ///< each end tells size and hash of what was written, for the job's records
};
/// Which of them were finished with the same correction and settings: whoever resumes leaves them out.
std::vector<bool> finished(const std::vector<BatchFrame>& frames, const DevelopOptions& options);
/// Goes on after a frame that fails, unless its problem is wrong usage, which is thrown. `ended` is called for each
/// frame, one at a time, in the order in which they end. Throws Error(cancelled).
void develop_all(const std::vector<BatchFrame>& frames, const BatchOptions& options,
                 const std::function<void(const BatchEnd&)>& ended, std::stop_token stop = {});

} // namespace refero::operations
