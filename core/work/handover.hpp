// Files handed over: where they go, what they hold, and the rows that say so.
#pragma once

#include "apply/apply.hpp"
#include "deliver/deliver.hpp"
#include "work/chain.hpp"

namespace refero::work {

/// A file that was written.
struct HandedOver {
    std::filesystem::path file;
    std::string kind, message;
};

/// Throws Error(usage) where an output would replace a frame of the job or its companion, the job itself, one of its
/// references, or another output. What exists else is the caller's question.
void guard_outputs(const plan::Shoot& shoot, const std::filesystem::path& job_file,
                   const std::vector<std::filesystem::path>& outputs);
/// Those of the outputs that exist.
std::vector<std::filesystem::path> existing(const std::vector<std::filesystem::path>& outputs);

/// `format` is an id of deliver::formats().
HandedOver write_file(const fit::Correction& correction, const std::string& format, const deliver::Options& options,
                      const std::filesystem::path& file);
/// One made elsewhere, with a small fitted correction after it, as a cube.
HandedOver write_trimmed(const Chain& chain, const prove::Named& other, const std::filesystem::path& file);

/// A frame that is to be corrected, and where it goes.
struct Development {
    FrameSource source;
    std::filesystem::path target;
};
/// The setup's chart shot and ordinary frames; equal stems are told apart by a number.
std::vector<Development> developments(const plan::Shoot& shoot, const Chain& chain, apply::Format format,
                                      const std::filesystem::path& folder);
/// The correction of the same camera under another light, for frames under one between both: by the frame's own
/// balance, or at a temperature that is known.
struct SecondLight {
    std::shared_ptr<const fit::Correction> correction; ///< null: there is none
    double kelvin = 0;                                 ///< of the frames' light; 0: by the raw file's balance
};
struct Developed : HandedOver {
    std::vector<std::string> differences; ///< how the frame was recorded otherwise than the chart shot
    double kelvin = 0;                    ///< between two lights: where it was taken to stand
    std::string between;                  ///< the same in words
};
/// Throws Error(input), Error(internal), Error(cancelled).
Developed develop(const Development& frame, const fit::Correction& correction, const SecondLight& second,
                  apply::Format format, const std::string& space, Existing existing, const Progress& progress = {},
                  std::stop_token stop = {});

/// The row that says so; an earlier one of the same file goes.
plan::Change keep(const plan::Shoot& shoot, const Chain& chain, const HandedOver& handed);

} // namespace refero::work
