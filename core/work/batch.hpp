// Many frames developed, several at a time.
#pragma once

#include "work/handover.hpp"

namespace refero::work {

/// One frame of a batch, with the correction that it goes through.
struct BatchFrame {
    Development frame;
    std::shared_ptr<const fit::Correction> correction;
    SecondLight second = {};
    plan::Id setup = 0, row = 0; ///< row: of a rendering's correction; 0: the setup's own
};
/// Instead of a rendering's name: all that are in force.
inline constexpr const char* all_renderings = "*";
/// The chart shots and ordinary frames of setups that have a correction, by a rendering of theirs (empty: the setup's
/// own); equal names are told apart over all of them. Throws Error(usage) for a pattern that cannot be used, and for a
/// rendering that no setup has.
std::vector<BatchFrame> batch_of(const plan::Shoot& shoot, const std::vector<const Chain*>& chains,
                                 apply::Format format, const std::filesystem::path& folder, const std::string& pattern,
                                 const std::string& space, const std::string& rendering = {});

/// What became of it: done, or `problem` says why not.
struct BatchEnd {
    std::size_t frame = 0; ///< index
    std::optional<Developed> done;
    std::optional<Error> problem;
};
struct BatchOptions {
    DevelopOptions develop;
    int jobs = 0; ///< frames at a time; 0: by memory and processors
};
/// Which of them were finished with the same correction and settings: whoever resumes leaves them out.
std::vector<bool> finished(const std::vector<BatchFrame>& frames, const DevelopOptions& options);
/// Goes on after a frame that fails, unless its problem is wrong usage, which is thrown. `ended` is called for each
/// frame, one at a time, in the order in which they end. Throws Error(cancelled).
void develop_all(const std::vector<BatchFrame>& frames, const BatchOptions& options,
                 const std::function<void(const BatchEnd&)>& ended, std::stop_token stop = {});

} // namespace refero::work
